//! The frame around the screens: where everything stands, header, footer, pane of details.

use ratatui::Frame;
use ratatui::layout::{Position, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;
use vectorum_core::masked_arguments;

use super::app::{App, Focus, Screen, label};
use super::flow::Layout;
use super::keys::{Action, BINDINGS, Place};
use super::paint::{fit, pad, spans, width};
use super::processes::View;
use super::theme::Role;
use super::{compare, files, flow, processes};

/// What a click on a place does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Hit {
    Action(Action),
    View(View),
}

/// Where everything stands.
#[derive(Clone, Debug, Default)]
pub(crate) struct Areas {
    header: Rect,
    pub(crate) names: Rect,
    rule: Rect,
    pub(crate) main: Rect,
    detail_head: Rect,
    pub(crate) detail: Rect,
    footer: Rect,
    hits: Vec<(Rect, Hit)>,
}

/// Narrower than this, the names and the rest take turns.
const NARROW: u16 = 60;

impl Areas {
    /// Divides the screen.
    pub(crate) fn arrange(app: &App, screen: Rect) -> Areas {
        let (width, height) = (screen.width, screen.height);
        let line = |y: u16| Rect::new(0, y.min(height), width, u16::from(y < height));
        let body = height.saturating_sub(2);
        let detail_height = match body {
            0..10 => 0,
            10..18 => 4,
            18..26 => 7,
            // In a comparison the items of the chosen list are the larger part.
            _ if !matches!(app.screen, Screen::Processes | Screen::Flow) => (body / 2).min(40),
            _ => (body * 3 / 8).min(26),
        };
        let head_height = u16::from(detail_height > 0);
        let top = body - detail_height - head_height;
        let is_narrow = width < NARROW;
        let names_shown = !app.names_folded && (!is_narrow || app.focus == Focus::Names);
        let names_width = match (names_shown, is_narrow) {
            (false, _) => 0,
            (true, true) => width,
            (true, false) => (width / 5).clamp(24, 34),
        };
        let rule_width = u16::from(names_width > 0 && names_width < width);
        let mut areas = Areas {
            header: line(0),
            names: Rect::new(0, 1.min(height), names_width, top),
            rule: Rect::new(names_width, 1.min(height), rule_width, top),
            main: Rect::new(names_width + rule_width, 1.min(height), width - names_width - rule_width, top),
            detail_head: Rect::new(0, 1 + top, width, head_height),
            detail: Rect::new(0, 1 + top + head_height, width, detail_height),
            footer: line(height.saturating_sub(1)),
            hits: Vec::new(),
        };
        for (bar, area) in
            [(header(app, width), areas.header), (footer(app, width), areas.footer), (detail_head(app, width), areas.detail_head)]
        {
            let mut x = area.x;
            for (span, hit) in bar {
                let columns = u16::try_from(span.content.width()).unwrap_or(u16::MAX);
                let place = Rect::new(x, area.y, columns, area.height);
                areas.hits.extend(hit.map(|h| (place, h)));
                x = x.saturating_add(columns);
            }
        }
        areas
    }

    /// Returns what a click on a place does.
    pub(crate) fn hit(&self, at: Position) -> Option<Hit> {
        self.hits.iter().find(|(area, _)| area.contains(at)).map(|(_, hit)| *hit)
    }
}

/// A line whose parts can be clicked.
type Bar = Vec<(Span<'static>, Option<Hit>)>;

fn line_of(bar: Bar, columns: u16) -> Line<'static> {
    Line::from(fit(bar.into_iter().map(|(span, _)| span).collect(), usize::from(columns)))
}

fn header(app: &App, columns: u16) -> Bar {
    let theme = app.theme;
    let quiet = theme.style(Role::Quiet);
    let mut bar: Bar = vec![(Span::styled(format!(" {} · {} ", app.host, app.account), theme.style(Role::Title)), None)];
    let is_recording = app.recorded.is_some();
    let shows = |screen, recording| app.screen == screen && (screen != Screen::Processes || is_recording == recording);
    let has = |recording| is_recording == recording || app.aside.is_some() || (recording && app.shipped.is_some());
    for (title, is_open, action, is_there) in [
        (" 1 Flow ", shows(Screen::Flow, false), Action::ShowFlow, app.flow.is_there() || app.screen == Screen::Flow),
        (" 2 Processes ", shows(Screen::Processes, false), Action::ShowProcesses, has(false)),
        (" 3 Compare ", shows(Screen::Compare, false), Action::ShowCompare, true),
        (" 4 Recording ", shows(Screen::Processes, true), Action::ShowRecording, has(true)),
        (" 5 Files ", shows(Screen::Files, false), Action::ShowFiles, !app.files.is_empty() || app.screen == Screen::Files),
    ] {
        if is_there {
            // In little room the number says enough of what is not open.
            let title = if columns < 110 && !is_open { title.get(..3).unwrap_or(title) } else { title };
            bar.push((Span::styled(title, if is_open { theme.style(Role::OpenTab) } else { quiet }), Some(Hit::Action(action))));
        }
    }
    let mut right: Vec<Span<'static>> = Vec::new();
    if app.reveal {
        right.push(Span::styled("secrets shown  ", theme.style(Role::Trouble)));
    }
    if let Some(recorded) = &app.recorded {
        let state = match (recorded.is_complete, app.per_second) {
            (true, _) => String::new(),
            (false, Some(rate)) if app.tracing.is_some() => format!(", {rate:.0} a second, running"),
            (false, _) => ", still running".to_owned(),
        };
        let notes = if recorded.notes.is_empty() { String::new() } else { format!(", {} notes", recorded.notes.len()) };
        right.push(Span::styled(format!("{} · {} receipts{state}{notes}  ", recorded.title, recorded.len()), quiet));
    }
    if let Some((done, total)) = app.progress {
        right.push(Span::styled(format!("reading {done}/{total}  "), quiet));
    }
    match (app.screen, app.names.chosen()) {
        (Screen::Flow, Some(name)) => {
            right.push(Span::styled(name.to_string(), theme.style(Role::Title)));
            let (values, lacking) = app.flow.counts();
            let plural = |n: usize, one: &'static str, many: &'static str| if n == 1 { one } else { many };
            right.push(Span::styled(
                format!(
                    " · {values} value{} · {lacking} {} lack{} it ",
                    plural(values, "", "s"),
                    plural(lacking, "route", "routes"),
                    plural(lacking, "s", "")
                ),
                quiet,
            ));
        }
        (Screen::Processes, Some(name)) => {
            right.push(Span::styled(name.to_string(), theme.style(Role::Title)));
            let (values, lacking) = (app.processes.value_count(), app.processes.lacking);
            right.push(Span::styled(
                format!(" · {values} value{} · {lacking} lack it ", if values == 1 { "" } else { "s" }),
                quiet,
            ));
        }
        (Screen::Files, _) => {
            let (all, _) = app.names.counts();
            let parting = app.names.troubled();
            right.push(Span::styled(format!("{all} names · readers part over {parting} "), quiet));
        }
        (Screen::Compare, _) => {
            let (all, _) = app.names.counts();
            let text = if app.compare.right.is_none() {
                String::new()
            } else if app.compare.show_same {
                format!("{all} names ")
            } else {
                if all == 1 { "1 name differs ".to_owned() } else { format!("{all} names differ ") }
            };
            right.push(Span::styled(text, quiet));
        }
        _ => right.push(Span::styled(format!("{} processes ", app.world.len()), quiet)),
    }
    let left: usize = bar.iter().map(|(s, _)| s.content.width()).sum();
    let room = usize::from(columns).saturating_sub(left + 1);
    let right = fit(right, room);
    bar.push((Span::raw(" ".repeat((room + 1).saturating_sub(width(&right)))), None));
    bar.extend(right.into_iter().map(|s| (s, None)));
    bar
}

fn footer(app: &App, columns: u16) -> Bar {
    let theme = app.theme;
    if let Some(notice) = &app.notice {
        return vec![(Span::styled(format!(" {notice}"), theme.style(Role::Trouble)), None)];
    }
    if app.names.is_typing || app.processes.is_typing {
        return vec![(
            Span::styled(" type to find · ↑↓ move · Enter keeps the filter · Esc ends it", theme.style(Role::Quiet)),
            None,
        )];
    }
    let place = app.place();
    let mut shown: Vec<_> =
        BINDINGS.iter().filter(|b| b.footer > 0 && (b.place == Place::Everywhere || b.place == place)).collect();
    shown.sort_by_key(|b| b.footer);
    // Help, the palette and quit always stand there; what else fits, in its order.
    let part = |key: String, short: &str| (format!(" {key}"), format!(" {short} "));
    let parts: Vec<(String, String, Action)> = shown
        .iter()
        .filter(|b| {
            b.action != Action::Down && (b.action != Action::OnlyChanges || !matches!(app.screen, Screen::Files | Screen::Flow))
        })
        .map(|b| {
            let key =
                if b.action == Action::Up { "↑↓".to_owned() } else { b.keys.first().map(|k| k.name()).unwrap_or_default() };
            let short = match b.action {
                Action::Reveal if app.reveal => "mask",
                Action::Layout if app.flow.layout == Layout::Reach => "tree",
                Action::OnlyChanges if app.screen == Screen::Compare => {
                    if app.compare.show_same {
                        "only differences"
                    } else {
                        "all names"
                    }
                }
                _ => b.short,
            };
            let (key, short) = part(key, short);
            (key, short, b.action)
        })
        .collect();
    let always = |a: Action| matches!(a, Action::Help | Action::Palette | Action::Quit);
    let size = |(key, short, _): &(String, String, Action)| key.width() + short.width();
    let mut room = usize::from(columns).saturating_sub(parts.iter().filter(|p| always(p.2)).map(size).sum());
    let mut bar = Bar::new();
    let mut full = false;
    for (key, short, action) in parts {
        let columns = key.width() + short.width();
        if !always(action) {
            full |= columns > room;
            if full {
                continue;
            }
            room -= columns;
        }
        bar.push((Span::styled(key, theme.style(Role::Key)), Some(Hit::Action(action))));
        bar.push((Span::styled(short, theme.style(Role::Quiet)), Some(Hit::Action(action))));
    }
    bar
}

fn detail_head(app: &App, columns: u16) -> Bar {
    let theme = app.theme;
    let border = theme.style(Role::Border);
    let title = match app.screen {
        Screen::Processes => {
            app.selected().map(|p| if p.account.is_empty() { label(p) } else { format!("{} · {}", label(p), p.account) })
        }
        Screen::Flow => Some(app.flow.title()),
        Screen::Compare | Screen::Files => app.names.chosen().map(ToString::to_string),
    };
    let style = theme.style(if app.focus == Focus::Detail { Role::Title } else { Role::Text });
    let focus_mark = if app.focus == Focus::Detail { "▌" } else { "─" };
    let mut bar: Bar =
        vec![(Span::styled(focus_mark, theme.style(if app.focus == Focus::Detail { Role::Key } else { Role::Border })), None)];
    bar.push((Span::styled(format!(" {} ", title.unwrap_or_default()), style), None));
    let used = |bar: &Bar| bar.iter().map(|(s, _)| s.content.width()).sum::<usize>();
    let mut tabs: Bar = Vec::new();
    if app.screen == Screen::Processes {
        for view in View::ALL {
            let style = if view == app.processes.view { theme.style(Role::OpenTab) } else { theme.style(Role::Quiet) };
            tabs.push((Span::styled(format!(" {} ", view.title()), style), Some(Hit::View(view))));
        }
        tabs.push((Span::styled("─", border), None));
    }
    let room = usize::from(columns).saturating_sub(used(&bar) + used(&tabs));
    if let (Screen::Processes, Some(process)) = (app.screen, app.selected()) {
        let arguments = spans(&masked_arguments(&process.arguments(), &app.prints, app.reveal), theme);
        if room > 14 && !arguments.is_empty() {
            let shown = fit(arguments, room - 4);
            bar.push((Span::styled("· ", border), None));
            bar.extend(shown.into_iter().map(|s| (s.style(theme.style(Role::Quiet)), None)));
            bar.push((Span::raw(" "), None));
        }
    }
    let scroll = detail_scroll(app);
    let below = scroll.count.saturating_sub(scroll.offset + scroll.height);
    let more = if below > 0 { format!(" {below} more below ") } else { String::new() };
    let rest = usize::from(columns).saturating_sub(used(&bar) + used(&tabs));
    if rest > more.width() {
        bar.push((Span::styled("─".repeat(rest - more.width()), border), None));
        bar.push((Span::styled(more, theme.style(Role::Quiet)), None));
    } else {
        bar.push((Span::styled("─".repeat(rest), border), None));
    }
    bar.extend(tabs);
    bar
}

fn detail_scroll(app: &App) -> super::scroll::Scroll {
    match app.screen {
        Screen::Flow => app.flow.detail,
        Screen::Processes => app.processes.detail,
        Screen::Compare => app.compare.detail,
        Screen::Files => app.files.detail,
    }
}

/// Draws everything.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>) {
    let (areas, theme) = (&app.areas, app.theme);
    let columns = areas.header.width;
    if columns < 24 || frame.area().height < 6 {
        let text = "the terminal is too small for Vectorum";
        frame.render_widget(Paragraph::new(text), frame.area());
        return;
    }
    frame.render_widget(Paragraph::new(line_of(header(app, columns), columns)), areas.header);
    if areas.names.width > 0 {
        let has_keys = app.focus == Focus::Names || (!app.has_tree() && app.focus == Focus::Main);
        app.names.draw(frame, areas.names, theme, has_keys);
    }
    let rule = vec![Line::from(Span::styled("│", theme.style(Role::Border))); usize::from(areas.rule.height)];
    frame.render_widget(Paragraph::new(rule), areas.rule);
    if areas.main.width > 0 {
        match app.screen {
            Screen::Flow => flow::draw(app, frame, areas.main),
            Screen::Processes => processes::draw(app, frame, areas.main),
            Screen::Compare => compare::draw(app, frame, areas.main),
            Screen::Files => files::draw(app, frame, areas.main),
        }
    }
    if areas.detail.height > 0 {
        frame.render_widget(Paragraph::new(line_of(detail_head(app, columns), columns)), areas.detail_head);
        let scroll = detail_scroll(app);
        let lines: Vec<Line<'_>> =
            app.detail_lines.iter().skip(scroll.offset).take(usize::from(areas.detail.height)).cloned().collect();
        frame.render_widget(Paragraph::new(lines), areas.detail);
    }
    let footer_line = pad(footer(app, columns).into_iter().map(|(s, _)| s).collect(), usize::from(columns));
    frame.render_widget(Paragraph::new(Line::from(fit(footer_line, usize::from(columns)))), areas.footer);
    if let Some(overlay) = &app.overlay {
        overlay.draw(app, frame);
    }
}
