//! A host's files as an account reaches them: what lies in folders that it may not search, or in files that it may not read,
//! is not known to it, whoever looks at the host (path_resolution(7)).

use std::collections::HashMap;
use std::sync::Mutex;

use bytes::Bytes;

use crate::host_view::{Content, HostView, Kind, Want};
use crate::lock::lock;
use crate::route::Account;

/// Files as an account reaches them.
pub(super) struct Reach<'a> {
    host: &'a dyn HostView,
    uid: u32,
    gid: u32,
    /// Whether folders were found to be searched, with all that they lie in.
    folders: Mutex<HashMap<Bytes, Option<bool>>>,
}

/// The folder in which something lies; of the root there is none.
fn folder_of(path: &[u8]) -> Option<&[u8]> {
    let slash = memchr::memrchr(b'/', path.strip_suffix(b"/").unwrap_or(path))?;
    path.get(..slash.max(1)).filter(|folder| folder.len() < path.len())
}

impl<'a> Reach<'a> {
    pub(super) fn new(host: &'a dyn HostView, account: &Account) -> Reach<'a> {
        Reach { host, uid: account.uid, gid: account.gid, folders: Mutex::default() }
    }

    /// Whether a folder may be searched, and all that it lies in.
    fn searches(&self, folder: &[u8]) -> Option<bool> {
        if let Some(known) = lock(&self.folders).get(folder) {
            return *known;
        }
        let may = match self.host.kind(folder) {
            Kind::Folder => self.host.may(folder, self.uid, self.gid, Want::Execute),
            // What is not there keeps nobody out.
            _ => Some(true),
        };
        let answer = match (self.reaches(folder), may) {
            (Some(true), may) => may,
            (other, _) => other,
        };
        lock(&self.folders).insert(Bytes::copy_from_slice(folder), answer);
        answer
    }

    /// Whether the way to a path may be gone, and the one that a link leads on.
    fn reaches(&self, path: &[u8]) -> Option<bool> {
        let before = folder_of(path).map_or(Some(true), |folder| self.searches(folder));
        if before != Some(true) || self.host.is_link(path) != Some(true) {
            return before;
        }
        match self.host.real_path(path) {
            // There all links are resolved.
            Some(real) if real != path => self.reaches(&real),
            // It leads nowhere.
            _ => before,
        }
    }

    /// The same for the first account, who is kept out nowhere.
    fn is_reached(&self, path: &[u8]) -> Option<bool> {
        if self.uid == 0 { Some(true) } else { self.reaches(path) }
    }

    fn may_read(&self, path: &[u8]) -> bool {
        self.uid == 0 || self.is_reached(path) == Some(true) && self.host.may(path, self.uid, self.gid, Want::Read) == Some(true)
    }
}

impl HostView for Reach<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        match self.host.kind(path) {
            kind if self.uid == 0 => kind,
            // A link that leads nowhere may lead there by what may not be searched.
            Kind::Missing => match folder_of(path).map_or(Some(true), |folder| self.searches(folder)) {
                Some(true) => Kind::Missing,
                _ => Kind::Unknown,
            },
            kind if self.is_reached(path) == Some(true) => kind,
            _ => Kind::Unknown,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.host.programs(folder).filter(|_| self.may_read(folder))
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        self.host.real_path(path).filter(|_| self.is_reached(path) == Some(true))
    }

    fn read(&self, path: &[u8]) -> Content {
        match self.host.read(path) {
            content if self.uid == 0 => content,
            Content::Missing if self.kind(path) != Kind::Unknown => Content::Missing,
            Content::Bytes(bytes) if self.may_read(path) => Content::Bytes(bytes),
            _ => Content::Denied,
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.host.list(folder).filter(|_| self.may_read(folder))
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        match self.is_reached(path) {
            Some(true) => self.host.may(path, uid, gid, want),
            other => other,
        }
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        let may = folder_of(path).filter(|_| self.uid != 0).map_or(Some(true), |folder| self.searches(folder));
        self.host.is_link(path).filter(|_| may == Some(true))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;

    #[test]
    fn nobody_sees_into_folders_that_are_closed_to_him() {
        let mut tree = MemoryTree::default();
        for path in ["/srv/shut/a", "/home/odile/a", "/home/odile/own", "/etc/shadow", "/etc/all", "/srv/drop/a"] {
            tree.file(path, "x", false);
        }
        tree.link("/home/odile/way", "/srv/shut/a");
        tree.link("/home/odile/inside", "/home/odile/own");
        tree.own("/srv/shut", 0o700, 0, 0);
        tree.own("/home/odile", 0o700, 1000, 1000);
        tree.own("/home/odile/own", 0o600, 1000, 1000);
        tree.own("/etc/shadow", 0o640, 0, 42);
        tree.own("/srv/drop", 0o711, 0, 0);
        let [root, odile] = Account::made_up("/bin/sh");
        let bytes = || Content::Bytes("x".into());
        for (path, of_odile) in [
            ("/srv/shut/a", Content::Denied),
            ("/srv/shut/none", Content::Denied),
            ("/home/odile/a", bytes()),
            ("/home/odile/own", bytes()),
            ("/home/odile/inside", bytes()),
            ("/home/odile/way", Content::Denied),
            // Whether she is of that group is not known.
            ("/etc/shadow", Content::Denied),
            ("/etc/all", bytes()),
            ("/etc/none", Content::Missing),
            ("/etc/all/none", Content::Missing),
            ("/srv/drop/a", bytes()),
        ] {
            assert_eq!(Reach::new(&tree, &odile).read(path.as_bytes()), of_odile, "{path}");
            assert_eq!(Reach::new(&tree, &root).read(path.as_bytes()), tree.read(path.as_bytes()), "{path}");
        }
        let files = Reach::new(&tree, &odile);
        let kinds = ["/srv/shut", "/srv/shut/a", "/srv/shut/none", "/home/odile/way", "/etc/shadow", "/"]
            .map(|path| files.kind(path.as_bytes()));
        assert_eq!(kinds, [Kind::Folder, Kind::Unknown, Kind::Unknown, Kind::Unknown, Kind::File, Kind::Folder]);
        assert_eq!((files.list(b"/srv/shut"), files.list(b"/srv/drop")), (None, None));
        assert_eq!(files.list(b"/home/odile").map(|names| names.len()), Some(4));
        assert_eq!(files.may(b"/srv/shut/a", odile.uid, odile.gid, Want::Read), Some(false));
    }
}
