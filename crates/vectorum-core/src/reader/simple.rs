//! The plain ones: `~/.ssh/environment` (OpenSSH 9.2p1) and sudo's env_file (sudo 1.9.13p3).

use super::cursor::{is_blank, is_space, lines, trim_end, trim_start};
use super::pam_env::no_hash_or_line;
use super::systemd::assignment;
use super::{Duplicates, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// sshd's reader.
pub(super) struct Ssh;
/// sudo's reader.
pub(super) struct Sudo;

/// Names that sudo has set before it reads the file.
const KEPT: [&[u8]; 8] = [b"PATH", b"HOME", b"USER", b"LOGNAME", b"SHELL", b"MAIL", b"LANG", b"TERM"];

/// C strings end at a NUL.
fn to_nul(text: &[u8]) -> &[u8] {
    memchr::memchr(0, text).map_or(text, |at| text.get(..at).unwrap_or_default())
}

impl Reader for Ssh {
    fn id(&self) -> &'static str {
        "ssh-environment"
    }

    fn about(&self) -> &'static str {
        "~/.ssh/environment, where sshd permits it"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("OpenSSH 9.2p1")
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        for line in lines(file) {
            let bare = trim_start(to_nul(line.text), is_blank);
            if bare.is_empty() || bare.first() == Some(&b'#') {
                continue;
            }
            match memchr::memchr(b'=', bare) {
                Some(equals) => {
                    let (name, value) = bare.split_at(equals);
                    let value = value.get(1..).unwrap_or_default();
                    reading.set(name.to_vec(), value.to_vec(), line.span(bare), line.span(value));
                }
                None => reading.complain(line.start, "a line without `=`: it is skipped", "write NAME=value"),
            }
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        let n = name.as_bytes();
        if n.contains(&b'\n') || n.starts_with(b"#") || n.first().is_some_and(|b| is_blank(*b)) {
            return Err(Refusal::new("such a name cannot stand in this file", "rename the variable"));
        }
        if value.as_bytes().contains(&b'\n') {
            return Err(Refusal::new("a value is one line here", "put it into a file and hand on its path"));
        }
        Ok(assignment(name, value.as_bytes()))
    }
}

impl Reader for Sudo {
    fn id(&self) -> &'static str {
        "sudo-env-file"
    }

    fn about(&self) -> &'static str {
        "sudo's env_file"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("sudo 1.9.13p3")
    }

    fn duplicates(&self) -> Duplicates {
        Duplicates::First
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        for line in lines(file) {
            let text = to_nul(line.text);
            let text = memchr::memchr(b'#', text).map_or(text, |at| text.get(..at).unwrap_or_default());
            let is_edge = |b: u8| is_blank(b) || b == b'\r';
            let text = trim_end(trim_start(text, is_edge), is_edge);
            let text = match text.strip_prefix(b"export") {
                Some(rest) if rest.first().is_some_and(|b| is_blank(*b)) => trim_start(rest, is_blank),
                _ => text,
            };
            if text.is_empty() {
                continue;
            }
            let Some(equals) = memchr::memchr(b'=', text) else {
                reading.complain(line.start, "a line without `=`: it is ignored", "write NAME=value");
                continue;
            };
            let (name, value) = text.split_at(equals);
            let value = value.get(1..).unwrap_or_default();
            if name.is_empty() || KEPT.contains(&name) {
                let what = if name.is_empty() {
                    "a line without a name: it is ignored"
                } else {
                    "sudo has set this name by then, and keeps its own value"
                };
                reading.complain(line.start, what, "set it with Defaults in the policy");
                continue;
            }
            let inner = match (value.first(), value.last()) {
                (Some(a @ (b'\'' | b'"')), Some(b)) if a == b && value.len() > 1 => {
                    value.get(1..value.len() - 1).unwrap_or_default()
                }
                _ => value,
            };
            reading.set(name.to_vec(), inner.to_vec(), line.span(text), line.span(value));
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        let n = name.as_bytes();
        if KEPT.contains(&n) {
            return Err(Refusal::new(
                "sudo has set this name by then, and keeps its own value",
                "set it with Defaults in the policy",
            ));
        }
        if n.iter().any(|b| is_space(*b) || *b == b'#') {
            return Err(Refusal::new("such a name cannot stand in this file", "rename the variable"));
        }
        no_hash_or_line(value)?;
        Ok(assignment(name, &[b"\"", value.as_bytes(), b"\""].concat()))
    }
}
