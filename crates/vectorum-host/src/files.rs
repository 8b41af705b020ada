//! This machine's files and limits as the core asks for them.

use std::ffi::OsStr;
use std::io;
use std::os::fd::{AsRawFd, OwnedFd};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::Path;

use bytes::Bytes;
use nix::sys::resource::{Resource, getrlimit};
use rustix::fs::{FileType, Mode, OFlags, ResolveFlags};
use rustix::io::Errno;
use vectorum_core::{Content, HostView, Kind, Limits, Want, allowed};

/// This machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct LiveHost;

/// What [`allowed`] says; where that hangs on the groups that an account is in, and it is this process's own, these are known.
fn may_by(mode: u32, owner: u32, group: u32, uid: u32, gid: u32, want: Want) -> Option<bool> {
    let said = allowed(mode, owner, group, uid, gid, want);
    if said.is_some() || uid != rustix::process::geteuid().as_raw() {
        return said;
    }
    let groups = rustix::process::getgroups().ok()?;
    let is_in = groups.iter().any(|other| other.as_raw() == group);
    allowed(as_of_groups(mode, is_in), owner, gid, uid, gid, want)
}

/// A mode in which the group's letters are those of an account that is in the group, or in none that counts.
fn as_of_groups(mode: u32, is_in: bool) -> u32 {
    if is_in { mode } else { mode & !0o070 | (mode & 0o007) << 3 }
}

fn path(bytes: &[u8]) -> &Path {
    Path::new(OsStr::from_bytes(bytes))
}

impl HostView for LiveHost {
    fn kind(&self, at: &[u8]) -> Kind {
        match std::fs::metadata(path(at)) {
            Ok(found) if found.is_dir() => Kind::Folder,
            Ok(found) if found.is_file() && found.permissions().mode() & 0o111 != 0 => Kind::Program,
            Ok(found) if found.is_file() => Kind::File,
            Ok(_) => Kind::Other,
            Err(error) if matches!(error.kind(), std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory) => {
                Kind::Missing
            }
            Err(_) => Kind::Unknown,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let entries = std::fs::read_dir(path(folder)).ok()?;
        let is_program =
            |e: &std::fs::DirEntry| std::fs::metadata(e.path()).is_ok_and(|m| m.is_file() && m.permissions().mode() & 0o111 != 0);
        let names = entries.flatten().filter(is_program).map(|e| e.file_name().into_vec().into());
        Some(names.collect())
    }

    fn real_path(&self, at: &[u8]) -> Option<Bytes> {
        std::fs::canonicalize(path(at)).ok().map(|p| p.into_os_string().into_vec().into())
    }

    fn read(&self, at: &[u8]) -> Content {
        // A pipe or device would be waited for.
        match std::fs::metadata(path(at)) {
            Ok(found) if found.is_file() => match std::fs::read(path(at)) {
                Ok(bytes) => Content::Bytes(bytes.into()),
                Err(_) => Content::Denied,
            },
            Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => Content::Denied,
            _ => Content::Missing,
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let entries = std::fs::read_dir(path(folder)).ok()?;
        Some(entries.flatten().map(|e| e.file_name().into_vec().into()).collect())
    }

    fn may(&self, at: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        let found = std::fs::metadata(path(at)).ok()?;
        may_by(found.mode(), found.uid(), found.gid(), uid, gid, want)
    }

    fn is_link(&self, at: &[u8]) -> Option<bool> {
        match std::fs::symlink_metadata(path(at)) {
            Ok(found) => Some(found.is_symlink()),
            Err(error) => (error.kind() == io::ErrorKind::NotFound).then_some(false),
        }
    }
}

/// A host's file tree below a folder. Links lead to what they would lead to there, never out of it
/// (openat2(2), RESOLVE_IN_ROOT, Linux 5.6).
#[derive(Debug)]
pub struct RootedHost {
    root: OwnedFd,
    place: Vec<u8>,
}

impl RootedHost {
    /// Opens a tree.
    ///
    /// # Errors
    /// What the system says; `InvalidInput` if it is no folder.
    pub fn open(root: &Path) -> io::Result<RootedHost> {
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let place = std::fs::canonicalize(root)?.into_os_string().into_vec();
        Ok(RootedHost { root: rustix::fs::open(root, flags, Mode::empty())?, place })
    }

    fn at(&self, path: &[u8], flags: OFlags) -> rustix::io::Result<OwnedFd> {
        let inside = path.iter().position(|b| *b != b'/').and_then(|from| path.get(from..)).unwrap_or(b".");
        let resolve = ResolveFlags::IN_ROOT | ResolveFlags::NO_MAGICLINKS;
        rustix::fs::openat2(&self.root, OsStr::from_bytes(inside), flags | OFlags::CLOEXEC, Mode::empty(), resolve)
    }
}

impl HostView for RootedHost {
    fn kind(&self, path: &[u8]) -> Kind {
        match self.at(path, OFlags::PATH).and_then(|fd| rustix::fs::fstat(&fd)) {
            Ok(found) => match FileType::from_raw_mode(found.st_mode) {
                FileType::Directory => Kind::Folder,
                FileType::RegularFile if found.st_mode & 0o111 != 0 => Kind::Program,
                FileType::RegularFile => Kind::File,
                _ => Kind::Other,
            },
            Err(Errno::NOENT | Errno::NOTDIR | Errno::LOOP) => Kind::Missing,
            Err(_) => Kind::Unknown,
        }
    }

    fn programs(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let names = self.list(folder)?;
        Some(names.into_iter().filter(|n| self.kind(&[folder, b"/", n].concat()) == Kind::Program).collect())
    }

    fn real_path(&self, path: &[u8]) -> Option<Bytes> {
        let fd = self.at(path, OFlags::PATH).ok()?;
        let link = rustix::fs::readlink(format!("/proc/self/fd/{}", fd.as_raw_fd()), Vec::new()).ok()?.into_bytes();
        let root = self.place.strip_suffix(b"/").unwrap_or(&self.place);
        let inside = link.strip_prefix(root).map(<[u8]>::to_vec)?;
        Some(if inside.is_empty() { Bytes::from_static(b"/") } else { inside.into() })
    }

    fn read(&self, path: &[u8]) -> Content {
        // A pipe or device would be waited for.
        match self.kind(path) {
            Kind::File | Kind::Program => {}
            Kind::Unknown => return Content::Denied,
            _ => return Content::Missing,
        }
        let mut bytes = Vec::new();
        let read = self.at(path, OFlags::RDONLY).map_err(io::Error::from);
        match read.and_then(|fd| io::Read::read_to_end(&mut std::fs::File::from(fd), &mut bytes)) {
            Ok(_) => Content::Bytes(bytes.into()),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Content::Missing,
            Err(_) => Content::Denied,
        }
    }

    fn list(&self, folder: &[u8]) -> Option<Vec<Bytes>> {
        let fd = self.at(folder, OFlags::RDONLY | OFlags::DIRECTORY).ok()?;
        let entries = rustix::fs::Dir::read_from(&fd).ok()?;
        let names = entries.flatten().map(|e| e.file_name().to_bytes().to_vec());
        Some(names.filter(|n| n != b"." && n != b"..").map(Bytes::from).collect())
    }

    fn may(&self, path: &[u8], uid: u32, gid: u32, want: Want) -> Option<bool> {
        let found = self.at(path, OFlags::PATH).and_then(|fd| rustix::fs::fstat(&fd)).ok()?;
        may_by(found.st_mode, found.st_uid, found.st_gid, uid, gid, want)
    }

    fn is_link(&self, path: &[u8]) -> Option<bool> {
        match self.at(path, OFlags::PATH | OFlags::NOFOLLOW).and_then(|fd| rustix::fs::fstat(&fd)) {
            Ok(found) => Some(FileType::from_raw_mode(found.st_mode) == FileType::Symlink),
            Err(Errno::NOENT | Errno::NOTDIR) => Some(false),
            Err(_) => None,
        }
    }
}

/// Returns what this kernel accepts at `execve` from this process.
pub fn kernel_limits() -> Limits {
    let stack = getrlimit(Resource::RLIMIT_STACK).map_or(8 << 20, |(soft, _)| soft);
    Limits::of(rustix::param::page_size(), stack)
}

/// Replaces a file's content whole or not at all: the new content is written beside it, made
/// durable and renamed over it. A symbolic link stays, and what it leads to is replaced; mode and
/// owner stay.
///
/// # Errors
/// What the system says, or [`io::ErrorKind::Other`] if the file no longer holds `before`.
pub fn replace_file(path: &Path, before: &[u8], after: &[u8]) -> io::Result<()> {
    use std::io::Write;
    use std::os::unix::fs::{OpenOptionsExt, fchown};
    let real = std::fs::canonicalize(path)?;
    let meta = std::fs::metadata(&real)?;
    let folder = real.parent().ok_or(io::ErrorKind::InvalidInput)?;
    let name = real.file_name().ok_or(io::ErrorKind::InvalidInput)?;
    let mut beside = std::ffi::OsString::from(".");
    beside.push(name);
    beside.push(format!(".{}.new", std::process::id()));
    let beside = folder.join(beside);
    let write = || {
        let mut file = std::fs::File::options().write(true).create_new(true).mode(0o600).open(&beside)?;
        file.write_all(after)?;
        // Only root may give a file away; for others the owner is the same already.
        if fchown(&file, Some(meta.uid()), Some(meta.gid())).is_err() && (meta.uid(), meta.gid()) != owner_of(&file)? {
            return Err(io::Error::new(io::ErrorKind::PermissionDenied, "its owner could not be kept"));
        }
        file.set_permissions(std::fs::Permissions::from_mode(meta.mode() & 0o7777))?;
        file.sync_data()?;
        if std::fs::read(&real)? != before {
            return Err(io::Error::other("it was changed meanwhile"));
        }
        std::fs::rename(&beside, &real)?;
        std::fs::File::open(folder)?.sync_all()
    };
    write().inspect_err(|_| {
        // What was not renamed is of no use to anybody.
        let _ = std::fs::remove_file(&beside);
    })
}

fn owner_of(file: &std::fs::File) -> io::Result<(u32, u32)> {
    file.metadata().map(|m| (m.uid(), m.gid()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn groups_decide_what_an_account_may() {
        for (mode, want, in_group, outside) in
            [(0o640, Want::Read, true, false), (0o604, Want::Read, false, true), (0o710, Want::Execute, true, false)]
        {
            assert_eq!(allowed(mode, 0, 42, 1000, 1000, want), None, "{mode:o}");
            for (is_in, may) in [(true, in_group), (false, outside)] {
                assert_eq!(allowed(as_of_groups(mode, is_in), 0, 1000, 1000, 1000, want), Some(may), "{mode:o} {is_in}");
            }
        }
    }

    #[test]
    fn links_never_leave_a_tree() {
        let outside = tempfile::tempdir().unwrap();
        std::fs::write(outside.path().join("secret"), "outside").unwrap();
        let folder = outside.path().join("root");
        std::fs::create_dir_all(folder.join("etc")).unwrap();
        std::fs::write(folder.join("etc/environment"), "A=1\n").unwrap();
        let link = |to: &Path, at: &str| std::os::unix::fs::symlink(to, folder.join(at)).unwrap();
        link(Path::new("/etc/environment"), "inside");
        link(&outside.path().join("secret"), "absolute");
        link(Path::new("../secret"), "upwards");
        link(Path::new("/"), "top");
        let status = std::process::Command::new("mkfifo").arg(folder.join("pipe")).status().unwrap();
        assert!(status.success());
        let host = RootedHost::open(&folder).unwrap();
        for (path, content) in [
            ("/inside", Some("A=1\n")),
            ("/top/top/etc/../../inside", Some("A=1\n")),
            ("/absolute", None),
            ("/upwards", None),
            ("/../secret", None),
            ("/etc", None),
            // A pipe would be waited for.
            ("/pipe", None),
        ] {
            let expected = content.map_or(Content::Missing, |c| Content::Bytes(c.into()));
            assert_eq!(host.read(path.as_bytes()), expected, "{path}");
        }
        assert_eq!(host.real_path(b"/inside"), Some("/etc/environment".into()));
        assert_eq!(host.real_path(b"/top"), Some("/".into()));
        assert_eq!(host.kind(b"/top/etc"), Kind::Folder);
        assert_eq!(host.list(b"/etc"), Some(vec!["environment".into()]));
        assert!(RootedHost::open(&folder.join("inside")).is_err());
    }

    #[test]
    fn a_file_is_replaced_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let (real, link) = (folder.path().join("gate.env"), folder.path().join("link.env"));
        std::fs::write(&real, "A=1\n").unwrap();
        std::fs::set_permissions(&real, std::fs::Permissions::from_mode(0o640)).unwrap();
        std::os::unix::fs::symlink("gate.env", &link).unwrap();
        let owner = std::fs::metadata(&real).unwrap().uid();

        replace_file(&link, b"A=1\n", b"A=2\n").unwrap();
        assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink(), "the link stays");
        let meta = std::fs::metadata(&real).unwrap();
        assert_eq!((meta.mode() & 0o7777, meta.uid()), (0o640, owner));
        assert_eq!(std::fs::read(&real).unwrap(), b"A=2\n");

        let refused = replace_file(&real, b"A=1\n", b"A=3\n").unwrap_err();
        assert_eq!(refused.to_string(), "it was changed meanwhile");
        assert_eq!(std::fs::read(&real).unwrap(), b"A=2\n");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2, "nothing is left beside it");
        assert!(replace_file(&folder.path().join("none"), b"", b"A=1\n").is_err());
    }
}
