//! A forecast with what a probe of its route saw: what was open is settled, and marked as seen.

use std::collections::{BTreeMap, BTreeSet};

use bytes::Bytes;
use imbl::OrdMap;

use super::events::Deed;
use super::survey::{files_of, summaries};
use super::{Forecast, Held, Reached, Route, Site, Survey, Variable};
use crate::host_view::HostView;
use crate::shell::trace::Cost;

/// Names that come and go with a probe itself.
pub const PASSING: &[&[u8]] = &[b"_", b"LINES", b"COLUMNS", b"SHLVL", b"JOURNAL_STREAM"];

/// What a probe of a route saw.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Probed {
    /// What arrived at its end.
    pub block: BTreeMap<Bytes, Bytes>,
    /// The line that decided each name, as far as a shell told it.
    pub origins: BTreeMap<Bytes, Site>,
    /// Names whose value was another at a second start.
    pub anew: BTreeSet<Bytes>,
    /// What starting each shell cost, in the order of the route.
    pub shells: Vec<(String, Vec<Cost>)>,
}

impl Forecast {
    /// Takes what a probe saw: what was unknown is known, names that did not arrive are not set, and what
    /// arrived otherwise than forecast is as it arrived. [`Forecast::seen`] tells which names that were.
    pub fn settle(&mut self, probed: &Probed) {
        if self.reached != Reached::Yes {
            return;
        }
        let names: BTreeSet<Bytes> = self.vars.keys().chain(probed.block.keys()).cloned().collect();
        for name in names.into_iter().filter(|n| !PASSING.contains(&&n[..])) {
            let forecast = self.vars.get(&name).map(|v| &v.held);
            let seen = match (probed.block.get(&name), forecast) {
                (Some(value), Some(Held::Known(known))) if known == value => continue,
                (_, Some(Held::PerRun)) | (None, None) => continue,
                (Some(_), _) if probed.anew.contains(&name) => Some(Held::PerRun),
                (Some(value), _) => Some(Held::Known(value.clone())),
                (None, _) => None,
            };
            self.see(&name, seen, probed.origins.get(&name).cloned());
        }
        self.open = None;
        self.assumed = None;
        self.costs.clone_from(&probed.shells);
    }

    fn see(&mut self, name: &Bytes, held: Option<Held>, site: Option<Site>) {
        let hop = self.hops.len().saturating_sub(1);
        self.events.push(Deed::new(hop, name.clone(), held.clone(), site.clone()));
        match held {
            Some(held) => self.vars.insert(name.clone(), Variable::new(held, site, Some(hop))),
            None => self.vars.remove(name),
        };
        self.seen.insert(name.clone());
    }
}

/// What is known of a route before it is probed; whether a later forecast is the same is told by it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Before {
    vars: OrdMap<Bytes, Variable>,
    open: Option<(&'static str, Option<Site>)>,
    read: Vec<Bytes>,
}

impl Survey {
    /// Returns what is known of a route.
    pub fn before(&self, route: &Route) -> Option<Before> {
        let (_, forecast) = self.routes.iter().find(|(r, _)| r == route)?;
        Some(Before { vars: forecast.vars.clone(), open: forecast.open.clone(), read: forecast.read.clone() })
    }

    /// Takes what a probe of a route saw.
    pub fn settle(&mut self, route: &Route, probed: &Probed, files: &dyn HostView) {
        for (_, forecast) in self.routes.iter_mut().filter(|(r, _)| r == route) {
            forecast.settle(probed);
        }
        self.files = files_of(&self.routes, files);
        self.names = summaries(&self.routes);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Block;

    #[test]
    fn what_was_open_is_as_it_was_seen() {
        let bytes = |text: &str| Bytes::copy_from_slice(text.as_bytes());
        let site = Site { path: bytes("/home/odile/.bashrc"), line: 21 };
        let mut forecast = Forecast::begin(&Block::from_vars([("PIER", "4"), ("BERTH", "old"), ("GONE", "1"), ("SHLVL", "1")]));
        forecast.hop("/bin/bash as a login shell");
        forecast.put(b"TIDE", Held::Unknown("a text is evaluated that is not known"), None);
        forecast.put(b"SOCKET", Held::PerRun, None);
        forecast.open = Some(("a text is evaluated that is not known", Some(site.clone())));
        let named = |names: &[(&str, &str)]| names.iter().map(|(n, v)| (bytes(n), bytes(v))).collect();
        let probed = Probed {
            block: named(&[
                ("PIER", "4"),
                ("BERTH", "new"),
                ("TIDE", "high"),
                ("SOCKET", "/tmp/2"),
                ("AGENT", "77"),
                ("SHLVL", "3"),
            ]),
            origins: [(bytes("TIDE"), site.clone()), (bytes("AGENT"), site.clone())].into(),
            anew: [bytes("AGENT")].into(),
            shells: Vec::new(),
        };
        forecast.settle(&probed);
        let known = |text: &str| Some(Held::Known(bytes(text)));
        let held = |name: &str| forecast.get(name.as_bytes()).map(|v| v.held.clone());
        for (name, expected, is_seen) in [
            ("PIER", known("4"), false),
            ("BERTH", known("new"), true),
            ("GONE", None, true),
            ("TIDE", known("high"), true),
            ("SOCKET", Some(Held::PerRun), false),
            ("AGENT", Some(Held::PerRun), true),
            ("SHLVL", known("1"), false),
        ] {
            assert_eq!((held(name), forecast.seen.contains(name.as_bytes())), (expected, is_seen), "{name}");
        }
        assert_eq!((forecast.open.clone(), forecast.get(b"TIDE").and_then(|v| v.site.clone())), (None, Some(site)));
    }
}
