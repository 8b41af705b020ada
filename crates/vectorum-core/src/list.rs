//! Variables that hold lists: which they are, what separates their items, what is wrong with one.

use std::collections::HashMap;

use bytes::Bytes;

use crate::host_view::{HostView, Kind};

/// What the items of a list are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Members {
    /// Folders that are searched for programs.
    ProgramFolders,
    /// Folders that are searched for anything else.
    Folders,
    /// Files.
    Files,
    /// Words, patterns, settings.
    Words,
}

/// How one list is written and what it holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ListKind {
    /// The byte between two items.
    pub separator: u8,
    /// What the items are.
    pub members: Members,
    /// Whether an empty item stands for the current folder (execvp(3), ld.so(8), bash(1) on
    /// CDPATH). Elsewhere it is nothing or a default.
    pub empty_is_current: bool,
}

const fn kind(separator: u8, members: Members, empty_is_current: bool) -> ListKind {
    ListKind { separator, members, empty_is_current }
}

/// The names that are lists everywhere, with the rule of the program that reads them.
const KNOWN: &[(&str, ListKind)] = &[
    ("PATH", kind(b':', Members::ProgramFolders, true)),
    ("CDPATH", kind(b':', Members::Folders, true)),
    ("LD_LIBRARY_PATH", kind(b':', Members::Folders, true)),
    ("LD_PRELOAD", kind(b':', Members::Files, false)),
    ("LIBRARY_PATH", kind(b':', Members::Folders, true)),
    ("CPATH", kind(b':', Members::Folders, true)),
    ("C_INCLUDE_PATH", kind(b':', Members::Folders, true)),
    ("CPLUS_INCLUDE_PATH", kind(b':', Members::Folders, true)),
    ("PKG_CONFIG_PATH", kind(b':', Members::Folders, false)),
    ("MANPATH", kind(b':', Members::Folders, false)),
    ("INFOPATH", kind(b':', Members::Folders, false)),
    ("FPATH", kind(b':', Members::Folders, false)),
    ("MAILPATH", kind(b':', Members::Files, false)),
    ("PYTHONPATH", kind(b':', Members::Folders, true)),
    ("PERL5LIB", kind(b':', Members::Folders, false)),
    ("RUBYLIB", kind(b':', Members::Folders, false)),
    ("NODE_PATH", kind(b':', Members::Folders, false)),
    ("CLASSPATH", kind(b':', Members::Words, true)),
    ("GOPATH", kind(b':', Members::Folders, false)),
    ("LUA_PATH", kind(b';', Members::Words, false)),
    ("LUA_CPATH", kind(b';', Members::Words, false)),
    ("TEXINPUTS", kind(b':', Members::Folders, false)),
    ("TERMINFO_DIRS", kind(b':', Members::Folders, false)),
    ("XDG_DATA_DIRS", kind(b':', Members::Folders, false)),
    ("XDG_CONFIG_DIRS", kind(b':', Members::Folders, false)),
    ("XDG_CURRENT_DESKTOP", kind(b':', Members::Words, false)),
    ("LANGUAGE", kind(b':', Members::Words, false)),
    ("HISTIGNORE", kind(b':', Members::Words, false)),
    ("GLOBIGNORE", kind(b':', Members::Words, false)),
    ("FIGNORE", kind(b':', Members::Words, false)),
    ("SHELLOPTS", kind(b':', Members::Words, false)),
    ("BASHOPTS", kind(b':', Members::Words, false)),
    ("LS_COLORS", kind(b':', Members::Words, false)),
    ("GREP_COLORS", kind(b':', Members::Words, false)),
    ("GCC_COLORS", kind(b':', Members::Words, false)),
    ("no_proxy", kind(b',', Members::Words, false)),
    ("NO_PROXY", kind(b',', Members::Words, false)),
    ("RUST_LOG", kind(b',', Members::Words, false)),
    ("STATE_DIRECTORY", kind(b':', Members::Folders, false)),
    ("RUNTIME_DIRECTORY", kind(b':', Members::Folders, false)),
    ("CACHE_DIRECTORY", kind(b':', Members::Folders, false)),
    ("LOGS_DIRECTORY", kind(b':', Members::Folders, false)),
    ("CONFIGURATION_DIRECTORY", kind(b':', Members::Folders, false)),
];

impl ListKind {
    /// Returns how a variable is a list, or `None` if it is none.
    ///
    /// Known names are lists whatever they hold. Another name is one if it ends like one (`PATH`,
    /// `DIRS`) and the value has at least two items that all look like paths.
    pub fn of(name: &[u8], value: &[u8]) -> Option<ListKind> {
        if let Some((_, known)) = KNOWN.iter().find(|(n, _)| n.as_bytes() == name) {
            return Some(*known);
        }
        let named_so = [&b"PATH"[..], b"_DIRS", b"_FOLDERS"].iter().any(|end| name.ends_with(end));
        let guess = kind(b':', Members::Folders, false);
        let mut items = guess.items(value).into_iter();
        let shaped_so = items.len() > 1 && items.all(|i| matches!(i.first(), None | Some(b'/' | b'.' | b'~' | b'$')));
        (named_so && shaped_so).then_some(guess)
    }

    /// Returns the kind for a name of which no value is known: what an item added to it needs.
    pub fn for_name(name: &[u8]) -> ListKind {
        ListKind::of(name, b"/:/").unwrap_or(kind(b':', Members::Words, false))
    }

    /// Cuts a value into its items. An empty value has none.
    pub fn items<'a>(&self, value: &'a [u8]) -> Vec<&'a [u8]> {
        if value.is_empty() { Vec::new() } else { value.split(|b| *b == self.separator).collect() }
    }

    /// Joins items to a value, the inverse of [`ListKind::items`] for items that are not one
    /// single empty one.
    pub fn join<I: AsRef<[u8]>>(&self, items: &[I]) -> Vec<u8> {
        let mut out = Vec::new();
        for (at, item) in items.iter().enumerate() {
            if at > 0 {
                out.push(self.separator);
            }
            out.extend_from_slice(item.as_ref());
        }
        out
    }
}

/// What is wrong with one item of a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ItemTrouble {
    /// Nothing is there.
    Missing,
    /// It is there and is no folder.
    NotAFolder,
    /// The same text stands earlier, as the item with this index.
    Double(usize),
    /// An earlier item, with this index, leads to the same folder through a link.
    SameFolder(usize),
    /// The empty item: the current folder, wherever that is.
    EmptyIsCurrent,
    /// The empty item where it means nothing or a default.
    Empty,
    /// A path that depends on the current folder.
    Relative,
    /// Programs of this folder that are found earlier, each with the index of the item that wins.
    Hidden(Vec<(Bytes, usize)>),
}

/// One item of a list with all that is wrong with it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Item {
    /// The item's bytes.
    pub text: Bytes,
    /// What is wrong, the gravest first.
    pub troubles: Vec<ItemTrouble>,
}

impl Item {
    /// Whether something deserves a second look. An item that only hides nothing new, as
    /// programs present in two folders do, is usual and not counted.
    pub fn is_troubled(&self) -> bool {
        self.troubles.iter().any(|t| !matches!(t, ItemTrouble::Hidden(_) | ItemTrouble::SameFolder(_)))
    }
}

impl ListKind {
    /// Returns the items of a value with their troubles, as the host shows them.
    pub fn inspect(&self, value: &[u8], host: &dyn HostView) -> Vec<Item> {
        let mut seen: HashMap<&[u8], usize> = HashMap::new();
        let mut folders: HashMap<Bytes, usize> = HashMap::new();
        let mut found: HashMap<Bytes, usize> = HashMap::new();
        let mut out = Vec::new();
        for (index, text) in self.items(value).into_iter().enumerate() {
            let mut troubles = Vec::new();
            let earlier = *seen.entry(text).or_insert(index);
            if text.is_empty() && self.members != Members::Words {
                troubles.push(if self.empty_is_current { ItemTrouble::EmptyIsCurrent } else { ItemTrouble::Empty });
            } else if earlier < index {
                troubles.push(ItemTrouble::Double(earlier));
            } else if self.members != Members::Words {
                self.inspect_path(index, text, host, &mut folders, &mut found, &mut troubles);
            }
            out.push(Item { text: Bytes::copy_from_slice(text), troubles });
        }
        out
    }

    fn inspect_path(
        &self,
        index: usize,
        path: &[u8],
        host: &dyn HostView,
        folders: &mut HashMap<Bytes, usize>,
        found: &mut HashMap<Bytes, usize>,
        troubles: &mut Vec<ItemTrouble>,
    ) {
        if path.first() != Some(&b'/') {
            // A preloaded library without a slash is searched for in the library folders.
            if self.members != Members::Files {
                troubles.push(ItemTrouble::Relative);
            }
            return;
        }
        match host.kind(path) {
            Kind::Missing => troubles.push(ItemTrouble::Missing),
            Kind::Folder if self.members != Members::Files => {
                if let Some(real) = host.real_path(path) {
                    let earlier = *folders.entry(real).or_insert(index);
                    if earlier < index {
                        troubles.push(ItemTrouble::SameFolder(earlier));
                        return;
                    }
                }
                if self.members == Members::ProgramFolders {
                    let mut hidden = Vec::new();
                    for program in host.programs(path).unwrap_or_default() {
                        let winner = *found.entry(program.clone()).or_insert(index);
                        if winner < index {
                            hidden.push((program, winner));
                        }
                    }
                    if !hidden.is_empty() {
                        hidden.sort();
                        troubles.push(ItemTrouble::Hidden(hidden));
                    }
                }
            }
            Kind::Program | Kind::File | Kind::Other if self.members != Members::Files => {
                troubles.push(ItemTrouble::NotAFolder);
            }
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn which_names_are_lists() {
        for (name, value, separator) in [
            ("PATH", "/bin", Some(b':')),
            ("PATH", "", Some(b':')),
            ("LUA_PATH", "./?.lua;;", Some(b';')),
            ("no_proxy", "localhost,.pier.example", Some(b',')),
            ("BERTH_PLUGIN_PATH", "/opt/a:/opt/b", Some(b':')),
            ("BERTH_PLUGIN_PATH", "/opt/a", None),
            ("SSL_CERT_PATH", "C:xyz", None),
            ("BERTH_DB_URL", "postgres://a:b@c/d", None),
        ] {
            let kind = ListKind::of(name.as_bytes(), value.as_bytes());
            assert_eq!(kind.map(|k| k.separator), separator, "{name}={value}");
        }
        assert_eq!(ListKind::for_name(b"X_PATH").members, Members::Folders);
    }

    #[test]
    fn troubles_of_items() {
        use ItemTrouble::*;
        let mut host = MemoryTree::default()
            .with_programs("/usr/local/bin", ["python3", "tide"])
            .with_programs("/usr/bin", ["ls", "python3"])
            .with_programs("/opt", ["readme"]);
        host.link("/bin", "/usr/bin");
        let path = b"/usr/local/bin:/usr/bin:/bin::bin:/nowhere:/usr/bin:/opt/readme";
        let kind = ListKind::for_name(b"PATH");
        let troubles: Vec<_> = kind.inspect(path, &host).into_iter().map(|i| i.troubles).collect();
        assert_eq!(
            troubles,
            [
                vec![],
                vec![Hidden(vec![(Bytes::from_static(b"python3"), 0)])],
                vec![SameFolder(1)],
                vec![EmptyIsCurrent],
                vec![Relative],
                vec![Missing],
                vec![Double(1)],
                vec![NotAFolder],
            ]
        );
        let manpath = ListKind::for_name(b"MANPATH").inspect(b"/opt:", &host);
        assert_eq!(manpath[1].troubles, [Empty]);
        let words = ListKind::for_name(b"LANGUAGE").inspect(b"de::de", &host);
        assert_eq!(words.iter().map(|i| i.troubles.clone()).collect::<Vec<_>>(), [vec![], vec![], vec![Double(0)]]);
    }

    use crate::host_view::MemoryTree;

    proptest! {
        #[test]
        fn items_join_to_the_value(value in "[a-c/:]{0,12}") {
            let kind = ListKind::for_name(b"PATH");
            prop_assert_eq!(kind.join(&kind.items(value.as_bytes())), value.clone().into_bytes());
            let inspected = kind.inspect(value.as_bytes(), &MemoryTree::default());
            prop_assert_eq!(inspected.len(), kind.items(value.as_bytes()).len());
        }
    }
}
