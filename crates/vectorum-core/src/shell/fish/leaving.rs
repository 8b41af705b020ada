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
}
