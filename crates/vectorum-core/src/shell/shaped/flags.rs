//! What flags make of words (zshexpn(1), "Parameter Expansion Flags").

use bytes::Bytes;

use super::super::expand::{Expanded, Values};
use super::super::machine::Machine;
use super::super::parse::Parser;
use super::super::syntax::Dialect;
use super::super::value::Val;
use super::*;

impl Machine<'_> {
    /// Does to words what flags say, in the order of the rules.
    pub(super) fn by_flags(&mut self, values: Values, shaped: &Shaped) -> Expanded<Values> {
        let mut values = values;
        for flag in shaped.flags.iter().filter(|f| matches!(f, Flag::Case(_) | Flag::Title)) {
            values = self.each(values, |_, text| match flag {
                Flag::Case(true) => Some(text.to_ascii_uppercase()),
                Flag::Case(false) => Some(text.to_ascii_lowercase()),
                _ => Some(titled(text)),
            });
        }
        if let Values::Many(items) = values {
            values = Values::Many(self.ordered(items, shaped)?);
        }
        for flag in &shaped.flags {
            values = match flag {
                Flag::Prompt => self.each_value(values, Self::prompt),
                Flag::Evaluated => self.each_value(values, Self::evaluated),
                Flag::Quoted(kind) => {
                    let is_usual = self.live.as_ref().is_some_and(|s| s.option("rcquotes") == Some(false));
                    self.each(values, |_, text| quoted(text, *kind).filter(|_| is_usual))
                }
                Flag::QuotedIfNeeded => self.each(values, |_, text| match text {
                    b"" => Some(b"''".to_vec()),
                    text if text.iter().all(|b| is_calm(*b)) => Some(text.to_vec()),
                    // Which signs it lets stand is its own affair.
                    text if text.contains(&b' ') && !text.contains(&b'\'') => quoted(text, 2),
                    _ => None,
                }),
                Flag::Unquoted => self.each(values, |_, text| unquoted(text)),
                Flag::Filled(at_front, length, with) => self.each(values, |_, text| filled(text, *at_front, *length, with)),
                _ => values,
            };
        }
        Ok(values)
    }

    fn each(&mut self, values: Values, mut change: impl FnMut(&mut Self, &[u8]) -> Option<Vec<u8>>) -> Values {
        self.each_value(values, |m, text| {
            let changed = if text.is_ascii() { change(m, text) } else { None };
            changed.map_or_else(|| Val::unknown(m.doubt("a flag of a parameter")), |text| Val::Known(text.into()))
        })
    }

    fn each_value(&mut self, values: Values, mut change: impl FnMut(&mut Self, &Bytes) -> Val) -> Values {
        let mut one = |value: Val| match &value {
            Val::Known(text) => change(self, text),
            Val::Unknown(text) => Val::unknown(text.doubt.clone()),
        };
        match values {
            Values::One(value) => Values::One(one(value)),
            Values::Many(items) => Values::Many(items.into_iter().map(one).collect()),
        }
    }

    /// Puts items in order, and takes out what was there before.
    fn ordered(&mut self, mut items: Vec<Val>, shaped: &Shaped) -> Expanded<Vec<Val>> {
        let asks = |flag: &Flag| matches!(flag, Flag::Unique | Flag::Sorted(_));
        if shaped.flags.iter().any(asks) {
            let known: Option<Vec<Bytes>> = items.iter().map(|v| v.known().cloned()).collect();
            let Some(mut known) = known else { return Err(self.doubt("an item of the list is not known")) };
            self.steps.count(known.len());
            if shaped.has(&Flag::Unique) {
                let mut seen = std::collections::HashSet::new();
                known.retain(|text| seen.insert(text.clone()));
            }
            if let Some(up) = shaped.find(|flag| if let Flag::Sorted(up) = flag { Some(*up) } else { None }) {
                self.sort(&mut known)?;
                if !up {
                    known.reverse();
                }
            }
            items = known.into_iter().map(Val::Known).collect();
        }
        if shaped.has(&Flag::Backwards) {
            items.reverse();
        }
        Ok(items)
    }

    /// What a text comes to where what it refers to is put in.
    fn evaluated(&mut self, text: &Bytes) -> Val {
        let doubt = self.doubt("a text that is expanded");
        // Quotes and signs of files are taken for such there, too.
        if text.iter().any(|b| b"'\"\\`*?[]{}()~=<>#^ \t\n".contains(b)) && memchr::memchr(b'$', text).is_some() {
            return Val::unknown(doubt);
        }
        let mut parser = Parser::new(text, Dialect::Zsh);
        match parser.double(None) {
            Ok(parts) => self.quoted_text(&parts),
            Err(_) => Val::unknown(doubt),
        }
    }
}

/// Whether a sign needs no quotes anywhere.
fn is_calm(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"_/.:,-+@%".contains(&byte)
}

/// A text in quotes of a kind: backslashes, single ones, double ones.
fn quoted(text: &[u8], kind: usize) -> Option<Vec<u8>> {
    if text.iter().any(u8::is_ascii_control) {
        return None;
    }
    let mut out = Vec::new();
    match kind {
        1 if text.is_empty() => out.extend_from_slice(b"''"),
        1 => {
            for byte in text {
                match byte {
                    byte if is_calm(*byte) => {}
                    b' ' | b'\'' | b'"' | b'$' | b'`' | b'\\' | b';' | b'&' | b'|' | b'(' | b')' | b'<' | b'>' | b'*' | b'?'
                    | b'[' | b']' | b'{' | b'}' => out.push(b'\\'),
                    _ => return None,
                }
                out.push(*byte);
            }
        }
        2 => {
            out.push(b'\'');
            for byte in text {
                match byte {
                    b'\'' => out.extend_from_slice(b"'\\''"),
                    byte => out.push(*byte),
                }
            }
            out.push(b'\'');
        }
        _ => {
            out.push(b'"');
            for byte in text {
                if b"$`\"\\".contains(byte) {
                    out.push(b'\\');
                }
                out.push(*byte);
            }
            out.push(b'"');
        }
    }
    Some(out)
}

/// A text without the quotes around the whole of it, if it has others nowhere.
fn unquoted(text: &[u8]) -> Option<Vec<u8>> {
    let inner = match text {
        [b'\'', inner @ .., b'\''] | [b'"', inner @ .., b'"'] => inner,
        text => text,
    };
    (!inner.iter().any(|b| b"'\"\\$`".contains(b))).then(|| inner.to_vec())
}

/// Each word with an upper-case letter at its front, and lower-case ones behind it.
fn titled(text: &[u8]) -> Vec<u8> {
    let mut is_front = true;
    let each = text.iter().map(|byte| {
        let out = if is_front { byte.to_ascii_uppercase() } else { byte.to_ascii_lowercase() };
        is_front = !byte.is_ascii_alphanumeric();
        out
    });
    each.collect()
}

/// A text as long as this: filled with another, or cut, at the front or at the end.
fn filled(text: &[u8], at_front: bool, length: usize, with: &[u8]) -> Option<Vec<u8>> {
    let missing = length.saturating_sub(text.len());
    Some(if at_front {
        // What fills it ends where the text begins.
        let fill = (0..missing).map(|at| with[(with.len() - 1) - (missing - 1 - at) % with.len()]);
        [&fill.collect::<Vec<u8>>(), text.get(text.len() - text.len().min(length)..)?].concat()
    } else {
        let fill = (0..missing).map(|at| with[at % with.len()]);
        [text.get(..text.len().min(length))?, &fill.collect::<Vec<u8>>()].concat()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(bytes: Option<Vec<u8>>) -> Option<String> {
        bytes.map(|bytes| String::from_utf8(bytes).expect("text"))
    }

    #[test]
    fn texts_are_quoted_as_the_shell_quotes_them() {
        for (plain, kind, wanted) in [
            ("it's a $x", 1, Some("it\\'s\\ a\\ \\$x")),
            ("it's a $x", 2, Some("'it'\\''s a $x'")),
            ("it's a $x", 3, Some("\"it's a \\$x\"")),
            ("", 1, Some("''")),
            ("/opt/quay-4", 1, Some("/opt/quay-4")),
            // How it begins decides whether these need a backslash.
            ("~a", 1, None),
            ("a\tb", 2, None),
        ] {
            assert_eq!(text(quoted(plain.as_bytes(), kind)).as_deref(), wanted, "{plain} {kind}");
        }
        for (quoted, wanted) in [("'a b'", Some("a b")), ("\"a\"", Some("a")), ("a", Some("a")), ("a\\ b", None), ("'a'b'", None)]
        {
            assert_eq!(text(unquoted(quoted.as_bytes())).as_deref(), wanted, "{quoted}");
        }
    }

    #[test]
    fn texts_are_filled_and_cut_at_the_side_that_is_said() {
        for (plain, at_front, length, with, wanted) in [
            ("abcdef", true, 8, "0", "00abcdef"),
            ("abcdef", false, 8, " ", "abcdef  "),
            ("abcdef", true, 3, " ", "def"),
            ("abcdef", false, 3, " ", "abc"),
            ("x", true, 4, "ab", "babx"),
            ("x", false, 4, "ab", "xaba"),
        ] {
            assert_eq!(
                text(filled(plain.as_bytes(), at_front, length, with.as_bytes())).as_deref(),
                Some(wanted),
                "{plain} {length}"
            );
        }
        assert_eq!(titled(b"hello world-x_Y 2bc"), b"Hello World-X_Y 2bc");
    }
}
