//! The commands that shells have of their own, by their names.

use std::sync::LazyLock;

use hashbrown::HashMap;

use super::machine::Machine;
use super::syntax::Dialect;

/// What a command of a shell's own is to what is followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Standing {
    /// What it does is followed.
    Followed,
    /// It leaves variables alone; how it ends and what it prints is not followed.
    Harmless,
    /// It sets names, and is not followed.
    Changing,
}

use Standing::{Changing, Followed, Harmless};

/// Shells that have more than POSIX asks for.
const RICH: &[Dialect] = &[Dialect::Bash, Dialect::Ksh, Dialect::Mksh, Dialect::Zsh];

const ALL: &[Dialect] = &[Dialect::Bash, Dialect::Dash, Dialect::Ksh, Dialect::Mksh, Dialect::Zsh];

/// Which commands there are, what they are, and the shells that have them. Those that are followed see to it themselves
/// what they are in a shell that has none such, but for some.
const TABLE: &[(&str, Standing, &[Dialect])] = &[
    (
        ": true false test [ . eval set shift unset return exit break continue exec cd echo printf read alias unalias trap \
         command pwd type getopts export readonly source declare typeset let shopt setopt unsetopt emulate print",
        Followed,
        ALL,
    ),
    ("local", Followed, &[Dialect::Bash, Dialect::Dash, Dialect::Mksh, Dialect::Zsh]),
    ("builtin", Followed, RICH),
    ("bye chdir float integer unfunction", Followed, &[Dialect::Zsh]),
    ("umask ulimit jobs bg fg wait kill times hash fc", Harmless, ALL),
    (
        "complete compopt bind history disown suspend caller help dirs enable logout compgen bindkey autoload zmodload zstyle \
         compdef zle sched rehash limit unlimit newgrp which where whence functions disable zcompile ttyctl",
        Harmless,
        RICH,
    ),
    ("mapfile readarray", Changing, &[Dialect::Bash]),
    ("vared zparseopts private", Changing, &[Dialect::Zsh]),
    ("pushd popd", Changing, &[Dialect::Bash, Dialect::Zsh]),
    ("nameref", Followed, &[Dialect::Ksh, Dialect::Mksh]),
    ("hist alarm", Harmless, &[Dialect::Ksh]),
    ("enum compound redirect", Changing, &[Dialect::Ksh]),
    ("r", Harmless, &[Dialect::Mksh, Dialect::Zsh]),
    (
        "unhash pushln echoti echotc log compadd compcall compctl compdescribe compfiles compgroups compquote compset comptags \
         comptry",
        Harmless,
        &[Dialect::Zsh],
    ),
    ("getln comparguments compvalues zformat zregexparse", Changing, &[Dialect::Zsh]),
    ("rename", Harmless, &[Dialect::Mksh]),
    ("select coproc", Changing, RICH),
];

/// Commands whose errors end more than others' (POSIX, Shell Command Language, 2.14).
const SPECIAL: &str = ": . eval exec export readonly set shift unset return exit break continue times trap";

/// What a command is, and the shells that have it.
type Entry = (Standing, &'static [Dialect]);

/// The same by their names: each command that runs is asked for.
static BY_NAME: LazyLock<HashMap<&'static [u8], Entry>> = LazyLock::new(|| {
    let named = |(names, standing, dialects): &(&'static str, Standing, &'static [Dialect])| {
        let all = (*standing, *dialects);
        names.split_ascii_whitespace().map(move |name| (name.as_bytes(), all)).collect::<Vec<_>>()
    };
    TABLE.iter().flat_map(named).collect()
});

/// What a name is, where a shell has a command of its own by it.
pub(super) fn standing(name: &[u8], dialect: Dialect) -> Option<Standing> {
    BY_NAME.get(name).filter(|(_, dialects)| dialects.contains(&dialect)).map(|(standing, _)| *standing)
}

/// Whether a name is that of a special command.
pub(super) fn is_special(name: &[u8]) -> bool {
    SPECIAL.split(' ').any(|special| special.as_bytes() == name)
}

impl Machine<'_> {
    /// Whether the shell has a command of its own by a name.
    pub(super) fn is_own(&self, name: &[u8]) -> bool {
        standing(name, self.dialect).is_some()
    }

    /// The same for one that is not followed: `Some(true)` if it sets names.
    pub(super) fn is_unfollowed_builtin(&self, name: &[u8]) -> Option<bool> {
        standing(name, self.dialect).filter(|standing| *standing != Followed).map(|standing| standing == Changing)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};

    #[test]
    fn each_shell_has_commands_of_its_own() {
        // In bash, dash, ksh, mksh and zsh.
        for (name, here) in [
            ("cd", [Some(Followed); 5]),
            ("local", [Some(Followed), Some(Followed), None, Some(Followed), Some(Followed)]),
            ("builtin", [Some(Followed), None, Some(Followed), Some(Followed), Some(Followed)]),
            ("umask", [Some(Harmless); 5]),
            ("whence", [Some(Harmless), None, Some(Harmless), Some(Harmless), Some(Harmless)]),
            ("readarray", [Some(Changing), None, None, None, None]),
            ("pushd", [Some(Changing), None, None, None, Some(Changing)]),
            ("nameref", [None, None, Some(Followed), Some(Followed), None]),
            ("tide-now", [None; 5]),
        ] {
            let told = [Bash, Dash, Ksh, Mksh, Zsh].map(|dialect| standing(name.as_bytes(), dialect));
            assert_eq!(told, here, "{name}");
        }
    }

    #[test]
    fn no_name_stands_twice() {
        let names: Vec<&str> = TABLE.iter().flat_map(|(names, ..)| names.split_ascii_whitespace()).collect();
        assert_eq!(names.len(), BY_NAME.len());
        assert!(SPECIAL.split(' ').all(|name| BY_NAME.contains_key(name.as_bytes())));
        assert!(is_special(b"export") && !is_special(b"local"));
    }
}
