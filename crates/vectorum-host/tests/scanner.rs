//! The scanner against real processes that come, go and turn into others.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use std::collections::HashMap;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::thread::sleep;
use std::time::{Duration, Instant};

use vectorum_core::{Block, Process, Received, World};
use vectorum_host::{Ending, Peek, RunError, Scanner, Update, run_to_end};

/// Processes of this test, ended with it.
struct Children(Vec<Child>);

impl Drop for Children {
    fn drop(&mut self) {
        for child in &mut self.0 {
            let _ = child.kill();
            let _ = child.wait();
        }
    }
}

fn scan(scanner: &mut Scanner) -> Vec<Update> {
    let mut updates = Vec::new();
    scanner
        .scan(|update, _, _| {
            updates.push(update);
            true
        })
        .expect("/proc is there");
    updates
}

fn put(updates: &[Update], pid: u32) -> Option<&Process> {
    updates.iter().find_map(|u| match u {
        Update::Put(process) if process.id.pid == pid as i32 => Some(process),
        _ => None,
    })
}

#[test]
fn only_what_changes_is_told() {
    for peek in [Peek::Allowed, Peek::Never] {
        let mut scanner = Scanner::open(Path::new("/proc"), peek).expect("/proc is there");
        scan(&mut scanner);
        // A shell that becomes another program when it is told to, by a line on its input.
        let mut shell = Command::new("sh");
        shell
            .args(["-c", "read line; TIDE=low exec sleep 600"])
            .env_clear()
            .env("TIDE", "high")
            .env("PATH", "/usr/bin:/bin")
            .stdin(Stdio::piped());
        let mut children = Children(vec![shell.spawn().expect("sh")]);
        let pid = children.0[0].id();
        let until = |scanner: &mut Scanner, tide: &[u8]| {
            let begun = Instant::now();
            loop {
                let updates = scan(scanner);
                if put(&updates, pid).and_then(|p| p.received.block()).and_then(|b| b.get(b"TIDE")) == Some(tide) {
                    return;
                }
                assert!(begun.elapsed() < Duration::from_secs(10), "TIDE never became {tide:?}");
                sleep(Duration::from_millis(5));
            }
        };
        until(&mut scanner, b"high");
        assert_eq!(put(&scan(&mut scanner), pid), None, "nothing new, nothing told");
        drop(children.0[0].stdin.take());
        until(&mut scanner, b"low");
        // Ended and not waited for: what it received stays known.
        children.0[0].kill().expect("it is ours");
        sleep(Duration::from_millis(50));
        assert_eq!(put(&scan(&mut scanner), pid), None);
        drop(children);
        assert!(scan(&mut scanner).contains(&Update::Gone(pid as i32)));
    }
}

#[test]
fn orphans_get_their_new_parent() {
    let mut scanner = Scanner::open(Path::new("/proc"), Peek::Allowed).expect("/proc is there");
    // The shell starts a child, tells its number and waits for a line.
    let mut shell = Command::new("sh");
    shell.args(["-c", "sleep 600 & echo $!; read line"]).stdin(Stdio::piped()).stdout(Stdio::piped());
    let mut shell = shell.spawn().expect("sh");
    let mut line = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(shell.stdout.take().expect("piped")), &mut line).expect("a line");
    let orphan: i32 = line.trim().parse().expect("a number");
    let mut world = World::default();
    let take = |scanner: &mut Scanner, world: &mut World| {
        for update in scan(scanner) {
            match update {
                Update::Put(process) => drop(world.put(process)),
                Update::Adopted(pid, parent) => drop(world.adopt(pid, parent)),
                Update::Gone(pid) => drop(world.remove(pid)),
            }
        }
    };
    take(&mut scanner, &mut world);
    assert_eq!(world.get(orphan).map(|p| p.parent), Some(shell.id() as i32));
    drop(shell.stdin.take());
    shell.wait().expect("it ends");
    take(&mut scanner, &mut world);
    let parent = world.get(orphan).map(|p| p.parent).expect("still there");
    assert_ne!(parent, shell.id() as i32);
    assert!(world.children(parent).any(|c| c == orphan));
    nix::sys::signal::kill(nix::unistd::Pid::from_raw(orphan), nix::sys::signal::Signal::SIGKILL).expect("it is ours");
}

#[test]
fn thousands_of_processes_share_their_blocks() {
    const MANY: usize = 2000;
    let spawn = |n: usize| {
        let mut sleeper = Command::new("sleep");
        sleeper.arg("600").env_clear().env("SHARED", "yes").env("GROUP", (n % 2).to_string());
        sleeper.spawn().expect("sleep")
    };
    let children = Children((0..MANY).map(spawn).collect());
    let mut scanner = Scanner::open(Path::new("/proc"), Peek::Allowed).expect("/proc is there");
    let mut world = World::default();
    let mut other = 0;
    for update in scan(&mut scanner) {
        if let Update::Put(process) = update {
            other += usize::from(process.program != b"sleep"[..]);
            world.put(process);
        }
    }
    let mut blocks: HashMap<Block, usize> = HashMap::new();
    for child in &children.0 {
        let process = world.get(child.id() as i32).expect("each one is there");
        match &process.received {
            Received::Block(block) => *blocks.entry(block.clone()).or_default() += 1,
            received => panic!("{received:?}"),
        }
    }
    assert_eq!(blocks.values().copied().collect::<Vec<_>>(), [MANY / 2, MANY / 2]);
    assert!(world.distinct_blocks() <= other + 2 + 50, "equal blocks are held once");
    let stopped = {
        let mut seen = 0;
        let mut again = Scanner::open(Path::new("/proc"), Peek::Allowed).expect("/proc is there");
        again
            .scan(|_, _, _| {
                seen += 1;
                seen < 10
            })
            .expect("/proc is there");
        seen
    };
    assert_eq!(stopped, 10, "a scan ends when nobody wants more");
}

#[test]
fn commands_run_with_exactly_their_block() {
    let out = tempfile::NamedTempFile::new().expect("a file");
    let path = out.path().to_string_lossy().into_owned();
    let block = Block::from_entries([&b"A=1"[..], b"A=2", b"odd", b"PATH=/usr/bin:/bin", b"B=\xff"]);
    let script = format!("cat /proc/self/environ > {path}");
    // `cat` is started by a shell that would tidy the block up: look at the shell's own.
    let own = format!("cat /proc/$$/environ > {path}");
    assert_eq!(run_to_end(&["sh", "-c", &own], &block).expect("sh runs"), Ending::Exited(0));
    assert_eq!(std::fs::read(&path).expect("the file"), block.to_kernel_bytes());
    assert_eq!(run_to_end(&["sh", "-c", &script], &Block::empty()).expect("found without PATH"), Ending::Exited(0));
    assert_eq!(run_to_end(&["sh", "-c", "exit 7"], &block).expect("sh runs"), Ending::Exited(7));
    assert_eq!(
        run_to_end(&["sh", "-c", "kill -TERM $$"], &block).expect("sh runs"),
        Ending::Signalled(nix::sys::signal::Signal::SIGTERM)
    );
    // One that stops itself is set going again.
    assert_eq!(run_to_end(&["sh", "-c", "kill -STOP $$; exit 3"], &block).expect("sh runs"), Ending::Exited(3));
    for (command, status) in
        [("/nowhere/at-all", 127), ("no-such-program-here", 127), ("/etc/passwd", 126), ("/", 126), ("", 127)]
    {
        let error = run_to_end(&[command], &block).expect_err("it cannot run");
        assert_eq!(error.status(), status, "{command}: {error}");
    }
    assert!(matches!(run_to_end(&["a\0b"], &block), Err(RunError::Nul(_))));
    assert!(matches!(run_to_end::<&str>(&[], &block), Err(RunError::Nothing)));
    // A script without #! goes to the shell.
    let script = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(script.path(), "exit 5\n").expect("written");
    let executable = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(script.path(), executable).expect("its mode");
    let script = script.into_temp_path();
    assert_eq!(run_to_end(&[script.to_string_lossy().as_bytes()], &block).expect("sh runs it"), Ending::Exited(5));
}
