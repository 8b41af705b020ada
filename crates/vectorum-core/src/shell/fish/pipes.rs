//! Pipelines: which of their commands run, what each hands to the next, and how they end.

use super::parse::Pipe;
use super::words::MAY_NOT_RUN;
use super::*;

impl Fish<'_> {
    /// Runs a pipeline. Each of its commands but programs runs in the shell itself, so that what it sets stays.
    pub(super) fn run_line(&mut self, line: &[Job]) {
        let Some((last, before)) = line.split_last() else { return };
        if before.is_empty() {
            self.run_job(last);
        } else if !self.run_pipe(last, before) {
            return;
        }
        // Each of them may be turned round.
        if !before.is_empty() && last.negated {
            self.turn_status();
        }
        // What was not run is not turned round; what a word stands for may have been.
        let is_refused = self.is_refused(last);
        let is_named =
            |job: &Job| !matches!(&job.kind, Kinds::Command(words) if words.first().is_some_and(|word| word.literal().is_none()));
        let was_refused = self.live.as_ref().is_some_and(|state| state.refused != Refused::No);
        if line.first().is_some_and(|j| j.negated) && !is_refused && !is_named(last) && was_refused {
            return self.doubt_status(MAY_NOT_RUN);
        }
        if line.first().is_some_and(|j| j.negated) && !is_refused {
            self.turn_status();
        }
    }

    fn turn_status(&mut self) {
        if let Some(Ok(status)) = self.live.as_mut().map(|state| &mut state.status) {
            *status = u8::from(*status == 0);
        }
    }

    /// Runs commands that hand what they print to each other; whether they were run.
    fn run_pipe(&mut self, last: &Job, before: &[Job]) -> bool {
        // Where there is no such command none of them is run.
        let all = || before.iter().chain([last]);
        let is_nameless =
            |job: &Job| matches!(&job.kind, Kinds::Command(words) if words.first().and_then(Word::literal) == Some(b""));
        if all().any(is_nameless) {
            self.refuse(123);
            return false;
        }
        let found: Vec<Result<bool, Arc<Doubt>>> = all().map(|job| self.runs_something(job)).collect();
        if found.contains(&Ok(false)) {
            self.refuse(127);
            return false;
        }
        // Whether it is there counts where another sets something.
        if let Some(doubt) = found.into_iter().find_map(Result::err)
            && all().any(|job| self.may_set(job))
        {
            let run = |m: &mut Self| {
                m.run_found(last, before);
            };
            self.fork(&doubt, run, |m| m.refuse(127));
            return false;
        }
        self.run_found(last, before)
    }

    fn run_found(&mut self, last: &Job, before: &[Job]) -> bool {
        let outer = self.live.as_ref().map(|s| s.input.clone()).unwrap_or_default();
        let (mut may_be_refused, mut may_not_run) = (false, false);
        // The words of all of them are expanded before the first is run (measured: 3.6).
        let mut may_be_set = false;
        let expanded: Vec<Cow<'_, Job>> = before
            .iter()
            .chain([last])
            .map(|job| {
                let job = if may_be_set { self.expanded_before(job) } else { Cow::Borrowed(job) };
                may_be_set |= self.may_set(&job);
                job
            })
            .collect();
        let Some((last, before)) = expanded.split_last() else { return true };
        for job in before {
            let status = self.live.as_ref().map_or(Ok(0), |s| s.status.clone());
            let run = |m: &mut Self| m.run_job(job);
            let text = self.captured(|m| match may_not_run {
                true => m.fork(&m.doubt(MAY_NOT_RUN), run, |_| {}),
                false => run(m),
            });
            let unopened = self.live.as_ref().map_or(Refused::No, |state| state.unopened);
            // What is not piped goes where it went.
            if job.pipe != Some(Pipe::Output) && text.known().is_none_or(|text| !text.is_empty()) {
                self.print(Val::unknown(self.doubt("what a command prints")));
            }
            // Then nothing of the pipeline is run.
            if self.is_refused(job) {
                return false;
            }
            // Nor is what comes behind one whose files cannot be opened (measured: 3.6).
            if unopened == Refused::Yes {
                self.live.iter_mut().for_each(|state| state.input = outer.clone());
                self.doubt_status(MAY_NOT_RUN);
                return true;
            }
            may_not_run |= unopened == Refused::Perhaps;
            may_not_run |= self.live.as_ref().is_some_and(|state| state.refused == Refused::Perhaps);
            may_be_refused |= self
                .live
                .as_ref()
                .is_some_and(|state| state.refused != Refused::No || !job.redirects.is_empty() && state.status != Ok(0));
            let is_block = !matches!(job.kind, Kinds::Command(_));
            let calls = self.calls_function(job);
            let doubt = self.doubt("how a function in a pipe ends");
            let Some(state) = &mut self.live else { return false };
            // A block hands its status to the next; a single command does not.
            match (is_block, calls) {
                (true, _) => {}
                (_, true) => state.status = Err(doubt),
                _ => state.status = status,
            }
            state.input = Input {
                text: if job.pipe == Some(Pipe::Output) { text } else { Val::filled("what a command prints") },
                is_given: true,
            };
        }
        if may_not_run && self.may_set(last) {
            let doubt = self.doubt(MAY_NOT_RUN);
            self.fork(&doubt, |m| m.run_job(last), |m| m.doubt_status(MAY_NOT_RUN));
        } else {
            self.run_job(last);
        }
        // What those before it set may be where it is looked up, which was done before.
        let is_lost = self.live.as_ref().is_some_and(|state| state.refused != Refused::No);
        if is_lost && before.iter().any(|job| self.may_set(job)) {
            self.doubt_status(MAY_NOT_RUN);
        }
        // What sets a variable there ends like the command before it.
        let sets = |words: &[Word]| words.iter().map_while(Word::literal).find(|word| *word != b"builtin") == Some(b"set");
        if matches!(&last.kind, Kinds::Command(words) if sets(words)) {
            self.doubt_status("how a pipe ends that sets a variable");
        }
        if may_be_refused {
            self.doubt_status(MAY_NOT_RUN);
        }
        if let Some(state) = &mut self.live {
            state.input = outer;
        }
        true
    }

    /// A command with its words as they are now, where they hang on variables.
    fn expanded_before<'j>(&mut self, job: &'j Job) -> Cow<'j, Job> {
        let Kinds::Command(words) = &job.kind else { return Cow::Borrowed(job) };
        let parts = || words.iter().flat_map(|word| &word.parts);
        if !parts().any(Part::is_expanded) || parts().any(Part::has_output) || !job.vars.is_empty() {
            return Cow::Borrowed(job);
        }
        let part = |value: Val| match value {
            Val::Known(text) => Part::Quoted(text),
            Val::Unknown(_) => Part::Unfollowed("a word in a pipe that is not known"),
        };
        let words = match self.fields(words) {
            Ok(values) => values.into_iter().map(|value| Word { parts: vec![part(value)] }).collect(),
            // What is not known now is not known later either.
            Err(doubt) => {
                let unknown = || Word { parts: vec![part(Val::unknown(doubt.clone()))] };
                words.iter().map(|word| if word.literal().is_some() { word.clone() } else { unknown() }).collect()
            }
        };
        Cow::Owned(Job { kind: Kinds::Command(words), ..job.clone() })
    }

    /// Whether a command may set something that stays.
    fn may_set(&self, job: &Job) -> bool {
        let Kinds::Command(words) = &job.kind else { return true };
        let sets = |name: &[u8]| {
            matches!(name, b"set" | b"read" | b"export" | b"source" | b"." | b"eval" | b"cd" | b"argparse" | b"string")
        };
        words.first().and_then(Word::literal).is_none_or(sets) || self.calls_function(job)
    }

    /// Whether there is such a command as the one that is to run, as far as its name tells.
    fn runs_something(&mut self, job: &Job) -> Result<bool, Arc<Doubt>> {
        let Kinds::Command(words) = &job.kind else { return Ok(true) };
        let Some(first) = words.first() else { return Ok(true) };
        let name = match first.literal() {
            Some(name) => name.to_vec(),
            None if first.parts.iter().any(Part::has_output) => return Ok(true),
            // Nothing is none (measured: 3.6).
            None => match self.fields(std::slice::from_ref(first)).ok().as_deref() {
                Some([Val::Known(name), ..]) if !name.is_empty() => name.to_vec(),
                _ => return Err(self.doubt("a command whose name is made up")),
            },
        };
        let is_own = self.has_command(&name) || self.is_shipped(&name);
        let is_function = self.function(&name).is_some() || self.autoloaded(&name).is_some();
        if is_own || is_function || self.may_be_elsewhere() || name.contains(&b'/') {
            return Ok(true);
        }
        self.program(&name).map(|path| path.is_some())
    }

    /// Whether a command, itself and no other within it, was just refused.
    fn is_refused(&self, job: &Job) -> bool {
        let is_refused = self.live.as_ref().is_some_and(|state| state.refused == Refused::Yes);
        is_refused && matches!(job.kind, Kinds::Command(_)) && !self.calls_function(job)
    }

    pub(super) fn calls_function(&self, job: &Job) -> bool {
        let Kinds::Command(words) = &job.kind else { return false };
        words.first().and_then(Word::literal).is_none_or(|name| self.function(name).is_some() || self.autoloaded(name).is_some())
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn commands_of_a_pipe_hand_on_what_they_print() {
        hold_fish(&[
            ("echo a | read X; set -gx OUT $X", "a"),
            ("echo a b | read X Y; set -gx OUT $Y-$X", "b-a"),
            ("echo a | read -l X; set -gx OUT \"-$X-\"", "-a-"),
            ("printf 'a\\nb\\n' | read -z X; set -gx OUT \"-$X-\"", "<unknown>"),
            ("set -g B 1 | set -gx OUT \"-$B-\"", "--"),
            ("set -g B 0; set -g B 1 | set -gx OUT \"-$B-\"", "-0-"),
            ("set -g B 0; begin; set -g B 1; end | set -gx OUT \"-$B-\"", "-0-"),
            ("set -g B 0; function f; set -g B 1; end; f | set -gx OUT \"-$B-\"", "-0-"),
            ("set -g B 0; set -g B 1 | begin; set -gx OUT \"-$B-\"; end", "-1-"),
            ("echo 7 | read C | set -gx OUT \"-$C-\"", "--"),
            ("echo 7 | read C | begin; set -gx OUT \"-$C-\"; end", "-7-"),
            ("set B 1 | true; set -gx OUT \"-$B-\"", "-1-"),
            ("true | set B 1; set -gx OUT \"-$B-\"", "-1-"),
            ("true | true; set -gx OUT $status", "0"),
            ("true | false; set -gx OUT $status", "1"),
            ("false | true; set -gx OUT $status", "0"),
            ("not true | false; set -gx OUT $status", "0"),
            ("not false | true; set -gx OUT $status", "1"),
            ("! true | true; set -gx OUT $status", "1"),
            ("true | nosuchcmd; set -gx OUT $status", "127"),
            ("nosuchcmd | true; set -gx OUT $status", "127"),
            ("set -g X 1 | nosuchcmd; set -gx OUT \"$X-$status\"", "-127"),
            ("echo a | while read -l L; set -g X \"$X$L\"; end; set -gx OUT \"-$X-\"", "-a-"),
            ("printf 'a\\nb\\n' | while read L; set -g X \"$X$L\"; end; set -gx OUT \"-$X-\"", "-ab-"),
            ("echo a | begin; read X; set -gx OUT $X; end", "a"),
            ("echo a | begin; read X; read Y; set -gx OUT \"$X-$Y\"; end", "a-"),
            ("function f; read X; set -gx OUT \"-$X-\"; end; echo q | f", "-q-"),
            ("function f; read -g X; end; echo q | f; set -gx OUT $X", "q"),
            ("echo a | for i in 1 2; read X; set -g Z \"$Z-$X\"; end; set -gx OUT $Z", "-a-"),
            ("echo a | if read X; set -gx OUT $X; end", "a"),
            ("echo a | string upper | read X; set -gx OUT $X", "A"),
            ("string split : a:b | read -l X; set -gx OUT \"-$X-\"", "-a-"),
            ("echo a:b | read -d : X Y; set -gx OUT \"$Y-$X\"", "b-a"),
            ("echo 'set -gx OUT q' | source", "q"),
            ("echo 'set -g X q' | source; set -gx OUT $X", "q"),
            ("echo 'set -l X q' | source; set -gx OUT \"-$X-\"", "--"),
            ("echo 'set X q' | source; set -gx OUT \"-$X-\"", "-q-"),
            ("echo 'X=6' | source; set -gx OUT $status", "1"),
            ("echo 'read -g X' | source; set -gx OUT \"$status=$X=\"", "1=="),
            ("function f; echo 'return 3' | source; set -g B 1; end; f; set -gx OUT \"$status=$B=\"", "3=="),
            ("echo 'return 3' | source; set -gx OUT $status", "3"),
            ("echo 'set -gx OUT $argv' | source - p q", "p q"),
            ("true; and set -gx OUT 1", "1"),
            ("false; or set -gx OUT 1", "1"),
            ("false; and set -gx OUT 1; set -q OUT; or set -gx OUT none", "none"),
            ("true && set -gx OUT 1 || set -gx OUT 2", "1"),
            ("false && set -gx OUT 1 || set -gx OUT 2", "2"),
            ("true | false && set -gx OUT 1; set -q OUT; or set -gx OUT no", "no"),
            ("echo a 2>| read X; set -gx OUT \"-$X-\"", "<unknown>"),
            ("echo a &| read X; set -gx OUT \"-$X-\"", "<unknown>"),
            // What comes behind what cannot be opened is not run.
            ("echo a </missing | read X; set -gx OUT \"-$X-\"", "--"),
            ("true </missing | set X 1; set -gx OUT \"-$X-\"", "--"),
            ("true | begin; true; end </missing | set X 1; set -gx OUT \"-$X-\"", "--"),
            ("begin; true </missing; end | set X 1; set -gx OUT \"-$X-\"", "-1-"),
            ("true </home/$UNKNOWN | set X 1; set -gx OUT \"-$X-\"", "<unknown>"),
            ("true 2>/dev/null | set X 1; set -gx OUT \"-$X-\"", "-1-"),
        ]);
    }
}
