//! Programs that make one text of another: lines that are chosen, fields of lines, words on one line (POSIX, Shell and
//! Utilities; options as GNU has them where POSIX has none). What is not certain of a call is not answered.

use bytes::Bytes;

use super::expressions::{self, Flavour};
use super::globs::is_plain_order;
use super::program::Answer;
use super::scripts;
use super::value::Val;

/// Bytes that mean more than themselves in some regular expression.
const SIGNS: &[u8] = b".[]*+?(){}|\\$^";

/// With this script some distributions make commands of the file of the locale.
const EXPORTS: &[u8] =
    br#"s/^[[:blank:]]*([[:upper:]_]+)=([[:print:][:digit:]\._-]+|"[[:print:][:digit:]\._-]+")/export \1=\2/;t;d"#;

/// What such a program prints and how it ends. `read` reads a file, `None` where there is none; `input` is what comes in.
/// `None` for another program, and where the answer is not certain.
pub(super) fn answer(
    name: &[u8],
    arguments: &[&[u8]],
    read: impl Fn(&[u8]) -> Option<Option<Bytes>>,
    input: Option<Bytes>,
) -> Option<Answer> {
    let text_of = |files: &[&[u8]]| match files {
        [] => input.clone().map(Some),
        [file] if !file.starts_with(b"-") => read(file),
        _ => None,
    };
    match (name, arguments) {
        (b"grep" | b"egrep", arguments) => {
            let options = arguments.iter().take_while(|a| a.starts_with(b"-") && a.len() > 1).count();
            let (options, rest) = arguments.split_at(options);
            // What is read by another program has no colours.
            let options = options.iter().filter(|option| **option != b"--color=auto");
            let letters = options.flat_map(|option| option.iter().skip(1));
            if letters.clone().any(|letter| !b"vqEFhi".contains(letter)) {
                return None;
            }
            let has = |letter: u8| letters.clone().any(|l| *l == letter) || letter == b'E' && name == b"egrep";
            let (pattern, files) = rest.split_first()?;
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 2)) };
            let found = match (has(b'E') && !has(b'F'), has(b'i')) {
                (true, ignores_case) => {
                    let expression = expressions::read(pattern, Flavour::Extended, ignores_case)?;
                    Some(chosen(&text, |line| expression.regex.is_match(line) != has(b'v'))?)
                }
                (false, true) => None,
                (false, false) => grep(pattern, &text, has(b'v'), has(b'F')),
            };
            found.map(|found| {
                let status = u8::from(found.is_empty());
                said(if has(b'q') { Bytes::new() } else { joined(&found) }, status)
            })
        }
        (b"expr", [left, operator, right]) => {
            let number = |text: &[u8]| std::str::from_utf8(text).ok()?.parse::<i32>().ok().map(i64::from);
            let is_plain = |text: &&[u8]| text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit);
            if ![left, right].into_iter().all(is_plain) {
                return None;
            }
            let (left, right) = (number(left)?, number(right)?);
            let result = match *operator {
                b"+" => left + right,
                b"-" => left - right,
                b"*" => left * right,
                b"/" if right != 0 => left / right,
                b"%" if right != 0 => left % right,
                _ => return None,
            };
            Some(said(format!("{result}\n").into(), u8::from(result == 0)))
        }
        (b"xargs", []) => {
            let input = input.filter(|text| !text.iter().any(|b| b"'\"\\\0".contains(b)))?;
            let words: Vec<&[u8]> = input.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()).collect();
            let is_plain = words.first().is_none_or(|w| !w.starts_with(b"-")) && input.len() < 1 << 16;
            is_plain.then(|| said([&words.join(&b' ')[..], b"\n"].concat().into(), 0))
        }
        (b"cut", [delimiter, fields, files @ ..]) => {
            let delimiter = delimiter.strip_prefix(b"-d").and_then(|d| <&[u8; 1]>::try_from(d).ok())?[0];
            let wanted: usize = std::str::from_utf8(fields.strip_prefix(b"-f")?).ok()?.parse().ok().filter(|n| *n > 0)?;
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 1)) };
            let cut = |line: &[u8]| match line.contains(&delimiter) {
                true => line.split(|b| *b == delimiter).nth(wanted - 1).unwrap_or_default().to_vec(),
                // A line without it is left as it is.
                false => line.to_vec(),
            };
            Some(said(joined(&lines(&text)?.into_iter().map(cut).collect::<Vec<_>>()), 0))
        }
        (b"head", arguments) => {
            let (count, files) = match arguments {
                [b"-n", count, files @ ..] => (*count, files),
                [count, files @ ..] if count.starts_with(b"-n") => (count.get(2..)?, files),
                [count, files @ ..] if count.starts_with(b"-") => (count.get(1..)?, files),
                files => (&b"10"[..], files),
            };
            let count: usize = std::str::from_utf8(count).ok()?.parse().ok()?;
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 1)) };
            let end = memchr::memchr_iter(b'\n', &text).nth(count.checked_sub(1)?).map_or(text.len(), |at| at + 1);
            Some(said(text.slice(..end), 0))
        }
        (b"sed", [b"-r" | b"-E", b"-e", script, files @ ..]) if *script == EXPORTS => {
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 2)) };
            let mut out = Vec::new();
            for line in lines(&text)? {
                if !line.iter().all(|b| matches!(b, b'\t' | b' '..=b'~')) {
                    return None;
                }
                let line = line.trim_ascii_start();
                let name = line.iter().take_while(|b| b.is_ascii_uppercase() || **b == b'_').count();
                if let [b'=', value @ ..] = line.get(name..)?
                    && name > 0
                    && !value.is_empty()
                {
                    // What stands behind a tab is left as it is.
                    out.push([b"export ", line].concat());
                }
            }
            Some(said(joined(&out), 0))
        }
        (b"tr", arguments) => Some(said(scripts::translated(arguments, &input?)?.into(), 0)),
        (b"seq", arguments) => Some(said(scripts::sequence(arguments)?, 0)),
        (b"sed", arguments) => {
            let (options, rest) = arguments.split_at(arguments.iter().take_while(|a| matches!(**a, b"-r" | b"-E")).count());
            let (scripts, files) = match rest {
                [b"-e", one, b"-e", two, files @ ..] => (vec![*one, *two], files),
                [b"-e", one, files @ ..] => (vec![*one], files),
                [one, files @ ..] if !one.starts_with(b"-") => (vec![*one], files),
                _ => return None,
            };
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 2)) };
            let edited = joined(&scripts::edited(&scripts, !options.is_empty(), &lines(&text)?)?);
            // A last line without its end has none afterwards.
            let length = edited.len() - usize::from(!text.ends_with(b"\n") && !edited.is_empty());
            Some(said(edited.slice(..length), 0))
        }
        (b"awk" | b"gawk" | b"mawk", arguments) => Some(said(scripts::chosen(arguments, &input?)?.into(), 0)),
        (b"sort", arguments) => {
            let (is_unique, files) = match arguments {
                [b"-u", files @ ..] => (true, files),
                files => (false, files),
            };
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 2)) };
            let mut all: Vec<Bytes> = lines(&text)?.into_iter().map(Bytes::copy_from_slice).collect();
            all.sort();
            let mut each = all.clone();
            each.dedup();
            // Which locale there is, is not known.
            is_plain_order(&each).then(|| said(joined(if is_unique { &each } else { &all }), 0))
        }
        (b"uniq", files) => {
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 1)) };
            let mut all = lines(&text)?;
            all.dedup();
            Some(said(joined(&all), 0))
        }
        (b"tail", arguments) => {
            let (count, files) = match arguments {
                [b"-n", count, files @ ..] => (*count, files),
                [count, files @ ..] if count.starts_with(b"-n") => (count.get(2..)?, files),
                [count, files @ ..] if count.starts_with(b"-") => (count.get(1..)?, files),
                // An old form of the same, or a file.
                [count, ..] if count.starts_with(b"+") => return None,
                files => (&b"10"[..], files),
            };
            let from = count.strip_prefix(b"+");
            let count: usize = std::str::from_utf8(from.unwrap_or(count)).ok()?.parse().ok()?;
            let Some(text) = text_of(files)? else { return Some(said(Bytes::new(), 1)) };
            let begins: Vec<usize> = std::iter::once(0).chain(memchr::memchr_iter(b'\n', &text).map(|at| at + 1)).collect();
            let begins: Vec<usize> = begins.into_iter().filter(|at| *at < text.len()).collect();
            // From a line on, or so many from the end.
            let at = if from.is_some() { count.checked_sub(1)? } else { begins.len().saturating_sub(count) };
            Some(said(text.slice(begins.get(at).copied().unwrap_or(text.len())..), 0))
        }
        (b"wc", [b"-l"]) => {
            let count = memchr::memchr_iter(b'\n', &input?).count();
            Some(said(format!("{count}\n").into(), 0))
        }
        (b"paste", [option, files @ ..]) if option.starts_with(b"-sd") && matches!(files, [] | [b"-"]) => {
            let [sign] = option.get(3..)? else { return None };
            let text = input?;
            Some(said([&lines(&text)?.join(sign)[..], b"\n"].concat().into(), 0)).filter(|_| *sign != b'\\')
        }
        (b"rev", []) => {
            let text = input?;
            let turned: Vec<Vec<u8>> = lines(&text)?.into_iter().map(|line| line.iter().rev().copied().collect()).collect();
            text.ends_with(b"\n").then(|| said(joined(&turned), 0))
        }
        _ => None,
    }
}

fn said(output: Bytes, status: u8) -> Answer {
    Answer { output: Val::Known(output), status: Some(status) }
}

/// The lines of a text; `None` for one that programs may take for none.
fn lines(text: &[u8]) -> Option<Vec<&[u8]>> {
    if text.contains(&0) || !text.is_ascii() {
        return None;
    }
    let text = text.strip_suffix(b"\n").unwrap_or(text);
    Some(if text.is_empty() { Vec::new() } else { text.split(|b| *b == b'\n').collect() })
}

fn joined<L: AsRef<[u8]>>(lines: &[L]) -> Bytes {
    lines.iter().flat_map(|line| [line.as_ref(), b"\n"]).collect::<Vec<_>>().concat().into()
}

/// The lines that hold a text, or begin or end with it, or do not.
fn grep<'a>(pattern: &[u8], text: &'a [u8], is_inverted: bool, is_fixed: bool) -> Option<Vec<&'a [u8]>> {
    let (begins, plain) = match pattern.strip_prefix(b"^") {
        Some(rest) if !is_fixed => (true, rest),
        _ => (false, pattern),
    };
    let (ends, plain) = match plain.strip_suffix(b"$") {
        Some(rest) if !is_fixed => (true, rest),
        _ => (false, plain),
    };
    if !is_fixed && plain.iter().any(|b| SIGNS.contains(b)) || plain.contains(&b'\n') {
        return None;
    }
    let fits = |line: &&[u8]| match (begins, ends) {
        (true, true) => *line == plain,
        (true, false) => line.starts_with(plain),
        (false, true) => line.ends_with(plain),
        (false, false) => memchr::memmem::find(line, plain).is_some(),
    };
    chosen(text, |line| fits(&line) != is_inverted)
}

/// The lines that are chosen of a text.
fn chosen(text: &[u8], is_chosen: impl Fn(&[u8]) -> bool) -> Option<Vec<&[u8]>> {
    // A text of one empty line has a line, too.
    let all = if text == b"\n" { vec![&b""[..]] } else { lines(text)? };
    Some(all.into_iter().filter(|line| is_chosen(line)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_changed_as_the_programs_change_them() {
        const TEXT: &str = "# pier\nGATE=7\n\nTIDE=low ebb\nplain\n";
        let read = |path: &[u8]| match path {
            b"env" => Some(Some(Bytes::from_static(TEXT.as_bytes()))),
            b"none" => Some(None),
            _ => None,
        };
        for (call, input, answer) in [
            ("grep -v ^# env", None, Some(("GATE=7\n\nTIDE=low ebb\nplain\n", 0))),
            ("grep = env", None, Some(("GATE=7\nTIDE=low ebb\n", 0))),
            ("grep -q pier env", None, Some(("", 0))),
            ("grep --color=auto -q low env", None, Some(("", 0))),
            ("grep --colour env", None, None),
            ("grep -q ^pier env", None, Some(("", 1))),
            ("grep ebb$ env", None, Some(("TIDE=low ebb\n", 0))),
            ("grep ^plain$ env", None, Some(("plain\n", 0))),
            ("grep -F ^plain env", None, Some(("", 1))),
            ("grep pier none", None, Some(("", 2))),
            ("grep p.er env", None, None),
            ("grep -i PIER env", None, None),
            ("grep pier secret", None, None),
            ("grep a env none", None, None),
            ("grep b", Some("a\nb"), Some(("b\n", 0))),
            ("grep b", None, None),
            ("grep -v x", Some("\n"), Some(("\n", 0))),
            ("xargs", Some("A=1\n B=2  C=3\n"), Some(("A=1 B=2 C=3\n", 0))),
            ("xargs", Some(""), Some(("\n", 0))),
            ("xargs", Some("'a b'"), None),
            ("xargs", Some("-n x"), None),
            ("xargs echo", Some("a"), None),
            ("cut -d= -f1 env", None, Some(("# pier\nGATE\n\nTIDE\nplain\n", 0))),
            ("cut -d= -f2", Some("a=b=c\n"), Some(("b\n", 0))),
            ("cut -d: -f9", Some("a:b\n"), Some(("\n", 0))),
            ("cut -d: -f1,2", Some("a:b\n"), None),
            ("head -n 2 env", None, Some(("# pier\nGATE=7\n", 0))),
            ("head -1 env", None, Some(("# pier\n", 0))),
            ("head -n9", Some("a"), Some(("a", 0))),
            ("head -n -1", Some("a"), None),
            ("sort env", None, None),
            ("sort", Some("low\nebb\nlow\n"), Some(("ebb\nlow\nlow\n", 0))),
            ("sort -u", Some("low\nebb\nlow"), Some(("ebb\nlow\n", 0))),
            ("sort", Some("Low\nlow\n"), None),
            ("sort -n", Some("1\n"), None),
            ("uniq", Some("a\na\nb\na\n"), Some(("a\nb\na\n", 0))),
            ("tail -n 2 env", None, Some(("TIDE=low ebb\nplain\n", 0))),
            ("tail -1", Some("a\nb"), Some(("b", 0))),
            ("tail -n +2", Some("a\nb\nc\n"), Some(("b\nc\n", 0))),
            ("tail -f", Some("a\n"), None),
            ("wc -l", Some("a\nb"), Some(("1\n", 0))),
            ("paste -sd:", Some("a\nb\n"), Some(("a:b\n", 0))),
            ("paste -sd: -", Some("a\n"), Some(("a\n", 0))),
            ("paste -sd:,", Some("a\n"), None),
            ("rev", Some("abc\n"), Some(("cba\n", 0))),
            ("tr : \\n", Some("a:b"), Some(("a\nb", 0))),
            ("seq 2", None, Some(("1\n2\n", 0))),
            ("awk {print$2}", Some("a b\n"), Some(("b\n", 0))),
            ("sed -r -e SCRIPT env", None, Some(("export GATE=7\nexport TIDE=low ebb\n", 0))),
            ("sed -r -e SCRIPT", Some("  LANG=\"C\"\n#LC_ALL=x\nlow=1\nA=\n"), Some(("export LANG=\"C\"\n", 0))),
            ("sed -r -e SCRIPT", Some("LANG=\u{e4}\n"), None),
            ("sed -e s/low/high/ env", None, Some(("# pier\nGATE=7\n\nTIDE=high ebb\nplain\n", 0))),
            ("sed -E -e s/a+/b/ -e s/b/c/", Some("aa"), Some(("c", 0))),
            ("sed -n p env", None, None),
        ] {
            let words: Vec<&[u8]> =
                call.split(' ').map(|word| if word == "SCRIPT" { EXPORTS } else { word.as_bytes() }).collect();
            let said = super::answer(words[0], &words[1..], read, input.map(|text: &str| Bytes::from(text.to_owned())));
            let told = said.as_ref().map(|said| (said.output.known().cloned().unwrap_or_default(), said.status.unwrap_or(99)));
            assert_eq!(told, answer.map(|(text, status): (&str, u8)| (Bytes::from(text.to_owned()), status)), "{call} {input:?}");
        }
    }
}
