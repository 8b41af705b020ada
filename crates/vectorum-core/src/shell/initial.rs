//! What a shell holds before it reads a file: what it is handed, and what it sets by itself (measured: bash
//! 5.2, dash 0.5.12, zsh 5.9, ksh93u+m, mksh R59).

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::content::{Content, Var};
use super::getopts::OptionsRead;
use super::handed::{Handed, handed_on};
use super::layers::Layers;
use super::startup::{Invocation, Payload};
use super::state::{State, Status};
use super::streams::Written;
use super::syntax::Dialect;
use super::taken::{Taken, taken};
use super::value::{Doubt, Val};
use super::vars::{Start, Vars};
use super::version::told_in;
use crate::host_view::Kind;
use crate::route::{Account, Ground};

/// Why a variable is not known that a shell sets before it reads anything.
pub(super) const SET_BY_SHELL: &str = "the shell sets it by itself";

/// Of how many items bash's version is a list (bash(1), `BASH_VERSINFO`).
const VERSION_PARTS: usize = 6;

/// What ksh and mksh both set by themselves.
const KORN: &[&str] = &["KSH_VERSION", "RANDOM", "SECONDS", "LINENO", "PPID", "OPTIND", "PS1", "PS2", "PS3", "PS4"];

/// Nobody is to set a name.
fn hold_fast(vars: &mut Start, name: &'static str) {
    if let Some(var) = vars.get(name.as_bytes()).map(Cow::into_owned) {
        vars.set(name, Var { readonly: true, ..var });
    }
}

/// What the shell holds before it reads a file.
pub(super) fn state(ground: Ground<'_>, account: &Account, start: &Handed, folder: &[u8], invocation: &Invocation) -> State {
    let dialect = invocation.dialect;
    let mut vars = Start::new(start.clone());
    let handed = || start.functions().filter(|_| dialect == Dialect::Bash);
    let functions = handed().map(|function| (function, None)).collect();
    let own = |vars: &mut Start, name: &str, value: Val| {
        if vars.get(name.as_bytes()).is_none() {
            vars.set(name, Var { content: Content::Set(value), ..Var::unset() });
        }
    };
    let perhaps = |vars: &mut Start, name: &str| {
        if vars.get(name.as_bytes()).is_none() {
            let value = Val::unknown(Doubt::new("the shell may set it by itself", None));
            vars.set(name, Var { content: Content::Perhaps(value), ..Var::unset() });
        }
    };
    let exported = |vars: &mut Start, name: &str, value: Val| {
        vars.set(name, Var { content: Content::Set(value), exported: Some(true), ..Var::unset() });
    };
    let filled = || Val::filled(SET_BY_SHELL);
    let system = || {
        let could_be = ["linux-gnu", "linux-musl", "linux"].iter().map(|s| Bytes::from_static(s.as_bytes())).collect();
        Val::filled(SET_BY_SHELL).or_one_of(could_be)
    };
    if let Some(name) = told_in(dialect).filter(|name| start.contains(name.as_bytes())) {
        exported(&mut vars, name, filled());
    }
    // They are handed on as bash writes them, which they are already where another bash handed them on.
    for name in handed().map(|function| handed_on(&function)) {
        let is_its_own = |text: &[u8]| text.starts_with(b"() {  ") && text.ends_with(b"\n}");
        if !matches!(start.get(&name), Some((Val::Known(text), false)) if is_its_own(&text)) {
            let value = Val::unknown(Doubt::new("a function as bash writes it", None));
            vars.set(&name, Var { content: Content::Set(value), exported: Some(true), ..Var::unset() });
        }
    }
    for (name, what) in taken(start, invocation, account.uid == 0) {
        match what {
            Taken::Dropped => vars.remove(name),
            Taken::OnceAsked => {
                let value = Content::Perhaps(Val::unknown(Doubt::new(SET_BY_SHELL, None)));
                vars.set(name, Var { content: value, exported: Some(true), ..Var::unset() });
            }
            Taken::As(value) => exported(&mut vars, name, Val::of(value)),
            Taken::Own => exported(&mut vars, name, Val::unknown(Doubt::new(SET_BY_SHELL, None))),
            Taken::Refused => {}
        }
    }
    let usual: &[u8] = if dialect == Dialect::Zsh { b" \t\n\0" } else { b" \t\n" };
    // In zsh what is handed in is handed on, but parts no words.
    let parts = match start.get(b"IFS") {
        Some(handed) if dialect == Dialect::Zsh && handed != (Val::of(usual), false) => {
            Val::unknown(Doubt::new("what parts words in zsh is not what is handed on", None))
        }
        _ => Val::of(usual),
    };
    vars.set("IFS", Var { content: Content::Set(parts), exported: Some(start.contains(b"IFS")), ..Var::unset() });
    let has = |vars: &Start, name: &str| vars.get(name.as_bytes()).is_some();
    if dialect != Dialect::Mksh || start.contains(b"PWD") {
        exported(&mut vars, "PWD", Val::of(folder));
    } else {
        own(&mut vars, "PWD", Val::of(folder));
    }
    let level = level(start.get(b"SHLVL").as_ref(), dialect);
    match dialect {
        Dialect::Bash => {
            exported(&mut vars, "SHLVL", level);
            let old = start.get(b"OLDPWD").map(|(v, _)| v);
            let is_folder = old.as_ref().is_some_and(|v| v.known().is_some_and(|p| ground.files.kind(p) == Kind::Folder));
            if let Some(Val::Known(_)) = old
                && !is_folder
            {
                vars.remove("OLDPWD");
            }
            if !has(&vars, "OLDPWD") {
                vars.set("OLDPWD", Var { exported: Some(true), ..Var::unset() });
            }
            let version = Content::Array(Arc::new(vec![filled(); VERSION_PARTS]));
            vars.set("BASH_VERSINFO", Var { content: version, readonly: true, ..Var::unset() });
            for name in ["UID", "EUID", "PPID", "BASHOPTS", "SHELLOPTS"] {
                let own = if name.ends_with("UID") { Val::of(account.uid.to_string()) } else { filled() };
                // What is handed in is handed on, but for its options, and not what it holds.
                let (value, exported) = match start.get(name.as_bytes()) {
                    Some(_) if name == "PPID" => (own, false),
                    Some(handed) if handed != (own.clone(), false) => (filled(), true),
                    handed => (own, handed.is_some()),
                };
                let exported = Some(exported);
                vars.set(name, Var { content: Content::Set(value), exported, readonly: true, ..Var::unset() });
            }
            let places: &[&'static [u8]] =
                if invocation.as_sh { &[b"/bin/sh", b"/usr/bin/sh"] } else { &[b"/bin/bash", b"/usr/bin/bash"] };
            let could_be = places.iter().map(|p| Bytes::from_static(p)).collect();
            own(&mut vars, "BASH", Val::filled("where the shell lies").or_one_of(could_be));
            for name in [
                "BASH_VERSION",
                "HOSTNAME",
                "HOSTTYPE",
                "MACHTYPE",
                "BASHPID",
                "RANDOM",
                "SECONDS",
                "LINENO",
                "EPOCHSECONDS",
                "EPOCHREALTIME",
                "SRANDOM",
                "HISTCMD",
                "_",
            ] {
                own(&mut vars, name, filled());
            }
            own(&mut vars, "OSTYPE", system());
            own(&mut vars, "OPTIND", Val::of(b"1"));
            own(&mut vars, "OPTERR", Val::of(b"1"));
            own(&mut vars, "TERM", Val::of(b"dumb"));
            own(&mut vars, "PATH", filled());
            own(&mut vars, "SHELL", Val::Known(account.shell.clone()));
            own(&mut vars, "PS4", Val::of(b"+ "));
            if invocation.is_interactive {
                own(&mut vars, "MAILCHECK", Val::of(b"60"));
                for name in ["PS1", "PS2", "HISTFILE", "HISTSIZE", "HISTFILESIZE"] {
                    own(&mut vars, name, filled());
                }
            } else {
                vars.remove("PS1");
                vars.remove("PS2");
            }
        }
        Dialect::Dash => {
            own(&mut vars, "OPTIND", Val::of(b"1"));
            own(&mut vars, "PS1", Val::of(if account.uid == 0 { "# " } else { "$ " }));
            own(&mut vars, "PS2", Val::of(b"> "));
            own(&mut vars, "PS4", Val::of(b"+ "));
            own(&mut vars, "PPID", filled());
            // Not all are built with it.
            perhaps(&mut vars, "LINENO");
            own(&mut vars, "PATH", Val::of(b"/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"));
        }
        Dialect::Zsh => {
            exported(&mut vars, "SHLVL", level);
            exported(&mut vars, "OLDPWD", Val::of(folder));
            let missing = |vars: &mut Start, name: &str, value: Val| {
                if vars.get(name.as_bytes()).is_none() {
                    vars.set(name, Var { content: Content::Set(value), exported: Some(true), ..Var::unset() });
                }
            };
            let number = |id: u32| Val::of(id.to_string());
            let (uid, gid) = (number(account.uid), number(account.gid));
            let ids = [("UID", uid.clone()), ("EUID", uid), ("GID", gid.clone()), ("EGID", gid)];
            for (name, value) in ids.into_iter().chain([("USERNAME", Val::Known(account.name.clone()))]) {
                // What is handed in is handed on, and not what it holds.
                match start.get(name.as_bytes()) {
                    Some(handed) if handed == (value.clone(), false) => exported(&mut vars, name, value),
                    Some(_) => exported(&mut vars, name, filled()),
                    None => own(&mut vars, name, value),
                }
            }
            missing(&mut vars, "HOME", Val::Known(account.home.clone()));
            missing(&mut vars, "LOGNAME", Val::Known(account.name.clone()));
            own(&mut vars, "PATH", Val::of(b"/bin:/usr/bin:/usr/ucb:/usr/local/bin"));
            for name in [
                "FPATH",
                "HOST",
                "MACHTYPE",
                "CPUTYPE",
                "VENDOR",
                "ZSH_VERSION",
                "ZSH_NAME",
                "ZSH_PATCHLEVEL",
                "RANDOM",
                "SECONDS",
                "LINENO",
                "PPID",
                "TTY",
                "HISTCMD",
                "PROMPT3",
                "PROMPT4",
                "PS3",
                "PS4",
                "SPROMPT",
                "NULLCMD",
                "READNULLCMD",
                "MAILCHECK",
                "LISTMAX",
                "KEYTIMEOUT",
                "HISTSIZE",
                "SAVEHIST",
                "COLUMNS",
                "LINES",
                "TMPPREFIX",
                "TIMEFMT",
                "FUNCNEST",
                "MODULE_PATH",
                "ZSH_ARGZERO",
                "ZSH_SUBSHELL",
                "PSVAR",
                "_",
            ] {
                own(&mut vars, name, Val::unknown(Doubt::new(SET_BY_SHELL, None)));
            }
            // It counts its lines itself.
            hold_fast(&mut vars, "HISTCMD");
            own(&mut vars, "OPTIND", Val::of(b"1"));
            // They come with a module, as soon as one of them is asked for.
            for name in ["WATCHFMT", "LOGCHECK", "WATCH", "watch"] {
                perhaps(&mut vars, name);
            }
            own(&mut vars, "WORDCHARS", Val::of(b"*?_-.[]~=/&;!#$%^(){}<>"));
            own(&mut vars, "OSTYPE", system());
            for name in ["ZSH_VERSION", "ZSH_NAME"] {
                let exported = Some(start.contains(name.as_bytes()));
                vars.set(name, Var { content: Content::Set(filled()), exported, ..Var::unset() });
            }
            for name in ["CDPATH", "MANPATH", "MAILPATH", "FIGNORE", "OPTARG"] {
                own(&mut vars, name, Val::of(b""));
            }
            if invocation.is_interactive {
                for name in ["PS1", "PROMPT", "prompt", "PS2", "PROMPT2"] {
                    vars.set(
                        name,
                        Var { content: Content::Set(filled()), exported: Some(start.contains(name.as_bytes())), ..Var::unset() },
                    );
                }
            } else {
                for name in ["PS1", "PROMPT", "prompt", "PS2", "PROMPT2"] {
                    let inherited = vars.get(name.as_bytes()).map(Cow::into_owned);
                    let exported = inherited.is_some();
                    vars.set(
                        name,
                        inherited.unwrap_or(Var {
                            content: Content::Set(Val::of(b"")),
                            exported: Some(exported),
                            ..Var::unset()
                        }),
                    );
                }
            }
        }
        Dialect::Ksh => {
            exported(&mut vars, "SHLVL", level);
            for name in KORN.iter().chain(&["SHELL", "FCEDIT", "TMOUT", "MAILCHECK"]) {
                own(&mut vars, name, filled());
            }
            // It names the file that it reads where somebody types.
            let home = vars.get(b"HOME").and_then(|home| match &home.content {
                Content::Set(Val::Known(home)) => Some(home.clone()),
                _ => None,
            });
            own(&mut vars, "ENV", home.map_or_else(filled, |home| Val::of([&home[..], b"/.kshrc"].concat())));
            // What these hold, they hold without being set.
            ["HISTCMD", "JOBMAX", "FPATH"].iter().for_each(|name| perhaps(&mut vars, name));
            // Its prompts are set once its files are read (measured: 93u+m).
            if !start.contains(b"PS1") {
                vars.remove("PS1");
            }
            if (invocation.is_interactive || invocation.is_login) && !start.contains(b"PS4") {
                vars.remove("PS4");
            }
            own(&mut vars, "PATH", filled());
            // Some of its commands leave it behind.
            let features = Content::Perhaps(Val::unknown(Doubt::new("ksh may set it by itself", None)));
            vars.set("_AST_FEATURES", Var { content: features, exported: None, ..Var::unset() });
        }
        Dialect::Mksh => {
            let more =
                ["USER_ID", "KSHUID", "KSHEGID", "KSHGID", "PGRP", "EPOCHREALTIME", "HISTSIZE", "TMOUT", "PATHSEP", "BASHPID"];
            for name in KORN.iter().chain(&more) {
                own(&mut vars, name, filled());
            }
            // It marks these as handed on, whether they are set or not (measured: R59).
            for name in ["HOME", "SHELL"] {
                if !has(&vars, name) {
                    vars.set(name, Var { exported: Some(true), ..Var::unset() });
                }
            }
            if !has(&vars, "PATH") {
                exported(&mut vars, "PATH", Val::of(b"/usr/bin:/bin"));
            }
            // What it says of itself stays so.
            hold_fast(&mut vars, "KSH_VERSION");
        }
    }
    let mut options = BTreeMap::new();
    options.insert(if invocation.is_interactive { "-s" } else { "-c" }, Some(!matches!(invocation.payload, Payload::Script(_))));
    State {
        vars: Vars::new(vars),
        functions,
        aliases: Layers::default(),
        stack: Some(Arc::new(Vec::new())),
        zero: None,
        searched: Arc::default(),
        kept_options: None,
        ties: Arc::default(),
        // These count on in a place of their own, whatever is handed on.
        reading: Some(OptionsRead::default()).filter(|_| {
            let is_handed = start.contains(b"OPTIND") || start.contains(b"OPTARG");
            !is_handed || !matches!(dialect, Dialect::Zsh | Dialect::Ksh)
        }),
        places: Layers::default(),
        options,
        status: Status::Known(0),
        positional: Ok(Arc::new(Vec::new())),
        were_set: Some(false),
        folder: Some(Bytes::copy_from_slice(folder)),
        left: None,
        has_references: false,
        input: None,
        output: Written::default(),
        open: None,
        scopes: Vec::new(),
    }
}

fn is_plain_level(text: &[u8]) -> bool {
    let text = text.trim_ascii_start();
    let digits = text.strip_prefix(b"-").unwrap_or(text);
    digits.is_empty() || digits == b"0" || digits.len() < 10 && digits.iter().all(u8::is_ascii_digit) && !digits.starts_with(b"0")
}

/// How deep in shells this one is.
pub(super) fn level(outer: Option<&(Val, bool)>, dialect: Dialect) -> Val {
    let known = match outer {
        None => 0,
        // What is no plain number is a sum to these, or one of letters.
        Some((Val::Known(text), false)) if matches!(dialect, Dialect::Zsh | Dialect::Ksh) && !is_plain_level(text) => {
            return Val::filled("how deep in shells it is started is no plain number");
        }
        Some((Val::Known(text), false)) => {
            std::str::from_utf8(text).ok().and_then(|t| t.trim().parse::<i64>().ok()).unwrap_or_default()
        }
        Some((Val::Unknown(level), _)) => return Val::unknown(level.doubt.clone()),
        Some(_) => return Val::filled("how deep in shells it is started is not known"),
    };
    let next = match dialect {
        Dialect::Bash if known < 0 => 0,
        Dialect::Bash if known >= 999 => 1,
        _ => known + 1,
    };
    Val::of(next.to_string())
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn shells_begin_with_what_they_have_by_themselves() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh], "R=${#IFS}; X=$IFS; X=${X%?}", ["3", " \t"]),
            (&[Zsh], "R=${#IFS}; X=$IFS; X=${X%?}", ["4", " \t\n"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${IFS%%[!  ]*}; X=1", [" ", "1"]),
            (&[Bash], "R=${OPTIND-none}; X=${OPTERR-none}", ["1", "1"]),
            (&[Dash, Zsh], "R=${OPTIND-none}; X=${OPTERR-none}", ["1", "none"]),
            (&[Ksh, Mksh], "R=${OPTIND-none}; X=${OPTERR-none}", ["<unknown>", "none"]),
            (&[Bash], "R=${PS1-none}; X=${PS2-none}", ["none", "none"]),
            (&[Mksh], "R=${PS1-none}; X=${PS2-none}", ["<unknown>", "<unknown>"]),
            (&[Ksh], "R=${PS1-none}; X=${PS2-none}", ["none", "<unknown>"]),
            (&[Zsh], "R=${PS1-none}; X=${PS2-none}", ["", ""]),
            (&[Bash, Dash], "R=${PS4-none}; X=${PS3-none}", ["+ ", "none"]),
            (&[Ksh, Mksh], "R=${PS4-none}; X=${PS3-none}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "R=${PS4-none}; X=${PS3-none}", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${HOME-none}; X=${PATH-none}", ["/home/odile", "/usr/bin"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${PWD-none}; X=${OLDPWD-none}", ["/home/odile", "none"]),
            (&[Zsh], "R=${PWD-none}; X=${OLDPWD-none}", ["/home/odile", "/home/odile"]),
            (&[Bash], "R=${SHELL-none}; X=${USER-none}", ["/bin/bash", "none"]),
            (&[Dash, Mksh, Zsh], "R=${SHELL-none}; X=${USER-none}", ["none", "none"]),
            (&[Ksh], "R=${SHELL-none}; X=${USER-none}", ["<unknown>", "none"]),
            (&[Bash, Zsh], "R=${UID+set}; X=${EUID+set}", ["set", "set"]),
            (&[Dash, Ksh, Mksh], "R=${UID+set}; X=${EUID+set}", ["", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "R=${PPID+set}; X=${RANDOM+set}", ["set", "set"]),
            (&[Dash], "R=${PPID+set}; X=${RANDOM+set}", ["set", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "R=${SECONDS+set}; X=${LINENO+set}", ["set", "set"]),
            (&[Dash], "R=${SECONDS+set}; X=${LINENO+set}", ["", "<unknown>"]),
            (&[Bash], "R=${HOSTNAME+set}; X=${HOSTTYPE+set}", ["set", "set"]),
            (&[Dash, Ksh, Mksh, Zsh], "R=${HOSTNAME+set}; X=${HOSTTYPE+set}", ["", ""]),
            (&[Bash, Zsh], "R=${OSTYPE+set}; X=${MACHTYPE+set}", ["set", "set"]),
            (&[Dash, Ksh, Mksh], "R=${OSTYPE+set}; X=${MACHTYPE+set}", ["", ""]),
            (&[Bash], "R=${BASH+set}; X=${BASHPID+set}", ["set", "set"]),
            (&[Dash, Ksh, Zsh], "R=${BASH+set}; X=${BASHPID+set}", ["", ""]),
            (&[Mksh], "R=${BASH+set}; X=${BASHPID+set}", ["", "set"]),
            (&[Bash], "R=${BASH_VERSION+set}; X=${ZSH_VERSION+set}", ["set", ""]),
            (&[Dash, Ksh, Mksh], "R=${BASH_VERSION+set}; X=${ZSH_VERSION+set}", ["", ""]),
            (&[Zsh], "R=${BASH_VERSION+set}; X=${ZSH_VERSION+set}", ["", "set"]),
            (&[Bash], "R=${KSH_VERSION+set}; X=${BASHOPTS+set}", ["", "set"]),
            (&[Dash, Zsh], "R=${KSH_VERSION+set}; X=${BASHOPTS+set}", ["", ""]),
            (&[Ksh, Mksh], "R=${KSH_VERSION+set}; X=${BASHOPTS+set}", ["set", ""]),
            (&[Bash], "R=${SHELLOPTS+set}; X=${POSIXLY_CORRECT+set}", ["set", ""]),
            (&[Dash, Ksh, Mksh, Zsh], "R=${SHELLOPTS+set}; X=${POSIXLY_CORRECT+set}", ["", ""]),
            (&[Bash, Dash, Mksh], "R=${MAILCHECK+set}; X=${MAIL+set}", ["", ""]),
            (&[Ksh, Zsh], "R=${MAILCHECK+set}; X=${MAIL+set}", ["set", ""]),
            (&[Bash], "R=${TERM-none}; X=${COLUMNS+set}", ["dumb", "<unknown>"]),
            (&[Dash], "R=${TERM-none}; X=${COLUMNS+set}", ["none", ""]),
            (&[Ksh], "R=${TERM-none}; X=${COLUMNS+set}", ["none", "<unknown>"]),
            (&[Mksh], "R=${TERM-none}; X=${COLUMNS+set}", ["none", "<unknown>"]),
            (&[Zsh], "R=${TERM-none}; X=${COLUMNS+set}", ["none", "set"]),
            (&[Bash, Ksh], "R=${LINES+set}; X=${EDITOR-none}", ["<unknown>", "none"]),
            (&[Dash], "R=${LINES+set}; X=${EDITOR-none}", ["", "none"]),
            (&[Mksh], "R=${LINES+set}; X=${EDITOR-none}", ["<unknown>", "none"]),
            (&[Zsh], "R=${LINES+set}; X=${EDITOR-none}", ["set", "none"]),
            (&[Bash, Dash, Ksh], "R=${HISTSIZE+set}; X=${HISTFILE+set}", ["", ""]),
            (&[Mksh, Zsh], "R=${HISTSIZE+set}; X=${HISTFILE+set}", ["set", ""]),
            (&[Bash, Dash, Mksh, Zsh], "R=${FCEDIT+set}; X=${ENV-none}", ["", "none"]),
            (&[Ksh], "R=${FCEDIT+set}; X=${ENV-none}", ["set", "/home/odile/.kshrc"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${CDPATH-none}; X=${FIGNORE-none}", ["none", "none"]),
            (&[Zsh], "R=${CDPATH-none}; X=${FIGNORE-none}", ["", ""]),
            (&[Bash, Dash, Mksh], "R=${FPATH+set}; X=${fpath+set}", ["", ""]),
            (&[Ksh], "R=${FPATH+set}; X=${fpath+set}", ["<unknown>", ""]),
            (&[Zsh], "R=${FPATH+set}; X=${fpath+set}", ["set", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${path+set}; X=${cdpath+set}", ["", ""]),
            (&[Zsh], "R=${path+set}; X=${cdpath+set}", ["set", "set"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${TMPPREFIX+set}; X=${NULLCMD+set}", ["", ""]),
            (&[Zsh], "R=${TMPPREFIX+set}; X=${NULLCMD+set}", ["set", "set"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${READNULLCMD+set}; X=${WORDCHARS+set}", ["", ""]),
            (&[Zsh], "R=${READNULLCMD+set}; X=${WORDCHARS+set}", ["set", "set"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${KEYTIMEOUT+set}; X=${LISTMAX+set}", ["", ""]),
            (&[Zsh], "R=${KEYTIMEOUT+set}; X=${LISTMAX+set}", ["set", "set"]),
            (&[Bash, Dash, Mksh], "R=${TRY_BLOCK_ERROR+set}; X=${ERRNO+set}", ["", ""]),
            (&[Ksh], "R=${TRY_BLOCK_ERROR+set}; X=${ERRNO+set}", ["", "<unknown>"]),
            (&[Zsh], "R=${TRY_BLOCK_ERROR+set}; X=${ERRNO+set}", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${status+set}; X=${argv+set}", ["", ""]),
            (&[Zsh], "R=${status+set}; X=${argv+set}", ["set", "set"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${module_path+set}; X=${psvar+set}", ["", ""]),
            (&[Zsh], "R=${module_path+set}; X=${psvar+set}", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${USERNAME+set}; X=${LOGNAME-none}", ["", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${VENDOR+set}; X=${CPUTYPE+set}", ["", ""]),
            (&[Zsh], "R=${VENDOR+set}; X=${CPUTYPE+set}", ["set", "set"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${GID+set}; X=${EGID+set}", ["", ""]),
            (&[Zsh], "R=${GID+set}; X=${EGID+set}", ["set", "set"]),
            (&[Bash], "R=${PIPESTATUS+set}; X=${pipestatus+set}", ["<unknown>", ""]),
            (&[Dash, Ksh], "R=${PIPESTATUS+set}; X=${pipestatus+set}", ["", ""]),
            (&[Mksh], "R=${PIPESTATUS+set}; X=${pipestatus+set}", ["<unknown>", ""]),
            (&[Zsh], "R=${PIPESTATUS+set}; X=${pipestatus+set}", ["", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh], "R=${REPLY-none}; X=${OPTARG-none}", ["none", "none"]),
            (&[Zsh], "R=${REPLY-none}; X=${OPTARG-none}", ["none", ""]),
            (&[Bash], "R=${FUNCNAME-none}; X=${BASH_SOURCE+set}", ["<unknown>", "set"]),
            (&[Dash, Mksh, Zsh], "R=${FUNCNAME-none}; X=${BASH_SOURCE+set}", ["none", ""]),
            (&[Ksh], "R=${FUNCNAME-none}; X=${BASH_SOURCE+set}", ["<unknown>", ""]),
            (&[Bash], "R=${GROUPS+set}; X=${DIRSTACK+set}", ["<unknown>", "<unknown>"]),
            (&[Dash, Ksh, Mksh, Zsh], "R=${GROUPS+set}; X=${DIRSTACK+set}", ["", ""]),
            (&[Bash], "R=${EPOCHSECONDS+set}; X=${SRANDOM+set}", ["set", "set"]),
            (&[Dash, Ksh, Mksh], "R=${EPOCHSECONDS+set}; X=${SRANDOM+set}", ["", ""]),
            (&[Zsh], "R=${EPOCHSECONDS+set}; X=${SRANDOM+set}", ["<unknown>", ""]),
            (&[Bash, Dash, Ksh, Zsh], "R=${EXECSHELL+set}; X=${KSHEGID+set}", ["", ""]),
            (&[Mksh], "R=${EXECSHELL+set}; X=${KSHEGID+set}", ["", "set"]),
            (&[Bash, Dash, Ksh, Zsh], "R=${PATHSEP+set}; X=${LC_ALL-none}", ["", "none"]),
            (&[Mksh], "R=${PATHSEP+set}; X=${LC_ALL-none}", ["set", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${LANG-none}; X=${LC_CTYPE-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$#; X=${1-none}", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "R=$?; X=${!-none}", ["0", "<unknown>"]),
            (&[Zsh], "R=$?; X=${!-none}", ["0", "<a number>"]),
            (&[Bash], "R=${_+set}; X=${*-none}", ["set", "none"]),
            (&[Ksh], "R=${_+set}; X=${*-none}", ["<unknown>", "none"]),
            (&[Dash], "R=${_+set}; X=${*-none}", ["", ""]),
            (&[Mksh], "R=${_+set}; X=${*-none}", ["<unknown>", "none"]),
            (&[Zsh], "R=${_+set}; X=${*-none}", ["set", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "OPTIND=3; R=$OPTIND; X=1", ["3", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "IFS=:; V=a:b; set -- $V; R=$#; X=$1", ["2", "a"]),
            (&[Zsh], "IFS=:; V=a:b; set -- $V; R=$#; X=$1", ["1", "a:b"]),
            (&[Bash, Dash, Ksh, Mksh], "unset IFS; V='a b'; set -- $V; R=$#; X=${IFS-none}", ["2", "none"]),
            (&[Zsh], "unset IFS; V='a b'; set -- $V; R=$#; X=${IFS-none}", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset PATH; R=${PATH-none}; X=1", ["none", "1"]),
            (&[Dash, Mksh], "unset HOME; R=~; X=${HOME-none}", ["~", "none"]),
            (&[Zsh], "unset HOME; R=~; X=${HOME-none}", ["", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "HOME=/x; R=~; X=~/a", ["/x", "/x/a"]),
            (&[Bash, Ksh, Mksh], "PWD=/x; R=$PWD; X=~+", ["/x", "/x"]),
            (&[Dash], "PWD=/x; R=$PWD; X=~+", ["/x", "<unknown>"]),
            (&[Zsh], "PWD=/x; R=$PWD; X=~+", ["/x", "/home/odile"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset PWD; R=${PWD-none}; cd /; X=$PWD", ["none", "/"]),
            (&[Bash, Ksh, Zsh], "unset OPTIND; R=${OPTIND-none}; X=1", ["none", "1"]),
            (&[Mksh], "unset OPTIND; R=${OPTIND-none}; X=1", ["<unknown>", "1"]),
            (&[Bash], "PPID=1; R=$?; X=1", ["none", "none"]),
            (&[Dash, Ksh, Mksh], "PPID=1; R=$?; X=1", ["0", "1"]),
            (&[Bash], "UID=1; R=$?; X=1", ["none", "none"]),
            (&[Dash, Ksh, Mksh], "UID=1; R=$?; X=1", ["0", "1"]),
            (&[Zsh], "UID=1; R=$?; X=1", ["0?", "1?"]),
            (&[Bash, Mksh], "SECONDS=7; R=$SECONDS; X=1", ["<unknown>", "1"]),
            (&[Dash], "SECONDS=7; R=$SECONDS; X=1", ["7", "1"]),
            (&[Zsh], "SECONDS=7; R=$SECONDS; X=1", ["<unknown>", "1?"]),
            (&[Ksh], "SECONDS=7; R=$SECONDS; X=1", ["<unknown>", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "RANDOM=1; R=${RANDOM+set}; X=1", ["set", "1"]),
            (&[Zsh], "RANDOM=1; R=${RANDOM+set}; X=1", ["set?", "1?"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset RANDOM; R=${RANDOM-none}; X=1", ["none", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset SECONDS; R=${SECONDS-none}; X=1", ["none", "1"]),
            (&[Bash, Ksh, Mksh], "LINENO=5; R=${LINENO+set}; X=1", ["set", "1"]),
            (&[Dash], "LINENO=5; R=${LINENO+set}; X=1", ["<unknown>", "1"]),
            (&[Bash], "BASH_VERSION=x; R=$BASH_VERSION; X=1", ["x", "1"]),
            (&[Bash], "FUNCNAME=x; R=${FUNCNAME-none}; X=$?", ["<unknown>", "0"]),
            (&[Bash], "GROUPS=x; R=$?; X=1", ["0", "1"]),
            (&[Bash], "DIRSTACK=x; R=$?; X=1", ["0", "1"]),
            (&[Bash], "SHELLOPTS=x; R=$?; X=1", ["none", "none"]),
            (&[Bash], "f() { R=$FUNCNAME; X=${FUNCNAME[1]}; }; f", ["<unknown>", "<unknown>"]),
            (&[Bash], "R=${BASH_VERSINFO[0]+set}; X=${#BASH_VERSINFO[@]}", ["set", "6"]),
            (&[Bash], "true | false; R=${PIPESTATUS[0]}${PIPESTATUS[1]}; X=1", ["<unknown>", "1"]),
            (&[Zsh], "true | false; R=$pipestatus; X=$#pipestatus", ["<unknown>", "<a number>"]),
            (&[Zsh], "path=(/a /b); R=$PATH; X=$#path", ["/a:/b", "2"]),
            (&[Zsh], "PATH=/a:/b; R=$path[2]; X=$#path", ["/b", "2"]),
            (&[Zsh], "cdpath=(/a); R=$CDPATH; X=1", ["/a", "1"]),
            (&[Zsh], "fpath=(/a /b); R=$FPATH; X=1", ["/a:/b", "1"]),
            (&[Zsh], "argv=(p q); R=$1; X=$#", ["p", "2"]),
            (&[Zsh], "set -- p q; R=$argv[2]; X=$#argv", ["q", "2"]),
            (&[Zsh], "MANPATH=/a:/b; R=$manpath[1]; X=$#manpath", ["/a", "2"]),
            (&[Zsh], "R=$ZSH_SUBSHELL; X=$(echo $ZSH_SUBSHELL)", ["<unknown>", "<unknown>"]),
            (&[Zsh], "R=$status; false; X=$status", ["0", "1"]),
            (&[Zsh], "R=${HISTCHARS+set}; X=$histchars", ["<unknown>", "<unknown>"]),
            (&[Zsh], "R=${options[extendedglob]}; X=${options[nosuch]-none}", ["off", "<unknown>"]),
            (&[Zsh], "R=${+functions[f]}; f() { :; }; X=${+functions[f]}", ["0", "1"]),
            (&[Zsh], "R=${+aliases[a]}; alias a=b; X=$aliases[a]", ["0", "b"]),
            (&[Zsh], "R=${+builtins[cd]}; X=${+reswords}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "R=${parameters[PATH]+set}; X=${+commands[nosuchcmd]}", ["<unknown>", "0"]),
        ]);
    }
}
