//! What a declaration leaves at a name: that it is a function's own, and what it keeps whatever it is set to.

use std::borrow::Cow;
use std::sync::Arc;

use bytes::Bytes;

use super::attributes::Attributes;
use super::content::{Content, Var};
use super::machine::Machine;
use super::syntax::Dialect;
use super::value::{Doubt, Val};

impl Machine<'_> {
    /// Whether the function that runs has a variable of its own by a name; `None` outside of functions.
    pub(super) fn hides_in_function(&self, name: &[u8]) -> Option<bool> {
        let scope = self.live.as_ref()?.scopes.iter().rfind(|scope| scope.positional.is_some())?;
        Some(scope.vars.get(name).is_some())
    }

    pub(super) fn make_local(&mut self, name: &[u8], attributes: Attributes) {
        if !attributes.is_local {
            return;
        }
        let dialect = self.dialect;
        // What was declared before is handed on by that, or not (measured: 5.9).
        let was_kept = |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| var.exported == Some(false));
        if dialect == Dialect::Zsh && self.may_be_set("allexport") && was_kept(self) {
            self.doubt_export(name);
        }
        // One that is tied is local with its text, which is handed on as it was unless it is made local itself.
        let is_text = self.is_tied_text(name);
        let name = self.tied(name).unwrap_or_else(|| Bytes::copy_from_slice(name));
        let Some(state) = &mut self.live else { return };
        let Some(scope) = state.scopes.iter_mut().rfind(|s| s.positional.is_some()) else { return };
        if scope.vars.get(&name).is_some() {
            if is_text && let Some(var) = state.vars.get_mut(&name) {
                var.exported = Some(false);
            }
            // What stands before the command that declares it again is what it is there.
            if dialect == Dialect::Bash
                && let Some(before) = state.scopes.last_mut().filter(|scope| scope.lends && scope.vars.get(&name).is_some())
            {
                before.kept.insert(name, true);
            }
            return;
        }
        // What stands before a function in bash and mksh is local there already, and goes on in bash into those that it calls.
        let nearest = state.scopes.iter().rposition(|s| s.vars.get(&name).is_some());
        let count = state.scopes.len();
        // What stands before the command that makes it local is what it is there.
        let function = state.scopes.iter().rposition(|s| s.positional.is_some());
        if let (Some(nearest), Some(function)) = (nearest, function)
            && nearest > function
            && let Some(before) = state.scopes.get_mut(nearest).filter(|scope| scope.lends)
        {
            before.kept.insert(name.clone(), true);
            let outer = before.vars.get(&name).cloned().flatten();
            if let Some(function) = state.scopes.get_mut(function) {
                function.vars.insert(name, outer);
            }
            return;
        }
        let before = nearest.and_then(|at| state.scopes.get_mut(at)).filter(|scope| scope.positional.is_none());
        let lends = before.as_ref().is_some_and(|scope| scope.lends);
        if let Some(scope) = before
            && nearest.is_some_and(|at| at + 2 >= count)
            && (lends || dialect == Dialect::Mksh)
        {
            // What is said to be exported by it may stay (measured: 5.2).
            if dialect == Dialect::Bash && attributes.exported.is_some() {
                scope.kept.insert(name.clone(), false);
            }
            scope.made_local.insert(name);
            return;
        }
        let Some(scope) = state.scopes.iter_mut().rfind(|s| s.positional.is_some()) else { return };
        let old = state.vars.get(&name).map(Cow::into_owned);
        scope.vars.insert(name.clone(), old.clone());
        // dash keeps the value; the others begin anew, but keep the export.
        let exported = old.as_ref().map_or(Some(false), |v| v.exported);
        let fresh = match (dialect, old) {
            (Dialect::Dash, Some(old)) => old,
            (Dialect::Bash, Some(old)) if lends => old,
            (Dialect::Bash, _) => Var { exported, ..Var::unset() },
            (Dialect::Zsh, _) => Var { exported: exported.filter(|_| !is_text).or(is_text.then_some(false)), ..Var::unset() },
            _ => Var::unset(),
        };
        state.vars.insert(name.clone(), fresh);
        self.read_options_locally(&name);
    }

    pub(super) fn mark_odd(&mut self, name: &[u8], attributes: Attributes) {
        if attributes.is_list && self.dialect == Dialect::Bash {
            self.make_list(name);
        }
        // What changes the items of a list changes what is handed on of it there.
        if attributes.is_odd && self.dialect == Dialect::Ksh && matches!(self.content_of(name), Content::Array(_)) {
            self.doubt_from_here(name);
        }
        // There a table that was handed on as a text is handed on, or not, and that outlives it.
        let is_handed_on = || self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.exported != Some(false));
        if attributes.is_table && self.dialect == Dialect::Ksh {
            if is_handed_on() {
                self.doubt_from_here(name);
            } else if let Some(state) = &mut self.live {
                state.vars.get_or_insert_with(name, Var::unset).may_be_list = true;
            }
        }
        // Nobody is handed a table; but ksh hands on what was a text before.
        if attributes.is_table && self.dialect != Dialect::Ksh {
            let was_text = matches!(self.content_of(name), Content::Set(_));
            // What comes of it by other ways than `typeset` may be no table.
            if self.dialect == Dialect::Zsh && was_text && attributes.readonly {
                let doubt = self.doubt("a text that becomes a table");
                self.assign(name, Content::Perhaps(Val::unknown(doubt)), Some(false));
            }
            if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)).filter(|_| was_text) {
                var.exported = Some(false);
                var.may_be_list = true;
                if self.dialect == Dialect::Zsh && !attributes.readonly {
                    var.content = Content::Table(Arc::default());
                }
            }
        }
        if attributes.is_number || attributes.is_unique {
            self.mark_kept(name, attributes);
        }
        if attributes.is_odd
            && let Some(state) = &mut self.live
        {
            let var = state.vars.get_or_insert_with(name, Var::unset);
            var.is_odd = true;
            // What it is set to is worked out there.
            var.is_number |= attributes.is_float && self.dialect == Dialect::Zsh;
            // A list that counts becomes no table.
            if attributes.is_table && self.dialect == Dialect::Bash {
                let is_list = matches!(var.content, Content::Array(_));
                let may_be = var.may_be_list || matches!(var.content, Content::Perhaps(_));
                let doubt = self.doubt("a list that is declared as a table");
                if is_list {
                    return self.fail_hard();
                } else if may_be {
                    return self.fail_or_go_on(&doubt);
                }
            }
            let Some(state) = &mut self.live else { return };
            let var = state.vars.get_or_insert_with(name, Var::unset);
            if attributes.is_table
                && self.dialect != Dialect::Ksh
                && matches!(var.content, Content::Unset)
                && var.exported == Some(false)
            {
                var.content = Content::Table(Arc::default());
            }
            match &mut var.content {
                // Of a table it is an item there, and whether the name is set is answered otherwise (measured: 93u+m).
                Content::Set(_) if attributes.is_table && self.dialect == Dialect::Ksh => {
                    let doubt = Doubt::new("a text that becomes an item of a table", None);
                    var.content = Content::Perhaps(Val::unknown(doubt));
                }
                Content::Set(value @ Val::Known(_)) => {
                    *value = Val::unknown(Doubt::new("the variable has an attribute that changes values", None));
                }
                Content::Set(Val::Unknown(text)) | Content::Perhaps(Val::Unknown(text)) => *text = text.another(false),
                _ => {}
            }
        }
    }

    /// bash makes a list of a name, of which what it holds is the first item.
    fn make_list(&mut self, name: &[u8]) {
        let content = match self.content_of(name) {
            Content::Unset => Content::Array(Arc::default()),
            Content::Set(value) => Content::Array(Arc::new(vec![value])),
            Content::Array(_) | Content::Table(_) => return,
            Content::Perhaps(_) => return self.note_may_be_list(name),
        };
        self.assign(name, content, None);
    }

    /// From here on a name holds a number, or each item once only; so does what it holds already.
    pub(super) fn mark_kept(&mut self, name: &[u8], attributes: Attributes) {
        let name = self.tied(name).unwrap_or_else(|| Bytes::copy_from_slice(name));
        let Some(state) = &mut self.live else { return };
        let var = state.vars.get_or_insert_with(&name, Var::unset);
        var.is_number |= attributes.is_number;
        var.is_unique |= attributes.is_unique;
        let Var { content, site, exported, .. } = var.clone();
        // There its items become numbers, too.
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && attributes.is_number && matches!(content, Content::Array(_)) {
            return self.doubt_from_here(&name);
        }
        // What is no number is taken away there.
        if let (Dialect::Mksh, Content::Set(Val::Known(text))) = (self.dialect, &content)
            && !text.iter().all(u8::is_ascii_alphanumeric)
        {
            let doubt = self.doubt("a number that is none yet");
            self.assign(&name, Content::Perhaps(Val::unknown(doubt.clone())), None);
            self.doubt_export(&name);
            return self.doubt_status(doubt);
        }
        // There what it is stays until it is set anew (measured: 5.2).
        if self.dialect == Dialect::Bash && matches!(content, Content::Set(_) | Content::Perhaps(_)) {
            return;
        }
        if matches!(content, Content::Unset) {
            // As a number it has a value for others there.
            if self.dialect == Dialect::Ksh && attributes.is_number {
                let doubt = Doubt::new("a number that was not set", None);
                self.assign(&name, Content::Perhaps(Val::unknown(doubt)), exported);
            }
            return;
        }
        self.assign(&name, content, exported);
        // The line that gave it still decides.
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
            var.site = site;
        }
    }

    pub(super) fn mark(&mut self, name: &[u8], attributes: Attributes) {
        if self.dialect == Dialect::Bash
            && (attributes.exported == Some(true) || attributes.readonly)
            && !attributes.is_outermost
            && let Some(state) = &mut self.live
        {
            state.lend(&Bytes::copy_from_slice(name), true);
        }
        // ksh sets its prompt once its files are read, and keeps that it is exported.
        if name == b"PS1"
            && attributes.exported == Some(true)
            && self.dialect == Dialect::Ksh
            && self.is_interactive
            && matches!(self.content_of(name), Content::Unset)
        {
            let doubt = self.doubt("the shell sets its prompt by itself");
            self.assign(name, Content::Perhaps(Val::unknown(doubt)), None);
        }
        // Some that these have by themselves are handed on to nobody.
        let is_own = matches!(name, b"LINENO" | b"FPATH" | b"KSH_VERSION" | b"HISTSIZE");
        if is_own
            && attributes.exported == Some(true)
            && matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh)
            && self.content_of(name).value().is_none_or(|value| value.known().is_none())
        {
            self.doubt_export(name);
        }
        // In mksh and ksh `set -a` does not reach what is declared.
        if attributes.readonly && matches!(self.dialect, Dialect::Mksh | Dialect::Ksh) && self.may_be_set("allexport") {
            self.doubt_export(name);
        }
        if attributes.readonly
            && let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name))
        {
            var.readonly = true;
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn attributes_stay_with_their_names() {
        hold(&[
            (&[Bash, Dash, Mksh, Zsh], "f() { local X=1; R=$X; }; X=0; f", ["1", "0"]),
            (&[Ksh], "f() { local X=1; R=$X; }; X=0; f", ["0", "0"]),
            (&[Bash, Mksh, Zsh], "f() { typeset X=1; R=$X; }; X=0; f", ["1", "0"]),
            (&[Dash], "f() { typeset X=1; R=$X; }; X=0; f", ["0", "0"]),
            (&[Ksh], "f() { typeset X=1; R=$X; }; X=0; f", ["1", "1"]),
            (&[Bash, Mksh], "f() { local X; R=${X-unset}; X=3; }; X=0; f", ["unset", "0"]),
            (&[Dash], "f() { local X; R=${X-unset}; X=3; }; X=0; f", ["0", "0"]),
            (&[Ksh], "f() { local X; R=${X-unset}; X=3; }; X=0; f", ["0", "3"]),
            (&[Zsh], "f() { local X; R=${X-unset}; X=3; }; X=0; f", ["", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { local R=1 X=2; }; R=5; f", ["5", "none"]),
            (&[Bash, Dash, Mksh, Zsh], "f() { local X=$R; R=$X; X=7; }; R=4; X=0; f", ["4", "0"]),
            (&[Ksh], "f() { local X=$R; R=$X; X=7; }; R=4; X=0; f", ["0", "7"]),
            (&[Bash, Ksh, Mksh, Zsh], "typeset -i X=2; X=X+1; R=$X", ["3", "3"]),
            (&[Dash], "typeset -i X=2; X=X+1; R=$X", ["X+1", "X+1"]),
            (&[Bash], "typeset -r X=1; R=$X; X=2; R=3", ["1", "1"]),
            (&[Dash], "typeset -r X=1; R=$X; X=2; R=3", ["3", "2"]),
            (&[Bash, Ksh, Zsh], "readonly X=1; (X=2); R=$?", ["1", "1"]),
            (&[Dash, Mksh], "readonly X=1; (X=2); R=$?", ["2", "1"]),
            (&[Bash, Mksh, Zsh], "f() { typeset -i X=1+1; R=$X; }; f", ["2", "none"]),
            (&[Dash], "f() { typeset -i X=1+1; R=$X; }; f", ["", "none"]),
            (&[Ksh], "f() { typeset -i X=1+1; R=$X; }; f", ["2", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=5; typeset X; R=$X", ["5", "5"]),
            (&[Bash, Dash, Ksh, Mksh], "f() { readonly X=1; }; f; R=$X", ["1", "1"]),
            (&[Zsh], "f() { readonly X=1; }; f; R=$X", ["", "none"]),
        ]);
    }

    #[test]
    fn what_stands_before_a_declaration_is_what_it_declares() {
        hold(&[
            (&[Bash], "f() { local R=2; R=6 local R; X=$R; }; f; R=$X", ["6", "6"]),
            (&[Bash], "R=1; f() { R=6 local R; X=$R; }; f", ["1", "6"]),
        ]);
    }
}
