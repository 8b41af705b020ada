//! The system calls of this crate that no safe wrapper exists for. All unsafe code of the crate is
//! here; each function says what it relies on.
#![allow(unsafe_code)]

use std::io;
use std::os::fd::{AsRawFd, BorrowedFd, FromRawFd, OwnedFd};
use std::ptr::NonNull;

use libc::{c_int, c_ulong, seccomp_data, seccomp_notif, seccomp_notif_resp};

use crate::filter::program;

/// `SECCOMP_FILTER_FLAG_WAIT_KILLABLE_RECV`, Linux 5.19: a caller whose call is being answered is
/// interrupted by fatal signals only.
const WAIT_KILLABLE_RECV: c_ulong = 1 << 5;
/// `SECCOMP_USER_NOTIF_FD_SYNC_WAKE_UP`, Linux 6.6.
const SYNC_WAKE_UP: u64 = 1;

fn check(result: libc::c_long) -> io::Result<libc::c_long> {
    if result < 0 { Err(io::Error::last_os_error()) } else { Ok(result) }
}

/// Gives up gaining rights by `execve` for this process and all below it (prctl(2)).
pub(crate) fn set_no_new_privileges() -> io::Result<()> {
    // SAFETY: takes and changes no memory.
    check(unsafe { libc::prctl(libc::PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) }.into()).map(drop)
}

/// Puts the filter onto this process and returns its listener.
///
/// # Errors
/// `EACCES` without CAP_SYS_ADMIN or no-new-privileges; `EBUSY` if a filter with a listener is in
/// place already; `EINVAL` on kernels before 5.0.
pub(crate) fn listen() -> io::Result<OwnedFd> {
    let mut program = program();
    let filter = libc::sock_fprog { len: program.len() as u16, filter: program.as_mut_ptr() };
    let base = libc::SECCOMP_FILTER_FLAG_NEW_LISTENER | libc::SECCOMP_FILTER_FLAG_SPEC_ALLOW;
    let install = |flags: c_ulong| {
        // SAFETY: `filter` points to `program`, which lives to the end of this function; the
        // kernel copies both.
        check(unsafe { libc::syscall(libc::SYS_seccomp, libc::SECCOMP_SET_MODE_FILTER, flags, &raw const filter) })
    };
    let fd = match install(base | WAIT_KILLABLE_RECV) {
        Err(error) if error.raw_os_error() == Some(libc::EINVAL) => install(base)?,
        other => other?,
    };
    // SAFETY: the kernel has just made this descriptor for us alone.
    let listener = unsafe { OwnedFd::from_raw_fd(fd as c_int) };
    wake_in_place(&listener, true);
    Ok(listener)
}

/// Says whether the two sides wake each other on the processor that they run on, or wherever the
/// scheduler likes.
pub(crate) fn wake_in_place(listener: &OwnedFd, is_wanted: bool) {
    let flags = if is_wanted { SYNC_WAKE_UP } else { 0 };
    // SAFETY: takes a number by value; where the kernel does not know it, nothing happens.
    unsafe { libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_SET_FLAGS, flags) };
}

/// A call that waits for an answer.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Notice {
    pub(crate) id: u64,
    pub(crate) tid: i32,
    pub(crate) number: u32,
    pub(crate) arch: u32,
    pub(crate) arguments: [u64; 6],
}

/// Memory that this process and the ones forked from it share: the kernel writes each notice
/// right into it, so that another process can answer what a killed one left open.
pub(crate) struct SharedNotice(NonNull<seccomp_notif>);

impl SharedNotice {
    pub(crate) fn new() -> io::Result<SharedNotice> {
        // SAFETY: a new anonymous mapping touches no existing memory. It is never unmapped: the
        // processes that hold it live on it to their end.
        let at = unsafe {
            libc::mmap(
                std::ptr::null_mut(),
                size_of::<seccomp_notif>(),
                libc::PROT_READ | libc::PROT_WRITE,
                libc::MAP_SHARED | libc::MAP_ANONYMOUS,
                -1,
                0,
            )
        };
        match NonNull::new(at.cast::<seccomp_notif>()) {
            Some(at) if at.as_ptr().cast::<libc::c_void>() != libc::MAP_FAILED => Ok(SharedNotice(at)),
            _ => Err(io::Error::last_os_error()),
        }
    }

    /// Takes the next notice; `None` if its caller is gone, or none waits.
    pub(crate) fn receive(&self, listener: BorrowedFd<'_>) -> io::Result<Option<Notice>> {
        // SAFETY: the mapping is as large as the struct and page-aligned; zeros are valid in it,
        // and the kernel demands them.
        unsafe { self.0.as_ptr().write_bytes(0, 1) };
        // SAFETY: the kernel writes one struct to the mapping.
        let result = unsafe { libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_RECV, self.0.as_ptr()) };
        if result < 0 {
            let error = io::Error::last_os_error();
            return match error.raw_os_error() {
                Some(libc::ENOENT | libc::EINTR | libc::EAGAIN) => Ok(None),
                _ => Err(error),
            };
        }
        Ok(Some(self.last()))
    }

    /// Returns the notice that was taken last, by whichever process.
    pub(crate) fn last(&self) -> Notice {
        // SAFETY: the mapping always holds a struct; another process that might write it is dead
        // or not the one that receives.
        let notice = unsafe { self.0.as_ptr().read_volatile() };
        let seccomp_data { nr, arch, args, .. } = notice.data;
        Notice { id: notice.id, tid: notice.pid as i32, number: nr as u32, arch, arguments: args }
    }
}

/// Lets a call go on. Returns whether its caller was still there: if not, what was read of its
/// memory may have been another process's.
pub(crate) fn let_go(listener: BorrowedFd<'_>, id: u64) -> io::Result<bool> {
    let mut response = seccomp_notif_resp { id, val: 0, error: 0, flags: libc::SECCOMP_USER_NOTIF_FLAG_CONTINUE as u32 };
    // SAFETY: the kernel reads one struct that lives on our stack.
    let result = unsafe { libc::ioctl(listener.as_raw_fd(), libc::SECCOMP_IOCTL_NOTIF_SEND, &raw mut response) };
    match check(result.into()) {
        Err(error) if matches!(error.raw_os_error(), Some(libc::ENOENT | libc::EINPROGRESS)) => Ok(false),
        other => other.map(|_| true),
    }
}

/// Opens a descriptor of a process; only the first thread's number names one (pidfd_open(2)).
pub(crate) fn pidfd(pid: i32) -> io::Result<OwnedFd> {
    // SAFETY: takes numbers by value.
    let fd = check(unsafe { libc::syscall(libc::SYS_pidfd_open, pid, 0) })?;
    // SAFETY: the kernel has just made this descriptor for us alone.
    Ok(unsafe { OwnedFd::from_raw_fd(fd as c_int) })
}

/// Forks. The child goes on with the closure and ends with it.
///
/// # Safety
/// Only one thread may run: the child gets no other, and locks that others hold stay locked.
pub(crate) unsafe fn fork_into(child: impl FnOnce()) -> io::Result<i32> {
    // SAFETY: the caller's promise.
    let pid = check(unsafe { libc::fork() }.into())? as i32;
    if pid == 0 {
        // A panic must not run on into the parent's code.
        let _ = std::panic::catch_unwind(std::panic::AssertUnwindSafe(child));
        // SAFETY: ends the process without running what belongs to the parent.
        unsafe { libc::_exit(0) };
    }
    Ok(pid)
}

/// Ignores a signal.
pub(crate) fn ignore(signal: c_int) {
    // SAFETY: ignoring runs no code of ours.
    unsafe { libc::signal(signal, libc::SIG_IGN) };
}

/// Closes every descriptor above the standard ones, but those to keep.
pub(crate) fn close_all_but(keep: &[BorrowedFd<'_>]) {
    let mut kept: Vec<u32> = keep.iter().map(|fd| fd.as_raw_fd() as u32).collect();
    kept.sort_unstable();
    let mut from = 3;
    for fd in kept.into_iter().chain([u32::MAX]) {
        if from < fd {
            let last = if fd == u32::MAX { fd } else { fd - 1 };
            // SAFETY: the process was forked for this and owns nothing through those descriptors
            // any more; the ones kept are left out.
            unsafe { libc::syscall(libc::SYS_close_range, from, last, 0) };
        }
        from = fd.saturating_add(1);
    }
}

/// Reads pages of another process's memory, one behind the other (process_vm_readv(2)). Returns how
/// many were read, from the first on; at most 16 are asked for.
pub(crate) fn read_pages(pid: i32, pages: &[u64], size: usize, into: &mut [u8]) -> usize {
    let count = pages.len().min(into.len() / size).min(16);
    let mut remote = [libc::iovec { iov_base: std::ptr::null_mut(), iov_len: 0 }; 16];
    for (place, page) in remote.iter_mut().zip(pages).take(count) {
        *place = libc::iovec { iov_base: *page as *mut libc::c_void, iov_len: size };
    }
    let local = libc::iovec { iov_base: into.as_mut_ptr().cast(), iov_len: count * size };
    // SAFETY: the kernel reads `count` of the 16 places and writes at most `count` pages, which
    // `into` has room for and which we hold exclusively.
    let read = unsafe { libc::process_vm_readv(pid, &raw const local, 1, remote.as_ptr(), count as libc::c_ulong, 0) };
    usize::try_from(read).unwrap_or(0) / size
}

/// Returns where a thread has its list of robust locks (get_robust_list(2)). The kernel forgets it
/// at an `execve`, and the next program's library sets its own, at an address drawn at random.
pub(crate) fn robust_list(tid: i32) -> Option<usize> {
    let (mut head, mut length) = (0_usize, 0_usize);
    // SAFETY: the kernel writes one word to each of the two places.
    let result = unsafe { libc::syscall(libc::SYS_get_robust_list, tid, &raw mut head, &raw mut length) };
    (result == 0).then_some(head)
}

/// `struct pidfd_info` of Linux 6.13 to 6.15, which later ones extend.
#[repr(C)]
#[derive(Default)]
struct Info {
    mask: u64,
    cgroup: u64,
    pid: u32,
    group: u32,
    parent: u32,
    accounts: [u32; 8],
    exit_code: i32,
}

const _: () = assert!(size_of::<Info>() == 64);

fn info(pidfd: BorrowedFd<'_>, mask: u64) -> io::Result<Info> {
    // _IOWR(0xFF, 11, struct pidfd_info)
    let request: c_ulong = (3 << 30) | (64 << 16) | (0xff << 8) | 11;
    let mut info = Info { mask, ..Info::default() };
    // SAFETY: the kernel reads and writes one struct of the length in the request, on our stack.
    let result = unsafe { libc::ioctl(pidfd.as_raw_fd(), request as _, &raw mut info) };
    check(result.into()).map(|_| info)
}

/// Returns the parent of a process; `None` on kernels before 6.13, which do not tell.
pub(crate) fn parent(pidfd: BorrowedFd<'_>) -> Option<i32> {
    info(pidfd, 0).ok().map(|info| info.parent as i32).filter(|pid| *pid > 0)
}

/// Asks how a process ended: the status as wait(2) gives it, `None` while its parent has not taken
/// it.
///
/// # Errors
/// On kernels before 6.15, which do not tell.
pub(crate) fn exit_code(pidfd: BorrowedFd<'_>) -> io::Result<Option<i32>> {
    const EXIT: u64 = 1 << 3;
    match info(pidfd, EXIT) {
        // The process is gone, and how it ended was asked for too early.
        Err(error) if error.raw_os_error() == Some(libc::ESRCH) => Ok(None),
        Err(error) => Err(error),
        Ok(info) => Ok((info.mask & EXIT != 0).then_some(info.exit_code)),
    }
}

/// What a followed process waits for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Stop {
    /// It has just become another program.
    Exec,
    /// It is about to end, with this status as wait(2) gives it.
    Exit(i32),
    /// A signal is about to reach it.
    Signal(i32),
    /// It was stopped by a signal, and stays so until it is continued.
    Group,
    /// Something that needs no answer but to go on.
    Other,
    /// It has ended.
    Gone,
}

/// Begins to follow a process and all that it will start (ptrace(2), `PTRACE_SEIZE`). If the
/// follower is killed, the followed go on.
pub(crate) fn seize(pid: i32) -> io::Result<()> {
    let options = libc::PTRACE_O_TRACEEXEC
        | libc::PTRACE_O_TRACEFORK
        | libc::PTRACE_O_TRACEVFORK
        | libc::PTRACE_O_TRACECLONE
        | libc::PTRACE_O_TRACEEXIT;
    // SAFETY: takes numbers only.
    check(unsafe { libc::ptrace(libc::PTRACE_SEIZE, pid, 0, options as libc::c_long) }).map(drop)
}

/// Waits for the next stop of any followed process; `None` when none is left.
pub(crate) fn wait_any() -> io::Result<Option<(i32, Stop)>> {
    let mut status = 0;
    loop {
        // SAFETY: the kernel writes one number to our stack.
        let pid = unsafe { libc::waitpid(-1, &raw mut status, libc::__WALL) };
        if pid < 0 {
            match io::Error::last_os_error() {
                error if error.raw_os_error() == Some(libc::ECHILD) => return Ok(None),
                error if error.raw_os_error() == Some(libc::EINTR) => continue,
                error => return Err(error),
            }
        }
        if !libc::WIFSTOPPED(status) {
            return Ok(Some((pid, Stop::Gone)));
        }
        let signal = libc::WSTOPSIG(status);
        let stop = match status >> 16 {
            libc::PTRACE_EVENT_EXEC => Stop::Exec,
            libc::PTRACE_EVENT_EXIT => Stop::Exit(event_message(pid) as i32),
            libc::PTRACE_EVENT_STOP if matches!(signal, libc::SIGSTOP | libc::SIGTSTP | libc::SIGTTIN | libc::SIGTTOU) => {
                Stop::Group
            }
            0 => Stop::Signal(signal),
            _ => Stop::Other,
        };
        return Ok(Some((pid, stop)));
    }
}

fn event_message(pid: i32) -> u64 {
    let mut message: c_ulong = 0;
    // SAFETY: the kernel writes one number to our stack.
    unsafe { libc::ptrace(libc::PTRACE_GETEVENTMSG, pid, 0, &raw mut message) };
    message
}

/// Lets a stopped process go on, with a signal if not 0. One that is gone needs nothing.
pub(crate) fn go_on(pid: i32, signal: i32) {
    // SAFETY: takes numbers only.
    unsafe { libc::ptrace(libc::PTRACE_CONT, pid, 0, libc::c_long::from(signal)) };
}

/// Leaves a process stopped until somebody continues it.
pub(crate) fn stay_stopped(pid: i32) {
    // SAFETY: takes numbers only.
    unsafe { libc::ptrace(libc::PTRACE_LISTEN, pid, 0, 0) };
}

/// Allows a process that is no ancestor to follow this one, where the Yama rule asks for that.
pub(crate) fn allow_following_by_any() {
    // SAFETY: takes numbers only; without Yama it fails, and nothing is lost.
    unsafe { libc::prctl(libc::PR_SET_PTRACER, libc::PR_SET_PTRACER_ANY, 0, 0, 0) };
}
