//! The plain part of shell files: assignments, quoting, references to known names, comments, and
//! commands that cannot change a variable. A file is a program; where it does anything else, it is
//! said from which place on nothing is known.

use super::plain::{Form, Known, PlainLines};
use super::systemd::{assignment, portable};
use bytes::Bytes;

use super::{Effect, Entry, Reader, Reading, Refusal, Surroundings, is_word};
use crate::block::{Name, Value};
use crate::route::Account;
use crate::shell::{Dialect, Val, taken_in};

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

/// A part of a word.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    /// Text, and whether it was quoted.
    Text(Vec<u8>, bool),
    /// A reference, and whether it was quoted.
    Name(Vec<u8>, bool),
    /// The home folder.
    Home,
}

#[derive(Clone, Debug, Default)]
struct Word {
    pieces: Vec<Piece>,
    start: usize,
    end: usize,
}

impl Word {
    /// Returns the word if nothing in it is quoted or expanded.
    fn literal(&self) -> Option<&[u8]> {
        match &self.pieces[..] {
            [] => Some(b""),
            [Piece::Text(text, false)] => Some(text),
            _ => None,
        }
    }

    /// The text before the first quote or reference.
    fn head(&self) -> &[u8] {
        match self.pieces.first() {
            Some(Piece::Text(text, false)) => text,
            _ => b"",
        }
    }
}

struct Parser<'a> {
    file: &'a [u8],
    at: usize,
    kind: Kind,
}

impl Parser<'_> {
    fn peek(&self) -> Option<u8> {
        self.file.get(self.at).copied()
    }

    fn open<T>(&self, why: &'static str) -> Result<T, Open> {
        Err((self.at, why))
    }

    /// Takes blanks, comments and joined lines.
    fn blanks(&mut self) {
        loop {
            match self.peek() {
                Some(b' ' | b'\t') => self.at += 1,
                Some(b'\\') if self.file.get(self.at + 1) == Some(&b'\n') => self.at += 2,
                Some(b'#') => {
                    let rest = self.file.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => return,
            }
        }
    }

    /// Takes a word; `None` at the end of a command.
    fn word(&mut self) -> Result<Option<Word>, Open> {
        self.blanks();
        let mut word = Word { start: self.at, ..Word::default() };
        let mut text: Vec<u8> = Vec::new();
        let flush = |text: &mut Vec<u8>, pieces: &mut Vec<Piece>| {
            if !text.is_empty() {
                pieces.push(Piece::Text(std::mem::take(text), false));
            }
        };
        loop {
            // What many bytes have in common is taken in one piece.
            let rest = self.file.get(self.at..).unwrap_or_default();
            let plain = rest.iter().position(|b| !PLAIN[usize::from(*b)]).unwrap_or(rest.len());
            text.extend_from_slice(rest.get(..plain).unwrap_or_default());
            self.at += plain;
            let Some(byte) = self.peek() else { break };
            match byte {
                b' ' | b'\t' | b'\n' | b';' => break,
                0 => return self.open("a NUL byte, which each shell takes in its own way"),
                b'|' | b'&' | b'<' | b'>' | b'(' | b')' => return self.open("an operator of the shell"),
                b'`' => return self.open("a command whose output is used"),
                b'\\' => match self.file.get(self.at + 1) {
                    Some(b'\n') if self.kind == Kind::Ksh && self.file.get(self.at + 2) == Some(&b'~') => {
                        return self.open("a tilde behind a joined line");
                    }
                    Some(b'\n') => self.at += 2,
                    Some(0) => return self.open("a NUL byte, which each shell takes in its own way"),
                    Some(next) => {
                        flush(&mut text, &mut word.pieces);
                        word.pieces.push(Piece::Text(vec![*next], true));
                        self.at += 2;
                    }
                    None => return self.open("a backslash at the end of the file"),
                },
                b'\'' => {
                    let rest = self.file.get(self.at + 1..).unwrap_or_default();
                    let Some(end) = memchr::memchr(b'\'', rest) else { return self.open("a quote that is never closed") };
                    let inner = rest.get(..end).unwrap_or_default();
                    if inner.contains(&0) {
                        return self.open("a NUL byte, which each shell takes in its own way");
                    }
                    flush(&mut text, &mut word.pieces);
                    word.pieces.push(Piece::Text(inner.to_vec(), true));
                    self.at += end + 2;
                }
                b'"' => {
                    flush(&mut text, &mut word.pieces);
                    self.double(&mut word)?;
                }
                b'$' => {
                    flush(&mut text, &mut word.pieces);
                    self.reference(&mut word, false)?;
                }
                b'~' => {
                    let before = text.last().copied();
                    let is_first = text.is_empty() && word.pieces.is_empty();
                    // At the beginning of a word, of a value, and of an item of a list.
                    if is_first || matches!(before, Some(b'=' | b':')) || (text.is_empty() && !word.pieces.is_empty()) {
                        let after = self.file.get(self.at + 1).copied();
                        let is_home = matches!(after, None | Some(b'/' | b':' | b' ' | b'\t' | b'\n' | b';'));
                        // Shells differ in what they take for the beginning of a value.
                        let is_second = before == Some(b'=') && text.iter().filter(|b| **b == b'=').count() > 1;
                        if is_first || !is_home || is_second || text.is_empty() {
                            return self.open("somebody's home folder");
                        }
                        flush(&mut text, &mut word.pieces);
                        word.pieces.push(Piece::Home);
                    } else {
                        text.push(byte);
                    }
                    self.at += 1;
                }
                _ => {
                    text.push(byte);
                    self.at += 1;
                }
            }
        }
        flush(&mut text, &mut word.pieces);
        word.end = self.at;
        Ok((self.at > word.start).then_some(word))
    }

    /// Takes a double-quoted part.
    fn double(&mut self, word: &mut Word) -> Result<(), Open> {
        let start = self.at;
        self.at += 1;
        let mut text = Vec::new();
        loop {
            match self.peek() {
                None => return Err((start, "a quote that is never closed")),
                Some(0) => return self.open("a NUL byte, which each shell takes in its own way"),
                Some(b'"') => {
                    self.at += 1;
                    word.pieces.push(Piece::Text(text, true));
                    return Ok(());
                }
                Some(b'`') => return self.open("a command whose output is used"),
                Some(b'\\') => match self.file.get(self.at + 1) {
                    Some(b'\n') => self.at += 2,
                    Some(next @ (b'$' | b'"' | b'\\' | b'`')) => {
                        text.push(*next);
                        self.at += 2;
                    }
                    _ => {
                        text.push(b'\\');
                        self.at += 1;
                    }
                },
                Some(b'$') => {
                    if !text.is_empty() {
                        word.pieces.push(Piece::Text(std::mem::take(&mut text), true));
                    }
                    self.reference(word, true)?;
                }
                Some(byte) => {
                    text.push(byte);
                    self.at += 1;
                }
            }
        }
    }

    /// Takes a reference.
    fn reference(&mut self, word: &mut Word, quoted: bool) -> Result<(), Open> {
        let after = self.file.get(self.at + 1..).unwrap_or_default();
        let name_length = |text: &[u8]| {
            let starts = text.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
            if starts { text.iter().position(|b| !is_word(*b)).unwrap_or(text.len()) } else { 0 }
        };
        match after.first() {
            Some(b'{') => {
                let inner = after.get(1..).unwrap_or_default();
                let length = name_length(inner);
                if length == 0 || inner.get(length) != Some(&b'}') {
                    return self.open("an expansion that only the shell knows");
                }
                word.pieces.push(Piece::Name(inner.get(..length).unwrap_or_default().to_vec(), quoted));
                self.at += length + 3;
            }
            Some(b) if b.is_ascii_alphabetic() || *b == b'_' => {
                let length = name_length(after);
                let next = after.get(length).copied().unwrap_or(0);
                if next == b'\\' && after.get(length + 1) == Some(&b'\n') {
                    return self.open("a name that goes on behind a joined line");
                }
                let parts = match self.kind {
                    Kind::Zsh => next >= 0x80 || matches!(next, b':' | b'['),
                    Kind::Ksh => next >= 0x80 || next == b'[' || next == b'.',
                    Kind::Mksh => next == b'[',
                    _ => false,
                };
                if parts {
                    return self.open("an expansion that only this shell knows");
                }
                word.pieces.push(Piece::Name(after.get(..length).unwrap_or_default().to_vec(), quoted));
                self.at += length + 1;
            }
            Some(b'(') => return self.open("a command whose output is used"),
            Some(b'\'' | b'"') if !quoted => return self.open("quotes that only some shells know"),
            Some(b) if b.is_ascii_digit() || b"@*#?-$!_".contains(b) => return self.open("a parameter of the shell itself"),
            Some(b'[') => return self.open("arithmetic of an old kind"),
            Some(b'+' | b'=' | b'^' | b'~' | b'.' | b':') if self.kind == Kind::Zsh || self.kind == Kind::Ksh => {
                return self.open("an expansion that only this shell knows");
            }
            _ => {
                word.pieces.push(Piece::Text(vec![b'$'], quoted));
                self.at += 1;
            }
        }
        Ok(())
    }
}

/// Bytes that mean nothing anywhere in a word.
const PLAIN: [bool; 256] = {
    let mut table = [true; 256];
    let special = b" \t\n;|&<>()`\\'\"$~\0";
    let mut at = 0;
    while at < special.len() {
        table[special[at] as usize] = false;
        at += 1;
    }
    table
};

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

/// Words that a shell takes itself, in any of the five.
fn is_inner(word: &[u8]) -> bool {
    std::str::from_utf8(word).is_ok_and(|w| {
        matches!(
            w,
            "!" | "."
                | "[["
                | "alias"
                | "autoload"
                | "bg"
                | "bind"
                | "bindkey"
                | "break"
                | "builtin"
                | "bye"
                | "caller"
                | "case"
                | "cat"
                | "cd"
                | "chdir"
                | "command"
                | "compgen"
                | "complete"
                | "compopt"
                | "continue"
                | "coproc"
                | "declare"
                | "dirs"
                | "disable"
                | "disown"
                | "do"
                | "done"
                | "elif"
                | "else"
                | "emulate"
                | "enable"
                | "esac"
                | "eval"
                | "exec"
                | "exit"
                | "export"
                | "fc"
                | "fg"
                | "fi"
                | "float"
                | "for"
                | "foreach"
                | "function"
                | "functions"
                | "getopts"
                | "global"
                | "hash"
                | "help"
                | "hist"
                | "history"
                | "if"
                | "in"
                | "integer"
                | "jobs"
                | "kill"
                | "let"
                | "limit"
                | "local"
                | "log"
                | "logout"
                | "mapfile"
                | "nameref"
                | "namespace"
                | "nocorrect"
                | "noglob"
                | "popd"
                | "print"
                | "printf"
                | "pushd"
                | "r"
                | "read"
                | "readarray"
                | "readonly"
                | "redirect"
                | "rehash"
                | "rename"
                | "repeat"
                | "return"
                | "sched"
                | "select"
                | "set"
                | "setopt"
                | "shift"
                | "shopt"
                | "source"
                | "suspend"
                | "then"
                | "time"
                | "times"
                | "trap"
                | "ttyctl"
                | "type"
                | "typeset"
                | "ulimit"
                | "umask"
                | "unalias"
                | "unfunction"
                | "unhash"
                | "unlimit"
                | "unset"
                | "unsetopt"
                | "until"
                | "vared"
                | "wait"
                | "whence"
                | "where"
                | "which"
                | "while"
                | "zcompile"
                | "zmodload"
                | "zle"
                | "zstyle"
                | "zparseopts"
                | "zformat"
                | "zregexparse"
                | "end"
                | "-"
                | "}"
                | "{"
                | "~"
                | "compound"
                | "enum"
                | "stop"
                | "domainname"
                | "getconf"
                | "mkdir"
                | "chmod"
                | "cmp"
                | "comm"
                | "cp"
                | "cut"
                | "head"
                | "mv"
                | "rm"
                | "sync"
                | "tail"
                | "tee"
                | "uname"
                | "vmstate"
                | "bltin"
                | "sleep"
                | "pwd"
                | "echotc"
                | "echoti"
                | "getcap"
                | "setcap"
                | "pcre_compile"
                | "comparguments"
        )
    })
}

/// Whether a command's name holds an odd sign that no shell but zsh cares about.
fn is_harmless_odd(program: &[u8], kind: Kind) -> bool {
    kind != Kind::Zsh && !program.iter().any(|b| b"*?[{}%!^".contains(b)) && !program.contains(&b'[')
}

/// Variables that a shell keeps by itself, so that a reference is not what was set.
fn is_dynamic(name: &[u8]) -> bool {
    std::str::from_utf8(name).is_ok_and(|n| {
        matches!(
            n,
            "RANDOM"
                | "SECONDS"
                | "LINENO"
                | "PPID"
                | "UID"
                | "EUID"
                | "GID"
                | "EGID"
                | "PWD"
                | "OLDPWD"
                | "IFS"
                | "PS1"
                | "PS2"
                | "PS3"
                | "PS4"
                | "OPTIND"
                | "OPTARG"
                | "SHLVL"
                | "SHELL"
                | "HOSTNAME"
                | "HOSTTYPE"
                | "OSTYPE"
                | "MACHTYPE"
                | "USERNAME"
                | "USER"
                | "LOGNAME"
                | "HOST"
                | "TERM"
                | "COLUMNS"
                | "LINES"
                | "FUNCNAME"
                | "GROUPS"
                | "DIRSTACK"
                | "PIPESTATUS"
                | "HISTCMD"
                | "SHELLOPTS"
                | "BASHOPTS"
                | "EPOCHSECONDS"
                | "EPOCHREALTIME"
                | "SRANDOM"
                | "KSH_VERSION"
                | "CPUTYPE"
                | "VENDOR"
                | "TTY"
                | "TTYIDLE"
                | "MAIL"
                | "PATH"
                | "HOME"
                | "TMOUT"
                | "MAILCHECK"
                | "FCEDIT"
                | "status"
                | "argv"
                | "path"
                | "cdpath"
                | "fpath"
                | "manpath"
                | "mailpath"
                | "module_path"
                | "fignore"
                | "watch"
                | "psvar"
                | "pipestatus"
                | "prompt"
                | "signals"
                | "histchars"
                | "aliases"
                | "functions"
                | "options"
                | "commands"
                | "builtins"
                | "parameters"
                | "NULLCMD"
                | "READNULLCMD"
                | "KEYTIMEOUT"
                | "LISTMAX"
                | "MODULE_PATH"
                | "FPATH"
                | "CDPATH"
                | "MANPATH"
                | "WORDCHARS"
                | "ZDOTDIR"
                | "PROMPT"
                | "RPROMPT"
                | "SPROMPT"
                | "TIMEFMT"
                | "_"
                | "EPOCH"
                | "JOBMAX"
                | "DIRSTACKSIZE"
                | "HISTSIZE"
                | "SAVEHIST"
                | "LOGCHECK"
                | "MAILPATH"
                | "NO_PROMPT"
        ) || n.starts_with("BASH")
            || n.starts_with("ZSH")
            || n.starts_with("KSH")
    })
}

/// Variables that cannot be set like others.
fn is_special(name: &[u8], kind: Kind) -> bool {
    let Ok(name) = std::str::from_utf8(name) else { return true };
    let lower = kind == Kind::Zsh
        && (name.bytes().all(|b| b.is_ascii_lowercase() || b == b'_')
            || is_dynamic(name.as_bytes()) && name != "HOME" && name != "PATH");
    matches!(
        name,
        "IFS"
            | "PPID"
            | "UID"
            | "EUID"
            | "GID"
            | "EGID"
            | "SHELLOPTS"
            | "BASHOPTS"
            | "OPTIND"
            | "OPTARG"
            | "OPTERR"
            | "LINENO"
            | "RANDOM"
            | "SECONDS"
            | "POSIXLY_CORRECT"
            | "_"
            | "SHLVL"
            | "PWD"
            | "OLDPWD"
            | "ENV"
            | "FPATH"
            | "HISTSIZE"
            | "HISTFILE"
            | "HISTCMD"
            | "COLUMNS"
            | "LINES"
            | "TMOUT"
            | "TERM"
            | "EPOCHSECONDS"
            | "EPOCHREALTIME"
            | "SRANDOM"
            | "FUNCNAME"
            | "GROUPS"
            | "DIRSTACK"
            | "PIPESTATUS"
            | "LANG"
            | "EDITOR"
            | "VISUAL"
            | "MAILCHECK"
            | "FUNCNEST"
            | "CDPATH"
            | "PS4"
            | "KEYTIMEOUT"
            | "USERNAME"
            | "ERRNO"
            | "KSHEGID"
            | "KSHGID"
            | "KSHUID"
            | "EXECSHELL"
            | "TEMPDIR"
            | "TTYIDLE"
            | "VPATH"
            | "JOBMAX"
            | "MAIL"
            | "MAILPATH"
    ) || name.starts_with("LC_")
        || name.starts_with("BASH")
        || name.starts_with("ZSH")
        || name.starts_with("KSH")
        || lower
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
    let handed = |(name, value): (Name, Value)| {
        (Bytes::copy_from_slice(name.as_bytes()), (Val::Known(Bytes::copy_from_slice(value.as_bytes())), false))
    };
    let start = around.outer.vars().map(handed).collect();
    let started = taken_in(dialect, file, &account, &start, &around.folder)?;
    let lines: Vec<usize> = std::iter::once(0).chain(memchr::memchr_iter(b'\n', file).map(|at| at + 1)).collect();
    let span = |line: usize| {
        let from = line.checked_sub(1).and_then(|l| lines.get(l)).copied().unwrap_or(0);
        let to = lines.get(line).map_or(file.len(), |next| next - 1);
        from..to.max(from)
    };
    let mut entries: Vec<Entry> = Vec::new();
    for (name, last) in started.changed {
        let Some(site) = last.site else { continue };
        let effect = match last.value {
            Val::Known(value) => Effect::Set(value),
            Val::Unknown(doubt) => Effect::Unknown(doubt.why),
        };
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
