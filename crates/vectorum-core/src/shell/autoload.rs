//! Functions that are read from files when they are called first.

use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::content::Content;
use super::declared::{Declared, name_of};
use super::frame::Boundary;
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::one_of::ONE_OR_ANOTHER;
use super::state::{Function, State};
use super::syntax::{Command, Dialect, Item, Kind, List};
use super::value::{Doubt, Val};
use crate::host_view::{self, Kind as FileKind};

/// Why a function is not known.
const NO_FUNCTIONS: &str = "where functions are looked for is not known";

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
        // Its body is read at once, and none of it run.
        let is_read = options.iter().any(|option| option.starts_with(b"+") && option.contains(&b'X'));
        if is_read {
            self.doubt_status(self.doubt("whether there is such a function"));
        }
        // Those that it takes; where a function is to be there at once it is an error that it is not.
        if options.iter().any(|option| !option.iter().all(|b| b"-+RTUWdrtz".contains(b) || is_read && *b == b'X')) {
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
            self.load_later(name);
        }
        if !is_read {
            self.set_status(0);
        }
    }

    /// `typeset -fu`: functions are defined whose bodies are in files. Returns whether that is what it is.
    pub(super) fn declares_later(&mut self, given: &[Declared]) -> bool {
        let is_option =
            |declared: &&Declared| matches!(declared, Declared::Text(text) if text.starts_with(b"-") && text.len() > 1);
        let (options, names) = given.split_at(given.iter().take_while(is_option).count());
        let has = |letter: &[u8]| options.iter().any(|option| name_of(option).iter().any(|b| letter.contains(b)));
        let declares = match self.dialect {
            Dialect::Zsh => has(b"f") && has(b"uU"),
            Dialect::Mksh | Dialect::Ksh => has(b"f") && has(b"u"),
            Dialect::Bash | Dialect::Dash => false,
        };
        let is_plain = |declared: &Declared| matches!(declared, Declared::Text(_));
        if !declares || names.is_empty() || !names.iter().all(is_plain) {
            return false;
        }
        match self.dialect {
            Dialect::Zsh => {
                let words: Vec<Bytes> = names.iter().map(name_of).collect();
                self.autoload(Some(&words));
            }
            // They are looked for where they are called.
            _ => {
                self.later.extend(names.iter().map(|declared| (name_of(declared), None)));
                self.set_status(0);
            }
        }
        true
    }

    /// The file of a function that nobody defined, which ksh and mksh look for along `FPATH` where no program is called so
    /// (ksh(1), mksh(1), «FPATH»); an error where that is not known.
    pub(super) fn function_file(&mut self, name: &[u8]) -> Result<Option<Bytes>, Arc<Doubt>> {
        if !matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) || name.contains(&b'/') {
            return Ok(None);
        }
        if self.taken_aside.contains(name) {
            return Err(self.doubt(NO_FUNCTIONS));
        }
        let Some(folders) = self.function_folders()? else { return Ok(None) };
        for folder in folders.split(|byte| *byte == b':') {
            // None is the working folder in mksh alone (measured: R59, 93u+m).
            let folder = match folder {
                b"" if self.dialect == Dialect::Ksh => continue,
                b"" => b".",
                folder => folder,
            };
            let Some(path) = self.full(&[folder, b"/", name].concat()) else { return Err(self.doubt(NO_FUNCTIONS)) };
            match self.ground.files.kind(&path) {
                FileKind::File | FileKind::Program => return Ok(Some(path)),
                FileKind::Unknown => return Err(self.doubt(NO_FUNCTIONS)),
                _ => {}
            }
        }
        Ok(None)
    }

    /// Whether ksh takes a program for the file of a function, as it does in folders that `FPATH` names, too.
    pub(super) fn may_be_function_file(&self, path: &[u8]) -> bool {
        if self.dialect != Dialect::Ksh {
            return false;
        }
        let folder = path.get(..memchr::memrchr(b'/', path).unwrap_or_default()).unwrap_or_default();
        let names = |folders: Option<Bytes>| folders.is_some_and(|f| f.split(|byte| *byte == b':').any(|other| other == folder));
        self.function_folders().map_or(true, names)
    }

    /// Where such functions are looked for, if anywhere.
    fn function_folders(&self) -> Result<Option<Bytes>, Arc<Doubt>> {
        let is_own = |name: &[u8]| self.live.as_ref()?.vars.get(name).map(|var| var.site.is_none());
        match self.content_of(b"FPATH") {
            Content::Set(Val::Known(folders)) => Ok(Some(folders)),
            Content::Unset => Ok(None),
            Content::Perhaps(_) if is_own(b"FPATH") == Some(true) => Ok(None),
            _ => Err(self.doubt(NO_FUNCTIONS)),
        }
    }

    /// Takes in the file of such a function, and calls it.
    pub(super) fn load_and_call(&mut self, name: &[u8], path: &[u8], arguments: &[Val]) {
        // What it declares is a function's own there (measured: R59).
        let declares =
            |text: &[u8]| [&b"typeset"[..], b"local", b"declare"].iter().any(|word| memchr::memmem::find(text, word).is_some());
        if self.dialect == Dialect::Mksh && matches!(self.content(path), host_view::Content::Bytes(text) if declares(&text)) {
            return self.fog(ONE_OR_ANOTHER);
        }
        // Whether it is still there behind a shell of its own differs (measured: 93u+m).
        if self.dialect == Dialect::Ksh && self.quiet > 0 {
            self.taken_aside.insert(Bytes::copy_from_slice(name));
        }
        self.through(|m| m.run_file(path, Boundary::Text));
        match self.live.as_ref().map(|state| state.functions.get(name).cloned()) {
            None => {}
            Some(Some(Some(function))) => self.call_by_name(name, &function, arguments),
            Some(Some(None)) => self.fog(NO_FUNCTIONS),
            // It is an error that it is not defined there (measured: 93u+m).
            Some(None) if self.dialect == Dialect::Ksh => self.fail_perhaps("a function that its file does not define"),
            Some(None) => self.set_status(127),
        }
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

    #[test]
    fn functions_are_looked_for_where_no_program_is() {
        let mut tree = MemoryTree::default();
        for (name, text) in
            [("berth", "X=read\nberth() { X=$X$1; }"), ("lane", "function lane { X=lane$1; return 3; }"), ("none", "X=1")]
        {
            tree.file(format!("/home/odile/.fn/{name}"), text, false);
        }
        for (dialect, text, told) in [
            (Dialect::Ksh, "FPATH=~/.fn; autoload berth; berth 7", "read7"),
            (Dialect::Mksh, "FPATH=/opt:~/.fn; berth 7; berth 8", "read78"),
            (Dialect::Ksh, "FPATH=$HOME/.fn; lane 1 || X=$X$?", "lane13"),
            (Dialect::Mksh, "FPATH=$HOME/.fn; lane 1 || X=$X$?", "lane13"),
            (Dialect::Mksh, "FPATH=~/.fn; none; X=$X$?", "1127"),
            (Dialect::Ksh, "FPATH=$(tide-now); X=1; berth", "<unknown>"),
            (Dialect::Ksh, "FPATH=~/.fn; command -v berth; X=$?", "0"),
            (Dialect::Bash, "FPATH=~/.fn; X=0; berth; X=$?", "127"),
            (Dialect::Mksh, "berth; X=$?", "127"),
        ] {
            assert_eq!(after_on(tree.clone(), dialect, text, |machine| machine.told_value("X")), told, "{dialect:?} {text}");
        }
    }
}
