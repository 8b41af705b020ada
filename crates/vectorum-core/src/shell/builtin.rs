//! The shell's own commands by their names, and programs.

use std::rc::Rc;

use bytes::Bytes;

use super::declare::{Declared, declares};
use super::machine::{Boundary, Machine};
use super::outputs::PRINTED;
use super::state::{Alias, Content, Status};
use super::syntax::*;
use super::value::{Doubt, Val};
use crate::host_view::Kind as FileKind;

impl Machine<'_> {
    pub(super) fn is_function(&self, name: &[u8]) -> bool {
        self.live.as_ref().is_some_and(|s| s.functions.contains_key(name))
    }

    pub(super) fn is_own(&self, name: &[u8]) -> bool {
        OWN.contains(&name) || self.is_unfollowed_builtin(name).is_some()
    }

    /// Adds to the output that is taken up.
    pub(super) fn print(&mut self, text: Val) {
        let doubt = self.doubt("what is printed");
        if let Some(output) = self.live.as_mut().and_then(|s| s.output.as_mut()) {
            *output = match (&*output, text) {
                (Val::Known(a), Val::Known(b)) => Val::of([&a[..], &b].concat()),
                (Val::Known(a), unknown @ Val::Unknown(_)) if a.is_empty() => unknown,
                (Val::Unknown(known), Val::Known(b)) if b.is_empty() => Val::Unknown(known.clone()),
                _ => Val::Unknown(doubt),
            };
        }
    }

    /// Runs a command by its name.
    pub(super) fn run_named(&mut self, name: &[u8], arguments: &[Val], skips_functions: bool, command: &Command) {
        if !skips_functions && let Some(function) = self.live.as_ref().and_then(|s| s.functions.get(name).cloned()) {
            return match function {
                Some(function) => self.call(&function, arguments.to_vec()),
                None => self.fog("a function that may be one or another"),
            };
        }
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        match name {
            b":" | b"true" => self.set_status(0),
            b"false" => self.set_status(1),
            b"test" | b"[" => {
                let words = if name == b"[" { arguments.split_last().map(|(_, w)| w).unwrap_or_default() } else { arguments };
                let answer = self.test_words(words);
                self.set_maybe(answer);
            }
            b"." | b"source" if name == b"." || self.dialect != Dialect::Dash => self.source_file(arguments),
            b"eval" => self.eval(arguments),
            b"set" => self.set_options(arguments),
            b"shift" => self.shift(known.as_deref()),
            b"unset" => self.unset_names(known.as_deref()),
            b"return" => self.return_with(known.as_deref()),
            b"exit" => {
                self.status_of(known.as_deref());
                self.exit();
            }
            b"break" | b"continue" => {
                let count =
                    known.as_deref().and_then(|k| k.first()).and_then(|n| std::str::from_utf8(n).ok()?.parse().ok()).unwrap_or(1);
                self.set_status(0);
                let _ = self.leave(count, &[Boundary::Loop], name == b"continue");
            }
            b"exec" => self.exec(arguments),
            b"cd" => self.change_folder(known.as_deref()),
            b"echo" => self.echo(arguments),
            b"printf" => self.printf(arguments),
            b"print" if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh) => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.set_status(0);
            }
            b"read" => self.read_line(known.as_deref()),
            b"mapfile" | b"readarray" if self.dialect == Dialect::Bash => self.map_file(known.as_deref()),
            b"alias" => self.alias(arguments),
            b"unalias" => {
                let clock = self.clock;
                let is_all = known.as_deref().is_none_or(|names| names.iter().any(|n| n.starts_with(b"-")));
                if let Some(state) = &mut self.live {
                    for (name, alias) in Rc::make_mut(&mut state.aliases) {
                        if is_all || known.as_deref().is_some_and(|names| names.contains(name)) {
                            // What was read before knows it still.
                            if let Some(alias) = alias.as_mut().filter(|a| a.died.is_none()) {
                                alias.died = Some(clock);
                            }
                        }
                    }
                }
                self.doubt_status(self.doubt("whether there was such an alias"));
            }
            b"shopt" if self.dialect == Dialect::Bash => self.shopt(known.as_deref()),
            b"setopt" | b"unsetopt" if self.dialect == Dialect::Zsh => self.setopt(name == b"setopt", known.as_deref()),
            b"emulate" if self.dialect == Dialect::Zsh => match known.as_deref() {
                Some([mode, flag, text]) if mode == "sh" && flag == "-c" => {
                    let as_sh = std::mem::replace(&mut self.as_sh, true);
                    self.evaluate(&text.clone());
                    self.as_sh = as_sh;
                }
                Some([mode, flag]) if mode == "zsh" && matches!(&flag[..], b"-L" | b"-R" | b"-LR") => self.set_status(0),
                _ => self.fog("zsh is asked to be another shell"),
            },
            b"trap" => self.trap(known.as_deref()),
            b"command" | b"builtin" => self.command(name, arguments, command),
            b"whence" if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) => self.whence(known.as_deref()),
            b"hash" if matches!(self.dialect, Dialect::Bash | Dialect::Dash) => self.hash(known.as_deref()),
            // A name that no alias can take.
            b"\\builtin" if self.dialect == Dialect::Mksh => self.command(b"builtin", arguments, command),
            b"pwd" => {
                let folder = self.live.as_ref().and_then(|s| s.folder.clone());
                let text = match (folder, known.as_deref()) {
                    (Some(folder), Some([])) => Val::of([&folder[..], b"\n"].concat()),
                    _ => Val::Unknown(self.doubt("the working folder is not known")),
                };
                self.print(text);
                self.set_status(0);
            }
            b"let" if self.dialect.is_rich() => {
                let Some(sums) = known else { return self.fog("a sum that is not known may set a variable") };
                let mut answer = Ok(false);
                for text in sums {
                    answer = self.sum_text(text.to_vec()).map(|n| n != 0);
                }
                self.set_maybe(answer);
            }
            b"type" => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                let found = known.as_deref().and_then(|k| k.last()).map(|n| self.is_command(n));
                match found {
                    Some(Ok(found)) => self.set_status(u8::from(!found)),
                    _ => self.doubt_status(self.doubt("whether there is such a command")),
                }
            }
            name if declares(name, self.dialect) => match known {
                Some(texts) => self.declare(name, texts.into_iter().map(Declared::Text).collect()),
                None => self.fog("names are exported that are not known"),
            },
            name => self.run_other(name, arguments),
        }
    }

    fn run_other(&mut self, name: &[u8], arguments: &[Val]) {
        match self.is_unfollowed_builtin(name).filter(|_| !OWN.contains(&name)) {
            Some(true) => return self.fog("a command of the shell that is not followed"),
            Some(false) => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                return self.doubt_status(self.doubt("how a command of the shell ends"));
            }
            None => {}
        }
        match self.find_program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                let why = self.doubt(super::machine::PARTED);
                self.stopped = super::machine::join_some(self.stopped.take(), self.live.take(), &why);
            }
            Ok(Some(path)) => {
                let answer = self.program(&path, arguments);
                self.read_by(name);
                self.print(answer.output);
                match answer.status {
                    Some(status) => self.set_status(status),
                    None => self.doubt_status(self.doubt("how a program ends")),
                }
            }
            Ok(None) => {
                let catcher: &[u8] =
                    if self.dialect == Dialect::Zsh { b"command_not_found_handler" } else { b"command_not_found_handle" };
                if self.is_function(catcher) {
                    self.print(Val::Unknown(self.doubt(PRINTED)));
                    return self.doubt_status(self.doubt("how a program ends"));
                }
                self.set_status(if self.ground.files.kind(name) == FileKind::Folder { 126 } else { 127 });
            }
            Err(doubt) => {
                let answer = self.program(name, arguments);
                self.read_by(name);
                let sets = match &answer.output {
                    Val::Unknown(d) => d.sets,
                    Val::Known(_) => None,
                };
                self.print(Val::Unknown(Rc::new(Doubt { sets, ..(*doubt).clone() })));
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

    /// Whether a name is handed on from here is not known.
    pub(super) fn doubt_export(&mut self, name: &[u8]) {
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)) {
            var.exported = None;
        }
    }

    fn unset_names(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("names are unset that are not known") };
        let mut of_functions = false;
        let mut of_variables = false;
        self.set_status(0);
        for word in words {
            match &word[..] {
                b"-f" => of_functions = true,
                b"-v" => of_variables = true,
                b"--" => {}
                name if name.first() == Some(&b'-') => return self.fog("names are unset in another way"),
                name => {
                    let is_name = name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
                    if !is_name && !of_functions {
                        // An item of a list, or a pattern.
                        let base = name.split(|b| *b == b'[').next().unwrap_or_default().to_vec();
                        let content = Content::Perhaps(Val::Unknown(self.doubt("an item of a list")));
                        self.assign(&base, content, None);
                        continue;
                    }
                    if of_functions {
                        if let Some(state) = &mut self.live {
                            Rc::make_mut(&mut state.functions).remove(name);
                        }
                        continue;
                    }
                    let is_there = !matches!(self.content_of(name), Content::Unset);
                    if !is_there && !of_variables && self.dialect == Dialect::Bash && self.is_function(name) {
                        if let Some(state) = &mut self.live {
                            Rc::make_mut(&mut state.functions).remove(name);
                        }
                        continue;
                    }
                    if !self.unset(name) {
                        self.refused();
                        if self.live.is_none() {
                            return;
                        }
                    }
                }
            }
        }
    }

    fn status_of(&mut self, known: Option<&[Bytes]>) {
        match known {
            Some([]) => {}
            Some([n, ..]) => match std::str::from_utf8(n).ok().and_then(|n| n.parse::<i64>().ok()) {
                Some(n) => self.set_status((n & 255) as u8),
                None => self.doubt_status(self.doubt("a status that is no number")),
            },
            None => self.doubt_status(self.doubt("a status that is not known")),
        }
    }

    fn return_with(&mut self, known: Option<&[Bytes]>) {
        self.status_of(known);
        let kinds = [Boundary::Function, Boundary::Text, Boundary::Startup];
        // The text of `eval` is no place to return from: what is around it is.
        let index = self.frames.iter().rposition(|f| kinds.contains(&f.kind) || f.kind == Boundary::Shell);
        let is_eval =
            self.source.fixed.is_some() && index.is_some_and(|i| self.frames.get(i).is_some_and(|f| f.kind == Boundary::Text));
        let count = if is_eval { 2 } else { 1 };
        if !self.leave(count, &kinds, false) && self.live.is_some() {
            // In a subshell, or at the prompt.
            self.exit();
        }
    }

    fn exec(&mut self, arguments: &[Val]) {
        if arguments.is_empty() {
            return self.set_status(0);
        }
        // The shell becomes another program; where that is not there, an interactive one goes on.
        let name = arguments.iter().find_map(Val::known).cloned();
        let found = name.map(|n| self.find_program(&n));
        match found {
            Some(Ok(Some(_))) => self.exit(),
            Some(Ok(None)) if self.is_interactive => self.set_status(127),
            Some(Ok(None)) => self.exit(),
            _ => {
                let doubt = self.doubt("whether there is such a command");
                self.fork(&doubt, |m| m.exit(), |_| {});
            }
        }
    }

    fn change_folder(&mut self, known: Option<&[Bytes]>) {
        let (known, is_physical) = match known {
            Some([option, rest @ ..]) if option == "-P" => (Some(rest), true),
            Some([option, rest @ ..]) if option == "-L" || option == "--" => (Some(rest), false),
            other => (other, false),
        };
        let target = match known {
            Some([]) => self.content_of(b"HOME").value().and_then(|v| v.known().cloned()),
            Some([one]) if *one != b"-"[..] && !one.starts_with(b"-") => Some(one.clone()),
            _ => None,
        };
        let searches = !matches!(self.content_of(b"CDPATH"), Content::Unset)
            && self.content_of(b"CDPATH").value().is_none_or(|v| v.is_empty() != Some(true));
        let full = target.filter(|t| !searches || t.starts_with(b"/")).and_then(|t| self.full(&t)).map(|p| plain_path(&p));
        let full = if is_physical { full.and_then(|p| self.ground.files.real_path(&p)) } else { full };
        let old = self.live.as_ref().and_then(|s| s.folder.clone());
        let Some(full) = full else {
            let doubt = self.doubt("the working folder is not known");
            for name in [&b"PWD"[..], b"OLDPWD"] {
                self.assign(name, Content::Set(Val::Unknown(doubt.clone())), None);
            }
            if let Some(state) = &mut self.live {
                state.folder = None;
                state.status = Status::Unknown(doubt);
            }
            return;
        };
        match self.ground.files.kind(&full) {
            FileKind::Folder => {
                if let Some(state) = &mut self.live {
                    state.folder = Some(full.clone());
                }
                let exported = (self.dialect != Dialect::Mksh).then_some(true);
                let old = old.map_or_else(|| Val::Unknown(self.doubt("the working folder is not known")), Val::Known);
                self.assign(b"OLDPWD", Content::Set(old), exported.filter(|_| self.dialect != Dialect::Ksh));
                if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
                    self.doubt_export(b"OLDPWD");
                }
                self.assign(b"PWD", Content::Set(Val::Known(full)), exported);
                if self.dialect == Dialect::Mksh {
                    self.doubt_export(b"PWD");
                }
                self.set_status(0);
            }
            FileKind::Unknown => {
                if let Some(state) = &mut self.live {
                    state.folder = None;
                }
                let doubt = self.doubt("a folder may not be seen");
                for name in [&b"PWD"[..], b"OLDPWD"] {
                    self.assign(name, Content::Set(Val::Unknown(doubt.clone())), None);
                }
                self.doubt_status(doubt);
            }
            _ => self.set_status(if self.dialect == Dialect::Dash { 2 } else { 1 }),
        }
    }

    fn echo(&mut self, arguments: &[Val]) {
        self.set_status(0);
        let mut words: Vec<Bytes> = Vec::new();
        for argument in arguments {
            match argument {
                Val::Known(text) => words.push(text.clone()),
                Val::Unknown(doubt) => {
                    let one = arguments.len() == 1;
                    let sets = doubt.sets.filter(|_| one);
                    return self.print(Val::Unknown(Rc::new(Doubt {
                        sets,
                        is_filled: true,
                        could_be: Vec::new(),
                        ..(**doubt).clone()
                    })));
                }
            }
        }
        let mut line = true;
        while words.first().is_some_and(|w| w == "-n") {
            line = false;
            words.remove(0);
        }
        let takes_escapes = self.dialect != Dialect::Bash;
        let is_odd =
            words.first().is_some_and(|w| w.len() > 1 && w.starts_with(b"-") && w.iter().skip(1).all(|b| b"neE".contains(b)))
                || takes_escapes && words.iter().any(|w| w.contains(&b'\\'));
        if is_odd {
            return self.print(Val::Unknown(self.doubt("what a command prints")));
        }
        let mut text = words.join(&b' ');
        if line {
            text.push(b'\n');
        }
        self.print(Val::of(text));
    }

    fn printf(&mut self, arguments: &[Val]) {
        self.set_status(0);
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        if let Some([flag, name, ..]) = arguments.get(..2).and_then(|a| <&[Val; 2]>::try_from(a).ok())
            && flag.known().is_some_and(|f| f == "-v")
            && self.dialect.is_rich()
        {
            let Some(name) = name.known().filter(|n| crate::reader::is_portable(n)).cloned() else {
                return self.fog("a variable is set whose name is not known");
            };
            let value = known.as_deref().and_then(|k| formatted(k.get(2..).unwrap_or_default()));
            let value = value.map_or_else(|| Val::Unknown(self.doubt("a format that is not followed")), Val::of);
            self.assign(&name, Content::Set(value), None);
            return;
        }
        let text = known.as_deref().and_then(formatted);
        let text = match text {
            Some(text) => Val::of(text),
            // With a format of nothing but the text, it is that text.
            None => Val::Unknown(self.doubt("what a command prints")),
        };
        self.print(text);
    }

    fn alias(&mut self, arguments: &[Val]) {
        self.set_status(0);
        for argument in arguments {
            match argument.known() {
                Some(text) => {
                    if let Some(at) = memchr::memchr(b'=', text)
                        && let Some(state) = &mut self.live
                    {
                        let (name, new) = (text.slice(..at), text.slice(at + 1..));
                        let aliases = Rc::make_mut(&mut state.aliases);
                        // One that says the same already goes on.
                        let goes_on = matches!(aliases.get(&name), Some(Some(old)) if old.text == new && old.died.is_none());
                        if !goes_on {
                            aliases.insert(name, Some(Alias { text: new, born: self.clock, died: None }));
                        }
                    } else {
                        self.print(Val::Unknown(self.doubt("what a command prints")));
                        self.doubt_status(self.doubt("whether there is such an alias"));
                    }
                }
                None => self.doubt_status(self.doubt("an alias that is not known")),
            }
        }
    }

    fn trap(&mut self, known: Option<&[Bytes]>) {
        self.set_status(0);
        let Some(words) = known else { return self.fog("a trap that is not known") };
        // At a signal nothing runs before the program does; after each command it would.
        let runs_now = words.iter().skip(1).any(|w| matches!(&w[..], b"DEBUG" | b"ERR" | b"RETURN" | b"ZERR"));
        if runs_now && words.first().is_some_and(|w| w != "-" && !w.is_empty()) {
            self.fog("a trap runs after each command");
        }
    }

    fn command(&mut self, own: &[u8], arguments: &[Val], command: &Command) {
        let mut rest = arguments;
        let mut asks = false;
        while let Some((first, after)) = rest.split_first() {
            match first.known().map(|f| &f[..]) {
                Some(b"-p") => rest = after,
                Some(b"--") => {
                    rest = after;
                    break;
                }
                Some(b"-v" | b"-V") => {
                    asks = true;
                    rest = after;
                }
                _ => break,
            }
        }
        let Some((name, after)) = rest.split_first() else { return self.set_status(0) };
        let Val::Known(name) = name.clone() else {
            return if asks {
                self.doubt_status(self.doubt("whether there is such a command"));
            } else {
                self.fog("a command whose name is not known");
            };
        };
        if asks {
            match self.is_command(&name) {
                Ok(true) => {
                    let found = if self.is_own(&name) || self.is_function(&name) {
                        None
                    } else {
                        self.find_program(&name).ok().flatten()
                    };
                    let is_alias = self
                        .live
                        .as_ref()
                        .and_then(|s| s.aliases.get(&name))
                        .is_some_and(|a| a.as_ref().is_none_or(|a| a.died.is_none()));
                    let text = match found.filter(|_| !is_alias) {
                        Some(path) => Val::of([&path[..], b"\n"].concat()),
                        None if !is_alias && (self.is_own(&name) || self.is_function(&name)) => {
                            Val::of([&name[..], b"\n"].concat())
                        }
                        None => Val::Unknown(self.doubt("what a command prints")),
                    };
                    self.print(text);
                    self.set_status(0);
                }
                Ok(false) => self.set_status(if self.dialect == Dialect::Dash { 127 } else { 1 }),
                Err(doubt) => {
                    self.print(Val::Unknown(doubt.clone()));
                    self.doubt_status(doubt);
                }
            }
            return;
        }
        if own == b"command" && self.dialect == Dialect::Zsh {
            // There it runs programs only; what it makes of a word that declares is not followed.
            if declares(&name, Dialect::Zsh) {
                return self.fog("a declaration that zsh does not take for one");
            }
            return self.run_other(&name, after);
        }
        self.run_named(&name, after, true, command);
    }

    /// `whence`: where a program lies, or whether there is such a command.
    fn whence(&mut self, known: Option<&[Bytes]>) {
        let answer = match known {
            Some([option, name]) if option == "-p" && !name.starts_with(b"-") => match self.find_program(name) {
                Ok(Some(path)) => {
                    self.print(Val::of([&path[..], b"\n"].concat()));
                    Ok(true)
                }
                Ok(None) => Ok(false),
                Err(doubt) => Err(doubt),
            },
            Some([name]) if !name.starts_with(b"-") => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.is_command(name)
            }
            _ => Err(self.doubt("how a command of the shell ends")),
        };
        if answer.is_err() {
            self.print(Val::Unknown(self.doubt("what a command prints")));
        }
        self.set_maybe(answer);
    }

    /// `hash`: whether there are such programs.
    fn hash(&mut self, known: Option<&[Bytes]>) {
        let is_plain = |n: &Bytes| !n.starts_with(b"-");
        let names = known.filter(|names| !names.is_empty() && names.iter().all(is_plain));
        let mut answer = Ok(true);
        for name in names.unwrap_or_default() {
            let is_own = self.is_own(name) || self.is_function(name);
            match self.find_program(name) {
                Ok(Some(_)) if !is_own => {}
                Ok(None) if !is_own => answer = answer.map(|_| false),
                _ => answer = Err(self.doubt("how a command of the shell ends")),
            }
        }
        if names.is_none() {
            answer = Err(self.doubt("how a command of the shell ends"));
        }
        self.set_maybe(answer);
    }

    /// Whether there is such a command.
    fn is_command(&mut self, name: &[u8]) -> super::value::Maybe {
        if let Some(state) = &self.live {
            match (state.functions.get(name), state.aliases.get(name)) {
                (Some(Some(_)), _) => return Ok(true),
                (_, Some(Some(alias))) if alias.died.is_none() => return Ok(true),
                (Some(None), _) | (_, Some(None)) => return Err(self.doubt("whether there is such a command")),
                _ => {}
            }
        }
        if self.is_own(name) || matches!(name, b"if" | b"for" | b"while" | b"case" | b"{" | b"!") {
            return Ok(true);
        }
        self.find_program(name).map(|found| found.is_some())
    }
}

/// Commands that shells have of their own and that are followed.
const OWN: &[&[u8]] = &[
    b":",
    b"true",
    b"false",
    b"test",
    b"[",
    b".",
    b"eval",
    b"set",
    b"shift",
    b"unset",
    b"return",
    b"exit",
    b"break",
    b"continue",
    b"exec",
    b"cd",
    b"echo",
    b"printf",
    b"read",
    b"alias",
    b"unalias",
    b"trap",
    b"command",
    b"pwd",
    b"type",
    b"export",
    b"readonly",
    b"local",
    b"source",
    b"declare",
    b"typeset",
    b"let",
    b"builtin",
    b"shopt",
    b"setopt",
    b"unsetopt",
    b"emulate",
    b"print",
];

/// `printf` with `%s`, `%d` of plain numbers, `%%` and the plainest escapes.
fn formatted(arguments: &[Bytes]) -> Option<Vec<u8>> {
    let (format, mut rest) = arguments.split_first()?;
    if format.starts_with(b"-") {
        return None;
    }
    let mut out = Vec::new();
    loop {
        let before = rest.len();
        let mut at = 0;
        while let Some(byte) = format.get(at) {
            at += 1;
            match (byte, format.get(at)) {
                (b'%', Some(b'%')) => {
                    out.push(b'%');
                    at += 1;
                }
                (b'%', Some(b's')) => {
                    if let Some((first, after)) = rest.split_first() {
                        out.extend_from_slice(first);
                        rest = after;
                    }
                    at += 1;
                }
                (b'%', _) => return None,
                (b'\\', Some(b'n')) => {
                    out.push(b'\n');
                    at += 1;
                }
                (b'\\', Some(b't')) => {
                    out.push(b'\t');
                    at += 1;
                }
                (b'\\', Some(b'\\')) => {
                    out.push(b'\\');
                    at += 1;
                }
                (b'\\', _) => return None,
                (byte, _) => out.push(*byte),
            }
        }
        if rest.is_empty() || rest.len() == before {
            return Some(out);
        }
    }
}

/// A path without `.` and `..`.
fn plain_path(path: &[u8]) -> Bytes {
    let mut out: Vec<&[u8]> = Vec::new();
    for part in path.split(|b| *b == b'/') {
        match part {
            b"" | b"." => {}
            b".." => {
                out.pop();
            }
            part => out.push(part),
        }
    }
    if out.is_empty() {
        Bytes::from_static(b"/")
    } else {
        out.iter().flat_map(|p| [&b"/"[..], p]).collect::<Vec<_>>().concat().into()
    }
}
