//! Words into fields: parameters, output of commands, sums, splitting, names of files.

use std::rc::Rc;

use bytes::Bytes;

use super::machine::{LONGEST, Machine};
use super::parse::{ODD_SHAPE, ODD_SUBSCRIPT};
use super::pattern::{Groups, Pattern};
use super::state::{Content, Status};
use super::syntax::*;
use super::value::{Doubt, Val};
use crate::host_view::Kind as FileKind;

/// A field that is being put together: bytes, each with whether it was quoted.
#[derive(Clone, Debug, Default)]
pub(super) struct Field {
    text: Vec<u8>,
    /// Where each stretch that was quoted, or was not, ends.
    stretches: Vec<(usize, bool)>,
    /// Why it is not known; the text is then only part of it.
    unknown: Option<Rc<Doubt>>,
    /// Whether it is there even if it is empty.
    is_there: bool,
}

impl Field {
    fn push(&mut self, text: &[u8], quoted: bool) {
        self.text.extend_from_slice(text);
        self.is_there |= quoted;
        match self.stretches.last_mut() {
            Some((end, was_quoted)) if *was_quoted == quoted => *end = self.text.len(),
            _ if text.is_empty() => {}
            _ => self.stretches.push((self.text.len(), quoted)),
        }
    }

    /// Returns whether each byte was quoted.
    fn quoted(&self) -> Vec<bool> {
        let mut out = Vec::with_capacity(self.text.len());
        for (end, quoted) in &self.stretches {
            out.resize(*end, *quoted);
        }
        out
    }

    /// Whether it has an unquoted sign of a pattern.
    fn has_signs(&self) -> bool {
        let mut begin = 0;
        self.stretches.iter().any(|(end, quoted)| {
            let stretch = self.text.get(begin..*end).unwrap_or_default();
            begin = *end;
            !quoted && stretch.iter().any(|b| b"*?[".contains(b))
        })
    }

    fn doubt(&mut self, doubt: &Rc<Doubt>) {
        self.is_there = true;
        self.unknown.get_or_insert_with(|| doubt.clone());
    }

    fn value(self) -> Val {
        match self.unknown {
            None => Val::Known(self.text.into()),
            Some(doubt) if self.text.is_empty() => Val::Unknown(doubt),
            // With text around it, it is another value that is not known.
            Some(doubt) => Val::Unknown(Rc::new(Doubt { could_be: Vec::new(), is_filled: true, sets: None, ..(*doubt).clone() })),
        }
    }
}

/// How a word is expanded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Mode {
    /// Into any number of fields.
    Fields,
    /// Into one text, as in an assignment: tildes count after colons, too.
    Assigned,
    /// Into one text.
    One,
}

/// A command with more words is not followed.
const MOST_FIELDS: usize = 5000;

type Expanded<T> = Result<T, Rc<Doubt>>;

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
            let alternatives = if self.dialect.is_rich() && !self.as_sh { braces(word) } else { Ok(None) };
            match alternatives.map_err(|why| self.doubt(why))? {
                None => out.extend(self.word_fields(word)?),
                Some(words) => {
                    for word in words {
                        out.extend(self.word_fields(&word)?);
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
        Ok(out)
    }

    fn word_fields(&mut self, word: &Word) -> Expanded<Vec<Val>> {
        let fields = self.expand(&word.parts, Mode::Fields)?;
        let mut out = Vec::new();
        for field in fields {
            let has_signs = field.has_signs();
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

    fn one(&mut self, parts: &[Part], mode: Mode) -> Val {
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
        let fields = self.expand(&word.parts, Mode::One)?;
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

    fn expand(&mut self, parts: &[Part], mode: Mode) -> Expanded<Vec<Field>> {
        let mut fields = vec![Field::default()];
        self.expand_into(parts, mode, &mut fields)?;
        if mode == Mode::Fields {
            fields.retain(|f| f.is_there || !f.text.is_empty());
        }
        Ok(fields)
    }

    fn expand_into(&mut self, parts: &[Part], mode: Mode, fields: &mut Vec<Field>) -> Expanded<()> {
        for (index, part) in parts.iter().enumerate() {
            match part {
                Part::Text(text) => self.text(text, index == 0, index + 1 == parts.len(), mode, fields),
                Part::Quoted(text) => last(fields).push(text, true),
                Part::Double(inner) => {
                    last(fields).is_there = true;
                    let only_list = inner.len() == 1;
                    let before = fields.len();
                    self.double(inner, fields, mode)?;
                    // "$@" without parameters is no field at all.
                    if only_list
                        && fields.len() == before
                        && is_all(inner)
                        && last(fields).text.is_empty()
                        && last(fields).unknown.is_none()
                        && parts.len() == 1
                    {
                        last(fields).is_there = false;
                    }
                }
                Part::Parameter(parameter) => {
                    let values = self.parameter(parameter, false, mode)?;
                    self.spread(values, parameter, mode, fields)?;
                }
                Part::Output(commands) => {
                    let value = self.output(commands);
                    self.split(&value, mode, fields)?;
                }
                Part::Sum(parts) => {
                    let value = self.sum_value(parts);
                    self.split(&value, mode, fields)?;
                }
                Part::Document(_) => self.document(part, fields)?,
                Part::Unfollowed(why) => {
                    let doubt = self.doubt(why);
                    if *why == ODD_SHAPE {
                        self.refuse_perhaps(&doubt);
                    }
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
                Content::Unset if self.dialect == Dialect::Bash => Some(Val::Known(self.account.home.clone())),
                Content::Unset => None,
                _ => Some(Val::Unknown(self.doubt("HOME is not known"))),
            },
            b"+" if self.dialect.is_rich() => self.content_of(b"PWD").value(),
            b"-" if self.dialect.is_rich() => self.content_of(b"OLDPWD").value(),
            name if name.iter().all(|b| b.is_ascii_alphanumeric() || b"_.-".contains(b))
                && !name.first().is_some_and(u8::is_ascii_digit) =>
            {
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

    fn document(&mut self, part: &Part, fields: &mut Vec<Field>) -> Expanded<()> {
        let Part::Document(text) = part else { return Ok(()) };
        match text.get() {
            Some(Ok(parts)) => self.double(parts, fields, Mode::One),
            Some(Err(why)) => Err(self.doubt(why)),
            None => Err(self.doubt("a here-document without its text")),
        }
    }

    fn double(&mut self, parts: &[Part], fields: &mut Vec<Field>, mode: Mode) -> Expanded<()> {
        for part in parts {
            match part {
                Part::Text(text) | Part::Quoted(text) => last(fields).push(text, true),
                Part::Double(inner) => self.double(inner, fields, mode)?,
                Part::Parameter(parameter) => {
                    let values = self.parameter(parameter, true, Mode::One)?;
                    let is_list = parameter.name == b"@" || parameter.key.as_deref().is_some_and(|k| is_text(k, b"@"));
                    match values {
                        Values::One(value) => put(last(fields), &value, true),
                        Values::Many(values) if is_list && mode == Mode::Fields => {
                            for (index, value) in values.iter().enumerate() {
                                if index > 0 {
                                    fields.push(Field { is_there: true, ..Field::default() });
                                }
                                put(last(fields), value, true);
                            }
                        }
                        Values::Many(values) => {
                            let separator = if is_list { Some(b' ') } else { self.first_separator()? };
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
                Part::Document(_) => self.document(part, fields)?,
                Part::Unfollowed(why) => {
                    let doubt = self.doubt(why);
                    if *why == ODD_SHAPE {
                        self.refuse_perhaps(&doubt);
                    }
                    last(fields).doubt(&doubt);
                }
            }
        }
        Ok(())
    }

    fn first_separator(&mut self) -> Expanded<Option<u8>> {
        match self.separators()? {
            Some(bytes) => Ok(bytes.first().copied()),
            None => Ok(Some(b' ')),
        }
    }

    /// The bytes of IFS; `None` for the usual ones.
    fn separators(&mut self) -> Expanded<Option<Bytes>> {
        match self.content_of(b"IFS") {
            Content::Unset => Ok(None),
            Content::Set(Val::Known(bytes)) => Ok(Some(bytes)),
            _ => Err(self.doubt("the bytes that separate words are not known")),
        }
    }

    /// Puts a parameter's values where it stood without quotes.
    fn spread(&mut self, values: Values, parameter: &Parameter, mode: Mode, fields: &mut Vec<Field>) -> Expanded<()> {
        match values {
            Values::One(value) => self.split(&value, mode, fields),
            Values::Many(values) => {
                let _ = parameter;
                for (index, value) in values.iter().enumerate() {
                    if index > 0 {
                        if mode == Mode::Fields {
                            fields.push(Field::default());
                        } else {
                            last(fields).push(b" ", false);
                        }
                    }
                    // There they are words as they stand, and name no files.
                    if self.is_own_zsh() {
                        put(last(fields), value, true);
                        continue;
                    }
                    self.split(value, mode, fields)?;
                }
                Ok(())
            }
        }
    }

    /// Splits a value that stood without quotes.
    fn split(&mut self, value: &Val, mode: Mode, fields: &mut Vec<Field>) -> Expanded<()> {
        if mode != Mode::Fields || self.is_own_zsh() {
            // In a pattern a parameter's value is text in zsh, a pattern elsewhere.
            put(last(fields), value, self.is_own_zsh());
            if self.is_own_zsh() && mode == Mode::Fields && value.is_empty() == Some(true) {
                last(fields).is_there = false;
            }
            return Ok(());
        }
        let text = match value {
            Val::Known(text) => text.clone(),
            Val::Unknown(doubt) => return Err(doubt.clone()),
        };
        let separators = self.separators()?.unwrap_or(Bytes::from_static(b" \t\n"));
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
        let open = |fields: &mut Vec<Field>| {
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
            last(fields).push(rest.get(..end).unwrap_or_default(), false);
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

    /// The output of commands, without line ends at its end.
    pub(super) fn output(&mut self, commands: &Rc<Result<List, Trouble>>) -> Val {
        let list = match &**commands {
            Ok(list) => list.clone(),
            Err(_) => return Val::Unknown(self.doubt("commands whose output is used cannot be read")),
        };
        let Some(mut outer) = self.live.clone() else { return Val::of(b"") };
        let at = self.at;
        self.outputs += 1;
        if let Some(state) = &mut self.live {
            state.output = Some(Val::of(b""));
            if list.items.is_empty() {
                state.status = Status::Known(0);
            }
        }
        self.subshell(|m| match m.file_alone(&list) {
            Some(text) => m.print(text),
            None => m.run_list(&list),
        });
        self.at = at;
        let Some(end) = self.live.take() else {
            self.live = Some(outer);
            return Val::Unknown(self.doubt("what a command prints"));
        };
        self.output_status = end.status.clone();
        outer.input = end.input;
        // These tell it only when the whole command is done.
        if !matches!(self.dialect, Dialect::Dash | Dialect::Mksh) {
            outer.status = end.status;
        }
        self.live = Some(outer);
        match end.output {
            Some(Val::Known(text)) => {
                let mut text = text.to_vec();
                text.retain(|b| *b != 0);
                while text.last() == Some(&b'\n') {
                    text.pop();
                }
                Val::Known(text.into())
            }
            Some(Val::Unknown(doubt)) if doubt.site.is_some() => Val::Unknown(doubt),
            Some(Val::Unknown(doubt)) => Val::Unknown(Rc::new(Doubt { site: Some(self.here()), ..(*doubt).clone() })),
            None => Val::Unknown(self.doubt("what a command prints")),
        }
    }

    /// The value of a parameter after what is done to it.
    fn parameter(&mut self, parameter: &Parameter, quoted: bool, mode: Mode) -> Expanded<Values> {
        if let Change::IsSet(key) = &parameter.change {
            return Ok(Values::One(match self.is_set(&parameter.name, key.as_deref()) {
                Ok(is_set) => Val::of(if is_set { "1" } else { "0" }),
                Err(doubt) => Val::Unknown(doubt),
            }));
        }
        let content = self.parameter_content(parameter)?;
        if let Change::Instead(sign, colon, word) = &parameter.change {
            return self.instead(parameter, content, (*sign, *colon), word, (quoted, mode));
        }
        if matches!(content, Held::Unset | Held::Perhaps(_))
            && self.live.as_ref().is_some_and(|s| s.option("nounset") != Some(false))
            && !matches!(&parameter.name[..], b"@" | b"*")
        {
            self.fail_perhaps("with «set -u» a name that is not set ends the shell");
            return Ok(Values::One(Val::Unknown(self.doubt("with «set -u» a name that is not set ends the shell"))));
        }
        let may_fail = match &parameter.change {
            Change::Indirect => !matches!(content, Held::Unset | Held::One(Val::Known(_))),
            Change::Unfollowed(why) => *why == ODD_SUBSCRIPT || *why == ODD_SHAPE,
            _ => false,
        };
        if may_fail {
            let doubt = self.doubt("an expansion that may fail");
            match &parameter.change {
                Change::Unfollowed(why) if *why == ODD_SHAPE => self.refuse_perhaps(&doubt),
                _ => self.fork(&doubt, Self::fail_hard, |_| {}),
            }
        }
        let change = |m: &mut Self, value: Val| m.changed(value, &parameter.change);
        match content {
            Held::Unset => match &parameter.change {
                Change::Indirect => {
                    self.fail_hard();
                    Ok(Values::One(Val::Unknown(self.doubt("a reference by a name that is not set"))))
                }
                Change::Length => Ok(Values::One(Val::of(b"0"))),
                Change::Unfollowed(why) => Ok(Values::One(Val::Unknown(self.doubt(why)))),
                Change::Parts(_) => Ok(Values::One(Val::Unknown(self.doubt("a modifier of zsh's")))),
                _ => Ok(Values::One(Val::of(b""))),
            },
            Held::One(value) if matches!(parameter.change, Change::Split(_)) => self.split_by(&value, &parameter.change, quoted),
            Held::One(value) => Ok(Values::One(change(self, value))),
            Held::Perhaps(value) => {
                // Not set, it is as if it were empty.
                let doubt = self.doubt("whether the name is set is not known");
                let value = Val::of(b"").join(&value, &doubt);
                Ok(Values::One(change(self, value)))
            }
            Held::Many(values) => match &parameter.change {
                Change::None => Ok(Values::Many(values)),
                Change::Length => Ok(Values::One(Val::of(values.len().to_string()))),
                Change::Slice(..) => Err(self.doubt("a part of a list")),
                Change::Split(_) => Err(self.doubt("a list that is split")),
                Change::Join(separator) => {
                    let known: Option<Vec<Bytes>> = values.iter().map(|v| v.known().cloned()).collect();
                    Ok(Values::One(match known {
                        Some(items) => Val::of(items.join(&separator[..])),
                        None => Val::Unknown(self.doubt("an item of the list is not known")),
                    }))
                }
                _ => {
                    let values = values.into_iter().map(|v| change(self, v)).collect();
                    Ok(Values::Many(values))
                }
            },
            Held::Unknown(doubt) => {
                if quoted || matches!(parameter.change, Change::Length) {
                    Ok(Values::One(Val::Unknown(doubt)))
                } else {
                    Err(doubt)
                }
            }
        }
    }

    /// What a parameter holds, before anything is done to it.
    fn parameter_content(&mut self, parameter: &Parameter) -> Expanded<Held> {
        let Some(state) = &self.live else { return Ok(Held::Unset) };
        let name = &parameter.name[..];
        let number = std::str::from_utf8(name).ok().and_then(|n| n.parse::<usize>().ok());
        if let Some(number) = number {
            if number == 0 {
                return Ok(Held::One(Val::Unknown(Doubt::filled("the shell's own name"))));
            }
            return Ok(match &state.positional {
                Ok(values) => values.get(number - 1).map_or(Held::Unset, |v| Held::One(v.clone())),
                Err(doubt) => Held::Perhaps(Val::Unknown(doubt.clone())),
            });
        }
        Ok(match name {
            b"@" | b"*" => match &state.positional {
                Ok(values) => Held::Many(values.to_vec()),
                Err(doubt) => Held::Unknown(doubt.clone()),
            },
            b"#" => match &state.positional {
                Ok(values) => Held::One(Val::of(values.len().to_string())),
                Err(doubt) => Held::One(Val::Unknown(doubt.clone())),
            },
            b"?" => match &state.status {
                Status::Known(status) => Held::One(Val::of(status.to_string())),
                Status::Unknown(doubt) => {
                    Held::One(Val::Unknown(Rc::new(Doubt { is_filled: true, could_be: Vec::new(), ..(**doubt).clone() })))
                }
            },
            b"-" => Held::One(self.flags()),
            b"$" | b"!" => Held::One(Val::Unknown(Doubt::filled("a process number, made anew at each start"))),
            b"BASH_SOURCE" if self.dialect == Dialect::Bash && parameter.key.as_deref().is_none_or(|k| is_text(k, b"0")) => {
                self.own_file()
            }
            name => {
                let content = self.content_of(name);
                if self.as_sh && matches!(content, Content::Array(_)) {
                    return Ok(Held::Unknown(self.doubt("a list where zsh is another shell")));
                }
                match &parameter.key {
                    None => match (content, self.dialect) {
                        (Content::Array(values), Dialect::Zsh) => {
                            Held::Many(values.iter().filter(|v| v.is_empty() != Some(true)).cloned().collect())
                        }
                        (Content::Array(values), _) => values.first().map_or(Held::Unset, |v| Held::One(v.clone())),
                        (Content::Unset, _) => Held::Unset,
                        (Content::Set(value), _) => Held::One(value),
                        (Content::Perhaps(value), _) => Held::Perhaps(value),
                    },
                    Some(key) => {
                        let values = match content {
                            Content::Array(values) => values.to_vec(),
                            Content::Set(value) if self.dialect != Dialect::Zsh => vec![value],
                            Content::Unset => Vec::new(),
                            _ => return Ok(Held::Unknown(self.doubt("a subscript"))),
                        };
                        if is_text(key, b"@") || is_text(key, b"*") {
                            return Ok(Held::Many(values));
                        }
                        match self.sum(key) {
                            Ok(index) => {
                                // zsh counts from 1.
                                let index = if self.dialect == Dialect::Zsh { index - 1 } else { index };
                                let index = if index < 0 {
                                    index + values.len() as i64 + i64::from(self.dialect == Dialect::Zsh)
                                } else {
                                    index
                                };
                                let found = usize::try_from(index).ok().and_then(|i| values.get(i).cloned());
                                found.map_or(Held::Unset, Held::One)
                            }
                            Err(doubt) => Held::Perhaps(Val::Unknown(doubt)),
                        }
                    }
                }
            }
        })
    }

    /// Whether a name is set in zsh; of its tables of commands and functions, whether they have a key.
    fn is_set(&mut self, name: &[u8], key: Option<&[u8]>) -> super::value::Maybe {
        match (name, key) {
            (b"commands", Some(key)) => self.find_program(key).map(|found| found.is_some()),
            (b"functions", Some(key)) => match self.live.as_ref().map(|s| (s.functions.get(key).cloned(), s.open.is_some())) {
                Some((Some(Some(_)), _)) => Ok(true),
                Some((None, false)) => Ok(false),
                _ => Err(self.doubt("whether there is such a function")),
            },
            (_, None) => match self.content_of(name) {
                Content::Unset => Ok(false),
                Content::Set(_) | Content::Array(_) => Ok(true),
                Content::Perhaps(_) => Err(self.doubt("whether the name is set is not known")),
            },
            _ => Err(self.doubt("a key of a table")),
        }
    }

    /// The parts of a text, as zsh's `(s:…:)` makes them.
    fn split_by(&self, value: &Val, change: &Change, quoted: bool) -> Expanded<Values> {
        match (value, change) {
            (Val::Known(text), Change::Split(separator)) if !quoted => {
                let mut out = Vec::new();
                let mut rest: &[u8] = text;
                while let Some(at) = memchr::memmem::find(rest, separator) {
                    out.push(rest.get(..at).unwrap_or_default());
                    rest = rest.get(at + separator.len()..).unwrap_or_default();
                }
                out.push(rest);
                Ok(Values::Many(out.into_iter().filter(|t| !t.is_empty()).map(Val::of).collect()))
            }
            _ => Err(self.doubt("a text that is split")),
        }
    }

    /// A parameter of a shape that the shell may refuse. How ksh goes on then is not followed.
    fn refuse_perhaps(&mut self, doubt: &Rc<Doubt>) {
        match self.dialect {
            Dialect::Ksh => self.fail_perhaps(doubt.why),
            _ => self.fork(doubt, Self::fail_hard, |_| {}),
        }
    }

    /// The file that runs, as bash names it.
    fn own_file(&mut self) -> Held {
        let source = &self.source;
        // The text that runs before a prompt belongs to none.
        if source.path.is_empty() || source.fixed == Some(0) || self.named_otherwise.contains(&source.path) {
            return Held::Perhaps(Val::Unknown(self.doubt("what the file is called that runs")));
        }
        Held::One(Val::Known(source.path.clone()))
    }

    /// The value of `$-`.
    fn flags(&mut self) -> Val {
        let mut out = Vec::new();
        let Some(state) = &self.live else { return Val::of(b"") };
        let letters: &[(&str, u8)] = &[
            ("allexport", b'a'),
            ("notify", b'b'),
            ("errexit", b'e'),
            ("noglob", b'f'),
            ("noexec", b'n'),
            ("nounset", b'u'),
            ("verbose", b'v'),
            ("xtrace", b'x'),
        ];
        for (name, letter) in letters {
            match state.option(name) {
                Some(true) => out.push(*letter),
                Some(false) => {}
                None => return Val::Unknown(Doubt::filled("the shell's options are not known")),
            }
        }
        if self.is_interactive {
            out.push(b'i');
            out.push(b'm');
        }
        match self.dialect {
            Dialect::Bash => {
                out.extend_from_slice(b"hB");
                if self.is_interactive {
                    out.push(b'H');
                }
                if state.option("-c") == Some(true) {
                    out.push(b'c');
                }
                if state.option("-s") == Some(true) {
                    out.push(b's');
                }
            }
            Dialect::Zsh => out.extend_from_slice(b"569X"),
            _ => {}
        }
        // Patterns ask for single letters: their order is nobody's business, the whole is not told.
        let set = Doubt { could_be: vec![out.into()], ..(*Doubt::filled("the shell's own letters")).clone() };
        Val::Unknown(Rc::new(set))
    }

    fn instead(
        &mut self,
        parameter: &Parameter,
        held: Held,
        (sign, colon): (u8, bool),
        word: &Word,
        (quoted, mode): (bool, Mode),
    ) -> Expanded<Values> {
        let is_there = match &held {
            Held::Unset => Ok(false),
            Held::One(value) if colon => value.is_empty().map(|e| !e).ok_or(()),
            Held::One(_) => Ok(true),
            Held::Perhaps(_) | Held::Unknown(_) => Err(()),
            Held::Many(values) if !colon => Ok(!values.is_empty()),
            Held::Many(values) => match &values[..] {
                [] => Ok(false),
                [one] => one.is_empty().map(|e| !e).ok_or(()),
                _ => Ok(true),
            },
        };
        let own = |held: Held| match held {
            Held::Unset => Values::One(Val::of(b"")),
            Held::One(value) | Held::Perhaps(value) => Values::One(value),
            Held::Many(values) => Values::Many(values),
            Held::Unknown(doubt) => Values::One(Val::Unknown(doubt)),
        };
        let other = |m: &mut Self| -> Expanded<Values> {
            // zsh looks for tildes in what it assigns, even between quotes.
            let has_tilde = |p: &Part| match p {
                Part::Text(t) | Part::Quoted(t) if sign == b'=' => t.contains(&b'~'),
                Part::Text(t) => memchr::memmem::find(t, b":~").is_some(),
                _ => false,
            };
            if m.dialect == Dialect::Zsh && word.parts.iter().any(has_tilde) {
                return Ok(Values::One(Val::Unknown(m.doubt("the shell expands this in a way of its own"))));
            }
            // What stands there is split as if it stood outside, unless the whole is quoted.
            if quoted || sign == b'=' || mode != Mode::Fields {
                // In a value tildes behind colons count there, too; ksh has it otherwise.
                let as_value = mode == Mode::Assigned && !quoted && sign != b'=' && m.dialect != Dialect::Ksh;
                Ok(Values::One(m.one(&word.parts, if as_value { Mode::Assigned } else { Mode::One })))
            } else {
                let mut fields = m.expand(&word.parts, Mode::Fields)?;
                match fields.len() {
                    0 => Ok(Values::One(Val::of(b""))),
                    1 => Ok(Values::One(fields.remove(0).value())),
                    _ => Ok(Values::Many(fields.into_iter().map(Field::value).collect())),
                }
            }
        };
        match (sign, is_there) {
            (b'+', Ok(true)) | (b'-' | b'=', Ok(false)) => {
                let values = other(self)?;
                if sign == b'=' {
                    let Values::One(value) = &values else { return Ok(values) };
                    if !self.assign(&parameter.name, Content::Set(value.clone()), None) {
                        self.fail_hard();
                    }
                    // There `set -a` does not reach it.
                    if self.dialect == Dialect::Mksh && self.live.as_ref().is_some_and(|s| s.option("allexport") != Some(false)) {
                        self.doubt_export(&parameter.name);
                    }
                }
                Ok(values)
            }
            (b'+', Ok(false)) => Ok(Values::One(Val::of(b""))),
            (_, Ok(true)) => Ok(own(held)),
            (b'?', Ok(false)) => {
                // Where it does not, as on a terminal, what follows is given up in ways of its own.
                self.fail_perhaps("a name that is not set ends the shell");
                Ok(Values::One(Val::Unknown(self.doubt("a name that is not set ends the shell"))))
            }
            (_, Err(())) | (_, Ok(false)) => {
                let doubt = match &held {
                    Held::One(Val::Unknown(doubt)) | Held::Perhaps(Val::Unknown(doubt)) | Held::Unknown(doubt) => doubt.clone(),
                    _ => self.doubt("whether the name is set is not known"),
                };
                let value = match own(held) {
                    Values::One(value) => value,
                    _ => Val::Unknown(doubt.clone()),
                };
                let second = self.one(&word.parts, Mode::One);
                let joined = match sign {
                    b'+' => Val::of(b"").join(&second, &doubt),
                    b'?' => {
                        self.fail_perhaps("a name that may not be set ends the shell");
                        value
                    }
                    _ => {
                        // Where it counts as unset it becomes the other, which is not empty then.
                        let filled = colon && second.is_empty() == Some(false);
                        let joined = value.join(&second, &doubt);
                        match joined {
                            Val::Unknown(d) if filled => Val::Unknown(Rc::new(Doubt { is_filled: true, ..(*d).clone() })),
                            other => other,
                        }
                    }
                };
                if sign == b'=' && !self.assign(&parameter.name, Content::Set(joined.clone()), None) {
                    self.fail_hard();
                }
                Ok(Values::One(joined))
            }
        }
    }

    /// Does to a value what the parameter says.
    fn changed(&mut self, value: Val, change: &Change) -> Val {
        if matches!(change, Change::None) {
            return value;
        }
        if let Change::Unfollowed(why) = change {
            return Val::Unknown(self.doubt(why));
        }
        let text = match &value {
            Val::Known(text) => text.clone(),
            Val::Unknown(doubt) => {
                return Val::Unknown(Rc::new(Doubt { could_be: Vec::new(), is_filled: false, sets: None, ..(**doubt).clone() }));
            }
        };
        let odd = |m: &Self| Val::Unknown(m.doubt("a pattern of another kind"));
        match change {
            Change::Length => {
                if text.is_ascii() {
                    Val::of(text.len().to_string())
                } else {
                    odd(self)
                }
            }
            Change::Indirect => match self.content_of(&text) {
                _ if text.iter().all(u8::is_ascii_digit) && !text.is_empty() => {
                    Val::Unknown(self.doubt("a parameter that a value names"))
                }
                _ if !text.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_')
                    || !text.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') =>
                {
                    self.fail_hard();
                    Val::Unknown(self.doubt("a reference by what is no name"))
                }
                Content::Unset => Val::of(b""),
                Content::Set(value) if self.dialect == Dialect::Bash => value,
                _ => Val::Unknown(self.doubt("a name that a value names")),
            },
            Change::Trim(at_end, longest, word) => {
                let Ok((bytes, quoted)) = self.pattern_text(word) else { return odd(self) };
                let Ok(groups) = self.groups(&bytes, false) else { return odd(self) };
                let Ok(pattern) = Pattern::new(&bytes, &quoted, groups) else { return odd(self) };
                match pattern.part(&text, *at_end, *longest) {
                    Ok(Some(length)) if *at_end => Val::Known(text.slice(..text.len() - length)),
                    Ok(Some(length)) => Val::Known(text.slice(length..)),
                    Ok(None) => Val::Known(text),
                    Err(_) => odd(self),
                }
            }
            Change::Replace(word, with, how) => {
                let Ok((bytes, quoted)) = self.pattern_text(word) else { return odd(self) };
                let Ok(groups) = self.groups(&bytes, false) else { return odd(self) };
                let Ok(pattern) = Pattern::new(&bytes, &quoted, groups) else { return odd(self) };
                let Val::Known(with) = self.one(&with.parts, Mode::One) else { return odd(self) };
                if with.contains(&b'&') || with.contains(&b'\\') || text.len() > 2000 {
                    return odd(self);
                }
                replaced(&text, &pattern, bytes.is_empty(), &with, *how).map_or_else(|| odd(self), Val::of)
            }
            Change::Slice(offset, length) => {
                if !text.is_ascii() {
                    return odd(self);
                }
                let total = text.len() as i64;
                let Ok(from) = self.sum(offset) else { return odd(self) };
                let from = if from < 0 { total + from } else { from };
                if from < 0 || from > total {
                    return Val::of(b"");
                }
                let to = match length {
                    None => total,
                    Some(parts) => match self.sum(parts) {
                        Ok(length) if length < 0 => total + length,
                        Ok(length) => (from + length).min(total),
                        Err(_) => return odd(self),
                    },
                };
                if to < from {
                    return odd(self);
                }
                Val::Known(text.slice(from as usize..to as usize))
            }
            Change::Case(up, all) => {
                if !text.is_ascii() {
                    return odd(self);
                }
                let mut text = text.to_vec();
                let end = if *all { text.len() } else { text.len().min(1) };
                if let Some(part) = text.get_mut(..end) {
                    if *up { part.make_ascii_uppercase() } else { part.make_ascii_lowercase() }
                }
                Val::Known(text.into())
            }
            Change::Quote if text.iter().all(|b| b.is_ascii_alphanumeric() || b"/:._-,+@%".contains(b)) => Val::Known(text),
            Change::Quote => odd(self),
            Change::Parts(letters) => match letters.iter().try_fold(text, |text, letter| modified(&text, *letter)) {
                Some(text) => Val::Known(text),
                None => odd(self),
            },
            Change::Join(_) => Val::Known(text),
            Change::None | Change::Instead(..) | Change::Unfollowed(_) | Change::IsSet(_) | Change::Split(_) => value,
        }
    }

    /// The files that a pattern names, or the pattern itself.
    fn paths(&mut self, field: &Field) -> Expanded<Vec<Bytes>> {
        let extended = self.live.as_ref().is_none_or(|s| {
            s.option("extglob") != Some(false) && field.text.iter().any(|b| b"#^~(".contains(b))
                || s.option("nullglob") != Some(false)
                || s.option("dotglob") != Some(false)
                || s.option("failglob") != Some(false)
        });
        if extended {
            return Err(self.doubt("patterns of file names work in another way here"));
        }
        let parts: Vec<(Vec<u8>, Vec<bool>)> = {
            let mut parts = vec![(Vec::new(), Vec::new())];
            for (byte, quoted) in field.text.iter().zip(&field.quoted()) {
                if *byte == b'/' {
                    parts.push((Vec::new(), Vec::new()));
                } else if let Some((text, quotes)) = parts.last_mut() {
                    text.push(*byte);
                    quotes.push(*quoted);
                }
            }
            parts
        };
        // What it begins with, as written and as seen from the root.
        let is_absolute = field.text.first() == Some(&b'/');
        let base = if is_absolute { Some(Bytes::new()) } else { self.live.as_ref().and_then(|s| s.folder.clone()) };
        let Some(base) = base else { return Err(self.doubt("the working folder is not known")) };
        let mut is_pattern = false;
        let mut found: Vec<(Vec<u8>, Vec<u8>)> = vec![(Vec::new(), base.to_vec())];
        for (index, (text, quoted)) in parts.iter().enumerate() {
            let lead: &[u8] = if index == 0 { b"" } else { b"/" };
            let has_signs = text.iter().zip(quoted).any(|(b, q)| !q && b"*?[".contains(b));
            let is_last = index + 1 == parts.len();
            let mut next = Vec::new();
            for (shown, real) in &found {
                if !has_signs {
                    let shown = [&shown[..], lead, text].concat();
                    let real = if text.is_empty() { real.clone() } else { [&real[..], b"/", text].concat() };
                    next.push((shown, real));
                    continue;
                }
                let pattern = Pattern::new(text, quoted, Groups::None).map_err(|_| self.doubt("a pattern of another kind"))?;
                if pattern.is_text() {
                    next.push(([&shown[..], lead, text].concat(), [&real[..], b"/", text].concat()));
                    continue;
                }
                is_pattern = true;
                let folder = if real.is_empty() { b"/".to_vec() } else { real.clone() };
                let Some(mut names) = self.ground.files.list(&folder) else {
                    match self.ground.files.kind(&folder) {
                        FileKind::Missing | FileKind::File | FileKind::Program => continue,
                        _ => {
                            if self.dialect == Dialect::Zsh {
                                self.fail_perhaps("zsh fails where a pattern names no file");
                            }
                            return Err(self.doubt("a folder may not be read"));
                        }
                    }
                };
                self.sort(&mut names)?;
                for name in names {
                    if name.starts_with(b".") && text.first() != Some(&b'.') {
                        continue;
                    }
                    if pattern.matches(&name).map_err(|_| self.doubt("a pattern of another kind"))? {
                        let path = [&real[..], b"/", &name].concat();
                        if is_last || self.ground.files.kind(&path) == FileKind::Folder {
                            next.push(([&shown[..], lead, &name].concat(), path));
                        }
                    }
                }
            }
            found = next;
            if found.len() > 5000 {
                return Err(self.doubt("a pattern names too many files"));
            }
        }
        if !is_pattern {
            // A bracket alone, as in the command of that name.
            return Ok(vec![field.text.clone().into()]);
        }
        let there: Vec<Bytes> = found
            .into_iter()
            .filter(|(_, real)| self.ground.files.kind(real) != FileKind::Missing)
            .map(|(shown, _)| shown.into())
            .collect();
        if there.is_empty() {
            if self.is_own_zsh() {
                if self.is_for_child {
                    self.child_failed = true;
                } else {
                    self.fail_hard();
                }
                return Err(self.doubt("zsh fails where a pattern names no file"));
            }
            return Ok(vec![field.text.clone().into()]);
        }
        Ok(there)
    }

    /// Puts names in the order of the locale, which is certain for the C locale, or where it makes no
    /// difference.
    fn sort(&mut self, names: &mut [Bytes]) -> Expanded<()> {
        names.sort();
        if self.dialect == Dialect::Dash {
            return Ok(());
        }
        let mut locale = None;
        for name in ["LC_ALL", "LC_COLLATE", "LANG"] {
            match self.content_of(name.as_bytes()) {
                Content::Set(Val::Known(text)) if !text.is_empty() => {
                    locale = Some(text);
                    break;
                }
                Content::Unset | Content::Set(Val::Known(_)) => {}
                _ => {
                    return if is_plain_order(names) {
                        Ok(())
                    } else {
                        Err(self.doubt("the order of file names depends on the locale"))
                    };
                }
            }
        }
        let is_plain = locale.is_none_or(|l| l == "C" || l == "POSIX" || l.starts_with(b"C."));
        if is_plain || is_plain_order(names) { Ok(()) } else { Err(self.doubt("the order of file names depends on the locale")) }
    }
}

/// Whether names stand in the same order in every locale: only lower-case letters and digits differ.
fn is_plain_order(names: &[Bytes]) -> bool {
    names.iter().all(|n| n.iter().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || *b == b'.'))
        && names.iter().all(|n| memchr::memchr(b'.', n) == memchr::memrchr(b'.', n))
}

fn replaced(text: &[u8], pattern: &Pattern, is_empty: bool, with: &[u8], how: u8) -> Option<Vec<u8>> {
    if is_empty && matches!(how, b'/' | b' ') {
        return Some(text.to_vec());
    }
    let mut out = Vec::new();
    let mut at = 0;
    if how == b'%' {
        return Some(match pattern.part(text, true, true).ok()? {
            Some(length) => [text.get(..text.len() - length)?, with].concat(),
            None => text.to_vec(),
        });
    }
    loop {
        let rest = text.get(at..)?;
        match pattern.part(rest, false, true).ok()? {
            Some(length) if length > 0 => {
                out.extend_from_slice(with);
                at += length;
                if how != b'/' {
                    out.extend_from_slice(text.get(at..)?);
                    return Some(out);
                }
            }
            _ => {
                if how == b'#' || rest.is_empty() {
                    out.extend_from_slice(rest);
                    return Some(out);
                }
                out.extend(rest.first());
                at += 1;
            }
        }
        if at >= text.len() {
            return Some(out);
        }
    }
}

/// What a parameter holds.
enum Held {
    Unset,
    One(Val),
    Perhaps(Val),
    Many(Vec<Val>),
    Unknown(Rc<Doubt>),
}

/// What a parameter expands to.
enum Values {
    One(Val),
    Many(Vec<Val>),
}

fn last(fields: &mut Vec<Field>) -> &mut Field {
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

fn is_text(parts: &[Part], text: &[u8]) -> bool {
    matches!(parts, [Part::Quoted(t) | Part::Text(t)] if t == text)
}

fn is_all(parts: &[Part]) -> bool {
    matches!(parts, [Part::Parameter(p)] if p.name == b"@" || p.key.as_deref().is_some_and(|k| is_text(k, b"@")))
}

/// The words that braces make of one.
///
/// # Errors
/// If there are too many.
fn braces(word: &Word) -> Result<Option<Vec<Word>>, &'static str> {
    let has_braces = word.parts.iter().any(|p| matches!(p, Part::Text(t) if t.contains(&b'{')));
    if !has_braces {
        return Ok(None);
    }
    // As single bytes that were not quoted, and parts that stay whole.
    let mut atoms: Vec<Part> = Vec::new();
    for part in &word.parts {
        match part {
            Part::Text(text) => atoms.extend(text.iter().map(|b| Part::Text(vec![*b]))),
            other => atoms.push(other.clone()),
        }
    }
    let mut out = Vec::new();
    brace(&atoms, &mut out, 0)?;
    let words = out.into_iter().map(|atoms| {
        let mut parts: Vec<Part> = Vec::new();
        for atom in atoms {
            match (atom, parts.last_mut()) {
                (Part::Text(new), Some(Part::Text(text))) => text.extend_from_slice(&new),
                (atom, _) => parts.push(atom),
            }
        }
        Word::new(parts, word.at, word.end)
    });
    Ok(Some(words.collect()))
}

fn byte_of(atom: &Part) -> Option<u8> {
    match atom {
        Part::Text(text) => text.first().copied(),
        _ => None,
    }
}

fn brace(atoms: &[Part], out: &mut Vec<Vec<Part>>, depth: usize) -> Result<(), &'static str> {
    if out.len() > 2000 || depth > 40 {
        return Err("braces make too many words");
    }
    for (from, atom) in atoms.iter().enumerate() {
        if byte_of(atom) != Some(b'{') {
            continue;
        }
        let (mut open, mut commas, mut end) = (0, Vec::new(), None);
        for (at, atom) in atoms.iter().enumerate().skip(from) {
            match byte_of(atom) {
                Some(b'{') => open += 1,
                Some(b'}') => {
                    open -= 1;
                    if open == 0 {
                        end = Some(at);
                        break;
                    }
                }
                Some(b',') if open == 1 => commas.push(at),
                _ => {}
            }
        }
        let Some(end) = end else { continue };
        let (before, after) = (atoms.get(..from).unwrap_or_default(), atoms.get(end + 1..).unwrap_or_default());
        let inside = atoms.get(from + 1..end).unwrap_or_default();
        if commas.is_empty() {
            let text: Option<Vec<u8>> = inside.iter().map(byte_of).collect();
            if text.as_ref().is_some_and(|t| memchr::memmem::find(t, b"..").is_some()) {
                let items = sequence(&text.unwrap_or_default())?;
                for item in items {
                    let item: Vec<Part> = item.bytes().map(|b| Part::Text(vec![b])).collect();
                    brace(&[before, &item, after].concat(), out, depth + 1)?;
                }
                return Ok(());
            }
            continue;
        }
        let mut start = from + 1;
        for stop in commas.into_iter().chain([end]) {
            let item = atoms.get(start..stop).unwrap_or_default();
            brace(&[before, item, after].concat(), out, depth + 1)?;
            start = stop + 1;
        }
        return Ok(());
    }
    out.push(atoms.to_vec());
    Ok(())
}

/// `{1..5}`: numbers without leading zeros.
fn sequence(text: &[u8]) -> Result<Vec<String>, &'static str> {
    let odd = "braces of another kind";
    let text = std::str::from_utf8(text).map_err(|_| odd)?;
    let (from, to) = text.split_once("..").ok_or(odd)?;
    if from.starts_with('0') && from.len() > 1 || to.starts_with('0') && to.len() > 1 {
        return Err(odd);
    }
    let (from, to): (i32, i32) = (from.parse().map_err(|_| odd)?, to.parse().map_err(|_| odd)?);
    if from.abs_diff(to) > 1000 {
        return Err("braces make too many words");
    }
    Ok(if from <= to { (from..=to).map(|n| n.to_string()).collect() } else { (to..=from).rev().map(|n| n.to_string()).collect() })
}

/// What one of zsh's modifiers makes of a path or a text; `None` where that is not certain.
fn modified(text: &Bytes, letter: u8) -> Option<Bytes> {
    if text.is_empty() || text.ends_with(b"/") || !text.is_ascii() || memchr::memmem::find(text, b"//").is_some() {
        return None;
    }
    let slash = memchr::memrchr(b'/', text);
    let last = slash.map_or(0, |at| at + 1);
    let dot = memchr::memrchr(b'.', text.get(last..)?).map(|at| last + at);
    Some(match letter {
        b'h' => match slash {
            None => Bytes::from_static(b"."),
            Some(0) => Bytes::from_static(b"/"),
            Some(at) => text.slice(..at),
        },
        b't' => text.slice(last..),
        b'r' | b'e' if dot.is_some_and(|dot| dot == last || dot + 1 == text.len()) => return None,
        b'r' => text.slice(..dot.unwrap_or(text.len())),
        b'e' => dot.map_or_else(Bytes::new, |dot| text.slice(dot + 1..)),
        b'l' => text.to_ascii_lowercase().into(),
        b'u' => text.to_ascii_uppercase().into(),
        _ => return None,
    })
}
