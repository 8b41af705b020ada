//! A shell on the way: what it sets by itself, and whether it reads startup files.

use bytes::Bytes;

use super::{Account, Forecast, Ground, Held, Site};
use crate::host_view::{Content, Kind};

/// How a shell is started.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Start {
    /// As a login shell on a terminal.
    LoginTerminal,
    /// As a login shell with `-c`.
    LoginCommand(Form),
    /// With `-c`.
    Command(Form),
}

/// What a shell does with the command that it was given. bash counts SHLVL back down where it becomes
/// the command itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// It runs the command as a child, as for one with a redirection.
    Forks,
    /// It becomes the command, a simple one.
    Becomes,
    /// The command is not known.
    Unknown,
}

impl Form {
    /// Tells it from the command, where that is certain.
    pub(super) fn of(command: &[u8]) -> Form {
        if command.iter().any(|b| matches!(b, b'>' | b'<' | b'|')) { Form::Forks } else { Form::Unknown }
    }
}

const FILES: &str = "a startup file of the shell is read";

fn program(shell: &[u8]) -> &[u8] {
    shell.rsplit(|b| *b == b'/').next().unwrap_or(shell)
}

/// Returns the startup files that a shell looks for, the first of each group that is there.
fn startup(shell: &[u8], start: Start, home: &[u8], forecast: &Forecast, ground: &Ground<'_>) -> Vec<Bytes> {
    let own = |name: &str| Bytes::from([home, b"/", name.as_bytes()].concat());
    let is_login = !matches!(start, Start::Command(_));
    let is_interactive = start == Start::LoginTerminal;
    let mut groups: Vec<Vec<Bytes>> = Vec::new();
    let one = |path: &'static str| vec![Bytes::from_static(path.as_bytes())];
    match program(shell) {
        b"bash" => {
            if is_login {
                groups.push(one("/etc/profile"));
                groups.push(vec![own(".bash_profile"), own(".bash_login"), own(".profile")]);
            }
            let socket = forecast.get(b"SSH_CLIENT").is_some() || forecast.get(b"SSH2_CLIENT").is_some();
            let is_first = forecast.known(b"SHLVL").is_none_or(|v| v == "0");
            if !is_login && socket && is_first {
                groups.extend([one("/etc/bash.bashrc"), vec![own(".bashrc")]]);
            }
            if !is_interactive && let Some(named) = forecast.known(b"BASH_ENV").filter(|v| !v.is_empty()) {
                groups.push(vec![named.clone()]);
            }
        }
        b"zsh" => {
            groups.extend([one("/etc/zsh/zshenv"), vec![own(".zshenv")]]);
            if is_login {
                groups.extend([one("/etc/zsh/zprofile"), vec![own(".zprofile")]]);
            }
            if is_interactive {
                groups.extend([one("/etc/zsh/zshrc"), vec![own(".zshrc")]]);
            }
            if is_login {
                groups.extend([one("/etc/zsh/zlogin"), vec![own(".zlogin")]]);
            }
        }
        b"fish" => {
            groups.extend([one("/etc/fish/config.fish"), vec![own(".config/fish/config.fish")]]);
            groups.extend([one("/usr/share/fish/config.fish")]);
        }
        _ => {
            if is_login {
                groups.extend([one("/etc/profile"), vec![own(".profile")]]);
            }
            if is_interactive && let Some(named) = forecast.known(b"ENV") {
                groups.push(vec![named.clone()]);
            }
        }
    }
    groups.into_iter().filter_map(|group| group.into_iter().find(|p| ground.files.kind(p) != Kind::Missing)).collect()
}

/// Runs a shell. `folder` is where it starts.
pub(super) fn run(forecast: &mut Forecast, ground: &Ground<'_>, shell: &[u8], start: Start, account: &Account, folder: &[u8]) {
    let how = match start {
        Start::LoginTerminal => "as a login shell",
        Start::LoginCommand(_) => "as a login shell with a command",
        Start::Command(_) => "with a command",
    };
    forecast.hop(format!("{} {how}", String::from_utf8_lossy(shell)));
    if matches!(program(shell), b"nologin" | b"false") {
        return forecast.fails("the account's shell lets nobody in", None);
    }
    let real = ground.files.real_path(shell).unwrap_or_else(|| Bytes::copy_from_slice(shell));
    if program(shell) == b"sh" && !matches!(program(&real), b"sh" | b"dash") {
        return forecast.open("sh is another shell here than dash", None);
    }
    let home = forecast.known(b"HOME").cloned().unwrap_or_else(|| account.home.clone());
    let files = startup(shell, start, &home, forecast, ground);
    // One without a line changes nothing.
    let read = files.iter().find(|path| !matches!(ground.read(path), Content::Bytes(b) if b.trim_ascii().is_empty()));
    let is_bash = program(shell) == b"bash";
    forecast.set(b"PWD", folder);
    if is_bash {
        let level = forecast.known(b"SHLVL").and_then(|v| std::str::from_utf8(v).ok()?.trim().parse::<i64>().ok());
        let level = level.map_or(1, |n| {
            if (0..999).contains(&n) {
                n + 1
            } else if n < 0 {
                0
            } else {
                1
            }
        });
        match start {
            Start::Command(Form::Unknown) | Start::LoginCommand(Form::Unknown) => {
                forecast.put(b"SHLVL", Held::Unknown("bash counts one less where it becomes its last command"), None);
            }
            Start::Command(Form::Becomes) | Start::LoginCommand(Form::Becomes) => {
                forecast.set(b"SHLVL", (level - 1).max(0).to_string());
            }
            _ => forecast.set(b"SHLVL", level.to_string()),
        }
        let old = forecast.known(b"OLDPWD").cloned();
        if old.is_some_and(|old| ground.files.kind(&old) != Kind::Folder) {
            forecast.drop_name(b"OLDPWD", Some("bash drops it: it leads to no folder"), None);
        }
        if start != Start::LoginTerminal {
            forecast.drop_name(b"PS1", Some("bash drops it where it is not interactive"), None);
        }
    }
    if let Some(path) = read {
        forecast.open(FILES, Some(Site { path: path.clone(), line: 1 }));
    } else if !matches!(program(shell), b"bash" | b"dash" | b"sh") {
        forecast.open("what this shell sets by itself is not modelled yet", None);
    } else if !is_bash {
        // dash hands on only names that it could have set.
        let odd: Vec<Bytes> = forecast.vars().map(|(n, _)| n.clone()).filter(|n| !crate::reader::is_portable(n)).collect();
        for name in odd {
            forecast.drop_name(&name, Some("dash drops names that are not of letters, digits and underscores"), None);
        }
    }
}
