//! Conditions: `[[ ]]`, and what single ones ask.

mod bracket;

use std::sync::Arc;

use bracket::is_sure_number;
use bytes::Bytes;

use super::arithmetic::may_assign;
use super::content::Content;
use super::machine::Machine;
use super::passing::PASSES;
use super::sum::SUM_MAY_SET;
use super::syntax::*;
use super::value::{Doubt, Maybe, Val};
use crate::host_view::{Kind as FileKind, Want};
use crate::reader::is_portable;

/// The conditions of one word that zsh has without modules (zshmisc(1), «Conditional expressions»).
const CONDITIONS_OF_ZSH: &[u8] = b"abcdefghknoprstuvwxzGLNOS";

/// Whether a sign between two words compares them as numbers.
fn compares_numbers(operator: &[u8]) -> bool {
    matches!(operator, b"-eq" | b"-ne" | b"-lt" | b"-le" | b"-gt" | b"-ge")
}

impl Machine<'_> {
    /// A condition in `[[ ]]`.
    pub(super) fn test(&mut self, test: &Test) -> Maybe {
        match test {
            Test::Word(word) => {
                let value = self.one_word(word)?;
                self.is_filled(&value)
            }
            Test::Unary(operator, word) => {
                let value = self.one_word(word)?;
                if self.dialect == Dialect::Zsh && !operator.get(1).is_some_and(|letter| CONDITIONS_OF_ZSH.contains(letter)) {
                    self.fail_hard();
                    return Err(self.doubt("a condition that the shell does not know"));
                }
                self.unary(operator, &value)
            }
            Test::Binary(left, operator, right) => {
                if compares_numbers(operator) {
                    let left = self.sum_in_test(&left.parts);
                    let right = match &left {
                        Ok(_) => self.sum_in_test(&right.parts),
                        // Where one is wrong the other is not worked out, but its words are.
                        Err(doubt) => {
                            let mut value = Err(doubt.clone());
                            self.fork(doubt, |m| value = m.sum_in_test(&right.parts), |m| drop(m.one_text(&right.parts)));
                            value
                        }
                    };
                    return Ok(compared(operator, left?, right?));
                }
                let value = self.one_word(left)?;
                match &operator[..] {
                    b"==" | b"=" => self.fits(&value, right, true),
                    b"!=" => self.fits(&value, right, true).map(|fits| !fits),
                    b"=~" => {
                        let found = self.expression(&value, right);
                        // One that is none ends what runs there.
                        if let (Err(doubt), Dialect::Ksh, Some(_)) = (&found, self.dialect, value.known()) {
                            self.fail_or_go_on(&doubt.clone());
                        }
                        self.keep_found(&found);
                        found.map(|found| !matches!(found, Found::Nothing))
                    }
                    operator => {
                        let right = self.one_word(right)?;
                        self.binary(&value, operator, &right)
                    }
                }
            }
            Test::Not(inner) => self.test(inner).map(|is_so| !is_so),
            Test::And(one, other) => match self.test(one) {
                Ok(false) => Ok(false),
                Ok(true) => self.test(other),
                Err(doubt) => match self.test_perhaps(other, &doubt) {
                    // An expression that is none ends all of it with a status of its own.
                    Ok(false) if self.dialect != Dialect::Mksh && !one.has_expression() => Ok(false),
                    _ => Err(doubt),
                },
            },
            Test::Or(one, other) => match self.test(one) {
                Ok(true) => Ok(true),
                Ok(false) => self.test(other),
                Err(doubt) => match self.test_perhaps(other, &doubt) {
                    // There a number that is wrong ends all of it.
                    Ok(true) if self.dialect != Dialect::Mksh && !one.has_expression() => Ok(true),
                    _ => Err(doubt),
                },
            },
        }
    }

    /// What a condition comes to that may not be asked: what it sets, and what it ends, may not come to be.
    fn test_perhaps(&mut self, test: &Test, doubt: &Arc<Doubt>) -> Maybe {
        let mut answer = Err(doubt.clone());
        self.fork(doubt, |m| answer = m.test(test), |_| {});
        answer
    }

    /// A regular expression (POSIX extended): told only where it has the same meaning everywhere.
    fn expression(&mut self, value: &Val, word: &Word) -> Result<Found, Arc<Doubt>> {
        let odd = self.doubt("a regular expression");
        let (text, quoted) = self.pattern_text(word, true)?;
        let Val::Known(value) = value else { return Err(odd) };
        let mut source = String::new();
        for (byte, quoted) in text.iter().zip(&quoted) {
            let c = char::from(*byte);
            // In zsh quotes only keep the shell's hands off.
            let is_literal = *quoted && self.dialect != Dialect::Zsh;
            if !byte.is_ascii() || b"\\{".contains(byte) && !is_literal {
                return Err(odd);
            }
            // There a backslash before a letter means more (measured: 93u+m).
            if is_literal && byte.is_ascii_alphanumeric() && self.dialect == Dialect::Ksh {
                return Err(odd);
            }
            if is_literal && byte.is_ascii_punctuation() {
                source.push('\\');
            }
            source.push(c);
        }
        // In a class these would be Rust's own.
        if !value.is_ascii() || ["(?", "&&", "--", "~~"].iter().any(|odd| source.contains(odd)) {
            return Err(odd);
        }
        let Some(folds) = self.folds_case() else { return Err(odd) };
        let mut builder = regex::bytes::RegexBuilder::new(&source);
        let Ok(expression) = builder.case_insensitive(folds).dot_matches_new_line(true).size_limit(1 << 16).build() else {
            return Err(odd);
        };
        let Some(found) = expression.captures(value) else { return Ok(Found::Nothing) };
        // With alternatives, or a group that is repeated, the longest match may be another one than the first.
        let is_sure = !source.contains('|') && ![")*", ")+", ")?"].iter().any(|sign| source.contains(sign));
        let parts = found.iter().map(|part| value.slice_ref(part.map_or(&b""[..], |part| part.as_bytes())));
        Ok(if is_sure { Found::Parts(parts.collect()) } else { Found::Something })
    }

    /// Keeps what an expression found where the shell does: in BASH_REMATCH, or in MATCH and `match`.
    fn keep_found(&mut self, found: &Result<Found, Arc<Doubt>>) {
        let unknown = || Content::Perhaps(Val::unknown(self.doubt("what an expression found")));
        match (self.dialect, found) {
            (Dialect::Bash, found) => {
                let content = match found {
                    Ok(Found::Nothing) => Content::Array(Arc::default()),
                    Ok(Found::Parts(parts)) => Content::Array(Arc::new(parts.iter().cloned().map(Val::Known).collect())),
                    Ok(Found::Something) | Err(_) => unknown(),
                };
                self.assign_list(b"BASH_REMATCH", content, Some(false));
            }
            (Dialect::Zsh, Ok(Found::Nothing)) => {}
            (Dialect::Zsh, found) => {
                self.may_have_found();
                let Ok(Found::Parts(parts)) = found else { return };
                if let [whole, groups @ ..] = &parts[..]
                    && self.live.as_ref().is_some_and(|s| s.option("bashrematch") == Some(false))
                {
                    self.assign(b"MATCH", Content::Set(Val::Known(whole.clone())), None);
                    if !groups.is_empty() {
                        let groups = groups.iter().cloned().map(Val::Known).collect();
                        self.assign(b"match", Content::Array(Arc::new(groups)), None);
                    }
                }
            }
            _ => {}
        }
    }

    fn is_filled(&self, value: &Val) -> Maybe {
        match (value.is_empty(), value) {
            (Some(is_empty), _) => Ok(!is_empty),
            (None, Val::Unknown(unknown)) => Err(unknown.doubt.clone()),
            (None, Val::Known(_)) => Ok(true),
        }
    }

    fn unary(&mut self, operator: &[u8], value: &Val) -> Maybe {
        match operator {
            b"-n" => return self.is_filled(value),
            b"-z" => return self.is_filled(value).map(|is| !is),
            b"-t" => {
                // What is no number is an error there (measured: 5.9).
                if self.dialect == Dialect::Zsh && !is_sure_number(value) {
                    self.fail_or_go_on(&self.doubt("what is asked by a number that is none"));
                }
                let is_terminal = self.has_terminal();
                return match value.known().map(|v| &v[..]) {
                    Some(b"0" | b"1" | b"2") if is_terminal => Ok(true),
                    _ => Err(self.doubt("whether a terminal is there is not known")),
                };
            }
            _ => {}
        }
        let Val::Known(path) = value else {
            let Val::Unknown(unknown) = value else { return Ok(false) };
            return Err(unknown.doubt.clone());
        };
        match operator {
            b"-R" => return Err(self.doubt("whether a name stands for another")),
            b"-v" if path.contains(&b'[') => {
                self.doubt_place_named(path);
                return self.has_key(path);
            }
            // What else there is by a number or a sign is not looked up here.
            b"-v" if !is_portable(path) => return Err(self.doubt(OTHER_TEST)),
            b"-v" => {
                return match self.content_of(path) {
                    Content::Unset => Ok(false),
                    Content::Set(_) => Ok(true),
                    // What is asked for is its first item, or the list.
                    Content::Array(values) if !values.is_empty() => Ok(true),
                    _ => Err(self.doubt("whether the name is set is not known")),
                };
            }
            b"-o" => return self.is_option_set(path),
            _ => {}
        }
        if path.is_empty() {
            let asks_of_files = operator.get(1).is_some_and(|letter| b"bcdefghkprsuwxLSOG".contains(letter));
            return if asks_of_files { Ok(false) } else { Err(self.doubt(OTHER_TEST)) };
        }
        let Some(full) = self.full(path) else { return Err(self.doubt("the working folder is not known")) };
        if full.starts_with(b"/dev/")
            || full.starts_with(b"/proc/")
            || full.starts_with(b"/sys/")
            || full.starts_with(b"/run/")
            || full.starts_with(b"/tmp/")
            || full == b"/tmp"[..]
            || full == b"/run"[..]
        {
            return self.passing(operator, &full);
        }
        self.file(operator, &full)
    }

    /// What lies in folders that come and go with the system.
    fn passing(&mut self, operator: &[u8], path: &[u8]) -> Maybe {
        let known = match (path, operator) {
            (b"/dev/null", b"-e" | b"-c" | b"-r" | b"-w") => Some(true),
            (b"/dev/null", b"-f" | b"-d" | b"-x") => Some(false),
            (b"/tmp" | b"/run" | b"/dev" | b"/proc" | b"/sys", b"-e" | b"-d" | b"-r" | b"-x") => Some(true),
            (b"/tmp" | b"/run" | b"/dev" | b"/proc" | b"/sys", b"-f" | b"-L" | b"-h") => Some(false),
            _ => None,
        };
        if let Some(known) = known {
            return Ok(known);
        }
        // Who reads a whole host knows what is there; whether it is there when the shell starts is
        // another question.
        if !path.starts_with(b"/dev/") && !path.starts_with(b"/proc/") && !path.starts_with(b"/sys/") {
            return self.file(operator, path);
        }
        Err(self.doubt(PASSES))
    }

    fn file(&mut self, operator: &[u8], path: &[u8]) -> Maybe {
        if self.touched.is_touched(path) {
            return Err(self.doubt("a file that was written just before"));
        }
        let files = self.ground.files;
        let kind = files.kind(path);
        let unknown = || Err(self.doubt("what stands there may not be seen"));
        match (operator, kind) {
            (_, FileKind::Unknown) => unknown(),
            (b"-L" | b"-h", _) => files.is_link(path).map_or_else(unknown, Ok),
            (_, FileKind::Missing) => Ok(false),
            (b"-e" | b"-a", _) => Ok(true),
            (b"-f", kind) => Ok(matches!(kind, FileKind::File | FileKind::Program)),
            (b"-d", kind) => Ok(kind == FileKind::Folder),
            (b"-r" | b"-w" | b"-x", kind) => {
                let want = match operator {
                    b"-r" => Want::Read,
                    b"-w" => Want::Write,
                    _ => Want::Execute,
                };
                match (files.may(path, self.account.uid, self.account.gid, want), want) {
                    (Some(may), _) => Ok(may),
                    (None, Want::Execute) if kind == FileKind::File => Ok(false),
                    _ => unknown(),
                }
            }
            (b"-s", FileKind::File | FileKind::Program) => match files.read(path) {
                crate::host_view::Content::Bytes(bytes) => Ok(!bytes.is_empty()),
                _ => unknown(),
            },
            (b"-s", FileKind::Folder) => Ok(true),
            (b"-p" | b"-S" | b"-b" | b"-c" | b"-g" | b"-u" | b"-k", FileKind::File | FileKind::Folder | FileKind::Program)
                if !matches!(operator, b"-g" | b"-u" | b"-k") =>
            {
                Ok(false)
            }
            _ => Err(self.doubt("what is asked of a file here is not followed")),
        }
    }

    fn binary(&mut self, left: &Val, operator: &[u8], right: &Val) -> Maybe {
        if matches!(operator, b"-nt" | b"-ot" | b"-ef") {
            if let (Val::Known(a), Val::Known(b)) = (left, right)
                && let (Some(a), Some(b)) = (self.full(a), self.full(b))
            {
                // A file without a name is none.
                let missing = |named: &Val, path: &[u8]| {
                    named.is_empty() == Some(true) || self.ground.files.kind(path) == FileKind::Missing
                };
                match (operator, missing(left, &a), missing(right, &b)) {
                    (b"-nt", true, _) | (b"-ot", _, true) | (b"-ef", true, _) | (b"-ef", _, true) => return Ok(false),
                    // There both have to be there.
                    (b"-nt", false, true) | (b"-ot", true, false) if matches!(self.dialect, Dialect::Dash | Dialect::Zsh) => {
                        return Ok(false);
                    }
                    (b"-nt", false, true) | (b"-ot", true, false) => {
                        let there = if operator == b"-ot" { &b } else { &a };
                        if self.ground.files.kind(there) != FileKind::Unknown {
                            return Ok(true);
                        }
                    }
                    (b"-ef", false, false) => {
                        let real = |p: &[u8]| self.ground.files.real_path(p);
                        if real(&a).is_some_and(|one| real(&b) == Some(one)) {
                            return Ok(true);
                        }
                    }
                    _ => {}
                }
            }
            return Err(self.doubt("which file is newer is not known"));
        }
        match operator {
            b"=" | b"==" => self.equal(left, right),
            b"!=" => self.equal(left, right).map(|is| !is),
            b"<" | b">" => {
                let (Val::Known(a), Val::Known(b)) = (left, right) else {
                    return Err(self.doubt("a comparison with what is not known"));
                };
                if a == b {
                    return Ok(false);
                }
                let plain = |t: &[u8]| t.iter().all(u8::is_ascii_lowercase) || t.iter().all(u8::is_ascii_digit);
                if !(plain(a) && plain(b)) {
                    return Err(self.doubt("the order of texts depends on the locale"));
                }
                Ok((a < b) == (operator == b"<"))
            }
            operator if compares_numbers(operator) => {
                let number = |m: &Self, value: &Val| match value {
                    Val::Known(text) => {
                        let text = std::str::from_utf8(text).unwrap_or_default().trim();
                        let number = text.parse::<i64>().ok().filter(|_| m.dialect != Dialect::Mksh || text.len() < 10);
                        number.ok_or_else(|| m.doubt("a comparison of what is no number"))
                    }
                    Val::Unknown(unknown) => Err(unknown.doubt.clone()),
                };
                // A sum to these, which may be wrong, and set names.
                let is_calm = |text: &[u8]| text.trim_ascii().is_empty() || is_portable(text) && self.holds_plain_number(text);
                let is_sum = |value: &Val| value.known().is_some_and(|text| number(self, value).is_err() && !is_calm(text));
                let sums: Vec<&Val> = [left, right].into_iter().filter(|value| is_sum(value)).collect();
                if !sums.is_empty() && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) {
                    self.fail_or_go_on(&self.doubt("a comparison of what is no number"));
                    if sums.into_iter().any(|value| value.known().is_some_and(|text| may_assign(text))) {
                        self.fog(SUM_MAY_SET);
                    }
                }
                let (left, right) = (number(self, left)?, number(self, right)?);
                Ok(compared(operator, left, right))
            }
            _ => Err(self.doubt("a comparison of another kind")),
        }
    }

    fn equal(&self, left: &Val, right: &Val) -> Maybe {
        match (left, right) {
            (Val::Known(a), Val::Known(b)) => Ok(a == b),
            (Val::Unknown(unknown), other) | (other, Val::Unknown(unknown)) => {
                let is_other = |text: &Bytes| {
                    text.is_empty() && unknown.is_filled || !unknown.could_be().is_empty() && !unknown.could_be().contains(text)
                };
                if other.known().is_some_and(is_other) { Ok(false) } else { Err(unknown.doubt.clone()) }
            }
        }
    }
}

/// Why a condition is not told.
const OTHER_TEST: &str = "a test of another kind";

/// What an expression finds in a text.
#[derive(Debug)]
enum Found {
    Nothing,
    /// The whole of it, and its groups.
    Parts(Vec<Bytes>),
    /// Something of which more is not known.
    Something,
}

fn compared(operator: &[u8], left: i64, right: i64) -> bool {
    match operator {
        b"-eq" => left == right,
        b"-ne" => left != right,
        b"-lt" => left < right,
        b"-le" => left <= right,
        b"-gt" => left > right,
        _ => left >= right,
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn conditions_are_what_the_shells_say() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ a = a ] && R=1; [ a = b ] || X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ -d /usr -a ! -r /etc/passwd ] && R=1", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ 3 -gt 2 ] && R=1; [ 03 -eq 3 ] && X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ -n \"$UNSET\" ] || R=1; [ -z \"$UNSET\" ] && X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ ! a = b ] && R=1; test; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ \\( a = b \\) -o c = c ] && R=1; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "test a = a -a b = c; R=$?; test -n; X=$?", ["1", "0"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ abc == a*c ]] && R=1; [[ abc == \"a*c\" ]] || X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a < b && ! a > b ]] && R=1; [[ -z x || -n x ]] && X=1", ["1", "1"]),
            (&[Bash, Ksh, Zsh], "[[ abc =~ ^a.c$ ]] && R=1; [[ abc =~ ^b ]] || X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh], "[[ -o noglob ]] || R=1; set -f; [[ -o noglob ]] && X=1", ["1", "1"]),
            (&[Zsh], "[[ -o aliases ]] && R=1; [[ -o no_aliases ]] || X=1", ["1", "1"]),
            (&[Zsh], "setopt noaliases; [[ -o aliases ]] || R=1; [[ -o shglob ]] || X=1", ["1", "1"]),
            (&[Bash, Ksh, Zsh], "X=1; [[ -v X ]] && R=1; [[ -v UNSET ]] || X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh], "[ /usr -nt /nowhere ]; R=$?; [ /nowhere -ot /usr ]; X=$?", ["0", "0"]),
            (&[Dash, Zsh], "[ /usr -nt /nowhere ]; R=$?; [ /nowhere -ot /usr ]; X=$?", ["1", "1"]),
        ]);
    }
}
