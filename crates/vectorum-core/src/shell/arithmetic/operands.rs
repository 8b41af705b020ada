//! What stands between the signs of an expression: numbers, names and what they hold, and names that are set.

use bytes::Bytes;

use super::super::content::Content;
use super::super::held::MAY_BE_HELD;
use super::super::machine::Machine;
use super::super::parameter::UNSET_IS_ERROR;
use super::super::sum::SUM_MAY_SET;
use super::super::syntax::Dialect;
use super::super::value::Val;
use super::may_assign;
use super::{Effect, MOST_VALUES, Number, Stop, Sum, UNKNOWN, Worked};

/// What sets a name, and counts it up or down behind it.
const SETTING: &[&[u8]] = &[b"<<=", b">>=", b"+=", b"-=", b"*=", b"/=", b"%=", b"&=", b"|=", b"^=", b"=", b"++", b"--"];

impl Sum<'_, '_> {
    /// Steps over a word, and whatever is not known of it.
    fn word(&mut self) -> Vec<u8> {
        let is_of_word = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_' || *b == UNKNOWN;
        let length = self.rest().iter().take_while(|b| is_of_word(b)).count();
        let word = self.rest().get(..length).unwrap_or_default().to_vec();
        self.at += length;
        word
    }

    pub(super) fn primary(&mut self) -> Worked {
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
                    let doubt = self.machine.doubt("a number with a point");
                    // Nothing is made of its bits there (measured: 93u+m).
                    let has_bits = self.machine.dialect == Dialect::Ksh && self.text.iter().any(|b| b"|&^~<>".contains(b));
                    if !self.word().iter().all(u8::is_ascii_digit) || has_bits {
                        self.risk(&doubt);
                    }
                    Ok(Err(doubt))
                }
                _ => self.number(&word),
            };
        }
        if next == Some(b'[') && !word.is_empty() && self.machine.dialect != Dialect::Dash {
            return self.item(&word, from == self.begins);
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
        if !matches!(operator, b"++" | b"--") && from != self.begins {
            return Err(self.cannot_be_set());
        }
        let old = match operator {
            b"=" => Ok(0),
            b"++" => self.counted_from(&word, 1)?,
            b"--" => self.counted_from(&word, -1)?,
            _ => self.name(&word)?,
        };
        let new = match operator {
            b"++" => old.clone().map(|number| number.wrapping_add(1)),
            b"--" => old.clone().map(|number| number.wrapping_sub(1)),
            b"=" => self.choice()?,
            _ => {
                let right = self.choice()?;
                self.combined(operator.strip_suffix(b"=").unwrap_or(operator), &old, &right)?
            }
        };
        let new = self.put(&word, new)?;
        Ok(if matches!(operator, b"++" | b"--") { old } else { new })
    }

    /// A name is set where none can be. What ksh makes of signs before it is not followed.
    fn cannot_be_set(&self) -> Stop {
        if self.machine.dialect == Dialect::Ksh { Stop::Unfollowed } else { Stop::Refused }
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
        let Some(value) = self.pieces.get(place).cloned() else { return Err(Stop::Unfollowed) };
        // It may be a name that is not set.
        if !value.is_number {
            self.need(false)?;
        }
        self.blanks();
        let next = self.text.get(self.at).copied();
        // Whose name is set, or which list, is not known.
        if self.setting().is_some() || matches!(next, Some(b'[' | b'#')) {
            return Err(Stop::Unfollowed);
        }
        // Where it is empty, a sign behind it is that of what follows.
        let may_be_empty = !value.is_filled && word.len() == 1 && !matches!(next, Some(b'+' | b'-')) && self.text.len() > 1;
        // With a number in front it stays one.
        let is_number = value.is_number && !may_be_empty && word.iter().all(|b| b.is_ascii_digit() || *b == UNKNOWN);
        if !is_number {
            self.risk(&value.doubt);
        }
        Ok(Err(value.doubt))
    }

    /// Sets a name to a number.
    fn put(&mut self, name: &[u8], number: Number) -> Worked {
        let number = number.and_then(|number| self.bounded(number));
        // That is the last word of a command, and holds no number for long.
        if name == b"_" && self.machine.dialect == Dialect::Ksh {
            return Ok(Err(self.machine.doubt("what a command's last word was")));
        }
        if self.machine.is_readonly(name) {
            return self.refused();
        }
        // There it is written by a base that stood in the sum (measured: 5.9).
        let has_base =
            self.text.contains(&b'#') || [&b"0x"[..], b"0X"].iter().any(|sign| memchr::memmem::find(&self.text, sign).is_some());
        let told = match self.machine.dialect {
            Dialect::Zsh if has_base => Err(self.machine.doubt("a number that is written by its base")),
            _ => number.clone(),
        };
        if self.machine.may_be_held(name) {
            self.risk(&self.machine.doubt(MAY_BE_HELD));
        }
        // There a table that is set as a number hangs for ever (measured: 93u+m).
        let var = self.machine.live.as_ref().and_then(|state| state.vars.get(name));
        let (is_odd, can_be_list) = var.map_or((false, false), |var| (var.is_odd, var.can_be_list()));
        if is_odd && can_be_list && self.machine.dialect == Dialect::Ksh && !matches!(self.effect, Effect::No) {
            let doubt = self.machine.doubt("a table that is set as a number");
            self.risk(&doubt);
            self.machine.fail_or_go_on(&doubt);
        }
        // Behind what may be an error nothing may be set.
        let effect = match (&self.effect, &self.risk) {
            (Effect::Yes, Some(doubt)) => Effect::Perhaps(doubt.clone()),
            (effect, _) => effect.clone(),
        };
        match effect {
            Effect::Yes => self.machine.set_to_number(name, &told),
            Effect::Perhaps(doubt) => self.machine.fork(&doubt, |machine| machine.set_to_number(name, &told), |_| {}),
            Effect::No => {}
        }
        // What is set to a number that need not be whole is no whole number either (measured: 5.9).
        Ok(match self.machine.dialect {
            Dialect::Zsh if is_odd => Err(self.machine.doubt("a number that is perhaps not whole")),
            _ => number,
        })
    }

    /// Counts a name up or down before it is used: `++NAME`.
    pub(super) fn counted(&mut self, by: i64) -> Worked {
        self.blanks();
        let name = self.word();
        let is_odd = matches!(self.text.get(self.at), Some(b'[' | b'#' | b'.' | b'=' | b'+' | b'-'));
        if name.first().is_none_or(u8::is_ascii_digit) || name.contains(&UNKNOWN) || is_odd {
            return Err(Stop::Unfollowed);
        }
        let new = self.counted_from(&name, by)?.map(|number| number.wrapping_add(by));
        self.put(&name, new)
    }

    /// What is counted up or down. zsh counts it from nothing where that is wrong, too (measured: 5.9).
    fn counted_from(&mut self, name: &[u8], by: i64) -> Worked {
        let counts = self.machine.dialect == Dialect::Zsh && matches!(self.effect, Effect::Yes);
        let is_error = self.machine.live.as_ref().is_some_and(|s| s.option("nounset") == Some(true));
        if counts && is_error && matches!(self.machine.content_of(name), Content::Unset) {
            let _ = self.put(name, Ok(by))?;
            self.need(true)?;
        }
        let old = self.name(name);
        if counts && matches!(old, Err(Stop::Refused)) {
            let _ = self.put(name, Ok(by))?;
        }
        old
    }

    fn name(&mut self, name: &[u8]) -> Worked {
        // One that does not count is not looked up.
        if matches!(self.effect, Effect::No) {
            return Ok(Ok(0));
        }
        // That is the last word of the command before, and may be a sum that sets something.
        if name == b"_" {
            self.machine.fog(SUM_MAY_SET);
            return Err(Stop::Unfollowed);
        }
        let is_number = self.machine.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number);
        let is_number = is_number || self.machine.is_special(name);
        let content = self.machine.content_of(name);
        if matches!(content, Content::Unset | Content::Perhaps(_)) {
            self.need(matches!(content, Content::Unset))?;
        }
        self.of_value(&content, is_number)
    }

    /// Under `set -u` some shells end at a name that is not set in a sum, too (measured).
    fn need(&mut self, is_missing: bool) -> Worked<()> {
        let option = self.machine.live.as_ref().map_or(Some(false), |s| s.option("nounset"));
        if option == Some(false) || matches!(self.machine.dialect, Dialect::Dash | Dialect::Mksh) {
            return Ok(());
        }
        // Alone, a sum is wrong by that there, and no more (measured: zsh 5.9, and `let` of 93u+m).
        if self.machine.is_sum {
            return match &self.effect {
                Effect::No => Ok(()),
                Effect::Yes if is_missing && option == Some(true) => Err(Stop::Refused),
                _ => Err(Stop::Unfollowed),
            };
        }
        // What stands before it may be wrong in another way.
        let is_sure = is_missing && self.risk.is_none();
        if is_sure && option == Some(true) && matches!(self.effect, Effect::Yes) {
            self.machine.fail_in_sum(UNSET_IS_ERROR);
        } else {
            let doubt = self.machine.doubt(UNSET_IS_ERROR);
            self.machine.fork(&doubt, |machine| machine.fail_in_sum(UNSET_IS_ERROR), |_| {});
        }
        Ok(())
    }

    /// The number that a variable holds.
    fn of_value(&mut self, content: &Content, is_number: bool) -> Worked {
        match content {
            Content::Unset => Ok(Ok(0)),
            Content::Set(Val::Known(text)) => self.of_text(text),
            Content::Set(value @ Val::Unknown(unknown)) | Content::Perhaps(value @ Val::Unknown(unknown)) => {
                if !is_number && !value.is_number() {
                    // It may be a name that is not set.
                    self.need(false)?;
                    self.risk(&unknown.doubt);
                }
                Ok(Err(unknown.doubt.clone()))
            }
            Content::Perhaps(value) => {
                let doubt = self.machine.doubt("a number that is not known");
                if !value.is_number() {
                    self.risk(&doubt);
                }
                Ok(Err(doubt))
            }
            // Of a list these take no number.
            _ => {
                let doubt = self.machine.doubt("a number that is not known");
                if matches!(self.machine.dialect, Dialect::Ksh | Dialect::Zsh) {
                    self.risk(&doubt);
                }
                Ok(Err(doubt))
            }
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
        // There it is worked out late, when what stands behind it may have set something.
        let rest = self.rest().trim_ascii_start();
        let behind =
            SETTING.iter().find_map(|sign| rest.strip_prefix(*sign).filter(|rest| !rest.starts_with(b"="))).unwrap_or(rest);
        let is_late = self.machine.dialect == Dialect::Zsh && may_assign(behind);
        if !is_followed || is_late || self.values >= MOST_VALUES {
            return self.unfollowed_here();
        }
        self.values += 1;
        let outer = (
            std::mem::replace(&mut self.text, text.to_vec()),
            std::mem::replace(&mut self.at, 0),
            std::mem::take(&mut self.pieces),
            self.begins,
        );
        let value = self.whole();
        (self.text, self.at, self.pieces, self.begins) = outer;
        match value {
            Err(_) if matches!(self.effect, Effect::Perhaps(_)) => self.unfollowed_here(),
            // A value that is wrong gives up more there than the sum (measured: R59).
            Err(Stop::Refused) if self.machine.dialect == Dialect::Mksh && matches!(self.effect, Effect::Yes) => {
                self.machine.fail_hard();
                Err(Stop::Refused)
            }
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
        let is_first = self.text.get(..self.at - base.len()).is_some_and(|before| before.trim_ascii().is_empty());
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
        // Behind others it may be read otherwise there (measured: 93u+m).
        if self.machine.dialect == Dialect::Ksh && !is_first {
            return Ok(Err(self.machine.doubt("a number with a base")));
        }
        match base.and_then(|base| i64::from_str_radix(&text(&digits), base).ok()) {
            Some(number) => Ok(self.bounded(number)),
            None => Err(Stop::Unfollowed),
        }
    }

    /// `NAME[INDEX]`; whether it stands where it can be set.
    fn item(&mut self, name: &[u8], can_be_set: bool) -> Worked {
        self.at += 1;
        let index = match self.comma() {
            // That gives up more there than the sum.
            Err(stop) if self.machine.dialect == Dialect::Bash && !matches!(self.effect, Effect::No) => {
                let doubt = self.machine.doubt("an item of a list");
                self.machine.fork(&doubt, Machine::fail_to_top, |_| {});
                return Err(stop);
            }
            other => other?,
        };
        if !self.take(b"]") {
            return Err(Stop::Unfollowed);
        }
        if let Some(operator) = self.setting() {
            self.at += operator.len();
            if !matches!(operator, b"++" | b"--") {
                if !can_be_set {
                    return Err(self.cannot_be_set());
                }
                let _ = self.choice()?;
            }
            // There the first is the one by that number.
            if self.machine.dialect == Dialect::Zsh && index.as_ref().is_ok_and(|index| *index < 1) {
                return self.refused();
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
            // An option makes octal numbers of these, too.
            None if text.len() > 1 && text.starts_with('0') && self.machine.speaks_posix() => return Err(Stop::Unfollowed),
            // A leading zero makes an octal number in these two, and is taken for nothing in the others.
            None if text.len() > 1
                && text.starts_with('0')
                && (self.machine.as_sh || matches!(self.machine.dialect, Dialect::Bash | Dialect::Dash)) =>
            {
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
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn operands_are_numbers_names_and_what_is_done_to_them() {
        hold(&[
            (&[Bash, Dash], "R=$((0x1f)); X=$((010))", ["31", "8"]),
            (&[Ksh, Mksh, Zsh], "R=$((0x1f)); X=$((010))", ["31", "10"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=3; R=$((X * X)); X=$((-X))", ["9", "-3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=' 7 '; R=$((X + 1))", ["8", " 7 "]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((UNSET + 1)); X=$((UNSET))", ["1", "0"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=$((2#101)); X=$((16#ff))", ["5", "255"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=1; R=$((X++)); ", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=1; R=$((++X))", ["2", "2"]),
            (&[Dash], "X=1; R=$((++X))", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((X = 5))", ["5", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=4; R=$((X += 2))", ["6", "6"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 ? 2 : 3)); X=$((0 || 2))", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((5 / 2)); X=$((-5 % 3))", ["2", "-2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 << 4)); X=$((~0))", ["16", "-1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=a; R=$(($#))", ["0", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- 4; R=$(($1 + 1)); X=$((${1}0))", ["5", "40"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=$(( (1 + 2) * 3 )); X=$((1,2))", ["9", "2"]),
            (&[Bash, Ksh, Zsh], "R=$((2 ** 3)); X=$((- - 2))", ["8", "2"]),
        ]);
    }
}
