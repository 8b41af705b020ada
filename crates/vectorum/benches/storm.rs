//! Prints what tracing costs: many short programs started by a shell, traced against bare.
//! `cargo bench --bench storm`

#![allow(clippy::print_stdout, clippy::expect_used)]

use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

fn time(command: &mut Command) -> Duration {
    let begun = Instant::now();
    let status = command.stdin(Stdio::null()).stdout(Stdio::null()).status().expect("it starts");
    assert!(status.success());
    begun.elapsed()
}

fn main() {
    let storms = [
        ("dash", "i=0; while [ $i -lt 3000 ]; do /bin/true; i=$((i+1)); done"),
        ("bash", "export X; for ((i = 0; i < 3000; i++)); do X=$i /bin/true; done"),
    ];
    let recording = std::env::temp_dir().join(format!("vectorum-storm-{}.jsonl", std::process::id()));
    for (shell, script) in storms {
        let mut ratios = Vec::new();
        let (mut bare_times, mut traced_times) = (Vec::new(), Vec::new());
        for _ in 0..15 {
            let bare = time(Command::new(shell).args(["-c", script]));
            let mut traced = Command::new(env!("CARGO_BIN_EXE_vectorum"));
            let traced = time(traced.args(["trace", "-o"]).arg(&recording).args(["--", shell, "-c", script]));
            ratios.push(traced.as_secs_f64() / bare.as_secs_f64());
            bare_times.push(bare.as_secs_f64());
            traced_times.push(traced.as_secs_f64());
        }
        let text = std::fs::read_to_string(&recording).unwrap_or_default();
        let receipts = text.lines().filter(|l| l.starts_with("{\"exec\"")).count();
        let confirmed = text.lines().filter(|l| l.contains("\"certainty\":\"confirmed\"")).count();
        let median = |values: &mut Vec<f64>| {
            values.sort_by(f64::total_cmp);
            values.get(values.len() / 2).copied().unwrap_or(0.0)
        };
        let (bare, traced, ratio) = (median(&mut bare_times), median(&mut traced_times), median(&mut ratios));
        println!(
            "3,000 programs from {shell}: bare {bare:.2} s, traced {traced:.2} s, ratio {ratio:.2}; {receipts} receipts, {confirmed} confirmed"
        );
    }
    // It may never have been made.
    let _ = std::fs::remove_file(recording);
}
