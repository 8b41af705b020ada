//! A command with its words, what stands before it, and its redirections.

use std::sync::{Arc, OnceLock};

use smallvec::smallvec;

use super::function::is_name_in_mksh;
use super::{Awaited, Parsed, Parser, is_name, is_name_start, is_own_name, push_only};
use crate::reader::is_portable;
use crate::shell::commands::is_special;
use crate::shell::declare::declares;
use crate::shell::syntax::*;
use crate::shell::words::flat;

/// Adds a word to a command's, of which there are two most often.
fn push_word(words: &mut Vec<Word>, word: Word) {
    if words.is_empty() {
        words.reserve_exact(2);
    }
    words.push(word);
}

/// Whether a name is given the number of the file.
fn is_named(redirect: &Redirect) -> bool {
    redirect.from.first().is_some_and(|byte| is_name_start(*byte))
}

/// The subshell that a group holds and nothing else.
fn lone_subshell(kind: &Kind) -> Option<&Command> {
    let Kind::Group(list) = kind else { return None };
    let [Item { first, rest, is_background: false }] = &list.items[..] else { return None };
    let ([command], true) = (&first.commands[..], rest.is_empty() && !first.is_negated) else { return None };
    match &command.kind {
        Kind::Subshell(_) => Some(command),
        inner if command.redirects.is_empty() => lone_subshell(inner),
        _ => None,
    }
}

/// A text without the digits that it begins with.
fn skip_digits(text: &[u8]) -> &[u8] {
    text.get(text.iter().take_while(|byte| byte.is_ascii_digit()).count()..).unwrap_or_default()
}

/// Whether a word before a command is a name with a colon behind it.
fn is_label(word: &[u8]) -> bool {
    word.strip_suffix(b":").is_some_and(is_portable)
}

impl Parser<'_> {
    pub(in crate::shell) fn command(&mut self) -> Parsed<Command> {
        self.deeper(Parser::command_here)
    }

    fn command_here(&mut self) -> Parsed<Command> {
        self.blanks();
        let at = self.at;
        if self.is_out_of_place() {
            return self.trouble("this cannot stand here");
        }
        let kind = self.kind()?;
        let Kind::Simple(assignments, mut words) = kind else {
            let mut redirects = Vec::new();
            if !matches!(kind, Kind::Function(..) | Kind::Named(..)) {
                loop {
                    self.blanks();
                    match self.redirect()? {
                        Some(redirect) if self.dialect == Dialect::Zsh && is_named(&redirect) => {
                            return self.trouble_unfollowed("a name for the number of a file behind such a command");
                        }
                        Some(redirect) => push_only(&mut redirects, redirect),
                        None => break,
                    }
                }
            }
            // There those of the one within are lost (measured: 0.5.12).
            if self.dialect == Dialect::Dash
                && !redirects.is_empty()
                && lone_subshell(&kind).is_some_and(|c| !c.redirects.is_empty())
            {
                return self.trouble_unfollowed("redirections of a subshell that stands alone in a group with others");
            }
            return Ok(Command { kind, redirects, at, end: self.at });
        };
        let mut assignments = assignments;
        let mut redirects = Vec::new();
        loop {
            self.blanks();
            if let Some(redirect) = self.redirect()? {
                push_only(&mut redirects, redirect);
                continue;
            }
            match self.peek() {
                None | Some(b'\n' | b';' | b'&' | b'|' | b')') => break,
                // In zsh it ends a block wherever a word can stand.
                Some(b'}') if self.dialect == Dialect::Zsh && self.braces > 0 && self.at > at && self.is_word(b"}") => break,
                Some(b'(') => {
                    // `name ()`, a function.
                    let is_alone = words.len() == 1 && assignments.is_empty() && redirects.is_empty();
                    if is_alone && (self.dialect != Dialect::Zsh || self.peek_at(1) == Some(b')')) {
                        self.at += 1;
                        self.blanks();
                        let is_named = self.dialect == Dialect::Zsh && words.first().and_then(Word::literal).is_none();
                        if is_named && self.peek() == Some(b')') {
                            self.at += 1;
                            return self.named_function(words.swap_remove(0), at, false);
                        }
                        let is_odd = words.first().and_then(Word::literal).is_none();
                        if is_odd && self.starts(b")") && self.dialect != Dialect::Dash {
                            return self.trouble_unfollowed("a function by a name with quotes");
                        }
                        if self.take(b")")
                            && let Some(name) = words.first().and_then(Word::literal).map(<[u8]>::to_vec)
                        {
                            // What is special no function may be called by (measured: dash 0.5.12).
                            if self.dialect == Dialect::Dash && (is_special(&name) || name == b"local") {
                                return self.trouble("a function by the name of a special command");
                            }
                            let is_plain = match self.dialect {
                                Dialect::Mksh => is_name_in_mksh(&name),
                                _ => name.first().is_some_and(|b| is_name_start(*b)) && name.iter().all(|b| is_name(*b)),
                            };
                            // A sign of a pattern begins one there, and other names are refused where they are made.
                            if !is_plain && self.dialect == Dialect::Ksh && name.last().is_some_and(|b| b"@?*+!~".contains(b)) {
                                return self.trouble_unfollowed("a function by what is no name");
                            }
                            if !is_plain && matches!(self.dialect, Dialect::Dash | Dialect::Mksh) {
                                return self.trouble("a function by what is no name");
                            }
                            return self.function(name, at, false);
                        }
                    }
                    // There a redirection may stand before these, too.
                    let is_before = !redirects.is_empty() || !assignments.is_empty() && self.dialect == Dialect::Mksh;
                    if is_before && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) {
                        return self.trouble_unfollowed("what stands before commands in parentheses");
                    }
                    return self.parenthesis();
                }
                _ => {}
            }
            // These take more names than others do.
            if words.is_empty() && matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) {
                let rest = self.text.get(self.at..).unwrap_or_default();
                let end = rest.iter().position(|b| b" \t\n;&|<>()='\"{/".contains(b)).unwrap_or(rest.len());
                let name = rest.get(..end).filter(|_| rest.get(end) == Some(&b'=')).unwrap_or_default();
                let is_odd = name.iter().any(|b| *b >= 0x80 || self.dialect == Dialect::Ksh && matches!(b, b'.' | b'$'));
                if is_odd && !is_own_name(name) {
                    return self.trouble_unfollowed("a name that only this shell takes");
                }
            }
            if words.is_empty()
                && let Some(assignment) = self.assignment()?
            {
                // A list can be set alone only.
                let is_list = matches!(assignment.value, Assigned::Array(_));
                self.blanks();
                let is_sign = |byte: Option<u8>| byte.is_none_or(|byte| b"\n;&|)<>".contains(&byte));
                let is_redirected = self.peek().is_some_and(|byte| byte.is_ascii_digit()) && is_sign(self.peek_at(1));
                let goes_on = !is_sign(self.peek()) && !is_redirected;
                // Behind a variable and a redirection no list is one there (measured: bash 5.2).
                if is_list && self.dialect == Dialect::Bash && !redirects.is_empty() && !assignments.is_empty() {
                    return self.trouble_unfollowed("a list behind a redirection");
                }
                // Words of the language count behind a list there (measured: 93u+m).
                if is_list && self.dialect == Dialect::Ksh && self.is_reserved() {
                    return self.trouble_unfollowed("a word of the language behind a list");
                }
                if is_list && self.dialect == Dialect::Mksh && (!assignments.is_empty() || goes_on) {
                    return self.trouble("this cannot stand here");
                }
                let has_list = |a: &Assignment| matches!(a.value, Assigned::Array(_));
                if self.dialect == Dialect::Mksh && assignments.iter().any(has_list) {
                    return self.trouble_unfollowed("what stands behind a list");
                }
                push_only(&mut assignments, assignment);
                continue;
            }
            let command = words.first().and_then(Word::literal);
            if command == Some(b"enum") && self.dialect == Dialect::Ksh {
                return self.trouble_unfollowed("a type of variables");
            }
            let may_declare = command.is_some_and(|w| {
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
                        | b"nameref"
                )
            });
            let from = self.at;
            // There a blank ends a word of these within brackets, too (measured: bash 5.2).
            let is_cut = |text: &[u8]| {
                let place = text.split(|byte| b"=]\n".contains(byte)).next().unwrap_or_default();
                place.contains(&b'[')
                    && place.iter().any(|byte| b" \t".contains(byte))
                    && !place.iter().any(|b| b"'\"$`\\(".contains(b))
            };
            let may_declare =
                may_declare && !(self.dialect == Dialect::Bash && is_cut(self.text.get(self.at..).unwrap_or_default()));
            if may_declare && let Some(assignment) = self.assignment()? {
                // No list stands there in mksh, nor behind these in others.
                let takes_none = match (self.dialect, command) {
                    (Dialect::Mksh, _) | (_, Some(b"env")) => true,
                    (Dialect::Zsh, Some(b"builtin" | b"command")) => words.len() == 1,
                    (Dialect::Bash, Some(b"builtin" | b"command")) | (Dialect::Ksh, Some(b"builtin" | b"alias")) => true,
                    // These are none of its commands.
                    (Dialect::Ksh, Some(b"declare" | b"local")) => true,
                    (Dialect::Ksh, Some(b"command")) => {
                        words.len() == 1 || !words.get(1).and_then(Word::literal).is_some_and(|word| declares(word, Dialect::Ksh))
                    }
                    _ => false,
                };
                // Elsewhere it is a pattern of files, or set all the same.
                let is_odd = matches!(
                    (self.dialect, command),
                    (Dialect::Bash, Some(b"alias")) | (Dialect::Zsh, Some(b"alias" | b"builtin" | b"command"))
                );
                if is_odd && matches!(assignment.value, Assigned::Array(_)) {
                    return self.trouble_unfollowed("a list behind a command that sets none");
                }
                // Behind a redirection it may be none there.
                if self.dialect == Dialect::Bash && !redirects.is_empty() && matches!(assignment.value, Assigned::Array(_)) {
                    return self.trouble_unfollowed("a list that is declared behind a redirection");
                }
                if takes_none && matches!(assignment.value, Assigned::Array(_)) {
                    self.at = from;
                    return self.trouble("this cannot stand here");
                }
                // The same once more as a word, for shells that split it and for other commands.
                let end = self.at;
                let mut word = match &assignment.value {
                    Assigned::Word(_) => {
                        self.at = from;
                        let word = self.word()?;
                        self.at = end;
                        word
                    }
                    Assigned::Array(_) => Word::new(Parts::new(), from, end),
                };
                word.assignment = Some(Arc::new(assignment));
                push_word(&mut words, word);
                continue;
            }
            // Nor is anything that braces begin, or end, behind what is set (measured: 5.9).
            if self.dialect == Dialect::Zsh
                && words.is_empty()
                && !assignments.is_empty()
                && self.peek().is_some_and(|byte| b"{}".contains(&byte))
            {
                return self.trouble("this cannot stand here");
            }
            // There such words are no command's name behind what stands before it, either.
            if self.dialect == Dialect::Zsh && words.is_empty() && self.at > at && self.is_reserved() {
                return self.trouble_unfollowed("a word of the language behind what stands before a command");
            }
            let word = self.word()?;
            // There it is a label, and what follows is the command (measured: 93u+m).
            let is_first = words.is_empty() && assignments.is_empty() && redirects.is_empty();
            if self.dialect == Dialect::Ksh && is_first && word.literal().is_some_and(is_label) {
                self.lines()?;
                if self.at >= self.text.len() {
                    return self.trouble_unfollowed("a label with nothing behind it");
                }
                return self.deeper(Parser::command_here);
            }
            push_word(&mut words, word);
        }
        if words.is_empty() && assignments.is_empty() && redirects.is_empty() {
            // There a sign may stand where no command does.
            if self.dialect == Dialect::Ksh && self.peek() == Some(b';') {
                return self.trouble_unfollowed("nothing between two signs");
            }
            return self.trouble("a command is missing");
        }
        // Behind others that is an error by what the command is, and by what the name holds.
        let is_exec = words.first().and_then(Word::literal) == Some(b"exec");
        let is_odd = |redirect: &Redirect| is_named(redirect) && (!is_exec || redirect.operator.starts_with(b"&"));
        if self.dialect == Dialect::Zsh && redirects.iter().any(is_odd) {
            return self.trouble_unfollowed("a name for the number of a file");
        }
        Ok(Command { kind: Kind::Simple(assignments, words), redirects, at, end: self.at })
    }

    /// A parenthesis where none can stand; behind some signs it begins a pattern, in some shells by an option.
    pub(in crate::shell) fn parenthesis<T>(&self) -> Parsed<T> {
        let before = self.at.checked_sub(1).and_then(|at| self.text.get(at));
        let signs: &[u8] = if self.dialect == Dialect::Ksh { b"?*+@!%~}" } else { b"?*+@!" };
        if self.dialect.is_rich() && before.is_some_and(|b| signs.contains(b)) {
            return self.trouble_unfollowed("a pattern of file names with a group");
        }
        // There a list may stand behind some commands, and one that is wrong gives up a line only (measured: bash 5.2).
        if self.dialect == Dialect::Bash && before == Some(&b'=') {
            return self.trouble_unfollowed("a list that is not closed");
        }
        self.trouble("a parenthesis cannot stand here")
    }

    /// Whether a range of numbers begins here: `<1-9>`.
    fn is_range(&self) -> bool {
        let rest = self.text.get(self.at..).unwrap_or_default();
        let Some(rest) = rest.strip_prefix(b"<") else { return false };
        skip_digits(rest).strip_prefix(b"-").is_some_and(|rest| skip_digits(rest).starts_with(b">"))
    }

    pub(super) fn redirect(&mut self) -> Parsed<Option<Redirect>> {
        if !self.peek().is_some_and(|b| b.is_ascii_digit() || b"<>&{".contains(&b)) {
            return Ok(None);
        }
        let from = self.at;
        // A range of numbers is a pattern there (zshexpn(1), «Glob Operators»).
        if self.dialect == Dialect::Zsh && self.is_range() {
            return self.trouble_unfollowed("a range of numbers for a pattern");
        }
        let mut number = Vec::new();
        while self.peek().is_some_and(|b| b.is_ascii_digit()) {
            number.extend(self.peek());
            self.at += 1;
        }
        // Elsewhere more than one digit is a word.
        if number.len() > 1 && self.dialect != Dialect::Bash {
            self.at = from;
            return Ok(None);
        }
        if number.is_empty() && self.dialect.is_rich() && self.dialect != Dialect::Mksh && self.peek() == Some(b'{') {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let length = rest.iter().skip(1).take_while(|b| is_name(**b)).count();
            let name = rest.get(1..=length).unwrap_or_default();
            let behind = rest.get(length + 1..).unwrap_or_default();
            let is_closed = matches!(behind, [b'}', b'<' | b'>', ..])
                || self.dialect == Dialect::Zsh && matches!(behind, [b'}', b'&', b'>', ..]);
            let is_file = rest.get(length + 2..length + 4).is_some_and(|signs| matches!(signs, [b'<' | b'>', b'(']));
            if is_closed && is_file && self.dialect == Dialect::Ksh {
                return self.trouble_unfollowed("a name before commands that are read");
            }
            if is_closed && name.first().is_some_and(|b| is_name_start(*b)) {
                number = name.to_vec();
                self.at += length + 2;
            }
        }
        // An error there, which gives up another thing where output is taken up (measured: 93u+m).
        if self.dialect == Dialect::Ksh && self.outputs > 0 && self.starts(b"&>>") {
            return self.trouble_unfollowed("a redirection of another kind");
        }
        let rich: &[&[u8]] = &[b"&>>", b"&>", b"<<<", b">|", b">!"];
        let plain: &[&[u8]] = &[b"<<-", b"<<", b"<>", b"<&", b">>", b">&", b">|", b"<", b">"];
        let operator = rich
            .iter()
            .filter(|o| {
                self.dialect.is_rich()
                    && (**o != b">!" || self.dialect == Dialect::Zsh)
                    && (**o != b"&>>" || self.dialect != Dialect::Ksh)
                    && (number.is_empty() || !o.starts_with(b"&") || matches!(self.dialect, Dialect::Mksh | Dialect::Zsh))
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
        // A file that is exchanged at the end, or read up to a place (ksh(1), «Input/Output»).
        if self.dialect == Dialect::Ksh
            && matches!(operator.last(), Some(b'<' | b'>'))
            && self.peek().is_some_and(|b| b";#".contains(&b))
        {
            return self.trouble_unfollowed("a redirection of another kind");
        }
        // What writes over a file all the same (zshmisc(1), «Redirection»).
        if self.dialect == Dialect::Zsh
            && matches!(&operator[..], b">>" | b">&" | b"&>" | b"&>>")
            && self.peek().is_some_and(|b| b"!&".contains(&b) || b == b'|' && operator != b">>")
        {
            return self.trouble_unfollowed("a redirection of another kind");
        }
        self.blanks();
        if self.dialect == Dialect::Zsh && operator == b">>" && self.peek() == Some(b'|') {
            self.at += 1;
        }
        // A number before an operator is one of that (POSIX, 2.3).
        let rest = self.text.get(self.at..).unwrap_or_default();
        let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
        let is_number = digits > 0 && matches!(rest.get(digits), Some(b'<' | b'>'));
        if is_number && !(self.dialect == Dialect::Bash && operator.ends_with(b"&")) {
            return match self.dialect {
                Dialect::Ksh => self.trouble_unfollowed("a number where a file is to stand"),
                _ => self.trouble("a number where a file is to stand"),
            };
        }
        let is_document = operator.starts_with(b"<<") && operator != b"<<<" && self.dialect != Dialect::Dash;
        // A quote in the word that ends a text may go on in that text.
        let odd = |trouble: Trouble| Trouble { is_error: trouble.is_error && !is_document, ..trouble };
        let mut word = self.word().map_err(odd)?;
        if operator.starts_with(b"<<") && operator != b"<<<" {
            let mut delimiter = Vec::new();
            let mut is_quoted = false;
            flat(&word.parts, &mut delimiter, &mut is_quoted);
            // Nothing of it is expanded (POSIX, 2.7.4).
            let text = self.text.get(word.at..word.end).unwrap_or_default();
            if text.iter().any(|byte| b"$`".contains(byte)) {
                let begins_more = |pair: &[u8]| matches!(pair, [b'$', b'(' | b'{' | b'[' | b'\'' | b'"']);
                if self.dialect == Dialect::Ksh || text.contains(&b'`') || text.windows(2).any(begins_more) {
                    return self.trouble_unfollowed("a here-document whose end is a word of another kind");
                }
                (delimiter, is_quoted) = without_quotes(text);
            }
            if delimiter.contains(&b'\n') {
                return self.trouble_unfollowed("a here-document whose end is more than a line");
            }
            // Its text stands below.
            let document = Arc::new(OnceLock::new());
            self.waiting.push(Awaited { delimiter, is_quoted, strips: operator == b"<<-", document: Arc::clone(&document) });
            word = Word::new(smallvec![Part::Document(document)], word.at, word.end);
        }
        Ok(Some(Redirect { operator, from: number, word }))
    }
}

/// A word without its quotes, and whether there were some.
fn without_quotes(text: &[u8]) -> (Vec<u8>, bool) {
    let (mut plain, mut open, mut is_quoted) = (Vec::new(), None, false);
    let mut bytes = text.iter().copied();
    while let Some(byte) = bytes.next() {
        match (byte, open) {
            (b'\'' | b'"', None) => (open, is_quoted) = (Some(byte), true),
            (quote, Some(begun)) if quote == begun => open = None,
            (b'\\', None | Some(b'"')) => {
                is_quoted = true;
                plain.extend(bytes.next());
            }
            _ => plain.push(byte),
        }
    }
    (plain, is_quoted)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn commands_run_as_they_are_written() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=1 true; R=${N-none}; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=1; R=$N X=$R; :", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a; R=b X=$R true; X=$R", ["a", "a"]),
            (&[Bash, Dash, Ksh, Mksh], "R=1& wait; X=${R-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a#b; X=a # b", ["a#b", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R='a'\"b\"c; X=a\\ b", ["abc", "a b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a\\b; X=\\a", ["ab", "a"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=$'a\\tb'; X=$'\\x41'", ["a\tb", "A"]),
            (&[Dash], "R=$'a\\tb'; X=$'\\x41'", ["$a\\tb", "$\\x41"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=\"a\\$b\"; X=\"a\\qb\"", ["a$b", "a\\qb"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=`echo a`; X=\"`echo \"b c\"`\"", ["a", "b c"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(echo a; echo b); X=$(printf 'a\\n\\n')", ["a\nb", "a"]),
            (&[Mksh], "R=$(echo a; echo b); X=$(printf 'a\\n\\n')", ["a\nb", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$( (echo a) ); X=$((2+3))", ["a", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=a X=b; R=$R$X", ["ab", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "2>/dev/null R=1; X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1 >/dev/null; X=$R", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], ">/dev/null; R=$?; X=1", ["0", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "< /missing; R=$?; X=1", ["1", "1"]),
            (&[Dash], "< /missing; R=$?; X=1", ["2", "1"]),
            (&[Bash, Ksh], "R=1 < /missing; X=$?", ["1", "1"]),
            (&[Dash], "R=1 < /missing; X=$?", ["none", "2"]),
            (&[Mksh, Zsh], "R=1 < /missing; X=$?", ["none", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "echo a < /missing; R=$?; X=1", ["1", "1"]),
            (&[Dash], "echo a < /missing; R=$?; X=1", ["2", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "{ R=1; } < /missing; X=$?", ["none", "1"]),
            (&[Dash], "{ R=1; } < /missing; X=$?", ["none", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "f() { R=1; }; f < /missing; X=$?", ["none", "1"]),
            (&[Dash], "f() { R=1; }; f < /missing; X=$?", ["none", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "echo a >&9; R=$?; X=1", ["<a number>", "1"]),
            (&[Dash], "echo a >&9; R=$?; X=1", ["<a number>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "! true; R=$?; ! false; X=$?", ["1", "0"]),
            (&[Bash, Ksh, Mksh], "! ! true; R=$?; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "false; R=$?; (exit 3); X=$?", ["1", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(R=1); X=${R-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i in; do R=1; done; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- p q; for i; do R=$R$i; done; X=$#", ["pq", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in b|a) R=1;; esac; X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in (a) R=1;; esac; X=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in b) R=1;; esac; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in a) false;; esac; X=$?; R=1", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() (R=1); f; X=${R-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=$#; }; f a 'b c' \"\"; X=$#", ["3", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() if true; then R=1; fi; f; X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=a; R+=b; X+=c", ["ab", "c"]),
            (&[Bash, Ksh, Zsh], "for ((i=0; i<3; i++)); do R=$R$i; done; X=$i", ["012", "3"]),
            (&[Zsh], "for i (a b) R=$R$i; X=1", ["ab", "1"]),
            (&[Zsh], "if [[ a == a ]] R=1; X=2", ["1", "2"]),
            (&[Zsh], "repeat 3 R=x$R; X=1", ["xxx", "1"]),
            (&[Zsh], "{ R=1; false } always { X=2 }", ["1", "2"]),
            (&[Zsh], "() { R=$1; } a; X=$#", ["a", "0"]),
            (&[Zsh], "time ! R=3; X=$R", ["3", "3"]),
            (&[Ksh], "lane: R=1; X=2", ["1", "2"]),
            (&[Ksh], "(;R=1); X=${R-none}", ["none", "none"]),
            (&[Ksh], "{ ;R=1; }; X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh], "R=({a,b}c); X={a,b}", ["ac", "{a,b}"]),
            (&[Bash, Ksh, Zsh], "set -- {a,b}{1,2}; R=$#; X=$4", ["4", "b2"]),
            (&[Bash, Ksh, Zsh], "set -- x{a,b}y; R=$1; X=$2", ["xay", "xby"]),
            (&[Bash, Dash, Mksh], "echo a | { read R; X=$R; }; X=${X-none}", ["none", "none"]),
            (&[Ksh, Zsh], "echo a | { read R; X=$R; }; X=${X-none}", ["a", "a"]),
            (&[Bash, Dash, Mksh], "echo a | read R; X=$?", ["none", "0"]),
            (&[Ksh, Zsh], "echo a | read R; X=$?", ["a", "0"]),
            (&[Bash, Dash, Mksh], "R=b; echo a | read R; X=$R", ["b", "b"]),
            (&[Ksh, Zsh], "R=b; echo a | read R; X=$R", ["a", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "false | true; R=$?; true | false; X=$?", ["0", "1"]),
            (&[Bash, Dash, Mksh], ": | R=1; X=${R-none}", ["none", "none"]),
            (&[Ksh, Zsh], ": | R=1; X=${R-none}", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1 | :; X=${R-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(false); X=$?", ["", "1"]),
            (&[Bash, Zsh], "R=$(exit 4) X=$?", ["", "4"]),
            (&[Ksh], "R=$(exit 4) X=$?", ["", "<a number>"]),
            (&[Dash, Mksh], "R=$(exit 4) X=$?", ["", "0"]),
            (&[Bash, Zsh], "X=$(exit 4) R=$?", ["4", ""]),
            (&[Ksh], "X=$(exit 4) R=$?", ["<a number>", ""]),
            (&[Dash, Mksh], "X=$(exit 4) R=$?", ["0", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval R=1; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=1; false'; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval; R=$?; eval ''; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "eval 'R=\"a b\"'; eval X=$R", ["a b", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], ". /dev/null; R=$?; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh], "command true; R=$?; command false; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "command R=1; X=$?", ["none", "127"]),
            (&[Bash, Dash, Ksh, Mksh], "command export R=1; X=$?", ["1", "0"]),
            (&[Zsh], "command export R=1; X=$?", ["<unknown>", "<a number>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "unset R; R=$R; X=${R-none}", ["", ""]),
            (&[Bash, Ksh, Mksh], "unset N[1]; R=$?; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "N=ab; unset N; R=${N-none}; X=$?", ["none", "0"]),
            (&[Bash, Dash, Mksh, Zsh], "export R=1 X=$R; R=2", ["2", ""]),
            (&[Ksh], "export R=1 X=$R; R=2", ["2", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "export R; R=5; X=$?", ["5", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "readonly R=1; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "trap '' INT; R=$?; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(trap 'echo t' EXIT; echo a); X=1", ["<unknown>", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "(trap 'R=2' EXIT; R=1); X=${R-none}", ["none", "none"]),
            (&[Bash, Dash, Ksh], "umask 022; R=$?; X=$(umask)", ["0", "<unknown>"]),
            (&[Mksh, Zsh], "umask 022; R=$?; X=$(umask)", ["0", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "cd /; R=$PWD; X=$OLDPWD", ["/", "/home/odile"]),
            (&[Bash, Ksh, Zsh], "cd /missing; R=$?; X=$PWD", ["1", "/home/odile"]),
            (&[Dash, Mksh], "cd /missing; R=$?; X=$PWD", ["2", "/home/odile"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set a b; R=$1; shift; X=$1", ["a", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set --; R=$#; X=${1-none}", ["0", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "shift 0; R=$?; X=1", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "test a; R=$?; test ''; X=$?", ["0", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "[ a = a -a b = b ]; R=$?; [ ! a ]; X=$?", ["0", "1"]),
            (&[Bash, Zsh], "printf -v R a; X=$?", ["a", "0"]),
            (&[Ksh], "printf -v R a; X=$?", ["<unknown>", "<a number>"]),
            (&[Dash], "printf -v R a; X=$?", ["none", "2"]),
            (&[Mksh], "printf -v R a; X=$?", ["none", "<a number>"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf '%s-%s' a b); X=$(printf '%d' 07)", ["a-b", "<unknown>"]),
            (&[Mksh], "R=$(printf '%s-%s' a b); X=$(printf '%d' 07)", ["<unknown>", "<unknown>"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "read R </dev/null; X=$?", ["", "1"]),
        ]);
    }
}
