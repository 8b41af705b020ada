//! Naming a block on the command line.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufReader, Read as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use vectorum_core::reader::reader;
use vectorum_core::route::{Reached, Route};
use vectorum_core::{Block, Name, Receipt, Received, inert};
use vectorum_host::{Keeper, Peek, ProcFolder, live_block, own_block};
use vectorum_trace::{Recording, RecordingError};

use super::failure::quoted;
use super::read::{Read, surroundings};
use super::routes::Host;
use super::{Failure, output};

/// A block that a person can name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Selector {
    /// What this very process received.
    Own,
    /// What a process received.
    Pid(i32),
    /// What a process has now.
    Live(i32),
    /// What a program received, by its recording and number.
    Receipt(PathBuf, u64),
    /// What a reader gets from a file; without one, the most likely reader.
    File(PathBuf, Option<String>),
    /// What a route of this host would give, as far as that is known.
    Route(Route),
    /// NUL-separated entries on standard input.
    Input,
}

/// The forms of a selector, for help and messages.
pub(crate) const FORMS: &str = "pid:NUMBER (what a process received), pid:self (what this one did), live:NUMBER (what it has now), receipt:FILE#SEQ (what a recorded program received), file:PATH[:READER] (what an env file sets), route:ROUTE (what a route would give), - (NUL-separated entries on standard input)";

/// A block with where it came from.
#[derive(Debug)]
pub(crate) struct Named {
    pub(crate) label: String,
    pub(crate) block: Block,
    pub(crate) keeper: Option<Keeper>,
    /// Fingerprints of the values that only stand there as masks.
    pub(crate) masked: Arc<BTreeMap<Name, String>>,
}

impl Selector {
    /// Reads a selector.
    pub(crate) fn parse(text: &str) -> Result<Selector, Failure> {
        let bad = || Failure::usage(format!("{} names no block", quoted(text.as_bytes()))).way_out(format!("a block is {FORMS}"));
        let pid = |digits: &str| digits.parse().ok().filter(|pid| *pid > 0).ok_or_else(bad);
        match text.split_once(':') {
            None if text == "-" => Ok(Selector::Input),
            Some(("pid", "self")) => Ok(Selector::Own),
            Some(("pid", digits)) => pid(digits).map(Selector::Pid),
            Some(("live", digits)) => pid(digits).map(Selector::Live),
            Some(("receipt", rest)) => {
                let (file, seq) = rest.rsplit_once('#').filter(|(file, _)| !file.is_empty()).ok_or_else(bad)?;
                Ok(Selector::Receipt(file.into(), seq.parse().map_err(|_| bad())?))
            }
            Some(("route", rest)) => super::forecast::route(rest).map(Selector::Route),
            Some(("file", rest)) if !rest.is_empty() => {
                let (path, reader) = file_and_reader(rest);
                Ok(Selector::File(path.into(), reader.map(str::to_owned)))
            }
            _ => Err(bad()),
        }
    }

    fn label(&self) -> String {
        match self {
            Selector::Own => "pid:self".to_owned(),
            Selector::Pid(pid) => format!("pid:{pid}"),
            Selector::Live(pid) => format!("live:{pid}"),
            Selector::Receipt(file, seq) => format!("receipt:{}#{seq}", file.display()),
            Selector::File(path, None) => format!("file:{}", path.display()),
            Selector::File(path, Some(reader)) => format!("file:{}:{reader}", path.display()),
            Selector::Route(route) => format!("route:{route}"),
            Selector::Input => "-".to_owned(),
        }
    }

    /// Reads the block.
    pub(crate) fn read(&self, peek: Peek) -> Result<Named, Failure> {
        let open = || {
            ProcFolder::open(Path::new("/proc"), peek)
                .map_err(|e| Failure::io("/proc", &e).way_out("mount it: mount -t proc proc /proc"))
        };
        let mut masked = Arc::default();
        let (block, keeper) = match self {
            Selector::Own => (own(), None),
            Selector::Pid(pid) => (received(&mut open()?, *pid)?, None),
            Selector::Live(pid) => {
                let live = live_block(&mut open()?, *pid)?;
                (live.block, live.keeper)
            }
            Selector::Receipt(file, seq) => {
                let receipt = recorded(file, *seq)?;
                masked = receipt.masked;
                (receipt.block, None)
            }
            Selector::File(path, reader) => {
                let read = Read::of(path, reader.as_deref(), &surroundings())?.whole()?;
                (read.block(), None)
            }
            Selector::Route(route) => (forecast_of(route)?, None),
            Selector::Input => {
                let mut bytes = Vec::new();
                std::io::stdin().lock().read_to_end(&mut bytes).map_err(|e| Failure::io("standard input", &e))?;
                (Block::parse(bytes), None)
            }
        };
        Ok(Named { label: self.label(), block, keeper, masked })
    }
}

/// Returns what is known of a route's block, and says so if that is not all.
fn forecast_of(route: &Route) -> Result<Block, Failure> {
    let forecast = Host::own()?.forecast(route, None);
    if let Reached::No(why, _) = forecast.reached {
        return Err(Failure::new(format!("route:{route}: nothing is started on it: {why}")));
    }
    if let Some((why, _)) = &forecast.open {
        output::note(&format!("note: route:{route}: not all is known: {why}"));
    }
    Ok(forecast.block())
}

/// Cuts `PATH:READER` apart, where the last part is a reader's name.
pub(crate) fn file_and_reader(text: &str) -> (&str, Option<&str>) {
    match text.rsplit_once(':') {
        Some((path, id)) if !path.is_empty() && reader(id).is_some() => (path, Some(id)),
        _ => (text, None),
    }
}

/// Returns one receipt of a recording.
fn recorded(path: &Path, seq: u64) -> Result<Receipt, Failure> {
    let read = File::open(path).map_err(RecordingError::from).and_then(|file| Recording::read(BufReader::new(file)));
    let recording = read.map_err(|e| Failure::recording(path, &e))?;
    let count = recording.receipts.len();
    recording.receipts.into_iter().find(|r| r.seq == seq).ok_or_else(|| {
        Failure::new(format!("{}: it has no receipt {seq}, only {count}", path.display())).way_out("vectorum receipts lists them")
    })
}

/// Returns what this process received; without /proc, as the C library sees it.
pub(crate) fn own() -> Block {
    use std::os::unix::ffi::OsStrExt;
    let from_library = || Block::from_vars(std::env::vars_os().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())));
    own_block().unwrap_or_else(|_| from_library())
}

fn received(proc: &mut ProcFolder, pid: i32) -> Result<Block, Failure> {
    let process = proc.read(pid)?;
    let who = format!("process {pid} ({})", inert(&process.program));
    let failure = match process.received {
        Received::Block(block) => return Ok(block),
        Received::Unreadable(refusal) => {
            Failure::new(format!("{who}: its block is not readable: {}", refusal.why())).way_out(format!("to read it, {}", refusal.way_out()))
        }
        Received::Overwritten => {
            Failure::new(format!("{who}: it has overwritten its start block since, with a changed title most likely: what it received cannot be read any more"))
                .way_out("show --live shows what it has now")
        }
        Received::Unsure(refusal) => Failure::new(format!(
            "{who}: its start block may have been overwritten; to tell, its memory must be read, and {}",
            refusal.why()
        ))
        .way_out(format!("to read it, {}", refusal.way_out())),
        Received::Kernel => Failure::new(format!("{who}: a thread of the kernel, which was never given a block")),
        Received::Ended | Received::Pending => Failure::new(format!("{who}: it has ended; only its exit status is left")),
    };
    Err(failure)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_of_selectors() {
        for (text, selector) in [
            ("pid:12", Some(Selector::Pid(12))),
            ("pid:self", Some(Selector::Own)),
            ("live:3", Some(Selector::Live(3))),
            ("route:login/sudo", Route::parse("login/sudo").ok().map(Selector::Route)),
            ("route:nowhere", None),
            ("receipt:a#b.jsonl#7", Some(Selector::Receipt("a#b.jsonl".into(), 7))),
            ("file:a:b.env:sh", Some(Selector::File("a:b.env".into(), Some("sh".to_owned())))),
            ("file:a:b", Some(Selector::File("a:b".into(), None))),
            ("file:", None),
            ("receipt:x", None),
            ("receipt:#7", None),
            ("receipt:x#y", None),
            ("-", Some(Selector::Input)),
            ("pid:", None),
            ("pid:-3", None),
            ("pid:0", None),
            ("12", None),
            ("tide:1", None),
        ] {
            assert_eq!(Selector::parse(text).ok(), selector, "{text}");
        }
        let message = Selector::parse("\x1b[2J").unwrap_err().to_string();
        assert!(message.contains("«‹ESC›[2J»") && message.contains("pid:NUMBER"), "{message}");
    }
}
