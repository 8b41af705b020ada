//! A host's files while startup files run that change some of them: what was written to, made or removed
//! is not known from there on.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Mutex;

use bytes::Bytes;

use super::options::names::is_one_of;
use super::passing::{Passing, clean};
use crate::host_view::{Content, HostView, Kind, Want};
use crate::lock::lock;
use crate::route::Account;

/// Programs that make, change or remove what they are given.
const CHANGING: &str = "mkdir touch rm rmdir ln cp mv chmod chown install tee truncate unlink mkfifo mknod shred rename patch";

/// Programs that make files in the working folder, or where their words say.
const MAKING: &str = "tar unzip zip wget gzip gunzip bzip2 bunzip2 xz unxz zstd split csplit rsync scp cpio";

/// What makes such files when it is told to `git` (gitcli(7)).
const BY_GIT: &str = "clone init checkout switch pull merge rebase reset stash apply";

/// The same of find(1).
const BY_FIND: &str = "-delete -exec -execdir -ok -fprint";

/// Files as they were, but for those that were touched.
pub(super) struct Touched<'a> {
    files: Passing<'a>,
    paths: Mutex<BTreeSet<Bytes>>,
    /// Files to which nothing was written but what sets certain names where it is run.
    /// `None` where more was.
    told: Mutex<BTreeMap<Bytes, Option<&'static [&'static str]>>>,
}

impl<'a> Touched<'a> {
    pub(super) fn new(files: &'a dyn HostView, account: &Account) -> Touched<'a> {
        Touched { files: Passing::new(files, account), paths: Mutex::default(), told: Mutex::default() }
    }

    /// From here on nothing is known of what stands at a path and below it; of nothing at all, if it does not begin at the
    /// root.
    pub(super) fn touch(&self, path: &[u8]) {
        let path = clean(if path.starts_with(b"/") { path } else { b"/" });
        let was_touched = self.is_touched(&path);
        let mut told = lock(&self.told);
        told.iter_mut().filter(|(other, _)| other.starts_with(&path)).for_each(|(_, names)| *names = None);
        if was_touched {
            told.insert(path.clone(), None);
        }
        lock(&self.paths).insert(path);
    }

    /// A file that was touched just now holds, if it was written to, what sets these names where it is run.
    pub(super) fn tell(&self, path: &[u8], sets: &'static [&'static str]) {
        lock(&self.told).entry(clean(path)).or_insert(Some(sets));
    }

    /// The names that a file sets where it is run, if it was written, and what it was before.
    pub(super) fn told(&self, path: &[u8]) -> Option<(&'static [&'static str], Content)> {
        let sets = lock(&self.told).get(&clean(path)).copied().flatten()?;
        Some((sets, self.files.read(path)))
    }

    /// Takes note of what a program may have changed; `full` makes a path that begins at the root.
    pub(super) fn changed_by(&self, program: &[u8], arguments: &[&[u8]], full: impl Fn(&[u8]) -> Option<Bytes>) {
        // It says who may read what is in a file.
        if program == b"chmod"
            && arguments.iter().filter_map(|a| full(a)).any(|path| lock(&self.told).contains_key(&clean(&path)))
        {
            return;
        }
        let is_option = |word: &[u8]| word.starts_with(b"-");
        let has_option = |letter: &[u8], long: &[u8]| {
            let mut options = arguments.iter().filter(|word| is_option(word));
            options.any(|word| word.starts_with(letter) || word.starts_with(long))
        };
        let does = |what: &str| arguments.iter().any(|word| is_one_of(what, word));
        let changes_own = match program {
            b"sed" => has_option(b"-i", b"--in-place"),
            b"sort" => has_option(b"-o", b"--output"),
            b"curl" => has_option(b"-o", b"--output") || has_option(b"-O", b"--remote-name"),
            b"find" => does(BY_FIND),
            b"git" => does(BY_GIT),
            b"mktemp" => arguments.iter().any(|word| !is_option(word) || word.starts_with(b"-p")),
            _ => is_one_of(MAKING, program),
        };
        // What they make lies where they are told, or here.
        if changes_own {
            full(b".").into_iter().for_each(|path| self.touch(&path));
        }
        if program == b"dd" {
            arguments.iter().filter_map(|word| full(word.strip_prefix(b"of=")?)).for_each(|path| self.touch(&path));
        }
        if changes_own || is_one_of(CHANGING, program) {
            for path in arguments.iter().filter(|word| !is_option(word)).filter_map(|word| full(word)) {
                self.touch(&path);
            }
        }
    }

    /// Whether nothing was touched so far.
    pub(super) fn is_clean(&self) -> bool {
        lock(&self.paths).is_empty()
    }

    /// Whether what stands at a path may have changed. Of one that does not begin at the root nothing is known.
    pub(super) fn is_touched(&self, path: &[u8]) -> bool {
        if !path.starts_with(b"/") {
            return true;
        }
        let paths = lock(&self.paths);
        if paths.is_empty() {
            return false;
        }
        let path = clean(path);
        let folders = memchr::memrchr_iter(b'/', &path).filter_map(|at| path.get(..at));
        std::iter::once(&path[..]).chain(folders).any(|folder| paths.contains(folder)) || paths.contains(&b"/"[..])
    }

    /// Whether something below a path may have changed, so that it may have come to be.
    fn is_above(&self, path: &[u8]) -> bool {
        let paths = lock(&self.paths);
        if paths.is_empty() {
            return false;
        }
        let path = clean(path);
        let below = if path == "/" { path.clone() } else { [&path[..], b"/"].concat().into() };
        paths.contains(&path) || paths.range(below.clone()..).next().is_some_and(|touched| touched.starts_with(&below))
    }
}

impl HostView for Touched<'_> {
    fn kind(&self, path: &[u8]) -> Kind {
        match self.files.kind(path) {
            _ if self.is_touched(path) => Kind::Unknown,
            Kind::Missing if self.is_above(path) => Kind::Unknown,
            kind => kind,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        self.files.programs(folder).filter(|_| !self.is_above(folder))
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        self.files.real_path(path).filter(|_| !self.is_touched(path))
    }

    fn read(&self, path: &[u8]) -> Content {
        if self.is_touched(path) { Content::Denied } else { self.files.read(path) }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        if self.is_above(folder) || self.is_touched(folder) { None } else { self.files.list(folder) }
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        if self.is_touched(path) { None } else { self.files.may(path, uid, gid, want) }
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        if self.is_touched(path) { None } else { self.files.is_link(path) }
    }
}

#[cfg(test)]
mod tests {

    use super::*;
    use crate::MemoryTree;

    fn root() -> Account {
        let [root, _] = Account::made_up("/bin/sh");
        root
    }

    /// The names that a file sets which such a program wrote.
    #[test]
    fn what_else_was_written_is_not_forgotten() {
        const NAMES: &[&str] = &["AGENT"];
        let tree = MemoryTree::default();
        let told = |deeds: &dyn Fn(&Touched<'_>)| {
            let touched = Touched::new(&tree, &root());
            deeds(&touched);
            touched.told(b"/home/odile/e").map(|(names, _)| names)
        };
        let write = |touched: &Touched<'_>| {
            touched.touch(b"/home/odile/e");
            touched.tell(b"/home/odile/e", NAMES);
        };
        assert_eq!(told(&write), Some(NAMES));
        assert_eq!(
            told(&|t| (write(t), t.changed_by(b"chmod", &[b"600", b"/home/odile/e"], |p| Some(Bytes::copy_from_slice(p)))).0),
            Some(NAMES)
        );
        assert_eq!(told(&|t| (t.touch(b"/home/odile/e"), write(t)).0), None);
        assert_eq!(told(&|t| (write(t), t.touch(b"/home/odile/e")).0), None);
        assert_eq!(told(&|t| (write(t), t.touch(b"/home/odile")).0), None);
        assert_eq!(told(&|t| (t.touch(b"/home"), write(t)).0), None);
        assert_eq!(told(&|t| (t.touch(b"/home/other"), write(t)).0), Some(NAMES));
    }

    #[test]
    fn what_was_touched_is_not_known() {
        let mut host = MemoryTree::default();
        host.file("/h/a", "text", false);
        host.file("/h/d/b", "text", false);
        let files = Touched::new(&host, &root());
        assert_eq!(files.read(b"/h/a"), host.read(b"/h/a"));
        files.touch(b"/h//a/");
        files.changed_by(b"mkdir", &[b"-p", b"new/deep"], |p| Some([b"/h/", p].concat().into()));
        files.changed_by(b"ls", &[b"/h/d/b"], |p| Some(Bytes::copy_from_slice(p)));
        for (path, kind) in [
            ("/h/a", Kind::Unknown),
            ("/h/a/x", Kind::Unknown),
            ("/h/ab", Kind::Missing),
            ("/h/new", Kind::Unknown),
            ("/h/./new/deep/x", Kind::Unknown),
            ("/h/d/b", Kind::File),
            ("/h", Kind::Folder),
            ("/", Kind::Folder),
            ("/h/a-b", Kind::Missing),
            // Nobody knows where it lies.
            ("h/d/b", Kind::Unknown),
        ] {
            assert_eq!(files.kind(path.as_bytes()), kind, "{path}");
        }
        assert_eq!((files.read(b"/h/a"), files.list(b"/h")), (Content::Denied, None));
        assert!(files.list(b"/h/d").is_some());
        assert_eq!((files.list(b"/"), files.programs(b"/h")), (None, None));
        files.touch(b"somewhere");
        assert_eq!((files.kind(b"/h/d/b"), files.list(b"/h/d")), (Kind::Unknown, None));
    }

    /// What programs make where they are told, and here, and which of them make nothing.
    #[test]
    fn programs_change_what_they_are_told() {
        for (line, changed, stays) in [
            ("rm a", "/h/a", "/h/b"),
            ("dd if=a of=b", "/h/b", "/h/a"),
            ("sed -i s/x/y/ a", "/h/a", ""),
            ("sed s/x/y/ a", "", "/h/a"),
            ("sort -o b a", "/h/b", ""),
            ("sort a", "", "/h/b"),
            ("mktemp -d berthXXX", "/h/b", "/tmp/x"),
            ("mktemp", "", "/h/b"),
            ("tar xf a", "/h/new", "/tmp/x"),
            ("git clone a", "/h/new", "/tmp/x"),
            ("git status", "", "/h/a"),
            ("find . -name a -delete", "/h/a", "/tmp/x"),
            ("find . -name a", "", "/h/a"),
            ("curl -o a there", "/h/a", "/tmp/x"),
            ("curl there", "", "/h/a"),
        ] {
            let mut host = MemoryTree::default();
            ["/h/a", "/h/b", "/tmp/x"].iter().for_each(|path| host.file(*path, "", false));
            let files = Touched::new(&host, &root());
            let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
            files.changed_by(words[0], &words[1..], |path| match path {
                b"." => Some(Bytes::from_static(b"/h")),
                path => Some([b"/h/", path].concat().into()),
            });
            assert_eq!(!changed.is_empty(), !files.is_clean(), "{line}");
            assert!(changed.is_empty() || files.is_touched(changed.as_bytes()), "{line}: {changed}");
            assert!(stays.is_empty() || !files.is_touched(stays.as_bytes()), "{line}: {stays}");
        }
    }
}
