//! Logins and commands over ssh (OpenSSH 9.2: sshd(8), sshd_config(5)).

use bytes::Bytes;
use globset::Glob;

use super::login::overlay;
use super::shell::{self, Form, Start};
use super::{Account, CONFIGURATION_DENIED, Forecast, Ground, Held, Laid, Reached, Site, matching, read_as, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::Effect;

/// What sshd's configuration says of variables.
#[derive(Default)]
struct Config {
    accept: Vec<String>,
    user_environment: Option<String>,
    set: Vec<Laid>,
    uses_pam: Option<bool>,
    files: usize,
    unknown: Option<&'static str>,
}

impl Config {
    /// A configuration of more files includes itself.
    const MOST: usize = 64;

    fn read(&mut self, ground: &Ground<'_>, path: &[u8]) {
        self.files += 1;
        if self.files > Self::MOST {
            self.unknown = Some("sshd's configuration includes itself");
            return;
        }
        let file = match ground.read(path) {
            Content::Bytes(file) => file,
            Content::Missing => return,
            Content::Denied if ground.assumes_stock => return,
            Content::Denied => {
                self.unknown = Some(CONFIGURATION_DENIED);
                return;
            }
        };
        let text = String::from_utf8_lossy(&file).into_owned();
        for (at, line) in text.lines().enumerate() {
            let line = line.trim();
            let (key, rest) = line.split_once(|c: char| c.is_whitespace() || c == '=').unwrap_or((line, ""));
            let rest = rest.trim();
            let site = Site { path: Bytes::copy_from_slice(path), line: at + 1 };
            match key.to_ascii_lowercase().as_str() {
                "include" => {
                    for pattern in rest.split_whitespace() {
                        // Relative ones begin at /etc/ssh.
                        let folder = if pattern.starts_with('/') { "" } else { "/etc/ssh/" };
                        for path in matching(ground, format!("{folder}{pattern}").as_bytes()) {
                            self.read(ground, &path);
                        }
                    }
                }
                "acceptenv" => self.accept.extend(rest.split_whitespace().map(str::to_owned)),
                // Of several the first counts.
                "permituserenvironment" => {
                    self.user_environment.get_or_insert_with(|| rest.to_ascii_lowercase());
                }
                "usepam" => {
                    self.uses_pam.get_or_insert(rest.eq_ignore_ascii_case("yes"));
                }
                "setenv" => {
                    for word in words_of(rest) {
                        if let Some((name, value)) = word.split_once('=')
                            && !self.set.iter().any(|l| l.name == name.as_bytes())
                        {
                            let (name, effect) = (name.to_owned().into(), Effect::Set(value.to_owned().into()));
                            self.set.push(Laid { name, effect, site: site.clone(), copies: None });
                        }
                    }
                }
                "match" => self.unknown = Some("sshd's configuration has parts for some accounts or hosts alone"),
                _ => {}
            }
        }
    }
}

/// Cuts at blanks outside of double quotes, which are taken off.
fn words_of(text: &str) -> Vec<String> {
    let (mut out, mut word, mut quoted) = (Vec::new(), String::new(), false);
    for c in text.chars() {
        match c {
            '"' => quoted = !quoted,
            c if c.is_whitespace() && !quoted => {
                if !word.is_empty() {
                    out.push(std::mem::take(&mut word));
                }
            }
            c => word.push(c),
        }
    }
    if !word.is_empty() {
        out.push(word);
    }
    out
}

const DECIDES: &str = "the client decides whether to send it";

/// A login, or a command, over ssh. The forecast begins with the client's block, as far as it is
/// known.
pub fn ssh(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account, is_command: bool) {
    let mut config = Config::default();
    config.read(ground, b"/etc/ssh/sshd_config");
    forecast.hop("sshd");
    let accepted: Vec<_> = config.accept.iter().filter_map(|p| Glob::new(p).ok()).map(|g| g.compile_matcher()).collect();
    let takes = |name: &[u8]| std::str::from_utf8(name).is_ok_and(|n| accepted.iter().any(|g| g.is_match(n)));
    forecast.keep("sshd takes only what its AcceptEnv lists", |name| takes(name) || !is_command && name == b"TERM");
    for name in super::manager::LOCALE_NAMES.iter().filter(|n| takes(n)) {
        if forecast.get(name).is_none() {
            forecast.put(name, Held::Unknown(DECIDES), None);
        }
    }
    for (name, value) in
        [(&b"USER"[..], &account.name), (b"LOGNAME", &account.name), (b"HOME", &account.home), (b"SHELL", &account.shell)]
    {
        forecast.set(name, value);
    }
    match account.uid {
        0 => forecast.put(b"PATH", Held::Unknown("sshd has another PATH for root"), None),
        _ => forecast.set(b"PATH", "/usr/local/bin:/usr/bin:/bin:/usr/games"),
    }
    for name in ["SSH_CLIENT", "SSH_CONNECTION"] {
        forecast.put(name.as_bytes(), Held::PerRun, None);
    }
    if !is_command {
        forecast.put(b"SSH_TTY", Held::PerRun, None);
        if forecast.get(b"TERM").is_none() {
            forecast.put(b"TERM", Held::Unknown(DECIDES), None);
        }
    }
    if config.user_environment.as_deref().is_some_and(|v| v != "no") {
        if config.user_environment.as_deref() != Some("yes") {
            config.unknown = Some("sshd takes only some names from the account's own file");
        }
        let path = [&account.home[..], b"/.ssh/environment"].concat();
        match read_as(ground, "ssh-environment", &path, &surroundings(account, Block::empty())) {
            Ok(entries) => forecast.lay(entries),
            Err(why) => forecast.open(why, None),
        }
    }
    // Debian's configuration asks for it; the program's own default is no.
    if config.uses_pam.unwrap_or(false) {
        overlay(forecast, ground, "sshd", account);
        if forecast.reached != Reached::Yes {
            return;
        }
    } else {
        forecast.set(b"MAIL", [b"/var/mail/", &account.name[..]].concat());
    }
    forecast.hop("sshd's own settings");
    forecast.lay(std::mem::take(&mut config.set));
    if let Some(why) = config.unknown {
        forecast.open(why, None);
    }
    let start = if is_command { Start::Command(Form::Unknown) } else { Start::LoginTerminal };
    shell::run(forecast, ground, &account.shell, start, account, &account.home);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;

    #[test]
    fn the_strongest_wins_and_the_client_is_not_guessed() {
        let mut tree = MemoryTree::default();
        let config = "Include /etc/ssh/sshd_config.d/*.conf\nUsePAM yes\nAcceptEnv LANG LC_* GATE\nPermitUserEnvironment yes\nSetEnv A=set B=\"set too\"\n";
        tree.file("/etc/ssh/sshd_config", config, false);
        tree.file("/etc/ssh/sshd_config.d/1.conf", "SetEnv A=first\n", false);
        tree.file("/etc/pam.d/sshd", "session required pam_env.so\n", false);
        tree.file("/etc/security/pam_env.conf", "", false);
        tree.file("/etc/environment", "B=pam\nC=pam\n", false);
        tree.file("/home/odile/.ssh/environment", "C=own\nD=own\nPATH=/own\n", false);
        let odile = Account { name: "odile".into(), uid: 1000, gid: 1000, home: "/home/odile".into(), shell: "/bin/dash".into() };
        let ground = Ground::new(&tree, std::slice::from_ref(&odile));
        let client = Block::from_vars([("GATE", "4"), ("EDITOR", "vi"), ("TERM", "xterm")]);
        let mut forecast = Forecast::begin(&client);
        ssh(&mut forecast, &ground, &odile, true);
        for (name, value) in [
            ("A", "first"),
            ("B", "set too"),
            ("C", "pam"),
            ("D", "own"),
            ("GATE", "4"),
            ("PATH", "/own"),
            ("PWD", "/home/odile"),
        ] {
            assert_eq!(forecast.known(name.as_bytes()), Some(&Bytes::from(value)), "{name}");
        }
        for name in ["EDITOR", "TERM", "MAIL", "SSH_TTY"] {
            assert_eq!(forecast.get(name.as_bytes()), None, "{name}");
        }
        assert_eq!(forecast.get(b"LC_TIME").map(|v| v.held.clone()), Some(Held::Unknown(DECIDES)));
        assert_eq!((forecast.open, forecast.reached), (None, Reached::Yes));
    }
}
