//! Env files through the commands: read, check, export, fill, layers under a command.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]
mod common;

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use common::{BOTH, Who, command, folder, run, said, vectorum};
use serde_json::Value;

const GATE: &str =
    "# ticket-gate\nGATE_LANES=3\nGATE_GREETING=\"Welcome to pier 4\"\nGATE_PATH=C:\\gate\nTICKET_KEY=mGZ4kq7T1xWc9RvB2nYh5LsD\n";

fn place(name: &str) -> PathBuf {
    let place = folder().join(name);
    fs::create_dir_all(&place).expect("a folder");
    fs::set_permissions(&place, fs::Permissions::from_mode(0o777)).expect("its mode");
    place
}

fn written(folder: &Path, name: &str, text: &str) -> String {
    let path = folder.join(name);
    fs::write(&path, text).expect("a file");
    fs::set_permissions(&path, fs::Permissions::from_mode(0o666)).expect("its mode");
    path.to_string_lossy().into_owned()
}

fn out(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned()
}

#[test]
fn each_reader_gets_its_own() {
    let gate = written(&place("read"), "gate.env", GATE);
    for who in BOTH {
        for (reader, greeting, path) in [
            ("sh", "Welcome to pier 4", "C:gate"),
            ("systemd-environment-file", "Welcome to pier 4", "C:gate"),
            ("container-env-file", "\"Welcome to pier 4\"", "C:\\gate"),
            ("node-env-file", "Welcome to pier 4", "C:\\gate"),
        ] {
            let read = run(who, &["read", "--json", "--as", reader, &gate]);
            assert_eq!(read.status.code(), Some(0), "{}", said(&read));
            let json: Value = serde_json::from_str(&out(&read)).expect("JSON");
            let file = &json["files"][0];
            assert_eq!((&json["vectorum"], &file["ok"], &file["reader"]), (&1.into(), &true.into(), &reader.into()));
            assert_eq!(
                (&file["vars"]["GATE_GREETING"], &file["vars"]["GATE_PATH"]),
                (&greeting.into(), &path.into()),
                "{reader}"
            );
        }
        let bad = written(&place("read"), "bad.env", "A=1\nnonsense here\n");
        let read = run(who, &["read", "--as", "container-env-file", &bad]);
        assert_eq!((read.status.code(), out(&read)), (Some(1), String::new()));
        assert!(said(&read).contains("bad.env:2:1: a blank in a name: the file is refused; write NAME=value"), "{}", said(&read));
        let missing = run(who, &["read", "/nowhere.env"]);
        assert!(missing.status.code() == Some(3) && said(&missing).contains("/nowhere.env"), "{}", said(&missing));
        assert_eq!(run(who, &["read", "--as", "nonsense", &gate]).status.code(), Some(2));
        let compared = run(who, &["compare", &format!("file:{gate}:sh"), &format!("file:{gate}:container-env-file")]);
        assert_eq!(compared.status.code(), Some(1));
        assert!(out(&compared).contains("~ GATE_GREETING"), "{}", out(&compared));
    }
}

#[test]
fn checks_tell_where_readers_part_and_fix_what_can_be_fixed() {
    let folder = place("check");
    for who in BOTH {
        let text = "A=1\nB=\"two words\" # as it was\nC='x'\n\n# a comment stays\nB_KEY=one\nb_key=two\nA=2\n";
        // Only an owner may replace a file so that its owner stays.
        let source = written(&folder, "source.env", text);
        let file = folder.join(format!("{who:?}.env")).to_string_lossy().into_owned();
        assert!(command(who, "cp").args([&source, &file]).status().expect("cp").success());
        assert!(command(who, "chmod").args(["666", &file]).status().expect("chmod").success());
        let checked = run(who, &["check", "--as", "sh", "--as", "systemd-environment-file", &file]);
        assert_eq!(checked.status.code(), Some(1));
        let report = out(&checked);
        for expected in [
            "line 2: B is read in 2 ways",
            "A  two words",
            "B  two words# as it was",
            "all agree on: B='two words'",
            "line 7: b_key differs from B_KEY only in case",
            "line 8: A is set here again, after line 1",
        ] {
            assert!(report.contains(expected), "{expected} is not in\n{report}");
        }
        let fixed = run(who, &["check", "--fix", "--as", "sh", "--as", "systemd-environment-file", &file]);
        assert!(said(&fixed).contains("of 1 entries that readers parted over, 0 are left"), "{}", said(&fixed));
        let after = command(who, "cat").arg(&file).output().expect("cat");
        // The comment behind the value is what the service manager took for a part of it.
        assert_eq!(out(&after), text.replace("B=\"two words\" # as it was", "# as it was\nB='two words'"));
        assert!(!out(&fixed).contains("is read in 2 ways"), "{}", out(&fixed));
        assert_eq!(fs::metadata(&file).expect("the file").permissions().mode() & 0o777, 0o666, "its mode stays");
    }
    let secret = written(&folder, "gate.env", GATE);
    let git = |arguments: &[&str]| Command::new("git").arg("-C").arg(&folder).args(arguments).output().expect("git");
    assert!(git(&["init", "-q"]).status.success());
    // What the folder's own settings would start must not run.
    let trap = folder.join("trap");
    fs::write(&trap, format!("#!/bin/sh\ntouch {}\n", folder.join("sprung").display())).expect("a file");
    fs::set_permissions(&trap, fs::Permissions::from_mode(0o755)).expect("its mode");
    assert!(git(&["add", "gate.env"]).status.success());
    for setting in ["core.fsmonitor", "core.pager", "core.sshCommand", "diff.external"] {
        assert!(git(&["config", setting, &trap.to_string_lossy()]).status.success());
    }
    let checked = run(Who::Root, &["check", "--as", "systemd-environment-file", &secret]);
    assert!(out(&checked).contains("others may read the file; chmod 600"), "{}", out(&checked));
    assert!(out(&checked).contains("version control tracks the file"), "{}", out(&checked));
    assert!(!out(&checked).contains("mGZ4kq7T") && !folder.join("sprung").exists());
}

#[test]
fn layers_of_files_under_a_command() {
    let folder = place("layers");
    let base = written(&folder, "base.env", "LANES=3\nGREETING=\"good day\"\nPIER=4\n");
    let layer = written(&folder, "rehearsal.env", "LANES=1\nSTAGE=rehearsal\n");
    let secret = written(&folder, "secret.env", "GATE_TOKEN=gull-77-tern\n");
    for who in BOTH {
        let script = "echo $LANES $GREETING $PIER $STAGE";
        let with = |options: &[&str]| {
            let mut start = command(who, vectorum());
            start.args(["run", "--with", &format!("{base}:sh"), "--with", &layer]).args(options).args(["--", "sh", "-c", script]);
            start.env("PIER", "9").output().expect("vectorum")
        };
        assert_eq!(out(&with(&[])), "1 good day 4 rehearsal\n");
        let kept = with(&["--on-clash", "block", "--report", "LANES=7"]);
        assert_eq!(out(&kept), "7 good day 9 rehearsal\n");
        assert!(said(&kept).contains("base.env as sh: 2 new, 1 kept, 0 replaced, 0 removed"), "{}", said(&kept));
        let told = said(&with(&["--report=names"]));
        assert!(told.contains("  replaced PIER\n") && told.contains("  new STAGE\n"), "{told}");
        let told = said(&with(&["--report=values", "--with", &secret]));
        assert!(told.contains("  replaced LANES = 1\n") && told.contains("  new GATE_TOKEN = ••••••#"), "{told}");
        assert!(!told.contains("gull-77-tern"), "{told}");
        let refused = run(who, &["run", "--with", "/nowhere.env", "--", "true"]);
        assert_eq!(refused.status.code(), Some(125), "{}", said(&refused));
    }
    let open = written(&folder, "open.env", "A=$(hostname)\n");
    let refused = run(Who::Root, &["run", "--with", &format!("{open}:sh"), "--", "true"]);
    assert!(
        refused.status.code() == Some(125) && said(&refused).contains("open.env:1:1: what sh makes of it cannot be told"),
        "{}",
        said(&refused)
    );
}

#[test]
fn blocks_leave_in_other_forms() {
    let folder = place("export");
    let gate = written(&folder, "gate.env", GATE);
    let from = format!("file:{gate}:systemd-environment-file");
    for who in BOTH {
        let mine = place(&format!("export-{who:?}"));
        // Each written form is read back by a real reader of it.
        let script = mine.join("gate.sh");
        let exported = run(who, &["export", &from, "--as", "export", "-o", &script.to_string_lossy()]);
        assert_eq!(exported.status.code(), Some(0), "{}", said(&exported));
        assert_eq!(fs::metadata(&script).expect("the file").permissions().mode() & 0o777, 0o600, "it holds a secret");
        let shell = command(who, "bash")
            .args(["-c", &format!(". {}; echo \"$GATE_GREETING|$GATE_PATH\"", script.display())])
            .output()
            .expect("bash");
        assert_eq!(out(&shell), "Welcome to pier 4|C:gate\n");
        let json = run(who, &["export", &from, "--as", "json", "--only", "GATE_*"]);
        let json: Value = serde_json::from_str(&out(&json)).expect("JSON");
        assert_eq!(json, serde_json::json!({"GATE_LANES": "3", "GATE_GREETING": "Welcome to pier 4", "GATE_PATH": "C:gate"}));
        let names = run(who, &["export", &from, "--as", "container-names"]);
        assert!(out(&names).contains("--env TICKET_KEY\n") && said(&names).is_empty(), "{}", said(&names));
        let flags = run(who, &["export", &from, "--as", "container-flags"]);
        assert!(said(&flags).contains("carries the real value of what looks secret: TICKET_KEY"), "{}", said(&flags));
        let less = run(who, &["export", &from, "--not-in", &format!("file:{gate}:container-env-file"), "--as", "csv"]);
        assert_eq!(out(&less), "name,value\r\nGATE_GREETING,Welcome to pier 4\r\nGATE_PATH,C:gate\r\n");
        let refused = run(
            who,
            &["run", "X=a\nb", "--", &vectorum().to_string_lossy(), "export", "--as", "container-env-file", "--only", "X"],
        );
        assert!(refused.status.code() == Some(3) && said(&refused).contains("X: a value is one line here"), "{}", said(&refused));
    }
    let python = "import sys, json, tomllib; print(json.dumps(tomllib.loads(sys.stdin.read())))";
    let toml = out(&run(Who::Root, &["export", &from, "--as", "toml"]));
    let mut child = Command::new("python3")
        .args(["-c", python])
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .expect("python3");
    std::io::Write::write_all(&mut child.stdin.take().expect("its input"), toml.as_bytes()).expect("written");
    let read: Value = serde_json::from_slice(&child.wait_with_output().expect("python3").stdout).expect("JSON");
    assert_eq!(read["GATE_GREETING"], "Welcome to pier 4");
}

#[test]
fn templates_are_filled() {
    let folder = place("fill");
    let template = written(&folder, "board.conf", "lanes ${LANES}, $$5, $HOME\nkey ${TICKET_KEY}\n");
    for who in BOTH {
        let fill = |options: &[&str]| {
            let mut start = command(who, vectorum());
            start.args(["fill", &template]).args(options).env("LANES", "3").env_remove("TICKET_KEY").output().expect("vectorum")
        };
        let missing = fill(&[]);
        assert_eq!((missing.status.code(), out(&missing)), (Some(3), String::new()));
        assert!(said(&missing).contains("board.conf:2:5: TICKET_KEY is not set"), "{}", said(&missing));
        assert_eq!(out(&fill(&["--only", "LANES"])), "lanes 3, $5, $HOME\nkey ${TICKET_KEY}\n");
        let to = place(&format!("fill-{who:?}")).join("board.conf");
        let mut start = command(who, vectorum());
        let filled =
            start.args(["fill", &template, "-o", &to.to_string_lossy()]).env("LANES", "3").env("TICKET_KEY", "gull-feather");
        assert_eq!(filled.output().expect("vectorum").status.code(), Some(0));
        assert_eq!(fs::metadata(&to).expect("the file").permissions().mode() & 0o777, 0o600);
    }
}
