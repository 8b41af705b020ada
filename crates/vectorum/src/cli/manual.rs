//! Man pages and completions, derived from the definition of the commands.

use std::path::PathBuf;

use clap::Command;
use clap_complete::Shell;

use super::{Answer, Failure, output};

/// Write the man pages
#[derive(Debug, clap::Args)]
pub(crate) struct ManualArgs {
    /// Write one page for each command into this folder, instead of the main page to standard output
    #[arg(long, value_name = "DIR")]
    to: Option<PathBuf>,
}

/// Write the completions for a shell
#[derive(Debug, clap::Args)]
pub(crate) struct CompletionArgs {
    /// Which shell
    shell: Shell,
}

/// Writes the man pages.
pub(crate) fn manual(args: &ManualArgs, command: Command) -> Answer {
    match &args.to {
        Some(folder) => {
            std::fs::create_dir_all(folder).map_err(|e| Failure::io(folder.display(), &e))?;
            clap_mangen::generate_to(command, folder).map_err(|e| Failure::io(folder.display(), &e))?;
        }
        None => {
            let mut page = Vec::new();
            clap_mangen::Man::new(command).render(&mut page).map_err(|e| Failure::io("the man page", &e))?;
            output::print(&page)?;
        }
    }
    Ok(0)
}

/// Writes the completions.
pub(crate) fn completions(args: &CompletionArgs, mut command: Command) -> Answer {
    let mut text = Vec::new();
    clap_complete::generate(args.shell, &mut command, "vectorum", &mut text);
    output::print(&text)?;
    Ok(0)
}
