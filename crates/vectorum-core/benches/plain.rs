//! Prints how fast plain env files are read. `cargo bench -p vectorum-core --bench plain`

#![allow(clippy::print_stdout)]

use std::time::Instant;

use vectorum_core::reader::{READERS, Surroundings};

fn main() {
    let unit = |n: usize| format!("Environment=BERTH_SETTING_{n}=a-value-of-usual-length,number={n}\n");
    let fish = |n: usize| format!("set -gx BERTH_SETTING_{n} a-value-of-usual-length,number={n}\n");
    let conf = |n: usize| format!("BERTH_SETTING_{n} DEFAULT=a-value-of-usual-length,number={n}\n");
    let plain = |n: usize| format!("BERTH_SETTING_{n}=a-value-of-usual-length,number={n}/of/many:with:parts\n");
    let around = Surroundings::default();
    println!("{:<26} {:>9} {:>22}", "reader", "MB/s", "8 times as long takes");
    for reader in READERS {
        let line: &dyn Fn(usize) -> String = match reader.id() {
            "systemd-environment" => &unit,
            "fish" => &fish,
            "pam-env-conf" => &conf,
            _ => &plain,
        };
        let time = |lines: usize| {
            let file: String = (0..lines).map(line).collect();
            let mut best = f64::MAX;
            for _ in 0..7 {
                let begun = Instant::now();
                let reading = reader.read(file.as_bytes(), &around);
                best = best.min(begun.elapsed().as_secs_f64());
                assert_eq!(reading.entries.len(), lines, "{}", reader.id());
            }
            (file.len() as f64 / 1e6, best)
        };
        let ((small, quick), (_, long)) = (time(20_000), time(160_000));
        println!("{:<26} {:>9.0} {:>20.1} x", reader.id(), small / quick, long / quick);
    }
}
