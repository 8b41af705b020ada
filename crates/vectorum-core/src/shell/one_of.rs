//! Functions of which it is not certain which one a name stands for, or whether it stands for one: all that a name was
//! ever given is kept in mind, and each of them is followed where it is called.

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::state::Function;
use super::value::{Doubt, Val};

pub(super) const ONE_OR_ANOTHER: &str = "a function that may be one or another";

/// Why an item of a list is not known that was put in before, or was not.
pub(super) const HELD_BEFORE: &str = "what the list held before";

/// So many that one name was given are followed.
const MOST: usize = 4;

/// What is kept in mind, of all ways that were gone.
#[derive(Debug, Default)]
pub(super) struct OneOf {
    /// What each name was given; `None` where something was that is not known.
    bodies: HashMap<Bytes, Option<Vec<Function>>>,
    /// What was put into lists of functions that are called by themselves; `None` where that is not known.
    hooked: HashMap<Bytes, Option<BTreeSet<Bytes>>>,
}

impl OneOf {
    fn note(&mut self, name: &[u8], function: &Function) {
        let bodies = self.bodies.entry(Bytes::copy_from_slice(name)).or_insert_with(|| Some(Vec::new()));
        if let Some(known) = bodies
            && !known.contains(function)
        {
            if known.len() < MOST {
                known.push(function.clone());
            } else {
                *bodies = None;
            }
        }
    }

    /// All that a name was given, if that is known.
    pub(super) fn of(&self, name: &[u8]) -> Option<&[Function]> {
        self.bodies.get(name)?.as_deref()
    }

    /// All that was put into such a list, if that is known.
    pub(super) fn hooked(&self, list: &[u8]) -> Option<&BTreeSet<Bytes>> {
        self.hooked.get(list)?.as_ref()
    }
}

impl Machine<'_> {
    /// A name stands for a function from here on; `None` for one that is not known.
    pub(super) fn put_function(&mut self, name: Bytes, function: Option<Function>) {
        let Some(state) = &mut self.live else { return };
        let was_unclear = matches!(state.functions.get(&name), Some(None));
        match &function {
            // One that was handed in may still be there on another way.
            Some(function) if !was_unclear || self.one_of.bodies.contains_key(&name) => self.one_of.note(&name, function),
            _ => drop(self.one_of.bodies.insert(name.clone(), None)),
        }
        state.functions.insert(name, function);
    }

    /// Does something with each function that a name may stand for, and something else where it stands for none; `false` if
    /// there may be others.
    pub(super) fn with_one_of(&mut self, name: &[u8], run: &dyn Fn(&mut Self, &Function), none: &dyn Fn(&mut Self)) -> bool {
        let Some(bodies) = self.one_of.of(name).map(<[Function]>::to_vec) else { return false };
        let doubt = self.doubt(ONE_OR_ANOTHER);
        self.with_each(&doubt, &bodies, run, none);
        true
    }

    fn with_each(
        &mut self,
        doubt: &Arc<Doubt>,
        bodies: &[Function],
        run: &dyn Fn(&mut Self, &Function),
        none: &dyn Fn(&mut Self),
    ) {
        match bodies.split_first() {
            None => none(self),
            Some((first, rest)) => self.fork(doubt, |m| run(m, first), |m| m.with_each(doubt, rest, run, none)),
        }
    }

    /// Keeps in mind what is put into a list of functions that are called by themselves.
    pub(super) fn note_hooked(&mut self, list: &[u8], content: &Content) {
        let hooked = self.one_of.hooked.entry(Bytes::copy_from_slice(list)).or_insert_with(|| Some(BTreeSet::new()));
        let Some(names) = hooked else { return };
        let mut is_known = true;
        match content {
            Content::Unset => {}
            Content::Array(values) => {
                for value in values.iter() {
                    match value {
                        Val::Known(name) => drop(names.insert(name.clone())),
                        Val::Unknown(text) => is_known &= text.doubt.why == HELD_BEFORE,
                    }
                }
            }
            Content::Set(Val::Known(name)) => drop(names.insert(name.clone())),
            Content::Set(_) | Content::Perhaps(_) | Content::Table(_) => is_known = false,
        }
        if !is_known {
            *hooked = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn each_function_that_a_name_may_stand_for_is_followed() {
        let all = &[Bash, Dash, Ksh, Mksh, Zsh];
        hold(&[
            (all, "if tide-now; then f() { X=1; }; else f() { X=2; }; fi; R=3; f", ["3", "<a number>"]),
            (all, "if tide-now; then f() { X=1; }; else f() { X=1; R=4; }; fi; X=1; R=4; f", ["4", "1"]),
            (all, "if tide-now; then f() { X=1; }; fi; R=3; X=1; f", ["3", "1"]),
            (all, "X=1; tide-now && f() { R=3; }; R=3; f; g() { R=4; }; g", ["4", "1"]),
            (all, "f() { X=1; }; tide-now && unset -f f; X=1; f; R=2", ["2", "1"]),
            (&[Bash], "if tide-now; then cd() { builtin cd \"$@\"; }; fi; R=1; cd /; X=$PWD", ["1", "/"]),
        ]);
    }

    #[test]
    fn hooks_that_may_be_there_are_followed() {
        hold(&[
            (&[Zsh], "f() { X=1; }; X=1; tide-now && chpwd_functions=(f); cd /; R=$PWD", ["/", "1"]),
            (&[Zsh], "f() { X=2; }; X=1; tide-now && chpwd_functions+=(f); cd /; R=$PWD", ["/", "<a number>"]),
            (&[Zsh], "X=1; tide-now && chpwd_functions+=(f); f() { R=1; }; chpwd_functions+=(g); g() { R=2; }; cd /", ["2", "1"]),
            (&[Zsh], "X=1; chpwd_functions+=($(tide-now)); R=1; cd /", ["<unknown>", "<unknown>"]),
        ]);
    }
}
