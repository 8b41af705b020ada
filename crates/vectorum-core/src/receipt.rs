//! What one process received at one `execve`.

use std::collections::{BTreeMap, HashMap};

use bytes::Bytes;

use crate::block::{Block, Name};

/// How sure a receipt is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Certainty {
    /// The program was seen after its start, with this block.
    Confirmed,
    /// This is what the call asked for; nobody saw whether it succeeded, or what became of the
    /// memory in between.
    AsCalled,
}

impl Certainty {
    /// Returns the word that recordings and JSON use.
    pub fn word(self) -> &'static str {
        match self {
            Certainty::Confirmed => "confirmed",
            Certainty::AsCalled => "as-called",
        }
    }
}

/// How a process ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Exit {
    /// With this exit status.
    Status(i32),
    /// By the signal with this number.
    Signal(i32),
}

/// What one process received at one `execve`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Receipt {
    /// The number in its recording, from 1.
    pub seq: u64,
    /// The process.
    pub pid: i32,
    /// Its parent at that moment.
    pub ppid: i32,
    /// When, in milliseconds since the recording began.
    pub at_ms: u64,
    /// The program that finally ran: of a script its interpreter.
    pub exe: Bytes,
    /// The path as it was called.
    pub path: Bytes,
    /// The arguments as the program got them; masked as the recording says.
    pub argv: Vec<Bytes>,
    /// How it ended, where that is known.
    pub exit: Option<Exit>,
    /// How sure this is.
    pub certainty: Certainty,
    /// The block. Values that the recording does not hold stand there as their masks.
    pub block: Block,
    /// The fingerprints of the values that the recording does not hold.
    pub masked: std::sync::Arc<BTreeMap<Name, String>>,
}

/// Finds the receipt that each receipt's block came from: the one before in the same process, or
/// else the latest of its parent's. Returns indexes into `receipts`.
pub fn origins(receipts: &[Receipt]) -> Vec<Option<usize>> {
    let mut latest: HashMap<i32, usize> = HashMap::new();
    receipts
        .iter()
        .enumerate()
        .map(|(at, receipt)| {
            // A number used again by another process cannot be its own predecessor: that one has
            // ended. Its exit tells.
            let own = latest
                .get(&receipt.pid)
                .copied()
                .filter(|i| receipts.get(*i).is_some_and(|r| r.exit.is_none() || r.ppid == receipt.ppid));
            let origin = own.or_else(|| latest.get(&receipt.ppid).copied());
            latest.insert(receipt.pid, at);
            origin
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_block_has_its_origin() {
        let receipt = |seq, pid, ppid| Receipt {
            seq,
            pid,
            ppid,
            at_ms: 0,
            exe: Bytes::new(),
            path: Bytes::new(),
            argv: Vec::new(),
            exit: None,
            certainty: Certainty::Confirmed,
            block: Block::empty(),
            masked: std::sync::Arc::default(),
        };
        let receipts = [receipt(1, 10, 1), receipt(2, 11, 10), receipt(3, 10, 1), receipt(4, 12, 10), receipt(5, 13, 99)];
        assert_eq!(origins(&receipts), [None, Some(0), Some(0), Some(2), None]);
    }
}
