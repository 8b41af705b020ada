//! `receipts`: what a recording holds.

use std::ffi::OsString;
use std::fs::File;
use std::io::BufReader;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;

use serde_json::{Map, Value as Json, json};
use vectorum_core::{Delta, Difference, Exit, Name, Receipt, Tint, Tints, inert};
use vectorum_trace::{Recording, Values};

use super::failure::quoted;
use super::{Answer, Failure, json as schema, output};

/// List the receipts of a recording
///
/// With --name, each line shows that variable's value, the letter of its tint, and what became of
/// it on the way from the program before: + born, ± changed, × dropped.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The recording
    file: PathBuf,

    /// Only show this variable
    #[arg(long, value_name = "NAME")]
    name: Option<OsString>,

    /// Show what looks secret, if the recording holds it
    #[arg(long)]
    reveal: bool,

    /// One JSON document, each receipt with its whole block
    #[arg(long)]
    json: bool,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let shown = inert(args.file.as_os_str().as_bytes()).into_owned();
    let file = File::open(&args.file).map_err(|e| Failure::io(&shown, &e))?;
    let recording = Recording::read(BufReader::new(file)).map_err(|e| Failure::recording(&args.file, &e))?;
    let name = match &args.name {
        Some(name) => {
            let bytes = name.as_bytes();
            Some(Name::new(bytes.to_vec()).ok_or_else(|| Failure::usage(format!("{} is no name", quoted(bytes))))?)
        }
        None => None,
    };
    for note in &recording.notes {
        output::note(&format!("note: {}", inert(note.as_bytes())));
    }
    if !recording.is_complete {
        output::note("note: the recording is not complete: programs below the command may still be running");
    }
    if args.json {
        return print_json(&recording, name.as_ref());
    }
    print_text(args, &recording, name.as_ref())
}

fn print_json(recording: &Recording, name: Option<&Name>) -> Answer {
    let takes = |n: &[u8]| name.is_none_or(|name| name.as_bytes() == n);
    let all = recording.receipts.iter().map(|receipt| {
        let mut out = Map::new();
        out.insert("seq".to_owned(), receipt.seq.into());
        out.insert("pid".to_owned(), receipt.pid.into());
        out.insert("ppid".to_owned(), receipt.ppid.into());
        out.insert("at_ms".to_owned(), receipt.at_ms.into());
        out.insert("exe".to_owned(), schema::bytes(&receipt.exe));
        out.insert("path".to_owned(), schema::bytes(&receipt.path));
        out.insert("argv".to_owned(), receipt.arguments().into_iter().map(schema::bytes).collect());
        let exit = match receipt.exit {
            None => Json::Null,
            Some(Exit::Status(status)) => json!({ "status": status }),
            Some(Exit::Signal(signal)) => json!({ "signal": signal }),
        };
        out.insert("exit".to_owned(), exit);
        out.insert("certainty".to_owned(), receipt.certainty.word().into());
        let value =
            |n: &Name, v: &[u8]| receipt.masked.get(n).map_or_else(|| schema::bytes(v), |print| json!({ "masked": print }));
        let vars = receipt.block.vars().filter(|(n, _)| takes(n.as_bytes()));
        let named = |n: &Name| std::str::from_utf8(n.as_bytes()).ok().map(str::to_owned);
        let vars: Map<String, Json> = vars.filter_map(|(n, v)| Some((named(&n)?, value(&n, v.as_bytes())))).collect();
        out.insert("vars".to_owned(), vars.into());
        if !receipt.block.is_plain() {
            let entry = |e: vectorum_core::Entry<'_>| {
                let masked = e.name().and_then(|n| receipt.masked.get_key_value(n));
                masked.map_or_else(
                    || schema::bytes(e.raw()),
                    |(n, print)| json!({ "name": schema::bytes(n.as_bytes()), "masked": print }),
                )
            };
            let raw: Vec<Json> = receipt.block.entries().filter(|e| e.name().map_or(name.is_none(), takes)).map(entry).collect();
            out.insert("raw".to_owned(), raw.into());
        }
        let before = receipt.origin.and_then(|seq| recording.get(seq));
        out.insert("delta".to_owned(), before.map_or(Json::Null, |b| delta(b, receipt, &takes)));
        Json::Object(out)
    });
    let mut document = Map::new();
    document.insert("receipts".to_owned(), all.collect());
    document.insert("complete".to_owned(), recording.is_complete.into());
    document.insert("notes".to_owned(), recording.notes.clone().into());
    if recording.head.values == Values::Kept {
        let blocks: Vec<_> = recording.receipts.iter().map(|r| &r.block).collect();
        output::note_secrets(&blocks, takes);
    }
    schema::print(document).map(|()| 0)
}

fn delta(before: &Receipt, after: &Receipt, takes: &dyn Fn(&[u8]) -> bool) -> Json {
    let (mut born, mut changed, mut dropped) = (Map::new(), Map::new(), Map::new());
    let value = |receipt: &Receipt, n: &Name, v: &vectorum_core::Value| {
        receipt.masked.get(n).map_or_else(|| schema::bytes(v.as_bytes()), |print| json!({ "masked": print }))
    };
    for (name, difference) in Delta::between(&before.block, &after.block).names.iter().filter(|(n, _)| takes(n.as_bytes())) {
        let key = String::from_utf8_lossy(name.as_bytes()).into_owned();
        match difference {
            Difference::Born(new) => born.insert(key, value(after, name, new)),
            Difference::Dropped(old) => dropped.insert(key, value(before, name, old)),
            Difference::Changed { before: old, after: new } => {
                changed.insert(key, json!({ "before": value(before, name, old), "after": value(after, name, new) }))
            }
        };
    }
    json!({ "born": born, "changed": changed, "dropped": dropped })
}

fn print_text(args: &Args, recording: &Recording, name: Option<&Name>) -> Answer {
    let sight = match output::Sight::of_terminal(args.reveal)? {
        Some(sight) => sight,
        None => output::Sight::plain(args.reveal, false)?,
    };
    let mut tints = Tints::default();
    let mut out = format!("{:>5} {:>8} {:>7} {:>6}  program\n", "seq", "ms", "pid", "exit");
    for receipt in &recording.receipts {
        let exit = match receipt.exit {
            None => "?".to_owned(),
            Some(Exit::Status(status)) => status.to_string(),
            Some(Exit::Signal(signal)) => format!("sig {signal}"),
        };
        let unsure = if receipt.certainty == vectorum_core::Certainty::AsCalled { " (as called)" } else { "" };
        let command = sight.arguments(&receipt.arguments());
        out.push_str(&format!("{:>5} {:>8} {:>7} {exit:>6}  {command}{unsure}\n", receipt.seq, receipt.at_ms, receipt.pid));
        let before = receipt.origin.and_then(|seq| recording.get(seq));
        match name {
            Some(name) => {
                let (old, new) = (before.map(|b| b.block.get(name.as_bytes())), receipt.block.value(name.as_bytes()));
                let mark = match (old, &new) {
                    (Some(None), Some(_)) => "+",
                    (Some(Some(_)), None) => "×",
                    (Some(Some(a)), Some(b)) if a != b.as_bytes() => "±",
                    _ => " ",
                };
                let tint = new.as_ref().map_or(Tint::Absent, |v| tints.of(v));
                let value = new.map(|v| sight.value(name.as_bytes(), v.as_bytes())).unwrap_or_default();
                out.push_str(&format!("{:>28} {mark} {tint:<2} {value}\n", ""));
            }
            None => {
                let Some(before) = before else { continue };
                for (name, difference) in &Delta::between(&before.block, &receipt.block).names {
                    let value = |v: &vectorum_core::Value| sight.value(name.as_bytes(), v.as_bytes());
                    out.push_str(&match difference {
                        Difference::Born(v) => format!("{:>30} + {name}={}\n", "", value(v)),
                        Difference::Dropped(_) => format!("{:>30} × {name}\n", ""),
                        Difference::Changed { before, after } => {
                            format!("{:>30} ± {name}: {} → {}\n", "", value(before), value(after))
                        }
                    });
                }
            }
        }
    }
    output::print(out.as_bytes()).map(|()| 0)
}
