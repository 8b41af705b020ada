//! `draw`: pictures for paper and for other people.

use std::collections::BTreeSet;
use std::ffi::OsString;
use std::fs::File;
use std::io::{BufReader, Write};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use vectorum_core::route::FlowRow;
use vectorum_core::{Certainty, Delta, Name, Part, Process, Tint, Tints, World, inert, masked_arguments, masked_start};
use vectorum_draw::{Legend, Life, Line, Mark, Matrix, MatrixRow, Of, Tree, pdf};
use vectorum_trace::Recording;
use vectorum_trace::recording::Fact;

use super::{Answer, Failure, Host, HostArgs, args, output};
use crate::recorded::{Recorded, time};
use crate::tui::by_words;

/// Draw a picture, as SVG or PDF
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, clap::Subcommand)]
enum What {
    /// The host as a tree of routes, painted by one name's value
    Flow(FlowArgs),
    /// Names by routes: where each has which value
    Reach(ReachArgs),
    /// The tree of a recording: what each program received, painted by one name's value
    Tree(TreeArgs),
}

#[derive(Debug, clap::Args)]
struct FlowArgs {
    /// The name whose values paint the tree
    name: OsString,

    /// Show every branch, those that agree too
    #[arg(long)]
    whole: bool,

    #[command(flatten)]
    of: OfHost,
}

#[derive(Debug, clap::Args)]
struct ReachArgs {
    /// Only these names
    #[arg(value_name = "NAME|GLOB|/REGEX/")]
    names: Vec<OsString>,

    #[command(flatten)]
    of: OfHost,
}

/// A picture of a host.
#[derive(Debug, clap::Args)]
struct OfHost {
    /// Where the picture goes: a file that ends in .svg or .pdf
    #[arg(short = 'o', long, value_name = "FILE")]
    output: PathBuf,

    #[command(flatten)]
    host: HostArgs,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,
}

#[derive(Debug, clap::Args)]
struct TreeArgs {
    /// The recording
    recording: PathBuf,

    /// The name whose values paint the tree
    name: Option<OsString>,

    /// Where the picture goes: a file that ends in .svg or .pdf
    #[arg(short = 'o', long, value_name = "FILE")]
    output: PathBuf,

    /// Only programs that received the name otherwise than where their block came from, and those
    /// that lead to them
    #[arg(long, requires = "name")]
    only_changes: bool,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    match &args.what {
        What::Flow(typed) => flow(typed),
        What::Reach(typed) => reach(typed),
        What::Tree(typed) => tree(typed),
    }
}

fn flow(typed: &FlowArgs) -> Answer {
    let format = Format::of(&typed.of.output)?;
    let name = args::name(typed.name.as_bytes())?;
    let host = Host::open(&typed.of.host)?;
    let survey = host.survey();
    let prints = output::fingerprinter()?;
    let mut tints = Tints::default();
    let rows = survey.rows(name.as_bytes(), &mut tints, &BTreeSet::new(), typed.whole);
    let masked = |value: &[u8]| match value {
        b"" => "(empty)".to_owned(),
        value => words(&masked_start(name.as_bytes(), value, &prints, typed.of.reveal, 512)),
    };
    let label = |at: usize| survey.branches().get(at).map(|b| inert(b.label.as_bytes()).into_owned()).unwrap_or_default();
    let line = |row: &FlowRow| {
        let labels: Vec<String> = std::iter::once(row.branch).chain(row.alike.iter().copied()).map(label).collect();
        let more = if row.below > 0 { format!(" +{}", row.below) } else { String::new() };
        let value = match row.tint {
            Some(Tint::Value(at)) => tints.values().get(at as usize).map(|v| masked(v.as_bytes())).unwrap_or_default(),
            Some(Tint::PerRun) => "made anew at each start".to_owned(),
            Some(Tint::Unknown) => survey.why_unknown(row, name.as_bytes()).unwrap_or("unknown").to_owned(),
            _ => String::new(),
        };
        Line {
            rails: row.rails,
            program: labels.join(", ") + &more,
            arguments: row.by.as_ref().map(by_words).unwrap_or_default(),
            failure: row.ends.map(|why| format!("never started: {why}")),
            is_unsure: row.may_end,
            tint: row.tint,
            mark: match row.mark {
                vectorum_core::Mark::Same => Mark::Same,
                vectorum_core::Mark::Born => Mark::Born,
                vectorum_core::Mark::Changed => Mark::Changed,
                vectorum_core::Mark::Dropped => Mark::Dropped,
            },
            value,
            counts: None,
            life: None,
            at: String::new(),
        }
    };
    let lines = rows.iter().map(line).collect();
    let at_end: Vec<Tint> =
        (0..survey.routes.len()).map(|route| survey.tint(route, name.as_bytes(), &mut tints.clone())).collect();
    let count = |tint: Tint| at_end.iter().filter(|t| **t == tint).count();
    let mut legend: Vec<Legend> = Vec::new();
    for (at, value) in tints.values().iter().enumerate() {
        let tint = Tint::Value(u32::try_from(at).unwrap_or(u32::MAX));
        legend.push(Legend { tint, count: count(tint), value: masked(value.as_bytes()) });
    }
    legend.push(Legend { tint: Tint::Absent, count: count(Tint::Absent), value: String::new() });
    let picture = Tree {
        of: Of::Routes,
        title: host.title(),
        subtitle: format!("{} routes of {}", survey.routes.len(), inert(&host.account.name)),
        name: Some(name.to_string()),
        lines,
        legend,
        ..Tree::default()
    };
    write(&typed.of.output, format, typed.of.reveal, &picture.svg(), || picture.pages())
}

fn reach(typed: &ReachArgs) -> Answer {
    let format = Format::of(&typed.of.output)?;
    let only = args::selection(&typed.names)?;
    let host = Host::open(&typed.of.host)?;
    let survey = host.survey();
    let prints = output::fingerprinter()?;
    let rows = survey.reach(&only).into_iter().map(|row| {
        let values =
            row.values.iter().map(|v| words(&masked_start(row.name.as_bytes(), v.as_bytes(), &prints, typed.of.reveal, 256)));
        MatrixRow { name: inert(row.name.as_bytes()).into_owned(), values: values.collect(), tints: row.tints }
    });
    let picture = Matrix {
        title: host.title(),
        columns: survey.routes.iter().map(|(route, _)| route.to_string()).collect(),
        rows: rows.collect(),
    };
    write(&typed.of.output, format, typed.of.reveal, &picture.svg(), || picture.pages())
}

/// Writes a picture in its form.
fn write(path: &Path, format: Format, shows_secrets: bool, svg: &str, pages: impl FnOnce() -> Vec<String>) -> Answer {
    let bytes = match format {
        Format::Svg => svg.as_bytes().to_vec(),
        Format::Pdf => pdf(&pages()).map_err(|e| Failure::new(format!("no PDF could be made: {e}")))?,
    };
    // A picture that shows secrets is for its owner only.
    let mode = if shows_secrets { 0o600 } else { 0o666 };
    let shown = inert(path.as_os_str().as_bytes()).into_owned();
    let mut file = File::options().write(true).create(true).truncate(true).mode(mode).open(path);
    file.as_mut().map_err(|e| Failure::io(&shown, e))?.write_all(&bytes).map_err(|e| Failure::io(&shown, &e))?;
    Ok(0)
}

/// What a picture is written as.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Format {
    Svg,
    Pdf,
}

impl Format {
    fn of(path: &Path) -> Result<Format, Failure> {
        match path.extension().map(OsStrExt::as_bytes).map(<[u8]>::to_ascii_lowercase).as_deref() {
            Some(b"svg") => Ok(Format::Svg),
            Some(b"pdf") => Ok(Format::Pdf),
            _ => Err(Failure::usage(format!("{}: it is not told what to draw", inert(path.as_os_str().as_bytes())))
                .way_out("name a file that ends in .svg or .pdf with -o")),
        }
    }
}

fn tree(typed: &TreeArgs) -> Answer {
    let format = Format::of(&typed.output)?;
    let name = typed.name.as_deref().map(|n| args::name(n.as_bytes())).transpose()?;
    let read = File::open(&typed.recording).map_err(Into::into).and_then(|file| Recording::read(BufReader::new(file)));
    let recording = read.map_err(|e| Failure::recording(&typed.recording, &e))?;
    let picture = picture(recording, name.as_ref(), typed)?;
    write(&typed.output, format, typed.reveal, &picture.svg(), || picture.pages())
}

fn picture(recording: Recording, name: Option<&Name>, args: &TreeArgs) -> Result<Tree, Failure> {
    let prints = output::fingerprinter()?;
    let (mut world, mut recorded) = (World::default(), Recorded::new(String::new()));
    let command: Vec<&[u8]> = recording.head.command.iter().map(|c| &c[..]).collect();
    let title = words(&masked_arguments(&command, &prints, args.reveal));
    let count = recording.receipts.len();
    let mut notes = recording.notes;
    if !recording.is_complete {
        notes.push("the recording is not complete: programs below the command may still have been running".to_owned());
    }
    for receipt in recording.receipts {
        let (seq, exit, ended) = (receipt.seq, receipt.exit, receipt.ended_ms);
        recorded.take(&mut world, Fact::Receipt(receipt));
        if let Some(exit) = exit {
            recorded.take(&mut world, Fact::Exit(seq, exit, ended));
        }
    }
    let mut tints = Tints::default();
    let mut tint = |process: &Process| name.map_or(Tint::Unknown, |name| world.tint(process.id.pid, name.as_bytes(), &mut tints));
    // Letters are given in the order of the whole recording, whatever is shown of it.
    let letters: Vec<(i32, Tint)> = world.processes().map(|p| (p.id.pid, tint(p))).collect();
    let letter = |pid: i32| letters.binary_search_by_key(&pid, |l| l.0).ok().and_then(|at| letters.get(at)).map(|l| l.1);
    let mark = |process: &Process| match (world.parent(process).and_then(|p| letter(p.id.pid)), letter(process.id.pid)) {
        (Some(Tint::Absent), Some(Tint::Value(_))) => Mark::Born,
        (Some(Tint::Value(_)), Some(Tint::Absent)) => Mark::Dropped,
        (Some(Tint::Value(a)), Some(Tint::Value(b))) if a != b => Mark::Changed,
        _ => Mark::Same,
    };
    let keep = |process: &Process| mark(process) != Mark::Same;
    let rows = world.rows(&BTreeSet::new(), if args.only_changes { Some(&keep) } else { None });
    let span = recorded.span_ms.max(1) as f32;
    let lines = rows.iter().filter_map(|row| {
        let (process, receipt) = (world.get(row.pid)?, recorded.row(row.pid)?);
        let arguments: Vec<&[u8]> = process.arguments().into_iter().skip(1).collect();
        let block = process.received.block();
        let value = name.and_then(|n| Some(masked_start(n.as_bytes(), block?.get(n.as_bytes())?, &prints, args.reveal, 512)));
        let before = world.parent(process).and_then(|p| p.received.block());
        let counts = before.zip(block).filter(|(a, b)| !a.is_same(b)).map(|(a, b)| Delta::between(a, b).counts());
        Some(Line {
            rails: row.rails,
            program: inert(&process.program).into_owned(),
            arguments: words(&masked_arguments(&arguments, &prints, args.reveal)),
            failure: receipt.failure(),
            is_unsure: receipt.certainty == Certainty::AsCalled,
            tint: Some(letter(row.pid).unwrap_or(Tint::Unknown)),
            mark: mark(process),
            value: value.map(|v| words(&v)).unwrap_or_default(),
            counts,
            life: Some(Life { from: receipt.at_ms as f32 / span, until: receipt.until_ms.map(|ms| ms as f32 / span) }),
            at: time(receipt.at_ms),
        })
    });
    let lines: Vec<Line> = lines.collect();
    let mut legend = Vec::new();
    if let Some(name) = name {
        let carriers = |tint: Tint| letters.iter().filter(|l| l.1 == tint).count();
        for (at, value) in tints.values().iter().enumerate() {
            let tint = Tint::Value(u32::try_from(at).unwrap_or(u32::MAX));
            let value = words(&masked_start(name.as_bytes(), value.as_bytes(), &prints, args.reveal, 512));
            legend.push(Legend {
                tint,
                count: carriers(tint),
                value: if value.is_empty() { "(empty)".to_owned() } else { value },
            });
        }
        legend.push(Legend { tint: Tint::Absent, count: carriers(Tint::Absent), value: String::new() });
    }
    Ok(Tree {
        of: Of::Programs,
        title,
        subtitle: format!("{count} programs received a block"),
        name: name.map(ToString::to_string),
        span: time(recorded.span_ms),
        lines,
        legend,
        notes,
    })
}

fn words(line: &[Part]) -> String {
    line.iter().map(|part| part.text.as_str()).collect()
}
