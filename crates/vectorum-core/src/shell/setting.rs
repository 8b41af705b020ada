//! Names that a word may set while it is expanded, for where nobody can say how far that came.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::may_assign;
use super::content::Content;
use super::machine::Machine;
use super::nameref::Meant;
use super::parameter::has_odd_cut;
use super::redirect::may_refuse;
use super::reference::{ODD_SETTING_SHAPE, SETTING_SHAPE};
use super::shaped::{Of, Step, Subscript};
use super::state::Status;
use super::sum::SUM_MAY_SET;
use super::syntax::*;
use super::value::{Doubt, Val};

/// How deep in each other words are looked at.
const DEEPEST: usize = 40;

/// Stands for a name that a value names: it may be any.
const ANY: &[u8] = b"";

/// The names that parts set: `${NAME=…}`, and those in sums that set any.
fn names_set(parts: &[Part], depth: usize, found: &mut Vec<Bytes>) {
    if depth > DEEPEST {
        return;
    }
    for part in parts {
        match part {
            Part::Double(inner) => names_set(inner, depth + 1, found),
            Part::Sum(inner) => in_sum(inner, depth, found),
            Part::Parameter(parameter) => {
                if let Some(key) = &parameter.key {
                    in_sum(key, depth, found);
                }
                let any = Bytes::from_static(ANY);
                let name = if parameter.is_indirect { &any } else { &parameter.name };
                in_change(Some(name), &parameter.change, depth, found);
            }
            Part::Shaped(shaped) => {
                let any = Bytes::from_static(ANY);
                let name = match &shaped.of {
                    Of::Name(_) if shaped.is_named_by_value() => Some(&any),
                    Of::Name(name) => Some(name),
                    Of::Inner(part) => {
                        names_set(std::slice::from_ref(&**part), depth + 1, found);
                        None
                    }
                    Of::Nothing => None,
                };
                for subscript in &shaped.subscripts {
                    match subscript {
                        Subscript::At(place) => in_sum(place, depth, found),
                        Subscript::Range(from, to) => [from, to].into_iter().for_each(|place| in_sum(place, depth, found)),
                        Subscript::Search(_, word) => names_set(&word.parts, depth + 1, found),
                        Subscript::All(_) => {}
                    }
                }
                for step in &shaped.steps {
                    match step {
                        Step::Change(change) => in_change(name, change, depth, found),
                        Step::Filter(word) => names_set(&word.parts, depth + 1, found),
                        Step::Swap(..) | Step::Whole(_) => {}
                    }
                }
            }
            Part::Unfollowed(why) if [SETTING_SHAPE, ODD_SETTING_SHAPE].contains(why) => found.push(Bytes::from_static(ANY)),
            Part::Text(_)
            | Part::Quoted(_)
            | Part::Coded(_)
            | Part::Output(_)
            | Part::Channel(_)
            | Part::Document(_)
            | Part::Unfollowed(_) => {}
        }
    }
}

fn in_change(name: Option<&Bytes>, change: &Change, depth: usize, found: &mut Vec<Bytes>) {
    match change {
        Change::Instead(sign, _, word) => {
            found.extend(name.filter(|_| matches!(sign, b'=' | b':')).cloned());
            names_set(&word.parts, depth + 1, found);
        }
        Change::Trim(.., word) => names_set(&word.parts, depth + 1, found),
        Change::Replace(words, _) => [&words.0, &words.1].iter().for_each(|word| names_set(&word.parts, depth + 1, found)),
        Change::Slice(from, length) => {
            std::iter::once(from).chain(length).for_each(|place| in_sum(place, depth, found));
        }
        _ => {}
    }
}

fn in_sum(parts: &[Part], depth: usize, found: &mut Vec<Bytes>) {
    names_set(parts, depth + 1, found);
    let texts = parts.iter().filter_map(|part| match part {
        Part::Text(text) | Part::Quoted(text) if may_assign(text) => Some(text),
        _ => None,
    });
    let words = texts.flat_map(|text| text.split(|b| !b.is_ascii_alphanumeric() && *b != b'_'));
    let is_name = |word: &&[u8]| word.first().is_some_and(|b| !b.is_ascii_digit());
    found.extend(words.filter(is_name).map(Bytes::copy_from_slice));
}

/// Whether parts set a name.
pub(super) fn sets_something(parts: &[Part]) -> bool {
    let mut found = Vec::new();
    names_set(parts, 0, &mut found);
    !found.is_empty()
}

/// Those of some names that parts set, or may set.
pub(super) fn set_of(parts: &[Part], names: &[Bytes]) -> Vec<Bytes> {
    let mut found = Vec::new();
    names_set(parts, 0, &mut found);
    let is_set = |name: &&Bytes| found.iter().any(|found| found == *name || found == ANY);
    names.iter().filter(is_set).cloned().collect()
}

/// Whether parts read a name that words set.
pub(super) fn reads_what_is_set(parts: &[Part], words: &[Word]) -> bool {
    parts.iter().any(|part| match part {
        Part::Parameter(parameter) => words.iter().any(|word| {
            let mut found = Vec::new();
            names_set(&word.parts, 0, &mut found);
            found.contains(&parameter.name)
        }),
        Part::Double(parts) => reads_what_is_set(parts, words),
        _ => false,
    })
}

/// Whether a sum is worked out in a word.
pub(super) fn has_sum(parts: &[Part]) -> bool {
    parts.iter().any(|part| part.has(&|part| matches!(part, Part::Sum(_))))
}

/// Whether zsh may refuse a parameter for an end that lies before the beginning, or for a pattern that is not closed.
fn may_be_odd_in_zsh(part: &Part) -> bool {
    let opens = |part: &Part| matches!(part, Part::Text(text) if text.iter().any(|byte| b"[(".contains(byte)));
    let is_open = |word: &Word| word.parts.iter().any(opens);
    part.has(&|part| match part {
        Part::Parameter(parameter) => match &parameter.change {
            Change::Slice(_, length) => length.is_some(),
            Change::Trim(.., word) => is_open(word),
            Change::Replace(both, _) => is_open(&both.0),
            _ => false,
        },
        _ => false,
    })
}

/// Whether a command runs for what it prints in a word, but for those within parameters.
fn has_output(parts: &[Part]) -> bool {
    parts.iter().any(|part| match part {
        Part::Output(_) => true,
        Part::Double(parts) => has_output(parts),
        _ => false,
    })
}

impl Machine<'_> {
    /// Whether parts may be an error where they are expanded.
    pub(super) fn may_be_an_error(&self, parts: &[Part]) -> bool {
        let is_zsh = self.dialect == Dialect::Zsh;
        // A tilde, or a sign of equality, may stand first there, where what comes before it comes to nothing.
        let is_folder = |part: &Part| matches!(part, Part::Text(text) if text.starts_with(b"~") || text.starts_with(b"="));
        let has = |text: &[u8], signs: &[u8]| memchr::memmem::find(text, signs).is_some();
        let is_within =
            |part: &Part| matches!(part, Part::Text(text) if [b"{~", b"{=", b",~", b",="].iter().any(|signs| has(text, *signs)));
        let may_be_folder = || parts.iter().skip(1).any(is_folder) || parts.iter().any(is_within);
        may_refuse(parts)
            || self.may_lack_name(parts)
            || has_sum(parts)
            || is_zsh && (parts.iter().any(may_be_odd_in_zsh) || may_be_folder())
    }

    /// What may be an error where it is expanded ends something, or nothing comes of it.
    fn doubt_errors(&mut self, parts: &[Part], doubt: &Arc<Doubt>) {
        if self.may_be_an_error(parts) {
            // There some of these end more than others.
            if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
                self.exit_or_go_on(doubt);
            }
            self.fail_or_go_on(doubt);
        }
    }

    /// The words of a list of which it is not followed how each is expanded.
    pub(super) fn doubt_items(&mut self, words: &[Word], doubt: &Arc<Doubt>) {
        let may_set =
            |text: &[u8]| text.strip_prefix(b"[").and_then(|key| key.split(|b| *b == b']').next()).is_some_and(may_assign);
        for word in words {
            self.doubt_what_is_set(&word.parts, doubt);
            // The key of an item is a sum.
            if matches!(word.parts.first(), Some(Part::Text(text)) if may_set(text)) {
                self.fog(SUM_MAY_SET);
            }
        }
    }

    /// The place of an item, which may be worked out as a sum.
    pub(super) fn doubt_place(&mut self, place: &[Part], doubt: &Arc<Doubt>) {
        // A name in it may not be set.
        let has_name =
            |part: &Part| !matches!(part, Part::Text(text) | Part::Quoted(text) if !text.iter().any(u8::is_ascii_alphabetic));
        if self.refuses_unset() && place.iter().any(has_name) {
            self.exit_or_go_on(doubt);
        }
        self.doubt_what_is_set(place, doubt);
        if place.iter().any(|part| matches!(part, Part::Text(text) | Part::Quoted(text) if may_assign(text))) {
            self.fog(SUM_MAY_SET);
        }
    }

    /// What a word sets is set or not, where it was not expanded to its end.
    pub(super) fn doubt_what_is_set(&mut self, parts: &[Part], doubt: &Arc<Doubt>) {
        if parts.iter().any(has_odd_cut) {
            self.fail_or_go_on(doubt);
        }
        self.doubt_errors(parts, doubt);
        if has_output(parts) {
            self.outputs += 1;
            self.output_status = Status::Unknown(doubt.clone());
        }
        let mut names = Vec::new();
        names_set(parts, 0, &mut names);
        self.doubt_set(names, doubt);
    }

    /// The same of the words of what is done to a value that is not known.
    pub(super) fn doubt_what_it_sets(&mut self, change: &Change, doubt: &Arc<Doubt>) {
        let mut names = Vec::new();
        in_change(None, change, 0, &mut names);
        self.doubt_set(names, doubt);
    }

    fn doubt_set(&mut self, names: Vec<Bytes>, doubt: &Arc<Doubt>) {
        for name in names {
            if name == ANY {
                self.fog("a name is set that a value names");
                continue;
            }
            // Nothing is lost of what is not known anyhow, if it is that which is set.
            let is_doubted = self.meant(&name) != Meant::Unclear
                && matches!(self.content_of(&name), Content::Set(Val::Unknown(_)) | Content::Perhaps(Val::Unknown(_)));
            if !is_doubted && self.live.is_some() {
                let value = Val::unknown(doubt.clone());
                let set = |m: &mut Self| {
                    m.assign(&name, Content::Set(value), None);
                    // Set in a sum it may be a number there from then on.
                    if m.is_own_zsh() {
                        m.perhaps_number(&name);
                    }
                };
                self.fork(doubt, set, |_| {});
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::parse::Parser;
    use super::*;
    use crate::shell::trial::hold;

    #[test]
    fn names_are_found_wherever_a_word_sets_them() {
        for (text, names) in [
            ("$A${B-c}$(D=e)", ""),
            ("${A=b}", "A"),
            ("x\"${A:=${B:=c}}\"", "A B"),
            ("${A-${B=c}}${C#${D=e}}", "B D"),
            ("${A/${B=c}/${D=e}}", "B D"),
            ("$((A + 1))$((B == 2))", ""),
            ("$((A = B + 1))", "A B"),
            ("$((C++))${l[D+=1]}${l[E]}", "C D"),
            ("${A:$((B = 1)):$((C--))}", "B C"),
            ("${A::=${(U)B:-${C=d}}}", "A C"),
            ("${l[A=1,2]:#${B=c}}", "A B"),
            ("${${A=b}:t}", "A"),
            // A name that is not read here may be any; a space tells that one was found.
            ("${(P)A::=b}$((B = 1))", " B"),
            ("${(A)A=b c}$((B = 1))", " B"),
        ] {
            let text = Bytes::from(text);
            let mut parser = Parser::new(&text, Dialect::Zsh);
            let word = parser.word().expect("a word");
            let mut found = Vec::new();
            names_set(&word.parts, 0, &mut found);
            assert_eq!(found.join(&b' '), names.as_bytes(), "{text:?}");
        }
    }

    #[test]
    fn what_stands_beside_something_unknown_is_worked_out_or_wrong() {
        use Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        hold(&[
            // Where it is sure not to be wrong, what comes behind it is known.
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(tide-now); V=a; X=${R#$V}; X=1", ["<unknown>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(tide-now); : ${R%${X=2}}", ["<unknown>", "<unknown>"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=$(tide-now); : ${R/a/${X=2}}", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=$(tide-now); : ${X:-${R=2}}", ["<unknown>", "<unknown>"]),
            // How often it is worked out.
            (&[Bash, Mksh, Zsh], "R=0; L[$((R+=1))]=a; X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=0; [[ $((R+=1)) -eq 1 ]]; X=$?", ["1", "0"]),
            // What is set within a value before a command is what it hides.
            (&[Bash, Dash, Ksh, Mksh], "R=${R=4} true; X=1", ["<unknown>", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "R=5 X=${V=4} true; X=$V", ["none", "4"]),
            // The status hangs on what was run for a word.
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=$(tide-now); R=${V:-$(false)}; X=$?", ["<unknown>", "<a number>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "V=$(tide-now); R=${V:-b}; X=$?", ["<unknown>", "0"]),
        ]);
    }

    #[test]
    fn what_may_set_any_name_opens_the_answer() {
        use Dialect::{Ksh, Mksh, Zsh};
        hold(&[
            (&[Ksh, Mksh], "X=1; R=${ X=5; echo hi; }", ["<unknown>", "<unknown>"]),
            (&[Zsh], "X=1; R=${(A)X=a b}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "X=1; v=$(tide-now); : ${(P)v::=5}; R=2", ["<unknown>", "<unknown>"]),
            (&[Zsh], "X=1; v=X; : ${(P)v::=5}; R=2", ["2", "5"]),
        ]);
    }
}
