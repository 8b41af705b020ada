//! Readers and writers of env files against the real consumers: what is written is read back by
//! the program itself, and files made at random mean what they are said to mean.
//!
//! `VECTORUM_ROUNDS=10000 cargo test --release -p vectorum --test readers -- --nocapture` is the
//! long run; without it a small batch is run. Seeds are fixed.

#![allow(
    clippy::expect_used,
    clippy::unwrap_used,
    clippy::panic,
    clippy::print_stdout,
    reason = "a test that cannot go on fails"
)]

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use vectorum_core::reader::{Effect, Reader, Surroundings, handed_on, reader};
use vectorum_core::{Block, Name, Value};

type Vars = BTreeMap<Vec<u8>, Vec<u8>>;

/// How often each law is tried.
fn rounds(usual: usize) -> usize {
    std::env::var("VECTORUM_ROUNDS").ok().and_then(|n| n.parse().ok()).unwrap_or(usual)
}

/// Numbers that look random and are the same each time (splitmix64, Steele and others 2014).
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n as u64) as usize
    }

    fn pick<'a>(&mut self, from: &[&'a [u8]]) -> &'a [u8] {
        from[self.below(from.len())]
    }

    /// A value with much in it that readers stumble over.
    fn value(&mut self) -> Vec<u8> {
        const PIECES: &[&[u8]] = &[
            b"'",
            b"\"",
            b"`",
            b"\\",
            b"$",
            b"#",
            b" ",
            b"\t",
            b"\n",
            b"\r",
            b"=",
            b":",
            b";",
            b"%",
            b"~",
            b"!",
            b"*",
            b"{",
            b"}",
            b"(",
            b"&",
            b"|",
            b"<",
            b"a",
            b"one",
            b"Z9",
            b"$HOME",
            b"${X}",
            b"\\n",
            b"$(x)",
            "é".as_bytes(),
            b"\xff",
            b"\x1b",
            b"--",
            b"@{",
            b"''",
            b"\"\"",
        ];
        let length = self.below(10);
        (0..length).flat_map(|_| self.pick(PIECES).to_vec()).collect()
    }
}

fn surroundings() -> Surroundings {
    let outer = Block::from_vars([
        ("PATH", "/usr/bin:/bin"),
        ("HOME", "/home/odile"),
        ("LANG", "C.UTF-8"),
        ("OUTER", "from outside"),
        ("EMPTY", ""),
    ]);
    Surroundings { outer, account: "odile".into(), uid: 1000, home: "/home/odile".into(), ..Surroundings::default() }
}

/// Returns the block of a child of the consumer that has read a file; `None` if it had none.
fn child_of(id: &str, folder: &Path, file: &Path, around: &Surroundings) -> Option<Vars> {
    let quoted = file.display().to_string();
    let script = format!("set -a; . {quoted}; exec /usr/bin/env -0 >{}/out", folder.display());
    let mut command = match id {
        "sh" => Command::new("dash"),
        "zsh" => Command::new("zsh"),
        "fish" => Command::new("fish"),
        "make-include" => Command::new("make"),
        "node-env-file" => Command::new("node"),
        other => Command::new(other),
    };
    match id {
        "zsh" => command.args(["-f", "-c", &script]),
        "fish" => command.args(["--no-config", "-c", &format!("source {quoted}; /usr/bin/env -0 >{}/out", folder.display())]),
        "node-env-file" => {
            let dump = format!(
                "require('fs').writeFileSync('{}/out', Object.entries(process.env).map(([n, v]) => n + '=' + v + '\\0').join(''))",
                folder.display()
            );
            command.arg(format!("--env-file={quoted}")).args(["-e", &dump])
        }
        "make-include" => {
            let makefile = folder.join("Makefile");
            fs::write(&makefile, format!("include {quoted}\nexport\n__dump:\n\t@/usr/bin/env -0 >{}/out\n", folder.display()))
                .expect("a makefile");
            command.args(["-s", "-f"]).arg(makefile).arg("__dump")
        }
        "bash" => command.args(["--norc", "--noprofile", "-c", &script]),
        _ => command.args(["-c", &script]),
    };
    use std::os::unix::ffi::OsStrExt;
    command.env_clear().current_dir(folder).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    for (name, value) in around.outer.vars() {
        command.env(std::ffi::OsStr::from_bytes(name.as_bytes()), std::ffi::OsStr::from_bytes(value.as_bytes()));
    }
    let out = folder.join("out");
    // The one of the round before must not be taken for this one's.
    let _ = fs::remove_file(&out);
    command.status().unwrap_or_else(|e| panic!("{id}: {e}"));
    let block = Block::parse(fs::read(&out).ok()?);
    Some(block.vars().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect())
}

fn folder(name: &str) -> PathBuf {
    let folder = std::env::temp_dir().join(format!("vectorum-readers-{}-{name}", std::process::id()));
    fs::create_dir_all(&folder).expect("a folder");
    folder
}

/// The consumers that are tried: those of Debian's packages, or what `VECTORUM_READERS` names
/// (node-env-file wants node 20, which Debian 12 lacks).
fn consumers() -> Vec<String> {
    let usual = || "sh bash zsh ksh mksh fish make-include".to_owned();
    std::env::var("VECTORUM_READERS").unwrap_or_else(|_| usual()).split_whitespace().map(str::to_owned).collect()
}

#[test]
fn what_is_written_is_read_by_the_real_reader() {
    for id in &consumers() {
        let reader = reader(id).expect("a reader");
        let folder = folder(&format!("write-{id}"));
        let around = surroundings();
        let (mut dice, mut done, mut refused) = (Dice(7), 0, 0);
        let wanted = rounds(300);
        while done < wanted {
            // Many assignments a file: starting a program is what takes the time.
            let (mut file, mut expected) = (Vec::new(), Vars::new());
            while expected.len() < 150 && done + refused < wanted * 3 {
                let name = Name::new(format!("V{}", expected.len())).expect("a name");
                let value = Value::new(dice.value()).expect("a value");
                match reader.write(&name, &value) {
                    Ok(line) => {
                        file.extend(line);
                        expected.insert(name.as_bytes().to_vec(), value.as_bytes().to_vec());
                        done += 1;
                    }
                    Err(_) => refused += 1,
                }
            }
            let path = folder.join("file");
            fs::write(&path, &file).expect("a file");
            let mut got = child_of(id, &folder, &path, &around)
                .unwrap_or_else(|| panic!("{id} had no child:\n{}", String::from_utf8_lossy(&file)));
            got.retain(|name, _| expected.contains_key(name));
            for (name, value) in &expected {
                assert_eq!(
                    got.get(name).map(|v| v.escape_ascii().to_string()),
                    Some(value.escape_ascii().to_string()),
                    "{id}: {}",
                    name.escape_ascii()
                );
            }
        }
        println!("{id}: {done} values written and read back by the real reader, {refused} refused");
        let _ = fs::remove_dir_all(folder);
    }
}

/// A file made of what such files are made of.
fn random_file(dice: &mut Dice, id: &str) -> Vec<u8> {
    const NAMES: &[&[u8]] = &[b"A", b"B", b"OUTER", b"EMPTY", b"X_Y", b"NEW1"];
    const PIECES: &[&[u8]] = &[
        b"one",
        b"two",
        b"'a b'",
        b"\"a b\"",
        b"\\ ",
        b"\\$",
        b"$A",
        b"${B}",
        b"$OUTER",
        b"${OUTER}",
        b"\"$OUTER\"",
        b"'$A'",
        b"\"${A}x\"",
        b"~",
        b":~/x",
        b"#x",
        b" #c",
        b"\\\n",
        b"\"\\\"\"",
        b"\\'",
        b"=",
        b"*",
        b"a;B=2",
        b"\"x\ny\"",
        b"\r",
        "é".as_bytes(),
        b"$NOSUCH",
        b"\"\"",
        b"''",
        b"%",
        b"!",
        b",",
        b"{a,b}",
        b"-",
        b"^",
        b"@",
    ];
    let mut file = Vec::new();
    for _ in 0..1 + dice.below(4) {
        match dice.below(12) {
            0 => file.extend(b"# a comment\n"),
            1 => file.push(b'\n'),
            2 => file.extend(b"no-such-program one two\n"),
            3 => file.extend(b"  \t\n"),
            _ => {
                match (id, dice.below(5)) {
                    ("fish", 0) => file.extend(b"set -x "),
                    ("fish", _) => file.extend(b"set -gx "),
                    (_, 0) => file.extend(b"export "),
                    _ => {}
                }
                file.extend(dice.pick(NAMES));
                file.extend(if id == "fish" {
                    &b" "[..]
                } else if dice.below(9) == 0 {
                    &b"+="[..]
                } else {
                    b"="
                });
                for _ in 0..dice.below(5) {
                    file.extend(dice.pick(PIECES));
                }
                file.push(if dice.below(12) == 0 { b';' } else { b'\n' });
            }
        }
    }
    file
}

/// Names that the consumers set for each child.
const KEPT: &[&[u8]] = &[
    b"_",
    b"PWD",
    b"SHLVL",
    b"OLDPWD",
    b"MAKEFLAGS",
    b"MAKELEVEL",
    b"MFLAGS",
    b"MAKE_TERMERR",
    b"MAKE_TERMOUT",
    b"MAKEFILE_LIST",
    b"A__z",
];

/// What is said to be known is so, in each program.
#[test]
fn random_files_mean_what_they_are_said_to_mean() {
    for id in &consumers() {
        let reader: &dyn Reader = reader(id).expect("a reader");
        let folder = folder(&format!("random-{id}"));
        let around = surroundings();
        // What the consumer hands on whatever the file says.
        fs::write(folder.join("file"), "").expect("a file");
        let own = child_of(id, &folder, &folder.join("file"), &around).expect("a child");
        let own: Vars = own.into_iter().filter(|(name, _)| !KEPT.contains(&&name[..])).collect();
        let (mut dice, mut known, mut accepted) = (Dice(11), 0, 0);
        let wanted = rounds(120);
        for round in 0..wanted {
            let file = random_file(&mut dice, id);
            let reading = reader.read(&file, &around);
            if !reading.is_known() {
                continue;
            }
            known += 1;
            let path = folder.join("file");
            fs::write(&path, &file).expect("a file");
            let got = child_of(id, &folder, &path, &around);
            let shown = String::from_utf8_lossy(&file).into_owned();
            let Some(mut got) = got else {
                assert!(!reading.is_accepted(), "{id}, round {round}: the file was taken to be accepted:\n{shown}");
                continue;
            };
            accepted += 1;
            got.retain(|name, _| !KEPT.contains(&&name[..]));
            let mut expected = own.clone();
            for (name, effect) in handed_on(reader, &reading, &around.outer) {
                match effect {
                    Effect::Set(value) => expected.insert(name.to_vec(), value.to_vec()),
                    Effect::Unset => expected.remove(&name[..]),
                    Effect::Unknown(_) => None,
                };
            }
            let show =
                |vars: &Vars| vars.iter().map(|(n, v)| format!("{}={}", n.escape_ascii(), v.escape_ascii())).collect::<Vec<_>>();
            assert_eq!(show(&got), show(&expected), "{id}, round {round}:\n{shown}");
        }
        println!("{id}: {wanted} random files, {known} of them known, {accepted} accepted by the real reader, none different");
        let _ = fs::remove_dir_all(folder);
    }
}
