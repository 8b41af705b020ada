//! Names by routes: a letter in each cell for the value that the name has there.

use vectorum_core::Tint;

use crate::palette::{INK, QUIET, colour};
use crate::sheet::{LINE, Sheet, fit, width};

/// A name on all routes. Texts are as they may be seen: masked, control bytes spelt out.
#[derive(Clone, Debug)]
pub struct MatrixRow {
    /// The name.
    pub name: String,
    /// Its values by their letters.
    pub values: Vec<String>,
    /// Its tint on each route.
    pub tints: Vec<Tint>,
}

/// The picture.
#[derive(Clone, Debug, Default)]
pub struct Matrix {
    /// What it is of.
    pub title: String,
    /// The routes.
    pub columns: Vec<String>,
    /// The names, those first that differ most.
    pub rows: Vec<MatrixRow>,
}

const PAPER: (f32, f32) = (842.0, 595.0);
const MARGIN: f32 = 34.0;
const NAMES: f32 = 150.0;
const CELL: f32 = 18.0;

/// Routes on which every name is as on the others beside it.
struct Group {
    tints: Vec<Tint>,
    routes: Vec<String>,
}

impl Matrix {
    /// Routes that agree on all names share a column.
    fn groups(&self) -> Vec<Group> {
        let mut groups: Vec<Group> = Vec::new();
        for (at, route) in self.columns.iter().enumerate() {
            let tints: Vec<Tint> = self.rows.iter().filter_map(|r| r.tints.get(at)).copied().collect();
            match groups.iter_mut().find(|g| g.tints == tints) {
                Some(group) => group.routes.push(route.clone()),
                None => groups.push(Group { tints, routes: vec![route.clone()] }),
            }
        }
        groups
    }

    /// Returns the picture as one SVG document, as large as it needs to be.
    pub fn svg(&self) -> String {
        let groups = self.groups();
        let lines = self.rows.len() + groups.len() + 6;
        let needed = MARGIN * 2.0 + NAMES + CELL * groups.len() as f32 + 260.0;
        let mut sheet = Sheet::new(PAPER.0.max(needed), MARGIN * 2.0 + LINE * lines as f32);
        self.part(&mut sheet, &groups, 0, groups.len(), 0, self.rows.len(), PAPER.0.max(needed));
        self.foot(&mut sheet, &groups, MARGIN + LINE * (self.rows.len() + 4) as f32, 0, groups.len());
        sheet.finish()
    }

    /// Returns the picture as SVG pages of A4, lying.
    pub fn pages(&self) -> Vec<String> {
        let groups = self.groups();
        let across = (((PAPER.0 - 2.0 * MARGIN - NAMES - 200.0) / CELL) as usize).max(1);
        let down = ((PAPER.1 - 2.0 * MARGIN) / LINE) as usize - 3;
        let mut pages = Vec::new();
        let mut column = 0;
        while column < groups.len().max(1) {
            let to = (column + across).min(groups.len());
            for from in (0..self.rows.len().max(1)).step_by(down) {
                let mut sheet = Sheet::new(PAPER.0, PAPER.1);
                self.part(&mut sheet, &groups, column, to, from, (from + down).min(self.rows.len()), PAPER.0);
                pages.push(sheet.finish());
            }
            for from in (column..to).step_by(down) {
                let mut sheet = Sheet::new(PAPER.0, PAPER.1);
                sheet.strong(MARGIN, MARGIN, &fit(&self.title, 360.0));
                self.foot(&mut sheet, &groups, MARGIN + 2.0 * LINE, from, (from + down).min(to));
                pages.push(sheet.finish());
            }
            column = to.max(column + 1);
        }
        pages
    }

    #[expect(clippy::too_many_arguments, reason = "a part of a table has four sides")]
    fn part(&self, sheet: &mut Sheet, groups: &[Group], left: usize, right: usize, top: usize, bottom: usize, paper: f32) {
        let end = sheet.strong(MARGIN, MARGIN, &fit(&self.title, 300.0));
        let counted =
            format!("{} names by {} routes; what agrees everywhere shares a column", self.rows.len(), self.columns.len());
        sheet.text(end + 12.0, MARGIN, QUIET, &fit(&counted, paper - end - 60.0));
        let mut y = MARGIN + 1.6 * LINE;
        let cell = |at: usize| MARGIN + NAMES + CELL * (at - left) as f32;
        for at in left..right {
            sheet.text(cell(at), y, QUIET, &(at + 1).to_string());
        }
        let values = cell(right) + 10.0;
        sheet.text(values, y, QUIET, "A");
        sheet.rule(MARGIN, paper - MARGIN, y + 4.0);
        for (row, line) in self.rows.iter().enumerate().take(bottom).skip(top) {
            y += LINE;
            sheet.text(MARGIN, y + 2.0, INK, &fit(&line.name, NAMES - 8.0));
            for (at, group) in groups.iter().enumerate().take(right).skip(left) {
                if let Some(tint) = group.tints.get(row) {
                    sheet.text(cell(at), y + 2.0, colour(*tint), &tint.to_string());
                }
            }
            if let Some(first) = line.values.first() {
                sheet.text(values, y + 2.0, QUIET, &fit(first, paper - MARGIN - values));
            }
        }
    }

    /// Says which routes a column stands for, and what the letters mean.
    fn foot(&self, sheet: &mut Sheet, groups: &[Group], mut y: f32, from: usize, to: usize) {
        let words = "equal letters in a row mean equal values; – not set; ▒ not known; ∗ made anew at each start";
        sheet.text(MARGIN, y, QUIET, &fit(words, PAPER.0 - 2.0 * MARGIN));
        for (at, group) in groups.iter().enumerate().take(to).skip(from) {
            y += LINE;
            let number = format!("{:>3}", at + 1);
            sheet.text(MARGIN, y, QUIET, &number);
            let x = MARGIN + width(&number) + 8.0;
            sheet.text(x, y, INK, &fit(&group.routes.join(", "), PAPER.0 - MARGIN - x));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn matrix(routes: usize, names: usize) -> Matrix {
        let row = |n: usize| MatrixRow {
            name: format!("NAME_{n}"),
            values: vec!["a <value> & more".repeat(n % 5 + 1)],
            tints: (0..routes).map(|r| if r < 2 { Tint::Absent } else { Tint::Value((r * n % 7) as u32) }).collect(),
        };
        Matrix {
            title: "pier-4".into(),
            columns: (0..routes).map(|r| format!("service:{r}")).collect(),
            rows: (0..names).map(row).collect(),
        }
    }

    #[test]
    fn all_names_and_routes_are_there_and_stay_on_the_paper() {
        for (routes, names) in [(0, 0), (1, 1), (9, 12), (120, 90)] {
            let picture = matrix(routes, names);
            let mut all = String::new();
            for page in picture.pages() {
                let document = roxmltree::Document::parse(&page).expect("well-formed");
                for node in document.descendants().filter(|n| n.has_tag_name("tspan")) {
                    let text = node.text().unwrap_or_default();
                    let place =
                        |name| node.parent_element().and_then(|p| p.attribute(name)?.parse::<f32>().ok()).expect("a place");
                    assert!(place("x") + width(text) <= PAPER.0 && place("y") <= PAPER.1, "{text}");
                    all.push_str(text);
                    all.push('\n');
                }
            }
            assert!((0..names).all(|n| all.contains(&format!("NAME_{n}\n"))), "{routes} {names}");
            assert!(roxmltree::Document::parse(&picture.svg()).is_ok());
        }
        // The first two routes agree.
        assert!(matrix(3, 2).svg().contains("service:0, service:1"));
    }
}
