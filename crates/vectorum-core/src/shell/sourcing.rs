//! Texts that run in this shell: `eval`, and files with their search rules.

use std::sync::Arc;

use bytes::Bytes;

use super::Source;
use super::aliases::ALIASES;
use super::content::Content;
use super::frame::Boundary;
use super::machine::Machine;
use super::options::kept::tells_options;
use super::outputs::{PRINTED_COMMANDS, PRINTED_NAMES};
use super::state::Status;
use super::syntax::*;
use super::value::Val;
use crate::host_view::{self, Kind as FileKind};

impl Machine<'_> {
    /// Runs a text's commands in this shell.
    pub(super) fn evaluate(&mut self, text: &[u8]) {
        self.evaluate_as(text, Boundary::Text);
    }

    /// Runs a text as what ends with it.
    pub(super) fn evaluate_as(&mut self, text: &[u8], kind: Boundary) {
        let fixed = Some(self.source.line(self.at));
        let source = Source { fixed, ..Source::new(self.source.path.clone(), Bytes::copy_from_slice(text)) };
        self.run_source(&Arc::new(source), kind);
    }

    pub(super) fn eval(&mut self, arguments: &[Val]) {
        // These take options, of which there is none.
        if arguments.first().and_then(Val::known).is_some_and(|word| word.len() > 1 && word.starts_with(b"-") && word != "--") {
            match self.dialect {
                Dialect::Bash => return self.set_status(2),
                Dialect::Ksh | Dialect::Mksh => return self.misused(),
                Dialect::Dash | Dialect::Zsh => {}
            }
        }
        let ends = |word: &Val| word.known().is_some_and(|word| word == "--" || word == "-" && self.dialect == Dialect::Zsh);
        let arguments = match arguments.split_first() {
            Some((first, rest)) if self.dialect != Dialect::Dash && ends(first) => rest,
            // There nothing is run behind what is empty (measured: 93u+m).
            Some((first, rest)) if self.dialect == Dialect::Ksh && !rest.is_empty() && first.is_empty() == Some(true) => {
                return self.set_status(0);
            }
            _ => arguments,
        };
        let mut text = Vec::new();
        for (index, argument) in arguments.iter().enumerate() {
            match argument {
                Val::Known(part) => {
                    if index > 0 {
                        text.push(b' ');
                    }
                    text.extend_from_slice(part);
                }
                Val::Unknown(text) => {
                    let doubt = &text.doubt;
                    return match doubt.sets.filter(|_| arguments.len() == 1) {
                        Some(names) => {
                            if tells_options(doubt.why) {
                                self.put_back_options(doubt.why);
                                return self.set_status(0);
                            }
                            if doubt.why == ALIASES {
                                self.put_back_aliases();
                                return self.set_status(0);
                            }
                            self.set_by_output(names);
                        }
                        None => self.fog(PRINTED_COMMANDS),
                    };
                }
            }
        }
        if text.trim_ascii().is_empty() {
            return self.set_status(0);
        }
        self.evaluate(&text);
    }

    /// What a program printed is run, which sets these names, if it printed anything.
    fn set_by_output(&mut self, names: &[&str]) {
        let why = self.doubt(PRINTED_NAMES);
        for name in names {
            let old = self.content_of(name.as_bytes());
            // It may print nothing.
            let was_exported = self.live.as_ref().and_then(|s| Some(s.vars.get(name.as_bytes())?.exported)).flatten();
            let exported = matches!(old, Content::Unset) || was_exported == Some(true);
            let value = Val::unknown(why.clone());
            let content = if matches!(old, Content::Unset) { Content::Perhaps(value) } else { Content::Set(value) };
            self.assign(name.as_bytes(), content, Some(true));
            // Whether it exports them, too, only it knows.
            if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name.as_bytes())) {
                var.exported = exported.then_some(true);
            }
        }
        self.doubt_status(why);
    }

    /// `. <(…)`: what commands print is run as a file.
    pub(super) fn source_output(&mut self, commands: &Arc<Result<List, Trouble>>) {
        let text = self.output(commands);
        // What it is called there is made anew at each start.
        let asks =
            |text: &[u8]| [&b"BASH_SOURCE"[..], b"$0", b"${0"].iter().any(|sign| memchr::memmem::find(text, sign).is_some());
        if self.dialect == Dialect::Ksh || text.known().is_some_and(|text| asks(text)) {
            return self.fog("what is run is not known");
        }
        self.as_a_file(|m| m.through(|m| m.eval(&[text])));
    }

    /// Runs a text that, unlike that of `eval`, is a place to return from.
    fn as_a_file(&mut self, run: impl FnOnce(&mut Self)) {
        self.enter(Boundary::Text);
        if let Some(frame) = self.frames.last_mut() {
            frame.is_file = true;
        }
        // The file is not the one whose text it is.
        let at = self.named_otherwise.len();
        self.named_otherwise.push(self.source.path.clone());
        run(self);
        self.named_otherwise.remove(at);
        self.end();
        // An error ends it with a status of its own there.
        if self.dialect == Dialect::Zsh && self.status() == Status::Known(1) {
            self.doubt_status(self.doubt("how a file ends that an error ends"));
        }
    }

    /// `.` and `source`, which `command` is.
    pub(super) fn source_file(&mut self, command: &[u8], arguments: &[Val]) {
        let Some(path) = arguments.first() else { return self.misused_badly() };
        let Val::Known(path) = path.clone() else { return self.fog("a file is run whose name is not known") };
        if path == "--" && arguments.len() == 1 || path.is_empty() && self.dialect == Dialect::Mksh {
            return self.misused_badly();
        }
        if self.dialect != Dialect::Zsh && path.len() > 1 && path.starts_with(b"-") && path != "--" {
            return self.misused_badly();
        }
        let arguments = if path == "--" { arguments.get(1..).unwrap_or_default() } else { arguments };
        let Some(Val::Known(path)) = arguments.first().cloned() else { return self.fog("a file is run whose name is not known") };
        let full = if path.contains(&b'/') {
            self.full(&path)
        } else {
            match self.search(command, &path) {
                Ok(found) => found,
                Err(()) => return self.fog("a file is looked up along a path that is not known"),
            }
        };
        let Some(full) = full else {
            return if path.contains(&b'/') { self.fog("the working folder is not known") } else { self.cannot_source(command) };
        };
        // What lies there is made while the system runs; what is read stands in the text itself, or is not known.
        if full == b"/dev/null"[..] {
            return self.set_status(0);
        }
        if full.starts_with(b"/dev/") || full.starts_with(b"/proc/") {
            let input = self.live.as_ref().and_then(|s| s.input.clone()).filter(|_| full == b"/dev/stdin"[..]);
            return match input {
                Some((text, at)) if arguments.len() == 1 => self.as_a_file(|m| m.evaluate(&text.slice(at..))),
                _ => self.fog("what is run is not known"),
            };
        }
        if arguments.len() == 1
            && let Some((names, before)) = self.touched.told(&full)
        {
            let doubt = self.doubt("a file is run that was written just before");
            let run_before = |m: &mut Self| match before {
                host_view::Content::Bytes(text) => {
                    let source = Source::new(full.clone(), text);
                    m.run_source(&Arc::new(source), Boundary::Text);
                }
                host_view::Content::Missing => m.cannot_source(command),
                host_view::Content::Denied => m.fog("a file that is run may not be read"),
            };
            return self.fork(&doubt, |m| m.set_by_output(names), run_before);
        }
        let is_there = match self.ground.files.kind(&full) {
            FileKind::File | FileKind::Program => {
                self.ground.files.may(&full, self.account.uid, self.account.gid, crate::host_view::Want::Read) != Some(false)
            }
            FileKind::Unknown => return self.fog("a file that is run may not be read"),
            FileKind::Other => return self.fog("what is run is no file"),
            _ if self.touched.is_touched(&full) => return self.fog("a file is run that was written just before"),
            // It can be opened, and nothing read of it (measured: dash 0.5.12, R59, zsh 5.9).
            FileKind::Folder if matches!(self.dialect, Dialect::Dash | Dialect::Mksh | Dialect::Zsh) => {
                return self.set_status(0);
            }
            _ => false,
        };
        if !is_there {
            return self.cannot_source(command);
        }
        let is_whole = if path.contains(&b'/') { full == path } else { self.is_on_path(&full) };
        if !is_whole {
            self.named_otherwise.push(full.clone());
        }
        let given: Vec<Val> = arguments.iter().skip(1).cloned().collect();
        let outer = self.live.as_ref().map(|s| s.positional.clone());
        let takes = !given.is_empty() && self.dialect.is_rich();
        if takes && let Some(state) = &mut self.live {
            state.positional = Ok(Arc::new(given));
        }
        self.live.iter_mut().for_each(|state| state.were_set = Some(false));
        let zero = if path.contains(&b'/') { self.called_zero(path.clone()) } else { None };
        // What fails within ends no more than the file there (measured: 93u+m).
        let is_mild = self.dialect == Dialect::Ksh && command == b"source";
        if is_mild {
            self.enter(Boundary::Source);
        }
        self.with_zero(zero, |m| m.through(|m| m.run_file(&full, Boundary::Text)));
        if is_mild {
            self.end();
        }
        // What `set` puts in their place stays there in bash, outside of functions.
        let may_stay = self.dialect == Dialect::Bash && !self.is_in_function();
        let stays = if may_stay { self.live.as_ref().and_then(|state| state.were_set) } else { Some(false) };
        let doubt = self.doubt("whether a file set the positional parameters");
        // Behind `command` they come back there.
        let comes_back = takes && stays != Some(true) || self.dialect == Dialect::Mksh && self.behind_command + self.tame > 0;
        if let (Some(state), Some(outer), true) = (&mut self.live, outer, comes_back) {
            state.positional = if stays.is_none() { Err(doubt) } else { outer };
        }
        // A file within that is given words of its own takes that back.
        if let Some(state) = self.live.as_mut().filter(|_| takes) {
            state.were_set = Some(false);
        }
    }

    /// Whether a file lies in a folder of PATH.
    fn is_on_path(&self, file: &[u8]) -> bool {
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else { return false };
        let folder = file.rsplitn(2, |b| *b == b'/').nth(1).unwrap_or_default();
        path.split(|b| *b == b':').any(|f| f == folder)
    }

    /// A file that is not there: POSIX has it end a shell that is not interactive.
    fn cannot_source(&mut self, command: &[u8]) {
        match self.dialect {
            Dialect::Bash => self.set_status(1),
            Dialect::Zsh if !self.as_sh || self.tame > 0 && self.within_special == 0 => self.set_status(127),
            // That one is not special there (measured).
            Dialect::Ksh | Dialect::Mksh if command == b"source" => self.set_status(1),
            _ => self.fail_special(),
        }
    }

    /// Looks a file up along PATH; in bash in the working folder after it, in mksh for `source` only, and in zsh for that before
    /// it (measured: 5.2, R59, 5.9).
    pub(super) fn search(&mut self, command: &[u8], name: &[u8]) -> Result<Option<Bytes>, ()> {
        if self.dialect == Dialect::Zsh && command == b"source" {
            let found = self.lies_in(b".", name)?;
            if found.is_some() {
                return Ok(found);
            }
        }
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else { return Err(()) };
        for folder in path.split(|b| *b == b':') {
            let found = self.lies_in(if folder.is_empty() { b"." } else { folder }, name)?;
            if found.is_some() {
                return Ok(found);
            }
        }
        match self.dialect {
            Dialect::Bash => self.lies_in(b".", name),
            Dialect::Mksh if command == b"source" => self.lies_in(b".", name),
            _ => Ok(None),
        }
    }

    /// The file by a name in a folder, if it is there.
    fn lies_in(&self, folder: &[u8], name: &[u8]) -> Result<Option<Bytes>, ()> {
        let full = self.full(folder).ok_or(())?;
        let folder = full.strip_suffix(b"/.").unwrap_or(&full);
        let path = Bytes::from([folder, b"/", name].concat());
        if self.touched.is_touched(&path) {
            return Err(());
        }
        match self.ground.files.kind(&path) {
            FileKind::File | FileKind::Program => Ok(Some(path)),
            FileKind::Unknown => Err(()),
            _ => Ok(None),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::outputs::PRINTED_COMMANDS;
    use crate::host_view::MemoryTree;
    use crate::shell::syntax::Dialect::{self, Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::after_on;

    #[test]
    fn a_file_that_such_a_program_wrote_is_run() {
        // What leaves the answer open, and what is set.
        let rows = [
            ("ssh-agent > ~/e; chmod 600 ~/e; . ~/e", None),
            ("if tide-now; then ssh-agent >| ~/e; fi; . ~/e", None),
            ("echo X=1 > ~/e; ssh-agent > ~/e; . ~/e", Some("a file that is run may not be read")),
            ("ssh-agent > ~/e; echo X=1 >> ~/e; . ~/e", Some("a file that is run may not be read")),
            ("ssh-agent > ~/e; rm -r ~; . ~/e", Some("a file that is run may not be read")),
            ("tide-now > ~/e; . ~/e", Some("a file that is run may not be read")),
        ];
        for (text, expected) in rows {
            for dialect in [Bash, Dash, Ksh, Mksh, Zsh] {
                let mut tree = MemoryTree::default().with_programs("/usr/bin", ["ssh-agent", "chmod", "rm"]);
                tree.file("/home/odile/e", "Y=2\n", false);
                tree.own("/home/odile/e", 0o600, 1000, 1000);
                let text = format!("X=1 Y=1; {text}");
                let (why, x, y) = after_on(tree, dialect, &text, |m| {
                    let why = m.live.as_ref().and_then(|s| s.open.as_ref().map(|doubt| doubt.why));
                    let [x, y] = [b"X", b"Y"].map(|name| m.content_of(name).value().and_then(|value| value.known().cloned()));
                    (why, x, y)
                });
                assert_eq!(why, expected, "{dialect:?} {text}");
                if why.is_none() {
                    // What the file held before may have been run.
                    assert_eq!((x.as_deref(), y.as_deref()), (Some(&b"1"[..]), None), "{dialect:?} {text}");
                }
            }
        }
    }

    /// What leaves the answer open.
    #[test]
    fn what_a_program_prints_is_evaluated_with_quotes_and_without() {
        const NOT_KNOWN: Option<&str> = Some("a command of the shell whose words are not known");
        let rows = [
            ("eval \"$(dircolors)\"", None),
            ("eval $(dircolors)", None),
            ("x=$(dircolors); eval $x", None),
            ("eval \"$(dircolors ~/none || dircolors)\"", None),
            ("eval \"$(tide-now)\"", Some(PRINTED_COMMANDS)),
            ("eval $(tide-now)", Some(PRINTED_COMMANDS)),
            ("eval x $(tide-now)", NOT_KNOWN),
            ("IFS=\"'\"; eval $(dircolors)", NOT_KNOWN),
            ("trap \"$(tide-now)\" EXIT", None),
            ("trap \"$(tide-now)\" INT", Some("a trap that is not known")),
        ];
        for (text, expected) in rows {
            for dialect in [Bash, Dash, Ksh, Mksh, Zsh] {
                let tree = MemoryTree::default().with_programs("/usr/bin", ["dircolors"]);
                let why = after_on(tree, dialect, text, |m| m.live.as_ref().and_then(|s| s.open.as_ref().map(|doubt| doubt.why)));
                assert_eq!(why, expected, "{dialect:?} {text}");
            }
        }
    }

    /// What the positional parameters are after a file was run (measured).
    #[test]
    fn files_are_given_words_of_their_own() {
        let all: &[Dialect] = &[Bash, Dash, Ksh, Mksh, Zsh];
        let rich: &[Dialect] = &[Bash, Ksh, Mksh, Zsh];
        for (dialects, text, expected) in [
            (all, "set -- x y; . /lib/asks", ["x", "2 x"]),
            (rich, "set -- x y; . /lib/asks k", ["k", "2 x"]),
            (&[Dash], "set -- x y; . /lib/asks k", ["x", "2 x"]),
            (all, "set -- x; . /lib/sets", ["q", "3 p"]),
            (&[Ksh, Mksh, Zsh], "set -- x; . /lib/sets k", ["q", "1 x"]),
            // There what a file sets stays, unless a function runs it.
            (&[Bash], "set -- x; . /lib/sets k", ["q", "3 p"]),
            (&[Bash], "f() { . /lib/sets k; S=$#; }; set -- x; f 1 2", ["q", "1 x"]),
            (&[Bash], "set -- x; . /lib/nests k", ["k2", "1 x"]),
            // What ran behind it takes that back, and what is not certain is not known.
            (&[Bash], "f() { :; }; set -- x; . /lib/calls k", ["q", "1 x"]),
            (&[Bash], "set -- x; . /lib/apart k", ["none", "1 x"]),
            (&[Bash], "set -- x y; . /lib/perhaps k", ["none", "<unknown>"]),
            (rich, "set -- x y z; . /lib/shifts k l", ["l", "3 x"]),
            (all, "set -- x; . /lib/ends", ["none", "1 x"]),
        ] {
            for dialect in dialects {
                let mut tree = MemoryTree::default();
                for (name, file) in [
                    ("asks", "R=$1\n"),
                    ("sets", "set -- p q r; R=$2\n"),
                    ("nests", "set -- p q r; . /lib/asks k2\n"),
                    ("calls", "set -- p q r; R=$2; f\n"),
                    ("apart", "(set -- p q r)\n"),
                    ("perhaps", "tide-now && set -- p q r\n"),
                    ("shifts", "shift; R=$1\n"),
                    ("ends", "return; R=$1\n"),
                ] {
                    tree.file(format!("/lib/{name}"), file, false);
                }
                let text = format!("R=none; {text}; N=\"$# $1\"");
                let found = after_on(tree, *dialect, &text, |machine| ["R", "N"].map(|name| machine.told_value(name)));
                assert_eq!(found, expected, "{dialect:?} {text}");
            }
        }
    }

    /// Which file a name without a stroke means, where one lies in a folder of PATH, one in the working folder, and one in both
    /// (measured: bash 5.2, dash 0.5.12, 93u+m, R59, zsh 5.9).
    #[test]
    fn files_are_looked_for_where_each_shell_looks() {
        // What `on-path`, `here` and `both` come to.
        for (dialect, command, expected) in [
            (Bash, ".", ["path", "here", "path"]),
            (Bash, "source", ["path", "here", "path"]),
            (Zsh, ".", ["path", "none", "path"]),
            (Zsh, "source", ["path", "here", "here"]),
            (Mksh, "source", ["path", "here", "path"]),
            (Dash, ".", ["path", "none", "path"]),
            (Ksh, ".", ["path", "none", "path"]),
            (Mksh, ".", ["path", "none", "path"]),
        ] {
            for (name, expected) in ["on-path", "here", "both"].into_iter().zip(expected) {
                let mut tree = MemoryTree::default();
                for (path, says) in [
                    ("/usr/bin/on-path", "path"),
                    ("/usr/bin/both", "path"),
                    ("/home/odile/here", "here"),
                    ("/home/odile/both", "here"),
                ] {
                    tree.file(path, format!("R={says}\n"), false);
                }
                for dashes in ["", "-- "] {
                    // What ends the shell ends the subshell.
                    let text = format!("R=none; R=$({command} {dashes}{name}; echo $R)");
                    let text = format!("{text}; [ -n \"$R\" ] || R=none");
                    let found = after_on(tree.clone(), dialect, &text, |machine| machine.told_value("R"));
                    assert_eq!(found, expected, "{dialect:?} {text}");
                    if dialect == Dash {
                        break;
                    }
                }
            }
        }
    }

    #[test]
    fn texts_are_run_where_they_stand() {
        use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
        crate::shell::trial::hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "echo 'R=1; X=$#' > /dev/null; R=1; X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=1' 'X=2'; X=$X$R", ["1", "21"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval ''; R=$?; eval 'false'; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; eval \"R=2; eval 'R=3'\"; X=$R", ["3", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { eval 'return 3'; R=9; }; R=1; f; X=$?", ["1", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R='X=5'; eval \"$R\"; R=$X", ["5", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'if true; then R=1; fi'; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=$X' ; X=$?", ["", "0"]),
            (&[Bash, Zsh], "X=3 eval 'R=$X'; X=${X-none}", ["3", "none"]),
            (&[Dash, Ksh, Mksh], "X=3 eval 'R=$X'; X=${X-none}", ["3", "3"]),
        ]);
    }
}
