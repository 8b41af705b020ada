//! What happened to names along a route. What a shell's files do is kept once for all routes that start it
//! alike, and only looked at through each route.

use std::collections::{BTreeSet, HashSet};
use std::sync::Arc;

use bytes::Bytes;
use imbl::OrdMap;

use super::{Held, Site, Variable};
use crate::shell::{Around, Assigned, Decided, Log, NOTHING};

/// What happened to a name at a hop.
#[derive(Clone, Copy, Debug)]
pub struct Event<'a> {
    /// The hop, by its place in [`Forecast::hops`](super::Forecast::hops).
    pub hop: usize,
    /// The name.
    pub name: &'a Bytes,
    /// The value it has from here on; `None` if it was dropped.
    pub held: Option<&'a Held>,
    /// The line that says so.
    pub site: Option<&'a Site>,
    /// Why, where the hop's own rule says so.
    pub why: Option<&'static str>,
    /// Of a line of a shell's: how it came to be run.
    pub around: &'a Around,
}

/// What a hop does by a rule of its own.
#[derive(Clone, Debug)]
pub(super) struct Deed {
    pub(super) hop: usize,
    pub(super) name: Bytes,
    pub(super) held: Option<Held>,
    pub(super) site: Option<Site>,
    pub(super) why: Option<&'static str>,
}

impl Deed {
    pub(super) fn new(hop: usize, name: Bytes, held: Option<Held>, site: Option<Site>) -> Deed {
        Deed { hop, name, held, site, why: None }
    }
}

#[derive(Clone, Debug)]
enum Part {
    One(Box<Deed>),
    /// Names that a hop drops by one rule.
    Dropped {
        hop: usize,
        change: Change,
        why: &'static str,
    },
    /// What a shell's files set, as far as it comes out of the shell.
    Shell(Shell),
}

/// What a shell did.
#[derive(Clone, Debug)]
pub(super) struct Shell {
    pub(super) hop: usize,
    pub(super) log: Arc<Log>,
    pub(super) decided: Arc<Decided>,
    /// The names beside those that lines decided that come out of it as they did not go in.
    pub(super) others: BTreeSet<Bytes>,
}

impl Shell {
    /// Whether what was set of a name comes out of the shell.
    fn is_of(&self, name: &[u8]) -> bool {
        self.decided.contains(name) || self.others.contains(name)
    }
}

/// A block before and after something.
#[derive(Clone, Debug)]
pub(super) struct Change {
    pub(super) before: OrdMap<Bytes, Variable>,
    pub(super) after: OrdMap<Bytes, Variable>,
}

impl Change {
    /// Whether a name was dropped.
    fn is_of(&self, name: &[u8]) -> bool {
        self.before.contains_key(name) && !self.after.contains_key(name)
    }
}

/// What happened on a route, in order.
#[derive(Clone, Debug, Default)]
pub struct Events(Vec<Part>);

impl Events {
    pub(super) fn push(&mut self, deed: Deed) {
        self.0.push(Part::One(Box::new(deed)));
    }

    /// Adds that a hop drops names by one rule.
    pub(super) fn push_dropped(&mut self, hop: usize, change: Change, why: &'static str) {
        self.0.push(Part::Dropped { hop, change, why });
    }

    /// Adds what a shell's files set.
    pub(super) fn push_shell(&mut self, shell: Shell) {
        self.0.push(Part::Shell(shell));
    }

    /// What a hop did last to a name, if nothing came after it.
    pub(super) fn last_of(&mut self, name: &[u8]) -> Option<&mut Deed> {
        for part in self.0.iter_mut().rev() {
            match part {
                Part::One(deed) if deed.name == name => return Some(deed),
                Part::Dropped { change, .. } if change.is_of(name) => return None,
                Part::Shell(shell) if shell.is_of(name) && shell.log.of(name).next().is_some() => return None,
                _ => {}
            }
        }
        None
    }

    /// Returns all that happened, in order.
    pub fn all(&self) -> impl DoubleEndedIterator<Item = Event<'_>> {
        self.0.iter().flat_map(|part| part.events(None))
    }

    /// Puts down the paths of the files whose lines come up: those that set something, and those around them. What
    /// shells that start alike have in common is looked at once for all routes.
    pub(super) fn paths(&self, seen: &mut Seen) {
        for part in &self.0 {
            match part {
                Part::One(deed) => deed.site.iter().for_each(|site| seen.put(&site.path)),
                Part::Dropped { .. } => {}
                Part::Shell(shell) => {
                    // Whoever holds the events keeps both in their places.
                    if seen.shells.insert((Arc::as_ptr(&shell.log), Arc::as_ptr(&shell.decided))) {
                        seen.put_lines(shell.log.iter().filter(|line| shell.decided.contains(&line.name)));
                    }
                    seen.put_lines(shell.others.iter().flat_map(|name| shell.log.of(name)));
                }
            }
        }
    }

    /// Returns what happened to a name, in order.
    pub fn of<'a>(&'a self, name: &'a [u8]) -> impl DoubleEndedIterator<Item = Event<'a>> {
        self.0.iter().flat_map(move |part| part.events(Some(name)))
    }
}

/// The files whose lines come up on routes, and what was looked at already.
#[derive(Debug, Default)]
pub(super) struct Seen {
    pub(super) paths: HashSet<Bytes>,
    last: Bytes,
    shells: HashSet<(*const Log, *const Decided)>,
}

impl Seen {
    pub(super) fn put(&mut self, path: &Bytes) {
        // Mostly it is the one before, and not only in what it says.
        let is_last = (path.as_ptr(), path.len()) == (self.last.as_ptr(), self.last.len());
        if !is_last {
            self.last = path.clone();
            self.paths.insert(path.clone());
        }
    }

    fn put_lines<'a>(&mut self, lines: impl Iterator<Item = &'a Assigned>) {
        let mut around = &NOTHING;
        for line in lines {
            if !line.around.is_shared(around) {
                around = &line.around;
                around.sites().for_each(|site| self.put(&site.path));
            }
            self.put(&line.site.path);
        }
    }
}

impl Part {
    /// Its events, or those of one name.
    fn events<'a>(&'a self, name: Option<&'a [u8]>) -> Box<dyn DoubleEndedIterator<Item = Event<'a>> + 'a> {
        match self {
            Part::One(deed) if name.is_none_or(|n| deed.name == n) => Box::new(std::iter::once(Event {
                hop: deed.hop,
                name: &deed.name,
                held: deed.held.as_ref(),
                site: deed.site.as_ref(),
                why: deed.why,
                around: &NOTHING,
            })),
            Part::Dropped { hop, change, why } => {
                let event =
                    move |name: &'a Bytes| Event { hop: *hop, name, held: None, site: None, why: Some(why), around: &NOTHING };
                match name {
                    Some(name) => {
                        let dropped = change.before.get_key_value(name).filter(|_| change.is_of(name));
                        Box::new(dropped.map(|(name, _)| event(name)).into_iter())
                    }
                    None => Box::new(change.before.keys().filter(|name| change.is_of(name)).map(event)),
                }
            }
            Part::Shell(shell) if name.is_none_or(|n| shell.is_of(n)) => {
                let event = |assigned: &'a Assigned| Event {
                    hop: shell.hop,
                    name: &assigned.name,
                    held: assigned.held.as_ref(),
                    site: Some(&assigned.site),
                    why: None,
                    around: &assigned.around,
                };
                match name {
                    Some(name) => Box::new(shell.log.of(name).map(event)),
                    None => Box::new(shell.log.iter().filter(|a| shell.is_of(&a.name)).map(event)),
                }
            }
            _ => Box::new(std::iter::empty()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(name: &'static str) -> Bytes {
        Bytes::from_static(name.as_bytes())
    }

    fn known(value: &'static str) -> Option<Held> {
        Some(Held::Known(named(value)))
    }

    fn assigned(name: &'static str, held: Option<Held>, line: usize) -> Assigned {
        Assigned { name: named(name), held, site: Site { path: named("/rc"), line }, around: Around::default() }
    }

    /// A block of names.
    fn block(names: &[&'static str]) -> OrdMap<Bytes, Variable> {
        names.iter().map(|name| (named(name), Variable::new(Held::PerRun, None, Some(0)))).collect()
    }

    /// A hop that sets two names, a shell that changes them and more, and a hop that drops one.
    fn events() -> Events {
        let mut events = Events::default();
        events.push(Deed::new(0, named("PIER"), known("4"), None));
        events.push(Deed::new(0, named("TIDE"), known("low"), None));
        let log = [
            assigned("PIER", known("5"), 1),
            assigned("local", known("x"), 2),
            assigned("PIER", None, 3),
            assigned("TIDE", known("high"), 4),
        ];
        let after = block(&["TIDE", "GATE"]);
        let (log, others) = (Arc::new(log.into_iter().collect::<Log>()), BTreeSet::from([named("PIER"), named("TIDE")]));
        events.push_shell(Shell { hop: 1, log, decided: Arc::default(), others });
        events.push_dropped(2, Change { before: after, after: block(&["GATE"]) }, "a rule");
        events
    }

    #[test]
    fn what_a_shell_did_stands_among_what_hops_do() {
        let events = events();
        let told = |name: &str| -> Vec<(usize, Option<Held>, Option<usize>)> {
            events.of(name.as_bytes()).map(|e| (e.hop, e.held.cloned(), e.site.map(|s| s.line))).collect()
        };
        assert_eq!(told("PIER"), [(0, known("4"), None), (1, known("5"), Some(1)), (1, None, Some(3))]);
        assert_eq!(told("TIDE"), [(0, known("low"), None), (1, known("high"), Some(4)), (2, None, None)]);
        // Names that the shell keeps to itself are not told.
        assert_eq!(told("local"), []);
        let lines: Vec<_> = events.all().filter_map(|e| e.site).map(|s| s.line).collect();
        assert_eq!(lines, [1, 3, 4]);
        assert_eq!(events.of(b"TIDE").rfind(|e| e.hop == 1).and_then(|e| e.held.cloned()), known("high"));
    }

    #[test]
    fn only_what_a_hop_did_last_is_changed_afterwards() {
        let mut events = events();
        assert!(events.last_of(b"PIER").is_none(), "a shell's line came after it");
        assert!(events.last_of(b"TIDE").is_none(), "it was dropped with others");
        assert_eq!(events.of(b"TIDE").next_back().map(|e| (e.held, e.why)), Some((None, Some("a rule"))));
        events.push(Deed::new(2, named("TIDE"), known("low"), None));
        events.last_of(b"TIDE").expect("it was set last").why = Some("so");
        assert_eq!(events.of(b"TIDE").next_back().and_then(|e| e.why), Some("so"));
        // Another route that shares the shell's log stays as it is.
        let mut other = events.clone();
        other.push(Deed::new(3, named("PIER"), known("6"), None));
        assert_eq!((events.of(b"PIER").count(), other.of(b"PIER").count()), (3, 4));
    }
}
