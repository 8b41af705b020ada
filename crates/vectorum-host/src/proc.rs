//! What a process received at its `execve`, read from /proc.
//!
//! The kernel keeps the place of a process's start block and shows what stands there *now*
//! (proc_pid_environ(5)). Programs write over it: some to change their title, some to hide a
//! secret. So a block counts as received only if it still has the shape that the kernel gave it:
//!
//! - the arguments still end where the block begins, and with a NUL (a title that ran on into the
//!   block does not; `get_mm_cmdline` in fs/proc/base.c),
//! - the place was not moved away from the stack (prctl(2), `PR_SET_MM_ENV_START`),
//! - it holds as many strings as the kernel laid out pointers below it, and each pointer that
//!   still leads into the block leads to a string's first byte.
//!
//! What this cannot find is a change that keeps all string boundaries: a program that overwrites
//! its own secret letter by letter.

use std::io;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::path::Path;

use bytes::Bytes;
use rustix::fs::{Mode, OFlags, fstat, open, openat, readlinkat};
use rustix::io::Errno;
use vectorum_core::{Block, Process, ProcessId, Received, Refusal};

use crate::accounts::Accounts;
use crate::elf::{Class, Memory};
use crate::refusal::{Access, explain};

/// Why nothing could be said of a process.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ReadError {
    /// No process has this number, or it is hidden from this account.
    #[error("there is no process {0}, or this account may not see it")]
    Gone(i32),
    /// /proc could not be read.
    #[error("process {pid} could not be read")]
    System {
        /// Whose.
        pid: i32,
        /// What the system said.
        source: io::Error,
    },
}

/// How many bytes of its arguments are kept for each process: they are shown, not passed on.
const MOST_ARGUMENTS: usize = 4096;

/// Whether the memory of processes is looked at to see if a start block was overwritten.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Peek {
    /// Yes, where the kernel allows it.
    #[default]
    Allowed,
    /// No: judge by what /proc tells without it, as where the kernel refuses it.
    Never,
}

/// Returns the block that this process received.
///
/// # Errors
/// If /proc is not there: then the block as the C library sees it is the next best.
pub fn own_block() -> io::Result<Block> {
    std::fs::read("/proc/self/environ").map(Block::parse)
}

/// A mounted /proc.
#[derive(Debug)]
pub struct ProcFolder {
    folder: OwnedFd,
    pub(crate) accounts: Accounts,
    peek: Peek,
    buffer: Vec<u8>,
}

/// A process's folder in /proc. Held open, it never leads to another process: when this one is
/// gone, every access fails.
#[derive(Debug)]
pub(crate) struct PidFolder {
    pub(crate) fd: OwnedFd,
    /// The account that the process acts as: the folder itself is always that account's.
    pub(crate) owner: u32,
}

impl ProcFolder {
    /// Opens a mounted /proc.
    ///
    /// # Errors
    /// If the folder cannot be opened.
    pub fn open(path: &Path, peek: Peek) -> io::Result<ProcFolder> {
        let folder = open(path, OFlags::DIRECTORY | OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?;
        Ok(ProcFolder { folder, accounts: Accounts::default(), peek, buffer: Vec::with_capacity(64 * 1024) })
    }

    /// Returns the numbers of all processes that this account may see.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn pids(&self) -> io::Result<Vec<i32>> {
        let mut pids = Vec::with_capacity(256);
        for entry in rustix::fs::Dir::read_from(&self.folder)? {
            let entry = entry?;
            let name = entry.file_name().to_bytes();
            if let Some(pid) = std::str::from_utf8(name).ok().and_then(|n| n.parse().ok()) {
                pids.push(pid);
            }
        }
        pids.sort_unstable();
        Ok(pids)
    }

    pub(crate) fn pid(&self, pid: i32) -> Result<PidFolder, ReadError> {
        let error = |source| ReadError::of(pid, source);
        let fd = openat(&self.folder, pid.to_string(), OFlags::DIRECTORY | OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())
            .map_err(error)?;
        let owner = fstat(&fd).map_err(error)?.st_uid;
        Ok(PidFolder { fd, owner })
    }

    pub(crate) fn stat(&mut self, pid: i32, folder: &PidFolder) -> Result<Stat, ReadError> {
        read_into(folder.fd.as_fd(), "stat", &mut self.buffer).map_err(|e| ReadError::of(pid, e))?;
        Stat::parse(&self.buffer).ok_or(ReadError::Gone(pid))
    }

    /// Reads what is known of a process.
    ///
    /// # Errors
    /// [`ReadError::Gone`] if it ends before or while it is read.
    pub fn read(&mut self, pid: i32) -> Result<Process, ReadError> {
        let folder = self.pid(pid)?;
        let stat = self.stat(pid, &folder)?;
        self.read_open(pid, &folder, stat)
    }

    /// Reads what is known of a process whose folder and state are at hand.
    pub(crate) fn read_open(&mut self, pid: i32, folder: &PidFolder, stat: Stat) -> Result<Process, ReadError> {
        // A program that starts another one in its place between two of the readings below mixes
        // two blocks: then the shapes do not fit, and it is read again.
        let mut process = self.read_once(pid, folder, stat)?;
        for _ in 0..4 {
            if !matches!(process.received, Received::Overwritten | Received::Unsure(_) | Received::Pending) {
                break;
            }
            let stat = self.stat(pid, folder)?;
            process = self.read_once(pid, folder, stat)?;
        }
        if process.received == Received::Pending {
            // Nothing can be read where the block should be: either it is ending, or it has moved
            // the place to where nothing is.
            let has_ended = self.stat(pid, folder).is_ok_and(|s| s.has_ended);
            process.received = if has_ended { Received::Ended } else { Received::Overwritten };
        }
        Ok(process)
    }

    /// Reads which program of its life a process is running, and its parent.
    ///
    /// # Errors
    /// [`ReadError::Gone`] if it ended, or is between two programs.
    pub fn instance(&mut self, pid: i32) -> Result<(Instance, i32), ReadError> {
        let stat = self.stat_at(pid)?;
        Ok((self.instance_of(pid, &stat), stat.parent))
    }

    /// Returns what a process has become since `before`, or `None` if it is the same program.
    ///
    /// `called` is the block that it asked for: what lies there now and equals it was received,
    /// whatever else the memory says.
    ///
    /// # Errors
    /// [`ReadError::Gone`] if it ended, or is between two programs.
    pub fn observe(
        &mut self,
        pid: i32,
        before: Option<&Instance>,
        called: Option<&Block>,
    ) -> Result<Option<Observed>, ReadError> {
        let stat = self.stat_at(pid)?;
        let instance = self.instance_of(pid, &stat);
        if before.is_some_and(|before| !instance.is_another_than(before)) {
            return Ok(None);
        }
        let error = |e| ReadError::of(pid, e);
        let place = stat.place;
        let mut arguments = Vec::new();
        let length = (place.arg_end.saturating_sub(place.arg_start)) as usize;
        read_known(self.folder.as_fd(), &format!("{pid}/cmdline"), &mut arguments, length).map_err(error)?;
        if arguments.len() != length {
            arguments.clear();
        }
        let length = (place.env_end.saturating_sub(place.env_start)) as usize;
        let read = read_known(self.folder.as_fd(), &format!("{pid}/environ"), &mut self.buffer, length);
        let received = match called {
            Some(block) if read.is_ok() && *block.to_kernel_bytes() == self.buffer[..] => Received::Block(block.clone()),
            _ => {
                let folder = self.pid(pid)?;
                self.received(pid, &folder, &stat, arguments.len() as u64)?
            }
        };
        let exe =
            readlinkat(&self.folder, format!("{pid}/exe"), Vec::new()).map(|l| Bytes::from(l.into_bytes())).unwrap_or_default();
        Ok(Some(Observed { received, arguments: arguments.into(), exe }))
    }

    /// Returns the path of the program that a process runs.
    pub fn exe(&self, pid: i32) -> Option<Bytes> {
        let link = readlinkat(&self.folder, format!("{pid}/exe"), Vec::new()).ok()?;
        Some(Bytes::from(link.into_bytes()))
    }

    /// Returns the path under which a process's program was called, as the kernel keeps it for the
    /// program (getauxval(3), AT_EXECFN); of a script the script's. Needs the right to read memory.
    pub fn called_path(&mut self, pid: i32) -> Option<Bytes> {
        const AT_EXECFN: u64 = 31;
        read_into(self.folder.as_fd(), &format!("{pid}/auxv"), &mut self.buffer).ok()?;
        let mut start = [0; 5];
        let exe = openat(&self.folder, format!("{pid}/exe"), OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty()).ok()?;
        rustix::io::read(&exe, &mut start[..]).ok()?;
        let class = Class::of_file(&start)?;
        let mut pairs = self.buffer.chunks_exact(2 * class.word());
        let pair = pairs.find(|pair| class.number(pair) == AT_EXECFN)?;
        let at = class.number(pair.get(class.word()..)?);
        let memory = ProcMemory::open(&self.pid(pid).ok()?).ok()?;
        let mut bytes = vec![0; 4096];
        let read = memory.read(at, &mut bytes)?;
        bytes.truncate(memchr::memchr(0, bytes.get(..read)?)?);
        Some(bytes.into())
    }

    /// Whether exactly this block lies where the kernel laid a process's start block.
    pub fn holds(&mut self, pid: i32, block: &Block) -> bool {
        let bytes = block.to_kernel_bytes();
        // One byte more would be read if there were one.
        let read = read_known(self.folder.as_fd(), &format!("{pid}/environ"), &mut self.buffer, bytes.len().max(1));
        read.is_ok() && *bytes == self.buffer[..]
    }

    fn stat_at(&mut self, pid: i32) -> Result<Stat, ReadError> {
        // One reading is the whole line: the kernel makes it at once.
        read_known(self.folder.as_fd(), &format!("{pid}/stat"), &mut self.buffer, 1).map_err(|e| ReadError::of(pid, e))?;
        let stat = Stat::parse(&self.buffer).ok_or(ReadError::Gone(pid))?;
        // One that has ended, or is between two programs, has no memory to tell them apart.
        if stat.has_ended || !stat.place.is_known() { Err(ReadError::Gone(pid)) } else { Ok(stat) }
    }

    fn instance_of(&mut self, pid: i32, stat: &Stat) -> Instance {
        // Addresses are drawn at random for each start. Where that is switched off, as under a
        // debugger, or the room is small, two starts of one program may lie alike: then the 16
        // bytes that the kernel draws for each start tell them apart (getauxval(3), AT_RANDOM).
        const AT_RANDOM: u64 = 25;
        const TOP: u64 = 0x7fff_ffff_f000;
        let stack = stat.place.stack;
        let mut drawn = [0; 16];
        let may_repeat = stack <= u64::from(u32::MAX) || TOP.abs_diff(stack) < 16 << 20;
        if !may_repeat || self.peek != Peek::Allowed {
            return Instance { place: stat.place, drawn };
        }
        if read_into(self.folder.as_fd(), &format!("{pid}/auxv"), &mut self.buffer).is_ok() {
            let class = if stack > u64::from(u32::MAX) { Class::Bits64 } else { Class::Bits32 };
            let pairs = self.buffer.chunks_exact(2 * class.word());
            let mut pairs = pairs.map(|p| (class.number(p), class.number(p.get(class.word()..).unwrap_or_default())));
            if let (Some((_, at)), Ok(folder)) = (pairs.find(|(k, _)| *k == AT_RANDOM), self.pid(pid)) {
                let _ = ProcMemory::open(&folder).map(|memory| memory.read_exact(at, &mut drawn));
            }
        }
        Instance { place: stat.place, drawn }
    }

    fn read_once(&mut self, pid: i32, folder: &PidFolder, stat: Stat) -> Result<Process, ReadError> {
        let arguments = match read_into(folder.fd.as_fd(), "cmdline", &mut self.buffer) {
            Ok(()) => Bytes::copy_from_slice(self.buffer.get(..MOST_ARGUMENTS.min(self.buffer.len())).unwrap_or_default()),
            Err(error) => return Err(ReadError::of(pid, error)),
        };
        let length = self.buffer.len() as u64;
        let received = self.received(pid, folder, &stat, length)?;
        let uid = folder.owner;
        Ok(Process {
            id: ProcessId { pid, started: stat.started },
            parent: stat.parent,
            account: self.accounts.name(uid),
            program: stat.program,
            arguments,
            uid,
            received,
        })
    }

    fn received(&mut self, pid: i32, folder: &PidFolder, stat: &Stat, arguments: u64) -> Result<Received, ReadError> {
        if stat.is_kernel {
            return Ok(Received::Kernel);
        }
        if stat.has_ended {
            return Ok(Received::Ended);
        }
        match read_into(folder.fd.as_fd(), "environ", &mut self.buffer) {
            Ok(()) => {}
            Err(Errno::ACCESS | Errno::PERM) => {
                return Ok(Received::Unreadable(explain(folder.fd.as_fd(), Access::Read, &mut self.accounts)));
            }
            Err(error) => return Err(ReadError::of(pid, error)),
        }
        let place = &stat.place;
        if self.buffer.is_empty() && place.env_start != place.env_end {
            // Its memory went away while it was read.
            return Ok(Received::Pending);
        }
        let bytes = Bytes::copy_from_slice(&self.buffer);
        let block = Block::parse(bytes.clone());
        if !place.is_known() {
            // Without the right to read, the kernel gives zeros for the places; but the block was
            // read, so the right is there and the process is just starting or ending.
            return Ok(if block.is_empty() { Received::Pending } else { Received::Block(block) });
        }
        if !place.fits(&bytes, arguments) {
            return Ok(Received::Overwritten);
        }
        let looks_usual = block.entries().all(|e| e.name().is_some());
        Ok(match self.count_pointers(folder, stat) {
            Ok(Some(pointers)) if pointers.agree_with(&bytes, place.env_start) => Received::Block(block),
            // The memory could not be read, or holds no list of pointers any more.
            Ok(None) | Err(_) if looks_usual => Received::Block(block),
            Ok(_) => Received::Overwritten,
            Err(refusal) => Received::Unsure(refusal),
        })
    }

    /// Reads the pointers that the kernel laid out; `Ok(None)` if they cannot be found.
    fn count_pointers(&mut self, folder: &PidFolder, stat: &Stat) -> Result<Option<Pointers>, Refusal> {
        if self.peek == Peek::Never {
            return Err(Refusal::NotWanted);
        }
        let refusal = |_| explain(folder.fd.as_fd(), Access::Attach, &mut Accounts::default());
        let memory = ProcMemory::open(folder).map_err(refusal)?;
        if read_into(folder.fd.as_fd(), "auxv", &mut self.buffer).is_err() {
            return Ok(None);
        }
        Ok(Pointers::find(&memory, stat.place.stack, stat.place.arg_start.min(stat.place.env_start), &self.buffer))
    }
}

/// Which of the programs that a process runs in its life: two are equal if no `execve` lies
/// between them. A child has its parent's until its own first one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Instance {
    place: Place,
    drawn: [u8; 16],
}

impl Instance {
    /// Whether an `execve` lies between the two, seen in one process.
    pub fn is_another_than(&self, other: &Instance) -> bool {
        self.place != other.place || self.drawn != other.drawn
    }
}

/// A process at one moment.
#[derive(Clone, Debug)]
pub struct Observed {
    /// What it received.
    pub received: Received,
    /// Its arguments, each followed by a NUL; empty where it has overwritten them.
    pub arguments: Bytes,
    /// The program's path.
    pub exe: Bytes,
}

impl AsFd for ProcFolder {
    fn as_fd(&self) -> BorrowedFd<'_> {
        self.folder.as_fd()
    }
}

impl ReadError {
    fn of(pid: i32, error: Errno) -> ReadError {
        match error {
            Errno::NOENT | Errno::SRCH => ReadError::Gone(pid),
            _ => ReadError::System { pid, source: error.into() },
        }
    }
}

/// Reads a small file of a process's folder whole.
pub(crate) fn read_at(folder: BorrowedFd<'_>, name: &str) -> Result<Vec<u8>, Errno> {
    let mut bytes = Vec::new();
    read_into(folder, name, &mut bytes)?;
    Ok(bytes)
}

/// Reads a file of a known length: without a second look for its end, which costs as much again.
fn read_known(folder: BorrowedFd<'_>, name: &str, into: &mut Vec<u8>, length: usize) -> Result<(), Errno> {
    let file = openat(folder, name, OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?;
    into.clear();
    // Room for more than expected: a longer file must not pass for a fitting one.
    into.reserve(length.max(2048) + 64);
    while into.len() < length {
        match rustix::io::read(&file, rustix::buffer::spare_capacity(into)) {
            Ok(0) => break,
            Ok(_) | Err(Errno::INTR) => {}
            Err(error) => return Err(error),
        }
    }
    Ok(())
}

fn read_into(folder: BorrowedFd<'_>, name: &str, into: &mut Vec<u8>) -> Result<(), Errno> {
    let file = openat(folder, name, OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?;
    into.clear();
    if into.capacity() < 4096 {
        into.reserve(4096);
    }
    loop {
        if into.len() == into.capacity() {
            into.reserve(into.capacity());
        }
        match rustix::io::read(&file, rustix::buffer::spare_capacity(into)) {
            Ok(0) => return Ok(()),
            Ok(_) | Err(Errno::INTR) => {}
            Err(error) => return Err(error),
        }
    }
}

/// A process's memory.
pub(crate) struct ProcMemory {
    file: OwnedFd,
}

impl ProcMemory {
    pub(crate) fn open(folder: &PidFolder) -> Result<ProcMemory, Errno> {
        let file = openat(&folder.fd, "mem", OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?;
        Ok(ProcMemory { file })
    }
}

impl Memory for ProcMemory {
    fn read(&self, at: u64, into: &mut [u8]) -> Option<usize> {
        rustix::io::pread(&self.file, into, at).ok()
    }
}

/// What /proc/PID/stat says (proc_pid_stat(5)).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Stat {
    pub(crate) program: Bytes,
    pub(crate) parent: i32,
    pub(crate) started: u64,
    pub(crate) is_kernel: bool,
    pub(crate) has_ended: bool,
    pub(crate) place: Place,
}

/// Where a process's start data lies in its memory; zeros where the kernel does not tell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Place {
    pub(crate) stack: u64,
    pub(crate) arg_start: u64,
    pub(crate) arg_end: u64,
    pub(crate) env_start: u64,
    pub(crate) env_end: u64,
}

impl Place {
    fn is_known(&self) -> bool {
        self.env_end != 0
    }

    /// Whether the block still lies as the kernel laid it, as far as the places and the length of
    /// the arguments shown tell.
    fn fits(&self, block: &[u8], arguments: u64) -> bool {
        // No kernel lays out more than 6 MiB of strings above the pointers.
        const FAR: u64 = 64 << 20;
        let on_stack = self.env_start >= self.stack && self.env_end - self.stack.min(self.env_end) < FAR;
        let length = self.env_end.saturating_sub(self.env_start) == block.len() as u64;
        let ended = block.last().is_none_or(|b| *b == 0);
        // A title longer than the arguments makes the kernel show it up to its end instead.
        let untitled = self.arg_end != self.env_start || arguments == self.arg_end.saturating_sub(self.arg_start);
        on_stack && length && ended && untitled
    }
}

impl Stat {
    /// Reads the line; `None` if it is cut off, as that of a vanishing process may be.
    fn parse(line: &[u8]) -> Option<Stat> {
        const PF_KTHREAD: u64 = 0x0020_0000;
        // The name may hold anything, brackets and blanks included.
        let open = memchr::memchr(b'(', line)?;
        let close = memchr::memrchr(b')', line)?;
        let rest = std::str::from_utf8(line.get(close + 1..)?).ok()?;
        let fields: Vec<&str> = rest.split_ascii_whitespace().collect();
        // Fields are numbered from 1 in the manual; the first behind the name is the third.
        let field = |number: usize| fields.get(number - 3).copied();
        let number = |at: usize| field(at)?.parse::<u64>().ok();
        let place = Place {
            stack: number(28)?,
            arg_start: number(48)?,
            arg_end: number(49)?,
            env_start: number(50)?,
            env_end: number(51)?,
        };
        // The kernel notes where the code lies when it has laid out everything else of a new program:
        // until then the places hold halves (fs/binfmt_elf.c; seen on a busy machine).
        let is_laid_out = number(26)? != 0;
        Some(Stat {
            program: Bytes::copy_from_slice(line.get(open + 1..close)?),
            has_ended: matches!(field(3)?, "Z" | "X" | "x"),
            parent: field(4)?.parse().ok()?,
            is_kernel: number(9)? & PF_KTHREAD != 0,
            started: number(22)?,
            place: if is_laid_out { place } else { Place::default() },
        })
    }
}

/// The places for pointers to the block's strings, between those to the arguments and the
/// auxiliary vector.
#[derive(Debug)]
struct Pointers {
    slots: Vec<u64>,
}

impl Pointers {
    /// Finds the list above `stack`: the number of arguments, their pointers, a null, the
    /// pointers looked for, a null, the auxiliary vector, of which `auxv` is the kernel's copy.
    fn find(memory: &dyn Memory, stack: u64, end: u64, auxv: &[u8]) -> Option<Pointers> {
        let length = usize::try_from(end.checked_sub(stack)?).ok().filter(|l| *l < 64 << 20)?;
        let mut bytes = vec![0; length];
        let mut filled = 0;
        while let Some(rest) = bytes.get_mut(filled..).filter(|r| !r.is_empty()) {
            match memory.read(stack + filled as u64, rest) {
                Some(read) if read > 0 => filled += read,
                _ => return None,
            }
        }
        [Class::Bits64, Class::Bits32].into_iter().find_map(|class| {
            let word = class.word();
            let key = auxv.get(..2 * word)?;
            let words: Vec<u64> = bytes.chunks_exact(word).map(|w| class.number(w)).collect();
            let arguments = usize::try_from(*words.first()?).ok()?;
            let first = arguments.checked_add(2)?;
            (words.get(first - 1) == Some(&0)).then_some(())?;
            let vector = (first + 1..words.len()).find(|at| bytes.get(at * word..).is_some_and(|b| b.starts_with(key)))?;
            Some(Pointers { slots: words.get(first..vector - 1)?.to_vec() })
        })
    }

    fn agree_with(&self, block: &[u8], start: u64) -> bool {
        let strings = memchr::memchr_iter(0, block).count();
        let leads_to_a_start = |slot: &u64| match usize::try_from(slot.wrapping_sub(start)) {
            Ok(at) if at > 0 && at < block.len() => block.get(at - 1) == Some(&0),
            _ => true,
        };
        strings == self.slots.len() && self.slots.iter().all(leads_to_a_start)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stat_lines() {
        let numbers: Vec<String> = (4..=52).map(|n| n.to_string()).collect();
        let line = format!("7 (a) b (c)) S {}", numbers.join(" "));
        let stat = Stat::parse(line.as_bytes()).unwrap();
        assert_eq!(stat.program, &b"a) b (c)"[..]);
        assert_eq!((stat.parent, stat.started, stat.is_kernel), (4, 22, false));
        assert_eq!(stat.place, Place { stack: 28, arg_start: 48, arg_end: 49, env_start: 50, env_end: 51 });
        // A program that is being laid out: the end of its block is its beginning still.
        let line = line.replace(" 26 ", " 0 ").replace(" 51 ", " 50 ");
        assert!(!Stat::parse(line.as_bytes()).unwrap().place.is_known());
        let cut: String = line.chars().take(40).collect();
        assert_eq!(Stat::parse(cut.as_bytes()), None);
        assert_eq!(Stat::parse(b""), None);
    }

    struct Fake(u64, Vec<u8>);

    impl Memory for Fake {
        fn read(&self, at: u64, into: &mut [u8]) -> Option<usize> {
            let from = usize::try_from(at.checked_sub(self.0)?).ok()?;
            let source = self.1.get(from..)?;
            let length = source.len().min(into.len());
            into.get_mut(..length)?.copy_from_slice(source.get(..length)?);
            Some(length)
        }
    }

    /// Lays out a stack as the kernel does: pointers at 0x1000, strings behind.
    fn stack(words: &[u64], class: Class) -> Fake {
        let bytes = words.iter().flat_map(|w| w.to_le_bytes().into_iter().take(class.word()).collect::<Vec<_>>()).collect();
        Fake(0x1000, bytes)
    }

    #[test]
    fn a_block_is_believed_only_in_its_own_shape() {
        let block = b"A=1\0B=2\0";
        let start = 0x2000;
        for class in [Class::Bits64, Class::Bits32] {
            let auxv: Vec<u8> =
                [33u64, 0x7f00].iter().flat_map(|w| w.to_le_bytes().into_iter().take(class.word()).collect::<Vec<_>>()).collect();
            // One argument; two variables; the auxiliary vector.
            let intact = [1, 0x1f00, 0, start, start + 4, 0, 33, 0x7f00, 0, 0, 0, 0];
            for (slots, believed) in [
                ((start, start + 4), true),
                ((0x9000, start + 4), true), // replaced by setenv(3)
                ((start + 4, 0), true),      // unsetenv(3) moved them up
                ((start, start + 5), false), // the strings begin elsewhere now
            ] {
                let mut words = intact;
                (words[3], words[4]) = slots;
                let memory = stack(&words, class);
                let end = 0x1000 + memory.1.len() as u64;
                let pointers = Pointers::find(&memory, 0x1000, end, &auxv).unwrap();
                assert_eq!(pointers.slots.len(), 2);
                assert_eq!(pointers.agree_with(block, start), believed, "{slots:?}");
                assert!(!pointers.agree_with(b"A=1\0\0\0\0\0", start), "zeros are more strings");
                assert!(!pointers.agree_with(b"A=1 B=2\0", start), "a title is fewer");
            }
        }
    }

    #[test]
    fn places_tell_a_title_and_a_moved_block() {
        let place = Place { stack: 0x1000, arg_start: 0x1800, arg_end: 0x1810, env_start: 0x1810, env_end: 0x1814 };
        let far = Place { env_start: 1 << 40, env_end: (1 << 40) + 4, arg_end: 1 << 40, arg_start: (1 << 40) - 16, ..place };
        let below = Place { stack: 0x9000, ..place };
        for (place, block, arguments, fits) in [
            (place, &b"A=1\0"[..], 16, true),
            (place, b"A=1\0", 20, false),
            (place, b"A=1x", 16, false),
            (place, b"A=1", 16, false),
            (Place { arg_end: 0x1804, ..place }, b"A=1\0", 99, true),
            (far, b"A=1\0", 16, false),
            (below, b"A=1\0", 16, false),
        ] {
            assert_eq!(place.fits(block, arguments), fits, "{place:?} {arguments}");
        }
    }
}
