//! What a PAM stack's `pam_env` lines set (pam_env(8), pam.d(5)).

use std::collections::BTreeMap;

use bytes::Bytes;

use super::{Account, Ground, Laid, Site, laid, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::{Effect, pam_conf, reader};

/// Why a route ends where a session cannot be opened.
pub(super) const FAILED: &str = "a required module of the login fails, and no session is opened";

/// The environment that a stack builds up, apart from the program's own.
#[derive(Debug, Default)]
pub(super) struct PamSet {
    vars: BTreeMap<Bytes, Laid>,
    /// Why it is not known, if it is not.
    pub(super) unknown: Option<&'static str>,
    /// The line whose module fails, so that no session is opened.
    pub(super) failed: Option<Site>,
}

impl PamSet {
    /// Begins with what the program puts in before it asks for a session.
    pub(super) fn seeded(seeds: impl IntoIterator<Item = Laid>) -> PamSet {
        PamSet { vars: seeds.into_iter().map(|l| (l.name.clone(), l)).collect(), ..PamSet::default() }
    }

    /// Returns what is set, in the order of the names.
    pub(super) fn entries(self) -> Vec<Laid> {
        self.vars.into_values().collect()
    }

    fn take(&mut self, entries: Vec<Laid>) {
        for entry in entries {
            match entry.effect {
                Effect::Unset => {
                    self.vars.remove(&entry.name);
                }
                _ => {
                    self.vars.insert(entry.name.clone(), entry);
                }
            }
        }
    }

    /// Opens a session of a service for an account.
    pub(super) fn session(&mut self, ground: &Ground<'_>, service: &[u8], account: &Account) {
        let mut stack = Stack { ground, modules: Vec::new(), files: 0, unknown: None };
        stack.read(service, true);
        self.unknown = self.unknown.or(stack.unknown);
        for Module { name, must_succeed, arguments, site } in stack.modules {
            let set = |name: &str, effect| Laid {
                name: Bytes::copy_from_slice(name.as_bytes()),
                effect,
                site: site.clone(),
                copies: None,
            };
            match name.as_str() {
                "pam_env.so" => {
                    let succeeds = self.pam_env(ground, &arguments, account);
                    let fails = (must_succeed && !succeeds).then_some(site);
                    self.failed = self.failed.take().or(fails);
                }
                // It asks the running session manager; without one it sets nothing.
                "pam_systemd.so" => {
                    let unknown = Effect::Unknown("the session manager decides when the session is opened");
                    let names = [
                        "XDG_SESSION_ID",
                        "XDG_SESSION_TYPE",
                        "XDG_SESSION_CLASS",
                        "XDG_RUNTIME_DIR",
                        "DBUS_SESSION_BUS_ADDRESS",
                    ];
                    self.take(names.iter().map(|name| set(name, unknown.clone())).collect());
                }
                "pam_mail.so" if !arguments.iter().any(|a| a == b"noenv") => {
                    let folder = arguments.iter().find_map(|a| a.strip_prefix(b"dir=")).unwrap_or(b"/var/mail");
                    let own = folder.strip_prefix(b"~");
                    let path = match own {
                        Some(rest) => [&account.home[..], rest].concat(),
                        None => [folder, b"/", &account.name].concat(),
                    };
                    self.take(vec![set("MAIL", Effect::Set(path.into()))]);
                }
                "pam_motd.so" => self.take(vec![set("MOTD_SHOWN", Effect::Set("pam".into()))]),
                _ => {}
            }
        }
    }

    /// One line of the module: the rules first, then the file, then the account's own. Returns whether
    /// it succeeds: without its rules, or with wrong ones, it reads nothing more and fails.
    fn pam_env(&mut self, ground: &Ground<'_>, arguments: &[Vec<u8>], account: &Account) -> bool {
        let option =
            |name: &[u8]| arguments.iter().rev().find_map(|a| a.strip_prefix(name)?.strip_prefix(b"=").map(<[u8]>::to_vec));
        let is_on = |name: &[u8], usual: bool| option(name).map_or(usual, |v| v != b"0");
        let conf = option(b"conffile").unwrap_or_else(|| b"/etc/security/pam_env.conf".to_vec());
        let file = option(b"envfile").unwrap_or_else(|| b"/etc/environment".to_vec());
        if ground.read(&conf) == Content::Missing && conf != b"/dev/null" || !self.conf(ground, &conf, account) {
            return false;
        }
        if is_on(b"readenv", true) && !self.plain(ground, &file, account) {
            return false;
        }
        if is_on(b"user_readenv", false) {
            let own = option(b"user_envfile").unwrap_or_else(|| b".pam_environment".to_vec());
            return self.conf(ground, &[&account.home[..], b"/", &own].concat(), account);
        }
        true
    }

    /// Applies a file of rules; returns whether the module goes on.
    fn conf(&mut self, ground: &Ground<'_>, path: &[u8], account: &Account) -> bool {
        let file = match ground.read(path) {
            Content::Bytes(file) => file,
            Content::Missing => return true,
            Content::Denied => {
                self.unknown = Some("a file of the login may not be read");
                return true;
            }
        };
        let before = |name: &[u8]| match self.vars.get(name).map(|l| &l.effect) {
            Some(Effect::Set(value)) => Some(value.to_vec()),
            _ => None,
        };
        let reading = pam_conf::read_after(&file, &surroundings(account, Block::empty()), &before);
        let goes_on = reading.is_accepted();
        self.take(laid(path, &file, reading));
        goes_on
    }

    fn plain(&mut self, ground: &Ground<'_>, path: &[u8], account: &Account) -> bool {
        let Some(reader) = reader("pam-env-file") else { return true };
        match ground.read(path) {
            Content::Bytes(file) => {
                let reading = reader.read(&file, &surroundings(account, Block::empty()));
                let goes_on = reading.is_accepted();
                self.take(laid(path, &file, reading));
                goes_on
            }
            Content::Missing => true,
            Content::Denied => {
                self.unknown = Some("a file of the login may not be read");
                true
            }
        }
    }
}

/// A line of a stack.
struct Module {
    name: String,
    /// Whether the session is not opened if it fails.
    must_succeed: bool,
    arguments: Vec<Vec<u8>>,
    site: Site,
}

/// The modules that set variables in a session of a service, included stacks in their places.
struct Stack<'a> {
    ground: &'a Ground<'a>,
    modules: Vec<Module>,
    /// How many files were read.
    files: usize,
    unknown: Option<&'static str>,
}

impl Stack<'_> {
    /// A stack of more files includes itself.
    const MOST: usize = 64;

    /// Returns a service's rules with their path. Only a service that has none takes the usual ones.
    fn file(&mut self, service: &[u8], is_first: bool) -> Option<(Bytes, Bytes)> {
        let names = if is_first { &[service, b"other"][..] } else { &[service][..] };
        for name in names {
            let path = Bytes::from([b"/etc/pam.d/", *name].concat());
            match self.ground.read(&path) {
                Content::Bytes(file) => return Some((path, file)),
                Content::Missing => {}
                Content::Denied => {
                    self.unknown = Some("the login's rules may not be read");
                    return None;
                }
            }
        }
        None
    }

    fn read(&mut self, service: &[u8], is_first: bool) {
        self.files += 1;
        if self.files > Self::MOST {
            self.unknown = Some("the login's rules include each other");
            return;
        }
        let Some((path, file)) = self.file(service, is_first) else { return };
        // What stands behind a jump over several lines may be passed over.
        let is_jump = |n: &str| n.parse::<u32>().is_ok_and(|n| n > 1);
        let mut jumps = false;
        let joined = String::from_utf8_lossy(&file).replace("\\\n", " ");
        for (at, line) in joined.lines().enumerate() {
            let line = line.split('#').next().unwrap_or_default();
            // A control in brackets is one word.
            let (line, control) = match (line.find('['), line.find(']')) {
                (Some(from), Some(to)) if from < to => {
                    let (before, after) = (line.get(..from).unwrap_or_default(), line.get(to + 1..).unwrap_or_default());
                    (format!("{before} [] {after}"), line.get(from..=to).unwrap_or_default().to_owned())
                }
                _ => (line.to_owned(), String::new()),
            };
            let mut words = line.split_whitespace();
            match (words.next().map(|kind| kind.trim_start_matches('-')), words.next(), words.next()) {
                (Some("@include"), Some(name), _) | (Some("session"), Some("include" | "substack"), Some(name)) => {
                    self.read(name.as_bytes(), false);
                }
                (Some("session"), Some(way), Some(module)) => {
                    let module = module.rsplit('/').next().unwrap_or(module);
                    if matches!(module, "pam_env.so" | "pam_systemd.so" | "pam_mail.so" | "pam_motd.so") {
                        if jumps && module == "pam_env.so" {
                            self.unknown = Some("a jump in the login's rules decides");
                        }
                        let site = Site { path: path.clone(), line: at + 1 };
                        let must_succeed = matches!(way, "required" | "requisite") || control.contains("default=bad");
                        let arguments = words.map(|w| w.as_bytes().to_vec()).collect();
                        self.modules.push(Module { name: module.to_owned(), must_succeed, arguments, site });
                    }
                    let ways = control.split_whitespace().filter_map(|c| c.trim_end_matches(']').split('=').nth(1));
                    jumps |= ways.into_iter().any(is_jump);
                }
                _ => {}
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;

    /// What a session of `login` sets, its names in order, and why it is not known or not opened.
    fn session(files: &[(&str, &str)]) -> String {
        let mut tree = MemoryTree::default();
        tree.file("/etc/security/pam_env.conf", "", false);
        files.iter().for_each(|(path, text)| tree.file(path, text.as_bytes().to_vec(), false));
        let accounts = Account::made_up("/bin/bash");
        let ground = Ground::new(&tree, &accounts);
        let mut set = PamSet::default();
        set.session(&ground, b"login", &accounts[1]);
        let ends = [set.unknown.map(str::to_owned), set.failed.clone().map(|site| format!("fails at {}", site.line))];
        let told = set.entries().into_iter().map(|laid| {
            let name = String::from_utf8_lossy(&laid.name).into_owned();
            match laid.effect {
                Effect::Set(value) => format!("{name}={}", String::from_utf8_lossy(&value)),
                Effect::Unset => format!("{name} unset"),
                _ => format!("{name}?"),
            }
        });
        told.chain(ends.into_iter().flatten()).collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn a_stack_sets_what_its_lines_say() {
        const LOGIN: &str = "/etc/pam.d/login";
        const CONF: &str = "/etc/security/pam_env.conf";
        const USUAL: &str = "/etc/environment";
        for (files, told) in [
            (&[(LOGIN, "session required pam_env.so"), (USUAL, "PIER=4\nLANE=2")][..], "LANE=2 PIER=4"),
            (&[(LOGIN, "session optional pam_env.so # comment\n"), (CONF, "PIER DEFAULT=@{HOME}/pier")], "PIER=/home/odile/pier"),
            (&[(LOGIN, "session required pam_env.so readenv=0"), (USUAL, "PIER=4")], ""),
            (&[(LOGIN, "session required pam_env.so envfile=/etc/lanes"), ("/etc/lanes", "LANE=1"), (USUAL, "PIER=4")], "LANE=1"),
            (&[(LOGIN, "auth required pam_env.so"), (USUAL, "PIER=4")], ""),
            (&[(LOGIN, "-session required pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (&[(LOGIN, "session required /lib/security/pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (&[(LOGIN, "session required \\\n pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            // Others are taken in, in their places; one that is not there brings nothing.
            (&[(LOGIN, "@include common\n"), ("/etc/pam.d/common", "session required pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (
                &[(LOGIN, "session include common\n"), ("/etc/pam.d/common", "session required pam_env.so"), (USUAL, "PIER=4")],
                "PIER=4",
            ),
            (&[(LOGIN, "@include none\nsession required pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (&[("/etc/pam.d/other", "session required pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (&[(LOGIN, ""), ("/etc/pam.d/other", "session required pam_env.so"), (USUAL, "PIER=4")], ""),
            // The account's own file counts where it is asked for, and its rules see what was set before.
            (
                &[
                    (LOGIN, "session required pam_env.so user_readenv=1"),
                    (USUAL, "PIER=4"),
                    ("/home/odile/.pam_environment", "LANE DEFAULT=${PIER}a"),
                ],
                "LANE=4a PIER=4",
            ),
            // Where its rules are missing the module fails; whether that counts is the stack's.
            (&[(LOGIN, "session required pam_env.so conffile=/none"), (USUAL, "PIER=4")], "fails at 1"),
            (&[(LOGIN, "\nsession optional pam_env.so conffile=/none"), (USUAL, "PIER=4")], ""),
            (&[(LOGIN, "session [success=ok default=bad] pam_env.so conffile=/none")], "fails at 1"),
            (&[(LOGIN, "session required pam_env.so conffile=/dev/null"), (USUAL, "PIER=4")], "PIER=4"),
            // Other modules that set something.
            (&[(LOGIN, "session optional pam_mail.so\nsession optional pam_motd.so")], "MAIL=/var/mail/odile MOTD_SHOWN=pam"),
            (&[(LOGIN, "session optional pam_mail.so dir=~/post")], "MAIL=/home/odile/post"),
            (&[(LOGIN, "session optional pam_mail.so noenv")], ""),
            // What is jumped over is not known.
            (
                &[(LOGIN, "session [success=2 default=ignore] pam_x.so\nsession required pam_env.so"), (USUAL, "PIER=4")],
                "PIER=4 a jump in the login's rules decides",
            ),
            (&[(LOGIN, "session [success=1 default=ignore] pam_x.so\nsession required pam_env.so"), (USUAL, "PIER=4")], "PIER=4"),
            (&[(LOGIN, "@include login")], "the login's rules include each other"),
        ] {
            assert_eq!(session(files), told, "{files:?}");
        }
    }
}
