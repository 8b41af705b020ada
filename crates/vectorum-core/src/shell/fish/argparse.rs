//! `argparse`: options by their letters and names, taken out of words (argparse(1)).

use bytes::Bytes;

use super::*;

/// What was taken: each name with what it was given, and the words that are left.
#[derive(Debug, Default, PartialEq, Eq)]
struct Taken {
    flags: Vec<(Bytes, Vec<Bytes>)>,
    rest: Vec<Bytes>,
}

/// An option: its letter, its name, whether it takes a value, and whether it keeps all that it is given.
struct Spec {
    letter: Option<u8>,
    name: Option<Bytes>,
    takes: bool,
    keeps: bool,
    given: Vec<Bytes>,
}

impl Spec {
    /// `None` where it is of another kind: a value that may be missing, a number, a check of its own.
    fn of(word: &Bytes) -> Option<Spec> {
        let end = memchr::memchr(b'=', word).unwrap_or(word.len());
        let (takes, keeps) = match word.get(end..)? {
            b"" => (false, true),
            b"=" => (true, false),
            b"=+" => (true, true),
            _ => return None,
        };
        let names = word.slice(..end);
        let (letter, name) = match (&names[..], memchr::memchr2(b'/', b'-', &names)) {
            ([letter], _) => (Some(*letter), None),
            ([letter, b'/', ..], Some(1)) => (Some(*letter), Some(names.slice(2..))),
            (_, None) => (None, Some(names.clone())),
            _ => return None,
        };
        let is_plain = |b: &u8| b.is_ascii_alphanumeric() || b"_-".contains(b);
        let is_name = name.as_ref().is_none_or(|name| name.len() > 1 && name.iter().all(is_plain));
        (is_name && letter.is_none_or(|b| b.is_ascii_alphanumeric())).then(|| Spec {
            letter,
            name,
            takes,
            keeps,
            given: Vec::new(),
        })
    }

    fn take(&mut self, value: Bytes) {
        if !self.keeps {
            self.given.clear();
        }
        self.given.push(value);
    }
}

/// Takes options out of words. `None` where that is not followed, and otherwise what was taken, or nothing where a word
/// is wrong.
fn argparse(words: &[Bytes]) -> Option<Option<Taken>> {
    let at = words.iter().position(|word| word == "--")?;
    let (mut before, words) = (words.get(..at)?, words.get(at + 1..)?);
    // What it is called in messages.
    if let [option, _, rest @ ..] = before
        && matches!(&option[..], b"-n" | b"--name")
    {
        before = rest;
    }
    let mut specs: Vec<Spec> = before.iter().map(Spec::of).collect::<Option<_>>()?;
    let (mut rest, mut words) = (Vec::new(), words.iter());
    while let Some(word) = words.next() {
        if word == "--" {
            rest.extend(words.cloned());
            break;
        }
        if let Some(long) = word.strip_prefix(b"--") {
            let end = memchr::memchr(b'=', long).unwrap_or(long.len());
            let (name, value) = (long.get(..end)?, long.get(end + 1..));
            let begins = |spec: &&mut Spec| spec.name.as_ref().is_some_and(|other| other.starts_with(name));
            let is_exact = |spec: &&mut Spec| spec.name.as_ref().is_some_and(|other| *other == name);
            let exact = specs.iter_mut().find(is_exact).is_some();
            let mut found = specs.iter_mut().filter(|spec| if exact { is_exact(spec) } else { begins(spec) });
            let (Some(spec), None) = (found.next(), found.next()) else { return Some(None) };
            match (spec.takes, value) {
                (true, Some(value)) => spec.take(word.slice_ref(value)),
                (true, None) => match words.next() {
                    Some(value) => spec.take(value.clone()),
                    None => return Some(None),
                },
                (false, None) => {
                    let whole = [b"--", spec.name.as_deref().unwrap_or_default()].concat();
                    spec.take(whole.into());
                }
                (false, Some(_)) => return Some(None),
            }
            continue;
        }
        let Some(letters) = word.strip_prefix(b"-").filter(|letters| !letters.is_empty()) else {
            rest.push(word.clone());
            continue;
        };
        for (place, letter) in letters.iter().enumerate() {
            // A name is found by one dash, too, which is not followed.
            let begins = |spec: &Spec| spec.name.as_ref().is_some_and(|name| name.first() == Some(letter));
            let Some(place_of) = specs.iter().position(|spec| spec.letter == Some(*letter)) else {
                return if specs.iter().any(begins) { None } else { Some(None) };
            };
            let Some(spec) = specs.get_mut(place_of) else { return Some(None) };
            if !spec.takes {
                spec.take(Bytes::copy_from_slice(&[b'-', *letter]));
                continue;
            }
            match (letters.get(place + 1..), words.as_slice().first()) {
                (Some(behind), _) if !behind.is_empty() => spec.take(word.slice_ref(behind)),
                (_, Some(next)) => {
                    spec.take((*next).clone());
                    words.next();
                }
                _ => return Some(None),
            }
            break;
        }
    }
    let mut flags = Vec::new();
    for spec in specs.into_iter().filter(|spec| !spec.given.is_empty()) {
        let names = spec.letter.map(|letter| Bytes::copy_from_slice(&[letter])).into_iter().chain(spec.name);
        flags.extend(names.map(|name| (name, spec.given.clone())));
    }
    Some(Some(Taken { flags, rest }))
}

impl Fish<'_> {
    /// `argparse`; of what is not followed the names that it sets are known.
    pub(super) fn take_options(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("options are taken that are not known") };
        match argparse(words) {
            Some(Some(taken)) => {
                let items = |values: Vec<Bytes>| Ok(values.into_iter().map(Val::Known).collect());
                for (name, given) in taken.flags {
                    let plain: Vec<u8> = name.iter().map(|b| if *b == b'-' { b'_' } else { *b }).collect();
                    self.put_var(&[b"_flag_", &plain[..]].concat(), Some(Kept::Block), items(given), None, None);
                }
                self.put_var(b"argv", Some(Kept::Block), items(taken.rest), None, None);
                return self.set_status(0);
            }
            Some(None) => return self.set_status(2),
            None => {}
        }
        let doubt = self.doubt("what options there are");
        let is_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
        for word in words.iter().take_while(|word| *word != "--") {
            let spec = word.split(|b| *b == b'!' || *b == b'=').next().unwrap_or_default();
            for name in spec.split(|b| !is_name(b) && *b != b'-').filter(|name| !name.is_empty()) {
                let plain: Vec<u8> = name.iter().map(|b| if is_name(b) { *b } else { b'_' }).collect();
                self.put_var(&[b"_flag_", &plain[..]].concat(), Some(Kept::Block), Err(doubt.clone()), None, None);
            }
        }
        self.put_var(b"argv", Some(Kept::Block), Err(doubt), None, None);
        self.doubt_status("what options there are");
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn options_are_taken_out_of_words() {
        // Measured with fish 3.6.
        for (words, expected) in [
            ("n/name= f/force -- -n v -f x", Some(Some("n=v name=v f=-f force=-f | x"))),
            ("n/name= f/force -- --name=v --force x y", Some(Some("n=v name=v f=--force force=--force | x y"))),
            ("n/name= -- x -n v y", Some(Some("n=v name=v | x y"))),
            ("n/name=+ -- -n a --name b", Some(Some("n=a,b name=a,b | "))),
            ("n/name= -- -n a -nb", Some(Some("n=b name=b | "))),
            ("f/force -- -f -f", Some(Some("f=-f,-f force=-f,-f | "))),
            ("-n called f -- -f", Some(Some("f=-f | "))),
            ("force -- --fo", Some(Some("force=--force | "))),
            ("f/force n/name= -- -fn v", Some(Some("f=-f force=-f n=v name=v | "))),
            ("f/force -- x -- -f", Some(Some(" | x -f"))),
            ("f/force -- -", Some(Some(" | -"))),
            ("n/name= -- --name= x", Some(Some("n= name= | x"))),
            ("f/force -- -x", Some(None)),
            ("f/force -- --force=1", Some(None)),
            ("n/name= -- -n", Some(None)),
            ("one on -- --o", Some(None)),
            ("n/name=? -- -n", None),
            ("n#name -- -n", None),
            ("n/name", None),
            ("-i f -- -x", None),
        ] {
            let words: Vec<Bytes> = words.split(' ').map(|word| Bytes::copy_from_slice(word.as_bytes())).collect();
            let text = |bytes: &Bytes| String::from_utf8_lossy(bytes).into_owned();
            let told = argparse(&words).map(|taken| {
                taken.map(|taken| {
                    let flags = taken
                        .flags
                        .iter()
                        .map(|(name, given)| format!("{}={}", text(name), given.iter().map(text).collect::<Vec<_>>().join(",")));
                    let rest = taken.rest.iter().map(text).collect::<Vec<_>>().join(" ");
                    format!("{} | {rest}", flags.collect::<Vec<_>>().join(" "))
                })
            });
            assert_eq!(told, expected.map(|e| e.map(str::to_owned)), "{words:?}");
        }
    }
}
