//! `node --env-file` (node 20.20.2).

use super::plain::{Form, PlainLines};
use super::systemd::assignment;
use super::{Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct Node;

fn trim(text: &[u8]) -> &[u8] {
    let from = text.iter().position(|b| *b != b' ').unwrap_or(text.len());
    let to = text.iter().rposition(|b| *b != b' ').map_or(from, |at| at + 1);
    text.get(from..to).unwrap_or_default()
}

impl Reader for Node {
    fn id(&self) -> &'static str {
        "node-env-file"
    }

    fn about(&self) -> &'static str {
        "node --env-file"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("node 20.20.2")
    }

    fn outer_wins(&self) -> bool {
        true
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        // All carriage returns go first; places are counted back to the file's own.
        let kept: Vec<u8> = file.iter().copied().filter(|b| *b != b'\r').collect();
        let has_returns = kept.len() != file.len();
        let others = file.iter().enumerate().filter(|(_, b)| has_returns && **b != b'\r');
        let places: Vec<usize> = others.map(|(place, _)| place).collect();
        let original = |at: usize| if has_returns { places.get(at).copied().unwrap_or(file.len()) } else { at };
        let mut lines = PlainLines::new(file, &Form::ASSIGNMENT);
        let mut content = trim(&kept);
        let place = |part: &[u8]| part.as_ptr() as usize - kept.as_ptr() as usize;
        while let Some(first) = content.first() {
            if !has_returns && let Some(line) = lines.at(place(content)) {
                content = content.get(line.next() - line.start..).unwrap_or_default();
                reading.entries.push(lines.entry(line));
                continue;
            }
            // A last comment that no line feed ends becomes a part of a name.
            if matches!(first, b'\n' | b'#')
                && let Some(end) = memchr::memchr(b'\n', content)
            {
                content = content.get(end + 1..).unwrap_or_default();
                continue;
            }
            let Some(equals) = memchr::memchr(b'=', content) else { break };
            let start = place(content);
            let key = trim(content.get(..equals).unwrap_or_default());
            content = content.get(equals + 1..).unwrap_or_default();
            if key.is_empty() {
                reading.complain(original(start), "a line without a name: nothing from here on is read", "write NAME=value");
                break;
            }
            if memchr::memchr(b'\n', key).is_some() {
                reading.complain(
                    original(start),
                    "a line without `=`, or an indented comment: it becomes a part of the next name",
                    "write NAME=value, and comments from the first column on",
                );
            }
            let key = key.strip_prefix(b"export ").unwrap_or(key);
            // A name that a NUL cuts to nothing cannot be set.
            let is_nothing = key.first() == Some(&0);
            // A value that is missing at the end, or empty, is empty.
            if content.is_empty() || content.first() == Some(&b'\n') {
                let at = original(start + equals + 1);
                if !is_nothing {
                    reading.set(text(key), Vec::new(), original(start)..at, at..at);
                }
                content = content.get(1..).unwrap_or_default();
                continue;
            }
            content = trim(content);
            if content.is_empty() {
                let at = file.len();
                reading.set(text(key), Vec::new(), original(start)..at, at..at);
                break;
            }
            let from = place(content);
            let quote = content.first().copied().filter(|b| matches!(b, b'"' | b'\'' | b'`'));
            let closing = quote.and_then(|q| memchr::memchr(q, content.get(1..).unwrap_or_default()));
            let (value, after) = match (quote, closing) {
                (Some(quote), Some(end)) => {
                    let inner = content.get(1..end + 1).unwrap_or_default();
                    let value = if quote == b'"' { newlines(inner) } else { inner.to_vec() };
                    let rest = content.get(end + 2..).unwrap_or_default();
                    let after = memchr::memchr(b'\n', rest).map_or(&b""[..], |at| rest.get(at + 1..).unwrap_or_default());
                    (value, after)
                }
                (quote, _) => {
                    let line_end = memchr::memchr(b'\n', content);
                    if quote.is_some() && line_end.is_none() {
                        reading.complain(
                            original(from),
                            "a quote is never closed, and the file ends: nothing is set",
                            "close it",
                        );
                        break;
                    }
                    let line = content.get(..line_end.unwrap_or(content.len())).unwrap_or_default();
                    let value = if quote.is_some() {
                        reading.complain(original(from), "a quote is never closed: it is a part of the value", "close it");
                        line
                    } else {
                        memchr::memchr(b'#', line).map_or(line, |hash| line.get(..hash).unwrap_or_default())
                    };
                    let after = line_end.map_or(&b""[..], |at| content.get(at + 1..).unwrap_or_default());
                    (if quote.is_some() { value } else { trim(value) }.to_vec(), after)
                }
            };
            // The line feed that ends it is no part of it.
            let length = content.len() - after.len();
            let taken = content.get(..length).unwrap_or_default();
            let length = taken.strip_suffix(b"\n").unwrap_or(taken).len();
            let end = original((from + length).min(kept.len()));
            if !is_nothing {
                reading.set(text(key), text(&value), original(start)..end, original(from)..end);
            }
            content = after;
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        let (n, v) = (name.as_bytes(), value.as_bytes());
        let bad_name = n.iter().any(|b| matches!(b, b'\n' | b'\r'))
            || trim_whole(n).len() != n.len()
            || n.starts_with(b"#")
            || n.starts_with(b"export ")
            || std::str::from_utf8(n).is_err();
        if bad_name {
            return Err(Refusal::new("such a name cannot stand in this file", "rename the variable"));
        }
        if v.contains(&b'\r') {
            return Err(Refusal::new("a carriage return always vanishes here", "set it where the program is started"));
        }
        if std::str::from_utf8(v).is_err() {
            return Err(Refusal::new("a value must be UTF-8 here", "store it in another form, base64 for instance"));
        }
        let free = |quote: u8| !v.contains(&quote);
        let in_quotes = |quote: u8| Ok(assignment(name, &[&[quote], v, &[quote]].concat()));
        if free(b'\'') {
            return in_quotes(b'\'');
        }
        if free(b'`') {
            return in_quotes(b'`');
        }
        if free(b'"') && memchr::memmem::find(v, b"\\n").is_none() {
            return in_quotes(b'"');
        }
        let is_bare = !matches!(v.first(), Some(b'"' | b'\'' | b'`'))
            && !v.contains(&b'#')
            && !v.contains(&b'\n')
            && trim_whole(v).len() == v.len();
        if is_bare {
            return Ok(assignment(name, v));
        }
        Err(Refusal::new("a value with all three kinds of quotes cannot be written here", "set it where the program is started"))
    }
}

/// Cuts blanks and line feeds from both ends.
fn trim_whole(text: &[u8]) -> &[u8] {
    let is = |b: &u8| matches!(b, b' ' | b'\t' | b'\n' | b'\r' | 11 | 12);
    let from = text.iter().position(|b| !is(b)).unwrap_or(text.len());
    let to = text.iter().rposition(|b| !is(b)).map_or(from, |at| at + 1);
    text.get(from..to).unwrap_or_default()
}

/// Values are text for node: what is not UTF-8 becomes replacement characters, and a NUL ends them.
fn text(bytes: &[u8]) -> Vec<u8> {
    let bytes = memchr::memchr(0, bytes).map_or(bytes, |at| bytes.get(..at).unwrap_or_default());
    String::from_utf8_lossy(bytes).into_owned().into_bytes()
}

fn newlines(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = memchr::memmem::find(rest, b"\\n") {
        out.extend_from_slice(rest.get(..at).unwrap_or_default());
        out.push(b'\n');
        rest = rest.get(at + 2..).unwrap_or_default();
    }
    out.extend_from_slice(rest);
    out
}
