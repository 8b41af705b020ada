//! What is known of a value while a shell file is interpreted.

use std::sync::Arc;

use bytes::Bytes;

use super::super::route::Site;

/// Why something is not known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Doubt {
    /// The reason.
    pub why: &'static str,
    /// The place that it is about.
    pub site: Option<Site>,
    /// The values that it can only be, if they are few.
    pub could_be: Vec<Bytes>,
    /// Whether it is certain that it is not empty.
    pub is_filled: bool,
    /// Whether it is certain that it is a whole number, or nothing.
    pub is_number: bool,
    /// Names that its text sets when it is evaluated, if it can set no others.
    pub sets: Option<&'static [&'static str]>,
}

impl Doubt {
    /// Begins a doubt with nothing but its reason.
    pub fn new(why: &'static str, site: Option<Site>) -> Arc<Doubt> {
        Arc::new(Doubt { why, site, could_be: Vec::new(), is_filled: false, is_number: false, sets: None })
    }

    /// The same of a text that is not empty.
    pub fn filled(why: &'static str) -> Arc<Doubt> {
        Arc::new(Doubt { why, site: None, could_be: Vec::new(), is_filled: true, is_number: false, sets: None })
    }

    /// Another text that hangs on this one.
    pub(super) fn other(&self, is_filled: bool) -> Val {
        Val::Unknown(self.of(Vec::new(), is_filled, false))
    }

    /// Why a text is not known that is another than the one it is said of: what that could be says nothing of it.
    pub(super) fn of_another(self: &Arc<Doubt>) -> Arc<Doubt> {
        if self.could_be.is_empty() && !self.is_filled && !self.is_number {
            return Arc::clone(self);
        }
        Arc::new(Doubt { could_be: Vec::new(), is_filled: false, is_number: false, ..(**self).clone() })
    }

    /// A number that hangs on it.
    pub(super) fn number(&self) -> Val {
        Val::Unknown(self.of(Vec::new(), true, true))
    }

    /// The same reason and place for another text: which it could be, whether it is certainly filled, and a number.
    pub(super) fn of(&self, could_be: Vec<Bytes>, is_filled: bool, is_number: bool) -> Arc<Doubt> {
        Arc::new(Doubt { why: self.why, site: self.site.clone(), could_be, is_filled, is_number, sets: None })
    }
}

/// A value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Val {
    /// These bytes.
    Known(Bytes),
    /// It is not known.
    Unknown(Arc<Doubt>),
}

/// How many values are told apart before it is only said that it is one of many.
const MOST: usize = 4;

impl Val {
    /// A known value.
    pub fn of(bytes: impl AsRef<[u8]>) -> Val {
        Val::Known(Bytes::copy_from_slice(bytes.as_ref()))
    }

    /// Returns the bytes if they are known.
    pub fn known(&self) -> Option<&Bytes> {
        match self {
            Val::Known(bytes) => Some(bytes),
            Val::Unknown(_) => None,
        }
    }

    /// Whether it is empty, if that is known.
    pub fn is_empty(&self) -> Option<bool> {
        match self {
            Val::Known(bytes) => Some(bytes.is_empty()),
            Val::Unknown(doubt) if doubt.is_filled => Some(false),
            Val::Unknown(doubt) if !doubt.could_be.is_empty() && doubt.could_be.iter().all(|v| !v.is_empty()) => Some(false),
            Val::Unknown(_) => None,
        }
    }

    /// Whether it is certainly a whole number, or nothing.
    pub(super) fn is_number(&self) -> bool {
        let is_number = |text: &Bytes| text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit) && *text != "-";
        match self {
            Val::Known(text) => is_number(text),
            Val::Unknown(doubt) => doubt.is_number || !doubt.could_be.is_empty() && doubt.could_be.iter().all(is_number),
        }
    }

    fn candidates(&self) -> Option<Vec<Bytes>> {
        match self {
            Val::Known(bytes) => Some(vec![bytes.clone()]),
            Val::Unknown(doubt) if !doubt.could_be.is_empty() => Some(doubt.could_be.clone()),
            Val::Unknown(_) => None,
        }
    }

    /// What is known where it is one or the other.
    pub fn join(&self, other: &Val, why: &Arc<Doubt>) -> Val {
        if self == other {
            return self.clone();
        }
        let mut could_be = Vec::new();
        if let (Some(mut one), Some(two)) = (self.candidates(), other.candidates()) {
            for value in two {
                if !one.contains(&value) {
                    one.push(value);
                }
            }
            if one.len() <= MOST {
                could_be = one;
            }
        }
        let is_filled = self.is_empty() == Some(false) && other.is_empty() == Some(false);
        let is_number = self.is_number() && other.is_number();
        let first = [self, other].into_iter().find_map(|v| match v {
            Val::Unknown(doubt) => Some(doubt),
            Val::Known(_) => None,
        });
        let base = first.unwrap_or(why);
        // What is empty sets nothing.
        let sets = |value: &Val| match value {
            Val::Unknown(doubt) => doubt.sets,
            Val::Known(text) => text.is_empty().then_some(&[][..]),
        };
        let sets = match (sets(self), sets(other)) {
            (Some(one), Some([])) | (Some([]), Some(one)) => Some(one),
            (Some(one), Some(two)) if one == two => Some(one),
            _ => None,
        };
        let joined = base.of(could_be, is_filled, is_number);
        match sets.filter(|names| !names.is_empty()) {
            None => Val::Unknown(joined),
            sets => Val::Unknown(Arc::new(Doubt { sets, ..(*joined).clone() })),
        }
    }
}

/// Whether something is so: certainly, certainly not, or it is not known.
pub(super) type Maybe = Result<bool, Arc<Doubt>>;
