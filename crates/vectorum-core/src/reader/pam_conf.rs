//! `pam_env.conf` (libpam 1.5.2): names with a default and an override.

use super::cursor::is_blank;
use super::pam_env::{Stop, joined_lines, no_hash_or_line, short, word_name};
use super::plain::{Form, PlainLines, letters_and};
use super::{Effect, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct PamEnvConf;

/// `@` begins a reference.
static PLAIN: Form = Form { before: b"", between: b" DEFAULT=", bytes: letters_and(b"_,-./:%+=") };

const BAD_REFERENCE: &str = "a reference is never closed: nothing of the file is taken";

impl Reader for PamEnvConf {
    fn id(&self) -> &'static str {
        "pam-env-conf"
    }

    fn about(&self) -> &'static str {
        "pam_env.conf: NAME DEFAULT=value OVERRIDE=value"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("libpam 1.5.2-6")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        read_after(file, around, &|_| None)
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        word_name(name)?;
        no_hash_or_line(value)?;
        let bytes = value.as_bytes();
        if bytes.contains(&b'\\') {
            return Err(Refusal::new("a backslash always vanishes here", "use /etc/environment, or a shell's startup file"));
        }
        let mut text = Vec::new();
        for byte in bytes {
            if matches!(byte, b'$' | b'@') {
                text.push(b'\\');
            }
            text.push(*byte);
        }
        let spelt = if bytes.contains(&b'"') {
            if bytes.iter().any(|b| is_blank(*b)) {
                return Err(Refusal::new("a value cannot have both a blank and a double quote here", "use /etc/environment"));
            }
            // A quote at the beginning would open quotes; an unset name before it does not.
            if text.first() == Some(&b'"') { [b"${VECTORUM_NOT_SET}", &text[..]].concat() } else { text }
        } else {
            [b"\"", &text[..], b"\""].concat()
        };
        short([name.as_bytes(), b" DEFAULT=", &spelt, b"\n"].concat())
    }
}

/// Reads a file after the login has set other names, which its references see, too.
pub(crate) fn read_after(file: &[u8], around: &Surroundings, before: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Reading {
    let mut reading = Reading::default();
    let (lines, stop) = joined_lines(file);
    let mut plain = PlainLines::new(file, &PLAIN);
    for line in lines {
        let span = line.start..line.end;
        if let Some(found) = plain.at(line.start).filter(|p| p.value.end == line.end) {
            let (name, value) = (plain.part(found.name), plain.part(found.value));
            reading.set(name, value, span.clone(), span);
            continue;
        }
        let Some((name, default, override_)) = parse(&line.text) else {
            reading.complain(
                line.start,
                "no NAME DEFAULT=value OVERRIDE=value from the first column on, or a blank at its end: the line is ignored",
                "write NAME DEFAULT=\"value\"",
            );
            continue;
        };
        let expanded = |text: Option<Vec<u8>>, reading: &Reading| text.map(|t| expand(&t, reading, around, before)).transpose();
        let (Ok(default), Ok(override_)) = (expanded(default, &reading), expanded(override_, &reading)) else {
            reading.stop(line.start, BAD_REFERENCE, "close it with }, or write \\$");
            return reading;
        };
        let value = override_.filter(|v| !v.is_empty()).or(default);
        match value {
            Some(value) => reading.set(name, value, span.clone(), span),
            // A name with `=` in it is handed to the login as it is, and sets something after all.
            None => match memchr::memchr(b'=', &name) {
                Some(0) => {
                    reading.complain(line.start, "a line without a name: it is ignored", "write NAME DEFAULT=\"value\"");
                }
                Some(at) => {
                    let value = name.get(at + 1..).unwrap_or_default().to_vec();
                    reading.complain(line.start, "no NAME DEFAULT=value: it works by accident", "write NAME DEFAULT=\"value\"");
                    reading.set(name.get(..at).unwrap_or_default().to_vec(), value, span.clone(), span);
                }
                None => reading.unset(name, span),
            },
        }
    }
    match stop {
        Some(Stop::Nul(at)) => reading.stop(at, "a NUL byte: the module fails", "leave it out"),
        Some(Stop::TooLong(at)) => reading.stop(at, "a line longer than 8190 bytes: the module fails", "shorten the value"),
        Some(Stop::OpenEnd(at)) => {
            reading.stop(at, "a backslash at the end of the file: the module fails", "leave the backslash out");
        }
        None => {}
    }
    reading
}

type Parsed = (Vec<u8>, Option<Vec<u8>>, Option<Vec<u8>>);

/// Takes a line apart; an empty default counts as none where it is written bare.
fn parse(text: &[u8]) -> Option<Parsed> {
    let length = text.iter().position(|b| is_blank(*b)).unwrap_or(text.len());
    let (name, mut rest) = text.split_at(length);
    if name.is_empty() {
        return None;
    }
    let (mut default, mut override_) = (None, None);
    while !rest.is_empty() {
        let start = rest.iter().position(|b| !is_blank(*b))?;
        rest = rest.get(start..)?;
        let (slot, after) = if let Some(after) = rest.strip_prefix(b"DEFAULT=") {
            (&mut default, after)
        } else if let Some(after) = rest.strip_prefix(b"OVERRIDE=") {
            (&mut override_, after)
        } else {
            return None;
        };
        if after.first() == Some(&b'"') {
            let inner = after.get(1..)?;
            let end = memchr::memchr(b'"', inner)?;
            *slot = Some(inner.get(..end)?.to_vec());
            rest = inner.get(end + 1..)?;
            if rest.first().is_some_and(|b| !is_blank(*b)) {
                return None;
            }
        } else {
            let end = after.iter().position(|b| is_blank(*b)).unwrap_or(after.len());
            let value = after.get(..end)?;
            *slot = (!value.is_empty()).then(|| value.to_vec());
            rest = after.get(end..)?;
        }
    }
    Some((name.to_vec(), default, override_))
}

/// Expands `${NAME}` from what was set before and `@{ITEM}` from the login.
fn expand(
    text: &[u8],
    reading: &Reading,
    around: &Surroundings,
    before: &dyn Fn(&[u8]) -> Option<Vec<u8>>,
) -> Result<Vec<u8>, ()> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        match (byte, text.get(at).copied()) {
            (b'\\', Some(next @ (b'$' | b'@'))) => {
                out.push(next);
                at += 1;
            }
            (b'\\', _) => {}
            (sign @ (b'$' | b'@'), Some(b'{')) => {
                let rest = text.get(at + 1..).unwrap_or_default();
                let end = memchr::memchr(b'}', rest).ok_or(())?;
                let name = rest.get(..end).unwrap_or_default();
                at += end + 2;
                if sign == b'$' {
                    let found = reading.entries.iter().rev().find(|e| e.name == name);
                    match found.map(|e| &e.effect) {
                        Some(Effect::Set(value)) => out.extend_from_slice(value),
                        Some(_) => {}
                        None => out.extend(before(name).unwrap_or_default()),
                    }
                } else {
                    out.extend_from_slice(match name {
                        b"PAM_USER" => &around.account,
                        b"PAM_TTY" => &around.terminal,
                        b"HOME" => &around.home,
                        b"SHELL" => &around.shell,
                        _ => b"",
                    });
                }
            }
            _ => out.push(byte),
        }
    }
    Ok(out)
}
