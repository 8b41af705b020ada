//! What a command reads: a line into variables, lines into a list, a file alone.

use std::sync::Arc;

use bytes::Bytes;

use super::machine::Machine;
use super::state::Content;
use super::syntax::*;
use super::value::Val;

impl Machine<'_> {
    pub(super) fn read_line(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("a variable is set whose name is not known") };
        let mut names = Vec::new();
        let (mut is_raw, mut is_odd, mut is_list, mut may_be_list) = (false, false, false, false);
        let mut delimiter = b'\n';
        let mut words = words.iter();
        while let Some(word) = words.next() {
            match &word[..] {
                // Up to a NUL, which no such text has.
                b"-d" if self.dialect == Dialect::Zsh && words.as_slice().first().is_some_and(Bytes::is_empty) => {
                    delimiter = 0;
                    words.next();
                }
                b"-r" => is_raw = true,
                b"--" if names.is_empty() => {}
                option if option.starts_with(b"-") && names.is_empty() && self.dialect == Dialect::Bash => {
                    let letters = option.get(1..).unwrap_or_default();
                    for (index, letter) in letters.iter().enumerate() {
                        match letter {
                            b'r' => is_raw = true,
                            b'a' => is_list = true,
                            b'e' | b's' => {}
                            b'd' | b'i' | b'n' | b'N' | b'p' | b't' | b'u' => {
                                let rest = Bytes::copy_from_slice(letters.get(index + 1..).unwrap_or_default());
                                let given = if rest.is_empty() { words.next().cloned().unwrap_or_default() } else { rest };
                                match letter {
                                    b'd' => delimiter = given.first().copied().unwrap_or(0),
                                    // A prompt, and a text to begin with, are for who types.
                                    b'p' | b'i' => {}
                                    b't' => is_odd |= given.iter().all(|b| b"0.".contains(b)),
                                    _ => is_odd = true,
                                }
                                break;
                            }
                            _ => is_odd = true,
                        }
                    }
                }
                option if option.starts_with(b"-") && names.is_empty() => {
                    is_odd = true;
                    may_be_list |= option.iter().any(|b| b"aA".contains(b));
                }
                name => {
                    // What stands behind a question mark is asked at a terminal.
                    let asks = names.is_empty() && matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh);
                    let end = memchr::memchr(b'?', name).filter(|_| asks).unwrap_or(name.len());
                    names.push(Bytes::copy_from_slice(name.get(..end).unwrap_or_default()));
                }
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
                let value = Val::Unknown(doubt.clone());
                // A key that is pressed, which nobody may do.
                let may_stay = may_be_list || is_odd && self.dialect == Dialect::Zsh;
                let content = if may_stay { Content::Perhaps(value) } else { Content::Set(value) };
                if !self.set_by_command(&name, content) {
                    return;
                }
                if is_list || is_odd {
                    self.note_may_be_list(&name);
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
                Content::Array(Arc::new(values))
            } else {
                Content::Set(Val::Unknown(self.doubt("a line that is read in another way")))
            };
            if !self.set_by_command(&name, content) {
                return;
            }
            if !is_simple {
                self.note_may_be_list(&name);
            }
        } else {
            // What a line that goes on leaves for them is not known either.
            let odd = self.doubt("a line that is read in another way");
            let rest = if is_simple { Val::of(b"") } else { Val::Unknown(odd) };
            for (index, name) in names.iter().enumerate() {
                if !self.set_by_command(name, Content::Set(values.get(index).unwrap_or(&rest).clone())) {
                    return;
                }
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
        let full = path.and_then(|p| self.full(&p)).filter(|f| !self.touched.is_touched(f));
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
    pub(super) fn map_file(&mut self, known: Option<&[Bytes]>) {
        let (name, is_trimmed) = match known {
            Some([option, name]) if option == "-t" => (name.clone(), true),
            Some([name]) if !name.starts_with(b"-") => (name.clone(), false),
            Some([.., name])
                if crate::reader::is_portable(name) && !known.is_some_and(|k| k.iter().any(|w| w.starts_with(b"-C"))) =>
            {
                return self.read_somehow(name);
            }
            _ => return self.fog("a list is read in a way that is not followed"),
        };
        let input = self.live.as_mut().and_then(|s| s.input.take());
        let content = match input {
            Some((text, at)) => {
                let rest = text.slice(at..);
                let lines = rest.split_inclusive(|b| *b == b'\n');
                let line = |l: &[u8]| Val::of(if is_trimmed { l.strip_suffix(b"\n").unwrap_or(l) } else { l });
                Content::Array(Arc::new(lines.map(line).collect()))
            }
            None => return self.read_somehow(&name),
        };
        self.set_status(0);
        self.set_by_command(&name, content);
    }

    /// A list is read of which nothing is known.
    fn read_somehow(&mut self, name: &[u8]) {
        match std::str::from_utf8(name) {
            Ok(name) => self.may_set("a list is read that is not known", &[], &[name]),
            Err(_) => self.fog("a list is read that is not known"),
        }
        self.doubt_status(self.doubt("a list is read that is not known"));
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
        if rest.first().is_some_and(|b| separators.contains(b)) {
            rest = trimmed(rest.get(1..).unwrap_or_default());
        }
    }
    out
}
