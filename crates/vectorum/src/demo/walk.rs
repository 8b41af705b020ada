//! The walk through the demo's findings, in plain text.

use vectorum_core::{Delta, Difference, Limits, ListDelta, Process, Tints, Trouble, findings, inert};

use super::Pier;
use crate::cli::{Failure, Sight, compare_list, print as print_out};

/// Prints the walk.
pub(crate) fn print(pier: &Pier) -> Result<u8, Failure> {
    print_out(text(pier)?.as_bytes())?;
    Ok(0)
}

fn text(pier: &Pier) -> Result<String, Failure> {
    let sight = Sight::plain(false, false)?;
    let world = &pier.world;
    let named = |p: &Process| format!("{} ({})", inert(&p.program), p.id.pid);
    let mut out = format!(
        "{}, seen as {}: {} processes, {} names, {} distinct blocks. A made-up host with troubles to find.\n\n",
        pier.host,
        pier.account,
        world.len(),
        world.names().len(),
        world.distinct_blocks()
    );

    out.push_str(&format!("Pick a name, and the world is painted by its value. {}:\n", pier.choose));
    let mut tints = Tints::default();
    for row in world.rows(&std::collections::BTreeSet::new(), None) {
        let tint = world.tint(row.pid, pier.choose.as_bytes(), &mut tints);
        let Some(process) =
            world.get(row.pid).filter(|p| p.received.block().is_some_and(|b| b.get(pier.choose.as_bytes()).is_some()))
        else {
            continue;
        };
        out.push_str(&format!("  {tint}  {}\n", named(process)));
    }
    for (index, value) in tints.values().iter().enumerate() {
        let tint = vectorum_core::Tint::Value(u32::try_from(index).unwrap_or(u32::MAX));
        out.push_str(&format!("  {tint} = {}\n", sight.value(pier.choose.as_bytes(), value.as_bytes())));
    }

    out.push_str("\nWhat looks wrong:\n");
    for (number, finding) in findings(world, &Limits::default()).iter().enumerate() {
        let Some(process) = world.get(finding.pid) else { continue };
        out.push_str(&format!(
            "\n{}. {} {}\n   {}: {}\n",
            number + 1,
            finding.name,
            finding.trouble.words(),
            "at",
            named(process)
        ));
        let delta = world.parent(process).and_then(|p| Some(Delta::between(p.received.block()?, process.received.block()?)));
        let name = finding.name.as_bytes();
        match (&finding.trouble, delta.as_ref().and_then(|d| d.names.get(name))) {
            (Trouble::ListOverwritten { .. }, Some(Difference::Changed { before, after })) => {
                if let Some(list) = ListDelta::between(name, before.as_bytes(), after.as_bytes()) {
                    out.push_str(&compare_list(name, &list, &sight));
                }
            }
            (_, Some(Difference::Changed { before, after })) => {
                out.push_str(&format!(
                    "     the parent has {}\n     here it is     {}\n",
                    sight.value(name, before.as_bytes()),
                    sight.value(name, after.as_bytes())
                ));
            }
            (_, Some(Difference::Dropped(value))) => {
                out.push_str(&format!("     the parent has {}\n", sight.value(name, value.as_bytes())));
            }
            _ => {
                if let Some(value) = process.received.block().and_then(|b| b.get(name)) {
                    out.push_str(&format!("     {}\n", sight.value(name, value)));
                }
            }
        }
        out.push_str(&format!("   What to do: {}.\n", finding.trouble.way_out()));
    }
    let silent: Vec<_> = world.processes().filter_map(|p| Some((named(p), p.received.why_not()?))).collect();
    out.push_str("\nNot every block can be read, and then it is said why:\n");
    for (who, why) in silent.iter().filter(|(_, why)| !why.contains("kernel")) {
        out.push_str(&format!("  {who}: {why}\n"));
    }
    out.push_str("\nIn a terminal, `vectorum demo` opens the same host on the full screen.\n");
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_walk_tells_all_and_gives_no_secret_away() {
        let text = text(&Pier::load().unwrap_or_else(|f| panic!("{f}"))).unwrap_or_else(|f| panic!("{f}"));
        for expected in [
            "BERTH_LOG_DIR is missing here",
            "PATH was overwritten",
            "BERTH_DB_URL is an older value",
            "‹ESC›]0;",
            "TICKET_KEY looks secret",
            "has written over its start block",
        ] {
            assert!(text.contains(expected), "{expected} is not in\n{text}");
        }
        for secret in ["sandpiper", "turnstone", "oystercatcher", "mGZ4kq7T"] {
            assert!(!text.contains(secret), "{secret} shows");
        }
        assert!(!text.contains('\x1b'));
    }
}
