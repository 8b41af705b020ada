//! Aliases: which there are, what a command stands for, and those that are put back.

use std::collections::BTreeSet;
use std::sync::Arc;

use bytes::Bytes;

use super::frame::Boundary;
use super::machine::Machine;
use super::state::State;
use super::syntax::{Command, Dialect, Part, Word};
use super::tree::Tree;
use super::value::{Unknown, Val};

/// What `alias` prints of all that there are.
pub(super) const ALIASES: &str = "which aliases there are";

/// An alias: it counts for lines that are read after the one in whose turn it is defined, up to the one in
/// whose turn it is taken back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Alias {
    pub(super) text: Bytes,
    pub(super) born: usize,
    pub(super) died: Option<usize>,
    /// The one whose place it took, for what was read before; `None` within where that may be one or another.
    pub(super) before: Option<Option<Arc<Alias>>>,
}

/// What an alias stands for at some place.
pub(super) enum Stands {
    ForNothing,
    For(Bytes),
    Unclear,
}

impl Alias {
    /// What an alias stands for in what was read at some time.
    pub(super) fn at(&self, epoch: usize) -> Stands {
        if self.born < epoch {
            return match self.died {
                Some(died) if epoch > died => Stands::ForNothing,
                _ => Stands::For(self.text.clone()),
            };
        }
        match &self.before {
            None => Stands::ForNothing,
            Some(None) => Stands::Unclear,
            Some(Some(before)) => before.at(epoch),
        }
    }
}

/// What is known of aliases besides their texts.
#[derive(Debug, Default)]
pub(super) struct Aliasing {
    /// Words that zsh replaces wherever they stand.
    anywhere: BTreeSet<Bytes>,
    /// Whether commands may stand for what their name's ending says, in zsh.
    has_suffixes: bool,
    /// Aliases whose text runs, and how deep it lies.
    expanding: Vec<(Bytes, usize)>,
    /// When they were printed first, as commands that may be run.
    kept: Option<usize>,
}

impl Machine<'_> {
    /// Whether zsh may replace a word of these for where it stands, or for how it ends.
    pub(super) fn is_replaced(&self, words: &[Word]) -> bool {
        let Aliasing { anywhere, has_suffixes, .. } = &self.aliasing;
        let ends = |word: &[u8]| word.get(1..).is_some_and(|rest| rest.contains(&b'.'));
        !anywhere.is_empty() && words.iter().filter_map(Word::literal).any(|word| anywhere.contains(word))
            || *has_suffixes && words.first().and_then(Word::literal).is_some_and(ends)
    }

    /// Whether aliases count: in bash only where commands are typed, or by an option.
    pub(super) fn expands_aliases(&self) -> bool {
        self.dialect != Dialect::Bash || self.is_interactive || self.may_be_set("expand_aliases")
    }

    /// An alias in the place of the command's name.
    pub(super) fn run_alias(&mut self, words: &[Word], command: &Command) -> bool {
        let expands = match self.dialect {
            // One that was turned off stands for itself in what is read from there on.
            Dialect::Zsh if self.may_be_set("noaliases") => {
                let is_one = words
                    .first()
                    .and_then(Word::literal)
                    .is_some_and(|name| self.live.as_ref().is_some_and(|state| state.aliases.get(name).is_some()));
                if is_one {
                    self.fog("a command that may be an alias");
                }
                return is_one;
            }
            _ => self.expands_aliases(),
        };
        let Some(name) = words.first().and_then(Word::literal).filter(|_| expands) else { return false };
        if self.aliasing.expanding.iter().any(|(own, depth)| own == name && *depth == self.depth) {
            return false;
        }
        let Some(alias) = self.live.as_ref().and_then(|s| s.aliases.get(name).cloned()) else { return false };
        // A line that was read before knows nothing of it.
        let alias = match alias.map_or(Stands::Unclear, |a| a.at(self.epoch)) {
            Stands::For(text) => text,
            Stands::ForNothing => return false,
            Stands::Unclear => {
                self.fog("a command that may be an alias");
                return true;
            }
        };
        let Some(text) = self.with_next_alias(&alias, words, command) else {
            self.fog("a command that may be an alias");
            return true;
        };
        // What stands before it goes with it.
        let begin = words.first().map_or(command.at, |word| word.at);
        let before = self.source.text.get(command.at..begin).unwrap_or_default();
        let text = [before, &text].concat();
        // It may be the beginning of something that goes on behind it.
        if Tree::of(&Bytes::from(text.clone()), self.dialect).trouble().is_some() {
            self.fog("an alias that is part of a command");
            return true;
        }
        // Its own name within it stands for itself.
        self.aliasing.expanding.push((Bytes::copy_from_slice(name), self.depth + 1));
        self.evaluate_as(&text, Boundary::Alias);
        self.aliasing.expanding.pop();
        true
    }

    /// An alias with the words behind it; where it ends with a blank, the next one may be an alias, too. `None`
    /// where that is not known.
    pub(super) fn with_next_alias(&self, alias: &[u8], words: &[Word], command: &Command) -> Option<Vec<u8>> {
        let mut text = alias.to_vec();
        let mut words = words.iter();
        let mut rest = words.next().map_or(command.end, |w| w.end);
        while text.last().is_some_and(u8::is_ascii_whitespace) {
            let Some(next) = words.next() else { break };
            let found = next.literal().and_then(|n| self.live.as_ref()?.aliases.get(n).cloned());
            let Some(found) = found else { break };
            match found?.at(self.epoch) {
                Stands::For(more) => text.extend_from_slice(&more),
                Stands::ForNothing => break,
                Stands::Unclear => return None,
            }
            rest = next.end;
        }
        text.push(b' ');
        text.extend_from_slice(self.source.text.get(rest..command.end).unwrap_or_default());
        Some(text)
    }

    pub(super) fn alias(&mut self, arguments: &[Val]) {
        self.set_status(0);
        let is_option = |a: &Val, letter: u8| a.known().is_some_and(|a| a.starts_with(b"-") && a.contains(&letter));
        let counts_anywhere = self.dialect == Dialect::Zsh && arguments.first().is_some_and(|a| is_option(a, b'g'));
        // They are printed as commands, which may be run later.
        let prints = |a: &Val| match self.dialect {
            Dialect::Zsh => is_option(a, b'L'),
            Dialect::Dash => false,
            _ => is_option(a, b'p'),
        };
        if arguments.is_empty() || arguments.first().is_some_and(prints) {
            if arguments.len() > 1 {
                self.doubt_status(self.doubt("whether there is such an alias"));
            }
            self.aliasing.kept = Some(self.aliasing.kept.map_or(self.clock, |clock| clock.min(self.clock)));
            return self.print(Val::Unknown(Unknown::of(self.doubt(ALIASES)).setting(Some(&[]))));
        }
        if self.dialect == Dialect::Zsh && arguments.first().is_some_and(|a| is_option(a, b's')) {
            self.aliasing.has_suffixes = true;
            return self.doubt_status(self.doubt("whether there is such an alias"));
        }
        for (index, argument) in arguments.iter().enumerate() {
            match argument.known() {
                // What stands behind it may be quoted by that, or not.
                Some(text) if self.dialect != Dialect::Bash && text.ends_with(b"\\") => {
                    self.fog("an alias that a backslash ends");
                }
                Some(text) if counts_anywhere => {
                    let end = memchr::memchr(b'=', text).unwrap_or(text.len());
                    self.aliasing.anywhere.insert(text.slice(..end));
                    if end == text.len() && index > 0 {
                        self.doubt_status(self.doubt("whether there is such an alias"));
                    }
                }
                Some(text) => {
                    if let Some(at) = memchr::memchr(b'=', text)
                        && self.live.is_some()
                    {
                        let (name, new) = (text.slice(..at), text.slice(at + 1..));
                        // What is no name is refused by some.
                        let is_odd = match self.dialect {
                            Dialect::Mksh => name.iter().any(|b| !b.is_ascii_alphanumeric() && !b"_-.,@%:!+".contains(b)),
                            Dialect::Ksh => name.iter().any(|b| b" \t\n/$`\"'\\|&;<>(){}".contains(b)),
                            _ => name.iter().any(|b| b" \t\n/$`\"'\\|&;<>()".contains(b)),
                        };
                        if is_odd || name.is_empty() {
                            self.doubt_status(self.doubt("a name that an alias may not have"));
                            continue;
                        }
                        let Some(state) = &mut self.live else { return };
                        let aliases = &mut state.aliases;
                        // One that says the same already goes on.
                        let goes_on = matches!(aliases.get(&name), Some(Some(old)) if old.text == new && old.died.is_none());
                        if !goes_on {
                            let before = aliases.get(&name).map(|old| old.clone().map(Arc::new));
                            aliases.insert(name, Some(Alias { text: new, born: self.clock, died: None, before }));
                        }
                    } else {
                        self.print(Val::unknown(self.doubt("what a command prints")));
                        self.doubt_status(self.doubt("whether there is such an alias"));
                    }
                }
                None => self.doubt_status(self.doubt("an alias that is not known")),
            }
        }
    }

    /// What the names stand for from here on to which aliases of unknown texts are given. One that begins with its own name
    /// is taken for that command with more words.
    pub(super) fn doubt_aliases(&mut self, words: &[Word]) {
        for word in words.iter().filter(|word| word.literal().is_none()) {
            let begins = match word.parts.first() {
                Some(Part::Text(text) | Part::Quoted(text)) => text.to_vec(),
                Some(Part::Double(parts)) => match parts.first() {
                    Some(Part::Text(text) | Part::Quoted(text)) => text.to_vec(),
                    _ => Vec::new(),
                },
                _ => Vec::new(),
            };
            let Some(at) = memchr::memchr(b'=', &begins) else { return self.fog("an alias that is not known") };
            let name = Bytes::copy_from_slice(begins.get(..at).unwrap_or_default());
            // What stands behind the sign may be a part of its own.
            let text = self.source.text.get(word.at..word.end).unwrap_or_default();
            let behind = memchr::memchr(b'=', text).and_then(|at| text.get(at + 1..)).unwrap_or_default();
            let own = behind.strip_prefix(b"\"").unwrap_or(behind).strip_prefix(&name[..]);
            let is_itself = own.is_some_and(|rest| rest.first().is_some_and(u8::is_ascii_whitespace));
            if let Some(state) = self.live.as_mut().filter(|_| !is_itself) {
                state.aliases.insert(name, None);
            }
        }
    }

    /// What `alias` printed is run: those that were taken away since then are there again.
    pub(super) fn put_back_aliases(&mut self) {
        let Some((since, state)) = self.aliasing.kept.zip(self.live.as_mut()) else { return };
        let names: Vec<Bytes> = state.aliases.iter().map(|(name, _)| name.clone()).collect();
        self.steps.count(names.len());
        for name in names {
            let alias = state.aliases.get(&name).cloned().flatten();
            if let Some(alias) = alias.filter(|alias| alias.died.is_some_and(|died| died >= since)) {
                let again = Alias { text: alias.text.clone(), born: self.clock, died: None, before: Some(Some(Arc::new(alias))) };
                state.aliases.insert(name, Some(again));
            }
        }
    }

    /// `unalias`: of names, or of all.
    pub(super) fn unalias(&mut self, known: Option<Vec<Bytes>>) {
        let clock = self.clock;
        let is_all = known.as_deref().is_none_or(|names| names.iter().any(|n| n.starts_with(b"-")));
        let of_all = |state: &State| state.aliases.iter().map(|(name, _)| name.clone()).collect();
        let names = known.filter(|_| !is_all).or_else(|| self.live.as_ref().map(of_all)).unwrap_or_default();
        self.steps.count(names.len());
        if let Some(state) = &mut self.live {
            for name in names {
                // What was read before knows it still.
                if let Some(Some(alias)) = state.aliases.get(&name).filter(|a| a.as_ref().is_some_and(|a| a.died.is_none())) {
                    let alias = Alias { died: Some(clock), ..alias.clone() };
                    state.aliases.insert(name, Some(alias));
                }
            }
        }
        self.doubt_status(self.doubt("whether there was such an alias"));
    }

    /// Whether an alias is no whole command.
    pub(super) fn has_part_alias(&self) -> bool {
        const MOST: usize = 100;
        let Some(state) = self.live.as_ref().filter(|_| self.expands_aliases()) else { return false };
        let texts = state.aliases.iter().filter_map(|(_, alias)| Some(alias?.as_ref()?.text.clone()));
        texts.take(MOST).any(|text| Tree::of(&text, self.dialect).trouble().is_some())
    }
}

#[cfg(test)]
mod tests {
    use super::super::trial::after;
    use super::*;

    #[test]
    fn aliases_stand_for_what_they_say_from_the_next_line_on() {
        // What X is then; a bang where anything may be set.
        for (dialect, text, told) in [
            (Dialect::Dash, "alias x='X=1'\nx", "1"),
            (Dialect::Dash, "alias x='X=1'; x", "none"),
            (Dialect::Bash, "alias x='X=1'\nx", "none"),
            (Dialect::Bash, "shopt -s expand_aliases; alias x='X=1'\nx", "1"),
            (Dialect::Zsh, "alias x='X=1'\nunalias x\nx", "none"),
            (Dialect::Zsh, "alias x='y ' y='X=1'\nx", "1"),
            (Dialect::Mksh, "alias e='e; X=1'\ne", "1"),
            (Dialect::Mksh, "alias date='date -u'\ndate; X=1", "1"),
            (Dialect::Dash, "alias x='if true; then'\nx X=1; fi", "!"),
            (Dialect::Zsh, "alias -g G=x\necho G", "!"),
            (Dialect::Zsh, "alias -s txt=cat\na.txt", "!"),
            (Dialect::Zsh, "alias -s txt=cat\ntxt; X=1", "1"),
            (Dialect::Zsh, "alias x='X=1'\na=$(alias -L)\nunalias -m '*'\neval \"$a\"\nx", "1"),
            (Dialect::Zsh, "alias x='X=1'\nunalias x\na=$(alias -L)\neval \"$a\"\nx", "none"),
            (Dialect::Zsh, "alias x='X=1'\nsetopt no_aliases\nx", "!"),
        ] {
            let found = after(dialect, text, |machine| match &machine.live {
                Some(state) if state.open.is_some() => "!".to_owned(),
                _ => machine.told_value("X"),
            });
            assert_eq!(found, told, "{dialect:?} {text}");
        }
    }

    #[test]
    fn an_alias_counts_for_what_is_read_after_it() {
        let first = Alias { text: Bytes::from_static(b"one"), born: 3, died: Some(8), before: None };
        let second = Alias { text: Bytes::from_static(b"two"), born: 5, died: None, before: Some(Some(Arc::new(first.clone()))) };
        let told = |alias: &Alias, epoch| match alias.at(epoch) {
            Stands::ForNothing => "nothing".to_owned(),
            Stands::Unclear => "unclear".to_owned(),
            Stands::For(text) => String::from_utf8_lossy(&text).into_owned(),
        };
        assert_eq!([2, 3, 4, 8, 9].map(|epoch| told(&first, epoch)), ["nothing", "nothing", "one", "one", "nothing"]);
        assert_eq!([3, 4, 5, 6, 9].map(|epoch| told(&second, epoch)), ["nothing", "one", "one", "two", "two"]);
        let either = Alias { before: Some(None), ..second };
        assert_eq!([4, 6].map(|epoch| told(&either, epoch)), ["unclear", "two"]);
    }

    #[test]
    fn aliases_are_told_and_taken_away() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "alias q='R=5'; (alias q >/dev/null); R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "alias q='R=5'; unalias q; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "alias q=a r=b; R=$?; (alias nosuch) 2>/dev/null; X=$?", ["0", "<a number>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unalias -a; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash], "R=0; alias q='R=7'; eval q 2>/dev/null; X=1", ["0", "1"]),
            (&[Dash, Ksh, Mksh, Zsh], "R=0; alias q='R=7'; eval q 2>/dev/null; X=1", ["7", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; alias q='R=7 '; unalias q; eval q 2>/dev/null; X=$R", ["0", "0"]),
        ]);
    }
}
