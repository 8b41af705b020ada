//! `$-`: the letters of the options that are set.

use super::names::{followed, letters};
use crate::shell::machine::Machine;
use crate::shell::state::State;
use crate::shell::syntax::Dialect;
use crate::shell::value::{Doubt, Val};

/// Options that one of several names stands for: by that it is not known which is set.
pub(super) const SHARED: &str = "cdotherwise";

/// The order in which a shell tells its letters (measured: bash 5.2, dash 0.5, ksh 93u+m, mksh 59, zsh 5.9); those of zsh
/// are told as bytes are ordered.
fn order(dialect: Dialect) -> &'static [u8] {
    match dialect {
        Dialect::Bash => b"abefhikmnprtuvxBCEHPTcs",
        Dialect::Dash => b"pubaCEVvxsnmiIfe",
        Dialect::Ksh => b"ircabefhkmnpstuvxBCGEVlH",
        Dialect::Mksh => b"aeiklXmCnfbuprshUvxc",
        Dialect::Zsh => b"",
    }
}

impl Machine<'_> {
    /// The value of `$-`.
    pub(in crate::shell) fn flags(&self) -> Val {
        let Some(state) = &self.live else { return Val::of(b"") };
        let mut could_be = vec![Vec::new()];
        let named = letters(self.speaks()).filter(|(letter, _)| !b"ics".contains(letter));
        let told = named.map(|(letter, name)| (letter, self.has_letter(state, letter, name)));
        let begun = [b'i', b'c', b's', b'l', b'Z'].map(|letter| (letter, self.begins_with(state, letter)));
        for (letter, is_set) in told.chain(begun) {
            match is_set {
                Some(true) => could_be.iter_mut().for_each(|letters| letters.push(letter)),
                Some(false) => {}
                None if could_be.len() > 8 => {
                    return Val::unknown(Doubt::new("the shell's options are not known", None));
                }
                None => {
                    let with = could_be.iter().map(|letters| [&letters[..], &[letter]].concat()).collect::<Vec<_>>();
                    could_be.extend(with);
                }
            }
        }
        // Others begin with some.
        let may_be_none = self.dialect == Dialect::Dash;
        if may_be_none && could_be.iter().all(Vec::is_empty) {
            return Val::of(b"");
        }
        // Patterns ask for single letters, and for those that come first. The whole is not told: other builds have others.
        let is_filled = !may_be_none || !could_be.iter().any(Vec::is_empty);
        let order = order(self.dialect);
        could_be
            .iter_mut()
            .for_each(|letters| letters.sort_by_key(|letter| (memchr::memchr(*letter, order).unwrap_or(order.len()), *letter)));
        let could_be = could_be.into_iter().map(Into::into).collect();
        Val::unknown(Doubt::new("the shell's own letters", None)).but_filled(is_filled).or_one_of(could_be)
    }

    /// The shell whose letters count: zsh as another shell has those that POSIX has.
    pub(in crate::shell) fn speaks(&self) -> Dialect {
        if self.as_sh { Dialect::Dash } else { self.dialect }
    }

    /// Whether an option is set that has a letter, where that is known.
    fn has_letter(&self, state: &State, letter: u8, name: &'static str) -> Option<bool> {
        match followed(name, self.speaks()).filter(|(own, _)| *own != SHARED) {
            Some((own, same)) => Some(state.option(own)? == same),
            None => state.options.get(name).copied().unwrap_or_else(|| self.begins_with(state, letter)),
        }
    }

    /// Whether a shell begins with a letter (measured: bash 5.2, dash 0.5, ksh 93u+m, mksh 59, zsh 5.9).
    fn begins_with(&self, state: &State, letter: u8) -> Option<bool> {
        match (self.dialect, letter) {
            (Dialect::Dash, b'i') if state.options.contains_key("interactive") => None,
            // Only with a terminal, and for the shell itself.
            (Dialect::Zsh, b'm') if self.is_interactive => None,
            // A subshell is none in which somebody types there.
            (Dialect::Mksh, b'i' | b'm') => Some(self.is_typed()),
            (Dialect::Ksh, b'm') if self.is_interactive && !self.is_typed() => None,
            (_, b'i' | b'm') => Some(self.is_interactive),
            (Dialect::Bash | Dialect::Ksh | Dialect::Mksh, b'c') => state.option("-c"),
            (Dialect::Ksh, b's') => Some(state.option("-c")? || state.option("-s")?),
            (_, b's') => state.option("-s"),
            (Dialect::Bash, b'h') => Some(true),
            (Dialect::Bash, b'H') => Some(self.is_interactive),
            (Dialect::Ksh | Dialect::Mksh, b'h') => Some(!self.is_interactive),
            (Dialect::Zsh, b'l') if state.options.contains_key("login") => None,
            (Dialect::Ksh | Dialect::Mksh | Dialect::Zsh, b'l') => self.is_login,
            // How lines are edited, and whether by the locale they are UTF-8.
            (Dialect::Ksh, b'E' | b'V') if self.is_interactive => None,
            (Dialect::Mksh, b'U') => None,
            (Dialect::Zsh, b'5' | b'6' | b'9' | b'X') => Some(true),
            (Dialect::Zsh, b'Z') => Some(self.is_interactive),
            _ => Some(false),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn letters_say_which_options_are_set() {
        let asks = |setting: &str, letter: &str| format!("{setting}; case $- in *{letter}*) R=on;; *) R=off;; esac");
        for (dialects, setting, letter, answer) in [
            (&[Bash, Dash, Ksh, Mksh][..], ":", "C", "off"),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -C", "C", "on"),
            (&[Bash, Ksh, Mksh], "set -m", "m", "on"),
            (&[Dash], "set -m", "m", "<unknown>"),
            (&[Bash, Ksh, Mksh], ":", "h", "on"),
            (&[Bash], "set +h", "h", "off"),
            (&[Bash, Ksh], "set +B", "B", "off"),
            (&[Bash, Ksh], ":", "B", "on"),
            (&[Bash], "shopt -s cdable_vars", "P", "off"),
            (&[Bash], "set -P", "P", "on"),
            (&[Mksh], ":", "U", "<unknown>"),
            (&[Dash], "set -E; set -V", "E", "off"),
            (&[Zsh], ":", "5", "on"),
            (&[Zsh], "unsetopt notify", "5", "off"),
            (&[Zsh], "setopt histignoredups; emulate zsh", "h", "<unknown>"),
            (&[Bash, Zsh], "tide-now && set -C", "C", "<unknown>"),
        ] {
            hold(&[(dialects, &asks(setting, letter), [answer, "none"])]);
        }
        // Whichever there are, they come in an order of the shell's own.
        for (dialects, setting, begins, answer) in [
            (&[Bash, Ksh][..], "set -u; set -f", "f*", "on"),
            (&[Bash, Ksh], "set -u; set -f", "u*", "off"),
            (&[Dash], "set -f; set -u", "uf", "on"),
            (&[Mksh], "set -f; set -C", "*Cf*", "on"),
            (&[Zsh], "set -C; set -u", "*C*u*", "on"),
            (&[Zsh], "set -C; set -u", "C*", "off"),
        ] {
            hold(&[(dialects, &format!("{setting}; case $- in {begins}) R=on;; *) R=off;; esac"), [answer, "none"])]);
        }
    }
}
