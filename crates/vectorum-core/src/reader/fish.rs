//! The plain part of fish files (fish 3.6.0): `set` with quoted words, comments.

use std::collections::HashSet;

use super::plain::{Form, Known, PlainLines, letters_and};
use super::{Reader, Reading, Refusal, Surroundings, is_word};
use crate::block::{Name, Value};

/// `%` can begin an expansion.
static PLAIN: Form = Form { before: b"set -gx ", between: b" ", bytes: letters_and(b"_,-./:@+=") };

/// The reader.
pub(super) struct Fish;

type Open = (usize, &'static str);

enum Wrong {
    Open(Open),
    /// The file does not parse: nothing of it runs.
    Syntax(Open),
}

#[derive(Clone)]
struct Word {
    text: Vec<u8>,
    /// Whether an undefined variable makes the whole word vanish.
    vanishes: bool,
    is_plain: bool,
    start: usize,
    end: usize,
}

struct Parser<'a> {
    file: &'a [u8],
    at: usize,
    /// Names that hold other than one item.
    lists: HashSet<Vec<u8>>,
}

impl Parser<'_> {
    fn peek(&self, ahead: usize) -> Option<u8> {
        self.file.get(self.at + ahead).copied()
    }

    fn open<T>(&self, why: &'static str) -> Result<T, Wrong> {
        Err(Wrong::Open((self.at, why)))
    }

    fn word(&mut self, get: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Result<Option<Word>, Wrong> {
        let mut is_joined = false;
        loop {
            match (self.peek(0), self.peek(1)) {
                (Some(b' ' | b'\t'), _) | (Some(b'\r'), Some(b'\n')) => self.at += 1,
                (Some(b'\\'), Some(b'\n')) => {
                    is_joined = true;
                    self.at += 2;
                }
                // The command goes on behind such a comment.
                (Some(b'#'), _) if is_joined => return self.open("a comment between joined lines"),
                (Some(b'#'), _) => {
                    let rest = self.file.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => break,
            }
        }
        let mut word = Word { text: Vec::new(), vanishes: false, is_plain: true, start: self.at, end: 0 };
        while let Some(byte) = self.peek(0) {
            match byte {
                b' ' | b'\t' | b'\n' | b';' => break,
                b'\r' if self.peek(1) == Some(b'\n') => break,
                0 => return self.open("a NUL byte"),
                b'\r' | 11 | 12 => return self.open("white space that only fish knows"),
                b'|' | b'&' | b'<' | b'>' | b'(' | b')' | b'*' | b'?' | b'{' | b'}' | b'[' | b']' => {
                    return self.open("an operator of fish");
                }
                b'~' if self.at == word.start => return self.open("somebody's home folder"),
                b'%' if self.at == word.start => return self.open("an expansion of fish"),
                b'\'' => {
                    word.is_plain = false;
                    let start = self.at;
                    self.at += 1;
                    loop {
                        match (self.peek(0), self.peek(1)) {
                            (None, _) => {
                                return Err(Wrong::Syntax((start, "a quote that is never closed: nothing of the file runs")));
                            }
                            (Some(0), _) => return self.open("a NUL byte"),
                            (Some(b'\''), _) => break,
                            (Some(b'\\'), Some(next @ (b'\'' | b'\\'))) => {
                                word.text.push(next);
                                self.at += 2;
                            }
                            (Some(other), _) => {
                                word.text.push(other);
                                self.at += 1;
                            }
                        }
                    }
                    self.at += 1;
                }
                b'"' => {
                    word.is_plain = false;
                    self.double(&mut word, get)?;
                }
                b'$' => {
                    word.is_plain = false;
                    let name = self.name()?;
                    // A list outside quotes makes as many words as it has items.
                    if name.ends_with(b"PATH") || self.lists.contains(&name) {
                        return self.open("a list, which makes several words");
                    }
                    match get(&name) {
                        Some(value) => word.text.extend(value),
                        None => word.vanishes = true,
                    }
                }
                b'\\' => {
                    word.is_plain = false;
                    self.escape(&mut word)?;
                }
                _ => {
                    word.text.push(byte);
                    self.at += 1;
                }
            }
        }
        word.end = self.at;
        Ok((self.at > word.start).then_some(word))
    }

    /// Takes `$NAME`.
    fn name(&mut self) -> Result<Vec<u8>, Wrong> {
        let after = self.file.get(self.at + 1..).unwrap_or_default();
        let length = after.iter().position(|b| !is_word(*b)).unwrap_or(after.len());
        let next = after.get(length).copied().unwrap_or(0);
        if length == 0 {
            return self.open("a reference that only fish knows");
        }
        let is_joined = next == b'\\' && after.get(length + 1) == Some(&b'\n');
        if next >= 0x80 || next == b'[' || is_joined {
            return self.open("a reference that only fish knows");
        }
        let name = after.get(..length).unwrap_or_default().to_vec();
        if is_kept(&name) {
            return self.open("a variable that fish itself may keep");
        }
        self.at += length + 1;
        Ok(name)
    }

    fn double(&mut self, word: &mut Word, get: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Result<(), Wrong> {
        let start = self.at;
        self.at += 1;
        loop {
            match (self.peek(0), self.peek(1)) {
                (None, _) => return Err(Wrong::Syntax((start, "a quote that is never closed: nothing of the file runs"))),
                (Some(0), _) => return self.open("a NUL byte"),
                (Some(b'"'), _) => {
                    self.at += 1;
                    return Ok(());
                }
                (Some(b'\\'), Some(b'\n')) => self.at += 2,
                (Some(b'\\'), Some(next @ (b'"' | b'\\' | b'$'))) => {
                    word.text.push(next);
                    self.at += 2;
                }
                (Some(b'$'), Some(b'(')) => return self.open("a command whose output is used"),
                (Some(b'$'), _) => {
                    let name = self.name()?;
                    word.text.extend(get(&name).unwrap_or_default());
                }
                (Some(other), _) => {
                    word.text.push(other);
                    self.at += 1;
                }
            }
        }
    }

    /// Takes an escape outside quotes.
    fn escape(&mut self, word: &mut Word) -> Result<(), Wrong> {
        let simple = match self.peek(1) {
            Some(b'a') => 7,
            Some(b'b') => 8,
            Some(b'e') => 27,
            Some(b'f') => 12,
            Some(b'n') => b'\n',
            Some(b'r') => b'\r',
            Some(b't') => b'\t',
            Some(b'v') => 11,
            Some(other) if other < 0x80 && !other.is_ascii_alphanumeric() && other != 0 && other != b'\n' => other,
            _ => return self.open("an escape that only fish knows"),
        };
        word.text.push(simple);
        self.at += 2;
        Ok(())
    }
}

/// Words that fish takes itself.
fn is_inner(word: &[u8]) -> bool {
    std::str::from_utf8(word).is_ok_and(|w| {
        matches!(
            w,
            "." | ":"
                | "["
                | "!"
                | "_"
                | "abbr"
                | "alias"
                | "and"
                | "argparse"
                | "begin"
                | "bg"
                | "bind"
                | "block"
                | "break"
                | "breakpoint"
                | "builtin"
                | "case"
                | "cd"
                | "cdh"
                | "command"
                | "commandline"
                | "complete"
                | "contains"
                | "continue"
                | "count"
                | "dirh"
                | "dirs"
                | "disown"
                | "else"
                | "emit"
                | "end"
                | "eval"
                | "exec"
                | "exit"
                | "false"
                | "fg"
                | "for"
                | "function"
                | "functions"
                | "funced"
                | "funcsave"
                | "help"
                | "history"
                | "if"
                | "isatty"
                | "jobs"
                | "math"
                | "nextd"
                | "not"
                | "open"
                | "or"
                | "path"
                | "popd"
                | "prevd"
                | "printf"
                | "prompt_pwd"
                | "psub"
                | "pushd"
                | "pwd"
                | "random"
                | "read"
                | "realpath"
                | "return"
                | "set_color"
                | "source"
                | "status"
                | "string"
                | "suspend"
                | "switch"
                | "test"
                | "time"
                | "trap"
                | "true"
                | "type"
                | "ulimit"
                | "umask"
                | "vared"
                | "wait"
                | "while"
                | "fish_add_path"
                | "fish_config"
                | "la"
                | "ll"
                | "ls"
                | "grep"
                | "man"
                | "N_"
                | "seq"
                | "export"
                | "set"
                | "setenv"
                | "echo"
        ) || w.starts_with("fish")
            || w.starts_with("__")
    })
}

/// Variables that fish itself keeps (fish 3.6 documentation, "Special variables").
fn is_kept(name: &[u8]) -> bool {
    let is_own = |n: &str| n.as_bytes().get(..4).is_some_and(|n| n.eq_ignore_ascii_case(b"fish")) || n.starts_with("__fish");
    std::str::from_utf8(name).is_ok_and(|n| {
        matches!(
            n,
            "PWD"
                | "SHLVL"
                | "status"
                | "version"
                | "history"
                | "hostname"
                | "pipestatus"
                | "argv"
                | "_"
                | "umask"
                | "COLUMNS"
                | "LINES"
                | "CMD_DURATION"
                | "EUID"
                | "last_pid"
                | "dirprev"
                | "dirnext"
        ) || is_own(n)
    })
}

impl Reader for Fish {
    fn id(&self) -> &'static str {
        "fish"
    }

    fn about(&self) -> &'static str {
        "source FILE in fish"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("fish 3.6.0")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        let bom = if file.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
        let mut parser = Parser { file, at: bom, lists: HashSet::new() };
        let mut known = Known::default();
        let mut lines = PlainLines::new(file, &PLAIN);
        let mut wrong = None;
        while parser.at < file.len() && wrong.is_none() {
            if let Some(line) = lines.at(parser.at)
                && let (Some(name), Some(value)) = (file.get(line.name.clone()), file.get(line.value.clone()))
                && parser.lists.is_empty()
                && !value.starts_with(b"-")
                && !name.ends_with(b"PATH")
                && !is_kept(name)
            {
                parser.at = line.next();
                reading.entries.push(lines.entry(line));
                continue;
            }
            known.catch_up(&reading.entries);
            let get = |name: &[u8]| match known.get(name) {
                Some(value) => value.map(|v| v.to_vec()),
                None => around.outer.get(name).map(<[u8]>::to_vec),
            };
            let mut words: Vec<Word> = Vec::new();
            loop {
                match parser.word(&get) {
                    Ok(Some(word)) => words.push(word),
                    Ok(None) => break,
                    Err(error) => {
                        wrong = Some(error);
                        break;
                    }
                }
            }
            if wrong.is_some() {
                break;
            }
            parser.at += 1;
            if let Err(error) = command(&words, &mut reading, &mut known, &mut parser.lists, around) {
                wrong = Some(error);
            }
        }
        match wrong {
            None => {}
            // What is more than plain lines is interpreted, from its beginning.
            Some(Wrong::Open(open)) => match super::shell::interpreted(None, file, around) {
                Some(interpreted) => return interpreted,
                None => reading.open = Some(open),
            },
            Some(Wrong::Syntax((at, what))) => reading.refuse(at, what, "write set -gx NAME 'value'"),
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        super::systemd::portable(name)?;
        if is_kept(name.as_bytes()) {
            return Err(Refusal::new("this name means something to fish itself", "set it where fish is started"));
        }
        let mut out = [b"set -gx ", name.as_bytes(), b" '"].concat();
        for byte in value.as_bytes() {
            if matches!(byte, b'\'' | b'\\') {
                out.push(b'\\');
            }
            out.push(*byte);
        }
        out.extend(b"'\n");
        Ok(out)
    }
}

fn command(
    words: &[Word],
    reading: &mut Reading,
    known: &mut Known,
    lists: &mut HashSet<Vec<u8>>,
    around: &Surroundings,
) -> Result<(), Wrong> {
    let Some((first, rest)) = words.split_first() else { return Ok(()) };
    let open = |why| Err(Wrong::Open((first.start, why)));
    if !first.is_plain {
        return open("a command whose name fish works out");
    }
    if let Some(at) = memchr::memchr(b'=', &first.text)
        && first.text.get(..at).is_some_and(super::is_portable)
    {
        if words.len() == 1 {
            return Err(Wrong::Syntax((first.start, "NAME=value is no command in fish: nothing of the file runs")));
        }
        return open("variables for one command");
    }
    if first.text != b"set" {
        return if is_inner(&first.text) { open("a command of fish itself") } else { Ok(()) };
    }
    let (mut exports, mut is_global, mut is_path) = (false, false, false);
    let mut at = 0;
    while let Some(option) = rest.get(at).filter(|w| w.is_plain && w.text.starts_with(b"-") && w.text.len() > 1) {
        match &option.text[..] {
            b"--export" => exports = true,
            b"--global" => is_global = true,
            b"--path" => is_path = true,
            b"--" => {
                at += 1;
                break;
            }
            letters if !letters.starts_with(b"--") => {
                for letter in letters.iter().skip(1) {
                    match letter {
                        b'x' => exports = true,
                        b'g' => is_global = true,
                        _ => return open("an option of set that only fish knows"),
                    }
                }
            }
            _ => return open("an option of set that only fish knows"),
        }
        at += 1;
    }
    let Some(name) = rest.get(at).filter(|w| w.is_plain && super::is_portable(&w.text)) else {
        return open("a name that fish works out");
    };
    if is_kept(&name.text) {
        return open("a name that fish itself may keep");
    }
    let is_list = is_path || name.text.ends_with(b"PATH");
    let values: Vec<&[u8]> = rest.iter().skip(at + 1).filter(|w| !w.vanishes).map(|w| &w.text[..]).collect();
    if values.len() == 1 {
        lists.remove(&name.text)
    } else {
        lists.insert(name.text.clone())
    };
    let joined = values.join(if is_list { &b":"[..] } else { b" " });
    if !exports {
        let was_exported = around.outer.get(&name.text).is_some() || reading.entries.iter().any(|e| e.name == name.text);
        if is_global || was_exported {
            return open("whether it is exported depends on what was before");
        }
        known.set(name.text.clone(), Some(joined));
        return Ok(());
    }
    let last = rest.last().map_or(name.end, |w| w.end);
    let from = rest.get(at + 1).map_or(last, |w| w.start);
    reading.set(name.text.clone(), joined, first.start..last, from..last);
    Ok(())
}
