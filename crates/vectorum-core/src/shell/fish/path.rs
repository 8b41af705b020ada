//! `path`: paths taken apart, put together and asked for (fish's manual, `path`; measured: 3.6).

use super::super::folder::plain_path;
use super::*;

/// Options that ask for something in a file.
const ASKS: &[Letter] =
    &[(b'd', b""), (b'f', b""), (b'l', b""), (b'r', b""), (b'w', b""), (b'x', b""), (b'v', b"invert"), (b'q', b"quiet")];

impl Fish<'_> {
    /// `path` as far as it is followed: the lines that it prints, and its status.
    pub(super) fn path(&mut self, words: &[Bytes]) -> Option<(Vec<Bytes>, u8)> {
        let (command, rest) = words.split_first()?;
        let taken: &[Letter] = match &command[..] {
            b"filter" | b"is" => ASKS,
            b"basename" | b"dirname" | b"extension" | b"normalize" | b"change-extension" => &[(b'q', b"quiet")],
            b"resolve" => &[(b'q', b"quiet")],
            _ => return None,
        };
        let options = Options::of(rest, &[], &[taken], false)?;
        let paths = &options.rest[..];
        let (ending, paths) = match (&command[..], paths) {
            (b"change-extension", [ending, paths @ ..]) => (Some(ending.clone()), paths),
            (b"change-extension", []) => return None,
            (_, paths) => (None, paths),
        };
        // Without paths it reads them; what is empty is none.
        if paths.is_empty() || paths.iter().any(|path| path.is_empty() || path.contains(&b'\n')) {
            return None;
        }
        let mut out: Vec<Bytes> = Vec::new();
        let mut is_so = false;
        for path in paths {
            let new = match &command[..] {
                b"basename" => base(path),
                b"dirname" => folder_of(path),
                b"extension" => extension(path),
                b"normalize" => normal(path)?,
                b"change-extension" => {
                    let stem = path.slice(..path.len() - extension(path).len());
                    match ending.as_deref().unwrap_or_default() {
                        b"" => stem,
                        ending if ending.starts_with(b".") => [&stem[..], ending].concat().into(),
                        ending => [&stem[..], b".", ending].concat().into(),
                    }
                }
                b"resolve" => {
                    let full = self.full(path);
                    self.ground.files.real_path(&full)?
                }
                _ => {
                    if self.passes(path, &options)? != options.has(b'v') {
                        is_so = true;
                        // It is none of an option's then.
                        let before: &[u8] = if path.starts_with(b"-") { b"./" } else { b"" };
                        out.push(Bytes::from([before, path].concat()));
                    }
                    continue;
                }
            };
            is_so |= match &command[..] {
                b"extension" => !new.is_empty(),
                b"change-extension" | b"resolve" => true,
                _ => new != path,
            };
            out.push(new);
        }
        if command == "is" || options.has(b'q') {
            out.clear();
        }
        Some((out, u8::from(!is_so)))
    }

    /// Whether a path is of one of the kinds that are asked for, and may be used in all the ways that are.
    fn passes(&mut self, path: &Bytes, options: &Options) -> Option<bool> {
        let mut is = |operator: &'static [u8]| {
            let words = [Val::of(operator), Val::Known(path.clone())];
            self.test_words(&words.iter().collect::<Vec<_>>()).ok()
        };
        let kinds: [(u8, &'static [u8]); 3] = [(b'd', b"-d"), (b'f', b"-f"), (b'l', b"-L")];
        let ways: [(u8, &'static [u8]); 3] = [(b'r', b"-r"), (b'w', b"-w"), (b'x', b"-x")];
        let mut of_kind = None;
        for (_, operator) in kinds.iter().filter(|(letter, _)| options.has(*letter)) {
            of_kind = Some(of_kind.unwrap_or(false) | is(operator)?);
        }
        let mut all = match of_kind {
            Some(is_one) => is_one,
            None => is(b"-e")?,
        };
        for (_, operator) in ways.iter().filter(|(letter, _)| options.has(*letter)) {
            all &= is(operator)?;
        }
        Some(all)
    }
}

/// A path without slashes at its end, but for the root.
fn trimmed(path: &Bytes) -> Bytes {
    let end = path.iter().rposition(|b| *b != b'/').map_or(1, |at| at + 1);
    path.slice(..end)
}

/// Its last part.
fn base(path: &Bytes) -> Bytes {
    let path = trimmed(path);
    match memchr::memrchr(b'/', &path) {
        Some(at) if path.len() > 1 => path.slice(at + 1..),
        _ => path,
    }
}

/// The folder that it lies in.
fn folder_of(path: &Bytes) -> Bytes {
    let path = trimmed(path);
    match memchr::memrchr(b'/', &path) {
        Some(at) => trimmed(&path.slice(..at.max(1))),
        None => Bytes::from_static(b"."),
    }
}

/// What stands behind the last point of its last part, with that; nothing where that is the first sign of it.
fn extension(path: &Bytes) -> Bytes {
    let from = memchr::memrchr(b'/', path).map_or(0, |at| at + 1);
    let last = path.slice(from..);
    match memchr::memrchr(b'.', &last) {
        Some(at) if at > 0 && last != ".." => last.slice(at..),
        _ => Bytes::new(),
    }
}

/// The same place in fewer words, without looking; `None` where it would look like an option.
fn normal(path: &Bytes) -> Option<Bytes> {
    if path.starts_with(b"/") {
        return Some(plain_path(path));
    }
    let mut parts: Vec<&[u8]> = Vec::new();
    for part in path.split(|b| *b == b'/') {
        match part {
            b"" | b"." => {}
            b".." if parts.last().is_some_and(|last| *last != b"..") => drop(parts.pop()),
            part => parts.push(part),
        }
    }
    if parts.is_empty() {
        return Some(Bytes::from_static(b"."));
    }
    (!parts.first().is_some_and(|part| part.starts_with(b"-"))).then(|| parts.join(&b'/').into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_taken_apart() {
        // The last part, the folder, the ending and the plain form (measured: 3.6).
        for (path, told) in [
            ("/a/b.c", ["b.c", "/a", ".c", "/a/b.c"]),
            ("b", ["b", ".", "", "b"]),
            ("/", ["/", "/", "", "/"]),
            ("/a/b/", ["b", "/a", "", "/a/b"]),
            ("/d", ["d", "/", "", "/d"]),
            ("b.tar.gz", ["b.tar.gz", ".", ".gz", "b.tar.gz"]),
            ("/a/.b", [".b", "/a", "", "/a/.b"]),
            ("a.", ["a.", ".", ".", "a."]),
            ("/a/../b//c", ["c", "/a/../b", "", "/b/c"]),
            ("../a", ["a", "..", "", "../a"]),
            ("a/./b/..", ["..", "a/./b", "", "a"]),
        ] {
            let path = Bytes::from_static(path.as_bytes());
            let parts = [base(&path), folder_of(&path), extension(&path), normal(&path).unwrap_or_default()];
            assert_eq!(parts.each_ref().map(|part| String::from_utf8_lossy(part)), told, "{path:?}");
        }
        assert_eq!(normal(&Bytes::from_static(b"./-x")), None);
    }
}
