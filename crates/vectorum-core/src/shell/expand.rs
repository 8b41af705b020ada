//! What a word's parts come to: parameters, output of commands, sums, quotes; and words that are one text.

use std::sync::Arc;

use smallvec::smallvec;

use super::field::{Field, Fields, last};
use super::inner::QUOTES_WITHIN;
use super::machine::{LONGEST, MOST_NESTED, Machine};
use super::options::kept::EVERY_OPTION;
use super::parameter::is_all_of;
use super::reference::OWN_SHAPE;
use super::syntax::*;
use super::value::{Doubt, Val};

/// How a word is expanded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Mode {
    /// Into any number of fields.
    Fields,
    /// Into one text, as in an assignment: tildes count after colons, too.
    Assigned,
    /// Into one text.
    One,
    /// Into the text of a here-document.
    Document,
}

/// A word of which it is not followed how many fields it is.
pub(super) const ODD_WORD: &str = "a word that the shell puts together in a way of its own";

pub(super) type Expanded<T> = Result<T, Arc<Doubt>>;

/// A value that sets all of zsh's options as they are, where it is evaluated.
const KEPT_OPTIONS: &[u8] = b"\"options=(${(j: :)${(kv)options[@]}})\"";

/// There a caret is no sign at the front of a class of a pattern, but one of its characters (measured: dash 0.5.12, mksh
/// R59).
pub(super) fn plain_carets(dialect: Dialect, text: &[u8], quoted: &mut [bool]) {
    if !matches!(dialect, Dialect::Dash | Dialect::Mksh) {
        return;
    }
    for at in memchr::memmem::find_iter(text, b"[^") {
        if let Some(caret) = quoted.get_mut(at + 1) {
            *caret = true;
        }
    }
}

/// In mksh a backslash that a parameter brings stands for itself in a pattern, but not in a test; those of the text are
/// quotes (measured: R59).
fn plain_backslashes(dialect: Dialect, text: &[u8], quoted: &mut [bool]) {
    if dialect == Dialect::Mksh {
        for (sign, quoted) in text.iter().zip(quoted) {
            *quoted |= *sign == b'\\';
        }
    }
}

impl Machine<'_> {
    /// Expands a word into one text.
    ///
    /// # Errors
    /// Never for an unknown value: only where nothing can be said at all.
    pub(super) fn one_word(&mut self, word: &Word) -> Expanded<Val> {
        Ok(word.calm().unwrap_or_else(|| self.one(&word.parts, Mode::One)))
    }

    /// Expands the value of an assignment.
    pub(super) fn assigned_word(&mut self, word: &Word) -> Val {
        // How zsh's options are taken up to be put back by `eval`.
        if self.dialect == Dialect::Zsh && self.source.text.get(word.at..word.end) == Some(KEPT_OPTIONS) {
            return self.keep_options(EVERY_OPTION);
        }
        word.calm().unwrap_or_else(|| self.one(&word.parts, Mode::Assigned))
    }

    /// Expands parts into one text.
    pub(super) fn one_text(&mut self, parts: &[Part]) -> Val {
        self.one(parts, Mode::One)
    }

    pub(super) fn one(&mut self, parts: &[Part], mode: Mode) -> Val {
        // One text in quotes is as it stands.
        if let [Part::Quoted(text)] = parts {
            return Val::Known(text.bytes());
        }
        if let [Part::Double(inner)] = parts
            && let [Part::Quoted(text)] = &inner[..]
        {
            return Val::Known(text.bytes());
        }
        match self.expand(parts, mode) {
            Ok(mut fields) => {
                if fields.len() == 1
                    && let Some(only) = fields.pop()
                {
                    return only.value();
                }
                let mut whole = Field::default();
                for (index, field) in fields.into_iter().enumerate() {
                    if index > 0 {
                        whole.push(b" ", true);
                    }
                    whole.text.extend_from_slice(&field.text);
                    if let Some(unknown) = &field.unknown {
                        whole.put_unknown(unknown);
                    }
                }
                whole.value()
            }
            Err(doubt) => Val::unknown(doubt),
        }
    }

    /// Expands a pattern: its bytes, each with whether it was quoted.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn pattern_text(&mut self, word: &Word, is_test: bool) -> Expanded<(Vec<u8>, Vec<bool>)> {
        // What they bring may be a pattern then.
        let brings = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_) | Part::Shaped(_));
        if self.expands_otherwise() && word.parts.iter().any(brings) {
            let doubt = self.doubt("an option makes patterns of what parameters hold");
            self.doubt_what_is_set(&word.parts, &doubt);
            if self.globs_values() {
                self.fail_or_go_on(&doubt);
            }
            return Err(doubt);
        }
        let mut fields = self.expand(&word.parts, Mode::One)?;
        if let [field] = &mut fields[..] {
            let mut quoted = field.quoted();
            plain_carets(self.dialect, &field.text, &mut quoted);
            if !is_test {
                plain_backslashes(self.dialect, &field.text, &mut quoted);
            }
            return match field.unknown.take() {
                Some(unknown) => Err(unknown.doubt),
                None => Ok((std::mem::take(&mut field.text), quoted)),
            };
        }
        let (mut text, mut quoted) = (Vec::new(), Vec::new());
        for field in fields {
            quoted.extend(field.quoted());
            if let Some(unknown) = field.unknown {
                return Err(unknown.doubt);
            }
            text.extend(field.text);
        }
        plain_carets(self.dialect, &text, &mut quoted);
        if !is_test {
            plain_backslashes(self.dialect, &text, &mut quoted);
        }
        // In zsh what a parameter brings is text in a pattern.
        Ok((text, quoted))
    }

    /// Does something to a word within another.
    pub(super) fn within<T>(&mut self, run: impl FnOnce(&mut Self) -> Expanded<T>) -> Expanded<T> {
        if self.nested >= MOST_NESTED {
            return Err(self.doubt("words lie too deep in each other"));
        }
        self.nested += 1;
        let done = run(self);
        self.nested -= 1;
        done
    }

    pub(super) fn expand(&mut self, parts: &[Part], mode: Mode) -> Expanded<Fields> {
        let mut fields: Fields = smallvec![Field::default()];
        if let Err(doubt) = self.within(|m| m.expand_into(parts, mode, &mut fields)) {
            self.doubt_what_is_set(parts, &doubt);
            return Err(doubt);
        }
        if mode == Mode::Fields {
            let mut at = 0;
            while let Some(field) = fields.get(at) {
                if field.is_field()? {
                    at += 1;
                } else {
                    fields.remove(at);
                }
            }
        }
        Ok(fields)
    }

    pub(super) fn expand_into(&mut self, parts: &[Part], mode: Mode, fields: &mut Fields) -> Expanded<()> {
        // Two quotes beside each other may be one that is quoted.
        if matches!(parts, [Part::Quoted(_), Part::Quoted(_), ..] | [_, Part::Quoted(_), Part::Quoted(_), ..])
            && self.may_be_set("rcquotes")
        {
            return Err(self.doubt("quotes within quotes"));
        }
        if mode == Mode::Fields && is_put_together_oddly(parts, self.dialect) {
            return Err(self.doubt(ODD_WORD));
        }
        for (index, part) in parts.iter().enumerate() {
            match part {
                Part::Text(text) => self.text(text, index == 0, index + 1 == parts.len(), mode, fields),
                Part::Quoted(text) => last(fields).push(text, true),
                Part::Coded(coded) => self.put_coded(coded, fields)?,
                Part::Double(inner) => {
                    if mode == Mode::Fields
                        && index + 1 == parts.len()
                        && let Some(done) = self.spread_between(inner, fields)
                    {
                        return done;
                    }
                    self.between_quotes(inner, mode, fields)?;
                    // Where quotes are lost there may be more of them than one.
                    if mode == Mode::Fields
                        && let Some(unknown) = &last(fields).unknown
                        && unknown.doubt.why == QUOTES_WITHIN
                    {
                        return Err(unknown.doubt.clone());
                    }
                }
                Part::Parameter(parameter) => {
                    let parameter = &*self.referred(parameter)?;
                    let values = self.parameter_or_word(parameter, false, mode)?;
                    if self.dialect == Dialect::Mksh && mode == Mode::Fields {
                        let before = (index > 0).then(|| last(fields).text.len());
                        self.doubt_as_mksh(parameter, values.as_ref(), before)?;
                    }
                    if self.globs_values() && values.as_ref().is_some_and(may_hold_folder) {
                        return Err(self.refuse_held_pattern());
                    }
                    match (values, &parameter.change) {
                        (Some(values), _) => self.spread(values, parameter, mode, fields)?,
                        (None, Change::Instead(_, _, word)) => self.within(|m| m.put_instead(word, mode, fields))?,
                        (None, _) => {}
                    }
                }
                Part::Output(commands) => {
                    let value = self.output(commands);
                    if self.globs_values() && may_be_folder(&value) {
                        return Err(self.refuse_held_pattern());
                    }
                    if mode == Mode::Fields && self.dialect == Dialect::Mksh && self.begins_with_separator(&value)? {
                        return Err(self.doubt("an output that begins with what separates words"));
                    }
                    // Of all that brings a text it is what zsh splits; it names no files there.
                    if mode == Mode::Fields && self.is_own_zsh() {
                        self.split_at_separators(&value, true, fields)?;
                    } else {
                        self.split(&value, mode, fields)?;
                    }
                }
                Part::Sum(parts) => {
                    let value = self.sum_value(parts);
                    self.split(&value, mode, fields)?;
                }
                Part::Document(_) => self.document(part, fields)?,
                Part::Channel(_) => {
                    let doubt = self.doubt("a file that another command writes");
                    if mode == Mode::Fields {
                        return Err(doubt);
                    }
                    last(fields).doubt(&doubt);
                }
                Part::Shaped(shaped) => {
                    let came = self.shaped(shaped, false, mode)?;
                    // Blanks at the ends of what is split end the words beside it, too.
                    if shaped.is_split && parts.len() > 1 && mode == Mode::Fields {
                        return Err(self.doubt(OWN_SHAPE));
                    }
                    if shaped.may_be_pattern() && may_hold_folder(&came.values) {
                        return Err(self.refuse_held_pattern());
                    }
                    if shaped.is_spread() && matches!(came.values, Values::Many(_)) && mode == Mode::Fields {
                        return self.spread_around(came.values, &parts[index + 1..], fields);
                    }
                    self.put_shaped(came.values, shaped.may_be_pattern(), mode, fields)?;
                }
                Part::Unfollowed(why) => {
                    let doubt = self.doubt(why);
                    self.refuse_odd(why, &doubt);
                    if mode == Mode::Fields {
                        return Err(doubt);
                    }
                    last(fields).doubt(&doubt);
                }
            }
            if fields.iter().map(|f| f.text.len()).sum::<usize>() > LONGEST {
                return Err(self.doubt("a value becomes too long"));
            }
        }
        Ok(())
    }
}

/// Whether what the parameters of a word bring is split in a way that is not followed.
pub(super) fn is_put_together_oddly(parts: &[Part], dialect: Dialect) -> bool {
    let is_split = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_));
    match dialect {
        // Behind a list in quotes there are more empty fields (measured: dash 0.5.12).
        Dialect::Dash => parts.iter().skip_while(|part| !brings_list(part)).skip(1).any(is_split),
        // A dollar that begins nothing keeps the word whole, and a list in quotes within a parameter what stands behind it
        // (measured: bash 5.2).
        Dialect::Bash => {
            let has_lone_dollar = parts.iter().any(|part| matches!(part, Part::Text(text) if text.contains(&b'$')));
            let has_list_within = parts.iter().any(|part| match part {
                Part::Parameter(p) => {
                    matches!(&p.change, Change::Instead(.., word) if word.parts.len() > 1 && word.parts.iter().any(brings_list))
                }
                _ => false,
            });
            has_lone_dollar && parts.iter().any(is_split) || has_list_within && parts.len() > 1
        }
        // Tildes count where a field begins, and behind an equals sign (measured: mksh R59).
        Dialect::Mksh => {
            let begins = |part: &Part, with: &[u8]| matches!(part, Part::Text(text) if text.starts_with(with));
            parts.first().is_some_and(|part| begins(part, b"=~"))
                || parts.windows(2).any(|pair| is_split(&pair[0]) && begins(&pair[1], b"~"))
        }
        _ => false,
    }
}

/// Whether a list stands there between quotes.
pub(super) fn brings_list(part: &Part) -> bool {
    let is_list = |part: &Part| match part {
        Part::Parameter(p) => match &p.change {
            Change::Instead(.., word) => word.parts.iter().any(|part| matches!(part, Part::Parameter(p) if is_all_of(p))),
            _ => is_all_of(p),
        },
        _ => false,
    };
    match part {
        Part::Double(inner) => inner.iter().any(|part| is_list(part) || brings_list(part)),
        Part::Parameter(p) => matches!(&p.change, Change::Instead(.., word) if word.parts.iter().any(brings_list)),
        _ => false,
    }
}

/// Whether a value may be, or hold, a folder behind a tilde or a program behind `=`.
fn may_be_folder(value: &Val) -> bool {
    value.known().is_none_or(|text| text.iter().any(|b| b"~=".contains(b)))
}

fn may_hold_folder(values: &Values) -> bool {
    match values {
        Values::One(value) => may_be_folder(value),
        Values::Many(values) => values.iter().any(may_be_folder),
    }
}

/// What a parameter expands to.
pub(super) enum Values {
    One(Val),
    Many(Vec<Val>),
}

pub(super) fn is_text(parts: &[Part], text: &[u8]) -> bool {
    matches!(parts, [Part::Quoted(t) | Part::Text(t)] if **t == *text)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn words_come_apart_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh], "X='a  b'; set -- $X; R=$#", ["2", "a  b"]),
            (&[Zsh], "X='a  b'; set -- $X; R=$#", ["1", "a  b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X='a  b'; set -- \"$X\"; R=$#; X=$1", ["1", "a  b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=; set -- $X \"$X\"; R=$#", ["1", ""]),
            (&[Bash, Dash, Ksh, Mksh], "X='a b'; set -- x$X\"y z\"; R=$#; X=$1.$2", ["2", "xa.by z"]),
            (&[Zsh], "X='a b'; set -- x$X\"y z\"; R=$#; X=$1.$2", ["1", "xa by z."]),
            (&[Bash, Dash, Ksh, Mksh], "IFS=:; X=a::b; set -- $X; R=$#; X=$2", ["3", ""]),
            (&[Zsh], "IFS=:; X=a::b; set -- $X; R=$#; X=$2", ["1", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "IFS=:; set -- a b; R=\"$*\"; X=$*", ["a:b", "a:b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "IFS=; set -- a b; R=\"$*\"; X=${#}", ["ab", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- 'a b' c; R=$#; set -- \"$@\"; X=$#", ["2", "2"]),
            (&[Bash, Dash, Ksh, Mksh], "set -- 'a b' c; set -- $@; R=$#", ["3", "none"]),
            (&[Zsh], "set -- 'a b' c; set -- $@; R=$#", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X='*'; R=$X; X=\"$X\"", ["*", "*"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=~; X=\"~\"", ["/home/odile", "~"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a:~; X=~/b", ["a:/home/odile", "/home/odile/b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R={a,b}; X=$#", ["{a,b}", "0"]),
            (&[Bash, Ksh, Mksh, Zsh], "set -- {a,b}c; R=$#; X=$1", ["2", "ac"]),
            (&[Dash], "set -- {a,b}c; R=$#; X=$1", ["1", "{a,b}c"]),
            (&[Bash, Ksh, Zsh], "set -- {1..3}; R=$#; X=$1", ["3", "1"]),
            (&[Dash, Mksh], "set -- {1..3}; R=$#; X=$1", ["1", "{1..3}"]),
            (&[Bash, Ksh, Mksh], "X=$'a\\tb'; set -- $X; R=$#", ["2", "a	b"]),
            (&[Dash], "X=$'a\\tb'; set -- $X; R=$#", ["1", "$a\\tb"]),
            (&[Zsh], "X=$'a\\tb'; set -- $X; R=$#", ["1", "a	b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a\\ b; X='a'\"b\"c", ["a b", "abc"]),
            (&[Bash, Dash, Ksh, Mksh], "set -f; set -- /us*; R=$1", ["/us*", "none"]),
            (&[Zsh], "set -f; set -- /us*; R=$1", ["/usr", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- \"\" ''; R=$#", ["2", "none"]),
        ]);
    }
}
