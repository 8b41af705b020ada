//! The watcher: answers the kernel's notices and writes a receipt for every program that ran.
//!
//! A notice comes before the `execve`, and nothing tells whether it succeeded. So each call waits
//! as *pending* until the process is seen again: at its next call, at its end, when one of its
//! children calls, or after a moment by the clock. Only a process that has become another program
//! gets a receipt, with the block that the kernel laid out for it. One that is never seen again
//! was ended by a signal; what it called for is written as called.

use std::collections::{HashMap, VecDeque};
use std::fs::File;
use std::io::{self, BufWriter};
use std::os::fd::{AsFd, OwnedFd};
use std::sync::Arc;
use std::time::{Duration, Instant as Clock};

use bytes::Bytes;
use nix::poll::{PollFd, PollFlags, PollTimeout, poll};
use nix::sys::epoll::{Epoll, EpollCreateFlags, EpollEvent, EpollFlags, EpollTimeout};
use vectorum_core::{Block, Certainty, Exit, Received, split_arguments};
use vectorum_host::{Instance, Observed, ProcFolder};

use crate::called::{self, Called, Pages};
use crate::filter::{self, Call};
use crate::pace::Pace;
use crate::recording::{NewReceipt, Writer};
use crate::sys::{Notice, SharedNotice, let_go, parent, pidfd, robust_list, wake_in_place};

/// A call whose outcome nobody has seen yet.
struct Pending {
    caller: Caller,
    ppid: i32,
    called: Option<Called>,
    at_ms: u64,
    looks: u32,
    next_look: Clock,
}

/// What is known of the program that called, to tell whether another runs afterwards.
enum Caller {
    /// Its path, and what tells two starts of it apart. The second is left out where the first will
    /// do.
    Seen(Option<Bytes>, Option<Instance>),
    /// All programs that it can be, and where it has its list of robust locks. Nothing had to be
    /// looked up.
    OneOf(Arc<Vec<Bytes>>, Option<usize>),
}

impl Caller {
    fn instance(&self) -> Option<&Instance> {
        match self {
            Caller::Seen(_, instance) => instance.as_ref(),
            Caller::OneOf(..) => None,
        }
    }

    /// Whether a process that now runs `exe` has become another program.
    fn is_not(&self, pid: i32, exe: &Bytes) -> bool {
        match self {
            Caller::Seen(before, _) => before.as_ref() != Some(exe),
            // The parent need not be what the process is a copy of (a daemon's; clone(2),
            // CLONE_PARENT): it may be another program than those.
            Caller::OneOf(programs, locks) => !programs.contains(exe) && locks.is_some() && robust_list(pid) != *locks,
        }
    }
}

/// A process that has called.
struct Known {
    pidfd: OwnedFd,
    /// The receipt of the program that it runs.
    receipt: Option<u64>,
    /// All programs that it has run since it was a copy of the first one known: what a copy of it
    /// can be. `None` if that is not known.
    programs: Option<Arc<Vec<Bytes>>>,
}

/// More programs in one process's past are not kept in mind.
const MOST_PROGRAMS: usize = 32;

/// What is known and not written yet: a caller is let go on before its past is put down.
enum Fact {
    Receipt(Box<OwnReceipt>),
    Exit(u64, Exit, u64),
}

/// A receipt that owns its parts.
struct OwnReceipt {
    pid: i32,
    ppid: i32,
    at_ms: u64,
    exe: Bytes,
    path: Bytes,
    arguments: Bytes,
    certainty: Certainty,
    block: Block,
}

/// Watches until the last process is gone.
pub(crate) struct Watcher<'a> {
    /// The command's own process.
    root: i32,
    listener: &'a OwnedFd,
    shared: &'a SharedNotice,
    proc: ProcFolder,
    writer: Writer<BufWriter<File>>,
    begun: Clock,
    epoll: Epoll,
    pending: HashMap<i32, Pending>,
    known: HashMap<i32, Known>,
    standby: std::cell::Cell<Option<OwnedFd>>,
    /// Processes whose end is not watched for yet.
    fresh: Vec<i32>,
    /// Paths that were seen to run as they were called, without an interpreter, and the programs
    /// that they led to.
    plain: HashMap<Bytes, Bytes>,
    /// The call that was answered last, when to look at it, and how often it may still be in vain.
    latest: Option<(i32, Clock, u32)>,
    done_with: Vec<Known>,
    facts: VecDeque<Fact>,
    memory: Pages,
    /// How many of the facts are receipts.
    unwritten: u64,
}

const STANDBY: u64 = 1 << 40;

/// How long nobody must call before what is known is written down.
const REST: Duration = Duration::from_millis(3);
/// How much may wait to be written, and how long.
const MOST_FACTS: usize = 64;
const LONGEST_BURST: Duration = Duration::from_millis(20);

/// How often the processor is told to wait between two looks: some microseconds in all.
const PAUSES: u32 = 64;

/// A watcher that keeps awake looks at a call when it was answered so long ago, and again so often.
const NEXT_LOOK_AHEAD: Duration = Duration::from_micros(60);
const LOOKS_AHEAD: u32 = 5;

/// When pending calls are looked at by the clock, in milliseconds after the call.
const LOOKS: [u64; 7] = [1, 4, 16, 60, 250, 1000, 4000];

impl<'a> Watcher<'a> {
    pub(crate) fn new(
        root: i32,
        listener: &'a OwnedFd,
        shared: &'a SharedNotice,
        proc: ProcFolder,
        writer: Writer<BufWriter<File>>,
        begun: Clock,
    ) -> io::Result<Watcher<'a>> {
        let epoll = Epoll::new(EpollCreateFlags::EPOLL_CLOEXEC)?;
        Ok(Watcher {
            root,
            listener,
            shared,
            proc,
            writer,
            begun,
            epoll,
            pending: HashMap::new(),
            known: HashMap::new(),
            standby: std::cell::Cell::default(),
            fresh: Vec::new(),
            plain: HashMap::new(),
            latest: None,
            done_with: Vec::new(),
            facts: VecDeque::new(),
            memory: Pages::default(),
            unwritten: 0,
        })
    }

    /// Tells the watcher of the process that stands by; [`Watcher::run`] asks for another when it
    /// is gone.
    pub(crate) fn watch_standby(&self, standby: OwnedFd) -> io::Result<()> {
        self.epoll.add(&standby, EpollEvent::new(EpollFlags::EPOLLIN | EpollFlags::EPOLLONESHOT, STANDBY))?;
        // The one before has ended: its descriptor goes with it.
        self.standby.set(Some(standby));
        Ok(())
    }

    /// Returns the number that the next receipt gets.
    pub(crate) fn next(&self) -> u64 {
        self.writer.next() + self.unwritten
    }

    /// Watches. Calls `renew` when the process that stands by has been killed. Returns the
    /// recording when the last traced process is gone.
    pub(crate) fn run(mut self, renew: impl Fn(&Self)) -> io::Result<(Writer<BufWriter<File>>, u64)> {
        let mut events = [EpollEvent::empty(); 64];
        let mut tidied = Clock::now();
        let mut pace = Pace::new(tidied, std::thread::available_parallelism().map_or(1, usize::from));
        loop {
            if pace.is_awake() && !self.keep_awake(&mut pace)? {
                // Nothing came.
                wake_in_place(self.listener, true);
            }
            let next = self.pending.values().map(|p| p.next_look).min();
            let wait = next.map(|at| at.saturating_duration_since(Clock::now()) + Duration::from_micros(999));
            let wait = if self.is_tidy() { wait } else { Some(wait.map_or(REST, |wait| wait.min(REST))) };
            let timeout = wait.map_or(PollTimeout::NONE, |wait| PollTimeout::try_from(wait).unwrap_or(PollTimeout::MAX));
            // The listener itself is waited on: a set of descriptors in between would lose the
            // kernel's hint to wake us where the caller ran.
            let mut fds =
                [PollFd::new(self.listener.as_fd(), PollFlags::POLLIN), PollFd::new(self.epoll.0.as_fd(), PollFlags::POLLIN)];
            match poll(&mut fds, timeout) {
                Ok(_) | Err(nix::errno::Errno::EINTR) => {}
                Err(error) => return Err(error.into()),
            }
            let [told, ended] = fds.map(|fd| fd.revents().unwrap_or(PollFlags::empty()));
            let calls = told.contains(PollFlags::POLLIN);
            if let Some(notice) = if calls { self.shared.receive(self.listener.as_fd())? } else { None } {
                let noted = self.notice(&notice);
                // Whatever went wrong with the recording, the program goes on.
                let was_there = let_go(self.listener.as_fd(), notice.id)?;
                if let (Some(pid), false) = (noted?, was_there) {
                    self.pending.remove(&pid);
                }
                let was_awake = pace.is_awake();
                pace.answered(Clock::now());
                if pace.is_awake() && !was_awake {
                    wake_in_place(self.listener, false);
                }
                self.done_with.clear();
                // In a burst, the callers come first.
                if self.facts.len() < MOST_FACTS && tidied.elapsed() < LONGEST_BURST && !ended.contains(PollFlags::POLLIN) {
                    continue;
                }
            }
            tidied = Clock::now();
            self.watch_fresh();
            if ended.contains(PollFlags::POLLIN) {
                let count = self.epoll.wait(&mut events, EpollTimeout::ZERO).unwrap_or(0);
                for event in events.iter().take(count) {
                    match event.data() {
                        STANDBY => renew(&self),
                        pid => self.ended(pid as i32)?,
                    }
                }
            }
            self.look()?;
            self.write()?;
            self.writer.flush()?;
            if told.contains(PollFlags::POLLHUP) && !told.contains(PollFlags::POLLIN) {
                return self.finish();
            }
        }
    }

    /// Waits for the next notice without sleeping, and meanwhile does what was put off. Returns
    /// whether it is there.
    fn keep_awake(&mut self, pace: &mut Pace) -> io::Result<bool> {
        while pace.is_awake() {
            let begun = Clock::now();
            let mut fds = [PollFd::new(self.listener.as_fd(), PollFlags::POLLIN)];
            if poll(&mut fds, PollTimeout::ZERO).is_ok_and(|ready| ready > 0) {
                return Ok(true);
            }
            let now = Clock::now();
            pace.found_nothing(begun, now);
            match self.facts.pop_front() {
                Some(fact) => self.put_down(fact)?,
                None => {
                    self.look_ahead(now)?;
                    // The other thread of this core may be the caller's.
                    (0..PAUSES).for_each(|_| std::hint::spin_loop());
                }
            }
        }
        Ok(false)
    }

    /// Decides the latest call while nobody waits for us: there is less to do then while somebody does.
    fn look_ahead(&mut self, now: Clock) -> io::Result<()> {
        let Some((pid, _, tries)) = self.latest.filter(|(_, at, _)| *at <= now) else { return Ok(()) };
        let caller = self.pending.get(&pid).map(|p| &p.caller);
        self.latest = match caller {
            // The call goes on.
            Some(Caller::OneOf(_, locks @ Some(_))) if robust_list(pid) == *locks => Some((pid, now + NEXT_LOOK_AHEAD, tries)),
            Some(Caller::OneOf(_, Some(_))) => match self.proc.exe(pid).and_then(|exe| self.usual(pid, &exe)) {
                Some(seen) => {
                    self.conclude(pid, Some(seen))?;
                    None
                }
                // The kernel may still be laying the new program out.
                None => tries.checked_sub(1).map(|tries| (pid, now + NEXT_LOOK_AHEAD, tries)),
            },
            _ => None,
        };
        Ok(())
    }

    /// Writes the facts down.
    fn write(&mut self) -> io::Result<()> {
        while let Some(fact) = self.facts.pop_front() {
            self.put_down(fact)?;
        }
        Ok(())
    }

    fn put_down(&mut self, fact: Fact) -> io::Result<()> {
        let receipt = match fact {
            Fact::Receipt(receipt) => receipt,
            Fact::Exit(seq, exit, at_ms) => return self.writer.exit(seq, exit, at_ms),
        };
        self.unwritten -= 1;
        let OwnReceipt { pid, ppid, at_ms, exe, path, arguments, certainty, block } = *receipt;
        let argv = split_arguments(&arguments);
        let (exe, path) = (&exe, &path);
        self.writer.receipt(&NewReceipt { pid, ppid, at_ms, exe, path, argv: &argv, certainty, block: &block })?;
        Ok(())
    }

    fn finish(mut self) -> io::Result<(Writer<BufWriter<File>>, u64)> {
        for pid in self.pending.keys().copied().collect::<Vec<_>>() {
            self.settle(pid, true)?;
        }
        // Some ended between their last notice and now. Their status can be told when their parents
        // have taken it, which most do at once.
        for _ in 0..20 {
            for pid in self.known.keys().copied().collect::<Vec<_>>() {
                self.ended(pid)?;
            }
            if self.known.is_empty() {
                break;
            }
            std::thread::sleep(Duration::from_millis(5));
        }
        self.write()?;
        let at_ms = self.at_ms();
        Ok((self.writer, at_ms))
    }

    fn at_ms(&self) -> u64 {
        self.begun.elapsed().as_millis() as u64
    }

    /// Takes a notice in. Returns the process whose call is pending by it.
    fn notice(&mut self, notice: &Notice) -> io::Result<Option<i32>> {
        let Some((call, pointer)) = filter::call(notice.arch, notice.number) else { return Ok(None) };
        let Some(pid) = self.leader(notice.tid) else { return Ok(None) };
        // What the process called before is decided now: it is still here to call again.
        self.settle(pid, false)?;
        self.pending.remove(&pid);
        if call == Call::Exit {
            // Its status is known: nothing more is to be heard of it.
            let known = self.known.remove(&pid);
            let receipt = known.as_ref().and_then(|k| k.receipt);
            // Closing takes its time: not while the caller waits.
            self.done_with.extend(known);
            if let Some(seq) = receipt {
                self.facts.push_back(Fact::Exit(seq, Exit::Status((notice.arguments[0] & 0xff) as i32), self.at_ms()));
            }
            // Whoever waits for the command finds its receipts written.
            if pid == self.root {
                self.write()?;
                self.writer.flush()?;
            }
            return Ok(None);
        }
        let called = called::read(&mut self.memory, notice, call, pointer);
        let parent = self.known.get(&pid).and_then(|k| parent(k.pidfd.as_fd()));
        // A parent's receipt comes before its child's.
        if let Some(parent) = parent {
            self.settle(parent, false)?;
        }
        let (caller, ppid) = self.caller(pid, parent, called.as_ref());
        if parent.is_none() {
            self.settle(ppid, false)?;
        }
        let next_look = Clock::now() + Duration::from_millis(LOOKS[0]);
        let at_ms = self.at_ms();
        self.pending.insert(pid, Pending { caller, ppid, called, at_ms, looks: 0, next_look });
        self.latest = Some((pid, Clock::now() + NEXT_LOOK_AHEAD, LOOKS_AHEAD));
        Ok(Some(pid))
    }

    /// Notes what will tell whether a call has succeeded. Returns it with the process's parent.
    fn caller(&mut self, pid: i32, parent: Option<i32>, called: Option<&Called>) -> (Caller, i32) {
        // A copy that has run nothing yet can be whatever its parent has been.
        let own = self.known.get(&pid).and_then(|k| k.programs.clone());
        let programs = own.or_else(|| self.known.get(&parent?)?.programs.clone());
        if let Some(known) = self.known.get_mut(&pid) {
            known.programs.clone_from(&programs);
        }
        let leads_to = called.and_then(|c| self.plain.get(&c.path));
        if let (Some(parent), Some(to), Some(programs)) = (parent, leads_to, programs)
            && !programs.contains(to)
        {
            return (Caller::OneOf(programs, robust_list(pid)), parent);
        }
        let exe = self.proc.exe(pid);
        let differs = leads_to.is_some_and(|to| exe.as_ref().is_some_and(|exe| exe != to));
        match parent.filter(|_| differs) {
            Some(parent) => (Caller::Seen(exe, None), parent),
            None => match self.proc.instance(pid) {
                Ok((instance, parent)) => (Caller::Seen(exe, Some(instance)), parent),
                Err(_) => (Caller::Seen(exe, None), parent.unwrap_or(0)),
            },
        }
    }

    /// Whether nothing waits for a quiet moment.
    fn is_tidy(&self) -> bool {
        self.facts.is_empty() && self.fresh.is_empty()
    }

    /// Begins to watch the end of processes that showed up.
    fn watch_fresh(&mut self) {
        for pid in std::mem::take(&mut self.fresh) {
            if let Some(known) = self.known.get(&pid) {
                // Without it, its end is seen only when another process gets its number.
                let _ = self.epoll.add(&known.pidfd, EpollEvent::new(EpollFlags::EPOLLIN | EpollFlags::EPOLLET, pid as u64));
            }
        }
    }

    /// Returns the process of a thread.
    fn leader(&mut self, tid: i32) -> Option<i32> {
        if self.known.contains_key(&tid) {
            return Some(tid);
        }
        // Only a first thread's number opens: it is the process's.
        let (pid, pidfd) = match pidfd(tid) {
            Ok(fd) => (tid, fd),
            Err(_) => {
                let pid = thread_group(tid)?;
                if self.known.contains_key(&pid) {
                    return Some(pid);
                }
                (pid, pidfd(pid).ok()?)
            }
        };
        self.known.insert(pid, Known { pidfd, receipt: None, programs: None });
        self.fresh.push(pid);
        Some(pid)
    }

    /// Looks at the calls whose time has come.
    fn look(&mut self) -> io::Result<()> {
        let now = Clock::now();
        let due: Vec<i32> = self.pending.iter().filter(|(_, p)| p.next_look <= now).map(|(pid, _)| *pid).collect();
        for pid in due {
            self.settle(pid, false)?;
            if let Some(pending) = self.pending.get_mut(&pid) {
                pending.looks += 1;
                // A call that has not succeeded by then is asked about when its process shows up.
                let far = Duration::from_secs(3600);
                pending.next_look = now + LOOKS.get(pending.looks as usize).map_or(far, |ms| Duration::from_millis(*ms));
            }
        }
        Ok(())
    }

    /// Decides a pending call if it can be decided. With `is_gone`, it will never be seen again.
    fn settle(&mut self, pid: i32, is_gone: bool) -> io::Result<()> {
        if !self.pending.contains_key(&pid) {
            return Ok(());
        }
        let seen = match self.outcome(pid) {
            Outcome::Runs(seen) => Some(seen),
            Outcome::Failed | Outcome::Gone if !is_gone => return Ok(()),
            Outcome::Failed | Outcome::Gone => None,
        };
        self.conclude(pid, seen)
    }

    /// Writes down what a pending call has come to: what was seen, or that its process is gone.
    fn conclude(&mut self, pid: i32, seen: Option<Observed>) -> io::Result<()> {
        let Some(Pending { ppid, called, at_ms, .. }) = self.pending.remove(&pid) else { return Ok(()) };
        let (path, argv, called_block) = match called {
            Some(Called { path, argv, block }) => (path, argv, Some(block)),
            None => (Bytes::new(), Bytes::new(), None),
        };
        let (exe, path, arguments, certainty, block) = match seen {
            Some(Observed { received, arguments, exe }) => {
                let arguments = if arguments.is_empty() { argv } else { arguments };
                let path = if path.is_empty() { exe.clone() } else { path };
                match (received, called_block) {
                    (Received::Block(block), _) => (exe, path, arguments, Certainty::Confirmed, block),
                    // It ran, but has written over its block before it was seen.
                    (_, Some(block)) => (exe, path, arguments, Certainty::AsCalled, block),
                    (_, None) => return Ok(()),
                }
            }
            None => match called_block.filter(|_| may_run(&path)) {
                Some(block) => (path.clone(), path, argv, Certainty::AsCalled, block),
                None => return Ok(()),
            },
        };
        let seq = self.next();
        if let Some(known) = self.known.get_mut(&pid) {
            known.receipt = Some(seq);
            // The first receipt of the tree begins the list; a later one's past is unknown if its
            // parent's was.
            let programs = known.programs.take().or_else(|| (pid == self.root).then(Arc::default));
            known.programs = programs.filter(|p| p.len() < MOST_PROGRAMS).map(|mut programs| {
                if !programs.contains(&exe) {
                    Arc::make_mut(&mut programs).push(exe.clone());
                }
                programs
            });
        }
        self.facts.push_back(Fact::Receipt(Box::new(OwnReceipt { pid, ppid, at_ms, exe, path, arguments, certainty, block })));
        self.unwritten += 1;
        Ok(())
    }

    /// Looks whether a process runs another program than before, where the path that it called has led
    /// to so far, with the block that was asked for: then nothing else needs to be looked at.
    fn usual(&mut self, pid: i32, exe: &Bytes) -> Option<Observed> {
        let pending = self.pending.get(&pid)?;
        let asked = pending.called.as_ref()?;
        let is_usual = self.plain.get(&asked.path) == Some(exe) && pending.caller.is_not(pid, exe);
        (is_usual && self.proc.holds(pid, &asked.block)).then(|| Observed {
            received: Received::Block(asked.block.clone()),
            arguments: asked.argv.clone(),
            exe: exe.clone(),
        })
    }

    /// Looks whether a pending call has succeeded.
    fn outcome(&mut self, pid: i32) -> Outcome {
        // Looked at once: it may become another while we look.
        let exe = self.proc.exe(pid);
        if let Some(seen) = exe.as_ref().and_then(|exe| self.usual(pid, exe)) {
            return Outcome::Runs(seen);
        }
        let Some(pending) = self.pending.get(&pid) else { return Outcome::Gone };
        let asked = pending.called.as_ref();
        let has_changed = exe.as_ref().is_some_and(|exe| pending.caller.is_not(pid, exe));
        let seen = match self.proc.observe(pid, pending.caller.instance(), asked.map(|c| &c.block)) {
            Ok(Some(seen)) => seen,
            Ok(None) => return Outcome::Failed,
            Err(_) => return Outcome::Gone,
        };
        let as_asked = asked.is_some_and(|asked| seen.received.block() == Some(&asked.block) && asked.argv == seen.arguments);
        // Nothing was noted that tells two starts of one program apart: then only one that has all
        // that was asked for is taken for another.
        if pending.caller.instance().is_none() && !has_changed && !as_asked {
            return Outcome::Failed;
        }
        if let Some(asked) = asked.filter(|_| as_asked && self.plain.len() < 4096) {
            self.plain.insert(asked.path.clone(), seen.exe.clone());
        }
        Outcome::Runs(seen)
    }

    fn ended(&mut self, pid: i32) -> io::Result<()> {
        self.settle(pid, true)?;
        self.pending.remove(&pid);
        let Some(Known { pidfd, receipt, .. }) = self.known.get(&pid) else { return Ok(()) };
        let Some(seq) = receipt else {
            self.known.remove(&pid);
            return Ok(());
        };
        // Only a status that was taken by the parent can be read; the second event comes then.
        match exit_of(pidfd) {
            ExitInfo::Known(exit) => {
                let at_ms = self.begun.elapsed().as_millis() as u64;
                self.facts.push_back(Fact::Exit(*seq, exit, at_ms));
                self.known.remove(&pid);
            }
            ExitInfo::NotYet => {}
            ExitInfo::Unsupported => {
                self.known.remove(&pid);
            }
        }
        Ok(())
    }
}

/// What became of a call.
enum Outcome {
    /// The process runs another program.
    Runs(Observed),
    /// It runs the same as before: the call failed, or has not got so far.
    Failed,
    /// It cannot be seen any more.
    Gone,
}

/// Whether a path that was called leads to a program, as far as we see it from here.
fn may_run(path: &[u8]) -> bool {
    use std::os::unix::ffi::OsStrExt;
    use std::os::unix::fs::PermissionsExt;
    let path = std::path::Path::new(std::ffi::OsStr::from_bytes(path));
    path.is_absolute() && std::fs::metadata(path).is_ok_and(|m| m.is_file() && m.permissions().mode() & 0o111 != 0)
}

/// Returns the process that a thread belongs to.
fn thread_group(tid: i32) -> Option<i32> {
    let status = std::fs::read_to_string(format!("/proc/{tid}/status")).ok()?;
    status.lines().find_map(|l| l.strip_prefix("Tgid:"))?.trim().parse().ok()
}

enum ExitInfo {
    Known(Exit),
    NotYet,
    Unsupported,
}

/// Asks the kernel how a process ended (`PIDFD_GET_INFO` with `PIDFD_INFO_EXIT`, Linux 6.15).
fn exit_of(pidfd: &OwnedFd) -> ExitInfo {
    match crate::sys::exit_code(pidfd.as_fd()) {
        Ok(Some(code)) if code & 0x7f == 0 => ExitInfo::Known(Exit::Status((code >> 8) & 0xff)),
        Ok(Some(code)) => ExitInfo::Known(Exit::Signal(code & 0x7f)),
        Ok(None) => ExitInfo::NotYet,
        Err(_) => ExitInfo::Unsupported,
    }
}
