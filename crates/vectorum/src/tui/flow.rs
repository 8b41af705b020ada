//! The screen Flow: the host as a tree from its first process down to each route, painted by the
//! chosen name's value. A second layout, reach, shows all names by routes.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;
use vectorum_core::route::{By, FlowRow, Forecast, ReachRow, Route, Site, Survey};
use vectorum_core::{Mark, Name, Selection, Tint, Tints, Value, inert};

use super::app::{App, Effect, Focus, Screen};
use super::compare::Side;
use super::detail::{SEEN, shown};
use super::names::NameRow;
use super::overlay::Overlay;
use super::paint::{fit, overlaid, pad, width};
use super::processes::{rails, sign, stroke};
use super::scroll::Scroll;
use super::search::Search;
use super::theme::Role;

/// How the routes are laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Layout {
    /// As a tree, painted by one name.
    #[default]
    Tree,
    /// As columns beside all names.
    Reach,
}

/// Routes that agree on every name, told as one column.
#[derive(Clone, Debug)]
struct Column {
    label: String,
    routes: Vec<usize>,
}

/// The screen's state.
#[derive(Debug, Default)]
pub(crate) struct Flow {
    survey: Option<Arc<Survey>>,
    failed: Option<String>,
    rows: Vec<FlowRow>,
    tints: Tints,
    tinted: Option<Name>,
    /// Branches whose folding is not the usual one.
    turned: BTreeSet<usize>,
    /// Whether nothing is folded.
    is_whole: bool,
    /// The route or group under the cursor, by its branch.
    selected: Option<usize>,
    pub(crate) layout: Layout,
    reach: Vec<ReachRow>,
    columns: Vec<Column>,
    /// The column that the cursor is in, and the first one that is seen.
    column: usize,
    pub(crate) scroll: Scroll,
    pub(crate) detail: Scroll,
}

impl Flow {
    /// Whether the routes were asked for.
    pub(crate) fn is_there(&self) -> bool {
        self.survey.is_some() || self.failed.is_some()
    }

    /// Takes the routes of the host.
    fn take(&mut self, survey: Arc<Survey>) {
        if self.survey.as_ref().is_some_and(|s| s.branches().len() != survey.branches().len()) {
            self.turned.clear();
        }
        self.reach = survey.reach(&Selection::default());
        self.columns = columns(&survey, &self.reach);
        self.column = self.column.min(self.columns.len().saturating_sub(1));
        self.survey = Some(survey);
        self.failed = None;
    }

    pub(crate) fn survey(&self) -> Option<&Arc<Survey>> {
        self.survey.as_ref()
    }

    /// Returns the rows of the names column.
    pub(crate) fn names(&self) -> Vec<NameRow> {
        let Some(survey) = &self.survey else { return Vec::new() };
        let names = survey.names();
        let row = |n: &vectorum_core::NameSummary| NameRow {
            name: n.name.clone(),
            values: n.values,
            is_list: n.is_list,
            is_secret: n.is_secret,
            is_troubled: n.is_troubled,
            standing: None,
        };
        match self.layout {
            Layout::Tree => names.iter().map(row).collect(),
            Layout::Reach => {
                let of = |r: &ReachRow| names.iter().find(|n| n.name == r.name).map(row);
                self.reach.iter().filter_map(of).collect()
            }
        }
    }

    /// Brings the tree up to date with the chosen name.
    pub(crate) fn rebuild(&mut self, name: Option<&Name>) {
        let Some(survey) = &self.survey else { return };
        if self.tinted.as_ref() != name {
            self.tints = Tints::default();
            self.tinted = name.cloned();
        }
        let name = name.map(Name::as_bytes).unwrap_or_default();
        self.rows = survey.rows(name, &mut self.tints, &self.turned, self.is_whole);
        self.scroll.count = self.rows.len();
        let is_it = |row: &FlowRow, branch: usize| row.branch == branch || row.alike.contains(&branch);
        // A branch that was folded away is shown by the nearest one above.
        let mut wanted = self.selected;
        let mut place = None;
        while let Some(branch) = wanted {
            place = self.rows.iter().position(|r| is_it(r, branch));
            if place.is_some() {
                break;
            }
            wanted = survey.branches().get(branch).and_then(|b| b.parent);
        }
        self.scroll.go_to(place.unwrap_or(self.scroll.cursor));
        if self.selected.is_none() {
            self.select_at_cursor();
        }
    }

    /// Selects the branch at the cursor.
    pub(crate) fn select_at_cursor(&mut self) {
        let at = self.row().map(|r| r.branch);
        if at != self.selected {
            self.selected = at;
            self.detail = Scroll { height: self.detail.height, ..Scroll::default() };
        }
    }

    /// Returns the line under the cursor.
    pub(crate) fn row(&self) -> Option<&FlowRow> {
        self.rows.get(self.scroll.cursor)
    }

    /// Returns the route under the cursor with its forecast; of a group that agrees, its first one.
    pub(crate) fn route(&self) -> Option<&(Route, Forecast)> {
        let survey = self.survey.as_ref()?;
        let at = match self.layout {
            Layout::Tree => {
                let row = self.row()?;
                let mut at = row.branch;
                let mut branch = survey.branches().get(at)?;
                while branch.route.is_none() && row.is_folded {
                    at = *branch.children.first()?;
                    branch = survey.branches().get(at)?;
                }
                branch.route?
            }
            Layout::Reach => *self.columns.get(self.column)?.routes.first()?,
        };
        survey.routes.get(at)
    }

    /// Returns the tint of a value.
    pub(crate) fn tint_of(&self, value: &[u8]) -> Option<Tint> {
        match self.layout {
            Layout::Tree => self.tints.known(value),
            Layout::Reach => {
                let row = self.reach.iter().find(|r| Some(&r.name) == self.tinted.as_ref())?;
                let at = row.values.iter().position(|v| v.as_bytes() == value)?;
                Some(Tint::Value(u32::try_from(at).ok()?))
            }
        }
    }

    /// Returns the values of the chosen name with how many routes have each, and how many lack it.
    pub(crate) fn values(&self) -> (Vec<(Tint, &Value, usize)>, usize) {
        let Some(row) = self.reach.iter().find(|r| Some(&r.name) == self.tinted.as_ref()) else { return (Vec::new(), 0) };
        let count = |at: usize| row.tints.iter().filter(|t| **t == Tint::Value(at as u32)).count();
        let values =
            row.values.iter().enumerate().filter_map(|(at, value)| Some((self.tint_of(value.as_bytes())?, value, count(at))));
        let mut values: Vec<_> = values.collect();
        values.sort_by_key(|(tint, ..)| match tint {
            Tint::Value(at) => *at,
            _ => u32::MAX,
        });
        (values, row.lacking)
    }

    /// Returns how many values the chosen name has, and how many routes lack it.
    pub(crate) fn counts(&self) -> (usize, usize) {
        let row = self.reach.iter().find(|r| Some(&r.name) == self.tinted.as_ref());
        row.map_or((0, self.survey.as_ref().map_or(0, |s| s.routes.len())), |r| (r.values.len(), r.lacking))
    }

    /// Returns the known value of a name under the cursor.
    pub(crate) fn value(&self, name: &Name) -> Option<Value> {
        let (_, forecast) = self.route()?;
        match &forecast.get(name.as_bytes())?.held {
            vectorum_core::route::Held::Known(value) => Value::new(value.clone()),
            _ => None,
        }
    }

    /// Returns what the route under the cursor gives, as far as it is known.
    pub(crate) fn side(&self) -> Option<Side> {
        let (route, forecast) = self.route()?;
        Some(Side { label: format!("route {route}"), block: forecast.block() })
    }

    /// Returns what the details are about.
    pub(crate) fn title(&self) -> String {
        let Some(survey) = &self.survey else { return String::new() };
        let Some((route, _)) = self.route() else {
            let row = self.row();
            return row.and_then(|r| survey.branches().get(r.branch)).map(|b| b.label.clone()).unwrap_or_default();
        };
        let others = match self.layout {
            Layout::Tree => self.row().map_or(0, |r| r.alike.len() + r.below),
            Layout::Reach => self.columns.get(self.column).map_or(0, |c| c.routes.len() - 1),
        };
        if others > 0 { format!("trail · {route}, and {others} more") } else { format!("trail · {route}") }
    }

    /// Folds or unfolds what is at the cursor. Returns whether there was something.
    pub(crate) fn fold(&mut self, fold: Option<bool>) -> bool {
        let Some((Some(branch), is_folded)) = self.row().map(|r| (r.fold, r.is_folded)) else { return false };
        if fold == Some(is_folded) {
            return false;
        }
        if !self.turned.remove(&branch) {
            self.turned.insert(branch);
        }
        true
    }

    /// Shows every branch, or folds what agrees again.
    pub(crate) fn turn_whole(&mut self) {
        self.is_whole = !self.is_whole;
        self.turned.clear();
    }

    /// Goes to the branch above. Returns whether there is one.
    pub(crate) fn go_to_parent(&mut self) -> bool {
        let level = self.row().map_or(0, |r| r.rails.depth());
        let above = self.rows.iter().take(self.scroll.cursor).rposition(|r| r.rails.depth() + 1 == level);
        if let Some(at) = above {
            self.scroll.go_to(at);
            self.select_at_cursor();
        }
        above.is_some()
    }

    /// Goes to the next branch that gets the name otherwise than the one above it.
    pub(crate) fn next_change(&mut self, back: bool) -> bool {
        let is_change = |(_, row): &(usize, &FlowRow)| row.mark != Mark::Same;
        let cursor = self.scroll.cursor;
        let found = if back {
            self.rows.iter().enumerate().take(cursor).rev().find(is_change)
        } else {
            self.rows.iter().enumerate().skip(cursor + 1).find(is_change)
        };
        let found = found.map(|(at, _)| at);
        if let Some(at) = found {
            self.scroll.go_to(at);
            self.select_at_cursor();
        }
        found.is_some()
    }

    /// Goes to the column beside.
    pub(crate) fn move_column(&mut self, left: bool) {
        let last = self.columns.len().saturating_sub(1);
        self.column = if left { self.column.saturating_sub(1) } else { (self.column + 1).min(last) };
        self.detail = Scroll { height: self.detail.height, ..Scroll::default() };
    }

    /// Goes to a route, unfolding what hides it.
    fn go_to(&mut self, route: usize) {
        let Some(survey) = self.survey.clone() else { return };
        self.selected = survey.branches().iter().position(|b| b.route == Some(route));
        self.column = self.columns.iter().position(|c| c.routes.contains(&route)).unwrap_or(self.column);
        self.detail = Scroll { height: self.detail.height, ..Scroll::default() };
    }

    /// Returns the line that decides the chosen name under the cursor.
    pub(crate) fn site(&self) -> Option<&Site> {
        let (_, forecast) = self.route()?;
        let name = self.tinted.as_ref()?;
        let last = forecast.trail(name.as_bytes()).filter_map(|e| e.site).next_back();
        let open = forecast.open.as_ref().and_then(|(_, site)| site.as_ref());
        forecast.get(name.as_bytes()).and_then(|v| v.site.as_ref()).or(open).or(last)
    }
}

/// Puts routes that agree on every name into one column.
fn columns(survey: &Survey, reach: &[ReachRow]) -> Vec<Column> {
    let mut out: Vec<(Vec<Tint>, Column)> = Vec::new();
    for at in 0..survey.routes.len() {
        let signature: Vec<Tint> = reach.iter().filter_map(|r| r.tints.get(at)).copied().collect();
        match out.iter_mut().find(|(known, _)| *known == signature) {
            Some((_, column)) => column.routes.push(at),
            None => {
                let label = survey.branches().iter().find(|b| b.route == Some(at)).map(|b| b.label.clone());
                out.push((signature, Column { label: label.unwrap_or_default(), routes: vec![at] }));
            }
        }
    }
    out.into_iter().map(|(_, column)| column).collect()
}

impl App {
    /// Takes the routes of the host, or why they could not be followed.
    pub(super) fn surveyed(&mut self, survey: Result<Arc<Survey>, String>) {
        match survey {
            Ok(survey) => self.flow.take(survey),
            Err(why) => self.flow.failed = Some(why),
        }
        self.names_are_stale = true;
        self.tree_is_stale = true;
    }

    /// Shows the routes as a tree, or all names by routes.
    pub(super) fn turn_layout(&mut self) {
        self.flow.layout = match self.flow.layout {
            Layout::Tree => Layout::Reach,
            Layout::Reach => Layout::Tree,
        };
        if self.focus == Focus::Main && !self.has_tree() {
            self.focus = Focus::Names;
        }
        self.names_are_stale = true;
        if let Some(name) = self.names.chosen().cloned() {
            // The names change places: the chosen one stays under the cursor.
            self.settle();
            self.names.choose(&name);
        }
    }

    /// Opens the deciding line in the person's editor.
    pub(super) fn edit_site(&mut self, effects: &mut Vec<Effect>) {
        let Some(site) = self.flow.site().cloned() else {
            self.notice = Some("no line of a file decides here".to_owned());
            return;
        };
        let Some(root) = &self.root else {
            let text = "this host is made up; vectorum demo --to DIR writes its files, to be edited there";
            self.notice = Some(text.to_owned());
            return;
        };
        effects.push(Effect::Edit { path: below(root, &site.path), line: site.line });
    }

    /// Runs the route under the cursor for real: the command says what it will do, and asks.
    pub(super) fn probe(&mut self, effects: &mut Vec<Effect>) {
        let why_not = match (self.flow.route(), &self.root) {
            (None, _) => Some("go to a route first: a group of routes cannot be run"),
            (_, None) => Some("this host is made up: nothing of it can be run"),
            (_, Some(root)) if root != Path::new("/") => {
                Some("these are the files of another host: nothing of it can be run here")
            }
            _ => None,
        };
        let Some((route, _)) = self.flow.route().filter(|_| why_not.is_none()) else {
            self.notice = why_not.map(str::to_owned);
            return;
        };
        let program = match std::env::current_exe() {
            Ok(path) => std::os::unix::ffi::OsStringExt::into_vec(path.into_os_string()),
            Err(error) => {
                self.notice = Some(format!("not probed: where this program lies is not known: {error}"));
                return;
            }
        };
        let before = self.flow.survey().and_then(|s| s.before(route));
        let words = [&b"probe"[..], b"--check", b"--account", self.account.as_bytes()].map(<[u8]>::to_vec);
        let command = [program].into_iter().chain(words).chain([route.to_string().into_bytes()]).collect();
        effects.push(Effect::Probe { route: route.clone(), before, command, block: self.own_block.clone() });
    }

    /// Asks for a value, or for a file and a line.
    pub(super) fn open_search(&mut self, by_file: bool) {
        let Some(survey) = self.flow.survey.clone() else { return };
        let site = self.flow.site().map(|s| format!("{}:{}", inert(&s.path), s.line)).unwrap_or_default();
        let text = if by_file { site } else { String::new() };
        self.overlay = Some(Overlay::Search(Box::new(Search::new(survey, by_file, text))));
    }

    pub(super) fn go_to_route(&mut self, name: &Name, route: usize) {
        self.open(Screen::Flow);
        self.settle();
        self.names.choose(name);
        self.flow.go_to(route);
        self.flow.rebuild(Some(name));
        // What agrees may hide it.
        let hides = |flow: &Flow| flow.row().filter(|r| r.is_folded && Some(r.branch) != flow.selected).and_then(|r| r.fold);
        while let Some(branch) = hides(&self.flow) {
            if !self.flow.turned.insert(branch) {
                break;
            }
            self.flow.rebuild(Some(name));
        }
        self.focus = if self.has_tree() { Focus::Main } else { Focus::Names };
    }
}

/// Returns where a path of a host lies when the host's files lie below a folder.
pub(super) fn below(root: &Path, path: &[u8]) -> PathBuf {
    use std::os::unix::ffi::OsStrExt;
    let inner = path.strip_prefix(b"/").unwrap_or(path);
    root.join(Path::new(std::ffi::OsStr::from_bytes(inner)))
}

/// Draws the screen.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>, area: Rect) {
    let quiet = app.theme.style(Role::Quiet);
    let state = &app.flow;
    let lines = match (&state.survey, &state.failed) {
        (Some(_), _) if state.layout == Layout::Tree => tree_lines(app, area),
        (Some(_), _) => reach_lines(app, area),
        (None, Some(why)) => vec![Line::default(), Line::from(Span::styled(format!("  {why}"), app.theme.style(Role::Trouble)))],
        (None, None) => vec![Line::default(), Line::from(Span::styled("  following the routes …", quiet))],
    };
    frame.render_widget(Paragraph::new(lines), area);
}

fn tree_lines(app: &App, area: Rect) -> Vec<Line<'static>> {
    let (state, theme) = (&app.flow, app.theme);
    let columns = usize::from(area.width);
    let tree = if columns >= 100 { columns * 11 / 20 } else { columns * 3 / 5 };
    let quiet = theme.style(Role::Quiet);
    let folded = if state.is_whole { "  all branches" } else { "" };
    let mut head = pad(vec![Span::styled(format!("route{folded}"), quiet)], tree);
    head.push(Span::styled("  value", quiet));
    let mut lines = vec![Line::from(fit(head, columns))];
    for (index, row) in state.rows.iter().enumerate().skip(state.scroll.offset).take(usize::from(area.height).saturating_sub(1)) {
        let mut line = pad(fit(tree_row(app, row, tree, columns), columns), columns);
        if index == state.scroll.cursor {
            let role = if app.focus == Focus::Main { Role::Cursor } else { Role::Remembered };
            line = overlaid(line, theme.style(role));
        }
        lines.push(Line::from(line));
    }
    lines
}

/// Returns what decided, in the few words that a branch has room for.
pub(crate) fn by_words(by: &By) -> String {
    match by {
        By::Site(site) => {
            let name = site.path.rsplit(|b| *b == b'/').next().unwrap_or(&site.path);
            let name = inert(name);
            // Drop-ins of one name are many: their folder tells which.
            if site.line == 0 { name.into_owned() } else { format!("{name}:{}", site.line) }
        }
        By::Hop(hop) => hop.clone(),
        By::Several => "several lines".to_owned(),
    }
}

fn tree_row(app: &App, row: &FlowRow, tree: usize, columns: usize) -> Vec<Span<'static>> {
    let (state, theme) = (&app.flow, app.theme);
    let quiet = theme.style(Role::Quiet);
    let Some(survey) = &state.survey else { return Vec::new() };
    let Some(branch) = survey.branches().get(row.branch) else { return Vec::new() };
    let mut line = vec![Span::styled(rails(row.rails, tree), theme.style(Role::Border))];
    if row.is_folded {
        line.push(Span::styled("▸ ", theme.style(Role::Key)));
    }
    let (mark, role) = sign(row.mark);
    let by = row.by.as_ref().map(by_words).unwrap_or_default();
    if row.alike.is_empty() {
        let style = if branch.route.is_some() { theme.style(Role::Text) } else { theme.style(Role::Label) };
        line.push(Span::styled(inert(branch.label.as_bytes()).into_owned(), style));
    } else {
        // As many of the names as leave room for what decided.
        let names: Vec<&str> = std::iter::once(&row.branch)
            .chain(&row.alike)
            .filter_map(|at| survey.branches().get(*at))
            .map(|b| b.label.as_str())
            .collect();
        let room = tree.saturating_sub(width(&line) + by.width().min(24) + 12);
        let (mut text, mut told) = (String::new(), 0);
        for name in &names {
            let more =
                if text.is_empty() { inert(name.as_bytes()).into_owned() } else { format!(", {}", inert(name.as_bytes())) };
            if told > 0 && text.width() + more.width() > room.max(10) {
                break;
            }
            text.push_str(&more);
            told += 1;
        }
        line.push(Span::styled(text, theme.style(Role::Text)));
        if told < names.len() {
            line.push(Span::styled(format!(" +{}", names.len() - told), quiet));
        }
    }
    if row.below > 0 {
        line.push(Span::styled(format!(" +{}", row.below), quiet));
    }
    if branch.route.and_then(|at| survey.routes.get(at)).is_some_and(|(_, f)| !f.seen.is_empty()) {
        line.push(Span::styled(" ◉", theme.style(Role::Born)));
    }
    if row.may_end {
        line.push(Span::styled(" ?", theme.style(Role::Trouble)));
    }
    if row.mark != Mark::Same {
        line.push(Span::styled(mark.to_owned(), theme.style(role)));
        if !by.is_empty() {
            line.push(Span::styled(format!(" {by}"), quiet));
        }
    }
    let mut line = fit(line, tree.saturating_sub(3));
    let Some(tint) = row.tint else { return line };
    let (stroke, style) = stroke(tint, theme);
    let rest = tree.saturating_sub(width(&line) + 1);
    line.push(Span::raw(" "));
    line.push(Span::styled(stroke.repeat(rest), style));
    line.push(Span::styled(format!(" {tint:<2}"), theme.tint(tint)));
    let room = columns.saturating_sub(tree + 4);
    let value = match (row.ends, tint) {
        (Some(why), _) => vec![Span::styled(format!("never started: {why}"), theme.style(Role::Trouble))],
        (None, Tint::Value(at)) => match (state.tinted.as_ref(), state.tints.values().get(at as usize)) {
            (Some(_), Some(value)) if value.as_bytes().is_empty() => vec![Span::styled("(empty)", quiet)],
            (Some(name), Some(value)) => shown(app, name.as_bytes(), value.as_bytes(), SEEN),
            _ => Vec::new(),
        },
        (None, Tint::PerRun) => vec![Span::styled("made anew at each start", quiet)],
        (None, Tint::Unknown) if row.branch == 0 => vec![Span::styled("not known here", quiet)],
        (None, Tint::Unknown) => vec![Span::styled(
            state.tinted.as_ref().and_then(|n| survey.why_unknown(row, n.as_bytes())).unwrap_or("unknown"),
            quiet,
        )],
        (None, Tint::Absent) => Vec::new(),
    };
    line.extend(fit(value, room));
    line
}

/// How wide a column of routes is.
const COLUMN: usize = 11;

fn reach_lines(app: &App, area: Rect) -> Vec<Line<'static>> {
    let (state, theme) = (&app.flow, app.theme);
    let quiet = theme.style(Role::Quiet);
    let total = usize::from(area.width);
    let fitting = (total.saturating_sub(1) / (COLUMN + 1)).max(1);
    let first = state.column.saturating_sub(fitting - 1).min(state.columns.len().saturating_sub(fitting));
    let seen: Vec<(usize, &Column)> = state.columns.iter().enumerate().skip(first).take(fitting).collect();
    let mut head = vec![Span::styled(if first > 0 { "‹" } else { " " }, theme.style(Role::Key))];
    for (at, column) in &seen {
        let more = column.routes.len() - 1;
        let suffix = if more > 0 { format!(" +{more}") } else { String::new() };
        let label = fit(vec![Span::raw(inert(column.label.as_bytes()).into_owned())], COLUMN.saturating_sub(suffix.len()));
        let text: String = label.iter().map(|s| s.content.as_ref()).collect::<String>() + &suffix;
        let style = if *at == state.column { theme.style(Role::OpenTab) } else { quiet };
        head.push(Span::styled(text.clone(), style));
        head.push(Span::raw(" ".repeat((COLUMN + 1).saturating_sub(text.width()))));
    }
    let hidden = state.columns.len().saturating_sub(first + seen.len());
    let mut head = fit(head, total.saturating_sub(1));
    if hidden > 0 {
        head = pad(head, total.saturating_sub(1));
        head.push(Span::styled("›", theme.style(Role::Key)));
    }
    let mut lines = vec![Line::from(head)];
    let chosen = app.names.chosen();
    for name in app.names.visible().map(|r| &r.name).take(usize::from(area.height).saturating_sub(1)) {
        let Some(row) = state.reach.iter().find(|r| r.name == *name) else { continue };
        let mut line = vec![Span::raw(" ")];
        for (at, column) in &seen {
            let tint = column.routes.first().and_then(|r| row.tints.get(*r)).copied().unwrap_or(Tint::Unknown);
            let (stroke, style) = stroke(tint, theme);
            let is_here = *at == state.column && chosen == Some(name);
            let lead = if is_here { "▐" } else { " " };
            line.push(Span::styled(lead, theme.style(Role::Key)));
            line.push(Span::styled(format!("{tint:<2} "), theme.tint(tint)));
            line.push(Span::styled(stroke.repeat(COLUMN - 5), style));
            line.push(Span::raw("  "));
        }
        let mut line = pad(fit(line, total), total);
        if chosen == Some(name) {
            let role = if app.focus == Focus::Detail { Role::Remembered } else { Role::Cursor };
            line = overlaid(line, theme.style(role));
        }
        lines.push(Line::from(line));
    }
    lines
}
