//! What a value means, to be shown beside it.
//!
//! One table, [`LENSES`], lists every way of looking at a value; the first that applies is taken.
//! A gloss is plain data in inert text: screens turn its tones into colours.

mod colours;
mod json;
mod locale;
mod prompt;
mod url;
mod zone;

use crate::block::EntryKind;
use crate::host_view::HostView;
use crate::list::{ItemTrouble, ListKind};
use crate::secret::{Fingerprinter, MASK, Piece, Verdict, judge, pieces};
use crate::text::{Segment, inert, segments};

/// What a part of a gloss is, for a screen to choose its look.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    /// The value's own text.
    Plain,
    /// Bytes of the value that are spelt out.
    Spelt,
    /// Our words beside it.
    Note,
    /// The name of a part.
    Label,
    /// Something is wrong.
    Trouble,
    /// In the place of something hidden.
    Mask,
    /// A sample of a colour table's entry.
    Sample {
        /// The letters' colour.
        fg: Option<Hue>,
        /// The ground's colour.
        bg: Option<Hue>,
        /// Bold letters.
        bold: bool,
        /// Underlined letters.
        underlined: bool,
    },
}

/// A colour as select-graphic-rendition sequences name it (ECMA-48, 8.3.117; 256 colours and RGB
/// as ISO 8613-6 extends it).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hue {
    /// One of a terminal's 256 colours; the first 16 are its own.
    Index(u8),
    /// Red, green, blue.
    Rgb(u8, u8, u8),
}

/// A run of text in one tone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// Inert text.
    pub text: String,
    /// What it is.
    pub tone: Tone,
}

/// One line of a gloss.
pub type Line = Vec<Part>;

/// A value explained.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Gloss {
    /// What kind of value it is, in a word or two.
    pub kind: &'static str,
    /// The explanation.
    pub lines: Vec<Line>,
}

impl Gloss {
    /// Returns the gloss as plain text, a line each.
    pub fn to_text(&self) -> String {
        let lines = self.lines.iter().map(|line| line.iter().map(|p| p.text.as_str()).collect::<String>());
        lines.collect::<Vec<_>>().join("\n")
    }
}

pub(crate) fn part(tone: Tone, text: impl Into<String>) -> Part {
    Part { text: text.into(), tone }
}

/// What a lens looks at.
pub(crate) struct Subject<'a> {
    name: &'a [u8],
    value: &'a [u8],
    verdict: Verdict,
    prints: &'a Fingerprinter,
    host: &'a dyn HostView,
}

impl Subject<'_> {
    /// Returns the value as text where it is UTF-8.
    fn text(&self) -> Option<&str> {
        std::str::from_utf8(self.value).ok()
    }

    /// Returns a part of the value, with what is secret in it masked.
    fn masked(&self, range: std::ops::Range<usize>) -> Line {
        let mut line = Line::new();
        let mut at = 0;
        for piece in pieces(self.value, &self.verdict, self.prints) {
            match piece {
                Piece::Shown(bytes) => {
                    let (from, to) = (range.start.max(at), range.end.min(at + bytes.len()));
                    if from < to {
                        line.extend(plain(bytes.get(from - at..to - at).unwrap_or_default()));
                    }
                    at += bytes.len();
                }
                Piece::Hidden(print) => {
                    let Verdict::Secret { hide, .. } = &self.verdict else { continue };
                    let hidden = hide.iter().find(|h| h.start >= at).map_or(0, |h| h.end - at);
                    if at < range.end && at + hidden > range.start {
                        line.push(mask(&print));
                    }
                    at += hidden;
                }
            }
        }
        line
    }
}

/// Returns the mask that stands for a secret.
fn mask(print: &str) -> Part {
    part(Tone::Mask, mask_text(print))
}

/// Returns the text in the place of hidden bytes: one length for all, and what tells two apart.
pub(crate) fn mask_text(print: &str) -> String {
    format!("{MASK}{}", print.get(..6).unwrap_or(print))
}

/// Returns bytes as inert parts.
pub(crate) fn plain(bytes: &[u8]) -> Line {
    let of = |segment| match segment {
        Segment::Plain(text) => part(Tone::Plain, text),
        Segment::Spelt(text) => part(Tone::Spelt, text),
    };
    segments(bytes).into_iter().map(of).collect()
}

/// One way of looking at a value.
struct Lens {
    kind: &'static str,
    /// Whether it hides what the verdict hides. A lens that does not is for open values only.
    masks: bool,
    /// Explains the value; `None` where the lens does not apply.
    explain: fn(&Subject<'_>) -> Option<Vec<Line>>,
}

/// Every lens; the first that applies explains the value.
const LENSES: &[Lens] = &[
    Lens { kind: "shell function", masks: false, explain: function },
    Lens { kind: "secret", masks: true, explain: secret },
    Lens { kind: "colours", masks: false, explain: colours::explain },
    Lens { kind: "locale", masks: false, explain: locale::explain },
    Lens { kind: "prompt", masks: false, explain: prompt::explain },
    Lens { kind: "list", masks: true, explain: list },
    Lens { kind: "time zone", masks: false, explain: zone::explain },
    Lens { kind: "JSON", masks: true, explain: json::explain },
    Lens { kind: "URL", masks: true, explain: url::explain },
    Lens { kind: "duration", masks: false, explain: duration },
    Lens { kind: "empty", masks: false, explain: empty },
    Lens { kind: "bytes", masks: true, explain: unusual },
    Lens { kind: "text", masks: true, explain: |subject| Some(vec![subject.masked(0..subject.value.len())]) },
];

/// Explains a value. Unless `reveal` is set, what looks secret is masked.
pub fn gloss(name: &[u8], value: &[u8], host: &dyn HostView, prints: &Fingerprinter, reveal: bool) -> Gloss {
    let verdict = if reveal { Verdict::Open } else { judge(name, value) };
    let subject = Subject { name, value, verdict, prints, host };
    LENSES
        .iter()
        .filter(|lens| lens.masks || !subject.verdict.is_secret())
        .find_map(|lens| (lens.explain)(&subject).map(|lines| Gloss { kind: lens.kind, lines }))
        .unwrap_or(Gloss { kind: "text", lines: Vec::new() })
}

/// Returns a value in one line of inert text, what looks secret masked unless `reveal` is set.
pub fn masked_line(name: &[u8], value: &[u8], prints: &Fingerprinter, reveal: bool) -> Line {
    let verdict = if reveal { Verdict::Open } else { judge(name, value) };
    masked_by(value, &verdict, prints)
}

/// Returns the first bytes of a value, at least `bytes` of them where it has so many, as
/// [`masked_line`] does. The value is judged whole: what is cut away can still make it a secret.
pub fn masked_start(name: &[u8], value: &[u8], prints: &Fingerprinter, reveal: bool, bytes: usize) -> Line {
    let verdict = if reveal { Verdict::Open } else { judge(name, value) };
    let mut left = bytes;
    let mut line = Line::new();
    for piece in pieces(value, &verdict, prints) {
        if left == 0 {
            break;
        }
        match piece {
            Piece::Shown(shown) => {
                line.extend(plain(shown.get(..left.min(shown.len())).unwrap_or_default()));
                left = left.saturating_sub(shown.len());
            }
            Piece::Hidden(print) => line.push(mask(&print)),
        }
    }
    line
}

/// Returns the beginning of a whole entry, its value judged by its name, as [`masked_start`] does.
pub fn masked_entry(raw: &[u8], prints: &Fingerprinter, reveal: bool, bytes: usize) -> Line {
    let entry = crate::Entry::new(raw);
    let (Some(name), Some(value)) = (entry.name(), entry.value()) else { return masked_start(b"", raw, prints, reveal, bytes) };
    let mut line = plain(name);
    line.push(part(Tone::Plain, "="));
    line.extend(masked_start(name, value, prints, reveal, bytes));
    line
}

/// Returns the arguments of a command in one line of inert text, masked as [`masked_line`] does.
pub fn masked_arguments(arguments: &[&[u8]], prints: &Fingerprinter, reveal: bool) -> Line {
    let verdicts = if reveal { vec![Verdict::Open; arguments.len()] } else { crate::secret::judge_arguments(arguments) };
    let mut line = Line::new();
    for (argument, verdict) in arguments.iter().zip(&verdicts) {
        if !line.is_empty() {
            line.push(part(Tone::Plain, " "));
        }
        line.extend(masked_by(argument, verdict, prints));
    }
    line
}

/// Returns a line of a file of whatever grammar in inert text. Of what stands behind a `NAME=` and
/// looks secret, everything up to the closing quote or the next blank is masked; so is what looks
/// secret by itself, a password in a URL for one.
pub fn masked_source(text: &[u8], prints: &Fingerprinter, reveal: bool) -> Line {
    if reveal {
        return plain(text);
    }
    let mut line = Line::new();
    let mut rest = text;
    while let Some(equals) = memchr::memchr(b'=', rest) {
        let (before, behind) = rest.split_at(equals + 1);
        let is_word = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
        let letters = before.iter().rev().skip(1).take_while(|b| is_word(b)).count();
        let name = before.get(equals - letters..equals).unwrap_or_default();
        let length = match behind.first() {
            // Without its other quote a value goes on to the end of the line.
            Some(quote @ (b'"' | b'\'')) => behind.iter().skip(1).position(|b| b == quote).map_or(behind.len(), |at| at + 2),
            _ => behind.iter().position(|b| b.is_ascii_whitespace() || matches!(b, b';' | b'"' | b'\'')).unwrap_or(behind.len()),
        };
        let (value, after) = behind.split_at(length);
        line.extend(masked_by(before, &judge(b"", before), prints));
        line.extend(masked_by(value, &judge(name, value), prints));
        rest = after;
    }
    line.extend(masked_by(rest, &judge(b"", rest), prints));
    line
}

fn masked_by(value: &[u8], verdict: &Verdict, prints: &Fingerprinter) -> Line {
    let of = |piece| match piece {
        Piece::Shown(bytes) => plain(bytes),
        Piece::Hidden(print) => vec![mask(&print)],
    };
    pieces(value, verdict, prints).into_iter().flat_map(of).collect()
}

fn function(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let entry = [subject.name, b"=", subject.value].concat();
    let EntryKind::ShellFunction(name) = crate::Entry::new(&entry).kind() else { return None };
    let mut lines = vec![vec![
        part(Tone::Note, "function "),
        part(Tone::Label, inert(name)),
        part(Tone::Note, ", exported by bash; only bash takes it over"),
    ]];
    lines.extend(subject.value.split(|b| *b == b'\n').map(plain));
    Some(lines)
}

fn secret(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let Verdict::Secret { reason, hide } = &subject.verdict else { return None };
    let is_whole = hide.first().is_some_and(|r| *r == (0..subject.value.len()));
    is_whole.then(|| {
        let mut line = subject.masked(0..subject.value.len());
        line.push(part(Tone::Note, format!("  {}; equal marks mean equal values", reason.words())));
        vec![line]
    })
}

fn list(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let kind = ListKind::of(subject.name, subject.value)?;
    let items = kind.inspect(subject.value, subject.host);
    if items.is_empty() {
        return None;
    }
    let mut at = 0;
    let width = items.len().to_string().len();
    let lines = items.iter().enumerate().map(|(index, item)| {
        let mut line = vec![part(Tone::Note, format!("{:>width$} ", index + 1))];
        let range = at..at + item.text.len();
        at = range.end + 1;
        line.extend(subject.masked(range));
        for trouble in &item.troubles {
            let tone =
                if matches!(trouble, ItemTrouble::Hidden(_) | ItemTrouble::SameFolder(_)) { Tone::Note } else { Tone::Trouble };
            let gap = if item.text.is_empty() { "" } else { "  " };
            line.push(part(tone, format!("{gap}{}", trouble_words(trouble))));
        }
        line
    });
    Some(lines.collect())
}

/// Returns in words what is wrong with an item.
fn trouble_words(trouble: &ItemTrouble) -> String {
    match trouble {
        ItemTrouble::Missing => "! missing".to_owned(),
        ItemTrouble::NotAFolder => "! no folder".to_owned(),
        ItemTrouble::Double(first) => format!("! stands already as {}", first + 1),
        ItemTrouble::SameFolder(first) => format!("the same folder as {}", first + 1),
        ItemTrouble::EmptyIsCurrent => "! an empty item: the current folder, wherever that is".to_owned(),
        ItemTrouble::Empty => "! an empty item".to_owned(),
        ItemTrouble::Relative => "! depends on the current folder".to_owned(),
        ItemTrouble::Hidden(programs) => {
            let first: Vec<_> = programs.iter().take(3).map(|(p, at)| format!("{} ({})", inert(p), at + 1)).collect();
            let more = if programs.len() > 3 { format!(" and {} more", programs.len() - 3) } else { String::new() };
            format!("found earlier: {}{more}", first.join(", "))
        }
    }
}

/// Numbers whose name tells their unit.
fn duration(subject: &Subject<'_>) -> Option<Vec<Line>> {
    const UNITS: &[(&str, u64, &str)] = &[
        ("_USEC", 1, "microseconds"),
        ("_US", 1, "microseconds"),
        ("_MS", 1_000, "milliseconds"),
        ("_MSEC", 1_000, "milliseconds"),
        ("_MILLIS", 1_000, "milliseconds"),
        ("_SEC", 1_000_000, "seconds"),
        ("_SECS", 1_000_000, "seconds"),
        ("_SECONDS", 1_000_000, "seconds"),
    ];
    let number: u64 = subject.text()?.parse().ok()?;
    let (_, scale, unit) = UNITS.iter().find(|(end, ..)| subject.name.to_ascii_uppercase().ends_with(end.as_bytes()))?;
    let micros = number.checked_mul(*scale)?;
    let text = match micros {
        0..1_000 => format!("{micros} µs"),
        1_000..1_000_000 => format!("{} ms", micros as f64 / 1e3),
        1_000_000..60_000_000 => format!("{} s", micros as f64 / 1e6),
        60_000_000..3_600_000_000 => format!("{} min {} s", micros / 60_000_000, micros % 60_000_000 / 1_000_000),
        _ => format!("{} h {} min", micros / 3_600_000_000, micros % 3_600_000_000 / 60_000_000),
    };
    Some(vec![vec![part(Tone::Plain, number.to_string()), part(Tone::Note, format!(" {unit}, as the name says: {text}"))]])
}

fn empty(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let note = "set, and empty: not the same as not being set";
    subject.value.is_empty().then(|| vec![vec![part(Tone::Note, note)]])
}

/// Values with bytes that had to be spelt out.
fn unusual(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let spelt = segments(subject.value).iter().filter(|s| matches!(s, Segment::Spelt(_))).count();
    if spelt == 0 {
        return None;
    }
    let mut lines = vec![subject.masked(0..subject.value.len())];
    // Lines read better as lines; the break stays visible.
    if subject.value.contains(&b'\n') && !subject.verdict.is_secret() {
        lines = subject.value.split_inclusive(|b| *b == b'\n').map(plain).collect();
    }
    let mut notes = Vec::new();
    if subject.text().is_none() {
        notes.push("not UTF-8");
    }
    if crate::finding::is_hostile(subject.name, subject.value) {
        notes.push("control bytes that would steer a terminal");
    }
    if subject.value.contains(&b'\r') {
        notes.push("a carriage return, as files with Windows line ends leave behind");
    }
    if !notes.is_empty() {
        lines.push(vec![part(Tone::Trouble, format!("! {}", notes.join("; ")))]);
    }
    Some(lines)
}

#[cfg(test)]
mod tests;
