//! Commands of which not all words are known.

use std::sync::Arc;

use bytes::Bytes;

use crate::shell::machine::Machine;
use crate::shell::outputs::PRINTED;
use crate::shell::parameter::OWN_PROCESS;
use crate::shell::syntax::*;
use crate::shell::value::{Doubt, Unknown, Val};

impl Machine<'_> {
    /// What stands before a command of which not all words are known.
    pub(super) fn prefix_in_vain(&mut self, assignments: &[Assignment], words: &[Word], doubt: &Arc<Doubt>) {
        let stays = words.first().and_then(Word::literal).is_some_and(|name| self.keeps_prefix(name));
        for assignment in assignments {
            if let Some(key) = assignment.key.as_deref().filter(|_| self.dialect != Dialect::Bash) {
                self.doubt_place(key, doubt);
                self.fail_or_go_on(doubt);
            }
            match &assignment.value {
                _ if stays => {
                    if !self.apply(assignment, None) {
                        return self.fail_hard();
                    }
                }
                // An error of it ends no more than the command there.
                Assigned::Word(word) if self.dialect == Dialect::Ksh && self.may_be_an_error(&word.parts) => {
                    self.doubt_items(std::slice::from_ref(word), doubt);
                }
                Assigned::Word(word) => drop(self.assigned_word(word)),
                Assigned::Array(words) => self.doubt_items(words, doubt),
            }
        }
    }

    /// A command of which not all words are known.
    pub(super) fn run_unknown(&mut self, words: &[Word], doubt: &Arc<Doubt>) {
        let name = words.first().and_then(Word::literal).map(<[u8]>::to_vec);
        // What it runs may be one of the shell's own.
        if name.as_deref() == Some(b"command") && !self.is_own_zsh() && !self.is_function(b"command") {
            let behind = words.get(1..).unwrap_or_default();
            match behind.first().map(Word::literal) {
                Some(Some(name)) if name.starts_with(b"-") => {}
                Some(Some(name)) if self.is_own(name) => return self.run_unknown(behind, doubt),
                Some(None) => return self.fog("a command whose name is not known"),
                _ => {}
            }
        }
        let is_own = |part: &Part| matches!(part, Part::Parameter(parameter) if parameter.name == b"$"[..]);
        if name.as_deref() == Some(b"kill") && words.iter().any(|word| word.parts.iter().any(is_own)) {
            self.may_strike(&[Val::filled(OWN_PROCESS)]);
        }
        match name.as_deref() {
            Some(
                b"test" | b"[" | b"echo" | b"printf" | b"alias" | b":" | b"true" | b"false" | b"unalias" | b"command" | b"type",
            ) if !words.iter().any(|w| w.literal() == Some(b"-v")) => {
                self.print(Val::unknown(doubt.clone()));
                match name.as_deref() {
                    Some(b":" | b"true") => self.set_status(0),
                    _ => self.doubt_status(doubt.clone()),
                }
                if name.as_deref() == Some(b"alias") {
                    self.doubt_aliases(words);
                }
            }
            // One text that comes apart at blanks is put together again.
            Some(b"eval") if !self.is_function(b"eval") && self.is_one_text(words) => {
                self.eval(&[Val::Unknown(Unknown::of(doubt.clone()))]);
            }
            Some(b"print") if self.dialect == Dialect::Zsh && !self.is_function(b"print") && is_only_written(words) => {
                self.print(Val::unknown(doubt.clone()));
                self.doubt_status(doubt.clone());
            }
            // What keys and completion do; with an option some set a variable.
            Some(name @ (b"zstyle" | b"bindkey" | b"compdef"))
                if !self.is_function(name) && !words.iter().any(|w| w.literal().is_some_and(|w| w.starts_with(b"-"))) =>
            {
                self.doubt_status(doubt.clone());
            }
            // What is completed, and how.
            Some(
                name @ (b"complete" | b"compopt" | b"bind" | b"zle" | b"umask" | b"ulimit" | b"kill" | b"jobs" | b"times"
                | b"hash"),
            ) if !self.is_function(name) && self.is_unfollowed_builtin(name).is_some() => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.doubt_status(doubt.clone());
                match (self.dialect, name) {
                    (Dialect::Ksh, b"times") => self.misused(),
                    (Dialect::Mksh, b"ulimit") => self.misused_badly(),
                    _ => {}
                }
            }
            // How it ends is not known, and it may be told too much for that.
            Some(name @ (b"return" | b"exit")) if !self.is_function(name) => {
                self.misused_badly();
                let leave = |m: &mut Self| if name == b"return" { m.return_with(None) } else { m.exit_with(None) };
                // There it goes on then.
                match self.dialect {
                    Dialect::Zsh => self.fork(doubt, leave, |_| {}),
                    _ => leave(self),
                }
            }
            Some(name @ (b"break" | b"continue")) if !self.is_function(name) => {
                // There what is no number is an error.
                match self.dialect {
                    Dialect::Dash => self.misused(),
                    Dialect::Ksh | Dialect::Mksh => self.fail_or_go_on(doubt),
                    _ => {}
                }
                self.leave_loops(None, name == b"continue");
            }
            Some(name) if self.is_function(name) || self.is_own(name) => {
                // Words that such a one does not take may end what it ends.
                if self.dialect == Dialect::Mksh && matches!(name, b"builtin" | b"rename") && !self.is_function(name) {
                    self.misused_badly();
                }
                let is_bad = name == b"unset"
                    || matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh) && self.is_special_command(name);
                if is_bad && !self.is_function(name) {
                    self.fork(doubt, Self::fail_special, |_| {});
                }
                if !self.is_function(name) {
                    self.mark_any(words);
                }
                self.fog("a command of the shell whose words are not known");
            }
            Some(_) => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.doubt_status(doubt.clone());
            }
            None => self.fog("a command whose name is not known"),
        }
    }

    /// Whether all that a command is told is one output or parameter, which comes apart at nothing but blanks.
    fn is_one_text(&mut self, words: &[Word]) -> bool {
        let [_, word] = words else { return false };
        let is_one = matches!(&word.parts[..], [Part::Output(_)] | [Part::Parameter(_)]);
        let at_blanks =
            |separators: &Option<Bytes>| separators.as_ref().is_none_or(|all| all.iter().all(|b| b" \t\n\0".contains(b)));
        is_one && self.separators().is_ok_and(|separators| at_blanks(&separators))
    }
}

/// Whether zsh's `print` only writes its words, and sets nothing with them: up to the first that begins with no dash for
/// certain they are options that are known.
fn is_only_written(words: &[Word]) -> bool {
    for word in words.iter().skip(1) {
        match (word.literal(), word.parts.first()) {
            (Some(b"-" | b"--"), _) => return true,
            (Some(text), _) if text.starts_with(b"-") => {
                if text.iter().skip(1).any(|b| !b"DNOPRabcilmnor".contains(b)) {
                    return false;
                }
            }
            (Some(_), _) => return true,
            (None, Some(Part::Text(text) | Part::Quoted(text))) => return !text.is_empty() && !text.starts_with(b"-"),
            (None, Some(Part::Double(inner))) => {
                return matches!(inner.first(), Some(Part::Text(text) | Part::Quoted(text)) if !text.is_empty() && !text.starts_with(b"-"));
            }
            (None, _) => return false,
        }
    }
    true
}
