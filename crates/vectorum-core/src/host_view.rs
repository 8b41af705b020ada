//! The core's only window on a machine.

use std::collections::BTreeMap;

use bytes::Bytes;

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

/// What the core may ask about a host's files. Links are followed.
pub trait HostView {
    /// Returns what stands at an absolute path.
    fn kind(&self, path: &[u8]) -> Kind;

    /// Returns the names of the programs in a folder; `None` where it cannot be read.
    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>>;

    /// Returns the path with all links resolved; `None` where it leads nowhere.
    fn real_path(&self, path: &[u8]) -> Option<Bytes>;
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
}

/// A host made of folders and the programs in them; nothing else exists on it.
#[derive(Clone, Debug, Default)]
pub struct MemoryHost {
    folders: BTreeMap<Bytes, Vec<Bytes>>,
    links: BTreeMap<Bytes, Bytes>,
}

impl MemoryHost {
    /// Adds a folder with its programs.
    pub fn folder<N: AsRef<[u8]>>(mut self, path: impl AsRef<[u8]>, programs: impl IntoIterator<Item = N>) -> MemoryHost {
        let programs = programs.into_iter().map(|p| Bytes::copy_from_slice(p.as_ref())).collect();
        self.folders.insert(Bytes::copy_from_slice(path.as_ref()), programs);
        self
    }

    /// Adds a link from one path to a folder's.
    pub fn link(mut self, from: impl AsRef<[u8]>, to: impl AsRef<[u8]>) -> MemoryHost {
        self.links.insert(Bytes::copy_from_slice(from.as_ref()), Bytes::copy_from_slice(to.as_ref()));
        self
    }

    fn resolve<'a>(&'a self, path: &'a [u8]) -> &'a [u8] {
        let path = if path.len() > 1 { path.strip_suffix(b"/").unwrap_or(path) } else { path };
        self.links.get(path).map_or(path, |to| to)
    }
}

impl HostView for MemoryHost {
    fn kind(&self, path: &[u8]) -> Kind {
        let path = self.resolve(path);
        if self.folders.contains_key(path) {
            return Kind::Folder;
        }
        let Some(slash) = memchr::memrchr(b'/', path) else { return Kind::Missing };
        let (folder, program) = path.split_at(slash);
        match self.folders.get(self.resolve(folder)) {
            Some(programs) if programs.iter().any(|p| p == program.get(1..).unwrap_or_default()) => Kind::Program,
            _ => Kind::Missing,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.folders.get(self.resolve(folder)).cloned()
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        (self.kind(path) != Kind::Missing).then(|| Bytes::copy_from_slice(self.resolve(path)))
    }
}
