//! Braces: the words that one word stands for.

use super::syntax::*;

/// The words that braces make of one.
///
/// # Errors
/// If there are too many.
pub(super) fn braces(word: &Word, ranges: Option<Dialect>) -> Result<Option<Vec<Word>>, &'static str> {
    let has_braces = word.parts.iter().any(|p| matches!(p, Part::Text(t) if t.contains(&b'{')));
    if !has_braces {
        return Ok(None);
    }
    // As single bytes that were not quoted, and parts that stay whole.
    let mut atoms: Vec<Part> = Vec::new();
    for part in &word.parts {
        match part {
            Part::Text(text) => atoms.extend(text.iter().map(|b| Part::Text(Text::of(&[*b])))),
            other => atoms.push(other.clone()),
        }
    }
    // Where braces stand in a parameter's, too, they match in other ways.
    if atoms.iter().any(|atom| matches!(atom, Part::Parameter(p) if has_inner_braces(&p.change))) {
        return Err("braces in a parameter in braces");
    }
    // Patterns in there may keep zsh from taking them for such (measured: 5.9).
    let is_cut = |atom: &Part| match atom {
        Part::Parameter(p) => matches!(p.change, Change::Trim(..) | Change::Replace(..)),
        Part::Shaped(_) => true,
        _ => false,
    };
    if ranges == Some(Dialect::Zsh) && atoms.iter().any(is_cut) {
        return Err("braces beside a parameter");
    }
    // One that is open keeps others beside it from being any there (measured: 93u+m, R59).
    let count = |sign: &[u8]| atoms.iter().filter(|atom| matches!(atom, Part::Text(t) if **t == *sign)).count();
    let (open, closed) = (count(b"{"), count(b"}"));
    if matches!(ranges, None | Some(Dialect::Ksh)) && open > 1 && open != closed {
        return Err("braces of which one is open");
    }
    let mut out = Vec::new();
    brace(&atoms, &mut out, 0, ranges)?;
    let words = out.into_iter().map(|atoms| {
        let mut parts = Parts::new();
        for atom in atoms {
            match (atom, parts.last_mut()) {
                (Part::Text(new), Some(Part::Text(text))) => text.push(&new),
                (atom, _) => parts.push(atom),
            }
        }
        Word::new(parts, word.at, word.end)
    });
    Ok(Some(words.collect()))
}

/// Whether there are unquoted braces in what is done to a parameter.
fn has_inner_braces(change: &Change) -> bool {
    let has = |word: &Word| word.parts.iter().any(|part| matches!(part, Part::Text(t) if t.iter().any(|b| b"{}".contains(b))));
    match change {
        Change::Trim(_, _, word) | Change::Instead(_, _, word) => has(word),
        Change::Replace(both, _) => has(&both.0) || has(&both.1),
        _ => false,
    }
}

/// Which parts of a word stand between braces that may be a range: no comma is beside them. Whether dots make one of it for
/// certain.
pub(super) fn within_ranges(parts: &[Part]) -> Vec<(usize, bool)> {
    // Single bytes that were not quoted, and the other parts by their places.
    let mut atoms: Vec<Result<u8, usize>> = Vec::new();
    for (at, part) in parts.iter().enumerate() {
        match part {
            Part::Text(text) => atoms.extend(text.iter().map(|b| Ok(*b))),
            _ => atoms.push(Err(at)),
        }
    }
    let mut out = Vec::new();
    let mut open: Vec<(usize, bool)> = Vec::new();
    for (at, atom) in atoms.iter().enumerate() {
        match atom {
            Ok(b'{') => open.push((at, false)),
            Ok(b',') => open.iter_mut().for_each(|(_, has_comma)| *has_comma = true),
            Ok(b'}') => {
                let Some((from, false)) = open.pop() else { continue };
                let inside = atoms.get(from + 1..at).unwrap_or_default();
                let places: Vec<usize> = inside.iter().filter_map(|atom| atom.err()).collect();
                let has_dots = inside.windows(2).any(|pair| pair == [Ok(b'.'), Ok(b'.')]);
                if has_dots || places.len() == inside.len() {
                    out.extend(places.into_iter().map(|place| (place, has_dots)));
                }
            }
            _ => {}
        }
    }
    out
}

fn byte_of(atom: &Part) -> Option<u8> {
    match atom {
        Part::Text(text) => text.first().copied(),
        _ => None,
    }
}

fn brace(atoms: &[Part], out: &mut Vec<Vec<Part>>, depth: usize, ranges: Option<Dialect>) -> Result<(), &'static str> {
    if out.len() > 2000 || depth > 40 {
        return Err("braces make too many words");
    }
    for (from, atom) in atoms.iter().enumerate() {
        if byte_of(atom) != Some(b'{') {
            continue;
        }
        let (mut open, mut commas, mut end) = (0, Vec::new(), None);
        for (at, atom) in atoms.iter().enumerate().skip(from) {
            match byte_of(atom) {
                Some(b'{') => open += 1,
                Some(b'}') => {
                    open -= 1;
                    if open == 0 {
                        end = Some(at);
                        break;
                    }
                }
                Some(b',') if open == 1 => commas.push(at),
                _ => {}
            }
        }
        let Some(end) = end else { continue };
        let (before, after) = (atoms.get(..from).unwrap_or_default(), atoms.get(end + 1..).unwrap_or_default());
        let inside = atoms.get(from + 1..end).unwrap_or_default();
        // Behind something such a pair begins braces that go on behind it in bash (measured: 5.2).
        if inside.is_empty() && from > 0 && ranges == Some(Dialect::Bash) && after.iter().any(|atom| byte_of(atom) == Some(b'}'))
        {
            return Err("braces of another kind");
        }
        if commas.is_empty() {
            let text: Option<Vec<u8>> = inside.iter().map(byte_of).collect();
            if let (Some(dialect), Some(text)) = (ranges, text.filter(|t| memchr::memmem::find(t, b"..").is_some())) {
                let items = sequence(&text, dialect)?;
                for item in items {
                    let item: Vec<Part> = item.bytes().map(|b| Part::Text(Text::of(&[b]))).collect();
                    brace(&[before, &item, after].concat(), out, depth + 1, ranges)?;
                }
                return Ok(());
            }
            continue;
        }
        let mut start = from + 1;
        for stop in commas.into_iter().chain([end]) {
            let item = atoms.get(start..stop).unwrap_or_default();
            brace(&[before, item, after].concat(), out, depth + 1, ranges)?;
            start = stop + 1;
        }
        return Ok(());
    }
    out.push(atoms.to_vec());
    Ok(())
}

/// `{1..5}`, `{a..e}`, `{1..9..2}`: numbers or letters from one to another; with a leading zero all are as long as the
/// longest, but in ksh.
fn sequence(text: &[u8], dialect: Dialect) -> Result<Vec<String>, &'static str> {
    let odd = "braces of another kind";
    let text = std::str::from_utf8(text).map_err(|_| odd)?;
    let (from, rest) = text.split_once("..").ok_or(odd)?;
    let (to, step) = rest.split_once("..").map_or((rest, None), |(to, step)| (to, Some(step)));
    let step: usize = step.map_or(Ok(1), str::parse).map_err(|_| odd)?;
    // What none of them makes alike.
    let is_alike = |is_down: bool| step > 0 && (step == 1 || !is_down || dialect != Dialect::Ksh);
    if let ([from], [to]) = (from.as_bytes(), to.as_bytes())
        && (from.is_ascii_lowercase() && to.is_ascii_lowercase() || from.is_ascii_uppercase() && to.is_ascii_uppercase())
    {
        if !is_alike(from > to) || step > 1 && dialect == Dialect::Zsh {
            return Err(odd);
        }
        let letters = |all: std::ops::RangeInclusive<u8>| all.map(|letter| char::from(letter).to_string()).collect::<Vec<_>>();
        let mut all = letters(*from.min(to)..=*from.max(to));
        if from > to {
            all.reverse();
        }
        return Ok(all.into_iter().step_by(step).collect());
    }
    let (first, last): (i32, i32) = (from.parse().map_err(|_| odd)?, to.parse().map_err(|_| odd)?);
    if !is_alike(first > last) || from.starts_with('+') || to.starts_with('+') {
        return Err(odd);
    }
    if first.abs_diff(last) > 1000 {
        return Err("braces make too many words");
    }
    let has_zeros = |text: &str| text.trim_start_matches('-').starts_with('0') && text.trim_start_matches('-').len() > 1;
    let is_padded = dialect != Dialect::Ksh && (has_zeros(from) || has_zeros(to));
    let width = if is_padded { from.len().max(to.len()) } else { 0 };
    let mut all: Vec<i32> = (first.min(last)..=first.max(last)).collect();
    if first > last {
        all.reverse();
    }
    Ok(all.into_iter().step_by(step).map(|n| format!("{n:0width$}")).collect())
}

#[cfg(test)]
mod tests {
    use bytes::Bytes;

    use super::super::parse::Parser;
    use super::super::words::flat;
    use super::*;

    #[test]
    fn braces_make_words_of_one() {
        let (bash, zsh, ksh) = (Some(Dialect::Bash), Some(Dialect::Zsh), Some(Dialect::Ksh));
        for (word, ranges, words) in [
            ("a{b,c}d", bash, Ok("abd acd")),
            ("{a,b{c,d}}", bash, Ok("a bc bd")),
            ("{a,b}{1,2}", bash, Ok("a1 a2 b1 b2")),
            ("{1..3}", bash, Ok("1 2 3")),
            ("{3..1}x", bash, Ok("3x 2x 1x")),
            ("{-1..1}", bash, Ok("-1 0 1")),
            ("{1..10..3}", zsh, Ok("1 4 7 10")),
            ("{10..1..4}", bash, Ok("10 6 2")),
            ("{10..1..4}", ksh, Err("braces of another kind")),
            ("{01..3}", bash, Ok("01 02 03")),
            ("{-05..05..5}", zsh, Ok("-05 000 005")),
            ("{01..3}", ksh, Ok("1 2 3")),
            ("{a..c}", bash, Ok("a b c")),
            ("{c..a}", zsh, Ok("c b a")),
            ("{a..i..3}", bash, Ok("a d g")),
            ("{a..i..3}", zsh, Err("braces of another kind")),
            ("{a..C}", bash, Err("braces of another kind")),
            ("{1..9..0}", bash, Err("braces of another kind")),
            ("{1..9..-2}", bash, Err("braces of another kind")),
            ("{1..3}", None, Ok("{1..3}")),
            ("{a}", bash, Ok("{a}")),
            ("{a,", bash, Ok("{a,")),
            ("'{a,b}'", bash, Ok("as it stands")),
            ("{a,'b,c'}", bash, Ok("a b,c")),
            ("x\\{a,b}", bash, Ok("as it stands")),
            ("{1..2000}", bash, Err("braces make too many words")),
        ] {
            let bytes = Bytes::from_static(word.as_bytes());
            let word_read = Parser::new(&bytes, Dialect::Bash).word().expect("a word");
            let text_of = |word: Word| {
                let (mut text, mut is_quoted) = (Vec::new(), false);
                flat(&word.parts, &mut text, &mut is_quoted);
                String::from_utf8_lossy(&text).into_owned()
            };
            let told = braces(&word_read, ranges).map(|words| match words {
                Some(words) => words.into_iter().map(text_of).collect::<Vec<_>>().join(" "),
                None => "as it stands".to_owned(),
            });
            assert_eq!(told.as_deref(), words.as_ref().map(|w| *w), "{word}");
        }
    }
}
