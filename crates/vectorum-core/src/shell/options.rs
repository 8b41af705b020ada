//! The shell's options and positional parameters: `set`, `shopt`, `setopt`.

use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::machine::Machine;
use super::state::{Content, Status};
use super::syntax::*;
use super::value::Val;

const LETTERS: &[(u8, &str)] = &[
    (b'a', "allexport"),
    (b'e', "errexit"),
    (b'f', "noglob"),
    (b'n', "noexec"),
    (b'u', "nounset"),
    (b'v', "verbose"),
    (b'x', "xtrace"),
];

/// Whether zsh may expand parameters as other shells do: no option of its own, but what several have in common.
const OTHERWISE: &str = "expandsotherwise";

impl Machine<'_> {
    pub(super) fn set_options(&mut self, arguments: &[Val]) {
        let mut at = 0;
        self.set_status(0);
        if arguments.is_empty() {
            return self.print(Val::Unknown(self.doubt("what a declaration prints")));
        }
        // A list, in ksh and its kin.
        if let [Val::Known(option), Val::Known(name), values @ ..] = arguments
            && option == "-A"
            && self.dialect != Dialect::Bash
            && self.dialect.is_rich()
        {
            let name = name.clone();
            if !self.assign(&name, Content::Array(Arc::new(values.to_vec())), None) {
                self.fail_hard();
            }
            return;
        }
        while let Some(argument) = arguments.get(at) {
            let Val::Known(text) = argument.clone() else { break };
            let on = match text.first() {
                Some(b'-') => true,
                Some(b'+') => false,
                _ => break,
            };
            at += 1;
            let letters = text.slice(1..);
            if letters == b"-"[..] {
                self.set_positional(arguments.get(at..).unwrap_or_default());
                return;
            }
            if letters.is_empty() {
                break;
            }
            for letter in &letters {
                if *letter == b'o' {
                    let name = arguments.get(at).and_then(Val::known).cloned();
                    at += 1;
                    match name {
                        Some(name) => self.long_option(&name, on),
                        None => return self.fog("an option is set that is not known"),
                    }
                    continue;
                }
                let known = LETTERS.iter().find(|(l, _)| l == letter).map(|(_, name)| *name);
                match known {
                    Some(name) => self.put_option(name, on),
                    None if matches!(letter, b'h' | b'm' | b'b' | b'B' | b'H' | b'C' | b'i' | b'V' | b'E' | b'T' | b'P') => {}
                    None => return self.fog("an option is set that is not followed"),
                }
            }
        }
        if at < arguments.len() {
            self.set_positional(arguments.get(at..).unwrap_or_default());
        }
    }

    /// zsh's options are as they are by default from here on: until the function ends for `L`, all of them for `R`
    /// (measured: zsh 5.9).
    pub(super) fn begin_anew(&mut self, flags: &[u8]) {
        const STAY: [&str; 5] = ["-s", "-c", "norcs", "noglobalrcs", "noexec"];
        if let Some(state) = &mut self.live {
            state.options.retain(|name, _| STAY.contains(name) || *name == "nocaseglob" && !flags.contains(&b'R'));
        }
        if flags.contains(&b'L') {
            self.put_option("localoptions", true);
        }
        self.set_status(0);
    }

    /// At the end of a function options are as they were where it began, if that is asked for then.
    pub(super) fn give_back_options(&mut self, outer: BTreeMap<&'static str, Option<bool>>) {
        let Some(state) = &mut self.live else { return };
        match state.option("localoptions") {
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
            state.positional = Ok(Arc::new(values.to_vec()));
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
        if let Some(state) = &mut self.live {
            state.options.insert(name, Some(on));
        }
        if on && matches!(name, "noexec" | "posix") {
            self.fog("an option makes the shell work in another way");
        }
    }

    fn long_option(&mut self, name: &[u8], on: bool) {
        let plain: Vec<u8> = name.iter().filter(|b| **b != b'_').map(u8::to_ascii_lowercase).collect();
        let known = LETTERS.iter().find(|(_, n)| n.as_bytes() == plain).map(|(_, n)| *n);
        match known {
            Some(name) => self.put_option(name, on),
            None if plain == b"posix" => self.put_option("posix", on),
            None if plain == b"pipefail" && self.dialect != Dialect::Dash => self.put_option("pipefail", on),
            None if matches!(
                &plain[..],
                b"vi"
                    | b"emacs"
                    | b"history"
                    | b"histexpand"
                    | b"notify"
                    | b"monitor"
                    | b"noclobber"
                    | b"ignoreeof"
                    | b"hashall"
                    | b"physical"
                    | b"nolog"
            ) => {}
            None if self.dialect == Dialect::Zsh => self.setopt(on, Some(&[Bytes::copy_from_slice(name)])),
            None => self.fog("an option is set that is not followed"),
        }
    }

    pub(super) fn shopt(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        let on = match words.first().map(|w| &w[..]) {
            Some(b"-s") => true,
            Some(b"-u") => false,
            // What turns it on is not followed, and so it is off here.
            Some(b"-oq" | b"-qo") if words.get(1..).is_some_and(|w| matches!(w, [name] if name == "posix")) => {
                return self.set_status(1);
            }
            Some(b"-q") if words.get(1..).is_some_and(|w| matches!(w, [name] if name == "login_shell")) => {
                let answer = self.is_login.ok_or_else(|| self.doubt("whether an option is set"));
                return self.set_maybe(answer);
            }
            Some(b"-q") if words.get(1..).is_some_and(|w| matches!(w, [name] if name == "extglob")) => {
                let option = self.live.as_ref().and_then(|s| s.option("extglob"));
                let answer = option.ok_or_else(|| self.doubt("whether an option is set"));
                return self.set_maybe(answer);
            }
            _ => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                return self.doubt_status(self.doubt("whether an option is set"));
            }
        };
        for word in words.iter().skip(1) {
            let name = match &word[..] {
                b"extglob" => "extglob",
                b"nullglob" => "nullglob",
                b"dotglob" => "dotglob",
                b"failglob" => "failglob",
                b"nocaseglob" => "nocaseglob",
                b"globstar" => "globstar",
                b"expand_aliases" => "expand_aliases",
                b"nocasematch" | b"lastpipe" | b"localvar_inherit" | b"sourcepath" | b"compat31" if on => {
                    // Patterns may fit otherwise from here on.
                    return self.fog("an option makes the shell work in another way");
                }
                _ => continue,
            };
            self.put_option(name, on);
        }
        self.set_status(0);
    }

    pub(super) fn setopt(&mut self, on: bool, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        for word in words {
            let plain: Vec<u8> = word.iter().filter(|b| **b != b'_').map(u8::to_ascii_lowercase).collect();
            let (plain, on) = match plain.strip_prefix(b"no") {
                Some(rest) if !matches!(&plain[..], b"notify" | b"nomatch") => (rest.to_vec(), !on),
                _ => (plain, on),
            };
            match &plain[..] {
                b"allexport" => self.put_option("allexport", on),
                b"nullglob" => self.put_option("nullglob", on),
                b"nomatch" => self.put_option("nonomatch", !on),
                b"globdots" => self.put_option("dotglob", on),
                b"caseglob" => self.put_option("nocaseglob", !on),
                b"numericglobsort" => self.put_option("numericglobsort", on),
                b"bareglobqual" => self.put_option("nobareglobqual", !on),
                b"pipefail" => self.put_option("pipefail", on),
                b"rcquotes" => self.put_option("rcquotes", on),
                b"braceccl" => self.put_option("braceccl", on),
                b"magicequalsubst" => self.put_option("magicequalsubst", on),
                b"localoptions" => self.put_option("localoptions", on),
                b"chaselinks" | b"chasedots" | b"cdablevars" | b"posixcd" => self.put_option("cdotherwise", true),
                b"autopushd" => self.put_option("autopushd", on),
                b"bsdecho" => self.put_option("bsdecho", on),
                // So they are by default.
                b"aliases" if on => {}
                b"errexit" | b"errreturn" if on => return self.fog("an option ends the shell at a failing command"),
                b"rcs" => self.put_option("norcs", !on),
                b"globalrcs" => self.put_option("noglobalrcs", !on),
                b"unset" => self.put_option("nounset", !on),
                b"glob" => self.put_option("noglob", !on),
                // Words that parameters bring, and lists, are others then.
                b"shwordsplit" | b"globsubst" | b"ksharrays" | b"rcexpandparam" if on => self.put_option(OTHERWISE, true),
                b"shwordsplit" | b"globsubst" | b"ksharrays" | b"rcexpandparam" => {}
                b"ignorebraces"
                | b"ignoreclosebraces"
                | b"shfileexpansion"
                | b"cshnullcommand"
                | b"octalzeroes"
                | b"posixbuiltins"
                | b"posixidentifiers"
                | b"kshglob"
                | b"extendedglob"
                | b"cshnullglob"
                | b"shglob"
                | b"exec"
                | b"equals"
                | b"globassign"
                | b"typesetsilent"
                | b"globalexport"
                | b"warncreateglobal"
                | b"posixaliases"
                | b"aliases"
                | b"restricted"
                | b"interactivecomments" => {
                    // Those that only change how names of files are found make those unknown.
                    if matches!(&plain[..], b"extendedglob" | b"kshglob") {
                        self.put_option("extglob", true);
                    } else if !matches!(&plain[..], b"interactivecomments" | b"typesetsilent" | b"warncreateglobal") {
                        return self.fog("an option makes the shell work in another way");
                    }
                }
                _ => {}
            }
        }
        self.set_status(0);
    }

    /// Whether an option of zsh's makes other words of parameters and other items of lists.
    pub(super) fn expands_otherwise(&self) -> bool {
        self.dialect == Dialect::Zsh && self.live.as_ref().is_some_and(|state| state.option(OTHERWISE) != Some(false))
    }

    pub(super) fn shift(&mut self, known: Option<&[Bytes]>) {
        // There lists can be shifted as well.
        if self.dialect == Dialect::Zsh
            && let Some(words) = known
            && words.iter().any(|word| word.first().is_some_and(|b| b.is_ascii_alphabetic() || b"-_".contains(b)))
        {
            let names: Vec<&str> = words
                .iter()
                .filter(|word| crate::reader::is_portable(word))
                .filter_map(|word| std::str::from_utf8(word).ok())
                .collect();
            self.may_set("a list that is shifted", &[], &names);
            let doubt = self.doubt("a shift of lists");
            if let Some(state) = &mut self.live {
                state.positional = Err(doubt.clone());
            }
            return self.doubt_status(doubt);
        }
        let count: Option<usize> = match known {
            Some([]) => Some(1),
            Some([n, ..]) => std::str::from_utf8(n).ok().and_then(|n| n.parse().ok()),
            None => None,
        };
        let doubt = self.doubt("a shift by an unknown number");
        let Some(state) = &mut self.live else { return };
        match (count, &state.positional) {
            (Some(count), Ok(values)) if count <= values.len() => {
                state.positional = Ok(Arc::new(values.iter().skip(count).cloned().collect()));
                state.status = Status::Known(0);
            }
            (Some(_), Ok(_)) if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) => state.status = Status::Known(1),
            (Some(_), Ok(_)) => self.fail_special(),
            _ => {
                state.positional = Err(doubt.clone());
                state.status = Status::Unknown(doubt);
            }
        }
    }
}
