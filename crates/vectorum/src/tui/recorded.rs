//! A recording as the screens show it: each receipt stands in the tree where a process would,
//! below the receipt that its block came from.

use std::collections::HashMap;
use std::sync::Arc;

use bytes::Bytes;
use vectorum_core::{Certainty, Exit, Process, ProcessId, Receipt, Received, World, inert, origins};
use vectorum_trace::Recording;

/// What a receipt says beside its block.
#[derive(Clone, Debug)]
pub(crate) struct Row {
    pub(crate) pid: i32,
    pub(crate) at_ms: u64,
    pub(crate) exit: Option<Exit>,
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
        format!(
            "process {}, at {}, {exit}, {}, called as {}",
            self.pid,
            time(self.at_ms),
            self.certainty.word(),
            inert(&self.path)
        )
    }
}

/// A recording that is shown.
#[derive(Debug, Default)]
pub(crate) struct Recorded {
    /// By the number of the receipt.
    pub(crate) rows: HashMap<i32, Row>,
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

/// Returns the world of a recording and what its receipts say beside.
pub(crate) fn world(recording: &Recording) -> (World, Recorded) {
    let mut world = World::default();
    let mut rows: HashMap<i32, Row> = HashMap::with_capacity(recording.receipts.len());
    for (receipt, origin) in recording.receipts.iter().zip(origins(&recording.receipts)) {
        let key = key(receipt);
        let parent = origin.and_then(|at| recording.receipts.get(at)).map_or(0, self::key);
        if let Some(before) = rows.get_mut(&parent).filter(|before| before.pid == receipt.pid) {
            before.became = Some(key);
        }
        let at: Arc<str> = time(receipt.at_ms).into();
        rows.insert(
            key,
            Row {
                pid: receipt.pid,
                at_ms: receipt.at_ms,
                exit: receipt.exit,
                became: None,
                certainty: receipt.certainty,
                path: receipt.path.clone(),
            },
        );
        world.put(Process {
            id: ProcessId { pid: key, started: receipt.at_ms },
            parent,
            program: program(receipt),
            arguments: receipt.argv.iter().flat_map(|a| [a, &b"\0"[..]].concat()).collect::<Vec<u8>>().into(),
            uid: 0,
            account: at,
            received: Received::Block(receipt.block.clone()),
        });
    }
    (world, Recorded { rows, is_complete: recording.is_complete, notes: recording.notes.clone() })
}

fn key(receipt: &Receipt) -> i32 {
    i32::try_from(receipt.seq).unwrap_or(i32::MAX)
}

/// Returns the program's name: of a script the script's, as it was called.
fn program(receipt: &Receipt) -> Bytes {
    let path = if receipt.path.is_empty() { &receipt.exe } else { &receipt.path };
    let from = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    path.slice(from..)
}
