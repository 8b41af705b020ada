//! Prints the time from starting the program to its first drawn screen, through a pseudo-terminal,
//! beside that of a program that does nothing. `cargo bench --bench start`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::expect_used)]

use std::fs::File;
use std::io::Read;
use std::os::fd::OwnedFd;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use nix::pty::{Winsize, openpty};

/// Runs a command on a new terminal until it has written `text`, or to its end.
fn time(command: &mut Command, text: Option<&[u8]>) -> Duration {
    let size = Winsize { ws_row: 42, ws_col: 142, ws_xpixel: 0, ws_ypixel: 0 };
    let pty = openpty(Some(&size), None).expect("a pseudo-terminal");
    let side = |fd: &OwnedFd| Stdio::from(fd.try_clone().expect("a descriptor"));
    command.stdin(side(&pty.slave)).stdout(side(&pty.slave)).stderr(side(&pty.slave)).env("TERM", "xterm-256color");
    let begun = Instant::now();
    let mut child = command.spawn().expect("it starts");
    // Our copies must not keep the terminal open when the child has ended.
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    drop(pty.slave);
    let mut screen = File::from(pty.master);
    let mut seen = Vec::new();
    let mut bytes = [0; 65536];
    while let Ok(read) = screen.read(&mut bytes) {
        if read == 0 {
            break;
        }
        seen.extend_from_slice(bytes.get(..read).unwrap_or_default());
        if text.is_some_and(|t| seen.windows(t.len()).any(|w| w == t)) {
            break;
        }
    }
    let elapsed = begun.elapsed();
    let _ = child.kill();
    let _ = child.wait();
    elapsed
}

fn main() {
    let program = env!("CARGO_BIN_EXE_vectorum");
    let mut rows: Vec<[Duration; 3]> = Vec::new();
    for round in 0..33 {
        let empty = time(&mut Command::new("true"), None);
        // The footer is the last line that is drawn.
        let host = time(&mut Command::new(program), Some(b"quit"));
        let demo = time(Command::new(program).arg("demo"), Some(b"quit"));
        if round >= 3 {
            rows.push([empty, host, demo]);
        }
    }
    let median = |of: &dyn Fn(&[Duration; 3]) -> f64| {
        let mut values: Vec<f64> = rows.iter().map(of).collect();
        values.sort_by(f64::total_cmp);
        values[values.len() / 2]
    };
    let ms = |d: Duration| d.as_secs_f64() * 1e3;
    println!("start to first drawn screen, median of {} rounds:", rows.len());
    println!("  an empty program   {:6.2} ms", median(&|r| ms(r[0])));
    println!("  this host          {:6.2} ms, {:+.2} ms beyond", median(&|r| ms(r[1])), median(&|r| ms(r[1]) - ms(r[0])));
    println!("  the demo           {:6.2} ms, {:+.2} ms beyond", median(&|r| ms(r[2])), median(&|r| ms(r[2]) - ms(r[0])));
}
