//! A host's files without those that the kernel makes up while they are read: what they say now is not what the shell will
//! read (proc(5), sysfs(5), null(4)).

use bytes::Bytes;

use super::reach::Reach;
use crate::host_view::{Content, HostView, Kind, Want};
use crate::route::Account;

/// Files of this kind that say the same for as long as the system runs.
const STAYING: [&[u8]; 4] =
    [b"/proc/version", b"/proc/sys/kernel/osrelease", b"/proc/sys/kernel/ostype", b"/proc/sys/kernel/version"];

/// What the firmware says of the machine.
const OF_FIRMWARE: &[u8] = b"/sys/class/dmi/id/";

/// Why nothing is said of one of them.
pub(super) const PASSES: &str = "what is there only while the system runs";

/// Files but for those.
pub(super) struct Passing<'a> {
    host: Reach<'a>,
}

impl<'a> Passing<'a> {
    /// Those that an account reaches.
    pub(super) fn new(host: &'a dyn HostView, account: &Account) -> Passing<'a> {
        Passing { host: Reach::new(host, account) }
    }

    /// Whether a path leads to what is made up, by itself or as a link such as `/etc/mtab`.
    fn leads_there(&self, path: &[u8]) -> bool {
        let is_link = || self.host.is_link(path) == Some(true);
        is_made_up(path) || is_link() && self.host.real_path(path).is_some_and(|real| is_made_up(&real))
    }
}

/// A path without doubled and last slashes and without `.`.
pub(super) fn clean(path: &[u8]) -> Bytes {
    let parts: Vec<&[u8]> = path.split(|b| *b == b'/').filter(|p| !p.is_empty() && p != b".").collect();
    [b"/", &parts.join(&b'/')[..]].concat().into()
}

/// Whether a clean path is one of these folders or lies below it.
fn lies_in(path: &[u8], folders: &[&[u8]]) -> bool {
    folders.iter().any(|folder| path.strip_prefix(*folder).is_some_and(|rest| rest.is_empty() || rest.starts_with(b"/")))
}

/// Whether what a file holds is made up while it is read, and not the same each time.
pub(super) fn is_made_up(path: &[u8]) -> bool {
    lies_in(&clean(path), &[b"/proc", b"/sys", b"/dev"]) && !stays(path)
}

/// Whether what lies at a path comes and goes: devices stay, more or less.
fn comes_and_goes(path: &[u8]) -> bool {
    let path = clean(path);
    lies_in(&path, &[b"/proc", b"/sys"]) && path != "/proc" && path != "/sys" && !stays(&path)
}

fn stays(path: &[u8]) -> bool {
    let path = clean(path);
    STAYING.contains(&&path[..]) || path.starts_with(OF_FIRMWARE)
}

impl HostView for Passing<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        match self.host.kind(path) {
            _ if comes_and_goes(path) => Kind::Unknown,
            // A tree that no system runs on has none of them.
            Kind::Missing if stays(path) => Kind::Unknown,
            kind => kind,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.host.programs(folder).filter(|_| !is_made_up(folder))
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        self.host.real_path(path).filter(|real| !comes_and_goes(path) && !comes_and_goes(real))
    }

    fn read(&self, path: &[u8]) -> Content {
        // Reading some of them waits for what comes.
        if clean(path) == "/dev/null" {
            return Content::Bytes(Bytes::new());
        }
        if self.leads_there(path) {
            return Content::Denied;
        }
        match self.host.read(path) {
            Content::Missing if stays(path) || self.host.kind(path) == Kind::Other => Content::Denied,
            content => content,
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.host.list(folder).filter(|_| !is_made_up(folder))
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        self.host.may(path, uid, gid, want).filter(|_| !comes_and_goes(path))
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        self.host.is_link(path).filter(|_| !comes_and_goes(path))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    #[test]
    fn what_the_kernel_makes_up_is_not_known() {
        let mut tree = MemoryTree::default();
        for path in ["/proc/uptime", "/proc/version", "/sys/class/dmi/id/board_name", "/dev/shm/a", "/etc/a", "/process"] {
            tree.file(path, "x\n", false);
        }
        tree.link("/etc/mtab", "/proc/uptime");
        let [root, _] = Account::made_up("/bin/sh");
        let files = Passing::new(&tree, &root);
        let holds = |path: &str| files.read(path.as_bytes());
        for path in ["/proc/uptime", "//proc/./uptime", "/proc/nosuch", "/dev/shm/a", "/proc/sys/kernel/ostype", "/etc/mtab"] {
            assert_eq!(holds(path), Content::Denied, "{path}");
        }
        for path in ["/proc/version", "/sys/class/dmi/id/board_name", "/etc/a", "/process"] {
            assert_eq!(holds(path), Content::Bytes("x\n".into()), "{path}");
        }
        assert_eq!((holds("/dev/null"), holds("/etc/b")), (Content::Bytes(Bytes::new()), Content::Missing));
        let kinds = ["/proc/uptime", "/proc/1", "/proc/version", "/proc", "/etc/a"].map(|path| files.kind(path.as_bytes()));
        assert_eq!(kinds, [Kind::Unknown, Kind::Unknown, Kind::File, Kind::Folder, Kind::File]);
        assert_eq!((files.list(b"/proc"), files.list(b"/proc/sys")), (None, None));
        assert!(files.list(b"/etc").is_some());
    }
}
