//! Parameters as zsh alone writes them (zshexpn(1), "Parameter Expansion"; zshparam(1), "Array Subscripts"): flags,
//! marks, one within another, subscripts, and what is done to the words that come of it.

mod flags;
mod put;
mod read;
pub(super) mod shape;
mod subscript;
mod values;

use bytes::Bytes;

use super::parameter::is_usual_cut;
use super::syntax::{Change, Part, Word};

/// A parameter of zsh's own shape.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Shaped {
    /// What stands in parentheses at its front, in order.
    pub(super) flags: Vec<Flag>,
    /// `^`: each item goes with what stands around it.
    pub(super) is_spread: bool,
    /// `=`: it is split into words.
    pub(super) is_split: bool,
    /// `~`: it may be a pattern.
    pub(super) is_pattern: bool,
    /// `#`: it is counted.
    pub(super) is_counted: bool,
    /// What it is of.
    pub(super) of: Of,
    /// What is taken of that, one after the other.
    pub(super) subscripts: Vec<Subscript>,
    /// What is done to it, one after the other.
    pub(super) steps: Vec<Step>,
}

impl Shaped {
    /// The key, where it is no more than an item of a table by its name.
    pub(super) fn item_of(&self, name: &[u8]) -> Option<&[Part]> {
        let Shaped { flags, subscripts, steps, of: Of::Name(of), .. } = self else { return None };
        let is_plain = !(self.is_spread || self.is_split || self.is_pattern || self.is_counted);
        match &subscripts[..] {
            [Subscript::At(key)] if of == name && is_plain && flags.is_empty() && steps.is_empty() => Some(key),
            _ => None,
        }
    }
}

/// What a parameter is of.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) enum Of {
    /// Nothing: `${:-…}`.
    #[default]
    Nothing,
    /// A name, a number, or a sign such as `@`.
    Name(Bytes),
    /// Another one, or what commands print.
    Inner(Box<Part>),
}

/// What is taken of a list or a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Subscript {
    /// `[@]`, `[*]`: all items, in quotes each for itself or together.
    All(bool),
    /// `[N]`.
    At(Vec<Part>),
    /// `[N,M]`.
    Range(Vec<Part>, Vec<Part>),
    /// `[(r)PATTERN]` and its kin.
    Search(Search, Word),
}

/// What is looked for, and what is told of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Search {
    /// The last one instead of the first.
    pub(super) is_last: bool,
    /// Its place instead of the item.
    pub(super) tells_place: bool,
    /// The text itself instead of a pattern.
    pub(super) is_exact: bool,
}

/// What is done to each word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Step {
    /// What other shells do, too, or a modifier.
    Change(Change),
    /// `:#PATTERN`: words that match are taken out; with `(M)`, the others.
    Filter(Word),
    /// `:s/TEXT/OTHER/`, with `g` all of them.
    Swap(Bytes, Bytes, bool),
    /// `:a`, `:A`: the whole path; whether links are followed.
    Whole(bool),
}

/// Flags (zshexpn(1), "Parameter Expansion Flags").
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Flag {
    /// `@`: in quotes each item stays a word.
    Separate,
    /// `U`, `L`: to upper case or to lower.
    Case(bool),
    /// `C`: each word begins with an upper-case letter.
    Title,
    /// `j:TEXT:`, `F`: items with a text between them.
    Join(Vec<u8>),
    /// `s:TEXT:`, `f`, `0`: parts between such texts.
    Split(Vec<u8>),
    /// `M`: what matches stays, instead of going.
    Matched,
    /// `S`: a match may stand anywhere.
    Anywhere,
    /// `q`, `qq`, `qqq`: quoted with so many signs of a kind; `q-` with as few as possible.
    Quoted(usize),
    /// `q-`.
    QuotedIfNeeded,
    /// `Q`: without quotes.
    Unquoted,
    /// `P`: the value is a name.
    Named,
    /// `o`, `O`: in order, or in the order turned round.
    Sorted(bool),
    /// `Oa`: backwards.
    Backwards,
    /// `u`: each once.
    Unique,
    /// `k`: keys of a table.
    Keys,
    /// `v`: values of a table.
    Values,
    /// `l:N::TEXT:`, `r:N::TEXT:`: as long as this, filled with a text; at the front or at the end.
    Filled(bool, usize, Vec<u8>),
    /// `%`: signs of prompts are expanded.
    Prompt,
    /// `e`: expansions in it are made.
    Evaluated,
}

impl Shaped {
    fn has(&self, flag: &Flag) -> bool {
        self.flags.contains(flag)
    }

    /// The first of the flags that something is found in.
    fn find<'a, T>(&'a self, found: impl Fn(&'a Flag) -> Option<T>) -> Option<T> {
        self.flags.iter().find_map(found)
    }

    /// Whether a text comes apart by it.
    pub(super) fn splits(&self) -> bool {
        self.is_split || self.flags.iter().any(|flag| matches!(flag, Flag::Split(_)))
    }

    /// Whether it is of all positional parameters, or asked to stay apart.
    pub(super) fn is_of_all(&self) -> bool {
        matches!(&self.of, Of::Name(name) if name == "@") || self.has(&Flag::Separate)
    }

    /// Whether each item goes with what stands around it.
    pub(super) fn is_spread(&self) -> bool {
        self.is_spread
    }

    /// Whether what it holds may be a pattern.
    pub(super) fn may_be_pattern(&self) -> bool {
        self.is_pattern
    }

    /// Whether more is worked out in it than a number or a name.
    pub(super) fn works_out(&self) -> bool {
        let is_plain = |parts: &[Part]| {
            matches!(parts, [Part::Text(t) | Part::Quoted(t)]
                if t.strip_prefix(b"-").unwrap_or(t).iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_'))
        };
        self.has(&Flag::Evaluated)
            || self.subscripts.iter().any(|subscript| match subscript {
                Subscript::All(_) | Subscript::Search(..) => false,
                Subscript::At(parts) => !is_plain(parts),
                Subscript::Range(from, to) => !is_plain(from) || !is_plain(to),
            })
            || self.steps.iter().any(|step| matches!(step, Step::Change(Change::Slice(..))))
    }

    /// Whether it is of the name that a value names: `${(P)NAME}`.
    pub(super) fn is_named_by_value(&self) -> bool {
        self.has(&Flag::Named)
    }

    /// Whether what stands instead may be an error, or what is to be set.
    pub(super) fn may_be_refused(&self) -> bool {
        match self.steps.first() {
            Some(Step::Change(Change::Instead(sign, ..))) => b"=:?".contains(sign),
            Some(Step::Change(change)) => !is_usual_cut(change),
            _ => false,
        }
    }

    /// Whether it sets a name: `${NAME:=…}`.
    pub(super) fn sets(&self) -> Option<&Bytes> {
        let is_set = |step: &Step| matches!(step, Step::Change(Change::Instead(b'=' | b':', ..)));
        match &self.of {
            Of::Name(name) if self.steps.iter().any(is_set) => Some(name),
            _ => None,
        }
    }

    /// The words and parts within it.
    pub(super) fn inner(&self) -> Vec<&[Part]> {
        let mut out: Vec<&[Part]> = Vec::new();
        if let Of::Inner(part) = &self.of {
            out.push(std::slice::from_ref(part));
        }
        for subscript in &self.subscripts {
            match subscript {
                Subscript::All(_) => {}
                Subscript::At(parts) => out.push(parts),
                Subscript::Range(from, to) => out.extend([&from[..], to]),
                Subscript::Search(_, word) => out.push(&word.parts),
            }
        }
        for step in &self.steps {
            match step {
                Step::Change(Change::Instead(_, _, word) | Change::Trim(_, _, word)) | Step::Filter(word) => {
                    out.push(&word.parts);
                }
                Step::Change(Change::Replace(both, _)) => out.extend([&both.0.parts[..], &both.1.parts]),
                Step::Change(Change::Slice(from, length)) => {
                    out.push(from);
                    out.extend(length.as_deref());
                }
                Step::Change(_) | Step::Swap(..) | Step::Whole(_) => {}
            }
        }
        out
    }
}
