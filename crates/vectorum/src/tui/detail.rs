//! The details of the chosen process: the chosen name's value explained, what changed, the whole
//! block, what it has now.

use ratatui::text::{Line, Span};
use vectorum_core::{Delta, Difference, ListDelta, Name, Process, Size, Tint, World, inert, masked_entry, masked_start};

use super::app::App;
use super::compare::list_lines;
use super::paint::{fit, set_in, spans, width};
use super::processes::{Now, View};
use super::theme::{Role, Theme};

/// How many bytes of a value a line can show.
pub(crate) const SEEN: usize = 1024;

/// How many bytes of a value the pane of details shows, where it is not explained.
const MUCH: usize = 16 * 1024;

/// Returns the beginning of a value, masked and inert.
pub(crate) fn shown(app: &App, name: &[u8], value: &[u8], bytes: usize) -> Spans {
    let mut line = spans(&masked_start(name, value, &app.prints, app.reveal, bytes), app.theme);
    if value.len() > bytes {
        line.push(Span::styled(format!(" … {} bytes in all", value.len()), app.theme.style(Role::Quiet)));
    }
    line
}

/// Returns what a process received other than its parent did.
pub(crate) fn delta_from_parent(world: &World, process: &Process) -> Option<Delta> {
    let parent = world.parent(process)?;
    Some(Delta::between(parent.received.block()?, process.received.block()?))
}

/// Returns the lines of the details, to be wrapped to a number of columns.
pub(crate) fn detail(app: &App, columns: usize) -> Vec<Line<'static>> {
    let Some(process) = app.selected() else {
        return vec![Line::from(Span::styled(" no process is chosen", app.theme.style(Role::Quiet)))];
    };
    let lines = match app.processes.view {
        View::Value => value_view(app, process),
        View::Changes => changes_view(app, process, columns),
        View::Block => block_view(app, process),
        View::Now => now_view(app, process),
    };
    set_in(lines, columns)
}

type Spans = Vec<Span<'static>>;

fn note(theme: Theme, text: impl Into<String>) -> Spans {
    vec![Span::styled(text.into(), theme.style(Role::Quiet))]
}

fn why_no_block(app: &App, process: &Process) -> Option<Spans> {
    Some(vec![Span::styled(process.received.why_not()?, app.theme.style(Role::Trouble))])
}

fn value_view(app: &App, process: &Process) -> Vec<Spans> {
    let theme = app.theme;
    let Some(name) = app.names.chosen() else { return vec![note(theme, "no name is chosen")] };
    if let Some(why) = why_no_block(app, process) {
        return vec![why];
    }
    let Some(block) = process.received.block() else { return Vec::new() };
    let parent = app.world.parent(process);
    let before = parent.and_then(|p| p.received.block()).map(|b| b.get(name.as_bytes()));
    let parent_name = parent.map(|p| format!("{} ({})", inert(&p.program), p.id.pid)).unwrap_or_default();
    let here = block.get(name.as_bytes());
    let letter = |value: &[u8]| app.processes.tint_of(value).map(|t| Span::styled(format!("{t}"), theme.tint(t)));
    let mut story: Spans = Vec::new();
    story.extend(here.and_then(letter));
    let text = match (before, here) {
        (None, Some(_)) if parent.is_some() => format!("  received; what its parent {parent_name} received cannot be told"),
        (None, Some(_)) => "  received".to_owned(),
        (None, None) => "not received".to_owned(),
        (Some(None), Some(_)) => format!("  born here: its parent {parent_name} did not receive it"),
        (Some(Some(old)), None) => {
            story.push(Span::styled("×", theme.style(Role::Dropped)));
            let had = letter(old).map(|s| s.content.into_owned()).unwrap_or_default();
            format!("  dropped here: its parent {parent_name} received {had}")
        }
        (Some(None), None) => format!("not received, by its parent {parent_name} neither"),
        (Some(Some(old)), Some(new)) if old == new => format!("  received as its parent {parent_name} did"),
        (Some(Some(old)), Some(_)) => {
            let had = letter(old).map_or("another value".to_owned(), |s| s.content.into_owned());
            format!("  changed here: its parent {parent_name} received {had}")
        }
    };
    story.extend(note(theme, text));
    let mut lines = vec![story];
    lines.extend(app.recorded.as_ref().and_then(|r| r.row(process.id.pid)).map(|row| note(theme, row.words())));
    for finding in app.findings.iter().filter(|f| f.pid == process.id.pid && f.name == *name) {
        lines.push(vec![Span::styled(
            format!("! {}; {}", finding.trouble.words(), finding.trouble.way_out()),
            theme.style(Role::Trouble),
        )]);
    }
    if let Some(value) = here {
        lines.extend(explained(app, name, value, before.flatten()));
    }
    lines.push(Vec::new());
    lines.extend(legend(app, name, here));
    lines
}

/// Returns what a value means, and how it differs from the parent's.
fn explained(app: &App, name: &Name, value: &[u8], before: Option<&[u8]>) -> Vec<Spans> {
    let theme = app.theme;
    let mut lines: Vec<Spans> = Vec::new();
    match app.gloss_of(name, value) {
        Some(gloss) => lines.extend(gloss.lines.iter().map(|l| spans(l, theme))),
        None => lines.push(shown(app, name.as_bytes(), value, MUCH)),
    }
    if let Some(old) = before.filter(|old| *old != value) {
        lines.push(Vec::new());
        match ListDelta::between(name.as_bytes(), old, value) {
            Some(list) => {
                lines.push(note(theme, "against its parent's, item by item:"));
                lines.extend(list_lines(name.as_bytes(), &list, app));
            }
            None => {
                let mut line = note(theme, "its parent's: ");
                line.extend(shown(app, name.as_bytes(), old, MUCH));
                lines.push(line);
            }
        }
    }
    lines
}

/// Returns the letters of all values that the shown processes have.
fn legend(app: &App, name: &Name, here: Option<&[u8]>) -> Vec<Spans> {
    const MOST: usize = 26;
    let theme = app.theme;
    let values = app.processes.tints().values();
    let mut lines = Vec::new();
    for (index, (value, count)) in
        values.iter().zip(app.processes.carriers()).enumerate().filter(|(_, (_, count))| **count > 0).take(MOST)
    {
        let tint = Tint::Value(u32::try_from(index).unwrap_or(u32::MAX));
        let lead = if here == Some(value.as_bytes()) { "▸" } else { " " };
        let mut line = vec![Span::styled(lead, theme.style(Role::Key)), Span::styled(format!("{tint:<3}"), theme.tint(tint))];
        line.extend(note(theme, format!("{count:>4} process{:<2}  ", if *count == 1 { "" } else { "es" })));
        if value.as_bytes().is_empty() {
            line.extend(note(theme, "(empty)"));
        } else {
            line.extend(fit(
                shown(app, name.as_bytes(), value.as_bytes(), SEEN),
                usize::from(app.areas.detail.width).saturating_sub(24),
            ));
        }
        lines.push(line);
    }
    if lines.is_empty() {
        lines.push(note(theme, "no shown process has it"));
    }
    if values.len() > MOST {
        lines.push(note(theme, format!("and {} more values", values.len() - MOST)));
    }
    let mut line = vec![Span::raw(" "), Span::styled(format!("{:<3}", Tint::Absent), theme.tint(Tint::Absent))];
    line.extend(note(theme, format!("{:>4} without it", app.processes.lacking)));
    lines.push(line);
    lines
}

fn changes_view(app: &App, process: &Process, columns: usize) -> Vec<Spans> {
    let theme = app.theme;
    if let Some(why) = why_no_block(app, process) {
        return vec![why];
    }
    let Some(parent) = app.world.parent(process) else { return vec![note(theme, "its parent is not known")] };
    let parent_name = format!("{} ({})", inert(&parent.program), parent.id.pid);
    let Some(delta) = delta_from_parent(&app.world, process) else {
        return vec![note(
            theme,
            format!("what its parent {parent_name} received cannot be told: {}", parent.received.why_not().unwrap_or_default()),
        )];
    };
    if delta.is_empty() {
        return vec![note(theme, format!("the same block as its parent {parent_name} received"))];
    }
    let mut lines = vec![note(theme, format!("against what its parent {parent_name} received:"))];
    lines.extend(delta_lines(app, &delta, columns));
    lines
}

/// Returns a line for each difference.
pub(crate) fn delta_lines(app: &App, delta: &Delta, columns: usize) -> Vec<Spans> {
    let theme = app.theme;
    let mut lines = Vec::new();
    for (name, difference) in delta.names.iter().take(MANY) {
        let (sign, role) = match difference {
            Difference::Born(_) => ("+ ", Role::Born),
            Difference::Changed { .. } => ("± ", Role::Changed),
            Difference::Dropped(_) => ("× ", Role::Dropped),
        };
        let shown = |value: &vectorum_core::Value| shown(app, name.as_bytes(), value.as_bytes(), SEEN);
        let mut line = vec![
            Span::styled(sign, theme.style(role)),
            Span::styled(name.to_string(), theme.style(Role::Label)),
            Span::raw("  "),
        ];
        match difference {
            Difference::Born(value) | Difference::Dropped(value) => line.extend(shown(value)),
            Difference::Changed { before, after } => {
                let half = columns.saturating_sub(width(&line) + 6) / 2;
                line.extend(fit(shown(before), half));
                line.push(Span::styled(" → ", theme.style(Role::Changed)));
                line.extend(fit(shown(after), half));
            }
        }
        lines.push(line);
    }
    lines.extend(and_more(theme, delta.names.len()));
    for (entries, sign, role) in [(&delta.hidden_before, "× ", Role::Dropped), (&delta.hidden_after, "+ ", Role::Born)] {
        for entry in entries.iter().take(MANY) {
            let mut line = vec![Span::styled(sign, theme.style(role))];
            line.extend(spans(&masked_entry(entry, &app.prints, app.reveal, SEEN), theme));
            line.extend(note(theme, "  an entry that no name leads to"));
            lines.push(line);
        }
    }
    lines
}

fn block_lines(app: &App, block: &vectorum_core::Block) -> Vec<Spans> {
    let theme = app.theme;
    let chosen = app.names.chosen();
    let line = |entry: vectorum_core::Entry<'_>| -> Spans {
        match (entry.name(), entry.value()) {
            (Some(name), Some(value)) => {
                let at = chosen.is_some_and(|c| c.as_bytes() == name);
                let mut line = vec![Span::styled(if at { "▸ " } else { "  " }, theme.style(Role::Key))];
                line.push(Span::styled(inert(name).into_owned(), theme.style(Role::Label)));
                line.push(Span::raw("="));
                line.extend(shown(app, name, value, SEEN));
                line
            }
            _ => {
                let mut line = vec![Span::raw("  ")];
                line.extend(shown(app, b"", entry.raw(), SEEN));
                line.extend(note(theme, "  an entry that no name leads to"));
                line
            }
        }
    };
    let mut lines: Vec<Spans> = block.entries().take(MANY).map(line).collect();
    lines.extend(and_more(theme, block.len()));
    lines
}

/// How many names a view lists.
const MANY: usize = 2000;

/// Returns a line that tells of what is not listed.
fn and_more(theme: Theme, count: usize) -> Option<Spans> {
    (count > MANY).then(|| note(theme, format!("and {} more; vectorum show --pid and vectorum compare list all", count - MANY)))
}

fn block_view(app: &App, process: &Process) -> Vec<Spans> {
    if let Some(why) = why_no_block(app, process) {
        return vec![why];
    }
    let Some(block) = process.received.block() else { return Vec::new() };
    let Size { total, .. } = block.size(&app.limits);
    let size = format!(
        "{} entries, {total} bytes with their pointers, {} % of what the kernel accepts",
        block.len(),
        block.size(&app.limits).percent(&app.limits)
    );
    let mut lines = vec![note(app.theme, size)];
    lines.extend(block_lines(app, block));
    lines
}

fn now_view(app: &App, process: &Process) -> Vec<Spans> {
    let theme = app.theme;
    match app.processes.now.get(&process.id.pid) {
        None | Some(Now::Reading) => vec![note(theme, "reading …")],
        Some(Now::Failed(why)) => vec![vec![Span::styled(why.clone(), theme.style(Role::Trouble))]],
        Some(Now::Block(block, keeper)) => {
            let mut lines = Vec::new();
            if let Some(keeper) = keeper {
                lines.push(vec![Span::styled(format!("! {}", keeper.words()), theme.style(Role::Trouble))]);
            }
            match process.received.block().map(|received| Delta::between(received, block)) {
                Some(delta) if delta.is_empty() => lines.push(note(theme, "the same as it received at its start")),
                Some(delta) => {
                    lines.push(note(theme, "changed since it was started:"));
                    lines.extend(delta_lines(app, &delta, usize::from(app.areas.detail.width)));
                }
                None => {
                    lines.push(note(theme, "what it received is not known; this is what it has:"));
                    lines.extend(block_lines(app, block));
                }
            }
            lines
        }
    }
}
