//! Starting a command under the watcher.
//!
//! The calling process becomes the command itself: it keeps its number, parent, terminal, job
//! control, signals and exit status, and nothing stands between it and whoever started it. The
//! watcher is another process, started before and let go of: a session of its own, none of the
//! command's streams, no child of the command. A second one stands by with the same listener and
//! goes on if the first is killed, so that no call is left without an answer.

use std::fs::File;
use std::io::{self, BufWriter, IoSlice, IoSliceMut};
use std::os::fd::{AsFd, AsRawFd, BorrowedFd, FromRawFd, OwnedFd, RawFd};
use std::path::Path;
use std::time::Instant as Clock;

use nix::sys::signal::{Signal, kill};
use nix::sys::socket::{
    AddressFamily, ControlMessage, ControlMessageOwned, MsgFlags, SockFlag, SockType, recvmsg, sendmsg, socketpair,
};
use nix::sys::wait::waitpid;
use nix::unistd::{Gid, Pid, Uid, setsid};
use vectorum_core::{Block, Fingerprinter};
use vectorum_host::{Peek, ProcFolder, RunError, exec};

use crate::recording::{Values, Writer};
use crate::sys::{SharedNotice, close_all_but, fork_into, ignore, let_go, listen, pidfd, set_no_new_privileges};
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
    /// Become this account before the command is started (number, group); only root may.
    pub account: Option<(u32, u32, std::ffi::CString)>,
    /// The time, in milliseconds since 1970.
    pub now_ms: u64,
}

/// Whether programs that this process starts under a trace lose the rights of their set-user-id
/// bits: without CAP_SYS_ADMIN, a filter is to be had only at that price.
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
    let Options { out, values, prints, peek, account, now_ms } = options;
    let spare = out.try_clone().map_err(system("the recording cannot be opened twice"))?;
    let mut writer = Writer::begin(BufWriter::with_capacity(1 << 16, out), values, prints.clone(), &command, now_ms)
        .map_err(system("the recording cannot be written"))?;
    if loses_rights() {
        let note = "without root, set-user-id programs ran without the rights of their owners (no new privileges)";
        writer.note(note).map_err(system("the recording cannot be written"))?;
    }
    let shared = SharedNotice::new().map_err(system("no memory to share"))?;
    let proc = ProcFolder::open(Path::new("/proc"), peek).map_err(system("/proc cannot be opened"))?;
    // The process forked next gets a copy of what is not written yet.
    writer.flush().map_err(system("the recording cannot be written"))?;
    let (ours, theirs) = socketpair(AddressFamily::Unix, SockType::SeqPacket, None, SockFlag::SOCK_CLOEXEC)
        .map_err(|e| system("no pair of sockets")(e.into()))?;
    let root = std::process::id() as i32;
    let watcher = || {
        // Let go of by its parent, so that the command has no child that it did not start.
        #[allow(unsafe_code)]
        // SAFETY: the process has just been forked and has one thread.
        let _ = unsafe { fork_into(|| guard(writer, proc, &spare, values, &prints, peek, begun, &theirs, &shared, root)) };
    };
    #[allow(unsafe_code)]
    // SAFETY: the caller promises that one thread runs.
    let between = unsafe { fork_into(watcher) }.map_err(system("no process for the watcher"))?;
    waitpid(Pid::from_raw(between), None).map_err(|e| system("the watcher was not started")(e.into()))?;
    drop(theirs);
    if !has_admin() {
        set_no_new_privileges().map_err(system("the kernel knows no no-new-privileges"))?;
    }
    let listener = listen().map_err(TraceError::NoListener)?;
    send(&ours, &listener).map_err(system("the watcher did not take the listener"))?;
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

fn send(to: &OwnedFd, fd: &OwnedFd) -> io::Result<()> {
    let fds: [RawFd; 1] = [fd.as_raw_fd()];
    sendmsg::<()>(to.as_raw_fd(), &[IoSlice::new(b"l")], &[ControlMessage::ScmRights(&fds)], MsgFlags::empty(), None)?;
    Ok(())
}

fn receive(from: &OwnedFd) -> io::Result<OwnedFd> {
    let mut byte = [0];
    let mut parts = [IoSliceMut::new(&mut byte)];
    let mut space = nix::cmsg_space!([RawFd; 1]);
    let message = recvmsg::<()>(from.as_raw_fd(), &mut parts, Some(&mut space), MsgFlags::MSG_CMSG_CLOEXEC)?;
    for control in message.cmsgs()? {
        let ControlMessageOwned::ScmRights(fds) = control else { continue };
        if let Some(fd) = fds.first() {
            #[allow(unsafe_code)]
            // SAFETY: the kernel has just made this descriptor for us.
            return Ok(unsafe { OwnedFd::from_raw_fd(*fd) });
        }
    }
    Err(io::ErrorKind::UnexpectedEof.into())
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

#[allow(clippy::too_many_arguments, reason = "the parts of one process's start, used once")]
fn guard(
    writer: Writer<BufWriter<File>>,
    proc: ProcFolder,
    spare: &File,
    values: Values,
    prints: &Fingerprinter,
    peek: Peek,
    begun: Clock,
    socket: &OwnedFd,
    shared: &SharedNotice,
    root: i32,
) {
    settle_in(&[writer.output().get_ref().as_fd(), spare.as_fd(), proc.as_fd(), socket.as_fd()]);
    let Ok(listener) = receive(socket) else { return };
    {
        let Ok(watcher) = Watcher::new(root, &listener, shared, proc, writer, begun) else { return };
        let standby = std::cell::Cell::new(None);
        let stand_by = |watcher: &Watcher<'_>| {
            let own = std::process::id() as i32;
            let Ok(first) = pidfd(own) else { return };
            #[allow(unsafe_code)]
            // SAFETY: this process has one thread.
            let forked = unsafe {
                fork_into(|| take_over(&first, &listener, shared, spare, values, prints, peek, begun, watcher.next(), root))
            };
            let Ok(pid) = forked else { return };
            if let Some(before) = standby.replace(Some(Pid::from_raw(pid))) {
                let _ = waitpid(before, None);
            }
            if let Ok(fd) = pidfd(pid) {
                let _ = watcher.watch_standby(fd);
            }
        };
        stand_by(&watcher);
        let _ = nix::unistd::write(socket, b"r");
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
}

/// Stands by until the watcher is gone; if calls still come then, goes on in its place.
#[allow(clippy::too_many_arguments, reason = "the parts of one process's start, used once")]
fn take_over(
    first: &OwnedFd,
    listener: &OwnedFd,
    shared: &SharedNotice,
    spare: &File,
    values: Values,
    prints: &Fingerprinter,
    peek: Peek,
    begun: Clock,
    next: u64,
    root: i32,
) {
    let mut fds = [nix::poll::PollFd::new(first.as_fd(), nix::poll::PollFlags::POLLIN)];
    while matches!(nix::poll::poll(&mut fds, nix::poll::PollTimeout::NONE), Err(nix::errno::Errno::EINTR)) {}
    // What the killed one had taken and not answered would wait for ever.
    let _ = let_go(listener.as_fd(), shared.last().id);
    let Ok(out) = spare.try_clone() else { return };
    let Ok(proc) = ProcFolder::open(Path::new("/proc"), peek) else { return };
    // The killed one may have written receipts since this one was forked.
    let next = next.max(last_number(spare) + 1);
    let mut writer = Writer::resume(BufWriter::new(out), values, prints.clone(), next);
    let _ = writer.note("the watcher was killed and another one went on; what ran at that moment may be missing");
    let Ok(watcher) = Watcher::new(root, listener, shared, proc, writer, begun) else { return };
    if let Ok((writer, at_ms)) = watcher.run(|_| ()) {
        let _ = writer.end(at_ms);
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
