//! `fill`: a template with `${NAME}` replaced.

use std::ffi::OsString;
use std::path::PathBuf;

use vectorum_core::{Block, fill};
use vectorum_host::Peek;

use super::read::{read_file, shown};
use super::selector::{FORMS, Selector};
use super::{Answer, Failure, args, output};

/// Replace ${NAME} in a template by values
///
/// $$ stands for a dollar; everything else, $NAME without braces included, is text. A name that is
/// not set is an error that names its line.
#[derive(Debug, clap::Args)]
#[command(after_help = format!("A block is {FORMS}."))]
pub(crate) struct Args {
    /// The template; - is standard input
    template: PathBuf,

    /// Replace these names only; others stay as they are written
    #[arg(long, value_name = "NAME|GLOB|/REGEX/")]
    only: Vec<OsString>,

    /// The block whose values are taken
    #[arg(long, value_name = "BLOCK", default_value = "pid:self")]
    from: String,

    /// Where the result goes [default: standard output]
    #[arg(short = 'o', long, value_name = "FILE")]
    output: Option<PathBuf>,
}

/// Runs the command.
pub(crate) fn run(typed: &Args) -> Answer {
    let only = args::selection(&typed.only)?;
    let template = read_file(&typed.template)?;
    let named = Selector::parse(&typed.from)?.read(Peek::Allowed)?;
    let filled = fill(&template, &named.block, &only).map_err(|errors| {
        let line = |e: &vectorum_core::Unfilled| format!("{}:{}:{}: {}", shown(&typed.template), e.line, e.column, e.what);
        Failure::new(errors.iter().map(line).collect::<Vec<_>>().join("\n"))
            .way_out("set the names, or leave them out with --only; $$ stands for a dollar")
    })?;
    // Which values went in is not told by the template alone: any secret among them makes it one.
    let used: Vec<(vectorum_core::Name, vectorum_core::Value)> =
        named.block.vars().filter(|(n, _)| only.takes(n.as_bytes()) && refers_to(&template, n.as_bytes())).collect();
    output::deliver(typed.output.as_deref(), &filled, &Block::from_vars(used.iter().map(|(n, v)| (n.as_bytes(), v.as_bytes()))))
}

/// Whether a template refers to a name.
fn refers_to(template: &[u8], name: &[u8]) -> bool {
    let reference = [b"${", name, b"}"].concat();
    template.windows(reference.len()).any(|w| w == reference)
}
