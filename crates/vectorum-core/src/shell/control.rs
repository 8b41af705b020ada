//! Lists, pipelines, conditions and loops: which commands run, and under what.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::{Failure, Number};
use super::branch::{self, Branch};
use super::content::Content;
use super::expand::ODD_WORD;
use super::frame::Boundary;
use super::machine::{Machine, PARTED, Skipped};
use super::nameref::Meant;
use super::state::{State, Status};
use super::syntax::*;
use super::value::{Doubt, Maybe, Val};
use crate::route::Site;

impl Machine<'_> {
    /// Puts down what a command would set that is not run.
    pub(super) fn note_list(&mut self, list: &List, why: &'static str, by: &Site) {
        if self.quiet > 0 || self.skipped.len() > 500 {
            return;
        }
        for command in list
            .items
            .iter()
            .flat_map(|i| std::iter::once(&i.first).chain(i.rest.iter().map(|(_, p)| p)))
            .flat_map(|p| &p.commands)
        {
            self.note_command(command, why, by);
        }
    }

    fn note_command(&mut self, command: &Command, why: &'static str, by: &Site) {
        match &command.kind {
            Kind::Simple(assignments, words) => {
                let declares = words
                    .first()
                    .and_then(Word::literal)
                    .is_some_and(|w| matches!(w, b"export" | b"declare" | b"typeset" | b"readonly"));
                let own = assignments.iter().filter(|_| words.is_empty());
                let declared = words.iter().skip(1).filter(|_| declares).filter_map(|w| w.assignment.as_deref());
                for assignment in own.chain(declared) {
                    let site = self.site(assignment.at);
                    let name = assignment.name.clone();
                    self.skipped.push(Skipped { name, site, why, by: by.clone() });
                }
            }
            Kind::Group(list) | Kind::For(_, _, list) | Kind::Count(_, list) | Kind::Repeat(_, list) => {
                self.note_list(list, why, by);
            }
            Kind::Always(condition, body) | Kind::While(_, condition, body) => {
                self.note_list(condition, why, by);
                self.note_list(body, why, by);
            }
            Kind::If(arms, otherwise) => {
                for (_, body) in arms {
                    self.note_list(body, why, by);
                }
                if let Some(body) = otherwise {
                    self.note_list(body, why, by);
                }
            }
            Kind::Case(_, arms) => {
                for arm in arms {
                    self.note_list(&arm.body, why, by);
                }
            }
            _ => {}
        }
    }

    pub(super) fn run_list(&mut self, list: &List) {
        for item in &list.items {
            if self.is_spent() {
                return;
            }
            // In zsh only the last of several pipelines runs in the background (measured: 5.9).
            if item.is_background && (self.dialect != Dialect::Zsh || item.rest.is_empty()) {
                self.in_background(|m| m.run_item(item));
            } else {
                self.run_item(item);
            }
        }
    }

    /// Runs something of which nothing is left.
    fn in_background(&mut self, run: impl FnOnce(&mut Self)) {
        let outer = branch::fork(&mut self.live);
        self.subshell(run);
        self.live = outer;
        self.set_status(0);
    }

    fn run_item(&mut self, item: &Item) {
        if item.rest.is_empty() {
            return self.run_pipeline(&item.first);
        }
        self.guarded += 1;
        self.run_pipeline(&item.first);
        self.guarded -= 1;
        self.go_on(&item.rest, item.is_background && self.dialect == Dialect::Zsh);
    }

    /// Runs something that a condition decides.
    pub(super) fn under(&mut self, site: &Site, holds: Option<bool>, run: impl FnOnce(&mut Self)) {
        let inner = self.around.under(site.clone(), holds);
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Goes on with what stands behind a pipeline, the last of it in the background if so told.
    fn go_on(&mut self, rest: &[(bool, Pipeline)], last_in_background: bool) {
        let Some(((on_success, next), after)) = rest.split_first() else { return };
        if self.live.is_none() {
            return;
        }
        let by = self.here();
        match self.succeeded() {
            Ok(succeeded) if succeeded == *on_success => {
                self.run_next(next, (after, last_in_background), &by, Some(succeeded));
            }
            Ok(_) => {
                self.note_pipeline(next);
                self.go_on(after, last_in_background);
            }
            Err(doubt) => self.fork(
                &doubt,
                |m| {
                    m.knows_status(*on_success);
                    m.run_next(next, (after, last_in_background), &by, None);
                },
                |m| {
                    m.knows_status(!on_success);
                    // What fails here is looked at by what comes after.
                    m.go_on(after, last_in_background);
                },
            ),
        }
    }

    /// On a way that is gone only where the last command succeeded, or only where it failed.
    fn knows_status(&mut self, succeeded: bool) {
        if succeeded {
            self.set_status(0);
        }
    }

    fn run_next(
        &mut self,
        next: &Pipeline,
        (after, last_in_background): (&[(bool, Pipeline)], bool),
        by: &Site,
        holds: Option<bool>,
    ) {
        let is_last = after.is_empty();
        if is_last && last_in_background {
            return self.in_background(|m| m.under(by, holds, |m| m.run_pipeline(next)));
        }
        self.guarded += usize::from(!is_last);
        self.under(by, holds, |m| m.run_pipeline(next));
        self.guarded -= usize::from(!is_last);
        self.go_on(after, last_in_background);
    }

    fn note_pipeline(&mut self, pipeline: &Pipeline) {
        let by = self.here();
        for command in &pipeline.commands {
            self.note_command(command, "a condition before it does not hold", &by);
        }
    }

    fn run_pipeline(&mut self, pipeline: &Pipeline) {
        match &pipeline.commands[..] {
            [command] => {
                self.guarded += usize::from(pipeline.is_negated);
                self.run_command(command);
                self.guarded -= usize::from(pipeline.is_negated);
            }
            commands => {
                self.run_pipe(commands);
                // Where the last one has no shell of its own it was asked by itself.
                let is_last_alone = self.runs_last_itself() != Some(true)
                    || self.live.as_ref().is_some_and(|state| state.option("pipefail") != Some(false));
                if is_last_alone && !pipeline.is_negated {
                    self.check_failure();
                }
            }
        }
        if pipeline.is_negated
            && let Status::Known(status) = self.status()
        {
            self.set_status(u8::from(status == 0));
        }
    }

    /// Whether the last command of a pipe has no shell of its own, if that is known.
    fn runs_last_itself(&self) -> Option<bool> {
        match self.dialect {
            Dialect::Zsh if self.as_sh => Some(false),
            Dialect::Zsh | Dialect::Ksh => Some(true),
            // There it is an option, which does nothing where jobs are kept.
            Dialect::Bash => {
                let state = self.live.as_ref()?;
                let keeps_jobs = state.options.get("monitor").copied().unwrap_or(Some(self.is_interactive));
                match (state.option("lastpipe"), keeps_jobs) {
                    (Some(false), _) | (_, Some(true)) => Some(false),
                    (lastpipe, keeps_jobs) => Some(lastpipe? && !keeps_jobs?),
                }
            }
            _ => Some(false),
        }
    }

    /// Each command has a shell of its own, but for the last one where the shell runs that itself.
    fn run_pipe(&mut self, commands: &[Command]) {
        if self.runs_last_itself().is_none() {
            self.fog("whether the last command of a pipe runs in the shell itself");
        }
        let Some(mut outer) = branch::fork(&mut self.live) else { return };
        let mut input = outer.input.clone();
        let mut left = outer.input.clone();
        let last = commands.len().saturating_sub(1);
        let mut statuses = Vec::new();
        let pipefail = outer.option("pipefail");
        for (index, command) in commands.iter().enumerate() {
            let is_last = index == last;
            if let Some(state) = &mut self.live {
                state.input = input.take();
                if !is_last {
                    state.output = Some(Val::of(b""));
                }
            }
            if is_last && self.runs_last_itself() == Some(true) {
                self.run_command(command);
                self.pipe_status(&statuses, pipefail);
                if let Some(state) = &mut self.live {
                    state.input = left;
                }
                return;
            }
            self.subshell(|m| m.run_command(command));
            if index == 0 {
                left = self.live.as_ref().and_then(|s| s.input.clone());
            }
            if is_last {
                break;
            }
            input = self.live.as_ref().and_then(|s| s.output.as_ref()).and_then(Val::known).map(|text| (text.clone(), 0));
            let status = self.status();
            statuses.push(status.clone());
            self.live = Some(State { status, ..outer.fork() });
        }
        self.pipe_status(&statuses, pipefail);
        if let Some(state) = &mut self.live {
            state.input = left;
        }
    }

    /// With `pipefail` a pipe ends like the last of its commands that failed.
    fn pipe_status(&mut self, before: &[Status], pipefail: Option<bool>) {
        if pipefail == Some(false) {
            return;
        }
        let doubt = self.doubt("how a command of a pipe ends");
        let Some(state) = &mut self.live else { return };
        let failed = |s: &Status| *s != Status::Known(0);
        let found = std::iter::once(&state.status).chain(before.iter().rev()).find(|s| failed(s)).cloned();
        if let Some(found) = found {
            let is_sure = pipefail == Some(true) || found == state.status;
            state.status = if is_sure { found } else { Status::Unknown(doubt) };
        }
    }

    pub(super) fn run_if(&mut self, arms: &[(List, List)], otherwise: Option<&List>) {
        let Some(((condition, body), rest)) = arms.split_first() else {
            match otherwise {
                Some(list) => self.run_list(list),
                None => self.set_status(0),
            }
            return;
        };
        self.guarded += 1;
        self.run_list(condition);
        self.guarded -= 1;
        if self.live.is_none() {
            return;
        }
        match self.succeeded() {
            Ok(true) => {
                let by = self.here();
                for (_, body) in rest {
                    self.note_list(body, "a condition above it holds", &by);
                }
                if let Some(body) = otherwise {
                    self.note_list(body, "the condition above it holds", &by);
                }
                self.under(&by, Some(true), |m| m.run_list(body));
            }
            Ok(false) => {
                let by = self.here();
                self.note_list(body, "its condition does not hold", &by);
                self.under(&by, Some(false), |m| m.run_if(rest, otherwise));
            }
            Err(doubt) => {
                let by = self.here();
                self.fork(
                    &doubt,
                    |m| {
                        m.knows_status(true);
                        m.under(&by, None, |m| m.run_list(body));
                    },
                    |m| m.under(&by, None, |m| m.run_if(rest, otherwise)),
                );
            }
        }
    }

    pub(super) fn run_case(&mut self, word: &Word, arms: &[Arm]) {
        let mut text = self.one_word(word).unwrap_or_else(Val::Unknown);
        if self.dialect == Dialect::Bash && word.parts.iter().any(may_leave_quotes) {
            text = Val::Unknown(self.doubt(ODD_WORD));
        }
        self.put_status(self.status_within());
        self.run_arms(&text, arms);
    }

    pub(super) fn put_status(&mut self, status: Status) {
        if let Some(state) = &mut self.live {
            state.status = status;
        }
    }

    /// The end of a `case` or `for` that runs nothing.
    fn nothing_ran(&mut self) {
        match self.dialect {
            Dialect::Ksh if self.outputs != self.outputs_before => self.put_status(self.status_within()),
            _ => self.set_status(0),
        }
    }

    pub(super) fn run_arms(&mut self, text: &Val, arms: &[Arm]) {
        let Some((arm, rest)) = arms.split_first() else { return self.nothing_ran() };
        if self.live.is_none() {
            return;
        }
        match self.is_case(text, &arm.patterns) {
            Ok(true) => {
                if arm.end == ArmEnd::Done {
                    let by = self.here();
                    for other in rest {
                        self.note_list(&other.body, "another case is taken", &by);
                    }
                }
                let by = self.here();
                self.under(&by, Some(true), |m| m.run_arm(arm, text, rest));
            }
            Ok(false) => {
                self.note_list(&arm.body, "its case is not taken", &self.here());
                self.run_arms(text, rest);
            }
            Err(doubt) => {
                let by = self.here();
                self.fork(&doubt, |m| m.under(&by, None, |m| m.run_arm(arm, text, rest)), |m| m.run_arms(text, rest));
            }
        }
    }

    /// Whether a text fits one of some patterns.
    fn is_case(&mut self, text: &Val, patterns: &[Word]) -> Maybe {
        let mut matches = Ok(false);
        for pattern in patterns {
            match (self.fits(text, pattern, false), &matches) {
                (Ok(true), _) => return Ok(true),
                (Err(doubt), Ok(_)) => matches = Err(doubt),
                _ => {}
            }
        }
        match text {
            // Each of a few values may fit another pattern.
            Val::Unknown(doubt) if matches.is_err() && !doubt.could_be.is_empty() && patterns.len() > 1 => {
                for value in &doubt.could_be {
                    if self.is_case(&Val::Known(value.clone()), patterns) != Ok(true) {
                        return matches;
                    }
                }
                Ok(true)
            }
            _ => matches,
        }
    }

    fn run_arm(&mut self, arm: &Arm, text: &Val, rest: &[Arm]) {
        if arm.body.items.is_empty() {
            self.nothing_ran();
        }
        self.run_list(&arm.body);
        match (arm.end, rest.split_first()) {
            (ArmEnd::Through, Some((next, rest))) => self.run_arm(next, text, rest),
            (ArmEnd::On, _) => self.run_arms(text, rest),
            _ => {}
        }
    }

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
        // Each word would be what it stands for.
        if let Some(name) = names.iter().find(|name| self.meant(name) != Meant::Itself) {
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
                        if !self.assign_to(name, Content::Set(value), None) {
                            self.refused();
                            break 'rounds;
                        }
                        let exports_all = self.live.as_ref().is_some_and(|s| s.option("allexport") != Some(false));
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
                    let unknown = Val::Unknown(doubt.clone());
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
            Val::Unknown(doubt) => Err(doubt),
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
            run(self);
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
        match self.step_of_loop(first) {
            Step::Done(_) => {}
            Step::Wrong => return self.fail_in_count(),
            Step::Unclear(doubt) => return self.count_unknown(&doubt, condition, step, body),
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
                            self.count_unknown(&doubt, condition, step, body);
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

    fn count_unknown(&mut self, doubt: &Arc<Doubt>, condition: &[Part], step: &[Part], body: &List) {
        self.repeat(doubt, |m| {
            m.run_list(body);
            let _ = m.sum(step);
            let _ = m.sum(condition);
        });
    }
}

/// What an expression of a loop that counts comes to: a number, an error, or one or the other.
enum Step {
    Done(Number),
    Wrong,
    Unclear(Arc<Doubt>),
}

/// Whether quotes that hold nothing may be left in a text that bash compares: within a parameter, beside something else
/// (measured: 5.2).
fn may_leave_quotes(part: &Part) -> bool {
    let is_quoted = |part: &Part| match part {
        Part::Double(_) => true,
        Part::Quoted(text) => text.is_empty(),
        _ => false,
    };
    match part {
        Part::Parameter(parameter) => match &parameter.change {
            Change::Instead(.., word) => word.parts.len() > 1 && word.parts.iter().any(is_quoted),
            _ => false,
        },
        _ => false,
    }
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
    fn conditions_are_told_or_both_ways_followed() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if true; then R=1; else R=2; fi; if false; then X=1; fi", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if false; then R=1; elif true; then R=2; fi; X=$?", ["2", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true && R=1 || X=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "false && R=1 || X=1", ["none", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "! false && R=$?; ! true; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(false); if false; then :; fi; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "tide-now && R=1; X=2", ["1?", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; if tide-now; then X=1; else X=1; fi", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if tide-now; then R=a; X=1; else R=b; fi", ["<unknown>", "1?"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "while tide-now; do R=1; done; X=2", ["1?", "2"]),
        ]);
    }

    #[test]
    fn pipes_and_subshells_change_nothing_outside() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; (R=2); X=$R", ["1", "1"]),
            (&[Bash, Dash, Mksh], "R=1; echo a | R=2; X=$?", ["1", "0"]),
            (&[Ksh, Zsh], "R=1; true | R=2", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; { R=2; } | cat", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true | false; R=$?; false | true; X=$?", ["1", "0"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -o pipefail; false | true; R=$?", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -e; (false) || R=1; if (false); then :; else X=2; fi", ["1", "2"]),
        ]);
    }
}
