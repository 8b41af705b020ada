//! The plain part of shell files: assignments, quoting, references to known names, comments, and
//! commands that cannot change a variable. A file is a program; where it does anything else, it is
//! said from which place on nothing is known.

mod names;
mod words;

use self::names::{is_dynamic, is_harmless_odd, is_inner, is_special};
use self::words::{Parser, Piece, Word};
use super::plain::{Form, Known, PlainLines};
use super::systemd::{assignment, portable};

use bytes::Bytes;

use super::{Effect, Entry, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};
use crate::route::{Account, Held, Variable};
use crate::shell::{Dialect, taken_in};

/// A shell's reader.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Shell {
    kind: Kind,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Dash,
    Bash,
    Zsh,
    Ksh,
    Mksh,
}

impl Shell {
    pub(super) const DASH: Shell = Shell { kind: Kind::Dash };
    pub(super) const BASH: Shell = Shell { kind: Kind::Bash };
    pub(super) const ZSH: Shell = Shell { kind: Kind::Zsh };
    pub(super) const KSH: Shell = Shell { kind: Kind::Ksh };
    pub(super) const MKSH: Shell = Shell { kind: Kind::Mksh };
}

/// Where the reading needs the shell itself, and why.
type Open = (usize, &'static str);

/// The state while a file is read.
struct Run<'a> {
    reading: Reading,
    known: Known,
    around: &'a Surroundings,
    kind: Kind,
}

impl Run<'_> {
    fn get(&self, name: &[u8]) -> Vec<u8> {
        self.known
            .get(name)
            .flatten()
            .map(|v| v.to_vec())
            .or_else(|| self.around.outer.get(name).map(<[u8]>::to_vec))
            .unwrap_or_default()
    }

    /// Expands a word as the value of an assignment; `is_argument` if the shell might split it.
    fn value(&self, word: &Word, is_argument: bool) -> Result<Vec<u8>, Open> {
        let mut out = Vec::new();
        for piece in &word.pieces {
            match piece {
                Piece::Text(text, quoted) => {
                    if is_argument && !quoted && text.iter().any(|b| b"*?[{".contains(b)) {
                        return Err((word.start, "a pattern that might match files"));
                    }
                    out.extend_from_slice(text);
                }
                Piece::Name(name, quoted) => {
                    if is_dynamic(name) && self.known.get(name).is_none() && self.around.outer.get(name).is_none() {
                        return Err((word.start, "a variable that the shell itself keeps"));
                    }
                    let value = self.get(name);
                    if is_argument && !quoted && (value.is_empty() || value.iter().any(|b| b" \t\n*?[\\".contains(b))) {
                        return Err((word.start, "a value that some shells split into words here"));
                    }
                    out.extend(value);
                }
                Piece::Home => match self.known.get(b"HOME").flatten().map(|v| &v[..]).or_else(|| self.around.outer.get(b"HOME"))
                {
                    Some(home) if !home.is_empty() => out.extend_from_slice(home),
                    _ => return Err((word.start, "a home folder that HOME does not tell")),
                },
            }
        }
        Ok(out)
    }

    /// Runs one command.
    fn command(&mut self, words: &[Word]) -> Result<(), Open> {
        self.known.catch_up(&self.reading.entries);
        let mut assignments = Vec::new();
        let mut rest = words;
        while let Some((word, others)) = rest.split_first() {
            match split_assignment(word, self.kind) {
                Some(parts) => assignments.push((word, parts)),
                None => break,
            }
            rest = others;
        }
        let Some(first) = rest.first() else {
            for (word, (name, append, value)) in assignments {
                self.assign(word, &name, append, &value, false)?;
            }
            return Ok(());
        };
        // Values before a command are worked out, too, and can fail.
        for (_, (_, _, value)) in &assignments {
            self.value(value, false)?;
        }
        let Some(program) = first.literal() else { return Err((first.start, "a command whose name the shell works out")) };
        if program == b"export" {
            for word in rest.iter().skip(1) {
                if word.literal().is_some_and(super::is_portable) {
                    continue;
                }
                match split_assignment(word, self.kind) {
                    Some((name, false, value)) => self.assign(word, &name, false, &value, true)?,
                    _ => return Err((word.start, "an argument of export that only the shell knows")),
                }
            }
            if !assignments.is_empty() {
                return Err((first.start, "assignments before export"));
            }
            return Ok(());
        }
        // Names with dots or letters beyond ASCII are variables for ksh93.
        if self.kind == Kind::Ksh && program.contains(&b'=') && !program.first().is_some_and(u8::is_ascii_digit) {
            return Err((first.start, "an assignment that only this shell knows"));
        }
        if is_inner(program) || program.iter().any(|b| b"*?[{}=%!^,".contains(b)) && !is_harmless_odd(program, self.kind) {
            return Err((first.start, "a command of the shell itself, or one that it works out"));
        }
        for word in rest.iter().skip(1) {
            for piece in &word.pieces {
                let is_odd = match piece {
                    Piece::Text(text, false) => self.kind == Kind::Zsh && text.iter().any(|b| b"*?[=^#".contains(b)),
                    Piece::Name(..) => self.kind == Kind::Zsh,
                    _ => false,
                };
                if is_odd {
                    return Err((word.start, "a pattern, which can end the file in this shell"));
                }
            }
        }
        // Another program cannot change a variable of the shell (execve(2)).
        Ok(())
    }

    fn assign(&mut self, word: &Word, name: &[u8], append: bool, value: &Word, is_argument: bool) -> Result<(), Open> {
        if is_special(name, self.kind) {
            return Err((word.start, "a variable that means something to the shell itself"));
        }
        // A `=` at the start of what a value comes to, or of an item of it.
        let expands = |piece: &Piece| matches!(piece, Piece::Text(text, false) if text.first() == Some(&b'=') || memchr::memmem::find(text, b":=").is_some());
        if self.kind == Kind::Zsh && value.pieces.iter().any(expands) {
            return Err((value.start, "a leading `=`, which this shell expands"));
        }
        let mut new = self.value(value, is_argument)?;
        if append {
            new = [self.get(name), new].concat();
        }
        let from = value.start.min(word.end);
        self.reading.set(name.to_vec(), new, word.start..word.end, from..word.end);
        self.known.catch_up(&self.reading.entries);
        Ok(())
    }
}

/// Takes `NAME=value` or `NAME+=value` apart.
fn split_assignment(word: &Word, kind: Kind) -> Option<(Vec<u8>, bool, Word)> {
    let head = word.head();
    let equals = memchr::memchr(b'=', head)?;
    let (name, after) = (head.get(..equals)?, head.get(equals + 1..)?);
    let (name, append) = match name.strip_suffix(b"+") {
        Some(name) if kind != Kind::Dash => (name, true),
        _ => (name, false),
    };
    if !super::is_portable(name) {
        return None;
    }
    let mut pieces = Vec::new();
    if !after.is_empty() {
        pieces.push(Piece::Text(after.to_vec(), false));
    }
    pieces.extend(word.pieces.iter().skip(1).cloned());
    Some((name.to_vec(), append, Word { pieces, start: word.start + equals + 1, end: word.end }))
}

impl Reader for Shell {
    fn id(&self) -> &'static str {
        match self.kind {
            Kind::Dash => "sh",
            Kind::Bash => "bash",
            Kind::Zsh => "zsh",
            Kind::Ksh => "ksh",
            Kind::Mksh => "mksh",
        }
    }

    fn about(&self) -> &'static str {
        match self.kind {
            Kind::Dash => "set -a; . FILE in sh (dash)",
            Kind::Bash => "set -a; . FILE in bash",
            Kind::Zsh => "set -a; . FILE in zsh",
            Kind::Ksh => "set -a; . FILE in ksh93",
            Kind::Mksh => "set -a; . FILE in mksh",
        }
    }

    fn measured(&self) -> Option<&'static str> {
        Some(match self.kind {
            Kind::Dash => "dash 0.5.12-2",
            Kind::Bash => "bash 5.2.15",
            Kind::Zsh => "zsh 5.9",
            Kind::Ksh => "ksh93u+m 1.0.4",
            Kind::Mksh => "mksh R59c",
        })
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        let mut parser = Parser { file, at: 0, kind: self.kind };
        let mut run = Run { reading: Reading::default(), known: Known::default(), around, kind: self.kind };
        let mut lines = PlainLines::new(file, &Form::ASSIGNMENT);
        let read = (|| {
            while parser.at < file.len() {
                if let Some(line) = lines.at(parser.at)
                    && let (Some(name), Some(value)) = (file.get(line.name.clone()), file.get(line.value.clone()))
                    && !is_special(name, self.kind)
                    // A `=` that zsh expands.
                    && !(self.kind == Kind::Zsh && (value.first() == Some(&b'=') || memchr::memmem::find(value, b":=").is_some()))
                {
                    parser.at = line.next();
                    run.reading.entries.push(lines.entry(line));
                    continue;
                }
                let mut words = Vec::new();
                while let Some(word) = parser.word()? {
                    words.push(word);
                }
                match parser.peek() {
                    Some(b';') => {
                        // An empty command is an error, as is `;;` outside of case.
                        let next = file.get(parser.at + 1).copied();
                        if words.is_empty() || matches!(next, Some(b';' | b'&' | b'|')) {
                            return parser.open("a semicolon with no command before it");
                        }
                        parser.at += 1;
                    }
                    Some(_) => parser.at += 1,
                    None => {}
                }
                run.command(&words)?;
            }
            Ok(())
        })();
        if let Err(open) = read {
            let dialect = match self.kind {
                Kind::Dash => Dialect::Dash,
                Kind::Bash => Dialect::Bash,
                Kind::Zsh => Dialect::Zsh,
                Kind::Ksh => Dialect::Ksh,
                Kind::Mksh => Dialect::Mksh,
            };
            // What is more than plain lines is interpreted, from its beginning.
            if let Some(reading) = interpreted(Some(dialect), file, around) {
                return reading;
            }
            run.reading.open = Some(open);
        }
        run.reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        portable(name)?;
        if is_special(name.as_bytes(), self.kind) {
            return Err(Refusal::new("this name means something to the shell itself", "set it where the shell is started"));
        }
        Ok(assignment(name, &single_quoted(value.as_bytes())))
    }
}

/// What interpreting a file as a whole comes to; `None` where anything of it is not followed.
pub(super) fn interpreted(dialect: Option<Dialect>, file: &[u8], around: &Surroundings) -> Option<Reading> {
    if file.contains(&0) || file.len() > 1 << 18 {
        return None;
    }
    // ksh takes names with letters beyond ASCII, and exports more than is set once it runs a command for
    // its output.
    let is_beyond = !file.is_ascii() || memchr::memmem::find(file, b"$(").is_some() || file.contains(&b'`');
    if dialect == Some(Dialect::Ksh) && is_beyond {
        return None;
    }
    let account = Account {
        name: around.account.clone(),
        uid: around.uid,
        gid: around.uid,
        home: around.home.clone(),
        shell: around.shell.clone(),
    };
    let started = taken_in(dialect, file, &account, &around.outer, &around.folder)?;
    let lines: Vec<usize> = std::iter::once(0).chain(memchr::memchr_iter(b'\n', file).map(|at| at + 1)).collect();
    let span = |line: usize| {
        let from = line.checked_sub(1).and_then(|l| lines.get(l)).copied().unwrap_or(0);
        let to = lines.get(line).map_or(file.len(), |next| next - 1);
        from..to.max(from)
    };
    let mut entries: Vec<Entry> = Vec::new();
    let others: Vec<(Bytes, Variable)> = started.changed.into_iter().map(|(name, last)| (name, last.into())).collect();
    for (name, variable) in started.decided.iter().chain(others.iter().map(|(name, variable)| (name, variable))) {
        let Some(site) = &variable.site else { continue };
        let effect = match &variable.held {
            Held::Known(value) => Effect::Set(value.clone()),
            Held::Unknown(why) => Effect::Unknown(why),
            Held::PerRun => Effect::Unknown("it is made anew at each start"),
        };
        let name = name.clone();
        // The value as it is spelt is known only to be in that line.
        let span = span(site.line);
        entries.push(Entry { name, effect, value_span: span.end..span.end, span });
    }
    for (name, site) in started.gone {
        let Some(site) = site else { continue };
        let span = span(site.line);
        entries.push(Entry { name, effect: Effect::Unset, value_span: span.end..span.end, span });
    }
    entries.sort_by_key(|e| e.span.start);
    Some(Reading { entries, ..Reading::default() })
}

/// Returns a text in single quotes, as every POSIX shell reads it; safe text stays bare.
pub fn single_quoted(text: &[u8]) -> Vec<u8> {
    if !text.is_empty() && super::is_safe_bare(text) && !text.iter().any(|b| b"{}[]*?!^".contains(b)) {
        return text.to_vec();
    }
    let mut out = vec![b'\''];
    for byte in text {
        if *byte == b'\'' {
            out.extend(b"'\\''");
        } else {
            out.push(*byte);
        }
    }
    out.push(b'\'');
    out
}
