//! Parameters: what each holds, and what the signs behind its name make of that.

mod content;
mod cut;

use std::sync::Arc;

use super::content::Content;
use super::expand::{Expanded, Mode, Values, brings_list, is_text};
use super::inner::BRACES_WITHIN;
use super::machine::Machine;
use super::nameref::Meant;
use super::reference::{BAD_SHAPE, ODD_SETTING_SHAPE, ODD_SHAPE, ODD_SUBSCRIPT, OWN_SHAPE, SETTING_SHAPE};
use super::splitting::OWN_SEPARATORS;
use super::syntax::*;
use super::value::{Doubt, Val};

pub(super) use self::cut::{has_odd_cut, is_number, is_plain_cut, is_usual_cut};

/// Whether a pattern certainly fits nothing that is empty.
fn needs_something(parts: &[Part]) -> bool {
    parts.iter().any(|part| match part {
        Part::Quoted(text) => !text.is_empty(),
        Part::Text(text) => text.iter().any(u8::is_ascii_alphanumeric),
        Part::Double(parts) => needs_something(parts),
        _ => false,
    })
}

/// Why nothing comes of a name that is not set where that is an error.
pub(super) const UNSET_IS_ERROR: &str = "with «set -u» a name that is not set ends the shell";

/// Why it is not known what ran last beside the shell.
const BACKGROUND: &str = "a process number, made anew at each start";

/// What a parameter holds.
pub(super) enum Held {
    Unset,
    One(Val),
    Perhaps(Val),
    Many(Vec<Val>),
    Unknown(Arc<Doubt>),
}

/// What the names begin with that bash has by itself, or may have.
const OWN_OF_BASH: &str = "BASH COLUMNS COMP COPROC DIRSTACK EPOCH EUID FUNCNAME GROUPS HIST HOST IFS LINENO LINES MACHTYPE \
    MAIL MAPFILE OLDPWD OPTARG OPTERR OPTIND OSTYPE PATH PIPESTATUS POSIXLY_CORRECT PPID PROMPT_ PS0 PS1 PS2 PS4 PWD RANDOM \
    READLINE REPLY SECONDS SHELL SHLVL SRANDOM TERM UID _";

/// Why it is not known what is worked out for nothing.
const NOT_THERE: &str = "something done to what is not there";

/// Why the number of the shell's own process is not known.
pub(super) const OWN_PROCESS: &str = "the shell's own process number, made anew at each start";

impl Machine<'_> {
    /// The value of a parameter after what is done to it.
    pub(super) fn parameter(&mut self, parameter: &Parameter, quoted: bool, mode: Mode) -> Expanded<Values> {
        if let Change::IsSet(key) = &parameter.change {
            let key = match key.as_deref().map(|key| self.one(key, Mode::One)) {
                Some(Val::Unknown(doubt)) => return Ok(Values::One(Val::Unknown(doubt))),
                Some(Val::Known(key)) => Some(key),
                None => None,
            };
            return Ok(Values::One(match self.is_set(&parameter.name, key.as_deref()) {
                Ok(is_set) => Val::of(if is_set { "1" } else { "0" }),
                Err(doubt) => Val::unknown(doubt),
            }));
        }
        if let Change::Names(joins) = parameter.change {
            let names = self.names_from(&parameter.name)?;
            return if joins && quoted { self.joined(Values::Many(names), None) } else { Ok(Values::Many(names)) };
        }
        let parameter = &*self.referred(parameter)?;
        // Of one that stands for another it is the name of that.
        if parameter.is_indirect && self.meant(&parameter.name) != Meant::Itself {
            return match self.meant(&parameter.name) {
                Meant::Other(name) if parameter.key.is_none() && self.dialect != Dialect::Mksh => {
                    Ok(Values::One(Val::Known(name)))
                }
                Meant::Other(name) if self.dialect == Dialect::Bash => {
                    self.parameter(&Parameter { name, ..parameter.clone() }, quoted, mode)
                }
                _ => Err(self.doubt("a name that stands for another")),
            };
        }
        if parameter.is_indirect
            && let Some(key) = parameter.key.as_deref().filter(|key| is_text(key, b"@") || is_text(key, b"*"))
        {
            return self.keys(&parameter.name, is_text(key, b"*"), quoted);
        }
        let content = self.parameter_content(parameter)?;
        if let Some(unfollowed) = self.otherwise(parameter, &content, quoted, mode) {
            return unfollowed;
        }
        self.read_as_sh(&parameter.change, quoted, mode)?;
        if let Change::Instead(sign, colon, word) = &parameter.change {
            let values = self.instead(parameter, content, (*sign, *colon), word, (quoted, mode, false))?;
            return values.ok_or_else(|| self.doubt("a word that stands instead"));
        }
        let may_be_unset = match content {
            Held::Unset | Held::Perhaps(_) => true,
            Held::Unknown(_) => parameter.key.is_some(),
            _ => false,
        };
        if may_be_unset && self.refuses_unset() && (parameter.key.is_some() || !matches!(&parameter.name[..], b"@" | b"*")) {
            let is_followed = !matches!(parameter.change, Change::Unfollowed(_));
            let is_sure = is_followed
                && matches!(content, Held::Unset)
                && self.live.as_ref().and_then(|s| s.option("nounset")) == Some(true);
            let is_length = matches!(parameter.change, Change::Length) && parameter.key.is_some();
            // There it is none where it is to be changed.
            let is_spared = self.dialect == Dialect::Mksh && matches!(parameter.change, Change::Replace(..) | Change::Slice(..));
            if is_spared {
                // What else stands in its braces is not spared.
                self.fail_or_go_on(&self.doubt(UNSET_IS_ERROR));
                return Ok(Values::One(Val::unknown(self.doubt(UNSET_IS_ERROR))));
            } else if is_sure && is_length && self.dialect == Dialect::Bash {
                // There it gives up a line only.
                self.fail_hard();
            } else if is_sure && !(self.dialect == Dialect::Ksh && matches!(parameter.change, Change::Slice(..))) {
                self.fail_unless_typed(UNSET_IS_ERROR);
            } else {
                self.fail_perhaps(UNSET_IS_ERROR);
            }
            return Ok(Values::One(Val::unknown(self.doubt(UNSET_IS_ERROR))));
        }
        let may_fail = match &parameter.change {
            Change::Unfollowed(why) => *why == ODD_SUBSCRIPT || *why == ODD_SHAPE,
            _ => false,
        };
        if may_fail {
            let doubt = self.doubt("an expansion that may fail");
            match &parameter.change {
                Change::Unfollowed(why) if *why == ODD_SHAPE => self.refuse_perhaps(&doubt),
                _ => self.fail_or_go_on(&doubt),
            }
        }
        let change = |m: &mut Self, value: Val| {
            // There an empty pattern fits what is empty, and in bash no pattern fits what is not there.
            let is_odd = (matches!(m.dialect, Dialect::Ksh | Dialect::Zsh | Dialect::Mksh) || may_be_unset)
                && matches!(&parameter.change, Change::Replace(both, _) if !needs_something(&both.0.parts));
            match is_odd && value.is_empty() != Some(false) {
                true => {
                    let doubt = m.doubt("a pattern in what is empty");
                    match m.dialect {
                        // What is no pattern is an error there all the same.
                        Dialect::Zsh => drop(m.changed(value, &parameter.change)),
                        _ => m.perhaps_work_out(&parameter.change, &doubt),
                    }
                    Val::unknown(doubt)
                }
                false => m.changed(value, &parameter.change),
            }
        };
        let content = match content {
            // There items that become one text between quotes do so before anything is done to them.
            Held::Many(values) if quoted && self.is_joined_first(parameter) => match self.joined(Values::Many(values), None)? {
                Values::One(value) => Held::One(value),
                Values::Many(values) => Held::Many(values),
            },
            content => content,
        };
        // Where there are no items it may be worked out all the same.
        let is_empty = matches!(&content, Held::Many(values) if values.is_empty());
        if is_empty && self.dialect != Dialect::Bash && matches!(parameter.change, Change::Trim(..) | Change::Replace(..)) {
            self.perhaps_work_out(&parameter.change, &self.doubt(NOT_THERE));
        }
        match content {
            // A list of several items in a pattern leaves a field of nothing there (measured: 93u+m).
            Held::Unset | Held::One(_)
                if self.dialect == Dialect::Ksh
                    && mode == Mode::Fields
                    && !quoted
                    && matches!(&parameter.change, Change::Trim(.., word) if word.parts.iter().any(brings_list)) =>
            {
                Err(self.doubt("a list for a pattern"))
            }
            Held::Unset => match &parameter.change {
                Change::Length => Ok(Values::One(Val::of(b"0"))),
                Change::Unfollowed(why) => Ok(Values::One(Val::unknown(self.doubt(why)))),
                Change::Parts(_) => Ok(Values::One(Val::unknown(self.doubt("a modifier of zsh's")))),
                // An empty pattern fits what is not there, but in bash; ksh takes it for something else.
                Change::Replace(both, _)
                    if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh | Dialect::Mksh) && !needs_something(&both.0.parts) =>
                {
                    change(self, Val::of(b""));
                    Ok(Values::One(Val::unknown(self.doubt("a pattern of another kind"))))
                }
                // What is no pattern is an error there all the same.
                Change::Trim(..) | Change::Replace(..) if self.dialect == Dialect::Zsh => {
                    Ok(Values::One(change(self, Val::of(b""))))
                }
                Change::Replace(_, b'#' | b'%') if self.dialect != Dialect::Bash => Ok(Values::One(match self.dialect {
                    Dialect::Ksh => Val::unknown(self.doubt("a pattern of another kind")),
                    _ => change(self, Val::of(b"")),
                })),
                // Where it is cut may be an error there all the same.
                Change::Slice(..) if self.dialect != Dialect::Bash => Ok(Values::One(change(self, Val::of(b"")))),
                within => {
                    // There it may be worked out all the same.
                    if self.dialect != Dialect::Bash {
                        self.perhaps_work_out(within, &self.doubt(NOT_THERE));
                    }
                    Ok(Values::One(Val::of(b"")))
                }
            },
            Held::One(value) => Ok(Values::One(change(self, value))),
            Held::Perhaps(value) => {
                // Not set, it is as if it were empty.
                let doubt = self.doubt("whether the name is set is not known");
                let value = Val::of(b"").join(&value, &doubt);
                Ok(Values::One(change(self, value)))
            }
            Held::Many(values) => match &parameter.change {
                // What is put between them where they are one text is not what is between quotes there.
                Change::None
                    if self.dialect == Dialect::Ksh
                        && !quoted
                        && mode == Mode::One
                        && values.len() > 1
                        && self.separators()?.is_some_and(|bytes| *bytes != *b" \t\n") =>
                {
                    Err(self.doubt(OWN_SEPARATORS))
                }
                Change::None => Ok(Values::Many(values)),
                // There it is the length of all of them together.
                Change::Length if self.dialect == Dialect::Dash => {
                    Ok(Values::One(Val::unknown(self.doubt("a length of a list"))))
                }
                Change::Length => Ok(Values::One(Val::of(values.len().to_string()))),
                // There something is put where nothing is.
                Change::Replace(..) if self.dialect == Dialect::Ksh && values.is_empty() => {
                    Err(self.doubt("a pattern in what is empty"))
                }
                // There an item of which nothing is left may stay a word without quotes, or not (measured: 93u+m).
                Change::Trim(..) | Change::Replace(..) if self.dialect == Dialect::Ksh && !quoted => {
                    let values: Vec<Val> = values.into_iter().map(|v| change(self, v)).collect();
                    // What is put between them where they are one text is not what is between quotes.
                    let is_usual = self.separators()?.is_none_or(|bytes| *bytes == *b" \t\n");
                    if mode != Mode::Fields && !is_usual {
                        return Err(self.doubt(OWN_SEPARATORS));
                    }
                    let may_be_empty = values.iter().any(|value| value.is_empty() != Some(false));
                    if may_be_empty { Err(self.doubt("an item of which nothing is left")) } else { Ok(Values::Many(values)) }
                }
                // There it is cut from the whole of them.
                Change::Trim(_, _, word) if self.dialect == Dialect::Dash && values.len() > 1 => {
                    self.one(&word.parts, Mode::One);
                    Err(self.doubt("what is cut from all parameters together"))
                }
                Change::Slice(..) => {
                    let is_positional = matches!(&parameter.name[..], b"@" | b"*");
                    self.slice(values, &parameter.change, is_positional).map(Values::Many)
                }
                _ => {
                    let values = values.into_iter().map(|v| change(self, v)).collect();
                    Ok(Values::Many(values))
                }
            },
            Held::Unknown(doubt) => {
                self.perhaps_work_out(&parameter.change, &doubt);
                if !is_usual_cut(&parameter.change) {
                    self.refuse_cut(&parameter.change);
                }
                if quoted || matches!(parameter.change, Change::Length) {
                    Ok(Values::One(Val::unknown(doubt)))
                } else {
                    Err(doubt)
                }
            }
        }
    }

    /// What is said of a parameter that an option of zsh's makes the shell expand in another way.
    pub(super) fn otherwise(
        &mut self,
        parameter: &Parameter,
        content: &Held,
        quoted: bool,
        mode: Mode,
    ) -> Option<Expanded<Values>> {
        if !self.expands_otherwise() {
            return None;
        }
        let is_text = matches!(content, Held::Unset | Held::One(_)) && parameter.key.is_none();
        // Nothing is made of a text that is one word anyway.
        let is_one = match (content, self.separators()) {
            (Held::One(Val::Known(text)), Ok(separators)) => {
                let is_calm = |b: &u8| b.is_ascii_alphanumeric() || b"/._-+".contains(b);
                let parts = |b: &u8| separators.as_ref().is_some_and(|separators| separators.contains(b));
                !text.is_empty() && text.iter().all(|b| is_calm(b) && !parts(b)) && parameter.change == Change::None
            }
            _ => false,
        };
        if is_text && (quoted || is_one || mode != Mode::Fields) {
            return None;
        }
        let doubt = self.doubt("an option makes the shell expand parameters in another way");
        match &parameter.change {
            Change::Instead(b'=' | b':', ..) => {
                self.fog(SETTING_SHAPE);
                self.fail_or_go_on(&doubt);
            }
            Change::Instead(b'?', ..) | Change::Unfollowed(_) => self.fail_or_go_on(&doubt),
            _ if parameter.key.is_some() => self.fail_or_go_on(&doubt),
            change => self.refuse_cut(change),
        }
        Some(if quoted { Ok(Values::One(Val::unknown(doubt))) } else { Err(doubt) })
    }

    /// What zsh makes of its words in another way where it is as sh would be: braces are signs like others, of which the first
    /// that closes is the parameter's, and sums are not found where words come apart (measured: 5.9).
    pub(super) fn read_as_sh(&mut self, change: &Change, quoted: bool, mode: Mode) -> Expanded<()> {
        if !self.as_sh {
            return Ok(());
        }
        let has_brace = |word: &Word| {
            let is_brace = |part: &Part| match part {
                Part::Text(text) | Part::Quoted(text) => text.contains(&b'{'),
                part => matches!(part, Part::Unfollowed(_)),
            };
            word.parts.iter().any(|part| is_brace(part) || matches!(part, Part::Double(parts) if parts.iter().any(is_brace)))
        };
        let (opens, word) = match change {
            Change::Instead(_, _, word) => (has_brace(word), Some(word)),
            Change::Trim(_, _, word) => (has_brace(word), None),
            Change::Replace(both, _) => (has_brace(&both.0) || has_brace(&both.1), None),
            _ => (false, None),
        };
        if opens {
            self.fog("braces that zsh reads in another way as sh");
            return Err(self.doubt("braces that zsh reads in another way as sh"));
        }
        let has_sum = word.is_some_and(|word| {
            let is_lengthy = |part: &Part| match part {
                Part::Parameter(inner) => matches!(&inner.change, Change::Instead(_, _, word) if word.parts.len() > 1),
                part => matches!(part, Part::Sum(_)),
            };
            word.parts.iter().any(is_lengthy)
        });
        if has_sum && !quoted && mode == Mode::Fields {
            let why = "a sum in what zsh splits as sh";
            self.fail_perhaps(why);
            return Err(self.doubt(why));
        }
        Ok(())
    }

    /// Whether the items of a list become one text before something is done to them.
    fn is_joined_first(&self, parameter: &Parameter) -> bool {
        let is_all = is_all_of(parameter);
        self.dialect == Dialect::Zsh && !is_all && !matches!(parameter.change, Change::None | Change::Length | Change::Slice(..))
    }

    /// The names of variables that are set and begin so: `${!BEGINNING@}` of bash.
    pub(super) fn names_from(&mut self, beginning: &[u8]) -> Expanded<Vec<Val>> {
        let doubt = self.doubt("which names begin so");
        let Some(state) = self.live.as_ref().filter(|state| state.open.is_none()) else { return Err(doubt) };
        let may_be_own = |own: &[u8]| own.starts_with(beginning) || own.len() > 3 && beginning.starts_with(own);
        if OWN_OF_BASH.split(' ').any(|own| may_be_own(own.as_bytes())) {
            return Err(doubt);
        }
        let mut names = Vec::new();
        for (name, var) in state.vars.listed().filter(|(name, _)| name.starts_with(beginning)) {
            match &var.content {
                Content::Unset => {}
                Content::Set(_) => names.push(name.clone()),
                Content::Array(items) if !items.is_empty() => names.push(name.clone()),
                // One that was only declared is none of them.
                Content::Perhaps(_) | Content::Array(_) | Content::Table(_) => return Err(doubt),
            }
        }
        names.sort();
        self.steps.count(names.len());
        Ok(names.into_iter().map(Val::Known).collect())
    }

    /// The keys of a list: `${!LIST[@]}` of bash.
    fn keys(&mut self, name: &[u8], joins: bool, quoted: bool) -> Expanded<Values> {
        let is_odd = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_odd);
        let count = match self.content_of(name) {
            Content::Array(_) | Content::Set(_) | Content::Unset if is_odd || joins => None,
            Content::Array(values) => Some(values.len()),
            Content::Set(_) => Some(1),
            Content::Unset => Some(0),
            Content::Perhaps(_) => None,
            Content::Table(table) => return self.table_keys(&table, quoted && joins),
        };
        let doubt = self.doubt("the keys of a list");
        match count {
            Some(count) => {
                self.steps.count(count);
                Ok(Values::Many((0..count).map(|key| Val::of(key.to_string())).collect()))
            }
            None if quoted && joins => Ok(Values::One(Val::unknown(doubt))),
            None => Err(doubt),
        }
    }

    /// Does what comes of a parameter that is not followed, where the shell refuses it, or may.
    pub(super) fn refuse_odd(&mut self, why: &'static str, doubt: &Arc<Doubt>) {
        match why {
            ODD_SHAPE => self.refuse_perhaps(doubt),
            BAD_SHAPE => self.fail_hard(),
            SETTING_SHAPE => self.fog(SETTING_SHAPE),
            ODD_SETTING_SHAPE => {
                self.fog(SETTING_SHAPE);
                self.fail_or_go_on(doubt);
            }
            OWN_SHAPE if self.refuses_unset() => self.fail_perhaps(UNSET_IS_ERROR),
            BRACES_WITHIN if self.refuses_unset() => self.fail_perhaps(UNSET_IS_ERROR),
            _ => {}
        }
    }

    /// Whether it may be an error to use a name that is not set.
    pub(super) fn refuses_unset(&self) -> bool {
        self.may_be_set("nounset")
    }

    /// A parameter of a shape that the shell may refuse. How ksh goes on then is not followed.
    pub(super) fn refuse_perhaps(&mut self, doubt: &Arc<Doubt>) {
        match self.dialect {
            Dialect::Ksh => self.fail_perhaps(doubt.why),
            _ => self.fail_or_go_on(doubt),
        }
    }
}

pub(super) fn is_all(parts: &[Part]) -> bool {
    matches!(parts, [Part::Parameter(p)] if is_all_of(p))
}

/// Whether it is `@`, or a list with that for a key.
pub(super) fn is_all_of(parameter: &Parameter) -> bool {
    parameter.name == "@"
        || parameter.change == Change::Names(false)
        || parameter.key.as_deref().is_some_and(|key| is_text(key, b"@"))
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn parameters_stand_for_what_they_hold() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=a.b.c; R=${X%.*}-${X%%.*}-${X#*.}-${X##*.}", ["a.b-a-b.c-c", "a.b.c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X-a}${X:-b}${X+c}; X=; R=$R${X-d}${X:-e}${X+f}${X:+g}", ["abef", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], ": ${X:=5}; R=${#X}", ["1", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a 'b c'; R=${#}$1; X=$*", ["2a", "a b c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b; R=\"$*\"; shift; X=$@", ["a b", "b"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=abcb; R=${X/b/_}${X//b/_}${X:1:2}${X#a}", ["a_cba_c_bcbcb", "abcb"]),
            (&[Bash, Ksh, Mksh], "X=(a b c); R=${#X[@]}${X[*]}", ["3a b c", "a"]),
            (&[Zsh], "X=(a b c); R=${#X[@]}${X[*]}", ["3a b c", "a b c"]),
            (&[Bash], "X=(a b c d); R=\"${X[*]:1:2}\"", ["b c", "a"]),
            (&[Zsh], "X=(a b c d); R=${X[@]:1:2}", ["b c", "a b c d"]),
            (&[Bash], "X=R; R=5; X=${!X}", ["5", "5"]),
            (&[Bash], "X='a[1]'; a=(p q); R=${!X}", ["q", "a[1]"]),
            (&[Bash, Zsh], "X=abc; R=${X/#a/_}${X/%c/_}", ["_bcab_", "abc"]),
            (&[Ksh], "X=ab; R=${X/#/_}${X/%/_}", ["abab", "ab"]),
            (&[Bash], "X=aBc; R=${X^^}${X,,}", ["ABCabc", "aBc"]),
            (&[Zsh], "X=aBc; R=${(U)X}${(L)X}$#X", ["ABCabc3", "aBc"]),
            (&[Zsh], "X=(b a); R=\"${(o)X}${#X}\"", ["b a2", "b a"]),
            (&[Zsh], "X=/a/b.c; R=${X:t}${X:h}${X:r}${X:e}", ["b.c/a/a/bc", "/a/b.c"]),
        ]);
    }
}
