//! Prints how long each key takes on a host of 5,000 processes with 100 names each, and how the
//! memory grows with the processes. `cargo bench --bench keys`

#![allow(clippy::print_stdout, clippy::expect_used)]

use std::process::Command;
use std::time::Duration;

use vectorum::bench::{Timing, hostile_world, keys, world};

/// Bytes of this process's memory that are in use (proc(5), `Private_Dirty` would be slower).
fn resident() -> u64 {
    let statm = std::fs::read_to_string("/proc/self/statm").unwrap_or_default();
    statm.split(' ').nth(1).and_then(|p| p.parse::<u64>().ok()).unwrap_or(0) * 4096
}

fn main() {
    let arguments: Vec<String> = std::env::args().collect();
    if let [_, what, processes, distinct] = arguments.as_slice()
        && what == "memory"
    {
        return measure(processes.parse().expect("a number"), distinct == "true");
    }
    println!("work for one key, 40 processes with blocks of nearly 2 MB each, full of hostile bytes:");
    print(keys(hostile_world(40)));
    println!("work for one key, 5,000 processes with 100 names each, all blocks distinct (a frame is 16 ms):");
    print(keys(world(5000, true)));
    println!("memory for so many processes, each measured in a process of its own:");
    for distinct in [true, false] {
        for processes in [1250, 2500, 5000, 10_000] {
            let own = std::env::current_exe().expect("the bench itself");
            let status = Command::new(own).args(["memory", &processes.to_string(), &distinct.to_string()]).status();
            assert!(status.is_ok_and(|s| s.success()));
        }
    }
}

/// Builds one world and prints what it takes.
fn measure(processes: i32, distinct: bool) {
    let before = resident();
    let world = world(processes, distinct);
    let used = resident().saturating_sub(before);
    println!(
        "  {:>6} processes, {:>5} distinct blocks: {:6.1} MiB, {:6.0} bytes a process",
        world.len(),
        world.distinct_blocks(),
        used as f64 / 1048576.0,
        used as f64 / f64::from(processes)
    );
}

fn print(timings: Vec<Timing>) {
    for timing in timings {
        let mut times = timing.times;
        times.sort();
        let at = |percent: usize| times.get((times.len() - 1) * percent / 100).copied().unwrap_or(Duration::ZERO);
        let ms = |d: Duration| d.as_secs_f64() * 1e3;
        println!("  {:<34} median {:6.2} ms   95 % {:6.2} ms   most {:6.2} ms", timing.what, ms(at(50)), ms(at(95)), ms(at(100)));
    }
}
