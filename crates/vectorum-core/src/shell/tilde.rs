//! Text without quotes, and the folders that tildes stand for in it.

use super::content::Content;
use super::expand::Mode;
use super::field::Field;
use super::machine::Machine;
use super::syntax::Dialect;
use super::value::Val;

impl Machine<'_> {
    /// Unquoted text, with the home folder for a tilde.
    pub(super) fn text(&mut self, text: &[u8], is_first: bool, is_last: bool, mode: Mode, fields: &mut [Field]) {
        let Some(field) = fields.last_mut() else { return };
        // In zsh a tilde or `=` counts behind a reference that comes to nothing, too, and `=` at the
        // front of a value.
        if self.dialect == Dialect::Zsh && field.text.is_empty() && field.unknown.is_none() {
            let counts = text.first() == Some(&b'~') && !is_first
                || text.first() == Some(&b'=') && mode == Mode::Assigned && !(is_last && text.len() == 1)
                || is_first
                    && mode == Mode::One
                    && matches!(text, [b'=', next, ..] if next.is_ascii_alphanumeric() || b"=_".contains(next))
                || is_first && mode == Mode::One && !is_last && text == b"=";
            let behind_colon = mode == Mode::Assigned && memchr::memmem::find(text, b":=").is_some()
                || mode == Mode::One && memchr::memmem::find(text, b":~").is_some();
            if counts || behind_colon {
                self.fail_perhaps("the shell expands this in a way of its own");
                let doubt = self.doubt("the shell expands this in a way of its own");
                field.doubt(&doubt);
            }
        }
        // Where nothing comes before it, it may be a folder that there is not.
        let begins = |sign: u8| text.first() == Some(&sign) && (text.len() > 1 || !is_last);
        let may_stand_first =
            !is_first && field.text.is_empty() && field.unknown.as_ref().is_some_and(|unknown| !unknown.is_filled);
        if self.dialect == Dialect::Zsh && may_stand_first && (begins(b'~') || begins(b'=')) {
            self.fail_or_go_on(&self.doubt("the shell expands this in a way of its own"));
        }
        // In a word that looks like an assignment it counts, too (measured: bash 5.2, R59).
        let looks_set =
            || memchr::memchr(b'=', text).is_some_and(|at| crate::reader::is_portable(text.get(..at).unwrap_or_default()));
        if matches!(self.dialect, Dialect::Bash | Dialect::Mksh)
            && mode == Mode::Fields
            && is_first
            && [&b"=~"[..], b":~"].iter().any(|sign| memchr::memmem::find(text, sign).is_some())
            && looks_set()
        {
            field.doubt(&self.doubt("the shell expands this in a way of its own"));
        }
        // There it counts behind what ends with a colon, too (measured: R59).
        let is_behind = !is_first && text.first() == Some(&b'~') && (field.unknown.is_some() || field.text.last() == Some(&b':'));
        if matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) && mode == Mode::Assigned && is_behind {
            field.doubt(&self.doubt("the shell expands this in a way of its own"));
        }
        let mut at = 0;
        while at < text.len() {
            let rest = text.get(at..).unwrap_or_default();
            let here = at == 0 && is_first && field.text.is_empty()
                || mode == Mode::Assigned && at > 0 && text.get(at - 1) == Some(&b':');
            if here && rest.first() == Some(&b'~') {
                let end = rest.iter().position(|b| *b == b'/' || mode == Mode::Assigned && *b == b':');
                // In zsh and ksh what an expansion behind it brings is part of the name.
                if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh) && end.is_none() && !is_last {
                    if self.dialect == Dialect::Zsh {
                        self.fail_perhaps("zsh fails where there is no such account");
                    }
                    let doubt = self.doubt("the shell expands this in a way of its own");
                    field.doubt(&doubt);
                }
                // A quote right behind is part of the name, which then is none.
                if end.is_some() || is_last {
                    let end = end.unwrap_or(rest.len());
                    match self.home(rest.get(1..end).unwrap_or_default()) {
                        Some(Val::Known(home)) => {
                            field.push(&home, true);
                            at += end;
                            continue;
                        }
                        Some(Val::Unknown(unknown)) => {
                            field.put_unknown(&unknown);
                            at += end;
                            continue;
                        }
                        None => {}
                    }
                }
            }
            let next = rest.iter().skip(1).position(|b| *b == b'~').map_or(rest.len(), |p| p + 1);
            field.push(rest.get(..next).unwrap_or_default(), false);
            at += next;
        }
    }

    /// The home folder behind a tilde; `None` where the tilde stays.
    fn home(&mut self, name: &[u8]) -> Option<Val> {
        match name {
            b"" => match self.content_of(b"HOME") {
                Content::Set(value) => Some(value),
                Content::Unset => match self.dialect {
                    Dialect::Bash | Dialect::Ksh => Some(Val::Known(self.account.home.clone())),
                    Dialect::Zsh => Some(Val::of(b"")),
                    Dialect::Dash | Dialect::Mksh => None,
                },
                _ => Some(Val::unknown(self.doubt("HOME is not known"))),
            },
            // There it is where the shell is and was, whatever these names hold.
            b"+" | b"-" if self.dialect == Dialect::Zsh => {
                let folder =
                    self.live.as_ref().and_then(|state| if name == b"+" { state.folder.clone() } else { state.left.clone() });
                Some(folder.map_or_else(|| Val::unknown(self.doubt("the working folder is not known")), Val::Known))
            }
            b"+" | b"-" if self.dialect.is_rich() => match self.content_of(if name == b"+" { b"PWD" } else { b"OLDPWD" }) {
                Content::Set(value) => Some(value),
                Content::Unset => None,
                _ => Some(Val::unknown(self.doubt("the working folder is not known"))),
            },
            name if name.iter().all(|b| b.is_ascii_alphanumeric() || b"_.-".contains(b))
                && !name.first().is_some_and(u8::is_ascii_digit) =>
            {
                let named = if self.dialect == Dialect::Zsh { self.named_folder(name) } else { None };
                if let Some(folder) = named {
                    return Some(folder);
                }
                let account = self.ground.accounts.iter().find(|a| a.name == name);
                match account {
                    Some(account) => Some(Val::Known(account.home.clone())),
                    None if self.dialect == Dialect::Zsh => {
                        self.fail_perhaps("zsh fails where there is no such account");
                        Some(Val::unknown(self.doubt("zsh fails where there is no such account")))
                    }
                    None => None,
                }
            }
            _ => {
                // There it may mean nothing, which is an error.
                if self.dialect == Dialect::Zsh {
                    self.fail_perhaps("zsh fails where there is no such folder");
                }
                Some(Val::unknown(self.doubt("a tilde of another kind")))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn tildes_stand_for_folders_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; R=~/a; X=\"~\"", ["/h/a", "~"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; R=a:~; X=a~", ["a:/h", "a~"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=; R=~/a; X=x", ["/a", "x"]),
            (&[Bash, Ksh], "unset HOME; R=~; X=${R:+set}", ["/home/odile", "set"]),
            (&[Dash, Mksh], "unset HOME; R=~; X=${R:+set}", ["~", "set"]),
            (&[Zsh], "unset HOME; R=~; X=${R:+set}", ["", ""]),
            (&[Bash, Dash, Ksh, Mksh], "HOME=/h; R=~none/a; X=$?", ["~none/a", "0"]),
            (&[Dash, Ksh, Zsh], "HOME=/h; set -- a=~; R=$1; X=$#", ["a=~", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME='/h  g'; set -- ~; R=$1; X=$#", ["/h  g", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; T='~'; R=$T; X=${N:-~}", ["~", "/h"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; R=\"a\":~; X=\\~", ["a:/h", "~"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; R=${N:-~/b}; X=\"${N:-~/b}\"", ["/h/b", "~/b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; set -- x:~ ~/; R=$1; X=$2", ["x:~", "/h/"]),
            (&[Bash, Dash], "HOME=/h; R=~\"/a\"; X=\"a:\"~", ["~/a", "a:~"]),
            (&[Bash, Ksh, Mksh, Zsh], "cd /usr; cd /; R=~+; X=~-", ["/", "/usr"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/h; case /h in ~) R=1;; *) R=2;; esac", ["1", "none"]),
        ]);
    }
}
