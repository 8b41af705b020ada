//! `environment.d` (systemd 252): the grammar of `EnvironmentFile=`, with references expanded.

use super::expand::expand;
use super::plain::Known;
use super::systemd::{assignment, assignments, complain_about_names, portable, quoted, utf8};
use super::{Reader, Reading, Refusal, Surroundings, is_plain_utf8, is_portable};
use crate::block::{Name, Value};

/// The reader of one file.
pub(super) struct EnvironmentD;

/// Reads the files of a folder: in the byte order of their names, only those that end in `.conf`
/// and do not begin with a dot. Returns the reading of each, by its place in `files`.
pub fn read_folder(files: &[(&[u8], &[u8])], around: &Surroundings) -> Vec<(usize, Reading)> {
    let mut order: Vec<usize> = (0..files.len())
        .filter(|at| files.get(*at).is_some_and(|(name, _)| name.ends_with(b".conf") && !name.starts_with(b".")))
        .collect();
    order.sort_by_key(|at| files.get(*at).map(|(name, _)| *name));
    let mut so_far = Known::default();
    let mut out = Vec::new();
    for at in order {
        let Some((_, file)) = files.get(at) else { continue };
        let reading = read_after(file, around, &mut so_far);
        so_far.catch_up(&reading.entries);
        so_far.next_file();
        out.push((at, reading));
    }
    // One file that cannot be read takes the others with it.
    if out.iter().any(|(_, r)| !r.is_accepted()) {
        for (_, reading) in &mut out {
            reading.entries.clear();
        }
    }
    out
}

/// Reads a file after others.
fn read_after(file: &[u8], around: &Surroundings, so_far: &mut Known) -> Reading {
    let mut reading = Reading::default();
    if let Some(at) = memchr::memchr(0, file) {
        reading.complain(at, "a NUL byte: nothing of the file is read", "leave it out; no block can carry it");
        return reading;
    }
    let (raws, open_quote) = assignments(file);
    for raw in raws {
        if raw.is_plain {
            reading.set(raw.key, raw.value, raw.span, raw.value_span);
            continue;
        }
        if !is_portable(&raw.key) {
            complain_about_names(&mut reading, &raw);
            continue;
        }
        if !is_plain_utf8(&raw.value) {
            reading.refuse(
                raw.span.start,
                "text that is not plain UTF-8: no file of any environment.d folder is read",
                "store it in another form, base64 for instance",
            );
            return reading;
        }
        if raw.value.is_empty() {
            let (what, way_out) = ("an empty value: the line is ignored, and unsets nothing", "refer to a name that is not set");
            reading.complain(raw.span.start, what, way_out);
            continue;
        }
        // What is handed on may differ from what later lines see.
        so_far.catch_up(&reading.entries);
        let value = if raw.value.contains(&b'$') {
            let so_far = |name: &[u8]| so_far.get(name).flatten().map(|v| v.to_vec());
            expand(&raw.value, &|name| so_far(name).or_else(|| around.outer.get(name).map(<[u8]>::to_vec)))
        } else {
            raw.value.to_vec()
        };
        reading.set(raw.key.clone(), visible(value.clone()), raw.span, raw.value_span);
        so_far.catch_up(&reading.entries);
        so_far.set(raw.key.into(), Some(value));
    }
    if let Some(at) = open_quote {
        reading.complain(at, "a quote is never closed: it takes the rest of the file", "close it, or write \\ before it");
    }
    reading
}

/// Control bytes arrive as text that tells of them (measured with whole user managers).
fn visible(value: Vec<u8>) -> Vec<u8> {
    if !value.iter().any(u8::is_ascii_control) {
        return value;
    }
    let mut out = Vec::with_capacity(value.len());
    for byte in &value {
        match byte {
            7 => out.extend(b"\\a"),
            8 => out.extend(b"\\b"),
            b'\t' => out.extend(b"\\t"),
            b'\n' => out.extend(b"\\n"),
            11 => out.extend(b"\\v"),
            12 => out.extend(b"\\f"),
            b'\r' => out.extend(b"\\r"),
            0..32 | 127 => out.extend(format!("\\{byte:03o}").into_bytes()),
            _ => out.push(*byte),
        }
    }
    out
}

impl Reader for EnvironmentD {
    fn id(&self) -> &'static str {
        "environment-d"
    }

    fn about(&self) -> &'static str {
        "a user manager's environment.d/*.conf"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("systemd 252.39")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        read_after(file, around, &mut Known::default())
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        portable(name)?;
        utf8(value)?;
        if value.as_bytes().iter().any(|b| b.is_ascii_control()) {
            return Err(Refusal::new(
                "a control byte arrives as text, a line feed as \\n",
                "put the value into a file and hand on its path, or set it in a unit",
            ));
        }
        if value.as_bytes().is_empty() {
            return Ok(assignment(name, b"${VECTORUM_NOT_SET}"));
        }
        let mut doubled = Vec::new();
        for byte in value.as_bytes() {
            doubled.extend(if *byte == b'$' { &b"$$"[..] } else { std::slice::from_ref(byte) });
        }
        Ok(assignment(name, &quoted(&doubled, b"\"\\`")))
    }
}
