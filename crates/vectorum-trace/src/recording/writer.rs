//! Writing a recording while it is made.

use std::collections::HashSet;
use std::io::{self, Write};

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::{Value as Json, json};
use vectorum_core::{Block, Certainty, Entry, Exit, Fingerprinter, MASK, Piece, Verdict, inert, judge, judge_arguments, pieces};

use super::{VERSION, Values};

/// What a receipt is before its block got a name.
#[derive(Clone, Debug)]
pub struct NewReceipt<'a> {
    /// The process.
    pub pid: i32,
    /// Its parent.
    pub ppid: i32,
    /// Milliseconds since the recording began.
    pub at_ms: u64,
    /// The program that ran.
    pub exe: &'a [u8],
    /// The path as called.
    pub path: &'a [u8],
    /// The arguments.
    pub argv: &'a [&'a [u8]],
    /// How sure it is.
    pub certainty: Certainty,
    /// The block.
    pub block: &'a Block,
}

/// Writes a recording.
pub struct Writer<W> {
    out: W,
    values: Values,
    prints: Fingerprinter,
    seq: u64,
    written: HashSet<String>,
    last: Option<(String, Block)>,
}

impl<W: Write> Writer<W> {
    /// Begins a recording of a command, at a time in milliseconds since 1970.
    ///
    /// # Errors
    /// What the output says.
    pub fn begin(out: W, values: Values, prints: Fingerprinter, command: &[&[u8]], begun_ms: u64) -> io::Result<Writer<W>> {
        let mut writer = Writer::resume(out, values, prints, 1);
        let kept = if values == Values::Kept { "kept" } else { "masked" };
        let command = writer.arguments(command);
        writer.line(&json!({ "vectorum_recording": VERSION, "begun_ms": begun_ms, "values": kept, "command": command }))?;
        Ok(writer)
    }

    /// Goes on with a recording that another writer began; the next receipt gets this number.
    pub fn resume(out: W, values: Values, prints: Fingerprinter, next: u64) -> Writer<W> {
        Writer { out, values, prints, seq: next - 1, written: HashSet::new(), last: None }
    }

    fn line(&mut self, line: &Json) -> io::Result<()> {
        let mut text = serde_json::to_vec(line)?;
        text.push(b'\n');
        // One write a line: a reader sees whole lines, but for a cut at the end.
        self.out.write_all(&text)
    }

    fn arguments(&self, arguments: &[&[u8]]) -> Vec<Json> {
        let verdicts = match self.values {
            Values::Kept => vec![Verdict::Open; arguments.len()],
            Values::Masked => judge_arguments(arguments),
        };
        arguments.iter().zip(&verdicts).map(|(a, v)| if v.is_secret() { self.shown(a, v).into() } else { text(a) }).collect()
    }

    /// Returns a secret as it may be written: masks in the places of what is hidden.
    fn shown(&self, value: &[u8], verdict: &Verdict) -> String {
        let of = |piece| match piece {
            Piece::Shown(bytes) => inert(bytes).into_owned(),
            Piece::Hidden(print) => format!("{MASK}{print}"),
        };
        pieces(value, verdict, &self.prints).into_iter().map(of).collect()
    }

    fn entry(&self, raw: &[u8]) -> Json {
        let entry = Entry::new(raw);
        let (Some(name), Some(value), Values::Masked) = (entry.name(), entry.value(), self.values) else { return text(raw) };
        let verdict = judge(name, value);
        if !verdict.is_secret() {
            return text(raw);
        }
        json!({ "name": text(name), "masked": self.prints.fingerprint(value), "shown": self.shown(value, &verdict) })
    }

    /// Writes a block if it is new and returns its name.
    fn block(&mut self, block: &Block) -> io::Result<String> {
        if let Some((name, _)) = self.last.as_ref().filter(|(_, last)| last == block) {
            return Ok(name.clone());
        }
        // A name by content under the recording's key: two writers agree on it, and it cannot be
        // tried against guesses.
        let name = self.prints.fingerprint(&block.to_kernel_bytes());
        if self.written.insert(name.clone()) {
            let entries: Vec<&[u8]> = block.entries().map(|e| e.raw()).collect();
            let edits = self.last.as_ref().and_then(|(from, last)| {
                let before: Vec<&[u8]> = last.entries().map(|e| e.raw()).collect();
                Some((from.clone(), edits(&before, &entries)?))
            });
            let line = match edits {
                Some((from, edits)) => {
                    let edits: Vec<Json> = edits
                        .iter()
                        .map(|(at, gone, new)| json!([at, gone, new.iter().map(|e| self.entry(e)).collect::<Vec<_>>()]))
                        .collect();
                    json!({ "block": name, "from": from, "edits": edits })
                }
                None => json!({ "block": name, "entries": entries.iter().map(|e| self.entry(e)).collect::<Vec<_>>() }),
            };
            self.line(&line)?;
        }
        self.last = Some((name.clone(), block.clone()));
        Ok(name)
    }

    /// Writes a receipt and returns its number.
    ///
    /// # Errors
    /// What the output says.
    pub fn receipt(&mut self, receipt: &NewReceipt<'_>) -> io::Result<u64> {
        let block = self.block(receipt.block)?;
        self.seq += 1;
        let line = json!({
            "exec": self.seq, "at_ms": receipt.at_ms, "pid": receipt.pid, "ppid": receipt.ppid,
            "exe": text(receipt.exe), "path": text(receipt.path), "argv": self.arguments(receipt.argv),
            "block": block, "certainty": receipt.certainty.word(),
        });
        self.line(&line)?;
        Ok(self.seq)
    }

    /// Writes how the process of a receipt ended, and when.
    ///
    /// # Errors
    /// What the output says.
    pub fn exit(&mut self, seq: u64, exit: Exit, at_ms: u64) -> io::Result<()> {
        self.line(&match exit {
            Exit::Status(status) => json!({ "exit": seq, "status": status, "at_ms": at_ms }),
            Exit::Signal(signal) => json!({ "exit": seq, "signal": signal, "at_ms": at_ms }),
        })
    }

    /// Hands on what is written so far.
    ///
    /// # Errors
    /// What the output says.
    pub fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }

    /// Writes something that a reader should be told.
    ///
    /// # Errors
    /// What the output says.
    pub fn note(&mut self, text: &str) -> io::Result<()> {
        self.line(&json!({ "note": text }))
    }

    /// Ends the recording.
    ///
    /// # Errors
    /// What the output says.
    pub fn end(mut self, at_ms: u64) -> io::Result<()> {
        self.line(&json!({ "end": true, "at_ms": at_ms }))?;
        self.out.flush()
    }

    /// Gives the output.
    pub fn output(&self) -> &W {
        &self.out
    }

    /// Returns the number that the next receipt will get.
    pub fn next(&self) -> u64 {
        self.seq + 1
    }
}

type Edit<'a> = (usize, usize, Vec<&'a [u8]>);

/// Returns the splices that make one list of entries another, or `None` where writing it whole is
/// no longer. Places count in the list as it is when the splice is made, from the front.
fn edits<'a>(before: &[&[u8]], after: &[&'a [u8]]) -> Option<Vec<Edit<'a>>> {
    let prefix = before.iter().zip(after).take_while(|(a, b)| a == b).count();
    let (old, new) = (before.get(prefix..)?, after.get(prefix..)?);
    let suffix = old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| a == b).count();
    let (old, new) = (old.get(..old.len() - suffix)?, new.get(..new.len() - suffix)?);
    let mut out: Vec<Edit<'a>> = Vec::new();
    if old.len() == new.len() {
        // Values changed in place: only the changed runs.
        let mut at = 0;
        while at < old.len() {
            let run = old.iter().zip(new).skip(at).take_while(|(a, b)| a != b).count();
            if run > 0 {
                out.push((prefix + at, run, new.get(at..at + run)?.to_vec()));
            }
            at += run.max(1);
        }
    } else {
        out.push((prefix, old.len(), new.to_vec()));
    }
    let written: usize = out.iter().map(|(_, _, new)| new.len()).sum();
    (written * 2 < after.len().max(4)).then_some(out)
}

fn text(bytes: &[u8]) -> Json {
    match std::str::from_utf8(bytes) {
        Ok(text) => text.into(),
        Err(_) => json!({ "b64": BASE64_STANDARD.encode(bytes) }),
    }
}
