//! A recording as the screens show it: each receipt stands in the tree where a process would,
//! below the receipt that its block came from.

use std::sync::{Arc, LazyLock};

use bytes::Bytes;
use vectorum_core::{Certainty, Exit, Process, ProcessId, Receipt, Received, World, inert};
use vectorum_trace::Fact;

/// What a receipt says beside its block.
#[derive(Clone, Debug)]
pub(crate) struct Row {
    key: i32,
    pub(crate) pid: i32,
    pub(crate) at_ms: u64,
    pub(crate) exit: Option<Exit>,
    /// When its process ended or became another program.
    pub(crate) until_ms: Option<u64>,
    /// The receipt of the program that the process became next.
    pub(crate) became: Option<i32>,
    pub(crate) certainty: Certainty,
    pub(crate) path: Bytes,
}

impl Row {
    /// Returns in a few words what the receipt says.
    pub(crate) fn words(&self) -> String {
        let exit = match (self.exit, self.became) {
            (Some(Exit::Status(status)), _) => format!("exit status {status}"),
            (Some(Exit::Signal(signal)), _) => format!("ended by signal {signal}"),
            (None, Some(next)) => format!("became receipt {next}"),
            (None, None) => "end not known".to_owned(),
        };
        let lived = self.until_ms.map(|until| format!(" after {}", time(until.saturating_sub(self.at_ms)))).unwrap_or_default();
        format!(
            "process {}, at {}, {exit}{lived}, {}, called as {}",
            self.pid,
            time(self.at_ms),
            self.certainty.word(),
            inert(&self.path)
        )
    }

    /// Returns how its process failed, if it did.
    pub(crate) fn failure(&self) -> Option<String> {
        match self.exit? {
            Exit::Status(0) => None,
            Exit::Status(status) => Some(format!("exit {status}")),
            Exit::Signal(signal) => Some(format!("signal {signal}")),
        }
    }
}

/// A recording that is shown.
#[derive(Debug, Default)]
pub(crate) struct Recorded {
    /// What it is of.
    pub(crate) title: String,
    /// By the number of the receipt, rising.
    rows: Vec<Row>,
    /// The latest moment that it tells of, in milliseconds.
    pub(crate) span_ms: u64,
    pub(crate) is_complete: bool,
    pub(crate) notes: Vec<String>,
}

/// Returns a time since the beginning as people read it.
pub(crate) fn time(ms: u64) -> String {
    match ms {
        0..10_000 => format!("{ms} ms"),
        10_000..600_000 => format!("{:.1} s", ms as f64 / 1e3),
        _ => format!("{} min", ms / 60_000),
    }
}

impl Recorded {
    /// Begins with nothing.
    pub(crate) fn new(title: String) -> Recorded {
        Recorded { title, ..Recorded::default() }
    }

    /// Takes a fact in; the receipts stand in the world as processes under their numbers.
    pub(crate) fn take(&mut self, world: &mut World, fact: Fact) {
        match fact {
            Fact::Receipt(receipt) => self.receipt(world, receipt),
            Fact::Exit(seq, exit, at_ms) => {
                if let Some(row) = self.place(key(seq)).and_then(|at| self.rows.get_mut(at)) {
                    row.exit = Some(exit);
                    row.until_ms = at_ms;
                }
                self.span_ms = self.span_ms.max(at_ms.unwrap_or(0));
            }
            Fact::Note(note) => self.notes.push(note),
            Fact::End => self.is_complete = true,
            // Facts of later minor versions.
            _ => {}
        }
    }

    fn receipt(&mut self, world: &mut World, receipt: Receipt) {
        // A recording has no accounts to tell; one text serves all.
        static NOBODY: LazyLock<Arc<str>> = LazyLock::new(|| "".into());
        let key = key(receipt.seq);
        let origin = receipt.origin.map_or(0, self::key);
        if let Some(before) = self.place(origin).and_then(|at| self.rows.get_mut(at)).filter(|before| before.pid == receipt.pid) {
            before.became = Some(key);
            before.until_ms = Some(receipt.at_ms);
        }
        self.span_ms = self.span_ms.max(receipt.at_ms);
        world.put(Process {
            id: ProcessId { pid: key, started: receipt.at_ms },
            parent: origin,
            program: program(&receipt),
            arguments: receipt.argv,
            uid: 0,
            account: NOBODY.clone(),
            received: Received::Block(receipt.block),
        });
        let (pid, at_ms, certainty, path) = (receipt.pid, receipt.at_ms, receipt.certainty, receipt.path);
        self.rows.push(Row { key, pid, at_ms, exit: receipt.exit, until_ms: None, became: None, certainty, path });
    }

    fn place(&self, key: i32) -> Option<usize> {
        self.rows.binary_search_by_key(&key, |row| row.key).ok()
    }

    /// Returns what the receipt of a number says.
    pub(crate) fn row(&self, key: i32) -> Option<&Row> {
        self.place(key).and_then(|at| self.rows.get(at))
    }

    /// Returns the number of receipts.
    pub(crate) fn len(&self) -> usize {
        self.rows.len()
    }

    /// Returns the first receipt's number: the command's own.
    pub(crate) fn first(&self) -> Option<i32> {
        self.rows.first().map(|row| row.key)
    }
}

fn key(seq: u64) -> i32 {
    i32::try_from(seq).unwrap_or(i32::MAX)
}

/// Returns the program's name: of a script the script's, as it was called.
fn program(receipt: &Receipt) -> Bytes {
    let path = if receipt.path.is_empty() { &receipt.exe } else { &receipt.path };
    let from = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    path.slice(from..)
}
