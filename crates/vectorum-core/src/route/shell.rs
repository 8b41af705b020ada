//! A shell on the way: what its startup files and the shell itself make of the block.

use std::collections::BTreeSet;

use bytes::Bytes;

use super::events::{Deed, Shell};
use super::{Account, Forecast, Ground, Launch, Purpose, Variable};
use crate::shell::fish;
use crate::shell::{Dialect, Doubt, Ended, Handed, Invocation, NOT_FOLLOWED, Payload, Started, Successor, interpret};

/// How a shell is started.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Start {
    /// As a login shell on a terminal.
    LoginTerminal,
    /// On a terminal, not as a login shell.
    Terminal,
    /// As a login shell with `-c`.
    LoginCommand(Form),
    /// With `-c`.
    Command(Form),
    /// For a script.
    Script,
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

fn program(shell: &[u8]) -> &[u8] {
    shell.rsplit(|b| *b == b'/').next().unwrap_or(shell)
}

/// Tells which shell a program is, and whether it is called as `sh`. Where its name leads elsewhere it is what stands there: `sh`
/// is one shell or another, and so is `ksh` where the system has alternatives for it.
fn dialect(ground: &Ground<'_>, shell: &[u8]) -> Option<(Dialect, bool)> {
    let by_name = |name: &[u8]| match name {
        b"bash" | b"rbash" => Some(Dialect::Bash),
        b"dash" => Some(Dialect::Dash),
        b"zsh" | b"zsh5" => Some(Dialect::Zsh),
        b"ksh" | b"ksh93" => Some(Dialect::Ksh),
        b"mksh" => Some(Dialect::Mksh),
        _ => None,
    };
    let name = program(shell);
    let is_sh = name == b"sh";
    // Where nothing is known of it, `sh` is what the distribution makes it.
    let named = if is_sh { Some(Dialect::Dash) } else { by_name(name) }?;
    let real = ground.files.real_path(shell);
    let dialect = match real.as_deref().map(program) {
        Some(real) if real != name => by_name(real).or((!is_sh && name != b"ksh").then_some(named))?,
        _ => named,
    };
    // zsh is another shell by other names.
    let is_itself = is_sh || dialect != Dialect::Zsh || named == Dialect::Zsh;
    is_itself.then_some((dialect, is_sh))
}

/// A login shell, or another one, of an account on a terminal, up to a command that is typed.
pub fn shell_terminal(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    shell: &[u8],
    is_login: bool,
    account: &Account,
    folder: &[u8],
) {
    let start = if is_login { Start::LoginTerminal } else { Start::Terminal };
    run(forecast, ground, shell, start, account, folder);
}

/// A shell with `-c`, up to a command of some form.
pub fn shell_command(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    shell: &[u8],
    is_login: bool,
    form: Form,
    account: &Account,
    folder: &[u8],
) {
    let start = if is_login { Start::LoginCommand(form) } else { Start::Command(form) };
    run(forecast, ground, shell, start, account, folder);
}

/// A script that a shell runs: up to its first line; or, given its file and a program, up to where
/// the program is started.
pub fn shell_script(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    shell: &[u8],
    script: Option<(&[u8], &[u8])>,
    account: &Account,
    folder: &[u8],
) {
    let script = script.map(|(file, until)| (Bytes::copy_from_slice(file), Bytes::copy_from_slice(until)));
    begin(forecast, ground, shell, Start::Script, script, account, folder);
}

/// Runs a shell. `folder` is where it starts.
pub(super) fn run(forecast: &mut Forecast, ground: &Ground<'_>, shell: &[u8], start: Start, account: &Account, folder: &[u8]) {
    begin(forecast, ground, shell, start, None, account, folder);
}

impl Launch {
    /// The same shell, handed another block.
    pub fn handed(&self, ground: &Ground<'_>, block: &crate::block::Block) -> Launch {
        let start = match (self.purpose, self.is_login) {
            (Purpose::Terminal, true) => Start::LoginTerminal,
            (Purpose::Terminal, false) => Start::Terminal,
            (Purpose::Command, true) => Start::LoginCommand(Form::Unknown),
            (Purpose::Command, false) => Start::Command(Form::Unknown),
            (Purpose::Script, _) => Start::Script,
        };
        let ground = Ground { stops_at_shell: Some(0), ..*ground };
        let mut forecast = Forecast::begin(block);
        run(&mut forecast, &ground, &self.program, start, &self.account, &self.folder);
        forecast.launch.map_or_else(|| self.clone(), |launch| *launch)
    }
}

fn begin(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    shell: &[u8],
    start: Start,
    script: Option<(Bytes, Bytes)>,
    account: &Account,
    folder: &[u8],
) {
    let how = match start {
        Start::LoginTerminal => "as a login shell",
        Start::Terminal => "on a terminal",
        Start::LoginCommand(_) => "as a login shell with a command",
        Start::Command(_) => "with a command",
        Start::Script => "for a script",
    };
    forecast.hop(format!("{} {how}", String::from_utf8_lossy(shell)));
    if matches!(program(shell), b"nologin" | b"false") {
        return forecast.fails("the account's shell lets nobody in", None);
    }
    if ground.passes_shells {
        return;
    }
    let is_wanted = ground.stops_at_shell == Some(forecast.shells);
    forecast.shells += 1;
    let is_fish = program(shell) == b"fish";
    let (dialect, as_sh) = match dialect(ground, shell) {
        Some(found) => found,
        // Its dialect is its own affair.
        None if is_fish => (Dialect::Zsh, false),
        None => return forecast.open("what this shell does is not modelled", None),
    };
    let payload = match start {
        Start::LoginTerminal | Start::Terminal => Payload::Typed,
        Start::Script => Payload::Script(script),
        Start::LoginCommand(form) | Start::Command(form) => match form {
            Form::Forks => Payload::Forks,
            Form::Becomes => Payload::Becomes,
            Form::Unknown => Payload::Command,
        },
    };
    let invocation = Invocation {
        dialect,
        program: Bytes::copy_from_slice(shell),
        as_sh,
        is_login: matches!(start, Start::LoginTerminal | Start::LoginCommand(_)),
        is_interactive: matches!(start, Start::LoginTerminal | Start::Terminal),
        on_socket: false,
        payload,
    };
    let handed = Handed::from(forecast.vars.clone());
    let open = forecast.open.as_ref().map(|(why, site)| Doubt::new(why, site.clone()));
    let block = is_wanted.then(|| forecast.vars.clone());
    let started = if is_fish {
        fish::interpret(*ground, account, &handed, open, folder, &invocation)
    } else {
        interpret(*ground, account, &handed, open, folder, &invocation)
    };
    if let Some(block) = block {
        let purpose = match start {
            Start::LoginTerminal | Start::Terminal => Purpose::Terminal,
            Start::LoginCommand(_) | Start::Command(_) => Purpose::Command,
            Start::Script => Purpose::Script,
        };
        forecast.launch = Some(Box::new(Launch {
            program: Bytes::copy_from_slice(shell),
            dialect: (!is_fish).then_some(dialect),
            is_login: invocation.is_login,
            purpose,
            account: account.clone(),
            folder: Bytes::copy_from_slice(folder),
            block: block.into_iter().collect(),
            startup: started.startup.clone(),
            read: started.read.clone(),
        }));
    }
    let successor = started.successor.clone();
    take(forecast, started, dialect);
    // Somebody types at another shell instead, which may hand over itself.
    if let Some(Successor { program, is_login, folder }) = successor {
        const MOST: usize = 8;
        let (Some(folder), true) = (folder, forecast.shells < MOST) else {
            return forecast.open(NOT_FOLLOWED, None);
        };
        let start = if is_login { Start::LoginTerminal } else { Start::Terminal };
        begin(forecast, ground, &program, start, None, account, &folder);
    }
}

/// Takes what a shell comes to into the forecast.
fn take(forecast: &mut Forecast, started: Started, dialect: Dialect) {
    let Started { decided, changed, gone, kept, open, ended, end, log, skipped, read, startup: _, successor: _ } = started;
    forecast.kept.retain(|(name, _)| !decided.contains(name) && !changed.contains_key(name));
    forecast.kept.extend(kept);
    forecast.skipped.extend(skipped);
    forecast.read.extend(read);
    match ended {
        Ended::Yes => return forecast.fails("a startup file of the shell ends it before", end),
        Ended::Perhaps => drop(forecast.may_end.get_or_insert(("a startup file of the shell may end it before", end))),
        Ended::No => {}
    }
    let hop = forecast.hops.len().saturating_sub(1);
    // What the shell does by itself comes after what its files do.
    let mut deeds = Vec::new();
    let mut others = BTreeSet::new();
    for (name, site) in gone {
        let why = if crate::reader::is_portable(&name) {
            None
        } else {
            Some("the shell drops names that are not of letters, digits and underscores")
        };
        let why = why.or((site.is_none() && dialect == Dialect::Bash).then_some("bash drops it by itself"));
        // A line that unsets it was told already.
        let was_told = site.is_some() && log.of(&name).next_back().is_some_and(|line| line.held.is_none());
        if forecast.vars.remove(&name).is_some() {
            others.insert(name.clone());
            if !was_told {
                deeds.push(Deed { why, ..Deed::new(hop, name, None, site) });
            }
        }
    }
    forecast.vars = decided.over(&forecast.vars);
    let by_itself = deeds.len();
    deeds.extend(decided.untold().map(|(name, var)| Deed::new(hop, name.clone(), Some(var.held.clone()), var.site.clone())));
    for (name, last) in changed {
        let variable = Variable { hop: Some(hop), ..Variable::from(last) };
        let told = log.of(&name).next_back();
        if told.is_none_or(|line| line.held.as_ref() != Some(&variable.held)) {
            deeds.push(Deed::new(hop, name.clone(), Some(variable.held.clone()), variable.site.clone()));
        }
        others.insert(name.clone());
        forecast.vars.insert(name, variable);
    }
    deeds[by_itself..].sort_by(|a, b| a.name.cmp(&b.name));
    forecast.events.push_shell(Shell { hop, log, decided, others });
    deeds.into_iter().for_each(|deed| forecast.events.push(deed));
    if let Some(doubt) = open {
        forecast.open.get_or_insert((doubt.why, doubt.site.clone()));
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::subsequence;

    use super::*;
    use crate::block::Block;
    use crate::host_view::MemoryTree;
    use crate::shell::Shells;

    /// What is called `sh` works as such, whatever it is (measured: bash 5.2, dash 0.5, ksh 93u+m, mksh 59, zsh 5.9).
    #[test]
    fn what_is_called_sh_works_as_such() {
        let profile = "X='a b'; set -- $X; export R=$#\nX=1 :; export S=$X\nT=$(echo {a,b}); export T\n";
        for (real, told) in [
            ("bash", ["2", "a b", "a b"]),
            ("dash", ["2", "1", "{a,b}"]),
            ("ksh", ["2", "1", "{a,b}"]),
            ("mksh", ["2", "1", "a b"]),
            ("zsh", ["2", "1", "{a,b}"]),
        ] {
            let mut tree = MemoryTree::default();
            tree.file(format!("/bin/{real}"), "", true);
            tree.link("/bin/sh", real);
            tree.file("/home/odile/.profile", profile, false);
            let [_, account] = Account::made_up("/bin/sh");
            let accounts = [account.clone()];
            let mut begun = Forecast::begin(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/bin")]));
            shell_command(&mut begun, &Ground::new(&tree, &accounts), b"/bin/sh", true, Form::Forks, &account, b"/home/odile");
            let text = |name: &str| begun.known(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
            assert_eq!(["R", "S", "T"].map(text), told.map(|value| Some(value.to_owned())), "{real}");
        }
    }

    /// What is typed is typed at the shell that comes last; where that is not certain, or not followed, the answer is open.
    #[test]
    fn another_shell_may_take_the_place_of_one() {
        let (zsh, none) = (Some(("7", Some("high"), "1")), None);
        for (rc, expected) in [
            ("export GATE=7; exec zsh; export GATE=8\n", zsh),
            ("export GATE=7; [ -t 0 ] && exec /usr/bin/zsh -i; export GATE=8\n", zsh),
            ("export GATE=7; f() { exec zsh; }; f; export GATE=8\n", zsh),
            ("export GATE=7; zsh; export GATE=8\n", Some(("7", Some("high"), "2"))),
            ("export GATE=7; exec nosuch\n", none),
            ("export GATE=7; exec zsh -c true\n", none),
            ("export GATE=7; exec zsh -f\n", none),
            ("export GATE=7; exec env TIDE=low zsh\n", none),
            ("export GATE=7; tide-now && exec zsh\n", none),
            ("export GATE=7; exec bash\n", none),
            ("export GATE=7; (exec zsh -c true)\n", Some(("7", None, "1"))),
        ] {
            let mut tree = MemoryTree::default().with_programs("/usr/bin", ["bash", "zsh", "env", "tide-now"]);
            tree.file("/home/odile/.bashrc", rc, false);
            tree.file("/home/odile/.zshrc", "export TIDE=high\n", false);
            let accounts = Account::made_up("/usr/bin/bash");
            let start = [("HOME", "/home/odile"), ("PATH", "/usr/bin"), ("SHLVL", "0")];
            let mut begun = Forecast::begin(&Block::from_vars(start));
            let ground = Ground::new(&tree, &accounts);
            shell_terminal(&mut begun, &ground, b"/usr/bin/bash", false, &accounts[1], b"/home/odile");
            let text = |name: &str| begun.known(name.as_bytes()).map(|value| String::from_utf8_lossy(value).into_owned());
            let is_sure = begun.open.is_none() && begun.reached == super::super::Reached::Yes;
            let found = is_sure.then(|| ["GATE", "TIDE", "SHLVL"].map(text));
            let expected = expected.map(|(gate, tide, level)| [Some(gate), tide, Some(level)].map(|v| v.map(str::to_owned)));
            assert_eq!(found, expected, "{rc} {:?}", begun.open);
        }
        for (config, gate, tide) in [
            ("set -gx GATE 7; exec zsh; set -gx GATE 8\n", Some("7"), Some("high")),
            ("set -gx GATE 7; if status is-interactive; exec zsh -l; end\n", Some("7"), Some("high")),
            ("set -gx GATE 7; exec env TIDE=low zsh\n", None, None),
        ] {
            let mut tree = MemoryTree::default().with_programs("/usr/bin", ["fish", "zsh", "env"]);
            tree.file("/home/odile/.config/fish/config.fish", config, false);
            tree.file("/home/odile/.zshrc", "export TIDE=high\n", false);
            let accounts = Account::made_up("/usr/bin/fish");
            let mut begun = Forecast::begin(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/usr/bin")]));
            let ground = Ground::new(&tree, &accounts);
            shell_terminal(&mut begun, &ground, b"/usr/bin/fish", false, &accounts[1], b"/home/odile");
            let text = |name: &str| begun.known(name.as_bytes()).map(|value| String::from_utf8_lossy(value).into_owned());
            assert_eq!((text("GATE").as_deref(), text("TIDE").as_deref()), (gate, tide), "{config} {:?}", begun.open);
        }
    }

    /// What is called `ksh` may be another shell, and one that is called so may be none that is known.
    #[test]
    fn a_name_may_lead_to_another_shell() {
        for (called, real, expected) in [
            ("ksh", "ksh93", Some((Dialect::Ksh, false))),
            ("ksh", "mksh", Some((Dialect::Mksh, false))),
            ("ksh", "berth-shell", None),
            ("ksh", "zsh", None),
            ("sh", "bash", Some((Dialect::Bash, true))),
            ("sh", "berth-shell", None),
            ("bash", "berth-shell", Some((Dialect::Bash, false))),
            ("rbash", "bash", Some((Dialect::Bash, false))),
            ("nosuch", "bash", None),
        ] {
            let mut tree = MemoryTree::default();
            tree.file(format!("/usr/bin/{real}"), "", true);
            tree.link("/etc/alternatives/shell", format!("/usr/bin/{real}"));
            tree.link(format!("/bin/{called}"), "/etc/alternatives/shell");
            assert_eq!(dialect(&Ground::new(&tree, &[]), format!("/bin/{called}").as_bytes()), expected, "{called} {real}");
        }
    }

    /// bash that is called `sh` says so to those to whom all is handed on (measured: 5.2).
    #[test]
    fn bash_as_sh_says_so() {
        let accounts = Account::made_up("/bin/sh");
        for (profile, says) in [("set -a\n", Some("y")), ("GATE=7\n", None)] {
            let mut tree = MemoryTree::default();
            tree.file("/bin/bash", "", true);
            tree.link("/bin/sh", "bash");
            tree.file("/home/odile/.profile", profile, false);
            let mut begun = Forecast::begin(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/bin")]));
            shell_terminal(&mut begun, &Ground::new(&tree, &accounts), b"/bin/sh", true, &accounts[1], b"/home/odile");
            let told = begun.known(b"POSIXLY_CORRECT").map(|value| String::from_utf8_lossy(value).into_owned());
            assert_eq!(told.as_deref(), says, "{profile}");
        }
    }

    /// A file that its reader may not read is passed over, and a folder that is closed hides all that lies in it (measured:
    /// bash 5.2, dash 0.5, ksh 93u+m, mksh 59, zsh 5.9, fish 3.6).
    #[test]
    fn what_may_not_be_read_is_passed_over() {
        for (shell, file) in [
            ("bash", ".profile"),
            ("dash", ".profile"),
            ("ksh", ".profile"),
            ("mksh", ".profile"),
            ("zsh", ".zshenv"),
            ("fish", ".config/fish/config.fish"),
        ] {
            let path = format!("/home/odile/{file}");
            let sets = if shell == "fish" { "set -gx GATE 7\n" } else { "export GATE=7\n" };
            for (closed, mode, is_read) in
                [("", 0, Some(true)), (path.as_str(), 0o600, Some(false)), ("/home", 0o700, Some(false))]
            {
                let mut tree = MemoryTree::default();
                tree.file(&path, sets, false);
                if !closed.is_empty() {
                    tree.own(closed, mode, 0, 0);
                }
                let [_, account] = Account::made_up("/bin/sh");
                let accounts = [account.clone()];
                let ground = Ground::new(&tree, &accounts);
                let mut begun = Forecast::begin(&Block::from_vars([("HOME", "/home/odile"), ("PATH", "/bin")]));
                let shell = format!("/bin/{shell}");
                shell_command(&mut begun, &ground, shell.as_bytes(), true, Form::Forks, &account, b"/home/odile");
                let found = if begun.open.is_some() { None } else { Some(begun.get(b"GATE").is_some()) };
                assert_eq!(found, is_read, "{shell} {closed} {:?}", begun.open);
            }
        }
    }

    /// An error gives up a startup file, or all of them, where others end by it; the shell goes on to its command. What was
    /// reached is told by names: `A` behind the error in the first file, `B` in the second.
    #[test]
    fn an_error_of_a_startup_file_is_not_the_end_of_the_shell() {
        let ends = None;
        for (text, bash, ksh, mksh, dash) in [
            (": ${NONE?}\nexport A=1\n", Some(""), Some("B"), Some("B"), ends),
            ("set -u; : $NONE\nexport A=1\n", Some(""), Some("B"), Some("B"), ends),
            ("f() { : ${NONE?}; }; f\nexport A=1\n", Some(""), Some("B"), Some("AB"), ends),
            (": $((1 / 0))\nexport A=1\n", Some("AB"), Some("B"), Some("B"), ends),
            ("readonly R=1; R=2\nexport A=1\n", Some("AB"), Some("B"), Some("B"), ends),
            ("L[1/0]=2\nexport A=1\n", Some(""), Some("B"), Some("B"), Some("AB")),
            ("(: ${NONE?})\nexport A=1\n", Some("AB"), Some("AB"), Some("AB"), Some("AB")),
            ("exit 3\n", ends, ends, ends, ends),
        ] {
            for (shell, reached) in [("/bin/bash", bash), ("/bin/ksh", ksh), ("/bin/mksh", mksh), ("/bin/dash", dash)] {
                assert_eq!(reached_by(shell, text, Start::LoginCommand(Form::Forks)).as_deref(), reached, "{shell} {text}");
            }
        }
        // Where somebody types a line is given up in one.
        for (text, bash, mksh) in [
            (": ${NONE?}\nexport A=1\n", "AB", "B"),
            ("set -u; : $NONE\nset +u; export A=1\n", "AB", "B"),
            ("set -u; : $((NONE))\nset +u; export A=1\n", "", "AB"),
            ("L[1/0]=2\nexport A=1\n", "", "B"),
            ("readonly R=1; R=2; export A=1\n", "B", "B"),
        ] {
            for (shell, reached) in [("/bin/bash", bash), ("/bin/mksh", mksh)] {
                assert_eq!(reached_by(shell, text, Start::LoginTerminal).as_deref(), Some(reached), "{shell} {text}");
            }
        }
    }

    /// Which of the names `A` and `B` are set behind a text in the first startup file; nothing where the shell ends.
    fn reached_by(shell: &'static str, text: &'static str, start: Start) -> Option<String> {
        let mut tree = MemoryTree::default();
        tree.file(shell, "", true);
        tree.file("/etc/profile", text, false);
        tree.file("/home/odile/.profile", "export B=1\n", false);
        let accounts = [odile(shell)];
        let mut forecast = Forecast::begin(&Block::from_vars([("PATH", "/usr/bin"), ("HOME", "/home/odile")]));
        let ground = Ground::new(&tree, &accounts);
        run(&mut forecast, &ground, shell.as_bytes(), start, &accounts[0], b"/home/odile");
        let names = ["A", "B"].into_iter().filter(|name| forecast.known(name.as_bytes()).is_some()).collect::<String>();
        (forecast.reached == super::super::Reached::Yes).then_some(names)
    }

    /// A shell that some line may end is told, with the line; what it hands on is told as if it went on.
    #[test]
    fn a_shell_that_may_end_is_told() {
        let bash = ("/bin/bash", ".profile");
        let fish = ("/usr/bin/fish", ".config/fish/config.fish");
        let (perhaps, no) = (Some(Some(1)), None);
        for ((shell, file), text, may_end) in [
            (bash, "tide-now && exit\nexport GATE=7\n", perhaps),
            (bash, "tide-now && (exit)\nexport GATE=7\n", no),
            (bash, "tide-now || return\nexport GATE=7\n", no),
            (bash, "set -e\ntide-now\nexport GATE=7\n", Some(Some(2))),
            (fish, "tide-now; and exec tide-now\nset -gx GATE 7\n", perhaps),
            (fish, "tide-now; and exit\nset -gx GATE 7\n", no),
        ] {
            let mut tree = MemoryTree::default();
            tree.file("/usr/bin/tide-now", "", true);
            tree.file(format!("/home/odile/{file}"), text, false);
            let accounts = [odile(shell)];
            let mut forecast = Forecast::begin(&Block::from_vars([("PATH", "/usr/bin"), ("HOME", "/home/odile")]));
            let ground = Ground::new(&tree, &accounts);
            run(&mut forecast, &ground, shell.as_bytes(), Start::LoginTerminal, &accounts[0], b"/home/odile");
            assert_eq!(forecast.reached, super::super::Reached::Yes, "{text}");
            let line = forecast.may_end.map(|(_, site)| site.map(|site| site.line));
            assert_eq!(line, may_end, "{text}");
        }
    }

    const FISH: &[&str] = &[
        "set -gx GATE 7",
        "set GATE 8",
        "set -g GATE 9",
        "set -x TIDE $GATE",
        "set -Ux PIER 4",
        "set -e GATE",
        "set -a BERTH_PATH /opt/berth",
        "set -gx BERTH_PATH /opt/gate",
        "set -gx BERTH_PATH /opt /gate",
        "set -U --unpath BERTH_PATH x",
        "if status is-login; set -gx LOGIN yes; end",
        "if status is-interactive; set -gx PIER 5; end",
        "if set -q TIDE; set -gx LANES $TIDE; end",
        "if set -qx GATE; set -gx LANES 3; end",
        "test -n \"$PIER\"; and set -gx LANES $SHLVL",
        "tide-now; and set -x GATE open",
        "function tide; set TIDE $argv; set -gx LANES $BERTH_PATH[1]; end",
        "tide high",
        "set -l GATE shut; set -x GATE ajar",
        "for GATE in 1 2; set -gx LANES $GATE; end",
        "source (tide-now | psub)",
        "fish_add_path -g /opt",
        "set -gx LC_ALL $LC_CTYPE",
        "exit",
    ];
    const BASH: &[&str] = &[
        "export GATE=7",
        "GATE=8",
        "export TIDE=$GATE",
        "export TIDE",
        "declare -x PIER=4",
        "unset GATE",
        "export BERTH_PATH=$BERTH_PATH:/opt/berth",
        "export BERTH_PATH=/opt/gate",
        "case $- in *i*) export PIER=5;; esac",
        "shopt -q login_shell && export LOGIN=yes",
        "[ -n \"${TIDE+x}\" ] && export LANES=$TIDE",
        "export LANES=${SHLVL:-none}",
        "tide-now && export GATE=open",
        "tide() { local GATE=shut; TIDE=$1; export LANES=${BERTH_PATH%%:*}; }",
        "tide high",
        "for GATE in 1 2; do export LANES=$GATE; done",
        "eval \"$(tide-now)\"",
        "readonly TIDE",
        "TIDE+=er",
        "declare -a GATE=(1 2)",
        "set -a",
        "exit",
    ];
    const NAMES: &[(&str, &str)] = &[
        ("GATE", "1"),
        ("GATE", "2"),
        ("TIDE", "low"),
        ("PIER", "2"),
        ("LANES", "6"),
        ("BERTH_PATH", "/a:/b"),
        ("BERTH_PATH", ""),
        ("PATH", "/usr/bin"),
        ("PATH", "/opt:/usr/bin"),
        ("SHLVL", "1"),
        ("SHLVL", "3"),
        ("LC_CTYPE", "C"),
        ("LANG", "C.UTF-8"),
        ("HOME", "/home/other"),
        ("odd-name", "x"),
    ];
    const STARTS: &[Start] = &[Start::LoginTerminal, Start::Terminal, Start::Command(Form::Unknown), Start::Script];

    /// How a shell is started: for what, and with which block.
    type How = (Start, Vec<(&'static str, &'static str)>);

    fn starts() -> impl Strategy<Value = Vec<How>> {
        let start = prop::sample::select(STARTS.to_vec());
        prop::collection::vec((start, subsequence(NAMES.to_vec(), 0..6)), 2..6)
    }

    fn odile(shell: &'static str) -> Account {
        let (uid, home) = (1000, Bytes::from_static(b"/home/odile"));
        Account { name: "odile".into(), uid, gid: uid, home, shell: shell.into() }
    }

    /// Each shell of fish reads all its files: they are followed once for all that are alike in what the files look at.
    #[test]
    fn fish_is_followed_anew_only_for_what_its_files_look_at() {
        let plain: How = (Start::LoginTerminal, vec![("TERM", "linux")]);
        let later: How = (Start::Script, vec![("TERM", "linux"), ("SHLVL", "3"), ("LC_CTYPE", "C"), ("TIDE", "high")]);
        for (text, followed) in [
            ("set -gx GATE 7", 1),
            ("set -gx TIDE low", 1),
            ("set TIDE low", 2),
            ("set -gx GATE $TIDE", 2),
            ("set -gx GATE $SHLVL", 2),
            ("set -gx GATE $LC_CTYPE", 2),
            ("set -gx GATE $TERM", 1),
            ("set -U TIDE ebb; set -gx TIDE low", 2),
            ("if status is-login; set -gx GATE 7; end", 2),
            ("if status is-interactive; set -gx GATE 7; end", 2),
        ] {
            let mut tree = MemoryTree::default();
            tree.file("/home/odile/.config/fish/config.fish", text, false);
            let accounts = [odile("/usr/bin/fish")];
            let shells = Shells::default();
            let ground = Ground { shells: Some(&shells), ..Ground::new(&tree, &accounts) };
            for (start, block) in [&plain, &later] {
                let mut forecast = Forecast::begin(&Block::from_vars(block.clone()));
                run(&mut forecast, &ground, b"/usr/bin/fish", *start, &accounts[0], b"/home/odile");
            }
            assert_eq!(shells.count(), followed, "{text}");
        }
    }

    proptest! {
        /// What was found out about one shell is taken for another only where it holds.
        #[test]
        fn what_is_shared_is_what_each_shell_alone_comes_to(
            is_fish in any::<bool>(),
            places in prop::collection::vec(0..FISH.len(), 1..7),
            starts in starts(),
        ) {
            let mut tree = MemoryTree::default();
            tree.file("/usr/bin/tide-now", "", true);
            tree.folder("/opt");
            let (shell, path, lines) = match is_fish {
                true => ("/usr/bin/fish", "/home/odile/.config/fish/config.fish", FISH),
                false => ("/bin/bash", "/home/odile/.profile", BASH),
            };
            let text: String = places.iter().filter_map(|at| lines.get(*at)).map(|line| format!("{line}\n")).collect();
            for path in [path, "/home/odile/.bashrc"] {
                tree.file(path, text.clone(), false);
            }
            let accounts = [odile(shell)];
            let shells = Shells::default();
            let ground = Ground::new(&tree, &accounts);
            for (start, block) in starts {
                let follow = |shells| {
                    let mut forecast = Forecast::begin(&Block::from_vars(block.iter().copied().collect::<std::collections::BTreeMap<_, _>>()));
                    let ground = Ground { shells, ..ground };
                    run(&mut forecast, &ground, shell.as_bytes(), start, &accounts[0], b"/home/odile");
                    let vars: Vec<_> = forecast.vars().map(|(name, var)| (name.clone(), var.clone())).collect();
                    let event = |e: super::super::Event<'_>| (e.hop, e.name.clone(), e.held.cloned(), e.site.cloned());
                    let events: Vec<_> = forecast.events.all().map(event).collect();
                    (vars, forecast.kept, events, forecast.open, forecast.reached)
                };
                prop_assert_eq!(follow(Some(&shells)), follow(None), "{:?} {:?} {}", start, block, text);
            }
        }
    }
}
