//! Readers of env files: what each consumer gets from the same bytes.
//!
//! One module a grammar, each with a [`Reader`]; [`READERS`] lists them all, and help, completions,
//! detection and tests are derived from that table. The rules were measured by running the
//! consumers (Debian 12, versions in [`Reader::measured`]), not taken from their documentation.
//!
//! Reading never fails: there is always a result, with what was complained about. A consumer that
//! refuses a file whole gets no entries, and [`Reading::is_accepted`] says so. Where a file is a
//! program and its reading would need the shell, [`Reading::open`] says from where on nothing is
//! known; a value is never guessed.

mod agree;
mod compose;
mod container;
pub(crate) mod crontab;
mod cursor;
mod detect;
mod environment_d;
mod expand;
mod fish;
mod make;
mod node;
pub(crate) mod pam_conf;
mod pam_env;
mod plain;
mod shell;
mod simple;
mod systemd;
pub(crate) mod unit;

use std::ops::Range;

use bytes::Bytes;

use crate::block::{Block, Name, Value};

#[cfg(test)]
mod tests;

pub use agree::{Seen, USUAL, Views, common_spelling};
pub use detect::detect;
pub use environment_d::read_folder;
pub use shell::single_quoted;

/// What a reader knows beside the file: where it is started, and as whom.
#[derive(Clone, Debug)]
pub struct Surroundings {
    /// The block that the consumer itself was started with.
    pub outer: Block,
    /// The account's name.
    pub account: Bytes,
    /// Its number.
    pub uid: u32,
    /// Its home folder.
    pub home: Bytes,
    /// Its login shell.
    pub shell: Bytes,
    /// The terminal of the login; empty for none.
    pub terminal: Bytes,
    /// The folder in which the consumer runs.
    pub folder: Bytes,
}

impl Default for Surroundings {
    fn default() -> Surroundings {
        let (account, home, shell) = ("root".into(), "/root".into(), "/bin/sh".into());
        Surroundings { outer: Block::empty(), account, uid: 0, home, shell, terminal: Bytes::new(), folder: "/".into() }
    }
}

/// What an entry does to its name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Effect {
    /// It is set.
    Set(Bytes),
    /// It is removed.
    Unset,
    /// It is set, but to what cannot be told.
    Unknown(&'static str),
}

/// One entry of a file, as its reader takes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// The name, as the consumer hands it on. Some take names that no shell could.
    pub name: Bytes,
    /// What becomes of it.
    pub effect: Effect,
    /// The bytes of the file that say so, from the name to the value's end.
    pub span: Range<usize>,
    /// The bytes of the value as it is spelt.
    pub value_span: Range<usize>,
}

/// Something that a consumer complains about, or passes over in silence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Complaint {
    /// The offset in the file.
    pub at: usize,
    /// What is wrong, as a clause.
    pub what: &'static str,
    /// How to write it.
    pub way_out: &'static str,
    /// Whether the consumer refuses the whole file for it.
    pub is_fatal: bool,
}

/// What a reader got from a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Reading {
    /// The entries, in the order in which they take effect.
    pub entries: Vec<Entry>,
    /// What was wrong, in the order of the file.
    pub complaints: Vec<Complaint>,
    /// From which byte on nothing is known, and why.
    pub open: Option<(usize, &'static str)>,
}

impl Reading {
    /// Whether the consumer takes the file.
    pub fn is_accepted(&self) -> bool {
        !self.complaints.iter().any(|c| c.is_fatal)
    }

    /// Whether everything is known.
    pub fn is_known(&self) -> bool {
        self.open.is_none() && !self.entries.iter().any(|e| matches!(e.effect, Effect::Unknown(_)))
    }

    fn set(&mut self, name: impl Into<Bytes>, value: impl Into<Bytes>, span: Range<usize>, value_span: Range<usize>) {
        self.entries.push(Entry { name: name.into(), effect: Effect::Set(value.into()), span, value_span });
    }

    fn unset(&mut self, name: impl Into<Bytes>, span: Range<usize>) {
        let end = span.end..span.end;
        self.entries.push(Entry { name: name.into(), effect: Effect::Unset, span, value_span: end });
    }

    fn complain(&mut self, at: usize, what: &'static str, way_out: &'static str) {
        self.complaints.push(Complaint { at, what, way_out, is_fatal: false });
    }

    /// Complains so that the consumer takes nothing at all.
    fn refuse(&mut self, at: usize, what: &'static str, way_out: &'static str) {
        self.entries.clear();
        self.complaints.push(Complaint { at, what, way_out, is_fatal: true });
    }

    /// Complains so that the consumer takes what came before and stops.
    fn stop(&mut self, at: usize, what: &'static str, way_out: &'static str) {
        self.complaints.push(Complaint { at, what, way_out, is_fatal: true });
    }
}

/// Which of several entries of one name counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Duplicates {
    /// The last.
    Last,
    /// The first.
    First,
    /// All are handed on; what becomes of them is the next program's business.
    All,
}

/// A consumer of env files.
pub trait Reader: Sync {
    /// What people call it by, as in `--as ID`.
    fn id(&self) -> &'static str;
    /// Who reads so, in a few words.
    fn about(&self) -> &'static str;
    /// What was measured; `None` where the rules come from a specification.
    fn measured(&self) -> Option<&'static str>;
    /// Reads a file.
    fn read(&self, file: &[u8], around: &Surroundings) -> Reading;
    /// Spells a value so that this reader gives it back exactly.
    ///
    /// # Errors
    /// See [`Refusal`].
    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal>;
    /// Which of several entries of one name counts.
    fn duplicates(&self) -> Duplicates {
        Duplicates::Last
    }
    /// Whether a name that the consumer's own block holds keeps its value.
    fn outer_wins(&self) -> bool {
        false
    }
}

/// Why a reader cannot be given a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{what}")]
pub struct Refusal {
    /// What the grammar lacks, as a clause.
    pub what: &'static str,
    /// What can be done instead.
    pub way_out: &'static str,
}

impl Refusal {
    const fn new(what: &'static str, way_out: &'static str) -> Refusal {
        Refusal { what, way_out }
    }
}

/// All readers.
pub const READERS: &[&dyn Reader] = &[
    &shell::Shell::DASH,
    &shell::Shell::BASH,
    &shell::Shell::ZSH,
    &shell::Shell::KSH,
    &shell::Shell::MKSH,
    &fish::Fish,
    &systemd::EnvironmentFile,
    &unit::UnitEnvironment,
    &environment_d::EnvironmentD,
    &pam_env::PamEnvFile,
    &pam_conf::PamEnvConf,
    &container::Docker,
    &container::Podman,
    &compose::Compose,
    &node::Node,
    &crontab::Crontab,
    &simple::Ssh,
    &simple::Sudo,
    &make::Make,
];

/// Returns the reader of an id.
pub fn reader(id: &str) -> Option<&'static dyn Reader> {
    READERS.iter().find(|r| r.id() == id).copied()
}

/// Returns what a consumer hands on from a reading: pairs in the order in which they were first
/// set, of duplicates those that count, unset ones gone.
pub fn handed_on(reader: &dyn Reader, reading: &Reading, outer: &Block) -> Vec<(Bytes, Effect)> {
    let mut out: Vec<(Bytes, Effect)> = Vec::new();
    // Names by their places: files of many thousand entries are read, too.
    let mut places: std::collections::HashMap<Bytes, usize> = std::collections::HashMap::new();
    for entry in &reading.entries {
        if reader.outer_wins() && outer.get(&entry.name).is_some() {
            continue;
        }
        match (places.get(&entry.name), reader.duplicates()) {
            (Some(_), Duplicates::First) => {}
            (Some(at), Duplicates::Last) => {
                if let Some((_, effect)) = out.get_mut(*at) {
                    *effect = entry.effect.clone();
                }
            }
            _ => {
                places.insert(entry.name.clone(), out.len());
                out.push((entry.name.clone(), entry.effect.clone()));
            }
        }
    }
    out
}

/// Returns a block with what a file says laid over it, as the consumer would hand it on: a name
/// that is there keeps its place. Names of which nothing is known are left as they were.
pub fn layered(reader: &dyn Reader, reading: &Reading, below: &Block) -> Block {
    let mut edit = below.edit();
    for (name, effect) in handed_on(reader, reading, below) {
        let Some(name) = Name::new(name) else { continue };
        match effect {
            Effect::Set(value) => {
                if let Some(value) = Value::new(value) {
                    edit.set(&name, &value);
                }
            }
            Effect::Unset => edit.unset(&name),
            Effect::Unknown(_) => {}
        }
    }
    edit.finish()
}

/// Returns the line and column of an offset, both counted from 1; columns count characters, or
/// bytes where the line is not UTF-8.
pub fn place(file: &[u8], at: usize) -> (usize, usize) {
    let before = file.get(..at.min(file.len())).unwrap_or_default();
    let start = memchr::memrchr(b'\n', before).map_or(0, |n| n + 1);
    let line = memchr::memchr_iter(b'\n', before).count() + 1;
    let within = before.get(start..).unwrap_or_default();
    (line, std::str::from_utf8(within).map_or(within.len(), |text| text.chars().count()) + 1)
}

/// Whether a name is one that shells and service managers take.
pub(crate) fn is_portable(name: &[u8]) -> bool {
    name.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_') && name.iter().all(|b| is_word(*b))
}

/// Whether a byte may stand in such a name.
pub(crate) fn is_word(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_'
}

/// Whether a text is UTF-8 as systemd wants it: no noncharacters either (its `utf8_is_valid`).
pub(crate) fn is_plain_utf8(bytes: &[u8]) -> bool {
    bytes.is_ascii()
        || std::str::from_utf8(bytes)
            .is_ok_and(|t| !t.chars().any(|c| (c as u32 & 0xfffe) == 0xfffe || ('\u{fdd0}'..='\u{fdef}').contains(&c)))
}

/// Whether every byte of a value is read alike by every reader when it stands there bare
/// (measured byte by byte, at the start, within and at the end; zsh expands a `=` at the start of an
/// item of a list, too).
pub fn is_safe_bare(value: &[u8]) -> bool {
    let safe = |b: &u8| b.is_ascii_alphanumeric() || b"!%*+,-./:?@[]^_{}=".contains(b);
    value.iter().all(safe) && value.first() != Some(&b'=') && memchr::memmem::find(value, b":=").is_none()
}
