//! `setopt`, `unsetopt` and `emulate` of zsh (zshoptions(1), zshbuiltins(1)).

use bytes::Bytes;

use super::names::{followed, followed_in_zsh, is_fixed_in_zsh, is_odd_in_zsh, is_option_of_zsh, letters, named_in_zsh};
use super::{GLOBS_VALUES, IN_ANOTHER_WAY, OTHERWISE};
use crate::shell::fits::GROUPS;
use crate::shell::machine::Machine;
use crate::shell::syntax::Dialect;
use crate::shell::value::Val;

const OTHER: &str = "zsh is asked to be another shell";

impl Machine<'_> {
    /// A function ends that began as sh would, or as zsh itself: that it is another now stays so where its options do not go
    /// back.
    pub(in crate::shell) fn ends_as(&mut self, began_as_sh: bool) {
        let goes_back = self.live.as_ref().is_none_or(|state| state.option("localoptions") == Some(true));
        if self.as_sh != began_as_sh && !goes_back {
            self.put_option(OTHERWISE, true);
            self.fog(OTHER);
        }
    }

    /// `emulate` of zsh's: its options as they are by default, for a text, for a function or from here on, and others
    /// after that; how it works as another shell is followed for `sh`, in a text or a function.
    pub(in crate::shell) fn emulate(&mut self, known: Option<&[Bytes]>) {
        if known.is_some_and(<[Bytes]>::is_empty) {
            self.set_status(0);
            return self.print(Val::unknown(self.doubt("what a command prints")));
        }
        let Some(words) = known else { return self.fog(OTHER) };
        let is_flag = |word: &Bytes| word.len() > 1 && (word.starts_with(b"-") || word.starts_with(b"+"));
        let (mut mode, mut flags, mut settings, mut text) = (None, Vec::new(), Vec::new(), None);
        let mut words = words.iter();
        while let Some(word) = words.next() {
            match &word[..] {
                b"-c" if mode.is_some() => text = words.next().cloned(),
                b"-o" | b"+o" if mode.is_some() => settings.extend(words.next().map(|name| (name.clone(), word == "-o"))),
                letters if is_flag(word) => flags.extend_from_slice(letters.get(1..).unwrap_or_default()),
                _ if mode.is_none() => mode = Some(word.clone()),
                _ => return self.fog(OTHER),
            }
        }
        let [is_zsh, is_sh] = ["zsh", "sh"].map(|name| mode.as_ref().is_some_and(|mode| mode == name));
        // In a function from here on, which puts it back at its end if that is asked for by then.
        let is_in_function = text.is_none() && !flags.contains(&b'R') && self.is_certain_in_function();
        let is_as_sh = is_sh && (text.is_some() && flags.is_empty() || is_in_function);
        if flags.iter().any(|flag| !b"LR".contains(flag)) || !(is_zsh && !(self.as_sh && text.is_none()) || is_as_sh) {
            // From here on words are expanded in another way.
            if text.is_none() {
                self.put_option(OTHERWISE, true);
                self.doubt_words();
                if let Some(state) = &mut self.live {
                    state.options.insert("nofunctionargzero", None);
                }
            }
            return self.fog(OTHER);
        }
        let outer = self.live.as_ref().map(|state| state.options.clone());
        if text.is_some() {
            // Options are as they are by default meanwhile.
            if let Some(state) = &mut self.live {
                state.options.clear();
            }
        } else if is_as_sh {
            self.as_sh = true;
            if let Some(state) = &mut self.live {
                state.options.clear();
            }
            if flags.contains(&b'L') {
                self.put_option("localoptions", true);
            }
            self.set_status(0);
        } else {
            self.begin_anew(&flags);
        }
        for (name, on) in settings {
            self.long_option(&name, on);
        }
        if let Some(text) = text {
            let as_sh = std::mem::replace(&mut self.as_sh, is_sh);
            self.evaluate(&text);
            self.as_sh = as_sh;
            if let (Some(state), Some(outer)) = (&mut self.live, outer) {
                state.options = outer;
            }
        }
    }

    /// zsh's options are as they are by default from here on: until the function ends for `L`, all of them for `R`
    /// (measured: zsh 5.9).
    pub(in crate::shell) fn begin_anew(&mut self, flags: &[u8]) {
        const STAY: [&str; 5] = ["-s", "-c", "norcs", "noglobalrcs", "noexec"];
        if let Some(state) = &mut self.live {
            // Which of those go back that are only letters is not followed.
            let is_letter = |name: &&'static str| {
                letters(Dialect::Zsh).any(|(_, option)| option == *name) && followed(name, Dialect::Zsh).is_none()
            };
            let unclear: Vec<&'static str> = state.options.keys().copied().filter(is_letter).collect();
            state.options.retain(|name, _| STAY.contains(name) || *name == "nocaseglob" && !flags.contains(&b'R'));
            state.options.extend(unclear.into_iter().map(|name| (name, None)));
        }
        if flags.contains(&b'L') {
            self.put_option("localoptions", true);
        }
        self.set_status(0);
    }

    /// The same in zsh, where what a letter stands for may be the opposite.
    fn note_letter_of_zsh(&mut self, plain: &[u8], on: bool) {
        let turned = |option: &'static str| (option, named_in_zsh(option.as_bytes()));
        let found = letters(Dialect::Zsh).map(|(_, option)| turned(option)).find(|(_, (name, _))| name == plain);
        if let (Some((option, (_, is_turned))), Some(state)) = (found, &mut self.live) {
            state.options.insert(option, Some(on != is_turned));
        }
    }

    pub(in crate::shell) fn setopt(&mut self, on: bool, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        if words.is_empty() {
            self.print(Val::unknown(self.doubt("what a command prints")));
        }
        self.set_status(0);
        for word in words {
            // As letters, or with another one's options.
            if word.starts_with(b"-") || word.starts_with(b"+") {
                self.put_option(OTHERWISE, true);
                self.doubt_words();
                return self.fog("an option is set that is not followed");
            }
            if !self.set_option_of_zsh(word, on) {
                self.doubt_status(self.doubt("whether there is such an option"));
            }
        }
    }

    /// Sets an option of zsh's by its name; whether that is certain.
    pub(super) fn set_option_of_zsh(&mut self, word: &[u8], on: bool) -> bool {
        let (plain, is_turned) = named_in_zsh(word);
        let on = on != is_turned;
        if let Some((own, same)) = followed_in_zsh(&plain) {
            self.put_option(own, on == same);
            return true;
        }
        if !is_fixed_in_zsh(&plain) {
            self.note_letter_of_zsh(&plain, on);
        }
        match &plain[..] {
            b"chaselinks" | b"physical" | b"chasedots" | b"cdablevars" | b"posixcd" => self.put_option("cdotherwise", true),
            b"continueonerror" | b"forcefloat" | b"globassign" | b"octalzeroes" | b"posixidentifiers" if on => {
                self.put_option(OTHERWISE, true);
                self.work_otherwise();
            }
            b"errreturn" if on => self.fog("an option ends the shell at a failing command"),
            // Words that parameters bring, and lists, are others then.
            b"globsubst" if on => {
                self.put_option(GLOBS_VALUES, true);
                self.put_option(OTHERWISE, true);
            }
            b"ksharrays" | b"rcexpandparam" if on => self.put_option(OTHERWISE, true),
            b"globsubst" | b"ksharrays" | b"rcexpandparam" => {}
            // Those that only change how names of files are found make those unknown.
            b"extendedglob" | b"kshglob" => self.put_option(GROUPS, true),
            plain if is_odd_in_zsh(plain, on) => {
                self.doubt_words();
                self.fog(IN_ANOTHER_WAY);
            }
            // Only with a terminal it can be.
            b"monitor" if self.is_interactive => {
                let doubt = self.doubt("whether an option is set");
                self.fail_or_go_on(&doubt);
                self.doubt_status(doubt);
            }
            plain => return is_option_of_zsh(plain) && !is_fixed_in_zsh(plain),
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::Zsh;
    use crate::shell::trial::hold;

    #[test]
    fn zsh_is_told_how_to_work() {
        hold(&[
            (&[Zsh], "setopt shwordsplit; V='a b'; set -- $V; R=$#; unsetopt shwordsplit; set -- $V; X=$#", ["2", "1"]),
            (&[Zsh], "setopt ksharrays; L=(a b); R=$L; X=${L[1]}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "setopt extendedglob; [[ ab = a#b ]] && R=1", ["1?", "none"]),
            (&[Zsh], "setopt NO_NOMATCH; R=$(echo /nosuch*); X=$?", ["/nosuch*", "0"]),
            (&[Zsh], "setopt nosuch; R=$?", ["<a number>", "none"]),
            (&[Zsh], "setopt errexit; R=$options[errexit]; unsetopt errexit; X=$options[errexit]", ["on", "off"]),
            (&[Zsh], "setopt braceccl; R=1; X=$options[braceccl]", ["1", "on"]),
            (&[Zsh], "emulate sh -c 'V=\"a b\"; set -- $V; R=$#'; X=$#", ["2", "2"]),
            (&[Zsh], "f() { emulate -L sh; V='a b'; set -- $V; R=$#; }; f; V='a b'; set -- $V; X=$#", ["2", "1"]),
            (&[Zsh], "f() { setopt localoptions shwordsplit; V='a b'; set -- $V; R=$#; }; f; set -- $V; X=$#", ["2", "1"]),
            (&[Zsh], "options[shwordsplit]=on; V='a b'; set -- $V; R=$#", ["2", "none"]),
            (&[Zsh], "setopt monitor 2>/dev/null; R=1", ["1", "none"]),
        ]);
    }
}
