//! What stands behind a parameter's name in its braces: what is done to what it holds.

use super::super::inner::BRACES_WITHIN;
use super::super::parse::{Parsed, Parser, is_name, is_name_start};
use super::super::reference::{BAD_SHAPE, ODD_SHAPE};
use super::super::syntax::*;
use super::super::words::push_run;
use super::has_open_bracket;

/// What stands behind a parameter's name.
pub(super) enum Behind {
    /// What is done to what it holds; the brace is still to come.
    Open(Change),
    /// The same up to behind the brace.
    Closed(Change),
    /// All of it is not followed.
    Other(&'static str),
}

/// Whether a parenthesis stands in a pattern without quotes, and behind no sign that makes a list of it.
fn has_lone_parenthesis(text: &[u8]) -> bool {
    let is_alone = |pair: &[u8]| matches!(pair, [before, b'('] if !b"?*+@!$(".contains(before));
    let has_quotes = text.iter().any(|byte| b"'\"\\`".contains(byte));
    !has_quotes && (text.starts_with(b"(") || text.windows(2).any(is_alone))
}

impl Parser<'_> {
    /// Takes what is cut off an end, from its sign on.
    pub(super) fn trimmed(&mut self, sign: u8) -> Parsed<Change> {
        self.at += 1;
        let longest = self.peek() == Some(sign);
        self.at += usize::from(longest);
        let from = self.at;
        let word = self.inner_word(false, b"}")?;
        // Between quotes a brace ends it in zsh, whatever quotes are around that.
        let text = self.text.get(from..self.at).unwrap_or_default();
        if self.dialect == Dialect::Zsh
            && self.is_between_quotes
            && text.contains(&b'\'')
            && text.iter().any(|b| b"{}".contains(b))
        {
            return self.trouble_unfollowed("braces in quotes within quotes");
        }
        // So does a parenthesis that nothing closes, in mksh only there.
        if (self.dialect == Dialect::Ksh || self.dialect == Dialect::Mksh && self.is_between_quotes) && is_uneven(text) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        if matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) && text.contains(&b'(') && is_uneven(text) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        // One that stands behind no sign cannot stand there (measured: 93u+m).
        if self.dialect == Dialect::Ksh && has_lone_parenthesis(text) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        // A bracket that is open goes on behind the brace there (measured: 93u+m).
        let text = self.text.get(from..self.at).unwrap_or_default();
        if self.dialect == Dialect::Ksh && has_open_bracket(text) {
            return self.trouble_unfollowed("a bracket that is open in a pattern");
        }
        Ok(Change::Trim(sign == b'%', longest, word))
    }

    /// Takes what is replaced, and by what, from its stroke on.
    pub(super) fn replaced(&mut self) -> Parsed<Change> {
        self.at += 1;
        let how = match self.peek() {
            Some(how @ (b'/' | b'#' | b'%')) => {
                self.at += 1;
                how
            }
            _ => b' ',
        };
        let from = self.at;
        let pattern = match (how, self.peek()) {
            // There a stroke behind the two is the first sign of the pattern (measured: 5.2).
            (b'/', Some(b'/')) if self.dialect == Dialect::Bash => {
                let mut parts = Parts::new();
                push_run(&mut parts, self.cut(self.at, self.at + 1));
                self.at += 1;
                for part in self.inner_word(false, b"/}")?.parts {
                    match (parts.last_mut(), part) {
                        (Some(Part::Text(text)), Part::Text(more)) => text.push(&more),
                        (_, part) => parts.push(part),
                    }
                }
                Word::new(parts, from, self.at)
            }
            _ => self.inner_word(false, b"/}")?,
        };
        // A parenthesis that nothing matches ends more than the parameter there (measured: 93u+m, R59).
        let text = self.text.get(from..self.at).unwrap_or_default();
        if self.dialect == Dialect::Ksh && has_lone_parenthesis(text) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        // What runs within one is found only behind its strokes.
        if self.dialect == Dialect::Zsh && text.contains(&b'`') {
            return self.trouble_unfollowed("commands in a pattern");
        }
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && is_uneven(text) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        let from = self.at;
        // Between quotes it is one as they are there (measured: 5.9).
        let is_quoted = self.dialect == Dialect::Zsh && self.is_between_quotes;
        let with = if self.take(b"/") { self.inner_word(is_quoted, b"}")?.in_quotes(is_quoted) } else { Word::default() };
        let text = self.text.get(from..self.at).unwrap_or_default();
        if self.dialect == Dialect::Zsh && text.contains(&b'`') {
            return self.trouble_unfollowed("commands in a pattern");
        }
        if self.dialect == Dialect::Ksh && self.text.get(from..self.at).is_some_and(is_uneven) {
            return self.trouble_unfollowed("a parenthesis in a pattern");
        }
        Ok(Change::Replace(Box::new((pattern, with)), how))
    }

    /// Takes a part of a text or a list, or modifiers of zsh's, from their colon on.
    pub(super) fn behind_colon(&mut self, start: usize) -> Parsed<Behind> {
        // A sum with quotes is worked out in a way of its own there.
        let rest = self.text.get(self.at..).unwrap_or_default();
        let slice = rest.get(..memchr::memchr(b'}', rest).unwrap_or(rest.len())).unwrap_or_default();
        if self.dialect == Dialect::Ksh && slice.contains(&b'"') && slice.contains(&b'=') {
            return self.trouble_unfollowed("a quote within a sum");
        }
        if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(|b| b.is_ascii_alphabetic() || b == b'#' || b == b'|') {
            if let Some(letters) = self.modifiers()
                && self.take(b"}")
            {
                return Ok(Behind::Closed(Change::Parts(letters)));
            }
            let letter = self.peek_at(1).unwrap_or_default();
            // Behind it stands the name of a list.
            let lacks_name = letter == b'|' && !self.peek_at(2).is_some_and(is_name_start);
            let is_alone = self.peek_at(2) == Some(b'}') || b"s#|".contains(&letter);
            self.skip_braces(start)?;
            let text = self.text.get(start..self.at).unwrap_or_default();
            // What comes of it may be expanded once more, and a quote goes on behind it.
            let is_odd = letter == b's' || lacks_name || text.iter().any(|b| b"=~\"'`".contains(b));
            return if is_odd {
                Ok(Behind::Other(ODD_SHAPE))
            } else if !b"aAcehlpPqQrstuxgfFwW#|".contains(&letter) {
                Ok(Behind::Other(BAD_SHAPE))
            } else if is_alone && !b"xgfFwWp".contains(&letter) {
                Ok(Behind::Closed(Change::Unfollowed("a modifier of zsh's")))
            } else {
                Ok(Behind::Other(ODD_SHAPE))
            };
        }
        // Signs of zsh's own behind the colon.
        if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(|b| b"/^*".contains(&b)) {
            let rest = self.text.get(self.at + 2..).unwrap_or_default();
            let rest = rest.strip_prefix(b"^").unwrap_or(rest);
            let name = rest.iter().take_while(|b| is_name(**b)).count();
            let is_named =
                self.peek_at(1) == Some(b'/') && self.peek_at(2) != Some(b'/') || name > 0 && rest.get(name) == Some(&b'}');
            self.skip_braces(start)?;
            // What is looked for may be no pattern.
            let may_be_wrong = self.text.get(start..self.at).unwrap_or_default().iter().any(|b| b"([<".contains(b));
            if !is_named || may_be_wrong {
                return Ok(Behind::Other(ODD_SHAPE));
            }
            return Ok(Behind::Closed(Change::Unfollowed("a modifier of zsh's")));
        }
        self.at += 1;
        // There letters behind a second colon are no length.
        if self.dialect == Dialect::Zsh && self.peek() == Some(b':') && self.peek_at(1).is_some_and(|b| b.is_ascii_alphabetic()) {
            self.skip_braces(start)?;
            return Ok(Behind::Other(ODD_SHAPE));
        }
        // Nor do signs begin one there that are no part of a number or a name (measured: R59).
        if self.dialect == Dialect::Mksh && self.peek().is_some_and(|b| b"\"'!~%&*:;|<>".contains(&b)) {
            self.skip_braces(start)?;
            return Ok(Behind::Other(ODD_SHAPE));
        }
        // There no offset may be an error (measured: 93u+m).
        if self.dialect == Dialect::Ksh && self.peek() == Some(b':') {
            self.skip_braces(start)?;
            return Ok(Behind::Other(ODD_SHAPE));
        }
        if self.peek() == Some(b'}') && self.dialect != Dialect::Ksh {
            self.at += 1;
            return Ok(Behind::Other(BAD_SHAPE));
        }
        // There neither may be missing.
        let rest = self.text.get(self.at..).unwrap_or_default();
        if self.dialect == Dialect::Zsh && rest.starts_with(b":}") {
            self.skip_braces(start)?;
            return Ok(Behind::Other(BAD_SHAPE));
        }
        let from = self.at;
        let offset = self.inner_word(true, b":}")?.parts.into_vec();
        // A parenthesis is none of its sums there, and nothing is none (measured: 93u+m).
        let holds = |part: &Part, is_it: &dyn Fn(&Text) -> bool| matches!(part, Part::Text(t) | Part::Quoted(t) if is_it(t));
        let is_odd = offset.iter().any(|part| holds(part, &|text| text.contains(&b'(')))
            || !offset.is_empty() && offset.iter().all(|part| holds(part, &|text| text.trim_ascii().is_empty()));
        if self.dialect == Dialect::Ksh && is_odd {
            self.at = from;
            self.skip_braces(start)?;
            return Ok(Behind::Other(ODD_SHAPE));
        }
        if self.dialect == Dialect::Zsh && self.lacks_length() {
            self.skip_braces(start)?;
            let ends = self.text.get(self.at - 1) == Some(&b'}') && self.text.get(self.at.saturating_sub(2)) == Some(&b':');
            let is_plain = ends && offset.iter().all(|part| matches!(part, Part::Text(_) | Part::Quoted(_)));
            return Ok(Behind::Other(if is_plain { BAD_SHAPE } else { ODD_SHAPE }));
        }
        let length = if self.take(b":") { Some(self.inner_word(true, b"}")?.parts.into_vec()) } else { None };
        let text = self.text.get(from..self.at).unwrap_or_default();
        if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && text.windows(2).any(|pair| pair[0] != b'$' && pair[1] == b'{') {
            return self.trouble_unfollowed(BRACES_WITHIN);
        }
        Ok(Behind::Open(Change::Slice(offset, length)))
    }

    /// Whether what stands behind a second colon is no length to zsh: nothing, or a letter, which would be a modifier
    /// (measured: 5.9).
    pub(in super::super) fn lacks_length(&self) -> bool {
        self.peek() == Some(b':') && self.peek_at(1).is_none_or(|byte| byte == b'}' || byte.is_ascii_alphabetic())
    }

    /// Takes `@` of bash's and the letter behind it.
    pub(super) fn by_letter(&mut self) -> Parsed<Change> {
        let change = match self.peek_at(1) {
            Some(b'U') => Change::Case(true, true),
            Some(b'u') => Change::Case(true, false),
            Some(b'L') => Change::Case(false, true),
            Some(b'Q') => Change::InQuotes,
            Some(b'E' | b'P' | b'A' | b'K' | b'a' | b'k') => Change::Unfollowed(ODD_SHAPE),
            // The shell ends by it.
            _ => return self.trouble_unfollowed("a parameter that the shell refuses"),
        };
        self.at += 2;
        Ok(change)
    }
}

/// Whether a pattern has parentheses without quotes that do not match.
fn is_uneven(text: &[u8]) -> bool {
    let is_plain = !text.iter().any(|byte| b"'\"\\$`".contains(byte));
    is_plain && text.iter().filter(|byte| **byte == b')').count() != text.iter().filter(|byte| **byte == b'(').count()
}
