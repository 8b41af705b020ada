//! Where the braces of a parameter may end elsewhere to a shell: by quotes and parentheses in them that nothing closes.

use super::super::inner::QUOTES_WITHIN;
use super::super::parse::{Parsed, Parser, is_name};
use super::super::reference::{are_even, is_escaped, without_alone};
use super::super::syntax::*;

const OPEN_PARENTHESIS: &str = "a parenthesis within a parameter";

impl Parser<'_> {
    /// Why braces that were read may end elsewhere to these shells: by quotes and parentheses in them that nothing closes, in
    /// mksh where something is cut (measured: zsh 5.9, 93u+m, R59).
    pub(super) fn ends_elsewhere(
        &self,
        part: &Parsed<Part>,
        start: usize,
        in_double: bool,
        is_within: bool,
    ) -> Option<&'static str> {
        let text = self.text.get(start..self.at).unwrap_or_default();
        let has = |signs: &[u8]| text.iter().any(|byte| signs.contains(byte));
        if matches!(self.dialect, Dialect::Bash | Dialect::Dash) {
            return None;
        }
        if let Err(trouble) = part {
            return Some(trouble.what).filter(|_| self.dialect == Dialect::Mksh && trouble.is_error && self.is_cut_at(start));
        }
        if !has(b"'\"`()") {
            return None;
        }
        let is_cut = match part {
            Ok(Part::Parameter(p)) => matches!(p.change, Change::Trim(..) | Change::Replace(..) | Change::Slice(..)),
            Ok(Part::Unfollowed(_)) => true,
            _ => false,
        };
        let bare = without_alone(text);
        let is_odd = |sign: u8| (0..bare.len()).filter(|at| bare[*at] == sign && !is_escaped(&bare, *at)).count() % 2 == 1;
        let has_open_quote = || is_odd(b'"') || is_odd(b'`') || is_odd(b'\'') && !in_double && !is_within;
        let is_quoted_oddly = match self.dialect {
            Dialect::Mksh => has_open_quote() || has(b"'\"`") && self.is_cut_at(start),
            Dialect::Zsh => has_open_quote(),
            _ => in_double && is_cut && has(b"'") && has(b"\""),
        };
        let counts_parentheses = match self.dialect {
            Dialect::Mksh => is_cut,
            Dialect::Zsh => !in_double && !is_within,
            _ => true,
        };
        if is_quoted_oddly {
            return Some(QUOTES_WITHIN);
        }
        Some(OPEN_PARENTHESIS).filter(|_| counts_parentheses && !are_even(text))
    }

    /// Whether a part of something is asked for in the braces that begin there.
    fn is_cut_at(&self, start: usize) -> bool {
        let rest = self.text.get(start + 1..).unwrap_or_default();
        let behind = rest.iter().position(|byte| !is_name(*byte) && !b"@*".contains(byte)).and_then(|at| rest.get(at..at + 2));
        matches!(behind, Some([b':', sign]) if !b"-=?+".contains(sign))
    }
}
