//! The made-up host pier-4: shipped data, and a walk through what is wrong there.

mod host;
mod walk;

use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;

use serde::Deserialize;
use vectorum_core::route::{Account, Ground, Starts, Survey, accounts_of};
use vectorum_core::{Block, Content, HostView, MemoryTree, Name, Process, ProcessId, Received, Refusal, Value, World, inert};

use crate::cli::{Failure, bytes_of_json, print as print_out};
use crate::tui;
use crate::tui::files::Source;

/// Open the full-screen program on pier-4, a made-up host with troubles to find
///
/// Where standard output is no terminal, prints a walk through them instead.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    screen: tui::ScreenArgs,

    /// Write the host's files into this new folder instead, for --root
    #[arg(long, value_name = "DIR")]
    to: Option<PathBuf>,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Result<u8, Failure> {
    if let Some(folder) = &args.to {
        let shown = inert(folder.as_os_str().as_bytes()).into_owned();
        let count =
            host::write(folder).map_err(|e| Failure::io(&shown, &e).way_out("--to wants a folder that is not there yet"))?;
        print_out(format!("{count} files are in {shown}; look at them: vectorum --root {shown} --account odile\n").as_bytes())?;
        return Ok(0);
    }
    let pier = Pier::load()?;
    if std::io::stdout().is_terminal() { tui::open_demo(&args.screen, pier) } else { walk::print(&pier) }
}

/// The made-up host.
#[derive(Debug)]
pub(crate) struct Pier {
    pub(crate) host: String,
    pub(crate) account: String,
    /// The name that is chosen at first.
    pub(crate) choose: Name,
    /// The process that is selected at first.
    pub(crate) select: i32,
    pub(crate) files: MemoryTree,
    accounts: Vec<Account>,
    /// The account that is asked about.
    own: Account,
    pub(crate) world: World,
    /// What really running the scripts of the scenario gave.
    pub(crate) recording: &'static [u8],
    /// The env files of ticket-gate.
    pub(crate) project: Vec<Source>,
}

const DATA: &str = include_str!("pier-4.json");

/// Made by `scripts/demo-recording`.
const RECORDING: &[u8] = include_bytes!("morning-round.jsonl");

#[derive(Deserialize)]
struct Data {
    host: String,
    account: String,
    choose: String,
    select: i32,
    folders: BTreeMap<String, Vec<String>>,
    links: BTreeMap<String, String>,
    processes: Vec<ProcessData>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ProcessData {
    pid: i32,
    parent: i32,
    program: String,
    arguments: Vec<String>,
    account: String,
    uid: u32,
    started: u64,
    state: Option<State>,
    #[serde(default = "yes")]
    inherit: bool,
    #[serde(default)]
    set: serde_json::Map<String, serde_json::Value>,
    #[serde(default)]
    unset: Vec<String>,
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
enum State {
    Kernel,
    Overwritten,
    Unreadable,
}

fn yes() -> bool {
    true
}

impl Pier {
    /// Reads the shipped data.
    pub(crate) fn load() -> Result<Pier, Failure> {
        Pier::parse(DATA).map_err(|what| Failure::new(format!("the demo's data is damaged: {what}")))
    }

    /// Follows the routes of the made-up host.
    pub(crate) fn survey(&self) -> Survey {
        let ground = Ground::new(&self.files, &self.accounts);
        let first = self.world.get(1).and_then(|p| p.received.block().cloned());
        Survey::of(&ground, &self.own, Starts { first, program: "systemd".to_owned() })
    }

    fn parse(text: &str) -> Result<Pier, String> {
        let data: Data = serde_json::from_str(text).map_err(|e| e.to_string())?;
        let name = |text: &str| Name::new(text.to_owned()).ok_or(format!("{text:?} is no name"));
        let mut files = MemoryTree::default();
        for (path, programs) in &data.folders {
            files = files.with_programs(path, programs);
        }
        for (from, to) in &data.links {
            files.link(from, to);
        }
        host::plant(&mut files);
        let accounts = match files.read(b"/etc/passwd") {
            Content::Bytes(passwd) => accounts_of(&passwd),
            _ => Vec::new(),
        };
        let own = accounts.iter().find(|a| a.name == data.account).cloned().ok_or("its account is missing")?;
        let mut world = World::default();
        for process in data.processes {
            let received = match process.state {
                Some(State::Kernel) => Received::Kernel,
                Some(State::Overwritten) => Received::Overwritten,
                Some(State::Unreadable) => Received::Unreadable(Refusal::OtherAccount(process.account.as_str().into())),
                None => {
                    let parent = world.get(process.parent).and_then(|p| p.received.block().cloned());
                    let mut edit = parent.filter(|_| process.inherit).unwrap_or(Block::empty()).edit();
                    for unset in &process.unset {
                        edit.unset(&name(unset)?);
                    }
                    for (key, json) in &process.set {
                        edit.set(&name(key)?, &value(json).ok_or(format!("the value of {key} of {} is none", process.pid))?);
                    }
                    Received::Block(edit.finish())
                }
            };
            let arguments: Vec<u8> = process.arguments.iter().flat_map(|a| [a.as_bytes(), b"\0"].concat()).collect();
            world.put(Process {
                id: ProcessId { pid: process.pid, started: process.started * 100 },
                parent: process.parent,
                program: process.program.into(),
                arguments: arguments.into(),
                uid: process.uid,
                account: process.account.into(),
                received,
            });
        }
        Ok(Pier {
            host: data.host,
            account: data.account,
            choose: name(&data.choose)?,
            select: data.select,
            files,
            accounts,
            own,
            world,
            recording: RECORDING,
            project: project(),
        })
    }
}

fn project() -> Vec<Source> {
    let files = [
        ("ticket-gate/base.env", &include_bytes!("gate/base.env")[..]),
        ("ticket-gate/rehearsal.env", include_bytes!("gate/rehearsal.env")),
        ("ticket-gate/board.env", include_bytes!("gate/board.env")),
    ];
    files.map(|(title, bytes)| Source { title: title.to_owned(), path: None, bytes: bytes.to_vec() }).to_vec()
}

fn value(json: &serde_json::Value) -> Option<Value> {
    Value::new(bytes_of_json(json)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use vectorum_core::{Limits, Trouble, findings};

    #[test]
    fn each_planted_trouble_is_found() {
        let pier = Pier::load().unwrap_or_else(|f| panic!("{f}"));
        let found = findings(&pier.world, &Limits::default());
        let has = |name: &str, pid: i32, is: fn(&Trouble) -> bool| {
            found.iter().any(|f| f.name.as_bytes() == name.as_bytes() && f.pid == pid && is(&f.trouble))
        };
        assert!(has("BERTH_LOG_DIR", 604, |t| matches!(t, Trouble::DroppedHere { siblings: 4 })));
        assert!(has("PATH", 606, |t| matches!(t, Trouble::ListOverwritten { lost: 4 })));
        assert!(has("BERTH_DB_URL", 601, |t| matches!(t, Trouble::Outdated { siblings: 4 })));
        assert!(has("TICKET_KEY", 700, |t| matches!(t, Trouble::SecretCarried { processes: 5, accounts: 1 })));
        assert!(has("GATE_BANNER", 703, |t| matches!(t, Trouble::HostileBytes)));
        assert_eq!(
            found.iter().filter(|f| !matches!(f.trouble, Trouble::SecretCarried { .. })).count(),
            4,
            "and nothing else: {found:?}"
        );
    }

    #[test]
    fn damaged_data_is_told() {
        for (from, to, told) in [
            ("\"pid\": 1,", "\"pid\": \"x\",", "invalid type"),
            ("\"TIDE_DATUM\"", "\"TIDE=DATUM\"", "no name"),
            ("TORjaGVyLTT/", "!", "PRINTER_NAME"),
        ] {
            let error = Pier::parse(&DATA.replacen(from, to, 1)).unwrap_err();
            assert!(error.contains(told), "{error}");
        }
    }
}
