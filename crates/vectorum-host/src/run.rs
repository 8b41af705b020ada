//! Starting a command with exactly a given block.

use std::ffi::{CString, NulError};
use std::fs::File;
use std::os::fd::AsRawFd;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nix::errno::Errno;
use nix::fcntl::OFlag;
use nix::spawn::{PosixSpawnAttr, PosixSpawnFileActions, PosixSpawnFlags, posix_spawn};
use nix::sys::signal::{SaFlags, SigAction, SigHandler, SigSet, Signal, kill, killpg, sigaction};
use nix::sys::stat::Mode;
use nix::sys::wait::{WaitPidFlag, WaitStatus, waitpid};
use nix::unistd::{Pid, execve};
use vectorum_core::{Block, inert};

use crate::start::pipe_was_ignored;

/// Why a command could not be started.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RunError {
    /// No command was given.
    #[error("no command was given")]
    Nothing,
    /// An argument cannot be passed on.
    #[error("an argument holds a NUL byte, which no program can receive")]
    Nul(#[from] NulError),
    /// There is no such program.
    #[error("{what}: no such program{}", if *searched { " in the folders of PATH" } else { "" })]
    NotFound {
        /// The command's first word.
        what: String,
        /// Whether PATH was searched.
        searched: bool,
    },
    /// It is there and cannot be run.
    #[error("{what}: cannot be run: {}", reason(*.errno))]
    CannotRun {
        /// The command's first word.
        what: String,
        /// What the kernel said.
        errno: Errno,
    },
}

fn reason(errno: Errno) -> &'static str {
    match errno {
        Errno::E2BIG => "arguments and variables together are larger than the kernel accepts",
        Errno::EACCES => "permission denied, or no program file",
        Errno::ENOEXEC => "the kernel knows no program of this format",
        other => other.desc(),
    }
}

impl RunError {
    /// Returns the exit status that env(1) gives: 127 for a program that is not there, 126 for
    /// one that cannot be run, 125 for a failure before that.
    pub fn status(&self) -> u8 {
        match self {
            RunError::NotFound { .. } => 127,
            RunError::CannotRun { .. } => 126,
            RunError::Nothing | RunError::Nul(_) => 125,
        }
    }
}

/// A command ready to be started.
struct Prepared {
    arguments: Vec<CString>,
    block: Vec<CString>,
    candidates: Vec<CString>,
    searched: bool,
}

/// Where a program is looked for when the block names no folders (execvp(3)).
const DEFAULT_PATH: &[u8] = b"/bin:/usr/bin";

fn prepare<A: AsRef<[u8]>>(arguments: &[A], block: &Block) -> Result<Prepared, RunError> {
    let first = arguments.first().ok_or(RunError::Nothing)?.as_ref();
    let c = |bytes: &[u8]| CString::new(bytes);
    let searched = !first.contains(&b'/');
    let candidates = if searched {
        let path = block.get(b"PATH").unwrap_or(DEFAULT_PATH);
        // An empty item is the current folder; an empty list is one empty item (execvp(3)).
        let folder = |f: &[u8]| if f.is_empty() { c(first) } else { c(&[f, b"/", first].concat()) };
        path.split(|b| *b == b':').map(folder).collect::<Result<_, _>>()?
    } else {
        vec![c(first)?]
    };
    Ok(Prepared {
        arguments: arguments.iter().map(|a| c(a.as_ref())).collect::<Result<_, _>>()?,
        block: block.entries().map(|e| c(e.raw())).collect::<Result<_, _>>()?,
        candidates: if first.is_empty() { Vec::new() } else { candidates },
        searched,
    })
}

impl Prepared {
    /// Tries the places of the program in their order, as execvp(3) does: what is not there or
    /// not allowed is passed over, and a file of no known format is given to the shell.
    fn try_each<T>(&self, mut start: impl FnMut(&CString, &[CString]) -> Result<T, Errno>) -> Result<T, RunError> {
        let what = || self.arguments.first().map(|a| inert(a.as_bytes()).into_owned()).unwrap_or_default();
        let mut denied = None;
        for candidate in &self.candidates {
            match start(candidate, &self.arguments) {
                Ok(done) => return Ok(done),
                Err(Errno::ENOENT | Errno::ENOTDIR | Errno::ESTALE | Errno::ENODEV | Errno::ETIMEDOUT) => {
                    // A script whose interpreter is missing says «not found», too.
                    if Path::new(std::ffi::OsStr::from_bytes(candidate.as_bytes())).exists() {
                        denied = Some(Errno::ENOENT);
                    }
                }
                Err(Errno::EACCES) => denied = Some(Errno::EACCES),
                Err(Errno::ENOEXEC) => {
                    let mut script = vec![c"/bin/sh".to_owned(), candidate.clone()];
                    script.extend(self.arguments.iter().skip(1).cloned());
                    return start(&c"/bin/sh".to_owned(), &script).map_err(|errno| RunError::CannotRun { what: what(), errno });
                }
                Err(errno) => return Err(RunError::CannotRun { what: what(), errno }),
            }
        }
        Err(match denied {
            Some(errno) => RunError::CannotRun { what: what(), errno },
            None => RunError::NotFound { what: what(), searched: self.searched },
        })
    }
}

/// Becomes the command, with exactly this block. The program is looked for in the block's own
/// PATH. Returns only if that fails.
pub fn exec<A: AsRef<[u8]>>(arguments: &[A], block: &Block) -> RunError {
    let prepared = match prepare(arguments, block) {
        Ok(prepared) => prepared,
        Err(error) => return error,
    };
    if !pipe_was_ignored() {
        set_pipe(SigHandler::SigDfl);
    }
    let tried = prepared.try_each(|program, arguments| execve(program, arguments, &prepared.block));
    set_pipe(SigHandler::SigIgn);
    match tried {
        Ok(never) => match never {},
        Err(error) => error,
    }
}

#[allow(unsafe_code)]
fn set_pipe(handler: SigHandler) {
    let action = SigAction::new(handler, SaFlags::empty(), SigSet::empty());
    // SAFETY: the handler is one of the system's own two, never a function of ours.
    let _ = unsafe { sigaction(Signal::SIGPIPE, &action) };
}

/// How a command ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ending {
    /// With this exit status.
    Exited(i32),
    /// By this signal.
    Signalled(Signal),
}

/// Runs a command with exactly this block to its end, on this process's terminal.
///
/// Meanwhile the keys that send signals reach the command alone, as under system(3). A command
/// that stops itself is set going again: nobody else could.
///
/// # Errors
/// See [`RunError`].
pub fn run_to_end<A: AsRef<[u8]>>(arguments: &[A], block: &Block) -> Result<Ending, RunError> {
    let prepared = prepare(arguments, block)?;
    let _quiet = Quiet::begin();
    let cannot = |errno| RunError::CannotRun { what: String::new(), errno };
    let mut attributes = PosixSpawnAttr::init().map_err(cannot)?;
    let mut defaults = SigSet::empty();
    for signal in KEYS.into_iter().chain([Signal::SIGPIPE]) {
        defaults.add(signal);
    }
    attributes.set_sigdefault(&defaults).map_err(cannot)?;
    attributes.set_flags(PosixSpawnFlags::POSIX_SPAWN_SETSIGDEF).map_err(cannot)?;
    let actions = PosixSpawnFileActions::init().map_err(cannot)?;
    let child = prepared
        .try_each(|program, arguments| posix_spawn(program.as_c_str(), &actions, &attributes, arguments, &prepared.block))?;
    wait_for(child)
}

/// Waits for a child's end.
fn wait_for(child: Pid) -> Result<Ending, RunError> {
    let cannot = |errno| RunError::CannotRun { what: String::new(), errno };
    loop {
        match waitpid(child, Some(WaitPidFlag::WUNTRACED)) {
            Ok(WaitStatus::Exited(_, status)) => return Ok(Ending::Exited(status)),
            Ok(WaitStatus::Signaled(_, signal, _)) => return Ok(Ending::Signalled(signal)),
            Ok(WaitStatus::Stopped(..)) => {
                let _ = kill(child, Signal::SIGCONT);
            }
            Ok(_) | Err(Errno::EINTR) => {}
            Err(errno) => return Err(cannot(errno)),
        }
    }
}

/// The processes of a command that was started apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Group(Pid);

impl Group {
    /// Asks the processes to end, or ends them by force. Those that left the group go on.
    pub fn end(self, by_force: bool) {
        // Whoever is gone already needs no signal.
        let _ = killpg(self.0, if by_force { Signal::SIGKILL } else { Signal::SIGTERM });
    }
}

/// A command that runs apart from the terminal.
#[derive(Debug)]
#[must_use = "somebody must wait for its end"]
pub struct Apart(Pid);

impl Apart {
    /// Returns its processes.
    pub fn group(&self) -> Group {
        Group(self.0)
    }

    /// Waits for its end.
    ///
    /// # Errors
    /// What the system says.
    pub fn wait(self) -> Result<Ending, RunError> {
        wait_for(self.0)
    }
}

/// Starts a command with exactly this block in a session of its own: it reads nothing, and what it
/// prints goes to a file.
///
/// # Errors
/// See [`RunError`].
pub fn start_apart<A: AsRef<[u8]>>(arguments: &[A], block: &Block, output: &File) -> Result<Apart, RunError> {
    let prepared = prepare(arguments, block)?;
    let cannot = |errno| RunError::CannotRun { what: String::new(), errno };
    let mut attributes = PosixSpawnAttr::init().map_err(cannot)?;
    let mut defaults = SigSet::empty();
    defaults.add(Signal::SIGPIPE);
    attributes.set_sigdefault(&defaults).map_err(cannot)?;
    let session = PosixSpawnFlags::from_bits_retain(setsid_flag());
    attributes.set_flags(PosixSpawnFlags::POSIX_SPAWN_SETSIGDEF | session).map_err(cannot)?;
    let mut actions = PosixSpawnFileActions::init().map_err(cannot)?;
    actions.add_open(0, "/dev/null", OFlag::O_RDONLY, Mode::empty()).map_err(cannot)?;
    for stream in [1, 2] {
        actions.add_dup2(output.as_raw_fd(), stream).map_err(cannot)?;
    }
    prepared
        .try_each(|program, arguments| posix_spawn(program.as_c_str(), &actions, &attributes, arguments, &prepared.block))
        .map(Apart)
}

/// `POSIX_SPAWN_SETSID` of glibc and musl (POSIX.1-2024), which the wrapper does not name.
const fn setsid_flag() -> i32 {
    0x80
}

/// The signals of the terminal's keys, and those that stop a process which uses the terminal
/// from the background.
const KEYS: [Signal; 5] = [Signal::SIGINT, Signal::SIGQUIT, Signal::SIGTSTP, Signal::SIGTTOU, Signal::SIGTTIN];

/// Ignores the terminal's signals and takes the terminal back at the end.
struct Quiet {
    before: Vec<(Signal, SigAction)>,
}

impl Quiet {
    #[allow(unsafe_code)]
    fn begin() -> Quiet {
        let ignore = SigAction::new(SigHandler::SigIgn, SaFlags::empty(), SigSet::empty());
        // SAFETY: to ignore a signal runs no code of ours.
        let set = |signal| unsafe { sigaction(signal, &ignore) }.ok().map(|before| (signal, before));
        Quiet { before: KEYS.into_iter().filter_map(set).collect() }
    }
}

impl Drop for Quiet {
    #[allow(unsafe_code)]
    fn drop(&mut self) {
        // A shell leaves the terminal to the process group that it found; one that was killed
        // does not.
        let _ = nix::unistd::tcsetpgrp(std::io::stdin(), nix::unistd::getpgrp());
        for (signal, action) in &self.before {
            // SAFETY: these are the actions that were in place before.
            let _ = unsafe { sigaction(*signal, action) };
        }
    }
}
