//! Prints the time to read what all processes received, against just reading the same files.
//! `cargo bench -p vectorum-host --bench reading`

#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::expect_used)]

use std::fs::File;
use std::hint::black_box;
use std::io::Read;
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::process::{Child, Command};
use std::time::{Duration, Instant};

use vectorum_core::World;
use vectorum_host::{Peek, Scanner, Update};

/// Reads the files whole, and as much of the memory as lies between the pointers and the strings.
fn plain(pids: &[i32], files: &[&str], memory: bool) -> usize {
    let mut bytes = Vec::new();
    let mut read = 0;
    for pid in pids {
        let mut range = None;
        for file in files {
            bytes.clear();
            let Ok(mut file_at) = File::open(format!("/proc/{pid}/{file}")) else { continue };
            read += file_at.read_to_end(&mut bytes).unwrap_or(0);
            if *file == "stat" {
                range = place(&bytes);
            }
        }
        if let (true, Some((start, end))) = (memory, range)
            && let Ok(file) = File::open(format!("/proc/{pid}/mem"))
        {
            bytes.resize((end - start) as usize, 0);
            read += file.read_at(&mut bytes, start).unwrap_or(0);
        }
    }
    black_box(read)
}

fn place(stat: &[u8]) -> Option<(u64, u64)> {
    let text = String::from_utf8_lossy(stat);
    let fields: Vec<&str> = text.rsplit(')').next()?.split_whitespace().collect();
    let number = |n: usize| fields.get(n - 3)?.parse::<u64>().ok();
    let (start, end) = (number(28)?, number(48)?);
    (start > 0 && end > start).then_some((start, end))
}

fn ours(peek: Peek) -> usize {
    let mut scanner = Scanner::open(Path::new("/proc"), peek).expect("/proc");
    let mut blocks = 0;
    scanner
        .scan(|update, _, _| {
            if let Update::Put(process) = update {
                blocks += usize::from(black_box(process).received.block().is_some());
            }
            true
        })
        .expect("/proc");
    blocks
}

/// Reads everything and puts it into a world: what the program does at its start.
fn kept() -> usize {
    let mut scanner = Scanner::open(Path::new("/proc"), Peek::Allowed).expect("/proc");
    let mut world = World::default();
    scanner
        .scan(|update, _, _| {
            if let Update::Put(process) = update {
                world.put(process);
            }
            true
        })
        .expect("/proc");
    black_box(world.len())
}

fn main() {
    let sleeper = |n: usize| {
        let mut sleep = Command::new("sleep");
        // 40 names each, as a login session has.
        sleep
            .arg("600")
            .env_clear()
            .envs((0..40).map(|i| (format!("NAME_{i}"), format!("a value of usual length {i} {}", n % 20))));
        sleep.spawn().expect("sleep")
    };
    let mut sleepers: Vec<Child> = (0..1000).map(sleeper).collect();
    let mut scanner = Scanner::open(Path::new("/proc"), Peek::Allowed).expect("/proc");
    let pids = scanner.proc().pids().expect("/proc");
    let mut rows: Vec<[Duration; 6]> = Vec::new();
    for _ in 0..25 {
        let time = |work: &mut dyn FnMut() -> usize| {
            let begun = Instant::now();
            black_box(work());
            begun.elapsed()
        };
        rows.push([
            time(&mut || plain(&pids, &["stat", "cmdline", "environ", "auxv"], true)),
            time(&mut || ours(Peek::Allowed)),
            time(&mut || plain(&pids, &["stat", "cmdline", "environ"], false)),
            time(&mut || ours(Peek::Never)),
            time(&mut kept),
            time(&mut || {
                scanner.scan(|_, _, _| true).expect("/proc");
                0
            }),
        ]);
    }
    for child in &mut sleepers {
        let _ = child.kill();
        let _ = child.wait();
    }
    let median = |of: &dyn Fn(&[Duration; 6]) -> f64| {
        let mut values: Vec<f64> = rows.iter().map(of).collect();
        values.sort_by(f64::total_cmp);
        values[values.len() / 2]
    };
    let s = |d: Duration| d.as_secs_f64();
    println!("{} processes, median of {} interleaved rounds:", pids.len(), rows.len());
    println!("  reading the same files, memory included    {:7.2} ms", median(&|r| s(r[0]) * 1e3));
    println!(
        "  reading and judging every block            {:7.2} ms, ratio {:.2}",
        median(&|r| s(r[1]) * 1e3),
        median(&|r| s(r[1]) / s(r[0]))
    );
    println!("  reading stat, cmdline and environ alone    {:7.2} ms", median(&|r| s(r[2]) * 1e3));
    println!(
        "  reading without a look into the memory     {:7.2} ms, ratio {:.2}",
        median(&|r| s(r[3]) * 1e3),
        median(&|r| s(r[3]) / s(r[2]))
    );
    println!(
        "  reading, judging and keeping all of it     {:7.2} ms, ratio {:.2} to the first",
        median(&|r| s(r[4]) * 1e3),
        median(&|r| s(r[4]) / s(r[0]))
    );
    println!(
        "  looking again when nothing has changed     {:7.2} ms, ratio {:.2} to the first",
        median(&|r| s(r[5]) * 1e3),
        median(&|r| s(r[5]) / s(r[0]))
    );
}
