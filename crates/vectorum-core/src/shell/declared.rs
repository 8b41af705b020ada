//! The words of a declaration: how they are expanded, and which name each is of.

use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::syntax::*;
use super::value::{Doubt, Val};

/// A word of a declaration, expanded.
#[derive(Clone)]
pub(super) enum Declared {
    /// What it is set to, if that was worked out before all else.
    Assignment(Arc<Assignment>, Option<Content>),
    Text(Bytes),
}

impl Machine<'_> {
    /// Expands the words of a declaration, all of them before any is carried out.
    pub(super) fn declared(&mut self, words: &[Word]) -> Result<Vec<Declared>, Arc<Doubt>> {
        let outer = std::mem::replace(&mut self.is_declaring, true);
        let declared = self.expand_declared(words);
        self.is_declaring = outer;
        declared
    }

    fn expand_declared(&mut self, words: &[Word]) -> Result<Vec<Declared>, Arc<Doubt>> {
        let mut out: Vec<Declared> = Vec::new();
        if self.dialect == Dialect::Bash {
            self.doubt_lists_before_errors(words);
        }
        for word in words {
            // An error of what is set is one of the declaration, and ends zsh as sh.
            self.as_special(word.assignment.is_some(), |m| m.expand_declared_word(word, &mut out))?;
        }
        Ok(out)
    }

    fn expand_declared_word(&mut self, word: &Word, out: &mut Vec<Declared>) -> Result<(), Arc<Doubt>> {
        match &word.assignment {
            // There its sign is part of a name, which none may have.
            Some(assignment) if assignment.adds && self.is_own_zsh() && assignment.key.is_none() => {
                match &assignment.value {
                    Assigned::Word(word) => drop(self.assigned_word(word)),
                    Assigned::Array(words) => {
                        self.doubt_items(words, &self.doubt("a list that is declared by what is no name"));
                    }
                }
                out.push(Declared::Text([&assignment.name[..], b"+="].concat().into()));
            }
            Some(assignment) if assignment.adds && self.dialect != Dialect::Bash => {
                let doubt = self.doubt("a declaration that adds, which bash alone takes");
                // There it ends what a name that is none ends.
                if self.dialect == Dialect::Ksh {
                    self.fork(&doubt, Self::fail_special, |_| {});
                }
                return Err(doubt);
            }
            Some(assignment) => {
                let value = match &assignment.value {
                    // No list becomes an item, which gives up the line before anything is declared (measured: bash 5.2).
                    Assigned::Array(words) if assignment.key.is_some() && self.dialect == Dialect::Bash => {
                        let doubt = self.doubt("an item that is declared as a variable");
                        self.doubt_items(words, &doubt);
                        self.doubt_place(assignment.key.as_deref().unwrap_or_default(), &doubt);
                        self.fail_or_go_on(&doubt);
                        None
                    }
                    Assigned::Word(word) if assignment.key.is_none() => {
                        let has_braces = word.parts.iter().any(|p| matches!(p, Part::Text(t) if t.contains(&b'{')));
                        let follows = self.dialect == Dialect::Ksh
                            && !out.is_empty()
                            && !word.parts.iter().all(|p| matches!(p, Part::Text(_) | Part::Quoted(_)));
                        if follows {
                            // There each sees what those before it set.
                            None
                        } else if has_braces && self.dialect != Dialect::Zsh && self.dialect.is_rich() {
                            let doubt = self.doubt("braces in a declaration");
                            // It may fail, too, where it is a sum of names that are not set.
                            if self.refuses_unset() {
                                self.exit_or_go_on(&doubt);
                            }
                            let _ = self.assigned_word(word);
                            self.doubt_what_is_set(&word.parts, &doubt);
                            Some(Content::Set(Val::unknown(doubt)))
                        } else {
                            Some(Content::Set(self.assigned_word(word)))
                        }
                    }
                    // There lists are expanded before all of them, too; what becomes of tables hangs on them.
                    Assigned::Array(words) if assignment.key.is_none() && self.dialect == Dialect::Zsh => {
                        let makes_table =
                            |d: &Declared| matches!(d, Declared::Text(t) if t.starts_with(b"-") && t.contains(&b'A'));
                        let is_table = self.table(&assignment.name).is_some() || out.iter().any(makes_table);
                        (!is_table).then(|| self.list_content(assignment, words))
                    }
                    _ => None,
                };
                // There one that is declared more than once may be held fast by then.
                let is_many = |part: &Part| matches!(part, Part::Text(text) if text.contains(&b'{') && text.contains(&b','));
                if self.dialect == Dialect::Bash
                    && matches!(&assignment.value, Assigned::Word(word) if word.parts.iter().any(is_many))
                {
                    out.push(Declared::Assignment(Arc::clone(assignment), value.clone()));
                }
                out.push(Declared::Assignment(Arc::clone(assignment), value));
            }
            None => {
                for field in self.fields(std::slice::from_ref(word))? {
                    let Val::Known(text) = field else { return Err(self.doubt("names are exported that are not known")) };
                    out.push(Declared::Text(text));
                }
            }
        }
        Ok(())
    }

    /// Lists are set there before anything is declared, and stay so where a word is an error (measured: bash 5.2).
    fn doubt_lists_before_errors(&mut self, words: &[Word]) {
        let is_list = |assignment: &Assignment| matches!(assignment.value, Assigned::Array(_));
        let given = || words.iter().filter_map(|word| word.assignment.as_ref());
        if !given().any(|assignment| is_list(assignment)) {
            return;
        }
        let may_fail = |word: &Word| match word.assignment.as_deref() {
            Some(Assignment { key: Some(_), .. }) => true,
            Some(Assignment { value: Assigned::Array(words), .. }) => words.iter().any(|word| self.may_be_an_error(&word.parts)),
            _ => self.may_be_an_error(&word.parts),
        };
        // An option that takes something away adds it for them.
        let takes_away = |word: &Word| word.literal().is_some_and(|text| text.starts_with(b"+"));
        if words.iter().any(|word| may_fail(word) || takes_away(word)) {
            let lists = given().filter(|assignment| is_list(assignment)).map(|a| a.name.clone());
            lists.collect::<Vec<_>>().iter().for_each(|name| self.doubt_from_here(name));
        }
    }
}

/// The name that is declared.
pub(super) fn name_of(declared: &Declared) -> Bytes {
    match declared {
        Declared::Assignment(assignment, _) => assignment.name.clone(),
        Declared::Text(text) => text.slice(..text.iter().position(|b| b"=+[".contains(b)).unwrap_or(text.len())),
    }
}

impl Declared {
    /// The same of another name.
    pub(super) fn renamed(self, old: &[u8], name: Bytes) -> Declared {
        match self {
            Declared::Assignment(assignment, value) => {
                Declared::Assignment(Arc::new(Assignment { name, ..(*assignment).clone() }), value)
            }
            Declared::Text(text) => Declared::Text([&name[..], text.get(old.len()..).unwrap_or_default()].concat().into()),
        }
    }

    /// Whether it is set to what has not been worked out.
    pub(super) fn is_still_to_expand(&self) -> bool {
        matches!(self, Declared::Assignment(_, None))
    }

    /// Whether it is an item of a list or a table.
    pub(super) fn is_item(&self) -> bool {
        match self {
            Declared::Assignment(assignment, _) => assignment.key.is_some(),
            Declared::Text(text) => text.get(name_of(self).len()) == Some(&b'['),
        }
    }

    /// Whether it is an item by a number as it stands, that is set to a text.
    pub(super) fn is_at_number(&self) -> bool {
        let Declared::Assignment(assignment, _) = self else { return false };
        let is_number =
            |key: &[Part]| matches!(key, [Part::Text(text) | Part::Quoted(text)] if text.iter().all(u8::is_ascii_digit));
        let prints = |part: &Part| matches!(part, Part::Output(_) | Part::Double(_));
        let is_plain = matches!(&assignment.value, Assigned::Word(word) if !word.parts.iter().any(prints));
        is_plain && assignment.key.as_deref().is_some_and(is_number)
    }

    /// Whether it is given a value.
    pub(super) fn has_value(&self) -> bool {
        match self {
            Declared::Assignment(..) => true,
            Declared::Text(text) => text.contains(&b'='),
        }
    }

    /// Whether what is declared gets a value that is not known.
    pub(super) fn is_unknown(&self) -> bool {
        matches!(self, Declared::Assignment(_, Some(Content::Set(Val::Unknown(_)) | Content::Perhaps(_)) | None))
    }
}
