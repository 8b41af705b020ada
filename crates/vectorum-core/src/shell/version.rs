//! Which version of itself a shell tells a startup file, as its program says it: many ask before they use something new.

use std::sync::Arc;

use bytes::Bytes;
use memchr::memmem;

use super::content::Content;
use super::machine::Machine;
use super::syntax::Dialect;
use super::value::Val;

/// What a shell says of its own version.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Version {
    /// `BASH_VERSION`, `ZSH_VERSION`, `KSH_VERSION` of mksh.
    text: Bytes,
    /// `BASH_VERSINFO`, but for the kind of machine at its end.
    parts: Vec<Bytes>,
}

impl Version {
    /// Finds it in a shell's program: bash and mksh have it as a text for what(1), zsh in the name of the folder of its
    /// modules. `None` where it is not there, as in a tree whose programs are only their names.
    pub(super) fn of(dialect: Dialect, program: &[u8]) -> Option<Version> {
        match dialect {
            Dialect::Bash => {
                // `5.2.15(1) release GNU`.
                let text = std::str::from_utf8(behind(program, b"@(#)Bash version ")?).ok()?;
                let (number, rest) = text.split_once('(')?;
                let (build, rest) = rest.split_once(") ")?;
                let status = rest.split(' ').next()?;
                let mut parts: Vec<&str> = number.split('.').collect();
                parts.extend([build, status]);
                let [_, _, _, _, _] = parts[..] else { return None };
                let text = format!("{number}({build})-{status}").into();
                Some(Version { text, parts: parts.into_iter().map(|part| Bytes::copy_from_slice(part.as_bytes())).collect() })
            }
            Dialect::Zsh => {
                let is_number = |text: &&[u8]| text.first().is_some_and(u8::is_ascii_digit) && text.contains(&b'.');
                let mut found =
                    memmem::find_iter(program, b"/zsh/").filter_map(|at| ending(program.get(at + 5..)?)).filter(is_number);
                let text = found.next().filter(|text| text.iter().all(|b| b.is_ascii_digit() || *b == b'.'))?;
                let text = found.all(|other| other == text).then(|| Bytes::copy_from_slice(text))?;
                Some(Version { text, parts: Vec::new() })
            }
            Dialect::Mksh => {
                let text = behind(program, b"KSH_VERSION=@(#)")?;
                Some(Version { text: [b"@(#)", text].concat().into(), parts: Vec::new() })
            }
            // What ksh says of how it was built stands nowhere as one text; dash says nothing.
            Dialect::Ksh | Dialect::Dash => None,
        }
    }

    /// What it makes of a variable.
    fn content(&self, name: &[u8]) -> Option<Content> {
        match name {
            b"BASH_VERSION" | b"ZSH_VERSION" | b"KSH_VERSION" => Some(Content::Set(Val::Known(self.text.clone()))),
            b"BASH_VERSINFO" => {
                let machine = Val::filled("what kind of machine this is");
                Some(Content::Array(Arc::new(self.parts.iter().cloned().map(Val::Known).chain([machine]).collect())))
            }
            _ => None,
        }
    }
}

/// The variable in which a shell tells its version as a text, whatever it was handed in it.
pub(super) fn told_in(dialect: Dialect) -> Option<&'static str> {
    match dialect {
        Dialect::Bash => Some("BASH_VERSION"),
        Dialect::Zsh => Some("ZSH_VERSION"),
        Dialect::Mksh => Some("KSH_VERSION"),
        Dialect::Ksh | Dialect::Dash => None,
    }
}

/// The text behind another, up to its end as C writes it.
fn behind<'p>(program: &'p [u8], begin: &[u8]) -> Option<&'p [u8]> {
    ending(program.get(memmem::find(program, begin)? + begin.len()..)?)
}

/// A text of C's at the front, of a length that a version may have.
fn ending(text: &[u8]) -> Option<&[u8]> {
    text.get(..memchr::memchr(0, text.get(..text.len().min(80))?)?)
}

impl Machine<'_> {
    /// What the shell's own version makes of a variable that the shell sets by itself.
    pub(super) fn told_of_version(&self, name: &[u8]) -> Option<Content> {
        let is_parts = self.dialect == Dialect::Bash && name == b"BASH_VERSINFO";
        let is_asked = is_parts || told_in(self.dialect).is_some_and(|told| told.as_bytes() == name);
        if !is_asked || self.program.is_empty() {
            return None;
        }
        let read = || match self.ground.files.read(&self.program) {
            crate::host_view::Content::Bytes(program) => Version::of(self.dialect, &program),
            _ => None,
        };
        let version = match self.ground.shells {
            Some(shells) => shells.version(self.dialect, &self.program, read),
            None => read(),
        };
        version?.content(name)
    }
}

/// Whether a version is at least as new as another, where both are numbers between points (zshcontrib(1), `is-at-least`).
fn is_at_least(least: &[u8], version: &[u8]) -> Option<bool> {
    let numbers = |text: &[u8]| -> Option<Vec<u32>> {
        let parts = text.split(|b| *b == b'.').map(|part| std::str::from_utf8(part).ok()?.parse().ok());
        parts.collect()
    };
    let (mut least, mut version) = (numbers(least)?, numbers(version)?);
    let length = least.len().max(version.len());
    least.resize(length, 0);
    version.resize(length, 0);
    Some(version >= least)
}

impl Machine<'_> {
    /// `is-at-least LEAST [VERSION]`, of zsh itself where no other is named; whether it is.
    pub(super) fn version_is_at_least(&self, words: &[Bytes]) -> Option<bool> {
        match words {
            [least] => match self.content_of(b"ZSH_VERSION") {
                Content::Set(Val::Known(version)) => is_at_least(least, &version),
                _ => None,
            },
            [least, version] => is_at_least(least, version),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_are_compared_number_by_number() {
        for (least, version, expected) in [
            ("5.2", "5.9", Some(true)),
            ("5.10", "5.9", Some(false)),
            ("6", "5.9", Some(false)),
            ("5", "5.0", Some(true)),
            ("5.9.0.1", "5.9", Some(false)),
            ("5.0.8", "5.0.5-dev-1", None),
            ("", "5.9", None),
        ] {
            assert_eq!(is_at_least(least.as_bytes(), version.as_bytes()), expected, "{least} {version}");
        }
    }

    #[test]
    fn versions_are_found_in_programs() {
        let texts: [(Dialect, &[u8], Option<&str>); 8] = [
            (Dialect::Bash, b"\x7fELF\0@(#)Bash version 5.2.15(1) release GNU\0more", Some("5.2.15(1)-release")),
            (Dialect::Bash, b"@(#)Bash version 5.3.0(3) beta GNU\0", Some("5.3.0(3)-beta")),
            (Dialect::Bash, b"@(#)Bash version 5\0", None),
            (Dialect::Bash, b"", None),
            (Dialect::Zsh, b"a\0/usr/lib/x86/zsh/5.9\0/usr/share/zsh/functions\0/opt/zsh/5.9\0", Some("5.9")),
            (Dialect::Zsh, b"/usr/lib/zsh/5.9\0/opt/zsh/5.8.1\0", None),
            (Dialect::Mksh, b"\0KSH_VERSION=@(#)MIRBSD KSH R59 2023/04/29\0", Some("@(#)MIRBSD KSH R59 2023/04/29")),
            (Dialect::Ksh, b"@(#)$Id: sh 93u+m $\0", None),
        ];
        for (dialect, program, expected) in texts {
            let found = Version::of(dialect, program).map(|version| String::from_utf8(version.text.to_vec()).unwrap());
            assert_eq!(found.as_deref(), expected, "{}", program.escape_ascii());
        }
        let parts = Version::of(Dialect::Bash, b"@(#)Bash version 5.2.15(1) release GNU\0").unwrap().parts;
        assert_eq!(parts, ["5", "2", "15", "1", "release"]);
    }
}
