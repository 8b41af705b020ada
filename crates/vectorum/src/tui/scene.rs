//! The host and a recording: one is shown, the other stands aside. A trace that is started from
//! here is a recording that grows.

use std::sync::Arc;

use vectorum_core::{Name, World, inert};
use vectorum_host::{Ending, RunError};
use vectorum_trace::recording::{Fact, Reader};

use super::app::{App, Effect, Screen};
use super::processes::Processes;
use super::work::Tracing;
use crate::recorded::Recorded;

/// What can be shown: the processes of a host, or those of a recording.
#[derive(Debug, Default)]
pub(crate) struct Scene {
    pub(crate) world: Arc<World>,
    pub(crate) recorded: Option<Recorded>,
    pub(crate) processes: Processes,
}

impl App {
    /// Shows the host or the recording.
    pub(super) fn show_scene(&mut self, recording: bool) {
        if recording && self.recorded.is_none() && self.aside.is_none() {
            let Some(bytes) = self.shipped else {
                self.notice = Some("no recording is open; X traces a command, vectorum --recording FILE opens one".to_owned());
                return;
            };
            self.put_aside(Recorded::new("berth-board's morning round".to_owned()));
            let mut facts = Vec::new();
            // What ships is tested to be whole.
            if let Err(error) = Reader::default().feed(bytes, |fact| facts.push(fact)) {
                self.notice = Some(error.to_string());
            }
            self.take_facts(self.recording_number, facts, false);
            // What the recording tells most about, if nothing else was asked for.
            if let Some(name) = Name::new("BERTH_STAGE") {
                self.names.choose(&name);
            }
        } else if recording != self.recorded.is_some() {
            if self.aside.is_some() {
                self.swap();
            } else {
                self.notice = Some("this is a recording only; vectorum alone shows this host".to_owned());
            }
        }
        self.open(Screen::Processes);
    }

    /// Begins with an empty recording and keeps the host aside.
    fn put_aside(&mut self, recorded: Recorded) {
        if self.recorded.is_some() {
            // One recording gives way to another.
            self.world = Arc::default();
            self.processes = Processes::default();
        } else if let Some(scene) = &mut self.aside {
            *scene = Scene::default();
            self.swap();
        } else {
            self.aside = Some(Scene::default());
            self.swap();
        }
        self.recorded = Some(recorded);
        self.per_second = None;
        self.stale();
    }

    fn swap(&mut self) {
        let Some(scene) = &mut self.aside else { return };
        std::mem::swap(&mut self.world, &mut scene.world);
        std::mem::swap(&mut self.recorded, &mut scene.recorded);
        std::mem::swap(&mut self.processes, &mut scene.processes);
        self.stale();
    }

    fn stale(&mut self) {
        self.names.filter = tui_input::Input::default();
        self.names_are_stale = true;
        self.find_again = true;
        self.gloss_asked = None;
    }

    /// Takes in what a recording says. While `more` is to come, the tree grows by doubling: each
    /// time it is made anew as a whole.
    pub(super) fn take_facts(&mut self, number: u32, facts: Vec<Fact>, more: bool) {
        // Those of a recording that gave way come too late.
        if number != self.recording_number {
            return;
        }
        let (world, recorded, processes, is_shown) = match (&mut self.recorded, &mut self.aside) {
            (Some(recorded), _) => (&mut self.world, recorded, &mut self.processes, true),
            (None, Some(Scene { world, recorded: Some(recorded), processes })) => (world, recorded, processes, false),
            _ => return,
        };
        if facts.is_empty() && more {
            return;
        }
        let world = Arc::make_mut(world);
        for fact in facts {
            recorded.take(world, fact);
        }
        processes.forget_counts();
        processes.selected = processes.selected.or(recorded.first());
        let is_due = !more || recorded.len() > 2 * processes.count_rows();
        if is_shown && is_due {
            self.names_are_stale = true;
            self.find_again = true;
        }
    }

    pub(super) fn trace_started(&mut self, started: Result<Tracing, String>) {
        match started {
            Ok(tracing) => {
                self.recording_number = tracing.number;
                self.put_aside(Recorded::new(tracing.title.clone()));
                self.notice = Some(format!("recording in {}; E ends it", tracing.recording.display()));
                self.tracing = Some(tracing);
                self.is_ending = false;
                self.open(Screen::Processes);
            }
            Err(why) => self.notice = Some(format!("not traced: {why}")),
        }
    }

    pub(super) fn trace_ended(&mut self, number: u32, ended: Result<Ending, RunError>) {
        let Some(tracing) = self.tracing.take_if(|t| t.number == number) else { return };
        let how = match ended {
            Ok(Ending::Exited(status)) => format!("ended with exit status {status}"),
            Ok(Ending::Signalled(signal)) => format!("was ended by {signal}"),
            Err(error) => error.to_string(),
        };
        self.notice = Some(format!("{} {how}; its output and recording are in {}", tracing.title, tracing.folder.display()));
    }

    /// Asks the traced command to end; asked again, ends it by force.
    pub(super) fn end_trace(&mut self, effects: &mut Vec<Effect>) {
        let Some(tracing) = &self.tracing else {
            self.notice = Some("no trace runs that was started from here".to_owned());
            return;
        };
        effects.push(Effect::EndTrace(tracing.group, self.is_ending));
        self.notice = Some(if self.is_ending {
            format!("{} is ended by force", tracing.title)
        } else {
            format!("{} was asked to end; E again ends it by force", tracing.title)
        });
        self.is_ending = true;
    }
}

/// Returns the words by which a command is called on the screen.
pub(super) fn title(command: &[Vec<u8>]) -> String {
    let first = command.first().map(Vec::as_slice).unwrap_or_default();
    let from = first.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    inert(first.get(from..).unwrap_or_default()).into_owned()
}
