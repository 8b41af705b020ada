//! Functions: what they are made of, how they are called, and those that run at an event.

use super::leaving::Leaves;
use super::*;
use crate::shell::options::names::is_one_of;

/// What a function is made of.
#[derive(Debug)]
pub(super) struct Function {
    body: Arc<Vec<Job>>,
    source: Arc<Source>,
    /// Names of its arguments.
    named: Vec<Bytes>,
    /// Variables that it took with it when it was made.
    taken: Vec<(Bytes, Var)>,
    /// Whether it sees the variables of its caller.
    is_open: bool,
}

/// What stands behind a function's name.
#[derive(Clone, Debug)]
pub(super) enum Named {
    Function(Arc<Function>),
    Erased,
    /// One or another.
    Unclear,
}

impl PartialEq for Named {
    fn eq(&self, other: &Named) -> bool {
        match (self, other) {
            (Named::Function(a), Named::Function(b)) => Arc::ptr_eq(a, b),
            (Named::Erased, Named::Erased) | (Named::Unclear, Named::Unclear) => true,
            _ => false,
        }
    }
}

/// Options of `function` that take a word: letter and long form.
const WITH_WORD: &[Letter] = &[
    (b'd', b"description"),
    (b'w', b"wraps"),
    (b'e', b"on-event"),
    (b'v', b"on-variable"),
    (b'j', b"on-job-exit"),
    (b'p', b"on-process-exit"),
    (b's', b"on-signal"),
    (b'V', b"inherit-variable"),
    (b'a', b"argument-names"),
];

/// Functions that come with fish 3.6, but for those that begin like its own or are followed here.
const SHIPPED: &[&[u8]] = &[
    b"N_",
    b"contains_seq",
    b"diff",
    b"dirh",
    b"dirs",
    b"down-or-search",
    b"edit_command_buffer",
    b"funced",
    b"funcsave",
    b"grep",
    b"help",
    b"history",
    b"hostname",
    b"isatty",
    b"la",
    b"ll",
    b"ls",
    b"man",
    b"open",
    b"prompt_hostname",
    b"prompt_login",
    b"prompt_pwd",
    b"psub",
    b"seq",
    b"suspend",
    b"umask",
    b"up-or-search",
];

/// What the names of fish's own functions begin with.
pub(super) const OWN: &[u8] = b"__fish_";

/// Those of them that are made only where a program is there, or is not, or can do something.
const PERHAPS: &[&[u8]] = &[b"diff", b"grep", b"open", b"seq"];

/// The file in which a function lies that comes with fish.
fn shipped(name: &[u8]) -> Vec<u8> {
    [SHARED, name, b".fish"].concat()
}

/// Functions of fish's own that change variables, and are followed or taken for changes here.
const SETTING: &[&[u8]] =
    &[b"alias", b"cd", b"cdh", b"export", b"fish_add_path", b"nextd", b"popd", b"prevd", b"pushd", b"setenv", b"trap", b"vared"];

/// Words that no function is called (measured: 3.6).
const RESERVED: &str = "[ _ and argparse begin break builtin case command continue else end eval exec for function if not or read \
    return set status string switch test time while";

impl Fish<'_> {
    pub(super) fn define(&mut self, words: &[Word], body: &Arc<Vec<Job>>) {
        let words = self.fields(words).ok().and_then(|all| all.iter().map(|w| w.known().cloned()).collect::<Option<Vec<_>>>());
        let Some((name, rest)) = words.as_deref().and_then(|w| w.split_first()) else {
            return self.fog("a function whose name is not known");
        };
        if is_one_of(RESERVED, name) {
            return self.set_status(2);
        }
        let Some(options) = Options::of(rest, WITH_WORD, &[&[(b'S', b"no-scope-shadowing")]], false) else {
            return self.fog("an option of «function» that is not followed");
        };
        // Of signals and processes, and of names that are none, it may refuse the whole.
        let is_name = |n: &Bytes| !n.is_empty() && n.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
        let is_plain = |(letter, value): &(u8, Option<Bytes>)| match letter {
            b'V' | b'v' => value.as_ref().is_some_and(is_name),
            letter => !b"spj".contains(letter),
        };
        if !options.taken.iter().all(is_plain) || name.starts_with(b"-") {
            return self.fog("an option of «function» that is not followed");
        }
        let mut function = Function {
            body: body.clone(),
            source: self.source.clone(),
            named: Vec::new(),
            taken: Vec::new(),
            is_open: options.has(b'S'),
        };
        for (letter, value) in &options.taken {
            match (letter, value) {
                (b'a', Some(name)) => function.named.push(name.clone()),
                (b'V', Some(name)) => function.taken.extend(self.get(name).map(|v| (name.clone(), v.into_owned()))),
                _ => {}
            }
        }
        if options.has(b'a') {
            function.named.extend(options.rest.iter().cloned());
        } else if !options.rest.is_empty() {
            return self.doubt_status("a function with words that it does not take");
        }
        self.name(name.clone(), Named::Function(Arc::new(function)));
        if options.taken.iter().any(|(letter, _)| b"evjps".contains(letter)) {
            self.stir(body, 0);
        }
        self.set_status(0);
    }

    pub(super) fn name(&mut self, name: Bytes, what: Named) {
        if let Some(state) = &mut self.live {
            state.functions.insert(name, what);
        }
    }

    pub(super) fn function(&self, name: &[u8]) -> Option<Named> {
        // What has a stroke is a file's.
        self.live.as_ref().filter(|_| !name.contains(&b'/'))?.functions.get(name).cloned()
    }

    /// Something may run at any time from here on: nothing is known of what it sets.
    pub(super) fn stir(&mut self, jobs: &[Job], depth: usize) {
        if depth > DEEPEST {
            return self.fog("what runs at an event");
        }
        for job in jobs {
            let mut all: Vec<&Word> = job.redirects.iter().map(|(_, w)| w).chain(job.vars.iter().map(|(_, w)| w)).collect();
            let mut blocks: Vec<&[Job]> = Vec::new();
            match &job.kind {
                Kinds::Command(words) => {
                    all.extend(words);
                    self.stir_command(words, depth);
                }
                Kinds::If(arms, otherwise) => {
                    blocks.extend(arms.iter().flat_map(|(c, b)| [&c[..], b]));
                    blocks.extend(otherwise.as_deref());
                }
                Kinds::Switch(word, arms) => {
                    all.push(word);
                    all.extend(arms.iter().flat_map(|(w, _)| w));
                    blocks.extend(arms.iter().map(|(_, b)| &b[..]));
                }
                Kinds::For(_, words, body) => {
                    all.extend(words);
                    blocks.push(body);
                }
                Kinds::While(condition, body) => blocks.extend([&condition[..], body]),
                Kinds::Begin(body) => blocks.push(body),
                Kinds::Function(..) => self.fog("what runs at an event makes a function"),
            }
            for block in blocks {
                self.stir(block, depth + 1);
            }
            for jobs in all.iter().flat_map(|w| &w.parts).filter_map(Part::commands) {
                self.stir(jobs, depth + 1);
            }
        }
    }

    fn stir_command(&mut self, words: &[Word], depth: usize) {
        const WHY: &str = "what runs at an event";
        let literal: Vec<Option<&[u8]>> = words.iter().map(Word::literal).collect();
        let Some((Some(name), rest)) = literal.split_first() else { return self.fog(WHY) };
        match (*name, self.function(name)) {
            (_, Some(Named::Function(function))) => {
                let body = function.body.clone();
                self.stir(&body, depth + 1);
            }
            (_, Some(Named::Unclear)) => self.fog(WHY),
            (b"set" | b"read", _) => {
                // Only of options in front of the name it is certain what they are.
                let options = rest.iter().take_while(|w| w.is_some_and(|w| w.starts_with(b"-"))).count();
                let is_asked = rest.iter().take(options).flatten().any(|o| !o.starts_with(b"--") && o.contains(&b'q'));
                match rest.get(options) {
                    _ if is_asked || *name == b"set" && rest.get(options).is_none() => {}
                    Some(Some(name)) if *name != b"-" => {
                        let base = name.split(|b| *b == b'[').next().unwrap_or_default();
                        self.restless.insert(Bytes::copy_from_slice(base));
                        let doubt = self.doubt(WHY);
                        self.put_var(base, Some(Kept::Global), Err(doubt), None, None);
                        self.blur(base, WHY);
                    }
                    _ => self.fog(WHY),
                }
                if *name == b"read" && rest.len() > options + 1 {
                    self.fog(WHY);
                }
            }
            (b"return" | b"break" | b"continue" | b"status" | b"true" | b"false" | b"test" | b"[", _) => {}
            (name, _) if commands::is_harmless(name) => {}
            (name, _) if self.is_own(name) || self.autoloaded(name).is_some() || SETTING.contains(&name) => self.fog(WHY),
            _ => {}
        }
    }

    /// The file in which a function lies that is taken in when it is first called.
    pub(super) fn autoloaded(&self, name: &[u8]) -> Option<Vec<u8>> {
        if name.contains(&b'/') {
            return None;
        }
        // Folders that are not known may hold anything; what could lie there is not guessed at.
        let folders: Vec<Bytes> = match self.get(b"fish_function_path").map(|v| v.into_owned().items) {
            Some(Ok(items)) => items.iter().filter_map(|i| i.known().map(|i| self.full(i))).collect(),
            _ => Vec::new(),
        };
        let mut paths = folders.iter().map(|folder| [&folder[..], b"/", name, b".fish"].concat());
        paths.find(|path| !matches!(self.ground.files.kind(path), Kind::Missing) && !path.starts_with(SHARED))
    }

    /// Whether functions may lie in folders that are not known.
    pub(super) fn may_be_elsewhere(&self) -> bool {
        let is_open = |var: &Var| !var.items.as_ref().is_ok_and(|items| items.iter().all(|i| i.known().is_some()));
        self.get(b"fish_function_path").is_some_and(|var| is_open(&var))
    }

    /// Takes in the file of a function that nobody defined, as is done for whoever calls it or asks for it. Of a file that does
    /// not define it fish makes nothing a second time.
    pub(super) fn take_in(&mut self, name: &[u8]) {
        if self.function(name).is_some() || commands::RESERVED.contains(&name) {
            return;
        }
        let Some(path) = self.autoloaded(name) else { return };
        self.run_file(&path, Some(&[]));
        if self.function(name).is_none() {
            self.name(Bytes::copy_from_slice(name), Named::Erased);
        }
    }

    /// Whether there is such a function; `None` if that is not known.
    pub(super) fn has_function(&mut self, name: &[u8]) -> Option<bool> {
        self.take_in(name);
        match self.function(name) {
            Some(Named::Function(_)) => Some(true),
            Some(Named::Erased) => Some(false),
            Some(Named::Unclear) => None,
            None if self.is_shipped(name) => self.is_surely_defined(name).then_some(true),
            // Files that come with fish define more than what they are called by.
            None if self.may_be_elsewhere() || name.starts_with(OWN) => None,
            None => Some(false),
        }
    }

    /// Whether a function comes with fish, or at least a file that may define it.
    pub(super) fn is_shipped(&self, name: &[u8]) -> bool {
        if SHIPPED.contains(&name) || SETTING.contains(&name) {
            return true;
        }
        matches!(self.ground.files.kind(&shipped(name)), Kind::File | Kind::Program)
    }

    /// Whether the file with which a function comes defines it whatever else there is on the host.
    fn is_surely_defined(&self, name: &[u8]) -> bool {
        let defines = |line: &[u8]| {
            let mut words = line.split(u8::is_ascii_whitespace);
            words.next() == Some(b"function") && words.any(|word| word == name)
        };
        match content(self.ground, self.account, &shipped(name)) {
            Content::Bytes(text) => text.split(|byte| *byte == b'\n').any(defines),
            _ => !PERHAPS.contains(&name),
        }
    }

    /// Calls a function; its arguments may be such that not even their number is known.
    pub(super) fn call(&mut self, function: &Function, arguments: Result<&[Val], &Arc<Doubt>>) {
        if self.depth > DEEPEST {
            return self.fog("files and functions call each other too deep");
        }
        self.depth += 1;
        let outer_site = self.here();
        let outer = (std::mem::replace(&mut self.source, function.source.clone()), self.at);
        let own = if function.is_open { Kept::Block } else { Kept::Function };
        // A function does not see the blocks around its call, but for copies of what is exported.
        let mut around = None;
        let mut copies = BTreeMap::new();
        if let Some(state) = self.live.as_mut().filter(|_| !function.is_open) {
            let keep = state.scopes.iter().position(|s| matches!(s.kind, Kept::Function | Kept::Block));
            let hidden = state.scopes.split_off(keep.unwrap_or(state.scopes.len()));
            for (name, var) in hidden.iter().flat_map(|s| s.vars.changed().filter_map(|name| Some((name, s.vars.get(name)?)))) {
                if var.exported != Some(false) {
                    copies.insert(name.clone(), var.into_owned());
                }
            }
            around = Some(hidden);
        }
        if let Some(state) = &mut self.live {
            // One that sees what is around it is as a block there.
            state.scopes.push(Scope { kind: own, vars: copies.into_iter().collect() });
        }
        let depth = self.live.as_ref().map_or(0, |s| s.scopes.len());
        let arguments = arguments.map(<[Val]>::to_vec).map_err(Arc::clone);
        self.put_var(b"argv", Some(own), arguments.clone(), None, None);
        let is_name = |n: &&Bytes| !n.is_empty() && n.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
        for (at, name) in function.named.iter().enumerate().filter(|(_, n)| is_name(n)) {
            let own_argument = arguments.clone().map(|all| all.get(at).cloned().into_iter().collect());
            self.put_var(name, Some(own), own_argument, None, None);
        }
        for (name, var) in &function.taken {
            if let Some(scope) = self.live.as_mut().and_then(|s| s.scopes.last_mut()) {
                scope.vars.insert(name.clone(), Var { exported: Some(false), ..var.clone() });
            }
        }
        if function.body.is_empty() {
            self.set_status(0);
        }
        // One that calls itself at once is not run.
        let first = function.body.first().and_then(|job| match &job.kind {
            Kinds::Command(words) => words.first().and_then(Word::literal),
            _ => None,
        });
        let is_itself = |named| matches!(named, Named::Function(other) if Arc::ptr_eq(&other.body, &function.body));
        let calls_itself = first.and_then(|name| self.function(name)).is_some_and(is_itself);
        let outer_given = std::mem::replace(&mut self.given, arguments.ok().map(|arguments| (arguments, outer_site)));
        if calls_itself {
            self.set_status(1);
        } else {
            self.within(|m| m.framed(Leaves::Function, |m| m.run(&function.body)));
        }
        self.given = outer_given;
        if let Some(state) = &mut self.live {
            state.scopes.truncate(depth.saturating_sub(1));
            state.scopes.extend(around.unwrap_or_default());
            state.refused = Refused::No;
        }
        (self.source, self.at) = outer;
        self.depth -= 1;
    }

    /// `functions`.
    pub(super) fn functions(&mut self, known: Option<&[Bytes]>) {
        let plain: &[Letter] = &[
            (b'e', b"erase"),
            (b'c', b"copy"),
            (b'q', b"query"),
            (b'a', b"all"),
            (b'n', b"names"),
            (b'D', b"details"),
            (b'v', b"verbose"),
            (b'H', b"handlers"),
        ];
        let Some(options) =
            known.and_then(|k| Options::of(k, &[(b'd', b"description"), (b't', b"handlers-type")], &[plain], false))
        else {
            return self.fog("an option of «functions» that is not followed");
        };
        if options.has(b'e') {
            for name in &options.rest {
                self.name(name.clone(), Named::Erased);
            }
            self.doubt_status("whether there is such a function");
        } else if options.has(b'c') {
            match &options.rest[..] {
                [from, _] if self.has_function(from) == Some(false) => self.set_status(1),
                // What is there already is not written over (measured: 3.6).
                [_, to] if self.function(to).is_some_and(|named| !matches!(named, Named::Erased)) => self.set_status(1),
                [from, to] => {
                    let what = self.function(from).unwrap_or(Named::Unclear);
                    self.name(to.clone(), what);
                    self.set_status(0);
                }
                _ => self.doubt_status("whether there is such a function"),
            }
        } else if options.has(b'q') {
            let mut missing = 0;
            for name in &options.rest {
                match self.has_function(name) {
                    Some(true) => {}
                    Some(false) => missing += 1,
                    None => return self.doubt_status("whether there is such a function"),
                }
            }
            self.set_status(if options.rest.is_empty() { 1 } else { missing });
        } else {
            options.rest.iter().for_each(|name| self.take_in(name));
            self.print(Val::unknown(self.doubt("what a command prints")));
            self.doubt_status("how a command ends");
        }
    }

    /// `alias`, which makes a function.
    pub(super) fn alias(&mut self, known: Option<&[Bytes]>) {
        let Some(options) = known.and_then(|k| Options::of(k, &[], &[&[(b's', b"save"), (b'h', b"help")]], true)) else {
            return self.fog("an option of «alias» that is not followed");
        };
        let (name, body) = match &options.rest[..] {
            [] => return self.print(Val::unknown(self.doubt("what a command prints"))),
            [one] => match memchr::memchr(b'=', one) {
                Some(at) => (one.slice(..at), one.slice(at + 1..)),
                None => return self.doubt_status("whether there is such an alias"),
            },
            [name, body] => (name.clone(), body.clone()),
            _ => return self.set_status(1),
        };
        if commands::RESERVED.contains(&&name[..]) {
            return self.set_status(2);
        }
        if name.is_empty() || body.is_empty() || name.starts_with(b"-") || body.starts_with(b"-") {
            return self.fog("an alias of another kind");
        }
        let first = body.split(|b| b" \t\n;".contains(b)).next().unwrap_or_default();
        // One that is named like what it runs runs the program or the command of the shell.
        let before: &[u8] = match first == &name[..] {
            true if self.is_own(&name) || commands::is_harmless(&name) => b"builtin ",
            true => b"command ",
            false => b"",
        };
        let text: Bytes = [before, &body, b" $argv"].concat().into();
        let mut parser = Parser::new(&text, 0);
        let jobs = parser.jobs().ok().filter(|_| parser.at == text.len());
        let fixed = Some(self.source.line(self.at));
        let source = Arc::new(Source { fixed, ..Source::new(self.source.path.clone(), text.clone()) });
        let what = jobs.map_or(Named::Unclear, |jobs| {
            let (named, taken) = (Vec::new(), Vec::new());
            Named::Function(Arc::new(Function { body: Arc::new(jobs), source, named, taken, is_open: false }))
        });
        self.name(name, what);
        self.set_status(0);
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn functions_have_words_and_scopes_of_their_own() {
        hold_fish(&[
            ("function f; set -gx OUT 1; end; f", "1"),
            ("function f; set -gx OUT $argv[2]; end; f a b", "b"),
            ("function f -a x y; set -gx OUT \"$y$x\"; end; f a b", "ba"),
            ("function f --argument-names x; set -gx OUT $x; end; f a", "a"),
            ("function f; return 3; end; f; set -gx OUT $status", "3"),
            ("function f; end; f; set -gx OUT $status", "0"),
            ("function f; set -l V 1; end; f; set -gx OUT \"[$V]\"", "[]"),
            ("set -g V 1; function f; set V 2; end; f; set -gx OUT $V", "2"),
            ("set -g V 1; function f; set -l V 2; end; f; set -gx OUT $V", "1"),
            ("set -g V 1; function f --no-scope-shadowing; set V 2; end; f; set -gx OUT $V", "2"),
            ("function f; g; end; function g; set -gx OUT $argv; end; f; set -a OUT x", "x"),
            ("functions -q f; set -gx OUT $status; function f; end; functions -q f; set -a OUT $status", "1 0"),
            ("function f; set -gx OUT 1; end; functions -e f; f; set -gx OUT (count $OUT) $status", "0 1"),
            ("function f; set -gx OUT 1; end; functions -c f g; functions -e f; g", "1"),
            ("function f; set -gx OUT a; end; function f; set -gx OUT b; end; f", "b"),
            (
                "function f; if test $argv[1] = 0; return; end; set -ga OUT $argv[1]; f (math $argv[1] - 1); end; f 3; set -gx OUT $OUT",
                "<open>",
            ),
            ("function f --on-event e; set -gx OUT $argv; end; emit e a b", "<unknown>"),
            ("function f --on-variable V; set -gx OUT \"$V\"; end; set -g V 1", "<unknown>"),
            ("function f; status function; end; set -gx OUT (f)", "<unknown>"),
            ("function f --description text; set -gx OUT 1; end; f", "1"),
            ("function f; set -gx OUT (count $argv); end; f a 'b c' ''", "3"),
            ("function f; echo $argv; end; set -gx OUT (f a b)", "a b"),
            ("function f; begin; return 2; end; set -gx OUT never; end; f; set -gx OUT $status", "2"),
            ("function f; for i in 1 2 3; if test $i = 2; return $i; end; end; end; f; set -gx OUT $status", "2"),
            ("alias f 'set -gx OUT'; f a b", "a b"),
            ("alias f='set -gx OUT'; f a", "a"),
            ("function f; set -gx OUT $V; end; V=1 f", "1"),
        ]);
    }
}
