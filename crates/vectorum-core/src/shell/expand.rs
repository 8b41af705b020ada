//! Words into fields: parameters, output of commands, sums, splitting, names of files.

use std::sync::Arc;

use bytes::Bytes;
use smallvec::{SmallVec, smallvec};

use super::braces::braces;
use super::machine::{LONGEST, MOST_NESTED, Machine};
use super::parameter::{is_all, is_all_of};
use super::parse::is_name;
use super::reference::OWN_SHAPE;
use super::shaped::Subscript;
use super::state::Content;
use super::syntax::*;
use super::value::{Doubt, Val};

/// A field that is being put together: bytes, each with whether it was quoted.
#[derive(Clone, Debug, Default)]
pub(super) struct Field {
    pub(super) text: Vec<u8>,
    /// Where each stretch that was quoted, or was not, ends.
    stretches: SmallVec<[(usize, bool); 2]>,
    /// Why it is not known; the text is then only part of it.
    unknown: Option<Arc<Doubt>>,
    /// Whether it is there even if it is empty.
    is_there: bool,
    /// Whether it is there only if what is not known of it is not empty.
    may_vanish: bool,
}

impl Field {
    fn push(&mut self, text: &[u8], quoted: bool) {
        if self.text.capacity() == 0 && !text.is_empty() {
            // Most words grow little after their first part.
            self.text.reserve(text.len() + 24);
        }
        self.text.extend_from_slice(text);
        self.is_there |= quoted;
        match self.stretches.last_mut() {
            Some((end, was_quoted)) if *was_quoted == quoted => *end = self.text.len(),
            _ if text.is_empty() => {}
            _ => self.stretches.push((self.text.len(), quoted)),
        }
    }

    /// Returns whether each byte was quoted.
    pub(super) fn quoted(&self) -> Vec<bool> {
        let mut out = Vec::with_capacity(self.text.len());
        for (end, quoted) in &self.stretches {
            out.resize(*end, *quoted);
        }
        out
    }

    /// Whether it has an unquoted sign of a pattern.
    pub(super) fn has_signs(&self) -> bool {
        let mut begin = 0;
        self.stretches.iter().any(|(end, quoted)| {
            let stretch = self.text.get(begin..*end).unwrap_or_default();
            begin = *end;
            !quoted && stretch.iter().any(|b| b"*?[".contains(b))
        })
    }

    /// Puts another one behind it.
    fn append(&mut self, other: &Field) {
        let mut begin = 0;
        for (end, quoted) in &other.stretches {
            self.push(other.text.get(begin..*end).unwrap_or_default(), *quoted);
            begin = *end;
        }
        self.is_there |= other.is_there;
        if let Some(doubt) = &other.unknown {
            self.doubt(doubt);
        }
    }

    fn doubt(&mut self, doubt: &Arc<Doubt>) {
        self.is_there = true;
        self.unknown.get_or_insert_with(|| doubt.clone());
    }

    pub(super) fn value(self) -> Val {
        match self.unknown {
            None => Val::Known(self.text.into()),
            Some(doubt) if self.text.is_empty() => Val::Unknown(doubt),
            // With text around it, it is another value that is not known.
            Some(doubt) => {
                Val::Unknown(Arc::new(Doubt { could_be: Vec::new(), is_filled: true, sets: None, ..(*doubt).clone() }))
            }
        }
    }
}

/// The fields that a word becomes, most often one.
pub(super) type Fields = SmallVec<[Field; 1]>;

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
const ODD_WORD: &str = "a word that the shell puts together in a way of its own";

/// A command with more words is not followed.
const MOST_FIELDS: usize = 5000;

pub(super) type Expanded<T> = Result<T, Arc<Doubt>>;

impl Machine<'_> {
    /// Expands words into fields.
    ///
    /// # Errors
    /// If it is not known how many there are.
    pub(super) fn fields(&mut self, words: &[Word]) -> Expanded<Vec<Val>> {
        let mut out = Vec::new();
        for word in words {
            if let Some(value) = word.calm() {
                out.push(value);
                continue;
            }
            let has = |signs: &[&[u8]]| {
                let texts = word.parts.iter().filter_map(|part| if let Part::Text(text) = part { Some(text) } else { None });
                texts.into_iter().any(|text| signs.iter().any(|sign| memchr::memmem::find(text, sign).is_some()))
            };
            if self.may_be_set("braceccl") && has(&[b"{"]) || self.may_be_set("magicequalsubst") && has(&[b"=~", b"==", b":~"]) {
                return Err(self.doubt("the shell expands this in a way of its own"));
            }
            let alternatives = if self.dialect.is_rich() && !self.as_sh {
                braces(word, Some(self.dialect).filter(|d| *d != Dialect::Mksh))
            } else {
                Ok(None)
            };
            match alternatives.map_err(|why| self.doubt(why))? {
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
                    for word in words {
                        // Elsewhere they come last.
                        let is_one = self.dialect != Dialect::Bash;
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
        }
        self.steps.count(out.len());
        Ok(out)
    }

    /// The fields of a word, which may have to be one before files are looked up for it.
    fn word_fields(&mut self, word: &Word, is_one: bool) -> Expanded<Vec<Val>> {
        let fields = self.expand(&word.parts, Mode::Fields)?;
        if is_one && fields.len() != 1 {
            return Err(self.doubt("braces in what is split"));
        }
        let mut out = Vec::new();
        for field in fields {
            let has_signs = self.is_pattern(&field);
            let noglob = self.live.as_ref().and_then(|s| s.option("noglob"));
            if self.is_own_zsh()
                && field.text.first() == Some(&b'=')
                && field.stretches.first().is_some_and(|(_, quoted)| !quoted)
                && field.text.len() > 1
            {
                // Where there is none it is an error.
                self.fail_perhaps("zsh looks up a program for a word that begins with =");
                return Err(self.doubt("zsh looks up a program for a word that begins with ="));
            }
            if has_signs && noglob == Some(false) {
                if field.unknown.is_some() {
                    return Err(self.doubt("names of files are looked up by a pattern that is not known"));
                }
                out.extend(self.paths(&field)?.into_iter().map(Val::Known));
            } else if has_signs && noglob.is_none() {
                return Err(self.doubt("whether patterns name files is not known"));
            } else {
                out.push(field.value());
            }
        }
        Ok(out)
    }

    /// Expands a word into one text.
    ///
    /// # Errors
    /// Never for an unknown value: only where nothing can be said at all.
    pub(super) fn one_word(&mut self, word: &Word) -> Expanded<Val> {
        Ok(word.calm().unwrap_or_else(|| self.one(&word.parts, Mode::One)))
    }

    /// Expands the value of an assignment.
    pub(super) fn assigned_word(&mut self, word: &Word) -> Val {
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
                    if let Some(doubt) = &field.unknown {
                        whole.doubt(doubt);
                    }
                }
                whole.value()
            }
            Err(doubt) => Val::Unknown(doubt),
        }
    }

    /// Expands a pattern: its bytes, each with whether it was quoted.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn pattern_text(&mut self, word: &Word) -> Expanded<(Vec<u8>, Vec<bool>)> {
        // What they bring may be a pattern then.
        let brings = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_) | Part::Shaped(_));
        if self.expands_otherwise() && word.parts.iter().any(brings) {
            return Err(self.doubt("an option makes patterns of what parameters hold"));
        }
        let mut fields = self.expand(&word.parts, Mode::One)?;
        if let [field] = &mut fields[..] {
            let quoted = field.quoted();
            return match field.unknown.take() {
                Some(doubt) => Err(doubt),
                None => Ok((std::mem::take(&mut field.text), quoted)),
            };
        }
        let (mut text, mut quoted) = (Vec::new(), Vec::new());
        for field in fields {
            quoted.extend(field.quoted());
            if let Some(doubt) = field.unknown {
                return Err(doubt);
            }
            text.extend(field.text);
        }
        // In zsh what a parameter brings is text in a pattern.
        Ok((text, quoted))
    }

    /// Does something to a word within another.
    fn within<T>(&mut self, run: impl FnOnce(&mut Self) -> Expanded<T>) -> Expanded<T> {
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
        self.within(|m| m.expand_into(parts, mode, &mut fields))?;
        if mode == Mode::Fields {
            let may_vanish = fields.iter().find(|f| f.may_vanish && f.text.is_empty()).and_then(|f| f.unknown.clone());
            if let Some(doubt) = may_vanish {
                return Err(doubt);
            }
            fields.retain(|f| f.is_there || !f.text.is_empty());
        }
        Ok(fields)
    }

    /// Whether an option of zsh's is set, or may be.
    fn may_be_set(&self, option: &str) -> bool {
        self.dialect == Dialect::Zsh && self.live.as_ref().is_some_and(|s| s.option(option) != Some(false))
    }

    fn expand_into(&mut self, parts: &[Part], mode: Mode, fields: &mut Fields) -> Expanded<()> {
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
                Part::Double(inner) => self.between_quotes(inner, &parts[index + 1..], mode, fields)?,
                Part::Parameter(parameter) => {
                    let values = self.parameter_or_word(parameter, false, mode)?;
                    if self.dialect == Dialect::Mksh && mode == Mode::Fields {
                        let is_there = index > 0 && last(fields).text.is_empty();
                        self.doubt_as_mksh(parameter, values.as_ref(), (index == 0, is_there))?;
                    }
                    match (values, &parameter.change) {
                        (Some(values), _) => self.spread(values, parameter, mode, fields)?,
                        (None, Change::Instead(_, _, word)) => self.within(|m| m.put_instead(word, mode, fields))?,
                        (None, _) => {}
                    }
                }
                Part::Output(commands) => {
                    let value = self.output(commands);
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

    /// Unquoted text, with the home folder for a tilde.
    fn text(&mut self, text: &[u8], is_first: bool, is_last: bool, mode: Mode, fields: &mut [Field]) {
        let Some(field) = fields.last_mut() else { return };
        // In zsh a tilde or `=` counts behind a reference that comes to nothing, too, and `=` at the
        // front of a value.
        if self.dialect == Dialect::Zsh && field.text.is_empty() && field.unknown.is_none() {
            let counts = text.first() == Some(&b'~') && !is_first
                || text.first() == Some(&b'=') && mode == Mode::Assigned && !(is_last && text.len() == 1);
            let behind_colon = mode == Mode::Assigned && memchr::memmem::find(text, b":=").is_some()
                || mode == Mode::One && memchr::memmem::find(text, b":~").is_some();
            if counts || behind_colon {
                self.fail_perhaps("the shell expands this in a way of its own");
                let doubt = self.doubt("the shell expands this in a way of its own");
                field.doubt(&doubt);
            }
        }
        let mut at = 0;
        while at < text.len() {
            let rest = text.get(at..).unwrap_or_default();
            let here = at == 0 && is_first && field.text.is_empty()
                || mode == Mode::Assigned && at > 0 && text.get(at - 1) == Some(&b':');
            if here && rest.first() == Some(&b'~') {
                let end = rest.iter().position(|b| *b == b'/' || mode == Mode::Assigned && *b == b':');
                // In zsh and ksh what an expansion behind it brings is part of the name.
                if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh) && end.is_none() && !is_last {
                    if self.dialect == Dialect::Zsh {
                        self.fail_perhaps("zsh fails where there is no such account");
                    }
                    let doubt = self.doubt("the shell expands this in a way of its own");
                    field.doubt(&doubt);
                }
                // A quote right behind is part of the name, which then is none.
                if end.is_some() || is_last {
                    let end = end.unwrap_or(rest.len());
                    match self.home(rest.get(1..end).unwrap_or_default()) {
                        Some(Val::Known(home)) => {
                            field.push(&home, true);
                            at += end;
                            continue;
                        }
                        Some(Val::Unknown(doubt)) => {
                            field.doubt(&doubt);
                            at += end;
                            continue;
                        }
                        None => {}
                    }
                }
            }
            let next = rest.iter().skip(1).position(|b| *b == b'~').map_or(rest.len(), |p| p + 1);
            field.push(rest.get(..next).unwrap_or_default(), false);
            at += next;
        }
    }

    /// The home folder behind a tilde; `None` where the tilde stays.
    fn home(&mut self, name: &[u8]) -> Option<Val> {
        match name {
            b"" => match self.content_of(b"HOME") {
                Content::Set(value) => Some(value),
                Content::Unset => match self.dialect {
                    Dialect::Bash | Dialect::Ksh => Some(Val::Known(self.account.home.clone())),
                    Dialect::Zsh => Some(Val::of(b"")),
                    Dialect::Dash | Dialect::Mksh => None,
                },
                _ => Some(Val::Unknown(self.doubt("HOME is not known"))),
            },
            b"+" | b"-" if self.dialect.is_rich() => match self.content_of(if name == b"+" { b"PWD" } else { b"OLDPWD" }) {
                Content::Set(value) => Some(value),
                Content::Unset => None,
                _ => Some(Val::Unknown(self.doubt("the working folder is not known"))),
            },
            name if name.iter().all(|b| b.is_ascii_alphanumeric() || b"_.-".contains(b))
                && !name.first().is_some_and(u8::is_ascii_digit) =>
            {
                let named = if self.dialect == Dialect::Zsh { self.named_folder(name) } else { None };
                if let Some(folder) = named {
                    return Some(folder);
                }
                let account = self.ground.accounts.iter().find(|a| a.name == name);
                match account {
                    Some(account) => Some(Val::Known(account.home.clone())),
                    None if self.dialect == Dialect::Zsh => {
                        self.fail_perhaps("zsh fails where there is no such account");
                        Some(Val::Unknown(self.doubt("zsh fails where there is no such account")))
                    }
                    None => None,
                }
            }
            _ => Some(Val::Unknown(self.doubt("a tilde of another kind"))),
        }
    }

    /// Puts what stands between quotes: a field even if that is nothing, unless the nothing is that of lists.
    fn between_quotes(&mut self, parts: &[Part], behind: &[Part], mode: Mode, fields: &mut Fields) -> Expanded<()> {
        let field = last(fields);
        let (was_there, was_known, length) = (field.is_there, field.unknown.is_none(), field.text.len());
        let before = fields.len();
        let lists = self.double(parts, fields, mode)?;
        let is_one = fields.len() == before;
        let field = last(fields);
        let is_nothing = lists > 0 && is_one && field.text.len() == length;
        field.is_there = true;
        // In dash an empty item at a list's end may be none if the word goes on without quotes.
        let goes_on = !behind.is_empty() && behind.iter().all(|part| matches!(part, Part::Parameter(_) | Part::Output(_)));
        if goes_on
            && self.dialect == Dialect::Dash
            && mode == Mode::Fields
            && is_all(parts)
            && field.text.is_empty()
            && !is_nothing
        {
            return Err(self.doubt("an empty item with something behind it"));
        }
        if mode != Mode::Fields || !is_nothing {
            return Ok(());
        }
        if was_known && let Some(doubt) = &field.unknown {
            return if self.dialect == Dialect::Dash { Ok(()) } else { Err(doubt.clone()) };
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

    fn document(&mut self, part: &Part, fields: &mut Fields) -> Expanded<()> {
        let Part::Document(text) = part else { return Ok(()) };
        match text.get() {
            Some(Ok(parts)) => self.double(parts, fields, Mode::Document).map(|_| ()),
            Some(Err(why)) => Err(self.doubt(why)),
            None => Err(self.doubt("a here-document without its text")),
        }
    }

    /// Puts what stands between quotes, and returns how many lists without items are among it that bring their items as
    /// words.
    fn double(&mut self, parts: &[Part], fields: &mut Fields, mode: Mode) -> Expanded<usize> {
        let mut lists = 0;
        for part in parts {
            match part {
                Part::Text(text) | Part::Quoted(text) => last(fields).push(text, true),
                Part::Double(inner) => lists += self.double(inner, fields, mode)?,
                Part::Parameter(parameter) => {
                    let Some(values) = self.parameter_or_word(parameter, true, mode)? else {
                        if let Change::Instead(_, _, word) = &parameter.change {
                            self.within(|m| m.put_instead_quoted(word, mode, fields))?;
                        }
                        continue;
                    };
                    let is_list = is_all_of(parameter);
                    match values {
                        // How many words a list is that is not known, is not known either.
                        Values::One(Val::Unknown(doubt))
                            if is_list && mode == Mode::Fields && parameter.change != Change::Length =>
                        {
                            return Err(doubt);
                        }
                        Values::Many(ref items) if is_list && mode == Mode::Fields => {
                            lists += usize::from(items.is_empty());
                            self.put_quoted(values, mode, fields)?;
                        }
                        Values::One(_) => self.put_quoted(values, mode, fields)?,
                        Values::Many(values) => {
                            let separator = match self.dialect {
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
                    if *why == OWN_SHAPE && mode == Mode::Fields {
                        return Err(doubt);
                    }
                    last(fields).doubt(&doubt);
                }
            }
        }
        Ok(lists)
    }

    /// What mksh makes of some parameters without quotes is not followed: a word is lost behind an empty value that was set
    /// there, and blanks at the front of a part do not end the word before (measured: R59).
    fn doubt_as_mksh(
        &mut self,
        parameter: &Parameter,
        values: Option<&Values>,
        (is_first, is_empty): (bool, bool),
    ) -> Expanded<()> {
        let begins_with_blank = |text: &Bytes| text.first().is_some_and(|b| b" \t\n".contains(b));
        let is_odd = match (&parameter.change, values) {
            (Change::Instead(b'=', ..), Some(Values::One(value))) => !is_first && value.is_empty() != Some(false),
            (Change::Instead(..), Some(Values::One(value))) => is_empty && value.is_empty() != Some(false),
            (Change::Instead(.., word), None) if word.parts.is_empty() => is_empty,
            (Change::Instead(.., word), None) => {
                word.parts.iter().any(|part| matches!(part, Part::Text(text) if memchr::memmem::find(text, b":~").is_some()))
            }
            (Change::Trim(..) | Change::Replace(..) | Change::Slice(..), Some(Values::One(Val::Known(text)))) => {
                !is_first && begins_with_blank(text)
            }
            _ => false,
        };
        if is_odd { Err(self.doubt(ODD_WORD)) } else { Ok(()) }
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
        self.double(&word.parts, fields, mode).map(|_| ())
    }

    /// Puts what stands instead of a parameter as if it stood in its place, but that plain text is split, too (POSIX, 2.6.5).
    fn put_instead(&mut self, word: &Word, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        for (index, part) in word.parts.iter().enumerate() {
            let Part::Text(text) = part else {
                self.expand_into(std::slice::from_ref(part), mode, fields)?;
                continue;
            };
            let mut held: Fields = smallvec![Field::default()];
            self.text(text, index == 0, index + 1 == word.parts.len(), mode, &mut held);
            for field in held {
                let mut begin = 0;
                for (end, quoted) in &field.stretches {
                    let stretch = field.text.get(begin..*end).unwrap_or_default();
                    begin = *end;
                    if *quoted {
                        last(fields).push(stretch, true);
                    } else if self.is_own_zsh() {
                        last(fields).push(stretch, false);
                    } else {
                        self.split_at_separators(&Val::of(stretch), false, fields)?;
                    }
                }
                if let Some(doubt) = &field.unknown {
                    last(fields).doubt(doubt);
                }
            }
        }
        Ok(())
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
                        _ if mode == Mode::Fields => fields.push(Field { is_there: true, ..Field::default() }),
                        Some(byte) => last(fields).push(&[byte], true),
                        None => {}
                    }
                    put(last(fields), value, true);
                }
            }
        }
        Ok(())
    }

    /// Puts what a parameter of zsh's own shape comes to where it stood without quotes.
    fn put_shaped(&mut self, values: Values, is_pattern: bool, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        let values = match values {
            Values::One(value) => vec![value],
            Values::Many(values) => values,
        };
        let separator = if mode == Mode::Fields { None } else { self.first_separator()? };
        for (index, value) in values.iter().enumerate() {
            if index > 0 {
                match separator {
                    _ if mode == Mode::Fields => fields.push(Field::default()),
                    Some(byte) => last(fields).push(&[byte], false),
                    None => {}
                }
            }
            // One that may be empty is a word or none.
            if let (Val::Unknown(doubt), Mode::Fields) = (value, mode)
                && value.is_empty().is_none()
            {
                return Err(doubt.clone());
            }
            let looks_like_path = |text: &Bytes| text.iter().any(|b| b"~=".contains(b));
            if is_pattern && value.known().is_none_or(looks_like_path) {
                return Err(self.doubt("a pattern that a parameter holds"));
            }
            let field = last(fields);
            let was_there = field.is_there;
            put(field, value, !is_pattern);
            if mode == Mode::Fields && value.is_empty() == Some(true) {
                field.is_there = was_there;
            }
        }
        Ok(())
    }

    /// Puts each item with what stands before it and behind it.
    fn spread_around(&mut self, values: Values, behind: &[Part], fields: &mut Fields) -> Expanded<()> {
        let items = match values {
            Values::One(value) => vec![value],
            Values::Many(items) => items,
        };
        let mut after: Fields = smallvec![Field::default()];
        self.expand_behind(behind, &mut after)?;
        let before = fields.pop().unwrap_or_default();
        self.steps.count(items.len() * after.len());
        for item in &items {
            let (Some(first), rest) = (after.first(), after.get(1..).unwrap_or_default()) else { continue };
            // Several words behind go with each in a way of their own.
            if !rest.is_empty() {
                return Err(self.doubt(OWN_SHAPE));
            }
            let mut field = before.clone();
            let was_there = field.is_there;
            put(&mut field, item, true);
            if item.is_empty() == Some(true) {
                field.is_there = was_there;
            }
            field.append(first);
            fields.push(field);
        }
        Ok(())
    }

    /// Expands what stands behind an item of a word: at its front nothing counts as such.
    fn expand_behind(&mut self, parts: &[Part], fields: &mut Fields) -> Expanded<()> {
        if parts.iter().any(|p| matches!(p, Part::Text(text) if text.first() == Some(&b'~')) || matches!(p, Part::Output(_))) {
            return Err(self.doubt(OWN_SHAPE));
        }
        self.expand_into(parts, Mode::Fields, fields)
    }

    /// The text of parts as it is between double quotes.
    pub(super) fn quoted_text(&mut self, parts: &[Part]) -> Val {
        let mut fields: Fields = smallvec![Field::default()];
        match self.double(parts, &mut fields, Mode::One) {
            Ok(_) => fields.into_iter().next().unwrap_or_default().value(),
            Err(doubt) => Val::Unknown(doubt),
        }
    }

    /// What stands between the items of `$@` where it becomes one text.
    fn between_items(&mut self, parameter: &Parameter, mode: Mode) -> Expanded<Option<u8>> {
        match self.dialect {
            Dialect::Mksh if mode == Mode::Document => self.first_separator(),
            Dialect::Dash | Dialect::Zsh => self.first_separator(),
            // Measured (bash 5.2): in values, and only of what is changed or taken in part.
            Dialect::Bash if mode == Mode::Assigned && parameter.change != Change::None => {
                Ok(self.first_separator()?.or(Some(b' ')))
            }
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

    /// Puts a parameter's values where it stood without quotes.
    fn spread(&mut self, values: Values, parameter: &Parameter, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        match values {
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
                    if self.is_own_zsh() {
                        let field = last(fields);
                        let was_there = field.is_there;
                        put(field, value, true);
                        // One that is empty is no word by itself.
                        if mode == Mode::Fields && value.is_empty() == Some(true) {
                            field.is_there = was_there;
                        }
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
            Dialect::Mksh => !is_usual && values.iter().any(may_be_empty),
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
    fn split(&mut self, value: &Val, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        if mode != Mode::Fields || self.is_own_zsh() {
            // In a pattern a parameter's value is text in zsh, a pattern elsewhere.
            let field = last(fields);
            let was_there = field.is_there;
            field.may_vanish = mode == Mode::Fields && value.is_empty().is_none() && !field.is_there && field.text.is_empty();
            put(field, value, self.is_own_zsh());
            if self.is_own_zsh() && mode == Mode::Fields && value.is_empty() == Some(true) {
                last(fields).is_there = was_there;
            }
            return Ok(());
        }
        self.split_at_separators(value, false, fields)
    }

    fn split_at_separators(&mut self, value: &Val, is_quoted: bool, fields: &mut Fields) -> Expanded<()> {
        let text = match value {
            Val::Known(text) => text.clone(),
            Val::Unknown(doubt) => return Err(doubt.clone()),
        };
        let separators = self.separators()?.unwrap_or(Bytes::from_static(b" \t\n"));
        if is_quoted && separators.iter().any(|b| !b" \t\n\0".contains(b)) {
            return Err(self.doubt("words between separators of one's own"));
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
            if field.is_there || !field.text.is_empty() {
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
}

/// Whether what the parameters of a word bring is split in a way that is not followed.
fn is_put_together_oddly(parts: &[Part], dialect: Dialect) -> bool {
    let is_split = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_));
    match dialect {
        // Behind a list in quotes there are more empty fields (measured: dash 0.5.12).
        Dialect::Dash => parts.iter().skip_while(|part| !brings_list(part)).skip(1).any(is_split),
        // A dollar that begins nothing keeps the word whole (measured: bash 5.2).
        Dialect::Bash => {
            parts.iter().any(|part| matches!(part, Part::Text(text) if text.contains(&b'$'))) && parts.iter().any(is_split)
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
fn brings_list(part: &Part) -> bool {
    let is_list = |part: &Part| match part {
        Part::Parameter(p) => match &p.change {
            Change::Instead(.., word) => word.parts.iter().any(|part| matches!(part, Part::Parameter(p) if p.name == "@")),
            _ => p.name == "@",
        },
        _ => false,
    };
    match part {
        Part::Double(inner) => inner.iter().any(|part| is_list(part) || brings_list(part)),
        Part::Parameter(p) => matches!(&p.change, Change::Instead(.., word) if word.parts.iter().any(brings_list)),
        _ => false,
    }
}

/// What a parameter expands to.
pub(super) enum Values {
    One(Val),
    Many(Vec<Val>),
}

fn last(fields: &mut Fields) -> &mut Field {
    if fields.is_empty() {
        fields.push(Field::default());
    }
    let at = fields.len() - 1;
    &mut fields[at]
}

fn put(field: &mut Field, value: &Val, quoted: bool) {
    match value {
        Val::Known(text) => field.push(text, quoted),
        Val::Unknown(doubt) => field.doubt(doubt),
    }
}

pub(super) fn is_text(parts: &[Part], text: &[u8]) -> bool {
    matches!(parts, [Part::Quoted(t) | Part::Text(t)] if **t == *text)
}
