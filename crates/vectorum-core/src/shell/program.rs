//! Programs that startup files call. None can change the shell's variables; the answers of some
//! follow from the host's files, and the texts of some, evaluated, set certain names only.

use bytes::Bytes;

use super::content::Content;
use super::filters;
use super::lookup::{NO_FOLDER, UNREAD, along, is_program};
use super::machine::Machine;
use super::outputs::{Asked, PRINTED};
use super::parameter::OWN_PROCESS;
use super::value::{Doubt, Unknown, Val};
use crate::host_view::{Content as FileContent, Want};
use crate::route::{Account, Ground};

/// Programs whose text is made to be evaluated, with the only names that it sets.
const EVALUATED: &[(&[u8], &[&str])] = &[
    (b"dircolors", &["LS_COLORS"]),
    (b"lesspipe", &["LESSOPEN", "LESSCLOSE"]),
    (b"lessfile", &["LESSOPEN", "LESSCLOSE"]),
    (b"ssh-agent", &["SSH_AUTH_SOCK", "SSH_AGENT_PID"]),
    (b"gpg-agent", &["GPG_AGENT_INFO", "SSH_AUTH_SOCK", "SSH_AGENT_PID"]),
    (b"dbus-launch", &["DBUS_SESSION_BUS_ADDRESS", "DBUS_SESSION_BUS_PID", "DBUS_SESSION_BUS_WINDOWID"]),
    (b"resize", &["COLUMNS", "LINES"]),
    (b"tset", &["TERM", "TERMCAP"]),
];

/// The names that a program's output sets where it is evaluated, if it is one of those of which that is known.
pub(super) fn sets(base: &[u8]) -> Option<&'static [&'static str]> {
    EVALUATED.iter().find(|(program, _)| *program == base).map(|(_, sets)| *sets)
}

/// Whether a program never reads its standard input.
pub(super) fn reads_nothing(base: &[u8]) -> bool {
    let all = [
        "true",
        "false",
        "id",
        "whoami",
        "uname",
        "hostname",
        "dirname",
        "basename",
        "pwd",
        "readlink",
        "realpath",
        "mkdir",
        "touch",
        "rm",
        "chmod",
        "date",
        "ls",
        "test",
        "[",
        "echo",
        "printf",
        "which",
        "printenv",
        "seq",
        "nproc",
        "tput",
        "dircolors",
    ];
    all.iter().any(|name| name.as_bytes() == base)
}

/// Whether what a program prints is a number; if so, whether it prints one in any case.
fn prints_number(base: &[u8], arguments: &[&[u8]]) -> Option<bool> {
    let is_number_of_date = |format: &[u8]| {
        let signs = format.chunks(2).map(|pair| <[u8; 2]>::try_from(pair).ok().filter(|[percent, _]| *percent == b'%'));
        format.len() > 1 && signs.into_iter().all(|pair| pair.is_some_and(|[_, sign]| b"sNYmdHMSjuwCyVUGgI".contains(&sign)))
    };
    match (base, arguments) {
        (b"nproc", _) => Some(true),
        (b"date", [format] | [b"-u", format]) => format.strip_prefix(b"+").is_some_and(is_number_of_date).then_some(true),
        (b"tput", [b"cols" | b"lines" | b"colors"]) | (b"wc", [b"-l" | b"-w" | b"-c" | b"-m"]) => Some(false),
        (b"id", [b"-u" | b"-g", _]) | (b"stat", [b"-c", b"%s" | b"%Y" | b"%a" | b"%u" | b"%g" | b"%h", _]) => Some(false),
        (b"getconf", [b"_NPROCESSORS_ONLN" | b"_NPROCESSORS_CONF" | b"LONG_BIT" | b"PAGESIZE" | b"PAGE_SIZE"]) => Some(false),
        (b"grep", [b"-c", _] | [b"-c", _, _]) | (b"pgrep", [b"-c", ..]) => Some(false),
        _ => None,
    }
}

/// Whether `ps` is asked for nothing but the name of the shell that runs it: `ps -p $$ -o comm=`.
fn asks_for_shell(arguments: &[Val]) -> bool {
    /// Stands for the number: no argument holds it.
    const OWN: &[u8] = b"\0";
    let words = arguments.iter().map(|value| match value {
        Val::Known(text) => &text[..],
        Val::Unknown(text) if text.doubt.why == OWN_PROCESS => OWN,
        Val::Unknown(_) => b"",
    });
    matches!(
        &words.collect::<Vec<_>>()[..],
        [b"-p", OWN, b"-o", b"comm="]
            | [b"-p", OWN, b"-ocomm="]
            | [b"-o", b"comm=", b"-p", OWN]
            | [b"-ocomm=", b"-p", OWN]
            | [b"-o", b"comm=", OWN]
            | [b"-ocomm=", OWN]
    )
}

/// What a program prints and how it ends.
pub(super) struct Answer {
    pub(super) output: Val,
    pub(super) status: Option<u8>,
}

fn line(text: impl AsRef<[u8]>) -> Val {
    Val::of([text.as_ref(), b"\n"].concat())
}

/// Where a program runs.
pub(super) struct Place<'a> {
    pub(super) ground: Ground<'a>,
    pub(super) account: &'a Account,
    pub(super) folder: Option<Bytes>,
    /// What it reads, where that is known.
    pub(super) input: Option<Bytes>,
    pub(super) has_terminal: bool,
}

/// Reads a file as an account.
pub(super) fn content(ground: Ground<'_>, account: &Account, path: &[u8]) -> FileContent {
    match ground.files.may(path, account.uid, account.gid, Want::Read) {
        Some(false) => FileContent::Missing,
        _ => ground.files.read(path),
    }
}

impl Place<'_> {
    /// What a program prints and how it ends, where that follows from the host.
    pub(super) fn answer(&self, name: &[u8], arguments: &[&[u8]]) -> Option<Answer> {
        let ok = |output: Val| Some(Answer { output, status: Some(0) });
        let uid = self.account.uid.to_string();
        let gid = self.account.gid.to_string();
        match (name, arguments) {
            (b"true", _) => ok(Val::of(b"")),
            (b"false", _) => Some(Answer { output: Val::of(b""), status: Some(1) }),
            (b"id", [b"-u" | b"-ru" | b"--user"]) => ok(line(uid)),
            (b"id", [b"-g" | b"-rg" | b"--group"]) => ok(line(gid)),
            (b"id", [b"-un" | b"-nu"] | [b"-u", b"-n"] | [b"-n", b"-u"]) | (b"whoami", []) => ok(line(&self.account.name)),
            (b"uname", [] | [b"-s"]) => ok(line("Linux")),
            (b"uname", [b"-o"]) => ok(line("GNU/Linux")),
            (b"logname", []) => None,
            (b"hostname", []) | (b"uname", [b"-n"]) => match self.ground.files.read(b"/etc/hostname") {
                FileContent::Bytes(text) => {
                    let name =
                        text.split(|b| *b == b'\n').map(<[u8]>::trim_ascii).find(|l| !l.is_empty() && !l.starts_with(b"#"))?;
                    ok(line(name))
                }
                _ => None,
            },
            // An option, or none where it stands alone.
            (b"dirname" | b"basename" | b"readlink" | b"realpath", words)
                if words.last().is_some_and(|word| word.is_empty() || word.starts_with(b"-")) =>
            {
                None
            }
            (b"basename", [first, ..]) if first.starts_with(b"-") => None,
            (b"dirname", [path]) => {
                let path = strip_slashes(path);
                let end = memchr::memrchr(b'/', path);
                ok(line(match end {
                    None => &b"."[..],
                    Some(0) => b"/",
                    Some(at) => strip_slashes(path.get(..at)?),
                }))
            }
            (b"basename", [path] | [path, _]) => {
                let path = strip_slashes(path);
                let base = path.rsplit(|b| *b == b'/').next().filter(|b| !b.is_empty()).unwrap_or(path);
                let suffix = arguments.get(1).copied().unwrap_or_default();
                let base = base.strip_suffix(suffix).filter(|b| !b.is_empty()).unwrap_or(base);
                ok(line(base))
            }
            (b"echo", _) => None,
            (b"printf", _) => None,
            (b"pwd", [] | [b"-P"]) => {
                let folder = self.folder.clone()?;
                let real = self.ground.files.real_path(&folder)?;
                ok(line(real))
            }
            (b"cat", files) if files.iter().any(|f| f.starts_with(b"/dev/")) => None,
            (b"cat", files) if !files.is_empty() && files.iter().all(|f| !f.starts_with(b"-")) => {
                let (mut out, mut status) = (Vec::new(), 0);
                for file in files {
                    let path = self.full(file)?;
                    match content(self.ground, self.account, &path) {
                        FileContent::Bytes(text) => out.extend_from_slice(&text),
                        // It goes on with the others.
                        FileContent::Missing => status = 1,
                        FileContent::Denied => return None,
                    }
                }
                Some(Answer { output: Val::of(out), status: Some(status) })
            }
            (b"cat", []) => ok(Val::Known(self.input.clone()?)),
            (b"readlink", [b"-f" | b"-e" | b"-m", path]) | (b"realpath", [path]) => {
                let full = self.full(path)?;
                ok(line(self.ground.files.real_path(&full)?))
            }
            (b"tty", [b"-s"]) if self.has_terminal => ok(Val::of(b"")),
            _ => filters::answer(name, arguments, |path| self.read(path), self.input.clone()),
        }
    }

    /// Reads a file, `Some(None)` where there is none.
    fn read(&self, path: &[u8]) -> Option<Option<Bytes>> {
        match content(self.ground, self.account, &self.full(path)?) {
            FileContent::Bytes(text) => Some(Some(text)),
            FileContent::Missing => Some(None),
            FileContent::Denied => None,
        }
    }

    fn full(&self, path: &[u8]) -> Option<Bytes> {
        if path.first() == Some(&b'/') {
            return Some(Bytes::copy_from_slice(path));
        }
        Some([&self.folder.clone()?[..], b"/", path].concat().into())
    }
}

impl Machine<'_> {
    /// Looks a program up. `Ok(None)` where there is none.
    pub(super) fn find_program(&mut self, name: &[u8]) -> Result<Option<Bytes>, std::sync::Arc<Doubt>> {
        if name.contains(&b'/') {
            let Some(path) = self.full(name) else { return Err(self.doubt(NO_FOLDER)) };
            let is_there = is_program(self.ground.files, self.account, &path).ok_or_else(|| self.doubt(UNREAD))?;
            return Ok(is_there.then_some(path));
        }
        let is_clean = self.touched.is_clean();
        let files = (self.ground.files, self.account);
        if is_clean
            && let Some(state) = &self.live
            && let Some(found) = state.vars.program(name, |path| self.programs.along(files, path, name))
        {
            return Ok(found);
        }
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else {
            return Err(self.doubt("where programs are looked up is not known"));
        };
        if is_clean && let Some(found) = self.programs.along(files, &path, name) {
            return Ok(found);
        }
        // Each folder is some items' work.
        self.steps.count(4 * memchr::memchr_iter(b':', &path).count());
        along((self.ground.files, self.account), &path, name, |folder| self.full(folder)).map_err(|why| self.doubt(why))
    }

    /// Runs a program of the host as far as its answer is known.
    pub(super) fn program(&mut self, name: &[u8], arguments: &[Val]) -> Answer {
        let base = name.rsplit(|b| *b == b'/').next().unwrap_or(name);
        if let Some(sets) = sets(base) {
            let output = Val::Unknown(Unknown::of(self.doubt(PRINTED)).setting(Some(sets)));
            return Answer { output, status: None };
        }
        if base == b"ps" && asks_for_shell(arguments) && !self.process_name.is_empty() {
            return Answer { output: line(&self.process_name), status: Some(0) };
        }
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        if let (Some(outputs), Some(arguments)) = (self.ground.outputs, &known)
            && name.starts_with(b"/")
            && self.live.as_ref().is_some_and(|s| s.output.text.is_some())
            && !self.takes_up_errors()
        {
            if let Some(output) = outputs.of(name, arguments) {
                return Answer { output: Val::Known(output.text.clone()), status: Some(output.status) };
            }
            if self.answer_is_open(base) {
                outputs.ask(self.asked(name, arguments));
            }
        }
        let mut number = None;
        let found = known.and_then(|arguments| {
            let arguments: Vec<&[u8]> = arguments.iter().map(|a| &a[..]).collect();
            number = prints_number(base, &arguments);
            self.touched.changed_by(base, &arguments, |p| self.full(p));
            let state = self.live.as_ref()?;
            let input = state.input.as_ref().map(|(text, at)| text.slice(*at..));
            let (folder, has_terminal) = (state.folder.clone(), self.has_terminal());
            Place { ground: self.ground, account: self.account, folder, input, has_terminal }.answer(base, &arguments)
        });
        found.unwrap_or_else(|| {
            let output = Unknown::of(self.doubt(PRINTED)).filled(number == Some(true)).number(number.is_some());
            Answer { output: Val::Unknown(output), status: None }
        })
    }

    /// Whether a program is none of those that nobody needs to run.
    fn answer_is_open(&self, base: &[u8]) -> bool {
        !reads_nothing(base)
            && !matches!(base, b"cat" | b"tr" | b"tty" | b"xargs" | b"sed" | b"grep" | b"awk" | b"cut" | b"head" | b"tail")
    }

    /// A program with what it would be handed.
    fn asked(&self, program: &[u8], arguments: &[Bytes]) -> Asked {
        let vars = self.live.iter().flat_map(|s| s.vars.all());
        let exported = vars.filter(|(_, var)| var.exported == Some(true));
        let block = exported.filter_map(|(name, var)| match &var.content {
            Content::Set(Val::Known(value)) => Some((name.clone(), value.clone())),
            _ => None,
        });
        let mut block: Vec<(Bytes, Bytes)> = block.collect();
        block.sort();
        Asked {
            site: self.here(),
            program: Bytes::copy_from_slice(program),
            arguments: arguments.to_vec(),
            dialect: self.dialect,
            block,
            account: self.account.clone(),
            folder: self.live.as_ref().and_then(|s| s.folder.clone()),
        }
    }
}

fn strip_slashes(path: &[u8]) -> &[u8] {
    let end = path.iter().rposition(|b| *b != b'/').map_or(1.min(path.len()), |at| at + 1);
    path.get(..end).unwrap_or(path)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_shells_own_process_is_named() {
        let own = || Val::filled(OWN_PROCESS);
        let other = || Val::filled("a process number");
        let word = |text: &str| Val::of(text);
        for (arguments, expected) in [
            (vec![word("-p"), own(), word("-o"), word("comm=")], true),
            (vec![word("-ocomm="), word("-p"), own()], true),
            (vec![word("-o"), word("comm="), own()], true),
            (vec![word("-p"), other(), word("-o"), word("comm=")], false),
            (vec![word("-p"), own(), word("-o"), word("comm")], false),
            (vec![own(), word("-p"), word("-o"), word("comm=")], false),
            (vec![word("-p"), own(), own(), word("-ocomm=")], false),
        ] {
            assert_eq!(asks_for_shell(&arguments), expected, "{arguments:?}");
        }
    }

    #[test]
    fn programs_that_print_numbers_are_known() {
        for (line, number) in [
            ("nproc", Some(true)),
            ("nproc --all", Some(true)),
            ("date +%s", Some(true)),
            ("date -u +%Y%m%d", Some(true)),
            ("date +%s%N", Some(true)),
            ("date +%F", None),
            ("date +%Y-%m", None),
            ("date +", None),
            ("date +%", None),
            ("date", None),
            ("tput cols", Some(false)),
            ("tput bold", None),
            ("wc -l", Some(false)),
            ("wc -l /etc/passwd", None),
            ("stat -c %s /etc/passwd", Some(false)),
            ("stat -c %n /etc/passwd", None),
            ("grep -c gate lanes", Some(false)),
            ("tide-now", None),
        ] {
            let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
            assert_eq!(prints_number(words[0], &words[1..]), number, "{line}");
        }
    }
}
