//! fish (3.6.0), which has a grammar and scopes of its own. A file is read whole before any of it runs.

mod argparse;
mod commands;
mod control;
mod export;
mod functions;
#[cfg(test)]
mod grammar;
mod leaving;
mod misplaced;
mod options;
mod parse;
mod path;
mod pipes;
mod programs;
mod read;
mod redirect;
mod set;
mod sourcing;
mod startup;
mod test;
mod text;
mod words;

pub(super) use parse::{Jobs, read};
pub(crate) use set::set_beyond;
pub(super) use startup::Setting;
pub(crate) use startup::{interpret, taken_in};

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use bytes::Bytes;

use self::functions::Named;
use self::leaving::{Frame, Leaves};
use self::misplaced::is_misplaced;
use self::options::{Letter, Options, SCOPES};
use self::parse::{Job, Joint, Kinds, NO_COMMAND, Parser, Part, Word};
use self::startup::Manner;
use super::Source;
use super::ahead;
use super::around::Around;
use super::branch::{self, Branch, Left};
use super::foggy::Fogged;
use super::handed::Handed;
use super::layers::Layers;
use super::log::Log;
use super::machine::{Assigned, Ended, MOST_NESTED, Outcome, Skipped};
use super::pattern::{Groups, Pattern};
use super::program::content;
use super::startup::{Invocation, Last, Payload, Started};
use super::steps::Steps;
use super::streams::{BESIDE, Goes, Written, digit};
use super::touched::Touched;
use super::value::{Doubt, Unknown, Val};
use super::vars::{For, Start, Stored, Vars};
use crate::host_view::{Content, HostView, Kind, Want};
use crate::route::{Account, Ground, Held, Site};

/// What is done at most before the rest is said to be unknown.
const STEPS: usize = 30_000;
const DEEPEST: usize = 40;

/// Where the functions lie that come with fish.
const SHARED: &[u8] = b"/usr/share/fish/functions/";

// What is known.

#[derive(Clone, Debug, PartialEq, Eq)]
struct Var {
    items: Result<Vec<Val>, Arc<Doubt>>,
    /// `None` where that is not known.
    exported: Option<bool>,
    is_path: bool,
    /// Whether it may be a path or not, however it is here: then it holds no more than one item that is known.
    may_be_path: bool,
    /// Whether it may not be there.
    is_perhaps: bool,
    site: Option<Site>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kept {
    Universal,
    Global,
    Function,
    Block,
}

impl Fogged for Var {
    fn fogged(self, why: &Arc<Doubt>) -> Var {
        Var { items: Err(why.clone()), exported: None, is_perhaps: true, site: None, ..self }
    }
}

impl Stored for Var {
    fn handed(name: &[u8], value: Val, is_perhaps: bool) -> Option<Var> {
        let is_path = is_path_by_name(name);
        let items = match value {
            Val::Known(text) if is_path => Ok(text.split(|b| *b == b':').map(Val::of).collect()),
            Val::Unknown(text) if is_path => Err(text.doubt),
            value => Ok(vec![value]),
        };
        Some(Var { items, exported: Some(true), is_path, may_be_path: false, is_perhaps, site: None })
    }

    fn is_plain(&self, name: &[u8]) -> bool {
        self.exported == Some(true) && !self.is_perhaps && self.is_path == is_path_by_name(name)
    }

    fn is_handed_plain(may_be_absent: bool) -> bool {
        !may_be_absent
    }

    fn without_value(&self) -> Var {
        Var { items: Ok(Vec::new()), site: self.site.clone(), ..*self }
    }
}

/// Whether a variable of this name is a list of folders unless something else is said.
fn is_path_by_name(name: &[u8]) -> bool {
    name.ends_with(b"PATH")
}

#[derive(Debug, PartialEq)]
struct Scope {
    kind: Kept,
    vars: Vars<Var>,
}

#[derive(Debug, PartialEq)]
pub(super) struct State {
    scopes: Vec<Scope>,
    functions: Layers<Named>,
    status: Result<u8, Arc<Doubt>>,
    open: Option<Arc<Doubt>>,
    output: Written,
    input: Input,
    /// Whether the last command was refused before it ran: there is no such program, or its words were wrong.
    refused: Refused,
    /// Whether a file could not be opened by which the last command was redirected, which then was not run either.
    unopened: Refused,
}

/// Whether a command was refused.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Refused {
    No,
    Yes,
    Perhaps,
}

impl Refused {
    /// What is known where one of two ways was taken.
    fn or(self, other: Refused) -> Refused {
        if self == other { self } else { Refused::Perhaps }
    }
}

/// What a command would read that reads.
#[derive(Clone, Debug, PartialEq)]
struct Input {
    text: Val,
    /// Whether it comes from a pipe or a file that is named.
    is_given: bool,
}

impl Default for Input {
    fn default() -> Input {
        Input { text: Val::filled("what is read is not known"), is_given: false }
    }
}

struct Fish<'a> {
    ground: Ground<'a>,
    /// The files, which `ground` shows, with what was written to: what those hold is not known.
    touched: &'a Touched<'a>,
    account: &'a Account,
    manner: &'a Manner,
    live: Option<State>,
    /// What can be left from within.
    frames: Vec<Frame>,
    /// Whether the last command was none.
    /// How many commands lie around the one that runs.
    nested: usize,
    /// How many outputs are taken in.
    captures: usize,
    /// The shells at which somebody may type instead.
    succession: super::successor::Succession,
    /// Where the shell was last seen to end.
    end: Option<Site>,
    /// Names that something may set at any time.
    restless: BTreeSet<Bytes>,
    source: Arc<Source>,
    at: usize,
    steps: Steps,
    /// How the line that runs came to be run.
    around: Around,
    /// Whether a pattern that names no file brings nothing, and is no error.
    may_be_empty: bool,
    depth: usize,
    quiet: usize,
    log: Log,
    read: Vec<Bytes>,
    skipped: Vec<Skipped>,
    until: Option<Bytes>,
    stopped: Left<State>,
    /// What the function that runs was given, and where: a value that is only handed on comes from there.
    given: Option<(Vec<Val>, Site)>,
}

/// What is known of a variable that is one thing or another.
fn join_var(x: &Var, y: &Var, why: &Arc<Doubt>) -> Var {
    let items = match (&x.items, &y.items) {
        (Ok(p), Ok(q)) if p == q => Ok(p.clone()),
        (Ok(p), Ok(q)) if p.len() == q.len() => Ok(p.iter().zip(q).map(|(p, q)| p.join(q, why)).collect()),
        _ => Err(why.clone()),
    };
    let may_be_path = x.may_be_path || y.may_be_path || x.is_path != y.is_path;
    Var {
        // As one or as the other they are joined by other signs.
        items: items.and_then(|items: Vec<Val>| if may_be_path && items.len() > 1 { Err(why.clone()) } else { Ok(items) }),
        may_be_path,
        exported: if x.exported == y.exported { x.exported } else { None },
        is_path: x.is_path,
        is_perhaps: x.is_perhaps || y.is_perhaps,
        site: y.site.clone().or_else(|| x.site.clone()),
    }
}

impl Scope {
    fn take_in(&mut self, other: &Scope, last: Option<&Scope>, why: &Arc<Doubt>) {
        self.vars.join(&other.vars, last.map(|scope| &scope.vars), |x, y| match (x, y) {
            (Some(x), Some(y)) => Some(join_var(x, y, why)),
            // Where it is set once more it is a path if it was there.
            (Some(one), None) | (None, Some(one)) => {
                let may_be_path = one.may_be_path || one.is_path;
                Some(Var { is_perhaps: true, may_be_path, ..one.clone() })
            }
            (None, None) => None,
        });
    }
}

impl Branch for State {
    fn fork(&mut self) -> State {
        let scopes = self.scopes.iter_mut().map(|s| Scope { kind: s.kind, vars: s.vars.fork() });
        State {
            scopes: scopes.collect(),
            functions: self.functions.fork(),
            status: self.status.clone(),
            open: self.open.clone(),
            output: self.output.clone(),
            input: self.input.clone(),
            refused: self.refused,
            unopened: self.unopened,
        }
    }

    fn take_in(&mut self, other: &State, last: Option<&State>, why: &Arc<Doubt>) {
        for (depth, (one, two)) in self.scopes.iter_mut().zip(&other.scopes).enumerate() {
            one.take_in(two, last.and_then(|state| state.scopes.get(depth)), why);
        }
        self.functions.join(&other.functions, last.map(|state| &state.functions), || Named::Unclear);
        if self.status != other.status {
            self.status = Err(why.clone());
        }
        self.output.join(&other.output, why);
        if self.input != other.input {
            self.input = Input::default();
        }
        self.refused = self.refused.or(other.refused);
        self.unopened = self.unopened.or(other.unopened);
        if self.open.is_none() {
            self.open.clone_from(&other.open);
        }
    }
}

const PARTED: &str = "a condition decides that cannot be told";

/// How names begin that fish sets by itself.
const OWN_PREFIXES: &[&[u8]] = &[
    b"__fish",
    b"fish_color",
    b"fish_pager",
    b"fish_complete_path",
    b"fish_function_path",
    b"fish_key_bindings",
    b"fish_bind_mode",
    b"fish_features",
    b"fish_term",
    b"fish_killring",
    b"fish_handle",
    b"status_generation",
];

/// So many lines are noted that are not reached.
const MOST_SKIPPED: usize = 2000;

impl State {
    /// Makes unknown what is not what it was before.
    fn widen(&mut self, before: &State, why: &Arc<Doubt>) {
        for (scope, old) in self.scopes.iter_mut().zip(&before.scopes) {
            for name in scope.vars.parted(&old.vars) {
                let (Some(var), was) = (scope.vars.get(&name), old.vars.get(&name)) else { continue };
                if was.as_ref() != Some(&var) {
                    let is_perhaps = var.is_perhaps || was.is_none();
                    let var = Var { items: Err(why.clone()), is_perhaps, ..var.into_owned() };
                    scope.vars.insert(name, var);
                }
            }
        }
    }

    /// What was handed in, with what became of it.
    fn globals(&self) -> Option<&Vars<Var>> {
        self.scopes.iter().find(|scope| scope.kind == Kept::Global).map(|scope| &scope.vars)
    }

    /// Whether what follows from beginning like this follows from beginning like another.
    pub(super) fn is_alike(&self, other: &State) -> bool {
        self.globals().zip(other.globals()).is_some_and(|(one, two)| one.is_asked_alike(two))
    }

    /// Takes the changes for those from another start.
    pub(super) fn begin_from(&mut self, other: &State) {
        let globals = self.scopes.iter_mut().filter(|scope| scope.kind == Kept::Global);
        globals.zip(other.globals()).for_each(|(scope, begin)| scope.vars.begin_from(begin));
    }
}

impl Fish<'_> {
    fn here(&self) -> Site {
        Site { path: self.source.path.clone(), line: self.source.line(self.at) }
    }

    fn doubt(&self, why: &'static str) -> Arc<Doubt> {
        Doubt::new(why, Some(self.here()).filter(|s| !s.path.is_empty()))
    }

    fn fog(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        if let Some(state) = &mut self.live {
            state.scopes.iter_mut().for_each(|scope| scope.vars.fog(&doubt));
            // Who knows what it prints.
            state.output.doubt_all(&doubt);
            state.open.get_or_insert(doubt.clone());
            state.status = Err(doubt);
            state.refused = Refused::Perhaps;
        }
    }

    fn set_status(&mut self, status: u8) {
        if let Some(state) = &mut self.live {
            state.status = Ok(status);
            state.refused = Refused::No;
        }
    }

    /// A command is not run: what is to become of its output is not done either.
    fn refuse(&mut self, status: u8) {
        self.complain();
        self.set_status(status);
        if let Some(state) = &mut self.live {
            state.refused = Refused::Yes;
        }
    }

    /// A command was run, whatever was refused within it.
    fn ran(&mut self) {
        if let Some(state) = &mut self.live {
            state.refused = Refused::No;
        }
    }

    fn doubt_status(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        if let Some(state) = &mut self.live {
            state.status = Err(doubt);
            state.refused = Refused::No;
        }
    }

    fn succeeded(&self) -> Result<bool, Arc<Doubt>> {
        self.live.as_ref().map_or(Ok(true), |s| s.status.clone().map(|status| status == 0))
    }

    fn get(&self, name: &[u8]) -> Option<Cow<'_, Var>> {
        self.live.as_ref()?.scopes.iter().rev().find_map(|s| s.vars.get(name))
    }

    fn items(&self, name: &[u8]) -> Result<Vec<Val>, Arc<Doubt>> {
        if name == b"status"
            && let Some(state) = &self.live
        {
            let status = match &state.status {
                Ok(status) => Val::of(status.to_string()),
                Err(doubt) => doubt.number(),
            };
            return Ok(vec![status]);
        }
        if self.restless.contains(name) {
            return Err(self.doubt("what runs at an event may set it"));
        }
        match self.get(name) {
            Some(var) if var.is_perhaps => Err(self.doubt("whether the name is set is not known")),
            Some(var) => var.into_owned().items,
            None => match self.live.as_ref().and_then(|s| s.open.clone()) {
                Some(doubt) => Err(doubt),
                None if matches!(
                    name,
                    b"pipestatus"
                        | b"hostname"
                        | b"version"
                        | b"FISH_VERSION"
                        | b"fish_pid"
                        | b"last_pid"
                        | b"COLUMNS"
                        | b"LINES"
                        | b"history"
                        | b"CMD_DURATION"
                ) =>
                {
                    Ok(vec![Val::filled("fish sets it by itself")])
                }
                None if name == b"EUID" => Ok(vec![Val::of(self.account.uid.to_string())]),
                None if name == b"IFS" => Ok(vec![Val::of(b"\n \t")]),
                None if matches!(name, b"umask" | b"status_generation" | b"fish_kill_signal") => {
                    Ok(vec![Val::filled("fish sets it by itself")])
                }
                None if name != b"__fish_added_user_paths" && OWN_PREFIXES.iter().any(|p| name.starts_with(p)) => {
                    Err(self.doubt("fish sets it by itself"))
                }
                None => Ok(Vec::new()),
            },
        }
    }

    fn spent(&mut self) -> bool {
        if self.steps.take() {
            self.fog("following the startup files takes too long");
        }
        self.steps.is_spent() || self.live.is_none()
    }

    /// Has files read that are taken in one after the other.
    fn read_ahead(&self, paths: impl Iterator<Item = Vec<u8>>) {
        let Some(shells) = self.ground.shells else { return };
        let files = paths.filter_map(|path| match content(self.ground, self.account, &path) {
            Content::Bytes(text) => Some(shells.source(None, &path, text)),
            _ => None,
        });
        ahead::read(None, files.collect());
    }

    fn run_file(&mut self, path: &[u8], arguments: Option<&[Val]>) {
        match content(self.ground, self.account, path) {
            Content::Bytes(text) => {
                self.read.push(Bytes::copy_from_slice(path));
                let source = match self.ground.shells {
                    Some(shells) => shells.source(None, path, text),
                    None => Arc::new(Source::new(Bytes::copy_from_slice(path), text)),
                };
                self.run_source(&source, arguments);
            }
            Content::Denied => self.runs_anything("a file that is run may not be read"),
            Content::Missing => self.set_status(1),
        }
    }

    /// Runs a text as a file: it can be left, and has a scope of its own, and arguments where it is taken in.
    fn run_source(&mut self, source: &Arc<Source>, arguments: Option<&[Val]>) {
        self.push(Kept::Block);
        if let Some(arguments) = arguments {
            self.put(b"argv", Some(Kept::Block), arguments.to_vec(), None, None);
        }
        self.framed(Leaves::File, |m| m.run_text(source, false));
        self.pop();
    }

    /// Runs what a file or a text says, which `eval` may be given.
    fn run_text(&mut self, source: &Arc<Source>, is_evaluated: bool) {
        if self.depth > DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        self.depth += 1;
        let outer = (std::mem::replace(&mut self.source, source.clone()), self.at);
        match source.jobs() {
            Ok(jobs) if source.fixed.is_none() && !self.is_in_loop() && is_misplaced(&source.text, jobs) => self.set_status(1),
            Ok(jobs) => self.run(jobs),
            // Nothing of a wrong file runs, nor of what `eval` is given.
            // What that runs of such a text is its own affair.
            Err(trouble) if trouble.is_error && is_evaluated && trouble.what == NO_COMMAND => self.fog(NO_COMMAND),
            Err(trouble) if trouble.is_error && is_evaluated && source.text.contains(&b'$') => {
                self.doubt_status("how a text ends that cannot be read");
            }
            Err(trouble) if trouble.is_error => self.set_status(if is_evaluated { 123 } else { 1 }),
            Err(trouble) => {
                self.at = trouble.at;
                self.fog(trouble.what);
            }
        }
        (self.source, self.at) = outer;
        self.depth -= 1;
    }

    fn push(&mut self, kind: Kept) {
        if let Some(state) = &mut self.live {
            state.scopes.push(Scope { kind, vars: Vars::default() });
        }
    }

    fn pop(&mut self) {
        if let Some(state) = &mut self.live {
            state.scopes.pop();
        }
    }

    /// Runs something that a line runs in its place.
    fn through(&mut self, run: impl FnOnce(&mut Self)) {
        let inner = self.around.through(self.here());
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Whether what is written by some of these may be taken up.
    fn is_taken(&self, numbers: &[usize]) -> bool {
        self.live.as_ref().is_some_and(|state| state.output.is_taken(numbers))
    }

    fn print(&mut self, text: Val) {
        if !self.is_taken(&[1]) {
            return;
        }
        let doubt = self.doubt("what a command prints");
        if let Some(state) = &mut self.live {
            state.output.write(1, text, &doubt);
        }
    }

    fn doubt_written(&mut self, numbers: &[usize], why: &'static str) {
        if self.is_taken(numbers) {
            let doubt = self.doubt(why);
            self.live.iter_mut().for_each(|state| state.output.doubt_by(numbers, &doubt));
        }
    }

    /// Something may be said of an error.
    fn complain(&mut self) {
        self.doubt_written(&[2], "what is said of an error");
    }

    /// A program may write by any number but 1, of which that is told otherwise.
    fn write_perhaps_beside(&mut self) {
        self.doubt_written(&BESIDE, "what a program writes");
    }

    /// A path from the root, as far as the working folder is known.
    fn full(&self, path: &[u8]) -> Bytes {
        if path.first() == Some(&b'/') {
            return Bytes::copy_from_slice(path);
        }
        let folder = self.items(b"PWD").ok().and_then(|i| i.first().and_then(|v| v.known().cloned()));
        match folder {
            Some(folder) => [&folder[..], b"/", path].concat().into(),
            // It does not begin at the root: nobody knows what is there.
            None => Bytes::copy_from_slice(path),
        }
    }

    fn config(&self) -> Vec<u8> {
        let item = |name: &[u8]| {
            self.items(name).ok().and_then(|i| i.first().and_then(|v| v.known().cloned())).filter(|v| !v.is_empty())
        };
        match item(b"XDG_CONFIG_HOME") {
            Some(folder) => [&folder[..], b"/fish"].concat(),
            None => [&item(b"HOME").unwrap_or_else(|| self.account.home.clone())[..], b"/.config/fish"].concat(),
        }
    }
}

fn both(left: &Val, right: &Val) -> Val {
    match (left, right) {
        (Val::Known(a), Val::Known(b)) => Val::Known([&a[..], b].concat().into()),
        (Val::Known(a), unknown) if a.is_empty() => unknown.clone(),
        (unknown, Val::Known(b)) if b.is_empty() => unknown.clone(),
        (Val::Unknown(unknown), _) | (_, Val::Unknown(unknown)) => {
            // Ends of lines are taken away again where it is printed.
            let fills = |val: &Val| match val {
                Val::Known(text) => text.iter().any(|b| *b != b'\n'),
                Val::Unknown(text) => text.is_filled,
            };
            let is_filled = fills(left) || fills(right);
            Val::Unknown(unknown.another(is_filled))
        }
    }
}

fn joined(items: &[Val], by: &[u8]) -> Val {
    let known: Option<Vec<&[u8]>> = items.iter().map(|item| item.known().map(|text| &text[..])).collect();
    match known {
        Some(known) => Val::Known(known.join(by).into()),
        None => {
            let separated = items.iter().enumerate().flat_map(|(at, item)| {
                let separator = (at > 0).then(|| Val::of(by));
                separator.into_iter().chain([item.clone()])
            });
            separated.fold(Val::of(b""), |out, item| both(&out, &item))
        }
    }
}
