//! What differs by distribution: one table, of which a host's own files choose the line.

use crate::host_view::{Content, HostView};

/// What programs of a distribution do otherwise than as they come from their authors.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Flavour {
    /// The names by which the host's os-release(5) knows it.
    pub ids: &'static [&'static str],
    /// What it is called where an answer rests on it.
    pub name: &'static str,
    /// The file that interactive bash reads before the account's own.
    pub bash_bashrc: Option<&'static str>,
    /// Whether bash takes a shell started over ssh for an interactive one.
    pub bash_reads_over_ssh: bool,
    /// Where zsh looks for its files of the system.
    pub zsh_folder: &'static str,
    /// The PATH that sshd gives to accounts other than root.
    pub sshd_path: &'static str,
    /// What a policy of sudo's says as it comes.
    pub sudo_policy: &'static str,
    /// Whether the lines were measured, or are the upstream rules.
    pub is_measured: bool,
}

const DEBIAN: Flavour = Flavour {
    ids: &["debian", "ubuntu", "raspbian", "linuxmint", "devuan"],
    name: "Debian",
    bash_bashrc: Some("/etc/bash.bashrc"),
    bash_reads_over_ssh: true,
    zsh_folder: "/etc/zsh",
    sshd_path: "/usr/local/bin:/usr/bin:/bin:/usr/games",
    sudo_policy: "Defaults env_reset, secure_path=\"/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin\"",
    is_measured: true,
};

const UPSTREAM: Flavour = Flavour {
    ids: &[],
    name: "upstream",
    bash_bashrc: None,
    bash_reads_over_ssh: false,
    zsh_folder: "/etc",
    sshd_path: "/usr/bin:/bin:/usr/sbin:/sbin",
    sudo_policy: "Defaults env_reset",
    is_measured: false,
};

impl Flavour {
    /// What an answer rests on, where it rests on more than what was measured.
    pub fn assumption(&self) -> Option<&'static str> {
        const UPSTREAM: &str = "this host's distribution is none whose programs were measured: its shells and sshd are taken to \
                                keep to their authors' own rules, with no distribution's changes";
        (!self.is_measured).then_some(UPSTREAM)
    }

    /// Chooses a host's line by its os-release(5) file, or by Debian's own mark. A tree without either
    /// is taken for Debian's, whose programs were measured.
    pub fn of(files: &dyn HostView) -> Flavour {
        let release = [&b"/etc/os-release"[..], b"/usr/lib/os-release"].into_iter().find_map(|path| match files.read(path) {
            Content::Bytes(text) => Some(text),
            _ => None,
        });
        let Some(text) = release else { return DEBIAN };
        let text = String::from_utf8_lossy(&text).into_owned();
        let values = text.lines().filter_map(|l| l.strip_prefix("ID=").or_else(|| l.strip_prefix("ID_LIKE=")));
        let is_known = values.flat_map(|v| v.trim_matches(['"', '\'']).split_whitespace()).any(|id| DEBIAN.ids.contains(&id));
        if is_known { DEBIAN } else { UPSTREAM }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::host_view::MemoryTree;

    #[test]
    fn a_host_says_what_it_is() {
        for (release, name) in [
            (Some("ID=debian\nVERSION_ID=12\n"), "Debian"),
            (Some("NAME=x\nID=\"pier-os\"\nID_LIKE=\"ubuntu debian\"\n"), "Debian"),
            (Some("ID=pier-os\n"), "upstream"),
            (None, "Debian"),
        ] {
            let mut tree = MemoryTree::default();
            if let Some(release) = release {
                tree.file("/etc/os-release", release, false);
            }
            let flavour = Flavour::of(&tree);
            assert_eq!((flavour.name, flavour.assumption().is_some()), (name, name == "upstream"), "{release:?}");
        }
    }
}
