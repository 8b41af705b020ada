//! Watching every program that is started below a command.
//!
//! [`Recording`] and [`Writer`] are the recordings: an open format, described in
//! `docs/recording.md`.

pub mod recording;

pub use recording::{NewReceipt, Recording, RecordingError, Values, Writer};
