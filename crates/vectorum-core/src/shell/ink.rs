//! What each stretch of a line of a startup file is, for whoever paints it. One line is looked at by
//! itself: a quote that began in a line above is not known of.

/// What a stretch of a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ink {
    /// A word that means nothing of itself.
    Plain,
    /// A comment.
    Comment,
    /// A word of the grammar, or a command that declares or runs something.
    Keyword,
    /// Quoted text.
    Quoted,
    /// A parameter or the output of a command.
    Expansion,
    /// A name that is set.
    Assigned,
    /// A sign between words.
    Sign,
}

const KEYWORDS: &[&str] = &[
    "if", "then", "elif", "else", "fi", "for", "in", "do", "done", "while", "until", "case", "esac", "function", "select",
    "time", "repeat", "begin", "end", "switch", "and", "or", "not", "!", "[[", "]]", "[", "]", "{", "}", "test", "export",
    "declare", "typeset", "local", "readonly", "unset", "source", ".", "eval", "exec", "return", "exit", "set", "setopt",
    "unsetopt", "shopt", "alias", "builtin", "command", "emulate", "autoload", "break", "continue", "read", "trap",
];
const DECLARE: &[&str] = &["export", "declare", "typeset", "local", "readonly", "unset", "set", "integer", "float", "read"];
/// After these a command begins.
const OPENERS: &[&str] = &["if", "then", "elif", "else", "do", "while", "until", "time", "begin", "and", "or", "not", "!", "{"];

fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_'
}

/// How long a reference is that begins with a dollar sign: `None` if it is none.
fn reference(text: &str) -> Option<usize> {
    let bytes = text.as_bytes();
    match bytes.get(1)? {
        b'{' => {
            let mut open = 0;
            let end = bytes.iter().skip(1).position(|b| {
                open += i32::from(*b == b'{') - i32::from(*b == b'}');
                open == 0
            });
            Some(end.map_or(bytes.len(), |end| end + 2))
        }
        b'(' => Some(2),
        b if is_name(*b) => Some(1 + bytes.iter().skip(1).take_while(|b| is_name(**b)).count()),
        b if b"@*#?$!-".contains(b) => Some(2),
        _ => None,
    }
}

/// Returns the stretches of a line, each with where it ends, one after another without gaps.
pub fn inks(line: &str) -> Vec<(usize, Ink)> {
    let bytes = line.as_bytes();
    let mut out: Vec<(usize, Ink)> = Vec::new();
    let mut at = 0;
    // Whether a command, or a name that is declared, can stand here.
    let (mut begins, mut declares) = (true, false);
    // fish's `set` names one, and then gives its value.
    let mut names_one = false;
    while let Some(byte) = bytes.get(at) {
        let rest = line.get(at..).unwrap_or_default();
        let is_word_start = at == 0 || bytes.get(at - 1).is_some_and(|b| b" \t;|&(".contains(b));
        let (length, ink) = match byte {
            b' ' | b'\t' => (1, Ink::Plain),
            b'#' if is_word_start => (rest.len(), Ink::Comment),
            b'\'' => (rest.get(1..).and_then(|r| r.find('\'')).map_or(rest.len(), |end| end + 2), Ink::Quoted),
            b'"' => {
                at += quoted(rest, at, &mut out);
                begins = false;
                continue;
            }
            b'`' => (1, Ink::Expansion),
            b'$' => match reference(rest) {
                Some(length) => (length, Ink::Expansion),
                None => (1, Ink::Plain),
            },
            b';' | b'|' | b'&' | b'(' | b')' | b'<' | b'>' => (1, Ink::Sign),
            b'\\' => (1 + rest.chars().nth(1).map_or(0, char::len_utf8), Ink::Plain),
            _ => {
                let length = rest.find(|c: char| c.is_ascii() && b" \t;|&()<>\"'`$\\".contains(&(c as u8))).unwrap_or(rest.len());
                let word = rest.get(..length).unwrap_or_default();
                let name = word.bytes().take_while(|b| is_name(*b)).count();
                let is_assignment = name > 0 && !word.starts_with(|c: char| c.is_ascii_digit()) && {
                    let tail = word.get(name..).unwrap_or_default();
                    tail.starts_with('=') || tail.starts_with("+=")
                };
                if is_assignment && (begins || declares) {
                    out.push((at + name, Ink::Assigned));
                    let sign = if word.as_bytes().get(name) == Some(&b'+') { 2 } else { 1 };
                    out.push((at + name + sign, Ink::Sign));
                    at += name + sign;
                    continue;
                }
                let is_keyword = KEYWORDS.contains(&word) && (begins || matches!(word, "in" | "]" | "]]" | "}"));
                let ink = if is_keyword {
                    Ink::Keyword
                } else if declares && name == word.len() && !begins && is_word_start {
                    Ink::Assigned
                } else {
                    Ink::Plain
                };
                declares = if begins {
                    DECLARE.contains(&word)
                } else {
                    declares && (word.starts_with('-') || ink == Ink::Assigned && !names_one)
                };
                names_one = if begins { word == "set" } else { names_one };
                begins = begins && OPENERS.contains(&word);
                (length, ink)
            }
        };
        match byte {
            b';' | b'|' | b'&' | b'(' | b'`' => (begins, declares) = (true, false),
            b'$' if length == 2 && rest.starts_with("$(") => (begins, declares) = (true, false),
            b' ' | b'\t' | b'<' | b'>' | b')' => {}
            b'$' | b'\'' => begins = false,
            _ => {}
        }
        at += length.max(1);
        out.push((at, ink));
    }
    out
}

/// Takes a text in double quotes with the references in it; returns how long it is.
fn quoted(text: &str, from: usize, out: &mut Vec<(usize, Ink)>) -> usize {
    let bytes = text.as_bytes();
    let mut at = 1;
    while let Some(byte) = bytes.get(at) {
        match byte {
            b'"' => {
                at += 1;
                break;
            }
            b'\\' => at += 1 + text.get(at + 1..).and_then(|r| r.chars().next()).map_or(0, char::len_utf8),
            b'$' => match reference(text.get(at..).unwrap_or_default()) {
                Some(length) => {
                    out.push((from + at, Ink::Quoted));
                    at += length;
                    out.push((from + at, Ink::Expansion));
                }
                None => at += 1,
            },
            _ => at += 1,
        }
    }
    let end = at.min(text.len());
    out.push((from + end, Ink::Quoted));
    end
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Each word with the letter of what it is; blanks are left out.
    fn told(line: &str) -> String {
        let mut from = 0;
        let mut out = String::new();
        for (end, ink) in inks(line) {
            let text = line.get(from..end).unwrap().trim();
            from = end;
            if !text.is_empty() {
                let letter = match ink {
                    Ink::Plain => 'p',
                    Ink::Comment => 'c',
                    Ink::Keyword => 'k',
                    Ink::Quoted => 'q',
                    Ink::Expansion => 'e',
                    Ink::Assigned => 'a',
                    Ink::Sign => 's',
                };
                out.push_str(&format!("{letter}:{text} "));
            }
        }
        out.trim_end().to_owned()
    }

    #[test]
    fn words_are_what_they_are() {
        for (line, expected) in [
            ("export PATH=\"$HOME/bin:$PATH\" # first", "k:export a:PATH s:= q:\" e:$HOME q:/bin: e:$PATH q:\" c:# first"),
            ("if [ -d \"$D\" ]; then A+=1; fi", "k:if k:[ p:-d q:\" e:$D q:\" k:] s:; k:then a:A s:+= p:1 s:; k:fi"),
            ("set -gx EDITOR nano", "k:set p:-gx a:EDITOR p:nano"),
            ("x=$(cat 'a b') && echo if", "a:x s:= e:$( p:cat q:'a b' s:) s:& s:& p:echo p:if"),
            ("echo ${A:-${B}} $# a#b", "p:echo e:${A:-${B}} e:$# p:a#b"),
            ("export A B=c", "k:export a:A a:B s:= p:c"),
        ] {
            assert_eq!(told(line), expected, "{line}");
        }
    }

    proptest! {
        #[test]
        fn any_line_is_covered_once(line in "[ -~é\"'`$\\\\]{0,60}") {
            let ends: Vec<usize> = inks(&line).iter().map(|(end, _)| *end).collect();
            prop_assert!(ends.windows(2).all(|w| w[0] <= w[1]) && ends.iter().all(|e| line.is_char_boundary(*e)));
            prop_assert_eq!(ends.last().copied().unwrap_or(0), line.len());
        }
    }
}
