//! What an arithmetic expression comes to (POSIX, Shell Command Language, 2.6.4), in 64 bits. What is not known of it is
//! carried on to its end: names are set where they are set in any case, and what hangs on the unknown is not known.

use std::sync::Arc;

use bytes::Bytes;

use super::machine::Machine;
use super::state::Content;
use super::syntax::Dialect;
use super::value::{Doubt, Val};

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

/// What sets a name, and counts it up or down behind it.
const SETTING: &[&[u8]] = &[b"<<=", b">>=", b"+=", b"-=", b"*=", b"/=", b"%=", b"&=", b"|=", b"^=", b"=", b"++", b"--"];

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
    /// Why each of its unknown pieces is not known.
    pieces: Vec<Piece>,
    at: usize,
    depth: usize,
    effect: Effect,
    /// How many values that are expressions of their own were followed.
    values: usize,
    /// Why it may be an error, if it may.
    risk: Option<Arc<Doubt>>,
}

/// Something in an expression whose text is not known.
#[derive(Clone, Debug)]
pub(super) struct Piece {
    pub(super) doubt: Arc<Doubt>,
    /// Whether it is a number.
    pub(super) is_number: bool,
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

/// Works out an expression; each [`UNKNOWN`] in it is one of the pieces.
pub(super) fn worked_out(machine: &mut Machine<'_>, text: Vec<u8>, pieces: Vec<Piece>) -> Summed {
    if text.trim_ascii().is_empty() && machine.dialect != Dialect::Dash {
        return Summed { value: Ok(0), failure: Failure::No };
    }
    let may_assign = may_assign(&text);
    let mut sum = Sum { machine, text, pieces, at: 0, depth: 0, effect: Effect::Yes, values: 0, risk: None };
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
        self.deeper(|sum| {
            let condition = sum.binary(0)?;
            if !sum.take(b"?") {
                return Ok(condition);
            }
            let yes = sum.where_it(&condition, |number| number != 0, Self::choice)?;
            if !sum.take(b":") {
                return Err(Stop::Unfollowed);
            }
            let no = sum.where_it(&condition, |number| number == 0, Self::choice)?;
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

    fn operator(&mut self, level: usize) -> Option<&'static [u8]> {
        self.blanks();
        let rest = self.rest();
        let found = LEVELS.get(level)?.iter().find(|o| rest.starts_with(o)).copied()?;
        let next = rest.get(found.len()).copied();
        // `<` is not the front of `<<`, nor any of them of an assignment.
        let is_longer = match found {
            b"<" | b">" => next == Some(*found.first()?) || next == Some(b'='),
            b"|" | b"&" => next == found.first().copied() || next == Some(b'='),
            b"*" => matches!(next, Some(b'=' | b'*')),
            b"+" | b"-" | b"/" | b"%" | b"^" | b"<<" | b">>" => next == Some(b'='),
            _ => false,
        };
        if is_longer {
            return None;
        }
        self.at += found.len();
        Some(found)
    }

    fn binary(&mut self, level: usize) -> Worked {
        if level >= LEVELS.len() {
            return self.power();
        }
        let mut left = self.binary(level + 1)?;
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
            let right = self.where_it(&known_or_not, counts, |sum| sum.binary(level + 1))?;
            left = self.combined(operator, &left, &right)?;
        }
        Ok(left)
    }

    /// What an operator makes of two numbers.
    fn combined(&mut self, operator: &[u8], left: &Number, right: &Number) -> Worked {
        let (one, two) = match (operator, left, right) {
            // Known whatever the other is.
            (b"&&", Ok(0), _) | (b"&&", _, Ok(0)) => return Ok(Ok(0)),
            (b"||", Ok(number), _) | (b"||", _, Ok(number)) if *number != 0 => return Ok(Ok(1)),
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
        Ok(self.bounded(number))
    }

    /// mksh counts in 32 bits, and ksh goes over to floating point; what is beyond that is not followed.
    fn bounded(&mut self, number: i64) -> Number {
        let most = match self.machine.dialect {
            Dialect::Mksh => i64::from(i32::MAX),
            Dialect::Ksh => 1 << 53,
            _ => return Ok(number),
        };
        if (-most..=most).contains(&number) { Ok(number) } else { Err(self.machine.doubt("a number as large as that")) }
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
                Ok(sum.unary()?.map(i64::wrapping_neg))
            } else if sum.take(b"+") {
                sum.unary()
            } else {
                sum.primary()
            }
        })
    }

    /// Steps over a word, and whatever is not known of it.
    fn word(&mut self) -> Vec<u8> {
        let is_of_word = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_' || *b == UNKNOWN;
        let length = self.rest().iter().take_while(|b| is_of_word(b)).count();
        let word = self.rest().get(..length).unwrap_or_default().to_vec();
        self.at += length;
        word
    }

    fn primary(&mut self) -> Worked {
        if self.take(b"(") {
            let value = self.comma()?;
            return if self.take(b")") { Ok(value) } else { Err(Stop::Unfollowed) };
        }
        let from = self.at;
        let word = self.word();
        if word.contains(&UNKNOWN) {
            return self.piece(from, &word);
        }
        let next = self.text.get(self.at).copied();
        if word.first().is_some_and(u8::is_ascii_digit) {
            return match next {
                Some(b'#') if self.machine.dialect != Dialect::Dash => self.based(&word),
                Some(b'.') if matches!(self.machine.dialect, Dialect::Zsh | Dialect::Ksh) => {
                    self.at += 1;
                    self.word();
                    Ok(Err(self.machine.doubt("a number with a point")))
                }
                _ => self.number(&word),
            };
        }
        if next == Some(b'[') && !word.is_empty() && self.machine.dialect != Dialect::Dash {
            return self.item(&word);
        }
        if word.is_empty() || matches!(next, Some(b'[' | b'#' | b'.')) {
            return Err(Stop::Unfollowed);
        }
        let Some(operator) = self.setting() else { return self.name(&word) };
        if self.machine.dialect == Dialect::Dash && matches!(operator, b"++" | b"--") {
            // Signs of what follows, which must be there.
            let follows = |b: &u8| b.is_ascii_alphanumeric() || b"_+-!~(\0".contains(b);
            if self.rest().get(2..).unwrap_or_default().trim_ascii_start().first().is_some_and(follows) {
                return self.name(&word);
            }
            return Err(Stop::Refused);
        }
        self.at += operator.len();
        let old = if operator == b"=" { Ok(0) } else { self.name(&word)? };
        let new = match operator {
            b"++" => old.clone().map(|number| number.wrapping_add(1)),
            b"--" => old.clone().map(|number| number.wrapping_sub(1)),
            b"=" => self.choice()?,
            _ => {
                let right = self.choice()?;
                self.combined(operator.strip_suffix(b"=").unwrap_or(operator), &old, &right)?
            }
        };
        let new = self.put(&word, new);
        Ok(if matches!(operator, b"++" | b"--") { old } else { new })
    }

    /// What comes next, if it sets what stands before it.
    fn setting(&mut self) -> Option<&'static [u8]> {
        self.blanks();
        let rest = self.rest();
        let sets = |sign: &&&[u8]| rest.starts_with(sign) && (**sign != b"=" || rest.get(1) != Some(&b'='));
        SETTING.iter().find(sets).copied()
    }

    /// A word of which not all is known.
    fn piece(&mut self, from: usize, word: &[u8]) -> Worked {
        let place = memchr::memchr_iter(UNKNOWN, self.text.get(..from).unwrap_or_default()).count();
        let Some(Piece { doubt, is_number }) = self.pieces.get(place).cloned() else { return Err(Stop::Unfollowed) };
        self.blanks();
        let next = self.text.get(self.at).copied();
        // Whose name is set, or which list, is not known.
        if self.setting().is_some() || matches!(next, Some(b'[' | b'#')) {
            return Err(Stop::Unfollowed);
        }
        // Where it is empty, a sign behind it is that of what follows.
        let may_be_empty = !doubt.is_filled && word.len() == 1 && !matches!(next, Some(b'+' | b'-')) && self.text.len() > 1;
        // With a number in front it stays one.
        let is_number = is_number && !may_be_empty && word.iter().all(|b| b.is_ascii_digit() || *b == UNKNOWN);
        if !is_number {
            self.risk(&doubt);
        }
        Ok(Err(doubt))
    }

    /// Sets a name to a number.
    fn put(&mut self, name: &[u8], number: Number) -> Number {
        let number = number.and_then(|number| self.bounded(number));
        match self.effect.clone() {
            Effect::Yes => self.machine.set_to_number(name, &number),
            Effect::Perhaps(doubt) => self.machine.fork(&doubt, |machine| machine.set_to_number(name, &number), |_| {}),
            Effect::No => {}
        }
        number
    }

    /// Counts a name up or down before it is used: `++NAME`.
    fn counted(&mut self, by: i64) -> Worked {
        self.blanks();
        let name = self.word();
        let is_odd = matches!(self.text.get(self.at), Some(b'[' | b'#' | b'.' | b'=' | b'+' | b'-'));
        if name.first().is_none_or(u8::is_ascii_digit) || name.contains(&UNKNOWN) || is_odd {
            return Err(Stop::Unfollowed);
        }
        let new = self.name(&name)?.map(|number| number.wrapping_add(by));
        Ok(self.put(&name, new))
    }

    fn name(&mut self, name: &[u8]) -> Worked {
        // One that does not count is not looked up.
        if matches!(self.effect, Effect::No) {
            return Ok(Ok(0));
        }
        let is_number = self.machine.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number);
        let is_number = is_number || self.machine.is_special(name);
        let content = self.machine.content_of(name);
        self.of_value(&content, is_number)
    }

    /// The number that a variable holds.
    fn of_value(&mut self, content: &Content, is_number: bool) -> Worked {
        match content {
            Content::Unset => Ok(Ok(0)),
            Content::Set(Val::Known(text)) => self.of_text(text),
            Content::Set(value @ Val::Unknown(doubt)) | Content::Perhaps(value @ Val::Unknown(doubt)) => {
                if !is_number && !value.is_number() {
                    self.risk(doubt);
                }
                Ok(Err(doubt.clone()))
            }
            Content::Perhaps(value) => {
                let doubt = self.machine.doubt("a number that is not known");
                if !value.is_number() {
                    self.risk(&doubt);
                }
                Ok(Err(doubt))
            }
            _ => Ok(Err(self.machine.doubt("a number that is not known"))),
        }
    }

    fn of_text(&mut self, text: &Bytes) -> Worked {
        let text = text.trim_ascii();
        if text.is_empty() {
            return Ok(Ok(0));
        }
        let (sign, digits) = match text.strip_prefix(b"-") {
            Some(rest) => (-1, rest),
            None => (1, text),
        };
        if digits.iter().all(u8::is_ascii_digit) && !digits.is_empty() {
            return Ok(self.number(digits)?.map(|number| sign * number));
        }
        // It is an expression of its own; ksh has other rules for names in there.
        let is_followed = matches!(self.machine.dialect, Dialect::Bash | Dialect::Zsh | Dialect::Mksh);
        if !is_followed || self.values >= MOST_VALUES {
            return self.unfollowed_here();
        }
        self.values += 1;
        let outer = (
            std::mem::replace(&mut self.text, text.to_vec()),
            std::mem::replace(&mut self.at, 0),
            std::mem::take(&mut self.pieces),
        );
        let value = self.whole();
        (self.text, self.at, self.pieces) = outer;
        match value {
            Err(_) if matches!(self.effect, Effect::Perhaps(_)) => self.unfollowed_here(),
            value => value,
        }
    }

    /// What is not followed of something that may have no effect.
    fn unfollowed_here(&mut self) -> Worked {
        let Effect::Perhaps(doubt) = &self.effect else { return Err(Stop::Unfollowed) };
        let doubt = doubt.clone();
        self.risk(&doubt);
        Ok(Err(doubt))
    }

    /// `BASE#DIGITS`.
    fn based(&mut self, base: &[u8]) -> Worked {
        self.at += 1;
        let from = self.at;
        let digits = self.word();
        if digits.contains(&UNKNOWN) {
            let value = self.piece(from, &digits)?;
            if let Err(doubt) = &value {
                self.risk(doubt);
            }
            return Ok(value);
        }
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let base = text(base).parse().ok().filter(|base| (2..=36).contains(base) && !digits.is_empty());
        match base.and_then(|base| i64::from_str_radix(&text(&digits), base).ok()) {
            Some(number) => Ok(self.bounded(number)),
            None => Err(Stop::Unfollowed),
        }
    }

    /// `NAME[INDEX]`.
    fn item(&mut self, name: &[u8]) -> Worked {
        self.at += 1;
        let index = self.comma()?;
        if !self.take(b"]") {
            return Err(Stop::Unfollowed);
        }
        if let Some(operator) = self.setting() {
            self.at += operator.len();
            if !matches!(operator, b"++" | b"--") {
                let _ = self.choice()?;
            }
            if !matches!(self.effect, Effect::No) {
                self.machine.doubt_from_here(name);
            }
            return Ok(Err(self.machine.doubt("an item of a list is set in a sum")));
        }
        let is_zsh = self.machine.dialect == Dialect::Zsh;
        let unknown = |sum: &Self| Ok(Err(sum.machine.doubt("a part of a list")));
        if self.machine.expands_otherwise() {
            return unknown(self);
        }
        let values = match self.machine.content_of(name) {
            Content::Array(values) => values.to_vec(),
            Content::Set(value) if !is_zsh => vec![value],
            Content::Unset => Vec::new(),
            _ => return unknown(self),
        };
        let Ok(index) = index else { return unknown(self) };
        // zsh counts from 1, and all from the end where it is negative.
        let length = i64::try_from(values.len()).unwrap_or(i64::MAX);
        let place = match index {
            index if index < 0 => index + length,
            index => index - i64::from(is_zsh),
        };
        match usize::try_from(place).ok().and_then(|place| values.get(place)).cloned() {
            Some(value) => self.of_value(&Content::Set(value), false),
            None if place >= length || is_zsh && index == 0 => Ok(Ok(0)),
            None => self.unfollowed_here(),
        }
    }

    fn number(&mut self, text: &[u8]) -> Worked {
        let text = String::from_utf8_lossy(text).into_owned();
        let parsed = match text.strip_prefix("0x").or_else(|| text.strip_prefix("0X")) {
            Some(hex) => i64::from_str_radix(hex, 16).ok(),
            // A leading zero makes an octal number in these two, and is taken for nothing in the others.
            None if text.len() > 1 && text.starts_with('0') && matches!(self.machine.dialect, Dialect::Bash | Dialect::Dash) => {
                i64::from_str_radix(&text, 8).ok()
            }
            None => text.parse().ok(),
        };
        match parsed {
            Some(number) => Ok(self.bounded(number)),
            None => Err(Stop::Unfollowed),
        }
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
}
