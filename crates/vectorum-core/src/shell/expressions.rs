//! Regular expressions of other programs as those of a library that searches as Perl's do. What it would take for something
//! else is not followed.

use regex::bytes::{Regex, RegexBuilder};

/// Longer ones are not followed.
const LONGEST: usize = 1000;

/// Whose expressions they are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Flavour {
    /// Those of Perl, as fish has them.
    Perl,
    /// Extended ones of POSIX (Base Definitions, 9.4), asked only for whether something fits: which part of it they find is
    /// another question.
    Extended,
}

/// An expression, and the names of its groups.
#[derive(Debug)]
pub(super) struct Expression {
    pub(super) regex: Regex,
    pub(super) names: Vec<String>,
    /// Whether a group is repeated: which of its parts it keeps then is another question.
    pub(super) repeats_groups: bool,
}

/// The names that an expression of Perl's gives to its groups, whatever else is in it.
pub(super) fn names_of(text: &[u8]) -> Vec<Vec<u8>> {
    let mut names = Vec::new();
    for at in memchr::memmem::find_iter(text, b"(?") {
        let rest = text.get(at + 2..).unwrap_or_default();
        let rest = rest.strip_prefix(b"P").unwrap_or(rest);
        let Some((sign, rest)) = rest.split_first() else { continue };
        let end = match sign {
            b'<' => b'>',
            b'\'' => b'\'',
            _ => continue,
        };
        let length = memchr::memchr(end, rest).unwrap_or(0);
        let name = rest.get(..length).unwrap_or_default();
        if name.first().is_some_and(|b| !b.is_ascii_digit()) && name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') {
            names.push(name.to_vec());
        }
    }
    names
}

/// Reads an expression; `None` where any of it is not followed. It is for ASCII texts without line ends.
pub(super) fn read(text: &[u8], flavour: Flavour, ignores_case: bool) -> Option<Expression> {
    let is_perl = flavour == Flavour::Perl;
    if text.is_empty() || text.len() > LONGEST || !text.iter().all(|b| (b' '..=b'~').contains(b)) {
        return None;
    }
    let mut out = String::new();
    let mut at = 0;
    // Whether something stands before that can be repeated.
    let mut is_atom = false;
    let mut repeats_groups = false;
    while let Some(byte) = text.get(at).copied() {
        at += 1;
        match byte {
            b'\\' => {
                let next = *text.get(at)?;
                at += 1;
                is_atom = next != b'b';
                match next {
                    b'd' | b'D' | b'w' | b'W' | b's' | b'S' | b'b' if is_perl => {
                        out.push('\\');
                        out.push(char::from(next));
                    }
                    next if next.is_ascii_punctuation() && !b"<>`'".contains(&next) => {
                        out.push_str(&regex::escape(&char::from(next).to_string()));
                    }
                    _ => return None,
                }
            }
            b'[' => {
                let length = set(text.get(at..)?, is_perl)?;
                out.push('[');
                out.push_str(std::str::from_utf8(text.get(at..at + length)?).ok()?);
                at += length;
                is_atom = true;
            }
            b'*' | b'+' | b'?' | b'{' => {
                if !is_atom {
                    return None;
                }
                repeats_groups |= text.get(..at - 1).is_some_and(|before| before.ends_with(b")"));
                out.push(char::from(byte));
                if byte == b'{' {
                    let length = text.get(at..)?.iter().position(|b| *b == b'}')?;
                    let counts = text.get(at..at + length)?;
                    let is_count = |count: &[u8]| (1..=2).contains(&count.len()) && count.iter().all(u8::is_ascii_digit);
                    let mut both = counts.splitn(2, |b| *b == b',');
                    let (least, most) = (both.next()?, both.next());
                    if !is_count(least) || most.is_some_and(|most| !most.is_empty() && !is_count(most)) {
                        return None;
                    }
                    out.push_str(std::str::from_utf8(counts).ok()?);
                    out.push('}');
                    at += length + 1;
                }
                // Behind another one a sign means something else in each.
                match text.get(at) {
                    Some(b'?') if is_perl => {
                        out.push('?');
                        at += 1;
                        if text.get(at).is_some_and(|b| b"*+?{".contains(b)) {
                            return None;
                        }
                    }
                    Some(b'*' | b'+' | b'?' | b'{') => return None,
                    _ => {}
                }
                is_atom = false;
            }
            b'(' => {
                out.push('(');
                if text.get(at) == Some(&b'?') {
                    let rest = text.get(at..)?;
                    let named = rest.strip_prefix(b"?<").or_else(|| rest.strip_prefix(b"?P<"));
                    match named {
                        _ if !is_perl => return None,
                        Some(named) => {
                            let length = memchr::memchr(b'>', named)?;
                            let name = named.get(..length)?;
                            let is_name = name.first().is_some_and(u8::is_ascii_alphabetic)
                                && name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
                            if !is_name {
                                return None;
                            }
                            out.push_str("?P<");
                            out.push_str(std::str::from_utf8(name).ok()?);
                            out.push('>');
                            at += rest.len() - named.len() + length + 1;
                        }
                        None if rest.starts_with(b"?:") => {
                            out.push_str("?:");
                            at += 2;
                        }
                        None => return None,
                    }
                }
                is_atom = false;
            }
            b')' => {
                out.push(')');
                is_atom = true;
            }
            b'|' => {
                out.push('|');
                is_atom = false;
            }
            b'^' | b'$' => {
                out.push(char::from(byte));
                is_atom = false;
            }
            b'.' => {
                out.push('.');
                is_atom = true;
            }
            // Alone these are texts in some, and errors in others.
            b']' | b'}' => return None,
            byte => {
                out.push_str(&regex::escape(&char::from(byte).to_string()));
                is_atom = true;
            }
        }
    }
    let regex = RegexBuilder::new(&out).unicode(false).case_insensitive(ignores_case).size_limit(1 << 20).build().ok()?;
    let names = regex.capture_names().flatten().map(str::to_owned).collect();
    Some(Expression { regex, names, repeats_groups })
}

/// How long a set is that begins behind its bracket, with the bracket that ends it.
fn set(text: &[u8], is_perl: bool) -> Option<usize> {
    let from = usize::from(text.first() == Some(&b'^'));
    let mut at = from;
    loop {
        match *text.get(at)? {
            b']' if at > from => return Some(at + 1),
            b'\\' if is_perl && text.get(at + 1).is_some_and(|b| b"dws.-/_".contains(b)) => at += 2,
            b'[' if text.get(at..)?.starts_with(b"[:") => {
                let length = memchr::memmem::find(text.get(at..)?, b":]")?;
                let name = text.get(at + 2..at + length)?;
                let known: &[&[u8]] = &[b"alpha", b"digit", b"alnum", b"upper", b"lower", b"space", b"blank", b"punct"];
                if !known.contains(&name) {
                    return None;
                }
                at += length + 2;
            }
            b'-' => {
                // A range within one kind, or a sign at an end of the set.
                let (before, after) = (text.get(at.checked_sub(1)?), *text.get(at + 1)?);
                let before = before.copied().filter(|_| at > from);
                let is_range = before.is_some_and(|before| {
                    before <= after
                        && (before.is_ascii_digit() && after.is_ascii_digit()
                            || before.is_ascii_lowercase() && after.is_ascii_lowercase()
                            || before.is_ascii_uppercase() && after.is_ascii_uppercase())
                });
                if !is_range && after != b']' {
                    return None;
                }
                at += 1;
            }
            byte if byte.is_ascii_alphanumeric() || b" :/._,=@%+*?$(){}|;!#\"'<>".contains(&byte) => at += 1,
            _ => return None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn expressions_find_what_they_find_for_others() {
        for (text, flavour, line, found) in [
            ("^/usr", Flavour::Perl, "/usr/bin", Some(Some("/usr"))),
            (r"^v(\d+)\.", Flavour::Perl, "v18.2.0", Some(Some("v18."))),
            (r"(?<maj>\d+)-(?:a|b)", Flavour::Perl, "x12-b", Some(Some("12-b"))),
            ("a+?", Flavour::Perl, "aaa", Some(Some("a"))),
            ("[^/]+$", Flavour::Perl, "/a/b c", Some(Some("b c"))),
            (r"[\d.]{2,3}", Flavour::Perl, "1.2.3", Some(Some("1.2"))),
            ("o$", Flavour::Perl, "one", Some(None)),
            ("(^|:)/opt/b($|:)", Flavour::Extended, "/usr:/opt/b", Some(Some(":/opt/b"))),
            ("[[:digit:]]+|x", Flavour::Extended, "ab1", Some(Some("1"))),
            ("a{2}", Flavour::Extended, "ba", Some(None)),
            // What means something else elsewhere, or an error.
            ("a++", Flavour::Perl, "", None),
            ("a+?", Flavour::Extended, "", None),
            (r"\d", Flavour::Extended, "", None),
            (r"(a)\1", Flavour::Perl, "", None),
            ("(?=a)", Flavour::Perl, "", None),
            ("(?i)a", Flavour::Perl, "", None),
            ("*a", Flavour::Extended, "", None),
            ("a(", Flavour::Perl, "", None),
            ("[]a]", Flavour::Perl, "", None),
            ("[a&&b]", Flavour::Perl, "", None),
            ("[Z-a]", Flavour::Extended, "", None),
            ("a}", Flavour::Perl, "", None),
            ("é", Flavour::Perl, "", None),
        ] {
            let expression = read(text.as_bytes(), flavour, false);
            let searched = expression.map(|e| e.regex.find(line.as_bytes()).map(|found| found.as_bytes().to_vec()));
            assert_eq!(searched, found.map(|found| found.map(|found| found.as_bytes().to_vec())), "{text}");
        }
        let named = read(b"(?<a>x)|(?P<b_1>y)", Flavour::Perl, true).expect("an expression");
        assert_eq!((named.names, named.regex.is_match(b"Y")), (vec!["a".to_owned(), "b_1".to_owned()], true));
        assert_eq!(names_of(b"(?=a)(?<maj>.)(?P<min>.)(?'x'.)(?<=b)"), [&b"maj"[..], b"min", b"x"]);
    }
}
