//! What one process received at one `execve`.

use std::collections::{BTreeMap, HashMap};

use bytes::Bytes;

use crate::block::{Block, Name};
use crate::process::split_arguments;

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
    /// The number of the receipt that its block came from; see [`Origins`].
    pub origin: Option<u64>,
    /// When, in milliseconds since the recording began.
    pub at_ms: u64,
    /// The program that finally ran: of a script its interpreter.
    pub exe: Bytes,
    /// The path as it was called.
    pub path: Bytes,
    /// The arguments as the program got them, each followed by a NUL; masked as the recording says.
    pub argv: Bytes,
    /// How it ended, where that is known.
    pub exit: Option<Exit>,
    /// When it ended, in milliseconds since the recording began.
    pub ended_ms: Option<u64>,
    /// How sure this is.
    pub certainty: Certainty,
    /// The block. Values that the recording does not hold stand there as their masks.
    pub block: Block,
    /// The fingerprints of the values that the recording does not hold.
    pub masked: std::sync::Arc<BTreeMap<Name, String>>,
}

impl Receipt {
    /// Returns the arguments one by one.
    pub fn arguments(&self) -> Vec<&[u8]> {
        split_arguments(&self.argv)
    }
}

/// Finds the receipt that each receipt's block came from: the one before in the same process, or
/// else the latest of its parent's.
#[derive(Clone, Debug, Default)]
pub struct Origins {
    latest: HashMap<i32, Latest>,
    /// The process of each receipt that has not ended.
    running: HashMap<u64, i32>,
}

#[derive(Clone, Copy, Debug)]
struct Latest {
    seq: u64,
    ppid: i32,
    has_ended: bool,
}

impl Origins {
    /// Takes the next receipt in and returns the number of the one that its block came from.
    pub fn of(&mut self, receipt: &Receipt) -> Option<u64> {
        // A number used again by another process cannot be its own predecessor: that one has
        // ended. Its exit tells.
        let own = self.latest.get(&receipt.pid).filter(|l| !l.has_ended || l.ppid == receipt.ppid);
        let origin = own.or_else(|| self.latest.get(&receipt.ppid)).map(|l| l.seq);
        let latest = Latest { seq: receipt.seq, ppid: receipt.ppid, has_ended: false };
        if let Some(before) = self.latest.insert(receipt.pid, latest) {
            self.running.remove(&before.seq);
        }
        self.running.insert(receipt.seq, receipt.pid);
        origin
    }

    /// Takes in that the process of a receipt has ended.
    pub fn ended(&mut self, seq: u64) {
        if let Some(latest) = self.running.remove(&seq).and_then(|pid| self.latest.get_mut(&pid)) {
            latest.has_ended = true;
        }
    }
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
            origin: None,
            at_ms: 0,
            exe: Bytes::new(),
            path: Bytes::new(),
            argv: Bytes::new(),
            exit: None,
            ended_ms: None,
            certainty: Certainty::Confirmed,
            block: Block::empty(),
            masked: std::sync::Arc::default(),
        };
        let mut origins = Origins::default();
        let receipts = [receipt(1, 10, 1), receipt(2, 11, 10), receipt(3, 10, 1), receipt(4, 12, 10), receipt(5, 13, 99)];
        assert_eq!(receipts.map(|r| origins.of(&r)), [None, Some(1), Some(1), Some(3), None]);
        // The number 11 is used again, by a child of 12.
        origins.ended(2);
        assert_eq!([receipt(6, 11, 12), receipt(7, 14, 11)].map(|r| origins.of(&r)), [Some(4), Some(6)]);
    }
}
