//! Probes that were run from here, and what they say of the host's routes.

use std::io::Read;
use std::os::fd::AsRawFd;
use std::sync::{Arc, Mutex, PoisonError};

use vectorum_core::HostView;
use vectorum_core::route::{Before, Probed, Route, Survey};

use crate::cli::probed;

/// What was seen of each route, with what was forecast of it then.
#[derive(Clone, Debug, Default)]
pub(crate) struct Probes(Arc<Mutex<Vec<(Route, Before, Probed)>>>);

impl Probes {
    /// Keeps what a probe saw.
    pub(crate) fn keep(&self, route: Route, before: Before, seen: Probed) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(other, ..)| *other != route);
        kept.push((route, before, seen));
    }

    /// Settles what was probed, where the forecast is still what it was then; what is outdated is dropped.
    pub(crate) fn settle(&self, survey: &mut Survey, files: &dyn HostView) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(route, before, _)| survey.before(route).as_ref() == Some(before));
        for (route, _, seen) in kept.iter() {
            survey.settle(route, seen, files);
        }
    }
}

/// A file in memory into which a probe writes what it saw: values of variables do not belong on a disk.
pub(crate) struct Inlet(std::fs::File);

impl Inlet {
    /// Makes one.
    pub(crate) fn new() -> std::io::Result<Inlet> {
        let made = nix::sys::memfd::memfd_create(c"probe", nix::sys::memfd::MFdFlags::MFD_CLOEXEC)?;
        Ok(Inlet(std::fs::File::from(made)))
    }

    /// The name by which another process of this account opens it.
    pub(crate) fn path(&self) -> String {
        format!("/proc/{}/fd/{}", std::process::id(), self.0.as_raw_fd())
    }

    /// Reads what was written into it.
    pub(crate) fn read(mut self) -> Option<Probed> {
        let mut text = Vec::new();
        self.0.read_to_end(&mut text).ok()?;
        probed(&text)
    }
}
