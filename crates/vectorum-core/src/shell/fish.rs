//! fish (3.6.0), which has a grammar and scopes of its own. A file is read whole before any of it runs.

mod parse;

use std::collections::BTreeMap;
use std::rc::Rc;

use bytes::Bytes;

use self::parse::{Job, Joint, Kinds, Parser, Part, Redirect, Word};
use super::Source;
use super::around::Around;
use super::machine::{Assigned, Ended, Skipped};
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

/// Commands that change no variable and whose output is not followed.
const HARMLESS: &[&[u8]] = &[
    b"abbr",
    b"bind",
    b"complete",
    b"emit",
    b"functions",
    b"history",
    b"jobs",
    b"bg",
    b"fg",
    b"disown",
    b"wait",
    b"ulimit",
    b"umask",
    b"block",
    b"breakpoint",
    b"fish_vi_key_bindings",
    b"fish_default_key_bindings",
    b"fish_config",
    b"fish_git_prompt",
    b"commandline",
    b"random",
    b"realpath",
    b"math",
    b"printf",
    b"string",
    b"contains",
    b"count",
    b"command",
    b"builtin",
    b"type",
    b"pwd",
    b"set_color",
    b"fish_hybrid_key_bindings",
    b"suspend",
    b"ssh-add",
];

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

/// Stands for a star in a word: no value has a NUL.
const STAR: u8 = 0;

/// `string`, as far as it is followed: the lines that it prints, and its status.
fn string(words: &[Bytes]) -> Option<(Vec<Bytes>, u8)> {
    let (command, rest) = words.split_first()?;
    let (mut options, mut at) = (Vec::new(), 0);
    let mut most = usize::MAX;
    while let Some(word) = rest.get(at).filter(|w| w.len() > 1 && w.starts_with(b"-")) {
        at += 1;
        match &word[..] {
            b"--" => break,
            b"-m" | b"--max" => {
                most = std::str::from_utf8(rest.get(at)?).ok()?.parse().ok()?;
                at += 1;
            }
            b"-q" | b"--quiet" => options.push(b'q'),
            b"-a" | b"--all" => options.push(b'a'),
            b"-n" | b"--no-empty" => options.push(b'n'),
            b"-v" | b"--invert" => options.push(b'v'),
            _ => return None,
        }
    }
    let has = |option: u8| options.contains(&option);
    let needed = match &command[..] {
        b"split" | b"join" | b"match" => 2,
        b"replace" => 3,
        _ => 1,
    };
    // Options may come behind the first texts, too.
    let mut given = rest.get(at..)?.to_vec();
    if let Some(dashes) = given.iter().position(|w| w.starts_with(b"-")) {
        if given.get(dashes).is_none_or(|w| w != "--") {
            return None;
        }
        given.remove(dashes);
    }
    // Without texts it reads them.
    let mut texts = Some(&given).filter(|texts| texts.len() >= needed)?.iter();
    let is_plain = |text: &[u8]| text.is_ascii() && !text.contains(&b'\n');
    let mut out: Vec<Bytes> = Vec::new();
    let mut is_changed = false;
    match &command[..] {
        b"split" => {
            let separator = texts.next().filter(|s| !s.is_empty())?;
            for text in texts {
                let mut left: &[u8] = text;
                let mut count = 0;
                while let Some(found) = memchr::memmem::find(left, separator).filter(|_| count < most) {
                    out.push(Bytes::copy_from_slice(left.get(..found)?));
                    left = left.get(found + separator.len()..)?;
                    count += 1;
                    is_changed = true;
                }
                out.push(Bytes::copy_from_slice(left));
            }
            if has(b'n') {
                out.retain(|t| !t.is_empty());
            }
        }
        b"join" => {
            let separator = texts.next()?;
            let all: Vec<&[u8]> = texts.map(|t| &t[..]).collect();
            is_changed = all.len() > 1;
            if all.is_empty() {
                return None;
            }
            out.push(all.join(&separator[..]).into());
        }
        b"lower" | b"upper" => {
            for text in texts {
                let new = if command == "lower" { text.to_ascii_lowercase() } else { text.to_ascii_uppercase() };
                is_changed |= new != text[..];
                out.push(is_plain(text).then(|| new.into())?);
            }
        }
        b"length" => {
            for text in texts {
                is_changed |= !text.is_empty();
                out.push(is_plain(text).then(|| text.len().to_string().into())?);
            }
        }
        b"replace" if !has(b'v') => {
            let (from, to) = (texts.next().filter(|f| !f.is_empty())?, texts.next()?);
            for text in texts {
                let mut made = Vec::new();
                let mut left: &[u8] = text;
                let mut any = false;
                while let Some(found) = memchr::memmem::find(left, from).filter(|_| !any || has(b'a')) {
                    made.extend_from_slice(left.get(..found)?);
                    made.extend_from_slice(to);
                    left = left.get(found + from.len()..)?;
                    any = true;
                }
                made.extend_from_slice(left);
                is_changed |= any;
                out.push(made.into());
            }
        }
        b"match" => {
            let pattern = texts.next()?;
            // A bracket is a text there, and braces and backslashes are of fish's own kind.
            if pattern.iter().any(|b| b"[\\".contains(b)) || has(b'a') {
                return None;
            }
            let taken = Pattern::new(pattern, &[], Groups::None).ok()?;
            for text in texts {
                if taken.matches(text).ok()? != has(b'v') {
                    is_changed = true;
                    out.push(text.clone());
                }
            }
        }
        _ => return None,
    }
    if has(b'q') {
        out.clear();
    }
    (out.iter().all(|t| !t.contains(&b'\n'))).then_some((out, u8::from(!is_changed)))
}

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
                self.print(Val::Unknown(self.doubt("what a program prints")));
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

    // Words.

    fn fields(&mut self, words: &[Word]) -> Result<Vec<Val>, Rc<Doubt>> {
        let mut out = Vec::new();
        for word in words {
            out.extend(self.expand(word)?);
            if out.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
        }
        Ok(out)
    }

    fn expand(&mut self, word: &Word) -> Result<Vec<Val>, Rc<Doubt>> {
        // Each part may be a list: all of them are combined with each other.
        let mut out: Vec<Val> = vec![Val::of(b"")];
        for part in &word.parts {
            let values: Vec<Val> = match part {
                Part::Text(text) | Part::Quoted(text) => vec![Val::of(text)],
                Part::Star => vec![Val::of([STAR])],
                Part::Unfollowed(why) => return Err(self.doubt(why)),
                Part::Name(name, quoted, index) => {
                    let items = if &name[..] == b"argv" { self.items(b"argv") } else { self.items(name) };
                    let items = match (items, index) {
                        (Ok(items), None) => Ok(items),
                        (Ok(items), Some(index)) => {
                            let at = if *index < 0 { items.len() as i64 + index } else { index - 1 };
                            Ok(usize::try_from(at).ok().and_then(|at| items.get(at).cloned()).into_iter().collect())
                        }
                        (Err(doubt), _) => Err(doubt),
                    };
                    match (items, quoted) {
                        (Ok(items), false) => items,
                        (Ok(items), true) => {
                            let is_path = self.get(name).is_some_and(|v| v.is_path);
                            vec![joined(&items, if is_path { b":" } else { b" " })]
                        }
                        (Err(doubt), true) => vec![Val::Unknown(doubt)],
                        (Err(doubt), false) => return Err(doubt),
                    }
                }
                Part::Output(jobs, quoted) => match self.output(jobs) {
                    Val::Known(text) if *quoted => vec![Val::of(text.strip_suffix(b"\n").unwrap_or(&text))],
                    Val::Known(text) if text.is_empty() => Vec::new(),
                    Val::Known(text) => text.strip_suffix(b"\n").unwrap_or(&text).split(|b| *b == b'\n').map(Val::of).collect(),
                    Val::Unknown(doubt) if *quoted => vec![Val::Unknown(doubt)],
                    Val::Unknown(doubt) => return Err(doubt),
                },
            };
            let mut next = Vec::new();
            for right in &values {
                for left in &out {
                    next.push(both(left, right));
                }
            }
            if next.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
            out = next;
        }
        if !word.parts.iter().any(|p| matches!(p, Part::Star)) {
            return Ok(out);
        }
        let mut found = Vec::new();
        for value in out {
            let Val::Known(pattern) = value else { return Err(self.doubt("a pattern that is not known")) };
            found.extend(self.files_of(&pattern)?);
        }
        if found.is_empty() && !self.may_be_empty {
            return Err(self.doubt("fish runs no command whose pattern names no file"));
        }
        Ok(found.into_iter().map(Val::Known).collect())
    }

    /// The files that a pattern names, in their order, where that is certain.
    fn files_of(&self, pattern: &[u8]) -> Result<Vec<Bytes>, Rc<Doubt>> {
        let odd = || self.doubt("a pattern of file names");
        let (folder, last) = match memchr::memrchr(b'/', pattern) {
            Some(at) => (pattern.get(..=at).unwrap_or_default(), pattern.get(at + 1..).unwrap_or_default()),
            None => (&b""[..], pattern),
        };
        if folder.contains(&STAR) || last.starts_with(b".") || last.iter().any(|b| b"[\\?".contains(b)) {
            return Err(odd());
        }
        let text: Vec<u8> = last.iter().map(|b| if *b == STAR { b'*' } else { *b }).collect();
        let quoted: Vec<bool> = last.iter().map(|b| *b != STAR).collect();
        let taken = Pattern::new(&text, &quoted, Groups::None).map_err(|_| odd())?;
        let place = self.full(if folder.is_empty() { b"." } else { folder });
        let place = place.strip_suffix(b"/").filter(|p| !p.is_empty()).map_or(place.clone(), |p| place.slice_ref(p));
        let names = match self.ground.files.list(&place) {
            Some(names) => names,
            None if self.ground.files.kind(&place) == Kind::Missing => Vec::new(),
            None => return Err(self.doubt("a folder may not be read")),
        };
        let mut there = Vec::new();
        for name in names.into_iter().filter(|n| !n.starts_with(b".")) {
            if taken.matches(&name).map_err(|_| odd())? {
                there.push(name);
            }
        }
        there.sort();
        // fish sorts numbers as such, and signs in a way of its own.
        let is_certain = |pair: &[Bytes]| {
            let [a, b] = pair else { return true };
            let differ = a.iter().zip(b.iter()).find(|(x, y)| x != y);
            let digits = |text: &Bytes| text.iter().take_while(|c| c.is_ascii_digit()).count();
            let alike = digits(a) == digits(b) && !a.iter().chain(b.iter()).any(u8::is_ascii_uppercase);
            alike
                && differ.is_some_and(|(x, y)| {
                    x.is_ascii_lowercase() && y.is_ascii_lowercase() || x.is_ascii_digit() && y.is_ascii_digit()
                })
        };
        if !there.windows(2).all(is_certain) {
            return Err(self.doubt("the order in which fish takes files"));
        }
        Ok(there.into_iter().map(|name| [folder, &name[..]].concat().into()).collect())
    }

    fn output(&mut self, jobs: &[Job]) -> Val {
        let Some(outer) = self.live.clone() else { return Val::of(b"") };
        let at = self.at;
        if let Some(state) = &mut self.live {
            state.output = Some(Val::of(b""));
        }
        // Changes in a substitution stay, in fish.
        self.run(jobs);
        self.at = at;
        let Some(state) = &mut self.live else {
            self.live = Some(outer);
            self.fog("commands whose output is used end the shell");
            return Val::Unknown(self.doubt("what a command prints"));
        };
        let output = std::mem::replace(&mut state.output, outer.output);
        match output {
            Some(text) => text,
            None => Val::Unknown(self.doubt("what a command prints")),
        }
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

    fn command(&mut self, words: &[Word], redirects: &[Redirect]) {
        let first = words.first().map(|w| &w.parts[..]);
        self.may_be_empty = matches!(first, Some([Part::Text(name)]) if matches!(&name[..], b"set" | b"count" | b"path"));
        let fields = self.fields(words);
        self.may_be_empty = false;
        let fields = match fields {
            Ok(fields) => fields,
            Err(_) => {
                let name = match words.first().map(|w| &w.parts[..]) {
                    Some([Part::Text(name)]) => name.clone(),
                    _ => return self.fog("a command whose name is not known"),
                };
                return self.half_known(&name, words);
            }
        };
        let Some((name, arguments)) = fields.split_first() else { return };
        let Val::Known(name) = name.clone() else { return self.fog("a command whose name is not known") };
        let before = self.live.as_ref().and_then(|s| s.output.clone());
        self.named(&name, arguments);
        if redirects.iter().any(|(kind, _)| matches!(&kind[..], b">" | b">>" | b"1>" | b"&>"))
            && let Some(state) = &mut self.live
        {
            state.output = before;
        }
    }

    /// A command of which not all words are known.
    fn half_known(&mut self, name: &[u8], words: &[Word]) {
        if name == b"set" {
            // The options and the name may be known all the same.
            let mut plain: Vec<Val> = Vec::new();
            for word in words.iter().skip(1) {
                match self.expand(word) {
                    Ok(values) => plain.extend(values),
                    Err(_) => break,
                }
            }
            let has_name = plain.iter().any(|w| w.known().is_some_and(|w| !w.starts_with(b"-")));
            if has_name {
                let doubt = self.doubt("what a variable is set to is not known");
                return self.set_command(&plain, Some(doubt));
            }
        }
        match name {
            b"test" | b"[" | b"echo" | b"string" | b"contains" | b"count" | b"type" | b"printf" | b"math" => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("a condition on what is not known");
            }
            name if HARMLESS.contains(&name) => self.doubt_status("how a command ends"),
            name if self.is_own(name) => self.fog("a command of fish whose words are not known"),
            _ => {
                self.print(Val::Unknown(self.doubt("what a program prints")));
                self.doubt_status("how a program ends");
            }
        }
    }

    pub(super) fn is_own(&self, name: &[u8]) -> bool {
        let is_defined = self.live.as_ref().is_some_and(|s| s.functions.contains_key(name));
        is_defined
            || matches!(
                name,
                b"set"
                    | b"source"
                    | b"."
                    | b"eval"
                    | b"read"
                    | b"export"
                    | b"fish_add_path"
                    | b"cd"
                    | b"exit"
                    | b"return"
                    | b"exec"
                    | b"alias"
                    | b"status"
                    | b"argparse"
            )
    }

    fn named(&mut self, name: &[u8], arguments: &[Val]) {
        if let Some(function) = self.live.as_ref().and_then(|s| s.functions.get(name).cloned()) {
            return match function {
                Some(function) => self.through(|m| m.call(&function, arguments)),
                None => self.fog("a function that may be one or another"),
            };
        }
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        match name {
            b"true" | b":" => self.set_status(0),
            b"false" => self.set_status(1),
            b"set" => self.set_command(arguments, None),
            b"export" => self.export(arguments),
            b"test" | b"[" => {
                let words = if name == b"[" { arguments.split_last().map(|(_, w)| w).unwrap_or_default() } else { arguments };
                self.test(words);
            }
            b"status" => match known.as_deref().and_then(|k| k.first()).map(|k| &k[..]) {
                Some(b"is-login" | b"--is-login" | b"-l") => self.set_status(u8::from(!self.invocation.is_login)),
                Some(b"is-interactive" | b"--is-interactive" | b"-i") => {
                    self.set_status(u8::from(!self.invocation.is_interactive));
                }
                Some(b"is-command-substitution" | b"is-block" | b"is-breakpoint") => {
                    self.doubt_status("what fish says of itself");
                }
                _ => {
                    self.print(Val::Unknown(self.doubt("what a command prints")));
                    self.doubt_status("what fish says of itself");
                }
            },
            b"echo" => {
                let text = joined(arguments, b" ");
                let is_plain = text.known().is_some_and(|t| !t.starts_with(b"-"));
                let text =
                    if is_plain { both(&text, &Val::of(b"\n")) } else { Val::Unknown(self.doubt("what a command prints")) };
                self.print(text);
                self.set_status(0);
            }
            b"source" | b"." => match known.as_deref() {
                Some([path, ..]) if path != &b"-"[..] => {
                    let path = self.full(path);
                    match self.ground.files.kind(&path) {
                        Kind::File | Kind::Program => self.through(|m| m.run_file(&path)),
                        Kind::Unknown => self.fog("a file that is run may not be read"),
                        _ => self.set_status(1),
                    }
                }
                _ => self.fog("what is run is not known"),
            },
            b"eval" => match known {
                Some(words) => {
                    let fixed = Some(self.source.line(self.at));
                    let source = Source { fixed, ..Source::new(self.source.path.clone(), words.join(&b' ').into()) };
                    self.run_text(Rc::new(source));
                }
                None => self.fog("a text is run that is not known"),
            },
            b"fish_add_path" => self.add_path(known.as_deref()),
            b"type" | b"command" | b"builtin" => self.asked(name, arguments, known.as_deref()),
            b"return" => {
                if let Some(status) = known.as_deref().and_then(|k| k.first()) {
                    match std::str::from_utf8(status).ok().and_then(|s| s.parse::<u8>().ok()) {
                        Some(status) => self.set_status(status),
                        None => self.doubt_status("a status that is not known"),
                    }
                }
                self.leave(false);
            }
            b"exit" | b"exec" => self.leave(true),
            b"alias" => match known.as_deref() {
                // It makes a function.
                Some([text, rest @ ..]) => {
                    let made = match memchr::memchr(b'=', text) {
                        Some(at) => text.get(..at).unwrap_or_default().to_vec(),
                        None => text.to_vec(),
                    };
                    if rest.is_empty() && memchr::memchr(b'=', text).is_none() {
                        return self.set_status(0);
                    }
                    let is_program = self.program(&made).is_ok_and(|p| p.is_some());
                    if !is_program && let Some(state) = &mut self.live {
                        state.functions.insert(made.into(), None);
                    }
                    self.set_status(0);
                }
                _ => self.set_status(0),
            },
            b"cd" => match known.as_deref() {
                Some([path]) if self.ground.files.kind(&self.full(path)) == Kind::Folder => {
                    let full = self.full(path);
                    self.put(b"PWD", Some(Kept::Global), vec![Val::Known(full)], Some(true), None);
                    self.set_status(0);
                }
                _ => {
                    let doubt = self.doubt("the working folder is not known");
                    self.put(b"PWD", Some(Kept::Global), vec![Val::Unknown(doubt)], Some(true), None);
                    self.doubt_status("whether there is such a folder");
                }
            },
            b"contains" => match known.as_deref() {
                Some([first, rest @ ..]) if !first.starts_with(b"-") => self.set_status(u8::from(!rest.contains(first))),
                Some([dashes, first, rest @ ..]) if dashes == &b"--"[..] => self.set_status(u8::from(!rest.contains(first))),
                _ => self.doubt_status("what a list holds is not known"),
            },
            b"count" => {
                self.print(Val::of(format!("{}\n", arguments.len())));
                self.set_status(u8::from(arguments.is_empty()));
            }
            b"read" | b"argparse" => self.fog("a command of fish that is not followed"),
            b"string" => match known.as_deref().and_then(string) {
                Some((lines, status)) => {
                    for line in lines {
                        self.print(both(&Val::Known(line), &Val::of(b"\n")));
                    }
                    self.set_status(status);
                }
                None => {
                    self.print(Val::Unknown(self.doubt("what a command prints")));
                    self.doubt_status("how a command ends");
                }
            },
            name if HARMLESS.contains(&name) => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("how a command ends");
            }
            name => self.outside(name, arguments),
        }
    }

    /// A function that lies in a file of its own, or a program.
    fn outside(&mut self, name: &[u8], arguments: &[Val]) {
        if !name.contains(&b'/') {
            let config = self.config();
            let folders = [
                [&config[..], b"/functions/"].concat(),
                b"/etc/fish/functions/".to_vec(),
                b"/usr/share/fish/vendor_functions.d/".to_vec(),
            ];
            for folder in folders {
                let path = [&folder[..], name, b".fish"].concat();
                if matches!(self.ground.files.kind(&path), Kind::File | Kind::Program) {
                    self.run_file(&path);
                    let function = self.live.as_ref().and_then(|s| s.functions.get(name).cloned());
                    return match function {
                        Some(Some(function)) => self.call(&function, arguments),
                        _ => self.fog("a function that is not in its file"),
                    };
                }
            }
        }
        match self.program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                let why = self.doubt(PARTED);
                self.stopped = join(self.stopped.take(), self.live.take(), &why);
            }
            Ok(Some(path)) => {
                let base = path.rsplit(|b| *b == b'/').next().unwrap_or_default().to_vec();
                match self.answer_of(&base, arguments) {
                    Some((text, status)) => {
                        self.print(text);
                        self.set_status(status);
                    }
                    None => {
                        self.print(Val::Unknown(self.doubt("what a program prints")));
                        self.doubt_status("how a program ends");
                    }
                }
            }
            Ok(None) => self.set_status(127),
            Err(_) => {
                self.print(Val::Unknown(self.doubt("what a program prints")));
                self.doubt_status("how a program ends");
            }
        }
    }

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

    fn program(&mut self, name: &[u8]) -> Result<Option<Bytes>, Rc<Doubt>> {
        let is_it = |m: &Self, path: &[u8]| m.ground.files.kind(path) == Kind::Program;
        if name.contains(&b'/') {
            let path = self.full(name);
            return Ok(is_it(self, &path).then_some(path));
        }
        for folder in self.items(b"PATH")? {
            let Val::Known(folder) = folder else { return Err(self.doubt("where programs are looked up is not known")) };
            let path = [&self.full(&folder)[..], b"/", name].concat();
            if is_it(self, &path) {
                return Ok(Some(path.into()));
            }
        }
        Ok(None)
    }

    /// What a program prints and how it ends, where that follows from the host.
    fn answer_of(&mut self, base: &[u8], arguments: &[Val]) -> Option<(Val, u8)> {
        let known: Vec<&[u8]> = arguments.iter().map(|a| a.known().map(|k| &k[..])).collect::<Option<_>>()?;
        // What it reads of its own is not known here.
        if matches!(base, b"cat" | b"tr") && known.is_empty() || base == b"tr" {
            return None;
        }
        let Val::Known(folder) = self.items(b"PWD").ok()?.first()?.clone() else { return None };
        let state = super::startup::state(self.ground, self.account, &Start::new(), &folder, self.invocation);
        let mut asked = super::machine::Machine::new(self.ground, self.account, super::syntax::Dialect::Dash, state);
        let answer = asked.answer(base, &known)?;
        Some((answer.output, answer.status?))
    }

    fn asked(&mut self, name: &[u8], arguments: &[Val], known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.doubt_status("whether there is such a command") };
        let options = words.iter().take_while(|w| w.starts_with(b"-")).count();
        let Some(wanted) = words.get(options).cloned() else { return self.doubt_status("whether there is such a command") };
        let asks = words
            .iter()
            .take(options)
            .any(|w| matches!(&w[..], b"-q" | b"--query" | b"-v" | b"-s" | b"--search" | b"-sq" | b"-qs"));
        if name != b"type" && !asks {
            // Run as it stands, functions passed over.
            let rest = arguments.get(options + 1..).unwrap_or_default();
            let hidden = self.live.as_mut().and_then(|s| s.functions.remove(&wanted));
            self.named(&wanted, rest);
            if let (Some(state), Some(function)) = (&mut self.live, hidden) {
                state.functions.insert(wanted, function);
            }
            return;
        }
        let has_function = name == b"type"
            && (self.is_own(&wanted) || HARMLESS.contains(&&wanted[..]) || wanted == b"echo"[..] || wanted == b"test"[..]);
        if !words.iter().any(|w| matches!(&w[..], b"-q" | b"--query")) {
            self.print(Val::Unknown(self.doubt("what a command prints")));
        }
        match self.program(&wanted) {
            _ if has_function => self.set_status(0),
            Ok(Some(_)) => self.set_status(0),
            Ok(None) if name == b"type" => self.doubt_status("whether there is such a function"),
            Ok(None) => self.set_status(1),
            Err(_) => self.doubt_status("where programs are looked up is not known"),
        }
        // fish comes with many functions; of programs that are not there it is told for names in capitals
        // and common tools only what the host has.
        if let Some(state) = &mut self.live
            && state.status.is_err()
            && name == b"type"
        {
            state.status = Ok(1);
        }
    }

    fn test(&mut self, words: &[Val]) {
        let plain: Vec<&Val> = words.iter().collect();
        let answer = self.test_words(&plain);
        match answer {
            Ok(is_so) => self.set_status(u8::from(!is_so)),
            Err(_) => self.doubt_status("a condition on what is not known"),
        }
    }

    fn test_words(&mut self, words: &[&Val]) -> Result<bool, ()> {
        let text = |v: Option<&&Val>| v.and_then(|v| v.known().cloned());
        match words {
            [] => Ok(false),
            [one] => one.is_empty().map(|e| !e).ok_or(()),
            [not, rest @ ..] if text(Some(not)).is_some_and(|t| t == b"!"[..]) => self.test_words(rest).map(|is| !is),
            [operator, one] => {
                let operator = text(Some(operator)).ok_or(())?;
                match &operator[..] {
                    b"-n" => return one.is_empty().map(|e| !e).ok_or(()),
                    b"-z" => return one.is_empty().ok_or(()),
                    _ => {}
                }
                let path = text(Some(one)).ok_or(())?;
                if path.is_empty() {
                    return Ok(false);
                }
                let path = self.full(&path);
                if path.starts_with(b"/proc/") || path.starts_with(b"/sys/") || path.starts_with(b"/dev/") {
                    return Err(());
                }
                let kind = self.ground.files.kind(&path);
                match (&operator[..], kind) {
                    (_, Kind::Unknown) => Err(()),
                    (b"-e", kind) => Ok(kind != Kind::Missing),
                    (b"-f", kind) => Ok(matches!(kind, Kind::File | Kind::Program)),
                    (b"-d", kind) => Ok(kind == Kind::Folder),
                    (b"-r" | b"-w" | b"-x", Kind::Missing) => Ok(false),
                    (b"-r", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Read).ok_or(())
                    }
                    (b"-x", _) => self
                        .ground
                        .files
                        .may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Execute)
                        .ok_or(()),
                    (b"-w", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Write).ok_or(())
                    }
                    _ => Err(()),
                }
            }
            [left, operator, right] => {
                let operator = text(Some(operator)).ok_or(())?;
                let (left, right) = (text(Some(left)).ok_or(())?, text(Some(right)).ok_or(())?);
                let number = |t: &Bytes| std::str::from_utf8(t).ok().and_then(|t| t.trim().parse::<i64>().ok()).ok_or(());
                match &operator[..] {
                    b"=" | b"==" => Ok(left == right),
                    b"!=" => Ok(left != right),
                    b"-eq" => Ok(number(&left)? == number(&right)?),
                    b"-ne" => Ok(number(&left)? != number(&right)?),
                    b"-gt" => Ok(number(&left)? > number(&right)?),
                    b"-ge" => Ok(number(&left)? >= number(&right)?),
                    b"-lt" => Ok(number(&left)? < number(&right)?),
                    b"-le" => Ok(number(&left)? <= number(&right)?),
                    _ => Err(()),
                }
            }
            _ => Err(()),
        }
    }

    // Variables.

    fn config(&self) -> Vec<u8> {
        let item = |name: &[u8]| {
            self.items(name).ok().and_then(|i| i.first().and_then(|v| v.known().cloned())).filter(|v| !v.is_empty())
        };
        match item(b"XDG_CONFIG_HOME") {
            Some(folder) => [&folder[..], b"/fish"].concat(),
            None => [&item(b"HOME").unwrap_or_else(|| self.account.home.clone())[..], b"/.config/fish"].concat(),
        }
    }

    /// Sets a variable. Without a scope it is set where it is, or else in the function, or globally.
    fn put(&mut self, name: &[u8], scope: Option<Kept>, items: Vec<Val>, exported: Option<bool>, is_path: Option<bool>) {
        self.put_var(name, scope, Ok(items), exported, is_path);
    }

    fn put_var(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        items: Result<Vec<Val>, Rc<Doubt>>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        if !name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') || name.is_empty() {
            // Letters beyond ASCII are taken, too; which ones is not followed.
            return if name.is_ascii() { self.set_status(2) } else { self.fog("a name with letters beyond ASCII") };
        }
        if matches!(
            name,
            b"status" | b"pipestatus" | b"_" | b"version" | b"FISH_VERSION" | b"fish_pid" | b"history" | b"hostname"
        ) || name == b"SHLVL" && scope != Some(Kept::Global)
        {
            return self.set_status(1);
        }
        let mut site = self.here();
        if let (Some((given, from)), Ok([one])) = (&self.given, items.as_deref())
            && given.contains(one)
        {
            site = from.clone();
        }
        let holders = self.live.iter().flat_map(|s| &s.scopes).filter(|s| s.vars.contains_key(name)).count();
        if scope.is_none() && holders > 1 && self.get(name).is_some_and(|v| v.is_perhaps) {
            return self.blur(name, "which of several variables is set");
        }
        let Some(state) = &mut self.live else { return };
        let has_function = state.scopes.iter().any(|s| s.kind == Kept::Function);
        let index = match scope {
            Some(Kept::Block) => state.scopes.len().checked_sub(1),
            Some(Kept::Function) => state
                .scopes
                .iter()
                .rposition(|s| s.kind == Kept::Function)
                .or_else(|| state.scopes.iter().position(|s| s.kind == Kept::Block))
                .or_else(|| state.scopes.iter().position(|s| s.kind == Kept::Global)),
            Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            None => state.scopes.iter().rposition(|s| s.vars.contains_key(name)).or_else(|| {
                if has_function {
                    state.scopes.iter().rposition(|s| s.kind == Kept::Function)
                } else {
                    state.scopes.iter().position(|s| s.kind == Kept::Global)
                }
            }),
        };
        let Some(scope) = index.and_then(|i| state.scopes.get_mut(i)) else { return };
        let old = scope.vars.get(name);
        let usual = name.ends_with(b"PATH");
        let var = Var {
            items,
            exported: exported.map_or_else(
                || old.map_or(Some(false), |v| if v.is_perhaps && v.exported != Some(false) { None } else { v.exported }),
                Some,
            ),
            is_path: is_path.or(old.map(|v| v.is_path)).unwrap_or(usual),
            is_perhaps: false,
            site: Some(site.clone()),
        };
        let is_path = var.is_path;
        // Items of a path are cut at colons.
        let items = match var.items {
            Ok(items) if is_path => Ok(items
                .into_iter()
                .flat_map(|v| match &v {
                    Val::Known(text) => text.split(|b| *b == b':').map(Val::of).collect::<Vec<_>>(),
                    Val::Unknown(_) => vec![v],
                })
                .collect()),
            other => other,
        };
        let told = match &items {
            Ok(items) => joined(items, if is_path { b":" } else { b" " }),
            Err(doubt) => Val::Unknown(doubt.clone()),
        };
        scope.vars.insert(Bytes::copy_from_slice(name), Var { items, ..var });
        if self.quiet == 0 && self.log.len() < 20_000 {
            self.log.push(Assigned { name: Bytes::copy_from_slice(name), value: Some(told), site, around: self.around.clone() });
        }
        if name == b"fish_user_paths" {
            self.reconstruct();
        }
        // Setting a variable leaves the status as it was.
    }

    fn set_command(&mut self, arguments: &[Val], unknown: Option<Rc<Doubt>>) {
        let (mut scope, mut exported, mut is_path) = (None, None, None);
        let (mut erase, mut query, mut append, mut prepend) = (false, false, false, false);
        let mut at = 0;
        while let Some(Val::Known(word)) = arguments.get(at) {
            if !word.starts_with(b"-") || word.len() < 2 {
                break;
            }
            at += 1;
            let mut one = |m: &mut Self, letter: &[u8]| match letter {
                b"l" | b"local" => scope = Some(Kept::Block),
                b"f" | b"function" => scope = Some(Kept::Function),
                b"g" | b"global" => scope = Some(Kept::Global),
                b"U" | b"universal" => scope = Some(Kept::Universal),
                b"x" | b"export" => exported = Some(true),
                b"u" | b"unexport" => exported = Some(false),
                b"e" | b"erase" => erase = true,
                b"q" | b"query" => query = true,
                b"a" | b"append" => append = true,
                b"p" | b"prepend" => prepend = true,
                b"path" => is_path = Some(true),
                b"unpath" => is_path = Some(false),
                b"S" | b"show" | b"n" | b"names" | b"L" | b"long" => m.print(Val::Unknown(m.doubt("what a command prints"))),
                _ => m.fog("an option of «set» that is not followed"),
            };
            if word == &b"--"[..] {
                break;
            }
            if let Some(long) = word.strip_prefix(b"--") {
                one(self, long);
            } else {
                for letter in word.iter().skip(1) {
                    one(self, &[*letter]);
                }
            }
        }
        let names = arguments.get(at..).unwrap_or_default();
        if query {
            let mut missing = 0;
            for name in names {
                let Some(name) = name.known() else { return self.doubt_status("whether the name is set is not known") };
                if name.contains(&b'[') {
                    let (base, index) = name.split_at(memchr::memchr(b'[', name).unwrap_or(0));
                    let index = index
                        .strip_prefix(b"[")
                        .and_then(|i| i.strip_suffix(b"]"))
                        .and_then(|i| std::str::from_utf8(i).ok()?.parse::<usize>().ok());
                    match (self.items(base), index) {
                        (Ok(items), Some(index)) if scope.is_none() => missing += u8::from(index == 0 || index > items.len()),
                        _ => return self.doubt_status("a part of a list"),
                    }
                    continue;
                }
                let found = match scope {
                    None => self.get(name).cloned(),
                    Some(kind) => self
                        .live
                        .as_ref()
                        .and_then(|s| s.scopes.iter().rev().filter(|s| s.kind == kind).find_map(|s| s.vars.get(name).cloned())),
                };
                match found {
                    Some(var) if var.is_perhaps => return self.doubt_status("whether the name is set is not known"),
                    Some(var)
                        if exported == Some(true) && var.exported != Some(true)
                            || exported == Some(false) && var.exported != Some(false) =>
                    {
                        missing += 1;
                    }
                    Some(_) => {}
                    None if self.live.as_ref().is_some_and(|s| s.open.is_some()) => {
                        return self.doubt_status("whether the name is set is not known");
                    }
                    None => missing += 1,
                }
            }
            return self.set_status(missing);
        }
        let Some(Val::Known(name)) = names.first().cloned() else {
            if names.is_empty() {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                return self.set_status(0);
            }
            return self.fog("a variable is set whose name is not known");
        };
        if name.contains(&b'[') {
            let base = name.split(|b| *b == b'[').next().unwrap_or_default().to_vec();
            let doubt = self.doubt("a part of a list");
            return self.put_var(&base, scope, Err(doubt), exported, is_path);
        }
        if erase {
            return self.erase(names, scope);
        }
        let values = names.get(1..).unwrap_or_default().to_vec();
        let mut items = match unknown {
            Some(doubt) => Err(doubt),
            None => Ok(values),
        };
        if append || prepend {
            let old = match scope {
                None => self.items(&name),
                Some(kind) => {
                    let found = self
                        .live
                        .as_ref()
                        .and_then(|s| s.scopes.iter().rev().filter(|s| s.kind == kind).find_map(|s| s.vars.get(&name).cloned()));
                    found.map_or(Ok(Vec::new()), |v| {
                        if v.is_perhaps { Err(self.doubt("whether the name is set is not known")) } else { v.items }
                    })
                }
            };
            items = match (old, items) {
                (Ok(old), Ok(new)) => Ok(match (prepend, append) {
                    (true, true) => [new.clone(), old, new].concat(),
                    (true, false) => [new, old].concat(),
                    _ => [old, new].concat(),
                }),
                (Err(doubt), _) | (_, Err(doubt)) => Err(doubt),
            };
        }
        self.put_var(&name, scope, items, exported, is_path);
    }

    /// From here on nothing is known of a name, in whichever scope.
    fn blur(&mut self, name: &[u8], why: &'static str) {
        let doubt = self.doubt(why);
        for var in self.live.iter_mut().flat_map(|s| s.scopes.iter_mut()).filter_map(|s| s.vars.get_mut(name)) {
            *var = Var { items: Err(doubt.clone()), exported: None, is_perhaps: true, ..var.clone() };
        }
        self.doubt_status(why);
    }

    fn erase(&mut self, names: &[Val], scope: Option<Kept>) {
        let mut status = 0;
        for name in names {
            let Val::Known(name) = name.clone() else { return self.fog("names are erased that are not known") };
            if scope.is_none() && self.get(&name).is_some_and(|v| v.is_perhaps) {
                self.blur(&name, "which of several variables is erased");
                continue;
            }
            let site = self.here();
            let Some(state) = &mut self.live else { return };
            let index = match scope {
                None => state.scopes.iter().rposition(|s| s.vars.contains_key(&name)),
                Some(Kept::Block) => state
                    .scopes
                    .iter()
                    .rposition(|s| matches!(s.kind, Kept::Block | Kept::Function) && s.vars.contains_key(&name)),
                Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            };
            match index.and_then(|i| state.scopes.get_mut(i)).and_then(|s| s.vars.remove(&name)) {
                Some(_) if self.quiet == 0 => {
                    self.log.push(Assigned { name: name.clone(), value: None, site, around: self.around.clone() });
                }
                Some(_) => {}
                None => status = 4,
            }
            if name == b"fish_user_paths"[..] {
                self.reconstruct();
            }
        }
        self.set_status(status);
    }

    fn export(&mut self, arguments: &[Val]) {
        self.set_status(0);
        for argument in arguments {
            let Val::Known(text) = argument else { return self.fog("names are exported that are not known") };
            match memchr::memchr(b'=', text) {
                Some(at) => {
                    let (name, value) = (text.slice(..at), text.slice(at + 1..));
                    let is_list = matches!(&name[..], b"PATH" | b"CDPATH" | b"MANPATH");
                    let is_there = self.items(&name).is_ok_and(|i| i.iter().any(|v| v.is_empty() == Some(false)));
                    if is_list && !is_there {
                        let doubt = self.doubt("what «export» makes of a list that is not set");
                        self.put_var(&name, Some(Kept::Global), Err(doubt), Some(true), None);
                        self.doubt_status("what «export» makes of a list that is not set");
                    } else if is_list {
                        let items = value.split(|b| *b == b':').map(Val::of).collect();
                        self.put(&name, Some(Kept::Global), items, Some(true), None);
                        // It splits the text at colons, which fails where there is none.
                        self.set_status(u8::from(!value.contains(&b':')));
                    } else {
                        self.put(&name, Some(Kept::Global), vec![Val::Known(value)], Some(true), None);
                    }
                }
                None => {
                    let items = self.items(text);
                    self.put_var(text, Some(Kept::Global), items, Some(true), None);
                }
            }
        }
    }

    fn add_path(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("a folder of programs is added that is not known") };
        let (mut append, mut direct, mut moves, mut scope) = (false, false, false, None);
        let mut folders = Vec::new();
        for word in words {
            match &word[..] {
                b"--append" => append = true,
                b"--path" => direct = true,
                b"--move" => moves = true,
                b"--global" => scope = Some(Kept::Global),
                b"--universal" => scope = Some(Kept::Universal),
                b"--prepend" | b"--verbose" | b"--dry-run" | b"--" => {}
                option if option.starts_with(b"-") => {
                    for letter in option.iter().skip(1) {
                        match letter {
                            b'a' => append = true,
                            b'P' => direct = true,
                            b'm' => moves = true,
                            b'g' => scope = Some(Kept::Global),
                            b'U' => scope = Some(Kept::Universal),
                            b'n' => return self.set_status(0),
                            _ => {}
                        }
                    }
                }
                folder => folders.push(self.full(folder)),
            }
        }
        let name: &[u8] = if direct { b"PATH" } else { b"fish_user_paths" };
        let old = match self.items(name) {
            Ok(old) => old,
            Err(doubt) => return self.put_var(name, Some(Kept::Global), Err(doubt), direct.then_some(true), None),
        };
        let mut new: Vec<Val> = Vec::new();
        let mut rest = old;
        for folder in folders {
            if self.ground.files.kind(&folder) != Kind::Folder {
                continue;
            }
            let value = Val::Known(folder);
            if rest.contains(&value) {
                if !moves {
                    continue;
                }
                rest.retain(|v| *v != value);
            }
            if !new.contains(&value) {
                new.push(value);
            }
        }
        if new.is_empty() {
            return self.set_status(1);
        }
        let items = if append { [rest, new].concat() } else { [new, rest].concat() };
        let has_global =
            self.live.as_ref().is_some_and(|s| s.scopes.iter().any(|s| s.kind == Kept::Global && s.vars.contains_key(name)));
        let scope = if direct || has_global { Kept::Global } else { scope.unwrap_or(Kept::Universal) };
        self.put(name, Some(scope), items, direct.then_some(true), None);
    }

    /// Puts the account's own folders in front of PATH.
    fn reconstruct(&mut self) {
        let (added, paths, user) = (self.items(b"__fish_added_user_paths"), self.items(b"PATH"), self.items(b"fish_user_paths"));
        let (Ok(added), Ok(mut paths), Ok(user)) = (added, paths, user) else {
            let doubt = self.doubt("the account's own folders of programs are not known");
            return self.put_var(b"PATH", Some(Kept::Global), Err(doubt), Some(true), None);
        };
        for old in added {
            if let Some(at) = paths.iter().position(|p| *p == old) {
                paths.remove(at);
            }
        }
        let mut new = Vec::new();
        for folder in user.iter().rev() {
            match paths.iter().position(|p| p == folder) {
                Some(at) => {
                    paths.remove(at);
                }
                None => new.push(folder.clone()),
            }
            paths.insert(0, folder.clone());
        }
        self.put(b"__fish_added_user_paths", Some(Kept::Global), new, None, None);
        self.put(b"PATH", Some(Kept::Global), paths, Some(true), None);
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

/// Reads the file of universal variables.
fn universal(path: &[u8], text: &[u8]) -> BTreeMap<Bytes, Var> {
    let mut out = BTreeMap::new();
    for (number, line) in text.split(|b| *b == b'\n').enumerate() {
        let site = Some(Site { path: Bytes::copy_from_slice(path), line: number + 1 });
        let Some(mut rest) = line.strip_prefix(b"SETUVAR ") else { continue };
        let (mut exported, mut is_path) = (false, false);
        loop {
            if let Some(after) = rest.strip_prefix(b"--export ") {
                (exported, rest) = (true, after);
            } else if let Some(after) = rest.strip_prefix(b"--path ") {
                (is_path, rest) = (true, after);
            } else {
                break;
            }
        }
        let Some(colon) = memchr::memchr(b':', rest) else { continue };
        let (name, value) = (rest.get(..colon).unwrap_or_default(), rest.get(colon + 1..).unwrap_or_default());
        let mut items: Vec<Vec<u8>> = vec![Vec::new()];
        let mut at = 0;
        let mut is_empty = false;
        while let Some(byte) = value.get(at) {
            at += 1;
            let decoded = if *byte == b'\\' && value.get(at) == Some(&b'x') {
                let hex = value
                    .get(at + 1..at + 3)
                    .and_then(|h| std::str::from_utf8(h).ok())
                    .and_then(|h| u8::from_str_radix(h, 16).ok());
                at += 3;
                hex
            } else if *byte == b'\\' {
                at += 1;
                match value.get(at - 1) {
                    Some(b'n') => Some(b'\n'),
                    Some(b't') => Some(b'\t'),
                    other => other.copied(),
                }
            } else {
                Some(*byte)
            };
            match decoded {
                Some(0x1e) => items.push(Vec::new()),
                Some(0x1d) => is_empty = true,
                Some(byte) => {
                    if let Some(item) = items.last_mut() {
                        item.push(byte);
                    }
                }
                None => {}
            }
        }
        let items = if is_empty { Vec::new() } else { items.into_iter().map(Val::of).collect() };
        out.insert(
            Bytes::copy_from_slice(name),
            Var { items: Ok(items), exported: Some(exported), is_path, is_perhaps: false, site },
        );
    }
    out
}

/// fish as it starts, before it reads a file.
fn begin<'a>(
    ground: Ground<'a>,
    account: &'a Account,
    start: &Start,
    open: Option<Rc<Doubt>>,
    folder: &[u8],
    invocation: &'a Invocation,
) -> Fish<'a> {
    let mut globals: BTreeMap<Bytes, Var> = BTreeMap::new();
    for (name, (value, is_perhaps)) in start {
        let is_path = name.ends_with(b"PATH");
        let items = match value {
            Val::Known(text) if is_path => Ok(text.split(|b| *b == b':').map(Val::of).collect()),
            Val::Known(text) => Ok(vec![Val::Known(text.clone())]),
            Val::Unknown(doubt) if is_path => Err(doubt.clone()),
            Val::Unknown(_) => Ok(vec![value.clone()]),
        };
        globals.insert(name.clone(), Var { items, exported: Some(true), is_path, is_perhaps: *is_perhaps, site: None });
    }
    let set = |globals: &mut BTreeMap<Bytes, Var>, name: &'static str, items: Vec<Val>| {
        let is_path = name.ends_with("PATH");
        globals.insert(
            Bytes::from_static(name.as_bytes()),
            Var { items: Ok(items), exported: Some(true), is_path, is_perhaps: false, site: None },
        );
    };
    set(&mut globals, "PWD", vec![Val::of(folder)]);
    if !start.contains_key(&b"HOME"[..]) {
        set(&mut globals, "HOME", vec![Val::Known(account.home.clone())]);
    }
    if !start.contains_key(&b"USER"[..]) {
        set(&mut globals, "USER", vec![Val::Known(account.name.clone())]);
    }
    if !start.contains_key(&b"PATH"[..]) {
        set(&mut globals, "PATH", vec![Val::of(b"/bin"), Val::of(b"/usr/bin")]);
    }
    if invocation.is_interactive {
        let level = match start.get(&b"SHLVL"[..]) {
            None => Val::of(b"1"),
            Some((Val::Known(level), false)) => {
                match std::str::from_utf8(level).ok().and_then(|l| l.trim().parse::<i64>().ok()) {
                    Some(level) if level >= 0 => Val::of((level + 1).to_string()),
                    _ => Val::of(b"1"),
                }
            }
            Some(_) => Val::Unknown(Doubt::filled("how deep in shells it is started is not known")),
        };
        set(&mut globals, "SHLVL", vec![level]);
    }
    let state = State {
        scopes: vec![Scope { kind: Kept::Universal, vars: BTreeMap::new() }, Scope { kind: Kept::Global, vars: globals }],
        functions: BTreeMap::new(),
        status: Ok(0),
        open,
        output: None,
    };
    Fish {
        ground,
        account,
        invocation,
        live: Some(state),
        left: vec![(true, None)],
        source: Rc::new(Source::new(Bytes::new(), Bytes::new())),
        at: 0,
        steps: 0,
        around: Around::default(),
        may_be_empty: false,
        depth: 0,
        quiet: 0,
        log: Vec::new(),
        read: Vec::new(),
        skipped: Vec::new(),
        until: None,
        stopped: None,
        given: None,
    }
}

/// What a file comes to that fish takes in with `source`.
pub(crate) fn taken_in(
    ground: Ground<'_>,
    account: &Account,
    start: &Start,
    path: &[u8],
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let mut fish = begin(ground, account, start, None, folder, invocation);
    fish.run_file(path);
    settle(fish, start)
}

/// Follows fish from its start to the program that it runs.
pub(crate) fn interpret(
    ground: Ground<'_>,
    account: &Account,
    start: &Start,
    open: Option<Rc<Doubt>>,
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let mut fish = begin(ground, account, start, open, folder, invocation);
    locale(&mut fish, start);
    let config = fish.config();
    let stored = [&config[..], b"/fish_variables"].concat();
    if let Content::Bytes(text) = ground.files.read(&stored) {
        let vars = universal(&stored, &text);
        if let Some(scope) = fish.live.as_mut().and_then(|s| s.scopes.first_mut()) {
            scope.vars = vars;
        }
    }
    fish.quiet += 1;
    if fish.get(b"fish_user_paths").is_some() {
        fish.reconstruct();
    }
    fish.quiet -= 1;
    snippets(&mut fish, &config);
    for path in [b"/etc/fish/config.fish".to_vec(), [&config[..], b"/config.fish"].concat()] {
        if fish.live.is_some() && matches!(ground.files.kind(&path), Kind::File | Kind::Program | Kind::Unknown) {
            fish.run_file(&path);
        }
    }
    if let Payload::Script(Some((script, until))) = &invocation.payload {
        fish.until = Some(until.clone());
        if fish.live.is_some() {
            fish.run_file(script);
        }
        let rest = fish.live.take().filter(|s| s.open.is_some());
        fish.live = fish.stopped.take().or(rest);
    }
    settle(fish, start)
}

/// Without any setting of the locale fish looks for one, or takes a usual one.
fn locale(fish: &mut Fish<'_>, start: &Start) {
    if start.keys().any(|n| n == &b"LANG"[..] || n.starts_with(b"LC_")) {
        return;
    }
    let own = [&fish.account.home[..], b"/.config/locale.conf"].concat();
    let there =
        [&own[..], b"/etc/locale.conf", b"/etc/default/locale"].iter().any(|p| fish.ground.files.kind(p) != Kind::Missing);
    fish.quiet += 1;
    if there {
        let doubt = Doubt::new("fish looks for the locale in files of the system", None);
        for name in ["LANG", "LC_CTYPE", "LC_TIME", "LC_MESSAGES", "LC_COLLATE", "LC_MONETARY", "LC_NUMERIC"] {
            fish.put_var(name.as_bytes(), Some(Kept::Global), Err(doubt.clone()), Some(true), None);
            if let Some(var) = fish.live.as_mut().and_then(|s| s.scopes.get_mut(1)).and_then(|s| s.vars.get_mut(name.as_bytes()))
            {
                var.is_perhaps = true;
            }
        }
    } else {
        fish.put(b"LC_CTYPE", Some(Kept::Global), vec![Val::of(b"en_US.UTF-8")], Some(true), None);
    }
    fish.quiet -= 1;
}

/// The files of all folders of snippets: a name that came already is passed over.
fn snippets(fish: &mut Fish<'_>, config: &[u8]) {
    let data =
        fish.items(b"XDG_DATA_HOME").ok().and_then(|i| i.first().and_then(|v| v.known().cloned())).filter(|v| !v.is_empty());
    let home = fish
        .items(b"HOME")
        .ok()
        .and_then(|i| i.first().and_then(|v| v.known().cloned()))
        .unwrap_or_else(|| fish.account.home.clone());
    let data = data.unwrap_or_else(|| [&home[..], b"/.local/share"].concat().into());
    let folders = [
        [config, b"/conf.d"].concat(),
        b"/etc/fish/conf.d".to_vec(),
        [&data[..], b"/fish/vendor_conf.d"].concat(),
        [&data[..], b"/vendor_conf.d"].concat(),
        b"/usr/share/fish/vendor_conf.d".to_vec(),
    ];
    let mut seen: Vec<Bytes> = Vec::new();
    for folder in folders {
        let mut names = fish.ground.files.list(&folder).unwrap_or_default();
        names.retain(|n| n.ends_with(b".fish"));
        names.sort();
        for name in names {
            if seen.contains(&name) || fish.live.is_none() {
                continue;
            }
            seen.push(name.clone());
            let path = [&folder[..], b"/", &name].concat();
            fish.run_file(&path);
        }
    }
}

fn settle(mut fish: Fish<'_>, start: &Start) -> Started {
    let left = fish.left.drain(..).next().and_then(|(_, left)| left);
    let ended = match (&fish.live, &left) {
        (None, _) => Ended::Yes,
        (Some(_), Some(_)) => Ended::Perhaps,
        (Some(_), None) => Ended::No,
    };
    let mut started = Started {
        changed: BTreeMap::new(),
        gone: Vec::new(),
        kept: Vec::new(),
        open: None,
        ended,
        end: None,
        log: Rc::new(fish.log),
        skipped: fish.skipped,
        read: fish.read,
        startup: Vec::new(),
    };
    let Some(state) = fish.live else { return started };
    started.open = state.open.clone();
    let mut handed: BTreeMap<Bytes, Var> = BTreeMap::new();
    let mut veiled: std::collections::BTreeSet<Bytes> = std::collections::BTreeSet::new();
    for scope in state.scopes.iter().skip(1) {
        for (name, var) in &scope.vars {
            match (handed.get(name).cloned(), var.exported) {
                // One that may not be there may show what it hides.
                (Some(hidden), _) if var.is_perhaps => {
                    let doubt = Doubt::new("whether a variable hides another of its name", var.site.clone());
                    handed.insert(name.clone(), Var { items: Err(doubt), exported: None, is_perhaps: true, ..hidden });
                }
                (None, Some(false)) if var.is_perhaps => drop(veiled.insert(name.clone())),
                (_, Some(false)) => drop(handed.remove(name)),
                _ => drop(handed.insert(name.clone(), var.clone())),
            }
        }
    }
    for (name, var) in state.scopes.first().map(|s| &s.vars).into_iter().flatten() {
        if var.exported != Some(false) && !handed.contains_key(name) {
            let is_perhaps = var.is_perhaps || veiled.contains(name);
            handed.insert(name.clone(), Var { is_perhaps, ..var.clone() });
        }
    }
    for (name, var) in &handed {
        let value = match &var.items {
            Ok(items) => joined(items, if var.is_path { b":" } else { b" " }),
            Err(doubt) => Val::Unknown(doubt.clone()),
        };
        let may_be_absent = var.is_perhaps || var.exported.is_none();
        if var.site.is_none() && start.get(name).is_some_and(|(was, perhaps)| *was == value && *perhaps == may_be_absent) {
            continue;
        }
        let value = match value {
            Val::Known(known) if may_be_absent => Val::Unknown(Rc::new(Doubt {
                could_be: vec![known],
                ..(*Doubt::new("the shell's files leave it open", None)).clone()
            })),
            other => other,
        };
        let site = var.site.clone().filter(|s| !s.path.is_empty());
        started.changed.insert(name.clone(), Last { value, may_be_absent, site });
    }
    for name in start.keys().filter(|n| !handed.contains_key(*n)) {
        let site = started.log.iter().rev().find(|a| a.name == *name).map(|a| a.site.clone());
        started.gone.push((name.clone(), site));
    }
    let globals = state.scopes.iter().find(|s| s.kind == Kept::Global).map(|s| &s.vars);
    for (name, var) in globals.into_iter().flatten() {
        if var.exported == Some(false)
            && !name.starts_with(b"__fish")
            && !name.starts_with(b"fish_")
            && let Some(site) = var.site.clone().filter(|s| !s.path.is_empty())
        {
            started.kept.push((name.clone(), site));
        }
    }
    Rc::make_mut(&mut started.log).retain(|a| !a.site.path.is_empty());
    started
}
