//! The commands: one file each. What a person typed is read here, and every failure becomes a
//! sentence with an exit status here.

mod args;
mod attribute;
mod check;
mod compare;
mod draw;
mod export;
mod failure;
mod fill;
mod forecast;
mod json;
mod manual;
mod output;
mod outputs;
mod probe;
mod read;
mod receipts;
mod routes;
mod run;
mod selector;
mod show;
mod trace;
mod why;

use std::ffi::OsString;
use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};

pub(crate) use args::parse_changes;
pub(crate) use compare::list_text as compare_list;
pub(crate) use failure::Failure;
pub(crate) use forecast::place;
pub(crate) use json::to_bytes as bytes_of_json;
pub(crate) use output::{Sight, fingerprinter, print, wants_colour};
pub(crate) use probe::{dearest, milliseconds, probed};
pub(crate) use routes::{Host, HostArgs};
pub(crate) use selector::own as own_block;
pub(crate) use why::{around, path_and_line, sentence};

use crate::demo;
use crate::tui;

/// Shows, changes and explains the environment variables that processes receive.
///
/// Without a command, opens the full-screen program on this host.
#[derive(Debug, Parser)]
#[command(name = "vectorum", version, max_term_width = 100, args_conflicts_with_subcommands = true, after_help = EXIT_STATUS)]
struct Cli {
    #[command(subcommand)]
    command: Option<Command>,

    #[command(flatten)]
    screen: tui::ScreenArgs,

    #[command(flatten)]
    host: HostArgs,

    /// Open an env file under all its readers; several by repeating it
    #[arg(long, value_name = "FILE", conflicts_with = "recording")]
    file: Vec<PathBuf>,

    /// Open a recording of `vectorum trace` instead of this host
    #[arg(long, value_name = "FILE")]
    recording: Option<PathBuf>,
}

const EXIT_STATUS: &str = "Exit status: 0 done; 1 the answer is no (not set, differs); 2 wrong usage; 3 it could not be done. \
`run` and `trace` exit as their command does, with 125 for a failure of its own, 126 for a command that cannot be run, 127 for one that is not there.";

#[derive(Debug, Subcommand)]
enum Command {
    Show(show::Args),
    Run(run::Args),
    Trace(trace::Args),
    Receipts(receipts::Args),
    Compare(compare::Args),
    Routes(routes::Args),
    Forecast(forecast::Args),
    Probe(probe::Args),
    #[command(hide = true)]
    Payload(probe::PayloadArgs),
    /// Print the block of this account's manager
    #[command(hide = true)]
    ManagerBlock,
    Why(why::WhyArgs),
    Reach(why::ReachArgs),
    Read(read::Args),
    Check(check::Args),
    Export(export::Args),
    Fill(fill::Args),
    Draw(draw::Args),
    Demo(demo::Args),
    Manual(manual::ManualArgs),
    Completions(manual::CompletionArgs),
}

/// What a command answers: its exit status.
pub(crate) type Answer = Result<u8, Failure>;

/// The program's entry: reads the arguments, runs the command, tells failures.
pub fn main() -> ExitCode {
    let arguments: Vec<OsString> = std::env::args_os().collect();
    // The failures of `run` and `trace` must not be taken for their command's: env(1) and others
    // use 125.
    let is_run = arguments.get(1).is_some_and(|a| a == "run" || a == "trace");
    let parsed = Cli::command().try_get_matches_from(arguments).and_then(|m| Cli::from_arg_matches(&m));
    let cli = match parsed {
        Ok(cli) => cli,
        Err(error) => {
            let wrong = error.use_stderr();
            // Nothing is left to tell if standard error is closed.
            let _ = error.print();
            return ExitCode::from(match (wrong, is_run) {
                (false, _) => 0,
                (true, true) => 125,
                (true, false) => 2,
            });
        }
    };
    let answer = match cli.command {
        None => match &cli.recording {
            Some(path) => tui::open_recording(&cli.screen, path),
            None => tui::open_host(&cli.screen, &cli.host, &cli.file),
        },
        Some(Command::Show(args)) => show::run(&args),
        Some(Command::Run(args)) => run::run(&args).map_err(|f| f.with_status_for_run()),
        Some(Command::Trace(args)) => trace::run(&args).map_err(|f| f.with_status_for_run()),
        Some(Command::Receipts(args)) => receipts::run(&args),
        Some(Command::Compare(args)) => compare::run(&args),
        Some(Command::Routes(args)) => routes::run(&args),
        Some(Command::Forecast(args)) => forecast::run(&args),
        Some(Command::Probe(args)) => probe::run(&args),
        Some(Command::Payload(args)) => probe::payload(&args),
        Some(Command::ManagerBlock) => routes::manager_block(),
        Some(Command::Why(args)) => why::why(&args),
        Some(Command::Reach(args)) => why::reach(&args),
        Some(Command::Read(args)) => read::run(&args),
        Some(Command::Check(args)) => check::run(&args),
        Some(Command::Export(args)) => export::run(&args),
        Some(Command::Fill(args)) => fill::run(&args),
        Some(Command::Draw(args)) => draw::run(&args),
        Some(Command::Demo(args)) => demo::run(&args),
        Some(Command::Manual(args)) => manual::manual(&args, Cli::command()),
        Some(Command::Completions(args)) => manual::completions(&args, Cli::command()),
    };
    match answer {
        Ok(status) => ExitCode::from(status),
        Err(failure) => {
            if !failure.is_broken_pipe() {
                let _ = writeln!(std::io::stderr(), "vectorum: {failure}");
            }
            ExitCode::from(failure.status())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_definition_is_sound_and_every_part_described() {
        let command = Cli::command();
        command.clone().debug_assert();
        for sub in command.get_subcommands() {
            assert!(sub.get_about().is_some(), "{} says nothing of itself", sub.get_name());
            for argument in sub.get_arguments() {
                assert!(argument.get_help().is_some(), "{} {} is not described", sub.get_name(), argument.get_id());
            }
        }
    }
}
