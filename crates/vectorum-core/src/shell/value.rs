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
    /// Names that words which hang on it set when they are evaluated, if they can set no others.
    pub sets: Option<&'static [&'static str]>,
}

impl Doubt {
    /// Begins a doubt with nothing but its reason.
    pub fn new(why: &'static str, site: Option<Site>) -> Arc<Doubt> {
        Arc::new(Doubt { why, site, sets: None })
    }

    /// A number that hangs on it.
    pub(super) fn number(self: &Arc<Doubt>) -> Val {
        Val::Unknown(Unknown { is_filled: true, is_number: true, ..Unknown::of(Arc::clone(self)) })
    }
}

/// A text that is not known, and what is known of it all the same. A doubt tells why another text is not known as well;
/// what this very text could be stays here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unknown {
    /// Why it is not known.
    pub doubt: Arc<Doubt>,
    /// The texts that it can only be, if they are few.
    could_be: Option<Arc<Vec<Bytes>>>,
    /// Whether it is certain that it is not empty.
    pub is_filled: bool,
    /// Whether it is certain that it is a whole number, or nothing.
    pub is_number: bool,
}

impl Unknown {
    /// A text of which no more is known than why it is not, and what it sets when it is evaluated.
    pub(super) fn of(doubt: Arc<Doubt>) -> Unknown {
        Unknown { doubt, could_be: None, is_filled: false, is_number: false }
    }

    /// The texts that it can only be, if they are few; none if they are not.
    pub fn could_be(&self) -> &[Bytes] {
        self.could_be.as_ref().map_or(&[], |texts| texts)
    }

    /// The same, which can only be one of these.
    pub(super) fn one_of(self, could_be: Vec<Bytes>) -> Unknown {
        if could_be.is_empty() {
            return self;
        }
        let is_filled = self.is_filled || could_be.iter().all(|text| !text.is_empty());
        let is_number = self.is_number || could_be.iter().all(is_number);
        Unknown { could_be: Some(Arc::new(could_be)), is_filled, is_number, ..self }
    }

    /// What it is changed to, where each of the few texts that it can be is changed to one that is known.
    pub(super) fn each(&self, mut change: impl FnMut(&Bytes) -> Option<Bytes>) -> Option<Val> {
        let mut could_be: Vec<Bytes> = Vec::new();
        for text in self.could_be() {
            let text = change(text)?;
            if !could_be.contains(&text) {
                could_be.push(text);
            }
        }
        match &could_be[..] {
            [] => None,
            // Where it is not told though it can be but one, there is a reason for it.
            [only] if self.could_be().len() > 1 => Some(Val::Known(only.clone())),
            _ => Some(Val::unknown(self.doubt.clone()).or_one_of(could_be)),
        }
    }

    /// Another text that hangs on why this one is not known.
    pub(super) fn another(&self, is_filled: bool) -> Unknown {
        Unknown { is_filled, ..Unknown::of(self.doubt.clone()).setting(None) }
    }

    /// The same, which sets no other names than these when it is evaluated, if it is said which.
    pub(super) fn setting(self, sets: Option<&'static [&'static str]>) -> Unknown {
        if self.doubt.sets == sets {
            return self;
        }
        Unknown { doubt: Arc::new(Doubt { sets, ..(*self.doubt).clone() }), ..self }
    }

    /// The same, of which it is said whether it is certainly not empty.
    pub(super) fn filled(self, is_filled: bool) -> Unknown {
        Unknown { is_filled, ..self }
    }

    /// The same, of which it is said whether it is certainly a whole number, or nothing.
    pub(super) fn number(self, is_number: bool) -> Unknown {
        Unknown { is_number, ..self }
    }

    /// The same, which is about a place if it is about none yet.
    pub(super) fn at(self, site: impl FnOnce() -> Site) -> Unknown {
        if self.doubt.site.is_some() {
            return self;
        }
        Unknown { doubt: Arc::new(Doubt { site: Some(site()), ..(*self.doubt).clone() }), ..self }
    }
}

/// A value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Val {
    /// These bytes.
    Known(Bytes),
    /// It is not known.
    Unknown(Unknown),
}

/// How many values are told apart before it is only said that it is one of many.
const MOST: usize = 4;

/// Whether this is a whole number, or nothing.
fn is_number(text: &Bytes) -> bool {
    text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit) && *text != "-"
}

impl Val {
    /// A known value.
    pub fn of(bytes: impl AsRef<[u8]>) -> Val {
        Val::Known(Bytes::copy_from_slice(bytes.as_ref()))
    }

    /// A text of which no more is known than why it is not. What evaluates it may set anything: it is not what was said to
    /// set few names.
    pub fn unknown(doubt: Arc<Doubt>) -> Val {
        Val::Unknown(Unknown::of(doubt).setting(None))
    }

    /// The same of a text that is not empty.
    pub fn filled(why: &'static str) -> Val {
        Val::unknown(Doubt::new(why, None)).but_filled(true)
    }

    /// The same, and where it is not known it is said whether it is certainly not empty.
    pub(super) fn but_filled(self, is_filled: bool) -> Val {
        match self {
            Val::Known(_) => self,
            Val::Unknown(unknown) => Val::Unknown(unknown.filled(is_filled)),
        }
    }

    /// The same, and where it is not known it can only be one of these, if they are any.
    pub(super) fn or_one_of(self, could_be: Vec<Bytes>) -> Val {
        match self {
            Val::Known(_) => self,
            Val::Unknown(unknown) => Val::Unknown(unknown.one_of(could_be)),
        }
    }

    /// Returns the bytes if they are known.
    pub fn known(&self) -> Option<&Bytes> {
        match self {
            Val::Known(bytes) => Some(bytes),
            Val::Unknown(_) => None,
        }
    }

    /// Why it is not known, if it is not.
    pub(super) fn doubt(&self) -> Option<&Arc<Doubt>> {
        match self {
            Val::Known(_) => None,
            Val::Unknown(unknown) => Some(&unknown.doubt),
        }
    }

    /// Whether it is empty, if that is known.
    pub fn is_empty(&self) -> Option<bool> {
        match self {
            Val::Known(bytes) => Some(bytes.is_empty()),
            Val::Unknown(unknown) => unknown.is_filled.then_some(false),
        }
    }

    /// Whether it is certainly a whole number, or nothing.
    pub(super) fn is_number(&self) -> bool {
        match self {
            Val::Known(text) => is_number(text),
            Val::Unknown(unknown) => unknown.is_number,
        }
    }

    /// The texts that it can only be, if they are few.
    pub(super) fn candidates(&self) -> &[Bytes] {
        match self {
            Val::Known(text) => std::slice::from_ref(text),
            Val::Unknown(unknown) => unknown.could_be(),
        }
    }

    /// What is known where it is one or the other.
    pub fn join(&self, other: &Val, why: &Arc<Doubt>) -> Val {
        if self == other {
            return self.clone();
        }
        let mut could_be = self.candidates().to_vec();
        could_be.extend(other.candidates().iter().filter(|value| !self.candidates().contains(value)).cloned());
        if self.candidates().is_empty() || other.candidates().is_empty() || could_be.len() > MOST {
            could_be.clear();
        }
        let base = self.doubt().or(other.doubt()).unwrap_or(why);
        // What is empty sets nothing.
        let sets = |value: &Val| match value {
            Val::Unknown(unknown) => unknown.doubt.sets,
            Val::Known(text) => text.is_empty().then_some(&[][..]),
        };
        let sets = match (sets(self), sets(other)) {
            (Some(one), Some([])) | (Some([]), Some(one)) => Some(one),
            (Some(one), Some(two)) if one == two => Some(one),
            _ => None,
        };
        let sets = sets.filter(|names| !names.is_empty());
        let doubt = if base.sets == sets { Arc::clone(base) } else { Arc::new(Doubt { sets, ..(**base).clone() }) };
        Val::Unknown(Unknown {
            doubt,
            could_be: (!could_be.is_empty()).then(|| Arc::new(could_be)),
            is_filled: self.is_empty() == Some(false) && other.is_empty() == Some(false),
            is_number: self.is_number() && other.is_number(),
        })
    }
}

/// Whether something is so: certainly, certainly not, or it is not known.
pub(super) type Maybe = Result<bool, Arc<Doubt>>;

#[cfg(test)]
mod tests {
    use super::*;

    /// One of a few, as several ways leave it.
    fn one_of(texts: &[&'static str]) -> Val {
        let why = Doubt::new("so", None);
        texts.iter().map(Val::of).reduce(|one, other| one.join(&other, &why)).unwrap_or_else(|| Val::unknown(why))
    }

    fn told(value: &Val) -> (Vec<&[u8]>, Option<bool>, bool) {
        (value.candidates().iter().map(|text| &text[..]).collect(), value.is_empty(), value.is_number())
    }

    #[test]
    fn what_holds_on_two_ways_is_known_of_both() {
        for (texts, could_be, is_empty, is_number) in [
            (&["a", "a"][..], &["a"][..], Some(false), false),
            (&["a", "b", "a"], &["a", "b"], Some(false), false),
            (&["a", ""], &["a", ""], None, false),
            (&["1", "-20"], &["1", "-20"], Some(false), true),
            (&["1", ""], &["1", ""], None, true),
            (&["1", "-"], &["1", "-"], Some(false), false),
            (&["a", "b", "c", "d", "e"], &[], Some(false), false),
            (&["1", "2", "3", "4", "5"], &[], Some(false), true),
            (&[], &[], None, false),
        ] {
            let could_be: Vec<&[u8]> = could_be.iter().map(|text| text.as_bytes()).collect();
            assert_eq!(told(&one_of(texts)), (could_be, is_empty, is_number), "{texts:?}");
        }
    }

    #[test]
    fn what_a_text_could_be_says_nothing_of_another() {
        let Val::Unknown(text) = one_of(&["1", "2"]) else { panic!("known") };
        let text = text.setting(Some(&["TIDE"]));
        for other in [Val::unknown(text.doubt.clone()), Val::Unknown(text.another(false))] {
            assert_eq!(told(&other), (Vec::new(), None, false));
            assert_eq!(other.doubt().map(|doubt| (doubt.why, doubt.sets)), Some(("so", None)));
        }
        assert_eq!(told(&text.doubt.number()), (Vec::new(), Some(false), true));
    }

    #[test]
    fn each_of_a_few_texts_is_changed() {
        let first = |text: &Bytes| Some(text.slice(..1));
        for (texts, expected) in [
            (&["ab", "cd"][..], Some(&["a", "c"][..])),
            (&["ab", "ac"], Some(&["a"])),
            (&["ab", "cd", "ce"], Some(&["a", "c"])),
            (&[], None),
        ] {
            let Val::Unknown(text) = one_of(texts) else { panic!("known") };
            let changed = text.each(first);
            let texts = changed.as_ref().map(|value| value.candidates().to_vec());
            assert_eq!(texts, expected.map(|all| all.iter().map(|t| Bytes::from_static(t.as_bytes())).collect()), "{text:?}");
        }
        let Val::Unknown(text) = one_of(&["ab", "cd"]) else { panic!("known") };
        assert_eq!(text.each(|text| (text == "ab").then(|| text.clone())), None);
    }
}
