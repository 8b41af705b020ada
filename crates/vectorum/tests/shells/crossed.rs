//! Small texts, put together of all that stands in one list and all that stands in another: commands in contexts and one behind
//! the other, commands with options and with what they may be told, parameters expanded in places, sums, names that shells give
//! a meaning in what is done with them, conditions, redirections, traps, words of the language out of place, options and what
//! they change, items that are set and declared, files that are taken in, what is
//! written where, lines of startup files, quotes and more in the braces of a parameter, zsh's own
//! shapes, what stands beside something unknown or hangs on it, and one sign in shapes that hang on it.

use super::Dice;

/// The lists, each below its title. The texts are run for real, by root as well: nothing in them names a file outside their
/// folder that could be written.
const LISTS: &str = include_str!("crossed.txt");

/// One item out of the lists of that kind that there are for a shell, all alike likely.
fn one(dice: &mut Dice, kind: &str, shell: &str) -> String {
    let groups: &[&str] = match shell {
        "fish" => &["fish"],
        "dash" => &["sh", "dash"],
        _ => &["sh", "rich", shell],
    };
    let mut items = Vec::new();
    let mut is_asked = false;
    for line in LISTS.lines().filter(|line| !line.is_empty()) {
        match line.strip_prefix("# ") {
            Some(title) => is_asked = title == kind || groups.iter().any(|g| title.strip_prefix(kind) == Some(&format!(" {g}"))),
            None if is_asked => items.push(line),
            None => {}
        }
    }
    dice.one(&items).replace('␤', "\n").replace('→', "\t")
}

/// Puts something where `%` stands in a context; within quotes its own are written otherwise.
fn within(context: &str, inner: &str, quote: &str) -> String {
    let inner = if context.contains("'%") { inner.replace('\'', quote) } else { inner.to_owned() };
    context.replace('%', &inner)
}

/// One of those below.
pub(super) fn text(dice: &mut Dice, shell: &str) -> String {
    let kind = dice.roll(21);
    // Of one kind only, where somebody asks.
    let asked = std::env::var("VECTORUM_KIND").ok().and_then(|kind| kind.parse().ok());
    match asked.unwrap_or(kind) {
        11 if shell != "fish" => option(dice, shell),
        12 if shell != "fish" => braces(dice, shell),
        13 if shell == "zsh" => shape(dice),
        14 if shell != "fish" => items(dice, shell),
        15 if shell != "fish" => source(dice, shell),
        16 => written(dice, shell),
        17 | 18 => startup(dice, shell),
        19 => beside(dice, shell),
        20 => hanging(dice, shell),
        7 => sentence(dice, shell),
        8 if shell != "fish" => condition(dice, shell),
        9 if shell != "fish" => redirection(dice, shell),
        10 if shell != "fish" => trap(dice, shell),
        0 => command(dice, shell),
        1 => expansion(dice, shell),
        2 => pair(dice, shell),
        3 => name(dice, shell),
        4 => told(dice, shell),
        5 if shell != "fish" => sum(dice, shell),
        _ => sign(dice, shell),
    }
}

/// One of those of which something is printed by a program, so that nobody can know it: what names are set to, what was run
/// before all of it, or whether a line of it is run.
pub(super) fn veiled(dice: &mut Dice, shell: &str) -> String {
    let text = text(dice, shell);
    let (text, files) = text.split_at(text.find('␞').unwrap_or(text.len()));
    let text = match dice.roll(6) {
        0 if shell == "fish" => format!("eval (echo 'set Q 1' | tee)\n{text}"),
        0 => format!("eval \"$(echo Q=1 | tee)\"\n{text}"),
        1 => {
            let mut lines: Vec<String> = text.split('\n').map(str::to_owned).collect();
            let at = dice.roll(lines.len());
            lines[at] = match shell {
                "fish" => format!("if test (echo a | tee) = a\n{}\nend", lines[at]),
                _ => format!("if [ \"$(echo a | tee)\" = a ]; then\n{}\nfi", lines[at]),
            };
            lines.join("\n")
        }
        _ => with_veils(dice, shell, text),
    };
    format!("{text}{files}")
}

/// The same text, in which a program prints some of the plain words that names are set to.
fn with_veils(dice: &mut Dice, shell: &str, text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    let sign = if shell == "fish" { ' ' } else { '=' };
    while let Some((before, behind)) = rest.split_once(sign) {
        out.push_str(before);
        out.push(sign);
        let name = before.rsplit(|c: char| !c.is_ascii_alphanumeric() && c != '_').next().unwrap_or_default();
        let is_name = name.starts_with(|c: char| c.is_ascii_uppercase());
        let length = behind.find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(behind.len());
        let (word, more) = behind.split_at(length);
        let is_word = !word.is_empty() && more.starts_with([' ', ';', '\n', ')', '}', '&', '|']);
        rest = behind;
        if is_name && is_word && dice.roll(2) == 0 {
            let dollar = if shell == "fish" { "" } else { "$" };
            out.push_str(&format!("{dollar}(echo {word} | tee)"));
            rest = more;
        }
    }
    out + rest
}

/// A command in a context.
fn command(dice: &mut Dice, shell: &str) -> String {
    let [start, context, command] = ["starts", "contexts", "commands"].map(|kind| one(dice, kind, shell));
    let quote = if shell == "fish" { "\\'" } else { "'\\''" };
    taken_up(shell, &start, &within(&context, &command, quote))
}

/// Two commands that hang together in one way or another.
fn pair(dice: &mut Dice, shell: &str) -> String {
    let [start, first, second] = ["starts", "commands", "commands"].map(|kind| one(dice, kind, shell));
    let joint = dice.one(&["; ", "; ", "\n", " && ", " || "]);
    taken_up(shell, &start, &format!("{first}{joint}{second}"))
}

/// A command with an option, one letter, and what it may be told, where it stands or in a function.
fn told(dice: &mut Dice, shell: &str) -> String {
    const LETTERS: &[u8] = b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789";
    let [start, tool, first, second] = ["starts", "tools", "operands", "operands"].map(|kind| one(dice, kind, shell));
    let letter = char::from(LETTERS[dice.roll(LETTERS.len())]);
    let option = match dice.roll(5) {
        0 | 1 => String::new(),
        2 if shell != "fish" => format!(" +{letter}"),
        _ => format!(" -{letter}"),
    };
    let words = [format!(" {first}"), format!(" {first} {second}"), String::new()];
    let text = format!("{tool}{option}{}", words[dice.roll(words.len())]);
    let text = match (dice.roll(4), shell) {
        (0, "fish") => format!("function h; {text}; set -g B (count $X); end; h a b"),
        (0, _) => format!("h() {{ {text}; B=$?$X; }}; h a b"),
        _ => text,
    };
    taken_up(shell, &start, &text)
}

/// A sum of two or three operands where sums stand.
fn sum(dice: &mut Dice, shell: &str) -> String {
    let [a, first, b, second, c] = ["atoms", "operators", "atoms", "operators", "atoms"].map(|kind| one(dice, kind, shell));
    let text = if dice.roll(3) == 0 { format!("{a}{first}{b}{second}{c}") } else { format!("{a}{first}{b}") };
    let place = one(dice, "sums", shell);
    let text = if place.contains("\"%\"") { text.replace('"', "") } else { text };
    taken_up(shell, "X='1 3'; Y=q; N=5; M=-2; O=010; H=0x1f; E=; S=abc; R=N; set -- 4 b", &place.replace('%', &text))
}

/// Words and signs of the language in no order, or with one more or one less of them than belongs there.
fn sentence(dice: &mut Dice, shell: &str) -> String {
    if dice.roll(3) == 0 {
        let length = 1 + dice.roll(5);
        let words: Vec<String> = (0..length).map(|_| one(dice, "tokens", shell)).collect();
        return taken_up(shell, "set -- p", &words.join(" "));
    }
    let whole = one(dice, "sentences", shell);
    let mut words: Vec<&str> = whole.split(' ').collect();
    let at = dice.roll(words.len());
    let other = one(dice, "tokens", shell);
    match dice.roll(3) {
        0 => words.insert(at, &other),
        1 => words[at] = &other,
        _ => drop(words.remove(at)),
    }
    taken_up(shell, "set -- p", &words.join(" "))
}

/// A condition of one word or of two, alone or with another.
fn condition(dice: &mut Dice, shell: &str) -> String {
    let [first, operator, second, asked] = ["tested", "between", "tested", "asked"].map(|kind| one(dice, kind, shell));
    let text = match dice.roll(4) {
        0 => format!("{asked} {first}"),
        1 => format!("{first} {operator} {second} {} {asked} {first}", dice.one(&["-a", "-o", "&&", "||", "-a !", "-o !"])),
        _ => format!("{first} {operator} {second}"),
    };
    let form = dice.one(&["[ % ]", "test %", "[ ! % ]", "[ \\( % \\) ]", "[[ % ]]", "[[ ! % ]]", "[[ ( % ) ]]"]);
    let form = if shell == "dash" && form.starts_with("[[") { "[ % ]" } else { form };
    taken_up(shell, "X=a; Y=q; P='a*'; O='='; N=-n", &form.replace('%', &text))
}

/// A command with what it reads or writes.
fn redirection(dice: &mut Dice, shell: &str) -> String {
    let [number, operator, file, command] = ["numbers", "directions", "files", "redirected"].map(|kind| one(dice, kind, shell));
    let number = if number == "-" { String::new() } else { number };
    let direction = match operator.as_str() {
        "<<" | "<<-" => format!("{number}{operator}E\nh $X\nE\n"),
        ">&-" | "<&-" => format!("{number}{operator}"),
        _ => format!("{number}{operator} {file}"),
    };
    let text = command.replace('%', &direction);
    format!("{}\nread D < part; export D", taken_up(shell, "X=7; Y=q", &text))
}

/// A trap in a place, and what sets it off there.
fn trap(dice: &mut Dice, shell: &str) -> String {
    let [action, signal, place, event] = ["actions", "signals", "trapped", "events"].map(|kind| one(dice, kind, shell));
    let text = place.replace("%A", &action).replace("%S", &signal).replace("%E", &event);
    taken_up(shell, "X=1; Y=q", &text)
}

/// An option, and what it changes.
fn option(dice: &mut Dice, shell: &str) -> String {
    let [start, option, first, second] = ["starts", "options", "changed", "changed"].map(|kind| one(dice, kind, shell));
    let text = if dice.roll(2) == 0 { first } else { format!("{first}\n{second}") };
    let files = "echo \"Z=lib\" > lib; echo > ac; echo > bc; echo > .ac; mkdir sub; echo > sub/c";
    format!("{files}\n{}\nexport C", taken_up(shell, &start, &format!("{option}\n{text}")))
}

/// Something that may be wrong, or sets something, beside what nobody can know.
fn beside(dice: &mut Dice, shell: &str) -> String {
    let [start, held, place, inner] = ["before what is unknown", "unknown", "beside", "inner"].map(|kind| one(dice, kind, shell));
    taken_up(shell, &format!("{start}; {held}"), &within(&place, &inner, "'\\''"))
}

/// Something that is done or not as a status has it that nobody can know, or that is itself done with what is unknown; and
/// what is done behind it.
fn hanging(dice: &mut Dice, shell: &str) -> String {
    let [start, held, place, told] =
        ["before what is unknown", "unknown", "hangs on it", "told"].map(|kind| one(dice, kind, shell));
    let [first, second] = [(); 2].map(|()| {
        let kind = if dice.roll(2) == 0 { "commands" } else { "done with what is unknown" };
        one(dice, kind, shell)
    });
    let quote = if shell == "fish" { "\\'" } else { "'\\''" };
    let put = |inner: String| if place.contains('\'') { inner.replace('\'', quote) } else { inner };
    let text = place.replace("%T", &put(told)).replace("%D", &put(first));
    let known = match (dice.roll(3), shell) {
        (0, "fish") => "function fu; test \"$U\" = 1; end".to_owned(),
        (_, "fish") => "function fu; return $U 2>/dev/null; end".to_owned(),
        (0, _) => "fu() { [ \"$U\" = 1 ]; }".to_owned(),
        _ => "fu() { return $U; } 2>/dev/null".to_owned(),
    };
    let text = if dice.roll(2) == 0 { text } else { format!("{text}\n{second}") };
    format!("mkdir -p sub; {known}\n{}", taken_up(shell, &format!("{start}; {held}"), &text))
}

/// Names, lists and items that are set and declared, alone, behind one another and before commands.
fn items(dice: &mut Dice, shell: &str) -> String {
    let word = |dice: &mut Dice| if dice.roll(5) == 0 { String::new() } else { one(dice, "set to", shell) };
    let set = |dice: &mut Dice| {
        let name = one(dice, "given", shell);
        if shell == "dash" {
            return format!("{name}={}", word(dice));
        }
        let place = if dice.roll(3) == 0 { format!("[{}]", one(dice, "indices", shell)) } else { String::new() };
        let value = match dice.roll(4) {
            0 => {
                let placed = dice.roll(6) == 0;
                let item = |dice: &mut Dice| match placed {
                    true => format!("[{}]={}", one(dice, "indices", shell), word(dice)),
                    false => word(dice),
                };
                format!("({})", (0..dice.roll(4)).map(|_| item(dice)).collect::<Vec<_>>().join(" "))
            }
            _ => word(dice),
        };
        format!("{name}{place}{}{value}", dice.one(&["=", "=", "+="]))
    };
    let leaf = |dice: &mut Dice| match dice.roll(10) {
        0..4 => set(dice),
        4..7 => format!("{} {}", set(dice), one(dice, "behind", shell)),
        _ => {
            let mark = if shell == "dash" || dice.roll(4) == 0 { String::new() } else { one(dice, "marks", shell) };
            let what = if dice.roll(4) == 0 { one(dice, "given", shell) } else { set(dice) };
            format!("{} {mark} {what}", one(dice, "declarers", shell))
        }
    };
    let [start, second, context] = ["declared before", "declared before", "contexts"].map(|kind| one(dice, kind, shell));
    let mut text = leaf(dice);
    if dice.roll(3) == 0 {
        text = format!("{text}{}{}", dice.one(&["; ", " ", " && ", "\n"]), leaf(dice));
    }
    let lists = if shell == "dash" { "" } else { "${L[*]-n}|${#L[@]}|${H[*]}|${D[*]}" };
    format!(
        "{}\nC=\"{lists}|${{N-n}}|${{U-n}}|${{P-n}}|${{E-n}}\"; export C",
        taken_up(shell, &format!("{start}; {second}; i=0; set -- p 'q r'"), &within(&context, &text, "'\\''"))
    )
}

/// Files that are taken in, and what they leave.
fn source(dice: &mut Dice, shell: &str) -> String {
    let [start, second, first] = ["before it", "before it", "taken in"].map(|kind| one(dice, kind, shell));
    let text = if dice.roll(5) > 0 {
        first
    } else {
        format!("{first}{}{}", dice.one(&["; ", "\n", " && "]), one(dice, "taken in", shell))
    };
    let mut text = format!("{}\nC=\"${{C-n}}$PWD\"; export X C G", taken_up(shell, &format!("{start}; {second}"), &text));
    for name in ["lib", "lib2", "sub/lib3"] {
        let lines: Vec<String> = (0..1 + dice.roll(3)).map(|_| one(dice, "libraries", shell)).collect();
        text = format!("{text}␞{name}\n{}\n", lines.join("\n"));
    }
    text
}

/// Commands that write by several numbers, where they go, and what takes them up.
fn written(dice: &mut Dice, shell: &str) -> String {
    let groups = match shell {
        "fish" => ["begin; %; end", "begin; %; end", "f", "if true; %; end", "for i in 1; %; end", "eval '%'"],
        _ => ["{ %; }", "(%)", "f", "if :; then %; fi", "for i in 1; do %; done", "eval '%'"],
    };
    let sent = |dice: &mut Dice| (0..1 + dice.roll(3)).map(|_| format!(" {}", one(dice, "sent", shell))).collect::<String>();
    let some = |dice: &mut Dice| {
        let lines: Vec<String> = (0..1 + dice.roll(3)).map(|_| one(dice, "writing", shell)).collect();
        lines.join("; ")
    };
    let (body, group) = (some(dice), dice.one(&groups));
    let function = if shell == "fish" { format!("function f; {body}; end") } else { format!("f() {{ {body}; }}") };
    let inner = format!("{}{}", group.replace('%', &body.replace('\'', "\"")), sent(dice));
    let inner = if dice.roll(4) == 0 {
        format!("{}{}", groups[0].replace('%', &format!("{inner}; {}", some(dice))), sent(dice))
    } else {
        inner
    };
    let text = one(dice, "taken from", shell).replace("%R", &sent(dice)).replace('%', &inner);
    match shell {
        "fish" => format!("{function}\necho > part\n{text}\nset -gx V $status \"$X\" \"$Y\"; read -gx D < part"),
        _ => format!("{function}\necho > part\n{text}\nV=\"$?|${{X-n}}|${{Y-n}}\"; read D < part; export V D"),
    }
}

/// Lines as people have them in their startup files, in some order and in this and that around them, with files that they
/// bring along.
fn startup(dice: &mut Dice, shell: &str) -> String {
    let quote = if shell == "fish" { "\\'" } else { "'\\''" };
    let mut lines = Vec::new();
    for _ in 0..1 + dice.roll(4) {
        let (line, around) = (one(dice, "startup", shell), one(dice, "around", shell));
        lines.push(within(&around, &line, quote));
    }
    let end = match shell {
        "fish" => "set -gx V $status (count $argv) $PWD; for v in X Y Z S LB LZ; set -gx OUT_$v \"$$v\"; end",
        _ => "V=\"$?|$#|${1-n}|$PWD\"\nexport V X Y Z C L LZ LB S K M Q1 Q2",
    };
    let mut text = format!("{}\n{end}", lines.join("\n"));
    let names = match shell {
        "fish" => ["lib.fish", "lib2.fish", "sub/lib3.fish", "sub/lib4.fish"],
        _ => ["lib", "lib2", "sub/lib3.sh", "sub/lib4.sh"],
    };
    for name in names {
        let brought: Vec<String> = (0..1 + dice.roll(2)).map(|_| one(dice, "brought", shell)).collect();
        text = format!("{text}␞{name}\n{}\n", brought.join("\n"));
    }
    let lazy = one(dice, "lazy", shell);
    format!(
        "{text}␞conf\na one two\nb  three\n␞conf2\n# c\nK=v\n\nM=w x\n␞conf3\nQ1=one\nQ2=\"two $Q1\"\n\
         ␞fn/lazy\n{lazy}\n␞fn/lazy2\nLZ=two\n"
    )
}

/// A word of some pieces in the braces of a parameter, which may stand in another one, and between quotes.
fn braces(dice: &mut Dice, shell: &str) -> String {
    const SIGNS: [&str; 11] = ["-", ":-", "+", ":+", "=", ":=", "#", "##", "%", "%%", "-"];
    const MORE: [&str; 6] = ["/", "//", "/#", "/%", ":", ":1:"];
    let word = |dice: &mut Dice| (0..1 + dice.roll(3)).map(|_| one(dice, "pieces", shell)).collect::<String>();
    let mut inner = word(dice);
    let sign = if shell == "dash" || dice.roll(3) > 0 { dice.one(&SIGNS) } else { dice.one(&MORE) };
    if sign.starts_with('/') {
        inner = format!("{inner}/{}", word(dice));
    }
    let name = dice.one(&["X", "N", "X", "N", "1", "2", "@", "*", "E"]);
    let parameter = format!("${{{name}{sign}{inner}}}");
    let parameter = match dice.roll(8) {
        0 | 1 => parameter,
        2..=4 => format!("\"{parameter}\""),
        5 => format!("'q'{parameter}\"z\""),
        6 => format!("\"a${{N-{parameter}}} b\""),
        _ => format!("${{N-{parameter}}}"),
    };
    let text = one(dice, "braced", shell).replace('%', &parameter);
    format!("{}\nexport N", taken_up(shell, "X=ab; E=; set -- p 'q r'", &text))
}

/// A parameter of zsh's own shape.
fn shape(dice: &mut Dice) -> String {
    let word = |dice: &mut Dice, name: &str| {
        let [flags, subscript, step] = ["flags", "subscripts", "steps"].map(|kind| match dice.roll(3) {
            0 => String::new(),
            _ => one(dice, kind, "zsh"),
        });
        let flags = if flags.is_empty() { flags } else { format!("({flags})") };
        let mark = dice.one(&["", "", "", "", "^", "=", "~", "#", "^^", "==", "~~", "+"]);
        format!("${{{flags}{mark}{name}{subscript}{step}}}")
    };
    let name = dice.one(&["X", "L", "H", "X", "L", "N", "Y", "1", "@", "*", "PATH", "path"]);
    let inner = word(dice, name);
    let parameter = if dice.roll(6) == 0 { word(dice, &inner) } else { inner };
    let parameter = if dice.roll(2) == 0 { format!("\"{parameter}\"") } else { parameter };
    let start = format!("set -- p 'q r'; {}", one(dice, "held", "zsh"));
    let text = one(dice, "braced", "zsh").replace('%', &parameter);
    format!("{}\nexport N", taken_up("zsh", &start, &text))
}

/// A name that shells give a meaning, set, exported or taken away.
fn name(dice: &mut Dice, shell: &str) -> String {
    let [name, text] = [if shell == "fish" { "own" } else { "names" }, "uses"].map(|kind| one(dice, kind, shell));
    let text = text.replace('%', &name);
    match shell {
        "fish" => text,
        _ => format!("{text}\nexport C"),
    }
}

/// A text of which what it leaves is taken up.
fn taken_up(shell: &str, start: &str, text: &str) -> String {
    if shell == "fish" {
        return format!(
            "function f; set -g Y f; end; function g; end\necho q > part\n{start}\n{text}\n\
             set -gx V $status \"$X\" \"$Y\" $argv; set -gx W $B"
        );
    }
    format!(
        "f() {{ Y=f; }}; g() {{ :; }}\necho q > part\n{start}\n{text}\n\
         V=\"$?|${{X-none}}|${{Y-none}}|$#|${{1-none}}\"; W=${{B-none}}; export V W"
    )
}

/// A parameter expanded in a place. For fish such are put together elsewhere.
fn expansion(dice: &mut Dice, shell: &str) -> String {
    if shell == "fish" {
        return super::words::line(dice, shell);
    }
    let has_lists = matches!(shell, "bash" | "zsh" | "ksh");
    let [value, word, form, place] = ["values", "words", "forms", "places"].map(|kind| one(dice, kind, shell));
    let name = dice.one(if has_lists { &["X", "X", "X", "1", "@", "*", "U", "L"] } else { &["X", "X", "X", "1", "@", "*", "U"] });
    let place = place.replace('%', &form.replace('W', &word).replace('V', name));
    let fields = dice.one(&["", "", "", "IFS=:", "IFS=", "IFS=' :'", "IFS=a", "set -u", "set -f", "set -a", "set -e"]);
    let list = if has_lists { format!("L=(a {value} '')") } else { String::new() };
    format!(
        "t() {{ B=$#; for i; do B=\"$B<$i>\"; done; }}\nX={value}; {list}\nset -- {value} 'b c'\n{fields}\n{place}\n\
         unset IFS\nexport X B C A"
    )
}

/// One sign in a shape that hangs on it.
fn sign(dice: &mut Dice, shell: &str) -> String {
    let sign = char::from(b' ' + dice.roll(95) as u8).to_string();
    let text = one(dice, "shapes", shell).replace('%', &sign);
    match shell {
        "fish" => {
            format!("set X ab; echo abc > part\n{text}\nset -gx V $status \"$B\" $argv; set -gx B $B; set -gx X $X; set -gx C $C")
        }
        _ => format!("X=ab; echo abc > part\n{text}\nV=\"$?|$#\"; export V B X C"),
    }
}
