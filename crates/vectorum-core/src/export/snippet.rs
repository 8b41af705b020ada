//! Lines of source text that read a variable, with its value as the default. A value that looks
//! secret is no default: such a variable must be there.

use super::{portable, text};
use crate::block::{Name, Value};
use crate::reader::Refusal;
use crate::secret::judge;

/// A language.
pub(super) struct Language {
    pub(super) id: &'static str,
    pub(super) about: &'static str,
    /// How a text is written.
    literal: fn(&str) -> String,
    /// The line; `{v}` is the variable of the program, `{n}` the name, `{d}` the default.
    with_default: &'static str,
    /// The line for a variable that must be there.
    required: &'static str,
}

pub(super) const LANGUAGES: &[Language] = &[
    Language {
        id: "read-sh",
        about: "shell lines that read the names, with defaults",
        literal: |t| String::from_utf8_lossy(&crate::reader::single_quoted(t.as_bytes())).into_owned(),
        with_default: "{N}=${{N}-{d}}",
        required: ": \"${{N}?is not set}\"",
    },
    Language {
        id: "read-c",
        about: "C statements that read the names, with defaults",
        literal: |t| escaped(t, octal).replace("??", "?\\?"),
        with_default: "const char *{v} = getenv({n}) ? getenv({n}) : {d};",
        required: "const char *{v} = getenv({n});\nif (!{v}) { fputs(\"{N} is not set\\n\", stderr); exit(1); }",
    },
    Language {
        id: "read-csharp",
        about: "C# statements that read the names, with defaults",
        literal: |t| escaped(t, four_digits),
        with_default: "var {v} = Environment.GetEnvironmentVariable({n}) ?? {d};",
        required: "var {v} = Environment.GetEnvironmentVariable({n}) ?? throw new Exception(\"{N} is not set\");",
    },
    Language {
        id: "read-go",
        about: "Go statements that read the names, with defaults",
        literal: |t| escaped(t, four_digits),
        with_default: "{v}, ok := os.LookupEnv({n})\nif !ok {\n\t{v} = {d}\n}",
        required: "{v}, ok := os.LookupEnv({n})\nif !ok {\n\tlog.Fatal(\"{N} is not set\")\n}",
    },
    Language {
        id: "read-java",
        about: "Java statements that read the names, with defaults",
        literal: |t| escaped(t, four_digits),
        with_default: "String {v} = System.getenv().getOrDefault({n}, {d});",
        required: "String {v} = java.util.Objects.requireNonNull(System.getenv({n}), \"{N} is not set\");",
    },
    Language {
        id: "read-javascript",
        about: "JavaScript statements for Node that read the names, with defaults",
        literal: |t| escaped(t, four_digits),
        with_default: "const {v} = process.env.{N} ?? {d};",
        required: "const {v} = process.env.{N};\nif ({v} === undefined) throw new Error(\"{N} is not set\");",
    },
    Language {
        id: "read-perl",
        about: "Perl statements that read the names, with defaults",
        literal: |t| format!("'{}'", t.replace('\\', "\\\\").replace('\'', "\\'")),
        with_default: "my ${v} = $ENV{{N}} // {d};",
        required: "my ${v} = $ENV{{N}} // die \"{N} is not set\\n\";",
    },
    Language {
        id: "read-php",
        about: "PHP statements that read the names, with defaults",
        literal: |t| format!("'{}'", t.replace('\\', "\\\\").replace('\'', "\\'")),
        with_default: "${v} = getenv({n}) === false ? {d} : getenv({n});",
        required: "${v} = getenv({n});\nif (${v} === false) { exit(\"{N} is not set\\n\"); }",
    },
    Language {
        id: "read-python",
        about: "Python statements that read the names, with defaults",
        literal: |t| escaped(t, four_digits),
        with_default: "{v} = os.environ.get({n}, {d})",
        required: "{v} = os.environ[{n}]",
    },
    Language {
        id: "read-ruby",
        about: "Ruby statements that read the names, with defaults",
        literal: |t| escaped(t, four_digits).replace('#', "\\#"),
        with_default: "{v} = ENV.fetch({n}, {d})",
        required: "{v} = ENV.fetch({n})",
    },
    Language {
        id: "read-rust",
        about: "Rust statements that read the names, with defaults",
        literal: |t| escaped(t, |c| format!("\\u{{{:x}}}", c as u32)),
        with_default: "let {v} = std::env::var({n}).unwrap_or_else(|_| {d}.to_owned());",
        required: "let {v} = std::env::var({n}).expect(\"{N} is not set\");",
    },
];

fn four_digits(c: char) -> String {
    format!("\\u{:04x}", c as u32)
}

/// The bytes of a character, each in three digits: more that follow belong to the text.
fn octal(c: char) -> String {
    c.encode_utf8(&mut [0; 4]).bytes().map(|b| format!("\\{b:03o}")).collect()
}

/// Returns a text in double quotes, control characters as `other` writes them.
fn escaped(text: &str, other: impl Fn(char) -> String) -> String {
    // Line separators end a line for some compilers, and marks of direction hide what follows.
    let is_odd = |c| matches!(c, '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}');
    super::escaped(text, |c: char| (c.is_control() || is_odd(c)).then(|| other(c)))
}

/// Writes the lines for one variable.
pub(super) fn write(language: &Language, name: &Name, value: &Value) -> Result<Vec<u8>, Refusal> {
    let shown = portable(name)?;
    let is_secret = judge(name.as_bytes(), value.as_bytes()).is_secret();
    let (form, default) =
        if is_secret { (language.required, String::new()) } else { (language.with_default, (language.literal)(text(value)?)) };
    let mut variable = shown.to_ascii_lowercase();
    if KEYWORDS.contains(&variable.as_str()) {
        variable.push('_');
    }
    // What is put in is not looked at again.
    let mut out = String::new();
    let mut rest = form;
    while let Some(at) = rest.find('{') {
        let (before, after) = rest.split_at(at);
        out.push_str(before);
        let part = match after.get(..3) {
            Some("{v}") => &variable,
            Some("{n}") => &format!("\"{shown}\""),
            Some("{N}") => shown,
            Some("{d}") => &default,
            _ => "",
        };
        out.push_str(if part.is_empty() { "{" } else { part });
        rest = after.get(if part.is_empty() { 1 } else { 3 }..).unwrap_or_default();
    }
    out.push_str(rest);
    out.push('\n');
    Ok(out.into_bytes())
}

/// Words that a name in small letters must not be, in any of the languages.
const KEYWORDS: &[&str] = &[
    "abstract",
    "and",
    "as",
    "auto",
    "bool",
    "break",
    "case",
    "catch",
    "char",
    "class",
    "const",
    "continue",
    "def",
    "default",
    "delete",
    "do",
    "double",
    "else",
    "end",
    "enum",
    "export",
    "extern",
    "false",
    "final",
    "float",
    "fn",
    "for",
    "from",
    "func",
    "function",
    "go",
    "goto",
    "if",
    "impl",
    "import",
    "in",
    "int",
    "interface",
    "is",
    "let",
    "lock",
    "long",
    "loop",
    "match",
    "mod",
    "module",
    "my",
    "namespace",
    "new",
    "next",
    "nil",
    "not",
    "null",
    "object",
    "operator",
    "or",
    "our",
    "package",
    "pass",
    "private",
    "protected",
    "public",
    "raise",
    "ref",
    "return",
    "self",
    "short",
    "static",
    "string",
    "struct",
    "super",
    "switch",
    "this",
    "throw",
    "trait",
    "true",
    "try",
    "type",
    "use",
    "using",
    "var",
    "void",
    "where",
    "while",
    "with",
    "yield",
];
