//! The working folder, and how it is changed.

use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::state::Status;
use super::syntax::*;
use super::value::Val;
use crate::host_view::{HostView, Kind as FileKind, Want};
use crate::route::Account;

impl Machine<'_> {
    /// `pushd` and `popd`.
    pub(super) fn change_stack(&mut self, is_pushed: bool, known: Option<&[Bytes]>) {
        let Some(state) = &self.live else { return };
        // With that option `cd` fills it, too.
        let stack = state.stack.clone().filter(|_| state.option("autopushd") == Some(false));
        let (mut folders, before) = (stack.as_deref().cloned().unwrap_or_default(), state.folder.clone());
        let target = match (is_pushed, known) {
            (true, Some([path])) if path.first().is_some_and(|b| !b"+-".contains(b)) => Some(path.clone()),
            (false, Some([])) if stack.is_some() => match folders.pop() {
                Some(folder) => Some(folder),
                None => return self.set_status(1),
            },
            _ => None,
        };
        self.change_folder(target.as_ref().map(std::slice::from_ref));
        let Some(state) = &mut self.live else { return };
        if matches!(state.status, Status::Known(status) if status != 0) {
            return;
        }
        folders.extend(before.iter().filter(|_| is_pushed).cloned());
        let is_known = stack.is_some() && target.is_some() && before.is_some() && state.folder.is_some();
        state.stack = is_known.then(|| Arc::new(folders));
    }

    /// `cd` in bash where what it sets was unset before: it is exported no more.
    fn change_folder_unset(&mut self, full: Bytes) {
        if let Some(before) = self.content_of(b"PWD").value() {
            self.assign(b"OLDPWD", Content::Set(before), None);
        }
        self.assign(b"PWD", Content::Set(Val::Known(full)), None);
        self.set_status(0);
    }

    /// `cd` where what it sets is held fast: how far it comes differs.
    fn change_folder_in_vain(&mut self) {
        let doubt = self.doubt("the working folder is not known");
        for name in [&b"PWD"[..], b"OLDPWD"] {
            self.doubt_from_here(name);
        }
        if let Some(state) = &mut self.live {
            (state.folder, state.left, state.status) = (None, None, Status::Unknown(doubt.clone()));
        }
        if self.dialect == Dialect::Zsh {
            self.fail_or_go_on(&doubt);
        }
    }

    pub(super) fn change_folder(&mut self, known: Option<&[Bytes]>) {
        let (known, is_physical) = match known {
            Some([option, rest @ ..]) if option == "-P" => (Some(rest), true),
            Some([option, rest @ ..]) if option == "-L" || option == "--" => (Some(rest), false),
            other => (other, false),
        };
        let target = match known {
            Some([]) => self.content_of(b"HOME").value().and_then(|v| v.known().cloned()),
            // zsh has it in mind besides, whatever the variable is set to.
            Some([one]) if one == "-" && self.dialect == Dialect::Zsh => self.live.as_ref().and_then(|state| state.left.clone()),
            Some([one]) if one == "-" => match self.content_of(b"OLDPWD") {
                Content::Set(Val::Known(before)) if before.starts_with(b"/") => Some(before),
                _ => None,
            },
            // There these are folders that were left.
            Some([one]) if self.dialect == Dialect::Zsh && one.starts_with(b"+") => None,
            Some([one]) if !one.starts_with(b"-") => Some(one.clone()),
            _ => None,
        };
        // Where it goes is printed.
        if target.is_none() && matches!(known, Some([one]) if one == "-") {
            self.print(Val::unknown(self.doubt("the working folder is not known")));
        }
        let searches = !matches!(self.content_of(b"CDPATH"), Content::Unset)
            && self.content_of(b"CDPATH").value().is_none_or(|v| v.is_empty() != Some(true));
        // An empty name is refused by some.
        let target = target.filter(|t| !t.is_empty() || self.dialect != Dialect::Ksh);
        if [&b"PWD"[..], b"OLDPWD"].iter().any(|name| self.is_readonly(name)) {
            return self.change_folder_in_vain();
        }
        let is_usual = !self.may_be_set("cdotherwise");
        // What begins here is looked for nowhere else (POSIX, «cd»).
        let is_here = |t: &[u8]| matches!(t, b"." | b"..") || [&b"/"[..], b"./", b"../"].iter().any(|begin| t.starts_with(begin));
        let searches = searches && target.as_deref().is_some_and(|t| !is_here(t));
        // Where it is found elsewhere is printed.
        if searches {
            self.print(Val::unknown(self.doubt("the working folder is not known")));
        }
        let full = target.filter(|_| is_usual).filter(|_| !searches).and_then(|t| self.full(&t)).map(|p| plain_path(&p));
        let full = if is_physical { full.and_then(|p| self.ground.files.real_path(&p)) } else { full };
        let old = self.live.as_ref().and_then(|s| s.folder.clone());
        let Some(full) = full else {
            let doubt = self.doubt("the working folder is not known");
            for name in [&b"PWD"[..], b"OLDPWD"] {
                self.assign(name, Content::Set(Val::unknown(doubt.clone())), None);
                self.doubt_export(name);
            }
            if let Some(state) = &mut self.live {
                (state.folder, state.left) = (None, None);
                state.status = Status::Unknown(doubt);
            }
            return;
        };
        match entered(self.ground.files, self.account, &full) {
            FileKind::Folder => {
                if let Some(state) = &mut self.live {
                    state.left = state.folder.replace(full.clone());
                }
                if known.is_some_and(|words| matches!(words, [one] if one == "-")) {
                    match self.dialect {
                        // There it is told only who types it.
                        Dialect::Zsh if self.is_interactive => self.print(Val::unknown(self.doubt("what a command prints"))),
                        Dialect::Zsh => {}
                        _ => self.print(Val::of([&full[..], b"\n"].concat())),
                    }
                }
                // In bash one that was unset is no longer exported, and is not set from what is not set.
                let is_gone = |name: &[u8]| {
                    let var = self.live.as_ref().and_then(|s| s.vars.get(name).map(std::borrow::Cow::into_owned));
                    var.is_some_and(|var| matches!(var.content, Content::Unset) && var.exported == Some(false))
                };
                if self.dialect == Dialect::Bash && (is_gone(b"PWD") || is_gone(b"OLDPWD")) {
                    return self.change_folder_unset(full);
                }
                let exported = (self.dialect != Dialect::Mksh).then_some(true);
                // In bash the variable tells, which may have been set.
                let told = if self.dialect == Dialect::Bash { self.content_of(b"PWD").value() } else { None };
                let old = old.map_or_else(|| Val::unknown(self.doubt("the working folder is not known")), Val::Known);
                let old = told.unwrap_or(old);
                self.assign(b"OLDPWD", Content::Set(old), exported.filter(|_| self.dialect != Dialect::Ksh));
                if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
                    self.doubt_export(b"OLDPWD");
                }
                self.assign(b"PWD", Content::Set(Val::Known(full)), exported);
                if self.dialect == Dialect::Mksh {
                    self.doubt_export(b"PWD");
                }
                self.set_status(0);
            }
            FileKind::Unknown => {
                if let Some(state) = &mut self.live {
                    (state.folder, state.left) = (None, None);
                }
                let doubt = self.doubt("a folder may not be seen");
                for name in [&b"PWD"[..], b"OLDPWD"] {
                    self.assign(name, Content::Set(Val::unknown(doubt.clone())), None);
                    self.doubt_export(name);
                }
                self.doubt_status(doubt);
            }
            _ => self.set_status(if matches!(self.dialect, Dialect::Dash | Dialect::Mksh) { 2 } else { 1 }),
        }
    }
}

/// What an account finds where it goes to a folder: one that it may not search is as good as none.
pub(super) fn entered(files: &dyn HostView, account: &Account, path: &[u8]) -> FileKind {
    match files.kind(path) {
        FileKind::Folder if account.uid != 0 => match files.may(path, account.uid, account.gid, Want::Execute) {
            Some(true) => FileKind::Folder,
            Some(false) => FileKind::Missing,
            None => FileKind::Unknown,
        },
        kind => kind,
    }
}

/// A path without `.`, `..` and doubled slashes, by its letters alone.
pub(super) fn plain_path(path: &[u8]) -> Bytes {
    let mut parts: Vec<&[u8]> = Vec::new();
    for part in path.split(|b| *b == b'/') {
        match part {
            b"" | b"." => {}
            b".." => drop(parts.pop()),
            part => parts.push(part),
        }
    }
    [b"/", &parts.join(&b'/')[..]].concat().into()
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn the_folder_is_where_it_was_changed_to() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /; cd /usr; R=$PWD; X=$OLDPWD", ["/usr", "/"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /usr/./bin/..; R=$PWD", ["/usr", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /; cd usr; R=$PWD; cd ..; X=$PWD", ["/usr", "/"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /nowhere 2>/dev/null; X=$?; cd /usr; R=$PWD; X=", ["/usr", ""]),
            (&[Bash, Dash, Ksh, Mksh], "cd /; cd /usr; cd - >/dev/null; R=$PWD; X=$OLDPWD", ["/", "/usr"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /; R=$(cd /usr && pwd); X=$PWD", ["/usr", "/"]),
            (&[Bash, Zsh], "cd /; pushd /usr >/dev/null; R=$PWD; popd >/dev/null; X=$PWD", ["/usr", "/"]),
        ]);
    }
}
