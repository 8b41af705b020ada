//! `why` and `reach`: the story of a variable, and what it is on every route.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;

use serde_json::{Map, Value as Json, json};
use vectorum_core::route::{Bearer, Forecast, Held, ReachRow, Site, Survey, Told};
use vectorum_core::shell::hangs_on_output;
use vectorum_core::{Name, Tint, inert};

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
    let survey = host.survey();
    let chosen = match &typed.route {
        Some(text) => {
            let route = route(text)?;
            vec![(route.clone(), host.forecast(&route, None))]
        }
        None => survey.routes.clone(),
    };
    let sight = output::Sight::plain(typed.ask.reveal, false)?;
    let mut is_set = false;
    let mut told: Vec<(String, Vec<String>)> = Vec::new();
    for (route, forecast) in &chosen {
        is_set |= forecast.get(name.as_bytes()).is_some();
        told.push((route.to_string(), story(&name, forecast, &survey, &sight)));
    }
    if typed.ask.json {
        let mut fields = Map::new();
        fields.insert("name".to_owned(), schema::bytes(name.as_bytes()));
        fields.insert("routes".to_owned(), told.iter().map(|(route, story)| json!({ "route": route, "trail": story })).collect());
        host.print(fields)?;
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
        host.tell_assumption();
    }
    Ok(u8::from(!is_set))
}

/// The trail of a name in sentences.
fn story(name: &Name, forecast: &Forecast, survey: &Survey, sight: &output::Sight) -> Vec<String> {
    let value = |held: &Held| match held {
        Held::Known(value) => sight.value(name.as_bytes(), value),
        Held::PerRun => "a value made anew at each start".to_owned(),
        Held::Unknown(why) => format!("unknown: {why}"),
    };
    let mut elsewhere = 0;
    let told = survey.story(forecast, name.as_bytes()).into_iter().filter_map(|told| {
        elsewhere += usize::from(matches!(told, Told::Elsewhere(..)));
        // Three of them say enough.
        (elsewhere <= 3 || !matches!(told, Told::Elsewhere(..))).then_some(told)
    });
    let quoted = |site: &Site| {
        let text = survey.line(&site.path, site.line).unwrap_or_default().trim_ascii().to_vec();
        let line = sight.source(&text);
        if line.is_empty() { String::new() } else { format!(":  {line}") }
    };
    let mut out = Vec::new();
    for told in told {
        out.push(sentence(&told, &value));
        out.extend(around(&told).into_iter().map(|(words, site)| format!("  {words} {}{}", place(site), quoted(site))));
    }
    out
}

/// More conditions and callers are not told.
const AROUND: usize = 4;

/// How the line that decides came to be run: words, and the line that they are about.
pub(crate) fn around<'a>(told: &Told<'a>) -> Vec<(&'static str, &'a Site)> {
    let Told::Set { around, site: Some(own), decides: true, .. } = told else { return Vec::new() };
    let chain = around.chain();
    let through = chain.iter().skip(chain.len().saturating_sub(AROUND)).map(|site| ("run by", *site));
    let conditions = around.conditions();
    let conditions = conditions.iter().skip(conditions.len().saturating_sub(AROUND)).filter(|c| c.site != **own).map(|c| {
        let words = match c.holds {
            Some(true) => "holds:",
            Some(false) => "does not hold:",
            None => "not known whether it holds:",
        };
        (words, &c.site)
    });
    through.chain(conditions).collect()
}

/// Puts a stop of a trail into words; `value` says a value.
pub(crate) fn sentence(told: &Told<'_>, value: &dyn Fn(&Held) -> String) -> String {
    let at = |site: &Option<&Site>| site.map(|s| format!(", {}", place(s))).unwrap_or_default();
    let behind = |site: &Option<&Site>| site.map(|s| format!(" ({})", place(s))).unwrap_or_default();
    match told {
        Told::NeverStarted(why, site) => format!("nothing is started on this route: {why}{}", behind(site)),
        Told::MayEnd(why, site) => format!("it may be that nothing is started on this route: {why}{}", behind(site)),
        Told::FromStart(held) => format!("from the start: {}", value(held)),
        Told::Set { hop, site, held, .. } => format!("{hop}{}: {}", at(site), value(held)),
        Told::Seen(site, held) => format!("seen by a probe{}: {}", at(site), value(held)),
        Told::SeenAbsent => "a probe saw that it does not arrive".to_owned(),
        Told::Dropped { hop, site, why: Some(why) } => format!("{hop}{}: dropped; {why}", at(site)),
        Told::Dropped { hop, site, why: None } => format!("{hop}{}: dropped", at(site)),
        Told::Unknown(why, site) => {
            let one = site.filter(|_| hangs_on_output(why)).map(|s| format!(", forecast --run {} only that program", place(s)));
            format!(
                "what arrives is unknown: {why}{}; vectorum probe runs the route and sees{}",
                behind(site),
                one.unwrap_or_default()
            )
        }
        Told::Assumed(Some(held)) => {
            format!("by the rules that come with the program, an assumption, it would be {}", value(held))
        }
        Told::Assumed(None) => "by the rules that come with the program, an assumption, it would not be set".to_owned(),
        Told::NotSet => "not set on this route".to_owned(),
        Told::WayOut(text) => (*text).to_owned(),
        Told::NotExported(site) => {
            format!("{} sets it, but it is not exported: «export» before it, or on a line of its own, hands it on", place(site))
        }
        Told::NotReached(skipped) => {
            format!("{} would set it, but is not reached: {} ({})", place(&skipped.site), skipped.why, place(&skipped.by))
        }
        Told::Elsewhere(site, routes, is_interactive) => {
            let routes: Vec<String> = routes.iter().map(ToString::to_string).collect();
            let routes: Vec<&str> = routes.iter().map(String::as_str).collect();
            let only = if *is_interactive { "; only interactive shells read that file" } else { "" };
            format!("{} sets it, which this route never reads{only}; it reaches {}", place(site), some(&routes, 2))
        }
        Told::Near(near) => format!("{} is set here: is that the name that is meant?", inert(near)),
        Told::DescribesTheAccount => "it describes the account and does not change it: the process stays whose it is".to_owned(),
    }
}

/// Names some of many routes.
fn some(routes: &[&str], most: usize) -> String {
    let shown = routes.get(..most.min(routes.len())).unwrap_or_default().join(", ");
    if routes.len() > most { format!("{shown} and {} more", routes.len() - most) } else { shown }
}

/// Show what names hold on every route
///
/// Names that differ most come first. With --value or --decided-by, shows where a value is, or what
/// a file or one line of it decides.
#[derive(Debug, clap::Args)]
pub(crate) struct ReachArgs {
    /// Only these names
    #[arg(value_name = "NAME|GLOB|/REGEX/")]
    names: Vec<OsString>,

    /// Only where this text is the value, or a part of it
    #[arg(long, value_name = "TEXT")]
    value: Option<OsString>,

    /// Only what this file decides, or one line of it
    #[arg(long, value_name = "FILE[:LINE]", conflicts_with = "value")]
    decided_by: Option<OsString>,

    #[command(flatten)]
    ask: AskArgs,
}

/// Runs `reach`.
pub(crate) fn reach(typed: &ReachArgs) -> Answer {
    let only = args::selection(&typed.names)?;
    let host = Host::open(&typed.ask.host)?;
    let survey = host.survey();
    let found = match (&typed.value, &typed.decided_by) {
        (Some(text), _) => Some(survey.holding(text.as_bytes())),
        (None, Some(text)) => {
            let (path, line) = path_and_line(text.as_bytes());
            Some(survey.decided_by(path, line))
        }
        (None, None) => None,
    };
    let sight = output::Sight::plain(typed.ask.reveal, false)?;
    let (document, out, is_empty) = match found {
        Some(found) => bearers(&survey, &found.into_iter().filter(|b| only.takes(&b.name)).collect::<Vec<_>>(), &sight),
        None => table(&survey, &survey.reach(&only), &sight),
    };
    if typed.ask.json {
        host.print(document)?;
    } else {
        output::print(out.as_bytes())?;
        host.tell_assumption();
    }
    Ok(u8::from(is_empty))
}

/// Takes a text such as `/etc/environment:4` apart.
pub(crate) fn path_and_line(text: &[u8]) -> (&[u8], Option<usize>) {
    let colon = text.iter().rposition(|b| *b == b':');
    let line = colon.and_then(|at| std::str::from_utf8(text.get(at + 1..)?).ok()?.parse().ok());
    let path = colon.filter(|_| line.is_some()).and_then(|at| text.get(..at)).unwrap_or(text);
    (path, line)
}

/// The answer to a search by value or by file.
fn bearers(survey: &Survey, found: &[Bearer], sight: &output::Sight) -> (Map<String, Json>, String, bool) {
    let (mut listed, mut out) = (Vec::new(), String::new());
    for bearer in found {
        let routes: Vec<String> =
            bearer.routes.iter().filter_map(|at| survey.routes.get(*at)).map(|(route, _)| route.to_string()).collect();
        let at = bearer.site.as_ref().map(place);
        let from = at.as_ref().map(|at| format!("  ← {at}")).unwrap_or_default();
        let names: Vec<&str> = routes.iter().map(String::as_str).collect();
        out.push_str(&format!(
            "{}={}{from}\n  on {}\n",
            sight.name(&bearer.name),
            sight.value(&bearer.name, &bearer.value),
            some(&names, 6)
        ));
        listed.push(
            json!({ "name": schema::bytes(&bearer.name), "value": schema::bytes(&bearer.value), "at": at, "routes": routes }),
        );
    }
    if found.is_empty() {
        out.push_str("on no route\n");
    }
    let mut document = Map::new();
    document.insert("found".to_owned(), listed.into());
    (document, out, found.is_empty())
}

/// Names by routes.
fn table(survey: &Survey, rows: &[ReachRow], sight: &output::Sight) -> (Map<String, Json>, String, bool) {
    let routes: Vec<String> = survey.routes.iter().map(|(route, _)| route.to_string()).collect();
    let (mut fields, mut out) = (Map::new(), String::new());
    for row in rows {
        let name = row.name.as_bytes();
        let values = row.values.len();
        let plural = if values == 1 { "" } else { "s" };
        out.push_str(&format!("{}  {values} value{plural}, lacking on {} of {} routes\n", row.name, row.lacking, routes.len()));
        let value_of = |tint: &Tint| match tint {
            Tint::Value(index) => row.values.get(*index as usize),
            _ => None,
        };
        let mut seen: Vec<Tint> = Vec::new();
        for tint in &row.tints {
            if seen.contains(tint) {
                continue;
            }
            seen.push(*tint);
            let same: Vec<&str> = row.tints.iter().zip(&routes).filter(|(t, _)| *t == tint).map(|(_, r)| r.as_str()).collect();
            let value = match (value_of(tint), tint) {
                (Some(value), _) => sight.value(name, value.as_bytes()),
                (None, Tint::Absent) => "not set".to_owned(),
                (None, Tint::PerRun) => "made anew at each start".to_owned(),
                (None, _) => "unknown".to_owned(),
            };
            out.push_str(&format!("  {tint:<2} {value}  ← {}\n", some(&same, 4)));
        }
        let cell = |(route, tint): (&String, &Tint)| json!({ "route": route, "tint": tint.to_string(), "value": value_of(tint).map_or(Json::Null, |v| schema::bytes(v.as_bytes())) });
        fields.insert(row.name.to_string(), routes.iter().zip(&row.tints).map(cell).collect());
    }
    let mut document = Map::new();
    document.insert("names".to_owned(), fields.into());
    (document, out, rows.is_empty())
}
