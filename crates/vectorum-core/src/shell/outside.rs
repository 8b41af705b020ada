//! Programs that a shell runs, or becomes.

use bytes::Bytes;

use super::machine::Machine;
use super::one_of::ONE_OR_ANOTHER;
use super::outputs::PRINTED;
use super::syntax::*;
use super::value::{Unknown, Val};
use crate::host_view::Kind as FileKind;

impl Machine<'_> {
    /// The program is reached up to which all is followed.
    pub(super) fn stop(&mut self) {
        let why = self.doubt(super::machine::PARTED);
        self.stopped.add(self.live.take(), &why);
    }

    /// What is no command of the shell's that is followed: one that is not, or a program.
    pub(super) fn run_other(&mut self, name: &[u8], arguments: &[Val]) {
        match self.is_unfollowed_builtin(name) {
            Some(true) => return self.fog("a command of the shell that is not followed"),
            Some(false) => {
                if self.refuses_of_harmless(name, arguments) {
                    return self.misused();
                }
                let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
                match known.and_then(|words| set_of_process(name, &words)) {
                    Some(Some(status)) => return self.set_status(status),
                    Some(None) => {}
                    None => self.print(Val::unknown(self.doubt("what a command prints"))),
                }
                return self.doubt_status(self.doubt("how a command of the shell ends"));
            }
            None => {}
        }
        // There a function that took itself back is called again in a way of its own.
        if self.ended_within.contains(name) && self.is_in_function() {
            return self.fog("a function that was taken back while it ran");
        }
        match self.find_program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                self.stop();
            }
            Ok(Some(path)) if self.may_be_function_file(&path) => self.fog(ONE_OR_ANOTHER),
            Ok(Some(path)) if self.is_succeeded(&path, arguments, false, false) => {}
            Ok(Some(path)) => self.run_program(&path, arguments),
            // A job by its number.
            Ok(None) if self.dialect.is_rich() && name.starts_with(b"%") => {
                self.doubt_status(self.doubt("whether there is such a job"));
            }
            Ok(None) => {
                match self.function_file(name) {
                    Ok(None) => {}
                    // What its name is looked up as behind `command` is another thing.
                    Ok(Some(_)) if self.behind_command > 0 => {
                        return self.doubt_status(self.doubt("whether there is such a command"));
                    }
                    Ok(Some(path)) => return self.load_and_call(name, &path, arguments),
                    Err(_) => return self.fog(ONE_OR_ANOTHER),
                }
                let catcher: &[u8] =
                    if self.dialect == Dialect::Zsh { b"command_not_found_handler" } else { b"command_not_found_handle" };
                if self.is_function(catcher) {
                    self.print(Val::unknown(self.doubt(PRINTED)));
                    self.write_perhaps_beside();
                    return self.doubt_status(self.doubt("how a program ends"));
                }
                // What is there and cannot be run has another status than what is not there.
                let kind = match self.full(name).filter(|_| name.contains(&b'/')) {
                    Some(path) => match (self.ground.files.kind(&path), memchr::memrchr(b'/', &path)) {
                        // So has what would lie in something that is no folder, in these.
                        (FileKind::Missing, Some(slash)) if matches!(self.dialect, Dialect::Bash | Dialect::Ksh) => {
                            match self.ground.files.kind(path.get(..slash).unwrap_or_default()) {
                                FileKind::Folder => FileKind::Missing,
                                kind => kind,
                            }
                        }
                        (kind, _) => kind,
                    },
                    None if self.dialect == Dialect::Zsh && matches!(name, b"." | b"..") => FileKind::Folder,
                    // So has what lies there and cannot be run (measured: all but dash).
                    None if self.dialect != Dialect::Dash && self.lies_on_path(name) => FileKind::File,
                    None => FileKind::Missing,
                };
                match kind {
                    // What has no name is the folder to these (measured: zsh 5.9, 93u+m, R59).
                    FileKind::Missing if name.is_empty() && !matches!(self.dialect, Dialect::Bash | Dialect::Dash) => {
                        self.set_status(126);
                    }
                    FileKind::Missing => self.set_status(127),
                    FileKind::Unknown => self.doubt_status(self.doubt("how a program ends")),
                    _ => self.set_status(126),
                }
            }
            // Whether it is there is not known; what it receives is told as if it were.
            Err(_) if self.quiet == 0 && self.until.is_some() && self.full(name) == self.until => {
                self.stop();
            }
            Err(doubt) => {
                let answer = self.program(name, arguments);
                self.read_by(name);
                let sets = answer.output.doubt().and_then(|doubt| doubt.sets);
                self.print(Val::Unknown(Unknown::of(doubt.clone()).setting(sets)));
                self.write_perhaps_beside();
                self.doubt_status(doubt);
            }
        }
    }

    /// A program may have read what there was to be read.
    fn read_by(&mut self, name: &[u8]) {
        let base = name.rsplit(|b| *b == b'/').next().unwrap_or(name);
        if !super::program::reads_nothing(base)
            && let Some(state) = &mut self.live
        {
            state.input = None;
        }
    }

    /// `exec`: the shell becomes a program, or opens files for good.
    pub(super) fn exec(&mut self, arguments: &[Val]) {
        let mut rest = arguments;
        // By a dash before its name a shell is told that it is one for a login.
        let mut as_login = false;
        while let Some((option, after)) = rest.split_first() {
            let Some([b'-', letters @ ..]) = option.known().map(|word| &word[..]) else { break };
            let is_taken = |taken: &[u8]| letters.iter().all(|letter| taken.contains(letter));
            rest = after;
            match (self.dialect, letters) {
                (Dialect::Bash | Dialect::Ksh | Dialect::Mksh | Dialect::Zsh, b"-") => break,
                (Dialect::Bash | Dialect::Mksh, b"a") if after.is_empty() => return self.set_status(2),
                (Dialect::Bash | Dialect::Ksh | Dialect::Mksh | Dialect::Zsh, b"a") => {
                    as_login |= after.first().is_none_or(|name| name.known().is_none_or(|name| name.starts_with(b"-")));
                    rest = after.get(1..).unwrap_or_default();
                }
                (Dialect::Bash | Dialect::Zsh, [_, ..]) if is_taken(b"cl") => as_login |= letters.contains(&b'l'),
                (Dialect::Ksh | Dialect::Mksh, b"c") => {}
                (Dialect::Ksh, [_, ..]) => return self.fail_special_with(2),
                (Dialect::Bash | Dialect::Mksh, [_, ..]) => return self.set_status(2),
                (Dialect::Zsh, [_, ..]) => return self.fail_hard(),
                _ => {
                    rest = std::slice::from_ref(option);
                    break;
                }
            }
        }
        if rest.is_empty() {
            self.keeps_open = true;
            return match self.dialect {
                Dialect::Zsh if !arguments.is_empty() => self.fail_hard(),
                Dialect::Mksh if !arguments.is_empty() => self.exit(),
                // It may leave the status of what was run for a word.
                Dialect::Zsh if self.outputs > 0 => self.doubt_status(self.doubt("how a command of the shell ends")),
                _ => self.set_status(0),
            };
        }
        // The shell becomes another program, or ends.
        let name = rest.first().and_then(Val::known).cloned();
        let found = name.map(|n| self.find_program(&n));
        match found {
            Some(Ok(Some(path))) => {
                let words = rest.get(1..).unwrap_or_default();
                if !self.is_succeeded(&path, words, true, as_login) {
                    self.run_program(&path, words);
                    self.exit();
                }
            }
            // What is in a file ends even a shell where somebody types (measured).
            Some(Ok(None)) => {
                self.set_status(127);
                self.exit();
            }
            _ => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.write_perhaps_beside();
                self.doubt_status(self.doubt("whether there is such a command"));
                self.exit();
            }
        }
    }

    /// A program runs of which it is known where it lies.
    fn run_program(&mut self, path: &Bytes, arguments: &[Val]) {
        let answer = self.program(path, arguments);
        self.read_by(path);
        self.print(answer.output);
        if answer.status.is_none() {
            self.write_perhaps_beside();
        }
        match answer.status {
            Some(status) => self.set_status(status),
            None => self.doubt_status(self.doubt("how a program ends")),
        }
    }
}

/// What `umask` and `ulimit` set of the process, where they do, and so print nothing: how they end, if that is certain.
/// A limit of nothing is never more than there was.
fn set_of_process(name: &[u8], words: &[Bytes]) -> Option<Option<u8>> {
    let is_option = |word: &Bytes| word.len() > 1 && word.starts_with(b"-") && word.iter().skip(1).all(u8::is_ascii_alphabetic);
    match (name, words) {
        (b"umask", [mask]) => {
            let is_mask = (1..=4).contains(&mask.len()) && mask.iter().all(|b| (b'0'..=b'7').contains(b));
            (is_mask && (mask.len() < 4 || mask.starts_with(b"0"))).then_some(Some(0))
        }
        (b"ulimit", [options @ .., limit]) if !options.is_empty() && options.iter().all(is_option) => {
            let is_limit = limit == "unlimited" || !limit.is_empty() && limit.iter().all(u8::is_ascii_digit);
            is_limit.then_some((limit == "0" && matches!(options, [option] if option == "-c")).then_some(0))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use crate::host_view::MemoryTree;
    use crate::shell::syntax::Dialect::{self, Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::{after_on, hold};

    #[test]
    fn a_shell_becomes_a_program_or_opens_files_for_good() {
        let all: &[Dialect] = &[Bash, Dash, Ksh, Mksh, Zsh];
        hold(&[
            (all, "R=$(exec cat <<E\na b\nE\n); X=$?", ["a b", "0"]),
            (all, "(exec true); R=$?; (exec nosuch) 2>/dev/null; X=$?", ["0", "127"]),
            (all, "R=$(exec true; echo never); X=$(exec 2>/dev/null; echo on)", ["", "on"]),
            (all, "R=1; (R=2; exec true; R=3); X=$R", ["1", "1"]),
            // Whatever it prints and ends with.
            (all, "R=$(exec tide-now); X=$?", ["<unknown>", "<a number>"]),
            (all, "R=$(exec $(tide-now) 2>/dev/null); X=1", ["<unknown>", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "R=$(echo a | { exec </dev/null; read X; echo \"<$X>\"; }); X=$?", ["<>", "0"]),
        ]);
    }

    #[test]
    fn what_is_there_and_cannot_be_run_has_a_status_of_its_own() {
        let mut tree = MemoryTree::default();
        tree.file("/opt/bin/berth", "", false);
        tree.folder("/opt/bin/pier");
        for (dialects, text, told) in [
            (&[Bash, Ksh, Mksh, Zsh][..], "berth", "126"),
            (&[Dash], "berth", "127"),
            (&[Ksh, Mksh, Zsh], "pier", "126"),
            (&[Bash, Dash], "pier", "127"),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "lane", "127"),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "/opt/bin/berth", "126"),
        ] {
            for dialect in dialects {
                let whole = format!("PATH=/usr/bin:/opt/bin; {text} 2>/dev/null; X=$?");
                let found = after_on(tree.clone(), *dialect, &whole, |machine| machine.told_value("X"));
                assert_eq!(found, told, "{dialect:?} {text}");
            }
        }
    }
}
