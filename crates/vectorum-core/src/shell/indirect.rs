//! Parameters whose name another one holds: `${!NAME}` of bash, with or without something behind it (bash(1), «Parameter
//! Expansion»; what is an error is measured: 5.2).

use std::borrow::Cow;

use bytes::Bytes;

use super::expand::{Expanded, is_text};
use super::machine::Machine;
use super::nameref::Meant;
use super::parameter::{Held, UNSET_IS_ERROR};
use super::syntax::*;
use super::value::Val;
use crate::reader::is_portable;

const NO_NAME: &str = "a reference by what is no name";
const NOT_FOLLOWED: &str = "what a value refers to";

impl Machine<'_> {
    /// The parameter that is meant, where one holds its name. One that stands for another, and the keys of a list, are left
    /// as they are: they are told, not followed.
    ///
    /// # Errors
    /// Why it is not known; what comes of a name that is none has been done.
    pub(super) fn referred<'p>(&mut self, parameter: &'p Parameter) -> Expanded<Cow<'p, Parameter>> {
        let Parameter { name, key, change, is_indirect: true } = parameter else { return Ok(Cow::Borrowed(parameter)) };
        let is_told = self.meant(name) != Meant::Itself || key.as_deref().is_some_and(|k| is_text(k, b"@") || is_text(k, b"*"));
        if is_told && *change == Change::None {
            return Ok(Cow::Borrowed(parameter));
        }
        let doubt = self.doubt(NOT_FOLLOWED);
        let holder = Parameter { name: name.clone(), key: key.clone(), change: Change::None, is_indirect: false };
        let meant = match self.parameter_content(&holder)? {
            Held::One(Val::Known(text)) if !is_told => self.referred_by(&text, change),
            // One that was declared, or unset where it is local, is as if it were meant itself; any other is an error.
            Held::Unset if !is_told => {
                let is_parameter = !is_portable(name);
                if is_parameter || self.live.as_ref().is_some_and(|state| state.vars.contains(name)) {
                    if !is_parameter || self.refuses_unset() {
                        self.fail_or_go_on(&doubt);
                    }
                    Meaning::Is(name.clone(), key.clone())
                } else {
                    Meaning::Nothing
                }
            }
            _ => Meaning::Unclear,
        };
        match meant {
            Meaning::Is(name, key) => Ok(Cow::Owned(Parameter { name, key, change: change.clone(), is_indirect: false })),
            Meaning::Nothing => {
                self.fail_hard();
                Err(self.doubt(NO_NAME))
            }
            Meaning::Unclear => {
                if matches!(change, Change::Instead(b'=', ..)) {
                    self.fog(NOT_FOLLOWED);
                }
                self.doubt_what_it_sets(change, &doubt);
                if self.refuses_unset() {
                    self.exit_or_go_on(&doubt);
                }
                self.fail_or_go_on(&doubt);
                Err(doubt)
            }
        }
    }

    /// What a text names.
    fn referred_by(&mut self, text: &Bytes, change: &Change) -> Meaning {
        let is_number = |text: &[u8]| !text.is_empty() && text.iter().all(u8::is_ascii_digit);
        let is_instead = matches!(change, Change::Instead(..));
        if is_portable(text) || is_number(text) || matches!(&text[..], b"@" | b"*" | b"#" | b"?") {
            // What is not set is an error there whatever stands instead, and only a name can be set.
            if is_instead && self.refuses_unset() {
                let doubt = self.doubt(UNSET_IS_ERROR);
                self.exit_or_go_on(&doubt);
                return Meaning::Unclear;
            }
            let is_followed = match change {
                Change::Instead(b'=', ..) => is_portable(text),
                _ => text.len() < 2 || !text.starts_with(b"0"),
            };
            return if is_followed { Meaning::Is(text.clone(), None) } else { Meaning::Unclear };
        }
        let Some((name, key)) = memchr::memchr(b'[', text).map(|at| text.split_at(at)) else { return Meaning::Nothing };
        let key = key.get(1..key.len() - 1).filter(|_| key.ends_with(b"]")).unwrap_or_default();
        if !is_portable(name) || key.is_empty() {
            return Meaning::Nothing;
        }
        if is_instead || !is_number(key) && !matches!(key, b"@" | b"*") {
            return Meaning::Unclear;
        }
        Meaning::Is(text.slice_ref(name), Some(vec![Part::Quoted(Text::of(key))]))
    }
}

/// What a value names.
enum Meaning {
    /// A parameter, or an item of a list.
    Is(Bytes, Option<Vec<Part>>),
    /// Nothing: it is no name.
    Nothing,
    Unclear,
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::Bash;
    use crate::shell::trial::after;

    #[test]
    fn a_value_names_a_parameter() {
        let given = "set -- p1 'p 2'; FOO=abc; L=(a 'b c'); ";
        let rows = [
            ("V=FOO; R=${!V}", "abc"),
            ("V=FOO; R=${!V#a}-${!V//b/x}-${!V:1:1}-${!V^}", "bc-axc-b-Abc"),
            ("V=FOO; R=${!V:+${!V}:}d", "abc:d"),
            ("V=BAR; R=${!V:+${!V}:}d", "d"),
            ("V=BAR; R=${!V:-none}", "none"),
            ("V=BAR; : ${!V:=made}; R=$BAR", "made"),
            ("V=2; R=${!V}", "p 2"),
            ("V=3; R=${!V-none}", "none"),
            ("R=${!#}", "p 2"),
            ("set -- FOO; R=${!1}", "abc"),
            ("set --; R=${!1:-none}", "none"),
            ("V='L[1]'; R=${!V}", "b c"),
            ("V='L[@]'; t() { R=$#; }; t \"${!V}\"", "2"),
            ("V=(FOO BAR); R=${!V}", "abc"),
            ("declare V; R=${!V:-none}", "none?"),
        ];
        for (text, wanted) in rows {
            let found = after(Bash, &format!("{given}{text}"), |machine| machine.told_value("R"));
            assert_eq!(found, wanted, "{text}");
        }
    }
}
