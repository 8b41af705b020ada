//! What is left before its end, and what errors end in each shell.

use std::sync::Arc;

use bytes::Bytes;

use super::branch::{self, Left};
use super::content::Var;
use super::control::END_TRAP;
use super::frame::{Apart, Boundary, Frame};
use super::machine::{Machine, PARTED};
use super::restless::LEAVES;
use super::state::{State, Status};
use super::syntax::*;
use super::value::Doubt;
use super::words::OPEN_PARENTHESIS;

/// Whether an error ended a block, in zsh (zshparam(1)).
const TRIED_IN_VAIN: &[u8] = b"TRY_BLOCK_ERROR";

impl Machine<'_> {
    /// Something that ends the command, the file or the shell, or goes on in a way that is not followed.
    pub(super) fn fail_perhaps(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        self.fork(&doubt, Self::fail_hard, |m| m.fog(why));
    }

    /// An error as any other, or none, and then nothing comes of it.
    pub(super) fn fail_or_go_on(&mut self, doubt: &Arc<Doubt>) {
        self.fork(doubt, Self::fail_hard, |_| {});
    }

    /// The end of the shell by an error, or nothing comes of it.
    pub(super) fn exit_or_go_on(&mut self, doubt: &Arc<Doubt>) {
        let end = |m: &mut Self| {
            m.doubt_status(doubt.clone());
            m.exit();
        };
        self.fork(doubt, end, |_| {});
    }

    /// An error that ends the shell where nobody types, and otherwise ends something in a way of its own.
    pub(super) fn fail_unless_typed(&mut self, why: &'static str) {
        match self.dialect {
            // There it is the same at a terminal.
            Dialect::Mksh if self.tame == 0 => self.fail_hard(),
            Dialect::Bash if self.is_typed() && self.tame == 0 => self.fail_hard(),
            _ if self.is_typed() || self.tame > 0 => self.fail_perhaps(why),
            // Other errors of expansion give up a line only. Of what is read at the start all is given up, and the shell
            // goes on (measured: 5.2).
            Dialect::Bash => {
                self.complain();
                self.set_status(1);
                self.end_if_strict();
                if !self.leave(1, &[Boundary::Start], false) {
                    self.stray(false);
                    self.exit();
                }
            }
            _ => self.fail_hard(),
        }
    }

    /// The same within a sum, by which bash gives up all that it reads at the start where somebody types (measured: 5.2).
    pub(super) fn fail_in_sum(&mut self, why: &'static str) {
        if self.dialect == Dialect::Bash && self.is_interactive && self.tame == 0 {
            return self.fail_to_top();
        }
        self.fail_unless_typed(why);
    }

    /// Whether somebody types, and it is the shell itself that runs, and no subshell.
    pub(super) fn is_typed(&self) -> bool {
        self.is_interactive && !self.frames.iter().skip(1).any(|frame| frame.kind == Boundary::Shell)
    }

    /// Whether what runs is sure to be at the terminal at which somebody types.
    pub(super) fn has_terminal(&self) -> bool {
        self.is_typed() && self.redirected == 0
    }

    /// Whether a file is read by which the shell starts, and not the script that it runs.
    pub(super) fn reads_startup(&self) -> bool {
        self.until.is_none() && self.frames.iter().any(|frame| frame.kind == Boundary::Startup)
    }

    pub(super) fn enter(&mut self, kind: Boundary) {
        self.frames.push(Frame::new(kind));
    }

    /// Ends what was entered last, and goes on in all states in which it was left.
    pub(super) fn end(&mut self) {
        let Some(mut frame) = self.frames.pop() else { return };
        let why = self.doubt(PARTED);
        let left = branch::join(frame.leave.take(), frame.next.take(), &why);
        self.live = branch::join(self.live.take(), left, &why);
    }

    /// Leaves the nearest of some kind, or goes on with its next part. Returns whether there is one.
    pub(super) fn leave(&mut self, count: usize, kinds: &[Boundary], to_next: bool) -> bool {
        let within = self.frames.iter().rposition(|f| f.kind == Boundary::Shell).unwrap_or_default();
        let found = self.frames.iter().enumerate().skip(within).rev().filter(|(_, f)| kinds.contains(&f.kind));
        let found = found.map(|(index, _)| index).nth(count.saturating_sub(1));
        if let Some(index) = found {
            self.leave_at(index, to_next);
        }
        found.is_some()
    }

    /// `break` and `continue`: of so many loops, or of all that there are.
    pub(super) fn leave_loops(&mut self, known: Option<&[Bytes]>, to_next: bool) {
        let count = match known {
            Some([]) => Some(1),
            Some([count]) => std::str::from_utf8(count).ok().and_then(|n| n.parse::<usize>().ok()).filter(|n| *n > 0),
            _ => None,
        };
        // Those around a file that is taken in are none of its own in these (measured: 5.9, R59).
        let is_file = |f: &Frame| f.kind == Boundary::Text && f.is_file;
        let last = self.frames.iter().rposition(|f| f.kind == Boundary::Loop || is_file(f));
        if self.dialect == Dialect::Zsh && last.and_then(|at| self.frames.get(at)).is_some_and(|f| f.kind == Boundary::Text) {
            let is_other =
                |words: &[Bytes]| words.len() > 1 || words.iter().any(|word| word.is_empty() || word.starts_with(b"-"));
            return if known.is_none_or(is_other) { self.misused() } else { self.fail_special() };
        }
        // In zsh those count that a function is called in, too.
        let is_outer = |f: &Frame| match f.kind {
            Boundary::Shell => true,
            Boundary::Function => self.dialect != Dialect::Zsh,
            _ => matches!(self.dialect, Dialect::Zsh | Dialect::Mksh) && is_file(f),
        };
        let within = self.frames.iter().rposition(is_outer).unwrap_or_default();
        let is_loop = |(_, f): &(usize, &Frame)| f.kind == Boundary::Loop;
        let loops: Vec<usize> =
            self.frames.iter().enumerate().skip(within).rev().filter(is_loop).map(|(index, _)| index).collect();
        self.set_status(0);
        match count {
            Some(count) => match loops.get(count - 1).or(loops.last()) {
                Some(index) => self.leave_at(*index, to_next),
                None => self.leave_no_loop(within),
            },
            None => {
                let doubt = self.doubt("how many loops are left is not known");
                match self.dialect {
                    _ if known.is_some() => self.misused_badly(),
                    Dialect::Dash => self.misused(),
                    // It may be no number, which is an error.
                    _ => self.fork(&doubt, Self::misused_badly, |_| {}),
                }
                for index in loops {
                    self.fork(&doubt, |m| m.leave_at(index, to_next), |_| {});
                }
                // Or it ends what runs within one.
                self.fork(&doubt, |m| m.leave_no_loop(within), |_| {});
            }
        }
    }

    /// `break` where no loop is: that of a shell around a subshell counts for some.
    fn leave_no_loop(&mut self, within: usize) {
        self.complain();
        let is_in_loop = self.frames.iter().take(within).any(|f| f.kind == Boundary::Loop);
        let is_subshell = self.frames.get(within).is_some_and(|f| f.kind == Boundary::Shell);
        match self.dialect {
            Dialect::Bash | Dialect::Dash | Dialect::Ksh | Dialect::Zsh if is_in_loop && is_subshell => {
                let doubt = self.doubt("whether a loop around a subshell is left");
                self.exit_or_go_on(&doubt);
            }
            Dialect::Zsh if !is_in_loop => self.misused(),
            _ => {}
        }
    }

    pub(super) fn leave_at(&mut self, index: usize, to_next: bool) {
        let mut state = self.live.take();
        let within = self.frames.iter().rposition(|f| f.kind == Boundary::Tried).filter(|tried| *tried > index);
        // What it hid is put back on each way on its own.
        let is_scope = |f: &&Frame| matches!(f.kind, Boundary::Function | Boundary::Command);
        let kinds = self.frames.iter().skip(within.unwrap_or(index)).filter(is_scope).map(|frame| frame.kind);
        let kinds: Vec<Boundary> = kinds.collect();
        let gives_up = self.dialect == Dialect::Bash
            && self.frames.get(index).is_some_and(|frame| matches!(frame.kind, Boundary::Start | Boundary::Startup));
        if let Some(state) = &mut state {
            for kind in kinds.into_iter().rev() {
                match kind {
                    Boundary::Command if gives_up => self.close_given_up(state),
                    _ => self.close_scope(state),
                }
            }
        }
        let why = self.doubt(PARTED);
        let Some(frame) = self.frames.get_mut(within.unwrap_or(index)) else { return };
        if within.is_none() {
            let slot = if to_next { &mut frame.next } else { &mut frame.leave };
            return slot.add(state, &why);
        }
        match frame.beyond.iter_mut().find(|(other, next, _)| (*other, *next) == (index, to_next)) {
            Some((.., left)) => left.add(state, &why),
            None => {
                let mut left = Left::default();
                left.add(state, &why);
                frame.beyond.push((index, to_next, left));
            }
        }
    }

    /// Puts back what stands before a command that is given up with all that is read at the start: it stays set until another
    /// is run (measured: bash 5.2).
    fn close_given_up(&mut self, state: &mut State) {
        let scope = state.scopes.last();
        let before: Vec<Bytes> = scope.iter().flat_map(|scope| scope.vars.iter()).map(|(name, _)| name.clone()).collect();
        self.close_scope(state);
        let doubt = self.doubt("whether what stands before a command that is given up stays set");
        before.into_iter().for_each(|name| state.vars.insert(name, Var::unknown(&doubt)));
    }

    /// `{ … } always { … }`: the second is done however the first is left, and changes nothing of its status.
    pub(super) fn run_always(&mut self, list: &List, always: &List) {
        let beyond = self.tried(list);
        self.aside(|m| m.run_after(always, None));
        let mut after = self.live.take();
        for (index, to_next, mut left) in beyond {
            self.live = left.take();
            // An error can be made good there.
            let held = |m: &Self| m.live.as_ref().and_then(|state| Some(state.vars.get(TRIED_IN_VAIN)?.content.clone()));
            let outer = held(self);
            self.aside(|m| m.run_after(always, Some((index, to_next))));
            if self.live.is_some() && held(self) != outer {
                self.fog("an error that is made good");
                let why = self.doubt(PARTED);
                let good = branch::fork(&mut self.live);
                after = branch::join(after, good, &why);
            }
            self.leave_at(index, to_next);
        }
        self.live = after;
    }

    /// Runs a list, and returns where it is left to, in which states.
    fn tried(&mut self, list: &List) -> Vec<(usize, bool, Left<State>)> {
        self.enter(Boundary::Tried);
        self.run_list(list);
        let beyond = self.frames.last_mut().map(|frame| std::mem::take(&mut frame.beyond)).unwrap_or_default();
        self.end();
        beyond
    }

    /// Runs what is done behind a block that goes on, or is left for some frame. Where that is left as well, one of the two
    /// holds, or something of both (measured: zsh 5.9).
    fn run_after(&mut self, always: &List, pending: Option<(usize, bool)>) {
        let status = self.status();
        let beyond = self.tried(always);
        self.put_status(status.clone());
        let after = self.live.take();
        let is_loop = |m: &Self, index: usize| m.frames.get(index).is_some_and(|frame| frame.kind == Boundary::Loop);
        for (index, to_next, mut left) in beyond {
            self.live = left.take();
            let (goes_to, to_next) = match pending {
                // The next turn of the loop that the second names.
                Some((other, before)) if is_loop(self, index) && is_loop(self, other) => (index, to_next || before),
                // What gives up more.
                Some((other, before)) if other <= index => (other, before),
                _ => (index, to_next),
            };
            let is_within = |frame: &Frame| matches!(frame.kind, Boundary::Function | Boundary::Loop);
            if self.frames.get(goes_to).is_some_and(is_within) || pending.is_some_and(|(other, _)| other == goes_to) {
                self.put_status(status.clone());
            }
            self.leave_at(goes_to, to_next);
        }
        self.live = after;
    }

    /// Ends the shell.
    pub(super) fn exit(&mut self) {
        if self.restless.may_leave() {
            return self.fork(&self.doubt(LEAVES), Self::exit_surely, |m| m.fog(LEAVES));
        }
        self.exit_surely();
    }

    fn exit_surely(&mut self) {
        // Most errors come here in the end.
        if self.status() != Status::Known(0) {
            self.complain();
        }
        if let Some(index) = self.frames.iter().rposition(|f| f.kind == Boundary::Shell) {
            if index == 0 && self.quiet == 0 {
                self.end = Some(self.here());
            }
            self.leave_at(index, false);
        }
    }

    /// An error that ends a command, a file or the shell, as the shell has it.
    pub(super) fn fail_hard(&mut self) {
        // Behind `command` it ends less.
        if self.tame > 0 {
            let why = "an error of a command behind «command»";
            let doubt = self.doubt(why);
            self.passed_over += 1;
            return self.fork(&doubt, Self::fail_surely, |m| m.fog(why));
        }
        self.fail_surely();
    }

    pub(super) fn fail_surely(&mut self) {
        self.complain();
        // Where the status says already that something failed it may stay (measured: zsh 5.9).
        let may_stay = self.dialect == Dialect::Zsh && self.status() != Status::Known(0);
        // Measured: dash 0.5.12, mksh R59, ksh93u+m, bash 5.2.
        self.set_status(match self.dialect {
            Dialect::Dash => 2,
            Dialect::Mksh if self.is_refused => 2,
            _ => 1,
        });
        match self.dialect {
            // As sh would it ends by an error of a special command, or of anything within one (measured: 5.9).
            Dialect::Zsh if self.within_special > 0 && self.is_typed() => self.fog("an error where zsh is another shell"),
            Dialect::Zsh if self.within_special > 0 => {
                self.doubt_status(self.doubt("how zsh ends by an error as sh"));
                self.exit();
            }
            // The file that is being run is given up.
            Dialect::Zsh => {
                // A file that is taken in ends with a status of its own (measured: zsh 5.9).
                let text = self.frames.iter().rfind(|f| matches!(f.kind, Boundary::Text | Boundary::Startup | Boundary::Shell));
                let is_file = text.is_some_and(|f| f.kind == Boundary::Text && f.is_file);
                self.set_status(if is_file { 126 } else { 1 });
                // A condition's is asked for no more, nor is any behind it.
                if is_file && self.guarded > 0 && self.may_be_set("errexit") {
                    self.doubt_option("errexit");
                }
                // The status stays as it was, or is that of what was run for a word (measured).
                if self.is_declaring || may_stay && !is_file {
                    self.doubt_status(self.doubt("how a declaration ends that an error ends"));
                }
                if !self.leave(1, &[Boundary::Text, Boundary::Startup], false) {
                    self.exit();
                }
            }
            // Where what fails ends the shell, most errors do, whatever is made of how they end (measured: 5.2).
            Dialect::Bash => {
                self.end_if_strict();
                self.give_up_command();
            }
            Dialect::Mksh => self.fail_in_mksh(),
            Dialect::Ksh => self.fail_in_ksh(false),
            _ if self.is_typed() => {
                if !self.leave(1, &[Boundary::Startup], false) {
                    self.exit();
                }
            }
            _ => self.exit(),
        }
    }

    /// An error of a sum that is a place or a number's value gives up the line of the outermost file in bash, whatever it
    /// took in (measured: 5.2); in others it is an error as any other.
    pub(super) fn fail_to_top(&mut self) {
        if self.dialect != Dialect::Bash {
            return self.fail_hard();
        }
        self.complain();
        self.set_status(1);
        self.end_if_strict();
        let within = self.frames.iter().rposition(|f| f.kind == Boundary::Shell).unwrap_or_default();
        let is_file = |frame: &Frame| matches!(frame.kind, Boundary::Text | Boundary::Startup);
        let outermost = self.frames.iter().enumerate().skip(within).find(|(_, frame)| is_file(frame)).map(|(index, _)| index);
        match outermost.filter(|_| within == 0) {
            // Of a script the next line is run, of what is read at the start nothing more.
            Some(index) if !self.leave(1, &[Boundary::Start], false) => self.leave_at(index, self.until.is_some()),
            Some(_) => {}
            None => {
                self.stray(true);
                self.exit();
            }
        }
    }

    /// A subshell in which all is given up may be taken for the shell, and one beside others in which a line is, unless what
    /// it prints is taken up.
    fn stray(&mut self, is_all: bool) {
        let starts = self.frames.iter().any(|frame| frame.kind == Boundary::Start);
        let mut shells = self.frames.iter().skip(1).filter(|frame| frame.kind == Boundary::Shell).map(|frame| frame.apart);
        let may_stray = shells.next_back() == Some(Apart::Beside) && shells.all(|apart| apart != Apart::Taken);
        self.strays |= starts && (is_all || may_stray);
    }

    /// The same, or less is given up, or nothing comes of it.
    pub(super) fn fail_far_or_go_on(&mut self, doubt: &Arc<Doubt>) {
        if self.dialect == Dialect::Bash {
            self.fork(doubt, Self::fail_to_top, |_| {});
        }
        self.fail_or_go_on(doubt);
    }

    /// What ends nothing otherwise may, where a command that fails ends the shell.
    pub(super) fn end_if_strict(&mut self) {
        if self.may_be_set("errexit") {
            let doubt = self.doubt("a command that fails ends the shell");
            self.exit_or_go_on(&doubt);
        }
    }

    /// The command of the file that is being run is given up.
    fn give_up_command(&mut self) {
        let is_subshell = self.frames.iter().skip(1).any(|f| f.kind == Boundary::Shell);
        if is_subshell {
            self.stray(false);
        }
        if is_subshell || !self.leave(1, &[Boundary::Text, Boundary::Startup], true) {
            self.exit();
        }
    }

    /// The function or the file that is being run is given up, with 1 or 2; only of a script all is (measured: R59).
    fn fail_in_mksh(&mut self) {
        self.end_if_strict();
        let within = self.frames.iter().rposition(|f| f.kind == Boundary::Shell).unwrap_or_default();
        let is_given_up = |(_, f): &(usize, &Frame)| match f.kind {
            Boundary::Function => true,
            Boundary::Text => f.is_file,
            Boundary::Startup => self.until.is_none(),
            _ => false,
        };
        let found = self.frames.iter().enumerate().skip(within).rev().find(is_given_up).map(|(index, _)| index);
        let Some(index) = found else { return self.exit() };
        // With something to be done at the shell's end that is it.
        if self.may_be_set(END_TRAP) {
            self.exit_or_go_on(&self.doubt("what runs at a function's end"));
        }
        if self.frames.get(index).is_some_and(|frame| frame.has_trap) {
            self.exit_or_go_on(&self.doubt("what runs at a function's end"));
        }
        self.doubt_status(self.doubt("how a function ends that an error ends"));
        self.leave_at(index, false);
    }

    /// Runs something that is a special command's, or is none: of such ones an error ends zsh where it is as sh would be.
    pub(super) fn as_special<T>(&mut self, is_one: bool, run: impl FnOnce(&mut Self) -> T) -> T {
        let more = usize::from(is_one && self.as_sh);
        self.within_special += more;
        let came = run(self);
        self.within_special -= more;
        came
    }

    /// An error of a special command.
    pub(super) fn fail_special(&mut self) {
        self.fail_special_with(1);
    }

    /// The same with the status that ksh has for it.
    pub(super) fn fail_special_with(&mut self, status: u8) {
        self.complain();
        match self.dialect {
            Dialect::Ksh if self.tame == 0 => {
                self.set_status(status);
                self.fail_in_ksh(true);
            }
            _ => self.as_special(self.tame == 0, Self::fail_hard),
        }
    }

    /// A text that is evaluated, a file that is taken in, commands that are redirected together and a function with
    /// variables of its own are given up there, but only the last for an error of a special command; of a startup file a
    /// line is given up where somebody types, and otherwise all of it (measured: 93u+m).
    fn fail_in_ksh(&mut self, is_special: bool) {
        for (index, frame) in self.frames.iter().enumerate().rev() {
            match frame.kind {
                // What stands before a command of another kind gives up that command.
                Boundary::Command if frame.is_before => return self.leave_at(index, false),
                Boundary::Function if frame.holds => return self.leave_at(index, false),
                Boundary::Source => {
                    self.doubt_status(self.doubt("how a file ends that an error ends"));
                    return self.leave_at(index, false);
                }
                Boundary::Text | Boundary::Redirected if !is_special => {
                    // Behind what is asked for its status the text's own counts no more than that.
                    if self.guarded > 0 && self.may_be_set("errexit") {
                        self.doubt_status(self.doubt("a command that fails ends the shell"));
                    }
                    return self.leave_at(index, false);
                }
                Boundary::Startup if self.is_interactive => return self.leave_at(index, true),
                // Nobody types, and yet the shell goes on to what it is started for.
                Boundary::Startup if self.reads_startup() => {
                    self.doubt_status(self.doubt("how a file ends that an error ends"));
                    return self.leave_at(index, false);
                }
                Boundary::Shell => break,
                _ => {}
            }
        }
        self.exit();
    }

    /// What a text does that the shell cannot read on.
    pub(super) fn broken(&mut self, trouble: &Trouble, kind: Boundary) {
        if !trouble.is_error {
            return self.fog(trouble.what);
        }
        self.complain();
        // What belongs to it may stand in an alias.
        if self.has_part_alias() {
            return self.fog("an alias that is part of a command");
        }
        match self.dialect {
            // Of a list that is not closed another one (measured: 5.2).
            Dialect::Bash if trouble.what == OPEN_PARENTHESIS => {
                self.doubt_status(self.doubt("how a text ends that cannot be read"));
            }
            Dialect::Bash => self.set_status(if kind == Boundary::Text { 2 } else { 1 }),
            Dialect::Ksh => self.set_status(3),
            _ => self.fail_hard(),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::super::Source;
    use super::super::trial::after;
    use super::*;

    /// What stands behind an error is run or not, which a name tells: `A` behind it, `B` behind what is around it on the
    /// line, `C` on the next line.
    #[test]
    fn an_error_gives_up_what_the_shell_gives_up() {
        const SHELLS: [Dialect; 5] = [Dialect::Bash, Dialect::Dash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh];
        for (text, reached) in [
            ("{ : ${NONE?}; A=1; }; B=1\nC=1", ["", "", "", "", ""]),
            ("eval ': ${NONE?}; A=1'; B=1\nC=1", ["", "", "", "B C", ""]),
            ("for X in 1; do readonly X; : $((X = 2)); A=1; done; B=1\nC=1", ["C", "", "", "", ""]),
            ("readonly R=1; for R in 2; do A=1; done; B=1\nC=1", ["B C", "", "", "", ""]),
            ("{ : ${NONE?}; A=1; } </dev/null; B=1\nC=1", ["", "", "", "B C", ""]),
            ("f() { : ${NONE?}; A=1; }; f; B=1\nC=1", ["", "", "", "", "B C"]),
            ("(: ${NONE?}; A=1); B=1\nC=1", ["B C"; 5]),
            ("X=$(: ${NONE?}; A=1); B=1\nC=1", ["B C"; 5]),
            ("readonly R=1; { R=2; A=1; }; B=1\nC=1", ["C", "", "", "", ""]),
            (": $((1 / 0)); B=1\nC=1", ["C", "", "", "", ""]),
            ("shift 5; B=1\nC=1", ["B C", "", "B C", "", ""]),
            (". /none; B=1\nC=1", ["B C", "", "B C", "", ""]),
        ] {
            for (dialect, reached) in SHELLS.into_iter().zip(reached) {
                let found = after(dialect, "", |machine| {
                    let source = Source::new(b"/trial".as_slice().into(), text.into());
                    machine.run_source(&Arc::new(source), Boundary::Startup);
                    ["A", "B", "C"].into_iter().filter(|name| machine.told_value(name) == "1").collect::<Vec<_>>().join(" ")
                });
                assert_eq!(found, reached, "{dialect:?} {text}");
            }
        }
    }
}
