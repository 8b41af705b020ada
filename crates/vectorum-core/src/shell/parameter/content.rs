//! What a parameter holds before anything is done to it: a variable, an item of it, or what the shell tells of itself.

use std::sync::Arc;

use bytes::Bytes;

use super::super::content::Content;
use super::super::control::RAN_BESIDE;
use super::super::expand::{Expanded, is_text};
use super::super::items::NO_SUCH_INDEX;
use super::super::machine::Machine;
use super::super::nameref::Meant;
use super::super::one_of::HELD_BEFORE;
use super::super::parse::{is_name, is_name_start};
use super::super::shaped::Subscript;
use super::super::splitting::OWN_SEPARATORS;
use super::super::state::Status;
use super::super::syntax::*;
use super::super::value::{Doubt, Maybe, Val};
use super::{BACKGROUND, Held, OWN_PROCESS, UNSET_IS_ERROR, is_number};

/// Whether a byte stands in a whole number.
fn is_numeral(byte: &u8) -> bool {
    byte.is_ascii_digit() || *byte == b'-'
}

/// What a list held that more was added to, of which nobody knows how many items it is.
fn held_before(values: &[Val]) -> Option<Arc<Doubt>> {
    values.iter().filter_map(Val::doubt).find(|doubt| doubt.why == HELD_BEFORE).cloned()
}

impl Machine<'_> {
    /// What a parameter holds, before anything is done to it.
    pub(in super::super) fn parameter_content(&mut self, parameter: &Parameter) -> Expanded<Held> {
        match self.meant(&parameter.name) {
            Meant::Itself => {}
            Meant::Other(name) => return self.parameter_content(&Parameter { name, ..parameter.clone() }),
            Meant::Unclear => return Err(self.doubt("a name that stands for another")),
        }
        // A list without items is not set there.
        if self.dialect == Dialect::Zsh && self.refuses_unset() && self.expands_otherwise() {
            let is_list = parameter.key.is_some() || matches!(self.content_of(&parameter.name), Content::Array(_));
            if is_list && !matches!(parameter.change, Change::Instead(..)) {
                self.fail_or_go_on(&self.doubt(UNSET_IS_ERROR));
            }
        }
        let Some(state) = &self.live else { return Ok(Held::Unset) };
        let name = &parameter.name[..];
        let begins_number = name.first().is_some_and(u8::is_ascii_digit);
        if let Some(key) = parameter.key.as_deref().filter(|_| !name.first().is_some_and(|byte| is_name_start(*byte))) {
            let doubt = self.range_or_search(key);
            return Ok(Held::Unknown(doubt.unwrap_or_else(|| self.doubt("a subscript"))));
        }
        let number = if begins_number { std::str::from_utf8(name).ok().and_then(|n| n.parse::<usize>().ok()) } else { None };
        if let Some(number) = number {
            if number == 0 {
                if let Some(zero) = &state.zero {
                    return Ok(Held::One(Val::Known(zero.clone())));
                }
                let could_be = self.called.iter().map(|name| Bytes::from_static(name.as_bytes())).collect();
                return Ok(Held::One(Val::filled("the shell's own name").or_one_of(could_be)));
            }
            return Ok(match &state.positional {
                Ok(values) => values.get(number - 1).map_or(Held::Unset, |v| Held::One(v.clone())),
                Err(doubt) => Held::Perhaps(Val::unknown(doubt.clone())),
            });
        }
        Ok(match name {
            // zsh calls them so, too.
            name if self.is_arguments(name) && parameter.key.is_none() => match self.arguments() {
                Content::Array(values) => Held::Many(values.to_vec()),
                Content::Perhaps(Val::Unknown(unknown)) => Held::Unknown(unknown.doubt),
                _ => Held::Unset,
            },
            b"ARGC" if self.is_own_zsh() && parameter.key.is_none() => match &state.positional {
                Ok(values) => Held::One(Val::of(values.len().to_string())),
                Err(doubt) => Held::One(Val::unknown(doubt.clone())),
            },
            b"@" | b"*" => match &state.positional {
                Ok(values) => Held::Many(values.to_vec()),
                Err(doubt) => Held::Unknown(doubt.clone()),
            },
            b"#" => match &state.positional {
                Ok(values) => Held::One(Val::of(values.len().to_string())),
                Err(doubt) => Held::One(doubt.number()),
            },
            b"?" => Held::One(self.status_as_text()),
            b"status" if self.dialect == Dialect::Zsh && parameter.key.is_none() => Held::One(self.status_as_text()),
            b"-" => Held::One(self.flags()),
            b"$" => Held::One(Doubt::new(OWN_PROCESS, None).number()),
            // Nothing where nothing was run in the background, and zero in zsh.
            b"!" if self.dialect == Dialect::Zsh || state.option(RAN_BESIDE) == Some(true) => {
                Held::One(Doubt::new(BACKGROUND, None).number())
            }
            b"!" => Held::Perhaps(Val::filled(BACKGROUND)),
            b"BASH_SOURCE" if self.dialect == Dialect::Bash && parameter.key.as_deref().is_none_or(|k| is_text(k, b"0")) => {
                self.own_file()
            }
            // Without braces all but the first digit stands behind it there.
            name if self.as_sh && name.len() > 1 && name.iter().all(u8::is_ascii_digit) => {
                Held::Unknown(self.doubt("a parameter of more than one digit where zsh is another shell"))
            }
            name => {
                let content = self.content_of(name);
                // Without braces a bracket is only one there.
                if self.as_sh && (matches!(content, Content::Array(_)) || parameter.key.is_some()) {
                    let doubt = self.doubt("a list where zsh is another shell");
                    if parameter.key.is_some() {
                        self.fail_or_go_on(&doubt);
                    }
                    return Ok(Held::Unknown(doubt));
                }
                match &parameter.key {
                    None => match (content, self.dialect) {
                        (Content::Array(values), Dialect::Zsh) => {
                            held_before(&values).map_or_else(|| Held::Many(values.to_vec()), Held::Unknown)
                        }
                        (Content::Array(values), _) => values.first().map_or(Held::Unset, |v| Held::One(v.clone())),
                        (Content::Unset, _) => Held::Unset,
                        (Content::Set(value), _) => Held::One(value),
                        // How many items it has is not known.
                        (Content::Perhaps(Val::Unknown(unknown)), Dialect::Zsh)
                            if state.vars.get(name).is_some_and(|var| var.can_be_list()) =>
                        {
                            Held::Unknown(unknown.doubt)
                        }
                        (Content::Perhaps(value), _) => Held::Perhaps(value),
                        (Content::Table(table), _) => self.whole_table(&table, matches!(parameter.change, Change::Length)),
                    },
                    Some(key) => {
                        if let Content::Table(table) = &content {
                            let is_all = is_text(key, b"@") || is_text(key, b"*");
                            if is_all {
                                return Ok(self.all_of_table(table, matches!(parameter.change, Change::Length)));
                            }
                            let table = Arc::clone(table);
                            return self.table_item(&table, key);
                        }
                        let (is_unset, is_list) = (matches!(content, Content::Unset), matches!(content, Content::Array(_)));
                        let may_be_list = state.vars.get(name).is_some_and(|var| var.may_be_list);
                        let values = match content {
                            Content::Array(values) => match held_before(&values) {
                                Some(doubt) => return Ok(Held::Unknown(doubt)),
                                None => values.to_vec(),
                            },
                            // How many items it has is not known.
                            Content::Set(Val::Unknown(unknown)) if may_be_list => {
                                self.perhaps_look_up(key, &unknown.doubt);
                                return Ok(Held::Unknown(unknown.doubt));
                            }
                            Content::Set(value) if self.dialect != Dialect::Zsh => vec![value],
                            // There it is one of the letters of a text.
                            Content::Set(value)
                                if key.iter().all(|p| matches!(p, Part::Quoted(t) if t.iter().all(is_numeral))) =>
                            {
                                return self.subscripted(Held::One(value), &Subscript::At(key.clone()));
                            }
                            Content::Unset => Vec::new(),
                            _ => {
                                // What is no sum is an error.
                                let doubt = self.doubt("a subscript");
                                self.perhaps_look_up(key, &doubt);
                                let is_plain = |part: &Part| match part {
                                    Part::Text(text) | Part::Quoted(text) => {
                                        text.iter().all(|b| is_name(*b) || b"@*".contains(b))
                                    }
                                    _ => false,
                                };
                                match self.dialect {
                                    Dialect::Zsh => self.fail_or_go_on(&doubt),
                                    Dialect::Bash if !key.iter().all(is_plain) => self.fail_far_or_go_on(&doubt),
                                    _ => {}
                                }
                                return Ok(Held::Unknown(doubt));
                            }
                        };
                        let is_length = matches!(parameter.change, Change::Length);
                        let counts = state.option("nounset") != Some(false);
                        // With `set -u` bash counts no items of a text either (measured).
                        if self.dialect == Dialect::Bash && is_length && !is_list && counts {
                            return Ok(Held::Unset);
                        }
                        if is_text(key, b"@") || is_text(key, b"*") {
                            // With `set -u` it is an error in some (measured).
                            // A part of a text is one of its letters there (measured: 5.2).
                            // Between quotes nothing is one empty text there.
                            if self.dialect == Dialect::Zsh && is_unset {
                                return Ok(Held::Unset);
                            }
                            let is_text = !is_list && !is_unset;
                            if self.dialect == Dialect::Bash && is_text && matches!(parameter.change, Change::Slice(..)) {
                                // In some places it is not cut at all then (measured: 5.2).
                                let is_usual = self.separators().is_ok_and(|s| s.is_none_or(|bytes| bytes.starts_with(b" ")));
                                if !is_usual {
                                    return Ok(Held::One(Val::unknown(self.doubt(OWN_SEPARATORS))));
                                }
                                return Ok(values.first().map_or(Held::Unset, |value| Held::One(value.clone())));
                            }
                            // There nothing to cut from may be an error then.
                            let is_cut = matches!(parameter.change, Change::Trim(..) | Change::Replace(..));
                            if self.dialect == Dialect::Ksh && is_unset && is_cut && counts {
                                self.fail_perhaps(UNSET_IS_ERROR);
                                return Ok(Held::Unknown(self.doubt(UNSET_IS_ERROR)));
                            }
                            let is_error = match self.dialect {
                                Dialect::Bash => false,
                                Dialect::Zsh => is_unset,
                                Dialect::Mksh => values.is_empty() && (is_unset || !is_length),
                                Dialect::Dash | Dialect::Ksh => false,
                            };
                            return Ok(if is_error && counts { Held::Unset } else { Held::Many(values) });
                        }
                        // Nothing is no sum there.
                        let is_blank = |p: &Part| matches!(p, Part::Text(t) | Part::Quoted(t) if t.trim_ascii().is_empty());
                        if self.dialect == Dialect::Zsh && key.iter().all(is_blank) {
                            let doubt = self.doubt("a subscript");
                            self.fail_or_go_on(&doubt);
                            return Ok(Held::Unknown(doubt));
                        }
                        if let Some(doubt) = self.range_or_search(key) {
                            return Ok(Held::Unknown(doubt));
                        }
                        match self.index_of(key) {
                            Ok(index) if index < -(values.len() as i64) && self.dialect == Dialect::Ksh => {
                                let doubt = self.doubt(NO_SUCH_INDEX);
                                self.exit_or_go_on(&doubt);
                                return Ok(Held::Unknown(doubt));
                            }
                            Ok(index) if index > i64::from(i32::MAX) && !matches!(self.dialect, Dialect::Bash) => {
                                return Ok(Held::Unknown(self.doubt(NO_SUCH_INDEX)));
                            }
                            // A text has no end to count from (measured: bash 5.2, 93u+m, R59).
                            Ok(index) if index < 0 && !is_list && self.dialect != Dialect::Zsh => {
                                if is_length && self.dialect == Dialect::Bash {
                                    self.fail_hard();
                                } else if self.dialect == Dialect::Bash {
                                    self.end_if_strict();
                                }
                                return Ok(Held::Unset);
                            }
                            Ok(index) => {
                                // zsh counts from 1.
                                let index = if self.dialect == Dialect::Zsh { index - 1 } else { index };
                                // That counts from the end of all numbers there.
                                if index < 0 && self.dialect == Dialect::Mksh {
                                    return Ok(Held::Unknown(self.doubt("a subscript")));
                                }
                                let index = if index < 0 {
                                    index + values.len() as i64 + i64::from(self.dialect == Dialect::Zsh)
                                } else {
                                    index
                                };
                                let found = usize::try_from(index).ok().and_then(|i| values.get(i).cloned());
                                found.map_or(Held::Unset, Held::One)
                            }
                            Err(doubt) => Held::Perhaps(Val::unknown(doubt)),
                        }
                    }
                }
            }
        })
    }

    /// `$?`, a number whether it is known or not.
    fn status_as_text(&mut self) -> Val {
        match &self.status_within() {
            Status::Known(status) => Val::of(status.to_string()),
            Status::Unknown(doubt) => doubt.number(),
        }
    }

    /// A range of items, or a search for one, that zsh is asked for in place of a number; it may be an error.
    fn range_or_search(&mut self, key: &[Part]) -> Option<Arc<Doubt>> {
        let is_range = |p: &Part| matches!(p, Part::Text(t) | Part::Quoted(t) if t.iter().any(|b| b",(".contains(b)));
        if self.dialect != Dialect::Zsh || !key.iter().any(is_range) {
            return None;
        }
        let doubt = self.doubt("a subscript");
        // Only two whole numbers are none that may be an error.
        let is_plain = match key {
            [Part::Text(t) | Part::Quoted(t)] => {
                let ends: Vec<&[u8]> = t.split(|b| *b == b',').collect();
                ends.len() == 2 && ends.iter().all(|end| is_number(end))
            }
            _ => false,
        };
        if !is_plain {
            self.fail_or_go_on(&doubt);
        }
        Some(doubt)
    }

    /// Works out an index, or does not: in what may be a table, or is not there, it may be either.
    fn perhaps_look_up(&mut self, key: &[Part], doubt: &Arc<Doubt>) {
        if !is_text(key, b"@") && !is_text(key, b"*") {
            self.fork(doubt, |m| drop(m.index_of(key)), |_| {});
        }
    }

    /// Whether a name is set in zsh; of its tables of commands and functions, whether they have a key.
    pub(in super::super) fn is_set(&mut self, name: &[u8], key: Option<&[u8]>) -> Maybe {
        match (name, key) {
            (b"commands", Some(key)) => self.find_program(key).map(|found| found.is_some()),
            // Its own tables, which come with a module that is always there.
            (b"options" | b"functions" | b"commands" | b"aliases" | b"parameters" | b"builtins", None) if self.is_own_zsh() => {
                Ok(true)
            }
            (b"parameters", Some(key)) if !key.contains(&b'[') => self.is_set(key, None),
            (b"functions", Some(key)) if self.is_unclear_function(key) => Err(self.doubt("whether there is such a function")),
            (b"functions", Some(key)) => match self.live.as_ref().map(|s| (s.functions.get(key).cloned(), s.open.is_some())) {
                Some((Some(Some(_)), _)) => Ok(true),
                Some((None, false)) => Ok(false),
                Some((Some(None), _)) if self.was_brought(key) => Ok(true),
                _ => Err(self.doubt("whether there is such a function")),
            },
            (b"aliases", Some(key)) if self.is_own_zsh() => match self.item_of_shell(name, &[Part::Quoted(Text::of(key))]) {
                Some(Ok(Held::Unset)) => Ok(false),
                Some(Ok(_)) => Ok(true),
                _ => Err(self.doubt("whether there is such an alias")),
            },
            (_, None) => match self.content_of(name) {
                Content::Unset => Ok(false),
                Content::Set(_) | Content::Array(_) | Content::Table(_) => Ok(true),
                Content::Perhaps(_) => Err(self.doubt("whether the name is set is not known")),
            },
            (name, Some(key)) => match self.content_of(name) {
                Content::Table(table) => Ok(table.contains_key(key)),
                Content::Array(items) if !key.is_empty() && key.iter().all(u8::is_ascii_digit) => {
                    let place = std::str::from_utf8(key).ok().and_then(|n| n.parse::<usize>().ok());
                    Ok(place.is_some_and(|place| (1..=items.len()).contains(&place)))
                }
                _ => Err(self.doubt("a key of a table")),
            },
        }
    }

    /// The file that runs, as bash names it.
    pub(in super::super) fn own_file(&mut self) -> Held {
        let source = &self.source;
        // The text that runs before a prompt belongs to none.
        if source.path.is_empty() || source.fixed == Some(0) || self.named_otherwise.contains(&source.path) {
            return Held::Perhaps(Val::unknown(self.doubt("what the file is called that runs")));
        }
        Held::One(Val::Known(source.path.clone()))
    }
}
