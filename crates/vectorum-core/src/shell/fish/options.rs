//! Options of fish's own commands.

use super::*;

/// An option by its letter and its long form.
pub(super) type Letter = (u8, &'static [u8]);

/// Where a variable is set, and whether it is exported.
pub(super) const SCOPES: &[Letter] =
    &[(b'l', b"local"), (b'f', b"function"), (b'g', b"global"), (b'U', b"universal"), (b'x', b"export"), (b'u', b"unexport")];

/// Options that stand before what they are for.
pub(super) struct Options {
    /// Each letter with what belongs to it.
    pub(super) taken: Vec<(u8, Option<Bytes>)>,
    /// The words that are no options.
    pub(super) rest: Vec<Bytes>,
}

impl Options {
    /// Takes the options out of words; `with_word` and `plain` name them by letter and long form, which may
    /// be cut short. `None` where one is of another kind. `first_only`: none stands behind other words.
    pub(super) fn of(words: &[Bytes], with_word: &[Letter], plain: &[&[Letter]], first_only: bool) -> Option<Options> {
        let mut out = Options { taken: Vec::new(), rest: Vec::new() };
        let mut words = words.iter();
        while let Some(word) = words.next() {
            if word == &b"--"[..] {
                break;
            }
            if let Some(long) = word.strip_prefix(b"--") {
                let (long, mut value) = match memchr::memchr(b'=', long) {
                    Some(at) => (long.get(..at)?, Some(word.slice_ref(long.get(at + 1..)?))),
                    None => (long, None),
                };
                let all = || with_word.iter().map(|o| (o, true)).chain(plain.iter().copied().flatten().map(|o| (o, false)));
                let exact = all().find(|((_, name), _)| *name == long);
                let mut alike = all().filter(|((_, name), _)| name.starts_with(long));
                let ((letter, _), takes) = match (exact, alike.next(), alike.next()) {
                    (Some(exact), ..) => exact,
                    (None, Some(only), None) => only,
                    _ => return None,
                };
                if takes && value.is_none() {
                    value = Some(words.next()?.clone());
                }
                out.taken.push((*letter, value));
                continue;
            }
            let Some(letters) = word.strip_prefix(b"-").filter(|l| !l.is_empty()) else {
                out.rest.push(word.clone());
                if first_only {
                    break;
                }
                continue;
            };
            for (at, letter) in letters.iter().enumerate() {
                if with_word.iter().any(|(l, _)| l == letter) {
                    let behind = letters.get(at + 1..)?;
                    let value = if behind.is_empty() { words.next()?.clone() } else { word.slice_ref(behind) };
                    out.taken.push((*letter, Some(value)));
                    break;
                }
                plain.iter().copied().flatten().find(|(l, _)| l == letter)?;
                out.taken.push((*letter, None));
            }
        }
        out.rest.extend(words.cloned());
        Some(out)
    }

    pub(super) fn has(&self, letter: u8) -> bool {
        self.taken.iter().any(|(l, _)| *l == letter)
    }

    pub(super) fn value(&self, letter: u8) -> Option<&Bytes> {
        self.taken.iter().rev().find(|(l, _)| *l == letter).and_then(|(_, v)| v.as_ref())
    }

    /// Of [`SCOPES`]: the scope that they name, and whether they export.
    pub(super) fn scope(&self) -> (Option<Kept>, Option<bool>) {
        let scopes = [(b'l', Kept::Block), (b'f', Kept::Function), (b'g', Kept::Global), (b'U', Kept::Universal)];
        let scope = scopes.into_iter().find(|(letter, _)| self.has(*letter)).map(|(_, scope)| scope);
        let exported = if self.has(b'x') { Some(true) } else { self.has(b'u').then_some(false) };
        (scope, exported)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const WITH_WORD: &[Letter] = &[(b'd', b"delimiter"), (b'n', b"nchars")];
    const PLAIN: &[Letter] = &[(b'a', b"append"), (b'A', b"array")];

    #[test]
    fn options_are_taken_as_fish_takes_them() {
        // What is given, whether only those in front count, the letters with their words, and what is left.
        for (given, first_only, taken, rest) in [
            ("-gx NAME v", true, Some("g x"), "NAME v"),
            ("--export --global NAME", true, Some("x g"), "NAME"),
            ("--exp NAME", true, Some("x"), "NAME"),
            ("--a NAME", true, None, ""),
            ("--ap NAME", true, Some("a"), "NAME"),
            ("-d: NAME", false, Some("d=:"), "NAME"),
            ("-ad : NAME", false, Some("a d=:"), "NAME"),
            ("--delimiter=: NAME", false, Some("d=:"), "NAME"),
            ("--delimiter : NAME -a", false, Some("d=: a"), "NAME"),
            ("NAME -a", true, Some(""), "NAME -a"),
            ("-a -- -x", false, Some("a"), "-x"),
            ("-- -a", true, Some(""), "-a"),
            ("-", false, Some(""), "-"),
            ("-q NAME", true, None, ""),
            ("-d", false, None, ""),
        ] {
            let words: Vec<Bytes> = given.split(' ').map(|w| Bytes::copy_from_slice(w.as_bytes())).collect();
            let options = Options::of(&words, WITH_WORD, &[SCOPES, PLAIN], first_only);
            let told = options.as_ref().map(|o| {
                let one = |(letter, word): &(u8, Option<Bytes>)| match word {
                    Some(word) => format!("{}={}", char::from(*letter), String::from_utf8_lossy(word)),
                    None => char::from(*letter).to_string(),
                };
                o.taken.iter().map(one).collect::<Vec<_>>().join(" ")
            });
            assert_eq!(told.as_deref(), taken, "{given}");
            let left = options.map(|o| o.rest.join(&b' ')).unwrap_or_default();
            assert_eq!(String::from_utf8_lossy(&left), rest, "{given}");
        }
    }

    #[test]
    fn the_innermost_scope_that_is_named_counts() {
        let scope = |given: &'static [u8]| Options::of(&[Bytes::from_static(given)], &[], &[SCOPES], true).map(|o| o.scope());
        assert_eq!(scope(b"-gx"), Some((Some(Kept::Global), Some(true))));
        assert_eq!(scope(b"-lu"), Some((Some(Kept::Block), Some(false))));
        assert_eq!(scope(b"--universal"), Some((Some(Kept::Universal), None)));
    }
}
