//! A sheet of paper: places in points, text in one fixed-width font.

use svg::node::element::{Line, Rectangle, Style, TSpan, Text};
use svg::{Document, Node};
use unicode_width::UnicodeWidthStr;

use crate::palette::{INK, RULE};

/// The height of the letters, in points.
pub(crate) const LETTERS: f32 = 8.0;
/// How wide one column of the font is, in parts of its height (DejaVu Sans Mono: 1233 of 2048).
const COLUMN: f32 = 1233.0 / 2048.0;
/// The distance from one line to the next.
pub(crate) const LINE: f32 = 12.0;

/// A sheet that is being drawn.
pub(crate) struct Sheet {
    document: Document,
}

/// How a stroke runs.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Stroke {
    Hair,
    Heavy,
    Dotted,
    Dashed,
}

impl Sheet {
    pub(crate) fn new(width: f32, height: f32) -> Sheet {
        let style = ".t{font-family:'DejaVu Sans Mono',monospace;font-size:8px}.b{font-weight:bold}";
        let document = Document::new()
            .set("xmlns", "http://www.w3.org/2000/svg")
            .set("viewBox", (0, 0, width, height))
            .set("width", format!("{width}pt"))
            .set("height", format!("{height}pt"))
            .add(Style::new(style))
            .add(Rectangle::new().set("width", width).set("height", height).set("fill", "#ffffff"));
        Sheet { document }
    }

    fn add(&mut self, node: impl Node) {
        self.document.append(node);
    }

    /// Writes text whose letters stand on `y`; returns where it ends.
    pub(crate) fn text(&mut self, x: f32, y: f32, fill: &str, text: &str) -> f32 {
        self.words(x, y, fill, text, "t")
    }

    /// Writes text that stands out.
    pub(crate) fn strong(&mut self, x: f32, y: f32, text: &str) -> f32 {
        self.words(x, y, INK, text, "t b")
    }

    fn words(&mut self, x: f32, y: f32, fill: &str, text: &str, class: &str) -> f32 {
        if !text.is_empty() {
            // The writer sets an element's parts on lines of their own, but for a span's text: in
            // there every space counts.
            let span = TSpan::new(allowed(text)).set("xml:space", "preserve");
            let place = Text::new("").set("class", class).set("x", round(x)).set("y", round(y)).set("fill", fill.to_owned());
            self.add(place.add(span));
        }
        x + width(text)
    }

    pub(crate) fn line(&mut self, from: (f32, f32), to: (f32, f32), colour: &str, stroke: Stroke) {
        let (thick, dashes) = match stroke {
            Stroke::Hair => (0.6, None),
            Stroke::Heavy => (2.2, None),
            Stroke::Dotted => (0.8, Some("1 2.5")),
            Stroke::Dashed => (1.0, Some("4 2.5")),
        };
        let mut line = Line::new()
            .set("x1", round(from.0))
            .set("y1", round(from.1))
            .set("x2", round(to.0))
            .set("y2", round(to.1))
            .set("stroke", colour.to_owned())
            .set("stroke-width", thick);
        if let Some(dashes) = dashes {
            line = line.set("stroke-dasharray", dashes);
        }
        self.add(line);
    }

    /// Draws a thin line across.
    pub(crate) fn rule(&mut self, from: f32, to: f32, y: f32) {
        self.line((from, y), (to, y), RULE, Stroke::Hair);
    }

    pub(crate) fn finish(self) -> String {
        self.document.to_string()
    }
}

/// Leaves out what XML 1.0 cannot carry; values come spelt out, so nothing is lost in practice.
fn allowed(text: &str) -> String {
    text.chars().filter(|c| !c.is_control() && !matches!(c, '\u{fffe}' | '\u{ffff}')).collect()
}

/// A tenth of a point is finer than any printer.
fn round(place: f32) -> f32 {
    (place * 10.0).round() / 10.0
}

/// Returns how wide a text is.
pub(crate) fn width(text: &str) -> f32 {
    text.width() as f32 * LETTERS * COLUMN
}

/// Returns how many columns fit.
pub(crate) fn columns(points: f32) -> usize {
    (points / (LETTERS * COLUMN)).max(0.0) as usize
}

/// Cuts a text so that it fits, with a mark where something is missing.
pub(crate) fn fit(text: &str, points: f32) -> String {
    let columns = columns(points);
    if text.width() <= columns {
        return text.to_owned();
    }
    let mut out = String::new();
    for c in text.chars() {
        if out.width() + c.to_string().width() + 1 > columns {
            break;
        }
        out.push(c);
    }
    if columns > 0 {
        out.push('…');
    }
    out
}
