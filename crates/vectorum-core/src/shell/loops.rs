//! Loops: over words, while something holds, and those that count.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::{Failure, Number};
use super::branch;
use super::capture::bare_redirects;
use super::content::Content;
use super::frame::Boundary;
use super::machine::{Machine, PARTED};
use super::nameref::Meant;
use super::parameter::UNSET_IS_ERROR;
use super::state::Status;
use super::syntax::*;
use super::value::{Doubt, Val};

impl Machine<'_> {
    pub(super) fn run_for(&mut self, names: &[Bytes], words: Option<&[Word]>, body: &List) {
        let at = self.at;
        let values = match words {
            Some(words) => self.fields(words),
            None => match self.live.as_ref().map(|s| s.positional.clone()) {
                Some(Ok(values)) => Ok(values.to_vec()),
                Some(Err(doubt)) => Err(doubt),
                None => return,
            },
        };
        self.put_status(self.status_within());
        // A menu, for one.
        if values.is_err() {
            self.complain();
        }
        // Each word would be what it stands for.
        if self.dialect == Dialect::Bash && !names.iter().all(|name| crate::reader::is_portable(name)) {
            return self.set_status(1);
        }
        let refers = names.iter().any(|name| self.meant(name) != Meant::Itself);
        if let Some(name) = names.first().filter(|_| refers && (names.len() > 1 || values.is_err())) {
            return self.give_up_reference(name);
        }
        match values {
            Ok(values) if values.is_empty() => self.nothing_ran(),
            Ok(values) => {
                if let [name] = names {
                    self.read_ahead([body], Some((name, &values)));
                }
                self.enter(Boundary::Loop);
                'rounds: for values in values.chunks(names.len().max(1)) {
                    if self.is_spent() {
                        break;
                    }
                    self.at = at;
                    for (place, name) in names.iter().enumerate() {
                        let value = values.get(place).cloned().unwrap_or_else(|| Val::of(b""));
                        if name.first().is_some_and(u8::is_ascii_digit) {
                            self.doubt_positional();
                            continue;
                        }
                        if refers {
                            if !self.refer_to(name, &value) {
                                self.give_up_reference(name);
                                break 'rounds;
                            }
                            continue;
                        }
                        if !self.assign_to(name, Content::Set(value), None) {
                            self.refused();
                            break 'rounds;
                        }
                        let exports_all = self.may_be_set("allexport");
                        if self.dialect == Dialect::Mksh && exports_all {
                            self.doubt_export(name);
                        }
                    }
                    self.run_list(body);
                    self.take_up_next();
                }
                self.end();
            }
            Err(doubt) => {
                self.repeat(&doubt.clone(), move |m| {
                    let unknown = Val::unknown(doubt.clone());
                    let (numbers, names): (Vec<_>, Vec<_>) =
                        names.iter().partition(|name| name.first().is_some_and(u8::is_ascii_digit));
                    if !numbers.is_empty() {
                        m.doubt_positional();
                    }
                    if names.iter().all(|name| m.assign_to(name, Content::Set(unknown.clone()), None)) {
                        m.run_list(body);
                    } else {
                        m.refused();
                    }
                });
                // A menu ends where nothing can be read, and not alike in all of them.
                if words.and_then(<[Word]>::last).is_some_and(|word| matches!(word.parts.first(), Some(Part::Unfollowed(_)))) {
                    self.doubt_status(self.doubt("how a menu ends"));
                }
            }
        }
    }

    /// Runs commands as often as a sum says.
    pub(super) fn run_repeat(&mut self, count: &Word, body: &List) {
        let count = self.one_word(count).and_then(|text| match text {
            Val::Known(text) => {
                let summed = self.sum_text(text.to_vec());
                self.settle_in_word(summed)
            }
            Val::Unknown(unknown) => Err(unknown.doubt),
        });
        match count {
            Ok(count) if count <= 0 => self.nothing_ran(),
            Ok(count) => {
                self.enter(Boundary::Loop);
                for _ in 0..count {
                    if self.is_spent() || self.live.is_none() {
                        break;
                    }
                    self.run_list(body);
                    self.take_up_next();
                }
                self.end();
            }
            Err(doubt) => self.repeat(&doubt, |m| m.run_list(body)),
        }
    }

    /// Goes on with what `continue` left.
    fn take_up_next(&mut self) {
        let next = self.frames.last_mut().and_then(|f| f.next.take());
        let why = self.doubt(PARTED);
        self.live = branch::join(self.live.take(), next, &why);
    }

    /// Runs something an unknown number of times, until nothing new comes of it.
    pub(super) fn repeat(&mut self, doubt: &Arc<Doubt>, mut run: impl FnMut(&mut Self)) {
        self.enter(Boundary::Loop);
        for round in 0..8 {
            if self.is_spent() {
                break;
            }
            let mut before = branch::fork(&mut self.live);
            self.aside(&mut run);
            self.take_up_next();
            self.live = branch::join(branch::fork(&mut before), self.live.take(), doubt);
            if self.live == before {
                break;
            }
            if round >= 3
                && let (Some(before), Some(state)) = (&before, &mut self.live)
            {
                // What still changes may become anything.
                state.vars.fog_what_differs(&before.vars, doubt);
                state.input = None;
                if state.positional != before.positional {
                    state.positional = Err(doubt.clone());
                }
            }
            if round == 7 {
                self.fog("a loop is not followed to its end");
            }
        }
        self.end();
    }

    pub(super) fn run_while(&mut self, until: bool, condition: &List, body: &List) {
        // There a file that cannot be opened ends more (measured: 93u+m).
        if self.dialect == Dialect::Ksh && !until && bare_redirects(condition).is_some_and(|redirects| !redirects.is_empty()) {
            self.exit_or_go_on(&self.doubt("a loop as long as a file can be opened"));
        }
        self.enter(Boundary::Loop);
        let mut status = Status::Known(0);
        loop {
            if self.is_spent() {
                break;
            }
            self.guarded += 1;
            self.run_list(condition);
            self.guarded -= 1;
            self.take_up_next();
            match self.succeeded() {
                Ok(succeeded) if succeeded == until => {
                    if let Some(state) = &mut self.live {
                        state.status = status;
                    }
                    break;
                }
                Ok(_) => {
                    self.run_list(body);
                    self.take_up_next();
                    status = self.status();
                }
                Err(doubt) => {
                    // It may end now or after any number of rounds more.
                    let again = doubt.clone();
                    self.repeat(&doubt, |m| {
                        m.run_list(body);
                        m.guarded += 1;
                        m.run_list(condition);
                        m.guarded -= 1;
                    });
                    self.doubt_status(again);
                    break;
                }
            }
        }
        self.end();
    }

    /// A positional parameter is set by its number: none is known from here on.
    fn doubt_positional(&mut self) {
        let doubt = self.doubt("a positional parameter that is set by its number");
        if let Some(state) = &mut self.live {
            state.positional = Err(doubt);
        }
    }

    pub(super) fn run_count(&mut self, parts: &[Vec<Part>; 3], body: &List) {
        let [first, condition, step] = parts;
        // What the status is in there is its own affair (measured: 93u+m).
        let is_status = |part: &Part| matches!(part, Part::Parameter(parameter) if parameter.name == "?");
        // So is what is not set, of which the length is none.
        let odd = match self.dialect {
            Dialect::Ksh if parts.iter().flatten().any(is_status) => Some("the status in a loop that counts"),
            Dialect::Ksh if parts.iter().any(|parts| self.may_lack_name(parts)) => Some(UNSET_IS_ERROR),
            _ => None,
        };
        if let Some(why) = odd {
            let doubt = self.doubt(why);
            self.fail_or_go_on(&doubt);
            return self.count_unknown(&doubt, condition, step, body);
        }
        match self.step_of_loop(first) {
            Step::Done(_) => {}
            Step::Wrong => return self.fail_in_count(),
            Step::Unclear(doubt) => return self.count_on(&doubt, condition, step, body),
        }
        self.set_status(0);
        self.enter(Boundary::Loop);
        while !self.is_spent() {
            let goes_on = match condition.is_empty() {
                true => Step::Done(Ok(1)),
                false => self.step_of_loop(condition),
            };
            match goes_on {
                Step::Done(Ok(0)) => break,
                Step::Done(Ok(_)) => {
                    self.run_list(body);
                    self.take_up_next();
                    if self.live.is_none() {
                        continue;
                    }
                    match self.step_of_loop(step) {
                        Step::Done(_) => {}
                        Step::Wrong => {
                            self.fail_in_count();
                            break;
                        }
                        Step::Unclear(doubt) => {
                            self.count_on(&doubt, condition, step, body);
                            break;
                        }
                    }
                }
                Step::Wrong => {
                    self.fail_in_count();
                    break;
                }
                Step::Done(Err(doubt)) | Step::Unclear(doubt) => {
                    self.count_unknown(&doubt, condition, step, body);
                    break;
                }
            }
        }
        self.end();
    }

    /// Works out an expression of a loop that counts.
    fn step_of_loop(&mut self, parts: &[Part]) -> Step {
        let summed = self.sum(parts);
        self.settle_alone(&summed);
        if let (Failure::Perhaps(doubt), Dialect::Zsh) = (&summed.failure, self.dialect) {
            self.fail_or_go_on(doubt);
        }
        match summed.failure {
            Failure::No => Step::Done(summed.value),
            Failure::Perhaps(doubt) => Step::Unclear(doubt),
            Failure::Yes => Step::Wrong,
        }
    }

    /// What a wrong expression in a loop that counts ends: the loop, or more.
    fn fail_in_count(&mut self) {
        match self.dialect {
            Dialect::Bash => self.set_status(1),
            _ => self.fail_hard(),
        }
    }

    /// Goes on behind a sum that may be wrong, and then is the last.
    fn count_on(&mut self, doubt: &Arc<Doubt>, condition: &[Part], step: &[Part], body: &List) {
        let goes_on = |m: &mut Self| match m.step_of_loop(condition) {
            Step::Wrong => m.fail_in_count(),
            _ => m.count_unknown(doubt, condition, step, body),
        };
        self.fork(doubt, goes_on, |m| m.doubt_status(doubt.clone()));
    }

    fn count_unknown(&mut self, doubt: &Arc<Doubt>, condition: &[Part], step: &[Part], body: &List) {
        self.repeat(doubt, |m| {
            m.run_list(body);
            for parts in [step, condition] {
                if matches!(m.step_of_loop(parts), Step::Wrong) {
                    m.fail_in_count();
                }
            }
        });
        // In a round that is not followed a sum may be wrong, which is what the loop then ends with.
        self.doubt_status(doubt.clone());
    }
}

/// What an expression of a loop that counts comes to: a number, an error, or one or the other.
enum Step {
    Done(Number),
    Wrong,
    Unclear(Arc<Doubt>),
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn loops_go_round_as_often_as_there_are_words() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b; do X=$X$R; done", ["b", "ab"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=0; for R in; do X=1; done", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- p q; for R do X=$X$R; done", ["q", "pq"]),
            (&[Bash, Ksh, Zsh], "for ((R = 0; R < 3; R++)); do X=$X$R; done", ["3", "012"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=; while [ \"$R\" != aaa ]; do R=a$R; done; X=$?", ["aaa", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=; until [ \"$R\" = aa ]; do R=a$R; done", ["aa", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "while false; do R=1; done; X=$?", ["none", "0"]),
            // What is no number ends it with an error.
            (&[Bash], "R=$(tide-now); for ((i = 0; i < R; i++)); do :; done; X=$?", ["<unknown>", "<a number>"]),
            (&[Zsh], "for R X in 1 2 3; do :; done", ["3", ""]),
            (&[Zsh], "repeat 3 R=a$R", ["aaa", "none"]),
        ]);
    }

    #[test]
    fn loops_are_left_from_within() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b c; do [ $R = b ] && break; X=$R; done", ["b", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b c; do [ $R = b ] && continue; X=$X$R; done", ["c", "ac"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b; do for X in 1 2; do break 2; done; done", ["a", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b; do for X in 1 2; do continue 2; done; R=no; done", ["b", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { for R in a b; do return 4; done; }; f; X=$?", ["a", "4"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for R in a b; do (break); X=$X$R; done", ["b", "ab"]),
        ]);
    }

    #[test]
    fn sums_of_a_loop_may_run_commands() {
        hold(&[
            (&[Bash, Ksh, Zsh], "for ((R = $(true; echo 5); R < 3; R++)); do :; done; X=1", ["5", "1"]),
            (&[Bash, Ksh, Zsh], "for ((R = `echo 1; true`; R < 3; R++)); do X=$X$R; done", ["3", "12"]),
            (&[Bash, Ksh, Zsh], "for ((R = 0; R < ${V-2}; R++)); do X=$X$R; done", ["2", "01"]),
        ]);
    }
}
