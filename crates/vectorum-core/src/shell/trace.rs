//! What a real shell's own tracing says of its startup files: which line gave each variable what it
//! holds, and what each file costs.
//!
//! A shell that is started with `-x` writes, before each command, its prompt PS4 and the command. The
//! prompt asked for here holds the file and the line, as far as the shell can tell them, and the values
//! of the names that are watched, so that whatever changes one (an assignment, `read`, `eval`, a
//! function) shows as a difference between two commands. fish has no such prompt: there the `set`
//! commands that it writes under `fish_trace` are read. (Measured: bash 5.2, dash 0.5.12, zsh 5.9,
//! ksh93u+m, mksh R59, fish 3.6.)

use std::collections::BTreeMap;
use std::time::Duration;

use bytes::Bytes;
use memchr::memmem;

use super::syntax::Dialect;
use crate::route::Site;

/// How much of a command is kept.
const KEPT: usize = 1 << 16;
/// How far above a command's line its first line is looked for.
const ABOVE: usize = 20;

/// How a shell is asked to trace itself.
#[derive(Clone, Debug)]
pub struct Tracing {
    /// The shell; `None` for fish.
    dialect: Option<Dialect>,
    /// What no value holds.
    mark: Vec<u8>,
    names: Vec<Bytes>,
    /// What the names hold before the first command.
    start: Vec<Option<Bytes>>,
}

/// A command that a shell ran.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Step {
    /// The file as the shell names it; empty if it names none.
    file: Bytes,
    /// The line as the shell counts; 0 if it tells none.
    line: usize,
    /// Whether the command runs in the shell itself, and not in a subshell; `None` if it cannot be told.
    is_own: Option<bool>,
    /// How deep it is nested in files, `eval` and, in fish and zsh, functions.
    depth: usize,
    /// What the names hold before it.
    values: Vec<Option<Bytes>>,
    /// The command.
    text: Bytes,
    /// When it was seen.
    at: Duration,
}

/// A file's share of the time that a shell takes to start.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cost {
    /// The file; `None` for what no file is known for, such as what runs at the prompt.
    pub path: Option<Bytes>,
    /// What its own lines took, without the files that they run.
    pub time: Duration,
    /// Its lines, the dearest first.
    pub lines: Vec<(usize, Duration)>,
}

/// What a traced start tells.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Traced {
    /// For each name that a line gave what it holds at the end: the value and the line.
    pub set: BTreeMap<Bytes, (Option<Bytes>, Site)>,
    /// The files, the dearest first.
    pub costs: Vec<Cost>,
    /// How many commands were seen.
    pub commands: usize,
}

/// What came from a shell's terminal, and when.
pub type Chunks = [(Duration, Vec<u8>)];

impl Tracing {
    /// Watches names in a shell, each with what it is handed; `None` stands for fish. `mark` is a text that
    /// no value holds: letters and digits.
    pub fn new(dialect: Option<Dialect>, mark: &str, names: impl IntoIterator<Item = (Bytes, Option<Bytes>)>) -> Tracing {
        let is_name = |name: &Bytes| crate::reader::is_portable(name) && !matches!(&name[..], b"PS4" | b"_");
        let (names, start) = names.into_iter().filter(|(name, _)| is_name(name)).unzip();
        Tracing { dialect, mark: mark.as_bytes().to_vec(), names, start }
    }

    /// Returns the prompt that the shell is to write before each command; `None` for fish.
    pub fn prompt(&self) -> Option<Bytes> {
        let (file, line, level, depth) = match self.dialect? {
            Dialect::Bash => ("${BASH_SOURCE-}", "${LINENO-}", "${BASH_SUBSHELL-}", ""),
            Dialect::Zsh => ("%x", "%I", "${ZSH_SUBSHELL-}", "%e"),
            Dialect::Ksh => ("${.sh.file}", "${LINENO-}", "${.sh.subshell}", ""),
            Dialect::Mksh | Dialect::Dash => ("", "${LINENO-}", "", ""),
        };
        let mark = String::from_utf8_lossy(&self.mark);
        let mut out = format!("+{mark}S{file}{mark}F{line}{mark}F{level}{mark}F{depth}");
        for name in &self.names {
            let name = String::from_utf8_lossy(name);
            // A percent sign of a value must not count as zsh's own.
            out.push_str(&match self.dialect {
                Some(Dialect::Zsh) => format!("{mark}F${{${{{name}-{mark}U}}//\\%/%%}}"),
                _ => format!("{mark}F${{{name}-{mark}U}}"),
            });
        }
        out.push_str(&format!("{mark}E"));
        Some(out.into())
    }

    /// Reads what came from a shell up to the command that holds `last`. `typed` is when that was typed.
    /// `files` are those that the shell reads, in their order, with their texts.
    pub fn read(&self, chunks: &Chunks, last: &[u8], typed: Option<Duration>, files: &[(Bytes, Bytes)]) -> Traced {
        let mut steps = match self.dialect {
            None => fish_steps(chunks),
            Some(_) => self.steps(chunks),
        };
        let end = steps.iter().position(|s| memmem::find(&s.text, last).is_some());
        let end_step = end.and_then(|at| steps.get(at).cloned());
        steps.truncate(end.unwrap_or(steps.len()));
        let places = Places { dialect: self.dialect, files }.of(&steps);
        let set = match self.dialect {
            None => fish_set(&steps, &places),
            Some(_) => self.set(&steps, end_step.as_ref(), &places, files),
        };
        // Whoever waits for somebody to type costs nothing.
        let before_typing = typed.and_then(|t| chunks.iter().map(|(at, _)| *at).take_while(|at| *at < t).last());
        let end_at = match (end_step.map(|s| s.at), before_typing) {
            (Some(end), Some(typed)) => end.min(typed),
            (end, typed) => end.or(typed).or_else(|| chunks.last().map(|(at, _)| *at)).unwrap_or_default(),
        };
        Traced { set, costs: costs(&steps, &places, end_at), commands: steps.len() }
    }

    fn marked(&self, letter: u8) -> Vec<u8> {
        [&self.mark[..], &[letter]].concat()
    }

    /// Takes the commands out of what came.
    fn steps(&self, chunks: &Chunks) -> Vec<Step> {
        let text: Vec<u8> = chunks.iter().flat_map(|(_, t)| t).copied().collect();
        let times = Times::new(chunks);
        let (begin, field, unset) = (self.marked(b'S'), self.marked(b'F'), self.marked(b'U'));
        let starts: Vec<usize> = memmem::find_iter(&text, &begin).collect();
        let end = self.marked(b'E');
        let mut out: Vec<Step> = Vec::new();
        for (at, start) in starts.iter().enumerate() {
            let stop = starts.get(at + 1).copied().unwrap_or(text.len());
            let piece = text.get(start + begin.len()..stop).unwrap_or_default();
            let Some(close) = memmem::find(piece, &end) else { continue };
            let (head, command) = (piece.get(..close).unwrap_or_default(), piece.get(close + end.len()..).unwrap_or_default());
            let mut fields = Vec::new();
            let mut from = 0;
            for next in memmem::find_iter(head, &field) {
                fields.push(head.get(from..next).unwrap_or_default());
                from = next + field.len();
            }
            fields.push(head.get(from..).unwrap_or_default());
            let [file, line, level, depth, values @ ..] = &fields[..] else { continue };
            // A prompt that was not expanded tells nothing: zsh does so where a function asks for it.
            let is_whole = values.len() == self.names.len() && !values.iter().any(|v| v.starts_with(b"${${"));
            let values = if is_whole {
                values.iter().map(|v| (*v != unset).then(|| without_returns(v))).collect()
            } else {
                out.last().map_or_else(|| vec![None; self.names.len()], |s| s.values.clone())
            };
            let number = |text: &[u8]| std::str::from_utf8(text).ok().and_then(|t| t.trim().parse::<usize>().ok());
            // The plus signs before the next prompt belong to that.
            let command = command.trim_ascii_end();
            let command = if at + 1 < starts.len() {
                let plus = command.iter().rposition(|b| *b != b'+').map_or(0, |p| p + 1);
                command.get(..plus).unwrap_or_default().trim_ascii_end()
            } else {
                command
            };
            out.push(Step {
                file: Bytes::copy_from_slice(file),
                line: number(line).unwrap_or(0),
                is_own: number(level).map(|n| n == 0),
                // bash says it by the number of plus signs.
                depth: number(depth).unwrap_or_else(|| text.iter().take(*start).rev().take_while(|b| **b == b'+').count()),
                values,
                text: Bytes::copy_from_slice(command.get(..command.len().min(KEPT)).unwrap_or_default()),
                at: times.at(*start),
            });
        }
        out
    }

    /// Which command gave each name what it holds at the end.
    fn set(
        &self,
        steps: &[Step],
        end: Option<&Step>,
        places: &[Option<Site>],
        files: &[(Bytes, Bytes)],
    ) -> BTreeMap<Bytes, (Option<Bytes>, Site)> {
        let mut out = BTreeMap::new();
        // What runs in a subshell changes nothing here.
        let own: Vec<(usize, &Step)> = steps.iter().enumerate().filter(|(_, s)| s.is_own != Some(false)).collect();
        for (index, name) in self.names.iter().enumerate() {
            let value = |step: &Step| step.values.get(index).cloned().flatten();
            let mut setter: Option<usize> = None;
            let mut earlier: Vec<(Option<Bytes>, Option<usize>)> = Vec::new();
            let mut before = self.start.get(index).cloned().flatten();
            let mut ran: Option<(usize, &Step)> = None;
            for (number, step) in own.iter().copied().chain(end.map(|e| (steps.len(), e))) {
                let now = value(step);
                if now != before {
                    // dash and ksh write the prompt when the assignments of a command are done.
                    let is_done = matches!(self.dialect, Some(Dialect::Dash | Dialect::Ksh)) && assigns(&step.text, name);
                    let by = if is_done { Some((number, step)) } else { ran };
                    // Where subshells cannot be told, a value that comes back without a word is the end of one.
                    let is_named = by.is_some_and(|(_, s)| s.is_own.is_some() || mentions(&s.text, name));
                    let back = earlier.iter().rev().find(|(v, _)| *v == now).map(|(_, s)| *s);
                    earlier.push((before, setter));
                    setter = back.filter(|_| !is_named).unwrap_or(by.map(|(number, _)| number));
                    before = now;
                }
                ran = Some((number, step));
            }
            let last = end.or(own.last().map(|(_, s)| *s));
            if let (Some(number), Some(last)) = (setter, last)
                && let Some(Some(site)) = places.get(number)
            {
                out.insert(name.clone(), (value(last), first_line(site, name, files)));
            }
        }
        out
    }
}

/// When each byte of what came was seen.
struct Times(Vec<(usize, Duration)>);

impl Times {
    fn new(chunks: &Chunks) -> Times {
        let mut end = 0;
        let mut each = Vec::with_capacity(chunks.len());
        for (at, text) in chunks {
            end += text.len();
            each.push((end, *at));
        }
        Times(each)
    }

    fn at(&self, offset: usize) -> Duration {
        let chunk = self.0.partition_point(|(end, _)| *end <= offset);
        self.0.get(chunk).or(self.0.last()).map_or(Duration::ZERO, |(_, at)| *at)
    }
}

/// A terminal writes a return before each line's end.
fn without_returns(value: &[u8]) -> Bytes {
    let mut out = Vec::with_capacity(value.len());
    for (at, byte) in value.iter().enumerate() {
        if *byte != b'\r' || value.get(at + 1) != Some(&b'\n') {
            out.push(*byte);
        }
    }
    out.into()
}

fn is_of_a_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_'
}

/// Whether a text has a name in it as a word of its own.
fn mentions(text: &[u8], name: &[u8]) -> bool {
    memmem::find_iter(text, name).any(|at| {
        let before = at.checked_sub(1).and_then(|b| text.get(b));
        let after = text.get(at + name.len());
        !before.is_some_and(|b| is_of_a_name(*b)) && !after.is_some_and(|b| is_of_a_name(*b))
    })
}

/// Whether a command begins with assignments, one of them to a name.
fn assigns(text: &[u8], name: &[u8]) -> bool {
    let rest = text.strip_prefix(name).map(|r| r.strip_prefix(b"+").unwrap_or(r));
    rest.is_some_and(|r| r.starts_with(b"="))
}

fn line_of(text: &[u8], number: usize) -> Option<&[u8]> {
    text.split(|b| *b == b'\n').nth(number.checked_sub(1)?)
}

/// The line of a command that has the name, where the shell tells its last line.
fn first_line(site: &Site, name: &[u8], files: &[(Bytes, Bytes)]) -> Site {
    let text = files.iter().find(|(path, _)| *path == site.path).map(|(_, text)| text);
    let has = |number: &usize| text.and_then(|t| line_of(t, *number)).is_some_and(|l| mentions(l, name));
    let line = (site.line.saturating_sub(ABOVE)..=site.line).rev().find(has).unwrap_or(site.line);
    Site { path: site.path.clone(), line }
}

/// Finding each command's place in the files.
struct Places<'a> {
    dialect: Option<Dialect>,
    files: &'a [(Bytes, Bytes)],
}

/// A text that `eval` runs.
struct Evaluated {
    file: Bytes,
    /// Its command's line, and the one that the shell shows.
    line: usize,
    shown: usize,
    depth: usize,
    /// How many lines it has besides its first.
    more: usize,
}

impl Evaluated {
    /// Whether a command is still one of it.
    fn has(&self, step: &Step, dialect: Option<Dialect>) -> bool {
        match dialect {
            // It counts the text's lines from one.
            Some(Dialect::Ksh) => step.file != self.file || (1..=self.more + 1).contains(&step.line) && step.line < self.shown,
            _ => step.depth > self.depth,
        }
    }
}

impl Places<'_> {
    fn of(&self, steps: &[Step]) -> Vec<Option<Site>> {
        match self.dialect {
            Some(Dialect::Bash | Dialect::Zsh | Dialect::Ksh) => self.told(steps),
            Some(Dialect::Dash | Dialect::Mksh) => self.sought(steps),
            None => self.of_fish(steps),
        }
    }

    /// Returns the whole name of a file that the shell names as it was given to it.
    fn whole(&self, file: &Bytes) -> Option<Bytes> {
        if file.starts_with(b"/") {
            return Some(file.clone());
        }
        let tail = [b"/", file.strip_prefix(b"./").unwrap_or(file)].concat();
        self.files.iter().map(|(path, _)| path).find(|path| !file.is_empty() && path.ends_with(&tail)).cloned()
    }

    /// Of shells that tell the file and the line.
    fn told(&self, steps: &[Step]) -> Vec<Option<Site>> {
        let mut out: Vec<Option<Site>> = Vec::with_capacity(steps.len());
        let mut evaluated: Option<Evaluated> = None;
        // The longest text that a file evaluated, and the line of it that was last sure.
        let mut longest: BTreeMap<&Bytes, (usize, usize)> = BTreeMap::new();
        // Whether what runs is of no file, as at the prompt.
        let mut is_outside = false;
        let counted = if self.dialect == Some(Dialect::Ksh) { self.counted_by_ksh(steps) } else { Vec::new() };
        for (at, step) in steps.iter().enumerate() {
            let Some(path) = self.whole(&step.file) else {
                is_outside = true;
                out.push(None);
                continue;
            };
            if evaluated.as_ref().is_some_and(|e| !e.has(step, self.dialect)) {
                evaluated = None;
            }
            let within = evaluated.as_ref().filter(|e| e.file == step.file).map(|e| e.line);
            let (most, sure) = longest.entry(&step.file).or_default();
            let line = match within {
                Some(line) => line,
                // A function that such a text defined counts its lines from the text's first.
                None if step.line <= *most && !self.is_near(&path, step) => {
                    if is_outside {
                        out.push(None);
                        continue;
                    }
                    *sure
                }
                None => counted.get(at).copied().unwrap_or(step.line),
            };
            is_outside = false;
            *sure = line;
            if evaluated.is_none() && step.text.starts_with(b"eval ") {
                let more = memchr::memchr_iter(b'\n', &step.text).count() + memmem::find_iter(&step.text, b"\\n").count();
                *most = (*most).max(more + 1);
                evaluated = Some(Evaluated { file: step.file.clone(), line, shown: step.line, depth: step.depth, more });
            }
            out.push(Some(Site { path, line }));
        }
        out
    }

    /// Corrects ksh's lines: it counts on in a file from the line that runs it, and goes on behind that
    /// from that file's end; in functions that were read before it does not.
    fn counted_by_ksh(&self, steps: &[Step]) -> Vec<usize> {
        let mut bases: BTreeMap<&Bytes, usize> = BTreeMap::new();
        let mut running: Vec<(&Bytes, &Bytes)> = Vec::new();
        let mut last: Option<&Step> = None;
        let mut out = Vec::with_capacity(steps.len());
        for step in steps {
            if let Some(before) = last.filter(|b| b.file != step.file) {
                if is_a_dot(&before.text) {
                    bases.insert(&step.file, before.line);
                    running.push((&before.file, &step.file));
                } else if let Some((_, run)) = running.pop_if(|(caller, run)| **caller == step.file && **run == before.file) {
                    let length = self.text(run).map_or(0, |text| memchr::memchr_iter(b'\n', text).count());
                    *bases.entry(&step.file).or_default() += length;
                }
            }
            last = Some(step);
            let counted = step.line.saturating_sub(bases.get(&step.file).copied().unwrap_or(0));
            let is_at =
                |number: usize| self.text(&step.file).and_then(|t| line_of(t, number)).is_some_and(|l| fits(l, &step.text));
            out.push(if counted == 0 || !is_at(counted) && is_at(step.line) { step.line } else { counted });
        }
        out
    }

    fn text(&self, path: &[u8]) -> Option<&Bytes> {
        self.files.iter().find(|(name, _)| name == path).map(|(_, text)| text)
    }

    /// Whether a command may stand in the line that is told, or in one of the lines that it spans.
    fn is_near(&self, path: &Bytes, step: &Step) -> bool {
        let Some(text) = self.text(path) else { return true };
        let mut lines = text.split(|b| *b == b'\n').skip(step.line.saturating_sub(ABOVE)).take(ABOVE.min(step.line));
        lines.any(|l| fits(l, &step.text))
    }

    /// Of shells that do not tell the file: each command is looked for in the texts.
    fn sought(&self, steps: &[Step]) -> Vec<Option<Site>> {
        let lines: Vec<Vec<&[u8]>> = self.files.iter().map(|(_, t)| t.split(|b| *b == b'\n').collect()).collect();
        let mut out = Vec::with_capacity(steps.len());
        // The files that are being run, the innermost last, each with the line that was last found.
        let mut open: Vec<(usize, usize)> = Vec::new();
        let mut begun = vec![false; self.files.len()];
        for step in steps {
            let wanted = &step.text;
            let find = |file: usize, from: usize| -> Option<usize> {
                let lines = lines.get(file)?;
                if step.line > 0 && self.dialect == Some(Dialect::Mksh) {
                    return lines.get(step.line - 1).filter(|l| fits(l, wanted)).map(|_| step.line);
                }
                let fit = |number: &usize| lines.get(number - 1).is_some_and(|l| fits(l, wanted));
                (from.max(1)..=lines.len()).find(fit).or_else(|| (1..from.max(1)).find(fit))
            };
            let mut found = None;
            while let Some((file, line)) = open.last().copied() {
                if let Some(line) = find(file, line) {
                    found = Some((file, line));
                    break;
                }
                // Further out, or in the next file; if nowhere, then nothing is closed.
                let outer = open.iter().rev().skip(1).any(|(f, l)| find(*f, *l).is_some());
                let next = (0..self.files.len()).find(|f| !begun.get(*f).copied().unwrap_or(true) && find(*f, 1).is_some());
                if !outer && next.is_none() {
                    found = Some((file, line));
                    break;
                }
                open.pop();
            }
            if found.is_none() {
                found = (0..self.files.len())
                    .filter(|f| !begun.get(*f).copied().unwrap_or(true))
                    .find_map(|f| find(f, 1).map(|l| (f, l)));
            }
            if let Some((file, line)) = found {
                if let Some(flag) = begun.get_mut(file) {
                    *flag = true;
                }
                match open.last_mut() {
                    Some(last) if last.0 == file => last.1 = line,
                    _ => open.push((file, line)),
                }
            }
            out.push(found.and_then(|(file, line)| self.files.get(file).map(|(path, _)| Site { path: path.clone(), line })));
            // A file that this command runs is looked at first.
            if is_a_dot(&step.text) {
                let path = step.text.splitn(2, |b| *b == b' ').nth(1).map(|p| unquoted(p.trim_ascii()));
                if let Some(file) = path.and_then(|p| self.files.iter().position(|(name, _)| name[..] == p[..])) {
                    open.push((file, 1));
                    if let Some(flag) = begun.get_mut(file) {
                        *flag = true;
                    }
                }
            }
        }
        out
    }
}

impl Places<'_> {
    /// Of fish, which tells how deep each command is: the file that runs is the innermost one around it.
    fn of_fish(&self, steps: &[Step]) -> Vec<Option<Site>> {
        // Each file with the depth of the command that runs it, and the line that was last found.
        let mut open: Vec<(usize, &Bytes, Vec<&[u8]>, usize)> = Vec::new();
        let mut out = Vec::with_capacity(steps.len());
        for step in steps {
            while open.last().is_some_and(|(depth, ..)| step.depth <= *depth) {
                open.pop();
            }
            out.push(open.last_mut().map(|(_, path, lines, last)| {
                let fit = |number: &usize| lines.get(number - 1).is_some_and(|l| fits(l, &step.text));
                // What is written nowhere here is done by the command that was last found.
                *last = ((*last).max(1)..=lines.len()).find(fit).or_else(|| (1..*last).find(fit)).unwrap_or(*last);
                Site { path: path.clone(), line: *last }
            }));
            let path = step.text.strip_prefix(b"source ").map(unquoted);
            if let Some((path, text)) = path.and_then(|p| self.files.iter().find(|(name, _)| name[..] == p[..])) {
                open.push((step.depth, path, text.split(|b| *b == b'\n').collect(), 1));
            }
        }
        out
    }
}

fn is_a_dot(text: &[u8]) -> bool {
    text.starts_with(b". ") || text.starts_with(b"source ")
}

fn unquoted(word: &[u8]) -> Vec<u8> {
    word.iter().copied().filter(|b| !matches!(b, b'\'' | b'"' | b'\\')).collect()
}

/// Whether a command may be one of a line's own: the line has the name that it assigns to with its sign,
/// or the command's name and, where that declares something, the name that it declares.
fn fits(line: &[u8], command: &[u8]) -> bool {
    let mut words = command.split(|b| b.is_ascii_whitespace()).filter(|w| !w.is_empty());
    let first = words.next().unwrap_or_default();
    if first.is_empty() || line.trim_ascii_start().starts_with(b"#") {
        return false;
    }
    if let Some(at) = memchr::memchr(b'=', first).filter(|at| *at > 0)
        && first.iter().take(at).all(|b| is_of_a_name(*b) || *b == b'+')
    {
        return memmem::find(line, first.get(..=at).unwrap_or(first)).is_some();
    }
    let declares: [&[u8]; 8] = [b"export", b"readonly", b"declare", b"typeset", b"local", b"unset", b"read", b"set"];
    let declared = words.find(|w| !w.starts_with(b"-")).filter(|_| declares.contains(&first));
    let name = declared.map(|w| w.split(|b| !is_of_a_name(*b)).next().unwrap_or_default()).unwrap_or_default();
    memmem::find(line, first).is_some() && (name.is_empty() || mentions(line, name))
}

/// What each file and line took.
fn costs(steps: &[Step], places: &[Option<Site>], end: Duration) -> Vec<Cost> {
    let mut files: BTreeMap<Option<Bytes>, BTreeMap<usize, Duration>> = BTreeMap::new();
    for (at, (step, place)) in steps.iter().zip(places).enumerate() {
        let until = steps.get(at + 1).map_or(end, |next| next.at.min(end));
        let lines = files.entry(place.as_ref().map(|p| p.path.clone())).or_default();
        *lines.entry(place.as_ref().map_or(0, |p| p.line)).or_default() += until.saturating_sub(step.at);
    }
    let mut out: Vec<Cost> = files
        .into_iter()
        .map(|(path, lines)| {
            let mut lines: Vec<(usize, Duration)> = lines.into_iter().collect();
            lines.sort_by_key(|(line, time)| (std::cmp::Reverse(*time), *line));
            Cost { path, time: lines.iter().map(|(_, t)| *t).sum(), lines }
        })
        .collect();
    out.sort_by(|a, b| b.time.cmp(&a.time).then_with(|| a.path.cmp(&b.path)));
    out
}

/// Takes fish's commands out of what came: each begins with dashes that tell how deep it is, and a `>`.
fn fish_steps(chunks: &Chunks) -> Vec<Step> {
    let text: Vec<u8> = chunks.iter().flat_map(|(_, t)| t).copied().collect();
    let times = Times::new(chunks);
    let mut out = Vec::new();
    let mut offset = 0;
    for line in text.split(|b| *b == b'\n') {
        let depth = line.iter().take_while(|b| **b == b'-').count();
        if let Some(command) = line.get(depth..).and_then(|rest| rest.strip_prefix(b"> ")) {
            out.push(Step {
                file: Bytes::new(),
                line: 0,
                is_own: Some(true),
                depth,
                values: Vec::new(),
                text: Bytes::copy_from_slice(command.trim_ascii_end()),
                at: times.at(offset),
            });
        }
        offset += line.len() + 1;
    }
    out
}

/// fish's commands that set a name for all that it starts.
fn fish_set(steps: &[Step], places: &[Option<Site>]) -> BTreeMap<Bytes, (Option<Bytes>, Site)> {
    let mut out = BTreeMap::new();
    for (step, place) in steps.iter().zip(places) {
        let words: Vec<&[u8]> = step.text.split(|b| *b == b' ').filter(|w| !w.is_empty()).collect();
        let [b"set", rest @ ..] = &words[..] else { continue };
        let options: Vec<u8> = rest.iter().take_while(|w| w.starts_with(b"-")).flat_map(|w| w.iter().copied()).collect();
        let name = rest.iter().find(|w| !w.starts_with(b"-"));
        let (Some(name), Some(place)) = (name, place) else { continue };
        if options.iter().any(|b| matches!(b, b'q' | b'e' | b'n' | b'S' | b'l')) {
            continue;
        }
        // The list that PATH begins with.
        let name: &[u8] = if *name == b"fish_user_paths" { b"PATH" } else { name };
        let name = name.split(|b| *b == b'[').next().unwrap_or(name);
        out.insert(Bytes::copy_from_slice(name), (None, place.clone()));
    }
    out
}
