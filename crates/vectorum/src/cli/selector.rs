//! Naming a block on the command line.

use std::io::Read;
use std::path::Path;

use vectorum_core::{Block, Received, inert};
use vectorum_host::{Keeper, Peek, ProcFolder, live_block, own_block};

use super::Failure;
use super::failure::quoted;

/// A block that a person can name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Selector {
    /// What this very process received.
    Own,
    /// What a process received.
    Pid(i32),
    /// What a process has now.
    Live(i32),
    /// NUL-separated entries on standard input.
    Input,
}

/// The forms of a selector, for help and messages.
pub(crate) const FORMS: &str = "pid:NUMBER (what a process received), pid:self (what this one did), live:NUMBER (what it has now), - (NUL-separated entries on standard input)";

/// A block with where it came from.
#[derive(Debug)]
pub(crate) struct Named {
    pub(crate) label: String,
    pub(crate) block: Block,
    pub(crate) keeper: Option<Keeper>,
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
            _ => Err(bad()),
        }
    }

    fn label(&self) -> String {
        match self {
            Selector::Own => "pid:self".to_owned(),
            Selector::Pid(pid) => format!("pid:{pid}"),
            Selector::Live(pid) => format!("live:{pid}"),
            Selector::Input => "-".to_owned(),
        }
    }

    /// Reads the block.
    pub(crate) fn read(&self, peek: Peek) -> Result<Named, Failure> {
        let open = || {
            ProcFolder::open(Path::new("/proc"), peek)
                .map_err(|e| Failure::io("/proc", &e).way_out("mount it: mount -t proc proc /proc"))
        };
        let (block, keeper) = match self {
            Selector::Own => (own(), None),
            Selector::Pid(pid) => (received(&mut open()?, *pid)?, None),
            Selector::Live(pid) => {
                let live = live_block(&mut open()?, *pid)?;
                (live.block, live.keeper)
            }
            Selector::Input => {
                let mut bytes = Vec::new();
                std::io::stdin().lock().read_to_end(&mut bytes).map_err(|e| Failure::io("standard input", &e))?;
                (Block::parse(bytes), None)
            }
        };
        Ok(Named { label: self.label(), block, keeper })
    }
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
