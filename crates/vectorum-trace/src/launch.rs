//! Starting a command under the watcher.
//!
//! The calling process becomes the command itself: it keeps its number, parent, terminal, job
//! control, signals and exit status, and nothing stands between it and whoever started it. The
//! watcher is another process, started before and let go of: a session of its own, none of the
//! command's streams, no child of the command. A second one stands by with the same listener and
//! goes on if the first is killed, so that no call is left without an answer.

use std::cell::Cell;
use std::fs::File;
use std::io::{self, BufWriter, IoSlice, IoSliceMut};
use std::os::fd::{AsFd, AsRawFd, BorrowedFd, FromRawFd, OwnedFd, RawFd};
use std::path::Path;
use std::time::Instant as Clock;

use nix::poll::{PollFd, PollFlags, PollTimeout, poll};
use nix::sys::signal::{Signal, kill};
use nix::sys::socket::{
    AddressFamily, ControlMessage, ControlMessageOwned, MsgFlags, SockFlag, SockType, recvmsg, sendmsg, socketpair,
};
use nix::sys::wait::waitpid;
use nix::unistd::{Gid, Pid, Uid, setsid};
use vectorum_core::{Block, Fingerprinter};
use vectorum_host::{Peek, ProcFolder, RunError, exec};

use crate::follow::follow;
use crate::recording::{Values, Writer};
use crate::sys::{
    SharedNotice, allow_following_by_any, close_all_but, fork_into, ignore, let_go, listen, pidfd, set_no_new_privileges,
};
use crate::watch::Watcher;

/// Why a command could not be traced.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum TraceError {
    /// The kernel gives no listener.
    #[error("the kernel gives no listener for started programs{}", reason(.0))]
    NoListener(#[source] io::Error),
    /// Something else that the system refused.
    #[error("{what}")]
    System {
        /// What was tried.
        what: &'static str,
        /// What the system said.
        #[source]
        source: io::Error,
    },
    /// The command could not be started.
    #[error(transparent)]
    Run(#[from] RunError),
}

fn reason(error: &io::Error) -> &'static str {
    match error.raw_os_error() {
        Some(libc::EBUSY) => ": one is in place already, as under another trace",
        Some(libc::EINVAL) => ": it is older than 5.5, or built without it",
        _ => "",
    }
}

/// By which means of the kernel processes are watched.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Means {
    /// A listener where the kernel gives one, else ptrace.
    #[default]
    Best,
    /// A listener, or not at all.
    Listener,
    /// ptrace.
    Ptrace,
}

/// How a command is traced.
#[derive(Debug)]
pub struct Options {
    /// Where the recording goes, opened for appending.
    pub out: File,
    /// Whether values that look secret are recorded.
    pub values: Values,
    /// The recording's key for fingerprints.
    pub prints: Fingerprinter,
    /// Whether the memory of processes is looked at.
    pub peek: Peek,
    /// How the processes are watched.
    pub means: Means,
    /// Become this account before the command is started (number, group); only root may.
    pub account: Option<(u32, u32, std::ffi::CString)>,
    /// The time, in milliseconds since 1970.
    pub now_ms: u64,
}

/// Whether programs that this process starts under a trace lose the rights of their set-user-id
/// bits: without CAP_SYS_ADMIN, a filter is to be had only at that price, and ptrace takes them
/// away by itself.
pub fn loses_rights() -> bool {
    !has_admin()
}

fn has_admin() -> bool {
    const CAP_SYS_ADMIN: u64 = 1 << 21;
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let effective = status.lines().find_map(|l| l.strip_prefix("CapEff:")).and_then(|c| u64::from_str_radix(c.trim(), 16).ok());
    effective.unwrap_or(0) & CAP_SYS_ADMIN != 0
}

/// Becomes the command, with exactly this block, and records every program started below it.
/// Returns only if that fails. Only one thread may run.
pub fn trace<A: AsRef<[u8]>>(arguments: &[A], block: &Block, options: Options) -> TraceError {
    match start(arguments, options) {
        Ok(()) => exec(arguments, block).into(),
        Err(error) => error,
    }
}

fn system(what: &'static str) -> impl Fn(io::Error) -> TraceError {
    move |source| TraceError::System { what, source }
}

fn start<A: AsRef<[u8]>>(arguments: &[A], options: Options) -> Result<(), TraceError> {
    let begun = Clock::now();
    let command: Vec<&[u8]> = arguments.iter().map(AsRef::as_ref).collect();
    let Options { out, values, prints, peek, means, account, now_ms } = options;
    let spare = out.try_clone().map_err(system("the recording cannot be opened twice"))?;
    let mut writer = Writer::begin(BufWriter::with_capacity(1 << 16, out), values, prints.clone(), &command, now_ms)
        .map_err(system("the recording cannot be written"))?;
    let shared = SharedNotice::new().map_err(system("no memory to share"))?;
    let proc = ProcFolder::open(Path::new("/proc"), peek).map_err(system("/proc cannot be opened"))?;
    // The process forked next gets a copy of what is not written yet.
    writer.flush().map_err(system("the recording cannot be written"))?;
    let (ours, theirs) = socketpair(AddressFamily::Unix, SockType::SeqPacket, None, SockFlag::SOCK_CLOEXEC)
        .map_err(|e| system("no pair of sockets")(e.into()))?;
    let root = std::process::id() as i32;
    let guard = Guard { root, spare: &spare, values, prints: &prints, peek, begun, shared: &shared };
    let watcher = || {
        // Let go of by its parent, so that the command has no child that it did not start.
        #[allow(unsafe_code)]
        // SAFETY: the process has just been forked and has one thread.
        let _ = unsafe { fork_into(|| guard.watch(writer, proc, &theirs)) };
    };
    #[allow(unsafe_code)]
    // SAFETY: the caller promises that one thread runs.
    let between = unsafe { fork_into(watcher) }.map_err(system("no process for the watcher"))?;
    waitpid(Pid::from_raw(between), None).map_err(|e| system("the watcher was not started")(e.into()))?;
    drop(theirs);
    let listener = match means {
        Means::Ptrace => None,
        Means::Listener => Some(listen_here().map_err(TraceError::NoListener)?),
        Means::Best => listen_here().ok(),
    };
    if listener.is_none() {
        allow_following_by_any();
    }
    send(&ours, listener.as_ref()).map_err(system("the watcher did not take the listener"))?;
    // It answers when it and the one that stands by are ready.
    let mut byte = [0];
    let read = nix::unistd::read(&ours, &mut byte).map_err(|e| system("the watcher did not answer")(e.into()))?;
    if read == 0 {
        return Err(system("the watcher ended before it began")(io::ErrorKind::BrokenPipe.into()));
    }
    if let Some((uid, gid, name)) = account {
        let become_it = || {
            nix::unistd::initgroups(&name, Gid::from_raw(gid))?;
            nix::unistd::setgid(Gid::from_raw(gid))?;
            nix::unistd::setuid(Uid::from_raw(uid))
        };
        become_it().map_err(|e| system("the other account cannot be taken")(e.into()))?;
    }
    Ok(())
}

fn listen_here() -> io::Result<OwnedFd> {
    if !has_admin() {
        set_no_new_privileges()?;
    }
    listen()
}

/// Sends the listener, or word that there is none.
fn send(to: &OwnedFd, listener: Option<&OwnedFd>) -> io::Result<()> {
    let fds: Vec<RawFd> = listener.iter().map(|fd| fd.as_raw_fd()).collect();
    let controls: &[ControlMessage<'_>] = if fds.is_empty() { &[] } else { &[ControlMessage::ScmRights(&fds)] };
    sendmsg::<()>(to.as_raw_fd(), &[IoSlice::new(b"l")], controls, MsgFlags::empty(), None)?;
    Ok(())
}

/// Receives the listener; `None` if there is none.
fn receive(from: &OwnedFd) -> io::Result<Option<OwnedFd>> {
    let mut byte = [0];
    let mut parts = [IoSliceMut::new(&mut byte)];
    let mut space = nix::cmsg_space!([RawFd; 1]);
    let message = recvmsg::<()>(from.as_raw_fd(), &mut parts, Some(&mut space), MsgFlags::MSG_CMSG_CLOEXEC)?;
    for control in message.cmsgs()? {
        let ControlMessageOwned::ScmRights(fds) = control else { continue };
        if let Some(fd) = fds.first() {
            #[allow(unsafe_code)]
            // SAFETY: the kernel has just made this descriptor for us.
            return Ok(Some(unsafe { OwnedFd::from_raw_fd(*fd) }));
        }
    }
    if message.bytes == 0 { Err(io::ErrorKind::UnexpectedEof.into()) } else { Ok(None) }
}

/// Makes the forked process a guardian: a session of its own, none of the command's streams, and
/// deaf to what the terminal or a logout sends.
fn settle_in(keep: &[BorrowedFd<'_>]) {
    let _ = setsid();
    for signal in
        [libc::SIGHUP, libc::SIGINT, libc::SIGQUIT, libc::SIGTERM, libc::SIGPIPE, libc::SIGTSTP, libc::SIGUSR1, libc::SIGUSR2]
    {
        ignore(signal);
    }
    let _ = std::env::set_current_dir("/");
    if let Ok(null) = File::options().read(true).write(true).open("/dev/null") {
        let _ = nix::unistd::dup2_stdin(&null);
        let _ = nix::unistd::dup2_stdout(&null);
        let _ = nix::unistd::dup2_stderr(&null);
    }
    close_all_but(keep);
}

/// What a guardian needs, whichever it is.
struct Guard<'a> {
    /// The command's own process.
    root: i32,
    /// The recording once more, for the one that stands by.
    spare: &'a File,
    values: Values,
    prints: &'a Fingerprinter,
    peek: Peek,
    begun: Clock,
    shared: &'a SharedNotice,
}

impl Guard<'_> {
    /// The watcher's life.
    fn watch(&self, mut writer: Writer<BufWriter<File>>, proc: ProcFolder, socket: &OwnedFd) {
        settle_in(&[writer.output().get_ref().as_fd(), self.spare.as_fd(), proc.as_fd(), socket.as_fd()]);
        let Ok(listener) = receive(socket) else { return };
        let ready = || {
            // Nobody who waits for it is left if it cannot be said.
            let _ = nix::unistd::write(socket, b"r");
        };
        if loses_rights() {
            let _ = writer.note("without root, set-user-id programs ran without the rights of their owners");
        }
        let Some(listener) = listener else {
            let _ = writer.note("followed with ptrace: debuggers below the command did not work");
            if let Ok((writer, at_ms)) = follow(self.root, proc, writer, self.begun, ready) {
                let _ = writer.end(at_ms);
            }
            return;
        };
        let Ok(watcher) = Watcher::new(self.root, &listener, self.shared, proc, writer, self.begun) else { return };
        let standby = Cell::new(None);
        let stand_by = |watcher: &Watcher<'_>| {
            let Ok(first) = pidfd(std::process::id() as i32) else { return };
            #[allow(unsafe_code)]
            // SAFETY: this process has one thread.
            let forked = unsafe { fork_into(|| self.take_over(&first, &listener, watcher.next())) };
            let Ok(pid) = forked else { return };
            if let Some(before) = standby.replace(Some(Pid::from_raw(pid))) {
                let _ = waitpid(before, None);
            }
            if let Ok(fd) = pidfd(pid) {
                let _ = watcher.watch_standby(fd);
            }
        };
        stand_by(&watcher);
        ready();
        let watched = watcher.run(stand_by);
        // Nobody is left to be watched: the one that stands by must not think otherwise.
        if let Some(pid) = standby.take() {
            let _ = kill(pid, Signal::SIGKILL);
            let _ = waitpid(pid, None);
        }
        if let Ok((writer, at_ms)) = watched {
            let _ = writer.end(at_ms);
        }
    }

    /// Stands by until the watcher is gone; if calls still come then, goes on in its place.
    fn take_over(&self, first: &OwnedFd, listener: &OwnedFd, next: u64) {
        let mut fds = [PollFd::new(first.as_fd(), PollFlags::POLLIN)];
        while matches!(poll(&mut fds, PollTimeout::NONE), Err(nix::errno::Errno::EINTR)) {}
        // What the killed one had taken and not answered would wait for ever.
        let _ = let_go(listener.as_fd(), self.shared.last().id);
        let Ok(out) = self.spare.try_clone() else { return };
        let Ok(proc) = ProcFolder::open(Path::new("/proc"), self.peek) else { return };
        // The killed one may have written receipts since this one was forked.
        let next = next.max(last_number(self.spare) + 1);
        let mut writer = Writer::resume(BufWriter::new(out), self.values, self.prints.clone(), next);
        let _ = writer.note("the watcher was killed and another one went on; what ran at that moment may be missing");
        let Ok(watcher) = Watcher::new(self.root, listener, self.shared, proc, writer, self.begun) else { return };
        if let Ok((writer, at_ms)) = watcher.run(|_| ()) {
            let _ = writer.end(at_ms);
        }
    }
}

/// Returns the number of the last receipt in a recording that is being written.
fn last_number(file: &File) -> u64 {
    use std::os::unix::fs::FileExt;
    let length = file.metadata().map_or(0, |m| m.len());
    let from = length.saturating_sub(1 << 20);
    let mut bytes = vec![0; (length - from) as usize];
    if file.read_exact_at(&mut bytes, from).is_err() {
        return 0;
    }
    let text = String::from_utf8_lossy(&bytes);
    let number = |line: &str| line.strip_prefix("{\"exec\":")?.split(',').next()?.parse::<u64>().ok();
    text.lines().rev().find_map(number).unwrap_or(0)
}
