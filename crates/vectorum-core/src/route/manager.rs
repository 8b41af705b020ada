//! The service managers and their services (systemd 252: systemd.exec(5), systemd-system.conf(5),
//! environment.d(5)).

use std::collections::HashSet;

use bytes::Bytes;

use super::pam::PamSet;
use super::unit::{self, Setting};
use super::{Account, Forecast, Ground, Held, Laid, Reached, Site, laid, matching, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::unit::{common_specifier, with_specifiers, words};
use crate::reader::{Effect, Surroundings, is_portable, place, read_folder, reader};

/// What both managers begin with.
const PATH: &str = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";

pub(super) const LOCALE_NAMES: &[&[u8]] = &[
    b"LANG",
    b"LANGUAGE",
    b"LC_CTYPE",
    b"LC_NUMERIC",
    b"LC_TIME",
    b"LC_COLLATE",
    b"LC_MONETARY",
    b"LC_MESSAGES",
    b"LC_PAPER",
    b"LC_NAME",
    b"LC_ADDRESS",
    b"LC_TELEPHONE",
    b"LC_MEASUREMENT",
    b"LC_IDENTIFICATION",
];

type Specifier<'a> = &'a dyn Fn(u8) -> Option<Vec<u8>>;

/// The assignments of settings of one key, in order; an empty setting begins anew.
fn assigned(settings: &[Setting], section: &[u8], key: &[u8], specifier: Specifier<'_>) -> Vec<Laid> {
    let mut out = Vec::new();
    for setting in settings.iter().filter(|s| s.section == section && s.key == key) {
        if setting.value.is_empty() {
            out.clear();
        }
        for word in words(&setting.value) {
            let Some(text) = with_specifiers(&word, specifier) else { continue };
            let Some(at) = memchr::memchr(b'=', &text) else { continue };
            let (name, value) = (text.get(..at).unwrap_or_default(), text.get(at + 1..).unwrap_or_default());
            if is_portable(name) && std::str::from_utf8(&text).is_ok() {
                let effect = Effect::Set(Bytes::copy_from_slice(value));
                out.push(Laid { name: Bytes::copy_from_slice(name), effect, site: setting.site.clone(), copies: None });
            }
        }
    }
    out
}

/// The words of settings of one key, with their sites.
fn listed(settings: &[Setting], key: &[u8], specifier: Specifier<'_>) -> Vec<(Vec<u8>, Site)> {
    let mut out = Vec::new();
    for setting in settings.iter().filter(|s| s.section == b"Service" && s.key == key) {
        if setting.value.is_empty() {
            out.clear();
        }
        let resolved = words(&setting.value).into_iter().filter_map(|w| with_specifiers(&w, specifier));
        out.extend(resolved.map(|w| (w, setting.site.clone())));
    }
    out
}

/// A manager's configuration: its file and drop-ins.
fn configuration(ground: &Ground<'_>, file: &[u8], folders: &[&str], own: Option<Vec<u8>>) -> Result<Vec<Setting>, &'static str> {
    let mut out = unit::read(ground, file)?;
    let mut places: Vec<Vec<u8>> = own.into_iter().collect();
    places.extend(folders.iter().map(|f| f.as_bytes().to_vec()));
    for path in unit::drop_ins(ground, &places) {
        out.extend(unit::read(ground, &path)?);
    }
    Ok(out)
}

/// The system manager's own block, beside the one that it gives: only `PassEnvironment=` reaches it.
fn own_block(forecast: &Forecast, settings: &[Setting]) -> Block {
    let mut edit = forecast.block().edit();
    for entry in assigned(settings, b"Manager", b"ManagerEnvironment", &|_| None) {
        if let (Some(name), Effect::Set(value)) = (crate::Name::new(entry.name), entry.effect)
            && let Some(value) = crate::Value::new(value)
        {
            edit.set(&name, &value);
        }
    }
    edit.finish()
}

/// The block that the system manager gives to every service. Returns the manager's own besides.
fn manager_block(forecast: &mut Forecast, ground: &Ground<'_>) -> Block {
    const FOLDERS: &[&str] = &[
        "/etc/systemd/system.conf.d",
        "/run/systemd/system.conf.d",
        "/usr/local/lib/systemd/system.conf.d",
        "/usr/lib/systemd/system.conf.d",
    ];
    forecast.hop("the system manager");
    let settings = match configuration(ground, b"/etc/systemd/system.conf", FOLDERS, None) {
        Ok(settings) => settings,
        Err(why) => {
            forecast.open(why, None);
            Vec::new()
        }
    };
    let own = own_block(forecast, &settings);
    forecast.keep("the manager hands nothing of its own block on", |_| false);
    forecast.set(b"PATH", PATH);
    locale(forecast, ground);
    forecast.lay(assigned(&settings, b"Manager", b"DefaultEnvironment", &|letter| {
        matches!(letter, b'T' | b'V').then(|| common_specifier(letter, &Surroundings::default())).flatten()
    }));
    as_running(forecast, ground.running.and_then(|r| r.system.as_deref()));
    own
}

/// Where a manager runs, its own word counts: it holds what was set while it runs, and files as they
/// were when it last read them.
fn as_running(forecast: &mut Forecast, running: Option<&[Bytes]>) {
    let Some(entries) = running else { return };
    let mut told: Vec<(&[u8], &[u8])> = Vec::new();
    for entry in entries {
        if let Some(at) = memchr::memchr(b'=', entry) {
            told.push((entry.get(..at).unwrap_or_default(), entry.get(at + 1..).unwrap_or_default()));
        }
    }
    forecast.open = None;
    let names: HashSet<&[u8]> = told.iter().map(|(name, _)| *name).collect();
    let why = "the running manager does not have it: it read its files before they were changed, or it was unset since";
    forecast.drop_names(why, |name, _| !names.contains(name));
    for (name, value) in told {
        if forecast.known(name).is_none_or(|known| known != value) {
            forecast.put(name, Held::Known(Bytes::copy_from_slice(value)), None);
            if let Some(event) = forecast.events.last_of(name) {
                event.why =
                    Some("the running manager says so: it was set while it runs, or its files were changed since it read them");
            }
        }
    }
}

/// A program that the system manager is asked to start, without a unit's file (`systemd-run`).
pub fn transient(forecast: &mut Forecast, ground: &Ground<'_>) {
    let own = manager_block(forecast, ground);
    let root = root_account(ground);
    service(forecast, ground, b"run-transient.service", &[], &own, &root, true);
}

/// The same of the account's own manager; what a desktop starts comes that way, too.
pub fn user_transient(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    let own = user_block(forecast, ground, account, &[]);
    if forecast.reached != Reached::Yes {
        return;
    }
    forecast.put(b"MANAGERPID", Held::PerRun, None);
    service(forecast, ground, b"run-transient.service", &[], &own, account, false);
}

/// The locale's names come from the first of two files that sets any of them.
fn locale(forecast: &mut Forecast, ground: &Ground<'_>) {
    for path in [&b"/etc/locale.conf"[..], b"/etc/default/locale"] {
        let Content::Bytes(file) = ground.read(path) else { continue };
        let Some(reader) = reader("systemd-environment-file") else { continue };
        let reading = reader.read(&file, &Surroundings::default());
        let mut entries = laid(path, &file, reading);
        entries.retain(|l| LOCALE_NAMES.contains(&&l.name[..]) && matches!(&l.effect, Effect::Set(v) if !v.is_empty()));
        if !entries.is_empty() {
            return forecast.lay(entries);
        }
    }
    forecast.set(b"LANG", "C.UTF-8");
}

/// The block that the system manager gives to its services, before any unit's own settings.
pub fn system_manager(forecast: &mut Forecast, ground: &Ground<'_>) {
    manager_block(forecast, ground);
}

/// A service of the system manager. The forecast begins with the block of process 1.
pub fn system_service(forecast: &mut Forecast, ground: &Ground<'_>, name: &[u8]) {
    let own = manager_block(forecast, ground);
    let folders = unit::unit_folders(None);
    match unit::load(ground, name, &folders) {
        Ok(Some(settings)) => {
            let root = root_account(ground);
            service(forecast, ground, name, &settings, &own, &root, true);
        }
        Ok(None) => forecast.fails("there is no such unit, or it is masked", None),
        Err(why) => forecast.open(why, None),
    }
}

fn root_account(ground: &Ground<'_>) -> Account {
    ground.account(b"root").cloned().unwrap_or(Account {
        name: "root".into(),
        uid: 0,
        gid: 0,
        home: "/root".into(),
        shell: "/bin/sh".into(),
    })
}

/// The last setting of a key; an empty one counts as none.
fn last<'a>(settings: &'a [Setting], key: &[u8]) -> Option<&'a Setting> {
    settings.iter().rev().find(|s| s.section == b"Service" && s.key == key).filter(|s| !s.value.is_empty())
}

/// Lays a service's own settings over its manager's block, the weakest first.
fn service(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    name: &[u8],
    settings: &[Setting],
    own: &Block,
    account: &Account,
    is_system: bool,
) {
    forecast.hop(String::from_utf8_lossy(name).into_owned());
    let mut account = account.clone();
    let mut has_user = false;
    let plain = |letter: u8, account: &Account| {
        let stem = name.get(..memchr::memrchr(b'.', name).unwrap_or(name.len())).unwrap_or_default();
        Some(match letter {
            b'n' => name.to_vec(),
            b'N' => stem.to_vec(),
            b'p' | b'P' => stem.split(|b| *b == b'@').next().unwrap_or_default().to_vec(),
            b'i' | b'I' => unit::instance(name).to_vec(),
            b't' if is_system => b"/run".to_vec(),
            other => return common_specifier(other, &surroundings(account, Block::empty())),
        })
    };
    if is_system && let Some(user) = last(settings, b"User") {
        let wanted = with_specifiers(&user.value, &|letter| plain(letter, &account)).unwrap_or_default();
        match ground.account(&wanted) {
            Some(found) => account = found.clone(),
            None => return forecast.fails("the unit's account does not exist", Some(user.site.clone())),
        }
        has_user = true;
        let site = Some(user.site.clone());
        for (key, value) in
            [(&b"HOME"[..], &account.home), (b"LOGNAME", &account.name), (b"USER", &account.name), (b"SHELL", &account.shell)]
        {
            forecast.put(key, Held::Known(value.clone()), site.clone());
        }
    }
    let specifier = |letter: u8| plain(letter, &account);
    for name in ["INVOCATION_ID", "SYSTEMD_EXEC_PID"] {
        forecast.put(name.as_bytes(), Held::PerRun, None);
    }
    if last(settings, b"StandardOutput").is_none_or(|s| s.value.starts_with(b"journal") || s.value == b"inherit") {
        forecast.put(b"JOURNAL_STREAM", Held::PerRun, None);
    }
    if is_system {
        directories(forecast, settings, &specifier);
    }
    for (name, site) in listed(settings, b"PassEnvironment", &specifier) {
        if let Some(value) = own.get(&name) {
            forecast.put(&name, Held::Known(Bytes::copy_from_slice(value)), Some(site));
        }
    }
    forecast.lay(assigned(settings, b"Service", b"Environment", &specifier));
    environment_files(forecast, ground, settings, &specifier);
    if let (Some(service), true) = (last(settings, b"PAMName"), has_user) {
        let seeds = forecast.vars().filter_map(|(name, v)| match &v.held {
            Held::Known(value) => Some(Laid {
                name: name.clone(),
                effect: Effect::Set(value.clone()),
                site: v.site.clone().unwrap_or_else(|| service.site.clone()),
                copies: None,
            }),
            _ => None,
        });
        let mut set = PamSet::seeded(seeds.collect::<Vec<_>>());
        set.session(ground, &service.value, &account);
        if let Some(site) = set.failed.take() {
            return forecast.fails(super::pam::FAILED, Some(site));
        }
        let unknown = set.unknown;
        let before: Vec<(Bytes, Held)> = forecast.vars().map(|(n, v)| (n.clone(), v.held.clone())).collect();
        let is_new = |l: &Laid| {
            let Effect::Set(value) = &l.effect else { return true };
            !before.iter().any(|(n, held)| *n == l.name && *held == Held::Known(value.clone()))
        };
        forecast.lay(set.entries().into_iter().filter(is_new).collect());
        if let Some(why) = unknown {
            forecast.open(why, None);
        }
    }
    for (word, site) in listed(settings, b"UnsetEnvironment", &specifier) {
        let why = Some("the unit removes it at the very end");
        match memchr::memchr(b'=', &word) {
            None if word != b"SYSTEMD_EXEC_PID" => forecast.drop_name(&word, why, Some(site)),
            Some(at) => {
                let (name, value) = word.split_at(at);
                if forecast.known(name).is_some_and(|v| *v == value.get(1..).unwrap_or_default()) {
                    forecast.drop_name(name, why, Some(site));
                }
            }
            None => {}
        }
    }
}

/// `STATE_DIRECTORY` and its like: a list of the folders made for the service.
fn directories(forecast: &mut Forecast, settings: &[Setting], specifier: Specifier<'_>) {
    for (key, name, base) in [
        (&b"RuntimeDirectory"[..], "RUNTIME_DIRECTORY", "/run/"),
        (b"StateDirectory", "STATE_DIRECTORY", "/var/lib/"),
        (b"CacheDirectory", "CACHE_DIRECTORY", "/var/cache/"),
        (b"LogsDirectory", "LOGS_DIRECTORY", "/var/log/"),
        (b"ConfigurationDirectory", "CONFIGURATION_DIRECTORY", "/etc/"),
    ] {
        let found = listed(settings, key, specifier);
        if let Some((_, site)) = found.last() {
            let path = |(word, _): &(Vec<u8>, Site)| {
                let first = word.split(|b| *b == b':').next().unwrap_or_default();
                [base.as_bytes(), first].concat()
            };
            let value = found.iter().map(path).collect::<Vec<_>>().join(&b':');
            forecast.put(name.as_bytes(), Held::Known(value.into()), Some(site.clone()));
        }
    }
}

/// Lays the files that a unit names over the block, in the order of the settings.
fn environment_files(forecast: &mut Forecast, ground: &Ground<'_>, settings: &[Setting], specifier: Specifier<'_>) {
    let mut files: Vec<(Vec<u8>, bool, Site)> = Vec::new();
    for setting in settings.iter().filter(|s| s.section == b"Service" && s.key == b"EnvironmentFile") {
        if setting.value.is_empty() {
            files.clear();
            continue;
        }
        let Some(value) = with_specifiers(&setting.value, specifier) else { continue };
        let (path, may_lack) = value.strip_prefix(b"-").map_or((&value[..], false), |p| (p, true));
        // A relative path is passed over.
        if path.first() == Some(&b'/') {
            files.push((path.to_vec(), may_lack, setting.site.clone()));
        }
    }
    for (pattern, may_lack, site) in files {
        let paths = matching(ground, &pattern);
        if paths.is_empty() && !may_lack {
            return forecast.fails("an environment file of the unit is not there: the unit does not start", Some(site));
        }
        for path in paths {
            match ground.read(&path) {
                Content::Bytes(file) => {
                    let Some(reader) = reader("systemd-environment-file") else { return };
                    let reading = reader.read(&file, &Surroundings::default());
                    if let Some(complaint) = reading.complaints.iter().find(|c| c.is_fatal) {
                        let line = place(&file, complaint.at).0;
                        let site = Site { path: path.clone(), line };
                        // With `-` the manager goes on without it.
                        if may_lack {
                            continue;
                        }
                        return forecast
                            .fails("an environment file of the unit cannot be read: the unit does not start", Some(site));
                    }
                    forecast.lay(laid(&path, &file, reading));
                }
                Content::Missing if may_lack => {}
                Content::Missing => {
                    return forecast.fails("an environment file of the unit is not there: the unit does not start", Some(site));
                }
                Content::Denied => forecast.open("an environment file of the unit may not be read", Some(site.clone())),
            }
        }
    }
}

/// The block of an account's manager. `runtime` is what was set (or unset) in it while it runs.
pub fn user_manager(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account, runtime: &[(Bytes, Option<Bytes>)]) {
    user_block(forecast, ground, account, runtime);
}

/// The same; returns the manager's own block besides, which `PassEnvironment=` reaches.
fn user_block(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account, runtime: &[(Bytes, Option<Bytes>)]) -> Block {
    let own = manager_block(forecast, ground);
    let unit_name = format!("user@{}.service", account.uid).into_bytes();
    let folders = unit::unit_folders(None);
    let settings = unit::load(ground, &unit_name, &folders)
        .and_then(|found| found.map_or_else(|| unit::dropped_in(ground, &unit_name, &folders), Ok));
    let mut settings = match settings {
        Ok(settings) => settings,
        Err(why) => {
            forecast.open(why, None);
            return own;
        }
    };
    // The stock unit says so (its `%i` is the number).
    let site = Site { path: "/usr/lib/systemd/system/user@.service".into(), line: 0 };
    let stock = |key: &str, value: &str| Setting {
        section: b"Service".to_vec(),
        key: key.as_bytes().to_vec(),
        value: value.as_bytes().to_vec(),
        site: site.clone(),
    };
    if last(&settings, b"User").is_none() {
        settings.insert(0, stock("User", "%i"));
        settings.insert(0, stock("PAMName", "systemd-user"));
    }
    service(forecast, ground, &unit_name, &settings, &own, account, true);
    if forecast.reached != Reached::Yes {
        return own;
    }
    forecast.hop(format!("the manager of {}", String::from_utf8_lossy(&account.name)));
    for name in [&b"INVOCATION_ID"[..], b"SYSTEMD_EXEC_PID", b"JOURNAL_STREAM", b"NOTIFY_SOCKET"] {
        forecast.drop_name(name, Some("a manager keeps what is its own"), None);
    }
    let run = format!("/run/user/{}", account.uid);
    forecast.set(b"XDG_RUNTIME_DIR", &run);
    forecast.set(b"PATH", PATH);
    const FOLDERS: &[&str] = &[
        "/etc/systemd/user.conf.d",
        "/run/systemd/user.conf.d",
        "/usr/local/lib/systemd/user.conf.d",
        "/usr/lib/systemd/user.conf.d",
    ];
    let home = |rest: &str| [&account.home[..], rest.as_bytes()].concat();
    let file = Some(home("/.config/systemd/user.conf")).filter(|p| ground.files.real_path(p).is_some());
    let file = file.unwrap_or_else(|| b"/etc/systemd/user.conf".to_vec());
    let drop_ins = Some(home("/.config/systemd/user.conf.d"));
    let mut own = forecast.block();
    match configuration(ground, &file, FOLDERS, drop_ins) {
        Ok(settings) => {
            let around = surroundings(account, Block::empty());
            let specifier = |letter| common_specifier(letter, &around);
            forecast.lay(assigned(&settings, b"Manager", b"ManagerEnvironment", &specifier));
            own = forecast.block();
            forecast.lay(assigned(&settings, b"Manager", b"DefaultEnvironment", &specifier));
        }
        Err(why) => forecast.open(why, None),
    }
    environment_d(forecast, ground, account);
    forecast.set(b"DBUS_SESSION_BUS_ADDRESS", format!("unix:path={run}/bus"));
    as_running(forecast, ground.running.and_then(|r| r.user.as_deref()));
    if !runtime.is_empty() {
        forecast.hop("set while the manager runs");
    }
    let before = forecast.vars.clone();
    for (name, value) in runtime {
        match value {
            Some(value) => forecast.put(name, Held::Known(value.clone()), None),
            // What the files say comes back.
            None => match before.get(name) {
                Some(variable) => {
                    forecast.vars.insert(name.clone(), variable.clone());
                }
                None => forecast.drop_name(name, Some("it was unset while the manager runs"), None),
            },
        }
    }
    own
}

/// The generator that reads environment.d.
fn environment_d(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    forecast.hop("environment.d");
    let mut folders = vec![[&account.home[..], b"/.config/environment.d"].concat()];
    for folder in ["/etc", "/run", "/usr/local/lib", "/usr/lib"] {
        folders.push(format!("{folder}/environment.d").into_bytes());
    }
    let mut files: Vec<(Bytes, Bytes, Bytes)> = Vec::new();
    for path in unit::drop_ins(ground, &folders) {
        let slash = memchr::memrchr(b'/', &path).unwrap_or(0);
        match ground.read(&path) {
            Content::Bytes(bytes) => {
                // Lines count in the file that a link leads to.
                let real = ground.files.real_path(&path).unwrap_or_else(|| path.clone());
                files.push((path.slice(slash + 1..), bytes, real));
            }
            Content::Missing => {}
            Content::Denied => forecast.open("a file of environment.d may not be read", None),
        }
    }
    let named: Vec<(&[u8], &[u8])> = files.iter().map(|(name, bytes, _)| (&name[..], &bytes[..])).collect();
    let around = surroundings(account, forecast.block());
    let readings = read_folder(&named, &around);
    for (at, reading) in readings {
        if let Some((_, bytes, path)) = files.get(at) {
            forecast.lay(laid(path, bytes, reading));
        }
    }
}

/// A service of an account's manager.
pub fn user_service(
    forecast: &mut Forecast,
    ground: &Ground<'_>,
    account: &Account,
    runtime: &[(Bytes, Option<Bytes>)],
    name: &[u8],
) {
    let own = user_block(forecast, ground, account, runtime);
    if forecast.reached != Reached::Yes {
        return;
    }
    match unit::load(ground, name, &unit::unit_folders(Some(&account.home))) {
        Ok(Some(settings)) => {
            forecast.put(b"MANAGERPID", Held::PerRun, None);
            service(forecast, ground, name, &settings, &own, account, false);
        }
        Ok(None) => forecast.fails("there is no such unit, or it is masked", None),
        Err(why) => forecast.open(why, None),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;
    use crate::route::{Held, Reached};

    /// What a service of the system's manager receives, but for what every one does.
    fn received(files: &[(&str, &str)]) -> String {
        const EACH: &[&[u8]] =
            &[b"INVOCATION_ID", b"JOURNAL_STREAM", b"SYSTEMD_EXEC_PID", b"PATH", b"LANG", b"MEMORY_PRESSURE_WATCH"];
        let mut tree = MemoryTree::default();
        files.iter().for_each(|(path, text)| tree.file(path, text.as_bytes().to_vec(), false));
        let accounts = Account::made_up("/bin/bash");
        let ground = Ground::new(&tree, &accounts);
        let mut forecast = Forecast::begin(&Block::empty());
        system_service(&mut forecast, &ground, b"berth-board.service");
        if forecast.reached != Reached::Yes {
            return "does not start".to_owned();
        }
        let told = forecast.vars().filter(|(name, _)| !EACH.contains(&&name[..])).map(|(name, variable)| {
            let name = String::from_utf8_lossy(name);
            match &variable.held {
                Held::Known(value) => format!("{name}={}", String::from_utf8_lossy(value)),
                _ => format!("{name}?"),
            }
        });
        told.collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn a_service_receives_what_its_settings_say() {
        const UNIT: &str = "/etc/systemd/system/berth-board.service";
        const MORE: &str = "/etc/systemd/system/berth-board.service.d/10.conf";
        for (files, told) in [
            (&[(UNIT, "[Service]\nEnvironment=LANE=1 \"GATE=a b\"\nEnvironment=LANE=2")][..], "GATE=a b LANE=2"),
            (&[(UNIT, "[Service]\nEnvironment=LANE=1\nEnvironment=\nEnvironment=GATE=2")], "GATE=2"),
            (&[(UNIT, "[Unit]\nEnvironment=LANE=1\n[Service]\n")], ""),
            (&[(UNIT, "[Service]\nEnvironment=UNIT=%n STEM=%p SIGN=%%")], "SIGN=% STEM=berth-board UNIT=berth-board.service"),
            (&[(UNIT, "[Service]\nEnvironment=LANE=1"), (MORE, "[Service]\nEnvironment=LANE=2")], "LANE=2"),
            (&[(UNIT, "[Service]\nEnvironment=LANE=1 GATE=2"), (MORE, "[Service]\nUnsetEnvironment=LANE GATE=3")], "GATE=2"),
            (
                &[(UNIT, "[Service]\nEnvironment=LANE=1\nEnvironmentFile=/etc/lanes"), ("/etc/lanes", "LANE=2\nGATE=3")],
                "GATE=3 LANE=2",
            ),
            (&[(UNIT, "[Service]\nEnvironmentFile=-/etc/none")], ""),
            (&[(UNIT, "[Service]\nEnvironmentFile=/etc/none")], "does not start"),
            (
                &[
                    (UNIT, "[Service]\nPassEnvironment=PIER"),
                    ("/etc/systemd/system.conf", "[Manager]\nManagerEnvironment=PIER=4 TIDE=1"),
                ],
                "PIER=4",
            ),
            (&[(UNIT, "[Service]\n"), ("/etc/systemd/system.conf", "[Manager]\nDefaultEnvironment=PIER=4")], "PIER=4"),
            (
                &[(UNIT, "[Service]\nEnvironment=PIER=5"), ("/etc/systemd/system.conf", "[Manager]\nDefaultEnvironment=PIER=4")],
                "PIER=5",
            ),
            (&[(UNIT, "[Service]\nUser=odile")], "HOME=/home/odile LOGNAME=odile SHELL=/bin/bash USER=odile"),
            (&[("/etc/systemd/system/other.service", "[Service]\n")], "does not start"),
        ] {
            assert_eq!(received(files), told, "{files:?}");
        }
    }
}
