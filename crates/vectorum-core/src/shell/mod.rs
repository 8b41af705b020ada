//! Shell startup files, understood without running anything.
//!
//! `parse` takes a file apart as the shell does, command by command; `machine` follows the commands
//! over what is known: a value is known, or one of a few, or unknown with its reason and place. A
//! condition that cannot be told is followed both ways, and what differs is unknown from there on. An
//! external program cannot change its parent's block: only what depends on its output or status is
//! unknown.
//!
//! What is known is never wrong: whatever is not followed makes unknown all that it could change, and what
//! may fail is followed both ways. Not followed are, among others, `coproc`, names that refer to others (`declare -n`), rarer
//! flags of zsh's parameters. After a text that is evaluated and not known, what the lines behind
//! it set is still taken for set: that text is taken not to end the shell or the file, and not to change
//! functions, aliases or the folder.

#![allow(clippy::match_same_arms, reason = "tables of commands and signs are read line by line")]

mod ahead;
mod aliases;
mod arithmetic;
mod around;
mod assigning;
mod attributes;
mod autoload;
mod braced;
mod braces;
mod branch;
mod builtin;
mod calls;
mod capture;
mod changed;
mod commands;
mod compound;
mod content;
mod control;
mod decided;
mod declare;
mod declared;
mod dollar_quotes;
mod ending;
mod escapes;
mod expand;
mod expressions;
mod field;
mod fields;
mod filters;
pub(crate) mod fish;
mod fits;
mod fitting;
mod foggy;
mod folder;
mod frame;
mod getopts;
mod globs;
mod handed;
mod held;
mod hooks;
#[cfg(test)]
mod idioms;
mod indirect;
mod initial;
pub mod ink;
mod inner;
mod instead;
mod items;
mod known;
mod layers;
mod log;
mod lookup;
mod loops;
mod machine;
mod marks;
mod misused;
mod nameref;
mod one_file;
mod one_of;
mod options;
mod outputs;
mod outside;
mod parameter;
mod parse;
mod passing;
mod pattern;
mod printing;
mod program;
mod quoted;
mod quoted_parts;
mod reach;
mod read;
mod redirect;
mod reference;
mod reflected;
mod restless;
mod running;
mod scope;
mod scripts;
mod setters;
mod setting;
mod settled;
mod shaped;
mod shifting;
mod simple;
mod sourcing;
mod special;
mod splitting;
mod startup;
mod state;
mod steps;
mod streams;
mod successor;
mod sum;
mod syntax;
mod table;
mod taken;
mod test;
mod ties;
mod tilde;
mod touched;
pub mod trace;
mod tree;
#[cfg(test)]
mod trial;
mod unset;
mod value;
mod variables;
mod vars;
mod version;
mod words;

use std::sync::OnceLock;

use bytes::Bytes;

pub(crate) use around::NOTHING;
pub use around::{Around, Condition};
pub(crate) use decided::Decided;
pub(crate) use handed::Handed;
pub use known::Shells;
pub use log::Log;
pub use machine::{Assigned, Ended, Skipped};
pub(crate) use one_file::taken_in;
pub use outputs::{Asked, Output, Outputs, hangs_on_output};
pub(crate) use startup::interpret;
pub use startup::{Invocation, Last, Payload, Started};
pub use successor::{NOT_FOLLOWED, Successor};
pub use syntax::{Dialect, List, Trouble};
pub use tree::{Stretch, Tree};
pub use value::{Doubt, Val};

/// A file that is interpreted, or a text within one.
#[derive(Debug)]
pub(crate) struct Source {
    pub(crate) path: Bytes,
    pub(crate) text: Bytes,
    /// Where each line begins.
    lines: Vec<usize>,
    /// For a text within a file: the line of the command that evaluates it.
    fixed: Option<usize>,
    /// Whether something in it may be a letter that is written as a number.
    may_have_letters: bool,
    tree: OnceLock<Tree>,
    jobs: OnceLock<fish::Jobs>,
}

impl Source {
    fn new(path: Bytes, text: Bytes) -> Source {
        let lines = std::iter::once(0).chain(memchr::memchr_iter(b'\n', &text).map(|at| at + 1)).collect();
        let may_have_letters = memchr::memchr2_iter(b'u', b'U', &text).any(|at| at > 0 && text.get(at - 1) == Some(&b'\\'));
        Source { path, text, lines, fixed: None, may_have_letters, tree: OnceLock::new(), jobs: OnceLock::new() }
    }

    /// Reads it, once.
    fn tree(&self, dialect: Dialect) -> &Tree {
        self.tree.get_or_init(|| Tree::of(&self.text, dialect))
    }

    /// Reads it as fish does, once.
    fn jobs(&self) -> &fish::Jobs {
        self.jobs.get_or_init(|| fish::read(&self.text))
    }

    fn line(&self, at: usize) -> usize {
        self.fixed.unwrap_or_else(|| self.lines.partition_point(|begin| *begin <= at))
    }
}
