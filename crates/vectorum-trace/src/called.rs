//! What a call of `execve` asks for, read from its caller's memory.

use bytes::Bytes;
use vectorum_core::Block;

use crate::filter::Call;
use crate::sys::{Notice, read_pages};

/// What a call asks for.
#[derive(Clone, Debug)]
pub(crate) struct Called {
    /// The path as called; of a call by descriptor the place of that.
    pub(crate) path: Bytes,
    /// The arguments, each followed by a NUL.
    pub(crate) argv: Bytes,
    pub(crate) block: Block,
}

/// No kernel takes more than this of strings, or of pointers to them.
const MOST: usize = 8 << 20;

/// Reads the arguments of a call; `None` if the memory may not be read or a pointer leads nowhere
/// (then the kernel refuses the call, too).
pub(crate) fn read(memory: &mut Pages, notice: &Notice, call: Call, pointer: usize) -> Option<Called> {
    memory.begin(notice.tid);
    let [first, second, third, fourth, _, _] = notice.arguments;
    let (folder, path, argv, envp) = match call {
        Call::Exec => (None, first, second, third),
        Call::ExecAt => (Some(first as i32), second, third, fourth),
        Call::Exit => return None,
    };
    let likely = std::mem::take(&mut memory.lately);
    memory.fetch([path, argv, envp].iter().chain(&likely));
    memory.lately = likely;
    let path = memory.text(path)?;
    let path = match folder {
        // An empty path names the descriptor itself, a relative one begins at it.
        Some(fd) if fd != libc::AT_FDCWD && path.first() != Some(&b'/') => {
            let link = std::fs::read_link(format!("/proc/{}/fd/{fd}", notice.tid)).ok()?;
            let base = std::os::unix::ffi::OsStringExt::into_vec(link.into_os_string());
            if path.is_empty() { base } else { [&base[..], b"/", &path].concat() }
        }
        _ => path,
    };
    let (argv, envp) = (memory.pointers(argv, pointer)?, memory.pointers(envp, pointer)?);
    memory.fetch(argv.iter().chain(&envp));
    let argv = Bytes::from(memory.texts(&argv)?);
    let block = Block::parse(memory.texts(&envp)?);
    Some(Called { path: path.into(), argv, block })
}

/// Memory of a caller, read by the page. A few pages are kept: lists and strings lie in turn in the
/// same ones.
#[derive(Default)]
pub(crate) struct Pages {
    pid: i32,
    /// What each kept page's address is.
    places: Vec<u64>,
    bytes: Vec<u8>,
    /// The page that gives way next.
    next: usize,
    /// Which of the kept pages were of use, as bits.
    used: u32,
    /// The pages that the caller before was read from: one program's children have theirs in the
    /// same places.
    lately: Vec<u64>,
}

impl Pages {
    const SIZE: usize = 4096;
    const KEPT: usize = 12;

    fn page(at: u64) -> u64 {
        at - at % Self::SIZE as u64
    }

    /// Forgets one caller's memory for another's.
    fn begin(&mut self, pid: i32) {
        self.pid = pid;
        self.lately.clear();
        self.lately.extend(self.places.iter().enumerate().filter(|(n, _)| self.used >> n & 1 == 1).map(|(_, page)| page));
        self.places.clear();
        (self.used, self.next) = (0, 0);
    }

    /// Reads the pages of some addresses with one call where they can be read. One that cannot is
    /// noticed when it is needed.
    fn fetch<'a>(&mut self, addresses: impl IntoIterator<Item = &'a u64>) {
        let mut wanted = [0; Self::KEPT];
        let mut count = 0;
        for page in addresses.into_iter().map(|at| Self::page(*at)) {
            if count + self.places.len() >= Self::KEPT {
                break;
            }
            if page != 0
                && !self.places.contains(&page)
                && !wanted.contains(&page)
                && let Some(place) = wanted.get_mut(count)
            {
                *place = page;
                count += 1;
            }
        }
        let wanted = wanted.get(..count).unwrap_or_default();
        self.bytes.resize(Self::KEPT * Self::SIZE, 0);
        let room = self.bytes.get_mut(self.places.len() * Self::SIZE..).unwrap_or_default();
        let read = read_pages(self.pid, wanted, Self::SIZE, room);
        self.places.extend(wanted.iter().take(read));
    }

    /// Returns the memory from an address to its page's end.
    fn rest(&mut self, at: u64) -> Option<&[u8]> {
        let page = Self::page(at);
        let index = match self.places.iter().position(|p| *p == page) {
            Some(index) => index,
            None if self.places.len() < Self::KEPT => {
                // Mappings begin and end at pages: a page can be read whole or not at all.
                self.fetch([&at]);
                self.places.iter().position(|p| *p == page)?
            }
            None => {
                let index = self.next % Self::KEPT;
                self.next += 1;
                *self.places.get_mut(index)? = 0;
                let bytes = self.bytes.get_mut(index * Self::SIZE..(index + 1) * Self::SIZE)?;
                (read_pages(self.pid, &[page], Self::SIZE, bytes) == 1).then_some(())?;
                *self.places.get_mut(index)? = page;
                index
            }
        };
        self.used |= 1 << index;
        self.bytes.get(index * Self::SIZE + (at - page) as usize..(index + 1) * Self::SIZE)
    }

    fn text(&mut self, at: u64) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        self.text_into(at, &mut out)?;
        out.pop();
        Some(out)
    }

    /// Appends a string and its NUL.
    fn text_into(&mut self, mut at: u64, out: &mut Vec<u8>) -> Option<()> {
        loop {
            let rest = self.rest(at)?;
            let end = memchr::memchr(0, rest);
            out.extend_from_slice(rest.get(..end.map_or(rest.len(), |end| end + 1))?);
            if end.is_some() {
                return Some(());
            }
            at += rest.len() as u64;
            if out.len() > MOST {
                return None;
            }
        }
    }

    /// Reads a list of pointers; a null in the list's place is an empty list (execve(2)).
    fn pointers(&mut self, at: u64, width: usize) -> Option<Vec<u64>> {
        let mut out = Vec::with_capacity(64);
        if at == 0 {
            return Some(out);
        }
        for index in 0..MOST / 8 {
            match self.pointer(at.checked_add((index * width) as u64)?, width)? {
                0 => return Some(out),
                place => out.push(place),
            }
        }
        None
    }

    /// Reads strings, each followed by its NUL.
    fn texts(&mut self, pointers: &[u64]) -> Option<Vec<u8>> {
        let mut out = Vec::with_capacity(2048);
        for at in pointers {
            self.text_into(*at, &mut out)?;
            if out.len() > MOST {
                return None;
            }
        }
        Some(out)
    }

    fn pointer(&mut self, at: u64, width: usize) -> Option<u64> {
        let mut bytes = [0; 8];
        let rest = self.rest(at)?;
        match rest.get(..width) {
            Some(whole) => bytes.get_mut(..width)?.copy_from_slice(whole),
            // It lies across two pages.
            None => {
                for (index, byte) in bytes.iter_mut().take(width).enumerate() {
                    *byte = *self.rest(at + index as u64)?.first()?;
                }
            }
        }
        Some(u64::from_ne_bytes(bytes))
    }
}
