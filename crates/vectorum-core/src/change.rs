//! Changes that a person asks for, before a command is run with the changed block.

use crate::block::{Block, Name, Value};
use crate::list::ListKind;
use crate::select::Selection;

/// The end of a list at which an item goes in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ListPlace {
    /// Before all others: its programs, libraries … win.
    First,
    /// After all others.
    Last,
}

/// One item put into a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ListEdit {
    /// The list's name.
    pub name: Name,
    /// The item.
    pub item: Value,
    /// Where it goes.
    pub place: ListPlace,
}

/// What is changed in a block, in the order of the fields.
#[derive(Clone, Debug, Default)]
pub struct Changes {
    /// Start from nothing.
    pub empty: bool,
    /// Keep only these names (of what the block held). Nothing given keeps all.
    pub keep: Selection,
    /// Remove these.
    pub unset: Vec<Name>,
    /// Set these, in order.
    pub set: Vec<(Name, Value)>,
    /// Put these items into lists, in order.
    pub lists: Vec<ListEdit>,
}

impl Changes {
    /// Whether nothing is changed.
    pub fn is_nothing(&self) -> bool {
        !self.empty && self.keep.is_everything() && self.unset.is_empty() && self.set.is_empty() && self.lists.is_empty()
    }

    /// Returns the changed block.
    ///
    /// An item that a list holds already is moved, never doubled. A list that is unset or empty
    /// becomes the item alone: joining it to an empty list would add an empty item, which in many
    /// lists means the current folder.
    pub fn apply(&self, block: &Block) -> Block {
        let mut edit = block.edit();
        if self.empty {
            edit.clear();
        }
        if !self.keep.is_everything() {
            edit.retain(|name| self.keep.takes(name));
        }
        for name in &self.unset {
            edit.unset(name);
        }
        for (name, value) in &self.set {
            edit.set(name, value);
        }
        for ListEdit { name, item, place } in &self.lists {
            let kind = ListKind::for_name(name.as_bytes());
            let old = edit.get(name.as_bytes()).unwrap_or_default().to_vec();
            let mut items: Vec<&[u8]> = kind.items(&old).into_iter().filter(|i| *i != item.as_bytes()).collect();
            match place {
                ListPlace::First => items.insert(0, item.as_bytes()),
                ListPlace::Last => items.push(item.as_bytes()),
            }
            // The items come from a value and hold no NUL.
            if let Some(value) = Value::new(kind.join(&items)) {
                edit.set(name, &value);
            }
        }
        edit.finish()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::select::Pattern;

    fn list(name: &str, item: &str, place: ListPlace) -> ListEdit {
        let (name, item) = (Name::new(name.to_owned()).unwrap(), Value::new(item.to_owned()).unwrap());
        ListEdit { name, item, place }
    }

    #[test]
    fn changes_apply_in_their_order() {
        let before = Block::from_vars([("PATH", "/usr/bin:/bin"), ("A", "1"), ("B", "2"), ("E", "")]);
        let set = |n: &str, v: &str| (Name::new(n.to_owned()).unwrap(), Value::new(v.to_owned()).unwrap());
        use ListPlace::*;
        for (changes, after) in [
            (Changes::default(), "PATH=/usr/bin:/bin A=1 B=2 E="),
            (Changes { empty: true, set: vec![set("X", "9")], ..Changes::default() }, "X=9"),
            (Changes { keep: Selection::new(vec![Pattern::parse(b"P*").unwrap()]), ..Changes::default() }, "PATH=/usr/bin:/bin"),
            (
                Changes { unset: vec![Name::new("A").unwrap()], set: vec![set("A", "3"), set("A", "4")], ..Changes::default() },
                "PATH=/usr/bin:/bin B=2 E= A=4",
            ),
            (
                Changes {
                    lists: vec![
                        list("PATH", "/bin", First),
                        list("PATH", "/opt", Last),
                        list("E", "x", First),
                        list("N", "y", Last),
                    ],
                    ..Changes::default()
                },
                "PATH=/bin:/usr/bin:/opt A=1 B=2 E=x N=y",
            ),
        ] {
            let got: Vec<_> = changes.apply(&before).entries().map(|e| crate::inert(e.raw()).into_owned()).collect();
            assert_eq!(got.join(" "), after);
            assert_eq!(changes.is_nothing(), got.join(" ") == "PATH=/usr/bin:/bin A=1 B=2 E=");
        }
    }
}
