//! Shells that take the place of the one in which somebody types, or come before it: what is typed then is typed at them.

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::options::names::is_one_of;
use super::syntax::Dialect;
use super::value::{Doubt, Val};

/// Names of programs that are shells.
const SHELLS: &str = "ash bash csh dash fish ksh ksh93 mksh rbash sh tcsh yash zsh zsh5";

/// Why the answer is open where one is not followed.
pub const NOT_FOLLOWED: &str = "another shell takes the place of this one in a way that is not followed";

/// A shell at which somebody types instead.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Successor {
    /// Its program.
    pub program: Bytes,
    /// Whether it is a login shell.
    pub is_login: bool,
    /// Where it starts, if that is known.
    pub folder: Option<Bytes>,
}

/// Programs that start a shell to type at by themselves (su(1), newgrp(1), script(1)).
const STARTING: &str = "newgrp script sg su";

/// The shells at which somebody may type instead: none, one, or such as are not followed.
#[derive(Clone, Debug, Default)]
pub(super) struct Succession {
    one: Option<Successor>,
    is_unclear: bool,
}

impl Succession {
    /// Another way leads to a shell. `as_login` says whether it is told that it is one for a login besides its words.
    pub(super) fn add(&mut self, program: &Bytes, manner: Manner, as_login: bool, folder: Option<Bytes>) {
        let Manner::Plain { is_login } = manner else {
            self.is_unclear = true;
            return;
        };
        let other = Successor { program: program.clone(), is_login: is_login || as_login, folder };
        self.is_unclear |= self.one.as_ref().is_some_and(|one| *one != other);
        self.one = Some(other);
    }

    /// The one to which all ways lead; `None` where they do not.
    pub(super) fn only(&mut self, goes_on: bool) -> Option<&Successor> {
        if goes_on || self.is_unclear {
            self.one = None;
        }
        self.one.as_ref()
    }

    /// The one that there is.
    pub(super) fn into_one(self) -> Option<Successor> {
        self.one
    }
}

/// How many shells there are for the one that takes the place of one: most count themselves out before (measured: bash 5.2,
/// 93u+m, zsh 5.9, fish 3.6).
pub(super) fn counted_out(level: Option<&Val>) -> Val {
    let number = level.and_then(Val::known).and_then(|text| std::str::from_utf8(text).ok()?.parse::<i64>().ok());
    match number {
        Some(number) => Val::of((number - 1).to_string()),
        None => Val::unknown(Doubt::new("how many shells there are", None)),
    }
}

/// What a shell is started as by its words, where somebody is to type at it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Manner {
    Plain {
        is_login: bool,
    },
    /// In a way that is not followed.
    Other,
}

/// Tells how a program is started as a shell to type at; `None` where it is none. One that runs a command or a script, and what
/// starts programs, may bring another one where the shell itself is gone.
pub(super) fn manner(program: &[u8], arguments: &[Val], is_replaced: bool) -> Option<Manner> {
    let base = |path: &[u8]| memchr::memrchr(b'/', path).map_or(0, |slash| slash + 1);
    let is_one = |of: &str, path: &[u8]| is_one_of(of, path.get(base(path)..).unwrap_or_default());
    let may_bring = || arguments.iter().any(|word| word.known().is_none_or(|word| is_one(SHELLS, word)));
    if !is_one(SHELLS, program) {
        // These start one where they are asked to (sudo(8), doas(1)).
        let asks = |word: &Val| word.known().is_none_or(|word| is_one_of("-i -s --login --shell", word));
        let starts = is_one(STARTING, program) || is_one("sudo doas", program) && arguments.iter().any(asks);
        return (starts || is_replaced && may_bring()).then_some(Manner::Other);
    }
    let mut manner = Manner::Plain { is_login: false };
    for argument in arguments {
        let Val::Known(word) = argument else {
            manner = Manner::Other;
            continue;
        };
        match &word[..] {
            b"--login" => manner = Manner::Plain { is_login: true },
            [b'-', letters @ ..] if !letters.is_empty() && letters.iter().all(|letter| b"il".contains(letter)) => {
                if letters.contains(&b'l') {
                    manner = Manner::Plain { is_login: true };
                }
            }
            [b'-', b'-', ..] => return Some(Manner::Other),
            [b'-' | b'+', letters @ ..] if !letters.contains(&b'c') => return Some(Manner::Other),
            _ => return is_replaced.then_some(Manner::Other),
        }
    }
    Some(manner)
}

impl Machine<'_> {
    /// Goes on at another shell, if a program is one that somebody types at now. Returns whether it is.
    pub(super) fn is_succeeded(&mut self, program: &Bytes, arguments: &[Val], is_replaced: bool, as_login: bool) -> bool {
        if !self.has_terminal() || self.until.is_some() {
            return false;
        }
        let Some(manner) = manner(program, arguments, is_replaced) else { return false };
        let folder = self.live.as_ref().and_then(|state| state.folder.clone());
        if is_replaced && matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Zsh) {
            let level = counted_out(self.content_of(b"SHLVL").value().as_ref());
            if let Some(var) = self.live.as_mut().and_then(|state| state.vars.get_mut(b"SHLVL")) {
                var.content = Content::Set(level);
            }
        }
        self.succession.add(program, manner, as_login, folder);
        self.stop();
        true
    }

    /// Where a shell came before its prompt is its end, if all ways lead to one.
    pub(super) fn succeed(&mut self) {
        let Some(left) = self.stopped.take() else { return };
        let goes_on = self.live.is_some();
        let why = self.doubt(super::machine::PARTED);
        self.live = super::branch::join(self.live.take(), Some(left), &why);
        if self.succession.only(goes_on).is_none() {
            self.fog(NOT_FOLLOWED);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shells_to_type_at_are_told_from_what_they_run() {
        for (program, words, expected) in [
            ("/bin/zsh", "", Some(Manner::Plain { is_login: false })),
            ("/usr/bin/fish", "-l", Some(Manner::Plain { is_login: true })),
            ("/bin/bash", "--login -i", Some(Manner::Plain { is_login: true })),
            ("/bin/bash", "-il", Some(Manner::Plain { is_login: true })),
            ("/bin/bash", "--norc", Some(Manner::Other)),
            ("/bin/zsh", "-f", Some(Manner::Other)),
            ("/bin/bash", "-c true", None),
            ("/bin/bash", "-lc true", None),
            ("/bin/sh", "/opt/berth", None),
            ("/usr/bin/env", "", None),
            ("/usr/bin/env", "TIDE=low bash", None),
            ("/usr/bin/newgrp", "harbour", Some(Manner::Other)),
            ("/usr/bin/sudo", "-i", Some(Manner::Other)),
        ] {
            let words: Vec<Val> = words.split_ascii_whitespace().map(|word| Val::of(word.as_bytes())).collect();
            assert_eq!(manner(program.as_bytes(), &words, false), expected, "{program} {words:?}");
            // Where nothing else is left it may be another one that it brings.
            let is_sure = expected.is_some() || program == "/usr/bin/env" && words.is_empty();
            let replaced = if is_sure { expected } else { Some(Manner::Other) };
            assert_eq!(manner(program.as_bytes(), &words, true), replaced, "exec {program} {words:?}");
        }
    }
}
