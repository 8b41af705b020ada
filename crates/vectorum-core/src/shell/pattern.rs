//! Patterns of the shell (POSIX, Shell Command Language, 2.13).

/// A pattern, taken apart.
#[derive(Clone, Debug)]
pub(super) struct Pattern(Vec<Token>);

#[derive(Clone, Debug)]
enum Token {
    Byte(u8),
    One,
    Any,
    Class(bool, Vec<(u8, u8)>),
}

/// Why a pattern is not followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct NotFollowed;

/// Whether a text fits a pattern that has no sign but stars.
pub(super) fn fits_stars(pattern: &[u8], text: &[u8]) -> bool {
    let mut pieces = pattern.split(|b| *b == b'*');
    let first = pieces.next().unwrap_or_default();
    let Some(mut rest) = text.strip_prefix(first) else { return false };
    let Some(last) = pieces.next_back() else { return rest.is_empty() };
    for piece in pieces {
        let Some(at) = memchr::memmem::find(rest, piece) else { return false };
        rest = rest.get(at + piece.len()..).unwrap_or_default();
    }
    rest.ends_with(last)
}

impl Pattern {
    /// Takes a pattern apart; each byte with whether it was quoted.
    ///
    /// # Errors
    /// If it uses more than POSIX has, or bytes beyond ASCII where characters count.
    pub(super) fn new(text: &[u8], quoted: &[bool]) -> Result<Pattern, NotFollowed> {
        let mut out = Vec::new();
        let mut at = 0;
        let plain = |at: usize| !quoted.get(at).copied().unwrap_or(false);
        while let Some(byte) = text.get(at).copied() {
            let is_plain = plain(at);
            let next = text.get(at + 1).copied();
            if is_plain && b"?*+@!".contains(&byte) && next == Some(b'(') && plain(at + 1) {
                return Err(NotFollowed);
            }
            match byte {
                b'*' if is_plain => out.push(Token::Any),
                b'?' if is_plain => out.push(Token::One),
                b'\\' if is_plain => {
                    // What an expansion brought: it quotes in a pattern.
                    if let Some(next) = next {
                        out.push(Token::Byte(next));
                        at += 1;
                    } else {
                        out.push(Token::Byte(b'\\'));
                    }
                }
                b'[' if is_plain => match class(text, quoted, at)? {
                    Some((token, end)) => {
                        out.push(token);
                        at = end;
                    }
                    None => out.push(Token::Byte(b'[')),
                },
                byte => out.push(Token::Byte(byte)),
            }
            at += 1;
        }
        Ok(Pattern(out))
    }

    /// Whether it is a text without any sign.
    pub(super) fn is_text(&self) -> bool {
        self.0.iter().all(|t| matches!(t, Token::Byte(_)))
    }

    /// Whether a text matches as a whole.
    ///
    /// # Errors
    /// If single characters count, and the text has some beyond ASCII.
    pub(super) fn matches(&self, text: &[u8]) -> Result<bool, NotFollowed> {
        if self.counts_characters() && !text.is_ascii() {
            return Err(NotFollowed);
        }
        Ok(self.fits(text))
    }

    fn counts_characters(&self) -> bool {
        self.0.iter().any(|t| matches!(t, Token::One | Token::Class(..)))
    }

    fn fits(&self, text: &[u8]) -> bool {
        // Goes back to the last `*` only: linear in the pattern times the text.
        let (mut token, mut at) = (0, 0);
        let mut back: Option<(usize, usize)> = None;
        loop {
            let fits = match (self.0.get(token), text.get(at)) {
                (Some(Token::Any), _) => {
                    back = Some((token, at));
                    token += 1;
                    continue;
                }
                (None, None) => return true,
                (Some(Token::Byte(want)), Some(byte)) => want == byte,
                (Some(Token::One), Some(_)) => true,
                (Some(Token::Class(negated, ranges)), Some(byte)) => {
                    ranges.iter().any(|(from, to)| from <= byte && byte <= to) != *negated
                }
                _ => false,
            };
            if fits {
                token += 1;
                at += 1;
            } else if let Some((star, from)) = back {
                if from >= text.len() {
                    return false;
                }
                back = Some((star, from + 1));
                token = star + 1;
                at = from + 1;
            } else {
                return false;
            }
        }
    }

    /// Returns the part of a text that it takes at the front or at the end, the shortest or the longest.
    ///
    /// # Errors
    /// As for [`Pattern::matches`].
    pub(super) fn part(&self, text: &[u8], at_end: bool, longest: bool) -> Result<Option<usize>, NotFollowed> {
        if self.counts_characters() && !text.is_ascii() {
            return Err(NotFollowed);
        }
        // A part of a long text against many stars is looked for in vain only so long.
        if text.len() > 20_000 && !self.is_text() {
            return Err(NotFollowed);
        }
        let mut lengths: Vec<usize> = (0..=text.len()).collect();
        if longest {
            lengths.reverse();
        }
        Ok(lengths.into_iter().find(|length| {
            let part = if at_end { text.get(text.len() - length..) } else { text.get(..*length) };
            part.is_some_and(|p| self.fits(p))
        }))
    }
}

fn class(text: &[u8], quoted: &[bool], from: usize) -> Result<Option<(Token, usize)>, NotFollowed> {
    let mut at = from + 1;
    let negated = matches!(text.get(at), Some(b'!' | b'^')) && !quoted.get(at).copied().unwrap_or(false);
    at += usize::from(negated);
    let mut ranges = Vec::new();
    let first = at;
    loop {
        let Some(byte) = text.get(at).copied() else { return Ok(None) };
        let is_quoted = quoted.get(at).copied().unwrap_or(false);
        if !byte.is_ascii() {
            return Err(NotFollowed);
        }
        if byte == b']' && at > first && !is_quoted {
            return Ok(Some((Token::Class(negated, ranges), at)));
        }
        if byte == b'[' && !is_quoted && matches!(text.get(at + 1), Some(b':' | b'.' | b'=')) {
            let rest = text.get(at + 2..).unwrap_or_default();
            let Some(end) = memchr::memmem::find(rest, b":]") else { return Err(NotFollowed) };
            ranges.extend_from_slice(match rest.get(..end).unwrap_or_default() {
                b"alpha" => &[(b'a', b'z'), (b'A', b'Z')],
                b"digit" => &[(b'0', b'9')],
                b"alnum" => &[(b'a', b'z'), (b'A', b'Z'), (b'0', b'9')],
                b"upper" => &[(b'A', b'Z')],
                b"lower" => &[(b'a', b'z')],
                b"space" => &[(b' ', b' '), (9, 13)],
                b"blank" => &[(b' ', b' '), (9, 9)],
                b"xdigit" => &[(b'a', b'f'), (b'A', b'F'), (b'0', b'9')],
                b"punct" => &[(b'!', b'/'), (b':', b'@'), (b'[', b'`'), (b'{', b'~')],
                _ => return Err(NotFollowed),
            });
            at += 2 + end + 2;
            continue;
        }
        let byte = if byte == b'\\' && !is_quoted {
            at += 1;
            text.get(at).copied().unwrap_or(b'\\')
        } else {
            byte
        };
        let to = text.get(at + 2).copied();
        if text.get(at + 1) == Some(&b'-') && to.is_some_and(|t| t != b']') {
            let to = to.unwrap_or(byte);
            // What lies between letters is the locale's to say.
            let same = |f: fn(&u8) -> bool| f(&byte) && f(&to);
            if !(same(u8::is_ascii_digit) || same(u8::is_ascii_lowercase) || same(u8::is_ascii_uppercase)) {
                return Err(NotFollowed);
            }
            ranges.push((byte, to));
            at += 3;
        } else {
            ranges.push((byte, byte));
            at += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_that_match() {
        for (pattern, text, matches) in [
            ("q*|none", "q*|none", true),
            ("q*", "q16z", true),
            ("*i*", "himB", true),
            ("*i*", "hmB", false),
            (":*", ":", true),
            ("*a*b*c", "xxaxxbxxc", true),
            ("*a*b*c", "xxaxxbxx", false),
            ("[a-c]?", "b1", true),
            ("[!a-c]?", "b1", false),
            ("[]x]", "]", true),
            ("[[:digit:]]", "4", true),
            ("[", "[", true),
            ("\\*", "*", true),
            ("", "", true),
        ] {
            let pattern = Pattern::new(pattern.as_bytes(), &[]).unwrap();
            assert_eq!(pattern.matches(text.as_bytes()), Ok(matches), "{text}");
        }
        assert!(Pattern::new(b"@(a|b)", &[]).is_err());
        assert_eq!(Pattern::new(b"?", &[]).unwrap().matches("é".as_bytes()), Err(NotFollowed));
        assert_eq!(Pattern::new(b"*", &[true]).unwrap().matches(b"x"), Ok(false));
        let slash = Pattern::new(b"*/", &[]).unwrap();
        assert_eq!((slash.part(b"/a/b", false, true), slash.part(b"/a/b", false, false)), (Ok(Some(3)), Ok(Some(1))));
    }
}
