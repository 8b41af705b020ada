//! A block in the forms that other programs take: one table of formats, each with its writer.

mod preview;
mod snippet;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::{Map, Value as Json, json};

use crate::block::{Name, Value};
use crate::reader::{READERS, Reader, Refusal};

pub use preview::{PreviewLine, preview};

/// What is exported: names and values, in order, each name once.
pub type Pairs<'a> = &'a [(Name, Value)];

/// A variable that a format cannot express.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inexpressible {
    /// The variable.
    pub name: Name,
    /// What the format lacks, and what can be done instead.
    pub refusal: Refusal,
}

/// A form.
pub struct Format {
    /// What people call it by, as in `--as ID`.
    pub id: &'static str,
    /// What it is, in a few words.
    pub about: &'static str,
    write: Writer,
}

type Line = fn(&Name, &Value) -> Result<Vec<u8>, Refusal>;
type Whole = fn(Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>>;

enum Writer {
    /// One line or statement a variable.
    Lines(Line),
    /// The whole at once.
    Whole(Whole),
}

/// The formats beside those of the readers of env files, which all are formats, too.
pub const FORMATS: &[Format] = &[
    Format { id: "null", about: "NAME=value entries, each ended by a NUL", write: Writer::Lines(null) },
    Format { id: "export", about: "export statements for sh, bash, zsh, ksh", write: Writer::Lines(export) },
    Format { id: "powershell", about: "statements for PowerShell", write: Writer::Lines(powershell) },
    Format { id: "cmd", about: "statements for cmd", write: Writer::Lines(cmd) },
    Format { id: "json", about: "one JSON object", write: Writer::Whole(json_object) },
    Format { id: "yaml", about: "one YAML mapping", write: Writer::Whole(yaml) },
    Format { id: "toml", about: "one TOML table", write: Writer::Lines(toml) },
    Format { id: "csv", about: "name,value lines (RFC 4180)", write: Writer::Whole(csv) },
    Format {
        id: "container-names",
        about: "--env flags by name only: no value stands in a command line",
        write: Writer::Lines(flag_name),
    },
    Format { id: "container-flags", about: "--env flags with values, as shells take them", write: Writer::Whole(flags) },
    Format { id: "compose-environment", about: "environment: of a Compose file", write: Writer::Whole(compose_environment) },
    Format { id: "oci", about: "process.env of an OCI runtime configuration", write: Writer::Whole(oci) },
    Format { id: "configmap", about: "a Kubernetes ConfigMap", write: Writer::Whole(config_map) },
    Format { id: "secret", about: "a Kubernetes Secret", write: Writer::Whole(secret) },
    Format { id: "unit-drop-in", about: "a drop-in for a systemd unit", write: Writer::Whole(drop_in) },
];

/// Whether a format carries the names alone, or of values only those that look like no secret.
pub fn leaves_secrets_out(id: &str) -> bool {
    id == "container-names" || snippet::LANGUAGES.iter().any(|l| l.id == id)
}

/// Returns every id with what it is: the formats, the snippets, then the readers.
pub fn format_ids() -> impl Iterator<Item = (&'static str, &'static str)> {
    let snippets = snippet::LANGUAGES.iter().map(|l| (l.id, l.about));
    FORMATS.iter().map(|f| (f.id, f.about)).chain(snippets).chain(READERS.iter().map(|r| (r.id(), r.about())))
}

/// Writes variables in a format.
///
/// # Errors
/// `None` for a format that is not there; else every variable that the format cannot express.
pub fn write_as(id: &str, pairs: Pairs<'_>) -> Result<Vec<u8>, Option<Vec<Inexpressible>>> {
    if let Some(format) = FORMATS.iter().find(|f| f.id == id) {
        return match format.write {
            Writer::Lines(line) => each(pairs, line),
            Writer::Whole(whole) => whole(pairs),
        }
        .map_err(Some);
    }
    if let Some(language) = snippet::LANGUAGES.iter().find(|l| l.id == id) {
        return each(pairs, |name, value| snippet::write(language, name, value)).map_err(Some);
    }
    let reader: &dyn Reader = *READERS.iter().find(|r| r.id() == id).ok_or(None)?;
    each(pairs, |name, value| reader.write(name, value)).map_err(Some)
}

fn each(pairs: Pairs<'_>, line: impl Fn(&Name, &Value) -> Result<Vec<u8>, Refusal>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    let (mut out, mut failed) = (Vec::new(), Vec::new());
    for (name, value) in pairs {
        match line(name, value) {
            Ok(line) => out.extend(line),
            Err(refusal) => failed.push(Inexpressible { name: name.clone(), refusal }),
        }
    }
    if failed.is_empty() { Ok(out) } else { Err(failed) }
}

fn text(value: &Value) -> Result<&str, Refusal> {
    std::str::from_utf8(value.as_bytes())
        .map_err(|_| Refusal { what: "a value must be UTF-8 here", way_out: "use the format null, or leave it out with --only" })
}

fn name_text(name: &Name) -> Result<&str, Refusal> {
    std::str::from_utf8(name.as_bytes())
        .map_err(|_| Refusal { what: "a name must be UTF-8 here", way_out: "use the format null, or leave it out with --only" })
}

/// Refuses names that are not letters, digits and underscores.
fn portable(name: &Name) -> Result<&str, Refusal> {
    let text = name_text(name)?;
    if crate::reader::is_portable(name.as_bytes()) {
        return Ok(text);
    }
    Err(Refusal {
        what: "such a name cannot be written here",
        way_out: "use the format null or json, or leave it out with --only",
    })
}

fn null(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    Ok([name.as_bytes(), b"=", value.as_bytes(), b"\0"].concat())
}

fn export(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    portable(name)?;
    Ok([b"export ", name.as_bytes(), b"=", &crate::reader::single_quoted(value.as_bytes()), b"\n"].concat())
}

fn powershell(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    // Within single quotes only the quote is doubled, the curly ones that are taken for it included
    // (PowerShell's "About Quoting Rules").
    let mut quoted = String::new();
    for c in text(value)?.chars() {
        if matches!(c, '\'' | '\u{2018}'..='\u{201b}') {
            quoted.push(c);
        }
        quoted.push(c);
    }
    Ok(format!("${{env:{}}} = '{quoted}'\n", portable(name)?).into_bytes())
}

fn cmd(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    let text = text(value)?;
    if text.contains(['"', '\n', '\r', '!']) || text.is_empty() {
        return Err(Refusal {
            what: "cmd cannot set an empty value, or one with a double quote, an exclamation mark or a line feed",
            way_out: "use the format powershell, or leave it out with --only",
        });
    }
    Ok(format!("set \"{}={}\"\r\n", portable(name)?, text.replace('%', "%%")).into_bytes())
}

fn whole_text(pairs: Pairs<'_>) -> Result<Vec<(&str, &str)>, Vec<Inexpressible>> {
    let read = |(name, value): &'_ (Name, Value)| match (name_text(name), text(value)) {
        (Ok(_), Ok(_)) => None,
        (Err(refusal), _) | (_, Err(refusal)) => Some(Inexpressible { name: name.clone(), refusal }),
    };
    let failed: Vec<Inexpressible> = pairs.iter().filter_map(read).collect();
    if !failed.is_empty() {
        return Err(failed);
    }
    let text = |bytes| std::str::from_utf8(bytes).unwrap_or_default();
    Ok(pairs.iter().map(|(n, v)| (text(n.as_bytes()), text(v.as_bytes()))).collect())
}

/// JSON that cannot fail: strings only.
fn printed(json: &Json) -> Vec<u8> {
    format!("{json:#}\n").into_bytes()
}

fn object(pairs: &[(&str, &str)]) -> Json {
    pairs.iter().map(|(n, v)| ((*n).to_owned(), Json::from(*v))).collect::<Map<_, _>>().into()
}

fn json_object(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    Ok(printed(&object(&whole_text(pairs)?)))
}

/// Returns a text in double quotes with the escapes that most languages share; `other` says how a
/// further character is written, if not as itself.
fn escaped(text: &str, other: impl Fn(char) -> Option<String>) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            '\r' => out.push_str("\\r"),
            c => match other(c) {
                Some(spelling) => out.push_str(&spelling),
                None => out.push(c),
            },
        }
    }
    out.push('"');
    out
}

/// Returns a text as JSON, YAML and TOML quote it; `odd` says which other characters want `\uXXXX`.
fn quoted(text: &str, odd: impl Fn(char) -> bool) -> String {
    escaped(text, |c| (c.is_control() || odd(c)).then(|| format!("\\u{:04X}", c as u32)))
}

/// A double-quoted YAML scalar (YAML 1.2.2, section 5.7).
fn scalar(text: &str) -> String {
    quoted(text, |c| matches!(c, '\u{feff}' | '\u{2028}' | '\u{2029}' | '\u{fffe}' | '\u{ffff}'))
}

fn mapping(pairs: &[(&str, &str)], indent: &str, value: impl Fn(&str) -> String) -> String {
    if pairs.is_empty() {
        return format!("{indent}{{}}\n");
    }
    pairs.iter().map(|(n, v)| format!("{indent}{}: {}\n", scalar(n), value(v))).collect()
}

fn yaml(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    Ok(mapping(&whole_text(pairs)?, "", scalar).into_bytes())
}

fn toml(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    let bare = name.as_bytes().iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-'));
    let key = name_text(name)?;
    Ok(format!("{} = {}\n", if bare { key.to_owned() } else { quoted(key, |_| false) }, quoted(text(value)?, |_| false))
        .into_bytes())
}

fn csv(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    let field = |text: &str| {
        if text.contains([',', '"', '\n', '\r']) || text.starts_with(' ') || text.ends_with(' ') {
            format!("\"{}\"", text.replace('"', "\"\""))
        } else {
            text.to_owned()
        }
    };
    let rows = whole_text(pairs)?;
    let lines: String = rows.iter().map(|(n, v)| format!("{},{}\r\n", field(n), field(v))).collect();
    Ok(format!("name,value\r\n{lines}").into_bytes())
}

fn flag_name(name: &Name, _: &Value) -> Result<Vec<u8>, Refusal> {
    Ok(format!("--env {}\n", portable(name)?).into_bytes())
}

fn flag_value(name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    portable(name)?;
    let word = [name.as_bytes(), b"=", value.as_bytes()].concat();
    Ok([b"--env ", &crate::reader::single_quoted(&word)[..], b" \\\n"].concat())
}

/// One flag a line, all of them one command.
fn flags(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    let mut lines = each(pairs, flag_value)?;
    if lines.ends_with(b" \\\n") {
        lines.truncate(lines.len() - 3);
        lines.push(b'\n');
    }
    Ok(lines)
}

fn compose_environment(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    // A dollar would be a reference (Compose specification, "Interpolation").
    let body = mapping(&whole_text(pairs)?, "  ", |v| scalar(&v.replace('$', "$$")));
    Ok(format!("environment:\n{body}").into_bytes())
}

fn oci(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    let env: Vec<String> = whole_text(pairs)?.iter().map(|(n, v)| format!("{n}={v}")).collect();
    Ok(printed(&json!({ "process": { "env": env } })))
}

/// Keys of a ConfigMap and a Secret have letters, digits, `-`, `_` and `.` (Kubernetes API,
/// "ConfigMap").
fn keys(pairs: Pairs<'_>) -> Result<(), Vec<Inexpressible>> {
    let fits = |name: &Name| {
        name.as_bytes().len() <= 253 && name.as_bytes().iter().all(|b| b.is_ascii_alphanumeric() || b"-_.".contains(b))
    };
    let refusal = Refusal {
        what: "a key has letters, digits, -, _ and . here",
        way_out: "rename the variable, or leave it out with --only",
    };
    let failed: Vec<Inexpressible> =
        pairs.iter().filter(|(n, _)| !fits(n)).map(|(n, _)| Inexpressible { name: n.clone(), refusal }).collect();
    if failed.is_empty() { Ok(()) } else { Err(failed) }
}

fn config_map(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    keys(pairs)?;
    let body = mapping(&whole_text(pairs)?, "  ", scalar);
    Ok(format!("apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: env\ndata:\n{body}").into_bytes())
}

fn secret(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    keys(pairs)?;
    let line = |(n, v): &(Name, Value)| format!("  \"{}\": \"{}\"\n", n, BASE64_STANDARD.encode(v.as_bytes()));
    let body: String = if pairs.is_empty() { "  {}\n".to_owned() } else { pairs.iter().map(line).collect() };
    Ok(format!("apiVersion: v1\nkind: Secret\nmetadata:\n  name: env\ntype: Opaque\ndata:\n{body}").into_bytes())
}

fn drop_in(pairs: Pairs<'_>) -> Result<Vec<u8>, Vec<Inexpressible>> {
    let unit = crate::reader::reader("systemd-environment").ok_or_else(Vec::new)?;
    Ok([&b"[Service]\n"[..], &each(pairs, |n, v| unit.write(n, v))?].concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pairs(of: &[(&str, &[u8])]) -> Vec<(Name, Value)> {
        of.iter().map(|(n, v)| (Name::new((*n).to_owned()).unwrap(), Value::new(v.to_vec()).unwrap())).collect()
    }

    #[test]
    fn each_format_spells_what_is_hard_to_spell() {
        let hard = pairs(&[("A", b"it's \"$x\" %y"), ("B", b"two\nlines")]);
        for (id, expected) in [
            ("export", "export A='it'\\''s \"$x\" %y'\nexport B='two\nlines'\n"),
            ("powershell", "${env:A} = 'it''s \"$x\" %y'\n${env:B} = 'two\nlines'\n"),
            ("json", "{\n  \"A\": \"it's \\\"$x\\\" %y\",\n  \"B\": \"two\\nlines\"\n}\n"),
            ("yaml", "\"A\": \"it's \\\"$x\\\" %y\"\n\"B\": \"two\\nlines\"\n"),
            ("toml", "A = \"it's \\\"$x\\\" %y\"\nB = \"two\\nlines\"\n"),
            ("csv", "name,value\r\nA,\"it's \"\"$x\"\" %y\"\r\nB,\"two\nlines\"\r\n"),
            ("container-names", "--env A\n--env B\n"),
            ("container-flags", "--env 'A=it'\\''s \"$x\" %y' \\\n--env 'B=two\nlines'\n"),
            ("compose-environment", "environment:\n  \"A\": \"it's \\\"$$x\\\" %y\"\n  \"B\": \"two\\nlines\"\n"),
            ("null", "A=it's \"$x\" %y\0B=two\nlines\0"),
            ("unit-drop-in", "[Service]\nEnvironment=\"A=it's \\\"$x\\\" %%y\"\nEnvironment=\"B=two\\nlines\"\n"),
        ] {
            let written = write_as(id, &hard).unwrap_or_else(|e| panic!("{id}: {e:?}"));
            assert_eq!(String::from_utf8_lossy(&written), expected, "{id}");
        }
        assert!(write_as("nonsense", &hard).is_err_and(|e| e.is_none()));
        let refused = write_as("container-env-file", &hard).unwrap_err().unwrap();
        assert_eq!((refused.len(), refused[0].name.to_string()), (1, "B".to_owned()));
    }

    #[test]
    fn bytes_are_refused_where_text_is_wanted() {
        let odd = pairs(&[("A", b"\xff")]);
        for (id, _) in format_ids() {
            let takes =
                ["null", "export", "container-flags", "container-names", "secret", "sh", "bash", "zsh", "ksh", "mksh", "fish"];
            let too = ["pam-env-file", "pam-env-conf", "crontab", "ssh-environment", "sudo-env-file", "make-include"];
            let written = write_as(id, &odd);
            assert_eq!(written.is_ok(), takes.contains(&id) || too.contains(&id), "{id}: {written:?}");
        }
    }

    #[test]
    fn ids_are_one_each() {
        let ids: Vec<_> = format_ids().map(|(id, _)| id).collect();
        for (at, id) in ids.iter().enumerate() {
            assert!(!ids.iter().skip(at + 1).any(|other| other == id), "{id} stands there twice");
        }
    }
}
