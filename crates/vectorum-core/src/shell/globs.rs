//! The files that a pattern names, in the order of the shell.

use std::cmp::Ordering;
use std::sync::Arc;

use bytes::Bytes;

use super::changed::modified;
use super::content::Content;
use super::expand::Expanded;
use super::expand::plain_carets;
use super::field::Field;
use super::fits::GROUPS;
use super::machine::Machine;
use super::pattern::{Groups, Pattern};
use super::syntax::*;
use super::value::{Doubt, Val};
use crate::host_view::Kind as FileKind;

/// More files are not looked at.
const MOST: usize = 5000;

/// What becomes of a pattern that names no file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Nothing {
    Stays,
    Goes,
    Fails,
}

/// What zsh asks of files behind a pattern.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Asked {
    /// `.`, whether links are followed.
    File(bool),
    /// `/`, whether links are followed.
    Folder(bool),
}

/// How names of files are looked for.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Manner {
    nothing: Nothing,
    takes_dots: bool,
    folds_case: bool,
    by_number: bool,
    is_reversed: bool,
    asked: Vec<Asked>,
    /// `:t` and its kin of zsh, one after the other.
    parts: Vec<u8>,
}

/// Names, as they are shown, with what they are as seen from the root.
type Found = Vec<(Vec<u8>, Vec<u8>)>;

impl Manner {
    /// Takes in what zsh calls qualifiers (zshexpn(1), "Glob Qualifiers"). Returns whether all of them are followed.
    fn qualify(&mut self, qualifiers: &[u8]) -> bool {
        let (plain, parts) = match memchr::memchr(b':', qualifiers) {
            Some(at) => qualifiers.split_at(at),
            None => (qualifiers, &b""[..]),
        };
        let mut follows = false;
        let mut letters = plain.iter();
        while let Some(letter) = letters.next() {
            match letter {
                b'N' => self.nothing = Nothing::Goes,
                b'D' => self.takes_dots = true,
                b'n' => self.by_number = true,
                b'-' => follows = !follows,
                b'.' => self.asked.push(Asked::File(follows)),
                b'/' => self.asked.push(Asked::Folder(follows)),
                b'o' | b'O' if letters.next() == Some(&b'n') => self.is_reversed = *letter == b'O',
                _ => return false,
            }
        }
        let mut rest = parts;
        while let [b':', part @ (b'h' | b't' | b'r' | b'e'), behind @ ..] = rest {
            self.parts.push(*part);
            rest = behind;
        }
        rest.is_empty()
    }
}

const QUALIFIED: &str = "qualifiers of zsh's";

/// What stands in the parentheses at the end of a pattern of zsh's, if those are qualifiers, and where they begin.
fn qualifiers<'a>(text: &'a [u8], quoted: &[bool]) -> Option<(usize, &'a [u8])> {
    let is_sign = |at: usize, sign: u8| text.get(at) == Some(&sign) && quoted.get(at) == Some(&false);
    let end = text.len().checked_sub(1).filter(|end| is_sign(*end, b')'))?;
    let begin = (0..end).rev().find(|at| is_sign(*at, b'('))?;
    let inside = text.get(begin + 1..end)?;
    (!inside.iter().any(|b| b"|~)".contains(b))).then_some((begin, inside))
}

impl Machine<'_> {
    /// Whether a word names files: it has a sign of a pattern, or qualifiers of zsh's.
    pub(super) fn is_pattern(&self, field: &Field) -> bool {
        let is_group = || match self.dialect {
            Dialect::Dash => false,
            Dialect::Bash => self.may_be_set(GROUPS) && field.has_any(b"("),
            Dialect::Ksh | Dialect::Mksh => field.has_any(b"("),
            Dialect::Zsh if !self.is_own_zsh() => false,
            Dialect::Zsh => {
                field.has_any(b"<|")
                    || self.may_be_set(GROUPS) && field.has_any(b"^#~")
                    || field.text.ends_with(b")") && qualifiers(&field.text, &field.quoted()).is_some()
            }
        };
        field.has_signs() || is_group()
    }

    /// How names of files are looked for by the options that are set; `None` where one of them is not known.
    fn manner(&self) -> Option<Manner> {
        let state = self.live.as_ref()?;
        let [is_null, fails, stays] = ["nullglob", "failglob", "nonomatch"].map(|name| state.option(name));
        let nothing = match (is_null?, fails?, stays?) {
            (_, true, _) => Nothing::Fails,
            (true, ..) => Nothing::Goes,
            (_, _, false) if self.is_own_zsh() => Nothing::Fails,
            _ => Nothing::Stays,
        };
        Some(Manner {
            nothing,
            takes_dots: state.option("dotglob")?,
            folds_case: state.option("nocaseglob")?,
            by_number: state.option("numericglobsort")?,
            is_reversed: false,
            asked: Vec::new(),
            parts: Vec::new(),
        })
    }

    /// The files that a pattern names, or the pattern itself.
    pub(super) fn paths(&mut self, field: &Field) -> Expanded<Vec<Bytes>> {
        const ODD: &str = "patterns of file names work in another way here";
        let Some(mut manner) = self.manner() else { return Err(self.doubt(ODD)) };
        let (mut text, mut quoted) = (&field.text[..], field.quoted());
        plain_carets(self.dialect, text, &mut quoted);
        let (mut is_unclear, mut goes) = (false, false);
        if let Some((begin, inside)) = qualifiers(text, &quoted).filter(|_| self.is_own_zsh()) {
            if self.live.as_ref().is_none_or(|s| s.option("nobareglobqual") != Some(false)) {
                return Err(self.doubt(QUALIFIED));
            }
            is_unclear = !manner.qualify(inside);
            goes = inside.contains(&b'N');
            text = text.get(..begin).unwrap_or_default();
            quoted.truncate(begin);
        }
        // What ksh leaves out of them; names that begin with a dot are found then.
        let leaves_out = self.dialect == Dialect::Ksh
            && match self.content_of(b"FIGNORE") {
                Content::Unset => false,
                Content::Set(value) => value.is_empty() != Some(true),
                _ => true,
            };
        let has = |signs: &[u8]| text.iter().zip(&quoted).any(|(b, q)| !q && signs.contains(b));
        let extended = self.dialect == Dialect::Zsh && (has(b"<|") || self.may_be_set(GROUPS) && has(b"#^~("))
            || self.dialect != Dialect::Zsh && has(b"(") && !self.takes_groups_of(text, &quoted)
            || self.may_be_set("globstar") && memchr::memmem::find(text, b"**").is_some();
        if extended || leaves_out {
            return Err(self.doubt(ODD));
        }
        let found = self.found(text, &quoted, &manner);
        if let (Err(doubt), Dialect::Bash | Dialect::Zsh, Nothing::Fails) = (&found, self.dialect, manner.nothing) {
            self.fail_or_go_on(&doubt.clone());
        }
        let (found, patterns) = found?;
        if patterns == 0 && text.len() == field.text.len() {
            // A bracket alone, as in the command of that name.
            return Ok(vec![field.text.clone().into()]);
        }
        // Of nothing there is nothing, whatever is asked of it.
        if is_unclear {
            let is_none = found.iter().all(|(_, real)| self.ground.files.kind(real) == FileKind::Missing);
            if is_none && goes {
                return Ok(Vec::new());
            }
            // One that there is not is an error.
            let doubt = self.doubt(QUALIFIED);
            self.fail_or_go_on(&doubt);
            return Err(doubt);
        }
        let mut there = Vec::new();
        for (shown, real) in found {
            if self.ground.files.kind(&real) != FileKind::Missing && self.is_asked(&real, &manner)? {
                there.push(Bytes::from(shown));
            }
        }
        if there.is_empty() {
            return match manner.nothing {
                Nothing::Goes => Ok(Vec::new()),
                Nothing::Stays => Ok(vec![field.text.clone().into()]),
                // There it gives up the line.
                Nothing::Fails if self.dialect == Dialect::Bash => {
                    let doubt = self.doubt(ODD);
                    self.fail_hard();
                    Err(doubt)
                }
                Nothing::Fails => {
                    if self.is_for_child {
                        self.child_failed = true;
                    } else {
                        self.fail_hard();
                    }
                    Err(self.doubt("zsh fails where a pattern names no file"))
                }
            };
        }
        self.put_in_order(&mut there, patterns, &manner)?;
        for part in &manner.parts {
            let parts: Option<Vec<Bytes>> = there.iter().map(|path| modified(path, *part)).collect();
            there = parts.ok_or_else(|| self.doubt("a part of a path"))?;
        }
        Ok(there)
    }

    /// Whether groups in a pattern are such that each of these shells finds the same files by them: no folder lies within
    /// one, and none of them may stand for a dot that begins a name.
    fn takes_groups_of(&self, text: &[u8], quoted: &[bool]) -> bool {
        if self.dialect == Dialect::Bash && self.live.as_ref().and_then(|s| s.option(GROUPS)) != Some(true) {
            return false;
        }
        let (mut depth, mut before, mut begins) = (0_usize, b'/', true);
        for (byte, quoted) in text.iter().zip(quoted) {
            match byte {
                b'!' if !quoted => return false,
                b'(' if !quoted && !b"?*+@".contains(&before) => return false,
                b'(' if !quoted => depth += 1,
                b')' if !quoted => depth = depth.saturating_sub(1),
                b'/' if depth > 0 => return false,
                b'.' if begins && (depth > 0 || b")".contains(&before)) => return false,
                _ => {}
            }
            // Up to the first letter outside of groups a name may begin there.
            begins = *byte == b'/' || begins && (depth > 0 || b"?*+@)".contains(byte));
            before = *byte;
        }
        depth == 0
    }

    /// Goes on as if a pattern that is not known named no file, where zsh, or bash by an option, takes that for an error.
    pub(super) fn fork_where_none_is_an_error(&mut self, doubt: &Arc<Doubt>) {
        let may_fail = self.manner().is_none_or(|manner| matches!(manner.nothing, Nothing::Fails));
        let fails = match self.dialect {
            Dialect::Bash => may_fail && self.may_be_set("failglob"),
            _ => self.is_own_zsh() && !self.is_for_child && may_fail,
        };
        if fails {
            self.fail_or_go_on(doubt);
        }
    }

    /// Whether a file is of the kind that qualifiers ask for.
    fn is_asked(&mut self, path: &[u8], manner: &Manner) -> Expanded<bool> {
        for asked in &manner.asked {
            let (Asked::File(follows) | Asked::Folder(follows)) = asked;
            let is_link = if *follows { Some(false) } else { self.ground.files.is_link(path) };
            let kind = self.ground.files.kind(path);
            let is_it = match (asked, kind, is_link) {
                (_, FileKind::Unknown, _) | (_, _, None) => return Err(self.doubt("of what kind a file is")),
                (_, _, Some(true)) => false,
                (Asked::File(_), kind, _) => matches!(kind, FileKind::File | FileKind::Program),
                (Asked::Folder(_), kind, _) => kind == FileKind::Folder,
            };
            if !is_it {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// What could be named, in no order, and how many parts of the path are patterns.
    fn found(&mut self, text: &[u8], quoted: &[bool], manner: &Manner) -> Expanded<(Found, usize)> {
        let parts: Vec<(Vec<u8>, Vec<bool>)> = {
            let mut parts = vec![(Vec::new(), Vec::new())];
            for (byte, quoted) in text.iter().zip(quoted) {
                if *byte == b'/' {
                    parts.push((Vec::new(), Vec::new()));
                } else if let Some((text, quotes)) = parts.last_mut() {
                    text.push(*byte);
                    quotes.push(*quoted);
                }
            }
            parts
        };
        // What it begins with, as written and as seen from the root.
        let is_absolute = text.first() == Some(&b'/');
        let base = if is_absolute { Some(Bytes::new()) } else { self.live.as_ref().and_then(|s| s.folder.clone()) };
        let Some(base) = base else { return Err(self.doubt("the working folder is not known")) };
        let mut patterns = 0;
        let mut found: Found = vec![(Vec::new(), base.to_vec())];
        for (index, (text, quoted)) in parts.iter().enumerate() {
            let lead: &[u8] = if index == 0 { b"" } else { b"/" };
            let has_signs = text.iter().zip(quoted).any(|(b, q)| !q && b"*?[(".contains(b));
            let is_last = index + 1 == parts.len();
            // In zsh any number of folders.
            if self.is_own_zsh() && text == b"**" && !quoted.contains(&true) && !is_last {
                patterns += 2;
                found = self.below(found, lead, manner)?;
                continue;
            }
            let mut next = Vec::new();
            let mut is_pattern = false;
            for (shown, real) in &found {
                // Behind folders that were passed over none is to be written.
                let lead = if shown.is_empty() && !is_absolute { b"" } else { lead };
                if !has_signs {
                    let shown = [&shown[..], lead, text].concat();
                    let real = if text.is_empty() { real.clone() } else { [&real[..], b"/", text].concat() };
                    next.push((shown, real));
                    continue;
                }
                let groups = if self.dialect == Dialect::Zsh { Groups::None } else { self.groups(text, false)? };
                let pattern = self.pattern(text, quoted, groups)?;
                if pattern.is_text() {
                    next.push(([&shown[..], lead, text].concat(), [&real[..], b"/", text].concat()));
                    continue;
                }
                is_pattern = true;
                let folder = if real.is_empty() { b"/".to_vec() } else { real.clone() };
                let Some(mut names) = self.names_in(&folder)? else { continue };
                // It takes the folder itself and the one around it, too (measured: dash 0.5.12).
                if self.dialect == Dialect::Dash && text.first() == Some(&b'.') {
                    if !is_last {
                        return Err(self.doubt("a pattern that names the folder itself"));
                    }
                    names.splice(0..0, [&b"."[..], b".."].map(Bytes::from_static));
                }
                let folded = Pattern::new(&text.to_ascii_lowercase(), quoted, groups);
                for name in names {
                    if name.starts_with(b".") && text.first() != Some(&b'.') && !manner.takes_dots {
                        continue;
                    }
                    let is_it = pattern.matches(&name).map_err(|_| self.doubt("a pattern of another kind"))?;
                    let lower = name.to_ascii_lowercase();
                    if manner.folds_case && folded.as_ref().is_ok_and(|p| p.matches(&lower) != Ok(is_it)) {
                        return Err(self.doubt("a pattern that takes upper and lower case for the same"));
                    }
                    if is_it {
                        let path = [&real[..], b"/", &name].concat();
                        if is_last || self.ground.files.kind(&path) == FileKind::Folder {
                            next.push(([&shown[..], lead, &name].concat(), path));
                        }
                    }
                }
            }
            patterns += usize::from(is_pattern);
            found = next;
            if found.len() > MOST {
                return Err(self.doubt("a pattern names too many files"));
            }
        }
        Ok((found, patterns))
    }

    /// The names in a folder; `None` where it is none.
    ///
    /// # Errors
    /// If it may not be read, where it may hold nothing that is asked for.
    fn names_in(&mut self, folder: &[u8]) -> Expanded<Option<Vec<Bytes>>> {
        match (self.ground.files.list(folder), self.ground.files.kind(folder)) {
            (Some(names), _) => Ok(Some(names)),
            (None, FileKind::Missing | FileKind::File | FileKind::Program) => Ok(None),
            (None, _) => {
                if self.dialect == Dialect::Zsh {
                    self.fail_perhaps("zsh fails where a pattern names no file");
                }
                Err(self.doubt("a folder may not be read"))
            }
        }
    }

    /// Folders, and all below them that are no links.
    fn below(&mut self, mut found: Found, lead: &[u8], manner: &Manner) -> Expanded<Found> {
        let mut at = 0;
        while let Some((shown, real)) = found.get(at).cloned() {
            at += 1;
            let folder = if real.is_empty() { b"/".to_vec() } else { real.clone() };
            let Some(names) = self.names_in(&folder)? else { continue };
            for name in names {
                let path = [&real[..], b"/", &name].concat();
                if name.starts_with(b".") && !manner.takes_dots || self.ground.files.kind(&path) != FileKind::Folder {
                    continue;
                }
                match self.ground.files.is_link(&path) {
                    Some(false) => {
                        let lead = if shown.is_empty() { lead } else { b"/" };
                        found.push(([&shown[..], lead, &name].concat(), path));
                    }
                    Some(true) => {}
                    None => return Err(self.doubt("of what kind a file is")),
                }
            }
            if found.len() > MOST {
                return Err(self.doubt("a pattern names too many files"));
            }
        }
        Ok(found)
    }

    /// Puts texts in the order of the locale, as far as that is certain.
    pub(super) fn sort(&mut self, texts: &mut [Bytes]) -> Expanded<()> {
        texts.sort();
        if !self.sorts_by_bytes()? && texts.len() > 1 && !is_plain_order(texts) {
            return Err(self.doubt("the order of texts depends on the locale"));
        }
        Ok(())
    }

    /// Puts names in the order of the locale, as far as that is certain.
    fn put_in_order(&mut self, names: &mut [Bytes], patterns: usize, manner: &Manner) -> Expanded<()> {
        if manner.by_number {
            names.sort_by(|a, b| by_number(a, b));
        } else {
            names.sort();
        }
        // Of paths that differ in more than one part it is certain only byte by byte.
        if !self.sorts_by_bytes()? && names.len() > 1 && (patterns > 1 || manner.by_number || !is_plain_order(names)) {
            return Err(self.doubt("the order of file names depends on the locale"));
        }
        if manner.is_reversed {
            names.reverse();
        }
        Ok(())
    }

    /// Whether names are put in the order of their bytes.
    fn sorts_by_bytes(&mut self) -> Expanded<bool> {
        if self.dialect == Dialect::Dash {
            return Ok(true);
        }
        for name in ["LC_ALL", "LC_COLLATE", "LANG"] {
            match self.content_of(name.as_bytes()) {
                Content::Set(Val::Known(text)) if !text.is_empty() => {
                    return Ok(text == "C" || text == "POSIX" || text.starts_with(b"C."));
                }
                Content::Unset | Content::Set(Val::Known(_)) => {}
                _ => return Ok(false),
            }
        }
        Ok(true)
    }
}

/// Compares names by their bytes, but for numbers in them, which are compared as such.
fn by_number(a: &[u8], b: &[u8]) -> Ordering {
    let same = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    // The whole of the numbers in which they differ.
    let begin = a.get(..same).unwrap_or_default().iter().rposition(|c| !c.is_ascii_digit()).map_or(0, |at| at + 1);
    let number = |name: &[u8]| -> Vec<u8> {
        name.get(begin..).unwrap_or_default().iter().copied().take_while(u8::is_ascii_digit).skip_while(|c| *c == b'0').collect()
    };
    let is_digit = |name: &[u8]| name.get(begin).is_some_and(u8::is_ascii_digit);
    let (x, y) = (number(a), number(b));
    let by_value = if is_digit(a) && is_digit(b) { (x.len(), x).cmp(&(y.len(), y)) } else { Ordering::Equal };
    by_value.then_with(|| a.cmp(b))
}

/// Whether names that stand in the order of their bytes stand so in every locale of the usual kind: where signs come
/// before digits and letters, and where they are passed over (glibc before 2.28), whatever the case.
pub(super) fn is_plain_order(names: &[Bytes]) -> bool {
    let weight = |byte: &u8| (byte.is_ascii_alphabetic(), byte.to_ascii_lowercase());
    let is_plain = |name: &Bytes| name.iter().all(|b| b.is_ascii_alphanumeric() || b"._-/".contains(b));
    let is_before = |a: &Bytes, b: &Bytes| {
        let same = a.iter().zip(b.iter()).take_while(|(x, y)| x == y).count();
        let rest = |name: &Bytes| name.get(same..).unwrap_or_default().to_vec();
        let (a, b) = (rest(a), rest(b));
        let letters = |name: &[u8]| name.iter().filter(|b| b.is_ascii_alphanumeric()).map(weight).collect::<Vec<_>>();
        let signs_first = match (a.first(), b.first()) {
            // Which of two signs comes first is not asked.
            (Some(x), Some(y)) if !x.is_ascii_alphanumeric() => y.is_ascii_alphanumeric(),
            (Some(x), Some(y)) => y.is_ascii_alphanumeric() && weight(x) < weight(y),
            (None, Some(_)) => true,
            _ => false,
        };
        signs_first && letters(&a) < letters(&b)
    };
    names.iter().all(is_plain) && names.windows(2).all(|pair| matches!(pair, [a, b] if is_before(a, b)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::trial::hold;

    #[test]
    fn groups_name_files_as_in_each_shell() {
        use Dialect::{Bash, Ksh, Mksh, Zsh};
        hold(&[
            (&[Bash], "shopt -s extglob\nset -- /usr/bin/@(cat|date); R=$1; X=$#", ["/usr/bin/cat", "2"]),
            (&[Bash], "shopt -s extglob\nP='/usr/bin/@(c)at'; set -- $P; R=$1; X=$#", ["/usr/bin/cat", "1"]),
            (&[Bash], "P='/usr/bin/@(c)at'; set -- $P; R=$1; X=$#", ["/usr/bin/@(c)at", "1"]),
            (&[Bash], "shopt -s extglob\nshopt -u extglob\nset -- /usr/bin/@(c)at; R=$1; X=$#", ["<unknown>", "<unknown>"]),
            // In zsh more signs are patterns by an option.
            (&[Zsh], "set -- /usr/bin/ca#t; R=$1; X=$#", ["/usr/bin/ca#t", "1"]),
            (&[Zsh], "setopt extended_glob; set -- /usr/bin/ca#t; R=$1; X=$#", ["<unknown>", "<a number>"]),
            (&[Zsh], "setopt extended_glob; set -- '/usr/bin/^cat'; R=$1; X=$#", ["/usr/bin/^cat", "1"]),
        ]);
        // What a parameter brings is no group in these, and what is not certain is not told.
        hold(&[
            (&[Ksh, Mksh], "set -- /usr/bin/@(cat|date); R=$*; X=$#", ["/usr/bin/cat /usr/bin/date", "2"]),
            (&[Ksh, Mksh], "set -- /usr/bin/+([a-d])at@(e|); R=$*; X=$#", ["/usr/bin/cat /usr/bin/date", "2"]),
            (&[Ksh, Mksh], "set -- /usr/bin/?(x)cat; R=$*; X=$#", ["/usr/bin/cat", "1"]),
            (&[Ksh, Mksh], "set -- /@(usr|var)/bin/*(n)proc; R=$*; X=$#", ["/usr/bin/nproc", "1"]),
            (&[Ksh, Mksh], "set -- /usr/bin/@(dog|fox); R=$*; X=$#", ["/usr/bin/@(dog|fox)", "1"]),
            (&[Ksh, Mksh], "set -- '/usr/bin/@(cat|date)'; R=$*; X=$#", ["/usr/bin/@(cat|date)", "1"]),
            (&[Ksh, Mksh], "P='/usr/bin/@(cat|date)'; set -- $P; R=$*; X=$#", ["/usr/bin/@(cat|date)", "1"]),
            (&[Ksh, Mksh], "P='/usr/bin/*@(cat|date)'; set -- $P; R=$*; X=$#", ["<unknown>", "<a number>"]),
            (&[Ksh, Mksh], "set -- /usr/bin/!(cat); R=$*; X=$#", ["<unknown>", "<a number>"]),
            (&[Ksh, Mksh], "set -- /usr/@(bin/cat|lib); R=$*; X=$#", ["<unknown>", "<a number>"]),
            (&[Ksh, Mksh], "set -- /usr/bin/@(.|c)at; R=$*; X=$#", ["<unknown>", "<a number>"]),
            (&[Ksh, Mksh], "set -f; set -- /usr/bin/@(cat|date); R=$*; X=$#", ["/usr/bin/@(cat|date)", "1"]),
        ]);
    }

    #[test]
    fn an_order_is_certain_where_every_locale_has_it() {
        for (names, is_certain) in [
            ("apps-bin-path.sh bash_completion.sh vte-2.91.sh", true),
            ("a.sh b.sh c10.sh c2.sh", true),
            ("a a.sh b.sh", true),
            ("a.sh aa.sh", false),
            ("gate-a.sh gateb.sh", true),
            // Passed over, the sign leaves what comes later.
            ("gate-b.sh gatea.sh", false),
            ("Z9.sh bash.sh", false),
            ("Gate.sh gate.sh", false),
            ("gate-1 gate_1", false),
            ("b\u{e4}r c", false),
        ] {
            let mut all: Vec<Bytes> = names.split(' ').map(|name| Bytes::copy_from_slice(name.as_bytes())).collect();
            all.sort();
            assert_eq!(is_plain_order(&all), is_certain, "{names}");
        }
    }

    #[test]
    fn numbers_in_names_are_compared_as_numbers() {
        let mut names = ["b10", "b9", "a2x3", "a2x12", "a02", "a1", "c", "b9a", "10-quay", "9-gate"];
        names.sort_by(|a, b| by_number(a.as_bytes(), b.as_bytes()));
        assert_eq!(names, ["9-gate", "10-quay", "a1", "a02", "a2x3", "a2x12", "b9", "b9a", "b10", "c"]);
    }

    #[test]
    fn qualifiers_stand_at_the_end() {
        for (text, inside) in [
            ("*(N)", Some("N")),
            ("*.zsh(N.:t)", Some("N.:t")),
            ("x()", Some("")),
            ("(a|b)", None),
            ("*(a)b", None),
            ("*", None),
            ("(a|b)(/)", Some("/")),
        ] {
            let found = qualifiers(text.as_bytes(), &vec![false; text.len()]);
            assert_eq!(found.map(|(_, inside)| inside), inside.map(str::as_bytes), "{text}");
        }
        assert_eq!(qualifiers(b"x(N)", &[false, true, false, false]), None);
    }
}
