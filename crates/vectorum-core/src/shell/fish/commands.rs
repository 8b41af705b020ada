//! The commands of fish by their names, functions in files of their own, and programs.

use super::super::expressions::names_of;
use super::super::folder::plain_path;
use super::super::lookup::{UNREAD, is_program};
use super::super::outputs::{PRINTED, PRINTED_COMMANDS, PRINTED_NAMES};
use super::super::program::{self, Place};
use super::argparse::argparse;
use super::words::{MAY_NOT_RUN, NO_FILE, NO_INDEX, NOT_RUN};
use super::*;

/// Commands that change no variable and whose output is not followed.
const HARMLESS: &[&[u8]] = &[
    b"_",
    b"abbr",
    b"bind",
    b"complete",
    b"emit",
    b"history",
    b"jobs",
    b"bg",
    b"fg",
    b"disown",
    b"wait",
    b"ulimit",
    b"umask",
    b"block",
    b"breakpoint",
    b"fish_vi_key_bindings",
    b"fish_default_key_bindings",
    b"fish_config",
    b"fish_git_prompt",
    b"commandline",
    b"random",
    b"realpath",
    b"math",
    b"printf",
    b"string",
    b"contains",
    b"count",
    b"command",
    b"builtin",
    b"type",
    b"path",
    b"pwd",
    b"set_color",
    b"fish_hybrid_key_bindings",
    b"suspend",
    b"ssh-add",
];

/// Commands of fish that no function can take the place of.
pub(super) const RESERVED: &[&[u8]] = &[
    b"set",
    b"test",
    b"[",
    b"status",
    b"string",
    b"eval",
    b"read",
    b"return",
    b"exec",
    b"builtin",
    b"command",
    b"argparse",
    b"break",
    b"continue",
];

/// Whether a command changes no variable.
pub(super) fn is_harmless(name: &[u8]) -> bool {
    HARMLESS.contains(&name) || matches!(name, b"echo" | b":")
}

impl Fish<'_> {
    pub(super) fn command(&mut self, words: &[Word]) {
        let first = words.first().map(|w| &w.parts[..]);
        let may_be_empty = matches!(first, Some([Part::Text(name)]) if matches!(&name[..], b"set" | b"count" | b"path"));
        let outer = std::mem::replace(&mut self.may_be_empty, may_be_empty);
        let (fields, doubt) = self.fields_in_part(words);
        self.may_be_empty = outer;
        match doubt {
            None => {}
            Some(doubt) if self.refuse_for(&doubt) => return,
            Some(doubt) if doubt.why == MAY_NOT_RUN => {
                // Where it is run, too, its status may be that of the output.
                let run = |m: &mut Self| {
                    m.known_in_part(&doubt, words, &fields);
                    m.doubt_status(MAY_NOT_RUN);
                };
                return self.fork(&doubt, Self::refuse_with_any_status, run);
            }
            Some(doubt) => return self.known_in_part(&doubt, words, &fields),
        }
        if self.live.is_none() {
            return;
        }
        // One that keeps the status of what was refused before it is run itself.
        self.ran();
        let Some((name, arguments)) = fields.split_first() else { return self.doubt_status("a command without a name") };
        let Val::Known(name) = name.clone() else { return self.fog("a command whose name is not known") };
        if name.is_empty() {
            return self.doubt_status("a command without a name");
        }
        self.named(&name, arguments);
    }

    /// Whether a command with such words is not run at all; then its status is set.
    pub(super) fn refuse_for(&mut self, doubt: &Doubt) -> bool {
        match doubt.why {
            NO_FILE => self.refuse(124),
            NO_INDEX => self.refuse(121),
            // The status is that of the output.
            NOT_RUN => {
                if let Some(state) = &mut self.live {
                    state.refused = Refused::Yes;
                }
            }
            _ => return false,
        }
        true
    }

    fn refuse_with_any_status(&mut self) {
        self.doubt_status(MAY_NOT_RUN);
        if let Some(state) = &mut self.live {
            state.refused = Refused::Yes;
        }
    }

    /// A command of which not all words are known, perhaps not even the first; `fields` are those in front that are.
    fn known_in_part(&mut self, doubt: &Doubt, words: &[Word], fields: &[Val]) {
        let name = match words.first().map(|w| &w.parts[..]) {
            Some([Part::Text(name)]) => name.clone(),
            _ => return self.fog("a command whose name is not known"),
        };
        if let (b"eval", Some(names), [_, _]) = (&name[..], doubt.sets, words) {
            return self.set_by_output(names);
        }
        match self.function(&name).filter(|_| !RESERVED.contains(&&name[..])) {
            Some(Named::Function(function)) => {
                let doubt = Arc::new(doubt.clone());
                self.through(|m| m.call(&function, Err(&doubt)));
            }
            Some(Named::Unclear) => self.fog("a function that may be one or another"),
            _ => self.half_known(&name, fields.get(1..).unwrap_or_default()),
        }
    }

    /// A command of which not all words are known.
    fn half_known(&mut self, name: &[u8], plain: &[Val]) {
        // The options and the name may be known all the same.
        if name == b"set" && plain.iter().any(|w| w.known().is_some_and(|w| !w.starts_with(b"-"))) {
            let doubt = self.doubt("what a variable is set to is not known");
            return self.set_command(plain, Some(doubt));
        }
        match name {
            b"return" => {
                self.doubt_status("a status that is not known");
                self.return_from();
            }
            b"exit" => self.exit_from(),
            b"test" | b"[" | b"echo" | b"string" | b"contains" | b"count" | b"type" | b"printf" | b"math" => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("a condition on what is not known");
            }
            name if HARMLESS.contains(&name) => self.doubt_status("how a command ends"),
            b"source" | b"." => self.fog(PRINTED_COMMANDS),
            name if self.is_own(name) => self.fog("a command of fish whose words are not known"),
            name if self.autoloaded(name).is_some() => self.fog("a function whose arguments are not known"),
            _ => {
                self.print(Val::Unknown(self.doubt(PRINTED)));
                self.doubt_status("how a program ends");
            }
        }
    }

    /// A command of which it is known only that it changes no variable.
    fn ends_somehow(&mut self) {
        self.print(Val::Unknown(self.doubt("what a command prints")));
        self.doubt_status("how a command ends");
    }

    pub(super) fn is_own(&self, name: &[u8]) -> bool {
        let is_defined = matches!(self.function(name), Some(Named::Function(_) | Named::Unclear));
        is_defined
            || matches!(
                name,
                b"set"
                    | b"source"
                    | b"."
                    | b"eval"
                    | b"read"
                    | b"export"
                    | b"fish_add_path"
                    | b"cd"
                    | b"exit"
                    | b"return"
                    | b"exec"
                    | b"alias"
                    | b"status"
                    | b"argparse"
                    | b"setenv"
                    | b"functions"
                    | b"break"
                    | b"continue"
                    | b"pushd"
                    | b"popd"
                    | b"prevd"
                    | b"nextd"
                    | b"cdh"
                    | b"trap"
                    | b"vared"
            )
    }

    pub(super) fn named(&mut self, name: &[u8], arguments: &[Val]) {
        match self.function(name) {
            Some(Named::Function(function)) => return self.through(|m| m.call(&function, Ok(arguments))),
            Some(Named::Unclear) => return self.fog("a function that may be one or another"),
            Some(Named::Erased) => {}
            None if RESERVED.contains(&name) => {}
            None => {
                if let Some(path) = self.autoloaded(name) {
                    return self.load(&path, name, arguments);
                }
            }
        }
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        match name {
            b"true" | b":" => self.set_status(0),
            b"false" => self.set_status(1),
            b"set" => self.set_command(arguments, None),
            b"export" => self.export(arguments),
            b"test" | b"[" => {
                let words = if name == b"[" { arguments.split_last().map(|(_, w)| w).unwrap_or_default() } else { arguments };
                self.test(words);
            }
            b"status" => match known.as_deref().and_then(|k| k.first()).map(|k| &k[..]) {
                Some(b"is-login" | b"--is-login" | b"-l") => self.set_status(u8::from(!self.manner.is_login())),
                Some(b"is-interactive" | b"--is-interactive" | b"-i") => {
                    self.set_status(u8::from(!self.manner.is_interactive()));
                }
                Some(b"is-command-substitution" | b"is-block" | b"is-breakpoint") => {
                    self.doubt_status("what fish says of itself");
                }
                _ => {
                    self.print(Val::Unknown(self.doubt("what a command prints")));
                    self.doubt_status("what fish says of itself");
                }
            },
            b"echo" => {
                let text = joined(arguments, b" ");
                let is_plain = text.known().is_some_and(|t| !t.starts_with(b"-"));
                let text =
                    if is_plain { both(&text, &Val::of(b"\n")) } else { Val::Unknown(self.doubt("what a command prints")) };
                self.print(text);
                self.set_status(0);
            }
            b"source" | b"." => {
                self.source(known.as_deref());
                self.ran();
            }
            b"eval" => match known {
                Some(words) if words.iter().all(|w| w.trim_ascii().is_empty()) => self.set_status(0),
                Some(words) => {
                    let fixed = Some(self.source.line(self.at));
                    let source = Source { fixed, ..Source::new(self.source.path.clone(), words.join(&b' ').into()) };
                    self.run_text(&Arc::new(source));
                    self.ran();
                }
                None => self.fog("a text is run that is not known"),
            },
            b"fish_add_path" => self.add_path(known.as_deref()),
            b"type" | b"command" | b"builtin" => self.asked(name, arguments, known.as_deref()),
            b"return" => {
                self.status_of(known.as_deref());
                self.return_from();
            }
            b"exit" => {
                self.status_of(known.as_deref());
                self.exit_from();
            }
            b"exec" => self.exec(arguments),
            b"ls" | b"ll" | b"la" if self.is_shipped(name) && self.live.is_some() => {
                self.color_lists();
                self.outside(name, arguments);
            }
            b"complete"
                if known.as_deref().is_none_or(|words| words.iter().any(|w| w.starts_with(b"-C") || w.starts_with(b"--do"))) =>
            {
                self.fog("what completes a word is run");
            }
            b"break" | b"continue" => {
                self.set_status(0);
                self.leave(if name == b"break" { Leaves::Loop } else { Leaves::Round });
            }
            b"functions" => self.functions(known.as_deref()),
            b"alias" => self.alias(known.as_deref()),
            b"setenv" => self.setenv(known.as_deref()),
            b"pushd" | b"popd" | b"prevd" | b"nextd" | b"cdh" => {
                let doubt = self.doubt("the working folder is not known");
                self.put(b"PWD", Some(Kept::Global), vec![Val::Unknown(doubt)], Some(true), None);
                self.doubt_status("whether there is such a folder");
            }
            b"trap" | b"vared" => self.fog("a command of fish that is not followed"),
            b"cd" => self.cd(known.as_deref()),
            b"contains" => match known.as_deref() {
                Some([first, rest @ ..]) if !first.starts_with(b"-") => self.set_status(u8::from(!rest.contains(first))),
                Some([dashes, first, rest @ ..]) if dashes == &b"--"[..] => self.set_status(u8::from(!rest.contains(first))),
                Some([index, first, rest @ ..]) if matches!(&index[..], b"-i" | b"--index") && !first.starts_with(b"-") => {
                    let at = rest.iter().position(|r| r == first);
                    if let Some(at) = at {
                        self.print(Val::of(format!("{}\n", at + 1)));
                    }
                    self.set_status(u8::from(at.is_none()));
                }
                _ => {
                    self.print(Val::Unknown(self.doubt("what a command prints")));
                    self.doubt_status("what a list holds is not known");
                }
            },
            // It counts the lines that it reads, too.
            b"count" if self.live.as_ref().is_some_and(|s| s.input.is_given) => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("what is read is not known");
            }
            b"count" => {
                self.print(Val::of(format!("{}\n", arguments.len())));
                self.set_status(u8::from(arguments.is_empty()));
            }
            b"math" => match known.as_deref().and_then(text::math) {
                Some(number) => {
                    self.print(Val::of(format!("{number}\n")));
                    self.set_status(0);
                }
                None => {
                    self.ends_somehow();
                }
            },
            b"read" => self.read_command(known.as_deref()),
            b"argparse" => self.take_options(known.as_deref()),
            b"string" => match known.as_deref().and_then(text::string) {
                Some((lines, status)) => {
                    for line in lines {
                        self.print(both(&Val::Known(line), &Val::of(b"\n")));
                    }
                    self.set_status(status);
                }
                None => {
                    // Groups with names set variables.
                    let words = known.as_deref().unwrap_or_default();
                    for name in words.iter().filter(|_| words.first().is_some_and(|w| w == "match")).flat_map(|w| names_of(w)) {
                        let items = Err(self.doubt("what an expression found"));
                        self.put_var(&name, None, items, None, None);
                    }
                    self.ends_somehow();
                }
            },
            name if HARMLESS.contains(&name) => {
                self.ends_somehow();
            }
            name => self.outside(name, arguments),
        }
    }

    /// The status that `return` and `exit` are given, if they are.
    fn status_of(&mut self, known: Option<&[Bytes]>) {
        let Some(status) = known.map_or(Some(None), |k| k.first().map(Some)) else { return };
        match status.and_then(|s| std::str::from_utf8(s).ok()?.parse::<u8>().ok()) {
            Some(status) => self.set_status(status),
            None => self.doubt_status("a status that is not known"),
        }
    }

    /// `exec`: the shell becomes a program; where that is not there, it goes on (measured: fish 3.6).
    fn exec(&mut self, arguments: &[Val]) {
        let found = match arguments.first().and_then(Val::known).cloned() {
            Some(name) => self.program(&name),
            None => return self.set_status(2),
        };
        match found {
            Ok(Some(_)) => self.leave(Leaves::Shell),
            Ok(None) => self.refuse(127),
            Err(doubt) => self.fork(&doubt, |m| m.leave(Leaves::Shell), |m| m.refuse(127)),
        }
    }

    /// Functions that list folders set the colours for it the first time (measured: fish 3.6, `ls.fish`).
    fn color_lists(&mut self) {
        const COLORS: &[u8] = b"LS_COLORS";
        let is_set = self.get(COLORS).is_some_and(|var| !var.is_perhaps && var.exported == Some(true));
        let is_missing = |program: Result<Option<Bytes>, Arc<Doubt>>| matches!(program, Ok(None));
        if is_set || is_missing(self.program(b"dircolors")) && is_missing(self.program(b"gdircolors")) {
            return;
        }
        let why = "what a function of fish's sets";
        let doubt = self.doubt(why);
        self.put_var(COLORS, Some(Kept::Global), Err(doubt), Some(true), None);
        self.blur(COLORS, why);
    }

    /// `argparse`; of what is not followed the names that it sets are known.
    fn take_options(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("options are taken that are not known") };
        match argparse(words) {
            Some(Some(taken)) => {
                let items = |values: Vec<Bytes>| Ok(values.into_iter().map(Val::Known).collect());
                for (name, given) in taken.flags {
                    let plain: Vec<u8> = name.iter().map(|b| if *b == b'-' { b'_' } else { *b }).collect();
                    self.put_var(&[b"_flag_", &plain[..]].concat(), Some(Kept::Block), items(given), None, None);
                }
                self.put_var(b"argv", None, items(taken.rest), None, None);
                return self.set_status(0);
            }
            Some(None) => return self.set_status(2),
            None => {}
        }
        let doubt = self.doubt("what options there are");
        let is_name = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_';
        for word in words.iter().take_while(|word| *word != "--") {
            let spec = word.split(|b| *b == b'!' || *b == b'=').next().unwrap_or_default();
            for name in spec.split(|b| !is_name(b) && *b != b'-').filter(|name| !name.is_empty()) {
                let plain: Vec<u8> = name.iter().map(|b| if is_name(b) { *b } else { b'_' }).collect();
                self.put_var(&[b"_flag_", &plain[..]].concat(), Some(Kept::Block), Err(doubt.clone()), None, None);
            }
        }
        self.put_var(b"argv", None, Err(doubt), None, None);
        self.doubt_status("what options there are");
    }

    fn source(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("what is run is not known") };
        match words.split_first() {
            Some((path, rest)) if path != &b"-"[..] => {
                let path = self.full(path);
                let arguments: Vec<Val> = rest.iter().map(|a| Val::Known(a.clone())).collect();
                match self.ground.files.kind(&path) {
                    Kind::File | Kind::Program => self.through(|m| m.run_file(&path, Some(&arguments))),
                    Kind::Unknown => self.fog("a file that is run may not be read"),
                    _ => self.set_status(1),
                }
            }
            _ => {
                let input = self.live.as_ref().map(|s| s.input.text.clone());
                match input {
                    Some(Val::Known(text)) => {
                        let fixed = Some(self.source.line(self.at));
                        let source = Source { fixed, ..Source::new(self.source.path.clone(), text) };
                        self.run_source(&Arc::new(source), Some(&[]));
                    }
                    Some(Val::Unknown(doubt)) if doubt.sets.is_some() => self.set_by_output(doubt.sets.unwrap_or_default()),
                    _ => self.fog("what is run is not known"),
                }
            }
        }
    }

    /// The output of a program is run that sets these names and no others.
    fn set_by_output(&mut self, names: &[&str]) {
        for name in names {
            let doubt = self.doubt(PRINTED_NAMES);
            self.put_var(name.as_bytes(), Some(Kept::Global), Err(doubt), Some(true), None);
            // Whether it sets them all only it knows.
            self.blur(name.as_bytes(), PRINTED_NAMES);
        }
        self.doubt_status(PRINTED_NAMES);
    }

    fn cd(&mut self, known: Option<&[Bytes]>) {
        let has_search = self.get(b"CDPATH").is_some_and(|v| v.items.as_ref().map_or(true, |i| !i.is_empty()));
        let path = match known {
            Some([]) => self.items(b"HOME").ok().and_then(|i| i.first().and_then(|v| v.known().cloned())),
            Some([path]) if !path.starts_with(b"-") && (path.starts_with(b"/") || !has_search) => Some(path.clone()),
            _ => None,
        };
        let path = path.map(|p| self.full(&p)).filter(|path| path.starts_with(b"/"));
        match path.map(|path| plain_path(&path)) {
            Some(path) if self.ground.files.kind(&path) == Kind::Folder => {
                self.put(b"PWD", Some(Kept::Global), vec![Val::of(path)], Some(true), None);
                self.set_status(0);
            }
            Some(path) if self.ground.files.kind(&path) == Kind::Missing => self.set_status(1),
            _ => {
                let doubt = self.doubt("the working folder is not known");
                self.put(b"PWD", Some(Kept::Global), vec![Val::Unknown(doubt)], Some(true), None);
                self.doubt_status("whether there is such a folder");
            }
        }
    }

    /// Takes in a function that lies in a file of its own, and calls it.
    fn load(&mut self, path: &[u8], name: &[u8], arguments: &[Val]) {
        self.run_file(path, Some(&[]));
        match self.function(name) {
            Some(Named::Function(function)) => self.through(|m| m.call(&function, Ok(arguments))),
            _ => self.fog("a function that is not in its file"),
        }
    }

    /// The program is reached up to which all is followed.
    fn stop(&mut self) {
        let why = self.doubt(PARTED);
        self.stopped.add(self.live.take(), &why);
    }

    /// A program.
    pub(super) fn outside(&mut self, name: &[u8], arguments: &[Val]) {
        match self.program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                self.stop();
            }
            Ok(Some(path)) => {
                let base = path.rsplit(|b| *b == b'/').next().unwrap_or_default().to_vec();
                match self.answer_of(&base, arguments) {
                    Some((text, status)) => {
                        self.print(text);
                        self.set_status(status);
                    }
                    None => {
                        let doubt = Doubt { sets: program::sets(&base), ..(*self.doubt(PRINTED)).clone() };
                        self.print(Val::Unknown(Arc::new(doubt)));
                        self.doubt_status("how a program ends");
                    }
                }
            }
            Ok(None) if self.is_shipped(name) => {
                self.print(Val::Unknown(self.doubt(PRINTED)));
                self.doubt_status("how a function of fish ends");
            }
            Ok(None) if self.may_be_elsewhere() => self.fog("where functions lie is not known"),
            Ok(None) => {
                self.refuse(127);
            }
            // Whether it is there is not known; what it receives is told as if it were.
            Err(_) if self.quiet == 0 && self.until.as_ref().is_some_and(|until| **until == *name) => {
                self.stop();
            }
            Err(_) => {
                self.print(Val::Unknown(self.doubt(PRINTED)));
                self.doubt_status("how a program ends");
                if let Some(state) = &mut self.live {
                    state.refused = Refused::Perhaps;
                }
            }
        }
    }

    pub(super) fn program(&mut self, name: &[u8]) -> Result<Option<Bytes>, Arc<Doubt>> {
        let is_it = |m: &Self, path: &[u8]| is_program(m.ground.files, m.account, path).ok_or_else(|| m.doubt(UNREAD));
        if name.contains(&b'/') {
            let path = self.full(name);
            return Ok(is_it(self, &path)?.then_some(path));
        }
        let folders = self.items(b"PATH")?;
        // Each folder is some items' work.
        self.steps.count(4 * folders.len());
        for folder in folders {
            let Val::Known(folder) = folder else { return Err(self.doubt("where programs are looked up is not known")) };
            let path: Bytes = [&self.full(&folder)[..], b"/", name].concat().into();
            if is_it(self, &path)? {
                return Ok(Some(path));
            }
        }
        Ok(None)
    }

    /// What a program prints and how it ends, where that follows from the host.
    fn answer_of(&mut self, base: &[u8], arguments: &[Val]) -> Option<(Val, u8)> {
        let known: Vec<&[u8]> = arguments.iter().map(|a| a.known().map(|k| &k[..])).collect::<Option<_>>()?;
        self.touched.changed_by(base, &known, |p| Some(self.full(p)));
        let folder = self.items(b"PWD").ok()?.first()?.known().cloned();
        let input = self.live.as_ref().and_then(|s| s.input.text.known().cloned());
        let place = Place { ground: self.ground, account: self.account, folder, input, has_terminal: false };
        let answer = place.answer(base, &known)?;
        Some((answer.output, answer.status?))
    }

    pub(super) fn asked(&mut self, name: &[u8], arguments: &[Val], known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.doubt_status("whether there is such a command") };
        let options = words.iter().take_while(|w| w.starts_with(b"-")).count();
        let Some(wanted) = words.get(options).cloned() else { return self.doubt_status("whether there is such a command") };
        let asks = words
            .iter()
            .take(options)
            .any(|w| matches!(&w[..], b"-q" | b"--query" | b"-v" | b"-s" | b"--search" | b"-sq" | b"-qs"));
        if name != b"type" && !asks {
            // Run as it stands, functions passed over.
            let rest = arguments.get(options + 1..).unwrap_or_default();
            if options > 0 {
                return self.doubt_status("an option that is not followed");
            }
            if name == b"command" {
                return self.outside(&wanted, rest);
            }
            if !self.is_own(&wanted) && !is_harmless(&wanted) && !RESERVED.contains(&&wanted[..]) {
                return self.doubt_status("whether there is such a command");
            }
            let hidden = self.function(&wanted);
            self.name(wanted.clone(), Named::Erased);
            self.named(&wanted, rest);
            if let Some(state) = &mut self.live {
                match hidden {
                    Some(function) => state.functions.insert(wanted, function),
                    None => state.functions.remove(&wanted),
                }
            }
            return;
        }
        let is_quiet = words
            .iter()
            .take(options)
            .any(|w| w == "--query" || w.starts_with(b"-") && !w.starts_with(b"--") && w.contains(&b'q'));
        if !is_quiet && name != b"command" {
            self.print(Val::Unknown(self.doubt("what a command prints")));
        }
        if name == b"builtin" {
            return self.doubt_status("whether there is such a command");
        }
        if name == b"type" {
            match self.function(&wanted) {
                Some(Named::Function(_)) => return self.set_status(0),
                Some(Named::Unclear) => return self.doubt_status("whether there is such a function"),
                _ => {}
            }
            let is_own =
                RESERVED.contains(&&wanted[..]) || self.is_own(&wanted) || is_harmless(&wanted) || self.is_shipped(&wanted);
            if is_own || self.autoloaded(&wanted).is_some() {
                return self.set_status(0);
            }
        }
        if words.len() > options + 1 {
            self.print(Val::Unknown(self.doubt("what a command prints")));
            return self.doubt_status("whether there are such commands");
        }
        match self.program(&wanted) {
            Ok(Some(path)) => {
                if !is_quiet && name == b"command" {
                    self.print(both(&Val::Known(path), &Val::of(b"\n")));
                }
                self.set_status(0);
            }
            Ok(None) => self.set_status(if name == b"command" { 127 } else { 1 }),
            Err(_) => self.doubt_status("where programs are looked up is not known"),
        }
    }

    pub(super) fn test(&mut self, words: &[Val]) {
        let plain: Vec<&Val> = words.iter().collect();
        let answer = self.test_words(&plain);
        match answer {
            Ok(is_so) => self.set_status(u8::from(!is_so)),
            Err(_) => self.doubt_status("a condition on what is not known"),
        }
    }

    pub(super) fn test_words(&mut self, words: &[&Val]) -> Result<bool, ()> {
        let text = |v: Option<&&Val>| v.and_then(|v| v.known().cloned());
        match words {
            [] => Ok(false),
            [one] => one.is_empty().map(|e| !e).ok_or(()),
            [not, rest @ ..] if text(Some(not)).is_some_and(|t| t == b"!"[..]) => self.test_words(rest).map(|is| !is),
            [operator, one] => {
                let operator = text(Some(operator)).ok_or(())?;
                match &operator[..] {
                    b"-n" => return one.is_empty().map(|e| !e).ok_or(()),
                    b"-z" => return one.is_empty().ok_or(()),
                    _ => {}
                }
                let path = text(Some(one)).ok_or(())?;
                if path.is_empty() {
                    return Ok(false);
                }
                let path = self.full(&path);
                if path.starts_with(b"/proc/") || path.starts_with(b"/sys/") || path.starts_with(b"/dev/") {
                    return Err(());
                }
                let kind = self.ground.files.kind(&path);
                match (&operator[..], kind) {
                    (_, Kind::Unknown) => Err(()),
                    (b"-L" | b"-h", _) => self.ground.files.is_link(&path).ok_or(()),
                    (b"-e", kind) => Ok(kind != Kind::Missing),
                    (b"-f", kind) => Ok(matches!(kind, Kind::File | Kind::Program)),
                    (b"-d", kind) => Ok(kind == Kind::Folder),
                    (b"-r" | b"-w" | b"-x", Kind::Missing) => Ok(false),
                    (b"-r", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Read).ok_or(())
                    }
                    (b"-x", _) => self
                        .ground
                        .files
                        .may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Execute)
                        .ok_or(()),
                    (b"-w", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Write).ok_or(())
                    }
                    _ => Err(()),
                }
            }
            [.., _, _] if words.len() > 3 => {
                let at = |wanted: &[u8]| words.iter().position(|w| text(Some(w)).is_some_and(|t| t == wanted));
                let (either, split) = match (at(b"-o"), at(b"-a")) {
                    _ if at(b"(").is_some() => return Err(()),
                    (Some(at), _) => (true, at),
                    (None, Some(at)) => (false, at),
                    _ => return Err(()),
                };
                let left = words.get(..split).filter(|w| !w.is_empty()).ok_or(())?;
                let right = words.get(split + 1..).filter(|w| !w.is_empty()).ok_or(())?;
                match (self.test_words(left), self.test_words(right)) {
                    (Ok(left), Ok(right)) => Ok(if either { left || right } else { left && right }),
                    (Ok(one), _) | (_, Ok(one)) if one == either => Ok(one),
                    _ => Err(()),
                }
            }
            [left, operator, right] => {
                let operator = text(Some(operator)).ok_or(())?;
                let (left, right) = (text(Some(left)).ok_or(())?, text(Some(right)).ok_or(())?);
                let number = |t: &Bytes| std::str::from_utf8(t).ok().and_then(|t| t.trim().parse::<i64>().ok()).ok_or(());
                match &operator[..] {
                    b"=" | b"==" => Ok(left == right),
                    b"!=" => Ok(left != right),
                    b"-eq" => Ok(number(&left)? == number(&right)?),
                    b"-ne" => Ok(number(&left)? != number(&right)?),
                    b"-gt" => Ok(number(&left)? > number(&right)?),
                    b"-ge" => Ok(number(&left)? >= number(&right)?),
                    b"-lt" => Ok(number(&left)? < number(&right)?),
                    b"-le" => Ok(number(&left)? <= number(&right)?),
                    _ => Err(()),
                }
            }
            _ => Err(()),
        }
    }
}
