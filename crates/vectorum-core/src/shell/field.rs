//! Fields: what a word comes to, while it is put together.

use std::sync::Arc;

use smallvec::SmallVec;

use super::value::{Doubt, Unknown, Val};

/// A field that is being put together: bytes, each with whether it was quoted.
#[derive(Clone, Debug, Default)]
pub(super) struct Field {
    pub(super) text: Vec<u8>,
    /// Where each stretch that was quoted, or was not, ends.
    stretches: SmallVec<[(usize, bool); 2]>,
    /// Why it is not known; the text is then only part of it.
    pub(super) unknown: Option<Unknown>,
    /// Whether it is there even if it is empty.
    pub(super) is_there: bool,
    /// Whether something was brought into it that may be empty: if nothing else makes it one, whether it is there is not
    /// known.
    may_vanish: bool,
}

impl Field {
    /// One that is there even if nothing is put into it.
    pub(super) fn there() -> Field {
        Field { is_there: true, ..Field::default() }
    }

    pub(super) fn push(&mut self, text: &[u8], quoted: bool) {
        if self.text.capacity() == 0 && !text.is_empty() {
            // Most words grow little after their first part.
            self.text.reserve(text.len() + 24);
        }
        self.text.extend_from_slice(text);
        self.is_there |= quoted;
        match self.stretches.last_mut() {
            Some((end, was_quoted)) if *was_quoted == quoted => *end = self.text.len(),
            _ if text.is_empty() => {}
            _ => self.stretches.push((self.text.len(), quoted)),
        }
    }

    /// Returns whether each byte was quoted.
    pub(super) fn quoted(&self) -> Vec<bool> {
        let mut out = Vec::with_capacity(self.text.len());
        for (end, quoted) in &self.stretches {
            out.resize(*end, *quoted);
        }
        out
    }

    /// Its stretches, each with whether it was quoted.
    pub(super) fn pieces(&self) -> impl Iterator<Item = (&[u8], bool)> {
        let mut begin = 0;
        self.stretches.iter().map(move |(end, quoted)| {
            let text = self.text.get(begin..*end).unwrap_or_default();
            begin = *end;
            (text, *quoted)
        })
    }

    /// Whether it has an unquoted sign of a pattern.
    pub(super) fn has_signs(&self) -> bool {
        self.has_any(b"*?[")
    }

    /// Whether it has an unquoted sign of these.
    pub(super) fn has_any(&self, signs: &[u8]) -> bool {
        self.pieces().any(|(text, quoted)| !quoted && text.iter().any(|b| signs.contains(b)))
    }

    /// Whether it has unquoted braces that stand for several words; `with_ranges` says whether dots make some, too.
    pub(super) fn has_braces(&self, with_ranges: bool) -> bool {
        let mut signs = Vec::new();
        self.pieces().filter(|(_, quoted)| !quoted).for_each(|(text, _)| signs.extend_from_slice(text));
        let Some(open) = memchr::memchr(b'{', &signs) else { return false };
        let inside = signs.get(open..memchr::memrchr(b'}', &signs).unwrap_or(open)).unwrap_or_default();
        inside.contains(&b',') || with_ranges && memchr::memmem::find(inside, b"..").is_some()
    }

    /// Whether it has a sign of braces, quoted or not.
    pub(super) fn has_brace_signs(&self) -> bool {
        self.text.iter().any(|b| b"{},".contains(b))
    }

    /// Whether it has an unquoted brace that opens.
    pub(super) fn begins_braces(&self) -> bool {
        self.pieces().any(|(text, quoted)| !quoted && text.contains(&b'{'))
    }

    /// Puts another one behind it.
    pub(super) fn append(&mut self, other: &Field) {
        other.pieces().for_each(|(text, quoted)| self.push(text, quoted));
        self.is_there |= other.is_there;
        self.may_vanish |= other.may_vanish;
        if let Some(unknown) = &other.unknown {
            self.take_up(unknown);
        }
    }

    /// Puts a value behind it that, where it is empty, makes no field by itself.
    pub(super) fn bring(&mut self, value: &Val, quoted: bool) {
        match value {
            Val::Known(text) if text.is_empty() => {}
            Val::Known(text) => self.push(text, quoted),
            Val::Unknown(unknown) => {
                self.take_up(unknown);
                match value.is_empty() {
                    Some(false) => self.is_there = true,
                    _ => self.may_vanish = true,
                }
            }
        }
    }

    /// Whether it is a field at all.
    ///
    /// # Errors
    /// Where only what is not known of it may make it one: why that is not known.
    pub(super) fn is_field(&self) -> Result<bool, Arc<Doubt>> {
        match &self.unknown {
            _ if self.is_there || !self.text.is_empty() => Ok(true),
            Some(unknown) if self.may_vanish => Err(unknown.doubt.clone()),
            _ => Ok(false),
        }
    }

    pub(super) fn doubt(&mut self, doubt: &Arc<Doubt>) {
        self.put_unknown(&Unknown::of(doubt.clone()));
    }

    /// Puts a text behind it that nobody knows.
    pub(super) fn put_unknown(&mut self, unknown: &Unknown) {
        self.is_there = true;
        self.take_up(unknown);
    }

    /// Two texts that are not known are a third one: what each can only be counts no more.
    fn take_up(&mut self, unknown: &Unknown) {
        self.unknown = Some(match self.unknown.take() {
            None => unknown.clone(),
            Some(first) => {
                let is_number = first.is_number && unknown.is_number;
                first.another(first.is_filled || unknown.is_filled).number(is_number)
            }
        });
    }

    pub(super) fn value(self) -> Val {
        match self.unknown {
            None => Val::Known(self.text.into()),
            Some(unknown) if self.text.is_empty() => Val::Unknown(unknown),
            // With text around it, it is another value that is not known. Ends of lines are taken away again where it is printed.
            Some(unknown) => {
                let is_filled = unknown.is_filled || self.text.iter().any(|b| *b != b'\n');
                Val::Unknown(unknown.another(is_filled))
            }
        }
    }
}

/// The fields that a word becomes, most often one.
pub(super) type Fields = SmallVec<[Field; 1]>;

/// The field that is put together.
pub(super) fn last(fields: &mut Fields) -> &mut Field {
    if fields.is_empty() {
        fields.push(Field::default());
    }
    let at = fields.len() - 1;
    &mut fields[at]
}

/// Puts a value behind what a field is so far.
pub(super) fn put(field: &mut Field, value: &Val, quoted: bool) {
    match value {
        Val::Known(text) => field.push(text, quoted),
        Val::Unknown(unknown) => field.put_unknown(unknown),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn unknown(is_filled: bool) -> Val {
        Val::unknown(Doubt::new("a test", None)).but_filled(is_filled)
    }

    #[test]
    fn a_field_is_there_where_something_makes_it_one() {
        let none = Val::of(b"");
        type Brought<'a> = &'a [(&'a Val, bool)];
        let cases: &[(Brought<'_>, Option<bool>)] = &[
            (&[], Some(false)),
            (&[(&none, false)], Some(false)),
            (&[(&none, true)], Some(true)),
            (&[(&Val::of(b"x"), false)], Some(true)),
            (&[(&unknown(true), false)], Some(true)),
            (&[(&unknown(false), false)], None),
            // Of several that may be empty, none makes it a field for certain; whatever else is there does.
            (&[(&unknown(false), false), (&unknown(false), false)], None),
            (&[(&unknown(false), false), (&none, false)], None),
            (&[(&unknown(false), false), (&none, true)], Some(true)),
            (&[(&none, true), (&unknown(false), false)], Some(true)),
            (&[(&unknown(false), false), (&Val::of(b"x"), false)], Some(true)),
        ];
        for (values, expected) in cases {
            // Put one by one, and as one that is put behind another.
            let (mut field, mut behind) = (Field::default(), Field::default());
            for (value, is_quoted) in *values {
                let mut one = Field::default();
                if *is_quoted {
                    put(&mut one, value, true);
                    put(&mut field, value, true);
                } else {
                    one.bring(value, false);
                    field.bring(value, false);
                }
                behind.append(&one);
            }
            assert_eq!(field.is_field().ok(), *expected, "{values:?}");
            assert_eq!(behind.is_field().ok(), *expected, "{values:?} behind");
        }
    }

    #[test]
    fn what_was_quoted_stays_so() {
        let mut field = Field::default();
        for (text, quoted) in [("a", true), ("", false), ("*", true), ("b", false), ("", true), ("?", false)] {
            field.push(text.as_bytes(), quoted);
        }
        assert_eq!(field.pieces().collect::<Vec<_>>(), [(&b"a*"[..], true), (&b"b?"[..], false)]);
        assert_eq!(field.quoted(), [true, true, false, false]);
        assert!(field.has_signs());
        let mut quoted = Field::default();
        quoted.push(b"[*", true);
        assert!(!quoted.has_signs());
        quoted.append(&field);
        assert_eq!(quoted.text, b"[*a*b?");
        assert!(quoted.has_signs());
    }
}
