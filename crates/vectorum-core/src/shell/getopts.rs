//! `getopts`: which option of some words comes next, and what each shell leaves behind of it (POSIX, getopts; measured:
//! bash 5.2, dash 0.5.12, ksh93u+m, mksh R59, zsh 5.9).

use std::sync::Arc;

use bytes::Bytes;

use super::content::{Content, Var};
use super::machine::Machine;
use super::syntax::Dialect;
use super::value::Val;

/// How far options were read. The variable only shows it; what is set to it counts from there on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct OptionsRead {
    /// The word that is read next or is being read, counted from one.
    index: usize,
    /// How much of that word was read.
    offset: usize,
    /// The words that it is of, where one of them is not read to its end.
    words: Option<Arc<Vec<Bytes>>>,
}

impl Default for OptionsRead {
    fn default() -> OptionsRead {
        OptionsRead { index: 1, offset: 0, words: None }
    }
}

/// What is found.
#[derive(Debug, PartialEq, Eq)]
enum Found {
    /// There are no more.
    End,
    /// One without an argument.
    Letter(u8),
    /// One with its argument.
    Argument(u8, Bytes),
    /// One that is none of them.
    Strange(u8),
    /// One whose argument is missing.
    Missing(u8),
}

/// Whether a description of options is one that all shells read alike.
fn is_plain(options: &[u8]) -> bool {
    options.iter().all(|b| b.is_ascii_alphanumeric() || *b == b':') && !options.windows(2).any(|pair| pair == b"::")
}

impl OptionsRead {
    /// Goes on to the next option; `None` where shells read further than is followed.
    fn next(&mut self, options: &[u8], words: &Arc<Vec<Bytes>>, dialect: Dialect) -> Option<Found> {
        let lazy = dialect == Dialect::Zsh;
        let word = |index: usize| index.checked_sub(1).and_then(|at| words.get(at));
        // There a word that was read to its end is left only now.
        if lazy && self.offset > 0 && word(self.index).is_none_or(|word| self.offset >= word.len()) {
            (self.index, self.offset) = (self.index + 1, 0);
        }
        if self.offset > 0 && self.words.as_ref().is_some_and(|before| before != words) {
            return None;
        }
        let Some(text) = word(self.index) else { return Some(Found::End) };
        if self.offset == 0 {
            let has_long = text.starts_with(b"--") && text.len() > 2 && !matches!(dialect, Dialect::Bash | Dialect::Dash);
            if has_long || text.starts_with(b"+") && matches!(dialect, Dialect::Mksh | Dialect::Zsh) {
                return None;
            }
            if !text.starts_with(b"-") || text.len() < 2 {
                return Some(Found::End);
            }
            if text == "--" {
                self.index += 1;
                return Some(Found::End);
            }
            self.offset = 1;
        }
        let letter = *text.get(self.offset)?;
        if !letter.is_ascii_graphic() || letter == b'?' {
            return None;
        }
        self.offset += 1;
        let is_read = self.offset >= text.len();
        self.words = Some(words.clone());
        let at = if letter == b':' { None } else { options.iter().position(|b| *b == letter) };
        let wants = at.is_some_and(|at| options.get(at + 1) == Some(&b':'));
        let found = match (at, wants) {
            (None, _) => Found::Strange(letter),
            (Some(_), false) => Found::Letter(letter),
            (Some(_), true) if !is_read => Found::Argument(letter, text.slice(self.offset..)),
            (Some(_), true) => match words.get(self.index) {
                Some(argument) => {
                    self.index += 1;
                    Found::Argument(letter, argument.clone())
                }
                None => Found::Missing(letter),
            },
        };
        let is_done = matches!(found, Found::Argument(..)) || is_read && !lazy;
        if is_done {
            (self.index, self.offset) = (self.index + 1, 0);
        }
        Some(found)
    }

    /// What the variable shows.
    fn shown(&self, dialect: Dialect) -> usize {
        let is_ahead = matches!(dialect, Dialect::Dash | Dialect::Mksh) && self.offset > 0;
        self.index + usize::from(is_ahead)
    }
}

const INDEX: &[u8] = b"OPTIND";
const ARGUMENT: &[u8] = b"OPTARG";

impl Machine<'_> {
    /// `getopts`: its words are the description of the options, a name, and the words that are read, if it is not those of
    /// the function or the shell.
    pub(super) fn getopts(&mut self, known: Option<&[Bytes]>) {
        let (options, name, words) = match known {
            Some([options, name, words @ ..]) => (options, name, words),
            Some(_) => return self.misused(),
            None => return self.fog("options are read into a name that is not known"),
        };
        let given = match words {
            [] => self.live.as_ref().and_then(|state| {
                let words = state.positional.as_ref().ok()?;
                words.iter().map(|word| word.known().cloned()).collect::<Option<Vec<_>>>()
            }),
            words => Some(words.to_vec()),
        };
        // These ask it to tell how it is called, and end it.
        let asks = |word: &Bytes| word.starts_with(b"--") && word.len() > 2 || word.starts_with(b"-") && word.contains(&b'?');
        let is_text = options.contains(&b' ');
        if self.dialect == Dialect::Ksh && (is_text || given.as_ref().is_none_or(|words| words.iter().any(asks))) {
            self.exit_or_go_on(&self.doubt("options that ask how it is called"));
        }
        // It is taken for an option there.
        let has_colon = |word: &Bytes| word.starts_with(b"-") && word.contains(&b':');
        if self.dialect == Dialect::Dash && given.as_ref().is_some_and(|words| words.iter().any(has_colon)) {
            return self.fog("an option that is a colon");
        }
        let count = given.as_ref().map_or(0, Vec::len);
        let is_name = crate::reader::is_portable(name);
        let names = [&name[..], INDEX, ARGUMENT];
        let is_surely_held = names.iter().any(|name| self.is_readonly(name));
        let is_held = is_surely_held || names.iter().any(|name| self.may_be_held(name));
        let exports_all = self.may_be_set("allexport");
        let reading = self.live.as_ref().and_then(|state| state.reading.clone());
        let found = match (given, reading) {
            (Some(words), Some(mut reading)) if is_name && !is_held && !exports_all && is_plain(options) => {
                // mksh takes other words for an error.
                let words = Arc::new(words);
                let has_others = reading.words.as_ref().is_some_and(|before| *before != words);
                let is_lost = self.dialect == Dialect::Mksh && has_others && reading.index > 1;
                let found = if is_lost { None } else { reading.next(options, &words, self.dialect) };
                found.map(|found| (found, reading))
            }
            _ => None,
        };
        // It is set up to the sign that ends the name, or not (measured: dash 0.5.12).
        if self.dialect == Dialect::Dash && !is_name {
            self.doubt_beginning(name);
        }
        // There it is an error of the command alone, and what is held fast counts only where something is found.
        if self.dialect == Dialect::Zsh && !is_name {
            return self.doubt_status(self.doubt("options are read into what is no name"));
        }
        if self.dialect == Dialect::Zsh
            && is_surely_held
            && words.first().is_some_and(|word| word.len() > 1 && word.starts_with(b"-"))
        {
            return self.fail_hard();
        }
        if self.dialect == Dialect::Zsh && is_held {
            self.fail_or_go_on(&self.doubt("options are read into a name that is held fast"));
        }
        // There it ends all where nothing is found (measured: 93u+m).
        if self.dialect == Dialect::Ksh && is_held {
            self.exit_or_go_on(&self.doubt("options are read into a name that is held fast"));
        }
        self.hide_index();
        // There a place behind all of them is taken for one in other words (measured: R59).
        if self.dialect == Dialect::Mksh && found.as_ref().is_some_and(|(_, reading)| reading.index > count + 1) {
            return self.set_status(1);
        }
        match found {
            Some((found, reading)) => self.found_option(name, options.starts_with(b":"), &found, reading),
            None => self.doubt_options(name),
        }
    }

    /// Sets what is found of an option.
    fn found_option(&mut self, name: &Bytes, is_silent: bool, found: &Found, reading: OptionsRead) {
        let one = |letter: u8| Some(Val::of([letter]));
        let keeps = matches!(self.dialect, Dialect::Dash | Dialect::Zsh);
        // What stands for nothing.
        let none = match (found, self.dialect) {
            (_, Dialect::Zsh) | (Found::Letter(_), Dialect::Dash) => Some(Val::of(b"")),
            _ => None,
        };
        let (called, argument) = match found {
            Found::End if self.dialect == Dialect::Zsh => (None, None),
            Found::End => (one(b'?'), None),
            Found::Letter(letter) => (one(*letter), none),
            Found::Argument(letter, text) => (one(*letter), Some(Val::Known(text.clone()))),
            Found::Strange(letter) | Found::Missing(letter) if is_silent => {
                (one(if matches!(found, Found::Missing(_)) { b':' } else { b'?' }), one(*letter))
            }
            Found::Strange(_) | Found::Missing(_) => (one(b'?'), none),
        };
        if let Some(called) = called {
            self.assign(name, Content::Set(called), None);
        }
        match argument {
            Some(argument) => drop(self.assign(ARGUMENT, Content::Set(argument), None)),
            None if *found == Found::End && keeps => {}
            None => drop(self.unset(ARGUMENT)),
        }
        let index = Val::of(reading.shown(self.dialect).to_string());
        if let Some(state) = &mut self.live {
            state.vars.get_or_insert_with(INDEX, Var::unset).content = Content::Set(index);
            state.reading = Some(reading);
        }
        self.unsettle(INDEX);
        self.set_status(u8::from(*found == Found::End));
    }

    /// Only the names are known that it sets.
    fn doubt_options(&mut self, name: &Bytes) {
        let doubt = self.doubt("what options there are");
        for name in [&name[..], ARGUMENT, INDEX] {
            let name = Bytes::copy_from_slice(name);
            if let Some(state) = &mut self.live {
                let var = state.vars.get_or_insert_with(&name, Var::unset);
                var.content = Content::Perhaps(Val::unknown(doubt.clone()));
                var.exported = var.exported.filter(|exported| !exported || name != ARGUMENT);
                state.reading = None;
            }
            if self.may_be_set("allexport") {
                self.doubt_export(&name);
            }
            self.unsettle(&name);
        }
        self.doubt_status(doubt);
    }

    /// In a function of zsh's the variable is its own.
    pub(super) fn hide_index(&mut self) {
        if self.dialect != Dialect::Zsh || !self.is_in_function() {
            return;
        }
        let Some(state) = &mut self.live else { return };
        let old = state.vars.get(INDEX).map(std::borrow::Cow::into_owned);
        if let Some(scope) = state.scopes.iter_mut().rfind(|scope| scope.positional.is_some())
            && scope.vars.get(INDEX).is_none()
        {
            scope.vars.insert(Bytes::from_static(INDEX), old);
        }
    }

    /// Where options are read from is not known once something else befell the variable.
    pub(super) fn forget_options(&mut self, name: &[u8]) {
        if let Some(state) = self.live.as_mut().filter(|_| name == INDEX) {
            state.reading = None;
        }
    }

    /// dash begins anew with other words.
    pub(super) fn read_options_anew(&mut self) {
        if let Some(state) = self.live.as_mut().filter(|_| self.dialect == Dialect::Dash) {
            state.reading = Some(OptionsRead::default());
        }
    }

    /// The variable is made local: bash reads options anew until the function ends, of others nothing is known.
    pub(super) fn read_options_locally(&mut self, name: &[u8]) {
        let (is_index, dialect) = (name == INDEX, self.dialect);
        let Some(state) = self.live.as_mut().filter(|_| is_index && !matches!(dialect, Dialect::Dash | Dialect::Zsh)) else {
            return;
        };
        let within = if dialect == Dialect::Bash { Some(OptionsRead::default()) } else { None };
        let outer = std::mem::replace(&mut state.reading, within);
        if let Some(scope) = state.scopes.iter_mut().rfind(|scope| scope.positional.is_some()) {
            scope.reading = Some(outer.filter(|_| dialect == Dialect::Bash));
        }
    }

    /// The variable was set: options are read from there on.
    pub(super) fn read_options_from(&mut self, content: &Content) {
        let index = match content {
            Content::Set(Val::Known(text)) => std::str::from_utf8(text).ok().and_then(|text| text.parse::<usize>().ok()),
            _ => None,
        };
        let lazy = self.dialect == Dialect::Zsh;
        let Some(state) = &mut self.live else { return };
        state.reading = match (index.filter(|index| *index > 0), state.reading.take()) {
            // There the place within the word stays.
            (Some(index), Some(before)) if lazy => Some(OptionsRead { index, ..before }),
            (Some(index), _) if !lazy => Some(OptionsRead { index, offset: 0, words: None }),
            _ => None,
        };
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::trial::after;

    /// What a shell shows after each of some calls: the name, the argument, and the place.
    fn shown(dialect: Dialect, before: &str, call: &str, times: usize) -> String {
        let show = "echo \"${o-none} ${OPTARG-none} $OPTIND;\"";
        let text = format!("{before}\nR=; {}", format!("{call} 2>/dev/null; R=$R$({show})\n").repeat(times));
        after(dialect, &text, |machine| machine.told_value("R"))
    }

    #[test]
    fn options_come_one_after_the_other() {
        use Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        for (dialect, call, times, expected) in [
            (Bash, "getopts ab: o -ab x", 3, "a none 1;b x 3;? none 3;"),
            (Ksh, "getopts ab: o -ab x", 3, "a none 1;b x 3;? none 3;"),
            (Dash, "getopts ab: o -ab x", 3, "a  2;b x 3;? x 3;"),
            (Mksh, "getopts ab: o -ab x", 3, "a none 2;b x 3;? none 3;"),
            (Zsh, "getopts ab: o -ab x", 3, "a  1;b x 3;b x 3;"),
            (Bash, "getopts ab: o -bx -- -a", 2, "b x 2;? none 3;"),
            (Zsh, "getopts ab: o -a -- -a", 2, "a  1;a  3;"),
            (Bash, "getopts ab: o -b", 1, "? none 2;"),
            (Bash, "getopts :ab: o -b", 1, ": b 2;"),
            (Dash, "getopts :ab: o -z", 1, "? z 2;"),
            (Zsh, "getopts ab: o -z", 1, "?  1;"),
            (Bash, "getopts a o -", 1, "? none 1;"),
            (Bash, "getopts a o --long", 1, "? none 1;"),
            (Ksh, "getopts a o --long", 1, "<unknown>"),
            (Mksh, "getopts a o +a", 1, "<unknown>"),
            (Ksh, "getopts a o +a", 1, "? none 1;"),
            (Bash, "getopts a#b o -a", 1, "<unknown>"),
        ] {
            assert_eq!(shown(dialect, "", call, times), expected, "{dialect:?} {call}");
        }
    }

    #[test]
    fn they_are_read_from_where_the_variable_is_set_to() {
        use Dialect::{Bash, Dash, Zsh};
        for (dialect, before, expected) in [
            (Bash, "getopts ab o -ab; OPTIND=1", "a none 2;b none 3;"),
            (Bash, "OPTIND=2", "b none 3;? none 3;"),
            (Bash, "OPTIND=$(tide-now)", "<unknown>"),
            (Bash, "f() { local OPTIND; getopts a o -a; }; f", "a none 2;b none 3;"),
            (Bash, "f() { getopts a o -a; }; f", "b none 3;? none 3;"),
            (Dash, "f() { getopts a o -a; }; f", "a  2;b  3;"),
            (Zsh, "f() { getopts a o -a; OPTIND=7; }; f", "a  1;b  2;"),
        ] {
            assert_eq!(shown(dialect, before, "getopts ab o -a -b", 2), expected, "{dialect:?} {before}");
        }
    }
}
