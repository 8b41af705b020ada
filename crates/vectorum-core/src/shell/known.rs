//! What was found out about shells on one state of a host, for other routes that start them alike.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use bytes::Bytes;

use super::Source;
use super::branch::Branch;
use super::fish;
use super::lookup::along_from_root;
use super::machine::Outcome;
use super::startup::Invocation;
use super::state::State;
use super::syntax::Dialect;
use super::value::{Doubt, Val};
use super::version::Version;
use crate::host_view::HostView;
use crate::lock::lock;
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
    pub(super) open: Option<Arc<Doubt>>,
    /// What was handed in of [`LOOKED_AT`].
    pub(super) looked_at: Vec<Option<(Val, bool)>>,
}

/// A shell that was followed: how it was started, what it began with, and what it came to.
#[derive(Debug)]
struct Followed<T, S> {
    setting: T,
    begin: S,
    outcome: Outcome<S>,
}

/// Returns what a shell comes to, if one was followed whose start is alike.
fn find<T, S: Branch>(all: &Mutex<Vec<Followed<T, S>>>, is_alike: impl Fn(&T, &S) -> bool) -> Option<Outcome<S>> {
    let mut all = lock(all);
    all.iter_mut().find(|known| is_alike(&known.setting, &known.begin)).map(|known| known.outcome.fork())
}

fn keep<T, S: Branch>(all: &Mutex<Vec<Followed<T, S>>>, setting: T, begin: S, outcome: &mut Outcome<S>) {
    let mut all = lock(all);
    if all.len() < MOST {
        all.push(Followed { setting, begin, outcome: outcome.fork() });
    }
}

/// A file, by its path, as a dialect reads it; without one as fish does.
type Read = (Option<Dialect>, Bytes);

/// The shells that were followed on one state of a host, and the files that they read.
#[derive(Debug, Default)]
pub struct Shells {
    followed: Mutex<Vec<Followed<Setting, State>>>,
    fishes: Mutex<Vec<Followed<fish::Setting, fish::State>>>,
    sources: Mutex<HashMap<Read, Arc<Source>>>,
    versions: Mutex<HashMap<(Dialect, Bytes), Option<Version>>>,
}

impl Shells {
    /// Returns what a shell comes to, if one was followed whose start was alike in all that it looked
    /// at.
    pub(super) fn find(&self, setting: &Setting, begin: &State, files: &dyn HostView) -> Option<Outcome> {
        let look = |path: &[u8], name: &[u8]| along_from_root(files, &setting.account, path, name);
        let mut outcome = find(&self.followed, |other, state| other == setting && state.is_alike(begin, look))?;
        if let Some(state) = &mut outcome.state {
            state.vars.begin_from(&begin.vars);
        }
        Some(outcome)
    }

    pub(super) fn keep(&self, setting: Setting, begin: State, outcome: &mut Outcome) {
        keep(&self.followed, setting, begin, outcome);
    }

    /// The same for fish.
    pub(super) fn find_fish(&self, setting: &fish::Setting, begin: &fish::State) -> Option<Outcome<fish::State>> {
        let mut outcome = find(&self.fishes, |other, state| other.is_alike(setting) && state.is_alike(begin))?;
        if let Some(state) = &mut outcome.state {
            state.begin_from(begin);
        }
        Some(outcome)
    }

    pub(super) fn keep_fish(&self, setting: fish::Setting, begin: fish::State, outcome: &mut Outcome<fish::State>) {
        keep(&self.fishes, setting, begin, outcome);
    }

    /// How many were followed.
    #[cfg(test)]
    pub(crate) fn count(&self) -> usize {
        lock(&self.followed).len() + lock(&self.fishes).len()
    }

    /// Returns a file with what it says; it is read once. Without a dialect it is one of fish.
    pub(super) fn source(&self, dialect: Option<Dialect>, path: &[u8], text: Bytes) -> Arc<Source> {
        let path = Bytes::copy_from_slice(path);
        let mut sources = lock(&self.sources);
        let source = sources.entry((dialect, path.clone())).or_insert_with(|| Arc::new(Source::new(path.clone(), text.clone())));
        if source.text != text {
            *source = Arc::new(Source::new(path, text));
        }
        source.clone()
    }

    /// What a shell's program says of its version, which is looked for once.
    pub(super) fn version(&self, dialect: Dialect, path: &Bytes, find: impl FnOnce() -> Option<Version>) -> Option<Version> {
        lock(&self.versions).entry((dialect, path.clone())).or_insert_with(find).clone()
    }
}
