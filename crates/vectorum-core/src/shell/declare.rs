//! Declarations: `export`, `typeset` and their kin, and what they make of a variable.

mod word;

use std::sync::Arc;

use bytes::Bytes;

use super::assigning::plus;
use super::attributes::Attributes;
use super::content::Content;
use super::declared::{Declared, name_of};
use super::held::MAY_BE_HELD;
use super::machine::Machine;
use super::nameref::Meant;
use super::state::Status;
use super::syntax::*;
use super::ties::is_own;
use super::value::Val;
use super::variables::is_decimal;

/// Names under which zsh has parts of itself (zshparam(1), zshmodules(1)).
const PARTS_OF_SHELL: &[&[u8]] = &[
    b"status",
    b"pipestatus",
    b"options",
    b"aliases",
    b"galiases",
    b"saliases",
    b"functions",
    b"parameters",
    b"commands",
    b"builtins",
    b"reswords",
    b"modules",
    b"history",
    b"watch",
];

impl Machine<'_> {
    /// Whether all names are those of functions, where that is known.
    fn are_functions(&mut self, names: &[Bytes]) -> Option<bool> {
        let mut are_there = true;
        for name in names {
            let state = self.live.as_ref().filter(|state| state.open.is_none())?;
            match state.functions.get(name).map(Option::is_some) {
                Some(true) => {}
                Some(false) => return None,
                None if self.later.contains_key(name) || self.function_file(name) != Ok(None) => return None,
                None => are_there = false,
            }
        }
        Some(are_there)
    }

    /// `export`, `declare` and their kin.
    pub(super) fn declare(&mut self, command: &[u8], given: Vec<Declared>) {
        let in_function = self.live.as_ref().is_some_and(|s| s.scopes.iter().any(|s| s.positional.is_some()));
        // There it is an error elsewhere.
        if command == b"local" && !in_function && self.dialect == Dialect::Dash {
            return self.misused();
        }
        let mut given = given.into_iter();
        if self.declares_later(given.as_slice()) {
            return;
        }
        let is_list =
            |d: &Declared| matches!(d, Declared::Assignment(assignment, _) if matches!(assignment.value, Assigned::Array(_)));
        let has_list = given.as_slice().iter().any(is_list);
        let Some(mut attributes) = self.attributes(command, &mut given) else {
            // Lists are made before it is told what is not taken, and may be wrong by themselves (measured: bash 5.2).
            if self.dialect == Dialect::Bash && has_list {
                self.fail_far_or_go_on(&self.doubt(super::misused::NOT_TAKEN));
            }
            return;
        };
        // They are handed on as one text.
        let is_of_shell = |d: &Declared| PARTS_OF_SHELL.contains(&&name_of(d)[..]);
        if attributes.exported == Some(true) && self.is_own_zsh() && given.as_slice().iter().any(is_of_shell) {
            return self.fog("a part of the shell itself is exported");
        }
        attributes.is_local = in_function && !attributes.is_global;
        if attributes.is_local && !self.may_be_local(&mut attributes, given.as_slice()) {
            return;
        }
        if attributes.is_function && (attributes.exported.is_some() || attributes.readonly) && !given.as_slice().is_empty() {
            return self.declare_functions(given, attributes);
        }
        // With names these declare all the same.
        let declares = match self.dialect {
            Dialect::Bash | Dialect::Ksh => matches!(command, b"export" | b"readonly"),
            Dialect::Mksh => {
                let Attributes { exported, readonly, is_number, is_odd, is_reference, .. } = attributes;
                exported.is_some() || readonly || is_number || is_odd || is_reference
            }
            _ => false,
        };
        attributes.prints &= !declares || given.as_slice().is_empty();
        if command == b"local" && !in_function && self.dialect == Dialect::Bash {
            // A list is set all the same (measured: 5.2).
            let is_list =
                |declared: &Declared| matches!(declared, Declared::Assignment(a, _) if matches!(a.value, Assigned::Array(_)));
            let is_plain = !given.as_slice().iter().any(|declared| is_list(declared) || declared.is_still_to_expand());
            self.doubt_declared(given.filter(|declared| is_list(declared) || declared.is_still_to_expand()));
            return match is_plain {
                true => self.set_status(1),
                false => self.doubt_status(self.doubt(super::misused::NOT_TAKEN)),
            };
        }
        if attributes.is_function || attributes.prints || given.as_slice().is_empty() {
            return self.print_declared(attributes, given.as_slice());
        }
        // The options are its own, too, and as they were at its end.
        if command == b"local"
            && matches!(self.dialect, Dialect::Bash | Dialect::Dash)
            && matches!(given.as_slice().first(), Some(Declared::Text(text)) if text == "-")
        {
            self.put_option("localoptions", true);
            given.next();
            if given.as_slice().is_empty() {
                return self.set_status(0);
            }
        }
        // There `command` keeps what is declared to itself, but not what is exported (measured: R59).
        if self.dialect == Dialect::Mksh && self.behind_command > 0 && !in_function && !matches!(command, b"export" | b"readonly")
        {
            self.doubt_declared(given);
            return self.fog("a declaration behind «command»");
        }
        // With an item among them they are words as other commands have them there, which may be wrong (measured: 5.9).
        if self.dialect == Dialect::Zsh && given.len() > 1 && given.as_slice().iter().any(Declared::is_item) {
            let doubt = self.doubt("an item that is declared as a variable");
            self.doubt_declared(given);
            self.fail_or_go_on(&doubt);
            return self.doubt_status(doubt);
        }
        let status_before = self.status_within();
        self.set_status(0);
        if attributes.is_tied {
            return self.tie(given.collect(), attributes, &status_before);
        }
        // There what is declared with a value is exported only if that is said.
        let ends_export = self.dialect == Dialect::Ksh && attributes.exported.is_none() && command != b"readonly";
        let mut seen = Vec::new();
        while let Some(declared) = given.next() {
            let name = name_of(&declared);
            // What was made to be held fast just before.
            if attributes.readonly && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && seen.contains(&name) {
                let doubt = self.doubt("a name that is held fast twice");
                self.fail_or_go_on(&doubt);
                self.doubt_from_here(&name);
                continue;
            }
            seen.push(name.clone());
            // There nothing is declared from a name on that is none (measured: R59).
            let is_special = matches!(command, b"export" | b"readonly");
            if self.dialect == Dialect::Mksh && !is_special && !crate::reader::is_portable(&name) && !name.contains(&b'[') {
                return self.set_status(1);
            }
            // It is none of what can be exported or held fast.
            if is_special && self.dialect == Dialect::Bash && declared.is_item() {
                self.declare_item(&declared, attributes, true);
                continue;
            }
            let has_value = declared.has_value();
            // There those behind it are declared all the same, whatever that ends (measured: 5.9).
            let may_end = match self.dialect {
                Dialect::Zsh => self.is_readonly(&name) || self.may_be_held(&name),
                Dialect::Mksh => self.may_be_held(&name),
                _ => false,
            };
            if may_end && has_value && !given.as_slice().is_empty() {
                given.as_slice().iter().map(name_of).for_each(|name| self.doubt_from_here(&name));
            }
            let is_refused =
                self.dialect == Dialect::Mksh && !is_special && !attributes.is_local && has_value && self.is_readonly(&name);
            let outputs = self.outputs;
            let is_list = is_list(&declared);
            self.declare_one(declared, attributes, &status_before);
            // How commands end whose output makes a list is of no account there (measured: 93u+m).
            if self.dialect == Dialect::Ksh && is_list && self.outputs != outputs {
                self.doubt_status(self.doubt("how a list is declared"));
            }
            // There nothing is declared behind one that is held fast.
            if is_refused {
                return;
            }
            // There `set -a` reaches nothing that is declared (measured: R59).
            if self.dialect == Dialect::Mksh && attributes.exported.is_none() && !is_special && self.may_be_set("allexport") {
                self.doubt_export(&name);
            }
            if ends_export && has_value {
                let exports_all = self.live.as_ref().and_then(|s| s.option("allexport"));
                if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
                    // But not always where values become something else by it.
                    let keeps = matches!(
                        &name[..],
                        b"HOME" | b"PATH" | b"PWD" | b"OLDPWD" | b"SHELL" | b"LANG" | b"ENV" | b"CDPATH" | b"VISUAL"
                    );
                    let is_sure = exports_all == Some(false) && !var.is_odd && !keeps;
                    var.exported = if is_sure { Some(false) } else { None };
                }
            }
        }
        // Where a list is among them and a failure ends the shell, it gives up no more than the line (measured: bash 5.2).
        if self.dialect == Dialect::Bash && has_list && self.status() != Status::Known(0) && self.may_be_set("errexit") {
            let doubt = self.doubt("how a list is declared");
            self.fail_far_or_go_on(&doubt);
            self.doubt_status(doubt);
        }
    }

    /// Whether names can be made local to a function as far as that is followed; if not, nothing more is to be done. In some
    /// functions of ksh's they are not local.
    fn may_be_local(&mut self, attributes: &mut Attributes, given: &[Declared]) -> bool {
        match (self.dialect, &self.holds_of_functions()[..]) {
            (Dialect::Zsh, _) => {
                let is_unfollowed = |name: &Bytes| {
                    let is_tied = self.tied(name).is_some() || self.is_tied_text(name);
                    is_tied && (attributes.is_odd || !is_own(name))
                };
                let unfollowed = given.iter().map(name_of).find(is_unfollowed);
                if let Some(name) = &unfollowed {
                    self.doubt_from_here(name);
                    self.fog("a list that is tied to a text is made local");
                }
                unfollowed.is_none()
            }
            (Dialect::Ksh, [true, ..]) => true,
            // In a function of the other kind it is its caller's.
            (Dialect::Ksh, [false, rest @ ..]) if !rest.contains(&true) => {
                attributes.is_local = false;
                true
            }
            (Dialect::Ksh, _) => {
                self.doubt_declared(given.iter());
                self.fog("a declaration in a function that another one calls");
                false
            }
            _ => true,
        }
    }

    /// Declarations that only print what there is.
    fn print_declared(&mut self, attributes: Attributes, given: &[Declared]) {
        self.print(Val::unknown(self.doubt("what a declaration prints")));
        let names: Vec<Bytes> = given.iter().map(name_of).collect();
        self.doubt_declared(given.iter().filter(|declared| declared.is_still_to_expand()));
        // What is to be set is set in some all the same (measured: 93u+m).
        if given.iter().any(Declared::has_value) {
            if self.dialect == Dialect::Ksh {
                names.iter().for_each(|name| self.doubt_from_here(name));
            }
            return self.doubt_status(self.doubt("whether there is such a name"));
        }
        let are_there = if attributes.is_function { self.are_functions(&names) } else { None };
        match (&names[..], are_there) {
            ([], _) => self.set_status(0),
            // There it is how many are not.
            (names, Some(false)) if self.dialect == Dialect::Ksh && names.len() > 1 => {
                self.doubt_status(self.doubt("whether there is such a function"));
            }
            (_, Some(are_there)) => self.set_status(u8::from(!are_there)),
            _ => self.doubt_status(self.doubt("whether there is such a name")),
        }
    }

    /// Carries one of them out; its value may still have to be expanded, and sees the status from before.
    pub(super) fn declare_one(&mut self, declared: Declared, attributes: Attributes, status_before: &Status) {
        let name = name_of(&declared);
        if self.may_be_held(&name) {
            return self.held_or_not(&name, |m| m.declare_one(declared.clone(), attributes, status_before));
        }
        let is_plain = declared.is_at_number() && attributes.changes_nothing() && !(attributes.is_local && self.is_own_zsh());
        if declared.is_item() && !is_plain {
            return self.declare_item(&declared, attributes, false);
        }
        // It counts what was typed, and is held fast (measured: 5.9).
        if self.dialect == Dialect::Zsh && name == "HISTCMD" && (declared.has_value() || attributes.is_local) {
            self.fail_or_go_on(&self.doubt("a name that is held fast"));
        }
        // These give up less there than a declaration by its own name does.
        let is_number = |content: &Content| matches!(content, Content::Set(Val::Known(text)) if is_decimal(text));
        let is_sum = matches!(&declared, Declared::Assignment(_, content) if !content.as_ref().is_some_and(is_number));
        if self.dialect == Dialect::Ksh && attributes.is_mild && is_sum {
            let doubt = self.doubt("what becomes a number may be none");
            self.doubt_declared(std::iter::once(declared));
            self.fail_or_go_on(&doubt);
            return self.doubt_status(doubt);
        }
        // What it is declared as without that may be a number no more.
        let was_number = |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(&name)).is_some_and(|var| var.is_number);
        if self.dialect == Dialect::Ksh && !attributes.is_number && declared.has_value() && was_number(self) {
            let doubt = self.doubt("what becomes a number may be none");
            self.doubt_declared(std::iter::once(declared));
            return self.fail_or_go_on(&doubt);
        }
        let counts = attributes.is_float || attributes.is_number && self.dialect != Dialect::Bash;
        if counts && self.may_be_no_number(&name, &declared, attributes) {
            self.fail_or_go_on(&self.doubt("what becomes a number may be none"));
            self.doubt_from_here(&name);
            self.doubt_status(self.doubt("what becomes a number may be none"));
        }
        if self.is_arguments(&name) {
            self.doubt_from_here(&name);
            return self.fog("the positional parameters are declared");
        }
        if attributes.is_reference {
            return self.declare_reference(&declared, attributes);
        }
        let declared = match self.meant(&name) {
            Meant::Itself => declared,
            // One of its own takes its place.
            _ if attributes.is_local && self.hides_in_function(&name) == Some(false) => declared,
            Meant::Other(other) if !attributes.is_local && !attributes.readonly && !attributes.is_number => {
                declared.renamed(&name, other)
            }
            _ => {
                self.give_up_reference(&name);
                if attributes.readonly {
                    let doubt = self.doubt(MAY_BE_HELD);
                    self.fail_or_go_on(&doubt);
                }
                return;
            }
        };
        let name = name_of(&declared);
        // Lists are handed on to nobody, those that are tied to a text neither.
        // What is set is exported with all the rest there, whatever is said of it.
        let exports_all = self.may_be_set("allexport")
            && (self.dialect == Dialect::Zsh || self.dialect == Dialect::Bash && !attributes.is_for_environment);
        let attributes = match attributes.exported {
            Some(false) if exports_all && declared.has_value() => Attributes { exported: None, ..attributes },
            _ => attributes,
        };
        let is_tied_list = self.dialect == Dialect::Zsh && !attributes.is_local && self.tied(&name).is_some();
        let attributes = if is_tied_list { Attributes { exported: None, ..attributes } } else { attributes };
        match declared {
            Declared::Assignment(assignment, value) => {
                let value = match (&assignment.value, value) {
                    (Assigned::Word(word), None) if assignment.key.is_none() => {
                        let after = self.status();
                        self.put_status(status_before.clone());
                        let value = self.assigned_word(word);
                        self.put_status(after);
                        Some(Content::Set(value))
                    }
                    (_, value) => value,
                };
                self.where_it_is(&name, attributes, |m, is_elsewhere| {
                    let is_list = matches!(assignment.value, Assigned::Array(_));
                    let after = m.status();
                    if is_list {
                        // Its items are expanded there as well.
                        if is_elsewhere {
                            m.doubt_from_here(&assignment.name);
                        }
                        m.put_status(status_before.clone());
                    }
                    m.declare_assignment(&assignment, value, attributes);
                    if is_list && m.status() == *status_before {
                        m.put_status(after);
                    }
                });
            }
            Declared::Text(text) => {
                self.where_it_is(&name, attributes, |m, _| m.declare_text(&text, attributes));
            }
        }
    }

    /// Declares a name, where that goes past all that hides it as what it is there; that is told what declares it.
    fn where_it_is(&mut self, name: &Bytes, attributes: Attributes, declare: impl FnOnce(&mut Self, bool)) {
        let swap = |m: &mut Self| m.live.as_mut().is_some_and(|state| state.swap_outermost(name));
        let is_elsewhere = attributes.is_outermost && swap(self);
        declare(self, is_elsewhere);
        if is_elsewhere {
            swap(self);
        }
    }

    fn declare_assignment(&mut self, assignment: &Assignment, value: Option<Content>, attributes: Attributes) {
        // Of one that was declared in the same function already it is certain nowhere else.
        let hides =
            || self.live.as_ref().and_then(|state| state.scopes.last()).is_some_and(|s| s.vars.get(&assignment.name).is_some());
        let takes_place = attributes.is_local
            && (matches!(self.dialect, Dialect::Zsh | Dialect::Mksh) || self.dialect == Dialect::Ksh && !hides());
        if self.is_held_against(&assignment.name, attributes) && !takes_place {
            // There one that is local takes its place.
            if attributes.is_local && self.dialect == Dialect::Ksh {
                self.fail_perhaps("a name that is held fast is declared in a function");
            }
            // There a list gives up the line.
            if self.dialect == Dialect::Bash && matches!(assignment.value, Assigned::Array(_)) {
                self.doubt_from_here(&assignment.name);
                self.fail_or_go_on(&self.doubt("a name that is held fast"));
            }
            // There what it is to be is refused, and that it is exported is not.
            if self.dialect == Dialect::Bash && attributes.exported.is_some() {
                self.doubt_export(&assignment.name);
            }
            // There a number is taken all the same, and a list may be (measured: 5.9).
            let is_list = matches!(assignment.value, Assigned::Array(_));
            if self.dialect == Dialect::Zsh && (attributes.is_number || attributes.is_float || is_list) {
                self.doubt_from_here(&assignment.name);
                return self.fork(&self.doubt("a name that is held fast"), |m| m.refuse(attributes), |_| {});
            }
            return self.refuse(attributes);
        }
        if self.dialect == Dialect::Zsh && matches!(assignment.value, Assigned::Array(_)) && self.is_tied_text(&assignment.name) {
            self.doubt_from_here(&assignment.name);
            return self.fail_or_go_on(&self.doubt("a text that is tied to a list"));
        }
        let is_text = matches!(assignment.value, Assigned::Word(_));
        if is_text && !self.takes_text(&assignment.name, attributes) {
            return;
        }
        if is_text && (attributes.is_list || attributes.is_table) && self.dialect == Dialect::Zsh {
            return match attributes.is_number {
                true => {
                    self.doubt_from_here(&assignment.name);
                    self.fail_or_go_on(&self.doubt("a list of numbers that is declared as a text"));
                }
                false => self.fail_hard(),
            };
        }
        // There it is set under a key, which is handed on to nobody.
        if is_text && attributes.is_table && self.dialect == Dialect::Bash {
            return self.doubt_from_here(&assignment.name);
        }
        if let (true, Assigned::Array(words)) = (attributes.is_number, &assignment.value) {
            self.doubt_sums(words);
        }
        // A list may be made of what it hides.
        let value = match (&assignment.value, value) {
            (Assigned::Array(words), None)
                if attributes.is_local
                    && assignment.key.is_none()
                    && !assignment.adds
                    && !attributes.is_table
                    && self.dialect != Dialect::Ksh =>
            {
                Some(self.list_content(assignment, words))
            }
            (_, value) => value,
        };
        // But in bash a name that becomes a number may be anything in what it is set to.
        let value = match value {
            Some(Content::Set(Val::Known(text)))
                if self.dialect != Dialect::Bash
                    && attributes.is_number
                    && memchr::memmem::find(&text, &assignment.name).is_some() =>
            {
                Some(Content::Set(self.doubt("a sum over a name that becomes a number").number()))
            }
            value => value,
        };
        self.make_local(&assignment.name, attributes);
        self.mark_odd(&assignment.name, attributes);
        // There it is the first item of the list.
        let is_first = attributes.is_list && is_text && assignment.key.is_none() && self.dialect == Dialect::Bash;
        let may_be_wrong = |value: &Content| !matches!(value, Content::Set(Val::Known(text)) if is_decimal(text));
        if is_first && attributes.is_number && value.as_ref().is_some_and(may_be_wrong) {
            self.fail_or_go_on(&self.doubt("what becomes a number may be none"));
        }
        let value = match value {
            Some(Content::Set(value)) if is_first && !assignment.adds => match self.content_of(&assignment.name) {
                Content::Array(items) => Some(Content::Array(Arc::new([&[value], items.get(1..).unwrap_or_default()].concat()))),
                _ => Some(Content::Set(value)),
            },
            value => value,
        };
        let done = match value {
            Some(Content::Set(value)) if assignment.adds => {
                let old = self.content_of(&assignment.name);
                let content = plus(&assignment.name, old, &value, self);
                self.assign_to(&assignment.name, content, attributes.exported)
            }
            Some(content) => {
                let is_lost = !is_text && matches!(content, Content::Perhaps(_)) && self.dialect == Dialect::Zsh;
                let done = self.assign_to(&assignment.name, content, attributes.exported);
                if is_lost {
                    self.note_may_be_list(&assignment.name);
                }
                done
            }
            None => self.apply(assignment, attributes.exported),
        };
        // There a number is not exported with all that is set.
        if done && attributes.is_number && self.dialect == Dialect::Mksh && attributes.exported.is_none() {
            let exports = self.live.as_ref().and_then(|state| state.option("allexport"));
            if exports != Some(false) {
                self.doubt_export(&assignment.name);
            }
        }
        if done { self.mark(&assignment.name, attributes) } else { self.refuse(attributes) }
    }
}

/// Whether a command declares names.
pub(super) fn declares(name: &[u8], dialect: Dialect) -> bool {
    match name {
        b"export" | b"readonly" => true,
        b"local" => dialect != Dialect::Ksh,
        b"typeset" => dialect != Dialect::Dash,
        b"declare" => matches!(dialect, Dialect::Bash | Dialect::Zsh),
        b"integer" => matches!(dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh),
        b"nameref" => matches!(dialect, Dialect::Ksh | Dialect::Mksh),
        b"float" => matches!(dialect, Dialect::Zsh | Dialect::Ksh),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_a_declaration_makes_of_a_value() {
        hold(&[
            (&[Bash], "typeset -i R=3*4; X=2; typeset -i X=X+1", ["12", "3"]),
            (&[Ksh, Mksh, Zsh], "typeset -i R=3*4; X=2; typeset -i X=X+1", ["12", "<a number>"]),
            (&[Bash, Ksh, Zsh], "typeset -i R=5; R=R*2; typeset -i X=3; X+=2", ["10", "5"]),
            (&[Mksh], "typeset -i R=5; R=R*2; typeset -i X=3; X+=2", ["10", "32"]),
            (&[Bash, Ksh, Mksh, Zsh], "typeset -i R=X=7", ["7", "7"]),
            (&[Bash, Zsh], "f() { local R=1 X=$R; R=$X; }; R=0; f", ["0", "none"]),
            (&[Bash, Ksh], "R=1; typeset R; X=$R", ["1", "1"]),
            (&[Bash], "R=(1 2); declare R=3; X=${R[*]}", ["3", "3 2"]),
            (&[Zsh], "X=text; typeset -a X; R=$#X", ["0", ""]),
            (&[Zsh], "typeset -U X; X=(a b a); R=$#X", ["2", "a b"]),
            (&[Zsh], "typeset -gA m; m[a]=1; R=$m[a]", ["1", "none"]),
            (&[Bash, Zsh], "typeset -A m; m[a]=1; R=${m[a]}", ["1", "none"]),
            (&[Ksh], "typeset -A m; m[a]=1; R=${m[a]}", ["<unknown>", "none"]),
            (&[Bash, Dash, Mksh, Zsh], "export R=1 X=$R", ["1", ""]),
        ]);
    }

    #[test]
    fn lists_are_made_of_what_they_hide() {
        hold(&[
            (&[Bash, Zsh], "x=(a c); f() { local x=(${x[@]} b); R=${#x[@]}; }; f; X=${#x[@]}", ["3", "2"]),
            (&[Bash], "x=(a c); f() { local -a x=(${x[@]} b) y=(${x[@]}); R=${#x[@]}${#y[@]}; }; f", ["33", "none"]),
            (&[Zsh], "x=(a c); f() { local -a x=($x b) y=($x); R=$#x$#y; }; f", ["32", "none"]),
            (&[Ksh], "x=(a c); function f { typeset -a x=(${x[@]} b); R=${#x[@]}; }; f", ["1", "none"]),
        ]);
    }
}
