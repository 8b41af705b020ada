//! `/etc/environment` and other files of pam_env (libpam 1.5.2).

use super::cursor::{is_blank, trim_end, trim_start};
use super::systemd::assignment;
use super::{Reader, Reading, Refusal, Surroundings, is_word};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct PamEnvFile;

/// No line may be longer (libpam's BUF_SIZE, less its end).
pub(super) const LONGEST: usize = 8190;

/// A line as libpam puts it together from the file's.
pub(super) struct Joined {
    pub(super) text: Vec<u8>,
    pub(super) start: usize,
    pub(super) end: usize,
}

/// What ended the reading before the file did.
pub(super) enum Stop {
    Nul(usize),
    TooLong(usize),
    OpenEnd(usize),
}

/// Puts lines together: each cut at its first `#`; one that ends in a backslash goes on with the
/// next that is not empty.
pub(super) fn joined_lines(file: &[u8]) -> (Vec<Joined>, Option<Stop>) {
    let mut out = Vec::new();
    let mut open: Option<Joined> = None;
    let mut at = 0;
    while at < file.len() {
        let rest = file.get(at..).unwrap_or_default();
        let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        let line = rest.get(..length).unwrap_or_default();
        let start = at;
        at += length + 1;
        // A NUL hides the end of its line, which seems too long then, but for the file's last.
        let nul = memchr::memchr(0, line);
        if let Some(nul) = nul.filter(|_| length < rest.len()) {
            return (out, Some(Stop::Nul(start + nul)));
        }
        let line = nul.map_or(line, |nul| line.get(..nul).unwrap_or_default());
        if line.len() > LONGEST || open.as_ref().is_some_and(|o| o.text.len() + line.len() > LONGEST) {
            return (out, Some(Stop::TooLong(start)));
        }
        let bare = trim_start(line, is_blank);
        if bare.is_empty() || bare.first() == Some(&b'#') {
            continue;
        }
        let hash = memchr::memchr(b'#', line);
        let cut = hash.map_or(line, |at| line.get(..at).unwrap_or_default());
        let end = trim_end(cut, is_blank);
        let goes_on = hash.is_none() && end.last() == Some(&b'\\');
        let mut joined = open.take().unwrap_or(Joined { text: Vec::new(), start, end: 0 });
        joined.end = start + line.len();
        if goes_on {
            joined.text.extend_from_slice(end.get(..end.len() - 1).unwrap_or_default());
            open = Some(joined);
        } else {
            joined.text.extend_from_slice(cut);
            out.push(joined);
        }
    }
    let stop = open.map(|o| Stop::OpenEnd(o.start));
    (out, stop)
}

impl Reader for PamEnvFile {
    fn id(&self) -> &'static str {
        "pam-env-file"
    }

    fn about(&self) -> &'static str {
        "/etc/environment, read by pam_env at a login"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("libpam 1.5.2-6")
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        let (lines, stop) = joined_lines(file);
        for line in lines {
            let span = line.start..line.end;
            let text = trim_start(&line.text, is_blank);
            let text = text.strip_prefix(b"export ").unwrap_or(text);
            let length = text.iter().position(|b| !is_word(*b)).unwrap_or(text.len());
            let (name, rest) = text.split_at(length);
            match rest.first() {
                Some(b'=') if !name.is_empty() => {
                    let value = rest.get(1..).unwrap_or_default();
                    let value = match value.first() {
                        // Either quote at the end goes with either one at the beginning.
                        Some(b'\'' | b'"') => {
                            let inner = value.get(1..).unwrap_or_default();
                            inner.strip_suffix(b"\"").or_else(|| inner.strip_suffix(b"'")).unwrap_or(inner)
                        }
                        _ => value,
                    };
                    let from = span.end.saturating_sub(rest.len() - 1).max(span.start);
                    reading.set(name.to_vec(), value.to_vec(), span.clone(), from..span.end);
                }
                _ if !name.is_empty() && rest.is_empty() => reading.unset(name.to_vec(), span),
                _ => reading.complain(
                    line.start,
                    "no NAME=value, the name of letters, digits and underscores right before the `=`: the line is ignored",
                    "write NAME=value",
                ),
            }
        }
        match stop {
            Some(Stop::Nul(at)) => reading.complain(at, "a NUL byte: nothing from here on is read", "leave it out"),
            Some(Stop::TooLong(at)) => {
                reading.complain(at, "a line longer than 8190 bytes: nothing from here on is read", "shorten the value");
            }
            Some(Stop::OpenEnd(at)) => {
                reading.complain(at, "a backslash at the end of the file: its line is dropped", "leave the backslash out");
            }
            None => {}
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        word_name(name)?;
        no_hash_or_line(value)?;
        let line = assignment(name, &[b"\"", value.as_bytes(), b"\""].concat());
        short(line)
    }
}

/// Refuses names with other characters than letters, digits and underscores.
pub(super) fn word_name(name: &Name) -> Result<(), Refusal> {
    if name.as_bytes().iter().all(|b| is_word(*b)) {
        return Ok(());
    }
    Err(Refusal::new("names have letters, digits and underscores here", "rename the variable, or hand it on by another way"))
}

/// Refuses what no line of such a file can hold.
pub(super) fn no_hash_or_line(value: &Value) -> Result<(), Refusal> {
    if memchr::memchr(b'#', value.as_bytes()).is_some() {
        return Err(Refusal::new(
            "a # begins a comment, even within quotes",
            "set the value in a shell's startup file or a unit",
        ));
    }
    if memchr::memchr(b'\n', value.as_bytes()).is_some() {
        return Err(Refusal::new("a value is one line here", "put it into a file and hand on its path"));
    }
    Ok(())
}

/// Refuses lines that are longer than the reader's buffer.
pub(super) fn short(line: Vec<u8>) -> Result<Vec<u8>, Refusal> {
    if line.len() - 1 <= LONGEST {
        return Ok(line);
    }
    Err(Refusal::new("a line may have 8190 bytes here", "put the value into a file and hand on its path"))
}
