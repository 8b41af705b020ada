//! Watching every program that is started below a command, and recordings of what each received.
//!
//! [`trace`] becomes a command under watch: the kernel tells a guardian process of every `execve`
//! below it (seccomp user notification, Linux 5.5), which leaves the programs free for a debugger
//! and slows nothing but the calls that start and end one. [`Recording`] and [`Writer`] are the
//! recordings: an open format, described in `docs/recording.md`.

mod called;
mod filter;
mod follow;
mod launch;
mod pace;
pub mod recording;
mod sys;
mod watch;

pub use launch::{Means, Options, TraceError, loses_rights, trace};
pub use recording::{Fact, Head, NewReceipt, Reader, Recording, RecordingError, Values, Writer};
