//! Units and configuration files with their drop-ins (systemd.unit(5), systemd 252).

use std::collections::BTreeMap;

use bytes::Bytes;

use super::{Ground, Site};
use crate::host_view::Content;
use crate::reader::place;
use crate::reader::unit::settings;

/// A setting with its site.
#[derive(Clone, Debug)]
pub(super) struct Setting {
    pub(super) section: Vec<u8>,
    pub(super) key: Vec<u8>,
    pub(super) value: Vec<u8>,
    pub(super) site: Site,
}

/// Reads the settings of a file; `Err` if it may not be read.
pub(super) fn read(ground: &Ground<'_>, path: &[u8]) -> Result<Vec<Setting>, &'static str> {
    let file = match ground.read(path) {
        Content::Bytes(file) => file,
        Content::Missing => return Ok(Vec::new()),
        Content::Denied => return Err("a unit or configuration file may not be read"),
    };
    let path = Bytes::copy_from_slice(path);
    let with_site = |s: crate::reader::unit::Setting| Setting {
        section: s.section,
        key: s.key,
        value: s.value,
        site: Site { path: path.clone(), line: place(&file, s.at).0 },
    };
    Ok(settings(&file).into_iter().map(with_site).collect())
}

/// Returns the files of folders that end in `.conf`, in the order of their names; of equal names the
/// one in the folder that stands first. An empty file or a link to /dev/null hides the others.
pub(super) fn drop_ins(ground: &Ground<'_>, folders: &[Vec<u8>]) -> Vec<Bytes> {
    let mut found: BTreeMap<Bytes, Bytes> = BTreeMap::new();
    for folder in folders {
        for name in ground.files.list(folder).unwrap_or_default() {
            if name.ends_with(b".conf") && !name.starts_with(b".") {
                let path = Bytes::from([&folder[..], b"/", &name].concat());
                found.entry(name).or_insert(path);
            }
        }
    }
    found.into_values().filter(|path| ground.files.real_path(path).is_none_or(|real| real != b"/dev/null"[..])).collect()
}

/// Where units of a manager lie, what counts most first.
pub(super) fn unit_folders(home: Option<&[u8]>) -> Vec<Vec<u8>> {
    let fixed = |names: &[&str]| names.iter().map(|n| n.as_bytes().to_vec()).collect::<Vec<_>>();
    match home {
        None => {
            fixed(&["/etc/systemd/system", "/run/systemd/system", "/usr/local/lib/systemd/system", "/usr/lib/systemd/system"])
        }
        Some(home) => {
            let mut out = vec![[home, b"/.config/systemd/user"].concat()];
            out.extend(fixed(&["/etc/systemd/user", "/run/systemd/user"]));
            out.push([home, b"/.local/share/systemd/user"].concat());
            out.extend(fixed(&["/usr/local/lib/systemd/user", "/usr/lib/systemd/user"]));
            out
        }
    }
}

/// Returns the names of the services that folders hold, masked ones and templates left out.
pub(super) fn services(ground: &Ground<'_>, folders: &[Vec<u8>]) -> Vec<Bytes> {
    let mut found: BTreeMap<Bytes, Bytes> = BTreeMap::new();
    for folder in folders {
        for name in ground.files.list(folder).unwrap_or_default() {
            if name.ends_with(b".service") && !name.contains(&b'@') {
                let path = Bytes::from([&folder[..], b"/", &name].concat());
                found.entry(name).or_insert(path);
            }
        }
    }
    let is_there = |path: &Bytes| ground.files.real_path(path).is_some_and(|real| real != b"/dev/null"[..]);
    found.into_iter().filter(|(_, path)| is_there(path)).map(|(name, _)| name).collect()
}

/// A unit's settings, those of its file first, then those of its drop-ins; `Ok(None)` if there is
/// no such unit, or it is masked.
pub(super) fn load(ground: &Ground<'_>, name: &[u8], folders: &[Vec<u8>]) -> Result<Option<Vec<Setting>>, &'static str> {
    let template = template(name);
    let found = [Some(name.to_vec()), template]
        .into_iter()
        .flatten()
        .find_map(|name| folders.iter().map(|f| [&f[..], b"/", &name].concat()).find(|p| ground.files.real_path(p).is_some()));
    let Some(path) = found else { return Ok(None) };
    if ground.files.real_path(&path).is_some_and(|real| real == b"/dev/null"[..]) {
        return Ok(None);
    }
    let mut out = read(ground, &path)?;
    out.extend(dropped_in(ground, name, folders)?);
    Ok(Some(out))
}

/// The settings of a unit's drop-ins.
pub(super) fn dropped_in(ground: &Ground<'_>, name: &[u8], folders: &[Vec<u8>]) -> Result<Vec<Setting>, &'static str> {
    let kind = name.rsplit(|b| *b == b'.').next().unwrap_or_default();
    // The unit's own folders count before those of its template, and those before its kind's.
    let mut places: Vec<Vec<u8>> = Vec::new();
    let names = [Some(name.to_vec()), template(name), Some(kind.to_vec())];
    for name in names.into_iter().flatten() {
        places.extend(folders.iter().map(|f| [&f[..], b"/", &name, b".d"].concat()));
    }
    let mut out = Vec::new();
    for path in drop_ins(ground, &places) {
        out.extend(read(ground, &path)?);
    }
    Ok(out)
}

/// `foo@bar.service` is an instance of `foo@.service`.
fn template(name: &[u8]) -> Option<Vec<u8>> {
    let at = memchr::memchr(b'@', name)?;
    let dot = memchr::memrchr(b'.', name)?;
    (at + 1 < dot).then(|| [name.get(..=at).unwrap_or_default(), name.get(dot..).unwrap_or_default()].concat())
}

/// What `%i` stands for.
pub(super) fn instance(name: &[u8]) -> &[u8] {
    let (Some(at), Some(dot)) = (memchr::memchr(b'@', name), memchr::memrchr(b'.', name)) else { return b"" };
    name.get(at + 1..dot).unwrap_or_default()
}
