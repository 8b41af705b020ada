//! What is said of shell files against the real shells: made-up files are run by bash, dash, zsh, ksh,
//! mksh and fish, and followed without running anything. What is known must be so; what is said to be absent must be
//! absent. `VECTORUM_ROUNDS` says how many files for each shell, `VECTORUM_SEED` where to begin,
//! `VECTORUM_KIND` which of the kinds of small texts (17 are lines as people have them in their startup files);
//! `VECTORUM_HANDED` what shells are handed besides (`NAME=VALUE`) or not (`NAME`);
//! `VECTORUM_LIST` makes it print them only, a line each; `VECTORUM_FILE` names one file to be looked at instead.

#![allow(clippy::expect_used, clippy::panic, clippy::print_stdout, reason = "a test that cannot go on fails")]

#[path = "../../vectorum-core/tests/shell/cases.rs"]
mod cases;
#[path = "common/mod.rs"]
mod common;
#[path = "shells/crossed.rs"]
mod crossed;
#[path = "shells/files.rs"]
mod files;
#[path = "shells/words.rs"]
mod words;

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::{PermissionsExt, chown, symlink};
use std::os::unix::process::ExitStatusExt;
use std::path::{Path, PathBuf};
use std::process::Stdio;

use cases::Expected;
use common::{NOBODY, Who, am_root, command};
use vectorum_core::Block;
use vectorum_core::route::{Account, Forecast, Ground, Held, Reached, shell_script};
use vectorum_host::LiveHost;

/// Numbers that are the same each time, and whether some of what they choose is printed by a program.
struct Dice {
    state: u64,
    veils: bool,
}

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.state ^= self.state << 13;
        self.state ^= self.state >> 7;
        self.state ^= self.state << 17;
        (self.state % sides as u64) as usize
    }

    fn one<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[self.roll(of.len())]
    }
}

/// Texts of which something else was said than was so, below the names of their shells.
const ONCE: &str = include_str!("shells/once.txt");

/// Makes up a text for a shell.
type Make = fn(&mut Dice, &str) -> String;

fn start(home: &str) -> Vec<(&str, &str)> {
    cases::START.iter().copied().chain([("HOME", home)]).collect()
}

/// What a program received.
type Received = BTreeMap<Vec<u8>, Vec<u8>>;

/// What became of a script.
enum Came {
    /// Its last command was reached, and received this.
    Through(Received),
    /// It ended before.
    Ended,
    /// It took too long: nothing is learnt from it.
    TooLong,
}

/// Runs a script by a shell's program for at most so many seconds.
fn real(shell: &str, program: &str, who: Who, script: &Path, home: &Path, start: Vec<(&str, &str)>, seconds: &str) -> Came {
    let mut command = command(who, "timeout");
    command.args(["-k", "1", seconds, program]);
    match shell {
        "fish" => drop(command.arg("-N")),
        "zsh" => drop(command.arg("-f")),
        _ => {}
    }
    let output = command
        .arg(script)
        .env_clear()
        .envs(start)
        .current_dir(home)
        .stdin(Stdio::null())
        .stderr(Stdio::null())
        .output()
        .expect("the shell");
    let Some(from) = output.stdout.windows(7).rposition(|w| w == b"BEGIN=1") else {
        // By `timeout` itself, or by the signal that it sends at last; a shell may also end by a signal that is its own.
        let is_late = matches!(output.status.code(), Some(124 | 137)) || output.status.signal() == Some(9);
        return if is_late { Came::TooLong } else { Came::Ended };
    };
    let from = output.stdout[..from].windows(7).rposition(|w| w == b"<<<>>>\n").map_or(from, |at| at + 7);
    let entries = output.stdout[from..].split(|b| *b == 0).filter_map(|e| {
        let at = e.iter().position(|b| *b == b'=')?;
        // What a command beside the shell still had to say may stand in front.
        let begin = e[..at].iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1);
        Some((e[begin..at].to_vec(), e[at + 1..].to_vec()))
    });
    Came::Through(entries.collect())
}

/// Where texts are run, and as whom.
struct Place {
    home: PathBuf,
    shell: String,
    program: String,
    who: Who,
    account: Account,
    /// What a shell is handed besides, or in place of what it is handed as ever; nothing by that name where there is no value.
    handed: Option<(String, Option<String>)>,
    _folder: tempfile::TempDir,
}

/// What is said of one text, held against what is so.
#[derive(Default)]
struct Found {
    known: usize,
    unknown: usize,
    wrong: Vec<String>,
    /// Why anything may be set, if so.
    open: Option<String>,
}

impl Place {
    /// For a shell, or for one that is called by another name, which stands behind a slash.
    fn new(shell: &str, who: Who) -> Place {
        let folder = tempfile::tempdir().expect("a folder");
        let place = folder.path().canonicalize().expect("its place");
        let home = place.join("home");
        fs::create_dir(&home).expect("a home");
        // An ordinary account comes to its home, and may write there.
        let is_other = who == Who::Ordinary && am_root();
        if is_other {
            fs::set_permissions(&place, fs::Permissions::from_mode(0o755)).expect("a way into the folder");
            chown(&home, Some(NOBODY), Some(NOBODY)).expect("a home of its own");
        }
        let own = if is_other { NOBODY } else { nix::unistd::geteuid().as_raw() };
        let (shell, called) = shell.split_once('/').map_or((shell, None), |(shell, name)| (shell, Some(name)));
        let program = format!("/usr/bin/{shell}");
        let mut program = if Path::new(&program).exists() { program } else { format!("/bin/{shell}") };
        if let Some(name) = called {
            symlink(&program, place.join(name)).expect("a name of its own");
            program = place.join(name).display().to_string();
        }
        let account = Account {
            name: if own == 0 { "root".into() } else { "nobody".into() },
            uid: own,
            gid: if is_other { NOBODY } else { nix::unistd::getegid().as_raw() },
            home: home.display().to_string().into(),
            shell: program.clone().into(),
        };
        let handed = std::env::var("VECTORUM_HANDED").ok().map(|handed| match handed.split_once('=') {
            Some((name, value)) => (name.to_owned(), Some(value.to_owned())),
            None => (handed, None),
        });
        Place { home, shell: shell.to_owned(), program, who, account, handed, _folder: folder }
    }

    /// What a shell is handed.
    fn start<'s>(&'s self, home: &'s str) -> Vec<(&'s str, &'s str)> {
        let mut start = start(home);
        if let Some((name, value)) = &self.handed {
            start.retain(|(other, _)| other != name);
            start.extend(value.as_ref().map(|value| (name.as_str(), value.as_str())));
        }
        start
    }

    /// What is said of a script.
    fn forecast(&self, script: &Path) -> Forecast {
        let host = LiveHost;
        let ground = Ground::new(&host, std::slice::from_ref(&self.account));
        let home = self.home.display().to_string();
        let mut forecast = Forecast::begin(&Block::from_vars(self.start(&home)));
        let path = script.display().to_string();
        let script: Option<(&[u8], &[u8])> = Some((path.as_bytes(), b"/usr/bin/env"));
        shell_script(&mut forecast, &ground, self.program.as_bytes(), script, &self.account, home.as_bytes());
        forecast
    }

    /// Runs a text and follows it. Behind `␞` stand files that are there before, each by its name on the first line.
    fn judge(&self, text: &str) -> Found {
        let mut found = Found::default();
        let script = self.home.join("script");
        let mut parts = text.split('␞');
        let text = parts.next().unwrap_or_default();
        let files: Vec<(&str, &str)> = parts.filter_map(|file| file.split_once('\n')).collect();
        let put = || {
            fs::write(&script, format!("{text}\n{}", cases::ending(&self.shell))).expect("a script");
            for (name, content) in &files {
                let path = self.home.join(name);
                fs::create_dir_all(path.parent().expect("a folder")).expect("a folder for a file");
                fs::write(path, content).expect("a file");
            }
        };
        put();
        let home = self.home.display().to_string();
        let came = real(&self.shell, &self.program, self.who, &script, &self.home, self.start(&home), "1");
        // What the text itself writes was not there before it.
        let clear = || {
            for entry in fs::read_dir(&self.home).expect("the folder").flatten() {
                fs::remove_file(entry.path()).or_else(|_| fs::remove_dir_all(entry.path())).ok();
            }
        };
        clear();
        put();
        let forecast = self.forecast(&script);
        clear();
        found.open = forecast.open.clone().map(|(why, site)| format!("open: {why} ({site:?})"));
        let mut tell = |what: String| found.wrong.push(what);
        let real = match (came, &forecast.reached) {
            (Came::Through(real), Reached::Yes) => real,
            (Came::Through(_), Reached::No(..)) => {
                tell("it is said to end before".to_owned());
                return found;
            }
            // What `exec` sends elsewhere is not seen.
            (Came::Ended, Reached::Yes) if forecast.may_end.is_none() && forecast.open.is_none() && !text.contains("exec") => {
                tell("it is said to go on, and ends".to_owned());
                return found;
            }
            _ => return found,
        };
        let is_judged = |name: &[u8]| name != b"_" && name != b"SHLVL" && name != b"A__z" && name != b"BEGIN";
        for (name, value) in real.iter().filter(|(n, _)| is_judged(n)) {
            let shown = String::from_utf8_lossy(name).into_owned();
            match forecast.get(name).map(|v| &v.held) {
                Some(Held::Known(said)) if said == value => found.known += 1,
                Some(Held::Known(said)) => tell(format!("{shown} is {:?}, not {said:?}", String::from_utf8_lossy(value))),
                None if forecast.open.is_none() => tell(format!("{shown}={:?} is missing", String::from_utf8_lossy(value))),
                _ => found.unknown += 1,
            }
        }
        for (name, variable) in forecast.vars().filter(|(n, _)| is_judged(n)) {
            let is_sure =
                matches!(variable.held, Held::Known(_)) || matches!(variable.held, Held::Unknown(_)) && !variable.may_be_absent;
            if is_sure && !real.contains_key(&name[..]) {
                tell(format!("{} is invented: {:?}", String::from_utf8_lossy(name), variable.held));
            }
        }
        found
    }
}

fn check(shell: &str, rounds: usize, seed: u64, veils: bool, make: Make) -> Found {
    let places: Vec<Place> = Who::at_hand().iter().map(|who| Place::new(shell, *who)).collect();
    let mut dice = Dice { state: seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1, veils };
    let mut all = Found::default();
    for round in 0..rounds {
        // By one, and by the other.
        let place = &places[round % places.len()];
        let made = make(&mut dice, &place.shell);
        let text = match std::env::var_os("VECTORUM_FILE") {
            Some(path) => fs::read_to_string(path).expect("the file"),
            None => made,
        };
        // As a list for others, where somebody asks.
        if std::env::var_os("VECTORUM_LIST").is_some() {
            println!("{}", text.replace('\n', "␤").replace('\t', "→"));
            continue;
        }
        let found = place.judge(&text);
        all.known += found.known;
        all.unknown += found.unknown;
        all.wrong.extend(found.wrong.into_iter().map(|what| format!("{shell} {round}: {what}\n---\n{text}\n---")));
    }
    all
}

/// Makes up texts for each shell, so many of them unless it is said otherwise, and fails where one is told wrong.
fn check_all(what: &str, usual: usize, veils: bool, make: Make) {
    let number = |name: &str, usual| std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(usual);
    let (rounds, seed) = (number("VECTORUM_ROUNDS", usual), number("VECTORUM_SEED", 4) as u64);
    let mut failed = Vec::new();
    let only = std::env::var("VECTORUM_SHELLS").unwrap_or_else(|_| "dash bash zsh fish ksh mksh".to_owned());
    for shell in only.split_whitespace() {
        let Found { known, unknown, wrong, .. } = check(shell, rounds, seed, veils, make);
        if std::env::var_os("VECTORUM_LIST").is_some() {
            continue;
        }
        println!("{shell:<5} {rounds} {what}: {known} values known and so, {unknown} unknown, {} wrong", wrong.len());
        // All of them where somebody asks.
        for line in wrong.iter().take(if rounds > usual { wrong.len() } else { 8 }) {
            println!("{line}");
        }
        // One that tells nothing would find nothing wrong either.
        let least = if veils { unknown / 5 } else { unknown };
        assert!(known > least, "{shell}: {known} values known, {unknown} unknown");
        failed.extend(wrong);
    }
    assert!(failed.is_empty(), "{} times something else was said than is so", failed.len());
}

#[test]
fn what_is_known_of_shell_files_is_so() {
    check_all("files", 100, false, files::file);
}

#[test]
fn what_words_are_known_to_become_they_become() {
    check_all("words", 200, false, words::line);
}

#[test]
fn what_hangs_on_the_unknown_is_never_taken_for_known() {
    check_all("veiled words", 200, true, words::line);
    check_all("veiled files", 100, true, files::file);
}

#[test]
fn what_small_texts_are_known_to_do_they_do() {
    check_all("small texts", 300, false, crossed::text);
}

#[test]
fn what_small_texts_of_which_little_is_known_do_they_do() {
    check_all("veiled small texts", 150, true, crossed::veiled);
}

/// Holds texts, a line each, against a shell that somebody runs; how often something else was said than is so.
fn judge_lines<'a>(shell: &str, who: Who, lines: impl Iterator<Item = &'a str>) -> usize {
    let place = Place::new(shell, who);
    let mut all = Found::default();
    for line in lines.filter(|line| !line.is_empty()) {
        let found = place.judge(&line.replace('␤', "\n").replace('→', "\t"));
        all.known += found.known;
        all.unknown += found.unknown;
        if found.open.is_some() || !found.wrong.is_empty() {
            println!("{shell} {who:?}: {line}");
        }
        found.open.iter().chain(&found.wrong).for_each(|what| println!("    {what}"));
        all.wrong.extend(found.wrong);
    }
    println!("{shell} {who:?}: {} known, {} unknown, {} wrong", all.known, all.unknown, all.wrong.len());
    all.wrong.len()
}

/// `VECTORUM_LINES` names a file with a text a line (␤ for a line's end, → for a tab).
#[test]
#[ignore = "a command for lists of one's own"]
fn what_is_said_of_each_line_is_so() {
    let path = std::env::var_os("VECTORUM_LINES").expect("VECTORUM_LINES names a file");
    let lines = fs::read_to_string(path).expect("the lines");
    let only = std::env::var("VECTORUM_SHELLS").unwrap_or_else(|_| "dash bash zsh ksh mksh".to_owned());
    let judge = |shell| -> usize { Who::at_hand().iter().map(|who| judge_lines(shell, *who, lines.lines())).sum() };
    let failed: usize = only.split_whitespace().map(judge).sum();
    assert_eq!(failed, 0, "something else was said than is so");
}

#[test]
fn what_was_once_said_wrongly_is_not_said_any_more() {
    let sections = ONCE.split("\n# ").skip(1).filter_map(|section| section.split_once('\n'));
    // They wait for their shells most of the time.
    let judge = |(shell, lines): (&'static str, &'static str)| -> usize {
        let judge_as = |who: &'static Who| std::thread::spawn(move || judge_lines(shell, *who, lines.lines()));
        let all: Vec<_> = Who::at_hand().iter().map(judge_as).collect();
        all.into_iter().map(|one| one.join().expect("lines that were judged")).sum()
    };
    let failed: usize = sections.map(judge).sum();
    assert_eq!(failed, 0, "something else was said than is so");
}

/// Names that mean something to a shell may be handed in: what it makes of them, and hands on, is told so.
#[test]
fn what_is_handed_in_becomes_what_is_said() {
    let mut failed = 0;
    let only = std::env::var("VECTORUM_SHELLS").unwrap_or_else(|_| "dash bash zsh fish ksh mksh".to_owned());
    for shell in only.split_whitespace() {
        let mut places: Vec<Place> = Who::at_hand().iter().map(|who| Place::new(shell, *who)).collect();
        let (mut texts, mut all, mut is_asked) = (Vec::new(), Found::default(), false);
        for line in include_str!("shells/handed.txt").lines().skip_while(|line| !line.starts_with('#')) {
            let lacks = line.strip_prefix("without ").map(|name| (name, None));
            let handed = line.split_once('=').map(|(name, value)| (name, Some(value)));
            match (line.strip_prefix("# "), line.strip_prefix("  "), lacks.or(handed)) {
                (Some(title), ..) => (is_asked, texts) = (title.split(' ').any(|other| other == shell), Vec::new()),
                (_, Some(text), _) => texts.push(text),
                (.., Some((name, value))) if is_asked => {
                    // Some by one, and some by the other.
                    let count = places.len();
                    for (at, text) in texts.iter().enumerate() {
                        let place = &mut places[at % count];
                        place.handed = Some((name.to_owned(), value.map(str::to_owned)));
                        let found = place.judge(text);
                        all.known += found.known;
                        found.wrong.iter().for_each(|what| println!("{shell}: {line}: {text}\n    {what}"));
                        failed += found.wrong.len();
                    }
                }
                _ => {}
            }
        }
        println!("{shell:<5} handed: {} values known and so", all.known);
        assert!(all.known > 0, "{shell}: nothing is known");
    }
    assert_eq!(failed, 0, "something else was said than is so");
}

#[test]
fn the_table_is_so_in_the_real_shells() {
    let folder = tempfile::tempdir().expect("a folder");
    let home = folder.path().canonicalize().expect("its place");
    let script = home.join("script");
    let mut wrong = Vec::new();
    for case in cases::all() {
        fs::write(&script, format!("{}{}", case.text, cases::ending(case.shell))).expect("a script");
        let real = match real(case.shell, case.shell, Who::at_hand()[0], &script, &home, start(&home.display().to_string()), "30")
        {
            Came::Through(received) => Some(received),
            _ => None,
        };
        let mut tell = |what: String| wrong.push(format!("{}: {what}\n{}", case.shell, case.text));
        let (Some(names), Some(real)) = (&case.names, &real) else {
            if !case.may_end && case.names.is_some() != real.is_some() {
                tell(format!("its end is {}reached", if real.is_some() { "" } else { "not " }));
            }
            continue;
        };
        for (name, expected) in names {
            let value = real.get(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
            let is_so = match expected {
                Expected::Value(wanted) => value.as_ref() == Some(wanted),
                Expected::Absent => value.is_none(),
                Expected::Unknown => true,
            };
            if !is_so {
                tell(format!("{name} is {value:?}, not {expected:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
