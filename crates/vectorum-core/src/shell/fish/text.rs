//! `string`: what it prints, and how it ends.

use super::super::expressions::{self, Flavour};
use super::*;

/// What a command is handed to read.
pub(super) enum Given {
    Nothing,
    Unknown,
    Lines(Vec<Bytes>),
}

/// The options of each command of `string` that is followed: those that take a word, and others.
fn options_of(command: &[u8]) -> Option<(&'static [Letter], &'static [Letter])> {
    const QUIET: Letter = (b'q', b"quiet");
    const REGEX: Letter = (b'r', b"regex");
    const CASELESS: Letter = (b'i', b"ignore-case");
    Some(match command {
        b"split" => (&[(b'm', b"max"), (b'f', b"fields")], &[QUIET, (b'r', b"right"), (b'n', b"no-empty")]),
        b"join" => (&[], &[QUIET]),
        b"lower" | b"upper" | b"length" => (&[], &[QUIET]),
        b"match" => (&[], &[QUIET, (b'v', b"invert"), REGEX, CASELESS]),
        b"replace" => (&[], &[QUIET, (b'a', b"all"), REGEX, CASELESS]),
        b"repeat" => (&[(b'n', b"count")], &[QUIET]),
        b"sub" => (&[(b's', b"start"), (b'l', b"length"), (b'e', b"end")], &[QUIET]),
        b"trim" => (&[(b'c', b"chars")], &[QUIET, (b'l', b"left"), (b'r', b"right")]),
        _ => return None,
    })
}

/// `string`, as far as it is followed: the lines that it prints, and its status. `given` is what it reads if it is told
/// no texts.
pub(super) fn string(words: &[Bytes], given: &Given) -> Option<(Vec<Bytes>, u8)> {
    let (command, rest) = words.split_first()?;
    let (with_word, plain) = options_of(command)?;
    let mut options = Options::of(rest, with_word, &[plain], false)?;
    let needed = match &command[..] {
        b"split" | b"join" | b"match" => 2,
        b"replace" => 3,
        _ => 1,
    };
    // Without texts it reads them, if it is handed any; both are too many.
    match (given, options.rest.len() + 1 == needed) {
        (Given::Nothing, _) => {}
        (Given::Lines(lines), true) if !lines.is_empty() => options.rest.extend_from_slice(lines),
        (Given::Lines(_), true) => return Some((Vec::new(), 1)),
        _ => return None,
    }
    let has = |letter: u8| options.has(letter);
    let number = |letter: u8| match options.value(letter) {
        Some(text) => std::str::from_utf8(text).ok()?.parse::<i64>().ok().map(Some),
        None => Some(None),
    };
    let mut texts = Some(&options.rest).filter(|texts| texts.len() >= needed)?.iter();
    let is_plain = |text: &[u8]| text.is_ascii() && !text.contains(&b'\n');
    let mut out: Vec<Bytes> = Vec::new();
    let mut is_changed = false;
    match &command[..] {
        b"split" => {
            let separator = texts.next().filter(|s| !s.is_empty())?;
            let most = usize::try_from(number(b'm')?.unwrap_or(i64::MAX)).ok()?;
            for text in texts {
                let pieces = split(text, separator, most, has(b'r'));
                is_changed |= pieces.len() > 1;
                out.extend(pieces);
            }
            if has(b'n') {
                out.retain(|t| !t.is_empty());
            }
            if let Some(field) = number(b'f')? {
                let field = usize::try_from(field).ok()?.checked_sub(1)?;
                let single = options.rest.len() == 2;
                out = vec![out.get(field).filter(|_| single)?.clone()];
            }
        }
        b"join" => {
            let separator = texts.next()?;
            let all: Vec<&[u8]> = texts.map(|t| &t[..]).collect();
            is_changed = all.len() > 1;
            if all.is_empty() {
                return None;
            }
            out.push(all.join(&separator[..]).into());
        }
        b"lower" | b"upper" => {
            for text in texts {
                let new = if command == "lower" { text.to_ascii_lowercase() } else { text.to_ascii_uppercase() };
                is_changed |= new != text[..];
                out.push(is_plain(text).then(|| new.into())?);
            }
        }
        b"length" => {
            for text in texts {
                is_changed |= !text.is_empty();
                out.push(is_plain(text).then(|| text.len().to_string().into())?);
            }
        }
        b"replace" if has(b'r') => {
            let (from, to) = (texts.next()?, texts.next()?);
            let expression = expressions::read(from, Flavour::Perl, has(b'i')).filter(|e| e.names.is_empty())?;
            // Behind what was found, nothing may be found once more.
            if has(b'a') && (expression.regex.is_match(b"") || from.windows(2).any(|pair| pair == b"\\b")) {
                return None;
            }
            if expression.repeats_groups && to.iter().any(u8::is_ascii_digit) {
                return None;
            }
            for text in texts {
                let new = is_plain(text).then(|| replaced(&expression.regex, text, to, has(b'a')))??;
                is_changed |= new.is_some();
                out.push(new.unwrap_or_else(|| text.clone()));
            }
        }
        b"replace" if has(b'i') => return None,
        b"replace" => {
            let (from, to) = (texts.next().filter(|f| !f.is_empty())?, texts.next()?);
            let most = if has(b'a') { usize::MAX } else { 1 };
            for text in texts {
                let pieces = split(text, from, most, false);
                is_changed |= pieces.len() > 1;
                out.push(pieces.join(&to[..]).into());
            }
        }
        b"repeat" => {
            let count = usize::try_from(number(b'n')?.filter(|n| (1..1000).contains(n))?).ok()?;
            // Of nothing comes no line.
            for text in texts.filter(|text| !text.is_empty()) {
                is_changed = true;
                out.push(text.repeat(count).into());
            }
        }
        b"sub" => {
            let (start, length, end) = (number(b's')?.unwrap_or(1), number(b'l')?, number(b'e')?);
            for text in texts.filter(|_| start > 0 && end.is_none_or(|e| e > 0)) {
                let whole = i64::try_from(text.len()).ok()?;
                let stop = end.or(length.map(|l| start - 1 + l)).unwrap_or(whole).clamp(0, whole);
                let from = usize::try_from((start - 1).min(stop)).ok()?;
                out.push(is_plain(text).then(|| text.slice(from..usize::try_from(stop).unwrap_or(from).max(from)))?);
            }
            // From the end on it is not followed.
            is_changed = !out.is_empty();
            if out.len() + 1 < options.rest.len() || !is_changed {
                return None;
            }
        }
        b"trim" => {
            let chars = options.value(b'c').map_or(&b" \t\n\r\x0b\x0c"[..], |c| c);
            let (left, right) = (has(b'l') || !has(b'r'), has(b'r') || !has(b'l'));
            for text in texts {
                let is_kept = |b: &u8| !chars.contains(b);
                let from = if left { text.iter().position(is_kept).unwrap_or(text.len()) } else { 0 };
                let to = if right { text.iter().rposition(is_kept).map_or(from, |at| at + 1) } else { text.len() };
                is_changed |= to - from < text.len();
                out.push((text.is_ascii() && chars.is_ascii()).then(|| text.slice(from..to))?);
            }
        }
        b"match" if has(b'r') => {
            let expression = expressions::read(texts.next()?, Flavour::Perl, has(b'i')).filter(|e| e.names.is_empty())?;
            for text in texts {
                let found = is_plain(text).then(|| expression.regex.captures(text))?;
                match found {
                    Some(_) if has(b'v') => {}
                    Some(parts) => {
                        is_changed = true;
                        // What becomes of a group that takes no part is not followed.
                        let is_sure = parts.len() == 1 || !expression.repeats_groups;
                        let parts: Option<Vec<_>> = parts.iter().map(|part| Some(text.slice(part?.range()))).collect();
                        let parts = parts.filter(|_| is_sure);
                        out.extend(parts.or_else(|| has(b'q').then(Vec::new))?);
                    }
                    None if has(b'v') => {
                        is_changed = true;
                        out.push(text.clone());
                    }
                    None => {}
                }
            }
        }
        b"match" if has(b'i') => return None,
        b"match" => {
            let pattern = texts.next()?;
            // A bracket is a text there, and braces and backslashes are of fish's own kind.
            if pattern.iter().any(|b| b"[\\".contains(b)) {
                return None;
            }
            let taken = Pattern::new(pattern, &[], Groups::None).ok()?;
            for text in texts {
                if taken.matches(text).ok()? != has(b'v') {
                    is_changed = true;
                    out.push(text.clone());
                }
            }
        }
        _ => return None,
    }
    if has(b'q') {
        out.clear();
    }
    (out.iter().all(|t| !t.contains(&b'\n'))).then_some((out, u8::from(!is_changed)))
}

/// What `math` prints of whole numbers, as long as they stay whole and small.
pub(super) fn math(words: &[Bytes]) -> Option<i64> {
    let whole: Vec<u8> = words.join(&b' ');
    let mut text = &whole[..];
    let value = math_sum(&mut text, 0)?;
    // A nothing may have a sign there.
    let is_certain = value != 0 || !whole.contains(&b'-');
    (is_certain && text.trim_ascii().is_empty()).then_some(value)
}

/// Takes a sign from the front of a text.
fn math_sign<'a>(text: &mut &'a [u8], signs: &[u8]) -> Option<u8> {
    *text = text.trim_ascii_start();
    let (first, rest): (&'a u8, &'a [u8]) = text.split_first()?;
    signs.contains(first).then(|| {
        *text = rest;
        *first
    })
}

fn math_sum(text: &mut &[u8], depth: usize) -> Option<i64> {
    let mut value = math_product(text, depth)?;
    while let Some(sign) = math_sign(text, b"+-") {
        let other = math_product(text, depth)?;
        value = if sign == b'+' { value + other } else { value - other };
    }
    (value.abs() < 1 << 40).then_some(value)
}

fn math_product(text: &mut &[u8], depth: usize) -> Option<i64> {
    let mut value = math_number(text, depth)?;
    while let Some(sign) = math_sign(text, b"*x/%") {
        // This one needs blanks around it, or it is part of a name or a number.
        if sign == b'x' && !text.first().is_some_and(u8::is_ascii_whitespace) {
            return None;
        }
        let other = math_number(text, depth)?;
        value = match sign {
            b'/' if other != 0 && value % other == 0 => value / other,
            b'%' if other > 0 && value >= 0 => value % other,
            b'/' | b'%' => return None,
            _ => value.checked_mul(other).filter(|value| value.abs() < 1 << 40)?,
        };
    }
    Some(value)
}

fn math_number(text: &mut &[u8], depth: usize) -> Option<i64> {
    if depth > 20 {
        return None;
    }
    if math_sign(text, b"(").is_some() {
        let value = math_sum(text, depth + 1)?;
        return math_sign(text, b")").map(|_| value);
    }
    let is_negative = math_sign(text, b"-").is_some();
    let length = text.iter().take_while(|b| b.is_ascii_digit()).count();
    let (digits, rest) = text.split_at(length);
    // Fractions, powers, names and numbers to another base are not followed.
    if !(1..10).contains(&length) || digits.len() > 1 && digits[0] == b'0' || rest.first().is_some_and(|b| b".^ex_!".contains(b))
    {
        return None;
    }
    *text = rest;
    let number: i64 = std::str::from_utf8(digits).ok()?.parse().ok()?;
    Some(if is_negative { -number } else { number })
}

/// A text with what an expression finds replaced, once or wherever that is; `Some(None)` where it finds nothing.
fn replaced(regex: &regex::bytes::Regex, text: &Bytes, to: &[u8], all: bool) -> Option<Option<Bytes>> {
    let (mut out, mut at, mut is_found) = (Vec::new(), 0, false);
    for parts in regex.captures_iter(text).take(if all { usize::MAX } else { 1 }) {
        let whole = parts.get(0)?;
        is_found = true;
        // Where it finds nothing between two bytes others go on elsewhere.
        if whole.is_empty() {
            return None;
        }
        out.extend_from_slice(text.get(at..whole.start())?);
        let mut rest = to.iter().copied().peekable();
        while let Some(byte) = rest.next() {
            match byte {
                b'\\' => return None,
                b'$' => {
                    let number = rest.next().filter(u8::is_ascii_digit).map(|digit| usize::from(digit - b'0'))?;
                    if rest.peek().is_some_and(u8::is_ascii_digit) {
                        return None;
                    }
                    out.extend_from_slice(parts.get(number)?.as_bytes());
                }
                byte => out.push(byte),
            }
        }
        at = whole.end();
    }
    if !is_found {
        return Some(None);
    }
    out.extend_from_slice(text.get(at..)?);
    Some(Some(out.into()))
}

/// The parts of a text between so many separators at most, counted from one of its ends.
fn split(text: &Bytes, separator: &[u8], most: usize, from_right: bool) -> Vec<Bytes> {
    let mut at: Vec<usize> = Vec::new();
    if from_right {
        at.extend(memchr::memmem::rfind_iter(text, separator).take(most));
        at.reverse();
    } else {
        at.extend(memchr::memmem::find_iter(text, separator).take(most));
    }
    let ends = at.iter().copied().chain([text.len()]);
    let begins = std::iter::once(0).chain(at.iter().map(|a| a + separator.len()));
    begins.zip(ends).map(|(from, to)| text.slice(from..to)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sums_of_whole_numbers() {
        for (text, number) in [
            ("3 + 4", Some(7)),
            ("1024 x 4", Some(4096)),
            ("2 * (3 - 5) - -1", Some(-3)),
            ("10 / 5 % 3", Some(2)),
            ("10 / 4", None),
            ("1 / 0", None),
            ("2 ^ 3", None),
            ("0x10", None),
            ("1.5 + 1", None),
            ("3 +", None),
            ("(3", None),
            ("3 4", None),
            ("3 x4", None),
            ("0 x -3", None),
            ("-7 % 3", None),
            ("99999999999", None),
            ("max 1, 2", None),
        ] {
            assert_eq!(math(&[Bytes::from(text)]), number, "{text}");
        }
    }

    #[test]
    fn string_prints_what_fish_does() {
        // Each so in fish 3.6; `None` is not followed.
        for (words, said) in [
            ("split , a,,b", Some((vec!["a", "", "b"], 0))),
            ("split -n , a,,b", Some((vec!["a", "b"], 0))),
            ("split -r -m1 / a/b/c", Some((vec!["a/b", "c"], 0))),
            ("split -m 1 = k=v=w", Some((vec!["k", "v=w"], 0))),
            ("split -f2 : a:b", Some((vec!["b"], 0))),
            ("split , ab", Some((vec!["ab"], 1))),
            ("join - a b", Some((vec!["a-b"], 0))),
            ("join , a", Some((vec!["a"], 1))),
            ("upper aB C", Some((vec!["AB", "C"], 0))),
            ("lower a", Some((vec!["a"], 1))),
            ("length abc", Some((vec!["3"], 0))),
            ("replace -a o 0 foo", Some((vec!["f00"], 0))),
            ("replace o 0 foo", Some((vec!["f0o"], 0))),
            ("replace x 0 foo", Some((vec!["foo"], 1))),
            ("repeat -n 2 ab", Some((vec!["abab"], 0))),
            ("repeat -n 0 ab", None),
            ("sub -s 2 -l 9 abcd", Some((vec!["bcd"], 0))),
            ("sub -e 3 abcd", Some((vec!["abc"], 0))),
            ("sub -s -2 abcd", None),
            ("trim -c ab abxba", Some((vec!["x"], 0))),
            ("trim -l -c x xax", Some((vec!["ax"], 0))),
            ("trim a", Some((vec!["a"], 1))),
            ("match o* one two", Some((vec!["one"], 0))),
            ("match -v o* one two", Some((vec!["two"], 0))),
            ("match -q t* one", Some((vec![], 1))),
            ("match -r o one", Some((vec!["o"], 0))),
            (r"match -r ^(\d+)\.(\d+) 12.3.4 x", Some((vec!["12.3", "12", "3"], 0))),
            ("match -rv ^o one two", Some((vec!["two"], 0))),
            ("match -rqi ^O one", Some((vec![], 0))),
            ("match -r (a)|b b", None),
            ("match -r (?<n>o) one", None),
            ("match -r o$ one", Some((vec![], 1))),
            (r"replace -r ^v(\d+)\..* $1 v18.2.0", Some((vec!["18"], 0))),
            ("replace -ra [aeiou] _ pier gate", Some((vec!["p__r", "g_t_"], 0))),
            ("replace -r x y one", Some((vec!["one"], 1))),
            ("match -r (o*)+n one", None),
            ("replace -r (o)+n $1 one", None),
            ("replace -r (o)+n x one", Some((vec!["xe"], 0))),
            ("replace -r x* y one", None),
            ("replace -ra e* y one", None),
            ("replace -r (a)|o $1 one", None),
            ("match --quiet -- -x -x", Some((vec![], 0))),
            ("escape a", None),
            ("upper", None),
        ] {
            let words: Vec<Bytes> = words.split(' ').map(|w| Bytes::copy_from_slice(w.as_bytes())).collect();
            let said = said.map(|(lines, status)| (lines.into_iter().map(Bytes::from).collect::<Vec<_>>(), status));
            assert_eq!(string(&words, &Given::Nothing), said, "{words:?}");
        }
    }
}
