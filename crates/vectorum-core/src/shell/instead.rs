//! What stands instead of a parameter that is not set, or is: `${NAME-WORD}` and its kin (POSIX, 2.6.2).

use std::sync::Arc;

use bytes::Bytes;
use smallvec::smallvec;

use super::content::Content;
use super::expand::{Expanded, Mode, ODD_WORD, Values, brings_list, is_put_together_oddly, is_text};
use super::field::{Field, Fields, last};
use super::machine::Machine;
use super::parameter::{Held, is_all_of};
use super::parse::is_name_start;
use super::reference::OWN_SHAPE;
use super::splitting::OWN_SEPARATORS;
use super::syntax::*;
use super::value::{Doubt, Val};

impl Machine<'_> {
    /// The value of a parameter after what is done to it; `None` where that is a word that stands instead, to be expanded
    /// in its place.
    pub(super) fn parameter_or_word(&mut self, parameter: &Parameter, quoted: bool, mode: Mode) -> Expanded<Option<Values>> {
        let parameter = &*self.referred(parameter)?;
        let Change::Instead(sign, colon, word) = &parameter.change else {
            return self.parameter(parameter, quoted, mode).map(Some);
        };
        let content = self.parameter_content(parameter)?;
        if let Some(unfollowed) = self.otherwise(parameter, &content, quoted, mode) {
            return unfollowed.map(Some);
        }
        self.read_as_sh(&parameter.change, quoted, mode)?;
        // All parameters together cannot be set, even where none is missing (measured: 93u+m).
        if self.dialect == Dialect::Ksh && *sign == b'=' && *colon && parameter.name == "*" {
            self.fail_or_go_on(&self.doubt("a parameter that cannot be set"));
        }
        self.instead(parameter, content, (*sign, *colon), word, (quoted, mode, true))
    }

    /// What stands instead of a parameter, or its own value; `None` where it is a word to be expanded in its place.
    pub(super) fn instead(
        &mut self,
        parameter: &Parameter,
        held: Held,
        (sign, colon): (u8, bool),
        word: &Word,
        (quoted, mode, in_place): (bool, Mode, bool),
    ) -> Expanded<Option<Values>> {
        let is_there = match &held {
            _ if sign == b':' => Ok(false),
            Held::Unset => Ok(false),
            Held::One(value) if colon => value.is_empty().map(|e| !e).ok_or(()),
            Held::One(_) => Ok(true),
            Held::Perhaps(_) | Held::Unknown(_) => Err(()),
            // A list without items is set there.
            Held::Many(values) if !colon => Ok(!values.is_empty() || matches!(self.dialect, Dialect::Zsh | Dialect::Dash)),
            Held::Many(values) => match &values[..] {
                [] => Ok(false),
                [one] => one.is_empty().map(|e| !e).ok_or(()),
                [first, ..] if self.dialect == Dialect::Ksh && first.is_empty() != Some(false) => Err(()),
                _ => Ok(true),
            },
        };
        let has_none = match &held {
            Held::Many(values) => values.is_empty(),
            held => matches!(held, Held::Unset),
        };
        let own = |held: Held| match held {
            Held::Unset => Values::One(Val::of(b"")),
            Held::One(value) | Held::Perhaps(value) => Values::One(value),
            Held::Many(values) => Values::Many(values),
            Held::Unknown(doubt) => Values::One(Val::unknown(doubt)),
        };
        let in_a_way_of_its_own = |m: &mut Self| {
            let doubt = m.doubt("the shell expands this in a way of its own");
            m.doubt_what_is_set(&word.parts, &doubt);
            Some(Values::One(Val::unknown(doubt)))
        };
        let other = |m: &mut Self| -> Expanded<Option<Values>> {
            // zsh looks for tildes in what it assigns, even between quotes.
            let has_tilde = |p: &Part| match p {
                Part::Text(t) | Part::Quoted(t) if sign == b'=' => t.contains(&b'~'),
                Part::Text(t) => memchr::memmem::find(t, b":~").is_some(),
                _ => false,
            };
            if m.dialect == Dialect::Zsh && word.parts.iter().any(has_tilde) {
                return Ok(in_a_way_of_its_own(m));
            }
            // A bang turns no brackets round there (measured: 5.9).
            let has_bang = |p: &Part| matches!(p, Part::Text(t) if memchr::memmem::find(t, b"[!").is_some());
            if m.is_own_zsh() && mode != Mode::Assigned && word.parts.iter().any(has_bang) {
                let doubt = m.doubt("a pattern of another kind");
                m.fork_where_none_is_an_error(&doubt);
                m.doubt_what_is_set(&word.parts, &doubt);
                return Err(doubt);
            }
            // What is split between quotes is joined otherwise there than outside of it.
            let is_odd = m.is_own_zsh()
                && (mode != Mode::Fields || quoted)
                && word.parts.iter().any(|part| splits_between_quotes(part, quoted));
            if is_odd {
                let value = in_a_way_of_its_own(m);
                return if mode == Mode::Fields { Err(m.doubt(OWN_SHAPE)) } else { Ok(value) };
            }
            // Where something is exchanged in what is not set, nothing at all may be left there, quotes or not (measured: 93u+m).
            if m.dialect == Dialect::Ksh && mode == Mode::Fields && word.parts.iter().any(exchanges_between_quotes) {
                let doubt = m.doubt("the shell expands this in a way of its own");
                m.doubt_what_is_set(&word.parts, &doubt);
                return Err(doubt);
            }
            // What is not followed may be a list there, of several words between quotes, too.
            let is_shape = |part: &Part| matches!(part, Part::Unfollowed(_));
            if m.is_own_zsh() && mode == Mode::Fields && quoted && word.parts.iter().any(is_shape) {
                let doubt = m.doubt(OWN_SHAPE);
                m.doubt_what_is_set(&word.parts, &doubt);
                return Err(doubt);
            }
            if in_place && mode == Mode::Fields && matches!(sign, b'-' | b'+') {
                return Ok(None);
            }
            // Between quotes a tilde is one.
            if quoted {
                return Ok(Some(Values::One(m.quoted_text(&word.parts))));
            }
            // In zsh a list that becomes one text there does so without what is empty.
            let becomes_one = mode != Mode::Fields || sign == b':';
            if m.is_own_zsh() && becomes_one && word.parts.iter().any(|part| m.may_bring_list(part)) {
                if matches!(sign, b'=' | b':') || word.parts.len() > 1 {
                    return Ok(in_a_way_of_its_own(m));
                }
                let fields = m.expand(&word.parts, Mode::Fields)?;
                return m.joined(Values::Many(fields.into_iter().map(Field::value).collect()), None).map(Some);
            }
            // In a pattern quotes within it count, too.
            let is_quoted = |part: &Part| matches!(part, Part::Quoted(_) | Part::Coded(_) | Part::Double(_));
            // What stands there as it is, is a pattern in zsh, too, unlike what parameters bring.
            let counts = |part: &Part| is_quoted(part) || m.dialect == Dialect::Zsh && matches!(part, Part::Text(_));
            if in_place && mode == Mode::One && matches!(sign, b'-' | b'+') && word.parts.iter().any(counts) {
                return Ok(None);
            }
            // Outputs are split there, and put together again.
            let is_output = |part: &Part| matches!(part, Part::Output(_));
            if m.is_own_zsh() && mode == Mode::Assigned && word.parts.iter().any(is_output) {
                let value = m.one(&word.parts, Mode::One);
                let is_whole = |text: &Bytes| !text.iter().any(u8::is_ascii_whitespace);
                return Ok(Some(match value.known() {
                    Some(text) if !is_whole(text) => in_a_way_of_its_own(m).unwrap_or(Values::One(value)),
                    _ => Values::One(value),
                }));
            }
            // What stands there is split as if it stood outside.
            if matches!(sign, b'=' | b':') || mode != Mode::Fields {
                // In a value tildes behind colons count there, too; ksh has it otherwise.
                let as_value = mode == Mode::Assigned && sign != b'=' && m.dialect != Dialect::Ksh;
                Ok(Some(Values::One(m.one(&word.parts, if as_value { Mode::Assigned } else { Mode::One }))))
            } else {
                let mut fields = m.expand(&word.parts, Mode::Fields)?;
                match fields.len() {
                    0 => Ok(Some(Values::One(Val::of(b"")))),
                    1 => Ok(Some(Values::One(fields.remove(0).value()))),
                    _ => Ok(Some(Values::Many(fields.into_iter().map(Field::value).collect()))),
                }
            }
        };
        match (sign, is_there) {
            (b'+', Ok(true)) | (b'-' | b'=' | b':', Ok(false)) => {
                let values = other(self)?;
                if matches!(sign, b'=' | b':') {
                    let Some(Values::One(value)) = &values else { return Ok(values) };
                    self.assign_within(parameter, value.clone());
                    // What its attributes make of it is what stands there.
                    if self.changes_values(&parameter.name) {
                        let value = self.content_of(&parameter.name).value();
                        return Ok(value.filter(|_| parameter.key.is_none()).map(Values::One).or(values));
                    }
                }
                Ok(values)
            }
            (b'+', Ok(false))
                if quoted && is_all_of(parameter) && has_none && !matches!(self.dialect, Dialect::Dash | Dialect::Zsh) =>
            {
                Ok(Some(Values::Many(Vec::new())))
            }
            (b'+', Ok(false)) => Ok(Some(Values::One(Val::of(b"")))),
            // Between what is put there by it, and by the list itself, bash makes a difference.
            (_, Ok(true))
                if self.dialect == Dialect::Bash
                    && parameter.name == "@"
                    && mode != Mode::Fields
                    && matches!(&held, Held::Many(values) if values.len() > 1)
                    && self.separators()?.is_some_and(|all| *all != *b" \t\n") =>
            {
                Ok(Some(Values::One(Val::unknown(self.doubt(OWN_SEPARATORS)))))
            }
            (_, Ok(true)) => Ok(Some(own(held))),
            (b'?', Ok(false)) => {
                // Where it does not, as on a terminal, what follows is given up in ways of its own.
                if self.dialect == Dialect::Zsh && !self.is_interactive {
                    self.set_status(1);
                    self.exit();
                }
                self.fail_unless_typed("a name that is not set ends the shell");
                Ok(Some(Values::One(Val::unknown(self.doubt("a name that is not set ends the shell")))))
            }
            (_, Err(())) | (_, Ok(false)) => {
                let doubt = match &held {
                    Held::One(Val::Unknown(text)) | Held::Perhaps(Val::Unknown(text)) => text.doubt.clone(),
                    Held::Unknown(doubt) => doubt.clone(),
                    _ => self.doubt("whether the name is set is not known"),
                };
                let value = match own(held) {
                    Values::One(value) => value,
                    _ => Val::unknown(doubt.clone()),
                };
                // It is expanded only where it counts.
                let mut second = Val::of(b"");
                self.fork(&doubt, |m| second = m.one(&word.parts, Mode::One), |_| {});
                // It may be any number of words then.
                let is_zsh = self.is_own_zsh();
                let may_be_many = |part: &Part| match part {
                    _ if brings_list(part) => true,
                    Part::Double(inner) => is_zsh && inner.iter().any(|part| self.may_bring_list(part)),
                    Part::Parameter(parameter) if is_all_of(parameter) => true,
                    part => is_zsh && self.may_bring_list(part),
                };
                // Quotes without anything between them are a word, too, where it counts.
                let may_be_word = |part: &Part| !quoted && matches!(part, Part::Quoted(_) | Part::Double(_));
                if mode == Mode::Fields && word.parts.iter().any(|part| may_be_many(part) || may_be_word(part)) {
                    return Err(doubt);
                }
                let joined = match sign {
                    b'+' => Val::of(b"").join(&second, &doubt),
                    b'?' => {
                        self.fail_perhaps("a name that may not be set ends the shell");
                        value
                    }
                    _ => {
                        // Where it counts as unset it becomes the other, which is not empty then.
                        let filled = colon && second.is_empty() == Some(false);
                        let joined = value.join(&second, &doubt);
                        if filled { joined.but_filled(true) } else { joined }
                    }
                };
                if sign == b'=' {
                    self.assign_perhaps(parameter, second, &joined, &doubt);
                    if self.changes_values(&parameter.name) {
                        return Ok(Some(Values::One(Val::unknown(doubt))));
                    }
                }
                Ok(Some(Values::One(joined)))
            }
        }
    }

    /// Whether a part of a word may be a list in zsh.
    fn may_bring_list(&self, part: &Part) -> bool {
        match part {
            Part::Shaped(_) => true,
            Part::Parameter(p) => {
                matches!(&p.name[..], b"@" | b"*") || !matches!(self.content_of(&p.name), Content::Set(_) | Content::Unset)
            }
            _ => false,
        }
    }

    /// Whether what a name is set to within a word may become something else by its attributes, which all but zsh show there
    /// (measured: bash 5.2, 93u+m, R59).
    fn changes_values(&self, name: &[u8]) -> bool {
        let var = self.live.as_ref().and_then(|s| s.vars.get(name));
        self.dialect != Dialect::Zsh && var.is_some_and(|var| var.is_odd || var.is_number)
    }

    /// Sets a name, or an item of it, within a word.
    fn assign_within(&mut self, parameter: &Parameter, value: Val) {
        let name = &parameter.name;
        if !name.first().is_some_and(|byte| is_name_start(*byte)) {
            // zsh alone sets what is no name, if it is a number.
            if self.dialect == Dialect::Zsh && name.iter().all(u8::is_ascii_digit) {
                return self.fog("a positional parameter is set");
            }
            return self.fail_hard();
        }
        // What bash keeps its calls in is set in vain, and what follows may be given up (measured: 5.2).
        if self.dialect == Dialect::Bash && name == "FUNCNAME" {
            self.fail_or_go_on(&self.doubt("the shell gives this variable a meaning of its own"));
        }
        let is_done = match &parameter.key {
            // No item is called so.
            Some(key) if is_text(key, b"@") || is_text(key, b"*") => {
                return self.fail_perhaps("all items of a list are set to what stands instead of them");
            }
            Some(key) => self.put_item(name, key, value),
            None => self.assign(name, Content::Set(value), None),
        };
        if !is_done {
            self.doubt_status(self.doubt("a name that is held fast"));
            self.fail_hard();
        }
        // There `set -a` does not reach it.
        if self.dialect == Dialect::Mksh && self.may_be_set("allexport") {
            self.doubt_export(name);
        }
    }

    /// Sets a name within a word if it is not set, which is not known; then it is `joined` either way.
    fn assign_perhaps(&mut self, parameter: &Parameter, value: Val, joined: &Val, doubt: &Arc<Doubt>) {
        if parameter.key.is_some() {
            return self.fork(doubt, |m| m.assign_within(parameter, value), |_| {});
        }
        let name = &parameter.name;
        self.fork(
            doubt,
            |m| m.assign_within(parameter, value),
            |m| {
                if let Some(var) = m.live.as_mut().and_then(|s| s.vars.get_mut(name))
                    && let Content::Perhaps(value) = &var.content
                {
                    var.content = Content::Set(value.clone());
                }
            },
        );
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name))
            && matches!(var.content, Content::Set(_))
        {
            var.content = Content::Set(joined.clone());
        }
    }

    /// Puts what stands instead of a parameter as if it stood in its place, but that plain text is split, too (POSIX, 2.6.5).
    pub(super) fn put_instead(&mut self, word: &Word, mode: Mode, fields: &mut Fields) -> Expanded<()> {
        // Between separators that are no blanks a list comes apart in another way there (measured: bash 5.2).
        let is_list = |part: &Part| matches!(part, Part::Parameter(parameter) if is_all_of(parameter));
        if self.dialect == Dialect::Bash
            && mode == Mode::Fields
            && word.parts.iter().any(is_list)
            && self.separators()?.is_some_and(|bytes| bytes.iter().any(|byte| !b" \t\n".contains(byte)))
        {
            return Err(self.doubt(OWN_SEPARATORS));
        }
        if mode == Mode::Fields && is_put_together_oddly(&word.parts, self.dialect) {
            return Err(self.doubt(ODD_WORD));
        }
        // Each item would go with what stands behind, in the word and behind it.
        if word.parts.iter().any(|part| matches!(part, Part::Shaped(shaped) if shaped.is_spread())) {
            return Err(self.doubt(OWN_SHAPE));
        }
        let (count, field) = (fields.len(), last(fields));
        let (was_there, length) = (field.is_there, field.text.len());
        for (index, part) in word.parts.iter().enumerate() {
            let is_reference = matches!(part, Part::Parameter(p) if matches!(p.change, Change::Instead(..)));
            // There empty ones behind others are lost (measured: R59).
            if self.dialect == Dialect::Mksh && mode == Mode::Fields && index > 0 && is_reference {
                return Err(self.doubt(ODD_WORD));
            }
            let Part::Text(text) = part else {
                self.expand_into(std::slice::from_ref(part), mode, fields)?;
                continue;
            };
            let mut held: Fields = smallvec![Field::default()];
            self.text(text, index == 0, index + 1 == word.parts.len(), mode, &mut held);
            for field in held {
                for (stretch, quoted) in field.pieces() {
                    if quoted {
                        last(fields).push(stretch, true);
                    } else if mode != Mode::Fields || !self.splits_words()? {
                        last(fields).push(stretch, false);
                    } else {
                        self.split_at_separators(&Val::of(stretch), self.is_own_zsh(), fields)?;
                    }
                }
                if let Some(unknown) = &field.unknown {
                    last(fields).put_unknown(unknown);
                }
            }
        }
        // At the end of it quotes make no field of nothing in ksh (measured: 93u+m).
        if self.dialect == Dialect::Ksh {
            let (was_there, length) = if fields.len() == count { (was_there, length) } else { (false, 0) };
            let field = last(fields);
            if field.is_there != was_there && field.text.len() == length && field.unknown.is_none() {
                field.is_there = was_there;
                if word.parts.iter().any(brings_list) {
                    return Err(self.doubt(ODD_WORD));
                }
            }
        }
        Ok(())
    }

    /// What mksh makes of some parameters without quotes is not followed: a word is lost behind an empty value that was set
    /// there, and blanks at the front of a part do not end the word before, of which `before` says how long it is
    /// (measured: R59).
    pub(super) fn doubt_as_mksh(
        &mut self,
        parameter: &Parameter,
        values: Option<&Values>,
        before: Option<usize>,
    ) -> Expanded<()> {
        let (is_first, is_empty) = (before.is_none(), before == Some(0));
        let begins_with_blank = |text: &Bytes| text.first().is_some_and(|b| b" \t\n".contains(b));
        let is_odd = match (&parameter.change, values) {
            (Change::Instead(b'=', ..), Some(Values::One(value))) => !is_first && value.is_empty() != Some(false),
            (Change::Instead(..), Some(Values::One(value))) => is_empty && value.is_empty() != Some(false),
            (Change::Instead(.., word), None) if word.parts.is_empty() => is_empty,
            // So it does within another one.
            (Change::Instead(.., word), None) if !is_first && word.parts.iter().any(cuts_part) => true,
            (Change::Instead(.., word), None) => {
                word.parts.iter().any(|part| matches!(part, Part::Text(text) if memchr::memmem::find(text, b":~").is_some()))
            }
            // What is cut out of a text and is empty takes the word before it away.
            (Change::Trim(..), Some(Values::One(Val::Known(text)))) => !is_first && begins_with_blank(text),
            (Change::Replace(..) | Change::Slice(..), Some(Values::One(value))) => {
                !is_first && value.known().is_none_or(|text| text.is_empty() || begins_with_blank(text))
            }
            _ => false,
        };
        if is_odd { Err(self.doubt(ODD_WORD)) } else { Ok(()) }
    }
}

/// Whether a part of a text is taken or exchanged, in the word of another parameter, too.
fn cuts_part(part: &Part) -> bool {
    let Part::Parameter(parameter) = part else { return false };
    match &parameter.change {
        Change::Replace(..) | Change::Slice(..) => true,
        Change::Instead(.., word) => word.parts.iter().any(cuts_part),
        _ => false,
    }
}

/// Whether a part of a parameter is exchanged between quotes.
fn exchanges_between_quotes(part: &Part) -> bool {
    let exchanges = |part: &Part| matches!(part, Part::Parameter(p) if matches!(p.change, Change::Replace(..)));
    matches!(part, Part::Double(inner) if inner.iter().any(exchanges))
}

/// Whether something between quotes comes apart by a flag of zsh's, or stays apart.
fn splits_between_quotes(part: &Part, quoted: bool) -> bool {
    match part {
        Part::Shaped(shaped) => quoted && (shaped.splits() || shaped.is_of_all()),
        Part::Double(inner) => inner.iter().any(|part| splits_between_quotes(part, true)),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_stands_in_the_place_of_a_value() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X-a}; X=", ["a", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X:-b}${X-c}; X=d", ["bc", "d"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=; R=${X:=e}", ["e", "e"]),
            (&[Bash, Mksh], "typeset -i X; R=${X:=3+4}", ["7", "7"]),
            (&[Bash, Ksh, Mksh], "tide-now && typeset -i X; R=${X:=3+4}", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X=f}; X=$X$X", ["f", "ff"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; R=${X+set}; unset X", ["set", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X+set}; X=${X:+set}", ["", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X-\"a b\"}; X=${R-'c'}", ["a b", "a b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X='a b'; R=${X:+$X}; X=\"${X:+\"$X\"}\"", ["a b", "a b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X-${Y-deep}}; X=${Z:-${R:+x}}", ["deep", "x"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=\"${X-'q'}\"; X=${X-'q'}", ["'q'", "q"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=\"${X-\\}}\"; X=${X-\\}}", ["}", "}"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X:-~}; X=\"${X:-~}\"", ["/home/odile", "~"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=0; X=1; (: ${Y?}); R=$?", ["1", "1"]),
            (&[Dash], "R=0; X=1; (: ${Y?}); R=$?", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a ''; R=${2-x}${3-y}; X=${2:-z}", ["y", "z"]),
        ]);
    }
}
