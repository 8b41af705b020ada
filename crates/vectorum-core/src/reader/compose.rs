//! The env-file grammar of the Compose specification, section "env_file". Not measured.

use super::cursor::{is_space, trim_end, trim_start};
use super::plain::{Form, Known, PlainLines};
use super::systemd::assignment;
use super::{Effect, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct Compose;

impl Reader for Compose {
    fn id(&self) -> &'static str {
        "compose"
    }

    fn about(&self) -> &'static str {
        "env_file: of the Compose specification"
    }

    fn measured(&self) -> Option<&'static str> {
        None
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        let mut at = if file.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
        let mut lines = PlainLines::new(file, &Form::ASSIGNMENT);
        let mut known = Known::default();
        while at < file.len() {
            if let Some(line) = lines.at(at) {
                at = line.next();
                reading.entries.push(lines.entry(line));
                continue;
            }
            known.catch_up(&reading.entries);
            let rest = file.get(at..).unwrap_or_default();
            let line_length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            let line = rest.get(..line_length).unwrap_or_default();
            let bare = trim_start(line, is_space);
            let start = at + line.len() - bare.len();
            let next = at + line_length + 1;
            if bare.is_empty() || bare.first() == Some(&b'#') {
                at = next;
                continue;
            }
            let skip = if bare.starts_with(b"export ") { 7 } else { 0 };
            let bare = bare.get(skip..).unwrap_or_default();
            let Some(delimiter) = bare.iter().position(|b| matches!(b, b'=' | b':')) else {
                // A name alone takes its value from outside.
                let name = trim_end(bare, is_space);
                if let Some(value) = around.outer.get(name) {
                    reading.set(name.to_vec(), value.to_vec(), start..at + line_length, at + line_length..at + line_length);
                }
                at = next;
                continue;
            };
            let name = trim_end(bare.get(..delimiter).unwrap_or_default(), is_space).to_vec();
            let value_at = start + skip + delimiter + 1;
            let rest = file.get(value_at..).unwrap_or_default();
            let blanks = rest.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
            let rest = rest.get(blanks..).unwrap_or_default();
            let from = value_at + blanks;
            let (value, length) = match rest.first() {
                Some(quote @ (b'\'' | b'"')) => match quoted(rest, *quote) {
                    Some((inner, length)) => {
                        let value = if *quote == b'"' { interpolated(&inner, &known, around) } else { Some(plain(&inner)) };
                        (value, length)
                    }
                    None => {
                        reading.refuse(from, "a quote is never closed: the file is refused", "close it");
                        return reading;
                    }
                },
                _ => {
                    let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                    let line = rest.get(..length).unwrap_or_default();
                    let comment = line.windows(2).position(|w| is_space(w[0]) && w[1] == b'#');
                    let bare = trim_end(line.get(..comment.unwrap_or(length)).unwrap_or_default(), is_space);
                    let marked: Vec<(u8, bool)> = bare.iter().map(|b| (*b, true)).collect();
                    (interpolated(&marked, &known, around), length)
                }
            };
            let span = start..from + length;
            let effect = value.map_or(Effect::Unknown("a reference that the specification lets fail"), |v| Effect::Set(v.into()));
            reading.entries.push(super::Entry { name: name.into(), effect, value_span: from..from + length, span });
            let after = file.get(from + length..).unwrap_or_default();
            at = from + length + memchr::memchr(b'\n', after).map_or(after.len(), |n| n + 1);
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        super::systemd::portable(name)?;
        super::systemd::utf8(value)?;
        let mut out = vec![b'"'];
        for byte in value.as_bytes() {
            match byte {
                b'"' | b'\\' => out.extend([b'\\', *byte]),
                b'$' => out.extend(b"\\$"),
                b'\n' => out.extend(b"\\n"),
                b'\r' => out.extend(b"\\r"),
                b'\t' => out.extend(b"\\t"),
                _ => out.push(*byte),
            }
        }
        out.push(b'"');
        Ok(assignment(name, &out))
    }
}

/// Bytes, each with whether a `$` there is a reference.
type Marked = Vec<(u8, bool)>;

/// Takes a quoted text; returns it and its length with the quotes.
fn quoted(text: &[u8], quote: u8) -> Option<(Marked, usize)> {
    let mut out = Vec::new();
    let mut at = 1;
    loop {
        let byte = *text.get(at)?;
        at += 1;
        if byte == quote {
            return Some((out, at));
        }
        if byte != b'\\' {
            out.push((byte, true));
            continue;
        }
        let next = *text.get(at)?;
        at += 1;
        match (quote, next) {
            (b'"', b'n') => out.push((b'\n', false)),
            (b'"', b'r') => out.push((b'\r', false)),
            (b'"', b't') => out.push((b'\t', false)),
            (b'"', b'\\' | b'"' | b'$') | (b'\'', b'\'') => out.push((next, false)),
            _ => out.extend([(b'\\', false), (next, true)]),
        }
    }
}

fn plain(marked: &Marked) -> Vec<u8> {
    marked.iter().map(|(b, _)| *b).collect()
}

/// Expands references; `None` where one may fail.
fn interpolated(marked: &Marked, known: &Known, around: &Surroundings) -> Option<Vec<u8>> {
    let known = |name: &[u8]| known.get(name).flatten().map(|v| v.to_vec());
    let get = |name: &[u8]| known(name).or_else(|| around.outer.get(name).map(<[u8]>::to_vec));
    let text = plain(marked);
    let mut out = Vec::new();
    let mut at = 0;
    while let Some((byte, is_live)) = marked.get(at).copied() {
        at += 1;
        if byte != b'$' || !is_live {
            out.push(byte);
            continue;
        }
        let rest = text.get(at..).unwrap_or_default();
        if rest.first() == Some(&b'$') {
            out.push(b'$');
            at += 1;
        } else if rest.first() == Some(&b'{') {
            let end = memchr::memchr(b'}', rest)?;
            let inner = rest.get(1..end)?;
            let length = inner.iter().position(|b| !super::is_word(*b)).unwrap_or(inner.len());
            let (name, operator) = inner.split_at(length);
            let known = get(name);
            let not_empty = known.clone().filter(|v| !v.is_empty());
            match operator {
                [] => out.extend(known.unwrap_or_default()),
                [b':', b'-', word @ ..] => out.extend(not_empty.unwrap_or_else(|| word.to_vec())),
                [b'-', word @ ..] => out.extend(known.unwrap_or_else(|| word.to_vec())),
                [b':', b'+', word @ ..] => out.extend(not_empty.map(|_| word.to_vec()).unwrap_or_default()),
                [b'+', word @ ..] => out.extend(known.map(|_| word.to_vec()).unwrap_or_default()),
                [b':', b'?', ..] => out.extend(not_empty?),
                [b'?', ..] => out.extend(known?),
                _ => return None,
            }
            at += end + 1;
        } else {
            let length = rest.iter().position(|b| !super::is_word(*b)).unwrap_or(rest.len());
            let name = rest.get(..length).unwrap_or_default();
            if name.is_empty() || name.first().is_some_and(u8::is_ascii_digit) {
                out.push(b'$');
                continue;
            }
            out.extend(get(name).unwrap_or_default());
            at += length;
        }
    }
    Some(out)
}
