//! What is left from within: rounds, loops, functions, files, and the shell itself.

use super::*;

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
    pub(super) kind: Leaves,
    /// How many scopes are around it, and how many outputs that are taken in.
    scopes: usize,
    captures: usize,
    pub(super) left: Left<State>,
}

impl Fish<'_> {
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
                // What was taken up there is left with it.
                s.output.text = None;
                s.output.spilled |= s.output.streams.any() != Goes::Away;
                s.input = Input::default();
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
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn loops_and_functions_are_left() {
        hold_fish(&[
            ("for x in a b c; test $x = b; and break; set -gx OUT $x; end", "a"),
            ("for x in a b c; test $x = b; and continue; set -gx OUT $OUT$x; end", ""),
            ("set -gx OUT 1; function f; set -gx OUT 2; return 3; set -gx OUT 4; end; f; set -gx OUT $OUT $status", "2 3"),
            ("function f; return; end; false; f; set -gx OUT $status", "1"),
            ("function f; for x in a b; return 2; end; end; f; set -gx OUT $status", "2"),
            ("for x in a; for y in b c; break; end; set -gx OUT $x$y; end", "ab"),
            ("while true; set -gx OUT 1; break; set -gx OUT 2; end", "1"),
            ("begin; set -gx OUT 1; false; end; set -gx OUT $OUT $status", "1 1"),
            ("if true; function g; return 5; end; g; set -gx OUT $status; end", "5"),
            ("function f; while true; begin; return 6; end; end; end; f; set -gx OUT $status", "6"),
            ("set -l n; for x in 1 2 3; switch $x; case 2; continue; end; set n $n$x; end; set -gx OUT $n", ""),
            ("set -gx OUT a; and set -gx OUT b; or set -gx OUT c", "b"),
            ("not false; and set -gx OUT $status", "0"),
        ]);
    }
}
