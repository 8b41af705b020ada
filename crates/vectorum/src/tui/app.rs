//! The state of the interface and how messages change it. It has one owner, and nothing here
//! waits, reads or draws: what takes time is handed out as an [`Effect`].

use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::Sender;

use ratatui::crossterm::event::{KeyEvent, MouseEvent};
use ratatui::layout::Rect;
use ratatui::text::Line;
use tui_input::Input;
use vectorum_core::reader::Surroundings;
use vectorum_core::route::{Before, Route, Survey};
use vectorum_core::{Block, Finding, Fingerprinter, Gloss, Limits, Name, Process, Value, World, inert};
use vectorum_host::{Ending, Group, Keeper, RunError, Update};
use vectorum_trace::recording::Fact;

use super::compare::{Compare, Side};
use super::draw::Areas;
use super::export::Leaving;
use super::files::{Files, Source};
use super::flow::{Flow, Layout};
use super::keys::Place;
use super::names::{NameRow, Names};
use super::overlay::Overlay;
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
    pub(super) home: Screen,
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
    pub(super) compare_now: Option<i32>,
    pub(super) names_are_stale: bool,
    pub(super) tree_is_stale: bool,
    pub(super) name_is_new: bool,
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

    pub(super) fn read_now(&mut self, pid: i32, effects: &mut Vec<Effect>) {
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

    pub(super) fn surroundings(&self) -> Surroundings {
        Surroundings { outer: self.own_block.clone(), ..Surroundings::default() }
    }
}

/// Returns a process's name and number.
pub(crate) fn label(process: &Process) -> String {
    format!("{} ({})", inert(&process.program), process.id.pid)
}
