//! Words of fish, from bytes to parts: quotes, references, braces and patterns.

use std::sync::Arc;

use bytes::Bytes;

use super::{DEEPEST, Parsed, Parser, Part, Word};
use crate::shell::Trouble;
use crate::shell::fish::words::FILE_PATTERN;

/// Whether a word ends before a byte.
pub(super) fn ends_word(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b'<' | b'>' | b')')
}

/// Whether a byte is more than itself in a word, or ends it.
fn is_sign(byte: u8) -> bool {
    ends_word(byte) || matches!(byte, b'(' | b'[' | b']' | b'{' | b'}' | b',' | b'\'' | b'"' | b'$' | b'*' | b'?' | b'~' | b'\\')
}

/// Two texts as one.
fn behind(left: &Bytes, right: &Bytes) -> Bytes {
    match (left.is_empty(), right.is_empty()) {
        (true, _) => right.clone(),
        (_, true) => left.clone(),
        _ => [&left[..], right].concat().into(),
    }
}

impl Parser<'_> {
    pub(super) fn word(&mut self) -> Parsed<Option<Word>> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return self.odd("words lie too deep in each other");
        }
        let word = self.word_here();
        self.depth -= 1;
        word
    }

    fn word_here(&mut self) -> Parsed<Option<Word>> {
        let start = self.at;
        let mut parts = Vec::with_capacity(1);
        // It stands for a number there (measured: 3.6).
        const SELF: &[u8] = b"%self";
        let rest = self.text.get(start..).unwrap_or_default();
        if self.braces == 0 && rest.starts_with(SELF) && rest.get(SELF.len()).is_none_or(|next| ends_word(*next) || *next == b'/')
        {
            self.at += SELF.len();
            parts.push(Part::Unfollowed("the shell's own process number, made anew at each start"));
        }
        loop {
            let from = self.at;
            self.pass_text(start);
            match parts.last_mut() {
                _ if self.at == from => {}
                // A line goes on within a text.
                Some(Part::Text(text)) => *text = behind(text, &self.since(from)),
                _ => parts.push(Part::Text(self.since(from))),
            }
            match self.peek(0) {
                Some(b'}') if self.braces == 0 => return self.wrong("a brace that was not opened"),
                None | Some(b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b')' | b'<' | b'>' | b']' | b'}' | b',') => break,
                // Behind other signs a bracket is closed, and goes over blanks (measured: 3.6).
                Some(b'[') => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    let Some(close) = memchr::memchr(b']', rest) else { return self.wrong("a bracket is not closed") };
                    let inside = rest.get(..close).unwrap_or_default();
                    let has = |signs: &[u8]| inside.iter().any(|b| signs.contains(b));
                    if has(b"()") && !has(b"$") || has(b" \t\n;|&<>") && has(b"$'\"\\") {
                        return self.odd("a word with blanks in brackets");
                    }
                    if has(b"{") != has(b"}") || inside.ends_with(b"\\") {
                        return self.odd("a sign in brackets that may close them");
                    }
                    // Unless something is expanded in there it is text.
                    let length = if has(b"$(*?~{'\"\\") { 1 } else { close + 1 };
                    self.at += length;
                    let sign = self.since(self.at - length);
                    match parts.last_mut() {
                        Some(Part::Text(text)) => *text = behind(text, &sign),
                        _ => parts.push(Part::Text(sign)),
                    }
                }
                Some(b'\'') => parts.push(Part::Quoted(self.single()?)),
                Some(b'"') => self.double(&mut parts)?,
                Some(b'$') if self.peek(1) == Some(b'(') => {
                    self.at += 1;
                    parts.push(self.output(false)?);
                }
                Some(b'$') => parts.push(self.name(false)?),
                Some(b'(') => parts.push(self.output(false)?),
                Some(b'{') => self.braces(&mut parts)?,
                Some(b'*') if self.peek(1) != Some(b'*') && !matches!(parts.last(), Some(Part::Star)) => {
                    self.at += 1;
                    parts.push(Part::Star);
                }
                Some(b'*' | b'?') => {
                    self.at += 1;
                    parts.push(Part::Unfollowed(FILE_PATTERN));
                }
                Some(b'\\') => self.escape(&mut parts)?,
                // A tilde at the beginning: all else is text.
                Some(_) => {
                    self.at += 1;
                    if self.braces == 0 && self.peek(0).is_none_or(|b| b"/ \t\n;)".contains(&b)) {
                        parts.push(Part::Name(Bytes::from_static(b"HOME"), true, None));
                    } else {
                        parts.push(Part::Unfollowed("somebody's home folder"));
                    }
                }
            }
        }
        Ok((self.at > start).then_some(Word { parts }))
    }

    /// Passes over what is text in a word that begins at a place.
    fn pass_text(&mut self, start: usize) {
        loop {
            self.pass(is_sign);
            match self.peek(0) {
                // Within a word it is text.
                Some(b'&') if self.at > start && self.peek(1).is_some_and(|b| !ends_word(b)) => self.at += 1,
                Some(b']') if !self.is_chosen => self.at += 1,
                Some(b'[') if self.at == start && self.braces == 0 => self.at += 1,
                Some(b',') if self.braces == 0 => self.at += 1,
                Some(b'~') if self.at > start => self.at += 1,
                _ => return,
            }
        }
    }

    /// Takes a text in single quotes.
    fn single(&mut self) -> Parsed<Bytes> {
        self.at += 1;
        let mut quoted = Bytes::new();
        loop {
            let from = self.at;
            self.pass(|b| matches!(b, b'\'' | b'\\'));
            quoted = behind(&quoted, &self.since(from));
            let from = match (self.peek(0), self.peek(1)) {
                (None, _) => return self.wrong("a quote is not closed"),
                (Some(b'\\'), Some(b'\'' | b'\\')) => {
                    self.at += 2;
                    self.at - 1
                }
                (Some(b'\\'), _) => {
                    self.at += 1;
                    self.at - 1
                }
                _ => {
                    self.at += 1;
                    return Ok(quoted);
                }
            };
            quoted = behind(&quoted, &self.since(from));
        }
    }

    /// Takes one of several words in braces; without a comma and a variable they are a text.
    fn braces(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        let (start, outer) = (self.at, self.braces);
        let mut words = Vec::new();
        self.at += 1;
        self.braces += 1;
        loop {
            words.push(self.word()?.unwrap_or(Word { parts: Vec::new() }));
            self.at += 1;
            match self.text.get(self.at - 1) {
                Some(b',') => {}
                Some(b'}') => break,
                // Blanks and line ends in braces are taken in a way of their own.
                _ => return self.odd("braces of fish"),
            }
        }
        self.braces = outer;
        let is_text = |p: &Part| matches!(p, Part::Text(_) | Part::Quoted(_));
        match &words[..] {
            [one] if one.parts.is_empty() => parts.push(Part::Quoted(self.since(start))),
            [one] if one.parts.iter().all(is_text) => {
                parts.push(Part::Quoted(Bytes::from_static(b"{")));
                parts.extend(one.parts.iter().cloned());
                parts.push(Part::Quoted(Bytes::from_static(b"}")));
            }
            _ => parts.push(Part::Braces(words)),
        }
        Ok(())
    }

    fn escape(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        let Some(next) = self.peek(1) else { return self.wrong("a backslash at the end") };
        self.at += 2;
        let plain = match next {
            // What looks like a comment there is taken in a way of its own.
            b'\n' if self.peek(0) == Some(b'#') => return self.odd("a comment between joined lines"),
            b'\n' => return Ok(()),
            b'n' => b'\n',
            b't' => b'\t',
            b'r' => b'\r',
            b'a' => 7,
            b'b' => 8,
            b'e' => 27,
            b'f' => 12,
            b'v' => 11,
            b'x' | b'X' | b'u' | b'U' if !self.peek(0).is_some_and(|b| b.is_ascii_hexdigit()) => {
                return self.wrong("a byte by its number without one");
            }
            b'c' if !self.peek(0).is_some_and(|b| b.is_ascii_alphabetic() || b"]^_\\[`~".contains(&b)) => {
                return self.wrong("a control character that is none");
            }
            b'c' if self.peek(0).is_some_and(|b| b"^\\[`~".contains(&b)) => return self.odd("a control character"),
            b'x' | b'X' | b'u' | b'U' | b'c' | b'0'..=b'7' => {
                parts.push(Part::Unfollowed("a byte by its number"));
                return Ok(());
            }
            other => other,
        };
        parts.push(Part::Quoted(Bytes::copy_from_slice(&[plain])));
        Ok(())
    }

    fn double(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        self.at += 1;
        let before = parts.len();
        let mut quoted = Bytes::new();
        loop {
            let from = self.at;
            self.pass(|b| matches!(b, b'"' | b'\\' | b'$'));
            quoted = behind(&quoted, &self.since(from));
            match (self.peek(0), self.peek(1)) {
                (None, _) => return self.wrong("a quote is not closed"),
                (Some(b'"'), _) => break,
                (Some(b'\\'), Some(b'\n')) => self.at += 2,
                (Some(b'\\'), Some(b'"' | b'\\' | b'$')) => {
                    self.at += 2;
                    quoted = behind(&quoted, &self.since(self.at - 1));
                }
                (Some(b'\\'), _) => {
                    self.at += 1;
                    quoted = behind(&quoted, &self.since(self.at - 1));
                }
                (_, next) => {
                    if !quoted.is_empty() {
                        parts.push(Part::Quoted(std::mem::take(&mut quoted)));
                    }
                    if next == Some(b'(') {
                        self.at += 1;
                        parts.push(self.output(true)?);
                    } else {
                        parts.push(self.name(true)?);
                    }
                }
            }
        }
        self.at += 1;
        // Quotes with nothing between them are an empty word.
        if !quoted.is_empty() || parts.len() == before {
            parts.push(Part::Quoted(quoted));
        }
        Ok(())
    }

    fn name(&mut self, quoted: bool) -> Parsed<Part> {
        self.at += 1;
        let from = self.at;
        while self.peek(0).is_some_and(|b| b.is_ascii_alphanumeric() || b == b'_' || b >= 0x80) {
            self.at += 1;
        }
        let name = self.since(from);
        if self.peek(0) == Some(b'\\') && self.peek(1) == Some(b'\n') {
            return self.odd("a name over two lines");
        }
        if name.is_empty() {
            if self.peek(0) != Some(b'$') {
                return self.wrong("a dollar without a name");
            }
            self.depth += 1;
            if self.depth > DEEPEST {
                return self.odd("words lie too deep in each other");
            }
            let named = self.name(false)?;
            self.depth -= 1;
            return Ok(Part::Through(Box::new(named), quoted, self.chosen(quoted)?));
        }
        Ok(Part::Name(name, quoted, self.chosen(quoted)?))
    }

    /// Which items are taken: `[2]`, `[2..-1]`, `[$i]`.
    fn chosen(&mut self, quoted: bool) -> Parsed<Option<Arc<Vec<Word>>>> {
        match self.chosen_here() {
            // Between quotes it is one of a list's that is wrong.
            Err(trouble) if quoted => Err(Trouble { is_error: false, ..trouble }),
            chosen => chosen,
        }
    }

    fn chosen_here(&mut self) -> Parsed<Option<Arc<Vec<Word>>>> {
        if self.peek(0) != Some(b'[') {
            return Ok(None);
        }
        self.at += 1;
        let outer = std::mem::replace(&mut self.is_chosen, true);
        let mut words = Vec::new();
        loop {
            while self.peek(0) == Some(b' ') {
                self.at += 1;
            }
            match self.peek(0) {
                Some(b']') => break,
                None => return self.wrong("a bracket is not closed"),
                _ => {}
            }
            match self.word()? {
                Some(word) => words.push(word),
                None => return self.odd("a part of a list"),
            }
        }
        self.at += 1;
        self.is_chosen = outer;
        Ok(Some(Arc::new(words)))
    }

    fn output(&mut self, quoted: bool) -> Parsed<Part> {
        let from = self.at;
        self.at += 1;
        let outer = (std::mem::take(&mut self.is_chosen), std::mem::take(&mut self.braces));
        let jobs = self.jobs()?;
        if self.peek(0) != Some(b')') {
            return self.wrong("a parenthesis is not closed");
        }
        self.at += 1;
        // Brackets are to be closed there, whatever they are (measured: 3.6).
        if has_open_bracket(self.text.get(from..self.at).unwrap_or_default()) {
            return self.odd("a bracket that is open within commands");
        }
        (self.is_chosen, self.braces) = outer;
        Ok(Part::Output(Arc::new(jobs), quoted, self.chosen(quoted)?))
    }
}

/// Whether more brackets are opened than closed outside of quotes.
fn has_open_bracket(text: &[u8]) -> bool {
    let (mut open, mut quote) = (0_i32, None);
    let mut bytes = text.iter();
    while let Some(byte) = bytes.next() {
        match (byte, quote) {
            (b'\\', _) => drop(bytes.next()),
            (byte, Some(end)) if *byte == end => quote = None,
            (_, Some(_)) => {}
            (b'\'' | b'"', None) => quote = Some(*byte),
            (b'[', None) => open += 1,
            (b']', None) => open -= 1,
            _ => {}
        }
    }
    open > 0
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The parts of a word, each by a letter for its kind: text, quoted, name, output, braces, star, not followed.
    fn told(parts: &[Part]) -> String {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let sign = |quoted: &bool| if *quoted { "\"" } else { "" };
        let chosen = |words: &Option<Arc<Vec<Word>>>| match words {
            Some(words) => format!("[{}]", words.iter().map(|word| told(&word.parts)).collect::<Vec<_>>().join(" ")),
            None => String::new(),
        };
        let one = |part: &Part| match part {
            Part::Text(bytes) => format!("t:{}", text(bytes)),
            Part::Quoted(bytes) => format!("q:{}", text(bytes)),
            Part::Name(name, quoted, of) => format!("n{}:{}{}", sign(quoted), text(name), chosen(of)),
            Part::Through(named, quoted, of) => format!("n{}:{}{}", sign(quoted), told(std::slice::from_ref(named)), chosen(of)),
            Part::Output(jobs, quoted, of) => format!("o{}:{}{}", sign(quoted), jobs.len(), chosen(of)),
            Part::Braces(words) => format!("b:{}", words.iter().map(|word| told(&word.parts)).collect::<Vec<_>>().join("|")),
            Part::Star => "s".to_owned(),
            Part::Unfollowed(_) => "u".to_owned(),
        };
        parts.iter().map(one).collect::<Vec<_>>().join(",")
    }

    #[test]
    fn words_are_taken_apart_as_fish_takes_them() {
        for (text, parts) in [
            ("tide", "t:tide"),
            ("a.b/c-d_e=f:g", "t:a.b/c-d_e=f:g"),
            ("a&b", "t:a&b"),
            ("a]bc,d~e", "t:a]bc,d~e"),
            ("'a b'c", "q:a b,t:c"),
            (r"'it\'s \\ \n'", r"q:it's \ \n"),
            ("''", "q:"),
            ("\"\"", "q:"),
            (r#""a \"b\" \$c \\ \d""#, r#"q:a "b" $c \ \d"#),
            ("\"low $TIDE ebb\"", "q:low ,n\":TIDE,q: ebb"),
            ("\"$TIDE\"", "n\":TIDE"),
            ("\"$(tide)x\"", "o\":1,q:x"),
            ("a$TIDE", "t:a,n:TIDE"),
            ("$TIDE[1..-1]", "n:TIDE[t:1..-1]"),
            ("$TIDE[$at 2]x", "n:TIDE[n:at t:2],t:x"),
            ("$$TIDE", "n:n:TIDE"),
            ("(tide; gate)", "o:2"),
            ("$(tide)[1]", "o:1[t:1]"),
            ("~/quay", "n\":HOME,t:/quay"),
            ("~", "n\":HOME"),
            ("~odile", "u,t:odile"),
            ("a~", "t:a~"),
            ("x{1,$TIDE}y", "t:x,b:t:1|n:TIDE,t:y"),
            ("{a}", "q:{,t:a,q:}"),
            ("{}", "q:{}"),
            ("*.fish", "s,t:.fish"),
            ("**", "u,s"),
            ("a?", "t:a,u"),
            (r"a\ b", "t:a,q: ,t:b"),
            (r"\t\n\\", "q:\t,q:\n,q:\\"),
            (r"\x41", "u,t:41"),
            // A line that goes on is one text.
            ("ti\\\nde", "t:tide"),
        ] {
            let whole = Bytes::from(format!("{text} behind"));
            let mut parser = Parser::new(&whole, 0);
            let word = parser.word().ok().flatten();
            assert_eq!(word.as_ref().map(|word| told(&word.parts)).as_deref(), Some(parts), "{text}");
            assert_eq!(parser.at, text.len(), "{text}");
        }
    }

    #[test]
    fn words_that_are_none_say_why() {
        for (text, is_error) in [
            ("'open", true),
            ("\"open", true),
            ("\"open $TIDE", true),
            ("$", true),
            ("a\\", true),
            ("$TIDE[1", true),
            ("(tide", true),
            ("{a b}", false),
            ("$TI\\\nDE", false),
        ] {
            let whole = Bytes::from(text);
            let read = Parser::new(&whole, 0).word();
            assert_eq!(read.err().map(|trouble| trouble.is_error), Some(is_error), "{text}");
        }
        for text in ["", " a", ";", "|", ")", "> x"] {
            assert!(matches!(Parser::new(&Bytes::from(text), 0).word(), Ok(None)), "{text}");
        }
    }
}
