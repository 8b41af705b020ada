//! What was found out about shells on one state of a host, for other routes that start them alike.

use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

use bytes::Bytes;

use super::Source;
use super::lookup::along_from_root;
use super::machine::Outcome;
use super::startup::Invocation;
use super::state::State;
use super::syntax::Dialect;
use super::value::{Doubt, Val};
use crate::host_view::HostView;
use crate::route::Account;

/// More shells are not kept in mind.
const MOST: usize = 64;

/// What a shell itself looks at in the block that it is handed, before it has variables.
pub(super) const LOOKED_AT: [&[u8]; 4] = [b"SHLVL", b"SHELLOPTS", b"BASHOPTS", b"POSIXLY_CORRECT"];

/// How a shell is started, but for the rest of its block.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Setting {
    pub(super) invocation: Invocation,
    pub(super) account: Account,
    pub(super) folder: Bytes,
    /// Why other names may be handed in, too.
    pub(super) open: Option<Rc<Doubt>>,
    /// What was handed in of [`LOOKED_AT`].
    pub(super) looked_at: Vec<Option<(Val, bool)>>,
}

/// The shells that were followed on one state of a host, and the files that they read.
#[derive(Debug, Default)]
pub struct Shells {
    followed: RefCell<Vec<(Setting, State, Outcome)>>,
    sources: RefCell<HashMap<(Dialect, Bytes), Rc<Source>>>,
}

impl Shells {
    /// Returns what a shell comes to, if one was followed whose start was alike in all that it looked
    /// at.
    pub(super) fn find(&self, setting: &Setting, begin: &State, files: &dyn HostView) -> Option<Outcome> {
        let mut followed = self.followed.borrow_mut();
        let look = |path: &[u8], name: &[u8]| along_from_root(files, &setting.account, path, name);
        let (_, _, outcome) = followed.iter_mut().find(|(other, state, _)| *other == *setting && state.is_alike(begin, look))?;
        let mut outcome = outcome.fork();
        if let Some(state) = &mut outcome.state {
            state.vars.begin_from(&begin.vars);
        }
        Some(outcome)
    }

    pub(super) fn keep(&self, setting: Setting, begin: State, outcome: &mut Outcome) {
        let mut followed = self.followed.borrow_mut();
        if followed.len() < MOST {
            followed.push((setting, begin, outcome.fork()));
        }
    }

    /// How many were followed.
    #[cfg(test)]
    pub(crate) fn count(&self) -> usize {
        self.followed.borrow().len()
    }

    /// Returns a file with what it says; it is read once.
    pub(super) fn source(&self, dialect: Dialect, path: &[u8], text: Bytes) -> Rc<Source> {
        let path = Bytes::copy_from_slice(path);
        let mut sources = self.sources.borrow_mut();
        let source = sources.entry((dialect, path.clone())).or_insert_with(|| Rc::new(Source::new(path.clone(), text.clone())));
        if source.text != text {
            *source = Rc::new(Source::new(path, text));
        }
        source.clone()
    }
}
