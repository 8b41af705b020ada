//! What lies over the screens: help, palette, the list of troubles, the run dialog.

use std::sync::Arc;

use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::Frame;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block as Frameline, Clear, Paragraph};
use tui_input::Input;
use vectorum_core::{Block, Changes, Delta, Finding, Name};

use super::act::edit;
use super::app::{App, label};
use super::detail::delta_lines;
use super::export::{ExportDialog, Leaving};
use super::keys::{Action, BINDINGS, Binding, Place};
use super::paint::{fit, overlaid, pad, wrap};
use super::scroll::Scroll;
use super::search::Search;
use super::theme::{Role, Theme};

/// What lies over the screen.
#[derive(Debug)]
pub(crate) enum Overlay {
    Help(Scroll),
    Palette { input: Input, place: Place, found: Vec<Action>, scroll: Scroll },
    Findings { findings: Arc<[Finding]>, scroll: Scroll },
    Run(Box<RunDialog>),
    Export(Box<ExportDialog>),
    Search(Box<Search>),
}

/// What a key in an overlay leads to.
pub(crate) enum Reply {
    Stay,
    Close,
    Do(Action),
    GoTo(Finding),
    /// Show a name on a route.
    GoToRoute(Name, usize),
    Run {
        command: Vec<Vec<u8>>,
        block: Block,
        is_traced: bool,
    },
    Export(Leaving),
}

/// A command to be run under a changed block, as it is typed.
#[derive(Debug)]
pub(crate) struct RunDialog {
    label: String,
    base: Block,
    input: Input,
    parsed: Result<(Changes, Vec<Vec<u8>>), String>,
    is_traced: bool,
}

impl RunDialog {
    /// Begins with the shell of this program's own block as the command.
    pub(crate) fn new(label: String, base: Block, own: &Block, is_traced: bool) -> RunDialog {
        let shell = own.get(b"SHELL").and_then(|s| std::str::from_utf8(s).ok()).filter(|s| !s.is_empty()).unwrap_or("/bin/sh");
        // What runs away from the terminal wants a command of its own.
        let mut input = Input::new(if is_traced { format!(" -- {shell} -c ''") } else { format!(" -- {shell}") });
        use tui_input::InputRequest::{GoToEnd, GoToPrevChar, GoToStart};
        let places = if is_traced { &[GoToEnd, GoToPrevChar][..] } else { &[GoToStart] };
        for place in places {
            input.handle(*place);
        }
        let mut dialog = RunDialog { label, base, input, parsed: Err(String::new()), is_traced };
        dialog.parse();
        dialog
    }

    fn parse(&mut self) {
        self.parsed = crate::cli::parse_changes(self.input.value());
    }

    fn reply(&self) -> Reply {
        match &self.parsed {
            Ok((changes, command)) if !command.is_empty() => {
                Reply::Run { command: command.clone(), block: changes.apply(&self.base), is_traced: self.is_traced }
            }
            _ => Reply::Stay,
        }
    }
}

impl Overlay {
    pub(crate) fn help() -> Overlay {
        Overlay::Help(Scroll::default())
    }

    pub(crate) fn palette(place: Place) -> Overlay {
        let mut overlay = Overlay::Palette { input: Input::default(), place, found: Vec::new(), scroll: Scroll::default() };
        overlay.changed();
        overlay
    }

    pub(crate) fn findings(findings: Arc<[Finding]>) -> Overlay {
        let scroll = Scroll { count: findings.len(), ..Scroll::default() };
        Overlay::Findings { findings, scroll }
    }

    /// Gives the line of input, where there is one.
    pub(crate) fn input(&mut self) -> Option<&mut Input> {
        match self {
            Overlay::Palette { input, .. } => Some(input),
            Overlay::Run(dialog) => Some(&mut dialog.input),
            Overlay::Export(dialog) => Some(dialog.input()),
            Overlay::Search(search) => Some(&mut search.input),
            _ => None,
        }
    }

    /// Brings up to date what follows from the input.
    pub(crate) fn changed(&mut self) {
        match self {
            Overlay::Palette { input, place, found, scroll } => {
                *found = find_actions(input.value(), *place);
                scroll.count = found.len();
                scroll.go_to(0);
            }
            Overlay::Run(dialog) => dialog.parse(),
            Overlay::Export(dialog) => dialog.make(),
            Overlay::Search(search) => search.find(),
            _ => {}
        }
    }

    fn scroll(&mut self) -> Option<&mut Scroll> {
        match self {
            Overlay::Help(scroll) | Overlay::Palette { scroll, .. } | Overlay::Findings { scroll, .. } => Some(scroll),
            Overlay::Search(search) => Some(&mut search.scroll),
            Overlay::Run(_) | Overlay::Export(_) => None,
        }
    }

    /// Moves the window.
    pub(crate) fn roll(&mut self, rows: isize) {
        if let Overlay::Export(dialog) = self {
            dialog.roll(rows);
        }
        if let Some(scroll) = self.scroll() {
            scroll.roll(rows);
        }
    }

    /// Takes the size of the screen.
    pub(crate) fn settle(&mut self, size: (u16, u16)) {
        let area = self.area(Rect::new(0, 0, size.0, size.1));
        let inner = usize::from(area.height.saturating_sub(2));
        match self {
            Overlay::Help(scroll) => {
                scroll.count = help_lines(Theme::None, usize::from(area.width.saturating_sub(4))).len();
                scroll.resize(inner);
            }
            Overlay::Palette { scroll, .. } => scroll.resize(inner.saturating_sub(1)),
            // Each finding takes two lines.
            Overlay::Findings { scroll, .. } => scroll.resize((inner / 2).max(1)),
            Overlay::Run(_) => {}
            Overlay::Search(search) => search.scroll.resize((inner.saturating_sub(2) / 2).max(1)),
            Overlay::Export(dialog) => dialog.settle(usize::from(area.width.saturating_sub(2)), inner),
        }
    }

    fn area(&self, screen: Rect) -> Rect {
        let (width, height) = match self {
            Overlay::Help(_) => (100, 60),
            Overlay::Palette { .. } => (90, 24),
            Overlay::Findings { findings, .. } => (110, 3 + 2 * u16::try_from(findings.len().max(1)).unwrap_or(30)),
            Overlay::Run(_) => (110, 20),
            Overlay::Search(_) => (110, 30),
            Overlay::Export(_) => (160, 60),
        };
        let (width, height) = (width.min(screen.width.saturating_sub(2)), height.min(screen.height.saturating_sub(2)));
        Rect::new((screen.width - width) / 2, (screen.height - height) / 3, width, height)
    }

    /// Takes a key.
    pub(crate) fn key(&mut self, key: KeyEvent, app: &App) -> Reply {
        if key.code == KeyCode::Esc || (key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL)) {
            return Reply::Close;
        }
        if let Overlay::Export(dialog) = self {
            return dialog.key(key).map_or(Reply::Stay, Reply::Export);
        }
        let typing = self.input().is_some();
        if let (Some(input), false) = (self.input(), matches!(key.code, KeyCode::Enter | KeyCode::Up | KeyCode::Down)) {
            if edit(input, key) {
                self.changed();
            }
            return Reply::Stay;
        }
        match (&*self, key.code) {
            (Overlay::Palette { found, scroll, .. }, KeyCode::Enter) => {
                return found.get(scroll.cursor).map_or(Reply::Close, |a| Reply::Do(*a));
            }
            (Overlay::Findings { findings, scroll }, KeyCode::Enter) => {
                return findings.get(scroll.cursor).map_or(Reply::Close, |f| Reply::GoTo(f.clone()));
            }
            (Overlay::Run(dialog), KeyCode::Enter) => return dialog.reply(),
            (Overlay::Search(search), KeyCode::Enter) => return search.reply(),
            (Overlay::Help(_), KeyCode::Enter | KeyCode::Char('q' | '?'))
            | (Overlay::Findings { .. }, KeyCode::Char('q' | 't')) => return Reply::Close,
            _ => {}
        }
        let is_help = matches!(self, Overlay::Help(_));
        let Some(scroll) = self.scroll() else { return Reply::Stay };
        let step = match Action::of_key(&key, app.place()) {
            Some(Action::Up) => -1,
            Some(Action::Down) => 1,
            Some(Action::PageUp) => -scroll.page(),
            Some(Action::PageDown) => scroll.page(),
            Some(Action::Top) if !typing => isize::MIN / 2,
            Some(Action::Bottom) if !typing => isize::MAX / 2,
            _ => 0,
        };
        if is_help {
            scroll.roll(step.clamp(-10_000, 10_000));
        } else {
            scroll.by(step);
        }
        Reply::Stay
    }

    /// Draws the overlay.
    pub(crate) fn draw(&self, app: &App, frame: &mut Frame<'_>) {
        let theme = app.theme;
        let area = self.area(frame.area());
        let title = match self {
            Overlay::Help(_) => " help · Esc closes ",
            Overlay::Palette { .. } => " all actions · type to find, Enter runs, Esc closes ",
            Overlay::Findings { .. } => " what looks wrong · Enter goes there, Esc closes ",
            Overlay::Run(dialog) if dialog.is_traced => " trace a command · Enter starts it, Esc closes ",
            Overlay::Export(_) => " export · ↑ ↓ form, Tab field, PgUp PgDn scroll, Enter writes, Esc closes ",
            Overlay::Run(_) => " run a command · Enter runs, Esc closes ",
            Overlay::Search(search) => search.title(),
        };
        let frameline =
            Frameline::bordered().border_style(theme.style(Role::Quiet)).title(Span::styled(title, theme.style(Role::Title)));
        let inner = frameline.inner(area);
        let columns = usize::from(inner.width);
        let lines = match self {
            Overlay::Help(scroll) => help_lines(theme, columns.saturating_sub(2)).into_iter().skip(scroll.offset).collect(),
            Overlay::Palette { input, found, scroll, .. } => palette_lines(input, found, scroll, theme, columns),
            Overlay::Findings { findings, scroll } => finding_lines(app, findings, scroll, columns),
            Overlay::Run(dialog) => run_lines(app, dialog, columns),
            Overlay::Export(dialog) => dialog.lines(app, columns),
            Overlay::Search(search) => search.lines(app, columns),
        };
        frame.render_widget(Clear, area);
        frame.render_widget(frameline, area);
        frame.render_widget(Paragraph::new(lines), inner);
    }
}

fn find_actions(text: &str, place: Place) -> Vec<Action> {
    // An action of the other screen would do nothing here.
    let here = BINDINGS.iter().filter(|b| b.place == Place::Everywhere || b.place == place);
    if text.trim().is_empty() {
        return here.map(|b| b.action).collect();
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::parse(text, CaseMatching::Ignore, Normalization::Smart);
    let mut buffer = Vec::new();
    let mut score = |b: &Binding| pattern.score(Utf32Str::new(&format!("{} {}", b.short, b.words), &mut buffer), &mut matcher);
    let mut found: Vec<(u32, Action)> = here.filter_map(|b| Some((score(b)?, b.action))).collect();
    found.sort_by_key(|(score, _)| std::cmp::Reverse(*score));
    found.into_iter().map(|(_, action)| action).collect()
}

/// Returns a line of input with its cursor.
pub(super) fn input_line(sign: &'static str, input: &Input, columns: usize, theme: Theme) -> Line<'static> {
    let room = columns.saturating_sub(4);
    let start = input.visual_scroll(room);
    let before: String = input.value().chars().take(input.cursor()).collect();
    let at: String = input.value().chars().skip(input.cursor()).take(1).collect();
    let after: String = input.value().chars().skip(input.cursor() + 1).collect();
    let before: String = before.chars().skip(start).collect();
    let cursor = ratatui::style::Style::new().add_modifier(ratatui::style::Modifier::REVERSED);
    let line = vec![
        Span::styled(sign, theme.style(Role::Key)),
        Span::raw(before),
        Span::styled(if at.is_empty() { " ".to_owned() } else { at }, cursor),
        Span::raw(after),
    ];
    Line::from(fit(line, columns))
}

fn palette_lines(input: &Input, found: &[Action], scroll: &Scroll, theme: Theme, columns: usize) -> Vec<Line<'static>> {
    let mut lines = vec![input_line(" : ", input, columns, theme)];
    for (index, action) in found.iter().enumerate().skip(scroll.offset).take(scroll.height) {
        let Some(binding) = action.binding() else { continue };
        let mut line = pad(vec![Span::styled(format!(" {}", binding.key_names()), theme.style(Role::Key))], 16);
        line.push(Span::raw(binding.words));
        let mut line = pad(fit(line, columns), columns);
        if index == scroll.cursor {
            line = overlaid(line, theme.style(Role::Cursor));
        }
        lines.push(Line::from(line));
    }
    if found.is_empty() {
        lines.push(Line::from(Span::styled(" no action matches", theme.style(Role::Quiet))));
    }
    lines
}

fn finding_lines(app: &App, findings: &[Finding], scroll: &Scroll, columns: usize) -> Vec<Line<'static>> {
    let theme = app.theme;
    let mut lines = Vec::new();
    for (index, finding) in findings.iter().enumerate().skip(scroll.offset).take(scroll.height) {
        let role = if finding.trouble.is_grave() { Role::Trouble } else { Role::Label };
        let who = app.world.get(finding.pid).map(label).unwrap_or_default();
        let first = vec![
            Span::styled(if index == scroll.cursor { "▌" } else { " " }, theme.style(Role::Key)),
            Span::styled(format!("{} ", finding.name), theme.style(role)),
            Span::raw(finding.trouble.words()),
        ];
        let second = vec![Span::styled(format!("   at {who}: {}", finding.trouble.way_out()), theme.style(Role::Quiet))];
        for line in [first, second] {
            let mut line = pad(fit(line, columns), columns);
            if index == scroll.cursor {
                line = overlaid(line, theme.style(Role::Cursor));
            }
            lines.push(Line::from(line));
        }
    }
    if findings.is_empty() {
        lines.push(Line::from(Span::styled(" nothing among the processes that can be read", theme.style(Role::Quiet))));
    }
    lines
}

fn run_lines(app: &App, dialog: &RunDialog, columns: usize) -> Vec<Line<'static>> {
    let theme = app.theme;
    let quiet = |text: String| Line::from(Span::styled(text, theme.style(Role::Quiet)));
    let what = if dialog.is_traced {
        " It reads nothing, and what it prints goes to a file; what every program below it receives arrives here,"
    } else {
        " It has the whole terminal,"
    };
    let mut lines = wrap(vec![Span::styled(what, theme.style(Role::Quiet))], columns.saturating_sub(1), 1);
    lines.extend([
        quiet(format!(" under the block that {} received, with these changes:", dialog.label)),
        input_line(" > ", &dialog.input, columns, theme),
    ]);
    let words = " NAME=VALUE  --unset NAME  --first PATH=ITEM  --last PATH=ITEM  --empty  --keep GLOB  -- COMMAND";
    lines.extend(wrap(vec![Span::styled(words, theme.style(Role::Quiet))], columns.saturating_sub(1), 1));
    lines.push(Line::default());
    match &dialog.parsed {
        Err(why) => lines.push(Line::from(Span::styled(format!(" ! {why}"), theme.style(Role::Trouble)))),
        Ok((changes, command)) => {
            let after = changes.apply(&dialog.base);
            let delta = Delta::between(&dialog.base, &after);
            if delta.is_empty() {
                lines.push(quiet(" nothing is changed in the block".to_owned()));
            }
            for line in delta_lines(app, &delta, columns.saturating_sub(2)) {
                lines.extend(wrap(line, columns.saturating_sub(2), 3).into_iter().map(|mut l| {
                    l.spans.insert(0, Span::raw(" "));
                    l
                }));
            }
            let size = after.size(&app.limits);
            if !size.fits(&app.limits) {
                lines
                    .push(Line::from(Span::styled(" ! the block is larger than the kernel accepts", theme.style(Role::Trouble))));
            }
            if command.is_empty() {
                lines.push(Line::from(Span::styled(" ! no command yet: it goes behind «--»", theme.style(Role::Trouble))));
            }
        }
    }
    lines
}

/// What the signs on the screen mean.
const LEGEND: &[(&str, &str)] = &[
    ("A B C …", "the chosen name's values: equal letters mean equal values, wherever they are"),
    ("– ~ ▒", "the name is not set; set, to something made anew at each start; it cannot be told"),
    ("━━ ┄┄ ╌╌", "the name is set; not set; not known"),
    (
        "+ ± ×",
        "born here, changed here, dropped here, seen from the parent or the branch above; in Compare: only right, different, only left",
    ),
    ("▸ 12 · +4", "in Flow: branches that agree, told as one; so many more are folded away below"),
    ("▶ 12│", "in a trail: the line of the file that decides"),
    ("● ○ ◉", "in a trail: the line that decides, one before it, what only a probe saw"),
    ("≡ * !", "a list, looks secret, something is wrong with a value"),
    ("≠3", "three different values are about"),
    ("••••••#1f9c3a", "a masked secret; equal digits mean equal secrets, until the program ends"),
    ("‹ESC› ‹xFF›", "a control character, a byte that is not UTF-8: spelt out and harmless"),
    ("[name]", "a thread of the kernel"),
    ("name ✗ exit 2", "in a recording: how its process failed"),
    ("┈┈━━╸┈", "in a recording: when the program ran, from the beginning to the end of the recording"),
    (
        "name ?",
        "in a recording: what the call asked for; nobody saw whether it arrived; in Flow: a startup file may end the shell before",
    ),
];

fn help_lines(theme: Theme, columns: usize) -> Vec<Line<'static>> {
    let mut lines = Vec::new();
    for (text, role) in [
        ("A process gets its environment block once, when it is started, from whoever started it.", Role::Title),
        ("Pick a name on the left: every route and process is painted by the value that it gets.", Role::Text),
        ("", Role::Text),
        ("Signs", Role::Title),
    ] {
        lines.extend(wrap(vec![Span::styled(format!(" {text}"), theme.style(role))], columns, 1));
    }
    let mut row = |left: String, right: &str, role: Role| {
        let mut line = pad(vec![Span::styled(format!(" {left}"), theme.style(role))], 17);
        line.push(Span::raw(right.to_owned()));
        lines.extend(wrap(line, columns, 17));
    };
    for (sign, meaning) in LEGEND {
        row((*sign).to_owned(), meaning, Role::Label);
    }
    for (title, place) in [
        ("Everywhere", Place::Everywhere),
        ("Flow", Place::Flow),
        ("Processes", Place::Processes),
        ("Compare", Place::Compare),
        ("Files", Place::Files),
    ] {
        row(String::new(), "", Role::Text);
        row(title.to_owned(), "", Role::Title);
        for binding in BINDINGS.iter().filter(|b| b.place == place) {
            row(binding.key_names(), binding.words, Role::Key);
        }
    }
    lines
}
