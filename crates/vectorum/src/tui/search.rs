//! Searching the routes: who has a value, and what a file or a line of it decides.

use std::sync::Arc;

use ratatui::text::{Line, Span};
use tui_input::Input;
use vectorum_core::Name;
use vectorum_core::route::{Bearer, Survey};

use super::app::App;
use super::detail::{SEEN, shown};
use super::overlay::{Reply, input_line};
use super::paint::{fit, overlaid, pad};
use super::scroll::Scroll;
use super::theme::Role;
use crate::cli::{path_and_line, place};

/// A search as it is typed.
#[derive(Debug)]
pub(crate) struct Search {
    survey: Arc<Survey>,
    by_file: bool,
    pub(crate) input: Input,
    found: Vec<Bearer>,
    pub(crate) scroll: Scroll,
}

impl Search {
    pub(crate) fn new(survey: Arc<Survey>, by_file: bool, text: String) -> Search {
        let mut search = Search { survey, by_file, input: Input::new(text), found: Vec::new(), scroll: Scroll::default() };
        search.find();
        search
    }

    /// Looks for what was typed.
    pub(crate) fn find(&mut self) {
        let text = self.input.value().as_bytes();
        self.found = if self.by_file {
            let (path, line) = path_and_line(text);
            self.survey.decided_by(path, line)
        } else {
            self.survey.holding(text)
        };
        self.scroll.count = self.found.len();
        self.scroll.go_to(0);
    }

    pub(crate) fn title(&self) -> &'static str {
        if self.by_file {
            " what a file or a line of it decides · FILE or FILE:LINE, Enter goes there, Esc closes "
        } else {
            " who has this value, or a part of it · Enter goes there, Esc closes "
        }
    }

    pub(crate) fn reply(&self) -> Reply {
        let found = self.found.get(self.scroll.cursor);
        let name = found.and_then(|f| Name::new(f.name.clone()));
        match (name, found.and_then(|f| f.routes.first())) {
            (Some(name), Some(route)) => Reply::GoToRoute(name, *route),
            _ => Reply::Stay,
        }
    }

    pub(crate) fn lines(&self, app: &App, columns: usize) -> Vec<Line<'static>> {
        let theme = app.theme;
        let quiet = theme.style(Role::Quiet);
        let mut lines = vec![input_line(if self.by_file { " @ " } else { " = " }, &self.input, columns, theme)];
        for (index, bearer) in self.found.iter().enumerate().skip(self.scroll.offset).take(self.scroll.height) {
            let mut first = vec![Span::styled(format!(" {}", vectorum_core::inert(&bearer.name)), theme.style(Role::Label))];
            first.push(Span::raw("="));
            first.extend(shown(app, &bearer.name, &bearer.value, SEEN));
            let routes: Vec<String> = bearer
                .routes
                .iter()
                .take(4)
                .filter_map(|at| self.survey.routes.get(*at))
                .map(|(route, _)| route.to_string())
                .collect();
            let more = bearer.routes.len().saturating_sub(4);
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            let from = bearer.site.as_ref().map(|s| format!("{} → ", place(s))).unwrap_or_default();
            let second = vec![Span::styled(format!("   {from}{}{more}", routes.join(", ")), quiet)];
            for line in [first, second] {
                let mut line = pad(fit(line, columns), columns);
                if index == self.scroll.cursor {
                    line = overlaid(line, theme.style(Role::Cursor));
                }
                lines.push(Line::from(line));
            }
        }
        if self.found.is_empty() {
            let text = if self.input.value().is_empty() { "type to find" } else { "on no route" };
            lines.push(Line::from(Span::styled(format!(" {text}"), quiet)));
            if self.by_file {
                for path in self.survey.deciding_files() {
                    lines.push(Line::from(Span::styled(format!("   {}", vectorum_core::inert(&path)), quiet)));
                }
            }
        }
        lines
    }
}
