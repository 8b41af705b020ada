//! What looks wrong among the processes of a host.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use crate::block::{Block, Name};
use crate::limits::Limits;
use crate::list::{ListKind, Members};
use crate::process::Process;
use crate::secret::judge;
use crate::world::World;

/// One thing that deserves a second look.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// What it is about.
    pub name: Name,
    /// The process that shows it, the first of several.
    pub pid: i32,
    /// What is wrong.
    pub trouble: Trouble,
}

/// What can be wrong.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Trouble {
    /// The process lacks what most of its siblings, children of one parent that run the same
    /// program, received. Holds the number of siblings that have it.
    DroppedHere {
        /// How many siblings have the name.
        siblings: usize,
    },
    /// A list that lost every item that the parent's had.
    ListOverwritten {
        /// How many items are gone.
        lost: usize,
    },
    /// A value other than what most siblings received, by a process started before all of those.
    Outdated {
        /// How many siblings have the newer value.
        siblings: usize,
    },
    /// Control bytes that would steer a terminal.
    HostileBytes,
    /// The block takes most of what the kernel accepts, in percent.
    NearTheLimit {
        /// How much is used.
        percent: usize,
    },
    /// A secret that several processes carry.
    SecretCarried {
        /// How many.
        processes: usize,
        /// Of how many accounts.
        accounts: usize,
    },
}

impl Trouble {
    /// Returns the trouble as a clause about the name.
    pub fn words(&self) -> String {
        match self {
            Trouble::DroppedHere { siblings } => {
                format!("is missing here, though {siblings} sibling{} of the same program received it", plural(*siblings))
            }
            Trouble::ListOverwritten { lost } => {
                format!("was overwritten instead of extended: the parent's {lost} item{} are gone", plural(*lost))
            }
            Trouble::Outdated { siblings } => {
                format!("is an older value: {siblings} sibling{}, all started later, received another", plural(*siblings))
            }
            Trouble::HostileBytes => "holds control bytes that would steer a terminal".to_owned(),
            Trouble::NearTheLimit { percent } => format!("makes a block that takes {percent} % of what the kernel accepts"),
            Trouble::SecretCarried { processes, accounts } => format!(
                "looks secret and is carried by {processes} process{} of {accounts} account{}",
                if *processes == 1 { "" } else { "es" },
                plural(*accounts)
            ),
        }
    }

    /// Whether it is something wrong, rather than something to know.
    pub fn is_grave(&self) -> bool {
        !matches!(self, Trouble::SecretCarried { .. })
    }

    /// Returns what a person can do about it.
    pub fn way_out(&self) -> &'static str {
        match self {
            Trouble::DroppedHere { .. } => "look at what starts this one otherwise than its siblings",
            Trouble::ListOverwritten { .. } => "add to the list instead of setting it: NAME=item:$NAME, or run --first NAME=item",
            Trouble::Outdated { .. } => "restart it: a block is given once, at the start",
            Trouble::HostileBytes => "find out who set it, and never print it with echo",
            Trouble::NearTheLimit { .. } => "shorten it, or pass it in a file: beyond the limit no program can be started",
            Trouble::SecretCarried { .. } => "give it only to the program that needs it; every child inherits it",
        }
    }
}

fn plural(count: usize) -> &'static str {
    if count == 1 { "" } else { "s" }
}

/// Names whose values hold terminal sequences by their purpose.
fn steers_by_purpose(name: &[u8]) -> bool {
    name.starts_with(b"LESS_TERMCAP_") || matches!(name, b"PS1" | b"PS2" | b"PS3" | b"PS4" | b"PROMPT" | b"RPROMPT" | b"TERMCAP")
}

/// Whether a value holds control bytes that would steer a terminal and have no business there.
pub(crate) fn is_hostile(name: &[u8], value: &[u8]) -> bool {
    let steers = |b: &u8| *b < 0x20 && !matches!(b, b'\n' | b'\t' | b'\r') || *b == 0x7f;
    let csi = memchr::memmem::find(value, b"\xc2\x9b").is_some();
    (csi || value.iter().any(steers)) && !steers_by_purpose(name) && !value.starts_with(b"() {")
}

/// Names that differ between siblings as a matter of course.
fn is_personal(name: &[u8]) -> bool {
    matches!(
        name,
        b"_" | b"PWD"
            | b"OLDPWD"
            | b"SHLVL"
            | b"INVOCATION_ID"
            | b"JOURNAL_STREAM"
            | b"SYSTEMD_EXEC_PID"
            | b"WATCHDOG_PID"
            | b"LISTEN_PID"
            | b"LISTEN_FDS"
            | b"LISTEN_FDNAMES"
            | b"LISTEN_PIDFDID"
            | b"NOTIFY_SOCKET"
    ) || name.starts_with(b"MEMORY_PRESSURE_")
}

/// Returns what looks wrong, the gravest first, then by name and process.
pub fn findings(world: &World, limits: &Limits) -> Vec<Finding> {
    let mut out = Vec::new();
    among_siblings(world, &mut out);
    against_parents(world, &mut out);
    in_values(world, limits, &mut out);
    out.sort_by(|a, b| (rank(&a.trouble), &a.name, a.pid).cmp(&(rank(&b.trouble), &b.name, b.pid)));
    out
}

fn rank(trouble: &Trouble) -> u8 {
    match trouble {
        Trouble::DroppedHere { .. } => 0,
        Trouble::ListOverwritten { .. } => 1,
        Trouble::Outdated { .. } => 2,
        Trouble::HostileBytes => 3,
        Trouble::NearTheLimit { .. } => 4,
        Trouble::SecretCarried { .. } => 5,
    }
}

/// Children of one parent that run one program, with their blocks.
type Group<'a> = Vec<(&'a Process, &'a Block)>;

/// Siblings that run one program should have received the same.
fn among_siblings(world: &World, out: &mut Vec<Finding>) {
    let mut groups: BTreeMap<(i32, &[u8]), Group<'_>> = BTreeMap::new();
    for process in world.processes() {
        if let Some(block) = process.received.block() {
            groups.entry((process.parent, &process.program)).or_default().push((process, block));
        }
    }
    for group in groups.into_values().filter(|g| g.len() >= 3 && g.iter().any(|(_, b)| b != &g[0].1)) {
        let mut holders: HashMap<Name, HashMap<crate::Value, Vec<&Process>>> = HashMap::new();
        for (process, block) in &group {
            for (name, value) in block.vars().filter(|(n, _)| !is_personal(n.as_bytes())) {
                holders.entry(name).or_default().entry(value).or_default().push(process);
            }
        }
        for (name, values) in holders {
            let having: usize = values.values().map(Vec::len).sum();
            let lacking = group.len() - having;
            // Most have it, few do not: those few are suspect, not the many.
            if lacking > 0 && lacking * 2 < group.len() {
                let having_pids: BTreeSet<i32> = values.values().flatten().map(|p| p.id.pid).collect();
                for (process, _) in group.iter().filter(|(p, _)| !having_pids.contains(&p.id.pid)) {
                    out.push(Finding {
                        name: name.clone(),
                        pid: process.id.pid,
                        trouble: Trouble::DroppedHere { siblings: having },
                    });
                }
            }
            let Some(most) = values.values().max_by_key(|p| p.len()).filter(|p| p.len() * 2 > group.len()) else { continue };
            let first_of_most = most.iter().map(|p| p.id.started).min().unwrap_or(0);
            for process in values.values().filter(|p| p.len() != most.len()).flatten() {
                if process.id.started < first_of_most {
                    out.push(Finding {
                        name: name.clone(),
                        pid: process.id.pid,
                        trouble: Trouble::Outdated { siblings: most.len() },
                    });
                }
            }
        }
    }
}

/// A list that a child received should hold something of its parent's.
fn against_parents(world: &World, out: &mut Vec<Finding>) {
    for process in world.processes() {
        let (Some(block), Some(parent)) = (process.received.block(), world.parent(process).and_then(|p| p.received.block()))
        else {
            continue;
        };
        if block == parent {
            continue;
        }
        for (name, value) in block.vars() {
            let Some(before) = parent.get(name.as_bytes()) else { continue };
            let Some(kind) = ListKind::of(name.as_bytes(), before).filter(|k| k.members != Members::Words) else { continue };
            let (old, new) = (kind.items(before), kind.items(value.as_bytes()));
            if old.len() >= 2 && !new.is_empty() && !new.iter().any(|item| old.contains(item)) {
                out.push(Finding { name, pid: process.id.pid, trouble: Trouble::ListOverwritten { lost: old.len() } });
            }
        }
    }
}

fn in_values(world: &World, limits: &Limits, out: &mut Vec<Finding>) {
    let mut secrets: BTreeMap<Name, (i32, usize, BTreeSet<u32>)> = BTreeMap::new();
    let mut hostile: BTreeSet<(Name, crate::Value)> = BTreeSet::new();
    // A block shared by many processes is judged once.
    let mut judged: HashMap<*const u8, Vec<Name>> = HashMap::new();
    for process in world.processes() {
        let Some(block) = process.received.block() else { continue };
        let Some(key) = block.entries().next().map(|e| e.raw().as_ptr()) else { continue };
        let is_new = !judged.contains_key(&key);
        let named = judged.entry(key).or_insert_with(|| {
            let secret =
                |(name, value): (Name, crate::Value)| judge(name.as_bytes(), value.as_bytes()).is_secret().then_some(name);
            block.vars().filter_map(secret).collect()
        });
        for name in named.iter() {
            let carried = secrets.entry(name.clone()).or_insert((process.id.pid, 0, BTreeSet::new()));
            carried.1 += 1;
            carried.2.insert(process.uid);
        }
        if !is_new {
            continue;
        }
        for (name, value) in block.vars() {
            if is_hostile(name.as_bytes(), value.as_bytes()) && hostile.insert((name.clone(), value)) {
                out.push(Finding { name, pid: process.id.pid, trouble: Trouble::HostileBytes });
            }
        }
        let percent = block.size(limits).percent(limits);
        if let (true, Some((name, _))) = (percent >= 80, block.vars().max_by_key(|(_, v)| v.as_bytes().len())) {
            out.push(Finding { name, pid: process.id.pid, trouble: Trouble::NearTheLimit { percent } });
        }
    }
    out.extend(secrets.into_iter().map(|(name, (pid, processes, accounts))| Finding {
        name,
        pid,
        trouble: Trouble::SecretCarried { processes, accounts: accounts.len() },
    }));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::process::{ProcessId, Received};
    use bytes::Bytes;

    type Row<'a> = (i32, i32, &'a str, &'a [(&'a str, &'a str)]);

    fn world(processes: &[Row<'_>]) -> World {
        let mut world = World::default();
        for (pid, parent, program, vars) in processes {
            world.put(Process {
                id: ProcessId { pid: *pid, started: *pid as u64 },
                parent: *parent,
                program: Bytes::copy_from_slice(program.as_bytes()),
                arguments: Bytes::new(),
                uid: 7,
                account: "pier".into(),
                received: Received::Block(Block::from_vars(vars.iter().copied())),
            });
        }
        world
    }

    fn told(world: &World) -> Vec<String> {
        findings(world, &Limits::default()).iter().map(|f| format!("{} {} {}", f.name, f.pid, f.trouble.words())).collect()
    }

    #[test]
    fn siblings_that_differ() {
        let found = told(&world(&[
            (1, 0, "gate", &[("LEVEL", "new")]),
            (2, 1, "worker", &[("LEVEL", "old"), ("DIR", "/a")]),
            (3, 1, "worker", &[("LEVEL", "new"), ("DIR", "/a")]),
            (4, 1, "worker", &[("LEVEL", "new")]),
            (5, 1, "worker", &[("LEVEL", "new"), ("DIR", "/a"), ("PWD", "/x")]),
            (6, 1, "worker", &[("LEVEL", "newest"), ("DIR", "/a"), ("PWD", "/y")]),
        ]));
        assert_eq!(
            found,
            [
                "DIR 4 is missing here, though 4 siblings of the same program received it",
                "LEVEL 2 is an older value: 3 siblings, all started later, received another",
            ]
        );
    }

    #[test]
    fn lists_secrets_hostile_bytes_and_size() {
        let long = "x".repeat(120_000);
        let found = told(&world(&[
            (1, 0, "gate", &[("PATH", "/usr/bin:/bin"), ("TICKET_KEY", "gull")]),
            (2, 1, "a", &[("PATH", "/opt/bin"), ("TICKET_KEY", "gull"), ("NOTE", "\x1b]0;x\x07")]),
            (3, 1, "b", &[("PATH", "/opt/bin:/bin"), ("PS1", "\x1b[1m$ "), ("NOTE", "a\nb")]),
            (4, 1, "c", &[("LONG", &long)]),
        ]));
        assert_eq!(
            found,
            [
                "PATH 2 was overwritten instead of extended: the parent's 2 items are gone",
                "NOTE 2 holds control bytes that would steer a terminal",
                "LONG 4 makes a block that takes 91 % of what the kernel accepts",
                "TICKET_KEY 1 looks secret and is carried by 2 processes of 1 account",
            ]
        );
    }

    #[test]
    fn nothing_wrong_nothing_found() {
        let vars: &[(&str, &str)] = &[("PATH", "/usr/bin:/bin"), ("HOME", "/")];
        assert!(told(&world(&[(1, 0, "a", vars), (2, 1, "b", vars), (3, 1, "b", vars), (4, 1, "b", vars)])).is_empty());
    }
}
