//! The service manager's `EnvironmentFile=` (systemd 252), a grammar that environment.d shares.

use std::ops::Range;

use bytes::Bytes;

use super::plain::{Form, PlainLines};
use super::{Reader, Reading, Refusal, Surroundings, is_plain_utf8, is_portable};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct EnvironmentFile;

/// One assignment as the grammar takes it apart, before names are judged.
pub(super) struct Raw {
    pub(super) key: Bytes,
    pub(super) value: Bytes,
    /// Whether both are of plain bytes, and the key a good name.
    pub(super) is_plain: bool,
    pub(super) span: Range<usize>,
    pub(super) value_span: Range<usize>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum State {
    PreKey,
    Key,
    PreValue,
    Value,
    ValueEscape,
    Single,
    Double,
    DoubleEscape,
    Comment,
    CommentEscape,
}

fn is_newline(byte: u8) -> bool {
    matches!(byte, b'\n' | b'\r')
}

fn is_white(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r')
}

/// Takes a file apart. Returns the assignments, and where a quote was opened that nothing closes.
pub(super) fn assignments(file: &[u8]) -> (Vec<Raw>, Option<usize>) {
    let mut out = Vec::new();
    let (mut key, mut value) = (Vec::new(), Vec::new());
    let mut state = State::PreKey;
    let (mut start, mut value_start, mut quote) = (0, 0, 0);
    // How much of the value counts, blanks at its end left out.
    let mut solid = 0;
    let take = |key: &mut Vec<u8>, value: &mut Vec<u8>, solid: Option<usize>, span: Range<usize>, from: usize| {
        let keep = key.iter().rposition(|b| !is_white(*b)).map_or(0, |at| at + 1);
        key.truncate(keep);
        value.truncate(solid.unwrap_or(value.len()));
        let (key, value) = (std::mem::take(key).into(), std::mem::take(value).into());
        Raw { key, value, value_span: from.min(span.end)..span.end, span, is_plain: false }
    };
    let mut lines = PlainLines::new(file, &Form::ASSIGNMENT);
    let mut at = 0;
    while let Some(byte) = file.get(at).copied() {
        if state == State::PreKey
            && let Some(line) = lines.at(at)
        {
            at = line.next();
            let (key, value) = (lines.part(line.name), lines.part(line.value.clone()));
            out.push(Raw { key, value, span: line.start..line.value.end, value_span: line.value, is_plain: true });
            continue;
        }
        match state {
            State::PreKey if matches!(byte, b'#' | b';') => state = State::Comment,
            State::PreKey if is_white(byte) => {}
            State::PreKey => {
                (state, start) = (State::Key, at);
                // A line that begins with `=` is a key of no letters.
                if byte == b'=' {
                    (state, value_start) = (State::PreValue, at + 1);
                } else {
                    key.push(byte);
                }
            }
            State::Key if is_newline(byte) => {
                key.clear();
                state = State::PreKey;
            }
            State::Key if byte == b'=' => (state, value_start) = (State::PreValue, at + 1),
            State::Key => {
                let rest = file.get(at..).unwrap_or_default();
                let length = rest.iter().position(|b| matches!(b, b'=' | b'\n' | b'\r')).unwrap_or(rest.len());
                key.extend_from_slice(rest.get(..length).unwrap_or_default());
                at += length;
                continue;
            }
            State::PreValue if is_newline(byte) => {
                out.push(take(&mut key, &mut value, None, start..at, value_start));
                state = State::PreKey;
            }
            State::PreValue if byte == b'\'' => (state, quote) = (State::Single, at),
            State::PreValue if byte == b'"' => (state, quote) = (State::Double, at),
            State::PreValue if byte == b'\\' => {
                state = State::ValueEscape;
                solid = value.len();
            }
            State::PreValue if is_white(byte) => {}
            State::PreValue => {
                state = State::Value;
                value.push(byte);
                solid = value.len();
            }
            State::Value if is_newline(byte) => {
                out.push(take(&mut key, &mut value, Some(solid), start..at, value_start));
                state = State::PreKey;
            }
            State::Value if byte == b'\\' => {
                state = State::ValueEscape;
                solid = value.len();
            }
            State::Value => {
                // The common part of a value, taken in one piece.
                let rest = file.get(at..).unwrap_or_default();
                let length = rest.iter().position(|b| matches!(b, b'\n' | b'\r' | b'\\')).unwrap_or(rest.len());
                let piece = rest.get(..length).unwrap_or_default();
                value.extend_from_slice(piece);
                if let Some(last) = piece.iter().rposition(|b| !is_white(*b)) {
                    solid = value.len() - piece.len() + last + 1;
                }
                at += length;
                continue;
            }
            State::ValueEscape => {
                state = State::Value;
                if !is_newline(byte) {
                    value.push(byte);
                }
                solid = value.len();
            }
            State::Single if byte == b'\'' => state = State::PreValue,
            State::Double if byte == b'"' => state = State::PreValue,
            State::Double if byte == b'\\' => state = State::DoubleEscape,
            State::Single | State::Double => value.push(byte),
            State::DoubleEscape => {
                state = State::Double;
                if matches!(byte, b'"' | b'\\' | b'`' | b'$') {
                    value.push(byte);
                } else if byte != b'\n' {
                    value.extend([b'\\', byte]);
                }
            }
            State::Comment if byte == b'\\' => state = State::CommentEscape,
            State::Comment if is_newline(byte) => state = State::PreKey,
            State::Comment => {}
            State::CommentEscape => state = State::Comment,
        }
        at += 1;
    }
    let solid = (state == State::Value).then_some(solid);
    if !matches!(state, State::PreKey | State::Key | State::Comment | State::CommentEscape) {
        out.push(take(&mut key, &mut value, solid, start..file.len(), value_start));
    }
    (out, matches!(state, State::Single | State::Double | State::DoubleEscape).then_some(quote))
}

/// Complains about lines that the grammar drops without a word.
pub(super) fn complain_about_names(reading: &mut Reading, raw: &Raw) {
    let (what, way_out) = if raw.key.first().is_some_and(|b| b.is_ascii_digit()) {
        ("a name begins with a digit: the line is dropped", "begin it with a letter or an underscore")
    } else if raw.key.starts_with(b"export ") || raw.key.starts_with(b"export\t") {
        ("`export` is no word of this grammar: the line is dropped", "leave it out")
    } else {
        ("a name has other characters than letters, digits and underscores: the line is dropped", "rename it")
    };
    reading.complain(raw.span.start, what, way_out);
}

const NOT_UTF8: &str = "a value is not plain UTF-8";

impl Reader for EnvironmentFile {
    fn id(&self) -> &'static str {
        "systemd-environment-file"
    }

    fn about(&self) -> &'static str {
        "a unit's EnvironmentFile="
    }

    fn measured(&self) -> Option<&'static str> {
        Some("systemd 252.39")
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        if let Some(at) = memchr::memchr(0, file) {
            reading.refuse(at, "a NUL byte: the unit does not start", "leave it out; no block can carry it");
            return reading;
        }
        let (raws, open_quote) = assignments(file);
        for raw in raws {
            if raw.is_plain {
                reading.set(raw.key, raw.value, raw.span, raw.value_span);
                continue;
            }
            if !is_plain_utf8(&raw.value) || !is_plain_utf8(&raw.key) {
                reading.refuse(
                    raw.span.start,
                    "text that is not plain UTF-8: the unit does not start",
                    "store it in another form, base64 for instance",
                );
                return reading;
            }
            if is_portable(&raw.key) {
                reading.set(raw.key, raw.value, raw.span, raw.value_span);
            } else {
                complain_about_names(&mut reading, &raw);
            }
        }
        if let Some(at) = open_quote {
            reading.complain(at, "a quote is never closed: it takes the rest of the file", "close it, or write \\ before it");
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        portable(name)?;
        utf8(value)?;
        Ok(assignment(name, &quoted(value.as_bytes(), b"\"\\$`")))
    }
}

/// Returns a text in double quotes, with a backslash before some bytes.
pub(super) fn quoted(text: &[u8], escaped: &[u8]) -> Vec<u8> {
    let mut out = vec![b'"'];
    for byte in text {
        if escaped.contains(byte) {
            out.push(b'\\');
        }
        out.push(*byte);
    }
    out.push(b'"');
    out
}

/// Returns `NAME=spelling` as a line.
pub(super) fn assignment(name: &Name, spelling: &[u8]) -> Vec<u8> {
    [name.as_bytes(), b"=", spelling, b"\n"].concat()
}

/// Refuses names that not every consumer takes.
pub(super) fn portable(name: &Name) -> Result<(), Refusal> {
    if is_portable(name.as_bytes()) {
        return Ok(());
    }
    Err(Refusal::new(
        "names have letters, digits and underscores here, and begin with no digit",
        "rename the variable, or hand it on by another way",
    ))
}

/// Refuses values that are not plain UTF-8.
pub(super) fn utf8(value: &Value) -> Result<(), Refusal> {
    if is_plain_utf8(value.as_bytes()) {
        Ok(())
    } else {
        Err(Refusal::new(NOT_UTF8, "store it in another form, base64 for instance"))
    }
}
