//! `export`: a block in another form.

use std::ffi::OsString;
use std::path::PathBuf;

use vectorum_core::export::{format_ids, leaves_secrets_out, write_as};
use vectorum_core::{Block, Name, Value};
use vectorum_host::Peek;

use super::selector::{FORMS, Selector};
use super::{Answer, Failure, args, output};

/// Write a block in another form
///
/// A file that holds a secret is readable by its owner alone.
#[derive(Debug, clap::Args)]
#[command(after_help = help())]
pub(crate) struct Args {
    /// The block
    #[arg(value_name = "BLOCK", default_value = "pid:self")]
    from: String,

    /// The form
    #[arg(long = "as", value_name = "FORMAT", value_parser = ids())]
    format: String,

    /// Only these names
    #[arg(long, value_name = "NAME|GLOB|/REGEX/")]
    only: Vec<OsString>,

    /// Only what that block lacks or has otherwise
    #[arg(long, value_name = "BLOCK")]
    not_in: Option<String>,

    /// Where it goes [default: standard output]
    #[arg(short = 'o', long, value_name = "FILE")]
    output: Option<PathBuf>,
}

fn ids() -> clap::builder::PossibleValuesParser {
    format_ids().map(|(id, about)| clap::builder::PossibleValue::new(id).help(about)).collect::<Vec<_>>().into()
}

fn help() -> String {
    let line = |(id, about): (&str, &str)| format!("  {id:<26}{about}\n");
    format!("Formats:\n{}\nA block is {FORMS}.", format_ids().map(line).collect::<String>())
}

/// Runs the command.
pub(crate) fn run(typed: &Args) -> Answer {
    let only = args::selection(&typed.only)?;
    let block = Selector::parse(&typed.from)?.read(Peek::Allowed)?.block;
    let other = typed.not_in.as_deref().map(|s| Selector::parse(s)?.read(Peek::Allowed)).transpose()?.map(|n| n.block);
    let wanted = |(name, value): &(Name, Value)| {
        only.takes(name.as_bytes()) && other.as_ref().is_none_or(|o| o.get(name.as_bytes()) != Some(value.as_bytes()))
    };
    let pairs: Vec<(Name, Value)> = block.vars().filter(wanted).collect();
    let written = write_as(&typed.format, &pairs).map_err(|failed| match failed {
        None => Failure::usage("there is no such format"),
        Some(failed) => {
            let line =
                |f: &vectorum_core::export::Inexpressible| format!("{}: {}; {}", f.name, f.refusal.what, f.refusal.way_out);
            Failure::new(format!(
                "{} cannot express:\n  {}",
                typed.format,
                failed.iter().map(line).collect::<Vec<_>>().join("\n  ")
            ))
            .way_out("nothing was written; leave them out with --only, or choose another format")
        }
    })?;
    let carried = if leaves_secrets_out(&typed.format) {
        Block::empty()
    } else {
        Block::from_vars(pairs.iter().map(|(n, v)| (n.as_bytes(), v.as_bytes())))
    };
    output::deliver(typed.output.as_deref(), &written, &carried)
}
