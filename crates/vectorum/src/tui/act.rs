//! What keys and actions do to the state.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::{Input, InputRequest};
use vectorum_core::{Block, Finding, Process};

use super::app::*;
use super::compare::Side;
use super::export::ExportDialog;
use super::keys::Action;
use super::overlay::{Overlay, Reply, RunDialog};
use super::processes::View;
use super::scroll::Scroll;

impl App {
    pub(super) fn key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        self.notice = None;
        if let Some(mut overlay) = self.overlay.take() {
            match overlay.key(key, self) {
                Reply::Stay => self.overlay = Some(overlay),
                Reply::Close => {}
                Reply::Do(action) => self.act(action, effects),
                Reply::GoTo(finding) => self.go_to(&finding),
                Reply::GoToRoute(name, route) => self.go_to_route(&name, route),
                Reply::Run { command, block, is_traced: false } => effects.push(Effect::Run { command, block }),
                Reply::Run { command, block, is_traced: true } => effects.push(Effect::Trace { command, block }),
                Reply::Export(leaving) if leaving.path.is_some() => effects.push(Effect::Export(leaving)),
                Reply::Export(leaving) => {
                    self.notice = Some(format!("copied {} bytes to the terminal's clipboard", leaving.bytes.len()));
                    effects.push(Effect::Copy(leaving.bytes));
                }
            }
            return;
        }
        if self.names.is_typing || self.processes.is_typing {
            return self.typed(key, effects);
        }
        if let Some(action) = Action::of_key(&key, self.place()) {
            self.act(action, effects);
        }
    }

    /// A key while a filter is typed: letters go into it, arrows move, Enter keeps it.
    pub(super) fn typed(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        let for_names = self.names.is_typing;
        let action = match key.code {
            KeyCode::Esc => {
                if for_names {
                    self.names.filter = Input::default();
                    self.names.filter_again(false);
                } else {
                    self.processes.filter = Input::default();
                }
                self.stop_typing();
                self.tree_is_stale = true;
                return;
            }
            KeyCode::Enter | KeyCode::Tab => {
                self.stop_typing();
                self.focus = Focus::Main;
                return;
            }
            KeyCode::Up => Action::Up,
            KeyCode::Down => Action::Down,
            KeyCode::PageUp => Action::PageUp,
            KeyCode::PageDown => Action::PageDown,
            KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => Action::Quit,
            _ => {
                let input = if for_names { &mut self.names.filter } else { &mut self.processes.filter };
                if edit(input, key) {
                    if for_names {
                        self.names.filter_again(true);
                        self.name_is_new = true;
                    } else {
                        self.tree_is_stale = true;
                    }
                }
                return;
            }
        };
        self.act(action, effects);
    }

    pub(crate) fn stop_typing(&mut self) {
        self.names.is_typing = false;
        self.processes.is_typing = false;
    }

    pub(super) fn paste(&mut self, text: &str) {
        let line = text.lines().next().unwrap_or_default();
        let input = match &mut self.overlay {
            Some(overlay) => overlay.input(),
            None if self.names.is_typing => Some(&mut self.names.filter),
            None if self.processes.is_typing => Some(&mut self.processes.filter),
            None => None,
        };
        let Some(input) = input else { return };
        for c in line.chars().filter(|c| !c.is_control()) {
            input.handle(InputRequest::InsertChar(c));
        }
        if self.names.is_typing {
            self.names.filter_again(true);
        }
        if let Some(overlay) = &mut self.overlay {
            overlay.changed();
        }
        self.tree_is_stale = true;
    }

    /// Does what an action says.
    pub(crate) fn act(&mut self, action: Action, effects: &mut Vec<Effect>) {
        match action {
            Action::Up => self.move_by(-1),
            Action::Down => self.move_by(1),
            Action::PageUp => self.move_by(-self.page()),
            Action::PageDown => self.move_by(self.page()),
            Action::Top => self.move_by(isize::MIN / 2),
            Action::Bottom => self.move_by(isize::MAX / 2),
            Action::NextPane => self.focus = self.pane(1),
            Action::PreviousPane => self.focus = self.pane(2),
            Action::Enter => {
                self.focus = match self.focus {
                    Focus::Names if self.has_tree() => Focus::Main,
                    _ => Focus::Detail,
                }
            }
            Action::Back => self.back(),
            Action::Left | Action::Right => self.sideways(action == Action::Left),
            Action::ShowFlow if self.flow.is_there() => self.open(Screen::Flow),
            Action::ShowFlow => self.notice = Some("no routes are known here: a recording has none of its own".to_owned()),
            Action::ShowProcesses => self.show_scene(false),
            Action::ShowRecording => self.show_scene(true),
            Action::ShowCompare => self.open(Screen::Compare),
            Action::ShowFiles => self.open(Screen::Files),
            Action::NextFile | Action::PreviousFile => {
                self.files.next(action == Action::PreviousFile);
                self.names_are_stale = true;
            }
            Action::TakeFix => self.take_fix(effects),
            Action::FilterNames => {
                self.names.is_typing = true;
                self.focus = Focus::Names;
                self.names_folded = false;
            }
            Action::FilterProcesses => {
                self.processes.is_typing = true;
                self.focus = Focus::Main;
            }
            Action::Fold if self.screen == Screen::Flow => self.tree_is_stale |= self.flow.fold(None),
            Action::FoldAll if self.screen == Screen::Flow => {
                self.flow.turn_whole();
                self.tree_is_stale = true;
            }
            Action::Fold => self.tree_is_stale |= self.processes.fold(None),
            Action::FoldAll => {
                self.processes.fold_all();
                self.tree_is_stale = true;
            }
            Action::NextChange | Action::PreviousChange => {
                self.focus = Focus::Main;
                let back = action == Action::PreviousChange;
                let name = self.names.chosen().map(ToString::to_string).unwrap_or_default();
                if self.screen == Screen::Flow {
                    if !self.flow.next_change(back) {
                        self.notice = Some(format!("no further branch gets {name} otherwise than the one above it"));
                    }
                } else if !self.processes.next_change(back) {
                    self.notice = Some(format!("no further process got {name} otherwise than its parent did"));
                }
            }
            Action::OnlyChanges => match self.screen {
                Screen::Processes => {
                    self.processes.only_changes = !self.processes.only_changes;
                    self.tree_is_stale = true;
                }
                Screen::Compare => {
                    self.compare.show_same = !self.compare.show_same;
                    self.names_are_stale = true;
                }
                Screen::Flow | Screen::Files => {}
            },
            Action::Layout => self.turn_layout(),
            Action::Edit => self.edit_site(effects),
            Action::Probe => self.probe(effects),
            Action::FindValue | Action::FindFile => self.open_search(action == Action::FindFile),
            Action::KernelThreads => {
                self.processes.kernel_threads = !self.processes.kernel_threads;
                self.tree_is_stale = true;
            }
            Action::NextView | Action::PreviousView => self.show(self.processes.view.next(action == Action::PreviousView)),
            Action::MarkForCompare => self.mark_side(),
            Action::CompareWithParent => self.compare_with_parent(),
            Action::CompareWithNow => {
                if let Some(pid) = self.processes.selected {
                    self.compare_now = Some(pid);
                    self.read_now(pid, effects);
                    if let Some(why) = self.nothing_now {
                        self.compare_now = None;
                        self.notice = Some(why.to_owned());
                    }
                }
            }
            Action::SwapSides => {
                self.compare.swap();
                self.names_are_stale = true;
            }
            Action::Reveal => {
                self.reveal = !self.reveal;
                let text =
                    if self.reveal { "what looks secret is shown; m masks it again" } else { "what looks secret is masked" };
                self.notice = Some(text.to_owned());
            }
            Action::CopyValue => self.copy_value(effects),
            Action::CopyName => {
                if let Some(name) = self.names.chosen() {
                    effects.push(Effect::Copy(name.as_bytes().to_vec()));
                    self.notice = Some(format!("copied the name {name}"));
                }
            }
            Action::Run | Action::Trace => self.open_run(action == Action::Trace),
            Action::Export => self.open_export(),
            Action::EndTrace => self.end_trace(effects),
            Action::Findings => self.overlay = Some(Overlay::findings(self.findings.clone())),
            Action::ToggleNames => {
                self.names_folded = !self.names_folded;
                if self.names_folded && self.focus == Focus::Names {
                    self.focus = Focus::Main;
                }
            }
            Action::Rescan => {
                self.processes.now.clear();
                effects.extend([Effect::Rescan, Effect::Survey]);
            }
            Action::Help => self.overlay = Some(Overlay::help()),
            Action::Palette => self.overlay = Some(Overlay::palette(self.place())),
            Action::Redraw => effects.push(Effect::Redraw),
            Action::Suspend => effects.push(Effect::Suspend),
            Action::Quit => effects.push(Effect::Quit),
        }
    }

    /// Folds or unfolds, or goes to the pane beside.
    pub(super) fn sideways(&mut self, left: bool) {
        let in_tree = self.focus == Focus::Main && self.has_tree();
        let is_flow = self.screen == Screen::Flow;
        if is_flow && !self.has_tree() && self.focus != Focus::Detail {
            return self.flow.move_column(left);
        }
        if in_tree && (if is_flow { self.flow.fold(Some(left)) } else { self.processes.fold(Some(left)) }) {
            self.tree_is_stale = true;
        } else if left {
            let has_parent = in_tree && if is_flow { self.flow.go_to_parent() } else { self.processes.go_to_parent() };
            if !has_parent {
                self.focus = Focus::Names;
            }
        } else if self.focus == Focus::Names && self.has_tree() {
            self.focus = Focus::Main;
        }
    }

    pub(super) fn page(&self) -> isize {
        match self.focus {
            Focus::Names => self.names.scroll.page(),
            Focus::Main if !self.has_tree() => self.names.scroll.page(),
            Focus::Main if self.screen == Screen::Flow => self.flow.scroll.page(),
            Focus::Main => self.processes.scroll.page(),
            Focus::Detail => isize::try_from(self.areas.detail.height).unwrap_or(1),
        }
    }

    pub(super) fn pane(&self, steps: usize) -> Focus {
        let has_main = self.has_tree();
        let mut order = vec![Focus::Detail];
        if has_main {
            order.insert(0, Focus::Main);
        }
        if !self.names_folded {
            order.insert(0, Focus::Names);
        }
        let at = order.iter().position(|f| *f == self.focus).unwrap_or(0);
        let step = if steps == 1 { 1 } else { order.len() - 1 };
        order.get((at + step) % order.len()).copied().unwrap_or(Focus::Detail)
    }

    pub(super) fn move_by(&mut self, rows: isize) {
        match self.focus {
            Focus::Detail => {
                let detail = self.detail_scroll();
                detail.offset = detail.offset.saturating_add_signed(rows).min(detail.count.saturating_sub(detail.height));
            }
            Focus::Main if self.screen == Screen::Flow && self.has_tree() => {
                self.flow.scroll.by(rows);
                self.flow.select_at_cursor();
            }
            Focus::Main if self.screen == Screen::Processes => {
                self.processes.scroll.by(rows);
                self.processes.select_at_cursor();
            }
            _ => {
                self.names.scroll.by(rows);
                self.choose_at_cursor();
            }
        }
    }

    pub(crate) fn choose_at_cursor(&mut self) {
        let before = self.names.chosen().cloned();
        self.names.choose_at_cursor();
        if self.names.chosen() != before.as_ref() {
            self.name_is_new = true;
            *self.detail_scroll() = Scroll::default();
        }
    }

    pub(super) fn back(&mut self) {
        if !self.names.filter.value().is_empty() {
            self.names.filter = Input::default();
            self.names.filter_again(false);
        } else if !self.processes.filter.value().is_empty() || self.processes.only_changes {
            self.processes.filter = Input::default();
            self.processes.only_changes = false;
        } else if self.screen != self.home {
            self.open(self.home);
        } else {
            self.focus = Focus::Names;
        }
        self.tree_is_stale = true;
    }

    pub(crate) fn show(&mut self, view: View) {
        if self.screen == Screen::Processes {
            self.processes.view = view;
            self.processes.detail = Scroll::default();
        }
    }

    pub(super) fn go_to(&mut self, finding: &Finding) {
        self.open(Screen::Processes);
        self.settle();
        self.names.choose(&finding.name);
        self.processes.go_to(finding.pid, &self.world);
        self.processes.view = View::Value;
        self.processes.detail = Scroll::default();
        self.focus = Focus::Main;
        self.tree_is_stale = true;
    }

    pub(super) fn side_of(&mut self, process: Option<&Process>) -> Option<Side> {
        let process = process?;
        match process.received.block() {
            Some(block) => Some(Side { label: label(process), block: block.clone() }),
            None => {
                self.notice = Some(format!("{}: {}", label(process), process.received.why_not().unwrap_or_default()));
                None
            }
        }
    }

    pub(super) fn mark_side(&mut self) {
        let side = if self.screen == Screen::Flow {
            self.flow.side()
        } else {
            let process = self.selected().cloned();
            self.side_of(process.as_ref())
        };
        let Some(side) = side else { return };
        if self.compare.left.is_none() || self.compare.right.is_some() {
            self.notice = Some(format!("one side is {}; press c on the other", side.label));
            self.compare.left = Some(side);
            self.compare.right = None;
        } else {
            self.compare.right = Some(side);
            self.open(Screen::Compare);
        }
    }

    pub(super) fn compare_with_parent(&mut self) {
        let Some(process) = self.selected().cloned() else { return };
        let Some(parent) = self.world.parent(&process).cloned() else {
            self.notice = Some(format!("the parent of {} is not known", label(&process)));
            return;
        };
        if let (Some(left), Some(right)) = (self.side_of(Some(&parent)), self.side_of(Some(&process))) {
            self.compare.left = Some(left);
            self.compare.right = Some(right);
            self.open(Screen::Compare);
        }
    }

    /// Opens the screen of files.
    pub(crate) fn show_files(&mut self) {
        self.open(Screen::Files);
        self.settle();
    }

    /// Spells the chosen name so that all readers of the file agree.
    pub(super) fn take_fix(&mut self, effects: &mut Vec<Effect>) {
        let Some(name) = self.names.chosen().cloned() else { return };
        match self.files.take_fix(&name, &self.surroundings()) {
            Ok(Some(effect)) => effects.push(effect),
            Ok(None) => self.notice = Some(format!("{name} is spelt so that all agree, in this made-up file")),
            Err(why) => self.notice = Some(why),
        }
        self.names_are_stale = true;
    }

    pub(super) fn copy_value(&mut self, effects: &mut Vec<Effect>) {
        let block = match self.screen {
            Screen::Processes => self.selected().and_then(|p| p.received.block()),
            Screen::Compare => self.compare.right.as_ref().map(|s| &s.block),
            Screen::Flow | Screen::Files => None,
        };
        let Some(name) = self.names.chosen() else { return };
        let value =
            if self.screen == Screen::Flow { self.flow.value(name) } else { block.and_then(|b| b.value(name.as_bytes())) };
        self.notice = Some(match value {
            Some(value) => {
                effects.push(Effect::Copy(value.as_bytes().to_vec()));
                format!("copied the value of {name}, {} bytes, to the terminal's clipboard", value.as_bytes().len())
            }
            None => format!("{name} is not set here"),
        });
    }

    /// Opens the dialog in which the shown block leaves in another form.
    pub(super) fn open_export(&mut self) {
        let side = match self.screen {
            // A recording may hold masks in place of values.
            Screen::Processes if self.recorded.is_some() => {
                let text =
                    "a recording may hold masks in place of values: vectorum show FILE#N tells; nothing is exported from here";
                self.notice = Some(text.to_owned());
                None
            }
            Screen::Processes => {
                let process = self.selected().cloned();
                self.side_of(process.as_ref()).map(|side| (format!("what {} received", side.label), side.block))
            }
            Screen::Flow => self.flow.side().map(|side| (format!("what {} would get", side.label), side.block)),
            Screen::Compare => self.compare.right.as_ref().map(|side| (side.label.clone(), side.block.clone())),
            Screen::Files => self.files.shown().map(|file| (file.source.title.clone(), file.block())),
        };
        let Some((label, block)) = side else {
            self.notice.get_or_insert_with(|| "choose a process, a route, two sides or a file first".to_owned());
            return;
        };
        let dialog = ExportDialog::new(label, block, &self.own_block, self.reveal, self.theme);
        self.overlay = Some(Overlay::Export(Box::new(dialog)));
    }

    pub(super) fn open_run(&mut self, is_traced: bool) {
        // A recording may hold masks in place of values: nothing is to be started with those.
        let selected = self.selected().filter(|p| p.received.block().is_some() && self.recorded.is_none());
        let on_flow = self.flow.side().filter(|_| self.screen == Screen::Flow);
        let (label, block) = match (on_flow, selected) {
            (Some(side), _) => (side.label, side.block),
            (None, Some(process)) => (label(process), process.received.block().cloned().unwrap_or(Block::empty())),
            (None, None) => ("this program".to_owned(), self.own_block.clone()),
        };
        self.overlay = Some(Overlay::Run(Box::new(RunDialog::new(label, block, &self.own_block, is_traced))));
    }
}

/// Applies a key to a line of input. Returns whether its text changed.
pub(crate) fn edit(input: &mut Input, key: KeyEvent) -> bool {
    let control = key.modifiers.contains(KeyModifiers::CONTROL);
    let request = match key.code {
        KeyCode::Char('a') if control => InputRequest::GoToStart,
        KeyCode::Char('e') if control => InputRequest::GoToEnd,
        KeyCode::Char('w') if control => InputRequest::DeletePrevWord,
        KeyCode::Char('u') if control => InputRequest::DeleteLine,
        KeyCode::Char('k') if control => InputRequest::DeleteTillEnd,
        KeyCode::Char(_) if control || key.modifiers.contains(KeyModifiers::ALT) => return false,
        KeyCode::Char(c) => InputRequest::InsertChar(c),
        KeyCode::Backspace => InputRequest::DeletePrevChar,
        KeyCode::Delete => InputRequest::DeleteNextChar,
        KeyCode::Left => InputRequest::GoToPrevChar,
        KeyCode::Right => InputRequest::GoToNextChar,
        KeyCode::Home => InputRequest::GoToStart,
        KeyCode::End => InputRequest::GoToEnd,
        _ => return false,
    };
    input.handle(request).is_some_and(|change| change.value)
}
