//! What an arithmetic expression comes to (POSIX, Shell Command Language, 2.6.4), in 64 bits. What is not known of it is
//! carried on to its end: names are set where they are set in any case, and what hangs on the unknown is not known.

mod operands;

use std::sync::Arc;

use super::machine::Machine;
use super::syntax::Dialect;
use super::value::{Doubt, Unknown};

/// A number, or why it is not known.
pub(super) type Number = Result<i64, Arc<Doubt>>;

/// What an expression comes to.
#[derive(Clone, Debug)]
pub(super) struct Summed {
    pub(super) value: Number,
    pub(super) failure: Failure,
}

/// Whether an expression is an error of the shell's.
#[derive(Clone, Debug)]
pub(super) enum Failure {
    No,
    Perhaps(Arc<Doubt>),
    Yes,
}

/// Stands in a text where something stands whose text is not known.
pub(super) const UNKNOWN: u8 = 0;

/// A number beyond those that the shell counts with in the usual way.
const TOO_GREAT: &str = "a number as large as that";

/// An expression that is not followed, or wrong.
const UNFOLLOWED: &str = "a sum that is not followed";

/// An expression that is certainly an error.
const WRONG: &str = "a wrong expression";

/// So many values that are expressions are followed in one: some name themselves, or each other over and over.
const MOST_VALUES: usize = 200;

/// How deep in each other parts are followed.
const DEEPEST: usize = 60;

/// From the loosest to the tightest.
const LEVELS: &[&[&[u8]]] = &[
    &[b"||"],
    &[b"&&"],
    &[b"|"],
    &[b"^"],
    &[b"&"],
    &[b"==", b"!="],
    &[b"<=", b">=", b"<", b">"],
    &[b"<<", b">>"],
    &[b"+", b"-"],
    &[b"*", b"/", b"%"],
];

/// The same in zsh, where bits count before products, and powers stand between (zshmisc(1), «Arithmetic Evaluation»).
const LEVELS_OF_ZSH: &[&[&[u8]]] = &[
    &[b"||"],
    &[b"&&"],
    &[b"==", b"!="],
    &[b"<=", b">=", b"<", b">"],
    &[b"+", b"-"],
    &[b"*", b"/", b"%"],
    &[POWER],
    &[b"|"],
    &[b"^"],
    &[b"&"],
    &[b"<<", b">>"],
];

const POWER: &[u8] = b"**";

/// Why an expression is not worked out to its end.
enum Stop {
    /// The shell refuses it.
    Refused,
    /// It is not followed; the shell may refuse it.
    Unfollowed,
}

type Worked<T = Number> = Result<T, Stop>;

/// Whether what is read has an effect: the side of a condition that does not count has none.
#[derive(Clone)]
enum Effect {
    Yes,
    Perhaps(Arc<Doubt>),
    No,
}

struct Sum<'m, 'a> {
    machine: &'m mut Machine<'a>,
    text: Vec<u8>,
    /// Its pieces that are not known.
    pieces: Vec<Unknown>,
    at: usize,
    /// Where the part begins in which a name can be set: one behind an operator cannot.
    begins: usize,
    depth: usize,
    effect: Effect,
    /// How many values that are expressions of their own were followed.
    values: usize,
    /// Why it may be an error, if it may.
    risk: Option<Arc<Doubt>>,
}

/// Whether a part of an expression holds a sign that sets a variable.
pub(super) fn may_assign(text: &[u8]) -> bool {
    let sets = |at: usize| {
        let before = text.get(..at).unwrap_or_default();
        let compares = before.last().is_some_and(|b| b"<>!=".contains(b)) && !before.ends_with(b"<<") && !before.ends_with(b">>");
        !compares && text.get(at + 1) != Some(&b'=')
    };
    memchr::memchr_iter(b'=', text).any(sets) || [&b"++"[..], b"--"].iter().any(|sign| memchr::memmem::find(text, sign).is_some())
}

/// Whether a name is counted up or down and stands once more as it is: zsh reads names late, when the signs between them are
/// worked out (measured: 5.9).
fn counts_what_it_reads(text: &[u8]) -> bool {
    let is_word = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
    let counts = |text: &[u8]| text == b"++" || text == b"--";
    let (mut counted, mut plain) = (Vec::new(), Vec::new());
    let mut at = 0;
    while let Some(from) = text.iter().skip(at).position(is_word).map(|skipped| at + skipped) {
        let length = text.iter().skip(from).take_while(|b| is_word(b)).count();
        at = from + length;
        let (before, after) = (text.get(..from).unwrap_or_default().trim_ascii_end(), text.get(at..).unwrap_or_default());
        let is_counted = before.len().checked_sub(2).and_then(|from| before.get(from..)).is_some_and(counts)
            || after.trim_ascii_start().get(..2).is_some_and(counts);
        let names = if is_counted { &mut counted } else { &mut plain };
        names.push(text.get(from..at).unwrap_or_default());
    }
    plain.iter().any(|name| counted.contains(name))
}

/// Works out an expression; each [`UNKNOWN`] in it is one of the pieces.
pub(super) fn worked_out(machine: &mut Machine<'_>, text: Vec<u8>, pieces: Vec<Unknown>) -> Summed {
    if text.trim_ascii().is_empty() && machine.dialect != Dialect::Dash {
        return Summed { value: Ok(0), failure: Failure::No };
    }
    // Numbers may have points then.
    if machine.dialect == Dialect::Zsh && machine.works_otherwise() {
        if may_assign(&text) {
            machine.fail_perhaps(UNFOLLOWED);
        }
        let doubt = machine.doubt(UNFOLLOWED);
        return Summed { value: Err(doubt.clone()), failure: Failure::Perhaps(doubt) };
    }
    let may_assign = may_assign(&text);
    let mut sum = Sum { machine, text, pieces, at: 0, begins: 0, depth: 0, effect: Effect::Yes, values: 0, risk: None };
    let (value, risk) = (sum.whole(), sum.risk);
    match value {
        Ok(value) => Summed { value, failure: risk.map_or(Failure::No, Failure::Perhaps) },
        Err(Stop::Refused) => Summed { value: Err(machine.doubt(WRONG)), failure: Failure::Yes },
        Err(Stop::Unfollowed) => {
            if may_assign {
                machine.fail_perhaps(UNFOLLOWED);
            }
            let doubt = machine.doubt(UNFOLLOWED);
            Summed { value: Err(doubt.clone()), failure: Failure::Perhaps(doubt) }
        }
    }
}

impl Sum<'_, '_> {
    /// The value of all of it.
    fn whole(&mut self) -> Worked {
        if self.text.trim_ascii().is_empty() {
            return Err(Stop::Refused);
        }
        if self.machine.dialect == Dialect::Zsh && counts_what_it_reads(&self.text) {
            return Err(Stop::Unfollowed);
        }
        let value = self.comma()?;
        self.blanks();
        if self.at < self.text.len() {
            return Err(Stop::Unfollowed);
        }
        Ok(value)
    }

    /// Something that may be an error where it has an effect.
    fn risk(&mut self, doubt: &Arc<Doubt>) {
        if !matches!(self.effect, Effect::No) {
            self.risk.get_or_insert_with(|| doubt.clone());
        }
    }

    /// What the shell refuses when it works it out, and not before.
    fn refused(&mut self) -> Worked {
        match &self.effect {
            Effect::No => Ok(Ok(0)),
            Effect::Perhaps(doubt) => {
                let doubt = doubt.clone();
                self.risk(&doubt);
                Ok(Err(doubt))
            }
            Effect::Yes => Err(Stop::Refused),
        }
    }

    /// Goes one deeper.
    fn deeper(&mut self, work: impl FnOnce(&mut Self) -> Worked) -> Worked {
        if self.depth >= DEEPEST {
            return Err(Stop::Unfollowed);
        }
        self.depth += 1;
        let value = work(self);
        self.depth -= 1;
        value
    }

    /// Works something out that counts only where a number is one that `counts`.
    fn where_it(&mut self, number: &Number, counts: impl Fn(i64) -> bool, work: impl FnOnce(&mut Self) -> Worked) -> Worked {
        let effect = match (&self.effect, number) {
            (Effect::No, _) => Effect::No,
            (_, Ok(number)) if !counts(*number) => Effect::No,
            (Effect::Yes, Err(doubt)) => Effect::Perhaps(doubt.clone()),
            (outer, _) => outer.clone(),
        };
        let outer = std::mem::replace(&mut self.effect, effect);
        let value = work(self);
        self.effect = outer;
        value
    }

    fn blanks(&mut self) {
        while self.text.get(self.at).is_some_and(u8::is_ascii_whitespace) {
            self.at += 1;
        }
    }

    fn rest(&self) -> &[u8] {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn take(&mut self, what: &[u8]) -> bool {
        self.blanks();
        let is_it = self.rest().starts_with(what);
        if is_it {
            self.at += what.len();
        }
        is_it
    }

    fn comma(&mut self) -> Worked {
        let mut value = self.choice()?;
        while self.take(b",") {
            if self.machine.dialect == Dialect::Dash {
                return Err(Stop::Refused);
            }
            value = self.choice()?;
        }
        Ok(value)
    }

    fn choice(&mut self) -> Worked {
        self.blanks();
        self.begins = self.at;
        self.chosen()
    }

    /// The same where no name is set.
    fn chosen(&mut self) -> Worked {
        self.deeper(|sum| {
            let condition = sum.binary(0)?;
            if !sum.take(b"?") {
                return Ok(condition);
            }
            let yes = sum.where_it(&condition, |number| number != 0, Self::choice)?;
            if !sum.take(b":") {
                return Err(Stop::Unfollowed);
            }
            // Only these two take it for a part in which a name can be set (measured: 93u+m, R59).
            let last = match (sum.machine.dialect, &condition) {
                (Dialect::Ksh, _) | (Dialect::Mksh, Ok(0) | Err(_)) => Self::choice,
                _ => Self::chosen,
            };
            let from = sum.at;
            let no = sum.where_it(&condition, |number| number == 0, last)?;
            // Where it is not known whether it does, it may be an error to set one.
            if let (Dialect::Mksh, Err(doubt)) = (sum.machine.dialect, &condition)
                && sum.text.get(from..sum.at).is_some_and(|part| part.contains(&b'='))
            {
                sum.risk(doubt);
            }
            Ok(match condition {
                Ok(number) => {
                    if number != 0 {
                        yes
                    } else {
                        no
                    }
                }
                Err(doubt) => {
                    if yes == no {
                        yes
                    } else {
                        Err(doubt)
                    }
                }
            })
        })
    }

    fn levels(&self) -> &'static [&'static [&'static [u8]]] {
        if self.machine.is_own_zsh() { LEVELS_OF_ZSH } else { LEVELS }
    }

    fn operator(&mut self, level: usize) -> Option<&'static [u8]> {
        self.blanks();
        let rest = self.rest();
        let found = self.levels().get(level)?.iter().find(|o| rest.starts_with(o)).copied()?;
        let next = rest.get(found.len()).copied();
        // `<` is not the front of `<<`, nor any of them of an assignment.
        let is_longer = match found {
            b"<" | b">" => next == Some(*found.first()?) || next == Some(b'='),
            b"|" | b"&" => next == found.first().copied() || next == Some(b'='),
            b"*" => matches!(next, Some(b'=' | b'*')),
            b"^" => matches!(next, Some(b'=' | b'^')),
            b"+" | b"-" | b"/" | b"%" | b"<<" | b">>" | POWER => next == Some(b'='),
            _ => false,
        };
        if is_longer {
            return None;
        }
        self.at += found.len();
        Some(found)
    }

    fn binary(&mut self, level: usize) -> Worked {
        if level >= self.levels().len() {
            return if self.machine.is_own_zsh() { self.unary() } else { self.power() };
        }
        let mut left = self.binary(level + 1)?;
        // What stands before it is no name that could be counted up.
        let counts = |rest: &[u8]| rest.starts_with(b"++") || rest.starts_with(b"--");
        // Before a name it is a sign that counts it there (measured: 5.2).
        let counts_next = |rest: &[u8]| {
            counts(rest)
                && rest
                    .get(2..)
                    .unwrap_or_default()
                    .trim_ascii_start()
                    .first()
                    .is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_')
        };
        if self.machine.dialect == Dialect::Bash && counts_next(self.rest().trim_ascii_start()) {
            return Err(Stop::Refused);
        }
        if matches!(self.machine.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) && counts(self.rest().trim_ascii_start()) {
            return self.refused();
        }
        while let Some(operator) = self.operator(level) {
            let counts = |number: i64| match operator {
                b"||" => number == 0,
                b"&&" => number != 0,
                _ => true,
            };
            let known_or_not = match operator {
                b"||" | b"&&" => left.clone(),
                _ => Ok(0),
            };
            // A power binds to the right.
            let next = if operator == POWER { level } else { level + 1 };
            let right = self.where_it(&known_or_not, counts, |sum| sum.deeper(|sum| sum.binary(next)))?;
            left = match operator {
                POWER => self.raised(left, right)?,
                _ => self.combined(operator, &left, &right)?,
            };
        }
        Ok(left)
    }

    /// What an operator makes of two numbers.
    fn combined(&mut self, operator: &[u8], left: &Number, right: &Number) -> Worked {
        let (one, two) = match (operator, left, right) {
            // Known whatever the other is.
            (b"&&", Ok(0), _) | (b"&&", _, Ok(0)) => return Ok(Ok(0)),
            (b"||", Ok(number), _) | (b"||", _, Ok(number)) if *number != 0 => return Ok(Ok(1)),
            // Of a number with a point it is another kind of nothing there.
            (b"/" | b"%", Err(doubt), Ok(0)) if self.machine.dialect == Dialect::Zsh => {
                self.risk(doubt);
                return Ok(Err(doubt.clone()));
            }
            (b"/" | b"%", _, Ok(0)) => return self.refused(),
            (b"/" | b"%", _, Err(doubt)) => {
                self.risk(doubt);
                return Ok(Err(doubt.clone()));
            }
            (_, Ok(one), Ok(two)) => (*one, *two),
            (_, Err(doubt), _) | (_, _, Err(doubt)) => return Ok(Err(doubt.clone())),
        };
        let number = match operator {
            b"||" => i64::from(one != 0 || two != 0),
            b"&&" => i64::from(one != 0 && two != 0),
            b"|" => one | two,
            b"^" => one ^ two,
            b"&" => one & two,
            b"==" => i64::from(one == two),
            b"!=" => i64::from(one != two),
            b"<=" => i64::from(one <= two),
            b">=" => i64::from(one >= two),
            b"<" => i64::from(one < two),
            b">" => i64::from(one > two),
            b"<<" | b">>" if self.machine.dialect == Dialect::Mksh && two > 31 => return Err(Stop::Unfollowed),
            b"<<" if (0..64).contains(&two) => one.wrapping_shl(two as u32),
            b">>" if (0..64).contains(&two) => one.wrapping_shr(two as u32),
            b"+" => one.wrapping_add(two),
            b"-" => one.wrapping_sub(two),
            b"*" => one.wrapping_mul(two),
            b"/" => one.wrapping_div(two),
            b"%" => one.wrapping_rem(two),
            _ if matches!(self.effect, Effect::No) => 0,
            _ => return Err(Stop::Unfollowed),
        };
        // There nothing may have a sign, or a point.
        let is_signed = number == 0 && matches!(operator, b"*" | b"/" | b"%") && (one < 0 || two < 0);
        if self.machine.dialect == Dialect::Ksh && is_signed {
            return Ok(Err(self.machine.doubt("nothing with a sign")));
        }
        Ok(self.bounded(number))
    }

    /// mksh counts in 32 bits, and ksh goes over to floating point; what is beyond that is not followed.
    fn bounded(&mut self, number: i64) -> Number {
        let most = match self.machine.dialect {
            Dialect::Mksh => i64::from(i32::MAX),
            Dialect::Ksh => 1 << 53,
            _ => return Ok(number),
        };
        if (-most..=most).contains(&number) { Ok(number) } else { Err(self.machine.doubt(TOO_GREAT)) }
    }

    /// A power, which binds to the right; of a negative number, and in shells without it, it is not followed.
    fn power(&mut self) -> Worked {
        self.blanks();
        let is_signed = self.text.get(self.at).is_some_and(|b| b"-+!~".contains(b));
        let base = self.unary()?;
        if !self.take(b"**") {
            return Ok(base);
        }
        if is_signed || matches!(self.machine.dialect, Dialect::Dash | Dialect::Mksh) {
            return Err(Stop::Unfollowed);
        }
        let exponent = self.deeper(Self::power)?;
        self.raised(base, exponent)
    }

    fn raised(&mut self, base: Number, exponent: Number) -> Worked {
        match (base, exponent) {
            (Ok(base), Ok(exponent)) => match u32::try_from(exponent).ok().and_then(|e| base.checked_pow(e)) {
                Some(number) => Ok(self.bounded(number)),
                None if matches!(self.effect, Effect::No) => Ok(Ok(0)),
                None => Err(Stop::Unfollowed),
            },
            // A negative exponent is an error.
            (base, Err(doubt)) => {
                self.risk(&doubt);
                Ok(base.and(Err(doubt)))
            }
            (Err(doubt), Ok(_)) => Ok(Err(doubt)),
        }
    }

    fn unary(&mut self) -> Worked {
        self.deeper(|sum| {
            sum.blanks();
            // dash takes the signs one by one.
            let counts = sum.machine.dialect != Dialect::Dash;
            if counts && sum.take(b"++") {
                sum.counted(1)
            } else if counts && sum.take(b"--") {
                sum.counted(-1)
            } else if sum.take(b"!") {
                Ok(sum.unary()?.map(|number| i64::from(number == 0)))
            } else if sum.take(b"~") {
                Ok(sum.unary()?.map(|number| !number))
            } else if sum.take(b"-") {
                let is_first = sum.text.get(..sum.at - 1).is_some_and(|before| before.trim_ascii().is_empty());
                let number = sum.unary()?;
                // There nothing may keep its sign (measured: 93u+m).
                if sum.machine.dialect == Dialect::Ksh && is_first && number == Ok(0) && sum.at == sum.text.len() {
                    return Ok(Err(sum.machine.doubt("nothing with a sign")));
                }
                Ok(number.map(i64::wrapping_neg))
            } else if sum.take(b"+") {
                sum.unary()
            } else {
                sum.primary()
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::super::trial::after;
    use super::*;

    /// What an expression comes to, and whether it is an error.
    fn told(machine: &mut Machine<'_>, text: &str) -> String {
        let summed = worked_out(machine, text.as_bytes().to_vec(), Vec::new());
        let value = summed.value.map_or_else(|_| "?".to_owned(), |number| number.to_string());
        match summed.failure {
            Failure::No => value,
            Failure::Perhaps(_) => format!("{value} or wrong"),
            Failure::Yes => "wrong".to_owned(),
        }
    }

    #[test]
    fn expressions_come_to_numbers() {
        for (text, number) in [
            ("1 + 2 * 3", "7"),
            ("(1 + 2) * 3 - -4", "13"),
            ("7 / 2 * 2 + 7 % 2", "7"),
            ("1 << 4 | 3 & 6 ^ 1", "19"),
            ("2 < 3 == 1 && !0 || 1 / 0", "1"),
            ("0 ? 1 / 0 : ~5", "-6"),
            ("V + V", "10"),
            ("V = 3 + 4", "7"),
            ("V += 2", "7"),
            ("N + 1", "1"),
            ("1 / 0", "wrong"),
            ("1 +", "? or wrong"),
            ("0x1f", "31"),
            // What is not known, a number or not.
            ("U * 2", "?"),
            ("T * 2", "? or wrong"),
            ("0 && T", "0"),
            ("U && 0", "0"),
            ("U || 3", "1"),
            ("U ? 3 : 4", "?"),
            ("U ? 3 : 3", "3"),
            ("5 / U", "? or wrong"),
            ("U && 5 / 0", "? or wrong"),
        ] {
            for dialect in [Dialect::Bash, Dialect::Dash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh] {
                let before = "V=5; U=$(nproc); T=$(tide-now)";
                assert_eq!(after(dialect, before, |machine| told(machine, text)), number, "{dialect:?} {text}");
            }
        }
    }

    #[test]
    fn names_are_set_where_they_count() {
        for (text, value) in [
            ("V = 3, 4", "3"),
            ("V++ + V", "6"),
            ("--V", "4"),
            ("U && (V = 3)", "<a number>"),
            ("0 && (V = 3)", "5"),
            ("1 || V++", "5"),
            ("V = U + 1", "<a number>"),
            ("V = 3, U", "3"),
            ("U, V = 3", "3"),
            ("T, V = 3", "<a number>"),
            ("V = T", "<a number>"),
            ("U ? (V = 3) : (V = 4)", "<a number>"),
            ("W = V = 2", "2"),
        ] {
            let before = "V=5; U=$(nproc); T=$(tide-now)";
            let look = |machine: &mut Machine<'_>| {
                told(machine, text);
                machine.told_value("V")
            };
            for dialect in [Dialect::Bash, Dialect::Ksh] {
                assert_eq!(after(dialect, before, look), value, "{dialect:?} {text}");
            }
        }
    }

    #[test]
    fn signs_that_set_a_variable_are_told_from_those_that_compare() {
        for (text, sets) in [
            ("x = 1", true),
            ("x += y", true),
            ("x <<= 2", true),
            ("x >>= 2", true),
            ("x==1, y=2", true),
            ("x++", true),
            ("--x", true),
            ("x == 1", false),
            ("x <= 1 && y >= 2 || z != 3", false),
            ("x - 1 + y", false),
            ("", false),
            ("=", true),
        ] {
            assert_eq!(may_assign(text.as_bytes()), sets, "{text}");
        }
    }

    #[test]
    fn sums_bind_and_set_as_in_each_shell() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Bash, Dash, Ksh, Mksh], "R=$((1 << 2 + 1)); X=$((2 + 3 | 4))", ["8", "5"]),
            (&[Zsh], "R=$((1 << 2 + 1)); X=$((2 + 3 | 4))", ["5", "9"]),
            (&[Bash, Dash, Ksh, Mksh], "R=$((2 * 3 & 1)); X=$((6 ^ 3 + 1))", ["0", "2"]),
            (&[Zsh], "R=$((2 * 3 & 1)); X=$((6 ^ 3 + 1))", ["2", "6"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((7 & 3 == 3)); X=$((1 | 2 ^ 3))", ["1", "1"]),
            (&[Bash, Ksh], "R=$((2 ** 3 ** 2)); X=$((-2 ** 2))", ["512", "<a number>"]),
            (&[Zsh], "R=$((2 ** 3 ** 2)); X=$((-2 ** 2))", ["512", "4"]),
            (&[Bash, Ksh], "R=$((2 ** 1 | 2)); X=$((2 | 2 ** 3))", ["2", "10"]),
            (&[Zsh], "R=$((2 ** 1 | 2)); X=$((2 | 2 ** 3))", ["8", "8"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 || 0 && 0)); X=$((!0 + 1))", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((10 - 2 - 3)); X=$((2 - -3))", ["5", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 < 2 == 1)); X=$((3 > 2 > 1))", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((~1 & 7)); X=$((-7 / 2))", ["6", "-3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 ? 2 : 0 ? 3 : 4)); X=$((0 ? 2 : 0 ? 3 : 4))", ["2", "4"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=5; R=$((N = 7)); X=$N", ["7", "7"]),
            (&[Bash, Dash, Ksh, Mksh], "N=5; R=$((1 ? N = 2 : 3)); X=$N", ["2", "2"]),
            (&[Bash, Mksh, Zsh], "N=5; R=0; (: $((1 + N = 2)); R=1) 2>/dev/null; X=$?", ["0", "1"]),
            (&[Ksh], "N=5; R=0; (: $((1 + N = 2)); R=1) 2>/dev/null; X=$?", ["0", "<a number>"]),
            (&[Dash], "N=5; R=0; (: $((1 + N = 2)); R=1) 2>/dev/null; X=$?", ["0", "2"]),
            (&[Bash, Mksh, Zsh], "N=5; R=0; (: $((0 || N = 2)); R=1) 2>/dev/null; X=$?", ["0", "1"]),
            (&[Ksh], "N=5; R=0; (: $((0 || N = 2)); R=1) 2>/dev/null; X=$?", ["0", "<a number>"]),
            (&[Dash], "N=5; R=0; (: $((0 || N = 2)); R=1) 2>/dev/null; X=$?", ["0", "2"]),
            (&[Bash, Mksh, Zsh], "N=5; R=0; (: $((-N = 2)); R=1) 2>/dev/null; X=$?", ["0", "1"]),
            (&[Ksh], "N=5; R=0; (: $((-N = 2)); R=1) 2>/dev/null; X=$?", ["0", "<a number>"]),
            (&[Dash], "N=5; R=0; (: $((-N = 2)); R=1) 2>/dev/null; X=$?", ["0", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=5; R=$((2 * (N = 3))); X=$N", ["6", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=5; R=$((M = N = 2)); X=$N$M", ["2", "22"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=5; R=$((N += 2)); X=$((N -= 1))", ["7", "6"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=5; R=$((N <<= 1)); X=$((N %= 4))", ["10", "2"]),
            (&[Bash, Ksh, Mksh], "N=5; R=$((N++ + N)); X=$N", ["11", "6"]),
            (&[Zsh], "N=5; R=$((N++ + N)); X=$N", ["<unknown>", "<unknown>"]),
            (&[Bash, Ksh, Mksh], "N=5; R=$((N + ++N)); X=$N", ["11", "6"]),
            (&[Zsh], "N=5; R=$((N + ++N)); X=$N", ["<unknown>", "<unknown>"]),
            (&[Bash, Ksh, Mksh, Zsh], "N=5; R=$((N = 2, N + 1)); X=$N", ["3", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "((N = 0)); R=$?; ((N = 3)); X=$?", ["1", "0"]),
            (&[Bash, Ksh, Zsh], "let \"N = 3\" \"N == 3\"; R=$?; let \"N - 3\"; X=$?", ["0", "1"]),
            (&[Mksh], "let \"N = 3\" \"N == 3\"; R=$?; let \"N - 3\"; X=$?", ["0", "<a number>"]),
            (&[Bash, Ksh, Zsh], "let \"1 +\" 2>/dev/null; R=$?; X=1", ["<a number>", "1"]),
            (&[Mksh], "let \"1 +\" 2>/dev/null; R=$?; X=1", ["<a number>", "1?"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=0; let \"N = 2\" \"1 +\" \"R = 9\" 2>/dev/null; X=$N", ["<a number>", "2"]),
            (&[Bash], "R=0; ((1 + N = 2)) 2>/dev/null; R=$?; X=1", ["1", "1"]),
            (&[Zsh], "R=0; ((1 + N = 2)) 2>/dev/null; R=$?; X=1", ["2", "1"]),
            (&[Bash, Ksh, Zsh], "for ((N = 0; N < 3; N++)); do R=$R$N; done; X=$N", ["012", "3"]),
        ]);
    }
}
