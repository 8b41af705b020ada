//! Functions of zsh's that are read from files when they are called first.

use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::content::Content;
use super::hooks::coming_with_it;
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::state::{Function, State};
use super::syntax::{Command, Item, Kind, List};
use super::value::Val;
use crate::host_view::{self, Kind as FileKind};

impl State {
    /// Functions are looked for along a text; along none that is not known.
    pub(super) fn search_along(&mut self, path: &Content) {
        let text = match path {
            Content::Set(Val::Known(text)) => text.clone(),
            _ => Bytes::new(),
        };
        self.searched = Arc::new(text.split(|b| *b == b':').filter(|f| !f.is_empty()).map(|f| text.slice_ref(f)).collect());
    }
}

impl Machine<'_> {
    /// `autoload`: what functions do whose files are read when they are called first is not followed.
    pub(super) fn autoload(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("functions are loaded that are not known") };
        let (options, names): (Vec<_>, Vec<_>) = words.iter().partition(|word| word.first().is_some_and(|b| b"-+".contains(b)));
        // Patterns, and archives of functions.
        if options.iter().any(|option| option.iter().any(|b| b"mw".contains(b))) {
            return self.fog("functions are loaded that are not known");
        }
        // Written as other shells have them, whose files are read in another way.
        if options.iter().any(|option| option.contains(&b'k')) {
            return self.fog("functions are loaded that are not known");
        }
        // Those that it takes; where a function is to be there at once it is an error that it is not.
        if options.iter().any(|option| !option.iter().all(|b| b"-+RTUWdrtz".contains(b))) {
            return self.doubt_status(self.doubt(NOT_TAKEN));
        }
        let is_at_once = options.iter().any(|option| option.contains(&b'R'));
        if is_at_once {
            self.fail_or_go_on(&self.doubt("whether there is such a function"));
        }
        for word in names {
            let name = word.slice(memchr::memrchr(b'/', word).map_or(0, |slash| slash + 1)..);
            if word.starts_with(b"/") {
                self.later.insert(name.clone(), Some(word.clone()));
            } else {
                self.later.insert(name.clone(), None);
            }
            if coming_with_it(&name).is_none() && &name[..] != b"add-zsh-hook" {
                self.load_later(name);
            }
        }
        self.set_status(0);
    }

    pub(super) fn load_later(&mut self, name: Bytes) {
        self.later.entry(name.clone()).or_default();
        if let Some(state) = self.live.as_mut().filter(|state| state.functions.get(&name).is_none()) {
            state.functions.insert(name, None);
        }
    }

    /// The function that a file holds which is read when it is called first: all of the file, or what it defines if it
    /// defines no more than that function (zshmisc(1), «Autoloading Functions»). `None` where it is not known.
    pub(super) fn loaded(&mut self, name: &[u8]) -> Option<Function> {
        let path = match self.later.get(name)?.clone() {
            Some(path) => path,
            None => {
                let searched = self.live.as_ref()?.searched.clone();
                let mut paths = searched.iter().map(|folder| [&folder[..], b"/", name].concat());
                let path = paths.find(|path| self.ground.files.kind(path) != FileKind::Missing)?;
                Bytes::from(path)
            }
        };
        let host_view::Content::Bytes(text) = self.content(&path) else { return None };
        self.read.push(path.clone());
        let source = match self.ground.shells {
            Some(shells) => shells.source(Some(self.dialect), &path, text),
            None => Arc::new(Source::new(path, text)),
        };
        let tree = source.tree(self.dialect);
        if tree.trouble().is_some() {
            return None;
        }
        let items: Vec<Item> = tree.lines().flat_map(|list| list.items.iter().cloned()).collect();
        let own = match &items[..] {
            [item] if item.rest.is_empty() && !item.is_background => match &item.first.commands[..] {
                [Command { kind: Kind::Function(own, body, _), .. }] if own == name => Some(body.clone()),
                _ => None,
            },
            _ => None,
        };
        let end = source.text.len();
        let body =
            own.unwrap_or_else(|| Arc::new(Command { kind: Kind::Group(List { items }), redirects: Vec::new(), at: 0, end }));
        let function = Function { body, source, by_word: true, as_sh: false, epoch: self.epoch, is_held: false };
        self.put_function(Bytes::copy_from_slice(name), Some(function.clone()));
        Some(function)
    }
}

#[cfg(test)]
mod tests {
    use super::super::syntax::Dialect;
    use super::super::trial::after_on;
    use crate::host_view::MemoryTree;

    #[test]
    fn functions_are_read_where_they_are_called_first() {
        let mut tree = MemoryTree::default();
        for (name, text) in [
            ("berth", "X=berth$1; return 3"),
            ("lane", "lane() { X=lane$1; }"),
            ("gate", "gate() { X=gate; }\ngate"),
            ("other", "pier() { X=pier; }"),
            ("broken", "if"),
        ] {
            tree.file(format!("/home/odile/.fn/{name}"), text, false);
        }
        tree.file("/opt/fn/berth", "X=elsewhere", false);
        // What X is then, and whether anything may be set.
        for (text, told, is_open) in [
            ("fpath=(~/.fn $fpath); autoload -Uz berth; berth 7", "berth7", false),
            ("fpath=(~/.fn); autoload berth; berth || X=$X$?", "berth3", false),
            ("fpath=(/opt/fn ~/.fn $fpath); autoload berth; berth", "elsewhere", false),
            ("fpath=(~/.fn /opt/fn); autoload berth; berth", "berth", false),
            ("FPATH=/opt/fn:$HOME/.fn; autoload berth; berth", "elsewhere", false),
            ("autoload -Uz /opt/fn/berth; berth", "elsewhere", false),
            ("fpath=(~/.fn $fpath); autoload lane; lane 1; lane 2", "lane2", false),
            ("fpath=(~/.fn $fpath); autoload gate; gate", "gate", false),
            ("fpath=(~/.fn $fpath); autoload other; X=1; other", "1", false),
            ("fpath=(~/.fn $fpath); autoload other; other; pier", "pier", false),
            ("fpath=($fpath ~/.fn); autoload berth; X=1; berth", "<unknown>", true),
            ("fpath=(~/.fn); autoload none; X=1; none", "<unknown>", true),
            ("fpath=(~/.fn); autoload broken; X=1; broken", "<unknown>", true),
            ("fpath=(~/.fn); autoload -k lane; X=1", "1", true),
            ("fpath=(~/.fn); X=1; berth", "1", false),
        ] {
            let found = after_on(tree.clone(), Dialect::Zsh, text, |machine| {
                (machine.told_value("X"), machine.live.as_ref().is_some_and(|state| state.open.is_some()))
            });
            assert_eq!(found, (told.to_owned(), is_open), "{text}");
        }
    }
}
