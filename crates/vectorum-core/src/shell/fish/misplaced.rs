//! What fish takes nowhere in a file, so that nothing of the file runs: ends of loops outside of loops, and `builtin`
//! before what is none of its own (measured: 3.6).

use super::commands::is_among_own;
use super::parse::{Job, Kinds, Part};

/// Whether any of a file's statements may not stand where it stands.
pub(super) fn is_misplaced(text: &[u8], jobs: &[Job]) -> bool {
    let has = |word: &[u8]| memchr::memmem::find(text, word).is_some();
    (has(b"break") || has(b"continue") || has(b"builtin")) && within(jobs, false)
}

fn within(jobs: &[Job], in_loop: bool) -> bool {
    jobs.iter().any(|job| match &job.kind {
        Kinds::Command(words) => {
            let is_within =
                words.iter().flat_map(|word| &word.parts).filter_map(Part::commands).any(|jobs| within(jobs, in_loop));
            let mut words = words.iter().map(|word| word.literal());
            let is_end = |word: Option<&[u8]>| matches!(word, Some(b"break" | b"continue"));
            is_within
                || match words.next().flatten() {
                    Some(b"builtin") => {
                        let is_other = |name: &[u8]| !name.starts_with(b"-") && !is_among_own(name);
                        words.next().flatten().is_some_and(|name| is_other(name) || is_end(Some(name)) && !in_loop)
                    }
                    Some(b"command") => is_end(words.next().flatten()) && !in_loop,
                    first => is_end(first) && !in_loop,
                }
        }
        Kinds::If(arms, otherwise) => {
            arms.iter().any(|(condition, then)| within(condition, in_loop) || within(then, in_loop)) || within(otherwise, in_loop)
        }
        Kinds::Switch(_, arms) => arms.iter().any(|(_, body)| within(body, in_loop)),
        Kinds::For(.., body) => within(body, true),
        Kinds::While(condition, body) => within(condition, true) || within(body, true),
        Kinds::Begin(body) => within(body, in_loop),
        Kinds::Function(_, body) => within(body, false),
    })
}

#[cfg(test)]
mod tests {
    use bytes::Bytes;

    use super::*;
    use crate::shell::fish::parse::read;

    #[test]
    fn what_stands_nowhere_spoils_its_file() {
        for (text, expected) in [
            ("break", true),
            ("false; and continue", true),
            ("if false; break; end", true),
            ("while true; if true; break; end; end", false),
            ("for i in a; switch $i; case a; continue; end; end", false),
            ("for i in a; function f; break; end; end", true),
            ("begin; break; end", true),
            ("echo break; set x continue", false),
            ("eval break", false),
            ("builtin cd /", false),
            ("builtin -n", false),
            ("builtin $name", false),
            ("false; and builtin export X", true),
            ("function f; builtin nosuch; end", true),
            ("echo (builtin nosuch)", true),
            ("set x \"$(break)\"", true),
            ("command continue", true),
            ("for i in a; command break; end", false),
        ] {
            let text = Bytes::from(text);
            let jobs = read(&text).expect("a tree");
            assert_eq!(is_misplaced(&text, &jobs), expected, "{}", text.escape_ascii());
        }
    }
}
