//! What becomes of names that mean something to a shell, where they are handed in (measured: bash 5.2, dash 0.5.12, zsh
//! 5.9, ksh93u+m, mksh R59).

use super::handed::Handed;
use super::startup::{Invocation, Payload};
use super::syntax::Dialect;
use super::value::Val;

/// What becomes of such a name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Taken {
    /// It is not handed on.
    Dropped,
    /// It is handed on once it was asked for, with what the shell makes of it.
    OnceAsked,
    /// It is handed on with what the shell has for it at each start.
    As(&'static str),
    /// It is handed on; what the shell holds, or what is handed on, is made by the shell.
    Own,
    /// The shell does not start with it, or ends soon.
    Refused,
}

/// Names, parted by blanks, of which the same becomes.
type Row = (&'static str, Taken);

const BASH: &[Row] = &[
    ("BASH_VERSINFO COMP_WORDBREAKS PPID", Taken::Dropped),
    ("BASHPID BASH_ARGV0 BASH_COMMAND BASH_SUBSHELL HISTCMD RANDOM SRANDOM", Taken::OnceAsked),
    ("BASH EPOCHREALTIME EPOCHSECONDS LINENO SECONDS", Taken::Own),
    ("OPTIND OPTERR", Taken::As("1")),
];

const DASH: &[Row] = &[("PPID", Taken::Own), ("OPTIND", Taken::As("1"))];

const KSH: &[Row] = &[("KSH_VERSION", Taken::Dropped), ("HISTCMD JOBMAX LINENO OPTIND PPID RANDOM SECONDS", Taken::Own)];

const MKSH: &[Row] = &[
    ("BASHPID EPOCHREALTIME KSHEGID KSHGID KSHUID LINENO PGRP PPID RANDOM SECONDS USER_ID", Taken::Own),
    ("PIPESTATUS", Taken::OnceAsked),
    ("PATHSEP", Taken::As(":")),
    ("OPTIND", Taken::As("1")),
];

const ZSH: &[Row] = &[
    ("signals", Taken::Dropped),
    ("CPUTYPE MACHTYPE OSTYPE VENDOR TTY ZSH_ARGZERO ZSH_PATCHLEVEL", Taken::Own),
    ("ARGC ERRNO HISTCHARS HISTCMD LINENO MODULE_PATH OPTARG OPTIND RANDOM SECONDS TTYIDLE", Taken::Own),
    ("TRY_BLOCK_ERROR TRY_BLOCK_INTERRUPT ZSH_EVAL_CONTEXT ZSH_SCRIPT ZSH_SUBSHELL histchars", Taken::Own),
];

/// What counts only as a number.
const NUMBERS_OF_ZSH: &str = "COLUMNS HISTSIZE KEYTIMEOUT LINES LISTMAX MAILCHECK SAVEHIST";
const NUMBERS_OF_KSH: &str = "MAILCHECK TMOUT";
const NUMBERS_OF_MKSH: &str = "COLUMNS HISTSIZE LINENO LINES OPTIND SECONDS TMOUT";

/// What becomes of the names that are handed in and mean something to the shell.
pub(super) fn taken(start: &Handed, invocation: &Invocation, is_root: bool) -> Vec<(&'static str, Taken)> {
    let (rows, numbers, otherwise) = match invocation.dialect {
        Dialect::Bash => (BASH, "", Taken::Own),
        Dialect::Dash => (DASH, "OPTIND", Taken::Refused),
        Dialect::Zsh => (ZSH, NUMBERS_OF_ZSH, Taken::Own),
        Dialect::Ksh => (KSH, NUMBERS_OF_KSH, Taken::Own),
        Dialect::Mksh => (MKSH, NUMBERS_OF_MKSH, Taken::Refused),
    };
    let mut all = Vec::new();
    for (names, what) in rows {
        all.extend(names.split(' ').map(|name| (name, *what)));
    }
    let is_command = matches!(invocation.payload, Payload::Command | Payload::Becomes | Payload::Forks);
    match invocation.dialect {
        Dialect::Bash if is_command => all.push(("BASH_EXECUTION_STRING", Taken::Own)),
        Dialect::Zsh if is_command => all.push(("ZSH_EXECUTION_STRING", Taken::Own)),
        _ => {}
    }
    match invocation.dialect {
        // What is run for each command as root is not taken from others.
        Dialect::Bash if is_root => all.push(("PS4", Taken::As("+ "))),
        // One by which root is not to be told from others is not taken (mksh(1), «PS1»; measured: R59).
        Dialect::Mksh if is_root => match start.get(b"PS1") {
            Some((Val::Known(prompt), false)) if prompt.contains(&b'#') => {}
            Some((Val::Known(_), false)) => all.push(("PS1", Taken::As("# "))),
            _ => all.push(("PS1", Taken::Own)),
        },
        _ => {}
    }
    all.retain(|(name, _)| start.contains(name.as_bytes()));
    let is_number = |name: &str| match start.get(name.as_bytes()) {
        Some((Val::Known(text), false)) => !text.is_empty() && text.len() < 9 && text.iter().all(u8::is_ascii_digit),
        _ => false,
    };
    let wrong = numbers.split(' ').filter(|name| start.contains(name.as_bytes()) && !is_number(name));
    all.extend(wrong.map(|name| (name, otherwise)).collect::<Vec<_>>());
    // No function is called deeper than that, and what is no number is none at all.
    if invocation.dialect == Dialect::Zsh && start.contains(b"FUNCNEST") && !is_number("FUNCNEST") {
        all.push(("FUNCNEST", Taken::Refused));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Block;

    #[test]
    fn what_becomes_of_what_is_handed_in_hangs_on_the_shell() {
        use Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        let (own, as_one, refused) = (Some(Taken::Own), Some(Taken::As("1")), Some(Taken::Refused));
        for (dialect, name, value, expected) in [
            (Bash, "GATE", "7", None),
            (Bash, "RANDOM", "5", Some(Taken::OnceAsked)),
            (Bash, "PPID", "5", Some(Taken::Dropped)),
            (Bash, "PS4", "$(tide-now)", Some(Taken::As("+ "))),
            (Bash, "BASH_EXECUTION_STRING", "x", own),
            (Bash, "OPTIND", "7", as_one),
            (Dash, "OPTIND", "7", as_one),
            (Dash, "OPTIND", "x", refused),
            (Dash, "RANDOM", "5", None),
            (Ksh, "TMOUT", "600", None),
            (Ksh, "TMOUT", "soon", own),
            (Mksh, "TMOUT", "soon", refused),
            (Mksh, "PS1", "> ", Some(Taken::As("# "))),
            (Mksh, "PS1", "pier # ", None),
            (Zsh, "COLUMNS", "80", None),
            (Zsh, "COLUMNS", "wide", own),
            (Zsh, "FUNCNEST", "500", None),
            (Zsh, "FUNCNEST", "deep", refused),
            (Zsh, "OSTYPE", "tide", own),
        ] {
            let invocation = Invocation::for_script(dialect, Payload::Command);
            let handed = Handed::from(&Block::from_vars([(name, value)]));
            // Of several rules the last one counts.
            let found = taken(&handed, &invocation, true).last().map(|(_, what)| *what);
            assert_eq!(found, expected, "{dialect:?} {name}={value}");
        }
        let handed = Handed::from(&Block::from_vars([("PS1", "> "), ("PS4", "$(tide-now)")]));
        for dialect in [Bash, Mksh] {
            assert!(taken(&handed, &Invocation::for_script(dialect, Payload::Command), false).is_empty(), "{dialect:?}");
        }
    }
}
