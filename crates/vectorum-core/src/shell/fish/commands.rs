//! The commands of fish by their names, functions in files of their own, and programs.

use super::super::outputs::PRINTED;
use super::*;

/// Commands that change no variable and whose output is not followed.
const HARMLESS: &[&[u8]] = &[
    b"abbr",
    b"bind",
    b"complete",
    b"emit",
    b"functions",
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
    b"pwd",
    b"set_color",
    b"fish_hybrid_key_bindings",
    b"suspend",
    b"ssh-add",
];

impl Fish<'_> {
    pub(super) fn command(&mut self, words: &[Word], redirects: &[Redirect]) {
        let first = words.first().map(|w| &w.parts[..]);
        self.may_be_empty = matches!(first, Some([Part::Text(name)]) if matches!(&name[..], b"set" | b"count" | b"path"));
        let fields = self.fields(words);
        self.may_be_empty = false;
        let fields = match fields {
            Ok(fields) => fields,
            Err(_) => {
                let name = match words.first().map(|w| &w.parts[..]) {
                    Some([Part::Text(name)]) => name.clone(),
                    _ => return self.fog("a command whose name is not known"),
                };
                return self.half_known(&name, words);
            }
        };
        let Some((name, arguments)) = fields.split_first() else { return };
        let Val::Known(name) = name.clone() else { return self.fog("a command whose name is not known") };
        let before = self.live.as_ref().and_then(|s| s.output.clone());
        self.named(&name, arguments);
        if redirects.iter().any(|(kind, _)| matches!(&kind[..], b">" | b">>" | b"1>" | b"&>"))
            && let Some(state) = &mut self.live
        {
            state.output = before;
        }
    }

    /// A command of which not all words are known.
    fn half_known(&mut self, name: &[u8], words: &[Word]) {
        if name == b"set" {
            // The options and the name may be known all the same.
            let mut plain: Vec<Val> = Vec::new();
            for word in words.iter().skip(1) {
                match self.expand(word) {
                    Ok(values) => plain.extend(values),
                    Err(_) => break,
                }
            }
            let has_name = plain.iter().any(|w| w.known().is_some_and(|w| !w.starts_with(b"-")));
            if has_name {
                let doubt = self.doubt("what a variable is set to is not known");
                return self.set_command(&plain, Some(doubt));
            }
        }
        match name {
            b"test" | b"[" | b"echo" | b"string" | b"contains" | b"count" | b"type" | b"printf" | b"math" => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("a condition on what is not known");
            }
            name if HARMLESS.contains(&name) => self.doubt_status("how a command ends"),
            name if self.is_own(name) => self.fog("a command of fish whose words are not known"),
            _ => {
                self.print(Val::Unknown(self.doubt(PRINTED)));
                self.doubt_status("how a program ends");
            }
        }
    }

    pub(super) fn is_own(&self, name: &[u8]) -> bool {
        let is_defined = self.live.as_ref().is_some_and(|s| s.functions.contains_key(name));
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
            )
    }

    pub(super) fn named(&mut self, name: &[u8], arguments: &[Val]) {
        if let Some(function) = self.live.as_ref().and_then(|s| s.functions.get(name).cloned()) {
            return match function {
                Some(function) => self.through(|m| m.call(&function, arguments)),
                None => self.fog("a function that may be one or another"),
            };
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
                Some(b"is-login" | b"--is-login" | b"-l") => self.set_status(u8::from(!self.invocation.is_login)),
                Some(b"is-interactive" | b"--is-interactive" | b"-i") => {
                    self.set_status(u8::from(!self.invocation.is_interactive));
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
            b"source" | b"." => match known.as_deref() {
                Some([path, ..]) if path != &b"-"[..] => {
                    let path = self.full(path);
                    match self.ground.files.kind(&path) {
                        Kind::File | Kind::Program => self.through(|m| m.run_file(&path)),
                        Kind::Unknown => self.fog("a file that is run may not be read"),
                        _ => self.set_status(1),
                    }
                }
                _ => self.fog("what is run is not known"),
            },
            b"eval" => match known {
                Some(words) => {
                    let fixed = Some(self.source.line(self.at));
                    let source = Source { fixed, ..Source::new(self.source.path.clone(), words.join(&b' ').into()) };
                    self.run_text(Rc::new(source));
                }
                None => self.fog("a text is run that is not known"),
            },
            b"fish_add_path" => self.add_path(known.as_deref()),
            b"type" | b"command" | b"builtin" => self.asked(name, arguments, known.as_deref()),
            b"return" => {
                if let Some(status) = known.as_deref().and_then(|k| k.first()) {
                    match std::str::from_utf8(status).ok().and_then(|s| s.parse::<u8>().ok()) {
                        Some(status) => self.set_status(status),
                        None => self.doubt_status("a status that is not known"),
                    }
                }
                self.leave(false);
            }
            b"exit" | b"exec" => self.leave(true),
            b"alias" => match known.as_deref() {
                // It makes a function.
                Some([text, rest @ ..]) => {
                    let made = match memchr::memchr(b'=', text) {
                        Some(at) => text.get(..at).unwrap_or_default().to_vec(),
                        None => text.to_vec(),
                    };
                    if rest.is_empty() && memchr::memchr(b'=', text).is_none() {
                        return self.set_status(0);
                    }
                    let is_program = self.program(&made).is_ok_and(|p| p.is_some());
                    if !is_program && let Some(state) = &mut self.live {
                        state.functions.insert(made.into(), None);
                    }
                    self.set_status(0);
                }
                _ => self.set_status(0),
            },
            b"cd" => match known.as_deref() {
                Some([path]) if self.ground.files.kind(&self.full(path)) == Kind::Folder => {
                    let full = self.full(path);
                    self.put(b"PWD", Some(Kept::Global), vec![Val::Known(full)], Some(true), None);
                    self.set_status(0);
                }
                _ => {
                    let doubt = self.doubt("the working folder is not known");
                    self.put(b"PWD", Some(Kept::Global), vec![Val::Unknown(doubt)], Some(true), None);
                    self.doubt_status("whether there is such a folder");
                }
            },
            b"contains" => match known.as_deref() {
                Some([first, rest @ ..]) if !first.starts_with(b"-") => self.set_status(u8::from(!rest.contains(first))),
                Some([dashes, first, rest @ ..]) if dashes == &b"--"[..] => self.set_status(u8::from(!rest.contains(first))),
                _ => self.doubt_status("what a list holds is not known"),
            },
            b"count" => {
                self.print(Val::of(format!("{}\n", arguments.len())));
                self.set_status(u8::from(arguments.is_empty()));
            }
            b"read" | b"argparse" => self.fog("a command of fish that is not followed"),
            b"string" => match known.as_deref().and_then(string) {
                Some((lines, status)) => {
                    for line in lines {
                        self.print(both(&Val::Known(line), &Val::of(b"\n")));
                    }
                    self.set_status(status);
                }
                None => {
                    self.print(Val::Unknown(self.doubt("what a command prints")));
                    self.doubt_status("how a command ends");
                }
            },
            name if HARMLESS.contains(&name) => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                self.doubt_status("how a command ends");
            }
            name => self.outside(name, arguments),
        }
    }

    /// A function that lies in a file of its own, or a program.
    pub(super) fn outside(&mut self, name: &[u8], arguments: &[Val]) {
        if !name.contains(&b'/') {
            let config = self.config();
            let folders = [
                [&config[..], b"/functions/"].concat(),
                b"/etc/fish/functions/".to_vec(),
                b"/usr/share/fish/vendor_functions.d/".to_vec(),
            ];
            for folder in folders {
                let path = [&folder[..], name, b".fish"].concat();
                if matches!(self.ground.files.kind(&path), Kind::File | Kind::Program) {
                    self.run_file(&path);
                    let function = self.live.as_ref().and_then(|s| s.functions.get(name).cloned());
                    return match function {
                        Some(Some(function)) => self.call(&function, arguments),
                        _ => self.fog("a function that is not in its file"),
                    };
                }
            }
        }
        match self.program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                let why = self.doubt(PARTED);
                self.stopped = join(self.stopped.take(), self.live.take(), &why);
            }
            Ok(Some(path)) => {
                let base = path.rsplit(|b| *b == b'/').next().unwrap_or_default().to_vec();
                match self.answer_of(&base, arguments) {
                    Some((text, status)) => {
                        self.print(text);
                        self.set_status(status);
                    }
                    None => {
                        self.print(Val::Unknown(self.doubt(PRINTED)));
                        self.doubt_status("how a program ends");
                    }
                }
            }
            Ok(None) => self.set_status(127),
            Err(_) => {
                self.print(Val::Unknown(self.doubt(PRINTED)));
                self.doubt_status("how a program ends");
            }
        }
    }

    pub(super) fn program(&mut self, name: &[u8]) -> Result<Option<Bytes>, Rc<Doubt>> {
        let is_it = |m: &Self, path: &[u8]| m.ground.files.kind(path) == Kind::Program;
        if name.contains(&b'/') {
            let path = self.full(name);
            return Ok(is_it(self, &path).then_some(path));
        }
        for folder in self.items(b"PATH")? {
            let Val::Known(folder) = folder else { return Err(self.doubt("where programs are looked up is not known")) };
            let path = [&self.full(&folder)[..], b"/", name].concat();
            if is_it(self, &path) {
                return Ok(Some(path.into()));
            }
        }
        Ok(None)
    }

    /// What a program prints and how it ends, where that follows from the host.
    fn answer_of(&mut self, base: &[u8], arguments: &[Val]) -> Option<(Val, u8)> {
        let known: Vec<&[u8]> = arguments.iter().map(|a| a.known().map(|k| &k[..])).collect::<Option<_>>()?;
        // What it reads of its own is not known here.
        if matches!(base, b"cat" | b"tr") && known.is_empty() || base == b"tr" {
            return None;
        }
        let Val::Known(folder) = self.items(b"PWD").ok()?.first()?.clone() else { return None };
        let state = crate::shell::initial::state(self.ground, self.account, &Start::new(), &folder, self.invocation);
        let mut asked =
            crate::shell::machine::Machine::new(self.ground, self.account, crate::shell::syntax::Dialect::Dash, state);
        let answer = asked.answer(base, &known)?;
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
            let hidden = self.live.as_mut().and_then(|s| s.functions.remove(&wanted));
            self.named(&wanted, rest);
            if let (Some(state), Some(function)) = (&mut self.live, hidden) {
                state.functions.insert(wanted, function);
            }
            return;
        }
        let has_function = name == b"type"
            && (self.is_own(&wanted) || HARMLESS.contains(&&wanted[..]) || wanted == b"echo"[..] || wanted == b"test"[..]);
        if !words.iter().any(|w| matches!(&w[..], b"-q" | b"--query")) {
            self.print(Val::Unknown(self.doubt("what a command prints")));
        }
        match self.program(&wanted) {
            _ if has_function => self.set_status(0),
            Ok(Some(_)) => self.set_status(0),
            Ok(None) if name == b"type" => self.doubt_status("whether there is such a function"),
            Ok(None) => self.set_status(1),
            Err(_) => self.doubt_status("where programs are looked up is not known"),
        }
        // fish comes with many functions; of programs that are not there it is told for names in capitals
        // and common tools only what the host has.
        if let Some(state) = &mut self.live
            && state.status.is_err()
            && name == b"type"
        {
            state.status = Ok(1);
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
