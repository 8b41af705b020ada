//! Functions: with parentheses behind their names, behind a word of their own, and without a name.

use std::sync::Arc;

use smallvec::smallvec;

use super::{Parsed, Parser, is_name, is_name_start};
use crate::shell::syntax::*;

impl Parser<'_> {
    /// Takes a function of zsh's without a name, which runs at once: it becomes one with a name that nobody
    /// can give, and its call.
    pub(in crate::shell) fn anonymous(&mut self) -> Parsed<Kind> {
        let at = self.at;
        self.take(b"()");
        let name = b"(anon)".to_vec();
        let function = self.function(name.clone(), at, false)?;
        let mut words = vec![Word::new(smallvec![Part::Quoted(Text::Own(name))], at, at)];
        loop {
            self.blanks();
            match self.peek() {
                None | Some(b'\n' | b';' | b'&' | b'|' | b')' | b'<' | b'>' | b'}') => break,
                _ => words.push(self.word()?),
            }
        }
        let call = Command { kind: Kind::Simple(Vec::new(), words), redirects: Vec::new(), at, end: self.at };
        Ok(Kind::Group(List { items: vec![item_of(function), item_of(call)] }))
    }

    pub(in crate::shell) fn function(&mut self, name: Vec<u8>, at: usize, by_word: bool) -> Parsed<Command> {
        self.lines()?;
        // There it may be missing, or turned round.
        let is_odd = [&b"!"[..], b"time"].iter().any(|word| self.is_word(word));
        let may_lack = match self.dialect {
            Dialect::Mksh | Dialect::Zsh => is_odd || self.at_end(),
            Dialect::Ksh => self.at_end() && (self.peek() != Some(b';') || self.starts(b";;")),
            Dialect::Bash | Dialect::Dash => false,
        };
        if may_lack {
            return self.trouble_unfollowed("a function without a body");
        }
        if self.at_end() || self.is_word(b"!") || is_odd && self.dialect == Dialect::Ksh {
            return self.trouble("a function without a body");
        }
        let body = self.command()?;
        if self.dialect == Dialect::Ksh && matches!(body.kind, Kind::Simple(..)) && !body.redirects.is_empty() {
            return self.trouble_unfollowed("a function of one command with a redirection");
        }
        // There only what stands between words of its own is one (POSIX, 2.9.5).
        if self.dialect == Dialect::Bash && matches!(body.kind, Kind::Simple(..) | Kind::Function(..)) {
            return self.trouble("a function without a body");
        }
        Ok(Command { end: self.at, kind: Kind::Function(name, Arc::new(body), by_word), redirects: Vec::new(), at })
    }

    /// The same of zsh's where the name is a word that is expanded.
    pub(in crate::shell) fn named_function(&mut self, name: Word, at: usize, by_word: bool) -> Parsed<Command> {
        let function = self.function(Vec::new(), at, by_word)?;
        let kind = match function.kind {
            Kind::Function(_, body, by_word) => Kind::Named(Box::new(name), body, by_word),
            kind => kind,
        };
        Ok(Command { kind, ..function })
    }

    /// Takes a function behind the word that says so.
    pub(in crate::shell) fn function_by_word(&mut self) -> Parsed<Kind> {
        self.blanks();
        let from = self.at;
        while self.peek().is_some_and(|b| !b" \t\n;&|<>(){}\"'$`\\".contains(&b)) {
            self.at += 1;
        }
        if self.dialect == Dialect::Zsh && self.peek().is_some_and(|b| b"$\"'".contains(&b)) {
            self.at = from;
            let name = self.word()?;
            self.blanks();
            if self.take(b"(") && !self.take(b")") {
                return self.trouble("a parenthesis is not closed");
            }
            self.blanks();
            if self.peek().is_some_and(|byte| !b"{\n".contains(&byte)) {
                return self.trouble_unfollowed("a function whose names go on");
            }
            return Ok(self.named_function(name, from, true)?.kind);
        }
        // Quotes are part of it, or an error, by the shell.
        if self.peek().is_some_and(|b| b"\"'$`\\".contains(&b)) {
            return self.trouble_unfollowed("a function by a name in quotes");
        }
        let name = self.text.get(from..self.at).unwrap_or_default().to_vec();
        if self.dialect == Dialect::Mksh && !is_name_in_mksh(&name) {
            return self.trouble("a function by what is no name");
        }
        self.blanks();
        if name.is_empty() && self.dialect == Dialect::Zsh && (self.is_word(b"{") || self.starts(b"()")) {
            return self.anonymous();
        }
        if name.is_empty() {
            return Err(Trouble { at: from, what: "a function without a name", is_error: false });
        }
        let rest = self.text.get(self.at..).unwrap_or_default();
        let is_body = |rest: &[u8]| !rest.get(1..).unwrap_or_default().trim_ascii_start().starts_with(b")");
        let has_parentheses = !(self.dialect == Dialect::Bash && is_body(rest)) && self.take(b"(");
        if has_parentheses {
            self.blanks();
            if !self.take(b")") {
                return self.trouble("a parenthesis is not closed");
            }
        }
        // These want a block there (measured: 93u+m, R59).
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
            self.lines()?;
            let takes_parentheses = self.dialect == Dialect::Mksh || !has_parentheses;
            if !takes_parentheses || !self.is_word(b"{") {
                // A list of references may stand there.
                let is_list = takes_parentheses && self.dialect == Dialect::Ksh && self.peek() != Some(b'(');
                return if is_list {
                    self.trouble_unfollowed("a function with references")
                } else {
                    self.trouble("a function without a body")
                };
            }
        }
        // There several may share a body.
        let mut others = Vec::new();
        while self.dialect == Dialect::Zsh && self.peek().is_some_and(is_name_start) {
            let from = self.at;
            while self.peek().is_some_and(|b| is_name(b) || b == b'-') {
                self.at += 1;
            }
            others.push(self.text.get(from..self.at).unwrap_or_default().to_vec());
            self.blanks();
        }
        // What is no plain name there names files, and with nothing else in between the body stands in the next line.
        let goes_on = !has_parentheses && self.peek().is_some_and(|byte| !b"{(\n".contains(&byte));
        let is_odd = |name: &[u8]| name.iter().any(|byte| b"*?[]=~^#!<>".contains(byte));
        if self.dialect == Dialect::Zsh && (goes_on || is_odd(&name)) {
            return self.trouble_unfollowed("a function whose names go on");
        }
        let command = self.function(name, from, true)?;
        let Kind::Function(_, body, _) = &command.kind else { return Ok(command.kind) };
        if others.is_empty() {
            return Ok(command.kind);
        }
        let each = others.into_iter().map(|name| {
            let kind = Kind::Function(name, Arc::clone(body), true);
            item_of(Command { kind, ..command.clone() })
        });
        let items = std::iter::once(item_of(command.clone())).chain(each).collect();
        Ok(Kind::Group(List { items }))
    }
}

/// Whether mksh takes a name for that of a function (measured: R59).
pub(in crate::shell) fn is_name_in_mksh(name: &[u8]) -> bool {
    name.iter().all(|byte| is_name(*byte) || b"!%+,-./:@^".contains(byte))
}

/// A command alone.
fn item_of(command: Command) -> Item {
    let commands = std::iter::once(command).collect();
    Item { first: Pipeline { is_negated: false, is_timed: false, commands }, rest: Vec::new(), is_background: false }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn functions_have_bodies_that_each_shell_takes() {
        hold(&[
            (&[Dash, Ksh, Mksh, Zsh], "f() g() { X=2; }; f; g; R=1", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh], "f ( ) { X=2; }; f; R=1", ["1", "2"]),
            (&[Bash], "function f if true; then X=2; fi; f; R=1", ["1", "2"]),
            (&[Bash], "function f ( X=2 ); f; R=1", ["1", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "function f\n{ R=1; }\nf", ["1", "none"]),
            (&[Bash, Mksh, Zsh], "function f () { R=1; }; f", ["1", "none"]),
            (&[Zsh], "function f g { R=$R+; }; f; g", ["++", "none"]),
            (&[Zsh], "function f() R=1; f", ["1", "none"]),
            (&[Zsh], "() { R=$1; } a; X=2", ["a", "2"]),
            (&[Zsh, Mksh], "f() { }; f; R=$?", ["0", "none"]),
        ]);
    }
}
