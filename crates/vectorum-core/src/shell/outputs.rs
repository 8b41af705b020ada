//! What programs printed that were run for an answer: where a startup file evaluates the output of a
//! program, the answer is open until somebody runs that one program.

use std::sync::Mutex;

use bytes::Bytes;

use super::syntax::Dialect;
use crate::lock::lock;
use crate::route::{Account, Site};

/// Why the output of a program is not known.
pub(super) const PRINTED: &str = "what a program prints";
/// Why the names are not known that a program is known to print commands for.
pub(super) const PRINTED_NAMES: &str = "a program prints what is set here";
/// Why everything may be otherwise after a program's output was run as commands.
pub(super) const PRINTED_COMMANDS: &str = "a text is run that a program prints";

/// Whether that one program's output would tell what is not known for this reason.
pub fn hangs_on_output(why: &str) -> bool {
    [PRINTED, PRINTED_NAMES, PRINTED_COMMANDS].contains(&why)
}

/// A program whose output is used, and not known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Asked {
    /// The line that uses it.
    pub site: Site,
    /// The program's file.
    pub program: Bytes,
    /// Its arguments.
    pub arguments: Vec<Bytes>,
    /// The kind of the shell that runs it: some programs look at their parent.
    pub dialect: Dialect,
    /// What it is handed, as far as that is known.
    pub block: Vec<(Bytes, Bytes)>,
    /// As whom it runs.
    pub account: Account,
    /// Where.
    pub folder: Option<Bytes>,
}

/// What a program printed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Output {
    /// The program's file.
    pub program: Bytes,
    /// Its arguments.
    pub arguments: Vec<Bytes>,
    /// What it wrote to standard output.
    pub text: Bytes,
    /// Its exit status.
    pub status: u8,
}

/// What is known of the output of programs, and what was asked for besides.
#[derive(Debug, Default)]
pub struct Outputs {
    /// What was run.
    pub known: Vec<Output>,
    asked: Mutex<Vec<Asked>>,
}

impl Outputs {
    /// Returns what a program printed with such arguments.
    pub(super) fn of(&self, program: &[u8], arguments: &[Bytes]) -> Option<&Output> {
        self.known.iter().find(|o| o.program == program && o.arguments == arguments)
    }

    pub(super) fn ask(&self, asked: Asked) {
        let mut all = lock(&self.asked);
        if !all
            .iter()
            .any(|other| other.site == asked.site && other.program == asked.program && other.arguments == asked.arguments)
        {
            all.push(asked);
        }
    }

    /// Takes what was asked for, and is not known.
    pub fn take_asked(&self) -> Vec<Asked> {
        std::mem::take(&mut lock(&self.asked))
    }
}
