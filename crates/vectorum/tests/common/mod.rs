//! What the tests of the program share: accounts, small C programs, processes that wait, tmux.
#![allow(dead_code, unreachable_pub)]

use std::ffi::OsStr;
use std::fs;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::sync::LazyLock;
use std::thread::sleep;
use std::time::{Duration, Instant};

/// On whose behalf something is run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Who {
    Root,
    Ordinary,
}

pub const BOTH: [Who; 2] = [Who::Root, Who::Ordinary];

/// The account `nobody`, which every Debian has.
pub const NOBODY: u32 = 65534;

impl Who {
    /// As whom something can be run without help: both, or an ordinary account alone.
    pub fn at_hand() -> &'static [Who] {
        if am_root() { &BOTH } else { &[Who::Ordinary] }
    }
}

pub fn am_root() -> bool {
    nix::unistd::geteuid().is_root()
}

/// Returns a command that runs as the given account. Run by an ordinary account, the tests need
/// `sudo` without a password for root's part, and fail loudly without it.
pub fn command(who: Who, program: impl AsRef<OsStr>) -> Command {
    match (who, am_root()) {
        (Who::Root, true) | (Who::Ordinary, false) => Command::new(program),
        (Who::Ordinary, true) => {
            let mut command = Command::new(program);
            command.uid(NOBODY).gid(NOBODY);
            command
        }
        (Who::Root, false) => {
            let mut command = Command::new("sudo");
            command.args(["-n", "--preserve-env", "--"]).arg(program);
            command
        }
    }
}

/// Returns the words of a shell's command line that run Vectorum as the given account.
pub fn vectorum_words(who: Who) -> String {
    let prefix = match (who, am_root()) {
        (Who::Root, true) | (Who::Ordinary, false) => "",
        (Who::Ordinary, true) => "setpriv --reuid=65534 --regid=65534 --clear-groups ",
        (Who::Root, false) => "sudo -n --preserve-env=COLORFGBG ",
    };
    format!("{prefix}{}", vectorum().display())
}

/// A folder that every account may enter, with copies of what the tests run.
pub struct Bench {
    folder: tempfile::TempDir,
}

static BENCH: LazyLock<Bench> = LazyLock::new(|| {
    let folder = tempfile::Builder::new().prefix("vectorum-test-").tempdir().expect("a temporary folder");
    fs::set_permissions(folder.path(), fs::Permissions::from_mode(0o755)).expect("its mode");
    let to = folder.path().join("vectorum");
    fs::copy(env!("CARGO_BIN_EXE_vectorum"), &to).expect("a copy of the program");
    // SAFETY: what is called takes nothing and does not unwind.
    #[expect(unsafe_code, reason = "what a static holds is never dropped, and this is a large folder")]
    let registered = unsafe { libc::atexit(tidy_up) };
    assert_eq!(registered, 0, "the folder would stay behind");
    Bench { folder }
});

extern "C" fn tidy_up() {
    let _ = fs::remove_dir_all(folder());
}

/// Returns the program in a place that every account may run it from.
pub fn vectorum() -> PathBuf {
    BENCH.folder.path().join("vectorum")
}

/// Returns a folder for files that every account may read.
pub fn folder() -> &'static Path {
    BENCH.folder.path()
}

/// Runs the program and returns what it said.
pub fn run(who: Who, arguments: &[&str]) -> Output {
    command(who, vectorum()).args(arguments).stdin(Stdio::null()).output().expect("vectorum runs")
}

/// Returns what the program said on standard error.
pub fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

/// Compiles one of the C programs under `tests/programs`; the name tells apart other options.
pub fn compiled(name: &str, source: &str, options: &[&str]) -> PathBuf {
    let to = folder().join(name);
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/programs").join(source);
    // Tests run side by side: compile aside and rename.
    let aside = folder().join(format!("{name}.{:?}", std::thread::current().id()));
    let built =
        Command::new("gcc").arg("-O1").args(options).arg("-o").arg(&aside).arg(source).output().expect("gcc is installed");
    assert!(built.status.success(), "{name}: {}", String::from_utf8_lossy(&built.stderr));
    fs::rename(&aside, &to).expect("the program in its place");
    to
}

/// A process that waits until the test has looked at it.
pub struct Waiting {
    child: Child,
    /// What it printed in its first line.
    pub line: String,
}

impl Waiting {
    /// Starts a command and waits for its first line.
    pub fn start(mut command: Command) -> Waiting {
        let mut child =
            command.stdout(Stdio::piped()).stdin(Stdio::piped()).process_group(0).spawn().expect("the process starts");
        let mut line = String::new();
        let out = child.stdout.take().expect("its output");
        BufReader::new(out).read_line(&mut line).expect("its first line");
        assert!(line.contains("ready"), "it said {line:?}");
        Waiting { child, line }
    }

    /// Starts a program with exactly this block.
    pub fn with_block(who: Who, block: &[u8], program: &Path, arguments: &[&str]) -> Waiting {
        let launch = compiled("launch", "launch.c", &[]);
        let file = tempfile::NamedTempFile::new_in(folder()).expect("a file for the block");
        fs::write(file.path(), block).expect("the block");
        fs::set_permissions(file.path(), fs::Permissions::from_mode(0o644)).expect("its mode");
        let mut command = command(who, launch);
        command.arg(file.path()).arg(program).args(arguments);
        Waiting::start(command)
    }

    pub fn pid(&self) -> String {
        if am_root() { self.child.id().to_string() } else { self.below_sudo() }
    }

    /// Behind `sudo`, the process itself is the last of a chain of only children.
    fn below_sudo(&self) -> String {
        let mut pid = self.child.id().to_string();
        while let Ok(children) = fs::read_to_string(format!("/proc/{pid}/task/{pid}/children")) {
            match children.split_whitespace().next() {
                Some(child) if fs::read_to_string(format!("/proc/{pid}/comm")).is_ok_and(|c| c.starts_with("sudo")) => {
                    pid = child.to_owned();
                }
                _ => break,
            }
        }
        pid
    }
}

impl Drop for Waiting {
    fn drop(&mut self) {
        // The whole group that it leads, and nothing else.
        let group = nix::unistd::Pid::from_raw(self.child.id() as i32);
        let _ = nix::sys::signal::killpg(group, nix::sys::signal::Signal::SIGKILL);
        let _ = self.child.wait();
    }
}

/// A terminal of a given size, in tmux, on a socket of its own.
pub struct Terminal {
    socket: tempfile::TempDir,
}

impl Terminal {
    /// Opens a terminal that runs a shell command.
    pub fn open(columns: u16, rows: u16, shell_command: &str) -> Terminal {
        let terminal = Terminal { socket: tempfile::tempdir().expect("a folder for the socket") };
        let size = [columns.to_string(), rows.to_string()];
        let status = terminal
            .tmux()
            .args(["-f", "/dev/null", "new-session", "-d", "-x", &size[0], "-y", &size[1], shell_command, ";"])
            .args(["set", "-g", "remain-on-exit", "on", ";", "set", "-sg", "escape-time", "10"])
            .status()
            .expect("tmux is installed");
        assert!(status.success());
        terminal
    }

    fn tmux(&self) -> Command {
        let mut command = Command::new("tmux");
        command.arg("-S").arg(self.socket.path().join("s")).env_remove("TMUX").env("TERM", "xterm-256color").env("COLORTERM", "");
        // Told what the background is, the program asks nothing: keys that are typed before the answer
        // would be lost.
        command.env_remove("NO_COLOR").env("LC_ALL", "C.UTF-8").env("COLORFGBG", "15;0");
        command
    }

    /// Presses keys, named as tmux names them; text goes letter by letter.
    pub fn press(&self, keys: &[&str]) {
        for key in keys {
            assert!(self.tmux().args(["send-keys", key]).status().expect("tmux").success());
        }
    }

    /// Types text.
    pub fn type_text(&self, text: &str) {
        assert!(self.tmux().args(["send-keys", "-l", "--", text]).status().expect("tmux").success());
    }

    /// Sends a click with the left button on a column and row, counted from 1.
    pub fn click(&self, column: u16, row: u16) {
        self.type_text(&format!("\x1b[<0;{column};{row}M"));
        self.type_text(&format!("\x1b[<0;{column};{row}m"));
    }

    pub fn resize(&self, columns: u16, rows: u16) {
        let size = [columns.to_string(), rows.to_string()];
        assert!(self.tmux().args(["resize-window", "-x", &size[0], "-y", &size[1]]).status().expect("tmux").success());
    }

    /// Returns what stands on the screen.
    pub fn screen(&self) -> String {
        let output = self.tmux().args(["capture-pane", "-p"]).output().expect("tmux");
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Returns the screen with its colours as control sequences.
    pub fn coloured(&self) -> String {
        let output = self.tmux().args(["capture-pane", "-p", "-e"]).output().expect("tmux");
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Lets programs in the terminal fill its clipboard.
    pub fn allow_copying(&self) {
        assert!(self.tmux().args(["set", "-s", "set-clipboard", "on"]).status().expect("tmux").success());
    }

    /// Returns what was copied last.
    pub fn copied(&self) -> String {
        let output = self.tmux().arg("show-buffer").output().expect("tmux");
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Asks tmux for something about the pane.
    pub fn ask(&self, format: &str) -> String {
        let output = self.tmux().args(["display-message", "-p", format]).output().expect("tmux");
        String::from_utf8_lossy(&output.stdout).trim().to_owned()
    }

    /// Waits until a program has the terminal: a key that stops or ends is its own only from then on.
    #[track_caller]
    pub fn until_runs(&self, program: &str) {
        self.wait(program, |_| self.ask("#{pane_current_command}") == program);
    }

    /// Waits until the screen satisfies a condition, and returns it.
    #[track_caller]
    pub fn wait(&self, what: &str, is: impl Fn(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.screen();
            assert!(begun.elapsed() < Duration::from_secs(30), "never came: {what}\n{screen}");
            sleep(Duration::from_millis(25));
            // A picture taken while the program draws is half old: it must come twice.
            if is(&screen) && self.screen() == screen {
                return screen;
            }
        }
    }

    /// Waits for a text.
    #[track_caller]
    pub fn wait_for(&self, text: &str) -> String {
        self.wait(text, |screen| screen.contains(text))
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        let _ = self.tmux().arg("kill-server").output();
    }
}
