//! `unset`, and exports that are not known.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::may_assign;
use super::content::Content;
use super::fits::GROUPS;
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::pattern::{Groups, NotFollowed, Pattern};
use super::sum::SUM_MAY_SET;
use super::syntax::*;
use super::value::{Doubt, Val};

/// A pattern of names: what they are to fit, and what not.
struct NamePattern {
    fits: Pattern,
    but: Option<Pattern>,
}

impl NamePattern {
    /// Takes a pattern apart; `extends` says whether `~` takes something out of it (zshexpn(1), «Filename Generation»).
    fn new(text: &[u8], extends: bool) -> Result<NamePattern, NotFollowed> {
        let pattern = |text: &[u8]| {
            // Those of other kinds.
            if extends && text.iter().any(|b| b"#^~".contains(b)) || text.contains(&b'<') {
                return Err(NotFollowed);
            }
            Pattern::new(text, &vec![false; text.len()], Groups::Plain)
        };
        match memchr::memchr(b'~', text).filter(|_| extends) {
            None => Ok(NamePattern { fits: pattern(text)?, but: None }),
            Some(at) => Ok(NamePattern {
                fits: pattern(text.get(..at).unwrap_or_default())?,
                but: Some(pattern(text.get(at + 1..).unwrap_or_default())?),
            }),
        }
    }

    fn matches(&self, name: &[u8]) -> Result<bool, NotFollowed> {
        Ok(self.fits.matches(name)? && !self.but.as_ref().map_or(Ok(false), |but| but.matches(name))?)
    }
}

impl Machine<'_> {
    /// What is no name is passed over where it ends nothing (measured: bash 5.2, zsh 5.9, 93u+m, R59).
    fn unset_what_is_no_name(&mut self, name: &[u8]) {
        match self.dialect {
            // It is unset up to the sign, or not (measured: dash 0.5.12).
            Dialect::Dash if name.contains(&b'=') => {
                self.doubt_from_here(name.split(|b| *b == b'=').next().unwrap_or_default());
                self.misused();
            }
            // Letters of others, which it may take by its locale.
            Dialect::Zsh if !name.is_ascii() => self.fail_or_go_on(&self.doubt("a name that is none is unset")),
            Dialect::Dash => self.fail_special(),
            Dialect::Zsh => self.fail_hard(),
            Dialect::Bash | Dialect::Ksh | Dialect::Mksh => {
                self.doubt_status(self.doubt("how a command ends of which one word is wrong"));
            }
        }
    }

    pub(super) fn unset_names(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("names are unset that are not known") };
        let mut of_functions = false;
        let mut of_variables = false;
        self.set_status(0);
        // By patterns.
        if let (Dialect::Zsh, Some((first, patterns))) = (self.dialect, words.split_first())
            && first.starts_with(b"-")
            && first.contains(&b'm')
            && !(first == "-m" && patterns.is_empty())
        {
            let is_plain = first.iter().all(|b| b"-mv".contains(b)) && !patterns.is_empty() && !self.as_sh;
            if !is_plain || self.unset_those_that_fit(patterns).is_err() {
                self.fog("names are unset in another way");
            }
            return;
        }
        match self.dialect {
            Dialect::Zsh
                if matches!(words, [] | [_])
                    && words.iter().all(|word| matches!(&word[..], b"-" | b"--" | b"-f" | b"-v" | b"-m")) =>
            {
                return self.set_status(1);
            }
            Dialect::Ksh if words.iter().all(|word| word == "-f" || word == "-v") => return self.misused(),
            _ => {}
        }
        let mut are_names = false;
        for word in words {
            if are_names {
                self.unset_one(word, of_functions, of_variables);
                if self.live.is_none() {
                    return;
                }
                continue;
            }
            match &word[..] {
                b"-" if self.dialect == Dialect::Zsh => are_names = true,
                b"-f" => of_functions = true,
                b"-v" => of_variables = true,
                b"--" if self.dialect == Dialect::Ksh && words.last() == Some(word) => return self.misused(),
                b"--" => are_names = true,
                // There the sign is passed over.
                b"-+" if self.dialect == Dialect::Ksh => return self.fog("names are unset in another way"),
                name if name.first() == Some(&b'-') && name.len() > 1 => {
                    match (self.dialect, name) {
                        (Dialect::Zsh, b"-m") | (_, b"-n" | b"-fv" | b"-vf" | b"-a") => {
                            self.fog("names are unset in another way");
                        }
                        // What begins with no letter is no option, and no name.
                        (Dialect::Zsh, [_, letter, ..]) if !letter.is_ascii_alphabetic() => self.misused_badly(),
                        (Dialect::Zsh, _) => self.doubt_status(self.doubt(NOT_TAKEN)),
                        _ => self.refuse_option(),
                    }
                    return;
                }
                name => {
                    are_names = true;
                    self.unset_one(name, of_functions, of_variables);
                    if self.live.is_none() {
                        return;
                    }
                }
            }
        }
    }

    /// Unsets what one word names: a function, a variable, an item of a list.
    fn unset_one(&mut self, name: &[u8], of_functions: bool, of_variables: bool) {
        let is_name = name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
        let is_item = name.contains(&b'[') && self.dialect.is_rich();
        let begins = name.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
        let is_taken = begins && (is_name || is_item)
            || self.dialect == Dialect::Zsh && !name.is_empty() && name.iter().all(u8::is_ascii_digit);
        if !is_taken && !of_functions && (of_variables || self.dialect != Dialect::Bash) {
            return self.unset_what_is_no_name(name);
        }
        if of_functions {
            return self.unset_function(name);
        }
        if !is_name {
            if !self.unset_of_shell(name) {
                self.unset_item(name);
            }
            return;
        }
        // Held fast once a command has run (measured: R59).
        if self.dialect == Dialect::Mksh && name == b"PIPESTATUS" {
            self.doubt_from_here(name);
            return self.doubt_status(self.doubt("whether a name is held fast"));
        }
        let is_there = !matches!(self.content_of(name), Content::Unset);
        if !is_there && !of_variables && self.dialect == Dialect::Bash && self.is_function(name) {
            self.forget_function(name);
            return;
        }
        self.unset_variable(name);
    }

    fn unset_function(&mut self, name: &[u8]) {
        let runs = self.dialect == Dialect::Ksh && self.is_in_function();
        let was_there = self.forget_function(name);
        if was_there && runs {
            self.ended_within.insert(Bytes::copy_from_slice(name));
        }
        if !was_there && self.is_own_zsh() {
            self.set_status(1);
        }
        // What no function can be called is told of there.
        if self.dialect == Dialect::Ksh && !crate::reader::is_portable(name) {
            self.doubt_status(self.doubt("whether there is such a name"));
        }
    }

    /// Unsets an item of a list, or what a pattern fits.
    fn unset_item(&mut self, name: &[u8]) {
        let base = name.split(|b| *b == b'[').next().unwrap_or_default().to_vec();
        let doubt = self.doubt("an item of a list");
        if !matches!(self.content_of(&base), Content::Unset) {
            self.doubt_place_named(name);
        }
        // A place is worked out there even in what is not set.
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && name.get(base.len()..).is_some_and(may_assign) {
            self.fog(SUM_MAY_SET);
        }
        if name.len() > base.len() && !self.may_unset_item(name, &base, &doubt) {
            return;
        }
        // Of nothing no item is taken away.
        if matches!(self.content_of(&base), Content::Unset) {
            return;
        }
        let content = self.without_key(name).or_else(|| self.without_item(name));
        self.assign(&base, content.unwrap_or(Content::Perhaps(Val::unknown(doubt))), None);
    }

    fn unset_variable(&mut self, name: &[u8]) {
        match (self.dialect, name) {
            // bash goes on setting it, and what mksh says of itself stays.
            (Dialect::Bash, b"_") | (Dialect::Mksh, b"KSH_VERSION") => return,
            // What that counts with stays, too, and is handed on no more.
            (Dialect::Mksh, b"OPTIND" | b"HISTSIZE" | b"EPOCHREALTIME" | b"BASHPID") => return self.doubt_export(name),
            // There it is a number.
            (Dialect::Dash, b"OPTIND") => return self.fail_special(),
            _ => {}
        }
        self.held_or_not(name, |m| {
            if !m.unset(name) {
                match m.dialect {
                    Dialect::Ksh | Dialect::Mksh => m.set_status(1),
                    _ => m.refused(),
                }
            }
        });
    }

    /// Whether something may be taken away by an item's name; its key may be wrong, which ends what it ends, and what it is
    /// an item of no list (measured: bash 5.2, 93u+m, R59).
    fn may_unset_item(&mut self, item: &[u8], base: &[u8], doubt: &Arc<Doubt>) -> bool {
        let key = item.get(base.len() + 1..).and_then(|rest| rest.strip_suffix(b"]")).unwrap_or_default();
        let content = self.content_of(base);
        let digits = key.strip_prefix(b"-").unwrap_or(key);
        let is_plain = !digits.is_empty() && digits.iter().all(u8::is_ascii_digit);
        if !is_plain && !matches!(content, Content::Table(_)) {
            self.doubt_status(doubt.clone());
            if self.dialect != Dialect::Ksh && !matches!(key, b"@" | b"*") {
                self.fail_or_go_on(doubt);
            }
        }
        if self.dialect == Dialect::Bash && key != b"0" && matches!(content, Content::Set(_)) {
            self.doubt_status(doubt.clone());
        }
        !matches!(content, Content::Unset)
    }

    /// What a list is once an item of it is unset: in zsh that is empty then; in bash it counts where it is the last one,
    /// for what follows it keeps its place.
    fn without_item(&self, item: &[u8]) -> Option<Content> {
        let at = memchr::memchr(b'[', item)?;
        let key = item.get(at + 1..)?.strip_suffix(b"]")?;
        let Content::Array(items) = self.content_of(item.get(..at)?) else { return None };
        let digits = key.strip_prefix(b"-").unwrap_or(key);
        if digits.is_empty() || digits.starts_with(b"0") && digits.len() > 1 || !digits.iter().all(u8::is_ascii_digit) {
            return None;
        }
        let number = std::str::from_utf8(digits).ok()?.parse::<usize>().ok()?;
        let is_from_end = key.len() > digits.len();
        let place = match self.dialect {
            _ if is_from_end => items.len().checked_sub(number),
            Dialect::Zsh => number.checked_sub(1),
            _ => Some(number),
        };
        let place = place.filter(|place| *place < items.len())?;
        let mut items = items.to_vec();
        match self.dialect {
            Dialect::Zsh if self.is_own_zsh() && !self.expands_otherwise() => drop(items.splice(place..=place, [Val::of(b"")])),
            Dialect::Bash if place + 1 == items.len() => drop(items.pop()),
            _ => return None,
        }
        Some(Content::Array(Arc::new(items)))
    }

    /// Unsets the variables whose names fit one of some patterns.
    ///
    /// # Errors
    /// If it is not known which these are.
    fn unset_those_that_fit(&mut self, patterns: &[Bytes]) -> Result<(), NotFollowed> {
        let state = self.live.as_ref().ok_or(NotFollowed)?;
        let names: Vec<Bytes> =
            state.vars.listed().map(|(name, _)| name.clone()).chain(state.ties.iter().map(|tie| tie.list.clone())).collect();
        let extends = state.option(GROUPS).ok_or(NotFollowed)?;
        let patterns = patterns.iter().map(|text| NamePattern::new(text, extends)).collect::<Result<Vec<_>, _>>()?;
        let mut are_there = false;
        for name in names {
            let fits = patterns.iter().map(|pattern| pattern.matches(&name)).collect::<Result<Vec<_>, _>>()?;
            if !fits.contains(&true) {
                continue;
            }
            // Some of these end the file.
            if self.is_special(&name) || self.is_tied_text(&name) || self.may_be_held(&name) {
                return Err(NotFollowed);
            }
            are_there |= !matches!(self.content_of(&name), Content::Unset | Content::Perhaps(_));
            if !self.unset(&name) {
                self.refused();
                return Ok(());
            }
        }
        if are_there {
            self.set_status(0);
        } else {
            self.doubt_status(self.doubt("whether there is such a name"));
        }
        Ok(())
    }

    /// `unfunction`: as `unset -f`.
    pub(super) fn unset_functions(&mut self, known: Option<&[Bytes]>) {
        match known {
            Some([]) => self.set_status(1),
            Some(names) if names.iter().all(|name| !name.starts_with(b"-")) => {
                let words: Vec<Bytes> = [Bytes::from_static(b"-f")].into_iter().chain(names.iter().cloned()).collect();
                self.unset_names(Some(&words));
                // Behind «builtin» it is not told here which are passed over.
                if self.tame > 0 {
                    self.doubt_status(self.doubt("whether there is such a function"));
                }
            }
            _ => self.fog("functions are taken away that are not known"),
        }
    }

    /// Whether a name is handed on from here is not known.
    pub(super) fn doubt_export(&mut self, name: &[u8]) {
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)) {
            var.exported = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn names_are_unset_by_what_they_are() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; R=2; unset X; R=${X-gone}", ["gone", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X() { :; }; X=1; unset -f X; R=${X-gone}", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; unset -v R X", ["none", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=(a b c); unset 'X[1]'; R=1; unset X", ["1", "none"]),
            (&[Bash], "X=(a b c); unset 'X[1]'; R=${#X[@]}", ["<unknown>", "<unknown>"]),
            (&[Bash], "l=(a b c); unset 'l[2]'; R=${#l[@]}; l+=(d); X=${l[*]}", ["2", "a b d"]),
            (&[Bash], "l=(a b c); unset 'l[-1]'; R=${l[*]}", ["a b", "none"]),
            (&[Zsh], "l=(a b c); unset 'l[2]'; R=$#l; X=\"$l\"", ["3", "a  c"]),
            (&[Bash], "X() { R=5; }; unset X; X 2>/dev/null; R=$?", ["127", "none"]),
            (&[Zsh], "unset Q_1; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "readonly X=1; (unset X) 2>/dev/null; R=kept", ["kept", "1"]),
            (&[Bash, Ksh, Mksh], "X=1; tide-now && readonly X; unset X; R=$?", ["<a number>", "1?"]),
            (&[Dash], "X=1; tide-now && readonly X; unset X; R=${X-n}", ["n", "none"]),
            (&[Zsh], "X=1; tide-now && readonly X; unset X; R=${X-n}", ["n?", "1?"]),
        ]);
    }

    #[test]
    fn zsh_unsets_those_that_fit_a_pattern() {
        hold(&[
            (&[Zsh], "LANE_A=1; LANE_B=2; X=3; unset -m 'LANE_*'; R=${LANE_A-gone}${LANE_B-gone}", ["gonegone", "3"]),
            (&[Zsh], "LANE_A=1; LANE_B=2; X=3; unset -m 'LANE_[B-Z]' X; R=$LANE_A${LANE_B-gone}", ["1gone", "none"]),
            (
                &[Zsh],
                "setopt extendedglob; LANE_A=1; LANE_B=2; unset -m '(LANE_*|X)~LANE_B'; R=${LANE_A-gone}$LANE_B",
                ["gone2", "none"],
            ),
            (&[Zsh], "LANE_A=1; unset -m 'PIER_*'; R=$LANE_A", ["1", "none"]),
            (&[Zsh], "X=1; f() { local X=2; unset -m X; R=${X-gone}; }; f", ["gone", "1"]),
        ]);
    }

    #[test]
    fn what_is_unset_is_gone_where_it_was() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; R=2; unset R X; X=${X-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; unset X X; R=$?; X=${X-none}", ["0", "none"]),
            (&[Bash, Ksh, Mksh], "unset -v X -f 2>/dev/null; R=1; X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; (unset R; exit 3); X=$?", ["1", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; f() { unset X; }; f; R=${X-gone}", ["gone", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=(a b); unset X; R=${X-gone}; X=1", ["gone", "1"]),
            (&[Bash, Zsh], "f() { local X=2; unset X; R=${X-gone}; }; X=1; f", ["gone", "1"]),
            (&[Bash, Zsh], "typeset -A T; T[a]=1; unset T; R=${T-gone}; X=1", ["gone", "1"]),
        ]);
    }
}
