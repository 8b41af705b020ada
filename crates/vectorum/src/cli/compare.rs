//! `compare`: two blocks.

use vectorum_core::{Delta, Difference, ListChange, ListDelta};
use vectorum_host::Peek;

use super::output::Sight;
use super::selector::{FORMS, Selector};
use super::{Answer, Failure, json, output};

/// Compare two blocks, lists item by item
///
/// Exit status 0 if they hold the same, 1 if not. The order of entries is no difference.
#[derive(Debug, clap::Args)]
#[command(after_help = format!("A block is {FORMS}."))]
pub(crate) struct Args {
    /// The first block
    a: String,

    /// The second block
    b: String,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,

    /// One JSON document
    #[arg(long)]
    json: bool,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let (a, b) = (Selector::parse(&args.a)?, Selector::parse(&args.b)?);
    if a == Selector::Input && b == Selector::Input {
        return Err(Failure::usage("standard input can be only one of the two blocks"));
    }
    let (a, b) = (a.read(Peek::Allowed)?, b.read(Peek::Allowed)?);
    for keeper in [&a.keeper, &b.keeper].into_iter().flatten() {
        output::note(&keeper.words());
    }
    let delta = Delta::between(&a.block, &b.block);
    if args.json {
        let mut document = serde_json::Map::new();
        document.insert("a".to_owned(), a.label.into());
        document.insert("b".to_owned(), b.label.into());
        let masked = json::Masked { a: a.masked.clone(), b: b.masked.clone() };
        document.extend(json::delta(&delta, &masked));
        output::note_secrets(&[&a.block, &b.block], |name| delta.names.contains_key(name));
        json::print(document)?;
    } else {
        let sight = match Sight::of_terminal(args.reveal)? {
            Some(sight) => sight,
            None => {
                output::note_secrets(&[&a.block, &b.block], |name| delta.names.contains_key(name));
                Sight::plain(true, false)?
            }
        };
        output::print(text(&delta, &sight, &a.label, &b.label).as_bytes())?;
    }
    Ok(u8::from(!delta.is_empty()))
}

/// Returns the differences as text: `-` only in the first, `+` only in the second, `~` in both.
pub(crate) fn text(delta: &Delta, sight: &Sight, a: &str, b: &str) -> String {
    if delta.is_empty() {
        return format!("{a} and {b} hold the same\n");
    }
    let mut out = format!("- only {a}, + only {b}, ~ different\n");
    for (name, difference) in &delta.names {
        let bytes = name.as_bytes();
        let shown = |v: &vectorum_core::Value| sight.value(bytes, v.as_bytes());
        match difference {
            Difference::Dropped(value) => out.push_str(&format!("- {}={}\n", sight.name(bytes), shown(value))),
            Difference::Born(value) => out.push_str(&format!("+ {}={}\n", sight.name(bytes), shown(value))),
            Difference::Changed { before, after } => {
                out.push_str(&format!("~ {}\n", sight.name(bytes)));
                match ListDelta::between(bytes, before.as_bytes(), after.as_bytes()) {
                    Some(list) => out.push_str(&list_text(bytes, &list, sight)),
                    None => out.push_str(&format!("    - {}\n    + {}\n", shown(before), shown(after))),
                }
            }
        }
    }
    for entry in &delta.hidden_before {
        out.push_str(&format!("- {}   (an entry that no name leads to)\n", sight.entry(entry)));
    }
    for entry in &delta.hidden_after {
        out.push_str(&format!("+ {}   (an entry that no name leads to)\n", sight.entry(entry)));
    }
    out
}

/// Returns the items of two lists side by side.
pub(crate) fn list_text(name: &[u8], list: &ListDelta, sight: &Sight) -> String {
    let mut out = String::new();
    for row in &list.rows {
        let item = if row.item.is_empty() { "(empty item)".to_owned() } else { sight.value(name, &row.item) };
        let place = |at: Option<usize>| at.map_or(String::new(), |at| (at + 1).to_string());
        out.push_str(&match row.change {
            ListChange::Kept => format!("      {item}\n"),
            ListChange::Added => format!("    + {item}\n"),
            ListChange::Removed => format!("    - {item}\n"),
            ListChange::Moved => format!("    ~ {item}   (moved from {} to {})\n", place(row.left), place(row.right)),
        });
    }
    out
}
