//! The block that a process has now.
//!
//! A running program's variables are where its C library's `environ` points (environ(7)). The
//! pointer is found as the loader resolves it: in the program first, which holds a copy if it
//! uses the variable itself, then in the libraries in their order; a program without a dynamic
//! segment has it in its symbol table. The process goes on meanwhile, so the block is read until
//! two readings agree.

use std::fs::File;
use std::os::fd::AsFd;
use std::thread::sleep;
use std::time::Duration;

use rustix::fs::{Mode, OFlags, openat, readlinkat};
use rustix::io::Errno;
use vectorum_core::{Block, Refusal};

use crate::elf::{Class, Image, Memory, Program, symbol_in_file};
use crate::proc::{PidFolder, ProcFolder, ProcMemory, ReadError, read_at};
use crate::refusal::{Access, explain};

/// A runtime that keeps the variables elsewhere than in the C library.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Keeper {
    /// A shell: it lays its variables out only when it runs a program.
    Shell(String),
    /// A Go program: its runtime copies the block at the start.
    Go,
    /// A Java virtual machine: programs see a copy made at the start.
    Java,
    /// The .NET runtime: programs see a copy.
    DotNet,
    /// The Erlang virtual machine: programs see a copy.
    Erlang,
}

impl Keeper {
    /// Returns in a sentence what that means for the block that was read.
    pub fn words(&self) -> String {
        match self {
            Keeper::Shell(name) => format!(
                "{name} keeps its variables in tables of its own and lays them out only when it runs a program: this is the C library's block, not the current one"
            ),
            Keeper::Go => "a Go program keeps a copy of its own, which its runtime does not show: this is the C library's block, not the current one".to_owned(),
            Keeper::Java => "a Java program sees a copy made at its start: this is the C library's block, not the current one".to_owned(),
            Keeper::DotNet => "a .NET program sees a copy of its own: this is the C library's block, not the current one".to_owned(),
            Keeper::Erlang => "an Erlang program sees a copy of its own: this is the C library's block, not the current one".to_owned(),
        }
    }
}

/// A block read from a running process.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LiveBlock {
    /// The C library's block.
    pub block: Block,
    /// Who keeps the variables elsewhere, if somebody does: then `block` is not the current one.
    pub keeper: Option<Keeper>,
}

/// Why the current block cannot be told.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LiveError {
    /// The process is gone.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// A thread of the kernel.
    #[error("process {0} is a thread of the kernel and has no variables")]
    Kernel(i32),
    /// The process has ended.
    #[error("process {0} has ended; only its exit status is left")]
    Ended(i32),
    /// Its memory may not be read.
    #[error("the memory of process {pid} may not be read: {}; to lift it, {}", refusal.why(), refusal.way_out())]
    Refused {
        /// Whose.
        pid: i32,
        /// Which rule.
        refusal: Refusal,
    },
    /// The pointer was not found.
    #[error("process {pid} does not show where its variables are: {what}")]
    Hidden {
        /// Whose.
        pid: i32,
        /// Why not.
        what: &'static str,
    },
    /// The variables were never at rest.
    #[error("process {0} changes its variables faster than they can be read; try again")]
    Restless(i32),
}

const NAMES: [&[u8]; 3] = [b"environ", b"__environ", b"_environ"];

/// How many readings are made before giving up.
const READINGS: u32 = 20;

/// Returns the block that a process has now.
///
/// # Errors
/// See [`LiveError`].
pub fn live_block(proc: &mut ProcFolder, pid: i32) -> Result<LiveBlock, LiveError> {
    let folder = proc.pid(pid)?;
    let stat = proc.stat(pid, &folder)?;
    if stat.is_kernel {
        return Err(LiveError::Kernel(pid));
    }
    if stat.has_ended {
        return Err(LiveError::Ended(pid));
    }
    let mut last: Option<Vec<Vec<u8>>> = None;
    let mut hidden = None;
    for reading in 0..READINGS {
        // Everything is looked up anew each time: the process may become another program.
        match read_once(proc, pid, &folder) {
            Ok((entries, keeper)) => {
                if last.as_ref() == Some(&entries) {
                    return Ok(LiveBlock { block: Block::from_entries(entries), keeper });
                }
                last = Some(entries);
                hidden = None;
            }
            // A program that is just starting has no libraries yet.
            Err(error @ LiveError::Hidden { .. }) => {
                last = None;
                hidden = Some(error);
                if reading >= 3 {
                    break;
                }
            }
            Err(LiveError::Restless(_)) => last = None,
            Err(error) => return Err(error),
        }
        if reading > 0 {
            sleep(Duration::from_millis(u64::from(reading.min(5))));
        }
    }
    Err(hidden.unwrap_or(LiveError::Restless(pid)))
}

fn read_once(proc: &mut ProcFolder, pid: i32, folder: &PidFolder) -> Result<(Vec<Vec<u8>>, Option<Keeper>), LiveError> {
    let hidden = |what| LiveError::Hidden { pid, what };
    let memory = match ProcMemory::open(folder) {
        Ok(memory) => memory,
        Err(Errno::NOENT | Errno::SRCH) => return Err(ReadError::Gone(pid).into()),
        Err(_) => {
            let refusal = explain(folder.fd.as_fd(), Access::Attach, &mut proc.accounts);
            return Err(LiveError::Refused { pid, refusal });
        }
    };
    let auxv = read_at(folder.fd.as_fd(), "auxv").map_err(|_| ReadError::Gone(pid))?;
    if auxv.is_empty() {
        return Err(LiveError::Ended(pid));
    }
    let exe = openat(&folder.fd, "exe", OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty());
    let mut exe = exe.map(File::from).map_err(|_| hidden("its program file cannot be opened"))?;
    let mut start = [0; 5];
    std::io::Read::read_exact(&mut exe, &mut start).map_err(|_| hidden("its program file cannot be read"))?;
    let class = Class::of_file(&start).ok_or(hidden("its program is no ELF file"))?;
    let program = Program::find(&memory, class, &auxv).ok_or(hidden("the program's layout cannot be read"))?;
    let libraries = program.image.map(|image| image.loaded()).unwrap_or_default();
    let keeper = keeper(folder, &program, &libraries);
    let own = program.image.and_then(|image| first_symbol(&image));
    let pointer = own.or_else(|| libraries.iter().find_map(|(_, image)| first_symbol(image)));
    let pointer = match pointer {
        Some(address) => address,
        None => match symbol_in_file(&mut exe, &NAMES) {
            Ok(Some(address)) => program.base.wrapping_add(address),
            _ if program.is_go => return Err(hidden("a Go program keeps its variables to itself")),
            _ => return Err(hidden("it has no symbol for them (a static program without its symbol table, most likely)")),
        },
    };
    // Pages that are being written may move under the reading: that reading counts for nothing.
    let entries = entries(&memory, class, pointer).ok_or(LiveError::Restless(pid))?;
    Ok((entries, keeper))
}

fn first_symbol(image: &Image<'_>) -> Option<u64> {
    NAMES.iter().find_map(|name| image.symbol(name))
}

/// Follows the pointer to the strings; `None` if it leads nowhere.
fn entries(memory: &dyn Memory, class: Class, pointer: u64) -> Option<Vec<Vec<u8>>> {
    // More than any kernel hands over; a runaway list must not take all memory.
    const MOST_ENTRIES: usize = 1 << 20;
    const MOST_BYTES: usize = 64 << 20;
    let word = class.word();
    let mut pages = Pages { memory, page: u64::MAX, bytes: Vec::new() };
    let list = class.number(&memory.bytes(pointer, word)?);
    let mut out = Vec::new();
    let mut total = 0;
    // A null list is an empty block: what clearenv(3) leaves.
    let mut at = list;
    while list != 0 && out.len() < MOST_ENTRIES && total < MOST_BYTES {
        let mut bytes = [0; 8];
        pages.read(at, bytes.get_mut(..word)?)?;
        let string = class.number(&bytes);
        if string == 0 {
            break;
        }
        let text = pages.text(string, MOST_BYTES - total)?;
        total += text.len() + 1;
        out.push(text);
        at += word as u64;
    }
    Some(out)
}

/// Memory read by the page: neighbouring strings cost one call.
struct Pages<'m> {
    memory: &'m dyn Memory,
    page: u64,
    bytes: Vec<u8>,
}

impl Pages<'_> {
    const SIZE: u64 = 4096;

    fn page(&mut self, at: u64) -> Option<&[u8]> {
        let page = at - at % Self::SIZE;
        if page != self.page {
            self.bytes = self.memory.bytes(page, Self::SIZE as usize)?;
            self.page = page;
        }
        self.bytes.get((at - page) as usize..)
    }

    fn read(&mut self, mut at: u64, into: &mut [u8]) -> Option<()> {
        for byte in into {
            *byte = *self.page(at)?.first()?;
            at += 1;
        }
        Some(())
    }

    fn text(&mut self, mut at: u64, most: usize) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        loop {
            let rest = self.page(at)?;
            let end = memchr::memchr(0, rest);
            out.extend_from_slice(rest.get(..end.unwrap_or(rest.len()))?);
            if end.is_some() {
                return Some(out);
            }
            at += rest.len() as u64;
            if out.len() > most {
                return None;
            }
        }
    }
}

fn keeper(folder: &PidFolder, program: &Program<'_>, libraries: &[(Vec<u8>, Image<'_>)]) -> Option<Keeper> {
    let has = |name: &[u8]| {
        libraries.iter().any(|(path, _)| path.rsplit(|b| *b == b'/').next().is_some_and(|file| file.starts_with(name)))
    };
    if has(b"libjvm.so") {
        return Some(Keeper::Java);
    }
    if has(b"libcoreclr.so") {
        return Some(Keeper::DotNet);
    }
    if program.is_go {
        return Some(Keeper::Go);
    }
    let path = readlinkat(&folder.fd, "exe", Vec::new()).ok()?;
    let file = path.to_bytes().rsplit(|b| *b == b'/').next()?;
    let file = file.strip_suffix(b" (deleted)").unwrap_or(file);
    if file.starts_with(b"beam") {
        return Some(Keeper::Erlang);
    }
    keeps_own_tables(file).then(|| Keeper::Shell(String::from_utf8_lossy(file).into_owned()))
}

/// Whether a program is a shell that keeps its variables to itself. zsh is not among them: it
/// changes the C library's block with every export.
fn keeps_own_tables(file: &[u8]) -> bool {
    matches!(
        file,
        b"sh"
            | b"bash"
            | b"rbash"
            | b"dash"
            | b"ash"
            | b"busybox"
            | b"mksh"
            | b"lksh"
            | b"yash"
            | b"fish"
            | b"ksh"
            | b"ksh93"
            | b"ksh2020"
            | b"tcsh"
            | b"csh"
    )
}
