//! Words that a command of the shell does not take, and what it ends.

use super::arithmetic::may_assign;
use super::commands::is_special;
use super::declare::declares;
use super::machine::Machine;
use super::parameter::OWN_PROCESS;
use super::sum::SUM_MAY_SET;
use super::syntax::{Command, Dialect, Kind, Word};
use super::value::Val;

/// Why it is not known what such a command did.
pub(super) const NOT_TAKEN: &str = "words that a command of the shell does not take";

impl Machine<'_> {
    /// Whether a name is that of a special command, and of no function.
    pub(super) fn is_special_command(&self, name: &[u8]) -> bool {
        is_special(name) && !self.is_function(name)
    }

    /// What is only set is set in these, whether files can be opened or not (measured: bash 5.2, 93u+m).
    pub(super) fn assign_all_the_same(&mut self, command: &Command) {
        let is_alone = matches!(&command.kind, Kind::Simple(set, words) if !set.is_empty() && words.is_empty());
        if is_alone && matches!(self.dialect, Dialect::Bash | Dialect::Ksh) {
            self.run_bare(command);
        }
    }

    /// Whether nothing but words that stand before commands has a redirection, which is an error in zsh (measured: 5.9).
    pub(super) fn only_modifies(&self, command: &Command) -> bool {
        let modifies = |word: &Word| matches!(word.literal(), Some(b"command" | b"builtin" | b"noglob" | b"-" | b"--"));
        let is_bare = |words: &[Word]| !words.is_empty() && words.iter().all(modifies);
        self.dialect == Dialect::Zsh
            && !command.redirects.is_empty()
            && matches!(&command.kind, Kind::Simple(set, words) if set.is_empty() && is_bare(words))
    }

    /// Whether a dash alone is among the words that stand before commands, where that is all.
    pub(super) fn has_bare_dash(&self, command: &Command) -> bool {
        let Kind::Simple(_, words) = &command.kind else { return false };
        let modifies = |word: &&Word| matches!(word.literal(), Some(b"command" | b"builtin" | b"noglob" | b"exec" | b"-"));
        let before = words.iter().take_while(modifies).count();
        let has_dash = |words: &[Word]| words.iter().any(|word| word.literal() == Some(b"-"));
        // Before a command it may stand, but not behind another such word.
        let counted = if before == words.len() { words } else { words.get(1..before).unwrap_or_default() };
        self.dialect == Dialect::Zsh && has_dash(counted)
    }

    /// What it ends where a file cannot be opened for a command; the status is set.
    pub(super) fn cannot_redirect(&mut self, command: &Command) {
        let name = match &command.kind {
            // `command` does not help there.
            Kind::Simple(_, words) if self.dialect == Dialect::Dash && words.len() > 1 => {
                let own = words.iter().map(Word::literal).find(|word| *word != Some(b"command")).flatten();
                if own == Some(b"exec") { own } else { words.first().and_then(Word::literal) }
            }
            Kind::Simple(_, words) => words.first().and_then(Word::literal),
            _ => None,
        };
        let is_strict = matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh) || self.as_sh;
        // These are other names there for such a command, and what they declare is declared all the same (measured: 93u+m).
        let renames = |name: &[u8]| matches!(name, b"integer" | b"float" | b"nameref" | b"compound");
        let behind = match &command.kind {
            Kind::Simple(_, words) if name == Some(b"command") => words.get(1).and_then(Word::literal),
            _ => None,
        };
        let declares_it = name.is_some_and(|name| renames(name) && !self.is_function(name))
            || behind.is_some_and(|name| declares(name, Dialect::Ksh));
        if self.dialect == Dialect::Ksh && declares_it {
            return self.fog("a declaration for which a file cannot be opened");
        }
        let is_special = |name: &[u8]| {
            self.is_special_command(name)
                || self.dialect == Dialect::Ksh && declares(name, Dialect::Ksh)
                || self.dialect == Dialect::Dash && name == b"local"
                || self.within_special > 0
        };
        if is_strict && name.is_some_and(is_special) {
            return self.fail_special();
        }
        // There what is no simple command fails in vain (measured: 93u+m).
        if self.dialect != Dialect::Ksh || matches!(command.kind, Kind::Simple(..)) {
            self.check_failure();
        }
    }

    /// A command of the shell is given words that it does not take: it does nothing, and may end what an error of such a
    /// command ends there.
    pub(super) fn misused(&mut self) {
        let doubt = self.doubt(NOT_TAKEN);
        let status = doubt.clone();
        match self.dialect {
            Dialect::Bash => {
                if self.may_be_set("posix") {
                    self.exit_or_go_on(&doubt);
                }
                self.doubt_status(status);
            }
            // Not always with the status of other errors.
            Dialect::Ksh => {
                self.fork(&doubt, |m| m.fail_special_with(2), |_| {});
                self.fork(&doubt, Self::fail_special, |m| m.doubt_status(status));
            }
            _ => self.fork(&doubt, Self::fail_special, |m| m.doubt_status(status)),
        }
    }

    /// The same, where bash gives up what it runs, or ends.
    pub(super) fn misused_badly(&mut self) {
        let doubt = self.doubt(NOT_TAKEN);
        if self.dialect == Dialect::Bash {
            self.fork(&doubt, Self::fail_to_top, |_| {});
        }
        self.fork(&doubt.clone(), Self::exit, |m| m.fork(&doubt.clone(), Self::fail_hard, |m| m.doubt_status(doubt)));
    }

    /// What commands end that leave variables alone, where their words are none that they take. Whether they do nothing then.
    pub(super) fn refuses_of_harmless(&mut self, name: &[u8], arguments: &[Val]) -> bool {
        // There a limit is a sum, which may be wrong, and a command of its own may be told what it does not take.
        let may_be_wrong = match name {
            b"ulimit" => {
                !arguments.last().is_some_and(|last| last.is_number() || last.known().is_some_and(|l| l.starts_with(b"-")))
            }
            b"rename" => true,
            _ => false,
        };
        if self.dialect == Dialect::Mksh && may_be_wrong && !arguments.is_empty() {
            self.misused_badly();
            let sets = |value: &Val| value.known().map_or(!value.is_number(), |word| may_assign(word));
            if name == b"ulimit" && arguments.last().is_some_and(sets) {
                self.fog(SUM_MAY_SET);
            }
        }
        // There a process is a number.
        let is_process = |value: &Val| value.known().is_none_or(|word| word.iter().any(|b| b.is_ascii_digit() || *b == b'%'));
        let mut processes = arguments.iter().skip(usize::from(arguments.len() > 1));
        if self.dialect == Dialect::Zsh && name == b"kill" && !processes.all(is_process) {
            self.fail_or_go_on(&self.doubt(NOT_TAKEN));
        }
        // What is no number there gives up the line (measured: 5.2).
        let is_calm =
            |value: &Val| value.known().is_some_and(|word| word.starts_with(b"-") || word.iter().all(u8::is_ascii_digit));
        if self.dialect == Dialect::Bash && name == b"history" && !arguments.iter().all(is_calm) {
            self.misused_badly();
        }
        if name == b"kill" {
            self.may_strike(arguments);
        }
        self.dialect == Dialect::Ksh && name == b"times" && !arguments.is_empty()
    }

    /// `kill` may end the shell itself, or the one that a subshell stands for.
    pub(super) fn may_strike(&mut self, arguments: &[Val]) {
        if hits_itself(arguments) {
            self.is_struck = self.quiet > 0;
            self.exit_or_go_on(&self.doubt(STRUCK));
        }
    }
}

/// Why a shell may end at any time.
pub(super) const STRUCK: &str = "a signal that the shell sends to itself";

/// Whether `kill` may reach the shell: all of its group, or all there are.
fn hits_itself(arguments: &[Val]) -> bool {
    let asks = |value: &Val| value.known().is_some_and(|word| matches!(&word[..], b"-0" | b"-l" | b"-L"));
    let is_itself = |value: &Val| match value {
        Val::Known(word) => matches!(&word[..], b"0" | b"-1"),
        Val::Unknown(text) => text.doubt.why == OWN_PROCESS,
    };
    let is_signal = arguments.first().and_then(Val::known).is_some_and(|word| word.starts_with(b"-"));
    !arguments.first().is_some_and(asks) && arguments.iter().skip(usize::from(is_signal && arguments.len() > 1)).any(is_itself)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_cannot_be_done_ends_what_it_ends() {
        hold(&[
            (&[Bash, Zsh], "shift 9; R=$?", ["1", "none"]),
            (&[Bash], "R=0; export -Q X; R=1", ["1", "none"]),
            (&[Bash, Zsh], "R=0; unset -Q X; R=1", ["1", "none"]),
            (&[Bash], "R=0; readonly -Q X; R=1", ["1", "none"]),
            (&[Bash, Ksh, Zsh], "R=0; cd /nonexist; R=$?", ["1", "none"]),
            (&[Dash, Mksh], "R=0; cd /nonexist; R=$?", ["2", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=0; true </nonexist; R=$?", ["1", "none"]),
            (&[Dash], "R=0; true </nonexist; R=$?", ["2", "none"]),
            (&[Bash, Zsh], "R=0; : </nonexist; R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; { :; } </nonexist; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; f() { X=1; }; f </nonexist; R=1", ["1", "none"]),
            (&[Bash, Zsh], "R=0; . /nonexist; R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "R=0; break; R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; trap a NOSUCH; R=1", ["1", "none"]),
            (&[Bash, Ksh], "X=1 </nonexist; R=2", ["2", "1"]),
            (&[Dash, Mksh, Zsh], "X=1 </nonexist; R=2", ["2", "none"]),
            (&[Bash, Zsh], "R=0; set -Q; R=1", ["1", "none"]),
            (&[Bash, Ksh], "R=0; eval ')'; R=1", ["1", "none"]),
        ]);
    }

    #[test]
    fn what_is_refused_ends_with_its_own_status() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Bash, Mksh], "exit_() { exit \"$@\"; }; (exit_ 3 4) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "exit_() { exit \"$@\"; }; (exit_ 3 4) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Dash], "exit_() { exit \"$@\"; }; (exit_ 3 4) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh], "exit_() { exit \"$@\"; }; (exit_ 3 4) 2>/dev/null; R=$?; X=1", ["3", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "(exit 300); R=$?; (exit -1) 2>/dev/null; X=$?", ["44", "255"]),
            (&[Dash], "(exit 300); R=$?; (exit -1) 2>/dev/null; X=$?", ["44", "2"]),
            (&[Bash, Dash], "(exit x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh, Zsh], "(exit x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh], "(exit x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Mksh, Zsh], "f() { return 3 4; }; (f) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash, Ksh], "f() { return 3 4; }; (f) 2>/dev/null; R=$?; X=1", ["3", "1"]),
            (&[Bash, Mksh], "f() { return 300; }; (f); R=$?; X=1", ["44", "1"]),
            (&[Dash, Ksh, Zsh], "f() { return 300; }; (f); R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash], "f() { return x; }; (f) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh, Zsh], "f() { return x; }; (f) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh], "f() { return x; }; (f) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "(eval -x) 2>/dev/null; R=$?; (eval -- X=3); X=$?", ["2", "0"]),
            (&[Ksh], "(eval -x) 2>/dev/null; R=$?; (eval -- X=3); X=$?", ["<a number>", "0"]),
            (&[Dash], "(eval -x) 2>/dev/null; R=$?; (eval -- X=3); X=$?", ["127", "127"]),
            (&[Mksh], "(eval -x) 2>/dev/null; R=$?; (eval -- X=3); X=$?", ["<a number>", "0"]),
            (&[Zsh], "(eval -x) 2>/dev/null; R=$?; (eval -- X=3); X=$?", ["127", "0"]),
            (&[Bash, Dash, Ksh], "(. -x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh], "(. -x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(. -x) 2>/dev/null; R=$?; X=1", ["127", "1"]),
            (&[Bash, Ksh], "(. --) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "(. --) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh, Zsh], "(. --) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "(shift 1) 2>/dev/null; R=$?; (shift x) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Dash], "(shift 1) 2>/dev/null; R=$?; (shift x) 2>/dev/null; X=$?", ["2", "<a number>"]),
            (&[Ksh, Mksh, Zsh], "(shift 1) 2>/dev/null; R=$?; (shift x) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Bash], "(break x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "(break x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh, Mksh], "(break x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(break x) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Bash, Dash, Mksh], "(times x) >/dev/null 2>&1; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh], "(times x) >/dev/null 2>&1; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(times x) >/dev/null 2>&1; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh], "(pwd -x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh, Zsh], "(pwd -x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Mksh, Zsh], "(umask x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "(umask x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh], "(umask x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "(trap x) 2>/dev/null; R=$?; (trap '' NOSUCH) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Dash], "(trap x) 2>/dev/null; R=$?; (trap '' NOSUCH) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Ksh], "(trap x) 2>/dev/null; R=$?; (trap '' NOSUCH) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Mksh, Zsh], "(trap x) 2>/dev/null; R=$?; (trap '' NOSUCH) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Bash], "(unset -x R) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash, Ksh], "(unset -x R) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Mksh], "(unset -x R) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Zsh], "(unset -x R) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "(unset R --) 2>/dev/null; R=$?; X=1", ["0", "1"]),
            (&[Dash], "(unset R --) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Ksh, Mksh], "(unset R --) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(unset R --) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Bash], "(unset -- R); R=$?; (unset 1x) 2>/dev/null; X=$?", ["0", "0"]),
            (&[Dash], "(unset -- R); R=$?; (unset 1x) 2>/dev/null; X=$?", ["0", "2"]),
            (&[Ksh, Mksh], "(unset -- R); R=$?; (unset 1x) 2>/dev/null; X=$?", ["0", "<a number>"]),
            (&[Zsh], "(unset -- R); R=$?; (unset 1x) 2>/dev/null; X=$?", ["0", "1"]),
            (&[Bash], "(export 1x) 2>/dev/null; R=$?; (export -x R) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Ksh], "(export 1x) 2>/dev/null; R=$?; (export -x R) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Dash], "(export 1x) 2>/dev/null; R=$?; (export -x R) 2>/dev/null; X=$?", ["2", "<a number>"]),
            (&[Mksh, Zsh], "(export 1x) 2>/dev/null; R=$?; (export -x R) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Bash, Mksh, Zsh], "(readonly 1x) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Ksh], "(readonly 1x) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "(readonly 1x) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Bash, Ksh, Zsh], "(readonly X=1; readonly X=2) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Dash, Mksh], "(readonly X=1; readonly X=2) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "(readonly X=1; unset X) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Dash], "(readonly X=1; unset X) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Bash], "(readonly X=1; X=2 true) 2>/dev/null; R=$?; X=1", ["0", "1"]),
            (&[Dash, Mksh], "(readonly X=1; X=2 true) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Ksh, Zsh], "(readonly X=1; X=2 true) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Bash, Zsh], "(read 1x) 2>/dev/null </dev/null; R=$?; X=1", ["1", "1"]),
            (&[Ksh], "(read 1x) 2>/dev/null </dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash, Mksh], "(read 1x) 2>/dev/null </dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "(read -Q R) 2>/dev/null </dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(read -Q R) 2>/dev/null </dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Ksh, Mksh], "(getopts a 1x -a) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "(getopts a 1x -a) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(getopts a 1x -a) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Ksh, Zsh], "(cd /missing) 2>/dev/null; R=$?; (cd a b) 2>/dev/null; X=$?", ["1", "<a number>"]),
            (&[Dash, Mksh], "(cd /missing) 2>/dev/null; R=$?; (cd a b) 2>/dev/null; X=$?", ["2", "<a number>"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "(test -Q a) 2>/dev/null; R=$?; (test a -Q b) 2>/dev/null; X=$?",
                ["<a number>", "<a number>"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "([ a) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Bash, Dash, Zsh], "(test a -eq 1) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh, Mksh], "(test a -eq 1) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(test 1 2 3 4 5) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (
                &[Bash, Dash, Mksh, Zsh],
                "(alias nosuch) 2>/dev/null; R=$?; (unalias nosuch) 2>/dev/null; X=$?",
                ["<a number>", "<a number>"],
            ),
            (&[Ksh], "(alias nosuch) 2>/dev/null; R=$?; (unalias nosuch) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Bash, Ksh, Mksh, Zsh], "(type nosuch) >/dev/null 2>&1; R=$?; (command -v nosuch); X=$?", ["1", "1"]),
            (&[Dash], "(type nosuch) >/dev/null 2>&1; R=$?; (command -v nosuch); X=$?", ["127", "127"]),
            (&[Bash, Dash], "(hash nosuch) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Zsh], "(hash nosuch) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Ksh, Mksh], "(hash nosuch) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(wait 99999) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "(set -Q) 2>/dev/null; R=$?; (set -o nosuch) 2>/dev/null; X=$?", ["<a number>", "<a number>"]),
            (&[Dash, Ksh], "(set -Q) 2>/dev/null; R=$?; (set -o nosuch) 2>/dev/null; X=$?", ["2", "2"]),
            (&[Mksh], "(set -Q) 2>/dev/null; R=$?; (set -o nosuch) 2>/dev/null; X=$?", ["1", "1"]),
            (&[Zsh], "(set -Q) 2>/dev/null; R=$?; (set -o nosuch) 2>/dev/null; X=$?", ["0", "1"]),
            (&[Bash, Ksh], "(typeset -Q R) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh, Zsh], "(typeset -Q R) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Ksh, Mksh], "(typeset -i R=x+) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Zsh], "(typeset -i R=x+) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "(typeset -f nosuch) >/dev/null 2>&1; R=$?; X=1", ["1", "1"]),
            (&[Bash], "(local R=1) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Zsh], "(local R=1) 2>/dev/null; R=$?; X=1", ["0", "1"]),
            (&[Bash], "(L=(a b); L[-5]=z; exit 4) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Ksh], "(L=(a b); L[-5]=z; exit 4) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh, Zsh], "(L=(a b); L[-5]=z; exit 4) 2>/dev/null; R=$?; X=1", ["4", "1"]),
            (&[Bash, Mksh, Zsh], "(L=(a b); : ${L[-5]}; exit 4) 2>/dev/null; R=$?; X=1", ["4", "1"]),
            (&[Ksh], "(L=(a b); : ${L[-5]}; exit 4) 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Zsh], "(builtin nosuch) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Bash, Mksh], "(source /missing) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Zsh], "(source /missing) 2>/dev/null; R=$?; X=1", ["127", "1"]),
        ]);
    }
}
