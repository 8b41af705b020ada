//! Where in the files each command that a shell traced stands.

use std::collections::BTreeMap;

use bytes::Bytes;
use memchr::memmem;

use super::{ABOVE, Step, is_of_a_name, line_of, mentions};
use crate::route::Site;
use crate::shell::syntax::Dialect;

/// Finding each command's place in the files.
pub(super) struct Places<'a> {
    pub(super) dialect: Option<Dialect>,
    pub(super) files: &'a [(Bytes, Bytes)],
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
    pub(super) fn of(&self, steps: &[Step]) -> Vec<Option<Site>> {
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
                // Its name and options stand in its line as they are told, and only what follows was expanded.
                let front = front(&step.text);
                let has_front = |number: &usize| lines.get(number - 1).is_some_and(|l| memmem::find(l, front).is_some());
                let on = (*last).max(1)..=lines.len();
                let found =
                    on.clone().filter(fit).find(has_front).or_else(|| on.clone().find(fit)).or_else(|| (1..*last).find(fit));
                // What is written nowhere here is done by the command that was last found.
                *last = found.unwrap_or(*last);
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

/// A command up to its first word that is no option.
fn front(command: &[u8]) -> &[u8] {
    let mut end = 0;
    for (index, word) in command.split(|b| *b == b' ').enumerate() {
        end += word.len() + usize::from(index > 0);
        if index > 0 && !word.starts_with(b"-") {
            break;
        }
    }
    command.get(..end).unwrap_or(command)
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
