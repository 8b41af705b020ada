//! A table of names that branches, of which everything may become uncertain at once, which costs nothing: each entry knows
//! how many such fogs came before it.

use std::borrow::Cow;
use std::sync::Arc;

use bytes::Bytes;
use hashbrown::HashSet;

use super::layers::Layers;
use super::value::Doubt;

/// What may become uncertain.
pub(super) trait Fogged: Clone + PartialEq {
    /// Returns the same where something was done that is not followed.
    fn fogged(self, why: &Arc<Doubt>) -> Self;
}

/// Something as it was put in.
#[derive(Clone, Debug)]
struct Kept<V> {
    value: V,
    /// How many fogs came before.
    fogs: usize,
}

/// The table.
#[derive(Debug)]
pub(super) struct Foggy<V> {
    names: Layers<Kept<V>>,
    /// How often something was done that is not followed: whatever was put in before may be anything since.
    fogs: usize,
    /// Why that is so.
    why: Option<Arc<Doubt>>,
}

impl<V> Default for Foggy<V> {
    fn default() -> Foggy<V> {
        Foggy { names: Layers::default(), fogs: 0, why: None }
    }
}

impl<V: Fogged> FromIterator<(Bytes, V)> for Foggy<V> {
    fn from_iter<I: IntoIterator<Item = (Bytes, V)>>(all: I) -> Foggy<V> {
        let names = all.into_iter().map(|(name, value)| (name, Kept { value, fogs: 0 })).collect();
        Foggy { names, ..Foggy::default() }
    }
}

impl<V: Fogged> PartialEq for Foggy<V> {
    fn eq(&self, other: &Foggy<V>) -> bool {
        self.is_as_foggy(other) && self.parted(other).iter().all(|name| self.look(name) == other.look(name))
    }
}

impl<V: Fogged> Foggy<V> {
    /// Begins a branch.
    pub(super) fn fork(&mut self) -> Foggy<V> {
        Foggy { names: self.names.fork(), fogs: self.fogs, why: self.why.clone() }
    }

    /// Whether something was done that is not followed.
    pub(super) fn is_foggy(&self) -> bool {
        self.fogs > 0
    }

    /// Whether the fog is the same here and in another branch.
    pub(super) fn is_as_foggy(&self, other: &Foggy<V>) -> bool {
        (self.fogs, &self.why) == (other.fogs, &other.why)
    }

    fn seen<'a>(&self, value: &'a V, fogs: usize) -> Cow<'a, V> {
        match &self.why {
            Some(why) if fogs < self.fogs => Cow::Owned(value.clone().fogged(why)),
            _ => Cow::Borrowed(value),
        }
    }

    /// Returns what something from before the table is in its fog.
    pub(super) fn seen_from_before<'a>(&self, value: Cow<'a, V>) -> Cow<'a, V> {
        match &self.why {
            Some(why) => Cow::Owned(value.into_owned().fogged(why)),
            None => value,
        }
    }

    /// Returns what a name stands for; `Some(None)` if it was taken out, `None` if it never was there.
    pub(super) fn look(&self, name: &[u8]) -> Option<Option<Cow<'_, V>>> {
        self.names.look(name).map(|kept| kept.map(|kept| self.seen(&kept.value, kept.fogs)))
    }

    /// Returns a name as it is kept, if it is or was there.
    pub(super) fn name(&self, name: &[u8]) -> Option<&Bytes> {
        self.names.name(name)
    }

    /// Returns what a name stands for if that was changed since the last fork and the last fog.
    pub(super) fn fresh(&mut self, name: &[u8]) -> Option<&mut V> {
        let fogs = self.fogs;
        self.names.get_mut(name).filter(|kept| kept.fogs == fogs).map(|kept| &mut kept.value)
    }

    /// Returns the place of a name; without a new value the one that is [`Foggy::fresh`].
    pub(super) fn place(&mut self, name: &Bytes, value: Option<V>, make: impl FnOnce() -> V) -> &mut V {
        let fogs = self.fogs;
        let place = self.names.place(name);
        if let Some(value) = value {
            *place = Some(Kept { value, fogs });
        }
        &mut place.get_or_insert_with(|| Kept { value: make(), fogs }).value
    }

    pub(super) fn insert(&mut self, name: Bytes, value: V) {
        self.names.insert(name, Kept { value, fogs: self.fogs });
    }

    /// Takes a name out.
    pub(super) fn remove(&mut self, name: &[u8]) {
        self.names.remove(name);
    }

    /// From here on everything may be anything.
    pub(super) fn fog(&mut self, why: &Arc<Doubt>) {
        self.fogs += 1;
        self.why = Some(why.clone());
    }

    /// Returns the names that were changed here or in another branch since they parted.
    pub(super) fn parted<'a>(&'a self, other: &'a Foggy<V>) -> HashSet<&'a Bytes> {
        self.names.parted(&other.names)
    }

    /// Whether something was done in another branch that is not followed, and not here.
    pub(super) fn is_clearer(&self, other: &Foggy<V>) -> bool {
        self.fogs < other.fogs
    }

    /// Puts in what names stand for from now on, in the fog of another branch, too, if one is given.
    pub(super) fn take_in(&mut self, all: Vec<(Bytes, V)>, foggier: Option<&Foggy<V>>) {
        if let Some(other) = foggier {
            self.fogs = other.fogs.max(self.fogs + 1);
            self.why.clone_from(&other.why);
        }
        all.into_iter().for_each(|(name, value)| self.insert(name, value));
    }

    /// Returns each name once, in no order, whether it is there or was taken out.
    pub(super) fn names(&self) -> impl Iterator<Item = &Bytes> {
        self.names.iter().map(|(name, _)| name)
    }

    /// Returns each name once, in no order, with what it stands for.
    pub(super) fn iter(&self) -> impl Iterator<Item = (&Bytes, Cow<'_, V>)> {
        self.names.iter().filter_map(|(name, kept)| kept.map(|kept| (name, self.seen(&kept.value, kept.fogs))))
    }
}
