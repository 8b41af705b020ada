//! Processes and what each received.

use std::sync::Arc;

use bytes::Bytes;

use crate::block::Block;

/// One process of one boot: a pid may be used again, the pair may not.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ProcessId {
    /// The process number.
    pub pid: i32,
    /// When it was started, in clock ticks since the boot (proc(5), `starttime`).
    pub started: u64,
}

/// Why a process's memory is not ours to read, and what lifts it (ptrace(2), "Ptrace access mode
/// checking"; the Yama rules are the kernel's admin-guide/LSM/Yama).
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Refusal {
    /// It belongs to another account.
    OtherAccount(Arc<str>),
    /// It belongs to this account, but it runs set-user-id or with capabilities, or declared its
    /// memory private.
    NotDumpable,
    /// The Yama rule, 1 to 3, refuses it.
    Yama(u8),
    /// This root has no right to look into other processes (CAP_SYS_PTRACE), as in a container.
    NoCapability,
    /// It lives in a user namespace that this account has no rights in.
    OtherNamespace,
    /// It was asked for that no memory be looked at.
    NotWanted,
    /// The kernel said no without a rule that we could find.
    Kernel,
}

impl Refusal {
    /// Returns the reason as a clause.
    pub fn why(&self) -> String {
        match self {
            Refusal::OtherAccount(owner) => format!("it belongs to {owner}"),
            Refusal::NotDumpable => {
                "it runs with raised rights (set-user-id or capabilities) or has declared its memory private".to_owned()
            }
            Refusal::Yama(1) => "the Yama rule (kernel.yama.ptrace_scope = 1) lets only its ancestors read its memory".to_owned(),
            Refusal::Yama(2) => "the Yama rule (kernel.yama.ptrace_scope = 2) lets only root read its memory".to_owned(),
            Refusal::Yama(_) => "the Yama rule (kernel.yama.ptrace_scope = 3) lets nobody read its memory".to_owned(),
            Refusal::NoCapability => "this root lacks CAP_SYS_PTRACE, as in a container".to_owned(),
            Refusal::OtherNamespace => {
                "it lives in a user namespace in which this account has no rights, or a security module protects it".to_owned()
            }
            Refusal::NotWanted => "it was asked for that no memory be looked at".to_owned(),
            Refusal::Kernel => "the kernel refuses it, by a security module most likely".to_owned(),
        }
    }

    /// Returns what lifts the refusal, as a clause.
    pub fn way_out(&self) -> String {
        match self {
            Refusal::OtherAccount(owner) if owner.as_ref() != "root" => format!("run this as {owner} or as root"),
            Refusal::OtherAccount(_) | Refusal::NotDumpable | Refusal::Yama(2) => "run this as root".to_owned(),
            Refusal::Yama(1) => "run this as root, or set kernel.yama.ptrace_scope to 0".to_owned(),
            Refusal::Yama(_) => "nothing does until the next boot".to_owned(),
            Refusal::NoCapability => "start the container with CAP_SYS_PTRACE, or run this outside it".to_owned(),
            Refusal::OtherNamespace => "run this as root outside the namespace, or inside it as its owner".to_owned(),
            Refusal::NotWanted => "leave out --no-peek".to_owned(),
            Refusal::Kernel => "look for denials in the system's audit log".to_owned(),
        }
    }
}

/// What is known of the block that a process received at its `execve`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Received {
    /// Not read yet.
    Pending,
    /// This block, which may be empty.
    Block(Block),
    /// The start block is there, but we may not read it.
    Unreadable(Refusal),
    /// The program has overwritten its start block since, with a changed title most likely.
    Overwritten,
    /// What stands in its place has a shape that few start blocks have, and the memory that would
    /// tell whether it was overwritten is not ours to read.
    Unsure(Refusal),
    /// A thread of the kernel: it was never given a block.
    Kernel,
    /// It has ended; only its exit status is left.
    Ended,
}

impl Received {
    /// Returns the block, where there is one.
    pub fn block(&self) -> Option<&Block> {
        match self {
            Received::Block(block) => Some(block),
            _ => None,
        }
    }

    /// Returns in a few words why there is no block.
    pub fn why_not(&self) -> Option<String> {
        match self {
            Received::Block(_) => None,
            Received::Pending => Some("not read yet".to_owned()),
            Received::Unreadable(refusal) => Some(format!("not readable: {}; to lift it, {}", refusal.why(), refusal.way_out())),
            Received::Overwritten => Some("overwritten: the program has written over its start block since".to_owned()),
            Received::Unsure(refusal) => Some(format!(
                "perhaps overwritten; to tell, its memory must be read, and {}; to lift it, {}",
                refusal.why(),
                refusal.way_out()
            )),
            Received::Kernel => Some("a thread of the kernel, which was never given a block".to_owned()),
            Received::Ended => Some("it has ended".to_owned()),
        }
    }
}

/// A process as it was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Process {
    /// Which process.
    pub id: ProcessId,
    /// The pid of its parent; 0 for none.
    pub parent: i32,
    /// The program's name as the kernel keeps it (15 bytes at most).
    pub program: Bytes,
    /// The arguments, each followed by a NUL; of very long ones the beginning.
    pub arguments: Bytes,
    /// The number of the account that it runs as.
    pub uid: u32,
    /// The name of that account, or its number where it has none.
    pub account: Arc<str>,
    /// What it received.
    pub received: Received,
}

impl Process {
    /// Returns the arguments one by one.
    pub fn arguments(&self) -> Vec<&[u8]> {
        split_arguments(&self.arguments)
    }
}

/// Cuts arguments, each followed by a NUL, apart. The last NUL may be missing.
pub fn split_arguments(bytes: &[u8]) -> Vec<&[u8]> {
    if bytes.is_empty() { Vec::new() } else { bytes.strip_suffix(b"\0").unwrap_or(bytes).split(|b| *b == 0).collect() }
}

/// The lines that lead to a row of a tree from above.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Rails {
    depth: u32,
    /// The levels nearest to the row, whose own is the lowest bit.
    goes_on: u128,
}

impl Rails {
    /// Returns the rails of a row one level below; `goes_on` if siblings follow.
    #[must_use]
    pub fn below(self, goes_on: bool) -> Rails {
        Rails { depth: self.depth + 1, goes_on: self.goes_on << 1 | u128::from(goes_on) }
    }

    /// Returns the number of levels, the row's own included.
    pub fn depth(self) -> usize {
        self.depth as usize
    }

    /// Returns for each level, from the top, whether its branch goes on below the row; the last is
    /// the row's own. Of very deep rows, the 128 levels nearest to the row.
    pub fn levels(self) -> impl Iterator<Item = bool> {
        (0..self.depth.min(u128::BITS)).rev().map(move |at| self.goes_on >> at & 1 == 1)
    }
}

/// One line of the process tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TreeRow {
    /// The process's number.
    pub pid: i32,
    /// What leads to the row from above.
    pub rails: Rails,
    /// How many processes are folded away below the row.
    pub folded: usize,
    /// Whether there are children.
    pub has_children: bool,
    /// Whether the row matches the filter itself, rather than leading to one that does.
    pub matches: bool,
}
