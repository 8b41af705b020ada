//! The shell's options, and the positional parameters: `set`.

pub(super) mod kept;
mod letters;
pub(super) mod names;
mod shopt;
mod zsh;

use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::expand::Expanded;
use super::fits::GROUPS;
use super::frame::Boundary;
use super::machine::Machine;
use super::syntax::*;
use super::value::{Doubt, Val};
use crate::reader::is_portable;
use kept::OPTIONS_OF_SET;
use letters::SHARED;
use names::{Effect, followed_in_zsh, is_beginning, is_odd_in_zsh, letters, long_option, named_in_zsh, option_of_letter};

/// Whether zsh may expand parameters as other shells do: no option of its own, but what several have in common.
pub(super) const OTHERWISE: &str = "expandsotherwise";

pub(super) const IN_ANOTHER_WAY: &str = "an option makes the shell work in another way";

/// Whether an option was set that is not followed, kept as options are.
/// Where what a parameter brings may be a pattern, or a folder behind a tilde, by an option of zsh's.
pub(super) const GLOBS_VALUES: &str = "globsvalues";
const WORKS_OTHERWISE: &str = "otherwise";

impl Machine<'_> {
    pub(super) fn set_options(&mut self, arguments: &[Val]) {
        let mut at = 0;
        self.set_status(0);
        let has_sign = |word: &Bytes| word.starts_with(b"-") || word.starts_with(b"+");
        let is_option = |word: &Val| word.known().is_some_and(has_sign);
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh)
            && matches!(arguments, [Val::Known(option), name, ..] if option == "-o" && is_option(name))
        {
            return self.fog("an option is set that is not known");
        }
        // Signs among the letters set another option there, or end them.
        let is_odd = |word: &Val| {
            let letters = word.known().filter(|word| has_sign(word)).and_then(|word| word.get(1..));
            letters.is_some_and(|letters| letters != b"-" && letters.iter().any(|letter| b"-+".contains(letter)))
        };
        if self.dialect == Dialect::Ksh && arguments.iter().take_while(|word| word.known().is_none_or(|w| w != "--")).any(is_odd)
        {
            return self.fog("an option is set that is not known");
        }
        if arguments.is_empty() {
            return self.print(Val::unknown(self.doubt("what a declaration prints")));
        }
        // A list, in ksh and its kin.
        if let [Val::Known(option), Val::Known(name), values @ ..] = arguments
            && option == "-A"
            && self.dialect != Dialect::Bash
            && self.dialect.is_rich()
        {
            let name = name.clone();
            let is_name = is_portable(&name);
            if !is_name && name.iter().any(|b| b"[.".contains(b)) {
                return self.fail_perhaps("a list whose name is none");
            }
            // There parameters are set so by their numbers (measured: 5.9).
            if self.dialect == Dialect::Zsh && !name.is_empty() && name.iter().all(u8::is_ascii_digit) {
                return self.fog("a positional parameter is set");
            }
            if !is_name {
                return if self.dialect == Dialect::Ksh { self.fail_special() } else { self.fail_hard() };
            }
            // There options end before the values.
            let ends = self.dialect == Dialect::Mksh && values.first().and_then(Val::known).is_some_and(|word| word == "--");
            let values = if ends { values.get(1..).unwrap_or_default() } else { values };
            if !self.assign(&name, Content::Array(Arc::new(values.to_vec())), None) {
                self.fail_hard();
            }
            return;
        }
        while let Some(argument) = arguments.get(at) {
            let text = match argument {
                Val::Known(text) => text.clone(),
                // It may be an option, or one that there is not.
                Val::Unknown(text) => {
                    if !text.could_be().is_empty() && !text.could_be().iter().any(has_sign) {
                        break;
                    }
                    self.misused_badly();
                    return self.fog("an option is set that is not known");
                }
            };
            let on = match text.first() {
                Some(b'-') => true,
                Some(b'+') => false,
                _ => break,
            };
            at += 1;
            let letters = text.slice(1..);
            if letters == b"-"[..] && !on && matches!(self.dialect, Dialect::Dash | Dialect::Bash | Dialect::Mksh) {
                return self.refuse_option();
            }
            // Alone that changes none of them there (measured: 93u+m).
            if letters == b"-"[..] && !on && self.dialect == Dialect::Ksh && at == arguments.len() {
                return;
            }
            if letters == b"-"[..] {
                self.set_positional(arguments.get(at..).unwrap_or_default());
                return;
            }
            if letters.is_empty() {
                // Alone it takes the parameters away there (measured: 5.9).
                if self.dialect == Dialect::Zsh && at == arguments.len() {
                    self.set_positional(&[]);
                }
                break;
            }
            for letter in &letters {
                // That stays as it was begun with.
                if *letter == b'i' && self.dialect == Dialect::Mksh {
                    return self.misused();
                }
                if *letter == b'o' {
                    let Some(name) = arguments.get(at) else {
                        // With a plus it is printed as commands.
                        let text = if on {
                            Val::unknown(self.doubt("what a declaration prints"))
                        } else {
                            self.keep_options(OPTIONS_OF_SET)
                        };
                        return self.print(text);
                    };
                    at += 1;
                    match name.known().cloned() {
                        Some(name) => self.long_option(&name, on),
                        None => return self.fog("an option is set that is not known"),
                    }
                } else {
                    match option_of_letter(*letter, self.speaks()) {
                        // Those that zsh has as sh, and no others (measured: 5.9).
                        _ if self.as_sh && !b"abefilmnoprstuvxACTX".contains(letter) => return self.refuse_option(),
                        _ if self.as_sh && b"AXTprst".contains(letter) => {
                            return self.fog("an option is set that is not followed");
                        }
                        Some(name) => self.long_option(name.as_bytes(), on),
                        // Its words, or a list's, are sorted, and others.
                        None if matches!(letter, b's' | b'A' | b't') => {
                            return self.fog("an option is set that is not followed");
                        }
                        // Letters that are fixed where it begins.
                        None if self.dialect == Dialect::Zsh && (*letter == b'l' || !on && b"imrZ".contains(letter)) => {
                            self.doubt_status(self.doubt("whether an option is set"));
                            if let Some(state) = &mut self.live {
                                state.options.insert("login", None);
                            }
                        }
                        None if *letter == b'r' && on && self.dialect.is_rich() => {
                            return self.fog(IN_ANOTHER_WAY);
                        }
                        None => return self.refuse_option(),
                    }
                }
                if self.live.is_none() {
                    return;
                }
            }
        }
        if at < arguments.len() {
            self.set_positional(arguments.get(at..).unwrap_or_default());
        }
    }

    /// At the end of a function options are as they were where it began, if that is asked for then.
    pub(super) fn give_back_options(&mut self, outer: BTreeMap<&'static str, Option<bool>>, are_own: bool) {
        let Some(state) = &mut self.live else { return };
        match state.option("localoptions") {
            _ if are_own => state.options = outer,
            Some(true) => state.options = outer,
            Some(false) => {}
            None => {
                let names: Vec<&'static str> = state.options.keys().chain(outer.keys()).copied().collect();
                for name in names {
                    if outer.get(name).copied().unwrap_or(Some(false)) != state.option(name) {
                        state.options.insert(name, None);
                    }
                }
            }
        }
    }

    fn set_positional(&mut self, values: &[Val]) {
        if let Some(state) = &mut self.live {
            state.were_set = Some(true);
            state.positional = Ok(Arc::new(values.to_vec()));
        }
        self.read_options_anew();
    }

    /// Whether an option is set is not known from here on.
    pub(super) fn doubt_option(&mut self, name: &'static str) {
        if let Some(state) = &mut self.live {
            state.options.insert(name, None);
        }
    }

    pub(super) fn put_option(&mut self, name: &'static str, on: bool) {
        if name == "allexport" && self.dialect == Dialect::Ksh {
            self.exports_separators |= self.quiet > 0;
            // It takes in some that ksh sets by itself.
            for name in [
                &b"IFS"[..],
                b"OLDPWD",
                b"PWD",
                b"OPTIND",
                b"PS1",
                b"PS2",
                b"PS3",
                b"PS4",
                b"PPID",
                b"MAILCHECK",
                b"TMOUT",
                b"FPATH",
            ] {
                self.doubt_export(name);
            }
        }
        if name == "nounset" && on {
            self.trap_may_lack();
        }
        if let Some(state) = &mut self.live {
            state.options.insert(name, Some(on));
        }
        // Nothing runs from there on where nobody types.
        if on && name == "noexec" {
            let doubt = self.doubt(IN_ANOTHER_WAY);
            self.exit_or_go_on(&doubt);
            // Options are a function's own in ksh.
            if self.dialect == Dialect::Ksh && self.is_in_function() {
                let leave = |m: &mut Self| {
                    m.leave(1, &[Boundary::Function], false);
                };
                self.fork(&doubt, leave, |_| {});
            }
        }
        if on && matches!(name, "noexec" | "posix") {
            self.fog(IN_ANOTHER_WAY);
        }
    }

    /// An option by its name. One that there is not is an error.
    fn long_option(&mut self, name: &[u8], on: bool) {
        if self.dialect == Dialect::Zsh {
            // How lines are edited is no option as sh where nobody types (measured: 5.9).
            if self.as_sh && on && matches!(name, b"vi" | b"emacs") {
                self.fork(&self.doubt("how lines are edited"), Self::fail_special, |_| {});
            }
            let is_there = self.set_option_of_zsh(name, on);
            return match is_there {
                true => self.set_status(0),
                false if on => self.refuse_option(),
                false => self.misused(),
            };
        }
        match long_option(name, self.dialect) {
            Some(Effect::Followed(own, same)) => {
                if own == SHARED {
                    self.note_letter(name, on);
                }
                self.put_option(own, on == same);
            }
            Some(Effect::Nothing) => self.note_letter(name, on),
            Some(Effect::Odd) if on => {
                self.note_letter(name, on);
                self.doubt_words();
                self.work_otherwise();
            }
            Some(Effect::Odd) => {}
            Some(Effect::Fixed) if !on => {}
            // There a part of a name may do.
            None if self.dialect == Dialect::Ksh && is_beginning(name) => self.fog(IN_ANOTHER_WAY),
            Some(Effect::Fixed) | None => self.refuse_option(),
        }
    }

    /// Sets what bash is handed as options: the names of those of `set` and of `shopt`, parted by colons (bash(1), «Shell
    /// Variables»). What is none of them is passed over.
    pub(super) fn adopt_options(&mut self, set: Option<(Val, bool)>, shopt: Option<(Val, bool)>, is_posix: bool) {
        let is_known = |handed: &Option<(Val, bool)>| matches!(handed, None | Some((Val::Known(_), false)));
        if is_posix || !is_known(&set) || !is_known(&shopt) {
            return self.fog("the shell is started with other options by a variable");
        }
        let names = |handed: Option<(Val, bool)>| -> Vec<Bytes> {
            let text = handed.and_then(|(value, _)| value.known().cloned()).unwrap_or_default();
            text.split(|b| *b == b':').map(|name| text.slice_ref(name)).collect()
        };
        for name in names(set) {
            if long_option(&name, Dialect::Bash).is_some_and(|effect| effect != Effect::Fixed) {
                self.long_option(&name, true);
            }
        }
        names(shopt).iter().for_each(|name| self.set_shell_options(&[name], true, false));
        self.set_status(0);
    }

    /// Keeps in mind whether an option is set that changes no more than what `$-` is.
    fn note_letter(&mut self, name: &[u8], on: bool) {
        // Without a terminal the one stays as it is there, for who is himself the other.
        let is_sure =
            !matches!((self.dialect, name), (Dialect::Dash, b"monitor") | (Dialect::Ksh | Dialect::Mksh, b"privileged"));
        let known = |on: bool| is_sure.then_some(on);
        let Some(state) = &mut self.live else { return };
        if let Some((_, option)) = letters(self.dialect).find(|(_, option)| option.as_bytes() == name) {
            state.options.insert(option, known(on));
        }
        // Of these there is one at a time.
        if self.dialect == Dialect::Dash && on {
            match name {
                b"vi" => drop(state.options.insert("emacs", Some(false))),
                b"emacs" => drop(state.options.insert("vi", Some(false))),
                _ => {}
            }
        }
    }

    /// A special command has no such option: most shells end at that (measured).
    pub(super) fn refuse_option(&mut self) {
        match self.dialect {
            Dialect::Bash => self.misused(),
            Dialect::Ksh => self.fail_special_with(2),
            _ => self.fail_special(),
        }
    }

    /// From here on it is not known which names of files a pattern stands for.
    fn doubt_words(&mut self) {
        if let Some(state) = &mut self.live {
            state.options.insert("noglob", None);
        }
    }

    /// Whether an option is set, by its name.
    ///
    /// # Errors
    /// If that is not known.
    pub(super) fn is_option_set(&self, name: &[u8]) -> Result<bool, Arc<Doubt>> {
        let doubt = || self.doubt("whether an option is set");
        let Some(state) = &self.live else { return Err(doubt()) };
        if self.dialect != Dialect::Zsh {
            return match (name, long_option(name, self.dialect)) {
                (b"interactive", _) if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && self.is_login.is_some() => {
                    Ok(self.is_interactive)
                }
                // Another name for the shell turns it on once its files are read.
                (b"posix", _) => Err(doubt()),
                (_, Some(Effect::Followed(own, same))) => state.option(own).map(|on| on == same).ok_or_else(doubt),
                _ => Err(doubt()),
            };
        }
        let (plain, is_turned) = named_in_zsh(name);
        let is_set = match (&plain[..], self.is_login) {
            (b"interactive", Some(_)) => Some(self.is_interactive),
            (b"login", Some(is_login)) => Some(is_login),
            // Where one of these is not as zsh begins, what comes of it is not followed.
            (plain, _) if is_odd_in_zsh(plain, true) && state.open.is_none() && !self.as_sh => Some(false),
            (plain, _) if is_odd_in_zsh(plain, false) && state.open.is_none() && !self.as_sh => Some(true),
            (b"globsubst" | b"ksharrays" | b"rcexpandparam", _) => state.option(OTHERWISE).filter(|on| !on),
            (b"extendedglob" | b"kshglob", _) => state.option(GROUPS).filter(|on| !on),
            (plain, _) if !self.as_sh => followed_in_zsh(plain).and_then(|(own, same)| Some(state.option(own)? == same)),
            _ => None,
        };
        is_set.map(|on| on != is_turned).ok_or_else(doubt)
    }

    /// Whether what a parameter holds comes apart at separators where it stands without quotes: in zsh only if an option
    /// says so.
    ///
    /// # Errors
    /// If that is not known.
    pub(super) fn splits_words(&self) -> Expanded<bool> {
        if !self.is_own_zsh() {
            return Ok(true);
        }
        let is_on = self.live.as_ref().and_then(|state| state.option("shwordsplit"));
        is_on.ok_or_else(|| self.doubt("whether an option is set"))
    }

    /// Whether an option of zsh's makes other words of parameters and other items of lists.
    pub(super) fn expands_otherwise(&self) -> bool {
        self.dialect == Dialect::Zsh && self.may_be_set(OTHERWISE)
    }

    /// Whether what parameters bring may be patterns, or folders behind tildes, by an option of zsh's: such may be wrong.
    pub(super) fn globs_values(&self) -> bool {
        self.is_own_zsh() && self.may_be_set(GLOBS_VALUES)
    }

    /// An option is set that is not followed.
    pub(super) fn work_otherwise(&mut self) {
        self.put_option(WORKS_OTHERWISE, true);
        self.fog(IN_ANOTHER_WAY);
    }

    /// Whether an option is set here, or may be.
    pub(super) fn may_be_set(&self, option: &str) -> bool {
        self.live.as_ref().is_some_and(|state| state.option(option) != Some(false))
    }

    /// Whether such an option may be set.
    pub(super) fn works_otherwise(&self) -> bool {
        self.may_be_set(WORKS_OTHERWISE)
    }

    /// Whether the shell may be another one's kin by an option, for which numbers and escapes are others.
    pub(super) fn speaks_posix(&self) -> bool {
        if self.works_otherwise() {
            return true;
        }
        match self.dialect {
            Dialect::Zsh => !self.as_sh && self.expands_otherwise(),
            Dialect::Ksh | Dialect::Mksh => self.may_be_set("posix"),
            _ => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn options_do_what_they_do_in_each_shell() {
        hold(&[
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "set -u; case $- in *u*) R=on ;; esac; set +u; case $- in *u*) X=on ;; *) X=off ;; esac",
                ["on", "off"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -ef; case $- in *f*) R=on ;; esac", ["on", "none"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "set -o errexit; case $- in *e*) R=on ;; esac; set +o errexit; case $- in *e*) X=on ;; *) X=off ;; esac",
                ["on", "off"],
            ),
            (&[Bash, Dash, Mksh], "set -o noglob; R=$(echo *); X=$-; X=${X%%[!f]*}", ["*", "<unknown>"]),
            (&[Ksh], "set -o noglob; R=$(echo *); X=$-; X=${X%%[!f]*}", ["*", "f"]),
            (&[Zsh], "set -o noglob; R=$(echo *); X=$-; X=${X%%[!F]*}", ["*", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b c; R=$#; X=$2", ["3", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- -a; R=$1; set --; X=$#", ["-a", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e -- x; R=$1; X=$#", ["x", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set x y; R=$1; X=$#", ["x", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set - a b; R=$1; X=$#", ["a", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set +x a; R=$1; X=$#", ["a", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -a; R=1; set +a; X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { set -- x y; R=$#; }; set -- a; f; X=$#", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- 'a b' c; for i; do R=\"$R<$i>\"; done", ["<a b><c>", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- \"$@\" z; R=$#; X=$1", ["1", "z"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -f; R='*'; set -- $R; X=$1", ["*", "*"]),
            (&[Bash], "set -o nosuch; R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -o allexport; R=$?; set +o allexport; X=$?", ["0", "0"]),
            (&[Bash], "shopt -s nullglob; R=$?; shopt -q nullglob; X=$?", ["0", "0"]),
            (&[Bash], "shopt -u nullglob; R=$?; shopt -q nullglob; X=$?", ["0", "1"]),
            (&[Bash], "shopt -s nosuch; R=$?", ["<a number>", "none"]),
            (&[Bash], "shopt -so noglob; R=$(echo /n*); X=$?", ["/n*", "0"]),
            (&[Bash], "shopt -s nocasematch; case AB in ab) R=1 ;; *) R=2 ;; esac", ["1", "none"]),
            (&[Bash], "set -o posix; R=$?; set +o posix; X=$?", ["<a number>", "0"]),
            (&[Bash], "set +B; R={a,b}; set -- {a,b}; X=$#", ["{a,b}", "1"]),
            (&[Bash], "set -k; R=1", ["1", "<unknown>"]),
            (&[Bash], "set -o pipefail; false | true; R=$?; set +o pipefail; false | true; X=$?", ["1", "0"]),
            (&[Bash], "shopt -s lastpipe; echo a | read R; X=$?", ["a", "0"]),
            (&[Zsh], "set -o shwordsplit; V='a b'; set -- $V; R=$#", ["2", "none"]),
            (&[Ksh, Mksh], "set -A L a b c; R=${L[1]}; X=${#L[@]}", ["b", "3"]),
            // What is no name ends it, in what is evaluated as well, but not behind a subshell.
            (&[Ksh, Mksh], "(set -A '' a) 2>/dev/null; R=$?", ["1", "none"]),
            (&[Ksh], "R=1; eval 'set -A 1 a'; X=2", ["none", "none"]),
            (&[Ksh, Mksh], "set -o pipefail; false | true; R=$?", ["1", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -o noclobber; case $- in *C*) R=on ;; esac", ["on", "none"]),
        ]);
    }

    #[test]
    fn a_dash_alone_takes_parameters_away_in_zsh() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh], "set -- p; set -; R=$#; X=$1", ["1", "p"]),
            (&[Zsh], "set -- p; set -; R=$#; X=${1-none}", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- p; set - q r; R=$#; X=$1", ["2", "q"]),
        ]);
    }
}
