//! Words, taken apart: quotes, references, braces, here-documents' texts.

mod assignment;

use std::ops::Range;
use std::sync::Arc;

use bytes::Bytes;

use self::assignment::has_open_key;
use super::dollar_quotes;
use super::parse::{Parsed, Parser, ends_word, push_only};
use super::syntax::*;

/// Why a file is not read on where groups of patterns stand in it.
pub(super) const GROUPS_UNASKED: &str = "a pattern that bash reads only where the option is set";

pub(super) const OPEN_PARENTHESIS: &str = "a parenthesis is not closed";

/// So far back an opened brace is looked for.
const BRACES_BACK: usize = 256;

/// Whether a brace was opened in a word, not too far back, that is not closed yet.
fn is_brace_open(parts: &[Part]) -> bool {
    let texts = parts.iter().rev().take(BRACES_BACK).filter_map(|part| match part {
        Part::Text(text) => Some(text),
        _ => None,
    });
    let mut closed = 0_usize;
    for byte in texts.flat_map(|text| text.iter().rev()).take(BRACES_BACK) {
        match byte {
            b'}' => closed += 1,
            b'{' if closed == 0 => return true,
            b'{' => closed -= 1,
            _ => {}
        }
    }
    false
}

impl Parser<'_> {
    /// A word of a pattern, in which parentheses may stand.
    pub(super) fn pattern_word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let word = self.grouped(|p, byte, open, is_first| match byte {
            b'(' => match p.dialect {
                Dialect::Dash => false,
                Dialect::Zsh => true,
                _ if open > 0 || p.at == at => open > 0 || !is_first,
                // Only a sign that says how often it may come can stand before it.
                Dialect::Ksh => p.is_behind(b"?*+@!%~-}"),
                Dialect::Bash | Dialect::Mksh => p.is_behind(b"?*+@!"),
            },
            b')' | b'|' | b' ' | b'\t' | b'\n' => open > 0,
            b'<' | b'>' => match p.dialect {
                Dialect::Zsh => open > 0 || p.is_in_number_range(at),
                dialect => open > 0 && matches!(dialect, Dialect::Ksh | Dialect::Mksh),
            },
            b'&' | b';' => open > 0 && matches!(p.dialect, Dialect::Ksh | Dialect::Mksh),
            _ => false,
        })?;
        // There it would be a function.
        let has_none = |part: &Part| matches!(part, Part::Text(text) if memchr::memmem::find(text, b"()").is_some());
        if self.dialect == Dialect::Zsh && word.parts.iter().any(has_none) {
            return self.trouble_unfollowed("nothing between parentheses");
        }
        // A letter that is quoted means more than itself within a list there (measured: 93u+m).
        let text = self.text.get(at..self.at).unwrap_or_default();
        let is_quoted_letter = |pair: &[u8]| matches!(pair, [b'\\', letter] if letter.is_ascii_alphanumeric());
        if self.dialect == Dialect::Ksh && text.contains(&b'(') && text.windows(2).any(is_quoted_letter) {
            return self.trouble_unfollowed("a quoted letter in a list of patterns");
        }
        Ok(word)
    }

    fn is_behind(&self, signs: &[u8]) -> bool {
        self.at.checked_sub(1).and_then(|at| self.text.get(at)).is_some_and(|byte| signs.contains(byte))
    }

    /// Whether a sign of zsh's `<1-9>`, any number of a range, stands here, in a word that begins at a place.
    fn is_in_number_range(&self, from: usize) -> bool {
        let is_end = |text: &[u8]| {
            let digits = |text: &[u8]| text.iter().take_while(|b| b.is_ascii_digit()).count();
            let first = digits(text);
            let second = text.get(first + 1..).map_or(0, digits);
            text.get(first) == Some(&b'-') && text.get(first + 1 + second) == Some(&b'>')
        };
        let before = self.text.get(from..self.at).unwrap_or_default();
        match self.peek() {
            Some(b'<') => self.text.get(self.at + 1..).is_some_and(is_end),
            _ => memchr::memrchr(b'<', before).is_some_and(|at| self.text.get(from + at + 1..).is_some_and(is_end)),
        }
    }

    /// A word of a regular expression: parentheses stand anywhere, and signs of the shell's within them.
    pub(super) fn regex_word(&mut self) -> Parsed<Word> {
        if self.dialect == Dialect::Ksh && self.peek().is_some_and(|b| b")#".contains(&b)) {
            return self.trouble_unfollowed("a parenthesis in a test");
        }
        self.grouped(|p, byte, open, _| match byte {
            b'(' => true,
            b')' | b' ' | b'\t' => open > 0,
            // Outside of parentheses these stand for what they are elsewhere.
            b'<' | b'>' | b';' | b'&' if matches!(p.dialect, Dialect::Bash | Dialect::Zsh) => open > 0,
            b'|' if p.dialect == Dialect::Zsh => open > 0,
            b'|' | b'<' | b'>' | b';' | b'&' => !p.starts(b"&&") && !p.starts(b"||") || open > 0,
            _ => false,
        })
    }

    /// A word with signs in it that `takes`, told the sign, how many parentheses are open, and whether nothing
    /// stands before it.
    fn grouped(&mut self, takes: impl Fn(&Self, u8, usize, bool) -> bool) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Parts::new();
        let mut open = 0;
        loop {
            self.parts(&mut parts, false)?;
            let Some(byte) = self.peek().filter(|byte| takes(self, *byte, open, parts.is_empty())) else { break };
            match byte {
                b'(' => open += 1,
                b')' => open -= 1,
                _ => {}
            }
            push_run(&mut parts, self.run(|_| true));
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    pub(super) fn word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Parts::new();
        self.parts(&mut parts, false)?;
        // A list of alternatives in a pattern: `@(a|b)`, `*(N)` of zsh.
        let is_sign = |b: &u8| b"*?+@!".contains(b) || self.dialect == Dialect::Zsh && b"/)".contains(b);
        // Such signs may stand in the names of functions there.
        let is_definition = matches!(self.dialect, Dialect::Bash | Dialect::Zsh)
            && self.starts(b"()")
            && matches!(parts.last(), Some(Part::Text(t)) if t.last().is_some_and(|sign| b"!+@".contains(sign)));
        if self.peek() == Some(b'(')
            && self.dialect.is_rich()
            && !is_definition
            && (matches!(parts.last(), Some(Part::Text(t)) if t.last().is_some_and(is_sign))
                || self.at > at && self.is_qualified())
        {
            // With nothing in it, it is a function's name there but for an option.
            if self.dialect == Dialect::Bash && self.starts(b"()") {
                return self.trouble_unfollowed("a function by a name with signs of patterns");
            }
            self.at = at;
            self.takes_groups()?;
            return self.pattern_word();
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        let word = Word::new(parts, at, self.at);
        // Within such commands a brace is no word there, and a bracket goes on until it is closed (measured: 93u+m).
        let goes_on = |word: &Word| word.literal() == Some(b"}") || has_open_key(word) && word.end > word.at + 1;
        if self.dialect == Dialect::Ksh && self.outputs > 0 && goes_on(&word) {
            return self.trouble_unfollowed("a bracket or a brace alone within commands");
        }
        Ok(word)
    }

    /// bash takes groups of patterns only with an option, which may be on by another file.
    ///
    /// # Errors
    /// If whoever runs it does not ask about that option.
    pub(super) fn takes_groups(&self) -> Parsed<()> {
        match self.groups {
            _ if self.dialect != Dialect::Bash => Ok(()),
            Some(groups) => {
                groups.set(groups.get().or(Some(self.at)));
                Ok(())
            }
            None => self.trouble_unfollowed(GROUPS_UNASKED),
        }
    }

    /// Whether what stands in parentheses here are qualifiers of zsh's: `(N)`, `(.:t)`.
    fn is_qualified(&self) -> bool {
        let rest = self.text.get(self.at + 1..).unwrap_or_default();
        let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || b"./:-@^=*,[]+#".contains(b)).count();
        self.dialect == Dialect::Zsh && length > 0 && rest.get(length) == Some(&b')')
    }

    /// Takes the parts of a word, which may be what a name is set to.
    pub(super) fn parts(&mut self, parts: &mut Parts, is_value: bool) -> Parsed<()> {
        loop {
            let Some(byte) = self.peek() else { return Ok(()) };
            match byte {
                b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b')' => return Ok(()),
                b'(' => return Ok(()),
                b'<' | b'>' => {
                    if self.dialect.is_rich() && self.peek_at(1) == Some(b'(') && self.dialect != Dialect::Mksh {
                        self.at += 2;
                        let list = self.whole()?;
                        self.blanks();
                        if !self.take(b")") {
                            return self.trouble("a parenthesis is not closed");
                        }
                        parts.push(match byte {
                            b'<' => Part::Channel(Arc::new(Ok(list))),
                            _ => Part::Unfollowed("a file that another command reads"),
                        });
                        continue;
                    }
                    return Ok(());
                }
                b'\\' => {
                    match self.peek_at(1) {
                        // A tilde behind a joined line is none to ksh.
                        Some(b'\n') if self.dialect == Dialect::Ksh && self.peek_at(2) == Some(b'~') => {
                            parts.push(Part::Quoted(Text::of(b"")));
                        }
                        Some(b'\n') => {}
                        Some(_) => parts.push(Part::Quoted(Text::Stretch(self.cut(self.at + 1, self.at + 2)))),
                        None if matches!(self.dialect, Dialect::Bash | Dialect::Dash) => {
                            push_run(parts, self.cut(self.at, self.at + 1));
                        }
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                b'}' if self.dialect == Dialect::Zsh && !is_brace_open(parts) => {
                    // At the end of a word it ends the block there, but not behind what a name is set to.
                    let is_end = ends_word(self.peek_at(1));
                    if is_end && !is_value && !parts.is_empty() && self.braces > 0 {
                        return Ok(());
                    }
                    if is_end && !is_value || parts.is_empty() {
                        return self.trouble_unfollowed("a brace that zsh takes for an end");
                    }
                    push_run(parts, self.cut(self.at, self.at + 1));
                    self.at += 1;
                }
                b'\'' | b'"' => parts.push(self.quoted(byte)?),
                b'$' if self.dialect.is_rich() && self.peek_at(1) == Some(b'\'') => {
                    self.at += 2;
                    parts.push(self.escaped()?);
                }
                b'$' if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) && self.peek_at(1) == Some(b'"') => {
                    self.at += 1;
                }
                b'$' | b'`' => {
                    let part = self.deeper(|p| p.dollar(false))?;
                    match part {
                        Some(part) => parts.push(part),
                        None => push_run(parts, self.cut(self.at - 1, self.at)),
                    }
                }
                // The name of a file with what commands print.
                b'=' if self.dialect == Dialect::Zsh && parts.is_empty() && self.peek_at(1) == Some(b'(') => {
                    self.at += 2;
                    let list = self.whole()?;
                    self.blanks();
                    if !self.take(b")") {
                        return self.trouble("a parenthesis is not closed");
                    }
                    parts.push(Part::Channel(Arc::new(Ok(list))));
                }
                _ => {
                    let run = self.run(ends_text);
                    push_run(parts, run);
                }
            }
        }
    }

    /// Takes what a quote of either kind begins, up to its other end.
    pub(super) fn quoted(&mut self, quote: u8) -> Parsed<Part> {
        self.at += 1;
        if quote == b'"' {
            let inner = self.deeper(|p| p.double(Some(quote)))?;
            return if self.take(b"\"") { Ok(Part::Double(inner)) } else { self.trouble("a quote is not closed") };
        }
        let rest = self.text.get(self.at..).unwrap_or_default();
        let Some(length) = memchr::memchr(quote, rest) else {
            self.at -= 1;
            return self.trouble("a quote is not closed");
        };
        self.at += length + 1;
        Ok(Part::Quoted(Text::Stretch(self.cut(self.at - length - 1, self.at - 1))))
    }

    /// Takes what stands in double quotes, up to the byte that ends it, or to the end.
    pub(super) fn double(&mut self, end: Option<u8>) -> Parsed<Vec<Part>> {
        let mut parts: Vec<Part> = Vec::new();
        let quoted = |parts: &mut Vec<Part>, run: Bytes| match parts.last_mut() {
            Some(Part::Quoted(text)) => text.push(&run),
            _ => push_only(parts, Part::Quoted(Text::Stretch(run))),
        };
        loop {
            let Some(byte) = self.peek() else { return Ok(parts) };
            if Some(byte) == end {
                return Ok(parts);
            }
            match byte {
                b'\\' => match self.peek_at(1) {
                    Some(b'\n') => self.at += 2,
                    Some(next) if b"$`\\".contains(&next) || next == b'"' && end.is_some() => {
                        quoted(&mut parts, self.cut(self.at + 1, self.at + 2));
                        self.at += 2;
                    }
                    _ => quoted(&mut parts, self.run(|_| true)),
                },
                b'$' | b'`' => match self.deeper(|p| p.dollar(true))? {
                    Some(part) => push_only(&mut parts, part),
                    None => quoted(&mut parts, self.cut(self.at - 1, self.at)),
                },
                _ => quoted(&mut parts, self.run(|b| matches!(b, b'\\' | b'$' | b'`') || Some(b) == end)),
            }
        }
    }

    /// Takes the key or the index that is so far of the text. mksh loses itself in a change within one (measured: R59).
    pub(super) fn index(&self, stretch: Range<usize>) -> Parsed<Vec<Part>> {
        let place = self.within(stretch).key()?;
        match self.dialect == Dialect::Mksh && place.iter().any(is_changed) {
            true => self.trouble_unfollowed("a change within an index"),
            false => Ok(place),
        }
    }

    /// Takes a key or an index, up to the end: its quotes are none of it, but in zsh.
    pub(super) fn key(&mut self) -> Parsed<Vec<Part>> {
        if self.dialect == Dialect::Zsh {
            return self.double(None);
        }
        let mut parts: Vec<Part> = Vec::new();
        let quoted = |parts: &mut Vec<Part>, run: Bytes| match parts.last_mut() {
            Some(Part::Quoted(text)) => text.push(&run),
            _ => push_only(parts, Part::Quoted(Text::Stretch(run))),
        };
        while let Some(byte) = self.peek() {
            match byte {
                b'\'' => {
                    let rest = self.text.get(self.at + 1..).unwrap_or_default();
                    let Some(length) = memchr::memchr(b'\'', rest) else { return self.trouble("a quote is not closed") };
                    // Set apart: no number stands in them.
                    let inner = vec![Part::Quoted(Text::Stretch(self.cut(self.at + 1, self.at + 1 + length)))];
                    push_only(&mut parts, Part::Double(inner));
                    self.at += length + 2;
                }
                b'"' => {
                    self.at += 1;
                    let inner = self.double(Some(b'"'))?;
                    match self.dialect {
                        Dialect::Mksh => push_only(&mut parts, Part::Double(inner)),
                        _ if inner.is_empty() => push_only(&mut parts, Part::Quoted(Text::of(b""))),
                        _ => parts.extend(inner),
                    }
                    if !self.take(b"\"") {
                        return self.trouble("a quote is not closed");
                    }
                }
                b'\\' if self.peek_at(1).is_some() => {
                    quoted(&mut parts, self.cut(self.at + 1, self.at + 2));
                    self.at += 2;
                }
                b'$' | b'`' => match self.deeper(|p| p.dollar(true))? {
                    Some(part) => push_only(&mut parts, part),
                    None => quoted(&mut parts, self.cut(self.at - 1, self.at)),
                },
                _ => {
                    let from = self.at;
                    while self.peek().is_some_and(|b| !b"'\"\\$`".contains(&b)) {
                        self.at += 1;
                    }
                    // One that stands at the end is a sign like others.
                    self.at = self.at.max(from + 1);
                    quoted(&mut parts, self.cut(from, self.at));
                }
            }
        }
        Ok(parts)
    }

    /// Takes what stands in `$'…'`.
    pub(super) fn escaped(&mut self) -> Parsed<Part> {
        let from = self.at;
        loop {
            let taken = match (self.peek(), self.peek_at(1)) {
                (None, _) | (Some(b'\\'), None) => return self.trouble("a quote is not closed"),
                (Some(b'\''), _) => break,
                // There it takes a quote, too.
                (Some(b'\\'), Some(b'c')) if self.dialect == Dialect::Mksh => 3,
                (Some(b'\\'), Some(_)) => 2,
                _ => 1,
            };
            self.at += taken;
        }
        let part = dollar_quotes::part_of(&self.cut(from, self.at), self.dialect);
        self.at += 1;
        Ok(part)
    }
}

/// Whether a part is a parameter to which something is done.
pub(super) fn is_changed(part: &Part) -> bool {
    matches!(part, Part::Parameter(parameter) if parameter.change != Change::None)
}

/// Says what in a here-document is not followed: what changes variables, where it depends on the shell
/// which process that happens in; quotes within braces, of which each shell makes something else.
pub(super) fn odd_document(body: &[u8]) -> Option<&'static str> {
    let mut rest = body;
    while let Some(at) = memchr::memmem::find(rest, b"${") {
        rest = rest.get(at + 2..).unwrap_or_default();
        let inner = rest.get(..closing_brace(rest)).unwrap_or_default();
        if inner.iter().any(|b| b"=?^,@!~/".contains(b)) {
            return Some("a here-document that sets a variable, or fails");
        }
        if inner.iter().any(|b| b"\"'\\".contains(b)) {
            return Some("quotes within braces in a here-document");
        }
        // Commands in a pattern are not found to be closed by bash where nothing separates words (measured: 5.2).
        if inner.iter().any(|b| b"#%".contains(b)) && memchr::memmem::find(inner, b"$(").is_some() {
            return Some("commands in a pattern in a here-document");
        }
    }
    (memchr::memmem::find(body, b"$((").is_some() || body.contains(&0)).then_some("a sum in a here-document")
}

/// Where the brace stands that closes one before the text, with others in between; its end where there is none.
pub(super) fn closing_brace(text: &[u8]) -> usize {
    let (mut open, mut is_escaped) = (1, false);
    let closes = |byte: &u8| {
        open += match byte {
            _ if is_escaped => 0,
            b'{' => 1,
            b'}' => -1,
            _ => 0,
        };
        is_escaped = *byte == b'\\' && !is_escaped;
        open == 0
    };
    text.iter().position(closes).unwrap_or(text.len())
}

/// Whether a byte ends a stretch of plain text in a word.
fn ends_text(byte: u8) -> bool {
    matches!(
        byte,
        b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b'(' | b')' | b'<' | b'>' | b'\\' | b'}' | b'\'' | b'"' | b'$' | b'`'
    )
}

pub(super) fn push_run(parts: &mut Parts, run: Bytes) {
    match parts.last_mut() {
        Some(Part::Text(text)) => text.push(&run),
        _ => parts.push(Part::Text(Text::Stretch(run))),
    }
}

/// The text of a delimiter, and whether any of it is quoted.
pub(super) fn flat(parts: &[Part], out: &mut Vec<u8>, is_quoted: &mut bool) {
    for part in parts {
        match part {
            Part::Text(text) => out.extend_from_slice(text),
            Part::Quoted(text) => {
                out.extend_from_slice(text);
                *is_quoted = true;
            }
            Part::Coded(coded) => {
                out.extend_from_slice(&coded.utf8);
                *is_quoted = true;
            }
            Part::Double(inner) => {
                *is_quoted = true;
                flat(inner, out, is_quoted);
            }
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const DIALECTS: [Dialect; 5] = [Dialect::Dash, Dialect::Bash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh];

    fn text_of(word: &str, dialect: Dialect) -> (String, bool) {
        let bytes = Bytes::copy_from_slice(word.as_bytes());
        let word = Parser::new(&bytes, dialect).word().expect("a word");
        let (mut text, mut is_quoted) = (Vec::new(), false);
        flat(&word.parts, &mut text, &mut is_quoted);
        (String::from_utf8_lossy(&text).into_owned(), is_quoted)
    }

    #[test]
    fn quotes_are_taken_off() {
        for (word, text, is_quoted) in [
            ("high", "high", false),
            ("h\\\nigh", "high", false),
            ("high\\ tide", "high tide", true),
            ("'high tide'", "high tide", true),
            ("\"high tide\"x", "high tidex", true),
            ("\"a\\\"b\\\\c\\d\\$e\"", "a\"b\\c\\d$e", true),
            ("\"a\\\nb\"", "ab", true),
            ("a'b'\"c\"\\d", "abcd", true),
            ("''", "", true),
        ] {
            for dialect in DIALECTS {
                assert_eq!(text_of(word, dialect), (text.to_owned(), is_quoted), "{word} {dialect:?}");
            }
        }
        for (word, text) in [("$'a\\tb\\x41\\101\\u00e9\\cA\\q'", "a\tbAAé\u{1}\\q"), ("$'a\\0b'c", "ac"), ("$'it\\'s'", "it's")]
        {
            assert_eq!(text_of(word, Dialect::Bash), (text.to_owned(), true), "{word}");
        }
    }

    #[test]
    fn what_a_here_document_holds_may_be_odd() {
        for (body, is_odd) in [
            ("plain $A ${A} ${A%x} ${#A} ${A:-x}", false),
            ("${A:=x}", true),
            ("${A?no}", true),
            ("${A:-'x'}", true),
            ("${A#\\x}", true),
            ("${A/x/y}", true),
            ("a = b ' \" $A", false),
            ("$((1 + 1))", true),
            ("a\0b", true),
        ] {
            assert_eq!(odd_document(body.as_bytes()).is_some(), is_odd, "{body}");
        }
    }

    proptest! {
        /// However a text is quoted, it is read back; a word that is cut out of a file shares its bytes.
        #[test]
        fn what_is_quoted_is_read_back(text in "[ -~é]{0,20}") {
            let single = format!("'{}'", text.replace('\'', "'\\''"));
            let double: String = text.chars().flat_map(|c| "\\\"$`".contains(c).then_some('\\').into_iter().chain([c])).collect();
            for dialect in DIALECTS {
                prop_assert_eq!(&text_of(&single, dialect).0, &text);
                prop_assert_eq!(&text_of(&format!("\"{double}\""), dialect).0, &text);
            }
        }
    }
}
