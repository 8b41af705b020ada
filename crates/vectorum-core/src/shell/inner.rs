//! The word within a parameter's braces, and what quotes mean in there: no two shells agree where the whole is quoted, too.

use super::parse::{Parsed, Parser, is_name};
use super::reference::{ODD_SHAPE, is_escaped};
use super::syntax::*;
use super::words::{closing_brace, push_run};

/// What is in them is expanded afterwards, and may not be set.
pub(super) const BRACES_WITHIN: &str = "braces within a parameter";

pub(super) const QUOTES_WITHIN: &str = "a quote within quotes within a parameter";

impl Parser<'_> {
    /// Whether a single quote has another one behind it, and nothing between that anybody could take for a sign.
    fn is_calm_quote(&self) -> bool {
        let rest = self.text.get(self.at + 1..).unwrap_or_default();
        let between = memchr::memchr(b'\'', rest).and_then(|end| rest.get(..end));
        between.is_some_and(|between| !between.iter().any(|b| b"\"\\`{}".contains(b)))
    }

    /// Whether a brace between quotes is closed there, and the parameter behind it.
    fn closes_brace(&self) -> bool {
        let (before, rest) = self.text.split_at(self.at);
        let from = memchr::memrchr2(b'"', b'\n', before).map_or(0, |at| at + 1);
        let end = self.at + memchr::memchr2(b'"', b'\n', rest).unwrap_or(rest.len());
        let text = self.text.get(from..end).unwrap_or_default();
        let count = |sign: u8| (0..text.len()).filter(|at| text[*at] == sign && !is_escaped(text, *at)).count();
        count(b'}') == count(b'{')
    }

    /// Takes the word inside braces, up to one of the ends.
    pub(super) fn inner_word(&mut self, in_double: bool, ends: &[u8]) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Parts::new();
        let mut is_single = false;
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a brace is not closed") };
            if ends.contains(&byte) {
                if self.dialect == Dialect::Zsh && !in_double && !self.is_between_quotes && looks_up(&parts) {
                    parts.push(Part::Unfollowed(ODD_SHAPE));
                }
                return Ok(Word::new(parts, at, self.at));
            }
            match byte {
                b'\\' => {
                    match self.peek_at(1) {
                        Some(b'\n') => {}
                        Some(next) if !in_double || b"$`\\\"}".contains(&next) => {
                            parts.push(Part::Quoted(Text::Stretch(self.cut(self.at + 1, self.at + 2))));
                        }
                        Some(_) => push_run(&mut parts, self.cut(self.at, self.at + 2)),
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                // To them it needs another one, and what stands between is passed over, and expanded all the same
                // (measured: 5.2, 93u+m).
                b'\'' if in_double && matches!(self.dialect, Dialect::Bash | Dialect::Ksh) => {
                    if !is_single && !self.is_calm_quote() {
                        return self.trouble_unfollowed(QUOTES_WITHIN);
                    }
                    is_single = !is_single;
                    push_run(&mut parts, self.run(|_| true));
                }
                b'\'' if in_double => push_run(&mut parts, self.run(|_| true)),
                b'\'' | b'"' => {
                    let from = self.at;
                    let part = self.quoted(byte)?;
                    let text = self.text.get(from..self.at).unwrap_or_default();
                    // There a brace loses its backslash in there, too (measured: dash 0.5.12, 93u+m).
                    let loses = matches!(self.dialect, Dialect::Dash | Dialect::Ksh)
                        && byte == b'"'
                        && memchr::memmem::find(text, b"\\}").is_some();
                    let is_odd = loses
                        || in_double
                            && match self.dialect {
                                // What ksh makes of single quotes in there is its own affair.
                                Dialect::Ksh if text.contains(&b'(') => return self.trouble_unfollowed(QUOTES_WITHIN),
                                Dialect::Ksh => text.iter().any(|b| b"'~".contains(b)) || is_odd_within_quotes(text),
                                Dialect::Bash => is_odd_within_quotes(text),
                                _ => false,
                            };
                    // What it sets is set all the same.
                    parts.push(part);
                    if is_odd {
                        parts.push(Part::Unfollowed(QUOTES_WITHIN));
                    }
                }
                // In these two it counts between double quotes, too.
                b'$' if self.peek_at(1) == Some(b'\'')
                    && !is_single
                    && (!in_double && self.dialect.is_rich() && !(self.dialect == Dialect::Zsh && self.is_between_quotes)
                        || matches!(self.dialect, Dialect::Bash | Dialect::Mksh)) =>
                {
                    let from = self.at;
                    self.at += 2;
                    let part = self.escaped()?;
                    let text = self.text.get(from..self.at).unwrap_or_default();
                    // What comes of it is read once more there (measured: 5.2).
                    let is_read_again =
                        in_double && self.dialect == Dialect::Bash && text.iter().skip(1).any(|b| b"$`\"\\{}".contains(b));
                    parts.push(if is_read_again { Part::Unfollowed(QUOTES_WITHIN) } else { part });
                }
                // A text that may be said in another language, between double quotes, too.
                b'$' if self.peek_at(1) == Some(b'"')
                    && (matches!(self.dialect, Dialect::Bash | Dialect::Mksh) || self.dialect == Dialect::Ksh && !in_double) =>
                {
                    self.at += 1;
                }
                // What stands behind the sign is read once more there (measured: R59).
                b'$' if self.dialect == Dialect::Mksh && self.peek_at(1) == Some(b'`') => {
                    return self.trouble_unfollowed("commands behind a sign of a parameter");
                }
                // Where the parameter ends then hangs on that brace (measured: 5.2).
                b'$' if self.dialect == Dialect::Bash && self.starts(b"$${") => {
                    return self.trouble_unfollowed(BRACES_WITHIN);
                }
                b'$' | b'`' => match self.deeper(|p| p.dollar(in_double))? {
                    Some(part) => parts.push(part),
                    None => push_run(&mut parts, self.cut(self.at - 1, self.at)),
                },
                // They are expanded afterwards there, and where the parameter ends hangs on them in ksh (measured: 93u+m, R59).
                b'{' if self.dialect == Dialect::Ksh && (!in_double || !self.closes_brace()) => {
                    return self.trouble_unfollowed(BRACES_WITHIN);
                }
                // There they are closed within it, and several words may come of them.
                b'{' if !in_double && !self.is_between_quotes && self.dialect == Dialect::Zsh => {
                    let rest = self.text.get(self.at + 1..).unwrap_or_default();
                    let length = closing_brace(rest);
                    if length == rest.len() {
                        return self.trouble("a brace is not closed");
                    }
                    self.at += length + 2;
                    parts.push(Part::Unfollowed(BRACES_WITHIN));
                }
                b'{' if !in_double && self.dialect == Dialect::Mksh => {
                    self.at += 1;
                    parts.push(Part::Unfollowed(BRACES_WITHIN));
                }
                _ => {
                    let has_braces = self.dialect == Dialect::Ksh
                        || !in_double
                            && (self.dialect == Dialect::Mksh || self.dialect == Dialect::Zsh && !self.is_between_quotes);
                    let is_sign = |b| matches!(b, b'\\' | b'\'' | b'"' | b'$' | b'`') || b == b'{' && has_braces;
                    let run = self.run(|b| is_sign(b) || ends.contains(&b));
                    push_run(&mut parts, run);
                }
            }
        }
    }
}

/// Whether zsh may look up a program in such a word: behind `=`, where it begins or behind a colon (zshexpn(1), «`=`
/// expansion»).
fn looks_up(parts: &[Part]) -> bool {
    let is_sign = |text: &Text| text.starts_with(b"=") && (text.len() > 1 || parts.len() > 1);
    let begins = matches!(parts.first(), Some(Part::Text(text)) if is_sign(text));
    begins || parts.iter().any(|part| matches!(part, Part::Text(text) if memchr::memmem::find(text, b":=").is_some()))
}

/// Whether bash and ksh read a quoted text otherwise where quotes stand around the whole parameter: to them a backslash in
/// there is one outside of quotes, and so are braces (measured: 5.2, 93u+m).
fn is_odd_within_quotes(text: &[u8]) -> bool {
    let mut bytes = text.iter();
    let mut before = b' ';
    while let Some(byte) = bytes.next() {
        match byte {
            b'\\' if bytes.next().is_some_and(|next| !b"$`\"\\\n".contains(next)) => return true,
            b'{' if before != b'$' => return true,
            _ => before = *byte,
        }
    }
    false
}

/// How long commands in parentheses are, from the first to the one that closes it, where that is plain to see.
fn substitution(text: &[u8]) -> Option<usize> {
    let (mut open, mut at) = (0_usize, 0);
    loop {
        match text.get(at)? {
            b'(' => open += 1,
            b')' if open == 1 => return Some(at + 1),
            b')' => open -= 1,
            b'\\' => at += 1,
            b'\'' => at += 1 + memchr::memchr(b'\'', text.get(at + 1..)?)?,
            b'"' => {
                let inside = text.get(at + 1..)?;
                let length = memchr::memchr(b'"', inside)?;
                // What stands in there may have quotes of its own again.
                if inside.get(..length)?.iter().any(|b| b"\\(`".contains(b)) {
                    return None;
                }
                at += 1 + length;
            }
            b'#' | b'`' => return None,
            _ => {}
        }
        at += 1;
    }
}

/// Whether bash, which forgets about quotes within quotes, finds something where they are gone: braces, or a name that goes
/// on behind a quote (measured: 5.2).
pub(super) fn are_quotes_lost(text: &[u8]) -> bool {
    if !text.contains(&b'"') {
        return false;
    }
    // Whether a name is being read, and whether a quote was passed in it.
    let (mut name, mut passed) = (None, false);
    let mut bytes = text.iter().copied().enumerate();
    while let Some((at, byte)) = bytes.next() {
        // Commands have quotes of their own.
        if byte == b'$' && text.get(at + 1) == Some(&b'(') {
            let Some(length) = substitution(text.get(at + 1..).unwrap_or_default()) else { return true };
            bytes.nth(length - 1);
            (name, passed) = (None, false);
            continue;
        }
        name = match (byte, name) {
            (b'$', _) => Some(0),
            (b'"', Some(length)) => {
                passed = true;
                Some(length)
            }
            (b'{', None | Some(1..)) => return true,
            (b'0'..=b'9', Some(0)) => None,
            (byte, Some(_)) if is_name(byte) && passed => return true,
            (byte, Some(length)) if is_name(byte) => Some(length + 1),
            (b'\\', _) => {
                bytes.next();
                None
            }
            _ => None,
        };
        passed &= name.is_some();
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The texts as they stand between the braces of `"${…}"`.
    #[test]
    fn quotes_that_are_lost_are_found() {
        for (text, are_lost) in [
            ("U-x", false),
            ("U+$(echo \"$U\" | awk '{print}') ; ", false),
            ("U+$(echo \"$(cd)\" {a}) ; ", true),
            ("U+$(echo \"$U\")\"{a", true),
            ("U-\"x y\"", false),
            ("U-\"$S\"", false),
            ("U-\"$S\" b", false),
            ("U-\"$S\"/b", false),
            ("U-\"${S}\"b", false),
            ("U-\"$1\"b", false),
            ("U-\"\\$S\"b", false),
            ("U-$S\"${S}\"", false),
            // A name goes on behind a quote.
            ("U-\"$S\"b", true),
            ("U-x\"$S\"\"b\"", true),
            ("U-\"$\"S", true),
            // Braces stand outside of the quotes.
            ("U-\"{a,b}\"", true),
            ("C#\"x\"{a,b}", true),
            ("U-{a,b}", false),
        ] {
            assert_eq!(are_quotes_lost(text.as_bytes()), are_lost, "{text}");
        }
    }

    #[test]
    fn what_is_read_as_if_without_quotes_is_found() {
        for (text, is_odd) in [
            ("\"a b\"", false),
            ("\"a\\$b\"", false),
            ("\"a\\\\b\"", false),
            ("\"${S}\"", false),
            ("\"a\\c\"", true),
            ("\"\\ \"", true),
            ("\"{a,b}\"", true),
            ("\"a\\\\\\c\"", true),
        ] {
            assert_eq!(is_odd_within_quotes(text.as_bytes()), is_odd, "{text}");
        }
    }
}
