//! Assignments: what a name holds by one, lists, and their items.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::{Failure, Number, may_assign};
use super::content::{Content, Var};
use super::machine::Machine;
use super::one_of::HELD_BEFORE;
use super::parameter::Held;
use super::parse::is_own_name;
use super::setting::sets_something;
use super::state::Status;
use super::syntax::*;
use super::table::Table;
use super::value::Val;
use super::variables::is_decimal;

/// It counts whatever it is set to.
const OPTIND: &str = "OPTIND";

/// So many items a list of ksh's has at most (ksh(1), «Arrays»).
const MOST_ITEMS: i64 = 1 << 22;

/// Why it is not known what an item is.
pub(super) const NO_SUCH_INDEX: &str = "an index that no list has";

impl Machine<'_> {
    pub(super) fn apply(&mut self, assignment: &Assignment, exported: Option<bool>) -> bool {
        if assignment.name.first().is_some_and(u8::is_ascii_digit) {
            return self.apply_to_number(assignment);
        }
        // What ksh is told so is handed on to nobody.
        if is_own_name(&assignment.name) {
            if let Assigned::Word(word) = &assignment.value {
                self.assigned_word(word);
            }
            return true;
        }
        if assignment.key.is_some() && self.apply_to_shell(assignment) {
            return true;
        }
        let name = self.resolved(&assignment.name);
        if name != assignment.name {
            return self.apply(&Assignment { name, ..assignment.clone() }, exported);
        }
        let content = match &assignment.value {
            // Its place is worked out first there.
            Assigned::Word(word) if self.dialect == Dialect::Ksh && assignment.key.as_deref().is_some_and(sets_something) => {
                let doubt = self.doubt("an item of a list");
                self.doubt_items(std::slice::from_ref(word), &doubt);
                self.doubt_place(assignment.key.as_deref().unwrap_or_default(), &doubt);
                self.fail_or_go_on(&doubt);
                self.doubt_from_here(&assignment.name);
                return true;
            }
            Assigned::Word(word) => {
                let passed_over = self.passed_over;
                let value = self.assigned_word(word);
                // What is wrong in it is passed over here, and then it is not set.
                if self.passed_over != passed_over {
                    self.doubt_from_here(&assignment.name);
                    return true;
                }
                if let Some(key) = &assignment.key {
                    // Its place is worked out once.
                    if assignment.adds && key.iter().any(|p| matches!(p, Part::Text(t) | Part::Quoted(t) if may_assign(t))) {
                        let doubt = self.doubt("what is added to an item by a place that is set");
                        drop(self.sum(key));
                        self.fail_or_go_on(&doubt);
                        self.doubt_from_here(&assignment.name);
                        return true;
                    }
                    let value = if assignment.adds { self.with_more(&assignment.name, key, value) } else { value };
                    return self.put_item(&assignment.name, key, value);
                }
                if assignment.adds && assignment.name == OPTIND {
                    Content::Set(Val::Unknown(self.doubt("what is added to a number of the shell's own")))
                } else if assignment.adds {
                    let old = self.content_of(&assignment.name);
                    plus(&assignment.name, old, &value, self)
                } else {
                    Content::Set(value)
                }
            }
            // A part of a list is exchanged.
            // No list becomes an item there, nor anything that is held fast, and the words are not looked at (measured: bash
            // 5.2, R59).
            Assigned::Array(_) if assignment.key.is_some() && self.dialect == Dialect::Bash => {
                self.fail_hard();
                return true;
            }
            Assigned::Array(_) if self.dialect == Dialect::Bash && self.is_readonly(&assignment.name) => return false,
            Assigned::Array(_) if assignment.key.is_some() && self.dialect == Dialect::Mksh => {
                self.fail_perhaps("an item that is set to a list");
                return true;
            }
            Assigned::Array(words) if assignment.key.is_some() => {
                let key = assignment.key.as_deref().unwrap_or_default();
                if self.is_before_first(key) {
                    self.doubt_items(words, &self.doubt(NO_SUCH_INDEX));
                    self.doubt_from_here(&assignment.name);
                    self.fail_hard();
                    return true;
                }
                // There its place is worked out first, and may be wrong.
                let is_number = |part: &Part| matches!(part, Part::Text(text) if text.iter().all(u8::is_ascii_digit));
                let may_fail = words.iter().any(|word| self.may_be_an_error(&word.parts));
                let is_odd = may_fail || !key.iter().all(is_number) || self.is_readonly(&assignment.name);
                if self.dialect == Dialect::Ksh && is_odd {
                    let doubt = self.doubt("a part of a list");
                    self.fail_or_go_on(&doubt);
                    if may_fail || self.is_readonly(&assignment.name) || sets_something(key) {
                        self.doubt_items(words, &doubt);
                        self.doubt_place(key, &doubt);
                        self.doubt_from_here(&assignment.name);
                        return true;
                    }
                }
                let new = self.fields(words);
                if !assignment.adds
                    && let Ok(new) = &new
                    && let Some(content) = self.exchanged(&assignment.name, key, new, true)
                {
                    return self.assign_to(&assignment.name, content, exported);
                }
                if key.is_empty() || key.iter().any(|part| !matches!(part, Part::Sum(_))) {
                    drop(self.sum(key));
                    self.fail_or_go_on(&self.doubt("a part of a list"));
                }
                if let Some(state) = &mut self.live {
                    state.vars.get_or_insert_with(&assignment.name, Var::unset).may_be_list = true;
                }
                Content::Perhaps(Val::Unknown(self.doubt("a part of a list")))
            }
            Assigned::Array(words) if self.takes_no_list(&assignment.name) => {
                self.list_content(assignment, words);
                // One that is declared may be taken.
                if self.is_tied_text(&assignment.name) {
                    self.doubt_from_here(&assignment.name);
                    self.fail_or_go_on(&self.doubt("a text that is tied to a list"));
                    return true;
                }
                self.fail_hard();
                return true;
            }
            Assigned::Array(words) => {
                // It becomes a list first, and stays one where a word is an error.
                let may_fail = words.iter().any(|word| self.may_be_an_error(&word.parts));
                if may_fail && matches!(self.dialect, Dialect::Bash | Dialect::Ksh) {
                    let is_unset = matches!(self.content_of(&assignment.name), Content::Unset);
                    let doubt = self.doubt(HELD_BEFORE);
                    // What is worked out in one that is added to there may count twice (measured: 93u+m).
                    if self.dialect == Dialect::Ksh && is_unset && assignment.adds {
                        self.doubt_items(words, &doubt);
                        self.doubt_from_here(&assignment.name);
                        return true;
                    }
                    if let Some(state) = self.live.as_mut().filter(|_| is_unset) {
                        let var = state.vars.get_or_insert_with(&assignment.name, Var::unset);
                        (var.content, var.may_be_list) = (Content::Perhaps(Val::Unknown(doubt)), true);
                    }
                }
                self.list_content(assignment, words)
            }
        };
        if self.live.is_none() {
            return true;
        }
        // A list of which nothing is known is one all the same: zsh hands none on, and others set its first item only.
        let is_lost = matches!((&assignment.value, &content), (Assigned::Array(_), Content::Perhaps(_)));
        let done = self.assign_to(&assignment.name, content, exported);
        if is_lost {
            self.note_may_be_list(&assignment.name);
        }
        done
    }

    /// What a list of words comes to that a name is set to as a whole.
    pub(super) fn list_content(&mut self, assignment: &Assignment, words: &[Word]) -> Content {
        if let Some(table) = self.table(&assignment.name) {
            let before = if assignment.adds { (*table).clone() } else { Table::default() };
            return match self.table_of(words, before) {
                Some(table) => {
                    self.steps.count(table.len());
                    Content::Table(Arc::new(table))
                }
                // Where keys and values are no pairs there, it is an error.
                None => {
                    let doubt = self.doubt("a table by words");
                    self.doubt_items(words, &doubt);
                    if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) {
                        self.fail_or_go_on(&doubt);
                    }
                    Content::Perhaps(Val::Unknown(doubt))
                }
            };
        }
        // A table takes only words with keys there.
        let is_odd_var = || self.live.as_ref().and_then(|s| s.vars.get(&assignment.name)).is_some_and(|var| var.is_odd);
        if self.dialect == Dialect::Ksh && !words.is_empty() && is_odd_var() {
            self.fail_or_go_on(&self.doubt("a table by words"));
        }
        let has_keys = words.iter().any(|w| matches!(w.parts.first(), Some(Part::Text(t)) if t.starts_with(b"[")));
        // There a tilde counts behind a colon, too.
        let is_odd =
            |p: &Part| matches!(p, Part::Text(t) if [&b":~"[..], b":="].iter().any(|s| memchr::memmem::find(t, s).is_some()));
        let has_tildes = self.dialect == Dialect::Zsh && words.iter().any(|word| word.parts.iter().any(is_odd));
        if has_keys {
            // A key that is no number is an error in zsh, one that is no sum in bash.
            let is_taken = |byte: &u8| byte.is_ascii_digit() || self.dialect != Dialect::Zsh && byte.is_ascii_alphabetic();
            let is_number = |word: &Word| match word.parts.first() {
                Some(Part::Text(text)) => {
                    let key = text.get(1..memchr::memchr(b']', text).unwrap_or(text.len())).unwrap_or_default();
                    // zsh counts from 1.
                    !key.is_empty() && key.iter().all(is_taken) && !(self.dialect == Dialect::Zsh && key.first() == Some(&b'0'))
                }
                _ => false,
            };
            if self.dialect != Dialect::Mksh && !words.iter().all(is_number) {
                self.fail_far_or_go_on(&self.doubt("a list with keys"));
            }
        }
        let values = if has_tildes {
            Err(self.doubt("the shell expands this in a way of its own"))
        } else if has_keys {
            Err(self.doubt("a list with keys"))
        } else {
            self.fields(words)
        };
        if let Err(doubt) = &values
            && (has_tildes || has_keys)
        {
            self.doubt_items(words, doubt);
        }
        match values {
            Ok(mut values) => {
                if assignment.adds {
                    let mut old = match self.content_of(&assignment.name) {
                        Content::Array(old) => old.to_vec(),
                        Content::Set(value) => vec![value],
                        Content::Unset => Vec::new(),
                        Content::Perhaps(_) | Content::Table(_) => vec![Val::Unknown(self.doubt(HELD_BEFORE))],
                    };
                    old.append(&mut values);
                    values = old;
                }
                self.steps.count(values.len());
                // Nothing is added to a text there.
                if assignment.adds && words.is_empty() && self.dialect == Dialect::Ksh {
                    self.exit_or_go_on(&self.doubt(HELD_BEFORE));
                }
                // An empty one is no list there, but a name with parts, which goes its own ways from then on.
                if values.is_empty() && self.dialect == Dialect::Ksh {
                    self.restless_from_here(&assignment.name);
                    self.fog("a name with parts");
                    Content::Perhaps(Val::Unknown(self.doubt("a list without items")))
                } else {
                    Content::Array(Arc::new(values))
                }
            }
            // What stands before what is not known is looked at first, where functions are looked for.
            Err(doubt) if self.tied(&assignment.name).is_some() && !assignment.adds => {
                let mut known = Vec::new();
                for word in words.iter().take_while(|word| !sets_something(&word.parts)) {
                    let Ok(fields) = self.fields(std::slice::from_ref(word)) else { break };
                    known.extend(fields);
                }
                known.push(Val::Unknown(doubt));
                Content::Array(Arc::new(known))
            }
            Err(doubt) => Content::Perhaps(Val::Unknown(doubt)),
        }
    }

    /// An item of a list or a table with more behind it: `NAME[KEY]+=…`.
    fn with_more(&mut self, name: &[u8], key: &[Part], more: Val) -> Val {
        let key = Some(key.to_vec());
        let held = self.parameter_content(&Parameter { name: Bytes::copy_from_slice(name), key, change: Change::None });
        let is_number = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number);
        match (held, more) {
            (Ok(Held::Unset), more) if !is_number && self.dialect == Dialect::Bash => more,
            (Ok(Held::One(Val::Known(old))), Val::Known(more)) if !is_number => Val::of([&old[..], &more].concat()),
            _ => Val::Unknown(self.doubt("an item of a list")),
        }
    }

    /// Whether a subscript says a place before the first item, which is none in zsh: one of numbers and names alone, which
    /// changes nothing where it is worked out.
    fn is_before_first(&mut self, key: &[Part]) -> bool {
        let is_plain = |text: &[u8]| {
            text.iter().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(b)) && memchr::memmem::find(text, b"--").is_none()
        };
        if !self.is_own_zsh() || self.expands_otherwise() {
            return false;
        }
        match key {
            // A part from there is one from the first item on.
            [Part::Text(text) | Part::Quoted(text)] if text.starts_with(b"0,") => text[..] == b"0,0"[..],
            [Part::Text(text) | Part::Quoted(text)] => is_plain(text) && self.sum_in_word(key) == Ok(0),
            _ => false,
        }
    }

    /// The number of an item of a list. What is quoted is none in some shells.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn index_of(&mut self, key: &[Part]) -> Number {
        // Nothing is no number in these.
        if key.is_empty() && matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
            self.fail_hard();
            return Err(self.doubt("an index that is empty"));
        }
        if key.is_empty() {
            return Err(self.doubt("an index that is empty"));
        }
        if key.iter().any(|part| matches!(part, Part::Double(_))) {
            let doubt = self.doubt("an index in quotes");
            match self.dialect {
                Dialect::Bash => self.fork(&doubt, Self::fail_to_top, Self::fail_hard),
                Dialect::Mksh => self.fail_or_go_on(&doubt),
                Dialect::Dash | Dialect::Ksh | Dialect::Zsh => return self.sum_in_word(key),
            }
            return Err(doubt);
        }
        // Nor is what is empty one there.
        if self.dialect == Dialect::Zsh && self.one_text(key).known().is_some_and(|text| text.trim_ascii().is_empty()) {
            self.fail_hard();
            return Err(self.doubt("an index that is empty"));
        }
        let summed = self.sum(key);
        let index = match (&summed.failure, self.dialect) {
            (Failure::Yes, Dialect::Bash) => {
                self.fail_to_top();
                summed.value
            }
            (Failure::Perhaps(doubt), Dialect::Bash) => {
                self.fork(doubt, Self::fail_to_top, |_| {});
                summed.value
            }
            _ => self.settle_in_word(summed),
        };
        match (&index, self.dialect) {
            (Err(doubt), Dialect::Ksh) => self.exit_or_go_on(&doubt.clone()),
            // Signs that are none of a sum's, such as quotes.
            (Err(doubt), Dialect::Zsh) => self.fail_or_go_on(&doubt.clone()),
            _ => {}
        }
        // There it is out of any list's range (measured: 93u+m).
        if self.dialect == Dialect::Ksh && index.as_ref().is_ok_and(|index| *index >= MOST_ITEMS) {
            self.exit_or_go_on(&self.doubt(NO_SUCH_INDEX));
        }
        index
    }

    /// The place of an item that a text names, as in `read 'NAME[PLACE]'`: in bash one that is no sum gives up as one in an
    /// assignment does.
    pub(super) fn doubt_place_named(&mut self, item: &[u8]) {
        let Some(at) = memchr::memchr(b'[', item).filter(|_| self.dialect == Dialect::Bash) else { return };
        let place = item.get(at + 1..).unwrap_or_default();
        let place = place.strip_suffix(b"]").unwrap_or(place);
        let is_number = |text: &[u8]| text.iter().all(u8::is_ascii_digit);
        let is_number = is_number(place.strip_prefix(b"-").unwrap_or(place)) || matches!(place, b"@" | b"*");
        let is_plain = is_number || crate::reader::is_portable(place) && self.holds_plain_number(place);
        if !is_plain && self.table(item.get(..at).unwrap_or_default()).is_none() {
            self.fail_far_or_go_on(&self.doubt("an item of a list"));
        }
    }

    /// Sets a name to a list: one of which nothing is known is one all the same.
    pub(super) fn assign_list(&mut self, name: &[u8], content: Content, exported: Option<bool>) -> bool {
        let is_lost = matches!(content, Content::Perhaps(_));
        let done = self.assign(name, content, exported);
        if is_lost {
            self.note_may_be_list(name);
        }
        done
    }

    /// Sets one item of a list.
    pub(super) fn put_item(&mut self, name: &[u8], key: &[Part], value: Val) -> bool {
        if let Some(table) = self.table(name) {
            let doubt = self.doubt("a table by words");
            let content = self.with_item(&table, key, value).unwrap_or(Content::Perhaps(Val::Unknown(doubt)));
            return self.assign(name, content, None);
        }
        let may_be_table = |var: &Var| var.is_odd || matches!(var.content, Content::Perhaps(_));
        if self.is_before_first(key) {
            if !self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| may_be_table(&var)) {
                // It is set to nothing before that.
                if matches!(self.content_of(name), Content::Unset) {
                    self.doubt_from_here(name);
                }
                self.fail_hard();
                return true;
            }
            self.fail_or_go_on(&self.doubt("whether it is a table or a list is not known"));
        }
        if let Some(content) = self.exchanged(name, key, std::slice::from_ref(&value), false) {
            return self.assign(name, content, None);
        }
        // Of a part whose places are not numbers nothing is told.
        let is_part = self.is_own_zsh() && self.one_text(key).known().is_none_or(|text| text.contains(&b','));
        if is_part && key.iter().any(|part| !matches!(part, Part::Sum(_))) {
            let doubt = self.doubt("a part of a list");
            // Its ends are sums, which may set names.
            drop(self.sum(key));
            self.fail_or_go_on(&doubt);
            return self.assign(name, Content::Perhaps(Val::Unknown(doubt)), None);
        }
        // The key of a table is no number, and none is empty in bash.
        let is_odd = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_odd);
        if is_odd && self.dialect == Dialect::Bash {
            let _ = self.table_key(key);
        }
        // There it is set to nothing first, and a place may be wrong.
        let is_number =
            |part: &Part| matches!(part, Part::Text(text) | Part::Quoted(text) if text.iter().all(u8::is_ascii_digit));
        if self.is_own_zsh() && !key.iter().all(is_number) && matches!(self.content_of(name), Content::Unset) {
            self.doubt_from_here(name);
        }
        if is_odd && self.dialect != Dialect::Bash {
            let doubt = self.doubt("an item of a list");
            self.doubt_place(key, &doubt);
            if self.dialect == Dialect::Mksh && !key.iter().all(is_number) {
                self.fail_or_go_on(&doubt);
            }
        }
        let index = if is_odd { None } else { Some(self.index_of(key)) };
        // It may be before the first of all.
        if let (Some(Err(doubt)), Dialect::Bash) = (&index, self.dialect) {
            self.fail_far_or_go_on(doubt);
        }
        let index = index.and_then(Result::ok);
        // There is none before the first.
        if self.is_own_zsh() && index == Some(0) && !self.expands_otherwise() {
            self.fail_or_go_on(&self.doubt(NO_SUCH_INDEX));
        }
        let length = match self.content_of(name) {
            Content::Array(items) => items.len() as i64,
            // There a text has none before its end.
            Content::Set(_) => i64::from(self.dialect != Dialect::Ksh),
            Content::Unset => 0,
            _ => i64::MAX,
        };
        // Before the first of all there is none (measured: bash 5.2, 93u+m).
        if index.is_some_and(|index| index < 0 && index + length < 0) {
            match self.dialect {
                Dialect::Bash if length > 0 => {
                    self.fail_hard();
                    return true;
                }
                Dialect::Bash => self.fail_or_go_on(&self.doubt(NO_SUCH_INDEX)),
                // Or the last one of a pipeline.
                Dialect::Ksh => {
                    let doubt = self.doubt(NO_SUCH_INDEX);
                    self.exit_or_go_on(&doubt);
                    self.fail_or_go_on(&doubt);
                    self.outputs += 1;
                    self.output_status = Status::Unknown(doubt);
                }
                _ => {}
            }
        }
        // There they are counted from 1.
        let first = i64::from(self.is_own_zsh());
        let index = index.and_then(|n| usize::try_from(n - first).ok()).filter(|_| !self.expands_otherwise());
        // There what is no number is an error of a name that holds one.
        let holds_number = |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| var.is_number);
        let is_plain = self.dialect == Dialect::Mksh && value.known().is_some_and(|text| is_decimal(text));
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && !is_plain && holds_number(self) {
            self.fail_or_go_on(&self.doubt("a variable that holds a number"));
        }
        let old = match self.content_of(name) {
            Content::Array(values) => Some(values.to_vec()),
            Content::Unset if self.dialect != Dialect::Zsh => Some(Vec::new()),
            // A text is the first item of a list.
            Content::Set(text) if self.dialect != Dialect::Zsh => Some(vec![text]),
            _ => None,
        };
        let content = match (index, old) {
            (Some(index), Some(mut values)) if index <= values.len() => {
                self.steps.count(values.len());
                if index == values.len() {
                    values.push(value);
                } else if let Some(item) = values.get_mut(index) {
                    *item = value;
                }
                Content::Array(Arc::new(values))
            }
            _ => Content::Perhaps(Val::Unknown(self.doubt("an item of a list"))),
        };
        self.assign_list(name, content, None)
    }
}

/// What an assignment puts in.
pub(super) fn plus(name: &[u8], old: Content, new: &Val, m: &Machine<'_>) -> Content {
    if m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number) {
        let old = if old == Content::Unset { Some(Val::of(b"0")) } else { old.value() };
        let (Some(Val::Known(old)), Val::Known(new)) = (old, new) else {
            return Content::Set(Val::Unknown(m.doubt("a variable that holds a number")));
        };
        let number = |text: &Bytes| std::str::from_utf8(text).ok()?.parse::<i64>().ok();
        return Content::Set(Val::of(match (number(&old), number(new)) {
            // There the texts are put together (measured: R59).
            _ if m.dialect == Dialect::Mksh => [&old[..], new].concat(),
            (Some(a), Some(b)) => a.wrapping_add(b).to_string().into_bytes(),
            // Worked out when it is set.
            _ => [&old[..], b"+(", new, b")"].concat(),
        }));
    }
    match (old, new) {
        (Content::Unset, new) => Content::Set(new.clone()),
        (Content::Set(Val::Known(old)), Val::Known(new)) => Content::Set(Val::of([&old[..], new].concat())),
        (Content::Array(values), new) => {
            let mut values = values.to_vec();
            match (m.dialect, values.first_mut()) {
                (Dialect::Zsh, _) if !m.as_sh => values.push(new.clone()),
                (_, Some(first)) => {
                    *first = plus(b"", Content::Set(first.clone()), new, m).value().unwrap_or_else(|| new.clone());
                }
                _ => values.push(new.clone()),
            }
            Content::Array(Arc::new(values))
        }
        (_, Val::Unknown(doubt)) => Content::Set(Val::Unknown(doubt.clone())),
        (Content::Set(Val::Unknown(doubt)) | Content::Perhaps(Val::Unknown(doubt)), new) => {
            let is_filled = doubt.is_filled || new.is_empty() == Some(false);
            Content::Set(doubt.other(is_filled))
        }
        (Content::Perhaps(_) | Content::Table(_), _) => {
            Content::Set(Val::Unknown(m.doubt("whether the name is set is not known")))
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn items_of_lists_are_set() {
        hold(&[
            (&[Bash, Ksh, Mksh], "X=(a b); X[1]=c; X[2]=d; R=${X[*]}", ["a c d", "a"]),
            (&[Zsh], "X=(a b); X[1]=c; X[3]=d; R=\"$X\"", ["c b d", "c b d"]),
            // A place that is no sum gives up the outermost file, whatever that takes in.
            (&[Bash], "X=1; eval 'l[1/0]=2; X=in'; X=on\nR=$?", ["none", "1"]),
            (&[Bash], "X=1; eval 'X=$((1/0)); X=in'; X=on\nR=$?", ["0", "on"]),
            (&[Bash], "X=1; l[1]=(${R:=a}); X=on\nR=$?$R", ["1", "1"]),
            (&[Bash, Ksh, Mksh], "X=(a b); i=0; X[i]=c; X[i+1]+=d; R=${X[*]}", ["c bd", "c"]),
            (&[Bash, Ksh], "X=(a b); X[\"1\"]=c; R=${X[*]}", ["a c", "a"]),
            (&[Bash, Ksh, Mksh], "X=(a); X+=(b c); R=${#X[@]}", ["3", "a"]),
            (&[Zsh], "X=(a); X+=(b c); R=${#X[@]}", ["3", "a b c"]),
            (&[Bash, Ksh, Mksh], "X=a; X[1]=b; R=${X[*]}", ["a b", "a"]),
            (&[Zsh], "X=(1 2 3); X[2,3]=(z); R=\"$X\"", ["1 z", "1 z"]),
            (&[Zsh], "X=(1 2 3); X[1,0]=(z); R=\"$X\"", ["z 1 2 3", "z 1 2 3"]),
            (&[Bash], "X=([2]=c [0]=a); R=${#X[@]}", ["<unknown>", "<unknown>"]),
        ]);
    }
}
