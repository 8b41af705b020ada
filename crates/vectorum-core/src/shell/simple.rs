//! Simple commands: assignments, and the command that their words name.

mod declaring;
mod unknown;

use std::borrow::Cow;
use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::declare::declares;
use super::declared::Declared;
use super::frame::Boundary;
use super::machine::Machine;
use super::nameref::Meant;
use super::one_of::ONE_OR_ANOTHER;
use super::scope::Scope;
use super::setting::{set_of, sets_something};
use super::state::{Function, Status};
use super::syntax::*;
use super::value::Val;

/// Whether a word may set a name where assignments stand.
fn begins_like_assignment(word: &Word) -> bool {
    word.assignment.is_some() || word.parts.first().is_some_and(|part| matches!(part, Part::Text(text) if text.contains(&b'=')))
}

impl Machine<'_> {
    pub(super) fn run_simple(&mut self, assignments: &[Assignment], words: &[Word], command: &Command) {
        let outputs = self.outputs;
        if self.is_replaced(words) {
            return self.fog("a word that zsh replaces");
        }
        if self.run_alias(words, command) {
            return;
        }
        // It takes what it is told for assignments, which do not come apart.
        if self.dialect == Dialect::Dash
            && words.first().and_then(Word::literal) == Some(b"alias")
            && !words
                .iter()
                .all(|word| word.parts.iter().all(|part| matches!(part, Part::Text(_) | Part::Quoted(_) | Part::Double(_))))
        {
            return self.fog("a text that a word stands for is not known");
        }
        if assignments.is_empty() && self.run_modified(words, command) {
            return;
        }
        // `command` before it changes nothing of that, but in zsh, where it runs programs only.
        let prefix = words.iter().take_while(|w| w.literal() == Some(b"command") && self.dialect != Dialect::Zsh).count();
        let own = words.get(prefix..).unwrap_or_default();
        // To zsh these are words of the language where nothing of them is quoted, and to mksh some stand for others.
        let is_bare = |word: &Word| matches!(&word.parts[..], [Part::Text(_)]);
        let is_alias = matches!(own.first().and_then(Word::literal), Some(b"local" | b"integer"));
        let is_reserved = self.dialect == Dialect::Zsh || self.dialect == Dialect::Mksh && is_alias;
        let is_reserved = is_reserved && own.first().is_some_and(is_bare);
        let is_declaration = own
            .first()
            .and_then(Word::literal)
            .is_some_and(|w| declares(w, self.dialect) && (prefix > 0 || is_reserved || !self.is_function(w)));
        let before = self.at;
        if let [name, file] = words
            && assignments.is_empty()
            && matches!(name.literal(), Some(b"." | b"source"))
            && let [Part::Channel(commands)] = &file.parts[..]
            && !name.literal().is_some_and(|name| self.is_function(name))
        {
            self.source_output(commands);
            return self.check_failure();
        }
        if is_declaration && self.run_declaration(assignments, own, prefix) {
            return;
        }
        // As sh it runs a program, or one of the shell's own by which an error gives up more (measured: 5.9).
        let may_fail = |assignment: &Assignment| {
            self.is_readonly(&assignment.name) || assignment.value.words().iter().any(|word| self.may_be_an_error(&word.parts))
        };
        let is_behind = words.first().and_then(Word::literal) == Some(b"command");
        if self.as_sh && is_behind && assignments.iter().any(may_fail) {
            return self.fail_perhaps("an error in what stands before a command");
        }
        if self.dialect == Dialect::Zsh && !assignments.is_empty() && words.iter().any(may_name_files) {
            self.set_before_failing(assignments, words);
        }
        // What its own name is to become is looked up before.
        let name = words.first().filter(|word| !has_sign(word, b"*?[(")).and_then(Word::literal);
        // Which program `command` runs is worked out before there is a child (measured: zsh 5.9).
        let runs_found = name == Some(b"command") && words.iter().skip(1).find(|w| !is_option(w)).is_some_and(may_name_files);
        if self.dialect == Dialect::Zsh && runs_found && words.iter().filter(|word| may_name_files(word)).count() > 1 {
            return self.fail_perhaps("a program whose name is a pattern");
        }
        let runs_program = self.dialect == Dialect::Zsh && !runs_found && name.is_some_and(|name| self.is_program(name));
        let outer = std::mem::replace(&mut self.is_for_child, runs_program);
        let fields = self.fields(words);
        self.is_for_child = outer;
        let fields = match fields {
            Ok(fields) => fields,
            Err(_) if std::mem::take(&mut self.child_failed) => {
                self.print(Val::of(b""));
                self.set_status(1);
                return self.check_failure();
            }
            Err(doubt) => {
                let function = words.first().and_then(Word::literal).and_then(|name| self.function(name));
                if let Some(function) = function.filter(|_| assignments.is_empty()) {
                    self.with_zero(None, |m| m.call(&function, Err(doubt)));
                    return self.check_failure();
                }
                self.prefix_in_vain(assignments, words, &doubt);
                self.run_unknown(words, &doubt);
                return self.check_failure();
            }
        };
        let Some((name, arguments)) = fields.split_first() else {
            for assignment in assignments {
                self.at = assignment.at;
                let done = self.apply(assignment, None);
                self.at = before;
                if !done {
                    return self.fail_refused();
                }
                if self.live.is_none() {
                    return;
                }
            }
            self.at = before;
            // Only a command whose output is used leaves another status (POSIX, Shell Command Language, 2.9.1).
            let status = match self.outputs == outputs {
                true => Status::Known(0),
                // With a redirection it is not always that there.
                false if self.dialect == Dialect::Zsh && !command.redirects.is_empty() => {
                    Status::Unknown(self.doubt("which command counts for the status"))
                }
                // A list is set by a command of its own there.
                false if self.dialect == Dialect::Mksh && assignments.iter().any(|a| matches!(a.value, Assigned::Array(_))) => {
                    Status::Known(0)
                }
                // A list behind it counts, or not.
                false if self.dialect == Dialect::Ksh && assignments.iter().any(|a| matches!(a.value, Assigned::Array(_))) => {
                    Status::Unknown(self.doubt("which command counts for the status"))
                }
                false => self.output_status.clone(),
            };
            if let Some(state) = &mut self.live {
                state.status = status;
            }
            return self.check_failure();
        };
        let Val::Known(name) = name.clone() else {
            return self.fog("a command whose name is not known");
        };
        let names_list = match &name[..] {
            b"read" | b"mapfile" | b"readarray" => arguments.last(),
            b"set" => arguments.get(1),
            _ => None,
        };
        if names_list.is_some_and(|word| word.known().is_none()) && !self.is_function(&name) {
            self.mark_any(words);
        }
        // A program is a child that has these worked out itself there (measured: 5.9).
        let is_childs = self.dialect == Dialect::Zsh
            && self.is_program(&name)
            && assignments.iter().any(|assignment| self.may_do_more(assignment))
            && !matches!((self.find_program(&name), &self.until), (Ok(Some(path)), Some(until)) if path == *until);
        if is_childs {
            self.subshell(|m| m.run_behind(assignments, words, (&name, arguments), command, outputs));
        } else {
            self.run_behind(assignments, words, (&name, arguments), command, outputs);
        }
        self.check_failure();
    }

    /// Runs a command of zsh's behind a word that says how its words are taken. Returns whether there is one.
    fn run_modified(&mut self, words: &[Word], command: &Command) -> bool {
        let [first, rest @ ..] = words else { return false };
        let Some(modifier @ (b"noglob" | b"nocorrect" | b"-")) = first.literal() else { return false };
        if self.dialect != Dialect::Zsh || self.is_function(modifier) {
            return false;
        }
        if rest.is_empty() {
            self.set_status(0);
            return true;
        }
        let is_alias = |word: &[u8]| self.live.as_ref().is_some_and(|state| state.aliases.get(word).is_some());
        if rest.first().and_then(Word::literal).is_some_and(is_alias) {
            self.fog("a word that zsh replaces");
            return true;
        }
        if modifier == b"nocorrect" && rest.first().is_some_and(begins_like_assignment) {
            self.fog("a name that is set behind a modifier");
            return true;
        }
        let outer = self.live.as_ref().map(|state| state.options.get("noglob").copied());
        if modifier == b"noglob" {
            self.put_option("noglob", true);
        }
        self.run_simple(&[], rest, command);
        // A function that it runs sees it, too, and sets it back for itself only.
        if let (Some(state), Some(outer)) = (&mut self.live, outer) {
            match outer {
                Some(was) => drop(state.options.insert("noglob", was)),
                None => drop(state.options.remove("noglob")),
            }
        }
        true
    }

    /// Whether what stands before a command may set another name, or be refused.
    fn may_do_more(&self, assignment: &Assignment) -> bool {
        let is_list = matches!(assignment.value, Assigned::Array(_));
        let has_place = |word: &Word| matches!(word.parts.first(), Some(Part::Text(text)) if text.starts_with(b"["));
        let may = |word: &Word| sets_something(&word.parts) || self.may_be_an_error(&word.parts) || is_list && has_place(word);
        // A number is worked out.
        let vars = self.live.as_ref().map(|state| &state.vars);
        assignment.key.is_some()
            || vars.and_then(|vars| vars.get(&assignment.name)).is_some_and(|var| var.is_number || var.is_odd)
            || assignment.value.words().iter().any(may)
    }

    /// Runs a command by its name behind the variables that stand before it.
    fn run_behind(
        &mut self,
        assignments: &[Assignment],
        words: &[Word],
        (name, arguments): (&Bytes, &[Val]),
        command: &Command,
        outputs: usize,
    ) {
        let before = self.at;
        let becomes_nothing =
            self.dialect == Dialect::Zsh && *name == b"exec"[..] && arguments.is_empty() && command.redirects.is_empty();
        let stays = self.keeps_prefix(name) || becomes_nothing;
        let has_own = !stays && !assignments.is_empty();
        if has_own && let Some(state) = &mut self.live {
            let before = words.iter().take_while(|w| matches!(w.literal(), Some(b"command" | b"builtin"))).count();
            let declares = words.get(before).and_then(Word::literal).is_some_and(|word| declares(word, Dialect::Bash));
            let is_function = state.functions.get(name).is_some();
            let lends = self.dialect == Dialect::Bash && (is_function || declares);
            state.scopes.push(Scope { lends, lends_on: is_function, ..Scope::default() });
        }
        if has_own {
            self.enter(Boundary::Command);
        }
        // What stands before a function of that kind may stay.
        let by_name =
            self.live.as_ref().and_then(|s| s.functions.get(name)).is_some_and(|f| f.as_ref().is_none_or(|f| !f.by_word));
        // There an error of what stands before a program ends only that.
        let gives_up_less = has_own && self.dialect == Dialect::Ksh && !self.is_function(name);
        let called = name.clone();
        let mut is_given_up = false;
        // What becomes of an item before what is no program is not followed.
        const ITEM: &str = "an item before a command";
        let follows_items = self.dialect == Dialect::Bash || self.dialect == Dialect::Zsh && self.is_program(name);
        let has_unfollowed = !follows_items && assignments.iter().any(|assignment| assignment.key.is_some());
        if has_unfollowed {
            self.fail_perhaps(ITEM);
        }
        // Where functions are looked for changes for this one command alone.
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && assignments.iter().any(|a| a.name == b"FPATH"[..]) {
            self.fail_perhaps(ONE_OR_ANOTHER);
        }
        for assignment in assignments {
            if !follows_items && assignment.key.is_some() {
                self.doubt_declared(std::iter::once(Declared::Assignment(Arc::new(assignment.clone()), None)));
                continue;
            }
            // What is an item or is held fast is told of there, and nothing comes of it; a list is a text (measured: bash 5.2).
            let as_text;
            let assignment = match (self.dialect, &assignment.value) {
                (Dialect::Bash, _) if assignment.key.is_some() || self.is_readonly(&assignment.name) => {
                    self.complain();
                    continue;
                }
                (Dialect::Bash, Assigned::Array(words)) => {
                    drop(self.fields(words));
                    let word = Word::new(Parts::from_iter([Part::Unfollowed("a list before a command")]), 0, 0);
                    as_text = Assignment { value: Assigned::Word(word), ..assignment.clone() };
                    &as_text
                }
                _ => assignment,
            };
            if let Some(frame) = self.frames.last_mut() {
                frame.is_before = gives_up_less;
            }
            self.at = assignment.at;
            let name = self.tied(&assignment.name).unwrap_or_else(|| assignment.name.clone());
            let old = self.live.as_ref().and_then(|s| s.vars.get(&name).map(Cow::into_owned));
            // A list or a table becomes a text for it, and may stay one.
            if self.dialect == Dialect::Zsh && matches!(self.content_of(&name), Content::Array(_) | Content::Table(_)) {
                if self.table(&name).is_some() && matches!(assignment.value, Assigned::Array(_)) {
                    self.fail_or_go_on(&self.doubt("a table by words"));
                }
                self.doubt_from_here(&name);
            }
            // What it becomes is handed it.
            let becomes = self.dialect == Dialect::Ksh && called == b"exec"[..] && !arguments.is_empty();
            let exported = if stays && !becomes && !self.is_function(&called) { None } else { Some(true) };
            self.quiet += usize::from(!stays);
            let done = self.apply(assignment, exported);
            self.quiet -= usize::from(!stays);
            if self.is_arguments(&name) {
                self.doubt_from_here(&name);
                self.fog("the positional parameters are set before a command");
            }
            if self.meant(&name) != Meant::Itself {
                self.give_up_reference(&name);
            }
            if !done {
                match self.dialect {
                    Dialect::Bash => continue,
                    Dialect::Ksh if matches!(assignment.value, Assigned::Array(_)) => {
                        self.fail_perhaps("a name that is held fast stands before a command");
                    }
                    // Before some commands it ends nothing there.
                    Dialect::Ksh if gives_up_less => self.fail_hard(),
                    Dialect::Ksh => self.fail_perhaps("a name that is held fast stands before a command"),
                    // So it is there before a program.
                    Dialect::Zsh if self.is_program(&called) => {
                        self.doubt_status(self.doubt("a name that is held fast stands before a command"));
                        is_given_up = true;
                    }
                    _ => {
                        self.fail_refused();
                        is_given_up = true;
                    }
                }
                break;
            }
            // What it was before the first of those that set it comes back.
            if has_own
                && let Some(scope) = self.live.as_mut().and_then(|s| s.scopes.last_mut())
                && scope.vars.get(&name).is_none()
            {
                scope.vars.insert(name, old);
            }
        }
        if let Some(frame) = self.frames.last_mut() {
            frame.is_before = false;
        }
        self.at = before;
        // Where it leaves a file that is read at the start, and nobody types, they stay for what comes behind it (measured: 5.2).
        let leaves = self.dialect == Dialect::Bash && name[..] == *b"return" && !self.is_interactive && self.reads_startup();
        if let Some(scope) = self.live.as_mut().and_then(|state| state.scopes.last_mut()).filter(|_| leaves && has_own) {
            scope.kept.extend(assignments.iter().map(|assignment| (assignment.name.clone(), false)));
        }
        if self.live.is_some() && !is_given_up {
            if self.outputs != outputs && self.is_function(name) {
                self.doubt_status(self.doubt("which command counts for the status"));
            }
            if has_unfollowed {
                let doubt = self.doubt(ITEM);
                self.doubt_status(doubt.clone());
                self.fork(&doubt, |m| m.run_named(name, arguments, false, command), |_| {});
            } else {
                self.run_named(name, arguments, false, command);
            }
        }
        // It may be a special one that runs, before which it stays.
        if has_own && self.dialect == Dialect::Mksh && called == b"builtin"[..] {
            assignments.iter().for_each(|assignment| self.doubt_from_here(&assignment.name));
        }
        if has_own && self.dialect == Dialect::Bash {
            self.doubt_what_stood_before(name, assignments, arguments);
        }
        if has_own {
            self.end_scope();
            // What is set within their values may be what they hide, and then stays so.
            let names: Vec<Bytes> = assignments.iter().map(|assignment| assignment.name.clone()).collect();
            let words = assignments.iter().flat_map(|assignment| assignment.value.words());
            for name in words.flat_map(|word| set_of(&word.parts, &names)) {
                self.doubt_from_here(&name);
            }
            self.end();
        }
        if has_own && by_name && self.dialect == Dialect::Ksh {
            for assignment in assignments {
                let doubt = self.doubt("a variable before a function");
                self.assign(&assignment.name, Content::Perhaps(Val::unknown(doubt)), None);
                self.doubt_export(&assignment.name);
            }
        }
    }

    /// Whether what stands before a command stays set: in POSIX shells it does before a special one, in zsh as such a shell
    /// before a function, too (measured: 5.9).
    fn keeps_prefix(&self, name: &[u8]) -> bool {
        let is_posix = matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh) || self.as_sh;
        let declares = match self.dialect {
            Dialect::Dash => name == b"local",
            Dialect::Mksh => name == b"source" || declares(name, Dialect::Mksh),
            Dialect::Zsh => !self.as_sh && matches!(name, b"alias" | b"hash"),
            _ => false,
        };
        is_posix && self.is_special_command(name) || self.as_sh && self.is_function(name) || declares && !self.is_function(name)
    }

    /// What these set that stands before them is set besides, too, and what they declare may stay (measured: bash 5.2).
    fn doubt_what_stood_before(&mut self, command: &[u8], assignments: &[Assignment], arguments: &[Val]) {
        let tells = |text: &[u8]| arguments.iter().any(|a| a.known().is_none_or(|a| memchr::memmem::find(a, text).is_some()));
        // As POSIX has it all of them stay, and the command may have asked for that.
        let is_posix = self.may_be_set("posix");
        if is_posix
            && self.is_special_command(command)
            && let Some(scope) = self.live.as_mut().and_then(|state| state.scopes.last_mut())
        {
            scope.kept.extend(assignments.iter().map(|assignment| (assignment.name.clone(), false)));
        }
        let counts = match command {
            b"printf" | b"let" | b"getopts" => true,
            b"eval" => [&b"typeset"[..], b"declare", b"readonly"].iter().any(|word| tells(word)),
            // It is put behind nothing.
            name if declares(name, Dialect::Bash) => tells(b"+="),
            _ => false,
        };
        let Some(scope) = self.live.as_mut().and_then(|state| state.scopes.last_mut()).filter(|_| counts) else { return };
        for assignment in assignments.iter().filter(|assignment| tells(&assignment.name)) {
            scope.kept.insert(assignment.name.clone(), false);
        }
    }

    /// What stands before a command stays set in zsh where a pattern of its words names no file (measured: 5.9).
    fn set_before_failing(&mut self, assignments: &[Assignment], words: &[Word]) {
        let doubt = self.doubt("a pattern of file names");
        let fail = |m: &mut Self| {
            for assignment in assignments {
                m.apply(assignment, Some(true));
            }
            drop(m.fields(words));
            // Only what was given up counts.
            m.live = None;
        };
        self.fork(&doubt, fail, |_| {});
    }

    /// The function that a name stands for, if it is certain which.
    fn function(&self, name: &[u8]) -> Option<Function> {
        if self.comes_before_functions(name) {
            return None;
        }
        self.live.as_ref()?.functions.get(name).cloned().flatten()
    }

    /// Whether a name is certainly none of a command that the shell runs itself; in zsh `command` runs
    /// programs only.
    pub(super) fn is_program(&self, name: &[u8]) -> bool {
        let function = self.live.as_ref().and_then(|s| s.functions.get(name));
        function.is_none() && (name == b"command" || !self.is_own(name) && !declares(name, self.dialect))
    }
}

/// Whether a word has any of some signs without quotes.
fn has_sign(word: &Word, signs: &[u8]) -> bool {
    word.parts.iter().any(|part| matches!(part, Part::Text(text) if text.iter().any(|byte| signs.contains(byte))))
}

/// Whether a word begins as options do.
fn is_option(word: &&Word) -> bool {
    word.literal().is_some_and(|text| text.starts_with(b"-"))
}

/// Whether a word has signs without quotes for which files may be looked up.
fn may_name_files(word: &Word) -> bool {
    has_sign(word, b"*?[<#^~")
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_stands_before_a_command_is_its_own() {
        hold(&[
            // A program is a child that has it worked out itself, and fails alone.
            (&[Zsh], "A=${X:=3} /none; R=$?; X=${X-none}", ["127", "none"]),
            (&[Zsh], "A=${X:?} /none; R=$?; X=on", ["1", "on"]),
            (&[Bash, Dash, Ksh, Mksh], "A=${R:=3} /none; X=on", ["3", "on"]),
            // What is held fast is not worked out.
            (&[Bash], "readonly Q=1; Q=${R:=w} true; X=$?", ["none", "0"]),
            // An item is none of what a command gets, and its words are not looked at.
            (&[Bash], "l=(1); l[1]=${R:=w} true; X=${l[*]}", ["none", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; X=2 true; R=$X", ["1", "1"]),
            (&[Bash, Zsh], "X=1; X=2 eval 'R=$X'", ["2", "1"]),
            (&[Dash, Ksh, Mksh], "X=1; X=2 eval 'R=$X'", ["2", "2"]),
            (&[Bash, Zsh], "X=1; X=2 :; R=$X", ["1", "1"]),
            (&[Dash, Ksh, Mksh], "X=1; X=2 :; R=$X", ["2", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1 R=$X", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a; R=b X=$R", ["b", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=$(exit 3); R=$?", ["3", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(true) X=$(false); R=$?", ["1", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "X=a; X+=b; R=$X", ["ab", "ab"]),
        ]);
    }
}
