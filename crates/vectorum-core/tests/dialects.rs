//! What real consumers read from the same file: each recorded case through its reader.
//!
//! `VECTORUM_VECTORS` names a folder that holds `dialects/*.jsonl`; without it, the small part
//! that lies beside this test is run. Each line is one case: a file, the consumer's own block, and
//! per dialect what the real consumer made of it. Any difference fails.

#![allow(
    clippy::expect_used,
    clippy::unwrap_used,
    clippy::panic,
    clippy::print_stdout,
    reason = "a test that cannot go on fails"
)]

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde_json::Value as Json;
use vectorum_core::Block;
use vectorum_core::reader::{Effect, READERS, Reader, Reading, Surroundings, handed_on, read_folder, reader};

type Vars = BTreeMap<Vec<u8>, Vec<u8>>;

/// No program can be started with a longer entry (execve(2), MAX_ARG_STRLEN, with its NUL).
const LONGEST: usize = 131_071;

fn folder() -> PathBuf {
    let whole = std::env::var_os("VECTORUM_VECTORS").map(PathBuf::from);
    whole.unwrap_or_else(|| Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/vectors")).join("dialects")
}

fn bytes(json: &Json) -> Vec<u8> {
    match json {
        Json::String(text) => text.clone().into_bytes(),
        other => match (other.get("b64"), other.get("repeat"), other.get("with_pid")) {
            (Some(b64), ..) => BASE64_STANDARD.decode(b64.as_str().expect("a text")).expect("base64"),
            (_, Some(repeat), _) => {
                let count = other["count"].as_u64().expect("a count") as usize;
                repeat.as_str().expect("a text").repeat(count).into_bytes()
            }
            (_, _, Some(text)) => text.as_str().expect("a text").as_bytes().to_vec(),
            _ => panic!("no value: {other}"),
        },
    }
}

fn file(case: &Json, key: &str) -> Vec<u8> {
    BASE64_STANDARD.decode(case[key].as_str().expect("a file")).expect("base64")
}

/// What a consumer was found to hand on.
struct Expected {
    ok: bool,
    vars: Vars,
    unset: Vec<Vec<u8>>,
    list: Option<Vec<(Vec<u8>, Vec<u8>)>>,
}

impl Expected {
    fn of(result: &Json) -> Expected {
        let mut vars = Vars::new();
        for (name, value) in result["vars"].as_object().into_iter().flatten() {
            vars.insert(name.clone().into_bytes(), bytes(value));
        }
        for raw in result["vars_raw"].as_array().into_iter().flatten() {
            vars.insert(bytes(&raw["name"]), bytes(&raw["value"]));
        }
        let mut unset: Vec<Vec<u8>> = result["unset"].as_array().into_iter().flatten().map(bytes).collect();
        unset.sort();
        let pair = |pair: &Json| (bytes(&pair[0]), bytes(&pair[1]));
        let list = result["list"].as_array().map(|all| all.iter().map(pair).collect());
        Expected { ok: result["ok"] == true, vars, unset, list }
    }
}

/// What a manager starts with (systemd 252, on a system with merged /usr).
const MANAGER_PATH: &str = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";

/// What the measured consumer's own block held of the names that its file could set to the same:
/// those that it has by itself, whatever the file says.
fn own(dialect: &str, outer: &Block) -> Vars {
    let of = |pairs: &[(&str, &str)]| pairs.iter().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect();
    match dialect {
        "sh" | "bash" | "zsh" | "ksh" | "mksh" | "fish" | "make-include" | "node-env-file" => {
            outer.vars().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect()
        }
        // The manager's own, which it has whatever its files say.
        "systemd-environment-file" | "systemd-environment" | "environment-d" => {
            let mut own: Vars = outer.vars().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect();
            own.extend(of(&[("PATH", MANAGER_PATH), ("SHELL", "/bin/bash")]));
            own
        }
        "crontab" => of(&[("HOME", "/home/dial"), ("PATH", "/usr/bin:/bin"), ("SHELL", "/bin/sh")]),
        _ => Vars::new(),
    }
}

/// What differs from the case; `None` if nothing does.
fn difference(dialect: &dyn Reader, reading: &Reading, expected: &Expected, outer: &Block) -> Option<String> {
    let is_shell = READERS.iter().take(6).any(|r| r.id() == dialect.id());
    let pairs = handed_on(dialect, reading, outer);
    let own = own(dialect.id(), outer);
    let mut vars = Vars::new();
    let mut unset = Vec::new();
    for (name, effect) in &pairs {
        match effect {
            Effect::Set(value) => {
                vars.insert(name.to_vec(), value.to_vec());
            }
            Effect::Unset => {
                vars.remove(&name[..]);
                if own.contains_key(&name[..]) {
                    unset.push(name.to_vec());
                }
            }
            Effect::Unknown(_) => return Some("unknown".to_owned()),
        }
    }
    let mut ok = reading.is_accepted();
    let runs = !matches!(
        dialect.id(),
        "container-env-file" | "podman-env-file" | "node-env-file" | "crontab" | "pam-env-file" | "pam-env-conf"
    );
    if runs && vars.iter().any(|(n, v)| n.len() + v.len() + 1 > LONGEST) {
        vars.clear();
        ok = false;
    }
    // Left out of every case: shells set it for each command.
    if is_shell || dialect.id() == "make-include" {
        vars.remove(&b"_"[..]);
    }
    vars.retain(|name, value| own.get(name) != Some(value));
    unset.sort();
    if vars != expected.vars {
        let show =
            |vars: &Vars| vars.iter().map(|(n, v)| format!("{}={}", n.escape_ascii(), v.escape_ascii())).collect::<Vec<_>>();
        return Some(format!("it gave {:.600?}\n      ours {:.600?}", show(&expected.vars), show(&vars)));
    }
    if !is_shell && ok != expected.ok {
        return Some(format!("accepted: it {}, ours {ok}", expected.ok));
    }
    if unset != expected.unset {
        return Some(format!("unset: it {:?}, ours {unset:?}", expected.unset));
    }
    let list: Vec<(Vec<u8>, Vec<u8>)> =
        pairs.iter().filter_map(|(n, e)| if let Effect::Set(v) = e { Some((n.to_vec(), v.to_vec())) } else { None }).collect();
    match &expected.list {
        Some(expected) if *expected != list => Some(format!("the list: it {expected:?}, ours {list:?}")),
        _ => None,
    }
}

#[derive(Default)]
struct Count {
    equal: usize,
    unknown: usize,
    /// Of those that the consumer accepts.
    accepted: usize,
    accepted_unknown: usize,
    wrong: Vec<String>,
}

#[test]
fn every_recorded_case() {
    let mut counts: BTreeMap<String, Count> = BTreeMap::new();
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder())
        .unwrap_or_else(|e| panic!("{}: {e}", folder().display()))
        .filter_map(|entry| Some(entry.ok()?.path()).filter(|p| p.extension().is_some_and(|e| e == "jsonl")))
        .collect();
    files.sort();
    assert!(!files.is_empty(), "{} holds no cases", folder().display());
    for path in &files {
        for line in std::fs::read_to_string(path).expect("readable").lines() {
            let case: Json = serde_json::from_str(line).expect("JSON");
            let outer = Block::from_vars(case["outer"].as_object().expect("a block").iter().map(|(n, v)| (n.clone(), bytes(v))));
            let around = Surroundings {
                outer: outer.clone(),
                account: "dial".into(),
                uid: 1002,
                home: "/home/dial".into(),
                shell: "/bin/bash".into(),
                terminal: "tty7".into(),
                folder: "/srv/app".into(),
            };
            for (id, result) in case["results"].as_object().expect("results") {
                let dialect = reader(id).unwrap_or_else(|| panic!("no reader is called {id}"));
                let expected = Expected::of(result);
                let reading = match case.get("files_b64") {
                    Some(files) => {
                        let files: Vec<(Vec<u8>, Vec<u8>)> = files
                            .as_object()
                            .expect("files")
                            .iter()
                            .map(|(n, b)| {
                                (n.clone().into_bytes(), BASE64_STANDARD.decode(b.as_str().expect("text")).expect("base64"))
                            })
                            .collect();
                        let borrowed: Vec<(&[u8], &[u8])> = files.iter().map(|(n, b)| (&n[..], &b[..])).collect();
                        let mut whole = Reading::default();
                        for (_, part) in read_folder(&borrowed, &around) {
                            whole.entries.extend(part.entries);
                            whole.complaints.extend(part.complaints);
                        }
                        whole
                    }
                    None => dialect.read(&file(&case, "input_b64"), &around),
                };
                let count = counts.entry(id.clone()).or_default();
                count.accepted += usize::from(expected.ok);
                if !reading.is_known() {
                    count.unknown += 1;
                    count.accepted_unknown += usize::from(expected.ok);
                    continue;
                }
                match difference(dialect, &reading, &expected, &outer) {
                    None => count.equal += 1,
                    Some(what) => count.wrong.push(format!("{} {}: {what}", id, case["id"])),
                }
            }
        }
    }
    println!("{:<26} {:>6} {:>8} {:>6}  known of what the consumer accepts", "dialect", "equal", "unknown", "wrong");
    let mut failures = Vec::new();
    for (id, count) in &counts {
        let known = 100.0 * (count.accepted - count.accepted_unknown) as f64 / count.accepted.max(1) as f64;
        println!("{id:<26} {:>6} {:>8} {:>6}  {known:.1} %", count.equal, count.unknown, count.wrong.len());
        failures.extend(count.wrong.iter().cloned());
        let is_program = READERS.iter().take(6).any(|r| r.id() == id);
        // A makefile runs programs, too, and knows what it builds.
        let enough = if is_program {
            85.0
        } else if id == "make-include" {
            99.0
        } else {
            100.0
        };
        if known < enough && count.accepted > 20 {
            failures.push(format!("{id}: only {known:.1} % of what the consumer accepts is known"));
        }
    }
    assert!(failures.is_empty(), "{} differences:\n{}", failures.len(), failures.join("\n"));
}
