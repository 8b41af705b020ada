//! Words into fields: parameters, output of commands, sums, splitting, names of files.

use std::sync::Arc;

use smallvec::smallvec;

use super::braces::{braces, within_ranges};
use super::content::Content;
use super::field::{Field, Fields, last};
use super::inner::QUOTES_WITHIN;
use super::machine::{LONGEST, MOST_NESTED, Machine};
use super::options::kept::EVERY_OPTION;
use super::options::names::NO_BRACES;
use super::parameter::{is_all, is_all_of};
use super::parse::is_name;
use super::reference::OWN_SHAPE;
use super::setting::sets_something;
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

/// A command with more words is not followed.
const MOST_FIELDS: usize = 5000;

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
        for (index, word) in words.iter().enumerate() {
            if let Err(doubt) = self.fields_of(word, &mut out) {
                // Braces may have hidden a pattern.
                let has = |part: &Part, signs: &[u8]| matches!(part, Part::Text(text) if text.iter().any(|b| signs.contains(b)));
                if word.parts.iter().any(|part| has(part, b"{")) && word.parts.iter().any(|part| has(part, b"*?[(")) {
                    self.fork_where_none_is_an_error(&doubt);
                }
                self.doubt_what_is_set(&word.parts, &doubt);
                // The words behind it are expanded all the same, and may set something.
                words.iter().skip(index + 1).for_each(|word| self.expand_in_vain(&word.parts));
                return Err(doubt);
            }
        }
        self.steps.count(out.len());
        Ok(out)
    }

    /// Expands parts of which nothing is known where they stand, for what they set.
    fn expand_in_vain(&mut self, parts: &[Part]) {
        if self.live.is_some() && parts.iter().any(|part| !matches!(part, Part::Text(_) | Part::Quoted(_))) {
            self.one_text(parts);
        }
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
        for field in fields {
            let has_signs = self.is_pattern(&field);
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
    pub(super) fn pattern_text(&mut self, word: &Word, is_test: bool) -> Expanded<(Vec<u8>, Vec<bool>)> {
        // What they bring may be a pattern then.
        let brings = |part: &Part| matches!(part, Part::Parameter(_) | Part::Output(_) | Part::Shaped(_));
        if self.expands_otherwise() && word.parts.iter().any(brings) {
            return Err(self.doubt("an option makes patterns of what parameters hold"));
        }
        let mut fields = self.expand(&word.parts, Mode::One)?;
        if let [field] = &mut fields[..] {
            let mut quoted = field.quoted();
            plain_carets(self.dialect, &field.text, &mut quoted);
            if !is_test {
                plain_backslashes(self.dialect, &field.text, &mut quoted);
            }
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

    /// Whether an option of zsh's is set, or may be.
    fn may_be_set(&self, option: &str) -> bool {
        self.dialect == Dialect::Zsh && self.live.as_ref().is_some_and(|s| s.option(option) != Some(false))
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
                        && let Some(doubt) = &last(fields).unknown
                        && doubt.why == QUOTES_WITHIN
                    {
                        return Err(doubt.clone());
                    }
                }
                Part::Parameter(parameter) => {
                    let values = self.parameter_or_word(parameter, false, mode)?;
                    if self.dialect == Dialect::Mksh && mode == Mode::Fields {
                        let before = (index > 0).then(|| last(fields).text.len());
                        self.doubt_as_mksh(parameter, values.as_ref(), before)?;
                    }
                    match (values, &parameter.change) {
                        (Some(values), _) => self.spread(values, parameter, mode, fields)?,
                        (None, Change::Instead(_, _, word)) => self.within(|m| m.put_instead(word, mode, fields))?,
                        (None, _) => {}
                    }
                }
                Part::Output(commands) => {
                    let value = self.output(commands);
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
    pub(super) fn text(&mut self, text: &[u8], is_first: bool, is_last: bool, mode: Mode, fields: &mut [Field]) {
        let Some(field) = fields.last_mut() else { return };
        // In zsh a tilde or `=` counts behind a reference that comes to nothing, too, and `=` at the
        // front of a value.
        if self.dialect == Dialect::Zsh && field.text.is_empty() && field.unknown.is_none() {
            let counts = text.first() == Some(&b'~') && !is_first
                || text.first() == Some(&b'=') && mode == Mode::Assigned && !(is_last && text.len() == 1)
                || is_first && mode == Mode::One && matches!(text, [b'=', next, ..] if next.is_ascii_alphabetic())
                || is_first && mode == Mode::One && !is_last && text == b"=";
            let behind_colon = mode == Mode::Assigned && memchr::memmem::find(text, b":=").is_some()
                || mode == Mode::One && memchr::memmem::find(text, b":~").is_some();
            if counts || behind_colon {
                self.fail_perhaps("the shell expands this in a way of its own");
                let doubt = self.doubt("the shell expands this in a way of its own");
                field.doubt(&doubt);
            }
        }
        // In a word that looks like an assignment it counts, too (measured: bash 5.2, R59).
        let looks_set =
            || memchr::memchr(b'=', text).is_some_and(|at| crate::reader::is_portable(text.get(..at).unwrap_or_default()));
        if matches!(self.dialect, Dialect::Bash | Dialect::Mksh)
            && mode == Mode::Fields
            && is_first
            && [&b"=~"[..], b":~"].iter().any(|sign| memchr::memmem::find(text, sign).is_some())
            && looks_set()
        {
            field.doubt(&self.doubt("the shell expands this in a way of its own"));
        }
        // There it counts behind what ends with a colon, too (measured: R59).
        let is_behind = !is_first && text.first() == Some(&b'~') && (field.unknown.is_some() || field.text.last() == Some(&b':'));
        if matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) && mode == Mode::Assigned && is_behind {
            field.doubt(&self.doubt("the shell expands this in a way of its own"));
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
            // There it is where the shell is and was, whatever these names hold.
            b"+" | b"-" if self.dialect == Dialect::Zsh => {
                let folder =
                    self.live.as_ref().and_then(|state| if name == b"+" { state.folder.clone() } else { state.left.clone() });
                Some(folder.map_or_else(|| Val::Unknown(self.doubt("the working folder is not known")), Val::Known))
            }
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
            _ => {
                // There it may mean nothing, which is an error.
                if self.dialect == Dialect::Zsh {
                    self.fail_perhaps("zsh fails where there is no such folder");
                }
                Some(Val::Unknown(self.doubt("a tilde of another kind")))
            }
        }
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
