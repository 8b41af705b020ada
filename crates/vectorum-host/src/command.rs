//! Starting a command of a route, hearing what it writes, and ending it with all that it started.

use std::ffi::OsString;
use std::fs;
use std::io::{self, Read};
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::process::CommandExt;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use vectorum_core::Block;

/// Why a route was not probed.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ProbeError {
    /// Something of it could not be done.
    #[error("{what}: {cause}")]
    Io {
        /// What was tried.
        what: &'static str,
        /// What the system said.
        cause: io::Error,
    },
    /// Nothing arrived at its end.
    #[error("nothing arrived at the end of the route within {0} seconds{1}")]
    Nothing(u64, String),
    /// It did not end.
    #[error("it ran longer than {0} seconds, and was ended")]
    Longer(u64),
    /// It printed more than is kept.
    #[error("it printed more than {MOST_SAID} bytes, of which no part would be the whole")]
    TooMuch,
}

pub(crate) fn io_error(what: &'static str) -> impl FnOnce(io::Error) -> ProbeError {
    move |cause| ProbeError::Io { what, cause }
}

/// How a command is started.
#[derive(Debug)]
pub struct ProbeCommand {
    /// Its program and arguments.
    pub words: Vec<OsString>,
    /// The name by which it is called, if another.
    pub called: Option<OsString>,
    /// Its block.
    pub block: Block,
    /// As whom: account and group, if not as this account.
    pub account: Option<(u32, u32)>,
    /// Where.
    pub folder: PathBuf,
    /// Its terminal, if it has one.
    pub terminal: Option<Terminal>,
}

/// A command's terminal.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Terminal {
    /// Nothing is typed at it.
    Quiet,
    /// This is typed once it prompts.
    Typed(String),
}

/// What came from a command besides what arrived at its end.
#[derive(Debug, Default)]
pub struct Said {
    /// What it wrote to its terminal, or to standard error, each piece with when it came.
    pub chunks: Vec<(Duration, Vec<u8>)>,
    /// When the command was typed.
    pub typed: Option<Duration>,
}

impl ProbeCommand {
    pub(crate) fn prepared(&self) -> Command {
        // One without a program cannot be started, which the system says.
        let mut words = self.words.iter();
        let mut command = Command::new(words.next().map(OsString::as_os_str).unwrap_or_default());
        command.args(words).current_dir(&self.folder).env_clear();
        if let Some(called) = &self.called {
            command.arg0(called);
        }
        for (name, value) in self.block.vars() {
            command.env(OsString::from_vec(name.as_bytes().to_vec()), OsString::from_vec(value.as_bytes().to_vec()));
        }
        if let Some((uid, gid)) = self.account {
            command.uid(uid).gid(gid);
        }
        command
    }

    /// Runs it to its end and returns what it wrote to standard output, and its exit status; `None` for
    /// one that a signal ended. Nothing is typed at it, and what it says besides is not heard.
    ///
    /// # Errors
    /// If it cannot be started, does not end in that time, or prints more than is kept.
    pub fn output(&self, seconds: u64) -> Result<(Vec<u8>, Option<u8>), ProbeError> {
        let mut command = self.prepared();
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null()).process_group(0);
        let begin = Instant::now();
        let mut child = command.spawn().map_err(io_error("the program"))?;
        let listener = Listener::to(child.stdout.take(), begin);
        let end = begin + Duration::from_secs(seconds);
        let status = loop {
            match child.try_wait().map_err(io_error("the program"))? {
                Some(status) => break Some(status),
                None if Instant::now() > end => break None,
                None => std::thread::sleep(Duration::from_millis(5)),
            }
        };
        if status.is_none() {
            end_group(&mut child);
        }
        let heard = listener.finish();
        let Some(status) = status else { return Err(ProbeError::Longer(seconds)) };
        if heard.length > MOST_SAID {
            return Err(ProbeError::TooMuch);
        }
        let text = heard.chunks.into_iter().flat_map(|(_, piece)| piece).collect();
        Ok((text, status.code().and_then(|code| u8::try_from(code).ok())))
    }
}

/// More of what a command writes is not kept.
const MOST_SAID: usize = 64 << 20;

/// What is kept of what a command writes; how much came.
#[derive(Debug, Default)]
pub(crate) struct Heard {
    pub(crate) chunks: Vec<(Duration, Vec<u8>)>,
    length: usize,
}

impl Heard {
    fn take(&mut self, since: Instant, piece: &[u8]) {
        self.length += piece.len();
        if self.length <= MOST_SAID {
            self.chunks.push((since.elapsed(), piece.to_vec()));
        }
    }
}

fn locked(heard: &Mutex<Heard>) -> MutexGuard<'_, Heard> {
    // Whoever panicked with it left whole chunks behind.
    heard.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Somebody who listens to what a command writes, until it is over.
pub(crate) struct Listener {
    heard: Arc<Mutex<Heard>>,
    is_over: Arc<AtomicBool>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl Listener {
    /// Listens to one side of a pipe or a terminal; where there is none, nothing is heard.
    pub(crate) fn to(from: Option<impl Into<OwnedFd>>, begin: Instant) -> Listener {
        let (heard, is_over) = (Arc::default(), Arc::new(AtomicBool::new(false)));
        let thread = from.map(|from| read_along(fs::File::from(from.into()), &heard, &is_over, begin));
        Listener { heard, is_over, thread }
    }

    /// How many bytes were heard so far.
    pub(crate) fn length(&self) -> usize {
        locked(&self.heard).length
    }

    /// Stops listening and returns what was heard.
    pub(crate) fn finish(mut self) -> Heard {
        self.is_over.store(true, Ordering::Relaxed);
        drop(self.thread.take().map(std::thread::JoinHandle::join));
        std::mem::take(&mut *locked(&self.heard))
    }
}

impl Drop for Listener {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
    }
}

/// Starts a thread that reads what a command writes, until it is over.
fn read_along(
    mut from: fs::File,
    heard: &Arc<Mutex<Heard>>,
    over: &Arc<AtomicBool>,
    begin: Instant,
) -> std::thread::JoinHandle<()> {
    use nix::poll::{PollFd, PollFlags, PollTimeout, poll};
    let (heard, is_over) = (Arc::clone(heard), Arc::clone(over));
    std::thread::spawn(move || {
        let mut buffer = vec![0; 1 << 16];
        let mut after = 0;
        // What was written before the end is still taken; a program that outlives the route may hold the
        // other side, and reading ends all the same.
        while after < 64 {
            let ended = is_over.load(Ordering::Relaxed);
            after += usize::from(ended);
            let mut ready = [PollFd::new(from.as_fd(), PollFlags::POLLIN)];
            match poll(&mut ready, PollTimeout::from(if ended { 0u8 } else { 100 })) {
                Ok(1..) => match from.read(&mut buffer) {
                    Ok(length @ 1..) => locked(&heard).take(begin, buffer.get(..length).unwrap_or_default()),
                    _ => break,
                },
                _ if ended => break,
                _ => {}
            }
        }
    })
}

pub(crate) fn end_group(child: &mut std::process::Child) {
    if let Ok(pid) = i32::try_from(child.id()) {
        // Its group may be gone already.
        let _ = nix::sys::signal::killpg(nix::unistd::Pid::from_raw(pid), nix::sys::signal::Signal::SIGKILL);
    }
    drop(child.kill());
    drop(child.wait());
}
