//! Startup files as people have them, each through the interpreter and through the real shell: what is
//! known is so, no name is missing and none invented. The files lie in `startup/`, one person each;
//! distributions' own skeletons are taken from where their packages put them.

#![allow(clippy::expect_used, clippy::panic, reason = "a test that cannot go on fails")]
#![allow(clippy::print_stdout, reason = "how much is known is worth seeing")]

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use vectorum_core::Block;
use vectorum_core::route::{Account, Forecast, Form, Ground, Held, Reached, shell_command, shell_terminal};
use vectorum_core::shell::{Dialect, Tree};
use vectorum_host::{LiveHost, ProbeCommand, ProbeFolder, Terminal};

/// How a shell is started.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    LoginTerminal,
    Terminal,
    LoginCommand,
    Command,
}

const WAYS: [Way; 4] = [Way::LoginTerminal, Way::Terminal, Way::LoginCommand, Way::Command];

/// What is not known of a collection, and need not be: what programs print that nobody can know, and what
/// is not followed yet. zsh counts SHLVL otherwise where it becomes its last command.
const UNKNOWN: &[(&str, &[&str])] = &[
    // A table by words, what a regular expression took, a format with a width.
    ("bash-paths", &["GPG_TTY", "LAST", "RED", "STAMP"]),
    ("bash-prompt", &["BASH_FUNC_mkcd%%", "LESSCLOSE", "LESSOPEN", "LS_COLORS"]),
    ("bash-hooks", &["LS_COLORS"]),
    ("zsh-hooks", &["SHLVL"]),
    // How many processors there are, and what time it is.
    ("bash-idioms", &["HAS_CORES"]),
    ("zsh-idioms", &["CLOCK", "SHLVL"]),
    ("fish-busy", &["LC_CTYPE"]),
    ("fish-guards", &["LC_CTYPE"]),
    ("fish-idioms", &["LC_CTYPE"]),
    ("fish-usual", &["LC_CTYPE", "LOCAL_FILE"]),
    // `$0` in a file that is run, a search in the table of commands.
    ("zsh-framework", &["GATE_PLUGIN", "LESSPIPE_SEEN", "SHLVL"]),
    // A list without some of its items.
    ("zsh-plain", &["PATH", "SHLVL"]),
    // Lines of an output as items.
    ("zsh-options", &["LINES_READ", "SECOND_LINE", "SHLVL"]),
    ("zsh-plugins", &["SHLVL"]),
    // What version of zsh it is.
    ("zsh-prompt", &["QUAY_SEEN", "SHLVL"]),
    ("zsh-power", &["SHLVL"]),
    ("skeleton-bash", &["LS_COLORS"]),
    ("skeleton-zsh", &["LS_COLORS", "SHLVL"]),
];

type Skeleton = (&'static str, &'static str, &'static [(&'static str, &'static str)]);

/// What distributions give to new accounts: a title, the shell, where each file lies and what it becomes.
const SKELETONS: &[Skeleton] = &[
    ("skeleton-bash", "bash", &[("/etc/skel/.bashrc", ".bashrc"), ("/etc/skel/.profile", ".profile")]),
    ("skeleton-dash", "dash", &[("/etc/skel/.profile", ".profile")]),
    ("skeleton-ksh", "ksh", &[("/etc/skel/.kshrc", ".kshrc"), ("/etc/skel/.profile", ".profile")]),
    ("skeleton-mksh", "mksh", &[("/etc/skel/.mkshrc", ".mkshrc"), ("/etc/skel/.profile", ".profile")]),
    ("skeleton-zsh", "zsh", &[("/etc/zsh/newuser.zshrc.recommended", ".zshrc")]),
];

/// Takes a bundle apart: the shell, and the files.
fn unpack(bundle: &str, home: &Path) -> String {
    let mut parts = bundle.split("\n=== ");
    let shell = parts.next().and_then(|l| l.split(':').next()).expect("a shell").to_owned();
    for part in parts {
        let (head, text) = part.split_once('\n').unwrap_or((part, ""));
        let (path, mode) = head.split_once(' ').unwrap_or((head, "644"));
        let path = home.join(path);
        fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
        let text = if text.is_empty() || text.ends_with('\n') { text.to_owned() } else { format!("{text}\n") };
        fs::write(&path, text).expect("a file");
        fs::set_permissions(&path, fs::Permissions::from_mode(u32::from_str_radix(mode, 8).expect("a mode"))).expect("its mode");
    }
    shell
}

/// One start of a shell.
struct Start<'a> {
    shell: &'a str,
    way: Way,
    home: &'a Path,
    account: &'a Account,
    /// What is handed in besides, or in place of what is handed in as ever.
    handed: Option<(&'a str, &'a str)>,
}

impl Start<'_> {
    /// What the shell is handed: besides the usual, the files of those that read one which a variable names.
    fn block(&self) -> Block {
        let (home, name) = (self.home.display().to_string(), String::from_utf8_lossy(&self.account.name));
        let own = match self.shell.rsplit('/').next() {
            Some("dash" | "sh") => Some(("ENV", format!("{home}/.shrc"))),
            Some("bash") if self.way == Way::Command => Some(("BASH_ENV", format!("{home}/.bash_env"))),
            _ => None,
        };
        let usual = [
            ("HOME", home.as_str()),
            ("PATH", "/usr/local/bin:/usr/bin:/bin:/usr/games"),
            ("TERM", "xterm-256color"),
            ("USER", &name),
            ("LOGNAME", &name),
            ("SHELL", self.shell),
            ("SHLVL", "0"),
        ];
        let all = usual.into_iter().chain(own.as_ref().map(|(name, value)| (*name, value.as_str())));
        let others = all.filter(|(name, _)| self.handed.is_none_or(|(handed, _)| handed != *name));
        Block::from_vars(others.chain(self.handed))
    }

    /// What a real shell hands on; why there is nothing where the shell ends before.
    fn real(&self, probe: &ProbeFolder, seconds: u64) -> Result<BTreeMap<Vec<u8>, Vec<u8>>, String> {
        let payload = format!("'{}' payload '{}'", probe.payload().display(), probe.result().display());
        let called = format!("-{}", self.shell.rsplit('/').next().expect("a name"));
        let is_login = matches!(self.way, Way::LoginTerminal | Way::LoginCommand);
        let mut words: Vec<OsString> = vec![self.shell.into()];
        if is_login && self.shell.ends_with("fish") {
            words.push("-l".into());
        }
        let terminal = match self.way {
            Way::LoginTerminal | Way::Terminal => Some(Terminal::Typed(format!(" {payload}"))),
            Way::LoginCommand | Way::Command => {
                words.extend(["-c".into(), format!("{payload} >/dev/null; :").into()]);
                None
            }
        };
        let command = ProbeCommand {
            words,
            called: (is_login && !self.shell.ends_with("fish")).then(|| called.into()),
            block: self.block(),
            account: None,
            folder: self.home.to_owned(),
            terminal,
        };
        let (block, _) = probe.run(&command, seconds).map_err(|e| e.to_string())?;
        Ok(block.vars().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect())
    }

    fn forecast(&self) -> Forecast {
        let host = LiveHost;
        let ground = Ground::new(&host, std::slice::from_ref(self.account));
        let mut forecast = Forecast::begin(&self.block());
        let (shell, home) = (self.shell.as_bytes(), self.home.display().to_string());
        match self.way {
            Way::LoginTerminal | Way::Terminal => {
                let is_login = self.way == Way::LoginTerminal;
                shell_terminal(&mut forecast, &ground, shell, is_login, self.account, home.as_bytes());
            }
            Way::LoginCommand | Way::Command => {
                let is_login = self.way == Way::LoginCommand;
                let is_zsh = fs::canonicalize(self.shell).is_ok_and(|program| program.ends_with("zsh"));
                let form = if is_zsh { Form::Unknown } else { Form::Forks };
                shell_command(&mut forecast, &ground, shell, is_login, form, self.account, home.as_bytes());
            }
        }
        forecast
    }
}

/// Compares one start; returns what is wrong, and counts what is known and what is not.
fn compare(forecast: &Forecast, real: &BTreeMap<Vec<u8>, Vec<u8>>, counts: &mut (usize, Vec<String>)) -> Vec<String> {
    let mut wrong = Vec::new();
    if forecast.reached != Reached::Yes {
        return vec![format!("it is said to end before: {:?}", forecast.reached)];
    }
    let is_judged = |name: &[u8]| !matches!(name, b"_" | b"LINES" | b"COLUMNS" | b"A__z");
    let shown = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    for (name, value) in real.iter().filter(|(n, _)| is_judged(n)) {
        match forecast.get(name).map(|v| &v.held) {
            Some(Held::Known(said)) if said == value => counts.0 += 1,
            Some(Held::Known(said)) => wrong.push(format!("{} is {:?}, not {:?}", shown(name), shown(value), shown(said))),
            None if forecast.open.is_none() => wrong.push(format!("{}={:?} is missing", shown(name), shown(value))),
            Some(Held::Unknown(why)) => {
                let site = forecast.get(name).and_then(|v| v.site.clone());
                let at = site.map(|s| format!("{}:{}", shown(&s.path), s.line)).unwrap_or_default();
                counts.1.push(format!("{} ({why}, {at})", shown(name)));
            }
            Some(Held::PerRun) => counts.1.push(format!("{} (made anew)", shown(name))),
            None => counts.1.push(format!("{} (not listed)", shown(name))),
        }
    }
    for (name, variable) in forecast.vars().filter(|(n, _)| is_judged(n)) {
        let is_sure = matches!(variable.held, Held::Known(_)) || !variable.may_be_absent;
        if is_sure && !real.contains_key(&name[..]) {
            wrong.push(format!("{} is invented: {:?}", shown(name), variable.held));
        }
    }
    wrong
}

#[test]
fn startup_files_as_people_have_them() {
    let probe = ProbeFolder::new(Path::new(env!("CARGO_BIN_EXE_vectorum"))).expect("a folder");
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/startup");
    let mut bundles: Vec<(String, String)> = fs::read_dir(&folder)
        .expect("the bundles")
        .map(|entry| entry.expect("a bundle").path())
        .map(|path| {
            (path.file_stem().expect("a name").to_string_lossy().into_owned(), fs::read_to_string(&path).expect("a bundle"))
        })
        .collect();
    bundles.sort();
    assert!(bundles.len() >= 17, "{}", folder.display());
    let only = std::env::var("VECTORUM_STARTUP").unwrap_or_default();
    let mut wrong = Vec::new();
    let mut try_one = |title: &str, fill: &dyn Fn(&Path) -> String| {
        if title.contains(&only) {
            let place = tempfile::tempdir().expect("a folder");
            let home = place.path().canonicalize().expect("its place").join("odile");
            fs::create_dir(&home).expect("a home");
            let shell = fill(&home);
            judge(title, &probe, &format!("/bin/{shell}"), &home, &mut wrong);
        }
    };
    for (title, bundle) in &bundles {
        try_one(title, &|home| unpack(bundle, home));
    }
    for (title, shell, skeletons) in SKELETONS {
        try_one(title, &|home| {
            for (from, to) in *skeletons {
                fs::copy(from, home.join(to)).unwrap_or_else(|e| panic!("{from}: {e}; its package puts it there"));
            }
            (*shell).to_owned()
        });
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The account of whoever runs this, at home there.
fn own_account(home: &Path, shell: &str) -> Account {
    let uid = nix::unistd::geteuid().as_raw();
    Account {
        name: if uid == 0 { "root".into() } else { "nobody".into() },
        uid,
        gid: nix::unistd::getegid().as_raw(),
        home: home.display().to_string().into(),
        shell: shell.to_owned().into(),
    }
}

fn judge(title: &str, probe: &ProbeFolder, shell: &str, home: &Path, wrong: &mut Vec<String>) {
    let account = own_account(home, shell);
    for way in WAYS {
        let start = Start { shell, way, home, account: &account, handed: None };
        let forecast = start.forecast();
        let real = start.real(probe, 20).unwrap_or_else(|e| panic!("{shell} {way:?}: {e}"));
        let mut counts = (0, Vec::new());
        for what in compare(&forecast, &real, &mut counts) {
            wrong.push(format!("{title} {way:?}: {what}"));
        }
        let allowed = UNKNOWN.iter().filter(|(t, _)| *t == title).flat_map(|(_, names)| names.iter());
        let allowed: Vec<&&str> = allowed.collect();
        println!("{title:<16} {way:<14?} {} known, {} unknown, open: {:?}", counts.0, counts.1.len(), forecast.open);
        for unknown in counts.1.iter().filter(|u| !allowed.iter().any(|a| u.starts_with(&format!("{a} ")))) {
            wrong.push(format!("{title} {way:?}: {unknown} is not known"));
        }
    }
}

/// Where each shell looks for a file of its own, by how it is started.
fn own_files(shell: &str, way: Way) -> &'static [&'static str] {
    match (shell, way) {
        ("bash", _) => &[".bashrc", ".profile", ".bash_env"],
        ("zsh", Way::LoginTerminal | Way::Terminal) => &[".zshrc"],
        ("zsh", Way::LoginCommand) => &[".zprofile"],
        ("zsh", Way::Command) => &[".zshenv"],
        ("ksh", _) => &[".kshrc", ".profile"],
        ("mksh", _) => &[".mkshrc", ".profile"],
        ("fish", _) => &[".config/fish/config.fish"],
        _ => &[".profile", ".shrc"],
    }
}

/// Holds a text as a startup file against a shell: ␤ stands for a line's end, → for a tab, ␞ before each file that is there
/// besides. Returns what is wrong.
fn judge_line(
    probe: &ProbeFolder,
    (shell, way): (&str, Way),
    line: &str,
    handed: Option<(&str, &str)>,
    counts: &mut (usize, Vec<String>),
) -> Vec<String> {
    let place = tempfile::tempdir().expect("a folder");
    let home = place.path().canonicalize().expect("its place").join("odile");
    // It may be called by another name, which stands behind a slash.
    let (program, shell) = match shell.split_once('/') {
        Some((shell, name)) => {
            let program = home.with_file_name(name);
            symlink(format!("/bin/{shell}"), &program).expect("a name of its own");
            (program.display().to_string(), name)
        }
        None => (format!("/bin/{shell}"), shell),
    };
    let text = line.replace('␤', "\n").replace('→', "\t");
    let mut parts = text.split('␞');
    let text = parts.next().unwrap_or_default();
    let files: Vec<(&str, &str)> = parts.filter_map(|file| file.split_once('\n')).collect();
    let put = || {
        fs::remove_dir_all(&home).ok();
        fs::create_dir(&home).expect("a home");
        for (name, content) in files.iter().copied().chain(own_files(shell, way).iter().map(|name| (*name, text))) {
            let path = home.join(name);
            fs::create_dir_all(path.parent().expect("a folder")).expect("a folder for a file");
            fs::write(path, format!("{content}\n")).expect("a file");
        }
    };
    let account = own_account(&home, &program);
    let start = Start { shell: &program, way, home: &home, account: &account, handed };
    put();
    let real = start.real(probe, 5);
    put();
    let forecast = start.forecast();
    match &real {
        Ok(real) => compare(&forecast, real, counts),
        Err(why) if forecast.reached == Reached::Yes && forecast.may_end.is_none() && forecast.open.is_none() => {
            vec![format!("it is said to go on, and ends: {why}")]
        }
        Err(_) => Vec::new(),
    }
}

/// Holds texts, a line each, against shells, each started in one of the ways, and each shell beside the others; how often something else was said than is so.
fn judge_lines(lines: &str, shells: &str) -> usize {
    let judge = |turn: usize, shell: &str| {
        let probe = ProbeFolder::new(Path::new(env!("CARGO_BIN_EXE_vectorum"))).expect("a folder");
        let (mut counts, mut failed) = ((0, Vec::new()), 0);
        for (at, line) in lines.lines().filter(|line| !line.is_empty()).enumerate() {
            // Each line is typed at in one shell, and not in another.
            let way = WAYS[(at + turn) % WAYS.len()];
            // Something may be handed in besides.
            let handed = line.split_once("␟").and_then(|(handed, _)| handed.split_once('='));
            let text = line.split_once("␟").map_or(line, |(_, text)| text);
            let wrong = judge_line(&probe, (shell, way), text, handed, &mut counts);
            wrong.iter().for_each(|what| println!("{shell} {way:?}: {line}\n    {what}"));
            failed += wrong.len();
        }
        println!("{shell}: {} known, {} unknown, {failed} wrong", counts.0, counts.1.len());
        assert!(counts.0 > 0, "{shell}: nothing is known");
        failed
    };
    // They wait for their shells most of the time.
    std::thread::scope(|scope| {
        let judge = &judge;
        let all: Vec<_> =
            shells.split_whitespace().enumerate().map(|(turn, shell)| scope.spawn(move || judge(turn, shell))).collect();
        all.into_iter().map(|one| one.join().expect("a shell that was judged")).sum()
    })
}

/// Errors, options and aliases do not end in a startup file what they end in a script.
#[test]
fn lines_of_startup_files_do_there_what_is_said() {
    let failed = judge_lines(include_str!("startup-lines.txt"), "bash dash ksh mksh zsh");
    assert_eq!(failed, 0, "something else was said than is so");
}

/// The end of the terminal that a probe holds is the probe's alone: what is left below it is hung up on.
#[test]
fn a_shell_that_is_probed_is_handed_its_terminal_and_no_more() {
    let place = tempfile::tempdir().expect("a folder");
    let home = place.path().canonicalize().expect("its place");
    fs::write(home.join(".shrc"), "export HELD=\"$(readlink /proc/$$/fd/* | grep -c ptmx)\"\n").expect("a file");
    let probe = ProbeFolder::new(Path::new(env!("CARGO_BIN_EXE_vectorum"))).expect("a folder");
    let account = own_account(&home, "/bin/dash");
    let start = Start { shell: "/bin/dash", way: Way::Terminal, home: &home, account: &account, handed: None };
    let real = start.real(&probe, 20).expect("a shell that is typed at");
    assert_eq!(real.get(&b"HELD"[..]).map(Vec::as_slice), Some(&b"0"[..]), "ends of terminals that are not its own");
}

/// `VECTORUM_LINES` names a file with such lines, `VECTORUM_SHELLS` the shells.
#[test]
#[ignore = "a command for lists of one's own"]
fn what_is_said_of_each_line_as_a_startup_file_is_so() {
    let path = std::env::var_os("VECTORUM_LINES").expect("VECTORUM_LINES");
    let lines = fs::read_to_string(path).expect("the lines");
    let failed = judge_lines(&lines, &std::env::var("VECTORUM_SHELLS").expect("VECTORUM_SHELLS"));
    assert_eq!(failed, 0, "something else was said than is so");
}

/// Every script of this system, up to so many of a shell.
const MOST: usize = 150;

/// What a shell reads to its end, the reader reads, or says that it does not follow it; what it takes for an
/// error is one.
#[test]
fn the_systems_scripts_are_read_as_their_shells_read_them() {
    let mut found: BTreeMap<&str, Vec<PathBuf>> = BTreeMap::new();
    let folders = [
        "/etc",
        "/etc/profile.d",
        "/etc/init.d",
        "/etc/zsh",
        "/usr/bin",
        "/usr/sbin",
        "/usr/share/bash-completion/completions",
        "/usr/share/doc/mksh/examples",
    ];
    for path in folders.iter().flat_map(|f| fs::read_dir(f).into_iter().flatten()).filter_map(|e| Some(e.ok()?.path())) {
        let is_small = fs::metadata(&path).is_ok_and(|m| m.is_file() && m.len() < 200_000);
        let Some(text) = Some(&path).filter(|_| is_small).and_then(|p| fs::read(p).ok()) else { continue };
        let first = String::from_utf8_lossy(text.split(|b| *b == b'\n').next().unwrap_or_default()).into_owned();
        let place = path.display().to_string();
        let shell = match first.strip_prefix("#!") {
            Some(program) => ["bash", "mksh", "ksh", "zsh", "dash"]
                .into_iter()
                .find(|s| program.contains(s))
                .or(program.contains("/sh").then_some("dash")),
            None if place.contains("bash-completion") => Some("bash"),
            None if place.contains("/zsh/") => Some("zsh"),
            None if place.ends_with("mkshrc") => Some("mksh"),
            None => (place.ends_with(".sh") || place == "/etc/profile").then_some("dash"),
        };
        found.entry(shell.unwrap_or_default()).or_default().push(path);
    }
    let mut differ = Vec::new();
    for (shell, dialect) in [("dash", Dialect::Dash), ("bash", Dialect::Bash), ("mksh", Dialect::Mksh), ("zsh", Dialect::Zsh)] {
        let mut files = found.remove(shell).unwrap_or_default();
        files.sort();
        files.truncate(MOST);
        assert!(!files.is_empty(), "{shell}");
        for path in &files {
            let text = fs::read(path).expect("the script");
            let tree = Tree::of(&text.into(), dialect);
            // Groups of patterns are a part of bash's language where the option is set.
            let has_groups = tree.stretches.iter().any(|stretch| stretch.groups.is_some());
            let is_read = Command::new(shell)
                .args(has_groups.then_some(["-O", "extglob"]).into_iter().flatten())
                .arg("-n")
                .arg(path)
                .stdout(Stdio::null())
                .stderr(Stdio::null())
                .status()
                .expect("the shell")
                .success();
            match tree.trouble() {
                Some(trouble) if is_read && trouble.is_error => {
                    differ.push(format!("{shell} reads {}: {}", path.display(), trouble.what));
                }
                None if !is_read => differ.push(format!("{shell} does not read {}", path.display())),
                _ => {}
            }
        }
    }
    assert!(differ.is_empty(), "{}", differ.join("\n"));
}
