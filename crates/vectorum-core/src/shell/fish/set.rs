//! `set`: setting and erasing.

use super::super::machine::LONGEST;
use super::*;

/// So many bytes of values count like an item of a list.
const BYTES: usize = 64;

/// Letters that stand for `--path` and `--unpath`, which have none.
const PATH: u8 = 1;
const UNPATH: u8 = 2;

const PLAIN: &[Letter] = &[
    (b'e', b"erase"),
    (b'q', b"query"),
    (b'a', b"append"),
    (b'p', b"prepend"),
    (b'S', b"show"),
    (b'n', b"names"),
    (b'L', b"long"),
    (PATH, b"path"),
    (UNPATH, b"unpath"),
];

/// The name that `set` with these words sets for more than the block it stands in.
pub(crate) fn set_beyond(words: &[Bytes]) -> Option<Bytes> {
    let options = Options::of(words, &[], &[SCOPES, PLAIN], true)?;
    if b"qenSl".iter().any(|letter| options.has(*letter)) {
        return None;
    }
    let name = options.rest.first()?;
    Some(name.slice(..memchr::memchr(b'[', name).unwrap_or(name.len())))
}

/// Whether fish has a variable by itself, whatever it holds.
fn is_there_by_itself(name: &[u8]) -> bool {
    let others: &[&[u8]] = &[
        b"status",
        b"pipestatus",
        b"fish_pid",
        b"version",
        b"FISH_VERSION",
        b"hostname",
        b"history",
        b"umask",
        b"fish_killring",
        b"fish_kill_signal",
        b"status_generation",
        b"COLUMNS",
        b"LINES",
        b"EUID",
        b"IFS",
        b"argv",
        b"CMD_DURATION",
    ];
    others.contains(&name)
}

/// Whether a name is one of a variable. Letters beyond ASCII are taken, too; which ones is not followed.
pub(super) fn is_name(name: &[u8]) -> bool {
    !name.is_empty() && name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_' || !b.is_ascii())
}

/// Whether fish refuses to set it.
pub(super) fn is_locked(name: &[u8]) -> bool {
    matches!(
        name,
        b"status"
            | b"pipestatus"
            | b"_"
            | b"version"
            | b"FISH_VERSION"
            | b"fish_pid"
            | b"history"
            | b"hostname"
            | b"PWD"
            | b"SHLVL"
            | b"status_generation"
            | b"fish_kill_signal"
            | b"fish_killring"
    )
}

impl State {
    /// The scope of the function that runs, or what stands for it outside of one.
    fn of_function(&self) -> Option<usize> {
        let outermost = |kind| self.scopes.iter().position(|scope| scope.kind == kind);
        let own = self.scopes.iter().rposition(|scope| scope.kind == Kept::Function);
        own.or_else(|| outermost(Kept::Block)).or_else(|| outermost(Kept::Global))
    }
}

impl Fish<'_> {
    /// Sets a variable. Without a scope it is set where it is, or else in the function, or globally.
    pub(super) fn put(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        items: Vec<Val>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        self.put_var(name, scope, Ok(items), exported, is_path);
    }

    pub(super) fn put_var(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        items: Result<Vec<Val>, Arc<Doubt>>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        if !is_name(name) {
            return self.set_status(2);
        }
        if !name.is_ascii() {
            return self.fog("a name with letters beyond ASCII");
        }
        // It is of the process, and no variable.
        if name == b"umask" {
            return;
        }
        // How long all of it is counts, too, and what is too long is not kept.
        let length: usize = items.iter().flatten().filter_map(Val::known).map(Bytes::len).sum();
        self.steps.count(items.as_ref().map_or(0, Vec::len) + length / BYTES);
        let items = if length > LONGEST { Err(self.doubt("a value becomes too long")) } else { items };
        let mut site = self.here();
        if let (Some((given, from)), Ok([one])) = (&self.given, items.as_deref())
            && given.contains(one)
        {
            site = from.clone();
        }
        let is_restless = self.restless.contains(name);
        let items = if is_restless { Err(self.doubt("what runs at an event may set it")) } else { items };
        // One that is exported all the same may have been so before, or not have been there.
        let Some(state) = &self.live else { return };
        let is_universal = state.scopes.first().is_some_and(|s| s.vars.contains(name));
        let is_exported = exported == Some(true) && scope == Some(Kept::Global);
        let what = if is_exported && !is_universal { For::Export } else { For::Replacing };
        let in_function = state.scopes.iter().any(|s| s.kind == Kept::Function);
        let mut hidden = state.scopes.iter().rev().filter_map(|s| s.vars.look(name, what).map(|var| (s.kind, var)));
        // One that hides another is a path where that is one.
        let first = hidden.next();
        let hidden_may_be_path = first.as_ref().is_some_and(|(_, var)| var.may_be_path);
        let (hidden_is_path, is_perhaps, is_global) =
            first.map_or((None, false, true), |(kind, v)| (Some(v.is_path), v.is_perhaps, kind == Kept::Global));
        // Where it may not be there, it is set in another scope.
        if scope.is_none() && is_perhaps && (in_function || !is_global || hidden.next().is_some()) {
            return self.blur(name, "which of several variables is set");
        }
        drop(hidden);
        let doubt = self.doubt("whether it is a path is not known");
        let Some(state) = &mut self.live else { return };
        let index = match scope {
            Some(Kept::Block) => state.scopes.len().checked_sub(1),
            Some(Kept::Function) => state.of_function(),
            Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            None => state.scopes.iter().rposition(|s| s.vars.look(name, what).is_some()).or_else(|| {
                if in_function {
                    state.scopes.iter().rposition(|s| s.kind == Kept::Function)
                } else {
                    state.scopes.iter().position(|s| s.kind == Kept::Global)
                }
            }),
        };
        let Some(scope) = index.and_then(|i| state.scopes.get_mut(i)) else { return };
        let old = scope.vars.look(name, what).map(|v| (v.is_perhaps, v.exported, v.is_path, v.may_be_path));
        let usual = hidden_is_path.unwrap_or_else(|| is_path_by_name(name));
        let var = Var {
            items,
            exported: exported.map_or_else(
                || {
                    old.map_or(
                        Some(false),
                        |(is_perhaps, exported, ..)| if is_perhaps && exported != Some(false) { None } else { exported },
                    )
                },
                Some,
            ),
            is_path: is_path.or(old.map(|(_, _, is_path, _)| is_path)).unwrap_or(usual),
            may_be_path: is_path.is_none()
                && !is_path_by_name(name)
                && old.map_or(hidden_may_be_path, |(.., may_be_path)| may_be_path),
            is_perhaps: is_restless,
            site: Some(site.clone()),
        };
        let var = if is_restless { Var { exported: None, ..var } } else { var };
        let is_path = var.is_path;
        // Items of a path are cut at colons.
        let may_part = |value: &Val| match value {
            Val::Known(_) => None,
            Val::Unknown(text) if !text.could_be().is_empty() && !text.could_be().iter().any(|t| t.contains(&b':')) => None,
            Val::Unknown(text) => Some(text.doubt.clone()),
        };
        // How many it comes to is not known.
        let parted = var.items.as_ref().ok().filter(|_| is_path).and_then(|items| items.iter().find_map(may_part));
        let items = match parted.map_or(var.items, Err) {
            Ok(items) if is_path => Ok(items
                .into_iter()
                .flat_map(|v| match &v {
                    Val::Known(text) => {
                        // Nothing is where the shell is in these two.
                        let is_here = |part: &[u8]| part.is_empty() && matches!(name, b"PATH" | b"CDPATH");
                        text.split(|b| *b == b':')
                            .map(|part| Val::of(if is_here(part) { b"." } else { part }))
                            .collect::<Vec<_>>()
                    }
                    Val::Unknown(_) => vec![v],
                })
                .collect()),
            other => other,
        };
        let items = match items {
            Ok(items)
                if var.may_be_path && (items.len() > 1 || joined(&items, b" ").known().is_none_or(|t| t.contains(&b':'))) =>
            {
                Err(doubt)
            }
            items => items,
        };
        let told = match &items {
            Ok(items) => joined(items, if is_path { b":" } else { b" " }),
            Err(doubt) => Val::unknown(doubt.clone()),
        };
        scope.vars.insert(Bytes::copy_from_slice(name), Var { items, ..var });
        if self.quiet == 0 && !site.path.is_empty() {
            let held = Some(Held::of(&told));
            self.log.push(Assigned { name: Bytes::copy_from_slice(name), held, site, around: self.around.clone() });
        }
        if name == b"fish_user_paths" {
            self.reconstruct();
        }
        // Setting a variable leaves the status as it was.
    }

    pub(super) fn set_command(&mut self, arguments: &[Val], unknown: Option<Arc<Doubt>>) {
        // By itself it tells all, and ends like what was before it.
        if arguments.is_empty() && unknown.is_none() {
            return self.print(Val::unknown(self.doubt("what a command prints")));
        }
        // Options stand in front; a word that is not known may be one only there.
        let first = arguments.iter().take_while(|a| a.known().is_some()).filter_map(|a| a.known().cloned()).collect::<Vec<_>>();
        let Some(options) = Options::of(&first, &[], &[SCOPES, PLAIN], true) else {
            return self.fog("an option of «set» that is not followed");
        };
        let at = first.len() - options.rest.len();
        let has = |letter| options.has(letter);
        let (scope, exported) = options.scope();
        let is_path = if has(PATH) { Some(true) } else { has(UNPATH).then_some(false) };
        let (erase, query, append, prepend) = (has(b'e'), has(b'q'), has(b'a'), has(b'p'));
        let names = arguments.get(at..).unwrap_or_default();
        // Where it shows or lists, not all else is taken.
        if (has(b'S') || has(b'n')) && !(names.is_empty() && options.taken.len() == 1) {
            self.doubt_status("words that a command does not take");
        }
        if names.is_empty() && has(b'n') && options.taken.len() == 1 {
            self.set_status(0);
        }
        if has(b'S') || has(b'n') {
            return self.print(Val::unknown(self.doubt("what a command prints")));
        }
        // Two scopes at once, or exported and not, is an error.
        let scopes = [b'l', b'f', b'g', b'U'].into_iter().filter(|letter| has(*letter)).count();
        if scopes > 1 || has(b'x') && has(b'u') || has(PATH) && has(UNPATH) {
            return self.set_status(2);
        }
        // Nor can one be taken away and exported, or asked for (measured: 3.6).
        if erase && (query || has(b'x') || has(b'u')) {
            return self.set_status(2);
        }
        if query && unknown.is_some() {
            return self.doubt_status("whether the name is set is not known");
        }
        if names.is_empty() && (query || erase) {
            return self.set_status(if query { 255 } else { 2 });
        }
        if query {
            let mut missing = 0;
            for name in names {
                let Some(name) = name.known() else { return self.doubt_status("whether the name is set is not known") };
                if name.contains(&b'[') {
                    let (base, index) = name.split_at(memchr::memchr(b'[', name).unwrap_or(0));
                    let index = index
                        .strip_prefix(b"[")
                        .and_then(|i| i.strip_suffix(b"]"))
                        .and_then(|i| std::str::from_utf8(i).ok()?.parse::<usize>().ok());
                    match (self.items(base), index) {
                        (Ok(items), Some(index)) if scope.is_none() && exported.is_none() => {
                            missing += u8::from(index == 0 || index > items.len());
                        }
                        _ => return self.doubt_status("a part of a list"),
                    }
                    continue;
                }
                let found = match scope {
                    None => self.get(name),
                    // What is a function's own is local to the block that it is, too.
                    Some(kind) => {
                        let is_asked = |s: &&Scope| s.kind == kind || kind == Kept::Block && s.kind == Kept::Function;
                        self.live.as_ref().and_then(|s| s.scopes.iter().rev().filter(is_asked).find_map(|s| s.vars.get(name)))
                    }
                };
                match found {
                    Some(var) if var.is_perhaps || exported.is_some() && var.exported.is_none() => {
                        return self.doubt_status("whether the name is set is not known");
                    }
                    Some(var)
                        if exported == Some(true) && var.exported != Some(true)
                            || exported == Some(false) && var.exported != Some(false) =>
                    {
                        missing += 1;
                    }
                    Some(_) => {}
                    None if self.live.as_ref().is_some_and(|s| s.open.is_some()) => {
                        return self.doubt_status("whether the name is set is not known");
                    }
                    // Some it has without anybody setting them (measured: 3.6).
                    None if scope.is_none() && exported.is_none() && is_there_by_itself(name) => {}
                    None => missing += 1,
                }
            }
            return self.set_status(missing);
        }
        let Some(Val::Known(name)) = names.first().cloned() else {
            if names.is_empty() {
                self.print(Val::unknown(self.doubt("what a command prints")));
                return self.set_status(0);
            }
            return self.fog("a variable is set whose name is not known");
        };
        if erase && unknown.is_some() {
            return self.fog("a variable is erased whose name is not known");
        }
        if erase {
            return self.erase(names, scope);
        }
        if is_locked(&name) {
            return match scope {
                None | Some(Kept::Global) => self.set_status(1),
                Some(_) => self.doubt_status("a name that fish does not let be set"),
            };
        }
        if name.contains(&b'[') && (append || prepend) {
            return self.set_status(2);
        }
        // What is exported so is begun anew, or not.
        if let (Some(at), Some(true)) = (memchr::memchr(b'[', &name), exported) {
            self.doubt_status("a part of a list that is exported");
            return self.blur(&name.slice(..at), "a part of a list that is exported");
        }
        if name.contains(&b'[') {
            let values = unknown.map_or_else(|| Ok(names.get(1..).unwrap_or_default().to_vec()), Err);
            return self.set_some(&name, scope, values, exported, is_path);
        }
        let values = names.get(1..).unwrap_or_default().to_vec();
        let mut items = match unknown {
            Some(doubt) => Err(doubt),
            None => Ok(values),
        };
        if append || prepend {
            // Whichever scope it is set in, what is seen of it is added to (measured: 3.6).
            let old = self.items(&name);
            items = match (old, items) {
                (Ok(old), Ok(new)) => Ok(match (prepend, append) {
                    (true, true) => [new.clone(), old, new].concat(),
                    (true, false) => [new, old].concat(),
                    _ => [old, new].concat(),
                }),
                (Err(doubt), _) | (_, Err(doubt)) => Err(doubt),
            };
        }
        self.put_var(&name, scope, items, exported, is_path);
    }

    /// Sets some items of a list: `set L[2] x`.
    fn set_some(
        &mut self,
        name: &[u8],
        scope: Option<Kept>,
        values: Result<Vec<Val>, Arc<Doubt>>,
        exported: Option<bool>,
        is_path: Option<bool>,
    ) {
        let (base, index) = name.split_at(memchr::memchr(b'[', name).unwrap_or(0));
        let index = index.strip_prefix(b"[").and_then(|i| i.strip_suffix(b"]"));
        let old = if scope.is_none() { self.items(base) } else { Err(self.doubt("a part of a list")) };
        // Without as many values as items nothing is set. How many those are may hang on how long the list is.
        let bounds = |length| index.and_then(|index| words::indices(index, length));
        let count = bounds(0)
            .filter(|some| some.0 <= some.1 && bounds(1000) == Some(*some))
            .map(|(from, to)| usize::try_from(to - from + 1));
        let is_fit = match (&values, count) {
            (Ok(values), Some(count)) => Some(count == Ok(values.len())),
            _ => None,
        };
        if is_fit == Some(false) {
            return self.set_status(2);
        }
        let may_be_unset = self.get(base).is_none_or(|var| var.is_perhaps);
        let items = match (old, values, index) {
            (Ok(mut old), Ok(values), Some(index)) => match words::indices(index, old.len()) {
                Some((from, _)) if from < 1 => return self.set_status(2),
                Some((from, to)) if from <= to && usize::try_from(to - from + 1) == Ok(values.len()) => {
                    for (at, value) in (from..).zip(values) {
                        let at = usize::try_from(at - 1).unwrap_or(usize::MAX);
                        if at >= 5000 {
                            return self.put_var(base, scope, Err(self.doubt("a part of a list")), exported, is_path);
                        }
                        if old.len() <= at {
                            old.resize(at + 1, Val::of(b""));
                        }
                        if let Some(item) = old.get_mut(at) {
                            *item = value;
                        }
                    }
                    Ok(old)
                }
                Some((from, to)) if from <= to => return self.set_status(2),
                _ => Err(self.doubt("a part of a list")),
            },
            (Err(doubt), ..) | (_, Err(doubt), _) => Err(doubt),
            _ => Err(self.doubt("a part of a list")),
        };
        let may_fail = items.is_err() && is_fit.is_none();
        self.put_var(base, scope, items, exported, is_path);
        if may_fail && may_be_unset {
            self.blur(base, "a part of a list");
        } else if may_fail {
            self.doubt_status("a part of a list");
        }
    }

    /// From here on nothing is known of a name, in whichever scope.
    pub(super) fn blur(&mut self, name: &[u8], why: &'static str) {
        let doubt = self.doubt(why);
        for scope in self.live.iter_mut().flat_map(|s| s.scopes.iter_mut()) {
            if let Some(var) = scope.vars.get(name).map(Cow::into_owned) {
                let var = Var { items: Err(doubt.clone()), exported: None, is_perhaps: true, ..var };
                scope.vars.insert(Bytes::copy_from_slice(name), var);
            }
        }
        self.doubt_status(why);
    }

    fn erase(&mut self, names: &[Val], scope: Option<Kept>) {
        let (mut status, mut is_doubted) = (0, false);
        for name in names {
            let Val::Known(name) = name.clone() else { return self.fog("names are erased that are not known") };
            if let Some(at) = memchr::memchr(b'[', &name) {
                match self.get(name.get(..at).unwrap_or_default()) {
                    None => status = 1,
                    Some(var) => is_doubted |= var.is_perhaps,
                }
                self.erase_some(&name, at, scope);
                continue;
            }
            if !is_name(&name) {
                return self.set_status(2);
            }
            // These stay (measured: 3.6).
            if is_locked(&name) {
                is_doubted |= scope.is_some();
                status = 2;
                continue;
            }
            // Within a function it may be that of a block, or its own.
            let is_one = matches!(scope, Some(kind) if kind != Kept::Block);
            if !is_one && self.get(&name).is_some_and(|v| v.is_perhaps) {
                self.blur(&name, "which of several variables is erased");
                is_doubted = true;
                continue;
            }
            let site = self.here();
            let Some(state) = &mut self.live else { return };
            let index = match scope {
                None => state.scopes.iter().rposition(|s| s.vars.contains(&name)),
                Some(Kept::Block) => {
                    state.scopes.iter().rposition(|s| matches!(s.kind, Kept::Block | Kept::Function) && s.vars.contains(&name))
                }
                Some(Kept::Function) => state.of_function(),
                Some(kind) => state.scopes.iter().position(|s| s.kind == kind),
            };
            match index.and_then(|i| state.scopes.get_mut(i)).filter(|s| s.vars.contains(&name)) {
                Some(scope) => {
                    is_doubted |= scope.vars.get(&name).is_some_and(|var| var.is_perhaps);
                    scope.vars.remove(&name);
                    if self.quiet == 0 && !site.path.is_empty() {
                        self.log.push(Assigned { name: name.clone(), held: None, site, around: self.around.clone() });
                    }
                }
                // A script has it, whether it was given any or not.
                None if name == "argv" => is_doubted = true,
                None => status = 4,
            }
            if name == b"fish_user_paths"[..] {
                self.reconstruct();
            }
        }
        // Names may be set by what is not followed.
        if is_doubted || status != 0 && self.live.as_ref().is_some_and(|s| s.open.is_some()) {
            return self.doubt_status("whether the name is set is not known");
        }
        self.set_status(status);
    }

    /// Takes some items out of a list: `set -e L[1]`.
    fn erase_some(&mut self, name: &[u8], at: usize, scope: Option<Kept>) {
        let (base, index) = name.split_at(at);
        let index = index.strip_prefix(b"[").and_then(|i| i.strip_suffix(b"]"));
        let old = if scope.is_none() { self.items(base) } else { Err(self.doubt("a part of a list")) };
        let items = old.and_then(|mut old| {
            let (from, to) = index.and_then(|i| words::indices(i, old.len())).ok_or_else(|| self.doubt("a part of a list"))?;
            let (from, to) = (from.min(to), from.max(to));
            let mut count = 0;
            old.retain(|_| {
                count += 1;
                !(from..=to).contains(&count)
            });
            Ok(old)
        });
        let is_perhaps = self.get(base).map(|v| v.is_perhaps);
        if is_perhaps.is_some() {
            self.put_var(base, scope, items, None, None);
        }
        if is_perhaps == Some(true) {
            self.blur(base, "a part of a list");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::super::trial::out_of_fish;

    #[test]
    fn lists_are_set_changed_and_taken_away() {
        for (text, out) in [
            ("set -gx OUT a 'b c'", "a b c"),
            ("set -l l a b; set -a l c; set -p l z; set -gx OUT $l", "z a b c"),
            ("set -l l a b c; set l[2] x; set -gx OUT $l", "a x c"),
            ("set -l l a b c; set l[-1] x; set -gx OUT $l", "a b x"),
            ("set -l l a b c; set l[1..2] x y; set -gx OUT $l", "x y c"),
            ("set -l l a b c; set l[1..2] x; set -gx OUT $l $status", "a b c 2"),
            ("set -l l a; set l[3] x; set -gx OUT (count $l)\"$l[2]\"$l[3]", "3x"),
            ("set -l l a b c; set -e l[2]; set -gx OUT $l", "a c"),
            ("set -l l a; set -e l; set -q l; set -gx OUT $status", "1"),
            ("set -g g a; set -e none; set -gx OUT $status", "4"),
            ("set -q HOME NONE OTHER; set -gx OUT $status", "2"),
            ("set -gx --path OUT /a /b; set -a OUT /c", "/a:/b:/c"),
            ("set -gx OUT a; set -u OUT", "none"),
            ("set -g OUT a; set -x OUT b", "b"),
            ("begin; set -l OUT a; end", "none"),
            ("set -gx OUT a; begin; set -l OUT b; end", "a"),
            ("function f; set OUT b; end; set -gx OUT a; f", "b"),
            ("function f; set -l OUT b; end; set -gx OUT a; f", "a"),
            ("function f -S; set l b; end; set -l l a; f; set -gx OUT $l", "b"),
            ("function f; set l b; end; set -l l a; f; set -gx OUT $l", "a"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }

    #[test]
    fn what_grows_without_end_is_not_kept() {
        for (text, out) in [
            ("set x a; for i in 1 2 3 4 5 6 7 8; set x \"$x$x$x$x\"; end; test -z \"$x\"; set -gx OUT $status", "1"),
            ("set x a; for i in 1 2 3 4 5 6 7 8 9; set x \"$x$x$x$x\"; end; set -gx OUT $x", "<unknown>"),
            ("set x a; while true; set x \"$x$x\"; end", "<open>"),
            ("set x a; while true; set -a x $x; end", "<open>"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }

    #[test]
    fn what_set_does_not_take_together_changes_nothing() {
        for (text, out) in [
            ("set -gx OUT a; set -eu OUT; set -gx OUT $OUT $status", "a 2"),
            ("set -gx OUT a; set -eq OUT; set -gx OUT $OUT $status", "a 2"),
            ("set -gx OUT a; set -xu OUT b; set -gx OUT $OUT $status", "a 2"),
            ("set -gx OUT a; set -lg OUT b; set -gx OUT $OUT $status", "a 2"),
            ("set -gx OUT a b; set -a OUT[1] c; set -gx OUT $OUT $status", "a b 2"),
            ("function f -a x; set -ql x; set -gx OUT $status; end; f a", "0"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }
}
