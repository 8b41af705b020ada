//! Failures as sentences: what, where, what to do, and the exit status.

use std::fmt;
use std::io;

use vectorum_core::{BadPattern, inert};
use vectorum_host::{LiveError, ReadError, RunError};
use vectorum_trace::{RecordingError, TraceError};

/// A failure as a person is told of it.
#[derive(Debug)]
pub(crate) struct Failure {
    status: u8,
    message: String,
    way_out: Option<String>,
    broken_pipe: bool,
}

impl Failure {
    /// Something could not be done.
    pub(crate) fn new(message: impl Into<String>) -> Failure {
        Failure { status: 3, message: message.into(), way_out: None, broken_pipe: false }
    }

    /// The command was called wrongly.
    pub(crate) fn usage(message: impl Into<String>) -> Failure {
        Failure { status: 2, ..Failure::new(message) }
    }

    /// Something could not be read or written.
    pub(crate) fn io(what: impl fmt::Display, error: &io::Error) -> Failure {
        let broken_pipe = error.kind() == io::ErrorKind::BrokenPipe;
        Failure { broken_pipe, ..Failure::new(format!("{what}: {error}")) }
    }

    /// Adds what to do about it.
    pub(crate) fn way_out(mut self, text: impl Into<String>) -> Failure {
        self.way_out = Some(text.into());
        self
    }

    /// Turns the status into one that cannot be taken for that of a command.
    pub(crate) fn with_status_for_run(mut self) -> Failure {
        if self.status < 125 {
            self.status = 125;
        }
        self
    }

    /// Whether the reader of our output went away: no failure worth a word.
    pub(crate) fn is_broken_pipe(&self) -> bool {
        self.broken_pipe
    }

    pub(crate) fn status(&self) -> u8 {
        if self.broken_pipe { 0 } else { self.status }
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)?;
        match &self.way_out {
            Some(text) => write!(f, "\n  {text}"),
            None => Ok(()),
        }
    }
}

/// Returns an error with its causes in one line.
pub(super) fn chain(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut next = error.source();
    while let Some(cause) = next {
        text = format!("{text}: {cause}");
        next = cause.source();
    }
    text
}

impl From<ReadError> for Failure {
    fn from(error: ReadError) -> Failure {
        let failure = Failure::new(chain(&error));
        match error {
            ReadError::Gone(_) => {
                failure.way_out("processes of others are hidden where /proc is mounted with hidepid; as root all are seen")
            }
            _ => failure,
        }
    }
}

impl From<LiveError> for Failure {
    fn from(error: LiveError) -> Failure {
        let hidden = matches!(error, LiveError::Hidden { .. });
        match error {
            LiveError::Read(error) => error.into(),
            other => {
                let failure = Failure::new(chain(&other));
                if hidden { failure.way_out("without --live, what it received at its start can be shown") } else { failure }
            }
        }
    }
}

impl From<RunError> for Failure {
    fn from(error: RunError) -> Failure {
        Failure { status: error.status(), ..Failure::new(chain(&error)) }
    }
}

impl From<TraceError> for Failure {
    fn from(error: TraceError) -> Failure {
        match error {
            TraceError::Run(error) => error.into(),
            other => Failure { status: 125, ..Failure::new(chain(&other)) },
        }
    }
}

impl Failure {
    /// A recording could not be read.
    pub(crate) fn recording(path: &std::path::Path, error: &RecordingError) -> Failure {
        use std::os::unix::ffi::OsStrExt;
        Failure::new(format!("{}: {}", inert(path.as_os_str().as_bytes()), chain(error)))
    }
}

impl From<BadPattern> for Failure {
    fn from(error: BadPattern) -> Failure {
        Failure::usage(error.to_string())
    }
}

/// Returns a person's words for quoting in a message.
pub(crate) fn quoted(text: &[u8]) -> String {
    format!("«{}»", inert(text))
}
