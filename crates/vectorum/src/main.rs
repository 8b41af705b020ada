//! Vectorum: what environment do processes receive, why, and how to change it.

mod cli;
mod demo;
mod tui;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::main()
}
