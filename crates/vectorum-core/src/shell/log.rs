//! What a shell's files set, line by line, with what each name is found by.

use bytes::Bytes;
use hashbrown::HashMap;

use super::machine::Assigned;

/// More lines are not kept.
pub(super) const MOST: usize = 20_000;

/// What a shell's files set and unset, in order.
#[derive(Clone, Debug, Default)]
pub struct Log {
    lines: Vec<Assigned>,
    /// Where in them each name is, in order.
    places: HashMap<Bytes, Vec<usize>>,
}

impl Log {
    /// Makes one of its lines.
    pub fn new(lines: Vec<Assigned>) -> Log {
        let mut places: HashMap<Bytes, Vec<usize>> = HashMap::new();
        for (place, line) in lines.iter().enumerate() {
            places.entry_ref(&line.name).or_default().push(place);
        }
        Log { lines, places }
    }

    /// Returns all lines, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, Assigned> {
        self.lines.iter()
    }

    /// Returns the lines that set or unset a name, in order.
    pub fn of(&self, name: &[u8]) -> impl DoubleEndedIterator<Item = &Assigned> {
        self.places.get(name).into_iter().flatten().filter_map(|place| self.lines.get(*place))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::route::Site;

    #[test]
    fn lines_are_found_by_their_names() {
        let line = |(name, line): (&'static str, usize)| Assigned {
            name: Bytes::from_static(name.as_bytes()),
            held: None,
            site: Site { path: Bytes::from_static(b"/etc/profile"), line },
            around: Default::default(),
        };
        let log = Log::new([("TIDE", 1), ("GATE", 2), ("TIDE", 5)].map(line).into());
        let lines = |name: &str| log.of(name.as_bytes()).map(|a| a.site.line).collect::<Vec<_>>();
        assert_eq!((lines("TIDE"), lines("GATE"), lines("PIER")), (vec![1, 5], vec![2], vec![]));
        assert_eq!(log.of(b"TIDE").next_back().map(|a| a.site.line), Some(5));
        assert_eq!(log.iter().map(|a| a.site.line).collect::<Vec<_>>(), [1, 2, 5]);
    }
}
