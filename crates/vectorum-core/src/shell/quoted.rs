//! What stands between double quotes: a field even if it comes to nothing, unless the nothing is that of lists.

use super::content::Content;
use super::expand::{Expanded, Mode, ODD_WORD, Values, brings_list};
use super::field::{Field, Fields, last, put};
use super::machine::Machine;
use super::parameter::{is_all, is_all_of};
use super::reference::{ODD_SETTING_SHAPE, ODD_SHAPE, OWN_SHAPE, SETTING_SHAPE};
use super::shaped::Subscript;
use super::syntax::*;
use super::value::Val;
use smallvec::smallvec;

/// Whether a part brings all items of a list, or all words that are handed in.
fn brings_items(part: &Part) -> bool {
    match part {
        Part::Parameter(parameter) => {
            let is_all = |key: &Vec<Part>| matches!(&key[..], [Part::Text(t) | Part::Quoted(t)] if matches!(&**t, b"*" | b"@"));
            matches!(&parameter.name[..], b"*" | b"@") || parameter.key.as_ref().is_some_and(is_all)
        }
        Part::Double(parts) => parts.iter().any(brings_items),
        _ => false,
    }
}

impl Machine<'_> {
    /// Whether words may be told apart by other signs than usual.
    fn separates_otherwise(&self) -> bool {
        !matches!(self.content_of(b"IFS"), Content::Set(Val::Known(text)) if text == " \t\n")
    }

    /// Puts what stands between quotes: a field even if that is nothing, unless the nothing is that of lists.
    pub(super) fn between_quotes(&mut self, parts: &[Part], mode: Mode, fields: &mut Fields) -> Expanded<()> {
        let field = last(fields);
        let (was_there, was_known, length) = (field.is_there, field.unknown.is_none(), field.text.len());
        let before = fields.len();
        let lists = self.double(parts, fields, mode)?;
        let is_one = fields.len() == before;
        let field = last(fields);
        let is_nothing = lists > 0 && is_one && field.text.len() == length;
        field.is_there = true;
        if mode != Mode::Fields || !is_nothing {
            return Ok(());
        }
        if was_known && let Some(unknown) = &field.unknown {
            return if self.dialect == Dialect::Dash { Ok(()) } else { Err(unknown.doubt.clone()) };
        }
        match self.is_no_field(parts) {
            Some(true) => last(fields).is_there = was_there,
            Some(false) => {}
            None => return Err(self.doubt("a list without items between quotes, with something beside it")),
        }
        Ok(())
    }

    /// Whether lists without items, and whatever else between the same quotes came to nothing, are no field at all
    /// (measured: no two shells agree).
    fn is_no_field(&self, parts: &[Part]) -> Option<bool> {
        let is_name = |part: &Part| matches!(part, Part::Parameter(_) | Part::Shaped(_));
        match (self.dialect, parts) {
            (Dialect::Dash, [Part::Parameter(parameter)]) => Some(parameter.change == Change::None),
            (Dialect::Dash, _) => Some(false),
            (Dialect::Zsh, [.., last]) => {
                let is_cut =
                    |part: &Part| matches!(part, Part::Shaped(s) if matches!(s.subscripts.last(), Some(Subscript::Range(..))));
                Some(parts.iter().all(is_name) && !is_cut(last) && (parts.len() == 1 || is_all(std::slice::from_ref(last))))
            }
            (Dialect::Bash, _) | (_, [_]) => Some(true),
            _ => None,
        }
    }

    pub(super) fn document(&mut self, part: &Part, fields: &mut Fields) -> Expanded<()> {
        let Part::Document(text) = part else { return Ok(()) };
        match text.get() {
            // What stands between the items of a list is not always what it is elsewhere there.
            Some(Ok(parts)) if self.dialect == Dialect::Ksh && parts.iter().any(brings_items) && self.separates_otherwise() => {
                self.double(parts, fields, Mode::Document)?;
                Err(self.doubt("the items of a list in a here-document"))
            }
            Some(Ok(parts)) => self.double(parts, fields, Mode::Document).map(|_| ()),
            Some(Err(why)) => Err(self.doubt(why)),
            None => Err(self.doubt("a here-document without its text")),
        }
    }

    /// Puts what stands between quotes, and returns how many lists without items are among it that bring their items as
    /// words.
    pub(super) fn double(&mut self, parts: &[Part], fields: &mut Fields, mode: Mode) -> Expanded<usize> {
        let mut lists = 0;
        for part in parts {
            match part {
                Part::Text(text) | Part::Quoted(text) => last(fields).push(text, true),
                Part::Coded(coded) => self.put_coded(coded, fields)?,
                Part::Double(inner) => lists += self.double(inner, fields, mode)?,
                Part::Parameter(parameter) => {
                    let parameter = &*self.referred(parameter)?;
                    let Some(values) = self.parameter_or_word(parameter, true, mode)? else {
                        if let Change::Instead(_, _, word) = &parameter.change {
                            self.within(|m| m.put_instead_quoted(word, mode, fields))?;
                        }
                        continue;
                    };
                    let is_list = is_all_of(parameter);
                    match values {
                        // How many words a list is that is not known, is not known either.
                        Values::One(Val::Unknown(unknown))
                            if is_list && mode == Mode::Fields && parameter.change != Change::Length =>
                        {
                            return Err(unknown.doubt);
                        }
                        Values::Many(ref items) if is_list && mode == Mode::Fields => {
                            lists += usize::from(items.is_empty());
                            self.put_quoted(values, mode, fields)?;
                        }
                        Values::One(_) => self.put_quoted(values, mode, fields)?,
                        Values::Many(values) => {
                            let separator = match self.dialect {
                                // It is split then, and its words are joined (measured: 5.2).
                                Dialect::Bash
                                    if !is_list
                                        && mode == Mode::Document
                                        && parts.iter().any(|p| is_all(std::slice::from_ref(p))) =>
                                {
                                    return Err(self.doubt("`$*` in a here-document with `$@`"));
                                }
                                Dialect::Mksh if is_list && mode == Mode::Document && parameter.name == "@" => Some(b' '),
                                _ if is_list => self.between_items(parameter, mode)?,
                                Dialect::Bash | Dialect::Ksh | Dialect::Mksh
                                    if mode == Mode::Document && parameter.key.is_none() =>
                                {
                                    self.between_items_of_document()?
                                }
                                _ => match self.first_separator()? {
                                    // ksh puts backslashes in there (measured: 93u+m).
                                    None if self.dialect == Dialect::Ksh
                                        && values.iter().any(|v| v.is_empty() != Some(false)) =>
                                    {
                                        return Err(self.doubt("a list without anything between its items"));
                                    }
                                    separator => separator,
                                },
                            };
                            for (index, value) in values.iter().enumerate() {
                                if index > 0
                                    && let Some(byte) = separator
                                {
                                    last(fields).push(&[byte], true);
                                }
                                put(last(fields), value, true);
                            }
                        }
                    }
                }
                Part::Output(commands) => {
                    let value = self.output(commands);
                    put(last(fields), &value, true);
                }
                Part::Sum(parts) => {
                    let value = self.sum_value(parts);
                    put(last(fields), &value, true);
                }
                Part::Channel(_) => last(fields).doubt(&self.doubt("a file that another command writes")),
                Part::Document(_) => self.document(part, fields)?,
                Part::Shaped(shaped) => {
                    let came = match self.shaped(shaped, true, mode) {
                        Ok(came) => came,
                        Err(doubt) if mode == Mode::Fields => return Err(doubt),
                        Err(doubt) => {
                            last(fields).doubt(&doubt);
                            continue;
                        }
                    };
                    let is_alone = parts.len() == 1 && last(fields).text.is_empty();
                    match came.values {
                        // What stands around goes with each, or nothing is left at all.
                        Values::Many(items) if mode == Mode::Fields && (shaped.is_spread() || items.is_empty()) && !is_alone => {
                            return Err(self.doubt(OWN_SHAPE));
                        }
                        Values::Many(items) if items.is_empty() && mode == Mode::Fields && !came.is_separate => {
                            return Err(self.doubt(OWN_SHAPE));
                        }
                        values => {
                            lists += usize::from(matches!(&values, Values::Many(items) if items.is_empty()));
                            self.put_quoted(values, mode, fields)?;
                        }
                    }
                }
                Part::Unfollowed(why) => {
                    let doubt = self.doubt(why);
                    self.refuse_odd(why, &doubt);
                    if (self.is_own_zsh() && *why == ODD_SHAPE || [OWN_SHAPE, SETTING_SHAPE, ODD_SETTING_SHAPE].contains(why))
                        && mode == Mode::Fields
                    {
                        return Err(doubt);
                    }
                    last(fields).doubt(&doubt);
                }
            }
        }
        Ok(lists)
    }

    /// Puts values where they stand between quotes, each of a list as a word of its own.
    fn put_quoted(&mut self, values: Values, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        match values {
            Values::One(value) => put(last(fields), &value, true),
            Values::Many(values) => {
                let separator = if mode == Mode::Fields { None } else { self.first_separator()? };
                for (index, value) in values.iter().enumerate() {
                    match separator {
                        _ if index == 0 => {}
                        _ if mode == Mode::Fields => fields.push(Field::there()),
                        Some(byte) => last(fields).push(&[byte], true),
                        None => {}
                    }
                    put(last(fields), value, true);
                }
            }
        }
        Ok(())
    }

    /// Puts what stands instead of a parameter between quotes; without anything it is a field all the same.
    fn put_instead_quoted(&mut self, word: &Word, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        // Quotes within the quotes end them in ksh (measured: 93u+m).
        if self.dialect == Dialect::Ksh && word.parts.iter().any(|part| matches!(part, Part::Double(_))) {
            let doubt = self.doubt(ODD_WORD);
            let Val::Known(text) = self.quoted_text(&word.parts) else { return Err(doubt) };
            if self.separators()?.is_some() || text.iter().any(|b| b" \t\n*?[".contains(b)) {
                return Err(doubt);
            }
            last(fields).push(&text, true);
            return Ok(());
        }
        // What stands beside a list in quotes is split there (measured: bash 5.2).
        if self.dialect == Dialect::Bash && mode == Mode::Fields && word.parts.len() > 1 && word.parts.iter().any(brings_list) {
            return Err(self.doubt(ODD_WORD));
        }
        self.double(&word.parts, fields, mode).map(|_| ())
    }

    /// The text of parts as it is between double quotes.
    pub(super) fn quoted_text(&mut self, parts: &[Part]) -> Val {
        let mut fields: Fields = smallvec![Field::default()];
        match self.double(parts, &mut fields, Mode::One) {
            Ok(_) => fields.into_iter().next().unwrap_or_default().value(),
            Err(doubt) => Val::unknown(doubt),
        }
    }

    /// What stands between the items of `$@` where it becomes one text.
    pub(super) fn between_items(&mut self, parameter: &Parameter, mode: Mode) -> Expanded<Option<u8>> {
        match self.dialect {
            Dialect::Mksh if mode == Mode::Document => self.first_separator(),
            Dialect::Dash | Dialect::Zsh => self.first_separator(),
            // Measured (bash 5.2): in values, and only of what is changed or taken in part.
            Dialect::Bash if mode == Mode::Assigned && parameter.change != Change::None => {
                Ok(self.first_separator()?.or(Some(b' ')))
            }
            // Within the word of another parameter it hangs on where that stands.
            Dialect::Bash if mode == Mode::One && parameter.change != Change::None => match self.first_separator()? {
                Some(b' ') => Ok(Some(b' ')),
                _ => Err(self.doubt("a list of which something is made, with separators of one's own")),
            },
            _ => Ok(Some(b' ')),
        }
    }

    /// What stands between the items of `$*` in a here-document (measured: bash 5.2, ksh 93u+m, mksh R59).
    fn between_items_of_document(&mut self) -> Expanded<Option<u8>> {
        match (self.first_separator()?, self.dialect) {
            (None, _) => Err(self.doubt("a list without anything between its items")),
            (first, Dialect::Mksh) => Ok(first),
            _ => Ok(Some(b' ')),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::trial::{after, fields_are};
    use super::*;

    #[test]
    fn lists_between_quotes_are_as_many_words() {
        let rows = [
            ("set -- a 'b c' ''", "\"$@\"", "a|b c|"),
            ("set -- a 'b c' ''", "x\"<$@>\"", "x<a|b c|>"),
            ("set -- a 'b c'", "\"$*\"", "a b c"),
            ("set -- a 'b c'; IFS=:", "\"$*\"", "a:b c"),
            ("set -- a 'b c'; IFS=", "\"$*\"", "ab c"),
            ("set --", "\"$@\"", ""),
            ("set --", "x\"$@\"", "x"),
            ("set --", "\"$*\"x", "x"),
            ("V='a  b'", "\"${V:-c}\"", "a  b"),
            ("V='a  b'", "\"${N:-$V  c}\"", "a  b  c"),
            ("V='a  b'", "\"$(echo \"$V\")\"", "a  b"),
            ("V=$(tide-now)", "\"<$V>\"", "<unknown>"),
            ("set -- a $(tide-now)", "x\"$@\"", "<any>"),
            ("set -- a \"$(tide-now)\"", "\"$@\"", "a|<unknown>"),
            ("set -- a b", "\"${V-$#}\"", "2"),
        ];
        fields_are(&[Dialect::Bash, Dialect::Dash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh], &rows);
    }

    #[test]
    fn nothing_between_quotes_is_a_field_unless_it_is_that_of_lists() {
        let count = |dialect, before: &str, word: &str| {
            after(dialect, before, |machine| {
                machine.with_word(word, |machine, word| machine.expand(&word.parts, Mode::Fields).map(|fields| fields.len()).ok())
            })
        };
        for dialect in [Dialect::Bash, Dialect::Dash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh] {
            for (before, word, fields) in [
                ("set --", "\"\"", Some(1)),
                ("set --", "\"$@\"", Some(0)),
                ("set --", "\"$*\"", Some(1)),
                ("set -- ''", "\"$@\"", Some(1)),
                ("set -- '' ''", "\"$@\"", Some(2)),
                ("V=", "\"$V\"", Some(1)),
                ("V=", "\"${V:-}\"", Some(1)),
                ("V=", "$V", Some(0)),
            ] {
                assert_eq!(count(dialect, before, word), fields, "{dialect:?} {before}; {word}");
            }
        }
        // Here no two shells agree.
        for (dialect, fields) in [(Dialect::Bash, Some(0)), (Dialect::Dash, Some(1)), (Dialect::Ksh, None)] {
            assert_eq!(count(dialect, "set --; V=", "\"$@$V\""), fields, "{dialect:?}");
        }
    }
}
