//! Vectorum, the program: commands ([`main`]) and the full-screen interface.
//!
//! No rules of the job live here: what a block means is in `vectorum-core`, what the system says
//! in `vectorum-host`. This is a library only so that the benches can reach the interface without
//! a terminal; nothing of it is meant for other programs.

#[doc(hidden)]
pub mod bench;
mod cli;
mod demo;
mod recorded;
mod tui;

pub use cli::main;
