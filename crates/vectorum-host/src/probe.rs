//! Running a route for real, with a program at its end that notes what it received.

use std::fs;
use std::io::{self, Write};
use std::os::fd::AsFd;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use vectorum_core::Block;

use crate::command::{Listener, ProbeCommand, ProbeError, Said, Terminal, end_group, io_error};

/// What a payload writes behind the block.
const END: &[u8] = b"#end";

/// A folder with a program that every account may run, and a file into which it may write.
#[derive(Debug)]
pub struct ProbeFolder {
    folder: PathBuf,
}

impl Drop for ProbeFolder {
    fn drop(&mut self) {
        // What is left lies in a folder for temporary files.
        drop(fs::remove_dir_all(&self.folder));
    }
}

/// Held while a terminal is opened whose ends are not marked yet, and while a child is started that would be handed them.
static STARTS: Mutex<()> = Mutex::new(());

fn own_turn() -> MutexGuard<'static, ()> {
    STARTS.lock().unwrap_or_else(PoisonError::into_inner)
}

impl ProbeFolder {
    /// Makes it, with a copy of a program.
    ///
    /// # Errors
    /// If it cannot be made.
    pub fn new(program: &Path) -> Result<ProbeFolder, ProbeError> {
        let what = "a folder for temporary files";
        let folder = nix::unistd::mkdtemp(&std::env::temp_dir().join("vectorum-probe-XXXXXX"))
            .map_err(|e| ProbeError::Io { what, cause: e.into() })?;
        let made = ProbeFolder { folder };
        let mode = |path: &Path, mode| fs::set_permissions(path, fs::Permissions::from_mode(mode));
        mode(&made.folder, 0o711).map_err(io_error(what))?;
        fs::copy(program, made.payload()).map_err(io_error("a copy of this program"))?;
        mode(&made.payload(), 0o755).map_err(io_error(what))?;
        fs::write(made.result(), b"").map_err(io_error(what))?;
        // Others may write what they received, and not read it.
        mode(&made.result(), 0o622).map_err(io_error(what))?;
        Ok(made)
    }

    /// The copy of the program.
    pub fn payload(&self) -> PathBuf {
        self.folder.join("vectorum")
    }

    /// The file for what arrives.
    pub fn result(&self) -> PathBuf {
        self.folder.join("received")
    }

    /// Writes a script into it.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn script(&self, text: &str) -> Result<PathBuf, ProbeError> {
        let path = self.folder.join("script");
        fs::write(&path, text).map_err(io_error("a script"))?;
        fs::set_permissions(&path, fs::Permissions::from_mode(0o755)).map_err(io_error("a script"))?;
        Ok(path)
    }

    fn received(&self) -> Option<Block> {
        let bytes = fs::read(self.result()).ok()?;
        bytes.strip_suffix(END).map(|block| Block::parse(block.to_vec()))
    }

    /// Waits until something has arrived.
    ///
    /// # Errors
    /// If nothing does in that time.
    pub fn wait(&self, seconds: u64) -> Result<Block, ProbeError> {
        let end = Instant::now() + Duration::from_secs(seconds);
        while Instant::now() < end {
            if let Some(block) = self.received() {
                return Ok(block);
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        Err(ProbeError::Nothing(seconds, String::new()))
    }

    /// Runs a command until something has arrived; then it is ended, before it can put down what was
    /// typed.
    ///
    /// # Errors
    /// If it cannot be started, or nothing arrives in that time.
    pub fn run(&self, wanted: &ProbeCommand, seconds: u64) -> Result<(Block, Said), ProbeError> {
        // What an earlier command left there is not this one's.
        fs::write(self.result(), b"").map_err(io_error("the file for what arrives"))?;
        let command = wanted.prepared();
        match &wanted.terminal {
            None => self.run_plain(command, seconds),
            Some(Terminal::Quiet) => self.run_on_terminal(command, None, seconds),
            Some(Terminal::Typed(text)) => self.run_on_terminal(command, Some(text), seconds),
        }
    }

    fn run_plain(&self, mut command: Command, seconds: u64) -> Result<(Block, Said), ProbeError> {
        command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped()).process_group(0);
        let begin = Instant::now();
        let alone = own_turn();
        let mut child = command.spawn().map_err(io_error("the first program of the route"))?;
        drop(alone);
        let listener = Listener::to(child.stderr.take(), begin);
        let end = begin + Duration::from_secs(seconds);
        let mut ended = false;
        let received = loop {
            if let Some(block) = self.received() {
                break Some(block);
            }
            if ended || Instant::now() > end {
                break None;
            }
            // Once more after its end: what arrives may come just before.
            ended = child.try_wait().is_ok_and(|s| s.is_some());
            std::thread::sleep(Duration::from_millis(10));
        };
        end_group(&mut child);
        let said = Said { chunks: listener.finish().chunks, typed: None };
        match received {
            Some(block) => Ok((block, said)),
            None => {
                let words: Vec<u8> = said.chunks.iter().flat_map(|(_, piece)| piece).copied().take(4096).collect();
                let words = vectorum_core::inert(words.trim_ascii()).into_owned();
                Err(ProbeError::Nothing(seconds, if words.is_empty() { String::new() } else { format!("; it said: {words}") }))
            }
        }
    }

    fn run_on_terminal(&self, mut command: Command, typed: Option<&str>, seconds: u64) -> Result<(Block, Said), ProbeError> {
        let what = "a terminal";
        let size = nix::pty::Winsize { ws_row: 24, ws_col: 80, ws_xpixel: 0, ws_ypixel: 0 };
        // No other probe starts a child before the ends are marked.
        let alone = own_turn();
        let pair = nix::pty::openpty(Some(&size), None).map_err(|e| ProbeError::Io { what, cause: e.into() })?;
        // Whoever held it open below would keep the terminal from being hung up on.
        for end in [&pair.master, &pair.slave] {
            rustix::io::fcntl_setfd(end, rustix::io::FdFlags::CLOEXEC).map_err(|e| ProbeError::Io { what, cause: e.into() })?;
        }
        drop(alone);
        let side = || pair.slave.try_clone().map(Stdio::from).map_err(io_error(what));
        command.stdin(side()?).stdout(side()?).stderr(side()?);
        let terminal = pair.slave.try_clone().map_err(io_error(what))?;
        #[expect(unsafe_code, reason = "the only way to give a child a terminal of its own")]
        // SAFETY: between fork and exec only two system calls are made, which neither allocate nor lock.
        unsafe {
            command.pre_exec(move || {
                nix::unistd::setsid()?;
                rustix::process::ioctl_tiocsctty(terminal.as_fd())?;
                Ok(())
            });
        }
        let begin = Instant::now();
        let alone = own_turn();
        let mut child = command.spawn().map_err(io_error("the first program of the route"))?;
        drop(alone);
        drop(pair.slave);
        drop(command);
        let mut terminal = fs::File::from(pair.master);
        let listener = Listener::to(Some(terminal.try_clone().map_err(io_error(what))?), begin);
        // A prompt is there when nothing more comes for a while.
        let end = begin + Duration::from_secs(seconds);
        let (mut last, mut since, mut typed_at) = (0, Instant::now(), None);
        let received = loop {
            if let Some(block) = self.received() {
                break Some(block);
            }
            if Instant::now() > end {
                break None;
            }
            let now = listener.length();
            if now != last {
                (last, since) = (now, Instant::now());
            }
            let is_quiet = since.elapsed() > Duration::from_millis(300) && (now > 0 || begin.elapsed() > Duration::from_secs(2));
            if let Some(text) = typed
                && typed_at.is_none()
                && is_quiet
            {
                typed_at = Some(begin.elapsed());
                terminal.write_all(format!("{text}\r").as_bytes()).map_err(io_error(what))?;
            }
            std::thread::sleep(Duration::from_millis(20));
        };
        end_group(&mut child);
        let heard = listener.finish();
        // What still runs there is hung up on.
        drop(terminal);
        let said = Said { chunks: heard.chunks, typed: typed_at };
        received.map(|block| (block, said)).ok_or(ProbeError::Nothing(seconds, String::new()))
    }
}

/// Writes what this process received, as a payload does.
///
/// # Errors
/// If the file cannot be written.
pub fn write_received(block: &Block, to: &Path) -> io::Result<()> {
    let mut bytes = block.to_kernel_bytes().to_vec();
    bytes.extend_from_slice(END);
    fs::OpenOptions::new().write(true).open(to)?.write_all(&bytes)
}
