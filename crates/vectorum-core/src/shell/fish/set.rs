//! Setting, erasing and exporting, and the account's own folders of programs.

use super::*;

impl Fish<'_> {
    /// Sets a variable. Without a scope it is set where it is, or else in the function, or globally.
    pub(super) fn put(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        items: Vec<Val>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        self.put_var(name, scope, Ok(items), exported, is_path);
    }

    pub(super) fn put_var(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        items: Result<Vec<Val>, Rc<Doubt>>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        if !name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') || name.is_empty() {
            // Letters beyond ASCII are taken, too; which ones is not followed.
            return if name.is_ascii() { self.set_status(2) } else { self.fog("a name with letters beyond ASCII") };
        }
        if matches!(
            name,
            b"status" | b"pipestatus" | b"_" | b"version" | b"FISH_VERSION" | b"fish_pid" | b"history" | b"hostname"
        ) || name == b"SHLVL" && scope != Some(Kept::Global)
        {
            return self.set_status(1);
        }
        let mut site = self.here();
        if let (Some((given, from)), Ok([one])) = (&self.given, items.as_deref())
            && given.contains(one)
        {
            site = from.clone();
        }
        let holders = self.live.iter().flat_map(|s| &s.scopes).filter(|s| s.vars.contains_key(name)).count();
        if scope.is_none() && holders > 1 && self.get(name).is_some_and(|v| v.is_perhaps) {
            return self.blur(name, "which of several variables is set");
        }
        let Some(state) = &mut self.live else { return };
        let has_function = state.scopes.iter().any(|s| s.kind == Kept::Function);
        let index = match scope {
            Some(Kept::Block) => state.scopes.len().checked_sub(1),
            Some(Kept::Function) => state
                .scopes
                .iter()
                .rposition(|s| s.kind == Kept::Function)
                .or_else(|| state.scopes.iter().position(|s| s.kind == Kept::Block))
                .or_else(|| state.scopes.iter().position(|s| s.kind == Kept::Global)),
            Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            None => state.scopes.iter().rposition(|s| s.vars.contains_key(name)).or_else(|| {
                if has_function {
                    state.scopes.iter().rposition(|s| s.kind == Kept::Function)
                } else {
                    state.scopes.iter().position(|s| s.kind == Kept::Global)
                }
            }),
        };
        let Some(scope) = index.and_then(|i| state.scopes.get_mut(i)) else { return };
        let old = scope.vars.get(name);
        let usual = name.ends_with(b"PATH");
        let var = Var {
            items,
            exported: exported.map_or_else(
                || old.map_or(Some(false), |v| if v.is_perhaps && v.exported != Some(false) { None } else { v.exported }),
                Some,
            ),
            is_path: is_path.or(old.map(|v| v.is_path)).unwrap_or(usual),
            is_perhaps: false,
            site: Some(site.clone()),
        };
        let is_path = var.is_path;
        // Items of a path are cut at colons.
        let items = match var.items {
            Ok(items) if is_path => Ok(items
                .into_iter()
                .flat_map(|v| match &v {
                    Val::Known(text) => text.split(|b| *b == b':').map(Val::of).collect::<Vec<_>>(),
                    Val::Unknown(_) => vec![v],
                })
                .collect()),
            other => other,
        };
        let told = match &items {
            Ok(items) => joined(items, if is_path { b":" } else { b" " }),
            Err(doubt) => Val::Unknown(doubt.clone()),
        };
        scope.vars.insert(Bytes::copy_from_slice(name), Var { items, ..var });
        if self.quiet == 0 && self.log.len() < 20_000 {
            self.log.push(Assigned { name: Bytes::copy_from_slice(name), value: Some(told), site, around: self.around.clone() });
        }
        if name == b"fish_user_paths" {
            self.reconstruct();
        }
        // Setting a variable leaves the status as it was.
    }

    pub(super) fn set_command(&mut self, arguments: &[Val], unknown: Option<Rc<Doubt>>) {
        let (mut scope, mut exported, mut is_path) = (None, None, None);
        let (mut erase, mut query, mut append, mut prepend) = (false, false, false, false);
        let mut at = 0;
        while let Some(Val::Known(word)) = arguments.get(at) {
            if !word.starts_with(b"-") || word.len() < 2 {
                break;
            }
            at += 1;
            let mut one = |m: &mut Self, letter: &[u8]| match letter {
                b"l" | b"local" => scope = Some(Kept::Block),
                b"f" | b"function" => scope = Some(Kept::Function),
                b"g" | b"global" => scope = Some(Kept::Global),
                b"U" | b"universal" => scope = Some(Kept::Universal),
                b"x" | b"export" => exported = Some(true),
                b"u" | b"unexport" => exported = Some(false),
                b"e" | b"erase" => erase = true,
                b"q" | b"query" => query = true,
                b"a" | b"append" => append = true,
                b"p" | b"prepend" => prepend = true,
                b"path" => is_path = Some(true),
                b"unpath" => is_path = Some(false),
                b"S" | b"show" | b"n" | b"names" | b"L" | b"long" => m.print(Val::Unknown(m.doubt("what a command prints"))),
                _ => m.fog("an option of «set» that is not followed"),
            };
            if word == &b"--"[..] {
                break;
            }
            if let Some(long) = word.strip_prefix(b"--") {
                one(self, long);
            } else {
                for letter in word.iter().skip(1) {
                    one(self, &[*letter]);
                }
            }
        }
        let names = arguments.get(at..).unwrap_or_default();
        if query {
            let mut missing = 0;
            for name in names {
                let Some(name) = name.known() else { return self.doubt_status("whether the name is set is not known") };
                if name.contains(&b'[') {
                    let (base, index) = name.split_at(memchr::memchr(b'[', name).unwrap_or(0));
                    let index = index
                        .strip_prefix(b"[")
                        .and_then(|i| i.strip_suffix(b"]"))
                        .and_then(|i| std::str::from_utf8(i).ok()?.parse::<usize>().ok());
                    match (self.items(base), index) {
                        (Ok(items), Some(index)) if scope.is_none() => missing += u8::from(index == 0 || index > items.len()),
                        _ => return self.doubt_status("a part of a list"),
                    }
                    continue;
                }
                let found = match scope {
                    None => self.get(name).cloned(),
                    Some(kind) => self
                        .live
                        .as_ref()
                        .and_then(|s| s.scopes.iter().rev().filter(|s| s.kind == kind).find_map(|s| s.vars.get(name).cloned())),
                };
                match found {
                    Some(var) if var.is_perhaps => return self.doubt_status("whether the name is set is not known"),
                    Some(var)
                        if exported == Some(true) && var.exported != Some(true)
                            || exported == Some(false) && var.exported != Some(false) =>
                    {
                        missing += 1;
                    }
                    Some(_) => {}
                    None if self.live.as_ref().is_some_and(|s| s.open.is_some()) => {
                        return self.doubt_status("whether the name is set is not known");
                    }
                    None => missing += 1,
                }
            }
            return self.set_status(missing);
        }
        let Some(Val::Known(name)) = names.first().cloned() else {
            if names.is_empty() {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                return self.set_status(0);
            }
            return self.fog("a variable is set whose name is not known");
        };
        if name.contains(&b'[') {
            let base = name.split(|b| *b == b'[').next().unwrap_or_default().to_vec();
            let doubt = self.doubt("a part of a list");
            return self.put_var(&base, scope, Err(doubt), exported, is_path);
        }
        if erase {
            return self.erase(names, scope);
        }
        let values = names.get(1..).unwrap_or_default().to_vec();
        let mut items = match unknown {
            Some(doubt) => Err(doubt),
            None => Ok(values),
        };
        if append || prepend {
            let old = match scope {
                None => self.items(&name),
                Some(kind) => {
                    let found = self
                        .live
                        .as_ref()
                        .and_then(|s| s.scopes.iter().rev().filter(|s| s.kind == kind).find_map(|s| s.vars.get(&name).cloned()));
                    found.map_or(Ok(Vec::new()), |v| {
                        if v.is_perhaps { Err(self.doubt("whether the name is set is not known")) } else { v.items }
                    })
                }
            };
            items = match (old, items) {
                (Ok(old), Ok(new)) => Ok(match (prepend, append) {
                    (true, true) => [new.clone(), old, new].concat(),
                    (true, false) => [new, old].concat(),
                    _ => [old, new].concat(),
                }),
                (Err(doubt), _) | (_, Err(doubt)) => Err(doubt),
            };
        }
        self.put_var(&name, scope, items, exported, is_path);
    }

    /// From here on nothing is known of a name, in whichever scope.
    fn blur(&mut self, name: &[u8], why: &'static str) {
        let doubt = self.doubt(why);
        for var in self.live.iter_mut().flat_map(|s| s.scopes.iter_mut()).filter_map(|s| s.vars.get_mut(name)) {
            *var = Var { items: Err(doubt.clone()), exported: None, is_perhaps: true, ..var.clone() };
        }
        self.doubt_status(why);
    }

    fn erase(&mut self, names: &[Val], scope: Option<Kept>) {
        let mut status = 0;
        for name in names {
            let Val::Known(name) = name.clone() else { return self.fog("names are erased that are not known") };
            if scope.is_none() && self.get(&name).is_some_and(|v| v.is_perhaps) {
                self.blur(&name, "which of several variables is erased");
                continue;
            }
            let site = self.here();
            let Some(state) = &mut self.live else { return };
            let index = match scope {
                None => state.scopes.iter().rposition(|s| s.vars.contains_key(&name)),
                Some(Kept::Block) => state
                    .scopes
                    .iter()
                    .rposition(|s| matches!(s.kind, Kept::Block | Kept::Function) && s.vars.contains_key(&name)),
                Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            };
            match index.and_then(|i| state.scopes.get_mut(i)).and_then(|s| s.vars.remove(&name)) {
                Some(_) if self.quiet == 0 => {
                    self.log.push(Assigned { name: name.clone(), value: None, site, around: self.around.clone() });
                }
                Some(_) => {}
                None => status = 4,
            }
            if name == b"fish_user_paths"[..] {
                self.reconstruct();
            }
        }
        self.set_status(status);
    }

    pub(super) fn export(&mut self, arguments: &[Val]) {
        self.set_status(0);
        for argument in arguments {
            let Val::Known(text) = argument else { return self.fog("names are exported that are not known") };
            match memchr::memchr(b'=', text) {
                Some(at) => {
                    let (name, value) = (text.slice(..at), text.slice(at + 1..));
                    let is_list = matches!(&name[..], b"PATH" | b"CDPATH" | b"MANPATH");
                    let is_there = self.items(&name).is_ok_and(|i| i.iter().any(|v| v.is_empty() == Some(false)));
                    if is_list && !is_there {
                        let doubt = self.doubt("what «export» makes of a list that is not set");
                        self.put_var(&name, Some(Kept::Global), Err(doubt), Some(true), None);
                        self.doubt_status("what «export» makes of a list that is not set");
                    } else if is_list {
                        let items = value.split(|b| *b == b':').map(Val::of).collect();
                        self.put(&name, Some(Kept::Global), items, Some(true), None);
                        // It splits the text at colons, which fails where there is none.
                        self.set_status(u8::from(!value.contains(&b':')));
                    } else {
                        self.put(&name, Some(Kept::Global), vec![Val::Known(value)], Some(true), None);
                    }
                }
                None => {
                    let items = self.items(text);
                    self.put_var(text, Some(Kept::Global), items, Some(true), None);
                }
            }
        }
    }

    pub(super) fn add_path(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("a folder of programs is added that is not known") };
        let (mut append, mut direct, mut moves, mut scope) = (false, false, false, None);
        let mut folders = Vec::new();
        for word in words {
            match &word[..] {
                b"--append" => append = true,
                b"--path" => direct = true,
                b"--move" => moves = true,
                b"--global" => scope = Some(Kept::Global),
                b"--universal" => scope = Some(Kept::Universal),
                b"--prepend" | b"--verbose" | b"--dry-run" | b"--" => {}
                option if option.starts_with(b"-") => {
                    for letter in option.iter().skip(1) {
                        match letter {
                            b'a' => append = true,
                            b'P' => direct = true,
                            b'm' => moves = true,
                            b'g' => scope = Some(Kept::Global),
                            b'U' => scope = Some(Kept::Universal),
                            b'n' => return self.set_status(0),
                            _ => {}
                        }
                    }
                }
                folder => folders.push(self.full(folder)),
            }
        }
        let name: &[u8] = if direct { b"PATH" } else { b"fish_user_paths" };
        let old = match self.items(name) {
            Ok(old) => old,
            Err(doubt) => return self.put_var(name, Some(Kept::Global), Err(doubt), direct.then_some(true), None),
        };
        let mut new: Vec<Val> = Vec::new();
        let mut rest = old;
        for folder in folders {
            if self.ground.files.kind(&folder) != Kind::Folder {
                continue;
            }
            let value = Val::Known(folder);
            if rest.contains(&value) {
                if !moves {
                    continue;
                }
                rest.retain(|v| *v != value);
            }
            if !new.contains(&value) {
                new.push(value);
            }
        }
        if new.is_empty() {
            return self.set_status(1);
        }
        let items = if append { [rest, new].concat() } else { [new, rest].concat() };
        let has_global =
            self.live.as_ref().is_some_and(|s| s.scopes.iter().any(|s| s.kind == Kept::Global && s.vars.contains_key(name)));
        let scope = if direct || has_global { Kept::Global } else { scope.unwrap_or(Kept::Universal) };
        self.put(name, Some(scope), items, direct.then_some(true), None);
    }

    /// Puts the account's own folders in front of PATH.
    pub(super) fn reconstruct(&mut self) {
        let (added, paths, user) = (self.items(b"__fish_added_user_paths"), self.items(b"PATH"), self.items(b"fish_user_paths"));
        let (Ok(added), Ok(mut paths), Ok(user)) = (added, paths, user) else {
            let doubt = self.doubt("the account's own folders of programs are not known");
            return self.put_var(b"PATH", Some(Kept::Global), Err(doubt), Some(true), None);
        };
        for old in added {
            if let Some(at) = paths.iter().position(|p| *p == old) {
                paths.remove(at);
            }
        }
        let mut new = Vec::new();
        for folder in user.iter().rev() {
            match paths.iter().position(|p| p == folder) {
                Some(at) => {
                    paths.remove(at);
                }
                None => new.push(folder.clone()),
            }
            paths.insert(0, folder.clone());
        }
        self.put(b"__fish_added_user_paths", Some(Kept::Global), new, None, None);
        self.put(b"PATH", Some(Kept::Global), paths, Some(true), None);
    }
}
