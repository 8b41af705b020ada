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
    pub(crate) argv: Vec<Bytes>,
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
    let argv = memory.list(argv, pointer)?;
    let block = memory.list(envp, pointer)?;
    Some(Called { path: path.into(), argv: argv.into_iter().map(Bytes::from).collect(), block: Block::from_entries(block) })
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

    fn text(&mut self, mut at: u64) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        loop {
            let rest = self.rest(at)?;
            let end = memchr::memchr(0, rest);
            out.extend_from_slice(rest.get(..end.unwrap_or(rest.len()))?);
            if end.is_some() {
                return Some(out);
            }
            at += rest.len() as u64;
            if out.len() > MOST {
                return None;
            }
        }
    }

    /// Reads a list of pointers to strings; a null in its place is an empty list (execve(2)).
    fn list(&mut self, at: u64, pointer: usize) -> Option<Vec<Vec<u8>>> {
        if at == 0 {
            return Some(Vec::new());
        }
        // All pointers first: the strings would take the page from under them.
        let mut places = Vec::new();
        let mut total = 0;
        loop {
            let mut bytes = [0; 8];
            for (index, byte) in bytes.iter_mut().take(pointer).enumerate() {
                *byte = *self.rest(at + (places.len() * pointer + index) as u64)?.first()?;
            }
            let place = u64::from_ne_bytes(bytes);
            if place == 0 {
                break;
            }
            places.push(place);
            if places.len() > MOST / 8 {
                return None;
            }
        }
        places
            .into_iter()
            .map(|place| {
                let text = self.text(place)?;
                total += text.len() + 1;
                (total <= MOST).then_some(text)
            })
            .collect()
    }
}
