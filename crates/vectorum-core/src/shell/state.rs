//! What a shell holds while it runs a file: variables, functions, options; and what is known of
//! each where branches come together again.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use bytes::Bytes;

use super::branch::Branch;
use super::getopts::OptionsRead;
use super::layers::Layers;
use super::syntax::Command;
use super::table::Table;
use super::ties::{self, Tie};
use super::value::{Doubt, Val};
use super::vars::Vars;
use crate::route::Site;

/// What a variable holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Content {
    /// It is not set.
    Unset,
    /// It is set.
    Set(Val),
    /// It is set to this, or not at all.
    Perhaps(Val),
    /// A list of values.
    Array(Arc<Vec<Val>>),
    /// A table by words.
    Table(Arc<Table>),
}

impl Content {
    /// The value as a text: of a list, its first.
    pub(super) fn value(&self) -> Option<Val> {
        match self {
            Content::Unset => None,
            Content::Set(value) | Content::Perhaps(value) => Some(value.clone()),
            Content::Array(values) => values.first().cloned(),
            // What it is as a text is nobody's business: it is none that is handed on.
            Content::Table(_) => None,
        }
    }
}

/// A variable.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Var {
    pub(super) content: Content,
    /// Whether children receive it; `None` where that is not known.
    pub(super) exported: Option<bool>,
    pub(super) readonly: bool,
    /// Whether it may be held fast, or not.
    pub(super) may_be_readonly: bool,
    /// The line that decided its value; `None` for what was there at the start.
    pub(super) site: Option<Site>,
    /// Whether it is exported only once it gets a value (zsh).
    pub(super) is_pending: bool,
    /// Whether something was done to it that is not followed, such as `declare -i`.
    pub(super) is_odd: bool,
    /// Whether it holds a number: what it is set to is worked out.
    pub(super) is_number: bool,
    /// Whether zsh keeps each item of it once only.
    pub(super) is_unique: bool,
    /// Whether it may be a list, which stays one and is not handed on.
    pub(super) may_be_list: bool,
    /// Of an empty text that a list is tied to, whether that has an empty item, and not none.
    pub(super) has_empty_item: bool,
}

impl Var {
    /// Whether it is a list, or may be one.
    pub(super) fn can_be_list(&self) -> bool {
        self.may_be_list || matches!(self.content, Content::Array(_) | Content::Table(_))
    }

    /// One of which nothing is known.
    pub(super) fn unknown(why: &Arc<Doubt>) -> Var {
        Var { content: Content::Perhaps(Val::Unknown(why.clone())), exported: None, ..Var::unset() }
    }

    pub(super) fn unset() -> Var {
        Var {
            content: Content::Unset,
            exported: Some(false),
            readonly: false,
            may_be_readonly: false,
            site: None,
            is_pending: false,
            is_odd: false,
            is_number: false,
            is_unique: false,
            may_be_list: false,
            has_empty_item: false,
        }
    }
}

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
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        Arc::ptr_eq(&self.body, &other.body)
    }
}

/// An alias: it counts for lines that are read after the one in whose turn it is defined, up to the one in
/// whose turn it is taken back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Alias {
    pub(super) text: Bytes,
    pub(super) born: usize,
    pub(super) died: Option<usize>,
    /// The one whose place it took, for what was read before; `None` within where that may be one or another.
    pub(super) before: Option<Option<Arc<Alias>>>,
}

/// What an alias stands for at some place.
pub(super) enum Stands {
    ForNothing,
    For(Bytes),
    Unclear,
}

impl Alias {
    /// What an alias stands for in what was read at some time.
    pub(super) fn at(&self, epoch: usize) -> Stands {
        if self.born < epoch {
            return match self.died {
                Some(died) if epoch > died => Stands::ForNothing,
                _ => Stands::For(self.text.clone()),
            };
        }
        match &self.before {
            None => Stands::ForNothing,
            Some(None) => Stands::Unclear,
            Some(Some(before)) => before.at(epoch),
        }
    }
}

/// What a status is known to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Status {
    Known(u8),
    Unknown(Arc<Doubt>),
}

/// What a function or a single command hides.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Scope {
    /// The variables as they were; `None` is one that was not there.
    pub(super) vars: Layers<Option<Var>>,
    /// For a function the positional parameters of its caller.
    pub(super) positional: Option<Result<Arc<Vec<Val>>, Arc<Doubt>>>,
    /// For what stands before a function in bash: it can be made to stay.
    pub(super) lends: bool,
    /// The names that are made to; whether that is certain.
    pub(super) kept: BTreeMap<Bytes, bool>,
    /// Those that the function made local as well.
    pub(super) made_local: BTreeSet<Bytes>,
    /// Where its caller reads options, if it reads them anew; within, nothing where that is not known.
    pub(super) reading: Option<Option<OptionsRead>>,
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
    pub(super) folder: Option<Bytes>,
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
    /// What was written to standard output, where that is taken up.
    pub(super) output: Option<Val>,
    /// Why names that are not listed may be set, too.
    pub(super) open: Option<Arc<Doubt>>,
    /// What is put back where functions end, and commands that have variables of their own.
    pub(super) scopes: Vec<Scope>,
}

fn join_content(a: &Content, b: &Content, why: &Arc<Doubt>) -> Content {
    use Content::{Array, Perhaps, Set, Table, Unset};
    match (a, b) {
        (a, b) if a == b => a.clone(),
        (Unset, other) | (other, Unset) => match other {
            Set(value) | Perhaps(value) => Perhaps(value.clone()),
            Array(_) | Table(_) | Unset => Perhaps(Val::Unknown(why.clone())),
        },
        (Array(_) | Table(_), _) | (_, Array(_) | Table(_)) => Perhaps(Val::Unknown(why.clone())),
        (Set(a), Set(b)) => Set(a.join(b, why)),
        (Set(a) | Perhaps(a), Set(b) | Perhaps(b)) => Perhaps(a.join(b, why)),
    }
}

fn join_var(a: &Var, b: &Var, why: &Arc<Doubt>) -> Var {
    let content = match join_content(&a.content, &b.content, why) {
        Content::Set(_) if a.has_empty_item != b.has_empty_item => Content::Set(Val::Unknown(why.clone())),
        content => content,
    };
    // Of a name that is not set the export says nothing.
    let exported = match (&a.content, &b.content) {
        (Content::Unset, Content::Unset) if a.exported != b.exported => None,
        // What sets it later may set one that is exported, or one that is not.
        (Content::Unset, _) if a.exported == Some(false) => b.exported.filter(|exported| !exported),
        (_, Content::Unset) if b.exported == Some(false) => a.exported.filter(|exported| !exported),
        // One that is exported once it gets a value has one here, or not.
        _ if a.is_pending != b.is_pending && (a.exported, b.exported) != (Some(false), Some(false)) => None,
        _ if a.exported == b.exported => a.exported,
        _ => None,
    };
    let site = if matches!(content, Content::Unset) { None } else { b.site.clone().or(a.site.clone()) };
    Var {
        content,
        exported,
        readonly: a.readonly && b.readonly,
        may_be_readonly: a.readonly != b.readonly || a.may_be_readonly || b.may_be_readonly,
        site,
        is_pending: a.is_pending && b.is_pending,
        is_odd: a.is_odd || b.is_odd || a.is_unique != b.is_unique,
        is_number: a.is_number || b.is_number,
        is_unique: a.is_unique && b.is_unique,
        may_be_list: a.can_be_list() || b.can_be_list(),
        has_empty_item: a.has_empty_item,
    }
}

impl Scope {
    /// Takes in what the same function or command hides on another way.
    fn take_in(&mut self, other: &Scope, why: &Arc<Doubt>) {
        let names = self.vars.parted(&other.vars).into_iter();
        let hidden = names.filter_map(|name| match (self.vars.get(name), other.vars.get(name)) {
            (a, b) if a == b => None,
            (Some(Some(a)), Some(Some(b))) => Some((name.clone(), join_var(a, b, why))),
            // What is set from here on of a name that is hidden on one way only may stay, or be lost.
            _ => Some((name.clone(), Var { may_be_readonly: true, may_be_list: true, ..Var::unknown(why) })),
        });
        for (name, var) in hidden.collect::<Vec<_>>() {
            self.vars.insert(name, Some(var));
        }
        for name in self.kept.keys().chain(other.kept.keys()).cloned().collect::<Vec<_>>() {
            let is_sure = self.kept.get(&name) == Some(&true) && other.kept.get(&name) == Some(&true);
            self.kept.insert(name, is_sure);
        }
        // Where it is not certain, what is revealed differs in the two.
        self.made_local.extend(other.made_local.iter().cloned());
        if self.reading != other.reading {
            self.reading = Some(None);
        }
    }

    fn fork(&mut self) -> Scope {
        Scope {
            vars: self.vars.fork(),
            positional: self.positional.clone(),
            lends: self.lends,
            kept: self.kept.clone(),
            made_local: self.made_local.clone(),
            reading: self.reading.clone(),
        }
    }
}

impl State {
    /// Whether what follows from beginning like this follows from beginning like another.
    /// `look` looks a program up along a PATH.
    pub(super) fn is_alike(&self, other: &State, look: impl Fn(&[u8], &[u8]) -> Option<Option<Bytes>>) -> bool {
        self.functions == other.functions && self.options == other.options && self.vars.is_alike(&other.vars, look)
    }

    /// Puts back what was hidden last. `exports` says whether zsh hands a list's text on that it sets so.
    pub(super) fn close_scope(&mut self, exports: impl Fn(&[u8]) -> bool, marks: bool) {
        let Some(Scope { vars, positional, kept, reading, .. }) = self.scopes.pop() else { return };
        for (name, var) in vars.iter().filter_map(|(name, var)| Some((name.clone(), var?.clone()))) {
            if let Some(is_sure) = kept.get(&name) {
                if !is_sure {
                    let doubt = Doubt::new("whether what stands before a function stays set", None);
                    self.vars.insert(name.clone(), Var::unknown(&doubt));
                }
                // So it does in what stands before the function that called it.
                self.lend(&name, *is_sure);
                continue;
            }
            match var {
                // With `set -a` dash leaves its mark.
                Some(var) if marks => self.vars.insert(name, Var { exported: None, ..var }),
                None if marks => self.vars.insert(name, Var { exported: None, ..Var::unset() }),
                // zsh exports a name that was only to be exported once it has a value, which it has now.
                Some(var) if var.is_pending => self.vars.insert(name, Var { exported: None, is_pending: false, ..var }),
                Some(var) => {
                    let exported = if exports(&name) { None } else { var.exported };
                    self.vars.insert(name, Var { exported, ..var });
                }
                None => self.vars.remove(&name),
            }
        }
        if let Some(positional) = positional {
            self.positional = positional;
        }
        if let Some(reading) = reading {
            self.reading = reading;
        }
    }

    /// Takes what a name is outside of all that hides it for what it is here, and the other way round; `false` if nothing
    /// hides it.
    pub(super) fn swap_outermost(&mut self, name: &Bytes) -> bool {
        let Some(scope) = self.scopes.iter_mut().find(|scope| scope.vars.get(name).is_some()) else { return false };
        let outermost = scope.vars.get(name).cloned().flatten();
        scope.vars.insert(name.clone(), self.vars.get(name).map(Cow::into_owned));
        match outermost {
            Some(var) => self.vars.insert(name.clone(), var),
            None => self.vars.remove(name),
        }
        true
    }

    /// Whether something hides what a name is outside of it; `by_itself` says whether the function that runs counts, too.
    pub(super) fn hides(&self, name: &[u8], by_itself: bool) -> bool {
        let nearest = self.scopes.iter().rposition(|scope| scope.vars.get(name).is_some());
        let function = self.scopes.iter().rposition(|scope| scope.positional.is_some());
        let is_before = |at: usize| Some(at + 1) == function && self.scopes.get(at).is_some_and(|s| s.made_local.contains(name));
        nearest.is_some_and(|at| by_itself || Some(at) != function && !is_before(at))
    }

    /// Takes away what hides a name most nearly.
    pub(super) fn reveal(&mut self, name: &Bytes) {
        let Some(scope) = self.scopes.iter_mut().rev().find(|scope| scope.vars.get(name).is_some()) else { return };
        let outer = scope.vars.get(name).cloned().flatten();
        scope.vars.remove(name);
        scope.kept.remove(name);
        match outer {
            Some(var) => self.vars.insert(name.clone(), var),
            None => self.vars.remove(name),
        }
    }

    /// Has a name stay set that stands before a function which runs, if it does and hides no local one.
    pub(super) fn lend(&mut self, name: &Bytes, is_sure: bool) {
        if let Some(scope) = self.scopes.iter_mut().rev().find(|scope| scope.vars.get(name).is_some())
            && scope.lends
        {
            scope.kept.insert(name.clone(), is_sure);
        }
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
            folder: self.folder.clone(),
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
        if self.folder != other.folder {
            self.folder = None;
        }
        ties::join(&mut self.ties, &other.ties);
        if self.reading != other.reading {
            self.reading = None;
        }
        if self.input != other.input {
            self.input = None;
        }
        self.output = match (self.output.take(), &other.output) {
            (Some(a), Some(b)) => Some(a.join(b, why)),
            _ => None,
        };
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
    use super::*;

    fn value() -> impl Strategy<Value = Val> {
        let known = prop::sample::select(vec!["", "low", "high"]).prop_map(Val::of);
        let doubt = |(filled, few): (bool, bool)| {
            let could_be = if few { vec![Bytes::from_static(b"low"), Bytes::from_static(b"flood")] } else { Vec::new() };
            Val::Unknown(Arc::new(Doubt { could_be, is_filled: filled, ..(*Doubt::new("so", None)).clone() }))
        };
        prop_oneof![known, (any::<bool>(), any::<bool>()).prop_map(doubt)]
    }

    fn var() -> impl Strategy<Value = Var> {
        let content = prop_oneof![
            Just(Content::Unset),
            value().prop_map(Content::Set),
            value().prop_map(Content::Perhaps),
            prop::collection::vec(value(), 0..3).prop_map(|items| Content::Array(Arc::new(items))),
            value().prop_map(|item| Content::Table(Arc::new([(Bytes::from_static(b"key"), item)].into()))),
        ];
        let flags = prop::collection::vec(any::<bool>(), 4);
        (content, prop::option::of(any::<bool>()), flags).prop_map(|(content, exported, flags)| Var {
            content,
            exported,
            readonly: flags[0],
            is_pending: flags[1],
            is_odd: flags[2],
            is_number: flags[3],
            ..Var::unset()
        })
    }

    /// Whether a text may be what a value stands for.
    fn may_be(value: &Val, text: &[u8]) -> bool {
        match value {
            Val::Known(known) => known == text,
            Val::Unknown(doubt) => {
                !(doubt.is_filled && text.is_empty()) && (doubt.could_be.is_empty() || doubt.could_be.iter().any(|c| c == text))
            }
        }
    }

    /// Whether a variable may be set to a text, or not be set.
    fn may_hold(var: &Var, text: Option<&[u8]>) -> bool {
        match (&var.content, text) {
            (Content::Unset | Content::Perhaps(_), None) => true,
            (Content::Set(value) | Content::Perhaps(value), Some(text)) => may_be(value, text),
            _ => false,
        }
    }

    const TEXTS: [&[u8]; 4] = [b"", b"low", b"high", b"flood"];

    proptest! {
        /// Whatever is so on one of two ways may be so where they come together.
        #[test]
        fn a_join_holds_on_both_ways(a in var(), b in var()) {
            let why = Doubt::new("both ways", None);
            let joined = join_var(&a, &b, &why);
            for way in [&a, &b] {
                for text in [None].into_iter().chain(TEXTS.map(Some)) {
                    prop_assert!(!may_hold(way, text) || may_hold(&joined, text), "{way:?} {joined:?} {text:?}");
                }
                let is_set = !matches!(way.content, Content::Unset);
                prop_assert!(!is_set || joined.exported.is_none() || joined.exported == way.exported, "{way:?} {joined:?}");
                prop_assert!(!joined.readonly || way.readonly);
                prop_assert!(way.readonly == joined.readonly || joined.may_be_readonly);
                prop_assert!(!way.can_be_list() || joined.can_be_list());
            }
            prop_assert_eq!(join_var(&a, &a, &why).content, a.content);
        }

        #[test]
        fn values_that_come_together_are_one_of_both(a in value(), b in value()) {
            let joined = a.join(&b, &Doubt::new("both ways", None));
            for text in TEXTS {
                prop_assert!(!(may_be(&a, text) || may_be(&b, text)) || may_be(&joined, text), "{joined:?} {text:?}");
            }
            prop_assert_eq!(joined.known().is_some(), a == b && a.known().is_some());
        }
    }

    #[test]
    fn an_alias_counts_for_what_is_read_after_it() {
        let first = Alias { text: Bytes::from_static(b"one"), born: 3, died: Some(8), before: None };
        let second = Alias { text: Bytes::from_static(b"two"), born: 5, died: None, before: Some(Some(Arc::new(first.clone()))) };
        let told = |alias: &Alias, epoch| match alias.at(epoch) {
            Stands::ForNothing => "nothing".to_owned(),
            Stands::Unclear => "unclear".to_owned(),
            Stands::For(text) => String::from_utf8_lossy(&text).into_owned(),
        };
        assert_eq!([2, 3, 4, 8, 9].map(|epoch| told(&first, epoch)), ["nothing", "nothing", "one", "one", "nothing"]);
        assert_eq!([3, 4, 5, 6, 9].map(|epoch| told(&second, epoch)), ["nothing", "one", "one", "two", "two"]);
        let either = Alias { before: Some(None), ..second };
        assert_eq!([4, 6].map(|epoch| told(&either, epoch)), ["unclear", "two"]);
    }

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
            folder: None,
            input: None,
            output: None,
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
