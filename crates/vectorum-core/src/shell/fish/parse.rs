//! From bytes to a tree: fish takes a file whole, or not at all.

mod words;

use std::sync::Arc;

use bytes::Bytes;

use self::words::ends_word;
use super::DEEPEST;
use crate::shell::Trouble;

/// What a text says, or why it cannot be read.
pub(in crate::shell) type Jobs = Parsed<Vec<Job>>;

/// A command that is what others print, which fish refuses.
pub(super) const NO_COMMAND: &str = "what commands print is no command";

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

    /// Whether it takes up what commands print.
    pub(super) fn has_output(&self) -> bool {
        self.parts.iter().any(Part::has_output)
    }
}

impl Part {
    /// Whether it takes up what commands print, in an index or in braces too.
    pub(super) fn has_output(&self) -> bool {
        let any = |words: &[Word]| words.iter().any(Word::has_output);
        match self {
            Part::Output(..) => true,
            Part::Through(named, ..) if named.has_output() => true,
            Part::Braces(words) => any(words),
            _ => self.chosen().is_some_and(any),
        }
    }

    /// Whether it is a variable or what commands print.
    pub(super) fn is_expanded(&self) -> bool {
        matches!(self, Part::Name(..) | Part::Through(..) | Part::Output(..))
    }

    /// Whether it is or has a sign of a pattern.
    pub(super) fn has_star(&self) -> bool {
        match self {
            Part::Star => true,
            Part::Braces(words) => words.iter().any(|word| word.parts.iter().any(Part::has_star)),
            _ => false,
        }
    }

    pub(super) fn is_quoted(&self) -> bool {
        matches!(self, Part::Quoted(_) | Part::Name(_, true, _) | Part::Through(_, true, _) | Part::Output(_, true, _))
    }

    /// Which of its items are taken.
    pub(super) fn chosen(&self) -> Option<&[Word]> {
        match self {
            Part::Name(_, _, chosen) | Part::Through(_, _, chosen) | Part::Output(_, _, chosen) => {
                chosen.as_ref().map(|words| &words[..])
            }
            _ => None,
        }
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
    If(Vec<(Vec<Job>, Vec<Job>)>, Option<Vec<Job>>),
    Switch(Word, Vec<(Vec<Word>, Vec<Job>)>),
    For(Bytes, Vec<Word>, Vec<Job>),
    While(Vec<Job>, Vec<Job>),
    Begin(Vec<Job>),
    Function(Vec<Word>, Arc<Vec<Job>>),
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

    fn is_any(&self, words: &[&[u8]]) -> bool {
        words.iter().any(|word| self.is_word(word))
    }

    /// Whether a redirection begins so many bytes ahead.
    fn redirects(&self, ahead: usize) -> bool {
        let rest = self.text.get(self.at + ahead..).unwrap_or_default();
        let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
        rest.get(digits).is_some_and(|byte| b"<>".contains(byte)) || rest.starts_with(b"&>")
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
            let ends = self.is_any(&[&b"end"[..], b"else", b"case"]);
            if self.peek(0).is_none() || self.peek(0) == Some(b')') || ends {
                self.depth -= 1;
                return Ok(out);
            }
            let job = self.joined(&mut joint)?;
            if Self::is_made_in_pipe(out.last(), &job) {
                return self.odd("a command of a pipe whose name is made up");
            }
            // A job in the background.
            if joint == Joint::Always && job.pipe.is_none() && self.peek(0) == Some(b'&') {
                self.at += 1;
                self.blanks();
                if let Some(b"&&" | b"||") = self.text.get(self.at..self.at + 2) {
                    return self.odd("what hangs on a command that runs beside the shell");
                }
                self.separators();
                if self.is_word(b"and") || self.is_word(b"or") {
                    return self.wrong("nothing hangs on what runs beside the shell");
                }
            }
            out.push(job);
        }
    }

    /// Where a command of a pipe is none, nothing of the pipe is run.
    fn is_made_in_pipe(before: Option<&Job>, job: &Job) -> bool {
        let is_chosen =
            |word: &Word| matches!(&word.parts[..], [Part::Name(name, _, index)] if index.is_some() || name == "argv");
        let is_made = matches!(&job.kind, Kinds::Command(words) if words.first().is_some_and(is_chosen));
        is_made && (job.pipe.is_some() || before.is_some_and(|job| job.pipe.is_some()))
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
        // Something is to follow.
        if *joint != Joint::Always || job.pipe.is_some() {
            self.separators();
            let is_ended = self.text.get(..self.at).is_some_and(|text| text.trim_ascii_end().ends_with(b";"));
            let is_within = job.pipe.is_some() && (self.is_word(b"and") || self.is_word(b"or"));
            let is_odd = self.is_any(&[&b"and"[..], b"or", b"else", b"case", b"end"]);
            if is_odd && !is_within {
                return self.odd("a word of the language behind a sign");
            }
            if is_within || is_ended || self.peek(0).is_none_or(|byte| b")|&".contains(&byte)) {
                return self.wrong("a command is missing");
            }
        }
        Ok(job)
    }

    fn job(&mut self) -> Parsed<Job> {
        let (mut joint, mut negated, mut is_begun) = (Joint::Always, false, false);
        loop {
            self.blanks();
            if is_begun && (self.is_word(b"and") || self.is_word(b"or")) {
                return self.odd("a word that joins commands behind another");
            }
            let is_asked = |p: &Self, word: &[u8]| {
                let rest = p.text.get(p.at + word.len()..).unwrap_or_default();
                p.is_word(word) && rest.trim_ascii_start().starts_with(b"-")
            };
            if is_asked(self, b"and") || is_asked(self, b"or") {
                return self.odd("an option of a word that joins commands");
            }
            if self.take_word(b"and") {
                joint = Joint::And;
            } else if self.take_word(b"or") {
                joint = Joint::Or;
            } else if self.take_word(b"not") || self.take_word(b"!") {
                self.blanks();
                if self.peek(0).is_none_or(|byte| b";-\n)".contains(&byte)) {
                    return self.odd("«not» without a command tells of itself");
                }
                negated = !negated;
            } else if self.take_word(b"time") {
                self.blanks();
                if self.peek(0).is_some_and(|byte| b"<>".contains(&byte)) {
                    return self.wrong("a command is missing");
                }
                if self.peek(0) == Some(b'-') || self.is_word(b"time") {
                    return self.odd("an option of «time»");
                }
            } else {
                break;
            }
            is_begun = true;
        }
        let at = self.at;
        let vars = self.own_vars()?;
        if self.is_any(&[&b"else"[..], b"case", b"end"]) {
            return self.odd("a word of the language for a command");
        }
        if negated && self.is_any(&[&b"break"[..], b"continue", b"return", b"exit"]) {
            return self.odd("what is left is turned round");
        }
        let is_joined = self.is_any(&[&b"not"[..], b"!", b"and", b"or", b"time"]);
        if !vars.is_empty() && is_joined {
            return self.odd("a variable before what is turned round");
        }
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
            // A bracket there begins what is to be closed.
            let from = self.at;
            let has_bracket = |text: &[u8]| text.contains(&b'[');
            let word = match self.word() {
                Ok(_) if self.text.get(from..self.at).is_some_and(has_bracket) => return self.odd("a variable for one command"),
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
        // What such a word hangs on there is not followed.
        self.blanks();
        if self.is_word(b"and") || self.is_word(b"or") {
            return self.odd("a condition that hangs on what was before");
        }
        let mut out = Vec::new();
        let mut joint = Joint::Always;
        loop {
            let job = self.joined(&mut joint)?;
            if Self::is_made_in_pipe(out.last(), &job) {
                return self.odd("a command of a pipe whose name is made up");
            }
            if joint == Joint::Always && job.pipe.is_none() && self.peek(0) == Some(b'&') {
                return self.odd("a condition in the background");
            }
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
        // Alone or with an option these are commands that tell of themselves, and nothing is begun (measured: 3.6).
        let is_asked = |word: &&[u8]| {
            let rest = self.text.get(self.at + word.len()..).unwrap_or_default();
            let behind = rest.iter().find(|byte| !b" \t\r".contains(byte));
            let is_alone = **word != *b"begin" && behind.is_none_or(|byte| b"\n;#".contains(byte));
            self.is_word(word) && (is_alone || behind == Some(&b'-'))
        };
        if [&b"if"[..], b"while", b"begin", b"for", b"switch", b"function"].iter().any(is_asked) {
            return self.odd("an option of a word that begins a block");
        }
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
                    if !matches!(self.peek(0), Some(b'\n' | b';')) {
                        return self.wrong("a command right behind «else»");
                    }
                    let otherwise = self.jobs()?;
                    let redirects = self.end()?;
                    return Ok((Kinds::If(arms, Some(otherwise)), redirects));
                }
                let redirects = self.end()?;
                return Ok((Kinds::If(arms, None), redirects));
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
            if self.peek(0) == Some(b'$') {
                return self.odd("a name that is made up");
            }
            let Some(name) = self.word()? else { return self.wrong("a name is missing") };
            self.blanks();
            if !self.take_word(b"in") {
                return self.wrong("«in» is missing");
            }
            let (words, others) = self.words()?;
            if !others.is_empty() {
                return self.wrong("a redirection among what a loop runs over");
            }
            let body = self.jobs()?;
            let redirects = self.end()?;
            let [Part::Text(name)] = &name.parts[..] else { return self.odd("a name that is made up") };
            return Ok((Kinds::For(name.clone(), words, body), redirects));
        }
        if self.take_word(b"switch") {
            self.blanks();
            let Some(word) = self.word()? else { return self.wrong("a word is missing") };
            self.blanks();
            if self.peek(0).is_some_and(|b| b.is_ascii_alphanumeric()) {
                return self.wrong("more than one word is held against others");
            }
            let mut arms = Vec::new();
            loop {
                self.separators();
                if self.take_word(b"case") {
                    let (words, redirects) = self.words()?;
                    if !redirects.is_empty() {
                        return self.wrong("a redirection among what is held against");
                    }
                    arms.push((words, self.jobs()?));
                } else {
                    let redirects = self.end()?;
                    return Ok((Kinds::Switch(word, arms), redirects));
                }
            }
        }
        if self.take_word(b"function") {
            let (words, redirects) = self.words()?;
            if !redirects.is_empty() {
                return self.wrong("a redirection among what a function is told");
            }
            if words.iter().any(|word| matches!(word.literal(), Some(b"--help" | b"-h"))) {
                return self.odd("an option of a word that begins a block");
            }
            let body = self.jobs()?;
            let redirects = self.end()?;
            return Ok((Kinds::Function(words, Arc::new(body)), redirects));
        }
        self.blanks();
        if self.redirects(0) {
            return self.wrong("a redirection stands before its command");
        }
        // These take a redirection in front of what they run for none of it, and are odd then.
        let is_before = |word: &&[u8]| {
            let rest = self.text.get(self.at + word.len()..).unwrap_or_default();
            self.is_word(word) && self.redirects(word.len() + rest.len() - rest.trim_ascii_start().len())
        };
        if [&b"command"[..], b"builtin", b"exec"].iter().any(is_before) {
            return self.odd("a redirection before what is run");
        }
        let (words, redirects) = self.words()?;
        let Some(first) = words.first() else { return self.wrong("a command is missing") };
        if first.parts.iter().any(|part| matches!(part, Part::Braces(_))) {
            return self.odd("a command whose name is made up");
        }
        if !redirects.is_empty()
            && matches!(&first.parts[..], [Part::Text(word)] if matches!(&word[..], b"and" | b"or" | b"not" | b"!" | b"time"))
        {
            return self.wrong("a redirection stands before its command");
        }
        if first.parts.iter().any(|part| part.commands().is_some()) {
            return self.wrong(NO_COMMAND);
        }
        // A command's name with such a beginning makes its whole line one where nothing is put in (measured: 3.6).
        let name = first.parts.iter().map_while(|part| match part {
            Part::Text(text) | Part::Quoted(text) => Some(&text[..]),
            _ => None,
        });
        let begins_comment = name.flatten().find(|byte| !byte.is_ascii_whitespace()) == Some(&b'#');
        let has_commands = |word: &Word| word.parts.iter().any(|part| part.commands().is_some());
        if begins_comment && words.iter().any(has_commands) {
            return self.odd("a command whose name begins as a comment does");
        }
        // What these run is to be written there, and the status is no command's name (measured: 3.6).
        let prefix = words.iter().take_while(|word| matches!(word.literal(), Some(b"command" | b"builtin"))).count();
        let is_status = |part: &Part| matches!(part, Part::Name(name, ..) if name == "status");
        let is_made = |word: &Word| word.parts.iter().any(|part| is_status(part) || part.commands().is_some());
        let is_name = |word: &Word| matches!(&word.parts[..], [Part::Name(name, false, _)] if name != "status");
        let is_odd = |word: &Word| word.literal().is_none() && (prefix > 0 && !is_name(word) || is_made(word));
        if words.get(prefix).is_some_and(is_odd) {
            return self.odd("a command whose name is made up");
        }
        if matches!(first.literal(), Some(b"!")) && words.len() == 1 {
            return self.odd("«not» without a command tells of itself");
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
                // What is wrong with it is an error of that command alone.
                let word = match self.word() {
                    Err(trouble) if trouble.is_error => return self.odd("a redirection to what is no file"),
                    word => word?,
                };
                let Some(word) = word else { return self.wrong("a redirection without a file") };
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
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_lies_too_deep_is_not_followed() {
        for (open, close) in
            [("(a ", ")"), ("{a,", "}"), ("$a[", "1]"), ("\"$(a ", ")\""), ("begin; ", "; end"), ("if true; ", "; end")]
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
