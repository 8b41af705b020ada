//! Names that stand for others: `declare -n` and its kin (bash(1), «PARAMETERS»; ksh(1), `typeset -n`).

use std::borrow::Cow;

use bytes::Bytes;

use super::attributes::Attributes;
use super::content::{Content, Refers, Var};
use super::declared::{Declared, name_of};
use super::machine::Machine;
use super::syntax::*;
use super::value::Val;
use crate::reader::is_portable;

/// One that stands for another that stands for another is followed so far.
const DEEPEST: usize = 8;

const WHY: &str = "a name that stands for another";

/// What a name stands for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Meant {
    Itself,
    Other(Bytes),
    /// It may stand for one or another, or for none.
    Unclear,
}

impl Machine<'_> {
    /// What a name stands for here.
    pub(super) fn meant(&self, name: &[u8]) -> Meant {
        let Some(state) = self.live.as_ref().filter(|state| state.has_references) else { return Meant::Itself };
        let mut now = Cow::Borrowed(name);
        for depth in 0..DEEPEST {
            let var = state.vars.get(&now);
            match var.as_ref().map(|var| (var.refers, &var.content)) {
                None | Some((Refers::No, _)) if depth == 0 => return Meant::Itself,
                None | Some((Refers::No, _)) => return Meant::Other(Bytes::copy_from_slice(&now)),
                Some((Refers::Yes, Content::Set(Val::Known(other))))
                    if is_portable(other) && *other != *now && !self.is_hidden_from(other, &now) =>
                {
                    now = Cow::Owned(other.to_vec());
                }
                _ => return Meant::Unclear,
            }
        }
        Meant::Unclear
    }

    /// Whether a variable of a function may not be what a name stands for that belongs to what called it; in ksh it is what
    /// there was where that was said, which may be of the same function.
    fn is_hidden_from(&self, other: &[u8], name: &[u8]) -> bool {
        let Some(state) = &self.live else { return false };
        let owner = |name: &[u8]| state.scopes.iter().rposition(|scope| scope.vars.get(name).is_some());
        match self.dialect {
            Dialect::Bash => owner(other) > owner(name),
            Dialect::Ksh => owner(other).is_some() && owner(other) >= owner(name),
            _ => false,
        }
    }

    /// The name that a name stands for, itself most often; where that is not clear all that may be meant is unknown from
    /// here on.
    pub(super) fn resolved(&mut self, name: &Bytes) -> Bytes {
        match self.meant(name) {
            Meant::Itself => name.clone(),
            Meant::Other(other) => other,
            Meant::Unclear => {
                self.give_up_reference(name);
                name.clone()
            }
        }
    }

    /// A loop's name that stands for another stands for each of the loop's words in turn (bash(1), ksh(1), «for»); whether it
    /// does.
    pub(super) fn refer_to(&mut self, name: &[u8], value: &Val) -> bool {
        let Val::Known(target) = value else { return false };
        if !matches!(self.dialect, Dialect::Bash | Dialect::Ksh) || !is_portable(target) || target == name {
            return false;
        }
        // There it goes on standing for the one before where the next is not set (measured: 93u+m).
        if self.dialect == Dialect::Ksh && !matches!(self.content_of(target), Content::Set(_)) {
            self.fail_or_go_on(&self.doubt(WHY));
            return false;
        }
        let Some(var) = self.live.as_mut().and_then(|state| state.vars.get_mut(name)) else { return false };
        if var.refers != Refers::Yes {
            return false;
        }
        var.content = Content::Set(Val::Known(target.clone()));
        self.meant(name) != Meant::Unclear
    }

    /// Nothing is known of what a name stands for, nor of what is done to it.
    pub(super) fn give_up_reference(&mut self, name: &[u8]) {
        let doubt = self.doubt(WHY);
        // What stands for nothing is an error there.
        if self.dialect == Dialect::Ksh {
            self.fail_or_go_on(&doubt);
        }
        if let Some(state) = &mut self.live
            && let Some(Val::Known(other)) = state.vars.get(name).and_then(|var| var.content.value())
        {
            // What functions hide may be meant as well.
            for scope in state.scopes.iter_mut().filter(|scope| scope.vars.get(&other).is_some()) {
                scope.vars.insert(other.clone(), Some(Var::unknown(&doubt)));
            }
            self.restless_from_here(&other);
        }
        self.restless_from_here(name);
        self.fog(WHY);
    }

    /// A declaration of a name that stands for another, from here on.
    pub(super) fn declare_reference(&mut self, declared: &Declared, attributes: Attributes) {
        let name = name_of(declared);
        if matches!(declared, Declared::Assignment(assignment, _) if matches!(assignment.value, Assigned::Array(_))) {
            return self.give_up_reference(&name);
        }
        let target = match declared {
            Declared::Assignment(assignment, _) if assignment.key.is_some() || assignment.adds => None,
            Declared::Assignment(_, Some(content)) => content.value().and_then(|value| value.known().cloned()),
            Declared::Assignment(assignment, None) => match &assignment.value {
                Assigned::Word(word) => self.assigned_word(word).known().cloned(),
                Assigned::Array(_) => None,
            },
            Declared::Text(text) => text.get(name.len()..).and_then(|rest| rest.strip_prefix(b"=")).map(Bytes::copy_from_slice),
        };
        let plain = Attributes {
            is_local: attributes.is_local,
            is_reference: true,
            is_mild: attributes.is_mild,
            ..Attributes::default()
        };
        let is_followed = Attributes { is_global: false, ..attributes } == plain
            && is_portable(&name)
            && !self.is_readonly(&name)
            && self.meant(&name) == Meant::Itself
            && self.live.as_ref().is_some_and(|state| state.option("allexport") == Some(false));
        let named = target.clone();
        let Some(target) = target.filter(|target| is_followed && is_portable(target) && *target != name) else {
            if let Some(state) = &mut self.live {
                state.has_references = true;
            }
            if let Some(named) = named {
                self.doubt_beginning(&named);
            }
            return self.give_up_reference(&name);
        };
        self.make_local(&name, attributes);
        let site = Some(self.here());
        let is_bash = self.dialect == Dialect::Bash;
        if let Some(state) = &mut self.live {
            state.has_references = true;
            let content = Content::Set(Val::Known(target));
            let mut var = Var { content, refers: Refers::Yes, site, ..Var::unset() };
            // There it is handed on as before: with the other's name.
            if let Some(before) = state.vars.get(&name).filter(|_| is_bash) {
                var.exported = before.exported;
            }
            state.vars.insert(name, var);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::Bash;
    use crate::shell::trial::hold;

    #[test]
    fn what_is_done_to_a_reference_is_done_to_what_it_stands_for() {
        hold(&[
            (&[Bash], "f() { local -n r=$1; r=5; }; f X; R=${r-none}", ["none", "5"]),
            (&[Bash], "f() { local -n r=$1; r+=($2); }; X=(a); f X b; R=${X[1]}", ["b", "a"]),
            (&[Bash], "declare -n r=X; r=a; r+=b; R=$r", ["ab", "ab"]),
            (&[Bash], "f() { local -n r=$1; unset r; R=${r-gone}; }; X=1; f X", ["gone", "none"]),
            (&[Bash], "f() { local -n r=$1; R=${!r}; }; f X", ["X", "none"]),
            (&[Bash], "declare -n a=b; declare -n b=X; a=5; R=$b", ["5", "5"]),
            (&[Bash], "f() { local -n r=$1; (( r += 2 )); }; X=1; f X", ["none", "3"]),
        ]);
    }

    #[test]
    fn references_that_are_not_clear_are_not_guessed() {
        hold(&[
            (&[Bash], "X=1; tide-now && declare -n r=X; r=5; R=$X", ["<unknown>", "<unknown>"]),
            (&[Bash], "X=1; declare -n r=$(tide-now); r=5; R=$r", ["<unknown>", "<unknown>"]),
            (&[Bash], "declare -n X=X; X=5; R=$X", ["<unknown>", "<unknown>"]),
            (&[Bash], "f() { local -n r=$1; g; }; g() { local X=3; r=9; }; X=1; f X; R=$X", ["<unknown>", "<unknown>"]),
        ]);
    }
}
