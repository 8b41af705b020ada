//! This machine's files and limits as the core asks for them.

use std::ffi::OsStr;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

use bytes::Bytes;
use nix::sys::resource::{Resource, getrlimit};
use vectorum_core::{HostView, Kind, Limits};

/// This machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct LiveHost;

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
}

/// Returns what this kernel accepts at `execve` from this process.
pub fn kernel_limits() -> Limits {
    let stack = getrlimit(Resource::RLIMIT_STACK).map_or(8 << 20, |(soft, _)| soft);
    Limits::of(rustix::param::page_size(), stack)
}
