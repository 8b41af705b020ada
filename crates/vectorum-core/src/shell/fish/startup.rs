//! What fish reads before its program, and what it hands on.

use std::sync::Arc;

use super::super::log::Log;
use super::*;

/// Reads the file of universal variables.
pub(super) fn universal(path: &[u8], text: &[u8]) -> BTreeMap<Bytes, Var> {
    let mut out = BTreeMap::new();
    for (number, line) in text.split(|b| *b == b'\n').enumerate() {
        let site = Some(Site { path: Bytes::copy_from_slice(path), line: number + 1 });
        let Some(mut rest) = line.strip_prefix(b"SETUVAR ") else { continue };
        let (mut exported, mut is_path) = (false, false);
        loop {
            if let Some(after) = rest.strip_prefix(b"--export ") {
                (exported, rest) = (true, after);
            } else if let Some(after) = rest.strip_prefix(b"--path ") {
                (is_path, rest) = (true, after);
            } else {
                break;
            }
        }
        let Some(colon) = memchr::memchr(b':', rest) else { continue };
        let (name, value) = (rest.get(..colon).unwrap_or_default(), rest.get(colon + 1..).unwrap_or_default());
        let mut items: Vec<Vec<u8>> = vec![Vec::new()];
        let mut at = 0;
        let mut is_empty = false;
        while let Some(byte) = value.get(at) {
            at += 1;
            let decoded = if *byte == b'\\' && value.get(at) == Some(&b'x') {
                let hex = value
                    .get(at + 1..at + 3)
                    .and_then(|h| std::str::from_utf8(h).ok())
                    .and_then(|h| u8::from_str_radix(h, 16).ok());
                at += 3;
                hex
            } else if *byte == b'\\' {
                at += 1;
                match value.get(at - 1) {
                    Some(b'n') => Some(b'\n'),
                    Some(b't') => Some(b'\t'),
                    other => other.copied(),
                }
            } else {
                Some(*byte)
            };
            match decoded {
                Some(0x1e) => items.push(Vec::new()),
                Some(0x1d) => is_empty = true,
                Some(byte) => {
                    if let Some(item) = items.last_mut() {
                        item.push(byte);
                    }
                }
                None => {}
            }
        }
        let items = if is_empty { Vec::new() } else { items.into_iter().map(Val::of).collect() };
        out.insert(
            Bytes::copy_from_slice(name),
            Var { items: Ok(items), exported: Some(exported), is_path, is_perhaps: false, site },
        );
    }
    out
}

/// fish as it starts, before it reads a file.
pub(super) fn begin<'a>(
    ground: Ground<'a>,
    touched: &'a Touched<'a>,
    account: &'a Account,
    start: &Handed,
    open: Option<Rc<Doubt>>,
    folder: &[u8],
    invocation: &'a Invocation,
) -> Fish<'a> {
    let mut globals: BTreeMap<Bytes, Var> = BTreeMap::new();
    for (name, (value, is_perhaps)) in start.iter() {
        let is_path = name.ends_with(b"PATH");
        let items = match value {
            Val::Known(text) if is_path => Ok(text.split(|b| *b == b':').map(Val::of).collect()),
            Val::Unknown(doubt) if is_path => Err(doubt),
            value => Ok(vec![value]),
        };
        globals.insert(name.clone(), Var { items, exported: Some(true), is_path, is_perhaps, site: None });
    }
    let set = |globals: &mut BTreeMap<Bytes, Var>, name: &'static str, items: Vec<Val>| {
        let is_path = name.ends_with("PATH");
        globals.insert(
            Bytes::from_static(name.as_bytes()),
            Var { items: Ok(items), exported: Some(true), is_path, is_perhaps: false, site: None },
        );
    };
    set(&mut globals, "PWD", vec![Val::of(folder)]);
    if !start.contains(b"HOME") {
        set(&mut globals, "HOME", vec![Val::Known(account.home.clone())]);
    }
    if !start.contains(b"USER") {
        set(&mut globals, "USER", vec![Val::Known(account.name.clone())]);
    }
    if !start.contains(b"PATH") {
        set(&mut globals, "PATH", vec![Val::of(b"/bin"), Val::of(b"/usr/bin")]);
    }
    if invocation.is_interactive {
        let level = match start.get(b"SHLVL") {
            None => Val::of(b"1"),
            Some((Val::Known(level), false)) => {
                match std::str::from_utf8(&level).ok().and_then(|l| l.trim().parse::<i64>().ok()) {
                    Some(level) if level >= 0 => Val::of((level + 1).to_string()),
                    _ => Val::of(b"1"),
                }
            }
            Some(_) => Val::Unknown(Doubt::filled("how deep in shells it is started is not known")),
        };
        set(&mut globals, "SHLVL", vec![level]);
    }
    let state = State {
        scopes: vec![
            Scope { kind: Kept::Universal, vars: Foggy::default() },
            Scope { kind: Kept::Global, vars: globals.into_iter().collect() },
        ],
        functions: Layers::default(),
        status: Ok(0),
        open,
        output: None,
        input: Input::default(),
    };
    Fish {
        ground: Ground { files: touched, ..ground },
        touched,
        account,
        invocation,
        live: Some(state),
        frames: Fish::begin_frames(),
        is_lacking: false,
        nested: 0,
        captures: 0,
        restless: BTreeSet::new(),
        source: Rc::new(Source::new(Bytes::new(), Bytes::new())),
        at: 0,
        steps: Steps::up_to(STEPS),
        around: Around::default(),
        may_be_empty: false,
        depth: 0,
        quiet: 0,
        log: Log::default(),
        read: Vec::new(),
        skipped: Vec::new(),
        until: None,
        stopped: Left::default(),
        given: None,
    }
}

/// What a file comes to that fish takes in with `source`.
pub(crate) fn taken_in(
    ground: Ground<'_>,
    account: &Account,
    start: &Handed,
    path: &[u8],
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let touched = Touched::new(ground.files);
    let mut fish = begin(ground, &touched, account, start, None, folder, invocation);
    fish.run_file(path, None);
    settle(fish, start)
}

/// Follows fish from its start to the program that it runs.
pub(crate) fn interpret(
    ground: Ground<'_>,
    account: &Account,
    start: &Handed,
    open: Option<Rc<Doubt>>,
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let touched = Touched::new(ground.files);
    let mut fish = begin(ground, &touched, account, start, open, folder, invocation);
    locale(&mut fish, start);
    let config = fish.config();
    let path = Var { items: function_path(&fish, &config), exported: Some(false), is_path: false, is_perhaps: false, site: None };
    let own_path = Bytes::from_static(b"fish_function_path");
    if let Some(globals) = fish.live.as_mut().and_then(|s| s.scopes.get_mut(1)).filter(|s| !s.vars.contains(&own_path)) {
        globals.vars.insert(own_path, path);
    }
    let stored = [&config[..], b"/fish_variables"].concat();
    if let Content::Bytes(text) = ground.files.read(&stored) {
        let vars = universal(&stored, &text);
        if let Some(scope) = fish.live.as_mut().and_then(|s| s.scopes.first_mut()) {
            scope.vars = vars.into_iter().collect();
        }
    }
    fish.quiet += 1;
    if fish.get(b"fish_user_paths").is_some() {
        fish.reconstruct();
    }
    fish.quiet -= 1;
    snippets(&mut fish, &config);
    for path in [b"/etc/fish/config.fish".to_vec(), [&config[..], b"/config.fish"].concat()] {
        if fish.live.is_some() && matches!(fish.ground.files.kind(&path), Kind::File | Kind::Program | Kind::Unknown) {
            fish.run_file(&path, None);
        }
    }
    if let Payload::Script(Some((script, until))) = &invocation.payload {
        fish.until = Some(until.clone());
        if fish.live.is_some() {
            fish.run_file(script, None);
        }
        let rest = fish.live.take().filter(|s| s.open.is_some());
        fish.live = fish.stopped.take().or(rest);
    }
    settle(fish, start)
}

/// Without any setting of the locale fish looks for one, or takes a usual one.
pub(super) fn locale(fish: &mut Fish<'_>, start: &Handed) {
    if start.names().any(|n| n == &b"LANG"[..] || n.starts_with(b"LC_")) {
        return;
    }
    let own = [&fish.account.home[..], b"/.config/locale.conf"].concat();
    let there =
        [&own[..], b"/etc/locale.conf", b"/etc/default/locale"].iter().any(|p| fish.ground.files.kind(p) != Kind::Missing);
    fish.quiet += 1;
    if there {
        let doubt = Doubt::new("fish looks for the locale in files of the system", None);
        for name in ["LANG", "LC_CTYPE", "LC_TIME", "LC_MESSAGES", "LC_COLLATE", "LC_MONETARY", "LC_NUMERIC"] {
            fish.put_var(name.as_bytes(), Some(Kept::Global), Err(doubt.clone()), Some(true), None);
            if let Some(globals) = fish.live.as_mut().and_then(|s| s.scopes.get_mut(1))
                && let Some(var) = globals.vars.get(name.as_bytes()).map(Cow::into_owned)
            {
                globals.vars.insert(Bytes::from_static(name.as_bytes()), Var { is_perhaps: true, ..var });
            }
        }
    } else {
        fish.put(b"LC_CTYPE", Some(Kept::Global), vec![Val::of(b"en_US.UTF-8")], Some(true), None);
    }
    fish.quiet -= 1;
}

/// The folders in which functions lie that are taken in when they are called.
fn function_path(fish: &Fish<'_>, config: &[u8]) -> Result<Vec<Val>, Rc<Doubt>> {
    let one = |name: &[u8]| fish.items(name).map(|i| i.first().cloned().filter(|v| v.is_empty() != Some(true)));
    let text = |value: Val| value.known().cloned().ok_or_else(|| fish.doubt("where functions lie is not known"));
    let data = match (one(b"XDG_DATA_HOME")?, one(b"HOME")?) {
        (Some(data), _) => text(data)?,
        (None, home) => {
            let home = home.map_or_else(|| Ok(fish.account.home.clone()), text)?;
            [&home[..], b"/.local/share"].concat().into()
        }
    };
    let others = one(b"XDG_DATA_DIRS")?.map(text).transpose()?.unwrap_or_else(|| Bytes::from_static(b"/usr/share"));
    let mut out = vec![[config, b"/functions"].concat(), b"/etc/fish/functions".to_vec()];
    let mut vendors: Vec<Vec<u8>> = std::iter::once(&data[..])
        .chain(others.split(|b| *b == b':'))
        .filter(|d| d.starts_with(b"/"))
        .map(|d| [d, b"/fish/vendor_functions.d"].concat())
        .collect();
    vendors.push(b"/usr/share/fish/vendor_functions.d".to_vec());
    for vendor in vendors {
        if !out.contains(&vendor) {
            out.push(vendor);
        }
    }
    out.push(SHARED.strip_suffix(b"/").unwrap_or(SHARED).to_vec());
    Ok(out.iter().map(Val::of).collect())
}

/// The files of all folders of snippets: a name that came already is passed over.
fn snippets(fish: &mut Fish<'_>, config: &[u8]) {
    let data =
        fish.items(b"XDG_DATA_HOME").ok().and_then(|i| i.first().and_then(|v| v.known().cloned())).filter(|v| !v.is_empty());
    let home = fish
        .items(b"HOME")
        .ok()
        .and_then(|i| i.first().and_then(|v| v.known().cloned()))
        .unwrap_or_else(|| fish.account.home.clone());
    let data = data.unwrap_or_else(|| [&home[..], b"/.local/share"].concat().into());
    let folders = [
        [config, b"/conf.d"].concat(),
        b"/etc/fish/conf.d".to_vec(),
        [&data[..], b"/fish/vendor_conf.d"].concat(),
        [&data[..], b"/vendor_conf.d"].concat(),
        b"/usr/share/fish/vendor_conf.d".to_vec(),
    ];
    let mut seen: Vec<Bytes> = Vec::new();
    for folder in folders {
        let mut names = fish.ground.files.list(&folder).unwrap_or_default();
        names.retain(|n| n.ends_with(b".fish"));
        names.sort();
        for name in names {
            if seen.contains(&name) || fish.live.is_none() {
                continue;
            }
            seen.push(name.clone());
            let path = [&folder[..], b"/", &name].concat();
            fish.run_file(&path, None);
        }
    }
}

pub(super) fn settle(mut fish: Fish<'_>, start: &Handed) -> Started {
    let left = fish.ended();
    let ended = Ended::of(fish.live.is_some(), left.is_some());
    let (log, skipped, read) = (fish.log, fish.skipped, fish.read);
    let mut started = Started { ended, log: Arc::new(log), skipped, read, ..Started::default() };
    let Some(state) = fish.live else { return started };
    started.open = state.open.clone();
    let mut handed: BTreeMap<Bytes, Var> = BTreeMap::new();
    let mut veiled: std::collections::BTreeSet<Bytes> = std::collections::BTreeSet::new();
    for scope in state.scopes.iter().skip(1) {
        for (name, var) in scope.vars.iter() {
            match (handed.get(name).cloned(), var.exported) {
                // One that may not be there may show what it hides.
                (Some(hidden), _) if var.is_perhaps => {
                    let doubt = Doubt::new("whether a variable hides another of its name", var.site.clone());
                    handed.insert(name.clone(), Var { items: Err(doubt), exported: None, is_perhaps: true, ..hidden });
                }
                (None, Some(false)) if var.is_perhaps => drop(veiled.insert(name.clone())),
                (_, Some(false)) => drop(handed.remove(name)),
                _ => drop(handed.insert(name.clone(), var.into_owned())),
            }
        }
    }
    for (name, var) in state.scopes.first().into_iter().flat_map(|s| s.vars.iter()) {
        if var.exported != Some(false) && !handed.contains_key(name) {
            let is_perhaps = var.is_perhaps || veiled.contains(name);
            handed.insert(name.clone(), Var { is_perhaps, ..var.into_owned() });
        }
    }
    for (name, var) in &handed {
        let value = match &var.items {
            Ok(items) => joined(items, if var.is_path { b":" } else { b" " }),
            Err(doubt) => Val::Unknown(doubt.clone()),
        };
        let may_be_absent = var.is_perhaps || var.exported.is_none();
        if var.site.is_none() && start.get(name).is_some_and(|(was, perhaps)| was == value && perhaps == may_be_absent) {
            continue;
        }
        let value = match value {
            Val::Known(known) if may_be_absent => Val::Unknown(Rc::new(Doubt {
                could_be: vec![known],
                ..(*Doubt::new("the shell's files leave it open", None)).clone()
            })),
            other => other,
        };
        let site = var.site.clone().filter(|s| !s.path.is_empty());
        started.changed.insert(name.clone(), Last { value, may_be_absent, site });
    }
    for name in start.names().filter(|n| !handed.contains_key(*n)) {
        let site = started.log.of(name).next_back().map(|a| a.site.clone());
        started.gone.push((name.clone(), site));
    }
    let globals = state.scopes.iter().find(|s| s.kind == Kept::Global);
    for (name, var) in globals.into_iter().flat_map(|s| s.vars.iter()) {
        if var.exported == Some(false)
            && !name.starts_with(b"__fish")
            && !name.starts_with(b"fish_")
            && let Some(site) = var.site.clone().filter(|s| !s.path.is_empty())
        {
            started.kept.push((name.clone(), site));
        }
    }
    started.kept.sort_by(|(a, _), (b, _)| a.cmp(b));
    started
}
