//! The environment lines of a crontab (cron 3.0pl1-162).

use super::cursor::{Line, is_blank, lines, trim_end, trim_start};
use super::systemd::assignment;
use super::{Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct Crontab;

/// Longer lines are cut.
const LONGEST: usize = 998;

impl Reader for Crontab {
    fn id(&self) -> &'static str {
        "crontab"
    }

    fn about(&self) -> &'static str {
        "the environment lines of a crontab"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("cron 3.0pl1-162")
    }

    fn read(&self, file: &[u8], _around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        for line in split(file) {
            let text = line.text.get(..LONGEST.min(line.text.len())).unwrap_or_default();
            if line.text.len() > LONGEST {
                reading.complain(line.start + LONGEST, "a line longer than 998 bytes: the rest is cut off", "shorten the value");
            }
            let bare = trim_start(text, is_blank);
            if bare.is_empty() || bare.first() == Some(&b'#') {
                continue;
            }
            match parse(bare) {
                Some((name, _)) if name == b"LOGNAME" => {
                    reading.complain(line.start, "LOGNAME cannot be set: the line is ignored", "leave it out");
                }
                Some((name, value)) => {
                    let span = line.span(bare);
                    let from = memchr::memchr(b'=', bare).map_or(span.end, |at| span.start + at + 1);
                    reading.set(name, value, span.clone(), from..span.end);
                }
                None if is_job(bare) => {}
                None => {
                    reading.refuse(
                        line.start,
                        "neither NAME=value nor a job: cron ignores the whole file",
                        "write NAME=value, an empty value as \"\", and nothing behind a closing quote",
                    );
                    return reading;
                }
            }
        }
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        let (n, v) = (name.as_bytes(), value.as_bytes());
        let odd = |b: &u8| matches!(b, b'\n' | b'\'' | b'"') || super::cursor::is_space(*b);
        if n.iter().any(odd) || n.starts_with(b"#") || n == b"LOGNAME" {
            return Err(Refusal::new(
                "such a name cannot be set in a crontab",
                "rename the variable, or set it in the job's command",
            ));
        }
        if v.contains(&b'\n') {
            return Err(Refusal::new("a value is one line here", "put it into a file that the job reads"));
        }
        let spelt = match (v.contains(&b'\''), v.contains(&b'"')) {
            (false, _) if !v.contains(&b'"') => [b"\"'", v, b"'\""].concat(),
            (_, false) => [b"\"'", v, b"'\""].concat(),
            (false, true) => [b"'\"", v, b"\"'"].concat(),
            (true, true) => v.to_vec(),
        };
        let line = assignment(name, &spelt);
        if line.len() - 1 > LONGEST {
            return Err(Refusal::new("a line may have 998 bytes here", "put the value into a file that the job reads"));
        }
        // What the quotes do to each other is decided by reading it again.
        match parse(line.strip_suffix(b"\n").unwrap_or(&line)) {
            Some((_, read)) if read == v => Ok(line),
            _ => Err(Refusal::new(
                "a value with both kinds of quotes cannot begin with one, or begin or end with a blank",
                "set it in the job's command",
            )),
        }
    }
}

/// Returns where the jobs of a table begin.
pub(crate) fn jobs(file: &[u8]) -> Vec<usize> {
    let is = |line: &Line<'_>| {
        let bare = trim_start(line.text, is_blank);
        !bare.is_empty() && bare.first() != Some(&b'#') && parse(bare).is_none() && is_job(bare)
    };
    split(file).filter(is).map(|line| line.start).collect()
}

/// Cuts a file into lines; a NUL ends one, too, but for comments.
fn split(file: &[u8]) -> impl Iterator<Item = Line<'_>> {
    lines(file).flat_map(|line| {
        let is_comment = trim_start(line.text, is_blank).first() == Some(&b'#');
        let mut at = line.start;
        let parts: Vec<Line<'_>> = if is_comment {
            vec![line]
        } else {
            let part = |text: &'_ [u8]| text.len() + 1;
            let count = line.text.iter().filter(|b| **b == 0).count();
            let cut = line.text.split(|b| *b == 0).enumerate();
            cut.map(|(index, text)| {
                let start = at;
                at += part(text);
                // One that begins with a NUL is no empty line, and nothing else either.
                let is_hidden = index < count && trim_start(text, is_blank).is_empty();
                Line { start, text: if is_hidden { b"\0" } else { text } }
            })
            .collect()
        };
        parts
    })
}

/// Takes `NAME = value` apart; each side is bare or wholly in quotes.
fn parse(text: &[u8]) -> Option<(Vec<u8>, Vec<u8>)> {
    let (name, rest) = side(text, b'=')?;
    let rest = trim_start(rest, super::cursor::is_space);
    let rest = rest.strip_prefix(b"=")?;
    let rest = trim_start(rest, super::cursor::is_space);
    let (value, rest) = side(rest, b'\n')?;
    if !rest.is_empty() {
        return None;
    }
    // The value loses white space at its end, and a pair of quotes around what is left.
    let trimmed = trim_end(&value, super::cursor::is_space).to_vec();
    let inner = match (trimmed.first(), trimmed.last()) {
        (Some(a @ (b'\'' | b'"')), Some(b)) if a == b && trimmed.len() > 1 => {
            trimmed.get(1..trimmed.len() - 1).unwrap_or_default().to_vec()
        }
        _ => trimmed,
    };
    Some((name, inner))
}

/// Takes one side: in quotes, then only blanks may follow, or bare to `stop`.
fn side(text: &[u8], stop: u8) -> Option<(Vec<u8>, &[u8])> {
    match text.first()? {
        quote @ (b'\'' | b'"') => {
            let inner = text.get(1..)?;
            let end = memchr::memchr(*quote, inner)?;
            let rest = trim_start(inner.get(end + 1..)?, super::cursor::is_space);
            Some((inner.get(..end)?.to_vec(), rest))
        }
        _ => {
            let name_end = |b: &u8| *b == stop || (stop == b'=' && super::cursor::is_space(*b));
            let end = text.iter().position(name_end).unwrap_or(text.len());
            if end == 0 && stop != b'=' {
                return None;
            }
            Some((text.get(..end)?.to_vec(), text.get(end..)?))
        }
    }
}

/// Whether a line is a job: five fields of time or a name with `@`, and a command.
fn is_job(text: &[u8]) -> bool {
    let mut words = text.split(|b| is_blank(*b)).filter(|w| !w.is_empty());
    let is_time = |word: &[u8]| word.iter().all(|b| b.is_ascii_alphanumeric() || b"*,-/~".contains(b));
    match words.next() {
        Some(first) if first.starts_with(b"@") => words.next().is_some(),
        Some(first) => is_time(first) && (0..4).all(|_| words.next().is_some_and(is_time)) && words.next().is_some(),
        None => false,
    }
}
