//! What runs at any time: traps. Which names they may set is read off their commands; nothing is known of
//! those names from there on.

use std::borrow::Borrow;
use std::collections::BTreeSet;
use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::content::{Content, Var};
use super::declare::declares;
use super::declared::{Declared, name_of};
use super::machine::Machine;
use super::nameref::Meant;
use super::parse::{is_name, is_name_start, is_own_name};
use super::reference::TOLD_BY_SHELL;
use super::state::State;
use super::syntax::*;
use super::value::{Doubt, Val};

/// So deep functions are looked into.
const DEEPEST: usize = 20;

/// Why nothing is known of a name.
const WHY: &str = "what holds of it from here on is not followed";

/// What traps may set.
#[derive(Default)]
pub(super) struct Restless {
    names: BTreeSet<Bytes>,
    /// Whether that may be any name.
    is_all: bool,
    /// Whether one of them may leave what runs where it ends.
    leaves: bool,
    /// Whether what is taken up of commands may have something of a trap in it.
    prints: bool,
    /// Whether one that commands set off refers to names, which is an error where they are not set and that is one.
    refers: bool,
    /// The traps: a function that is defined later may be run by one of them.
    traps: Vec<Arc<Source>>,
}

/// Why what follows a trap is not told.
pub(super) const LEAVES: &str = "a trap that leaves what runs";

/// Whether the text of a trap may leave what runs when it does.
fn may_leave(text: &[u8]) -> bool {
    [&b"return"[..], b"break", b"continue"].iter().any(|word| memchr::memmem::find(text, word).is_some())
}

impl Restless {
    /// Takes note of what the text of a trap may leave.
    pub(super) fn note_leaving(&mut self, text: &[u8]) {
        self.leaves |= may_leave(text);
    }

    pub(super) fn may_leave(&self) -> bool {
        self.leaves
    }

    pub(super) fn has(&self, name: &[u8]) -> bool {
        self.is_all || self.names.contains(name)
    }

    /// Makes unknown what traps may have set while it was hidden.
    pub(super) fn unsettle(&self, state: &mut State) {
        let doubt = Doubt::new(WHY, None);
        if self.is_all {
            state.vars.fog(&doubt);
        }
        for name in &self.names {
            let var = state.vars.get_or_insert_with(name, Var::unset);
            (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt.clone())), None);
        }
    }
}

/// The names that commands may set; `None` stands for any.
struct Walk<'m, 'a> {
    machine: &'m Machine<'a>,
    names: Option<BTreeSet<Bytes>>,
    depth: usize,
}

impl Machine<'_> {
    /// From here on a text may be run between any two commands.
    pub(super) fn trap_with(&mut self, text: &[u8]) {
        let text = Bytes::copy_from_slice(text);
        self.restless.traps.push(Arc::new(Source::new(self.source.path.clone(), text)));
        self.look_at_traps();
    }

    /// The trap that was set last is one that commands set off, which may print, and leave what runs there.
    pub(super) fn trap_set_off(&mut self, text: &[u8]) {
        if may_leave(text) {
            self.restless.is_all = true;
            return self.fog(LEAVES);
        }
        let Some(source) = self.restless.traps.last().cloned() else { return };
        let tree = source.tree(self.dialect);
        // An error of it ends what runs.
        let is_wrong = |word: &Word| self.may_be_an_error(&word.parts);
        let sets_wrongly = |assignment: &Assignment| {
            assignment.value.words().iter().any(is_wrong)
                || assignment.key.as_deref().is_some_and(|key| self.may_be_an_error(key))
        };
        // What such a command is told may be what it does not take, which ends the shell in these.
        let misuses = |words: &[Word]| {
            let is_strict = matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh);
            let command = words.first().and_then(Word::literal).filter(|_| is_strict);
            command.is_some_and(|name| self.is_special_command(name) || declares(name, self.dialect))
                && words.iter().any(|word| word.literal().is_none())
        };
        let may_be_wrong = |command: &Command| match &command.kind {
            Kind::Simple(assignments, words) => {
                let declared = || words.iter().filter_map(|word| word.assignment.as_deref());
                words.iter().any(is_wrong) || assignments.iter().chain(declared()).any(sets_wrongly) || misuses(words)
            }
            // What lies within is not looked at: names that are not set are what may be wrong in it.
            _ => self.refuses_unset(),
        };
        let commands = || tree.lines().flat_map(|line| &line.items).flat_map(Item::pipelines).flat_map(|p| &p.commands);
        let refers = |part: &Part| {
            part.has(&|part| match part {
                Part::Parameter(parameter) => parameter.name.first().is_some_and(|byte| is_name_start(*byte)),
                Part::Sum(_) => true,
                _ => false,
            })
        };
        let refers = |command: &Command| match &command.kind {
            Kind::Simple(assignments, words) => {
                let values = assignments.iter().flat_map(|assignment| assignment.value.words());
                words.iter().chain(values).flat_map(|word| &word.parts).any(refers)
            }
            _ => true,
        };
        let (refers, may_be_wrong) = (commands().any(refers), commands().any(may_be_wrong));
        self.restless.refers |= refers;
        if may_be_wrong {
            self.restless.is_all = true;
            return self.fog(LEAVES);
        }
        let is_quiet = |command: &Command| match &command.kind {
            Kind::Simple(_, words) => {
                words.first().is_none_or(|word| matches!(word.literal(), Some(b":" | b"true" | b"false" | b"unset" | b"export")))
            }
            _ => false,
        };
        if tree.trouble().is_none() && commands().all(is_quiet) {
            return;
        }
        self.restless.prints = true;
        self.print(Val::unknown(self.doubt(WHY)));
    }

    /// From here on a name that is not set is an error: it is one in a trap, too, that was set before.
    pub(super) fn trap_may_lack(&mut self) {
        if self.restless.refers {
            self.restless.is_all = true;
            self.fog(LEAVES);
        }
    }

    /// Whether what commands print may have something of a trap in it: where that goes on within them.
    pub(super) fn trap_may_print(&self) -> bool {
        let goes_on = match self.dialect {
            Dialect::Bash => self.may_be_set("functrace") || self.may_be_set("errtrace"),
            Dialect::Ksh | Dialect::Zsh => true,
            Dialect::Dash | Dialect::Mksh => false,
        };
        self.restless.prints && goes_on
    }

    /// Finds out anew what traps may set, as a function is defined.
    pub(super) fn look_at_traps(&mut self) {
        if self.restless.traps.is_empty() || self.restless.is_all {
            return;
        }
        let mut walk = Walk { machine: self, names: Some(BTreeSet::new()), depth: 0 };
        for trap in &self.restless.traps {
            let tree = trap.tree(self.dialect);
            if tree.trouble().is_some() {
                walk.names = None;
            }
            tree.lines().for_each(|line| walk.list(line));
        }
        match walk.names {
            Some(names) => {
                let doubt = self.doubt(WHY);
                for name in names.iter().filter(|n| !self.restless.names.contains(*n)) {
                    if let Some(state) = &mut self.live {
                        let var = state.vars.get_or_insert_with(name, Var::unset);
                        (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt.clone())), None);
                    }
                }
                self.restless.names.extend(names);
            }
            None => {
                self.restless.is_all = true;
                self.fog(WHY);
            }
        }
    }

    /// Nothing is known of a name from here on.
    pub(super) fn doubt_from_here(&mut self, name: &[u8]) {
        if let Meant::Other(other) = self.meant(name) {
            self.restless_from_here(&other);
        }
        self.restless_from_here(name);
    }

    /// The same for the names that a declaration is given.
    pub(super) fn doubt_declared<D: Borrow<Declared>>(&mut self, given: impl Iterator<Item = D>) {
        given.for_each(|declared| {
            let declared = declared.borrow();
            if let Declared::Assignment(assignment, None) = declared {
                let doubt = self.doubt(WHY);
                self.doubt_items(assignment.value.words(), &doubt);
                self.doubt_place(assignment.key.as_deref().unwrap_or_default(), &doubt);
            }
            self.doubt_from_here(&name_of(declared));
        });
    }

    /// The same for what a word that is no name begins with, up to the sign that ends the name.
    pub(super) fn doubt_beginning(&mut self, word: &[u8]) {
        let end = word.iter().position(|b| !is_name(*b)).unwrap_or(word.len());
        self.doubt_from_here(word.get(..end).unwrap_or_default());
    }

    /// The same for a name itself, whatever it stands for.
    pub(super) fn restless_from_here(&mut self, name: &[u8]) {
        let name = self.tied(name).unwrap_or_else(|| Bytes::copy_from_slice(name));
        if self.is_arguments(&name) {
            let doubt = self.doubt(WHY);
            self.put_arguments(Content::Perhaps(Val::unknown(doubt)));
        }
        self.restless.names.insert(name.clone());
        self.unsettle(&name);
    }

    /// What is set of a name that a trap may set as well.
    pub(super) fn unsettle(&mut self, name: &[u8]) {
        if self.restless.has(name) {
            let doubt = self.doubt(WHY);
            if let Some(state) = &mut self.live {
                let var = state.vars.get_or_insert_with(name, Var::unset);
                (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt)), None);
            }
        }
    }
}

impl Walk<'_, '_> {
    fn name(&mut self, name: &[u8]) {
        let name = name.split(|b| b"=[+".contains(b)).next().unwrap_or_default();
        if let Some(names) = &mut self.names {
            names.insert(self.machine.tied(name).unwrap_or_else(|| Bytes::copy_from_slice(name)));
        }
    }

    fn list(&mut self, list: &List) {
        for item in &list.items {
            for pipeline in item.pipelines() {
                pipeline.commands.iter().for_each(|c| self.command(c));
            }
        }
    }

    fn command(&mut self, command: &Command) {
        self.depth += 1;
        if self.depth > DEEPEST {
            self.names = None;
        }
        if self.names.is_none() {
            return;
        }
        match &command.kind {
            Kind::Simple(assignments, words) => self.simple(assignments, words),
            Kind::Group(list) => self.list(list),
            Kind::Subshell(_) => {}
            Kind::If(arms, otherwise) => {
                arms.iter().for_each(|(condition, body)| {
                    self.list(condition);
                    self.list(body);
                });
                otherwise.iter().for_each(|l| self.list(l));
            }
            Kind::For(names, words, body) => {
                names.iter().for_each(|name| self.name(name));
                words.iter().flatten().for_each(|w| self.parts(&w.parts));
                self.list(body);
            }
            Kind::Always(condition, body) | Kind::While(_, condition, body) => {
                self.list(condition);
                self.list(body);
            }
            Kind::Repeat(count, body) => {
                self.parts(&count.parts);
                self.list(body);
            }
            Kind::Case(word, arms) => {
                self.parts(&word.parts);
                arms.iter().for_each(|arm| self.list(&arm.body));
            }
            Kind::Test(_) => {}
            Kind::Count(..) | Kind::Arithmetic(_) | Kind::Function(..) | Kind::Named(..) | Kind::Unfollowed(_) => {
                self.names = None;
            }
        }
        self.depth -= 1;
    }

    fn simple(&mut self, assignments: &[Assignment], words: &[Word]) {
        for assignment in assignments {
            if !is_own_name(&assignment.name) {
                self.name(&assignment.name);
            }
            match &assignment.value {
                Assigned::Word(word) => self.parts(&word.parts),
                Assigned::Array(words) => words.iter().for_each(|w| self.parts(&w.parts)),
            }
        }
        words.iter().for_each(|w| self.parts(&w.parts));
        let Some((first, rest)) = words.split_first() else { return };
        let Some(name) = first.literal() else { return self.names = None };
        match self.machine.live.as_ref().and_then(|s| s.functions.get(name)) {
            Some(Some(function)) => return self.command(&function.body),
            Some(None) => match self.machine.one_of.of(name) {
                Some(bodies) => return bodies.iter().for_each(|function| self.command(&function.body)),
                None => return self.names = None,
            },
            None => {}
        }
        match name {
            b":" | b"true" | b"false" | b"test" | b"[" | b"echo" | b"kill" | b"history" | b"jobs" | b"return" | b"break"
            | b"continue" | b"times" | b"umask" | b"ulimit" => {}
            // By an option these set a name.
            b"wait" if rest.iter().all(|word| word.literal().is_some_and(|word| !word.starts_with(b"-"))) => {}
            b"print"
                if rest
                    .iter()
                    .map_while(|word| word.literal()?.strip_prefix(b"-"))
                    .flatten()
                    .all(|b| b"-nrPlNabcDR".contains(b)) => {}
            b"export" | b"declare" | b"typeset" | b"local" | b"readonly" | b"integer" | b"float" | b"unset" | b"read" => {
                for word in rest {
                    match (&word.assignment, word.literal()) {
                        (Some(assignment), _) => self.name(&assignment.name),
                        (None, Some(text)) => self.name(text),
                        (None, None) => self.names = None,
                    }
                }
            }
            b"cd" => ["PWD", "OLDPWD"].iter().for_each(|n| self.name(n.as_bytes())),
            b"printf" if rest.first().and_then(|w| w.literal()).is_none_or(|w| !w.starts_with(b"-")) => {}
            name if self.machine.is_own(name) => self.names = None,
            // A program changes nothing; what is none now may be a function later, which is looked at then.
            _ => {}
        }
    }

    fn parts(&mut self, parts: &[Part]) {
        for part in parts {
            match part {
                Part::Double(parts) => self.parts(parts),
                Part::Parameter(parameter) => match &parameter.change {
                    Change::Instead(b'=' | b':', ..) if parameter.is_indirect => self.names = None,
                    Change::Instead(b'=' | b':', ..) => self.name(&parameter.name),
                    Change::Instead(_, _, word) => self.parts(&word.parts),
                    _ => {}
                },
                Part::Shaped(shaped) => {
                    match shaped.sets() {
                        Some(_) if shaped.is_named_by_value() => self.names = None,
                        Some(name) => self.name(name),
                        None => {}
                    }
                    // What is worked out may set a name.
                    if shaped.works_out() {
                        self.names = None;
                    }
                    shaped.inner().into_iter().for_each(|parts| self.parts(parts));
                }
                Part::Unfollowed(TOLD_BY_SHELL) => {}
                Part::Sum(_) | Part::Unfollowed(_) => self.names = None,
                Part::Text(_) | Part::Quoted(_) | Part::Coded(_) | Part::Output(_) | Part::Channel(_) | Part::Document(_) => {}
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_traps_may_set_is_not_known() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'X=1' INT; X=2; R=3", ["3", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'X=1' EXIT; X=2; R=3", ["3", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap '' INT; X=2; R=3", ["3", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'f' USR1; f() { X=1; }; X=2; R=3", ["3", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'f' USR1; f() { g; }; g() { R=1; }; X=2; R=3", ["<unknown>", "2"]),
            (&[Bash, Ksh], "trap 'R=1' ERR; R=2; X=3", ["<unknown>", "3"]),
            (&[Bash], "set -u; trap ': $NONE' ERR; R=2; X=3", ["<unknown>", "<unknown>"]),
            (&[Bash], "set -u; trap 'N=$NONE' ERR; R=2; X=3", ["<unknown>", "<unknown>"]),
            (&[Bash], "trap ': $NONE' ERR; set -u; R=2; X=3", ["<unknown>", "<unknown>"]),
            (&[Bash], "trap ': $?' ERR; set -u; R=2; X=3", ["2", "3"]),
            (&[Bash], "trap ': $NONE' ERR; R=2; X=3", ["2", "3"]),
            (&[Zsh], "trap 'print -v R a' ERR; R=2; X=3", ["<unknown>", "<unknown>"]),
            (&[Zsh], "trap 'print -rl a' ERR; R=2; X=3", ["2", "3"]),
            (&[Bash], "trap 'wait -p R' ERR; R=2; X=3", ["<unknown>", "<unknown>"]),
            (&[Zsh], "TRAPUSR1() { X=1; }; X=2; R=3", ["3", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'for X in 1; do :; done; read R' HUP; X=2; R=3", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'eval \"$UNSET$1\"' TERM; X=2; R=3", ["<unknown>", "<unknown>"]),
        ]);
    }
}
