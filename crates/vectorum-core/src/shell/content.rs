//! What a variable holds, and what is known of it where it is one thing or another.

use std::sync::Arc;

use super::table::Table;
use super::value::{Doubt, Val};
use crate::route::Site;

/// What a variable holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Content {
    /// It is not set.
    Unset,
    /// It is set.
    Set(Val),
    /// It is set to this, or not at all.
    Perhaps(Val),
    /// A list of values.
    Array(Arc<Vec<Val>>),
    /// A table by words.
    Table(Arc<Table>),
}

impl Content {
    /// The value as a text: of a list, its first.
    pub(super) fn value(&self) -> Option<Val> {
        match self {
            Content::Unset => None,
            Content::Set(value) | Content::Perhaps(value) => Some(value.clone()),
            Content::Array(values) => values.first().cloned(),
            // What it is as a text is nobody's business: it is none that is handed on.
            Content::Table(_) => None,
        }
    }
}

/// Whether a variable's value is the name of another, which it stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Refers {
    No,
    Yes,
    Perhaps,
}

/// A variable.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Var {
    pub(super) content: Content,
    /// Whether children receive it; `None` where that is not known.
    pub(super) exported: Option<bool>,
    pub(super) readonly: bool,
    /// Whether it may be held fast, or not.
    pub(super) may_be_readonly: bool,
    /// The line that decided its value; `None` for what was there at the start.
    pub(super) site: Option<Site>,
    /// Whether it is exported only once it gets a value (zsh).
    pub(super) is_pending: bool,
    /// Whether something was done to it that is not followed, such as `declare -i`.
    pub(super) is_odd: bool,
    /// Whether it holds a number: what it is set to is worked out.
    pub(super) is_number: bool,
    /// Whether zsh keeps each item of it once only.
    pub(super) is_unique: bool,
    /// Whether it may be a list, which stays one and is not handed on.
    pub(super) may_be_list: bool,
    /// Of an empty text that a list is tied to, whether that has an empty item, and not none.
    pub(super) has_empty_item: bool,
    /// Whether it stands for another.
    pub(super) refers: Refers,
}

impl Var {
    /// Whether it is a list, or may be one.
    pub(super) fn can_be_list(&self) -> bool {
        self.may_be_list || matches!(self.content, Content::Array(_) | Content::Table(_))
    }

    /// One of which nothing is known.
    pub(super) fn unknown(why: &Arc<Doubt>) -> Var {
        Var { content: Content::Perhaps(Val::unknown(why.clone())), exported: None, ..Var::unset() }
    }

    pub(super) fn unset() -> Var {
        Var {
            content: Content::Unset,
            exported: Some(false),
            readonly: false,
            may_be_readonly: false,
            site: None,
            is_pending: false,
            is_odd: false,
            is_number: false,
            is_unique: false,
            may_be_list: false,
            has_empty_item: false,
            refers: Refers::No,
        }
    }
}

fn join_content(a: &Content, b: &Content, why: &Arc<Doubt>) -> Content {
    use Content::{Array, Perhaps, Set, Table, Unset};
    match (a, b) {
        (a, b) if a == b => a.clone(),
        (Unset, other) | (other, Unset) => match other {
            Set(value) | Perhaps(value) => Perhaps(value.clone()),
            Array(_) | Table(_) | Unset => Perhaps(Val::unknown(why.clone())),
        },
        (Array(_) | Table(_), _) | (_, Array(_) | Table(_)) => Perhaps(Val::unknown(why.clone())),
        (Set(a), Set(b)) => Set(a.join(b, why)),
        (Set(a) | Perhaps(a), Set(b) | Perhaps(b)) => Perhaps(a.join(b, why)),
    }
}

pub(super) fn join_var(a: &Var, b: &Var, why: &Arc<Doubt>) -> Var {
    let content = match join_content(&a.content, &b.content, why) {
        Content::Set(_) if a.has_empty_item != b.has_empty_item => Content::Set(Val::unknown(why.clone())),
        content => content,
    };
    // Of a name that is not set the export says nothing.
    let exported = match (&a.content, &b.content) {
        (Content::Unset, Content::Unset) if a.exported != b.exported => None,
        // What sets it later may set one that is exported, or one that is not.
        (Content::Unset, _) if a.exported == Some(false) => b.exported.filter(|exported| !exported),
        (_, Content::Unset) if b.exported == Some(false) => a.exported.filter(|exported| !exported),
        // One that is exported once it gets a value has one here, or not.
        _ if a.is_pending != b.is_pending && (a.exported, b.exported) != (Some(false), Some(false)) => None,
        _ if a.exported == b.exported => a.exported,
        _ => None,
    };
    let site = if matches!(content, Content::Unset) { None } else { b.site.clone().or(a.site.clone()) };
    Var {
        content,
        exported,
        readonly: a.readonly && b.readonly,
        may_be_readonly: a.readonly != b.readonly || a.may_be_readonly || b.may_be_readonly,
        site,
        is_pending: a.is_pending && b.is_pending,
        is_odd: a.is_odd || b.is_odd || a.is_unique != b.is_unique || a.is_number != b.is_number,
        is_number: a.is_number || b.is_number,
        is_unique: a.is_unique && b.is_unique,
        may_be_list: a.can_be_list() || b.can_be_list(),
        has_empty_item: a.has_empty_item,
        refers: if a.refers == b.refers { a.refers } else { Refers::Perhaps },
    }
}

#[cfg(test)]
pub(super) mod tests {
    use bytes::Bytes;
    use proptest::prelude::*;

    use super::*;

    fn value() -> impl Strategy<Value = Val> {
        let known = prop::sample::select(vec!["", "low", "high"]).prop_map(Val::of);
        let doubt = |(filled, few): (bool, bool)| {
            let could_be = if few { vec![Bytes::from_static(b"low"), Bytes::from_static(b"flood")] } else { Vec::new() };
            Val::unknown(Doubt::new("so", None)).or_one_of(could_be).but_filled(filled)
        };
        prop_oneof![known, (any::<bool>(), any::<bool>()).prop_map(doubt)]
    }

    fn var() -> impl Strategy<Value = Var> {
        let content = prop_oneof![
            Just(Content::Unset),
            value().prop_map(Content::Set),
            value().prop_map(Content::Perhaps),
            prop::collection::vec(value(), 0..3).prop_map(|items| Content::Array(Arc::new(items))),
            value().prop_map(|item| Content::Table(Arc::new([(Bytes::from_static(b"key"), item)].into()))),
        ];
        let flags = prop::collection::vec(any::<bool>(), 4);
        (content, prop::option::of(any::<bool>()), flags).prop_map(|(content, exported, flags)| Var {
            content,
            exported,
            readonly: flags[0],
            is_pending: flags[1],
            is_odd: flags[2],
            is_number: flags[3],
            ..Var::unset()
        })
    }

    /// Whether a text may be what a value stands for.
    fn may_be(value: &Val, text: &[u8]) -> bool {
        match value {
            Val::Known(known) => known == text,
            Val::Unknown(unknown) => {
                let could_be = unknown.could_be();
                !(unknown.is_filled && text.is_empty()) && (could_be.is_empty() || could_be.iter().any(|c| c == text))
            }
        }
    }

    /// Whether a variable may be set to a text, or not be set.
    pub(in crate::shell) fn may_hold(var: &Var, text: Option<&[u8]>) -> bool {
        match (&var.content, text) {
            (Content::Unset | Content::Perhaps(_), None) => true,
            (Content::Set(value) | Content::Perhaps(value), Some(text)) => may_be(value, text),
            _ => false,
        }
    }

    const TEXTS: [&[u8]; 4] = [b"", b"low", b"high", b"flood"];

    proptest! {
        /// Whatever is so on one of two ways may be so where they come together.
        #[test]
        fn a_join_holds_on_both_ways(a in var(), b in var()) {
            let why = Doubt::new("both ways", None);
            let joined = join_var(&a, &b, &why);
            for way in [&a, &b] {
                for text in [None].into_iter().chain(TEXTS.map(Some)) {
                    prop_assert!(!may_hold(way, text) || may_hold(&joined, text), "{way:?} {joined:?} {text:?}");
                }
                let is_set = !matches!(way.content, Content::Unset);
                prop_assert!(!is_set || joined.exported.is_none() || joined.exported == way.exported, "{way:?} {joined:?}");
                prop_assert!(!joined.readonly || way.readonly);
                prop_assert!(way.readonly == joined.readonly || joined.may_be_readonly);
                prop_assert!(!way.can_be_list() || joined.can_be_list());
            }
            prop_assert_eq!(join_var(&a, &a, &why).content, a.content);
        }

        #[test]
        fn values_that_come_together_are_one_of_both(a in value(), b in value()) {
            let joined = a.join(&b, &Doubt::new("both ways", None));
            for text in TEXTS {
                prop_assert!(!(may_be(&a, text) || may_be(&b, text)) || may_be(&joined, text), "{joined:?} {text:?}");
            }
            prop_assert_eq!(joined.known().is_some(), a == b && a.known().is_some());
        }
    }
}
