//! `--env-file` of container clients (docker 28.2.2, podman 4.3.1).

use super::cursor::{is_blank, is_space, lines, trim_start};
use super::systemd::assignment;
use super::{Duplicates, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// docker's reader.
pub(super) struct Docker;
/// podman's reader.
pub(super) struct Podman;

/// No line may be longer (Go's scanner).
const LONGEST: usize = 65535;

fn read(file: &[u8], around: &Surroundings, is_docker: bool) -> Reading {
    let mut reading = Reading::default();
    let bom = if is_docker && file.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
    for line in lines(file.get(bom..).unwrap_or_default()) {
        let start = line.start + bom;
        if line.text.len() > LONGEST {
            reading.refuse(start, "a line longer than 65535 bytes: the file is refused", "shorten the value");
            return reading;
        }
        if is_docker && std::str::from_utf8(line.text).is_err() {
            reading.refuse(
                start,
                "a line that is not UTF-8: the file is refused",
                "store the value in another form, base64 for instance",
            );
            return reading;
        }
        let text = line.text.strip_suffix(b"\r").unwrap_or(line.text);
        let bare = if is_docker { trim_start(text, is_space) } else { trim_start(text, is_blank) };
        if bare.is_empty() || bare.first() == Some(&b'#') {
            continue;
        }
        let offset = text.len() - bare.len();
        let span = start + offset..start + text.len();
        match memchr::memchr(b'=', bare) {
            Some(equals) => {
                let (name, value) = bare.split_at(equals);
                let value = value.get(1..).unwrap_or_default();
                if name.is_empty() {
                    reading.refuse(start, "a line without a name: the file is refused", "write NAME=value");
                    return reading;
                }
                if is_docker && name.iter().any(|b| is_blank(*b)) {
                    reading.refuse(
                        start,
                        "a blank in a name: the file is refused",
                        "write NAME=value, without `export` and blanks",
                    );
                    return reading;
                }
                let (name, value) = if is_docker { (name.to_vec(), value.to_vec()) } else { (lossy(name), lossy(value)) };
                let value_span = span.start + equals + 1..span.end;
                reading.set(name, value, span, value_span);
            }
            None if is_docker => {
                if bare.iter().any(|b| is_blank(*b)) {
                    reading.refuse(
                        start,
                        "a blank in a name: the file is refused",
                        "write NAME=value, without `export` and blanks",
                    );
                    return reading;
                }
                if let Some(value) = around.outer.get(bare) {
                    reading.set(bare.to_vec(), value.to_vec(), span.clone(), span.end..span.end);
                }
            }
            None => match bare.strip_suffix(b"*") {
                Some(prefix) => {
                    // It gives itself a folder for temporary files before it reads.
                    if b"TMPDIR".starts_with(prefix) && around.outer.get(b"TMPDIR").is_none() {
                        reading.set(b"TMPDIR".to_vec(), b"/var/tmp".to_vec(), span.clone(), span.end..span.end);
                    }
                    for (name, value) in around.outer.vars().filter(|(n, _)| n.as_bytes().starts_with(prefix)) {
                        reading.set(name.as_bytes().to_vec(), value.as_bytes().to_vec(), span.clone(), span.end..span.end);
                    }
                }
                None => {
                    if let Some(value) = around.outer.get(bare) {
                        reading.set(bare.to_vec(), value.to_vec(), span.clone(), span.end..span.end);
                    }
                }
            },
        }
    }
    reading
}

/// Each byte that is no UTF-8 becomes a replacement character of its own.
fn lossy(bytes: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(bytes.len());
    for chunk in bytes.utf8_chunks() {
        out.extend_from_slice(chunk.valid().as_bytes());
        for _ in chunk.invalid() {
            out.extend("\u{fffd}".as_bytes());
        }
    }
    out
}

fn write(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    let (n, v) = (name.as_bytes(), value.as_bytes());
    if n.iter().any(|b| is_space(*b)) || n.starts_with(b"#") || n.starts_with(b"\xef\xbb\xbf") || std::str::from_utf8(n).is_err()
    {
        return Err(Refusal::new("such a name cannot stand in this file", "rename the variable, or give it on the command line"));
    }
    if memchr::memchr(b'\n', v).is_some() || v.ends_with(b"\r") {
        return Err(Refusal::new(
            "a value is one line here, and may not end in a carriage return",
            "give it on the command line, or as a file",
        ));
    }
    if std::str::from_utf8(v).is_err() {
        return Err(Refusal::new("a value must be UTF-8 here", "store it in another form, base64 for instance"));
    }
    if n.len() + v.len() + 1 > LONGEST {
        return Err(Refusal::new("a line may have 65535 bytes here", "put the value into a file and hand on its path"));
    }
    Ok(assignment(name, v))
}

impl Reader for Docker {
    fn id(&self) -> &'static str {
        "container-env-file"
    }

    fn about(&self) -> &'static str {
        "docker --env-file"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("docker client 28.2.2")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        read(file, around, true)
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        write(name, value)
    }

    fn duplicates(&self) -> Duplicates {
        Duplicates::All
    }
}

impl Reader for Podman {
    fn id(&self) -> &'static str {
        "podman-env-file"
    }

    fn about(&self) -> &'static str {
        "podman --env-file"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("podman 4.3.1")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        read(file, around, false)
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        write(name, value)
    }
}
