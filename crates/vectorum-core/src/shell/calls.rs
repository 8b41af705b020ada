//! Functions: how they are defined and called, and what is put back where they end.

use std::sync::Arc;

use bytes::Bytes;

use super::attributes::Attributes;
use super::commands::is_special;
use super::content::{Content, Var};
use super::declared::Declared;
use super::expand::Expanded;
use super::frame::Boundary;
use super::getopts::OptionsRead;
use super::handed::handed_on;
use super::machine::{DEEPEST, Machine};
use super::parse::is_name;
use super::scope::Scope;
use super::state::{Function, State};
use super::syntax::{Command, Dialect};
use super::value::Val;
use super::variables::FUNCTION_PATH;

impl Machine<'_> {
    /// Of the functions that run, the innermost first: whether each has variables of its own.
    pub(super) fn holds_of_functions(&self) -> Vec<bool> {
        self.frames.iter().rev().filter(|frame| frame.kind == Boundary::Function).map(|frame| frame.holds).collect()
    }

    pub(super) fn is_in_function(&self) -> bool {
        let mut kinds = self.frames.iter().rev().map(|f| f.kind);
        kinds.find(|k| matches!(k, Boundary::Function | Boundary::Shell)) == Some(Boundary::Function)
    }

    pub(super) fn define(&mut self, name: &[u8], body: &Arc<Command>, by_word: bool) {
        let (body, source) = (body.clone(), self.source.clone());
        if self.is_held_function(name) {
            return self.set_status(1);
        }
        // What ksh takes by that word is a name, or one of its own with dots.
        if self.dialect == Dialect::Ksh && by_word && !name.iter().all(|b| is_name(*b) || *b == b'.') {
            return self.fail_hard();
        }
        // Nor by the name of a command that is special, in bash where it is as POSIX has it.
        let is_special = is_special(name) || name == b"typeset";
        if self.dialect == Dialect::Ksh && !by_word && name.contains(&b'.') && !is_special {
            return self.fail_perhaps("a function that belongs to a variable");
        }
        if self.dialect == Dialect::Ksh && (is_special || !by_word && !crate::reader::is_portable(name)) {
            return self.fail_hard();
        }
        if self.dialect == Dialect::Bash && is_special && self.may_be_set("posix") {
            self.exit_or_go_on(&self.doubt("a function by the name of a special command"));
        }
        // There nobody can call it.
        if self.dialect == Dialect::Mksh && name.contains(&b'/') {
            return self.set_status(0);
        }
        // One that was unset while it runs, and then makes itself anew, is the end of the shell (measured: 5.9, by a signal).
        if self.dialect == Dialect::Zsh && self.runs_forgotten(name) {
            self.exit_or_go_on(&self.doubt("a function that was unset while it runs, and makes itself anew"));
        }
        let function = Function { body, source, by_word, as_sh: self.as_sh, epoch: self.epoch, is_held: false };
        self.put_function(Bytes::copy_from_slice(name), Some(function));
        // One that is handed on is so with its new text.
        let handed = self.live.as_ref().and_then(|state| state.vars.get(&handed_on(name)).map(|var| var.exported));
        let exports = handed.filter(|exported| *exported != Some(false));
        let exports = exports.unwrap_or_else(|| self.live.as_ref().and_then(|s| s.option("allexport")));
        if exports != Some(false) {
            self.export_function(name, exports == Some(true));
        }
        // In zsh such a name makes it a trap.
        if self.dialect == Dialect::Zsh && name.starts_with(b"TRAP") && name != b"TRAPEXIT" {
            self.trap_with(name);
        } else {
            self.look_at_traps();
        }
        self.set_status(0);
    }

    /// Whether the function in whose own text something is defined there may be one of that name, and was unset meanwhile.
    fn runs_forgotten(&self, name: &[u8]) -> bool {
        let Some(state) = &self.live else { return false };
        let is_text = |kind: Boundary| matches!(kind, Boundary::Text | Boundary::Source | Boundary::Startup);
        let around = self.frames.iter().rev().find(|frame| frame.kind == Boundary::Function || is_text(frame.kind));
        let is_own = around.is_some_and(|frame| frame.kind == Boundary::Function);
        is_own && !matches!(state.functions.get(name), Some(Some(_))) && state.zero.as_ref().is_none_or(|zero| *zero == name)
    }

    /// Whether it is certain that a function can be changed no more.
    fn is_held_function(&self, name: &[u8]) -> bool {
        let function = self.live.as_ref().and_then(|state| state.functions.get(name));
        matches!(function, Some(Some(function)) if function.is_held)
    }

    /// `export -f`, `declare -fx`, `readonly -f` and their kin.
    pub(super) fn declare_functions(&mut self, given: impl Iterator<Item = Declared>, attributes: Attributes) {
        self.set_status(0);
        for declared in given {
            let Declared::Text(name) = declared else {
                self.set_status(1);
                continue;
            };
            if !self.is_function(&name) {
                self.set_status(1);
                continue;
            }
            match attributes.exported {
                Some(true) => self.export_function(&name, true),
                Some(false) => self.keep_function(&name),
                None => {}
            }
            if let Some(Some(function)) = self.live.as_mut().and_then(|state| state.functions.get_mut(&name)) {
                function.is_held |= attributes.readonly;
            }
        }
        if self.dialect != Dialect::Bash {
            self.doubt_status(self.doubt("whether there is such a function"));
        }
    }

    /// bash hands functions on in variables of their own; `is_sure` says whether it is certain that this one is.
    fn export_function(&mut self, name: &[u8], is_sure: bool) {
        if self.dialect != Dialect::Bash {
            return;
        }
        let value = Val::unknown(self.doubt("a function as bash writes it"));
        let content = match self.live.as_ref().and_then(|s| s.functions.get(name)) {
            Some(Some(_)) if is_sure => Content::Set(value),
            _ => Content::Perhaps(value),
        };
        let site = Some(self.here());
        if let Some(state) = &mut self.live {
            state.vars.insert(handed_on(name), Var { content, exported: is_sure.then_some(true), site, ..Var::unset() });
        }
    }

    /// It is handed on no more.
    fn keep_function(&mut self, name: &[u8]) {
        let name = handed_on(name);
        let site = Some(self.here());
        if let Some(state) = self.live.as_mut().filter(|state| state.vars.get(&name).is_some()) {
            state.vars.insert(name, Var { site, ..Var::unset() });
        }
    }

    /// `unset -f`: whether there was such a function. One that is held stays, which is an error.
    pub(super) fn forget_function(&mut self, name: &[u8]) -> bool {
        if self.is_held_function(name) {
            self.set_status(1);
            return true;
        }
        let Some(state) = &mut self.live else { return false };
        let was_there = state.functions.get(name).is_some();
        state.functions.remove(name);
        if self.dialect == Dialect::Bash {
            self.keep_function(name);
        }
        was_there
    }

    pub(super) fn close_scope(&self, state: &mut State) {
        let hides_path = state.scopes.last().is_some_and(|scope| scope.vars.get(FUNCTION_PATH).is_some());
        let all = state.option("allexport") != Some(false);
        let exports = self.dialect == Dialect::Zsh && all;
        state.close_scope(|name| exports && self.is_tied_text(name), self.dialect == Dialect::Dash && all);
        self.restless.unsettle(state);
        if hides_path && self.dialect == Dialect::Zsh {
            let path = state.vars.get(FUNCTION_PATH).map_or(Content::Unset, |var| var.content.clone());
            state.search_along(&path);
        }
    }

    /// Puts back what was hidden last.
    pub(super) fn end_scope(&mut self) {
        if let Some(mut state) = self.live.take() {
            self.close_scope(&mut state);
            self.live = Some(state);
        }
    }

    /// Calls a function by its name, which it may be told as `$0`.
    pub(super) fn call_by_name(&mut self, name: &[u8], function: &Function, arguments: &[Val]) {
        let zero = self.called_zero(Bytes::copy_from_slice(name));
        self.with_zero(zero, |m| m.call(function, Ok(arguments.to_vec())));
    }

    /// Calls a function; its arguments may be such that not even their number is known.
    pub(super) fn call(&mut self, function: &Function, arguments: Expanded<Vec<Val>>) {
        if self.depth >= DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        let holds = self.dialect != Dialect::Ksh || function.by_word;
        // There the variables of one such function are not seen in another.
        if self.dialect == Dialect::Ksh && holds && self.is_in_function() {
            // What they hide may be set there.
            let hidden: Vec<Bytes> =
                self.live.iter().flat_map(|s| &s.scopes).flat_map(|s| s.vars.iter()).map(|(n, _)| n.clone()).collect();
            hidden.iter().for_each(|name| self.doubt_from_here(name));
            return self.fog("a function of ksh's that another one calls");
        }
        self.depth += 1;
        let (at, dialect) = (self.at, self.dialect);
        self.through(|m| {
            let outer = std::mem::replace(&mut m.source, function.source.clone());
            if let Some(state) = &mut m.live {
                let positional = std::mem::replace(&mut state.positional, arguments.map(Arc::new));
                // There a function reads options of its own.
                let is_own = matches!(dialect, Dialect::Dash | Dialect::Zsh);
                let reading = is_own.then(|| state.reading.replace(OptionsRead::default()));
                state.scopes.push(Scope { positional: Some(positional), reading, ..Scope::default() });
            }
            m.enter(Boundary::Function);
            if let Some(frame) = m.frames.last_mut() {
                (frame.holds, frame.asides) = (holds, m.asides);
            }
            let options = m.live.as_ref().map(|state| state.options.clone());
            // What fails ends nothing within one of that kind, unless it says so itself (measured: 93u+m).
            if let Some(state) = m.live.as_mut().filter(|_| dialect == Dialect::Ksh && function.by_word) {
                state.options.insert("errexit", Some(false));
            }
            // What is defined elsewhere works as what calls it does.
            let as_sh = m.as_sh;
            m.as_sh |= function.as_sh;
            let epoch = std::mem::replace(&mut m.epoch, function.epoch);
            m.run_command(&function.body);
            m.epoch = epoch;
            m.ends_as(as_sh || function.as_sh);
            m.as_sh = as_sh;
            m.end_scope();
            m.end();
            // There one that is defined by the word has options of its own.
            let are_own = function.by_word && matches!(dialect, Dialect::Ksh | Dialect::Mksh);
            options.into_iter().for_each(|options| m.give_back_options(options, are_own));
            m.source = outer;
        });
        // What was set before it counts no more, and what it set is taken back (measured: bash 5.2).
        self.live.iter_mut().for_each(|state| state.were_set = Some(false));
        self.at = at;
        self.depth -= 1;
    }
}

#[cfg(test)]
mod tests {
    use super::Machine;
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::{after, hold};

    #[test]
    fn functions_that_are_held_stay_as_they_are() {
        hold(&[
            (&[Bash], "f() { R=1; }; readonly -f f; f() { R=2; }; X=$?; f", ["1", "1"]),
            (&[Bash], "f() { R=1; }; declare -fr f; unset -f f; X=$?; f", ["1", "1"]),
            (&[Bash], "f() { R=1; }; export -f f; unset -f f; X=$?; f() { R=2; }; f", ["2", "0"]),
            (&[Bash], "readonly -f f; R=$?; export -fn f; X=$?", ["1", "1"]),
        ]);
    }

    /// Whether bash hands a function on.
    #[test]
    fn functions_are_handed_on_until_they_are_taken_back() {
        for (text, expected) in [
            ("f() { :; }; export -f f", true),
            ("f() { :; }; export -f f; f() { X=1; }", true),
            ("set -a; f() { :; }", true),
            ("f() { :; }; export -f f; unset -f f", false),
            ("f() { :; }; export -f f; unset f", false),
            ("f() { :; }; export -f f; f=1; unset f", true),
            ("f() { :; }; export -f f; export -nf f", false),
            ("f() { :; }; declare -fx f; declare -f +x f", false),
            ("f() { :; }; export -f f; (unset -f f)", true),
        ] {
            let is_handed_on = |m: &mut Machine<'_>| {
                let state = m.live.as_ref().unwrap();
                state.vars.get(b"BASH_FUNC_f%%").is_some_and(|var| var.exported == Some(true))
            };
            assert_eq!(after(Bash, text, is_handed_on), expected, "{text}");
        }
    }

    #[test]
    fn functions_get_words_and_leave_a_status() {
        hold(&[
            // What fails ends nothing in ksh's functions by the word, unless they say so.
            (&[Ksh], "R=0; set -e; function f { false; R=1; }; f; X=2", ["1", "2"]),
            (&[Ksh], "R=0; set -e; f() { false; R=1; }; f; X=2", ["none", "none"]),
            (&[Ksh], "R=0; function f { set -e; false; R=1; }; f; X=2", ["none", "none"]),
            (&[Mksh, Bash, Zsh], "R=0; set -e; function f { false; R=1; }; f; X=2", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=${#}$1; return 3; }; set -- z; f a b; X=$?$1", ["2a", "3z"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=$*; shift; X=$1; }; f a b", ["a b", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { false; }; f; X=$?; f() { R=1; }; f", ["1", "1"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "f() { [ $1 -le 0 ] && return; R=$R$1; f $(($1 - 1)); }; f 3; X=done",
                ["321", "done"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { f() { R=2; }; R=1; }; f; X=$R; f", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; f() { (R=2); X=$R; }; f", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { return; }; false; f; R=$?", ["1", "none"]),
            (&[Ksh, Mksh], "function f { set -f; }; f; set -- /usr/b*; R=$1", ["/usr/bin", "none"]),
            (&[Bash, Zsh], "function f { X=1; }; f; R=$X", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { f; }; R=1; X=$(echo 2)", ["1", "2"]),
        ]);
    }
}
