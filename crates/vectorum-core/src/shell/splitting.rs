//! Field splitting (POSIX, 2.6.5): what stood without quotes comes apart at the bytes of IFS.

use bytes::Bytes;

use super::content::Content;
use super::expand::{Expanded, Mode, Values, is_text};
use super::field::{Field, Fields, last};
use super::machine::Machine;
use super::syntax::*;
use super::value::Val;

/// Why it is not known what a list becomes as one text.
pub(super) const OWN_SEPARATORS: &str = "a list between separators of one's own";

/// Whether an expression begins with a blank.
fn begins_with_blank(parts: &[Part]) -> bool {
    matches!(parts.first(), Some(Part::Text(text) | Part::Quoted(text)) if text.first() == Some(&b' '))
}

impl Machine<'_> {
    /// Puts a parameter's values where it stood without quotes.
    pub(super) fn spread(&mut self, values: Values, parameter: &Parameter, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        match values {
            // What ksh makes of a part of a text hangs on a colon among its separators.
            Values::One(_)
                if self.dialect == Dialect::Ksh
                    && mode == Mode::Fields
                    && matches!(parameter.change, Change::Slice(_, Some(_)))
                    && self.separators()?.is_some_and(|separators| separators.contains(&b':')) =>
            {
                Err(self.doubt("a part of a text between colons"))
            }
            // Behind a text a blank in there ends the word, or not.
            Values::One(_)
                if self.dialect == Dialect::Ksh
                    && mode == Mode::Fields
                    && !last(fields).text.is_empty()
                    && matches!(&parameter.change, Change::Slice(offset, _) if begins_with_blank(offset)) =>
            {
                Err(self.doubt("a blank within a parameter"))
            }
            Values::One(value) => self.split(&value, mode, fields),
            Values::Many(values) => {
                let is_star = parameter.name == "*" || parameter.key.as_deref().is_some_and(|k| is_text(k, b"*"));
                let separator = match mode {
                    Mode::Fields => None,
                    _ if is_star => match self.first_separator()? {
                        None if self.dialect == Dialect::Bash && values.len() > 1 => {
                            return Err(self.doubt("a list without anything between its items"));
                        }
                        separator => separator,
                    },
                    // In the values of some builtins it is another one.
                    Mode::Assigned
                        if self.dialect == Dialect::Bash
                            && parameter.change != Change::None
                            && values.len() > 1
                            && self.separators()?.is_some() =>
                    {
                        return Err(self.doubt("items of a list in a value"));
                    }
                    _ => self.between_items(parameter, mode)?,
                };
                if mode == Mode::Fields
                    && let Some(text) = self.items_as_text(&values, is_star || parameter.change != Change::None, fields)?
                {
                    return self.split(&text, mode, fields);
                }
                for (index, value) in values.iter().enumerate() {
                    if index > 0 {
                        if mode == Mode::Fields {
                            fields.push(Field::default());
                        } else if let Some(byte) = separator {
                            last(fields).push(&[byte], false);
                        }
                    }
                    // There they are words as they stand, and name no files.
                    if mode != Mode::Fields && self.is_own_zsh() || !self.splits_words()? {
                        last(fields).bring(value, true);
                        continue;
                    }
                    self.split(value, mode, fields)?;
                }
                Ok(())
            }
        }
    }

    /// What becomes of empty items of a list that stood without quotes: bash splits items with its first separator between
    /// them, unless that is a blank; then the text is returned.
    ///
    /// # Errors
    /// Where the shell does something of its own with them.
    fn items_as_text(&mut self, values: &[Val], is_other: bool, fields: &mut Fields) -> Expanded<Option<Val>> {
        let may_be_empty = |value: &Val| value.is_empty() != Some(false);
        let separators = self.separators()?;
        let first = separators.as_ref().and_then(|bytes| bytes.first().copied());
        let is_usual = separators.as_ref().is_none_or(|bytes| bytes.iter().all(|b| b" \t\n".contains(b)));
        let is_odd = match self.dialect {
            Dialect::Ksh => {
                last(fields).is_there && values.iter().any(may_be_empty)
                    || !is_other && values.len() > 1 && values.last().is_some_and(may_be_empty)
            }
            // What an item begins with counts there, too.
            Dialect::Mksh => {
                let begins = |value: &Val| {
                    let first = value.known().and_then(|text| text.first().copied());
                    first.is_none_or(|first| separators.as_ref().is_some_and(|separators| separators.contains(&first)))
                };
                !is_usual && values.iter().any(begins)
            }
            Dialect::Bash => is_other && separators.as_ref().is_some_and(Bytes::is_empty),
            Dialect::Dash | Dialect::Zsh => false,
        };
        if is_odd {
            return Err(self.doubt("empty items of a list"));
        }
        let Some(first) = first.filter(|b| self.dialect == Dialect::Bash && !is_usual && !b" \t\n".contains(b)) else {
            return Ok(None);
        };
        let mut text = Vec::new();
        for (index, value) in values.iter().enumerate() {
            let Val::Known(item) = value else { return Ok(None) };
            if index > 0 {
                text.push(first);
            }
            text.extend_from_slice(item);
        }
        Ok(Some(Val::of(text)))
    }

    /// Splits a value that stood without quotes.
    pub(super) fn split(&mut self, value: &Val, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        if mode != Mode::Fields || !self.splits_words()? {
            // In a pattern a parameter's value is text in zsh, a pattern elsewhere.
            last(fields).bring(value, self.is_own_zsh());
            return Ok(());
        }
        // There what comes of it names no files.
        self.split_at_separators(value, self.is_own_zsh(), fields)
    }

    pub(super) fn split_at_separators(&mut self, value: &Val, is_quoted: bool, fields: &mut Fields) -> Expanded<()> {
        let text = match value {
            Val::Known(text) => text.clone(),
            // A number is one field.
            Val::Unknown(doubt) if doubt.is_number && doubt.is_filled && !self.may_part_numbers() => {
                last(fields).bring(value, is_quoted);
                return Ok(());
            }
            // What it could be may come apart, name files, or vanish.
            Val::Unknown(unknown) => {
                let is_one =
                    |text: &Bytes| !text.is_empty() && text.iter().all(|b| b.is_ascii_alphanumeric() || b"_-./".contains(b));
                let stays = !unknown.could_be().is_empty() && unknown.could_be().iter().all(is_one);
                if stays && matches!(self.separators(), Ok(None)) {
                    last(fields).bring(value, is_quoted);
                    return Ok(());
                }
                return Err(unknown.doubt.clone());
            }
        };
        let separators = self.separators()?.unwrap_or(Bytes::from_static(b" \t\n"));
        // Of those of one's own each stands for itself where something is on both sides of it.
        if is_quoted && separators.iter().any(|b| !b" \t\n\0".contains(b)) {
            let is_one = |byte: &u8| separators.contains(byte);
            let is_plain = |part: &[u8]| !part.is_empty() && part.is_ascii();
            return match text.split(is_one).all(is_plain) {
                _ if text.is_empty() => Ok(()),
                true => {
                    for (place, part) in text.split(is_one).enumerate() {
                        if place > 0 {
                            fields.push(Field::default());
                        }
                        last(fields).push(part, true);
                    }
                    Ok(())
                }
                false => Err(self.doubt("words between separators of one's own")),
            };
        }
        let is_blank = |b: u8| b" \t\n".contains(&b) && separators.contains(&b);
        let mut at = 0;
        // Blanks at the front end the field before.
        let skip = |at: &mut usize| {
            let from = *at;
            while text.get(*at).is_some_and(|b| is_blank(*b)) {
                *at += 1;
            }
            *at > from
        };
        let open = |fields: &mut Fields| {
            let field = last(fields);
            if field.is_field() != Ok(false) {
                fields.push(Field::default());
            }
        };
        if skip(&mut at) {
            open(fields);
        }
        while at < text.len() {
            let rest = text.get(at..).unwrap_or_default();
            let end = rest.iter().position(|b| separators.contains(b)).unwrap_or(rest.len());
            last(fields).push(rest.get(..end).unwrap_or_default(), is_quoted);
            at += end;
            if at >= text.len() {
                break;
            }
            skip(&mut at);
            if let Some(byte) = text.get(at)
                && separators.contains(byte)
                && !is_blank(*byte)
            {
                last(fields).is_there = true;
                at += 1;
                skip(&mut at);
                fields.push(Field::default());
                continue;
            }
            open(fields);
        }
        Ok(())
    }

    /// Whether a text begins with a separator that is no blank.
    pub(super) fn begins_with_separator(&mut self, value: &Val) -> Expanded<bool> {
        let Some(first) = value.known().and_then(|text| text.first().copied()) else { return Ok(false) };
        Ok(!b" \t\n".contains(&first) && self.separators()?.is_some_and(|separators| separators.contains(&first)))
    }

    /// Whether a byte of a number may separate words.
    fn may_part_numbers(&mut self) -> bool {
        let parts = |bytes: &Bytes| bytes.iter().any(|b| b.is_ascii_digit() || *b == b'-');
        self.separators().map_or(true, |bytes| bytes.as_ref().is_some_and(parts))
    }

    pub(super) fn first_separator(&mut self) -> Expanded<Option<u8>> {
        match self.separators()? {
            Some(bytes) => Ok(bytes.first().copied()),
            None => Ok(Some(b' ')),
        }
    }

    /// The bytes of IFS; `None` for the usual ones.
    pub(super) fn separators(&mut self) -> Expanded<Option<Bytes>> {
        match self.content_of(b"IFS") {
            Content::Unset => Ok(None),
            Content::Set(Val::Known(bytes)) => Ok(Some(bytes)),
            _ => Err(self.doubt("the bytes that separate words are not known")),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::trial::{after, fields_are};
    use super::*;

    #[test]
    fn words_come_apart_at_separators() {
        let rows = [
            ("V='a b'", "$V", "a|b"),
            ("V='a b'", "x$V$V", "xa|ba|b"),
            ("V=' a '", "x$V\"\"y", "x|a|y"),
            ("V='  '", "$V", ""),
            ("V='  '", "x$V", "x"),
            ("V=''", "$V\"\"", ""),
            ("V=a:b::c IFS=:", "$V", "a|b||c"),
            ("V=:a: IFS=:", "$V", "|a"),
            ("V=' a : b ' IFS=': '", "$V", "a|b"),
            ("V='a b' IFS=", "$V", "a b"),
            ("V='a b'; unset IFS", "$V", "a|b"),
            ("set -- 'a b' '' c", "$@", "a|b|c"),
            ("set -- 'a b' '' c", "$*x", "a|b|cx"),
            ("V=$(tide-now)", "x$V", "<any>"),
            ("V=$(nproc)", "x$V", "<unknown>"),
            ("V=$(nproc)", "$V", "<a number>"),
            ("V=$(nproc) IFS=1", "x$V", "<any>"),
            ("V='a b' IFS=$(tide-now)", "$V", "<any>"),
            ("V='a b'", "$(echo \"x  y\")$V", "x|ya|b"),
        ];
        fields_are(&[Dialect::Bash, Dialect::Dash, Dialect::Ksh, Dialect::Mksh], &rows);
        // zsh splits nothing but what commands print.
        let before = "V='a  b' N=";
        let rows = [("$V", "a  b"), ("x$(echo 'p  q')", "xp|q"), ("\"$(echo 'p  q')\"", "p  q"), ("$N", "")];
        fields_are(&[Dialect::Zsh], &rows.map(|(word, fields)| (before, word, fields)));
    }

    /// What POSIX says of a text and separators (2.6.5), byte by byte.
    fn fields_of(text: &str, separators: &str) -> Vec<String> {
        let is_blank = |c: char| separators.contains(c) && " \t".contains(c);
        let is_other = |c: char| separators.contains(c) && !" \t".contains(c);
        let (mut out, mut field, mut begun) = (Vec::new(), String::new(), false);
        let mut ended_by_blank = false;
        for c in text.chars() {
            if is_other(c) {
                // One behind blanks belongs to them.
                if !ended_by_blank {
                    out.push(std::mem::take(&mut field));
                }
                (begun, ended_by_blank) = (false, false);
            } else if is_blank(c) {
                if begun {
                    out.push(std::mem::take(&mut field));
                    ended_by_blank = true;
                }
                begun = false;
            } else {
                field.push(c);
                (begun, ended_by_blank) = (true, false);
            }
        }
        if begun {
            out.push(field);
        }
        out
    }

    proptest! {
        #[test]
        fn texts_come_apart_as_the_standard_says(text in "[ab :,]{0,12}", separators in "[ :,]{1,3}") {
            let set = |machine: &mut Machine<'_>| {
                machine.assign(b"V", Content::Set(Val::of(&text)), None);
                machine.assign(b"IFS", Content::Set(Val::of(&separators)), None);
                machine.told_fields("$V")
            };
            prop_assert_eq!(after(Dialect::Dash, "", set), fields_of(&text, &separators).join("|"));
        }
    }
}
