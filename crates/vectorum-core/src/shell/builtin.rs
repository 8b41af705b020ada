//! The shell's own commands by their names.

use bytes::Bytes;

use super::arithmetic::may_assign;
use super::commands::is_special;
use super::control::END_TRAP;
use super::declare::declares;
use super::declared::Declared;
use super::frame::{Boundary, Frame};
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::one_of::ONE_OR_ANOTHER;
use super::options::IN_ANOTHER_WAY;
use super::options::names::is_one_of;
use super::setting::sets_something;
use super::state::{Function, Status};
use super::sum::SUM_MAY_SET;
use super::syntax::*;
use super::value::Val;

/// Why a status is not known.
const NO_NUMBER: &str = "a status that is no number";

/// Whether a word begins like an option and is no operator of `test`.
fn is_dashed(word: &[u8]) -> bool {
    const OF_TWO: [&[u8]; 9] = [b"-eq", b"-ne", b"-lt", b"-le", b"-gt", b"-ge", b"-nt", b"-ot", b"-ef"];
    let is_of_one = matches!(word, [b'-', letter] if letter.is_ascii_alphabetic());
    word.starts_with(b"-") && !is_of_one && !OF_TWO.contains(&word)
}

impl Machine<'_> {
    pub(super) fn is_function(&self, name: &[u8]) -> bool {
        !self.comes_before_functions(name) && self.live.as_ref().is_some_and(|s| s.functions.get(name).is_some())
    }

    /// Whether a command of the shell's own is looked for before functions are (measured: R59).
    pub(super) fn comes_before_functions(&self, name: &[u8]) -> bool {
        self.dialect == Dialect::Mksh && is_special(name)
    }

    /// Runs a command by its name.
    pub(super) fn run_named(&mut self, name: &[u8], arguments: &[Val], skips_functions: bool, command: &Command) {
        if !skips_functions
            && !self.comes_before_functions(name)
            && let Some(function) = self.live.as_ref().and_then(|s| s.functions.get(name).cloned())
        {
            return match function.or_else(|| self.loaded(name)) {
                Some(function) => self.call_by_name(name, &function, arguments),
                None => {
                    let call = |m: &mut Self, function: &Function| m.call_by_name(name, function, arguments);
                    let otherwise = |m: &mut Self| m.run_named(name, arguments, true, command);
                    match self.with_one_of(name, &call, &otherwise) {
                        true => {}
                        false if self.is_of_zsh(name) => otherwise(self),
                        false => self.fog(ONE_OR_ANOTHER),
                    }
                }
            };
        }
        if !skips_functions && self.is_unclear_function(name) {
            return self.fog(ONE_OR_ANOTHER);
        }
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        // What would be its words may be what is set before it then (`set -k`).
        let may_set = |word: &Val| word.known().is_none_or(|word| word.contains(&b'='));
        if self.dialect != Dialect::Zsh && self.works_otherwise() && arguments.iter().any(may_set) {
            return self.fog(IN_ANOTHER_WAY);
        }
        // What has no name is looked up, too, and may be a folder.
        if name.is_empty() && self.dialect == Dialect::Mksh {
            return self.doubt_status(self.doubt("whether there is such a command"));
        }
        // There what is no number is an error that ends the shell.
        let may_be_none = |argument: &Val| !argument.is_number() || argument.is_empty() != Some(false);
        // What is no sum is an error of most of the others.
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh)
            && name == b"shift"
            && known.is_none()
            && arguments.iter().any(may_be_none)
        {
            self.fail_or_go_on(&self.doubt("a shift by an unknown number"));
        }
        if self.dialect == Dialect::Dash
            && matches!(name, b"return" | b"exit" | b"shift" | b"break" | b"continue")
            && known.is_none()
            && arguments.iter().any(may_be_none)
        {
            let doubt = self.doubt("a word that may be no number");
            self.fork(&doubt, Self::misused, |_| {});
        }
        let is_behind =
            matches!(&command.kind, Kind::Simple(_, words) if words.first().and_then(Word::literal) == Some(b"command"));
        self.as_special(!is_behind && is_special(name), |m| m.run_of_shell(name, arguments, known, command));
        // What cannot be written makes a command fail that prints.
        let prints_nothing =
            matches!(name, b":" | b"true" | b"cd" | b"exec" | b"eval" | b"." | b"source" | b"test" | b"[" | b"read");
        let is_closed = self.live.as_ref().is_some_and(|state| !state.output.streams.is_open(1));
        if is_closed && !prints_nothing && self.status() == Status::Known(0) {
            self.doubt_status(self.doubt("whether something is printed that cannot be"));
        }
        self.complain_of(name, arguments);
    }

    /// Runs a command by its name that is no function.
    fn run_of_shell(&mut self, name: &[u8], arguments: &[Val], known: Option<Vec<Bytes>>, command: &Command) {
        match name {
            b":" | b"true" => self.set_status(0),
            b"false" => self.set_status(1),
            b"[" if arguments.last().is_some_and(|last| last.known().is_none()) => {
                self.doubt_status(self.doubt("whether a test is closed"));
            }
            b"[" if arguments.last().is_none_or(|last| last.known().is_some_and(|last| last != "]")) => self.set_status(2),
            // An operator of others only: there are too many words.
            b"test" | b"[" if self.dialect == Dialect::Dash && arguments.iter().any(|a| a.known().is_some_and(|a| a == "-v")) => {
                self.doubt_status(self.doubt("a test of another kind"));
            }
            b"test" | b"["
                if self.dialect == Dialect::Zsh
                    && arguments.len() > 4
                    && arguments.iter().any(|a| a.known().is_some_and(|a| is_dashed(a))) =>
            {
                self.doubt_status(self.doubt("a test of another kind"));
            }
            b"test" | b"[" => {
                let words = if name == b"[" { arguments.split_last().map(|(_, w)| w).unwrap_or_default() } else { arguments };
                self.end_by_test(words);
            }
            b"." | b"source" if name == b"." || self.dialect != Dialect::Dash => self.source_file(name, arguments),
            b"eval" => {
                let words = match &command.kind {
                    Kind::Simple(_, words) if arguments.iter().any(|a| a.known().is_none()) => &words[..],
                    _ => &[],
                };
                let is_calm = words.iter().all(|word| !sets_something(&word.parts));
                if !is_calm || !self.define_unknown(words) {
                    self.eval(arguments);
                }
            }
            b"bind" | b"compgen" | b"wait" | b"hash" | b"enable"
                if self.dialect == Dialect::Bash && self.sets_or_runs(name, arguments) => {}
            b"disable" | b"enable" | b"functions" | b"hash" | b"zmodload" | b"zstyle"
                if self.dialect == Dialect::Zsh && self.changes_commands(name, arguments) => {}

            b"unfunction" if self.dialect == Dialect::Zsh => self.unset_functions(known.as_deref()),
            b"set" => self.set_options(arguments),
            b"shift" => self.shift(known.as_deref()),
            b"unset" => self.unset_names(known.as_deref()),
            b"return" => {
                // There it is a sum, which may be wrong.
                if self.dialect == Dialect::Zsh && !arguments.iter().all(Val::is_number) && known.is_none() {
                    self.fail_or_go_on(&self.doubt(NO_NUMBER));
                }
                self.return_with(known.as_deref());
            }
            // It ends a shell that was logged in to, and another one not.
            b"logout" if self.is_own(name) && self.is_login != Some(false) => {
                self.exit_or_go_on(&self.doubt("a shell is left that may be one that was logged in to"));
                self.doubt_status(self.doubt("how a command of the shell ends"));
            }
            b"bye" if self.dialect == Dialect::Zsh => {
                self.status_of(known.as_deref());
                self.exit();
            }
            b"exit" => self.exit_with(known.as_deref()),
            b"break" | b"continue" => self.leave_loops(known.as_deref(), name == b"continue"),
            b"exec" => self.exec(arguments),
            b"cd" | b"chdir" if name == b"cd" || matches!(self.dialect, Dialect::Dash | Dialect::Mksh | Dialect::Zsh) => {
                self.change_folder(known.as_deref());
                self.after_folder();
            }
            b"autoload" if self.dialect == Dialect::Zsh => self.autoload(known.as_deref()),
            b"getopts" => self.getopts(known.as_deref()),
            b"echo" => self.echo(arguments),
            b"printf" if self.dialect != Dialect::Mksh => self.printf(arguments),
            b"print" if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh) => {
                self.print_words(arguments, known.as_deref());
            }
            b"read" => self.read_line(known.as_deref()),
            b"mapfile" | b"readarray" if self.dialect == Dialect::Bash => self.map_file(known.as_deref()),
            b"alias" => {
                self.alias(arguments);
                if let (None, Kind::Simple(_, words)) = (&known, &command.kind) {
                    self.doubt_aliases(words);
                }
            }
            b"unalias" => self.unalias(known),
            b"shopt" if self.dialect == Dialect::Bash => self.shopt(known.as_deref()),
            b"setopt" | b"unsetopt" if self.dialect == Dialect::Zsh => self.setopt(name == b"setopt", known.as_deref()),
            b"emulate" if self.dialect == Dialect::Zsh => self.emulate(known.as_deref()),
            b"trap" => self.trap(known.as_deref(), arguments),
            b"builtin" if matches!(self.dialect, Dialect::Bash | Dialect::Mksh | Dialect::Zsh) => {
                self.command(name, arguments, command);
            }
            b"builtin" if self.dialect == Dialect::Ksh => self.fog("a command of the shell that is not followed"),
            b"command" => self.command(name, arguments, command),
            b"pushd" | b"popd" if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) => {
                self.change_stack(name == b"pushd", known.as_deref());
                self.after_folder();
                self.print(Val::unknown(self.doubt("what a command prints")));
            }
            b"hash" if self.dialect == Dialect::Zsh && known.as_deref().is_some_and(|k| k.first().is_some_and(|w| w == "-d")) => {
                self.name_folders(known.as_deref());
            }
            b"which" if self.dialect == Dialect::Zsh => self.which_of_zsh(known.as_deref()),
            b"which" => self.which(known.as_deref()),
            b"whence" if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) => self.whence(known.as_deref()),
            b"hash" if matches!(self.dialect, Dialect::Bash | Dialect::Dash) => self.hash(known.as_deref()),
            // A name that no alias can take.
            b"\\builtin" if self.dialect == Dialect::Mksh => self.command(b"builtin", arguments, command),
            b"pwd" => {
                let folder = self.live.as_ref().and_then(|s| s.folder.clone());
                let told = match (folder, known.as_deref()) {
                    (folder, Some([])) => folder,
                    (folder, Some([option])) if option == "-L" => folder,
                    (Some(folder), Some([option])) if option == "-P" => self.ground.files.real_path(&folder),
                    _ => None,
                };
                let text = match told {
                    Some(folder) => Val::of([&folder[..], b"\n"].concat()),
                    _ => Val::unknown(self.doubt("the working folder is not known")),
                };
                self.print(text);
                match known.as_deref() {
                    Some([]) => self.set_status(0),
                    Some([option]) if option == "-L" || option == "-P" => self.set_status(0),
                    _ => self.doubt_status(self.doubt(NOT_TAKEN)),
                }
            }
            b"let" if self.dialect.is_rich() => self.work_out_words(known.as_deref()),
            b"type" if self.dialect == Dialect::Bash && matches!(known.as_deref(), Some([o, _]) if o == "-t" || o == "-P") => {
                self.typed(known.as_deref());
            }
            b"type" => {
                self.print(Val::unknown(self.doubt("what a command prints")));
                let found = match known.as_deref() {
                    Some([name]) if name.len() > 1 && name.starts_with(b"-") => None,
                    // There it is enough that such a file is there.
                    Some([name]) if name.contains(&b'/') && matches!(self.dialect, Dialect::Dash | Dialect::Ksh) => None,
                    Some([name]) => Some(self.is_command(name)),
                    _ => None,
                };
                let missing = if self.dialect == Dialect::Dash { 127 } else { 1 };
                match found {
                    Some(Ok(found)) => self.set_status(if found { 0 } else { missing }),
                    _ => self.doubt_status(self.doubt("whether there is such a command")),
                }
            }
            name if declares(name, self.dialect) => match known {
                Some(texts) => self.declare(name, texts.into_iter().map(Declared::Text).collect()),
                None => self.fog("names are exported that are not known"),
            },
            name if self.dialect == Dialect::Zsh && self.run_coming_with_it(name, known.as_deref()) => {}
            name if self.dialect == Dialect::Zsh && self.sets_by_module(name, known.as_deref()) => {}
            name => self.run_other(name, arguments),
        }
    }

    /// What `$0` is while something runs that is called so, in zsh.
    pub(super) fn called_zero(&self, name: Bytes) -> Option<Bytes> {
        let state = self.live.as_ref().filter(|_| self.is_own_zsh())?;
        if state.option("nofunctionargzero") == Some(false) { Some(name) } else { None }
    }

    /// Runs something while `$0` is something else.
    pub(super) fn with_zero(&mut self, zero: Option<Bytes>, run: impl FnOnce(&mut Self)) {
        let outer = self.live.as_mut().map(|state| std::mem::replace(&mut state.zero, zero));
        run(self);
        if let (Some(state), Some(outer)) = (&mut self.live, outer) {
            state.zero = outer;
        }
    }

    fn status_of(&mut self, known: Option<&[Bytes]>) {
        match known {
            Some([]) => {}
            Some([n, ..]) => match std::str::from_utf8(n).ok().and_then(|n| n.parse::<i64>().ok()) {
                Some(n) if n < 0 && self.dialect == Dialect::Dash => {
                    self.complain();
                    self.set_status(2);
                }
                Some(n) => self.set_status((n & 255) as u8),
                None => {
                    self.complain();
                    self.doubt_status(self.doubt(NO_NUMBER));
                }
            },
            None => self.doubt_status(self.doubt("a status that is not known")),
        }
    }

    pub(super) fn exit_with(&mut self, known: Option<&[Bytes]>) {
        // There is one status only.
        if let (Some([first, _, ..]), Dialect::Bash | Dialect::Dash | Dialect::Mksh | Dialect::Zsh) = (known, self.dialect) {
            return match self.dialect {
                Dialect::Zsh if first != "--" => self.set_status(1),
                _ => self.misused_badly(),
            };
        }
        // There an option is one that it does not take.
        let is_option = |word: &Bytes| {
            word.len() > 1 && word.starts_with(b"-") && word != "--" && !word.iter().skip(1).all(u8::is_ascii_digit)
        };
        if self.dialect == Dialect::Ksh && known.and_then(<[Bytes]>::first).is_some_and(is_option) {
            return self.fail_special_with(2);
        }
        // There what is no number is an error like others.
        let is_number = |word: &Bytes| std::str::from_utf8(word).is_ok_and(|word| word.parse::<i64>().is_ok());
        // One that is too great is none there.
        let is_great = |word: &Bytes| is_number(word) && word.len() > 9;
        let is_narrow = matches!(self.dialect, Dialect::Dash | Dialect::Mksh);
        if is_narrow && self.tame == 0 && known.is_some_and(|words| words.iter().any(is_great)) {
            self.doubt_status(self.doubt(NO_NUMBER));
            return self.exit();
        }
        let may_be_none = !known.is_some_and(|words| words.iter().take(1).all(is_number));
        // Behind «command» it gives up that alone in dash.
        if self.dialect == Dialect::Dash && may_be_none && self.tame > 0 {
            return self.misused_badly();
        }
        if self.dialect == Dialect::Mksh && may_be_none {
            self.fail_or_go_on(&self.doubt(NO_NUMBER));
        }
        self.status_of(known);
        self.exit();
    }

    pub(super) fn return_with(&mut self, known: Option<&[Bytes]>) {
        // The text of `eval` is no place to return from: what is around it is.
        let is_place = |f: &Frame| match f.kind {
            Boundary::Function | Boundary::Startup => true,
            Boundary::Text => f.is_file,
            _ => false,
        };
        let known = match known {
            Some([first, ..]) if matches!(self.dialect, Dialect::Dash | Dialect::Ksh) => Some(std::slice::from_ref(first)),
            known => known,
        };
        if known.is_some_and(|words| words.len() > 1) {
            return self.misused_badly();
        }
        // bash refuses it where a script itself would be left.
        let is_within = self.frames.iter().filter(|f| is_place(f)).count();
        if self.dialect == Dialect::Bash && self.until.is_some() && is_within <= 1 {
            // As POSIX has it that ends what runs.
            if self.may_be_set("posix") {
                self.exit_or_go_on(&self.doubt(NOT_TAKEN));
            }
            return self.set_status(2);
        }
        // There it may be more than a byte holds.
        let is_great = |n: &Bytes| !std::str::from_utf8(n).is_ok_and(|n| n.parse::<u8>().is_ok());
        match known {
            Some([n]) if self.dialect == Dialect::Dash && (n.is_empty() || !n.iter().all(u8::is_ascii_digit)) => {
                return self.misused();
            }
            // There it is an option, of which there is none.
            Some([n])
                if self.dialect == Dialect::Ksh
                    && n.len() > 1
                    && n.starts_with(b"-")
                    && !n.iter().skip(1).all(u8::is_ascii_digit) =>
            {
                return self.misused();
            }
            // There it is a sum, which may be wrong.
            Some([n])
                if self.dialect == Dialect::Zsh
                    && !n.strip_prefix(b"-").is_some_and(|n| !n.is_empty() && n.iter().all(u8::is_ascii_digit))
                    && !n.iter().all(u8::is_ascii_digit) =>
            {
                let doubt = self.doubt(NO_NUMBER);
                self.fail_or_go_on(&doubt);
                if may_assign(n) {
                    self.fog(SUM_MAY_SET);
                }
                self.doubt_status(doubt);
            }
            // It is too great for a number there.
            Some([n]) if n.len() > 9 && matches!(self.dialect, Dialect::Dash | Dialect::Mksh) => return self.misused_badly(),
            Some([n]) if is_great(n) && matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Zsh) => {
                self.doubt_status(self.doubt("a status that is more than a byte holds"));
            }
            // There what ran before the file does not count (measured: R59).
            Some([])
                if self.dialect == Dialect::Mksh
                    && self.status() != Status::Known(0)
                    && self.frames.iter().rfind(|f| is_place(f)).is_some_and(|f| f.kind == Boundary::Text) =>
            {
                self.doubt_status(self.doubt("a file that is left before anything of it ran"));
            }
            _ => self.status_of(known),
        }
        // What is no number is an error there.
        let is_number = |words: &[Bytes]| words.iter().all(|n| !n.is_empty() && n.iter().all(u8::is_ascii_digit));
        if self.dialect == Dialect::Mksh && !known.is_some_and(is_number) && self.may_be_set(END_TRAP) {
            self.exit_or_go_on(&self.doubt(NO_NUMBER));
        }
        // What is left by the text of `eval` has the status from before it there, and behind what is asked for its own that
        // counts no more than this (measured: R59, 93u+m).
        let in_eval = self.frames.last().is_some_and(|frame| frame.kind == Boundary::Text && !frame.is_file);
        let is_asked = self.dialect == Dialect::Ksh && self.guarded > 0 && self.may_be_set("errexit");
        if is_asked || self.dialect == Dialect::Mksh && in_eval && known.is_some_and(<[Bytes]>::is_empty) {
            self.doubt_status(self.doubt("how what is left ends"));
        }
        // There it is turned round before it is left.
        let left = self.frames.iter().rposition(|f| is_place(f) || f.kind == Boundary::Shell);
        let counts = self.dialect == Dialect::Zsh || self.dialect == Dialect::Ksh && self.may_be_set("errexit");
        if counts && left < self.turned_at {
            self.doubt_status(self.doubt("how something ends that is turned round"));
        }
        match left {
            Some(index) if self.frames.get(index).is_some_and(is_place) => self.leave_at(index, false),
            // In a subshell, or at the prompt.
            _ => self.exit(),
        }
    }

    fn trap(&mut self, known: Option<&[Bytes]>, arguments: &[Val]) {
        self.set_status(0);
        // What runs when the shell ends runs after all that is handed on; in zsh and ksh a function has an end
        // of its own.
        let ends_shell = |s: &Bytes| matches!(&s[..], b"EXIT" | b"0") || s.eq_ignore_ascii_case(b"EXIT");
        let has_own = matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) && self.is_in_function();
        let Some(words) = known else {
            let ends = |value: &Val| value.known().is_some_and(ends_shell);
            return match arguments.split_first() {
                // Whatever it is, it runs then.
                Some((Val::Unknown(unknown), signals)) if !signals.is_empty() && signals.iter().all(ends) && !has_own => {
                    self.has_end_trap |= self.quiet > 0;
                    self.doubt_status(unknown.doubt.clone());
                }
                _ => self.fog("a trap that is not known"),
            };
        };
        let words = if words.first().is_some_and(|word| word == "--") { words.get(1..).unwrap_or_default() } else { words };
        let is_option = |w: &Bytes| w.starts_with(b"-") && w.len() > 1;
        // What is set is told.
        if words.first().is_none_or(is_option) {
            self.print(Val::unknown(self.doubt("what a command prints")));
        }
        let taken: &[u8] = match self.dialect {
            Dialect::Bash => b"lp",
            Dialect::Ksh => b"p",
            _ => b"",
        };
        // zsh takes it for what is to be done.
        if self.dialect != Dialect::Zsh
            && words.first().is_some_and(|word| is_option(word) && !word.iter().skip(1).all(|letter| taken.contains(letter)))
        {
            return self.misused();
        }
        let (Some(text), signals) = (words.first(), words.get(1..).unwrap_or_default()) else { return };
        if signals.is_empty()
            && self.dialect == Dialect::Ksh
            && !is_option(text)
            && (text.is_empty() || !text.iter().all(u8::is_ascii_digit))
        {
            return self.fail_special();
        }
        // A number is one there, and resets what follows, if it is one of a signal's.
        if self.dialect == Dialect::Ksh
            && !text.is_empty()
            && text.iter().all(u8::is_ascii_digit)
            && !is_signal(text, self.dialect)
        {
            self.doubt_status(self.doubt("whether there is such a signal"));
        }
        if !signals.iter().all(|signal| is_signal(signal, self.dialect)) || signals.is_empty() && !is_option(text) {
            self.doubt_status(self.doubt("whether there is such a signal"));
        }
        if self.dialect == Dialect::Mksh && text != "-" && signals.iter().any(ends_shell) {
            self.put_option(END_TRAP, true);
        }
        if text == "-" || text.is_empty() || is_option(text) || signals.is_empty() {
            return;
        }
        self.has_end_trap |= self.quiet > 0 && signals.iter().any(ends_shell);
        self.restless.note_leaving(text);
        if let Some(frame) = self.frames.iter_mut().rfind(|frame| frame.kind == Boundary::Function) {
            frame.has_trap = true;
        }
        if has_own || !signals.iter().all(ends_shell) {
            let is_set_off = |signal: &Bytes| {
                const OF_COMMANDS: &str = "DEBUG ERR ZERR RETURN CHLD SIGCHLD 17";
                ends_shell(signal) || is_one_of(OF_COMMANDS, &signal.to_ascii_uppercase())
            };
            self.trap_with(&text.clone());
            if signals.iter().any(is_set_off) {
                self.trap_set_off(text);
            }
        }
    }
}

/// What `trap` takes everywhere (signal(7)); in some shells in other spellings, too.
const SIGNALS: &str = "EXIT HUP INT QUIT ILL TRAP ABRT BUS FPE KILL USR1 SEGV USR2 PIPE ALRM TERM CHLD CONT STOP TSTP TTIN TTOU \
    URG XCPU XFSZ VTALRM PROF WINCH IO SYS";

/// Whether it is certain that a shell takes a word for a signal, or for something else that `trap` may wait for.
fn is_signal(word: &[u8], dialect: Dialect) -> bool {
    let own: &str = match dialect {
        Dialect::Bash => "DEBUG ERR RETURN",
        Dialect::Zsh => "DEBUG ZERR",
        Dialect::Ksh => "DEBUG ERR KEYBD",
        Dialect::Mksh => "ERR",
        Dialect::Dash => "",
    };
    let is_number = std::str::from_utf8(word).is_ok_and(|n| n.parse::<u8>().is_ok_and(|n| n < 32));
    !word.is_empty()
        && (is_number || is_one_of(SIGNALS, word) || is_one_of(own, word) || {
            let long = word.strip_prefix(b"SIG").unwrap_or(word);
            matches!(dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) && is_one_of(SIGNALS, &long.to_ascii_uppercase())
        })
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn commands_of_the_shell_end_and_set() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], ": a b; R=$?; true x; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=1;' 'X=2'", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval; R=$?; eval ''; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { return 3; }; f; R=$?", ["3", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { false; return; }; f; R=$?", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(exit 4); R=$?; (exit 260); X=$?", ["4", "4"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(exit 5); X=$?", ["", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap 'R=1' EXIT; R=2", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; exec 3>/dev/null; R=$?", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh], "command eval R=1; X=$?", ["1", "0"]),
            (&[Zsh], "command eval R=1; X=$?", ["none", "127"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b c; shift 2; R=$1; X=$#", ["c", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { shift; R=$#; }; f a b; X=$#", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "echo a >/dev/null; R=$?; [ a = b ]; X=$?", ["0", "1"]),
        ]);
    }
}
