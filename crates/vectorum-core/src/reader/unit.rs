//! `Environment=` of a unit file (systemd 252): words, quotes, escapes, specifiers.

use std::borrow::Cow;

use super::cursor::{Line, is_blank, trim_end, trim_start};
use super::plain::{Form, PlainLines, letters_and};
use super::systemd::{portable, utf8};
use super::{Reader, Reading, Refusal, Surroundings, is_portable};
use crate::block::{Name, Value};

/// `%` begins a specifier.
static PLAIN: Form = Form { before: b"Environment=", between: b"=", bytes: letters_and(b"_,-./:@+=") };

/// The reader.
pub(super) struct UnitEnvironment;

impl Reader for UnitEnvironment {
    fn id(&self) -> &'static str {
        "systemd-environment"
    }

    fn about(&self) -> &'static str {
        "Environment= lines of a unit"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("systemd 252.39")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        let mut plain = PlainLines::new(file, &PLAIN);
        for (line, text) in logical_lines(file) {
            let span = line.start..line.start + line.text.len();
            if let Some(found) = plain.at(line.start).filter(|p| p.value.end == span.end) {
                let (name, value) = (plain.part(found.name), plain.part(found.value));
                reading.set(name, value, span.clone(), span);
                continue;
            }
            if std::str::from_utf8(&text).is_err() {
                reading.refuse(
                    line.start,
                    "text that is not UTF-8: the unit cannot be loaded",
                    "write such bytes as \\xHH, or in another form",
                );
                return reading;
            }
            let text = trim_start(&text, is_space);
            let Some(equals) = memchr::memchr(b'=', text) else { continue };
            let (key, value) = text.split_at(equals);
            let value = value.get(1..).unwrap_or_default();
            let value = trim_end(trim_start(value, is_space), is_space);
            match trim_end(key, is_space) {
                b"Environment" => environment(value, &line, around, &mut reading),
                b"UnsetEnvironment" => {
                    for name in value.split(|b| is_space(*b)).filter(|n| is_portable(n)) {
                        reading.unset(name.to_vec(), line.start..line.start + line.text.len());
                    }
                }
                _ => {}
            }
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        portable(name)?;
        utf8(value)?;
        let mut out = [b"Environment=\"", name.as_bytes(), b"="].concat();
        for byte in value.as_bytes() {
            match byte {
                b'\\' => out.extend(b"\\\\"),
                b'"' => out.extend(b"\\\""),
                b'%' => out.extend(b"%%"),
                b'\n' => out.extend(b"\\n"),
                b'\t' => out.extend(b"\\t"),
                b'\r' => out.extend(b"\\r"),
                0..32 | 127 => out.extend(format!("\\x{byte:02x}").into_bytes()),
                _ => out.push(*byte),
            }
        }
        out.extend(b"\"\n");
        Ok(out)
    }
}

fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r')
}

/// Cuts a file into lines as systemd does: at line feeds, carriage returns and NULs.
fn physical_lines(file: &[u8]) -> impl Iterator<Item = Line<'_>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        let rest = file.get(at..).filter(|rest| !rest.is_empty())?;
        let length = rest.iter().position(|b| matches!(b, b'\n' | b'\r' | 0)).unwrap_or(rest.len());
        let line = Line { start: at, text: rest.get(..length).unwrap_or_default() };
        at += length + 1;
        Some(line)
    })
}

/// Joins lines that end in a backslash with a blank; comment lines in between are left out.
pub(super) fn logical_lines(file: &[u8]) -> Vec<(Line<'_>, Cow<'_, [u8]>)> {
    let mut out = Vec::new();
    let mut joined: Option<(Line<'_>, Cow<'_, [u8]>)> = None;
    let mut bom_seen = false;
    for line in physical_lines(file) {
        // The first mark of byte order at the beginning of a line is passed over.
        let marked = line.text.strip_prefix(b"\xef\xbb\xbf").filter(|_| !bom_seen);
        bom_seen |= marked.is_some();
        let text = marked.unwrap_or(line.text);
        let start = trim_start(text, is_blank);
        if matches!(start.first(), Some(b'#' | b';')) {
            continue;
        }
        // An even number of backslashes is text.
        let slashes = text.iter().rev().take_while(|b| **b == b'\\').count();
        let goes_on = slashes % 2 == 1;
        let text = if goes_on { text.get(..text.len() - 1).unwrap_or_default() } else { text };
        let (first, mut whole) = match joined.take() {
            Some((first, mut whole)) => {
                whole.to_mut().extend_from_slice(text);
                (first, whole)
            }
            None => (line, Cow::Borrowed(text)),
        };
        if goes_on {
            whole.to_mut().push(b' ');
            joined = Some((first, whole));
        } else {
            out.push((first, whole));
        }
    }
    out.extend(joined);
    out
}

fn environment(value: &[u8], line: &Line<'_>, around: &Surroundings, reading: &mut Reading) {
    let span = line.start..line.start + line.text.len();
    if value.is_empty() {
        reading.entries.clear();
        return;
    }
    let mut rest = value;
    loop {
        match word(rest) {
            Ok(None) => return,
            Ok(Some((word, after))) => {
                rest = after;
                let Ok(text) = String::from_utf8(word) else {
                    reading.complain(
                        line.start,
                        "an escape makes bytes that are not UTF-8: the word is dropped",
                        "write the characters themselves",
                    );
                    continue;
                };
                let Some(text) = specifiers(text.as_bytes(), around) else {
                    reading.complain(
                        line.start,
                        "a % that begins no specifier: the word is dropped",
                        "write %% for a percent sign",
                    );
                    continue;
                };
                match memchr::memchr(b'=', &text) {
                    Some(at) if is_portable(text.get(..at).unwrap_or_default()) => {
                        let (name, value) = text.split_at(at);
                        reading.set(name.to_vec(), value.get(1..).unwrap_or_default().to_vec(), span.clone(), span.clone());
                    }
                    _ => reading.complain(
                        line.start,
                        "a word is no assignment: it is dropped",
                        "put quotes around the whole NAME=value",
                    ),
                }
            }
            Err(what) => {
                reading.complain(line.start, what, "write \\\\ for a backslash, and close each quote");
                return;
            }
        }
    }
}

/// A setting of a unit file or a manager's configuration.
pub(crate) struct Setting {
    pub(crate) section: Vec<u8>,
    pub(crate) key: Vec<u8>,
    pub(crate) value: Vec<u8>,
    /// Where its line begins.
    pub(crate) at: usize,
}

/// Takes a file apart into its settings.
pub(crate) fn settings(file: &[u8]) -> Vec<Setting> {
    let (mut out, mut section) = (Vec::new(), Vec::new());
    for (line, text) in logical_lines(file) {
        let text = trim_end(trim_start(&text, is_space), is_space);
        if let Some(name) = text.strip_prefix(b"[").and_then(|t| t.strip_suffix(b"]")) {
            section = name.to_vec();
        } else if let Some(equals) = memchr::memchr(b'=', text) {
            let (key, value) = text.split_at(equals);
            let value = trim_start(value.get(1..).unwrap_or_default(), is_space);
            let (key, value) = (trim_end(key, is_space).to_vec(), value.to_vec());
            out.push(Setting { section: section.clone(), key, value, at: line.start });
        }
    }
    out
}

/// Takes the words of a value apart. The rest of the line behind a word that makes no sense is lost.
pub(crate) fn words(value: &[u8]) -> Vec<Vec<u8>> {
    let (mut out, mut rest) = (Vec::new(), value);
    while let Ok(Some((word, after))) = word(rest) {
        out.push(word);
        rest = after;
    }
    out
}

/// Resolves specifiers by what `of` says of each letter; `None` for one that is unknown.
pub(crate) fn with_specifiers(text: &[u8], of: &dyn Fn(u8) -> Option<Vec<u8>>) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        match (byte, text.get(at).copied()) {
            (b'%', Some(b'%')) => out.push(b'%'),
            (b'%', Some(next)) if next.is_ascii_alphanumeric() => out.extend(of(next)?),
            // A percent sign before anything else stands for itself.
            _ => {
                out.push(byte);
                continue;
            }
        }
        at += 1;
    }
    Some(out)
}

type Word<'a> = Option<(Vec<u8>, &'a [u8])>;

/// Takes the next word; what is left of the line is lost with a word that makes no sense.
fn word(text: &[u8]) -> Result<Word<'_>, &'static str> {
    let text = trim_start(text, is_space);
    if text.is_empty() {
        return Ok(None);
    }
    let mut out = Vec::new();
    let mut quote = None;
    let mut at = 0;
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        match (quote, byte) {
            (None, b'\'' | b'"') => quote = Some(byte),
            (None, _) if is_space(byte) => return Ok(Some((out, text.get(at..).unwrap_or_default()))),
            (Some(open), _) if open == byte => quote = None,
            (_, b'\\') => {
                at += escape(text.get(at..).unwrap_or_default(), &mut out)
                    .ok_or("an escape that is none: the rest of the line is dropped")?;
            }
            _ => out.push(byte),
        }
    }
    if quote.is_some() {
        return Err("a quote is never closed: the rest of the line is dropped");
    }
    Ok(Some((out, b"")))
}

/// Takes an escape behind its backslash; returns its length.
fn escape(text: &[u8], out: &mut Vec<u8>) -> Option<usize> {
    let number = |from: usize, length: usize, radix: u32| {
        let digits = std::str::from_utf8(text.get(from..from + length)?).ok()?;
        if digits.bytes().all(|b| (b as char).is_digit(radix)) { u32::from_str_radix(digits, radix).ok() } else { None }
    };
    let simple = match text.first()? {
        b'a' => 7,
        b'b' => 8,
        b'f' => 12,
        b'n' => b'\n',
        b'r' => b'\r',
        b't' => b'\t',
        b'v' => 11,
        b's' => b' ',
        same @ (b'\\' | b'"' | b'\'') => *same,
        b'x' => {
            out.push(u8::try_from(number(1, 2, 16)?).ok().filter(|b| *b != 0)?);
            return Some(3);
        }
        b'0'..=b'7' => {
            out.push(u8::try_from(number(0, 3, 8)?).ok().filter(|b| *b != 0)?);
            return Some(3);
        }
        wide @ (b'u' | b'U') => {
            let length = if *wide == b'u' { 4 } else { 8 };
            let c = char::from_u32(number(1, length, 16)?).filter(|c| *c != '\0')?;
            out.extend(c.to_string().into_bytes());
            return Some(1 + length);
        }
        _ => return None,
    };
    out.push(simple);
    Some(1)
}

/// Resolves specifiers; `None` for one that is unknown (systemd.unit(5), "Specifiers"; those whose
/// answer only the running manager knows are left as unknown).
fn specifiers(text: &[u8], around: &Surroundings) -> Option<Vec<u8>> {
    with_specifiers(text, &|letter| common_specifier(letter, around))
}

/// What a specifier stands for wherever the unit is.
pub(crate) fn common_specifier(letter: u8, around: &Surroundings) -> Option<Vec<u8>> {
    Some(match letter {
        b'h' => around.home.to_vec(),
        b'u' => around.account.to_vec(),
        b'U' => around.uid.to_string().into_bytes(),
        b's' => around.shell.to_vec(),
        b't' => format!("/run/user/{}", around.uid).into_bytes(),
        b'T' => b"/tmp".to_vec(),
        b'V' => b"/var/tmp".to_vec(),
        _ => return None,
    })
}
