//! Running one program whose output a startup file evaluates, so that the file can be followed on.

use std::ffi::OsString;
use std::io::Read;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::process::CommandExt;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use bytes::Bytes;
use vectorum_core::inert;
use vectorum_core::route::{Forecast, Route};
use vectorum_core::shell::{Asked, Dialect, Output, Outputs};

use super::forecast::place;
use super::probe::agreed;
use super::routes::Host;
use super::{Failure, output, path_and_line};

/// More is not taken of what a program prints.
const MOST: u64 = 4 << 20;
/// A program that runs longer is ended.
const LONGEST: Duration = Duration::from_secs(20);
/// A file asks for no more programs, one after another.
const ROUNDS: usize = 20;

/// Follows a route once more after each program of some lines was run.
pub(crate) fn forecast_with(host: &Host, route: &Route, lines: &[OsString], is_allowed: bool) -> Result<Forecast, Failure> {
    let mut outputs = Outputs::default();
    let is_wanted = |asked: &Asked| {
        lines.iter().any(|line| {
            let (path, line) = path_and_line(line.as_bytes());
            asked.site.path == path && line.is_none_or(|l| l == asked.site.line)
        })
    };
    for _ in 0..ROUNDS {
        let forecast = host.forecast_told(route, &outputs);
        let asked = outputs.take_asked();
        let Some(next) = asked.iter().find(|a| is_wanted(a)) else {
            if outputs.known.is_empty() {
                let there: Vec<String> = asked.iter().map(|a| place(&a.site)).collect();
                let way_out = match &there[..] {
                    [] => "no line of this route's startup files uses a program's output that is not known".to_owned(),
                    there => format!("lines that do: {}", there.join(", ")),
                };
                return Err(Failure::new("that line uses no program's output that is not known").way_out(way_out));
            }
            return Ok(forecast);
        };
        outputs.known.push(run(next, is_allowed)?);
    }
    Ok(host.forecast_told(route, &outputs))
}

/// The level above: the shell that runs the program counts one up.
fn one_less(level: &[u8]) -> OsString {
    let level = std::str::from_utf8(level).ok().and_then(|l| l.parse::<i64>().ok()).unwrap_or(1);
    (level - 1).max(0).to_string().into()
}

fn run(asked: &Asked, is_allowed: bool) -> Result<Output, Failure> {
    let own = nix::unistd::geteuid().as_raw();
    let account = &asked.account;
    if own != 0 && own != account.uid {
        return Err(Failure::new("only root runs another account's program").way_out("run it as that account"));
    }
    let words: Vec<String> = std::iter::once(&asked.program).chain(&asked.arguments).map(|w| inert(w).into_owned()).collect();
    let shown = words.join(" ");
    output::note(&format!("this runs, as {}, for {}:\n  {shown}", inert(&account.name), place(&asked.site)));
    agreed(is_allowed)?;
    let os = |bytes: &Bytes| OsString::from_vec(bytes.to_vec());
    // Its parent is the shell that would run it, which reads no file first.
    let (name, options): (&str, &[&str]) = match asked.dialect {
        Dialect::Bash => ("bash", &["--noprofile", "--norc"]),
        Dialect::Zsh => ("zsh", &["-f"]),
        Dialect::Ksh => ("ksh", &[]),
        Dialect::Mksh => ("mksh", &[]),
        Dialect::Dash => ("dash", &[]),
    };
    let is_own = account.shell.rsplit(|b| *b == b'/').next() == Some(name.as_bytes());
    let shell = if is_own { os(&account.shell) } else { OsString::from(format!("/bin/{name}")) };
    let mut command = Command::new(shell);
    command.args(options).args(["-c", "\"$@\"; exit $?", name]).arg(os(&asked.program)).args(asked.arguments.iter().map(os));
    command.env_clear().envs(asked.block.iter().map(|(n, v)| (os(n), if n == "SHLVL" { one_less(v) } else { os(v) })));
    command.current_dir(asked.folder.as_ref().map_or_else(|| PathBuf::from("/"), |f| PathBuf::from(os(f))));
    command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null()).process_group(0);
    if own != account.uid {
        command.uid(account.uid).gid(account.gid);
    }
    let cannot = |e: std::io::Error| Failure::io(&shown, &e);
    let mut child = command.spawn().map_err(cannot)?;
    let pipe = child.stdout.take();
    let reader = std::thread::spawn(move || {
        let mut text = Vec::new();
        // What cannot be read was not printed.
        drop(pipe.map(|p| p.take(MOST).read_to_end(&mut text)));
        text
    });
    let end = Instant::now() + LONGEST;
    let status = loop {
        match child.try_wait().map_err(cannot)? {
            Some(status) => break Some(status),
            None if Instant::now() > end => break None,
            None => std::thread::sleep(Duration::from_millis(5)),
        }
    };
    if status.is_none() {
        if let Ok(pid) = i32::try_from(child.id()) {
            // Its group may be gone already.
            let _ = nix::sys::signal::killpg(nix::unistd::Pid::from_raw(pid), nix::sys::signal::Signal::SIGKILL);
        }
        drop(child.wait());
    }
    let Some(status) = status else {
        return Err(Failure::new(format!("{shown} was ended: it ran longer than {} seconds", LONGEST.as_secs())));
    };
    let text = reader.join().unwrap_or_default();
    let status = status.code().and_then(|code| u8::try_from(code).ok()).unwrap_or(255);
    Ok(Output { program: asked.program.clone(), arguments: asked.arguments.clone(), text: text.into(), status })
}
