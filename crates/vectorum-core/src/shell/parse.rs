//! From bytes to a tree. Commands are taken one by one, as a shell takes them: what stands before
//! an error is run.

mod command;
mod condition;
mod function;
#[cfg(test)]
mod grammar;

use std::cell::Cell;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

use bytes::Bytes;
use smallvec::{SmallVec, smallvec};

pub(super) use condition::asks_of_one;

use super::syntax::*;
use super::words::odd_document;

pub(super) type Parsed<T> = Result<T, Trouble>;

/// How deep commands and words may lie in each other.
const DEEPEST: usize = 60;

/// Takes a file's commands one after another.
pub(super) struct Parser<'a> {
    /// What it reads, of which the tree keeps stretches.
    whole: &'a Bytes,
    pub(super) text: &'a [u8],
    /// Where it stands.
    pub(super) at: usize,
    pub(super) dialect: Dialect,
    pub(super) waiting: Vec<Awaited>,
    /// How many substitutions are open.
    pub(super) outputs: usize,
    pub(super) depth: usize,
    /// How many blocks of braces are open.
    pub(super) braces: usize,
    /// Whether the parameter that is read stands between double quotes.
    pub(super) is_between_quotes: bool,
    /// Whether the commands that are read stand in a substitution between double quotes.
    pub(super) is_quoted_output: bool,
    /// Where the commands begin that are read before anything of them is run.
    pub(super) line: usize,
    /// Where to note what bash reads only while the option `extglob` is on, if whoever runs the commands asks for that.
    pub(super) groups: Option<&'a Cell<Option<usize>>>,
}

pub(super) fn is_name_start(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || byte == b'_'
}

pub(super) fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_'
}

/// Adds to a list that most often has one item only: trees stay small, and are followed faster.
pub(super) fn push_only<T>(list: &mut Vec<T>, item: T) {
    if list.is_empty() {
        list.reserve_exact(1);
    }
    list.push(item);
}

const RESERVED: &[&[u8]] = &[b"then", b"else", b"elif", b"fi", b"do", b"done", b"esac", b"}", b"in", b")"];

/// A here-document whose text begins at the next line.
#[derive(Debug)]
pub(super) struct Awaited {
    delimiter: Vec<u8>,
    /// Whether its text stands as it is.
    is_quoted: bool,
    /// Whether tabs before its lines go.
    strips: bool,
    pub(super) document: Arc<OnceLock<Result<Vec<Part>, &'static str>>>,
}

/// Whether a name is that of a variable in which ksh tells of itself, or is told (ksh(1), «Variables Set By ksh»).
pub(super) fn is_own_name(name: &[u8]) -> bool {
    name.strip_prefix(b".sh.").is_some_and(|rest| !rest.is_empty() && rest.iter().all(u8::is_ascii_alphanumeric))
}

/// Whether a word ends before this byte, or at the end of the text.
pub(super) fn ends_word(next: Option<u8>) -> bool {
    next.is_none_or(|next| matches!(next, b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b'<' | b'>' | b'(' | b')'))
}

impl<'a> Parser<'a> {
    /// Begins to read.
    pub(super) fn new(whole: &'a Bytes, dialect: Dialect) -> Parser<'a> {
        Parser {
            whole,
            text: whole,
            at: 0,
            dialect,
            waiting: Vec::new(),
            depth: 0,
            outputs: 0,
            braces: 0,
            is_between_quotes: false,
            is_quoted_output: false,
            line: 0,
            groups: None,
        }
    }

    /// Returns one for a stretch of it, in which places are those of the whole.
    pub(super) fn within(&self, stretch: Range<usize>) -> Parser<'a> {
        let text = self.whole.get(..stretch.end).unwrap_or(self.whole);
        let (at, depth) = (stretch.start, self.depth);
        Parser {
            whole: self.whole,
            text,
            at,
            dialect: self.dialect,
            waiting: Vec::new(),
            depth,
            outputs: 0,
            braces: 0,
            is_between_quotes: false,
            is_quoted_output: self.is_quoted_output,
            line: self.line,
            groups: self.groups,
        }
    }

    /// Returns a stretch of it.
    pub(super) fn cut(&self, from: usize, to: usize) -> Bytes {
        let to = to.min(self.whole.len());
        self.whole.slice(from.min(to)..to)
    }

    /// Takes one byte, and what follows it up to a byte that `ends`.
    pub(super) fn run(&mut self, ends: impl Fn(u8) -> bool) -> Bytes {
        let from = self.at;
        let rest = self.text.get(from + 1..).unwrap_or_default();
        self.at = (from + 1 + rest.iter().position(|b| ends(*b)).unwrap_or(rest.len())).min(self.text.len());
        self.cut(from, self.at)
    }

    pub(super) fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    pub(super) fn peek_at(&self, ahead: usize) -> Option<u8> {
        self.text.get(self.at + ahead).copied()
    }

    pub(super) fn starts(&self, what: &[u8]) -> bool {
        self.text.get(self.at..).is_some_and(|rest| rest.starts_with(what))
    }

    pub(super) fn take(&mut self, what: &[u8]) -> bool {
        let is_it = self.starts(what);
        if is_it {
            self.at += what.len();
        }
        is_it
    }

    pub(super) fn trouble<T>(&self, what: &'static str) -> Parsed<T> {
        Err(Trouble { at: self.at, what, is_error: self.dialect != Dialect::Zsh })
    }

    /// The same for what is not followed: whether the shell takes it is not told.
    pub(in crate::shell) fn trouble_unfollowed<T>(&self, what: &'static str) -> Parsed<T> {
        Err(Trouble { at: self.at, what, is_error: false })
    }

    pub(super) fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return self.trouble_unfollowed("commands lie too deep in each other");
        }
        let read = read(self);
        self.depth -= 1;
        read
    }

    /// Takes blanks, joined lines and a comment.
    pub(super) fn blanks(&mut self) {
        loop {
            match self.peek() {
                Some(b' ' | b'\t') => self.at += 1,
                Some(b'\\') if self.peek_at(1) == Some(b'\n') => self.at += 2,
                Some(b'#') => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => return,
            }
        }
    }

    /// Takes line ends and the here-documents that begin after them.
    pub(super) fn lines(&mut self) -> Parsed<()> {
        loop {
            self.blanks();
            if self.peek() != Some(b'\n') {
                return Ok(());
            }
            self.newline()?;
        }
    }

    fn newline(&mut self) -> Parsed<()> {
        self.at += 1;
        for Awaited { delimiter, is_quoted, strips, document } in std::mem::take(&mut self.waiting) {
            let mut body = Vec::new();
            loop {
                let rest = self.text.get(self.at..).unwrap_or_default();
                if rest.is_empty() {
                    // These look for the end of the substitution once more, each in its way.
                    if self.outputs > 0 && matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) {
                        let what = "a here-document that never ends in a substitution";
                        return self.trouble_unfollowed(what);
                    }
                    // There it is an error (measured: R59).
                    if self.dialect == Dialect::Mksh {
                        return self.trouble("a here-document is not closed");
                    }
                    break;
                }
                let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                let mut line = rest.get(..length).unwrap_or_default();
                self.at = (self.at + length + 1).min(self.text.len());
                // There a line that goes on keeps what it begins with (measured: 0.5.12).
                let strokes = body.iter().rev().skip(1).take_while(|byte| **byte == b'\\').count();
                let goes_on = self.dialect == Dialect::Dash && !is_quoted && strokes % 2 == 1;
                while strips && !goes_on && line.first() == Some(&b'\t') {
                    line = line.get(1..).unwrap_or_default();
                }
                if line == delimiter {
                    // Shells differ in whether a joined line can be the last one, and some join quoted ones within quotes.
                    let may_join =
                        !is_quoted || self.outputs > 0 && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh);
                    if may_join && body.ends_with(b"\\\n") {
                        return self.trouble_unfollowed("a joined line ends a here-document");
                    }
                    break;
                }
                let may_end = |rest: &[u8]| rest.starts_with(b")") || self.outputs > 0 && rest.contains(&b')');
                if line.strip_prefix(&delimiter[..]).is_some_and(may_end) {
                    let what = "a here-document that the end of its command may end";
                    return self.trouble_unfollowed(what);
                }
                body.extend_from_slice(line);
                body.push(b'\n');
            }
            let body = Bytes::from(body);
            let parts = if is_quoted {
                Ok(vec![Part::Quoted(Text::Stretch(body))])
            } else {
                let mut inner = Parser::new(&body, self.dialect);
                inner.depth = self.depth;
                match inner.double(None) {
                    Ok(parts) => odd_document(&body).map_or(Ok(parts), Err),
                    // Some read it when the command is run, and fail then (measured).
                    Err(_) if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) => {
                        Err("a here-document that cannot be read")
                    }
                    // Where it cannot be read, neither can the file, unless what is begun in it ends behind it in dash.
                    Err(trouble) => {
                        return Err(Trouble { is_error: trouble.is_error && self.dialect != Dialect::Dash, ..trouble });
                    }
                }
            };
            // Each is awaited once.
            let _ = document.set(parts);
        }
        Ok(())
    }

    /// Takes the next complete line of commands of a file; `None` at its end.
    ///
    /// # Errors
    /// Where the grammar of the shell allows no such text.
    pub(super) fn next_line(&mut self) -> Parsed<Option<List>> {
        self.lines()?;
        if self.at >= self.text.len() {
            return Ok(None);
        }
        self.line = self.at;
        let (list, _) = self.list(true)?;
        if list.items.is_empty() {
            return self.trouble("this cannot stand here");
        }
        match self.peek() {
            None => {}
            Some(b'\n') => self.newline()?,
            Some(_) => return self.trouble("this cannot stand here"),
        }
        Ok(Some(list))
    }

    /// Takes all commands up to something that is none.
    pub(super) fn whole(&mut self) -> Parsed<List> {
        let mut out = List::default();
        loop {
            self.lines()?;
            let (list, is_parted) = self.list(false)?;
            if list.items.is_empty() {
                return Ok(out);
            }
            if out.items.is_empty() {
                out = list;
            } else {
                out.items.extend(list.items);
            }
            if !is_parted {
                return Ok(out);
            }
        }
    }

    /// Takes commands up to where none begins. Whether a sign that parts commands stands behind the last one.
    fn list(&mut self, one_line: bool) -> Parsed<(List, bool)> {
        let mut out = List::default();
        loop {
            if one_line {
                self.blanks();
            } else {
                self.lines()?;
            }
            if self.dialect == Dialect::Ksh && self.peek() == Some(b';') && !self.starts(b";;") && !self.starts(b";&") {
                return self.trouble_unfollowed("nothing between two signs");
            }
            if self.at_end() {
                return Ok((out, true));
            }
            let mut item = self.item()?;
            self.blanks();
            let goes_on = match self.peek() {
                Some(b';') if !self.starts(b";;") && !self.starts(b";&") && !self.starts(b";|") => {
                    self.at += 1;
                    self.blanks();
                    if self.dialect == Dialect::Ksh && self.peek() == Some(b';') {
                        return self.trouble_unfollowed("nothing between two signs");
                    }
                    true
                }
                Some(b'&') if !self.starts(b"&&") => {
                    self.at += 1;
                    // `&|` and `&!` of zsh.
                    if self.dialect == Dialect::Zsh && matches!(self.peek(), Some(b'|' | b'!')) {
                        self.at += 1;
                    }
                    self.blanks();
                    if self.dialect == Dialect::Ksh && !one_line && self.peek() == Some(b';') && !self.starts(b";;") {
                        return self.trouble_unfollowed("nothing between two signs");
                    }
                    if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) {
                        // A semicolon may follow in these; in zsh nothing but an assignment cannot stand before it.
                        let last = item.rest.last().map_or(&item.first, |(_, pipeline)| pipeline).commands.last();
                        let only_sets =
                            |c: &Command| matches!(&c.kind, Kind::Simple(a, words) if words.is_empty() && !a.is_empty());
                        if self.dialect == Dialect::Zsh && last.is_some_and(only_sets) {
                            return self.trouble("an assignment cannot run in the background");
                        }
                        // What is read or written by nothing runs a program there, which waits beside the shell.
                        let is_bare = |c: &Command| {
                            !c.redirects.is_empty()
                                && matches!(&c.kind, Kind::Simple(a, words) if a.is_empty() && words.is_empty())
                        };
                        if self.dialect == Dialect::Zsh && last.is_some_and(is_bare) {
                            return self.trouble_unfollowed("a redirection alone in the background");
                        }
                        self.blanks();
                        if self.peek() == Some(b';') && !self.starts(b";;") {
                            self.at += 1;
                        }
                    }
                    item.is_background = true;
                    true
                }
                Some(b'\n') if !one_line => {
                    self.newline()?;
                    true
                }
                _ => false,
            };
            push_only(&mut out.items, item);
            if !goes_on {
                return Ok((out, false));
            }
        }
    }

    /// Whether no command begins here.
    pub(super) fn at_end(&self) -> bool {
        match self.peek() {
            Some(b'&') => !(self.dialect.is_rich() && self.starts(b"&>")),
            None | Some(b')' | b';' | b'|' | b'\n') => true,
            Some(b'e') if self.dialect == Dialect::Zsh && self.is_word(b"end") => true,
            _ => RESERVED.iter().any(|word| *word != b"in" && self.is_word(word)),
        }
    }

    /// Whether a word stands here that begins no command, unquoted, but goes on with or ends what another has begun
    /// (POSIX, 2.4; measured).
    pub(super) fn is_out_of_place(&self) -> bool {
        match self.peek() {
            Some(b'i') => self.dialect != Dialect::Zsh && self.is_word(b"in"),
            Some(b']') => self.dialect == Dialect::Bash && self.is_word(b"]]"),
            Some(b't' | b'e' | b'f' | b'd' | b'}') => self.at_end(),
            _ => false,
        }
    }

    /// Whether a word of zsh's language stands here (zshmisc(1), «Reserved Words», without what declares).
    pub(super) fn is_reserved(&self) -> bool {
        const BEGIN: &[&[u8]] = &[
            b"!",
            b"{",
            b"[[",
            b"case",
            b"if",
            b"for",
            b"foreach",
            b"while",
            b"until",
            b"repeat",
            b"select",
            b"function",
            b"time",
            b"coproc",
            b"nocorrect",
        ];
        self.is_out_of_place() || BEGIN.iter().any(|word| self.is_word(word))
    }

    /// Whether exactly this word stands here, unquoted.
    // What a word is compared with is known where it is asked for: inlined that costs next to nothing.
    #[inline(always)]
    pub(super) fn is_word(&self, word: &[u8]) -> bool {
        self.starts(word)
            && match self.peek_at(word.len()) {
                Some(b'}') => self.is_word_before_brace(word),
                next => ends_word(next),
            }
    }

    /// In zsh a brace at the end of a word ends the block, too.
    #[cold]
    fn is_word_before_brace(&self, word: &[u8]) -> bool {
        self.dialect == Dialect::Zsh && word != b"}" && self.braces > 0 && ends_word(self.peek_at(word.len() + 1))
    }

    #[inline(always)]
    pub(super) fn take_word(&mut self, word: &[u8]) -> bool {
        let is_it = self.is_word(word);
        if is_it {
            self.at += word.len();
        }
        is_it
    }

    pub(super) fn expect_word(&mut self, word: &'static [u8], what: &'static str) -> Parsed<()> {
        self.lines()?;
        if self.take_word(word) { Ok(()) } else { self.trouble(what) }
    }

    pub(super) fn item(&mut self) -> Parsed<Item> {
        let first = self.pipeline()?;
        let mut rest = Vec::new();
        loop {
            self.blanks();
            let on_success = if self.take(b"&&") {
                true
            } else if self.take(b"||") {
                false
            } else {
                return Ok(Item { first, rest, is_background: false });
            };
            self.lines()?;
            rest.push((on_success, self.pipeline()?));
        }
    }

    fn pipeline(&mut self) -> Parsed<Pipeline> {
        let mut is_negated = false;
        let (mut is_begun, mut is_timed) = (false, false);
        loop {
            self.blanks();
            if self.take_word(b"!") {
                if is_begun && matches!(self.dialect, Dialect::Dash | Dialect::Zsh) {
                    return self.trouble("this cannot stand here");
                }
                // What is turned round twice there is whether it was well, and no longer which status it was.
                if is_begun && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
                    self.at -= 1;
                    let at = self.at;
                    let first = self.deeper(Parser::pipeline)?;
                    let kind = Kind::Group(List { items: vec![Item { first, rest: Vec::new(), is_background: false }] });
                    let turned = Command { kind, redirects: Vec::new(), at, end: self.at };
                    return Ok(Pipeline { is_negated, is_timed, commands: smallvec![turned] });
                }
                (is_negated, is_begun) = (!is_negated, true);
            } else if self.dialect.is_rich() && !(is_timed && self.dialect == Dialect::Zsh) && self.take_word(b"time") {
                is_timed = true;
                self.blanks();
                if self.dialect == Dialect::Ksh && self.peek() == Some(b'-') {
                    return self.trouble_unfollowed("an option of «time»");
                }
                while self.dialect == Dialect::Bash && self.take_word(b"-p") {
                    self.blanks();
                }
                // An option of its own, or one that it has not.
                if self.dialect == Dialect::Mksh && self.peek() == Some(b'-') {
                    return self.trouble_unfollowed("an option of «time»");
                }
            } else {
                break;
            }
        }
        // These negate what is not there, too, and take its time.
        let is_end = match self.peek() {
            None | Some(b'\n' | b'#' | b';') => !self.starts(b";;") || self.dialect == Dialect::Mksh,
            Some(b'&') if !self.starts(b"&&") => matches!(self.dialect, Dialect::Ksh | Dialect::Mksh),
            Some(b'|') if !self.starts(b"||") && self.dialect == Dialect::Zsh && is_begun && !is_timed => {
                return self.trouble("a command is missing");
            }
            Some(b'|') if !self.starts(b"||") => matches!(self.dialect, Dialect::Mksh | Dialect::Zsh),
            Some(b'&' | b'|' | b')') => matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh),
            _ => matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) && self.is_out_of_place(),
        };
        if is_end && is_begun && is_timed && self.dialect == Dialect::Mksh {
            return self.trouble_unfollowed("a command is missing");
        }
        let negates_nothing = is_begun && matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Zsh);
        let first = if is_end && (is_timed || negates_nothing) {
            let kind = Kind::Simple(Vec::new(), Vec::new());
            Command { kind, redirects: Vec::new(), at: self.at, end: self.at }
        } else {
            self.command()?
        };
        let mut commands: SmallVec<[Command; 1]> = smallvec![first];
        loop {
            self.blanks();
            if self.starts(b"||") || self.peek() != Some(b'|') {
                let is_loop =
                    |c: &Command| matches!(c.kind, Kind::For(..) | Kind::Count(..) | Kind::Repeat(..) | Kind::Always(..));
                if is_timed && self.dialect == Dialect::Zsh && commands.iter().any(is_loop) {
                    return self.trouble_unfollowed("a loop of which the time is taken");
                }
                // An error of these gives up less there.
                let may_fail = |c: &Command| matches!(&c.kind, Kind::Simple(set, words) if words.is_empty() && set.iter().any(is_unfollowed));
                if is_timed && self.dialect == Dialect::Zsh && commands.iter().any(may_fail) {
                    return self.trouble_unfollowed("an error of which the time is taken");
                }
                if is_timed && !is_negated && self.dialect == Dialect::Zsh {
                    commands = commands.into_iter().map(timed).collect();
                }
                return Ok(Pipeline { is_negated, is_timed, commands });
            }
            self.at += 1;
            if self.dialect.is_rich() && self.peek() == Some(b'&') {
                if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
                    return self.trouble_unfollowed("a command that runs beside the shell");
                }
                self.at += 1;
                // Short for `2>&1 |`, behind all that it opens itself (bash(1), «Pipelines»; zshmisc(1)).
                if let Some(command) = commands.last_mut() {
                    command.redirects.push(with_errors(self.at));
                }
            }
            self.lines()?;
            if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && self.is_word(b"time") {
                return self.trouble_unfollowed("a command in a pipe of which the time is taken");
            }
            // Only the first can be turned round there.
            if self.is_word(b"!") {
                return match self.dialect {
                    Dialect::Bash | Dialect::Dash | Dialect::Zsh => self.trouble("this cannot stand here"),
                    Dialect::Ksh | Dialect::Mksh => self.trouble_unfollowed("a command that is turned round in a pipe"),
                };
            }
            commands.push(self.command()?);
        }
    }
}

/// `2>&1`, where nothing of that is written.
fn with_errors(at: usize) -> Redirect {
    let word = Word::new(smallvec![Part::Text(Text::of(b"1"))], at, at);
    Redirect { operator: b">&".to_vec(), from: b"2".to_vec(), word }
}

/// Whether a value has something that is not followed.
fn is_unfollowed(assignment: &Assignment) -> bool {
    matches!(&assignment.value, Assigned::Word(word) if word.parts.iter().any(|part| matches!(part, Part::Unfollowed(_))))
}

/// What zsh takes the time of runs in the shell or in one of its own, by where it stands in its file (measured: 5.9).
fn timed(command: Command) -> Command {
    let may_be_apart = match &command.kind {
        Kind::Simple(set, words) => {
            let is_text = |one: &Assignment| matches!(one.value, Assigned::Word(_));
            !set.is_empty() && words.is_empty() && set.iter().all(is_text)
        }
        kind => matches!(
            kind,
            Kind::Group(_) | Kind::Case(..) | Kind::Arithmetic(_) | Kind::Test(_) | Kind::Function(..) | Kind::Named(..)
        ),
    };
    if may_be_apart {
        Command { kind: Kind::Unfollowed("whether what is timed runs in a shell of its own"), ..command }
    } else {
        command
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn lines_are_read_as_each_shell_reads_them() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true; R=$?; false; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true && R=1 || R=2; false && X=1 || X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1 X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; X=2 # R=3", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1;X=2;", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "{ R=1; X=2; }", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if true; then R=1; else R=2; fi; X=3", ["1", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if false; then R=1; elif true; then R=2; else R=3; fi", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "! true; R=$?; ! false; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a\\\nb; X=\"a\\\nb\"", ["ab", "ab"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true &&\nR=1 ||\nX=2", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(true; echo a;); X=$(\necho b\n)", ["a", "b"]),
            (&[Bash, Dash, Mksh], "R=1 | X=2", ["none", "none"]),
            (&[Ksh, Zsh], "R=1 | X=2", ["none", "2"]),
            (&[Bash, Dash, Ksh, Mksh], "R=1 & X=2; wait", ["none", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i in a b; do R=$R$i; done; X=$i", ["ab", "b"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "while [ \"$R\" != aaa ]; do R=a$R; done; until [ -n \"$X\" ]; do X=1; done",
                ["aaa", "1"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case x in (x) R=1 ;; esac; case y in x|y) X=2; esac", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; case $R in [1-9]) X=a;; 0|x) X=b;; *) X=c;; esac", ["0", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cat <<E >/dev/null; R=1\n$X\nE\nX=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=if; X=then", ["if", "then"]),
        ]);
    }
}
