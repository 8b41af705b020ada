//! Why the kernel keeps a process's memory from us.

use std::fs;

use nix::unistd::{geteuid, getuid};
use rustix::fd::BorrowedFd;
use rustix::fs::{AtFlags, statat};
use vectorum_core::Refusal;

use crate::accounts::Accounts;
use crate::proc::read_at;

/// What is to be done with the memory; the kernel's rules differ (ptrace(2)).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Access {
    /// `PTRACE_MODE_READ`: the start block and a few others of /proc.
    Read,
    /// `PTRACE_MODE_ATTACH`: the memory itself.
    Attach,
}

/// What the rules look at.
#[derive(Clone, Debug)]
struct Facts {
    access: Access,
    own_uid: u32,
    own_capabilities: u64,
    /// Real, effective and saved number of the process's account.
    uids: [u32; 3],
    /// The owner of the files in its folder in /proc: root for memory that is private.
    files_owner: u32,
    capabilities: u64,
    yama: u8,
}

const CAP_SYS_PTRACE: u64 = 1 << 19;

/// Follows the kernel's rules in their order (`__ptrace_may_access`, then the security modules).
fn decide(facts: &Facts, name: impl FnOnce(u32) -> std::sync::Arc<str>) -> Refusal {
    let privileged = facts.own_capabilities & CAP_SYS_PTRACE != 0;
    if !privileged {
        if facts.own_uid == 0 {
            return Refusal::NoCapability;
        }
        if let Some(other) = facts.uids.iter().find(|uid| **uid != facts.own_uid) {
            return Refusal::OtherAccount(name(*other));
        }
        if facts.files_owner != facts.uids[1] || facts.capabilities & !facts.own_capabilities != 0 {
            return Refusal::NotDumpable;
        }
    }
    match (facts.access, facts.yama) {
        (Access::Attach, 3) => Refusal::Yama(3),
        (Access::Attach, scope @ 1..=2) if !privileged => Refusal::Yama(scope),
        _ if privileged => Refusal::OtherNamespace,
        _ => Refusal::Kernel,
    }
}

/// Finds out why access to a process, by its folder in /proc, was refused.
pub(crate) fn explain(folder: BorrowedFd<'_>, access: Access, accounts: &mut Accounts) -> Refusal {
    let files_owner = statat(folder, "environ", AtFlags::empty()).map_or(0, |s| s.st_uid);
    let status = read_at(folder, "status").unwrap_or_default();
    let own = fs::read("/proc/self/status").unwrap_or_default();
    let yama = fs::read_to_string("/proc/sys/kernel/yama/ptrace_scope").ok().and_then(|s| s.trim().parse().ok()).unwrap_or(0);
    let facts = Facts {
        access,
        own_uid: if getuid() == geteuid() { getuid().as_raw() } else { geteuid().as_raw() },
        own_capabilities: field(&own, "CapEff:").and_then(|f| u64::from_str_radix(f.first()?, 16).ok()).unwrap_or(0),
        uids: uids(&status).unwrap_or([files_owner; 3]),
        files_owner,
        capabilities: field(&status, "CapPrm:").and_then(|f| u64::from_str_radix(f.first()?, 16).ok()).unwrap_or(0),
        yama,
    };
    decide(&facts, |uid| accounts.name(uid))
}

/// Returns the words of a line of a status file (proc_pid_status(5)).
fn field<'a>(status: &'a [u8], label: &str) -> Option<Vec<&'a str>> {
    let line = status.split(|b| *b == b'\n').find_map(|line| line.strip_prefix(label.as_bytes()))?;
    Some(std::str::from_utf8(line).ok()?.split_whitespace().collect())
}

/// Returns the real, effective and saved account number of a status file.
fn uids(status: &[u8]) -> Option<[u32; 3]> {
    let numbers: Vec<u32> = field(status, "Uid:")?.iter().filter_map(|n| n.parse().ok()).collect();
    numbers.get(..3)?.try_into().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rule_that_refuses() {
        let ours = || Facts {
            access: Access::Attach,
            own_uid: 1000,
            own_capabilities: 0,
            uids: [1000; 3],
            files_owner: 1000,
            capabilities: 0,
            yama: 0,
        };
        let root = || Facts { own_uid: 0, own_capabilities: u64::MAX, ..ours() };
        for (facts, refusal) in [
            (Facts { uids: [1001; 3], ..ours() }, Refusal::OtherAccount("u1001".into())),
            (Facts { uids: [1000, 0, 0], ..ours() }, Refusal::OtherAccount("u0".into())),
            (Facts { files_owner: 0, ..ours() }, Refusal::NotDumpable),
            (Facts { capabilities: 1 << 13, ..ours() }, Refusal::NotDumpable),
            (Facts { yama: 1, ..ours() }, Refusal::Yama(1)),
            (Facts { yama: 2, ..ours() }, Refusal::Yama(2)),
            (Facts { yama: 1, access: Access::Read, ..ours() }, Refusal::Kernel),
            (Facts { yama: 0, ..ours() }, Refusal::Kernel),
            (Facts { yama: 2, ..root() }, Refusal::OtherNamespace),
            (Facts { own_capabilities: 0, ..root() }, Refusal::NoCapability),
            (Facts { yama: 3, ..root() }, Refusal::Yama(3)),
        ] {
            assert_eq!(decide(&facts, |uid| format!("u{uid}").into()), refusal, "{facts:?}");
        }
    }

    #[test]
    fn status_files() {
        let status = b"Name:\tgate\nUid:\t1\t2\t3\t4\nCapPrm:\t00f\n";
        assert_eq!(uids(status), Some([1, 2, 3]));
        assert_eq!(field(status, "CapPrm:"), Some(vec!["00f"]));
        assert_eq!(uids(b"Name:\tgate\n"), None);
    }
}
