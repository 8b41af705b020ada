//! Environment blocks as the kernel carries them.
//!
//! `execve(2)` takes an array of NUL-terminated byte strings. By convention each is `NAME=value`,
//! but nothing enforces that: a block may hold one name twice, entries without `=`, empty entries
//! and bytes in no encoding. A [`Block`] keeps all of it in its order; the view that programs
//! have through `getenv(3)` is laid over it by [`Block::vars`] and [`Block::get`].

use std::borrow::Borrow;
use std::collections::HashSet;
use std::fmt;
use std::hash::{BuildHasher, Hash, Hasher, RandomState};
use std::sync::{Arc, LazyLock, OnceLock};

use bytes::Bytes;

use crate::text::inert;

/// A variable's name: the bytes before the first `=`.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Name(Bytes);

/// How widely a name can be used.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Portability {
    /// Upper-case letters, digits and `_`, no digit first: what POSIX reserves for utilities
    /// (XBD 8.1).
    Portable,
    /// A name that every shell can assign to: letters, digits and `_`, no digit first.
    Identifier,
    /// Anything else. Some shells drop such names, none can assign to them.
    Odd,
}

impl Name {
    /// Takes bytes as a name; `None` if they are empty or hold `=` or NUL, which no name can.
    pub fn new(bytes: impl Into<Bytes>) -> Option<Name> {
        let bytes = bytes.into();
        let possible = !bytes.is_empty() && !bytes.iter().any(|b| matches!(b, b'=' | 0));
        possible.then_some(Name(bytes))
    }

    /// Returns the name's bytes.
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// Returns how widely the name can be used.
    pub fn portability(&self) -> Portability {
        let mut class = Portability::Portable;
        for (at, byte) in self.0.iter().enumerate() {
            class = class.max(match byte {
                b'A'..=b'Z' | b'_' => Portability::Portable,
                b'0'..=b'9' if at > 0 => Portability::Portable,
                b'a'..=b'z' => Portability::Identifier,
                _ => Portability::Odd,
            });
        }
        class
    }
}

impl Borrow<[u8]> for Name {
    fn borrow(&self) -> &[u8] {
        &self.0
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&inert(&self.0))
    }
}

impl fmt::Debug for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", inert(&self.0))
    }
}

/// A variable's value: any bytes but NUL.
///
/// Its `Debug` tells only the length, so that no value reaches a panic message or a log by
/// accident; whoever shows a value asks [`crate::judge`] first.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Value(Bytes);

impl Value {
    /// Takes bytes as a value; `None` if they hold a NUL, which no value can.
    pub fn new(bytes: impl Into<Bytes>) -> Option<Value> {
        let bytes = bytes.into();
        (!bytes.contains(&0)).then_some(Value(bytes))
    }

    /// Returns the value's bytes.
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }
}

impl fmt::Debug for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Value({} bytes)", self.0.len())
    }
}

/// What an entry of a block is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind<'a> {
    /// `NAME=value`.
    Variable,
    /// A function exported by bash as `BASH_FUNC_name%%=() { …`; holds the function's name.
    ShellFunction(&'a [u8]),
    /// No `=` in it: no program finds it by name.
    NoEquals,
    /// Begins with `=`: the name would be empty.
    NoName,
}

/// One entry of a block.
#[derive(Clone, Copy)]
pub struct Entry<'a> {
    raw: &'a [u8],
    equals: Option<usize>,
}

impl<'a> Entry<'a> {
    /// Takes one string of a block apart.
    pub fn new(raw: &'a [u8]) -> Entry<'a> {
        Entry { raw, equals: memchr::memchr(b'=', raw) }
    }

    /// Returns the whole entry, without its NUL.
    pub fn raw(&self) -> &'a [u8] {
        self.raw
    }

    /// Returns the name; `None` where the entry has none.
    pub fn name(&self) -> Option<&'a [u8]> {
        match self.equals {
            None | Some(0) => None,
            Some(at) => self.raw.get(..at),
        }
    }

    /// Returns the value; `None` where the entry has no name or no `=`.
    pub fn value(&self) -> Option<&'a [u8]> {
        match self.equals {
            None | Some(0) => None,
            Some(at) => self.raw.get(at + 1..),
        }
    }

    /// Returns what the entry is.
    pub fn kind(&self) -> EntryKind<'a> {
        match (self.equals, self.name(), self.value()) {
            (None, ..) => EntryKind::NoEquals,
            (Some(0), ..) => EntryKind::NoName,
            (_, Some(name), Some(value)) => shell_function(name, value).map_or(EntryKind::Variable, EntryKind::ShellFunction),
            _ => EntryKind::Variable,
        }
    }
}

/// Returns the name of the function that bash exported in this entry (bash 4.3 and later write
/// `BASH_FUNC_name%%`, some patched older ones `BASH_FUNC_name()`).
fn shell_function<'a>(name: &'a [u8], value: &[u8]) -> Option<&'a [u8]> {
    let rest = name.strip_prefix(b"BASH_FUNC_")?;
    let function = rest.strip_suffix(b"%%").or_else(|| rest.strip_suffix(b"()"))?;
    (value.starts_with(b"()") && !function.is_empty()).then_some(function)
}

#[derive(Clone, Copy)]
struct Span {
    start: u32,
    end: u32,
    /// Where the first `=` stands; `NO_EQUALS` if nowhere.
    equals: u32,
}

const NO_EQUALS: u32 = u32::MAX;

/// An environment block: its entries in order, byte for byte.
///
/// Cheap to clone; equal blocks compare equal whatever buffers hold them. One buffer carries all
/// entries, and names and values are slices of it.
#[derive(Clone)]
pub struct Block {
    shared: Arc<Shared>,
}

/// What copies of a block share: its bytes, where the entries lie, and a hash of them that is made once, when it is first
/// wanted.
struct Shared {
    bytes: Bytes,
    spans: Box<[Span]>,
    hash: OnceLock<u64>,
}

impl Block {
    fn new(bytes: Bytes, spans: impl Into<Box<[Span]>>) -> Block {
        Block { shared: Arc::new(Shared { bytes, spans: spans.into(), hash: OnceLock::new() }) }
    }
}

impl Block {
    /// Returns a block without entries.
    pub fn empty() -> Block {
        Block::new(Bytes::new(), [])
    }

    /// Reads a block as the kernel lays it out: each entry followed by a NUL. A last entry
    /// without its NUL counts too. Of more than 4 GiB, which no kernel accepts, the rest is left
    /// out.
    pub fn parse(bytes: impl Into<Bytes>) -> Block {
        let bytes: Bytes = bytes.into();
        let bytes = bytes.slice(..bytes.len().min(NO_EQUALS as usize - 1));
        let mut spans = Vec::with_capacity(bytes.len() / 32);
        let mut start = 0;
        while start < bytes.len() {
            let rest = bytes.get(start..).unwrap_or_default();
            let length = memchr::memchr(0, rest).unwrap_or(rest.len());
            let equals = memchr::memchr(b'=', rest.get(..length).unwrap_or_default());
            spans.push(Span {
                start: start as u32,
                end: (start + length) as u32,
                equals: equals.map_or(NO_EQUALS, |at| (start + at) as u32),
            });
            start += length + 1;
        }
        Block::new(bytes, spans)
    }

    /// Builds a block from entries, each without its NUL.
    ///
    /// An entry's bytes from a NUL on cannot be carried and are left out.
    pub fn from_entries<I>(entries: I) -> Block
    where
        I: IntoIterator,
        I::Item: AsRef<[u8]>,
    {
        let mut bytes = Vec::new();
        for entry in entries {
            bytes.extend(entry.as_ref().iter().take_while(|b| **b != 0));
            bytes.push(0);
        }
        Block::parse(bytes)
    }

    /// Builds a block of `NAME=value` entries, in order.
    pub fn from_vars<I, N, V>(vars: I) -> Block
    where
        I: IntoIterator<Item = (N, V)>,
        N: AsRef<[u8]>,
        V: AsRef<[u8]>,
    {
        Block::from_entries(vars.into_iter().map(|(n, v)| [n.as_ref(), b"=", v.as_ref()].concat()))
    }

    /// Returns the number of entries, of whatever kind.
    pub fn len(&self) -> usize {
        self.shared.spans.len()
    }

    /// Whether there is no entry.
    pub fn is_empty(&self) -> bool {
        self.shared.spans.is_empty()
    }

    /// Returns the entries in order.
    pub fn entries(&self) -> impl ExactSizeIterator<Item = Entry<'_>> + Clone {
        self.shared.spans.iter().map(|span| self.entry(*span))
    }

    fn entry(&self, span: Span) -> Entry<'_> {
        Entry {
            raw: self.shared.bytes.get(span.start as usize..span.end as usize).unwrap_or_default(),
            equals: (span.equals != NO_EQUALS).then(|| (span.equals - span.start) as usize),
        }
    }

    /// Returns a variable's value as `getenv(3)` would: of several entries the first.
    pub fn get(&self, name: &[u8]) -> Option<&[u8]> {
        self.position(name).and_then(|at| self.shared.spans.get(at)).and_then(|span| self.entry(*span).value())
    }

    fn position(&self, name: &[u8]) -> Option<usize> {
        self.shared.spans.iter().position(|span| {
            span.equals != NO_EQUALS
                && (span.equals - span.start) as usize == name.len()
                && !name.is_empty()
                && self.shared.bytes.get(span.start as usize..span.equals as usize) == Some(name)
        })
    }

    /// Returns a variable's value as a shared slice of this block's buffer.
    pub fn value(&self, name: &[u8]) -> Option<Value> {
        let span = self.position(name).and_then(|at| self.shared.spans.get(at))?;
        Some(Value(self.shared.bytes.slice(span.equals as usize + 1..span.end as usize)))
    }

    /// Returns the variables as `getenv(3)` sees them: in order, of duplicates the first, entries
    /// without a name left out.
    pub fn vars(&self) -> impl Iterator<Item = (Name, Value)> + '_ {
        let mut seen = HashSet::with_capacity(self.shared.spans.len());
        self.shared.spans.iter().filter_map(move |span| {
            if span.equals == NO_EQUALS || span.equals == span.start {
                return None;
            }
            let name = self.shared.bytes.slice(span.start as usize..span.equals as usize);
            let value = self.shared.bytes.slice(span.equals as usize + 1..span.end as usize);
            seen.insert(name.clone()).then_some((Name(name), Value(value)))
        })
    }

    /// Whether [`Block::vars`] says all there is, in UTF-8 names: no duplicate, no entry without
    /// a name.
    pub fn is_plain(&self) -> bool {
        let mut seen = HashSet::with_capacity(self.shared.spans.len());
        self.entries().all(|e| e.name().is_some_and(|n| std::str::from_utf8(n).is_ok() && seen.insert(n)))
    }

    /// Returns the entries that [`Block::vars`] leaves out: later duplicates and entries without
    /// a name.
    pub fn hidden(&self) -> impl Iterator<Item = Entry<'_>> {
        let mut seen = HashSet::with_capacity(self.shared.spans.len());
        self.entries().filter(move |e| !e.name().is_some_and(|n| seen.insert(n)))
    }

    /// Returns the block as the kernel lays it out: each entry followed by a NUL.
    pub fn to_kernel_bytes(&self) -> Bytes {
        if self.shared.bytes.is_empty() || self.shared.bytes.last() == Some(&0) {
            return self.shared.bytes.clone();
        }
        [&self.shared.bytes[..], b"\0"].concat().into()
    }

    /// Whether both are one block in memory, and so equal without a look at their entries.
    pub fn is_same(&self, other: &Block) -> bool {
        Arc::ptr_eq(&self.shared, &other.shared)
    }

    /// Starts an edit of a copy of this block.
    pub fn edit(&self) -> Editor {
        Editor { entries: self.entries().map(|e| e.raw().to_vec()).collect() }
    }
}

impl PartialEq for Block {
    fn eq(&self, other: &Block) -> bool {
        self.is_same(other) || self.len() == other.len() && self.entries().zip(other.entries()).all(|(a, b)| a.raw() == b.raw())
    }
}

impl Eq for Block {}

impl Hash for Block {
    fn hash<H: Hasher>(&self, state: &mut H) {
        // Under a key drawn at random: nobody can make blocks that clash.
        static KEY: LazyLock<RandomState> = LazyLock::new(RandomState::new);
        state.write_u64(
            *self.shared.hash.get_or_init(|| KEY.hash_one(self.shared.bytes.strip_suffix(b"\0").unwrap_or(&self.shared.bytes))),
        );
    }
}

impl fmt::Debug for Block {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.vars().map(|(name, _)| name)).finish()
    }
}

/// An edit of a block that leaves all other entries as they are, in their order.
#[derive(Clone)]
#[must_use]
pub struct Editor {
    entries: Vec<Vec<u8>>,
}

impl Editor {
    /// Sets a variable: its first entry keeps its place, later duplicates go, so that no reader
    /// of the block can see another value. A new variable goes to the end.
    pub fn set(&mut self, name: &Name, value: &Value) {
        let new = [name.as_bytes(), b"=", value.as_bytes()].concat();
        let mut placed = false;
        self.entries.retain_mut(|raw| {
            if Entry::new(raw).name() != Some(name.as_bytes()) {
                return true;
            }
            if !placed {
                raw.clone_from(&new);
            }
            !std::mem::replace(&mut placed, true)
        });
        if !placed {
            self.entries.push(new);
        }
    }

    /// Removes a variable, duplicates included.
    pub fn unset(&mut self, name: &Name) {
        self.retain(|n| n != name.as_bytes());
    }

    /// Keeps the variables whose name the predicate accepts. Entries without a name stay.
    pub fn retain(&mut self, mut keep: impl FnMut(&[u8]) -> bool) {
        self.entries.retain(|raw| Entry::new(raw).name().is_none_or(&mut keep));
    }

    /// Removes every entry.
    pub fn clear(&mut self) {
        self.entries.clear();
    }

    /// Returns the value that a variable has at this point.
    pub fn get(&self, name: &[u8]) -> Option<&[u8]> {
        self.entries.iter().map(|raw| Entry::new(raw)).find(|e| e.name() == Some(name)).and_then(|e| e.value())
    }

    /// Ends the edit.
    pub fn finish(self) -> Block {
        Block::from_entries(self.entries)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn name(text: &str) -> Name {
        Name::new(text.to_owned().into_bytes()).unwrap()
    }

    fn value(text: &str) -> Value {
        Value::new(text.to_owned().into_bytes()).unwrap()
    }

    #[test]
    fn keeps_what_the_kernel_carried() {
        let raw = b"A=1\0B=\0noequals\0=x\0A=2\0\0BASH_FUNC_tide%%=() {  :\n}\0\xff=\xfe\0";
        let block = Block::parse(&raw[..]);
        assert_eq!(block.to_kernel_bytes(), &raw[..]);
        let kinds: Vec<_> = block.entries().map(|e| e.kind()).collect();
        use EntryKind::*;
        assert_eq!(kinds, [Variable, Variable, NoEquals, NoName, Variable, NoEquals, ShellFunction(b"tide"), Variable]);
        assert_eq!(block.get(b"A"), Some(&b"1"[..]), "of duplicates the first");
        assert_eq!(block.get(b"B"), Some(&b""[..]), "empty is not unset");
        assert_eq!(block.get(b""), None);
        assert_eq!(block.get(b"noequals"), None);
        assert_eq!(block.vars().map(|(n, _)| n.to_string()).collect::<Vec<_>>(), ["A", "B", "BASH_FUNC_tide%%", "‹xFF›"]);
        let hidden: Vec<_> = block.hidden().map(|e| e.raw().to_vec()).collect();
        assert_eq!(hidden, [&b"noequals"[..], b"=x", b"A=2", b""]);
        assert!(!block.is_plain());
        assert!(Block::parse(&b"A=1\0B=2\0"[..]).is_plain());
    }

    #[test]
    fn an_unfinished_last_entry_counts() {
        let block = Block::parse(&b"A=1\0B=2"[..]);
        assert_eq!(block, Block::from_vars([("A", "1"), ("B", "2")]));
        assert_eq!(block.to_kernel_bytes(), &b"A=1\0B=2\0"[..]);
    }

    #[test]
    fn classes_of_names() {
        for (text, class) in [
            ("PATH", Portability::Portable),
            ("_A9", Portability::Portable),
            ("http_proxy", Portability::Identifier),
            ("9A", Portability::Odd),
            ("A-B", Portability::Odd),
            ("BASH_FUNC_x%%", Portability::Odd),
        ] {
            assert_eq!(name(text).portability(), class, "{text}");
        }
        for impossible in ["", "A=B", "A\0"] {
            assert!(Name::new(impossible).is_none());
        }
    }

    #[test]
    fn setting_keeps_the_place_and_ends_doubles() {
        let mut edit = Block::parse(&b"A=1\0B=2\0A=3\0odd\0"[..]).edit();
        edit.set(&name("A"), &value("9"));
        edit.set(&name("C"), &value(""));
        edit.unset(&name("B"));
        assert_eq!(edit.finish().to_kernel_bytes(), &b"A=9\0odd\0C=\0"[..]);
    }

    #[test]
    fn no_value_in_a_debug_text() {
        let block = Block::from_vars([("TICKET_KEY", "hunter2")]);
        let text = format!("{block:?} {:?} {:?}", block.value(b"TICKET_KEY"), block.edit().finish());
        assert!(!text.contains("hunter2"), "{text}");
    }

    proptest! {
        #[test]
        fn parsing_is_the_inverse_of_laying_out(entries in proptest::collection::vec(proptest::collection::vec(1u8.., 0..12), 0..20)) {
            let block = Block::from_entries(&entries);
            prop_assert_eq!(block.entries().map(|e| e.raw().to_vec()).collect::<Vec<_>>(), entries);
            prop_assert_eq!(&Block::parse(block.to_kernel_bytes()), &block);
            prop_assert_eq!(&block.edit().finish(), &block);
            prop_assert_eq!(block.vars().count() + block.hidden().count(), block.len());
        }

        #[test]
        fn a_set_value_is_what_getenv_finds(raw in proptest::collection::vec(any::<u8>(), 0..80), text in "[a-z]{0,5}") {
            let before = Block::parse(raw);
            let mut edit = before.edit();
            edit.set(&name("NEW"), &value(&text));
            let after = edit.finish();
            prop_assert_eq!(after.get(b"NEW"), Some(text.as_bytes()));
            for (n, v) in before.vars().filter(|(n, _)| n.as_bytes() != b"NEW") {
                prop_assert_eq!(after.get(n.as_bytes()), Some(v.as_bytes()));
            }
        }
    }
}
