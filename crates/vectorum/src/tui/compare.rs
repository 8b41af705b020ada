//! The screen Compare: two blocks side by side, lists item by item.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use vectorum_core::{Block, Delta, ListChange, ListDelta, Tint, masked_entry};

use super::app::{App, Focus};
use super::detail::shown;
use super::names::{NameRow, Standing};
use super::paint::{fit, overlaid, pad, set_in, spans, wrap};
use super::scroll::Scroll;
use super::theme::Role;

/// One side of a comparison.
#[derive(Clone, Debug)]
pub(crate) struct Side {
    pub(crate) label: String,
    pub(crate) block: Block,
}

/// The screen's state.
#[derive(Debug, Default)]
pub(crate) struct Compare {
    pub(crate) left: Option<Side>,
    pub(crate) right: Option<Side>,
    /// Also names that do not differ.
    pub(crate) show_same: bool,
    pub(crate) detail: Scroll,
}

impl Compare {
    /// Returns the rows of the names column: what differs, or every name.
    pub(crate) fn names(&self, known: impl Fn(&[u8]) -> Option<NameRow>) -> Vec<NameRow> {
        let (Some(left), Some(right)) = (&self.left, &self.right) else { return Vec::new() };
        let delta = Delta::between(&left.block, &right.block);
        let row = |name: &vectorum_core::Name, standing| {
            let base = known(name.as_bytes()).unwrap_or(NameRow {
                name: name.clone(),
                values: 0,
                is_list: false,
                is_secret: false,
                is_troubled: false,
                standing: None,
            });
            NameRow { standing: Some(standing), ..base }
        };
        let mut rows: Vec<NameRow> = delta.names.iter().map(|(name, d)| row(name, Standing::of(d))).collect();
        if self.show_same {
            let same = left.block.vars().filter(|(n, _)| !delta.names.contains_key(n));
            rows.extend(same.map(|(name, _)| row(&name, Standing::Same)));
            rows.sort_by(|a, b| a.name.cmp(&b.name));
        }
        rows
    }

    /// Swaps the sides.
    pub(crate) fn swap(&mut self) {
        std::mem::swap(&mut self.left, &mut self.right);
    }
}

/// Draws the table; its rows stand beside the names of the names column.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>, area: Rect) {
    let theme = app.theme;
    let quiet = theme.style(Role::Quiet);
    let columns = usize::from(area.width);
    let (Some(left), Some(right)) = (&app.compare.left, &app.compare.right) else {
        let mut lines = vec![Line::default(), Line::from(Span::styled("  Two blocks side by side.", theme.style(Role::Title)))];
        let text = match &app.compare.left {
            None => vec![
                "In Processes (2), press c on one process and c on another,",
                "or C to compare a process with its parent,",
                "or L to compare what it received with what it has now.",
            ],
            Some(side) => {
                lines.push(Line::from(Span::styled(format!("  One side is {}.", side.label), theme.style(Role::Changed))));
                vec!["Go to another process (2) and press c there."]
            }
        };
        let wrapped = |t: &str| wrap(vec![Span::styled(format!("  {t}"), quiet)], columns.saturating_sub(1), 2);
        lines.extend(text.into_iter().flat_map(wrapped));
        frame.render_widget(Paragraph::new(lines), area);
        return;
    };
    let half = columns.saturating_sub(4) / 2;
    let head =
        |side: &Side| pad(fit(vec![Span::styled(side.label.clone(), theme.style(Role::Title))], half.saturating_sub(1)), half);
    let mut line = vec![Span::raw("   ")];
    line.extend(head(left));
    line.push(Span::styled("│", theme.style(Role::Border)));
    line.extend(head(right));
    let mut lines = vec![Line::from(line)];
    let rows = usize::from(area.height).saturating_sub(1);
    for (index, row) in app.names.visible().take(rows).enumerate() {
        let name = row.name.as_bytes();
        let (before, after) = (left.block.get(name), right.block.get(name));
        let second = if before == after || before.is_none() { Tint::Value(0) } else { Tint::Value(1) };
        let (mark, role) = row.standing.unwrap_or(Standing::Same).mark();
        let mut line = vec![Span::styled(format!(" {mark} "), theme.style(role))];
        for (value, tint, end) in [(before, Tint::Value(0), "│"), (after, second, "")] {
            let cell = match value {
                None => vec![Span::styled("–", quiet)],
                Some(value) => {
                    let mut cell = vec![Span::styled(format!("{tint} "), theme.tint(tint))];
                    if value.is_empty() {
                        cell.push(Span::styled("(empty)", quiet));
                    } else {
                        cell.extend(shown(app, name, value, 1024));
                    }
                    cell
                }
            };
            line.extend(pad(fit(cell, half.saturating_sub(1)), half));
            line.push(Span::styled(end, theme.style(Role::Border)));
        }
        if index + app.names.scroll.offset == app.names.scroll.cursor {
            let role = if app.focus == Focus::Detail { Role::Remembered } else { Role::Cursor };
            line = overlaid(pad(line, columns), theme.style(role));
        }
        lines.push(Line::from(line));
    }
    if app.names.counts().0 == 0 {
        lines.push(Line::from(Span::styled("   both hold the same; o shows every name", quiet)));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

/// Returns the lines about the chosen name.
pub(crate) fn detail(app: &App, columns: usize) -> Vec<Line<'static>> {
    let theme = app.theme;
    let (Some(left), Some(right), Some(name)) = (&app.compare.left, &app.compare.right, app.names.chosen()) else {
        return Vec::new();
    };
    let (before, after) = (left.block.get(name.as_bytes()), right.block.get(name.as_bytes()));
    let mut lines: Vec<Vec<Span<'static>>> = Vec::new();
    let list = before.zip(after).and_then(|(a, b)| ListDelta::between(name.as_bytes(), a, b));
    match list {
        Some(list) => {
            let count = |change| list.with(change).count();
            let text = format!(
                "{} items kept, {} only right, {} only left, {} moved",
                count(ListChange::Kept),
                count(ListChange::Added),
                count(ListChange::Removed),
                count(ListChange::Moved)
            );
            lines.push(vec![Span::styled(text, theme.style(Role::Quiet))]);
            lines.extend(list_lines(name.as_bytes(), &list, app));
        }
        None => {
            for (title, value) in [("left   ", before), ("right  ", after)] {
                let mut line = vec![Span::styled(title, theme.style(Role::Label))];
                match value {
                    None => line.push(Span::styled("– not set", theme.style(Role::Quiet))),
                    Some([]) => line.push(Span::styled("set, and empty", theme.style(Role::Quiet))),
                    Some(value) => line.extend(shown(app, name.as_bytes(), value, 16 * 1024)),
                }
                lines.push(line);
            }
        }
    }
    let delta = Delta::between(&left.block, &right.block);
    for (entries, side) in [(&delta.hidden_before, "left"), (&delta.hidden_after, "right")] {
        for entry in entries {
            let text = format!("only {side}, an entry that no name leads to: ");
            let mut line = vec![Span::styled(text, theme.style(Role::Trouble))];
            line.extend(spans(&masked_entry(entry, &app.prints, app.reveal, 4096), theme));
            lines.push(line);
        }
    }
    set_in(lines, columns)
}

/// Returns a line for each item of two lists.
pub(crate) fn list_lines(name: &[u8], list: &ListDelta, app: &App) -> Vec<Vec<Span<'static>>> {
    let theme = app.theme;
    let place = |at: Option<usize>| at.map_or(String::new(), |at| (at + 1).to_string());
    let line = |row: &vectorum_core::ListRow| {
        let (sign, role) = match row.change {
            ListChange::Kept => (" ", Role::Text),
            ListChange::Added => ("+", Role::Born),
            ListChange::Removed => ("×", Role::Dropped),
            ListChange::Moved => ("↕", Role::Changed),
        };
        let numbers = format!("{:>3} {:>3}  ", place(row.left), place(row.right));
        let mut line = vec![Span::styled(format!("{sign} "), theme.style(role)), Span::styled(numbers, theme.style(Role::Quiet))];
        if row.item.is_empty() {
            line.push(Span::styled("(empty item)", theme.style(Role::Trouble)));
        } else {
            line.extend(shown(app, name, &row.item, 4096));
        }
        if row.change == ListChange::Moved {
            line.push(Span::styled("  moved", theme.style(Role::Changed)));
        }
        line
    };
    list.rows.iter().map(line).collect()
}
