//! `routes`: the ways by which processes come to exist on a host.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use bytes::Bytes;

use serde_json::{Map, Value as Json, json};
use vectorum_core::route::{
    Account, Flavour, Forecast, Ground, Held, Launch, Reached, Route, Running, Starts, Survey, accounts_of,
};
use vectorum_core::shell::Outputs;
use vectorum_core::{Block, Content, HostView, Kind, Snapshot, Want, inert};
use vectorum_host::{Manager, Peek, ProcFolder, RootedHost};

use super::failure::quoted;
use super::{Answer, Failure, json as schema, output};

/// Which host, and as whom.
#[derive(Clone, Debug, Default, clap::Args)]
pub(crate) struct HostArgs {
    /// Look at another host's file tree [default: /]
    #[arg(long, value_name = "DIR")]
    pub(crate) root: Option<PathBuf>,

    /// Look as another account [default: yours]
    #[arg(long, value_name = "NAME")]
    pub(crate) account: Option<OsString>,
}

/// Which host, and how the answer is shown.
#[derive(Debug, clap::Args)]
pub(crate) struct AskArgs {
    #[command(flatten)]
    pub(crate) host: HostArgs,

    /// Show what looks secret
    #[arg(long)]
    pub(crate) reveal: bool,

    /// One JSON document
    #[arg(long)]
    pub(crate) json: bool,
}

/// A host's files and accounts, and the account that is asked about.
pub(crate) struct Host {
    pub(crate) files: RootedHost,
    accounts: Vec<Account>,
    pub(crate) account: Account,
    pub(crate) is_live: bool,
    running: Running,
    sudo_says: Option<Vec<u8>>,
    own_table: Option<Bytes>,
}

impl Host {
    /// This host, as this account.
    pub(crate) fn own() -> Result<Host, Failure> {
        Host::open(&HostArgs::default())
    }

    pub(crate) fn open(args: &HostArgs) -> Result<Host, Failure> {
        let root = args.root.as_deref().unwrap_or(Path::new("/"));
        let shown = inert(root.as_os_str().as_bytes()).into_owned();
        let files = RootedHost::open(root)
            .map_err(|e| Failure::io(&shown, &e).way_out("--root wants the folder of a host's file tree"))?;
        let accounts = match files.read(b"/etc/passwd") {
            Content::Bytes(passwd) => accounts_of(&passwd),
            _ => return Err(Failure::new(format!("{shown}: it has no etc/passwd that can be read: no accounts are known"))),
        };
        let wanted = match &args.account {
            Some(name) => name.as_bytes().to_vec(),
            None => nix::unistd::geteuid().to_string().into_bytes(),
        };
        let ground = Ground::new(&files, &accounts);
        let account = ground.account(&wanted).cloned().ok_or_else(|| {
            Failure::new(format!("{} is no account in etc/passwd of {shown}", quoted(&wanted)))
                .way_out("choose one with --account")
        })?;
        let is_live = args.root.is_none();
        let mut host = Host { files, accounts, account, is_live, running: Running::default(), sudo_says: None, own_table: None };
        if is_live {
            host.ask();
        }
        Ok(host)
    }

    /// Asks what runs here, and what this account may ask where it may not read.
    fn ask(&mut self) {
        let own = nix::unistd::geteuid().as_raw();
        self.running.system = Manager::System.environment().ok();
        self.running.user = if own == self.account.uid {
            Manager::User(own).environment().ok()
        } else if own == 0 {
            ask_as(&self.account)
        } else {
            None
        };
        if own != self.account.uid || own == 0 {
            return;
        }
        let said = |program: &str, arguments: &[&str]| {
            let output = Command::new(program)
                .args(arguments)
                .env("LC_ALL", "C")
                .stdin(Stdio::null())
                .stderr(Stdio::null())
                .output()
                .ok()?;
            output.status.success().then_some(output.stdout)
        };
        if self.files.read(b"/etc/sudoers") == Content::Denied {
            self.sudo_says = said("sudo", &["-n", "-l"]);
        }
        let table = [b"/var/spool/cron/crontabs/", &self.account.name[..]].concat();
        if self.files.read(&table) == Content::Denied || self.files.kind(&table) == Kind::Unknown {
            self.own_table = said("crontab", &["-l"]).map(Bytes::from);
        }
    }

    /// Returns the files, with what this account may ask in the place of what it may not read.
    fn files(&self) -> Asked<'_> {
        let path = [b"/var/spool/cron/crontabs/", &self.account.name[..]].concat();
        Asked { files: &self.files, table: self.own_table.as_ref().map(|t| (path, t.clone())), name: self.account.name.clone() }
    }

    fn ground<'a>(&'a self, files: &'a dyn HostView) -> Ground<'a> {
        let running = Some(&self.running).filter(|_| self.is_live);
        Ground { running, sudo_says: self.sudo_says.as_deref(), ..Ground::new(files, &self.accounts) }
    }

    /// What the answers rest on, where the host is none of those that were measured.
    pub(crate) fn assumption(&self) -> Option<&'static str> {
        Flavour::of(&self.files).assumption()
    }

    /// Prints an answer about routes, and what it rests on.
    pub(crate) fn print(&self, mut fields: Map<String, Json>) -> Result<(), Failure> {
        fields.insert("assumes".to_owned(), self.assumption().into());
        schema::print(fields)
    }

    /// Tells a person what an answer rests on.
    pub(crate) fn tell_assumption(&self) {
        if let Some(text) = self.assumption() {
            output::note(text);
        }
    }

    /// What the host is called in pictures.
    pub(crate) fn title(&self) -> String {
        match self.files.read(b"/etc/hostname") {
            Content::Bytes(name) if !name.trim_ascii().is_empty() => inert(name.trim_ascii()).into_owned(),
            _ => "a host".to_owned(),
        }
    }

    /// Looks at all routes, in one state of the host.
    pub(crate) fn survey(&self) -> Survey {
        let asked = self.files();
        let files = Snapshot::new(&asked);
        Survey::of(&self.ground(&files), &self.account, self.starts())
    }

    /// Follows a route to one of its shells, counted from none on.
    pub(crate) fn to_shell(&self, route: &Route, shell: usize) -> Forecast {
        let asked = self.files();
        let files = Snapshot::new(&asked);
        let ground = Ground { stops_at_shell: Some(shell), ..self.ground(&files) };
        route.forecast(&ground, &self.account, &self.starts().of(route))
    }

    /// The same shell as on a route, handed another block.
    pub(crate) fn shell_handed(&self, launch: &Launch, block: &Block) -> Launch {
        let asked = self.files();
        let files = Snapshot::new(&asked);
        launch.handed(&self.ground(&files), block)
    }

    /// Follows a route from where it begins.
    pub(crate) fn forecast(&self, route: &Route, start: Option<&Block>) -> Forecast {
        let asked = self.files();
        let files = Snapshot::new(&asked);
        let start = start.cloned().unwrap_or_else(|| self.starts().of(route));
        route.forecast(&self.ground(&files), &self.account, &start)
    }

    /// Follows a route with what programs printed; it notes which others it would want to be run.
    pub(crate) fn forecast_told(&self, route: &Route, outputs: &Outputs) -> Forecast {
        let asked = self.files();
        let files = Snapshot::new(&asked);
        let ground = Ground { outputs: Some(outputs), ..self.ground(&files) };
        route.forecast(&ground, &self.account, &self.starts().of(route))
    }

    /// What the first programs get. Of another host that is not known.
    fn starts(&self) -> Starts {
        let first = || {
            let mut proc = ProcFolder::open(Path::new("/proc"), Peek::Allowed).ok()?;
            proc.read(1).ok()?.received.block().cloned()
        };
        let real = self.files.real_path(b"/sbin/init").or_else(|| self.files.real_path(b"/usr/lib/systemd/systemd"));
        let program = real.map_or_else(
            || "process 1".to_owned(),
            |path| {
                let from = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
                inert(path.get(from..).unwrap_or_default()).into_owned()
            },
        );
        Starts { first: if self.is_live { first() } else { None }, program }
    }
}

/// Asks an account's own manager, by a helper that has become that account.
fn ask_as(account: &Account) -> Option<Vec<Bytes>> {
    let program = std::env::current_exe().ok()?;
    let mut command = Command::new(program);
    command.arg("manager-block").uid(account.uid).gid(account.gid).current_dir("/");
    let output = command.stdin(Stdio::null()).stderr(Stdio::null()).output().ok()?;
    let entries = output.stdout.split(|b| *b == 0).filter(|e| !e.is_empty());
    output.status.success().then(|| entries.map(Bytes::copy_from_slice).collect())
}

/// The helper's part: prints the block of this account's manager.
pub(crate) fn manager_block() -> Answer {
    let entries = Manager::User(nix::unistd::geteuid().as_raw()).environment().map_err(|e| Failure::new(e.to_string()))?;
    let mut out = Vec::new();
    for entry in entries {
        out.extend_from_slice(&entry);
        out.push(0);
    }
    output::print(&out)?;
    Ok(0)
}

/// A host's files, with the account's own table of jobs as `crontab -l` gives it.
struct Asked<'a> {
    files: &'a RootedHost,
    table: Option<(Vec<u8>, Bytes)>,
    name: Bytes,
}

impl HostView for Asked<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        if self.table.as_ref().is_some_and(|(p, _)| p == path) { Kind::File } else { self.files.kind(path) }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.files.programs(folder)
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        self.files.real_path(path)
    }

    fn read(&self, path: &[u8]) -> Content {
        match &self.table {
            Some((own, text)) if own == path => Content::Bytes(text.clone()),
            _ => self.files.read(path),
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let listed = self.files.list(folder);
        if listed.is_none() && self.table.is_some() && folder == b"/var/spool/cron/crontabs" {
            Some(vec![self.name.clone()])
        } else {
            listed
        }
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        self.files.may(path, uid, gid, want)
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        self.files.is_link(path)
    }
}

/// List the routes of a host
///
/// A route is a way by which a process comes to exist: a login, a cron job, a service. Its name is
/// the path of its hops; `forecast` says what block it gives.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    host: HostArgs,

    /// One JSON document
    #[arg(long)]
    json: bool,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let host = Host::open(&args.host)?;
    let routes = host.survey().routes;
    if args.json {
        let mut fields = Map::new();
        fields.insert("account".to_owned(), schema::bytes(&host.account.name));
        let one = |(route, forecast): &(Route, Forecast)| json!({ "route": route.to_string(), "hops": forecast.hops, "reached": forecast.reached == Reached::Yes, "may_end": forecast.may_end.is_some(), "open": forecast.open.is_some() });
        fields.insert("routes".to_owned(), routes.iter().map(one).collect());
        host.print(fields)?;
        return Ok(0);
    }
    let width = routes.iter().map(|(r, _)| r.to_string().chars().count()).max().unwrap_or(0).min(60);
    let mut out = String::new();
    for (route, forecast) in &routes {
        let known = forecast.vars().filter(|(_, v)| matches!(v.held, Held::Known(_))).count();
        let state = match (&forecast.reached, &forecast.open) {
            (Reached::No(why, _), _) => format!("never started: {why}"),
            (_, Some((why, _))) => format!("{known} known; the rest is not: {why}"),
            (_, None) => format!("{known} names"),
        };
        let perhaps = forecast.may_end.as_ref().map(|(why, _)| format!("; {why}")).unwrap_or_default();
        out.push_str(&format!("{:<width$}  {state}{perhaps}\n", route.to_string()));
    }
    output::print(out.as_bytes())?;
    host.tell_assumption();
    Ok(0)
}
