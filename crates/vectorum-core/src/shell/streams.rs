//! What is written by each number: whether the shell takes it up itself, and which numbers are open.

use std::sync::Arc;

use bytes::Bytes;

use super::machine::Machine;
use super::state::Status;
use super::syntax::{Command, Dialect, Redirect};
use super::value::{Doubt, Unknown, Val};

/// All the numbers, and those but 1.
const ALL: [usize; 10] = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9];
pub(super) const BESIDE: [usize; 9] = [0, 2, 3, 4, 5, 6, 7, 8, 9];

/// Where what is written by a number goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Goes {
    /// Nobody takes it up.
    #[default]
    Away,
    /// To what is taken up now.
    Taken,
    /// To what is taken up around that.
    Beyond,
    Unsure,
}

impl Goes {
    /// Where what goes here or there goes.
    fn or(self, other: Goes) -> Goes {
        if self == other { self } else { Goes::Unsure }
    }

    /// Where what goes here and there goes, which may be twice to one place.
    fn and(self, other: Goes) -> Goes {
        if self == other && self == Goes::Away { self } else { Goes::Unsure }
    }
}

/// What the numbers up to 9 stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Streams {
    goes: [Goes; 10],
    /// Those that are open for certain, a bit each.
    open: u16,
    /// Whether one of the first three was closed, here or around this: what is opened next, a pipe as well, takes its number.
    pub(super) lacks: bool,
    /// Whether what a command writes goes to more than one place.
    pub(super) is_split: bool,
}

impl Default for Streams {
    fn default() -> Streams {
        Streams { goes: [Goes::Away; 10], open: 0b111, lacks: false, is_split: false }
    }
}

/// The number that a digit stands for.
pub(super) fn digit(number: &[u8]) -> Option<usize> {
    match number {
        [digit @ b'0'..=b'9'] => Some(usize::from(digit - b'0')),
        _ => None,
    }
}

/// The number that a file stands for, if it stands for one of these.
fn number_named(path: &[u8]) -> Option<usize> {
    match path {
        b"/dev/stdin" => Some(0),
        b"/dev/stdout" => Some(1),
        b"/dev/stderr" => Some(2),
        _ => digit(path.strip_prefix(b"/dev/fd/")?),
    }
}

/// Whether a file stands for something that is open by a number, whichever that is.
pub(super) fn stands_for_number(path: &[u8]) -> bool {
    number_named(path).is_some() || path.starts_with(b"/dev/fd/")
}

/// The number that a redirection opens, if it is one of these.
pub(super) fn number_of(redirect: &Redirect) -> Option<usize> {
    match &redirect.from[..] {
        b"" => Some(usize::from(!redirect.operator.starts_with(b"<"))),
        number => digit(number),
    }
}

impl Streams {
    /// Where what is written by a number goes.
    pub(super) fn goes(&self, number: usize) -> Goes {
        self.goes.get(number).copied().unwrap_or_else(|| self.any())
    }

    /// Where something goes of which it is not known by which number it is written.
    pub(super) fn any(&self) -> Goes {
        if self.goes.iter().all(|goes| *goes == Goes::Away) { Goes::Away } else { Goes::Unsure }
    }

    /// Whether a number is open for certain.
    pub(super) fn is_open(&self, number: usize) -> bool {
        self.open.checked_shr(number as u32).unwrap_or(0) & 1 == 1
    }

    /// Where what is written to a file goes. Some stand for a number; ksh and fish take output up without a file, where those
    /// may be another (measured: 93u+m, 3.6).
    pub(super) fn file(&self, path: &[u8], takes_up_without: bool) -> Goes {
        let goes = match number_named(path) {
            Some(number) => self.goes(number),
            None if matches!(path, b"/dev/null" | b"/dev/tty") => Goes::Away,
            None if path.starts_with(b"/dev/") || path.starts_with(b"/proc/") => self.any(),
            None => Goes::Away,
        };
        if takes_up_without && goes != Goes::Away || self.lacks { self.any() } else { goes }
    }

    /// Whether a file stands for what the shell takes up itself.
    pub(super) fn is_own(&self, path: &[u8]) -> bool {
        number_named(path).is_some_and(|number| matches!(self.goes(number), Goes::Taken | Goes::Beyond))
    }

    /// Whether a file can be opened only where a number is open that may not be.
    pub(super) fn may_lack(&self, path: &[u8]) -> bool {
        number_named(path).is_some_and(|number| !self.is_open(number))
    }

    /// Opens a number; what has no number here counts for nothing.
    pub(super) fn open(&mut self, number: Option<usize>, goes: Goes) {
        if let Some((number, slot)) = number.and_then(|number| Some((number, self.goes.get_mut(number)?))) {
            *slot = goes;
            self.open |= 1 << number;
        }
    }

    /// Closes a number.
    pub(super) fn close(&mut self, number: Option<usize>) {
        self.open(number, Goes::Away);
        self.open &= !number.map_or(0, |number| 1 << number);
        self.lacks |= number.is_some_and(|number| number < 3);
    }

    /// What is written by 1 is taken up from here on.
    fn take_up(&mut self) {
        for goes in self.goes.iter_mut().filter(|goes| **goes == Goes::Taken) {
            *goes = Goes::Beyond;
        }
        self.open(Some(1), Goes::Taken);
    }

    /// Behind a command what it opened and closed is as it was; what was opened within it for good stays.
    pub(super) fn put_back(&mut self, outer: &Streams, redirects: &[Redirect]) {
        for redirect in redirects {
            let copied = redirect.word.literal().filter(|_| redirect.operator.ends_with(b"&")).unwrap_or_default();
            let moved = copied.strip_suffix(b"-").and_then(digit);
            let with_errors = redirect.operator.contains(&b'&') && moved.is_none() && digit(copied).is_none();
            for number in number_of(redirect).into_iter().chain(with_errors.then_some(2)) {
                if let (Some(mine), Some(theirs)) = (self.goes.get_mut(number), outer.goes.get(number)) {
                    *mine = *theirs;
                    self.open = self.open & !(1 << number) | outer.open & 1 << number;
                }
            }
            // What was moved is not always put back (measured: bash 5.2).
            if let Some(moved) = moved {
                self.open(Some(moved), self.any());
                self.open &= !(1 << moved);
            }
        }
        (self.lacks, self.is_split) = (outer.lacks, outer.is_split);
    }

    /// What holds on one of two ways.
    pub(super) fn join(&mut self, other: &Streams) {
        for (mine, theirs) in self.goes.iter_mut().zip(other.goes) {
            *mine = mine.or(theirs);
        }
        self.open &= other.open;
        self.lacks |= other.lacks;
    }
}

/// What becomes of a number that one command opens once more.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Again {
    /// The last one counts.
    Counts,
    /// What is written goes to all of them (zshmisc(1), «Multios»).
    Adds,
    /// The last one counts, and may stay open behind the command (measured: dash 0.5.12).
    Stays,
}

/// Redirections of one command as they are opened one behind the other.
pub(super) struct Opening {
    pub(super) streams: Streams,
    /// The numbers to which something was sent, a bit each.
    sent: u16,
    again: Again,
}

impl Opening {
    /// Sends what is written by a number somewhere.
    pub(super) fn send(&mut self, number: Option<usize>, goes: Goes) {
        let bit = number.map_or(0, |number| 1 << number);
        let again = Some(self.again).filter(|_| self.sent & bit != 0);
        let before = number.map_or(Goes::Away, |number| self.streams.goes(number));
        self.streams.open(number, if again == Some(Again::Adds) { before.and(goes) } else { goes });
        self.streams.is_split |= again == Some(Again::Adds);
        self.streams.lacks |= again == Some(Again::Stays);
        self.sent |= bit;
    }
}

/// What is written, as far as the shell takes it up.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Written {
    /// What went to what is taken up now, where something is.
    pub(super) text: Option<Val>,
    pub(super) streams: Streams,
    /// Whether something may have gone to what is taken up around that.
    pub(super) spilled: bool,
    /// Whether what comes by several ways may come in another order than it was written, as in fish.
    pub(super) is_unordered: bool,
    /// Whether what comes from here on may be lost.
    may_lose: bool,
}

impl Written {
    /// What is written by 1 is taken up from here on.
    pub(super) fn take_up(&mut self) {
        self.text = Some(Val::of(b""));
        (self.spilled, self.is_unordered, self.may_lose) = (false, false, false);
        self.streams.take_up();
    }

    /// Something is written by a number.
    pub(super) fn write(&mut self, number: usize, text: Val, doubt: &Arc<Doubt>) {
        match self.streams.goes(number) {
            Goes::Away => {}
            Goes::Taken => {
                let is_none = |text: &Val| text.known().is_some_and(Bytes::is_empty);
                let is_other = |before: &Val| !is_none(&text) && (self.may_lose || self.is_unordered && !is_none(before));
                self.text = match self.text.take() {
                    Some(before) if is_other(&before) => Some(Val::unknown(doubt.clone())),
                    before => before.map(|before| behind(before, text, doubt)),
                };
            }
            Goes::Beyond | Goes::Unsure if text.known().is_some_and(Bytes::is_empty) => {}
            goes => self.doubt(goes, doubt),
        }
    }

    /// Something may have been written that goes somewhere.
    fn doubt(&mut self, goes: Goes, doubt: &Arc<Doubt>) {
        if matches!(goes, Goes::Taken | Goes::Unsure) {
            self.text = self.text.take().map(|_| Val::unknown(doubt.clone()));
        }
        self.spilled |= matches!(goes, Goes::Beyond | Goes::Unsure);
    }

    /// Whether what is written by some of these may be taken up.
    pub(super) fn is_taken(&self, numbers: &[usize]) -> bool {
        numbers.iter().any(|number| self.streams.goes(*number) != Goes::Away)
    }

    /// Something may have been written by some numbers.
    pub(super) fn doubt_by(&mut self, numbers: &[usize], doubt: &Arc<Doubt>) {
        numbers.iter().for_each(|number| self.doubt(self.streams.goes(*number), doubt));
    }

    /// Anything may have been written by any number.
    pub(super) fn doubt_all(&mut self, doubt: &Arc<Doubt>) {
        self.doubt_by(&ALL, doubt);
    }

    /// What went beyond what was taken up within this.
    pub(super) fn take_over(&mut self, spilled: bool, doubt: &Arc<Doubt>) {
        if spilled {
            self.doubt_all(doubt);
        }
    }

    /// What holds on one of two ways.
    pub(super) fn join(&mut self, other: &Written, why: &Arc<Doubt>) {
        self.text = match (self.text.take(), &other.text) {
            (Some(a), Some(b)) => Some(match a.join(b, why) {
                // Of line ends alone nothing is left where it is taken up.
                joined if is_blank(&a) || is_blank(b) => joined.but_filled(false),
                joined => joined,
            }),
            _ => None,
        };
        self.streams.join(&other.streams);
        self.spilled |= other.spilled;
        self.is_unordered |= other.is_unordered;
        self.may_lose |= other.may_lose;
    }
}

/// Whether what is printed may be line ends alone.
fn is_blank(text: &Val) -> bool {
    let is_one = |text: &Bytes| text.iter().all(|b| *b == b'\n');
    match text {
        Val::Known(text) => is_one(text),
        Val::Unknown(text) => text.could_be().iter().any(is_one),
    }
}

/// A text behind another.
fn behind(before: Val, text: Val, doubt: &Arc<Doubt>) -> Val {
    match (before, text) {
        (Val::Known(a), Val::Known(b)) => Val::of([&a[..], &b].concat()),
        (Val::Known(a), unknown @ Val::Unknown(_)) if a.is_empty() => unknown,
        (unknown @ Val::Unknown(_), Val::Known(b)) if b.is_empty() => unknown,
        (Val::Unknown(a), Val::Unknown(b)) if a.doubt.sets.is_some() && a.doubt.sets == b.doubt.sets => {
            Val::Unknown(Unknown::of(a.doubt).filled(a.is_filled || b.is_filled))
        }
        _ => Val::unknown(doubt.clone()),
    }
}

impl Machine<'_> {
    /// Whether what is written by some of these may be taken up.
    fn is_taken(&self, numbers: &[usize]) -> bool {
        self.live.as_ref().is_some_and(|state| state.output.is_taken(numbers))
    }

    /// Adds to what is taken up, if that is where it goes what is written by 1.
    pub(super) fn print(&mut self, text: Val) {
        if !self.is_taken(&[1]) {
            return;
        }
        let doubt = self.doubt("what is printed");
        if let Some(state) = &mut self.live {
            state.output.write(1, text, &doubt);
        }
    }

    fn doubt_written(&mut self, numbers: &[usize], why: &'static str) {
        if self.is_taken(numbers) {
            let doubt = self.doubt(why);
            self.live.iter_mut().for_each(|state| state.output.doubt_by(numbers, &doubt));
        }
    }

    /// Something may be written by any number.
    pub(super) fn say_perhaps(&mut self) {
        self.doubt_written(&ALL, "what a command prints");
    }

    /// A program may write by any number but 1, of which that is told otherwise.
    pub(super) fn write_perhaps_beside(&mut self) {
        self.doubt_written(&BESIDE, "what a program writes");
    }

    /// Whether what is said of errors may be taken up.
    pub(super) fn takes_up_errors(&self) -> bool {
        self.is_taken(&[2])
    }

    /// Something may be said of an error.
    pub(super) fn complain(&mut self) {
        self.doubt_written(&[2], "what is said of an error");
    }

    /// What a command of the shell, or a program, says where it does not succeed.
    pub(super) fn complain_of(&mut self, name: &[u8], arguments: &[Val]) {
        if !self.takes_up_errors() {
            return;
        }
        let asks = || matches!(arguments.first(), Some(Val::Known(option)) if option == "-v");
        let is_silent = match self.status() {
            // An option that it was not asked for.
            _ if name == b"getopts" => false,
            Status::Known(0) => true,
            _ if name == b"command" => asks(),
            Status::Known(1) => matches!(name, b"test" | b"[" | b"false" | b"read" | b"eval"),
            _ => name == b"eval",
        };
        if !is_silent {
            self.complain();
        }
    }

    /// What is run may be shown before, by 2 or by a number that bash is told (bash(1), «BASH_XTRACEFD»).
    pub(super) fn show_run(&mut self) {
        if !self.is_taken(&ALL) {
            return;
        }
        let is_told = |m: &Self| m.live.as_ref().is_some_and(|state| state.vars.get(b"BASH_XTRACEFD").is_some());
        if self.dialect == Dialect::Bash && self.may_be_set("xtrace") && is_told(self) {
            self.say_perhaps();
        }
        if self.may_be_set("xtrace") || self.may_be_set("verbose") {
            self.complain();
        }
    }

    /// In ksh all is lost that is printed to what is taken up once 1 is opened where it had been already (measured: 93u+m).
    pub(super) fn lose_output(&mut self, command: &Command, outer: Option<Streams>) {
        let is_opened =
            || command.redirects.iter().any(|redirect| number_of(redirect) == Some(1) || redirect.operator.starts_with(b"&"));
        if self.dialect == Dialect::Ksh && outer.is_some_and(|outer| outer.goes(1) != Goes::Taken) && is_opened() {
            self.live.iter_mut().for_each(|state| state.output.may_lose = true);
        }
    }

    /// A file that could not be opened is told by 2, which may be one that was.
    pub(super) fn complain_of_opening(&mut self, command: &Command, streams: &Streams) {
        let opens_errors = |redirect: &Redirect| redirect.from == b"2" || redirect.operator.starts_with(b"&");
        if streams.goes(2) != Goes::Away || self.takes_up_errors() || command.redirects.iter().any(opens_errors) {
            self.say_perhaps();
        }
    }

    /// Redirections of a command that are opened.
    pub(super) fn opening(&mut self, is_piped: bool) -> Opening {
        let streams = self.live.as_ref().map(|state| state.output.streams).unwrap_or_default();
        let again = match self.dialect {
            Dialect::Zsh if !self.as_sh => Again::Adds,
            Dialect::Dash => Again::Stays,
            _ => Again::Counts,
        };
        // A pipe is one of those already.
        let sent = if is_piped && again == Again::Adds { 0b10 } else { 0 };
        Opening { streams: Streams { is_split: false, ..streams }, sent, again }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_is_written_goes_where_its_number_goes() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$({ echo q >&2; } 2>&1); X=$(echo q >&2)", ["q", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(exec 3>&1; echo q >&3; exec 3>&-; echo a); X=$(echo q 2>&1 >&2)", ["q\na", "q"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "f() { echo o; echo e >&2; }; R=$(f 2>/dev/null); X=$(f 2>&1 >/dev/null)",
                ["o", "e"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { echo o; echo e >&2; }; R=$(f 3>&1 1>&2 2>&3); X=$(f 2>&1)", ["e", "o\ne"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "R=$(echo a >/dev/null; echo b >/dev/stderr); X=$({ { echo a >&3; } >/dev/null; } 3>&1)",
                ["", "a"],
            ),
            (&[Bash, Dash, Mksh, Zsh], "R=$(echo a >/dev/stdout); X=$({ echo a >/dev/fd/2; } 2>&1)", ["a", "a"]),
            // What is open is open no longer than for what it is opened.
            (&[Bash, Dash, Ksh, Mksh, Zsh], ": 3>&1; exec 4>&1; true >&4; R=$?; true 2>/dev/null >&3; X=$?", ["0", "<a number>"]),
            // To what is taken up around what is taken up.
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "R=$({ X=$(echo a >&3); } 3>&1); X=$({ echo a >&3 | true; } 3>&1)",
                ["<unknown>", "<unknown>"],
            ),
            // What is said of errors, and what is run and told, is not known.
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$({ cd /none; } 2>&1); X=$(cd /none 2>/dev/null)", ["<unknown>", ""]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "R=$({ set -x; :; } 2>&1); X=$({ test -d /none || echo q; } 2>&1)",
                ["<unknown>", "q"],
            ),
            (&[Bash, Zsh], "R=$({ echo q >&2; } |& cat); X=$({ echo q >&2; echo r; } |& cat)", ["q", "q\nr"]),
            (&[Bash], "R=$({ echo q >&2; } >/dev/null |& cat); X=$({ time true; } 2>&1)", ["", "<unknown>"]),
            // There it goes to both.
            (&[Zsh], "R=$({ echo q; } >/dev/null | cat); X=$(echo q >/dev/null)", ["<unknown>", ""]),
        ]);
    }
}
