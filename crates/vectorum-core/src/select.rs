//! Choosing variables by name.

use globset::{Glob, GlobMatcher};
use regex::bytes::Regex;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

use crate::block::{Block, Name};

/// A pattern that is no pattern.
#[derive(Debug, thiserror::Error)]
#[error(
    "«{text}» is not a pattern: {what}; * stands for any text, ? for one character, [ab] for one of them, /text/ is a regular expression"
)]
pub struct BadPattern {
    text: String,
    what: String,
}

/// A name, a pattern with `*`, `?`, `[…]` or `{a,b}`, or a regular expression between slashes, which
/// matches anywhere in the name.
#[derive(Clone, Debug)]
pub enum Pattern {
    /// One name, meant exactly.
    Name(Name),
    /// Any name that matches.
    Glob(Box<GlobMatcher>),
    /// Any name in which the expression is found.
    Expression(Box<Regex>),
}

impl Pattern {
    /// Reads a name or pattern.
    ///
    /// # Errors
    /// If the text is empty, holds `=`, opens a bracket that it never closes, or is no regular
    /// expression (the syntax is that of the regex crate).
    pub fn parse(text: &[u8]) -> Result<Pattern, BadPattern> {
        let bad = |what: String| BadPattern { text: crate::inert(text).into_owned(), what };
        if let Some(inner) = text.strip_prefix(b"/").and_then(|t| t.strip_suffix(b"/")) {
            let inner = std::str::from_utf8(inner).map_err(|_| bad("it is not UTF-8".to_owned()))?;
            // The library's message draws the expression over several lines; its last says what is wrong.
            let what =
                |e: regex::Error| e.to_string().lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
            return Ok(Pattern::Expression(Box::new(Regex::new(inner).map_err(|e| bad(what(e)))?)));
        }
        if !text.iter().any(|b| b"*?[{".contains(b)) {
            let name = Name::new(text.to_vec()).ok_or_else(|| bad("a name is not empty and holds no «=»".to_owned()))?;
            return Ok(Pattern::Name(name));
        }
        let text = std::str::from_utf8(text).map_err(|_| bad("it is not UTF-8".to_owned()))?;
        let glob = Glob::new(text).map_err(|e| bad(e.kind().to_string()))?;
        Ok(Pattern::Glob(Box::new(glob.compile_matcher())))
    }

    /// Whether the pattern takes a name.
    pub fn matches(&self, name: &[u8]) -> bool {
        match self {
            Pattern::Name(n) => n.as_bytes() == name,
            Pattern::Expression(expression) => expression.is_match(name),
            Pattern::Glob(glob) => glob.is_match(OsStr::from_bytes(name)),
        }
    }
}

/// Several patterns; without any, every name is chosen.
#[derive(Clone, Debug, Default)]
pub struct Selection(Vec<Pattern>);

impl Selection {
    /// Takes patterns together.
    pub fn new(patterns: Vec<Pattern>) -> Selection {
        Selection(patterns)
    }

    /// Whether every name is chosen because no pattern was given.
    pub fn is_everything(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether a name is chosen.
    pub fn takes(&self, name: &[u8]) -> bool {
        self.0.is_empty() || self.0.iter().any(|p| p.matches(name))
    }

    /// Returns the plainly named variables that a block lacks.
    pub fn missing_from<'a>(&'a self, block: &'a Block) -> impl Iterator<Item = &'a Name> {
        self.0.iter().filter_map(|p| match p {
            Pattern::Name(name) if block.get(name.as_bytes()).is_none() => Some(name),
            _ => None,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_patterns() {
        for (pattern, name, takes) in [
            ("PATH", "PATH", true),
            ("PATH", "CDPATH", false),
            ("*PATH", "CDPATH", true),
            ("BERTH_?", "BERTH_A", true),
            ("{A,B}_X", "B_X", true),
            ("A*", "A/x", true),
            ("[!A]*", "AB", false),
            ("/^BERTH_[0-9]+$/", "BERTH_12", true),
            ("/^BERTH_[0-9]+$/", "BERTH_A", false),
            ("/(?i)berth|quay/", "MY_BERTH", true),
            ("/^[^A]/", "\u{e9}", true),
            ("/", "/", true),
        ] {
            assert_eq!(Pattern::parse(pattern.as_bytes()).unwrap().matches(name.as_bytes()), takes, "{pattern} {name}");
        }
        for bad in ["", "A=*", "[A", "{A", "/(/", "/a{9999999}/"] {
            let error = Pattern::parse(bad.as_bytes());
            assert_eq!(error.is_err(), bad != "A=*", "{bad}");
        }
    }

    #[test]
    fn what_a_selection_misses() {
        let block = Block::from_vars([("A", "1")]);
        let selection = Selection::new(["A", "B", "C*"].iter().map(|p| Pattern::parse(p.as_bytes()).unwrap()).collect());
        assert_eq!(selection.missing_from(&block).map(ToString::to_string).collect::<Vec<_>>(), ["B"]);
        assert!(selection.takes(b"CAT") && !selection.takes(b"D"));
        assert!(Selection::default().takes(b"D"));
    }
}
