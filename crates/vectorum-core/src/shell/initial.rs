//! What a shell holds before it reads a file: what it is handed, and what it sets by itself (measured: bash
//! 5.2, dash 0.5.12, zsh 5.9, ksh93u+m, mksh R59).

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::content::{Content, Var};
use super::getopts::OptionsRead;
use super::handed::Handed;
use super::layers::Layers;
use super::startup::{Invocation, Payload};
use super::state::{State, Status};
use super::syntax::Dialect;
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

/// What the shell holds before it reads a file.
pub(super) fn state(ground: Ground<'_>, account: &Account, start: &Handed, folder: &[u8], invocation: &Invocation) -> State {
    let dialect = invocation.dialect;
    let mut vars = Start::new(start.clone());
    let functions = start.functions().filter(|_| dialect == Dialect::Bash).map(|function| (function, None)).collect();
    let own = |vars: &mut Start, name: &str, value: Val| {
        if vars.get(name.as_bytes()).is_none() {
            vars.set(name, Var { content: Content::Set(value), ..Var::unset() });
        }
    };
    let perhaps = |vars: &mut Start, name: &str| {
        if vars.get(name.as_bytes()).is_none() {
            let value = Val::Unknown(Doubt::new("the shell may set it by itself", None));
            vars.set(name, Var { content: Content::Perhaps(value), ..Var::unset() });
        }
    };
    let exported = |vars: &mut Start, name: &str, value: Val| {
        vars.set(name, Var { content: Content::Set(value), exported: Some(true), ..Var::unset() });
    };
    let filled = || Val::Unknown(Doubt::filled(SET_BY_SHELL));
    let system = || {
        let could_be = ["linux-gnu", "linux-musl", "linux"].iter().map(|s| Bytes::from_static(s.as_bytes())).collect();
        Val::Unknown(Arc::new(Doubt { could_be, ..(*Doubt::filled(SET_BY_SHELL)).clone() }))
    };
    if let Some(name) = told_in(dialect).filter(|name| start.contains(name.as_bytes())) {
        exported(&mut vars, name, filled());
    }
    let usual: &[u8] = if dialect == Dialect::Zsh { b" \t\n\0" } else { b" \t\n" };
    let ifs = Var { content: Content::Set(Val::of(usual)), exported: Some(start.contains(b"IFS")), ..Var::unset() };
    vars.set("IFS", ifs);
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
                let value = if name.ends_with("UID") { Val::of(account.uid.to_string()) } else { filled() };
                let readonly = Var { content: Content::Set(value), readonly: true, ..Var::unset() };
                vars.set(name, readonly);
            }
            let places: &[&'static [u8]] =
                if invocation.as_sh { &[b"/bin/sh", b"/usr/bin/sh"] } else { &[b"/bin/bash", b"/usr/bin/bash"] };
            let could_be = places.iter().map(|p| Bytes::from_static(p)).collect();
            let place = Doubt { could_be, ..(*Doubt::filled("where the shell lies")).clone() };
            own(&mut vars, "BASH", Val::Unknown(Arc::new(place)));
            for name in ["BASH_VERSION", "HOSTNAME", "HOSTTYPE", "MACHTYPE", "BASHPID", "RANDOM", "SECONDS", "LINENO", "_"] {
                own(&mut vars, name, filled());
            }
            own(&mut vars, "OSTYPE", system());
            own(&mut vars, "OPTIND", Val::of(b"1"));
            own(&mut vars, "OPTERR", Val::of(b"1"));
            own(&mut vars, "TERM", Val::of(b"dumb"));
            own(&mut vars, "PATH", filled());
            own(&mut vars, "HOME", Val::Known(account.home.clone()));
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
            own(&mut vars, "LINENO", filled());
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
                match start.contains(name.as_bytes()) {
                    true => exported(&mut vars, name, filled()),
                    false => own(&mut vars, name, value),
                }
            }
            missing(&mut vars, "HOME", Val::Known(account.home.clone()));
            missing(&mut vars, "LOGNAME", Val::Known(account.name.clone()));
            missing(&mut vars, "PATH", Val::of(b"/bin:/usr/bin:/usr/ucb:/usr/local/bin"));
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
                own(&mut vars, name, Val::Unknown(Doubt::new(SET_BY_SHELL, None)));
            }
            if start.contains(b"OPTIND") {
                own(&mut vars, "OPTIND", filled());
            } else {
                own(&mut vars, "OPTIND", Val::of(b"1"));
            }
            perhaps(&mut vars, "WATCHFMT");
            own(&mut vars, "WORDCHARS", Val::of(b"*?_-.[]~=/&;!#$%^(){}<>"));
            own(&mut vars, "OSTYPE", system());
            for name in ["ZSH_VERSION", "ZSH_NAME"] {
                vars.set(name, Var { content: Content::Set(filled()), ..Var::unset() });
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
            for name in KORN.iter().chain(&["FPATH", "SHELL", "FCEDIT", "TMOUT", "MAILCHECK"]) {
                own(&mut vars, name, filled());
            }
            // It names the file that it reads where somebody types.
            let home = vars.get(b"HOME").and_then(|home| match &home.content {
                Content::Set(Val::Known(home)) => Some(home.clone()),
                _ => None,
            });
            own(&mut vars, "ENV", home.map_or_else(filled, |home| Val::of([&home[..], b"/.kshrc"].concat())));
            // What these hold, they hold without being set.
            ["HISTCMD", "JOBMAX"].iter().for_each(|name| perhaps(&mut vars, name));
            // Its prompts are set once its files are read (measured: 93u+m).
            vars.remove("PS1");
            if invocation.is_interactive {
                vars.remove("PS4");
            }
            own(&mut vars, "PATH", filled());
            // Some of its commands leave it behind.
            let features = Content::Perhaps(Val::Unknown(Doubt::new("ksh may set it by itself", None)));
            vars.set("_AST_FEATURES", Var { content: features, exported: None, ..Var::unset() });
        }
        Dialect::Mksh => {
            let more = ["USER_ID", "KSHUID", "KSHEGID", "KSHGID", "PGRP", "EPOCHREALTIME", "HISTSIZE", "TMOUT", "PATHSEP"];
            for name in KORN.iter().chain(&more) {
                own(&mut vars, name, filled());
            }
            if !has(&vars, "PATH") {
                exported(&mut vars, "PATH", Val::of(b"/usr/bin:/bin"));
            }
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
        reading: Some(OptionsRead::default()).filter(|_| dialect != Dialect::Zsh || !start.contains(b"OPTIND")),
        places: Layers::default(),
        options,
        status: Status::Known(0),
        positional: Ok(Arc::new(Vec::new())),
        folder: Some(Bytes::copy_from_slice(folder)),
        left: None,
        has_references: false,
        input: None,
        output: None,
        open: None,
        scopes: Vec::new(),
    }
}

/// How deep in shells this one is.
pub(super) fn level(outer: Option<&(Val, bool)>, dialect: Dialect) -> Val {
    let known = match outer {
        None => 0,
        Some((Val::Known(text), false)) => {
            std::str::from_utf8(text).ok().and_then(|t| t.trim().parse::<i64>().ok()).unwrap_or_default()
        }
        Some((Val::Unknown(doubt), _)) => return Val::Unknown(doubt.clone()),
        Some(_) => return Val::Unknown(Doubt::filled("how deep in shells it is started is not known")),
    };
    let next = match dialect {
        Dialect::Bash if known < 0 => 0,
        Dialect::Bash if known >= 999 => 1,
        _ => known + 1,
    };
    Val::of(next.to_string())
}
