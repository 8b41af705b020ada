//! How large a block may be.
//!
//! Linux refuses an `execve` with `E2BIG` when one string is longer than 32 pages
//! (`MAX_ARG_STRLEN`), or when all arguments and variables together, each with its NUL and its
//! pointer, exceed a quarter of the stack limit, yet at least 128 KiB and at most 6 MiB
//! (execve(2), "Limits on size of arguments and environment"; `bprm_stack_limits` in fs/exec.c).

use crate::block::Block;

/// What a kernel accepts at `execve`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Bytes that one entry may take, its NUL included.
    pub entry: usize,
    /// Bytes that all arguments and entries may take, NULs and pointers included.
    pub total: usize,
    /// Bytes of one pointer.
    pub pointer: usize,
}

impl Limits {
    /// Derives the limits from the page size and the soft limit of the stack, both in bytes.
    pub fn of(page: usize, stack: u64) -> Limits {
        const LEAST: u64 = 128 * 1024;
        const MOST: u64 = 6 * 1024 * 1024;
        Limits { entry: 32 * page, total: (stack / 4).clamp(LEAST, MOST) as usize, pointer: size_of::<usize>() }
    }
}

impl Default for Limits {
    /// Pages of 4 KiB and a stack of 8 MiB.
    fn default() -> Limits {
        Limits::of(4096, 8 * 1024 * 1024)
    }
}

/// What a block takes of its limits.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Size {
    /// Bytes of all entries with their NULs and pointers.
    pub total: usize,
    /// Bytes of the longest entry, its NUL included.
    pub longest: usize,
}

impl Block {
    /// Returns what the block takes of `limits`.
    pub fn size(&self, limits: &Limits) -> Size {
        self.entries().fold(Size { total: 0, longest: 0 }, |size, entry| {
            let bytes = entry.raw().len() + 1;
            Size { total: size.total + bytes + limits.pointer, longest: size.longest.max(bytes) }
        })
    }
}

impl Size {
    /// Whether a kernel with these limits takes the block, arguments left out of account.
    pub fn fits(&self, limits: &Limits) -> bool {
        self.total <= limits.total && self.longest <= limits.entry
    }

    /// Returns how much of the tighter limit is used, in percent.
    pub fn percent(&self, limits: &Limits) -> usize {
        (self.total * 100 / limits.total.max(1)).max(self.longest * 100 / limits.entry.max(1))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_follow_the_stack() {
        const MIB: u64 = 1024 * 1024;
        for (stack, total) in [(8 * MIB, 2 * MIB), (64 * MIB, 6 * MIB), (u64::MAX, 6 * MIB), (100 * 1024, 128 * 1024)] {
            assert_eq!(Limits::of(4096, stack).total as u64, total);
        }
        assert_eq!(Limits::of(4096, 8 * MIB).entry, 131_072);
    }

    #[test]
    fn sizes_count_nuls_and_pointers() {
        let limits = Limits::default();
        let size = Block::from_vars([("A", "1"), ("LONG", "0123456789")]).size(&limits);
        assert_eq!(size, Size { total: 4 + 8 + 16 + 8, longest: 16 });
        let full = Block::from_vars([("A", "x".repeat(limits.entry - 3))]).size(&limits);
        assert!(full.fits(&limits));
        assert_eq!(full.percent(&limits), 100);
        assert!(!Block::from_vars([("A", "x".repeat(limits.entry - 2))]).size(&limits).fits(&limits));
    }
}
