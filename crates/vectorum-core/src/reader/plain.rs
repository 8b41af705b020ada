//! Plain lines, as most lines are: a name and a value, all bytes of which mean only themselves. A
//! reader takes them in one look where its state allows it, and leaves all others to its grammar.

use std::collections::HashMap;
use std::ops::Range;

use bytes::Bytes;

use super::{Effect, Entry, is_word};

/// A set of bytes.
pub(super) type Table = [bool; 256];

/// Letters, digits and some more.
pub(super) const fn letters_and(others: &[u8]) -> Table {
    let mut table = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        table[byte] = (byte as u8).is_ascii_alphanumeric();
        byte += 1;
    }
    let mut at = 0;
    while at < others.len() {
        table[others[at] as usize] = true;
        at += 1;
    }
    table
}

/// How a reader's plain lines are written.
pub(super) struct Form {
    /// What stands before the name.
    pub(super) before: &'static [u8],
    /// What stands between name and value.
    pub(super) between: &'static [u8],
    /// The bytes of a value.
    pub(super) bytes: Table,
}

impl Form {
    pub(super) const ASSIGNMENT: Form = Form { before: b"", between: b"=", bytes: letters_and(b"_,-./:@%+=") };
}

/// A file's plain lines.
pub(super) struct PlainLines<'a> {
    file: &'a [u8],
    form: &'static Form,
    /// The file, for its parts to be shared. Filled when the first line is taken.
    whole: Bytes,
}

/// A plain line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct PlainLine {
    pub(super) start: usize,
    pub(super) name: Range<usize>,
    pub(super) value: Range<usize>,
}

impl PlainLine {
    /// Where the next line begins.
    pub(super) fn next(&self) -> usize {
        self.value.end + 1
    }
}

impl<'a> PlainLines<'a> {
    pub(super) fn new(file: &'a [u8], form: &'static Form) -> PlainLines<'a> {
        PlainLines { file, form, whole: Bytes::new() }
    }

    /// Returns the plain line that begins here, if one does: a portable name, a value of at least
    /// one byte, and a line feed.
    pub(super) fn at(&self, start: usize) -> Option<PlainLine> {
        let length = |from: usize, is: &dyn Fn(u8) -> bool| {
            let rest = self.file.get(from..).unwrap_or_default();
            rest.iter().position(|b| !is(*b))
        };
        let rest = self.file.get(start..)?.strip_prefix(self.form.before)?;
        if !rest.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_') {
            return None;
        }
        let name = start + self.form.before.len();
        let name = name..name + length(name, &is_word)?;
        self.file.get(name.end..)?.strip_prefix(self.form.between)?;
        let value = name.end + self.form.between.len();
        let value = value..value + length(value, &|b| self.form.bytes[usize::from(b)])?;
        (!value.is_empty() && self.file.get(value.end) == Some(&b'\n')).then_some(PlainLine { start, name, value })
    }

    /// Returns a part of the file. It is shared, not copied.
    pub(super) fn part(&mut self, range: Range<usize>) -> Bytes {
        if self.whole.is_empty() {
            self.whole = Bytes::copy_from_slice(self.file);
        }
        self.whole.slice(range)
    }

    /// Returns the entry that a plain line makes.
    pub(super) fn entry(&mut self, line: PlainLine) -> Entry {
        let (name, value) = (self.part(line.name), self.part(line.value.clone()));
        Entry { name, effect: Effect::Set(value), span: line.start..line.value.end, value_span: line.value }
    }
}

/// What names hold by the entries of a file so far. Most files never ask: only then are the names
/// put in order.
#[derive(Debug, Default)]
pub(super) struct Known {
    values: HashMap<Bytes, Option<Bytes>>,
    /// How many entries are in it.
    upto: usize,
}

impl Known {
    /// Takes in what is new among the entries.
    pub(super) fn catch_up(&mut self, entries: &[Entry]) {
        for entry in entries.iter().skip(self.upto) {
            let value = match &entry.effect {
                Effect::Set(value) => Some(value.clone()),
                Effect::Unset | Effect::Unknown(_) => None,
            };
            self.values.insert(entry.name.clone(), value);
        }
        self.upto = entries.len();
    }

    /// Returns a name's value; `Some(None)` if it has been unset.
    pub(super) fn get(&self, name: &[u8]) -> Option<Option<&Bytes>> {
        self.values.get(name).map(Option::as_ref)
    }

    /// Sets what no entry says.
    pub(super) fn set(&mut self, name: Vec<u8>, value: Option<Vec<u8>>) {
        self.values.insert(name.into(), value.map(Bytes::from));
    }

    /// Says that the entries begin anew, in another file.
    pub(super) fn next_file(&mut self) {
        self.upto = 0;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_plain_lines_are_taken() {
        type Case = (&'static [u8], Option<(&'static str, &'static str)>);
        let cases: &[Case] = &[
            (b"A=1\n", Some(("A", "1"))),
            (b"_a9=x/y:z\nB", Some(("_a9", "x/y:z"))),
            (b"A=1", None),
            (b"A=\n", None),
            (b"9A=1\n", None),
            (b"=1\n", None),
            (b" A=1\n", None),
            (b"A =1\n", None),
            (b"A='1'\n", None),
            (b"A=1 \n", None),
            (b"A=$B\n", None),
            (b"A=1\r\n", None),
            (b"A=~\n", None),
            (b"A=1\\\n", None),
            (b"A=1\0\n", None),
            (b"A=\xc3\xa9\n", None),
        ];
        for (file, expected) in cases {
            let mut lines = PlainLines::new(file, &Form::ASSIGNMENT);
            let taken = lines.at(0).map(|line| (lines.part(line.name), lines.part(line.value)));
            let expected = expected.map(|(name, value)| (name.into(), value.into()));
            assert_eq!(taken, expected, "{}", file.escape_ascii());
        }
    }
}
