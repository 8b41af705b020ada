//! Whether names can be declared as what they are asked to be: as texts, as numbers, and no item of a list as a variable.

use super::attributes::Attributes;
use super::content::{Content, Var};
use super::declared::{Declared, name_of};
use super::machine::Machine;
use super::syntax::*;
use super::ties::is_own;
use super::value::Val;
use super::vars::For;

impl Machine<'_> {
    /// An item is declared, as what only a variable can be or by a place that has to be worked out; `is_special` tells of
    /// `export` and `readonly`.
    pub(super) fn declare_item(&mut self, declared: &Declared, attributes: Attributes, is_special: bool) {
        let doubt = self.doubt("an item that is declared as a variable");
        let mut place: &[Part] = &[];
        if let Declared::Assignment(assignment, _) = declared {
            place = assignment.key.as_deref().unwrap_or_default();
            match &assignment.value {
                // In the others it is not worked out where one before it is wrong.
                Assigned::Word(word) if !matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) => drop(self.assigned_word(word)),
                value => self.doubt_items(value.words(), &doubt),
            }
        }
        match self.dialect {
            Dialect::Bash if is_special => {
                self.one_text(place);
                return self.set_status(1);
            }
            // It is no name there.
            Dialect::Dash => return self.fail_special(),
            // The index is worked out, and may be wrong.
            Dialect::Bash | Dialect::Zsh | Dialect::Ksh | Dialect::Mksh => {
                self.doubt_place(place, &doubt);
                self.fail_far_or_go_on(&doubt);
            }
        }
        let name = name_of(declared);
        self.doubt_from_here(&name);
        if attributes.readonly
            && let Some(state) = &mut self.live
        {
            state.vars.get_or_insert_with(&name, Var::unset).may_be_readonly = true;
        }
        self.doubt_status(doubt);
    }

    /// Whether what a name is declared to be, or is, may be no number as it stands.
    pub(super) fn may_be_no_number(&self, name: &[u8], declared: &Declared, attributes: Attributes) -> bool {
        let is_number = |text: &[u8]| text.iter().all(|b| b.is_ascii_digit() || attributes.is_float && *b == b'.');
        // What is set is worked out elsewhere, but lists, and what functions make local of what zsh has itself.
        if !attributes.is_float {
            let is_own = self.dialect == Dialect::Zsh && (is_own(name) || self.takes_no_list(name) || self.is_special(name));
            return match declared {
                Declared::Assignment(assignment, _) if matches!(assignment.value, Assigned::Array(_)) => true,
                Declared::Assignment(..) => is_own,
                Declared::Text(text) if text.contains(&b'=') => is_own,
                Declared::Text(_) => match self.content_of(name) {
                    _ if is_own => true,
                    Content::Unset => false,
                    Content::Set(Val::Known(text)) => !is_number(&text),
                    _ => true,
                },
            };
        }
        match declared {
            Declared::Text(text) if text.contains(&b'=') => !text.get(name.len() + 1..).is_some_and(is_number),
            Declared::Assignment(_, Some(Content::Set(Val::Known(text)))) => !is_number(text),
            Declared::Assignment(..) => true,
            Declared::Text(_) => match self.content_of(name) {
                Content::Unset => false,
                Content::Set(Val::Known(text)) => !is_number(&text),
                _ => true,
            },
        }
    }

    /// Whether a name may be declared as a text: for zsh's lists that is an error.
    pub(super) fn takes_text(&mut self, name: &[u8], attributes: Attributes) -> bool {
        const WHY: &str = "a list that is declared as a text";
        if self.dialect != Dialect::Zsh || attributes.is_local {
            return true;
        }
        if self.tied(name).is_some() && is_own(name) {
            self.fail_hard();
            return false;
        }
        let Some(var) = self.live.as_ref().and_then(|s| s.vars.look(name, For::Export)) else { return true };
        let (is_list, may_be) = (matches!(var.content, Content::Array(_)), var.can_be_list());
        if is_list {
            self.fog(WHY);
        } else if may_be {
            let doubt = self.doubt(WHY);
            self.fail_or_go_on(&doubt);
        }
        !is_list && self.live.is_some()
    }
}
