//! A word of a shell file, taken apart: quotes and references.

use super::{Kind, Open};
use crate::reader::is_word;

/// A part of a word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Piece {
    /// Text, and whether it was quoted.
    Text(Vec<u8>, bool),
    /// A reference, and whether it was quoted.
    Name(Vec<u8>, bool),
    /// The home folder.
    Home,
}

#[derive(Clone, Debug, Default)]
pub(super) struct Word {
    pub(super) pieces: Vec<Piece>,
    pub(super) start: usize,
    pub(super) end: usize,
}

impl Word {
    /// Returns the word if nothing in it is quoted or expanded.
    pub(super) fn literal(&self) -> Option<&[u8]> {
        match &self.pieces[..] {
            [] => Some(b""),
            [Piece::Text(text, false)] => Some(text),
            _ => None,
        }
    }

    /// The text before the first quote or reference.
    pub(super) fn head(&self) -> &[u8] {
        match self.pieces.first() {
            Some(Piece::Text(text, false)) => text,
            _ => b"",
        }
    }
}

pub(super) struct Parser<'a> {
    pub(super) file: &'a [u8],
    pub(super) at: usize,
    pub(super) kind: Kind,
}

impl Parser<'_> {
    pub(super) fn peek(&self) -> Option<u8> {
        self.file.get(self.at).copied()
    }

    pub(super) fn open<T>(&self, why: &'static str) -> Result<T, Open> {
        Err((self.at, why))
    }

    /// Takes blanks, comments and joined lines.
    pub(super) fn blanks(&mut self) {
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
    pub(super) fn word(&mut self) -> Result<Option<Word>, Open> {
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
    pub(super) fn double(&mut self, word: &mut Word) -> Result<(), Open> {
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
    pub(super) fn reference(&mut self, word: &mut Word, quoted: bool) -> Result<(), Open> {
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
pub(super) const PLAIN: [bool; 256] = {
    let mut table = [true; 256];
    let special = b" \t\n;|&<>()`\\'\"$~\0";
    let mut at = 0;
    while at < special.len() {
        table[special[at] as usize] = false;
        at += 1;
    }
    table
};
