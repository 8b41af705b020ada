//! From bytes to a tree. Commands are taken one by one, as a shell takes them: what stands before
//! an error is run.

use std::cell::OnceCell;
use std::rc::Rc;

use super::syntax::*;

type Parsed<T> = Result<T, Trouble>;

/// A subscript that is a sum or a pattern of zsh's, which may be wrong.
pub(super) const ODD_SUBSCRIPT: &str = "a subscript that zsh works out";

/// A parameter that may be none that the shell takes: then it is an error when it is expanded.
pub(super) const ODD_SHAPE: &str = "a parameter of another shape";

/// How deep commands and words may lie in each other.
const DEEPEST: usize = 120;

/// Takes a file's commands one after another.
pub struct Parser<'a> {
    text: &'a [u8],
    /// Where it stands.
    pub at: usize,
    dialect: Dialect,
    waiting: Vec<Awaited>,
    depth: usize,
    /// How many blocks of braces are open.
    braces: usize,
}

fn is_name_start(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || byte == b'_'
}

fn is_name(byte: u8) -> bool {
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

/// Finds the bracket that closes the one at the front, with others in between.
fn closing(text: &[u8]) -> Option<usize> {
    let mut open = 0;
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        match byte {
            b'\\' => at += 1,
            b'[' => open += 1,
            b']' => {
                open -= 1;
                if open == 0 {
                    return Some(at);
                }
            }
            _ => {}
        }
        at += 1;
    }
    // One that is not balanced ends at the first.
    text.iter().position(|b| *b == b']')
}

/// Says what in a here-document is not followed: what changes variables, where it depends on the shell
/// which process that happens in; quotes within braces, of which each shell makes something else.
fn odd_document(body: &[u8]) -> Option<&'static str> {
    let mut rest = body;
    while let Some(at) = memchr::memmem::find(rest, b"${") {
        rest = rest.get(at + 2..).unwrap_or_default();
        let inner = rest.get(..memchr::memchr(b'}', rest).unwrap_or(rest.len())).unwrap_or_default();
        if inner.iter().any(|b| b"=?^,@!~/".contains(b)) {
            return Some("a here-document that sets a variable, or fails");
        }
        if inner.iter().any(|b| b"\"'\\".contains(b)) {
            return Some("quotes within braces in a here-document");
        }
    }
    (memchr::memmem::find(body, b"$((").is_some() || body.contains(&0)).then_some("a sum in a here-document")
}

impl<'a> Parser<'a> {
    /// Begins to read.
    pub fn new(text: &'a [u8], dialect: Dialect) -> Parser<'a> {
        Parser { text, at: 0, dialect, waiting: Vec::new(), depth: 0, braces: 0 }
    }

    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    fn peek_at(&self, ahead: usize) -> Option<u8> {
        self.text.get(self.at + ahead).copied()
    }

    fn starts(&self, what: &[u8]) -> bool {
        self.text.get(self.at..).is_some_and(|rest| rest.starts_with(what))
    }

    fn take(&mut self, what: &[u8]) -> bool {
        let is_it = self.starts(what);
        if is_it {
            self.at += what.len();
        }
        is_it
    }

    fn trouble<T>(&self, what: &'static str) -> Parsed<T> {
        Err(Trouble { at: self.at, what, is_error: self.dialect != Dialect::Zsh })
    }

    fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(Trouble { at: self.at, what: "commands lie too deep in each other", is_error: false });
        }
        let read = read(self);
        self.depth -= 1;
        read
    }

    /// Takes blanks, joined lines and a comment.
    fn blanks(&mut self) {
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
    fn lines(&mut self) -> Parsed<()> {
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
    fn whole(&mut self) -> Parsed<List> {
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
    fn parenthesis<T>(&self) -> Parsed<T> {
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

    /// A word of a pattern, in which parentheses may stand.
    fn pattern_word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        let mut open = 0;
        loop {
            let before = self.at;
            self.parts(&mut parts)?;
            match self.peek() {
                Some(b'(')
                    if self.dialect.is_rich()
                        && (open > 0 || before != self.at || !parts.is_empty() || self.dialect == Dialect::Zsh) =>
                {
                    open += 1;
                }
                Some(b')') if open > 0 => open -= 1,
                Some(b'|') if open > 0 => {}
                Some(b' ' | b'\t' | b'\n') if open > 0 => {}
                Some(b'<' | b'>') if self.dialect == Dialect::Zsh && open > 0 => {}
                _ => break,
            }
            if let Some(byte) = self.peek() {
                push_text(&mut parts, byte);
                self.at += 1;
            }
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    fn regex_word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        let mut open = 0;
        loop {
            self.parts(&mut parts)?;
            match self.peek() {
                Some(b'(') => open += 1,
                Some(b')') if open > 0 => open -= 1,
                Some(b'|' | b'<' | b'>' | b';' | b'&') if !self.starts(b"&&") && !self.starts(b"||") || open > 0 => {}
                Some(b' ' | b'\t') if open > 0 => {}
                _ => break,
            }
            if let Some(byte) = self.peek() {
                push_text(&mut parts, byte);
                self.at += 1;
            }
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
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

    /// Takes an assignment, if one stands here.
    fn assignment(&mut self) -> Parsed<Option<Assignment>> {
        let at = self.at;
        if !self.peek().is_some_and(is_name_start) {
            return Ok(None);
        }
        let mut length = 1;
        while self.peek_at(length).is_some_and(is_name) {
            length += 1;
        }
        let name = self.text.get(at..at + length).unwrap_or_default().to_vec();
        let mut key = None;
        if self.peek_at(length) == Some(b'[') && self.dialect.is_rich() {
            let rest = self.text.get(at + length..).unwrap_or_default();
            let line = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            let Some(close) = rest.get(..line).and_then(closing) else {
                return Err(Trouble { at, what: "a subscript that is not closed", is_error: false });
            };
            let next = rest.get(close + 1..).unwrap_or_default();
            if !(next.starts_with(b"=") || next.starts_with(b"+=")) {
                return Ok(None);
            }
            let mut inner = Parser::new(rest.get(1..close).unwrap_or_default(), self.dialect);
            inner.depth = self.depth;
            key = Some(inner.double(None)?);
            length += close + 1;
        }
        let adds = self.peek_at(length) == Some(b'+') && self.peek_at(length + 1) == Some(b'=') && self.dialect.is_rich();
        if !adds && self.peek_at(length) != Some(b'=') {
            return Ok(None);
        }
        self.at += length + 1 + usize::from(adds);
        if self.peek() == Some(b'(') && self.dialect.is_rich() {
            self.at += 1;
            let value = Assigned::Array(self.array()?);
            return Ok(Some(Assignment { name, key, adds, value, at }));
        }
        let from = self.at;
        let mut parts = Vec::new();
        self.parts(&mut parts)?;
        if self.dialect == Dialect::Mksh && self.starts(b"<<") && parts.is_empty() {
            return Err(Trouble { at, what: "a here-document as a value", is_error: false });
        }
        let word = Word::new(parts, from, self.at);
        Ok(Some(Assignment { name, key, adds, value: Assigned::Word(word), at }))
    }

    /// Takes the words of an array up to its parenthesis.
    fn array(&mut self) -> Parsed<Vec<Word>> {
        let mut words = Vec::new();
        loop {
            self.lines()?;
            match self.peek() {
                Some(b')') => {
                    self.at += 1;
                    return Ok(words);
                }
                None | Some(b'&' | b'|' | b';' | b'<' | b'>') => return self.trouble("a parenthesis is not closed"),
                Some(b'(') => return self.parenthesis(),
                _ => words.push(self.word()?),
            }
        }
    }

    fn word(&mut self) -> Parsed<Word> {
        let at = self.at;
        let mut parts = Vec::new();
        self.parts(&mut parts)?;
        // A list of alternatives in a pattern: `@(a|b)`, `*(N)` of zsh.
        if self.peek() == Some(b'(')
            && self.dialect.is_rich()
            && matches!(parts.last(), Some(Part::Text(t)) if t.last().is_some_and(|b| b"*?+@!".contains(b) || self.dialect == Dialect::Zsh && b"/)".contains(b)))
        {
            self.at = at;
            return self.pattern_word();
        }
        if self.at == at {
            return self.trouble("a word is missing");
        }
        Ok(Word::new(parts, at, self.at))
    }

    /// Takes the parts of a word.
    fn parts(&mut self, parts: &mut Vec<Part>) -> Parsed<()> {
        loop {
            let Some(byte) = self.peek() else { return Ok(()) };
            match byte {
                b' ' | b'\t' | b'\n' | b';' | b'&' | b'|' | b')' => return Ok(()),
                b'(' => return Ok(()),
                b'<' | b'>' => {
                    if self.dialect.is_rich() && self.peek_at(1) == Some(b'(') && self.dialect != Dialect::Mksh {
                        self.at += 2;
                        self.whole()?;
                        self.blanks();
                        if !self.take(b")") {
                            return self.trouble("a parenthesis is not closed");
                        }
                        parts.push(Part::Unfollowed("a file that another command writes"));
                        continue;
                    }
                    return Ok(());
                }
                b'\\' => {
                    match self.peek_at(1) {
                        // A tilde behind a joined line is none to ksh.
                        Some(b'\n') if self.dialect == Dialect::Ksh && self.peek_at(2) == Some(b'~') => {
                            parts.push(Part::Quoted(Vec::new()));
                        }
                        Some(b'\n') => {}
                        Some(next) => parts.push(Part::Quoted(vec![next])),
                        None if matches!(self.dialect, Dialect::Bash | Dialect::Dash) => push_text(parts, b'\\'),
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                b'}' if self.dialect == Dialect::Zsh && !matches!(parts.last(), Some(Part::Text(t)) if t.contains(&b'{')) => {
                    return Err(Trouble { at: self.at, what: "a brace that zsh takes for an end", is_error: false });
                }
                b'\'' => {
                    let from = self.at + 1;
                    let rest = self.text.get(from..).unwrap_or_default();
                    let Some(length) = memchr::memchr(b'\'', rest) else { return self.trouble("a quote is not closed") };
                    parts.push(Part::Quoted(rest.get(..length).unwrap_or_default().to_vec()));
                    self.at = from + length + 1;
                }
                b'"' => {
                    self.at += 1;
                    let inner = self.deeper(|p| p.double(Some(b'"')))?;
                    if !self.take(b"\"") {
                        return self.trouble("a quote is not closed");
                    }
                    parts.push(Part::Double(inner));
                }
                b'$' if self.dialect.is_rich() && self.peek_at(1) == Some(b'\'') => {
                    self.at += 2;
                    let text = self.escaped()?;
                    parts.push(Part::Quoted(text));
                }
                b'$' if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) && self.peek_at(1) == Some(b'"') => {
                    self.at += 1;
                }
                b'$' | b'`' => {
                    let part = self.deeper(|p| p.dollar(false))?;
                    match part {
                        Some(part) => parts.push(part),
                        None => push_text(parts, b'$'),
                    }
                }
                byte => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    let length = rest.iter().take_while(|b| is_calm(**b)).count();
                    if length > 1 {
                        push_texts(parts, rest.get(..length).unwrap_or_default());
                    } else {
                        push_text(parts, byte);
                    }
                    self.at += length.max(1);
                }
            }
        }
    }

    /// Takes what stands in double quotes, up to the byte that ends it, or to the end.
    fn double(&mut self, end: Option<u8>) -> Parsed<Vec<Part>> {
        let mut parts: Vec<Part> = Vec::new();
        let quoted = |parts: &mut Vec<Part>, byte: u8| match parts.last_mut() {
            Some(Part::Quoted(text)) => text.push(byte),
            _ => parts.push(Part::Quoted(vec![byte])),
        };
        loop {
            let Some(byte) = self.peek() else { return Ok(parts) };
            if Some(byte) == end {
                return Ok(parts);
            }
            match byte {
                b'\\' => match self.peek_at(1) {
                    Some(b'\n') => self.at += 2,
                    Some(next) if b"$`\\".contains(&next) || next == b'"' && end.is_some() => {
                        quoted(&mut parts, next);
                        self.at += 2;
                    }
                    _ => {
                        quoted(&mut parts, b'\\');
                        self.at += 1;
                    }
                },
                b'$' | b'`' => match self.deeper(|p| p.dollar(true))? {
                    Some(part) => parts.push(part),
                    None => quoted(&mut parts, b'$'),
                },
                byte => {
                    quoted(&mut parts, byte);
                    self.at += 1;
                }
            }
        }
    }

    /// Takes what stands in `$'…'`.
    fn escaped(&mut self) -> Parsed<Vec<u8>> {
        let mut out = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a quote is not closed") };
            self.at += 1;
            if byte == b'\'' {
                // A NUL ends the text.
                if let Some(end) = memchr::memchr(0, &out) {
                    out.truncate(end);
                }
                return Ok(out);
            }
            if byte != b'\\' {
                out.push(byte);
                continue;
            }
            let Some(next) = self.peek() else { return self.trouble("a quote is not closed") };
            self.at += 1;
            match next {
                b'n' => out.push(b'\n'),
                b't' => out.push(b'\t'),
                b'r' => out.push(b'\r'),
                b'a' => out.push(7),
                b'b' => out.push(8),
                b'e' | b'E' => out.push(27),
                b'f' => out.push(12),
                b'v' => out.push(11),
                b'\\' | b'\'' | b'"' | b'?' => out.push(next),
                b'x' => match self.number(16, 2) {
                    Some(n) => out.push(n as u8),
                    None => out.extend_from_slice(b"\\x"),
                },
                b'0'..=b'7' => {
                    self.at -= 1;
                    out.push(self.number(8, 3).unwrap_or(0) as u8);
                }
                b'u' | b'U' => {
                    let most = if next == b'u' { 4 } else { 8 };
                    match self.number(16, most).and_then(char::from_u32) {
                        Some(c) => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
                        None => out.extend_from_slice(&[b'\\', next]),
                    }
                }
                b'c' => {
                    if let Some(control) = self.peek() {
                        self.at += 1;
                        out.push(control.to_ascii_uppercase() & 0x1f);
                    }
                }
                other => out.extend_from_slice(&[b'\\', other]),
            }
        }
    }

    fn number(&mut self, base: u32, most: usize) -> Option<u32> {
        let mut value: u32 = 0;
        let mut taken = 0;
        while taken < most
            && let Some(digit) = self.peek().and_then(|b| char::from(b).to_digit(base))
        {
            value = value.wrapping_mul(base).wrapping_add(digit);
            self.at += 1;
            taken += 1;
        }
        (taken > 0).then_some(value)
    }

    /// Takes what begins with `$` or a backtick; `None` for a dollar that is only one.
    fn dollar(&mut self, in_double: bool) -> Parsed<Option<Part>> {
        if self.peek() == Some(b'`') {
            return self.backticks(in_double).map(Some);
        }
        self.at += 1;
        match self.peek() {
            Some(b'(') if self.peek_at(1) == Some(b'(') => {
                let from = self.at;
                if let Some(inner) = self.balanced_sum() {
                    let mut parser = Parser::new(&inner, self.dialect);
                    parser.depth = self.depth;
                    return Ok(Some(Part::Sum(parser.double(None)?)));
                }
                self.at = from;
                self.output().map(Some)
            }
            Some(b'(') => self.output().map(Some),
            Some(b'[') if self.dialect == Dialect::Bash || self.dialect == Dialect::Zsh => Ok(Some(self.skip_brackets())),
            Some(b'{') => self.braced(in_double).map(Some),
            Some(byte) if is_name_start(byte) => {
                let from = self.at;
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
                let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
                // A joined line goes on with the name.
                if self.starts(b"\\\n") && self.peek_at(2).is_some_and(|b| is_name(b) || b >= 0x80) {
                    return Ok(Some(Part::Unfollowed("a name over two lines")));
                }
                if self.dialect == Dialect::Zsh && self.peek().is_none_or(|b| b < 0x80) {
                    return self.zsh_tail(name);
                }
                if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && self.peek().is_some_and(|b| b >= 0x80) {
                    return Ok(Some(Part::Unfollowed("a name with letters beyond ASCII")));
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::None }))))
            }
            Some(b'+') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(is_name_start) => {
                self.at += 1;
                self.is_set().map(Some)
            }
            Some(byte) if byte.is_ascii_digit() || b"@*#?-$!".contains(&byte) => {
                self.at += 1;
                // In zsh `$#name` is a length.
                if self.dialect == Dialect::Zsh && byte == b'#' && self.peek().is_some_and(|b| is_name(b) || b"@*".contains(&b)) {
                    return Ok(Some(Part::Unfollowed("a length as zsh writes it")));
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name: vec![byte], key: None, change: Change::None }))))
            }
            _ => Ok(None),
        }
    }

    /// Takes a name and a key behind `+`.
    fn is_set(&mut self) -> Parsed<Part> {
        let from = self.at;
        while self.peek().is_some_and(is_name) {
            self.at += 1;
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        let mut key = None;
        if self.peek() == Some(b'[') {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let Some(close) = rest.iter().position(|b| *b == b']') else { return self.trouble("a bracket is not closed") };
            let text = rest.get(1..close).unwrap_or_default();
            self.at += close + 1;
            if text.iter().any(|b| b"$`'\"\\(){}*?".contains(b)) {
                return Ok(Part::Unfollowed("a key that is not known"));
            }
            key = Some(text.to_vec());
        }
        Ok(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::IsSet(key) })))
    }

    /// Takes modifiers of zsh's, if they are followed.
    fn modifiers(&mut self) -> Option<Vec<u8>> {
        let mut out = Vec::new();
        while self.peek() == Some(b':') {
            let letter = self.peek_at(1).filter(|b| b"htrelu".contains(b))?;
            if self.peek_at(2).is_some_and(|b| b.is_ascii_alphanumeric()) {
                return None;
            }
            out.push(letter);
            self.at += 2;
        }
        (!out.is_empty()).then_some(out)
    }

    /// In zsh a subscript or a modifier may follow a bare name.
    fn zsh_tail(&mut self, name: Vec<u8>) -> Parsed<Option<Part>> {
        let keyed = move |key, change| Ok(Some(Part::Parameter(Box::new(Parameter { name, key, change }))));
        match self.peek() {
            Some(b'[') => {
                let rest = self.text.get(self.at..).unwrap_or_default();
                match rest.iter().position(|b| *b == b']') {
                    Some(close) => {
                        self.at += close + 1;
                        let text = rest.get(1..close).unwrap_or_default();
                        let is_number =
                            !text.is_empty() && text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit);
                        if is_number && text != b"-" && !self.peek().is_some_and(|b| b"[:".contains(&b)) {
                            let key = Some(vec![Part::Quoted(text.to_vec())]);
                            return keyed(key, Change::None);
                        }
                        let is_plain = !text.is_empty() && text.iter().all(|b| b.is_ascii_digit() || b"-,@*".contains(b));
                        keyed(None, Change::Unfollowed(if is_plain { "a subscript" } else { ODD_SUBSCRIPT }))
                    }
                    None => keyed(None, Change::None),
                }
            }
            Some(b':') if self.peek_at(1).is_some_and(|b| b"aAcehlpPqQrstuwW&".contains(&b)) => {
                let from = self.at;
                if self.peek_at(1) != Some(b'q')
                    && let Some(letters) = self.modifiers()
                {
                    return keyed(None, Change::Parts(letters));
                }
                self.at = from;
                let change =
                    if self.peek_at(1) == Some(b'q') { Change::Quote } else { Change::Unfollowed("a modifier of zsh's") };
                self.at += 2;
                keyed(None, change)
            }
            _ => keyed(None, Change::None),
        }
    }

    fn skip_brackets(&mut self) -> Part {
        let rest = self.text.get(self.at..).unwrap_or_default();
        self.at += rest.iter().position(|b| *b == b']').map_or(rest.len(), |at| at + 1);
        Part::Unfollowed("a sum as it was once written")
    }

    /// Takes `((…))` from its first parenthesis; returns what stands inside, if it is closed so.
    fn balanced_sum(&mut self) -> Option<Vec<u8>> {
        let from = self.at + 2;
        let mut open = 2;
        let mut at = from;
        while let Some(byte) = self.text.get(at) {
            match byte {
                b'(' => open += 1,
                b')' => {
                    open -= 1;
                    if open == 1 && self.text.get(at + 1) != Some(&b')') {
                        return None;
                    }
                    if open == 0 {
                        self.at = at + 1;
                        return self.text.get(from..at - 1).map(<[u8]>::to_vec);
                    }
                }
                b'\'' | b'"' if open == 2 && *byte == b'\'' => return None,
                b'\\' => at += 1,
                _ => {}
            }
            at += 1;
        }
        None
    }

    fn output(&mut self) -> Parsed<Part> {
        self.at += 1;
        let list = self.whole()?;
        self.blanks();
        if !self.take(b")") {
            return self.trouble("a command in parentheses is not closed");
        }
        Ok(Part::Output(Rc::new(Ok(list))))
    }

    fn backticks(&mut self, in_double: bool) -> Parsed<Part> {
        self.at += 1;
        let mut inner = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a backtick is not closed") };
            self.at += 1;
            match byte {
                b'`' => break,
                b'\\' => match self.peek() {
                    Some(next) if b"`\\$".contains(&next) || next == b'"' && in_double => {
                        inner.push(next);
                        self.at += 1;
                    }
                    _ => inner.push(b'\\'),
                },
                byte => inner.push(byte),
            }
        }
        let mut parser = Parser::new(&inner, self.dialect);
        parser.depth = self.depth;
        let list = parser
            .whole()
            .and_then(|list| if parser.at < inner.len() { parser.trouble("this cannot stand here") } else { Ok(list) });
        Ok(Part::Output(Rc::new(list)))
    }

    fn braced(&mut self, in_double: bool) -> Parsed<Part> {
        let start = self.at;
        self.at += 1;
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'+') && self.peek_at(1).is_some_and(is_name_start) {
            self.at += 1;
            let part = self.is_set()?;
            if self.take(b"}") {
                return Ok(part);
            }
            self.skip_braces(start)?;
            return Ok(Part::Unfollowed(ODD_SHAPE));
        }
        if self.dialect == Dialect::Zsh
            && let Some(part) = self.flagged()
        {
            return Ok(part);
        }
        if self.dialect == Dialect::Zsh && self.peek() == Some(b'(')
            || matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && self.peek().is_some_and(|b| b == b' ' || b == b'|')
        {
            self.skip_braces(start)?;
            let text = self.text.get(start..self.at).unwrap_or_default();
            // A quoted text is no parameter; what a command prints is one.
            let is_odd =
                memchr::memmem::find(text, b")\"").is_some_and(|at| !text.get(at + 2).is_some_and(|b| b"$`".contains(b)));
            return Ok(Part::Unfollowed(if is_odd { ODD_SHAPE } else { "flags of a parameter" }));
        }
        let mut change = Change::None;
        if self.peek() == Some(b'#') && self.peek_at(1).is_some_and(|b| b != b'}' && (is_name(b) || b"@*#?-$!".contains(&b))) {
            self.at += 1;
            change = Change::Length;
        } else if self.peek() == Some(b'!') && self.dialect == Dialect::Bash && self.peek_at(1).is_some_and(is_name_start) {
            self.at += 1;
            change = Change::Indirect;
        }
        let from = self.at;
        match self.peek() {
            Some(byte) if is_name_start(byte) => {
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
            }
            Some(byte) if byte.is_ascii_digit() => {
                while self.peek().is_some_and(|b| b.is_ascii_digit()) {
                    self.at += 1;
                }
            }
            Some(b'$') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(|b| b"{(".contains(&b)) => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed("a parameter of zsh's own shape"));
            }
            Some(byte) if b"@*#?-$!".contains(&byte) => self.at += 1,
            // zsh's own shapes, such as a parameter within another.
            Some(b':' | b'^' | b'=' | b'~') if self.dialect == Dialect::Zsh => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed("a parameter of zsh's own shape"));
            }
            _ => {
                self.skip_braces(start)?;
                return Ok(Part::Unfollowed(ODD_SHAPE));
            }
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        let mut key = None;
        if self.peek() == Some(b'[') && self.dialect.is_rich() {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let Some(close) = closing(rest) else { return self.trouble("a bracket is not closed") };
            let mut inner = Parser::new(rest.get(1..close).unwrap_or_default(), self.dialect);
            inner.depth = self.depth;
            key = Some(inner.double(None)?);
            self.at += close + 1;
        }
        let whole = |change| Ok(Part::Parameter(Box::new(Parameter { name, key, change })));
        if self.take(b"}") {
            return whole(change);
        }
        if change != Change::None {
            self.skip_braces(start)?;
            return whole(Change::Unfollowed(ODD_SHAPE));
        }
        let colon = self.peek() == Some(b':') && self.peek_at(1).is_some_and(|b| b"-=?+".contains(&b));
        if colon {
            self.at += 1;
        }
        let change = match self.peek() {
            Some(sign @ (b'-' | b'=' | b'?' | b'+')) => {
                self.at += 1;
                Change::Instead(sign, colon, self.inner_word(in_double, b"}")?)
            }
            Some(sign @ (b'#' | b'%')) => {
                self.at += 1;
                let longest = self.peek() == Some(sign);
                self.at += usize::from(longest);
                Change::Trim(sign == b'%', longest, self.inner_word(false, b"}")?)
            }
            Some(b'/') if self.dialect.is_rich() => {
                self.at += 1;
                let how = match self.peek() {
                    Some(how @ (b'/' | b'#' | b'%')) => {
                        self.at += 1;
                        how
                    }
                    _ => b' ',
                };
                let pattern = self.inner_word(false, b"/}")?;
                let with = if self.take(b"/") { self.inner_word(false, b"}")? } else { Word::default() };
                Change::Replace(pattern, with, how)
            }
            Some(b':') if self.dialect.is_rich() => {
                if self.dialect == Dialect::Zsh
                    && self.peek_at(1).is_some_and(|b| b.is_ascii_alphabetic() || b == b'#' || b == b'|')
                {
                    if let Some(letters) = self.modifiers()
                        && self.take(b"}")
                    {
                        return whole(Change::Parts(letters));
                    }
                    self.skip_braces(start)?;
                    return whole(Change::Unfollowed("a modifier of zsh's"));
                }
                self.at += 1;
                let offset = self.inner_word(true, b":}")?.parts;
                let length = if self.take(b":") { Some(self.inner_word(true, b"}")?.parts) } else { None };
                Change::Slice(offset, length)
            }
            Some(sign @ (b'^' | b',')) if self.dialect == Dialect::Bash => {
                self.at += 1;
                let all = self.peek() == Some(sign);
                self.at += usize::from(all);
                if self.peek() == Some(b'}') {
                    Change::Case(sign == b'^', all)
                } else {
                    self.skip_braces(start)?;
                    return whole(Change::Unfollowed("a change of case by a pattern"));
                }
            }
            _ => {
                self.skip_braces(start)?;
                return whole(Change::Unfollowed(ODD_SHAPE));
            }
        };
        if !self.take(b"}") {
            return self.trouble("a brace is not closed");
        }
        whole(change)
    }

    /// Takes the rest of `${(FLAGS)NAME}` with flags of zsh's that are followed, a bare name and nothing more.
    fn flagged(&mut self) -> Option<Part> {
        let rest = self.text.get(self.at..)?;
        let close = rest.iter().position(|b| *b == b')')?;
        let flags = rest.get(..close)?.strip_prefix(b"(")?;
        let change = match flags {
            b"U" | b"L" => Change::Case(flags == b"U", true),
            [kind @ (b'j' | b's'), open, text @ .., end] if open == end && b":,.|/".contains(open) && !text.contains(open) => {
                if text.is_empty() {
                    return None;
                }
                if *kind == b'j' { Change::Join(text.to_vec()) } else { Change::Split(text.to_vec()) }
            }
            _ => return None,
        };
        let tail = rest.get(close + 1..)?;
        let length = tail.iter().take_while(|b| is_name(**b)).count();
        let name = tail.get(..length)?.to_vec();
        if !name.first().is_some_and(|b| is_name_start(*b)) || tail.get(length) != Some(&b'}') {
            return None;
        }
        self.at += close + 1 + length + 1;
        Some(Part::Parameter(Box::new(Parameter { name, key: None, change })))
    }

    /// Passes over `{…}` from its brace, whatever it holds.
    fn skip_braces(&mut self, start: usize) -> Parsed<()> {
        self.at = start;
        let mut open = 0;
        while let Some(byte) = self.peek() {
            self.at += 1;
            match byte {
                b'{' => open += 1,
                b'}' => {
                    open -= 1;
                    if open == 0 {
                        return Ok(());
                    }
                }
                b'\\' => self.at += 1,
                b'\'' => {
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\'', rest).map_or(0, |l| l + 1);
                }
                _ => {}
            }
        }
        self.trouble("a brace is not closed")
    }

    /// Takes the word inside braces, up to one of the ends.
    fn inner_word(&mut self, in_double: bool, ends: &[u8]) -> Parsed<Word> {
        let at = self.at;
        let mut parts: Vec<Part> = Vec::new();
        loop {
            let Some(byte) = self.peek() else { return self.trouble("a brace is not closed") };
            if ends.contains(&byte) {
                return Ok(Word::new(parts, at, self.at));
            }
            match byte {
                b'\\' => {
                    match self.peek_at(1) {
                        Some(b'\n') => {}
                        Some(next) if !in_double || b"$`\\\"}".contains(&next) => parts.push(Part::Quoted(vec![next])),
                        Some(next) => {
                            push_text(&mut parts, b'\\');
                            push_text(&mut parts, next);
                        }
                        None => {}
                    }
                    self.at = (self.at + 2).min(self.text.len());
                }
                b'\'' if !in_double => {
                    let rest = self.text.get(self.at + 1..).unwrap_or_default();
                    let Some(length) = memchr::memchr(b'\'', rest) else { return self.trouble("a quote is not closed") };
                    parts.push(Part::Quoted(rest.get(..length).unwrap_or_default().to_vec()));
                    self.at += length + 2;
                }
                b'"' => {
                    self.at += 1;
                    let inner = self.deeper(|p| p.double(Some(b'"')))?;
                    if !self.take(b"\"") {
                        return self.trouble("a quote is not closed");
                    }
                    parts.push(Part::Double(inner));
                }
                b'$' if !in_double && self.dialect.is_rich() && self.peek_at(1) == Some(b'\'') => {
                    self.at += 2;
                    let text = self.escaped()?;
                    parts.push(Part::Quoted(text));
                }
                b'$' | b'`' => match self.deeper(|p| p.dollar(in_double))? {
                    Some(part) => parts.push(part),
                    None => push_text(&mut parts, b'$'),
                },
                byte => {
                    push_text(&mut parts, byte);
                    self.at += 1;
                }
            }
        }
    }
}

fn push_text(parts: &mut Vec<Part>, byte: u8) {
    push_texts(parts, &[byte]);
}

fn push_texts(parts: &mut Vec<Part>, bytes: &[u8]) {
    match parts.last_mut() {
        Some(Part::Text(text)) => text.extend_from_slice(bytes),
        _ => parts.push(Part::Text(bytes.to_vec())),
    }
}

/// The text of a delimiter, and whether any of it is quoted.
fn flat(parts: &[Part], out: &mut Vec<u8>, is_quoted: &mut bool) {
    for part in parts {
        match part {
            Part::Text(text) => out.extend_from_slice(text),
            Part::Quoted(text) => {
                out.extend_from_slice(text);
                *is_quoted = true;
            }
            Part::Double(inner) => {
                *is_quoted = true;
                flat(inner, out, is_quoted);
            }
            _ => {}
        }
    }
}
