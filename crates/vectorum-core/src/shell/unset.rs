//! `unset`, and exports that are not known.

use bytes::Bytes;

use super::machine::Machine;
use super::state::Content;
use super::syntax::*;
use super::value::Val;

impl Machine<'_> {
    pub(super) fn unset_names(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("names are unset that are not known") };
        let mut of_functions = false;
        let mut of_variables = false;
        self.set_status(0);
        for word in words {
            match &word[..] {
                b"-f" => of_functions = true,
                b"-v" => of_variables = true,
                b"--" => {}
                name if name.first() == Some(&b'-') => {
                    match (self.dialect, name) {
                        (Dialect::Zsh, b"-m") | (_, b"-n" | b"-fv" | b"-vf" | b"-a") => {
                            self.fog("names are unset in another way");
                        }
                        (Dialect::Zsh, _) => self.doubt_status(self.doubt("words that a command of the shell does not take")),
                        _ => self.refuse_option(),
                    }
                    return;
                }
                name => {
                    let is_name = name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
                    let is_item = name.contains(&b'[') && self.dialect.is_rich();
                    let begins = name.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
                    let is_taken =
                        begins && (is_name || is_item) || self.dialect == Dialect::Zsh && name.iter().all(u8::is_ascii_digit);
                    if !is_taken && !of_functions && (of_variables || self.dialect != Dialect::Bash) {
                        self.misused();
                        continue;
                    }
                    if !is_name && !of_functions {
                        // An item of a list, or a pattern.
                        let base = name.split(|b| *b == b'[').next().unwrap_or_default().to_vec();
                        let doubt = self.doubt("an item of a list");
                        let content = self.without_key(name).unwrap_or(Content::Perhaps(Val::Unknown(doubt)));
                        self.assign(&base, content, None);
                        continue;
                    }
                    if of_functions {
                        let runs = self.dialect == Dialect::Ksh && self.is_in_function();
                        if let Some(state) = &mut self.live {
                            let was_there = state.functions.get(name).is_some();
                            state.functions.remove(name);
                            if was_there && runs {
                                self.ended_within.insert(Bytes::copy_from_slice(name));
                            }
                            if !was_there && self.dialect == Dialect::Zsh {
                                self.set_status(1);
                            }
                        }
                        continue;
                    }
                    let is_there = !matches!(self.content_of(name), Content::Unset);
                    if !is_there && !of_variables && self.dialect == Dialect::Bash && self.is_function(name) {
                        if let Some(state) = &mut self.live {
                            state.functions.remove(name);
                        }
                        continue;
                    }
                    // bash goes on setting it.
                    if name == b"_" && self.dialect == Dialect::Bash {
                        continue;
                    }
                    if !self.unset(name) {
                        match self.dialect {
                            Dialect::Ksh | Dialect::Mksh => self.set_status(1),
                            _ => self.refused(),
                        }
                        if self.live.is_none() {
                            return;
                        }
                    }
                }
            }
        }
    }

    /// `unfunction`: as `unset -f`.
    pub(super) fn unset_functions(&mut self, known: Option<&[Bytes]>) {
        match known {
            Some(names) if names.iter().all(|name| !name.starts_with(b"-")) => {
                let words: Vec<Bytes> = [Bytes::from_static(b"-f")].into_iter().chain(names.iter().cloned()).collect();
                self.unset_names(Some(&words));
            }
            _ => self.fog("functions are taken away that are not known"),
        }
    }

    /// Whether a name is handed on from here is not known.
    pub(super) fn doubt_export(&mut self, name: &[u8]) {
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)) {
            var.exported = None;
        }
    }
}
