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

/// Builds a small crate, its folder of results removed before.
fn build(folder: &std::path::Path, traced: Option<&std::path::Path>) -> Duration {
    // The first time it is not there yet.
    let _ = std::fs::remove_dir_all(folder.join("target"));
    let mut command = match traced {
        Some(recording) => {
            let mut command = Command::new(env!("CARGO_BIN_EXE_vectorum"));
            command.args(["trace", "-o"]).arg(recording).args(["--", env!("CARGO")]);
            command
        }
        None => Command::new(env!("CARGO")),
    };
    time(command.args(["build", "-q", "--offline"]).current_dir(folder).env("CARGO_TARGET_DIR", folder.join("target")))
}

fn small_crate() -> std::path::PathBuf {
    let folder = std::env::temp_dir().join(format!("vectorum-small-{}", std::process::id()));
    std::fs::create_dir_all(folder.join("src")).expect("a folder");
    std::fs::write(folder.join("Cargo.toml"), "[package]\nname = \"lanes\"\nedition = \"2024\"\n[workspace]\n").expect("a file");
    let functions: String = (0..300)
        .map(|n| {
            format!(
                "pub fn lane_{n}(berths: &[u32]) -> String {{ berths.iter().map(|b| format!(\"{{b:>5}} of {n}\")).collect() }}\n"
            )
        })
        .collect();
    std::fs::write(folder.join("src/lib.rs"), functions).expect("a file");
    std::fs::write(folder.join("src/main.rs"), "fn main() { println!(\"{}\", lanes::lane_3(&[1, 2])); }\n").expect("a file");
    folder
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
    let folder = small_crate();
    build(&folder, None);
    let pairs = (0..15).map(|_| (build(&folder, None).as_secs_f64(), build(&folder, Some(&recording)).as_secs_f64()));
    let mut ratios: Vec<f64> = pairs.map(|(bare, traced)| traced / bare).collect();
    ratios.sort_by(f64::total_cmp);
    println!("building a small crate: ratio {:.3}", ratios.get(7).copied().unwrap_or(0.0));
    let _ = std::fs::remove_dir_all(folder);
    // It may never have been made.
    let _ = std::fs::remove_file(recording);
}
