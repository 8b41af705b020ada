//! Routes: the ways by which a process comes to exist, and the block that each would give.
//!
//! A route is a list of hops; a hop is a function that takes a [`Forecast`] as it is so far, asks
//! the [`Ground`] for what it reads, and changes it. Nothing is run and nothing is written. What
//! cannot be known is said to be unknown, with its reason; a value that is given is never a guess.
//!
//! The rules were measured by running the programs (Debian 12: systemd 252, Linux-PAM 1.5.2,
//! util-linux 2.38, shadow 4.13, sudo 1.9.13, cron 3.0pl1).

mod child;
mod container;
mod cron;
mod events;
mod flavour;
mod flow;
mod follower;
mod guess;
mod lack;
mod login;
mod manager;
mod pam;
mod path;
mod settle;
mod shell;
mod ssh;
mod story;
mod sudo;
mod survey;
mod unit;

use std::collections::{BTreeMap, BTreeSet};

use bytes::Bytes;
use globset::Glob;
use imbl::OrdMap;

use self::events::{Change, Deed};
use crate::block::{Block, Value};
use crate::host_view::{Content, HostView};
use crate::reader::{Effect, Reading, Surroundings, place, reader};
use crate::shell::trace::Cost;
use crate::shell::{Dialect, Outputs, Shells, Skipped};
use crate::tint::{Tint, Tints};

pub use child::{cargo_test, debugger, tmux_pane};
pub use container::container;
pub use cron::{Table, cron_job};
pub use events::{Event, Events};
pub use flavour::Flavour;
pub use flow::{Branch, By, FlowRow};
pub use follower::Follower;
pub use login::{console_login, su};
pub use manager::{system_manager, system_service, transient, user_manager, user_service, user_transient};
pub use path::{NoRoute, Route, Way};
pub use settle::{Before, PASSING, Probed};
pub use shell::{Form, shell_command, shell_script, shell_terminal};
pub use ssh::ssh;
pub use story::Told;
pub use sudo::{SudoForm, sudo};
pub use survey::{Bearer, ReachRow, Starts, Survey};

/// An account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Its name.
    pub name: Bytes,
    /// Its number.
    pub uid: u32,
    /// Its first group's number.
    pub gid: u32,
    /// Its home folder.
    pub home: Bytes,
    /// Its login shell.
    pub shell: Bytes,
}

#[cfg(test)]
impl Account {
    /// Those of a made-up host: root, and odile, with a shell.
    pub(crate) fn made_up(shell: &'static str) -> [Account; 2] {
        [("root", 0, "/root"), ("odile", 1000, "/home/odile")].map(|(name, uid, home)| Account {
            name: name.into(),
            uid,
            gid: uid,
            home: home.into(),
            shell: shell.into(),
        })
    }
}

/// Returns the accounts of a passwd(5) file. Lines that are none are passed over.
pub fn accounts_of(passwd: &[u8]) -> Vec<Account> {
    let account = |line: &[u8]| {
        let fields: Vec<&[u8]> = line.split(|b| *b == b':').collect();
        let [name, _, uid, gid, _, home, shell] = fields[..] else { return None };
        let number = |text: &[u8]| std::str::from_utf8(text).ok()?.parse().ok();
        let bytes = Bytes::copy_from_slice;
        // Without a shell it is this one.
        let shell = if shell.is_empty() { Bytes::from_static(b"/bin/sh") } else { bytes(shell) };
        Some(Account { name: bytes(name), uid: number(uid)?, gid: number(gid)?, home: bytes(home), shell })
    };
    passwd.split(|b| *b == b'\n').filter_map(account).collect()
}

/// What hops may ask: a host's files and accounts.
#[derive(Clone, Copy)]
pub struct Ground<'a> {
    /// The files.
    pub files: &'a dyn HostView,
    /// The accounts.
    pub accounts: &'a [Account],
    /// What the running managers say of their blocks, on a host that runs.
    pub running: Option<&'a Running>,
    /// What sudo says of its policy, where the policy's files may not be read.
    pub sudo_says: Option<&'a [u8]>,
    /// The shell, counted from none on, that a route is followed to.
    pub stops_at_shell: Option<usize>,
    /// Whether a policy that may not be read is taken for the one that comes with its program.
    pub assumes_stock: bool,
    /// Whether shells are passed over, as if they had no files and did nothing by themselves.
    pub passes_shells: bool,
    /// The shells that were followed on this state of the host.
    pub shells: Option<&'a Shells>,
    /// What programs printed that were run for this answer.
    pub outputs: Option<&'a Outputs>,
}

/// The blocks of running service managers: entries as they give them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Running {
    /// The system's.
    pub system: Option<Vec<Bytes>>,
    /// The account's own.
    pub user: Option<Vec<Bytes>>,
}

impl<'a> Ground<'a> {
    /// A host that is only looked at, not one that runs.
    pub fn new(files: &'a dyn HostView, accounts: &'a [Account]) -> Ground<'a> {
        Ground {
            files,
            accounts,
            running: None,
            sudo_says: None,
            stops_at_shell: None,
            assumes_stock: false,
            passes_shells: false,
            shells: None,
            outputs: None,
        }
    }
}

impl Ground<'_> {
    /// Returns an account by its name or number.
    pub fn account(&self, name: &[u8]) -> Option<&Account> {
        let number = std::str::from_utf8(name).ok().and_then(|n| n.parse().ok());
        self.accounts.iter().find(|a| a.name == name || Some(a.uid) == number)
    }

    /// Reads a file; an unreadable one makes what depends on it unknown.
    fn read(&self, path: &[u8]) -> Content {
        self.files.read(path)
    }
}

/// A place that decides: a file and a line of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Site {
    /// The file.
    pub path: Bytes,
    /// The line, counted from 1.
    pub line: usize,
}

/// What is known of a value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Held {
    /// These bytes.
    Known(Bytes),
    /// It is set, to something made anew at each start.
    PerRun,
    /// It may be set or not, to this reason.
    Unknown(&'static str),
}

/// A variable of a forecast.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Variable {
    /// Its value.
    pub held: Held,
    /// The line that decided it; `None` for what a program sets by itself or was there before.
    pub site: Option<Site>,
    /// The hop that decided it by a rule of its own, by its place in [`Forecast::hops`]; `None` for what was there before,
    /// and for what a line decided that a shell ran.
    pub hop: Option<usize>,
    /// Of an unknown value: what it can only be, if that is little.
    pub could_be: Vec<Bytes>,
    /// Of an unknown value: whether it may not be set at all.
    pub may_be_absent: bool,
}

impl Variable {
    fn new(held: Held, site: Option<Site>, hop: Option<usize>) -> Variable {
        let may_be_absent = matches!(held, Held::Unknown(_));
        Variable { held, site, hop, could_be: Vec::new(), may_be_absent }
    }
}

/// Whether a route comes to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reached {
    /// It does.
    Yes,
    /// It ends before, for this reason at this place.
    No(&'static str, Option<Site>),
}

/// The block that a route would give, as far as its hops were followed.
#[derive(Clone, Debug)]
pub struct Forecast {
    vars: OrdMap<Bytes, Variable>,
    /// Why any name may have changed or come in besides, if so.
    pub open: Option<(&'static str, Option<Site>)>,
    /// Whether the program at the end is started.
    pub reached: Reached,
    /// Why it may never be started all the same, if so. What is forecast holds where it is.
    pub may_end: Option<(&'static str, Option<Site>)>,
    /// The hops, in words.
    pub hops: Vec<String>,
    /// What happened, in order.
    pub events: Events,
    /// What the last shell on the route sets but does not export, with the line.
    pub kept: Vec<(Bytes, Site)>,
    /// Lines of startup files that would set a name but are not reached.
    pub skipped: Vec<Skipped>,
    /// The startup files that were read, in order.
    pub read: Vec<Bytes>,
    /// What it would be by the rules that come with a program whose policy may not be read.
    pub assumed: Option<Box<Forecast>>,
    /// How many shells were started on the way.
    shells: usize,
    /// The shell that it was to be followed to.
    pub launch: Option<Box<Launch>>,
    /// The names that are as a probe saw them, and not as the sources tell.
    pub seen: BTreeSet<Bytes>,
    /// What a probe saw starting each shell cost.
    pub costs: Vec<(String, Vec<Cost>)>,
}

/// A shell on a route, as somebody who would start it has to know it.
#[derive(Clone, Debug)]
pub struct Launch {
    /// Its file.
    pub program: Bytes,
    /// Its kind; `None` for fish.
    pub dialect: Option<Dialect>,
    /// Whether it is a login shell.
    pub is_login: bool,
    /// What it is started for.
    pub purpose: Purpose,
    /// As whom.
    pub account: Account,
    /// Where.
    pub folder: Bytes,
    /// What it is handed.
    pub block: BTreeMap<Bytes, Variable>,
    /// The startup files that it reads of itself, in order.
    pub startup: Vec<Bytes>,
    /// All files that it reads, in order.
    pub read: Vec<Bytes>,
}

/// What a shell is started for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Purpose {
    /// A terminal, at which commands are typed.
    Terminal,
    /// A command.
    Command,
    /// A script.
    Script,
}

/// Why a route is open that sudo decides.
const POLICY_DENIED: &str = "sudo's policy may not be read";
/// Why a route is open that sshd decides.
const CONFIGURATION_DENIED: &str = "sshd's configuration may not be read";

impl Forecast {
    /// Begins with the block of the first program on the route.
    pub fn begin(start: &Block) -> Forecast {
        let first = |(name, value): (crate::Name, crate::Value)| {
            let held = Held::Known(Bytes::copy_from_slice(value.as_bytes()));
            (Bytes::copy_from_slice(name.as_bytes()), Variable::new(held, None, None))
        };
        let vars = start.vars().map(first).collect();
        Forecast {
            vars,
            open: None,
            reached: Reached::Yes,
            may_end: None,
            hops: Vec::new(),
            events: Events::default(),
            kept: Vec::new(),
            skipped: Vec::new(),
            read: Vec::new(),
            assumed: None,
            shells: 0,
            launch: None,
            seen: BTreeSet::new(),
            costs: Vec::new(),
        }
    }

    /// Goes back to what the shell is handed that the route was to be followed to; where it is not
    /// followed, nothing came after it.
    #[must_use]
    pub fn handed(mut self) -> Forecast {
        if let Some(launch) = self.launch.take() {
            self.vars = launch.block.into_iter().collect();
        }
        self
    }

    /// Returns a name's variable.
    pub fn get(&self, name: &[u8]) -> Option<&Variable> {
        self.vars.get(name)
    }

    /// Returns all variables in the order of their names.
    pub fn vars(&self) -> impl Iterator<Item = (&Bytes, &Variable)> {
        self.vars.iter()
    }

    /// Returns the events of one name.
    pub fn trail<'a>(&'a self, name: &'a [u8]) -> impl DoubleEndedIterator<Item = Event<'a>> {
        self.events.of(name)
    }

    /// Returns the tint of a name at the end; nothing is set where the route never comes to it.
    pub fn tint(&self, name: &[u8], tints: &mut Tints) -> Tint {
        match self.get(name).map(|v| &v.held) {
            _ if self.reached != Reached::Yes => Tint::Absent,
            Some(Held::Known(value)) => Value::new(value.clone()).map_or(Tint::Unknown, |v| tints.of(&v)),
            Some(Held::PerRun) => Tint::PerRun,
            None if self.open.is_none() => Tint::Absent,
            _ => Tint::Unknown,
        }
    }

    /// A known value.
    pub fn known(&self, name: &[u8]) -> Option<&Bytes> {
        match &self.vars.get(name)?.held {
            Held::Known(value) => Some(value),
            _ => None,
        }
    }

    /// What is known, as a block.
    pub fn block(&self) -> Block {
        Block::from_vars(self.vars.iter().filter_map(|(name, v)| match &v.held {
            Held::Known(value) => Some((&name[..], &value[..])),
            _ => None,
        }))
    }

    /// Goes on to the next hop.
    fn hop(&mut self, words: impl Into<String>) {
        self.hops.push(words.into());
    }

    fn put(&mut self, name: &[u8], held: Held, site: Option<Site>) {
        let hop = self.hops.len().checked_sub(1);
        let name = Bytes::copy_from_slice(name);
        self.events.push(Deed::new(hop.unwrap_or(0), name.clone(), Some(held.clone()), site.clone()));
        self.vars.insert(name, Variable::new(held, site, hop));
    }

    /// Sets a name to what a program gives it by itself.
    fn set(&mut self, name: &[u8], value: impl AsRef<[u8]>) {
        self.put(name, Held::Known(Bytes::copy_from_slice(value.as_ref())), None);
    }

    /// Says that a name's value is made anew at each start.
    fn per_run(&mut self, name: &[u8]) {
        if let Some(variable) = self.vars.get_mut(name) {
            variable.held = Held::PerRun;
            if let Some(event) = self.events.last_of(name) {
                event.held = Some(Held::PerRun);
            }
        }
    }

    fn drop_name(&mut self, name: &[u8], why: Option<&'static str>, site: Option<Site>) {
        let had = self.vars.remove(name).is_some();
        if had {
            let hop = self.hops.len().saturating_sub(1);
            self.events.push(Deed { why, ..Deed::new(hop, Bytes::copy_from_slice(name), None, site) });
        }
    }

    /// Drops names by one rule of a hop's.
    fn drop_names(&mut self, why: &'static str, drops: impl Fn(&[u8], &Held) -> bool) {
        let kept = self.vars.iter().filter(|(name, variable)| !drops(name, &variable.held));
        let after: OrdMap<Bytes, Variable> = kept.map(|(name, variable)| (name.clone(), variable.clone())).collect();
        if after.len() < self.vars.len() {
            let before = std::mem::replace(&mut self.vars, after.clone());
            self.events.push_dropped(self.hops.len().saturating_sub(1), Change { before, after }, why);
        }
    }

    /// Drops every name that a hop does not keep.
    fn keep(&mut self, why: &'static str, keeps: impl Fn(&[u8]) -> bool) {
        self.drop_names(why, |name, _| !keeps(name));
        // What might have come in is dropped with the rest.
        self.open = None;
    }

    /// Says that from here on nothing is known.
    fn open(&mut self, why: &'static str, site: Option<Site>) {
        self.open.get_or_insert((why, site));
        let hop = self.hops.len().checked_sub(1);
        self.vars = self.vars.keys().map(|name| (name.clone(), Variable::new(Held::Unknown(why), None, hop))).collect();
    }

    fn fails(&mut self, why: &'static str, site: Option<Site>) {
        self.reached = Reached::No(why, site);
    }

    /// Lays entries over the block.
    fn lay(&mut self, entries: Vec<Laid>) {
        for Laid { name, effect, site, copies } in entries {
            match effect {
                Effect::Set(value) => {
                    // A value that is only handed on still comes from where it was written.
                    let held = Held::Known(value);
                    let from = copies.and_then(|n| self.vars.get(&n)).filter(|v| v.held == held);
                    let origin = from.and_then(|v| v.site.clone());
                    self.put(&name, held, Some(site));
                    if let (Some(origin), Some(variable)) = (origin, self.vars.get_mut(&name)) {
                        variable.site = Some(origin);
                    }
                }
                Effect::Unset => self.drop_name(&name, None, Some(site)),
                Effect::Unknown(why) => self.put(&name, Held::Unknown(why), Some(site)),
            }
        }
    }
}

/// An entry of a source with its site.
#[derive(Clone, Debug)]
struct Laid {
    name: Bytes,
    effect: Effect,
    site: Site,
    /// The name whose value it takes over as it is, if that is all it does.
    copies: Option<Bytes>,
}

/// Puts a reading's entries with their sites.
fn laid(path: &[u8], file: &[u8], reading: Reading) -> Vec<Laid> {
    let path = Bytes::copy_from_slice(path);
    // Entries stand in the order of the file for the most part: lines are counted once.
    let (mut at, mut line) = (0, 1);
    let mut line_of = |offset: usize| {
        if offset < at {
            return place(file, offset).0;
        }
        line += memchr::memchr_iter(b'\n', file.get(at..offset).unwrap_or_default()).count();
        at = offset;
        line
    };
    reading
        .entries
        .into_iter()
        .map(|e| Laid {
            copies: file.get(e.value_span.clone()).and_then(reference),
            name: e.name,
            effect: e.effect,
            site: Site { path: path.clone(), line: line_of(e.span.start) },
        })
        .collect()
}

/// Returns the name if a value is nothing but a reference, as `$NAME`, `${NAME}` or `${NAME:-…}`.
fn reference(text: &[u8]) -> Option<Bytes> {
    let text = text.trim_ascii();
    let text = text.strip_prefix(b"\"").and_then(|t| t.strip_suffix(b"\"")).unwrap_or(text);
    let inner = text.strip_prefix(b"$")?;
    let inner = inner.strip_prefix(b"{").and_then(|i| i.strip_suffix(b"}")).unwrap_or(inner);
    let length = inner.iter().position(|b| !crate::reader::is_word(*b)).unwrap_or(inner.len());
    let (name, rest) = inner.split_at(length);
    (!name.is_empty() && (rest.is_empty() || rest.starts_with(b":-"))).then(|| Bytes::copy_from_slice(name))
}

/// Reads a file with a reader of the table. Returns nothing if it is not there.
fn read_as(ground: &Ground<'_>, id: &str, path: &[u8], around: &Surroundings) -> Result<Vec<Laid>, &'static str> {
    match ground.read(path) {
        Content::Missing => Ok(Vec::new()),
        Content::Denied => Err("a file on the way may not be read"),
        Content::Bytes(file) => {
            let Some(reader) = reader(id) else { return Ok(Vec::new()) };
            Ok(laid(path, &file, reader.read(&file, around)))
        }
    }
}

/// Returns the files that a path with patterns in its last part names, in order.
fn matching(ground: &Ground<'_>, pattern: &[u8]) -> Vec<Bytes> {
    if !pattern.iter().any(|b| b"*?[".contains(b)) {
        let there = ground.files.real_path(pattern).is_some();
        return there.then(|| Bytes::copy_from_slice(pattern)).into_iter().collect();
    }
    let slash = memchr::memrchr(b'/', pattern).unwrap_or(0);
    let (folder, name) = (pattern.get(..slash).unwrap_or_default(), pattern.get(slash + 1..).unwrap_or_default());
    let glob = std::str::from_utf8(name).ok().and_then(|n| Glob::new(n).ok()).map(|g| g.compile_matcher());
    let Some(glob) = glob else { return Vec::new() };
    let mut names = ground.files.list(folder).unwrap_or_default();
    names.retain(|n| {
        let is_hidden = n.first() == Some(&b'.') && name.first() != Some(&b'.');
        !is_hidden && std::str::from_utf8(n).is_ok_and(|n| glob.is_match(n))
    });
    names.sort();
    names.into_iter().map(|n| Bytes::from([folder, b"/", &n].concat())).collect()
}

/// What readers know of an account.
fn surroundings(account: &Account, outer: Block) -> Surroundings {
    Surroundings {
        outer,
        account: account.name.clone(),
        uid: account.uid,
        home: account.home.clone(),
        shell: account.shell.clone(),
        ..Surroundings::default()
    }
}
