//! The tree of a whole file: there always is one, whatever its bytes are.

use std::cell::Cell;

use bytes::Bytes;

use super::parse::{Parser, is_name_start};
use super::syntax::{Dialect, List, Trouble};

/// So many stretches that cannot be read are looked behind; more make one to the file's end.
const MOST_TRIES: usize = 40;

/// A part of a file: lines that are read together with what belongs to them, or what cannot be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stretch {
    /// Where it begins.
    pub from: usize,
    /// Where it ends, and the next one begins.
    pub to: usize,
    /// Its commands, or why it cannot be read.
    pub what: Result<List, Trouble>,
    /// Where groups of patterns stand in it, without which it would be no part of bash's language.
    pub groups: Option<usize>,
}

/// A whole file, taken apart. Its stretches follow each other without a gap, from the first byte to the last.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Tree {
    /// The stretches in order.
    pub stretches: Vec<Stretch>,
}

impl Tree {
    /// Takes a text apart. A shell runs nothing of what is behind the first trouble; here it is read on, so
    /// that what stands there can be told.
    pub fn of(text: &Bytes, dialect: Dialect) -> Tree {
        let mut stretches: Vec<Stretch> = Vec::new();
        let groups = Cell::new(None);
        let parser_from = |at| {
            let mut parser = Parser::new(text, dialect);
            (parser.at, parser.groups) = (at, Some(&groups));
            parser
        };
        let mut parser = parser_from(0);
        let mut tries = 0;
        loop {
            let from = stretches.last().map_or(0, |s| s.to);
            let what = match parser.next_line() {
                Ok(Some(list)) => Ok(list),
                Ok(None) => break,
                Err(trouble) => Err(trouble),
            };
            let to = match &what {
                Ok(_) => parser.at,
                Err(_) => {
                    tries += 1;
                    let begins = text.get(from..).unwrap_or_default();
                    // What stands in front of it on lines of their own is not what cannot be read.
                    let skipped = blank(begins);
                    let rest = begins.get(skipped..).unwrap_or_default();
                    let line = memchr::memchr(b'\n', rest).map_or(rest.len(), |end| end + 1);
                    let to = if tries > MOST_TRIES { text.len() } else { from + skipped + line };
                    parser = parser_from(to);
                    to
                }
            };
            match (stretches.last_mut(), &what) {
                (Some(Stretch { to: end, what: Err(_), .. }), Err(_)) => *end = to,
                _ => stretches.push(Stretch { from, to, what, groups: groups.take() }),
            }
        }
        // Comments and blank lines at the end.
        match stretches.last_mut() {
            Some(last) => last.to = text.len(),
            None => stretches.push(Stretch { from: 0, to: text.len(), what: Ok(List::default()), groups: None }),
        }
        Tree { stretches }
    }

    /// Returns the first place where it cannot be read.
    pub fn trouble(&self) -> Option<&Trouble> {
        self.stretches.iter().find_map(|s| s.what.as_ref().err())
    }

    /// Returns what is read before that.
    pub fn lines(&self) -> impl Iterator<Item = &List> {
        self.stretches.iter().map_while(|s| s.what.as_ref().ok())
    }

    /// Returns the same with what each of them asks of the shell's options.
    pub(super) fn asking(&self) -> impl Iterator<Item = (&List, Option<usize>)> {
        self.stretches.iter().map_while(|s| Some((s.what.as_ref().ok()?, s.groups)))
    }

    /// Returns what stands behind it, and no shell comes to.
    pub fn behind(&self) -> impl Iterator<Item = &List> {
        self.stretches.iter().skip_while(|s| s.what.is_ok()).filter_map(|s| s.what.as_ref().ok())
    }
}

/// Whether zsh may read a text otherwise as sh than by itself: what no other shell takes, such as short loops and braces without
/// blanks, and `$#NAME`, which is the length of a value or the number of parameters (measured: 5.9).
pub(super) fn is_read_otherwise_as_sh(text: &Bytes) -> bool {
    let mut counts = memchr::memmem::find_iter(text, b"$#");
    counts.any(|at| text.get(at + 2).is_some_and(|next| is_name_start(*next)))
        || Tree::of(text, Dialect::Bash).trouble().is_some()
}

/// How many bytes of blank lines and comments a text begins with.
fn blank(text: &[u8]) -> usize {
    let is_blank = |line: &&[u8]| line.trim_ascii_start().first().is_none_or(|b| *b == b'#');
    text.split_inclusive(|b| *b == b'\n').take_while(is_blank).map(<[u8]>::len).sum()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const DIALECTS: [Dialect; 5] = [Dialect::Dash, Dialect::Bash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh];

    #[test]
    fn what_cannot_be_read_is_a_part_of_its_own() {
        let text = b"A=1\n# note\nif true; then\n B=2\n) oops\nC=3\nD='open\n";
        let tree = Tree::of(&Bytes::from_static(text), Dialect::Bash);
        let told: Vec<(&[u8], bool)> = tree.stretches.iter().map(|s| (&text[s.from..s.to], s.what.is_ok())).collect();
        assert_eq!(
            told,
            [
                (&b"A=1\n"[..], true),
                (b"# note\nif true; then\n", false),
                (b" B=2\n", true),
                (b") oops\n", false),
                (b"C=3\n", true),
                (b"D='open\n", false)
            ]
        );
        assert_eq!((tree.lines().count(), tree.behind().count()), (1, 2));
        assert!(tree.trouble().is_some_and(|t| t.is_error));
        let many = b"'\n(\n".repeat(5000);
        assert!(Tree::of(&many.into(), Dialect::Zsh).trouble().is_some());
    }

    #[test]
    fn groups_of_patterns_are_noted_where_bash_asks_for_an_option() {
        let places = |text: &'static [u8], dialect| -> Vec<Option<usize>> {
            Tree::of(&Bytes::from_static(text), dialect).asking().map(|(_, groups)| groups).collect()
        };
        let text = b"A=1\ncase x in\n@(a|b)) B=1 ;;\nesac\n[[ x = @(a) ]]\nls !(c)\n";
        assert!(matches!(places(text, Dialect::Bash)[..], [None, Some(15..=22), None, Some(_)]));
        assert!(places(text, Dialect::Ksh).iter().all(Option::is_none));
    }

    /// Bytes that shells give a meaning, and some others.
    fn texts() -> impl Strategy<Value = Vec<u8>> {
        let piece = prop_oneof![
            prop::sample::select(vec![
                "if ",
                "then ",
                "fi\n",
                "for i in ",
                "do ",
                "done\n",
                "case x in ",
                "esac",
                ";;",
                "{ ",
                "} ",
                "( ",
                ") ",
                "$(",
                "`",
                "${A",
                "}",
                "$((",
                "))",
                "'",
                "\"",
                "\\",
                "\n",
                "; ",
                "& ",
                "| ",
                "&& ",
                "<<E\n",
                "E\n",
                "#",
                "A=",
                "f() ",
                "[[ ",
                " ]]",
                "x ",
                "!",
                "~",
                "*",
                "<(",
                "$'",
                "function ",
                "=(",
            ])
            .prop_map(|s| s.as_bytes().to_vec()),
            prop::collection::vec(any::<u8>(), 0..4),
        ];
        prop::collection::vec(piece, 0..40).prop_map(|all| all.concat())
    }

    proptest! {
        #[test]
        fn any_bytes_have_a_tree_without_a_gap(text in texts()) {
            for dialect in DIALECTS {
                let tree = Tree::of(&Bytes::copy_from_slice(&text), dialect);
                let mut at = 0;
                for stretch in &tree.stretches {
                    prop_assert_eq!(stretch.from, at);
                    prop_assert!(stretch.to > at || text.is_empty());
                    at = stretch.to;
                    let (from, to) = (stretch.from, stretch.to);
                    for item in stretch.what.iter().flat_map(|l| &l.items) {
                        for command in item.rest.iter().map(|(_, p)| p).chain([&item.first]).flat_map(|p| &p.commands) {
                            prop_assert!(from <= command.at && command.at <= command.end && command.end <= to);
                        }
                    }
                }
                prop_assert_eq!(at, text.len());
            }
        }
    }
}
