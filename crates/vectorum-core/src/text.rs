//! Making any bytes visible and harmless.
//!
//! A terminal obeys control bytes, and screens silently drop what they cannot show. So every byte
//! of a value is either shown as itself or spelt out between `‹` and `›`: control characters by
//! their ASCII names (`‹ESC›`, `‹LF›`), bytes that are not UTF-8 in hexadecimal (`‹xFF›`), and
//! characters that are invisible or turn the reading direction by code point (`‹U+202E›`). A
//! literal `‹` is spelt out too, so that the spelling can be read back without doubt.

use std::borrow::Cow;
use std::fmt::Write as _;

/// A run of text as it may be shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Segment<'a> {
    /// Shown as it is.
    Plain(&'a str),
    /// One byte or character spelt out, brackets included.
    Spelt(String),
}

impl Segment<'_> {
    /// Returns the text to show.
    pub fn as_str(&self) -> &str {
        match self {
            Segment::Plain(s) => s,
            Segment::Spelt(s) => s,
        }
    }
}

/// The ASCII names of the control characters 0x00 to 0x1F (ANSI X3.4).
const CONTROL_NAMES: [&str; 32] = [
    "NUL", "SOH", "STX", "ETX", "EOT", "ENQ", "ACK", "BEL", "BS", "TAB", "LF", "VT", "FF", "CR", "SO", "SI", "DLE", "DC1", "DC2",
    "DC3", "DC4", "NAK", "SYN", "ETB", "CAN", "EM", "SUB", "ESC", "FS", "GS", "RS", "US",
];

/// Returns the spelling of a character that must not be shown as itself.
fn spelling(c: char) -> Option<String> {
    let code = u32::from(c);
    if let Some(name) = CONTROL_NAMES.get(code as usize) {
        return Some(format!("‹{name}›"));
    }
    if c == '\u{7f}' {
        return Some("‹DEL›".to_owned());
    }
    let hidden = matches!(code,
        0x80..=0x9f                         // C1 controls
        | 0xa0 | 0xad                       // looks like a blank; soft hyphen
        | 0x34f | 0x61c | 0x115f..=0x1160 | 0x17b4..=0x17b5 | 0x180b..=0x180f
        | 0x2000..=0x200f                   // blanks of other widths, zero width, direction marks
        | 0x2028..=0x202f | 0x205f..=0x206f // line breaks, bidirectional controls, joiners
        | 0x2039                            // our own opening bracket
        | 0x3000 | 0x3164 | 0xfe00..=0xfe0f | 0xfeff | 0xffa0 | 0xfff0..=0xfffb
        | 0x1d173..=0x1d17a | 0xe0000..=0xe0fff // formatting, tags, variation selectors
        | 0xe000..=0xf8ff | 0xf0000..=0x10ffff // private use: no agreed look or width
    ) || combining(code)
        || code & 0xfffe == 0xfffe; // noncharacters
    hidden.then(|| format!("‹U+{code:04X}›"))
}

/// Whether a mark would be drawn over the character before it, and so over a neighbour's cell.
fn combining(code: u32) -> bool {
    matches!(code, 0x300..=0x36f | 0x483..=0x489 | 0x1ab0..=0x1aff | 0x1dc0..=0x1dff | 0x20d0..=0x20ff | 0xfe20..=0xfe2f)
}

/// Cuts bytes into segments that may be shown; concatenated they spell the whole input.
pub fn segments(bytes: &[u8]) -> Vec<Segment<'_>> {
    let mut out = Vec::new();
    for chunk in bytes.utf8_chunks() {
        push_valid(&mut out, chunk.valid());
        for byte in chunk.invalid() {
            out.push(Segment::Spelt(format!("‹x{byte:02X}›")));
        }
    }
    out
}

fn push_valid<'a>(out: &mut Vec<Segment<'a>>, text: &'a str) {
    let mut rest = text;
    while let Some((at, c, spelt)) = rest.char_indices().find_map(|(i, c)| Some((i, c, spelling(c)?))) {
        let (before, after) = rest.split_at(at);
        if !before.is_empty() {
            out.push(Segment::Plain(before));
        }
        out.push(Segment::Spelt(spelt));
        rest = after.split_at(c.len_utf8()).1;
    }
    if !rest.is_empty() {
        out.push(Segment::Plain(rest));
    }
}

/// Returns bytes as inert text: what is safe stays, the rest is spelt out.
pub fn inert(bytes: &[u8]) -> Cow<'_, str> {
    // Most values are plain ASCII: no allocation, one pass.
    if let (true, Ok(plain)) = (bytes.iter().all(|b| (0x20..0x7f).contains(b)), std::str::from_utf8(bytes)) {
        return Cow::Borrowed(plain);
    }
    let mut text = String::with_capacity(bytes.len() + 8);
    for segment in segments(bytes) {
        text.push_str(segment.as_str());
    }
    Cow::Owned(text)
}

/// Returns the bytes that an inert spelling stands for, or `None` if it is not one.
///
/// The inverse of [`inert`]: what a person copies from the screen can be read back.
pub fn inert_bytes(text: &str) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some((plain, after)) = rest.split_once('‹') {
        out.extend_from_slice(plain.as_bytes());
        let (spelt, after) = after.split_once('›')?;
        if let Some(at) = CONTROL_NAMES.iter().position(|n| *n == spelt) {
            out.push(u8::try_from(at).ok()?);
        } else if spelt == "DEL" {
            out.push(0x7f);
        } else if let Some(hex) = spelt.strip_prefix("U+") {
            let c = char::from_u32(u32::from_str_radix(hex, 16).ok()?)?;
            out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
        } else {
            out.push(u8::from_str_radix(spelt.strip_prefix('x')?, 16).ok()?);
        }
        rest = after;
    }
    out.extend_from_slice(rest.as_bytes());
    Some(out)
}

/// Returns bytes in lower-case hexadecimal.
pub(crate) fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::with_capacity(bytes.len() * 2), |mut text, byte| {
        // Writing to a String cannot fail.
        let _ = write!(text, "{byte:02x}");
        text
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn spells_what_must_not_be_shown() {
        for (bytes, shown) in [
            (&b"plain text"[..], "plain text"),
            (b"\x1b[31mred\x1b[0m", "‹ESC›[31mred‹ESC›[0m"),
            (b"a\nb\tc\r\0", "a‹LF›b‹TAB›c‹CR›‹NUL›"),
            (b"\x7f\xc2\x9b2J", "‹DEL›‹U+009B›2J"),
            (b"ok \xff\xfe", "ok ‹xFF›‹xFE›"),
            ("J\u{fc}rgen \u{2713}".as_bytes(), "Jürgen ✓"),
            ("a\u{202e}b\u{200b}".as_bytes(), "a‹U+202E›b‹U+200B›"),
            ("\u{2039}ESC\u{203a}".as_bytes(), "‹U+2039›ESC›"),
            ("e\u{301}".as_bytes(), "e‹U+0301›"),
            (b"\xed\xa0\x80", "‹xED›‹xA0›‹x80›"),
        ] {
            assert_eq!(inert(bytes), shown);
        }
    }

    proptest! {
        #[test]
        fn inert_text_is_inert_and_reads_back(bytes in proptest::collection::vec(any::<u8>(), 0..64)) {
            let text = inert(&bytes);
            prop_assert!(!text.chars().any(char::is_control));
            prop_assert_eq!(inert_bytes(&text), Some(bytes));
        }

        #[test]
        fn any_text_reads_back(text in "\\PC{0,24}") {
            let spelt = inert(text.as_bytes()).into_owned();
            prop_assert_eq!(inert_bytes(&spelt), Some(text.into_bytes()));
        }
    }
}
