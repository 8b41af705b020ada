//! The words of a command into fields: braces, and names of files for patterns.

use super::braces::{braces, within_ranges};
use super::expand::{Expanded, Mode};
use super::field::Field;
use super::machine::Machine;
use super::options::names::NO_BRACES;
use super::parameter::{is_all, is_all_of};
use super::parse::is_name;
use super::setting::sets_something;
use super::syntax::*;
use super::value::Val;

/// A command with more words is not followed.
const MOST_FIELDS: usize = 5000;

/// Whether a word has a brace without quotes.
fn word_has_brace(word: &Word) -> bool {
    word.parts.iter().any(|part| matches!(part, Part::Text(text) if text.contains(&b'{')))
}

impl Machine<'_> {
    /// Expands words into fields.
    ///
    /// # Errors
    /// If it is not known how many there are.
    pub(super) fn fields(&mut self, words: &[Word]) -> Expanded<Vec<Val>> {
        let mut out = Vec::new();
        let mut unknown = None;
        for word in words {
            // The words behind one that is not known are expanded all the same, and may set something, or be wrong.
            if self.live.is_none() && unknown.is_some() {
                break;
            }
            if let Err(doubt) = self.fields_of(word, &mut out) {
                // It may be a pattern that names no file. In bash, and in zsh by an option, what a parameter brings may be one.
                let may_name = |part: &Part| match part {
                    Part::Text(text) => text.iter().any(|b| b"*?[(".contains(b)),
                    Part::Quoted(_) | Part::Double(_) => false,
                    _ => self.dialect == Dialect::Bash || self.globs_values(),
                };
                if word.parts.iter().any(may_name) {
                    self.fork_where_none_is_an_error(&doubt);
                }
                self.doubt_what_is_set(&word.parts, &doubt);
                unknown = unknown.or(Some(doubt));
            }
        }
        self.steps.count(out.len());
        unknown.map_or(Ok(out), Err)
    }

    /// A word in which what stands between the dots of a range is worked out, if something does.
    fn with_ranges(&mut self, word: &Word) -> Expanded<Option<Word>> {
        let within = within_ranges(&word.parts);
        if within.is_empty() {
            return Ok(None);
        }
        let mut parts = word.parts.clone();
        for (at, has_dots) in within {
            let Some(part) = word.parts.get(at) else { continue };
            let Val::Known(text) = self.one(std::slice::from_ref(part), Mode::One) else {
                return Err(self.doubt("a range of what is not known"));
            };
            if !has_dots && memchr::memmem::find(&text, b"..").is_none() {
                continue;
            }
            if text.is_empty() || !text.iter().all(|b| b.is_ascii_digit() || b"-.".contains(b)) {
                return Err(self.doubt("a range of another kind"));
            }
            if let Some(part) = parts.get_mut(at) {
                *part = Part::Text(Text::of(&text));
            }
        }
        Ok(Some(Word::new(parts, word.at, word.end)))
    }

    /// Expands a word into fields behind others.
    fn fields_of(&mut self, word: &Word, out: &mut Vec<Val>) -> Expanded<()> {
        if let Some(value) = word.calm() {
            out.push(value);
            return Ok(());
        }
        let outcome = self.fields_between_braces(word, out);
        // What is in it is expanded somehow, and may fail.
        if let Err(doubt) = &outcome
            && word_has_brace(word)
        {
            self.fork(doubt, |m| drop(m.expand(&word.parts, Mode::Fields)), |_| {});
        }
        outcome
    }

    /// The same of a word that may have braces.
    fn fields_between_braces(&mut self, word: &Word, out: &mut Vec<Val>) -> Expanded<()> {
        let has = |signs: &[&[u8]]| {
            let texts = word.parts.iter().filter_map(|part| if let Part::Text(text) = part { Some(text) } else { None });
            texts.into_iter().any(|text| signs.iter().any(|sign| memchr::memmem::find(text, sign).is_some()))
        };
        if self.may_be_set("braceccl") && has(&[b"{"]) || self.may_be_set("magicequalsubst") && has(&[b"=~", b"==", b":~"]) {
            return Err(self.doubt("the shell expands this in a way of its own"));
        }
        let are_off = self.live.as_ref().map_or(Some(true), |s| s.option(NO_BRACES));
        // There they name files, too, and are text where nothing does (measured: R59).
        let noglob = self.live.as_ref().map_or(Some(true), |s| s.option("noglob"));
        let is_text = self.dialect == Dialect::Mksh && noglob == Some(true);
        let has_braces = self.dialect.is_rich() && !self.as_sh && are_off != Some(true) && !is_text;
        if has_braces && self.dialect == Dialect::Mksh && noglob.is_none() && word_has_brace(word) {
            return Err(self.doubt("whether braces are expanded is not known"));
        }
        // There braces come after what stands in them.
        let worked_out;
        let word = if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && has_braces && has(&[b"{"]) {
            worked_out = self.with_ranges(word)?;
            worked_out.as_ref().unwrap_or(word)
        } else {
            word
        };
        let is_list = |part: &Part| matches!(part, Part::Double(inner) if is_all(inner));
        let begins_anew = |pair: &[Part]| matches!(pair, [list, Part::Text(text)] if is_list(list) && text.starts_with(b"~"));
        if self.dialect == Dialect::Mksh && word.parts.windows(2).any(begins_anew) {
            return Err(self.doubt("a tilde behind a list"));
        }
        let alternatives = if has_braces { braces(word, Some(self.dialect).filter(|d| *d != Dialect::Mksh)) } else { Ok(None) };
        match alternatives.map_err(|why| self.doubt(why))? {
            Some(words) if are_off.is_none() && words.len() > 1 => return Err(self.doubt("whether braces stand for themselves")),
            None => out.extend(self.word_fields(word, false)?),
            Some(words) => {
                let longer_name = |word: &Word| {
                    word.parts.windows(2).any(|pair| {
                            let is_bare =
                                matches!(&pair[0], Part::Parameter(p) if p.change == Change::None && p.name.iter().all(|b| is_name(*b)));
                            is_bare && matches!(&pair[1], Part::Text(text) if text.first().is_some_and(|b| is_name(*b)))
                        })
                };
                // There braces come first, and what they leave behind a bare name is part of it.
                if self.dialect == Dialect::Bash && words.iter().any(longer_name) {
                    return Err(self.doubt("braces behind a name"));
                }
                // There it is expanded once, and the braces afterwards.
                if self.dialect != Dialect::Bash && words.len() > 1 && sets_something(&word.parts) {
                    return Err(self.doubt("braces beside something that is set"));
                }
                // And what parameters bring may be part of them, or be split.
                let is_star = |part: &Part| matches!(part, Part::Text(t) if t.iter().any(|b| b"*?[~".contains(b)));
                let is_usual = self.separators().is_ok_and(|all| all.is_none_or(|all| *all == *b" \t\n"));
                let is_changed = |part: &Part| match part {
                    Part::Parameter(p) => p.change != Change::None || !is_usual || is_all_of(p) || p.name == "*",
                    Part::Output(_) => true,
                    part => is_star(part),
                };
                if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && words.len() > 1 && word.parts.iter().any(is_changed) {
                    return Err(self.doubt("braces beside a parameter"));
                }
                // Elsewhere they come last.
                let is_one = self.dialect != Dialect::Bash && words.len() > 1;
                for word in words {
                    out.extend(self.word_fields(&word, is_one)?);
                    if out.len() > MOST_FIELDS {
                        break;
                    }
                }
            }
        }
        if out.len() > MOST_FIELDS {
            return Err(self.doubt("a command has too many words"));
        }
        Ok(())
    }

    /// The fields of a word, which may have to be one before files are looked up for it.
    fn word_fields(&mut self, word: &Word, is_one: bool) -> Expanded<Vec<Val>> {
        let fields = self.expand(&word.parts, Mode::Fields)?;
        if is_one && fields.len() != 1 {
            return Err(self.doubt("braces in what is split"));
        }
        // There those count, too, that a parameter brings.
        let brings = is_one && !word.parts.iter().any(|part| matches!(part, Part::Text(text) if text.contains(&b'{')));
        // In ksh even those between quotes.
        let expands = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_) | Part::Double(_));
        let has_signs = |field: &Field| field.has_brace_signs() || self.is_pattern(field);
        if is_one && self.dialect == Dialect::Ksh && word.parts.iter().any(expands) && fields.iter().any(has_signs) {
            return Err(self.doubt("braces in what a parameter stands for"));
        }
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh)
            && self.live.as_ref().is_none_or(|s| s.option(NO_BRACES) != Some(true))
            && fields.iter().any(|f| f.has_braces(self.dialect == Dialect::Ksh) || brings && f.begins_braces())
        {
            return Err(self.doubt("braces in what a parameter stands for"));
        }
        let mut out = Vec::new();
        // What a parameter brings makes no group in these (measured: 93u+m, R59).
        let is_group = |part: &Part| matches!(part, Part::Text(text) if text.contains(&b'('));
        let may_group = !matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) || word.parts.iter().any(is_group);
        let may_mix = matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && word.parts.iter().any(expands);
        for field in fields {
            if may_mix && field.has_any(b"(") && (may_group || field.has_signs()) {
                return Err(self.doubt("groups in what a parameter stands for"));
            }
            let has_signs = if may_group { self.is_pattern(&field) } else { field.has_signs() };
            let noglob = self.live.as_ref().and_then(|s| s.option("noglob"));
            if self.is_own_zsh()
                && field.text.first() == Some(&b'=')
                && field.pieces().next().is_some_and(|(_, quoted)| !quoted)
                && field.text.len() > 1
            {
                // Where there is none it is an error.
                self.fail_perhaps("zsh looks up a program for a word that begins with =");
                return Err(self.doubt("zsh looks up a program for a word that begins with ="));
            }
            // A group alone is a pattern, too.
            let has_group = |(text, quoted): (&[u8], bool)| !quoted && text.contains(&b'(');
            let may_have_group = !has_signs && memchr::memchr(b'(', &field.text).is_some();
            if may_have_group && self.is_own_zsh() && noglob != Some(true) && field.pieces().any(has_group) {
                let doubt = self.doubt("a pattern of file names with a group");
                self.fork_where_none_is_an_error(&doubt);
                return Err(doubt);
            }
            if has_signs && noglob == Some(false) {
                if field.unknown.is_some() {
                    let doubt = self.doubt("names of files are looked up by a pattern that is not known");
                    self.fork_where_none_is_an_error(&doubt);
                    return Err(doubt);
                }
                match self.paths(&field) {
                    Ok(paths) => out.extend(paths.into_iter().map(Val::Known)),
                    // What is not followed of a pattern may name nothing.
                    Err(doubt) => {
                        if self.live.is_some() && field.has_any(b"(^#~<|") {
                            self.fork_where_none_is_an_error(&doubt);
                        }
                        return Err(doubt);
                    }
                }
            } else if has_signs && noglob.is_none() {
                return Err(self.doubt("whether patterns name files is not known"));
            } else {
                out.push(field.value());
            }
        }
        Ok(out)
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    /// Words beside one that nobody knows are expanded all the same: what they set is set, and an error of them ends the shell.
    #[test]
    fn words_beside_an_unknown_one_count() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], ": $(tide-now) ${R=1}; X=2", ["1", "2"]),
            (&[Zsh], ": $(tide-now) /nosuch*; R=1", ["none", "none"]),
            (&[Zsh], "L=($(tide-now) /nosuch*); R=1", ["none", "none"]),
            (&[Zsh], "for X in $(tide-now) /nosuch*; do :; done; R=1", ["none", "none"]),
            (&[Zsh], "setopt nullglob; : $(tide-now) /nosuch*; R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh], ": $(tide-now) /nosuch*; R=1", ["1", "none"]),
            (&[Bash], "shopt -s failglob; : $(tide-now); R=1", ["1?", "none"]),
            (&[Zsh], ": $(tide-now) =nosuch; R=1", ["1?", "<unknown>"]),
            (&[Zsh], ": ${~$(tide-now)}; R=1", ["1?", "none"]),
            (&[Zsh], ": $(tide-now); R=1", ["1", "none"]),
            (&[Zsh], "setopt globsubst; X=$(tide-now); X=$X; R=1", ["1?", "<unknown>"]),
        ]);
    }

    #[test]
    fn braces_and_patterns_make_words_as_in_each_shell() {
        hold(&[
            (&[Bash, Ksh, Mksh, Zsh], "set -- {a,b}{1,2}; R=$*; X=$#", ["a1 a2 b1 b2", "4"]),
            (&[Dash], "set -- {a,b}{1,2}; R=$*; X=$#", ["{a,b}{1,2}", "1"]),
            (&[Bash], "set -- {a,}; R=$*; X=$#", ["a", "1"]),
            (&[Dash], "set -- {a,}; R=$*; X=$#", ["{a,}", "1"]),
            (&[Bash, Ksh, Zsh], "set -- a{1..3}b; R=$*; X=$#", ["a1b a2b a3b", "3"]),
            (&[Dash, Mksh], "set -- a{1..3}b; R=$*; X=$#", ["a{1..3}b", "1"]),
            (&[Bash, Ksh, Zsh], "set -- {3..1}; R=$*; X=$#", ["3 2 1", "3"]),
            (&[Dash, Mksh], "set -- {3..1}; R=$*; X=$#", ["{3..1}", "1"]),
            (&[Bash, Zsh], "set -- {01..3} {a..c}; R=$*; X=$#", ["01 02 03 a b c", "6"]),
            (&[Dash, Mksh], "set -- {01..3} {a..c}; R=$*; X=$#", ["{01..3} {a..c}", "2"]),
            (&[Ksh], "set -- {01..3} {a..c}; R=$*; X=$#", ["1 2 3 a b c", "6"]),
            (&[Bash, Ksh, Zsh], "set -- {1..9..4}; R=$*; X=$#", ["1 5 9", "3"]),
            (&[Dash, Mksh], "set -- {1..9..4}; R=$*; X=$#", ["{1..9..4}", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- \"{a,b}\" {a\\,b}; R=$*; X=$#", ["{a,b} {a,b}", "2"]),
            (&[Bash, Dash, Zsh], "T='{a,b}'; set -- $T; R=$*; X=$#", ["{a,b}", "1"]),
            (&[Dash], "T=1; set -- $T{x,y}; R=$*; X=$#", ["1{x,y}", "1"]),
            (&[Ksh, Mksh, Zsh], "T=1; set -- $T{x,y}; R=$*; X=$#", ["1x 1y", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- {a} {} a{,; R=$*; X=$#", ["{a} {} a{,", "3"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -- {a,{b,c}d}; R=$*; X=$#", ["a bd cd", "3"]),
            (&[Dash], "set -- {a,{b,c}d}; R=$*; X=$#", ["{a,{b,c}d}", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- '/us*' /us\\*; R=$*; X=$#", ["/us* /us*", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- /us[r]; R=$*; X=$#", ["/usr", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "T='/us*'; set -- $T \"$T\"; R=$*; X=$#", ["/usr /us*", "2"]),
            (&[Zsh], "T='/us*'; set -- $T \"$T\"; R=$*; X=$#", ["/us* /us*", "2"]),
            (&[Bash, Zsh], "T=/usr/; set -- $T/../{usr,us*}; R=$*; X=$#", ["/usr//../usr /usr//../usr", "2"]),
            (&[Dash], "T=/usr/; set -- $T/../{usr,us*}; R=$*; X=$#", ["/usr//../{usr,us*}", "1"]),
            (&[Bash, Zsh], "set -- {/us*,/x}; R=$*; X=$#", ["/usr /x", "2"]),
            (&[Dash], "set -- {/us*,/x}; R=$*; X=$#", ["{/us*,/x}", "1"]),
            (&[Bash, Ksh], "set +B 2>/dev/null; set -- {a,b}; R=$*; X=$#", ["{a,b}", "1"]),
            (&[Zsh], "set +B 2>/dev/null; set -- {a,b}; R=$*; X=$#", ["a b", "2"]),
        ]);
    }
}
