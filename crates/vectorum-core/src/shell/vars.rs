//! The variables of a shell. Branches share what they have in common; and what was looked up of what the
//! shell began with is kept in mind, so that what follows from it holds for another start that is alike
//! in all of that.

use std::borrow::Cow;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

use bytes::Bytes;
use hashbrown::HashMap;

use super::content::{Content, Var};
use super::foggy::{Fogged, Foggy};
use super::handed::Handed;
use super::value::{Doubt, Val};
use crate::lock::lock;
use crate::reader::is_portable;

/// For what a variable is looked up: the more, the more has to be alike.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum For {
    /// To be set anew and exported: whether it is a plain text, if it is there at all.
    Export,
    /// To be set anew: all but its text.
    Replacing,
    /// Its value.
    Value,
}

/// What is kept of a name.
pub(super) trait Stored: Fogged {
    /// Returns what a name is that is handed in; `None` if it is none to the shell.
    fn handed(name: &[u8], value: Val, may_be_absent: bool) -> Option<Self>;

    /// Whether it is a text without an attribute but its export.
    fn is_plain(&self, name: &[u8]) -> bool;

    /// Whether whatever is handed in is that.
    fn is_handed_plain(may_be_absent: bool) -> bool;

    /// The same with nothing for its value, unless it is a list.
    fn without_value(&self) -> Self;
}

/// What a shell begins with, and which names of it were looked up.
#[derive(Debug)]
pub(super) struct Start<V = Var> {
    handed: Handed,
    /// What the shell makes of names by itself; `None` is one that it takes out.
    own: HashMap<Bytes, Option<V>>,
    /// The names that were looked up, whether they are there or not, and for what.
    asked: Mutex<HashMap<Bytes, For>>,
    /// Whether it was asked which names there are.
    is_listed: AtomicBool,
    /// Programs that were looked up along its PATH, and what was found.
    programs: Mutex<HashMap<Bytes, Option<Bytes>>>,
}

/// Variables: those at the start, if there were any, and what became of them since.
#[derive(Debug)]
pub(super) struct Vars<V = Var> {
    start: Option<Arc<Start<V>>>,
    changed: Foggy<V>,
}

impl<V> Default for Vars<V> {
    fn default() -> Vars<V> {
        Vars { start: None, changed: Foggy::default() }
    }
}

impl<V: Fogged> FromIterator<(Bytes, V)> for Vars<V> {
    fn from_iter<I: IntoIterator<Item = (Bytes, V)>>(all: I) -> Vars<V> {
        Vars { start: None, changed: all.into_iter().collect() }
    }
}

impl<V: Stored> PartialEq for Vars<V> {
    fn eq(&self, other: &Vars<V>) -> bool {
        let is_same = |name: &&Bytes| self.get(name) == other.get(name);
        self.changed.is_as_foggy(&other.changed) && self.changed.parted(&other.changed).iter().all(is_same)
    }
}

impl Fogged for Var {
    /// What the shell or the system holds fast stays.
    fn fogged(self, why: &Arc<Doubt>) -> Var {
        if self.readonly {
            return self;
        }
        let may_be_list = self.can_be_list();
        Var { content: Content::Perhaps(Val::unknown(why.clone())), exported: None, site: None, may_be_list, ..self }
    }
}

impl Stored for Var {
    fn handed(name: &[u8], value: Val, may_be_absent: bool) -> Option<Var> {
        let content = if may_be_absent { Content::Perhaps(value) } else { Content::Set(value) };
        // One that is not there is not exported either.
        let exported = (!may_be_absent).then_some(true);
        is_portable(name).then(|| Var { content, exported, ..Var::unset() })
    }

    fn is_plain(&self, _: &[u8]) -> bool {
        !self.can_be_list() && Var { content: Content::Unset, exported: Some(false), site: None, ..*self } == Var::unset()
    }

    fn is_handed_plain(_: bool) -> bool {
        true
    }

    fn without_value(&self) -> Var {
        let nothing = || Val::Known(Bytes::new());
        let content = match &self.content {
            Content::Unset => Content::Unset,
            Content::Set(_) => Content::Set(nothing()),
            Content::Perhaps(_) => Content::Perhaps(nothing()),
            Content::Array(items) => Content::Array(Arc::clone(items)),
            Content::Table(items) => Content::Table(Arc::clone(items)),
        };
        Var { content, site: self.site.clone(), ..*self }
    }
}

impl<V: Stored> Start<V> {
    /// Begins with what is handed in; names that are none are none of its variables.
    pub(super) fn new(handed: Handed) -> Start<V> {
        Start {
            handed,
            own: HashMap::new(),
            asked: Mutex::default(),
            is_listed: AtomicBool::new(false),
            programs: Mutex::default(),
        }
    }

    pub(super) fn get(&self, name: &[u8]) -> Option<Cow<'_, V>> {
        if let Some(own) = self.own.get(name) {
            return own.as_ref().map(Cow::Borrowed);
        }
        let (value, may_be_absent) = self.handed.get(name)?;
        V::handed(name, value, may_be_absent).map(Cow::Owned)
    }

    /// Sets a name as the shell does by itself.
    pub(super) fn set(&mut self, name: impl AsRef<[u8]>, var: V) {
        self.own.insert(Bytes::copy_from_slice(name.as_ref()), Some(var));
    }

    /// Takes a name out.
    pub(super) fn remove(&mut self, name: &str) {
        self.own.insert(Bytes::copy_from_slice(name.as_bytes()), None);
    }

    /// Whether the same names are there as at another start.
    fn has_names_of(&self, other: &Start<V>) -> bool {
        let is_there = |start: &Start<V>, name: &[u8]| start.own.get(name).map(Option::is_some);
        let by_itself = self.own().chain(other.own()).all(|name| is_there(self, name) == is_there(other, name));
        let is_certain = |handed: Option<&crate::route::Variable>| handed.map(|handed| handed.may_be_absent);
        by_itself
            && self
                .handed
                .differing(&other.handed)
                .all(|(name, a, b)| self.own.contains_key(name) || is_certain(a) == is_certain(b))
    }

    /// Returns the names that the shell itself makes something of.
    fn own(&self) -> impl Iterator<Item = &Bytes> {
        self.own.keys()
    }

    /// Returns the names that are as they were handed in.
    fn handed(&self) -> impl Iterator<Item = &Bytes> {
        self.handed.names().filter(|name| !self.own.contains_key(*name))
    }
}

impl Start {
    fn path(&self) -> Option<Bytes> {
        match self.get(b"PATH")?.content {
            Content::Set(Val::Known(ref path)) => Some(path.clone()),
            _ => None,
        }
    }
}

impl<V: Stored> Vars<V> {
    pub(super) fn new(start: Start<V>) -> Vars<V> {
        Vars { start: Some(Arc::new(start)), changed: Foggy::default() }
    }

    /// Begins a branch.
    pub(super) fn fork(&mut self) -> Vars<V> {
        Vars { start: self.start.clone(), changed: self.changed.fork() }
    }

    fn at_start(&self, name: &[u8], what: For, owned: impl FnOnce() -> Bytes) -> Option<Cow<'_, V>> {
        let start = self.start.as_ref()?;
        let mut asked = lock(&start.asked);
        if asked.get(name).is_none_or(|had| what > *had) {
            asked.insert(owned(), what);
        }
        drop(asked);
        start.get(name).map(|var| self.changed.seen_from_before(var))
    }

    pub(super) fn get(&self, name: &[u8]) -> Option<Cow<'_, V>> {
        self.look(name, For::Value)
    }

    /// Returns a variable of which no more than that is of account.
    pub(super) fn look(&self, name: &[u8], what: For) -> Option<Cow<'_, V>> {
        let at_start = || self.at_start(name, what, || Bytes::copy_from_slice(name));
        self.changed.look(name).unwrap_or_else(at_start)
    }

    /// The same for a name that can be shared.
    pub(super) fn look_for(&self, name: &Bytes, what: For) -> Option<Cow<'_, V>> {
        self.changed.look(name).unwrap_or_else(|| self.at_start(name, what, || name.clone()))
    }

    /// Returns a name as it is kept here.
    pub(super) fn name(&self, name: &[u8]) -> Bytes {
        self.changed.name(name).cloned().unwrap_or_else(|| Bytes::copy_from_slice(name))
    }

    pub(super) fn contains(&self, name: &[u8]) -> bool {
        self.get(name).is_some()
    }

    pub(super) fn insert(&mut self, name: Bytes, var: V) {
        self.changed.insert(name, var);
    }

    pub(super) fn remove(&mut self, name: &[u8]) {
        self.changed.remove(name);
    }

    /// From here on each one may be anything.
    pub(super) fn fog(&mut self, why: &Arc<Doubt>) {
        self.changed.fog(why);
    }

    /// Returns the names that were changed here or in another branch since they parted.
    pub(super) fn parted(&self, other: &Vars<V>) -> Vec<Bytes> {
        self.changed.parted(&other.changed).into_iter().cloned().collect()
    }

    /// Puts together what each name is here and in another state. What was the last to be put together with this, if
    /// something was, holds nothing that does not hold here.
    pub(super) fn join(&mut self, other: &Vars<V>, last: Option<&Vars<V>>, join: impl Fn(Option<&V>, Option<&V>) -> Option<V>) {
        let parts_from = &last.unwrap_or(self).changed;
        let is_foggier = parts_from.is_clearer(&other.changed);
        let joined = parts_from.parted(&other.changed).into_iter().filter_map(|name| {
            let (a, b) = (self.get(name), other.get(name));
            let var = if a != b {
                join(a.as_deref(), b.as_deref())?
            } else if is_foggier {
                // What is so in both stays so in the other's fog.
                a?.into_owned()
            } else {
                return None;
            };
            Some((name.clone(), var))
        });
        let joined = joined.collect();
        self.changed.take_in(joined, is_foggier.then_some(&other.changed));
    }

    /// Whether what follows from one start follows from another: they are alike in all that was looked up, programs
    /// aside.
    pub(super) fn is_asked_alike(&self, other: &Vars<V>) -> bool {
        let (Some(one), Some(two)) = (&self.start, &other.start) else { return false };
        let asked = lock(&one.asked);
        let is_alike = |name: &Bytes, what: &For| {
            let (a, b) = (one.get(name), two.get(name));
            let is_plain = |var: &Option<Cow<'_, V>>| var.as_ref().is_none_or(|var| var.is_plain(name));
            let is_replaced_alike = || a.as_ref().map(|var| var.without_value()) == b.as_ref().map(|var| var.without_value());
            match what {
                For::Export => is_plain(&a) && is_plain(&b) || is_replaced_alike(),
                For::Replacing => is_replaced_alike(),
                For::Value => a == b,
            }
        };
        if one.is_listed.load(Ordering::Relaxed) && !one.has_names_of(two) {
            return false;
        }
        // What was handed in alike is alike, unless the shell made something of it.
        let is_plain =
            |handed: Option<&crate::route::Variable>| handed.is_none_or(|handed| V::is_handed_plain(handed.may_be_absent));
        one.handed.differing(&two.handed).all(|(name, a, b)| {
            let is_own = || one.own.contains_key(name) || two.own.contains_key(name);
            asked
                .get(name)
                .is_none_or(|what| *what == For::Export && is_plain(a) && is_plain(b) && !is_own() || is_alike(name, what))
        }) && one.own().chain(two.own()).all(|name| asked.get(name).is_none_or(|what| is_alike(name, what)))
    }

    /// Takes the changes for those from another start.
    pub(super) fn begin_from(&mut self, other: &Vars<V>) {
        self.start.clone_from(&other.start);
    }

    /// Returns what a name was at the start; nothing that is followed comes of the answer.
    pub(super) fn at_first(&self, name: &[u8]) -> Option<Cow<'_, V>> {
        self.start.as_ref()?.get(name)
    }

    /// Returns what a name is at last; nothing that is followed comes of the answer.
    pub(super) fn at_last(&self, name: &[u8]) -> Option<Cow<'_, V>> {
        let from_start = || self.at_first(name).map(|var| self.changed.seen_from_before(var));
        self.changed.look(name).unwrap_or_else(from_start)
    }

    /// Whether a name was taken out since the start.
    pub(super) fn is_gone(&self, name: &[u8]) -> bool {
        matches!(self.changed.look(name), Some(None))
    }

    /// Returns the names that were changed or taken out, in no order.
    pub(super) fn changed(&self) -> impl Iterator<Item = &Bytes> {
        self.changed.names()
    }

    /// Returns some names and those that the shell itself made something of, and in a fog all that was handed in: what may
    /// not be as it was handed in, if those are the ones that were changed.
    pub(super) fn others<'a>(&'a self, changed: &'a [Bytes]) -> impl Iterator<Item = &'a Bytes> {
        let handed = self.start.iter().filter(|_| self.changed.is_foggy()).flat_map(|start| start.handed());
        let handed = handed.filter(|name| self.at_first(name).is_some());
        let untouched = self.start.iter().flat_map(|start| start.own()).chain(handed);
        changed.iter().chain(untouched.filter(|name| self.changed.look(name).is_none()))
    }

    /// Returns all of them, in no order; that is kept in mind, for what follows hangs on which there are.
    pub(super) fn listed(&self) -> impl Iterator<Item = (&Bytes, Cow<'_, V>)> {
        if let Some(start) = &self.start {
            start.is_listed.store(true, Ordering::Relaxed);
        }
        self.all()
    }

    /// The same where nothing that is followed comes of the answer.
    pub(super) fn all(&self) -> impl Iterator<Item = (&Bytes, Cow<'_, V>)> {
        let names = self.start.iter().flat_map(|start| start.own().chain(start.handed()));
        self.changed.iter().chain(self.untouched(names))
    }

    /// Returns those of some names that are as they were at the start.
    fn untouched<'a>(&'a self, names: impl Iterator<Item = &'a Bytes>) -> impl Iterator<Item = (&'a Bytes, Cow<'a, V>)> {
        let names = names.filter(|name| self.changed.look(name).is_none());
        names.filter_map(|name| Some((name, self.at_last(name)?)))
    }
}

impl Vars {
    /// Looks a program up along the PATH of the start, where that is still the one: another start is alike
    /// whose PATH leads to the same. `look` is told the PATH, and returns `None` where that is not known.
    pub(super) fn program(&self, name: &[u8], look: impl FnOnce(&[u8]) -> Option<Option<Bytes>>) -> Option<Option<Bytes>> {
        if self.changed.is_foggy() || self.changed.look(b"PATH").is_some() {
            return None;
        }
        let start = self.start.as_ref()?;
        let found = look(&start.path()?)?;
        self.look(b"PATH", For::Replacing);
        let mut programs = lock(&start.programs);
        if !programs.contains_key(name) {
            programs.insert(Bytes::copy_from_slice(name), found.clone());
        }
        Some(found)
    }

    /// Whether what follows from one start follows from another: they are alike in all that was looked
    /// up. `look` looks a program up along a PATH.
    pub(super) fn is_alike(&self, other: &Vars, look: impl Fn(&[u8], &[u8]) -> Option<Option<Bytes>>) -> bool {
        let (Some(one), Some(two)) = (&self.start, &other.start) else { return false };
        let path = two.path();
        let is_found = |(name, found): (&Bytes, &_)| path.as_ref().is_some_and(|path| look(path, name).as_ref() == Some(found));
        lock(&one.programs).iter().all(is_found) && self.is_asked_alike(other)
    }

    /// Returns a variable, made anew where there is none.
    pub(super) fn get_or_insert_with(&mut self, name: &[u8], make: impl FnOnce() -> Var) -> &mut Var {
        let name = self.name(name);
        // One that was not changed since the last fork has no place of its own yet.
        let made = match self.changed.fresh(&name) {
            Some(_) => None,
            None => Some(self.get(&name).map_or_else(make, Cow::into_owned)),
        };
        self.changed.place(&name, made, Var::unset)
    }

    /// Puts a variable in and returns it, to be changed.
    pub(super) fn put(&mut self, name: &Bytes, var: Var) -> &mut Var {
        self.changed.place(name, Some(var), Var::unset)
    }

    pub(super) fn get_mut(&mut self, name: &[u8]) -> Option<&mut Var> {
        self.contains(name).then(|| self.get_or_insert_with(name, Var::unset))
    }

    /// Whatever is not as it is in another state may become anything.
    pub(super) fn fog_what_differs(&mut self, other: &Vars, why: &Arc<Doubt>) {
        for name in self.parted(other) {
            if let Some(var) = self.get(&name).filter(|var| other.get(&name).as_ref() != Some(var)) {
                let content = Content::Perhaps(Val::unknown(why.clone()));
                let var = Var { content, exported: None, ..var.into_owned() };
                self.insert(name, var);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    fn text(value: &'static str) -> Var {
        Var { content: Content::Set(Val::of(value)), exported: Some(true), ..Var::unset() }
    }

    fn vars(all: &[(&'static str, Var)]) -> Vars {
        let mut start = Start::new(Handed::default());
        all.iter().for_each(|(name, var)| start.set(name, var.clone()));
        Vars::new(start)
    }

    fn nowhere(_: &[u8], _: &[u8]) -> Option<Option<Bytes>> {
        Some(None)
    }

    /// What was done decides what another start has to have in common.
    #[test]
    fn starts_are_alike_in_what_was_looked_up() {
        type Done = fn(&mut Vars);
        let name = Bytes::from_static(b"TIDE");
        let fast = Var { readonly: true, ..text("low") };
        let list = Var { content: Content::Array(Arc::new(vec![Val::of("low")])), ..Var::unset() };
        let own = Var { exported: Some(false), ..text("low") };
        let others = [
            vars(&[("TIDE", text("high"))]),
            vars(&[]),
            vars(&[("TIDE", own)]),
            vars(&[("TIDE", fast)]),
            vars(&[("TIDE", list)]),
        ];
        for (what, done, alike) in [
            ("nothing", (|_| ()) as Done, [true, true, true, true, true]),
            ("its value", |v| drop(v.get(b"TIDE")), [false; 5]),
            ("to be set anew", |v| drop(v.look(b"TIDE", For::Replacing)), [true, false, false, false, false]),
            ("to be exported", |v| drop(v.look(b"TIDE", For::Export)), [true, true, true, false, false]),
            (
                "both",
                |v| {
                    drop(v.look(b"TIDE", For::Replacing));
                    drop(v.look(b"TIDE", For::Export));
                },
                [true, false, false, false, false],
            ),
            (
                "its value, set before",
                |v| {
                    v.insert(Bytes::from_static(b"TIDE"), text("ebb"));
                    drop(v.get(b"TIDE"));
                },
                [true; 5],
            ),
            ("another's", |v| drop(v.get(b"GATE")), [true; 5]),
            ("which there are", |v| drop(v.listed()), [true, false, true, true, true]),
        ] {
            let mut first = vars(&[("TIDE", text("low"))]);
            done(&mut first);
            assert_eq!(others.each_ref().map(|other| first.is_alike(other, nowhere)), alike, "{what}");
        }
        // What is held fast alike is alike for an export, too, whatever its text.
        let fast = |value| vars(&[("UID", Var { readonly: true, ..text(value) })]);
        for (what, alike) in [(For::Export, true), (For::Replacing, true), (For::Value, false)] {
            let first = fast("1000");
            first.look(b"UID", what);
            assert_eq!(first.is_alike(&fast("1001"), nowhere), alike, "{what:?}");
        }
        // What is set anew says nothing of what it was.
        let first = vars(&[("TIDE", text("low"))]);
        let replaced = first.look_for(&name, For::Replacing).map(|var| var.without_value().content);
        assert_eq!(replaced, Some(Content::Set(Val::of(""))));
    }

    #[test]
    fn fog_hides_all_but_what_is_held_fast() {
        let fast = Var { readonly: true, ..text("low") };
        let mut all = vars(&[("TIDE", text("low")), ("UID", fast)]);
        all.insert(Bytes::from_static(b"GATE"), text("7"));
        let before = all.fork();
        let why = Doubt::new("a text that is not known", None);
        all.fog(&why);
        let known = |vars: &Vars, name: &str| {
            matches!(vars.get(name.as_bytes()).map(|v| v.content.clone()), Some(Content::Set(Val::Known(_))))
        };
        assert_eq!(["TIDE", "GATE", "UID"].map(|name| known(&all, name)), [false, false, true]);
        all.insert(Bytes::from_static(b"TIDE"), text("ebb"));
        assert!(known(&all, "TIDE"));
        // What is known on one way only is known on neither.
        let join = |a: Option<&Var>, b: Option<&Var>| Some(a.filter(|_| a == b).cloned().unwrap_or_else(Var::unset));
        let mut both = before;
        both.join(&all, None, join);
        assert_eq!(["TIDE", "GATE", "UID"].map(|name| known(&both, name)), [false, false, true]);
    }

    #[test]
    fn programs_are_looked_up_along_the_first_path_only() {
        let look = |path: &[u8], name: &[u8]| Some((path == b"/bin").then(|| Bytes::from([path, b"/", name].concat())));
        let mut first = vars(&[("PATH", text("/bin"))]);
        assert_eq!(first.program(b"tide", |path| look(path, b"tide")), Some(Some(Bytes::from_static(b"/bin/tide"))));
        for (path, alike) in [("/bin", true), ("/sbin", false)] {
            assert_eq!(first.is_alike(&vars(&[("PATH", text(path))]), look), alike, "{path}");
        }
        assert!(!first.is_alike(&vars(&[]), look));
        first.insert(Bytes::from_static(b"PATH"), text("/opt"));
        assert_eq!(first.program(b"tide", |path| look(path, b"tide")), None);
    }

    /// What a shell hands on differs from what it was handed in what it does by itself, in what was changed, and in a fog.
    #[test]
    fn only_what_moved_is_gone_through() {
        let block = crate::Block::from_vars([("GATE", "7"), ("PIER", "4"), ("PS1", "$"), ("SHLVL", "1"), ("odd-name", "x")]);
        let begin = || {
            let mut start = Start::new(Handed::from(&block));
            start.set("SHLVL", text("2"));
            start.remove("PS1");
            Vars::new(start)
        };
        let moved = |vars: &Vars| {
            let changed: Vec<Bytes> = vars.changed().cloned().collect();
            let (there, gone): (BTreeSet<_>, BTreeSet<_>) = vars
                .others(&changed)
                .map(|name| String::from_utf8_lossy(name))
                .partition(|name| vars.at_last(name.as_bytes()).is_some());
            [there, gone].map(|names| names.into_iter().collect::<Vec<_>>().join(" "))
        };
        let mut vars = begin();
        assert_eq!(moved(&vars), ["SHLVL", "PS1"]);
        vars.insert(Bytes::from_static(b"TIDE"), text("low"));
        vars.insert(Bytes::from_static(b"PS1"), text("# "));
        vars.remove(b"GATE");
        assert_eq!(moved(&vars), ["PS1 SHLVL TIDE", "GATE"]);
        vars.fog(&Doubt::new("so", None));
        assert_eq!(moved(&vars), ["PIER PS1 SHLVL TIDE", "GATE"]);
        // A name that is none is no variable, and none that was looked up is kept in mind by that.
        assert_eq!((vars.get(b"odd-name"), begin().all().count()), (None, 3));
        let other = Vars::new(Start::new(Handed::from(&crate::Block::from_vars([("PIER", "5")]))));
        assert!(begin().is_alike(&other, nowhere), "nothing was looked up");
    }
}
