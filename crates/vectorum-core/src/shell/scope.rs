//! What functions hide, and commands that have variables of their own; and what is put back where they end.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use bytes::Bytes;

use super::content::{Var, join_var};
use super::foggy::Fogged;
use super::getopts::OptionsRead;
use super::layers::Layers;
use super::state::State;
use super::value::{Doubt, Val};

/// What a function or a single command hides.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Scope {
    /// The variables as they were; `None` is one that was not there.
    pub(super) vars: Layers<Option<Var>>,
    /// For a function the positional parameters of its caller.
    pub(super) positional: Option<Result<Arc<Vec<Val>>, Arc<Doubt>>>,
    /// For what stands before a function in bash: it can be made to stay.
    pub(super) lends: bool,
    /// Whether that is of a function, and what stands before the one that called it gets it then, too (measured: bash 5.2).
    pub(super) lends_on: bool,
    /// The names that are made to; whether that is certain.
    pub(super) kept: BTreeMap<Bytes, bool>,
    /// Those that the function made local as well.
    pub(super) made_local: BTreeSet<Bytes>,
    /// Where its caller reads options, if it reads them anew; within, nothing where that is not known.
    pub(super) reading: Option<Option<OptionsRead>>,
    /// Why what it hides may be anything by now: something was run since that is not followed, and may have unset what hides it.
    pub(super) fogged: Option<Arc<Doubt>>,
}

impl Scope {
    /// Takes in what the same function or command hides on another way.
    pub(super) fn take_in(&mut self, other: &Scope, why: &Arc<Doubt>) {
        let names = self.vars.parted(&other.vars).into_iter();
        let hidden = names.filter_map(|name| match (self.vars.get(name), other.vars.get(name)) {
            (a, b) if a == b => None,
            (Some(Some(a)), Some(Some(b))) => Some((name.clone(), join_var(a, b, why))),
            // What is set from here on of a name that is hidden on one way only may stay, or be lost.
            _ => Some((name.clone(), Var { may_be_readonly: true, may_be_list: true, ..Var::unknown(why) })),
        });
        for (name, var) in hidden.collect::<Vec<_>>() {
            self.vars.insert(name, Some(var));
        }
        for name in self.kept.keys().chain(other.kept.keys()).cloned().collect::<Vec<_>>() {
            let is_sure = self.kept.get(&name) == Some(&true) && other.kept.get(&name) == Some(&true);
            self.kept.insert(name, is_sure);
        }
        // Where it is not certain, what is revealed differs in the two.
        self.made_local.extend(other.made_local.iter().cloned());
        if self.reading != other.reading {
            self.reading = Some(None);
        }
        if self.fogged.is_none() {
            self.fogged.clone_from(&other.fogged);
        }
    }

    /// What a name that it hides stands for when it is put back.
    fn hidden(&self, name: &[u8]) -> Option<Option<Var>> {
        let hidden = self.vars.get(name)?;
        Some(match (&self.fogged, hidden) {
            (None, var) => var.clone(),
            (Some(why), Some(var)) => Some(var.clone().fogged(why)),
            (Some(why), None) => Some(Var::unset().fogged(why)),
        })
    }

    pub(super) fn fork(&mut self) -> Scope {
        Scope {
            vars: self.vars.fork(),
            positional: self.positional.clone(),
            lends: self.lends,
            lends_on: self.lends_on,
            kept: self.kept.clone(),
            made_local: self.made_local.clone(),
            reading: self.reading.clone(),
            fogged: self.fogged.clone(),
        }
    }
}

impl State {
    /// Puts back what was hidden last. `exports` says whether zsh hands a list's text on that it sets so.
    pub(super) fn close_scope(&mut self, exports: impl Fn(&[u8]) -> bool, marks: bool) {
        let Some(scope) = self.scopes.pop() else { return };
        let hidden = |name: &Bytes| Some((name.clone(), scope.hidden(name)?));
        let all: Vec<(Bytes, Option<Var>)> = scope.vars.iter().filter_map(|(name, _)| hidden(name)).collect();
        let Scope { positional, kept, reading, lends_on, .. } = scope;
        for (name, var) in all {
            if let Some(is_sure) = kept.get(&name) {
                if !is_sure {
                    let doubt = Doubt::new("whether what stands before a function stays set", None);
                    self.vars.insert(name.clone(), Var::unknown(&doubt));
                }
                // So it does in what stands before the function that called it.
                if lends_on {
                    self.lend(&name, *is_sure);
                }
                continue;
            }
            match var {
                // With `set -a` dash leaves its mark.
                Some(var) if marks => self.vars.insert(name, Var { exported: None, ..var }),
                None if marks => self.vars.insert(name, Var { exported: None, ..Var::unset() }),
                // zsh exports a name that was only to be exported once it has a value, which it has now.
                Some(var) if var.is_pending => self.vars.insert(name, Var { exported: None, is_pending: false, ..var }),
                Some(var) => {
                    let exported = if exports(&name) { None } else { var.exported };
                    self.vars.insert(name, Var { exported, ..var });
                }
                None => self.vars.remove(&name),
            }
        }
        if let Some(positional) = positional {
            self.positional = positional;
        }
        if let Some(reading) = reading {
            self.reading = reading;
        }
    }

    /// Takes what a name is outside of all that hides it for what it is here, and the other way round; `false` if nothing
    /// hides it.
    pub(super) fn swap_outermost(&mut self, name: &Bytes) -> bool {
        let Some(scope) = self.scopes.iter_mut().find(|scope| scope.vars.get(name).is_some()) else { return false };
        let outermost = scope.hidden(name).flatten();
        scope.vars.insert(name.clone(), self.vars.get(name).map(Cow::into_owned));
        match outermost {
            Some(var) => self.vars.insert(name.clone(), var),
            None => self.vars.remove(name),
        }
        true
    }

    /// Whether something hides what a name is outside of it; `by_itself` says whether the function that runs counts, too.
    pub(super) fn hides(&self, name: &[u8], by_itself: bool) -> bool {
        let nearest = self.scopes.iter().rposition(|scope| scope.vars.get(name).is_some());
        let function = self.scopes.iter().rposition(|scope| scope.positional.is_some());
        let is_before = |at: usize| Some(at + 1) == function && self.scopes.get(at).is_some_and(|s| s.made_local.contains(name));
        nearest.is_some_and(|at| by_itself || Some(at) != function && !is_before(at))
    }

    /// Takes away what hides a name most nearly.
    pub(super) fn reveal(&mut self, name: &Bytes) {
        let Some(scope) = self.scopes.iter_mut().rev().find(|scope| scope.vars.get(name).is_some()) else { return };
        let outer = scope.hidden(name).flatten();
        scope.vars.remove(name);
        scope.kept.remove(name);
        match outer {
            Some(var) => self.vars.insert(name.clone(), var),
            None => self.vars.remove(name),
        }
    }

    /// Has a name stay set that stands before a function which runs, if it does and hides no local one.
    pub(super) fn lend(&mut self, name: &Bytes, is_sure: bool) {
        if let Some(scope) = self.scopes.iter_mut().rev().find(|scope| scope.vars.get(name).is_some())
            && scope.lends
        {
            scope.kept.insert(name.clone(), is_sure);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_a_function_hides_is_put_back() {
        hold(&[
            (&[Bash, Dash, Mksh, Zsh], "X=0; f() { local X=1; R=$X; }; f", ["1", "0"]),
            (&[Bash, Dash, Mksh, Zsh], "f() { local X=1; R=$X; }; f", ["1", "none"]),
            (&[Bash, Mksh, Zsh], "X=0; f() { local X=1; g; R=$X; }; g() { X=2; }; f", ["2", "0"]),
            (&[Bash, Dash, Mksh, Zsh], "X=0; f() { local X=1; f2; }; f2() { local X=3; R=$X; }; f", ["3", "0"]),
            (&[Ksh], "X=0; function f { typeset X=1; R=$X; }; f", ["1", "0"]),
            (&[Ksh], "X=0; f() { typeset X=1; R=$X; }; f", ["1", "1"]),
            (&[Bash, Dash, Zsh], "X=0; f() { R=$X; }; X=5 f", ["5", "0"]),
            (&[Bash, Dash, Zsh], "X=0; f() { X=6; R=$X; }; X=5 f", ["6", "0"]),
        ]);
    }

    #[test]
    fn what_is_unset_shows_what_it_hid_or_not() {
        hold(&[
            (&[Bash, Dash, Zsh], "X=0; f() { local X=1; unset X; R=${X-gone}; }; f", ["gone", "0"]),
            (&[Mksh], "X=0; f() { local X=1; unset X; R=${X-gone}; X=2; }; f", ["0", "2"]),
            (&[Bash, Mksh], "X=0; f() { local X=1; g; R=$X; X=7; }; g() { unset X; }; f", ["0", "7"]),
            (&[Dash, Zsh], "X=0; f() { local X=1; g; R=${X-gone}; X=7; }; g() { unset X; }; f", ["gone", "0"]),
            (&[Bash, Mksh], "X=1; f() { unset X; R=$X; X=8; }; X=5 f", ["1", "8"]),
            (&[Bash], "X=1; f() { local X; unset X; R=${X-gone}; }; X=5 f", ["gone", "1"]),
            (&[Mksh], "X=1; f() { local X; unset X; R=${X-gone}; }; X=5 f", ["1", "1"]),
            (&[Bash], "X=0; f() { local X=1; unset X; unset X; R=${X-gone}; }; f", ["gone", "0"]),
            // On one of two ways only.
            (&[Bash], "X=0; f() { local X=1; tide-now && g; X=3; }; g() { unset X; }; R=; f", ["", "<unknown>"]),
        ]);
    }

    #[test]
    fn what_stands_before_a_function_in_bash_can_be_made_to_stay() {
        hold(&[
            (&[Bash], "f() { export X; }; X=5 f; R=1", ["1", "5"]),
            (&[Bash], "f() { local X=6; export X; }; X=5 f; R=1", ["1", "6"]),
            (&[Bash], "f() { g; }; g() { export X; }; X=5 f; R=1", ["1", "5"]),
            (&[Bash], "f() { tide-now && export X; }; X=5 f; R=1", ["1", "<unknown>"]),
            (&[Bash], "f() { local X; R=$X; X=9; }; X=5 f", ["5", "none"]),
            (&[Dash, Zsh], "f() { export X; }; X=5 f; R=1", ["1", "none"]),
        ]);
    }

    #[test]
    fn what_is_declared_for_all_goes_past_what_hides_it_in_bash() {
        hold(&[
            (&[Bash], "f() { local X=1; declare -g X=2; R=$X; }; f", ["1", "2"]),
            (&[Bash], "f() { local X=1; g; R=$X; }; g() { local X=3; declare -g X=4; }; f", ["1", "4"]),
            (&[Bash], "f() { declare -g X=5; R=$X; }; X=0 f", ["0", "5"]),
            (&[Bash], "f() { declare -g X=5; R=$X; }; f", ["5", "5"]),
            (&[Bash], "f() { local X=1; declare -g X+=2; R=$X; }; X=a; f", ["1", "a2"]),
            (&[Zsh], "f() { local X=1; typeset -g X=2; R=$X; }; X=0; f", ["2", "0"]),
        ]);
    }
}
