//! What real processes received and have, read as root and as an ordinary account.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

mod common;

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use common::{BOTH, Waiting, Who, command, compiled, folder, run, said};

fn keep() -> PathBuf {
    compiled("keep", "keep.c", &[])
}

/// Every kind of block that the kernel carries comes back byte for byte.
#[test]
fn blocks_come_back_as_they_were_given() {
    let long = format!("LONG={}", "x".repeat(131_071 - 5));
    let large: String = (0..19).map(|n| format!("N{n}={}\0", "y".repeat(100_000))).collect();
    let odd = b"A=1\0noequals\0=nameless\0A=2\0\0B=\xff\xfe\x1b[2J\0LAST=\0";
    let cases: [(&str, Vec<u8>, bool); 7] = [
        ("plain", b"A=1\0PATH=/usr/bin:/bin\0".to_vec(), true),
        ("empty", Vec::new(), true),
        ("one entry", b"=\0".to_vec(), false),
        ("odd", odd.to_vec(), false),
        ("longest entry", [long.as_bytes(), b"\0"].concat(), true),
        ("nearly 2 MB", large.into_bytes(), true),
        ("hidden doubles", b"A=1\0A=2\0A=1\0".to_vec(), true),
    ];
    for who in BOTH {
        for (what, block, is_usual) in &cases {
            let process = Waiting::with_block(who, block, &keep(), &[]);
            let shown = run(who, &["show", "-0", "--pid", &process.pid()]);
            assert_eq!(shown.status.code(), Some(0), "{what} as {who:?}: {}", said(&shown));
            assert!(shown.stdout == *block, "{what} as {who:?}");
            // Without a look into the memory, an unusual shape is not believed.
            let blind = run(who, &["show", "-0", "--no-peek", "--pid", &process.pid()]);
            if *is_usual {
                assert!(blind.stdout == *block, "{what} as {who:?}, without peeking");
            } else {
                assert_eq!(blind.status.code(), Some(3), "{what}");
                assert!(
                    said(&blind).contains("may have been overwritten") && said(&blind).contains("leave out --no-peek"),
                    "{}",
                    said(&blind)
                );
                assert!(blind.stdout.is_empty());
            }
        }
    }
}

/// What a program wrote over its start block is never shown as received.
#[test]
fn overwritten_blocks_are_not_believed() {
    for who in BOTH {
        for how in ["title", "zero", "moved", "shift"] {
            let process = Waiting::with_block(who, b"A=1\0BB=22\0C=333\0", &keep(), &[how]);
            for peek in [&["show", "--pid"][..], &["show", "--no-peek", "--pid"]] {
                // A shift of boundaries shows only in the memory.
                if how == "shift" && peek.len() == 3 {
                    continue;
                }
                let shown = run(who, &[peek, &[&process.pid()]].concat());
                assert_eq!(shown.status.code(), Some(3), "{how} as {who:?}: {}", said(&shown));
                assert!(said(&shown).contains("overwritten"), "{}", said(&shown));
                assert!(shown.stdout.is_empty());
            }
            let compared = run(who, &["compare", "pid:self", &format!("pid:{}", process.pid())]);
            assert_eq!(compared.status.code(), Some(3));
        }
    }
}

/// A real program that changes its title.
#[test]
fn a_changed_title_of_a_real_program() {
    let script = r#"$| = 1; $0 = "pier " x 400; print "ready\n"; sleep 600"#;
    for who in BOTH {
        let mut perl = command(who, "perl");
        perl.args(["-e", script]).env_clear().env("TIDE", "high").env("PATH", "/usr/bin:/bin");
        let process = Waiting::start(perl);
        let shown = run(who, &["show", "--pid", &process.pid()]);
        assert!(said(&shown).contains("has overwritten its start block") && shown.stdout.is_empty(), "{}", said(&shown));
        let live = run(who, &["show", "--pid", &process.pid(), "--live", "TIDE"]);
        assert_eq!(String::from_utf8_lossy(&live.stdout), "TIDE=high\n", "{}", said(&live));
    }
}

#[test]
fn processes_that_cannot_be_read_say_why() {
    let private = Waiting::with_block(Who::Ordinary, b"A=1\0", &keep(), &["private"]);
    let roots = Waiting::with_block(Who::Root, b"A=1\0", &keep(), &[]);
    let zombie = Waiting::with_block(Who::Ordinary, b"A=1\0", &keep(), &["zombie"]);
    let dead = zombie.line.split(' ').next().unwrap_or_default().to_owned();
    let gone = {
        let short = Waiting::with_block(Who::Ordinary, b"A=1\0", &keep(), &[]);
        short.pid()
    };
    for (who, pid, told) in [
        (Who::Ordinary, private.pid(), Some("declared its memory private")),
        (Who::Root, private.pid(), None),
        (Who::Ordinary, roots.pid(), Some("it belongs to root")),
        (Who::Root, roots.pid(), None),
        (Who::Ordinary, dead.clone(), Some("has ended")),
        (Who::Root, dead, Some("has ended")),
        (Who::Ordinary, gone.clone(), Some("there is no process")),
        (Who::Root, gone, Some("there is no process")),
    ] {
        for live in [false, true] {
            let mut arguments = vec!["show", "-0", "--pid", &pid];
            arguments.extend(live.then_some("--live"));
            let shown = run(who, &arguments);
            match told {
                Some(told) => {
                    assert_eq!(shown.status.code(), Some(3), "{who:?} {told} live: {live}");
                    assert!(said(&shown).contains(told), "{who:?} live: {live}: {}", said(&shown));
                }
                None => assert_eq!(shown.stdout, b"A=1\0", "{who:?} live: {live}: {}", said(&shown)),
            }
        }
    }
    // Where the kernel's threads can be seen at all, they have no block for anybody.
    if fs::read_to_string("/proc/2/comm").is_ok_and(|c| c.trim() == "kthreadd") {
        for who in BOTH {
            let shown = run(who, &["show", "--pid", "2"]);
            assert!(said(&shown).contains("a thread of the kernel"), "{}", said(&shown));
        }
    }
}

/// The block of now, however the program was linked.
#[test]
fn the_current_block_of_every_kind_of_program() {
    let plain = [
        ("dynamic", &["-fPIE", "-pie"][..]),
        ("copied", &["-no-pie", "-fno-pic"]),
        ("sysv-hash", &["-Wl,--hash-style=sysv"]),
        ("static", &["-static"]),
        ("static-pie", &["-static-pie"]),
    ];
    for who in BOTH {
        for (name, options) in plain {
            let program = compiled(&format!("keep-{name}"), "keep.c", options);
            for (how, expected) in
                [("set", "KEPT=changed\nLATE=born later\n"), ("clear", ""), ("plain", "GONE=1\nKEPT=as it was\n")]
            {
                let process = Waiting::with_block(who, b"GONE=1\0KEPT=as it was\0", &program, &[how]);
                let live = run(who, &["show", "--live", "--pid", &process.pid()]);
                assert_eq!(String::from_utf8_lossy(&live.stdout), expected, "{name} {how} as {who:?}: {}", said(&live));
                let received = run(who, &["show", "--pid", &process.pid()]);
                assert_eq!(
                    String::from_utf8_lossy(&received.stdout),
                    "GONE=1\nKEPT=as it was\n",
                    "{name} {how}: {}",
                    said(&received)
                );
            }
        }
        let bare =
            compiled("bare32", "bare32.c", &["-m32", "-nostdlib", "-static", "-fno-pic", "-no-pie", "-fno-stack-protector"]);
        let process = Waiting::with_block(who, b"KEPT=as it was\0B=2\0", &bare, &[]);
        let live = run(who, &["show", "--live", "--pid", &process.pid()]);
        assert_eq!(String::from_utf8_lossy(&live.stdout), "KEPT=changed\nB=2\n", "32 bits as {who:?}: {}", said(&live));
        let received = run(who, &["show", "--pid", &process.pid()]);
        assert_eq!(String::from_utf8_lossy(&received.stdout), "KEPT=as it was\nB=2\n", "{}", said(&received));

        let stripped = compiled("keep-stripped", "keep.c", &["-static", "-s"]);
        let process = Waiting::with_block(who, b"A=1\0", &stripped, &["set"]);
        let live = run(who, &["show", "--live", "--pid", &process.pid()]);
        assert!(said(&live).contains("without its symbol table") && live.stdout.is_empty(), "{}", said(&live));
    }
}

/// A block that never rests is read whole or not at all: both variables are set to one number.
#[test]
fn a_changing_block_is_read_at_one_moment() {
    let process = Waiting::with_block(Who::Ordinary, b"SWING=0\0SWUNG=0\0", &keep(), &["swing"]);
    for _ in 0..10 {
        let live = run(Who::Ordinary, &["show", "--live", "--value", "--pid", &process.pid()]);
        if live.status.success() {
            let text = String::from_utf8_lossy(&live.stdout).into_owned();
            let numbers: Vec<i64> = text.lines().filter_map(|l| l.parse().ok()).collect();
            assert!(numbers.len() == 2 && (0..=1).contains(&(numbers[0] - numbers[1])), "{text}");
        } else {
            assert!(said(&live).contains("faster than they can be read"), "{}", said(&live));
        }
    }
}

/// Runtimes change the C library's block, or keep their own; the real ones are asked.
#[test]
fn real_runtimes() {
    let go = go_program();
    let class = java_program();
    let python = "import os\nos.environ['LATE'] = 'born'\ndel os.environ['GONE']\nprint('ready', flush=True)\nimport time; time.sleep(600)";
    let perl = r#"$| = 1; $ENV{LATE} = "born"; delete $ENV{GONE}; print "ready\n"; sleep 600"#;
    let shell = "export LATE=born; unset GONE; echo ready; read wait";
    for who in BOTH {
        for (program, arguments, keeper) in [
            ("python3", vec!["-c", python], None),
            ("perl", vec!["-e", perl], None),
            ("zsh", vec!["-f", "-c", shell], None),
            ("bash", vec!["-c", shell], Some("bash keeps its variables in tables of its own")),
            ("dash", vec!["-c", shell], Some("dash keeps its variables in tables of its own")),
            ("mksh", vec!["-c", shell], Some("mksh keeps its variables in tables of its own")),
            ("fish", vec!["-N", "-c", "set -gx LATE born; set -e GONE; echo ready; read wait"], Some("fish keeps")),
            (&go, vec![], Some("a Go program keeps")),
            ("java", vec!["-Xshare:auto", "-Xint", "-cp", &class, "Keep"], Some("a Java program sees a copy")),
        ] {
            let mut start = command(who, program);
            start
                .args(&arguments)
                .env_clear()
                .env("GONE", "1")
                .env("PATH", "/usr/local/bin:/usr/bin:/bin")
                .env("HOME", "/nonexistent");
            let process = Waiting::start(start);
            let live = run(who, &["show", "--json", "--live", "--pid", &process.pid()]);
            let note = said(&live);
            match keeper {
                None => {
                    let json: serde_json::Value = serde_json::from_slice(&live.stdout).expect("JSON");
                    assert_eq!(json["current"], true, "{program}");
                    assert_eq!(
                        (&json["vars"]["LATE"], &json["vars"]["GONE"]),
                        (&"born".into(), &serde_json::Value::Null),
                        "{program} as {who:?}"
                    );
                }
                Some(words) if live.status.success() => {
                    assert!(note.contains(words) && note.contains("not the current one"), "{program} as {who:?}: {note}");
                    let json: serde_json::Value = serde_json::from_slice(&live.stdout).expect("JSON");
                    assert_eq!(json["current"], false, "{program}");
                }
                // A Go program without the C library shows nothing at all.
                Some(_) => {
                    assert!(program == go && note.contains("keeps its variables to itself"), "{program} as {who:?}: {note}");
                }
            }
        }
    }
}

fn go_program() -> String {
    let source = folder().join("keep.go");
    let text = "package main\nimport (\"fmt\"; \"os\"; \"time\")\nfunc main() { os.Setenv(\"LATE\", \"born\"); fmt.Println(\"ready\"); time.Sleep(time.Hour) }\n";
    fs::write(&source, text).expect("the source");
    let to = folder().join("keep-go");
    let cache = folder().join("go-cache");
    let built = Command::new("go")
        .args(["build", "-o"])
        .arg(&to)
        .arg(&source)
        .env("GOCACHE", cache)
        .env("GOFLAGS", "-mod=mod")
        .env("GO111MODULE", "off")
        .output();
    let built = built.expect("go is installed");
    assert!(built.status.success(), "{}", String::from_utf8_lossy(&built.stderr));
    to.to_string_lossy().into_owned()
}

fn java_program() -> String {
    let to = folder().join("classes");
    fs::create_dir_all(&to).expect("a folder");
    let source = to.join("Keep.java");
    let text = "public class Keep { public static void main(String[] a) throws Exception { System.out.println(\"ready\"); Thread.sleep(600000); } }";
    fs::write(&source, text).expect("the source");
    let built = Command::new("javac").arg("-d").arg(&to).arg(&source).output().expect("javac is installed");
    assert!(built.status.success(), "{}", String::from_utf8_lossy(&built.stderr));
    to.to_string_lossy().into_owned()
}
