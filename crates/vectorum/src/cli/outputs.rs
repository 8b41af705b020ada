//! Running one program whose output a startup file evaluates, so that the file can be followed on.

use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::PathBuf;

use bytes::Bytes;
use vectorum_core::route::{Forecast, Route};
use vectorum_core::shell::{Asked, Dialect, Output, Outputs};
use vectorum_core::{Block, inert};
use vectorum_host::ProbeCommand;

use super::forecast::place;
use super::probe::agreed;
use super::routes::Host;
use super::{Failure, output, path_and_line};

/// A program that runs for more seconds is ended.
const LONGEST: u64 = 20;
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
fn one_less(level: &[u8]) -> Bytes {
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
    let mut words = vec![shell];
    words.extend(options.iter().copied().chain(["-c", "\"$@\"; exit $?", name]).map(OsString::from));
    words.push(os(&asked.program));
    words.extend(asked.arguments.iter().map(os));
    let block = asked.block.iter().map(|(n, v)| (n.clone(), if n == "SHLVL" { one_less(v) } else { v.clone() }));
    let command = ProbeCommand {
        words,
        called: None,
        block: Block::from_vars(block),
        account: (own != account.uid).then_some((account.uid, account.gid)),
        folder: asked.folder.as_ref().map_or_else(|| PathBuf::from("/"), |f| PathBuf::from(os(f))),
        terminal: None,
    };
    let (text, status) = command.output(LONGEST).map_err(|e| Failure::new(format!("{shown}: {e}")))?;
    Ok(Output {
        program: asked.program.clone(),
        arguments: asked.arguments.clone(),
        text: text.into(),
        // One that a signal ended.
        status: status.unwrap_or(255),
    })
}
