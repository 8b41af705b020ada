//! A table of shell texts: the interpreter says of each exactly what stands there, and neither more nor
//! less is known. The real shells are held to the same table where they run.

#![allow(clippy::expect_used, clippy::panic, reason = "a test that cannot go on fails")]

#[path = "shell/cases.rs"]
mod cases;

use cases::{Case, Expected};
use vectorum_core::route::{Account, Forecast, Ground, Held, Reached, shell_script};
use vectorum_core::{Block, MemoryTree};

fn forecast(case: &Case) -> Forecast {
    let programs = [
        "env",
        "id",
        "tr",
        "cat",
        "hostname",
        "date",
        "stty",
        "ping",
        "basename",
        "dirname",
        "printf",
        "true",
        "which",
        "grep",
        "xargs",
        "cut",
        "head",
        "dircolors",
        "ls",
        "sed",
        "awk",
        "sort",
        "tail",
        "wc",
        "seq",
        "paste",
        "nproc",
        "expr",
    ];
    let mut host = MemoryTree::default().with_programs("/usr/bin", programs).with_programs("/usr/bin", [case.shell]);
    for folder in ["/etc", "/bin", "/home/odile"] {
        host.folder(folder);
    }
    host.file("/etc/passwd", "root:x:0:0:root:/root:/bin/sh\nodile:x:1000:1000::/home/odile:/bin/sh\n", false);
    let script = format!("{}{}", case.text, cases::ending(case.shell));
    host.file("/home/odile/script", script, false);
    let account = |name: &'static str, uid, home: &'static str| Account {
        name: name.into(),
        uid,
        gid: uid,
        home: home.into(),
        shell: format!("/usr/bin/{}", case.shell).into(),
    };
    let accounts = [account("odile", 1000, "/home/odile"), account("root", 0, "/root")];
    let ground = Ground::new(&host, &accounts);
    let start = cases::START.iter().copied().chain([("HOME", "/home/odile")]);
    let mut out = Forecast::begin(&Block::from_vars(start));
    let shell = format!("/usr/bin/{}", case.shell);
    let script: Option<(&[u8], &[u8])> = Some((b"/home/odile/script", b"/usr/bin/env"));
    shell_script(&mut out, &ground, shell.as_bytes(), script, &accounts[0], b"/home/odile");
    out
}

/// What is said otherwise than the table does.
fn wrong(case: &Case) -> Option<String> {
    let forecast = forecast(case);
    let Some(names) = &case.names else {
        let ends = forecast.reached != Reached::Yes || case.may_end && forecast.may_end.is_some();
        return (!ends).then(|| "it goes on".to_owned());
    };
    if forecast.reached != Reached::Yes {
        return Some(format!("{:?}", forecast.reached));
    }
    if let Some((why, _)) = &forecast.open {
        return Some(format!("anything may be set: {why}"));
    }
    names.iter().find_map(|(name, expected)| {
        let variable = forecast.get(name.as_bytes());
        let is_so = match (expected, variable.map(|v| &v.held)) {
            (Expected::Value(value), Some(Held::Known(said))) => said == value.as_bytes(),
            (Expected::Absent, held) => held.is_none(),
            (Expected::Unknown, held) => matches!(held, Some(Held::Unknown(_) | Held::PerRun)),
            _ => false,
        };
        (!is_so).then(|| format!("{name} is {:?}, not {expected:?}", variable.map(|v| &v.held)))
    })
}

#[test]
fn each_text_gives_what_the_table_says() {
    let cases = cases::all();
    let wrong: Vec<String> =
        cases.iter().filter_map(|case| wrong(case).map(|w| format!("{}: {w}\n{}", case.shell, case.text))).collect();
    assert!(wrong.is_empty(), "{} of {}\n{}", wrong.len(), cases.len(), wrong.join("\n"));
}

/// Text after text within each other, so often.
fn nested(open: &str, inner: &str, close: &str, times: usize) -> String {
    format!("{}{inner}{}", open.repeat(times), close.repeat(times))
}

#[test]
fn what_lies_too_deep_is_unknown_and_harms_nobody() {
    let guard = "n=x$n; case $n in xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx*) return ;; esac; ";
    let bodies = [
        nested("{ ", "f; ", "}; ", 50),
        nested("if true; then ", "f; ", "fi; ", 50),
        nested("for i in a; do ", "f; ", "done; ", 50),
        nested("( ", "f ", ") ", 50),
        format!(": {}", nested("${Q:-", "$(f)", "}", 50)),
        format!(": {}", nested("$(echo \"", "$(f)", "\")", 20)),
        format!("eval '{}'", nested("{ ", "f; ", "}; ", 40)),
    ];
    // Sums whose parts are sums, each ten of the one before.
    let sums: String = (1..12).map(|n| format!("v{n}='{}v{}'\n", format!("v{}+", n - 1).repeat(9), n - 1)).collect();
    let sums = format!("v0=1\n{sums}B=$((v11))\nB=$((v0=v0+v9)); A=one\n");
    let flat = ["'\n(\n".repeat(3000), "$(".repeat(20_000), "{ ".repeat(20_000), "${a:-".repeat(20_000), "[[ ( ".repeat(20_000)];
    for shell in ["bash", "dash", "zsh", "ksh", "mksh"] {
        let texts =
            bodies.iter().map(|body| format!("f() {{ {guard}{body}; }}\nf\n")).chain(flat.iter().cloned()).chain([sums.clone()]);
        for text in texts {
            let case = Case { shell, text, names: None, may_end: false };
            let forecast = forecast(&case);
            let told = forecast.get(b"A").map(|v| &v.held);
            // What was handed in is still there, or nothing is said of it.
            assert!(
                matches!(told, None | Some(Held::Unknown(_))) || told == Some(&Held::Known("one".into())),
                "{shell}: {told:?}"
            );
        }
    }
    let guard = "set n $n x; test (count $n) -gt 60; and return; ";
    let bodies = [
        nested("begin; ", "f; ", "end; ", 30),
        nested("if true; ", "f; ", "end; ", 30),
        format!("echo {}", nested("(echo ", "(f)", ")", 18)),
    ];
    for body in bodies {
        let text = format!("function f; {guard}{body}; end\nf\n");
        assert!(forecast(&Case { shell: "fish", text, names: None, may_end: false }).open.is_some());
    }
}
