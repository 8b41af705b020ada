//! Braces: the words that one word stands for.

use super::syntax::*;

/// The words that braces make of one.
///
/// # Errors
/// If there are too many.
pub(super) fn braces(word: &Word, has_ranges: bool) -> Result<Option<Vec<Word>>, &'static str> {
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
    let mut out = Vec::new();
    brace(&atoms, &mut out, 0, has_ranges)?;
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

fn byte_of(atom: &Part) -> Option<u8> {
    match atom {
        Part::Text(text) => text.first().copied(),
        _ => None,
    }
}

fn brace(atoms: &[Part], out: &mut Vec<Vec<Part>>, depth: usize, has_ranges: bool) -> Result<(), &'static str> {
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
        if commas.is_empty() {
            let text: Option<Vec<u8>> = inside.iter().map(byte_of).collect();
            if has_ranges && text.as_ref().is_some_and(|t| memchr::memmem::find(t, b"..").is_some()) {
                let items = sequence(&text.unwrap_or_default())?;
                for item in items {
                    let item: Vec<Part> = item.bytes().map(|b| Part::Text(Text::of(&[b]))).collect();
                    brace(&[before, &item, after].concat(), out, depth + 1, has_ranges)?;
                }
                return Ok(());
            }
            continue;
        }
        let mut start = from + 1;
        for stop in commas.into_iter().chain([end]) {
            let item = atoms.get(start..stop).unwrap_or_default();
            brace(&[before, item, after].concat(), out, depth + 1, has_ranges)?;
            start = stop + 1;
        }
        return Ok(());
    }
    out.push(atoms.to_vec());
    Ok(())
}

/// `{1..5}`: numbers without leading zeros.
fn sequence(text: &[u8]) -> Result<Vec<String>, &'static str> {
    let odd = "braces of another kind";
    let text = std::str::from_utf8(text).map_err(|_| odd)?;
    let (from, to) = text.split_once("..").ok_or(odd)?;
    if from.starts_with('0') && from.len() > 1 || to.starts_with('0') && to.len() > 1 {
        return Err(odd);
    }
    let (from, to): (i32, i32) = (from.parse().map_err(|_| odd)?, to.parse().map_err(|_| odd)?);
    if from.abs_diff(to) > 1000 {
        return Err("braces make too many words");
    }
    Ok(if from <= to { (from..=to).map(|n| n.to_string()).collect() } else { (to..=from).rev().map(|n| n.to_string()).collect() })
}

#[cfg(test)]
mod tests {
    use bytes::Bytes;

    use super::super::parse::Parser;
    use super::super::words::flat;
    use super::*;

    #[test]
    fn braces_make_words_of_one() {
        for (word, ranges, words) in [
            ("a{b,c}d", true, Ok("abd acd")),
            ("{a,b{c,d}}", true, Ok("a bc bd")),
            ("{a,b}{1,2}", true, Ok("a1 a2 b1 b2")),
            ("{1..3}", true, Ok("1 2 3")),
            ("{3..1}x", true, Ok("3x 2x 1x")),
            ("{-1..1}", true, Ok("-1 0 1")),
            ("{1..3}", false, Ok("{1..3}")),
            ("{a}", true, Ok("{a}")),
            ("{a,", true, Ok("{a,")),
            ("'{a,b}'", true, Ok("as it stands")),
            ("{a,'b,c'}", true, Ok("a b,c")),
            ("x\\{a,b}", true, Ok("as it stands")),
            ("{01..3}", true, Err("braces of another kind")),
            ("{a..c}", true, Err("braces of another kind")),
            ("{1..2000}", true, Err("braces make too many words")),
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
