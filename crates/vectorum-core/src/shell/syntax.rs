//! The tree of a shell file: commands and words with their places in the bytes they came from.

use std::ops::Deref;
use std::sync::{Arc, OnceLock};

use bytes::Bytes;
use smallvec::SmallVec;

use super::shaped::Shaped;
use super::value::Val;

/// A shell of the Bourne family. fish has a grammar of its own.
#[derive(Clone, Copy, Debug, Hash, PartialEq, Eq)]
pub enum Dialect {
    /// dash, Debian's `sh`.
    Dash,
    /// GNU bash.
    Bash,
    /// zsh.
    Zsh,
    /// ksh93.
    Ksh,
    /// mksh.
    Mksh,
}

impl Dialect {
    /// Whether it has more than POSIX asks for: `[[`, arrays, `$'…'`, braces.
    pub(super) fn is_rich(self) -> bool {
        self != Dialect::Dash
    }
}

/// Commands one after another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct List {
    /// The commands in order.
    pub items: Vec<Item>,
}

/// One pipeline or several joined by `&&` and `||`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Item {
    /// The first one.
    pub first: Pipeline,
    /// The others; whether each runs on success of what is before it.
    pub rest: Vec<(bool, Pipeline)>,
    /// Whether it runs in the background: its changes are lost.
    pub is_background: bool,
}

impl Item {
    /// All its pipelines, one behind the other.
    pub(super) fn pipelines(&self) -> impl Iterator<Item = &Pipeline> {
        std::iter::once(&self.first).chain(self.rest.iter().map(|(_, pipeline)| pipeline))
    }
}

/// Commands joined by `|`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pipeline {
    /// Whether its status is turned round.
    pub is_negated: bool,
    /// Whether its time is taken, and told.
    pub is_timed: bool,
    /// Its commands, most often one.
    pub commands: SmallVec<[Command; 1]>,
}

/// A command.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Command {
    /// What it is.
    pub kind: Kind,
    /// Its redirections.
    pub redirects: Vec<Redirect>,
    /// Where it begins.
    pub at: usize,
    /// Where it ends.
    pub end: usize,
}

/// The kinds of commands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Assignments, and words of which the first is the command's name.
    Simple(Vec<Assignment>, Vec<Word>),
    /// `{ …; }`.
    Group(List),
    /// `{ … } always { … }`, of zsh.
    Always(List, List),
    /// `( … )`.
    Subshell(List),
    /// `if`: conditions with what they lead to, and `else`.
    If(Vec<(List, List)>, Option<List>),
    /// `for NAME in WORDS`, in zsh with several names; without words over the positional parameters.
    For(Vec<Bytes>, Option<Vec<Word>>, List),
    /// `for ((…; …; …))`.
    Count(Box<[Vec<Part>; 3]>, List),
    /// `repeat COUNT`, of zsh.
    Repeat(Box<Word>, List),
    /// `while`, or `until`.
    While(bool, List, List),
    /// `case WORD in`.
    Case(Box<Word>, Vec<Arm>),
    /// A function and its body; whether it is defined by the word `function`.
    Function(Vec<u8>, Arc<Command>, bool),
    /// A function whose name is a word that is expanded, in zsh.
    Named(Box<Word>, Arc<Command>, bool),
    /// `[[ … ]]`.
    Test(Box<Test>),
    /// `(( … ))`.
    Arithmetic(Vec<Part>),
    /// Something that is not followed: why.
    Unfollowed(&'static str),
}

/// An arm of `case`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Arm {
    /// Its patterns.
    pub patterns: Vec<Word>,
    /// What it does.
    pub body: List,
    /// What follows it.
    pub end: ArmEnd,
}

/// What follows an arm.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ArmEnd {
    /// `;;`: nothing more.
    Done,
    /// `;&`: the next arm's body.
    Through,
    /// `;;&` or `;|`: the next patterns are tried, too.
    On,
}

/// A condition in `[[ ]]`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Test {
    /// A word alone: whether it is not empty.
    Word(Word),
    /// `-f WORD` and its kin.
    Unary(Vec<u8>, Word),
    /// `WORD == WORD` and its kin.
    Binary(Word, Vec<u8>, Word),
    /// `!`.
    Not(Box<Test>),
    /// `&&`.
    And(Box<Test>, Box<Test>),
    /// `||`.
    Or(Box<Test>, Box<Test>),
}

impl Test {
    /// Whether anything in it is held against a regular expression.
    pub(super) fn has_expression(&self) -> bool {
        match self {
            Test::Word(_) | Test::Unary(..) => false,
            Test::Binary(_, operator, _) => operator == b"=~",
            Test::Not(inner) => inner.has_expression(),
            Test::And(one, other) | Test::Or(one, other) => one.has_expression() || other.has_expression(),
        }
    }
}

/// `NAME=VALUE`, `NAME+=VALUE`, `NAME[KEY]=VALUE`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Assignment {
    /// The name.
    pub name: Bytes,
    /// The subscript.
    pub key: Option<Vec<Part>>,
    /// Whether it adds to what was there.
    pub adds: bool,
    /// The value.
    pub value: Assigned,
    /// Where it begins.
    pub at: usize,
}

/// What is assigned.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Assigned {
    /// A word.
    Word(Word),
    /// `( WORDS )`.
    Array(Vec<Word>),
}

impl Assigned {
    /// The words: the one, or those of a list.
    pub fn words(&self) -> &[Word] {
        match self {
            Assigned::Word(word) => std::slice::from_ref(word),
            Assigned::Array(words) => words,
        }
    }
}

/// A redirection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Redirect {
    /// `<`, `>`, `<<<` and so on; `<<` for a here-document.
    pub operator: Vec<u8>,
    /// The number or name before it.
    pub from: Vec<u8>,
    /// The file, or the text of a here-document or here-string.
    pub word: Word,
}

/// The parts of a word, most of which have one.
pub(super) type Parts = SmallVec<[Part; 1]>;

/// A word: parts that are put together when it is expanded.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Word {
    /// The parts.
    pub parts: Parts,
    /// Where it begins.
    pub at: usize,
    /// Where it ends.
    pub end: usize,
    /// The same as an assignment, where it has that shape: for `export` and its kin.
    pub assignment: Option<Arc<Assignment>>,
    /// Whether every shell takes its text as it stands, wherever it stands.
    is_calm: bool,
}

impl Word {
    /// The same between double quotes, if it is.
    pub(super) fn in_quotes(self, is_quoted: bool) -> Word {
        let Word { at, end, .. } = self;
        if is_quoted { Word::new(std::iter::once(Part::Double(self.parts.into_vec())).collect(), at, end) } else { self }
    }

    /// Makes a word of its parts.
    pub(super) fn new(parts: Parts, at: usize, end: usize) -> Word {
        let is_calm = match &parts[..] {
            [Part::Text(text)] => **text == *b"[" || text.iter().all(|b| is_calm(*b)),
            _ => false,
        };
        Word { parts, at, end, assignment: None, is_calm }
    }

    /// Returns the text if nothing in it is quoted or expanded.
    pub fn literal(&self) -> Option<&[u8]> {
        match &self.parts[..] {
            [] => Some(b""),
            [Part::Text(text)] => Some(text),
            _ => None,
        }
    }

    /// Returns the text if it is one that every shell takes as it stands, wherever it stands.
    pub(super) fn calm(&self) -> Option<Val> {
        match &self.parts[..] {
            [Part::Text(text)] if self.is_calm => Some(Val::Known(text.bytes())),
            _ => None,
        }
    }
}

/// Whether a byte has no meaning of its own in any word of any shell.
pub(super) fn is_calm(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'/' | b'.' | b',' | b':' | b'+' | b'@' | b'%' | b'-' | b']')
}

/// A text within a word.
#[derive(Clone, Debug)]
pub enum Text {
    /// A stretch of the file, which it shares.
    Stretch(Bytes),
    /// Put together, where something was left out or stands for something else.
    Own(Vec<u8>),
}

impl Text {
    /// Makes one of bytes that stand nowhere.
    pub(super) fn of(bytes: &[u8]) -> Text {
        Text::Own(bytes.to_vec())
    }

    /// Adds to it.
    pub(super) fn push(&mut self, more: &[u8]) {
        match self {
            Text::Own(text) => text.extend_from_slice(more),
            Text::Stretch(text) => *self = Text::Own([text, more].concat()),
        }
    }

    /// Returns it as a value.
    pub(super) fn bytes(&self) -> Bytes {
        match self {
            Text::Stretch(text) => text.clone(),
            Text::Own(text) => Bytes::copy_from_slice(text),
        }
    }
}

impl Deref for Text {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        match self {
            Text::Stretch(text) => text,
            Text::Own(text) => text,
        }
    }
}

impl PartialEq for Text {
    fn eq(&self, other: &Text) -> bool {
        **self == **other
    }
}

impl Eq for Text {}

/// A part of a word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Text that was not quoted.
    Text(Text),
    /// Text that was quoted.
    Quoted(Text),
    /// Text that was quoted, with letters that are written as numbers.
    Coded(Box<Coded>),
    /// What stands between double quotes.
    Double(Vec<Part>),
    /// `$NAME`, `${…}`.
    Parameter(Box<Parameter>),
    /// `$(…)`: its commands, or why they cannot be read.
    Output(Arc<Result<List, Trouble>>),
    /// `<(…)`: the name of a file that holds what commands print.
    Channel(Arc<Result<List, Trouble>>),
    /// `$((…))`.
    Sum(Vec<Part>),
    /// The text of a here-document, once its lines are read; why, if it is not followed.
    Document(Arc<OnceLock<Result<Vec<Part>, &'static str>>>),
    /// A parameter as zsh alone writes it.
    Shaped(Box<Shaped>),
    /// Something that is not followed: why.
    Unfollowed(&'static str),
}

impl Part {
    /// Whether something is so of it or of a part within it: between its quotes, in its document, in the words of what is done
    /// to a parameter.
    pub(super) fn has(&self, is_so: &impl Fn(&Part) -> bool) -> bool {
        let any = |parts: &[Part]| parts.iter().any(|part| part.has(is_so));
        is_so(self)
            || match self {
                Part::Double(parts) => any(parts),
                Part::Document(text) => text.get().and_then(|text| text.as_ref().ok()).is_some_and(|parts| any(parts)),
                Part::Parameter(parameter) => match &parameter.change {
                    Change::Trim(.., word) | Change::Instead(.., word) => any(&word.parts),
                    Change::Replace(both, _) => any(&both.0.parts) || any(&both.1.parts),
                    _ => false,
                },
                _ => false,
            }
    }
}

/// A text with letters that are written as numbers, which the locale decides of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Coded {
    /// Where the locale's letters are UTF-8.
    pub utf8: Bytes,
    /// Where they are ASCII, if that is no error.
    pub plain: Option<Bytes>,
}

/// A parameter and what is done to its value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parameter {
    /// A name, a number, or a sign such as `@`.
    pub name: Bytes,
    /// The subscript.
    pub key: Option<Vec<Part>>,
    /// What is done.
    pub change: Change,
    /// Whether not this one is meant, but the one whose name it holds: `${!NAME}` of bash.
    pub is_indirect: bool,
}

/// What is done to a parameter's value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Change {
    /// Nothing.
    None,
    /// `${#NAME}`.
    Length,
    /// `${!BEGINNING@}` and `${!BEGINNING*}` of bash, the names that begin so: whether they may become one text.
    Names(bool),
    /// `-`, `=`, `?`, `+` with a word; whether an empty value counts as unset.
    Instead(u8, bool, Word),
    /// `#`, `##`, `%`, `%%` with a pattern: from the end, as much as possible.
    Trim(bool, bool, Word),
    /// `/`: the pattern, what takes its place, and how: `/` all, `#` at the start, `%` at the end, a blank the first.
    Replace(Box<(Word, Word)>, u8),
    /// `:FROM` or `:FROM:LENGTH`.
    Slice(Vec<Part>, Option<Vec<Part>>),
    /// `^`, `^^`, `,`, `,,`: to upper case, all of it.
    Case(bool, bool),
    /// `:q` of zsh: quoted.
    Quote,
    /// `@Q` of bash: in single quotes.
    InQuotes,
    /// `:h`, `:t`, `:r`, `:e`, `:l`, `:u` of zsh, one after the other.
    Parts(Vec<u8>),
    /// `${+NAME}` of zsh: whether it is set; of a table, whether it has the key.
    IsSet(Option<Vec<Part>>),
    /// Something that is not followed: why.
    Unfollowed(&'static str),
}

/// Why a file cannot be read on from a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trouble {
    /// The place.
    pub at: usize,
    /// What is wrong.
    pub what: &'static str,
    /// Whether the shell takes it as an error, too; otherwise it is only not followed here.
    pub is_error: bool,
}
