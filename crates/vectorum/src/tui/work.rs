//! What takes time, on threads that only send messages.

use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::thread;
use std::time::{Duration, Instant};

use vectorum_core::{Fingerprinter, HostView, Limits, World, findings, gloss};
use vectorum_host::{Peek, ProcFolder, Scanner, live_block};
use vectorum_trace::{Recording, RecordingError};

use super::app::{GlossKey, Message};

/// How long the scanner rests between two scans.
const REST: Duration = Duration::from_millis(1500);

/// Starts the thread that keeps up with the processes; a message on the channel that it returns
/// makes it look again at once.
pub(crate) fn scanner(to: Sender<Message>) -> Sender<()> {
    let (again, asked) = channel();
    thread::spawn(move || {
        let mut scanner = match Scanner::open(Path::new("/proc"), Peek::Allowed) {
            Ok(scanner) => scanner,
            Err(error) => {
                // The interface may be gone already.
                let _ =
                    to.send(Message::ScanFailed(format!("/proc cannot be read: {error}; mount it: mount -t proc proc /proc")));
                return;
            }
        };
        while scan(&mut scanner, &to) {
            match asked.recv_timeout(REST) {
                Ok(()) | Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return,
            }
        }
    });
    again
}

/// Scans once, in portions, so that the first processes show at once. Returns whether somebody
/// still listens.
fn scan(scanner: &mut Scanner, to: &Sender<Message>) -> bool {
    let mut portion = Vec::new();
    let mut since = Instant::now();
    let mut heard = true;
    let mut last = (0, 0);
    let scanned = scanner.scan(|update, done, total| {
        portion.push(update);
        last = (done, total);
        if portion.len() >= 512 || since.elapsed() > Duration::from_millis(40) {
            heard = to.send(Message::Updates(std::mem::take(&mut portion), done, total)).is_ok();
            since = Instant::now();
        }
        heard
    });
    if let Err(error) = scanned {
        heard &= to.send(Message::ScanFailed(format!("the processes cannot be listed: {error}"))).is_ok();
    }
    if !portion.is_empty() {
        heard &= to.send(Message::Updates(portion, last.1, last.1)).is_ok();
    }
    heard && to.send(Message::ScanEnded).is_ok()
}

/// Reads a recording.
pub(crate) fn read_recording(path: &Path) -> Result<Recording, RecordingError> {
    Recording::read(BufReader::new(File::open(path)?))
}

/// Starts the thread that reads a recording, and reads it again as long as it grows.
pub(crate) fn reader(to: Sender<Message>, path: PathBuf) -> Sender<()> {
    let (again, asked) = channel();
    thread::spawn(move || {
        let mut last = None;
        loop {
            let begun = Instant::now();
            let (message, is_complete) = match read_recording(&path) {
                Ok(recording) => {
                    let state = (recording.receipts.len(), recording.is_complete);
                    let is_complete = recording.is_complete;
                    let is_new = last.replace(state) != Some(state);
                    (is_new.then(|| Message::Recorded(Box::new(recording))), is_complete)
                }
                Err(error) => (Some(Message::ScanFailed(format!("the recording cannot be read: {error}"))), false),
            };
            if message.is_some_and(|m| to.send(m).is_err() || to.send(Message::ScanEnded).is_err()) {
                return;
            }
            // A long recording is read again less often: it must not take a processor for itself.
            let rest = if is_complete { Duration::from_secs(3600) } else { REST.max(begun.elapsed() * 5) };
            if matches!(asked.recv_timeout(rest), Err(RecvTimeoutError::Disconnected)) {
                return;
            }
        }
    });
    again
}

/// Something to work out.
pub(crate) enum Job {
    Gloss(GlossKey),
    Now(i32),
    Find(Box<World>),
}

/// Starts the thread that works things out, one after the other. Of jobs that wait, a newer one
/// replaces an older one of its kind.
pub(crate) fn worker(to: Sender<Message>, host: Box<dyn HostView + Send>, prints: Fingerprinter, limits: Limits) -> Sender<Job> {
    let (jobs, waiting) = channel();
    thread::spawn(move || {
        while let Some(queue) = take_waiting(&waiting) {
            for job in queue {
                let message = match job {
                    Job::Gloss(key) => {
                        let made = gloss(key.name.as_bytes(), key.value.as_bytes(), &*host, &prints, key.reveal);
                        Message::Gloss(key, made)
                    }
                    Job::Find(world) => Message::Findings(findings(&world, &limits)),
                    Job::Now(pid) => {
                        let open = ProcFolder::open(Path::new("/proc"), Peek::Allowed).map_err(|e| e.to_string());
                        let live = open.and_then(|mut proc| live_block(&mut proc, pid).map_err(|e| e.to_string()));
                        Message::Now(pid, live.map(|l| (l.block, l.keeper)))
                    }
                };
                if to.send(message).is_err() {
                    return;
                }
            }
        }
    });
    jobs
}

/// Waits for a job and takes all that wait; `None` when nobody can send any more.
fn take_waiting(waiting: &Receiver<Job>) -> Option<Vec<Job>> {
    let mut queue: Vec<Job> = vec![waiting.recv().ok()?];
    queue.extend(waiting.try_iter());
    let newest = |is: fn(&Job) -> bool| queue.iter().rposition(is);
    let (gloss, find) = (newest(|j| matches!(j, Job::Gloss(_))), newest(|j| matches!(j, Job::Find(_))));
    let wanted = |at: usize, job: &Job| match job {
        Job::Gloss(_) => Some(at) == gloss,
        Job::Find(_) => Some(at) == find,
        Job::Now(_) => true,
    };
    let kept = queue.into_iter().enumerate().filter(|(at, job)| wanted(*at, job)).map(|(_, job)| job);
    Some(kept.collect())
}
