//! Options that are printed or taken up as they are, to be put back later by running that.

use std::sync::Arc;

use super::shopt::SHELL_OPTIONS;
use crate::shell::machine::Machine;
use crate::shell::value::{Unknown, Val};

/// What options print that are put back later: those of `set -o`, those of `shopt`, all of zsh's.
pub(super) const OPTIONS_OF_SET: &str = "how options are set";
pub(super) const OPTIONS_OF_SHOPT: &str = "how options of «shopt» are set";
pub(in crate::shell) const EVERY_OPTION: &str = "how all options are set";

/// Whether an output is that of options.
pub(in crate::shell) fn tells_options(why: &str) -> bool {
    [OPTIONS_OF_SET, OPTIONS_OF_SHOPT, EVERY_OPTION].contains(&why)
}

impl Machine<'_> {
    /// Takes note of the options as they are, where they are printed to be put back.
    pub(in crate::shell) fn keep_options(&mut self, why: &'static str) -> Val {
        if let Some(state) = &mut self.live {
            let now = Arc::new(state.options.clone());
            state.kept_options = match &state.kept_options {
                None => Some(Some(now)),
                Some(kept) => Some(kept.clone().filter(|kept| *kept == now)),
            };
        }
        Val::Unknown(Unknown::of(self.doubt(why)).setting(Some(&[])).filled(true))
    }

    /// What was printed of options is run: they are as they were; those of `shopt` are printed for themselves.
    pub(in crate::shell) fn put_back_options(&mut self, why: &'static str) {
        let Some(state) = &mut self.live else { return };
        let Some(Some(kept)) = state.kept_options.clone() else { return self.fog("options are set that are not known") };
        let names: Vec<&'static str> = state.options.keys().chain(kept.keys()).copied().collect();
        let of_shopt = |name: &str| SHELL_OPTIONS.contains(&name);
        for name in names.into_iter().filter(|name| why == EVERY_OPTION || of_shopt(name) == (why == OPTIONS_OF_SHOPT)) {
            match kept.get(name) {
                Some(was) => drop(state.options.insert(name, *was)),
                None => drop(state.options.remove(name)),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect;
    use crate::shell::trial::after;

    #[test]
    fn options_are_as_they_were_when_they_were_printed() {
        // Whether an option is set then; a bang where anything may be set.
        for (dialect, text, option, told) in [
            (Dialect::Bash, "o=$(set +o); set -f; eval \"$o\"", "noglob", "off"),
            (Dialect::Bash, "set -f; o=$(set +o); set +f; eval \"$o\"", "noglob", "on"),
            (Dialect::Dash, "o=$(set +o); set -a; eval \"$o\"", "allexport", "off"),
            (Dialect::Bash, "o=$(set +o); shopt -s nullglob; eval \"$o\"", "nullglob", "on"),
            (Dialect::Bash, "o=$(shopt -p); shopt -s nullglob; eval \"$o\"", "nullglob", "off"),
            (Dialect::Bash, "o=$(shopt -p); set -f; eval \"$o\"", "noglob", "on"),
            (Dialect::Bash, "o=$(shopt -p nullglob); shopt -s nullglob; eval \"$o\"", "nullglob", "off"),
            (Dialect::Bash, "o=$(set +o); set -f; p=$(set +o); eval \"$o\"", "noglob", "!"),
            (Dialect::Bash, "o=$(set +o); p=$(set +o); set -f; eval \"$o\"", "noglob", "off"),
            (Dialect::Bash, "o=$(set +o)x; set -f; eval \"$o\"", "noglob", "!"),
            (Dialect::Zsh, "o=\"options=(${(j: :)${(kv)options[@]}})\"; setopt nullglob; eval $o", "nullglob", "off"),
            (Dialect::Bash, "f() { local -; set -f; }; f", "noglob", "off"),
            (Dialect::Mksh, "f() { set -f; }; f", "noglob", "on"),
            (Dialect::Zsh, "f() { emulate -L zsh; setopt nullglob; }; f", "nullglob", "off"),
            (Dialect::Zsh, "emulate zsh -o nullglob", "nullglob", "on"),
            (Dialect::Zsh, "setopt nullglob; emulate zsh -c 'true'", "nullglob", "on"),
        ] {
            let found = after(dialect, text, |machine| match &machine.live {
                Some(state) if state.open.is_some() => "!",
                Some(state) => match state.option(option) {
                    Some(true) => "on",
                    Some(false) => "off",
                    None => "either",
                },
                None => "ended",
            });
            assert_eq!(found, told, "{dialect:?} {text}");
        }
    }
}
