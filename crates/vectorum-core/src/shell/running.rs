//! Files, lines and commands, as they are run one after the other.

use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::arithmetic::{Failure, may_assign};
use super::branch;
use super::declare::declares;
use super::fits::GROUPS;
use super::frame::{Apart, Boundary};
use super::machine::{DEEPEST, MOST_NESTED, Machine, PARTED};
use super::misused::STRUCK;
use super::parameter::UNSET_IS_ERROR;
use super::setting::reads_what_is_set;
use super::state::{State, Status};
use super::streams::Written;
use super::sum::SUM_MAY_SET;
use super::syntax::*;
use super::tree::is_read_otherwise_as_sh;
use super::value::{Doubt, Val};
use super::words::GROUPS_UNASKED;
use crate::host_view;

impl Machine<'_> {
    /// Runs a file's commands in this shell.
    pub(super) fn run_file(&mut self, path: &[u8], kind: Boundary) {
        self.read.push(Bytes::copy_from_slice(path));
        if self.touched.is_touched(path) {
            return self.fog("a file is run that was written just before");
        }
        match self.content(path) {
            host_view::Content::Bytes(text) => {
                let source = match self.ground.shells {
                    Some(shells) => shells.source(Some(self.dialect), path, text),
                    None => Arc::new(Source::new(Bytes::copy_from_slice(path), text)),
                };
                self.run_source(&source, kind);
            }
            host_view::Content::Denied => self.fog("a file that is run may not be read"),
            host_view::Content::Missing => self.set_status(1),
        }
    }

    /// Runs a text's commands.
    pub(super) fn run_source(&mut self, source: &Arc<Source>, kind: Boundary) {
        if self.depth >= DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        self.depth += 1;
        let outer = std::mem::replace(&mut self.source, source.clone());
        let outer_at = self.at;
        self.enter(kind);
        if let Some(frame) = self.frames.last_mut() {
            frame.is_file = source.fixed.is_none();
        }
        // There it is of no account for a file whether its end is asked for (measured).
        let guarded = self.guarded;
        if source.fixed.is_none() && matches!(self.dialect, Dialect::Dash | Dialect::Mksh) {
            self.guarded = 0;
        }
        let tree = source.tree(self.dialect);
        if kind == Boundary::Startup {
            self.read_ahead(tree.lines(), None);
            if let Some(state) = &mut self.live {
                state.zero = None;
            }
        }
        // By the name `sh` these signs are two there (measured: 93u+m).
        let has_both = || memchr::memmem::find(&source.text, b"&>").is_some();
        if self.dialect == Dialect::Ksh && self.may_be_set("posix") && has_both() {
            self.fog("what is written with all errors");
        }
        if self.as_sh && is_read_otherwise_as_sh(&source.text) {
            self.fog("a text that is read otherwise as sh");
        }
        // The error of a file, or a text, is that of the file.
        let within_special = std::mem::take(&mut self.within_special);
        let trouble = tree.trouble();
        // What is run within something else begins with the status from before, if it does anything.
        if kind == Boundary::Startup || tree.lines().all(|l| l.items.is_empty()) {
            self.set_status(0);
        }
        // ksh runs nothing of a file that it cannot read to its end, zsh nothing of such a text.
        let reads_first = match self.dialect {
            Dialect::Ksh => kind != Boundary::Startup,
            Dialect::Zsh => kind == Boundary::Text && self.source.fixed.is_some(),
            _ => false,
        };
        let lines: Vec<_> = if reads_first && trouble.is_some() { Vec::new() } else { tree.asking().collect() };
        let epoch = self.epoch;
        for (index, (list, groups)) in lines.iter().copied().enumerate() {
            if self.live.is_none() {
                break;
            }
            if index == 0 || !reads_first {
                self.clock += 1;
                self.epoch = self.clock;
                self.note_charset();
            }
            self.before_line();
            if let Some(at) = groups.filter(|_| self.live.as_ref().is_some_and(|state| state.option(GROUPS) != Some(true))) {
                self.at = at;
                self.fog(GROUPS_UNASKED);
                break;
            }
            self.run_list(list);
            let given_up = self.frames.last_mut().and_then(|f| f.next.take());
            if self.live.is_none() && given_up.is_none() {
                let by = self.here();
                for (list, _) in lines.iter().skip(index + 1) {
                    self.note_list(list, "the file is left before", &by);
                }
            }
            if given_up.is_some() {
                let why = self.doubt(PARTED);
                self.live = branch::join(self.live.take(), given_up, &why);
            }
        }
        if let Some(trouble) = trouble.filter(|_| self.live.is_some()) {
            self.at = trouble.at;
            let by = self.here();
            if trouble.is_error {
                for list in tree.behind() {
                    self.note_list(list, "the file cannot be read on from a place above it", &by);
                }
            }
            self.broken(trouble, kind);
        }
        (self.guarded, self.within_special) = (guarded, within_special);
        self.end();
        self.epoch = epoch;
        self.source = outer;
        self.at = outer_at;
        self.depth -= 1;
    }

    /// Runs something that a line runs in its place: a file, or a function.
    pub(super) fn through(&mut self, run: impl FnOnce(&mut Self)) {
        let inner = self.around.through(self.here());
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Runs something whose changes are lost, but for its status and output.
    pub(super) fn subshell(&mut self, run: impl FnOnce(&mut Self)) {
        self.subshell_for(Apart::Taken, run);
    }

    /// The same for a subshell of some kind.
    pub(super) fn subshell_for(&mut self, apart: Apart, run: impl FnOnce(&mut Self)) {
        let Some(outer) = branch::fork(&mut self.live) else { return };
        self.quiet += 1;
        let is_for_child = std::mem::take(&mut self.is_for_child);
        let is_declaring = std::mem::take(&mut self.is_declaring);
        let has_trap = std::mem::take(&mut self.has_end_trap);
        let was_spared = self.is_spared;
        self.enter(Boundary::Shell);
        if let Some(frame) = self.frames.last_mut() {
            frame.apart = apart;
        }
        self.aside(run);
        self.end();
        (self.is_for_child, self.is_declaring, self.is_spared) = (is_for_child, is_declaring, was_spared);
        if std::mem::replace(&mut self.has_end_trap, has_trap) {
            let doubt = self.doubt("what runs at its end");
            self.print(Val::unknown(doubt.clone()));
            self.doubt_status(doubt);
        }
        self.quiet -= 1;
        // What was printed of options there may be run here.
        let kept_options = self.live.as_ref().map_or_else(|| outer.kept_options.clone(), |end| end.kept_options.clone());
        // Where it is not followed to its end anything may have been written.
        let lost = |output: &Written, doubt: &Arc<Doubt>| {
            let mut lost = output.clone();
            lost.doubt_all(doubt);
            lost
        };
        let doubt = self.doubt("it is not followed to its end");
        let (status, mut output, input) = match self.live.take() {
            // Anything may have been done there.
            Some(State { open: Some(_), .. }) if outer.open.is_none() => {
                (Status::Unknown(doubt.clone()), lost(&outer.output, &doubt), None)
            }
            Some(end) => (end.status, end.output, end.input),
            None => (Status::Unknown(doubt.clone()), lost(&outer.output, &doubt), None),
        };
        output.streams = outer.output.streams;
        output.spilled |= outer.output.spilled;
        // What was read there is not read once more.
        let input = outer.input.clone().filter(|at| input.as_ref() == Some(at));
        if outer.output.text.is_none() {
            output.text = None;
        } else if output.text.is_none() {
            output.text = Some(Val::unknown(doubt));
        }
        self.live = Some(State { status, output, input, kept_options, ..outer });
        // It does there what the shell is started for (measured: bash 5.2).
        if std::mem::take(&mut self.strays) {
            let doubt = self.doubt("a subshell goes on as if it were the shell");
            let goes_on = |m: &mut Self| {
                m.leave(1, &[Boundary::Start], false);
            };
            self.fork(&doubt, goes_on, |_| {});
        }
        if self.is_struck {
            self.is_struck = self.quiet > 0;
            self.exit_or_go_on(&self.doubt(STRUCK));
        }
        if self.exports_separators {
            // ksh's `set -a` reaches these beyond the subshell.
            self.doubt_export(b"IFS");
        }
    }

    pub(super) fn run_command(&mut self, command: &Command) {
        if self.is_spent() {
            return;
        }
        if self.nested >= MOST_NESTED {
            return self.fog("commands lie too deep in each other");
        }
        self.nested += 1;
        self.at = command.at;
        let outer = std::mem::replace(&mut self.outputs_before, self.outputs);
        if let Kind::Simple(_, words) = &command.kind
            && command.redirects.iter().any(|redirect| reads_what_is_set(&redirect.word.parts, words))
        {
            self.fog("a name is set in the words of a command, and may be read by what it opens");
        }
        // What stands before it stays set where all is given up by what it opens.
        if let Kind::Simple(assignments, words) = &command.kind
            && !(assignments.is_empty() || words.is_empty())
            && self.frames.iter().any(|frame| frame.kind == Boundary::Start)
            && command.redirects.iter().any(|redirect| self.may_be_an_error(&redirect.word.parts))
        {
            self.fog("what stands before a command that may be given up");
        }
        self.show_run();
        let redirected = usize::from(!command.redirects.is_empty());
        self.redirected += redirected;
        let (opened, streams) = self.redirected(command);
        if opened != Ok(true) {
            self.complain_of_opening(command, &streams);
        }
        match opened {
            _ if self.has_bare_dash(command) => self.fog("a dash before a command"),
            _ if self.only_modifies(command) => self.fail_hard(),
            Ok(true) => self.run_kind(command, streams),
            Ok(false) => {
                self.expand_all_the_same(command);
                self.assign_all_the_same(command);
                self.set_status(if self.dialect == Dialect::Dash { 2 } else { 1 });
                self.cannot_redirect(command);
            }
            Err(doubt) => {
                let status = doubt.clone();
                let otherwise = |m: &mut Self| {
                    m.expand_all_the_same(command);
                    m.assign_all_the_same(command);
                    m.doubt_status(status);
                    m.cannot_redirect(command);
                };
                self.fork(&doubt, |m| m.run_kind(command, streams), otherwise);
            }
        }
        self.outputs_before = outer;
        self.nested -= 1;
        let stays = matches!(&command.kind, Kind::Simple(_, words) if words.iter().any(|w| w.literal() == Some(b"exec")));
        if !stays {
            self.redirected -= redirected;
        }
    }

    /// The words of a command are expanded before what it reads and writes is opened, which may set names, and fail (measured:
    /// all; in zsh not always).
    fn expand_all_the_same(&mut self, command: &Command) {
        let Kind::Simple(assignments, words) = &command.kind else { return };
        // Items of lists are, too, there (measured: R59).
        let lists = assignments.iter().filter(|assignment| matches!(assignment.value, Assigned::Array(_)));
        let mut items = lists.flat_map(|assignment| assignment.value.words());
        if self.dialect == Dialect::Mksh && items.any(|word| self.may_be_an_error(&word.parts)) {
            self.fail_or_go_on(&self.doubt("words of what is not run"));
        }
        if words.is_empty() {
            return;
        }
        let doubt = self.doubt("words of what is not run");
        if self.dialect == Dialect::Zsh {
            return self.fork(&doubt, |m| drop(m.fields(words)), |_| {});
        }
        let is_surely_there =
            |word: &Word| word.parts.iter().any(|part| matches!(part, Part::Text(_) | Part::Quoted(_) | Part::Double(_)));
        let may_be_alone = !words.iter().any(is_surely_there) && matches!(self.dialect, Dialect::Bash | Dialect::Ksh);
        if may_be_alone {
            assignments.iter().for_each(|assignment| self.doubt_from_here(&assignment.name));
        }
        for word in words {
            match word.assignment.as_ref().map(|assignment| &assignment.value) {
                Some(Assigned::Array(words)) => self.doubt_items(words, &doubt),
                _ => drop(self.fields(std::slice::from_ref(word))),
            }
        }
        // What stands before it is expanded in bash, and set before a function in ksh.
        let is_function = words.first().and_then(Word::literal).is_some_and(|name| self.is_function(name));
        if self.dialect == Dialect::Bash || self.dialect == Dialect::Ksh && is_function {
            for assignment in assignments {
                self.doubt_items(assignment.value.words(), &doubt);
                if self.dialect == Dialect::Ksh {
                    self.doubt_from_here(&assignment.name);
                }
            }
        }
    }

    pub(super) fn run_bare(&mut self, command: &Command) {
        match &command.kind {
            Kind::Simple(assignments, words) => {
                self.run_simple(assignments, words, command);
                let declares = |word: &Word| word.literal().is_some_and(|name| declares(name, self.dialect));
                if self.status() != Status::Known(0) && words.iter().any(declares) {
                    self.complain();
                }
            }
            Kind::Group(list) => self.run_list(list),
            Kind::Always(list, always) => self.run_always(list, always),
            Kind::Subshell(list) => {
                self.subshell_for(Apart::Enclosed, |m| m.run_list(list));
                self.check_failure();
            }
            Kind::If(arms, otherwise) => self.run_if(arms, otherwise.as_ref()),
            Kind::For(names, words, body) => self.run_for(names, words.as_deref(), body),
            Kind::Count(parts, body) => self.run_count(parts, body),
            Kind::Repeat(..) if self.as_sh => self.fog("a loop that zsh may not take as sh"),
            Kind::Repeat(count, body) => self.run_repeat(count, body),
            Kind::While(until, condition, body) => self.run_while(*until, condition, body),
            Kind::Case(word, arms) => self.run_case(word, arms),
            Kind::Function(name, body, by_word) => self.define(name, body, *by_word),
            Kind::Named(word, body, by_word) => match self.one_text(&word.parts) {
                Val::Known(name) => self.define(&name, body, *by_word),
                Val::Unknown(_) if self.define_unknown_name(&word.parts) => self.set_status(0),
                Val::Unknown(_) => self.fog("a function whose name is not known"),
            },
            Kind::Test(test) => {
                let answer = self.test(test);
                let holds = answer.as_ref().is_ok_and(|holds| *holds);
                // A part of it that is not the last may fail there (measured: 93u+m).
                let is_spared = self.dialect == Dialect::Ksh && matches!(**test, Test::And(..)) && !holds;
                self.set_maybe(answer);
                if is_spared && self.guarded == 0 && self.may_be_set("errexit") {
                    return self.exit_or_go_on(&self.doubt("a part of a condition that fails"));
                }
                self.check_failure();
            }
            // What is wrong in its words, or not set, is an error of this alone there (measured: 5.9).
            Kind::Arithmetic(parts) if self.dialect == Dialect::Zsh && self.may_be_an_error(parts) => {
                let doubt = self.doubt(match self.refuses_unset() {
                    true => UNSET_IS_ERROR,
                    false => "a sum that may be wrong",
                });
                self.doubt_what_is_set(parts, &doubt);
                if parts.iter().any(|part| matches!(part, Part::Text(text) | Part::Quoted(text) if may_assign(text))) {
                    self.fog(SUM_MAY_SET);
                }
                self.doubt_status(doubt);
                self.check_failure();
            }
            Kind::Arithmetic(parts) => {
                let outer = std::mem::replace(&mut self.is_sum, self.dialect == Dialect::Zsh);
                let summed = self.sum(parts);
                self.is_sum = outer;
                let is_wrong = matches!(summed.failure, Failure::Yes);
                let answer = self.is_sum_true(summed, false);
                self.set_maybe(answer);
                // Measured: zsh 5.9, mksh R59.
                if is_wrong && matches!(self.dialect, Dialect::Zsh | Dialect::Mksh) {
                    self.set_status(2);
                }
                // There it is no failure that something comes to nothing (measured: 93u+m).
                if self.dialect != Dialect::Ksh {
                    self.check_failure();
                }
            }
            Kind::Unfollowed(why) => self.fog(why),
        }
    }

    /// With `set -e` a command that fails ends the shell.
    pub(super) fn check_failure(&mut self) {
        if self.guarded > 0 || !self.may_be_set("errexit") {
            return;
        }
        // What ends with something that is turned round goes on there, a function as well (measured: 5.9).
        if self.dialect == Dialect::Zsh && self.was_turned {
            return;
        }
        // Where somebody types these go on all the same, and so does what they read at the start (measured: 93u+m, 5.9).
        let is_typed = self.is_typed();
        if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && (is_typed || self.reads_startup()) {
            return;
        }
        let is_on = self.live.as_ref().and_then(|s| s.option("errexit"));
        match (self.succeeded(), is_on) {
            (Ok(true), _) => {}
            (Ok(false), Some(true)) if !self.is_spared => self.exit(),
            (Ok(false) | Err(_), _) => {
                let doubt = self.doubt("a command that fails ends the shell");
                self.fork(&doubt, |m| m.exit(), |_| {});
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn commands_run_one_behind_the_other_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e; R=1; false || R=2; X=3", ["2", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e; R=1; if false; then :; fi; X=$R", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e; R=1; ! true; X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { false; R=in; }; if f; then X=$R; fi", ["in", "in"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e; f() { false; R=in; }; f || X=no; X=$R", ["in", "in"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(R=1; X=2); R=${R-none}; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "{ R=1; false; }; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(exit 4); R=$?; (exit 4) || X=$?", ["4", "4"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true; R=$?; false; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a; R=$R$R X=$R; X=$X", ["aa", "aa"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1 true; X=${R-none}", ["none", "none"]),
            (&[Bash, Zsh], "R=1; R=2 :; X=$R", ["1", "1"]),
            (&[Dash, Ksh, Mksh], "R=1; R=2 :; X=$R", ["2", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "! false; R=$?; ! { false; true; }; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], ": && R=1 || R=2; false && X=1 || X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=1; X=2'; eval \"R=\\$X\"", ["2", "2"]),
            // Words are expanded before what a command reads is opened.
            (&[Bash, Dash, Ksh, Mksh], "true ${R:=w} </none; X=a", ["w", "a"]),
            (&[Bash], "eval 'R=$(echo a'; X=$?", ["none", "2"]),
            (&[Ksh], "eval 'R=$(echo a'; X=$?", ["none", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval; R=$?; eval false; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { return 3; R=in; }; f; R=$?; X=$R", ["3", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=$#; X=$1; }; f 'a b' c", ["2", "a b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { set -- x; R=$1; }; set -- a; f b; X=$1", ["x", "a"]),
            // Behind a command of several zsh 5.9 may go on.
            (&[Bash, Dash, Ksh, Mksh], "R=1; (set -e; { true; } && false; exit 0); R=$?", ["1", "none"]),
            (&[Zsh], "R=1; (set -e; { true; } && false; exit 0); R=$?", ["<a number>", "none"]),
            (&[Zsh], "R=1; (set -e; true && false; exit 0); R=$?", ["1", "none"]),
            (&[Zsh], "R=1; (set -e; { true; } && { false; }; exit 0); R=$?", ["1", "none"]),
        ]);
    }
}
