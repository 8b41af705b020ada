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

/// A forecast makes and lets go of a great many small things, on several threads: with this allocator all routes of an
/// account take some 15 % less than with the C library's. Huge pages are off: they would make the first screen late and
/// a long recording large.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;
