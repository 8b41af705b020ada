//! The core's only window on a machine.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex};

use bytes::Bytes;

use crate::lock::lock;

/// What a path leads to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Nothing is there.
    Missing,
    /// A folder.
    Folder,
    /// A regular file that may be executed.
    Program,
    /// A regular file.
    File,
    /// Something else: a device, a socket.
    Other,
    /// It could not be told, for lack of permission most likely.
    Unknown,
}

/// What reading a file gives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// Its bytes.
    Bytes(Bytes),
    /// Nothing is there, or no regular file.
    Missing,
    /// It may not be read.
    Denied,
}

/// What one wants to do with a file.
#[derive(Clone, Copy, Debug, Hash, PartialEq, Eq)]
pub enum Want {
    /// Read it.
    Read,
    /// Write to it.
    Write,
    /// Run it, or look into it if it is a folder.
    Execute,
}

/// What the core may ask about a host's files, from several threads at once. Links are followed.
pub trait HostView: Sync {
    /// Returns what stands at an absolute path.
    fn kind(&self, path: &[u8]) -> Kind;

    /// Returns the names of the programs in a folder; `None` where it cannot be read.
    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>>;

    /// Returns the path with all links resolved; `None` where it leads nowhere.
    fn real_path(&self, path: &[u8]) -> Option<Bytes>;

    /// Reads a file.
    fn read(&self, path: &[u8]) -> Content;

    /// Returns the names of everything in a folder, in no order; `None` where it cannot be read or
    /// is none.
    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>>;

    /// Whether an account may do something with a file, by its owner and mode; `None` where that is not
    /// known.
    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        let _ = (path, uid, gid, want);
        None
    }

    /// Whether the last part of a path is a symbolic link; `None` where that is not known.
    fn is_link(&self, path: &[u8]) -> Option<bool> {
        let _ = path;
        None
    }
}

/// Whether an account may do something with a file of this owner, group and mode (inode(7)); `None`
/// where that depends on what other groups the account is in.
pub fn allowed(mode: u32, owner: u32, group: u32, uid: u32, gid: u32, want: Want) -> Option<bool> {
    let bit = match want {
        Want::Read => 4,
        Want::Write => 2,
        Want::Execute => 1,
    };
    if uid == 0 {
        // The first account may all, but run only what somebody may run.
        return Some(want != Want::Execute || mode & 0o111 != 0);
    }
    let may = |shift: u32| mode >> shift & bit != 0;
    match () {
        () if uid == owner => Some(may(6)),
        () if gid == group => Some(may(3)),
        () if may(3) == may(0) => Some(may(0)),
        () => None,
    }
}

/// A host of which nothing is known.
#[derive(Clone, Copy, Debug, Default)]
pub struct NoHost;

impl HostView for NoHost {
    fn kind(&self, _: &[u8]) -> Kind {
        Kind::Unknown
    }

    fn programs(&self, _: &[u8]) -> Option<Vec<Bytes>> {
        None
    }

    fn real_path(&self, _: &[u8]) -> Option<Bytes> {
        None
    }

    fn read(&self, _: &[u8]) -> Content {
        Content::Denied
    }

    fn list(&self, _: &[u8]) -> Option<Vec<Bytes>> {
        None
    }
}

/// What an account may do, by paths.
type Rights = Arc<Mutex<HashMap<Bytes, Option<bool>>>>;

/// A view that asks another one each thing once: whoever looks through it sees one state of the host,
/// whatever changes meanwhile.
pub struct Snapshot<'a> {
    view: &'a dyn HostView,
    kinds: Mutex<HashMap<Bytes, Kind>>,
    reals: Mutex<HashMap<Bytes, Option<Bytes>>>,
    contents: Mutex<HashMap<Bytes, Content>>,
    lists: Mutex<HashMap<Bytes, Option<Vec<Bytes>>>>,
    rights: Mutex<HashMap<(u32, u32, Want), Rights>>,
}

impl<'a> Snapshot<'a> {
    /// Looks at a host.
    pub fn new(view: &'a dyn HostView) -> Snapshot<'a> {
        let (kinds, reals) = (Mutex::default(), Mutex::default());
        Snapshot { view, kinds, reals, contents: Mutex::default(), lists: Mutex::default(), rights: Mutex::default() }
    }

    /// Returns the files whose contents were asked for, those that are not there included.
    pub fn asked(&self) -> Vec<Bytes> {
        let mut paths: Vec<Bytes> = lock(&self.contents).keys().cloned().collect();
        paths.sort();
        paths
    }
}

/// Returns what is kept under a path, or keeps what is found.
fn once<T: Clone>(kept: &Mutex<HashMap<Bytes, T>>, path: &[u8], find: impl FnOnce() -> T) -> T {
    if let Some(known) = lock(kept).get(path) {
        return known.clone();
    }
    // Nobody waits for the answer who asks for something else; of two answers the first one counts.
    let found = find();
    lock(kept).entry(Bytes::copy_from_slice(path)).or_insert(found).clone()
}

impl HostView for Snapshot<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        once(&self.kinds, path, || self.view.kind(path))
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.view.programs(folder)
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        once(&self.reals, path, || self.view.real_path(path))
    }

    fn read(&self, path: &[u8]) -> Content {
        once(&self.contents, path, || self.view.read(path))
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        once(&self.lists, folder, || self.view.list(folder))
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        let rights = Arc::clone(lock(&self.rights).entry((uid, gid, want)).or_default());
        once(&rights, path, || self.view.may(path, uid, gid, want))
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        self.view.is_link(path)
    }
}

/// A host made of files and links, as a test or the demo writes it; nothing else exists on it.
#[derive(Clone, Debug, Default)]
pub struct MemoryTree {
    nodes: BTreeMap<Bytes, Node>,
    /// Modes and owners that are not the usual ones.
    rights: BTreeMap<Bytes, (u32, u32, u32)>,
}

#[derive(Clone, Debug)]
enum Node {
    File(Bytes, bool),
    Link(Bytes),
    Folder,
}

impl MemoryTree {
    /// Adds a file; whether it may be executed.
    pub fn file(&mut self, path: impl AsRef<[u8]>, content: impl Into<Bytes>, is_program: bool) {
        self.put(path.as_ref(), Node::File(content.into(), is_program));
    }

    /// Says what mode, owner and group something has: others are readable to all and belong to root.
    pub fn own(&mut self, path: impl AsRef<[u8]>, mode: u32, uid: u32, gid: u32) {
        self.rights.insert(Bytes::copy_from_slice(path.as_ref()), (mode, uid, gid));
    }

    /// Adds a symbolic link.
    pub fn link(&mut self, path: impl AsRef<[u8]>, to: impl AsRef<[u8]>) {
        self.put(path.as_ref(), Node::Link(Bytes::copy_from_slice(to.as_ref())));
    }

    /// Adds a folder with programs, and returns the tree.
    #[must_use]
    pub fn with_programs<N: AsRef<[u8]>>(mut self, folder: impl AsRef<[u8]>, names: impl IntoIterator<Item = N>) -> MemoryTree {
        let folder = folder.as_ref();
        self.folder(folder);
        for name in names {
            self.file([folder, b"/", name.as_ref()].concat(), "", true);
        }
        self
    }

    /// Adds a folder.
    pub fn folder(&mut self, path: impl AsRef<[u8]>) {
        self.put(path.as_ref(), Node::Folder);
    }

    fn put(&mut self, path: &[u8], node: Node) {
        for (at, _) in path.iter().enumerate().filter(|(at, b)| **b == b'/' && *at > 0) {
            let parent = Bytes::copy_from_slice(path.get(..at).unwrap_or_default());
            self.nodes.entry(parent).or_insert(Node::Folder);
        }
        self.nodes.insert(Bytes::copy_from_slice(path), node);
    }

    /// Follows links, as the kernel does at most 40 of them (path_resolution(7)).
    fn resolve(&self, path: &[u8]) -> Option<Bytes> {
        let mut todo: Vec<Vec<u8>> = parts(path);
        let (mut done, mut links): (Vec<u8>, u32) = (Vec::new(), 0);
        while let Some(part) = todo.pop() {
            if part == b".." {
                let keep = memchr::memrchr(b'/', &done).unwrap_or(0);
                done.truncate(keep);
                continue;
            }
            let next = [&done[..], b"/", &part].concat();
            match self.nodes.get(&next[..])? {
                Node::Link(to) => {
                    links += 1;
                    if links > 40 {
                        return None;
                    }
                    if to.first() == Some(&b'/') {
                        done.clear();
                    }
                    todo.extend(parts(to));
                }
                Node::File(..) if !todo.is_empty() => return None,
                _ => done = next,
            }
        }
        Some(if done.is_empty() { Bytes::from_static(b"/") } else { done.into() })
    }
}

/// The names in a path, the last one first.
fn parts(path: &[u8]) -> Vec<Vec<u8>> {
    path.split(|b| *b == b'/').rev().filter(|p| !p.is_empty() && *p != b".").map(<[u8]>::to_vec).collect()
}

impl HostView for MemoryTree {
    fn kind(&self, path: &[u8]) -> Kind {
        match self.resolve(path) {
            None => Kind::Missing,
            Some(real) => match self.nodes.get(&real) {
                Some(Node::File(_, true)) => Kind::Program,
                Some(Node::File(..)) => Kind::File,
                _ => Kind::Folder,
            },
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let names = self.list(folder)?;
        Some(names.into_iter().filter(|n| self.kind(&[folder, b"/", n].concat()) == Kind::Program).collect())
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        self.resolve(path)
    }

    fn read(&self, path: &[u8]) -> Content {
        match self.resolve(path).as_ref().and_then(|real| self.nodes.get(real)) {
            Some(Node::File(bytes, _)) => Content::Bytes(bytes.clone()),
            _ => Content::Missing,
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let real = self.resolve(folder)?;
        if !real.is_empty() && real != b"/"[..] && !matches!(self.nodes.get(&real)?, Node::Folder) {
            return None;
        }
        let start = if real == b"/"[..] { b"/".to_vec() } else { [&real[..], b"/"].concat() };
        let names = self.nodes.range(Bytes::from(start.clone())..).take_while(|(p, _)| p.starts_with(&start));
        let names = names.filter_map(|(p, _)| p.get(start.len()..).filter(|n| !n.contains(&b'/')));
        Some(names.map(Bytes::copy_from_slice).collect())
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        let Some(real) = self.resolve(path) else { return Some(false) };
        let usual = match self.nodes.get(&real) {
            Some(Node::File(_, false)) => (0o644, 0, 0),
            _ => (0o755, 0, 0),
        };
        let (mode, owner, group) = self.rights.get(&real).copied().unwrap_or(usual);
        allowed(mode, owner, group, uid, gid, want)
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        let slash = memchr::memrchr(b'/', path)?;
        let Some(parent) = self.resolve(path.get(..slash)?) else { return Some(false) };
        let parent = if parent == b"/"[..] { Bytes::new() } else { parent };
        let whole = [&parent[..], path.get(slash..)?].concat();
        Some(matches!(self.nodes.get(&whole[..]), Some(Node::Link(_))))
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicU8, Ordering::Relaxed};

    use super::*;

    /// A host whose file says another thing each time.
    struct Restless(AtomicU8);

    impl HostView for Restless {
        fn kind(&self, _: &[u8]) -> Kind {
            Kind::File
        }

        fn programs(&self, _: &[u8]) -> Option<Vec<Bytes>> {
            None
        }

        fn real_path(&self, path: &[u8]) -> Option<Bytes> {
            Some(Bytes::copy_from_slice(path))
        }

        fn read(&self, _: &[u8]) -> Content {
            Content::Bytes(vec![self.0.fetch_add(1, Relaxed)].into())
        }

        fn list(&self, _: &[u8]) -> Option<Vec<Bytes>> {
            None
        }
    }

    #[test]
    fn a_snapshot_sees_one_state() {
        let host = Restless(AtomicU8::new(0));
        let snapshot = Snapshot::new(&host);
        assert_eq!(snapshot.read(b"/etc/environment"), snapshot.read(b"/etc/environment"));
        assert_ne!(snapshot.read(b"/etc/environment"), snapshot.read(b"/etc/other"));
        assert_eq!(snapshot.asked(), [&b"/etc/environment"[..], b"/etc/other"]);
    }

    #[test]
    fn links_are_followed_within_the_tree() {
        let mut tree = MemoryTree::default();
        tree.file("/etc/environment", "A=1\n", false);
        tree.file("/usr/bin/env", "", true);
        tree.link("/usr/lib/environment.d/99.conf", "../../../etc/environment");
        tree.link("/bin", "usr/bin");
        tree.link("/loop", "/loop");
        for (path, kind, real) in [
            ("/usr/lib/environment.d/99.conf", Kind::File, Some("/etc/environment")),
            ("/bin/env", Kind::Program, Some("/usr/bin/env")),
            ("/../../etc/./environment", Kind::File, Some("/etc/environment")),
            ("/etc", Kind::Folder, Some("/etc")),
            ("/", Kind::Folder, Some("/")),
            ("/loop", Kind::Missing, None),
            ("/etc/environment/x", Kind::Missing, None),
            ("/nowhere", Kind::Missing, None),
        ] {
            assert_eq!((tree.kind(path.as_bytes()), tree.real_path(path.as_bytes())), (kind, real.map(Bytes::from)), "{path}");
        }
        assert_eq!(tree.list(b"/usr"), Some(vec![Bytes::from("bin"), Bytes::from("lib")]));
        assert_eq!(tree.programs(b"/bin"), Some(vec![Bytes::from("env")]));
        assert_eq!((tree.list(b"/etc/environment"), tree.read(b"/etc")), (None, Content::Missing));
    }
}
