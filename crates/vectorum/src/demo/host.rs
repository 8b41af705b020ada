//! The files of the made-up host: what its logins, services, cron and the rest read.

use std::fs;
use std::io;
use std::path::Path;

use vectorum_core::MemoryTree;

macro_rules! files {
    ($($path:literal),* $(,)?) => { &[$(($path, include_bytes!(concat!("host", $path)).as_slice())),*] };
}

/// Each file with its path on the host.
const FILES: &[(&str, &[u8])] = files![
    "/etc/bash.bashrc",
    "/etc/berth/board.env",
    "/etc/cron.d/berth",
    "/etc/default/locale",
    "/etc/environment",
    "/etc/hostname",
    "/etc/login.defs",
    "/etc/pam.d/cron",
    "/etc/pam.d/login",
    "/etc/pam.d/sshd",
    "/etc/pam.d/su",
    "/etc/pam.d/su-l",
    "/etc/pam.d/sudo",
    "/etc/pam.d/sudo-i",
    "/etc/pam.d/systemd-user",
    "/etc/passwd",
    "/etc/profile",
    "/etc/profile.d/berth.sh",
    "/etc/security/pam_env.conf",
    "/etc/ssh/sshd_config",
    "/etc/sudoers",
    "/etc/systemd/system.conf",
    "/etc/systemd/system/berth-board.service",
    "/etc/systemd/system/berth-board.service.d/20-db.conf",
    "/etc/systemd/system/ferry-radio.service",
    "/etc/systemd/system/lamp-north.service",
    "/etc/systemd/system/lamp-south.service",
    "/etc/systemd/system/quay-camera.service",
    "/etc/systemd/system/ticket-gate.service",
    "/etc/systemd/system/tide-watch.service",
    "/etc/systemd/system/tide-watch.service.d/50-interval.conf",
    "/home/odile/.bashrc",
    "/home/odile/.config/environment.d/10-tide.conf",
    "/home/odile/.config/systemd/user/berth-panel.service",
    "/home/odile/.config/systemd/user/tide-note.service",
    "/home/odile/.profile",
    "/var/spool/cron/crontabs/odile",
];

/// Adds the files to a tree.
pub(super) fn plant(tree: &mut MemoryTree) {
    for (path, content) in FILES {
        tree.file(path, *content, false);
    }
}

/// Writes the files below a folder, which must not be there yet.
///
/// # Errors
/// If it is there already, or cannot be written.
pub(super) fn write(folder: &Path) -> io::Result<usize> {
    fs::create_dir(folder)?;
    for (path, content) in FILES {
        let to = folder.join(path.trim_start_matches('/'));
        if let Some(parent) = to.parent() {
            fs::create_dir_all(parent)?;
        }
        fs::write(&to, content)?;
    }
    Ok(FILES.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_is_listed() {
        fn collect(folder: &Path, out: &mut Vec<String>) {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() { collect(&path, out) } else { out.push(path.display().to_string()) }
            }
        }
        let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/demo/host");
        let mut there = Vec::new();
        collect(&root, &mut there);
        there.sort();
        let listed: Vec<String> = FILES.iter().map(|(path, _)| format!("{}{path}", root.display())).collect();
        assert_eq!(listed, there);
        let folder = tempfile::tempdir().unwrap();
        let to = folder.path().join("pier-4");
        assert_eq!(write(&to).unwrap(), FILES.len());
        assert!(write(&to).is_err(), "nothing is written over");
        assert_eq!(fs::read(to.join("etc/hostname")).unwrap(), b"pier-4\n");
    }
}
