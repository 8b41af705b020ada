//! `probe`: a route is run for real, with Vectorum at its end.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io::{BufRead, IsTerminal, Write};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::PathBuf;
use std::time::Duration;

use bytes::Bytes;
use serde_json::{Map, Value as Json, json};
use vectorum_core::reader::single_quoted;
use vectorum_core::route::{Forecast, Held, PASSING, Probed, Reached, Route, Site, Way};
use vectorum_core::shell::trace::Cost;
use vectorum_core::{Block, HostView, Kind, inert};
use vectorum_host::{Manager, ProbeCommand, ProbeFolder, Terminal, write_received};

use super::attribute::{Attribution, attribute};
use super::forecast::place;
use super::routes::{AskArgs, Host};
use super::why::path_and_line;
use super::{Answer, Failure, forecast, json as schema, output, own_block};

/// Run a route for real, and say what arrives at its end
///
/// First says which programs and startup files are run, and asks. No unit is restarted, no table of
/// jobs changed, no file of yours written. Where this account may not take the first steps of a route, it
/// begins with the block that is forecast for them, and says so. Afterwards each shell on it is started
/// once more with its own tracing, which tells the line that decides each variable and what the startup
/// files cost.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The route, as `routes` lists them
    #[arg(value_name = "ROUTE")]
    route: String,

    /// Compare with the forecast; exit status 1 if they differ
    #[arg(long)]
    check: bool,

    /// Run it without asking
    #[arg(long, short)]
    yes: bool,

    /// Run it only once, without the second start that tells which lines decide and what they cost
    #[arg(long)]
    once: bool,

    /// Also write what was seen into this file, as JSON
    #[arg(long, value_name = "FILE", hide = true)]
    into: Option<PathBuf>,

    /// Give up after this many seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 20)]
    within: u64,

    #[command(flatten)]
    ask: AskArgs,
}

/// Note what this process received
#[derive(Debug, clap::Args)]
pub(crate) struct PayloadArgs {
    /// The file to write
    #[arg(value_name = "FILE")]
    to: PathBuf,
}

/// The program at the end of a route.
pub(crate) fn payload(args: &PayloadArgs) -> Answer {
    let shown = inert(args.to.as_os_str().as_bytes()).into_owned();
    write_received(&own_block(), &args.to).map_err(|e| Failure::io(&shown, &e))?;
    Ok(0)
}

/// What is going to be done.
struct Plan {
    /// In sentences.
    told: Vec<String>,
    /// A command that is started by us, or a unit of the moment.
    what: What,
    folder: ProbeFolder,
}

enum What {
    Command(ProbeCommand),
    Unit(Manager, Option<String>),
}

impl Plan {
    /// Runs the route.
    fn run(&self, within: u64) -> Result<Block, Failure> {
        let received = match &self.what {
            What::Command(command) => self.folder.run(command, within).map(|(block, _)| block),
            What::Unit(manager, like) => {
                let name = format!("vectorum-probe-{}.service", std::process::id());
                let payload = self.folder.payload().display().to_string();
                let result = self.folder.result().display().to_string();
                manager
                    .start_like(like.as_deref(), &name, &[&payload, "payload", &result])
                    .map_err(|e| Failure::new(e.to_string()).way_out("the system's manager takes units from root only"))?;
                self.folder.wait(within)
            }
        };
        received.map_err(|e| Failure::new(e.to_string()).way_out("vectorum forecast says what the route would give"))
    }
}

fn cannot(why: &str) -> Failure {
    Failure::new(format!("this route cannot be probed: {why}"))
}

/// Quotes a word for a shell.
fn quoted(word: impl AsRef<std::ffi::OsStr>) -> String {
    String::from_utf8_lossy(&single_quoted(word.as_ref().as_bytes())).into_owned()
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let host = Host::open(&args.ask.host)?;
    if !host.is_live {
        return Err(cannot("--root is the tree of another host").way_out("vectorum forecast says what the route would give"));
    }
    let route = forecast::route(&args.route)?;
    let expected = host.forecast(&route, None);
    if let Reached::No(why, _) = &expected.reached {
        return Err(cannot(&format!("nothing is started on it: {why}")));
    }
    let plan = plan(&host, &route)?;
    tell(&plan, &expected, args.yes, args.once)?;
    let received = plan.run(args.within)?;
    let differences = compare(&expected, &received);
    let mut attribution = match args.once {
        true => Attribution::default(),
        false => attribute(&host, &route, &expected, &received, &plan.folder, args.within)?,
    };
    // Only what differs between two runs of the route itself is made anew at each.
    if !attribution.anew.is_empty() {
        let again = plan.run(args.within)?;
        attribution.anew.retain(|name| again.get(name) != received.get(name));
    }
    attribution.untold.iter().for_each(|text| output::note(text));
    let found = Found { route: &route, expected: &expected, received: &received, differences, attribution };
    found.show(args)?;
    if let Some(path) = &args.into {
        let shown = inert(path.as_os_str().as_bytes()).into_owned();
        std::fs::write(path, Json::Object(found.document()).to_string()).map_err(|e| Failure::io(&shown, &e))?;
    }
    Ok(u8::from(args.check && !found.differences.is_empty()))
}

/// Says what is going to be run, and asks.
fn tell(plan: &Plan, expected: &Forecast, is_allowed: bool, is_once: bool) -> Result<(), Failure> {
    let mut text = String::from("this probe runs:\n");
    for line in &plan.told {
        text.push_str(&format!("  {line}\n"));
    }
    let files: Vec<String> = expected.read.iter().map(|p| inert(p).into_owned()).collect();
    if !files.is_empty() {
        text.push_str(&format!("startup files that run with it: {}\n", files.join(", ")));
        if !is_once {
            text.push_str("then each shell on it once more with its own tracing, to tell which lines decide (not with --once)\n");
        }
    }
    output::note(text.trim_end());
    agreed(is_allowed)
}

/// Asks whether something is to be run that was told before.
pub(crate) fn agreed(is_allowed: bool) -> Result<(), Failure> {
    if is_allowed {
        return Ok(());
    }
    if !std::io::stdin().is_terminal() {
        return Err(Failure::usage("nobody is there to agree").way_out("--yes runs it without asking"));
    }
    let mut error = std::io::stderr();
    // Without a place to ask, there is no answer either.
    let _ = write!(error, "run it? [y/N] ").and_then(|()| error.flush());
    let mut answer = String::new();
    let read = std::io::stdin().lock().read_line(&mut answer);
    if read.is_ok() && matches!(answer.trim(), "y" | "Y" | "yes") {
        return Ok(());
    }
    Err(Failure::new("nothing was run"))
}

fn plan(host: &Host, route: &Route) -> Result<Plan, Failure> {
    let program = std::env::current_exe().map_err(|e| Failure::io("this program", &e))?;
    let folder = ProbeFolder::new(&program).map_err(|e| Failure::new(e.to_string()))?;
    let account = &host.account;
    let uid = nix::unistd::geteuid().as_raw();
    let payload = format!("{} payload {}", quoted(folder.payload()), quoted(folder.result()));
    let ways = route.ways();
    let Some((first, rest)) = ways.split_first() else { return Err(cannot("it has no step")) };
    let mut told = Vec::new();
    // From its end to its front: each step runs what comes after it.
    let mut command = payload;
    let mut shell = String::from_utf8_lossy(&account.shell).into_owned();
    for way in rest.iter().rev() {
        command = match way {
            Way::Terminal => format!("{shell} -i -c {} ", quoted(format!("{command} >/dev/null; :"))),
            Way::ShCommand => format!("/bin/sh -c {}", quoted(&command)),
            Way::Script => {
                let script = folder.script(&format!("#!{shell}\n{command}\n:\n")).map_err(|e| Failure::new(e.to_string()))?;
                quoted(&script)
            }
            Way::Sudo(option) => format!("sudo -n {} {command}", option.unwrap_or_default()),
            Way::Su(name, is_login) => {
                let name = String::from_utf8_lossy(name).into_owned();
                if uid != 0 {
                    return Err(cannot(&format!("su asks for the password of {name}")).way_out("run the probe as root"));
                }
                format!("su {}{name} -c {}", if *is_login { "- " } else { "" }, quoted(&command))
            }
            Way::Debugger => format!("gdb -nx -batch -ex run --args {command}"),
            Way::TmuxPane => {
                let socket = quoted(folder.result().with_file_name("tmux"));
                format!("tmux -S {socket} -f /dev/null new-session -d && tmux -S {socket} send-keys {} Enter", quoted(&command))
            }
            Way::Test => {
                return Err(cannot("which package is tested decides")
                    .way_out("vectorum trace -- cargo test shows what each test received"));
            }
            _ => return Err(cannot("this step begins a route")),
        };
        told.push(command.clone());
        shell = String::from_utf8_lossy(&account.shell).into_owned();
    }
    told.reverse();
    let what = match first {
        Way::Login => {
            if uid == 0 && host.files.kind(b"/bin/login") == Kind::Program {
                told.insert(0, format!("login -f {}", inert(&account.name)));
                let words =
                    ["/bin/login", "-f"].map(OsString::from).into_iter().chain([OsString::from_vec(account.name.to_vec())]);
                let block = Block::from_vars([("TERM", "linux"), ("PATH", "/usr/sbin:/usr/bin:/sbin:/bin")]);
                What::Command(ProbeCommand {
                    words: words.collect(),
                    called: None,
                    block,
                    account: None,
                    folder: "/".into(),
                    terminal: Some(Terminal::Typed(typed(&command))),
                })
            } else {
                from_shell(host, route, &mut told, "login itself is root's to run", Shell::Typed(command))?
            }
        }
        Way::Ssh(is_command) => {
            let why = "sshd would ask for a key";
            let shell = if *is_command { Shell::Given(command) } else { Shell::Typed(command) };
            from_shell(host, route, &mut told, why, shell)?
        }
        Way::Cron => {
            let why = "no table of jobs is changed, and cron is not waited for";
            from_shell(host, route, &mut told, why, Shell::Job(command))?
        }
        Way::Container(_) => return Err(cannot("starting the bundle's container is its runtime's affair")),
        Way::Service(is_user, name) => {
            if !rest.is_empty() {
                return Err(cannot("what a service starts is the service's affair"));
            }
            let name = name.as_ref().map(|n| String::from_utf8_lossy(n).into_owned());
            let like = name.clone().unwrap_or_else(|| "nothing else".to_owned());
            told.push(format!("a unit of the moment with the settings of {like}; the unit itself is not touched"));
            if *is_user && uid != account.uid {
                return Err(cannot("another account's manager takes no unit from here").way_out("run the probe as that account"));
            }
            What::Unit(if *is_user { Manager::User(account.uid) } else { Manager::System }, name)
        }
        _ => return Err(cannot("it does not begin a route")),
    };
    Ok(Plan { told, what, folder })
}

/// What a shell is given to do.
enum Shell {
    /// At a terminal, as a login shell.
    Typed(String),
    /// As a command, by sshd.
    Given(String),
    /// As a job, by cron.
    Job(String),
}

/// What is typed, with a blank before it, as for shells that keep no such line.
fn typed(command: &str) -> String {
    format!(" {command}")
}

/// The route from its first shell on: that is started with the block that is forecast for it.
fn from_shell(host: &Host, route: &Route, told: &mut Vec<String>, why: &str, what: Shell) -> Result<What, Failure> {
    let start = host.to_shell(&route.first(), 0).handed();

    // What is made anew at each start is there, whatever it is.
    let anew = start.vars().filter(|(_, v)| v.held == Held::PerRun).map(|(name, _)| (name.clone(), Bytes::from_static(b"anew")));
    let known = start.block();
    let known = known.vars().map(|(n, v)| (Bytes::copy_from_slice(n.as_bytes()), Bytes::copy_from_slice(v.as_bytes())));
    let block = Block::from_vars(known.chain(anew));
    let account = &host.account;
    let uid = nix::unistd::geteuid().as_raw();
    if uid != 0 && uid != account.uid {
        return Err(cannot("only root starts another account's shell").way_out("run the probe as that account, or as root"));
    }
    let shell = match &what {
        Shell::Job(_) => start.known(b"SHELL").cloned().unwrap_or_else(|| Bytes::from_static(b"/bin/sh")),
        _ => account.shell.clone(),
    };
    let shell = OsString::from_vec(shell.to_vec());
    let shown = inert(shell.as_bytes()).into_owned();
    let (how, words, called, terminal) = match what {
        Shell::Typed(command) => {
            let name = shown.rsplit('/').next().unwrap_or(&shown);
            ("as a login shell", vec![shell], Some(OsString::from(format!("-{name}"))), Some(Terminal::Typed(typed(&command))))
        }
        Shell::Given(command) | Shell::Job(command) => ("with the command", vec![shell, "-c".into(), command.into()], None, None),
    };
    told.insert(0, format!("{shown} {how}, from the block that is forecast for it: {why}"));
    let as_other = (uid != account.uid).then_some((account.uid, account.gid));
    let folder = PathBuf::from(OsString::from_vec(account.home.to_vec()));
    Ok(What::Command(ProbeCommand { words, called, block, account: as_other, folder, terminal }))
}

/// What lies between a forecast and what arrived: the name, what was said, what came.
type Differences = Vec<(Bytes, Option<Bytes>, Option<Bytes>)>;

fn compare(expected: &Forecast, received: &Block) -> Differences {
    let came: BTreeMap<Bytes, Bytes> =
        received.vars().map(|(n, v)| (Bytes::copy_from_slice(n.as_bytes()), Bytes::copy_from_slice(v.as_bytes()))).collect();
    let mut out = Vec::new();
    for (name, variable) in expected.vars().filter(|(n, _)| !PASSING.contains(&&n[..])) {
        let there = came.get(name);
        match &variable.held {
            Held::Known(value) if there != Some(value) => out.push((name.clone(), Some(value.clone()), there.cloned())),
            Held::PerRun if there.is_none() => out.push((name.clone(), Some("(made anew at each start)".into()), None)),
            _ => {}
        }
    }
    if expected.open.is_none() {
        let new = came.iter().filter(|(n, _)| expected.get(n).is_none() && !PASSING.contains(&&n[..]));
        out.extend(new.map(|(name, value)| (name.clone(), None, Some(value.clone()))));
    }
    out
}

/// What was found out about a route.
struct Found<'a> {
    route: &'a Route,
    expected: &'a Forecast,
    received: &'a Block,
    differences: Differences,
    attribution: Attribution,
}

impl Found<'_> {
    /// Names of which the forecast did not know what they hold, or whether they are set.
    fn settled(&self) -> Vec<Bytes> {
        let is_open = |name: &[u8]| match self.expected.get(name) {
            Some(variable) => matches!(variable.held, Held::Unknown(_)),
            None => self.expected.open.is_some() && !PASSING.contains(&name),
        };
        let names = self.received.vars().map(|(name, _)| Bytes::copy_from_slice(name.as_bytes()));
        names.filter(|name| is_open(name)).collect()
    }

    fn show(&self, args: &Args) -> Result<(), Failure> {
        if args.ask.json {
            return schema::print(self.document());
        }
        let sight = output::Sight::plain(args.ask.reveal, false)?;
        let mut out = String::new();
        if args.check {
            for (name, said, came) in &self.differences {
                let value = |v: &Option<Bytes>| v.as_ref().map_or_else(|| "not set".to_owned(), |v| sight.value(name, v));
                out.push_str(&format!("{}: forecast {}, received {}\n", sight.name(name), value(said), value(came)));
            }
            if self.differences.is_empty() {
                out.push_str(&format!("{} names arrived, as forecast\n", self.received.vars().count()));
            }
        } else {
            let settled = self.settled();
            for (name, value) in self.received.vars() {
                let (name, value) = (name.as_bytes(), value.as_bytes());
                let by = self.attribution.origins.get(name).map(|site| format!("  ← {}", place(site))).unwrap_or_default();
                let was = if settled.iter().any(|s| s == name) { "  (the forecast left it open)" } else { "" };
                out.push_str(&format!("{}={}{by}{was}\n", sight.name(name), sight.value(name, value)));
            }
        }
        output::print(out.as_bytes())?;
        let costs = self.costs();
        if !costs.is_empty() {
            output::note(costs.trim_end());
        }
        Ok(())
    }

    /// What the startup files cost, the dearest first, in sentences.
    fn costs(&self) -> String {
        let mut out = String::new();
        for (shell, costs) in self.attribution.shells.iter().filter(|(_, costs)| !costs.is_empty()) {
            let total: Duration = costs.iter().map(|c| c.time).sum();
            out.push_str(&format!("starting {shell} took {} with its own tracing on:\n", milliseconds(total)));
            for cost in costs.iter().take(COSTS) {
                let path = cost.path.as_ref().map_or("at the prompt".into(), |p| inert(p));
                out.push_str(&format!("{:>10}  {path}", milliseconds(cost.time)));
                let lines = dearest(cost).map(|text| format!("  ({text})")).unwrap_or_default();
                out.push_str(&format!("{lines}\n"));
            }
        }
        out
    }

    fn document(&self) -> Map<String, Json> {
        let name = |bytes: &[u8]| inert(bytes).into_owned();
        let vars: Map<String, Json> =
            self.received.vars().map(|(n, v)| (name(n.as_bytes()), schema::bytes(v.as_bytes()))).collect();
        let told = self.differences.iter().map(|(name, said, came)| {
            let value = |v: &Option<Bytes>| v.as_ref().map_or(Json::Null, |v| schema::bytes(v));
            json!({ "name": schema::bytes(name), "forecast": value(said), "received": value(came) })
        });
        let origin: Map<String, Json> = self.attribution.origins.iter().map(|(n, site)| (name(n), place(site).into())).collect();
        let per_run: Vec<String> = self.attribution.anew.iter().map(|n| name(n)).collect();
        let files = |costs: &[Cost]| -> Vec<Json> {
            let lines = |cost: &Cost| -> Vec<Json> {
                cost.lines
                    .iter()
                    .filter(|(line, _)| *line > 0)
                    .take(COSTS)
                    .map(|(line, time)| json!({ "line": line, "ms": ms(*time) }))
                    .collect()
            };
            let file =
                |c: &Cost| json!({ "file": c.path.as_ref().map(|p| schema::bytes(p)), "ms": ms(c.time), "lines": lines(c) });
            costs.iter().map(file).collect()
        };
        let cost: Vec<Json> =
            self.attribution.shells.iter().map(|(shell, costs)| json!({ "shell": shell, "files": files(costs) })).collect();
        let Json::Object(fields) = json!({
            "route": self.route.to_string(),
            "vars": vars,
            "origin": origin,
            "unknown": {},
            "open": null,
            "per_run": per_run,
            "hops": self.expected.hops,
            "settled": self.settled().iter().map(|n| name(n)).collect::<Vec<_>>(),
            "differs": told.collect::<Vec<_>>(),
            "cost": cost,
        }) else {
            return Map::new();
        };
        fields
    }
}

/// So many files are listed, and so many lines of each.
const COSTS: usize = 12;

fn ms(time: Duration) -> f64 {
    // Hundredths of a millisecond are finer than what a clock tells here.
    (time.as_secs_f64() * 100_000.0).round() / 100.0
}

/// Says a time.
pub(crate) fn milliseconds(time: Duration) -> String {
    format!("{:.1} ms", time.as_secs_f64() * 1000.0)
}

/// Says which lines of a file took longest, if any took long.
pub(crate) fn dearest(cost: &Cost) -> Option<String> {
    let dear = cost.lines.iter().filter(|(line, time)| *line > 0 && *time >= Duration::from_millis(1)).take(3);
    let dear: Vec<String> = dear.map(|(line, time)| format!("line {line}: {}", milliseconds(*time))).collect();
    (!dear.is_empty()).then(|| dear.join(", "))
}

/// Reads what a probe wrote of what it saw; `None` if that is no such text.
pub(crate) fn probed(text: &[u8]) -> Option<Probed> {
    let json: Json = serde_json::from_slice(text).ok()?;
    let site = |text: &Json| {
        let (path, line) = path_and_line(text.as_str()?.as_bytes());
        Some(Site { path: Bytes::copy_from_slice(path), line: line.unwrap_or(0) })
    };
    let named = |key: &str| json.get(key).and_then(Json::as_object).into_iter().flatten();
    let name = |text: &String| Bytes::copy_from_slice(text.as_bytes());
    let time = |json: &Json| {
        json.get("ms").and_then(Json::as_f64).filter(|ms| *ms >= 0.0).map(|ms| Duration::from_secs_f64(ms / 1000.0))
    };
    let list = |json: &Json, key: &str| json.get(key).and_then(Json::as_array).cloned().unwrap_or_default();
    let line = |json: &Json| Some((usize::try_from(json.get("line")?.as_u64()?).ok()?, time(json)?));
    let cost = |json: &Json| {
        let path = json.get("file").and_then(schema::to_bytes).map(Bytes::from);
        Some(Cost { path, time: time(json)?, lines: list(json, "lines").iter().filter_map(line).collect() })
    };
    let shell =
        |json: &Json| Some((json.get("shell")?.as_str()?.to_owned(), list(json, "files").iter().filter_map(cost).collect()));
    Some(Probed {
        block: named("vars").filter_map(|(n, v)| Some((name(n), schema::to_bytes(v)?.into()))).collect(),
        origins: named("origin").filter_map(|(n, at)| Some((name(n), site(at)?))).collect(),
        anew: list(&json, "per_run").iter().filter_map(|n| Some(Bytes::copy_from_slice(n.as_str()?.as_bytes()))).collect(),
        shells: list(&json, "cost").iter().filter_map(shell).collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_probe_wrote_is_read_again() {
        let route = Route::parse("login").unwrap();
        let received = Block::from_vars([(&b"PIER"[..], &b"4"[..]), (b"ODD", b"\xff\n=")]);
        let expected = Forecast::begin(&Block::from_vars([("PIER", "3")]));
        let site = Site { path: Bytes::from_static(b"/home/odile/.b:c"), line: 21 };
        let lines = vec![(21, Duration::from_millis(7)), (3, Duration::from_micros(10))];
        let cost = Cost { path: Some(site.path.clone()), time: Duration::from_micros(7010), lines };
        let shells = vec![("/bin/bash".to_owned(), vec![cost, Cost { path: None, time: Duration::ZERO, lines: Vec::new() }])];
        let attribution = Attribution {
            origins: [(Bytes::from_static(b"PIER"), site)].into(),
            anew: [Bytes::from_static(b"ODD")].into(),
            shells,
            untold: Vec::new(),
        };
        let differences = compare(&expected, &received);
        assert_eq!(differences.len(), 2);
        let found = Found { route: &route, expected: &expected, received: &received, differences, attribution };
        let seen = probed(Json::Object(found.document()).to_string().as_bytes()).unwrap();
        assert_eq!(
            (&seen.origins, &seen.anew, &seen.shells),
            (&found.attribution.origins, &found.attribution.anew, &found.attribution.shells)
        );
        assert_eq!(seen.block.get(&b"ODD"[..]).map(|v| &v[..]), Some(&b"\xff\n="[..]));
        assert_eq!(probed(b"vectorum"), None);
    }
}
