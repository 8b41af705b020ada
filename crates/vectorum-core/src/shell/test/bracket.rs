//! `test` and `[`: conditions of words, by their number, and joined by words.

use super::super::machine::Machine;
use super::super::parse::asks_of_one;
use super::super::value::{Maybe, Val};
use super::{CONDITIONS_OF_ZSH, OTHER_TEST, compares_numbers};
use crate::shell::syntax::Dialect;

/// The most words of conditions that are taken apart: each may lie within the one before.
const MOST_WORDS: usize = 200;

impl Machine<'_> {
    /// Ends as the words of a condition say.
    pub(in crate::shell) fn end_by_test(&mut self, words: &[Val]) {
        // A sign that dash does not know is an error, whatever is held against what (measured: dash 0.5.12).
        if self.dialect == Dialect::Dash && matches!(words, [_, sign, _] if is_word(Some(sign), b"==")) {
            return self.set_status(2);
        }
        let answer = self.test_words(words);
        self.set_maybe(answer);
    }

    /// `test` and `[` with their words (POSIX, test: by the number of words).
    fn test_words(&mut self, words: &[Val]) -> Maybe {
        match words {
            // There two of these are not always as many as none (measured: 0.5.12).
            [first, second, _, _, ..]
                if matches!(self.dialect, Dialect::Dash | Dialect::Ksh)
                    && [first, second].iter().all(|w| is_word(Some(w), b"!")) =>
            {
                Err(self.doubt(OTHER_TEST))
            }
            [] => Ok(false),
            // It may be asked of where the command writes to.
            [one] if is_word(Some(one), b"-t") && matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) => {
                Err(self.doubt(OTHER_TEST))
            }
            [one] => self.is_filled(one),
            [not, one] if is_word(Some(not), b"!") => self.is_filled(one).map(|is| !is),
            // There these stand between two only.
            [operator, _]
                if is_word(Some(operator), b"-a") && matches!(self.dialect, Dialect::Dash | Dialect::Zsh)
                    || is_word(Some(operator), b"-o") && self.dialect == Dialect::Dash =>
            {
                Err(self.doubt(OTHER_TEST))
            }
            [operator, one] => match operator {
                Val::Known(operator)
                    if operator.len() == 2
                        && operator.first() == Some(&b'-')
                        && operator.get(1).is_some_and(|letter| asks_of_one(*letter, self.dialect)) =>
                {
                    let operator = operator.clone();
                    self.unary(&operator, one)
                }
                _ => Err(self.doubt(OTHER_TEST)),
            },
            // dash knows no other sign of likeness than one.
            [_, operator, _] if self.dialect == Dialect::Dash && is_word(Some(operator), b"==") => Err(self.doubt(OTHER_TEST)),
            // That is none of zsh's there.
            [_, operator, _]
                if self.dialect == Dialect::Zsh && [&b"<"[..], b">"].iter().any(|sign| is_word(Some(operator), sign)) =>
            {
                Err(self.doubt(OTHER_TEST))
            }
            [left, operator, right] if is_between(operator) => {
                let operator = operator.known().cloned().unwrap_or_default();
                self.binary(left, &operator, right)
            }
            // Of three words the one between the others counts first (bash(1), «test»; POSIX, test).
            [one, joint, other]
                if matches!(self.dialect, Dialect::Bash | Dialect::Mksh)
                    && is_word(Some(one), b"!")
                    && [&b"-a"[..], b"-o"].iter().any(|sign| is_word(Some(joint), sign)) =>
            {
                if is_word(Some(joint), b"-o") {
                    Ok(true)
                } else {
                    self.is_filled(other)
                }
            }
            // That turns round no more than one condition there.
            [not, _, joint, _]
                if self.dialect == Dialect::Ksh
                    && is_word(Some(not), b"!")
                    && [&b"-a"[..], b"-o"].iter().any(|sign| is_word(Some(joint), sign)) =>
            {
                self.many_words(words)
            }
            [not, rest @ ..] if is_word(Some(not), b"!") && rest.len() <= 3 => self.test_words(rest).map(|is| !is),
            [open, one, close] if is_word(Some(open), b"(") && is_word(Some(close), b")") => self.is_filled(one),
            _ => self.many_words(words),
        }
    }

    /// Conditions with others: what shells take apart in different ways is not told.
    fn many_words(&mut self, words: &[Val]) -> Maybe {
        let mut rest = words;
        let is_short = words.len() <= MOST_WORDS;
        let answer = is_short.then(|| self.any_of(&mut rest)).flatten().filter(|_| rest.is_empty());
        answer.unwrap_or_else(|| Err(self.doubt(OTHER_TEST)))
    }

    /// Conditions joined by `-o`.
    fn any_of(&mut self, words: &mut &[Val]) -> Option<Maybe> {
        self.words_joined(words, b"-o", true, Self::all_of)
    }

    /// Conditions joined by `-a`, which binds more than `-o`.
    fn all_of(&mut self, words: &mut &[Val]) -> Option<Maybe> {
        self.words_joined(words, b"-a", false, Self::one_of_words)
    }

    /// Conditions with a sign between them, of which one that is `decisive` decides.
    fn words_joined(
        &mut self,
        words: &mut &[Val],
        sign: &[u8],
        decisive: bool,
        one: fn(&mut Self, &mut &[Val]) -> Option<Maybe>,
    ) -> Option<Maybe> {
        let mut answer = one(self, words)?;
        while is_word(words.first(), sign) {
            *words = words.get(1..).unwrap_or_default();
            answer = match (answer, one(self, words)?) {
                (Ok(is_so), _) | (_, Ok(is_so)) if is_so == decisive => Ok(decisive),
                (Err(doubt), _) | (_, Err(doubt)) => Err(doubt),
                (Ok(_), Ok(_)) => Ok(!decisive),
            };
        }
        Some(answer)
    }

    /// A condition among others; none where a word stands that may be more than a word.
    fn one_of_words(&mut self, words: &mut &[Val]) -> Option<Maybe> {
        let dialect = self.dialect;
        let joins = |word: &Val| [&b"!"[..], b"(", b")", b"-a", b"-o"].iter().any(|sign| is_word(Some(word), sign));
        let may_follow = |word: &Val| !is_between(word) && !joins(word);
        let is_operand = |word: &Val| may_follow(word) && !is_asking(word, dialect);
        match *words {
            [not, rest @ ..] if is_word(Some(not), b"!") => {
                *words = rest;
                Some(self.one_of_words(words)?.map(|is_so| !is_so))
            }
            [open, rest @ ..] if is_word(Some(open), b"(") => {
                *words = rest;
                let answer = self.any_of(words)?;
                let (close, rest) = words.split_first()?;
                *words = rest;
                is_word(Some(close), b")").then_some(answer)
            }
            [_, operator, ..] if dialect == Dialect::Dash && is_word(Some(operator), b"==") => None,
            // What is no number there makes an error of all of it.
            [left, operator, right, ..] if compares(operator, dialect) && ![left, right].into_iter().all(is_sure_number) => None,
            [left, operator, right, rest @ ..] if is_operand(left) && is_between(operator) && may_follow(right) => {
                *words = rest;
                Some(self.test_words(&[left.clone(), operator.clone(), right.clone()]))
            }
            [operator, one, rest @ ..] if is_asking(operator, dialect) && is_operand(one) => {
                *words = rest;
                // Without a number that asks of another terminal in some.
                let is_sure = !is_word(Some(operator), b"-t") || is_sure_number(one);
                let answer = self.test_words(&[operator.clone(), one.clone()]);
                is_sure.then_some(answer)
            }
            // There no word stands alone before a parenthesis.
            [one, rest @ ..]
                if is_operand(one)
                    && !rest.first().is_some_and(is_between)
                    && !(dialect == Dialect::Ksh && is_word(rest.first(), b")")) =>
            {
                *words = rest;
                Some(self.is_filled(one))
            }
            _ => None,
        }
    }
}

fn is_word(value: Option<&Val>, text: &[u8]) -> bool {
    value.and_then(Val::known).is_some_and(|value| value == text)
}

/// Whether a word stands between two that are held against each other.
fn is_between(value: &Val) -> bool {
    const BETWEEN: &[&[u8]] =
        &[b"=", b"==", b"!=", b"<", b">", b"-eq", b"-ne", b"-lt", b"-le", b"-gt", b"-ge", b"-nt", b"-ot", b"-ef"];
    value.known().is_some_and(|word| BETWEEN.contains(&&word[..]))
}

/// Whether a sign compares numbers, or is none that the shell knows there.
fn compares(operator: &Val, dialect: Dialect) -> bool {
    operator.known().is_some_and(|sign| compares_numbers(sign) || dialect == Dialect::Zsh && matches!(&sign[..], b"<" | b">"))
}

pub(super) fn is_sure_number(value: &Val) -> bool {
    value.is_number() && value.is_empty() == Some(false)
}

/// Whether a word asks something of the one behind it.
fn is_asking(value: &Val, dialect: Dialect) -> bool {
    let asks = |letter: u8| match dialect {
        Dialect::Zsh => CONDITIONS_OF_ZSH.contains(&letter),
        Dialect::Dash => asks_of_one(letter, dialect) && letter != b'R',
        _ => asks_of_one(letter, dialect),
    };
    value.known().is_some_and(|word| matches!(word[..], [b'-', letter] if asks(letter) && !b"ao".contains(&letter)))
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn words_are_taken_apart_as_each_shell_does() {
        hold(&[
            (&[Bash, Ksh, Mksh], "[ a == a ]; R=$?; [ a == b ] || X=1", ["0", "1"]),
            (&[Dash], "[ a == a ]; R=$?; [ a == b ] || X=1", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ '' -nt - ]; R=$?; [ $HOME -ef '' ]; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ a = -h -o a = b ]; R=$?; [ a = a -a ! b = c ]; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ \\( a = a \\) ]; R=$?; [ \\( a = b \\) -o c = c ]; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ a -o b -a '' ]; R=$?; [ '' -a b -o c ]; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ -n a -a -z '' ]; R=$?; [ ! a -o '' ]; X=$?", ["0", "1"]),
            (&[Bash, Dash, Mksh, Zsh], "[ ! a -o a ]; R=$?; [ 1 -lt 2 -a 3 -gt 4 ]; X=$?", ["1", "1"]),
            (&[Ksh], "[ ! a -o a ]; R=$?; [ 1 -lt 2 -a 3 -gt 4 ]; X=$?", ["0", "1"]),
            // What some take for one thing and some for another.
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ -f = -o a ]; R=$?; [ a -lt 5 -o b ]; X=$?", ["<a number>", "<a number>"]),
        ]);
    }

    #[test]
    fn what_is_too_long_is_not_taken_apart() {
        let text = format!("[ {}a ]; R=$?", "! ".repeat(100_000));
        hold(&[(&[Bash], &text, ["<a number>", "none"])]);
    }
}
