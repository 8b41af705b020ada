//! What stands in the braces of a parameter: its name, and what is done to what it holds.

mod behind;
mod ends;

use self::behind::Behind;
use super::inner::{QUOTES_WITHIN, are_quotes_lost};
use super::parameter::has_odd_cut;
use super::parse::{Parsed, Parser, is_name, is_name_start, is_own_name};
use super::reference::{BAD_SHAPE, ODD_SETTING_SHAPE, ODD_SHAPE, SETTING_SHAPE, TOLD_BY_SHELL, closing};
use super::setting::sets_something;
use super::shaped::shape::{are_flags, shape_of};
use super::syntax::*;
use super::words::is_changed;

impl Parser<'_> {
    pub(super) fn braced(&mut self, in_double: bool) -> Parsed<Part> {
        let outer = self.is_between_quotes;
        self.is_between_quotes |= in_double;
        let start = self.at;
        let part = self.braced_here(in_double);
        self.is_between_quotes = outer;
        match self.ends_elsewhere(&part, start, in_double, outer) {
            Some(why) => self.trouble_unfollowed(why),
            None => part,
        }
    }

    fn braced_here(&mut self, in_double: bool) -> Parsed<Part> {
        let start = self.at;
        self.at += 1;
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'+') && self.peek_at(1).is_some_and(is_name_start) {
            self.at += 1;
            let part = self.is_set()?;
            if self.take(b"}") {
                return Ok(part);
            }
            self.skip_braces(start)?;
            let sets = self.text.get(start..self.at).is_some_and(|text| text.contains(&b'='));
            return Ok(Part::Unfollowed(if sets { ODD_SETTING_SHAPE } else { ODD_SHAPE }));
        }
        // Something is to be done to a number of words, and it is not said what (measured: bash 5.2, dash 0.5.12, 93u+m, R59).
        let nothing_to_do: &[u8] = match self.dialect {
            Dialect::Bash => b"%+,/:=^",
            Dialect::Dash => b"%+:=",
            Dialect::Ksh => b"%+/:=",
            Dialect::Mksh => b":",
            Dialect::Zsh => b":",
        };
        if let Some([b'#', sign, b'}']) = self.text.get(self.at..self.at + 3)
            && nothing_to_do.contains(sign)
        {
            self.at += 3;
            return Ok(Part::Unfollowed(BAD_SHAPE));
        }
        let begins_odd = |p: &Self| match p.peek() {
            Some(b'#') => p.peek_at(1).is_some_and(|b| b"$:".contains(&b)),
            Some(byte) => b"(^=~\"$:".contains(&byte),
            None => false,
        };
        let is_begun_oddly = begins_odd(self);
        if self.dialect == Dialect::Zsh
            && is_begun_oddly
            && let Some(part) = self.shaped(start, in_double)
        {
            return Ok(part);
        }
        // Names that others hold are asked for in another way there.
        let is_reference = self.peek() == Some(b'!') && self.peek_at(1).is_some_and(is_name);
        if self.dialect == Dialect::Zsh && is_reference {
            self.skip_braces(start)?;
            return Ok(Part::Unfollowed(BAD_SHAPE));
        }
        let part = self.braced_plain(start, in_double)?;
        if self.dialect == Dialect::Bash && in_double && are_quotes_lost(self.text.get(start + 1..self.at).unwrap_or_default()) {
            return Ok(Part::Unfollowed(if sets_something(std::slice::from_ref(&part)) {
                SETTING_SHAPE
            } else if has_odd_cut(&part) {
                ODD_SHAPE
            } else {
                QUOTES_WITHIN
            }));
        }
        // What is not followed, or has a key that is no number, may be of zsh's own shape.
        let is_odd = match &part {
            Part::Parameter(p) => {
                let is_number = |key: &[Part]| {
                    is_whole(key) || matches!(key, [Part::Quoted(t) | Part::Text(t)] if t.iter().all(u8::is_ascii_digit))
                };
                matches!(p.change, Change::Unfollowed(_)) || p.key.as_deref().is_some_and(|key| !is_number(key))
            }
            Part::Unfollowed(_) => true,
            _ => false,
        };
        if self.dialect == Dialect::Zsh && is_odd && !is_begun_oddly {
            return Ok(self.shaped(start, in_double).unwrap_or(part));
        }
        Ok(part)
    }

    /// What a parameter of zsh's own shape is that is not followed, which stands up to here.
    fn own_shape(&self, start: usize) -> &'static str {
        shape_of(self.text.get(start..self.at).unwrap_or_default())
    }

    /// Takes what stands in braces, as far as other shells write it so, too.
    fn braced_plain(&mut self, start: usize, in_double: bool) -> Parsed<Part> {
        // There that is an error of the text.
        if self.dialect == Dialect::Ksh && self.peek() == Some(b'(') {
            return self.trouble_unfollowed("flags of a parameter");
        }
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'(')
            || matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && self.peek().is_some_and(|b| b == b' ' || b == b'|')
        {
            self.skip_braces(start)?;
            let text = self.text.get(start..self.at).unwrap_or_default();
            // Between the signs of a flag these end more than the flags.
            let flags = text.get(2..memchr::memchr(b')', text).unwrap_or(text.len())).unwrap_or_default();
            if self.dialect == Dialect::Zsh && flags.iter().any(|b| b"\"`{}".contains(b)) {
                return self.trouble_unfollowed("flags of a parameter with other signs");
            }
            // A quoted text is no parameter; what a command prints is one.
            let is_quoted =
                memchr::memmem::find(text, b")\"").is_some_and(|at| !text.get(at + 2).is_some_and(|b| b"$`".contains(b)));
            // What follows is a parameter, or another in it.
            let behind = memchr::memchr(b')', text).and_then(|at| text.get(at + 1)).copied().unwrap_or_default();
            let is_odd = is_quoted
                || self.dialect == Dialect::Zsh && !is_name(behind) && !b"^=~+#:$({\"`@*?!-}".contains(&behind)
                || memchr::memmem::find(text, b")#\"").is_some()
                || self.dialect == Dialect::Zsh && !are_flags(text.get(2..).unwrap_or_default());
            // In the others commands run there, in the shell itself.
            let kind = if self.dialect == Dialect::Zsh { self.own_shape(start) } else { SETTING_SHAPE };
            let sets = [SETTING_SHAPE, ODD_SETTING_SHAPE].contains(&kind);
            return Ok(Part::Unfollowed(match (is_odd, sets && self.dialect == Dialect::Zsh) {
                (true, true) => ODD_SETTING_SHAPE,
                (true, false) => ODD_SHAPE,
                (false, _) => kind,
            }));
        }
        let mut change = Change::None;
        if self.peek() == Some(b'#') && self.peek_at(1).is_some_and(|b| b != b'}' && (is_name(b) || b"@*#?-$!".contains(&b))) {
            self.at += 1;
            change = Change::Length;
        }
        // Of the number of parameters that is the last of them, of other signs something else.
        let names_another = |rest: &[u8]| matches!(rest, [b'!', byte, ..] if is_name(*byte)) || rest.starts_with(b"!#}");
        let is_indirect =
            self.dialect == Dialect::Bash && change == Change::None && self.text.get(self.at..).is_some_and(names_another);
        self.at += usize::from(is_indirect);
        let from = self.at;
        match self.peek() {
            Some(byte) if is_name_start(byte) => {
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
            }
            Some(byte) if byte.is_ascii_digit() => {
                while self.peek().is_some_and(|b| b.is_ascii_digit()) {
                    self.at += 1;
                }
            }
            Some(b'$') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(|b| b"{(".contains(&b)) => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed(self.own_shape(start)));
            }
            Some(byte) if b"@*#?-$!".contains(&byte) => self.at += 1,
            // zsh's own shapes, such as a parameter within another.
            Some(b':' | b'^' | b'=' | b'~') if self.dialect == Dialect::Zsh => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed(self.own_shape(start)));
            }
            _ => {
                let from = self.at;
                self.skip_braces(start)?;
                let inside = self.text.get(from..self.at.saturating_sub(1)).unwrap_or_default();
                if inside.iter().any(|b| b"'\"`".contains(b)) {
                    return self.trouble_unfollowed(QUOTES_WITHIN);
                }
                let is_own = self.dialect == Dialect::Ksh && change == Change::None && is_own_name(inside);
                return Ok(Part::Unfollowed(if is_own { TOLD_BY_SHELL } else { ODD_SHAPE }));
            }
        }
        let name = self.cut(from, self.at);
        // Only a name has one (measured: 93u+m).
        let is_asked = |next: u8| next.is_ascii_digit() || b"@*$!".contains(&next);
        if self.dialect == Dialect::Ksh && name == "!" && self.peek().is_some_and(is_asked) {
            return self.trouble("what has no name is asked for it");
        }
        if is_indirect {
            for (sign, joins) in [(b"@}", false), (b"*}", true)] {
                if self.take(sign) {
                    // No name begins with a digit (measured: 5.2).
                    if name.first().is_some_and(u8::is_ascii_digit) {
                        return Ok(Part::Unfollowed(BAD_SHAPE));
                    }
                    return Ok(Part::Parameter(Box::new(Parameter {
                        name,
                        key: None,
                        change: Change::Names(joins),
                        is_indirect: false,
                    })));
                }
            }
        }
        let mut key = None;
        if self.peek() == Some(b'[') && self.dialect.is_rich() {
            let rest = self.text.get(self.at..).unwrap_or_default();
            // What is no name has none (measured: bash 5.2, 93u+m, R59).
            if !name.first().is_some_and(|byte| is_name_start(*byte)) {
                match self.dialect {
                    Dialect::Ksh => return self.trouble("what has no items is asked for one"),
                    // All that is run is given up, or only this line.
                    Dialect::Bash if change == Change::Length && name == "@" => {
                        return self.trouble_unfollowed("what has no items is asked for one");
                    }
                    Dialect::Bash | Dialect::Mksh => {
                        self.skip_braces(start)?;
                        return Ok(Part::Unfollowed(BAD_SHAPE));
                    }
                    Dialect::Zsh | Dialect::Dash => {}
                }
            }
            let Some(close) = closing(rest) else {
                return match self.dialect {
                    // There it may be an error of its line alone.
                    Dialect::Bash => self.trouble_unfollowed("a bracket is not closed"),
                    _ => self.trouble("a bracket is not closed"),
                };
            };
            let quotes = rest.iter().take(close).filter(|byte| **byte == b'\'').count();
            if self.dialect == Dialect::Zsh && quotes == 1 {
                return self.trouble("a quote is not closed");
            } else if quotes == 1 {
                return self.trouble_unfollowed("a quote is not closed");
            }
            // An index in such quotes is an error, or not, by where it stands.
            if rest.get(1..close).is_some_and(|key| key.contains(&b'\'') && key.iter().all(|b| b"'0123456789".contains(b))) {
                self.at += close + 1;
                let is_zsh = self.dialect == Dialect::Zsh;
                return Ok(Part::Unfollowed(if is_zsh { ODD_SHAPE } else { "an index in quotes" }));
            }
            key = Some(self.index(self.at + 1..self.at + close)?);
            self.at += close + 1;
        }
        let has_key = key.is_some();
        let is_all = matches!(&name[..], b"@" | b"*");
        let may_be_good = self.dialect == Dialect::Mksh && (name == "!" || self.peek() == Some(b'@'));
        let is_whole_key = key.as_deref().is_some_and(is_whole);
        let whole = |change| Ok(Part::Parameter(Box::new(Parameter { name, key, change, is_indirect })));
        if self.take(b"}") {
            return whole(change);
        }
        if change != Change::None {
            self.skip_braces(start)?;
            return whole(Change::Unfollowed(ODD_SHAPE));
        }
        // What zsh sets whatever was there before.
        if self.dialect == Dialect::Zsh && self.take(b"::=") {
            let word = self.inner_word(in_double, b"}")?;
            return if self.take(b"}") {
                whole(Change::Instead(b':', false, word))
            } else {
                self.trouble("a brace is not closed")
            };
        }
        let colon = self.peek() == Some(b':') && self.peek_at(1).is_some_and(|b| b"-=?+".contains(&b));
        if colon {
            self.at += 1;
        }
        let change = match self.peek() {
            Some(sign @ (b'-' | b'=' | b'?' | b'+')) => {
                self.at += 1;
                let from = self.at;
                let mut word = self.inner_word(in_double, b"}")?;
                // There the quotes of such a text are gone before it is split (measured: 5.2).
                let text = self.text.get(from..self.at).unwrap_or_default();
                if self.dialect == Dialect::Bash && self.is_quoted_output && memchr::memmem::find(text, b"$'").is_some() {
                    word.parts.push(Part::Unfollowed(QUOTES_WITHIN));
                }
                // Where it is passed over there, quotes behind a sum are read in another way (measured: 93u+m).
                let is_behind =
                    memchr::memmem::find(text, b"$((").is_some_and(|sum| text.get(sum..).unwrap_or_default().contains(&b'"'));
                if self.dialect == Dialect::Ksh && is_behind {
                    return self.trouble_unfollowed(QUOTES_WITHIN);
                }
                Change::Instead(sign, colon, word)
            }
            Some(sign @ (b'#' | b'%')) => self.trimmed(sign)?,
            Some(b'/') if self.dialect.is_rich() => {
                let change = self.replaced()?;
                // mksh loses itself there (measured: R59).
                let is_lost = matches!(&change, Change::Replace(both, _) if both.0.parts.iter().any(is_changed));
                if is_lost && self.dialect == Dialect::Mksh {
                    return self.trouble_unfollowed("a change within a pattern");
                }
                change
            }
            Some(b':') if self.dialect.is_rich() => match self.behind_colon(start)? {
                Behind::Open(change) => change,
                Behind::Closed(change) => return whole(change),
                Behind::Other(why) => return Ok(Part::Unfollowed(why)),
            },
            Some(sign @ (b'^' | b',')) if self.dialect == Dialect::Bash => {
                self.at += 1;
                let all = self.peek() == Some(sign);
                self.at += usize::from(all);
                if self.peek() == Some(b'}') {
                    Change::Case(sign == b'^', all)
                } else {
                    let pattern = self.at;
                    self.skip_braces(start)?;
                    // What it brings may be wrong, or set something.
                    if self.text.get(pattern..self.at).is_some_and(|pattern| pattern.iter().any(|b| b"$`".contains(b))) {
                        return self.trouble_unfollowed("a change of case by a pattern");
                    }
                    return whole(Change::Unfollowed("a change of case by a pattern"));
                }
            }
            Some(b'@')
                if self.dialect == Dialect::Bash && !in_double && self.peek_at(1).is_some_and(|b| b"'\"`".contains(&b)) =>
            {
                return self.trouble("a quote is not closed");
            }
            Some(b'@') if self.dialect == Dialect::Bash && self.peek_at(1) == Some(b'}') => {
                return self.trouble_unfollowed("a parameter that the shell refuses");
            }
            Some(b'@') if self.dialect == Dialect::Bash && self.peek_at(2) == Some(b'}') && !has_key => self.by_letter()?,
            Some(b'@') if self.dialect == Dialect::Bash && self.peek_at(2) != Some(b'}') => {
                return self.trouble_unfollowed("a parameter that the shell refuses");
            }
            Some(b'^' | b',') if self.dialect == Dialect::Ksh => return self.trouble("this cannot stand here"),
            _ => {
                self.skip_braces(start)?;
                if self.dialect == Dialect::Bash && self.text.get(start..self.at).unwrap_or_default().contains(&b'"') {
                    return self.trouble_unfollowed(QUOTES_WITHIN);
                }
                return if matches!(self.dialect, Dialect::Dash | Dialect::Mksh) && !may_be_good {
                    Ok(Part::Unfollowed(BAD_SHAPE))
                } else {
                    whole(Change::Unfollowed(ODD_SHAPE))
                };
            }
        };
        if !self.take(b"}") {
            return self.trouble("a brace is not closed");
        }
        // mksh changes one text at a time (measured: R59).
        let is_cut = matches!(change, Change::Trim(..) | Change::Replace(..) | Change::Slice(..));
        let is_refused = is_cut && (is_all || is_whole_key) || is_all && matches!(change, Change::Instead(b'=' | b'?', ..));
        if self.dialect == Dialect::Mksh && is_refused {
            return Ok(Part::Unfollowed(BAD_SHAPE));
        }
        whole(change)
    }

    /// Passes over `{…}` from its brace, whatever it holds.
    pub(super) fn skip_braces(&mut self, start: usize) -> Parsed<()> {
        self.at = start;
        let mut open = 0;
        while let Some(byte) = self.peek() {
            self.at += 1;
            match byte {
                b'{' => open += 1,
                b'}' => {
                    open -= 1;
                    if open == 0 {
                        return Ok(());
                    }
                }
                b'\\' => self.at += 1,
                b'\'' => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\'', rest).map_or(0, |l| l + 1);
                }
                _ => {}
            }
        }
        // There it may be refused when it is run.
        if self.dialect == Dialect::Bash {
            return self.trouble_unfollowed("a brace is not closed");
        }
        self.trouble("a brace is not closed")
    }
}

/// Whether a pattern has a bracket without quotes that nothing closes.
pub(super) fn has_open_bracket(text: &[u8]) -> bool {
    let is_plain = !text.iter().any(|byte| b"'\"\\$`".contains(byte));
    is_plain && memchr::memchr(b'[', text).is_some_and(|at| memchr::memchr(b']', text.get(at..).unwrap_or_default()).is_none())
}

/// Whether a key means all items.
fn is_whole(key: &[Part]) -> bool {
    matches!(key, [Part::Quoted(t) | Part::Text(t)] if **t == *b"@" || **t == *b"*")
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_stands_in_braces_becomes_as_in_each_shell() {
        hold(&[
            (&[Bash], "N=; R=${N/*/r}; X=${N//*/r}", ["r", "r"]),
            (&[Ksh, Mksh, Zsh], "N=; R=${N/*/r}; X=${N//*/r}", ["<unknown>", "<unknown>"]),
            (&[Bash], "N=; R=${N/#*/r}; X=${N/%*/r}", ["r", "r"]),
            (&[Ksh, Mksh, Zsh], "N=; R=${N/#*/r}; X=${N/%*/r}", ["<unknown>", "<unknown>"]),
            (&[Bash], "N=; R=${N/?/r}; X=${N//}", ["", ""]),
            (&[Ksh, Mksh, Zsh], "N=; R=${N/?/r}; X=${N//}", ["<unknown>", "<unknown>"]),
            (&[Bash], "unset N; R=${N/*/r}; X=${N-none}", ["", "none"]),
            (&[Ksh, Mksh, Zsh], "unset N; R=${N/*/r}; X=${N-none}", ["<unknown>", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "unset N; R=${N/a/r}; X=${N:1}", ["", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "N=ab; R=${N/*/r}; X=${N//?/r}", ["r", "rr"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=aXbXc; R=${N/X/-}; X=${N//X/-}", ["a-bXc", "a-b-c"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=aXbXc; R=${N/#a/-}; X=${N/%c/-}", ["-XbXc", "aXbX-"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=aXbXc; R=${N/#X/-}; X=${N/%X/-}", ["aXbXc", "aXbXc"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=aXbXc; R=${N//X}; X=${N/b}", ["abc", "aXXc"]),
            (&[Bash], "N=a/b/c; R=${N//\\//:}; X=${N////:}", ["a:b:c", "a:b:c"]),
            (&[Ksh, Mksh], "N=a/b/c; R=${N//\\//:}; X=${N////:}", ["a:b:c", "a/b/c"]),
            (&[Zsh], "N=a/b/c; R=${N//\\//:}; X=${N////:}", ["a:b:c", "<unknown>"]),
            (&[Bash], "N=a/b/c; R=${N///:}; X=${N////:}", ["a/b/c", "a:b:c"]),
            (&[Bash], "N=a/b/c; R=${N///b/:}; X=${N/////:}", ["a:/c", "a/:b/:c"]),
            (&[Bash], "N='#c'; P='#c'; R=${N/$P}; X=${N/\"$P\"}", ["<unknown>", ""]),
            (&[Ksh, Mksh], "N='#c'; P='#c'; R=${N/$P}; X=${N/\"$P\"}", ["<unknown>", ""]),
            (&[Zsh], "N='#c'; P='#c'; R=${N/$P}; X=${N/\"$P\"}", ["", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "N=abcdef; R=${N:2}; X=${N:1:2}", ["cdef", "bc"]),
            (&[Bash, Mksh, Zsh], "N=abcdef; R=${N: -2}; X=${N:(-3)}", ["ef", "def"]),
            (&[Ksh], "N=abcdef; R=${N: -2}; X=${N:(-3)}", ["<unknown>", "<unknown>"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=abcdef; R=${N: -3:2}; X=${N:0:0}", ["de", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "N=abcdef; R=${N:9}; X=${N:3:9}", ["", "def"]),
            (&[Bash, Ksh, Mksh], "N=abcdef; I=2; R=${N:I}; X=${N:I+1:I}", ["cdef", "de"]),
            (&[Bash, Zsh], "N=abcdef; R=${N:1:-2}; X=1", ["bcd", "1"]),
            (&[Ksh], "N=abcdef; R=${N:1:-2}; X=1", ["", "1"]),
            (&[Mksh], "N=abcdef; R=${N:1:-2}; X=1", ["bcdef", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=a.b.c; R=${N%.*}; X=${N%%.*}", ["a.b", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=a.b.c; R=${N#*.}; X=${N##*.}", ["b.c", "c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=a.b.c; R=${N%.d}; X=${N#b}", ["a.b.c", "a.b.c"]),
            (&[Bash, Dash, Ksh, Mksh], "N=a.b.c; P='.*'; R=${N%$P}; X=${N%\"$P\"}", ["a.b", "a.b.c"]),
            (&[Zsh], "N=a.b.c; P='.*'; R=${N%$P}; X=${N%\"$P\"}", ["a.b.c", "a.b.c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=a.b.c; P=.; R=${N%\"$P\"*}; X=${N%%\"$P\"c}", ["a.b", "a.b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N='a*b'; R=${N%'*'b}; X=${N%\\*b}", ["a", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N='a\"b'; R=${N%'\"'*}; X=${N#*\\\"}", ["a", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=\"it's\"; R=${N%\\'*}; X=${N%%\"'\"*}", ["it", "it"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=\"a}b\"; R=${N%\\}*}; X=${N%'}'*}", ["a", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=\"a}b\"; R=\"${N%\\}*}\"; X=\"${N#*\\}}\"", ["a", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N='(x)'; R=${N%')'}; X=${N#'('}", ["(x", "x)"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=ab; R=${#N}; X=${#U}", ["2", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=; R=${N:-d}; X=${N-d}", ["d", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=; R=${N:+d}; X=${N+d}", ["", "d"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset N; R=${N:=d}; X=$N", ["d", "d"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset N; R=${N=d}$N; X=${N:+e}", ["dd", "e"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${N:?no}; X=${N?no}", ["v", "v"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${N:-${M:-d}}; X=${M:-${N:-d}}", ["v", "v"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-\"a b\"}; X=\"${M:-a  b}\"", ["a b", "a  b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-'a b'}; X=\"${M:-'a b'}\"", ["a b", "'a b'"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-a\\ b}; X=\"${M:-a\\ b}\"", ["a b", "a\\ b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-\\}}; X=\"${M:-\\}}\"", ["}", "}"]),
            (&[Bash, Dash], "N=v; R=${M:-{a}}; X=\"${M:-{a}}\"", ["{a}", "{a}"]),
            (&[Ksh], "N=v; R=${M:-{a}}; X=\"${M:-{a}}\"", ["<unknown>", "<unknown>"]),
            (&[Mksh, Zsh], "N=v; R=${M:-{a}}; X=\"${M:-{a}}\"", ["<unknown>", "{a}"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-$N$N}; X=\"${M:-\"$N\"}\"", ["vv", "v"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-$(echo q)}; X=\"${M:-`echo r`}\"", ["q", "r"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-$((1+2))}; X=${N:+$((3*4))}", ["3", "12"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=v; R=${M:-~}; X=\"${M:-~}\"", ["/home/odile", "~"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${-+set}; X=${#?}", ["set", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$#; X=${#}", ["0", "0"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -- a b c; R=${#}; X=${#@}", ["3", "3"]),
            (&[Dash], "set -- a b c; R=${#}; X=${#@}", ["3", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b c; R=${2}; X=${3-none}${4-none}", ["b", "cnone"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -- ab cb; R=${1%b}; X=${2/c/d}", ["a", "db"]),
            (&[Bash], "N=abC; R=${N^}; X=${N^^}", ["AbC", "ABC"]),
            (&[Bash], "N=aBC; R=${N,}; X=${N,,}", ["aBC", "abc"]),
            (&[Bash], "N=ab; R=${N@U}; X=${N@u}", ["AB", "Ab"]),
            (&[Bash], "N=AB; R=${N@L}; X=${N@Q}", ["ab", "'AB'"]),
            (&[Bash], "N=M; M=v; R=${!N}; X=${!N:-d}", ["v", "v"]),
            (&[Bash], "N=M; unset M; R=${!N:-d}; X=${!N-e}", ["d", "e"]),
            (&[Bash], "AB_1=x; AB_2=y; R=${!AB_*}; X=\"${!AB_@}\"", ["<unknown>", "AB_1 AB_2"]),
            (&[Bash, Ksh, Mksh], "L=(a b c); R=${L[1]}; X=${L[@]}", ["b", "a b c"]),
            (&[Bash, Ksh, Mksh], "L=(a b c); R=${#L[@]}; X=${#L[1]}", ["3", "1"]),
            (&[Bash, Ksh], "L=(a b c); R=${L[@]:1}; X=${L[@]:0:2}", ["<unknown>", "<unknown>"]),
            (&[Bash], "L=(ab bb cb); R=${L[@]/b/-}; X=${L[@]%b}", ["<unknown>", "<unknown>"]),
            (&[Ksh], "L=(ab bb cb); R=${L[@]/b/-}; X=${L[@]%b}", ["a- -b c-", "a b c"]),
            (&[Bash], "L=(a b c); R=${!L[@]}; X=${L[-1]}", ["0 1 2", "c"]),
            (&[Ksh], "L=(a b c); R=${!L[@]}; X=${L[-1]}", ["<unknown>", "<unknown>"]),
            (&[Mksh], "L=(a b c); R=${!L[@]}; X=${L[-1]}", ["<unknown>", "<unknown>"]),
            (&[Bash, Ksh, Mksh], "L=(a b); R=${L}; X=${L[0]}${L[7]-none}", ["a", "anone"]),
            (&[Bash], "typeset -A T; T[k]=v; R=${T[k]}; X=${#T[@]}", ["v", "1"]),
            (&[Ksh], "typeset -A T; T[k]=v; R=${T[k]}; X=${#T[@]}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "L=(a b c); R=$L[2]; X=${L[-1]}", ["b", "c"]),
            (&[Zsh], "L=(a b c); R=${L[2,3]}; X=$#L", ["b c", "3"]),
            (&[Zsh], "N=abc; R=$N[2]; X=${N[1,2]}", ["b", "ab"]),
            (&[Zsh], "N=/a/b.c; R=${N:t}; X=${N:h}", ["b.c", "/a"]),
            (&[Zsh], "N=/a/b.c; R=${N:r}; X=${N:e}", ["/a/b", "c"]),
            (&[Zsh], "N=ab; R=${(U)N}; X=${(C)N}", ["AB", "Ab"]),
            (&[Zsh], "N=a:b:c; R=${${(s.:.)N}[2]}; X=${(j.-.)${(s.:.)N}}", ["b", "a-b-c"]),
            (&[Zsh], "N='b a c'; R=${(o)=N}; X=${(O)=N}", ["b a c", "b a c"]),
            (&[Zsh], "N=M; M=v; R=${(P)N}; X=${(P)${N}}", ["v", "v"]),
            (&[Zsh], "N=v; R=${+N}${+U}; X=$+N", ["10", "1"]),
            (&[Zsh], "N='a b'; R=${(q)N}; X=${(Q)${(q)N}}", ["a\\ b", "<unknown>"]),
            (&[Zsh], "L=(a '' b); R=${#L}; X=\"$L\"", ["3", "a  b"]),
            (&[Zsh], "L=(a b a); R=${(u)L}; X=${L[(i)b]}", ["a b a", "2"]),
            (&[Zsh], "L=(a b c); R=${L[(r)b*]}; X=${L[(I)c]}", ["b", "3"]),
        ]);
    }
}
