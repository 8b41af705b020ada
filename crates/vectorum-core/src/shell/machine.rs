//! Following commands over what is known.

use std::rc::Rc;

use bytes::Bytes;

use super::Source;
use super::around::Around;
use super::pattern::{Groups, Pattern, fits_stars};
use super::state::{Function, Scope, State, Status};
use super::syntax::*;
use super::value::{Doubt, Maybe, Val};
use crate::host_view;
use crate::route::{Account, Ground, Site};

/// What is done at most before the rest is said to be unknown.
const STEPS: usize = 60_000;
/// How deep functions and files may call each other.
const DEEPEST: usize = 48;
/// How long a value may become.
pub(super) const LONGEST: usize = 1 << 17;

/// A variable that a line sets or unsets, in the order in which that happens.
#[derive(Clone, Debug)]
pub struct Assigned {
    /// The name.
    pub name: Bytes,
    /// What it is from here on; `None` if it is not set.
    pub value: Option<Val>,
    /// The line.
    pub site: Site,
    /// How it came to be run.
    pub around: Around,
}

/// A line that would set a name but is not reached.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Skipped {
    /// The name.
    pub name: Bytes,
    /// The line.
    pub site: Site,
    /// Why.
    pub why: &'static str,
    /// The line that decides.
    pub by: Site,
}

/// How a shell comes to an end before its program is run.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ended {
    /// It goes on to its program.
    #[default]
    No,
    /// It may end before.
    Perhaps,
    /// It ends before.
    Yes,
}

impl Ended {
    /// Tells it from whether some state goes on, and whether one was left before.
    pub(super) fn of(goes_on: bool, is_left: bool) -> Ended {
        match (goes_on, is_left) {
            (false, _) => Ended::Yes,
            (true, true) => Ended::Perhaps,
            (true, false) => Ended::No,
        }
    }
}

/// What following a shell's files comes to.
#[derive(Clone, Debug)]
pub(super) struct Outcome {
    pub(super) state: Option<State>,
    /// Whether it ends before its program.
    pub ended: Ended,
    /// Where it ends, if it does.
    pub end: Option<Site>,
    /// What was set on the way.
    pub log: Rc<Vec<Assigned>>,
    /// What was not reached.
    pub skipped: Vec<Skipped>,
    /// The files that were read, in order.
    pub read: Vec<Bytes>,
    /// Those of them that the shell reads of itself.
    pub startup: Vec<Bytes>,
}

/// What a command can be left through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Boundary {
    Loop,
    Function,
    /// A file, or the text of `eval`.
    Text,
    /// A startup file.
    Startup,
    /// A command that has variables of its own.
    Command,
    /// A shell or a subshell.
    Shell,
}

/// Something that runs, with the states in which it was left.
pub(super) struct Frame {
    pub(super) kind: Boundary,
    leave: Option<State>,
    pub(super) next: Option<State>,
}

impl Frame {
    pub(super) fn into_parts(self) -> (Option<State>, Option<State>) {
        (self.leave, self.next)
    }
}

pub(super) struct Machine<'a> {
    pub(super) ground: Ground<'a>,
    pub(super) account: &'a Account,
    pub(super) dialect: Dialect,
    pub(super) is_interactive: bool,
    /// `None` where it is not known how the shell was started.
    pub(super) is_login: Option<bool>,
    pub(super) live: Option<State>,
    pub(super) frames: Vec<Frame>,
    pub(super) source: Rc<Source>,
    pub(super) at: usize,
    steps: usize,
    depth: usize,
    /// Within a subshell nothing is put down.
    pub(super) quiet: usize,
    pub(super) log: Vec<Assigned>,
    pub(super) skipped: Vec<Skipped>,
    pub(super) read: Vec<Bytes>,
    pub(super) startup: Vec<Bytes>,
    /// Files that were run by another name than their whole one.
    pub(super) named_otherwise: Vec<Bytes>,
    /// Where the shell was ended.
    pub(super) end: Option<Site>,
    /// Files that were written to: what they hold is not known.
    pub(super) written: Vec<Bytes>,
    /// The program before which a script is left, and the state there.
    pub(super) until: Option<Bytes>,
    pub(super) stopped: Option<State>,
    /// How often the output of commands was used.
    pub(super) outputs: usize,
    /// The status of the last of these.
    pub(super) output_status: Status,
    /// Whether a program's words are being expanded: in zsh its child looks for the files.
    pub(super) is_for_child: bool,
    /// Whether a pattern named no file there.
    pub(super) child_failed: bool,
    /// Whether ksh was told in a subshell to export what is set.
    pub(super) exports_separators: bool,
    /// How the line that runs came to be run.
    pub(super) around: Around,
    /// How many lines were begun, and in whose turn what runs was read.
    pub(super) clock: usize,
    pub(super) epoch: usize,
    /// Whether zsh runs a text as sh would (`emulate sh -c`), with what is defined in it.
    pub(super) as_sh: bool,
    /// Whether a failing command is being looked at, so that `set -e` does not count.
    pub(super) guarded: usize,
}

pub(super) fn join_some(a: Option<State>, b: Option<State>, why: &Rc<Doubt>) -> Option<State> {
    match (a, b) {
        (Some(a), Some(b)) => Some(a.join(b, why)),
        (a, b) => a.or(b),
    }
}

pub(super) const PARTED: &str = "a condition decides that cannot be told";

impl<'a> Machine<'a> {
    pub(super) fn new(ground: Ground<'a>, account: &'a Account, dialect: Dialect, state: State) -> Machine<'a> {
        Machine {
            ground,
            account,
            dialect,
            is_interactive: false,
            is_login: None,
            live: Some(state),
            frames: vec![Frame { kind: Boundary::Shell, leave: None, next: None }],
            source: Rc::new(Source::new(Bytes::new(), Bytes::new())),
            at: 0,
            steps: 0,
            depth: 0,
            quiet: 0,
            log: Vec::new(),
            skipped: Vec::new(),
            read: Vec::new(),
            startup: Vec::new(),
            named_otherwise: Vec::new(),
            end: None,
            written: Vec::new(),
            until: None,
            stopped: None,
            outputs: 0,
            output_status: Status::Known(0),
            is_for_child: false,
            child_failed: false,
            exports_separators: false,
            clock: 0,
            epoch: 0,
            around: Around::default(),
            as_sh: false,
            guarded: 0,
        }
    }

    pub(super) fn site(&self, at: usize) -> Site {
        Site { path: self.source.path.clone(), line: self.source.line(at) }
    }

    pub(super) fn here(&self) -> Site {
        self.site(self.at)
    }

    pub(super) fn doubt(&self, why: &'static str) -> Rc<Doubt> {
        let site = Some(self.here()).filter(|s| !s.path.is_empty());
        Doubt::new(why, site)
    }

    pub(super) fn status(&self) -> Status {
        self.live.as_ref().map_or(Status::Known(0), |s| s.status.clone())
    }

    pub(super) fn set_status(&mut self, status: u8) {
        if let Some(state) = &mut self.live {
            state.status = Status::Known(status);
        }
    }

    pub(super) fn doubt_status(&mut self, doubt: Rc<Doubt>) {
        if let Some(state) = &mut self.live {
            state.status = Status::Unknown(doubt);
        }
    }

    pub(super) fn set_maybe(&mut self, maybe: Maybe) {
        match maybe {
            Ok(is_so) => self.set_status(u8::from(!is_so)),
            Err(doubt) => self.doubt_status(doubt),
        }
    }

    /// Whether the last command succeeded.
    pub(super) fn succeeded(&self) -> Maybe {
        match self.status() {
            Status::Known(status) => Ok(status == 0),
            Status::Unknown(doubt) => Err(doubt),
        }
    }

    /// Something was done that is not followed: any variable may have changed.
    pub(super) fn fog(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        if let Some(state) = &mut self.live {
            state.vars.fog(&doubt);
            // Who knows what it prints.
            state.output = state.output.take().map(|_| Val::Unknown(doubt.clone()));
            state.open.get_or_insert(doubt.clone());
            state.status = Status::Unknown(doubt);
        }
    }

    /// Something that ends the command, the file or the shell, or goes on in a way that is not followed.
    pub(super) fn fail_perhaps(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        self.fork(&doubt, Self::fail_hard, |m| m.fog(why));
    }

    /// Counts a step; returns whether too much was done already.
    pub(super) fn is_spent(&mut self) -> bool {
        self.steps += 1;
        if self.steps == STEPS {
            self.fog("following the startup files takes too long");
            // Whatever runs is left as it is.
            let state = self.live.take();
            if let Some(frame) = self.frames.first_mut() {
                let why = Doubt::new("following the startup files takes too long", None);
                frame.next = join_some(frame.next.take(), state, &why);
            }
        }
        self.steps >= STEPS || self.live.is_none()
    }

    pub(super) fn enter(&mut self, kind: Boundary) {
        self.frames.push(Frame { kind, leave: None, next: None });
    }

    /// Ends what was entered last, and goes on in all states in which it was left.
    pub(super) fn end(&mut self) {
        let Some(frame) = self.frames.pop() else { return };
        let why = self.doubt(PARTED);
        let left = join_some(frame.leave, frame.next, &why);
        self.live = join_some(self.live.take(), left, &why);
    }

    /// Leaves the nearest of some kind, or goes on with its next part. Returns whether there is one.
    pub(super) fn leave(&mut self, count: usize, kinds: &[Boundary], to_next: bool) -> bool {
        let mut left = count;
        for index in (0..self.frames.len()).rev() {
            let Some(kind) = self.frames.get(index).map(|f| f.kind) else { return false };
            if kinds.contains(&kind) {
                left -= 1;
                if left == 0 {
                    self.leave_at(index, to_next);
                    return true;
                }
            } else if kind == Boundary::Shell || kinds == [Boundary::Loop] && kind == Boundary::Function {
                // More loops than there are: the outermost counts.
                return false;
            }
        }
        false
    }

    fn leave_at(&mut self, index: usize, to_next: bool) {
        let mut state = self.live.take();
        let inner = self.frames.iter().skip(index + 1);
        let scopes = inner.filter(|f| matches!(f.kind, Boundary::Function | Boundary::Command)).count();
        if let Some(state) = &mut state {
            (0..scopes).for_each(|_| self.close_scope(state));
        }
        let why = self.doubt(PARTED);
        if let Some(frame) = self.frames.get_mut(index) {
            let slot = if to_next { &mut frame.next } else { &mut frame.leave };
            *slot = join_some(slot.take(), state, &why);
        }
    }

    /// Ends the shell.
    pub(super) fn exit(&mut self) {
        if self.quiet == 0 {
            self.end = Some(self.here());
        }
        if let Some(index) = self.frames.iter().rposition(|f| f.kind == Boundary::Shell) {
            self.leave_at(index, false);
        }
    }

    /// An error that ends a command, a file or the shell, as the shell has it.
    pub(super) fn fail_hard(&mut self) {
        self.set_status(if self.dialect == Dialect::Bash { 1 } else { 2 });
        match self.dialect {
            Dialect::Zsh if self.as_sh => self.fog("an error where zsh is another shell"),
            // The file that is being run is given up.
            Dialect::Zsh => {
                self.set_status(1);
                if !self.leave(1, &[Boundary::Text, Boundary::Startup], false) {
                    self.exit();
                }
            }
            // The command of the file that is being run is given up.
            Dialect::Bash => {
                if !self.leave(1, &[Boundary::Text, Boundary::Startup], true) {
                    self.exit();
                }
            }
            // The function that is being run is given up; its status is 1 or 2.
            Dialect::Mksh if self.is_in_function() => {
                let doubt = self.doubt("how a function ends that an error ends");
                self.doubt_status(doubt);
                self.leave(1, &[Boundary::Function], false);
            }
            Dialect::Ksh if self.is_in_function() && self.holds_of_functions().contains(&true) => {
                if self.holds_of_functions().first() != Some(&true) {
                    self.fog("an error in a function that another one calls");
                }
                self.set_status(1);
                self.leave(1, &[Boundary::Function], false);
            }
            _ if self.is_interactive && self.quiet == 0 => {
                if !self.leave(1, &[Boundary::Startup], false) {
                    self.exit();
                }
            }
            _ => self.exit(),
        }
    }

    /// Whether zsh's own ways with words count.
    pub(super) fn is_own_zsh(&self) -> bool {
        self.dialect == Dialect::Zsh && !self.as_sh
    }

    /// Of the functions that run, the innermost first: whether each has variables of its own.
    pub(super) fn holds_of_functions(&self) -> Vec<bool> {
        let scopes = self.live.iter().flat_map(|s| s.scopes.iter().rev());
        scopes.filter(|s| s.positional.is_some()).map(|s| s.holds).collect()
    }

    fn is_in_function(&self) -> bool {
        let mut kinds = self.frames.iter().rev().map(|f| f.kind);
        kinds.find(|k| matches!(k, Boundary::Function | Boundary::Shell)) == Some(Boundary::Function)
    }

    /// Follows both ways and joins them.
    pub(super) fn fork(&mut self, doubt: &Rc<Doubt>, one: impl FnOnce(&mut Self), other: impl FnOnce(&mut Self)) {
        let state = self.live.clone();
        one(self);
        let after = std::mem::replace(&mut self.live, state);
        other(self);
        let why = Doubt::new(doubt.why, doubt.site.clone());
        self.live = join_some(after, self.live.take(), &why);
    }

    // Files and texts.

    /// Reads a file as the account.
    pub(super) fn content(&self, path: &[u8]) -> host_view::Content {
        match self.ground.files.may(path, self.account.uid, self.account.gid, host_view::Want::Read) {
            Some(false) => host_view::Content::Missing,
            _ => self.ground.files.read(path),
        }
    }

    /// Runs a file's commands in this shell.
    pub(super) fn run_file(&mut self, path: &[u8], kind: Boundary) {
        self.read.push(Bytes::copy_from_slice(path));
        if self.written.iter().any(|w| w == path) {
            return self.fog("a file is run that was written just before");
        }
        match self.content(path) {
            host_view::Content::Bytes(text) => {
                let source = match self.ground.shells {
                    Some(shells) => shells.source(self.dialect, path, text),
                    None => Rc::new(Source::new(Bytes::copy_from_slice(path), text)),
                };
                self.run_source(&source, kind);
            }
            host_view::Content::Denied => self.fog("a file that is run may not be read"),
            host_view::Content::Missing => self.set_status(1),
        }
    }

    /// Runs a text's commands.
    pub(super) fn run_source(&mut self, source: &Rc<Source>, kind: Boundary) {
        if self.depth >= DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        self.depth += 1;
        let outer = std::mem::replace(&mut self.source, source.clone());
        let outer_at = self.at;
        self.enter(kind);
        self.set_status(0);
        let parsed = source.parsed(self.dialect);
        // ksh runs nothing of a file that it cannot read to its end.
        let reads_first = self.dialect == Dialect::Ksh && kind != Boundary::Startup;
        let lines = if reads_first && parsed.trouble.is_some() { &[] } else { &parsed.lines[..] };
        let epoch = self.epoch;
        for (index, list) in lines.iter().enumerate() {
            if self.live.is_none() {
                break;
            }
            if index == 0 || !reads_first {
                self.clock += 1;
                self.epoch = self.clock;
            }
            self.run_list(list);
            let given_up = self.frames.last_mut().and_then(|f| f.next.take());
            if self.live.is_none() && given_up.is_none() {
                let by = self.here();
                for list in lines.iter().skip(index + 1) {
                    self.note_list(list, "the file is left before", &by);
                }
            }
            if given_up.is_some() {
                let why = self.doubt(PARTED);
                self.live = join_some(self.live.take(), given_up, &why);
            }
        }
        if let Some(trouble) = parsed.trouble.as_ref().filter(|_| self.live.is_some()) {
            self.at = trouble.at;
            self.broken(trouble, kind);
        }
        self.end();
        self.epoch = epoch;
        self.source = outer;
        self.at = outer_at;
        self.depth -= 1;
    }

    /// What a text does that the shell cannot read on.
    fn broken(&mut self, trouble: &Trouble, kind: Boundary) {
        if !trouble.is_error {
            return self.fog(trouble.what);
        }
        match self.dialect {
            Dialect::Bash => self.set_status(if kind == Boundary::Text { 2 } else { 1 }),
            Dialect::Ksh => self.set_status(3),
            _ => self.fail_hard(),
        }
    }

    // Commands.

    /// Runs something that a line runs in its place: a file, or a function.
    pub(super) fn through(&mut self, run: impl FnOnce(&mut Self)) {
        let inner = self.around.through(self.here());
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Runs something whose changes are lost, but for its status and output.
    pub(super) fn subshell(&mut self, run: impl FnOnce(&mut Self)) {
        let Some(outer) = self.live.clone() else { return };
        self.quiet += 1;
        let is_for_child = std::mem::take(&mut self.is_for_child);
        self.enter(Boundary::Shell);
        run(self);
        self.end();
        self.is_for_child = is_for_child;
        self.quiet -= 1;
        let (status, output, input) = match self.live.take() {
            Some(end) => (end.status, end.output, end.input),
            None => (Status::Unknown(self.doubt("it is not followed to its end")), None, None),
        };
        // What was read there is not read once more.
        let input = outer.input.clone().filter(|at| input.as_ref() == Some(at));
        let output = if outer.output.is_some() {
            output.or_else(|| Some(Val::Unknown(self.doubt("it is not followed to its end"))))
        } else {
            None
        };
        self.live = Some(State { status, output, input, ..outer });
        if self.exports_separators {
            // ksh's `set -a` reaches these beyond the subshell.
            self.doubt_export(b"IFS");
        }
    }

    pub(super) fn run_command(&mut self, command: &Command) {
        if self.is_spent() {
            return;
        }
        self.at = command.at;
        match self.redirected(&command.redirects) {
            Ok(true) => self.run_kind(command),
            Ok(false) => self.set_status(if self.dialect == Dialect::Dash { 2 } else { 1 }),
            Err(doubt) => {
                let status = doubt.clone();
                self.fork(&doubt, |m| m.run_kind(command), |m| m.doubt_status(status));
            }
        }
    }

    /// Opens redirections: whether that succeeds.
    fn redirected(&mut self, redirects: &[Redirect]) -> Maybe {
        let mut answer = Ok(true);
        for redirect in redirects {
            match &redirect.operator[..] {
                b"<<" | b"<<-" => {
                    // What cannot be put together is not read, and the command not run.
                    let is_odd = |p: &Part| matches!(p, Part::Document(text) if !matches!(text.get(), Some(Ok(_))));
                    if redirect.word.parts.iter().any(is_odd) {
                        self.fail_perhaps("the text of a here-document");
                        answer = Err(self.doubt("the text of a here-document"));
                    }
                    continue;
                }
                b"<<<" | b">&" | b"<&" => continue,
                operator => {
                    let Ok(path) = self.one_word(&redirect.word) else { continue };
                    let Some(path) = path.known().cloned() else {
                        answer = Err(self.doubt("a file is opened whose name is not known"));
                        continue;
                    };
                    if path == b"/dev/null"[..]
                        || path.starts_with(b"/dev/fd/")
                        || matches!(&path[..], b"/dev/stderr" | b"/dev/stdout" | b"/dev/tty")
                    {
                        continue;
                    }
                    let full = self.full(&path);
                    if operator == b"<" {
                        let Some(full) = full else { continue };
                        match self.content(&full) {
                            host_view::Content::Bytes(_) => {}
                            host_view::Content::Missing => return Ok(false),
                            host_view::Content::Denied => answer = Err(self.doubt("a file is opened that may not be read")),
                        }
                    } else {
                        match full {
                            Some(full) => self.written.push(full),
                            None => answer = Err(self.doubt("a file is opened whose name is not known")),
                        }
                        if answer == Ok(true) {
                            answer = Err(self.doubt("whether a file can be written is not known"));
                        }
                    }
                }
            }
        }
        answer
    }

    fn run_kind(&mut self, command: &Command) {
        if command.redirects.is_empty() {
            return self.run_bare(command);
        }
        let reads = command.redirects.iter().rev().find(|r| matches!(&r.operator[..], b"<" | b"<<" | b"<<-" | b"<<<"));
        let outer_input = self.live.as_ref().map(|s| s.input.clone());
        if let Some(redirect) = reads {
            let text = match &redirect.operator[..] {
                b"<<<" => {
                    self.one_word(&redirect.word).ok().and_then(|v| v.known().map(|b| Bytes::from([&b[..], b"\n"].concat())))
                }
                b"<" => {
                    let path = self.one_word(&redirect.word).ok().and_then(|v| v.known().cloned());
                    let full = path.and_then(|p| self.full(&p));
                    full.filter(|f| !self.written.contains(f)).and_then(|f| match self.content(&f) {
                        host_view::Content::Bytes(text) => Some(text),
                        _ if f == b"/dev/null"[..] => Some(Bytes::new()),
                        _ => None,
                    })
                }
                _ => match self.one_word(&redirect.word) {
                    Ok(text) => text.known().cloned(),
                    Err(_) => None,
                },
            };
            if let Some(state) = &mut self.live {
                state.input = text.map(|t| (t, 0));
            }
        }
        // What is written elsewhere is not taken up.
        let sink = self.live.as_ref().and_then(|s| s.output.clone());
        let is_away = command.redirects.iter().any(|r| {
            matches!(r.operator.first(), Some(b'>' | b'&')) && (r.from.is_empty() || r.from == b"1") && r.operator != b">&"
                || r.operator == b">&" && (r.from.is_empty() || r.from == b"1") && r.word.literal() != Some(b"1")
        });
        self.run_bare(command);
        if let Some(state) = &mut self.live {
            if is_away {
                state.output = sink;
            }
            if reads.is_some() {
                state.input = outer_input.flatten();
            }
        }
    }

    fn run_bare(&mut self, command: &Command) {
        match &command.kind {
            Kind::Simple(assignments, words) => self.run_simple(assignments, words, command),
            Kind::Group(list) => self.run_list(list),
            Kind::Subshell(list) => self.subshell(|m| m.run_list(list)),
            Kind::If(arms, otherwise) => self.run_if(arms, otherwise.as_ref()),
            Kind::For(name, words, body) => self.run_for(name, words.as_deref(), body),
            Kind::Count(parts, body) => self.run_count(parts, body),
            Kind::While(until, condition, body) => self.run_while(*until, condition, body),
            Kind::Case(word, arms) => self.run_case(word, arms),
            Kind::Function(name, body, by_word) => {
                let function = Function {
                    body: body.clone(),
                    source: self.source.clone(),
                    by_word: *by_word,
                    as_sh: self.as_sh,
                    epoch: self.epoch,
                };
                if let Some(state) = &mut self.live {
                    Rc::make_mut(&mut state.functions).insert(Bytes::copy_from_slice(name), Some(function));
                }
                if self.live.as_ref().is_some_and(|s| s.option("allexport") != Some(false)) {
                    self.export_function(name);
                }
                self.set_status(0);
            }
            Kind::Test(test) => {
                let answer = self.test(test);
                self.set_maybe(answer);
                self.check_failure();
            }
            Kind::Arithmetic(parts) => {
                let answer = self.sum(parts).map(|n| n != 0);
                self.set_maybe(answer);
                self.check_failure();
            }
            Kind::Unfollowed(why) => self.fog(why),
        }
    }

    /// With `set -e` a command that fails ends the shell.
    pub(super) fn check_failure(&mut self) {
        if self.guarded > 0 || self.live.as_ref().is_none_or(|s| s.option("errexit") == Some(false)) {
            return;
        }
        let is_on = self.live.as_ref().and_then(|s| s.option("errexit"));
        match (self.succeeded(), is_on) {
            (Ok(true), _) => {}
            (Ok(false), Some(true)) => self.exit(),
            (Ok(false) | Err(_), _) => {
                let doubt = self.doubt("a command that fails ends the shell");
                self.fork(&doubt, |m| m.exit(), |_| {});
            }
        }
    }

    /// Which groups patterns have here; `is_test` says whether it is within `[[ … ]]`.
    pub(super) fn groups(&mut self, pattern: &[u8], is_test: bool) -> Result<Groups, Rc<Doubt>> {
        let option = |name: &str| self.live.as_ref().and_then(|s| s.option(name));
        match self.dialect {
            Dialect::Dash => Ok(Groups::None),
            Dialect::Ksh | Dialect::Mksh => Ok(Groups::Signs),
            Dialect::Bash if is_test || option("extglob") == Some(true) => Ok(Groups::Signs),
            Dialect::Bash => Ok(Groups::None),
            Dialect::Zsh if self.as_sh => Ok(Groups::None),
            Dialect::Zsh if pattern.iter().any(|b| b"#^~".contains(b)) && option("extglob") != Some(false) => {
                Err(self.doubt("a pattern of another kind"))
            }
            Dialect::Zsh => Ok(Groups::Plain),
        }
    }

    /// Whether a text fits a pattern; `is_test` says whether it is within `[[ … ]]`.
    pub(super) fn fits(&mut self, text: &Val, pattern: &Word, is_test: bool) -> Maybe {
        if let (Val::Known(text), [Part::Text(pattern)]) = (text, &pattern.parts[..])
            && pattern.iter().all(|b| is_calm(*b) || *b == b'*')
        {
            return Ok(fits_stars(pattern, text));
        }
        let (bytes, quoted) = self.pattern_text(pattern)?;
        // Anything fits a star.
        if bytes == b"*" && quoted == [false] {
            return Ok(true);
        }
        let doubt = || Doubt::new("a pattern of another kind", None);
        let groups = self.groups(&bytes, is_test)?;
        if self.dialect == Dialect::Bash && groups == Groups::None && bytes.contains(&b'(') {
            self.fog("a pattern that bash reads only where the option is set");
        }
        let pattern = Pattern::new(&bytes, &quoted, groups).map_err(|_| self.doubt("a pattern of another kind"))?;
        match text {
            Val::Known(text) => pattern.matches(text).map_err(|_| doubt()),
            Val::Unknown(unknown) => {
                if text.is_empty() == Some(false) && bytes.is_empty() {
                    return Ok(false);
                }
                if unknown.could_be.is_empty() {
                    return Err(unknown.clone());
                }
                let mut answers = unknown.could_be.iter().map(|v| pattern.matches(v).unwrap_or(false));
                let first = answers.next().unwrap_or(false);
                if answers.all(|a| a == first) { Ok(first) } else { Err(unknown.clone()) }
            }
        }
    }

    fn close_scope(&self, state: &mut State) {
        let all = state.option("allexport") != Some(false);
        let exports = self.dialect == Dialect::Zsh && all;
        state.close_scope(|name| exports && self.is_tied_text(name), self.dialect == Dialect::Dash && all);
    }

    /// Puts back what was hidden last.
    pub(super) fn end_scope(&mut self) {
        if let Some(mut state) = self.live.take() {
            self.close_scope(&mut state);
            self.live = Some(state);
        }
    }

    /// Calls a function.
    pub(super) fn call(&mut self, function: &Function, arguments: Vec<Val>) {
        if self.depth >= DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        let holds = self.dialect != Dialect::Ksh || function.by_word;
        // There the variables of one such function are not seen in another.
        if self.dialect == Dialect::Ksh && holds && self.is_in_function() {
            return self.fog("a function of ksh's that another one calls");
        }
        self.depth += 1;
        let at = self.at;
        self.through(|m| {
            let outer = std::mem::replace(&mut m.source, function.source.clone());
            if let Some(state) = &mut m.live {
                let positional = std::mem::replace(&mut state.positional, Ok(Rc::new(arguments)));
                state.scopes.push(Scope { positional: Some(positional), holds, ..Scope::default() });
            }
            m.enter(Boundary::Function);
            let as_sh = std::mem::replace(&mut m.as_sh, function.as_sh);
            let epoch = std::mem::replace(&mut m.epoch, function.epoch);
            m.run_command(&function.body);
            m.epoch = epoch;
            m.as_sh = as_sh;
            m.end();
            m.end_scope();
            m.source = outer;
        });
        self.at = at;
        self.depth -= 1;
    }

    /// Returns a path as seen from the root.
    pub(super) fn full(&self, path: &[u8]) -> Option<Bytes> {
        if path.first() == Some(&b'/') {
            return Some(Bytes::copy_from_slice(path));
        }
        let folder = self.live.as_ref()?.folder.clone()?;
        Some([&folder[..], b"/", path].concat().into())
    }
}
