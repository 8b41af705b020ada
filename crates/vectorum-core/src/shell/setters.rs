//! Commands of bash and zsh that set a name which their words say, run a function, or change what names of commands
//! stand for: if they are asked to, and otherwise change nothing.

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::syntax::{Dialect, Part, Text};
use super::value::Val;

/// Modules that come with every zsh (zshmodules(1)).
const STANDARD: &[&str] = &[
    "zsh/complete",
    "zsh/complist",
    "zsh/computil",
    "zsh/datetime",
    "zsh/main",
    "zsh/parameter",
    "zsh/sched",
    "zsh/stat",
    "zsh/system",
    "zsh/terminfo",
    "zsh/zle",
    "zsh/zleparameter",
    "zsh/zutil",
];

impl Machine<'_> {
    /// A command such as `read` sets a name; whether it may. Where the name is held fast, most end with a status only
    /// (measured).
    pub(super) fn set_by_command(&mut self, name: &[u8], content: Content) -> bool {
        if let Some(at) = memchr::memchr(b'[', name) {
            self.doubt_place_named(name);
            return self.set_item_by_command(name, at, content);
        }
        // zsh sets what is no name, too, if it is a number.
        let is_name = crate::reader::is_portable(name) || !name.is_ascii();
        let is_number = self.dialect == Dialect::Zsh && name.iter().all(u8::is_ascii_digit);
        if (is_name || is_number) && self.assign(name, content, None) {
            return true;
        }
        match self.dialect {
            Dialect::Bash | Dialect::Ksh => self.set_status(1),
            Dialect::Dash | Dialect::Mksh => self.set_status(2),
            Dialect::Zsh => self.fail_hard(),
        }
        false
    }

    /// The same for an item of a list, whose key begins there.
    fn set_item_by_command(&mut self, name: &[u8], at: usize, content: Content) -> bool {
        let (list, key) = name.split_at(at);
        let key = key.strip_prefix(b"[").and_then(|key| key.strip_suffix(b"]"));
        let is_plain = |key: &&[u8]| !key.is_empty() && key.iter().all(u8::is_ascii_alphanumeric);
        match (key.filter(is_plain), content) {
            (Some(key), Content::Set(value)) => {
                let key = [Part::Quoted(Text::of(key))];
                self.put_item(list, &key, value)
            }
            _ => {
                let doubt = self.doubt("an item of a list");
                self.assign(list, Content::Perhaps(Val::unknown(doubt)), None)
            }
        }
    }

    /// Commands of bash's that set a name, run a function or change what names of commands stand for, if they are
    /// asked to; whether they are.
    pub(super) fn sets_or_runs(&mut self, name: &[u8], arguments: &[Val]) -> bool {
        let words: Vec<Bytes> = arguments.iter().map(|a| a.known().cloned().unwrap_or_default()).collect();
        let letters: Vec<u8> = words.iter().filter(|w| w.starts_with(b"-")).flat_map(|w| w.slice(1..)).collect();
        match name {
            // It looks how large the terminal is.
            b"bind" => {
                self.may_set("the size of the terminal", &["COLUMNS", "LINES"], &[]);
                return false;
            }
            // How a file that is read once more finds what it set before.
            b"compgen" if matches!(&words[..], [option, beginning] if option == "-v" && !beginning.is_empty()) => {
                match self.names_from(words.last().map_or(&[][..], |beginning| beginning)) {
                    Ok(names) => {
                        let lines: Vec<u8> =
                            names.iter().filter_map(Val::known).flat_map(|name| [name, &b"\n"[..]].concat()).collect();
                        self.set_status(u8::from(names.is_empty()));
                        self.print(Val::of(lines));
                    }
                    Err(doubt) => {
                        self.print(Val::unknown(doubt.clone()));
                        self.doubt_status(doubt);
                    }
                }
            }
            b"compgen" if letters.iter().any(|b| b"FC".contains(b)) => self.fog("what completes a word is run"),
            b"hash" if letters.contains(&b'p') => self.fog("a name is given to a program"),
            b"enable" if letters.iter().any(|b| b"nf".contains(b)) => {
                self.fog("a command of the shell is taken away, or brought");
            }
            b"wait" if letters.contains(&b'p') => {
                let target = words.iter().skip_while(|w| !w.starts_with(b"-") || !w.contains(&b'p')).nth(1);
                self.may_set_word(target, false);
                self.doubt_status(self.doubt("how a command of the shell ends"));
            }
            _ => return false,
        }
        true
    }

    /// Commands of zsh's that change what a name of a command stands for, or set a name, if they are asked to; whether
    /// they are.
    pub(super) fn changes_commands(&mut self, command: &[u8], arguments: &[Val]) -> bool {
        let words: Vec<Bytes> = arguments.iter().map(|a| a.known().cloned().unwrap_or_default()).collect();
        let is_option = |word: &Bytes| word.starts_with(b"-") || word.starts_with(b"+");
        match (command, &words[..]) {
            // Those of which nothing is followed can be missed.
            (b"disable" | b"enable", names)
                if names.iter().any(is_option) || names.iter().any(|name| name.is_empty() || self.is_followed(name)) =>
            {
                if names.first().is_some_and(|option| option == "-f") {
                    names.iter().skip(1).for_each(|name| self.put_function(name.clone(), None));
                }
                self.fog("a command of the shell is taken away, or brought");
            }
            (b"functions", [option, names @ ..])
                if option.starts_with(b"-") && !names.is_empty() && option.iter().any(|b| b"uU".contains(b)) =>
            {
                self.autoload(Some(names));
            }
            (b"functions", [option, old, new]) if option == "-c" => {
                let function = self.live.as_ref().map(|state| state.functions.get(old).cloned());
                match function {
                    Some(Some(function)) if !new.is_empty() => {
                        self.put_function(new.clone(), function);
                        self.set_status(0);
                    }
                    _ => self.fog("a function is copied that is not known"),
                }
            }
            (b"functions", names) if names.first().is_some_and(|option| is_option(option) && option.contains(&b'c')) => {
                self.fog("a function is copied that is not known");
            }
            (b"hash", names)
                if names.first().is_none_or(|option| option != "-d")
                    && names.iter().any(|name| name.contains(&b'=') || name.is_empty()) =>
            {
                self.fog("a name is given to a program");
            }
            // A number there is a sum, of what is no number, and what cannot be called so is an error.
            (b"zmodload", words)
                if words.iter().enumerate().any(|(at, word)| match &word[..] {
                    [b'-', letter, ..] => at > 0 || letter.is_ascii_digit() || *letter == b'-',
                    word => !word.iter().all(|b| b.is_ascii_alphanumeric() || b"_/".contains(b)),
                }) =>
            {
                self.fail_or_go_on(&self.doubt(NOT_TAKEN));
                self.doubt_status(self.doubt(NOT_TAKEN));
            }
            // Those that are always there.
            (b"zmodload", [rest @ .., module]) if rest.iter().all(|flag| matches!(&flag[..], b"-i" | b"-F")) => {
                match STANDARD.iter().any(|name| name.as_bytes() == module) {
                    true => self.set_status(0),
                    false => return false,
                }
            }
            (b"zstyle", [option, rest @ ..]) if matches!(&option[..], b"-s" | b"-b" | b"-a") => {
                self.may_set_word(rest.get(2), option == "-a");
                self.doubt_status(self.doubt("whether there is such a style"));
            }
            _ => return false,
        }
        true
    }

    /// Whether a command of the shell is followed, so that it counts whether it is there.
    fn is_followed(&self, name: &[u8]) -> bool {
        self.is_own(name) && self.is_unfollowed_builtin(name).is_none() || super::declare::declares(name, self.dialect)
    }

    /// A command may set the name that a word of it says.
    fn may_set_word(&mut self, word: Option<&Bytes>, is_list: bool) {
        let name = word.filter(|word| crate::reader::is_portable(word)).and_then(|word| std::str::from_utf8(word).ok());
        match name {
            Some(name) if is_list => self.may_set("a list that a command sets", &[], &[name]),
            Some(name) => self.may_set("a text that a command sets", &[name], &[]),
            None => self.fog("a variable is set whose name is not known"),
        }
    }

    /// Commands of modules of zsh's that set names that their words say; whether it is one.
    pub(super) fn sets_by_module(&mut self, command: &[u8], known: Option<&[Bytes]>) -> bool {
        let is_number = |word: &Bytes| matches!(&word[..], [b'-', digit, ..] if digit.is_ascii_digit());
        if command == b"getln" && known.is_some_and(|words| words.iter().any(is_number)) {
            self.fail_or_go_on(&self.doubt(NOT_TAKEN));
        }
        // What they are known by (zshmodules(1)), and the options before a name, where it is not any word.
        const SETTING: &[(&str, &[&str])] = &[
            ("getln", &[]),
            ("pcre_match", &[]),
            ("stat", &["-A", "-H"]),
            ("strftime", &["-s"]),
            ("sysopen", &["-u"]),
            ("sysread", &[]),
            ("zformat", &[]),
            ("zregexparse", &[]),
            ("zselect", &[]),
            ("zsocket", &[]),
            ("zstat", &["-A", "-H"]),
            ("ztcp", &[]),
        ];
        let Some((_, options)) = SETTING.iter().find(|(name, _)| name.as_bytes() == command) else { return false };
        let Some(words) = known else {
            self.fog("a variable is set whose name is not known");
            return true;
        };
        let asks = words.iter().any(|word| options.iter().any(|option| word.starts_with(option.as_bytes())));
        if !options.is_empty() && !asks {
            return false;
        }
        let names: Vec<&str> = words
            .iter()
            .map(|word| word.rsplit(|b| *b == b'-').next().unwrap_or_default())
            .filter(|word| crate::reader::is_portable(word))
            .filter_map(|word| std::str::from_utf8(word).ok())
            .collect();
        self.may_set("what a command of a module sets", &["REPLY", "MATCH"], &["reply", "match", "mbegin", "mend"]);
        self.may_set("what a command of a module sets", &[], &names);
        self.may_set("what a command of a module sets", &names, &[]);
        self.print(Val::unknown(self.doubt("what a command prints")));
        self.doubt_status(self.doubt("whether a module is there"));
        true
    }
}

#[cfg(test)]
mod tests {
    use super::super::syntax::Dialect;
    use super::super::trial::after;

    #[test]
    fn what_is_asked_for_is_set_or_may_be() {
        // What X, which is 1, is afterwards; a bang where anything may be set.
        for (dialect, text, told) in [
            (Dialect::Bash, "wait", "1"),
            (Dialect::Bash, "wait -n -p X", "<unknown>"),
            (Dialect::Bash, "wait -p", "!"),
            (Dialect::Bash, "compgen -W 'a b' -- a", "1"),
            (Dialect::Bash, "compgen -F X a", "!"),
            (Dialect::Bash, "enable -n export", "!"),
            (Dialect::Bash, "enable", "1"),
            (Dialect::Bash, "hash -r", "1"),
            (Dialect::Bash, "hash -p /x y", "!"),
            (Dialect::Zsh, "zstyle ':a' b c", "1"),
            (Dialect::Zsh, "zstyle -s ':a' b X", "<unknown>"),
            (Dialect::Zsh, "zstyle -a ':a' b X", "<unknown>"),
            (Dialect::Zsh, "zstyle -s ':a' b", "!"),
            (Dialect::Zsh, "zformat -f X '%a' a:b", "<unknown>"),
            (Dialect::Zsh, "strftime '%Y' 0", "1"),
            (Dialect::Zsh, "strftime -s X '%Y' 0", "<unknown>"),
            (Dialect::Zsh, "disable r", "1"),
            (Dialect::Zsh, "disable export", "!"),
            (Dialect::Zsh, "hash -d x=/etc", "1"),
            (Dialect::Zsh, "hash x=/bin/true", "!"),
            (Dialect::Zsh, "f() { X=2; }; functions -c f g; g", "2"),
            (Dialect::Zsh, "functions -c none g", "!"),
            (Dialect::Zsh, "zmodload zsh/parameter && X=2", "2"),
            (Dialect::Zsh, "zmodload zsh/nosuch && X=2", "<a number>"),
            (Dialect::Ksh, "hash x=/bin/true", "1"),
        ] {
            let found = after(dialect, &format!("X=1; {text}"), |machine| {
                let is_open = machine.live.as_ref().is_some_and(|state| state.open.is_some());
                if is_open { "!".to_owned() } else { machine.told_value("X") }
            });
            assert_eq!(found, told, "{dialect:?} {text}");
        }
    }
}
