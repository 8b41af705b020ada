//! Whether a text fits a pattern, as each shell has it.

use std::sync::Arc;

use bytes::Bytes;

use super::expand::brings_list;
use super::machine::Machine;
use super::parameter::UNSET_IS_ERROR;
use super::pattern::{Brackets, Groups, Pattern, brackets, fits_stars};
use super::reference::are_even;
use super::syntax::*;
use super::value::{Doubt, Maybe, Val};
use super::words::GROUPS_UNASKED;

/// The option for patterns of a shell's own: groups, and in zsh more.
pub(super) const GROUPS: &str = "extglob";

impl Machine<'_> {
    /// Which groups patterns have here; `is_test` says whether it is within `[[ … ]]`.
    pub(super) fn groups(&mut self, pattern: &[u8], is_test: bool) -> Result<Groups, Arc<Doubt>> {
        let option = |name: &str| self.live.as_ref().and_then(|s| s.option(name));
        match self.dialect {
            Dialect::Dash => Ok(Groups::None),
            Dialect::Ksh | Dialect::Mksh => Ok(Groups::Signs),
            Dialect::Bash if is_test || option(GROUPS) == Some(true) => Ok(Groups::Signs),
            Dialect::Bash => Ok(Groups::None),
            // A group cannot be read as sh.
            Dialect::Zsh
                if self.as_sh && pattern.windows(2).any(|pair| matches!(pair, [b'?' | b'*' | b'+' | b'@' | b'!', b'('])) =>
            {
                let doubt = self.doubt("a pattern of another kind");
                self.fail_or_go_on(&doubt);
                Err(doubt)
            }
            Dialect::Zsh if self.as_sh => Ok(Groups::None),
            Dialect::Zsh if pattern.iter().any(|b| b"#^~".contains(b)) && option(GROUPS) != Some(false) => {
                if memchr::memmem::find(pattern, b"(#").is_some() {
                    self.may_have_found();
                }
                Err(self.doubt("a pattern of another kind"))
            }
            Dialect::Zsh => Ok(Groups::Plain),
        }
    }

    /// Reads a pattern as this shell does: what is no class for it may be an error.
    pub(super) fn pattern(&mut self, text: &[u8], quoted: &[bool], groups: Groups) -> Result<Pattern, Arc<Doubt>> {
        const ODD: &str = "a pattern of another kind";
        // What parentheses are there that a parameter brings is their own affair.
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && text.contains(&b'(') {
            let is_behind_sign = |at: usize| at.checked_sub(1).and_then(|at| text.get(at)).is_some_and(|b| b"?*+@!".contains(b));
            let signs = text.iter().zip(quoted).enumerate();
            if signs.filter(|(_, (sign, quoted))| **sign == b'(' && !**quoted).any(|(at, _)| !is_behind_sign(at)) {
                return Err(self.doubt(ODD));
            }
        }
        let is_sign = |sign: u8| text.iter().zip(quoted).any(|(byte, quoted)| *byte == sign && !quoted);
        // These stand for more than themselves there (measured: 93u+m, R59).
        let has_more = match self.dialect {
            Dialect::Ksh => is_sign(b'&') || is_sign(b'|'),
            Dialect::Mksh => is_sign(b'|'),
            _ => false,
        };
        // A range that goes back is one all the same there.
        let goes_back = |signs: &[u8]| matches!(signs, [from, b'-', to] if from > to && from.is_ascii_alphanumeric() && to.is_ascii_alphanumeric());
        let has_more = has_more && !text.contains(&b'(')
            || self.dialect == Dialect::Ksh && text.contains(&b'[') && text.windows(3).any(goes_back);
        if has_more {
            return Err(self.doubt(ODD));
        }
        // One that is not closed is no pattern there.
        if self.dialect == Dialect::Zsh && (is_sign(b'(') || is_sign(b')')) && !are_even(text) {
            let doubt = self.doubt(ODD);
            self.fail_or_go_on(&doubt);
            return Err(doubt);
        }
        if text.contains(&b'[') && matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) {
            let found = brackets(text, quoted);
            if found != Brackets::Usual {
                let doubt = self.doubt(ODD);
                if found == Brackets::Open && self.dialect == Dialect::Zsh {
                    self.fail_or_go_on(&doubt);
                }
                return Err(doubt);
            }
        }
        Pattern::new(text, quoted, groups).map_err(|_| self.doubt(ODD))
    }

    /// What a pattern or an expression finds is kept in names of zsh's own (zshexpn(1), zshmisc(1)).
    pub(super) fn may_have_found(&mut self) {
        self.may_set("what a pattern found", &["MATCH", "MBEGIN", "MEND"], &["match", "mbegin", "mend"]);
    }

    /// Whether capitals do not count where texts are held against patterns, if that is known.
    pub(super) fn folds_case(&self) -> Option<bool> {
        self.live.as_ref().map_or(Some(false), |state| state.option("nocasematch"))
    }

    /// Whether a text fits a pattern; `is_test` says whether it is within `[[ … ]]`.
    pub(super) fn fits(&mut self, text: &Val, pattern: &Word, is_test: bool) -> Maybe {
        let folds = self.folds_case();
        if let (Val::Known(text), [Part::Text(pattern)], Some(false)) = (text, &pattern.parts[..], folds)
            && pattern.iter().all(|b| is_calm(*b) || *b == b'*')
        {
            return Ok(fits_stars(pattern, text));
        }
        // Of a list only its first word is one there.
        let is_all = |part: &Part| matches!(part, Part::Parameter(p) if matches!(&p.name[..], b"@" | b"*") && !matches!(p.change, Change::Length));
        let is_list = |part: &Part| match part {
            Part::Double(inner) => inner.iter().any(is_all) || brings_list(part),
            part => is_all(part) || brings_list(part),
        };
        if self.dialect != Dialect::Zsh && !is_test && pattern.parts.iter().any(is_list) {
            if self.refuses_unset() {
                self.fail_perhaps(UNSET_IS_ERROR);
            }
            for part in &pattern.parts {
                let inner = if let Part::Double(inner) = part { &inner[..] } else { std::slice::from_ref(part) };
                for part in inner {
                    if let Part::Parameter(parameter) = part {
                        self.refuse_cut(&parameter.change);
                    }
                }
            }
            let doubt = self.doubt("a list for a pattern");
            self.doubt_what_is_set(&pattern.parts, &doubt);
            return Err(doubt);
        }
        let (mut bytes, quoted) = self.pattern_text(pattern, is_test)?;
        // There a backslash that a list brings is one (measured: R59).
        let has_key = |part: &Part| matches!(part, Part::Parameter(p) if p.key.is_some());
        let may_be_list = |part: &Part| is_list(part) || has_key(part);
        if self.dialect == Dialect::Mksh && bytes.contains(&b'\\') && pattern.parts.iter().any(may_be_list) {
            return Err(self.doubt("a list for a pattern"));
        }
        // Anything fits a star.
        if bytes == b"*" && quoted == [false] {
            return Ok(true);
        }
        let doubt = || Doubt::new("a pattern of another kind", None);
        let folds = folds.ok_or_else(|| self.doubt("whether capitals count in patterns"))?;
        if folds {
            // What classes and other letters have for capitals is not followed.
            if bytes.contains(&b'[') || !bytes.is_ascii() {
                return Err(self.doubt("a pattern of another kind"));
            }
            bytes.make_ascii_lowercase();
        }
        // Before a letter a backslash that a parameter brings may end a pattern there (measured: 93u+m).
        let ends_early =
            |at: usize| bytes[at] == b'\\' && !quoted[at] && bytes.get(at + 1).is_some_and(u8::is_ascii_alphanumeric);
        let has_backslash = text.known().is_some_and(|text| text.contains(&b'\\'));
        if self.dialect == Dialect::Ksh && !has_backslash && (0..bytes.len()).any(ends_early) {
            return Err(self.doubt("a pattern of another kind"));
        }
        let groups = self.groups(&bytes, is_test)?;
        if self.dialect == Dialect::Bash && groups == Groups::None && bytes.contains(&b'(') {
            self.fog(GROUPS_UNASKED);
        }
        let pattern = self.pattern(&bytes, &quoted, groups)?;
        let matches = |text: &Bytes| match folds {
            true if !text.is_ascii() => Err(doubt()),
            true => pattern.matches(&text.to_ascii_lowercase()).map_err(|_| doubt()),
            false => pattern.matches(text).map_err(|_| doubt()),
        };
        match text {
            Val::Known(text) => matches(text),
            Val::Unknown(unknown) => {
                if text.is_empty() == Some(false) && bytes.is_empty() {
                    return Ok(false);
                }
                if unknown.could_be().is_empty() {
                    return Err(unknown.doubt.clone());
                }
                match unknown.could_be().iter().map(matches).collect::<Result<Vec<bool>, _>>()?[..] {
                    [first, ref rest @ ..] if rest.iter().all(|answer| *answer == first) => Ok(first),
                    _ => Err(unknown.doubt.clone()),
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn texts_fit_patterns_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case abc in a*c) R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case abc in a?) R=1;; a??) R=2;; esac", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in [!a]) R=1;; [a-c]) R=2;; esac", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case ']' in []]) R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case - in [a-]) R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case 'a*' in a\\*) R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "X='a*'; case abc in $X) R=1;; *) R=2;; esac", ["1", "a*"]),
            (&[Zsh], "X='a*'; case abc in $X) R=1;; *) R=2;; esac", ["2", "a*"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X='a*'; case abc in \"$X\") R=1;; *) R=2;; esac", ["2", "a*"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case A in [[:upper:]]) R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case '' in '') R=1;; *) R=2;; esac", ["1", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ abc == a* ]] && R=1; [[ abc == \"a*\" ]] || X=1", ["1", "1"]),
            (&[Dash], "[[ abc == a* ]] && R=1; [[ abc == \"a*\" ]] || X=1", ["none", "1"]),
            (&[Bash, Ksh, Mksh], "[[ ab == @(ab|c) ]] && R=1 || R=2", ["1", "none"]),
            (&[Zsh], "[[ ab == @(ab|c) ]] && R=1 || R=2", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X='[a'; case '[a' in \"$X\") R=1;; *) R=2;; esac", ["1", "[a"]),
        ]);
    }
}
