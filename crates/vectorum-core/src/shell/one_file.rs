//! A file that a shell takes in, on a host of which nothing else is known.

use std::sync::Arc;

use bytes::Bytes;

use super::frame::Boundary;
use super::handed::Handed;
use super::initial::state;
use super::machine::{Ended, Machine};
use super::settled::{decided, settle};
use super::startup::{Invocation, Payload, Started};
use super::syntax::Dialect;
use super::touched::Touched;
use crate::host_view::{Content, HostView, Kind, Want};
use crate::route::{Account, Ground};

/// A host of which one file is known.
struct OneFile<'a>(&'a [u8]);

/// What that file is called.
const THE_FILE: &[u8] = b"/the file";

impl HostView for OneFile<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        match path {
            THE_FILE => Kind::File,
            b"/dev/null" => Kind::Other,
            _ => Kind::Unknown,
        }
    }

    fn programs(&self, _: &[u8]) -> Option<Vec<Bytes>> {
        None
    }

    fn real_path(&self, _: &[u8]) -> Option<Bytes> {
        None
    }

    fn read(&self, path: &[u8]) -> Content {
        match path {
            THE_FILE => Content::Bytes(Bytes::copy_from_slice(self.0)),
            _ => Content::Denied,
        }
    }

    fn list(&self, _: &[u8]) -> Option<Vec<Bytes>> {
        None
    }

    fn may(&self, path: &[u8], _: u32, _: u32, want: Want) -> Option<bool> {
        (path == THE_FILE && want == Want::Read).then_some(true)
    }
}

/// What a file comes to when a shell takes it in with `set -a; . FILE` (fish: `source FILE`), on a host
/// of which nothing else is known. `dialect` is `None` for fish. `None` where anything of it is not
/// followed, or the shell would not read it to its end.
pub(crate) fn taken_in(
    dialect: Option<Dialect>,
    text: &[u8],
    account: &Account,
    start: &crate::block::Block,
    folder: &[u8],
) -> Option<Started> {
    let host = OneFile(text);
    let start = &Handed::from(start);
    let ground = Ground::new(&host, std::slice::from_ref(account));
    let invocation = Invocation::for_script(dialect.unwrap_or(Dialect::Zsh), Payload::Script(None));
    let started = match dialect {
        None => super::fish::taken_in(ground, account, start, THE_FILE, folder, &invocation),
        Some(dialect) => {
            let touched = Touched::new(ground.files, account);
            let begin = state(ground, account, start, folder, &invocation);
            let mut machine = Machine::new(ground, &touched, account, dialect, begin);
            machine.put_option("allexport", true);
            let source = super::Source::new(Bytes::from_static(THE_FILE), Bytes::copy_from_slice(text));
            // Each line must be one that the shell reads.
            if source.tree(dialect).trouble().is_some() {
                return None;
            }
            machine.run_source(&Arc::new(source), Boundary::Text);
            let mut outcome = machine.finish();
            outcome.decided = Arc::new(decided(&outcome, dialect));
            settle(outcome, start, &invocation)
        }
    };
    (started.open.is_none() && started.ended == Ended::No).then_some(started)
}
