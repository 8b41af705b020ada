//! Simple commands: assignments, functions, the shell's own commands, programs.

use std::borrow::Cow;
use std::rc::Rc;

use bytes::Bytes;

use super::Source;
use super::machine::{Boundary, Machine};
use super::state::{Alias, Content, Scope, Status, Var};
use super::syntax::*;
use super::value::{Doubt, Val};
use crate::host_view::Kind as FileKind;

/// What an assignment puts in.
fn plus(name: &[u8], old: Content, new: &Val, m: &Machine<'_>) -> Content {
    if m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number) {
        let number = |v: Option<Val>| v.and_then(|v| std::str::from_utf8(v.known()?).ok()?.parse::<i64>().ok());
        return Content::Set(match (number(old.value()), number(Some(new.clone()))) {
            (Some(a), Some(b)) => Val::of(a.wrapping_add(b).to_string()),
            _ => Val::Unknown(m.doubt("a variable that holds a number")),
        });
    }
    match (old, new) {
        (Content::Unset, new) => Content::Set(new.clone()),
        (Content::Set(Val::Known(old)), Val::Known(new)) => Content::Set(Val::of([&old[..], new].concat())),
        (Content::Array(values), new) => {
            let mut values = values.to_vec();
            match (m.dialect, values.first_mut()) {
                (Dialect::Zsh, _) => values.push(new.clone()),
                (_, Some(first)) => {
                    *first = plus(b"", Content::Set(first.clone()), new, m).value().unwrap_or_else(|| new.clone());
                }
                _ => values.push(new.clone()),
            }
            Content::Array(Rc::new(values))
        }
        (_, Val::Unknown(doubt)) => Content::Set(Val::Unknown(doubt.clone())),
        (Content::Set(Val::Unknown(doubt)) | Content::Perhaps(Val::Unknown(doubt)), new) => {
            let is_filled = doubt.is_filled || new.is_empty() == Some(false);
            Content::Set(Val::Unknown(Rc::new(Doubt { is_filled, could_be: Vec::new(), sets: None, ..(*doubt).clone() })))
        }
        (Content::Perhaps(_), _) => Content::Set(Val::Unknown(m.doubt("whether the name is set is not known"))),
    }
}

/// A word of a declaration, expanded.
#[derive(Clone)]
enum Declared {
    Assignment(Assignment, Option<Val>),
    Text(Bytes),
}

impl Declared {
    /// Whether what is declared gets a value that is not known.
    fn is_unknown(&self) -> bool {
        matches!(self, Declared::Assignment(_, Some(Val::Unknown(_)) | None))
    }
}

/// Whether a command declares names.
fn declares(name: &[u8], dialect: Dialect) -> bool {
    match name {
        b"export" | b"readonly" => true,
        b"local" => dialect != Dialect::Ksh,
        b"typeset" => dialect != Dialect::Dash,
        b"declare" => matches!(dialect, Dialect::Bash | Dialect::Zsh),
        b"integer" | b"float" => matches!(dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh),
        _ => false,
    }
}

/// How a declaration changes its names.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Attributes {
    exported: Option<bool>,
    readonly: bool,
    is_local: bool,
    is_odd: bool,
    is_number: bool,
    is_unique: bool,
    is_function: bool,
    prints: bool,
}

impl Machine<'_> {
    pub(super) fn run_simple(&mut self, assignments: &[Assignment], words: &[Word], command: &Command) {
        let outputs = self.outputs;
        if self.run_alias(words, command) {
            return;
        }
        // `command` before it changes nothing of that, but in zsh, where it runs programs only.
        let prefix = words.iter().take_while(|w| w.literal() == Some(b"command") && self.dialect != Dialect::Zsh).count();
        let own = words.get(prefix..).unwrap_or_default();
        let is_declaration = own
            .first()
            .and_then(Word::literal)
            .is_some_and(|w| declares(w, self.dialect) && (prefix > 0 || !self.is_function(w)));
        let before = self.at;
        // There a word behind `command` is one like others: it is split.
        let is_split = |w: &Word| {
            w.parts
                .iter()
                .any(|p| !matches!(p, Part::Text(t) if !t.contains(&b'~')) && !matches!(p, Part::Quoted(_) | Part::Double(_)))
        };
        if is_declaration && prefix > 0 && self.dialect == Dialect::Bash && own.iter().any(is_split) {
            return self.fog("a declaration behind «command»");
        }
        if is_declaration && assignments.is_empty() {
            let name = own.first().and_then(Word::literal).unwrap_or_default().to_vec();
            match self.declared(own.get(1..).unwrap_or_default()) {
                // An expression that is wrong ends only the command there.
                Ok(given) if prefix > 0 && self.dialect == Dialect::Ksh && given.iter().any(Declared::is_unknown) => {
                    let doubt = self.doubt("whether a value can be worked out");
                    let status = doubt.clone();
                    self.fork(&doubt, |m| m.declare(&name, given), |m| m.doubt_status(status));
                }
                Ok(given) => self.declare(&name, given),
                Err(_) => self.fog("names are exported that are not known"),
            }
            return self.check_failure();
        }
        let runs_program =
            self.dialect == Dialect::Zsh && words.first().and_then(Word::literal).is_some_and(|w| self.is_program(w));
        let outer = std::mem::replace(&mut self.is_for_child, runs_program);
        let fields = self.fields(words);
        self.is_for_child = outer;
        let fields = match fields {
            Ok(fields) => fields,
            Err(_) if std::mem::take(&mut self.child_failed) => {
                self.print(Val::of(b""));
                self.set_status(1);
                return self.check_failure();
            }
            Err(doubt) => return self.run_unknown(words, &doubt),
        };
        let Some((name, arguments)) = fields.split_first() else {
            for assignment in assignments {
                self.at = assignment.at;
                let done = self.apply(assignment, None);
                self.at = before;
                if !done {
                    return self.fail_hard();
                }
                if self.live.is_none() {
                    return;
                }
            }
            self.at = before;
            // Only a command whose output is used leaves another status (POSIX, Shell Command Language, 2.9.1).
            let status = if self.outputs == outputs { Status::Known(0) } else { self.output_status.clone() };
            if let Some(state) = &mut self.live {
                state.status = status;
            }
            return self.check_failure();
        };
        let Val::Known(name) = name.clone() else {
            return self.fog("a command whose name is not known");
        };
        let is_special = matches!(
            &name[..],
            b":" | b"."
                | b"eval"
                | b"exec"
                | b"export"
                | b"readonly"
                | b"set"
                | b"shift"
                | b"unset"
                | b"return"
                | b"exit"
                | b"break"
                | b"continue"
                | b"times"
                | b"trap"
        );
        // In POSIX shells what stands before a special command stays.
        let stays = is_special && matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh);
        let has_own = !stays && !assignments.is_empty();
        if has_own && let Some(state) = &mut self.live {
            state.scopes.push(Scope::default());
        }
        if has_own {
            self.enter(Boundary::Command);
        }
        for assignment in assignments {
            self.at = assignment.at;
            let name = Bytes::copy_from_slice(&assignment.name);
            let old = self.live.as_ref().and_then(|s| s.vars.get(&name).map(Cow::into_owned));
            let exported = if stays { None } else { Some(true) };
            self.quiet += usize::from(!stays);
            let done = self.apply(assignment, exported);
            self.quiet -= usize::from(!stays);
            if !done {
                if self.dialect != Dialect::Bash {
                    self.fail_hard();
                    break;
                }
                continue;
            }
            if has_own && let Some(scope) = self.live.as_mut().and_then(|s| s.scopes.last_mut()) {
                scope.vars.push((name, old));
            }
        }
        self.at = before;
        if self.live.is_some() {
            self.run_named(&name, arguments, false, command);
        }
        if has_own {
            self.end();
            self.end_scope();
        }
        self.check_failure();
    }

    fn is_function(&self, name: &[u8]) -> bool {
        self.live.as_ref().is_some_and(|s| s.functions.contains_key(name))
    }

    /// An alias in the place of the command's name.
    fn run_alias(&mut self, words: &[Word], command: &Command) -> bool {
        let expands = match self.dialect {
            Dialect::Bash => {
                self.is_interactive && self.quiet == 0
                    || self.live.as_ref().is_some_and(|s| s.option("expand_aliases") != Some(false))
            }
            _ => true,
        };
        let Some(name) = words.first().and_then(Word::literal).filter(|_| expands) else { return false };
        let Some(alias) = self.live.as_ref().and_then(|s| s.aliases.get(name).cloned()) else { return false };
        let Some(Alias { text: alias, born, died }) = alias else {
            self.fog("a command that may be an alias");
            return true;
        };
        // A line that was read before knows nothing of it.
        if born >= self.epoch || died.is_some_and(|died| self.epoch > died) {
            return false;
        }
        let first = alias.split(u8::is_ascii_whitespace).find(|w| !w.is_empty()).unwrap_or_default();
        // One that begins with its own name, or with a program, changes nothing that is followed.
        if first == name {
            return false;
        }
        let rest = words.first().map_or(command.end, |w| w.end);
        let rest = self.source.text.get(rest..command.end).unwrap_or_default();
        let text = [&alias[..], b" ", rest].concat();
        self.evaluate(&text);
        true
    }

    /// A command of which not all words are known.
    fn run_unknown(&mut self, words: &[Word], doubt: &Rc<Doubt>) {
        let name = words.first().and_then(Word::literal).map(<[u8]>::to_vec);
        match name.as_deref() {
            Some(
                b"test" | b"[" | b"echo" | b"printf" | b"alias" | b":" | b"true" | b"false" | b"unalias" | b"command" | b"type",
            ) if !words.iter().any(|w| w.literal() == Some(b"-v")) => {
                self.print(Val::Unknown(doubt.clone()));
                match name.as_deref() {
                    Some(b":" | b"true") => self.set_status(0),
                    _ => self.doubt_status(doubt.clone()),
                }
            }
            Some(name) if self.is_function(name) || self.is_own(name) => {
                self.fog("a command of the shell whose words are not known");
            }
            Some(_) => {
                self.print(Val::Unknown(self.doubt("what a program prints")));
                self.doubt_status(doubt.clone());
                self.check_failure();
            }
            None => self.fog("a command whose name is not known"),
        }
    }

    /// Whether a name is certainly none of a command that the shell runs itself; in zsh `command` runs
    /// programs only.
    fn is_program(&self, name: &[u8]) -> bool {
        let function = self.live.as_ref().and_then(|s| s.functions.get(name));
        function.is_none() && (name == b"command" || !self.is_own(name) && !declares(name, self.dialect))
    }

    fn is_own(&self, name: &[u8]) -> bool {
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

    fn apply(&mut self, assignment: &Assignment, exported: Option<bool>) -> bool {
        let content = match &assignment.value {
            Assigned::Word(word) => {
                let value = self.assigned_word(word);
                if let Some(key) = &assignment.key {
                    return self.put_item(&assignment.name, key, value);
                }
                if assignment.adds {
                    let old = self.content_of(&assignment.name);
                    plus(&assignment.name, old, &value, self)
                } else {
                    Content::Set(value)
                }
            }
            Assigned::Array(words) => {
                let has_keys = words.iter().any(|w| matches!(w.parts.first(), Some(Part::Text(t)) if t.starts_with(b"[")));
                let values = if has_keys { Err(self.doubt("a list with keys")) } else { self.fields(words) };
                match values {
                    Ok(mut values) => {
                        if assignment.adds {
                            let mut old = match self.content_of(&assignment.name) {
                                Content::Array(old) => old.to_vec(),
                                Content::Set(value) => vec![value],
                                Content::Unset => Vec::new(),
                                Content::Perhaps(_) => vec![Val::Unknown(self.doubt("whether the name is set is not known"))],
                            };
                            old.append(&mut values);
                            values = old;
                        }
                        Content::Array(Rc::new(values))
                    }
                    Err(doubt) => Content::Perhaps(Val::Unknown(doubt)),
                }
            }
        };
        if self.live.is_none() {
            return true;
        }
        self.assign(&assignment.name, content, exported)
    }

    /// Sets one item of a list.
    fn put_item(&mut self, name: &[u8], key: &[Part], value: Val) -> bool {
        let index = self.sum(key).ok().and_then(|n| usize::try_from(n).ok());
        let old = match self.content_of(name) {
            Content::Array(values) => Some(values.to_vec()),
            Content::Unset => Some(Vec::new()),
            _ => None,
        };
        let content = match (index, old) {
            (Some(index), Some(mut values)) if index <= values.len() && self.dialect != Dialect::Zsh => {
                if index == values.len() {
                    values.push(value);
                } else if let Some(item) = values.get_mut(index) {
                    *item = value;
                }
                Content::Array(Rc::new(values))
            }
            _ => Content::Perhaps(Val::Unknown(self.doubt("an item of a list"))),
        };
        self.assign(name, content, None)
    }

    /// Expands the words of a declaration, all of them before any is carried out.
    fn declared(&mut self, words: &[Word]) -> Result<Vec<Declared>, Rc<Doubt>> {
        let mut out = Vec::new();
        for word in words {
            match word.assignment.as_deref() {
                Some(assignment) if assignment.adds && self.dialect != Dialect::Bash => {
                    return Err(self.doubt("a declaration that adds, which bash alone takes"));
                }
                Some(assignment) => {
                    let value = match &assignment.value {
                        Assigned::Word(word) if assignment.key.is_none() => {
                            let has_braces = word.parts.iter().any(|p| matches!(p, Part::Text(t) if t.contains(&b'{')));
                            let follows = self.dialect == Dialect::Ksh
                                && !out.is_empty()
                                && !word.parts.iter().all(|p| matches!(p, Part::Text(_) | Part::Quoted(_)));
                            if follows {
                                // There each sees what those before it set.
                                Some(Val::Unknown(self.doubt("a declaration of several names")))
                            } else if has_braces && self.dialect != Dialect::Zsh && self.dialect.is_rich() {
                                Some(Val::Unknown(self.doubt("braces in a declaration")))
                            } else {
                                Some(self.assigned_word(word))
                            }
                        }
                        _ => None,
                    };
                    out.push(Declared::Assignment(assignment.clone(), value));
                }
                None => {
                    for field in self.fields(std::slice::from_ref(word))? {
                        let Val::Known(text) = field else { return Err(self.doubt("names are exported that are not known")) };
                        out.push(Declared::Text(text));
                    }
                }
            }
        }
        Ok(out)
    }

    /// `export`, `declare` and their kin.
    fn declare(&mut self, command: &[u8], given: Vec<Declared>) {
        let in_function = self.live.as_ref().is_some_and(|s| s.scopes.iter().any(|s| s.positional.is_some()));
        let mut attributes = Attributes::default();
        match command {
            b"export" => attributes.exported = Some(true),
            b"readonly" => attributes.readonly = true,
            b"integer" => attributes.is_number = true,
            b"float" => attributes.is_odd = true,
            _ => {}
        }
        let mut is_tied = false;
        let mut is_global = matches!(command, b"export" | b"readonly") && self.dialect != Dialect::Zsh || command == b"export";
        let mut given = given.into_iter().peekable();
        while let Some(Declared::Text(text)) = given.peek() {
            let text = text.clone();
            let Some(letters) = text.strip_prefix(b"-").or_else(|| text.strip_prefix(b"+")).filter(|l| !l.is_empty()) else {
                break;
            };
            let on = text.first() == Some(&b'-');
            given.next();
            if letters == b"-" {
                break;
            }
            for letter in letters {
                match (letter, on) {
                    (b'x', on) => attributes.exported = Some(on),
                    (b'n', true) if command == b"export" => attributes.exported = Some(false),
                    (b'n', _) if self.dialect != Dialect::Zsh => return self.fog("a name that stands for another"),
                    (b'r', true) => attributes.readonly = true,
                    (b'g', true) => is_global = true,
                    (b'a', _) => {}
                    (b'i', true) if self.dialect != Dialect::Dash => attributes.is_number = true,
                    (b'U', true) if self.dialect == Dialect::Zsh => attributes.is_unique = true,
                    (b'f' | b'F', _) => attributes.is_function = true,
                    (b'T', true) if self.dialect == Dialect::Zsh => is_tied = true,
                    (b'p', _) => attributes.prints = true,
                    _ => attributes.is_odd = true,
                }
            }
        }
        // In zsh what is exported is global, too.
        is_global |= self.dialect == Dialect::Zsh && attributes.exported == Some(true);
        attributes.is_local = in_function && !is_global;
        if attributes.is_local && self.dialect == Dialect::Zsh {
            let is_tied = |d: &Declared| {
                let name = match d {
                    Declared::Assignment(assignment, _) => &assignment.name[..],
                    Declared::Text(text) => text.split(|b| *b == b'=').next().unwrap_or_default(),
                };
                self.tied(name).is_some() || self.is_tied_text(name)
            };
            if given.clone().any(|d| is_tied(&d)) {
                return self.fog("a list of zsh's own is made local");
            }
        }
        if self.dialect == Dialect::Ksh && attributes.is_local {
            match &self.holds_of_functions()[..] {
                [true, ..] => {}
                // In a function of the other kind it is its caller's.
                [false, rest @ ..] if !rest.contains(&true) => attributes.is_local = false,
                _ => return self.fog("a declaration in a function that another one calls"),
            }
        }
        if attributes.is_function && attributes.exported == Some(true) {
            for declared in given {
                if let Declared::Text(name) = declared {
                    self.export_function(&name);
                }
            }
            return self.set_status(0);
        }
        if attributes.is_function || attributes.prints || given.peek().is_none() {
            self.print(Val::Unknown(self.doubt("what a declaration prints")));
            return self.set_status(0);
        }
        self.set_status(0);
        if is_tied {
            return self.tie(given.collect());
        }
        // There what is declared with a value is exported only if that is said.
        let ends_export = self.dialect == Dialect::Ksh && attributes.exported.is_none() && !matches!(command, b"readonly");
        for declared in given {
            let name = match &declared {
                Declared::Assignment(assignment, _) => Some(Bytes::copy_from_slice(&assignment.name)),
                Declared::Text(text) => memchr::memchr(b'=', text).map(|at| text.slice(..at)),
            };
            match declared {
                Declared::Assignment(assignment, value) => self.declare_assignment(&assignment, value, attributes),
                Declared::Text(text) => self.declare_text(&text, attributes),
            }
            if let (true, Some(name)) = (ends_export, name) {
                let exports_all = self.live.as_ref().and_then(|s| s.option("allexport"));
                if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
                    var.exported = if exports_all == Some(false) { Some(false) } else { None };
                }
            }
        }
    }

    /// bash hands functions on in variables of their own.
    pub(super) fn export_function(&mut self, name: &[u8]) {
        if self.dialect != Dialect::Bash {
            return;
        }
        let name = Bytes::from([b"BASH_FUNC_", name, b"%%"].concat());
        let site = Some(self.here());
        let value = Val::Unknown(self.doubt("a function as bash writes it"));
        if let Some(state) = &mut self.live {
            state.vars.insert(name, Var { content: Content::Set(value), exported: Some(true), site, ..Var::unset() });
        }
    }

    fn declare_assignment(&mut self, assignment: &Assignment, value: Option<Val>, attributes: Attributes) {
        if self.is_readonly(&assignment.name) {
            return self.refused();
        }
        if self.dialect == Dialect::Zsh && matches!(self.content_of(&assignment.name), Content::Array(_)) && !attributes.is_local
        {
            return self.fog("a list that is declared as a text");
        }
        self.make_local(&assignment.name, attributes);
        self.mark_odd(&assignment.name, attributes);
        let done = match value {
            Some(value) if assignment.adds => {
                let old = self.content_of(&assignment.name);
                let content = plus(&assignment.name, old, &value, self);
                self.assign(&assignment.name, content, attributes.exported)
            }
            Some(value) => self.assign(&assignment.name, Content::Set(value), attributes.exported),
            None => self.apply(assignment, attributes.exported),
        };
        if done { self.mark(&assignment.name, attributes) } else { self.refused() }
    }

    /// zsh ties a text to a list: what either holds from here on is not followed.
    fn tie(&mut self, given: Vec<Declared>) {
        for declared in given.into_iter().take(2) {
            let name = match declared {
                Declared::Assignment(assignment, _) => assignment.name.into(),
                Declared::Text(text) => text,
            };
            if !crate::reader::is_portable(&name) {
                return self.fog("names are tied to each other that are not known");
            }
            let attributes = Attributes { is_odd: true, ..Attributes::default() };
            self.mark_odd(&name, attributes);
            let doubt = self.doubt("a text that is tied to a list");
            if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
                var.content = Content::Perhaps(Val::Unknown(doubt));
                var.may_be_list = true;
                // It keeps its export, or gets one by another option.
                var.exported = None;
            }
        }
    }

    fn declare_text(&mut self, text: &[u8], attributes: Attributes) {
        let (name, value) = match memchr::memchr(b'=', text) {
            Some(at) => (text.get(..at).unwrap_or_default(), text.get(at + 1..)),
            None => (text, None),
        };
        let is_name = name.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_')
            && name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
        if !is_name {
            // An error of the command: dash and zsh end more than that by it.
            return match self.dialect {
                Dialect::Bash => self.set_status(1),
                _ => self.fog("a name that is none is declared"),
            };
        }
        if value.is_some() && self.is_readonly(name) {
            return self.refused();
        }
        self.make_local(name, attributes);
        self.mark_odd(name, attributes);
        match value {
            Some(value) => {
                if !self.assign(name, Content::Set(Val::of(value)), attributes.exported) {
                    return self.refused();
                }
            }
            None => {
                let tied = self.tied(name).map(Bytes::from_static);
                let name = tied.unwrap_or_else(|| Bytes::copy_from_slice(name));
                let site = self.here();
                let open = self.live.as_ref().and_then(|s| s.open.clone());
                let dialect = self.dialect;
                if let Some(state) = &mut self.live {
                    let var = state.vars.get_or_insert_with(&name, || match open {
                        Some(doubt) => Var { content: Content::Perhaps(Val::Unknown(doubt)), ..Var::unset() },
                        None => Var::unset(),
                    });
                    // zsh hands no list on.
                    let is_list = dialect == Dialect::Zsh && matches!(var.content, Content::Array(_));
                    if attributes.exported.is_some() && !is_list {
                        var.exported = attributes.exported;
                    }
                    var.is_pending = false;
                    // zsh gives a name that is declared an empty value.
                    if self.dialect == Dialect::Zsh
                        && matches!(var.content, Content::Unset)
                        && (attributes.exported.is_some() || attributes.is_local)
                    {
                        var.content = Content::Set(Val::of(b""));
                        var.site = Some(site);
                        var.is_pending = true;
                    }
                }
                let name = name;
                self.mark(&name, attributes);
                return;
            }
        }
        self.mark(name, attributes);
    }

    fn is_readonly(&self, name: &[u8]) -> bool {
        self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.readonly)
    }

    /// A declaration that is refused: the name is held fast.
    fn refused(&mut self) {
        match self.dialect {
            Dialect::Bash => self.set_status(1),
            _ => self.fail_hard(),
        }
    }

    fn make_local(&mut self, name: &[u8], attributes: Attributes) {
        if !attributes.is_local {
            return;
        }
        let dialect = self.dialect;
        let Some(state) = &mut self.live else { return };
        let name = Bytes::copy_from_slice(name);
        let Some(scope) = state.scopes.iter_mut().rfind(|s| s.positional.is_some()) else { return };
        if scope.vars.iter().any(|(n, _)| *n == name) {
            return;
        }
        let old = state.vars.get(&name).map(Cow::into_owned);
        scope.vars.push((name.clone(), old.clone()));
        // dash keeps the value; the others begin anew, but keep the export.
        let exported = old.as_ref().map_or(Some(false), |v| v.exported);
        let fresh = match (dialect, old) {
            (Dialect::Dash, Some(old)) => old,
            (Dialect::Bash, _) => Var { exported, ..Var::unset() },
            (Dialect::Zsh, _) => Var { exported, ..Var::unset() },
            _ => Var::unset(),
        };
        state.vars.insert(name, fresh);
    }

    fn mark_odd(&mut self, name: &[u8], attributes: Attributes) {
        if attributes.is_number || attributes.is_unique {
            self.mark_kept(name, attributes);
        }
        if attributes.is_odd
            && let Some(state) = &mut self.live
        {
            let var = state.vars.get_or_insert_with(name, Var::unset);
            var.is_odd = true;
            if let Content::Set(Val::Known(_)) = &var.content {
                var.content = Content::Set(Val::Unknown(Doubt::new("the variable has an attribute that changes values", None)));
            }
        }
    }

    /// From here on a name holds a number, or each item once only; so does what it holds already.
    fn mark_kept(&mut self, name: &[u8], attributes: Attributes) {
        let name = self.tied(name).map_or_else(|| Bytes::copy_from_slice(name), Bytes::from_static);
        let Some(state) = &mut self.live else { return };
        let var = state.vars.get_or_insert_with(&name, Var::unset);
        var.is_number |= attributes.is_number;
        var.is_unique |= attributes.is_unique;
        let Var { content, site, exported, .. } = var.clone();
        if matches!(content, Content::Unset) {
            return;
        }
        self.assign(&name, content, exported);
        // The line that gave it still decides.
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&name)) {
            var.site = site;
        }
    }

    fn mark(&mut self, name: &[u8], attributes: Attributes) {
        // In mksh and ksh `set -a` does not reach what is declared.
        if attributes.readonly
            && matches!(self.dialect, Dialect::Mksh | Dialect::Ksh)
            && self.live.as_ref().is_some_and(|s| s.option("allexport") != Some(false))
        {
            self.doubt_export(name);
        }
        if attributes.readonly
            && let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name))
        {
            var.readonly = true;
        }
    }

    /// Runs a command by its name.
    fn run_named(&mut self, name: &[u8], arguments: &[Val], skips_functions: bool, command: &Command) {
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
                    self.print(Val::Unknown(self.doubt("what a program prints")));
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

    /// Runs a text's commands in this shell.
    fn evaluate(&mut self, text: &[u8]) {
        let fixed = Some(self.source.line(self.at));
        let source = Source { fixed, ..Source::new(self.source.path.clone(), Bytes::copy_from_slice(text)) };
        self.run_source(&Rc::new(source), Boundary::Text);
    }

    fn eval(&mut self, arguments: &[Val]) {
        let mut text = Vec::new();
        for (index, argument) in arguments.iter().enumerate() {
            match argument {
                Val::Known(part) => {
                    if index > 0 {
                        text.push(b' ');
                    }
                    text.extend_from_slice(part);
                }
                Val::Unknown(doubt) => {
                    return match doubt.sets.filter(|_| arguments.len() == 1) {
                        Some(names) => {
                            let why = self.doubt("a program prints what is set here");
                            for name in names {
                                let old = self.content_of(name.as_bytes());
                                let value = Val::Unknown(why.clone());
                                let content =
                                    if matches!(old, Content::Unset) { Content::Perhaps(value) } else { Content::Set(value) };
                                self.assign(name.as_bytes(), content, Some(true));
                                // Whether it exports them, too, only it knows.
                                if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name.as_bytes())) {
                                    var.exported = Some(true);
                                }
                            }
                            self.doubt_status(why);
                        }
                        None => self.fog("a text is run that a program prints"),
                    };
                }
            }
        }
        if text.trim_ascii().is_empty() {
            return self.set_status(0);
        }
        self.evaluate(&text);
    }

    fn source_file(&mut self, arguments: &[Val]) {
        let Some(path) = arguments.first() else { return self.set_status(2) };
        let Val::Known(path) = path.clone() else { return self.fog("a file is run whose name is not known") };
        let path = if path == b"--"[..] { arguments.get(1).and_then(Val::known).cloned().unwrap_or_default() } else { path };
        let full = if path.contains(&b'/') {
            self.full(&path)
        } else {
            match self.search(&path) {
                Ok(found) => found,
                Err(()) => return self.fog("a file is looked up along a path that is not known"),
            }
        };
        let Some(full) = full else {
            return if path.contains(&b'/') { self.fog("the working folder is not known") } else { self.cannot_source() };
        };
        let is_there = match self.ground.files.kind(&full) {
            FileKind::File | FileKind::Program => {
                self.ground.files.may(&full, self.account.uid, self.account.gid, crate::host_view::Want::Read) != Some(false)
            }
            FileKind::Unknown => return self.fog("a file that is run may not be read"),
            FileKind::Other if full == b"/dev/null"[..] => return self.set_status(0),
            FileKind::Other => return self.fog("what is run is no file"),
            _ if full == b"/dev/null"[..] => return self.set_status(0),
            _ if self.written.contains(&full) => return self.fog("a file is run that was written just before"),
            _ => false,
        };
        if !is_there {
            return self.cannot_source();
        }
        let is_whole = if path.contains(&b'/') { full == path } else { self.is_on_path(&full) };
        if !is_whole {
            self.named_otherwise.push(full.clone());
        }
        let given: Vec<Val> = arguments.iter().skip(1).cloned().collect();
        let outer = self.live.as_ref().map(|s| s.positional.clone());
        let takes = !given.is_empty() && self.dialect.is_rich();
        if takes && let Some(state) = &mut self.live {
            state.positional = Ok(Rc::new(given));
        }
        self.through(|m| m.run_file(&full, Boundary::Text));
        if let (Some(state), Some(outer), true) = (&mut self.live, outer, takes) {
            state.positional = outer;
        }
    }

    /// Whether a file lies in a folder of PATH.
    fn is_on_path(&self, file: &[u8]) -> bool {
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else { return false };
        let folder = file.rsplitn(2, |b| *b == b'/').nth(1).unwrap_or_default();
        path.split(|b| *b == b':').any(|f| f == folder)
    }

    /// A file that is not there: POSIX has it end a shell that is not interactive.
    fn cannot_source(&mut self) {
        match self.dialect {
            Dialect::Bash => self.set_status(1),
            Dialect::Zsh => self.set_status(127),
            _ => self.fail_hard(),
        }
    }

    /// Looks a file up along PATH, and in bash and zsh in the working folder after it.
    fn search(&mut self, name: &[u8]) -> Result<Option<Bytes>, ()> {
        let Content::Set(Val::Known(path)) = self.content_of(b"PATH") else { return Err(()) };
        for folder in path.split(|b| *b == b':') {
            let folder = if folder.is_empty() { b"." } else { folder };
            let path = Bytes::from([&self.full(folder).ok_or(())?[..], b"/", name].concat());
            match self.ground.files.kind(&path) {
                FileKind::File | FileKind::Program => return Ok(Some(path)),
                FileKind::Unknown => return Err(()),
                _ => {}
            }
        }
        if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
            let path = self.full(name).ok_or(())?;
            return Ok(matches!(self.ground.files.kind(&path), FileKind::File | FileKind::Program).then_some(path));
        }
        Ok(None)
    }

    fn set_options(&mut self, arguments: &[Val]) {
        let mut at = 0;
        self.set_status(0);
        if arguments.is_empty() {
            return self.print(Val::Unknown(self.doubt("what a declaration prints")));
        }
        // A list, in ksh and its kin.
        if let [Val::Known(option), Val::Known(name), values @ ..] = arguments
            && option == "-A"
            && self.dialect != Dialect::Bash
            && self.dialect.is_rich()
        {
            let name = name.clone();
            if !self.assign(&name, Content::Array(Rc::new(values.to_vec())), None) {
                self.fail_hard();
            }
            return;
        }
        while let Some(argument) = arguments.get(at) {
            let Val::Known(text) = argument.clone() else { break };
            let on = match text.first() {
                Some(b'-') => true,
                Some(b'+') => false,
                _ => break,
            };
            at += 1;
            let letters = text.slice(1..);
            if letters == b"-"[..] {
                self.set_positional(arguments.get(at..).unwrap_or_default());
                return;
            }
            if letters.is_empty() {
                break;
            }
            for letter in &letters {
                if *letter == b'o' {
                    let name = arguments.get(at).and_then(Val::known).cloned();
                    at += 1;
                    match name {
                        Some(name) => self.long_option(&name, on),
                        None => return self.fog("an option is set that is not known"),
                    }
                    continue;
                }
                let known = LETTERS.iter().find(|(l, _)| l == letter).map(|(_, name)| *name);
                match known {
                    Some(name) => self.put_option(name, on),
                    None if matches!(letter, b'h' | b'm' | b'b' | b'B' | b'H' | b'C' | b'i' | b'V' | b'E' | b'T' | b'P') => {}
                    None => return self.fog("an option is set that is not followed"),
                }
            }
        }
        if at < arguments.len() {
            self.set_positional(arguments.get(at..).unwrap_or_default());
        }
    }

    fn set_positional(&mut self, values: &[Val]) {
        if let Some(state) = &mut self.live {
            state.positional = Ok(Rc::new(values.to_vec()));
        }
    }

    /// Whether a name is handed on from here is not known.
    pub(super) fn doubt_export(&mut self, name: &[u8]) {
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)) {
            var.exported = None;
        }
    }

    pub(super) fn put_option(&mut self, name: &'static str, on: bool) {
        if name == "allexport" && self.dialect == Dialect::Ksh {
            self.exports_separators |= self.quiet > 0;
            // It takes in some that ksh sets by itself.
            for name in [
                &b"IFS"[..],
                b"OLDPWD",
                b"PWD",
                b"OPTIND",
                b"PS1",
                b"PS2",
                b"PS3",
                b"PS4",
                b"PPID",
                b"MAILCHECK",
                b"TMOUT",
                b"FPATH",
            ] {
                self.doubt_export(name);
            }
        }
        if let Some(state) = &mut self.live {
            state.options.insert(name, Some(on));
        }
        if on && matches!(name, "noexec" | "posix") {
            self.fog("an option makes the shell work in another way");
        }
    }

    fn long_option(&mut self, name: &[u8], on: bool) {
        let plain: Vec<u8> = name.iter().filter(|b| **b != b'_').map(u8::to_ascii_lowercase).collect();
        let known = LETTERS.iter().find(|(_, n)| n.as_bytes() == plain).map(|(_, n)| *n);
        match known {
            Some(name) => self.put_option(name, on),
            None if plain == b"posix" => self.put_option("posix", on),
            None if matches!(
                &plain[..],
                b"vi"
                    | b"emacs"
                    | b"history"
                    | b"histexpand"
                    | b"notify"
                    | b"monitor"
                    | b"noclobber"
                    | b"pipefail"
                    | b"ignoreeof"
                    | b"hashall"
                    | b"physical"
                    | b"nolog"
            ) => {}
            None => self.fog("an option is set that is not followed"),
        }
    }

    fn shopt(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        let on = match words.first().map(|w| &w[..]) {
            Some(b"-s") => true,
            Some(b"-u") => false,
            // What turns it on is not followed, and so it is off here.
            Some(b"-oq" | b"-qo") if words.get(1..).is_some_and(|w| matches!(w, [name] if name == "posix")) => {
                return self.set_status(1);
            }
            Some(b"-q") if words.get(1..).is_some_and(|w| matches!(w, [name] if name == "extglob")) => {
                let option = self.live.as_ref().and_then(|s| s.option("extglob"));
                let answer = option.ok_or_else(|| self.doubt("whether an option is set"));
                return self.set_maybe(answer);
            }
            _ => {
                self.print(Val::Unknown(self.doubt("what a command prints")));
                return self.doubt_status(self.doubt("whether an option is set"));
            }
        };
        for word in words.iter().skip(1) {
            let name = match &word[..] {
                b"extglob" => "extglob",
                b"nullglob" => "nullglob",
                b"dotglob" => "dotglob",
                b"failglob" => "failglob",
                b"expand_aliases" => "expand_aliases",
                b"nocasematch" | b"nocaseglob" | b"globstar" | b"lastpipe" | b"localvar_inherit" | b"sourcepath"
                | b"compat31"
                    if on =>
                {
                    // Names of files and patterns may fit otherwise from here on.
                    if matches!(&word[..], b"globstar") {
                        continue;
                    }
                    return self.fog("an option makes the shell work in another way");
                }
                _ => continue,
            };
            self.put_option(name, on);
        }
        self.set_status(0);
    }

    fn setopt(&mut self, on: bool, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("an option is set that is not known") };
        for word in words {
            let plain: Vec<u8> = word.iter().filter(|b| **b != b'_').map(u8::to_ascii_lowercase).collect();
            let (plain, on) = match plain.strip_prefix(b"no") {
                Some(rest) if !matches!(&plain[..], b"notify" | b"nomatch") => (rest.to_vec(), !on),
                _ => (plain, on),
            };
            match &plain[..] {
                b"allexport" => self.put_option("allexport", on),
                b"errexit" | b"errreturn" if on => return self.fog("an option ends the shell at a failing command"),
                b"rcs" => self.put_option("norcs", !on),
                b"globalrcs" => self.put_option("noglobalrcs", !on),
                b"unset" if !on => self.put_option("nounset", true),
                b"glob" => self.put_option("noglob", !on),
                b"shwordsplit"
                | b"globsubst"
                | b"ksharrays"
                | b"rcexpandparam"
                | b"ignorebraces"
                | b"ignoreclosebraces"
                | b"shfileexpansion"
                | b"cshnullcommand"
                | b"octalzeroes"
                | b"posixbuiltins"
                | b"posixidentifiers"
                | b"kshglob"
                | b"extendedglob"
                | b"nullglob"
                | b"nomatch"
                | b"cshnullglob"
                | b"shglob"
                | b"braceccl"
                | b"exec"
                | b"equals"
                | b"magicequalsubst"
                | b"globassign"
                | b"typesetsilent"
                | b"globalexport"
                | b"warncreateglobal"
                | b"localoptions"
                | b"posixaliases"
                | b"aliases"
                | b"restricted"
                | b"bareglobqual"
                | b"globdots"
                | b"numericglobsort"
                | b"interactivecomments" => {
                    // Those that only change how names of files are found make those unknown.
                    if matches!(
                        &plain[..],
                        b"extendedglob"
                            | b"nullglob"
                            | b"nomatch"
                            | b"globdots"
                            | b"numericglobsort"
                            | b"kshglob"
                            | b"bareglobqual"
                    ) {
                        self.put_option("extglob", true);
                    } else if !matches!(
                        &plain[..],
                        b"interactivecomments" | b"typesetsilent" | b"warncreateglobal" | b"octalzeroes"
                    ) {
                        return self.fog("an option makes the shell work in another way");
                    }
                }
                _ => {}
            }
        }
        self.set_status(0);
    }

    fn shift(&mut self, known: Option<&[Bytes]>) {
        let count: Option<usize> = match known {
            Some([]) => Some(1),
            Some([n, ..]) => std::str::from_utf8(n).ok().and_then(|n| n.parse().ok()),
            None => None,
        };
        let doubt = self.doubt("a shift by an unknown number");
        let Some(state) = &mut self.live else { return };
        match (count, &state.positional) {
            (Some(count), Ok(values)) if count <= values.len() => {
                state.positional = Ok(Rc::new(values.iter().skip(count).cloned().collect()));
                state.status = Status::Known(0);
            }
            (Some(_), Ok(_)) if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) => state.status = Status::Known(1),
            (Some(_), Ok(_)) => self.fail_hard(),
            _ => {
                state.positional = Err(doubt.clone());
                state.status = Status::Unknown(doubt);
            }
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

    fn read_line(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("a variable is set whose name is not known") };
        let mut names = Vec::new();
        let (mut is_raw, mut is_odd, mut is_list) = (false, false, false);
        let mut delimiter = b'\n';
        let mut words = words.iter();
        while let Some(word) = words.next() {
            match &word[..] {
                b"-r" => is_raw = true,
                b"-a" if self.dialect == Dialect::Bash => is_list = true,
                b"-ra" | b"-ar" if self.dialect == Dialect::Bash => (is_raw, is_list) = (true, true),
                // Up to a NUL, which no such text has.
                b"-d"
                    if matches!(self.dialect, Dialect::Bash | Dialect::Zsh)
                        && words.as_slice().first().is_some_and(Bytes::is_empty) =>
                {
                    delimiter = 0;
                    words.next();
                }
                option if option.starts_with(b"-") && names.is_empty() => is_odd = true,
                name => names.push(Bytes::copy_from_slice(name)),
            }
        }
        let is_whole = names.is_empty();
        if is_whole {
            names.push(Bytes::from_static(b"REPLY"));
        }
        let input = self.live.as_ref().and_then(|s| s.input.clone()).filter(|_| !is_odd && (!is_list || names.len() == 1));
        let separators = match self.content_of(b"IFS") {
            Content::Set(Val::Known(text)) => Some(text),
            Content::Unset => Some(Bytes::from_static(b" \t\n")),
            _ => None,
        };
        let (Some((text, at)), Some(separators)) = (input, separators) else {
            let doubt = self.doubt("what is read is not known");
            if let Some(state) = &mut self.live {
                state.input = None;
            }
            for name in names {
                self.assign(&name, Content::Set(Val::Unknown(doubt.clone())), None);
                if let (true, Some(var)) = (is_list || is_odd, self.live.as_mut().and_then(|s| s.vars.get_mut(&name))) {
                    (var.may_be_list, var.exported) = (true, var.exported.filter(|exported| !exported));
                }
            }
            return self.doubt_status(doubt);
        };
        let rest = text.slice(at..);
        let end = memchr::memchr(delimiter, &rest);
        let line = rest.slice(..end.unwrap_or(rest.len()));
        // A backslash may join the next line to it.
        let is_simple = (is_raw || !line.contains(&b'\\'))
            && (!is_whole || ![line.first(), line.last()].into_iter().flatten().any(|b| separators.contains(b)));
        if let Some(state) = &mut self.live {
            state.input = is_simple.then(|| (text.clone(), (at + line.len() + 1).min(text.len())));
        }
        let count = if is_list { usize::MAX } else { names.len() };
        let values: Vec<Val> = split_line(&line, &separators, count)
            .into_iter()
            .map(|value| match value {
                Some(value) if is_simple => Val::of(value),
                _ => Val::Unknown(self.doubt("a line that is read in another way")),
            })
            .collect();
        if is_list {
            let name = names.first().cloned().unwrap_or_default();
            let content = if is_simple {
                Content::Array(Rc::new(values))
            } else {
                Content::Set(Val::Unknown(self.doubt("a line that is read in another way")))
            };
            self.assign(&name, content, None);
        } else {
            // What a line that goes on leaves for them is not known either.
            let odd = self.doubt("a line that is read in another way");
            let rest = if is_simple { Val::of(b"") } else { Val::Unknown(odd) };
            for (index, name) in names.iter().enumerate() {
                self.assign(name, Content::Set(values.get(index).unwrap_or(&rest).clone()), None);
            }
        }
        self.set_status(u8::from(end.is_none()));
    }

    /// What `$(< FILE)` brings: `None` where the commands are others.
    pub(super) fn file_alone(&mut self, list: &List) -> Option<Val> {
        let [item] = &list.items[..] else { return None };
        let (false, true, [command]) = (item.is_background, item.rest.is_empty(), &item.first.commands[..]) else { return None };
        let ([redirect], Kind::Simple(assignments, words)) = (&command.redirects[..], &command.kind) else { return None };
        if redirect.operator != b"<" || !assignments.is_empty() || !words.is_empty() || self.dialect == Dialect::Dash {
            return None;
        }
        let path = self.one_word(&redirect.word).ok().and_then(|v| v.known().cloned());
        let full = path.and_then(|p| self.full(&p)).filter(|f| !self.written.contains(f));
        let content = full.map(|f| self.content(&f));
        Some(match content {
            Some(crate::host_view::Content::Bytes(text)) => {
                self.set_status(0);
                Val::Known(text)
            }
            Some(crate::host_view::Content::Missing) => {
                self.set_status(1);
                Val::of(b"")
            }
            _ => {
                let doubt = self.doubt("a file that may not be read");
                self.doubt_status(doubt.clone());
                Val::Unknown(doubt)
            }
        })
    }

    /// `mapfile`: a list of the lines that are read.
    fn map_file(&mut self, known: Option<&[Bytes]>) {
        let (name, is_trimmed) = match known {
            Some([option, name]) if option == "-t" => (name.clone(), true),
            Some([name]) if !name.starts_with(b"-") => (name.clone(), false),
            _ => return self.fog("a list is read in a way that is not followed"),
        };
        let input = self.live.as_mut().and_then(|s| s.input.take());
        let content = match input {
            Some((text, at)) => {
                let rest = text.slice(at..);
                let lines = rest.split_inclusive(|b| *b == b'\n');
                let line = |l: &[u8]| Val::of(if is_trimmed { l.strip_suffix(b"\n").unwrap_or(l) } else { l });
                Content::Array(Rc::new(lines.map(line).collect()))
            }
            None => return self.fog("a list is read that is not known"),
        };
        self.assign(&name, content, None);
        self.set_status(0);
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

const LETTERS: &[(u8, &str)] = &[
    (b'a', "allexport"),
    (b'e', "errexit"),
    (b'f', "noglob"),
    (b'n', "noexec"),
    (b'u', "nounset"),
    (b'v', "verbose"),
    (b'x', "xtrace"),
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

/// Splits a line that is read into so many values at most, the last of which takes the rest (POSIX, read).
/// `None` is one of which shells make different things.
fn split_line<'a>(line: &'a [u8], separators: &[u8], count: usize) -> Vec<Option<&'a [u8]>> {
    let is_blank = |b: &u8| b" \t\n".contains(b) && separators.contains(b);
    let trimmed = |text: &'a [u8]| text.iter().position(|b| !is_blank(b)).and_then(|at| text.get(at..)).unwrap_or_default();
    let mut rest = trimmed(line);
    let mut out = Vec::new();
    while !rest.is_empty() {
        if out.len() + 1 == count {
            let end = rest.iter().rposition(|b| !is_blank(b)).map_or(0, |at| at + 1);
            let last = rest.get(..end).unwrap_or_default();
            // One that ends in a separator of another kind loses it in some shells.
            let is_odd = last.last().is_some_and(|b| separators.contains(b));
            out.push((!is_odd).then_some(last));
            return out;
        }
        let end = rest.iter().position(|b| separators.contains(b)).unwrap_or(rest.len());
        out.push(rest.get(..end));
        rest = rest.get(end..).unwrap_or_default();
        // Blanks, one separator of another kind, blanks.
        rest = trimmed(rest);
        if rest.first().is_some_and(|b| separators.contains(b)) && !line.is_empty() {
            rest = trimmed(rest.get(1..).unwrap_or_default());
        }
    }
    out
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
