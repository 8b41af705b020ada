//! Names that shells give a meaning of their own: which they are, and what each takes.

use super::content::Content;
use super::machine::Machine;
use super::syntax::*;
use super::value::Val;
use super::variables::is_decimal;

/// Names that zsh sets by itself at times, and that may be set to anything.
pub(super) const FREELY_SET: &[&[u8]] = &[b"reply", b"REPLY", b"OPTARG", b"ZLE_RPROMPT_INDENT"];

/// Names of zsh's that are texts by their nature (zshparam(1)), besides those of the locale.
const TEXTS: &[&[u8]] = &[
    b"HOME",
    b"TERM",
    b"IFS",
    b"PS1",
    b"PS2",
    b"PS3",
    b"PS4",
    b"PROMPT",
    b"RPS1",
    b"RPROMPT",
    b"WORDCHARS",
    b"NULLCMD",
    b"LANG",
];

/// Names of zsh's that take any number.
pub(super) const NUMBERS: &[&[u8]] =
    &[b"HISTSIZE", b"SAVEHIST", b"KEYTIMEOUT", b"LISTMAX", b"MAILCHECK", b"FUNCNEST", b"COLUMNS", b"LINES", b"OPTIND"];

/// Those of them that are as they were set.
const KEPT: &[&[u8]] = &[b"HISTSIZE", b"SAVEHIST", b"KEYTIMEOUT", b"LISTMAX", b"MAILCHECK", b"FUNCNEST"];

/// Those that are numbers no longer where a list is given to them (measured: 5.9).
const PLAIN_NUMBERS: &[&[u8]] = &[b"KEYTIMEOUT", b"LISTMAX", b"MAILCHECK"];

/// Whether a name that the shell has by itself keeps what it is set to.
pub(super) fn is_kept(dialect: Dialect, name: &[u8], content: &Content) -> bool {
    let is_plain = |value: &Val| value.known().is_some_and(|text| is_decimal(text) && text.first() != Some(&b'0'));
    let is_one = name == b"OPTIND" || dialect == Dialect::Zsh && KEPT.contains(&name);
    is_one && matches!(content, Content::Set(value) if is_plain(value)) || name == b"OPTARG" && matches!(content, Content::Set(_))
}

impl Machine<'_> {
    /// Whether a name is one that this shell gives a meaning of its own, so that setting or reading it
    /// does more than to store a text.
    pub(super) fn is_special(&self, name: &[u8]) -> bool {
        if matches!(name, b"LINENO" | b"PPID" | b"OPTIND") {
            return true;
        }
        match self.dialect {
            Dialect::Bash => matches!(
                name,
                b"UID"
                    | b"EUID"
                    | b"SHELLOPTS"
                    | b"BASHOPTS"
                    | b"BASH_VERSINFO"
                    | b"GROUPS"
                    | b"FUNCNAME"
                    | b"BASHPID"
                    | b"BASH_ARGV0"
                    | b"RANDOM"
                    | b"SRANDOM"
                    | b"SECONDS"
                    | b"EPOCHSECONDS"
                    | b"EPOCHREALTIME"
                    | b"HISTCMD"
                    | b"DIRSTACK"
                    | b"BASH_LINENO"
                    | b"BASH_SOURCE"
                    | b"BASH_COMMAND"
                    | b"BASH_SUBSHELL"
                    | b"PIPESTATUS"
                    | b"_"
                    | b"POSIXLY_CORRECT"
                    | b"BASH_ALIASES"
                    | b"BASH_ARGC"
                    | b"BASH_ARGV"
                    | b"BASH_CMDS"
                    | b"BASH_EXECUTION_STRING"
                    | b"BASH_LOADABLES_PATH"
                    | b"BASH_MONOSECONDS"
                    | b"COLUMNS"
                    | b"LINES"
                    | b"COMP_WORDBREAKS"
                    | b"COPROC"
                    | b"COPROC_PID"
                    | b"OPTARG"
            ),
            Dialect::Zsh => matches!(
                name,
                b"UID"
                    | b"EUID"
                    | b"GID"
                    | b"EGID"
                    | b"USERNAME"
                    | b"RANDOM"
                    | b"SECONDS"
                    | b"status"
                    | b"pipestatus"
                    | b"argv"
                    | b"ARGC"
                    | b"signals"
                    | b"options"
                    | b"functions"
                    | b"aliases"
                    | b"commands"
                    | b"parameters"
                    | b"builtins"
                    | b"history"
                    | b"_"
                    | b"HISTSIZE"
                    | b"SAVEHIST"
                    | b"COLUMNS"
                    | b"LINES"
                    | b"TTY"
                    | b"TTYIDLE"
                    | b"modules"
                    | b"dirstack"
                    | b"historywords"
                    | b"langinfo"
                    | b"terminfo"
                    | b"termcap"
                    | b"EPOCHSECONDS"
                    | b"zsh_eval_context"
                    | b"ZSH_EVAL_CONTEXT"
                    | b"psvar"
                    | b"HISTCHARS"
                    | b"histchars"
                    | b"KEYTIMEOUT"
                    | b"LISTMAX"
                    | b"MAILCHECK"
                    | b"FUNCNEST"
                    | b"OPTARG"
                    | b"ERRNO"
                    | b"EPOCHREALTIME"
                    | b"epochtime"
                    | b"errnos"
                    | b"sysparams"
                    | b"mapfile"
                    | b"TRY_BLOCK_ERROR"
                    | b"TRY_BLOCK_INTERRUPT"
                    | b"ZSH_EXECUTION_STRING"
                    | b"ZSH_SCRIPT"
                    | b"ZLE_RPROMPT_INDENT"
                    | b"watch"
                    | b"WATCH"
                    | b"funcstack"
                    | b"functrace"
                    | b"funcfiletrace"
                    | b"funcsourcetrace"
                    | b"functions_source"
                    | b"galiases"
                    | b"saliases"
                    | b"usergroups"
                    | b"userdirs"
                    | b"nameddirs"
                    | b"jobdirs"
                    | b"jobstates"
                    | b"jobtexts"
                    | b"reswords"
                    | b"patchars"
                    | b"keymaps"
                    | b"widgets"
                    | b"dis_aliases"
                    | b"dis_builtins"
                    | b"dis_functions"
                    | b"dis_functions_source"
                    | b"dis_galiases"
                    | b"dis_patchars"
                    | b"dis_reswords"
                    | b"dis_saliases"
            ),
            Dialect::Ksh => matches!(
                name,
                b"OPTARG" | b"COLUMNS" | b"LINES" | b"ERRNO" | b"RANDOM" | b"SECONDS" | b"_" | b"HISTCMD" | b"FUNCNAME"
            ),
            Dialect::Mksh => matches!(
                name,
                b"OPTARG"
                    | b"PIPESTATUS"
                    | b"PGRP"
                    | b"BASHPID"
                    | b"KSHGID"
                    | b"RANDOM"
                    | b"SECONDS"
                    | b"_"
                    | b"EPOCHREALTIME"
                    | b"COLUMNS"
                    | b"LINES"
                    | b"USER_ID"
                    | b"KSHUID"
                    | b"KSHEGID"
            ),
            Dialect::Dash => matches!(name, b"OPTARG"),
        }
    }

    /// Whether zsh has a name for a text by its nature.
    pub(super) fn takes_no_list(&self, name: &[u8]) -> bool {
        self.dialect == Dialect::Zsh
            && (self.is_tied_text(name)
                || TEXTS.contains(&name)
                || NUMBERS.contains(&name) && !PLAIN_NUMBERS.contains(&name)
                || matches!(name, b"SHLVL" | b"prompt" | b"OPTARG" | b"ZLE_RPROMPT_INDENT")
                || name.starts_with(b"LC_"))
    }

    /// Whether the shell counts with what a name holds (measured: bash 5.2, 93u+m, R59, 5.9).
    pub(super) fn counts_with(&self, name: &[u8]) -> bool {
        let in_both = matches!(name, b"OPTIND" | b"PPID" | b"RANDOM" | b"SECONDS" | b"LINENO" | b"TMOUT");
        match self.dialect {
            Dialect::Bash => matches!(name, b"OPTIND" | b"SRANDOM" | b"HISTCMD"),
            Dialect::Ksh => in_both || matches!(name, b"MAILCHECK" | b"SHLVL" | b"HISTCMD" | b"JOBMAX"),
            Dialect::Mksh => {
                let is_own = matches!(name, b"BASHPID" | b"COLUMNS" | b"LINES" | b"HISTSIZE" | b"PIPESTATUS" | b"PGRP");
                in_both || is_own || matches!(name, b"KSHUID" | b"KSHGID" | b"KSHEGID" | b"USER_ID")
            }
            Dialect::Zsh => name == b"SHLVL",
            Dialect::Dash => false,
        }
    }

    /// What some shells make of a value that they do not take: a level that is no number, a locale that ksh may not know
    /// (measured: 93u+m).
    pub(super) fn as_taken(&self, name: &[u8], content: Content) -> Content {
        let Content::Set(value) = &content else { return content };
        let is_usual = || value.known().is_some_and(|v| v.is_empty() || matches!(&v[..], b"C" | b"POSIX" | b"C.UTF-8"));
        let is_refused = match self.dialect {
            Dialect::Ksh if name == b"LANG" || name.starts_with(b"LC_") => !is_usual(),
            Dialect::Ksh | Dialect::Zsh if name == b"SHLVL" && value.known().is_some() => {
                !value.is_number() || value.is_empty() != Some(false)
            }
            _ => false,
        };
        if is_refused { Content::Perhaps(Val::unknown(self.doubt("the shell may not take the value"))) } else { content }
    }
}

#[cfg(test)]
mod tests;
