//! The trail of one variable along one route, as facts for sentences.

use bytes::Bytes;

use super::lack::{Lack, describes_the_account, is_interactive_file, lacks};
use super::{Forecast, Held, Reached, Route, Site, Survey};
use crate::shell::{Around, Skipped};

/// A stop on a trail.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Told<'a> {
    /// Nothing is started on this route.
    NeverStarted(&'static str, Option<&'a Site>),
    /// The first program on the route has it already.
    FromStart(&'a Held),
    /// A hop sets it; whether this is what decides in the end.
    Set {
        /// The hop, in words.
        hop: &'a str,
        /// The line that says so.
        site: Option<&'a Site>,
        /// The value.
        held: &'a Held,
        /// Whether nothing later decides otherwise.
        decides: bool,
        /// Of a shell's line: how it came to be run.
        around: &'a Around,
    },
    /// A probe saw it so; the line, where a shell told it.
    Seen(Option<&'a Site>, &'a Held),
    /// A probe saw that it does not arrive.
    SeenAbsent,
    /// A hop drops it.
    Dropped {
        /// The hop, in words.
        hop: &'a str,
        /// The line that says so.
        site: Option<&'a Site>,
        /// The hop's rule.
        why: Option<&'static str>,
    },
    /// The program at the end may never be started.
    MayEnd(&'static str, Option<&'a Site>),
    /// What arrives is unknown.
    Unknown(&'static str, Option<&'a Site>),
    /// What it would be by the rules that come with a program whose policy may not be read; `None` if it
    /// would not be set.
    Assumed(Option<&'a Held>),
    /// It is not set at the end.
    NotSet,
    /// The shell sets it in this line, but does not export it.
    NotExported(&'a Site),
    /// A line of a file that is read would set it, but is not reached.
    NotReached(&'a Skipped),
    /// A line that sets it is never read on this route; it reaches these. Whether only interactive shells
    /// read it.
    Elsewhere(&'a Site, Vec<&'a Route>, bool),
    /// What can be done about it.
    WayOut(&'static str),
    /// This name, which differs little, is set here.
    Near(&'a Bytes),
    /// The variable describes the account and does not change it.
    DescribesTheAccount,
}

impl Survey {
    /// Tells the story of a name along a route.
    pub fn story<'a>(&'a self, forecast: &'a Forecast, name: &'a [u8]) -> Vec<Told<'a>> {
        if let Reached::No(why, site) = &forecast.reached {
            return vec![Told::NeverStarted(why, site.as_ref())];
        }
        let mut out = Vec::new();
        let events: Vec<_> = forecast.trail(name).collect();
        for (at, event) in events.iter().enumerate() {
            let hop = forecast.hops.get(event.hop).map_or("the start", String::as_str);
            let site = event.site;
            let is_seen = at + 1 == events.len() && forecast.seen.contains(name);
            out.push(match event.held {
                Some(held) if is_seen => Told::Seen(site, held),
                None if is_seen => Told::SeenAbsent,
                Some(held) => Told::Set { hop, site, held, decides: at + 1 == events.len(), around: event.around },
                None => Told::Dropped { hop, site, why: event.why },
            });
        }
        match (forecast.get(name), &forecast.open) {
            (Some(variable), None) if out.is_empty() => out.push(Told::FromStart(&variable.held)),
            (variable, Some((why, site))) if variable.is_none_or(|v| matches!(v.held, Held::Unknown(_))) => {
                if let Some(Told::Set { decides, .. }) = out.last_mut() {
                    *decides = false;
                }
                out.push(Told::Unknown(why, site.as_ref()));
                if let Some(assumed) = &forecast.assumed {
                    out.push(Told::Assumed(assumed.get(name).map(|v| &v.held)));
                }
            }
            (None, None) => {
                out.push(Told::NotSet);
                let dropped = events.last().filter(|e| e.held.is_none());
                let by = dropped.and_then(|e| forecast.hops.get(e.hop)).map(String::as_str);
                out.extend(by.and_then(way_out).map(Told::WayOut));
                out.extend(lacks(name, forecast, &self.routes).into_iter().map(|lack| match lack {
                    Lack::NotExported(site) => Told::NotExported(site),
                    Lack::NotReached(skipped) => Told::NotReached(skipped),
                    Lack::Elsewhere(site, routes) => Told::Elsewhere(site, routes, is_interactive_file(&site.path)),
                    Lack::Near(near) => Told::Near(near),
                }));
            }
            _ => {}
        }
        out.extend(forecast.may_end.as_ref().map(|(why, site)| Told::MayEnd(why, site.as_ref())));
        if describes_the_account(name) {
            out.push(Told::DescribesTheAccount);
        }
        out
    }
}

/// What lets a name through a program that drops it.
fn way_out(hop: &str) -> Option<&'static str> {
    Some(match hop {
        "sudo" => {
            "to let it through: name it in env_keep of sudoers, or give NAME=VALUE on the command, if the rule allows it (SETENV)"
        }
        "su -" => "to let it through: su -w NAME -, or su without the dash, which keeps the caller's block",
        "sshd" => "to let it through: AcceptEnv in sshd's configuration, and SendEnv in the client's",
        "cron" => "to give it to a job: a line NAME = value above the job in its table",
        _ => return None,
    })
}
