//! `run`: a command under a changed block.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;

use serde_json::Map;
use vectorum_core::reader::{Effect, Surroundings, handed_on};
use vectorum_core::{Block, Delta, Name, Selection, Value};
use vectorum_host::{exec, kernel_limits};

use super::args::ChangeArgs;
use super::read::{Read, surroundings};
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

    /// Lay what an env file sets over the block, before all other changes; several by repeating it,
    /// later ones over earlier ones
    #[arg(long, value_name = "FILE[:READER]")]
    with: Vec<String>,

    /// Which value counts where a file sets a name that the block holds
    #[arg(long, value_enum, default_value_t, value_name = "WHICH")]
    on_clash: OnClash,

    /// Say which files were taken, and how many names were new, kept, replaced and removed; on
    /// request each of them, or each with its value (masked where it looks secret, without --reveal)
    #[arg(long, value_enum, value_name = "WHAT", num_args = 0..=1, require_equals = true, default_missing_value = "counts")]
    report: Option<Report>,

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

/// Who wins.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
enum OnClash {
    /// The file
    #[default]
    File,
    /// The block
    Block,
}

/// What is said of each file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
enum Report {
    /// How many names
    Counts,
    /// Which names
    Names,
    /// Which names, with their values
    Values,
}

/// Lays files over a block.
fn with_files(args: &Args, block: &Block) -> Result<Block, Failure> {
    let mut out = block.clone();
    for text in &args.with {
        let (path, id) = selector::file_and_reader(text);
        // Each file is read as if the consumer had the block below it.
        let around = Surroundings { outer: out.clone(), ..surroundings() };
        let read = Read::of(path.as_ref(), id, &around)?.whole()?;
        let mut fates: Vec<(&str, Name, Option<Value>)> = Vec::new();
        let mut edit = out.edit();
        for (name, effect) in handed_on(read.reader, &read.reading, &out) {
            let Some(name) = Name::new(name) else { continue };
            let old = out.value(name.as_bytes());
            let wins = args.on_clash == OnClash::File || block.get(name.as_bytes()).is_none();
            let set = match effect {
                Effect::Set(value) => match Value::new(value) {
                    Some(value) => Some(value),
                    None => continue,
                },
                Effect::Unset => None,
                Effect::Unknown(_) => continue,
            };
            let (fate, value) = match (old, set) {
                (None, None) => continue,
                (Some(old), set) if !wins || set.as_ref() == Some(&old) => ("kept", Some(old)),
                (Some(_), None) => {
                    edit.unset(&name);
                    ("removed", None)
                }
                (old, Some(value)) => {
                    edit.set(&name, &value);
                    (if old.is_some() { "replaced" } else { "new" }, Some(value))
                }
            };
            fates.push((fate, name, value));
        }
        if let Some(report) = args.report {
            let count = |fate| fates.iter().filter(|(f, ..)| *f == fate).count();
            let counts = ["new", "kept", "replaced", "removed"].map(|fate| format!("{} {fate}", count(fate))).join(", ");
            output::note(&format!("{} as {}: {counts}", super::read::shown(path.as_ref()), read.reader.id()));
            let sight = output::Sight::plain(args.reveal, false)?;
            for (fate, name, value) in fates.iter().filter(|_| report != Report::Counts) {
                let value = value.as_ref().filter(|_| report == Report::Values);
                let value = value.map(|v| format!(" = {}", sight.value(name.as_bytes(), v.as_bytes()))).unwrap_or_default();
                output::note(&format!("  {fate} {name}{value}"));
            }
        }
        out = edit.finish();
    }
    Ok(out)
}

/// Runs the command; returns only if it could not be started.
pub(crate) fn run(args: &Args) -> Answer {
    let before = selector::own();
    let after = args.changes.changes()?.apply(&with_files(args, &before)?);
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
