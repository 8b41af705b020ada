//! The commands of fish by their names.

use super::super::expressions::names_of;
use super::super::folder::{entered, plain_path};
use super::super::outputs::{PRINTED, PRINTED_COMMANDS};
use super::super::printing::formatted;
use super::words::{FILE_PATTERN, MAY_NOT_RUN, NO_FILE, NO_INDEX, NOT_RUN};
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

/// The names of fish's own commands (`builtin --names`).
const OWN: &str = ". : [ _ abbr and argparse begin bg bind block break breakpoint builtin case cd command commandline complete \
     contains continue count disown echo else emit end eval exec exit false fg for function functions history if jobs math not or \
     path printf pwd random read realpath return set set_color source status string switch test time true type ulimit wait while";

/// Whether fish has a command of its own by a name.
pub(super) fn is_among_own(name: &[u8]) -> bool {
    OWN.split(' ').any(|own| own.as_bytes() == name)
}

/// Whether one of fish's own is a word of its grammar elsewhere.
pub(super) fn is_keyword(name: &[u8]) -> bool {
    "and begin case else end for function if not or switch time while".split(' ').any(|word| word.as_bytes() == name)
}

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
        // Where nothing is left of the command's own word nothing is run, whatever stands behind it (measured: 3.6).
        let runs = |word: &Word| matches!(word.literal(), Some(b"command" | b"builtin" | b"exec"));
        let prefix = words.iter().take_while(|word| runs(word)).count();
        if prefix > 0 && words.get(prefix).and_then(Word::literal) == Some(b"") {
            return self.refuse(123);
        }
        if let Some(own) = words.get(prefix).filter(|own| words.len() > 1 && own.literal().is_none())
            && self.expand(own).is_ok_and(|own| own.first().is_none_or(|first| first.is_empty() == Some(true)))
        {
            return self.refuse(123);
        }
        // What a function lies in is taken in before its arguments are worked out (measured: 3.6).
        if let Some(name) = words.first().and_then(Word::literal) {
            self.take_in(name);
        }
        let outer = std::mem::replace(&mut self.may_be_empty, may_be_empty);
        let (fields, doubt) = self.fields_in_part(words, true);
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
        let Some((name, arguments)) = fields.split_first() else { return self.refuse(123) };
        let Val::Known(name) = name.clone() else { return self.fog("a command whose name is not known") };
        // So it is where nothing is left of the words of these.
        let is_prefix = arguments.is_empty() && words.len() > 1 && name == b"exec"[..];
        if name.is_empty() || is_prefix && self.function(&name).is_none() {
            return self.refuse(123);
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

    pub(super) fn refuse_with_any_status(&mut self) {
        self.doubt_status(MAY_NOT_RUN);
        if let Some(state) = &mut self.live {
            state.refused = Refused::Yes;
        }
    }

    /// A command of which not all words are known, perhaps not even the first; `fields` are those in front that are.
    fn known_in_part(&mut self, doubt: &Doubt, words: &[Word], fields: &[Val]) {
        self.run_in_part(doubt, words, fields);
        // Where a pattern names no file it is not run.
        if doubt.why == FILE_PATTERN
            && let Some(state) = self.live.as_mut().filter(|state| state.refused == Refused::No)
        {
            state.refused = Refused::Perhaps;
        }
    }

    fn run_in_part(&mut self, doubt: &Doubt, words: &[Word], fields: &[Val]) {
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
            // It runs one of fish's own.
            _ if name == b"builtin"[..] => match fields.get(1..).and_then(<[Val]>::split_first) {
                Some((Val::Known(own), rest)) => self.half_known(&own.clone(), rest),
                _ => self.fog("a command whose name is not known"),
            },
            _ => self.half_known(&name, fields.get(1..).unwrap_or_default()),
        }
    }

    /// Groups with names in an expression of `string match` set variables; `are_all` says whether these are all its words.
    fn doubt_groups(&mut self, words: &[Val], are_all: bool) {
        if words.first().and_then(Val::known).is_some_and(|command| command != "match") {
            return;
        }
        const WHY: &str = "what an expression found";
        let is_option = |word: &Val| word.known().is_some_and(|word| word.starts_with(b"-"));
        let is_of_expressions =
            |word: &Val| word.known().is_some_and(|word| word == "--regex" || !word.starts_with(b"--") && word.contains(&b'r'));
        let mut options = words.iter().skip(1).take_while(|word| is_option(word));
        let pattern = words.iter().skip(1).find(|word| !is_option(word));
        let may_be_unknown = pattern.is_none() && !are_all || pattern.is_some_and(|pattern| pattern.known().is_none());
        if may_be_unknown && options.any(is_of_expressions) {
            return self.fog(WHY);
        }
        for name in words.iter().filter_map(Val::known).flat_map(|word| names_of(word)).collect::<Vec<_>>() {
            let items = Err(self.doubt(WHY));
            self.put_var(&name, None, items, None, None);
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
            // Where a pattern names no file it is not run.
            b"return" => {
                self.doubt_status("a status that is not known");
                self.fork(&self.doubt("a status that is not known"), Self::return_from, |_| {});
            }
            b"exit" => {
                self.doubt_status("a status that is not known");
                self.fork(&self.doubt("a status that is not known"), Self::exit_from, |_| {});
            }
            b"string" => {
                self.doubt_groups(plain, false);
                self.print(Val::unknown(self.doubt("what a command prints")));
                self.doubt_status("a condition on what is not known");
            }
            b"test" | b"[" | b"echo" | b"contains" | b"count" | b"type" | b"printf" | b"math" => {
                self.print(Val::unknown(self.doubt("what a command prints")));
                self.doubt_status("a condition on what is not known");
            }
            name if HARMLESS.contains(&name) => self.ends_somehow(),
            b"source" | b"." => self.fog(PRINTED_COMMANDS),
            name if self.is_own(name) => self.fog("a command of fish whose words are not known"),
            name if self.autoloaded(name).is_some() => self.fog("a function whose arguments are not known"),
            _ => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.doubt_status("how a program ends");
            }
        }
    }

    /// Prints lines, and ends so.
    fn say(&mut self, lines: Vec<Bytes>, status: u8) {
        for line in lines {
            self.print(both(&Val::Known(line), &Val::of(b"\n")));
        }
        self.set_status(status);
    }

    /// Whether what a command is handed to read ends without the end of a line.
    fn reads_no_end(&self) -> bool {
        let given = self.live.as_ref().map(|state| &state.input).filter(|input| input.is_given);
        given.and_then(|input| input.text.known()).is_some_and(|text| !text.ends_with(b"\n"))
    }

    /// The lines that a command is handed to read by a pipe or a file of its own.
    fn lines_given(&self) -> text::Given {
        let Some(input) = self.live.as_ref().map(|state| &state.input).filter(|input| input.is_given) else {
            return text::Given::Nothing;
        };
        match input.text.known() {
            None => text::Given::Unknown,
            Some(text) if text.is_empty() => text::Given::Lines(Vec::new()),
            Some(text) => {
                let whole = text.strip_suffix(b"\n").unwrap_or(text);
                text::Given::Lines(whole.split(|b| *b == b'\n').map(|line| text.slice_ref(line)).collect())
            }
        }
    }

    /// A command of which it is known only that it changes no variable.
    fn ends_somehow(&mut self) {
        self.print(Val::unknown(self.doubt("what a command prints")));
        self.doubt_status("how a command ends");
    }

    /// Whether fish has a command by a name without any program: one of its own, or what is followed as if it were.
    pub(super) fn has_command(&self, name: &[u8]) -> bool {
        is_among_own(name) || is_harmless(name) || self.is_own(name)
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
        self.take_in(name);
        match self.function(name) {
            Some(Named::Function(function)) => return self.through(|m| m.call(&function, Ok(arguments))),
            Some(Named::Unclear) => return self.fog("a function that may be one or another"),
            Some(Named::Erased) | None => {}
        }
        self.of_fish(name, arguments);
        self.complain_of(name, arguments);
    }

    /// What a command of fish's, or a program, says where it does not succeed.
    fn complain_of(&mut self, name: &[u8], arguments: &[Val]) {
        if !self.is_taken(&[2]) {
            return;
        }
        let status = self.live.as_ref().map(|state| state.status.clone());
        let asks = arguments.iter().map_while(Val::known).any(|word| matches!(&word[..], b"-q" | b"--query" | b"-v" | b"-s"));
        let is_silent = match (name, status) {
            (_, Some(Ok(0)) | None) => true,
            (b"test" | b"[" | b"read", Some(Ok(1))) => true,
            (b"false" | b"contains" | b"count" | b"string" | b"status" | b"return" | b"eval", Some(Ok(1) | Err(_))) => true,
            (b"set" | b"type" | b"command" | b"builtin" | b"functions" | b"abbr", _) => asks,
            _ => false,
        };
        if !is_silent || self.get(b"fish_trace").is_some() {
            self.complain();
        }
    }

    /// Runs a command of fish's by its name, or a program.
    fn of_fish(&mut self, name: &[u8], arguments: &[Val]) {
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        match name {
            b"true" | b":" => self.set_status(0),
            b"false" => self.set_status(1),
            b"set" => self.set_command(arguments, None),
            b"export" => self.export(arguments),
            b"test" | b"[" => {
                let words = match arguments.split_last() {
                    Some((Val::Known(end), words)) if name == b"[" && end == "]" => words,
                    Some((Val::Unknown(_), _)) if name == b"[" => return self.doubt_status("a condition on what is not known"),
                    _ if name == b"[" => return self.set_status(2),
                    _ => arguments,
                };
                self.test(words);
            }
            b"status" => match known.as_deref().filter(|k| k.len() == 1).and_then(|k| k.first()).map(|k| &k[..]) {
                Some(b"is-login" | b"--is-login" | b"-l") => self.set_status(u8::from(!self.manner.is_login())),
                Some(b"is-interactive" | b"--is-interactive" | b"-i") => {
                    self.set_status(u8::from(!self.manner.is_interactive()));
                }
                Some(b"is-command-substitution" | b"is-block" | b"is-breakpoint") => {
                    self.doubt_status("what fish says of itself");
                }
                _ => {
                    self.print(Val::unknown(self.doubt("what a command prints")));
                    self.doubt_status("what fish says of itself");
                }
            },
            b"echo" => {
                let end = if arguments.first().and_then(Val::known).is_some_and(|a| a == "-n") { "" } else { "\n" };
                let text = joined(arguments.get(usize::from(end.is_empty())..).unwrap_or_default(), b" ");
                let is_plain = text.known().is_some_and(|t| !t.starts_with(b"-"));
                let text = if is_plain { both(&text, &Val::of(end)) } else { Val::unknown(self.doubt("what a command prints")) };
                self.print(text);
                self.set_status(0);
            }
            b"printf" => match known.as_deref().and_then(|k| formatted(k, None)) {
                Some(text) => {
                    self.print(Val::of(text));
                    self.set_status(0);
                }
                None => self.ends_somehow(),
            },
            b"pwd" if known.as_deref().is_some_and(|words| matches!(words, [] | [_]) && words.iter().all(|w| w == "-L")) => {
                let folder = match self.items(b"PWD") {
                    Ok(items) => joined(&items, b" "),
                    Err(doubt) => Val::unknown(doubt),
                };
                self.print(both(&folder, &Val::of(b"\n")));
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
                    self.run_text(&Arc::new(source), true);
                    self.ran();
                }
                None => self.fog("a text is run that is not known"),
            },
            b"fish_add_path" => self.add_path(known.as_deref()),
            b"type" | b"command" | b"builtin" => self.asked(name, arguments, known.as_deref()),
            b"return" => self.leave_with(known.as_deref(), Self::return_from),
            b"exit" => self.leave_with(known.as_deref(), Self::exit_from),
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
            b"break" | b"continue" if !arguments.is_empty() => {
                let leave = |m: &mut Self| m.leave(if name == b"break" { Leaves::Loop } else { Leaves::Round });
                self.doubt_status("words that a command does not take");
                self.fork(&self.doubt("words that a command does not take"), leave, |_| {});
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
                self.put(b"PWD", Some(Kept::Global), vec![Val::unknown(doubt)], Some(true), None);
                self.doubt_status("whether there is such a folder");
            }
            b"trap" | b"vared" => self.fog("a command of fish that is not followed"),
            b"cd" => self.cd(known.as_deref()),
            // A folder for a command is gone to (fish(1)).
            folder if arguments.is_empty() && self.is_folder(folder) => self.cd(Some(&[Bytes::copy_from_slice(folder)])),
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
                    self.print(Val::unknown(self.doubt("what a command prints")));
                    self.doubt_status("what a list holds is not known");
                }
            },
            // It counts the lines that it reads, too.
            b"count" => {
                // It counts the lines' ends that it reads, too.
                let read = match self.live.as_ref().map(|state| &state.input) {
                    Some(input) if input.is_given => input.text.known().map(|text| memchr::memchr_iter(b'\n', text).count()),
                    _ => Some(0),
                };
                match read.map(|read| arguments.len() + read) {
                    Some(count) => {
                        self.print(Val::of(format!("{count}\n")));
                        self.set_status(u8::from(count == 0));
                    }
                    None => {
                        self.print(Val::unknown(self.doubt("what a command prints")));
                        self.doubt_status("what is read is not known");
                    }
                }
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
            b"path" => match known.as_deref().and_then(|words| self.path(words)) {
                Some((lines, status)) => self.say(lines, status),
                None => self.ends_somehow(),
            },
            b"string" => match known.as_deref().and_then(|words| text::string(words, &self.lines_given())) {
                // The last of what it reads may have no end, and then what comes of it has none.
                Some((lines, _)) if lines.last().is_some_and(Bytes::is_empty) && self.reads_no_end() => self.ends_somehow(),
                Some((lines, status)) => self.say(lines, status),
                None => {
                    self.doubt_groups(arguments, true);
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
    /// `return` and `exit`; with words that they do not take they only fail (measured: 3.6).
    fn leave_with(&mut self, known: Option<&[Bytes]>, leave: impl FnOnce(&mut Self)) {
        const UNKNOWN: &str = "a status that is not known";
        let Some(words) = known else {
            let doubt = self.doubt(UNKNOWN);
            return self.fork(
                &doubt,
                |m| {
                    m.doubt_status(UNKNOWN);
                    leave(m);
                },
                |m| m.doubt_status(UNKNOWN),
            );
        };
        match words {
            [] => {}
            [end] if end == "--" => {}
            [word] => match std::str::from_utf8(word).ok().and_then(|word| word.trim().parse::<i64>().ok()) {
                Some(status @ 0..=255) => self.set_status(status as u8),
                Some(_) => self.doubt_status(UNKNOWN),
                // It tells of itself.
                None if matches!(&word[..], b"-h" | b"--help") => return self.doubt_status(UNKNOWN),
                None => return self.set_status(2),
            },
            _ => return self.doubt_status(UNKNOWN),
        }
        leave(self);
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

    pub(super) fn is_folder(&self, name: &[u8]) -> bool {
        let is_path = name.starts_with(b"/") || name.starts_with(b".") || name.ends_with(b"/");
        is_path && self.ground.files.kind(&self.full(name)) == Kind::Folder
    }

    fn cd(&mut self, known: Option<&[Bytes]>) {
        let has_search = self.get(b"CDPATH").is_some_and(|v| v.items.as_ref().map_or(true, |i| !i.is_empty()));
        let path = match known {
            Some([path]) if path.is_empty() => return self.doubt_status("whether there is such a folder"),
            Some([]) => self.items(b"HOME").ok().and_then(|i| i.first().and_then(|v| v.known().cloned())),
            Some([path]) if !path.starts_with(b"-") && (path.starts_with(b"/") || !has_search) => Some(path.clone()),
            _ => None,
        };
        let path = path.map(|p| self.full(&p)).filter(|path| path.starts_with(b"/"));
        let kind = |path: &[u8]| entered(self.ground.files, self.account, path);
        match path.map(|path| plain_path(&path)) {
            Some(path) if kind(&path) == Kind::Folder => {
                self.put(b"PWD", Some(Kept::Global), vec![Val::of(path)], Some(true), None);
                self.set_status(0);
            }
            Some(path) if kind(&path) == Kind::Missing => self.set_status(1),
            _ => {
                let doubt = self.doubt("the working folder is not known");
                self.put(b"PWD", Some(Kept::Global), vec![Val::unknown(doubt)], Some(true), None);
                self.doubt_status("whether there is such a folder");
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::out_of_fish;

    #[test]
    fn commands_print_and_end_as_in_fish() {
        for (text, out) in [
            ("set -gx OUT (echo -n a; echo b)", "ab"),
            ("set -gx OUT (printf '%s-%03d;' x 7 y 8)", "x-007;y-008;"),
            ("set -gx OUT (count a b c) (contains -i b a b)", "3 2"),
            ("set -gx OUT (string replace -a a b banana) (string upper x)", "bbnbnb X"),
            ("set -gx OUT (math 2 + 3)", "5"),
            ("set l a b; set -gx OUT $l[2]$l[-1]", "bb"),
            ("false; set -gx OUT $status; true; set -a OUT $status", "1 0"),
            ("builtin -q set; and set -gx OUT 1", "1"),
            ("functions -q nosuch; or set -gx OUT 2", "2"),
            ("eval 'set -gx OUT 5'", "5"),
            ("echo 'set -gx OUT $argv' | source - a b", "a b"),
            ("function f; set -gx OUT \"$argv[2]\"; return 3; end; f a b; set -a OUT $status", "b 3"),
            ("while true; set -gx OUT 1; break; end", "1"),
            ("for i in a b; set -a x $i; end; set -gx OUT \"$x\"", "a b"),
            ("switch foo; case 'f*'; set -gx OUT 1; case '*'; set -gx OUT 2; end", "1"),
            ("if false; else if true; set -gx OUT 3; end", "3"),
            ("begin; set -l x 1; end; set -gx OUT \"[$x]\"", "[]"),
            ("set -gx OUT 1; set -e PWD; set -a OUT $status", "1 2"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }
}
