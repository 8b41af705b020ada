//! Recorded routes: whole host trees, and what real programs received at the end.
//!
//! `VECTORUM_VECTORS` names a folder with `routes/*.jsonl`; without it a small part that is kept
//! here is run. Prints per file: records, variables, wrong, missing, invented, unknown, and how many
//! recorded origins are right; fails on any of the first three.

#![allow(clippy::expect_used, clippy::panic, clippy::print_stdout, reason = "a test that cannot go on fails")]

use std::collections::BTreeMap;
use std::path::PathBuf;

use bytes::Bytes;
use serde::Deserialize;
use vectorum_core::route::{
    Account, Forecast, Form, Ground, Held, Reached, SudoForm, Table, console_login, cron_job, shell_command, shell_script,
    shell_terminal, su, sudo, system_manager, system_service, user_manager, user_service,
};
use vectorum_core::{Block, HostView, MemoryTree};

#[derive(Deserialize)]
struct Record {
    id: String,
    route: String,
    tree: BTreeMap<String, Node>,
    user: User,
    target: Option<String>,
    #[serde(default)]
    argv: Vec<String>,
    start_env: BTreeMap<String, String>,
    #[serde(default)]
    steps: Vec<Vec<String>>,
    final_env: Option<BTreeMap<String, String>>,
    #[serde(default)]
    origin: BTreeMap<String, String>,
    volatile: Vec<String>,
    cwd: Option<String>,
}

#[derive(Deserialize)]
struct Node {
    content: Option<String>,
    mode: Option<String>,
    link: Option<String>,
}

#[derive(Deserialize)]
struct User {
    name: String,
    uid: u32,
    gid: u32,
    home: String,
    shell: String,
}

/// Programs and folders that every host of the records has.
const PROGRAMS: &[&str] = &["env", "id", "tr", "bash", "dash", "zsh", "fish", "sh", "true", "cat"];
const FOLDERS: &[&str] = &[
    "/etc",
    "/usr",
    "/usr/lib",
    "/usr/local",
    "/usr/local/bin",
    "/usr/share",
    "/usr/games",
    "/usr/local/games",
    "/usr/sbin",
    "/opt",
    "/srv",
    "/tmp",
    "/var",
    "/home",
];

/// The families that are run.
const FAMILIES: &[&str] = &["user-manager", "system-service", "pam-login", "su", "sudo", "cron", "bash", "dash", "zsh", "fish"];

fn account(name: &str, uid: u32, home: &str, shell: &str) -> Account {
    Account { name: name.to_owned().into(), uid, gid: uid, home: home.to_owned().into(), shell: shell.to_owned().into() }
}

fn forecast(record: &Record) -> Forecast {
    let mut tree = MemoryTree::default().with_programs("/usr/bin", PROGRAMS);
    tree.link("/bin", "usr/bin");
    tree.link("/usr/bin/sh", "dash");
    tree.file("/etc/passwd", "root:x:0:0::/root:/bin/bash\n", false);
    for folder in FOLDERS {
        tree.folder(folder);
    }
    for (path, node) in &record.tree {
        if let Some(mode) = node.mode.as_ref().and_then(|m| u32::from_str_radix(m, 8).ok()) {
            let owner = if path.starts_with(&format!("{}/", record.user.home)) { record.user.uid } else { 0 };
            tree.own(path, mode, owner, owner);
        }
        match (&node.content, &node.link) {
            (Some(content), _) => tree.file(path, content.clone(), false),
            (None, Some(to)) => tree.link(path, to),
            (None, None) => tree.folder(path),
        }
    }
    let user = &record.user;
    let caller = Account { gid: user.gid, ..account(&user.name, user.uid, &user.home, &user.shell) };
    tree.folder(&user.home);
    let accounts = [account("root", 0, "/root", "/bin/bash"), caller.clone(), account("omar", 2002, "/home/omar", "/bin/bash")];
    let ground = Ground::new(&tree, &accounts);
    let mut forecast = Forecast::begin(&Block::from_vars(&record.start_env));
    let target = record.target.as_ref().and_then(|t| ground.account(t.as_bytes())).cloned().unwrap_or_else(|| caller.clone());
    let bytes = |text: &str| Bytes::copy_from_slice(text.as_bytes());
    let runtime: Vec<(Bytes, Option<Bytes>)> = record
        .steps
        .iter()
        .flat_map(|step| {
            let is_set = step.first().is_some_and(|s| s == "set-environment");
            step.iter().skip(1).map(move |word| match word.split_once('=') {
                Some((name, value)) if is_set => (bytes(name), Some(bytes(value))),
                _ => (bytes(word), None),
            })
        })
        .collect();
    let folder = record.cwd.clone().unwrap_or_else(|| "/".to_owned()).into_bytes();
    match record.route.as_str() {
        "system-manager" => system_manager(&mut forecast, &ground),
        "system-service" => system_service(&mut forecast, &ground, b"probe.service"),
        "user-manager" => user_manager(&mut forecast, &ground, &caller, &runtime),
        "user-service" => user_service(&mut forecast, &ground, &caller, &runtime, b"probe.service"),
        "pam-login" => console_login(&mut forecast, &ground, &target),
        "login-interactive" | "interactive" => {
            shell_terminal(&mut forecast, &ground, &caller.shell, record.route == "login-interactive", &caller, &folder);
        }
        "login-c" | "c" => {
            shell_command(&mut forecast, &ground, &caller.shell, record.route == "login-c", Form::Forks, &caller, &folder);
        }
        "script" => {
            let script = format!("{}/job", user.home);
            shell_script(&mut forecast, &ground, &caller.shell, Some((script.as_bytes(), b"/usr/bin/env")), &caller, &folder);
        }
        "su" => su(&mut forecast, &ground, &target, false, &[], &folder, Form::Forks),
        "su-login" => su(&mut forecast, &ground, &target, true, &[], &folder, Form::Forks),
        "su-login-whitelist" => {
            let list = record.argv.iter().skip_while(|a| *a != "-w").nth(1).expect("a list");
            let list: Vec<Bytes> = list.split(',').map(bytes).collect();
            su(&mut forecast, &ground, &target, true, &list, &folder, Form::Forks);
        }
        "cron-user" => {
            let path = bytes(&format!("/var/spool/cron/crontabs/{}", user.name));
            cron_job(&mut forecast, &ground, &Table { line: line_of_job(record, &path), path }, &target);
        }
        "cron-d" => {
            let path = bytes("/etc/cron.d/probe");
            cron_job(&mut forecast, &ground, &Table { line: line_of_job(record, &path), path }, &target);
        }
        form if form.starts_with("sudo") => {
            let given = record.argv.iter().skip(1).filter_map(|a| a.split_once('=')).map(|(n, v)| (bytes(n), bytes(v)));
            let from = record.argv.iter().position(|a| a.starts_with('/')).expect("a command");
            let form = SudoForm {
                preserves: form == "sudo-E",
                is_login: form == "sudo-i",
                given: given.collect(),
                command: record.argv.get(from..).expect("a command").join(" ").into(),
            };
            sudo(&mut forecast, &ground, &caller, &target, &form);
        }
        other => panic!("no such route: {other}"),
    }
    forecast
}

/// The line of a table's one job.
fn line_of_job(record: &Record, path: &Bytes) -> usize {
    let node = record.tree.get(std::str::from_utf8(path).expect("a path"));
    let text = node.and_then(|n| n.content.clone()).unwrap_or_default();
    text.lines().position(|l| l.starts_with('*')).map_or(1, |at| at + 1)
}

#[derive(Default)]
struct Count {
    records: usize,
    variables: usize,
    wrong: usize,
    missing: usize,
    invented: usize,
    unknown: usize,
    origins: usize,
    right: usize,
    reasons: BTreeMap<String, usize>,
}

fn judge(record: &Record, count: &mut Count, told: &mut Vec<String>) {
    let forecast = forecast(record);
    count.records += 1;
    let reached = forecast.reached == Reached::Yes;
    let Some(expected) = &record.final_env else {
        if reached && forecast.open.is_none() {
            count.invented += 1;
            told.push(format!("{}: it was never reached", record.id));
        }
        return;
    };
    count.variables += expected.len();
    if !reached {
        count.wrong += 1;
        told.push(format!("{}: it is said to end before: {:?}", record.id, forecast.reached));
        return;
    }
    let mut tell = |what: String| told.push(format!("{}: {what}", record.id));
    for (name, value) in expected {
        match forecast.get(name.as_bytes()).map(|v| &v.held) {
            Some(Held::Known(known)) if known == value.as_bytes() => {}
            Some(Held::Known(known)) => {
                count.wrong += 1;
                tell(format!("{name} is {value:?}, not {known:?}"));
            }
            Some(held) => {
                count.unknown += 1;
                *count.reasons.entry(format!("{held:?}, as {name} in {}", record.id)).or_default() += 1;
            }
            None if forecast.open.is_some() => {
                count.unknown += 1;
                *count.reasons.entry(format!("{:?}", forecast.open.as_ref().map(|o| o.0))).or_default() += 1;
            }
            None => {
                count.missing += 1;
                tell(format!("{name}={value:?} is missing"));
            }
        }
    }
    for (name, variable) in forecast.vars() {
        let name = String::from_utf8_lossy(name).into_owned();
        let is_sure = !matches!(variable.held, Held::Unknown(_));
        if is_sure && !expected.contains_key(&name) && !record.volatile.contains(&name) {
            count.invented += 1;
            tell(format!("{name}={:?} is invented", variable.held));
        }
    }
    for (name, origin) in record.origin.iter().filter(|(name, _)| expected.contains_key(*name)) {
        let Some(variable) = forecast.get(name.as_bytes()).filter(|v| matches!(v.held, Held::Known(_))) else { continue };
        count.origins += 1;
        let site = variable.site.as_ref().map(|s| format!("{}:{}", String::from_utf8_lossy(&s.path), s.line));
        if site.as_ref() == Some(origin) {
            count.right += 1;
        } else {
            tell(format!("{name} comes from {origin}, not {}", site.unwrap_or_else(|| "nowhere".to_owned())));
        }
    }
}

#[test]
fn recorded_routes_are_forecast() {
    let own = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/vectors");
    let folder = std::env::var_os("VECTORUM_VECTORS").map_or(own, PathBuf::from).join("routes");
    let (mut told, mut failed) = (Vec::new(), false);
    println!("family            records  variables  wrong  missing  invented  unknown  origins right");
    for family in FAMILIES {
        let path = folder.join(format!("{family}.jsonl"));
        let text = std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
        let mut count = Count::default();
        for line in text.lines().filter(|l| !l.is_empty()) {
            let record = serde_json::from_str(line).expect("a record");
            judge(&record, &mut count, &mut told);
        }
        let Count { records, variables, wrong, missing, invented, unknown, origins, right, reasons } = count;
        println!("{family:<18}{records:>7}{variables:>11}{wrong:>7}{missing:>9}{invented:>10}{unknown:>9}  {right} of {origins}");
        for (reason, number) in reasons {
            println!("    {number:>5} × {reason}");
        }
        failed |= wrong + missing + invented > 0;
    }
    for line in told.iter().take(std::env::var("VECTORUM_TELL").ok().and_then(|n| n.parse().ok()).unwrap_or(40)) {
        println!("  {line}");
    }
    assert!(!failed, "a forecast was wrong");
}

/// Files that hops read, with what they are made of.
const PATHS: &[&str] = &[
    "/etc/environment",
    "/etc/security/pam_env.conf",
    "/etc/default/locale",
    "/etc/login.defs",
    "/etc/pam.d/login",
    "/etc/pam.d/su-l",
    "/etc/pam.d/cron",
    "/etc/pam.d/sudo",
    "/etc/sudoers",
    "/etc/sudoers.d/odile",
    "/etc/cron.d/berth",
    "/etc/systemd/system.conf",
    "/etc/systemd/system/berth-board.service",
    "/etc/systemd/system/berth-board.service.d/9.conf",
    "/home/odile/.config/environment.d/5.conf",
    "/home/odile/.config/systemd/user/tide-watch.service",
    "/home/odile/.pam_environment",
    "/etc/profile",
    "/home/odile/.profile",
    "/home/odile/.bashrc",
    "/home/odile/.zshrc",
    "/home/odile/.config/fish/config.fish",
];
const PIECES: &[&str] = &[
    "\n",
    "\n",
    " ",
    "=",
    "\"",
    "'",
    "\\",
    "\\\n",
    "$",
    "${A}",
    "${A:-",
    "%",
    "%n",
    "#",
    "A",
    "B=1",
    "PATH",
    "export ",
    "[Service]\n",
    "[Manager]\n",
    "Environment=",
    "EnvironmentFile=-/etc/environment\n",
    "EnvironmentFile=/etc/*\n",
    "UnsetEnvironment=A\n",
    "User=odile\n",
    "PAMName=login\n",
    "PassEnvironment=A B\n",
    "DefaultEnvironment=",
    "DEFAULT=",
    "OVERRIDE=",
    "session required pam_env.so ",
    "user_readenv=1\n",
    "envfile=/etc/login.defs\n",
    "@include login\n@include login\n",
    "session include su-l\n",
    "[success=2 default=ignore]",
    "Defaults ",
    "env_keep += ",
    "!env_reset",
    "env_file=/etc/environment",
    "@include /etc/sudoers\n",
    "@includedir /etc/sudoers.d\n",
    "* * * * * odile x\n",
    "ENV_PATH PATH=/x\n",
    "\0",
    "\u{e9}",
    "if [ -n \"$A\" ]; then\n",
    "else ",
    "fi\n",
    "while read A; do\n",
    "done\n",
    "f() {\n",
    "}\nf\n",
    "case $A in *) ",
    ";;\nesac\n",
    "$(echo $A)",
    "`f`",
    "eval \"$A\"\n",
    ". /etc/profile\n",
    "for A in $A *; do ",
    "$((A + 1))",
    "<<A\n",
    "set -gx A ",
    "function f\n",
    "end\n",
    "set -e\n",
    "{a,b}{c,d}",
    "&& ",
    "|| ",
    "[[ $A =~ x ]]\n",
    "(",
    ")",
];

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig::with_cases(if cfg!(debug_assertions) { 200 } else { 4000 }))]

    /// Whatever the files hold, every route is followed to an end, and twice alike.
    #[test]
    fn any_tree_is_followed(files in proptest::collection::vec(
        (proptest::sample::select(PATHS), proptest::collection::vec(proptest::sample::select(PIECES), 0..24)), 0..12
    )) {
        let mut tree = MemoryTree::default();
        for (path, pieces) in &files {
            tree.file(path, pieces.concat(), false);
        }
        let shell = ["/bin/sh", "/bin/bash", "/usr/bin/zsh", "/usr/bin/fish", "/bin/ksh"][files.len() % 5];
        let accounts = [account("root", 0, "/root", "/bin/bash"), account("odile", 1000, "/home/odile", shell)];
        let ground = Ground::new(&tree, &accounts);
        let start = Block::from_vars([("TERM", "linux"), ("A", "outer")]);
        for route in vectorum_core::route::Route::all(&ground, &accounts[1]) {
            let (one, other) = (route.forecast(&ground, &accounts[1], &start), route.forecast(&ground, &accounts[1], &start));
            proptest::prop_assert!(one.vars().eq(other.vars()), "{route}");
            for (_, variable) in one.vars() {
                let is_there = |s: &vectorum_core::route::Site| s.line == 0 || tree.read(&s.path) != vectorum_core::Content::Missing;
                proptest::prop_assert!(variable.site.as_ref().is_none_or(is_there), "{route}: {variable:?}");
            }
        }
    }
}
