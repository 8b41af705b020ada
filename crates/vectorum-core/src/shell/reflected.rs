//! Variables of zsh's that are parts of the shell itself: its positional parameters, options, functions and aliases
//! (zshparam(1), zshmodules(1), «THE ZSH/PARAMETER MODULE»).

use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::content::{Content, Var};
use super::expand::{Expanded, Mode};
use super::machine::Machine;
use super::parameter::Held;
use super::syntax::*;
use super::value::Val;

/// The positional parameters as a list.
pub(super) const ARGUMENTS: &[u8] = b"argv";

/// That the list of them is unset, which they themselves are not when they are set anew (measured: 5.9).
const UNSET_ARGUMENTS: &str = "argv-unset";

/// More of them are not made by the number of one.
const MOST: usize = 1000;

impl Machine<'_> {
    /// Whether a name is the list of the positional parameters here.
    pub(super) fn is_arguments(&self, name: &[u8]) -> bool {
        name == ARGUMENTS && self.is_own_zsh()
    }

    /// The positional parameters as what a list holds.
    pub(super) fn arguments(&self) -> Content {
        let Some(state) = &self.live else { return Content::Unset };
        match (&state.positional, state.option(UNSET_ARGUMENTS)) {
            (_, Some(true)) => Content::Unset,
            (Ok(values), Some(false)) => Content::Array(Arc::clone(values)),
            (Err(doubt), _) => Content::Perhaps(Val::unknown(doubt.clone())),
            (Ok(_), None) => Content::Perhaps(Val::unknown(self.doubt("whether the name is set is not known"))),
        }
    }

    /// Sets the positional parameters to what a list is to hold.
    pub(super) fn put_arguments(&mut self, content: Content) {
        self.put_option(UNSET_ARGUMENTS, matches!(content, Content::Unset));
        let positional = match content {
            Content::Unset => Ok(Arc::default()),
            Content::Set(value) => Ok(Arc::new(vec![value])),
            Content::Array(values) => Ok(values),
            Content::Perhaps(Val::Unknown(unknown)) => Err(unknown.doubt),
            Content::Perhaps(_) | Content::Table(_) => Err(self.doubt("the positional parameters as a whole")),
        };
        if let Some(state) = &mut self.live {
            state.were_set = Some(true);
            state.positional = positional;
        }
        self.read_options_anew();
    }

    /// An assignment to a positional parameter by its number; whether it could be made.
    pub(super) fn apply_to_number(&mut self, assignment: &Assignment) -> bool {
        let Assigned::Word(word) = &assignment.value else {
            self.fog("a list for a positional parameter");
            return false;
        };
        // What is run for its value is run.
        let value = self.assigned_word(word);
        if assignment.name == "0" {
            if let Some(state) = &mut self.live {
                state.zero = value.known().cloned().filter(|_| !assignment.adds);
            }
            // It is handed on then, which nobody can count on.
            if self.may_be_set("allexport") {
                let doubt = self.doubt("a positional parameter that is set by its number");
                let var = Var { content: Content::Perhaps(Val::unknown(doubt)), exported: Some(true), ..Var::unset() };
                if let Some(state) = &mut self.live {
                    state.vars.insert(Bytes::from_static(b"0"), var);
                }
            }
            return true;
        }
        let doubt = self.doubt("a positional parameter that is set by its number");
        let place = std::str::from_utf8(&assignment.name).ok().and_then(|name| name.parse::<usize>().ok());
        let place = place.and_then(|place| place.checked_sub(1)).filter(|place| *place < MOST);
        if let Some(state) = &mut self.live {
            match (&mut state.positional, place) {
                (Ok(values), Some(place)) => {
                    let values = Arc::make_mut(values);
                    let value = match (values.get(place), value) {
                        (Some(Val::Known(old)), Val::Known(more)) if assignment.adds => Val::of([&old[..], &more].concat()),
                        (Some(_), _) if assignment.adds => Val::unknown(doubt),
                        (_, value) => value,
                    };
                    // Those between are empty.
                    values.resize(values.len().max(place + 1), Val::of(b""));
                    values.splice(place..=place, [value]);
                }
                (positional, _) => *positional = Err(doubt),
            }
        }
        self.live.iter_mut().for_each(|state| state.were_set = Some(true));
        self.read_options_anew();
        true
    }

    /// An assignment to an item of a table that is a part of the shell; `false` if it is none of those that are followed.
    pub(super) fn apply_to_shell(&mut self, assignment: &Assignment) -> bool {
        let Assignment { name, key: Some(key), adds: false, value: Assigned::Word(word), .. } = assignment else { return false };
        if !matches!(&name[..], b"options" | b"functions" | b"aliases") || !self.is_own_zsh() || self.is_declared(name) {
            return false;
        }
        // What is set there is handed on by its key then (measured: 5.9).
        if self.may_be_set("allexport") {
            self.fog("a part of the shell itself is exported");
        }
        let Val::Known(key) = self.one(key, Mode::One) else { return false };
        match &name[..] {
            b"functions" => self.put_function_of(key, word),
            b"aliases" => match self.assigned_word(word) {
                Val::Known(text) if is_usual(&key) => self.alias(&[Val::of([&key[..], b"=", &text].concat())]),
                _ => self.fog("an alias that is not known"),
            },
            _ => match self.assigned_word(word).known().map(|value| &value[..]) {
                Some(on @ (b"on" | b"off")) if key != "allexport" => self.setopt(on == b"on", Some(&[key])),
                _ => self.fog("an option is set that is not known"),
            },
        }
        true
    }

    /// Takes a function away as an item of that table, which has one only once its module is there; `false` if it is none.
    pub(super) fn unset_of_shell(&mut self, item: &[u8]) -> bool {
        let key = item.strip_prefix(b"functions[").and_then(|rest| rest.strip_suffix(b"]"));
        let Some(key) = key.filter(|key| is_usual(key) && self.is_own_zsh() && !self.is_declared(b"functions")) else {
            return false;
        };
        let doubt = self.doubt("whether there is such a function");
        let key = Bytes::copy_from_slice(key);
        if self.is_function(&key) {
            self.put_function(key, None);
        }
        self.doubt_status(doubt);
        true
    }

    /// What one of these tables says by a key; `None` if a name is none of them.
    pub(super) fn item_of_shell(&mut self, name: &[u8], key: &[Part]) -> Option<Expanded<Held>> {
        if !matches!(name, b"commands" | b"options" | b"functions" | b"aliases") || self.is_declared(name) {
            return None;
        }
        let Val::Known(key) = self.one(key, Mode::One) else { return Some(Err(self.doubt("a key that is not known"))) };
        let state = self.live.as_ref()?;
        Some(match name {
            b"commands" => self.find_program(&key).map(|found| found.map_or(Held::Unset, |path| Held::One(Val::Known(path)))),
            b"options" => self.is_option_set(&key).map(|on| Held::One(Val::of(if on { "on" } else { "off" }))),
            b"functions" => match state.functions.get(&key) {
                None if state.open.is_none() && !self.is_unclear_function(&key) => Ok(Held::Unset),
                _ => Err(self.doubt("a function as zsh writes it")),
            },
            _ => match state.aliases.get(&key) {
                None if state.open.is_none() => Ok(Held::Unset),
                Some(Some(alias)) if alias.died.is_none() => Ok(Held::One(Val::Known(alias.text.clone()))),
                _ => Err(self.doubt("whether there is such an alias")),
            },
        })
    }

    /// Whether a name of the shell's own was made a variable of another kind.
    fn is_declared(&self, name: &[u8]) -> bool {
        self.live.as_ref().is_none_or(|state| state.vars.get(name).is_some())
    }

    /// A function by its text, or as another one.
    fn put_function_of(&mut self, name: Bytes, word: &Word) {
        let copied = match &word.parts[..] {
            [Part::Double(inner)] => copied(inner),
            parts => copied(parts),
        };
        if let Some(old) = copied
            && let Val::Known(old) = self.one(old, Mode::One)
            && let Some(Some(function)) = self.live.as_ref().and_then(|state| state.functions.get(&old).cloned())
        {
            return self.put_function(name, Some(function));
        }
        let value = self.assigned_word(word);
        let text = value.known().filter(|_| is_usual(&name));
        let source = text.map(|text| Source::new(self.source.path.clone(), text.clone()));
        match (text, source) {
            (Some(text), Some(source)) if source.tree(Dialect::Zsh).trouble().is_none() => {
                self.evaluate(&[&name[..], b" () {\n", text, b"\n}"].concat());
            }
            // What it does is seen where it is called.
            _ => self.put_function(name, None),
        }
    }
}

/// The key of `$functions[KEY]`, where a word is that.
fn copied(parts: &[Part]) -> Option<&[Part]> {
    match parts {
        [Part::Parameter(p)] if p.name == "functions" && p.change == Change::None => p.key.as_deref(),
        [Part::Shaped(p)] => p.item_of(b"functions"),
        _ => None,
    }
}

/// Whether a name of a command needs no quotes.
fn is_usual(name: &[u8]) -> bool {
    !name.is_empty() && name.iter().all(|b| b.is_ascii_alphanumeric() || b"_-.:+".contains(b))
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn positional_parameters_are_a_list_of_zsh() {
        hold(&[
            (&[Zsh], "set -- a b c; argv[2]=x; R=\"$*\"; X=$argv[3]", ["a x c", "c"]),
            (&[Zsh], "set -- a b; argv=(q r s); R=\"$*\"; X=$#", ["q r s", "3"]),
            (&[Zsh], "set -- a; argv+=(q); R=\"$*\"; X=$#", ["a q", "2"]),
            (&[Zsh], "set -- a; 3=x; R=\"$*\"; X=$#", ["a  x", "3"]),
            (&[Zsh], "set -- a b; unset argv; X=$#", ["none", "0"]),
            (&[Zsh], "f() { argv=(p q); R=\"$*\"; }; set -- a; f b; X=\"$*\"", ["p q", "a"]),
            (&[Zsh], "set -- a; 5000=x; X=$#", ["none", "<a number>"]),
            (&[Bash], "set -- a b; argv=(q); R=\"$*\"; X=${argv[0]}", ["a b", "q"]),
        ]);
    }

    #[test]
    fn tables_of_zsh_change_the_shell() {
        hold(&[
            (&[Zsh], "functions[f]='R=$1'; f 4; X=${+functions[f]}", ["4", "1"]),
            (&[Zsh], "f() { R=1; }; functions[g]=$functions[f]; f() { R=2; }; g", ["1", "none"]),
            (&[Zsh], "functions[f]='if'; f; R=1", ["1", "<unknown>"]),
            (&[Zsh], "f() { R=1; }; unset 'functions[f]'; X=${+functions[f]}", ["none", "<unknown>"]),
            (&[Zsh], "alias ll='ls -l'; R=${aliases[ll]}; X=${aliases[no]-none}", ["ls -l", "none"]),
            (&[Zsh], "setopt nullglob; R=$options[nullglob]; X=${options[autocd]}", ["on", "<unknown>"]),
            (&[Zsh], "f() { :; }; R=${functions[f]}; X=${functions[g]-none}", ["<unknown>", "none"]),
            (&[Zsh], "aliases[tide]='R=5'; eval tide", ["5", "none"]),
            (&[Zsh], "options[nullglob]=on; l=(/nosuch*); R=$#l", ["0", "none"]),
            (&[Zsh], "setopt nullglob; options[nullglob]=off; [[ -o nullglob ]] || R=1", ["1", "none"]),
            (&[Zsh], "options[shwordsplit]=on; X='a b'; set -- $X; R=$#", ["2", "a b"]),
        ]);
    }
}
