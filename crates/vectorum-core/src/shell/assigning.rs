//! Assignments: what a name holds by one, and lists as a whole.

use std::sync::Arc;

use bytes::Bytes;

use super::content::{Content, Var};
use super::machine::Machine;
use super::one_of::HELD_BEFORE;
use super::parse::is_own_name;
use super::setting::sets_something;
use super::syntax::*;
use super::table::Table;
use super::value::Val;

/// It counts whatever it is set to.
const OPTIND: &str = "OPTIND";

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
        let content = match (&assignment.value, assignment.key.as_deref()) {
            (Assigned::Word(word), Some(key)) => return self.set_item(assignment, key, word),
            (Assigned::Array(words), Some(key)) => return self.set_item_to_list(assignment, key, words, exported),
            (Assigned::Word(word), None) => {
                let passed_over = self.passed_over;
                let value = self.assigned_word(word);
                // What is wrong in it is passed over here, and then it is not set.
                if self.passed_over != passed_over {
                    self.doubt_from_here(&assignment.name);
                    return true;
                }
                if assignment.adds && assignment.name == OPTIND {
                    Content::Set(Val::unknown(self.doubt("what is added to a number of the shell's own")))
                } else if assignment.adds {
                    let old = self.content_of(&assignment.name);
                    plus(&assignment.name, old, &value, self)
                } else {
                    Content::Set(value)
                }
            }
            // What is held fast is told of there, and the words are not looked at (measured: bash 5.2).
            (Assigned::Array(_), None) if self.dialect == Dialect::Bash && self.is_readonly(&assignment.name) => return false,
            (Assigned::Array(words), None) if self.takes_no_list(&assignment.name) => {
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
            (Assigned::Array(words), None) => {
                if !self.begin_list(assignment, words) {
                    return true;
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

    /// A name becomes a list before the words are expanded in some, and stays one where a word is an error. Returns whether
    /// the words are followed.
    fn begin_list(&mut self, assignment: &Assignment, words: &[Word]) -> bool {
        let may_fail = words.iter().any(|word| self.may_be_an_error(&word.parts));
        let is_unset = matches!(self.content_of(&assignment.name), Content::Unset);
        if !may_fail || !is_unset || !matches!(self.dialect, Dialect::Bash | Dialect::Ksh) {
            return true;
        }
        let doubt = self.doubt(HELD_BEFORE);
        // What is worked out in one that is added to may count twice there (measured: 93u+m).
        if self.dialect == Dialect::Ksh && assignment.adds {
            self.doubt_items(words, &doubt);
            self.doubt_from_here(&assignment.name);
            return false;
        }
        if let Some(state) = &mut self.live {
            let var = state.vars.get_or_insert_with(&assignment.name, Var::unset);
            (var.content, var.may_be_list) = (Content::Perhaps(Val::unknown(doubt)), true);
        }
        true
    }

    /// Items of a list for numbers are sums in bash, and one that is none gives up more than the command (measured: 5.2).
    pub(super) fn doubt_sums(&mut self, words: &[Word]) {
        let is_item = |word: &Word| match &word.parts[..] {
            [Part::Text(text)] => text.ends_with(b"=") || text.last().is_some_and(u8::is_ascii_alphanumeric),
            _ => false,
        };
        if self.dialect == Dialect::Bash && !words.iter().all(is_item) {
            self.fail_far_or_go_on(&self.doubt("a list of numbers"));
        }
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
                    Content::Perhaps(Val::unknown(doubt))
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
        let is_number = || self.live.as_ref().and_then(|s| s.vars.get(&assignment.name)).is_some_and(|var| var.is_number);
        if has_keys && is_number() {
            self.doubt_sums(words);
        }
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
            // A name that is not set is an error of the shell's there.
            if self.refuses_unset() {
                self.exit_or_go_on(&self.doubt("a list with keys"));
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
                    let var = self.live.as_ref().and_then(|state| state.vars.get(&assignment.name));
                    let may_be_list = var.is_some_and(|var| var.may_be_list);
                    let mut old = match self.content_of(&assignment.name) {
                        Content::Array(old) => old.to_vec(),
                        Content::Set(value) if !may_be_list => vec![value],
                        Content::Unset => Vec::new(),
                        Content::Set(_) | Content::Perhaps(_) | Content::Table(_) => {
                            vec![Val::unknown(self.doubt(HELD_BEFORE))]
                        }
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
                if words.is_empty() && self.dialect == Dialect::Ksh {
                    self.restless_from_here(&assignment.name);
                    self.fog("a name with parts");
                    Content::Perhaps(Val::unknown(self.doubt("a list without items")))
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
                known.push(Val::unknown(doubt));
                Content::Array(Arc::new(known))
            }
            Err(doubt) => Content::Perhaps(Val::unknown(doubt)),
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
}

/// What an assignment puts in.
pub(super) fn plus(name: &[u8], old: Content, new: &Val, m: &Machine<'_>) -> Content {
    if m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number) {
        let old = if old == Content::Unset { Some(Val::of(b"0")) } else { old.value() };
        let (Some(Val::Known(old)), Val::Known(new)) = (old, new) else {
            return Content::Set(Val::unknown(m.doubt("a variable that holds a number")));
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
        (_, Val::Unknown(unknown)) => Content::Set(Val::unknown(unknown.doubt.clone())),
        (Content::Set(Val::Unknown(old)) | Content::Perhaps(Val::Unknown(old)), new) => {
            let is_filled = old.is_filled || new.is_empty() == Some(false);
            Content::Set(Val::unknown(old.doubt).but_filled(is_filled))
        }
        (Content::Perhaps(_) | Content::Table(_), _) => {
            Content::Set(Val::unknown(m.doubt("whether the name is set is not known")))
        }
    }
}
