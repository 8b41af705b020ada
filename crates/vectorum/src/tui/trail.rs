//! The trail of the chosen name on the route under the cursor, with the files' own lines quoted.

use ratatui::text::{Line, Span};
use vectorum_core::route::{Forecast, Held, Reached, Site, Told};
use vectorum_core::shell::ink::{Ink, inks};
use vectorum_core::{Mark, Name, Tint, Tone, inert, masked_source};

use super::app::App;
use super::detail::{SEEN, shown};
use super::flow::Layout;
use super::paint::{fit, set_in, spans};
use super::processes::sign;
use super::theme::Role;
use crate::cli::{around, dearest, milliseconds, place, sentence};

type Spans = Vec<Span<'static>>;

/// A way with so many stops before the deciding one is told after it.
const LONG: usize = 3;

/// So many files of a shell are listed with what they cost.
const COSTS: usize = 5;

/// Returns the lines of the trail.
pub(crate) fn detail(app: &App, columns: usize) -> Vec<Line<'static>> {
    let theme = app.theme;
    let note = |text: &str| vec![Span::styled(text.to_owned(), theme.style(Role::Quiet))];
    let Some(name) = app.names.chosen() else { return set_in(vec![note("no name is chosen")], columns) };
    if app.flow.survey().is_none() {
        return Vec::new();
    }
    let mut lines = match app.flow.route() {
        Some(_) => story(app, name, columns),
        None => group(app, name),
    };
    lines.push(Vec::new());
    lines.extend(legend(app, name, columns));
    if let Some(gloss) = app.flow.value(name).and_then(|v| app.gloss_of(name, v.as_bytes()).filter(|g| g.lines.len() > 1)) {
        lines.push(Vec::new());
        lines.extend(gloss.lines.iter().map(|l| spans(l, theme)));
    }
    set_in(lines, columns)
}

/// What a group or the first process says.
fn group(app: &App, name: &Name) -> Vec<Spans> {
    let theme = app.theme;
    let quiet = |text: String| vec![Span::styled(text, theme.style(Role::Quiet))];
    let Some(row) = app.flow.row() else { return Vec::new() };
    match row.tint {
        _ if row.branch != 0 => vec![quiet(format!("the routes below part over {name}; → and Space unfold"))],
        Some(Tint::Value(_)) => vec![quiet("the first process received it from the kernel or the boot loader".to_owned())],
        Some(Tint::Absent) => vec![quiet(format!("the first process did not receive {name}"))],
        _ => vec![quiet("what the first process received is not known here".to_owned())],
    }
}

fn story(app: &App, name: &Name, columns: usize) -> Vec<Spans> {
    let theme = app.theme;
    let (Some(survey), Some((_, forecast))) = (app.flow.survey(), app.flow.route()) else { return Vec::new() };
    let mut lines: Vec<Spans> = Vec::new();
    if let (Some(Held::Known(value)), Reached::Yes) = (forecast.get(name.as_bytes()).map(|v| &v.held), &forecast.reached) {
        lines.push(held(app, name, &Held::Known(value.clone())));
    }
    let mut elsewhere = 0;
    let mut told_all = survey.story(forecast, name.as_bytes());
    // What decides comes first; the way there may be long.
    let is_deciding = |t: &Told<'_>| matches!(t, Told::Set { decides: true, .. } | Told::Seen(..));
    let stops = told_all.iter().position(is_deciding).filter(|at| *at >= LONG);
    if let Some(at) = stops {
        let decides = told_all.remove(at);
        told_all.insert(0, decides);
    }
    for (number, told) in told_all.into_iter().enumerate() {
        if number == 1 && stops.is_some() {
            lines.push(vec![Span::styled("  the way there:", theme.style(Role::Label))]);
        }
        let (mark, site, is_deciding) = match &told {
            Told::Set { site, decides, .. } => (if *decides { Mark::Born } else { Mark::Changed }, *site, *decides),
            Told::Seen(site, _) => (Mark::Born, *site, true),
            Told::Dropped { site, .. } => (Mark::Dropped, *site, true),
            Told::NotExported(site) => (Mark::Same, Some(*site), true),
            Told::NotReached(skipped) => (Mark::Same, Some(&skipped.site), false),
            Told::Elsewhere(site, ..) => {
                elsewhere += 1;
                if elsewhere > 3 {
                    continue;
                }
                (Mark::Same, Some(*site), false)
            }
            Told::Unknown(_, site) | Told::NeverStarted(_, site) | Told::MayEnd(_, site) => (Mark::Same, *site, true),
            Told::FromStart(_)
            | Told::Assumed(_)
            | Told::NotSet
            | Told::SeenAbsent
            | Told::WayOut(_)
            | Told::Near(_)
            | Told::DescribesTheAccount => (Mark::Same, None, false),
        };
        let mut line: Spans = Vec::new();
        if let Told::Set { hop, site, held: value, .. } = &told {
            line.push(Span::styled(if is_deciding { "● " } else { "○ " }, theme.style(Role::Born)));
            let at = site.map(|s| format!(", {}", place(s))).unwrap_or_default();
            line.push(Span::raw(format!("{hop}{at}  ")));
            line.extend(held(app, name, value));
        } else if let Told::Seen(site, value) = &told {
            line.push(Span::styled("◉ ", theme.style(Role::Born)));
            let at = site.map(|s| format!(", {}", place(s))).unwrap_or_default();
            line.push(Span::raw(format!("seen by a probe{at}  ")));
            line.extend(held(app, name, value));
        } else {
            let (sign, role) = sign(mark);
            let lead = if sign.is_empty() { "  ".to_owned() } else { format!("{} ", sign.trim_start()) };
            line.push(Span::styled(lead, theme.style(role)));
            let role = match told {
                Told::NeverStarted(..) | Told::MayEnd(..) | Told::Near(_) | Told::NotExported(_) => Role::Trouble,
                Told::NotSet | Told::Unknown(..) => Role::Title,
                _ => Role::Text,
            };
            // Values stand in the lines of their own.
            line.push(Span::styled(sentence(&told, &|_| String::new()), theme.style(role)));
            if let Told::FromStart(value) | Told::Assumed(Some(value)) = &told {
                line.extend(held(app, name, value));
            }
        }
        lines.push(fit(line, (columns * 2).saturating_sub(8)));
        if let Some(site) = site {
            lines.extend(quote(app, site, is_deciding, columns));
        }
        for (words, site) in around(&told) {
            let lead = format!("     {words} {}  ", place(site));
            let mut line: Spans = vec![Span::styled(lead, theme.style(Role::Quiet))];
            line.extend(source(app, site, site.line));
            lines.push(fit(line, columns.saturating_sub(2)));
        }
    }
    if let (Some(site), true) = (app.flow.site(), app.root.is_some()) {
        lines.push(vec![Span::styled(format!("e edits {}", place(site)), theme.style(Role::Label))]);
    }
    let is_unknown = match forecast.get(name.as_bytes()) {
        Some(variable) => matches!(variable.held, Held::Unknown(_)),
        None => forecast.open.is_some(),
    };
    if is_unknown && app.root.as_deref() == Some(std::path::Path::new("/")) {
        lines.push(vec![Span::styled("p runs this route for real, and sees", theme.style(Role::Label))]);
    }
    lines.extend(costs(app, forecast));
    if let Some(text) = survey.flavour.assumption() {
        lines.push(vec![Span::styled(text, theme.style(Role::Quiet))]);
    }
    lines
}

/// What starting the shells on a probed route cost.
fn costs(app: &App, forecast: &Forecast) -> Vec<Spans> {
    let theme = app.theme;
    let mut lines: Vec<Spans> = Vec::new();
    for (shell, costs) in forecast.costs.iter().filter(|(_, costs)| !costs.is_empty()) {
        let total: std::time::Duration = costs.iter().map(|c| c.time).sum();
        lines.push(Vec::new());
        let text = format!("starting {shell} took {}, traced:", milliseconds(total));
        lines.push(vec![Span::styled(text, theme.style(Role::Label))]);
        for cost in costs.iter().take(COSTS) {
            let path = cost.path.as_ref().map_or("at the prompt".into(), |p| inert(p));
            let mut line = vec![Span::raw(format!("{:>10}  {path}", milliseconds(cost.time)))];
            line.extend(dearest(cost).map(|text| Span::styled(format!("  {text}"), theme.style(Role::Quiet))));
            lines.push(line);
        }
    }
    lines
}

fn held(app: &App, name: &Name, held: &Held) -> Spans {
    let theme = app.theme;
    match held {
        Held::Known(value) => {
            let tint = app.flow.tint_of(value);
            let mut line: Spans = tint.map(|t| Span::styled(format!("{t} "), theme.tint(t))).into_iter().collect();
            if value.is_empty() {
                line.push(Span::styled("(empty)", theme.style(Role::Quiet)));
            } else {
                line.extend(shown(app, name.as_bytes(), value, SEEN));
            }
            line
        }
        Held::PerRun => vec![Span::styled("made anew at each start", theme.style(Role::Quiet))],
        Held::Unknown(why) => vec![Span::styled(format!("unknown: {why}"), theme.style(Role::Quiet))],
    }
}

/// Returns a file's own line, one before and one after it where the line decides.
fn quote(app: &App, site: &Site, is_deciding: bool, columns: usize) -> Vec<Spans> {
    let theme = app.theme;
    let Some(survey) = app.flow.survey() else { return Vec::new() };
    let around = usize::from(is_deciding);
    let mut lines = Vec::new();
    for number in site.line.saturating_sub(around).max(1)..=site.line + around {
        if site.line == 0 || survey.line(&site.path, number).is_none() {
            continue;
        }
        let is_it = number == site.line;
        let sign = if is_it && is_deciding { "▶" } else { " " };
        let mut line = vec![
            Span::styled(format!("   {sign}"), theme.style(Role::Key)),
            Span::styled(format!("{number:>4}│ "), theme.style(Role::Quiet)),
        ];
        let shown = source(app, site, number);
        if is_it {
            line.extend(shown);
        } else {
            line.extend(shown.into_iter().map(|s| Span::styled(s.content, theme.style(Role::Quiet))));
        }
        lines.push(fit(line, columns.saturating_sub(2)));
    }
    lines
}

/// Returns a line of a file, painted as what it is.
fn source(app: &App, site: &Site, number: usize) -> Spans {
    let theme = app.theme;
    let text = app.flow.survey().and_then(|s| s.line(&site.path, number)).unwrap_or_default();
    // A tab is a step, here as in an editor.
    let text: Vec<u8> =
        text.iter().take(SEEN).flat_map(|b| if *b == b'\t' { b"  " } else { std::slice::from_ref(b) }).copied().collect();
    let parts = masked_source(&text, &app.prints, app.reveal);
    let whole: String = parts.iter().map(|p| p.text.as_str()).collect();
    let mut inks = inks(&whole).into_iter().peekable();
    let mut out = Spans::new();
    let mut at = 0;
    for part in &parts {
        let mut rest = part.text.as_str();
        while !rest.is_empty() {
            while inks.peek().is_some_and(|(end, _)| *end <= at) {
                inks.next();
            }
            let (end, ink) = inks.peek().copied().unwrap_or((usize::MAX, Ink::Plain));
            let (head, tail) = rest.split_at(rest.len().min(end - at));
            let style = if part.tone == Tone::Plain { theme.ink(ink) } else { theme.tone(part.tone) };
            out.push(Span::styled(head.to_owned(), style));
            at += head.len();
            rest = tail;
        }
    }
    out
}

/// Returns the letters of all values, with how many routes have each.
fn legend(app: &App, name: &Name, columns: usize) -> Vec<Spans> {
    let theme = app.theme;
    let quiet = |text: String| Span::styled(text, theme.style(Role::Quiet));
    let (values, lacking) = app.flow.values();
    let here = app.flow.value(name);
    let mut lines = Vec::new();
    for (tint, value, count) in values.into_iter().take(26) {
        let lead = if here.as_ref() == Some(value) { "▸" } else { " " };
        let mut line = vec![Span::styled(lead, theme.style(Role::Key)), Span::styled(format!("{tint:<3}"), theme.tint(tint))];
        line.push(quiet(format!("{count:>4} route{:<2} ", if count == 1 { "" } else { "s" })));
        if value.as_bytes().is_empty() {
            line.push(quiet("(empty)".to_owned()));
        } else {
            line.extend(shown(app, name.as_bytes(), value.as_bytes(), SEEN));
        }
        lines.push(fit(line, columns.saturating_sub(2)));
    }
    let mut line = vec![Span::raw(" "), Span::styled(format!("{:<3}", Tint::Absent), theme.tint(Tint::Absent))];
    line.push(quiet(format!("{lacking:>4} without it")));
    lines.push(line);
    if app.flow.layout == Layout::Reach {
        lines.push(vec![quiet("← → another route · ↑ ↓ another name · a shows the tree".to_owned())]);
    }
    lines
}
