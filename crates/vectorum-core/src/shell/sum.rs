//! Where sums stand, and what a wrong one ends there.

use bytes::Bytes;

use super::arithmetic::{Failure, Number, Summed, UNKNOWN, may_assign, worked_out};
use super::content::Content;
use super::machine::Machine;
use super::syntax::{Dialect, Part};
use super::value::{Maybe, Unknown, Val};

/// Why nothing is known behind a sum that cannot be told.
pub(super) const SUM_MAY_SET: &str = "a sum that is not known may set a variable";

impl Machine<'_> {
    /// The value of an expression, as a text.
    pub(super) fn sum_value(&mut self, parts: &[Part]) -> Val {
        match self.sum_in_word(parts) {
            Ok(number) => Val::of(number.to_string()),
            Err(doubt) => doubt.number(),
        }
    }

    /// The value of an expression within a word, where a wrong one is an error of the word.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn sum_in_word(&mut self, parts: &[Part]) -> Number {
        let summed = self.sum(parts);
        self.settle_in_word(summed)
    }

    /// What becomes of an expression that is part of a word.
    pub(super) fn settle_in_word(&mut self, summed: Summed) -> Number {
        match &summed.failure {
            Failure::No => {}
            Failure::Yes => self.fail_hard(),
            Failure::Perhaps(doubt) => self.fail_or_go_on(doubt),
        }
        summed.value
    }

    /// The value of an expression within `[[`, where only some shells take a wrong one for more than a test that fails.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn sum_in_test(&mut self, parts: &[Part]) -> Number {
        // What is no plain number is read in other ways there, and may be wrong (measured: R59).
        let summed = if self.dialect == Dialect::Mksh {
            let text = self.one_text(parts);
            let is_plain =
                |text: &[u8]| !text.is_empty() && text.iter().skip(usize::from(text.starts_with(b"-"))).all(u8::is_ascii_digit);
            let is_set = |text: &[u8]| crate::reader::is_portable(text) && self.holds_plain_number(text);
            if !text.known().is_some_and(|text| is_plain(text.trim_ascii()) || text.is_empty() || is_set(text)) {
                let doubt = self.doubt("a comparison of what is no number");
                self.fail_or_go_on(&doubt);
                if text.known().is_none_or(|text| may_assign(text)) {
                    self.fog(SUM_MAY_SET);
                }
                return Err(doubt);
            }
            // Its words are worked out once.
            self.sum_text(text.known().map(|text| text.to_vec()).unwrap_or_default())
        } else {
            self.sum(parts)
        };
        if self.dialect == Dialect::Zsh {
            return self.settle_in_word(summed);
        }
        self.settle_alone(&summed);
        match summed.failure {
            Failure::Perhaps(doubt) => Err(doubt),
            _ => summed.value,
        }
    }

    /// Whether a name is not set, or to a number in the usual way.
    pub(super) fn holds_plain_number(&self, name: &[u8]) -> bool {
        match self.content_of(name) {
            Content::Unset => true,
            Content::Set(Val::Known(text)) => {
                let digits = text.strip_prefix(b"-").unwrap_or(&text);
                digits.len() < 10 && digits.iter().all(u8::is_ascii_digit)
            }
            _ => false,
        }
    }

    /// What becomes of an expression that stands by itself. In ksh a wrong one is an error there, too, and one that cannot
    /// be worked out in mksh.
    pub(super) fn settle_alone(&mut self, summed: &Summed) {
        match (&summed.failure, self.dialect) {
            (Failure::Yes, Dialect::Ksh) => self.fail_hard(),
            (Failure::Perhaps(doubt), Dialect::Ksh | Dialect::Mksh) => self.fail_or_go_on(doubt),
            _ => {}
        }
    }

    /// Whether an expression that is a command comes to something else than nothing; a wrong one does not.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn is_sum_true(&mut self, summed: Summed, is_let: bool) -> Maybe {
        if !is_let || self.dialect == Dialect::Mksh {
            self.settle_alone(&summed);
        }
        match summed.failure {
            Failure::Yes => Ok(false),
            Failure::Perhaps(doubt) => Err(doubt),
            Failure::No => summed.value.map(|number| number != 0),
        }
    }

    /// `let`: each of its words is an expression; it fails where the last one comes to nothing, or one is wrong.
    pub(super) fn work_out_words(&mut self, known: Option<&[Bytes]>) {
        let Some(sums) = known else { return self.fog(SUM_MAY_SET) };
        let is_option = |text: &Bytes| text.len() > 1 && text.starts_with(b"-") && text != "--";
        if self.dialect == Dialect::Ksh && sums.first().is_none_or(is_option) {
            return self.set_status(2);
        }
        let mut answer = Ok(false);
        for (index, text) in sums.iter().enumerate() {
            let outer = std::mem::replace(&mut self.is_sum, matches!(self.dialect, Dialect::Ksh | Dialect::Zsh));
            let summed = self.sum_text(text.to_vec());
            self.is_sum = outer;
            // Nothing is worked out behind one that is wrong.
            let may_be_wrong = !matches!(summed.failure, Failure::No);
            if may_be_wrong && self.dialect == Dialect::Mksh {
                self.exit_or_go_on(&self.doubt("a sum that may be wrong"));
            }
            if may_be_wrong && index + 1 < sums.len() {
                let doubt = self.doubt("a sum that may be wrong");
                let rest = sums.get(index + 1..).unwrap_or_default();
                self.fork(&doubt, |m| rest.iter().for_each(|text| drop(m.sum_text(text.to_vec()))), |_| {});
                return self.doubt_status(doubt);
            }
            answer = self.is_sum_true(summed, true);
            if answer == Ok(false) && self.dialect == Dialect::Mksh {
                answer = Err(self.doubt("a sum that may be wrong"));
            }
        }
        self.set_maybe(answer);
    }

    /// Works out an expression.
    pub(super) fn sum(&mut self, parts: &[Part]) -> Summed {
        let (mut text, mut pieces) = (Vec::new(), Vec::new());
        for part in parts {
            match self.one_text(std::slice::from_ref(part)) {
                Val::Known(known) => text.extend_from_slice(&known),
                value @ Val::Unknown(_) => {
                    // Anything may be assigned in it.
                    if let Part::Double(parts) = part
                        && parts.iter().any(|p| matches!(p, Part::Quoted(t) | Part::Text(t) if may_assign(t)))
                    {
                        self.fog(SUM_MAY_SET);
                    }
                    let is_counted = matches!(part, Part::Parameter(parameter) if self.is_special(&parameter.name));
                    if let Val::Unknown(value) = value {
                        text.push(UNKNOWN);
                        let is_number = is_counted || value.is_number;
                        pieces.push(value.number(is_number));
                    }
                }
            }
        }
        self.summed(text, pieces)
    }

    pub(super) fn sum_text(&mut self, text: Vec<u8>) -> Summed {
        self.summed(text, Vec::new())
    }

    fn summed(&mut self, text: Vec<u8>, pieces: Vec<Unknown>) -> Summed {
        let summed = worked_out(self, text, pieces);
        if !matches!(summed.failure, Failure::No) {
            self.complain();
        }
        summed
    }

    /// Sets a name in a sum.
    pub(super) fn set_to_number(&mut self, name: &[u8], number: &Number) {
        // zsh makes a number of a name that was not set, or was a list, but as sh.
        if self.is_own_zsh() && !matches!(self.content_of(name), Content::Set(_)) {
            self.doubt_number(name);
        }
        let value = match number {
            Ok(number) => Val::of(number.to_string()),
            Err(doubt) => doubt.number(),
        };
        if !self.assign(name, Content::Set(value), None) {
            self.fail_refused();
        }
        // There `set -a` does not reach it.
        if self.dialect == Dialect::Mksh && self.may_be_set("allexport") {
            self.doubt_export(name);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::trial::after;
    use super::*;

    #[test]
    fn what_is_not_known_in_a_sum_has_its_place() {
        for (text, line) in [
            ("\n\nX=$(( $(tide-now) ))", 3),
            ("\nX=$((\n1 + $(tide-now)))", 3),
            ("\n(( X = $(tide-now) ))", 2),
            ("\n\nX=$[$(tide-now)]", 3),
            ("\na=(1 2)\nX=${a[$(tide-now)]}", 3),
            ("\nfor ((i = 0; i < 1; X = $(tide-now), i++)); do :; done", 2),
        ] {
            let found = after(Dialect::Bash, text, |machine| match machine.content_of(b"X").value() {
                Some(Val::Unknown(text)) => text.doubt.site.as_ref().map(|site| site.line),
                _ => None,
            });
            assert_eq!(found, Some(line), "{text}");
        }
    }

    #[test]
    fn what_is_not_set_is_wrong_in_a_sum_that_stands_alone() {
        use crate::shell::syntax::Dialect::{Bash, Ksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Zsh], "set -u; R=3; ((R = U + 1)); X=$?", ["3", "2"]),
            (&[Ksh, Zsh], "set -u; R=3; let R=1+U; X=$?", ["3", "1"]),
            (&[Zsh], "set -u; R=3; ((1 || U)); X=$?", ["3", "0"]),
            (&[Bash, Zsh], "R=0; [[ $((R+=1)) -eq $((R+=1)) ]]; X=$?", ["2", "1"]),
        ]);
    }
}
