//! Lines of a file with their places.

use std::ops::Range;

/// A line without its end.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line<'a> {
    pub(super) start: usize,
    pub(super) text: &'a [u8],
}

impl<'a> Line<'a> {
    /// Returns the place of a part of the line.
    pub(super) fn span(&self, part: &'a [u8]) -> Range<usize> {
        let from = part.as_ptr() as usize - self.text.as_ptr() as usize + self.start;
        from..from + part.len()
    }
}

/// Cuts a file into lines at line feeds.
pub(super) fn lines(file: &[u8]) -> impl Iterator<Item = Line<'_>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        let rest = file.get(at..).filter(|rest| !rest.is_empty())?;
        let end = memchr::memchr(b'\n', rest);
        let text = rest.get(..end.unwrap_or(rest.len())).unwrap_or_default();
        let line = Line { start: at, text };
        at += text.len() + 1;
        Some(line)
    })
}

/// Cuts blanks and tabs, and what else `is` says, from the front.
pub(super) fn trim_start(text: &[u8], is: impl Fn(u8) -> bool) -> &[u8] {
    let from = text.iter().position(|b| !is(*b)).unwrap_or(text.len());
    text.get(from..).unwrap_or_default()
}

/// Cuts from the end.
pub(super) fn trim_end(text: &[u8], is: impl Fn(u8) -> bool) -> &[u8] {
    let to = text.iter().rposition(|b| !is(*b)).map_or(0, |at| at + 1);
    text.get(..to).unwrap_or_default()
}

pub(super) fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

/// What isspace(3) takes in the C locale.
pub(super) fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t'..=b'\r')
}
