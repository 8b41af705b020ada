//! From bytes to a tree: fish takes a file whole, or not at all.

use std::rc::Rc;

use super::DEEPEST;
use crate::shell::Trouble;

#[derive(Clone, Debug)]
pub(super) enum Part {
    Text(Vec<u8>),
    Quoted(Vec<u8>),
    Name(Vec<u8>, bool, Option<i64>),
    Output(Rc<Vec<Job>>, bool),
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

/// A statement, and how it hangs on the one before: always, on success, on failure.
#[derive(Clone, Debug)]
pub(super) struct Job {
    pub(super) joint: Joint,
    pub(super) negated: bool,
    pub(super) kind: Kinds,
    pub(super) at: usize,
    pub(super) is_piped: bool,
    /// Whether it is joined to the one before by `&&` or `||`: `and` and `or` are for all of them.
    pub(super) is_tail: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Joint {
    Always,
    And,
    Or,
}

#[derive(Clone, Debug)]
pub(super) enum Kinds {
    Command(Vec<Word>, Vec<Redirect>),
    If(Vec<(Vec<Job>, Vec<Job>)>, Vec<Job>),
    Switch(Word, Vec<(Vec<Word>, Vec<Job>)>),
    For(Vec<u8>, Vec<Word>, Vec<Job>),
    While(Vec<Job>, Vec<Job>),
    Begin(Vec<Job>),
    Function(Vec<Word>, Rc<Vec<Job>>),
}

pub(super) struct Parser<'a> {
    pub(super) text: &'a [u8],
    pub(super) at: usize,
    pub(super) depth: usize,
    /// Whether a comment stood between joined lines.
    pub(super) is_odd: bool,
}

pub(super) type Parsed<T> = Result<T, Trouble>;

impl Parser<'_> {
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
            && self.peek(word.len()).is_none_or(|b| b" \t\r\n;&|)".contains(&b))
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
            if joint == Joint::Always && !job.is_piped && self.peek(0) == Some(b'&') {
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
        (*joint, job.is_piped) = match (self.peek(0), self.peek(1)) {
            (Some(b'&'), Some(b'&')) => (Joint::And, false),
            (Some(b'|'), Some(b'|')) => (Joint::Or, false),
            (Some(b'|'), _) => (Joint::Always, true),
            _ => (Joint::Always, false),
        };
        self.at += if *joint != Joint::Always { 2 } else { usize::from(job.is_piped) };
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
        let kind = self.kind()?;
        Ok(Job { joint, negated, kind, at, is_piped: false, is_tail: false })
    }

    fn end(&mut self) -> Parsed<()> {
        self.separators();
        if self.take_word(b"end") { Ok(()) } else { self.wrong("a block is not ended") }
    }

    /// The statements of a condition: one, with those that hang on it by `and` and `or`.
    fn condition(&mut self) -> Parsed<Vec<Job>> {
        let mut out = Vec::new();
        let mut joint = Joint::Always;
        loop {
            let job = self.joined(&mut joint)?;
            if job.is_piped {
                out.push(job);
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

    fn kind(&mut self) -> Parsed<Kinds> {
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
                    self.end()?;
                    return Ok(Kinds::If(arms, otherwise));
                }
                self.end()?;
                return Ok(Kinds::If(arms, Vec::new()));
            }
        }
        if self.take_word(b"while") {
            let condition = self.condition()?;
            let body = self.jobs()?;
            self.end()?;
            return Ok(Kinds::While(condition, body));
        }
        if self.take_word(b"begin") {
            let body = self.jobs()?;
            self.end()?;
            return Ok(Kinds::Begin(body));
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
            self.end()?;
            let [Part::Text(name)] = &name.parts[..] else { return self.odd("a name that is made up") };
            return Ok(Kinds::For(name.clone(), words, body));
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
                    self.end()?;
                    return Ok(Kinds::Switch(word, arms));
                }
            }
        }
        if self.take_word(b"function") {
            let words = self.words()?.0;
            let body = self.jobs()?;
            self.end()?;
            return Ok(Kinds::Function(words, Rc::new(body)));
        }
        let (words, redirects) = self.words()?;
        let is_assignment = |word: &Word| match word.parts.first() {
            Some(Part::Text(text)) => memchr::memchr(b'=', text)
                .is_some_and(|at| at > 0 && text.iter().take(at).all(|b| b.is_ascii_alphanumeric() || *b == b'_')),
            _ => false,
        };
        match &words[..] {
            [] => return self.wrong("a command is missing"),
            [only] if is_assignment(only) => return self.wrong("an assignment as other shells write it"),
            [first, ..] if is_assignment(first) => return self.odd("a variable for one command"),
            _ => {}
        }
        Ok(Kinds::Command(words, redirects))
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
            let rest = self.text.get(self.at..).unwrap_or_default();
            let digits = rest.iter().take_while(|b| b.is_ascii_digit()).count();
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
            let name = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
            let may_be_assignment = words.is_empty() && name > 0 && rest.get(name) == Some(&b'=');
            let word = match self.word() {
                // Of a variable for one command it is an error only when that command is run.
                Err(trouble) if trouble.is_error && may_be_assignment => return self.odd("a variable for one command"),
                other => other?,
            };
            match word {
                Some(word) => words.push(word),
                None => return self.odd("an operator of fish"),
            }
        }
        Ok((words, redirects))
    }

    fn word(&mut self) -> Parsed<Option<Word>> {
        let start = self.at;
        let mut parts = Vec::new();
        let text = |parts: &mut Vec<Part>, byte: u8| match parts.last_mut() {
            Some(Part::Text(text)) => text.push(byte),
            _ => parts.push(Part::Text(vec![byte])),
        };
        while let Some(byte) = self.peek(0) {
            match byte {
                // Within a word it is text.
                b'&' if self.at > start && self.peek(1).is_some_and(|b| !b" \t\r\n;&|<>)".contains(&b)) => {
                    text(&mut parts, byte);
                    self.at += 1;
                }
                b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b')' | b'<' | b'>' => break,
                b'\'' => {
                    self.at += 1;
                    let mut quoted = Vec::new();
                    loop {
                        match (self.peek(0), self.peek(1)) {
                            (None, _) => return self.wrong("a quote is not closed"),
                            (Some(b'\''), _) => break,
                            (Some(b'\\'), Some(next @ (b'\'' | b'\\'))) => {
                                quoted.push(next);
                                self.at += 2;
                            }
                            (Some(other), _) => {
                                quoted.push(other);
                                self.at += 1;
                            }
                        }
                    }
                    self.at += 1;
                    parts.push(Part::Quoted(quoted));
                }
                b'"' => self.double(&mut parts)?,
                b'$' if self.peek(1) == Some(b'(') => {
                    self.at += 1;
                    parts.push(self.output(false)?);
                }
                b'$' => parts.push(self.name(false)?),
                b'(' => parts.push(self.output(false)?),
                b'{' => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    let end = rest.iter().position(|b| *b == b'}').unwrap_or(0);
                    self.at += end + 1;
                    parts.push(Part::Unfollowed("braces of fish"));
                }
                b'*' if self.peek(1) != Some(b'*') && !matches!(parts.last(), Some(Part::Star)) => {
                    self.at += 1;
                    parts.push(Part::Star);
                }
                b'*' | b'?' => {
                    self.at += 1;
                    parts.push(Part::Unfollowed("a pattern of file names"));
                }
                b'~' if self.at == start => {
                    self.at += 1;
                    if self.peek(0).is_none_or(|b| b"/ \t\n;)".contains(&b)) {
                        parts.push(Part::Name(b"HOME".to_vec(), true, None));
                    } else {
                        parts.push(Part::Unfollowed("somebody's home folder"));
                    }
                }
                b'\\' => self.escape(&mut parts)?,
                byte => {
                    text(&mut parts, byte);
                    self.at += 1;
                }
            }
        }
        Ok((self.at > start).then_some(Word { parts }))
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
        parts.push(Part::Quoted(vec![plain]));
        Ok(())
    }

    fn double(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        self.at += 1;
        let mut quoted = Vec::new();
        loop {
            match (self.peek(0), self.peek(1)) {
                (None, _) => return self.wrong("a quote is not closed"),
                (Some(b'"'), _) => break,
                (Some(b'\\'), Some(b'\n')) => self.at += 2,
                (Some(b'\\'), Some(next @ (b'"' | b'\\' | b'$'))) => {
                    quoted.push(next);
                    self.at += 2;
                }
                (Some(b'$'), Some(b'(')) => {
                    parts.push(Part::Quoted(std::mem::take(&mut quoted)));
                    self.at += 1;
                    parts.push(self.output(true)?);
                }
                (Some(b'$'), _) => {
                    parts.push(Part::Quoted(std::mem::take(&mut quoted)));
                    parts.push(self.name(true)?);
                }
                (Some(other), _) => {
                    quoted.push(other);
                    self.at += 1;
                }
            }
        }
        self.at += 1;
        parts.push(Part::Quoted(quoted));
        Ok(())
    }

    fn name(&mut self, quoted: bool) -> Parsed<Part> {
        self.at += 1;
        let from = self.at;
        while self.peek(0).is_some_and(|b| b.is_ascii_alphanumeric() || b == b'_' || b >= 0x80) {
            self.at += 1;
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        if self.peek(0) == Some(b'\\') && self.peek(1) == Some(b'\n') {
            return self.odd("a name over two lines");
        }
        if name.is_empty() {
            return if matches!(self.peek(0), Some(b'$')) {
                self.odd("a name that a variable names")
            } else {
                self.wrong("a dollar without a name")
            };
        }
        if self.peek(0) != Some(b'[') {
            return Ok(Part::Name(name, quoted, None));
        }
        let rest = self.text.get(self.at + 1..).unwrap_or_default();
        let Some(end) = rest.iter().position(|b| *b == b']') else { return self.wrong("a bracket is not closed") };
        let index = std::str::from_utf8(rest.get(..end).unwrap_or_default()).ok().and_then(|t| t.trim().parse().ok());
        self.at += end + 2;
        Ok(match index {
            Some(index) => Part::Name(name, quoted, Some(index)),
            None => Part::Unfollowed("a part of a list"),
        })
    }

    fn output(&mut self, quoted: bool) -> Parsed<Part> {
        self.at += 1;
        let jobs = self.jobs()?;
        if self.peek(0) != Some(b')') {
            return self.wrong("a parenthesis is not closed");
        }
        self.at += 1;
        // A part of the lines may be taken.
        if self.peek(0) == Some(b'[') && !quoted {
            let rest = self.text.get(self.at..).unwrap_or_default();
            self.at += rest.iter().position(|b| *b == b']').map_or(rest.len(), |p| p + 1);
            return Ok(Part::Unfollowed("a part of a list"));
        }
        Ok(Part::Output(Rc::new(jobs), quoted))
    }
}
