//! Finding a symbol in a running program (System V gABI; the GNU hash section as binutils and
//! glibc define it).
//!
//! Everything is read from the process's own memory, where the loader has put it, so that neither
//! a replaced file nor another mount namespace can mislead; only programs without a dynamic
//! segment keep their symbols in the file alone.

use std::io::{self, Read, Seek, SeekFrom};

/// Memory that may be read at an address.
pub(crate) trait Memory {
    /// Reads up to the length of `into`; `None` if nothing there can be read.
    fn read(&self, at: u64, into: &mut [u8]) -> Option<usize>;

    /// Reads the whole length.
    fn read_exact(&self, at: u64, into: &mut [u8]) -> Option<()> {
        let mut filled = 0;
        while let Some(rest) = into.get_mut(filled..).filter(|r| !r.is_empty()) {
            match self.read(at.checked_add(filled as u64)?, rest) {
                Some(read) if read > 0 => filled += read,
                _ => return None,
            }
        }
        Some(())
    }

    /// Reads a block of bytes.
    fn bytes(&self, at: u64, length: usize) -> Option<Vec<u8>> {
        let mut bytes = vec![0; length];
        self.read_exact(at, &mut bytes)?;
        Some(bytes)
    }
}

/// How wide a program's addresses are. Both kinds are read in this machine's byte order, in which
/// all programs run that it can.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Class {
    /// ELFCLASS32.
    Bits32,
    /// ELFCLASS64.
    Bits64,
}

impl Class {
    /// Reads the class from the first bytes of an ELF file.
    pub(crate) fn of_file(start: &[u8]) -> Option<Class> {
        match start.strip_prefix(b"\x7fELF")?.first()? {
            1 => Some(Class::Bits32),
            2 => Some(Class::Bits64),
            _ => None,
        }
    }

    /// Returns the bytes of an address.
    pub(crate) fn word(self) -> usize {
        match self {
            Class::Bits32 => 4,
            Class::Bits64 => 8,
        }
    }

    /// Reads an address; bytes that are missing count as 0.
    pub(crate) fn number(self, bytes: &[u8]) -> u64 {
        let mut wide = [0; 8];
        for (to, from) in wide.iter_mut().zip(bytes.iter().take(self.word())) {
            *to = *from;
        }
        if cfg!(target_endian = "big") { u64::from_be_bytes(wide) >> (64 - 8 * self.word()) } else { u64::from_le_bytes(wide) }
    }
}

/// A program or library as it lies in memory.
#[derive(Clone, Copy)]
pub(crate) struct Image<'m> {
    memory: &'m dyn Memory,
    class: Class,
    /// What is added to the addresses of the file.
    base: u64,
    /// Where the dynamic segment lies.
    dynamic: u64,
}

const PT_LOAD: u64 = 1;
const PT_DYNAMIC: u64 = 2;
const PT_NOTE: u64 = 4;
const PT_PHDR: u64 = 6;
const DT_HASH: u64 = 4;
const DT_STRTAB: u64 = 5;
const DT_SYMTAB: u64 = 6;
const DT_DEBUG: u64 = 21;
const DT_GNU_HASH: u64 = 0x6fff_fef5;
const AT_PHDR: u64 = 3;
const AT_PHENT: u64 = 4;
const AT_PHNUM: u64 = 5;

/// What the kernel and the loader left of a program's layout.
pub(crate) struct Program<'m> {
    /// What is added to the addresses of the file.
    pub(crate) base: u64,
    /// The program's own symbols; `None` without a dynamic segment.
    pub(crate) image: Option<Image<'m>>,
    /// Whether it carries the note of the Go linker.
    pub(crate) is_go: bool,
}

impl<'m> Program<'m> {
    /// Reads the layout by the kernel's auxiliary vector.
    pub(crate) fn find(memory: &'m dyn Memory, class: Class, auxv: &[u8]) -> Option<Program<'m>> {
        let word = class.word();
        let entry = |key: u64| {
            let pairs =
                auxv.chunks_exact(2 * word).map(|pair| (class.number(pair), class.number(pair.get(word..).unwrap_or_default())));
            pairs.into_iter().find(|(k, _)| *k == key).map(|(_, value)| value)
        };
        let (table, size, count) =
            (entry(AT_PHDR)?, usize::try_from(entry(AT_PHENT)?).ok()?, usize::try_from(entry(AT_PHNUM)?).ok()?);
        if !(8 * 4..=128).contains(&size) || count > 1024 {
            return None;
        }
        let bytes = memory.bytes(table, size * count)?;
        // Type, offset, virtual address, size in the file.
        let header = |h: &[u8]| -> (u64, u64, u64, u64) {
            let at = |from: usize| class.number(h.get(from..).unwrap_or_default());
            let kind = u64::from(u32::from_ne_bytes(h.get(..4).and_then(|b| b.try_into().ok()).unwrap_or_default()));
            match class {
                Class::Bits64 => (kind, at(8), at(16), at(32)),
                Class::Bits32 => (kind, at(4), at(8), at(16)),
            }
        };
        let headers: Vec<_> = bytes.chunks_exact(size).map(header).collect();
        let base = match headers.iter().find(|(kind, ..)| *kind == PT_PHDR) {
            Some((_, _, address, _)) => table.wrapping_sub(*address),
            // The first page of the file holds the table; its address in the file is known.
            None => {
                let (_, _, first, _) = headers.iter().find(|(kind, offset, ..)| *kind == PT_LOAD && *offset == 0)?;
                let head = memory.bytes(table & !0xfff, 64)?;
                let offset = class.number(head.get(if class == Class::Bits64 { 32 } else { 28 }..)?);
                table.wrapping_sub(offset).wrapping_sub(*first)
            }
        };
        let dynamic = headers.iter().find(|(kind, ..)| *kind == PT_DYNAMIC);
        let image = dynamic.map(|(_, _, address, _)| Image { memory, class, base, dynamic: base.wrapping_add(*address) });
        let is_go = headers.iter().filter(|(kind, ..)| *kind == PT_NOTE).any(|(_, _, address, size)| {
            let note = memory.bytes(base.wrapping_add(*address), (*size).min(4096) as usize).unwrap_or_default();
            // The note's owner stands behind three 32-bit numbers.
            memchr::memmem::find(&note, b"Go\0\0").is_some_and(|at| at % 4 == 0)
        });
        Some(Program { base, image, is_go })
    }
}

impl<'m> Image<'m> {
    fn tag(&self, wanted: u64) -> Option<u64> {
        let word = self.class.word();
        for index in 0..512 {
            let pair = self.memory.bytes(self.dynamic + index * 2 * word as u64, 2 * word)?;
            match self.class.number(&pair) {
                0 => return None,
                tag if tag == wanted => return Some(self.class.number(pair.get(word..)?)),
                _ => {}
            }
        }
        None
    }

    /// Returns an address of the dynamic segment. Some loaders write the final address there,
    /// others leave the file's.
    fn address(&self, tag: u64) -> Option<u64> {
        let value = self.tag(tag).filter(|v| *v != 0)?;
        Some(if value < self.base { self.base.wrapping_add(value) } else { value })
    }

    fn u32(&self, at: u64) -> Option<u32> {
        let mut bytes = [0; 4];
        self.memory.read_exact(at, &mut bytes)?;
        Some(u32::from_ne_bytes(bytes))
    }

    /// Returns the address of a symbol that this image defines.
    pub(crate) fn symbol(&self, name: &[u8]) -> Option<u64> {
        let (symbols, strings) = (self.address(DT_SYMTAB)?, self.address(DT_STRTAB)?);
        let mut check = |index: u32| self.check(symbols, strings, index, name);
        if let Some(table) = self.address(DT_GNU_HASH) {
            return self.gnu_lookup(table, name, &mut check);
        }
        let table = self.address(DT_HASH)?;
        let (buckets, hash) = (self.u32(table)?, sysv_hash(name));
        let mut index = self.u32(table + 8 + 4 * u64::from(hash.checked_rem(buckets)?))?;
        for _ in 0..1_000_000 {
            if index == 0 {
                return None;
            }
            if let Some(found) = check(index) {
                return Some(found);
            }
            index = self.u32(table + 8 + 4 * (u64::from(buckets) + u64::from(index)))?;
        }
        None
    }

    fn gnu_lookup(&self, table: u64, name: &[u8], check: &mut dyn FnMut(u32) -> Option<u64>) -> Option<u64> {
        let (buckets, first, bloom) = (self.u32(table)?, self.u32(table + 4)?, self.u32(table + 8)?);
        let bucket_table = table + 16 + u64::from(bloom) * self.class.word() as u64;
        let chains = bucket_table + 4 * u64::from(buckets);
        let hash = gnu_hash(name);
        let mut index = self.u32(bucket_table + 4 * u64::from(hash.checked_rem(buckets)?))?;
        if index < first {
            return None;
        }
        for _ in 0..1_000_000 {
            let chained = self.u32(chains + 4 * u64::from(index - first))?;
            if let (true, Some(found)) = (chained | 1 == hash | 1, check(index)) {
                return Some(found);
            }
            if chained & 1 != 0 {
                return None;
            }
            index = index.checked_add(1)?;
        }
        None
    }

    fn check(&self, symbols: u64, strings: u64, index: u32, name: &[u8]) -> Option<u64> {
        let size = match self.class {
            Class::Bits64 => 24,
            Class::Bits32 => 16,
        };
        let bytes = self.memory.bytes(symbols + size * u64::from(index), size as usize)?;
        let symbol = Symbol::parse(self.class, &bytes)?;
        let text = self.memory.bytes(strings + u64::from(symbol.name), name.len() + 1)?;
        (symbol.is_defined && text.strip_suffix(b"\0") == Some(name)).then(|| self.base.wrapping_add(symbol.value))
    }

    /// Returns the images that the loader has loaded, the program first, with their paths, in the
    /// order in which symbols are looked up (`struct r_debug` and `struct link_map` in link.h).
    pub(crate) fn loaded(&self) -> Vec<(Vec<u8>, Image<'m>)> {
        let word = self.class.word() as u64;
        let pointer = |at: u64| Some(self.class.number(&self.memory.bytes(at, self.class.word())?));
        let mut out = Vec::new();
        let Some(mut next) = self.tag(DT_DEBUG).filter(|d| *d != 0).and_then(|debug| pointer(debug + word)) else { return out };
        while next != 0 && out.len() < 4096 {
            let parts = (pointer(next), pointer(next + word), pointer(next + 2 * word), pointer(next + 3 * word));
            let (Some(base), Some(name), Some(dynamic), Some(following)) = parts else { break };
            out.push((self.text(name), Image { base, dynamic, ..*self }));
            next = following;
        }
        out
    }

    fn text(&self, at: u64) -> Vec<u8> {
        let mut bytes = vec![0; 4096];
        let read = self.memory.read(at, &mut bytes).unwrap_or(0);
        bytes.truncate(read);
        bytes.truncate(memchr::memchr(0, &bytes).unwrap_or(0));
        bytes
    }
}

struct Symbol {
    name: u32,
    value: u64,
    is_defined: bool,
}

impl Symbol {
    fn parse(class: Class, bytes: &[u8]) -> Option<Symbol> {
        let name = u32::from_ne_bytes(bytes.get(..4)?.try_into().ok()?);
        let (section, value) = match class {
            Class::Bits64 => (bytes.get(6..8)?, bytes.get(8..16)?),
            Class::Bits32 => (bytes.get(14..16)?, bytes.get(4..8)?),
        };
        Some(Symbol { name, value: class.number(value), is_defined: section != [0, 0] })
    }
}

fn gnu_hash(name: &[u8]) -> u32 {
    name.iter().fold(5381, |hash: u32, byte| hash.wrapping_mul(33).wrapping_add(u32::from(*byte)))
}

fn sysv_hash(name: &[u8]) -> u32 {
    name.iter().fold(0, |hash: u32, byte| {
        let hash = (hash << 4).wrapping_add(u32::from(*byte));
        let high = hash & 0xf000_0000;
        (hash ^ (high >> 24)) & !high
    })
}

/// Looks for symbols in the symbol table of an ELF file and returns the file's address of the
/// first name that it defines; `None` if it has no table (it was stripped) or none of the names.
///
/// # Errors
/// If the file cannot be read.
pub(crate) fn symbol_in_file(file: &mut (impl Read + Seek), names: &[&[u8]]) -> io::Result<Option<u64>> {
    const SHT_SYMTAB: u32 = 2;
    // No program's table is larger than this; a damaged file must not take the memory.
    const MOST: u64 = 256 << 20;
    let mut read = |at: u64, length: u64| -> io::Result<Vec<u8>> {
        file.seek(SeekFrom::Start(at))?;
        let mut bytes = Vec::new();
        file.by_ref().take(length.min(MOST)).read_to_end(&mut bytes)?;
        Ok(bytes)
    };
    let head = read(0, 64)?;
    let Some(class) = Class::of_file(&head) else { return Ok(None) };
    let wide = class == Class::Bits64;
    let word = |bytes: &[u8], at: usize| class.number(bytes.get(at..).unwrap_or_default());
    let half = |bytes: &[u8], at: usize| {
        u64::from(u16::from_ne_bytes(bytes.get(at..at + 2).and_then(|b| b.try_into().ok()).unwrap_or_default()))
    };
    let int =
        |bytes: &[u8], at: usize| u32::from_ne_bytes(bytes.get(at..at + 4).and_then(|b| b.try_into().ok()).unwrap_or_default());
    let (table, size, count) = if wide {
        (word(&head, 40), half(&head, 58), half(&head, 60))
    } else {
        (word(&head, 32), half(&head, 46), half(&head, 48))
    };
    if size == 0 {
        return Ok(None);
    }
    let sections = read(table, size * count)?;
    let sections: Vec<&[u8]> = sections.chunks_exact(size as usize).collect();
    let place = |s: &[u8]| if wide { (word(s, 24), word(s, 32)) } else { (word(s, 16), word(s, 20)) };
    for section in sections.iter().filter(|s| int(s, 4) == SHT_SYMTAB) {
        let link = int(section, if wide { 40 } else { 24 }) as usize;
        let Some(names_section) = sections.get(link) else { continue };
        let ((at, length), (names_at, names_length)) = (place(section), place(names_section));
        let (symbols, texts) = (read(at, length)?, read(names_at, names_length)?);
        for wanted in names {
            let found = symbols.chunks_exact(if wide { 24 } else { 16 }).filter_map(|s| Symbol::parse(class, s)).find(|s| {
                let text = texts.get(s.name as usize..).unwrap_or_default();
                s.is_defined && text.strip_prefix(*wanted).is_some_and(|rest| rest.first() == Some(&0))
            });
            if let Some(symbol) = found {
                return Ok(Some(symbol.value));
            }
        }
    }
    Ok(None)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hashes_are_those_of_the_standards() {
        // The values that binutils and the gABI give for these names.
        assert_eq!(gnu_hash(b"printf"), 0x156b_2bb8);
        assert_eq!(gnu_hash(b""), 5381);
        assert_eq!(sysv_hash(b"printf"), 0x0779_05a6);
    }

    #[test]
    fn hostile_files_end_quietly() {
        for bytes in [&b""[..], b"\x7fELF", b"\x7fELF\x02", &[b"\x7fELF\x02".as_slice(), &[0xff; 80]].concat(), b"#!/bin/sh\n"] {
            let found = symbol_in_file(&mut io::Cursor::new(bytes), &[b"environ"]).unwrap();
            assert_eq!(found, None);
        }
    }
}
