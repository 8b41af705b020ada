//! The screen Processes: the tree painted by the chosen name's value, and the chosen process.

use std::collections::{BTreeSet, HashMap};

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;
use unicode_width::UnicodeWidthStr;
use vectorum_core::{Certainty, Mark, Name, Process, Rails, Received, Tint, Tints, TreeRow, World, inert, masked_arguments};
use vectorum_host::Keeper;

use super::app::{App, Focus};
use super::detail::{SEEN, delta_from_parent, shown};
use super::paint::{fit, overlaid, pad, spans, width};
use super::scroll::Scroll;
use super::theme::{Role, Theme};
use crate::recorded::{Recorded, Row, time};

/// What the pane of details shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum View {
    /// The chosen name's value, explained.
    #[default]
    Value,
    /// What differs from the parent's block.
    Changes,
    /// The whole block.
    Block,
    /// What the process has now.
    Now,
}

impl View {
    pub(crate) const ALL: [View; 4] = [View::Value, View::Changes, View::Block, View::Now];

    pub(crate) fn title(self) -> &'static str {
        match self {
            View::Value => "Value",
            View::Changes => "Changes",
            View::Block => "Block",
            View::Now => "Now",
        }
    }

    pub(crate) fn next(self, back: bool) -> View {
        match (self, back) {
            (View::Value, false) | (View::Block, true) => View::Changes,
            (View::Changes, false) | (View::Now, true) => View::Block,
            (View::Block, false) | (View::Value, true) => View::Now,
            (View::Now, false) | (View::Changes, true) => View::Value,
        }
    }
}

/// What is known of the block that a process has now.
#[derive(Clone, Debug)]
pub(crate) enum Now {
    Reading,
    Block(vectorum_core::Block, Option<Keeper>),
    Failed(String),
}

/// The screen's state.
#[derive(Debug, Default)]
pub(crate) struct Processes {
    rows: Vec<TreeRow>,
    paint: Vec<(Tint, Mark)>,
    tints: Tints,
    tinted: Option<Name>,
    /// How many of the shown processes could be read and lack the name.
    pub(crate) lacking: usize,
    /// How many of the shown processes have each value, in the order of the letters.
    carriers: Vec<usize>,
    /// What the rows that were seen so far changed: born, changed, dropped.
    counts: HashMap<i32, Option<(usize, usize, usize)>>,
    pub(crate) scroll: Scroll,
    pub(crate) selected: Option<i32>,
    folded: BTreeSet<i32>,
    pub(crate) filter: Input,
    pub(crate) is_typing: bool,
    pub(crate) only_changes: bool,
    pub(crate) kernel_threads: bool,
    pub(crate) view: View,
    pub(crate) detail: Scroll,
    pub(crate) now: HashMap<i32, Now>,
}

impl Processes {
    /// Brings the rows and their paint up to date with the world.
    pub(crate) fn rebuild(&mut self, world: &World, name: Option<&Name>) {
        let filter = self.filter.value().to_lowercase();
        let keep = |p: &Process| {
            let wanted = self.kernel_threads || p.received != Received::Kernel;
            let changed = !self.only_changes || name.is_none_or(|n| mark(world, p, n) != Mark::Same);
            wanted && changed && (filter.is_empty() || matches(p, &filter))
        };
        let all = self.kernel_threads && !self.only_changes && filter.is_empty();
        self.rows = world.rows(&self.folded, if all { None } else { Some(&keep) });
        self.repaint(world, name);
        self.follow();
    }

    /// Brings the paint up to date, for rows that are.
    fn repaint(&mut self, world: &World, name: Option<&Name>) {
        if self.tinted.as_ref() != name {
            self.tints = Tints::default();
            self.tinted = name.cloned();
        }
        self.paint = Vec::with_capacity(self.rows.len());
        self.lacking = 0;
        self.carriers.clear();
        let Some(name) = name else {
            return self.paint.resize(self.rows.len(), (Tint::Unknown, Mark::Same));
        };
        // Equal tints are equal values, and a parent's row stands before its children's: whoever
        // was changed is seen without looking into the parent's block again.
        let mut painted: HashMap<i32, Tint> = HashMap::with_capacity(self.rows.len());
        for row in &self.rows {
            let tint = world.tint(row.pid, name.as_bytes(), &mut self.tints);
            painted.insert(row.pid, tint);
            let parent = world.get(row.pid).map_or(0, |p| p.parent);
            let before = match painted.get(&parent) {
                Some(tint) => *tint,
                None if parent == row.pid => tint,
                None => world.tint(parent, name.as_bytes(), &mut self.tints),
            };
            self.paint.push((tint, Mark::between(before, tint)));
            match tint {
                Tint::Value(index) => {
                    let index = index as usize;
                    self.carriers.resize(self.carriers.len().max(index + 1), 0);
                    if let Some(count) = self.carriers.get_mut(index) {
                        *count += 1;
                    }
                }
                Tint::Absent => self.lacking += 1,
                Tint::Unknown | Tint::PerRun => {}
            }
        }
    }

    /// Forgets what was counted, after the world has changed.
    pub(crate) fn forget_counts(&mut self) {
        self.counts.clear();
    }

    /// Counts what the visible rows changed, each once as long as the world does not change.
    /// Blocks of many thousand entries are left out: a screen of them would keep a key waiting.
    pub(crate) fn count_visible(&mut self, world: &World) {
        const MOST: usize = 4000;
        for row in self.rows.iter().skip(self.scroll.offset).take(self.scroll.height) {
            let is_usual = |p: &Process| p.received.block().is_some_and(|b| b.len() <= MOST);
            let count = || {
                let process = world.get(row.pid).filter(|p| is_usual(p) && world.parent(p).is_some_and(is_usual))?;
                Some(delta_from_parent(world, process)?.counts())
            };
            self.counts.entry(row.pid).or_insert_with(count);
        }
    }

    /// Takes another name: rows that do not depend on it are only painted anew.
    pub(crate) fn rename(&mut self, world: &World, name: Option<&Name>) {
        if self.only_changes { self.rebuild(world, name) } else { self.repaint(world, name) }
    }

    /// Puts the cursor on the selected process; if it is gone, it stays where it is.
    fn follow(&mut self) {
        self.scroll.count = self.rows.len();
        let place = self.selected.and_then(|pid| self.rows.iter().position(|r| r.pid == pid));
        self.scroll.go_to(place.unwrap_or(self.scroll.cursor));
        self.select_at_cursor();
    }

    /// Goes to the process with the number that was typed, or else to the first one that matches
    /// the filter, if the selected one does not.
    pub(crate) fn go_to_match(&mut self) {
        let fits = self.rows.get(self.scroll.cursor).is_some_and(|r| r.matches);
        let typed: Option<i32> = self.filter.value().parse().ok();
        let exact = typed.and_then(|pid| self.rows.iter().position(|r| r.pid == pid));
        let first = || self.rows.iter().position(|r| r.matches).filter(|_| !fits);
        if let Some(at) = exact.or_else(first) {
            self.scroll.go_to(at);
            self.select_at_cursor();
        }
    }

    /// Selects the process at the cursor after the cursor was moved.
    pub(crate) fn select_at_cursor(&mut self) {
        let pid = self.rows.get(self.scroll.cursor).map(|r| r.pid);
        if pid != self.selected {
            self.selected = pid;
            self.detail = Scroll { height: self.detail.height, ..Scroll::default() };
        }
    }

    /// Selects a process, unfolding what hides it and ending filters that do.
    pub(crate) fn go_to(&mut self, pid: i32, world: &World) {
        let mut at = world.get(pid).map(|p| p.parent);
        while let Some(parent) = at.and_then(|p| world.get(p)) {
            if !self.folded.remove(&parent.id.pid) && parent.parent == parent.id.pid {
                break;
            }
            at = (parent.parent != parent.id.pid).then_some(parent.parent);
        }
        self.filter = Input::default();
        self.only_changes = false;
        self.selected = Some(pid);
    }

    /// Folds or unfolds a branch. Returns whether there was one.
    pub(crate) fn fold(&mut self, fold: Option<bool>) -> bool {
        let Some(row) = self.rows.get(self.scroll.cursor) else { return false };
        let is_folded = self.folded.contains(&row.pid);
        let wanted = fold.unwrap_or(!is_folded);
        if !row.has_children || wanted == is_folded {
            return false;
        }
        if wanted {
            self.folded.insert(row.pid)
        } else {
            self.folded.remove(&row.pid)
        };
        true
    }

    /// Folds everything below the first level, or unfolds all.
    pub(crate) fn fold_all(&mut self) {
        if self.folded.is_empty() {
            self.folded = self.rows.iter().filter(|r| r.has_children && r.rails.depth() > 1).map(|r| r.pid).collect();
        } else {
            self.folded.clear();
        }
    }

    /// Moves the cursor to the parent's row. Returns whether there is one.
    pub(crate) fn go_to_parent(&mut self) -> bool {
        let level = self.rows.get(self.scroll.cursor).map_or(0, |r| r.rails.depth());
        let above = self.rows.iter().take(self.scroll.cursor).rposition(|r| r.rails.depth() + 1 == level);
        if let Some(at) = above {
            self.scroll.go_to(at);
            self.select_at_cursor();
        }
        above.is_some()
    }

    /// Moves the cursor to the next row that got the name otherwise than its parent.
    pub(crate) fn next_change(&mut self, back: bool) -> bool {
        let is_change = |(_, (_, mark)): &(usize, &(Tint, Mark))| *mark != Mark::Same;
        let found = if back {
            self.paint.iter().enumerate().take(self.scroll.cursor).rev().find(is_change)
        } else {
            self.paint.iter().enumerate().skip(self.scroll.cursor + 1).find(is_change)
        };
        let found = found.map(|(at, _)| at);
        if let Some(at) = found {
            self.scroll.go_to(at);
            self.select_at_cursor();
        }
        found.is_some()
    }

    /// Returns the tint of a value of the chosen name.
    pub(crate) fn tint_of(&self, value: &[u8]) -> Option<Tint> {
        self.tints.known(value)
    }

    /// Returns the letters of the chosen name's values.
    pub(crate) fn tints(&self) -> &Tints {
        &self.tints
    }

    /// Returns how many of the shown processes have each value, in the order of the letters.
    pub(crate) fn carriers(&self) -> &[usize] {
        &self.carriers
    }

    /// Returns the number of rows.
    pub(crate) fn count_rows(&self) -> usize {
        self.rows.len()
    }

    /// Returns how many distinct values the shown processes have.
    pub(crate) fn value_count(&self) -> usize {
        self.tints.values().len()
    }
}

/// Returns how a process got a name, seen from its parent.
fn mark(world: &World, process: &Process, name: &Name) -> Mark {
    let mut tints = Tints::default();
    let parent = world.parent(process).map_or(Tint::Unknown, |p| world.tint(p.id.pid, name.as_bytes(), &mut tints));
    Mark::between(parent, world.tint(process.id.pid, name.as_bytes(), &mut tints))
}

fn matches(process: &Process, text: &str) -> bool {
    let holds = |bytes: &[u8]| String::from_utf8_lossy(bytes).to_lowercase().contains(text);
    process.id.pid.to_string() == text
        || process.account.to_lowercase().contains(text)
        || holds(&process.program)
        || holds(&process.arguments)
}

/// The columns of the tree.
struct Columns {
    tree: usize,
    value: usize,
    pid: bool,
    account: bool,
    changes: bool,
    /// The width of the time line, which recordings have.
    time: usize,
}

impl Columns {
    fn of(total: usize, is_recording: bool) -> Columns {
        let (pid, account, changes) = (total >= 50, total >= 84, total >= 70);
        let time = if is_recording && total >= 64 { (total / 6).clamp(10, 40) } else { 0 };
        let fixed = 3 + usize::from(pid) * 8 + usize::from(account) * 9 + usize::from(changes) * 10 + time;
        let rest = total.saturating_sub(fixed);
        let tree = if is_recording { rest * 2 / 3 } else { rest * 5 / 9 }.max(16).min(rest);
        Columns { tree, value: rest - tree, pid, account, changes, time }
    }
}

/// Draws the tree.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>, area: Rect) {
    let (state, theme) = (&app.processes, app.theme);
    let columns = Columns::of(usize::from(area.width), app.recorded.is_some());
    let quiet = theme.style(Role::Quiet);
    let mut lines = vec![Line::from(fit(heading(app, &columns), usize::from(area.width)))];
    let rows = usize::from(area.height).saturating_sub(1);
    for (index, row) in state.rows.iter().enumerate().skip(state.scroll.offset).take(rows) {
        let (tint, mark) = state.paint.get(index).copied().unwrap_or((Tint::Unknown, Mark::Same));
        let mut line = tree_row(app, row, tint, mark, &columns);
        if index == state.scroll.cursor {
            let role = if app.focus == Focus::Main { Role::Cursor } else { Role::Remembered };
            line = overlaid(line, theme.style(role));
        }
        lines.push(Line::from(line));
    }
    if state.rows.is_empty() {
        let text = match (app.world.is_empty(), state.only_changes && state.filter.value().is_empty()) {
            (true, _) => "  reading the processes …",
            (false, true) => "  no process got this name otherwise than its parent; o shows all again",
            (false, false) => "  no process matches; Esc ends the filter",
        };
        lines.push(Line::from(Span::styled(text, quiet)));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

fn heading(app: &App, columns: &Columns) -> Vec<Span<'static>> {
    let (state, theme) = (&app.processes, app.theme);
    let quiet = theme.style(Role::Quiet);
    let mut left = Vec::new();
    if state.is_typing || !state.filter.value().is_empty() {
        left.push(Span::styled("p ", theme.style(Role::Key)));
        left.push(Span::raw(format!("{}{}", state.filter.value(), if state.is_typing { "▏" } else { "" })));
    } else {
        left.push(Span::styled("program", quiet));
    }
    if state.only_changes {
        left.push(Span::styled("  only changes", theme.style(Role::Changed)));
    }
    let mut line = pad(fit(left, columns.tree), columns.tree);
    line.extend(pad(vec![Span::styled("  value", quiet)], columns.value + 3));
    if let Some(recorded) = app.recorded.as_ref().filter(|_| columns.time > 0) {
        let text = fit(vec![Span::styled(format!("0 … {}", time(recorded.span_ms)), quiet)], columns.time - 1);
        line.extend(pad(text, columns.time));
    }
    if columns.pid {
        line.push(Span::styled(format!("{:>7} ", if app.recorded.is_some() { "seq" } else { "pid" }), quiet));
    }
    if columns.account {
        line.push(Span::styled(format!("{:<9}", if app.recorded.is_some() { "at" } else { "account" }), quiet));
    }
    if columns.changes {
        line.push(Span::styled(format!("{:<10}", "changes"), quiet));
    }
    line
}

fn tree_row(app: &App, row: &TreeRow, tint: Tint, mark: Mark, columns: &Columns) -> Vec<Span<'static>> {
    let theme = app.theme;
    let quiet = theme.style(Role::Quiet);
    let Some(process) = app.world.get(row.pid) else { return Vec::new() };
    let mut tree = vec![Span::styled(rails(row.rails, columns.tree), theme.style(Role::Border))];
    if row.folded > 0 {
        tree.push(Span::styled("▸", theme.style(Role::Key)));
    }
    let program = inert(&process.program).into_owned();
    let emphasis = if row.matches { theme.style(Role::Text) } else { quiet };
    tree.push(Span::styled(if process.received == Received::Kernel { format!("[{program}]") } else { program }, emphasis));
    if row.folded > 0 {
        tree.push(Span::styled(format!(" +{}", row.folded), quiet));
    }
    let receipt = app.recorded.as_ref().and_then(|r| Some((r, r.row(row.pid)?)));
    if let Some((_, receipt)) = receipt {
        if receipt.certainty == Certainty::AsCalled {
            tree.push(Span::styled(" ?", theme.style(Role::Trouble)));
        }
        if let Some(failure) = receipt.failure() {
            tree.push(Span::styled(format!(" ✗ {failure}"), theme.style(Role::Trouble)));
        }
    }
    let (sign, role) = sign(mark);
    // Arguments get what room the tree leaves, beside the sign and a piece of the line.
    let arguments: Vec<&[u8]> = process.arguments().into_iter().skip(1).collect();
    let room = columns.tree.saturating_sub(width(&tree) + sign.width() + 8);
    if !arguments.is_empty() && room > 6 {
        tree.push(Span::raw(" "));
        let shown = spans(&masked_arguments(&arguments, &app.prints, app.reveal), theme);
        tree.extend(fit(overlaid(shown, quiet), room - 1));
    }
    tree.push(Span::styled(sign, theme.style(role)));
    let tree = fit(tree, columns.tree.saturating_sub(2));
    let (line_sign, line_style) = stroke(tint, theme);
    let rest = columns.tree.saturating_sub(width(&tree) + 1);
    let mut line = tree;
    line.push(Span::raw(" "));
    line.push(Span::styled(line_sign.repeat(rest), line_style));
    line.push(Span::styled(format!(" {tint:<2}"), theme.tint(tint)));
    line.extend(pad(fit(value(app, process, tint), columns.value.saturating_sub(1)), columns.value));
    if let Some((recorded, receipt)) = receipt.filter(|_| columns.time > 0) {
        line.extend(
            lifetime(recorded, receipt, columns.time - 1)
                .map(|(text, is_life)| Span::styled(text, if is_life { theme.tint(tint) } else { theme.style(Role::Border) })),
        );
        line.push(Span::raw(" "));
    }
    if columns.pid {
        line.push(Span::styled(format!("{:>7} ", row.pid), quiet));
    }
    if columns.account {
        let text = match receipt {
            Some((_, receipt)) => time(receipt.at_ms),
            None => inert(process.account.as_bytes()).into_owned(),
        };
        line.extend(pad(fit(vec![Span::styled(text, quiet)], 8), 9));
    }
    if columns.changes {
        line.extend(pad(changes(app, process), 10));
    }
    line
}

/// Returns the sign of a mark, with a blank before it.
pub(super) fn sign(mark: Mark) -> (&'static str, Role) {
    match mark {
        Mark::Same => ("", Role::Text),
        Mark::Born => (" +", Role::Born),
        Mark::Changed => (" ±", Role::Changed),
        Mark::Dropped => (" ×", Role::Dropped),
    }
}

/// Returns the line that a branch is drawn with.
pub(super) fn stroke(tint: Tint, theme: Theme) -> (&'static str, Style) {
    match tint {
        Tint::Value(_) => ("━", theme.tint(tint)),
        Tint::PerRun => ("━", theme.style(Role::Quiet)),
        Tint::Absent => ("┄", theme.style(Role::Border)),
        Tint::Unknown => ("╌", theme.style(Role::Border)),
    }
}

/// Returns the time line of a receipt: before, its life, after. One whose end is not known has an
/// open right end; as long as the trace runs, that is now.
fn lifetime(recorded: &Recorded, receipt: &Row, columns: usize) -> [(String, bool); 3] {
    let place = |ms: u64| (ms as f64 / recorded.span_ms.max(1) as f64 * (columns - 1) as f64).round() as usize;
    let from = place(receipt.at_ms).min(columns - 1);
    let until = receipt.until_ms.map(|ms| place(ms).clamp(from, columns - 1));
    let life = match (until, recorded.is_complete) {
        (Some(until), _) if until == from => "╸".to_owned(),
        (Some(until), _) => format!("{}╸", "━".repeat(until - from)),
        (None, false) => "━".repeat(columns - from),
        (None, true) => "╌".repeat((columns - from).min(2)),
    };
    let after = columns - from - life.width();
    [("┈".repeat(from), false), (life, true), ("┈".repeat(after), false)]
}

/// Returns the lines that lead to a row from above; deep ones lose their left part.
pub(super) fn rails(rails: Rails, columns: usize) -> String {
    let mut text = String::from(" ");
    let levels = rails.levels().count();
    for (level, goes_on) in rails.levels().enumerate().skip(1) {
        text.push_str(match (level + 1 == levels, goes_on) {
            (true, true) => "├ ",
            (true, false) => "└ ",
            (false, true) => "│ ",
            (false, false) => "  ",
        });
    }
    let most = columns / 2;
    if text.width() > most {
        let cut: String = text.chars().skip(text.chars().count() - most.max(2) + 1).collect();
        return format!("…{cut}");
    }
    text
}

fn value(app: &App, process: &Process, tint: Tint) -> Vec<Span<'static>> {
    let quiet = app.theme.style(Role::Quiet);
    let Some(name) = app.names.chosen() else { return Vec::new() };
    let word = match (tint, &process.received) {
        (Tint::Value(_), Received::Block(block)) => {
            let value = block.get(name.as_bytes()).unwrap_or_default();
            if value.is_empty() {
                return vec![Span::styled("(empty)", quiet)];
            }
            return shown(app, name.as_bytes(), value, SEEN);
        }
        (_, Received::Unreadable(_)) => "not readable",
        (_, Received::Overwritten) => "overwritten",
        (_, Received::Unsure(_)) => "perhaps overwritten",
        (_, Received::Kernel) => "no block",
        (_, Received::Ended) => "ended",
        (_, Received::Pending) => "…",
        _ => "",
    };
    vec![Span::styled(word, quiet)]
}

/// Returns how many names were born, changed and dropped on the way from the parent.
fn changes(app: &App, process: &Process) -> Vec<Span<'static>> {
    let Some(Some((born, changed, dropped))) = app.processes.counts.get(&process.id.pid).copied() else { return Vec::new() };
    let mut line = Vec::new();
    for (count, sign, role) in [(born, "+", Role::Born), (changed, "±", Role::Changed), (dropped, "×", Role::Dropped)] {
        if count > 0 {
            line.push(Span::styled(format!("{sign}{count} "), app.theme.style(role)));
        }
    }
    line
}
