//! `why` and `reach`: the story of a variable, and what it is on every route.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;

use serde_json::{Map, Value as Json, json};
use vectorum_core::route::{Forecast, Held, Lack, Reached, Route, describes_the_account, lacks};
use vectorum_core::{Name, Tint, Tints, Value, inert};

use super::failure::quoted;
use super::forecast::{place, route};
use super::routes::{AskArgs, Host};
use super::{Answer, Failure, args, json as schema, output};

/// Tell where a variable comes from on a route, or why it is lacking there
///
/// Without --route, tells it for every route.
#[derive(Debug, clap::Args)]
pub(crate) struct WhyArgs {
    /// The variable
    name: OsString,

    /// Only on this route
    #[arg(long, value_name = "ROUTE")]
    route: Option<String>,

    #[command(flatten)]
    ask: AskArgs,
}

/// Runs `why`.
pub(crate) fn why(typed: &WhyArgs) -> Answer {
    let name = typed.name.as_bytes();
    let name = Name::new(name.to_vec()).ok_or_else(|| Failure::usage(format!("{} is no name", quoted(name))))?;
    let host = Host::open(&typed.ask.host)?;
    let all: Vec<(Route, Forecast)> = host.all();
    let chosen = match &typed.route {
        Some(text) => {
            let route = route(text)?;
            vec![(route.clone(), host.forecast(&route, None))]
        }
        None => all.clone(),
    };
    let sight = output::Sight::plain(typed.ask.reveal, false)?;
    let mut is_set = false;
    let mut told: Vec<(String, Vec<String>)> = Vec::new();
    for (route, forecast) in &chosen {
        is_set |= forecast.get(name.as_bytes()).is_some();
        told.push((route.to_string(), story(&name, forecast, &all, &sight)));
    }
    if typed.ask.json {
        let mut fields = Map::new();
        fields.insert("name".to_owned(), schema::bytes(name.as_bytes()));
        fields.insert("routes".to_owned(), told.iter().map(|(route, story)| json!({ "route": route, "trail": story })).collect());
        schema::print(fields)?;
    } else {
        // Routes of one story are told together.
        let mut out = String::new();
        let mut done: Vec<&Vec<String>> = Vec::new();
        for (_, story) in &told {
            if done.contains(&story) {
                continue;
            }
            done.push(story);
            let routes: Vec<&str> = told.iter().filter(|(_, s)| s == story).map(|(r, _)| r.as_str()).collect();
            out.push_str(&some(&routes, 6));
            out.push('\n');
            for line in story {
                out.push_str(&format!("  {line}\n"));
            }
        }
        output::print(out.as_bytes())?;
    }
    Ok(u8::from(!is_set))
}

/// The trail of a name in sentences.
fn story(name: &Name, forecast: &Forecast, all: &[(Route, Forecast)], sight: &output::Sight) -> Vec<String> {
    let mut out = Vec::new();
    if let Reached::No(why, site) = &forecast.reached {
        let place = site.as_ref().map(|s| format!(" ({})", place(s))).unwrap_or_default();
        out.push(format!("nothing is started on this route: {why}{place}"));
        return out;
    }
    let value = |held: &Held| match held {
        Held::Known(value) => sight.value(name.as_bytes(), value),
        Held::PerRun => "a value made anew at each start".to_owned(),
        Held::Unknown(why) => format!("unknown: {why}"),
    };
    let key: &[u8] = name.as_bytes();
    for event in forecast.trail(key) {
        let hop = forecast.hops.get(event.hop).map_or("the start", String::as_str);
        let at = event.site.as_ref().map(|s| format!(", {}", place(s))).unwrap_or_default();
        out.push(match (&event.held, event.why) {
            (Some(held), _) => format!("{hop}{at}: {}", value(held)),
            (None, Some(why)) => format!("{hop}{at}: dropped; {why}"),
            (None, None) => format!("{hop}{at}: dropped"),
        });
    }
    match (forecast.get(key), &forecast.open) {
        (Some(variable), None) if out.is_empty() => out.push(format!("from the start: {}", value(&variable.held))),
        (variable, Some((why, site))) if variable.is_none_or(|v| matches!(v.held, Held::Unknown(_))) => {
            let place = site.as_ref().map(|s| format!(" ({})", inert(&s.path))).unwrap_or_default();
            out.push(format!("what arrives is unknown: {why}{place}"));
        }
        (None, None) => out.extend(lacking(name, forecast, all)),
        _ => {}
    }
    if describes_the_account(key) {
        out.push("it describes the account and does not change it: the process stays whose it is".to_owned());
    }
    out
}

/// Says why a route lacks a name.
fn lacking(name: &Name, forecast: &Forecast, all: &[(Route, Forecast)]) -> Vec<String> {
    let mut out = vec!["not set on this route".to_owned()];
    let mut told = 0;
    for lack in lacks(name.as_bytes(), forecast, all) {
        match lack {
            Lack::Elsewhere(site, routes) if told < 3 => {
                told += 1;
                let routes: Vec<String> = routes.iter().map(ToString::to_string).collect();
                let routes: Vec<&str> = routes.iter().map(String::as_str).collect();
                out.push(format!("{} sets it, which this route never reads; it reaches {}", place(site), some(&routes, 2)));
            }
            Lack::Elsewhere(..) => {}
            Lack::Near(near) => out.push(format!("{} is set here: is that the name that is meant?", inert(near))),
        }
    }
    out
}

/// Names some of many routes.
fn some(routes: &[&str], most: usize) -> String {
    let shown = routes.get(..most.min(routes.len())).unwrap_or_default().join(", ");
    if routes.len() > most { format!("{shown} and {} more", routes.len() - most) } else { shown }
}

/// Show what names hold on every route
#[derive(Debug, clap::Args)]
pub(crate) struct ReachArgs {
    /// Only these names
    #[arg(value_name = "NAME|GLOB|/REGEX/")]
    names: Vec<OsString>,

    #[command(flatten)]
    ask: AskArgs,
}

/// Runs `reach`.
pub(crate) fn reach(typed: &ReachArgs) -> Answer {
    let only = args::selection(&typed.names)?;
    let host = Host::open(&typed.ask.host)?;
    let all: Vec<(Route, Forecast)> = host.all();
    let mut names: Vec<_> = all.iter().flat_map(|(_, f)| f.vars().map(|(n, _)| n.clone())).filter(|n| only.takes(n)).collect();
    names.sort();
    names.dedup();
    let sight = output::Sight::plain(typed.ask.reveal, false)?;
    let (mut fields, mut rows) = (Map::new(), Vec::new());
    for name in &names {
        let mut tints = Tints::default();
        let mut cells = Vec::new();
        for (route, forecast) in &all {
            let held = forecast.get(name).map(|v| &v.held);
            let is_started = forecast.reached == Reached::Yes;
            let tint = match held.filter(|_| is_started) {
                Some(Held::Known(value)) => Value::new(value.clone()).map_or(Tint::Unknown, |v| tints.of(&v)),
                None if forecast.open.is_none() || !is_started => Tint::Absent,
                _ => Tint::Unknown,
            };
            cells.push((route.to_string(), tint, held.cloned()));
        }
        let values =
            cells.iter().filter_map(|(_, t, _)| if let Tint::Value(n) = t { Some(*n) } else { None }).max().map_or(0, |n| n + 1);
        let lacks = cells.iter().filter(|(_, t, _)| *t == Tint::Absent).count();
        rows.push((values, lacks, name, cells));
    }
    // What differs most comes first.
    rows.sort_by_key(|(values, lacks, name, _)| {
        (std::cmp::Reverse(*values), std::cmp::Reverse((*lacks).min(1)), (*name).clone())
    });
    let mut out = String::new();
    for (values, lacks, name, cells) in &rows {
        out.push_str(&format!(
            "{}  {values} value{}, lacking on {lacks} of {} routes\n",
            inert(name),
            if *values == 1 { "" } else { "s" },
            all.len()
        ));
        let mut seen: Vec<Tint> = Vec::new();
        let mut listed = Vec::new();
        for (route, tint, held) in cells {
            listed.push(json!({ "route": route, "tint": tint.to_string(), "value": match held { Some(Held::Known(v)) => schema::bytes(v), _ => Json::Null } }));
            if seen.contains(tint) {
                continue;
            }
            seen.push(*tint);
            let same: Vec<&str> = cells.iter().filter(|(_, t, _)| t == tint).map(|(r, ..)| r.as_str()).collect();
            let value = match held {
                Some(Held::Known(value)) => sight.value(name, value),
                _ if *tint == Tint::Absent => "not set".to_owned(),
                _ => "unknown, or made anew at each start".to_owned(),
            };
            out.push_str(&format!("  {tint:<2} {value}  ← {}\n", some(&same, 4)));
        }
        fields.insert(inert(name).into_owned(), listed.into());
    }
    if typed.ask.json {
        let mut document = Map::new();
        document.insert("names".to_owned(), fields.into());
        schema::print(document)?;
    } else {
        output::print(out.as_bytes())?;
    }
    Ok(u8::from(rows.is_empty()))
}
