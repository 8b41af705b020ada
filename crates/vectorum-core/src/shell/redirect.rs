//! Redirections: whether files can be opened, and what a command reads and writes there.

use bytes::Bytes;

use super::machine::{Boundary, Machine};
use super::syntax::*;
use super::value::Maybe;
use crate::host_view;

impl Machine<'_> {
    /// Opens redirections: whether that succeeds.
    pub(super) fn redirected(&mut self, redirects: &[Redirect]) -> Maybe {
        let mut answer = Ok(true);
        for redirect in redirects {
            match &redirect.operator[..] {
                b"<<" | b"<<-" => {
                    // What cannot be put together is not read, and the command not run.
                    let is_odd = |p: &Part| matches!(p, Part::Document(text) if !matches!(text.get(), Some(Ok(_))));
                    if redirect.word.parts.iter().any(is_odd) {
                        self.fail_perhaps("the text of a here-document");
                        answer = Err(self.doubt("the text of a here-document"));
                    }
                    continue;
                }
                b"<<<" | b">&" | b"<&" => continue,
                // What is read of commands beside the shell can be opened.
                b"<" if matches!(&redirect.word.parts[..], [Part::Channel(_)]) => continue,
                operator => {
                    let Ok(path) = self.one_word(&redirect.word) else { continue };
                    let Some(path) = path.known().cloned() else {
                        answer = Err(self.doubt("a file is opened whose name is not known"));
                        continue;
                    };
                    if path == b"/dev/null"[..]
                        || path.starts_with(b"/dev/fd/")
                        || matches!(&path[..], b"/dev/stderr" | b"/dev/stdout" | b"/dev/tty")
                    {
                        continue;
                    }
                    let full = self.full(&path);
                    if operator == b"<" {
                        let Some(full) = full else { continue };
                        match self.content(&full) {
                            host_view::Content::Bytes(_) => {}
                            host_view::Content::Missing => return Ok(false),
                            host_view::Content::Denied => answer = Err(self.doubt("a file is opened that may not be read")),
                        }
                    } else {
                        match full {
                            Some(full) => self.touched.touch(&full),
                            None => answer = Err(self.doubt("a file is opened whose name is not known")),
                        }
                        if answer == Ok(true) {
                            answer = Err(self.doubt("whether a file can be written is not known"));
                        }
                    }
                }
            }
        }
        answer
    }

    pub(super) fn run_kind(&mut self, command: &Command) {
        if command.redirects.is_empty() {
            return self.run_bare(command);
        }
        let reads = command.redirects.iter().rev().find(|r| matches!(&r.operator[..], b"<" | b"<<" | b"<<-" | b"<<<"));
        let outer_input = self.live.as_ref().map(|s| s.input.clone());
        if let Some(redirect) = reads {
            let text = match &redirect.operator[..] {
                b"<<<" => {
                    self.one_word(&redirect.word).ok().and_then(|v| v.known().map(|b| Bytes::from([&b[..], b"\n"].concat())))
                }
                b"<" => match &redirect.word.parts[..] {
                    [Part::Channel(commands)] => self.printed_beside(commands).known().filter(|text| !text.contains(&0)).cloned(),
                    _ => {
                        let path = self.one_word(&redirect.word).ok().and_then(|v| v.known().cloned());
                        let full = path.and_then(|p| self.full(&p));
                        full.filter(|f| !self.touched.is_touched(f)).and_then(|f| match self.content(&f) {
                            host_view::Content::Bytes(text) => Some(text),
                            _ if f == b"/dev/null"[..] => Some(Bytes::new()),
                            _ => None,
                        })
                    }
                },
                _ => match self.one_word(&redirect.word) {
                    Ok(text) => text.known().cloned(),
                    Err(_) => None,
                },
            };
            if let Some(state) = &mut self.live {
                state.input = text.map(|t| (t, 0));
            }
        }
        // What is written elsewhere is not taken up.
        let sink = self.live.as_ref().and_then(|s| s.output.clone());
        let is_away = command.redirects.iter().any(|r| {
            matches!(r.operator.first(), Some(b'>' | b'&')) && (r.from.is_empty() || r.from == b"1") && r.operator != b">&"
                || r.operator == b">&" && (r.from.is_empty() || r.from == b"1") && r.word.literal() != Some(b"1")
        });
        // There an error within gives up no more than this.
        let is_whole = match &command.kind {
            Kind::Simple(_, words) => words.first().and_then(Word::literal).is_some_and(|name| self.is_function(name)),
            _ => true,
        };
        let is_whole = is_whole && self.dialect == Dialect::Ksh;
        if is_whole {
            self.enter(Boundary::Redirected);
        }
        self.run_bare(command);
        if is_whole {
            self.end();
        }
        if let Some(state) = &mut self.live {
            if is_away {
                state.output = sink;
            }
            if reads.is_some() {
                state.input = outer_input.flatten();
            }
        }
    }
}
