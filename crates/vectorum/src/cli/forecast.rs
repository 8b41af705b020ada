//! `forecast`: the block that a route would give.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;

use serde_json::{Map, Value as Json, json};
use vectorum_core::route::{Forecast, Held, Reached, Route, Site, Told};
use vectorum_core::shell::hangs_on_output;
use vectorum_core::{Block, inert};

use super::failure::quoted;
use super::outputs::forecast_with;
use super::routes::{AskArgs, Host};
use super::{Answer, Failure, json as schema, output, sentence};

/// Say what block a route would give, and which line decided each variable
///
/// Nothing is run, but for what --run names, and nothing is written. What cannot be known is said to be unknown, with the
/// reason; a value that is given is never a guess.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The route, as `routes` lists them
    #[arg(value_name = "ROUTE")]
    route: String,

    /// The block of the route's first program, in place of the usual one; several by repeating it
    #[arg(long, value_name = "NAME=VALUE")]
    start: Vec<OsString>,

    /// Run the program whose output this line of a startup file uses, and follow the file with what it
    /// printed; several by repeating it
    #[arg(long, value_name = "FILE:LINE", conflicts_with = "start")]
    run: Vec<OsString>,

    /// Run it without asking
    #[arg(long, short)]
    yes: bool,

    #[command(flatten)]
    ask: AskArgs,
}

pub(crate) fn route(text: &str) -> Result<Route, Failure> {
    Route::parse(text).map_err(|_| {
        Failure::usage(format!("{} is no route", quoted(text.as_bytes())))
            .way_out("vectorum routes lists those of this host: login, login/sudo, service:NAME, cron:FILE:LINE …")
    })
}

pub(crate) fn place(site: &Site) -> String {
    if site.line == 0 { inert(&site.path).into_owned() } else { format!("{}:{}", inert(&site.path), site.line) }
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let host = Host::open(&args.ask.host)?;
    let route = route(&args.route)?;
    let mut start = Vec::new();
    for given in &args.start {
        let bytes = given.as_bytes();
        let equals = bytes.iter().position(|b| *b == b'=').filter(|at| *at > 0);
        let at = equals.ok_or_else(|| Failure::usage(format!("{} is no NAME=VALUE", quoted(bytes))))?;
        let (name, value) = bytes.split_at(at);
        start.push((name, value.get(1..).unwrap_or_default()));
    }
    let start = (!start.is_empty()).then(|| Block::from_vars(start));
    let forecast = if args.run.is_empty() {
        host.forecast(&route, start.as_ref())
    } else if host.is_live {
        forecast_with(&host, &route, &args.run, args.yes)?
    } else {
        return Err(Failure::new("nothing of another host's tree is run").way_out("ask without --run, or on that host"));
    };
    if args.ask.json {
        host.print(document(&route, &forecast))?;
    } else {
        print_text(args.ask.reveal, &forecast)?;
        host.tell_assumption();
    }
    let told = |told: Told<'_>| sentence(&told, &|_| String::new());
    if let Reached::No(why, site) = &forecast.reached {
        output::note(&told(Told::NeverStarted(why, site.as_ref())));
        return Ok(1);
    }
    if let Some((why, site)) = &forecast.may_end {
        output::note(&format!("note: {}", told(Told::MayEnd(why, site.as_ref()))));
    }
    Ok(0)
}

fn document(route: &Route, forecast: &Forecast) -> Map<String, Json> {
    let (mut vars, mut origin, mut unknown, mut per_run) = (Map::new(), Map::new(), Map::new(), Vec::new());
    for (name, variable) in forecast.vars() {
        let key = inert(name).into_owned();
        let at = variable.site.as_ref().map(place);
        match &variable.held {
            Held::Known(value) => {
                vars.insert(key.clone(), schema::bytes(value));
                if let Some(at) = at {
                    origin.insert(key, at.into());
                }
            }
            Held::PerRun => per_run.push(key),
            Held::Unknown(why) => {
                let could_be: Vec<Json> = variable.could_be.iter().map(|v| schema::bytes(v)).collect();
                let may_be_absent = variable.may_be_absent;
                unknown.insert(key, json!({ "why": why, "at": at, "could_be": could_be, "may_be_absent": may_be_absent }));
            }
        }
    }
    let assumed: Map<String, Json> = forecast
        .assumed
        .iter()
        .flat_map(|a| a.vars())
        .filter_map(|(name, v)| match &v.held {
            Held::Known(value) => Some((inert(name).into_owned(), schema::bytes(value))),
            _ => None,
        })
        .collect();
    let reason = |(why, site): &(&str, Option<Site>)| json!({ "why": why, "at": site.as_ref().map(place) });
    let (open, may_end) = (forecast.open.as_ref().map(reason), forecast.may_end.as_ref().map(reason));
    let Json::Object(fields) = json!({
        "route": route.to_string(),
        "vars": vars,
        "origin": origin,
        "unknown": unknown,
        "assumed": assumed,
        "open": open,
        "per_run": per_run,
        "hops": forecast.hops,
        "reached": forecast.reached == Reached::Yes,
        "may_end": may_end,
    }) else {
        return Map::new();
    };
    fields
}

fn print_text(reveal: bool, forecast: &Forecast) -> Result<(), Failure> {
    let sight = output::Sight::plain(reveal, output::wants_colour() && std::io::IsTerminal::is_terminal(&std::io::stdout()))?;
    let mut out = String::new();
    for (name, variable) in forecast.vars() {
        let by = match (&variable.site, variable.hop.and_then(|hop| forecast.hops.get(hop))) {
            (Some(site), _) => place(site),
            (None, Some(hop)) => hop.clone(),
            (None, None) => "from the start".to_owned(),
        };
        let value = match &variable.held {
            Held::Known(value) => format!("={}", sight.value(name, value)),
            Held::PerRun => "  made anew at each start".to_owned(),
            Held::Unknown(why) => match forecast.assumed.as_ref().and_then(|a| a.known(name)) {
                Some(value) => format!("  unknown: {why}; by the rules that come with the program {}", sight.value(name, value)),
                None => format!("  unknown: {why}"),
            },
        };
        out.push_str(&format!("{}{value}  ← {by}\n", sight.name(name)));
    }
    if let Some((why, site)) = &forecast.open {
        let place = site.as_ref().map(|s| format!(" ({})", inert(&s.path))).unwrap_or_default();
        out.push_str(&format!("other names may be set, too: {why}{place}\n"));
        if let Some(site) = site.as_ref().filter(|_| hangs_on_output(why)) {
            out.push_str(&format!("to run only that program and go on: --run {}\n", self::place(site)));
        }
    }
    output::print(out.as_bytes())
}
