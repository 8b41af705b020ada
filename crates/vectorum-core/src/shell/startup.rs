//! What a shell reads before it runs its program, and what it sets by itself (measured: bash 5.2,
//! dash 0.5.12, zsh 5.9, ksh93u+m, mksh R59).

use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::branch::{self, Branch};
use super::content::{Content, Var};
use super::decided::Decided;
use super::frame::Boundary;
use super::handed::Handed;
use super::hooks::BEFORE_PROMPT;
use super::initial::state;
use super::known::{LOOKED_AT, Setting};
use super::log::Log;
use super::machine::{Ended, Machine, Outcome, Skipped};
use super::options::names::NO_BRACES;
use super::settled::{decided, settle};
use super::state::State;
use super::successor::Successor;
use super::syntax::Dialect;
use super::taken::{Taken, taken};
use super::touched::Touched;
use super::value::{Doubt, Val};
use crate::host_view::Kind;
use crate::route::{Account, Flavour, Ground, Held, Site, Variable};

/// What a shell is started for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Payload {
    /// `-c` with a command that it becomes: a simple one, and the last.
    Becomes,
    /// `-c` with a command that it runs as a child.
    Forks,
    /// `-c` with a command that is not known.
    Command,
    /// A script; and, to be followed itself, its file and the program before which it is left.
    Script(Option<(Bytes, Bytes)>),
    /// A terminal, at which a command is typed.
    Typed,
}

/// How a shell is started.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invocation {
    /// Which shell.
    pub dialect: Dialect,
    /// Its program; empty where that is not known.
    pub program: Bytes,
    /// Whether it is called by the name `sh`.
    pub as_sh: bool,
    /// Whether it is a login shell.
    pub is_login: bool,
    /// Whether it is interactive.
    pub is_interactive: bool,
    /// Whether its standard input is a socket.
    pub on_socket: bool,
    /// What it is started for.
    pub payload: Payload,
}

impl Invocation {
    /// A shell for a script or a text: nobody logs in by it, and nobody types.
    pub(super) fn for_script(dialect: Dialect, payload: Payload) -> Invocation {
        Invocation {
            dialect,
            program: Bytes::new(),
            as_sh: false,
            is_login: false,
            is_interactive: false,
            on_socket: false,
            payload,
        }
    }
}

/// A variable at the end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Last {
    /// Its value; `None` if it is not exported for certain.
    pub value: Val,
    /// Whether it may not be there at all.
    pub may_be_absent: bool,
    /// The line that decided it; `None` if the shell itself did.
    pub site: Option<Site>,
}

impl Last {
    /// A value is not known for certain where it may not be there.
    pub(super) fn new(value: Val, may_be_absent: bool, site: Option<Site>) -> Last {
        let value = match value {
            Val::Known(known) if may_be_absent => {
                Val::unknown(Doubt::new("the shell's files leave it open", None)).or_one_of(vec![known])
            }
            value => value,
        };
        Last { value, may_be_absent, site }
    }
}

impl From<Last> for Variable {
    fn from(last: Last) -> Variable {
        let Last { value, may_be_absent, site } = last;
        let held = Held::of(&value);
        let (could_be, site) = match value {
            Val::Unknown(text) => {
                let could_be = if matches!(held, Held::Unknown(_)) { text.could_be().to_vec() } else { Vec::new() };
                (could_be, text.doubt.site.clone().or(site))
            }
            Val::Known(_) => (Vec::new(), site),
        };
        let may_be_absent = may_be_absent && matches!(held, Held::Unknown(_));
        Variable { held, site, hop: None, could_be, may_be_absent }
    }
}

/// What a shell's files come to.
#[derive(Clone, Debug, Default)]
pub struct Started {
    /// What is handed on with a value that a line decided.
    pub(crate) decided: Arc<Decided>,
    /// What else is handed on, but for what was handed in and stayed as it was.
    pub changed: BTreeMap<Bytes, Last>,
    /// The names that were handed in and are not handed on.
    pub gone: Vec<(Bytes, Option<Site>)>,
    /// What is set in the shell at the end but not exported, with the line.
    pub kept: Vec<(Bytes, Site)>,
    /// Why other names may be handed on, too.
    pub open: Option<Arc<Doubt>>,
    /// Whether the shell ends before its program.
    pub ended: Ended,
    /// Where it ends.
    pub end: Option<Site>,
    /// What was set on the way.
    pub log: Arc<Log>,
    /// What was not reached.
    pub skipped: Vec<Skipped>,
    /// The files that were read.
    pub read: Vec<Bytes>,
    /// Those of them that the shell reads of itself.
    pub startup: Vec<Bytes>,
    /// The shell at which somebody types instead, which is handed all this.
    pub successor: Option<Successor>,
}

/// Follows a shell from its start to the program that it runs. `folder` is where it starts.
pub(crate) fn interpret(
    ground: Ground<'_>,
    account: &Account,
    start: &Handed,
    open: Option<Arc<Doubt>>,
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let mut begin = state(ground, account, start, folder, invocation);
    begin.open.clone_from(&open);
    let folder = Bytes::copy_from_slice(folder);
    // Only bash with a command asks whether it is the first one.
    let is_plain = !invocation.is_login && !invocation.is_interactive;
    let looked_at = LOOKED_AT.iter().map(|name| start.get(name).filter(|_| is_plain || *name != b"SHLVL")).collect();
    // What comes behind a command has no say in what is read before it.
    let payload = match &invocation.payload {
        Payload::Becomes | Payload::Forks => Payload::Command,
        other => other.clone(),
    };
    let invocation_before = Invocation { payload, ..invocation.clone() };
    let setting = Setting { invocation: invocation_before, account: account.clone(), folder, open, looked_at };
    let outcome = ground.shells.and_then(|s| s.find(&setting, &begin, ground.files)).unwrap_or_else(|| {
        let mut outcome = follow(ground, account, start, begin.fork(), &setting.invocation);
        outcome.decided = Arc::new(decided(&outcome, invocation.dialect));
        if let Some(shells) = ground.shells {
            shells.keep(setting, begin, &mut outcome);
        }
        outcome
    });
    settle(outcome, start, invocation)
}

/// What the kernel calls the shell's process (proc(5), `/proc/PID/comm`): the name of the file that was executed, cut off. Of
/// one that reads a script it is the script's, or its own.
fn process_name(invocation: &Invocation) -> Bytes {
    const LONGEST: usize = 15;
    if matches!(invocation.payload, Payload::Script(_)) {
        return Bytes::new();
    }
    let name = invocation.program.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    let end = invocation.program.len().min(name + LONGEST);
    invocation.program.slice(name..end)
}

/// Follows a shell's files from what it begins with.
fn follow(ground: Ground<'_>, account: &Account, start: &Handed, begin: State, invocation: &Invocation) -> Outcome {
    let flavour = Flavour::of(ground.files);
    let touched = Touched::new(ground.files, account);
    let mut machine = Machine::new(ground, &touched, account, invocation.dialect, begin);
    machine.is_interactive = invocation.is_interactive;
    machine.is_login = Some(invocation.is_login);
    machine.program = invocation.program.clone();
    machine.process_name = process_name(invocation);
    machine.as_sh = invocation.as_sh && invocation.dialect == Dialect::Zsh;
    // By that name braces mean nothing to it (measured: 93u+m).
    if invocation.as_sh && invocation.dialect == Dialect::Ksh {
        machine.put_option(NO_BRACES, true);
        if let Some(state) = &mut machine.live {
            state.options.insert("posix", Some(true));
        }
    }
    // Whatever starts a shell for an account calls it by its name, with a dash as a login shell (login(1), su(1), sshd(8)).
    let is_usual = matches!(&account.shell[..], b"/bin/bash" | b"/usr/bin/bash") && !invocation.as_sh;
    if invocation.dialect == Dialect::Bash && is_usual && !matches!(invocation.payload, Payload::Script(_)) {
        machine.called = &["-bash", "bash", "/bin/bash", "/usr/bin/bash", "-/bin/bash", "-/usr/bin/bash", "-su"];
    }
    if taken(start, invocation, account.uid == 0).iter().any(|(_, what)| *what == Taken::Refused) {
        machine.exit_or_go_on(&Doubt::new("the shell ends by what a variable holds that it is handed", None));
    }
    if invocation.dialect == Dialect::Bash {
        machine.adopt_options(start.get(b"SHELLOPTS"), start.get(b"BASHOPTS"), start.contains(b"POSIXLY_CORRECT"));
    }
    match invocation.dialect {
        Dialect::Bash => {
            machine.enter(Boundary::Start);
            bash(&mut machine, invocation, &flavour, start);
            machine.end();
            if invocation.as_sh {
                turn_posix(&mut machine, &invocation.payload);
            }
        }
        Dialect::Zsh if !invocation.as_sh => zsh(&mut machine, invocation, &flavour),
        _ => plain(&mut machine, invocation),
    }
    if let Some(state) = machine.live.as_mut().filter(|_| invocation.dialect == Dialect::Ksh) {
        part_words_as_ever(state);
    }
    if invocation.is_interactive {
        at_prompt(&mut machine);
        machine.succeed();
    }
    if let Payload::Script(Some((script, until))) = &invocation.payload {
        machine.until = Some(until.clone());
        machine.startup(script);
        // What stands behind the program is of no account. What does not come there ends before it; but what is not
        // followed to there may come there all the same.
        let rest = machine.live.take();
        machine.live = machine.stopped.take();
        if machine.live.is_none() {
            machine.live = rest.filter(|s| s.open.is_some());
        } else if let Some(frame) = machine.frames.first_mut() {
            frame.leave.add(rest, &Doubt::new(super::machine::PARTED, None));
        }
    }
    machine.finish()
}

impl Machine<'_> {
    /// Runs a startup file if it is there.
    fn startup(&mut self, path: &[u8]) {
        let is_there = !matches!(self.ground.files.kind(path), Kind::Missing | Kind::Folder | Kind::Other);
        if is_there && self.live.is_some() {
            self.startup.push(Bytes::copy_from_slice(path));
            self.run_file(path, Boundary::Startup);
        }
    }

    /// Returns a file in the home folder, as the shell sees it now; `None` if that is not known.
    fn at_home(&mut self, name: &str) -> Option<Bytes> {
        match self.content_of(b"HOME") {
            Content::Set(Val::Known(home)) if !home.is_empty() || self.dialect == Dialect::Bash => {
                Some([&home[..], b"/", name.as_bytes()].concat().into())
            }
            Content::Unset | Content::Set(Val::Known(_)) => match self.dialect {
                Dialect::Bash | Dialect::Zsh => Some([&self.account.home[..], b"/", name.as_bytes()].concat().into()),
                _ => Some(Bytes::from_static(b"/nowhere/nothing")),
            },
            _ => {
                self.fog("the home folder is not known, and so neither are its startup files");
                None
            }
        }
    }

    fn home_file(&mut self, name: &str) {
        if let Some(path) = self.at_home(name) {
            self.startup(&path);
        }
    }

    /// The file that a variable names, after expansion.
    fn named_file(&mut self, name: &[u8], expands: bool) {
        match self.content_of(name) {
            Content::Unset => {}
            Content::Set(Val::Known(text)) if text.is_empty() => {}
            Content::Set(Val::Known(text)) => {
                let path = if expands && text.iter().any(|b| b"$`~\\\"'".contains(b)) {
                    let quoted = Bytes::from([b"_=".as_slice(), &text].concat());
                    let mut parser = super::parse::Parser::new(&quoted, self.dialect);
                    let word = parser
                        .next_line()
                        .ok()
                        .flatten()
                        .and_then(|l| l.items.into_iter().next())
                        .and_then(|i| i.first.commands.into_iter().next());
                    let value = match word.map(|c| c.kind) {
                        Some(super::syntax::Kind::Simple(assignments, words)) if words.is_empty() => {
                            match assignments.into_iter().next().map(|a| a.value) {
                                Some(super::syntax::Assigned::Word(word)) => Some(self.assigned_word(&word)),
                                _ => None,
                            }
                        }
                        _ => None,
                    };
                    value.and_then(|v| v.known().cloned())
                } else {
                    Some(text)
                };
                match path.and_then(|p| self.full(&p)) {
                    Some(path) => self.startup(&path),
                    None => self.fog("a startup file is read whose name is not known"),
                }
            }
            _ => self.fog("a startup file is read whose name is not known"),
        }
    }

    pub(super) fn finish(mut self) -> Outcome {
        let why = Doubt::new(super::machine::PARTED, None);
        let frame = self.frames.drain(..).next();
        let (left, spent) = frame.map_or((None, None), |mut frame| (frame.leave.take(), frame.next.take()));
        let state = branch::join(self.live.take(), spent, &why);
        let ended = Ended::of(state.is_some(), left.is_some());
        let Machine { end, log, skipped, read, startup, succession, .. } = self;
        let successor = succession.into_one();
        Outcome { state, ended, end, log: Arc::new(log), decided: Arc::default(), skipped, read, startup, successor }
    }
}

fn bash(machine: &mut Machine<'_>, invocation: &Invocation, flavour: &Flavour, start: &Handed) {
    if invocation.as_sh {
        if invocation.is_login {
            machine.startup(b"/etc/profile");
            machine.home_file(".profile");
        }
        if invocation.is_interactive {
            machine.named_file(b"ENV", true);
        }
        return;
    }
    if invocation.is_login {
        machine.startup(b"/etc/profile");
        for name in [".bash_profile", ".bash_login", ".profile"] {
            let Some(path) = machine.at_home(name) else { break };
            // What is there blocks the others, whether it can be read or not.
            if machine.ground.files.kind(&path) != Kind::Missing {
                machine.startup(&path);
                break;
            }
        }
    } else if invocation.is_interactive {
        rc_files(machine, flavour);
    } else if matches!(invocation.payload, Payload::Becomes | Payload::Forks | Payload::Command) {
        // A shell that it takes for one on a network.
        let first = match start.get(b"SHLVL") {
            None => Some(true),
            Some((Val::Known(level), false)) => {
                Some(level == "0" || std::str::from_utf8(&level).is_ok_and(|l| l.trim().parse::<i64>().is_ok_and(|n| n < 1)))
            }
            Some(_) => None,
        };
        let handed = |name: &[u8]| machine.live.as_ref().is_some_and(|s| s.vars.contains(name));
        let remote = invocation.on_socket
            || flavour.bash_reads_over_ssh && ["SSH_CLIENT", "SSH2_CLIENT"].iter().any(|n| handed(n.as_bytes()));
        match first {
            Some(true) if remote => return rc_files(machine, flavour),
            None if remote => machine.fog("whether bash is started over a network is not known"),
            _ => {}
        }
    }
    if !invocation.is_interactive {
        machine.named_file(b"BASH_ENV", true);
    }
}

fn rc_files(machine: &mut Machine<'_>, flavour: &Flavour) {
    if let Some(path) = flavour.bash_bashrc {
        machine.startup(path.as_bytes());
    }
    machine.home_file(".bashrc");
}

fn plain(machine: &mut Machine<'_>, invocation: &Invocation) {
    if invocation.is_login {
        machine.startup(b"/etc/profile");
        machine.home_file(".profile");
    }
    if !invocation.is_interactive {
        return;
    }
    match machine.dialect {
        Dialect::Ksh => machine.startup(b"/etc/ksh.kshrc"),
        Dialect::Dash | Dialect::Zsh => return machine.named_file(b"ENV", true),
        _ => {}
    }
    match machine.content_of(b"ENV") {
        // There none is named by an empty one, either (measured: R59).
        Content::Set(Val::Known(file)) if file.is_empty() && machine.dialect == Dialect::Mksh => machine.home_file(".mkshrc"),
        Content::Unset => machine.home_file(if machine.dialect == Dialect::Ksh { ".kshrc" } else { ".mkshrc" }),
        _ => machine.named_file(b"ENV", machine.dialect == Dialect::Ksh),
    }
}

fn zsh(machine: &mut Machine<'_>, invocation: &Invocation, flavour: &Flavour) {
    let kinds = [
        ("zshenv", true),
        ("zprofile", invocation.is_login),
        ("zshrc", invocation.is_interactive),
        ("zlogin", invocation.is_login),
    ];
    let off = |m: &Machine<'_>, name: &str| m.live.as_ref().is_some_and(|s| s.option(name) == Some(true));
    for (name, is_read) in kinds {
        if !is_read {
            continue;
        }
        if !off(machine, "norcs") && !off(machine, "noglobalrcs") {
            machine.startup([flavour.zsh_folder, "/", name].concat().as_bytes());
        }
        if off(machine, "norcs") {
            continue;
        }
        match machine.content_of(b"ZDOTDIR") {
            Content::Unset => machine.home_file(&format!(".{name}")),
            Content::Set(Val::Known(folder)) => {
                let folder = if folder.is_empty() { Bytes::from_static(b"/") } else { folder };
                let path = [&folder[..], b"/.", name.as_bytes()].concat();
                match machine.full(&path) {
                    Some(path) => machine.startup(&path),
                    None => machine.fog("a startup file is read whose name is not known"),
                }
            }
            _ => machine.fog("where zsh looks for its startup files is not known"),
        }
    }
}

/// What an interactive shell runs before its prompt.
fn at_prompt(machine: &mut Machine<'_>) {
    if machine.live.is_none() {
        return;
    }
    let all = machine.live.as_ref().is_some_and(|s| s.option("allexport") != Some(false));
    // What bash sets by itself once its files are read is exported, too, if all is.
    if machine.dialect == Dialect::Bash && all {
        [&b"HISTSIZE"[..], b"HISTFILESIZE", b"HISTFILE"].iter().for_each(|name| machine.doubt_export(name));
    }
    if machine.dialect == Dialect::Ksh && all && matches!(machine.content_of(b"PS1"), Content::Unset) {
        let doubt = machine.doubt("the shell sets its prompt by itself");
        machine.assign(b"PS1", Content::Perhaps(Val::unknown(doubt)), None);
        machine.doubt_export(b"PS1");
    }
    match machine.dialect {
        Dialect::Bash => match machine.content_of(b"PROMPT_COMMAND") {
            Content::Unset => {}
            Content::Set(value) => machine.run_text(&value),
            Content::Array(values) => values.iter().for_each(|v| machine.run_text(v)),
            Content::Perhaps(_) | Content::Table(_) => machine.fog(BEFORE_PROMPT),
        },
        Dialect::Zsh => machine.before_prompt(),
        _ => {}
    }
}

impl Machine<'_> {
    fn run_text(&mut self, value: &Val) {
        match value {
            Val::Known(text) => {
                let place = self.read.last().cloned().unwrap_or_default();
                let source = super::Source { fixed: Some(0), ..super::Source::new(place, text.clone()) };
                self.run_source(&Arc::new(source), Boundary::Text);
            }
            Val::Unknown(_) => self.fog(BEFORE_PROMPT),
        }
    }
}

/// What parts words in ksh is as ever once its files are read, whatever they made of it (measured: 93u+m).
fn part_words_as_ever(state: &mut State) {
    let usual = Content::Set(Val::of(b" \t\n"));
    if state.vars.get(b"IFS").is_some_and(|var| var.content == usual) {
        return;
    }
    // One that was unset is handed on where all is.
    let may_be_handed_on = state.option("allexport") != Some(false);
    let var = state.vars.get_or_insert_with(b"IFS", Var::unset);
    if may_be_handed_on && var.content == Content::Unset {
        var.exported = None;
    }
    var.content = usual;
}

/// bash is another shell by the name `sh`, and says so, once its files are read (bash(1), «INVOCATION»; measured: 5.2).
fn turn_posix(machine: &mut Machine<'_>, payload: &Payload) {
    let Some(state) = &mut machine.live else { return };
    let all = state.option("allexport");
    let var = state.vars.get_or_insert_with(b"POSIXLY_CORRECT", Var::unset);
    if !var.readonly {
        var.content = Content::Set(Val::of("y"));
        var.exported =
            if var.exported == Some(true) || all == Some(true) { Some(true) } else { var.exported.filter(|_| all.is_some()) };
        var.site = None;
    }
    state.options.insert("posix", Some(true));
    if matches!(payload, Payload::Script(Some(_))) {
        machine.fog(super::options::IN_ANOTHER_WAY);
    }
}
