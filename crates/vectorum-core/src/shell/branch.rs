//! Ways that part and come together again.

use std::sync::Arc;

use super::value::Doubt;

/// What a shell holds on one of several ways.
pub(super) trait Branch: Sized {
    /// Begins another way that holds the same.
    fn fork(&mut self) -> Self;

    /// Takes in what holds on another way: from here on this is what is known where one or the other was taken. `last`
    /// is what was taken in last, if something was.
    fn take_in(&mut self, other: &Self, last: Option<&Self>, why: &Arc<Doubt>);
}

/// Begins another way, if there is one.
pub(super) fn fork<S: Branch>(state: &mut Option<S>) -> Option<S> {
    state.as_mut().map(S::fork)
}

/// What is known where one of two ways was taken; one that is none goes nowhere.
pub(super) fn join<S: Branch>(a: Option<S>, b: Option<S>, why: &Arc<Doubt>) -> Option<S> {
    match (a, b) {
        (Some(mut a), Some(b)) => {
            a.take_in(&b, None, why);
            Some(a)
        }
        (a, b) => a.or(b),
    }
}

/// Follows both of two ways and joins them. `live` is where `machine` keeps what holds; `doubt` is why it is not known which
/// way is gone.
pub(super) fn part<M, S: Branch>(
    machine: &mut M,
    live: impl Fn(&mut M) -> &mut Option<S>,
    doubt: &Doubt,
    one: impl FnOnce(&mut M),
    other: impl FnOnce(&mut M),
) {
    let before = fork(live(machine));
    one(machine);
    let after = std::mem::replace(live(machine), before);
    other(machine);
    let why = Doubt::new(doubt.why, doubt.site.clone());
    *live(machine) = join(after, live(machine).take(), &why);
}

/// What is known where something was left at one of several places, one after the other.
#[derive(Debug)]
pub(super) struct Left<S> {
    joined: Option<S>,
    /// The last one, if there are more.
    last: Option<S>,
}

impl<S> Default for Left<S> {
    fn default() -> Left<S> {
        Left { joined: None, last: None }
    }
}

impl<S: Branch> Left<S> {
    /// Adds what holds at one of them, if it is come to.
    pub(super) fn add(&mut self, state: Option<S>, why: &Arc<Doubt>) {
        let Some(state) = state else { return };
        let Some(joined) = &mut self.joined else {
            self.joined = Some(state);
            return;
        };
        let last = self.last.take().unwrap_or_else(|| joined.fork());
        joined.take_in(&state, Some(&last), why);
        self.last = Some(state);
    }

    /// Returns what is known of all.
    pub(super) fn take(&mut self) -> Option<S> {
        self.last = None;
        self.joined.take()
    }
}
