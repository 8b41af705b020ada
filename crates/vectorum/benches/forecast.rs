//! Prints how long all routes of a host take, by its number of units, and by its number of startup files.
//! `cargo bench -p vectorum --bench forecast`, and with a word behind `--` only hosts whose line has it.

#![allow(clippy::print_stdout, clippy::expect_used)]

use std::env;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::time::Instant;

// For what it keeps its memory with.
use vectorum as _;
use vectorum_core::route::{Follower, Ground, Route, Starts, Survey, accounts_of};
use vectorum_core::{Block, Snapshot};
use vectorum_host::RootedHost;

/// Who there is: odile has a shell of her own.
fn passwd(shell: &str) -> String {
    format!("root:x:0:0::/root:/bin/bash\nodile:x:1000:1000::/home/odile:/bin/{shell}\n")
}

fn put(root: &Path, path: &str, text: &str) {
    let path = root.join(path);
    fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
    fs::write(path, text).expect("a file");
}

fn host(units: usize) -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    let root = folder.path();
    put(root, "etc/systemd/system.conf", "[Manager]\nDefaultEnvironment=PIER=4\n");
    put(root, "etc/default/locale", "LANG=C.UTF-8\n");
    put(root, "etc/environment", "GATE_LANES=3\n");
    for n in 0..units {
        let name = format!("etc/systemd/system/lane-{n}.service");
        put(
            root,
            &name,
            &format!("[Service]\nUser=odile\nEnvironment=LANE={n}\nEnvironmentFile=-/etc/lanes/{n}.env\nExecStart=/bin/true\n"),
        );
        put(root, &format!("{name}.d/10.conf"), "[Service]\nEnvironment=BERTH=%n\n");
        put(root, &format!("{name}.d/20.conf"), "[Service]\nUnsetEnvironment=PIER\n");
        put(root, &format!("etc/lanes/{n}.env"), "LANE_NOTE=\"a lane\"\n");
        put(root, &format!("home/odile/.config/environment.d/{n:03}.conf"), &format!("TIDE_{n}=${{TIDE_{n}:-low}}\n"));
    }
    folder
}

const PROFILE: &str = "for i in /etc/profile.d/*.sh; do\n  if [ -r \"$i\" ]; then\n    . \"$i\"\n  fi\ndone\nunset i\n";

/// What Debian's `/etc/profile` puts before it: root and others get a PATH that does not hang on who starts the shell.
const OWN_PATH: &str =
    "if [ \"$(id -u)\" -eq 0 ]; then\n  PATH=/usr/sbin:/usr/bin:/sbin:/bin\nelse\n  PATH=/usr/bin:/bin\nfi\nexport PATH\n";

/// Conditions, cases and parameters that hang on PATH.
fn busy(_: usize, line: usize) -> String {
    format!(
        "# part {line}\nif [ -d /opt/berth/{line} ]; then\n  export BERTH_{line}=\"${{BERTH_{line}:-/opt/berth/{line}}}\"\nelse GATE_{line}=${{PATH%%:*}}/{line}; fi\ncase \":$PATH:\" in *:/opt/{line}:*) ;; *) TIDE=$TIDE{line} ;; esac\n"
    )
}

/// Lines that set a name each, which no other file sets.
fn plain(file: usize, line: usize) -> String {
    format!(
        "export BERTH_{file}_{line}=\"berth {line}\"\nGATE_{line}=$BERTH_{file}_{line}/gate\nexport TIDE=\"high $TIDE_{line}\"\nalias gate{line}='ls -l'\nif [ -d /opt/gate{line} ]; then export GATES=1; fi\n"
    )
}

/// Lines of which half hang on what programs answer, which is not known: both ways are followed.
fn unknown(file: usize, line: usize) -> String {
    format!(
        "if berth-open {line}; then\n  export BERTH_{file}_{line}=\"berth {line}\"\nelse GATE=${{PATH%%:*}}/{line}; fi\ncase \"$(tide-now)\" in *:/opt/{line}:*) ;; *) TIDE_{file}_{line}=$TIDE{line} ;; esac\nexport BUOY_{file}_{line}=low\n"
    )
}

/// What [`busy`] does, in fish's words.
fn busy_in_fish(_: usize, line: usize) -> String {
    format!(
        "# part {line}\nif test -d /opt/berth/{line}\n  set -gx BERTH_{line} /opt/berth/{line}\nelse; set GATE_{line} $PATH[1]/{line}; end\nif not contains /opt/{line} $PATH; set -g TIDE $TIDE{line}; end\n"
    )
}

/// What [`plain`] does, in fish's words.
fn plain_in_fish(file: usize, line: usize) -> String {
    format!(
        "set -gx BERTH_{file}_{line} \"berth {line}\"\nset GATE_{line} $BERTH_{file}_{line}/gate\nset -gx TIDE \"high $TIDE_{line}\"\nalias gate{line} 'ls -l'\nif test -d /opt/gate{line}; set -gx GATES 1; end\n"
    )
}

/// Startup files of an account: its shell, what runs them, where they lie, and what each part of them says.
struct Startup {
    what: &'static str,
    shell: &'static str,
    by: (&'static str, String),
    folder: &'static str,
    part: fn(usize, usize) -> String,
}

impl Startup {
    /// For a login of bash, behind what `/etc/profile` does first.
    fn of_profile(what: &'static str, before: &str, part: fn(usize, usize) -> String) -> Startup {
        Startup { what, shell: "bash", by: ("etc/profile", format!("{before}{PROFILE}")), folder: "etc/profile.d", part }
    }

    fn of_zsh(what: &'static str, part: fn(usize, usize) -> String) -> Startup {
        let by = ("home/odile/.zshrc", "for i in ~/.zsh.d/*.sh; do\n  source $i\ndone\n".to_owned());
        Startup { what, shell: "zsh", by, folder: "home/odile/.zsh.d", part }
    }

    fn of_fish(what: &'static str, part: fn(usize, usize) -> String) -> Startup {
        let by = ("home/odile/.config/fish/config.fish", String::new());
        Startup { what, shell: "fish", by, folder: "home/odile/.config/fish/conf.d", part }
    }

    /// An account with so many files of 200 lines.
    fn host(&self, files: usize) -> tempfile::TempDir {
        let folder = tempfile::tempdir().expect("a folder");
        let root = folder.path();
        put(root, self.by.0, &self.by.1);
        for program in ["id", "berth-open", "tide-now"] {
            put(root, &format!("usr/bin/{program}"), "");
            let path = root.join("usr/bin").join(program);
            fs::set_permissions(path, fs::Permissions::from_mode(0o755)).expect("a program");
        }
        let ending = if self.shell == "fish" { "fish" } else { "sh" };
        for n in 0..files {
            let text: String = (0..40).map(|line| (self.part)(n, line)).collect();
            put(root, &format!("{}/{n:02}.{ending}", self.folder), &text);
        }
        folder
    }
}

/// The best of some rounds: how many routes, and the milliseconds until all are forecast, until all that was found
/// out on the way is let go, too, which whoever wants the answer need not wait for; and until they are ready to be
/// shown, with their tree, their names and the files that decide.
fn all_routes(folder: &Path, shell: &str) -> (usize, f64, f64, f64) {
    let files = RootedHost::open(folder).expect("a tree");
    let accounts = accounts_of(passwd(shell).as_bytes());
    let account = accounts.get(1).expect("an account");
    let (mut best, mut best_whole, mut best_shown, mut count) = (f64::MAX, f64::MAX, f64::MAX, 0);
    for _ in 0..25 {
        let begun = Instant::now();
        let snapshot = Snapshot::new(&files);
        let ground = Ground::new(&snapshot, &accounts);
        let routes = Route::all(&ground, account);
        count = routes.len();
        let mut follower = Follower::default();
        let forecasts = follower.all(&routes, &ground, account, |_| Block::empty());
        best = best.min(begun.elapsed().as_secs_f64() * 1e3);
        std::hint::black_box(&forecasts);
        drop((forecasts, follower));
        best_whole = best_whole.min(begun.elapsed().as_secs_f64() * 1e3);
        let begun = Instant::now();
        let survey = Survey::of(&Ground::new(&Snapshot::new(&files), &accounts), account, Starts::default());
        best_shown = best_shown.min(begun.elapsed().as_secs_f64() * 1e3);
        drop(survey);
    }
    (count, best, best_whole, best_shown)
}

/// Prints what hosts of growing size take.
fn grow(what: &str, shell: &str, sizes: [usize; 3], host: impl Fn(usize) -> tempfile::TempDir) {
    if env::args().skip(1).any(|word| !word.starts_with('-') && !what.contains(&word)) {
        return;
    }
    let mut before = None;
    for size in sizes {
        let (count, best, whole, shown) = all_routes(host(size).path(), shell);
        let ratio = before.map_or(String::new(), |b: f64| format!("; {:.1} times the half of it", best / b));
        println!("{size} {what}: {count} routes in {best:.1} ms, {whole:.1} with letting go, {shown:.1} to be shown{ratio}");
        before = Some(best);
    }
}

fn main() {
    grow("units", "bash", [100, 200, 400], host);
    for startup in [
        Startup::of_profile("busy files of 200 lines, PATH set before", OWN_PATH, busy),
        Startup::of_profile("busy files of 200 lines, PATH as it is handed in", "", busy),
        Startup::of_profile("files of 200 lines that export names of their own", OWN_PATH, plain),
        Startup::of_profile("files of 200 lines, half of them not to be told", OWN_PATH, unknown),
        Startup::of_zsh("busy files of 200 lines of zsh", busy),
        Startup::of_zsh("files of 200 lines of zsh that export names of their own", plain),
        Startup::of_fish("busy files of 200 lines of fish", busy_in_fish),
        Startup::of_fish("files of 200 lines of fish that export names of their own", plain_in_fish),
    ] {
        grow(startup.what, startup.shell, [20, 40, 80], |files| startup.host(files));
    }
}
