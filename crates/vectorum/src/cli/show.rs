//! `show`: a block.

use std::ffi::OsString;

use serde_json::Map;
use vectorum_core::{Block, EntryKind, Selection};
use vectorum_host::{LiveHost, Peek};

use super::selector::Selector;
use super::{Answer, Failure, args, json, output};

/// Show a block: what this process received, or another one
///
/// On a terminal, what looks secret is masked and control bytes are spelt out. Elsewhere the real
/// bytes come out, one entry a line, or NUL-separated with -0.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Only these names; a name without * ? [ ] that is not set makes the exit status 1
    #[arg(value_name = "NAME|GLOB|/REGEX/")]
    names: Vec<OsString>,

    /// End each entry with a NUL instead of a line break; real bytes, on a terminal too
    #[arg(short = '0', long, conflicts_with_all = ["json", "explain"])]
    null: bool,

    /// What this process received
    #[arg(long, value_name = "PID", value_parser = clap::value_parser!(i32).range(1..))]
    pid: Option<i32>,

    /// What the process has now, instead of what it received
    #[arg(long, requires = "pid")]
    live: bool,

    /// Only the values, without their names
    #[arg(long, conflicts_with_all = ["json", "explain"])]
    value: bool,

    /// Explain what each value means
    #[arg(long, conflicts_with = "json")]
    explain: bool,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,

    /// One JSON document
    #[arg(long)]
    json: bool,

    /// Do not look into the process's memory to tell whether its start block was overwritten
    #[arg(long, conflicts_with = "live")]
    no_peek: bool,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let selection = args::selection(&args.names)?;
    let selector = match (args.pid, args.live) {
        (None, _) => Selector::Own,
        (Some(pid), false) => Selector::Pid(pid),
        (Some(pid), true) => Selector::Live(pid),
    };
    let named = selector.read(if args.no_peek { Peek::Never } else { Peek::Allowed })?;
    if let Some(keeper) = &named.keeper {
        output::note(&keeper.words());
    }
    if args.json {
        let mut document = Map::new();
        document.insert("block".to_owned(), named.label.clone().into());
        if args.live {
            document.insert("current".to_owned(), named.keeper.is_none().into());
            document.extend(named.keeper.as_ref().map(|k| ("why_not_current".to_owned(), k.words().into())));
        }
        json::put_block(&mut document, &named.block, &selection);
        output::note_secrets(&[&named.block], |n| selection.takes(n));
        json::print(document)?;
    } else if args.null {
        output::note_secrets(&[&named.block], |n| selection.takes(n));
        output::print(&lines(&named.block, &selection, args.value, 0))?;
    } else {
        show(args, &named.block, &selection)?;
    }
    let mut missing = selection.missing_from(&named.block).peekable();
    if missing.peek().is_none() {
        return Ok(0);
    }
    for name in missing {
        output::note(&format!("{name} is not set"));
    }
    Ok(1)
}

fn is_taken(selection: &Selection, name: Option<&[u8]>) -> bool {
    name.map_or(selection.is_everything(), |n| selection.takes(n))
}

/// Returns the chosen entries with their real bytes, each followed by `end`.
fn lines(block: &Block, selection: &Selection, only_values: bool, end: u8) -> Vec<u8> {
    let mut out = Vec::new();
    for entry in block.entries().filter(|e| is_taken(selection, e.name())) {
        let text = if only_values { entry.value().unwrap_or_default() } else { entry.raw() };
        out.extend_from_slice(text);
        out.push(end);
    }
    out
}

fn show(args: &Args, block: &Block, selection: &Selection) -> Result<(), Failure> {
    let sight = match output::Sight::of_terminal(args.reveal)? {
        Some(sight) => sight,
        None if args.explain => output::Sight::plain(args.reveal, false)?,
        None => {
            output::note_secrets(&[block], |n| selection.takes(n));
            return output::print(&lines(block, selection, args.value, b'\n'));
        }
    };
    let mut text = String::new();
    for entry in block.entries().filter(|e| is_taken(selection, e.name())) {
        match (entry.name(), entry.value()) {
            (Some(_), Some(value)) if args.value && !matches!(entry.kind(), EntryKind::NoEquals) => {
                text.push_str(&format!("{}\n", sight.value(entry.name().unwrap_or_default(), value)));
            }
            (Some(name), Some(value)) => {
                text.push_str(&format!("{}={}\n", sight.name(name), sight.value(name, value)));
                if args.explain {
                    text.push_str(&sight.gloss(name, value, &LiveHost));
                }
            }
            _ => text.push_str(&format!("{}\n", sight.value(b"", entry.raw()))),
        }
    }
    output::print(text.as_bytes())?;
    if block.is_empty() {
        output::note("the block is empty: it was started without any variable");
    }
    Ok(())
}
