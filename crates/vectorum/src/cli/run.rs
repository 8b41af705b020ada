//! `run`: a command under a changed block.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;

use serde_json::Map;
use vectorum_core::{Delta, Selection};
use vectorum_host::{exec, kernel_limits};

use super::args::ChangeArgs;
use super::{Answer, Failure, compare, json, output, selector};

/// Run a command with a changed block
///
/// The changes apply in this order: --empty and --keep, --unset, NAME=VALUE, --first and --last.
/// The command is looked for in the PATH of the changed block. Without a command, the changed
/// block is shown.
#[derive(Debug, clap::Args)]
#[command(
    after_help = "Exit status: the command's; 125 if vectorum fails, 126 if the command cannot be run, 127 if it is not there."
)]
pub(crate) struct Args {
    #[command(flatten)]
    changes: ChangeArgs,

    /// Show what would be changed, and run nothing
    #[arg(long)]
    dry_run: bool,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,

    /// One JSON document: the block, or with --dry-run the changes; runs nothing
    #[arg(long)]
    json: bool,

    /// The command, behind --
    #[arg(last = true, value_name = "CMD")]
    command: Vec<OsString>,
}

/// Runs the command; returns only if it could not be started.
pub(crate) fn run(args: &Args) -> Answer {
    let before = selector::own();
    let after = args.changes.changes()?.apply(&before);
    let limits = kernel_limits();
    let size = after.size(&limits);
    if !size.fits(&limits) {
        let what = format!(
            "the block is larger than the kernel accepts: {} bytes of {} in all, {} of {} in its longest entry",
            size.total, limits.total, size.longest, limits.entry
        );
        return Err(Failure::new(what)
            .way_out("leave out what the command does not need: --unset NAME, or --empty and only what it needs"));
    }
    if args.dry_run {
        let delta = Delta::between(&before, &after);
        if args.json {
            return json::print(json::delta(&delta, &json::Masked::default())).map(|()| 0);
        }
        let sight =
            output::Sight::plain(args.reveal, output::wants_colour() && std::io::IsTerminal::is_terminal(&std::io::stdout()))?;
        let text = if delta.is_empty() {
            "nothing would be changed\n".to_owned()
        } else {
            compare::text(&delta, &sight, "now", "the command's")
        };
        return output::print(text.as_bytes()).map(|()| 0);
    }
    if args.command.is_empty() {
        if args.json {
            let mut document = Map::new();
            document.insert("block".to_owned(), "run".into());
            json::put_block(&mut document, &after, &Selection::default());
            output::note_secrets(&[&after], |_| true);
            return json::print(document).map(|()| 0);
        }
        return match output::Sight::of_terminal(args.reveal)? {
            Some(sight) => {
                let line = |(n, v): (vectorum_core::Name, vectorum_core::Value)| {
                    format!("{}={}\n", sight.name(n.as_bytes()), sight.value(n.as_bytes(), v.as_bytes()))
                };
                output::print(after.vars().map(line).collect::<String>().as_bytes())
            }
            None => {
                output::note_secrets(&[&after], |_| true);
                let lines: Vec<u8> = after.entries().flat_map(|e| [e.raw(), b"\n"].concat()).collect();
                output::print(&lines)
            }
        }
        .map(|()| 0);
    }
    if args.json {
        return Err(
            Failure::usage("--json describes a block and runs nothing").way_out("leave the command out, or add --dry-run")
        );
    }
    let command: Vec<Vec<u8>> = args.command.iter().cloned().map(OsString::into_vec).collect();
    Err(exec(&command, &after).into())
}
