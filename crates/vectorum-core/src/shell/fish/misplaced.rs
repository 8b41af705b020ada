//! What fish takes nowhere in a file, so that nothing of the file runs: ends of loops outside of loops, what leaves a
//! function or the shell in a pipe, and `builtin` before what is none of its own (measured: 3.6).

use super::commands::is_among_own;
use super::parse::{Job, Kinds, Part, Word};

/// Whether any of a file's statements may not stand where it stands.
pub(super) fn is_misplaced(text: &[u8], jobs: &[Job]) -> bool {
    let has = |word: &[u8]| memchr::memmem::find(text, word).is_some();
    let leaves_pipe = has(b"|") && (has(b"return") || has(b"exec"));
    (leaves_pipe || has(b"break") || has(b"continue") || has(b"builtin")) && within(jobs, false)
}

/// Whether a command would leave what it runs in, or the shell.
fn leaves(words: &[Word]) -> bool {
    let mut words = words.iter().map_while(Word::literal);
    let first = words.find(|word| !matches!(*word, b"builtin" | b"command"));
    first.is_some_and(|word| matches!(word, b"return" | b"exec" | b"break" | b"continue"))
}

fn within(jobs: &[Job], in_loop: bool) -> bool {
    let is_piped = |at: usize| {
        let before = at.checked_sub(1).and_then(|at| jobs.get(at));
        jobs.get(at).is_some_and(|job| job.pipe.is_some()) || before.is_some_and(|job| job.pipe.is_some())
    };
    jobs.iter().enumerate().any(|(at, job)| match &job.kind {
        Kinds::Command(words) if is_piped(at) && leaves(words) => true,
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
                    // It may only tell of itself.
                    first => is_end(first) && !in_loop && !matches!(words.next().flatten(), Some(b"-h" | b"--help")),
                }
        }
        Kinds::If(arms, otherwise) => {
            arms.iter().any(|(condition, then)| within(condition, in_loop) || within(then, in_loop))
                || otherwise.as_ref().is_some_and(|jobs| within(jobs, in_loop))
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
            ("return | cat", true),
            ("true | return 1", true),
            ("function f; true | builtin return; end", true),
            ("set x (exec cat | cat)", true),
            ("while true; true | break; end", true),
            ("begin; return; end | cat", false),
            ("true | cat; return", false),
            ("exit | cat", false),
            ("command continue", true),
            ("for i in a; command break; end", false),
        ] {
            let text = Bytes::from(text);
            let jobs = read(&text).expect("a tree");
            assert_eq!(is_misplaced(&text, &jobs), expected, "{}", text.escape_ascii());
        }
    }
}
