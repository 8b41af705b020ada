//! The export dialog: a block in another form, and exactly the bytes that will leave.

use std::ffi::OsStr;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::PathBuf;

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::text::{Line, Span};
use tui_input::Input;
use unicode_width::UnicodeWidthChar;
use vectorum_core::export::{PreviewLine, format_ids, leaves_secrets_out, preview, write_as};
use vectorum_core::{Block, MASK, Name, Pattern, Segment, Selection, Value, judge, segments};

use super::act::edit;
use super::app::App;
use super::overlay::input_line;
use super::paint::{fit, overlaid, pad};
use super::scroll::Scroll;
use super::theme::{Role, Theme};

/// Which line of input has the keys.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Field {
    Names,
    File,
}

/// A block that is about to leave in another form.
#[derive(Debug)]
pub(crate) struct ExportDialog {
    label: String,
    base: Block,
    home: Vec<u8>,
    field: Field,
    names: Input,
    file: Input,
    formats: Scroll,
    view: Scroll,
    reveal: bool,
    theme: Theme,
    made: Made,
    /// The lines as they are shown in a width, long ones broken.
    rows: Vec<Line<'static>>,
    /// The width that they are for; 0 if they are old.
    rows_for: usize,
}

/// What follows from the input.
#[derive(Debug, Default)]
struct Made {
    pairs: Vec<(Name, Value)>,
    lines: Vec<PreviewLine>,
    bytes: Vec<u8>,
    secrets: usize,
    trouble: Option<String>,
}

/// What leaves.
#[derive(Debug)]
pub(crate) struct Leaving {
    /// Where it goes; `None` for the terminal's clipboard.
    pub(crate) path: Option<PathBuf>,
    pub(crate) bytes: Vec<u8>,
    pub(crate) has_secret: bool,
}

impl ExportDialog {
    pub(crate) fn new(label: String, base: Block, own: &Block, reveal: bool, theme: Theme) -> ExportDialog {
        let mut dialog = ExportDialog {
            label,
            base,
            home: own.get(b"HOME").unwrap_or_default().to_vec(),
            field: Field::Names,
            names: Input::default(),
            file: Input::default(),
            formats: Scroll { count: format_ids().count(), ..Scroll::default() },
            view: Scroll::default(),
            reveal,
            theme,
            made: Made::default(),
            rows: Vec::new(),
            rows_for: 0,
        };
        // What most people paste somewhere.
        dialog.formats.go_to(format_ids().position(|(id, _)| id == "export").unwrap_or(0));
        dialog.make();
        dialog
    }

    fn format(&self) -> &'static str {
        format_ids().nth(self.formats.cursor).map_or("export", |(id, _)| id)
    }

    pub(crate) fn input(&mut self) -> &mut Input {
        match self.field {
            Field::Names => &mut self.names,
            Field::File => &mut self.file,
        }
    }

    /// Brings up to date what follows from the input.
    pub(crate) fn make(&mut self) {
        self.made = self.made();
        self.rows_for = 0;
    }

    fn made(&self) -> Made {
        let trouble = |text: String| Made { trouble: Some(text), ..Made::default() };
        let patterns = self.names.value().split_whitespace().map(|word| Pattern::parse(word.as_bytes()));
        let selection = match patterns.collect::<Result<Vec<_>, _>>() {
            Ok(patterns) => Selection::new(patterns),
            Err(error) => return trouble(error.to_string()),
        };
        let pairs: Vec<(Name, Value)> = self.base.vars().filter(|(n, _)| selection.takes(n.as_bytes())).collect();
        if pairs.is_empty() {
            return trouble("no name of this block is chosen".to_owned());
        }
        let id = self.format();
        let (lines, bytes) = match (preview(id, &pairs, self.reveal), write_as(id, &pairs)) {
            (Ok(lines), Ok(bytes)) => (lines, bytes),
            (Err(failed), _) | (_, Err(failed)) => {
                let failed = failed.unwrap_or_default();
                let first = failed.first().map(|f| format!("{}: {}; {}", f.name, f.refusal.what, f.refusal.way_out));
                let more = if failed.len() > 1 { format!(" (and {} more)", failed.len() - 1) } else { String::new() };
                return trouble(format!("{id} cannot express {}{more}", first.unwrap_or_default()));
            }
        };
        let is_secret = |(name, value): &&(Name, Value)| judge(name.as_bytes(), value.as_bytes()).is_secret();
        let secrets = if leaves_secrets_out(id) { 0 } else { pairs.iter().filter(is_secret).count() };
        Made { pairs, lines, bytes, secrets, trouble: None }
    }

    /// Takes the size of the room inside the frame.
    pub(crate) fn settle(&mut self, columns: usize, rows: usize) {
        self.formats.resize(rows.saturating_sub(4));
        self.view.height = rows.saturating_sub(5);
        let room = columns.saturating_sub(left_width(columns)).max(2);
        if self.rows_for != room {
            self.rows = self.made.lines.iter().flat_map(|line| broken(shown(line, self.theme), room - 1, self.theme)).collect();
            self.rows_for = room;
            self.view.count = self.rows.len();
            self.roll(0);
        }
    }

    pub(crate) fn roll(&mut self, rows: isize) {
        let most = self.view.count.saturating_sub(self.view.height);
        self.view.offset = self.view.offset.saturating_add_signed(rows).min(most);
    }

    /// Takes a key. Returns what leaves, when it does.
    pub(crate) fn key(&mut self, key: KeyEvent) -> Option<Leaving> {
        let page = isize::try_from(self.view.height).unwrap_or(1).max(1);
        match key.code {
            KeyCode::Up => self.formats.by(-1),
            KeyCode::Down => self.formats.by(1),
            KeyCode::PageUp => self.roll(-page),
            KeyCode::PageDown => self.roll(page),
            KeyCode::Tab | KeyCode::BackTab => {
                self.field = if self.field == Field::Names { Field::File } else { Field::Names };
            }
            KeyCode::Char('r') if key.modifiers.contains(KeyModifiers::CONTROL) => self.reveal = !self.reveal,
            KeyCode::Enter if self.made.trouble.is_none() => {
                let typed = self.file.value().trim().as_bytes();
                let path = match typed.strip_prefix(b"~/") {
                    Some(rest) if !self.home.is_empty() => [&self.home[..], b"/", rest].concat(),
                    _ => typed.to_vec(),
                };
                return Some(Leaving {
                    path: (!path.is_empty()).then(|| PathBuf::from(std::ffi::OsString::from_vec(path))),
                    bytes: self.made.bytes.clone(),
                    has_secret: self.made.secrets > 0,
                });
            }
            KeyCode::Enter => {}
            _ => {
                if !edit(self.input(), key) {
                    return None;
                }
            }
        }
        if !matches!(key.code, KeyCode::PageUp | KeyCode::PageDown) {
            self.make();
        }
        None
    }

    pub(crate) fn lines(&self, app: &App, columns: usize) -> Vec<Line<'static>> {
        let theme = app.theme;
        let quiet = |text: String| Span::styled(text, theme.style(Role::Quiet));
        let input = |sign, input: &Input, field, empty: &str| {
            if self.field == field {
                return input_line(sign, input, columns, theme);
            }
            let text = if input.value().is_empty() { empty.to_owned() } else { input.value().to_owned() };
            Line::from(fit(vec![Span::styled(sign, theme.style(Role::Quiet)), quiet(text)], columns))
        };
        let mut lines = vec![
            input(" names > ", &self.names, Field::Names, "all; NAME, GLOB* or /REGEX/ chooses"),
            input(" file  > ", &self.file, Field::File, "none: to the terminal's clipboard"),
            Line::from(fit(vec![self.summary(theme)], columns)),
            Line::from(quiet("─".repeat(columns))),
        ];
        let width = left_width(columns);
        let ids: Vec<&'static str> = format_ids().map(|(id, _)| id).collect();
        let about = format_ids().nth(self.formats.cursor).map_or("", |(_, about)| about);
        for row in 0..self.formats.height {
            let at = self.formats.offset + row;
            let name = ids.get(at).map_or(String::new(), |id| format!(" {id}"));
            let mut left = pad(fit(vec![Span::raw(name)], width.saturating_sub(1)), width - 1);
            if at == self.formats.cursor {
                left = overlaid(left, theme.style(Role::Cursor));
            }
            left.push(quiet("│".to_owned()));
            let room = columns.saturating_sub(width);
            let right = match row {
                0 => vec![quiet(format!(" {about}"))],
                _ => self.rows.get(self.view.offset + row - 1).map_or(Vec::new(), |line| line.spans.clone()),
            };
            left.extend(fit(right, room));
            lines.push(Line::from(left));
        }
        lines
    }

    /// How much leaves, and what is wrong.
    fn summary(&self, theme: Theme) -> Span<'static> {
        if let Some(trouble) = &self.made.trouble {
            return Span::styled(format!(" ! {trouble}"), theme.style(Role::Trouble));
        }
        let count = |n: usize, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
        let size =
            format!("{}, {}", count(self.made.pairs.len(), "name", "names"), count(self.made.bytes.len(), "byte", "bytes"));
        if self.made.secrets == 0 {
            return Span::styled(format!(" {size} of {}; nothing in it looks secret", self.label), theme.style(Role::Quiet));
        }
        let secrets = count(self.made.secrets, "value looks secret and leaves", "values look secret and leave");
        let what = if self.reveal { "Ctrl-R masks" } else { "Ctrl-R shows" };
        Span::styled(format!(" * {secrets} as it is ({what} it); {size} of {}", self.label), theme.style(Role::Trouble))
    }
}

/// The columns of the list of forms.
fn left_width(columns: usize) -> usize {
    let longest = format_ids().map(|(id, _)| id.len()).max().unwrap_or(0);
    (longest + 3).min(columns / 2)
}

/// Breaks a line where the room ends. The rest is marked as such.
fn broken(spans: Vec<Span<'static>>, room: usize, theme: Theme) -> Vec<Line<'static>> {
    let mut rows = vec![Line::default()];
    let mut used = 0;
    for span in spans {
        let mut text = String::new();
        for c in span.content.chars() {
            let wide = c.width().unwrap_or(0);
            if used + wide > room {
                if let Some(row) = rows.last_mut() {
                    row.spans.push(Span::styled(std::mem::take(&mut text), span.style));
                }
                rows.push(Line::from(Span::styled("┆", theme.style(Role::Quiet))));
                used = 1;
            }
            used += wide;
            text.push(c);
        }
        if let Some(row) = rows.last_mut() {
            row.spans.push(Span::styled(text, span.style));
        }
    }
    rows
}

/// A line as it may be shown, one with a secret marked.
fn shown(line: &PreviewLine, theme: Theme) -> Vec<Span<'static>> {
    let role = |is_spelt| {
        if is_spelt {
            Role::Spelt
        } else if line.is_secret {
            Role::Mask
        } else {
            Role::Text
        }
    };
    let inert = |bytes: &[u8]| {
        let span = |segment: Segment<'_>| {
            let is_spelt = matches!(segment, Segment::Spelt(_));
            Span::styled(segment.as_str().to_owned(), theme.style(role(is_spelt)))
        };
        segments(bytes).into_iter().map(span).collect::<Vec<_>>()
    };
    let mark = Span::styled(if line.is_secret { "*" } else { " " }, theme.style(Role::Trouble));
    let mut spans = vec![mark];
    spans.extend(inert(&line.before));
    if let Some(after) = &line.after {
        spans.push(Span::styled(MASK.trim_end_matches('#'), theme.style(Role::Mask)));
        spans.extend(inert(after));
    }
    spans
}

/// Writes a file that is not there yet. What holds a secret is its owner's alone.
pub(crate) fn put(leaving: &Leaving) -> String {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    let Some(path) = &leaving.path else { return String::new() };
    let mode = if leaving.has_secret { 0o600 } else { 0o666 };
    let shown = vectorum_core::inert(OsStr::as_bytes(path.as_os_str())).into_owned();
    let written = std::fs::File::options()
        .write(true)
        .create_new(true)
        .mode(mode)
        .open(path)
        .and_then(|mut file| file.write_all(&leaving.bytes));
    match written {
        Ok(()) if leaving.has_secret => format!("{shown} is written, for you alone: it holds a secret"),
        Ok(()) => format!("{shown} is written"),
        Err(e) if e.kind() == std::io::ErrorKind::AlreadyExists => {
            format!("not written: {shown} is there already; choose another name, or remove it")
        }
        Err(e) => format!("not written: {shown}: {e}"),
    }
}
