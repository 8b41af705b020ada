//! `shopt` of bash: options besides those of `set`.

use bytes::Bytes;

use super::kept::OPTIONS_OF_SHOPT;
use super::names::{Effect, is_one_of, long_option};
use crate::shell::machine::Machine;
use crate::shell::value::Val;

/// Options of `shopt` that are followed.
pub(super) const SHELL_OPTIONS: &[&str] = &[
    "extglob",
    "nullglob",
    "dotglob",
    "failglob",
    "nocaseglob",
    "nocasematch",
    "globstar",
    "expand_aliases",
    "inherit_errexit",
    "lastpipe",
];

/// Options of `shopt` that change nothing that is followed (bash(1), «SHELL BUILTIN COMMANDS»).
const INDIFFERENT: &str = "autocd assoc_expand_once cdspell checkhash checkjobs checkwinsize cmdhist compat31 compat32 \
    compat40 compat41 compat42 compat43 compat44 complete_fullquote direxpand dirspell extdebug \
    extquote force_fignore globasciiranges globskipdots gnu_errfmt histappend histreedit histverify \
    hostcomplete huponexit interactive_comments lithist localvar_inherit \
    localvar_unset login_shell mailwarn no_empty_cmd_completion noexpand_translation \
    patsub_replacement progcomp progcomp_alias promptvars restricted_shell shift_verbose sourcepath \
    varredir_close xpg_echo";

impl Machine<'_> {
    /// `shopt`: sets options, asks for them, or prints them as commands.
    pub(in crate::shell) fn shopt(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        let is_flag = |word: &&Bytes| word.len() > 1 && word.starts_with(b"-");
        let flags: Vec<u8> = words.iter().take_while(is_flag).flat_map(|word| word.slice(1..)).collect();
        let names: Vec<&Bytes> = words.iter().skip_while(|word| is_flag(word)).collect();
        let [sets, clears, asks, prints, long] = [b's', b'u', b'q', b'p', b'o'].map(|flag| flags.contains(&flag));
        if flags.iter().any(|flag| !b"suqpo".contains(flag)) || sets && clears {
            return self.misused();
        }
        if (sets || clears) && !names.is_empty() {
            return self.set_shell_options(&names, sets, long);
        }
        self.steps.count(names.len());
        let held: Option<Vec<bool>> = names.iter().map(|name| self.shell_option(name, long)).collect();
        let text = held.as_ref().filter(|held| !held.is_empty() && prints).map(|held| {
            let lines = names.iter().zip(held).flat_map(|(name, on)| {
                let sign: &[u8] = match (long, *on) {
                    (true, true) => b"set -o ",
                    (true, false) => b"set +o ",
                    (false, true) => b"shopt -s ",
                    (false, false) => b"shopt -u ",
                };
                [sign, name, b"\n"].concat()
            });
            Val::of(lines.collect::<Vec<u8>>())
        });
        if !asks {
            let text = match text {
                Some(text) => text,
                None if prints && names.is_empty() && flags.len() == 1 => self.keep_options(OPTIONS_OF_SHOPT),
                None => Val::unknown(self.doubt("what a command prints")),
            };
            self.print(text);
        }
        match held {
            Some(held) if !names.is_empty() => self.set_status(u8::from(!held.iter().all(|on| *on))),
            _ => self.doubt_status(self.doubt("whether an option is set")),
        }
    }

    /// Whether an option of bash's is set, where that is known.
    pub(in crate::shell) fn shell_option(&self, name: &[u8], long: bool) -> Option<bool> {
        let state = self.live.as_ref().filter(|state| state.open.is_none())?;
        match (long, long_option(name, self.dialect)) {
            // What turns it on is not followed, and so it is off here.
            (true, Some(Effect::Followed("posix", _))) => Some(false),
            (true, Some(Effect::Followed(name, same))) => state.option(name).map(|on| on == same),
            (true, _) => None,
            _ if name == b"login_shell" => self.is_login,
            _ if name == b"expand_aliases" => None,
            _ => SHELL_OPTIONS.iter().find(|option| option.as_bytes() == name).and_then(|option| state.option(option)),
        }
    }

    pub(in crate::shell) fn set_shell_options(&mut self, names: &[&Bytes], on: bool, long: bool) {
        self.set_status(0);
        for name in names {
            if long {
                self.long_option(name, on);
                continue;
            }
            match SHELL_OPTIONS.iter().find(|option| option.as_bytes() == *name) {
                Some(option) => self.put_option(option, on),
                None => match &name[..] {
                    b"execfail" | b"localvar_inherit" | b"localvar_unset" | b"xpg_echo" | b"assoc_expand_once" | b"compat31"
                    | b"compat32" | b"compat40" | b"compat41" | b"compat42" | b"compat43" | b"compat44"
                        if on =>
                    {
                        self.work_otherwise();
                    }
                    b"sourcepath" | b"patsub_replacement" | b"globskipdots" | b"globasciiranges" if !on => {
                        self.doubt_words();
                        self.work_otherwise();
                    }
                    b"cdable_vars" => self.put_option("cdotherwise", true),
                    name if is_one_of(INDIFFERENT, name) => {}
                    _ => self.doubt_status(self.doubt("whether there is such an option")),
                },
            }
        }
    }
}
