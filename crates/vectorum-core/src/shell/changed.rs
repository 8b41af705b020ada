//! What is done to a parameter's value before it is taken: cut, exchanged, put in another case.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::may_assign;
use super::expand::Mode;
use super::machine::Machine;
use super::parameter::{is_plain_cut, is_usual_cut};
use super::pattern::Pattern;
use super::syntax::*;
use super::value::{Doubt, Val};

/// Whether what a pattern opens is not closed, if that is certain.
fn is_open(bytes: &[u8], quoted: &[bool]) -> Option<bool> {
    let plain = |sign: u8| bytes.iter().zip(quoted).filter(move |(byte, quoted)| !**quoted && **byte == sign).count();
    if plain(b'[') > 0 {
        // A parenthesis between brackets is one of their signs.
        return if plain(b']') == 0 { Some(true) } else { (plain(b'(') <= plain(b')')).then_some(false) };
    }
    Some(plain(b'(') > plain(b')'))
}

impl Machine<'_> {
    /// A pattern that is not closed is an error; returns whether it may be one.
    fn fail_if_open(&mut self, bytes: &[u8], quoted: &[bool]) -> bool {
        match is_open(bytes, quoted) {
            Some(false) => return false,
            Some(true) => self.fail_hard(),
            None => self.fail_or_go_on(&self.doubt("a pattern of another kind")),
        }
        true
    }

    /// Works out what stands within a change to a value, or does not: of one that is not known, or is empty, it may be either.
    pub(super) fn perhaps_work_out(&mut self, change: &Change, doubt: &Arc<Doubt>) {
        let is_zsh = self.dialect == Dialect::Zsh;
        let is_plain = |part: &Part| match part {
            Part::Text(text) => !(is_zsh && text.iter().any(|byte| b"[(".contains(byte))),
            part => matches!(part, Part::Quoted(_)),
        };
        let pattern = |m: &mut Self, word: &Word| {
            if let Ok((bytes, quoted)) = m.pattern_text(word, false)
                && is_zsh
            {
                m.fail_if_open(&bytes, &quoted);
            }
        };
        match change {
            Change::Trim(_, _, word) if !word.parts.iter().all(is_plain) => self.fork(doubt, |m| pattern(m, word), |_| {}),
            Change::Replace(both, _) if !both.0.parts.iter().chain(&both.1.parts).all(is_plain) => {
                let work_out = |m: &mut Self| {
                    pattern(m, &both.0);
                    // What is put there may be looked at only where something is found.
                    m.fork(doubt, |m| drop(m.one(&both.1.parts, Mode::One)), |_| {});
                };
                self.fork(doubt, work_out, |_| {});
            }
            Change::Slice(from, length) if !is_plain_cut(change) => {
                let work_out = |m: &mut Self| std::iter::once(from).chain(length).for_each(|sum| drop(m.sum_in_word(sum)));
                self.fork(doubt, work_out, |_| {});
            }
            // An end that is counted from the other may lie before the beginning.
            Change::Slice(_, Some(_)) if is_zsh => self.fail_or_go_on(doubt),
            _ => {}
        }
        self.doubt_what_it_sets(change, doubt);
    }

    /// Does to a value what the parameter says.
    pub(super) fn changed(&mut self, value: Val, change: &Change) -> Val {
        if matches!(change, Change::None) {
            return value;
        }
        if let Change::Unfollowed(why) = change {
            return Val::unknown(self.doubt(why));
        }
        let text = match &value {
            Val::Known(text) => text.clone(),
            Val::Unknown(unknown) => {
                self.perhaps_work_out(change, &unknown.doubt);
                // A name that says where it is cut may not be set.
                if matches!(change, Change::Slice(..)) && !is_plain_cut(change) {
                    if self.dialect == Dialect::Bash && self.refuses_unset() {
                        self.exit_or_go_on(&unknown.doubt);
                    }
                    if self.dialect == Dialect::Ksh || !is_usual_cut(change) {
                        self.refuse_cut(change);
                    }
                }
                // Of one of a few it is one of as many, where nothing is run to tell.
                let is_plain = matches!(change, Change::Trim(_, _, word) if word.literal().is_some());
                let one = |text: &Bytes| self.changed(Val::Known(text.clone()), change).known().cloned();
                let each = if is_plain { unknown.each(one) } else { None };
                return match change {
                    Change::Length => unknown.doubt.number(),
                    _ => each.unwrap_or_else(|| Val::unknown(unknown.doubt.clone())),
                };
            }
        };
        let odd = |m: &Self| Val::unknown(m.doubt("a pattern of another kind"));
        match change {
            Change::Length => {
                if text.is_ascii() {
                    Val::of(text.len().to_string())
                } else {
                    odd(self)
                }
            }
            Change::Names(_) => odd(self),
            // Nothing is looked for in nothing there (measured: 5.2).
            Change::Trim(..) if self.dialect == Dialect::Bash && text.is_empty() => Val::Known(text),
            Change::Trim(at_end, longest, word) => {
                let Ok((bytes, quoted)) = self.pattern_text(word, false) else { return odd(self) };
                if self.dialect == Dialect::Zsh && self.fail_if_open(&bytes, &quoted) {
                    return odd(self);
                }
                let Ok(groups) = self.groups(&bytes, false) else { return odd(self) };
                // What a backslash is there that a parameter brings is ksh's own affair.
                let brings = bytes.iter().zip(&quoted).any(|(byte, quoted)| *byte == b'\\' && !quoted);
                if brings && self.dialect == Dialect::Ksh {
                    return odd(self);
                }
                let Ok(pattern) = self.pattern(&bytes, &quoted, groups) else { return odd(self) };
                match pattern.part(&text, *at_end, *longest) {
                    Ok(Some(length)) if *at_end => Val::Known(text.slice(..text.len() - length)),
                    Ok(Some(length)) => Val::Known(text.slice(length..)),
                    Ok(None) => Val::Known(text),
                    Err(_) => odd(self),
                }
            }
            Change::Replace(both, how) => {
                let (word, with) = &**both;
                // There it is no home folder.
                let begins_with_tilde = matches!(word.parts.first(), Some(Part::Text(text)) if text.starts_with(b"~"));
                if begins_with_tilde && self.dialect == Dialect::Ksh {
                    return odd(self);
                }
                if self.folds_case() != Some(false) {
                    return odd(self);
                }
                let Ok((bytes, quoted)) = self.pattern_text(word, false) else { return odd(self) };
                if self.dialect == Dialect::Zsh && self.fail_if_open(&bytes, &quoted) {
                    return odd(self);
                }
                // A sign that a parameter brings says where it is to be found, too.
                let brings_place =
                    *how == b' ' && quoted.first() == Some(&false) && bytes.first().is_some_and(|b| b"#%".contains(b));
                if brings_place && self.dialect != Dialect::Zsh {
                    return odd(self);
                }
                let Ok(groups) = self.groups(&bytes, false) else { return odd(self) };
                let Ok(pattern) = self.pattern(&bytes, &quoted, groups) else { return odd(self) };
                // What a backslash is that a parameter brings is its own affair.
                if self.dialect == Dialect::Ksh && bytes.iter().zip(&quoted).any(|(byte, quoted)| *byte == b'\\' && !quoted) {
                    return odd(self);
                }
                // There a sign keeps its backslash.
                let is_sign = |part: &Part| matches!(part, Part::Quoted(text) if !text.iter().all(u8::is_ascii_alphabetic));
                if self.dialect == Dialect::Ksh && with.parts.iter().any(is_sign) {
                    return odd(self);
                }
                // There it is looked at only where something is found (measured: 93u+m).
                let is_lazy = self.dialect == Dialect::Ksh && with.literal().is_none();
                if is_lazy && replaced(&text, &pattern, bytes.is_empty(), b"", *how) == Some(text.to_vec()) {
                    return Val::Known(text);
                }
                let Val::Known(with) = self.one(&with.parts, Mode::One) else { return odd(self) };
                if with.contains(&b'&') || with.contains(&b'\\') || text.len() > 2000 {
                    return odd(self);
                }
                match (self.dialect, bytes.first()) {
                    // There nothing is found at either end.
                    (Dialect::Ksh, None) => return Val::Known(text),
                    // What is empty is found there, before each letter or at an end.
                    (Dialect::Zsh, None) if !matches!(how, b'#' | b'%') => return odd(self),
                    // There a sign behind two strokes means more.
                    (Dialect::Zsh, Some(b'#' | b'%')) if *how == b'/' => return odd(self),
                    _ => {}
                }
                replaced(&text, &pattern, bytes.is_empty(), &with, *how).map_or_else(|| odd(self), Val::of)
            }
            Change::Slice(offset, length) => {
                // The others read such a sum in ways of their own.
                if !is_usual_cut(change) {
                    self.refuse_cut(change);
                    if self.dialect != Dialect::Bash {
                        self.doubt_what_it_sets(change, &self.doubt("a part of a text by what may be no number"));
                        return odd(self);
                    }
                }
                if !text.is_ascii() {
                    self.refuse_cut(change);
                    return odd(self);
                }
                // What is set there may be what is cut.
                let sets = |parts: &[Part]| parts.iter().any(|part| matches!(part, Part::Text(text) if may_assign(text)));
                if sets(offset) || length.as_ref().is_some_and(|length| sets(length)) {
                    drop(self.sum_in_word(offset));
                    self.refuse_cut(change);
                    return odd(self);
                }
                let total = text.len() as i64;
                let Ok(from) = self.sum_in_word(offset) else {
                    if self.dialect == Dialect::Zsh {
                        self.fail_or_go_on(&self.doubt("a part by an unknown number"));
                    }
                    return odd(self);
                };
                let from = if from < 0 { total.saturating_add(from) } else { from };
                // Before the beginning is the beginning, but in bash.
                let from = if self.dialect == Dialect::Bash { from } else { from.max(0) };
                if from > i64::from(i32::MAX) && self.dialect == Dialect::Ksh {
                    return odd(self);
                }
                if from < 0 || from > total {
                    // The others look at both ends first.
                    if let Some(length) = length.as_ref().filter(|_| self.dialect != Dialect::Bash) {
                        match self.sum_in_word(length) {
                            Ok(length) if self.dialect == Dialect::Zsh && length < 0 => self.fail_hard(),
                            Err(doubt) if self.dialect == Dialect::Zsh => self.fail_or_go_on(&doubt),
                            _ => {}
                        }
                    }
                    return Val::of(b"");
                }
                let to = match length {
                    None => total,
                    Some(parts) => match self.sum_in_word(parts) {
                        Ok(length) if length < 0 => match self.dialect {
                            Dialect::Ksh => from,
                            Dialect::Mksh => total,
                            _ => total.saturating_add(length),
                        },
                        Ok(length) => from.saturating_add(length).min(total),
                        Err(doubt) => {
                            if self.dialect == Dialect::Zsh {
                                self.fail_or_go_on(&doubt);
                            }
                            return odd(self);
                        }
                    },
                };
                if to < from {
                    // An end before the beginning is an error there (measured: 5.9).
                    if self.dialect == Dialect::Zsh {
                        self.fail_hard();
                    }
                    return odd(self);
                }
                Val::Known(text.slice(from as usize..to as usize))
            }
            Change::Case(up, all) => {
                if !text.is_ascii() {
                    return odd(self);
                }
                let mut text = text.to_vec();
                let end = if *all { text.len() } else { text.len().min(1) };
                if let Some(part) = text.get_mut(..end) {
                    if *up { part.make_ascii_uppercase() } else { part.make_ascii_lowercase() }
                }
                Val::Known(text.into())
            }
            Change::Quote if text.iter().all(|b| b.is_ascii_alphanumeric() || b"/:._-,+@%".contains(b)) => Val::Known(text),
            Change::Quote => odd(self),
            Change::InQuotes if !text.iter().any(|b| b.is_ascii_control() || b"'\\".contains(b)) && text.is_ascii() => {
                Val::of([b"'", &text[..], b"'"].concat())
            }
            Change::InQuotes => odd(self),
            Change::Parts(_) if self.as_sh => odd(self),
            Change::Parts(letters) => match letters.iter().try_fold(text, |text, letter| modified(&text, *letter)) {
                Some(text) => Val::Known(text),
                None => odd(self),
            },
            Change::None | Change::Instead(..) | Change::Unfollowed(_) | Change::IsSet(_) => value,
        }
    }
}

fn replaced(text: &[u8], pattern: &Pattern, is_empty: bool, with: &[u8], how: u8) -> Option<Vec<u8>> {
    if is_empty && matches!(how, b'/' | b' ') {
        return Some(text.to_vec());
    }
    // What fits nothing is found once in what is empty.
    if text.is_empty() && matches!(how, b'/' | b' ') {
        return Some(pattern.part(text, false, true).ok()?.map_or(Vec::new(), |_| with.to_vec()));
    }
    let mut out = Vec::new();
    let mut at = 0;
    if how == b'%' {
        return Some(match pattern.part(text, true, true).ok()? {
            Some(length) => [text.get(..text.len() - length)?, with].concat(),
            None => text.to_vec(),
        });
    }
    loop {
        let rest = text.get(at..)?;
        match pattern.part(rest, false, true).ok()? {
            // At the front an empty one counts, too.
            Some(length) if length > 0 || how == b'#' => {
                out.extend_from_slice(with);
                at += length;
                if how != b'/' {
                    out.extend_from_slice(text.get(at..)?);
                    return Some(out);
                }
            }
            _ => {
                if how == b'#' || rest.is_empty() {
                    out.extend_from_slice(rest);
                    return Some(out);
                }
                out.extend(rest.first());
                at += 1;
            }
        }
        if at >= text.len() {
            return Some(out);
        }
    }
}

/// What one of zsh's modifiers makes of a path or a text (measured: 5.9); `None` where that is not certain.
pub(super) fn modified(text: &Bytes, letter: u8) -> Option<Bytes> {
    if text.starts_with(b"//") || std::str::from_utf8(text).is_err() {
        return None;
    }
    let without_slashes = |text: &[u8]| text.iter().rposition(|b| *b != b'/').map_or(0, |at| at + 1);
    // Slashes at the end count neither for the folder nor for the last name.
    let path = text.slice(..without_slashes(text));
    let slash = memchr::memrchr(b'/', &path);
    let name = memchr::memrchr(b'/', text).map_or(0, |at| at + 1);
    let dot = memchr::memrchr(b'.', text.get(name..)?).map(|at| name + at);
    Some(match letter {
        b'h' => match slash {
            None if text.starts_with(b"/") => Bytes::from_static(b"/"),
            None => Bytes::from_static(b"."),
            Some(at) => match without_slashes(path.get(..at)?) {
                0 => Bytes::from_static(b"/"),
                end => path.slice(..end),
            },
        },
        b't' => path.slice(slash.map_or(0, |at| at + 1)..),
        b'r' => text.slice(..dot.unwrap_or(text.len())),
        b'e' => dot.map_or_else(Bytes::new, |dot| text.slice(dot + 1..)),
        b'l' if text.is_ascii() => text.to_ascii_lowercase().into(),
        b'u' if text.is_ascii() => text.to_ascii_uppercase().into(),
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What `:h`, `:t`, `:r` and `:e` make of paths (measured: zsh 5.9).
    #[test]
    fn paths_come_apart() {
        for (path, parts) in [
            ("", Some([".", "", "", ""])),
            ("/", Some(["/", "", "/", ""])),
            ("a", Some([".", "a", "a", ""])),
            ("/a", Some(["/", "a", "/a", ""])),
            ("a/b.c/", Some(["a", "b.c", "a/b.c/", ""])),
            ("a//b", Some(["a", "b", "a//b", ""])),
            ("a///b//", Some(["a", "b", "a///b//", ""])),
            ("a.b/c", Some(["a.b", "c", "a.b/c", ""])),
            ("/q/abc.d.e", Some(["/q", "abc.d.e", "/q/abc.d", "e"])),
            (".a", Some([".", ".a", "", "a"])),
            ("a.", Some([".", "a.", "a", ""])),
            ("..", Some([".", "..", ".", ""])),
            ("//a", None),
        ] {
            let text = Bytes::from_static(path.as_bytes());
            let found: Option<Vec<Bytes>> = b"htre".iter().map(|letter| modified(&text, *letter)).collect();
            assert_eq!(found, parts.map(|parts| parts.map(Bytes::from).to_vec()), "{path}");
        }
        let upper = |text: &'static str| modified(&Bytes::from_static(text.as_bytes()), b'u');
        assert_eq!((upper("a/é"), upper("a b")), (None, Some(Bytes::from_static(b"A B"))));
    }

    #[test]
    fn what_stands_within_a_change_is_worked_out_where_it_counts() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Zsh], "R=abc; X=${R:1:-1}", ["abc", "b"]),
            (&[Zsh], "R=abc; X=${R:9:1}", ["abc", ""]),
            (&[Ksh], "R=x; X=${R/a/${V?}}", ["x", "x"]),
            (&[Bash], "R=; X=${R#${V?}}", ["", ""]),
            (&[Bash, Mksh, Zsh], "R=0; X=ab; X=${X/a/$((R+=1))}", ["1", "1b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=ab; V=a; X=${R#$V}", ["ab", "b"]),
        ]);
    }
}
