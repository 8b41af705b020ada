//! Names that are held fast: which they are, and what an error it is to set one.

use bytes::Bytes;

use super::attributes::Attributes;
use super::machine::Machine;
use super::nameref::Meant;
use super::scope::Scope;
use super::syntax::*;
use super::vars::For;

/// Why it is not known what comes of setting a name.
pub(super) const MAY_BE_HELD: &str = "whether the name is held fast is not known";

impl Machine<'_> {
    pub(super) fn is_readonly(&self, name: &[u8]) -> bool {
        if let Meant::Other(other) = self.meant(name) {
            return self.is_readonly(&other);
        }
        // What zsh counts by itself (zshparam(1)).
        let is_counted = matches!(name, b"LINENO" | b"PPID" | b"ARGC" | b"TTYIDLE" | b"ZSH_SUBSHELL" | b"HISTCMD")
            && self.dialect == Dialect::Zsh;
        is_counted || self.live.as_ref().and_then(|s| s.vars.look(name, For::Export)).is_some_and(|v| v.readonly)
    }

    /// Whether it is not known if a name is held fast.
    pub(super) fn may_be_held(&self, name: &[u8]) -> bool {
        if let Meant::Other(other) = self.meant(name) {
            return self.may_be_held(&other);
        }
        self.has_marked_any || self.live.as_ref().and_then(|s| s.vars.look(name, For::Export)).is_some_and(|v| v.may_be_readonly)
    }

    /// Takes note of a declaration, or of a command that makes lists, of which it is not known which name it is for: whatever
    /// is set from there on may be held fast, changed, or local.
    pub(super) fn mark_any(&mut self, words: &[Word]) {
        let Some(command) = words.first().and_then(Word::literal) else { return };
        if let (b"command" | b"builtin", Some(behind)) = (command, words.get(1..)) {
            return self.mark_any(behind);
        }
        let asks = |letters: fn(u8) -> bool| {
            words
                .iter()
                .skip(1)
                .filter_map(Word::literal)
                .any(|word| matches!(word, [b'-' | b'+', rest @ ..] if rest.iter().copied().any(letters)))
        };
        // What comes apart may be options.
        let may_be_option = |word: &Word| matches!(word.parts.first(), Some(Part::Parameter(_) | Part::Output(_)));
        let marks = match command {
            b"readonly" | b"integer" | b"float" | b"nameref" | b"local" | b"mapfile" | b"readarray" => true,
            b"declare" | b"typeset" => {
                let is_local = self.is_in_function() && !asks(|letter| letter == b'g');
                is_local || asks(|letter| !b"gxp-".contains(&letter)) || words.iter().skip(1).any(may_be_option)
            }
            b"read" => asks(|letter| b"aA".contains(&letter)) || words.get(1).is_some_and(may_be_option),
            b"set" => asks(|letter| letter == b'A'),
            _ => false,
        };
        self.has_marked_any |= marks;
    }

    /// Does what hangs on whether a name is held fast, on both ways where that is not known.
    pub(super) fn held_or_not(&mut self, name: &[u8], run: impl Fn(&mut Self)) {
        if !self.may_be_held(name) {
            return run(self);
        }
        let name = match self.meant(name) {
            Meant::Other(other) => other,
            _ => Bytes::copy_from_slice(name),
        };
        let as_held = |m: &mut Self, is_held: bool| {
            if let Some(var) = m.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
                (var.readonly, var.may_be_readonly) = (is_held, false);
            }
            // What it stands for here may be another than what is found to be set.
            if m.may_be_held(&name) { m.fog(MAY_BE_HELD) } else { run(m) }
        };
        let doubt = self.doubt(MAY_BE_HELD);
        self.fork(&doubt, |m| as_held(m, true), |m| as_held(m, false));
    }

    /// A declaration that is refused: the name is held fast.
    pub(super) fn refuse(&mut self, attributes: Attributes) {
        let is_number = attributes.is_number || attributes.is_odd && self.dialect == Dialect::Ksh;
        if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) && is_number {
            return self.fail_perhaps("a name that is held fast is declared as a number");
        }
        if self.tame > 0 && self.dialect == Dialect::Ksh {
            return self.fail_perhaps("a name that is held fast is declared behind «command»");
        }
        if attributes.is_mild {
            self.doubt_status(self.doubt("a name is held fast"));
        } else {
            self.refused();
        }
    }

    /// A name is set that is held fast, and what that ends.
    pub(super) fn refused(&mut self) {
        match self.dialect {
            Dialect::Bash => self.set_status(1),
            _ => self.fail_refused(),
        }
    }

    /// Whether a name is held fast that is declared. bash hides what a function around this one holds fast for itself
    /// (measured: 5.2).
    pub(super) fn is_held_against(&self, name: &[u8], attributes: Attributes) -> bool {
        let is_around = || {
            let scopes = &self.live.as_ref()?.scopes[..];
            let inner = scopes.iter().rposition(|scope| scope.positional.is_some())?;
            let hides = |scope: &Scope| scope.vars.get(name).is_some();
            let (around, own) = scopes.split_at(inner);
            Some(!own.iter().any(hides) && around.iter().any(|scope| scope.positional.is_some() && hides(scope)))
        };
        self.is_readonly(name) && !(self.dialect == Dialect::Bash && attributes.is_local && is_around() == Some(true))
    }

    /// The error of setting a name that is held fast.
    pub(super) fn fail_refused(&mut self) {
        // As POSIX has it that ends the shell.
        if self.dialect == Dialect::Bash && self.may_be_set("posix") {
            return self.exit_or_go_on(&self.doubt("a name is held fast"));
        }
        let outer = std::mem::replace(&mut self.is_refused, true);
        self.fail_hard();
        self.is_refused = outer;
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn names_that_are_held_fast_stay() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "readonly X=1; (X=2) 2>/dev/null; R=$X", ["1", "1"]),
            (&[Bash], "readonly X=1; declare X=2 2>/dev/null; R=$?", ["1", "1"]),
            (&[Bash], "f() { readonly X=1; }; f; (X=2) 2>/dev/null; R=$X", ["1", "1"]),
            (&[Zsh], "f() { typeset -r X=1; R=$X; }; f; X=2", ["1", "2"]),
            (&[Bash, Mksh], "f() { local -r X=1; g; }; g() { local X=2 Y=3; R=$X$Y; }; f; X=4", ["23", "4"]),
            (&[Bash, Mksh, Zsh], "f() { local -r X=1; R=$X; }; f; X=2", ["1", "2"]),
        ]);
    }

    /// Where it is not known which name is held fast, made a number or local, any may be.
    #[test]
    fn a_name_that_nobody_knows_may_be_any() {
        for declared in ["readonly $(tide-now)", "command readonly \"$(tide-now)\"", "readonly \"$(tide-now)=2\""] {
            let text = format!("{declared}; X=2; R=1");
            hold(&[(&[Bash, Dash, Ksh, Mksh], &text, ["<unknown>", "<unknown>"])]);
        }
        hold(&[
            (&[Bash, Ksh, Mksh, Zsh], "typeset -i $(tide-now); R=x", ["<unknown>", "<unknown>"]),
            (&[Bash, Zsh], "typeset -gx \"$(tide-now)=2\"; R=x", ["x", "<unknown>"]),
            (&[Bash, Mksh, Zsh], "f() { typeset \"$(tide-now)=2\"; R=x; }; f", ["<unknown>", "<unknown>"]),
            (&[Bash], "read -a \"$(tide-now)\"; R=x", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Zsh], "export \"$(tide-now)=2\"; R=x", ["x", "<unknown>"]),
        ]);
    }

    /// Both ways are gone where it is not known whether a name is held fast: what ends the shell leaves one of them.
    #[test]
    fn names_that_may_be_held_fast_are_both() {
        hold(&[
            (&[Bash], "X=1; tide-now && readonly X; declare X=2; R=$?", ["<a number>", "<a number>"]),
            (&[Bash, Ksh, Mksh], "X=1; tide-now && readonly X; unset X; R=$?", ["<a number>", "1?"]),
            (&[Bash, Zsh, Mksh], "X=1; tide-now && readonly X; ((X = 2, R = 3))", ["3?", "<unknown>"]),
            (&[Dash], "X=1; tide-now && readonly X; unset X; R=1", ["1", "none"]),
        ]);
    }
}
