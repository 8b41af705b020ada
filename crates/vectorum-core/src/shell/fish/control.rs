//! Lists of commands, pipelines, conditions and loops.

use super::commands::is_harmless;
use super::misplaced::is_among_own;
use super::parse::Pipe;
use super::set::is_locked;
use super::words::MAY_NOT_RUN;
use super::*;

/// So often a loop is gone through at most.
const ROUNDS: usize = 200;

/// What is left: the round of a loop, the loop, a function, a file, the shell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Leaves {
    Round,
    Loop,
    Function,
    File,
    Shell,
}

/// Something that can be left from within, and the states in which it was.
pub(super) struct Frame {
    kind: Leaves,
    /// How many scopes are around it, and how many outputs that are taken in.
    scopes: usize,
    captures: usize,
    pub(super) left: Left<State>,
}

impl Fish<'_> {
    pub(super) fn fork(&mut self, doubt: &Arc<Doubt>, one: impl FnOnce(&mut Self), other: impl FnOnce(&mut Self)) {
        branch::part(self, |m| &mut m.live, doubt, one, other);
    }

    /// Runs something that may be left from within; what leaves it goes on behind it.
    pub(super) fn framed(&mut self, kind: Leaves, run: impl FnOnce(&mut Self)) {
        let scopes = self.live.as_ref().map_or(0, |s| s.scopes.len());
        self.frames.push(Frame { kind, scopes, captures: self.captures, left: Left::default() });
        run(self);
        let why = self.doubt(PARTED);
        if let Some(mut frame) = self.frames.pop() {
            self.live = branch::join(self.live.take(), frame.left.take(), &why);
        }
    }

    pub(super) fn is_in_loop(&self) -> bool {
        self.frames.iter().any(|frame| matches!(frame.kind, Leaves::Loop | Leaves::Round))
    }

    pub(super) fn leave(&mut self, kind: Leaves) {
        let is_loop = matches!(kind, Leaves::Round | Leaves::Loop);
        // No loop is left from within a function or a file that it runs.
        let bars = |f: &Frame| is_loop && matches!(f.kind, Leaves::Function | Leaves::File);
        let inner = self.frames.iter().rposition(|f| f.kind == kind || bars(f));
        let Some(frame) = inner.and_then(|at| self.frames.get_mut(at)).filter(|f| f.kind == kind) else {
            return self.fog("a loop is left where there is none");
        };
        let state = self.live.take().map(|mut s| {
            s.scopes.truncate(frame.scopes);
            if frame.captures != self.captures {
                (s.output, s.input) = (None, Input::default());
            }
            s
        });
        let here = Site { path: self.source.path.clone(), line: self.source.line(self.at) };
        if kind == Leaves::Shell && inner == Some(0) && self.quiet == 0 {
            self.end = Some(here.clone());
        }
        frame.left.add(state, &Doubt::new(PARTED, Some(here)));
    }

    /// Leaves the function that runs, even from within a file that it runs, or else the file.
    pub(super) fn return_from(&mut self) {
        let is_called = self.frames.iter().any(|f| f.kind == Leaves::Function);
        self.leave(if is_called { Leaves::Function } else { Leaves::File });
    }

    /// `exit`: what a file runs that is taken in leaves that file only, and so do those of the configuration; the shell
    /// ends where a script itself does it (measured: fish 3.6).
    pub(super) fn exit_from(&mut self) {
        let files = self.frames.iter().filter(|f| f.kind == Leaves::File).count();
        let own = usize::from(self.until.is_some());
        self.leave(if files > own { Leaves::File } else { Leaves::Shell });
    }

    /// States in which the shell was ended.
    pub(super) fn ended(&mut self) -> Option<State> {
        self.frames.drain(..).next().and_then(|mut f| f.left.take())
    }

    pub(super) fn begin_frames() -> Vec<Frame> {
        vec![Frame { kind: Leaves::Shell, scopes: 2, captures: 0, left: Left::default() }]
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

    /// Runs a pipeline. Each of its commands but programs runs in the shell itself, so that what it sets stays.
    fn run_line(&mut self, line: &[Job]) {
        let Some((last, before)) = line.split_last() else { return };
        if before.is_empty() {
            self.run_job(last);
        } else if !self.run_pipe(last, before) {
            return;
        }
        // What was not run is not turned round; what a word stands for may have been.
        let is_refused = self.is_refused(last);
        let is_named =
            |job: &Job| !matches!(&job.kind, Kinds::Command(words) if words.first().is_some_and(|word| word.literal().is_none()));
        let was_refused = self.live.as_ref().is_some_and(|state| state.refused != Refused::No);
        if line.first().is_some_and(|j| j.negated) && !is_refused && !is_named(last) && was_refused {
            return self.doubt_status(MAY_NOT_RUN);
        }
        if line.first().is_some_and(|j| j.negated)
            && !is_refused
            && let Some(state) = &mut self.live
            && let Ok(status) = &mut state.status
        {
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
        let mut may_be_refused = false;
        for job in before {
            let status = self.live.as_ref().map_or(Ok(0), |s| s.status.clone());
            let text = self.captured(|m| m.run_job(job));
            // Then nothing of the pipeline is run.
            if self.is_refused(job) {
                return false;
            }
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
                text: if job.pipe == Some(Pipe::Output) { text } else { Val::Unknown(Doubt::filled("what a command prints")) },
                is_given: true,
            };
        }
        self.run_job(last);
        // What sets a variable there ends like the command before it.
        if matches!(&last.kind, Kinds::Command(words) if words.first().and_then(Word::literal) == Some(b"set")) {
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

    /// Whether a command may set something that stays.
    fn may_set(&self, job: &Job) -> bool {
        let Kinds::Command(words) = &job.kind else { return true };
        let sets = |name: &[u8]| {
            matches!(name, b"set" | b"read" | b"export" | b"source" | b"." | b"eval" | b"cd" | b"argparse" | b"string")
        };
        words.first().and_then(Word::literal).is_none_or(sets) || self.calls_function(job)
    }

    /// Runs what stands behind a command that was run.
    fn ran_and(&mut self, rest: &[Job]) {
        self.ran();
        self.run(rest);
    }

    /// Whether a command, itself and no other within it, was just refused.
    fn is_refused(&self, job: &Job) -> bool {
        let is_refused = self.live.as_ref().is_some_and(|state| state.refused == Refused::Yes);
        is_refused && matches!(job.kind, Kinds::Command(_)) && !self.calls_function(job)
    }

    /// Whether there is such a command as the one that is to run, as far as its name tells.
    fn runs_something(&mut self, job: &Job) -> Result<bool, Arc<Doubt>> {
        let Kinds::Command(words) = &job.kind else { return Ok(true) };
        let Some(name) = words.first().and_then(Word::literal).map(<[u8]>::to_vec) else { return Ok(true) };
        let is_own = self.is_own(&name) || is_harmless(&name) || is_among_own(&name) || self.is_shipped(&name);
        if is_own || self.calls_function(job) || self.may_be_elsewhere() || name.contains(&b'/') {
            return Ok(true);
        }
        self.program(&name).map(|path| path.is_some())
    }

    fn calls_function(&self, job: &Job) -> bool {
        let Kinds::Command(words) = &job.kind else { return false };
        words.first().and_then(Word::literal).is_none_or(|name| self.function(name).is_some() || self.autoloaded(name).is_some())
    }

    /// Runs something and takes in what it prints.
    pub(super) fn captured(&mut self, run: impl FnOnce(&mut Self)) -> Val {
        let Some(state) = &mut self.live else { return Val::of(b"") };
        let outer = state.output.replace(Val::of(b""));
        self.captures += 1;
        run(self);
        self.captures -= 1;
        let text = self.live.as_mut().and_then(|s| std::mem::replace(&mut s.output, outer));
        text.unwrap_or_else(|| Val::Unknown(self.doubt("what a command prints")))
    }

    fn run_job(&mut self, job: &Job) {
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
        for (name, word) in &job.vars {
            let items = self.expand(word);
            let items = if word.parts.is_empty() { Ok(vec![Val::of(b"")]) } else { items };
            self.put_var(name, Some(Kept::Block), items, Some(true), None);
        }
        self.redirected(job);
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

    fn run_kind(&mut self, kind: &Kinds) {
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
                self.run_if(arms, otherwise);
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

    /// Runs something whose input or output is redirected, or not at all where a file cannot be opened.
    fn redirected(&mut self, job: &Job) {
        if job.redirects.is_empty() {
            return self.run_kind(&job.kind);
        }
        let Some(state) = &self.live else { return };
        let outer = (state.input.clone(), state.output.clone());
        let (mut is_opened, mut is_taken) = (Ok(true), false);
        for (kind, word) in &job.redirects {
            let target = match self.expand(word).as_deref() {
                Ok([Val::Known(target)]) => Some(target.clone()),
                _ => None,
            };
            let digits = kind.iter().take_while(|b| b.is_ascii_digit()).count();
            let (number, operator) = kind.split_at(digits);
            let opened = match (operator, &target) {
                (b">&" | b"<&", _) => Ok(true),
                (_, None) => Err(self.doubt("a file is opened whose name is not known")),
                (b"<", Some(path)) => {
                    let path = self.full(path);
                    let (text, opened) = match self.ground.files.read(&path) {
                        _ if path.starts_with(b"/dev/") || path.starts_with(b"/proc/") => (None, Ok(true)),
                        Content::Bytes(text) => (Some(Val::of(&text)), Ok(true)),
                        Content::Missing if self.ground.files.kind(&path) == Kind::Missing => (None, Ok(false)),
                        _ => (None, Err(self.doubt("whether a file may be read is not known"))),
                    };
                    if let Some(state) = &mut self.live {
                        let text = match &path[..] {
                            b"/dev/null" => Some(Val::of(b"")),
                            _ => text,
                        };
                        // What a pipe hands it comes before that.
                        let text = text.filter(|_| !outer.0.is_given);
                        state.input = Input { text: text.unwrap_or(Input::default().text), is_given: true };
                    }
                    opened
                }
                (_, Some(path)) => {
                    let path = self.full(path);
                    let may = self.may_be_written(&path);
                    if !path.starts_with(b"/dev/") && may != Ok(false) {
                        self.touched.touch(&path);
                    }
                    may
                }
            };
            is_opened = match (is_opened, opened) {
                (Ok(false), _) | (_, Ok(false)) => Ok(false),
                (Err(doubt), _) | (_, Err(doubt)) => Err(doubt),
                _ => Ok(true),
            };
            is_taken |= operator.starts_with(b"&") || operator.starts_with(b">") && matches!(number, b"" | b"1");
        }
        let apart = |m: &mut Self| {
            m.run_kind(&job.kind);
            if let Some(state) = &mut m.live {
                state.input = outer.0;
                if is_taken {
                    state.output = outer.1;
                }
            }
        };
        // What is wrong with a command or its words is told before.
        let is_plain = match &job.kind {
            Kinds::Command(words) => {
                let runs = |name: &[u8]| self.is_own(name) || self.function(name).is_some() || self.is_shipped(name);
                words.iter().all(|word| !word.parts.iter().any(Part::has_output))
                    && words.first().and_then(Word::literal).is_some_and(runs)
            }
            _ => true,
        };
        // What a function ends with then is its own affair.
        let is_plain = is_plain && !self.frames.iter().any(|frame| frame.kind == Leaves::Function);
        let fails = |m: &mut Self| if is_plain { m.set_status(1) } else { m.doubt_status("a file that cannot be opened") };
        match is_opened {
            Ok(true) => apart(self),
            Ok(false) => fails(self),
            Err(doubt) => self.fork(&doubt, apart, fails),
        }
    }

    /// Whether a file can be opened to write to it.
    fn may_be_written(&self, path: &[u8]) -> Result<bool, Arc<Doubt>> {
        let folder = path.get(..memchr::memrchr(b'/', path).unwrap_or(0).max(1)).unwrap_or_default();
        let may = |path: &[u8]| self.ground.files.may(path, self.account.uid, self.account.gid, Want::Write);
        let answer = match (self.ground.files.kind(path), self.ground.files.kind(folder)) {
            _ if path.starts_with(b"/dev/") => Some(true),
            // From the folder for passing files nobody is kept out (FHS 3.0, 3.18).
            (Kind::Missing, _) if folder == b"/tmp" => Some(true),
            (Kind::File | Kind::Program, _) => may(path),
            (Kind::Folder, _) | (Kind::Missing, Kind::File | Kind::Program) => Some(false),
            (Kind::Missing, Kind::Folder) => may(folder),
            _ => None,
        };
        answer.ok_or_else(|| self.doubt("whether a file may be written is not known"))
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

    fn run_if(&mut self, arms: &[(Vec<Job>, Vec<Job>)], otherwise: &[Job]) {
        let Some(((condition, body), rest)) = arms.split_first() else {
            if otherwise.is_empty() {
                self.set_status(0);
            }
            return self.block(otherwise);
        };
        // What a condition sets stays, even what is local.
        self.run(condition);
        match self.succeeded() {
            Ok(true) => {
                let by = self.here();
                for (_, other) in rest {
                    self.note(other, "a condition above it holds", &by);
                }
                self.note(otherwise, "the condition above it holds", &by);
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
            Ok(fields) if fields.len() > 1 => return self.doubt_status("a switch over several words"),
            Ok(fields) => fields.into_iter().next().unwrap_or_else(|| Val::of(b"")),
            Err(doubt) if self.refuse_for(&doubt) => return,
            // Of several words it is an error.
            Err(doubt) => {
                let text = Val::Unknown(doubt.clone());
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
            // Stars in patterns of `case` are no names of files.
            let star = |p: &Part| if matches!(p, Part::Star) { Part::Text(Bytes::from_static(b"*")) } else { p.clone() };
            let plain = Word { parts: word.parts.iter().map(star).collect() };
            let patterns = self.fields(std::slice::from_ref(&plain)).unwrap_or_else(|doubt| vec![Val::Unknown(doubt)]);
            for pattern in patterns {
                match (text, &pattern) {
                    (_, Val::Known(pattern)) if pattern == &b"*"[..] => fits = Ok(true),
                    (Val::Known(text), Val::Known(pattern)) => match self.is_case(text, pattern) {
                        Ok(true) => fits = Ok(true),
                        Ok(false) => {}
                        Err(doubt) => fits = Err(doubt),
                    },
                    (Val::Unknown(doubt), _) | (_, Val::Unknown(doubt)) => fits = Err(doubt.clone()),
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
        if !name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_' || !b.is_ascii()) || is_locked(name) {
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
                m.put(name, None, vec![Val::Unknown(doubt.clone())], None, None);
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
