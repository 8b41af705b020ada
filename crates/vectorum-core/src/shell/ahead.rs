//! Files that a shell is about to take in, read on another thread while those before them are followed. What comes of
//! it is the same without: a file that is not read yet when it is asked for is read then.

use std::sync::Arc;
use std::thread;

use bytes::Bytes;

use super::Source;
use super::content::{Content, Var};
use super::machine::Machine;
use super::syntax::{Change, Command, Dialect, Kind, List, Part, Word};
use super::value::Val;
use crate::host_view;

/// Less text than this is not worth a thread.
const LEAST: usize = 1 << 15;

/// More files are not read ahead.
const MOST: usize = 1000;

/// How deep in each other commands are looked at.
const DEEPEST: usize = 20;

/// To read takes longer than to follow: so many of the files, one is left to whoever follows them, so that none waits
/// for the other.
const SHARE: usize = 5;

/// Reads files in their order on a thread of their own; without a dialect they are fish's.
pub(super) fn read(dialect: Option<Dialect>, sources: Vec<Arc<Source>>) {
    if sources.len() < 2 || sources.iter().map(|source| source.text.len()).sum::<usize>() < LEAST {
        return;
    }
    let read = move || {
        for source in sources.iter().enumerate().filter(|(place, _)| place % SHARE != 0).map(|(_, source)| source) {
            match dialect {
                Some(dialect) => drop(source.tree(dialect)),
                None => drop(source.jobs()),
            }
        }
    };
    // Where no thread can be had, each file is read when it is asked for.
    drop(thread::Builder::new().name("reading ahead".to_owned()).spawn(read));
}

/// The words of commands that take a file in.
fn taken_in<'a>(list: &'a List, depth: usize, found: &mut Vec<&'a Word>) {
    if depth > DEEPEST || found.len() > MOST {
        return;
    }
    let pipelines = list.items.iter().flat_map(|item| item.pipelines());
    for Command { kind, .. } in pipelines.flat_map(|pipeline| &pipeline.commands) {
        let lists: Vec<&List> = match kind {
            Kind::Simple(_, words) => {
                if let [name, file, ..] = &words[..]
                    && matches!(name.literal(), Some(b"." | b"source"))
                {
                    found.push(file);
                }
                continue;
            }
            Kind::Group(list) | Kind::For(.., list) | Kind::Repeat(_, list) | Kind::While(.., list) => vec![list],
            Kind::Always(list, always) => vec![list, always],
            Kind::If(arms, last) => arms.iter().map(|(_, then)| then).chain(last).collect(),
            Kind::Case(_, arms) => arms.iter().map(|arm| &arm.body).collect(),
            _ => continue,
        };
        lists.into_iter().for_each(|list| taken_in(list, depth + 1, found));
    }
}

impl Machine<'_> {
    /// Has the files read that commands take in, as far as their names can be told now: for each value of a variable,
    /// if one is given.
    pub(super) fn read_ahead<'a>(&self, lists: impl IntoIterator<Item = &'a List>, of: Option<(&[u8], &[Val])>) {
        let Some(shells) = self.ground.shells else { return };
        let files = self.files_ahead(lists, of).into_iter().filter_map(|path| match self.content(&path) {
            host_view::Content::Bytes(text) => Some(shells.source(Some(self.dialect), &path, text)),
            _ => None,
        });
        read(Some(self.dialect), files.collect());
    }

    fn files_ahead<'a>(&self, lists: impl IntoIterator<Item = &'a List>, of: Option<(&[u8], &[Val])>) -> Vec<Bytes> {
        let mut words = Vec::new();
        lists.into_iter().for_each(|list| taken_in(list, 0, &mut words));
        if words.is_empty() {
            return Vec::new();
        }
        let bindings: Vec<Option<(&[u8], &Val)>> = match of {
            Some((name, values)) => values.iter().map(|value| Some((name, value))).collect(),
            None => vec![None],
        };
        let paths = bindings.iter().flat_map(|bound| words.iter().filter_map(|word| self.path_ahead(&word.parts, *bound)));
        let is_file = |path: &Bytes| {
            let kind = self.ground.files.kind(path);
            path.starts_with(b"/") && matches!(kind, host_view::Kind::File | host_view::Kind::Program)
        };
        paths.take(MOST).filter(is_file).collect()
    }

    /// Puts parts of a word together, as far as nothing more is needed than what variables hold now.
    fn path_ahead(&self, parts: &[Part], bound: Option<(&[u8], &Val)>) -> Option<Bytes> {
        let vars = &self.live.as_ref()?.vars;
        let value = |name: &[u8]| match (bound, vars.at_last(name).as_deref()) {
            (Some((of, value)), _) if of == name => value.known().cloned(),
            (_, Some(Var { content: Content::Set(Val::Known(text)), .. })) => Some(text.clone()),
            _ => None,
        };
        let mut path = Vec::new();
        for (place, part) in parts.iter().enumerate() {
            match part {
                Part::Text(text) if place == 0 && text.starts_with(b"~/") => {
                    path.extend(value(b"HOME")?);
                    path.extend(text.get(1..)?);
                }
                Part::Text(text) | Part::Quoted(text) => path.extend(text.iter()),
                Part::Double(parts) => path.extend(self.path_ahead(parts, bound)?),
                Part::Parameter(parameter)
                    if parameter.change == Change::None && parameter.key.is_none() && !parameter.is_indirect =>
                {
                    path.extend(value(&parameter.name)?);
                }
                _ => return None,
            }
        }
        Some(path.into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Block;
    use crate::host_view::MemoryTree;
    use crate::route::{Account, Ground};
    use crate::shell::initial::state;
    use crate::shell::touched::Touched;
    use crate::shell::{Handed, Invocation, Payload, Tree};

    #[test]
    fn files_that_will_be_taken_in_are_found() {
        let mut tree = MemoryTree::default();
        for path in ["/etc/gate.sh", "/home/odile/.tide", "/home/odile/lanes/1", "/home/odile/lanes/2"] {
            tree.file(path, "", false);
        }
        let (uid, home) = (1000, Bytes::from_static(b"/home/odile"));
        let account = Account { name: "odile".into(), uid, gid: uid, home, shell: "/bin/bash".into() };
        let accounts = [account.clone()];
        let ground = Ground::new(&tree, &accounts);
        let dialect = Dialect::Bash;
        let (is_login, payload) = (true, Payload::Typed);
        let how = Invocation {
            dialect,
            program: Bytes::new(),
            as_sh: false,
            is_login,
            is_interactive: true,
            on_socket: false,
            payload,
        };
        let start = Handed::from(&Block::from_vars([("HOME", "/home/odile"), ("LANES", "/home/odile/lanes")]));
        let touched = Touched::new(ground.files, &account);
        let begin = state(ground, &account, &start, b"/home/odile", &how);
        let machine = Machine::new(ground, &touched, &account, dialect, begin);
        let values = ["1", "2", "/etc/gate.sh"].map(Val::of);
        for (text, found) in [
            (". /etc/gate.sh", "/etc/gate.sh"),
            ("[ -r ~/.tide ] && source ~/.tide", "/home/odile/.tide"),
            ("if x; then . $HOME/.tide; elif y; then . \"$HOME\"/'.tide'; fi", "/home/odile/.tide /home/odile/.tide"),
            ("case $x in a) . \"$LANES/$lane\";; esac", "/home/odile/lanes/1 /home/odile/lanes/2"),
            ("while x; do { . $lane; }; done", "/etc/gate.sh"),
            (". /etc/none; . /etc; . $(tide); . ${LANES%s}; echo . /etc/gate.sh; . gate.sh; .", ""),
        ] {
            let read = Tree::of(&Bytes::from(text), dialect);
            let paths = machine.files_ahead(read.lines(), Some((b"lane", &values)));
            let mut told: Vec<_> = paths.iter().map(|path| String::from_utf8_lossy(path).into_owned()).collect();
            // What does not hang on the variable is found for each of its values.
            told.truncate(if text.contains("lane") { told.len() } else { told.len() / values.len() });
            assert_eq!(told.join(" "), found, "{text}");
        }
        assert_eq!(machine.live.as_ref().map(|state| state.vars.at_last(b"lane").is_some()), Some(false));
    }

    #[test]
    fn much_text_is_read_on_another_thread_and_little_is_not() {
        let source = |length: usize| Arc::new(Source::new(Bytes::from_static(b"/rc"), "GATE=7\n".repeat(length).into()));
        for (dialect, lines, is_read) in [(Some(Dialect::Zsh), 5000, true), (None, 5000, true), (Some(Dialect::Zsh), 5, false)] {
            let sources = [source(lines), source(lines)];
            read(dialect, sources.to_vec());
            let is_known = |source: &Arc<Source>| source.tree.get().is_some() || source.jobs.get().is_some();
            // The thread has the last of the others.
            while is_read && sources.iter().any(|source| Arc::strong_count(source) > 1) {
                thread::yield_now();
            }
            // The first is left to whoever asks for it.
            assert_eq!(sources.iter().map(is_known).collect::<Vec<_>>(), [false, is_read], "{dialect:?} {lines}");
        }
    }
}
