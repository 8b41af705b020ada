//! Prints how much longer shell texts take to read that are made to be hard, when they are twice as long.
//! `cargo bench -p vectorum-core --bench hostile`

#![allow(clippy::print_stdout)]

use std::time::Instant;

use bytes::Bytes;
use vectorum_core::shell::{Dialect, Tree};

/// What is looked for behind each of these is nowhere, or only at the end.
const PIECES: &[&str] = &[
    "\\\"",
    "$",
    "$a",
    "{a,",
    "''",
    "a;",
    "a&",
    "a|",
    "a&&",
    ">a ",
    "`a`",
    "$(a)",
    "$((1))",
    "(",
    "$'\\n'",
    "a[",
    "$a[",
    "$+a[",
    "${a",
    "${a[",
    "${(a",
    "${(U)a}",
    "${a%%b}",
    "a=(b) ",
    "a=(",
    "$((",
    "$[",
    "{a ",
    "<<a ",
    "<<a\n",
    "case a in @(a);; esac;",
    "if a;then b;fi;",
    "f(){ :; };",
    "[[ a =~ (b) ]];",
    "$a:h",
    "é",
    "a[b]=c\n",
    "cat <<E\nx\nE\n",
];
const LENGTH: usize = 100_000;

fn seconds(text: &Bytes, dialect: Dialect) -> f64 {
    (0..5).fold(f64::MAX, |best, _| {
        let begun = Instant::now();
        std::hint::black_box(Tree::of(text, dialect));
        best.min(begun.elapsed().as_secs_f64())
    })
}

fn main() {
    let mut all = Vec::new();
    for dialect in [Dialect::Dash, Dialect::Bash, Dialect::Zsh, Dialect::Ksh, Dialect::Mksh] {
        for piece in PIECES {
            for before in ["", "\"", "A="] {
                let text = |length: usize| Bytes::from([before, &piece.repeat(length / piece.len())].concat());
                let (once, twice) = (seconds(&text(LENGTH), dialect), seconds(&text(2 * LENGTH), dialect));
                all.push((twice / once, twice, format!("{dialect:?} {before:?} {piece:?}")));
            }
        }
    }
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    println!("{} texts of {LENGTH} and of twice as many bytes; the worst of them:", all.len());
    for (ratio, twice, text) in all.iter().take(5) {
        println!("{ratio:.1} times as long, {:.1} ms: {text}", twice * 1e3);
    }
}
