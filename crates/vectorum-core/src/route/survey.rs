//! What one look at a host gives: the forecasts of all its routes, and the files that decided.

use std::collections::{BTreeMap, HashMap};

use bytes::Bytes;
use imbl::OrdMap;
use imbl::ordmap::DiffItem;

use super::events::Seen;
use super::flow::{Branch, tree};
use super::{Account, Flavour, Follower, Forecast, Ground, Held, Reached, Route, Site};
use crate::block::{Block, Name, Value};
use crate::host_view::{Content, HostView};
use crate::select::Selection;
use crate::tint::{Tint, Tints};
use crate::world::{NameSummary, facts};

/// What the first programs on the routes are started with.
#[derive(Clone, Debug, Default)]
pub struct Starts {
    /// What process 1 received, where that is known.
    pub first: Option<Block>,
    /// The name of its program.
    pub program: String,
}

impl Starts {
    /// Returns the block with which a route begins.
    pub fn of(&self, route: &Route) -> Block {
        if route.begins_at_process_one() {
            // What process 1 received reaches a service only where its unit asks for it.
            self.first.clone().unwrap_or(Block::empty())
        } else {
            // What a terminal is opened with.
            Block::from_vars([("TERM", "linux")])
        }
    }
}

/// All routes of a host for an account, forecast from one state of its files.
#[derive(Clone, Debug)]
pub struct Survey {
    /// The routes in the order in which people would list them.
    pub routes: Vec<(Route, Forecast)>,
    /// What the host's distribution is.
    pub flavour: Flavour,
    pub(super) starts: Starts,
    pub(super) branches: Vec<Branch>,
    /// The files that hold a site.
    pub(super) files: HashMap<Bytes, Bytes>,
    pub(super) names: Vec<NameSummary>,
}

/// A name on all routes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReachRow {
    /// The name.
    pub name: Name,
    /// The tint of its value on each route, in the order of [`Survey::routes`].
    pub tints: Vec<Tint>,
    /// The values by their letters.
    pub values: Vec<Value>,
    /// How many routes lack it.
    pub lacking: usize,
}

/// A name with a certain value, or from a certain line, and the routes on which that is so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Bearer {
    /// The name.
    pub name: Bytes,
    /// The value.
    pub value: Bytes,
    /// The line that decided it on the first of the routes.
    pub site: Option<Site>,
    /// The routes, by their places in [`Survey::routes`].
    pub routes: Vec<usize>,
}

impl Survey {
    /// Follows all routes that a host has for an account.
    pub fn of(ground: &Ground<'_>, account: &Account, starts: Starts) -> Survey {
        let all = Route::all(ground, account);
        let found = Follower::default().all(&all, ground, account, |route| starts.of(route));
        let routes: Vec<(Route, Forecast)> = all.into_iter().zip(found).collect();
        let files = files_of(&routes, ground.files);
        let branches = tree(&routes, &starts.program);
        let names = summaries(&routes);
        Survey { routes, flavour: Flavour::of(ground.files), starts, branches, files, names }
    }

    /// Returns every name that some route knows, with what the names column says of it.
    pub fn names(&self) -> &[NameSummary] {
        &self.names
    }

    /// Returns a line of a file that decided something.
    pub fn line(&self, path: &[u8], line: usize) -> Option<&[u8]> {
        let file = self.files.get(path)?;
        let at = line.checked_sub(1)?;
        // What follows the last line feed is no line.
        let text = file.strip_suffix(b"\n").unwrap_or(file);
        text.split(|b| *b == b'\n').nth(at)
    }

    /// Returns the tint of a name on a route.
    pub fn tint(&self, route: usize, name: &[u8], tints: &mut Tints) -> Tint {
        self.routes.get(route).map_or(Tint::Unknown, |(_, forecast)| forecast.tint(name, tints))
    }

    /// Returns names by routes, those that differ most first: by the number of their values, then by
    /// whether some route lacks them.
    pub fn reach(&self, only: &Selection) -> Vec<ReachRow> {
        let mut rows: Vec<ReachRow> = Vec::new();
        for summary in self.names.iter().filter(|n| only.takes(n.name.as_bytes())) {
            let mut known = Tints::default();
            let name = summary.name.clone();
            let tints: Vec<Tint> = self.routes.iter().map(|(_, f)| f.tint(name.as_bytes(), &mut known)).collect();
            let lacking = tints.iter().filter(|t| **t == Tint::Absent).count();
            rows.push(ReachRow { name, tints, values: known.values().to_vec(), lacking });
        }
        rows.sort_by_key(|row| {
            (std::cmp::Reverse(row.values.len()), std::cmp::Reverse(row.lacking.min(1)), row.name.as_bytes().to_vec())
        });
        rows
    }

    /// Returns where a text is a value, or a part of one: whole values first.
    pub fn holding(&self, text: &[u8]) -> Vec<Bearer> {
        let mut found = self.bearers(|_, variable, value| {
            let _ = variable;
            !text.is_empty() && memchr::memmem::find(value, text).is_some()
        });
        found.sort_by_key(|b| (b.value != text, b.name.clone(), b.value.clone()));
        found
    }

    /// Returns what a file decides, or one line of it.
    pub fn decided_by(&self, path: &[u8], line: Option<usize>) -> Vec<Bearer> {
        let is_it = |site: &Site| site.path == path && line.is_none_or(|l| l == site.line);
        let mut found = self.bearers(|_, variable, _| variable.site.as_ref().is_some_and(is_it));
        found.sort_by_key(|b| (b.site.as_ref().map(|s| s.line), b.name.clone()));
        found
    }

    /// Returns the files that decide something, in the order of their paths.
    pub fn deciding_files(&self) -> Vec<Bytes> {
        let mut paths: Vec<Bytes> = self.files.keys().cloned().collect();
        paths.sort();
        paths
    }

    fn bearers(&self, is_one: impl Fn(&Bytes, &super::Variable, &[u8]) -> bool) -> Vec<Bearer> {
        let mut found: BTreeMap<(Bytes, Bytes), Bearer> = BTreeMap::new();
        for (at, (_, forecast)) in self.routes.iter().enumerate().filter(|(_, (_, f))| f.reached == Reached::Yes) {
            for (name, variable) in forecast.vars() {
                let Held::Known(value) = &variable.held else { continue };
                if is_one(name, variable, value) {
                    let new =
                        || Bearer { name: name.clone(), value: value.clone(), site: variable.site.clone(), routes: Vec::new() };
                    found.entry((name.clone(), value.clone())).or_insert_with(new).routes.push(at);
                }
            }
        }
        found.into_values().collect()
    }
}

/// Reads the files that hold a site.
pub(super) fn files_of(routes: &[(Route, Forecast)], host: &dyn HostView) -> HashMap<Bytes, Bytes> {
    let mut seen = Seen::default();
    for (_, forecast) in routes {
        let opened = forecast.open.iter().filter_map(|(_, site)| site.as_ref());
        let others = forecast.kept.iter().map(|(_, site)| site).chain(forecast.skipped.iter().map(|s| &s.site));
        opened.chain(others).for_each(|site| seen.put(&site.path));
        forecast.events.paths(&mut seen);
    }
    let read = |path: Bytes| match host.read(&path) {
        Content::Bytes(content) => Some((path, content)),
        _ => None,
    };
    seen.paths.into_iter().filter_map(read).collect()
}

/// Names that a shell keeps for itself: that they are not exported is as it should be.
const OWN_TO_SHELLS: &[&[u8]] = &[
    b"PS1",
    b"PS2",
    b"PS3",
    b"PS4",
    b"PROMPT",
    b"RPROMPT",
    b"RPS1",
    b"PROMPT_COMMAND",
    b"IFS",
    b"HISTFILE",
    b"HISTSIZE",
    b"HISTFILESIZE",
    b"HISTCONTROL",
    b"HISTIGNORE",
    b"HISTTIMEFORMAT",
    b"SAVEHIST",
    b"WORDCHARS",
    b"KEYTIMEOUT",
    b"FPATH",
    b"CDPATH",
    b"MAILCHECK",
    b"OPTIND",
    b"OPTERR",
    b"REPLY",
    b"TMOUT",
    b"FIGNORE",
    b"GLOBIGNORE",
    b"IGNOREEOF",
    b"FCEDIT",
    b"COMPREPLY",
];

pub(super) fn summaries(routes: &[(Route, Forecast)]) -> Vec<NameSummary> {
    let mut values: HashMap<&Bytes, (bool, Vec<&Bytes>)> = HashMap::new();
    let nothing = OrdMap::new();
    let blocks = || routes.iter().map(|(_, f)| &f.vars);
    // What one route shares with the one before it was looked at there.
    let new = std::iter::once(&nothing).chain(blocks()).zip(blocks()).flat_map(|(before, after)| before.diff(after));
    let new = new.filter_map(|item| match item {
        DiffItem::Add(name, variable) | DiffItem::Update { new: (name, variable), .. } => Some((name, variable)),
        DiffItem::Remove(..) => None,
    });
    for (name, variable) in new {
        let (is_there, known) = values.entry(name).or_default();
        *is_there |= !matches!(variable.held, Held::Unknown(_)) || variable.site.is_some();
        if let Held::Known(value) = &variable.held
            && !known.contains(&value)
        {
            known.push(value);
        }
    }
    // What is only set in a shell is looked for, too: somebody may believe that it is handed on.
    for (name, _) in routes.iter().flat_map(|(_, f)| &f.kept) {
        let looks_meant = name.first().is_some_and(u8::is_ascii_uppercase) && !OWN_TO_SHELLS.contains(&&name[..]);
        if looks_meant {
            values.entry(name).or_default().0 = true;
        }
    }
    // A name of which nothing is known on any route is no help to anybody.
    let values = values.into_iter().filter(|(_, (is_there, _))| *is_there).map(|(name, (_, known))| (name, known));
    let summary = |(name, values): (&Bytes, Vec<&Bytes>)| {
        let name = Name::new(name.clone())?;
        let facts: Vec<_> = values.iter().filter_map(|v| Value::new((*v).clone())).map(|v| facts(&name, &v)).collect();
        Some(NameSummary {
            values: values.len(),
            is_list: facts.iter().any(|f| f.is_list),
            is_secret: facts.iter().any(|f| f.is_secret),
            is_troubled: facts.iter().any(|f| f.is_troubled),
            name,
        })
    };
    let mut summaries: Vec<NameSummary> = values.filter_map(summary).collect();
    summaries.sort_unstable_by(|a, b| a.name.as_bytes().cmp(b.name.as_bytes()));
    summaries
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::host_view::MemoryTree;

    fn survey(files: &[(&'static str, &'static str)]) -> Survey {
        let mut tree = MemoryTree::default().with_programs("/usr/bin", ["tide-now"]);
        for (path, text) in files {
            tree.file(path, *text, false);
        }
        let accounts = Account::made_up("/bin/bash");
        let starts = Starts { first: None, program: "systemd".to_owned() };
        Survey::of(&Ground::new(&tree, &accounts), &accounts[1], starts)
    }

    const FILES: &[(&str, &str)] = &[
        ("/etc/profile", "export PIER=4\n. /etc/quay\n"),
        ("/etc/quay", "tide-now && . /etc/tide\n"),
        ("/etc/tide", "export TIDE=high\n"),
        ("/etc/unread", "export GATE=7\n"),
        ("/home/odile/.profile", "GATE_KEY=8\nif [ -d /etc ]; then . ~/.lanes; fi\n"),
        ("/home/odile/.lanes", "LANES=3; unset PIER; export LANES=4\n"),
    ];

    /// What is looked at once for all routes is what looking at each of them gives.
    #[test]
    fn files_and_names_are_those_of_all_routes() {
        let survey = survey(FILES);
        let mut files = BTreeSet::new();
        for (_, forecast) in &survey.routes {
            let around = forecast.events.all().flat_map(|event| event.around.sites());
            let sites = forecast.events.all().filter_map(|event| event.site).chain(around);
            let kept = forecast.kept.iter().map(|(_, site)| site).chain(forecast.skipped.iter().map(|s| &s.site));
            files.extend(sites.chain(kept).map(|site| site.path.clone()));
        }
        files.retain(|path| FILES.iter().any(|(known, _)| known.as_bytes() == path));
        assert_eq!(survey.deciding_files(), files.into_iter().collect::<Vec<_>>());
        for path in ["/etc/quay", "/etc/tide", "/home/odile/.profile", "/home/odile/.lanes"] {
            assert!(survey.files.contains_key(path.as_bytes()), "{path} decides, or runs what decides");
        }
        assert!(!survey.files.contains_key(&b"/etc/unread"[..]));

        for summary in survey.names() {
            let of = |forecast: &Forecast| match forecast.get(summary.name.as_bytes()).map(|v| v.held.clone()) {
                Some(Held::Known(value)) => Some(value),
                _ => None,
            };
            let values: BTreeSet<Bytes> = survey.routes.iter().filter_map(|(_, forecast)| of(forecast)).collect();
            assert_eq!(summary.values, values.len(), "{:?}", summary.name);
        }
        let named = |name: &str| survey.names().iter().any(|summary| summary.name.as_bytes() == name.as_bytes());
        // One that is only set in a shell is looked for, too.
        assert!(["PIER", "TIDE", "LANES", "GATE_KEY"].iter().all(|name| named(name)) && !named("GATE"));
        assert!(survey.names().is_sorted_by(|a, b| a.name.as_bytes() < b.name.as_bytes()));
    }
}
