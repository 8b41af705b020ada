//! What the operating system says of processes and takes from Vectorum.
//!
//! Reading: [`ProcFolder`] reads what a process received and [`live_block`] what it has now;
//! [`Scanner`] keeps up with all of them. Running: [`exec`] and [`run_to_end`] start a command
//! with exactly the block that they are given. [`LiveHost`] is this machine as the core sees it.
//!
//! Nothing here decides what a block means; that is the core's.

mod accounts;
mod bus;
mod command;
mod elf;
mod files;
mod live;
mod probe;
mod proc;
mod refusal;
mod run;
mod scan;
mod start;

pub use accounts::Accounts;
pub use bus::{BusError, Manager};
pub use command::{ProbeCommand, ProbeError, Said, Terminal};
pub use files::{LiveHost, RootedHost, kernel_limits, replace_file};
pub use live::{Keeper, LiveBlock, LiveError, live_block};
pub use probe::{ProbeFolder, write_received};
pub use proc::{Instance, Observed, Peek, ProcFolder, ReadError, own_block};
pub use run::{Apart, Ending, Group, RunError, exec, run_to_end, start_apart};
pub use scan::{Scanner, Update};
