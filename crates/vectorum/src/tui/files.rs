//! The screen Files: an env file's own lines, a column for each reader with the letter of the value
//! that it gets, and why they part.

use std::collections::BTreeMap;
use std::path::PathBuf;

use bytes::Bytes;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use vectorum_core::reader::{Seen, Surroundings, USUAL, Views, detect, layered, reader};
use vectorum_core::{Block, Name, Tint, inert, judge, masked_entry, masked_start};

use super::app::{App, Effect, Focus};
use super::names::NameRow;
use super::paint::{fit, overlaid, pad, set_in, spans};
use super::scroll::Scroll;
use super::theme::Role;

/// A file to be opened.
#[derive(Clone, Debug)]
pub(crate) struct Source {
    /// What it is called on the screen.
    pub(crate) title: String,
    /// Where it lies; `None` for one of the made-up host.
    pub(crate) path: Option<PathBuf>,
    pub(crate) bytes: Vec<u8>,
}

/// A file that is open.
pub(crate) struct OpenFile {
    pub(crate) source: Source,
    views: Views,
    /// By name: the letter for each reader, and how many values there are.
    letters: BTreeMap<Bytes, (Vec<Tint>, usize)>,
    /// Which name each line of the file is about.
    lines: Vec<(Vec<u8>, Option<Bytes>)>,
}

/// The screen's state.
#[derive(Default)]
pub(crate) struct Files {
    open: Vec<OpenFile>,
    at: usize,
    pub(crate) detail: Scroll,
}

impl OpenFile {
    fn new(source: Source, around: &Surroundings) -> OpenFile {
        let likely = detect(source.title.as_bytes(), &source.bytes).0;
        let mut readers = vec![likely];
        readers.extend(USUAL.iter().filter_map(|id| reader(id)).filter(|r| r.id() != likely.id()));
        let views = Views::new(&source.bytes, &readers, around);
        let mut letters = BTreeMap::new();
        for name in views.names() {
            let mut values: Vec<Seen> = Vec::new();
            let letter = |seen: Seen, values: &mut Vec<Seen>| match seen {
                Seen::Value(_) => {
                    let at = values.iter().position(|v| *v == seen).unwrap_or_else(|| {
                        values.push(seen);
                        values.len() - 1
                    });
                    Tint::Value(u32::try_from(at).unwrap_or(u32::MAX))
                }
                Seen::Unknown => Tint::Unknown,
                Seen::Unset | Seen::Absent | Seen::Refused => Tint::Absent,
            };
            let row: Vec<Tint> = (0..readers.len()).map(|at| letter(views.seen(at, &name), &mut values)).collect();
            letters.insert(name, (row, values.len()));
        }
        let mut starts: BTreeMap<usize, Bytes> = BTreeMap::new();
        for entry in views.readings.iter().flat_map(|r| &r.entries) {
            starts.entry(entry.span.start).or_insert_with(|| entry.name.clone());
        }
        let mut lines = Vec::new();
        let mut at = 0;
        for text in source.bytes.split(|b| *b == b'\n') {
            let name = starts.range(at..=at + text.len()).next().map(|(_, name)| name.clone());
            lines.push((text.to_vec(), name));
            at += text.len() + 1;
        }
        // What follows the last line feed is no line.
        if lines.last().is_some_and(|(text, _)| text.is_empty()) {
            lines.pop();
        }
        OpenFile { source, views, letters, lines }
    }
}

impl OpenFile {
    /// Returns what the file's own reader hands on.
    pub(crate) fn block(&self) -> Block {
        let (Some(reader), Some(reading)) = (self.views.readers.first(), self.views.readings.first()) else {
            return Block::empty();
        };
        layered(*reader, reading, &Block::empty())
    }
}

impl Files {
    /// Opens files.
    pub(crate) fn new(sources: Vec<Source>, around: &Surroundings) -> Files {
        let open = sources.into_iter().map(|source| OpenFile::new(source, around)).collect();
        Files { open, at: 0, detail: Scroll::default() }
    }

    /// Returns the file that is shown.
    pub(crate) fn shown(&self) -> Option<&OpenFile> {
        self.open.get(self.at)
    }

    /// Whether any file is open.
    pub(crate) fn is_empty(&self) -> bool {
        self.open.is_empty()
    }

    /// Goes to the next file, or the one before.
    pub(crate) fn next(&mut self, back: bool) {
        let count = self.open.len().max(1);
        self.at = (self.at + if back { count - 1 } else { 1 }) % count;
        self.detail = Scroll::default();
    }

    /// Returns the rows of the names column.
    pub(crate) fn names(&self) -> Vec<NameRow> {
        let Some(file) = self.shown() else { return Vec::new() };
        let row = |(name, (_, values)): (&Bytes, &(Vec<Tint>, usize))| {
            let name = Name::new(name.clone())?;
            let seen = (0..file.views.readers.len()).filter_map(|at| match file.views.seen(at, name.as_bytes()) {
                Seen::Value(value) => Some(value),
                _ => None,
            });
            Some(NameRow {
                values: *values,
                is_list: false,
                is_secret: seen.into_iter().any(|v| judge(name.as_bytes(), &v).is_secret()),
                is_troubled: file.views.part(name.as_bytes()),
                standing: None,
                name,
            })
        };
        file.letters.iter().filter_map(row).collect()
    }

    /// Spells a name so that all readers agree. Returns what is to be written where the file is a
    /// real one.
    pub(crate) fn take_fix(&mut self, name: &Name, around: &Surroundings) -> Result<Option<Effect>, String> {
        let file = self.open.get_mut(self.at).ok_or("no file is open")?;
        if !file.views.part(name.as_bytes()) {
            return Err(format!("the readers agree on {name} already"));
        }
        let line = file.views.agreed(name.as_bytes()).map_err(|why| format!("no spelling suits all: {why}"))?;
        let after = file.views.respelt(&file.source.bytes, &[(Bytes::copy_from_slice(name.as_bytes()), line)]);
        if after == file.source.bytes {
            return Err(format!("{name} is set twice, or over several lines: that is yours to decide"));
        }
        let effect = file.source.path.clone().map(|path| Effect::Replace {
            path,
            before: file.source.bytes.clone(),
            after: after.clone(),
        });
        if effect.is_none() {
            let source = Source { bytes: after, ..file.source.clone() };
            self.put(source, around);
        }
        Ok(effect)
    }

    /// Takes new content of a file in.
    pub(crate) fn put(&mut self, source: Source, around: &Surroundings) {
        if let Some(file) = self.open.iter_mut().find(|f| f.source.title == source.title) {
            *file = OpenFile::new(source, around);
        }
    }
}

/// How wide a reader's column is.
const COLUMN: usize = 7;

/// Returns a reader's name for a narrow column.
fn short(id: &str) -> &str {
    match id {
        "systemd-environment-file" | "systemd-environment" => "systemd",
        "environment-d" => "env.d",
        "pam-env-file" | "pam-env-conf" => "pam",
        "container-env-file" => "docker",
        "podman-env-file" => "podman",
        "node-env-file" => "node",
        "ssh-environment" => "ssh",
        "sudo-env-file" => "sudo",
        "make-include" => "make",
        other => other,
    }
}

/// Draws the file.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>, area: Rect) {
    let theme = app.theme;
    let quiet = theme.style(Role::Quiet);
    let columns = usize::from(area.width);
    let Some(file) = app.files.shown() else {
        let text = ["", "  No file is open.", "  vectorum --file FILE opens one, and more by repeating it."];
        let lines: Vec<Line<'_>> = text.iter().map(|t| Line::from(Span::styled(*t, quiet))).collect();
        frame.render_widget(Paragraph::new(lines), area);
        return;
    };
    let readers = &file.views.readers;
    let fitting = readers.len().min(columns.saturating_sub(30) / (COLUMN + 1)).max(1);
    let text_columns = columns.saturating_sub(6 + fitting * (COLUMN + 1));
    let which = format!("{} ({} of {})", file.source.title, app.files.at + 1, app.files.open.len());
    let mut head =
        pad(fit(vec![Span::styled(format!("     {which}"), theme.style(Role::Title))], text_columns + 5), text_columns + 6);
    for reader in readers.iter().take(fitting) {
        head.extend(pad(fit(vec![Span::styled(short(reader.id()).to_owned(), quiet)], COLUMN), COLUMN + 1));
    }
    let mut lines = vec![Line::from(head)];
    let height = usize::from(area.height).saturating_sub(1);
    let chosen = app.names.chosen();
    let is_chosen = |name: &Option<Bytes>| chosen.is_some_and(|c| name.as_ref().is_some_and(|n| n == c.as_bytes()));
    let cursor = file.lines.iter().position(|(_, name)| is_chosen(name)).unwrap_or(0);
    let offset = (cursor + 1)
        .saturating_sub(height.max(1))
        .max(cursor.saturating_sub(height / 2))
        .min(file.lines.len().saturating_sub(height));
    for (index, (text, name)) in file.lines.iter().enumerate().skip(offset).take(height) {
        let mut line = vec![Span::styled(format!("{:>4} ", index + 1), quiet)];
        let body = match name {
            Some(_) => spans(&masked_entry(text, &app.prints, app.reveal, 1024), theme),
            None => {
                let shown = spans(&masked_start(b"", text, &app.prints, app.reveal, 1024), theme);
                shown.into_iter().map(|s| Span::styled(s.content, quiet)).collect()
            }
        };
        line.extend(pad(fit(body, text_columns), text_columns + 1));
        let letters = name.as_ref().and_then(|n| file.letters.get(n));
        for at in 0..fitting {
            let cell = match letters.and_then(|(row, _)| row.get(at)) {
                Some(tint) => vec![Span::styled(tint.to_string(), theme.tint(*tint))],
                None => Vec::new(),
            };
            line.extend(pad(cell, COLUMN + 1));
        }
        if is_chosen(name) {
            let role = if app.focus == Focus::Detail { Role::Remembered } else { Role::Cursor };
            line = overlaid(pad(line, columns), theme.style(role));
        }
        lines.push(Line::from(line));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

/// Returns the lines about the chosen name.
pub(crate) fn detail(app: &App, columns: usize) -> Vec<Line<'static>> {
    let theme = app.theme;
    let (Some(file), Some(name)) = (app.files.shown(), app.names.chosen()) else { return Vec::new() };
    let quiet = |text: String| Span::styled(text, theme.style(Role::Quiet));
    let Some((row, values)) = file.letters.get(name.as_bytes()) else {
        return vec![Line::from(quiet(format!(" {name} does not stand in this file")))];
    };
    let mut lines: Vec<Vec<Span<'static>>> = Vec::new();
    let parts = file.views.part(name.as_bytes());
    lines.push(vec![if parts {
        Span::styled(format!("its readers part over this: {values} values"), theme.style(Role::Trouble))
    } else {
        quiet("all readers that can tell get the same".to_owned())
    }]);
    for (seen, members) in file.views.groups(name.as_bytes()) {
        let tint = members.first().and_then(|at| row.get(*at)).copied().unwrap_or(Tint::Unknown);
        let mut line = vec![Span::styled(format!("{tint:<3}"), theme.tint(tint))];
        match &seen {
            Seen::Value(value) if value.is_empty() => line.push(quiet("(empty)".to_owned())),
            Seen::Value(value) => line.extend(spans(&masked_start(name.as_bytes(), value, &app.prints, app.reveal, 4096), theme)),
            Seen::Unset => line.push(quiet("removed".to_owned())),
            Seen::Absent => line.push(quiet("not set by this file".to_owned())),
            Seen::Refused => line.push(quiet("the whole file is refused".to_owned())),
            Seen::Unknown => line.push(quiet("cannot be told without running it".to_owned())),
        }
        lines.push(line);
        let who: Vec<&str> = members.iter().filter_map(|at| file.views.readers.get(*at)).map(|r| r.about()).collect();
        lines.push(vec![quiet(format!("   {}", who.join(" · ")))]);
    }
    if parts {
        lines.push(Vec::new());
        lines.push(match file.views.agreed(name.as_bytes()) {
            Ok(spelling) => {
                let mut line = vec![Span::styled("f writes what all of them take: ", theme.style(Role::Label))];
                line.extend(spans(&masked_entry(&spelling, &app.prints, app.reveal, 4096), theme));
                line
            }
            Err(why) => vec![Span::styled(format!("no spelling suits all: {why}"), theme.style(Role::Trouble))],
        });
    }
    for (reader, reading) in file.views.readers.iter().zip(&file.views.readings) {
        let told = reading.open.map(|(at, why)| (at, why, ""));
        for (at, what, way_out) in reading.complaints.iter().map(|c| (c.at, c.what, c.way_out)).chain(told) {
            let number = vectorum_core::reader::place(&file.source.bytes, at).0;
            let about = file.lines.get(number - 1).and_then(|(_, n)| n.as_ref());
            if about.is_none_or(|n| n == name.as_bytes()) {
                let out = if way_out.is_empty() { String::new() } else { format!("; {way_out}") };
                lines.push(vec![quiet(format!("line {number}, {}: {what}{out}", inert(reader.id().as_bytes())))]);
            }
        }
    }
    set_in(lines, columns)
}
