//! Parts of texts and lists that are asked for by places, and which of those may be refused.

use super::super::expand::Expanded;
use super::super::machine::Machine;
use super::super::reference::{ODD_SETTING_SHAPE, ODD_SHAPE};
use super::super::syntax::*;
use super::super::value::Val;

impl Machine<'_> {
    /// A part of a list: items are counted from 0, but the positional parameters behind the shell's name.
    ///
    /// # Errors
    /// Where it is not known how many they are.
    pub(in super::super) fn slice(&mut self, values: Vec<Val>, change: &Change, is_positional: bool) -> Expanded<Vec<Val>> {
        let Change::Slice(offset, length) = change else { return Ok(values) };
        let doubt = self.doubt("a part of a list");
        if !is_usual_cut(change) {
            self.refuse_cut(change);
        }
        if !matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
            self.refuse_cut(change);
            return Err(doubt);
        }
        let total = values.len() as i64 + i64::from(is_positional);
        let from = self.sum_in_word(offset)?;
        let from = if from < 0 { from + total } else { from };
        // The shell's own name is one of them.
        if from < 0 || is_positional && from == 0 {
            return if from < 0 && !is_positional && self.dialect == Dialect::Bash { Ok(Vec::new()) } else { Err(doubt) };
        }
        let from = from - i64::from(is_positional);
        let to = match length {
            None => values.len() as i64,
            Some(length) => match self.sum_in_word(length)? {
                length if length < 0 => {
                    self.fail_or_go_on(&doubt);
                    return Err(doubt);
                }
                length => from.saturating_add(length),
            },
        };
        let place = |at: i64| usize::try_from(at).unwrap_or(0).min(values.len());
        Ok(values.get(place(from)..place(to).max(place(from))).unwrap_or_default().to_vec())
    }

    /// Goes on as if a part of something were asked for in a wrong way, too, unless that is told by numbers.
    pub(in super::super) fn refuse_cut(&mut self, change: &Change) {
        if !is_plain_cut(change) {
            self.fail_or_go_on(&self.doubt("a part of a text by what may be no number"));
        }
    }
}

/// Whether a text is a whole number as it is written, with blanks around it or without.
pub(in super::super) fn is_number(text: &[u8]) -> bool {
    let digits = text.trim_ascii();
    let digits = digits.strip_prefix(b"-").unwrap_or(digits);
    !digits.is_empty() && digits.iter().all(u8::is_ascii_digit)
}

/// Whether a part of a text is asked for by numbers as they are written.
pub(in super::super) fn is_plain_cut(change: &Change) -> bool {
    let is_plain = |parts: &Vec<Part>| matches!(&parts[..], [Part::Text(text) | Part::Quoted(text)] if is_number(text));
    match change {
        Change::Slice(offset, length) => std::iter::once(offset).chain(length).all(is_plain),
        _ => true,
    }
}

/// Whether something stands between the signs of a stretch of a sum, and as many parentheses are closed as are opened, and
/// its numbers are some.
fn has_operands(text: &[u8]) -> bool {
    let signs: Vec<u8> = text.iter().copied().filter(|byte| *byte != b' ').collect();
    let lacks = |pair: &[u8]| matches!(pair, [b'+' | b'-' | b'*' | b'/' | b'%' | b'(', b'*' | b'/' | b'%' | b')']);
    let count = |sign: u8| text.iter().filter(|byte| **byte == sign).count();
    // A number that goes on as a name is none.
    let is_number = |word: &[u8]| !word.first().is_some_and(u8::is_ascii_digit) || word.iter().all(u8::is_ascii_digit);
    let mut words = text.split(|byte| !byte.is_ascii_alphanumeric() && *byte != b'_');
    words.all(is_number) && !signs.windows(2).any(lacks) && count(b'(') == count(b')')
}

/// Whether a part of a text is asked for by sums that each shell reads alike: of names, numbers and plain signs.
pub(in super::super) fn is_usual_cut(change: &Change) -> bool {
    let is_usual = |parts: &Vec<Part>| {
        let mut is_blank = true;
        // Blanks at an end mean more to ksh, but before a sign, and a sign at the end lacks a number.
        let begins =
            matches!(parts.first(), Some(Part::Text(t) | Part::Quoted(t)) if t.starts_with(b" ") && !t.starts_with(b" -"));
        let begins = begins
            || matches!(parts.first(), Some(Part::Text(t) | Part::Quoted(t)) if t.trim_ascii_start().first().is_some_and(|b| b"*/%)".contains(b)));
        let is_end = |text: &Text| text.last().is_some_and(|b| b.is_ascii_alphanumeric() || b"_)".contains(b));
        let ends = matches!(parts.last(), Some(Part::Text(t) | Part::Quoted(t)) if !is_end(t));
        let are_all = !begins
            && !ends
            && parts.iter().all(|part| match part {
                Part::Text(text) | Part::Quoted(text) => {
                    is_blank &= text.trim_ascii().is_empty();
                    !text.starts_with(b"\t")
                        && has_operands(text)
                        && text.iter().all(|byte| byte.is_ascii_alphanumeric() || b"_ +-*/%()".contains(byte))
                }
                Part::Parameter(p) => {
                    is_blank = false;
                    p.key.is_none() && matches!(p.change, Change::None | Change::Length) && !matches!(&p.name[..], b"@" | b"*")
                }
                Part::Sum(_) => {
                    is_blank = false;
                    true
                }
                _ => false,
            });
        are_all && (!is_blank || parts.is_empty())
    };
    match change {
        Change::Slice(offset, length) => std::iter::once(offset).chain(length).all(is_usual),
        _ => true,
    }
}

/// Whether a part of something is asked for in a way that may be an error.
pub(in super::super) fn has_odd_cut(part: &Part) -> bool {
    match part {
        Part::Double(parts) => parts.iter().any(has_odd_cut),
        Part::Shaped(shaped) => shaped.may_be_refused(),
        Part::Unfollowed(why) => [ODD_SHAPE, ODD_SETTING_SHAPE].contains(why),
        Part::Parameter(parameter) => match &parameter.change {
            Change::Instead(.., word) => word.parts.iter().any(has_odd_cut),
            change => !is_usual_cut(change),
        },
        _ => false,
    }
}
