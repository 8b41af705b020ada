//! Redirections: whether files can be opened, and what a command reads and writes there.

use super::*;

impl Fish<'_> {
    /// Runs something whose input or output is redirected, or not at all where a file cannot be opened.
    pub(super) fn redirected(&mut self, job: &Job) {
        if job.redirects.is_empty() {
            self.run_kind(&job.kind);
            return self.put_unopened(Refused::No);
        }
        let Some(state) = &self.live else { return };
        let outer = (state.input.clone(), state.output.streams);
        let mut streams = outer.1;
        let (mut is_opened, mut is_named) = (Ok(true), true);
        for (kind, word) in &job.redirects {
            let target = match self.expand(word).as_deref() {
                Ok([Val::Known(target)]) => Some(target.clone()),
                _ => None,
            };
            // What names none, or many, is an error with a status of its own.
            is_named &= target.is_some();
            let digits = kind.iter().take_while(|b| b.is_ascii_digit()).count();
            let (number, operator) = kind.split_at(digits);
            let from = if number.is_empty() { Some(usize::from(!operator.starts_with(b"<"))) } else { digit(number) };
            let goes = match (operator, target.as_deref()) {
                (b">&" | b"<&", Some(number)) => digit(number).map_or(Goes::Away, |number| streams.goes(number)),
                (_, Some(path)) => streams.file(path, true),
                (_, None) => streams.any(),
            };
            let is_number = target
                .as_deref()
                .is_some_and(|target| target == b"-" || digit(target).is_some_and(|number| streams.is_open(number)));
            if target.as_deref() == Some(b"-") {
                streams.close(from);
            } else {
                streams.open(from, goes);
            }
            // What is written to it by another number comes by another way (measured: 3.6).
            if goes == Goes::Taken && from != Some(1) {
                self.live.iter_mut().for_each(|state| state.output.is_unordered = true);
            }
            if operator.starts_with(b"&") {
                streams.open(Some(2), goes);
            }
            let opened = match (operator, &target) {
                (b">&" | b"<&", Some(_)) if is_number => Ok(true),
                (b">&" | b"<&", _) => {
                    is_named = false;
                    Err(self.doubt("whether a file is open by that number"))
                }
                (_, None) => Err(self.doubt("a file is opened whose name is not known")),
                (b"<", Some(path)) => {
                    let path = self.full(path);
                    let (text, opened) = match self.ground.files.read(&path) {
                        _ if path == b"/dev/null"[..] => (None, Ok(true)),
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
                    // What is there is not written over.
                    let may = match (operator, self.ground.files.kind(&path)) {
                        (b">?", kind) if kind != Kind::Missing || path.starts_with(b"/dev/") => Ok(false),
                        _ => self.may_be_written(&path),
                    };
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
        }
        if is_opened != Ok(true) && (streams.goes(2) != Goes::Away || outer.1.goes(2) != Goes::Away) {
            let doubt = self.doubt("what is said of an error");
            self.live.iter_mut().for_each(|state| state.output.doubt_all(&doubt));
        }
        let apart = |m: &mut Self| {
            m.live.iter_mut().for_each(|state| state.output.streams = streams);
            m.run_kind(&job.kind);
            // What was refused within it is its own affair then.
            if !matches!(job.kind, Kinds::Command(_)) {
                m.ran();
            }
            if let Some(state) = &mut m.live {
                (state.input, state.output.streams) = outer;
            }
            // What could not be opened within it is its own affair, too.
            m.put_unopened(Refused::No);
        };
        // What is wrong with a command or its words is told before.
        let is_plain = match &job.kind {
            Kinds::Command(words) => {
                // These look for another command first.
                let asks = |name: &[u8]| matches!(name, b"exec" | b"command" | b"builtin");
                let runs =
                    |name: &[u8]| !asks(name) && self.has_command(name) || self.function(name).is_some() || self.is_shipped(name);
                words.iter().all(|word| !word.has_output()) && words.first().and_then(Word::literal).is_some_and(runs)
            }
            _ => true,
        };
        // What a function ends with then is its own affair.
        let is_plain = is_plain && self.source.fixed.is_none() && !self.frames.iter().any(|frame| frame.kind == Leaves::Function);
        // What is run for a word is run before.
        let outputs: Vec<&Word> = match &job.kind {
            Kinds::Command(words) => words.iter().filter(|word| word.has_output()).collect(),
            _ => Vec::new(),
        };
        let fails = |m: &mut Self| {
            let doubt = m.doubt("a file that cannot be opened");
            m.fork(&doubt, |m| outputs.iter().for_each(|word| drop(m.expand(word))), |_| {});
            if is_plain && is_named {
                m.set_status(1);
            } else {
                m.doubt_status("a file that cannot be opened");
            }
            m.put_unopened(Refused::Yes);
        };
        // A folder is gone to only where nothing is redirected.
        let is_folder = match &job.kind {
            Kinds::Command(words) => {
                matches!(&words[..], [word] if word.literal().is_some_and(|name| !self.has_command(name) && self.is_folder(name)))
            }
            _ => false,
        };
        match is_opened {
            Ok(true) if is_folder => self.refuse(126),
            Ok(true) => apart(self),
            Ok(false) => fails(self),
            Err(doubt) => self.fork(&doubt, apart, fails),
        }
    }

    fn put_unopened(&mut self, unopened: Refused) {
        self.live.iter_mut().for_each(|state| state.unopened = unopened);
    }

    /// Whether a file can be opened to write to it.
    fn may_be_written(&self, path: &[u8]) -> Result<bool, Arc<Doubt>> {
        let folder = path.get(..memchr::memrchr(b'/', path).unwrap_or(0).max(1)).unwrap_or_default();
        let may = |path: &[u8]| self.ground.files.may(path, self.account.uid, self.account.gid, Want::Write);
        let answer = match (self.ground.files.kind(path), self.ground.files.kind(folder)) {
            _ if path == b"/dev/null" => Some(true),
            // A terminal is there or not, and what is open may be somebody else's (tty(4), proc(5)).
            _ if path.starts_with(b"/dev/") => None,
            // From the folder for passing files nobody is kept out (FHS 3.0, 3.18).
            (Kind::Missing, _) if folder == b"/tmp" => Some(true),
            (Kind::File | Kind::Program, _) => may(path),
            (Kind::Folder, _) | (Kind::Missing, Kind::File | Kind::Program) => Some(false),
            (Kind::Missing, Kind::Folder) => may(folder),
            _ => None,
        };
        answer.ok_or_else(|| self.doubt("whether a file may be written is not known"))
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn what_cannot_be_opened_is_not_run() {
        hold_fish(&[
            ("echo a > /dev/null; set -gx OUT $status", "0"),
            ("echo a < /missing; set -gx OUT $status", "1"),
            ("echo a > /missing/x; set -gx OUT $status", "<unknown>"),
            ("set X 1 < /missing; set -gx OUT \"$status=$X=\"", "1=="),
            ("begin; set -gx OUT 1; end < /missing; set -q OUT; or set -gx OUT none", "none"),
            ("begin; set -gx OUT 1; end > /dev/null", "1"),
            ("begin; true; end < /missing; set -gx OUT $status", "1"),
            ("if true; set -gx OUT 1; end < /missing; set -q OUT; or set -gx OUT none", "none"),
            ("for i in a b; set -g X \"$X$i\"; end > /dev/null; set -gx OUT $X", "ab"),
            ("while read X; end < /missing; set -gx OUT $status", "1"),
            ("function f; set -gx OUT 1; end; f < /dev/null", "1"),
            ("command nosuchcmd < /missing; set -gx OUT $status", "<unknown>"),
            ("nosuchcmd < /missing; set -gx OUT $status", "<unknown>"),
            ("exec nosuchcmd < /missing; set -gx OUT $status", "<unknown>"),
            ("builtin true < /missing; set -gx OUT $status", "<unknown>"),
            ("/ > /dev/null; set -gx OUT $status-$PWD", "126-/home/odile"),
            ("/; set -gx OUT $status-$PWD", "0-/"),
            ("read X < /dev/null; set -gx OUT \"$status=$X=\"", "1=="),
            ("read X </missing; set -gx OUT \"$status=$X=\"", "1=="),
            ("echo a >&2; set -gx OUT $status", "0"),
            ("echo a 2>/dev/null; set -gx OUT $status", "0"),
            ("echo a >&1; set -gx OUT $status", "0"),
            ("echo a &>/dev/null; set -gx OUT $status", "0"),
            ("echo a >? /dev/null; set -gx OUT $status", "1"),
            ("echo a >? /home/odile; set -gx OUT $status", "<unknown>"),
            ("set X (echo a > /dev/null); set -gx OUT \"-$X-\"", "--"),
            ("set X (echo a >&2); set -gx OUT \"-$X-\"", "--"),
            ("set X (echo a 2>&1); set -gx OUT \"-$X-\"", "-a-"),
            ("set X (begin; echo a >&2; end 2>&1); set -gx OUT \"-$X-\"", "-a-"),
            ("set X (begin; echo a >&3; end 3>&1); set -gx OUT \"-$X-\"", "-a-"),
            ("function g; echo o; echo e >&2; end; set X (g 2>&1 >/dev/null); set -gx OUT \"-$X-\"", "-e-"),
            // What comes by two ways comes in an order of its own.
            ("function g; echo o; echo e >&2; end; set X (g 2>&1); set -gx OUT \"-$X-\"", "<unknown>"),
            ("function g; echo o; echo e >&2; end; set X (g &>/dev/null); set -gx OUT \"-$X-\"", "--"),
            ("set X (cd /missing 2>&1); set -gx OUT \"-$X-\"", "<unknown>"),
            ("set X (cd /missing 2>/dev/null); set -gx OUT \"-$X-\"", "--"),
            ("set X (begin; false; or echo q >&2; end 2>&1); set -gx OUT \"-$X-\"", "-q-"),
            ("set X (begin; echo a > /dev/stdout; end); set -gx OUT \"-$X-\"", "<unknown>"),
            ("set X (begin; echo a; echo b; end); set -gx OUT \"$X[2]$X[1]\"", "ba"),
            ("not echo a < /missing; set -gx OUT $status", "0"),
            ("echo a < /missing; and set -gx OUT 1; or set -gx OUT 2", "2"),
            ("echo a < /missing | read X; set -gx OUT \"-$X-\"", "--"),
            ("source /missing; set -gx OUT $status", "1"),
            ("source /dev/null; set -gx OUT $status", "1"),
            ("source < /dev/null; set -gx OUT $status", "0"),
        ]);
    }
}
