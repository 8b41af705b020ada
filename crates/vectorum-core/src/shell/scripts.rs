//! The plainest scripts of sed and awk, and the sets of tr, as startup files have them (POSIX, Shell and Utilities). What is
//! not certain of a script is not followed.

use std::collections::HashSet;

use bytes::Bytes;
use regex::bytes::{NoExpand, Regex, RegexBuilder};

/// Longer scripts and texts are not looked at.
const LONGEST: usize = 1 << 16;

/// What `tr` makes of a text: `-d` with one set, or two of them.
pub(super) fn translated(arguments: &[&[u8]], text: &[u8]) -> Option<Vec<u8>> {
    if !text.is_ascii() {
        return None;
    }
    match arguments {
        [b"-d", set] => {
            let set = set_of(set)?;
            Some(text.iter().copied().filter(|b| !set.contains(b)).collect())
        }
        [b"-s", set] => {
            let set = set_of(set)?;
            let mut out = Vec::new();
            text.iter().for_each(|b| {
                if !(set.contains(b) && out.last() == Some(b)) {
                    out.push(*b);
                }
            });
            Some(out)
        }
        [from, to] if !from.starts_with(b"-") || from.len() == 1 => {
            let (from, to) = (set_of(from)?, set_of(to)?);
            let last = *to.last()?;
            // Of several places of a byte the last counts.
            let changed = |byte: &u8| match from.iter().rposition(|f| f == byte) {
                Some(place) => to.get(place).copied().unwrap_or(last),
                None => *byte,
            };
            Some(text.iter().map(changed).collect())
        }
        _ => None,
    }
}

/// The bytes of a set of tr's.
fn set_of(text: &[u8]) -> Option<Vec<u8>> {
    match text {
        b"[:upper:]" => return Some((b'A'..=b'Z').collect()),
        b"[:lower:]" => return Some((b'a'..=b'z').collect()),
        b"[:space:]" => return Some(b"\t\n\x0b\x0c\r ".to_vec()),
        _ => {}
    }
    if !text.is_ascii() || text.len() > 1 && text.starts_with(b"[") {
        return None;
    }
    let mut out: Vec<u8> = Vec::new();
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        at += 1;
        match (byte, text.get(at)) {
            (b'\\', Some(next)) => {
                at += 1;
                out.push(match next {
                    b'n' => b'\n',
                    b't' => b'\t',
                    b'\\' => b'\\',
                    _ => return None,
                });
            }
            (b'\\', None) => return None,
            // A range between two of a kind.
            (b'-', Some(to)) if !out.is_empty() => {
                let from = *out.last()?;
                let is_kind = |kind: fn(&u8) -> bool| kind(&from) && kind(to);
                let is_range = is_kind(u8::is_ascii_lowercase) || is_kind(u8::is_ascii_uppercase) || is_kind(u8::is_ascii_digit);
                if !is_range || from > *to {
                    return None;
                }
                at += 1;
                out.extend(from + 1..=*to);
            }
            (byte, _) => out.push(*byte),
        }
    }
    (!out.is_empty()).then_some(out)
}

/// One `s/…/…/` of sed.
struct Swap {
    pattern: Regex,
    with: Vec<u8>,
    is_all: bool,
}

/// What sed makes of lines by scripts of nothing but `s/…/…/`, in basic or extended expressions.
pub(super) fn edited(scripts: &[&[u8]], is_extended: bool, lines: &[&[u8]]) -> Option<Vec<Vec<u8>>> {
    let mut swaps = Vec::new();
    for script in scripts {
        let mut rest = script.trim_ascii();
        while !rest.is_empty() {
            let (swap, behind) = swap_of(rest, is_extended)?;
            swaps.push(swap);
            let behind = behind.trim_ascii_start();
            rest = match behind.split_first() {
                None => behind,
                Some((b';' | b'\n', rest)) => rest.trim_ascii_start(),
                Some(_) => return None,
            };
        }
    }
    let edit = |line: &&[u8]| {
        swaps.iter().fold(line.to_vec(), |line, swap| {
            let limit = usize::from(!swap.is_all);
            swap.pattern.replacen(&line, limit, NoExpand(&swap.with[..])).into_owned()
        })
    };
    (!swaps.is_empty()).then(|| lines.iter().map(edit).collect())
}

fn swap_of(text: &[u8], is_extended: bool) -> Option<(Swap, &[u8])> {
    let rest = text.strip_prefix(b"s")?;
    let (sign, rest) = rest.split_first().filter(|(sign, _)| sign.is_ascii_punctuation() && **sign != b'\\')?;
    let (pattern, rest) = up_to(rest, *sign)?;
    let (with, rest) = up_to(rest, *sign)?;
    let is_all = rest.first() == Some(&b'g');
    let pattern = expression(&pattern, is_extended)?;
    // References to what was matched are not followed.
    if with.iter().any(|b| b"&\\\n".contains(b)) {
        return None;
    }
    Some((Swap { pattern, with, is_all }, rest.get(usize::from(is_all)..)?))
}

/// What stands up to a sign that no backslash takes, without the backslashes before that sign.
fn up_to(text: &[u8], sign: u8) -> Option<(Vec<u8>, &[u8])> {
    let mut out = Vec::new();
    let mut at = 0;
    loop {
        match text.get(at)? {
            byte if *byte == sign => return Some((out, text.get(at + 1..)?)),
            b'\\' if text.get(at + 1) == Some(&sign) => {
                // Some signs mean something with or without one.
                if b".*[]^$+?(){}|".contains(&sign) {
                    return None;
                }
                out.push(sign);
                at += 2;
            }
            b'\\' => {
                out.extend_from_slice(text.get(at..at + 2)?);
                at += 2;
            }
            byte => {
                out.push(*byte);
                at += 1;
            }
        }
    }
}

/// A regular expression of POSIX (Base Definitions, 9) of plain bytes, `.`, sets, anchors, and at most one repetition: with
/// more, or with alternatives, the longest match may be another than the first that is found.
fn expression(text: &[u8], is_extended: bool) -> Option<Regex> {
    let mut out = String::new();
    let mut repeats = 0;
    let mut at = 0;
    let literal = |byte: u8| regex::escape(&char::from(byte).to_string());
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        let mut is_repeated = |sign: char, out: &mut String| {
            repeats += 1;
            out.push(sign);
            repeats == 1 && at > 1
        };
        match byte {
            b'\\' => {
                let next = *text.get(at)?;
                at += 1;
                match next {
                    b'?' | b'+' if !is_extended && at > 2 => {
                        repeats += 1;
                        out.push(char::from(next));
                        if repeats > 1 {
                            return None;
                        }
                    }
                    b'.' | b'*' | b'[' | b']' | b'^' | b'$' | b'\\' | b'/' => out.push_str(&literal(next)),
                    b'+' | b'?' | b'(' | b')' | b'{' | b'}' | b'|' if is_extended => out.push_str(&literal(next)),
                    _ => return None,
                }
            }
            b'^' if at == 1 => out.push('^'),
            b'$' if at == text.len() => out.push('$'),
            b'^' | b'$' => return None,
            b'.' => out.push('.'),
            b'*' if at == 1 => return None,
            b'*' => {
                if !is_repeated('*', &mut out) {
                    return None;
                }
            }
            b'+' | b'?' if is_extended => {
                if !is_repeated(char::from(byte), &mut out) {
                    return None;
                }
            }
            b'(' | b')' | b'{' | b'}' | b'|' if is_extended => return None,
            b'[' => {
                let rest = text.get(at..)?;
                let is_negated = rest.first() == Some(&b'^');
                let from = usize::from(is_negated);
                let length = rest.get(from + 1..)?.iter().position(|b| *b == b']')? + 1;
                let inside = rest.get(from..from + length)?;
                let is_calm = |b: &u8| b.is_ascii_alphanumeric() || b" :/._,=@%\t".contains(b);
                let has_range = inside.contains(&b'-') && !matches!(inside, b"0-9" | b"a-z" | b"A-Z" | b"a-zA-Z" | b"a-zA-Z0-9");
                if has_range || !inside.iter().all(|b| is_calm(b) || *b == b'-') {
                    return None;
                }
                out.push('[');
                if is_negated {
                    out.push('^');
                }
                out.push_str(std::str::from_utf8(inside).ok()?);
                out.push(']');
                at += from + length + 1;
            }
            byte if byte.is_ascii() && !byte.is_ascii_control() => out.push_str(&literal(byte)),
            _ => return None,
        }
    }
    // An empty one means the one before; and one that repeats behind an anchor means something else.
    if out.is_empty() || out.starts_with("^*") || text.len() > 1000 {
        return None;
    }
    RegexBuilder::new(&out).unicode(false).size_limit(1 << 20).build().ok()
}

/// What awk prints: `{print $N}`, records that are a text or another, and those that are seen for the first time, with
/// separators of one byte.
pub(super) fn chosen<'a>(arguments: &[&[u8]], text: &'a [u8]) -> Option<Vec<u8>> {
    let (mut fields, mut records, mut out_records) = (None, b'\n', b"\n".to_vec());
    let mut names: Vec<(&[u8], &[u8])> = Vec::new();
    let mut rest = arguments;
    loop {
        rest = match rest {
            [option, value, more @ ..] if matches!(*option, b"-v" | b"-F") => {
                let one = |text: &[u8]| match text {
                    [byte] if *byte != b' ' && byte.is_ascii() => Some(*byte),
                    b"\\n" => Some(b'\n'),
                    _ => None,
                };
                match (*option, value.iter().position(|b| *b == b'=')) {
                    (b"-F", _) => fields = Some(one(value)?),
                    (_, Some(2)) if value.starts_with(b"RS") => records = one(value.get(3..)?)?,
                    (_, Some(2)) if value.starts_with(b"FS") => fields = Some(one(value.get(3..)?)?),
                    (_, Some(3)) if value.starts_with(b"ORS") => out_records = vec![one(value.get(4..)?)?],
                    (b"-v", Some(at)) if value[..at].iter().all(u8::is_ascii_lowercase) => {
                        names.push((&value[..at], &value[at + 1..]));
                    }
                    _ => return None,
                }
                more
            }
            [option, more @ ..] if option.starts_with(b"-F") => {
                let [byte] = option.get(2..)? else { return None };
                fields = Some(*byte);
                more
            }
            _ => break,
        };
    }
    let [script] = rest else { return None };
    if text.len() > LONGEST || !text.is_ascii() || text.contains(&0) || fields.is_some_and(|b| b"\\ |.*+?[](){}^$".contains(&b)) {
        return None;
    }
    // What ends the last record is no record.
    let body = text.strip_suffix(&[records]).unwrap_or(text);
    let all: Vec<&[u8]> = if text.is_empty() { Vec::new() } else { body.split(|b| *b == records).collect() };
    let squeezed: Vec<u8> = script.iter().copied().filter(|b| !b.is_ascii_whitespace()).collect();
    let is_name = |name: &[u8]| !name.is_empty() && name.iter().all(|b| b.is_ascii_alphabetic() || *b == b'_');
    let mut out = Vec::new();
    let mut print = |record: &[u8]| {
        out.extend_from_slice(record);
        out.extend_from_slice(&out_records);
    };
    if let Some(number) = squeezed.strip_prefix(b"{print$").and_then(|rest| rest.strip_suffix(b"}")) {
        if number == b"NF" {
            for record in all {
                // One without fields is the record itself.
                print(match fields {
                    Some(sign) => record.rsplit(|b| *b == sign).next().unwrap_or(record),
                    None => record.rsplit(|b| b" \t\n".contains(b)).find(|f| !f.is_empty()).unwrap_or(record),
                });
            }
            return Some(out);
        }
        let number: usize = std::str::from_utf8(number).ok()?.parse().ok()?;
        for record in all {
            let field = match (number, fields) {
                (0, _) => Some(record),
                (n, Some(sign)) => record.split(|b| *b == sign).nth(n - 1),
                (n, None) => record.split(|b| b" \t\n".contains(b)).filter(|f| !f.is_empty()).nth(n - 1),
            };
            print(field.unwrap_or_default());
        }
        return Some(out);
    }
    // `$0 != "TEXT"`, `$0 == NAME`.
    if let Some(other) = script.trim_ascii().strip_prefix(b"$0") {
        let other = other.trim_ascii_start();
        let (is_kept, other) = match other.strip_prefix(b"==") {
            Some(other) => (true, other),
            None => (false, other.strip_prefix(b"!=")?),
        };
        let other = other.trim_ascii_start();
        let given = |name: &[u8]| names.iter().rev().find(|(other, _)| *other == name).map(|(_, value)| *value);
        let other = match other.strip_prefix(b"\"") {
            Some(rest) => rest.strip_suffix(b"\"")?,
            // Where both look like numbers they are compared as such.
            None => given(other).filter(|value| value.first().is_some_and(|b| !b.is_ascii_digit() && !b" +-.".contains(b)))?,
        };
        if other.iter().any(|b| b"\"\\".contains(b)) {
            return None;
        }
        all.into_iter().filter(|record| (*record == other) == is_kept).for_each(print);
        return Some(out);
    }
    // `!seen[$1]++ {if (NR>1) printf ":"; printf $1}` puts them together again.
    if let Some((seen, rest)) = squeezed.strip_prefix(b"!").and_then(|rest| split_once(rest, b"[$"))
        && let Some((number, rest)) = split_once(rest, b"]++{if(NR>1)printf\"")
        && let Some((between, last)) = split_once(rest, b"\";printf$")
        && last.strip_suffix(b"}").is_some_and(|last| last == number && matches!(number, b"0" | b"1"))
        && is_name(seen)
        && fields.is_none()
        && !text.contains(&b'%')
        && !between.iter().any(|b| b"%\\".contains(b))
        // Blanks in it would be gone.
        && memchr::memmem::find(script, &[b"\"", between, b"\""].concat()).is_some()
    {
        let word = |record: &'a [u8]| match number {
            b"0" => Some(record),
            _ => record.split(|b| b" \t\n".contains(b)).find(|word| !word.is_empty()),
        };
        let mut seen = HashSet::new();
        let words = all.into_iter().map(|record| word(record).unwrap_or_default()).enumerate();
        for (place, word) in words.filter(|(_, word)| seen.insert(*word)) {
            if place > 0 {
                out.extend_from_slice(between);
            }
            out.extend_from_slice(word);
        }
        return Some(out);
    }
    // `!seen[$0]++` prints what was not there before.
    let seen = squeezed.strip_prefix(b"!").and_then(|rest| rest.strip_suffix(b"[$0]++"));
    if seen.is_some_and(is_name) {
        let mut seen = HashSet::new();
        all.into_iter().filter(|record| seen.insert(*record)).for_each(print);
        return Some(out);
    }
    None
}

/// What stands before a text and behind it.
fn split_once<'a>(text: &'a [u8], at: &[u8]) -> Option<(&'a [u8], &'a [u8])> {
    let place = memchr::memmem::find(text, at)?;
    Some((text.get(..place)?, text.get(place + at.len()..)?))
}

/// The numbers that `seq` prints.
pub(super) fn sequence(arguments: &[&[u8]]) -> Option<Bytes> {
    let (separator, numbers) = match arguments {
        [b"-s", separator, numbers @ ..] => (*separator, numbers),
        [option, numbers @ ..] if option.starts_with(b"-s") && option.len() > 2 => (option.get(2..)?, numbers),
        numbers => (&b"\n"[..], numbers),
    };
    let numbers: Option<Vec<i32>> = numbers.iter().map(|n| std::str::from_utf8(n).ok()?.parse().ok()).collect();
    let (first, step, last) = match numbers?[..] {
        [last] => (1, 1, last),
        [first, last] => (first, 1, last),
        [first, step, last] if step > 0 => (first, step, last),
        _ => return None,
    };
    if i64::from(last) - i64::from(first) > 5000 || separator.contains(&b'\\') {
        return None;
    }
    let all: Vec<String> = (first..=last).step_by(usize::try_from(step).ok()?).map(|n| n.to_string()).collect();
    let all: Vec<&[u8]> = all.iter().map(String::as_bytes).collect();
    Some(if all.is_empty() { Bytes::new() } else { [&all.join(separator)[..], b"\n"].concat().into() })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(text: &str) -> Vec<&[u8]> {
        text.split(' ').map(str::as_bytes).collect()
    }

    #[test]
    fn sets_of_tr_are_taken_apart() {
        for (arguments, text, wanted) in [
            (": \\n", "a:b", Some("a\nb")),
            ("\\n :", "a\nb\n", Some("a:b:")),
            ("a-c A-C", "abcd", Some("ABCd")),
            ("[:lower:] [:upper:]", "tide", Some("TIDE")),
            ("abc x", "cab", Some("xxx")),
            ("- _", "a-b", Some("a_b")),
            ("-d \\n", "a\nb\n", Some("ab")),
            ("-d :/", "/a:b", Some("ab")),
            ("-s /", "a//b", Some("a/b")),
            ("-c a", "b", None),
            ("[a] b", "a", None),
            ("a-C x", "a", None),
            ("\\101 x", "A", None),
        ] {
            let told = translated(&words(arguments), text.as_bytes());
            assert_eq!(told.as_deref(), wanted.map(str::as_bytes), "{arguments}");
        }
        assert_eq!(translated(&words("a b"), "\u{e4}".as_bytes()), None);
    }

    #[test]
    fn scripts_of_sed_are_followed_as_far_as_they_are_plain() {
        for (script, is_extended, line, wanted) in [
            ("s/a/b/", false, "aa", Some("ba")),
            ("s/a/b/g", false, "aa", Some("bb")),
            ("s:bin/java::", false, "/usr/lib/jvm/bin/java", Some("/usr/lib/jvm/")),
            ("s/:\\/bin//", false, "/usr/bin:/bin", Some("/usr/bin")),
            ("s/^://;s/:$//", false, ":a:", Some("a")),
            ("s/.*=//", false, "a=b=c", Some("c")),
            ("s|/[^/]*$||", false, "/a/b/c", Some("/a/b")),
            ("s/[0-9]*$//", false, "tide12", Some("tide")),
            ("s/ +/_/g", true, "a  b c", Some("a_b_c")),
            ("s/ +/_/g", false, "a + b", Some("a_ b")),
            ("s/a\\.b/x/", false, "a.b", Some("x")),
            ("s/$HOME/~/", false, "a", None),
            ("s/\\(a\\)b/\\1/", false, "ab", None),
            ("s/a*b*/x/", false, "ab", None),
            ("s/a|b/x/", true, "ab", None),
            ("s/a/&&/", false, "a", None),
            ("s//x/", false, "a", None),
            ("p", false, "a", None),
            ("s/a/b", false, "a", None),
            ("s/[[:space:]]//", false, "a", None),
        ] {
            let told = edited(&[script.as_bytes()], is_extended, &[line.as_bytes()]);
            assert_eq!(told.map(|lines| lines[0].clone()).as_deref(), wanted.map(str::as_bytes), "{script} {line}");
        }
    }

    #[test]
    fn scripts_of_awk_choose_fields_and_records() {
        for (arguments, text, wanted) in [
            (&["{print $2}"][..], "a b\nc  d e\n", Some("b\nd\n")),
            (&["-F:", "{ print $1 }"], "a:b", Some("a\n")),
            (&["-F", "=", "{print $3}"], "a=b\n", Some("\n")),
            (&["-v", "RS=:", "-v", "ORS=:", "!a[$0]++"], "/x:/y:/x", Some("/x:/y:")),
            (&["!seen[$0]++"], "b\na\nb\n", Some("b\na\n")),
            (&["-v", "RS=:", "!a[$1]++"], "/x", None),
            (&["-F/", "{print $NF}"], "/usr/bin/zsh\nx\n\n", Some("zsh\nx\n\n")),
            (&["{print $NF}"], " a b \n \n", Some("b\n \n")),
            (&["-F", "|", "{print $1}"], "a|b", None),
            (&["{print $2, $1}"], "a b", None),
            (&["{print}"], "a", None),
        ] {
            let arguments: Vec<&[u8]> = arguments.iter().map(|a| a.as_bytes()).collect();
            assert_eq!(chosen(&arguments, text.as_bytes()).as_deref(), wanted.map(str::as_bytes), "{arguments:?}");
        }
    }

    #[test]
    fn numbers_are_counted() {
        for (arguments, wanted) in [
            ("3", Some("1\n2\n3\n")),
            ("2 4", Some("2\n3\n4\n")),
            ("1 2 6", Some("1\n3\n5\n")),
            ("-s, 3", Some("1,2,3\n")),
            ("-s : 2", Some("1:2\n")),
            ("3 1", Some("")),
            ("3 -1 1", None),
            ("1.5", None),
            ("-w 3", None),
        ] {
            assert_eq!(sequence(&words(arguments)).as_deref(), wanted.map(str::as_bytes), "{arguments}");
        }
    }
}
