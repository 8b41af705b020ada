//! Names and what each stands for, in a table that branches: a fork costs what was changed since the fork before it, and
//! to tell two branches apart costs what was changed in them, however many names both have in common.

use std::sync::Arc;

use bytes::Bytes;
use hashbrown::{HashMap, HashSet};

type Names<V> = HashMap<Bytes, Option<V>>;

/// What was changed before some fork. It does not change while another branch has it, too.
#[derive(Debug)]
struct Layer<V> {
    below: Option<Arc<Layer<V>>>,
    names: Names<V>,
    /// How many layers lie below it.
    height: usize,
}

/// The table: a name that was taken out is known to have been there.
#[derive(Debug)]
pub(super) struct Layers<V> {
    below: Option<Arc<Layer<V>>>,
    /// What was changed since the last fork.
    top: Names<V>,
}

impl<V> Default for Layers<V> {
    fn default() -> Layers<V> {
        Layers { below: None, top: HashMap::new() }
    }
}

impl<V> FromIterator<(Bytes, V)> for Layers<V> {
    fn from_iter<I: IntoIterator<Item = (Bytes, V)>>(all: I) -> Layers<V> {
        Layers { below: None, top: all.into_iter().map(|(name, value)| (name, Some(value))).collect() }
    }
}

impl<V: PartialEq> PartialEq for Layers<V> {
    fn eq(&self, other: &Layers<V>) -> bool {
        self.parted(other).iter().all(|name| self.get(name) == other.get(name))
    }
}

/// The layers from one on downwards.
fn chain<V>(layer: Option<&Arc<Layer<V>>>) -> impl Iterator<Item = &Arc<Layer<V>>> {
    std::iter::successors(layer, |layer| layer.below.as_ref())
}

impl<V> Layers<V> {
    fn entry(&self, name: &[u8]) -> Option<(&Bytes, Option<&V>)> {
        let below = || chain(self.below.as_ref()).find_map(|layer| layer.names.get_key_value(name));
        let (name, value) = self.top.get_key_value(name).or_else(below)?;
        Some((name, value.as_ref()))
    }

    /// Returns what a name stands for; `Some(None)` if it was taken out, `None` if it never was there.
    pub(super) fn look(&self, name: &[u8]) -> Option<Option<&V>> {
        self.entry(name).map(|(_, value)| value)
    }

    /// Returns what a name stands for.
    pub(super) fn get(&self, name: &[u8]) -> Option<&V> {
        self.look(name).flatten()
    }

    /// Returns a name as it is kept, if it is or was there.
    pub(super) fn name(&self, name: &[u8]) -> Option<&Bytes> {
        self.entry(name).map(|(name, _)| name)
    }

    /// Returns what a name stands for if that was changed since the last fork.
    pub(super) fn get_mut(&mut self, name: &[u8]) -> Option<&mut V> {
        self.top.get_mut(name)?.as_mut()
    }

    /// Returns the place of a name that is put in; one that was not changed since the last fork has nothing there.
    pub(super) fn place(&mut self, name: &Bytes) -> &mut Option<V> {
        self.top.entry_ref(name).or_default()
    }

    pub(super) fn insert(&mut self, name: Bytes, value: V) {
        self.top.insert(name, Some(value));
    }

    /// Takes a name out.
    pub(super) fn remove(&mut self, name: &[u8]) {
        let name = self.name(name).cloned().unwrap_or_else(|| Bytes::copy_from_slice(name));
        self.top.insert(name, None);
    }

    /// Takes in the layers that no other branch has any more.
    fn settle(&mut self) {
        while let Some(below) = self.below.take() {
            match Arc::try_unwrap(below) {
                Ok(Layer { below, names, .. }) => {
                    self.below = below;
                    let over = std::mem::replace(&mut self.top, names);
                    if over.len() > self.top.len() {
                        let under = std::mem::replace(&mut self.top, over);
                        for (name, value) in under {
                            self.top.entry(name).or_insert(value);
                        }
                    } else {
                        self.top.extend(over);
                    }
                }
                Err(shared) => {
                    self.below = Some(shared);
                    return;
                }
            }
        }
    }

    /// Begins a branch: what is changed in it or here is not changed in the other.
    pub(super) fn fork(&mut self) -> Layers<V>
    where
        V: Clone,
    {
        self.settle();
        if !self.top.is_empty() {
            // Each layer is more than twice what lies above it, so that they are few.
            while let Some(below) = self.below.take_if(|layer| layer.names.len() <= 2 * self.top.len()) {
                for (name, value) in &below.names {
                    self.top.entry_ref(name).or_insert_with(|| value.clone());
                }
                self.below.clone_from(&below.below);
            }
            let below = self.below.take();
            let height = below.as_ref().map_or(0, |layer| layer.height + 1);
            self.below = Some(Arc::new(Layer { below, names: std::mem::take(&mut self.top), height }));
        }
        Layers { below: self.below.clone(), top: HashMap::new() }
    }

    /// Returns the names that were changed here or in another branch since they parted.
    pub(super) fn parted<'a>(&'a self, other: &'a Layers<V>) -> HashSet<&'a Bytes> {
        let mut names: HashSet<&Bytes> = self.top.keys().chain(other.top.keys()).collect();
        let (mut one, mut two) = (self.below.as_ref(), other.below.as_ref());
        loop {
            let height = |layer: Option<&Arc<Layer<V>>>| layer.map(|layer| layer.height);
            let higher = match (one, two) {
                (None, None) => return names,
                (Some(a), Some(b)) if Arc::ptr_eq(a, b) => return names,
                _ if height(one) >= height(two) => &mut one,
                _ => &mut two,
            };
            if let Some(layer) = higher {
                names.extend(layer.names.keys());
                *higher = layer.below.as_ref();
            }
        }
    }

    /// Puts `unclear` in for every name that is not the same in another branch. What was the last to be put together with
    /// this, if something was, holds nothing that does not hold here.
    pub(super) fn join(&mut self, other: &Layers<V>, last: Option<&Layers<V>>, unclear: impl Fn() -> V)
    where
        V: PartialEq,
    {
        let differs = |name: &&Bytes| self.get(name) != other.get(name);
        let names: Vec<Bytes> = last.unwrap_or(self).parted(other).into_iter().filter(differs).cloned().collect();
        names.into_iter().for_each(|name| self.insert(name, unclear()));
    }

    /// Returns each name once, in no order, with what it stands for; `None` if it was taken out.
    pub(super) fn iter(&self) -> impl Iterator<Item = (&Bytes, Option<&V>)> {
        let mut seen = HashSet::new();
        let below: Vec<_> = chain(self.below.as_ref()).collect();
        let mut out: Vec<(&Bytes, Option<&V>)> = Vec::with_capacity(self.top.len());
        let tables = std::iter::once(&self.top).chain(below.iter().map(|layer| &layer.names));
        for (place, names) in tables.enumerate() {
            for (name, value) in names {
                // The lowest names are looked for only, the highest are only kept in mind.
                let is_new = if place == below.len() { !seen.contains(name) } else { seen.insert(name) };
                if is_new {
                    out.push((name, value.as_ref()));
                }
            }
        }
        out.into_iter()
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;

    /// What is done to one of some branches.
    #[derive(Clone, Debug)]
    enum Deed {
        Put(usize, u8),
        Take(usize),
        Fork,
        Drop,
    }

    fn deed() -> impl Strategy<Value = (usize, Deed)> {
        let one = prop_oneof![
            4 => (0..6usize, any::<u8>()).prop_map(|(name, value)| Deed::Put(name, value)),
            2 => (0..6usize).prop_map(Deed::Take),
            3 => Just(Deed::Fork),
            2 => Just(Deed::Drop),
        ];
        (any::<prop::sample::Index>(), one).prop_map(|(branch, deed)| (branch.index(1 << 16), deed))
    }

    const NAMES: [&str; 6] = ["BERTH", "GATE", "TIDE", "LANE", "PIER", "BUOY"];

    proptest! {
        /// Branches are what as many whole tables would be; names that differ are among those that were changed since.
        #[test]
        fn branches_are_tables_of_their_own(deeds in prop::collection::vec(deed(), 0..60)) {
            let mut branches = vec![(Layers::<u8>::default(), BTreeMap::new())];
            for (branch, deed) in deeds {
                let at = branch % branches.len();
                let (layers, table) = &mut branches[at];
                match deed {
                    Deed::Put(name, value) => {
                        let name = Bytes::from_static(NAMES[name].as_bytes());
                        // In place where that goes.
                        match layers.get_mut(&name) {
                            Some(place) => *place = value,
                            None => *layers.place(&name) = Some(value),
                        }
                        table.insert(name, Some(value));
                    }
                    Deed::Take(name) => {
                        layers.remove(NAMES[name].as_bytes());
                        table.insert(Bytes::from_static(NAMES[name].as_bytes()), None);
                    }
                    Deed::Fork => {
                        let branch = (layers.fork(), table.clone());
                        branches.push(branch);
                    }
                    Deed::Drop if branches.len() > 1 => drop(branches.remove(at)),
                    Deed::Drop => {}
                }
                for (layers, table) in &branches {
                    let all: BTreeMap<Bytes, Option<u8>> = layers.iter().map(|(name, value)| (name.clone(), value.copied())).collect();
                    prop_assert_eq!(&all, table);
                    prop_assert_eq!(layers.iter().count(), table.len());
                    for name in NAMES {
                        prop_assert_eq!(layers.look(name.as_bytes()).map(|v| v.copied()), table.get(name.as_bytes()).copied());
                    }
                    for (others, other) in &branches {
                        let parted = layers.parted(others);
                        let differs = |name: &&Bytes| table.get(*name) != other.get(*name);
                        prop_assert!(table.keys().chain(other.keys()).filter(differs).all(|name| parted.contains(name)));
                        let held = |table: &BTreeMap<Bytes, Option<u8>>, name: &str| table.get(name.as_bytes()).copied().flatten();
                        prop_assert_eq!(layers == others, NAMES.iter().all(|name| held(table, name) == held(other, name)));
                    }
                }
            }
        }
    }

    /// What was common before two branches parted is not gone through to tell them apart, and is no burden after.
    #[test]
    fn what_branches_have_in_common_is_left_alone() {
        let name = |n: usize| Bytes::from(n.to_string());
        let mut all: Layers<usize> = (0..1000).map(|n| (name(n), n)).collect();
        for n in 0..100 {
            let mut branch = all.fork();
            branch.insert(name(n), 0);
            all.insert(name(n + 1), 1);
            assert_eq!(all.parted(&branch).len(), 2);
        }
        let branch = all.fork();
        assert_eq!(chain(branch.below.as_ref()).count(), 1);
    }
}
