//! What a shell holds while it runs a file: variables, functions, options; and what is known of
//! each where branches come together again.

use std::collections::BTreeMap;
use std::rc::Rc;

use bytes::Bytes;

use super::syntax::Command;
use super::value::{Doubt, Val};
use crate::route::Site;

/// What a variable holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Content {
    /// It is not set.
    Unset,
    /// It is set.
    Set(Val),
    /// It is set to this, or not at all.
    Perhaps(Val),
    /// A list of values.
    Array(Rc<Vec<Val>>),
}

impl Content {
    /// The value as a text: of a list, its first.
    pub(super) fn value(&self) -> Option<Val> {
        match self {
            Content::Unset => None,
            Content::Set(value) | Content::Perhaps(value) => Some(value.clone()),
            Content::Array(values) => values.first().cloned(),
        }
    }
}

/// A variable.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Var {
    pub(super) content: Content,
    /// Whether children receive it; `None` where that is not known.
    pub(super) exported: Option<bool>,
    pub(super) readonly: bool,
    /// The line that decided its value; `None` for what was there at the start.
    pub(super) site: Option<Site>,
    /// Whether it is exported only once it gets a value (zsh).
    pub(super) is_pending: bool,
    /// Whether something was done to it that is not followed, such as `declare -i`.
    pub(super) is_odd: bool,
}

impl Var {
    pub(super) fn unset() -> Var {
        Var { content: Content::Unset, exported: Some(false), readonly: false, site: None, is_pending: false, is_odd: false }
    }
}

/// A function.
#[derive(Clone, Debug)]
pub(super) struct Function {
    pub(super) body: Rc<Command>,
    pub(super) source: Rc<super::Source>,
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        Rc::ptr_eq(&self.body, &other.body)
    }
}

/// What a status is known to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Status {
    Known(u8),
    Unknown(Rc<Doubt>),
}

/// All that a shell holds.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct State {
    pub(super) vars: BTreeMap<Bytes, Var>,
    /// `None` marks one that may be defined or not, or otherwise.
    pub(super) functions: BTreeMap<Bytes, Option<Function>>,
    pub(super) aliases: BTreeMap<Bytes, Option<Bytes>>,
    /// Options by their letters or long names; `None` where it is not known.
    pub(super) options: BTreeMap<&'static str, Option<bool>>,
    pub(super) status: Status,
    /// The positional parameters.
    pub(super) positional: Result<Rc<Vec<Val>>, Rc<Doubt>>,
    pub(super) folder: Option<Bytes>,
    /// What may be read from standard input, and how far it was read.
    pub(super) input: Option<(Bytes, usize)>,
    /// What was written to standard output, where that is taken up.
    pub(super) output: Option<Val>,
    /// Why names that are not listed may be set, too.
    pub(super) open: Option<Rc<Doubt>>,
    /// Names made local by functions that have not ended, with what they were.
    pub(super) hidden: Vec<Vec<(Bytes, Option<Var>)>>,
}

fn join_content(a: &Content, b: &Content, why: &Rc<Doubt>) -> Content {
    use Content::{Array, Perhaps, Set, Unset};
    match (a, b) {
        (a, b) if a == b => a.clone(),
        (Unset, other) | (other, Unset) => match other {
            Set(value) | Perhaps(value) => Perhaps(value.clone()),
            Array(_) | Unset => Perhaps(Val::Unknown(why.clone())),
        },
        (Set(a), Set(b)) => Set(a.join(b, why)),
        (Set(a) | Perhaps(a), Set(b) | Perhaps(b)) => Perhaps(a.join(b, why)),
        _ => Set(Val::Unknown(why.clone())),
    }
}

impl State {
    pub(super) fn option(&self, name: &str) -> Option<bool> {
        self.options.get(name).copied().unwrap_or(Some(false))
    }

    /// What is known where either this or another state holds. Names that only one of them knows of
    /// may be set by what is not followed there.
    pub(super) fn join(mut self, other: State, why: &Rc<Doubt>) -> State {
        if self == other {
            return self;
        }
        let missing = |open: &Option<Rc<Doubt>>| match open {
            Some(doubt) => Var { content: Content::Perhaps(Val::Unknown(doubt.clone())), exported: None, ..Var::unset() },
            None => Var::unset(),
        };
        let State { vars, functions, aliases, options, status, positional, folder, input, output, open, hidden } = other;
        let names: std::collections::BTreeSet<Bytes> = self.vars.keys().chain(vars.keys()).cloned().collect();
        for name in names {
            let a = self.vars.get(&name).cloned().unwrap_or_else(|| missing(&self.open));
            let b = vars.get(&name).cloned().unwrap_or_else(|| missing(&open));
            if a == b {
                continue;
            }
            let content = join_content(&a.content, &b.content, why);
            // Of a name that is not set the export says nothing.
            let exported = match (&a.content, &b.content) {
                (Content::Unset, Content::Unset) if a.exported != b.exported => None,
                (Content::Unset, _) if a.exported == Some(false) => b.exported,
                (_, Content::Unset) if b.exported == Some(false) => a.exported,
                _ if a.exported == b.exported => a.exported,
                _ => None,
            };
            let site = if matches!(content, Content::Unset) { None } else { b.site.clone().or(a.site.clone()) };
            let var = Var {
                content,
                exported,
                readonly: a.readonly || b.readonly,
                site,
                is_pending: a.is_pending && b.is_pending,
                is_odd: a.is_odd || b.is_odd,
            };
            self.vars.insert(name, var);
        }
        let names: Vec<Bytes> = self.functions.keys().chain(functions.keys()).cloned().collect();
        for name in names {
            if self.functions.get(&name) != functions.get(&name) {
                self.functions.insert(name, None);
            }
        }
        let names: Vec<Bytes> = self.aliases.keys().chain(aliases.keys()).cloned().collect();
        for name in names {
            if self.aliases.get(&name) != aliases.get(&name) {
                self.aliases.insert(name, None);
            }
        }
        let names: Vec<&'static str> = self.options.keys().chain(options.keys()).copied().collect();
        for name in names {
            if self.option(name) != options.get(name).copied().unwrap_or(Some(false)) {
                self.options.insert(name, None);
            }
        }
        if self.status != status {
            self.status = Status::Unknown(why.clone());
        }
        if self.positional != positional {
            self.positional = Err(why.clone());
        }
        if self.folder != folder {
            self.folder = None;
        }
        if self.input != input {
            self.input = None;
        }
        self.output = match (self.output.take(), output) {
            (Some(a), Some(b)) => Some(a.join(&b, why)),
            _ => None,
        };
        if self.hidden != hidden {
            // Branches end as deep in functions as they began; what is made local in one of them only is
            // not followed.
            self.open = self.open.or(Some(why.clone()));
            let depth = self.hidden.len().min(hidden.len());
            self.hidden.truncate(depth);
        }
        self.open = self.open.or(open);
        self
    }
}
