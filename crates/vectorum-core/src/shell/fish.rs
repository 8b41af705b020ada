//! fish (3.6.0), which has a grammar and scopes of its own. A file is read whole before any of it runs.

mod commands;
mod parse;
mod set;
mod startup;
mod words;

pub(crate) use startup::{interpret, taken_in};

use std::collections::BTreeMap;
use std::rc::Rc;

use bytes::Bytes;

use self::parse::{Job, Joint, Kinds, Parser, Part, Redirect, Word};
use self::words::string;
use super::Source;
use super::around::Around;
use super::machine::{Assigned, Ended, Skipped};
use super::outputs::PRINTED;
use super::pattern::{Groups, Pattern};
use super::startup::{Invocation, Last, Payload, Start, Started};
use super::value::{Doubt, Val};
use crate::host_view::{Content, Kind};
use crate::route::{Account, Ground, Site};

/// What is done at most before the rest is said to be unknown.
const STEPS: usize = 30_000;
const DEEPEST: usize = 40;

// What is known.

#[derive(Clone, Debug, PartialEq, Eq)]
struct Var {
    items: Result<Vec<Val>, Rc<Doubt>>,
    /// `None` where that is not known.
    exported: Option<bool>,
    is_path: bool,
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

#[derive(Clone, Debug, PartialEq)]
struct Scope {
    kind: Kept,
    vars: BTreeMap<Bytes, Var>,
}

#[derive(Clone)]
struct Function {
    body: Rc<Vec<Job>>,
    source: Rc<Source>,
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        Rc::ptr_eq(&self.body, &other.body)
    }
}

#[derive(Clone, PartialEq)]
struct State {
    scopes: Vec<Scope>,
    functions: BTreeMap<Bytes, Option<Function>>,
    status: Result<u8, Rc<Doubt>>,
    open: Option<Rc<Doubt>>,
    output: Option<Val>,
}

struct Fish<'a> {
    ground: Ground<'a>,
    account: &'a Account,
    invocation: &'a Invocation,
    live: Option<State>,
    /// States in which the function, the file or the shell was left.
    left: Vec<(bool, Option<State>)>,
    source: Rc<Source>,
    at: usize,
    steps: usize,
    /// How the line that runs came to be run.
    around: Around,
    /// Whether a pattern that names no file brings nothing, and is no error.
    may_be_empty: bool,
    depth: usize,
    quiet: usize,
    log: Vec<Assigned>,
    read: Vec<Bytes>,
    skipped: Vec<Skipped>,
    until: Option<Bytes>,
    stopped: Option<State>,
    /// What the function that runs was given, and where: a value that is only handed on comes from there.
    given: Option<(Vec<Val>, Site)>,
}

fn join(a: Option<State>, b: Option<State>, why: &Rc<Doubt>) -> Option<State> {
    let (Some(mut a), Some(b)) = (a.clone(), b.clone()) else { return a.or(b) };
    if a == b {
        return Some(a);
    }
    for (one, other) in a.scopes.iter_mut().zip(&b.scopes) {
        let names: Vec<Bytes> = one.vars.keys().chain(other.vars.keys()).cloned().collect();
        for name in names {
            match (one.vars.get(&name).cloned(), other.vars.get(&name)) {
                (Some(x), Some(y)) if x == *y => {}
                (Some(x), Some(y)) => {
                    let items = match (&x.items, &y.items) {
                        (Ok(p), Ok(q)) if p == q => Ok(p.clone()),
                        (Ok(p), Ok(q)) if p.len() == q.len() => Ok(p.iter().zip(q).map(|(p, q)| p.join(q, why)).collect()),
                        _ => Err(why.clone()),
                    };
                    let exported = if x.exported == y.exported { x.exported } else { None };
                    let var = Var {
                        items,
                        exported,
                        is_path: x.is_path,
                        is_perhaps: x.is_perhaps || y.is_perhaps,
                        site: y.site.clone().or(x.site),
                    };
                    one.vars.insert(name, var);
                }
                (Some(x), None) => {
                    one.vars.insert(name, Var { is_perhaps: true, ..x });
                }
                (None, Some(y)) => {
                    one.vars.insert(name, Var { is_perhaps: true, ..y.clone() });
                }
                (None, None) => {}
            }
        }
    }
    let names: Vec<Bytes> = a.functions.keys().chain(b.functions.keys()).cloned().collect();
    for name in names {
        if a.functions.get(&name) != b.functions.get(&name) {
            a.functions.insert(name, None);
        }
    }
    if a.status != b.status {
        a.status = Err(why.clone());
    }
    a.output = match (a.output, b.output) {
        (Some(x), Some(y)) => Some(x.join(&y, why)),
        _ => None,
    };
    a.open = a.open.or(b.open);
    Some(a)
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
    fn widen(&mut self, before: &State, why: &Rc<Doubt>) {
        for (scope, old) in self.scopes.iter_mut().zip(&before.scopes) {
            for (name, var) in &mut scope.vars {
                if old.vars.get(name) != Some(var) {
                    var.items = Err(why.clone());
                    var.is_perhaps |= !old.vars.contains_key(name);
                }
            }
        }
    }
}

impl Fish<'_> {
    fn here(&self) -> Site {
        Site { path: self.source.path.clone(), line: self.source.line(self.at) }
    }

    fn doubt(&self, why: &'static str) -> Rc<Doubt> {
        Doubt::new(why, Some(self.here()).filter(|s| !s.path.is_empty()))
    }

    fn fog(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        if let Some(state) = &mut self.live {
            for var in state.scopes.iter_mut().flat_map(|s| s.vars.values_mut()) {
                *var = Var { items: Err(doubt.clone()), exported: None, is_path: var.is_path, is_perhaps: true, site: None };
            }
            state.open.get_or_insert(doubt.clone());
            state.status = Err(doubt);
        }
    }

    fn set_status(&mut self, status: u8) {
        if let Some(state) = &mut self.live {
            state.status = Ok(status);
        }
    }

    fn doubt_status(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        if let Some(state) = &mut self.live {
            state.status = Err(doubt);
        }
    }

    fn succeeded(&self) -> Result<bool, Rc<Doubt>> {
        self.live.as_ref().map_or(Ok(true), |s| s.status.clone().map(|status| status == 0))
    }

    fn get(&self, name: &[u8]) -> Option<&Var> {
        self.live.as_ref()?.scopes.iter().rev().find_map(|s| s.vars.get(name))
    }

    fn items(&self, name: &[u8]) -> Result<Vec<Val>, Rc<Doubt>> {
        match self.get(name) {
            Some(var) if var.is_perhaps => Err(self.doubt("whether the name is set is not known")),
            Some(var) => var.items.clone(),
            None => match self.live.as_ref().and_then(|s| s.open.clone()) {
                Some(doubt) => Err(doubt),
                None if matches!(
                    name,
                    b"status"
                        | b"pipestatus"
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
                    Ok(vec![Val::Unknown(Doubt::filled("fish sets it by itself"))])
                }
                None if name != b"__fish_added_user_paths" && OWN_PREFIXES.iter().any(|p| name.starts_with(p)) => {
                    Err(self.doubt("fish sets it by itself"))
                }
                None => Ok(Vec::new()),
            },
        }
    }

    fn spent(&mut self) -> bool {
        self.steps += 1;
        if self.steps == STEPS {
            self.fog("following the startup files takes too long");
        }
        self.steps >= STEPS || self.live.is_none()
    }

    fn fork(&mut self, doubt: &Rc<Doubt>, one: impl FnOnce(&mut Self), other: impl FnOnce(&mut Self)) {
        let state = self.live.clone();
        one(self);
        let after = std::mem::replace(&mut self.live, state);
        other(self);
        let why = Doubt::new(doubt.why, doubt.site.clone());
        self.live = join(after, self.live.take(), &why);
    }

    fn run_file(&mut self, path: &[u8]) {
        match self.ground.files.read(path) {
            Content::Bytes(text) => {
                self.read.push(Bytes::copy_from_slice(path));
                self.run_text(Rc::new(Source::new(Bytes::copy_from_slice(path), text)));
            }
            Content::Denied => self.fog("a file that is run may not be read"),
            Content::Missing => self.set_status(1),
        }
    }

    fn run_text(&mut self, source: Rc<Source>) {
        if self.depth > DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        let text = source.text.clone();
        let skip = usize::from(text.starts_with(b"\xef\xbb\xbf")) * 3;
        let mut parser = Parser { text: &text, at: skip, depth: 0, is_odd: false };
        let jobs =
            parser.jobs().and_then(|jobs| if parser.at < text.len() { parser.wrong("this cannot stand here") } else { Ok(jobs) });
        self.depth += 1;
        let outer = (std::mem::replace(&mut self.source, source), self.at);
        match jobs {
            Ok(jobs) => {
                self.push(Kept::Block);
                self.left.push((false, None));
                self.run(&jobs);
                self.pop_left();
                self.pop();
            }
            // Nothing of a wrong file runs.
            Err(trouble) if trouble.is_error => self.set_status(127),
            Err(trouble) => {
                self.at = trouble.at;
                self.fog(trouble.what);
            }
        }
        (self.source, self.at) = outer;
        self.depth -= 1;
    }

    fn pop_left(&mut self) {
        let why = self.doubt(PARTED);
        if let Some((_, left)) = self.left.pop() {
            self.live = join(self.live.take(), left, &why);
        }
    }

    fn push(&mut self, kind: Kept) {
        if let Some(state) = &mut self.live {
            state.scopes.push(Scope { kind, vars: BTreeMap::new() });
        }
    }

    fn pop(&mut self) {
        if let Some(state) = &mut self.live {
            state.scopes.pop();
        }
    }

    fn run(&mut self, jobs: &[Job]) {
        let mut index = 0;
        while let Some(job) = jobs.get(index) {
            if self.spent() {
                return;
            }
            self.at = job.at;
            if job.is_piped {
                // Where more than programs stand in a pipe, what they do to variables is not followed.
                let mut last = index;
                while jobs.get(last).is_some_and(|j| j.is_piped) {
                    last += 1;
                }
                let all = jobs.get(index..=last).unwrap_or_default();
                let is_plain = all.iter().all(|j| matches!(&j.kind, Kinds::Command(words, _) if self.is_plain_command(words)));
                if is_plain {
                    self.doubt_status("how a program ends");
                } else {
                    self.fog("commands of fish in a pipe");
                }
                self.print(Val::Unknown(self.doubt(PRINTED)));
                index = last + 1;
                continue;
            }
            index += 1;
            let wanted = match job.joint {
                Joint::Always => Ok(true),
                Joint::And => self.succeeded(),
                Joint::Or => self.succeeded().map(|s| !s),
            };
            match wanted {
                Ok(true) => self.run_job(job),
                Ok(false) => {
                    while !job.is_tail && jobs.get(index).is_some_and(|j| j.is_tail) {
                        index += 1;
                    }
                }
                Err(doubt) => {
                    let tail = if job.is_tail { 0 } else { jobs.iter().skip(index).take_while(|j| j.is_tail).count() };
                    let rest = jobs.get(index..index + tail).unwrap_or_default();
                    self.fork(
                        &doubt,
                        |m| {
                            m.run_job(job);
                            m.run(rest);
                        },
                        |_| {},
                    );
                    index += tail;
                }
            }
        }
    }

    fn is_plain_command(&self, words: &[Word]) -> bool {
        match words.first().map(|w| &w.parts[..]) {
            Some([Part::Text(name)]) => {
                let is_own = matches!(
                    &name[..],
                    b"set" | b"source" | b"." | b"eval" | b"read" | b"export" | b"fish_add_path" | b"cd" | b"exit" | b"return"
                );
                !is_own && !self.live.as_ref().is_some_and(|s| s.functions.contains_key(&name[..]))
            }
            _ => false,
        }
    }

    fn run_job(&mut self, job: &Job) {
        match &job.kind {
            Kinds::Command(words, redirects) => self.command(words, redirects),
            Kinds::If(arms, otherwise) => self.run_if(arms, otherwise),
            Kinds::Switch(word, arms) => self.run_switch(word, arms),
            Kinds::For(name, words, body) => self.run_for(name, words, body),
            Kinds::While(condition, body) => {
                self.push(Kept::Block);
                for round in 0..200 {
                    self.run(condition);
                    match self.succeeded() {
                        Ok(true) if round < 199 => self.run(body),
                        Ok(true) | Err(_) => {
                            self.fog("a loop that is not followed");
                            break;
                        }
                        Ok(false) => break,
                    }
                    if self.spent() {
                        break;
                    }
                }
                self.pop();
            }
            Kinds::Begin(body) => {
                self.push(Kept::Block);
                self.run(body);
                self.pop();
            }
            Kinds::Function(words, body) => self.define(words, body),
        }
        if job.negated
            && let Some(state) = &mut self.live
            && let Ok(status) = &mut state.status
        {
            *status = u8::from(*status == 0);
        }
    }

    fn define(&mut self, words: &[Word], body: &Rc<Vec<Job>>) {
        let Ok(words) = self.fields(words) else { return self.fog("a function whose name is not known") };
        let Some(name) = words.first().and_then(Val::known).cloned() else {
            return self.fog("a function whose name is not known");
        };
        let options: Vec<Bytes> = words.iter().skip(1).filter_map(|w| w.known().cloned()).collect();
        if options.iter().any(|o| {
            o.starts_with(b"--on-")
                || matches!(
                    &o[..],
                    b"-v" | b"-e" | b"-p" | b"-j" | b"-s" | b"-V" | b"--inherit-variable" | b"-a" | b"--argument-names"
                )
        }) {
            // What runs at an event, or begins with variables of its own.
            let runs_by_itself =
                options.iter().any(|o| o.starts_with(b"--on-") || matches!(&o[..], b"-v" | b"-e" | b"-p" | b"-j" | b"-s"));
            if runs_by_itself {
                return self.fog("a function that runs at an event");
            }
            if let Some(state) = &mut self.live {
                state.functions.insert(name, None);
            }
            return self.set_status(0);
        }
        let function = Function { body: body.clone(), source: self.source.clone() };
        if let Some(state) = &mut self.live {
            state.functions.insert(name, Some(function));
        }
        self.set_status(0);
    }

    /// Notes the names that commands would set which are not reached.
    fn note(&mut self, jobs: &[Job], why: &'static str, by: &Site) {
        if self.quiet > 0 || self.skipped.len() > MOST_SKIPPED {
            return;
        }
        for job in jobs {
            let Kinds::Command(words, _) = &job.kind else { continue };
            let literal = |word: &Word| match &word.parts[..] {
                [Part::Text(text)] => Some(text.clone()),
                _ => None,
            };
            let mut words = words.iter().map(literal);
            if words.next().flatten().as_deref() != Some(b"set") {
                continue;
            }
            if let Some(Some(name)) = words.find(|w| w.as_ref().is_none_or(|w| !w.starts_with(b"-"))) {
                let site = Site { path: self.source.path.clone(), line: self.source.line(job.at) };
                self.skipped.push(Skipped { name: name.into(), site, why, by: by.clone() });
            }
        }
    }

    /// Runs something that the condition decides which was run last.
    fn under(&mut self, holds: Option<bool>, run: impl FnOnce(&mut Self)) {
        let inner = self.around.under(self.here(), holds);
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Runs something that a line runs in its place.
    fn through(&mut self, run: impl FnOnce(&mut Self)) {
        let inner = self.around.through(self.here());
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    fn run_if(&mut self, arms: &[(Vec<Job>, Vec<Job>)], otherwise: &[Job]) {
        let block = |m: &mut Self, jobs: &[Job]| {
            m.push(Kept::Block);
            m.run(jobs);
            m.pop();
        };
        let Some(((condition, body), rest)) = arms.split_first() else {
            if otherwise.is_empty() {
                self.set_status(0);
            }
            return block(self, otherwise);
        };
        self.push(Kept::Block);
        self.run(condition);
        self.pop();
        match self.succeeded() {
            Ok(true) => {
                let by = self.here();
                for (_, other) in rest {
                    self.note(other, "a condition above it holds", &by);
                }
                self.note(otherwise, "the condition above it holds", &by);
                self.under(Some(true), |m| block(m, body));
            }
            Ok(false) => {
                let by = self.here();
                self.note(body, "its condition does not hold", &by);
                self.under(Some(false), |m| m.run_if(rest, otherwise));
            }
            Err(doubt) => {
                self.fork(&doubt, |m| m.under(None, |m| block(m, body)), |m| m.under(None, |m| m.run_if(rest, otherwise)));
            }
        }
    }

    fn run_switch(&mut self, word: &Word, arms: &[(Vec<Word>, Vec<Job>)]) {
        let text = match self.fields(std::slice::from_ref(word)) {
            Ok(fields) if fields.len() == 1 => fields.first().cloned().unwrap_or_else(|| Val::of(b"")),
            Ok(fields) if fields.is_empty() => Val::of(b""),
            Ok(_) => return self.fog("a switch over several words"),
            Err(doubt) => Val::Unknown(doubt),
        };
        self.run_arms(&text, arms);
    }

    fn run_arms(&mut self, text: &Val, arms: &[(Vec<Word>, Vec<Job>)]) {
        let Some(((words, body), rest)) = arms.split_first() else { return };
        let mut fits = Ok(false);
        for word in words {
            // Stars in patterns of `case` are no names of files.
            let plain = Word {
                parts: word
                    .parts
                    .iter()
                    .map(|p| if matches!(p, Part::Star) { Part::Text(b"*".to_vec()) } else { p.clone() })
                    .collect(),
            };
            let pattern = match self.fields(std::slice::from_ref(&plain)) {
                Ok(fields) => fields.first().cloned().unwrap_or_else(|| Val::of(b"")),
                Err(doubt) => Val::Unknown(doubt),
            };
            match (text, &pattern) {
                (Val::Known(text), Val::Known(pattern)) => {
                    let is_star = |b: &u8| *b == b'*' || *b == b'?';
                    // Only stars and question marks count, whether quoted or not.
                    let quoted: Vec<bool> = pattern.iter().map(|b| !is_star(b)).collect();
                    match Pattern::new(pattern, &quoted, Groups::None).and_then(|p| p.matches(text)) {
                        Ok(true) => {
                            fits = Ok(true);
                            break;
                        }
                        Ok(false) => {}
                        Err(_) => fits = Err(self.doubt("a pattern of another kind")),
                    }
                }
                (_, Val::Known(pattern)) if pattern == &b"*"[..] => {
                    fits = Ok(true);
                    break;
                }
                (Val::Unknown(doubt), _) | (_, Val::Unknown(doubt)) => fits = Err(doubt.clone()),
            }
        }
        let block = |m: &mut Self| {
            m.push(Kept::Block);
            m.run(body);
            m.pop();
        };
        match fits {
            Ok(true) => block(self),
            Ok(false) => self.run_arms(text, rest),
            Err(doubt) => self.fork(&doubt, block, |m| m.run_arms(text, rest)),
        }
    }

    fn run_for(&mut self, name: &[u8], words: &[Word], body: &[Job]) {
        let at = self.at;
        self.may_be_empty = true;
        let values = self.fields(words);
        self.may_be_empty = false;
        let values = match values {
            Ok(values) => values,
            Err(doubt) => return self.run_for_unknown(name, &doubt, body),
        };
        self.push(Kept::Block);
        for value in values {
            self.at = at;
            self.put(name, Some(Kept::Block), vec![value], None, None);
            self.run(body);
            if self.spent() {
                break;
            }
        }
        self.pop();
    }

    /// A loop over values that are not known: none of them, or some. What it changes is not known then.
    fn run_for_unknown(&mut self, name: &[u8], doubt: &Rc<Doubt>, body: &[Job]) {
        let at = self.at;
        for _ in 0..3 {
            let before = self.live.clone();
            self.at = at;
            self.push(Kept::Block);
            self.put(name, Some(Kept::Block), vec![Val::Unknown(doubt.clone())], None, None);
            self.run(body);
            self.pop();
            let why = self.doubt("a loop over what is not known");
            let after = join(before.clone(), self.live.take(), &why);
            let is_settled = after == before;
            self.live = after;
            if let (Some(state), Some(before)) = (&mut self.live, &before) {
                state.widen(before, &why);
            }
            if is_settled || self.live.is_none() || self.live == before {
                return;
            }
        }
        self.fog("a loop over what is not known");
    }

    fn print(&mut self, text: Val) {
        let doubt = self.doubt("what a command prints");
        if let Some(output) = self.live.as_mut().and_then(|s| s.output.as_mut()) {
            *output = match (&*output, text) {
                (Val::Known(a), Val::Known(b)) => Val::of([&a[..], &b].concat()),
                _ => Val::Unknown(doubt),
            };
        }
    }

    // Commands.

    fn leave(&mut self, whole: bool) {
        let state = self.live.take();
        let why = self.doubt(PARTED);
        let index = if whole { Some(0) } else { self.left.len().checked_sub(1) };
        if let Some((_, left)) = index.and_then(|i| self.left.get_mut(i)) {
            // Blocks within it are left with it.
            let depth = left.as_ref().map(|s| s.scopes.len());
            let state = state.map(|mut s| {
                if let Some(depth) = depth {
                    s.scopes.truncate(depth);
                }
                s
            });
            *left = join(left.take(), state, &why);
        }
    }

    fn call(&mut self, function: &Function, arguments: &[Val]) {
        if self.depth > DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        self.depth += 1;
        let outer_site = self.here();
        let outer = (std::mem::replace(&mut self.source, function.source.clone()), self.at);
        let scopes = self.live.as_ref().map_or(0, |s| s.scopes.len());
        // A function does not see the blocks around its call, but for what is global.
        let around = self.live.as_mut().map(|s| {
            let keep = s.scopes.iter().position(|s| matches!(s.kind, Kept::Function | Kept::Block)).unwrap_or(s.scopes.len());
            s.scopes.split_off(keep)
        });
        self.push(Kept::Function);
        self.put(b"argv", Some(Kept::Function), arguments.to_vec(), None, None);
        self.left.push((false, None));
        let body = function.body.clone();
        let outer_given = self.given.replace((arguments.to_vec(), outer_site));
        self.run(&body);
        self.given = outer_given;
        self.pop_left();
        if let Some(state) = &mut self.live {
            let globals =
                state.scopes.iter().position(|s| matches!(s.kind, Kept::Function | Kept::Block)).unwrap_or(state.scopes.len());
            state.scopes.truncate(globals);
            state.scopes.extend(around.unwrap_or_default());
            debug_assert_eq!(state.scopes.len(), scopes);
        }
        (self.source, self.at) = outer;
        self.depth -= 1;
    }

    fn full(&self, path: &[u8]) -> Bytes {
        if path.first() == Some(&b'/') {
            return Bytes::copy_from_slice(path);
        }
        let folder = self.items(b"PWD").ok().and_then(|i| i.first().and_then(|v| v.known().cloned())).unwrap_or_default();
        [&folder[..], b"/", path].concat().into()
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
        (Val::Known(a), Val::Known(b)) => Val::of([&a[..], b].concat()),
        (Val::Known(a), unknown) if a.is_empty() => unknown.clone(),
        (unknown, Val::Known(b)) if b.is_empty() => unknown.clone(),
        (Val::Unknown(doubt), _) | (_, Val::Unknown(doubt)) => {
            Val::Unknown(Rc::new(Doubt { could_be: Vec::new(), is_filled: true, sets: None, ..(**doubt).clone() }))
        }
    }
}

fn joined(items: &[Val], by: &[u8]) -> Val {
    let mut out = Val::of(b"");
    for (index, item) in items.iter().enumerate() {
        if index > 0 {
            out = both(&out, &Val::of(by));
        }
        out = both(&out, item);
    }
    out
}
