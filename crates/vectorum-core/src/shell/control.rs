//! Lists, pipelines and conditions: which commands run, and under what.

use super::branch::{self, Branch};
use super::expand::ODD_WORD;
use super::frame::{Apart, Boundary};
use super::machine::{Machine, Skipped};
use super::state::Status;
use super::syntax::*;
use super::value::{Maybe, Val};
use crate::route::Site;

/// Whether a command is a declaration.
fn declares(command: &Command) -> bool {
    let Kind::Simple(_, words) = &command.kind else { return false };
    let first = words.first().and_then(Word::literal);
    first.is_some_and(|word| matches!(word, b"export" | b"declare" | b"typeset" | b"readonly"))
}

/// Whether something was run in the background, kept as options are.
pub(super) const RAN_BESIDE: &str = "background";

/// Whether something is to be done at the shell's end, as an option.
pub(super) const END_TRAP: &str = "endtrap";

/// A command that opens what it reads, as one of which that is not known.
fn reads_both(command: &Command) -> Option<Command> {
    let reads = |redirect: &&mut Redirect| redirect.operator.starts_with(b"<") && redirect.operator != b"<&";
    let mut both = command.clone();
    let redirect = both.redirects.iter_mut().find(reads)?;
    redirect.operator = b"<".to_vec();
    redirect.word.parts = std::iter::once(Part::Unfollowed("what is read of more than one file")).collect();
    Some(both)
}

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
                let is_declaration = declares(command);
                let own = assignments.iter().filter(|_| words.is_empty());
                let declared = words.iter().skip(1).filter(|_| is_declaration).filter_map(|w| w.assignment.as_deref());
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
        self.subshell_for(Apart::Beside, run);
        let (printed, spilled) = self.live.take().map_or((None, false), |state| (state.output.text, state.output.spilled));
        self.live = outer;
        self.live.iter_mut().for_each(|state| state.output.spilled |= spilled);
        // When it comes between what others print is not known.
        if self.live.as_ref().is_some_and(|state| state.output.text != printed) {
            self.print(Val::unknown(self.doubt("what a command in the background prints")));
        }
        self.put_option(RAN_BESIDE, true);
        self.set_status(0);
    }

    fn run_item(&mut self, item: &Item) {
        // What ran last within a function may still spare what calls it.
        self.is_spared = false;
        if item.rest.is_empty() {
            return self.run_pipeline(&item.first);
        }
        let before = item.pipelines().take(item.rest.len());
        let spares = self.dialect == Dialect::Zsh && before.flat_map(|p| &p.commands).any(|c| self.may_spare(c));
        let outer = std::mem::replace(&mut self.spares_next, spares);
        self.guarded += 1;
        self.run_pipeline(&item.first);
        self.guarded -= 1;
        self.go_on(&item.rest, item.is_background && self.dialect == Dialect::Zsh);
        self.spares_next = outer;
    }

    /// Whether what fails behind a command of several, as in `{ …; } && false`, may end nothing in zsh though `set -e` says so
    /// (measured: 5.9).
    fn may_spare(&self, command: &Command) -> bool {
        match &command.kind {
            Kind::Simple(_, words) => words.first().is_some_and(|word| {
                word.literal().is_none_or(|name| {
                    matches!(name, b"eval" | b"." | b"source" | b"command" | b"builtin") || self.is_function(name)
                })
            }),
            Kind::Subshell(_) | Kind::Test(_) | Kind::Arithmetic(_) | Kind::Function(..) | Kind::Named(..) => false,
            _ => true,
        }
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
        self.is_spared = self.spares_next;
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
        self.was_turned = false;
        match &pipeline.commands[..] {
            [command] => {
                self.guarded += usize::from(pipeline.is_negated);
                let turned_at = self.turned_at;
                if pipeline.is_negated {
                    self.turned_at = Some(self.frames.len());
                }
                self.run_command(command);
                self.turned_at = turned_at;
                self.guarded -= usize::from(pipeline.is_negated);
            }
            commands => {
                self.run_pipe(commands);
                // Where the last one has no shell of its own it was asked by itself.
                let is_last_alone = self.runs_last_itself() != Some(true) || self.may_be_set("pipefail");
                if is_last_alone && !pipeline.is_negated {
                    self.check_failure();
                }
            }
        }
        if pipeline.is_timed {
            self.complain();
            // What is printed around it may be lost there (measured: 93u+m).
            if self.dialect == Dialect::Ksh {
                self.say_perhaps();
            }
        }
        self.was_turned = pipeline.is_negated;
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
        let mut statuses: Vec<Status> = Vec::new();
        let mut spilled = false;
        let pipefail = outer.option("pipefail");
        for (index, command) in commands.iter().enumerate() {
            let is_last = index == last;
            // It reads what is piped to it as well (zshmisc(1), «Multios»).
            let prints_nothing = input.as_ref().is_some_and(|(text, _)| text.is_empty());
            let both = (index > 0 && self.dialect == Dialect::Zsh).then(|| reads_both(command)).flatten();
            let command = both.as_ref().unwrap_or(command);
            if let Some(state) = &mut self.live {
                state.input = input.take();
                if !is_last {
                    state.output.take_up();
                }
            }
            if is_last && self.runs_last_itself() == Some(true) {
                // There an error within gives up no more than this (measured: 93u+m).
                let is_ksh = self.dialect == Dialect::Ksh;
                let outputs = self.outputs;
                if is_ksh {
                    self.enter(Boundary::Redirected);
                }
                self.run_command(command);
                if is_ksh {
                    self.end();
                }
                // What only sets leaves the status of the one before, who may be stopped as nobody reads what it prints
                // (measured: 5.9).
                let only_sets = matches!(&command.kind, Kind::Simple(set, words) if words.is_empty() && !set.is_empty());
                let only_sets = only_sets && command.redirects.is_empty();
                let runs_more = self.outputs > outputs;
                match statuses.last() {
                    Some(before) if self.dialect == Dialect::Zsh && only_sets && prints_nothing && !runs_more => {
                        self.put_status(before.clone());
                    }
                    _ if self.dialect == Dialect::Zsh && only_sets => {
                        self.doubt_status(self.doubt("how an assignment ends that a pipe runs"));
                    }
                    _ => {}
                }
                // What it says of that itself counts, or not.
                let is_changed = self.live.as_ref().is_some_and(|state| state.option("pipefail") != pipefail);
                let is_dynamic =
                    matches!(&command.kind, Kind::Simple(_, words) if words.first().is_some_and(|word| word.literal().is_none()));
                if is_changed || is_dynamic && self.dialect == Dialect::Zsh {
                    self.doubt_status(self.doubt("how a command of a pipe ends"));
                }
                self.pipe_status(&statuses, pipefail);
                self.after_pipe(left, spilled);
                return;
            }
            self.is_piped = !is_last;
            self.subshell_for(Apart::Beside, |m| m.run_command(command));
            spilled |= !is_last && self.live.as_ref().is_some_and(|state| state.output.spilled);
            // What only sets is no command there, whatever could not be opened.
            let only_sets = matches!(&command.kind, Kind::Simple(_, words) if words.is_empty()) && !command.redirects.is_empty();
            if self.dialect == Dialect::Bash && only_sets && self.status() != Status::Known(0) {
                self.doubt_status(self.doubt("how an assignment ends that a pipe runs"));
            }
            // By itself in a pipe such an error has a status of its own there (measured: bash 5.2).
            if self.dialect == Dialect::Bash && self.status() == Status::Known(1) && declares(command) {
                self.doubt_status(self.doubt("how a declaration ends that a pipe runs"));
            }
            if index == 0 {
                left = self.live.as_ref().and_then(|s| s.input.clone());
            }
            if is_last {
                break;
            }
            input = self.live.as_ref().and_then(|s| s.output.text.as_ref()).and_then(Val::known).map(|text| (text.clone(), 0));
            let status = self.status();
            statuses.push(status);
            self.live = Some(outer.fork());
        }
        self.pipe_status(&statuses, pipefail);
        self.after_pipe(left, spilled);
    }

    /// What was not piped is read on behind a pipe, and written to what is taken up around it.
    fn after_pipe(&mut self, input: Option<(bytes::Bytes, usize)>, spilled: bool) {
        let doubt = self.doubt("what a command of a pipe prints");
        if let Some(state) = &mut self.live {
            state.input = input;
            // A pipe may get the number of one that is closed.
            let spilled = spilled || state.output.streams.lacks;
            state.output.take_over(spilled, &doubt);
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
        // An error there leaves the status as it was, by which a file that is taken in may end well (measured: 5.9).
        if self.dialect == Dialect::Zsh && self.may_be_set("errexit") && self.may_be_an_error(&word.parts) {
            return self.fail_perhaps("what a case asks for may be an error");
        }
        let mut text = self.one_word(word).unwrap_or_else(Val::unknown);
        if self.dialect == Dialect::Bash && word.parts.iter().any(may_leave_quotes) {
            text = Val::unknown(self.doubt(ODD_WORD));
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
    pub(super) fn nothing_ran(&mut self) {
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
            Err(_) if self.is_spent() => {}
            Err(doubt) => {
                let by = self.here();
                self.fork(&doubt, |m| m.under(&by, None, |m| m.run_arm(arm, text, rest)), |m| m.run_arms(text, rest));
            }
        }
    }

    /// Whether a text fits one of some patterns.
    fn is_case(&mut self, text: &Val, patterns: &[Word]) -> Maybe {
        let mut matches = Ok(false);
        self.steps.count(patterns.len());
        for pattern in patterns {
            match (self.fits(text, pattern, false), &matches) {
                (Ok(true), _) => return Ok(true),
                (Err(doubt), Ok(_)) => matches = Err(doubt),
                _ => {}
            }
        }
        match text {
            // Each of a few values may fit another pattern.
            Val::Unknown(unknown) if matches.is_err() && !unknown.could_be().is_empty() && patterns.len() > 1 => {
                for value in unknown.could_be() {
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
            Change::Instead(.., word) => {
                word.parts.len() > 1 && word.parts.iter().any(is_quoted) || word.parts.iter().any(may_leave_quotes)
            }
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
