//! What a shell holds while it runs a file: variables, functions, options; and what is known of
//! each where branches come together again.

use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::aliases::Alias;
use super::branch::Branch;
use super::content::{Var, join_var};
use super::getopts::OptionsRead;
use super::layers::Layers;
use super::scope::Scope;
use super::streams::Written;
use super::syntax::Command;
use super::ties::{self, Tie};
use super::value::{Doubt, Val};
use super::vars::Vars;

/// A function.
#[derive(Clone, Debug)]
pub(super) struct Function {
    pub(super) body: Arc<Command>,
    pub(super) source: Arc<super::Source>,
    /// Whether it is defined by the word `function`: in ksh only such a one has variables of its own.
    pub(super) by_word: bool,
    /// Whether zsh runs it as sh would.
    pub(super) as_sh: bool,
    /// In whose turn it was read.
    pub(super) epoch: usize,
    /// Whether it can be changed no more.
    pub(super) is_held: bool,
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        Arc::ptr_eq(&self.body, &other.body) && self.is_held == other.is_held
    }
}

/// What a status is known to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Status {
    Known(u8),
    Unknown(Arc<Doubt>),
}

/// Options by their letters or long names; `None` where it is not known whether one is set.
pub(super) type Options = BTreeMap<&'static str, Option<bool>>;

/// All that a shell holds.
#[derive(Debug, PartialEq)]
pub(super) struct State {
    pub(super) vars: Vars,
    /// `None` marks one that may be defined or not, or otherwise.
    pub(super) functions: Layers<Option<Function>>,
    pub(super) aliases: Layers<Option<Alias>>,
    /// Options by their letters or long names; `None` where it is not known.
    pub(super) options: Options,
    pub(super) status: Status,
    /// The positional parameters.
    pub(super) positional: Result<Arc<Vec<Val>>, Arc<Doubt>>,
    /// Whether `set` put them there since the file or the function that runs was begun, or one within it; `None` where that
    /// is not known.
    pub(super) were_set: Option<bool>,
    pub(super) folder: Option<Bytes>,
    /// The folder that was left last, where that is known.
    pub(super) left: Option<Bytes>,
    /// Folders that were left with `pushd`; `None` where they are not known.
    pub(super) stack: Option<Arc<Vec<Bytes>>>,
    /// What `$0` is, where that is known: in zsh the function or the file that runs.
    pub(super) zero: Option<Bytes>,
    /// Where zsh looks for functions that it loads: the folders that are known, up to one that is not.
    pub(super) searched: Arc<Vec<Bytes>>,
    /// Options as they were when they were printed or taken up to be put back, if they were; as none where that was done
    /// more than once, and not alike.
    pub(super) kept_options: Option<Option<Arc<Options>>>,
    /// Folders that zsh was given names for; `None` marks one that is not known.
    pub(super) places: Layers<Option<Bytes>>,
    /// The lists that were tied to a text.
    pub(super) ties: Arc<Vec<Tie>>,
    /// How far `getopts` has read, where that is known.
    pub(super) reading: Option<OptionsRead>,
    /// What may be read from standard input, and how far it was read.
    pub(super) input: Option<(Bytes, usize)>,
    /// What was written, where that is taken up.
    pub(super) output: Written,
    /// Whether a name may stand for another.
    pub(super) has_references: bool,
    /// Why names that are not listed may be set, too.
    pub(super) open: Option<Arc<Doubt>>,
    /// What is put back where functions end, and commands that have variables of their own.
    pub(super) scopes: Vec<Scope>,
}

impl State {
    /// Whether what follows from beginning like this follows from beginning like another.
    /// `look` looks a program up along a PATH.
    pub(super) fn is_alike(&self, other: &State, look: impl Fn(&[u8], &[u8]) -> Option<Option<Bytes>>) -> bool {
        self.functions == other.functions && self.options == other.options && self.vars.is_alike(&other.vars, look)
    }

    pub(super) fn option(&self, name: &str) -> Option<bool> {
        self.options.get(name).copied().unwrap_or(Some(false))
    }
}

impl Branch for State {
    fn fork(&mut self) -> State {
        State {
            vars: self.vars.fork(),
            functions: self.functions.fork(),
            aliases: self.aliases.fork(),
            stack: self.stack.clone(),
            zero: self.zero.clone(),
            searched: self.searched.clone(),
            kept_options: self.kept_options.clone(),
            places: self.places.fork(),
            scopes: self.scopes.iter_mut().map(Scope::fork).collect(),
            options: self.options.clone(),
            status: self.status.clone(),
            positional: self.positional.clone(),
            were_set: self.were_set,
            folder: self.folder.clone(),
            left: self.left.clone(),
            has_references: self.has_references,
            ties: self.ties.clone(),
            reading: self.reading.clone(),
            input: self.input.clone(),
            output: self.output.clone(),
            open: self.open.clone(),
        }
    }

    fn take_in(&mut self, other: &State, last: Option<&State>, why: &Arc<Doubt>) {
        let missing = |open: &Option<Arc<Doubt>>| match open {
            Some(doubt) => Var::unknown(doubt),
            None => Var::unset(),
        };
        self.vars.join(&other.vars, last.map(|s| &s.vars), |a, b| {
            let (mine, others);
            let a = if let Some(a) = a {
                a
            } else {
                mine = missing(&self.open);
                &mine
            };
            let b = if let Some(b) = b {
                b
            } else {
                others = missing(&other.open);
                &others
            };
            Some(join_var(a, b, why))
        });
        // What is not the same in both may be one or the other, or missing.
        self.functions.join(&other.functions, last.map(|s| &s.functions), || None);
        self.aliases.join(&other.aliases, last.map(|s| &s.aliases), || None);
        self.places.join(&other.places, last.map(|s| &s.places), || None);
        if self.zero != other.zero {
            self.zero = None;
        }
        if self.searched != other.searched {
            self.searched = Arc::default();
        }
        if self.kept_options != other.kept_options {
            self.kept_options = Some(None);
        }
        if self.stack != other.stack {
            self.stack = None;
        }
        let names: Vec<&'static str> = self.options.keys().chain(other.options.keys()).copied().collect();
        for name in names {
            if self.option(name) != other.option(name) {
                self.options.insert(name, None);
            }
        }
        if self.status != other.status {
            self.status = Status::Unknown(why.clone());
        }
        if self.positional != other.positional {
            self.positional = Err(why.clone());
        }
        if self.were_set != other.were_set {
            self.were_set = None;
        }
        if self.folder != other.folder {
            self.folder = None;
        }
        if self.left != other.left {
            self.left = None;
        }
        self.has_references |= other.has_references;
        ties::join(&mut self.ties, &other.ties);
        if self.reading != other.reading {
            self.reading = None;
        }
        if self.input != other.input {
            self.input = None;
        }
        self.output.join(&other.output, why);
        // Ways end as deep in functions as they began.
        if self.scopes.len() != other.scopes.len() {
            self.open.get_or_insert_with(|| why.clone());
            self.scopes.truncate(other.scopes.len());
        }
        for (scope, theirs) in self.scopes.iter_mut().zip(&other.scopes) {
            scope.take_in(theirs, why);
        }
        if self.open.is_none() {
            self.open.clone_from(&other.open);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::borrow::Cow;

    use proptest::prelude::*;

    use super::super::branch::Left;
    use super::super::content::Content;
    use super::super::content::tests::may_hold;
    use super::*;

    /// What a line does.
    #[derive(Clone, Debug)]
    enum Line {
        Set(usize, &'static str),
        Unset(usize),
        Fog,
        /// It leaves, perhaps.
        Leave,
        /// One of two lots of lines is run, who knows which.
        Either(Vec<Line>, Vec<Line>),
    }

    fn lines() -> impl Strategy<Value = Vec<Line>> {
        let line = prop_oneof![
            5 => (0..NAMES.len(), prop::sample::select(vec!["", "low", "high"])).prop_map(|(name, text)| Line::Set(name, text)),
            1 => (0..NAMES.len()).prop_map(Line::Unset),
            1 => Just(Line::Fog),
            3 => Just(Line::Leave),
        ];
        let nested = line.prop_recursive(3, 40, 6, |line| {
            let some = || prop::collection::vec(line.clone(), 0..6);
            (some(), some()).prop_map(|(one, other)| Line::Either(one, other))
        });
        prop::collection::vec(nested, 0..14)
    }

    const NAMES: [&str; 3] = ["GATE", "PIER", "TIDE"];

    fn empty() -> State {
        State {
            vars: Vars::default(),
            functions: Layers::default(),
            aliases: Layers::default(),
            stack: None,
            zero: None,
            searched: Arc::default(),
            kept_options: None,
            ties: Arc::default(),
            reading: None,
            places: Layers::default(),
            options: BTreeMap::new(),
            status: Status::Known(0),
            positional: Ok(Arc::default()),
            were_set: Some(false),
            folder: None,
            left: None,
            has_references: false,
            input: None,
            output: Written::default(),
            open: None,
            scopes: Vec::new(),
        }
    }

    fn name(at: usize) -> Bytes {
        Bytes::from_static(NAMES[at].as_bytes())
    }

    /// Follows lines as the interpreter does; `left` takes what is left.
    fn follow(lines: &[Line], mut live: State, left: &mut Left<State>) -> State {
        let why = Doubt::new("so", None);
        for line in lines {
            match line {
                Line::Set(at, text) => {
                    live.vars.insert(name(*at), Var { content: Content::Set(Val::of(text)), ..Var::unset() });
                    let alias = Alias { text: Bytes::from_static(text.as_bytes()), born: 0, died: None, before: None };
                    live.aliases.insert(name(*at), Some(alias));
                }
                Line::Unset(at) => {
                    live.vars.remove(&name(*at));
                    live.aliases.remove(&name(*at));
                }
                Line::Fog => {
                    live.vars.fog(&why);
                    live.open.get_or_insert(why.clone());
                }
                Line::Leave => left.add(Some(live.fork()), &why),
                Line::Either(one, other) => {
                    let before = live.fork();
                    live = follow(one, live, left);
                    live.take_in(&follow(other, before, left), None, &why);
                }
            }
        }
        live
    }

    /// What a run may hold: each name's text, or that anything may be set.
    type Run = [Option<Option<&'static str>>; 3];

    /// All runs that lines allow, with those that were left.
    fn runs(lines: &[Line], from: Vec<Run>, left: &mut Vec<Run>) -> Vec<Run> {
        let mut live = from;
        for line in lines {
            match line {
                Line::Set(at, text) => live.iter_mut().for_each(|run| run[*at] = Some(Some(text))),
                Line::Unset(at) => live.iter_mut().for_each(|run| run[*at] = Some(None)),
                Line::Fog => live.iter_mut().for_each(|run| *run = [None; 3]),
                Line::Leave => left.extend(&live),
                Line::Either(one, other) => {
                    let mut both = runs(one, live.clone(), left);
                    both.extend(runs(other, live, left));
                    both.sort();
                    both.dedup();
                    live = both;
                }
            }
        }
        live
    }

    /// Whether a state says of no name what is not so in a run.
    fn allows(state: &State, run: &Run) -> bool {
        run.iter().enumerate().all(|(at, held)| {
            let var = state.vars.get(&name(at)).map(Cow::into_owned);
            let is_told = |text: Option<&str>| match &var {
                Some(var) => may_hold(var, text.map(str::as_bytes)),
                None => text.is_none() || state.open.is_some(),
            };
            match held {
                Some(text) => is_told(*text),
                // Anything: each text, and none.
                None => is_told(None) && is_told(Some("")) && is_told(Some("flood")),
            }
        })
    }

    proptest! {
        /// Whatever ways lines may be run, what is known where they are left or end is so on each.
        #[test]
        fn what_is_known_of_several_ways_holds_on_each(lines in lines()) {
            let mut left = Left::default();
            let end = follow(&lines, empty(), &mut left);
            let mut left_runs = Vec::new();
            let end_runs = runs(&lines, vec![[Some(None); 3]], &mut left_runs);
            prop_assert!(end_runs.iter().all(|run| allows(&end, run)), "{:?}", end.vars);
            match left.take() {
                Some(state) => prop_assert!(left_runs.iter().all(|run| allows(&state, run)), "{:?} {left_runs:?}", state.vars),
                None => prop_assert!(left_runs.is_empty()),
            }
        }

        /// What holds on one way only is all that is known of it.
        #[test]
        fn one_way_is_known_whole(lines in prop::collection::vec((0..NAMES.len(), prop::sample::select(vec!["", "low"])), 0..9)) {
            let all: Vec<Line> = lines.iter().flat_map(|(at, text)| [Line::Set(*at, text), Line::Leave]).collect();
            let mut left = Left::default();
            let end = follow(&all, empty(), &mut left);
            let last = |at| lines.iter().rev().find(|(name, _)| *name == at).map(|(_, text)| Content::Set(Val::of(text)));
            for at in 0..NAMES.len() {
                prop_assert_eq!(end.vars.get(&name(at)).map(|var| var.content.clone()), last(at));
            }
            // A name that has one text wherever it was left has it there, too.
            let state = left.take();
            for at in 0..NAMES.len() {
                let texts: Vec<_> = lines.iter().filter(|(name, _)| *name == at).map(|(_, text)| text).collect();
                let is_first = lines.first().is_some_and(|(name, _)| *name == at);
                if is_first && texts.windows(2).all(|pair| pair[0] == pair[1]) {
                    let content = state.as_ref().and_then(|s| s.vars.get(&name(at)).map(|var| var.content.clone()));
                    prop_assert_eq!(content, last(at));
                }
            }
        }
    }
}
