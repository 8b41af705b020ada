//! `routes`: the ways by which processes come to exist on a host.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use serde_json::{Map, json};
use vectorum_core::route::{Account, Forecast, Ground, Held, Reached, Route, Starts, Survey, accounts_of};
use vectorum_core::{Block, Content, HostView, Snapshot, inert};
use vectorum_host::{Peek, ProcFolder, RootedHost};

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
    is_live: bool,
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
        let ground = Ground { files: &files, accounts: &accounts };
        let account = ground.account(&wanted).cloned().ok_or_else(|| {
            Failure::new(format!("{} is no account in etc/passwd of {shown}", quoted(&wanted)))
                .way_out("choose one with --account")
        })?;
        let is_live = args.root.is_none();
        Ok(Host { files, accounts, account, is_live })
    }

    /// Looks at all routes, in one state of the host.
    pub(crate) fn survey(&self) -> Survey {
        let files = Snapshot::new(&self.files);
        Survey::of(&Ground { files: &files, accounts: &self.accounts }, &self.account, self.starts())
    }

    /// Follows a route from where it begins.
    pub(crate) fn forecast(&self, route: &Route, start: Option<&Block>) -> Forecast {
        let files = Snapshot::new(&self.files);
        let start = start.cloned().unwrap_or_else(|| self.starts().of(route));
        route.forecast(&Ground { files: &files, accounts: &self.accounts }, &self.account, &start)
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
        let one = |(route, forecast): &(Route, Forecast)| json!({ "route": route.to_string(), "hops": forecast.hops, "reached": forecast.reached == Reached::Yes, "open": forecast.open.is_some() });
        fields.insert("routes".to_owned(), routes.iter().map(one).collect());
        schema::print(fields)?;
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
        out.push_str(&format!("{:<width$}  {state}\n", route.to_string()));
    }
    output::print(out.as_bytes())?;
    Ok(0)
}
