//! Which reader a file is most likely for: by its name, its place, its content.

use super::{Reader, reader};

/// Names and places, the more telling ones first: what the path ends in, or holds, and the reader.
const PLACES: &[(Place, &str)] = &[
    (Place::Ends("/etc/environment"), "pam-env-file"),
    (Place::Ends(".pam_environment"), "pam-env-conf"),
    (Place::Ends("pam_env.conf"), "pam-env-conf"),
    (Place::Holds("/environment.d/"), "environment-d"),
    (Place::Ends("/.ssh/environment"), "ssh-environment"),
    (Place::Ends("crontab"), "crontab"),
    (Place::Holds("/cron.d/"), "crontab"),
    (Place::Ends(".service"), "systemd-environment"),
    (Place::Holds(".service.d/"), "systemd-environment"),
    (Place::Ends(".fish"), "fish"),
    (Place::Ends(".mk"), "make-include"),
    (Place::Ends("Makefile"), "make-include"),
    (Place::Ends(".zshenv"), "zsh"),
    (Place::Ends(".zprofile"), "zsh"),
    (Place::Ends(".zshrc"), "zsh"),
    (Place::Ends(".zsh"), "zsh"),
    (Place::Ends(".mkshrc"), "mksh"),
    (Place::Ends(".kshrc"), "ksh"),
    (Place::Ends(".bashrc"), "bash"),
    (Place::Ends(".bash_profile"), "bash"),
    (Place::Ends(".bash"), "bash"),
    (Place::Ends("profile"), "sh"),
    (Place::Ends(".sh"), "sh"),
    (Place::Holds("/etc/default/"), "systemd-environment-file"),
    (Place::Holds("/etc/sysconfig/"), "systemd-environment-file"),
    (Place::Ends("/.env"), "compose"),
    (Place::Holds("/.env."), "compose"),
];

enum Place {
    Ends(&'static str),
    Holds(&'static str),
}

/// Beginnings of lines that only one kind of file has.
const LINES: &[(&str, &str)] =
    &[("set -gx ", "fish"), ("set -x ", "fish"), ("Environment=", "systemd-environment"), ("export ", "sh")];

/// Returns the reader that a file is most likely for, and why.
pub fn detect(path: &[u8], content: &[u8]) -> (&'static dyn Reader, &'static str) {
    // A name alone is one below the working folder.
    let path = [b"/", path].concat();
    let by_place = PLACES.iter().find(|(place, _)| match place {
        Place::Ends(end) => path.ends_with(end.as_bytes()),
        Place::Holds(part) => memchr::memmem::find(&path, part.as_bytes()).is_some(),
    });
    let of = |id: &str| reader(id).unwrap_or(&super::systemd::EnvironmentFile);
    if let Some((_, id)) = by_place {
        return (of(id), "by its name and place");
    }
    let interpreter = content.split(|b| *b == b'\n').next().unwrap_or_default();
    if interpreter.starts_with(b"#!") {
        let shells = ["fish", "bash", "zsh", "mksh", "ksh", "dash", "sh"];
        let found = shells.iter().find(|s| memchr::memmem::find(interpreter, s.as_bytes()).is_some());
        if let Some(shell) = found {
            return (of(if *shell == "dash" { "sh" } else { shell }), "by its first line");
        }
    }
    for line in content.split(|b| *b == b'\n').take(200) {
        let line = line.trim_ascii_start();
        if let Some((_, id)) = LINES.iter().find(|(start, _)| line.starts_with(start.as_bytes())) {
            return (of(id), "by its lines");
        }
        if memchr::memmem::find(line, b" DEFAULT=").is_some() || memchr::memmem::find(line, b" OVERRIDE=").is_some() {
            return (of("pam-env-conf"), "by its lines");
        }
    }
    (of("systemd-environment-file"), "nothing tells; most plain files are meant for it")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_find_their_readers() {
        for (path, content, id) in [
            ("/etc/environment", "A=1", "pam-env-file"),
            ("etc/environment", "", "pam-env-file"),
            ("/home/odile/.config/environment.d/10-a.conf", "A=1", "environment-d"),
            ("/etc/systemd/system/berth-board.service.d/20-db.conf", "[Service]", "systemd-environment"),
            (".env", "A=1", "compose"),
            ("ticket-gate/.env.rehearsal", "", "compose"),
            ("config.fish", "", "fish"),
            ("gate", "#!/bin/bash\nA=1", "bash"),
            ("gate", "#!/usr/bin/env fish\n", "fish"),
            ("gate", "# x\nexport A=1\n", "sh"),
            ("gate", "A DEFAULT=1\n", "pam-env-conf"),
            ("gate.vars", "A=1\n", "systemd-environment-file"),
        ] {
            assert_eq!(detect(path.as_bytes(), content.as_bytes()).0.id(), id, "{path}");
        }
        for (_, id) in PLACES {
            assert!(reader(id).is_some(), "{id}");
        }
    }
}
