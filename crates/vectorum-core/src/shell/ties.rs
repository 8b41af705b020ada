//! Lists of zsh's that are tied to a variable which holds them joined: its own, and those of `typeset -T` (zshbuiltins(1);
//! measured: 5.9).

use std::sync::Arc;

use bytes::Bytes;

use super::attributes::Attributes;
use super::content::Content;
use super::declared::{Declared, name_of};
use super::held::MAY_BE_HELD;
use super::machine::Machine;
use super::state::{State, Status};
use super::syntax::{Assigned, Dialect};
use super::value::Val;

/// Lists that are tied from the beginning, and their texts.
const OWN: &[(&str, &str)] = &[
    ("path", "PATH"),
    ("fpath", "FPATH"),
    ("manpath", "MANPATH"),
    ("cdpath", "CDPATH"),
    ("mailpath", "MAILPATH"),
    ("module_path", "MODULE_PATH"),
    ("fignore", "FIGNORE"),
];

/// Whether a name is that of a list or a text which zsh ties by itself.
pub(super) fn is_own(name: &[u8]) -> bool {
    OWN.iter().any(|(list, text)| list.as_bytes() == name || text.as_bytes() == name)
}

/// A list and the text that is made of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Tie {
    pub(super) list: Bytes,
    pub(super) text: Bytes,
    pub(super) separator: u8,
    /// Whether it is certain that they are tied.
    pub(super) is_sure: bool,
}

/// Ties that were made on one of two ways only are made or not.
pub(super) fn join(ties: &mut Arc<Vec<Tie>>, others: &Arc<Vec<Tie>>) {
    if ties == others {
        return;
    }
    let unsure = |ties: &[Tie], others: &[Tie]| -> Vec<Tie> {
        ties.iter().map(|tie| Tie { is_sure: tie.is_sure && others.contains(tie), ..tie.clone() }).collect()
    };
    let mut all = unsure(ties, others);
    let more = unsure(others, ties).into_iter().filter(|tie| !ties.contains(tie));
    all.extend(more);
    *ties = Arc::new(all);
}

impl State {
    fn tie(&self, is_meant: impl Fn(&Tie) -> bool) -> Option<&Tie> {
        // The later one counts.
        self.ties.iter().rev().find(|tie| is_meant(tie))
    }
}

impl Machine<'_> {
    /// In zsh some lists are tied to a variable that holds them joined.
    pub(super) fn tie_of(&self, name: &[u8]) -> Option<Tie> {
        if self.dialect != Dialect::Zsh {
            return None;
        }
        // Most names are written in great letters.
        let may_be_own = name.first().is_some_and(u8::is_ascii_lowercase);
        if let Some((list, text)) = OWN.iter().find(|(list, _)| may_be_own && list.as_bytes() == name) {
            let [list, text] = [list, text].map(|name| Bytes::from_static(name.as_bytes()));
            return Some(Tie { list, text, separator: b':', is_sure: true });
        }
        self.live.as_ref()?.tie(|tie| tie.list == name).cloned()
    }

    /// Returns the text that a list is tied to, or may be.
    pub(super) fn tied(&self, name: &[u8]) -> Option<Bytes> {
        self.tie_of(name).map(|tie| tie.text)
    }

    /// Whether a name holds a list of zsh's, joined.
    pub(super) fn is_tied_text(&self, name: &[u8]) -> bool {
        self.dialect == Dialect::Zsh
            && (OWN.iter().any(|(_, text)| text.as_bytes() == name)
                || self.live.as_ref().is_some_and(|state| state.tie(|tie| tie.text == name).is_some()))
    }

    /// Whether that is not certain of a text that a command tied.
    pub(super) fn is_perhaps_tied(&self, name: &[u8]) -> bool {
        self.live.as_ref().and_then(|state| state.tie(|tie| tie.text == name)).is_some_and(|tie| !tie.is_sure)
    }

    /// Where a name is that of a list or a text which a command tied, they are so no more.
    pub(super) fn untie(&mut self, name: &[u8]) {
        let Some(state) = &mut self.live else { return };
        let Some(tie) = state.tie(|tie| tie.text == name || tie.list == name).cloned() else { return };
        Arc::make_mut(&mut state.ties).retain(|other| *other != tie);
        state.vars.remove(&tie.list);
        if !tie.is_sure {
            self.doubt_from_here(&tie.text);
            self.doubt_from_here(&tie.list);
        }
    }

    /// `typeset -T`: ties a text and a list to each other. The text keeps what it holds, the list does not.
    pub(super) fn tie(&mut self, given: Vec<Declared>, attributes: Attributes, status_before: &Status) {
        let attributes = Attributes { is_tied: false, ..attributes };
        if given.len() < 2 {
            return self.set_status(1);
        }
        // The second is to be a list (measured: 5.9).
        let is_text = match given.get(1) {
            Some(Declared::Text(text)) => text.contains(&b'='),
            Some(Declared::Assignment(second, _)) => matches!(second.value, Assigned::Word(_)),
            None => false,
        };
        if is_text {
            return self.set_status(1);
        }
        // What is held fast from here on may be so before it is set.
        if attributes.readonly || matches!(&given[..], [text, list, ..] if name_of(text) == name_of(list)) {
            self.fail_or_go_on(&self.doubt("a name that is held fast"));
            return self.tie_unclearly(given);
        }
        let Some(tie) = self.tie_of_words(&given, attributes) else { return self.tie_unclearly(given) };
        let text = tie.text.clone();
        let was_tied = self.live.as_ref().is_some_and(|state| state.ties.contains(&tie));
        if let Some(state) = self.live.as_mut().filter(|_| !was_tied) {
            state.vars.remove(&tie.list);
            Arc::make_mut(&mut state.ties).push(tie);
        }
        let before = self.content_of(&text);
        let was_unset = matches!(before, Content::Unset);
        match before {
            Content::Set(_) => {}
            // A list without items.
            Content::Unset => {
                self.assign(&text, Content::Set(Val::of(b"")), None);
                if let Some(var) = self.live.as_mut().and_then(|state| state.vars.get_mut(&text)) {
                    var.has_empty_item = false;
                }
            }
            _ => {
                let doubt = self.doubt("a text that is tied to a list");
                self.assign(&text, Content::Set(Val::unknown(doubt)), None);
                self.doubt_from_here(&text);
            }
        }
        let mut given = given.into_iter();
        if let Some(declared) = given.next() {
            let is_name = matches!(&declared, Declared::Text(_));
            self.declare_one(declared, attributes, status_before);
            // It is handed on once it is set.
            let exports_all = self.may_be_set("allexport");
            if let Some(var) = self.live.as_mut().and_then(|state| state.vars.get_mut(&text)).filter(|_| is_name && was_unset) {
                var.is_pending = attributes.exported.is_some() || exports_all;
            }
        }
        if let Some(declared @ Declared::Assignment(..)) = given.next() {
            self.declare_one(declared, Attributes::default(), status_before);
        }
    }

    /// What the words of such a command tie, as far as that is followed.
    fn tie_of_words(&self, given: &[Declared], attributes: Attributes) -> Option<Tie> {
        let (text, list, separator) = match given {
            [text, list] => (name_of(text), name_of(list), b':'),
            [text, list, Declared::Text(separator)] if separator.len() == 1 => {
                (name_of(text), name_of(list), *separator.first()?)
            }
            _ => return None,
        };
        let tie = Tie { list, text, separator, is_sure: true };
        let plain = Attributes { exported: None, readonly: false, is_unique: false, is_global: false, ..attributes };
        let state = self.live.as_ref()?;
        let others = |name: &[u8]| state.tie(|other| *other != tie && (other.text == name || other.list == name)).is_some();
        let is_free = |name: &Bytes| {
            let is_plain =
                state.vars.get(name).is_none_or(|var| !var.readonly && !var.may_be_readonly && !var.is_odd && !var.is_number);
            is_plain && crate::reader::is_portable(name) && !self.is_special(name) && !others(name) && !is_own(name)
        };
        let is_followed = plain == Attributes::default()
            && tie.list != tie.text
            && is_free(&tie.list)
            && is_free(&tie.text)
            && !state.vars.get(&tie.text).is_some_and(|var| var.can_be_list())
            && (separator == b':' || !attributes.is_unique);
        is_followed.then_some(tie)
    }

    fn tie_unclearly(&mut self, given: Vec<Declared>) {
        for declared in given.into_iter().take(2) {
            let name = name_of(&declared);
            if !crate::reader::is_portable(&name) {
                return self.fog("names are tied to each other that are not known");
            }
            if self.is_readonly(&name) {
                // One that is local takes its place.
                if !self.is_in_function() {
                    return self.fail_hard();
                }
                self.fork(&self.doubt("a name that is held fast"), Self::fail_hard, |_| {});
            }
            if self.may_be_held(&name) {
                self.fail_or_go_on(&self.doubt(MAY_BE_HELD));
            }
            self.doubt_from_here(&name);
            self.note_may_be_list(&name);
            // It keeps its export, or gets one by another option.
            self.doubt_export(&name);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::trial::after;

    #[test]
    fn a_list_and_a_text_are_one() {
        for (text, expected) in [
            ("typeset -T A a; a=(x y); a+=(z)", ["x:y:z", "3"]),
            ("A=q:r; typeset -T A a", ["q:r", "2"]),
            ("a=(x y); typeset -T A a", ["", "0"]),
            ("typeset -TU A a; a=(x y x)", ["x:y", "2"]),
            ("typeset -T A a ' '; a=(x y)", ["x y", "2"]),
            ("typeset -T A=x:y a", ["x:y", "2"]),
            ("typeset -T A a=(x y z)", ["x:y:z", "3"]),
            ("typeset -T A a; a=(x); unset a; A=x:y", ["x:y", "0"]),
            ("typeset -T A a; a=(x); typeset -T A a; a+=(y)", ["x:y", "2"]),
            ("f() { typeset -T A a; a=(x); }; f", ["<unknown>", "<unknown>"]),
            ("if tide-now; then typeset -T A a; fi; a=(x)", ["<unknown>", "<a number>"]),
            ("if tide-now; then typeset -T A a; fi; set -A A x; a=y", ["<unknown>", "<a number>"]),
            ("typeset -T A a; typeset -T B a", ["<unknown>", "<a number>"]),
        ] {
            let told = after(Dialect::Zsh, &format!("{text}; N=$#a"), |m| ["A", "N"].map(|name| m.told_value(name)));
            assert_eq!(told, expected, "{text}");
        }
    }
}
