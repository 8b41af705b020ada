//! A tree painted by one name's value: a recording's programs, with what each changed and when it ran, or
//! a host's routes.

use std::ops::Range;

use vectorum_core::{Rails, Tint};

use crate::palette::{INK, QUIET, RULE, TROUBLE, colour};
use crate::sheet::{LINE, Sheet, Stroke, fit, width};

/// How a program got the chosen name, seen from where its block came from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Mark {
    /// As it was there.
    #[default]
    Same,
    /// It was not set there.
    Born,
    /// With another value.
    Changed,
    /// It was set there and is not here.
    Dropped,
}

/// When a program ran, in parts of the whole time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Life {
    /// Its start.
    pub from: f32,
    /// Its end, where it is known.
    pub until: Option<f32>,
}

/// One program in the tree. All texts are as they may be seen: masked, control bytes spelt out.
#[derive(Clone, Debug)]
pub struct Line {
    /// What leads to it.
    pub rails: Rails,
    /// The program's name.
    pub program: String,
    /// Its arguments.
    pub arguments: String,
    /// How it failed, if it did.
    pub failure: Option<String>,
    /// Whether nobody saw it run with this block, or it may never be started.
    pub is_unsure: bool,
    /// The letter of the chosen name's value; none for a group of branches that part.
    pub tint: Option<Tint>,
    /// How the name came here.
    pub mark: Mark,
    /// The value.
    pub value: String,
    /// How many names were born, changed and dropped on the way here.
    pub counts: Option<(usize, usize, usize)>,
    /// When it ran.
    pub life: Option<Life>,
    /// When it started, as a person reads it.
    pub at: String,
}

/// One value of the chosen name.
#[derive(Clone, Debug)]
pub struct Legend {
    /// Its letter.
    pub tint: Tint,
    /// How many programs have it.
    pub count: usize,
    /// The value; empty for a name that is not set.
    pub value: String,
}

/// What a tree is of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Of {
    /// The programs of a recording.
    #[default]
    Programs,
    /// The routes of a host.
    Routes,
}

impl Of {
    fn word(self) -> &'static str {
        match self {
            Of::Programs => "program",
            Of::Routes => "route",
        }
    }

    fn signs(self) -> &'static [(&'static str, &'static str)] {
        match self {
            Of::Programs => &SIGNS,
            Of::Routes => &ROUTE_SIGNS,
        }
    }
}

/// The picture.
#[derive(Clone, Debug, Default)]
pub struct Tree {
    /// Of what.
    pub of: Of,
    /// What it is of.
    pub title: String,
    /// More about that.
    pub subtitle: String,
    /// The chosen name.
    pub name: Option<String>,
    /// The whole time, as a person reads it.
    pub span: String,
    /// The programs, parents before children.
    pub lines: Vec<Line>,
    /// The values of the chosen name.
    pub legend: Vec<Legend>,
    /// What the reader should be told.
    pub notes: Vec<String>,
}

/// A4 lying, in points.
const PAPER: (f32, f32) = (842.0, 595.0);
const MARGIN: f32 = 34.0;
const HEAD: f32 = 58.0;
/// How far a level is set in, and how many levels are drawn.
const LEVEL: f32 = 9.0;
const LEVELS: usize = 24;

/// Where the columns stand.
struct Places {
    left: f32,
    /// Where the lines of the tints end, and the letters stand.
    letter: f32,
    value: f32,
    time: f32,
    at: f32,
    counts: f32,
    right: f32,
}

impl Tree {
    /// Returns the picture as one SVG document, as high as it needs to be.
    pub fn svg(&self) -> String {
        let height = HEAD + MARGIN + LINE * (self.lines.len() + self.legend_height() + 1) as f32;
        let mut sheet = Sheet::new(PAPER.0, height);
        let y = self.head(&mut sheet, None);
        let y = self.rows(&mut sheet, 0..self.lines.len(), y);
        self.foot(&mut sheet, y + LINE);
        sheet.finish()
    }

    /// Returns the picture as SVG pages of A4, lying.
    pub fn pages(&self) -> Vec<String> {
        let room = ((PAPER.1 - HEAD - MARGIN) / LINE) as usize;
        let count = self.lines.len().div_ceil(room).max(1);
        let on_last = self.lines.len() - (count - 1) * room;
        let foot_fits = on_last + 1 + self.legend_height() <= room;
        let total = count + usize::from(!foot_fits);
        let mut pages = Vec::with_capacity(total);
        for number in 0..total {
            let mut sheet = Sheet::new(PAPER.0, PAPER.1);
            let y = self.head(&mut sheet, (total > 1).then_some((number + 1, total)));
            let rows = (number * room).min(self.lines.len())..((number + 1) * room).min(self.lines.len());
            let y = self.rows(&mut sheet, rows, y);
            if number + 1 == total {
                self.foot(&mut sheet, if foot_fits { y + LINE } else { y });
            }
            pages.push(sheet.finish());
        }
        pages
    }

    fn places(&self) -> Places {
        let (left, right) = (MARGIN, PAPER.0 - MARGIN);
        if self.of == Of::Routes {
            let letter = left + (right - left) * 0.56;
            return Places { left, letter, value: letter + 20.0, time: right, at: right, counts: right, right };
        }
        let counts = right - 70.0;
        let at = counts - 46.0;
        let time = at - 120.0;
        let letter = if self.name.is_some() { left + (time - left) * 0.64 } else { time - 20.0 };
        Places { left, letter, value: letter + 20.0, time, at, counts, right }
    }

    /// Draws the head; returns where the rows begin.
    fn head(&self, sheet: &mut Sheet, page: Option<(usize, usize)>) -> f32 {
        let places = self.places();
        let end = sheet.strong(places.left, MARGIN, &fit(&self.title, 360.0));
        sheet.text(end + 12.0, MARGIN, QUIET, &fit(&self.subtitle, places.right - end - 90.0));
        if let Some((number, total)) = page {
            let text = format!("{number} of {total}");
            sheet.text(places.right - width(&text), MARGIN, QUIET, &text);
        }
        let y = MARGIN + 1.4 * LINE;
        sheet.text(places.left, y, QUIET, self.of.word());
        if let Some(name) = &self.name {
            sheet.strong(places.value, y, &fit(name, places.time - places.value - 6.0));
        }
        if self.of == Of::Programs {
            sheet.text(places.time, y, QUIET, &fit(&format!("0 … {}", self.span), places.at - places.time - 6.0));
            sheet.text(places.at, y, QUIET, "at");
            sheet.text(places.counts, y, QUIET, "changes");
        }
        sheet.rule(places.left, places.right, y + 4.0);
        y + 4.0 + LINE
    }

    fn rows(&self, sheet: &mut Sheet, rows: Range<usize>, mut y: f32) -> f32 {
        let places = self.places();
        for line in self.lines.get(rows).unwrap_or_default() {
            self.row(sheet, line, &places, y);
            y += LINE;
        }
        y
    }

    fn row(&self, sheet: &mut Sheet, line: &Line, places: &Places, y: f32) {
        let middle = y - 2.6;
        let mut x = rails(sheet, line.rails, places.left, y);
        x = sheet.text(x, y, INK, &fit(&line.program, places.letter - x - 8.0));
        if line.is_unsure {
            x = sheet.text(x + 4.0, y, TROUBLE, "?");
        }
        if let Some(failure) = &line.failure {
            x = sheet.text(x + 4.0, y, TROUBLE, &format!("✗ {failure}"));
        }
        let (sign, sign_colour) = match line.mark {
            Mark::Same => ("", INK),
            Mark::Born => ("+", colour(Tint::Value(2))),
            Mark::Changed => ("±", colour(Tint::Value(4))),
            Mark::Dropped => ("×", TROUBLE),
        };
        let end = if self.name.is_some() { places.letter } else { places.time };
        let room = end - x - width(sign) - 34.0;
        // On a route its words say what decided: they follow the sign.
        let is_route = self.of == Of::Routes;
        if room > 24.0 && !is_route {
            x = sheet.text(x + 4.0, y, QUIET, &fit(&line.arguments, room));
        }
        if self.name.is_some() {
            if !sign.is_empty() {
                x = sheet.text(x + 4.0, y, sign_colour, sign);
            }
            if room > 24.0 && is_route && !line.arguments.is_empty() {
                x = sheet.text(x + 4.0, y, QUIET, &fit(&line.arguments, room));
            }
            if let Some(tint) = line.tint {
                if x + 10.0 < places.letter {
                    let stroke = match tint {
                        Tint::Value(_) => Stroke::Heavy,
                        Tint::Absent => Stroke::Dotted,
                        Tint::Unknown | Tint::PerRun => Stroke::Dashed,
                    };
                    sheet.line((x + 5.0, middle), (places.letter - 4.0, middle), colour(tint), stroke);
                }
                sheet.text(places.letter, y, colour(tint), &tint.to_string());
            }
            sheet.text(places.value, y, INK, &fit(&line.value, places.time - places.value - 6.0));
        }
        if let Some(Life { from, until }) = line.life {
            let (left, right) = (places.time, places.at - 8.0);
            let place = |part: f32| left + (right - left) * part.clamp(0.0, 1.0);
            sheet.line((left, middle), (right, middle), RULE, Stroke::Dotted);
            let (start, end) = (place(from), until.map_or(place(from) + 8.0, place));
            let stroke = if until.is_some() { Stroke::Heavy } else { Stroke::Dashed };
            sheet.line((start, middle), (end.max(start + 1.5), middle), colour(line.tint.unwrap_or(Tint::Absent)), stroke);
        }
        sheet.text(places.at, y, QUIET, &line.at);
        if let Some((born, changed, dropped)) = line.counts {
            let mut x = places.counts;
            for (count, sign) in [(born, '+'), (changed, '±'), (dropped, '×')] {
                if count > 0 {
                    x = sheet.text(x, y, INK, &format!("{sign}{count} "));
                }
            }
        }
    }

    /// How many lines the legend takes.
    fn legend_height(&self) -> usize {
        self.legend.len() + self.of.signs().len() + self.notes.len() + 2
    }

    fn foot(&self, sheet: &mut Sheet, y: f32) {
        let places = self.places();
        let mut y = y;
        sheet.rule(places.left, places.right, y - LINE);
        if let Some(name) = &self.name {
            sheet.strong(places.left, y, &format!("the values of {name}"));
            y += LINE;
            for Legend { tint, count, value } in &self.legend {
                sheet.text(places.left, y, colour(*tint), &tint.to_string());
                let programs = format!("{count:>5} {}{}", self.of.word(), if *count == 1 { "" } else { "s" });
                sheet.text(places.left + 20.0, y, QUIET, &programs);
                let text = if *tint == Tint::Absent { "not set" } else { value };
                sheet.text(places.left + 110.0, y, INK, &fit(text, places.right - places.left - 110.0));
                y += LINE;
            }
        }
        for (sign, meaning) in self.of.signs() {
            sheet.text(places.left, y, QUIET, sign);
            sheet.text(places.left + 110.0, y, QUIET, meaning);
            y += LINE;
        }
        for note in &self.notes {
            sheet.text(places.left, y, TROUBLE, &fit(note, places.right - places.left));
            y += LINE;
        }
    }
}

/// What the signs mean.
const SIGNS: [(&str, &str); 5] = [
    ("A B C …", "equal letters mean equal values; a heavy line: the name is set; a dotted one: it is not"),
    ("+ ± ×", "the name is born, changed, dropped here; with a number: so many names were, against the block that it came from"),
    ("✗", "how the process failed"),
    ("?", "what the call asked for: nobody saw whether it arrived"),
    ("••••••#1f9c3a", "a masked secret; equal digits mean equal secrets"),
];

const ROUTE_SIGNS: [(&str, &str); 4] = [
    (
        "A B C …",
        "equal letters mean equal values; a heavy line: the name is set; a dotted one: it is not; a dashed one: not known",
    ),
    ("+ ± ×", "the name is born, changed, dropped on this branch, by the line or program beside it"),
    ("▒", "unknown, for the reason that stands in the place of the value"),
    ("••••••#1f9c3a", "a masked secret; equal digits mean equal secrets"),
];

/// Draws what leads to a row; returns where its text begins.
fn rails(sheet: &mut Sheet, rails: Rails, left: f32, y: f32) -> f32 {
    // The outermost level has no line, and what is too deep loses its outer ones.
    let levels: Vec<bool> = rails.levels().skip(1).collect();
    let hidden = levels.len().saturating_sub(LEVELS);
    let mut x = left;
    if hidden > 0 {
        x = sheet.text(x, y, QUIET, "…") + 2.0;
    }
    let (top, middle, bottom) = (y - 10.0, y - 2.6, y + 2.0);
    for (level, goes_on) in levels.iter().enumerate().skip(hidden) {
        let at = x + 2.0;
        let is_own = level + 1 == levels.len();
        if *goes_on {
            sheet.line((at, top), (at, bottom), RULE, Stroke::Hair);
        } else if is_own {
            sheet.line((at, top), (at, middle), RULE, Stroke::Hair);
        }
        if is_own {
            sheet.line((at, middle), (at + LEVEL - 4.0, middle), RULE, Stroke::Hair);
        }
        x += LEVEL;
    }
    x
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pdf;
    use proptest::prelude::*;

    fn tree(lines: usize, text: &str) -> Tree {
        let line = |at: usize| Line {
            rails: (0..at % 40).fold(Rails::default().below(false), |rails, n| rails.below(n % 2 == 0)),
            program: format!("berth-{at}"),
            arguments: text.to_owned(),
            failure: (at % 3 == 1).then(|| "exit 3".to_owned()),
            is_unsure: at % 4 == 1,
            tint: [Some(Tint::Value(at as u32)), Some(Tint::Absent), Some(Tint::Unknown), None][at % 4],
            mark: [Mark::Same, Mark::Born, Mark::Changed, Mark::Dropped][at % 4],
            value: text.to_owned(),
            counts: Some((1, 2, 3)),
            life: Some(Life { from: 0.2, until: at.is_multiple_of(2).then_some(0.7) }),
            at: format!("{at} ms"),
        };
        Tree {
            of: Of::Programs,
            title: "morning-round".to_owned(),
            subtitle: text.to_owned(),
            name: Some("BERTH_STAGE".to_owned()),
            span: "905 ms".to_owned(),
            lines: (0..lines).map(line).collect(),
            legend: vec![Legend { tint: Tint::Value(0), count: 1, value: text.to_owned() }],
            notes: vec![text.to_owned()],
        }
    }

    /// Returns all text of an SVG document.
    fn texts(svg: &str) -> Vec<String> {
        let document = roxmltree::Document::parse(svg).expect("well-formed");
        document.descendants().filter(|n| n.has_tag_name("tspan")).filter_map(|n| n.text().map(str::to_owned)).collect()
    }

    #[test]
    fn text_is_text_with_its_legend() {
        let all = texts(&tree(3, "a <b> & \"c\"").svg());
        for expected in
            ["berth-0", "a <b> & \"c\"", "✗ exit 3", "?", "the values of BERTH_STAGE", "A", "–", "▒", "905 ms", "equal letters"]
        {
            assert!(all.iter().any(|t| t.contains(expected)), "{expected}: {all:?}");
        }
    }

    #[test]
    fn long_trees_go_on_over_pages() {
        let pages = tree(150, "x").pages();
        assert_eq!(pages.len(), 4);
        let programs = |page: &String| texts(page).iter().filter(|t| t.starts_with("berth-")).count();
        assert_eq!(pages.iter().map(programs).sum::<usize>(), 150, "each stands on one page");
        assert!(pages.iter().all(|p| texts(p).iter().any(|t| t == "BERTH_STAGE")), "each has its head");
        assert_eq!(pages.iter().filter(|p| texts(p).iter().any(|t| t.starts_with("the values"))).count(), 1);
        assert_eq!(tree(41, "x").pages().len(), 2, "the legend gets a page of its own where it does not fit");
        let file = pdf(&pages).expect("a PDF");
        assert!(file.starts_with(b"%PDF-") && file.windows(5).any(|w| w == b"/Font"));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]

        /// Whatever the texts are, the picture is well-formed and none of it leaves the paper.
        #[test]
        fn any_text_can_be_drawn(text in "\\PC{0,300}", lines in 0..60usize) {
            for page in tree(lines, &text).pages() {
                let document = roxmltree::Document::parse(&page).unwrap();
                for node in document.descendants().filter(|n| n.has_tag_name("tspan")) {
                    let place = |name| node.parent_element().unwrap().attribute(name).unwrap().parse::<f32>().unwrap();
                    let (x, y) = (place("x"), place("y"));
                    prop_assert!(x + width(node.text().unwrap_or_default()) <= PAPER.0, "{}", node.text().unwrap_or_default());
                    prop_assert!(y <= PAPER.1);
                }
            }
        }
    }
}
