//! What the mouse does: it points, chooses and rolls.

use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};

use super::app::{App, Effect, Focus, Screen};
use super::draw::Hit;

impl App {
    /// Takes what the mouse did.
    pub(crate) fn mouse(&mut self, mouse: MouseEvent, effects: &mut Vec<Effect>) {
        let at = Position::new(mouse.column, mouse.row);
        let rows = match mouse.kind {
            MouseEventKind::ScrollUp => Some(-3),
            MouseEventKind::ScrollDown => Some(3),
            _ => None,
        };
        if let Some(overlay) = &mut self.overlay {
            if let Some(rows) = rows {
                overlay.roll(rows);
            }
            return;
        }
        if let Some(rows) = rows {
            if self.areas.detail.contains(at) {
                let detail = self.detail_scroll();
                detail.offset = detail.offset.saturating_add_signed(rows).min(detail.count.saturating_sub(detail.height));
            } else if self.areas.names.contains(at) || !self.has_tree() {
                self.names.scroll.roll(rows);
                self.choose_at_cursor();
            } else if self.areas.main.contains(at) && self.screen == Screen::Flow {
                self.flow.scroll.roll(rows);
                self.flow.select_at_cursor();
            } else if self.areas.main.contains(at) {
                self.processes.scroll.roll(rows);
                self.processes.select_at_cursor();
            }
            return;
        }
        if mouse.kind != MouseEventKind::Down(MouseButton::Left) {
            return;
        }
        self.notice = None;
        self.stop_typing();
        if let Some(hit) = self.areas.hit(at) {
            match hit {
                Hit::Action(action) => self.act(action, effects),
                Hit::View(view) => self.show(view),
            }
            return;
        }
        let row = |area: Rect, offset: usize| usize::from(at.y.saturating_sub(area.y + 1)) + offset;
        if self.areas.names.contains(at)
            || (self.areas.main.contains(at)
                && (self.screen == Screen::Compare || (self.screen == Screen::Flow && !self.has_tree())))
        {
            self.focus = Focus::Names;
            if at.y > self.areas.main.y {
                self.names.scroll.go_to(row(self.areas.main, self.names.scroll.offset));
                self.choose_at_cursor();
            }
        } else if self.areas.main.contains(at) {
            self.focus = Focus::Main;
            if self.screen == Screen::Flow {
                if at.y > self.areas.main.y {
                    self.flow.scroll.go_to(row(self.areas.main, self.flow.scroll.offset));
                    self.flow.select_at_cursor();
                }
            } else if at.y > self.areas.main.y {
                self.processes.scroll.go_to(row(self.areas.main, self.processes.scroll.offset));
                self.processes.select_at_cursor();
            }
        } else if self.areas.detail.contains(at) {
            self.focus = Focus::Detail;
        }
    }
}
