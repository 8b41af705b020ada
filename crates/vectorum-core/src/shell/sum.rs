//! Arithmetic (POSIX, Shell Command Language, 2.6.4), in 64 bits.

use std::sync::Arc;

use bytes::Bytes;

use super::machine::Machine;
use super::state::Content;
use super::syntax::{Dialect, Part};
use super::value::{Doubt, Val};

type Summed = Result<i64, Arc<Doubt>>;

struct Sum<'m, 'a> {
    machine: &'m mut Machine<'a>,
    text: Vec<u8>,
    at: usize,
    depth: usize,
    /// Whether what is read has no effect: the side of a condition that does not count.
    is_idle: bool,
    /// How many values that are expressions of their own were followed.
    values: usize,
}

/// An expression that is certainly an error: within a word it ends more than one in a command of its own does.
const WRONG: &str = "a wrong expression";

/// An expression that is not followed, or wrong.
const UNFOLLOWED: &str = "a sum that is not followed";

/// So many values that are expressions are followed in one: some name themselves, or each other over and over.
const MOST_VALUES: usize = 200;

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

/// Whether a part of an expression holds a sign that sets a variable.
fn may_assign(text: &[u8]) -> bool {
    let sets = |at: usize| {
        let before = text.get(..at).unwrap_or_default();
        let compares = before.last().is_some_and(|b| b"<>!=".contains(b)) && !before.ends_with(b"<<") && !before.ends_with(b">>");
        !compares && text.get(at + 1) != Some(&b'=')
    };
    memchr::memchr_iter(b'=', text).any(sets) || [&b"++"[..], b"--"].iter().any(|sign| memchr::memmem::find(text, sign).is_some())
}

impl Machine<'_> {
    /// The value of an expression, as a text.
    pub(super) fn sum_value(&mut self, parts: &[Part]) -> Val {
        match self.sum_in_word(parts) {
            Ok(number) => Val::of(number.to_string()),
            Err(doubt) => {
                if self.live.is_some() && self.may_be_no_number(parts) {
                    self.fork(&doubt, Self::fail_hard, |_| {});
                }
                Val::Unknown(Arc::new(Doubt { is_filled: true, could_be: Vec::new(), ..(*doubt).clone() }))
            }
        }
    }

    /// Whether a name in an expression holds a text that may be no expression. Of one that may be anything that counts
    /// where a wrong one gives up a line or a function only; elsewhere all that follows would hang on it.
    fn may_be_no_number(&self, parts: &[Part]) -> bool {
        let gives_up_little = matches!(self.dialect, Dialect::Bash | Dialect::Mksh);
        let is_sum = |text: &Bytes| text.iter().all(|b| b.is_ascii_digit() || b.is_ascii_whitespace());
        let may_be_wrong = |d: &Doubt| d.could_be.is_empty() && gives_up_little || !d.could_be.iter().all(is_sum);
        let is_text = |name: &[u8]| {
            let is_number = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number);
            let content = self.content_of(name);
            let is_unknown =
                matches!(&content, Content::Set(Val::Unknown(d)) | Content::Perhaps(Val::Unknown(d)) if may_be_wrong(d));
            is_unknown && !is_number && !self.is_special(name)
        };
        parts.iter().any(|part| match part {
            Part::Text(text) | Part::Quoted(text) => {
                let words = text.split(|b| !b.is_ascii_alphanumeric() && *b != b'_');
                words.filter(|word| word.first().is_some_and(|b| !b.is_ascii_digit())).any(is_text)
            }
            Part::Parameter(parameter) => is_text(&parameter.name),
            _ => false,
        })
    }

    /// The value of an expression within a word, where a wrong one is an error of the word.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn sum_in_word(&mut self, parts: &[Part]) -> Summed {
        let value = self.sum(parts);
        match &value {
            Err(doubt) if doubt.why == WRONG => self.fail_hard(),
            Err(doubt) if doubt.why == UNFOLLOWED && self.dialect != Dialect::Ksh => {
                self.fork(&doubt.clone(), Self::fail_hard, |_| {});
            }
            _ => {}
        }
        value
    }

    /// The value of an expression within `[[`, where only some shells take a wrong one for more than a test that fails.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn sum_in_test(&mut self, parts: &[Part]) -> Summed {
        if self.dialect == Dialect::Zsh {
            return self.sum_in_word(parts);
        }
        let value = self.sum(parts);
        self.end_if_unread(&value);
        value
    }

    /// In mksh an expression that cannot be read ends the shell wherever it stands.
    fn end_if_unread(&mut self, value: &Summed) {
        if self.dialect == Dialect::Mksh
            && let Err(doubt) = value
            && doubt.why == UNFOLLOWED
        {
            self.fork(&doubt.clone(), Self::fail_hard, |_| {});
        }
    }

    /// Whether an expression that is a command comes to something else than nothing; a wrong one does not.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn is_sum_true(&mut self, value: Summed) -> Result<bool, Arc<Doubt>> {
        self.end_if_unread(&value);
        match value {
            Err(doubt) if doubt.why == WRONG => Ok(false),
            value => value.map(|number| number != 0),
        }
    }

    /// The value of an expression.
    ///
    /// # Errors
    /// If it is not known. A wrong expression is an error of the shell's, which is not followed.
    pub(super) fn sum(&mut self, parts: &[Part]) -> Summed {
        let text = match self.one_text(parts) {
            Val::Known(text) => text.to_vec(),
            Val::Unknown(doubt) => {
                // Anything may be assigned in it.
                if parts.iter().any(|p| matches!(p, Part::Quoted(t) | Part::Text(t) if may_assign(t))) {
                    self.fog("a sum that is not known may set a variable");
                }
                return Err(doubt);
            }
        };
        self.sum_text(text)
    }

    pub(super) fn sum_text(&mut self, text: Vec<u8>) -> Summed {
        let is_empty = text.trim_ascii().is_empty();
        if is_empty && self.dialect != Dialect::Dash {
            return Ok(0);
        }
        Sum { machine: self, text, at: 0, depth: 0, is_idle: false, values: 0 }.whole()
    }
}

impl Sum<'_, '_> {
    /// The value of all of it.
    fn whole(&mut self) -> Summed {
        if self.text.trim_ascii().is_empty() {
            return self.refused();
        }
        let value = self.comma()?;
        self.blanks();
        if self.at < self.text.len() {
            return self.wrong();
        }
        Ok(value)
    }

    /// What is not followed, or is an error of the shell's, which ends the command, the file or the shell.
    fn wrong<T>(&mut self) -> Result<T, Arc<Doubt>> {
        // How ksh goes on then is not followed; nor is what is set in there.
        if self.machine.dialect == Dialect::Ksh || may_assign(&self.text) {
            self.machine.fail_perhaps(UNFOLLOWED);
        }
        Err(self.machine.doubt(UNFOLLOWED))
    }

    /// What is certainly wrong in this shell.
    fn refused<T>(&mut self) -> Result<T, Arc<Doubt>> {
        Err(self.machine.doubt(WRONG))
    }

    fn blanks(&mut self) {
        while self.text.get(self.at).is_some_and(u8::is_ascii_whitespace) {
            self.at += 1;
        }
    }

    fn take(&mut self, what: &[u8]) -> bool {
        self.blanks();
        let is_it = self.text.get(self.at..).is_some_and(|r| r.starts_with(what));
        if is_it {
            self.at += what.len();
        }
        is_it
    }

    fn comma(&mut self) -> Summed {
        let mut value = self.choice()?;
        while self.take(b",") {
            if self.machine.dialect == Dialect::Dash {
                return self.refused();
            }
            value = self.choice()?;
        }
        Ok(value)
    }

    fn choice(&mut self) -> Summed {
        self.depth += 1;
        if self.depth > 60 {
            return self.wrong();
        }
        let condition = self.binary(0)?;
        if !self.take(b"?") {
            self.depth -= 1;
            return Ok(condition);
        }
        let outer = self.is_idle;
        self.is_idle = outer || condition == 0;
        let yes = self.choice()?;
        if !self.take(b":") {
            return self.wrong();
        }
        self.is_idle = outer || condition != 0;
        let no = self.choice()?;
        self.is_idle = outer;
        self.depth -= 1;
        Ok(if condition != 0 { yes } else { no })
    }

    fn operator(&mut self, level: usize) -> Option<&'static [u8]> {
        self.blanks();
        let rest = self.text.get(self.at..).unwrap_or_default();
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

    fn binary(&mut self, level: usize) -> Summed {
        if level >= LEVELS.len() {
            return self.power();
        }
        let mut left = self.binary(level + 1)?;
        while let Some(operator) = self.operator(level) {
            let outer = self.is_idle;
            self.is_idle = outer || operator == b"||" && left != 0 || operator == b"&&" && left == 0;
            let right = self.binary(level + 1)?;
            self.is_idle = outer;
            left = match operator {
                b"||" => i64::from(left != 0 || right != 0),
                b"&&" => i64::from(left != 0 && right != 0),
                b"|" => left | right,
                b"^" => left ^ right,
                b"&" => left & right,
                b"==" => i64::from(left == right),
                b"!=" => i64::from(left != right),
                b"<=" => i64::from(left <= right),
                b">=" => i64::from(left >= right),
                b"<" => i64::from(left < right),
                b">" => i64::from(left > right),
                b"<<" if (0..64).contains(&right) => left.wrapping_shl(right as u32),
                b">>" if (0..64).contains(&right) => left.wrapping_shr(right as u32),
                b"+" => left.wrapping_add(right),
                b"-" => left.wrapping_sub(right),
                b"*" => left.wrapping_mul(right),
                b"/" if right != 0 => left.wrapping_div(right),
                b"%" if right != 0 => left.wrapping_rem(right),
                _ if self.is_idle => 0,
                // How ksh goes on then is not followed.
                b"/" | b"%" if self.machine.dialect != Dialect::Ksh => return self.refused(),
                _ => return self.wrong(),
            };
            self.bounded(left)?;
        }
        Ok(left)
    }

    /// mksh counts in 32 bits, and ksh goes over to floating point; what is beyond that is not followed.
    fn bounded(&mut self, number: i64) -> Summed {
        let most = match self.machine.dialect {
            Dialect::Mksh => i64::from(i32::MAX),
            Dialect::Ksh => 1 << 53,
            _ => return Ok(number),
        };
        if (-most..=most).contains(&number) { Ok(number) } else { Err(self.machine.doubt("a number as large as that")) }
    }

    /// A power, which binds to the right; of a negative number, and in shells without it, it is not followed.
    fn power(&mut self) -> Summed {
        self.blanks();
        let is_signed = self.text.get(self.at).is_some_and(|b| b"-+!~".contains(b));
        let base = self.unary()?;
        if !self.take(b"**") {
            return Ok(base);
        }
        if is_signed || matches!(self.machine.dialect, Dialect::Dash | Dialect::Mksh) {
            return self.wrong();
        }
        self.depth += 1;
        if self.depth > 60 {
            return self.wrong();
        }
        let exponent = self.power()?;
        self.depth -= 1;
        match u32::try_from(exponent).ok().and_then(|e| base.checked_pow(e)) {
            Some(number) => self.bounded(number),
            None if self.is_idle => Ok(0),
            None => self.wrong(),
        }
    }

    fn unary(&mut self) -> Summed {
        self.depth += 1;
        if self.depth > 60 {
            return self.wrong();
        }
        self.blanks();
        // dash takes the signs one by one.
        let counts = self.machine.dialect != Dialect::Dash;
        let value = if counts && self.take(b"++") {
            self.counted(1)?
        } else if counts && self.take(b"--") {
            self.counted(-1)?
        } else if self.take(b"!") {
            i64::from(self.unary()? == 0)
        } else if self.take(b"~") {
            !self.unary()?
        } else if self.take(b"-") {
            self.unary()?.wrapping_neg()
        } else if self.take(b"+") {
            self.unary()?
        } else {
            self.primary()?
        };
        self.depth -= 1;
        Ok(value)
    }

    fn primary(&mut self) -> Summed {
        if self.take(b"(") {
            let value = self.comma()?;
            return if self.take(b")") { Ok(value) } else { self.wrong() };
        }
        let from = self.at;
        while self.text.get(self.at).is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_') {
            self.at += 1;
        }
        let word = self.text.get(from..self.at).unwrap_or_default().to_vec();
        if word.first().is_some_and(u8::is_ascii_digit) {
            return match self.text.get(self.at) {
                Some(b'#') if self.machine.dialect != Dialect::Dash => self.based(&word),
                Some(b'.') if matches!(self.machine.dialect, Dialect::Zsh | Dialect::Ksh) => {
                    Err(self.machine.doubt("a number with a point"))
                }
                _ => self.number(&word),
            };
        }
        if self.text.get(self.at) == Some(&b'[') && !word.is_empty() && self.machine.dialect != Dialect::Dash {
            return self.item(&word);
        }
        if word.is_empty() || matches!(self.text.get(self.at), Some(b'[' | b'#' | b'.')) {
            return self.wrong();
        }
        for operator in [&b"<<="[..], b">>=", b"+=", b"-=", b"*=", b"/=", b"%=", b"&=", b"|=", b"^=", b"=", b"++", b"--"] {
            self.blanks();
            let rest = self.text.get(self.at..).unwrap_or_default();
            if !rest.starts_with(operator) || operator == b"=" && rest.get(1) == Some(&b'=') {
                continue;
            }
            if self.machine.dialect == Dialect::Dash && matches!(operator, b"++" | b"--") {
                // Signs of what follows, which must be there.
                if rest.get(2..).unwrap_or_default().trim_ascii_start().first().is_some_and(u8::is_ascii_alphanumeric) {
                    break;
                }
                return self.refused();
            }
            self.at += operator.len();
            let old = if operator == b"=" { 0 } else { self.name(&word)? };
            let new = match operator {
                b"++" => old.wrapping_add(1),
                b"--" => old.wrapping_sub(1),
                _ => {
                    let right = self.choice()?;
                    match operator {
                        b"=" => right,
                        b"+=" => old.wrapping_add(right),
                        b"-=" => old.wrapping_sub(right),
                        b"*=" => old.wrapping_mul(right),
                        b"&=" => old & right,
                        b"|=" => old | right,
                        b"^=" => old ^ right,
                        b"<<=" if (0..64).contains(&right) => old.wrapping_shl(right as u32),
                        b">>=" if (0..64).contains(&right) => old.wrapping_shr(right as u32),
                        b"/=" if right != 0 => old.wrapping_div(right),
                        b"%=" if right != 0 => old.wrapping_rem(right),
                        _ => return self.wrong(),
                    }
                }
            };
            self.put(&word, new)?;
            return Ok(if matches!(operator, b"++" | b"--") { old } else { new });
        }
        self.name(&word)
    }

    /// Sets a name to a number.
    fn put(&mut self, name: &[u8], number: i64) -> Result<(), Arc<Doubt>> {
        // zsh makes a number of a name that was not set, or was a list.
        let is_new = self.machine.dialect == Dialect::Zsh && !matches!(self.machine.content_of(name), Content::Set(_));
        if is_new && !self.is_idle {
            self.machine.doubt_number(name);
        }
        self.bounded(number)?;
        if !self.is_idle && !self.machine.assign(name, Content::Set(Val::of(number.to_string())), None) {
            self.machine.fail_refused();
        }
        // There `set -a` does not reach it.
        let state = self.machine.live.as_ref();
        if self.machine.dialect == Dialect::Mksh && state.is_some_and(|s| s.option("allexport") != Some(false)) {
            self.machine.doubt_export(name);
        }
        Ok(())
    }

    /// Counts a name up or down before it is used: `++NAME`.
    fn counted(&mut self, by: i64) -> Summed {
        self.blanks();
        let rest = self.text.get(self.at..).unwrap_or_default();
        let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
        let name = rest.get(..length).unwrap_or_default().to_vec();
        let is_odd = matches!(rest.get(length), Some(b'[' | b'#' | b'.' | b'=' | b'+' | b'-'));
        if name.first().is_none_or(u8::is_ascii_digit) || is_odd {
            return self.wrong();
        }
        self.at += length;
        let new = self.name(&name)?.wrapping_add(by);
        self.put(&name, new)?;
        Ok(new)
    }

    fn name(&mut self, name: &[u8]) -> Summed {
        let content = self.machine.content_of(name);
        self.of_value(&content)
    }

    /// The number that a variable holds.
    fn of_value(&mut self, content: &Content) -> Summed {
        match content {
            Content::Unset => Ok(0),
            Content::Set(Val::Known(text)) => {
                let text = text.trim_ascii();
                if text.is_empty() {
                    return Ok(0);
                }
                let (sign, digits) = match text.strip_prefix(b"-") {
                    Some(rest) => (-1, rest),
                    None => (1, text),
                };
                if digits.iter().all(u8::is_ascii_digit) && !digits.is_empty() {
                    return Ok(sign * self.number(digits)?);
                }
                // It is an expression of its own; ksh has other rules for names in there.
                let is_followed = matches!(self.machine.dialect, Dialect::Bash | Dialect::Zsh | Dialect::Mksh);
                if !is_followed || self.is_idle || self.values >= MOST_VALUES {
                    return self.wrong();
                }
                self.values += 1;
                let outer = (std::mem::replace(&mut self.text, text.to_vec()), std::mem::replace(&mut self.at, 0));
                let value = self.whole();
                (self.text, self.at) = outer;
                value
            }
            Content::Set(Val::Unknown(doubt)) | Content::Perhaps(Val::Unknown(doubt)) => Err(Arc::clone(doubt)),
            _ => Err(self.machine.doubt("a number that is not known")),
        }
    }

    /// `BASE#DIGITS`.
    fn based(&mut self, base: &[u8]) -> Summed {
        let rest = self.text.get(self.at + 1..).unwrap_or_default();
        let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric()).count();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let digits = text(rest.get(..length).unwrap_or_default());
        self.at += 1 + length;
        let base = text(base).parse().ok().filter(|base| (2..=36).contains(base) && length > 0);
        match base.and_then(|base| i64::from_str_radix(&digits, base).ok()) {
            Some(number) => self.bounded(number),
            None => self.wrong(),
        }
    }

    /// `NAME[INDEX]`, as far as it is only read.
    fn item(&mut self, name: &[u8]) -> Summed {
        self.at += 1;
        let index = self.comma()?;
        if !self.take(b"]") {
            return self.wrong();
        }
        self.blanks();
        let rest = self.text.get(self.at..).unwrap_or_default();
        let sets = [&b"++"[..], b"--", b"+=", b"-=", b"*=", b"/=", b"%="].iter().any(|sign| rest.starts_with(sign));
        if sets || rest.starts_with(b"=") && !rest.starts_with(b"==") {
            // Where nothing else is set in it, no more than that is not followed.
            let is_last = !rest.get(2..).unwrap_or_default().iter().any(|b| b"=+-,".contains(b));
            if !is_last || self.is_idle {
                return self.wrong();
            }
            self.machine.doubt_from_here(name);
            return Err(self.machine.doubt("an item of a list is set in a sum"));
        }
        let is_zsh = self.machine.dialect == Dialect::Zsh;
        if self.machine.expands_otherwise() {
            return Err(self.machine.doubt("a part of a list"));
        }
        let values = match self.machine.content_of(name) {
            Content::Array(values) => values.to_vec(),
            Content::Set(value) if !is_zsh => vec![value],
            Content::Unset => Vec::new(),
            _ => return Err(self.machine.doubt("a part of a list")),
        };
        // zsh counts from 1, and all from the end where it is negative.
        let length = i64::try_from(values.len()).unwrap_or(i64::MAX);
        let place = match index {
            index if index < 0 => index + length,
            index => index - i64::from(is_zsh),
        };
        match usize::try_from(place).ok().and_then(|place| values.get(place)).cloned() {
            Some(value) => self.of_value(&Content::Set(value)),
            None if place >= length || is_zsh && index == 0 => Ok(0),
            None => self.wrong(),
        }
    }

    fn number(&mut self, text: &[u8]) -> Summed {
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
            Some(number) => self.bounded(number),
            None => self.wrong(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
