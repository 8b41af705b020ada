//! Forecasts against the real thing: a private host is booted with a service manager, an account's
//! own manager, PAM, sudo and cron, and what each really hands on is compared with what was said.
//! Needs root.

#![allow(clippy::expect_used, clippy::panic, reason = "a test that cannot go on fails")]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use serde_json::Value;

use common::{Who, run, said};

/// Files of the private host.
const FILES: &[(&str, &str, u32)] = &[
    ("etc/environment", "GATE_LANES=3\nPIER=\"4 north\" # the pier\n", 0o644),
    ("etc/default/locale", "LANG=C.UTF-8\nGATE_NOTE='read-last'\n", 0o644),
    ("etc/security/pam_env.conf", "BERTH_HOME DEFAULT=@{HOME}/berths\nPIER OVERRIDE=${GATE_LANES}-lanes DEFAULT=none\n", 0o644),
    (
        "etc/sudoers",
        "Defaults env_reset, secure_path=/usr/sbin:/usr/bin\nDefaults:odile env_keep += \"GATE_*\"\nroot ALL=(ALL) ALL\nodile ALL=(ALL) NOPASSWD: ALL\n",
        0o440,
    ),
    ("etc/systemd/system.conf.d/10-pier.conf", "[Manager]\nDefaultEnvironment=PIER=4 \"GREETING=good day\"\n", 0o644),
    (
        "etc/systemd/system/probe.service",
        "[Service]\nType=oneshot\nUser=odile\nEnvironment=BERTH=%n \"NOTE=a b\" GONE=1\nEnvironmentFile=-/etc/berth/*.env\nExecStart=/usr/bin/env -0\nStandardOutput=truncate:/res/service\nUnsetEnvironment=GONE\n",
        0o644,
    ),
    ("etc/systemd/system/probe.service.d/20-note.conf", "[Service]\nEnvironment=NOTE=\"from the drop-in\"\n", 0o644),
    ("etc/berth/a.env", "BERTH_COUNT=12\nBERTH_NOTE=\"it's # here\"\n", 0o644),
    ("home/odile/.config/environment.d/30-tide.conf", "TIDE=${PIER:-none}/${HOME}\nPATH=$HOME/bin:$PATH\n", 0o644),
    (
        "home/odile/.config/systemd/user/probe.service",
        "[Service]\nType=oneshot\nEnvironment=WHO=%u\nExecStart=/usr/bin/env -0\nStandardOutput=truncate:/res/user-service\n",
        0o644,
    ),
    ("etc/cron.d/probe", "NOTE = it's cron\n* * * * * odile /usr/bin/env -0 >/res/cron.new; mv /res/cron.new /res/cron\n", 0o644),
];

/// What is done there. The account of the tests has no startup files.
const SCRIPT: &str = r#"
chmod 1777 /res
systemctl start dbus.socket dbus.service
cron
forecast() { /vectorum/vectorum forecast "$2" --account "$3" --json >/res/$1.json; }
systemctl start probe.service && forecast service service:probe odile
systemctl start user@2001.service
as="setpriv --reuid 2001 --regid 2001 --init-groups env -i TERM=linux HOME=/home/odile USER=odile LOGNAME=odile SHELL=/bin/bash GATE_LANES=3 GATE_NOTE=read-last LANG=C.UTF-8 PATH=/usr/bin:/bin"
$as XDG_RUNTIME_DIR=/run/user/2001 systemctl --user start probe.service && forecast user-service user-service:probe odile
env -i TERM=linux PATH=/usr/bin:/bin su - odile -c '/usr/bin/env -0 >/res/su-login' && forecast su-login login/su-login:odile root
$as sudo -n /usr/bin/env -0 >/res/sudo && forecast sudo login/sudo odile
forecast cron cron:/etc/cron.d/probe:2 odile
mkdir -p /run/sshd && ssh-keygen -q -A
$as sh -c 'mkdir -m 700 ~/.ssh; ssh-keygen -q -t ed25519 -N "" -f ~/.ssh/key; cp ~/.ssh/key.pub ~/.ssh/authorized_keys'
$as ssh -q -F none -i /home/odile/.ssh/key -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null \
  -o ProxyCommand='sudo -n /usr/sbin/sshd -i' odile@pier-4 /usr/bin/env -0 >/res/ssh-command
forecast ssh-command ssh-command odile
# As an ordinary account that sudo tells nothing, what root alone may read is unknown, and nothing is wrong.
setpriv --reuid 65534 --regid 65534 --clear-groups env -i PATH=/usr/bin:/bin /vectorum/vectorum forecast login/sudo --account odile --json >/res/denied.json
$as /vectorum/vectorum why BERTH_COUNT --route cron:/etc/cron.d/probe:2 >/res/why
# What was set while the managers run is known, and so is what they have not read again.
systemctl set-environment PIER=by-hand LATE=1
echo '[Manager]
DefaultEnvironment=PIER=4 UNREAD=1' >/etc/systemd/system.conf.d/20-late.conf
forecast running service:probe odile
forecast running-other user-service:probe root >/res/ignored 2>&1
/vectorum/vectorum forecast user-service:probe --account odile --json >/res/running-user.json
# Probes: as root and as the account itself; a unit is not restarted by them.
before=$(systemctl show -p InvocationID probe.service)
probe() { name=$1; shift; "$@" --yes --check >/res/probe-$name 2>/res/probe-$name.said; echo $? >>/res/probe-$name; }
probe service /vectorum/vectorum probe service:probe --account odile
probe transient /vectorum/vectorum probe transient
for way in login login/script login/sh-c login/terminal login/sudo login/debugger; do
  probe root-$(echo $way | tr / -) /vectorum/vectorum probe $way --account odile
  probe own-$(echo $way | tr / -) $as XDG_RUNTIME_DIR=/run/user/2001 /vectorum/vectorum probe $way
done
probe own-user-service $as XDG_RUNTIME_DIR=/run/user/2001 /vectorum/vectorum probe user-service:probe
probe own-desktop $as XDG_RUNTIME_DIR=/run/user/2001 /vectorum/vectorum probe desktop
for way in ssh-command ssh-login cron:/etc/cron.d/probe:2; do
  probe root-${way%%:*} /vectorum/vectorum probe $way --account odile
  probe own-${way%%:*} $as /vectorum/vectorum probe $way
done
[ "$before" = "$(systemctl show -p InvocationID probe.service)" ] && echo same >/res/untouched
echo '* * * * * true' | $as crontab -
$as /vectorum/vectorum routes >/res/own-routes
$as /vectorum/vectorum forecast login/sudo --json >/res/own-sudo.json
for second in $(seq 90); do [ -e /res/cron ] && break; sleep 1; done
"#;

fn put(path: &Path, text: &str, mode: u32) {
    fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
    fs::write(path, text).expect("a file");
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).expect("its mode");
}

/// Startup files whose lines set variables in all the ways that a forecast may leave open.
const LINES: &str = r#"# berth
PLAIN=1; export PLAIN
export QUOTED="50% \\ \$x"
say() {
  FROM_FUNCTION=$1; export FROM_FUNCTION
}
say x
( IN_SUBSHELL=1; PLAIN=2; : )
. "$HOME/more"
eval "$("$HOME/names")"
IFS= read -r FROM_READ <"$HOME/note"
export FROM_READ
export WIDE="a
b"
SUM=`( PLAIN=3; SUM=4; "$HOME/names" )`
export SUM
"#;
const MORE: &str = "# more\n\nFROM_MORE=$(\"$HOME/names\")\nexport FROM_MORE\n";
const NAMES: &str = "#!/bin/sh\nsleep 0.03\necho 'export FROM_EVAL=1'\necho 'export OTHER_EVAL=2'\n";
const FISH: &str = r#"# berth
set -gx PLAIN 1
function say
  set -gx FROM_FUNCTION $argv[1]
end
say x
source ~/more.fish
~/names | string replace -r 'export (.*)=(.*)' 'set -gx $1 $2' | source
read -gx FROM_READ <~/note
set -gx SUM (~/names)
"#;
const MORE_FISH: &str = "# more\n\nset -gx FROM_MORE (~/names)\n";

/// Each account: its shell and the file that it reads.
const ACCOUNTS: &[(&str, &str)] = &[
    ("bash", ".bash_profile"),
    ("dash", ".profile"),
    ("zsh", ".zshenv"),
    ("ksh", ".profile"),
    ("mksh", ".profile"),
    ("fish", ".config/fish/config.fish"),
];

/// Which line of the file above, or of the one that it runs, decides each name.
const DECIDE: &[(&str, &str, usize)] = &[
    ("PLAIN", "", 2),
    ("QUOTED", "", 3),
    ("FROM_FUNCTION", "", 5),
    ("FROM_MORE", "more", 3),
    ("FROM_EVAL", "", 10),
    ("OTHER_EVAL", "", 10),
    ("FROM_READ", "", 11),
    ("WIDE", "", 13),
    ("SUM", "", 15),
];
const DECIDE_FISH: &[(&str, &str, usize)] =
    &[("PLAIN", "", 2), ("FROM_FUNCTION", "", 4), ("FROM_MORE", "more.fish", 3), ("SUM", "", 10)];

#[test]
fn each_shell_tells_itself_which_lines_decide() {
    let folder = tempfile::tempdir().expect("a folder");
    let (upper, results) = (folder.path().join("upper"), folder.path().join("res"));
    fs::create_dir_all(&results).expect("a folder");
    let mut arguments: Vec<String> = Vec::new();
    let mut script = String::from("chmod 1777 /res\n");
    let homes = ACCOUNTS.iter().map(|(shell, file)| (*shell, format!("home/{shell}"), *file));
    for (at, (shell, home, file)) in homes.chain([("bash", "root".to_owned(), ".bash_profile")]).enumerate() {
        let (lines, more) = if shell == "fish" { (FISH, ("more.fish", MORE_FISH)) } else { (LINES, ("more", MORE)) };
        for (path, text, mode) in
            [(file, lines, 0o644), (more.0, more.1, 0o644), ("names", NAMES, 0o755), ("note", "4 north\n", 0o644)]
        {
            put(&upper.join(&home).join(path), text, mode);
        }
        let vectorum = "/vectorum/vectorum probe login --yes --json";
        if home == "root" {
            script.push_str(&format!("{vectorum} >/res/root 2>/res/root.said\n"));
            continue;
        }
        let number = 3001 + at;
        arguments.extend(["--user".to_owned(), format!("{shell}:{number}:/bin/{shell}")]);
        if shell != "fish" {
            let run = format!(
                "/vectorum/vectorum forecast login --json --yes --run /{home}/{file} --run /{home}/more --account {shell}"
            );
            script.push_str(&format!("{run} >/res/{shell}-told 2>/res/{shell}-told.said\n"));
        }
        let own = format!(
            "setpriv --reuid {number} --regid {number} --init-groups env -i HOME=/{home} TERM=linux PATH=/usr/bin:/bin {vectorum}"
        );
        script.push_str(&format!("chown -R {number}:{number} /{home}\n"));
        script.push_str(&format!("{vectorum} --account {shell} >/res/{shell}-by-root 2>/res/{shell}-by-root.said\n"));
        script.push_str(&format!("{own} >/res/{shell} 2>/res/{shell}.said\n"));
    }
    let program = PathBuf::from(env!("CARGO_BIN_EXE_vectorum"));
    let output = Command::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/with-systemd"))
        .args(&arguments)
        .args(["--remove", "/etc/profile", "--remove", "/root/.profile", "--remove", "/root/.bashrc"])
        .args(["--remove", "/etc/bash.bashrc", "--upper"])
        .arg(&upper)
        .arg("--bind")
        .arg(format!("{}:/res", results.display()))
        .arg("--bind")
        .arg(format!("{}:/vectorum", program.parent().expect("a folder").display()))
        .args(["--", "sh", "-c", &script])
        .stdin(Stdio::null())
        .output()
        .expect("a private host");
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    let mut wrong = String::new();
    let runs = ACCOUNTS.iter().flat_map(|(shell, file)| {
        [
            (*shell, *file, format!("home/{shell}"), (*shell).to_owned()),
            (*shell, *file, format!("home/{shell}"), format!("{shell}-by-root")),
        ]
    });
    for (shell, file, home, run) in runs.chain([("bash", ".bash_profile", "root".to_owned(), "root".to_owned())]) {
        let told = fs::read_to_string(results.join(format!("{run}.said"))).unwrap_or_default();
        let text = fs::read(results.join(&run)).unwrap_or_else(|e| panic!("{run}: {e}\n{said}"));
        let json: Value = serde_json::from_slice(&text).unwrap_or_else(|e| panic!("{run}: {e}\n{told}\n{said}"));
        for (name, other, line) in if shell == "fish" { DECIDE_FISH } else { DECIDE } {
            let path = if other.is_empty() { file } else { other };
            let site = format!("/{home}/{path}:{line}");
            if json["origin"][name] != site {
                wrong.push_str(&format!("{run}: {name}: {} and not {site}\n", json["origin"][name]));
            }
        }
        assert_eq!(json["vars"]["PLAIN"], "1", "{run}");
        // With what the one program printed nothing is open, and all is as it arrives.
        if let Ok(text) = fs::read(results.join(format!("{run}-told"))) {
            let told: Value = serde_json::from_slice(&text).unwrap_or_else(|e| panic!("{run}: {e}\n{text:?}"));
            for name in ["FROM_MORE", "FROM_EVAL", "OTHER_EVAL", "SUM"] {
                if told["vars"][name] != json["vars"][name] || told["open"] != Value::Null {
                    wrong.push_str(&format!("{run}: with what was printed {name} is {}, {}\n", told["vars"][name], told["open"]));
                }
            }
        }
        let settled = json["settled"].as_array().expect("names");
        if !["FROM_MORE", "FROM_EVAL"].iter().all(|name| settled.iter().any(|n| n == name)) {
            wrong.push_str(&format!("{run}: settled are only {settled:?}\n"));
        }
        // What takes long is told as that.
        let dearest = &json["cost"][0]["files"][0];
        if dearest["ms"].as_f64().is_none_or(|ms| ms < 30.0) {
            wrong.push_str(&format!("{run}: costs {}\n{told}\n", json["cost"]));
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// Where root is at home (FHS 3.0, 3.14).
const ROOT_HOME: &str = "/root";

#[test]
fn what_is_forecast_is_what_arrives() {
    let folder = tempfile::tempdir().expect("a folder");
    let (upper, results) = (folder.path().join("upper"), folder.path().join("res"));
    for (path, text, mode) in FILES {
        put(&upper.join(path), text, *mode);
    }
    fs::create_dir_all(&results).expect("a folder");
    let program = PathBuf::from(env!("CARGO_BIN_EXE_vectorum"));
    let output = Command::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/with-systemd"))
        .args(["--user", "odile:2001:/bin/bash"])
        .args(["/etc/profile", "/etc/locale.conf", "/etc/bash.bashrc"].iter().flat_map(|path| ["--remove", path]))
        .args(
            [".profile", ".bash_profile", ".bash_login"].iter().flat_map(|n| ["--remove".to_owned(), format!("{ROOT_HOME}/{n}")]),
        )
        .arg("--upper")
        .arg(&upper)
        .arg("--bind")
        .arg(format!("{}:/res", results.display()))
        .arg("--bind")
        .arg(format!("{}:/vectorum", program.parent().expect("a folder").display()))
        .args(["--", "sh", "-c", SCRIPT])
        .stdin(Stdio::null())
        .output()
        .expect("a private host");
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    for route in ["service", "user-service", "su-login", "sudo", "ssh-command", "cron"] {
        let real = fs::read(results.join(route)).unwrap_or_else(|e| panic!("{route}: {e}\n{said}"));
        let json = fs::read(results.join(format!("{route}.json"))).expect("a forecast");
        let json: Value = serde_json::from_slice(&json).unwrap_or_else(|e| panic!("{route}: {e}\n{said}"));
        let per_run = |name: &str| json["per_run"].as_array().is_some_and(|list| list.iter().any(|n| n == name));
        let real: BTreeMap<String, String> = String::from_utf8(real)
            .expect("text")
            .split_terminator('\0')
            .filter_map(|e| e.split_once('='))
            .filter(|(n, _)| !per_run(n) && json["unknown"].get(n).is_none() && *n != "_")
            .map(|(n, v)| (n.to_owned(), v.to_owned()))
            .collect();
        let vars = json["vars"].as_object().expect("variables").iter();
        let said: BTreeMap<String, String> = vars.map(|(n, v)| (n.clone(), v.as_str().expect("a text").to_owned())).collect();
        assert_eq!(json["open"], Value::Null, "{route}");
        // Only what the session manager, or the client of a login, decides is unknown.
        let unknown = json["unknown"].as_object().expect("unknown ones");
        let may_be =
            |n: &String| n.starts_with("XDG_") || n.starts_with("LC_") || n == "SHLVL" || n == "DBUS_SESSION_BUS_ADDRESS";
        assert!(unknown.keys().all(may_be), "{route}: {unknown:?}");
        assert_eq!(real, said, "{route}: what arrived, and what was said");
        assert!(said.len() > 3, "{route}");
    }
    let service: Value = serde_json::from_slice(&fs::read(results.join("service.json")).expect("a forecast")).expect("JSON");
    for (name, site) in [
        ("NOTE", "/etc/systemd/system/probe.service.d/20-note.conf:2"),
        ("BERTH_COUNT", "/etc/berth/a.env:1"),
        ("PIER", "/etc/systemd/system.conf.d/10-pier.conf:2"),
    ] {
        assert_eq!(service["origin"][name], site);
    }
    let read = |name: &str| fs::read_to_string(results.join(name)).unwrap_or_else(|e| panic!("{name}: {e}\n{said}"));
    let json = |name: &str| serde_json::from_str::<Value>(&read(name)).unwrap_or_else(|e| panic!("{name}: {e}\n{said}"));
    let running = json("running.json");
    assert_eq!((&running["vars"]["PIER"], &running["vars"]["LATE"]), (&"by-hand".into(), &"1".into()), "{running:#}");
    assert_eq!(running["vars"]["UNREAD"], Value::Null, "the manager has not read it again");
    assert_eq!(json("running-user.json")["vars"]["TIDE"], "4//home/odile", "another account's manager is asked");
    for name in [
        "service",
        "transient",
        "root-login",
        "root-login-script",
        "root-login-sh-c",
        "root-login-terminal",
        "root-login-sudo",
        "root-login-debugger",
        "own-login",
        "own-login-script",
        "own-login-sh-c",
        "own-login-terminal",
        "own-login-sudo",
        "own-login-debugger",
        "own-user-service",
        "own-desktop",
        "root-ssh-command",
        "own-ssh-command",
        "root-ssh-login",
        "own-ssh-login",
        "root-cron",
        "own-cron",
    ] {
        let text = read(&format!("probe-{name}"));
        assert!(text.ends_with("arrived, as forecast\n0\n"), "{name}: {text}\n{}", read(&format!("probe-{name}.said")));
    }
    assert!(read("probe-own-cron.said").contains("no table of jobs is changed"), "{}", read("probe-own-cron.said"));
    assert_eq!(read("untouched"), "same\n", "no unit was restarted");
    assert!(read("own-routes").contains("cron:/var/spool/cron/crontabs/odile:1"), "{}", read("own-routes"));
    let own_sudo = json("own-sudo.json");
    assert_eq!((&own_sudo["open"], &own_sudo["vars"]["PATH"]), (&Value::Null, &"/usr/sbin:/usr/bin".into()), "{own_sudo:#}");
    let denied: Value = serde_json::from_slice(&fs::read(results.join("denied.json")).expect("a forecast")).expect("JSON");
    assert!(denied["open"]["why"].as_str().is_some_and(|why| why.contains("may not be read")), "{denied:#}");
    let stock = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";
    assert!(denied["vars"]["PATH"] == Value::Null && denied["assumed"]["PATH"] == stock, "{denied:#}");
    let why = fs::read_to_string(results.join("why")).expect("a story");
    assert!(
        why.contains("not set on this route") && why.contains("/etc/berth/a.env:1 sets it, which this route never reads"),
        "{why}"
    );
}

/// Another host's tree, as root and as an ordinary account.
#[test]
fn another_hosts_tree_is_asked() {
    let folder = tempfile::tempdir().expect("a folder");
    fs::set_permissions(folder.path(), fs::Permissions::from_mode(0o755)).expect("its mode");
    let root = folder.path().display().to_string();
    for (path, text) in [
        ("etc/passwd", "root:x:0:0::/root:/bin/bash\nodile:x:1000:1000::/home/odile:/bin/dash\n"),
        ("etc/environment", "BERTH=4\nGATE_TOKEN=tide-4711-harbour\n"),
        ("etc/pam.d/login", "session required pam_env.so\n"),
        ("etc/security/pam_env.conf", ""),
        ("etc/os-release", "ID=pier-os\n"),
        (
            "etc/systemd/system/tide-watch.service",
            "[Service]\nEnvironment=BERTH=5\nEnvironmentFile=/etc/tide.env\nExecStart=/bin/true\n",
        ),
        ("etc/systemd/system/gate.service", "[Service]\nEnvironment=BERTHS=6\nExecStart=/bin/true\n"),
    ] {
        put(&folder.path().join(path), text, 0o644);
    }
    for who in [Who::Root, Who::Ordinary] {
        let ask = |arguments: &[&str]| {
            let output = run(who, &[arguments, &["--root", &root, "--account", "odile"]].concat());
            (output.status.code(), String::from_utf8_lossy(&output.stdout).into_owned(), said(&output))
        };
        let (status, routes, _) = ask(&["routes"]);
        assert_eq!(status, Some(0));
        assert!(routes.contains("service:gate.service ") && routes.contains("never started: an environment file"), "{routes}");
        let (status, login, told) = ask(&["forecast", "login"]);
        assert!(status == Some(0) && told.contains("none whose programs were measured"), "{told}");
        assert!(login.contains("BERTH=4  ← /etc/environment:1\n"), "{login}");
        assert!(login.contains("GATE_TOKEN=••••••#") && !login.contains("4711"), "{login}");
        let (status, json, _) = ask(&["forecast", "login", "--start", "TERM=vt220", "--json"]);
        let json: Value = serde_json::from_str(&json).expect("JSON");
        assert_eq!((status, &json["vars"]["TERM"], &json["open"]), (Some(0), &Value::from("vt220"), &Value::Null));
        assert!(json["assumes"].as_str().is_some_and(|a| a.contains("authors' own rules")), "{json:#}");
        let (status, _, told) = ask(&["forecast", "service:tide-watch"]);
        assert_eq!(status, Some(1));
        assert!(told.contains("the unit does not start (/etc/systemd/system/tide-watch.service:3)"), "{told}");
        let (status, why, _) = ask(&["why", "BERTH", "--route", "service:gate"]);
        assert_eq!(status, Some(1));
        for part in ["not set on this route", "/etc/environment:1 sets it, which this route never reads", "BERTHS is set here"] {
            assert!(why.contains(part), "{part}: {why}");
        }
        let (status, reach, _) = ask(&["reach", "BERTH"]);
        assert_eq!(status, Some(0));
        assert!(reach.starts_with("BERTH  1 value, lacking on ") && reach.contains("  A  4  ← login"), "{reach}");
        // Pictures, for whoever may write there.
        let pictures = tempfile::tempdir().expect("a folder");
        fs::set_permissions(pictures.path(), fs::Permissions::from_mode(0o777)).expect("its mode");
        let to = |name: &str| pictures.path().join(name).display().to_string();
        for (what, name) in [("BERTH", "flow.svg"), ("GATE_TOKEN", "token.svg"), ("BERTH", "flow.pdf")] {
            let (status, _, told) = ask(&["draw", "flow", what, "-o", &to(name)]);
            assert_eq!(status, Some(0), "{told}");
        }
        let (status, ..) = ask(&["draw", "reach", "BERTH*", "-o", &to("reach.svg")]);
        assert_eq!(status, Some(0));
        let flow = fs::read_to_string(to("flow.svg")).expect("a picture");
        assert!(["login", "environment:1", "the values of BERTH"].iter().all(|t| flow.contains(t)), "{flow}");
        let token = fs::read_to_string(to("token.svg")).expect("a picture");
        assert!(token.contains("••••••#") && !token.contains("4711"), "{token}");
        assert!(fs::read_to_string(to("reach.svg")).expect("a picture").contains("BERTHS"));
        assert!(fs::read(to("flow.pdf")).expect("a picture").starts_with(b"%PDF-"));
        // Nothing of another host is run, and nothing of this one without being asked.
        let (status, _, told) = ask(&["probe", "login"]);
        assert!(status == Some(3) && told.contains("the tree of another host"), "{told}");
        let unasked = run(who, &["probe", "login/sh-c"]);
        // nobody has no shell to log in with.
        let (status, words) = if who == Who::Root { (2, "this probe runs:") } else { (3, "lets nobody in") };
        assert!(unasked.status.code() == Some(status) && said(&unasked).contains(words), "{}", said(&unasked));
        for (wrong, told) in [("nowhere", "«nowhere» is no route"), ("sudo", "«sudo» is no route")] {
            let (status, _, error) = ask(&["forecast", wrong]);
            assert!(status == Some(2) && error.contains(told) && error.contains("vectorum routes lists"), "{error}");
        }
    }
    let output = run(Who::Root, &["routes", "--root", &root, "--account", "nobody-there"]);
    assert!(output.status.code() == Some(3) && said(&output).contains("is no account in etc/passwd"), "{}", said(&output));
    let output = run(Who::Root, &["routes", "--root", "/nowhere"]);
    assert!(output.status.code() == Some(3) && said(&output).contains("/nowhere: "), "{}", said(&output));
}
