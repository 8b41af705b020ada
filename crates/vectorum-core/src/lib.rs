//! What Vectorum knows about environment blocks.
//!
//! This crate is pure: it opens no file, asks no clock, draws nothing. What it needs to know of a
//! machine comes in through [`HostView`]; what it finds out goes out as plain data, for text,
//! JSON and screens to render.
//!
//! Start at [`Block`], what `execve` hands to a program, and [`Delta`], what lies between two of
//! them. [`World`] holds the processes of a host with their blocks, each distinct block once.

mod block;
mod change;
mod delta;
pub mod export;
mod fill;
mod finding;
mod gloss;
mod host_view;
mod limits;
mod list;
mod lock;
mod process;
pub mod reader;
mod receipt;
pub mod route;
mod secret;
mod select;
pub mod shell;
mod text;
mod tint;
mod world;

pub use block::{Block, Editor, Entry, EntryKind, Name, Portability, Value};
pub use change::{Changes, ListEdit, ListPlace};
pub use delta::{Delta, Difference, ListChange, ListDelta, ListRow};
pub use fill::{Unfilled, fill};
pub use finding::{Finding, Trouble, findings};
pub use gloss::{Gloss, Hue, Line, Part, Tone, gloss, masked_arguments, masked_entry, masked_line, masked_source, masked_start};
pub use host_view::{Content, HostView, Kind, MemoryTree, NoHost, Snapshot, Want, allowed};
pub use limits::{Limits, Size};
pub use list::{Item, ItemTrouble, ListKind, Members};
pub use process::{Process, ProcessId, Rails, Received, Refusal, TreeRow, split_arguments};
pub use receipt::{Certainty, Exit, Origins, Receipt};
pub use secret::{Fingerprinter, MASK, Piece, SecretReason, Verdict, judge, judge_arguments, pieces};
pub use select::{BadPattern, Pattern, Selection};
pub use text::{Segment, inert, inert_bytes, segments};
pub use tint::{Mark, Tint, Tints};
pub use world::{NameSummary, World};
