//! Logins: `login` on a console, `su` in its forms (util-linux 2.38, shadow 4.13).

use bytes::Bytes;

use super::pam::PamSet;
use super::shell::{self, Form, Start};
use super::{Account, Forecast, Ground, Reached, Site};
use crate::host_view::{Content, Kind, Want};

/// Returns the PATH that login.defs(5) gives, and where it says so.
fn defined_path(ground: &Ground<'_>, account: &Account) -> (Bytes, Option<Site>) {
    let (key, usual) = if account.uid == 0 {
        (&b"ENV_SUPATH"[..], "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin")
    } else {
        (&b"ENV_PATH"[..], "/usr/local/bin:/usr/bin:/bin:/usr/local/games:/usr/games")
    };
    let path = b"/etc/login.defs";
    let Content::Bytes(file) = ground.read(path) else { return (usual.into(), None) };
    let mut found = (Bytes::from(usual), None);
    for (at, line) in file.split(|b| *b == b'\n').enumerate() {
        let line = line.trim_ascii();
        let Some(rest) = line.strip_prefix(key).filter(|r| r.first().is_some_and(u8::is_ascii_whitespace)) else { continue };
        let value = rest.trim_ascii();
        let value = value.strip_prefix(b"PATH=").unwrap_or(value);
        let site = Site { path: Bytes::copy_from_slice(path), line: at + 1 };
        found = (Bytes::copy_from_slice(value), Some(site));
    }
    found
}

/// Opens a PAM session and lays what it sets over the block.
pub(super) fn overlay(forecast: &mut Forecast, ground: &Ground<'_>, service: &str, account: &Account) {
    forecast.hop(format!("PAM session of {service}"));
    let mut set = PamSet::default();
    set.session(ground, service.as_bytes(), account);
    if let Some(site) = set.failed.take() {
        return forecast.fails(super::pam::FAILED, Some(site));
    }
    let unknown = set.unknown;
    forecast.lay(set.entries());
    if let Some(why) = unknown {
        forecast.open(why, None);
    }
}

/// A login on a console, up to the program that the login shell is told to run.
pub fn console_login(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    forecast.hop("login");
    forecast.keep("login begins with an empty block, but for TERM", |name| name == b"TERM");
    // Where the folder is not there, or may not be entered, it logs in at the root (login.defs(5),
    // DEFAULT_HOME).
    let may_enter = ground.files.may(&account.home, account.uid, account.gid, Want::Execute);
    let is_missing = ground.files.kind(&account.home) == Kind::Missing || may_enter == Some(false);
    let home = if is_missing { Bytes::from_static(b"/") } else { account.home.clone() };
    forecast.set(b"HOME", &home);
    forecast.set(b"USER", &account.name);
    forecast.set(b"SHELL", &account.shell);
    forecast.set(b"LOGNAME", &account.name);
    forecast.set(b"HUSHLOGIN", "FALSE");
    let (path, site) = defined_path(ground, account);
    forecast.put(b"PATH", super::Held::Known(path), site);
    overlay(forecast, ground, "login", account);
    if forecast.reached != Reached::Yes {
        return;
    }
    shell::run(forecast, ground, &account.shell, Start::LoginTerminal, account, &home);
}

/// `su`, with a command of some form: as a login (`su -`), which keeps only `whitelist`, or not, then
/// in `folder`.
pub fn su(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    account: &Account,
    is_login: bool,
    whitelist: &[Bytes],
    folder: &[u8],
    form: Form,
) {
    forecast.hop(if is_login { "su -" } else { "su" });
    if is_login {
        let is_kept = |name: &[u8]| {
            let is_fixed = matches!(name, b"HOME" | b"PATH" | b"SHELL" | b"USER" | b"LOGNAME");
            name == b"TERM" || whitelist.iter().any(|w| w == name) && !is_fixed
        };
        forecast.keep("su - begins with an empty block, but for TERM and what -w names", is_kept);
        let (path, site) = defined_path(ground, account);
        forecast.put(b"PATH", super::Held::Known(path), site);
    }
    forecast.set(b"HOME", &account.home);
    forecast.set(b"SHELL", &account.shell);
    if is_login || account.uid != 0 {
        forecast.set(b"USER", &account.name);
        forecast.set(b"LOGNAME", &account.name);
    }
    overlay(forecast, ground, if is_login { "su-l" } else { "su" }, account);
    if forecast.reached != Reached::Yes {
        return;
    }
    let folder = if is_login { &account.home[..] } else { folder };
    let start = if is_login { Start::LoginCommand(form) } else { Start::Command(form) };
    shell::run(forecast, ground, &account.shell, start, account, folder);
}
