//! Programs that another program starts for a person: a pane of a terminal multiplexer, a debugger's
//! child, a test's child (tmux 3.3a, gdb 13.1, cargo 1.95).

use bytes::Bytes;
use toml_edit::{Document, Item};

use super::shell::{self, Form, Start};
use super::{Account, Forecast, Ground, Held, Site};
use crate::host_view::Content;
use crate::reader::place;

/// A pane, in which a login shell runs. The server was started from where the route stands.
pub fn tmux_pane(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    forecast.hop("tmux");
    // The server counts for a shell of its own.
    forecast.drop_name(b"SHLVL", Some("tmux begins to count shells anew"), None);
    forecast.put(b"TERM", Held::Unknown("tmux's own setting decides"), None);
    forecast.set(b"TERM_PROGRAM", "tmux");
    for name in ["TERM_PROGRAM_VERSION", "TMUX", "TMUX_PANE"] {
        forecast.put(name.as_bytes(), Held::PerRun, None);
    }
    let shell = forecast.known(b"SHELL").cloned().unwrap_or_else(|| account.shell.clone());
    forecast.set(b"SHELL", &shell);
    let folder = forecast.known(b"PWD").cloned().unwrap_or_else(|| account.home.clone());
    let settings = [&account.home[..], b"/.tmux.conf"].concat();
    for path in [&b"/etc/tmux.conf"[..], &settings] {
        if let Content::Bytes(file) = ground.read(path)
            && memchr::memmem::find(&file, b"environment").is_some()
        {
            let site = Site { path: Bytes::copy_from_slice(path), line: 1 };
            forecast.open("settings of tmux change its block", Some(site));
        }
    }
    shell::run(forecast, ground, &shell, Start::LoginTerminal, account, &folder);
}

/// A debugger's child: the shell that SHELL names becomes it.
pub fn debugger(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    forecast.hop("gdb");
    for name in ["LINES", "COLUMNS"] {
        forecast.put(name.as_bytes(), Held::PerRun, None);
    }
    let settings = [&account.home[..], b"/.gdbinit"].concat();
    if let Content::Bytes(file) = ground.read(&settings)
        && memchr::memmem::find(&file, b"env").is_some()
    {
        forecast.open("settings of gdb may change its child's block", Some(Site { path: settings.into(), line: 1 }));
    }
    let shell = forecast.known(b"SHELL").cloned().unwrap_or_else(|| Bytes::from_static(b"/bin/sh"));
    let folder = forecast.known(b"PWD").cloned().unwrap_or_else(|| account.home.clone());
    shell::run(forecast, ground, &shell, Start::Command(Form::Becomes), account, &folder);
}

/// What the build tool gives to each test besides.
const GIVEN: &[&str] = &[
    "CARGO",
    "CARGO_MANIFEST_DIR",
    "CARGO_MANIFEST_PATH",
    "CARGO_PKG_NAME",
    "CARGO_PKG_VERSION",
    "CARGO_PKG_VERSION_MAJOR",
    "CARGO_PKG_VERSION_MINOR",
    "CARGO_PKG_VERSION_PATCH",
    "CARGO_PKG_VERSION_PRE",
    "CARGO_PKG_AUTHORS",
    "CARGO_PKG_DESCRIPTION",
    "CARGO_PKG_HOMEPAGE",
    "CARGO_PKG_REPOSITORY",
    "CARGO_PKG_LICENSE",
    "CARGO_PKG_LICENSE_FILE",
    "CARGO_PKG_README",
    "CARGO_PKG_RUST_VERSION",
    "LD_LIBRARY_PATH",
];

/// A test's child under cargo: the caller's block, the `[env]` table of the account's configuration, and
/// what the package decides.
pub fn cargo_test(forecast: &mut Forecast, ground: &Ground<'_>, account: &Account) {
    forecast.hop("cargo test");
    let home = forecast.known(b"CARGO_HOME").cloned().unwrap_or_else(|| [&account.home[..], b"/.cargo"].concat().into());
    for name in ["config", "config.toml"] {
        let path = Bytes::from([&home[..], b"/", name.as_bytes()].concat());
        match ground.read(&path) {
            Content::Bytes(file) => {
                table(forecast, &path, &file, &home);
                // Of the two names the one without an ending counts.
                break;
            }
            Content::Denied => forecast.open("the build tool's configuration may not be read", Some(Site { path, line: 1 })),
            Content::Missing => {}
        }
    }
    for name in GIVEN {
        forecast.put(name.as_bytes(), Held::Unknown("the package that is tested decides"), None);
        if let Some(variable) = forecast.vars.get_mut(name.as_bytes()) {
            variable.may_be_absent = false;
        }
    }
    for name in ["SSL_CERT_FILE", "SSL_CERT_DIR", "OUT_DIR"] {
        if forecast.get(name.as_bytes()).is_none() {
            forecast.put(name.as_bytes(), Held::Unknown("the build tool may set it"), None);
        }
    }
}

fn table(forecast: &mut Forecast, path: &Bytes, file: &Bytes, home: &[u8]) {
    let at = |span: Option<std::ops::Range<usize>>| Site { path: path.clone(), line: span.map_or(1, |s| place(file, s.start).0) };
    let text = String::from_utf8_lossy(file).into_owned();
    let Ok(document) = Document::parse(text) else {
        return forecast.fails("the build tool's configuration is no TOML", Some(at(None)));
    };
    let Some(entries) = document.as_table().get("env").and_then(Item::as_table_like) else { return };
    for (name, item) in entries.iter() {
        let site = at(item.span());
        let flag = |key: &str| item.get(key).and_then(Item::as_bool).unwrap_or(false);
        let value = item.as_str().or_else(|| item.get("value").and_then(Item::as_str));
        let Some(value) = value else { continue };
        // A plain value is for a name that is absent; HOME is never changed so.
        if forecast.get(name.as_bytes()).is_some() && !flag("force") || name == "HOME" && !flag("force") {
            continue;
        }
        let value = if flag("relative") {
            let parent = home.get(..memchr::memrchr(b'/', home).unwrap_or(0)).unwrap_or_default();
            [parent, b"/", value.as_bytes()].concat()
        } else {
            value.as_bytes().to_vec()
        };
        forecast.put(name.as_bytes(), Held::Known(value.into()), Some(site));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Block;
    use crate::host_view::MemoryTree;

    #[test]
    fn programs_for_a_person() {
        let mut tree = MemoryTree::default();
        tree.file("/home/odile/.profile", "export TIDE=low\n", false);
        tree.file(
            "/home/odile/.cargo/config.toml",
            "[env]\nBERTH = \"4\"\nGATE = { value = \"g\", force = true }\nDIR = { value = \"d\", relative = true }\n",
            false,
        );
        tree.file("/home/odile/.bash_env", "GATE=from-bash-env\n", false);
        let odile = Account { name: "odile".into(), uid: 1000, gid: 1000, home: "/home/odile".into(), shell: "/bin/bash".into() };
        let ground = Ground::new(&tree, std::slice::from_ref(&odile));
        let start = Block::from_vars([("SHELL", "/bin/bash"), ("BERTH", ""), ("GATE", "outer"), ("PWD", "/srv"), ("SHLVL", "3")]);
        let mut tested = Forecast::begin(&start);
        cargo_test(&mut tested, &ground, &odile);
        for (name, value, line) in [("BERTH", "", None), ("GATE", "g", Some(3)), ("DIR", "/home/odile/d", Some(4))] {
            assert_eq!(tested.known(name.as_bytes()), Some(&Bytes::from(value)), "{name}");
            assert_eq!(tested.get(name.as_bytes()).and_then(|v| v.site.as_ref()).map(|s| s.line), line, "{name}");
        }
        let with_bash_env =
            Block::from_vars([("SHELL", "/bin/bash"), ("BASH_ENV", "/home/odile/.bash_env"), ("GATE", "outer"), ("SHLVL", "3")]);
        let mut debugged = Forecast::begin(&with_bash_env);
        debugger(&mut debugged, &ground, &odile);
        assert_eq!(debugged.known(b"GATE"), Some(&Bytes::from("from-bash-env")));
        assert_eq!(debugged.known(b"SHLVL"), Some(&Bytes::from("3")));
        assert_eq!(debugged.get(b"LINES").map(|v| v.held.clone()), Some(Held::PerRun));
        let mut pane = Forecast::begin(&start);
        tmux_pane(&mut pane, &ground, &odile);
        assert_eq!((pane.known(b"TIDE"), pane.known(b"SHLVL")), (Some(&Bytes::from("low")), Some(&Bytes::from("1"))));
    }
}
