//! The state of the interface and how messages change it. It has one owner, and nothing here
//! waits, reads or draws: what takes time is handed out as an [`Effect`].

use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::Sender;

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseEvent};
use ratatui::layout::Rect;
use ratatui::text::Line;
use tui_input::{Input, InputRequest};
use vectorum_core::reader::Surroundings;
use vectorum_core::route::{Before, Route, Survey};
use vectorum_core::{Block, Finding, Fingerprinter, Gloss, Limits, Name, Process, Value, World, inert};
use vectorum_host::{Ending, Group, Keeper, RunError, Update};
use vectorum_trace::recording::Fact;

use super::compare::{Compare, Side};
use super::draw::Areas;
use super::export::{ExportDialog, Leaving};
use super::files::{Files, Source};
use super::flow::{Flow, Layout};
use super::keys::{Action, Place};
use super::names::{NameRow, Names};
use super::overlay::{Overlay, Reply, RunDialog};
use super::processes::{Now, Processes, View};
use super::scene::Scene;
use super::scroll::Scroll;
use super::theme::Theme;
use super::work::Tracing;
use crate::recorded::Recorded;

/// Which screen is open.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Screen {
    Flow,
    Processes,
    Compare,
    Files,
}

/// Which pane has the keys.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Focus {
    Names,
    Main,
    Detail,
}

/// What a gloss was made for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct GlossKey {
    pub(crate) name: Name,
    pub(crate) value: Value,
    pub(crate) reveal: bool,
}

/// What comes in.
#[derive(Debug)]
pub(crate) enum Message {
    Key(KeyEvent),
    Mouse(MouseEvent),
    Paste(String),
    Resize(u16, u16),
    /// Processes changed; so many of so many were looked at.
    Updates(Vec<Update>, usize, usize),
    ScanEnded,
    ScanFailed(String),
    Gloss(GlossKey, Gloss),
    Now(i32, Result<(Block, Option<Keeper>), String>),
    Findings(Vec<Finding>),
    /// What a recording says next: of so many bytes so many were read, and so many receipts came
    /// in a second. `taken` closes when they were taken in.
    Facts {
        number: u32,
        facts: Vec<Fact>,
        done: usize,
        total: usize,
        per_second: Option<f64>,
        taken: Option<Sender<()>>,
    },
    /// A trace was started from here, or could not be.
    TraceStarted(Result<Tracing, String>),
    /// A trace that was started from here has ended.
    TraceEnded(u32, Result<Ending, RunError>),
    /// A file was written, or not.
    Replaced(PathBuf, Result<Vec<u8>, String>),
    /// A command that was run from here has ended.
    RunEnded(String),
    /// An export was written, or not.
    Exported(String),
    /// The routes of the host were followed, or could not be.
    Surveyed(Result<Arc<Survey>, String>),
    /// The system asks the program to end.
    Terminate,
}

/// What is to be done outside.
#[derive(Debug)]
pub(crate) enum Effect {
    Quit,
    /// Runs a route for real, with what was forecast of it.
    Probe {
        route: Route,
        before: Option<Before>,
        command: Vec<Vec<u8>>,
        block: Block,
    },
    Suspend,
    Redraw,
    Rescan,
    Copy(Vec<u8>),
    Gloss(GlossKey),
    ReadNow(i32),
    Find(Arc<World>),
    Run {
        command: Vec<Vec<u8>>,
        block: Block,
    },
    Trace {
        command: Vec<Vec<u8>>,
        block: Block,
    },
    /// Replace a file's content.
    Replace {
        path: PathBuf,
        before: Vec<u8>,
        after: Vec<u8>,
    },
    /// Write an export into a new file.
    Export(Leaving),
    /// Follow the routes of the host again.
    Survey,
    /// Open a file at a line in the person's editor.
    Edit {
        path: PathBuf,
        line: usize,
    },
    /// End what a trace runs, or do so by force.
    EndTrace(Group, bool),
}

/// The whole state.
pub(crate) struct App {
    pub(crate) host: String,
    pub(crate) account: String,
    /// Why there is nothing to read now, where there is not.
    pub(crate) nothing_now: Option<&'static str>,
    pub(crate) recorded: Option<Recorded>,
    pub(crate) world: Arc<World>,
    /// What is not shown now: the host while a recording is, or the other way round.
    pub(crate) aside: Option<Scene>,
    /// The recording that ships with a made-up host.
    pub(crate) shipped: Option<&'static [u8]>,
    /// A trace that was started from here and runs.
    pub(crate) tracing: Option<Tracing>,
    /// How many receipts came in the last second of a trace.
    pub(crate) per_second: Option<f64>,
    /// The number of the recording whose facts are taken.
    pub(super) recording_number: u32,
    /// Whether the running command was asked to end already.
    pub(super) is_ending: bool,
    pub(crate) limits: Limits,
    pub(crate) prints: Fingerprinter,
    pub(crate) theme: Theme,
    pub(crate) own_block: Block,
    pub(crate) reveal: bool,
    pub(crate) screen: Screen,
    pub(crate) focus: Focus,
    pub(crate) names: Names,
    pub(crate) names_folded: bool,
    pub(crate) processes: Processes,
    pub(crate) compare: Compare,
    pub(crate) files: Files,
    pub(crate) flow: Flow,
    /// Where the host's files lie; `None` for a made-up one.
    pub(crate) root: Option<PathBuf>,
    /// Where Esc leads to: the tree that was seen last.
    home: Screen,
    pub(crate) overlay: Option<Overlay>,
    pub(crate) notice: Option<String>,
    pub(crate) progress: Option<(usize, usize)>,
    pub(crate) findings: Arc<[Finding]>,
    pub(crate) areas: Areas,
    /// The lines of the details of the open screen.
    pub(crate) detail_lines: Vec<Line<'static>>,
    size: (u16, u16),
    gloss: Option<(GlossKey, Gloss)>,
    pub(super) gloss_asked: Option<GlossKey>,
    compare_now: Option<i32>,
    pub(super) names_are_stale: bool,
    pub(super) tree_is_stale: bool,
    name_is_new: bool,
    pub(super) find_again: bool,
}

/// What the program is started with.
pub(crate) struct Start {
    pub(crate) host: String,
    pub(crate) account: String,
    pub(crate) nothing_now: Option<&'static str>,
    pub(crate) world: World,
    /// The title of the recording that is shown, where one is.
    pub(crate) recording: Option<String>,
    pub(crate) shipped: Option<&'static [u8]>,
    /// Env files to look at.
    pub(crate) files: Vec<Source>,
    /// The screen that is seen first.
    pub(crate) screen: Screen,
    pub(crate) root: Option<PathBuf>,
    pub(crate) limits: Limits,
    pub(crate) prints: Fingerprinter,
    pub(crate) theme: Theme,
    pub(crate) own_block: Block,
    pub(crate) choose: Option<Name>,
    pub(crate) select: Option<i32>,
    pub(crate) size: (u16, u16),
}

impl App {
    pub(crate) fn new(start: Start) -> App {
        let mut app = App {
            host: start.host,
            account: start.account,
            nothing_now: start.nothing_now,
            recorded: start.recording.map(Recorded::new),
            world: Arc::new(start.world),
            aside: None,
            shipped: start.shipped,
            tracing: None,
            per_second: None,
            recording_number: 0,
            is_ending: false,
            limits: start.limits,
            prints: start.prints,
            theme: start.theme,
            own_block: start.own_block.clone(),
            reveal: false,
            screen: start.screen,
            home: start.screen,
            focus: Focus::Names,
            names: Names::default(),
            names_folded: false,
            processes: Processes::default(),
            files: Files::new(start.files, &Surroundings { outer: start.own_block.clone(), ..Surroundings::default() }),
            compare: Compare::default(),
            flow: Flow::default(),
            root: start.root,
            overlay: None,
            notice: None,
            progress: None,
            findings: Arc::from([]),
            areas: Areas::default(),
            detail_lines: Vec::new(),
            size: start.size,
            gloss: None,
            gloss_asked: None,
            compare_now: None,
            names_are_stale: true,
            tree_is_stale: true,
            name_is_new: false,
            find_again: true,
        };
        if let Some(name) = start.choose {
            app.names.choose(&name);
        }
        app.processes.selected = start.select;
        app.settle();
        app
    }

    /// Returns the size of the screen, in columns and rows.
    #[cfg(test)]
    pub(crate) fn size(&self) -> (u16, u16) {
        self.size
    }

    /// Takes one message and returns what is to be done outside.
    pub(crate) fn update(&mut self, message: Message) -> Vec<Effect> {
        let mut effects = Vec::new();
        match message {
            Message::Key(key) => self.key(key, &mut effects),
            Message::Paste(text) => self.paste(&text),
            Message::Mouse(mouse) => self.mouse(mouse, &mut effects),
            Message::Resize(width, height) => self.size = (width, height),
            Message::Updates(updates, done, total) => self.take_updates(updates, done, total),
            Message::ScanEnded => {
                self.progress = None;
                if std::mem::take(&mut self.find_again) {
                    effects.push(Effect::Find(self.world.clone()));
                }
            }
            Message::ScanFailed(why) => self.notice = Some(why),
            Message::Gloss(key, gloss) => self.gloss = Some((key, gloss)),
            Message::Findings(findings) => {
                if *self.findings != *findings {
                    self.findings = findings.into();
                    self.names_are_stale = true;
                }
            }
            Message::Now(pid, now) => self.take_now(pid, now),
            Message::Facts { number, facts, done, total, per_second, taken } => {
                self.take_facts(number, facts, done < total);
                drop(taken);
                self.progress = (done < total).then_some((done * 100 / total.max(1), 100));
                self.per_second = per_second.or(self.per_second);
                if self.progress.is_none() && std::mem::take(&mut self.find_again) {
                    effects.push(Effect::Find(self.world.clone()));
                }
            }
            Message::TraceStarted(started) => self.trace_started(started),
            Message::TraceEnded(number, ended) => self.trace_ended(number, ended),
            Message::Replaced(path, written) => self.replaced(&path, written),
            Message::RunEnded(text) | Message::Exported(text) => self.notice = Some(text),
            Message::Surveyed(survey) => self.surveyed(survey),
            Message::Terminate => effects.push(Effect::Quit),
        }
        self.settle();
        if self.ask(&mut effects) {
            self.settle();
        }
        effects
    }

    /// Brings everything that depends on something else up to date, sizes included.
    pub(crate) fn settle(&mut self) {
        if std::mem::take(&mut self.names_are_stale) {
            self.rebuild_names();
            self.tree_is_stale = true;
        }
        let name_is_new = std::mem::take(&mut self.name_is_new);
        if name_is_new && !self.tree_is_stale {
            self.processes.rename(&self.world, self.names.chosen());
        }
        if std::mem::take(&mut self.tree_is_stale) {
            self.processes.rebuild(&self.world, self.names.chosen());
            if self.processes.is_typing {
                self.processes.go_to_match();
            }
            self.flow.rebuild(self.names.chosen());
        } else if name_is_new {
            self.flow.rebuild(self.names.chosen());
        }
        self.areas = Areas::arrange(self, Rect::new(0, 0, self.size.0, self.size.1));
        self.names.scroll.resize(usize::from(self.areas.names.height.max(self.areas.main.height)).saturating_sub(1));
        self.processes.scroll.resize(usize::from(self.areas.main.height).saturating_sub(1));
        self.flow.scroll.resize(usize::from(self.areas.main.height).saturating_sub(1));
        let (columns, height) = (usize::from(self.areas.detail.width), usize::from(self.areas.detail.height));
        self.processes.count_visible(&self.world);
        self.detail_lines = match self.screen {
            Screen::Flow => super::trail::detail(self, columns),
            Screen::Processes => super::detail::detail(self, columns),
            Screen::Compare => super::compare::detail(self, columns),
            Screen::Files => super::files::detail(self, columns),
        };
        let count = self.detail_lines.len();
        let detail = self.detail_scroll();
        // The details have no cursor: it stands for the first line seen.
        detail.count = count;
        detail.height = height;
        detail.offset = detail.offset.min(count.saturating_sub(height));
        if let Some(overlay) = &mut self.overlay {
            overlay.settle(self.size);
        }
    }

    pub(crate) fn detail_scroll(&mut self) -> &mut Scroll {
        match self.screen {
            Screen::Flow => &mut self.flow.detail,
            Screen::Processes => &mut self.processes.detail,
            Screen::Compare => &mut self.compare.detail,
            Screen::Files => &mut self.files.detail,
        }
    }

    fn rebuild_names(&mut self) {
        let troubled: std::collections::HashSet<&Name> =
            self.findings.iter().filter(|f| f.trouble.is_grave()).map(|f| &f.name).collect();
        let known: Vec<NameRow> = self
            .world
            .names()
            .into_iter()
            .map(|n| NameRow {
                is_troubled: n.is_troubled || troubled.contains(&n.name),
                name: n.name,
                values: n.values,
                is_list: n.is_list,
                is_secret: n.is_secret,
                standing: None,
            })
            .collect();
        let rows = match self.screen {
            Screen::Compare if self.compare.left.is_some() && self.compare.right.is_some() => {
                let of = |name: &[u8]| {
                    known.binary_search_by(|r| r.name.as_bytes().cmp(name)).ok().and_then(|at| known.get(at)).cloned()
                };
                self.compare.names(of)
            }
            Screen::Files => self.files.names(),
            Screen::Flow => self.flow.names(),
            _ => known,
        };
        self.names.set(rows);
        if !matches!(self.screen, Screen::Processes | Screen::Flow) && self.names.chosen_row().is_none() {
            self.names.scroll.go_to(0);
            self.names.choose_at_cursor();
        }
    }

    /// Returns the selected process.
    pub(crate) fn selected(&self) -> Option<&Process> {
        self.processes.selected.and_then(|pid| self.world.get(pid))
    }

    /// Returns the gloss of a value, if it was made already.
    pub(crate) fn gloss_of(&self, name: &Name, value: &[u8]) -> Option<&Gloss> {
        let (key, gloss) = self.gloss.as_ref()?;
        (key.name == *name && key.value.as_bytes() == value && key.reveal == self.reveal).then_some(gloss)
    }

    /// Asks for what the screen needs and nobody has asked for yet. Returns whether that changes
    /// what is seen.
    fn ask(&mut self, effects: &mut Vec<Effect>) -> bool {
        let value = self.names.chosen().and_then(|name| match self.screen {
            Screen::Flow => self.flow.value(name),
            _ => self.selected().and_then(|p| p.received.block()).and_then(|b| b.value(name.as_bytes())),
        });
        if let (Some(name), Some(value)) = (self.names.chosen(), value) {
            let key = GlossKey { name: name.clone(), value, reveal: self.reveal };
            if self.gloss_asked.as_ref() != Some(&key) {
                self.gloss_asked = Some(key.clone());
                effects.push(Effect::Gloss(key));
            }
        }
        let Some(pid) = self.selected().map(|p| p.id.pid) else { return false };
        let wants_now = self.screen == Screen::Processes && self.processes.view == View::Now;
        let asks_now = wants_now && !self.processes.now.contains_key(&pid);
        if asks_now {
            self.read_now(pid, effects);
        }
        asks_now
    }

    fn read_now(&mut self, pid: i32, effects: &mut Vec<Effect>) {
        if let Some(why) = self.nothing_now {
            self.processes.now.insert(pid, Now::Failed(why.to_owned()));
        } else {
            self.processes.now.insert(pid, Now::Reading);
            effects.push(Effect::ReadNow(pid));
        }
    }

    fn take_updates(&mut self, updates: Vec<Update>, done: usize, total: usize) {
        let mut changed = false;
        // The host stands aside while a recording is shown; it is kept up to date all the same.
        let (world, processes, is_shown) = match &mut self.aside {
            Some(scene) if scene.recorded.is_none() => (&mut scene.world, &mut scene.processes, false),
            _ => (&mut self.world, &mut self.processes, true),
        };
        let world = Arc::make_mut(world);
        for update in updates {
            changed |= match update {
                Update::Put(process) => world.put(process),
                Update::Adopted(pid, parent) => world.adopt(pid, parent),
                Update::Gone(pid) => {
                    processes.now.remove(&pid);
                    world.remove(pid)
                }
            };
        }
        if changed {
            processes.forget_counts();
        }
        if !is_shown {
            return;
        }
        self.progress = (done < total).then_some((done, total));
        self.names_are_stale |= changed;
        self.find_again |= changed;
        if self.processes.selected.is_none() {
            self.select_self();
        }
    }

    /// The first process that a person looks at is their shell, the parent of this program.
    fn select_self(&mut self) {
        let own = i32::try_from(std::process::id()).ok().filter(|_| self.nothing_now.is_none());
        if let Some(process) = own.and_then(|pid| self.world.get(pid)) {
            let shell = self.world.parent(process).map_or(process.id.pid, |p| p.id.pid);
            self.processes.selected = Some(shell);
            self.tree_is_stale = true;
        }
    }

    fn take_now(&mut self, pid: i32, now: Result<(Block, Option<Keeper>), String>) {
        if self.compare_now == Some(pid) {
            self.compare_now = None;
            let side = self.world.get(pid).map(|p| (label(p), p.received.block().cloned()));
            match (&now, side) {
                (Ok((block, _)), Some((text, Some(received)))) => {
                    self.compare.left = Some(Side { label: text.clone(), block: received });
                    self.compare.right = Some(Side { label: format!("{text}, now"), block: block.clone() });
                    self.open(Screen::Compare);
                }
                (Ok(_), _) => self.notice = Some("what it received is not known: there is nothing to compare with".to_owned()),
                (Err(why), _) => self.notice = Some(why.clone()),
            }
        }
        let now = match now {
            Ok((block, keeper)) => Now::Block(block, keeper),
            Err(why) => Now::Failed(why),
        };
        self.processes.now.insert(pid, now);
    }

    /// Opens a screen.
    pub(super) fn open(&mut self, screen: Screen) {
        if self.screen != screen {
            self.screen = screen;
            self.names.filter = Input::default();
            self.names_are_stale = true;
            if matches!(screen, Screen::Flow | Screen::Processes) {
                self.home = screen;
            }
            if !self.has_tree() && self.focus == Focus::Main {
                self.focus = Focus::Names;
            }
        }
        self.names_are_stale |= screen != Screen::Processes;
    }

    /// Whether the main pane has a cursor of its own, rather than the names' one.
    pub(super) fn has_tree(&self) -> bool {
        match self.screen {
            Screen::Processes => true,
            Screen::Flow => self.flow.layout == Layout::Tree,
            Screen::Compare | Screen::Files => false,
        }
    }

    pub(super) fn place(&self) -> Place {
        match self.screen {
            Screen::Flow => Place::Flow,
            Screen::Processes => Place::Processes,
            Screen::Compare => Place::Compare,
            Screen::Files => Place::Files,
        }
    }

    fn key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
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
    fn typed(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
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

    fn paste(&mut self, text: &str) {
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
    fn sideways(&mut self, left: bool) {
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

    fn page(&self) -> isize {
        match self.focus {
            Focus::Names => self.names.scroll.page(),
            Focus::Main if !self.has_tree() => self.names.scroll.page(),
            Focus::Main if self.screen == Screen::Flow => self.flow.scroll.page(),
            Focus::Main => self.processes.scroll.page(),
            Focus::Detail => isize::try_from(self.areas.detail.height).unwrap_or(1),
        }
    }

    fn pane(&self, steps: usize) -> Focus {
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

    fn move_by(&mut self, rows: isize) {
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

    fn back(&mut self) {
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

    fn go_to(&mut self, finding: &Finding) {
        self.open(Screen::Processes);
        self.settle();
        self.names.choose(&finding.name);
        self.processes.go_to(finding.pid, &self.world);
        self.processes.view = View::Value;
        self.processes.detail = Scroll::default();
        self.focus = Focus::Main;
        self.tree_is_stale = true;
    }

    fn side_of(&mut self, process: Option<&Process>) -> Option<Side> {
        let process = process?;
        match process.received.block() {
            Some(block) => Some(Side { label: label(process), block: block.clone() }),
            None => {
                self.notice = Some(format!("{}: {}", label(process), process.received.why_not().unwrap_or_default()));
                None
            }
        }
    }

    fn mark_side(&mut self) {
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

    fn compare_with_parent(&mut self) {
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
    fn take_fix(&mut self, effects: &mut Vec<Effect>) {
        let Some(name) = self.names.chosen().cloned() else { return };
        match self.files.take_fix(&name, &self.surroundings()) {
            Ok(Some(effect)) => effects.push(effect),
            Ok(None) => self.notice = Some(format!("{name} is spelt so that all agree, in this made-up file")),
            Err(why) => self.notice = Some(why),
        }
        self.names_are_stale = true;
    }

    fn replaced(&mut self, path: &Path, written: Result<Vec<u8>, String>) {
        self.notice = Some(match written {
            Ok(bytes) => {
                let title = inert(path.as_os_str().as_bytes()).into_owned();
                let around = self.surroundings();
                self.files.put(Source { title: title.clone(), path: Some(path.to_owned()), bytes }, &around);
                self.names_are_stale = true;
                format!("{title} is written")
            }
            Err(why) => format!("not written: {why}"),
        });
    }

    fn surroundings(&self) -> Surroundings {
        Surroundings { outer: self.own_block.clone(), ..Surroundings::default() }
    }

    fn copy_value(&mut self, effects: &mut Vec<Effect>) {
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
    fn open_export(&mut self) {
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

    fn open_run(&mut self, is_traced: bool) {
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

/// Returns a process's name and number.
pub(crate) fn label(process: &Process) -> String {
    format!("{} ({})", inert(&process.program), process.id.pid)
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
