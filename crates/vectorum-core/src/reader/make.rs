//! A makefile's `include` with a bare `export` (GNU make 4.3).

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use super::cursor::{is_blank, is_space, trim_end, trim_start};
use bytes::Bytes;

use super::plain::{Form, PlainLines};
use super::systemd::portable;
use super::{Effect, Reader, Reading, Refusal, Surroundings};
use crate::block::{Name, Value};

/// The reader.
pub(super) struct Make;

const UNKNOWN: &str = "a function of make would have to be run";

#[derive(Clone)]
struct Variable {
    text: Bytes,
    /// Expanded when it is used, not when it is set.
    is_late: bool,
}

/// A name as one line sets or exports it.
struct Item {
    name: Bytes,
    /// What the line sets it to; `None` if it only exports what was set before.
    held: Option<Variable>,
    /// Whether it is exported by a word of its own.
    is_export: bool,
    span: Range<usize>,
    value_span: Range<usize>,
}

/// What the lines so far say.
#[derive(Default)]
struct Variables {
    items: Vec<Item>,
    /// The last item that sets each name. Put in order when the first name is asked for.
    places: HashMap<Bytes, usize>,
    upto: usize,
}

impl Variables {
    fn catch_up(&mut self) {
        for (at, item) in self.items.iter().enumerate().skip(self.upto) {
            if item.held.is_some() {
                self.places.insert(item.name.clone(), at);
            }
        }
        self.upto = self.items.len();
    }

    fn get(&self, name: &[u8]) -> Option<&Variable> {
        self.items.get(*self.places.get(name)?)?.held.as_ref()
    }
}

impl Reader for Make {
    fn id(&self) -> &'static str {
        "make-include"
    }

    fn about(&self) -> &'static str {
        "include in a makefile that exports all"
    }

    fn measured(&self) -> Option<&'static str> {
        Some("GNU make 4.3")
    }

    fn read(&self, file: &[u8], around: &Surroundings) -> Reading {
        let mut reading = Reading::default();
        let mut variables = Variables::default();
        let mut plain = PlainLines::new(file, &Form::ASSIGNMENT);
        let bom = if file.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
        let mut has_rule = false;
        for (start, end, line) in logical_lines(file, bom) {
            // Words of the grammar are in small letters.
            if let Some(found) =
                plain.at(start).filter(|p| p.value.end == end && file.get(start).is_some_and(|b| !b.is_ascii_lowercase()))
            {
                let (name, text) = (plain.part(found.name), plain.part(found.value.clone()));
                let held = Some(Variable { text, is_late: true });
                variables.items.push(Item { name, held, is_export: false, span: start..end, value_span: found.value });
                continue;
            }
            variables.catch_up();
            if line.first() == Some(&b'\t') && has_rule {
                continue;
            }
            let line = uncomment(&line);
            let bare = trim_start(&line, is_space);
            let (bare, is_export) = match bare.strip_prefix(b"export") {
                Some(rest) if rest.first().is_some_and(|b| is_blank(*b)) => (trim_start(rest, is_blank), true),
                Some([]) => continue,
                _ => (bare, false),
            };
            if trim_end(bare, is_space).is_empty() {
                continue;
            }
            if is_export && !bare.contains(&b'=') {
                for name in bare.split(|b| is_blank(*b)).filter(|n| !n.is_empty()) {
                    let held = variables.get(name).is_none().then(|| Variable { text: of(around, name), is_late: true });
                    let (name, span) = (Bytes::copy_from_slice(name), start..end);
                    variables.items.push(Item { name, held, is_export: true, span, value_span: end..end });
                    variables.catch_up();
                }
                continue;
            }
            let parsed = parse(bare);
            if line.first() == Some(&b'\t') && !matches!(parsed, Parsed::Set { .. }) {
                reading.refuse(start, "a line that begins with a tab before any rule: make stops", "begin it with no blank");
                return reading;
            }
            match parsed {
                Parsed::Set { name, sign, value } => {
                    let is_late = sign != b':';
                    let text = if is_late {
                        Bytes::copy_from_slice(value)
                    } else {
                        match expand(value, &variables, around, 0) {
                            Ok(text) => text.into(),
                            Err(trouble) => {
                                trouble.tell(&mut reading, start);
                                return reading;
                            }
                        }
                    };
                    let name = match expand(name, &variables, around, 0) {
                        Ok(name) => Bytes::from(name),
                        Err(trouble) => {
                            trouble.tell(&mut reading, start);
                            return reading;
                        }
                    };
                    if name.is_empty() {
                        reading.refuse(start, "a line without a name: make stops", "write NAME = value");
                        return reading;
                    }
                    let old = variables.get(&name);
                    let variable = match (sign, old) {
                        (b'?', _) if old.is_some() || around.outer.get(&name).is_some() => continue,
                        (b'+', Some(old)) if text.is_empty() => Variable { text: old.text.clone(), is_late: old.is_late },
                        (b'+', None) if text.is_empty() && around.outer.get(&name).is_some() => {
                            Variable { text: of(around, &name), is_late: true }
                        }
                        // What is added to nothing stands alone.
                        (b'+', Some(old)) if old.text.is_empty() => Variable { text, is_late: old.is_late },
                        (b'+', Some(old)) => {
                            Variable { text: [&old.text[..], b" ", &text].concat().into(), is_late: old.is_late }
                        }
                        (b'+', None) if around.outer.get(&name).is_some_and(|old| !old.is_empty()) => {
                            let old = around.outer.get(&name).unwrap_or_default();
                            Variable { text: [old, b" ", &text].concat().into(), is_late: true }
                        }
                        _ => Variable { text, is_late },
                    };
                    let from = end - value.len().min(end - start);
                    let (held, span) = (Some(variable), start..end);
                    variables.items.push(Item { name, held, is_export, span, value_span: from..end });
                    variables.catch_up();
                }
                Parsed::Shell => {
                    reading.open = Some((start, UNKNOWN));
                    return reading;
                }
                Parsed::Rule => has_rule = true,
                // References that come to nothing leave an empty line.
                Parsed::Neither if expand(bare, &variables, around, 0).is_ok_and(|e| e.iter().all(|b| is_space(*b))) => {}
                // What they bring may make a rule of the line.
                Parsed::Neither
                    if bare.contains(&b'$') && expand(bare, &variables, around, 0).is_ok_and(|e| e.contains(&b':')) =>
                {
                    reading.open = Some((start, UNKNOWN));
                    return reading;
                }
                Parsed::Neither => {
                    reading.refuse(start, "neither an assignment nor a rule: make stops", "write NAME = value, on one line");
                    return reading;
                }
            }
        }
        let is_fixed = |variable: &Variable| !variable.is_late || !variable.text.contains(&b'$');
        if !variables.items.iter().all(|item| !item.is_export && item.held.as_ref().is_some_and(is_fixed)) {
            variables.catch_up();
        }
        for Item { name, held, is_export, span, value_span } in &variables.items {
            if !is_export && !super::is_portable(name) {
                reading.complain(
                    span.start,
                    "a name has other characters than letters, digits and underscores: it is not exported",
                    "rename it",
                );
                continue;
            }
            // A word of its own exports what the name holds at the end, also by lines that export nothing.
            let last = if *is_export { variables.get(name) } else { None };
            let Some(variable) = last.or(held.as_ref()) else { continue };
            let value = if is_fixed(variable) {
                Ok(variable.text.clone())
            } else {
                expand(&variable.text, &variables, around, 0).map(Bytes::from)
            };
            let effect = match value {
                Ok(value) => Effect::Set(value),
                Err(Trouble::Function) => Effect::Unknown(UNKNOWN),
                Err(trouble) => {
                    trouble.tell(&mut reading, span.start);
                    return reading;
                }
            };
            reading.entries.push(super::Entry { name: name.clone(), effect, span: span.clone(), value_span: value_span.clone() });
        }
        through_a_shell(&mut reading, around);
        reading
    }

    fn write(&self, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
        portable(name)?;
        if name.as_bytes() == b"IFS" {
            return Err(Refusal::new("make runs its shell with an IFS of the shell's own", "set it in the recipe"));
        }
        let v = value.as_bytes();
        if v.contains(&b'\n') {
            return Err(Refusal::new("a value is one line here", "use define, or put it into a file"));
        }
        let mut out = [name.as_bytes(), b"=$()"].concat();
        let mut slashes = 0;
        for byte in v {
            match byte {
                b'$' => out.extend(b"$$"),
                b'#' => {
                    // Backslashes right before it would be taken for the one that keeps it.
                    out.extend(std::iter::repeat_n(b'\\', slashes + 1));
                    out.push(b'#');
                }
                _ => out.push(*byte),
            }
            slashes = if *byte == b'\\' { slashes + 1 } else { 0 };
        }
        out.extend(b"$()\n");
        Ok(out)
    }
}

/// What a name holds outside.
fn of(around: &Surroundings, name: &[u8]) -> Bytes {
    Bytes::copy_from_slice(around.outer.get(name).unwrap_or_default())
}

/// A recipe is run without a shell where that makes no difference. With IFS or SHELL set it does:
/// then the shell adds what it sets by itself.
fn through_a_shell(reading: &mut Reading, around: &Surroundings) {
    let last = |name: &[u8]| reading.entries.iter().rev().find(|e| e.name == name).map(|e| (e.effect.clone(), e.span.clone()));
    let (ifs, shell) = (last(b"IFS"), last(b"SHELL"));
    let Some((_, span)) = shell.clone().or(ifs.clone()) else { return };
    let end = span.end..span.end;
    let is_bash = shell.is_some_and(|(effect, _)| matches!(&effect, Effect::Set(path) if path.ends_with(b"bash")));
    if is_bash && around.outer.get(b"SHLVL").is_none() {
        reading.set(&b"SHLVL"[..], &b"0"[..], span.clone(), end.clone());
    }
    if ifs.is_some() {
        reading.set(&b"IFS"[..], &b" \t\n"[..], span.clone(), end.clone());
    }
    reading.set(&b"PWD"[..], around.folder.clone(), span, end);
}

/// Puts lines together that end in a backslash: it, the line feed and the blanks around them become
/// one blank. Returns where each begins and ends.
fn logical_lines(file: &[u8], from: usize) -> Vec<(usize, usize, Cow<'_, [u8]>)> {
    let mut out: Vec<(usize, usize, Cow<'_, [u8]>)> = Vec::new();
    let (mut goes_on, mut hidden) = (false, false);
    let mut at = from;
    while at < file.len() {
        let rest = file.get(at..).unwrap_or_default();
        let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        let is_ended = length < rest.len();
        // A NUL hides the rest of its line and its end: the next one follows at once.
        let nul = memchr::memchr(0, rest.get(..length).unwrap_or_default());
        if let Some(nul) = nul {
            let text = rest.get(..nul).unwrap_or_default();
            match out.last_mut().filter(|_| goes_on || hidden) {
                Some((_, end, joined)) => {
                    joined.to_mut().extend_from_slice(text);
                    *end = at + length;
                }
                None => out.push((at, at + length, Cow::Borrowed(text))),
            }
            hidden = true;
            at += length + 1;
            continue;
        }
        let line = rest.get(..length).unwrap_or_default();
        let line = line.strip_suffix(b"\r").filter(|_| is_ended).unwrap_or(line);
        let slashes = line.iter().rev().take_while(|b| **b == b'\\').count();
        let next_goes_on = slashes % 2 == 1 && is_ended;
        let text = if next_goes_on { line.get(..line.len() - 1).unwrap_or_default() } else { line };
        if std::mem::take(&mut hidden)
            && let Some((_, end, joined)) = out.last_mut()
        {
            joined.to_mut().extend_from_slice(text);
            *end = at + line.len();
            goes_on = next_goes_on;
            at += length + 1;
            continue;
        }
        match out.last_mut().filter(|_| goes_on) {
            Some((_, end, joined)) => {
                let keep = trim_end(joined, is_blank).len();
                let joined = joined.to_mut();
                joined.truncate(keep);
                joined.push(b' ');
                joined.extend_from_slice(trim_start(text, is_blank));
                *end = at + line.len();
            }
            None => out.push((at, at + line.len(), Cow::Borrowed(text))),
        }
        goes_on = next_goes_on;
        at += length + 1;
    }
    // The line that follows the last one is empty.
    if let Some((_, _, joined)) = out.last_mut().filter(|_| goes_on) {
        joined.to_mut().push(b' ');
    }
    out
}

/// Returns the length of the reference that begins with the dollar at the front.
fn reference(text: &[u8]) -> usize {
    let close = match text.get(1) {
        Some(b'(') => b')',
        Some(b'{') => b'}',
        Some(_) => return 2,
        None => return 1,
    };
    let open = text.get(1).copied().unwrap_or(0);
    let mut nest = 0;
    let end = text.iter().skip(1).position(|b| {
        nest += i32::from(*b == open) - i32::from(*b == close);
        nest == 0
    });
    end.map_or(2, |end| end + 2)
}

/// Cuts a comment off. A backslash keeps a `#`; backslashes before it are halved. References are
/// passed over.
fn uncomment(line: &[u8]) -> Vec<u8> {
    let mut out: Vec<u8> = Vec::with_capacity(line.len());
    let mut skip = 0;
    for (at, byte) in line.iter().enumerate() {
        if *byte == b'$' && skip == 0 {
            skip = reference(line.get(at..).unwrap_or_default());
        }
        if skip > 0 {
            skip -= 1;
            out.push(*byte);
            continue;
        }
        if *byte == b'#' {
            let slashes = out.iter().rev().take_while(|b| **b == b'\\').count();
            out.truncate(out.len() - slashes.div_ceil(2));
            if slashes % 2 == 0 {
                return out;
            }
        }
        out.push(*byte);
    }
    out
}

enum Parsed<'a> {
    Set { name: &'a [u8], sign: u8, value: &'a [u8] },
    Shell,
    Rule,
    Neither,
}

fn parse(line: &[u8]) -> Parsed<'_> {
    let mut skip = 0;
    for (at, byte) in line.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|i| line.get(i)).copied().unwrap_or(0);
        if *byte == b'$' && skip == 0 {
            skip = reference(line.get(at..).unwrap_or_default());
        }
        if skip > 0 {
            skip -= 1;
            continue;
        }
        match byte {
            b'=' => {
                let (sign, cut) = match before {
                    b':' => (b':', 1 + usize::from(line.get(..at - 1).is_some_and(|l| l.ends_with(b":")))),
                    b'?' => (b'?', 1),
                    b'+' => (b'+', 1),
                    b'!' => return Parsed::Shell,
                    _ => (b'=', 0),
                };
                let name = trim_end(line.get(..at - cut).unwrap_or_default(), is_blank);
                let value = trim_start(line.get(at + 1..).unwrap_or_default(), is_space);
                return if name.is_empty() || name.iter().any(|b| is_blank(*b)) {
                    Parsed::Neither
                } else {
                    Parsed::Set { name, sign, value }
                };
            }
            b':' if line.get(at + 1) != Some(&b'=') && line.get(at + 1..at + 3) != Some(b":=") => {
                return Parsed::Rule;
            }
            _ => {}
        }
    }
    Parsed::Neither
}

enum Trouble {
    Function,
    Recursive,
    Unclosed,
}

impl Trouble {
    /// Puts down what it means for the file.
    fn tell(&self, reading: &mut Reading, at: usize) {
        match self {
            Trouble::Function => reading.open = Some((at, UNKNOWN)),
            Trouble::Recursive => reading.refuse(at, "a variable refers to itself: make stops", "use := instead of ="),
            Trouble::Unclosed => {
                reading.refuse(at, "a reference is never closed: make stops", "close it, or write $$ for a dollar");
            }
        }
    }
}

/// Deeper chains are taken for a variable that refers to itself.
const DEEPEST: usize = 64;

fn expand(text: &[u8], variables: &Variables, around: &Surroundings, depth: usize) -> Result<Vec<u8>, Trouble> {
    if depth > DEEPEST {
        return Err(Trouble::Recursive);
    }
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        if byte != b'$' {
            out.push(byte);
            continue;
        }
        // One at the very end stands for itself.
        let Some(next) = text.get(at).copied() else {
            out.push(b'$');
            break;
        };
        at += 1;
        let name = match next {
            b'$' => {
                out.push(b'$');
                continue;
            }
            open @ (b'(' | b'{') => {
                let close = if open == b'(' { b')' } else { b'}' };
                let rest = text.get(at..).unwrap_or_default();
                let mut nest = 1;
                let Some(end) = rest.iter().position(|b| {
                    nest += i32::from(*b == open) - i32::from(*b == close);
                    nest == 0
                }) else {
                    return Err(Trouble::Unclosed);
                };
                at += end + 1;
                let inner = rest.get(..end).unwrap_or_default();
                let first = inner.split(|b| is_blank(*b)).next().unwrap_or_default();
                let is_function = first.len() < inner.len() && std::str::from_utf8(first).is_ok_and(|f| FUNCTIONS.contains(&f));
                let is_substitution =
                    memchr::memchr(b':', inner).is_some_and(|at| inner.get(at..).is_some_and(|r| r.contains(&b'=')));
                if is_function || is_substitution {
                    return Err(Trouble::Function);
                }
                expand(inner, variables, around, depth + 1)?
            }
            other => vec![other],
        };
        match variables.get(&name) {
            Some(variable) if variable.is_late => out.extend(expand(&variable.text, variables, around, depth + 1)?),
            Some(variable) => out.extend_from_slice(&variable.text),
            None => match around.outer.get(&name) {
                // What comes from outside is expanded again.
                Some(value) => out.extend(expand(value, variables, around, depth + 1)?),
                None if is_own(&name) => return Err(Trouble::Function),
                None => {}
            },
        }
    }
    Ok(out)
}

/// The functions of make (GNU make manual, "Functions for Transforming Text").
const FUNCTIONS: &[&str] = &[
    "abspath",
    "addprefix",
    "addsuffix",
    "and",
    "basename",
    "call",
    "dir",
    "error",
    "eval",
    "file",
    "filter",
    "filter-out",
    "findstring",
    "firstword",
    "flavor",
    "foreach",
    "guile",
    "if",
    "info",
    "join",
    "lastword",
    "notdir",
    "or",
    "origin",
    "patsubst",
    "realpath",
    "shell",
    "sort",
    "strip",
    "subst",
    "suffix",
    "value",
    "warning",
    "wildcard",
    "word",
    "wordlist",
    "words",
];

/// Names that make sets by itself.
fn is_own(name: &[u8]) -> bool {
    const OWN: [&[u8]; 12] = [
        b"MAKE",
        b"SHELL",
        b"CURDIR",
        b"MAKEFLAGS",
        b"MAKEFILE_LIST",
        b"CC",
        b"CXX",
        b"AR",
        b"LD",
        b"RM",
        b"MAKELEVEL",
        b"MAKE_VERSION",
    ];
    OWN.contains(&name)
        || (name.first() == Some(&b'.') && name.len() > 1)
        || matches!(name, [b'@' | b'<' | b'^' | b'+' | b'?' | b'*' | b'%' | b'|'])
}
