//! Functions that come with fish and set variables: `setenv`, `export`, and the account's own folders of programs.

use super::super::folder::plain_path;
use super::set::is_locked;
use super::*;

impl Fish<'_> {
    /// `setenv`, which fish has for those who come from another shell.
    pub(super) fn setenv(&mut self, known: Option<&[Bytes]>) {
        if self.doubt_odd_names(known.into_iter().flatten().take(1).map(|name| &name[..])) {
            return;
        }
        match known {
            Some([name]) => self.put(name, Some(Kept::Global), vec![Val::of(b"")], Some(true), None),
            Some([name, value]) => self.put(name, Some(Kept::Global), vec![Val::Known(value.clone())], Some(true), None),
            Some(_) => {}
            None => return self.fog("a variable is set whose name is not known"),
        }
        self.doubt_status("how a function of fish ends");
    }

    /// Whether a name is that of a variable of a block or a function.
    fn is_local(&self, name: &[u8]) -> bool {
        let scopes = self.live.iter().flat_map(|state| state.scopes.iter().rev());
        let nearest = scopes.into_iter().find(|scope| scope.vars.get(name).is_some());
        nearest.is_some_and(|scope| matches!(scope.kind, Kept::Block | Kept::Function))
    }

    /// Names that are none, of which the functions of fish that set variables make what they make.
    fn doubt_odd_names<'v>(&mut self, mut names: impl Iterator<Item = &'v [u8]>) -> bool {
        // They have arguments of their own, too.
        let is_odd = names.any(|name| !crate::reader::is_portable(name) || name == b"argv");
        if is_odd {
            self.fog("a variable is set by what is no name");
        }
        is_odd
    }

    pub(super) fn export(&mut self, arguments: &[Val]) {
        let name_of = |text: &'_ Bytes| text.slice(..memchr::memchr(b'=', text).unwrap_or(text.len()));
        let names: Vec<Bytes> = arguments.iter().filter_map(Val::known).map(name_of).collect();
        if self.doubt_odd_names(names.iter().map(|name| &name[..])) {
            return;
        }
        self.set_status(0);
        for argument in arguments {
            let Val::Known(text) = argument else { return self.fog("names are exported that are not known") };
            match memchr::memchr(b'=', text) {
                Some(at) => {
                    let (name, value) = (text.slice(..at), text.slice(at + 1..));
                    if is_locked(&name) {
                        self.doubt_status("a name that fish does not let be set");
                        continue;
                    }
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
                None if is_locked(text) => self.doubt_status("a name that fish does not let be set"),
                None => {
                    // What is local where it is called is not seen there.
                    let items =
                        if self.is_local(text) { Err(self.doubt("what a function of fish sees")) } else { self.items(text) };
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
                b"--dry-run" => return self.doubt_status("an option that is not followed"),
                b"--prepend" | b"--verbose" | b"--" => {}
                option if option.starts_with(b"-") => {
                    for letter in option.iter().skip(1) {
                        match letter {
                            b'a' => append = true,
                            b'P' => direct = true,
                            b'm' => moves = true,
                            b'g' => scope = Some(Kept::Global),
                            b'U' => scope = Some(Kept::Universal),
                            b'p' | b'v' => {}
                            // It only tells, or is none.
                            _ => return self.doubt_status("an option that is not followed"),
                        }
                    }
                }
                path if self.touched.is_touched(&self.full(path)) => {
                    self.fog("a folder of programs is added that may have been made");
                    return;
                }
                // Signs for folders are worked out without asking the system, as `realpath -s` does.
                folder => folders.push(plain_path(&self.full(folder))),
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
            match self.ground.files.kind(&folder) {
                Kind::Folder => {}
                Kind::Unknown => {
                    let doubt = self.doubt("a folder may not be seen");
                    return self.put_var(name, Some(Kept::Global), Err(doubt), direct.then_some(true), None);
                }
                _ => continue,
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
            self.live.as_ref().is_some_and(|s| s.scopes.iter().any(|s| s.kind == Kept::Global && s.vars.contains(name)));
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

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn functions_that_come_with_it_set_variables() {
        hold_fish(&[
            ("setenv OUT a", "a"),
            ("setenv OUT", ""),
            ("set -g OUT a b; setenv OUT c", "c"),
            ("set -g OUT a; export OUT", "a"),
            ("set OUT a b; export OUT", "a b"),
            ("export OUT=a=b", "a=b"),
            ("export OUT= A=b", ""),
            ("begin; set -l OUT a; export OUT=b; end", "b"),
            ("export OUT=a; set -e OUT", "none"),
            ("export OUT=a:b; set OUT $OUT c", "a:b c"),
            ("set -gx PATH /usr/bin; export PATH=/a:/b; set -gx OUT $PATH $status", "/a /b 0"),
            ("set -gx PATH /usr/bin; export PATH=/a; set -gx OUT $PATH $status", "/a 1"),
            ("set -gx PATH /usr/bin; fish_add_path -P /usr; set -gx OUT $PATH $status", "/usr /usr/bin 0"),
            ("set -gx PATH /usr/bin; fish_add_path -aP /usr; set -gx OUT $PATH", "/usr/bin /usr"),
            ("set -gx PATH /usr/bin /usr; fish_add_path -P /usr; set -gx OUT $PATH $status", "/usr/bin /usr 1"),
            ("set -gx PATH /usr/bin /usr; fish_add_path -mP /usr; set -gx OUT $PATH", "/usr /usr/bin"),
            ("set -gx PATH /usr/bin; fish_add_path -P /none; set -gx OUT $PATH $status", "/usr/bin 1"),
            ("set -gx PATH /usr/bin; fish_add_path -P /usr/../usr/ /usr; set -gx OUT $PATH", "/usr /usr/bin"),
            ("set -gx PATH /usr/bin; fish_add_path -g /usr; set -gx OUT $PATH - $fish_user_paths", "/usr /usr/bin - /usr"),
            (
                "set -gx PATH /b; set -g fish_user_paths /usr; fish_add_path -a /usr/bin; set -gx OUT $PATH - $fish_user_paths",
                "/usr /usr/bin /b - /usr /usr/bin",
            ),
            ("set -gx PATH /usr/bin; set -g fish_user_paths /a /b; set -e fish_user_paths[1]; set -gx OUT $PATH", "/b /usr/bin"),
            ("set -gx PATH /usr/bin /a; set -g fish_user_paths /a; set -gx OUT $PATH", "/a /usr/bin"),
            ("set -gx PATH /usr/bin; set -g fish_user_paths /a; set -g fish_user_paths; set -gx OUT $PATH", "/usr/bin"),
        ]);
    }
}
