//! What a real shell's own tracing says of its startup files: which line gave each variable what it
//! holds, and what each file costs.
//!
//! A shell that is started with `-x` writes, before each command, its prompt PS4 and the command. The
//! prompt asked for here holds the file and the line, as far as the shell can tell them, and the values
//! of the names that are watched, so that whatever changes one (an assignment, `read`, `eval`, a
//! function) shows as a difference between two commands. fish has no such prompt: there the `set`
//! commands that it writes under `fish_trace` are read. (Measured: bash 5.2, dash 0.5.12, zsh 5.9,
//! ksh93u+m, mksh R59, fish 3.6.)

mod places;

use std::collections::BTreeMap;
use std::time::Duration;

use bytes::Bytes;
use memchr::memmem;

use self::places::Places;
use super::fish::set_beyond;
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
        let words: Vec<Bytes> =
            step.text.split(|b| *b == b' ').filter(|w| !w.is_empty()).map(|w| step.text.slice_ref(w)).collect();
        let [command, rest @ ..] = &words[..] else { continue };
        let name = if command == "set" { set_beyond(rest) } else { None };
        let (Some(name), Some(place)) = (name, place) else { continue };
        // The list that PATH begins with.
        let name = if name == "fish_user_paths" { Bytes::from_static(b"PATH") } else { name };
        out.insert(name, (None, place.clone()));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a shell writes before a command: as told by its prompt.
    fn prompt(plus: &str, file: &str, line: &str, level: &str, depth: &str, values: &[&str]) -> String {
        let values: String = values.iter().map(|v| format!("m1F{v}")).collect();
        format!("{plus}m1S{file}m1F{line}m1F{level}m1F{depth}{values}m1E")
    }

    fn named(names: &[(&str, Option<&str>)]) -> Vec<(Bytes, Option<Bytes>)> {
        names.iter().map(|(n, v)| (Bytes::from((*n).to_owned()), v.map(|v| Bytes::from(v.to_owned())))).collect()
    }

    fn told(traced: &Traced) -> Vec<(&str, Option<&str>, String)> {
        let text = |b: &Bytes| std::str::from_utf8(b).expect("text").to_owned().leak() as &str;
        let line = |s: &Site| format!("{}:{}", text(&s.path), s.line);
        traced.set.iter().map(|(n, (v, site))| (text(n), v.as_ref().map(text), line(site))).collect()
    }

    fn file(path: &str, text: &str) -> (Bytes, Bytes) {
        (path.to_owned().into(), text.to_owned().into())
    }

    fn at(millis: u64, text: impl Into<Vec<u8>>) -> (Duration, Vec<u8>) {
        (Duration::from_millis(millis), text.into())
    }

    #[test]
    fn a_difference_between_two_prompts_has_its_line() {
        let names = named(&[("PIER", Some("4")), ("TIDE", None), ("GATE", None)]);
        let tracing = Tracing::new(Some(Dialect::Bash), "m1", names);
        let asked = tracing.prompt().expect("a prompt");
        assert!(asked.starts_with(b"+m1S${BASH_SOURCE-}m1F${LINENO-}") && asked.ends_with(b"m1F${GATE-m1U}m1E"));
        let rc = "f() { TIDE=high; }\nPIER=4\nf\nGATE=$(echo\n)\n";
        let (unset, p) = ("m1U", prompt);
        let stream = [
            p("+", "/rc", "2", "0", "", &["4", unset, unset]) + "PIER=4\r\n",
            p("+", "/rc", "3", "0", "", &["4", unset, unset]) + "f\r\n",
            p("++", "/rc", "1", "0", "", &["4", unset, unset]) + "TIDE=high\r\n",
            p("+++", "/rc", "4", "1", "", &["5", "low", "x"]) + "echo\r\n",
            p("+", "/rc", "5", "0", "", &["4", "high", unset]) + "GATE=a\\ b\r\n",
            p("+", "", "7", "0", "", &["4", "high", "a\r\nb"]) + "env LAST\r\n",
        ];
        let chunks: Vec<_> = stream.iter().enumerate().map(|(n, s)| at(n as u64 * 10, s.as_bytes())).collect();
        let traced = tracing.read(&chunks, b"LAST", None, &[file("/rc", rc)]);
        // What a subshell holds says nothing; a command over two lines is told by its first.
        assert_eq!(told(&traced), [("GATE", Some("a\nb"), "/rc:4".to_owned()), ("TIDE", Some("high"), "/rc:1".to_owned())]);
        assert_eq!(traced.commands, 5);
        let [cost] = &traced.costs[..] else { panic!("{:?}", traced.costs) };
        assert_eq!((cost.path.as_deref(), cost.time), (Some(&b"/rc"[..]), Duration::from_millis(50)));
        assert_eq!(cost.lines.iter().map(|(_, t)| *t).sum::<Duration>(), cost.time);
    }

    #[test]
    fn a_shell_that_names_no_file_is_looked_for_in_the_texts() {
        let tracing = Tracing::new(Some(Dialect::Dash), "m1", named(&[("PIER", None)]));
        let stream = [
            prompt("+", "", "1", "", "", &["m1U"]) + "[ -r /b ]\n",
            prompt("+", "", "2", "", "", &["m1U"]) + ". /b\n",
            prompt("+", "", "1", "", "", &["four"]) + "PIER=four\n",
            prompt("+", "", "9", "", "", &["four"]) + "LAST\n",
        ]
        .concat();
        let files = [file("/a", "[ -r /b ] &&\n. /b\n"), file("/b", "PIER=four\n")];
        let traced = tracing.read(&[at(1, stream)], b"LAST", None, &files);
        assert_eq!(told(&traced), [("PIER", Some("four"), "/b:1".to_owned())]);
    }

    #[test]
    fn fish_is_read_by_its_set_commands() {
        let tracing = Tracing::new(None, "m1", named(&[("PIER", None), ("TIDE", None), ("GATE", None), ("PATH", None)]));
        assert_eq!(tracing.prompt(), None);
        let config = "set --global --export PIER 4\nset -l TIDE low\nset -q GATE\nset -gx GATE[2] x\nset -U fish_user_paths /b\n";
        let stream = "> source /c/config.fish\n-> set --global --export PIER 4\n-> set -l TIDE low\n-> set -q GATE\n-> set -gx GATE[2] x\n-> set -U fish_user_paths /b\n> LAST\n";
        let traced = tracing.read(&[at(3, stream)], b"LAST", None, &[file("/c/config.fish", config)]);
        let lines: Vec<_> = told(&traced).into_iter().map(|(n, _, line)| (n, line)).collect();
        let so = |n: usize| format!("/c/config.fish:{n}");
        assert_eq!(lines, [("GATE", so(4)), ("PATH", so(5)), ("PIER", so(1))]);
    }

    #[test]
    fn a_stream_of_anything_is_read_without_harm() {
        for dialect in [Some(Dialect::Bash), Some(Dialect::Mksh), None] {
            let tracing = Tracing::new(dialect, "m1", named(&[("PIER", None)]));
            for text in [&b""[..], b"m1S", b"m1Sm1E", b"m1Sam1Fm1Fm1Fm1E\xff", b"m1Sa\nm1F9m1F0m1F1m1Fvm1Ex", b"----> ", b"> set"]
            {
                let traced = tracing.read(&[at(0, text)], b"LAST", Some(Duration::ZERO), &[]);
                assert!(traced.set.is_empty(), "{text:?}");
            }
        }
    }
}
