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

#[path = "readers/system.rs"]
mod system;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
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
    let out = folder.join("out");
    // The one of the round before must not be taken for this one's.
    let _ = fs::remove_file(&out);
    if system::IDS.contains(&id) || id == "container-env-file" {
        system::consume(id, folder, file);
        return vars_of(&fs::read(&out).ok()?);
    }
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
    command.status().unwrap_or_else(|e| panic!("{id}: {e}"));
    vars_of(&fs::read(&out).ok()?)
}

fn vars_of(entries: &[u8]) -> Option<Vars> {
    let block = Block::parse(entries.to_vec());
    Some(block.vars().map(|(n, v)| (n.as_bytes().to_vec(), v.as_bytes().to_vec())).collect())
}

fn folder() -> tempfile::TempDir {
    tempfile::Builder::new().prefix("vectorum-readers-").tempdir().expect("a folder")
}

/// Shells and programs that read such files themselves.
const PROGRAMS: &[&str] = &["sh", "bash", "zsh", "ksh", "mksh", "fish", "make-include"];

/// The consumers that are tried: those of Debian's packages, or what `VECTORUM_READERS` names
/// (node-env-file wants node 20, container-env-file the client docker 28, which Debian 12 lacks).
fn consumers(usual: &[&str]) -> Vec<String> {
    std::env::var("VECTORUM_READERS").unwrap_or_else(|_| usual.join(" ")).split_whitespace().map(str::to_owned).collect()
}

#[test]
fn what_is_written_is_read_by_the_real_reader() {
    written_is_read(&consumers(PROGRAMS));
}

#[test]
fn what_is_written_is_read_by_the_system() {
    written_is_read(&consumers(system::IDS).into_iter().filter(|id| id != "crontab").collect::<Vec<_>>());
}

/// By itself: it waits for the next minute.
#[test]
fn what_is_written_is_read_by_cron() {
    written_is_read(&consumers(&["crontab"]).into_iter().filter(|id| id == "crontab").collect::<Vec<_>>());
}

fn written_is_read(consumers: &[String]) {
    for id in consumers {
        let reader = reader(id).expect("a reader");
        let kept = folder();
        let folder = kept.path();
        let around = surroundings();
        let (mut dice, mut done, mut refused) = (Dice(7), 0, 0);
        let wanted = rounds(300);
        while done < wanted {
            // Many assignments a file: starting a program is what takes the time.
            let (mut file, mut expected) = (Vec::new(), Vars::new());
            while expected.len() < system::batch(id) && done + refused < wanted * 3 {
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
            let mut got = child_of(id, folder, &path, &around)
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
    for id in &consumers(PROGRAMS) {
        let reader: &dyn Reader = reader(id).expect("a reader");
        let kept = folder();
        let folder = kept.path();
        let around = Surroundings { folder: folder.as_os_str().as_encoded_bytes().to_vec().into(), ..surroundings() };
        // What the consumer hands on whatever the file says.
        fs::write(folder.join("file"), "").expect("a file");
        let own = child_of(id, folder, &folder.join("file"), &around).expect("a child");
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
            let got = child_of(id, folder, &path, &around);
            let shown = file.escape_ascii().to_string();
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
    }
}

/// A language's snippet in a whole program that prints the variables, each followed by a NUL, and
/// how it is run.
fn program(id: &str, folder: &Path, snippet: &str, variables: &[&str]) -> Command {
    let lines = |line: &dyn Fn(&str) -> String| variables.iter().map(|v| line(v)).collect::<String>();
    let (file, text) = match id {
        "read-sh" => (
            "a.sh",
            format!("{snippet}printf '%s\\0' {}\n", lines(&|v| format!("\"${}\" ", v.trim_end_matches('_').to_uppercase()))),
        ),
        "read-c" => (
            "a.c",
            format!(
                "#include <stdio.h>\n#include <stdlib.h>\nint main(void) {{\n{snippet}{}}}\n",
                lines(&|v| format!("fputs({v}, stdout); putchar(0);\n"))
            ),
        ),
        "read-go" => {
            // Each line of the form declares `ok` anew only beside a new name.
            let body = format!("{snippet}{}", lines(&|v| format!("fmt.Print({v}, \"\\x00\")\n")));
            ("a.go", format!("package main\nimport (\"fmt\"; \"log\"; \"os\")\nfunc main() {{\n_ = log.Ldate\n{body}}}\n"))
        }
        "read-java" => (
            "A.java",
            format!(
                "class A {{ public static void main(String[] a) {{\nvar out = new java.io.PrintStream(System.out, true, \
                 java.nio.charset.StandardCharsets.UTF_8);\n{snippet}{}}} }}\n",
                lines(&|v| format!("out.print({v} + \"\\0\");\n"))
            ),
        ),
        "read-javascript" => ("a.js", format!("{snippet}{}", lines(&|v| format!("process.stdout.write({v} + '\\0');\n")))),
        "read-perl" => ("a.pl", format!("{snippet}{}", lines(&|v| format!("print ${v}, \"\\0\";\n")))),
        "read-python" => (
            "a.py",
            format!("import os, sys\n{snippet}{}", lines(&|v| format!("sys.stdout.buffer.write(os.fsencode({v}) + b'\\0')\n"))),
        ),
        _ => ("a.rs", format!("fn main() {{\n{snippet}{}}}\n", lines(&|v| format!("print!(\"{{{v}}}\\0\");\n")))),
    };
    let path = folder.join(file);
    fs::write(&path, text).unwrap();
    let compiled = folder.join("a.out");
    let compile = |program: &str, arguments: &[&str]| {
        let output = Command::new(program).args(arguments).arg(&compiled).arg(&path).env("GOCACHE", folder.join("go")).output();
        let output = output.unwrap_or_else(|e| panic!("{program}: {e}"));
        assert!(output.status.success(), "{id}: {}", String::from_utf8_lossy(&output.stderr));
        Command::new(&compiled)
    };
    let interpreter = |program: &str| {
        let mut command = Command::new(program);
        command.arg(&path);
        command
    };
    match id {
        "read-sh" => interpreter("sh"),
        "read-c" => compile("gcc", &["-Wall", "-Werror", "-trigraphs", "-o"]),
        "read-go" => compile("go", &["build", "-o"]),
        "read-java" => interpreter("java"),
        "read-javascript" => interpreter("node"),
        "read-perl" => interpreter("perl"),
        "read-python" => interpreter("python3"),
        _ => compile(&Path::new(env!("CARGO")).with_file_name("rustc").to_string_lossy(), &["-o"]),
    }
}

#[test]
fn snippets_read_the_name_with_its_default() {
    let kept = folder();
    let folder = kept.path();
    let hard = "a'b\"c\\d$e`f`#{g}${h}%i\u{e9}??/\t\n\u{1}9\u{202e}}$";
    let given: [(&str, &str); 4] = [("BERTH", hard), ("EMPTY", ""), ("TYPE", "7"), ("GATE_TOKEN", "tide-4711-harbour")];
    let pairs = given.map(|(n, v)| (Name::new(n.to_owned()).unwrap(), Value::new(v.to_owned()).unwrap()));
    for id in ["read-sh", "read-c", "read-go", "read-java", "read-javascript", "read-perl", "read-python", "read-rust"] {
        let written = vectorum_core::export::write_as(id, &pairs).unwrap_or_else(|e| panic!("{id}: {e:?}"));
        let snippet = String::from_utf8(written).unwrap();
        assert!(!snippet.contains("tide-4711"), "{id} carries a secret: {snippet}");
        let mut command = program(id, folder, &snippet, &["berth", "empty", "type_", "gate_token"]);
        command.env_clear().env("PATH", std::env::var_os("PATH").unwrap()).env("LC_ALL", "C.UTF-8");
        let run = |command: &mut Command| command.output().unwrap_or_else(|e| panic!("{id}: {e}"));
        assert!(!run(&mut command).status.success(), "{id}: a secret has no default\n{snippet}");
        let values = |output: std::process::Output| {
            let error = String::from_utf8_lossy(&output.stderr).into_owned();
            assert!(output.status.success(), "{id}: {error}\n{snippet}");
            String::from_utf8(output.stdout).unwrap().split_terminator('\0').map(str::to_owned).collect::<Vec<_>>()
        };
        command.env("GATE_TOKEN", "from-outside");
        assert_eq!(values(run(&mut command)), [hard, "", "7", "from-outside"], "{id}: the defaults\n{snippet}");
        command.env("BERTH", "pier 4").env("EMPTY", "full").env("TYPE", "");
        assert_eq!(values(run(&mut command)), ["pier 4", "full", "", "from-outside"], "{id}: what is set counts");
    }
}

/// Reads a form with a library of Python and prints entries, each ended by a NUL.
const READ_FORM: &str = r#"
import base64, csv, json, os, sys, tomllib, yaml
form, path = sys.argv[1:]
text = open(path, "rb").read()
if form == "json": pairs = json.loads(text).items()
elif form == "toml": pairs = tomllib.loads(text.decode()).items()
elif form == "yaml": pairs = yaml.safe_load(text).items()
elif form == "csv": pairs = list(csv.reader(open(path, newline="")))[1:]
elif form == "oci": pairs = [e.split("=", 1) for e in json.loads(text)["process"]["env"]]
elif form == "configmap": pairs = yaml.safe_load(text)["data"].items()
elif form == "secret": pairs = [(n, base64.b64decode(v)) for n, v in yaml.safe_load(text)["data"].items()]
elif form == "compose-environment": pairs = [(n, v.replace("$$", "$")) for n, v in yaml.safe_load(text)["environment"].items()]
else: pairs = [e.split(b"=", 1) for e in text.split(b"\0")[:-1]]
for name, value in pairs:
    sys.stdout.buffer.write(os.fsencode(name) + b"=" + os.fsencode(value) + b"\0")
"#;

/// What is exported is read back by a real reader of the form.
#[test]
fn forms_are_read_back() {
    let kept = folder();
    let folder = kept.path();
    let path = folder.join("form");
    let at = path.display().to_string();
    let words = format!("eval \"set -- $(cat {at})\"; for w do [ \"$w\" = --env ] || printf '%s\\0' \"$w\"; done");
    let python = ["null", "json", "toml", "yaml", "csv", "oci", "configmap", "secret", "compose-environment"];
    let shells = ["dash", "bash", "zsh", "ksh", "mksh"];
    let mut readers: Vec<(&str, Vec<String>)> =
        python.iter().map(|form| (*form, ["python3", "-c", READ_FORM, form, &at].map(str::to_owned).to_vec())).collect();
    for shell in shells {
        readers.push(("export", [shell, "-c", &format!(". {at}; exec /usr/bin/env -0")].map(str::to_owned).to_vec()));
    }
    // The words of a command line, as a shell takes them.
    readers.push(("container-flags", ["sh", "-c", &words].map(str::to_owned).to_vec()));
    for (form, command) in readers {
        let (mut dice, mut refused) = (Dice(23), 0);
        for _ in 0..rounds(300).div_ceil(100) {
            let mut pairs: Vec<(Name, Value)> = Vec::new();
            while pairs.len() < 100 {
                let pair = (Name::new(format!("V{}", pairs.len())).unwrap(), Value::new(dice.value()).unwrap());
                match vectorum_core::export::write_as(form, std::slice::from_ref(&pair)) {
                    Ok(_) => pairs.push(pair),
                    Err(_) => refused += 1,
                }
            }
            fs::write(&path, vectorum_core::export::write_as(form, &pairs).unwrap()).expect("a file");
            let (program, arguments) = command.split_first().unwrap();
            let output = Command::new(program)
                .args(arguments)
                .env_clear()
                .envs([("PATH", "/usr/bin:/bin"), ("LC_ALL", "C.UTF-8")])
                .output()
                .unwrap_or_else(|e| panic!("{program}: {e}"));
            assert!(output.status.success(), "{form}: {}", String::from_utf8_lossy(&output.stderr));
            let got = vars_of(&output.stdout).unwrap();
            for (name, value) in &pairs {
                let value = value.as_bytes().escape_ascii().to_string();
                let read = got.get(name.as_bytes()).map(|v| v.escape_ascii().to_string());
                assert_eq!(read, Some(value), "{form} by {program}: {name}");
            }
        }
        println!("{form}: read back by {}, {refused} refused", command[0]);
    }
}
