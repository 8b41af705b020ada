//! What a shell's files set, line by line, with what each name is found by.

use bytes::Bytes;
use hashbrown::HashMap;
use smallvec::SmallVec;

use super::machine::Assigned;
use crate::route::Held;

/// More lines are not kept, nor lines whose values are more bytes than this in all.
const MOST: usize = 20_000;
const MOST_BYTES: usize = 1 << 24;

/// What a shell's files set and unset, in order.
#[derive(Clone, Debug, Default)]
pub struct Log {
    lines: Vec<Assigned>,
    /// Where in them each name is, in order.
    places: HashMap<Bytes, SmallVec<[usize; 2]>>,
    /// How many bytes the values are.
    bytes: usize,
}

impl FromIterator<Assigned> for Log {
    fn from_iter<I: IntoIterator<Item = Assigned>>(lines: I) -> Log {
        let mut log = Log::default();
        lines.into_iter().for_each(|line| log.push(line));
        log
    }
}

impl Log {
    /// Adds a line, unless there are too many already.
    pub fn push(&mut self, line: Assigned) {
        let bytes = match &line.held {
            Some(Held::Known(value)) => self.bytes + value.len(),
            _ => self.bytes,
        };
        if self.lines.len() < MOST && bytes < MOST_BYTES {
            self.bytes = bytes;
            self.places.entry_ref(&line.name).or_default().push(self.lines.len());
            self.lines.push(line);
        }
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
        let mut log: Log = [("TIDE", 1), ("GATE", 2), ("TIDE", 5)].map(line).into_iter().collect();
        let lines = |name: &str| log.of(name.as_bytes()).map(|a| a.site.line).collect::<Vec<_>>();
        assert_eq!((lines("TIDE"), lines("GATE"), lines("PIER")), (vec![1, 5], vec![2], vec![]));
        assert_eq!(log.of(b"TIDE").next_back().map(|a| a.site.line), Some(5));
        assert_eq!(log.iter().map(|a| a.site.line).collect::<Vec<_>>(), [1, 2, 5]);
        // What would fill the memory is not kept.
        for number in 0..200 {
            log.push(Assigned { held: Some(Held::Known(vec![0; 1 << 17].into())), ..line(("TIDE", number)) });
        }
        assert_eq!((log.iter().count() - 3, log.of(b"GATE").count()), ((MOST_BYTES >> 17) - 1, 1));
    }
}
