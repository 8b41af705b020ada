//! Prints how much longer shell texts take to read, and to follow, that are made to be hard, when they are twice as long.
//! `cargo bench -p vectorum-core --bench hostile`

#![allow(clippy::print_stdout)]

use std::time::Instant;

use bytes::Bytes;
use vectorum_core::route::{Account, Forecast, Ground, shell_script};
use vectorum_core::shell::{Dialect, Tree};
use vectorum_core::{Block, MemoryTree};

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
    "if [[ a ]] {",
    "if ((a)) b;",
    "for a (b) c;",
    "repeat 2 ",
    "[[ a = <1-2> ]];",
    "[[ a = <1",
    "f(){ :; };",
    "[[ a =~ (b) ]];",
    "$a:h",
    "é",
    "a[b]=c\n",
    "cat <<E\nx\nE\n",
];
const LENGTH: usize = 100_000;

/// Lines that are followed again and again, each time with another number for `#`. What `maybe` comes to is not known.
const LINES: &[&str] = &[
    "export A#=1",
    "export A=$A:#",
    "maybe && export A#=1",
    "autoload a#; autoload add-zsh-hook; add-zsh-hook precmd a#",
    "chpwd() { A=$A#; }; cd /etc",
    "L[#]=a; shift L; [[ a =~ b# ]]",
    "repeat 9 { A=$A#; }",
    "if maybe; then export A#=1; else B#=2; fi",
    "case $(maybe) in a) A#=1 ;; b) B#=2 ;; esac",
    "A#=$(B=1; echo $B)",
    "A#=1; (B=2)",
    "A#=1; B=2 | C=3",
    "A#=1; B=2 &",
    "A#=1; eval \"$(maybe)\"",
    "A#=1; [ -n \"$(maybe)\" ] && return",
    "A#=1; maybe && exit",
    "f#() { A#=1; }; f#",
    "maybe && f#() { A#=1; }",
    "f#() { local A#=1; maybe && return; B#=2; }; f#",
    "unset A#",
    "A#=1; maybe && unset A#",
    "alias a#=b",
    "alias a=b#; a",
    "maybe && alias a#=b",
    "alias a#=b; unalias -a",
    "A+=(a#)",
    "A=(\"${A[@]}\" a#)",
    "PATH=$PATH:/opt/a#; nowhere",
    "f() { A#=1; maybe && f; }; f",
    "trap 'f' EXIT; f() { A#=1; }",
    "f#() { eval \"$1\"; }; f# 'A#=1; [ $A# = 1 ] && B#=2'",
    "if maybe; then A#=1",
    "maybe && (A#=1; maybe && exit; echo $A#)",
    "A=$A$(echo #)",
    "export A#=~/#; cd /tmp; cd -",
    "for i in $A; do B=$i; done; A=\"$A a#\"",
    "case $A in *a#*) B=1 ;; esac; A=$A:a#",
    "A=\"${A#*:}:${A%:*}:#\"; A=${A//a/bb}a",
    "readonly A#=1",
    "A#=1; while maybe; do A#=x$A#; done",
    "A#=1; while maybe; do B=x$A#; maybe && break; done",
    "A#=1; for i in $(maybe); do A#=$i; done",
    "A#=1; for i in a b; do maybe && continue; C#=$i; done",
    "maybe && set -a; A#=1; set +a",
    "A#=1; B#=2 maybe",
    "trap 'A#=1' EXIT",
    "A#=1; mkdir /tmp/a#; [ -d /tmp/a# ] && B#=2",
    "A=${A#:-$(maybe)}; B#=${A:=x}",
    "set -- a$# \"$@\"; A=$1",
    "A#=\"$B#$(maybe)\"; maybe || A#=\"\"",
];
const FISH_LINES: &[&str] = &[
    "set -gx A# 1",
    "set -gx A $A:#",
    "set -a A a#",
    "set -gx PATH $PATH /opt/a#; nowhere",
    "function f; set -g A# 1; maybe; and f; end; f",
    "function f --on-event x; set -g A# 1; end",
    "for i in $A; set B $i; end; set -a A a#",
    "set A \"$A\"#; set B (string split : $A)",
    "if maybe; set -g A# 1",
    "maybe; and set -gx A# 1",
    "if maybe; set -gx A# 1; else; set B# 2; end",
    "switch (maybe); case a; set A# 1; case b; set B# 2; end",
    "set A# (set B 1; echo $B)",
    "set -g A# 1; begin; set -l B 2; end",
    "set -g A# 1; eval (maybe)",
    "set -g A# 1; maybe; and return",
    "function f#; set -g A# 1; end; f#",
    "maybe; and function f#; set -g A# 1; end",
    "function f#; set -l A# 1; maybe; and return; set -g B# 2; end; f#",
    "set -g A# 1; maybe; and set -e A#",
    "set -g A# 1; while maybe; set A# x$A#; end",
    "set -g A# 1; for i in (maybe); set A# $i; end",
    "set -g A# 1; for i in a b; maybe; and continue; set -g C# $i; end",
    "set -gx A $A a#; set -g B#",
    "fish_add_path /opt/a#",
    "alias a#=b",
    "set -g A# 1; mkdir /tmp/a#; test -d /tmp/a#; and set -g B# 2",
];
const COUNT: usize = 1_500;

fn seconds(text: &Bytes, dialect: Dialect) -> f64 {
    (0..5).fold(f64::MAX, |best, _| {
        let begun = Instant::now();
        std::hint::black_box(Tree::of(text, dialect));
        best.min(begun.elapsed().as_secs_f64())
    })
}

/// How long a script takes to follow.
fn seconds_to_follow(text: &str, shell: &str) -> f64 {
    let programs = ["env", "mkdir", "maybe", shell];
    let mut host = MemoryTree::default().with_programs("/usr/bin", programs);
    host.file("/home/odile/script", format!("{text}\n/usr/bin/env -0\n"), false);
    let shell = format!("/usr/bin/{shell}");
    let odile = Account { name: "odile".into(), uid: 1000, gid: 1000, home: "/home/odile".into(), shell: shell.clone().into() };
    let accounts = [odile];
    let [odile] = &accounts;
    let script: Option<(&[u8], &[u8])> = Some((b"/home/odile/script", b"/usr/bin/env"));
    (0..3).fold(f64::MAX, |best, _| {
        let ground = Ground::new(&host, &accounts);
        let begun = Instant::now();
        let mut out = Forecast::begin(&Block::from_vars([("PATH", "/usr/bin"), ("HOME", "/home/odile")]));
        shell_script(&mut out, &ground, shell.as_bytes(), script, odile, b"/home/odile");
        std::hint::black_box(out);
        best.min(begun.elapsed().as_secs_f64())
    })
}

fn follow() -> Vec<(f64, f64, String)> {
    let mut all = Vec::new();
    for (shell, lines) in
        [("dash", LINES), ("bash", LINES), ("zsh", LINES), ("ksh", LINES), ("mksh", LINES), ("fish", FISH_LINES)]
    {
        for line in lines {
            let text = |count: usize| (0..count).map(|n| line.replace('#', &n.to_string()) + "\n").collect::<String>();
            let (once, twice) = (seconds_to_follow(&text(COUNT), shell), seconds_to_follow(&text(2 * COUNT), shell));
            all.push((twice / once, twice, format!("{shell} {line:?}")));
        }
    }
    all
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
    print_worst(all, &format!("texts of {LENGTH} and of twice as many bytes read"));
    print_worst(follow(), &format!("scripts of {COUNT} and of twice as many lines followed"));
}

/// Prints those that grow most, and those that take longest.
fn print_worst(mut all: Vec<(f64, f64, String)>, what: &str) {
    let print = |all: &[(f64, f64, String)]| {
        for (ratio, twice, text) in all.iter().take(5) {
            println!("{ratio:.1} times as long, {:.1} ms: {text}", twice * 1e3);
        }
    };
    println!("{} {what}; the worst of them:", all.len());
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    print(&all);
    println!("the longest of them:");
    all.sort_by(|a, b| b.1.total_cmp(&a.1));
    print(&all);
}
