//! Time zones in `TZ` (POSIX XBD 8.3, tzset(3)).

use super::{Line, Subject, Tone, part};
use crate::host_view::Kind;

const DATABASE: &[u8] = b"/usr/share/zoneinfo/";

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    if subject.name != b"TZ" {
        return None;
    }
    let text = subject.text()?;
    let shown = || part(Tone::Plain, crate::inert(subject.value));
    let file = text.strip_prefix(':').unwrap_or(text);
    if text.is_empty() {
        return Some(vec![vec![part(Tone::Note, "empty: Coordinated Universal Time")]]);
    }
    let note = if let Some((zone, offset)) = posix_rule(text) {
        format!("  a rule of its own: {zone} is {offset}; the sign in the value counts westward")
    } else {
        let path = if file.starts_with('/') { file.as_bytes().to_vec() } else { [DATABASE, file.as_bytes()].concat() };
        match subject.host.kind(&path) {
            Kind::Missing => {
                let trouble = "  ! not in the zone database: Coordinated Universal Time is taken, without a word";
                return Some(vec![vec![shown(), part(Tone::Trouble, trouble)]]);
            }
            _ => "  a zone of the database, with its changes of summer time".to_owned(),
        }
    };
    Some(vec![vec![shown(), part(Tone::Note, note)]])
}

/// Reads `NAME[+-]hh[:mm]…` and returns the name and the offset as people write it.
fn posix_rule(text: &str) -> Option<(&str, String)> {
    let at = text.find(|c: char| !c.is_ascii_alphabetic())?;
    let (zone, rest) = text.split_at(at);
    let (sign, digits) = match rest.as_bytes().first()? {
        b'+' => ('-', rest.strip_prefix('+')?),
        b'-' => ('+', rest.strip_prefix('-')?),
        b'0'..=b'9' => ('-', rest),
        _ => return None,
    };
    let end = digits.find(|c: char| !c.is_ascii_digit() && c != ':').unwrap_or(digits.len());
    let (hours, minutes) = digits.get(..end)?.split_once(':').unwrap_or((digits.get(..end)?, "0"));
    let hours: u32 = hours.parse().ok().filter(|h| *h <= 24)?;
    let minutes: u32 = minutes.split(':').next()?.parse().ok()?;
    let sign = if hours == 0 && minutes == 0 { '±' } else { sign };
    (zone.len() >= 3).then(|| (zone, format!("UTC{sign}{hours:02}:{minutes:02}")))
}
