//! What runs within what, and the states in which each was left.

use super::branch::Left;
use super::state::State;

/// What a command can be left through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Boundary {
    Loop,
    Function,
    /// A file, or the text of `eval`.
    Text,
    /// What an alias stands for, of which an error is one of the text in which it stands.
    Alias,
    /// A startup file.
    Startup,
    /// All that bash reads before it does what it is started for.
    Start,
    /// A command that has variables of its own.
    Command,
    /// Commands that are redirected together.
    Redirected,
    /// A block that has something done behind it, however it is left.
    Tried,
    /// A file that is taken in by a command of which an error ends no more than that.
    Source,
    /// A shell or a subshell.
    Shell,
}

/// What a subshell is apart for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Apart {
    /// What it prints is taken up, or it is a program that is only like one.
    #[default]
    Taken,
    /// It runs beside others, or in the background.
    Beside,
    /// It stands in parentheses.
    Enclosed,
}

/// Something that runs, with the states in which it was left.
pub(super) struct Frame {
    pub(super) kind: Boundary,
    /// Of a subshell, what it is apart for.
    pub(super) apart: Apart,
    /// Of a function, whether it has variables of its own.
    pub(super) holds: bool,
    /// Of a function, what the machine ran aside where it was called.
    pub(super) asides: usize,
    /// Of a command, whether what stands before it is still worked out, and gives up no more than it where it is wrong.
    pub(super) is_before: bool,
    /// Of a function, whether something is to be done at its end, which then is that of the shell in mksh where it is an
    /// error.
    pub(super) has_trap: bool,
    /// Of a text, whether it is that of a file.
    pub(super) is_file: bool,
    pub(super) leave: Left<State>,
    pub(super) next: Left<State>,
    /// What goes further once this is done: to which frame, whether to its next part, and what holds.
    pub(super) beyond: Vec<(usize, bool, Left<State>)>,
}

impl Frame {
    pub(super) fn new(kind: Boundary) -> Frame {
        Frame {
            kind,
            apart: Apart::default(),
            holds: false,
            asides: 0,
            is_before: false,
            has_trap: false,
            is_file: false,
            leave: Left::default(),
            next: Left::default(),
            beyond: Vec::new(),
        }
    }
}
