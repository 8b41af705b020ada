//! Which sentences fish takes (measured with `-n`: 3.6).

use bytes::Bytes;

use super::misplaced::is_misplaced;
use super::parse::read;

/// Sentences, and whether fish takes them.
const SENTENCES: &[(&str, bool)] = &[
    ("if true; end", true),
    ("if true; else; end", true),
    ("if true; else echo b; end", false),
    ("if true; else if false; else; end", true),
    ("if true; else # x\nend", true),
    ("if true; fi", false),
    ("if true", false),
    ("if; end", false),
    ("else", false),
    ("end", false),
    ("case a", false),
    ("while true; break; end", true),
    ("while true; end; end", false),
    ("for i in a b; end", true),
    ("for i in; end", true),
    ("for i a; end", false),
    ("for in in in; end", true),
    ("for i in a > x; end", false),
    ("for i in a | cat; end", false),
    ("switch a; case a; end", true),
    ("switch a; case; end", true),
    ("switch; end", false),
    ("switch a; true; end", false),
    ("switch a > x; case a; end", false),
    ("switch a; case a > x; true; end", false),
    ("begin; end", true),
    ("begin; end > x", true),
    ("begin end", true),
    ("begin; true; end; end", false),
    ("function f; end", true),
    ("function f -a x; end", true),
    ("function f > x; end", false),
    ("function f; end > x", true),
    ("function f & end", false),
    ("not true", true),
    ("! true", true),
    ("not not true", true),
    ("and true", true),
    ("or true", true),
    ("true; and false; or true", true),
    ("true && false || true", true),
    ("true && and false", true),
    ("true || | true", false),
    ("true &&", false),
    ("true |", false),
    ("| true", false),
    ("& true", false),
    ("true & true", true),
    ("true &; true", true),
    ("true & and true", false),
    ("true &; or true", false),
    ("true | and true", false),
    ("true && \n true", true),
    ("true |\n cat", true),
    ("> x true", false),
    ("2> x true", false),
    ("&> x true", false),
    ("true > x", true),
    ("true 2>&1", true),
    ("true >", false),
    ("true <", false),
    ("true > x y", true),
    ("true <&0", true),
    ("true >&2", true),
    ("true &> x", true),
    ("true &| cat", true),
    ("true 2>| cat", true),
    ("echo (true)", true),
    ("echo (true", false),
    ("echo true)", false),
    ("(true)", false),
    ("echo \"(true)\"", true),
    ("echo \"$(true)\"", true),
    ("echo $x[1]", true),
    ("echo $x[", false),
    ("echo $", false),
    ("echo $$x", true),
    ("echo {a,b}", true),
    ("echo {a,b", false),
    ("echo 'a", false),
    ("echo \"a", false),
    ("echo a\\", true),
    ("set x a", true),
    ("set x (echo a; echo b)", true),
    ("X=1 true", true),
    ("X=1", false),
    ("X=1; true", false),
    ("break", false),
    ("continue", false),
    ("function f; break; end", false),
    ("for i in a; break; end", true),
    ("return", true),
    ("function f; return; end", true),
    ("return | cat", false),
    ("exec true | cat", false),
    ("true | exec cat", false),
    ("~/names | source", true),
    ("$HOME/names | source", true),
    ("./names | source", true),
    ("/bin/echo a | read x", true),
    ("echo a | while read x; end", true),
    ("begin; true; end | cat", true),
    ("if true; end | cat", true),
    ("time true", true),
    ("time", false),
    ("command true", true),
    ("builtin true", true),
    ("builtin nosuch", false),
    ("exec true", true),
    ("# only this", true),
    ("true # behind it", true),
    ("true; # behind it", true),
    ("\\\n true", true),
    ("true \\\n a", true),
    ("if true\nend", true),
    ("function f\nend", true),
    ("switch a\ncase a\nend", true),
];

/// Of these it is not told.
const NOT_TOLD: &[&str] = &["if; end\n", "switch; end\n", "true && and false\n", "echo $x[\n", "echo {a,b\n"];

/// Whether fish takes a text, as far as that is told.
fn takes(text: &str) -> Option<bool> {
    let text = Bytes::from(format!("{text}\n"));
    match read(&text) {
        Ok(jobs) => Some(!is_misplaced(&text, &jobs)),
        Err(trouble) => trouble.is_error.then_some(false),
    }
}

#[test]
fn fish_takes_what_it_takes() {
    let (mut wrong, mut untold) = (String::new(), String::new());
    for (text, is_taken) in SENTENCES {
        match takes(text) {
            Some(told) if told != *is_taken => {
                wrong.push_str(&format!("{} {text:?}\n", if *is_taken { "takes" } else { "refuses" }));
            }
            Some(_) => {}
            None => untold.push_str(&format!("{text}\n")),
        }
    }
    assert!(wrong.is_empty(), "\n{wrong}");
    // What is given up of a file for its sake is said to be unknown: it is to be no more than this.
    assert_eq!(untold, NOT_TOLD.concat(), "what is not told");
}
