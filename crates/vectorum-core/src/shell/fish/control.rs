//! Lists of commands, conditions and loops.

use super::set::{is_locked, is_name};
use super::words::MAY_NOT_RUN;
use super::*;

/// So often a loop is gone through at most.
const ROUNDS: usize = 200;

impl Fish<'_> {
    pub(super) fn fork(&mut self, doubt: &Arc<Doubt>, one: impl FnOnce(&mut Self), other: impl FnOnce(&mut Self)) {
        branch::part(self, |m| &mut m.live, doubt, one, other);
    }

    pub(super) fn run(&mut self, jobs: &[Job]) {
        let mut index = 0;
        while let Some(job) = jobs.get(index) {
            if self.spent() {
                return;
            }
            self.at = job.at;
            let length = 1 + jobs.iter().skip(index).take_while(|j| j.pipe.is_some()).count();
            let line = jobs.get(index..index + length).unwrap_or_default();
            index += length;
            let wanted = match job.joint {
                Joint::Always => Ok(true),
                Joint::And => self.succeeded(),
                Joint::Or => self.succeeded().map(|s| !s),
            };
            match wanted {
                Ok(true) => {
                    self.run_line(line);
                    // Behind what was refused the rest of its line is not run, not even behind `||`.
                    let refused = self.live.as_ref().map_or(Refused::No, |state| state.refused);
                    let tail = tail_of(jobs, index);
                    if refused != Refused::No && tail > index {
                        let rest = jobs.get(index..tail).unwrap_or_default();
                        index = tail;
                        if refused == Refused::Perhaps {
                            let doubt = self.doubt(MAY_NOT_RUN);
                            self.fork(&doubt, |m| m.ran_and(rest), |_| {});
                        }
                    }
                }
                Ok(false) if job.is_tail => {}
                Ok(false) => index = tail_of(jobs, index),
                Err(doubt) => {
                    let tail = if job.is_tail { index } else { tail_of(jobs, index) };
                    let rest = jobs.get(index..tail).unwrap_or_default();
                    self.fork(
                        &doubt,
                        |m| {
                            m.run_line(line);
                            m.run(rest);
                        },
                        |_| {},
                    );
                    index = tail;
                }
            }
        }
    }

    /// Runs what stands behind a command that was run.
    fn ran_and(&mut self, rest: &[Job]) {
        self.ran();
        self.run(rest);
    }

    /// Runs something and takes in what it prints.
    pub(super) fn captured(&mut self, run: impl FnOnce(&mut Self)) -> Val {
        let Some(state) = &mut self.live else { return Val::of(b"") };
        let mut outer = state.output.clone();
        state.output.take_up();
        self.captures += 1;
        run(self);
        self.captures -= 1;
        let doubt = self.doubt("what a command prints");
        let text = self.live.as_mut().and_then(|s| {
            outer.take_over(s.output.spilled, &doubt);
            std::mem::replace(&mut s.output, outer).text
        });
        text.unwrap_or_else(|| Val::unknown(self.doubt("what a command prints")))
    }

    pub(super) fn run_job(&mut self, job: &Job) {
        if self.nested >= MOST_NESTED {
            return self.fog("commands lie too deep in each other");
        }
        self.nested += 1;
        self.run_with_vars(job);
        self.nested -= 1;
    }

    fn run_with_vars(&mut self, job: &Job) {
        if job.vars.is_empty() {
            return self.redirected(job);
        }
        self.push(Kept::Block);
        let mut may_not_run = false;
        for (name, word) in &job.vars {
            let items = self.expand(word);
            match &items {
                // It is not run, or may not be, as by its words.
                Err(doubt) if self.refuse_for(doubt) => return self.pop(),
                Err(doubt) => may_not_run |= doubt.why == MAY_NOT_RUN,
                Ok(_) => {}
            }
            let items = if word.parts.is_empty() { Ok(vec![Val::of(b"")]) } else { items };
            self.put_var(name, Some(Kept::Block), items, Some(true), None);
        }
        match may_not_run {
            true => self.fork(&self.doubt(MAY_NOT_RUN), |m| m.redirected(job), Self::refuse_with_any_status),
            false => self.redirected(job),
        }
        self.pop();
    }

    /// Runs what is within something else: what that is handed to read is handed to none of these by itself.
    pub(super) fn within<T>(&mut self, run: impl FnOnce(&mut Self) -> T) -> T {
        let was_given = self.live.as_mut().map(|state| std::mem::replace(&mut state.input.is_given, false));
        let out = run(self);
        if let (Some(was_given), Some(state)) = (was_given, &mut self.live) {
            state.input.is_given = was_given;
        }
        out
    }

    pub(super) fn run_kind(&mut self, kind: &Kinds) {
        match kind {
            Kinds::Command(words) => self.command(words),
            block => self.within(|m| m.run_block(block)),
        }
    }

    fn run_block(&mut self, kind: &Kinds) {
        match kind {
            Kinds::Command(_) => {}
            // What is refused within them was not to be run itself, but for what stands in a block.
            Kinds::If(arms, otherwise) => {
                self.run_if(arms, otherwise.as_deref());
                self.ran();
            }
            Kinds::Switch(word, arms) => self.run_switch(word, arms),
            Kinds::For(name, words, body) => self.framed(Leaves::Loop, |m| m.run_for(name, words, body)),
            Kinds::While(condition, body) => {
                self.framed(Leaves::Loop, |m| m.run_while(condition, body));
                self.ran();
            }
            Kinds::Begin(body) => self.block(body),
            Kinds::Function(words, body) => self.define(words, body),
        }
    }

    fn block(&mut self, jobs: &[Job]) {
        self.push(Kept::Block);
        self.run(jobs);
        self.pop();
    }

    /// Runs something that the condition decides which was run last.
    fn under(&mut self, holds: Option<bool>, run: impl FnOnce(&mut Self)) {
        let inner = self.around.under(self.here(), holds);
        let outer = std::mem::replace(&mut self.around, inner);
        run(self);
        self.around = outer;
    }

    /// Notes the names that commands would set which are not reached.
    fn note(&mut self, jobs: &[Job], why: &'static str, by: &Site) {
        if self.quiet > 0 || self.skipped.len() > MOST_SKIPPED {
            return;
        }
        for job in jobs {
            let Kinds::Command(words) = &job.kind else { continue };
            let mut words = words.iter().map(Word::literal);
            if words.next().flatten() != Some(b"set") {
                continue;
            }
            if let Some(Some(name)) = words.find(|w| w.is_none_or(|w| !w.starts_with(b"-"))) {
                let site = Site { path: self.source.path.clone(), line: self.source.line(job.at) };
                let name = Bytes::copy_from_slice(name);
                self.skipped.push(Skipped { name, site, why, by: by.clone() });
            }
        }
    }

    fn run_if(&mut self, arms: &[(Vec<Job>, Vec<Job>)], otherwise: Option<&[Job]>) {
        let Some(((condition, body), rest)) = arms.split_first() else {
            // With nothing behind `else` the status is that of the condition (measured: 3.6).
            return match otherwise {
                Some(otherwise) => self.block(otherwise),
                None => self.set_status(0),
            };
        };
        // What a condition sets stays, even what is local.
        self.run(condition);
        match self.succeeded() {
            Ok(true) => {
                let by = self.here();
                for (_, other) in rest {
                    self.note(other, "a condition above it holds", &by);
                }
                self.note(otherwise.unwrap_or_default(), "the condition above it holds", &by);
                self.under(Some(true), |m| m.block(body));
            }
            Ok(false) => {
                let by = self.here();
                self.note(body, "its condition does not hold", &by);
                self.under(Some(false), |m| m.run_if(rest, otherwise));
            }
            Err(doubt) => {
                self.fork(&doubt, |m| m.under(None, |m| m.block(body)), |m| m.under(None, |m| m.run_if(rest, otherwise)));
            }
        }
    }

    fn run_switch(&mut self, word: &Word, arms: &[(Vec<Word>, Vec<Job>)]) {
        let text = match self.fields(std::slice::from_ref(word)) {
            // It is an error of expansion, and not run.
            Ok(fields) if fields.len() > 1 => return self.refuse(2),
            Ok(fields) => fields.into_iter().next().unwrap_or_else(|| Val::of(b"")),
            Err(doubt) if self.refuse_for(&doubt) => return,
            // Of several words it is an error.
            Err(doubt) => {
                let text = Val::unknown(doubt.clone());
                return self.fork(&doubt, |m| m.run_arms(&text, arms), |m| m.doubt_status("a switch over several words"));
            }
        };
        self.run_arms(&text, arms);
        self.ran();
    }

    fn run_arms(&mut self, text: &Val, arms: &[(Vec<Word>, Vec<Job>)]) {
        let Some(((words, body), rest)) = arms.split_first() else { return };
        let mut fits = Ok(false);
        'all: for word in words {
            // Stars without quotes name files there as well, and what names none is an error of that word (measured: 3.6).
            let patterns = match self.fields(std::slice::from_ref(word)) {
                Ok(patterns) => patterns,
                Err(doubt) if self.refuse_for(&doubt) => {
                    // In a function its status may be another one.
                    if self.frames.iter().any(|frame| frame.kind == Leaves::Function) {
                        self.doubt_status("how a switch ends whose pattern names no file");
                    }
                    Vec::new()
                }
                Err(doubt) => vec![Val::unknown(doubt)],
            };
            for pattern in patterns {
                match (text, &pattern) {
                    (_, Val::Known(pattern)) if pattern == &b"*"[..] => fits = Ok(true),
                    (Val::Known(text), Val::Known(pattern)) => match self.is_case(text, pattern) {
                        Ok(true) => fits = Ok(true),
                        Ok(false) => {}
                        Err(doubt) => fits = Err(doubt),
                    },
                    (Val::Unknown(unknown), _) | (_, Val::Unknown(unknown)) => fits = Err(unknown.doubt.clone()),
                }
                if fits == Ok(true) {
                    break 'all;
                }
            }
        }
        match fits {
            Ok(true) => self.block(body),
            Ok(false) => self.run_arms(text, rest),
            Err(doubt) => self.fork(&doubt, |m| m.block(body), |m| m.run_arms(text, rest)),
        }
    }

    fn is_case(&self, text: &[u8], pattern: &[u8]) -> Result<bool, Arc<Doubt>> {
        let odd = || self.doubt("a pattern of another kind");
        // A backslash that is left in it quotes.
        if pattern.contains(&b'\\') {
            return Err(odd());
        }
        // Only stars and question marks count, whether quoted or not.
        let quoted: Vec<bool> = pattern.iter().map(|b| *b != b'*' && *b != b'?').collect();
        Pattern::new(pattern, &quoted, Groups::None).and_then(|p| p.matches(text)).map_err(|_| odd())
    }

    fn run_for(&mut self, name: &[u8], words: &[Word], body: &[Job]) {
        let at = self.at;
        let outer = std::mem::replace(&mut self.may_be_empty, true);
        let values = self.fields(words);
        self.may_be_empty = outer;
        if let Err(doubt) = &values
            && self.refuse_for(&doubt.clone())
        {
            return;
        }
        if !is_name(name) || is_locked(name) {
            return self.set_status(2);
        }
        // The variable lies in the scope around the loop, and stays there.
        let old = self.items(name);
        self.put_var(name, Some(Kept::Block), old, None, None);
        self.push(Kept::Block);
        match values {
            Ok(values) => {
                for value in values {
                    self.at = at;
                    self.put(name, None, vec![value], None, None);
                    self.framed(Leaves::Round, |m| m.run(body));
                    if self.spent() {
                        break;
                    }
                }
            }
            Err(doubt) => self.repeat("a loop over what is not known", |m| {
                m.at = at;
                m.put(name, None, vec![Val::unknown(doubt.clone())], None, None);
                m.framed(Leaves::Round, |m| m.run(body));
            }),
        }
        self.pop();
        self.ran();
    }

    fn run_while(&mut self, condition: &[Job], body: &[Job]) {
        let at = self.at;
        for round in 0..ROUNDS {
            self.at = at;
            let before = branch::fork(&mut self.live);
            self.run(condition);
            match self.succeeded() {
                Ok(true) if round + 1 < ROUNDS => self.framed(Leaves::Round, |m| m.block(body)),
                Ok(true) => return self.fog("a loop that is not followed"),
                Ok(false) => {
                    // It ends as its body did the last time.
                    let status = if round == 0 { Ok(0) } else { before.map_or(Ok(0), |s| s.status) };
                    // That there is no such command stays so.
                    if let Some(state) = self.live.as_mut().filter(|s| s.status != Ok(127) && s.refused != Refused::Yes) {
                        state.status = status;
                    }
                    return;
                }
                // How often it runs is not known from here on.
                Err(_) => {
                    self.live = before;
                    self.repeat("a loop whose condition is not known", |m| {
                        m.at = at;
                        m.run(condition);
                        match m.succeeded() {
                            Ok(false) => m.leave(Leaves::Loop),
                            Ok(true) => m.framed(Leaves::Round, |m| m.block(body)),
                            Err(doubt) => {
                                m.fork(&doubt, |m| m.framed(Leaves::Round, |m| m.block(body)), |m| m.leave(Leaves::Loop));
                            }
                        }
                    });
                    // The loop goes on until its condition fails, which leaves it.
                    return;
                }
            }
            if self.spent() {
                return;
            }
        }
    }

    /// Runs something any number of times, from none on. What it changes is not known then.
    fn repeat(&mut self, why: &'static str, mut run: impl FnMut(&mut Self)) {
        for _ in 0..4 {
            let mut before = branch::fork(&mut self.live);
            run(self);
            let doubt = self.doubt(why);
            let after = branch::join(branch::fork(&mut before), self.live.take(), &doubt);
            self.live = after;
            if let (Some(state), Some(before)) = (&mut self.live, &before) {
                state.widen(before, &doubt);
            }
            if self.live.is_none() || self.live == before {
                return;
            }
        }
        self.fog(why);
    }
}

/// Where the rest of a line ends that hangs on what stands before it: `&& …`, `|| …`.
fn tail_of(jobs: &[Job], mut index: usize) -> usize {
    while jobs.get(index).is_some_and(|job| job.is_tail) {
        index += 1 + jobs.iter().skip(index).take_while(|job| job.pipe.is_some()).count();
    }
    index
}

#[cfg(test)]
mod tests {
    use super::super::super::trial::out_of_fish;

    #[test]
    fn blocks_run_as_often_as_they_do() {
        for (text, out) in [
            ("if true; set -gx OUT a; else; set -gx OUT b; end", "a"),
            ("if false; set -gx OUT a; else if true; set -gx OUT b; else; set -gx OUT c; end", "b"),
            ("if true; and false; set -gx OUT a; else; set -gx OUT b; end", "b"),
            ("for i in a b c; set -gx OUT $OUT$i; end", ""),
            ("set -gx OUT x; for i in a b c; set OUT $OUT$i; end", "xabc"),
            ("set -gx OUT x; for i in a b c; test $i = b; and continue; set OUT $OUT$i; end", "xac"),
            ("set -gx OUT x; for i in a b c; test $i = b; and break; set OUT $OUT$i; end", "xa"),
            ("for i in a b; end; set -gx OUT $i", "b"),
            ("set -l n 0; while test $n -lt 3; set n (math $n + 1); end; set -gx OUT $n", "3"),
            ("switch abc; case 'x*'; set -gx OUT 1; case 'a*' b; set -gx OUT 2; case '*'; set -gx OUT 3; end", "2"),
            ("switch abc; case x; set -gx OUT 1; end; set -gx OUT $status", "0"),
            ("false; or set -gx OUT a; and set -gx OUT b", "a"),
            ("not false; and set -gx OUT a", "a"),
            ("true; or set -gx OUT a", "none"),
            ("function f; return 3; set -g g x; end; f; set -gx OUT $status$g", ""),
            ("function f; return 3; end; f; set -gx OUT $status", "3"),
            ("begin; false; end; set -gx OUT $status", "1"),
            ("echo a b | read -l x y; set -gx OUT $y", "b"),
            ("tide-now; and set -gx OUT a; set -gx OUT b", "b"),
            ("begin; set -gx OUT a; end >/dev/null", "a"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }
}
