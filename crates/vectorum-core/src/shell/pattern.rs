//! Patterns of the shell (POSIX, Shell Command Language, 2.13), with the groups that ksh has before them,
//! `@(a|b)` and its kin, and those of zsh, `(a|b)`.

/// A pattern, taken apart.
#[derive(Clone, Debug)]
pub(super) struct Pattern(Vec<Token>);

#[derive(Clone, Debug)]
enum Token {
    Byte(u8),
    One,
    Any,
    Class(bool, Vec<(u8, u8)>),
    Group(Times, Vec<Vec<Token>>),
}

/// How often one of a group's patterns is to match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Times {
    Once,
    AtMostOnce,
    Any,
    AtLeastOnce,
    /// None of them is to match.
    Not,
}

/// Which groups a pattern may have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Groups {
    /// None: what looks like one is not followed.
    None,
    /// A sign before a parenthesis, as ksh and bash have it.
    Signs,
    /// A parenthesis alone, as zsh has it.
    Plain,
}

/// Longer texts are not tried against groups.
const LONGEST: usize = 1000;

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
    /// If it uses more than POSIX has and these groups, or bytes beyond ASCII where characters count.
    pub(super) fn new(text: &[u8], quoted: &[bool], groups: Groups) -> Result<Pattern, NotFollowed> {
        let mut taker = Taker { text, quoted, groups, at: 0 };
        let tokens = taker.sequence(0)?;
        Ok(Pattern(tokens))
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
        if self.counts_characters() && !text.is_ascii() || self.has_groups() && text.len() > LONGEST {
            return Err(NotFollowed);
        }
        Ok(self.fits(text))
    }

    fn counts_characters(&self) -> bool {
        // A group may end within a character.
        self.0.iter().any(|t| matches!(t, Token::One | Token::Class(..) | Token::Group(..)))
    }

    fn has_groups(&self) -> bool {
        self.0.iter().any(|t| matches!(t, Token::Group(..)))
    }

    /// Whether a text's first and last bytes speak against a match.
    fn may_fit(&self, text: &[u8]) -> bool {
        let fits = |token: Option<&Token>, byte| !matches!(token, Some(Token::Byte(want)) if byte != Some(want));
        fits(self.0.first(), text.first()) && fits(self.0.last(), text.last())
    }

    fn fits(&self, text: &[u8]) -> bool {
        if self.has_groups() {
            return ends(&self.0, text, vec![true]).get(text.len()).copied().unwrap_or(false);
        }
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
        if text.len() > 20_000 && !self.is_text() || self.has_groups() && text.len() > 200 {
            return Err(NotFollowed);
        }
        let fits = |length: &usize| {
            let part = if at_end { text.get(text.len() - length..) } else { text.get(..*length) };
            part.is_some_and(|p| self.may_fit(p) && self.fits(p))
        };
        Ok(if longest { (0..=text.len()).rev().find(fits) } else { (0..=text.len()).find(fits) })
    }
}

/// Where a match can end that begins at one of some places: a place is an index into these lists. Taking all
/// places along at once bounds the work, whatever the pattern.
fn ends(tokens: &[Token], text: &[u8], begin: Vec<bool>) -> Vec<bool> {
    let mut places = begin;
    places.resize(text.len() + 1, false);
    for token in tokens {
        let step = |fits: &dyn Fn(u8) -> bool| {
            let mut next = vec![false; text.len() + 1];
            for (at, byte) in text.iter().enumerate() {
                if places.get(at) == Some(&true)
                    && fits(*byte)
                    && let Some(place) = next.get_mut(at + 1)
                {
                    *place = true;
                }
            }
            next
        };
        places = match token {
            Token::Byte(want) => step(&|b| b == *want),
            Token::One => step(&|_| true),
            Token::Class(negated, ranges) => step(&|b| ranges.iter().any(|(from, to)| *from <= b && b <= *to) != *negated),
            Token::Any => {
                let first = places.iter().position(|p| *p).unwrap_or(places.len());
                (0..places.len()).map(|at| at >= first).collect()
            }
            Token::Group(times, alternatives) => group(*times, alternatives, text, &places),
        };
    }
    places
}

fn group(times: Times, alternatives: &[Vec<Token>], text: &[u8], begin: &[bool]) -> Vec<bool> {
    let once = |begin: &[bool]| {
        let each = alternatives.iter().map(|tokens| ends(tokens, text, begin.to_vec()));
        each.fold(vec![false; text.len() + 1], |a, b| a.iter().zip(b).map(|(a, b)| *a || b).collect::<Vec<bool>>())
    };
    let with = |a: &[bool], b: &[bool]| a.iter().zip(b).map(|(a, b)| *a || *b).collect::<Vec<bool>>();
    match times {
        Times::Once => once(begin),
        Times::AtMostOnce => with(begin, &once(begin)),
        Times::Any | Times::AtLeastOnce => {
            let mut all = once(begin);
            loop {
                let more = with(&all, &once(&all));
                if more == all {
                    break;
                }
                all = more;
            }
            if times == Times::Any { with(begin, &all) } else { all }
        }
        Times::Not => {
            let mut out = vec![false; text.len() + 1];
            for at in (0..begin.len()).filter(|at| begin.get(*at) == Some(&true)) {
                let alone: Vec<bool> = (0..begin.len()).map(|other| other == at).collect();
                for (place, is_end) in out.iter_mut().zip(once(&alone)).skip(at) {
                    *place |= !is_end;
                }
            }
            out
        }
    }
}

/// Takes a pattern apart from its beginning to its end.
struct Taker<'a> {
    text: &'a [u8],
    quoted: &'a [bool],
    groups: Groups,
    at: usize,
}

/// Groups lie no deeper in each other.
const DEEPEST: usize = 20;

/// How a pattern may be of another kind by its brackets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Brackets {
    /// All are closed.
    Usual,
    /// One is not, and so a sign like others, or an error.
    Open,
    /// A class is negated and ends at once, or begins with the bracket.
    Negated,
}

/// What is the matter with a pattern's brackets.
pub(super) fn brackets(text: &[u8], quoted: &[bool]) -> Brackets {
    let mut found = Brackets::Usual;
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        if *byte == b'[' && !quoted.get(at).copied().unwrap_or(false) {
            if matches!(text.get(at + 1..at + 3), Some(b"!]" | b"^]")) {
                found = Brackets::Negated;
            }
            match class(text, quoted, at) {
                Ok(Some((_, end))) => at = end,
                Ok(None) => return Brackets::Open,
                Err(NotFollowed) => {}
            }
        } else if *byte == b'\\' {
            at += 1;
        }
        at += 1;
    }
    found
}

impl Taker<'_> {
    fn is_plain(&self, at: usize) -> bool {
        !self.quoted.get(at).copied().unwrap_or(false)
    }

    fn has(&self, at: usize, byte: u8) -> bool {
        self.text.get(at) == Some(&byte) && self.is_plain(at)
    }

    /// Takes tokens up to the end, or in a group up to what ends one of its patterns.
    fn sequence(&mut self, depth: usize) -> Result<Vec<Token>, NotFollowed> {
        let mut out = Vec::new();
        while let Some(byte) = self.text.get(self.at).copied() {
            let at = self.at;
            let is_plain = self.is_plain(at);
            if depth > 0 && is_plain && matches!(byte, b'|' | b')') {
                break;
            }
            let has_sign = is_plain && b"?*+@!".contains(&byte) && self.has(at + 1, b'(');
            let times = match self.groups {
                Groups::None if has_sign => return Err(NotFollowed),
                Groups::Signs if has_sign => Some(match byte {
                    b'?' => Times::AtMostOnce,
                    b'*' => Times::Any,
                    b'+' => Times::AtLeastOnce,
                    b'@' => Times::Once,
                    _ => Times::Not,
                }),
                // Flags, and ranges of numbers.
                Groups::Plain if is_plain && byte == b'(' && self.has(at + 1, b'#') => return Err(NotFollowed),
                Groups::Plain if is_plain && byte == b'<' => return Err(NotFollowed),
                Groups::Plain if is_plain && byte == b'(' => Some(Times::Once),
                _ => None,
            };
            if let Some(times) = times {
                self.at += if self.groups == Groups::Signs { 2 } else { 1 };
                out.push(Token::Group(times, self.alternatives(depth + 1)?));
                continue;
            }
            match byte {
                b'*' if is_plain => out.push(Token::Any),
                b'?' if is_plain => out.push(Token::One),
                b'\\' if is_plain => {
                    // What an expansion brought: it quotes in a pattern.
                    if let Some(next) = self.text.get(at + 1) {
                        out.push(Token::Byte(*next));
                        self.at += 1;
                    } else {
                        out.push(Token::Byte(b'\\'));
                    }
                }
                b'[' if is_plain => match class(self.text, self.quoted, at)? {
                    Some((token, end)) => {
                        out.push(token);
                        self.at = end;
                    }
                    None => out.push(Token::Byte(b'[')),
                },
                byte => out.push(Token::Byte(byte)),
            }
            self.at += 1;
        }
        Ok(out)
    }

    /// Takes a group's patterns and the parenthesis that ends it.
    fn alternatives(&mut self, depth: usize) -> Result<Vec<Vec<Token>>, NotFollowed> {
        if depth > DEEPEST {
            return Err(NotFollowed);
        }
        let mut out = Vec::new();
        loop {
            out.push(self.sequence(depth)?);
            match self.text.get(self.at) {
                Some(b'|') => self.at += 1,
                Some(_) => {
                    self.at += 1;
                    return Ok(out);
                }
                None => return Err(NotFollowed),
            }
        }
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
        let is_range = text.get(at + 1) == Some(&b'-') && !quoted.get(at + 1).copied().unwrap_or(false);
        if is_range && to.is_some_and(|t| t != b']') {
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
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn brackets_are_looked_at_as_they_are_read() {
        for (text, expected) in [
            ("a*", Brackets::Usual),
            ("[a-z]*[]x]", Brackets::Usual),
            ("a[b", Brackets::Open),
            ("[a]b[", Brackets::Open),
            (r"a\[b", Brackets::Usual),
            ("[[:alpha:]]", Brackets::Usual),
            ("a[!]b]", Brackets::Negated),
            ("a[^]]", Brackets::Negated),
            ("a[!b]", Brackets::Usual),
        ] {
            assert_eq!(brackets(text.as_bytes(), &vec![false; text.len()]), expected, "{text}");
        }
        assert_eq!(brackets(b"a[b", &[true; 3]), Brackets::Usual);
    }

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
            let pattern = Pattern::new(pattern.as_bytes(), &[], Groups::None).unwrap();
            assert_eq!(pattern.matches(text.as_bytes()), Ok(matches), "{text}");
        }
        assert!(Pattern::new(b"@(a|b)", &[], Groups::None).is_err());
        assert_eq!(Pattern::new(b"?", &[], Groups::None).unwrap().matches("é".as_bytes()), Err(NotFollowed));
        assert_eq!(Pattern::new(b"*", &[true], Groups::None).unwrap().matches(b"x"), Ok(false));
        let slash = Pattern::new(b"*/", &[], Groups::None).unwrap();
        assert_eq!((slash.part(b"/a/b", false, true), slash.part(b"/a/b", false, false)), (Ok(Some(3)), Ok(Some(1))));
    }

    proptest! {
        /// The part that is found is the first among all that match, from the short ones or the long ones.
        #[test]
        fn parts_are_the_shortest_or_the_longest_that_match(pattern in "[ab*?:]{0,5}", text in "[ab:]{0,8}", at_end: bool, longest: bool) {
            let pattern = Pattern::new(pattern.as_bytes(), &[], Groups::None).expect("a pattern");
            let text = text.as_bytes();
            let matching = (0..=text.len()).filter(|length| {
                let part = if at_end { &text[text.len() - length..] } else { &text[..*length] };
                pattern.matches(part) == Ok(true)
            });
            let expected = if longest { matching.max() } else { matching.min() };
            prop_assert_eq!(pattern.part(text, at_end, longest), Ok(expected));
        }
    }

    #[test]
    fn groups_match_as_often_as_they_say() {
        for (pattern, groups, text, matches) in [
            ("@(abc|d*)", Groups::Signs, "dxyz", true),
            ("@(abc|def)", Groups::Signs, "abcdef", false),
            ("?(a)b", Groups::Signs, "b", true),
            ("?(a)b", Groups::Signs, "aab", false),
            ("*(ab|c)", Groups::Signs, "abcab", true),
            ("*(ab|c)", Groups::Signs, "", true),
            ("+(ab|c)", Groups::Signs, "", false),
            ("+([0-9])", Groups::Signs, "4711", true),
            ("!(*~|*.bak)", Groups::Signs, "gate", true),
            ("!(*~|*.bak)", Groups::Signs, "gate.bak", false),
            ("a!(b)c", Groups::Signs, "abc", false),
            ("a!(b)c", Groups::Signs, "abbc", true),
            ("@(a|@(b|+(c)))x", Groups::Signs, "cccx", true),
            ("xterm(-256color|)", Groups::Plain, "xterm", true),
            ("(a|b)*(c)", Groups::Plain, "bxxc", true),
            ("@(a)", Groups::Plain, "@a", true),
        ] {
            let taken = Pattern::new(pattern.as_bytes(), &[], groups).unwrap();
            assert_eq!(taken.matches(text.as_bytes()), Ok(matches), "{pattern} {text}");
        }
        for (pattern, groups) in [("(#i)a", Groups::Plain), ("<1-9>", Groups::Plain), ("@(a", Groups::Signs)] {
            assert!(Pattern::new(pattern.as_bytes(), &[], groups).is_err(), "{pattern}");
        }
        let hostile = Pattern::new(b"*(*(*(a)))b", &[], Groups::Signs).unwrap();
        assert_eq!(hostile.matches(&[b'a'; 500]), Ok(false));
    }
}
