//! Words put together of pieces, each in all places where a shell expands words in a way of its own.

use super::Dice;

/// Pieces for all shells of the Bourne family. X is empty, U is not set, S and W have blanks, C has colons.
const PIECES: &[&str] = &[
    "$X",
    "$U",
    "$S",
    "$W",
    "$@",
    "$*",
    "\"$@\"",
    "\"$*\"",
    "\"$S\"",
    "''",
    "\"\"",
    "x",
    "${S#a }",
    "${U-d e}",
    "${U-\"d e\"}",
    "${U:-}",
    "${S:+\"$@\"}",
    "\"${S:+$@}\"",
    "$(echo 'p q')",
    "\"$(echo 'p q')\"",
    "~",
    "{a,b}",
    "$((1 + 1))",
    "\\ ",
    "${#S}",
    "'*'",
    "\\*",
    "\"${U-d  e}\"",
    "\"${W%  }\"",
    "${W## }",
    "$1",
    "\"$1\"",
    "$2",
    "\"$2\"",
    "${3-z}",
    "\"${3:-z}\"",
    "${U:+y}",
    "${S:+y z}",
    "\"${S:+'q'}\"",
    "${S:+'q r'}",
    "\"a\\$b\\c\"",
    "$C",
    "\"$C\"",
    "${C#*:}",
    "${C%%:*}",
    ":",
    "${C:-x:y}",
    "$#",
    "\"$#\"",
    "/",
    "~/b",
    "'~'",
    "=",
    "\"${U-~}\"",
    "${V=v w}",
    "\\\\",
    "'\"'",
    "\"'\"",
    "$((N + 2))",
    "$((N > 2 ? 7 : 8))",
    "$((I = N + 1))",
    "$((N && (I += 2)))",
    "$((0 * $N, N))",
    "${I:=N}",
    "${U-$N}",
    "${N%?}",
    "${N:+\"$S\"}",
];

/// More for shells that have more.
const RICH: &[&str] = &["$'a\\tb'", "\"${S/ /_}\"", "${S//?/.}", "\"${C//:/ }\"", "\"${S:1}\"", "\"${W:1:2}\"", "\"${S: -9}\""];

/// And lists.
const LISTS: &[&str] =
    &["${l[@]}", "\"${l[@]}\"", "${l[*]}", "\"${l[*]}\"", "${#l[@]}", "\"${l[@]/a/b}\"", "\"${l[@]#a}\"", "${l[@]%c}"];

const ZSH: &[&str] = &[
    "$l",
    "\"$l\"",
    "${(j:,:)l}",
    "${(s: :)S}",
    "${S:u}",
    "$l[1]",
    "$l[2,3]",
    "${(@)l}",
    "\"${(@)l}\"",
    "${(U)S}",
    "${^l}",
    "\"${(@)l:#a}\"",
    "${l:#}",
    "${(f)W}",
    "$S[2]",
    "\"${(@s/:/)C}\"",
    "${(P)R}",
    "$1:t",
    "\"${(s.:.)C}\"",
    "$@[2]",
];

/// What is done with a word, which stands where `%` does.
const PLACES: &[&str] = &[
    "t %",
    "t %",
    "t %",
    "B=%; export B",
    "export B=%",
    "for i in %; do B=\"${B}[$i]\"; done; export B",
    "case % in \"a b\") B=1 ;; a*) B=2 ;; \"\") B=3 ;; *) B=4 ;; esac; export B",
    "set -- %; export B=\"${#}$1\"",
    "B=$(cat <<E\n%\nE\n); export B",
    "f() { B=$#; t \"$@\"; }; f %",
    "[ % = 3 ] && B=1 || B=2; export B",
    "B=$N; : % $((B += N)); export B",
    "C=% true; export C",
];
const RICH_PLACES: &[&str] =
    &["[[ % = a* ]] && export B=1", "[[ -n % ]] && export B=1", "k=(%); export B=\"${#k[@]}\"", "B+=%; export B"];

/// For fish, whose lists are l, e without an item and u which is not set.
const FISH: &[&str] = &[
    "$s",
    "\"$s\"",
    "$l",
    "\"$l\"",
    "$e",
    "\"$e\"",
    "$u",
    "\"$u\"",
    "$l[1]",
    "\"$l[1]\"",
    "$l[-1]",
    "$l[2..-1]",
    "\"$l[2..3]\"",
    "$l[9]",
    "$l[1 3]",
    "$$r",
    "\"$$r\"",
    "(echo p q)",
    "\"$(echo 'p q')\"",
    "(string split : a:b::c)",
    "(true)",
    "{a,b}",
    "{a,}",
    "~",
    "'~'",
    "x",
    "''",
    "'a b'",
    "a\\ b",
    "\"it's\"",
    "$pl",
    "\"$pl\"",
    "$pl[1]",
    "(count $l)",
    "(string join , $l)",
    "(string upper $l)",
    "(string replace a b $l)",
    "$argv",
    "\"$argv\"",
    "$argv[1]",
    "=",
    "\\\\",
    "$l[(count $s)]",
    "(nosuch)",
    "$l[0]",
    "*.none",
];
const FISH_PLACES: &[&str] = &[
    "t %",
    "t %",
    "set -gx B %",
    "for i in %; set -a B \"<$i>\"; end; set -gx B $B",
    "switch \"\"%; case a x; set -gx B 1; case 'a*'; set -gx B 2; case ''; set -gx B 3; case '*'; set -gx B 4; end",
    "set -gx B (count %)",
    "set -a l %; t $l",
    "set l[2] %; t $l",
    "set -gx --path B %",
    "function g; t $argv; end; g %",
    "contains a %; and set -gx B 1",
    "set -gx B (t3 %)",
    "set -gx B x; set -gx B % || set -gx C y; or set -gx D z",
];

/// What a word is put within, where `%` stands.
const AROUND: &[&str] = &[
    "${U-%}",
    "\"${U-%}\"",
    "${S:+%}",
    "${X:-%}x",
    "$(echo %)",
    "\"$(echo %)\"",
    "$(t %; echo \"$B\")",
    "\"${S+\"%\"}\"",
    "${C#%}",
    "\"${C#\"%\"}\"",
];
const FISH_AROUND: &[&str] =
    &["(echo %)", "\"$(echo %)\"", "{%,c}", "(count %)", "(string upper %)", "(string join , %)", "x(echo %)y"];

/// A name with a value, which may be veiled.
fn set(name: &str, value: &str, is_veiled: bool, shell: &str) -> String {
    match (shell, is_veiled) {
        ("fish", false) => format!("set {name} '{value}'"),
        ("fish", true) => format!("set {name} (printf %s '{value}' | tee)"),
        (_, false) => format!("{name}='{value}'"),
        (_, true) => format!("{name}=$(printf %s '{value}' | tee)"),
    }
}

/// A text in which one word is put together and taken somewhere. Where that is asked for, a program prints some of what is
/// in it, so that nobody can know it.
pub(super) fn line(dice: &mut Dice, shell: &str) -> String {
    let (pieces, places): (Vec<&[&str]>, Vec<&[&str]>) = match shell {
        "fish" => (vec![FISH], vec![FISH_PLACES]),
        "zsh" => (vec![PIECES, PIECES, RICH, LISTS, ZSH, ZSH], vec![PLACES, PLACES, RICH_PLACES]),
        "bash" => (vec![PIECES, PIECES, RICH, LISTS], vec![PLACES, PLACES, RICH_PLACES]),
        "ksh" => (vec![PIECES, PIECES, RICH, LISTS], vec![PLACES]),
        "mksh" => (vec![PIECES, PIECES, RICH], vec![PLACES]),
        _ => (vec![PIECES], vec![PLACES]),
    };
    let one = |dice: &mut Dice, of: &[&'static [&'static str]]| {
        let list = of[dice.roll(of.len())];
        dice.one(list)
    };
    let count = 1 + dice.roll(3);
    let word: String = (0..count).map(|_| one(dice, &pieces)).collect();
    let around = match dice.roll(4) {
        0 => dice.one(if shell == "fish" { FISH_AROUND } else { AROUND }),
        _ => "%",
    };
    let word = around.replacen('%', &word, 1);
    let place = one(dice, &places).replace('%', &word);
    if shell == "fish" {
        let veiled = if dice.veils { dice.roll(6) } else { 6 };
        let list = match veiled {
            0 => dice.one(&["set l (printf 'a\\n\\nb c\\n' | tee)", "set l (echo a | tee)", "set l (tee </dev/null)"]),
            _ => dice.one(&["set l a '' 'b c'", "set l a", "set l x 'a b'", "set l"]),
        };
        let given = match veiled {
            1 => "set argv (printf 'x  y\\nz\\n' | tee)",
            _ => dice.one(&["", "set argv 'x  y' z", "set argv"]),
        };
        let names = [("s", "a b"), ("r", "l"), ("pl", "/a:/b")];
        let names = names.iter().enumerate().map(|(at, (name, value))| set(name, value, veiled == at + 2, shell));
        let names = names.collect::<Vec<_>>().join("; ");
        return format!(
            "function t; set -gx B (count $argv); for i in $argv; set B \"$B\"\"[$i]\"; end; set -gx B $B; end\n\
             function t3; for i in $argv; echo \"<$i>\"; end; end\n\
             set --path pl; {names}; set e\n{list}\n{given}\n{place}"
        );
    }
    let has_lists = matches!(shell, "bash" | "zsh" | "ksh");
    let veiled = if dice.veils { dice.roll(9) } else { 9 };
    let list = match (has_lists, veiled) {
        (false, _) => "",
        (true, 0) => dice.one(&["l=($(echo 'a b c' | tee))", "l=(\"$(echo 'a b' | tee)\" x)", "l=(x $(true | tee))"]),
        (true, _) => dice.one(&["l=(a '' 'b c')", "l=(a)", "l=(x 'a b')"]),
    };
    let given = match veiled {
        1 => dice.one(&["set -- $(echo 'a b c' | tee)", "set -- \"$(echo 'a b' | tee)\" x", "set -- '' $(true | tee)"]),
        _ => dice.one(&["set --", "set -- ''", "set -- a '' 'b c'", "set -- 'x  y'", "set -- '' ''"]),
    };
    let names = [("X", ""), ("S", "a b"), ("W", " l  t  "), ("C", "a:b::c"), ("R", "S"), ("N", "3")];
    let names = names.iter().enumerate().map(|(at, (name, value))| set(name, value, veiled == at + 2, shell));
    let names = names.collect::<Vec<_>>().join("; ");
    format!(
        "t() {{ B=$#; for i; do B=\"${{B}}[$i]\"; done; export B; }}\n\
         {names}; I=1\n{list}\n{given}\n{place}\nexport I V"
    )
}
