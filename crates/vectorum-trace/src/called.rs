//! What a call of `execve` asks for, read from its caller's memory.

use bytes::Bytes;
use vectorum_core::Block;

use crate::filter::Call;
use crate::sys::{Notice, read_memory};

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
pub(crate) fn read(notice: &Notice, call: Call, pointer: usize) -> Option<Called> {
    let mut memory = Pages { pid: notice.tid, pages: Vec::new(), next: 0 };
    let [first, second, third, fourth, _, _] = notice.arguments;
    let (folder, path, argv, envp) = match call {
        Call::Exec => (None, first, second, third),
        Call::ExecAt => (Some(first as i32), second, third, fourth),
        Call::Exit => return None,
    };
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
    let argv = Bytes::from(memory.list(argv, pointer)?);
    let block = Block::parse(memory.list(envp, pointer)?);
    Some(Called { path: path.into(), argv, block })
}

/// Memory read by the page. A few pages are kept: lists and strings lie in turn in the same ones.
struct Pages {
    pid: i32,
    pages: Vec<(u64, Vec<u8>)>,
    next: usize,
}

impl Pages {
    const SIZE: u64 = 4096;
    const KEPT: usize = 8;

    fn rest(&mut self, at: u64) -> Option<&[u8]> {
        let page = at - at % Self::SIZE;
        let known = self.pages.iter().position(|(p, _)| *p == page);
        let index = match known {
            Some(index) => index,
            None => {
                let index = self.next % Self::KEPT;
                self.next += 1;
                if self.pages.len() <= index {
                    self.pages.push((u64::MAX, vec![0; Self::SIZE as usize]));
                }
                let (place, bytes) = self.pages.get_mut(index)?;
                *place = u64::MAX;
                // Mappings begin and end at pages: a page can be read whole or not at all.
                (read_memory(self.pid, page, bytes)? == bytes.len()).then_some(())?;
                *place = page;
                index
            }
        };
        self.pages.get(index)?.1.get((at - page) as usize..)
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

    /// Reads the strings that a list of pointers leads to, each followed by its NUL; a null in
    /// the list's place is an empty list (execve(2)).
    fn list(&mut self, at: u64, pointer: usize) -> Option<Vec<u8>> {
        let mut out = Vec::with_capacity(2048);
        if at == 0 {
            return Some(out);
        }
        for index in 0..MOST / 8 {
            let place = self.pointer(at.checked_add((index * pointer) as u64)?, pointer)?;
            if place == 0 {
                return Some(out);
            }
            self.text_into(place, &mut out)?;
            if out.len() > MOST {
                return None;
            }
        }
        None
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
