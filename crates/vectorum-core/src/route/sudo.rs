//! `sudo` (1.9.13): the fresh block that its policy builds (sudoers(5), "Command environment").

use std::collections::{BTreeSet, HashSet};

use bytes::Bytes;

use super::pam::PamSet;
use super::shell::{self, Form, Start};
use super::{Account, Flavour, Forecast, Ground, Held, POLICY_DENIED, Site, read_as, surroundings};
use crate::block::Block;
use crate::host_view::Content;
use crate::reader::Effect;

/// How it is called.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SudoForm {
    /// `-E`: the caller's block is wanted.
    pub preserves: bool,
    /// `-i`: the account's login shell runs the command.
    pub is_login: bool,
    /// `NAME=VALUE` on the command line.
    pub given: Vec<(Bytes, Bytes)>,
    /// The command, as it stands in SUDO_COMMAND.
    pub command: Bytes,
}

/// Patterns of variables. Most are plain names.
#[derive(Clone, Debug, Default)]
struct Patterns {
    names: HashSet<Vec<u8>>,
    others: BTreeSet<Vec<u8>>,
}

impl Patterns {
    fn of(patterns: &str) -> Patterns {
        let mut all = Patterns::default();
        all.change(b'=', patterns.as_bytes());
        all
    }

    fn change(&mut self, sign: u8, patterns: &[u8]) {
        if sign != b'+' && sign != b'-' {
            *self = Patterns::default();
        }
        for pattern in patterns.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()) {
            match (sign, pattern.iter().any(|b| b"*=".contains(b))) {
                (b'-', true) => drop(self.others.remove(pattern)),
                (b'-', false) => drop(self.names.remove(pattern)),
                (_, true) => drop(self.others.insert(pattern.to_vec())),
                (_, false) => drop(self.names.insert(pattern.to_vec())),
            }
        }
    }

    /// Whether any pattern takes a variable: a `*` stands for anything, and with a `=` the value
    /// counts, too.
    fn takes(&self, name: &[u8], value: &[u8]) -> bool {
        let is_taken = |pattern: &Vec<u8>| match pattern.contains(&b'=') {
            true => matches(pattern, &[name, b"=", value].concat()),
            false => matches(pattern, name),
        };
        self.names.contains(name) || self.others.iter().any(is_taken)
    }
}

/// Matches a text with `*` for anything (sudoers takes a `*` at the end of a name only; anywhere here).
fn matches(pattern: &[u8], text: &[u8]) -> bool {
    match memchr::memchr(b'*', pattern) {
        None => pattern == text,
        Some(at) => text.starts_with(pattern.get(..at).unwrap_or_default()),
    }
}

/// What the policy's `Defaults` come to.
struct Policy {
    env_reset: bool,
    always_set_home: bool,
    secure_path: Option<(Bytes, Site)>,
    env_file: Option<(Bytes, bool)>,
    keep: Patterns,
    check: Patterns,
    delete: Patterns,
    unknown: Option<&'static str>,
}

impl Policy {
    /// The built-in lists, as `sudo -V` prints them to root.
    fn stock() -> Policy {
        Policy {
            env_reset: true,
            always_set_home: false,
            secure_path: None,
            env_file: None,
            keep: Patterns::of(
                "COLORS DISPLAY HOSTNAME KRB5CCNAME LS_COLORS PATH PS1 PS2 XAUTHORITY XAUTHORIZATION XDG_CURRENT_DESKTOP",
            ),
            check: Patterns::of("COLORTERM LANG LANGUAGE LC_* LINGUAS TERM TZ"),
            delete: Patterns::of(
                "IFS CDPATH LOCALDOMAIN RES_OPTIONS HOSTALIASES NLSPATH PATH_LOCALE LD_* _RLD* TERMINFO TERMINFO_DIRS TERMPATH \
                 TERMCAP ENV BASH_ENV PS4 GLOBIGNORE BASHOPTS SHELLOPTS JAVA_TOOL_OPTIONS PERLIO_DEBUG PERLLIB PERL5LIB PERL5OPT \
                 PERL5DB FPATH NULLCMD READNULLCMD ZDOTDIR TMPPREFIX PYTHONHOME PYTHONPATH PYTHONINSPECT PYTHONUSERBASE RUBYLIB \
                 RUBYOPT",
            ),
            unknown: None,
        }
    }

    fn read(ground: &Ground<'_>, caller: &Account) -> Policy {
        let mut policy = Policy::stock();
        let mut lines = Vec::new();
        if let Some(said) = ground.sudo_says {
            policy.take_answer(said);
            return policy;
        }
        collect(ground, b"/etc/sudoers", &mut 0, &mut lines, &mut policy.unknown);
        // What is for all comes first, whatever the order of the lines.
        for own in [false, true] {
            for (text, site) in &lines {
                let Some(rest) = text.strip_prefix("Defaults") else { continue };
                let (who, settings) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
                let is_own = match who.strip_prefix(':') {
                    Some(names) => names.split(',').any(|n| n.as_bytes() == caller.name),
                    None if who.is_empty() => false,
                    None => {
                        policy.unknown = Some("a Defaults line of sudoers is for hosts, accounts or commands of its own");
                        continue;
                    }
                };
                if is_own == own && (who.is_empty() || is_own) {
                    policy.settle(settings, site);
                }
            }
        }
        policy
    }

    /// Takes the policy from what `sudo -l` says of it: settings one after another, blanks escaped.
    fn take_answer(&mut self, said: &[u8]) {
        let site = Site { path: "sudo -l".into(), line: 0 };
        let text = String::from_utf8_lossy(said).into_owned();
        let from = text.find("Matching Defaults entries").and_then(|at| text.get(at..)).and_then(|rest| rest.split_once(":\n"));
        let Some((_, rest)) = from else {
            self.unknown = Some("what sudo says of its policy is not understood");
            return;
        };
        let settings: Vec<&str> = rest.lines().take_while(|l| l.starts_with(char::is_whitespace)).map(str::trim).collect();
        self.settle(&settings.join(" ").replace("\\:", ":").replace("\\=", "="), &site);
    }

    fn settle(&mut self, settings: &str, site: &Site) {
        for (key, sign, value) in split(settings) {
            let is_on = sign != b'!';
            let bytes = Bytes::copy_from_slice(value.as_bytes());
            match key.as_str() {
                "env_reset" => self.env_reset = is_on,
                "always_set_home" => self.always_set_home = is_on,
                "secure_path" => self.secure_path = is_on.then(|| (bytes, site.clone())),
                "env_file" => self.env_file = is_on.then_some((bytes, false)),
                "restricted_env_file" => self.env_file = is_on.then_some((bytes, true)),
                "env_keep" | "env_check" | "env_delete" => {
                    let list = match key.as_str() {
                        "env_keep" => &mut self.keep,
                        "env_check" => &mut self.check,
                        _ => &mut self.delete,
                    };
                    list.change(if is_on { sign } else { b'=' }, if is_on { value.as_bytes() } else { b"" });
                }
                "exempt_group" if is_on => self.unknown = Some("sudoers exempts a group from its PATH"),
                _ => {}
            }
        }
    }
}

/// Takes settings apart: key, sign (`=`, `+`, `-`, `!`, or a blank for a bare word), value.
fn split(settings: &str) -> Vec<(String, u8, String)> {
    let mut parts = vec![String::new()];
    let mut quoted = false;
    for c in settings.chars() {
        match c {
            '"' => quoted = !quoted,
            ',' if !quoted => parts.push(String::new()),
            c => {
                if let Some(part) = parts.last_mut() {
                    part.push(c);
                }
            }
        }
    }
    let part = |text: String| {
        let text = text.trim();
        if let Some(key) = text.strip_prefix('!') {
            return (key.trim().to_owned(), b'!', String::new());
        }
        match text.split_once('=') {
            Some((key, value)) => {
                let sign = match key.as_bytes().last() {
                    Some(sign @ (b'+' | b'-')) => *sign,
                    _ => b'=',
                };
                (key.trim_end_matches(['+', '-']).trim().to_owned(), sign, value.trim().to_owned())
            }
            None => (text.to_owned(), b' ', String::new()),
        }
    };
    parts.into_iter().map(part).collect()
}

/// Collects a policy's lines, joined ones as one, included files in their places.
fn collect(
    ground: &Ground<'_>,
    path: &[u8],
    files: &mut usize,
    out: &mut Vec<(String, Site)>,
    unknown: &mut Option<&'static str>,
) {
    let file = match ground.read(path) {
        Content::Bytes(file) => file,
        Content::Missing => return,
        Content::Denied if ground.assumes_stock => {
            let site = Site { path: Bytes::copy_from_slice(path), line: 0 };
            out.push((Flavour::of(ground.files).sudo_policy.to_owned(), site));
            return;
        }
        Content::Denied => {
            *unknown = Some(POLICY_DENIED);
            return;
        }
    };
    // As many files as no policy has: it includes itself.
    *files += 1;
    if *files > 256 {
        *unknown = Some("sudo's policy includes itself");
        return;
    }
    let text = String::from_utf8_lossy(&file);
    let mut open: Option<(String, usize)> = None;
    for (at, line) in text.lines().enumerate() {
        let (mut whole, first) = open.take().unwrap_or((String::new(), at));
        if let Some(part) = line.strip_suffix('\\') {
            whole.push_str(part);
            open = Some((whole, first));
            continue;
        }
        whole.push_str(line);
        let trimmed = whole.trim();
        let folder = ["@includedir", "#includedir"].iter().find_map(|word| trimmed.strip_prefix(word));
        let included = ["@include", "#include"].iter().find_map(|word| trimmed.strip_prefix(word));
        if let Some(folder) = folder {
            let folder = folder.trim().as_bytes().to_vec();
            let mut names = ground.files.list(&folder).unwrap_or_default();
            names.sort();
            // Names that end in ~ or hold a dot are passed over.
            for name in names.iter().filter(|n| !n.contains(&b'.') && !n.ends_with(b"~")) {
                collect(ground, &[&folder[..], b"/", name].concat(), files, out, unknown);
            }
        } else if let Some(included) = included {
            collect(ground, included.trim().as_bytes(), files, out, unknown);
        } else {
            let bare = trimmed.split('#').next().unwrap_or_default().trim();
            if !bare.is_empty() {
                out.push((bare.to_owned(), Site { path: Bytes::copy_from_slice(path), line: first + 1 }));
            }
        }
    }
}

/// Whether a checked variable passes: no `/` and no `%` in its value; a time zone may name a file of
/// the system's.
fn passes(name: &[u8], value: &[u8]) -> bool {
    if name == b"TZ" {
        let is_path = value.first() == Some(&b'/') || value.first() == Some(&b':') && value.get(1) == Some(&b'/');
        return !is_path && !value.windows(2).any(|w| w == b"..") && !value.iter().any(u8::is_ascii_whitespace);
    }
    !value.iter().any(|b| matches!(b, b'/' | b'%'))
}

/// `sudo` by an account for another, up to the command.
pub fn sudo(forecast: &mut Forecast, ground: &Ground<'_>, caller: &Account, account: &Account, form: &SudoForm) {
    forecast.hop("sudo");
    let policy = Policy::read(ground, caller);
    // A login always begins with a fresh block.
    let preserves = !form.is_login && (form.preserves || !policy.env_reset);
    // What is kept of the caller's block.
    let drop = |name: &[u8], value: &[u8]| {
        if preserves {
            let fails = policy.check.takes(name, value) && !passes(name, value);
            return policy.delete.takes(name, value) || value.starts_with(b"()") || fails;
        }
        if value.starts_with(b"()") {
            return true;
        }
        if policy.check.takes(name, value) {
            return !passes(name, value);
        }
        !policy.keep.takes(name, value)
    };
    let why =
        if preserves { "sudo's policy removes it" } else { "sudo begins with a fresh block; its policy does not keep this name" };
    forecast.drop_names(why, |name, held| match held {
        Held::Known(value) => drop(name, value),
        _ => !preserves && !policy.keep.takes(name, b""),
    });
    let keeps = |name: &[u8]| !preserves && policy.keep.takes(name, b"");
    let set = |forecast: &mut Forecast, name: &[u8], value: &[u8]| {
        if !(keeps(name) && forecast.get(name).is_some()) {
            forecast.set(name, value);
        }
    };
    let sets_home = !preserves || policy.always_set_home || form.is_login;
    if sets_home {
        set(forecast, b"HOME", &account.home);
    }
    if !preserves || form.is_login {
        set(forecast, b"SHELL", &account.shell);
        set(forecast, b"MAIL", &[b"/var/mail/", &account.name[..]].concat());
    }
    set(forecast, b"LOGNAME", &account.name);
    set(forecast, b"USER", &account.name);
    if let Some((path, site)) = &policy.secure_path {
        forecast.put(b"PATH", Held::Known(path.clone()), Some(site.clone()));
    }
    for (name, value) in &form.given {
        forecast.put(name, Held::Known(value.clone()), None);
    }
    if let Some((path, is_restricted)) = &policy.env_file {
        match read_as(ground, "sudo-env-file", path, &surroundings(account, Block::empty())) {
            Ok(entries) => {
                let mut new: Vec<_> = entries;
                // Names that are there already stay; of several lines the first counts.
                let mut seen = HashSet::new();
                new.retain(|l| {
                    let Effect::Set(value) = &l.effect else { return false };
                    let is_first = seen.insert(l.name.clone()) && forecast.get(&l.name).is_none();
                    is_first && (!*is_restricted || !drop(&l.name, value))
                });
                forecast.lay(new);
            }
            Err(why) => forecast.open(why, None),
        }
    }
    let command = if form.is_login { [&account.shell[..], b" -c ", &form.command].concat().into() } else { form.command.clone() };
    forecast.set(b"SUDO_COMMAND", &command);
    forecast.set(b"SUDO_USER", &caller.name);
    forecast.set(b"SUDO_UID", caller.uid.to_string());
    forecast.set(b"SUDO_GID", caller.gid.to_string());
    // The session's set comes last. It gives way only to what the policy keeps of the caller's, and
    // without a fresh block to all but what the policy removes.
    let service: &[u8] = if form.is_login { b"sudo-i" } else { b"sudo" };
    forecast.hop(format!("PAM session of {}", String::from_utf8_lossy(service)));
    let mut session = PamSet::default();
    session.session(ground, service, account);
    let failed = session.failed.is_some().then_some("a required module of sudo's session fails");
    let unknown = policy.unknown.or(session.unknown).or(failed);
    let mut entries = session.entries();
    entries.retain(|l| match &l.effect {
        Effect::Set(value) => forecast.get(&l.name).is_none() || drop(&l.name, value),
        _ => false,
    });
    forecast.lay(entries);
    if let Some(why) = unknown {
        forecast.open(why, None);
    }
    if form.is_login {
        shell::run(forecast, ground, &account.shell, Start::LoginCommand(Form::Becomes), account, &account.home);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Which of some variables patterns take.
    fn taken(patterns: &Patterns) -> String {
        let all = ["TERM", "TERMINFO", "LC_TIME", "LC_", "GATE=7", "GATE=8", "GATE_X=7"];
        let is_taken = |text: &&&str| {
            let (name, value) = text.split_once('=').unwrap_or((text, "x"));
            patterns.takes(name.as_bytes(), value.as_bytes())
        };
        all.iter().filter(is_taken).copied().collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn patterns_take_names_beginnings_and_values() {
        for (changes, expected) in [
            (vec![(b'=', "TERM LC_*")], "TERM LC_TIME LC_"),
            (vec![(b'=', "TERM"), (b'+', "LC_TIME TERM")], "TERM LC_TIME"),
            (vec![(b'=', "TERM LC_*"), (b'-', "LC_*")], "TERM"),
            // Only the pattern itself is taken out, not what it takes.
            (vec![(b'=', "TERM LC_TIME"), (b'-', "LC_*")], "TERM LC_TIME"),
            (vec![(b'=', "LC_*"), (b'-', "LC_TIME")], "LC_TIME LC_"),
            (vec![(b'=', "TERM"), (b'=', "TERMINFO")], "TERMINFO"),
            (vec![(b'=', "GATE=7")], "GATE=7"),
            (vec![(b'=', "GATE*")], "GATE=7 GATE=8 GATE_X=7"),
            (vec![(b'=', "GATE=*")], "GATE=7 GATE=8"),
            (vec![(b'+', "GATE=8"), (b'-', "GATE=8")], ""),
            (vec![(b'=', "  ")], ""),
            (vec![(b'=', "*")], "TERM TERMINFO LC_TIME LC_ GATE=7 GATE=8 GATE_X=7"),
        ] {
            let mut patterns = Patterns::default();
            changes.iter().for_each(|(sign, words)| patterns.change(*sign, words.as_bytes()));
            assert_eq!(taken(&patterns), expected, "{changes:?}");
        }
    }
}
