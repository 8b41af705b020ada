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

/// Following startup files makes and drops small trees all the time: a fifth of it was spent in the C library's
/// allocator, most of that in tidying up.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;
