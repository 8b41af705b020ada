//! Texts that are evaluated of which parts are not known, but quoted so that each stays one word: what they define.

use bytes::Bytes;

use super::Source;
use super::machine::Machine;
use super::setting::sets_something;
use super::shaped::Flag;
use super::syntax::{Change, Command, Kind, List, Part, Word};
use super::value::Val;

/// Stands for a part that is not known, in a text that is read: no shell takes it for a sign, and no one writes it.
const UNKNOWN: &[u8] = b"\x01";

impl Machine<'_> {
    /// `eval` of a text that only defines functions, whose names begin with what is known; whether it is such a text.
    /// What is called so from here on may be one of them.
    pub(super) fn define_unknown(&mut self, words: &[Word]) -> bool {
        let [_, word] = words else { return false };
        // Others are not worked out once more for it.
        if !has_quoted(&word.parts) {
            return false;
        }
        let Some(text) = self.with_signs(&word.parts) else { return false };
        let source = Source::new(self.source.path.clone(), text.into());
        let tree = source.tree(self.dialect);
        let mut begins = Vec::new();
        if tree.trouble().is_some() || !tree.lines().all(|list| defined(list, &mut begins)) {
            return false;
        }
        self.unclear_functions.extend(begins);
        self.set_status(0);
        true
    }

    /// A function by a name of which only the beginning is known; whether it is.
    pub(super) fn define_unknown_name(&mut self, parts: &[Part]) -> bool {
        let mut begin = Vec::new();
        for part in parts.iter().take_while(|part| !sets_something(std::slice::from_ref(part))) {
            let Val::Known(text) = self.one_text(std::slice::from_ref(part)) else { break };
            begin.extend_from_slice(&text);
        }
        let is_one = !begin.is_empty();
        if is_one {
            self.unclear_functions.insert(begin.into());
        }
        is_one
    }

    /// A text with signs in the place of what is not known; `None` where that is not quoted.
    fn with_signs(&mut self, parts: &[Part]) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        for part in parts {
            match part {
                Part::Double(inner) => out.extend(self.with_signs(inner)?),
                part => match self.one_text(std::slice::from_ref(part)) {
                    Val::Known(text) => out.extend_from_slice(&text),
                    Val::Unknown(_) if is_quoted_whole(part) => out.extend_from_slice(UNKNOWN),
                    Val::Unknown(_) => return None,
                },
            }
        }
        Some(out)
    }

    /// Whether a name may be that of a function of which only the beginning is known.
    pub(super) fn is_unclear_function(&self, name: &[u8]) -> bool {
        self.unclear_functions.iter().any(|begin| name.starts_with(begin))
    }
}

/// Whether what a part comes to is quoted, so that a shell reads it as one word.
fn is_quoted_whole(part: &Part) -> bool {
    match part {
        Part::Shaped(shaped) => shaped.flags.iter().any(|flag| matches!(flag, Flag::Quoted(_) | Flag::QuotedIfNeeded)),
        Part::Parameter(parameter) => parameter.change == Change::InQuotes,
        _ => false,
    }
}

/// Whether one of them, or of those between double quotes, is such a part.
fn has_quoted(parts: &[Part]) -> bool {
    parts.iter().any(|part| match part {
        Part::Double(inner) => has_quoted(inner),
        part => is_quoted_whole(part),
    })
}

/// Whether a list only defines functions; what their names begin with, up to what is not known, and something at least.
fn defined(list: &List, begins: &mut Vec<Bytes>) -> bool {
    list.items.iter().all(|item| {
        let ([Command { kind: Kind::Function(name, ..), .. }], true) = (&item.first.commands[..], item.rest.is_empty()) else {
            return false;
        };
        let begin = name.split(|b| UNKNOWN.contains(b)).next().unwrap_or_default();
        begins.push(Bytes::copy_from_slice(begin));
        !begin.is_empty()
    })
}

#[cfg(test)]
mod tests {
    use super::super::syntax::Dialect;
    use super::super::trial::after;

    #[test]
    fn functions_by_names_that_are_not_known_leave_the_rest_known() {
        // Whether anything may be set.
        for (dialect, text, is_open) in [
            (Dialect::Zsh, "eval \"_x_${(q)n}() { X=1 }\"", false),
            (Dialect::Zsh, "eval \"_x_${(q)n}() { X=1 }\"; other", false),
            (Dialect::Zsh, "eval \"_x_${(q)n}() { X=1 }\"; _x_1", true),
            (Dialect::Zsh, "eval \"_x_${(q)n}() { X=1 }; X=2\"", true),
            (Dialect::Zsh, "eval \"_x_$n() { X=1 }\"", true),
            (Dialect::Zsh, "eval \"${(q)n}() { X=1 }\"", true),
            (Dialect::Zsh, "_x_${n}() { X=1 }", false),
            (Dialect::Zsh, "_x_${n}() { X=1 }; _x_1", true),
            (Dialect::Zsh, "${n}() { X=1 }", true),
            (Dialect::Bash, "eval \"_x_${n@Q}() { X=1; }\"", false),
            (Dialect::Bash, "eval \"_x_${n@Q}() { X=1; }\"; _x_1", true),
            (Dialect::Bash, "eval \"_x_$n() { X=1; }\"", true),
        ] {
            let found = after(dialect, &format!("n=$(tide-now); {text}"), |machine| {
                machine.live.as_ref().is_none_or(|state| state.open.is_some())
            });
            assert_eq!(found, is_open, "{dialect:?} {text}");
        }
    }
}
