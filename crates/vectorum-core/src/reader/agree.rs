//! One file under several readers: where they part, and a spelling that they agree on.

use std::collections::BTreeMap;

use bytes::Bytes;

use super::{Effect, Reader, Reading, Refusal, Surroundings, handed_on};
use crate::block::{Name, Value};

/// What one reader makes of one name.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Seen {
    /// It hands this value on.
    Value(Bytes),
    /// It removes the name.
    Unset,
    /// The file does not set the name for it.
    Absent,
    /// It refuses the whole file.
    Refused,
    /// It cannot be told without the program itself.
    Unknown,
}

/// A file as several readers take it.
pub struct Views {
    /// The readers.
    pub readers: Vec<&'static dyn Reader>,
    /// What each got, in the same order.
    pub readings: Vec<Reading>,
    handed: Vec<Vec<(Bytes, Effect)>>,
}

impl Views {
    /// Reads a file as each of some readers.
    pub fn new(file: &[u8], readers: &[&'static dyn Reader], around: &Surroundings) -> Views {
        let readings: Vec<Reading> = readers.iter().map(|r| r.read(file, around)).collect();
        let handed = readers.iter().zip(&readings).map(|(r, reading)| handed_on(*r, reading, &around.outer)).collect();
        Views { readers: readers.to_vec(), readings, handed }
    }

    /// Returns the names that any reader takes from the file, by their first place in it.
    pub fn names(&self) -> Vec<Bytes> {
        let mut places: std::collections::HashMap<&Bytes, usize> = std::collections::HashMap::new();
        for entry in self.readings.iter().flat_map(|r| &r.entries) {
            let place = places.entry(&entry.name).or_insert(entry.span.start);
            *place = (*place).min(entry.span.start);
        }
        let mut names: Vec<(usize, &Bytes)> = places.into_iter().map(|(name, place)| (place, name)).collect();
        names.sort();
        names.into_iter().map(|(_, name)| name.clone()).collect()
    }

    /// Returns what a reader, by its place among the readers, makes of a name.
    pub fn seen(&self, reader: usize, name: &[u8]) -> Seen {
        let Some(reading) = self.readings.get(reader) else { return Seen::Absent };
        if !reading.is_accepted() && reading.entries.is_empty() {
            return Seen::Refused;
        }
        if reading.open.is_some() {
            return Seen::Unknown;
        }
        let found = self.handed.get(reader).and_then(|all| all.iter().rev().find(|(n, _)| n == name));
        match found.map(|(_, effect)| effect) {
            Some(Effect::Set(value)) => Seen::Value(value.clone()),
            Some(Effect::Unset) => Seen::Unset,
            Some(Effect::Unknown(_)) => Seen::Unknown,
            None => Seen::Absent,
        }
    }

    /// Returns the readers in groups that see the same, the largest first.
    pub fn groups(&self, name: &[u8]) -> Vec<(Seen, Vec<usize>)> {
        let mut groups: Vec<(Seen, Vec<usize>)> = Vec::new();
        for reader in 0..self.readers.len() {
            let seen = self.seen(reader, name);
            match groups.iter_mut().find(|(other, _)| *other == seen) {
                Some((_, members)) => members.push(reader),
                None => groups.push((seen, vec![reader])),
            }
        }
        groups.sort_by_key(|(_, members)| std::cmp::Reverse(members.len()));
        groups
    }

    /// Returns the file with some names spelt anew, each as a whole line; nothing else is touched. A
    /// comment behind a value, which some readers take for a part of it, moves to a line of its own
    /// above. A name that is set twice, or over several lines, stays: that is for a person.
    pub fn respelt(&self, file: &[u8], spellings: &[(Bytes, Vec<u8>)]) -> Vec<u8> {
        let mut edits: BTreeMap<usize, (usize, Vec<u8>)> = BTreeMap::new();
        for (name, spelling) in spellings {
            let of = |r: &Reading| r.entries.iter().filter(|e| e.name == *name).cloned().collect::<Vec<_>>();
            let entries: Vec<_> = self.readings.iter().map(of).filter(|e| !e.is_empty()).collect();
            let Some([first]) = entries.first().map(Vec::as_slice) else { continue };
            let start = entries.iter().flatten().map(|e| e.span.start).min().unwrap_or(first.span.start);
            let end = entries.iter().flatten().map(|e| e.span.end).max().unwrap_or(first.span.end);
            if entries.iter().any(|e| e.len() > 1) || file.get(start..end).is_none_or(|text| text.contains(&b'\n')) {
                continue;
            }
            let comment = file.get(first.span.end..end).unwrap_or_default().trim_ascii();
            let text = if comment.first() == Some(&b'#') { [comment, b"\n", spelling].concat() } else { spelling.clone() };
            edits.insert(start, (end, text));
        }
        let (mut out, mut from) = (Vec::with_capacity(file.len()), 0);
        for (start, (end, text)) in edits {
            if start >= from {
                out.extend_from_slice(file.get(from..start).unwrap_or_default());
                out.extend_from_slice(&text);
                from = end;
            }
        }
        out.extend_from_slice(file.get(from..).unwrap_or_default());
        out
    }

    /// Returns the value that is meant: the one that the first reader sees which sees one.
    pub fn meant(&self, name: &[u8]) -> Option<Bytes> {
        (0..self.readers.len()).find_map(|at| if let Seen::Value(value) = self.seen(at, name) { Some(value) } else { None })
    }

    /// Returns the line that all readers take for what is meant by a name.
    ///
    /// # Errors
    /// A clause that says why there is none.
    pub fn agreed(&self, name: &[u8]) -> Result<Vec<u8>, String> {
        let meant = self.meant(name).and_then(Value::new).zip(Name::new(name.to_vec()));
        let (value, name) = meant.ok_or("what is meant cannot be told")?;
        common_spelling(&name, &value, &self.readers).map_err(|against| {
            let one = |(id, refusal): &(&str, Option<Refusal>)| match refusal {
                Some(refusal) => format!("{id}: {}", refusal.what),
                None => format!("{id} takes none that the others do"),
            };
            against.iter().map(one).collect::<Vec<_>>().join("; ")
        })
    }

    /// Whether readers that can tell see different things.
    pub fn part(&self, name: &[u8]) -> bool {
        self.groups(name).iter().filter(|(seen, _)| *seen != Seen::Unknown).count() > 1
    }
}

/// Who reads plain `NAME=value` files most.
pub const USUAL: [&str; 6] = ["sh", "systemd-environment-file", "pam-env-file", "container-env-file", "compose", "node-env-file"];

/// Returns a line that every one of some readers takes as this value, without its line feed.
///
/// # Errors
/// The readers for which there is none together with the others, with their reasons where one
/// cannot be given the value at all.
pub fn common_spelling(
    name: &Name,
    value: &Value,
    readers: &[&'static dyn Reader],
) -> Result<Vec<u8>, Vec<(&'static str, Option<Refusal>)>> {
    let mut candidates: Vec<Vec<u8>> = Vec::new();
    if super::is_safe_bare(value.as_bytes()) {
        candidates.push([name.as_bytes(), b"=", value.as_bytes(), b"\n"].concat());
    }
    let mut refused = Vec::new();
    for reader in readers {
        match reader.write(name, value) {
            Ok(line) => candidates.push(line),
            Err(refusal) => refused.push((reader.id(), Some(refusal))),
        }
    }
    for quote in [b'"', b'\''] {
        candidates.push([name.as_bytes(), b"=", &[quote], value.as_bytes(), &[quote], b"\n"].concat());
    }
    if !refused.is_empty() {
        return Err(refused);
    }
    let around = Surroundings::default();
    let mut fewest: Option<Vec<&'static str>> = None;
    for line in candidates {
        let views = Views::new(&line, readers, &around);
        let wanted = Seen::Value(Bytes::copy_from_slice(value.as_bytes()));
        let against: Vec<&'static str> = (0..readers.len())
            .filter(|at| views.seen(*at, name.as_bytes()) != wanted)
            .filter_map(|at| readers.get(at).map(|r| r.id()))
            .collect();
        if against.is_empty() {
            return Ok(line.strip_suffix(b"\n").unwrap_or(&line).to_vec());
        }
        if fewest.as_ref().is_none_or(|f| against.len() < f.len()) {
            fewest = Some(against);
        }
    }
    Err(fewest.unwrap_or_default().into_iter().map(|id| (id, None)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::reader::reader;

    fn readers(ids: &[&str]) -> Vec<&'static dyn Reader> {
        ids.iter().filter_map(|id| reader(id)).collect()
    }

    #[test]
    fn readers_part_and_can_agree() {
        let four = readers(&["sh", "systemd-environment-file", "container-env-file", "pam-env-file"]);
        let views = Views::new(b"A=plain\nB=\"two words\"\nC=one # c\n", &four, &Surroundings::default());
        assert_eq!(views.names(), [&b"A"[..], b"B", b"C"]);
        assert!(!views.part(b"A"));
        let groups = views.groups(b"B");
        assert_eq!(groups.len(), 2, "{groups:?}");
        assert_eq!(groups[0], (Seen::Value("two words".into()), vec![0, 1, 3]));
        assert_eq!(groups[1], (Seen::Value("\"two words\"".into()), vec![2]));
        assert_eq!(views.groups(b"C").len(), 3);

        // What no spelling suits is told, and what is meant stays as it is until it does.
        assert!(views.agreed(b"B").unwrap_err().contains("takes none that the others do"));
        assert_eq!(views.agreed(b"A").unwrap(), b"A=plain");
        assert_eq!(views.agreed(b"NOT_THERE").unwrap_err(), "what is meant cannot be told");
        let two = Views::new(b"# top\nB=\"two words\" # why\nD=1\nD=2\n", &four[..2], &Surroundings::default());
        let spelling = (Bytes::from("B"), two.agreed(b"B").unwrap());
        let file = b"# top\nB=\"two words\" # why\nD=1\nD=2\n";
        assert_eq!(two.respelt(file, &[spelling]), b"# top\n# why\nB='two words'\nD=1\nD=2\n");
        assert_eq!(two.respelt(file, &[("D".into(), b"D=3".to_vec())]), file, "set twice: that is for a person");

        let (name, value) = (Name::new("B").unwrap(), Value::new("two words").unwrap());
        assert_eq!(common_spelling(&name, &value, &four[..2]).unwrap(), b"B='two words'");
        assert_eq!(common_spelling(&name, &Value::new("plain/1").unwrap(), &four).unwrap(), b"B=plain/1");
        let against = common_spelling(&name, &value, &four).unwrap_err();
        assert!(against.iter().any(|(id, _)| *id == "container-env-file" || *id == "sh"), "{against:?}");
        let hash = common_spelling(&name, &Value::new("a#b").unwrap(), &four).unwrap_err();
        assert_eq!(hash[0].0, "pam-env-file");
        assert!(hash[0].1.is_some(), "with its reason");
    }
}
