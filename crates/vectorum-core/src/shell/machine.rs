//! Following commands over what is known.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::aliases::Aliasing;
use super::around::Around;
use super::branch::{self, Branch, Left};
use super::decided::Decided;
use super::frame::{Boundary, Frame};
use super::log::Log;
use super::lookup::Programs;
use super::one_of::OneOf;
use super::program::content;
use super::restless::Restless;
use super::state::{State, Status};
use super::steps::Steps;
use super::successor::{Succession, Successor};
use super::syntax::*;
use super::touched::Touched;
use super::value::{Doubt, Maybe};
use crate::host_view;
use crate::route::{Account, Ground, Held, Site};

/// What is done at most before the rest is said to be unknown.
const STEPS: usize = 60_000;
/// How deep functions and files may call each other.
pub(super) const DEEPEST: usize = 48;

/// So deep commands and words lie in each other at most, through functions and files: a thread's stack holds more.
pub(super) const MOST_NESTED: usize = 150;
/// How long a value may become.
pub(super) const LONGEST: usize = 1 << 17;

/// A variable that a line sets or unsets, in the order in which that happens.
#[derive(Clone, Debug)]
pub struct Assigned {
    /// The name.
    pub name: Bytes,
    /// What it is from here on; `None` if it is not set.
    pub held: Option<Held>,
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
#[derive(Debug)]
pub(super) struct Outcome<S = State> {
    pub(super) state: Option<S>,
    /// Whether it ends before its program.
    pub ended: Ended,
    /// Where it ends, or may end, if it does.
    pub end: Option<Site>,
    /// What was set on the way.
    pub log: Arc<Log>,
    /// What lines decided of what is handed on.
    pub decided: Arc<Decided>,
    /// What was not reached.
    pub skipped: Vec<Skipped>,
    /// The files that were read, in order.
    pub read: Vec<Bytes>,
    /// Those of them that the shell reads of itself.
    pub startup: Vec<Bytes>,
    /// At which shell somebody types instead.
    pub successor: Option<Successor>,
}

impl<S: Branch> Outcome<S> {
    /// The same once more.
    pub(super) fn fork(&mut self) -> Outcome<S> {
        Outcome {
            state: branch::fork(&mut self.state),
            ended: self.ended,
            end: self.end.clone(),
            log: Arc::clone(&self.log),
            decided: Arc::clone(&self.decided),
            skipped: self.skipped.clone(),
            read: self.read.clone(),
            startup: self.startup.clone(),
            successor: self.successor.clone(),
        }
    }
}

pub(super) struct Machine<'a> {
    pub(super) ground: Ground<'a>,
    pub(super) account: &'a Account,
    pub(super) dialect: Dialect,
    pub(super) is_interactive: bool,
    /// The shell's program, if that is known.
    pub(super) program: Bytes,
    /// What the kernel calls its process, if that is known.
    pub(super) process_name: Bytes,
    /// `None` where it is not known how the shell was started.
    pub(super) is_login: Option<bool>,
    pub(super) live: Option<State>,
    pub(super) frames: Vec<Frame>,
    pub(super) source: Arc<Source>,
    pub(super) at: usize,
    pub(super) steps: Steps,
    pub(super) depth: usize,
    /// Within a subshell nothing is put down.
    pub(super) quiet: usize,
    pub(super) log: Log,
    pub(super) skipped: Vec<Skipped>,
    pub(super) read: Vec<Bytes>,
    pub(super) startup: Vec<Bytes>,
    /// Files that were run by another name than their whole one.
    pub(super) named_otherwise: Vec<Bytes>,
    /// Where the shell was ended.
    pub(super) end: Option<Site>,
    /// Whether what was opened stays open behind the command, as by `exec`.
    pub(super) keeps_open: bool,
    /// Whether what the next command prints is piped to another.
    pub(super) is_piped: bool,
    /// The files, which `ground` shows, with what was written to: what those hold is not known.
    pub(super) touched: &'a Touched<'a>,
    pub(super) programs: Programs,
    /// How many commands and words lie around what runs.
    pub(super) nested: usize,
    /// Functions that ksh took back while one ran.
    pub(super) ended_within: BTreeSet<Bytes>,
    pub(super) aliasing: Aliasing,
    pub(super) one_of: OneOf,
    /// What the names of functions begin with of which no more is known.
    pub(super) unclear_functions: BTreeSet<Bytes>,
    /// Functions that are loaded when they are called first; the file, if it was said.
    pub(super) later: BTreeMap<Bytes, Option<Bytes>>,
    /// Functions of ksh's that were loaded in a shell of its own.
    pub(super) taken_aside: BTreeSet<Bytes>,
    /// Whether a command runs behind `command`.
    pub(super) tame: usize,
    /// The same of `command` alone.
    pub(super) behind_command: usize,
    /// What traps may set.
    pub(super) restless: Restless,
    /// The program before which a script is left, and the state there.
    pub(super) until: Option<Bytes>,
    pub(super) stopped: Left<State>,
    /// How often the output of commands was used.
    pub(super) outputs: usize,
    /// How often an error may have been passed over, as behind `command`.
    pub(super) passed_over: usize,
    /// Within how many commands that read or write elsewhere it runs; `exec` with such counts for good.
    pub(super) redirected: usize,
    /// Whether a line of a subshell was given up while bash reads its startup files: that goes on as if it were the shell
    /// itself.
    pub(super) strays: bool,
    /// How often when the command that runs began.
    pub(super) outputs_before: usize,
    /// The status of the last of these.
    pub(super) output_status: Status,
    /// Whether a program's words are being expanded: in zsh its child looks for the files.
    pub(super) is_for_child: bool,
    /// Whether the words of a declaration are expanded.
    pub(super) is_declaring: bool,
    /// What the shell may be called, where that is one of a few.
    pub(super) called: &'static [&'static str],
    /// The shells at which somebody may type instead.
    pub(super) succession: Succession,
    /// Whether a name is set that is held fast.
    pub(super) is_refused: bool,
    /// Whether a name that nobody knows was given attributes, a list, or a scope: any name may have them from there on.
    pub(super) has_marked_any: bool,
    /// Whether a pattern named no file there.
    pub(super) child_failed: bool,
    /// Whether ksh was told in a subshell to export what is set.
    pub(super) exports_separators: bool,
    /// How the line that runs came to be run.
    pub(super) around: Around,
    /// How many lines were begun, and in whose turn what runs was read.
    pub(super) clock: usize,
    pub(super) epoch: usize,
    /// Whether a command runs that is a sum, so that a name that is not set is an error like others.
    pub(super) is_sum: bool,
    /// Whether letters were UTF-8 in whose turn lines were read that may have some written as numbers.
    pub(super) charsets: BTreeMap<usize, Option<bool>>,
    /// Whether zsh runs a text as sh would (`emulate sh -c`), with what is defined in it.
    pub(super) as_sh: bool,
    /// Within how many special commands it runs, of which an error ends zsh where it is as sh would be.
    pub(super) within_special: usize,
    /// How much runs just now of what may not be run, or is run more than once, or in a shell of its own.
    pub(super) asides: usize,
    /// Whether something is to be run where the subshell ends that runs.
    pub(super) has_end_trap: bool,
    /// Whether a shell within it may have sent it a signal that ends it.
    pub(super) is_struck: bool,
    /// Whether the pipeline that ran last was turned round with `!`.
    pub(super) was_turned: bool,
    /// Whether what stands behind something else in the same list may end nothing by failing in zsh.
    pub(super) spares_next: bool,
    /// Whether that is so of what runs.
    pub(super) is_spared: bool,
    /// Within how many frames the innermost of those that are to be turned round runs.
    pub(super) turned_at: Option<usize>,
    /// Whether a failing command is being looked at, so that `set -e` does not count.
    pub(super) guarded: usize,
}

pub(super) const PARTED: &str = "a condition decides that cannot be told";

impl<'a> Machine<'a> {
    pub(super) fn new(
        ground: Ground<'a>,
        touched: &'a Touched<'a>,
        account: &'a Account,
        dialect: Dialect,
        state: State,
    ) -> Machine<'a> {
        Machine {
            ground: Ground { files: touched, ..ground },
            account,
            dialect,
            is_interactive: false,
            is_login: None,
            live: Some(state),
            frames: vec![Frame::new(Boundary::Shell)],
            source: Arc::new(Source::new(Bytes::new(), Bytes::new())),
            at: 0,
            steps: Steps::up_to(STEPS),
            depth: 0,
            quiet: 0,
            log: Log::default(),
            skipped: Vec::new(),
            read: Vec::new(),
            startup: Vec::new(),
            named_otherwise: Vec::new(),
            end: None,
            keeps_open: false,
            is_piped: false,
            touched,
            programs: Programs::default(),
            nested: 0,
            ended_within: BTreeSet::new(),
            aliasing: Aliasing::default(),
            one_of: OneOf::default(),
            unclear_functions: BTreeSet::new(),
            later: BTreeMap::new(),
            taken_aside: BTreeSet::new(),
            tame: 0,
            behind_command: 0,
            restless: Restless::default(),
            until: None,
            stopped: Left::default(),
            outputs: 0,
            passed_over: 0,
            redirected: 0,
            strays: false,
            outputs_before: 0,
            output_status: Status::Known(0),
            is_for_child: false,
            is_declaring: false,
            called: &[],
            succession: Succession::default(),
            is_refused: false,
            has_marked_any: false,
            child_failed: false,
            exports_separators: false,
            clock: 0,
            epoch: 0,
            charsets: BTreeMap::new(),
            is_sum: false,
            around: Around::default(),
            as_sh: false,
            within_special: 0,
            program: Bytes::new(),
            process_name: Bytes::new(),
            asides: 0,
            has_end_trap: false,
            is_struck: false,
            was_turned: false,
            spares_next: false,
            is_spared: false,
            turned_at: None,
            guarded: 0,
        }
    }

    pub(super) fn site(&self, at: usize) -> Site {
        Site { path: self.source.path.clone(), line: self.source.line(at) }
    }

    pub(super) fn here(&self) -> Site {
        self.site(self.at)
    }

    pub(super) fn doubt(&self, why: &'static str) -> Arc<Doubt> {
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

    pub(super) fn doubt_status(&mut self, doubt: Arc<Doubt>) {
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
            state.scopes.iter_mut().for_each(|scope| scope.fogged = Some(doubt.clone()));
            state.positional = Err(doubt.clone());
            state.reading = None;
            (state.folder, state.left, state.stack) = (None, None, None);
            // Who knows what it prints.
            state.output.doubt_all(&doubt);
            state.open.get_or_insert(doubt.clone());
            state.status = Status::Unknown(doubt);
        }
    }

    /// What `$?` is while a command's words are expanded.
    pub(super) fn status_within(&self) -> Status {
        match self.dialect {
            Dialect::Ksh if self.outputs != self.outputs_before => {
                Status::Unknown(self.doubt("which command counts for the status"))
            }
            _ => self.status(),
        }
    }

    /// Counts a step; returns whether too much was done already.
    pub(super) fn is_spent(&mut self) -> bool {
        if self.steps.take() {
            self.fog("following the startup files takes too long");
            // Whatever runs is left as it is.
            let state = self.live.take();
            if let Some(frame) = self.frames.first_mut() {
                let why = Doubt::new("following the startup files takes too long", None);
                frame.next.add(state, &why);
            }
        }
        self.steps.is_spent() || self.live.is_none()
    }

    /// Whether what runs now is run for certain, and once, in the function that runs.
    pub(super) fn is_certain_in_function(&self) -> bool {
        self.frames.iter().rev().find(|frame| frame.kind == Boundary::Function).is_some_and(|frame| frame.asides == self.asides)
    }

    /// Whether zsh's own ways with words count.
    pub(super) fn is_own_zsh(&self) -> bool {
        self.dialect == Dialect::Zsh && !self.as_sh
    }

    /// Follows both ways and joins them.
    pub(super) fn fork(&mut self, doubt: &Arc<Doubt>, one: impl FnOnce(&mut Self), other: impl FnOnce(&mut Self)) {
        // What was run for a word on one of them alone may be what the status hangs on.
        let begin = (self.outputs, self.output_status.clone());
        let mut came = None;
        let mut was_spared = false;
        let first = |m: &mut Self| {
            m.aside(one);
            was_spared = m.is_spared;
            came = Some((m.outputs, m.status_of_outputs(m.outputs_before)));
            (m.outputs, m.output_status) = begin.clone();
        };
        branch::part(self, |m| &mut m.live, doubt, first, |m| m.aside(other));
        self.is_spared |= was_spared;
        let Some((outputs, status)) = came else { return };
        if outputs.max(self.outputs) != begin.0 {
            let other = self.status_of_outputs(self.outputs_before);
            self.outputs = outputs.max(self.outputs);
            self.output_status = if status == other { status } else { Status::Unknown(doubt.clone()) };
        }
    }

    /// The status that what was run for words leaves, if anything was, since so many.
    pub(super) fn status_of_outputs(&self, before: usize) -> Status {
        if self.outputs == before { Status::Known(0) } else { self.output_status.clone() }
    }

    /// Runs what may not be run, or is run more than once, or in a shell of its own.
    pub(super) fn aside<T>(&mut self, run: impl FnOnce(&mut Self) -> T) -> T {
        self.asides += 1;
        let out = run(self);
        self.asides -= 1;
        out
    }

    // Files and texts.

    /// Reads a file as the account.
    pub(super) fn content(&self, path: &[u8]) -> host_view::Content {
        content(self.ground, self.account, path)
    }

    // Commands.

    /// Returns a path as seen from the root.
    pub(super) fn full(&self, path: &[u8]) -> Option<Bytes> {
        if path.first() == Some(&b'/') {
            return Some(Bytes::copy_from_slice(path));
        }
        let folder = self.live.as_ref()?.folder.clone()?;
        Some([&folder[..], b"/", path].concat().into())
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_texts_leave_behind() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(V=1; echo $V); X=$V", ["1", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=a; (V=b); R=$V; V=$(V=c; echo $V); X=$V", ["a", "c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true | V=1; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "false; R=$?; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; eval 'R=2; X=$R'", ["2", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(exit 3); X=$?", ["", "3"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(echo a; echo b); X=$(printf 'a\\n\\n')", ["a\nb", "a"]),
            (&[Mksh], "R=$(echo a; echo b); X=$(printf 'a\\n\\n')", ["a\nb", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=1 true; R=$V", ["", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=1; unset V; R=${V-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "readonly V=1; R=$V; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a; R=${R}b; X=$R$R", ["ab", "abab"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1 R=$X", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { V=1; }; V=0; f; R=$V", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { f2() { R=in; }; }; f; f2", ["in", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset -f f; f() { R=1; }; unset -f f; f; X=$?", ["none", "127"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "nosuch; R=$?; /none/x; X=$?", ["127", "127"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(nosuch); X=$?", ["", "127"]),
            (&[Bash, Zsh], ": > /dev/null; R=$?; : < /none/x; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(cat <<Q\na $HOME\nQ\n)", ["a /home/odile", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(cat <<'Q'\na $HOME\nQ\n)", ["a $HOME", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval; R=$?; eval ' '; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 + 2 * 3)); X=$(( (1 + 2) * 3 ))", ["7", "9"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((5 % 3)); X=$((2 > 1 ? 7 : 8))", ["2", "7"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=3; R=$((V + 1)); X=$((V += 2))", ["4", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=~; X=~/b", ["/home/odile", "/home/odile/b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "alias a='R=1'; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'X=1' EXIT; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "exec 3>/dev/null; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${V:-a}; X=${V:+b}", ["a", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${V=c}; X=$V", ["c", "c"]),
            (&[Bash, Dash, Ksh, Mksh], "IFS=:; V=a:b; set -- $V; R=$#; X=$2", ["2", "b"]),
            (&[Zsh], "IFS=:; V=a:b; set -- $V; R=$#; X=$2", ["1", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "umask 022; R=$?; type nosuch >/dev/null 2>&1 || X=1", ["0", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "command -v nosuch; R=$?; command true; X=$?", ["1", "0"]),
            (&[Dash], "command -v nosuch; R=$?; command true; X=$?", ["127", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /; R=$PWD; X=$OLDPWD", ["/", "/home/odile"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /usr; cd ..; R=$PWD", ["/", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "getopts ab: R -a; X=$OPTIND", ["a", "2"]),
            (&[Zsh], "getopts ab: R -a; X=$OPTIND", ["a", "1"]),
        ]);
    }
}
