//! What fish reads before its program, and what it hands on.

use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

use super::super::decided::Decided;
use super::super::log::Log;
use super::super::successor::{NOT_FOLLOWED, Succession};
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
            Var { items: Ok(items), exported: Some(exported), is_path, may_be_path: false, is_perhaps: false, site },
        );
    }
    out
}

/// Something that fish is told at its start, and whether a file asked for it.
#[derive(Debug)]
struct Told {
    is_so: bool,
    was_asked: AtomicBool,
}

impl Clone for Told {
    fn clone(&self) -> Told {
        Told { is_so: self.is_so, was_asked: self.was_asked.load(Relaxed).into() }
    }
}

impl Told {
    fn new(is_so: bool) -> Told {
        Told { is_so, was_asked: AtomicBool::new(false) }
    }

    fn ask(&self) -> bool {
        self.was_asked.store(true, Relaxed);
        self.is_so
    }

    /// Whether what follows from this follows from another.
    fn is_alike(&self, other: &Told) -> bool {
        !self.was_asked.load(Relaxed) || self.is_so == other.is_so
    }
}

/// For what fish is started, as far as its files can ask.
#[derive(Clone, Debug)]
pub(super) struct Manner {
    login: Told,
    interactive: Told,
}

impl Manner {
    fn of(invocation: &Invocation) -> Manner {
        Manner { login: Told::new(invocation.is_login), interactive: Told::new(invocation.is_interactive) }
    }

    pub(super) fn is_login(&self) -> bool {
        self.login.ask()
    }

    pub(super) fn is_interactive(&self) -> bool {
        self.interactive.ask()
    }
}

/// How fish is started, but for its block.
#[derive(Debug)]
pub(in crate::shell) struct Setting {
    manner: Manner,
    account: Account,
    folder: Bytes,
    /// Why other names may be handed in, too.
    open: Option<Arc<Doubt>>,
    /// A script, and the program in it up to which it is followed.
    script: Option<(Bytes, Bytes)>,
}

/// What fish holds by itself, and neither takes nor hands on (measured: 3.6.0).
const OWN: &str = "_ CMD_DURATION FISH_VERSION fish_kill_signal fish_killring fish_pid fish_user_paths history hostname \
    pipestatus status status_generation umask version";

/// What fish makes anew, and hands on where it was handed in.
const MADE: &str = "__fish_added_user_paths __fish_bin_dir __fish_config_dir __fish_data_dir __fish_help_dir \
    __fish_sysconf_dir __fish_user_data_dir fish_bind_mode fish_complete_path fish_function_path";

/// The same where somebody types.
const MADE_THERE: &str = "__fish_initialized argv last_pid";

impl Setting {
    fn new(account: &Account, open: Option<Arc<Doubt>>, folder: &[u8], invocation: &Invocation) -> Setting {
        let script = match &invocation.payload {
            Payload::Script(script) => script.clone(),
            _ => None,
        };
        Setting { manner: Manner::of(invocation), account: account.clone(), folder: Bytes::copy_from_slice(folder), open, script }
    }

    /// Whether what follows from this follows from another, if what is handed in is alike.
    pub(in crate::shell) fn is_alike(&self, other: &Setting) -> bool {
        self.manner.login.is_alike(&other.manner.login)
            && self.manner.interactive.is_alike(&other.manner.interactive)
            && self.account == other.account
            && self.folder == other.folder
            && self.open == other.open
            && self.script == other.script
    }

    /// What fish holds before it reads a file.
    fn begin(&self, files: &dyn HostView, start: &Handed) -> State {
        let mut globals = Start::new(start.clone());
        let set = |globals: &mut Start<Var>, name: &str, items: Vec<Val>| {
            let is_path = is_path_by_name(name.as_bytes());
            globals.set(
                name,
                Var { items: Ok(items), exported: Some(true), is_path, may_be_path: false, is_perhaps: false, site: None },
            );
        };
        set(&mut globals, "PWD", vec![Val::Known(self.folder.clone())]);
        let usual = [
            ("HOME", vec![Val::Known(self.account.home.clone())]),
            ("USER", vec![Val::Known(self.account.name.clone())]),
            ("PATH", vec![Val::of(b"/bin"), Val::of(b"/usr/bin")]),
        ];
        for (name, items) in usual {
            let handed = start.get(name.as_bytes());
            let is_taken = match (name, &handed) {
                (_, None) => false,
                ("HOME", Some((value, false))) => value.is_empty() != Some(true),
                // One whose name stands for another account is not believed.
                ("USER", Some((Val::Known(value), false))) => *value == self.account.name,
                _ => true,
            };
            if !is_taken {
                set(&mut globals, name, items);
            }
        }
        for name in OWN.split(' ').filter(|name| start.contains(name.as_bytes())) {
            globals.remove(name);
        }
        let made: [(&str, Vec<Val>); 3] =
            [("argv", Vec::new()), ("EUID", vec![Val::of(self.account.uid.to_string())]), ("IFS", vec![Val::of(b"\n \t")])];
        for (name, items) in made.into_iter().filter(|(name, _)| start.contains(name.as_bytes())) {
            set(&mut globals, name, items);
        }
        let made_there = if self.manner.interactive.is_so { MADE_THERE } else { "" };
        for name in MADE.split(' ').chain(made_there.split(' ')).filter(|name| start.contains(name.as_bytes())) {
            set(&mut globals, name, vec![Val::unknown(Doubt::new("fish sets it by itself", None))]);
        }
        // What is empty among these is the folder in which it runs.
        for name in ["PATH", "CDPATH"] {
            if let Some((Val::Known(text), false)) = start.get(name.as_bytes())
                && text.split(|b| *b == b':').any(<[u8]>::is_empty)
            {
                let folders = text.split(|b| *b == b':').map(|folder| Val::of(if folder.is_empty() { b"." } else { folder }));
                set(&mut globals, name, folders.collect());
            }
        }
        if !start.contains(b"LANG") && !start.has_one_like(b"LC_") {
            locale(files, &self.account.home).into_iter().for_each(|(name, var)| globals.set(name, var));
        }
        if self.manner.interactive.is_so {
            let level = match start.get(b"SHLVL") {
                None => Val::of(b"1"),
                Some((Val::Known(level), false)) => {
                    match std::str::from_utf8(&level).ok().and_then(|l| l.trim().parse::<i64>().ok()) {
                        Some(level) if level >= 0 => Val::of((level + 1).to_string()),
                        _ => Val::of(b"1"),
                    }
                }
                Some(_) => Val::filled("how deep in shells it is started is not known"),
            };
            set(&mut globals, "SHLVL", vec![level]);
        }
        State {
            scopes: vec![
                Scope { kind: Kept::Universal, vars: Vars::default() },
                Scope { kind: Kept::Global, vars: Vars::new(globals) },
            ],
            functions: Layers::default(),
            status: Ok(0),
            open: self.open.clone(),
            output: Written::default(),
            input: Input::default(),
            refused: Refused::No,
            unopened: Refused::No,
        }
    }

    /// fish as it starts.
    fn fish<'a>(&'a self, ground: Ground<'a>, touched: &'a Touched<'a>, begin: State) -> Fish<'a> {
        Fish {
            ground: Ground { files: touched, ..ground },
            touched,
            account: &self.account,
            manner: &self.manner,
            live: Some(begin),
            frames: Fish::begin_frames(),
            nested: 0,
            captures: 0,
            end: None,
            restless: BTreeSet::new(),
            source: Arc::new(Source::new(Bytes::new(), Bytes::new())),
            at: 0,
            steps: Steps::up_to(STEPS),
            around: Around::default(),
            may_be_empty: false,
            depth: 0,
            quiet: 0,
            succession: Succession::default(),
            log: Log::default(),
            read: Vec::new(),
            skipped: Vec::new(),
            until: None,
            stopped: Left::default(),
            given: None,
        }
    }

    /// Follows the files that fish reads of itself, and the script.
    fn follow(&self, ground: Ground<'_>, begin: State) -> Outcome<State> {
        let touched = Touched::new(ground.files, &self.account);
        let mut fish = self.fish(ground, &touched, begin);
        let config = fish.config();
        let items = function_path(&fish, &config);
        let path = Var { items, exported: Some(false), is_path: false, may_be_path: false, is_perhaps: false, site: None };
        let own_path = Bytes::from_static(b"fish_function_path");
        if let Some(globals) = fish.live.as_mut().and_then(|s| s.scopes.get_mut(1)).filter(|s| !s.vars.contains(&own_path)) {
            globals.vars.insert(own_path, path);
        }
        let stored = [&config[..], b"/fish_variables"].concat();
        if let Content::Bytes(text) = content(ground, &self.account, &stored) {
            let vars = universal(&stored, &text);
            if let Some(scope) = fish.live.as_mut().and_then(|s| s.scopes.first_mut()) {
                scope.vars = vars.into_iter().collect();
            }
        }
        // What comes with it asks for what commands print.
        fish.doubt_long_output();
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
        fish.before_prompt();
        fish.succeed();
        if let Some((script, until)) = &self.script {
            fish.until = Some(until.clone());
            if fish.live.is_some() {
                fish.set_status(0);
                fish.run_file(script, None);
            }
            let rest = fish.live.take();
            fish.live = fish.stopped.take();
            // Where some ways do not come there it may end before.
            if fish.live.is_none() {
                fish.live = rest.filter(|s| s.open.is_some());
            } else if let Some(frame) = fish.frames.first_mut() {
                frame.left.add(rest, &Doubt::new(PARTED, None));
            }
        }
        fish.finish()
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
    let setting = Setting::new(account, None, folder, invocation);
    let touched = Touched::new(ground.files, account);
    let mut fish = setting.fish(ground, &touched, setting.begin(ground.files, start));
    fish.run_file(path, None);
    let mut outcome = fish.finish();
    outcome.decided = Arc::new(decided(&outcome));
    settle(outcome, start)
}

/// Follows fish from its start to the program that it runs.
pub(crate) fn interpret(
    ground: Ground<'_>,
    account: &Account,
    start: &Handed,
    open: Option<Arc<Doubt>>,
    folder: &[u8],
    invocation: &Invocation,
) -> Started {
    let setting = Setting::new(account, open, folder, invocation);
    let mut begin = setting.begin(ground.files, start);
    let outcome = ground.shells.and_then(|shells| shells.find_fish(&setting, &begin)).unwrap_or_else(|| {
        let mut outcome = setting.follow(ground, begin.fork());
        outcome.decided = Arc::new(decided(&outcome));
        if let Some(shells) = ground.shells {
            shells.keep_fish(setting, begin, &mut outcome);
        }
        outcome
    });
    settle(outcome, start)
}

/// What fish sets where no locale is set: it looks for one, or takes a usual one.
fn locale(files: &dyn HostView, home: &[u8]) -> Vec<(&'static str, Var)> {
    let var = |items, is_perhaps| Var { items, exported: Some(true), is_path: false, may_be_path: false, is_perhaps, site: None };
    let own = [home, b"/.config/locale.conf"].concat();
    if [&own[..], b"/etc/locale.conf", b"/etc/default/locale"].iter().all(|path| files.kind(path) == Kind::Missing) {
        return vec![("LC_CTYPE", var(Ok(vec![Val::of(b"en_US.UTF-8")]), false))];
    }
    let doubt = Doubt::new("fish looks for the locale in files of the system", None);
    let names = ["LANG", "LC_CTYPE", "LC_TIME", "LC_MESSAGES", "LC_COLLATE", "LC_MONETARY", "LC_NUMERIC"];
    names.into_iter().map(|name| (name, var(Err(doubt.clone()), true))).collect()
}

/// The folders in which functions lie that are taken in when they are called.
fn function_path(fish: &Fish<'_>, config: &[u8]) -> Result<Vec<Val>, Arc<Doubt>> {
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
    let mut all = Vec::new();
    for folder in folders {
        let mut names = fish.ground.files.list(&folder).unwrap_or_default();
        names.retain(|n| n.ends_with(b".fish"));
        names.sort();
        all.push((folder, names));
    }
    fish.read_ahead(all.iter().flat_map(|(folder, names)| names.iter().map(|name| [&folder[..], b"/", name].concat())));
    let mut seen: Vec<Bytes> = Vec::new();
    for (folder, names) in all {
        for name in names {
            if fish.live.is_none() {
                return;
            }
            // Whether the name came already and whether the file may be read is the status that is left, or with which
            // the file begins; the configuration begins with that of the last of them (measured).
            fish.set_status(0);
            if !seen.contains(&name) {
                seen.push(name.clone());
                let path = [&folder[..], b"/", &name].concat();
                fish.run_file(&path, None);
            }
        }
    }
}

/// Functions that fish calls before its first prompt, if they are there.
const AT_PROMPT: &[&[u8]] = &[b"fish_greeting", b"fish_mode_prompt", b"fish_prompt", b"fish_right_prompt"];

impl Fish<'_> {
    /// What runs before the first prompt; those that come with fish set nothing.
    fn before_prompt(&mut self) {
        for name in AT_PROMPT {
            let is_own =
                self.function(name).is_some_and(|named| !matches!(named, Named::Erased)) || self.autoloaded(name).is_some();
            if self.live.is_some() && is_own && self.manner.is_interactive() {
                let status = self.live.as_ref().map(|state| state.status.clone());
                self.captured(|m| m.named(name, &[]));
                if let (Some(state), Some(status)) = (&mut self.live, status) {
                    state.status = status;
                }
            }
        }
    }

    /// Where another shell came before its prompt is its end, if all ways lead to one.
    fn succeed(&mut self) {
        let Some(left) = self.stopped.take() else { return };
        let goes_on = self.live.is_some();
        self.live = branch::join(self.live.take(), Some(left), &Doubt::new(PARTED, None));
        if self.succession.only(goes_on).is_none() {
            self.fog(NOT_FOLLOWED);
        }
    }

    fn finish(mut self) -> Outcome<State> {
        let left = self.ended();
        let ended = Ended::of(self.live.is_some(), left.is_some());
        let Fish { live, log, skipped, read, end, succession, .. } = self;
        let (log, decided, startup) = (Arc::new(log), Arc::default(), Vec::new());
        Outcome { state: live, ended, end, log, decided, skipped, read, startup, successor: succession.into_one() }
    }
}

impl State {
    /// Returns what is handed on of a name: of several of that name, the innermost that is exported, unless one that is
    /// not hides it.
    fn handed_on(&self, name: &[u8]) -> Option<Var> {
        let (mut handed, mut is_veiled): (Option<Var>, bool) = (None, false);
        for var in self.scopes.iter().skip(1).filter_map(|scope| scope.vars.at_last(name)) {
            handed = match (handed, var.exported) {
                // One that may not be there may show what it hides.
                (Some(hidden), _) if var.is_perhaps => {
                    let doubt = Doubt::new("whether a variable hides another of its name", var.site.clone());
                    Some(Var { items: Err(doubt), exported: None, is_perhaps: true, ..hidden })
                }
                (before, Some(false)) => {
                    is_veiled |= before.is_none() && var.is_perhaps;
                    None
                }
                _ => Some(var.into_owned()),
            };
        }
        let universal = || {
            let var = self.scopes.first()?.vars.at_last(name).filter(|var| var.exported != Some(false))?;
            Some(Var { is_perhaps: var.is_perhaps || is_veiled, ..var.into_owned() })
        };
        handed.or_else(universal)
    }
}

impl Var {
    /// What is handed on of it.
    fn last(self) -> Last {
        let value = match &self.items {
            Ok(items) => joined(items, if self.is_path { b":" } else { b" " }),
            Err(doubt) => Val::unknown(doubt.clone()),
        };
        Last::new(value, self.is_perhaps || self.exported.is_none(), self.site.filter(|site| !site.path.is_empty()))
    }
}

/// What lines decided of what is handed on, whatever was handed in.
fn decided(outcome: &Outcome<State>) -> Decided {
    let state = outcome.state.as_ref();
    // What hides all that was handed in under its name.
    let changed = state.and_then(State::globals).into_iter().flat_map(Vars::changed);
    let last = changed.map(|name| (name, state.and_then(|state| state.handed_on(name)).map(Var::last)));
    let last = last.map(|(name, last)| (name, last.filter(|last| last.site.is_some())));
    // What is set in other scopes only may be hidden by what was handed in.
    let others = state.iter().flat_map(|state| state.scopes.iter().filter(|scope| scope.kind != Kept::Global));
    Decided::of(last.chain(others.flat_map(|scope| scope.vars.changed().map(|name| (name, None)))), &outcome.log)
}

/// Compares what is handed on with what was handed in.
fn settle(outcome: Outcome<State>, start: &Handed) -> Started {
    let Outcome { state, ended, end, log, decided, skipped, read, startup, successor } = outcome;
    let mut started = Started { ended, end, log, decided, skipped, read, startup, successor, ..Started::default() };
    let Some(state) = state else { return started };
    started.open.clone_from(&state.open);
    let Some(globals) = state.globals() else { return started };
    for name in globals.others(started.decided.others()).collect::<BTreeSet<&Bytes>>() {
        if started.decided.contains(name) {
            continue;
        }
        let is_own = name.starts_with(b"__fish") || name.starts_with(b"fish_");
        let kept = globals.at_last(name).filter(|var| var.exported == Some(false) && !is_own);
        if let Some(site) = kept.and_then(|var| var.site.clone()).filter(|site| !site.path.is_empty()) {
            started.kept.push((name.clone(), site));
        }
        let Some(var) = state.handed_on(name) else {
            if start.contains(name) {
                let site = started.log.of(name).next_back().map(|a| a.site.clone());
                started.gone.push((name.clone(), site));
            }
            continue;
        };
        let is_by_itself = var.site.is_none();
        let last = var.last();
        let is_as_handed = || start.get(name).is_some_and(|was| was == (last.value.clone(), last.may_be_absent));
        if !is_by_itself || !is_as_handed() {
            started.changed.insert(name.clone(), last);
        }
    }
    started
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::{hold_fish, out_of_fish_handed};

    #[test]
    fn what_fish_makes_of_what_it_is_handed() {
        for (handed, text, expected) in [
            (("PATH", "/usr/bin::/bin:"), "set -gx OUT $PATH", "/usr/bin . /bin ."),
            (("MANPATH", "/a::/b"), "set -gx OUT (count $MANPATH)", "3"),
            (("USER", "quay"), "set -gx OUT $USER", "odile"),
            (("USER", "odile"), "set -gx OUT $USER", "odile"),
            (("HOME", ""), "set -gx OUT $HOME", "/home/odile"),
            (("EUID", "7"), "set -gx OUT $EUID", "1000"),
            (("argv", "q"), "set -gx OUT (count $argv)", "0"),
            (("fish_user_paths", "/opt"), "set -gx OUT $PATH (count $fish_user_paths)", "/usr/bin 0"),
            (("GATE", "7"), "set -gx OUT $GATE", "7"),
        ] {
            assert_eq!(out_of_fish_handed(handed, text), expected, "{handed:?} {text}");
        }
    }

    #[test]
    fn what_fish_begins_with() {
        hold_fish(&[
            ("set -gx OUT (count $argv)", "0"),
            ("set -gx OUT (status is-interactive; echo $status)", "1"),
            ("set -gx OUT (status is-login; echo $status)", "1"),
            ("set -gx OUT $HOME", "/home/odile"),
            ("set -q LANG; set -gx OUT $status", "1"),
            ("set -gx OUT (set -q fish_pid; echo $status)", "0"),
            ("set -gx OUT (set -q status; echo $status)", "0"),
            ("set SHLVL 5; set -gx OUT $status", "1"),
            ("set version 1; set -gx OUT $status", "1"),
            ("set -gx OUT (string match -q '3.*' $version; echo $status)", "<unknown>"),
            ("set -gx OUT a b; set -gx OUT $OUT[2]", "b"),
            ("set -gx --path OUT /a /b", "/a:/b"),
            ("set -gx OUT_PATH /a /b; set -gx OUT $OUT_PATH", "/a /b"),
            ("set -gx OUT (count $OUT_PATH)", "0"),
            ("set -gx OUTPATH a:b; set -gx OUT (count $OUTPATH)", "2"),
        ]);
    }
}
