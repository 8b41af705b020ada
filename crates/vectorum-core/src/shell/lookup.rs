//! Commands by their names: `command`, `whence`, `hash`, and whether there is one.

use bytes::Bytes;
use hashbrown::HashMap;

use super::content::Content;
use super::declare::declares;
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::syntax::*;
use super::value::Val;
use crate::host_view::{HostView, Kind, Want};
use crate::route::Account;

pub(super) const NO_FOLDER: &str = "the working folder is not known";
pub(super) const UNREAD: &str = "a folder of programs may not be read";

/// Whether a path is a program that an account may run; `None` if that is not known.
pub(super) fn is_program(files: &dyn HostView, account: &Account, path: &[u8]) -> Option<bool> {
    match files.kind(path) {
        Kind::Program => Some(files.may(path, account.uid, account.gid, Want::Execute).unwrap_or(true)),
        Kind::Unknown => None,
        _ => Some(false),
    }
}

/// Looks a program up in the folders of a PATH; `full` makes a folder begin at the root.
///
/// # Errors
/// Why it is not known.
pub(super) fn along(
    (files, account): (&dyn HostView, &Account),
    path: &[u8],
    name: &[u8],
    full: impl Fn(&[u8]) -> Option<Bytes>,
) -> Result<Option<Bytes>, &'static str> {
    for folder in path.split(|b| *b == b':') {
        let folder = full(if folder.is_empty() { b"." } else { folder }).ok_or(NO_FOLDER)?;
        let path = [&folder[..], b"/", name].concat();
        if is_program(files, account, &path).ok_or(UNREAD)? {
            return Ok(Some(path.into()));
        }
    }
    Ok(None)
}

/// The same where no folder hangs on the working folder; `None` where it is not known.
pub(super) fn along_from_root(files: &dyn HostView, account: &Account, path: &[u8], name: &[u8]) -> Option<Option<Bytes>> {
    along((files, account), path, name, |folder| folder.starts_with(b"/").then(|| Bytes::copy_from_slice(folder))).ok()
}

/// Programs that were looked up, each with the PATH along which that was: most are asked for again and again.
#[derive(Debug, Default)]
pub(super) struct Programs(HashMap<Bytes, (Bytes, Option<Bytes>)>);

impl Programs {
    /// What [`along_from_root`] says, as long as nothing else is at those places than was.
    pub(super) fn along(
        &mut self,
        (files, account): (&dyn HostView, &Account),
        path: &[u8],
        name: &[u8],
    ) -> Option<Option<Bytes>> {
        match self.0.get(name) {
            Some((along, found)) if along == path => Some(found.clone()),
            _ => {
                let found = along_from_root(files, account, path, name)?;
                self.0.insert(Bytes::copy_from_slice(name), (Bytes::copy_from_slice(path), found.clone()));
                Some(found)
            }
        }
    }
}

/// Words that are part of the grammar.
const KEYWORDS: &[&[u8]] = &[
    b"if",
    b"then",
    b"else",
    b"elif",
    b"fi",
    b"case",
    b"esac",
    b"for",
    b"select",
    b"while",
    b"until",
    b"do",
    b"done",
    b"in",
    b"function",
    b"time",
    b"{",
    b"}",
    b"!",
    b"[[",
    b"]]",
    b"coproc",
];

impl Machine<'_> {
    pub(super) fn command(&mut self, own: &[u8], arguments: &[Val], command: &Command) {
        let mut rest = arguments;
        let (mut asks, mut at_length, mut is_usual) = (false, false, true);
        while let Some((first, after)) = rest.split_first() {
            match first.known().map(|f| &f[..]) {
                Some(b"--") => {
                    rest = after;
                    break;
                }
                Some([b'-', letters @ ..])
                    if own == b"command" && !letters.is_empty() && letters.iter().all(|letter| b"pvV".contains(letter)) =>
                {
                    asks |= letters.iter().any(|letter| b"vV".contains(letter));
                    at_length = letters.contains(&b'V');
                    // Along a path of the system's own.
                    is_usual &= !letters.contains(&b'p');
                    rest = after;
                }
                // zsh takes it for the name of a command.
                Some([b'-', _, ..]) if self.dialect != Dialect::Zsh && own != b"builtin" => {
                    return self.doubt_status(self.doubt(NOT_TAKEN));
                }
                Some([b'-', _, ..]) if self.dialect == Dialect::Bash => return self.set_status(2),
                _ => break,
            }
        }
        let Some((name, after)) = rest.split_first() else {
            // With a redirection nothing to run is an error there (measured: 5.9).
            return match self.dialect {
                Dialect::Zsh if !command.redirects.is_empty() => self.fail_hard(),
                Dialect::Zsh if !arguments.is_empty() => {
                    self.doubt_status(self.doubt(NOT_TAKEN));
                }
                _ => self.set_status(0),
            };
        };
        let Val::Known(name) = name.clone() else {
            return if asks {
                self.print(Val::unknown(self.doubt("what a command prints")));
                self.doubt_status(self.doubt("whether there is such a command"));
            } else {
                self.fog("a command whose name is not known");
            };
        };
        if asks && (!after.is_empty() || !is_usual && !self.is_own(&name)) {
            self.print(Val::unknown(self.doubt("what a command prints")));
            return self.doubt_status(self.doubt("whether there is such a command"));
        }
        if asks {
            match self.is_command(&name) {
                Ok(true) => {
                    let found = if self.is_own(&name) || self.is_function(&name) {
                        None
                    } else {
                        self.find_program(&name).ok().flatten()
                    };
                    let is_alias = self
                        .live
                        .as_ref()
                        .and_then(|s| s.aliases.get(&name))
                        .is_some_and(|a| a.as_ref().is_none_or(|a| a.died.is_none()));
                    let text = match found.filter(|_| !is_alias) {
                        _ if at_length => Val::unknown(self.doubt("what a command prints")),
                        Some(path) => Val::of([&path[..], b"\n"].concat()),
                        None if !is_alias && (self.is_own(&name) || self.is_function(&name)) => {
                            Val::of([&name[..], b"\n"].concat())
                        }
                        None => Val::unknown(self.doubt("what a command prints")),
                    };
                    self.print(text);
                    self.set_status(0);
                }
                Ok(false) => {
                    // Some say so among what they print.
                    if at_length {
                        self.print(Val::unknown(self.doubt("what a command prints")));
                    }
                    self.set_status(if self.dialect == Dialect::Dash { 127 } else { 1 });
                }
                Err(doubt) => {
                    self.print(Val::unknown(doubt.clone()));
                    self.doubt_status(doubt);
                }
            }
            return;
        }
        // What it makes of a word that declares is not followed there.
        if own == b"command" && self.dialect == Dialect::Zsh && declares(&name, Dialect::Zsh) {
            return self.fog("a declaration that zsh does not take for one");
        }
        // There it runs programs only, unless it is as sh would be.
        if own == b"command" && self.is_own_zsh() {
            // Of its own commands it runs none.
            if self.is_unfollowed_builtin(&name).is_some() && self.find_program(&name) == Ok(None) {
                return self.set_status(127);
            }
            return self.run_other(&name, after);
        }
        // There it is a command of the shell's own, or nothing.
        // Some of them are other names of such there.
        let is_alias =
            self.dialect == Dialect::Mksh && matches!(&name[..], b"type" | b"local" | b"nameref" | b"functions" | b"hash");
        if own == b"builtin" && (is_alias || !self.is_own(&name)) {
            return match self.dialect {
                Dialect::Mksh => self.misused_badly(),
                _ => self.set_status(1),
            };
        }
        let is_command = usize::from(own == b"command");
        (self.tame, self.behind_command) = (self.tame + 1, self.behind_command + is_command);
        // There the parameters that a text sets are given up with it (measured: R59).
        let is_kept = self.dialect == Dialect::Mksh && own == b"command" && name == b"eval"[..];
        let positional = self.live.as_ref().filter(|_| is_kept).map(|state| state.positional.clone());
        self.run_named(&name, after, true, command);
        if let (Some(positional), Some(state)) = (positional, &mut self.live) {
            state.positional = positional;
        }
        (self.tame, self.behind_command) = (self.tame - 1, self.behind_command - is_command);
    }

    /// `whence`: where a program lies, or whether there is such a command.
    pub(super) fn whence(&mut self, known: Option<&[Bytes]>) {
        let answer = match known {
            Some([option, name]) if option == "-p" && !name.starts_with(b"-") => match self.find_program(name) {
                Ok(Some(path)) => {
                    self.print(Val::of([&path[..], b"\n"].concat()));
                    Ok(true)
                }
                Ok(None) => Ok(false),
                Err(doubt) => Err(doubt),
            },
            Some([name]) if !(name.starts_with(b"-") || name.contains(&b'/') && self.dialect == Dialect::Ksh) => {
                self.print(Val::unknown(self.doubt("what a command prints")));
                self.is_command(name)
            }
            _ => Err(self.doubt("how a command of the shell ends")),
        };
        if answer.is_err() {
            self.print(Val::unknown(self.doubt("what a command prints")));
        }
        self.set_maybe(answer);
    }

    /// `hash -d` of zsh: folders that are named.
    pub(super) fn name_folders(&mut self, known: Option<&[Bytes]>) {
        let named = |word: &Bytes| Some((memchr::memchr(b'=', word)?, word.clone()));
        let all: Option<Vec<_>> = known.and_then(|known| known.iter().skip(1).map(named).collect());
        let Some(all) = all.filter(|all| !all.is_empty()) else { return self.fog("folders are named that are not known") };
        for (at, word) in all {
            if let Some(state) = &mut self.live {
                state.places.insert(word.slice(..at), Some(word.slice(at + 1..)));
            }
        }
        self.set_status(0);
    }

    /// A folder that a name stands for: zsh takes those that were named, and what holds a path.
    pub(super) fn named_folder(&self, name: &[u8]) -> Option<Val> {
        let content = match self.live.as_ref().and_then(|state| state.places.get(name)) {
            Some(Some(path)) => Content::Set(Val::Known(path.clone())),
            Some(None) => Content::Perhaps(Val::unknown(self.doubt("a folder that is perhaps named"))),
            None => self.content_of(name),
        };
        match content {
            Content::Set(Val::Known(path)) | Content::Perhaps(Val::Known(path)) if !path.starts_with(b"/") => None,
            Content::Unset | Content::Array(_) | Content::Table(_) => None,
            Content::Set(value) => Some(value),
            Content::Perhaps(Val::Unknown(doubt)) => Some(Val::Unknown(doubt)),
            Content::Perhaps(Val::Known(_)) => Some(Val::unknown(self.doubt("a folder that is perhaps named"))),
        }
    }

    /// `type -t NAME` of bash, what kind of command that is, and `type -P NAME`, where the program lies.
    pub(super) fn typed(&mut self, known: Option<&[Bytes]>) {
        let Some([option, name]) = known else { return };
        let kind = if option == "-P" {
            self.find_program(name)
        } else {
            let state = self.live.as_ref();
            let kind = |kind: &'static str| Ok(Some(Bytes::from_static(kind.as_bytes())));
            // Whether aliases count is an option's affair.
            let has_alias = state.is_some_and(|s| s.aliases.get(name).is_some());
            match state.and_then(|s| s.functions.get(name)) {
                _ if has_alias => Err(self.doubt("what a command prints")),
                _ if KEYWORDS.contains(&&name[..]) => kind("keyword"),
                Some(Some(_)) => kind("function"),
                Some(None) => Err(self.doubt("what a command prints")),
                None if self.is_own(name) => kind("builtin"),
                None => self.find_program(name).map(|found| found.map(|_| Bytes::from_static(b"file"))),
            }
        };
        let open = self.live.as_ref().and_then(|s| s.open.clone());
        let kind = kind.and_then(|kind| open.map_or(Ok(kind), Err));
        match &kind {
            Ok(Some(text)) => self.print(Val::of([&text[..], b"\n"].concat())),
            Ok(None) => {}
            Err(doubt) => self.print(Val::unknown(doubt.clone())),
        }
        self.set_maybe(kind.map(|kind| kind.is_some()));
    }

    /// `which NAME` of zsh, where it is about a program.
    pub(super) fn which_of_zsh(&mut self, known: Option<&[Bytes]>) {
        let Some([name]) = known.filter(|names| names.iter().all(|n| !n.starts_with(b"-"))) else { return self.whence(known) };
        let is_else = self.live.as_ref().is_none_or(|s| {
            s.open.is_some() || s.functions.get(name).is_some() || s.aliases.get(name).is_some() || self.is_own(name)
        });
        match self.find_program(name) {
            Ok(found) if !is_else && !KEYWORDS.contains(&&name[..]) => {
                let text = match &found {
                    Some(path) => [&path[..], b"\n"].concat(),
                    None => [&name[..], b" not found\n"].concat(),
                };
                self.print(Val::of(text));
                self.set_status(u8::from(found.is_none()));
            }
            _ => self.whence(known),
        }
    }

    /// `which`, a program that looks another one up.
    pub(super) fn which(&mut self, known: Option<&[Bytes]>) {
        let answer = match (self.find_program(b"which"), known) {
            (Ok(None), _) => return self.set_status(127),
            (Ok(Some(_)), Some([name])) if !name.starts_with(b"-") => self.find_program(name),
            _ => Err(self.doubt("how a program ends")),
        };
        match &answer {
            Ok(Some(path)) => self.print(Val::of([&path[..], b"\n"].concat())),
            Ok(None) => {}
            Err(_) => self.print(Val::unknown(self.doubt("what a program prints"))),
        }
        self.set_maybe(answer.map(|found| found.is_some()));
    }

    /// `hash`: whether there are such programs.
    pub(super) fn hash(&mut self, known: Option<&[Bytes]>) {
        let is_plain = |n: &Bytes| !n.starts_with(b"-");
        let names = known.filter(|names| !names.is_empty() && names.iter().all(is_plain));
        let mut answer = Ok(true);
        for name in names.unwrap_or_default() {
            // What says where it lies is not looked for (measured: bash 5.2, dash 0.5.12).
            if name.contains(&b'/') {
                continue;
            }
            let is_own = self.is_own(name) || self.is_function(name);
            match self.find_program(name) {
                Ok(Some(_)) if !is_own => {}
                Ok(None) if !is_own => answer = answer.map(|_| false),
                _ => answer = Err(self.doubt("how a command of the shell ends")),
            }
        }
        if names.is_none() {
            answer = Err(self.doubt("how a command of the shell ends"));
        }
        self.set_maybe(answer);
    }

    /// Whether a file that cannot be run is called so and lies in a folder of `PATH`, or a folder, but in bash.
    pub(super) fn lies_on_path(&self, name: &[u8]) -> bool {
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else { return false };
        let is_file = |folder: &[u8]| {
            let full = self.full(&[folder, b"/", name].concat());
            full.is_some_and(|full| match self.ground.files.kind(&full) {
                Kind::File => true,
                Kind::Folder => self.dialect != Dialect::Bash,
                _ => false,
            })
        };
        path.split(|byte| *byte == b':').filter(|folder| !folder.is_empty()).any(is_file)
    }

    /// Whether there is such a command.
    pub(super) fn is_command(&mut self, name: &[u8]) -> super::value::Maybe {
        if let Some(state) = &self.live {
            match (state.functions.get(name), state.aliases.get(name)) {
                (Some(Some(_)), _) => return Ok(true),
                (Some(None), _) if self.was_brought(name) => return Ok(true),
                (_, Some(Some(alias))) if alias.died.is_none() => return Ok(true),
                (Some(None), _) | (_, Some(None)) => return Err(self.doubt("whether there is such a command")),
                _ => {}
            }
        }
        if self.is_own(name) || matches!(name, b"if" | b"for" | b"while" | b"case" | b"{" | b"!") {
            return Ok(true);
        }
        if self.find_program(name)?.is_some() {
            return Ok(true);
        }
        Ok(self.function_file(name)?.is_some())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;

    #[test]
    fn programs_are_found_in_the_first_folder_that_has_them() {
        let mut tree = MemoryTree::default();
        tree.file("/usr/bin/tide", "", true);
        tree.file("/opt/berth/tide", "", true);
        tree.file("/bin/tide", "", false);
        tree.file("/home/odile/tools/tide", "", true);
        let account =
            Account { name: "odile".into(), uid: 1000, gid: 1000, home: "/home/odile".into(), shell: "/bin/dash".into() };
        let at_home = |folder: &[u8]| match folder.first() {
            Some(b'/') => Some(Bytes::copy_from_slice(folder)),
            _ => Some(Bytes::from([b"/home/odile/", folder].concat())),
        };
        let mut programs = Programs::default();
        for (path, from_root, found) in [
            ("/usr/bin:/opt/berth", Some(Some("/usr/bin/tide")), Some("/usr/bin/tide")),
            ("/opt/berth:/usr/bin", Some(Some("/opt/berth/tide")), Some("/opt/berth/tide")),
            ("/bin:/opt/berth", Some(Some("/opt/berth/tide")), Some("/opt/berth/tide")),
            ("/bin:/nowhere", Some(None), None),
            ("/usr/bin:tools", Some(Some("/usr/bin/tide")), Some("/usr/bin/tide")),
            ("tools:/usr/bin", None, Some("/home/odile/tools/tide")),
            (":/usr/bin", None, Some("/usr/bin/tide")),
        ] {
            let bytes = |found: Option<&str>| found.map(|f| Bytes::copy_from_slice(f.as_bytes()));
            let path = path.as_bytes();
            assert_eq!(along_from_root(&tree, &account, path, b"tide"), from_root.map(bytes), "{}", path.escape_ascii());
            // What was kept of another path, or of this one, is no other answer.
            for _ in 0..2 {
                assert_eq!(programs.along((&tree, &account), path, b"tide"), from_root.map(bytes), "{}", path.escape_ascii());
                assert_eq!(programs.along((&tree, &account), b"/usr/bin", b"ebb"), Some(None));
            }
            assert_eq!(along((&tree, &account), path, b"tide", at_home), Ok(bytes(found)), "{}", path.escape_ascii());
        }
        assert_eq!(along((&tree, &account), b"tools", b"tide", |_| None), Err(NO_FOLDER));
    }
}
