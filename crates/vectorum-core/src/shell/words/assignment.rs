//! Assignments as they are written: names, subscripts, values and lists.

use crate::shell::braced::has_open_bracket;
use crate::shell::parse::{Parsed, Parser, is_name, is_name_start};
use crate::shell::reference::closing;
use crate::shell::setting::has_sum;
use crate::shell::syntax::*;
use crate::shell::words::OPEN_PARENTHESIS;

/// Whether a bracket is open behind a word that has no quotes.
pub(super) fn has_open_key(word: &Word) -> bool {
    matches!(&word.parts[..], [Part::Text(text)] if has_open_bracket(text))
}

/// The bytes of a text that no quote and no backslash stands around or before; of a command in backquotes none.
fn outside_quotes(text: &[u8]) -> impl Iterator<Item = u8> {
    let mut quote = None;
    let mut is_behind = false;
    text.iter().copied().filter(move |byte| {
        if std::mem::take(&mut is_behind) {
            return false;
        }
        is_behind = *byte == b'\\' && quote != Some(b'\'');
        match quote {
            Some(sign) => quote = Some(sign).filter(|sign| sign != byte),
            None if b"'\"`".contains(byte) => quote = Some(*byte),
            None => return !is_behind,
        }
        false
    })
}

impl Parser<'_> {
    /// Takes an assignment, if one stands here.
    pub(in crate::shell) fn assignment(&mut self) -> Parsed<Option<Assignment>> {
        let at = self.at;
        // zsh sets positional parameters so, too.
        let digits = self.text.get(at..).unwrap_or_default().iter().take_while(|b| b.is_ascii_digit()).count();
        let behind = |sign: &[u8]| self.text.get(at + digits..).is_some_and(|rest| rest.starts_with(sign));
        let is_positional = self.dialect == Dialect::Zsh && digits > 0 && (behind(b"=") || behind(b"+="));
        let is_own = self.dialect == Dialect::Ksh && self.starts(b".sh.");
        if !is_positional && !is_own && !self.peek().is_some_and(is_name_start) {
            return Ok(None);
        }
        let mut length = 1;
        while self.peek_at(length).is_some_and(|b| is_name(b) || is_own && b == b'.') {
            length += 1;
        }
        if !matches!(self.peek_at(length), Some(b'=' | b'+' | b'[')) {
            return Ok(None);
        }
        let name = self.cut(at, at + length);
        let mut key = None;
        if self.peek_at(length) == Some(b'[') && self.dialect.is_rich() {
            let rest = self.text.get(at + length..).unwrap_or_default();
            let line = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            let Some(close) = rest.get(..line).and_then(closing) else {
                return Err(Trouble { at, what: "a subscript that is not closed", is_error: false });
            };
            let next = rest.get(close + 1..).unwrap_or_default();
            if !(next.starts_with(b"=") || next.starts_with(b"+=")) {
                return Ok(None);
            }
            let text = rest.get(1..close).unwrap_or_default();
            if text.is_empty() && self.dialect == Dialect::Ksh {
                return self.trouble_unfollowed("an index that is empty");
            }
            // With these it is no assignment to zsh, but a pattern of files, or the end of a word. Flags may stand in front.
            let flags = if text.starts_with(b"(") { memchr::memchr(b')', text).map_or(0, |at| at + 1) } else { 0 };
            let rest_of_it = text.get(flags..).unwrap_or_default();
            if self.dialect == Dialect::Zsh && outside_quotes(rest_of_it).any(|b| b" \t|&;<>?*!".contains(&b)) {
                return self.trouble_unfollowed("a subscript with other signs");
            }
            // One that opens another needs a second end in these (measured: bash 5.2, R59).
            let opens = |text: &[u8]| {
                !text.iter().any(|b| b"\"'\\".contains(b))
                    && text.iter().filter(|b| **b == b'[').count() != text.iter().filter(|b| **b == b']').count()
            };
            if matches!(self.dialect, Dialect::Bash | Dialect::Mksh) && rest.get(..=close).is_some_and(opens) {
                return self.trouble_unfollowed("a subscript that is not closed");
            }
            let place = self.index(at + length + 1..at + length + close)?;
            // It is taken for a command's name (measured: 93u+m).
            let is_sum_in_braces = |part: &Part| matches!(part, Part::Parameter(_)) && has_sum(std::slice::from_ref(part));
            if self.dialect == Dialect::Ksh && place.iter().any(is_sum_in_braces) {
                return self.trouble_unfollowed("a sum in braces within an index");
            }
            key = Some(place);
            length += close + 1;
        }
        let adds = self.peek_at(length) == Some(b'+') && self.peek_at(length + 1) == Some(b'=') && self.dialect.is_rich();
        if !adds && self.peek_at(length) != Some(b'=') {
            return Ok(None);
        }
        self.at += length + 1 + usize::from(adds);
        if self.peek() == Some(b'(') && self.dialect.is_rich() {
            self.at += 1;
            let value = Assigned::Array(self.array()?);
            return Ok(Some(Assignment { name, key, adds, value, at }));
        }
        let from = self.at;
        let mut parts = Parts::new();
        self.parts(&mut parts, true)?;
        // There it may stand behind blanks, and by a number (measured: R59).
        let behind = self.text.get(self.at..).unwrap_or_default().trim_ascii_start();
        let digits = behind.iter().take_while(|byte| byte.is_ascii_digit()).count();
        if self.dialect == Dialect::Mksh && parts.is_empty() && behind.get(digits..).is_some_and(|b| b.starts_with(b"<<")) {
            return Err(Trouble { at, what: "a here-document as a value", is_error: false });
        }
        let word = Word::new(parts, from, self.at);
        Ok(Some(Assignment { name, key, adds, value: Assigned::Word(word), at }))
    }

    /// Takes the words of an array up to its parenthesis.
    pub(in crate::shell) fn array(&mut self) -> Parsed<Vec<Word>> {
        let mut words = Vec::new();
        loop {
            self.lines()?;
            // A key may be of other signs there.
            let is_open = words.last().is_some_and(has_open_key);
            if self.dialect == Dialect::Ksh
                && (is_open || !words.is_empty())
                && self.peek().is_some_and(|b| b"&|;<>".contains(&b))
                || self.dialect == Dialect::Ksh && is_open && self.peek().is_some_and(|b| b")}".contains(&b))
            {
                return self.trouble_unfollowed("a key of a list with other signs");
            }
            match self.peek() {
                Some(b')') => {
                    self.at += 1;
                    let has_key = |word: &Word| matches!(word.parts.first(), Some(Part::Text(t)) if t.starts_with(b"["));
                    // A bracket that is quoted closes none, and what is open goes on with the file (measured: bash 5.2).
                    let is_quoted = |word: &Word| {
                        let text = self.text.get(word.at..word.end).unwrap_or_default();
                        let key = text.get(..memchr::memchr(b'=', text).unwrap_or(text.len())).unwrap_or_default();
                        let count = |sign| memchr::memchr_iter(sign, key).count();
                        let is_open = |close: usize| text.get(..close).is_some_and(|key| key.contains(&b'\\'));
                        has_key(word) && (closing(text).is_none_or(is_open) || key.starts_with(b"[") && count(b'[') > count(b']'))
                    };
                    let is_all_quoted =
                        |word: &Word| self.text.get(word.at..word.end).is_some_and(|text| text.starts_with(b"[\\]"));
                    if self.dialect == Dialect::Bash && words.iter().any(is_quoted)
                        || self.dialect == Dialect::Ksh && words.iter().any(is_all_quoted)
                    {
                        return self.trouble_unfollowed("a list that is not closed");
                    }
                    let keyed = words.iter().filter(|word| has_key(word)).count();
                    let has_brace = |word: &Word| {
                        let is_odd = |t: &[u8]| t.starts_with(b"[]") || t.iter().any(|b| b"{}".contains(b));
                        has_key(word) && self.text.get(word.at..word.end).is_some_and(is_odd)
                    };
                    if self.dialect == Dialect::Ksh && words.iter().any(has_brace) {
                        return self.trouble_unfollowed("a key of a list with other signs");
                    }
                    if self.dialect == Dialect::Ksh && keyed > 0 && keyed < words.len() {
                        return self.trouble_unfollowed("a list of which some items have keys");
                    }
                    return Ok(words);
                }
                // There it gives up a line, and goes on behind it (measured: 5.2).
                Some(_) if self.dialect == Dialect::Bash && self.peek().is_some_and(|b| b"&|;<>".contains(&b)) => {
                    return self.trouble_unfollowed("a list that is not closed");
                }
                None | Some(b'&' | b'|' | b';' | b'<' | b'>') => return self.trouble(OPEN_PARENTHESIS),
                // There it gives up a line, and goes on behind it.
                Some(b'(') if self.dialect == Dialect::Bash => return self.trouble_unfollowed("a list that is not closed"),
                Some(b'(') => return self.parenthesis(),
                _ => words.push(self.word()?),
            }
        }
    }
}
