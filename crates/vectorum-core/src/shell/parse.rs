//! From bytes to a tree. Commands are taken one by one, as a shell takes them: what stands before
//! an error is run.

use std::cell::OnceCell;
use std::rc::Rc;

use super::syntax::*;
use super::words::{flat, odd_document};

pub(super) type Parsed<T> = Result<T, Trouble>;

/// How deep commands and words may lie in each other.
const DEEPEST: usize = 120;

/// Takes a file's commands one after another.
pub struct Parser<'a> {
    pub(super) text: &'a [u8],
    /// Where it stands.
    pub at: usize,
    pub(super) dialect: Dialect,
    waiting: Vec<Awaited>,
    pub(super) depth: usize,
    /// How many blocks of braces are open.
    braces: usize,
}

pub(super) fn is_name_start(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || byte == b'_'
}

pub(super) fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_'
}

const RESERVED: &[&[u8]] = &[b"then", b"else", b"elif", b"fi", b"do", b"done", b"esac", b"}", b"in", b")"];

/// A here-document whose text begins at the next line.
#[derive(Debug)]
struct Awaited {
    delimiter: Vec<u8>,
    /// Whether its text stands as it is.
    is_quoted: bool,
    /// Whether tabs before its lines go.
    strips: bool,
    document: Rc<OnceCell<Result<Vec<Part>, &'static str>>>,
}

impl<'a> Parser<'a> {
    /// Begins to read.
    pub fn new(text: &'a [u8], dialect: Dialect) -> Parser<'a> {
        Parser { text, at: 0, dialect, waiting: Vec::new(), depth: 0, braces: 0 }
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

    pub(super) fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(Trouble { at: self.at, what: "commands lie too deep in each other", is_error: false });
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
                    break;
                }
                let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                let mut line = rest.get(..length).unwrap_or_default();
                self.at = (self.at + length + 1).min(self.text.len());
                while strips && line.first() == Some(&b'\t') {
                    line = line.get(1..).unwrap_or_default();
                }
                if line == delimiter {
                    // Shells differ in whether a joined line can be the last one.
                    if !is_quoted && body.ends_with(b"\\\n") {
                        return Err(Trouble { at: self.at, what: "a joined line ends a here-document", is_error: false });
                    }
                    break;
                }
                if line.strip_prefix(&delimiter[..]).is_some_and(|rest| rest.starts_with(b")")) {
                    let what = "a here-document that the end of its command may end";
                    return Err(Trouble { at: self.at, what, is_error: false });
                }
                body.extend_from_slice(line);
                body.push(b'\n');
            }
            let parts = if is_quoted {
                Ok(vec![Part::Quoted(body)])
            } else {
                let mut inner = Parser::new(&body, self.dialect);
                inner.depth = self.depth;
                // Where it cannot be read, neither can the file.
                let parts = inner.double(None)?;
                odd_document(&body).map_or(Ok(parts), Err)
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
    pub fn next_line(&mut self) -> Parsed<Option<List>> {
        self.lines()?;
        if self.at >= self.text.len() {
            return Ok(None);
        }
        let list = self.list(true)?;
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
            let list = self.list(false)?;
            if list.items.is_empty() {
                return Ok(out);
            }
            out.items.extend(list.items);
        }
    }

    fn list(&mut self, one_line: bool) -> Parsed<List> {
        let mut out = List::default();
        loop {
            if one_line {
                self.blanks();
            } else {
                self.lines()?;
            }
            if self.at_end() {
                return Ok(out);
            }
            let mut item = self.item()?;
            self.blanks();
            match self.peek() {
                Some(b';') if !self.starts(b";;") && !self.starts(b";&") && !self.starts(b";|") => self.at += 1,
                Some(b'&') if !self.starts(b"&&") => {
                    self.at += 1;
                    // `&|` and `&!` of zsh.
                    if self.dialect == Dialect::Zsh && matches!(self.peek(), Some(b'|' | b'!')) {
                        self.at += 1;
                    }
                    item.is_background = true;
                }
                Some(b'\n') => {
                    out.items.push(item);
                    if one_line {
                        return Ok(out);
                    }
                    self.newline()?;
                    continue;
                }
                _ => {
                    out.items.push(item);
                    return Ok(out);
                }
            }
            out.items.push(item);
        }
    }

    /// Whether no command begins here.
    fn at_end(&self) -> bool {
        match self.peek() {
            None | Some(b')' | b';' | b'&' | b'|' | b'\n') => true,
            _ => RESERVED.iter().any(|word| *word != b"in" && self.is_word(word)),
        }
    }

    /// Whether exactly this word stands here, unquoted.
    fn is_word(&self, word: &[u8]) -> bool {
        self.starts(word)
            && match self.peek_at(word.len()) {
                None => true,
                Some(next) => matches!(next, b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b'<' | b'>' | b'(' | b')'),
            }
    }

    fn take_word(&mut self, word: &[u8]) -> bool {
        let is_it = self.is_word(word);
        if is_it {
            self.at += word.len();
        }
        is_it
    }

    fn expect_word(&mut self, word: &'static [u8], what: &'static str) -> Parsed<()> {
        self.lines()?;
        if self.take_word(word) { Ok(()) } else { self.trouble(what) }
    }

    fn item(&mut self) -> Parsed<Item> {
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
        loop {
            self.blanks();
            if self.take_word(b"!") {
                is_negated = !is_negated;
            } else if self.dialect.is_rich() && self.take_word(b"time") {
                self.blanks();
                while self.dialect == Dialect::Bash && self.take_word(b"-p") {
                    self.blanks();
                }
            } else {
                break;
            }
        }
        let mut commands = vec![self.command()?];
        loop {
            self.blanks();
            if self.starts(b"||") || self.peek() != Some(b'|') {
                return Ok(Pipeline { is_negated, commands });
            }
            self.at += 1;
            if self.dialect.is_rich() && self.peek() == Some(b'&') {
                self.at += 1;
            }
            self.lines()?;
            commands.push(self.command()?);
        }
    }

    fn command(&mut self) -> Parsed<Command> {
        self.deeper(Parser::command_here)
    }

    fn command_here(&mut self) -> Parsed<Command> {
        self.blanks();
        let at = self.at;
        let kind = self.kind()?;
        let Kind::Simple(assignments, mut words) = kind else {
            let mut redirects = Vec::new();
            if !matches!(kind, Kind::Function(..)) {
                loop {
                    self.blanks();
                    match self.redirect()? {
                        Some(redirect) => redirects.push(redirect),
                        None => break,
                    }
                }
            }
            return Ok(Command { kind, redirects, at, end: self.at });
        };
        let mut assignments = assignments;
        let mut redirects = Vec::new();
        loop {
            self.blanks();
            if let Some(redirect) = self.redirect()? {
                redirects.push(redirect);
                continue;
            }
            match self.peek() {
                None | Some(b'\n' | b';' | b'&' | b'|' | b')') => break,
                // In zsh it ends a block wherever a word can stand.
                Some(b'}') if self.dialect == Dialect::Zsh && self.braces > 0 && self.at > at && self.is_word(b"}") => break,
                Some(b'(') => {
                    // `name ()`, a function.
                    if words.len() == 1 && assignments.is_empty() && redirects.is_empty() {
                        self.at += 1;
                        self.blanks();
                        if self.take(b")")
                            && let Some(name) = words.first().and_then(Word::literal).map(<[u8]>::to_vec)
                        {
                            let is_plain = name.first().is_some_and(|b| is_name_start(*b)) && name.iter().all(|b| is_name(*b));
                            if !is_plain && !matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
                                return self.trouble("a function by what is no name");
                            }
                            return self.function(name, at, false);
                        }
                    }
                    return self.parenthesis();
                }
                _ => {}
            }
            // These take more names than others do.
            if words.is_empty() && matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) {
                let rest = self.text.get(self.at..).unwrap_or_default();
                let end = rest.iter().position(|b| b" \t\n;".contains(b)).unwrap_or(rest.len());
                let word = rest.get(..end).unwrap_or_default();
                let name = memchr::memchr(b'=', word).and_then(|at| word.get(..at)).unwrap_or_default();
                let is_odd = name.iter().any(|b| *b >= 0x80 || self.dialect == Dialect::Ksh && matches!(b, b'.' | b'$'));
                if is_odd && !name.iter().any(|b| b"'\"({/".contains(b)) {
                    return Err(Trouble { at: self.at, what: "a name that only this shell takes", is_error: false });
                }
            }
            if words.is_empty()
                && let Some(assignment) = self.assignment()?
            {
                assignments.push(assignment);
                continue;
            }
            let declares = words.first().and_then(Word::literal).is_some_and(|w| {
                matches!(
                    w,
                    b"export"
                        | b"declare"
                        | b"typeset"
                        | b"local"
                        | b"readonly"
                        | b"alias"
                        | b"builtin"
                        | b"command"
                        | b"env"
                        | b"integer"
                        | b"float"
                )
            });
            let from = self.at;
            if declares && let Some(assignment) = self.assignment()? {
                // The same once more as a word, for shells that split it and for other commands.
                let end = self.at;
                let mut word = match &assignment.value {
                    Assigned::Word(_) => {
                        self.at = from;
                        let word = self.word()?;
                        self.at = end;
                        word
                    }
                    Assigned::Array(_) => Word::new(Vec::new(), from, end),
                };
                word.assignment = Some(Box::new(assignment));
                words.push(word);
                continue;
            }
            words.push(self.word()?);
        }
        if words.is_empty() && assignments.is_empty() && redirects.is_empty() {
            return self.trouble("a command is missing");
        }
        Ok(Command { kind: Kind::Simple(assignments, words), redirects, at, end: self.at })
    }

    /// A parenthesis where none can stand; behind some signs it begins a pattern, in some shells by an option.
    pub(super) fn parenthesis<T>(&self) -> Parsed<T> {
        let before = self.at.checked_sub(1).and_then(|at| self.text.get(at));
        if self.dialect.is_rich() && before.is_some_and(|b| b"?*+@!".contains(b)) {
            return Err(Trouble { at: self.at, what: "a pattern of file names with a group", is_error: false });
        }
        self.trouble("a parenthesis cannot stand here")
    }

    /// Takes a function of zsh's without a name, which runs at once: it becomes one with a name that nobody
    /// can give, and its call.
    fn anonymous(&mut self) -> Parsed<Kind> {
        let at = self.at;
        self.at += 2;
        let name = b"(anon)".to_vec();
        let function = self.function(name.clone(), at, false)?;
        let mut words = vec![Word::new(vec![Part::Quoted(name)], at, at)];
        loop {
            self.blanks();
            match self.peek() {
                None | Some(b'\n' | b';' | b'&' | b'|' | b')' | b'<' | b'>' | b'}') => break,
                _ => words.push(self.word()?),
            }
        }
        let call = Command { kind: Kind::Simple(Vec::new(), words), redirects: Vec::new(), at, end: self.at };
        let item = |command| Item {
            first: Pipeline { commands: vec![command], is_negated: false },
            rest: Vec::new(),
            is_background: false,
        };
        Ok(Kind::Group(List { items: vec![item(function), item(call)] }))
    }

    fn function(&mut self, name: Vec<u8>, at: usize, by_word: bool) -> Parsed<Command> {
        self.lines()?;
        if self.at_end() {
            return self.trouble("a function without a body");
        }
        let body = self.command()?;
        Ok(Command { end: self.at, kind: Kind::Function(name, Rc::new(body), by_word), redirects: Vec::new(), at })
    }

    /// Takes a compound command; a simple one is left for the caller.
    fn kind(&mut self) -> Parsed<Kind> {
        if self.dialect.is_rich() && self.starts(b"((") {
            let from = self.at;
            if let Some(inner) = self.balanced_sum() {
                let mut parser = Parser::new(&inner, self.dialect);
                parser.depth = self.depth;
                return Ok(Kind::Arithmetic(parser.double(None)?));
            }
            self.at = from;
        }
        if self.dialect == Dialect::Zsh && self.starts(b"()") {
            return self.anonymous();
        }
        if self.take(b"(") {
            let list = self.whole()?;
            self.blanks();
            return if self.take(b")") { Ok(Kind::Subshell(list)) } else { self.trouble("a parenthesis is not closed") };
        }
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'{') && !self.is_word(b"{") {
            return Err(Trouble { at: self.at, what: "a brace that zsh takes for a beginning", is_error: false });
        }
        if self.take_word(b"{") {
            self.braces += 1;
            let list = self.whole();
            self.braces -= 1;
            let list = list?;
            self.expect_word(b"}", "a brace is not closed")?;
            self.blanks();
            if self.dialect == Dialect::Zsh && self.is_word(b"always") {
                return Ok(Kind::Unfollowed("a block with «always»"));
            }
            return Ok(Kind::Group(list));
        }
        if self.take_word(b"if") {
            return self.if_command();
        }
        if self.take_word(b"while") {
            let condition = self.whole()?;
            return Ok(Kind::While(false, condition, self.loop_body()?));
        }
        if self.take_word(b"until") {
            let condition = self.whole()?;
            return Ok(Kind::While(true, condition, self.loop_body()?));
        }
        if self.take_word(b"for") {
            return self.for_command();
        }
        if self.take_word(b"case") {
            return self.case_command();
        }
        if self.dialect.is_rich() {
            if self.take_word(b"[[") {
                let test = self.test_or()?;
                self.lines()?;
                return if self.take_word(b"]]") { Ok(Kind::Test(test)) } else { self.trouble("a test is not closed") };
            }
            if self.take_word(b"function") {
                self.blanks();
                let from = self.at;
                while self.peek().is_some_and(|b| !b" \t\n;&|<>(){}\"'$`\\".contains(&b)) {
                    self.at += 1;
                }
                let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
                self.blanks();
                if name.is_empty() {
                    return Err(Trouble { at: from, what: "a function without a name", is_error: false });
                }
                if self.take(b"(") {
                    self.blanks();
                    if !self.take(b")") {
                        return self.trouble("a parenthesis is not closed");
                    }
                }
                let command = self.function(name, from, true)?;
                return Ok(command.kind);
            }
            for (word, why) in [
                (&b"select"[..], "a menu that waits for a choice"),
                (b"coproc", "a process beside the shell"),
                (b"repeat", "a loop of zsh's own"),
                (b"foreach", "a loop of zsh's own"),
            ] {
                let is_here = self.dialect == Dialect::Zsh || matches!(word, b"select" | b"coproc");
                if is_here && self.is_word(word) {
                    return self.trouble_unfollowed(why);
                }
            }
        }
        Ok(Kind::Simple(Vec::new(), Vec::new()))
    }

    fn trouble_unfollowed(&self, what: &'static str) -> Parsed<Kind> {
        Err(Trouble { at: self.at, what, is_error: false })
    }

    fn if_command(&mut self) -> Parsed<Kind> {
        let mut arms = Vec::new();
        loop {
            let condition = self.whole()?;
            if condition.items.is_empty() {
                return self.trouble("a condition is missing");
            }
            self.expect_word(b"then", "«then» is missing")?;
            let body = self.whole()?;
            if body.items.is_empty() && self.dialect != Dialect::Zsh {
                return self.trouble("a command is missing");
            }
            arms.push((condition, body));
            self.lines()?;
            if self.take_word(b"elif") {
                continue;
            }
            let otherwise = if self.take_word(b"else") { Some(self.whole()?) } else { None };
            self.expect_word(b"fi", "«fi» is missing")?;
            return Ok(Kind::If(arms, otherwise));
        }
    }

    fn loop_body(&mut self) -> Parsed<List> {
        self.lines()?;
        let braced = self.dialect.is_rich() && self.is_word(b"{");
        if braced {
            self.at += 1;
            let body = self.whole()?;
            self.expect_word(b"}", "a brace is not closed")?;
            return Ok(body);
        }
        self.expect_word(b"do", "«do» is missing")?;
        let body = self.whole()?;
        self.expect_word(b"done", "«done» is missing")?;
        Ok(body)
    }

    fn for_command(&mut self) -> Parsed<Kind> {
        self.blanks();
        if self.dialect.is_rich() && self.starts(b"((") {
            let Some(inner) = self.balanced_sum() else { return self.trouble("a parenthesis is not closed") };
            let mut pieces = inner.split(|b| *b == b';').map(|piece| {
                let mut parser = Parser::new(piece, self.dialect);
                parser.depth = self.depth;
                parser.double(None)
            });
            let mut piece = || pieces.next().unwrap_or(Ok(Vec::new()));
            let parts = [piece()?, piece()?, piece()?];
            self.blanks();
            self.take(b";");
            return Ok(Kind::Count(parts, self.loop_body()?));
        }
        let from = self.at;
        while self.peek().is_some_and(is_name) {
            self.at += 1;
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        if !name.first().is_some_and(|b| is_name_start(*b)) {
            return self.trouble("a name is missing");
        }
        self.lines()?;
        let mut words = None;
        if self.take_word(b"in") {
            let mut taken = Vec::new();
            loop {
                self.blanks();
                match self.peek() {
                    None | Some(b'\n' | b';') => break,
                    Some(b'(') => return self.parenthesis(),
                    Some(b'&' | b'|' | b'<' | b'>' | b')') => return self.trouble("this cannot stand here"),
                    _ => taken.push(self.word()?),
                }
            }
            words = Some(taken);
        } else if self.dialect == Dialect::Zsh && self.peek() == Some(b'(') {
            self.at += 1;
            words = Some(self.array()?);
            // In zsh a block, or one command, may follow at once.
            self.blanks();
            let is_short = !matches!(self.peek(), None | Some(b';' | b'\n')) && !self.is_word(b"do");
            if is_short {
                let first = self.command()?;
                let first = Pipeline { commands: vec![first], is_negated: false };
                let body = List { items: vec![Item { first, rest: Vec::new(), is_background: false }] };
                return Ok(Kind::For(name, words, body));
            }
        }
        self.blanks();
        self.take(b";");
        let body = self.loop_body()?;
        Ok(Kind::For(name, words, body))
    }

    fn case_command(&mut self) -> Parsed<Kind> {
        self.blanks();
        let word = self.word()?;
        self.lines()?;
        // An old form, with braces.
        let has_braces = self.dialect.is_rich() && self.dialect != Dialect::Bash && self.take_word(b"{");
        if !has_braces {
            self.expect_word(b"in", "«in» is missing")?;
        }
        let mut arms = Vec::new();
        loop {
            self.lines()?;
            if self.take_word(if has_braces { b"}" } else { b"esac" }) {
                return Ok(Kind::Case(word, arms));
            }
            if self.at >= self.text.len() {
                return self.trouble("«esac» is missing");
            }
            self.take(b"(");
            let mut patterns = Vec::new();
            loop {
                self.blanks();
                let from = self.at;
                let pattern = self.pattern_word()?;
                // bash takes groups here only with an option, which may be on by another file.
                let has_group = pattern.parts.iter().any(|p| matches!(p, Part::Text(t) if t.contains(&b'(')));
                let before = self.text.get(..from).unwrap_or_default();
                if has_group && self.dialect == Dialect::Bash && memchr::memmem::find(before, b"extglob").is_none() {
                    return Err(Trouble {
                        at: from,
                        what: "a pattern that bash reads only where the option is set",
                        is_error: false,
                    });
                }
                patterns.push(pattern);
                self.blanks();
                if self.take(b"|") {
                    continue;
                }
                if self.take(b")") {
                    break;
                }
                return self.trouble("a pattern is not closed");
            }
            let body = self.whole()?;
            self.lines()?;
            let end = if self.take(b";;&") || matches!(self.dialect, Dialect::Zsh | Dialect::Mksh) && self.take(b";|") {
                ArmEnd::On
            } else if self.take(b";;") {
                ArmEnd::Done
            } else if self.take(b";&") {
                ArmEnd::Through
            } else {
                arms.push(Arm { patterns, body, end: ArmEnd::Done });
                self.expect_word(if has_braces { b"}" } else { b"esac" }, "«esac» is missing")?;
                return Ok(Kind::Case(word, arms));
            };
            arms.push(Arm { patterns, body, end });
        }
    }

    fn test_or(&mut self) -> Parsed<Test> {
        let mut test = self.test_and()?;
        loop {
            self.lines()?;
            if !self.take(b"||") {
                return Ok(test);
            }
            test = Test::Or(Box::new(test), Box::new(self.test_and()?));
        }
    }

    fn test_and(&mut self) -> Parsed<Test> {
        let mut test = self.test_one()?;
        loop {
            self.lines()?;
            if !self.take(b"&&") {
                return Ok(test);
            }
            test = Test::And(Box::new(test), Box::new(self.test_one()?));
        }
    }

    fn test_one(&mut self) -> Parsed<Test> {
        self.deeper(|p| {
            p.lines()?;
            if p.take_word(b"!") {
                return Ok(Test::Not(Box::new(p.test_one()?)));
            }
            if p.take(b"(") {
                let test = p.test_or()?;
                p.lines()?;
                return if p.take(b")") { Ok(test) } else { p.trouble("a parenthesis is not closed") };
            }
            let first = p.word()?;
            p.lines()?;
            if let Some(operator) = first.literal().filter(|l| l.len() == 2 && l.first() == Some(&b'-')).map(<[u8]>::to_vec)
                && !p.is_word(b"]]")
                && !p.starts(b"&&")
                && !p.starts(b"||")
                && p.peek() != Some(b')')
            {
                return Ok(Test::Unary(operator, p.word()?));
            }
            for operator in [
                &b"=="[..],
                b"=~",
                b"!=",
                b"=",
                b"<",
                b">",
                b"-eq",
                b"-ne",
                b"-lt",
                b"-le",
                b"-gt",
                b"-ge",
                b"-nt",
                b"-ot",
                b"-ef",
            ] {
                let is_it = p.starts(operator)
                    && (matches!(operator, b"<" | b">") || p.peek_at(operator.len()).is_some_and(|b| b" \t\n".contains(&b)));
                if is_it {
                    p.at += operator.len();
                    p.lines()?;
                    let word = if operator == b"=~" { p.regex_word()? } else { p.pattern_word()? };
                    return Ok(Test::Binary(first, operator.to_vec(), word));
                }
            }
            Ok(Test::Word(first))
        })
    }

    fn redirect(&mut self) -> Parsed<Option<Redirect>> {
        let from = self.at;
        let mut number = Vec::new();
        while self.peek().is_some_and(|b| b.is_ascii_digit()) {
            number.extend(self.peek());
            self.at += 1;
        }
        if number.is_empty() && self.dialect.is_rich() && self.peek() == Some(b'{') {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let close = rest.iter().position(|b| *b == b'}').filter(|c| {
                rest.get(1..*c).is_some_and(|n| n.first().is_some_and(|b| is_name_start(*b)) && n.iter().all(|b| is_name(*b)))
                    && rest.get(c + 1).is_some_and(|b| matches!(b, b'<' | b'>'))
            });
            if let Some(close) = close {
                number = rest.get(1..close).unwrap_or_default().to_vec();
                self.at += close + 1;
            }
        }
        let rich: &[&[u8]] = &[b"&>>", b"&>", b"<<<", b">|", b">!"];
        let plain: &[&[u8]] = &[b"<<-", b"<<", b"<>", b"<&", b">>", b">&", b">|", b"<", b">"];
        let operator = rich
            .iter()
            .filter(|o| {
                self.dialect.is_rich()
                    && (**o != b">!" || self.dialect == Dialect::Zsh)
                    && (number.is_empty() || !o.starts_with(b"&"))
            })
            .chain(plain)
            .find(|o| self.starts(o))
            .map(|o| o.to_vec());
        let Some(operator) = operator else {
            self.at = from;
            return Ok(None);
        };
        // `<(…)` and `>(…)` are words.
        if self.dialect.is_rich() && operator.len() == 1 && self.peek_at(1) == Some(b'(') {
            self.at = from;
            return Ok(None);
        }
        self.at += operator.len();
        self.blanks();
        if self.dialect == Dialect::Zsh && operator == b">>" && self.peek() == Some(b'|') {
            self.at += 1;
        }
        let mut word = self.word()?;
        if operator.starts_with(b"<<") && operator != b"<<<" {
            let mut delimiter = Vec::new();
            let mut is_quoted = false;
            flat(&word.parts, &mut delimiter, &mut is_quoted);
            // Its text stands below.
            let document = Rc::new(OnceCell::new());
            self.waiting.push(Awaited { delimiter, is_quoted, strips: operator == b"<<-", document: Rc::clone(&document) });
            word = Word::new(vec![Part::Document(document)], word.at, word.end);
        }
        Ok(Some(Redirect { operator, from: number, word }))
    }
}
