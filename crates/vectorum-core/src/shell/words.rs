//! Words, taken apart: quotes, references, braces, here-documents' texts.

use std::rc::Rc;

use super::parse::{Parsed, Parser, is_name, is_name_start};
use super::syntax::*;

/// A subscript that is a sum or a pattern of zsh's, which may be wrong.
pub(super) const ODD_SUBSCRIPT: &str = "a subscript that zsh works out";

/// A parameter that may be none that the shell takes: then it is an error when it is expanded.
pub(super) const ODD_SHAPE: &str = "a parameter of another shape";

impl Parser<'_> {
    /// A word of a pattern, in which parentheses may stand.
    pub(super) fn pattern_word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        let mut open = 0;
        loop {
            let before = self.at;
            self.parts(&mut parts)?;
            match self.peek() {
                Some(b'(')
                    if self.dialect.is_rich()
                        && (open > 0 || before != self.at || !parts.is_empty() || self.dialect == Dialect::Zsh) =>
                {
                    open += 1;
                }
                Some(b')') if open > 0 => open -= 1,
                Some(b'|') if open > 0 => {}
                Some(b' ' | b'\t' | b'\n') if open > 0 => {}
                Some(b'<' | b'>') if self.dialect == Dialect::Zsh && open > 0 => {}
                _ => break,
            }
            if let Some(byte) = self.peek() {
                push_text(&mut parts, byte);
                self.at += 1;
            }
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    pub(super) fn regex_word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        let mut open = 0;
        loop {
            self.parts(&mut parts)?;
            match self.peek() {
                Some(b'(') => open += 1,
                Some(b')') if open > 0 => open -= 1,
                Some(b'|' | b'<' | b'>' | b';' | b'&') if !self.starts(b"&&") && !self.starts(b"||") || open > 0 => {}
                Some(b' ' | b'\t') if open > 0 => {}
                _ => break,
            }
            if let Some(byte) = self.peek() {
                push_text(&mut parts, byte);
                self.at += 1;
            }
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    /// Takes an assignment, if one stands here.
    pub(super) fn assignment(&mut self) -> Parsed<Option<Assignment>> {
        let at = self.at;
        if !self.peek().is_some_and(is_name_start) {
            return Ok(None);
        }
        let mut length = 1;
        while self.peek_at(length).is_some_and(is_name) {
            length += 1;
        }
        let name = self.text.get(at..at + length).unwrap_or_default().to_vec();
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
            let mut inner = Parser::new(rest.get(1..close).unwrap_or_default(), self.dialect);
            inner.depth = self.depth;
            key = Some(inner.double(None)?);
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
        let mut parts = Vec::new();
        self.parts(&mut parts)?;
        if self.dialect == Dialect::Mksh && self.starts(b"<<") && parts.is_empty() {
            return Err(Trouble { at, what: "a here-document as a value", is_error: false });
        }
        let word = Word::new(parts, from, self.at);
        Ok(Some(Assignment { name, key, adds, value: Assigned::Word(word), at }))
    }

    /// Takes the words of an array up to its parenthesis.
    pub(super) fn array(&mut self) -> Parsed<Vec<Word>> {
        let mut words = Vec::new();
        loop {
            self.lines()?;
            match self.peek() {
                Some(b')') => {
                    self.at += 1;
                    return Ok(words);
                }
                None | Some(b'&' | b'|' | b';' | b'<' | b'>') => return self.trouble("a parenthesis is not closed"),
                Some(b'(') => return self.parenthesis(),
                _ => words.push(self.word()?),
            }
        }
    }

    pub(super) fn word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        self.parts(&mut parts)?;
        // A list of alternatives in a pattern: `@(a|b)`, `*(N)` of zsh.
        if self.peek() == Some(b'(')
            && self.dialect.is_rich()
            && matches!(parts.last(), Some(Part::Text(t)) if t.last().is_some_and(|b| b"*?+@!".contains(b) || self.dialect == Dialect::Zsh && b"/)".contains(b)))
        {
            self.at = at;
            return self.pattern_word();
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    /// Takes the parts of a word.
    pub(super) fn parts(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        loop {
            let Some(byte) = self.peek() else { return Ok(()) };
            match byte {
                b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b')' => return Ok(()),
                b'(' => return Ok(()),
                b'<' | b'>' => {
                    if self.dialect.is_rich() && self.peek_at(1) == Some(b'(') && self.dialect != Dialect::Mksh {
                        self.at += 2;
                        self.whole()?;
                        self.blanks();
                        if !self.take(b")") {
                            return self.trouble("a parenthesis is not closed");
                        }
                        parts.push(Part::Unfollowed("a file that another command writes"));
                        continue;
                    }
                    return Ok(());
                }
                b'\\' => {
                    match self.peek_at(1) {
                        // A tilde behind a joined line is none to ksh.
                        Some(b'\n') if self.dialect == Dialect::Ksh && self.peek_at(2) == Some(b'~') => {
                            parts.push(Part::Quoted(Vec::new()));
                        }
                        Some(b'\n') => {}
                        Some(next) => parts.push(Part::Quoted(vec![next])),
                        None if matches!(self.dialect, Dialect::Bash | Dialect::Dash) => push_text(parts, b'\\'),
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                b'}' if self.dialect == Dialect::Zsh && !matches!(parts.last(), Some(Part::Text(t)) if t.contains(&b'{')) => {
                    return Err(Trouble { at: self.at, what: "a brace that zsh takes for an end", is_error: false });
                }
                b'\'' => {
                    let from = self.at + 1;
                    let rest = self.text.get(from..).unwrap_or_default();
                    let Some(length) = memchr::memchr(b'\'', rest) else { return self.trouble("a quote is not closed") };
                    parts.push(Part::Quoted(rest.get(..length).unwrap_or_default().to_vec()));
                    self.at = from + length + 1;
                }
                b'"' => {
                    self.at += 1;
                    let inner = self.deeper(|p| p.double(Some(b'"')))?;
                    if !self.take(b"\"") {
                        return self.trouble("a quote is not closed");
                    }
                    parts.push(Part::Double(inner));
                }
                b'$' if self.dialect.is_rich() && self.peek_at(1) == Some(b'\'') => {
                    self.at += 2;
                    let text = self.escaped()?;
                    parts.push(Part::Quoted(text));
                }
                b'$' if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) && self.peek_at(1) == Some(b'"') => {
                    self.at += 1;
                }
                b'$' | b'`' => {
                    let part = self.deeper(|p| p.dollar(false))?;
                    match part {
                        Some(part) => parts.push(part),
                        None => push_text(parts, b'$'),
                    }
                }
                byte => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    let length = rest.iter().take_while(|b| is_calm(**b)).count();
                    if length > 1 {
                        push_texts(parts, rest.get(..length).unwrap_or_default());
                    } else {
                        push_text(parts, byte);
                    }
                    self.at += length.max(1);
                }
            }
        }
    }

    /// Takes what stands in double quotes, up to the byte that ends it, or to the end.
    pub(super) fn double(&mut self, end: Option<u8>) -> Parsed<Vec<Part>> {
        let mut parts: Vec<Part> = Vec::new();
        let quoted = |parts: &mut Vec<Part>, byte: u8| match parts.last_mut() {
            Some(Part::Quoted(text)) => text.push(byte),
            _ => parts.push(Part::Quoted(vec![byte])),
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
                        quoted(&mut parts, next);
                        self.at += 2;
                    }
                    _ => {
                        quoted(&mut parts, b'\\');
                        self.at += 1;
                    }
                },
                b'$' | b'`' => match self.deeper(|p| p.dollar(true))? {
                    Some(part) => parts.push(part),
                    None => quoted(&mut parts, b'$'),
                },
                byte => {
                    quoted(&mut parts, byte);
                    self.at += 1;
                }
            }
        }
    }

    /// Takes what stands in `$'…'`.
    fn escaped(&mut self) -> Parsed<Vec<u8>> {
        let mut out = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a quote is not closed") };
            self.at += 1;
            if byte == b'\'' {
                // A NUL ends the text.
                if let Some(end) = memchr::memchr(0, &out) {
                    out.truncate(end);
                }
                return Ok(out);
            }
            if byte != b'\\' {
                out.push(byte);
                continue;
            }
            let Some(next) = self.peek() else { return self.trouble("a quote is not closed") };
            self.at += 1;
            match next {
                b'n' => out.push(b'\n'),
                b't' => out.push(b'\t'),
                b'r' => out.push(b'\r'),
                b'a' => out.push(7),
                b'b' => out.push(8),
                b'e' | b'E' => out.push(27),
                b'f' => out.push(12),
                b'v' => out.push(11),
                b'\\' | b'\'' | b'"' | b'?' => out.push(next),
                b'x' => match self.number(16, 2) {
                    Some(n) => out.push(n as u8),
                    None => out.extend_from_slice(b"\\x"),
                },
                b'0'..=b'7' => {
                    self.at -= 1;
                    out.push(self.number(8, 3).unwrap_or(0) as u8);
                }
                b'u' | b'U' => {
                    let most = if next == b'u' { 4 } else { 8 };
                    match self.number(16, most).and_then(char::from_u32) {
                        Some(c) => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
                        None => out.extend_from_slice(&[b'\\', next]),
                    }
                }
                b'c' => {
                    if let Some(control) = self.peek() {
                        self.at += 1;
                        out.push(control.to_ascii_uppercase() & 0x1f);
                    }
                }
                other => out.extend_from_slice(&[b'\\', other]),
            }
        }
    }

    pub(super) fn number(&mut self, base: u32, most: usize) -> Option<u32> {
        let mut value: u32 = 0;
        let mut taken = 0;
        while taken < most
            && let Some(digit) = self.peek().and_then(|b| char::from(b).to_digit(base))
        {
            value = value.wrapping_mul(base).wrapping_add(digit);
            self.at += 1;
            taken += 1;
        }
        (taken > 0).then_some(value)
    }

    /// Takes what begins with `$` or a backtick; `None` for a dollar that is only one.
    pub(super) fn dollar(&mut self, in_double: bool) -> Parsed<Option<Part>> {
        if self.peek() == Some(b'`') {
            return self.backticks(in_double).map(Some);
        }
        self.at += 1;
        match self.peek() {
            Some(b'(') if self.peek_at(1) == Some(b'(') => {
                let from = self.at;
                if let Some(inner) = self.balanced_sum() {
                    let mut parser = Parser::new(&inner, self.dialect);
                    parser.depth = self.depth;
                    return Ok(Some(Part::Sum(parser.double(None)?)));
                }
                self.at = from;
                self.output().map(Some)
            }
            Some(b'(') => self.output().map(Some),
            Some(b'[') if self.dialect == Dialect::Bash || self.dialect == Dialect::Zsh => Ok(Some(self.skip_brackets())),
            Some(b'{') => self.braced(in_double).map(Some),
            Some(byte) if is_name_start(byte) => {
                let from = self.at;
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
                let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
                // A joined line goes on with the name.
                if self.starts(b"\\\n") && self.peek_at(2).is_some_and(|b| is_name(b) || b >= 0x80) {
                    return Ok(Some(Part::Unfollowed("a name over two lines")));
                }
                if self.dialect == Dialect::Zsh && self.peek().is_none_or(|b| b < 0x80) {
                    return self.zsh_tail(name);
                }
                if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && self.peek().is_some_and(|b| b >= 0x80) {
                    return Ok(Some(Part::Unfollowed("a name with letters beyond ASCII")));
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::None }))))
            }
            Some(b'+') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(is_name_start) => {
                self.at += 1;
                self.is_set().map(Some)
            }
            Some(byte) if byte.is_ascii_digit() || b"@*#?-$!".contains(&byte) => {
                self.at += 1;
                // In zsh `$#name` is a length.
                if self.dialect == Dialect::Zsh && byte == b'#' && self.peek().is_some_and(|b| is_name(b) || b"@*".contains(&b)) {
                    return Ok(Some(Part::Unfollowed("a length as zsh writes it")));
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name: vec![byte], key: None, change: Change::None }))))
            }
            _ => Ok(None),
        }
    }

    /// Takes a name and a key behind `+`.
    pub(super) fn is_set(&mut self) -> Parsed<Part> {
        let from = self.at;
        while self.peek().is_some_and(is_name) {
            self.at += 1;
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        let mut key = None;
        if self.peek() == Some(b'[') {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let Some(close) = rest.iter().position(|b| *b == b']') else { return self.trouble("a bracket is not closed") };
            let text = rest.get(1..close).unwrap_or_default();
            self.at += close + 1;
            if text.iter().any(|b| b"$`'\"\\(){}*?".contains(b)) {
                return Ok(Part::Unfollowed("a key that is not known"));
            }
            key = Some(text.to_vec());
        }
        Ok(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::IsSet(key) })))
    }

    /// Takes modifiers of zsh's, if they are followed.
    pub(super) fn modifiers(&mut self) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        while self.peek() == Some(b':') {
            let letter = self.peek_at(1).filter(|b| b"htrelu".contains(b))?;
            if self.peek_at(2).is_some_and(|b| b.is_ascii_alphanumeric()) {
                return None;
            }
            out.push(letter);
            self.at += 2;
        }
        (!out.is_empty()).then_some(out)
    }

    /// In zsh a subscript or a modifier may follow a bare name.
    fn zsh_tail(&mut self, name: Vec<u8>) -> Parsed<Option<Part>> {
        let keyed = move |key, change| Ok(Some(Part::Parameter(Box::new(Parameter { name, key, change }))));
        match self.peek() {
            Some(b'[') => {
                let rest = self.text.get(self.at..).unwrap_or_default();
                match rest.iter().position(|b| *b == b']') {
                    Some(close) => {
                        self.at += close + 1;
                        let text = rest.get(1..close).unwrap_or_default();
                        let is_number =
                            !text.is_empty() && text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit);
                        if is_number && text != b"-" && !self.peek().is_some_and(|b| b"[:".contains(&b)) {
                            let key = Some(vec![Part::Quoted(text.to_vec())]);
                            return keyed(key, Change::None);
                        }
                        let is_plain = !text.is_empty() && text.iter().all(|b| b.is_ascii_digit() || b"-,@*".contains(b));
                        keyed(None, Change::Unfollowed(if is_plain { "a subscript" } else { ODD_SUBSCRIPT }))
                    }
                    None => keyed(None, Change::None),
                }
            }
            Some(b':') if self.peek_at(1).is_some_and(|b| b"aAcehlpPqQrstuwW&".contains(&b)) => {
                let from = self.at;
                if self.peek_at(1) != Some(b'q')
                    && let Some(letters) = self.modifiers()
                {
                    return keyed(None, Change::Parts(letters));
                }
                self.at = from;
                let change =
                    if self.peek_at(1) == Some(b'q') { Change::Quote } else { Change::Unfollowed("a modifier of zsh's") };
                self.at += 2;
                keyed(None, change)
            }
            _ => keyed(None, Change::None),
        }
    }

    fn skip_brackets(&mut self) -> Part {
        let rest = self.text.get(self.at..).unwrap_or_default();
        self.at += rest.iter().position(|b| *b == b']').map_or(rest.len(), |at| at + 1);
        Part::Unfollowed("a sum as it was once written")
    }

    /// Takes `((…))` from its first parenthesis; returns what stands inside, if it is closed so.
    pub(super) fn balanced_sum(&mut self) -> Option<Vec<u8>> {
        let from = self.at + 2;
        let mut open = 2;
        let mut at = from;
        while let Some(byte) = self.text.get(at) {
            match byte {
                b'(' => open += 1,
                b')' => {
                    open -= 1;
                    if open == 1 && self.text.get(at + 1) != Some(&b')') {
                        return None;
                    }
                    if open == 0 {
                        self.at = at + 1;
                        return self.text.get(from..at - 1).map(<[u8]>::to_vec);
                    }
                }
                b'\'' | b'"' if open == 2 && *byte == b'\'' => return None,
                b'\\' => at += 1,
                _ => {}
            }
            at += 1;
        }
        None
    }

    pub(super) fn output(&mut self) -> Parsed<Part> {
        self.at += 1;
        let list = self.whole()?;
        self.blanks();
        if !self.take(b")") {
            return self.trouble("a command in parentheses is not closed");
        }
        Ok(Part::Output(Rc::new(Ok(list))))
    }

    fn backticks(&mut self, in_double: bool) -> Parsed<Part> {
        self.at += 1;
        let mut inner = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a backtick is not closed") };
            self.at += 1;
            match byte {
                b'`' => break,
                b'\\' => match self.peek() {
                    Some(next) if b"`\\$".contains(&next) || next == b'"' && in_double => {
                        inner.push(next);
                        self.at += 1;
                    }
                    _ => inner.push(b'\\'),
                },
                byte => inner.push(byte),
            }
        }
        let mut parser = Parser::new(&inner, self.dialect);
        parser.depth = self.depth;
        let list = parser
            .whole()
            .and_then(|list| if parser.at < inner.len() { parser.trouble("this cannot stand here") } else { Ok(list) });
        Ok(Part::Output(Rc::new(list)))
    }

    pub(super) fn braced(&mut self, in_double: bool) -> Parsed<Part> {
        let start = self.at;
        self.at += 1;
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'+') && self.peek_at(1).is_some_and(is_name_start) {
            self.at += 1;
            let part = self.is_set()?;
            if self.take(b"}") {
                return Ok(part);
            }
            self.skip_braces(start)?;
            return Ok(Part::Unfollowed(ODD_SHAPE));
        }
        if self.dialect == Dialect::Zsh
            && let Some(part) = self.flagged()
        {
            return Ok(part);
        }
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'(')
            || matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && self.peek().is_some_and(|b| b == b' ' || b == b'|')
        {
            self.skip_braces(start)?;
            let text = self.text.get(start..self.at).unwrap_or_default();
            // A quoted text is no parameter; what a command prints is one.
            let is_odd =
                memchr::memmem::find(text, b")\"").is_some_and(|at| !text.get(at + 2).is_some_and(|b| b"$`".contains(b)));
            return Ok(Part::Unfollowed(if is_odd { ODD_SHAPE } else { "flags of a parameter" }));
        }
        let mut change = Change::None;
        if self.peek() == Some(b'#') && self.peek_at(1).is_some_and(|b| b != b'}' && (is_name(b) || b"@*#?-$!".contains(&b))) {
            self.at += 1;
            change = Change::Length;
        } else if self.peek() == Some(b'!') && self.dialect == Dialect::Bash && self.peek_at(1).is_some_and(is_name_start) {
            self.at += 1;
            change = Change::Indirect;
        }
        let from = self.at;
        match self.peek() {
            Some(byte) if is_name_start(byte) => {
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
            }
            Some(byte) if byte.is_ascii_digit() => {
                while self.peek().is_some_and(|b| b.is_ascii_digit()) {
                    self.at += 1;
                }
            }
            Some(b'$') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(|b| b"{(".contains(&b)) => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed("a parameter of zsh's own shape"));
            }
            Some(byte) if b"@*#?-$!".contains(&byte) => self.at += 1,
            // zsh's own shapes, such as a parameter within another.
            Some(b':' | b'^' | b'=' | b'~') if self.dialect == Dialect::Zsh => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed("a parameter of zsh's own shape"));
            }
            _ => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed(ODD_SHAPE));
            }
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        let mut key = None;
        if self.peek() == Some(b'[') && self.dialect.is_rich() {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let Some(close) = closing(rest) else { return self.trouble("a bracket is not closed") };
            let mut inner = Parser::new(rest.get(1..close).unwrap_or_default(), self.dialect);
            inner.depth = self.depth;
            key = Some(inner.double(None)?);
            self.at += close + 1;
        }
        let whole = |change| Ok(Part::Parameter(Box::new(Parameter { name, key, change })));
        if self.take(b"}") {
            return whole(change);
        }
        if change != Change::None {
            self.skip_braces(start)?;
            return whole(Change::Unfollowed(ODD_SHAPE));
        }
        let colon = self.peek() == Some(b':') && self.peek_at(1).is_some_and(|b| b"-=?+".contains(&b));
        if colon {
            self.at += 1;
        }
        let change = match self.peek() {
            Some(sign @ (b'-' | b'=' | b'?' | b'+')) => {
                self.at += 1;
                Change::Instead(sign, colon, self.inner_word(in_double, b"}")?)
            }
            Some(sign @ (b'#' | b'%')) => {
                self.at += 1;
                let longest = self.peek() == Some(sign);
                self.at += usize::from(longest);
                Change::Trim(sign == b'%', longest, self.inner_word(false, b"}")?)
            }
            Some(b'/') if self.dialect.is_rich() => {
                self.at += 1;
                let how = match self.peek() {
                    Some(how @ (b'/' | b'#' | b'%')) => {
                        self.at += 1;
                        how
                    }
                    _ => b' ',
                };
                let pattern = self.inner_word(false, b"/}")?;
                let with = if self.take(b"/") { self.inner_word(false, b"}")? } else { Word::default() };
                Change::Replace(pattern, with, how)
            }
            Some(b':') if self.dialect.is_rich() => {
                if self.dialect == Dialect::Zsh
                    && self.peek_at(1).is_some_and(|b| b.is_ascii_alphabetic() || b == b'#' || b == b'|')
                {
                    if let Some(letters) = self.modifiers()
                        && self.take(b"}")
                    {
                        return whole(Change::Parts(letters));
                    }
                    self.skip_braces(start)?;
                    return whole(Change::Unfollowed("a modifier of zsh's"));
                }
                self.at += 1;
                let offset = self.inner_word(true, b":}")?.parts;
                let length = if self.take(b":") { Some(self.inner_word(true, b"}")?.parts) } else { None };
                Change::Slice(offset, length)
            }
            Some(sign @ (b'^' | b',')) if self.dialect == Dialect::Bash => {
                self.at += 1;
                let all = self.peek() == Some(sign);
                self.at += usize::from(all);
                if self.peek() == Some(b'}') {
                    Change::Case(sign == b'^', all)
                } else {
                    self.skip_braces(start)?;
                    return whole(Change::Unfollowed("a change of case by a pattern"));
                }
            }
            _ => {
                self.skip_braces(start)?;
                return whole(Change::Unfollowed(ODD_SHAPE));
            }
        };
        if !self.take(b"}") {
            return self.trouble("a brace is not closed");
        }
        whole(change)
    }

    /// Takes the rest of `${(FLAGS)NAME}` with flags of zsh's that are followed, a bare name and nothing more.
    fn flagged(&mut self) -> Option<Part> {
        let rest = self.text.get(self.at..)?;
        let close = rest.iter().position(|b| *b == b')')?;
        let flags = rest.get(..close)?.strip_prefix(b"(")?;
        let change = match flags {
            b"U" | b"L" => Change::Case(flags == b"U", true),
            [kind @ (b'j' | b's'), open, text @ .., end] if open == end && b":,.|/".contains(open) && !text.contains(open) => {
                if text.is_empty() {
                    return None;
                }
                if *kind == b'j' { Change::Join(text.to_vec()) } else { Change::Split(text.to_vec()) }
            }
            _ => return None,
        };
        let tail = rest.get(close + 1..)?;
        let length = tail.iter().take_while(|b| is_name(**b)).count();
        let name = tail.get(..length)?.to_vec();
        if !name.first().is_some_and(|b| is_name_start(*b)) || tail.get(length) != Some(&b'}') {
            return None;
        }
        self.at += close + 1 + length + 1;
        Some(Part::Parameter(Box::new(Parameter { name, key: None, change })))
    }

    /// Passes over `{…}` from its brace, whatever it holds.
    fn skip_braces(&mut self, start: usize) -> Parsed<()> {
        self.at = start;
        let mut open = 0;
        while let Some(byte) = self.peek() {
            self.at += 1;
            match byte {
                b'{' => open += 1,
                b'}' => {
                    open -= 1;
                    if open == 0 {
                        return Ok(());
                    }
                }
                b'\\' => self.at += 1,
                b'\'' => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\'', rest).map_or(0, |l| l + 1);
                }
                _ => {}
            }
        }
        self.trouble("a brace is not closed")
    }

    /// Takes the word inside braces, up to one of the ends.
    fn inner_word(&mut self, in_double: bool, ends: &[u8]) -> Parsed<Word> {
        let at = self.at;
        let mut parts: Vec<Part> = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a brace is not closed") };
            if ends.contains(&byte) {
                return Ok(Word::new(parts, at, self.at));
            }
            match byte {
                b'\\' => {
                    match self.peek_at(1) {
                        Some(b'\n') => {}
                        Some(next) if !in_double || b"$`\\\"}".contains(&next) => parts.push(Part::Quoted(vec![next])),
                        Some(next) => {
                            push_text(&mut parts, b'\\');
                            push_text(&mut parts, next);
                        }
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                b'\'' if !in_double => {
                    let rest = self.text.get(self.at + 1..).unwrap_or_default();
                    let Some(length) = memchr::memchr(b'\'', rest) else { return self.trouble("a quote is not closed") };
                    parts.push(Part::Quoted(rest.get(..length).unwrap_or_default().to_vec()));
                    self.at += length + 2;
                }
                b'"' => {
                    self.at += 1;
                    let inner = self.deeper(|p| p.double(Some(b'"')))?;
                    if !self.take(b"\"") {
                        return self.trouble("a quote is not closed");
                    }
                    parts.push(Part::Double(inner));
                }
                b'$' if !in_double && self.dialect.is_rich() && self.peek_at(1) == Some(b'\'') => {
                    self.at += 2;
                    let text = self.escaped()?;
                    parts.push(Part::Quoted(text));
                }
                b'$' | b'`' => match self.deeper(|p| p.dollar(in_double))? {
                    Some(part) => parts.push(part),
                    None => push_text(&mut parts, b'$'),
                },
                byte => {
                    push_text(&mut parts, byte);
                    self.at += 1;
                }
            }
        }
    }
}

/// Finds the bracket that closes the one at the front, with others in between.
fn closing(text: &[u8]) -> Option<usize> {
    let mut open = 0;
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        match byte {
            b'\\' => at += 1,
            b'[' => open += 1,
            b']' => {
                open -= 1;
                if open == 0 {
                    return Some(at);
                }
            }
            _ => {}
        }
        at += 1;
    }
    // One that is not balanced ends at the first.
    text.iter().position(|b| *b == b']')
}

/// Says what in a here-document is not followed: what changes variables, where it depends on the shell
/// which process that happens in; quotes within braces, of which each shell makes something else.
pub(super) fn odd_document(body: &[u8]) -> Option<&'static str> {
    let mut rest = body;
    while let Some(at) = memchr::memmem::find(rest, b"${") {
        rest = rest.get(at + 2..).unwrap_or_default();
        let inner = rest.get(..memchr::memchr(b'}', rest).unwrap_or(rest.len())).unwrap_or_default();
        if inner.iter().any(|b| b"=?^,@!~/".contains(b)) {
            return Some("a here-document that sets a variable, or fails");
        }
        if inner.iter().any(|b| b"\"'\\".contains(b)) {
            return Some("quotes within braces in a here-document");
        }
    }
    (memchr::memmem::find(body, b"$((").is_some() || body.contains(&0)).then_some("a sum in a here-document")
}

fn push_text(parts: &mut Vec<Part>, byte: u8) {
    push_texts(parts, &[byte]);
}

fn push_texts(parts: &mut Vec<Part>, bytes: &[u8]) {
    match parts.last_mut() {
        Some(Part::Text(text)) => text.extend_from_slice(bytes),
        _ => parts.push(Part::Text(bytes.to_vec())),
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
            Part::Double(inner) => {
                *is_quoted = true;
                flat(inner, out, is_quoted);
            }
            _ => {}
        }
    }
}
