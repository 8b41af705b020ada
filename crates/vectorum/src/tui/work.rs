//! What takes time, on threads that only send messages.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::thread;
use std::time::{Duration, Instant};

use vectorum_core::route::Survey;
use vectorum_core::{Block, Fingerprinter, HostView, Limits, World, findings, gloss, inert};
use vectorum_host::{Group, Peek, ProcFolder, Scanner, live_block, start_apart};
use vectorum_trace::recording::{self, Fact, Head, RecordingError};

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

/// Reads the beginning of a recording: enough to see that it is one.
pub(crate) fn recording_head(path: &Path) -> Result<Head, RecordingError> {
    let mut first = Vec::new();
    BufReader::new(File::open(path)?).take(1 << 20).read_until(b'\n', &mut first)?;
    let mut reader = recording::Reader::default();
    reader.feed(&first, |_| ())?;
    reader.head().cloned().ok_or(RecordingError::NoRecording)
}

/// Starts the thread that reads a recording, and goes on reading as long as it grows. The messages
/// bear the number given.
pub(crate) fn reader(to: Sender<Message>, path: PathBuf, number: u32) -> Sender<()> {
    let (again, asked) = channel();
    thread::spawn(move || {
        let mut growing = Growing { file: None, reader: recording::Reader::default(), at: 0, last: Instant::now() };
        loop {
            let rest = match growing.read_on(&to, number) {
                Ok(Some(true)) => Duration::from_secs(3600),
                Ok(Some(false)) => GROWTH,
                // Nobody listens any more.
                Ok(None) => return,
                Err(error) => {
                    let text = format!("{}: {}", inert(path.as_os_str().as_bytes()), told(&error));
                    if to.send(Message::ScanFailed(text)).is_err() {
                        return;
                    }
                    Duration::from_secs(3600)
                }
            };
            match asked.recv_timeout(if growing.file.is_none() { Duration::ZERO } else { rest }) {
                Ok(()) | Err(RecvTimeoutError::Timeout) if growing.file.is_none() => match File::open(&path) {
                    Ok(file) => growing.file = Some(file),
                    Err(_) => thread::sleep(GROWTH),
                },
                Ok(()) | Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return,
            }
        }
    });
    again
}

fn told(error: &RecordingError) -> String {
    match error {
        RecordingError::Io(io) => format!("the recording cannot be read: {io}"),
        other => format!("the recording cannot be read on: {other}"),
    }
}

/// How long a recording is left alone before it is looked at again.
const GROWTH: Duration = Duration::from_millis(250);

/// A recording that may be still growing.
struct Growing {
    file: Option<File>,
    reader: recording::Reader,
    at: u64,
    last: Instant,
}

impl Growing {
    /// Reads what is there. Returns whether that is all there will be; `None` if nobody listens.
    fn read_on(&mut self, to: &Sender<Message>, number: u32) -> Result<Option<bool>, RecordingError> {
        let Some(file) = &mut self.file else { return Ok(Some(false)) };
        // The first receipts show at once.
        const MOST: usize = 1 << 20;
        let mut portion = 1 << 16;
        // What was sent and not taken yet must not pile up.
        let mut before: Option<Receiver<()>> = None;
        let mut bytes = vec![0; 1 << 16];
        let mut is_complete = false;
        loop {
            let length = file.metadata()?.len();
            if length < self.at {
                return Err(io::Error::other("it became shorter while it was read; r reads it from its beginning").into());
            }
            let (mut facts, mut taken) = (Vec::new(), 0);
            while taken < portion {
                let read = file.read(&mut bytes)?;
                if read == 0 {
                    break;
                }
                taken += read;
                let fed = self.reader.feed(bytes.get(..read).unwrap_or_default(), |fact| {
                    is_complete |= fact == Fact::End;
                    facts.push(fact);
                });
                if let Err(error) = fed {
                    // What came before the wrong line is shown.
                    let _ = to.send(Message::Facts { number, facts, done: 1, total: 1, per_second: None, taken: None });
                    return Err(error);
                }
            }
            self.at += taken as u64;
            let is_end = taken < portion;
            let receipts = facts.iter().filter(|f| matches!(f, Fact::Receipt(_))).count();
            let per_second = is_end.then(|| receipts as f64 / self.last.elapsed().as_secs_f64().max(0.001));
            self.last = Instant::now();
            let (done, total) = if is_end { (1, 1) } else { (self.at as usize, length as usize) };
            let (taken, waited_for) = channel();
            if to.send(Message::Facts { number, facts, done, total, per_second, taken: Some(taken) }).is_err() {
                return Ok(None);
            }
            // Its other end goes with the message.
            if let Some(before) = before.replace(waited_for) {
                let _ = before.recv();
            }
            if is_end {
                return Ok(Some(is_complete));
            }
            portion = MOST;
        }
    }
}

/// Starts a command under a trace, away from the terminal. Its recording and what it prints go
/// into a folder of its own, which only this account may look into.
///
/// # Errors
/// A sentence for the person.
pub(crate) fn trace_apart(to: &Sender<Message>, command: &[Vec<u8>], block: &Block, number: u32) -> Result<Tracing, String> {
    let folder = nix::unistd::mkdtemp(&std::env::temp_dir().join("vectorum-XXXXXX"))
        .map_err(|e| format!("no folder for the recording in {}: {}", std::env::temp_dir().display(), e.desc()))?;
    let recording = folder.join("recording.jsonl");
    let output = File::create(folder.join("output")).map_err(|e| format!("no file for the output: {e}"))?;
    let own = std::env::current_exe().map_err(|e| format!("this program cannot be started again: {e}"))?;
    let mut whole = vec![
        own.into_os_string().into_vec(),
        b"trace".to_vec(),
        b"-o".to_vec(),
        recording.as_os_str().as_bytes().to_vec(),
        b"--".to_vec(),
    ];
    whole.extend(command.iter().cloned());
    let apart = start_apart(&whole, block, &output).map_err(|e| e.to_string())?;
    let group = apart.group();
    let to = to.clone();
    thread::spawn(move || {
        // The interface may be gone by then.
        let _ = to.send(Message::TraceEnded(number, apart.wait()));
    });
    Ok(Tracing { number, group, folder, recording, title: super::scene::title(command) })
}

/// A trace that was started from here.
#[derive(Clone, Debug)]
pub(crate) struct Tracing {
    pub(crate) number: u32,
    /// The process group of the command.
    pub(crate) group: Group,
    /// What the command is called.
    pub(crate) title: String,
    /// Where its files are.
    pub(crate) folder: PathBuf,
    pub(crate) recording: PathBuf,
}

/// Starts the thread that follows the routes of a host, at once and whenever it is asked to.
pub(crate) fn surveyor(to: Sender<Message>, look: Look) -> Sender<()> {
    let (again, asked) = channel();
    thread::spawn(move || {
        loop {
            if to.send(Message::Surveyed(look().map(Arc::new))).is_err() || asked.recv().is_err() {
                return;
            }
            // Who asked twice meanwhile gets one answer.
            while asked.try_recv().is_ok() {}
        }
    });
    again
}

/// Follows the routes of a host, or says why that cannot be done.
pub(crate) type Look = Box<dyn Fn() -> Result<Survey, String> + Send>;

/// Something to work out.
pub(crate) enum Job {
    Gloss(GlossKey),
    Now(i32),
    Find(Arc<World>),
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
