//! What a command reads: a line into variables, lines into a list, a file alone.

use std::sync::Arc;

use bytes::Bytes;

use super::attributes::Attributes;
use super::content::Content;
use super::machine::Machine;
use super::syntax::*;
use super::value::Val;

/// What `read` is asked for.
#[derive(Debug, Default, PartialEq, Eq)]
struct Asked {
    names: Vec<Bytes>,
    /// Whether a backslash stands for itself.
    is_raw: bool,
    /// Whether it reads in a way that is not followed.
    is_odd: bool,
    /// Whether the words become a list.
    is_list: bool,
    may_be_list: bool,
    /// Whether a letter lacks what is to stand behind it.
    lacks_word: bool,
    delimiter: u8,
}

impl Asked {
    fn of(words: &[Bytes], dialect: Dialect) -> Asked {
        let mut asked = Asked { delimiter: b'\n', ..Asked::default() };
        let mut words = words.iter();
        let mut are_done = false;
        while let Some(word) = words.next() {
            // By itself it is a name that is none, or ends options.
            let is_option = word.starts_with(b"-") && word.len() > 1 && asked.names.is_empty() && !are_done;
            match &word[..] {
                // Up to a NUL, which no such text has.
                b"-d" if dialect == Dialect::Zsh && words.as_slice().first().is_some_and(Bytes::is_empty) => {
                    asked.delimiter = 0;
                    words.next();
                }
                b"--" if is_option => are_done = true,
                b"-" if dialect == Dialect::Zsh && asked.names.is_empty() && !are_done => are_done = true,
                b"-r" if is_option => asked.is_raw = true,
                _ if is_option && dialect == Dialect::Bash => asked.letters(word, &mut words),
                option if is_option => {
                    asked.is_odd = true;
                    asked.may_be_list |= option.iter().any(|b| b"aA".contains(b));
                }
                name => {
                    // What stands behind a question mark is asked at a terminal.
                    let asks = asked.names.is_empty() && matches!(dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh);
                    let end = memchr::memchr(b'?', name).filter(|_| asks).unwrap_or(name.len());
                    asked.names.push(word.slice(..end));
                }
            }
        }
        asked
    }

    /// Letters of bash's, of which some take the rest of their word, or the next one.
    fn letters(&mut self, word: &Bytes, words: &mut std::slice::Iter<'_, Bytes>) {
        for (index, letter) in word.iter().enumerate().skip(1) {
            match letter {
                b'r' => self.is_raw = true,
                b'a' => {
                    self.is_list = true;
                    let rest = word.slice(index + 1..);
                    let name = if rest.is_empty() { words.next().cloned() } else { Some(rest) };
                    self.lacks_word |= name.is_none();
                    self.names.extend(name);
                    return;
                }
                b'e' | b's' => {}
                b'd' | b'i' | b'n' | b'N' | b'p' | b't' | b'u' => {
                    let rest = word.slice(index + 1..);
                    let given = if rest.is_empty() { words.next().cloned() } else { Some(rest) };
                    self.lacks_word |= given.is_none();
                    let given = given.unwrap_or_default();
                    match letter {
                        b'd' => self.delimiter = given.first().copied().unwrap_or(0),
                        // A prompt, and a text to begin with, are for who types.
                        b'p' | b'i' => {}
                        b't' if !given.iter().all(|b| b.is_ascii_digit() || *b == b'.') => self.lacks_word = true,
                        b't' => self.is_odd |= given.iter().all(|b| b"0.".contains(b)),
                        _ => self.is_odd = true,
                    }
                    return;
                }
                _ => self.is_odd = true,
            }
        }
    }
}

impl Machine<'_> {
    /// A word of a command that reads may be a name to it, or begin with one.
    fn may_be_read(&mut self, word: &[u8]) {
        if crate::reader::is_portable(word) && !self.is_readonly(word) {
            let doubt = self.doubt("what is read is not known");
            self.assign(word, Content::Perhaps(Val::unknown(doubt)), None);
            self.note_may_be_list(word);
        } else {
            self.doubt_beginning(word);
        }
    }

    pub(super) fn read_line(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.fog("a variable is set whose name is not known") };
        let Asked { mut names, is_raw, is_odd, is_list, may_be_list, lacks_word, delimiter } = Asked::of(words, self.dialect);
        if lacks_word {
            return self.misused();
        }
        // It is set up to the sign that ends the name, or not (measured: dash 0.5.12, 93u+m, R59).
        let is_rich = self.dialect.is_rich();
        let is_item = |name: &Bytes| name.contains(&b'[') && is_rich;
        if matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh)
            && names.iter().any(|name| !crate::reader::is_portable(name) && !is_item(name))
        {
            names.iter().for_each(|name| self.may_be_read(name));
            if let Some(state) = &mut self.live {
                state.input = None;
            }
            return self.misused();
        }
        // Words of options may be names to it, and what is none is an error; positional parameters are set by numbers.
        if self.dialect == Dialect::Zsh && names.iter().any(|name| !crate::reader::is_portable(name)) {
            let doubt = self.doubt("what is read into what is no name");
            self.fail_or_go_on(&doubt);
            if let Some(state) = &mut self.live {
                state.positional = Err(doubt);
            }
        }
        let is_taken = |name: &Bytes| crate::reader::is_portable(name) || is_item(name);
        if self.dialect == Dialect::Zsh && names.iter().any(|name| name.iter().all(u8::is_ascii_digit)) {
            names.iter().for_each(|name| self.may_be_read(name));
            if let Some(state) = &mut self.live {
                state.input = None;
            }
            return self.doubt_status(self.doubt("what is read into what is no name"));
        }
        // Behind a list no other name counts there, but the first is to be one.
        if is_list && !names.get(1).is_none_or(is_taken) {
            self.doubt_beginning(&names.swap_remove(0));
            return self.doubt_status(self.doubt("what is read into what is no name"));
        }
        if is_list {
            names.truncate(1);
        }
        // It may print what it reads.
        if is_odd && self.dialect == Dialect::Zsh {
            self.print(Val::unknown(self.doubt("what is read is not known")));
        }
        // With a number such a word is no option there, and no name.
        let is_no_name = |word: &Bytes| matches!(&word[..], [b'-', digit, ..] if digit.is_ascii_digit());
        if self.dialect == Dialect::Zsh && words.first().is_some_and(is_no_name) {
            return self.fail_hard();
        }
        let is_whole = names.is_empty();
        if is_whole && !is_odd && self.dialect == Dialect::Dash {
            return self.set_status(2);
        }
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
                let value = Val::unknown(doubt.clone());
                // A key that is pressed, which nobody may do, or words that it does not take.
                let may_stay = may_be_list || is_odd;
                let content = if may_stay { Content::Perhaps(value) } else { Content::Set(value) };
                if name.contains(&b'[') {
                    self.doubt_beginning(&name);
                }
                // Words of options may be among them.
                if is_odd && !crate::reader::is_portable(&name) {
                    // Or numbers of parameters.
                    if let (true, Some(state)) = (self.dialect == Dialect::Zsh, &mut self.live) {
                        state.positional = Err(doubt.clone());
                    }
                    continue;
                }
                // It may be told not to read into it.
                if is_odd && self.is_readonly(&name) {
                    self.fail_or_go_on(&doubt);
                    continue;
                }
                let is_set = self.set_by_command(&name, content);
                // There those behind it are set all the same.
                if !is_set && self.dialect != Dialect::Ksh {
                    return;
                }
                if is_list || is_odd {
                    self.note_may_be_list(&name);
                }
                // There they are the numbers of its letters, and the name is one for numbers (measured: R59).
                if may_be_list && self.dialect == Dialect::Mksh {
                    self.mark_odd(&name, Attributes { is_number: true, is_odd: true, ..Attributes::default() });
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
                _ => Val::unknown(self.doubt("a line that is read in another way")),
            })
            .collect();
        if is_list {
            let name = names.first().cloned().unwrap_or_default();
            let content = if is_simple {
                Content::Array(Arc::new(values))
            } else {
                Content::Set(Val::unknown(self.doubt("a line that is read in another way")))
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
            let rest = if is_simple { Val::of(b"") } else { Val::unknown(odd) };
            for (index, name) in names.iter().enumerate() {
                if !self.set_by_command(name, Content::Set(values.get(index).unwrap_or(&rest).clone())) {
                    if self.dialect == Dialect::Ksh {
                        names.iter().skip(index + 1).for_each(|name| self.doubt_from_here(name));
                    }
                    return;
                }
            }
        }
        // Behind a line that goes on there may be none.
        match !is_raw && line.ends_with(b"\\") {
            true => self.doubt_status(self.doubt("a line that is read in another way")),
            false => self.set_status(u8::from(end.is_none())),
        }
    }

    /// What `$(< FILE)` brings: `None` where the commands are others.
    pub(super) fn file_alone(&mut self, list: &List) -> Option<Val> {
        let [item] = &list.items[..] else { return None };
        let (false, true, [command]) = (item.is_background, item.rest.is_empty(), &item.first.commands[..]) else { return None };
        let ([redirect], Kind::Simple(assignments, words)) = (&command.redirects[..], &command.kind) else { return None };
        if redirect.operator != b"<" || !assignments.is_empty() || !words.is_empty() || self.dialect == Dialect::Dash {
            return None;
        }
        let full =
            self.file_named(&redirect.word).one().and_then(|path| self.full(&path)).filter(|f| !self.touched.is_touched(f));
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
                Val::unknown(doubt)
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_read_is_asked_for_stands_in_its_words() {
        // Its names with bars between them, and what else it is asked for.
        for (dialect, words, names, asked) in [
            (Dialect::Bash, "A B", "A|B", ""),
            (Dialect::Bash, "-r A", "A", "raw"),
            (Dialect::Bash, "-rp prompt A", "A", "raw"),
            (Dialect::Bash, "-pprompt A", "A", ""),
            (Dialect::Bash, "-t 5 -s A", "A", ""),
            (Dialect::Bash, "-t 0 A", "A", "odd"),
            (Dialect::Bash, "-ra L", "L", "raw list"),
            (Dialect::Bash, "-d : A", "A", "to 58"),
            (Dialect::Bash, "-d  A", "A", "to 0"),
            (Dialect::Bash, "-n 2 A", "A", "odd"),
            (Dialect::Bash, "-u 3 A", "A", "odd"),
            (Dialect::Bash, "-- -A", "-A", ""),
            (Dialect::Bash, "A?prompt", "A?prompt", ""),
            (Dialect::Zsh, "-r A?prompt", "A", "raw"),
            (Dialect::Zsh, "-A L", "L", "odd perhaps a list"),
            (Dialect::Zsh, "-k 1 A", "1|A", "odd"),
            (Dialect::Zsh, "-d  A", "A", "to 0"),
            (Dialect::Ksh, "A?prompt B?x", "A|B?x", ""),
            (Dialect::Dash, "-p prompt A", "prompt|A", "odd"),
        ] {
            let split: Vec<Bytes> = words.split(' ').map(|word| Bytes::copy_from_slice(word.as_bytes())).collect();
            let found = Asked::of(&split, dialect);
            let told = [
                (found.is_raw, "raw".to_owned()),
                (found.is_list, "list".to_owned()),
                (found.is_odd, "odd".to_owned()),
                (found.may_be_list, "perhaps a list".to_owned()),
                (found.delimiter != b'\n', format!("to {}", found.delimiter)),
            ];
            let told: Vec<String> = told.into_iter().filter_map(|(is_so, what)| is_so.then_some(what)).collect();
            assert_eq!(
                (found.names.join(&b'|'), told.join(" ")),
                (names.as_bytes().to_vec(), asked.to_owned()),
                "{dialect:?} {words}"
            );
        }
    }

    #[test]
    fn how_many_items_an_unknown_line_has_is_not_known() {
        use crate::shell::syntax::Dialect::{Bash, Ksh, Zsh};
        let counts = |read: &str| format!("{read} p <<< \"$(tide-now)\"; R=${{#p[@]}}; p+=(x); X=${{#p[@]}}");
        for (dialect, read) in [(Bash, "read -ra"), (Bash, "IFS=: read -ra"), (Ksh, "read -rA"), (Zsh, "read -rA")] {
            crate::shell::trial::hold(&[(&[dialect], &counts(read), ["<unknown>", "<unknown>"])]);
        }
    }

    #[test]
    fn lines_come_apart_at_separators() {
        // With bars between the values; a question mark is one of which shells make different things.
        for (line, separators, count, values) in [
            ("a b c", " \t\n", 9, "a|b|c"),
            ("  a  b c ", " \t\n", 2, "a|b c"),
            ("a:b::c", ":", 9, "a|b||c"),
            ("a:b:c", ":", 2, "a|b:c"),
            ("a:b:", ":", 2, "a|?"),
            (" a : b ", ": ", 2, "a|b"),
            ("", ":", 3, ""),
            ("a b", "", 2, "a b"),
        ] {
            let told: Vec<&[u8]> = split_line(line.as_bytes(), separators.as_bytes(), count)
                .into_iter()
                .map(|value| value.unwrap_or(b"?"))
                .collect();
            assert_eq!(told.join(&b'|'), values.as_bytes(), "{line:?} at {separators:?}");
        }
    }
}
