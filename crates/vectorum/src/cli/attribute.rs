//! Which lines decide what arrives: the shells of a route are started once more, each with its own
//! tracing.

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::PathBuf;

use bytes::Bytes;
use vectorum_core::reader::single_quoted;
use vectorum_core::route::{Forecast, Held, Launch, Purpose, Route, Site, Variable};
use vectorum_core::shell::Dialect;
use vectorum_core::shell::trace::{Cost, Traced, Tracing};
use vectorum_core::{Block, Content, HostView, inert};
use vectorum_host::{ProbeCommand, ProbeFolder, Terminal};

use super::Failure;
use super::routes::Host;

/// More shells are on no route.
const MOST: usize = 8;

/// What the shells' own tracing tells of a route.
#[derive(Debug, Default)]
pub(crate) struct Attribution {
    /// The line that decided each name.
    pub(crate) origins: BTreeMap<Bytes, Site>,
    /// Names whose value was another when a shell was started with its tracing: they may be made anew at
    /// each start.
    pub(crate) anew: BTreeSet<Bytes>,
    /// What each shell's files cost, in the order of the route.
    pub(crate) shells: Vec<(String, Vec<Cost>)>,
    /// What could not be told, in sentences.
    pub(crate) untold: Vec<String>,
}

/// Starts the shells of a route again and reads what they tell.
pub(crate) fn attribute(
    host: &Host,
    route: &Route,
    expected: &Forecast,
    received: &Block,
    folder: &ProbeFolder,
    within: u64,
) -> Result<Attribution, Failure> {
    let mut out = Attribution::default();
    let came: BTreeMap<Bytes, Bytes> = owned(received).collect();
    // What the shell before handed on, where the forecast does not know it.
    let mut carried = came.clone();
    for number in 0..MOST {
        let Some(launch) = host.to_shell(route, number).launch else { break };
        let shown = inert(&launch.program).into_owned();
        take_forecast(&mut out.origins, launch.block.iter(), &came);
        let own = nix::unistd::geteuid().as_raw();
        if own != 0 && own != launch.account.uid {
            out.untold.push(format!("the lines of {shown} are not told: only root starts another account's shell"));
            break;
        }
        let traced = match start(host, &launch, &came, &carried, folder, within) {
            Ok((traced, block)) => {
                carried.extend(owned(&block));
                traced
            }
            Err(error) => {
                out.untold.push(format!("the lines of {shown} are not told: started with its own tracing, {error}"));
                continue;
            }
        };
        if traced.commands == 0 && !launch.read.is_empty() {
            out.untold.push(format!("the lines of {shown} are not told: its own tracing said nothing"));
        }
        // A shell that does not tell the file knows less than the forecast, where that was right.
        let is_told = matches!(launch.dialect, Some(Dialect::Bash | Dialect::Zsh | Dialect::Ksh));
        for (name, (value, site)) in traced.set {
            let Some(real) = came.get(&name) else { continue };
            if value.as_ref().is_some_and(|v| v != real) {
                out.anew.insert(name.clone());
            }
            let forecast = expected.get(&name).filter(|v| v.held == Held::Known(real.clone())).and_then(|v| v.site.clone());
            out.origins.insert(name, forecast.filter(|_| !is_told).unwrap_or(site));
        }
        out.shells.push((shown, traced.costs));
    }
    take_forecast(&mut out.origins, expected.vars(), &came);
    Ok(out)
}

/// What no shell decided is as it was forecast, where that was right.
fn take_forecast<'a>(
    origins: &mut BTreeMap<Bytes, Site>,
    forecast: impl Iterator<Item = (&'a Bytes, &'a Variable)>,
    came: &BTreeMap<Bytes, Bytes>,
) {
    for (name, variable) in forecast {
        if let (Held::Known(value), Some(site)) = (&variable.held, &variable.site)
            && came.get(name) == Some(value)
        {
            origins.entry(name.clone()).or_insert_with(|| site.clone());
        }
    }
}

fn owned(block: &Block) -> impl Iterator<Item = (Bytes, Bytes)> + '_ {
    block.vars().map(|(n, v)| (Bytes::copy_from_slice(n.as_bytes()), Bytes::copy_from_slice(v.as_bytes())))
}

/// Starts one shell with its own tracing.
fn start(
    host: &Host,
    launch: &Launch,
    came: &BTreeMap<Bytes, Bytes>,
    carried: &BTreeMap<Bytes, Bytes>,
    folder: &ProbeFolder,
    within: u64,
) -> Result<(Traced, Block), Failure> {
    let handed = launch.block.iter().filter_map(|(name, variable)| {
        let value = match &variable.held {
            Held::Known(value) => Some(value.clone()),
            Held::PerRun => Some(carried.get(name).cloned().unwrap_or_else(|| Bytes::from_static(b"anew"))),
            Held::Unknown(_) => carried.get(name).cloned(),
        };
        value.map(|value| (name.clone(), value))
    });
    let mut handed: BTreeMap<Bytes, Bytes> = handed.collect();
    let differs = came.iter().filter(|(name, value)| handed.get(*name) != Some(value));
    let watched: Vec<(Bytes, Option<Bytes>)> = differs.map(|(name, _)| (name.clone(), handed.get(name).cloned())).collect();
    // What it reads is surer to tell from what it really is handed.
    let launch = &host.shell_handed(launch, &Block::from_vars(handed.iter().map(|(n, v)| (&n[..], &v[..]))));
    let tracing = Tracing::new(launch.dialect, &mark()?, watched);
    let (payload, result) = (folder.payload(), folder.result());
    let payload =
        [single_quoted(payload.as_os_str().as_bytes()), b" payload ".to_vec(), single_quoted(result.as_os_str().as_bytes())]
            .concat();
    // bash takes no prompt from root's block: there a command sets it, and runs the files that the shell
    // would read of itself.
    let by_command = launch.dialect == Some(Dialect::Bash) && launch.account.uid == 0;
    match tracing.prompt() {
        Some(prompt) if !by_command => handed.insert(Bytes::from_static(b"PS4"), prompt),
        Some(_) => None,
        None => handed.insert(Bytes::from_static(b"fish_trace"), Bytes::from_static(b"1")),
    };
    let word = |bytes: &[u8]| OsString::from_vec(bytes.to_vec());
    let name = launch.program.rsplit(|b| *b == b'/').next().unwrap_or_default();
    let dashed = word(&[b"-", name].concat());
    let mut words = vec![word(&launch.program)];
    match launch.dialect {
        Some(Dialect::Zsh) => words.extend(["-x", "-o", "promptsubst"].map(OsString::from)),
        Some(_) => words.push("-x".into()),
        None => {}
    }
    let mut called = launch.is_login.then(|| dashed.clone());
    let mut terminal = None;
    if by_command {
        let mut script = [b"PS4=", &single_quoted(&tracing.prompt().unwrap_or_default())[..]].concat();
        for file in &launch.startup {
            script.extend_from_slice(&[b"\n. ", &single_quoted(file)[..]].concat());
        }
        if launch.purpose == Purpose::Terminal {
            script.extend_from_slice(b"\nfor p in \"${PROMPT_COMMAND[@]}\"; do eval \"$p\"; done; unset p");
            // Long options come first.
            words.insert(1, "--norc".into());
            words.push("-i".into());
            terminal = Some(Terminal::Quiet);
        }
        script.extend_from_slice(&[b"\n", &payload[..], b"\n:"].concat());
        // As a login shell it would read its files first.
        let zero = if launch.is_login { dashed } else { word(name) };
        called = None;
        words.extend(["-c".into(), word(&script), zero]);
    } else {
        match launch.purpose {
            Purpose::Terminal => {
                // A blank before it, as for shells that keep no such line.
                terminal = Some(Terminal::Typed(format!(" {}", String::from_utf8_lossy(&payload))));
            }
            Purpose::Command => words.extend(["-c".into(), word(&[&payload[..], b"; :"].concat())]),
            Purpose::Script => {
                let text = format!("{}\n:\n", String::from_utf8_lossy(&payload));
                words.push(folder.script(&text).map_err(|e| Failure::new(e.to_string()))?.into());
            }
        }
    }
    let own = nix::unistd::geteuid().as_raw();
    let command = ProbeCommand {
        words,
        called,
        block: Block::from_vars(handed),
        account: (own != launch.account.uid).then_some((launch.account.uid, launch.account.gid)),
        folder: PathBuf::from(word(&launch.folder)),
        terminal,
    };
    let (block, said) = folder.run(&command, within).map_err(|e| Failure::new(e.to_string()))?;
    let text = |path: &Bytes| match host.files.read(path) {
        Content::Bytes(text) => Some((path.clone(), text)),
        _ => None,
    };
    let files: Vec<(Bytes, Bytes)> = launch.read.iter().filter_map(text).collect();
    let last = result.as_os_str().as_bytes();
    Ok((tracing.read(&said.chunks, last, said.typed, &files), block))
}

/// A text that no value holds.
fn mark() -> Result<String, Failure> {
    let mut bytes = [0; 6];
    getrandom::fill(&mut bytes).map_err(|e| Failure::new(format!("no random number is to be had: {e}")))?;
    Ok(format!("v{}", bytes.map(|b| format!("{b:02x}")).concat()))
}
