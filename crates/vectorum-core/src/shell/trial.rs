//! A shell that follows texts on a made-up host, for tests of what it is made of.

use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::expand::{Expanded, Mode};
use super::frame::Boundary;
use super::initial::state;
use super::machine::Machine;
use super::syntax::Dialect;
use super::touched::Touched;
use super::value::Val;
use super::{Handed, Invocation, Payload, Source, Started};
use crate::block::Block;
use crate::host_view::MemoryTree;
use crate::route::{Account, Ground, Held};

/// Looks at a shell of odile's after it followed a text, on a host that has a few programs of which nobody knows what they
/// print.
pub(super) fn after<T>(dialect: Dialect, text: &str, look: impl FnOnce(&mut Machine<'_>) -> T) -> T {
    after_on(MemoryTree::default(), dialect, text, look)
}

/// The same on a host that has these files, too.
pub(super) fn after_on<T>(tree: MemoryTree, dialect: Dialect, text: &str, look: impl FnOnce(&mut Machine<'_>) -> T) -> T {
    let tree = tree.with_programs("/usr/bin", ["tide-now", "nproc", "date", "cat", "printf", "true"]);
    let [_, account] = Account::made_up("/bin/bash");
    let accounts = [account.clone()];
    let ground = Ground::new(&tree, &accounts);
    let how = Invocation::for_script(dialect, Payload::Script(None));
    let start = Handed::from(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/usr/bin")]));
    let touched = Touched::new(ground.files, &account);
    let begin = state(ground, &account, &start, b"/home/odile", &how);
    let mut machine = Machine::new(ground, &touched, &account, dialect, begin);
    let source = Source::new(Bytes::from_static(b"/trial"), Bytes::copy_from_slice(text.as_bytes()));
    machine.run_source(&Arc::new(source), Boundary::Text);
    look(&mut machine)
}

/// Holds fields to what words come to, in several shells: what is followed before, the word, and its fields with bars
/// between them.
pub(super) fn fields_are(dialects: &[Dialect], rows: &[(&str, &str, &str)]) {
    for (before, word, fields) in rows {
        for dialect in dialects {
            let found = after(*dialect, before, |machine| machine.told_fields(word));
            assert_eq!(found, *fields, "{dialect:?} {before}; {word}");
        }
    }
}

/// Holds shells to what the names `R` and `X` hold once they ran a text, as was measured.
pub(super) fn hold(rows: &[(&[Dialect], &str, [&str; 2])]) {
    let mut wrong = Vec::new();
    for (dialects, text, expected) in rows {
        for dialect in *dialects {
            let found = after(*dialect, text, |machine| ["R", "X"].map(|name| machine.told_value(name)));
            if found != *expected {
                wrong.push(format!("{dialect:?} {text}\n    {found:?}, not {expected:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Holds fish to what it hands on of `OUT` after texts, as was measured.
pub(super) fn hold_fish(rows: &[(&str, &str)]) {
    let told = |(text, out): &(&str, &str)| {
        let found = out_of_fish_on_a_host(text);
        (found != *out).then(|| format!("{text}\n    {found:?}, not {out:?}"))
    };
    let wrong: Vec<String> = rows.iter().filter_map(told).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// What fish hands on of `OUT` after a text, on a host of which nothing else is known.
pub(super) fn out_of_fish(text: &str) -> String {
    out_of_fish_handed(("TERM", "dumb"), text)
}

/// The same where it is handed a name more, or another value of one.
pub(super) fn out_of_fish_handed(handed: (&str, &str), text: &str) -> String {
    let [_, account] = Account::made_up("/usr/bin/fish");
    let usual = [("HOME", "/home/odile"), ("PATH", "/usr/bin")].into_iter().filter(|(name, _)| *name != handed.0);
    let start = Block::from_vars(usual.chain([handed]));
    out(super::one_file::taken_in(None, text.as_bytes(), &account, &start, b"/home/odile"))
}

/// The same on a host that has a few programs and no others.
fn out_of_fish_on_a_host(text: &str) -> String {
    let mut tree = MemoryTree::default().with_programs("/usr/bin", ["true", "false", "cat"]);
    tree.file("/trial", text.to_owned(), false);
    let [_, account] = Account::made_up("/usr/bin/fish");
    let accounts = [account.clone()];
    let ground = Ground::new(&tree, &accounts);
    let how = Invocation::for_script(Dialect::Zsh, Payload::Script(None));
    let start = Handed::from(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/usr/bin")]));
    let started = super::fish::taken_in(ground, &account, &start, b"/trial", b"/home/odile", &how);
    out(started.open.is_none().then_some(started))
}

fn out(started: Option<Started>) -> String {
    let Some(started) = started else { return "<open>".to_owned() };
    match started.decided.over(&Default::default()).get(&b"OUT"[..]).map(|variable| variable.held.clone()) {
        Some(Held::Known(text)) => String::from_utf8_lossy(&text).into_owned(),
        Some(_) => "<unknown>".to_owned(),
        None => started.changed.get(&b"OUT"[..]).map_or_else(|| "none".to_owned(), |last| told_one(&last.value)),
    }
}

impl Machine<'_> {
    /// What a word comes to, which stands as an argument: its fields with bars between them.
    pub(super) fn told_fields(&mut self, word: &str) -> String {
        told(self.with_word(word, |machine, word| {
            let fields = machine.expand(&word.parts, Mode::Fields)?;
            Ok(fields.into_iter().map(super::field::Field::value).collect())
        }))
    }

    /// Does something with a word.
    pub(super) fn with_word<T>(&mut self, word: &str, work: impl FnOnce(&mut Self, &super::syntax::Word) -> T) -> T {
        let text = Bytes::copy_from_slice(word.as_bytes());
        let word = super::parse::Parser::new(&text, self.dialect).word().expect("a word");
        work(self, &word)
    }

    /// What a name stands for; with a question mark, if it may as well not be set. A list is its first item, in zsh all of
    /// them.
    pub(super) fn told_value(&self, name: &str) -> String {
        let content = self.content_of(name.as_bytes());
        if let (Dialect::Zsh, Content::Array(items)) = (self.dialect, &content) {
            return items.iter().map(told_one).collect::<Vec<_>>().join(" ");
        }
        let mark = if matches!(content, Content::Perhaps(Val::Known(_))) { "?" } else { "" };
        content.value().map_or_else(|| "none".to_owned(), |value| told_one(&value) + mark)
    }
}

fn told_one(value: &Val) -> String {
    match value {
        Val::Known(text) => String::from_utf8_lossy(text).into_owned(),
        Val::Unknown(doubt) if doubt.is_number => "<a number>".to_owned(),
        Val::Unknown(_) => "<unknown>".to_owned(),
    }
}

fn told(values: Expanded<Vec<Val>>) -> String {
    match values {
        Ok(values) => values.iter().map(told_one).collect::<Vec<_>>().join("|"),
        Err(_) => "<any>".to_owned(),
    }
}
