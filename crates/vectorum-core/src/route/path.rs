//! Routes by their names: which ones a host has, and following one to its end.

use std::fmt;

use bytes::Bytes;

use super::{
    Account, Follower, Forecast, Form, Ground, Reached, SudoForm, Table, cargo_test, console_login, container, cron, cron_job,
    debugger, shell_command, shell_script, shell_terminal, ssh, su, sudo, system_service, tmux_pane, transient, unit,
    user_manager, user_service, user_transient,
};
use crate::block::Block;
use crate::host_view::Kind;
use crate::text::inert;

/// One step of a route, as its name says it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Step {
    Login,
    SshLogin,
    SshCommand,
    Container(Bytes),
    Service(Bytes),
    UserManager,
    UserService(Bytes),
    Cron(Table),
    Su(Bytes),
    SuLogin(Bytes),
    Sudo,
    SudoLogin,
    SudoKeeping,
    SudoShell,
    Terminal,
    Script,
    ShCommand,
    TmuxPane,
    Debugger,
    Test,
    Transient,
    UserTransient,
    Desktop,
}

/// Routes whose names are single words: the word, the step, whether it begins a route, its words in a tree.
const WORDS: &[(&str, Step, bool, &str)] = &[
    ("login", Step::Login, true, "login"),
    ("ssh-login", Step::SshLogin, true, "ssh login"),
    ("ssh-command", Step::SshCommand, true, "ssh command"),
    ("user-manager", Step::UserManager, true, "user manager"),
    ("transient", Step::Transient, true, "transient service"),
    ("user-transient", Step::UserTransient, true, "transient service"),
    ("desktop", Step::Desktop, true, "desktop program (modelled)"),
    ("terminal", Step::Terminal, false, "terminal shell"),
    ("script", Step::Script, false, "script"),
    ("sh-c", Step::ShCommand, false, "sh -c"),
    ("tmux-pane", Step::TmuxPane, false, "tmux pane"),
    ("debugger", Step::Debugger, false, "debugger's child"),
    ("test", Step::Test, false, "test's child"),
    ("sudo", Step::Sudo, false, "sudo"),
    ("sudo-login", Step::SudoLogin, false, "sudo -i"),
    ("sudo-keeping", Step::SudoKeeping, false, "sudo -E"),
    ("sudo-shell", Step::SudoShell, false, "sudo -s"),
];

/// A route of a host, for an account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Route(pub(super) Vec<Step>);

/// A name that is no route's.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{text} is no route")]
pub struct NoRoute {
    text: String,
}

impl fmt::Display for Route {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, step) in self.0.iter().enumerate() {
            if at > 0 {
                f.write_str("/")?;
            }
            if let Some((word, ..)) = WORDS.iter().find(|(_, known, ..)| known == step) {
                f.write_str(word)?;
                continue;
            }
            match step {
                Step::Container(bundle) => write!(f, "container:{}", inert(bundle))?,
                Step::Service(name) => write!(f, "service:{}", inert(name))?,
                Step::UserService(name) => write!(f, "user-service:{}", inert(name))?,
                Step::Cron(table) => write!(f, "cron:{}:{}", inert(&table.path), table.line)?,
                Step::Su(name) => write!(f, "su:{}", inert(name))?,
                Step::SuLogin(name) => write!(f, "su-login:{}", inert(name))?,
                _ => {}
            }
        }
        Ok(())
    }
}

/// A step of a route, as somebody who would run it has to know it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Way {
    /// A login on a console.
    Login,
    /// Over ssh, with a command or not.
    Ssh(bool),
    /// A container's bundle.
    Container(Bytes),
    /// A service, of the account's own manager or the system's; none for one of the moment.
    Service(bool, Option<Bytes>),
    /// A job of a table.
    Cron,
    /// Another account, as a login or not.
    Su(Bytes, bool),
    /// `sudo` with an option.
    Sudo(Option<&'static str>),
    /// A shell on a terminal.
    Terminal,
    /// A script of the account's shell.
    Script,
    /// `sh -c`.
    ShCommand,
    /// A pane of a terminal multiplexer.
    TmuxPane,
    /// A debugger's child.
    Debugger,
    /// A test's child.
    Test,
}

impl Route {
    /// Returns the route of its first step alone.
    pub fn first(&self) -> Route {
        Route(self.0.iter().take(1).cloned().collect())
    }

    /// Returns the steps, as somebody who would run them has to know them.
    pub fn ways(&self) -> Vec<Way> {
        let way = |step: &Step| match step {
            Step::Login => Way::Login,
            Step::SshLogin => Way::Ssh(false),
            Step::SshCommand => Way::Ssh(true),
            Step::Container(bundle) => Way::Container(bundle.clone()),
            Step::Service(name) => Way::Service(false, Some(name.clone())),
            Step::Transient => Way::Service(false, None),
            Step::UserService(name) => Way::Service(true, Some(name.clone())),
            Step::UserManager | Step::UserTransient | Step::Desktop => Way::Service(true, None),
            Step::Cron(_) => Way::Cron,
            Step::Su(name) => Way::Su(name.clone(), false),
            Step::SuLogin(name) => Way::Su(name.clone(), true),
            Step::Sudo => Way::Sudo(None),
            Step::SudoLogin => Way::Sudo(Some("-i")),
            Step::SudoKeeping => Way::Sudo(Some("-E")),
            Step::SudoShell => Way::Sudo(Some("-s")),
            Step::Terminal => Way::Terminal,
            Step::Script => Way::Script,
            Step::ShCommand => Way::ShCommand,
            Step::TmuxPane => Way::TmuxPane,
            Step::Debugger => Way::Debugger,
            Step::Test => Way::Test,
        };
        self.0.iter().map(way).collect()
    }

    /// Reads a route's name.
    ///
    /// # Errors
    /// If it is none.
    pub fn parse(text: &str) -> Result<Route, NoRoute> {
        let wrong = || NoRoute { text: text.to_owned() };
        // A table's name has slashes of its own; nothing follows it.
        if let Some((path, line)) = text.strip_prefix("cron:").and_then(|t| t.rsplit_once(':')) {
            let line = line.parse().map_err(|_| wrong())?;
            return Ok(Route(vec![Step::Cron(Table { path: Bytes::copy_from_slice(path.as_bytes()), line })]));
        }
        if let Some(bundle) = text.strip_prefix("container:").filter(|b| b.starts_with('/')) {
            return Ok(Route(vec![Step::Container(Bytes::copy_from_slice(bundle.as_bytes()))]));
        }
        let step = |(at, part): (usize, &str)| {
            let named =
                |prefix: &str| part.strip_prefix(prefix).filter(|n| !n.is_empty()).map(|n| Bytes::copy_from_slice(n.as_bytes()));
            let unit = |name: Bytes| if name.contains(&b'.') { name } else { [&name[..], b".service"].concat().into() };
            if let Some((_, step, begins, _)) = WORDS.iter().find(|(word, ..)| *word == part) {
                return (*begins == (at == 0)).then(|| step.clone());
            }
            if at == 0 {
                named("service:").map(unit).map(Step::Service).or_else(|| named("user-service:").map(unit).map(Step::UserService))
            } else {
                named("su:").map(Step::Su).or_else(|| named("su-login:").map(Step::SuLogin))
            }
        };
        let steps = text.split('/').enumerate().map(step).collect::<Option<Vec<_>>>();
        steps.map(Route).ok_or_else(wrong)
    }

    /// Returns the routes that a host has for an account, in an order that people would list them in.
    /// Sources that may not be read show none.
    pub fn all(ground: &Ground<'_>, account: &Account) -> Vec<Route> {
        let one = |step| Route(vec![step]);
        let mut out = vec![one(Step::Login)];
        let root = ground.accounts.iter().find(|a| a.uid == 0).filter(|r| r.name != account.name);
        let below_login = [
            Step::Terminal,
            Step::Script,
            Step::ShCommand,
            Step::TmuxPane,
            Step::Debugger,
            Step::Test,
            Step::Sudo,
            Step::SudoLogin,
        ];
        for step in below_login {
            out.push(Route(vec![Step::Login, step]));
        }
        if let Some(root) = root {
            out.push(Route(vec![Step::Login, Step::Su(root.name.clone())]));
            out.push(Route(vec![Step::Login, Step::SuLogin(root.name.clone())]));
        }
        if ground.files.kind(b"/etc/ssh/sshd_config") != Kind::Missing {
            out.extend([one(Step::SshLogin), one(Step::SshCommand)]);
        }
        for (table, owner) in cron::tables(ground) {
            if owner == account.name || account.uid == 0 {
                out.push(one(Step::Cron(table)));
            }
        }
        out.extend(unit::services(ground, &unit::unit_folders(None)).into_iter().map(|n| one(Step::Service(n))));
        out.push(one(Step::Transient));
        out.push(one(Step::UserManager));
        let own = unit::services(ground, &unit::unit_folders(Some(&account.home)));
        out.extend(own.into_iter().map(|n| one(Step::UserService(n))));
        out.extend([one(Step::UserTransient), one(Step::Desktop)]);
        out
    }

    /// Returns the branches on which the route stands in the tree of a host, from the first process
    /// down, each with its key and its label; whether it is one of many of its kind.
    pub(super) fn branches(&self) -> Vec<(String, String, bool)> {
        let mut out = Vec::new();
        let mut key = String::new();
        for step in &self.0 {
            let name = Route(vec![step.clone()]).to_string();
            let named = |bytes: &Bytes| inert(bytes).into_owned();
            let bare = |unit: &Bytes| named(unit).strip_suffix(".service").map_or_else(|| named(unit), str::to_owned);
            let label = match step {
                Step::Container(bundle) => {
                    out.push(("containers".to_owned(), "containers".to_owned(), false));
                    named(bundle)
                }
                Step::Service(unit) => {
                    out.push(("services".to_owned(), "services".to_owned(), false));
                    bare(unit)
                }
                Step::UserService(unit) => {
                    out.push(("user-manager".to_owned(), "user manager".to_owned(), false));
                    bare(unit)
                }
                Step::Cron(table) => {
                    out.push(("cron".to_owned(), "cron".to_owned(), false));
                    let path = named(&table.path);
                    let own = path.strip_prefix("/var/spool/cron/crontabs/");
                    let short = own.map(|o| format!("{o}'s table")).or_else(|| path.strip_prefix("/etc/").map(str::to_owned));
                    format!("{}:{}", short.unwrap_or(path), table.line)
                }
                Step::Su(to) => format!("su {}", named(to)),
                Step::SuLogin(to) => format!("su - {}", named(to)),
                step => {
                    if *step == Step::Transient {
                        out.push(("services".to_owned(), "services".to_owned(), false));
                    } else if matches!(step, Step::UserTransient | Step::Desktop) {
                        out.push(("user-manager".to_owned(), "user manager".to_owned(), false));
                    }
                    WORDS.iter().find(|(_, known, ..)| known == step).map_or_else(String::new, |(.., label)| (*label).to_owned())
                }
            };
            if !key.is_empty() {
                key.push('/');
            }
            key.push_str(&name);
            let is_one_of_many = matches!(step, Step::Service(_) | Step::UserService(_) | Step::Cron(_) | Step::Container(_));
            out.push((key.clone(), label, is_one_of_many));
        }
        out
    }

    /// Whether the route begins as a service or another child of the system's own.
    pub fn begins_at_process_one(&self) -> bool {
        matches!(
            self.0.first(),
            Some(
                Step::Service(_)
                    | Step::UserManager
                    | Step::UserService(_)
                    | Step::Transient
                    | Step::UserTransient
                    | Step::Desktop
            )
        )
    }

    /// Follows the route. `start` is the block of the first program on it: process 1 for services,
    /// what a terminal is opened with for a login.
    pub fn forecast(&self, ground: &Ground<'_>, account: &Account, start: &Block) -> Forecast {
        Follower::default().forecast(self, ground, account, start)
    }

    /// Follows steps from where a forecast stands.
    pub(super) fn follow(steps: &[Step], ground: &Ground<'_>, account: &Account, mut forecast: Forecast) -> (Forecast, Account) {
        let mut account = account.clone();
        for step in steps {
            if forecast.reached != Reached::Yes || forecast.launch.is_some() {
                break;
            }
            let folder = account.home.clone();
            let root = || ground.accounts.iter().find(|a| a.uid == 0).cloned();
            match step {
                Step::Login => console_login(&mut forecast, ground, &account),
                Step::SshLogin | Step::SshCommand => ssh(&mut forecast, ground, &account, *step == Step::SshCommand),
                Step::Container(bundle) => container(&mut forecast, ground, bundle),
                Step::Service(name) => system_service(&mut forecast, ground, name),
                Step::UserManager => user_manager(&mut forecast, ground, &account, &[]),
                Step::UserService(name) => user_service(&mut forecast, ground, &account, &[], name),
                Step::Cron(table) => {
                    let owner = cron::tables(ground).into_iter().find(|(t, _)| t == table).map(|(_, owner)| owner);
                    if let Some(owner) = owner.and_then(|o| ground.account(&o).cloned()) {
                        account = owner;
                    }
                    cron_job(&mut forecast, ground, table, &account);
                }
                Step::Su(name) | Step::SuLogin(name) => match ground.account(name).cloned() {
                    Some(target) => {
                        su(&mut forecast, ground, &target, matches!(step, Step::SuLogin(_)), &[], &folder, Form::Unknown);
                        account = target;
                    }
                    None => forecast.fails("there is no such account", None),
                },
                Step::Terminal | Step::Script | Step::ShCommand => {
                    let folder = forecast.known(b"PWD").cloned().unwrap_or(folder);
                    let shell = account.shell.clone();
                    match step {
                        Step::Terminal => shell_terminal(&mut forecast, ground, &shell, false, &account, &folder),
                        Step::Script => shell_script(&mut forecast, ground, &shell, None, &account, &folder),
                        _ => shell_command(&mut forecast, ground, b"/bin/sh", false, Form::Unknown, &account, &folder),
                    }
                }
                Step::TmuxPane => tmux_pane(&mut forecast, ground, &account),
                Step::Debugger => debugger(&mut forecast, ground, &account),
                Step::Test => cargo_test(&mut forecast, ground, &account),
                Step::Transient => transient(&mut forecast, ground),
                Step::UserTransient | Step::Desktop => user_transient(&mut forecast, ground, &account),
                Step::Sudo | Step::SudoLogin | Step::SudoKeeping | Step::SudoShell => match root() {
                    Some(target) => {
                        let form = SudoForm {
                            preserves: *step == Step::SudoKeeping,
                            is_login: *step == Step::SudoLogin,
                            command: "COMMAND".into(),
                            ..SudoForm::default()
                        };
                        sudo(&mut forecast, ground, &account, &target, &form);
                        forecast.per_run(b"SUDO_COMMAND");
                        if *step == Step::SudoShell {
                            let shell = forecast.known(b"SHELL").cloned().unwrap_or_else(|| target.shell.clone());
                            let folder = forecast.known(b"PWD").cloned().unwrap_or(folder);
                            shell_terminal(&mut forecast, ground, &shell, false, &target, &folder);
                        }
                        account = target;
                    }
                    None => forecast.fails("there is no account of number 0", None),
                },
            }
        }
        (forecast, account)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;

    #[test]
    fn names_are_read_and_written() {
        for text in [
            "login",
            "login/sudo",
            "ssh-login/sudo",
            "ssh-command",
            "container:/srv/gate/bundle",
            "login/su:root/sudo-login",
            "service:berth-board.service",
            "user-manager",
            "user-service:tide-watch.service",
            "cron:/etc/cron.d/berth:7",
        ] {
            assert_eq!(Route::parse(text).map(|r| r.to_string()), Ok(text.to_owned()));
        }
        assert_eq!(Route::parse("service:tide-watch").map(|r| r.to_string()), Ok("service:tide-watch.service".to_owned()));
        for text in ["", "sudo", "login/login", "service:", "login/service:a", "cron:/etc/crontab", "cron:/x:y", "login/"] {
            assert!(Route::parse(text).is_err(), "{text}");
        }
    }

    #[test]
    fn shells_are_what_they_are_on_the_host() {
        let mut tree = MemoryTree::default();
        tree.file("/bin/busybox", "", true);
        tree.link("/bin/sh", "busybox");
        let account = |shell: &str| Account {
            name: "odile".into(),
            uid: 1000,
            gid: 1000,
            home: "/home/odile".into(),
            shell: shell.to_owned().into(),
        };
        for (shell, reached, open) in [
            ("/usr/sbin/nologin", false, false),
            ("/bin/sh", true, true),
            ("/bin/bash", true, false),
            ("/bin/zsh", true, false),
            ("/bin/harbour-shell", true, true),
        ] {
            let accounts = [account(shell)];
            let ground = Ground::new(&tree, &accounts);
            let forecast = Route::parse("login").unwrap().forecast(&ground, &accounts[0], &Block::empty());
            assert_eq!((forecast.reached == Reached::Yes, forecast.open.is_some()), (reached, open), "{shell}");
        }
    }

    #[test]
    fn a_hosts_routes_are_found() {
        let mut tree = MemoryTree::default();
        tree.file("/etc/cron.d/berth", "A=1\n@daily odile berth-report\n0 5 * * * root true\n", false);
        tree.file("/etc/cron.d/berth.old", "@daily odile no\n", false);
        tree.file("/var/spool/cron/crontabs/odile", "# mine\n*/5 * * * * gate-count\n", false);
        tree.file("/etc/systemd/system/berth-board.service", "[Service]\nExecStart=/bin/true\n", false);
        tree.link("/etc/systemd/system/masked.service", "/dev/null");
        tree.file("/home/odile/.config/systemd/user/tide-watch.service", "[Service]\n", false);
        let accounts = Account::made_up("/bin/bash");
        let ground = Ground::new(&tree, &accounts);
        let names: Vec<String> = Route::all(&ground, &accounts[1]).iter().map(ToString::to_string).collect();
        assert_eq!(
            names,
            [
                "login",
                "login/terminal",
                "login/script",
                "login/sh-c",
                "login/tmux-pane",
                "login/debugger",
                "login/test",
                "login/sudo",
                "login/sudo-login",
                "login/su:root",
                "login/su-login:root",
                "cron:/etc/cron.d/berth:2",
                "cron:/var/spool/cron/crontabs/odile:2",
                "service:berth-board.service",
                "transient",
                "user-manager",
                "user-service:tide-watch.service",
                "user-transient",
                "desktop",
            ]
        );
        let route = Route::parse("cron:/etc/cron.d/berth:2").unwrap();
        let forecast = route.forecast(&ground, &accounts[1], &Block::empty());
        assert_eq!(forecast.known(b"A"), Some(&Bytes::from("1")));
        assert_eq!(forecast.known(b"HOME"), Some(&Bytes::from("/home/odile")));
    }
}
