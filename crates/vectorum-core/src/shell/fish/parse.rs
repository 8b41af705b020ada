//! From bytes to a tree: fish takes a file whole, or not at all.

use std::sync::Arc;

use bytes::Bytes;

use super::DEEPEST;
use crate::shell::Trouble;

/// What a text says, or why it cannot be read.
pub(in crate::shell) type Jobs = Parsed<Vec<Job>>;

/// Reads a text as fish does: whole, or not at all.
pub(in crate::shell) fn read(text: &Bytes) -> Jobs {
    let skip = usize::from(text.starts_with(b"\xef\xbb\xbf")) * 3;
    let mut parser = Parser::new(text, skip);
    let jobs = parser.jobs()?;
    if parser.at < text.len() { parser.wrong("this cannot stand here") } else { Ok(jobs) }
}

#[derive(Clone, Debug)]
pub(super) enum Part {
    Text(Bytes),
    Quoted(Bytes),
    /// A variable, whether it is quoted, and which of its items are taken.
    Name(Bytes, bool, Option<Arc<Vec<Word>>>),
    /// The variables that the items before it name, whether that is quoted, and which of their items are taken.
    Through(Box<Part>, bool, Option<Arc<Vec<Word>>>),
    /// What commands print, whether that is quoted, and which of its lines are taken.
    Output(Arc<Vec<Job>>, bool, Option<Arc<Vec<Word>>>),
    /// `{a,b}`: one of several.
    Braces(Vec<Word>),
    /// `*`, which stands for any part of a file's name.
    Star,
    Unfollowed(&'static str),
}

/// A redirection: its operator with the number before it, and the file.
pub(super) type Redirect = (Vec<u8>, Word);

#[derive(Clone, Debug)]
pub(super) struct Word {
    pub(super) parts: Vec<Part>,
}

impl Word {
    /// The text of a word that is nothing but that.
    pub(super) fn literal(&self) -> Option<&[u8]> {
        match &self.parts[..] {
            [Part::Text(text) | Part::Quoted(text)] => Some(text),
            _ => None,
        }
    }
}

impl Part {
    pub(super) fn is_braces(&self) -> bool {
        matches!(self, Part::Braces(_))
    }

    /// The commands that it runs.
    pub(super) fn commands(&self) -> Option<&[Job]> {
        match self {
            Part::Output(jobs, ..) => Some(jobs),
            _ => None,
        }
    }
}

/// A statement, and how it hangs on the one before: always, on success, on failure.
#[derive(Clone, Debug)]
pub(in crate::shell) struct Job {
    pub(super) joint: Joint,
    pub(super) negated: bool,
    /// Variables that stand before it and are for it alone.
    pub(super) vars: Vec<(Bytes, Word)>,
    pub(super) kind: Kinds,
    pub(super) redirects: Vec<Redirect>,
    pub(super) at: usize,
    pub(super) pipe: Option<Pipe>,
    /// Whether it is joined to the one before by `&&` or `||`: `and` and `or` are for all of them.
    pub(super) is_tail: bool,
}

/// What the next command of a pipeline reads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Pipe {
    Output,
    /// Something with what goes to standard error in it.
    Errors,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Joint {
    Always,
    And,
    Or,
}

#[derive(Clone, Debug)]
pub(super) enum Kinds {
    Command(Vec<Word>),
    If(Vec<(Vec<Job>, Vec<Job>)>, Vec<Job>),
    Switch(Word, Vec<(Vec<Word>, Vec<Job>)>),
    For(Bytes, Vec<Word>, Vec<Job>),
    While(Vec<Job>, Vec<Job>),
    Begin(Vec<Job>),
    Function(Vec<Word>, Arc<Vec<Job>>),
}

/// Whether a word ends before a byte.
fn ends_word(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b'<' | b'>' | b')')
}

/// Whether a byte is more than itself in a word, or ends it.
fn is_sign(byte: u8) -> bool {
    ends_word(byte) || matches!(byte, b'(' | b']' | b'{' | b'}' | b',' | b'\'' | b'"' | b'$' | b'*' | b'?' | b'~' | b'\\')
}

/// Two texts as one.
fn behind(left: &Bytes, right: &Bytes) -> Bytes {
    match (left.is_empty(), right.is_empty()) {
        (true, _) => right.clone(),
        (_, true) => left.clone(),
        _ => [&left[..], right].concat().into(),
    }
}

pub(super) struct Parser<'a> {
    pub(super) text: &'a Bytes,
    pub(super) at: usize,
    pub(super) depth: usize,
    /// Whether a comment stood between joined lines.
    pub(super) is_odd: bool,
    /// Whether it is within the brackets that choose items.
    is_chosen: bool,
    /// How deep it is within braces.
    pub(super) braces: usize,
}

pub(super) type Parsed<T> = Result<T, Trouble>;

impl<'a> Parser<'a> {
    pub(super) fn new(text: &'a Bytes, at: usize) -> Parser<'a> {
        Parser { text, at, depth: 0, is_odd: false, is_chosen: false, braces: 0 }
    }

    /// The text from a place up to where it stands now.
    fn since(&self, from: usize) -> Bytes {
        self.text.slice(from..self.at)
    }

    /// Passes over bytes up to one of some, or the end.
    fn pass(&mut self, is_end: impl Fn(u8) -> bool) {
        let rest = self.text.get(self.at..).unwrap_or_default();
        self.at += rest.iter().position(|b| is_end(*b)).unwrap_or(rest.len());
    }

    pub(super) fn peek(&self, ahead: usize) -> Option<u8> {
        self.text.get(self.at + ahead).copied()
    }

    pub(super) fn wrong<T>(&self, what: &'static str) -> Parsed<T> {
        Err(Trouble { at: self.at, what, is_error: true })
    }

    fn odd<T>(&self, what: &'static str) -> Parsed<T> {
        Err(Trouble { at: self.at, what, is_error: false })
    }

    pub(super) fn blanks(&mut self) {
        let mut is_joined = false;
        loop {
            match (self.peek(0), self.peek(1)) {
                (Some(b' ' | b'\t' | b'\r'), _) => self.at += 1,
                (Some(b'\\'), Some(b'\n')) => {
                    is_joined = true;
                    self.at += 2;
                }
                (Some(b'#'), _) => {
                    // The command goes on behind a comment between joined lines.
                    self.is_odd |= is_joined;
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => return,
            }
        }
    }

    fn separators(&mut self) {
        loop {
            self.blanks();
            match self.peek(0) {
                Some(b'\n' | b';') => self.at += 1,
                _ => return,
            }
        }
    }

    fn is_word(&self, word: &[u8]) -> bool {
        self.text.get(self.at..).is_some_and(|r| r.starts_with(word))
            && self.peek(word.len()).is_none_or(|b| ends_word(b) && !matches!(b, b'<' | b'>'))
    }

    fn take_word(&mut self, word: &[u8]) -> bool {
        let is_it = self.is_word(word);
        if is_it {
            self.at += word.len();
        }
        is_it
    }

    /// Takes statements up to `end`, `else`, `case`, a parenthesis or the end of the text.
    pub(super) fn jobs(&mut self) -> Parsed<Vec<Job>> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return self.odd("commands lie too deep in each other");
        }
        let mut out = Vec::new();
        let mut joint = Joint::Always;
        loop {
            self.separators();
            let ends = [&b"end"[..], b"else", b"case"].iter().any(|w| self.is_word(w));
            if self.peek(0).is_none() || self.peek(0) == Some(b')') || ends {
                self.depth -= 1;
                return Ok(out);
            }
            let job = self.joined(&mut joint)?;
            // A job in the background.
            if joint == Joint::Always && job.pipe.is_none() && self.peek(0) == Some(b'&') {
                self.at += 1;
            }
            out.push(job);
        }
    }

    /// Takes a job that is joined to the one before as `joint` says, and what joins the next one to it.
    fn joined(&mut self, joint: &mut Joint) -> Parsed<Job> {
        let mut job = self.job()?;
        if *joint != Joint::Always {
            job.joint = *joint;
            job.is_tail = true;
        }
        self.blanks();
        let digits = self.digits();
        (*joint, job.pipe) = match (self.peek(0), self.peek(1)) {
            (Some(b'&'), Some(b'&')) => (Joint::And, None),
            (Some(b'|'), Some(b'|')) => (Joint::Or, None),
            (Some(b'|'), _) => (Joint::Always, Some(Pipe::Output)),
            (Some(b'&'), Some(b'|')) => (Joint::Always, Some(Pipe::Errors)),
            _ if self.peek(digits) == Some(b'>') && self.peek(digits + 1) == Some(b'|') => {
                self.at += digits;
                (Joint::Always, Some(Pipe::Errors))
            }
            _ => (Joint::Always, None),
        };
        self.at += match (*joint, job.pipe) {
            (Joint::Always, None) => 0,
            (Joint::Always, Some(Pipe::Output)) => 1,
            _ => 2,
        };
        Ok(job)
    }

    fn job(&mut self) -> Parsed<Job> {
        let (mut joint, mut negated) = (Joint::Always, false);
        loop {
            self.blanks();
            if self.take_word(b"and") {
                joint = Joint::And;
            } else if self.take_word(b"or") {
                joint = Joint::Or;
            } else if self.take_word(b"not") || self.take_word(b"!") {
                negated = !negated;
            } else if !self.take_word(b"time") {
                break;
            }
        }
        let at = self.at;
        let vars = self.own_vars()?;
        let (kind, redirects) = self.kind()?;
        Ok(Job { joint, negated, vars, kind, redirects, at, pipe: None, is_tail: false })
    }

    /// The variables that stand before a command.
    fn own_vars(&mut self) -> Parsed<Vec<(Bytes, Word)>> {
        let mut out = Vec::new();
        loop {
            self.blanks();
            let rest = self.text.get(self.at..).unwrap_or_default();
            let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
            if length == 0 || rest.get(length) != Some(&b'=') {
                return Ok(out);
            }
            self.at += length;
            let name = self.since(self.at - length);
            self.at += 1;
            let word = match self.word() {
                // It is an error only when that command is run.
                Err(trouble) if trouble.is_error => return self.odd("a variable for one command"),
                other => other?.unwrap_or(Word { parts: Vec::new() }),
            };
            out.push((name, word));
            self.blanks();
            if self.peek(0).is_none_or(|b| b"\n;)|&<>".contains(&b)) {
                return self.wrong("an assignment as other shells write it");
            }
        }
    }

    fn digits(&self) -> usize {
        self.text.get(self.at..).unwrap_or_default().iter().take_while(|b| b.is_ascii_digit()).count()
    }

    /// Takes the end of a block and the redirections behind it.
    fn end(&mut self) -> Parsed<Vec<Redirect>> {
        self.separators();
        if !self.take_word(b"end") {
            return self.wrong("a block is not ended");
        }
        let (words, redirects) = self.words()?;
        if words.is_empty() { Ok(redirects) } else { self.wrong("a block's end takes no words") }
    }

    /// The statements of a condition: one, with those that hang on it by `and` and `or`.
    fn condition(&mut self) -> Parsed<Vec<Job>> {
        let mut out = Vec::new();
        let mut joint = Joint::Always;
        loop {
            let job = self.joined(&mut joint)?;
            if job.pipe.is_some() {
                out.push(job);
                self.separators();
                continue;
            }
            if joint != Joint::Always {
                out.push(job);
                self.separators();
                continue;
            }
            out.push(job);
            self.separators();
            if !self.is_word(b"and") && !self.is_word(b"or") {
                return Ok(out);
            }
        }
    }

    fn kind(&mut self) -> Parsed<(Kinds, Vec<Redirect>)> {
        if self.take_word(b"if") {
            let mut arms = Vec::new();
            loop {
                let condition = self.condition()?;
                arms.push((condition, self.jobs()?));
                self.separators();
                if self.take_word(b"else") {
                    self.blanks();
                    if self.take_word(b"if") {
                        continue;
                    }
                    let otherwise = self.jobs()?;
                    let redirects = self.end()?;
                    return Ok((Kinds::If(arms, otherwise), redirects));
                }
                let redirects = self.end()?;
                return Ok((Kinds::If(arms, Vec::new()), redirects));
            }
        }
        if self.take_word(b"while") {
            let condition = self.condition()?;
            let body = self.jobs()?;
            let redirects = self.end()?;
            return Ok((Kinds::While(condition, body), redirects));
        }
        if self.take_word(b"begin") {
            let body = self.jobs()?;
            let redirects = self.end()?;
            return Ok((Kinds::Begin(body), redirects));
        }
        if self.take_word(b"for") {
            self.blanks();
            let Some(name) = self.word()? else { return self.wrong("a name is missing") };
            self.blanks();
            if !self.take_word(b"in") {
                return self.wrong("«in» is missing");
            }
            let words = self.words()?.0;
            let body = self.jobs()?;
            let redirects = self.end()?;
            let [Part::Text(name)] = &name.parts[..] else { return self.odd("a name that is made up") };
            return Ok((Kinds::For(name.clone(), words, body), redirects));
        }
        if self.take_word(b"switch") {
            self.blanks();
            let Some(word) = self.word()? else { return self.wrong("a word is missing") };
            let mut arms = Vec::new();
            loop {
                self.separators();
                if self.take_word(b"case") {
                    let words = self.words()?.0;
                    arms.push((words, self.jobs()?));
                } else {
                    let redirects = self.end()?;
                    return Ok((Kinds::Switch(word, arms), redirects));
                }
            }
        }
        if self.take_word(b"function") {
            let words = self.words()?.0;
            let body = self.jobs()?;
            let redirects = self.end()?;
            return Ok((Kinds::Function(words, Arc::new(body)), redirects));
        }
        let (words, redirects) = self.words()?;
        if words.is_empty() {
            return self.wrong("a command is missing");
        }
        Ok((Kinds::Command(words), redirects))
    }

    fn words(&mut self) -> Parsed<(Vec<Word>, Vec<Redirect>)> {
        let (mut words, mut redirects) = (Vec::new(), Vec::new());
        loop {
            self.blanks();
            if self.is_odd {
                return self.odd("a comment between joined lines");
            }
            match self.peek(0) {
                None | Some(b'\n' | b';' | b')' | b'|') => break,
                Some(b'&') if self.peek(1) != Some(b'>') => break,
                _ => {}
            }
            let digits = self.digits();
            let rest = self.text.get(self.at..).unwrap_or_default();
            if rest.get(digits..).is_some_and(|r| r.starts_with(b">|")) {
                break;
            }
            let operator = [&b"&>>"[..], b"&>", b">>", b">&", b">?", b"<&", b">", b"<"]
                .iter()
                .find(|o| rest.get(digits..).is_some_and(|r| r.starts_with(o)))
                .copied();
            if let Some(operator) = operator {
                let kind = [rest.get(..digits).unwrap_or_default(), operator].concat();
                self.at += digits + operator.len();
                self.blanks();
                let Some(word) = self.word()? else { return self.wrong("a redirection without a file") };
                redirects.push((kind, word));
                continue;
            }
            match self.word()? {
                Some(word) => words.push(word),
                None => return self.odd("an operator of fish"),
            }
        }
        Ok((words, redirects))
    }

    fn word(&mut self) -> Parsed<Option<Word>> {
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
                None | Some(b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b')' | b'<' | b'>' | b']' | b'}' | b',') => break,
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
                    parts.push(Part::Unfollowed("a pattern of file names"));
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
                Some(b'}' | b',') if self.braces == 0 => self.at += 1,
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
            return Ok(Part::Through(Box::new(named), quoted, self.chosen()?));
        }
        Ok(Part::Name(name, quoted, self.chosen()?))
    }

    /// Which items are taken: `[2]`, `[2..-1]`, `[$i]`.
    fn chosen(&mut self) -> Parsed<Option<Arc<Vec<Word>>>> {
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
        self.at += 1;
        let outer = (std::mem::take(&mut self.is_chosen), std::mem::take(&mut self.braces));
        let jobs = self.jobs()?;
        if self.peek(0) != Some(b')') {
            return self.wrong("a parenthesis is not closed");
        }
        self.at += 1;
        (self.is_chosen, self.braces) = outer;
        Ok(Part::Output(Arc::new(jobs), quoted, self.chosen()?))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_lies_too_deep_is_not_followed() {
        for (open, close) in
            [("(", ")"), ("{a,", "}"), ("$a[", "1]"), ("\"$(", ")\""), ("begin; ", "; end"), ("if true; ", "; end")]
        {
            for depth in [3, 20_000] {
                let text = format!("set x {}y{}\n", open.repeat(depth), close.repeat(depth));
                let text = if open.ends_with("; ") { text.replacen("set x ", "", 1) } else { text };
                let text = Bytes::from(text);
                let mut parser = Parser::new(&text, 0);
                let read = parser.jobs();
                assert_eq!(read.is_ok(), depth == 3, "{open}");
            }
        }
    }

    proptest! {
        #[test]
        fn any_text_is_taken_or_refused(text in "[a-z$(){}\\[\\]\"'|&;<>#*? \n\\\\=0-9]{0,60}") {
            let text = Bytes::from(text);
                let mut parser = Parser::new(&text, 0);
            if parser.jobs().is_ok() {
                prop_assert!(parser.at <= text.len());
            }
        }
    }
}
