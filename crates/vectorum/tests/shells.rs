//! What is said of shell files against the real shells: made-up files are run by bash, dash, zsh, ksh,
//! mksh and fish, and followed without running anything. What is known must be so; what is said to be absent must be
//! absent. `VECTORUM_ROUNDS` says how many files for each shell, `VECTORUM_SEED` where to begin;
//! `VECTORUM_FILE` names one file to be looked at instead.

#![allow(clippy::expect_used, clippy::panic, clippy::print_stdout, reason = "a test that cannot go on fails")]

#[path = "../../vectorum-core/tests/shell/cases.rs"]
mod cases;
#[path = "shells/words.rs"]
mod words;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use cases::Expected;
use vectorum_core::Block;
use vectorum_core::route::{Account, Forecast, Ground, Held, Reached, shell_script};
use vectorum_host::LiveHost;

/// Numbers that are the same each time, and whether some of what they choose is printed by a program.
struct Dice {
    state: u64,
    veils: bool,
}

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.state ^= self.state << 13;
        self.state ^= self.state >> 7;
        self.state ^= self.state << 17;
        (self.state % sides as u64) as usize
    }

    fn one<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[self.roll(of.len())]
    }
}

const NAMES: &[&str] = &["A", "B", "LIST", "PIER", "MANPATH", "X1"];

/// Values as they stand in a line, for all shells of the Bourne family.
const VALUES: &[&str] = &[
    "one",
    "'two words'",
    "'x  y'",
    "\"$A-$B\"",
    "${B:-none}",
    "${A:+$A:}z",
    "\"${A:+set}\"",
    "$A",
    "\"$LIST:/x\"",
    "~/bin",
    "/a:~/b",
    "\\$A",
    "\"a\\$b\"",
    "''",
    "${A#o}",
    "\"${LIST%%:*}\"",
    "\"${LIST##*/}\"",
    "$((1 + 2 * 3))",
    "$((X1 + 1))",
    "\"$(echo out)\"",
    "`echo tick`",
    "\"$(printf '%s-%s' a b)\"",
    "${#A}",
    "a\\ b",
    "\"it's\"",
    "'say \"x\"'",
    "*.none",
    "\"${A-}\"",
    "${X1:-$((7 % 4))}",
    "\"$?\"",
    "\"$#\"",
    "$(echo \"$A\" | tr o 0)",
    "\"${A:-${B:-deep}}\"",
    "x\"y\"'z'",
    "\"$(id -u)\"",
    "\"$HOME/x\"",
    "${LIST:+$LIST:}/new",
    "$(dirname /a/b/c)",
    "$(basename /a/b.sh .sh)",
    "\"$(command -v env)\"",
];

/// Values for shells that have more.
const RICH_VALUES: &[&str] =
    &["$'tab\\there'", "${A/o/0}", "${A//o/0}", "\"${A:1}\"", "\"${A:0:2}\"", "{a,b}", "$'\\x41'", "\"${LIST//:/ }\""];
const BASH_VALUES: &[&str] = &["${A^^}", "${A,,}", "\"${A^}\""];

/// Statements; N, M stand for names, V for a value, S for another statement.
const STATEMENTS: &[&str] = &[
    "N=V",
    "export N=V",
    "N=V; export N",
    "export N",
    "unset N",
    "N=V M=V",
    "export N=V M=V",
    "if [ -n \"$N\" ]; then S; else S; fi",
    "[ -z \"${N-}\" ] && S",
    "[ -d /etc ] && S || S",
    "case \"$N\" in o*) S ;; *words) S ;; '') S ;; *) S ;; esac",
    "for i in a b c; do N=\"$N$i\"; done",
    "f() { N=V; S; }; f",
    "f() { local_one=$1; N=\"$1-$2\"; return 3; }; f x 'y z'",
    "set -a; S; set +a",
    "{ S; S; }",
    "( S )",
    "{ S; } & wait",
    "N=V true",
    "N=V :",
    "! [ -e /none ] && S",
    "while [ \"${#N}\" -lt 5 ]; do N=\"${N}x\"; done",
    ": \"${N:=V}\"",
    "eval \"N=V\"",
    "eval 'export N=V'",
    "N=$(S; echo \"$M\")",
    "test \"$N\" = one && S",
    "set -- a 'b c' d; N=\"$2$#\"; shift; M=$1",
    "for d in \"$@\"; do N=\"$N$d\"; done",
    "set -- \"$N\" '' V; f() { M=$#; }; f \"$@\"",
    "f() { N=$#:$2; g \"$@\"; }; g() { M=$#$1; }; f '' \"$M\"",
    "f() { N=$#; }; f \"$M$@\" ''$N \"$@\"$N",
    "set --; for d in \"$@\" \"${@-V}\" \"${@:-V}\"; do N=\"$N,$d\"; done",
    "if true; then S; fi; S",
    "until [ -n \"$N\" ]; do N=x; done",
    "case $- in *i*) S ;; *) S ;; esac",
    "N=${M:-V}",
    "if [ \"$N\" != \"$M\" ] || false; then S; fi",
    "i=0; while [ $i -lt 3 ]; do i=$((i + 1)); N=\"$N$i\"; [ $i -eq 2 ] && break; done",
    "for i in 1 2 3; do [ $i = 2 ] && continue; N=$N$i; done",
    "read N <<END\nline one\nEND",
    "read N M <<'END'\none\\\ntwo three\nEND",
    "N=$(cat <<END\nx $M \"y\" \\$z `echo in`\nEND\n)",
    "N=$(cat <<'END'\nx $M\n\tEND\nEND\n)",
    "while read -r line; do N=\"$N$line\"; done <<END\na\nb ${M:+set}\nEND",
    "{ read N; read M; S; } <<-END\n\tone\n\ttwo\n\tEND",
    "{ ( read N ); read M; N=$(cat; S); } <<END\none\ntwo\nthree\nEND",
    "/bin/true V; N=$?",
    "echo \"$N\" >/dev/null; S",
    "cd / && N=$PWD",
    "readonly RO=V",
    "N=V # a comment",
    "if [ -f /etc/passwd ] && [ ! -d /none ]; then S; fi",
    "N=V;M=V",
    "[ \"$N\" ] || N=V",
    "f() { S; }; f; S",
    "f() { [ -n \"$1\" ] || return; N=$1; }; f V; f",
    "true && S; false || S",
    "export N=\"V\"",
    "N=\"${N:+$N:}/p\"",
    "case :$LIST: in *:/x:*) ;; *) LIST=$LIST:/x; export LIST ;; esac",
    "trap 'true' INT; S",
    "IFS=:; for p in $LIST; do N=\"$N[$p]\"; done; unset IFS",
    "alias none=true; S",
    "N=`echo \\`echo in\\``",
    "command export N=V",
    "if ! command -v no-such-program >/dev/null 2>&1; then S; fi",
    "type env >/dev/null 2>&1 && S",
    "umask 022; S",
    "alias e=export; e N=V",
    "alias e=export\ne N=V",
    "alias e=export\nf() { e N=V; }\nunalias e\nf",
    "N=$(</etc/hostname); M=$(<.none)",
    "if hash env 2>/dev/null; then S; else S; fi",
    "f() { N=${A^^}; S; }; f",
    "N=${A@Q}; S",
    "( N=${A/o/0} ); S",
];

const RICH: &[&str] = &[
    "N+=V",
    "export N+=V",
    "[[ $N == o* ]] && S",
    "[[ -n $N && $M != x ]] && S || S",
    "(( X1 = 4 )); S",
    "if [[ \"$N\" =~ ^o ]]; then S; fi",
    "typeset -x N=V",
    "for ((i = 0; i < 3; i++)); do N=$N$i; done",
    "N=(a b c); M=\"${N[*]}\"",
    "f() { local N=V; export M=$N; }; f",
    "f() { local N; N=V; S; }; f",
    "while read -r word; do N=$N$word; done <<< 'a'",
    "function g { N=V; }; g",
    "let X1=2+3",
    "case $N in one) S ;& *) S ;; esac",
];
/// Statements for ksh and mksh.
const KORN: &[&str] = &[
    "f() { typeset N=V; S; }; f",
    "f() { typeset -x N=V; }; f; S",
    "N=$(whence -p env); if whence no-such >/dev/null; then S; else S; fi",
    "function g { typeset N=V; export M=$N; S; }; g",
    "function g { typeset -x N=V; }; g; S",
    "function g { readonly RO=V; RO=V; N=V; }; g; S",
    "function g { : \"${NONE?}\"; N=V; }; g; S",
    "typeset -x N=V",
    "[[ $N == o* ]] && S",
    "print -r -- x >/dev/null; S",
];
const BASH: &[&str] = &[
    "declare -A T=([one]=V [b]=2); export N=${T[one]} M=${#T[@]}; [[ -v T[b] ]] && S",
    "declare -A T; T[o]=V; T[$A]=x; unset 'T[o]'; export N=\"${!T[*]}${T[one]}\" M=${T[o]-gone}",
    "l=(a 'b c' d V); export N=\"${l[*]:1:2}\"; for i in \"${l[@]: -2}\"; do M=$M.$i; done; export M",
    "set -- a b 'c d'; N=\"${*:2}\"; for i in \"${@:2:1}\"; do M=$i; done; export N M",
    "for i in {a..c} {3..1} {01..03..2}; do N=$N$i; done; export N",
    "N=$(echo V:V | tr : '\\n' | sort -u | head -n 1); M=$(echo V | sed 's/o/0/g;s/^t//'); export N M",
    "N=$(echo \"V:a:V\" | awk -v RS=: -v ORS=: '!s[$0]++' | sed 's/:*$//'); export N",
    "N=$(seq -s, 3); M=$(printf '%03d|%-4s|%.2s' 7 V V); export N M",
    "N=$(type -t f true if id nope); M=$(type -t f); export N M",
    "declare -x N=V",
    "declare N=V",
    "export -n N",
    "printf -v N '%s/%s' a b",
    "N=V; N=${!N}",
    "shopt -s extglob; S",
    "source /dev/null; S",
    "mapfile X <<< 'a'; S",
    "set -u; S; set +u",
    "IFS='=' read -r N M <<< 'a b=c=d '",
    "IFS=: read -ra N <<< \"$LIST\"; M=${#N[@]}",
    "read -r -d '' N <<'END'\n one\ntwo\nEND",
    "mapfile -t N <<< $'x\\ny'; M=${N[1]}",
    "declare -n REF=N; REF=V; S; unset -n REF",
    "[[ $N == @(o*|two) ]] && S || S",
    "[[ $N != !(one|t*) ]] && S",
    "N=${BASH_SOURCE[0]##*/}",
    "N=$FUNCNAME; S",
    "case $N in +([a-z])) S ;; esac",
    "N=\"$(cd -P / && pwd)\"",
];
const ZSH: &[&str] = &[
    "l=(V V o); export N=$#l; for i in V; do M=\"$M-$i\"; done; export M",
    "l=(one 'b c' '' b one); N=(V); export M=\"$#N:${(j:|:)N}\"",
    "l=(/usr/bin ~/x b); export N=V M=V",
    "set -- one two b; for i in V; do N=$N.$i; done; l=(V); export N M=$#l",
    "typeset -A T; T=(one 1 b V); export N=$T[b] M=${#T}; (( $+T[one] )) && S",
    "typeset -A T; T[o]=V; unset 'T[b]'; export N=\"${(k)T}=${(v)T}\" M=${T[o]}; T[b]=2; export M=${T[b]}${#T}",
    "l=(x${^path}y V); export N=\"${(F)l}\"",
    "[[ V == V ]] && S; case V in V) S ;; esac",
    "path=(/z $path)",
    "typeset -gx N=V",
    "N=(x y); M=\"$N\"",
    "export N=$M$M",
    "setopt no_nomatch; S",
    "[[ $N == (o*|two) ]] && S || S",
    "N=${HOME:t}",
    "N=$HOME:h:t",
    "N=${LIST:r}; M=${N:e}",
    "export N=${(U)A}",
    "N=${(j:,:)path}; M=(${(s:/:)LIST}); N=$M[2]",
    "for d (a b) { N=$N$d }",
    "for d (a b) N=$N$d; S",
    "() { local q=V; N=$q } x y",
    "f() { N=V }; f; S",
    "(( $+commands[env] )) && S",
    "(( ${+N} )) && S || S",
    "if (( $+functions[f] )) { S } else { S }",
    "N=(a b c); M=$N[2]",
    "typeset -U path PATH; path=(/z /z $path)",
    "emulate sh -c 'N=\"a b\"; for i in $N; do M=$M$i; done; X1=*.none'",
    "[[ -o interactive ]] && S",
    "HISTSIZE=10; S",
    "integer X1=4; X1+=2; N=$X1",
    "typeset -T TIDES tides; tides=(a b); N=$TIDES",
    "setopt extended_glob; S",
    "N=${ZSH_SUBSHELL}; S",
    "f() { ls V >/dev/null; N=$?; S; }; f",
    "N=${M:+V}",
    "print -r -- x >/dev/null; S",
];

const FISH_VALUES: &[&str] = &[
    "one",
    "'two words'",
    "\"$A-$B\"",
    "$A",
    "a b c",
    "$LIST",
    "(echo out)",
    "\"(x)\"",
    "$A$B",
    "~/bin",
    "a\\ b",
    "''",
    "$LIST /x",
    "\"it's\"",
    "(echo $A)",
    "$argv",
];
const FISH: &[&str] = &[
    "set -gx N V",
    "set -x N V",
    "set N V",
    "set -g N V",
    "set -e N",
    "set -q N; and S",
    "set -q N; or S",
    "if test -n \"$N\"; S; else; S; end",
    "begin; S; S; end",
    "for i in a b; set -gx N \"$N$i\"; end",
    "switch \"$N\"; case 'o*'; S; case '*'; S; end",
    "function f; set -gx N V; S; end; f x y",
    "set -a N V",
    "set -p N V",
    "export N=V1",
    "set -gx --path N /a /b",
    "not set -q N; and S",
    "test -d /etc; and S; or S",
    "set -l N V; S",
    "begin; set -lx N V; end",
    "set -u N",
    "if set -q N; S; else if test 1 = 2; S; else; S; end",
    "true && S",
    "false || S",
    "eval 'set -gx N V'",
    "set -gx N",
    "function g; set -q argv[1]; or return; set -gx N $argv[1]; end; g V; g",
    "set -gx N (count a b c)",
    "contains one $LIST; and S",
    "set -f N V",
    "for i in (cat /etc/hostname); set -gx N x$i; end",
    "set -l pair (string split -m 1 = x=y=z); set -gx N $pair[2]",
    "string match -q 'o*' \"$N\"; and S; or S",
    "set -gx N (string replace -a o 0 one) (string upper a$N)",
    "for f in (/bin/ls /none 2>/dev/null); S; end",
    "for f in (/bin/ls -d /etc); set -gx N $f; set -e M; end",
    "set -gx N (string join , a V)",
    "switch (uname); case Linux; S; case '*'; S; end",
    "for i in a b c; test $i = b; and continue; S; set -gx N \"$N$i\"; end",
    "for i in a b c; if test \"$i\" = \"$N\"; break; end; S; end; set -gx M x$i",
    "for N in a V; S; end",
    "while not set -q N[3]; set -a N x$A; S; end",
    "while ping -c1 nohost 2>/dev/null; S; break; end",
    "function f -a p q; set -gx N $q $p; S; end; f V x",
    "function f -S; S; set N V; end; f",
    "function f -V N; set -gx M $N; S; end; S; f",
    "begin; set -l N V; function f; S; end; f; set -gx M \"$N\"; end",
    "N=plain begin; S; S; end",
    "begin; S; end | begin; S; end",
    "echo one two | read -gx N M; S",
    "printf 'a\\nb\\n' | while read -l l; set -gx N \"$N$l\"; S; end",
    "set -gx N $M[1] $LIST[-1..1] $LIST[2..9]",
    "set N[2] x$A; set -e M[1]",
    "S; set -gx N $status",
    "set N (false); or S",
    "if set -l k (string match 'o*' \"$N\"); set -gx M $k; S; end",
    "test -n \"$N\" -a \"$M\" != one; and S",
    "begin; S; end >/dev/null; S",
    "begin; S; end 2>/none/x",
    "set -gx N {a,b}c $A{x,y} x$M",
    "alias k 'set -gx N'; k V",
    "function k; set -gx M V; end; functions -e k; k 2>/dev/null; set -gx N $status",
    "function h --on-event never; set -gx N V; end; S",
    "function h --on-variable N; set -gx M V; end; S",
    "function f; S; if set -q N; return 2; end; S; end; f; set -gx M $status",
    "echo 'set -gx N plain' | source",
    "echo 'set -l N in; set -gx M \"$argv\"' > part; source part a b; set -gx N $status",
    "not S; and S; or S",
    "set -lx N V; function f; set -gx M \"$N\"; set N in; end; f",
];

/// Values and statements that hang on what a program prints, or how it ends, which nobody can know.
const VEILED_VALUES: &[&str] = &[
    "\"$(echo 'one two' | tee)\"",
    "$(echo one | tee)",
    "\"$(true | tee)\"",
    "$(echo 3 | tee)",
    "\"${B:-$(echo b | tee)}\"",
    "$(echo x:y | tee)z",
];
const VEILED: &[&str] = &[
    "tee </dev/null && S",
    "tee </dev/null || S; S",
    "if tee </dev/null; then S; else S; fi",
    "if [ \"$(echo one | tee)\" = one ]; then S; else S; fi",
    "case $(echo one | tee) in o*) S ;; *) S ;; esac",
    "for i in $(echo a b | tee); do N=$N$i; S; done",
    "for i in $(true | tee) c; do S; done; S",
    "N=$(echo one | tee); S",
    "export N=\"$(echo 'a b' | tee)\"; S",
    "[ -n \"$(true | tee)\" ] || S",
    "N=$(echo 5 | tee); M=$((N + 1)); S",
    "N=2 M=$(echo 5 | tee); export N=$((N + M)) M",
    "set -- $(echo 'a b' | tee); N=$#$1; S",
    "while [ \"$(echo no | tee)\" = yes ]; do S; done",
    "f() { tee </dev/null || return; S; }; f; S",
    "f() { N=$1; M=$#; S; }; f $(echo 'a b' | tee)",
    "cd \"$(echo / | tee)\"; N=$PWD; S",
    ": ${N:=$(echo one | tee)} ${M:=V}; S",
    "N=$(echo '' | tee); : \"${N:=V}\" \"${M:-${N:=V}}\"; S",
    "$(echo true | tee) && S",
    "{ tee </dev/null; S; } >/dev/null; S",
    "N=$(tee </dev/null; S; echo \"$M\")",
    "read N <<END\n$(echo one | tee) x\nEND\nS",
    "tee </dev/null; M=$?; S",
    "IFS=$(echo : | tee); N=$LIST; for i in $N; do M=$M-$i; done; unset IFS; S",
];
const VEILED_FISH_VALUES: &[&str] =
    &["(echo 'one two' | tee)", "(printf 'a\\nb\\n' | tee)", "(true | tee)", "\"$(echo x | tee)\"", "x(echo y | tee)"];
const VEILED_FISH: &[&str] = &[
    "tee </dev/null; and S",
    "tee </dev/null; or S; S",
    "if tee </dev/null; S; else; S; end",
    "if test (echo one | tee) = one; S; else; S; end",
    "switch (echo one | tee); case 'o*'; S; case '*'; S; end",
    "for i in (printf 'a\\nb\\n' | tee); set -gx N \"$N$i\"; S; end",
    "for i in (true | tee) c; S; end; S",
    "set N (echo one | tee); S",
    "set -gx N (true | tee); S",
    "test -n \"$(true | tee)\"; or S",
    "set N $N (printf 'a\\nb\\n' | tee); set -gx M (count $N); S",
    "set -gx N $M[(echo 1 | tee)]; S",
    "while test (echo no | tee) = yes; S; end",
    "function f; tee </dev/null; or return; S; end; f; S",
    "function f -a p; set -gx N $p; set M (count $argv); S; end; f (printf 'a\\nb\\n' | tee)",
    "cd (echo / | tee); set -gx N $PWD; S",
    "echo (printf 'a\\nb\\n' | tee) (set -gx N V); S",
    "tee </dev/null; set -gx M $status; S",
    "echo one | tee | read -gx N; S",
    "set -q (echo A | tee); and S",
    "set -l N (echo x | tee); S; set -gx M $N",
    "begin; tee </dev/null; S; end | tee; S",
    "N=(echo x | tee) begin; S; end; S",
    "string match -q 'o*' (echo one | tee); and S",
];

/// A parameter as zsh alone writes it.
fn shaped(dice: &mut Dice, depth: usize) -> String {
    const FLAGS: &[&str] = &[
        "", "", "", "@", "U", "L", "C", "j.:.", "j:, :", "s.:.", "s: :", "f", "F", "u", "o", "O", "Oa", "M", "S", "MS", "q",
        "qq", "Q", "P", "k", "v", "l:5::-:", "r:4:", "@s.:.", "@f", "us.:.", "os:o:", "j.-.s.o.", "%", "e", "M@", "pj:\\n:",
        "ps:\\n:",
    ];
    const MARKS: &[&str] = &["", "", "", "", "=", "^", "~", "#"];
    const SUBSCRIPTS: &[&str] = &[
        "", "", "", "", "[1]", "[-1]", "[2,3]", "[2,-1]", "[-2,-1]", "[@]", "[*]", "[0]", "[9]", "[(r)o*]", "[(R)*e]", "[(i)b]",
        "[(I)b]", "[(re)b]", "[(Ie)zz]", "[1][2]", "[$#N]", "[1,2][1]",
    ];
    const STEPS: &[&str] = &[
        "",
        "",
        "",
        "",
        ":-none",
        ":+some",
        "#o",
        "##*[:/]",
        "%e",
        "%%:*",
        "/o/0",
        "//[a-n]/x",
        "/#/y",
        "/%/z",
        ":#o*",
        ":#*:*",
        ":t",
        ":h",
        ":r",
        ":e",
        ":t:r",
        ":s/o/xx/",
        ":gs/e/E/",
        ":1",
        ":1:2",
        ":l",
        ":u",
        "-plain",
        ":h:t",
    ];
    const LISTS: &[&str] = &["A", "LIST", "path", "B", "PIER", "l", "M", "N", "T", "1", "@", "*"];
    let flags = dice.one(FLAGS);
    let flags = if flags.is_empty() { String::new() } else { format!("({flags})") };
    let of = match dice.roll(6) {
        0 if depth < 2 => shaped(dice, depth + 1).trim_matches('"').to_owned(),
        1 if depth < 2 => format!("\"{}\"", shaped(dice, depth + 1).trim_matches('"')),
        2 if depth < 2 => "$(echo one /a:b)".to_owned(),
        _ => dice.one(LISTS).to_owned(),
    };
    let out = format!("${{{flags}{}{of}{}{}}}", dice.one(MARKS), dice.one(SUBSCRIPTS), dice.one(STEPS));
    if dice.roll(2) == 0 { format!("\"{out}\"") } else { out }
}

fn statement(dice: &mut Dice, shell: &str, depth: usize) -> String {
    let lists: Vec<&[&str]> = match shell {
        "fish" => vec![FISH],
        "bash" => vec![STATEMENTS, STATEMENTS, RICH, BASH],
        "zsh" => vec![STATEMENTS, STATEMENTS, RICH, ZSH],
        "ksh" | "mksh" => vec![STATEMENTS, STATEMENTS, KORN],
        _ => vec![STATEMENTS],
    };
    let is_veiled = dice.veils && dice.roll(3) == 0;
    let list = match (is_veiled, shell) {
        (true, "fish") => VEILED_FISH,
        (true, _) => VEILED,
        (false, _) => lists[dice.roll(lists.len())],
    };
    let mut out = String::new();
    let template = if depth > 2 { list[0] } else { dice.one(list) };
    let bytes: Vec<char> = template.chars().collect();
    for (at, c) in bytes.iter().enumerate() {
        let is_alone = |at: usize| {
            let word = |c: Option<&char>| c.is_some_and(|c| c.is_ascii_alphanumeric() || *c == '_');
            !word(at.checked_sub(1).and_then(|a| bytes.get(a))) && !word(bytes.get(at + 1))
                || *c == 'N' && bytes.get(at + 1) == Some(&'$')
        };
        match c {
            'N' | 'M' if is_alone(at) => out.push_str(dice.one(NAMES)),
            'V' if is_alone(at) => {
                let values: Vec<&[&str]> = match shell {
                    "fish" => vec![FISH_VALUES],
                    "bash" => vec![VALUES, VALUES, RICH_VALUES, BASH_VALUES],
                    "zsh" => vec![VALUES, VALUES, RICH_VALUES],
                    _ => vec![VALUES],
                };
                let is_veiled = dice.veils && dice.roll(4) == 0;
                let list = match (is_veiled, shell) {
                    (true, "fish") => VEILED_FISH_VALUES,
                    (true, _) => VEILED_VALUES,
                    (false, _) => values[dice.roll(values.len())],
                };
                let shaped = if shell == "zsh" && dice.roll(3) == 0 { shaped(dice, 0) } else { String::new() };
                let value = if shaped.is_empty() { dice.one(list) } else { &shaped };
                // Within quotes a plain word stands for it.
                let in_quotes = template.contains("eval") || bytes.get(at.wrapping_sub(1)) == Some(&'"');
                out.push_str(if in_quotes { "plain" } else { value });
            }
            'S' if is_alone(at) => out.push_str(&statement(dice, shell, depth + 1)),
            c => out.push(*c),
        }
    }
    out
}

/// Some statements, one after the other.
fn file(dice: &mut Dice, shell: &str) -> String {
    let lines: Vec<String> = (0..=dice.roll(7)).map(|_| statement(dice, shell, 0)).collect();
    lines.join("\n")
}

/// Makes up a text for a shell.
type Make = fn(&mut Dice, &str) -> String;

fn start(home: &str) -> impl Iterator<Item = (&str, &str)> {
    cases::START.iter().copied().chain([("HOME", home)])
}

/// What a program received.
type Received = BTreeMap<Vec<u8>, Vec<u8>>;

/// Runs a script for at most so many seconds; `None` if its last command was never reached.
fn real(shell: &str, script: &Path, home: &Path, seconds: &str) -> Option<Received> {
    let mut command = Command::new("timeout");
    command.args(["-k", "1", seconds, shell]);
    match shell {
        "fish" => drop(command.arg("-N")),
        "zsh" => drop(command.arg("-f")),
        _ => {}
    }
    let output = command
        .arg(script)
        .env_clear()
        .envs(start(&home.display().to_string()))
        .current_dir(home)
        .stdin(Stdio::null())
        .stderr(Stdio::null())
        .output()
        .expect("the shell");
    let from = output.stdout.windows(7).rposition(|w| w == b"BEGIN=1")?;
    let from = output.stdout[..from].iter().rposition(|b| *b == 1).map_or(from, |at| at + 1);
    let entries = output.stdout[from..].split(|b| *b == 0).filter_map(|e| {
        let at = e.iter().position(|b| *b == b'=')?;
        Some((e[..at].to_vec(), e[at + 1..].to_vec()))
    });
    Some(entries.collect())
}

fn check(shell: &str, rounds: usize, seed: u64, veils: bool, make: Make) -> (usize, usize, Vec<String>) {
    let folder = tempfile::tempdir().expect("a folder");
    let home = folder.path().canonicalize().expect("its place");
    let own = nix::unistd::geteuid().as_raw();
    let program = format!("/usr/bin/{shell}");
    let program = if Path::new(&program).exists() { program } else { format!("/bin/{shell}") };
    let account = Account {
        name: if own == 0 { "root".into() } else { "nobody".into() },
        uid: own,
        gid: nix::unistd::getegid().as_raw(),
        home: home.display().to_string().into(),
        shell: program.clone().into(),
    };
    let mut dice = Dice { state: seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1, veils };
    let (mut known, mut unknown, mut wrong) = (0, 0, Vec::new());
    for round in 0..rounds {
        let made = make(&mut dice, shell);
        let text = match std::env::var_os("VECTORUM_FILE") {
            Some(path) => fs::read_to_string(path).expect("the file"),
            None => made,
        };
        let script = home.join("script");
        fs::write(&script, format!("{text}\n{}", cases::ending(shell))).expect("a script");
        // Some of what is made up never ends: nothing is learnt from it.
        let real = real(shell, &script, &home, "1");
        // What the text itself writes was not there before it.
        fs::remove_file(home.join("part")).ok();
        let Some(real) = real else { continue };
        let host = LiveHost;
        let ground = Ground::new(&host, std::slice::from_ref(&account));
        let mut forecast = Forecast::begin(&Block::from_vars(start(&home.display().to_string())));
        let path = script.display().to_string();
        shell_script(
            &mut forecast,
            &ground,
            program.as_bytes(),
            Some((path.as_bytes(), b"/usr/bin/env")),
            &account,
            home.display().to_string().as_bytes(),
        );
        let mut tell = |what: String| wrong.push(format!("{shell} {round}: {what}\n---\n{text}\n---"));
        if forecast.reached != Reached::Yes {
            tell(format!("it is said to end before: {:?}", forecast.reached));
            continue;
        }
        let is_judged = |name: &[u8]| name != b"_" && name != b"SHLVL" && name != b"A__z" && name != b"BEGIN";
        for (name, value) in real.iter().filter(|(n, _)| is_judged(n)) {
            let shown = String::from_utf8_lossy(name).into_owned();
            match forecast.get(name).map(|v| &v.held) {
                Some(Held::Known(said)) if said == value => known += 1,
                Some(Held::Known(said)) => tell(format!("{shown} is {:?}, not {said:?}", String::from_utf8_lossy(value))),
                None if forecast.open.is_none() => tell(format!("{shown}={:?} is missing", String::from_utf8_lossy(value))),
                _ => unknown += 1,
            }
        }
        for (name, variable) in forecast.vars().filter(|(n, _)| is_judged(n)) {
            let is_sure =
                matches!(variable.held, Held::Known(_)) || matches!(variable.held, Held::Unknown(_)) && !variable.may_be_absent;
            if is_sure && !real.contains_key(&name[..]) {
                tell(format!("{} is invented: {:?}", String::from_utf8_lossy(name), variable.held));
            }
        }
    }
    (known, unknown, wrong)
}

/// Makes up texts for each shell, so many of them unless it is said otherwise, and fails where one is told wrong.
fn check_all(what: &str, usual: usize, veils: bool, make: Make) {
    let number = |name: &str, usual| std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(usual);
    let (rounds, seed) = (number("VECTORUM_ROUNDS", usual), number("VECTORUM_SEED", 4) as u64);
    let mut failed = Vec::new();
    let only = std::env::var("VECTORUM_SHELLS").unwrap_or_else(|_| "dash bash zsh fish ksh mksh".to_owned());
    for shell in only.split_whitespace() {
        let (known, unknown, wrong) = check(shell, rounds, seed, veils, make);
        println!("{shell:<5} {rounds} {what}: {known} values known and so, {unknown} unknown, {} wrong", wrong.len());
        for line in wrong.iter().take(8) {
            println!("{line}");
        }
        // One that tells nothing would find nothing wrong either.
        let least = if veils { unknown / 5 } else { unknown };
        assert!(known > least, "{shell}: {known} values known, {unknown} unknown");
        failed.extend(wrong);
    }
    assert!(failed.is_empty(), "{} times something else was said than is so", failed.len());
}

#[test]
fn what_is_known_of_shell_files_is_so() {
    check_all("files", 100, false, file);
}

#[test]
fn what_words_are_known_to_become_they_become() {
    check_all("words", 200, false, words::line);
}

#[test]
fn what_hangs_on_the_unknown_is_never_taken_for_known() {
    check_all("veiled words", 200, true, words::line);
    check_all("veiled files", 100, true, file);
}

#[test]
fn the_table_is_so_in_the_real_shells() {
    let folder = tempfile::tempdir().expect("a folder");
    let home = folder.path().canonicalize().expect("its place");
    let script = home.join("script");
    let mut wrong = Vec::new();
    for case in cases::all() {
        fs::write(&script, format!("{}{}", case.text, cases::ending(case.shell))).expect("a script");
        let real = real(case.shell, &script, &home, "30");
        let mut tell = |what: String| wrong.push(format!("{}: {what}\n{}", case.shell, case.text));
        let (Some(names), Some(real)) = (&case.names, &real) else {
            if case.names.is_some() != real.is_some() {
                tell(format!("its end is {}reached", if real.is_some() { "" } else { "not " }));
            }
            continue;
        };
        for (name, expected) in names {
            let value = real.get(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
            let is_so = match expected {
                Expected::Value(wanted) => value.as_ref() == Some(wanted),
                Expected::Absent => value.is_none(),
                Expected::Unknown => true,
            };
            if !is_so {
                tell(format!("{name} is {value:?}, not {expected:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
