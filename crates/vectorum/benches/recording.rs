//! Prints what opening a long recording takes, in time and memory, against parsing its lines.
//! `cargo bench --bench recording`

#![allow(clippy::print_stdout, clippy::expect_used)]

use std::io::BufWriter;
use std::path::Path;
use std::process::Command;
use std::time::Instant;

use vectorum::bench::open_recording;
use vectorum_core::{Block, Certainty, Exit, Fingerprinter};
use vectorum_trace::{NewReceipt, Values, Writer};

const RECEIPTS: i32 = 100_000;

/// Writes a recording of many short programs that share one block.
fn write(path: &Path) {
    let block = Block::from_vars((0..40).map(|n| (format!("BERTH_SETTING_{n}"), format!("a value of usual length, number {n}"))));
    let out = BufWriter::new(std::fs::File::create(path).expect("a file"));
    let mut writer = Writer::begin(out, Values::Masked, Fingerprinter::new([5; 32]), &[b"make"], 1).expect("written");
    for n in 0..RECEIPTS {
        let shard = (n % 50).to_string();
        let argv: [&[u8]; 3] = [b"cc", b"-c", shard.as_bytes()];
        let (pid, ppid, at_ms) = (100 + n, if n == 0 { 1 } else { 100 + n / 20 }, n as u64);
        let (exe, path, certainty) = (&b"/usr/bin/cc"[..], &b"/usr/bin/cc"[..], Certainty::Confirmed);
        let seq = writer.receipt(&NewReceipt { pid, ppid, at_ms, exe, path, argv: &argv, certainty, block: &block });
        writer.exit(seq.expect("written"), Exit::Status(0), at_ms + 3).expect("written");
    }
    writer.end(RECEIPTS as u64).expect("written");
}

/// The most memory that this process has used, in MiB.
fn peak() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").expect("/proc");
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).expect("Linux tells it");
    line.trim().trim_end_matches(" kB").parse::<f64>().expect("a number") / 1024.0
}

fn main() {
    let path = std::env::temp_dir().join("vectorum-bench-recording.jsonl");
    // A process of its own, so that only the opening counts.
    if std::env::args().any(|a| a == "--memory") {
        let before = peak();
        let opening = open_recording(&path);
        println!("{:.1} MB of memory in all for {} receipts, {before:.1} of them before", peak(), opening.receipts);
        return;
    }
    write(&path);
    let mut ratios = Vec::new();
    let (mut firsts, mut wholes) = (Vec::new(), Vec::new());
    for _ in 0..15 {
        let bytes = std::fs::read(&path).expect("readable");
        let begun = Instant::now();
        let mut lines = 0;
        for line in bytes.split(|b| *b == b'\n').filter(|l| !l.is_empty()) {
            let json: serde_json::Value = serde_json::from_slice(line).expect("JSON");
            lines += usize::from(json.is_object());
        }
        let parsed = begun.elapsed();
        assert!(lines > RECEIPTS as usize);
        let opening = open_recording(&path);
        ratios.push(opening.whole.as_secs_f64() / parsed.as_secs_f64());
        firsts.push(opening.first_frame.as_secs_f64() * 1e3);
        wholes.push(opening.whole.as_secs_f64() * 1e3);
    }
    for list in [&mut ratios, &mut firsts, &mut wholes] {
        list.sort_by(f64::total_cmp);
    }
    println!(
        "{RECEIPTS} receipts: first frame after {:.1} ms, all indexed and drawn after {:.0} ms; {:.2} of the time of parsing the lines",
        firsts[7], wholes[7], ratios[7]
    );
    let own = std::env::current_exe().expect("this program");
    Command::new(own).arg("--memory").status().expect("it starts again");
    let _ = std::fs::remove_file(path);
}
