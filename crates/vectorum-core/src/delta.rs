//! What lies between two blocks.

use std::collections::{BTreeMap, HashMap};

use bytes::Bytes;

use crate::block::{Block, Name, Value};
use crate::list::ListKind;

/// How one variable differs between two blocks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Difference {
    /// Only the second block has it.
    Born(Value),
    /// Both have it, with different values.
    Changed {
        /// The first block's value.
        before: Value,
        /// The second block's value.
        after: Value,
    },
    /// Only the first block has it.
    Dropped(Value),
}

impl Difference {
    /// Returns the first block's value.
    pub fn before(&self) -> Option<&Value> {
        match self {
            Difference::Born(_) => None,
            Difference::Changed { before, .. } => Some(before),
            Difference::Dropped(value) => Some(value),
        }
    }

    /// Returns the second block's value.
    pub fn after(&self) -> Option<&Value> {
        match self {
            Difference::Born(value) => Some(value),
            Difference::Changed { after, .. } => Some(after),
            Difference::Dropped(_) => None,
        }
    }
}

/// The differences between two blocks, by name, and those that no name tells.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Delta {
    /// What differs as `getenv(3)` sees it, sorted by name.
    pub names: BTreeMap<Name, Difference>,
    /// Entries that `getenv` never finds (later duplicates, no name) and only the first block has.
    pub hidden_before: Vec<Bytes>,
    /// The same for the second block.
    pub hidden_after: Vec<Bytes>,
}

impl Delta {
    /// Compares two blocks. The order of entries is no difference.
    pub fn between(before: &Block, after: &Block) -> Delta {
        if before.is_same(after) {
            return Delta::default();
        }
        let mut old: HashMap<Name, Value> = before.vars().collect();
        let mut names = BTreeMap::new();
        for (name, value) in after.vars() {
            match old.remove(&name) {
                Some(same) if same == value => {}
                Some(before) => {
                    names.insert(name, Difference::Changed { before, after: value });
                }
                None => {
                    names.insert(name, Difference::Born(value));
                }
            }
        }
        names.extend(old.into_iter().map(|(name, value)| (name, Difference::Dropped(value))));
        let mut hidden_before: Vec<Bytes> = before.hidden().map(|e| Bytes::copy_from_slice(e.raw())).collect();
        let mut hidden_after = Vec::new();
        for entry in after.hidden() {
            match hidden_before.iter().position(|e| e == entry.raw()) {
                Some(at) => {
                    hidden_before.remove(at);
                }
                None => hidden_after.push(Bytes::copy_from_slice(entry.raw())),
            }
        }
        Delta { names, hidden_before, hidden_after }
    }

    /// Whether nothing differs.
    pub fn is_empty(&self) -> bool {
        self.names.is_empty() && self.hidden_before.is_empty() && self.hidden_after.is_empty()
    }

    /// Returns how many names were born, changed and dropped.
    pub fn counts(&self) -> (usize, usize, usize) {
        self.names.values().fold((0, 0, 0), |(b, c, d), difference| match difference {
            Difference::Born(_) => (b + 1, c, d),
            Difference::Changed { .. } => (b, c + 1, d),
            Difference::Dropped(_) => (b, c, d + 1),
        })
    }
}

/// What happened to one item of a list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ListChange {
    /// It stands where it stood, relative to its neighbours.
    Kept,
    /// Only the second list has it.
    Added,
    /// Only the first list has it.
    Removed,
    /// Both have it, in another order.
    Moved,
}

/// One item of two lists laid side by side.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ListRow {
    /// The item's bytes.
    pub item: Bytes,
    /// Its index in the first list.
    pub left: Option<usize>,
    /// Its index in the second list.
    pub right: Option<usize>,
    /// What happened to it.
    pub change: ListChange,
}

/// Two lists laid side by side, item by item.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ListDelta {
    /// The rows, in the second list's order, with removed items where they stood.
    pub rows: Vec<ListRow>,
}

impl ListDelta {
    /// Compares two values as lists; `None` if neither is one under this name.
    pub fn between(name: &[u8], before: &[u8], after: &[u8]) -> Option<ListDelta> {
        let kind = ListKind::of(name, after).or_else(|| ListKind::of(name, before))?;
        Some(ListDelta::of_items(&kind.items(before), &kind.items(after)))
    }

    /// Compares two lists of items. Of an item that stands several times, the first occurrences
    /// belong together, the second ones, and so on.
    pub fn of_items(before: &[&[u8]], after: &[&[u8]]) -> ListDelta {
        let mut places: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (at, item) in before.iter().enumerate().rev() {
            places.entry(item).or_default().push(at);
        }
        let partners: Vec<Option<usize>> = after.iter().map(|item| places.get_mut(item).and_then(Vec::pop)).collect();
        let mut is_kept = vec![false; after.len()];
        for right in longest_rising(&partners) {
            if let Some(kept) = is_kept.get_mut(right) {
                *kept = true;
            }
        }
        let mut removed: Vec<(usize, &[u8])> =
            places.into_iter().flat_map(|(item, at)| at.into_iter().map(move |a| (a, item))).collect();
        removed.sort_unstable();
        let mut removed = removed.into_iter().peekable();
        let mut rows = Vec::with_capacity(before.len().max(after.len()));
        let row = |item: &[u8], left, right, change| ListRow { item: Bytes::copy_from_slice(item), left, right, change };
        for (right, ((item, left), kept)) in after.iter().zip(&partners).zip(is_kept).enumerate() {
            // A removed item stands before the first kept item that followed it.
            while let Some((at, gone)) = removed.next_if(|(at, _)| kept && left.is_some_and(|l| *at < l)) {
                rows.push(row(gone, Some(at), None, ListChange::Removed));
            }
            let change = match (left, kept) {
                (None, _) => ListChange::Added,
                (Some(_), true) => ListChange::Kept,
                (Some(_), false) => ListChange::Moved,
            };
            rows.push(row(item, *left, Some(right), change));
        }
        rows.extend(removed.map(|(at, gone)| row(gone, Some(at), None, ListChange::Removed)));
        ListDelta { rows }
    }

    /// Returns the items with a given change, in order.
    pub fn with(&self, change: ListChange) -> impl Iterator<Item = &ListRow> {
        self.rows.iter().filter(move |r| r.change == change)
    }
}

/// Returns the indexes of a longest subsequence whose partners rise.
fn longest_rising(partners: &[Option<usize>]) -> Vec<usize> {
    // Patience sorting: `ends[k]` is the index whose partner ends the best chain of length k + 1.
    let mut ends: Vec<(usize, usize)> = Vec::new();
    let mut previous: Vec<Option<usize>> = vec![None; partners.len()];
    for (at, partner) in partners.iter().enumerate() {
        let Some(partner) = *partner else { continue };
        let length = ends.partition_point(|(end, _)| *end < partner);
        let before = length.checked_sub(1).and_then(|l| ends.get(l)).map(|(_, index)| *index);
        if let Some(slot) = previous.get_mut(at) {
            *slot = before;
        }
        match ends.get_mut(length) {
            Some(end) => *end = (partner, at),
            None => ends.push((partner, at)),
        }
    }
    let mut chain = Vec::with_capacity(ends.len());
    let mut next = ends.last().map(|(_, index)| *index);
    while let Some(at) = next {
        chain.push(at);
        next = previous.get(at).copied().flatten();
    }
    chain.reverse();
    chain
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn script(before: &str, after: &str) -> String {
        let delta = ListDelta::between(b"PATH", before.as_bytes(), after.as_bytes()).unwrap();
        let sign = |c| match c {
            ListChange::Kept => "",
            ListChange::Added => "+",
            ListChange::Removed => "-",
            ListChange::Moved => "~",
        };
        let rows: Vec<_> = delta.rows.iter().map(|r| format!("{}{}", sign(r.change), crate::inert(&r.item))).collect();
        rows.join(" ")
    }

    #[test]
    fn lists_item_by_item() {
        for (before, after, rows) in [
            ("a:b:c", "a:b:c", "a b c"),
            ("a:b:c", "x:a:c", "+x a -b c"),
            ("a:b:c", "c:a:b", "~c a b"),
            ("a:b", "b:b:a", "~b +b a"),
            ("a:b", "", "-a -b"),
            ("", "a", "+a"),
            ("a::b", "a:b", "a - b"),
            ("a:b:c:d", "d:c:b:a", "-"),
        ] {
            if rows == "-" {
                let delta = ListDelta::between(b"PATH", before.as_bytes(), after.as_bytes()).unwrap();
                assert_eq!(delta.with(ListChange::Moved).count(), 3, "one stays, the others move around it");
                continue;
            }
            assert_eq!(script(before, after), rows, "{before} to {after}");
        }
        assert_eq!(ListDelta::between(b"HOME", b"/a", b"/b"), None);
    }

    #[test]
    fn blocks_differ_by_name_and_beyond() {
        let before = Block::parse(&b"A=1\0B=2\0C=3\0odd\0A=9\0"[..]);
        let after = Block::parse(&b"C=3\0A=1\0B=x\0D=\0=y\0odd\0"[..]);
        let delta = Delta::between(&before, &after);
        assert_eq!(delta.names.keys().map(ToString::to_string).collect::<Vec<_>>(), ["B", "D"]);
        assert_eq!(delta.counts(), (1, 1, 0));
        assert_eq!(delta.hidden_before, [&b"A=9"[..]]);
        assert_eq!(delta.hidden_after, [&b"=y"[..]]);
        assert_eq!(Delta::between(&after, &before).counts(), (0, 1, 1));
    }

    fn blocks() -> impl Strategy<Value = Block> {
        proptest::collection::vec("[A-E]{0,1}(=[xy]{0,2})?", 0..8).prop_map(Block::from_entries)
    }

    proptest! {
        #[test]
        fn a_delta_leads_from_one_block_to_the_other(before in blocks(), after in blocks()) {
            let delta = Delta::between(&before, &after);
            let mut edit = before.edit();
            for (name, difference) in &delta.names {
                prop_assert_eq!(difference.before().cloned(), before.value(name.as_bytes()));
                match difference.after() {
                    Some(value) => edit.set(name, value),
                    None => edit.unset(name),
                }
            }
            let led: BTreeMap<_, _> = edit.finish().vars().collect();
            prop_assert_eq!(led, after.vars().collect::<BTreeMap<_, _>>());
            prop_assert!(Delta::between(&before, &before).is_empty());
            let mirror = Delta::between(&after, &before);
            prop_assert_eq!(mirror.counts(), { let (b, c, d) = delta.counts(); (d, c, b) });
            prop_assert_eq!((mirror.hidden_before, mirror.hidden_after), (delta.hidden_after, delta.hidden_before));
        }

        #[test]
        fn rows_hold_both_lists(before in "[abc:]{0,12}", after in "[abcd:]{0,12}") {
            let kind = ListKind::for_name(b"PATH");
            let (left, right) = (kind.items(before.as_bytes()), kind.items(after.as_bytes()));
            let rows = ListDelta::of_items(&left, &right).rows;
            for (list, side) in [(&left, (|r| r.left) as fn(&ListRow) -> Option<usize>), (&right, |r| r.right)] {
                let mut at: Vec<_> = rows.iter().filter_map(|r| Some((side(r)?, r.item.to_vec()))).collect();
                at.sort();
                let expected: Vec<_> = list.iter().map(|i| i.to_vec()).enumerate().collect();
                prop_assert_eq!(at, expected);
            }
            let rights: Vec<_> = rows.iter().filter_map(|r| r.right).collect();
            prop_assert!(rights.is_sorted());
            // Kept rows stand in both orders, and no common item is said to be added or removed.
            let kept: Vec<_> = rows.iter().filter(|r| r.change == ListChange::Kept).filter_map(|r| r.left).collect();
            prop_assert!(kept.is_sorted());
            let added: Vec<_> = rows.iter().filter(|r| r.change == ListChange::Added).map(|r| &r.item).collect();
            prop_assert!(rows.iter().filter(|r| r.change == ListChange::Removed).all(|r| !added.contains(&&r.item)));
        }
    }
}
