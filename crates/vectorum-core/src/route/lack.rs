//! Why a route lacks a name.

use bytes::Bytes;

use super::{Forecast, Route, Site};
use crate::shell::Skipped;

/// A reason that was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Lack<'a> {
    /// The shell on this route sets it in this line, but does not export it.
    NotExported(&'a Site),
    /// A line of a startup file that is read would set it, but is not reached.
    NotReached(&'a Skipped),
    /// A line sets the name for these routes, and this one never reads it.
    Elsewhere(&'a Site, Vec<&'a Route>),
    /// This name is set here, which differs little.
    Near(&'a Bytes),
}

/// Looks for reasons why a forecast lacks a name: other routes' sources first, those of most routes
/// before others, then a name like it.
pub(super) fn lacks<'a>(name: &[u8], forecast: &'a Forecast, all: &'a [(Route, Forecast)]) -> Vec<Lack<'a>> {
    let mut out: Vec<Lack<'a>> =
        forecast.kept.iter().filter(|(kept, _)| kept == name).map(|(_, site)| Lack::NotExported(site)).collect();
    out.extend(forecast.skipped.iter().filter(|s| s.name == name).take(3).map(Lack::NotReached));
    let mut sites: Vec<(&Site, Vec<&Route>)> = Vec::new();
    for (route, other) in all {
        let Some(site) = other.get(name).and_then(|v| v.site.as_ref()) else { continue };
        // What this route does read, and drops or changes later, is told by its own events.
        if forecast.trail(name).any(|e| e.site == Some(site)) {
            continue;
        }
        match sites.iter_mut().find(|(s, _)| *s == site) {
            Some((_, routes)) => routes.push(route),
            None => sites.push((site, vec![route])),
        }
    }
    sites.sort_by_key(|(_, routes)| std::cmp::Reverse(routes.len()));
    out.extend(sites.into_iter().map(|(site, routes)| Lack::Elsewhere(site, routes)));
    out.extend(forecast.vars().map(|(other, _)| other).find(|other| is_near(name, other)).map(Lack::Near));
    out
}

/// Whether only interactive shells read a file.
pub(super) fn is_interactive_file(path: &[u8]) -> bool {
    let name = path.rsplit(|b| *b == b'/').next().unwrap_or(path);
    matches!(
        name,
        b".bashrc" | b"bash.bashrc" | b"bashrc" | b".zshrc" | b"zshrc" | b".kshrc" | b"ksh.kshrc" | b".mkshrc" | b"mkshrc"
    )
}

/// Whether a variable describes the account and, changed, leaves the process whose it is.
pub(super) fn describes_the_account(name: &[u8]) -> bool {
    matches!(name, b"USER" | b"LOGNAME" | b"HOME" | b"SHELL" | b"UID")
}

/// Whether two names differ in case, in one letter that is another, lacking or too many, or in two
/// that have changed places.
fn is_near(a: &[u8], b: &[u8]) -> bool {
    if a == b || a.len() < 4 {
        return false;
    }
    if a.eq_ignore_ascii_case(b) {
        return true;
    }
    let (short, long) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    let start = short.iter().zip(long).take_while(|(x, y)| x == y).count();
    let end = |cut: usize| short.get(start + cut..) == long.get(start + 1..);
    let swapped = |at: usize| a.get(at) == b.get(at + 1) && a.get(at + 1) == b.get(at) && a.get(at + 2..) == b.get(at + 2..);
    match long.len() - short.len() {
        0 => end(1) || swapped(start),
        1 => end(0),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::is_near;

    #[test]
    fn names_that_are_near() {
        for (a, b, near) in [
            ("BERTH_URL", "BERTH_UR", true),
            ("BERTH_URL", "BERTH_URLS", true),
            ("BERTH_URL", "BERTH_URI", true),
            ("BERTH_URL", "berth_url", true),
            ("BERTH_URL", "BERTH_RUL", true),
            ("BERTH_URL", "BERTH_URL", false),
            ("BERTH_URL", "BIRTH_ARL", false),
            ("BERTH_URL", "BERTH", false),
            ("A", "B", false),
        ] {
            assert_eq!(is_near(a.as_bytes(), b.as_bytes()), near, "{a} {b}");
        }
    }
}
