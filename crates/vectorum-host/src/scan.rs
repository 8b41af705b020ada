//! Keeping up with all processes.

use std::collections::HashMap;
use std::io;
use std::path::Path;

use bytes::Bytes;
use vectorum_core::{Process, Received};

use crate::proc::{Peek, Place, ProcFolder};

/// What happened since the scan before.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Update {
    /// A process is new, or has become another program.
    Put(Process),
    /// A process has another parent, with the number given second.
    Adopted(i32, i32),
    /// A process is gone.
    Gone(i32),
}

/// What tells that a process is no longer what was read.
#[derive(Debug, PartialEq, Eq)]
struct Seen {
    started: u64,
    parent: i32,
    program: Bytes,
    place: Place,
    scan: u64,
}

/// Reads all processes and then, scan by scan, only what changed.
///
/// A process is read again only when it was replaced by another program; a block that was read
/// before its program wrote over it stays known.
#[derive(Debug)]
pub struct Scanner {
    proc: ProcFolder,
    seen: HashMap<i32, Seen>,
    scan: u64,
}

impl Scanner {
    /// Opens a mounted /proc.
    ///
    /// # Errors
    /// If it cannot be opened.
    pub fn open(path: &Path, peek: Peek) -> io::Result<Scanner> {
        Ok(Scanner { proc: ProcFolder::open(path, peek)?, seen: HashMap::new(), scan: 0 })
    }

    /// Gives the /proc that is scanned.
    pub fn proc(&mut self) -> &mut ProcFolder {
        &mut self.proc
    }

    /// Looks at every process once and gives what changed to `sink`, with how many processes
    /// were looked at and how many there are. The scan ends early when `sink` returns `false`.
    ///
    /// # Errors
    /// If the list of processes cannot be read. Single processes that vanish are no error.
    pub fn scan(&mut self, mut sink: impl FnMut(Update, usize, usize) -> bool) -> io::Result<()> {
        self.scan += 1;
        let pids = self.proc.pids()?;
        let total = pids.len();
        for (done, pid) in pids.into_iter().enumerate() {
            let goes_on = self.look(pid).is_none_or(|update| sink(update, done + 1, total));
            if !goes_on {
                return Ok(());
            }
        }
        let scan = self.scan;
        let gone: Vec<i32> = self.seen.iter().filter(|(_, s)| s.scan != scan).map(|(pid, _)| *pid).collect();
        for pid in gone {
            self.seen.remove(&pid);
            if !sink(Update::Gone(pid), total, total) {
                break;
            }
        }
        Ok(())
    }

    fn look(&mut self, pid: i32) -> Option<Update> {
        let folder = self.proc.pid(pid).ok()?;
        let stat = self.proc.stat(pid, &folder).ok()?;
        let scan = self.scan;
        let known = self.seen.get_mut(&pid).filter(|s| s.started == stat.started);
        if let Some(seen) = known {
            // What has ended keeps the block that it had.
            let same = stat.has_ended || (seen.place == stat.place && seen.program == stat.program);
            if same {
                seen.scan = scan;
                let moved = seen.parent != stat.parent;
                seen.parent = stat.parent;
                return moved.then_some(Update::Adopted(pid, stat.parent));
            }
        }
        let process = self.proc.read_open(pid, &folder, stat.clone()).ok()?;
        // A process that is between two programs is looked at again.
        let settled = !matches!(process.received, Received::Pending);
        let place = if settled { stat.place } else { Place::default() };
        self.seen.insert(pid, Seen { started: stat.started, parent: process.parent, program: stat.program, place, scan });
        Some(Update::Put(process))
    }
}
