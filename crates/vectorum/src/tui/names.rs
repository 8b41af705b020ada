//! The names column: all names, a filter, the chosen one.

use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;
use unicode_width::UnicodeWidthStr;
use vectorum_core::{Difference, Name};

use super::paint::{fit, overlaid, pad, width};
use super::scroll::Scroll;
use super::theme::{Role, Theme};

/// How a name stands in a comparison.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Standing {
    OnlyLeft,
    OnlyRight,
    Different,
    Same,
}

impl Standing {
    /// Returns the mark of a difference.
    pub(crate) fn of(difference: &Difference) -> Standing {
        match difference {
            Difference::Dropped(_) => Standing::OnlyLeft,
            Difference::Born(_) => Standing::OnlyRight,
            Difference::Changed { .. } => Standing::Different,
        }
    }

    pub(crate) fn mark(self) -> (&'static str, Role) {
        match self {
            Standing::OnlyLeft => ("×", Role::Dropped),
            Standing::OnlyRight => ("+", Role::Born),
            Standing::Different => ("±", Role::Changed),
            Standing::Same => ("=", Role::Quiet),
        }
    }
}

/// One line of the column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct NameRow {
    pub(crate) name: Name,
    /// How many distinct values are about; 0 where that is not counted.
    pub(crate) values: usize,
    pub(crate) is_list: bool,
    pub(crate) is_secret: bool,
    pub(crate) is_troubled: bool,
    pub(crate) standing: Option<Standing>,
}

/// The column's state.
#[derive(Debug, Default)]
pub(crate) struct Names {
    all: Vec<NameRow>,
    /// Indexes into `all`, with the places of the letters that the filter found.
    shown: Vec<(usize, Vec<u32>)>,
    pub(crate) filter: Input,
    pub(crate) is_typing: bool,
    pub(crate) scroll: Scroll,
    chosen: Option<Name>,
    matcher: Matcher,
}

impl Names {
    /// Replaces the names; the chosen one stays chosen if it is still there.
    pub(crate) fn set(&mut self, rows: Vec<NameRow>) {
        if rows == self.all {
            return;
        }
        self.all = rows;
        self.filter_again(false);
    }

    /// Chooses a name, shown or not: a filter that hides it ends.
    pub(crate) fn choose(&mut self, name: &Name) {
        self.chosen = Some(name.clone());
        if !self.is_shown(name) && self.all.iter().any(|r| r.name == *name) {
            self.filter = Input::default();
            self.filter_again(false);
        }
        self.follow();
    }

    fn is_shown(&self, name: &Name) -> bool {
        self.shown.iter().any(|(at, _)| self.all.get(*at).is_some_and(|r| r.name == *name))
    }

    /// Returns the chosen name.
    pub(crate) fn chosen(&self) -> Option<&Name> {
        self.chosen.as_ref()
    }

    /// Returns the row of the chosen name.
    pub(crate) fn chosen_row(&self) -> Option<&NameRow> {
        self.all.iter().find(|r| Some(&r.name) == self.chosen.as_ref())
    }

    /// Returns how many names there are and how many the filter leaves.
    pub(crate) fn counts(&self) -> (usize, usize) {
        (self.all.len(), self.shown.len())
    }

    /// Returns how many names have trouble.
    pub(crate) fn troubled(&self) -> usize {
        self.all.iter().filter(|r| r.is_troubled).count()
    }

    /// Returns the shown rows from the first visible one on.
    pub(crate) fn visible(&self) -> impl Iterator<Item = &NameRow> {
        self.shown.iter().skip(self.scroll.offset).filter_map(|(at, _)| self.all.get(*at))
    }

    /// Applies the filter; with `best` the best match is chosen.
    pub(crate) fn filter_again(&mut self, best: bool) {
        let text = self.filter.value();
        if text.is_empty() {
            self.shown = (0..self.all.len()).map(|at| (at, Vec::new())).collect();
        } else {
            self.matcher.config = Config::DEFAULT;
            let pattern = Pattern::parse(text, CaseMatching::Ignore, Normalization::Smart);
            let mut buffer = Vec::new();
            let mut found: Vec<(u32, usize, Vec<u32>)> = Vec::new();
            for (at, row) in self.all.iter().enumerate() {
                let name = row.name.to_string();
                let mut places = Vec::new();
                if let Some(score) = pattern.indices(Utf32Str::new(&name, &mut buffer), &mut self.matcher, &mut places) {
                    places.sort_unstable();
                    found.push((score, at, places));
                }
            }
            found.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(&b.1)));
            self.shown = found.into_iter().map(|(_, at, places)| (at, places)).collect();
        }
        let lost = self.chosen.as_ref().is_none_or(|name| !self.is_shown(name));
        if best || lost {
            let first = self.shown.first().and_then(|(at, _)| self.all.get(*at));
            if let Some(row) = first.filter(|_| best || self.chosen.is_none()) {
                self.chosen = Some(row.name.clone());
            }
        }
        self.follow();
    }

    /// Puts the cursor where the chosen name stands.
    fn follow(&mut self) {
        self.scroll.count = self.shown.len();
        let place = self.shown.iter().position(|(at, _)| self.all.get(*at).map(|r| &r.name) == self.chosen.as_ref());
        self.scroll.go_to(place.unwrap_or(0));
    }

    /// Chooses the row at the cursor after the cursor was moved.
    pub(crate) fn choose_at_cursor(&mut self) {
        if let Some(row) = self.shown.get(self.scroll.cursor).and_then(|(at, _)| self.all.get(*at)) {
            self.chosen = Some(row.name.clone());
        }
    }

    /// Draws the column.
    pub(crate) fn draw(&self, frame: &mut Frame<'_>, area: Rect, theme: Theme, has_keys: bool) {
        let columns = usize::from(area.width);
        let (all, left) = self.counts();
        let head = if self.is_typing || !self.filter.value().is_empty() {
            let cursor = if self.is_typing { "▏" } else { "" };
            let count = format!(" {left}/{all}");
            let mut line = vec![Span::styled(" /", theme.style(Role::Key))];
            line.push(Span::raw(format!("{}{cursor}", self.filter.value())));
            let room = columns.saturating_sub(count.width());
            let mut line = pad(fit(line, room), room);
            line.push(Span::styled(count, theme.style(Role::Quiet)));
            line
        } else {
            vec![Span::styled(format!(" {all} names"), theme.style(Role::Quiet))]
        };
        let mut lines = vec![Line::from(fit(head, columns))];
        let rows = usize::from(area.height).saturating_sub(1);
        for (index, (at, places)) in self.shown.iter().enumerate().skip(self.scroll.offset).take(rows) {
            let Some(row) = self.all.get(*at) else { continue };
            lines.push(Line::from(self.row(row, places, index == self.scroll.cursor, columns, theme, has_keys)));
        }
        if self.shown.is_empty() && all > 0 {
            lines.push(Line::from(fit(vec![Span::styled(" no name matches", theme.style(Role::Quiet))], columns)));
        }
        frame.render_widget(Paragraph::new(lines), area);
    }

    fn row(
        &self,
        row: &NameRow,
        places: &[u32],
        at_cursor: bool,
        columns: usize,
        theme: Theme,
        has_keys: bool,
    ) -> Vec<Span<'static>> {
        let marks = marks(row, theme);
        let room = columns.saturating_sub(width(&marks) + 3);
        let mut name = Vec::new();
        for (at, c) in row.name.to_string().chars().take(columns).enumerate() {
            let hit = places.binary_search(&(at as u32)).is_ok();
            name.push(Span::styled(c.to_string(), theme.style(if hit { Role::Match } else { Role::Text })));
        }
        let lead = if at_cursor { "▌ " } else { "  " };
        let mut line = vec![Span::styled(lead, theme.style(Role::Key))];
        line.extend(pad(fit(name, room), room + 1));
        line.extend(marks);
        match (at_cursor, has_keys) {
            (true, true) => overlaid(line, theme.style(Role::Cursor)),
            (true, false) => overlaid(line, theme.style(Role::Remembered)),
            _ => line,
        }
    }
}

/// Returns the marks behind a name: `≡` list, `*` secret, `!` trouble, `≠3` three values.
fn marks(row: &NameRow, theme: Theme) -> Vec<Span<'static>> {
    let mut marks = Vec::new();
    let mut mark = |on: bool, text: &'static str, role| {
        marks.push(Span::styled(if on { text } else { " " }, theme.style(role)));
    };
    mark(row.is_troubled, "!", Role::Trouble);
    mark(row.is_secret, "*", Role::Mask);
    mark(row.is_list, "≡", Role::Label);
    if let Some(standing) = row.standing {
        let (text, role) = standing.mark();
        marks.push(Span::styled(format!(" {text}"), theme.style(role)));
    } else {
        let count = if row.values > 99 {
            "≠99".to_owned()
        } else if row.values > 1 {
            format!("≠{}", row.values)
        } else {
            String::new()
        };
        marks.push(Span::styled(format!("{count:>3}"), theme.style(Role::Quiet)));
    }
    marks
}
