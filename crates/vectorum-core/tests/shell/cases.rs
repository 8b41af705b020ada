//! A table of shell texts with what a program that is started after each receives.

/// What is expected of a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Expected {
    Value(String),
    Absent,
    Unknown,
}

/// A text in one shell.
#[derive(Debug)]
pub(crate) struct Case {
    pub(crate) shell: &'static str,
    pub(crate) text: String,
    /// `None`: nothing after the text runs.
    pub(crate) names: Option<Vec<(String, Expected)>>,
    /// Whether nobody who only reads the text can be sure of that.
    pub(crate) may_end: bool,
}

/// What each begins with, besides HOME.
pub(crate) const START: &[(&str, &str)] =
    &[("PATH", "/usr/bin:/bin"), ("LANG", "C.UTF-8"), ("A", "one"), ("LIST", "/a:/b"), ("SHLVL", "1"), ("TERM", "dumb")];

/// What follows each text: a program is started and receives what there is.
pub(crate) fn ending(shell: &str) -> &'static str {
    match shell {
        "fish" => "set -gx BEGIN 1\necho '<<<>>>'\n/usr/bin/env -0\n",
        _ => "export BEGIN='1'\nwait\necho '<<<>>>'\n/usr/bin/env -0\n",
    }
}

fn expected(text: &str) -> (String, Expected) {
    if let Some((name, value)) = text.split_once('=') {
        return (name.to_owned(), Expected::Value(value.replace("\\n", "\n")));
    }
    match text.split_once(' ') {
        Some((name, "absent")) => (name.to_owned(), Expected::Absent),
        Some((name, "unknown")) => (name.to_owned(), Expected::Unknown),
        _ => panic!("{text:?} is no expectation"),
    }
}

/// Reads the table.
pub(crate) fn all() -> Vec<Case> {
    const SHELLS: [&str; 6] = ["bash", "dash", "zsh", "ksh", "mksh", "fish"];
    let mut out = Vec::new();
    let mut text = String::new();
    let mut is_open = false;
    for line in include_str!("cases.txt").lines() {
        if let Some(part) = line.strip_prefix("  ") {
            if !is_open {
                text.clear();
            }
            is_open = true;
            text.push_str(part);
            text.push('\n');
        } else if let Some((shells, rest)) = line.split_once(" => ") {
            is_open = false;
            let names = (!matches!(rest, "ends" | "may end")).then(|| rest.split("; ").map(expected).collect::<Vec<_>>());
            for word in shells.split(' ') {
                let these = if word == "sh" { &SHELLS[..5] } else { SHELLS.as_slice() };
                let found: Vec<_> = these.iter().filter(|s| word == "sh" || **s == word).collect();
                assert!(!found.is_empty(), "no shell is called {word:?}");
                out.extend(found.into_iter().map(|shell| Case {
                    shell,
                    text: text.clone(),
                    names: names.clone(),
                    may_end: rest == "may end",
                }));
            }
        }
    }
    out
}
