//! What a dollar begins: parameters, outputs and sums.

use std::ops::Range;
use std::sync::Arc;

use bytes::Bytes;

use super::parse::{Parsed, Parser, is_name, is_name_start};
use super::syntax::*;
use super::words::closing_brace;

/// A subscript that is a sum or a pattern of zsh's, which may be wrong.
pub(super) const ODD_SUBSCRIPT: &str = "a subscript that zsh works out";

/// Subscripts of zsh's are looked at no longer, so that their ends are not looked for over and over.
const LONGEST_SUBSCRIPT: usize = 4096;

/// Sums are not looked at beyond that.
const LONGEST_SUM: usize = 4096;

/// A parameter as zsh alone has it: it may bring any number of words, even between quotes.
pub(super) const OWN_SHAPE: &str = "a parameter of zsh's own shape";

/// The same of one that may set names.
pub(super) const SETTING_SHAPE: &str = "a parameter of a shape that may set names";

/// The same of one that may be an error, too.
pub(super) const ODD_SETTING_SHAPE: &str = "a parameter that may set names, or be refused";

/// What ksh tells of itself in variables of its own.
pub(super) const TOLD_BY_SHELL: &str = "what the shell tells of itself";

/// A parameter that may be none that the shell takes: then it is an error when it is expanded.
pub(super) const ODD_SHAPE: &str = "a parameter of another shape";

/// A parameter that the shell is known to take for an error when it is expanded.
pub(super) const BAD_SHAPE: &str = "a parameter that the shell refuses";

impl Parser<'_> {
    /// Takes what begins with `$` or a backtick; `None` for a dollar that is only one.
    pub(super) fn dollar(&mut self, in_double: bool) -> Parsed<Option<Part>> {
        if self.peek() == Some(b'`') {
            return self.backticks(in_double).map(Some);
        }
        self.at += 1;
        // There the name may stand on the next line.
        if matches!(self.dialect, Dialect::Dash | Dialect::Zsh) && self.starts(b"\\\n") {
            return self.trouble_unfollowed("a name over two lines");
        }
        match self.peek() {
            Some(b'(') if self.peek_at(1) == Some(b'(') => {
                let from = self.at;
                self.calm_sum()?;
                if let Some(inner) = self.balanced_sum() {
                    return Ok(Some(Part::Sum(self.within(inner).double(None)?)));
                }
                // There it is a sum, or an error (measured: dash 0.5.12).
                if self.dialect == Dialect::Dash {
                    return self.trouble("a sum is not closed");
                }
                self.at = from;
                let line = self.text.get(from..).and_then(|rest| rest.split(|b| *b == b'\n').next()).unwrap_or_default();
                let is_odd = line.starts_with(b"(((") || memchr::memmem::find(line, b"()").is_some() || line.contains(&b'{');
                // Within another substitution zsh may take it for one all the same (measured: 5.9).
                let may_be_sum = self.outputs > 0 && memchr::memmem::find(line, b"$(").is_some();
                if self.dialect == Dialect::Ksh && is_odd || self.dialect == Dialect::Zsh && may_be_sum {
                    return self.trouble_unfollowed("commands that look like a sum");
                }
                self.output(in_double).map(Some)
            }
            Some(b'(') => self.output(in_double).map(Some),
            Some(b'[') if self.dialect == Dialect::Bash || self.dialect == Dialect::Zsh => self.bracket_sum().map(Some),
            Some(b'{') => self.braced(in_double).map(Some),
            // `$=name` of zsh and its kin.
            Some(b'=' | b'~' | b'^') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(is_name_start) => {
                if let Some(part) = self.shaped_bare() {
                    return Ok(Some(part));
                }
                self.at += 1;
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
                Ok(Some(Part::Unfollowed(OWN_SHAPE)))
            }
            // Nothing stands behind the sign, and of both nothing is left (measured: 5.9).
            Some(b'=' | b'~' | b'^') if self.dialect == Dialect::Zsh => {
                self.at += 1;
                Ok(Some(Part::Unfollowed(OWN_SHAPE)))
            }
            Some(byte) if is_name_start(byte) => {
                let from = self.at;
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
                let name = self.cut(from, self.at);
                // A joined line goes on with the name.
                if self.starts(b"\\\n") && self.peek_at(2).is_some_and(|b| is_name(b) || b >= 0x80) {
                    if self.dialect == Dialect::Zsh {
                        return self.trouble_unfollowed("a name over two lines");
                    }
                    return Ok(Some(Part::Unfollowed("a name over two lines")));
                }
                if self.dialect == Dialect::Zsh && self.peek().is_none_or(|b| b < 0x80) {
                    // Outside of quotes a subscript is read as commands are, and these may end it.
                    let rest = self.text.get(self.at..).unwrap_or_default();
                    let length =
                        memchr::memchr(b']', rest.get(..rest.len().min(LONGEST_SUBSCRIPT)).unwrap_or_default()).unwrap_or(0);
                    let text = rest.get(..length).unwrap_or_default();
                    if !in_double && text.starts_with(b"[") && !text.contains(&b'$') && text.iter().any(|b| b"<>|&;".contains(b))
                    {
                        return self.trouble_unfollowed("a subscript with other signs");
                    }
                    return self.zsh_tail(name);
                }
                if matches!(self.dialect, Dialect::Ksh | Dialect::Zsh) && self.peek().is_some_and(|b| b >= 0x80) {
                    return Ok(Some(Part::Unfollowed("a name with letters beyond ASCII")));
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::None, is_indirect: false }))))
            }
            Some(b'+') if self.dialect == Dialect::Zsh && self.peek_at(1).is_some_and(is_name_start) => {
                self.at += 1;
                self.is_set().map(Some)
            }
            Some(b'+')
                if self.dialect == Dialect::Zsh
                    && self.peek_at(1).is_some_and(|b| b.is_ascii_digit() || b"@*#?-$!".contains(&b)) =>
            {
                self.at += 2;
                // With these it may be a pattern of files.
                let is_pattern = self.text.get(self.at - 1).is_some_and(|b| b"*?".contains(b));
                Ok(Some(Part::Unfollowed(if is_pattern { ODD_SHAPE } else { OWN_SHAPE })))
            }
            // By its locale these begin a name there.
            Some(0x80..) if self.dialect == Dialect::Zsh => {
                while self.peek().is_some_and(|b| is_name(b) || b >= 0x80) {
                    self.at += 1;
                }
                Ok(Some(Part::Unfollowed("a name with letters beyond ASCII")))
            }
            Some(byte) if byte.is_ascii_digit() || b"@*#?-$!".contains(&byte) => {
                self.at += 1;
                // In zsh `$#name` is a length.
                let is_of = |b: u8| is_name(b) || b"@*$?-".contains(&b);
                if self.dialect == Dialect::Zsh && byte == b'#' && self.peek().is_some_and(is_of) {
                    let from = self.at;
                    self.at += 1;
                    // In a sum the sign may ask for one of two.
                    let asks = self.text.get(from) == Some(&b'?') && self.peek().is_some_and(|b| b == b' ' || is_name(b));
                    if asks {
                        return Ok(Some(Part::Unfollowed(ODD_SHAPE)));
                    }
                    while is_name(self.text[from]) && self.peek().is_some_and(is_name) {
                        self.at += 1;
                    }
                    let name = self.cut(from, self.at);
                    if name.first().is_some_and(u8::is_ascii_digit) || self.peek() == Some(b'[') {
                        return Ok(Some(Part::Unfollowed("a length as zsh writes it")));
                    }
                    return Ok(Some(Part::Parameter(Box::new(Parameter {
                        name,
                        key: None,
                        change: Change::Length,
                        is_indirect: false,
                    }))));
                }
                let from = self.at - 1;
                // There all digits are of one number.
                while self.dialect == Dialect::Zsh && byte.is_ascii_digit() && self.peek().is_some_and(|b| b.is_ascii_digit()) {
                    self.at += 1;
                }
                let name = self.cut(from, self.at);
                // There a subscript may follow some of these, too, and modifiers others.
                if self.dialect == Dialect::Zsh {
                    match self.peek() {
                        Some(b':') => return self.zsh_tail(name),
                        Some(b'[') if b"@*".contains(&byte) => {
                            self.at = from;
                            let shaped = self.shaped_bare();
                            self.at = if shaped.is_none() { from + name.len() } else { self.at };
                            return Ok(shaped.or(Some(Part::Unfollowed(ODD_SHAPE))));
                        }
                        Some(b'[') if !byte.is_ascii_digit() => return Ok(Some(Part::Unfollowed(ODD_SHAPE))),
                        _ => {}
                    }
                }
                Ok(Some(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::None, is_indirect: false }))))
            }
            _ => Ok(None),
        }
    }

    /// Takes a name and a key behind `+`.
    pub(super) fn is_set(&mut self) -> Parsed<Part> {
        let from = self.at;
        while self.peek().is_some_and(is_name) {
            self.at += 1;
        }
        let name = self.cut(from, self.at);
        let mut key = None;
        if self.peek() == Some(b'[') {
            let rest = self.text.get(self.at..).unwrap_or_default();
            let Some(close) = rest.iter().position(|b| *b == b']') else { return self.trouble("a bracket is not closed") };
            let text = rest.get(1..close).unwrap_or_default();
            self.at += close + 1;
            if text.iter().any(|b| b"`'\"\\(){}*?".contains(b)) {
                return Ok(Part::Unfollowed("a key that is not known"));
            }
            let text = Bytes::copy_from_slice(text);
            let mut inner = Parser::new(&text, self.dialect);
            inner.depth = self.depth + 1;
            key = Some(inner.double(None)?);
        }
        Ok(Part::Parameter(Box::new(Parameter { name, key: None, change: Change::IsSet(key), is_indirect: false })))
    }

    /// Takes modifiers of zsh's, if they are followed.
    pub(super) fn modifiers(&mut self) -> Option<Vec<u8>> {
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
    pub(super) fn zsh_tail(&mut self, name: Bytes) -> Parsed<Option<Part>> {
        let begin = self.at - name.len();
        let keyed = move |key, change| Ok(Some(Part::Parameter(Box::new(Parameter { name, key, change, is_indirect: false }))));
        let part = self.plain_tail(keyed)?;
        let is_known =
            |part: &Option<Part>| !matches!(part, Some(Part::Parameter(p)) if matches!(p.change, Change::Unfollowed(_)));
        if is_known(&part) {
            return Ok(part);
        }
        let end = std::mem::replace(&mut self.at, begin);
        let shaped = self.shaped_bare();
        if shaped.is_none() {
            self.at = end;
        }
        Ok(shaped.or(part))
    }

    /// What may follow a bare name, as far as it is of the plainest kinds.
    fn plain_tail(&mut self, keyed: impl FnOnce(Option<Vec<Part>>, Change) -> Parsed<Option<Part>>) -> Parsed<Option<Part>> {
        match self.peek() {
            Some(b'[') => {
                let rest = self.text.get(self.at..).unwrap_or_default();
                // One that is not closed is an error (measured: 5.9).
                if rest.iter().take(LONGEST_SUBSCRIPT).find(|b| b"]\n".contains(b)).is_none_or(|b| *b == b'\n')
                    && rest.len() < LONGEST_SUBSCRIPT
                {
                    return self.trouble_unfollowed("a bracket is not closed");
                }
                match rest.iter().take(LONGEST_SUBSCRIPT).position(|b| *b == b']') {
                    None if rest.len() > LONGEST_SUBSCRIPT => keyed(None, Change::Unfollowed(ODD_SUBSCRIPT)),
                    Some(close) => {
                        self.at += close + 1;
                        let text = rest.get(1..close).unwrap_or_default();
                        let is_number =
                            !text.is_empty() && text.strip_prefix(b"-").unwrap_or(text).iter().all(u8::is_ascii_digit);
                        if is_number && text != b"-" && !self.peek().is_some_and(|b| b"[:".contains(&b)) {
                            let key = Some(vec![Part::Quoted(Text::of(text))]);
                            return keyed(key, Change::None);
                        }
                        let is_search = text.strip_prefix(b"(").is_some_and(|rest| {
                            let flags = rest.iter().take_while(|b| b"rRiIkKe".contains(b)).count();
                            flags > 0 && rest.get(flags) == Some(&b')') && !rest.contains(&b',')
                        });
                        let is_plain =
                            is_search || !text.is_empty() && text.iter().all(|b| b.is_ascii_digit() || b"-,@*".contains(b));
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
                let change = match self.peek_at(1) {
                    Some(b'q') => Change::Quote,
                    Some(b'&') => Change::Unfollowed(ODD_SHAPE),
                    _ => Change::Unfollowed("a modifier of zsh's"),
                };
                self.at += 2;
                keyed(None, change)
            }
            _ => keyed(None, Change::None),
        }
    }

    /// Takes `$[…]`, a sum as it was once written, from its bracket on.
    pub(super) fn bracket_sum(&mut self) -> Parsed<Part> {
        let rest = self.text.get(self.at..).unwrap_or_default();
        let Some(close) = closing(rest) else { return self.trouble("a bracket is not closed") };
        // A quote that is open goes on behind it.
        let is_odd = |sum: &[u8]| sum.iter().any(|b| b"\"'`".contains(b)) || memchr::memchr_iter(b'[', sum).count() > 1;
        if rest.get(..close).is_some_and(is_odd) {
            return self.trouble_unfollowed("a quote or a bracket within a sum");
        }
        let mut inner = self.within(self.at + 1..self.at + close);
        self.at += close + 1;
        inner.depth += 1;
        Ok(Part::Sum(inner.double(None)?))
    }

    /// Where a sum ends hangs on what stands in the braces of its parameters, and each shell has its own way with
    /// parentheses and quotes in there.
    ///
    /// # Errors
    /// If they are such on this line.
    fn calm_sum(&self) -> Parsed<()> {
        const WHY: &str = "a parenthesis, a bracket or a quote in a parameter of a sum";
        let own_quotes: &[u8] = match self.dialect {
            Dialect::Mksh | Dialect::Zsh => b"'\"\\`",
            Dialect::Bash => b"\\",
            Dialect::Ksh => b"'\"",
            Dialect::Dash => b"",
        };
        let is_escaped_quote = |pair: &[u8]| matches!(pair, [b'\\', b'"' | b'\'']);
        let rest = self.text.get(self.at + 2..).unwrap_or_default();
        let rest = rest.get(..rest.len().min(LONGEST_SUM)).unwrap_or_default();
        let mut rest = rest.get(..memchr::memchr(b'\n', rest).unwrap_or(rest.len())).unwrap_or_default();
        let mut has_parameters = false;
        // Up to where it ends if nothing in a parameter does so before.
        loop {
            let (begin, end) = (memchr::memmem::find(rest, b"${"), memchr::memmem::find(rest, b"))"));
            let begin = begin.filter(|begin| end.is_none_or(|end| *begin < end));
            has_parameters |= begin.is_some();
            let between = rest.get(..begin.or(end).unwrap_or(rest.len())).unwrap_or_default();
            if has_parameters && !own_quotes.is_empty() && between.windows(2).any(is_escaped_quote) {
                return self.trouble_unfollowed(WHY);
            }
            let Some(begin) = begin else { return Ok(()) };
            rest = rest.get(begin + 2..).unwrap_or_default();
            let inside = rest.get(..closing_brace(rest)).unwrap_or_default();
            let is_open = inside.len() == rest.len();
            // Brackets count there, too, and in ksh classes of a pattern are none.
            let count = |sign: u8| inside.iter().filter(|byte| **byte == sign).count();
            let has_bracket = match self.dialect {
                Dialect::Zsh => count(b'[') != count(b']'),
                Dialect::Ksh => memchr::memmem::find(inside, b"[[").is_some(),
                _ => false,
            };
            if is_open || has_bracket || !are_even(inside) || inside.iter().any(|byte| own_quotes.contains(byte)) {
                return self.trouble_unfollowed(WHY);
            }
            rest = rest.get(inside.len() + 1..).unwrap_or_default();
        }
    }

    /// Takes `((…))` from its first parenthesis; returns what stands inside, if it is closed so.
    pub(super) fn balanced_sum(&mut self) -> Option<Range<usize>> {
        let from = self.at;
        let inner = self.balanced_sum_here()?;
        // With a bracket that nothing opens or closes it is none there, but commands.
        let text = self.text.get(inner.clone()).unwrap_or_default();
        let opened = text.iter().try_fold(0_i32, |open, byte| match byte {
            b'[' => Some(open + 1),
            b']' => (open > 0).then_some(open - 1),
            _ => Some(open),
        });
        if self.dialect == Dialect::Zsh && opened != Some(0) {
            self.at = from;
            return None;
        }
        Some(inner)
    }

    fn balanced_sum_here(&mut self) -> Option<Range<usize>> {
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
                        return (from < at).then(|| from..at - 1);
                    }
                }
                b'\'' => {
                    let rest = self.text.get(at + 1..).unwrap_or_default();
                    at += 1 + memchr::memchr(b'\'', rest)?;
                }
                // These look for its other end, too.
                b'"' if matches!(self.dialect, Dialect::Bash | Dialect::Mksh) => {
                    let rest = self.text.get(at + 1..).unwrap_or_default();
                    at += 1 + memchr::memchr(b'"', rest)?;
                }
                b'\\' => at += 1,
                _ => {}
            }
            at += 1;
        }
        None
    }

    pub(super) fn output(&mut self, in_double: bool) -> Parsed<Part> {
        self.at += 1;
        let before = self.waiting.len();
        self.outputs += 1;
        let outer = (std::mem::take(&mut self.is_between_quotes), self.is_quoted_output);
        self.is_quoted_output |= in_double || outer.0;
        let list = self.whole();
        (self.is_between_quotes, self.is_quoted_output) = outer;
        let list = list?;
        self.outputs -= 1;
        self.blanks();
        if !self.take(b")") {
            return self.trouble("a command in parentheses is not closed");
        }
        if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) && self.waiting.len() > before {
            return self.trouble_unfollowed("a here-document whose command ends before it");
        }
        // There a here-document that has not begun where the command ends is empty (measured: dash 0.5.12, zsh 5.9).
        if matches!(self.dialect, Dialect::Dash | Dialect::Zsh) {
            for awaited in self.waiting.drain(before.min(self.waiting.len())..) {
                let _ = awaited.document.set(Ok(Vec::new()));
            }
        }
        Ok(Part::Output(Arc::new(Ok(list))))
    }

    pub(super) fn backticks(&mut self, in_double: bool) -> Parsed<Part> {
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
        // What stands in one is read twice there, or stands behind the backtick.
        let has = |text: &[u8]| memchr::memmem::find(&inner, text).is_some();
        if has(b"<<") && (self.dialect == Dialect::Mksh || !inner.contains(&b'\n') || inner.contains(&b'`') || has(b"\\\n")) {
            return self.trouble_unfollowed("a here-document in backticks");
        }
        let inner = Bytes::from(inner);
        let mut parser = Parser::new(&inner, self.dialect);
        parser.depth = self.depth;
        // What stands behind a sign at which no command can begin is passed over there (measured: dash 0.5.12).
        let is_whole = |p: &Parser<'_>| p.at >= inner.len() || p.dialect == Dialect::Dash;
        let list =
            parser.whole().and_then(|list| if is_whole(&parser) { Ok(list) } else { parser.trouble("this cannot stand here") });
        // A brace that is open there ends more than these commands, or less.
        let is_wrong = list.as_ref().is_err_and(|trouble| trouble.is_error);
        let has_braces = memchr::memmem::find(&inner, b"${").is_some();
        if is_wrong && has_braces && matches!(self.dialect, Dialect::Dash | Dialect::Zsh) {
            return self.trouble_unfollowed("a command in backticks cannot be read");
        }
        // There it is read with what is around it (measured: dash 0.5.12).
        if self.dialect == Dialect::Dash && list.as_ref().is_err_and(|trouble| trouble.is_error) {
            return self.trouble("a command in backticks cannot be read");
        }
        Ok(Part::Output(Arc::new(list)))
    }
}

/// Finds the bracket that closes the one at the front, with others in between.
pub(super) fn closing(text: &[u8]) -> Option<usize> {
    let mut open = 0;
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        match byte {
            b'\\' => at += 1,
            // Brackets between quotes are none.
            b'"' | b'\'' => {
                let rest = text.get(at + 1..).unwrap_or_default();
                at += memchr::memchr(*byte, rest).map_or(0, |length| length + 1);
            }
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

/// Whether a backslash stands before a byte, and none before that.
pub(super) fn is_escaped(text: &[u8], at: usize) -> bool {
    text.iter().take(at).rev().take_while(|byte| **byte == b'\\').count() % 2 == 1
}

/// A text without what stands alone between quotes: `'('`.
pub(super) fn without_alone(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    // Of each command among it, and of what stands around it, the quotes that are open.
    let (mut rest, mut open, mut around) = (text, None, Vec::new());
    while let Some((byte, behind)) = rest.split_first() {
        rest = match rest {
            [b'\\', next, behind @ ..] => {
                out.extend_from_slice(&[b'\\', *next]);
                behind
            }
            [quote @ (b'\'' | b'"'), alone, end, behind @ ..] if quote == end && alone != quote && open != Some(*quote) => behind,
            [b'$', b'(', behind @ ..] if open != Some(b'\'') => {
                out.extend_from_slice(b"$(");
                around.push(open.take());
                behind
            }
            _ => {
                match (byte, open) {
                    (b'(', None) => around.push(None),
                    (b')', None) => open = around.pop().unwrap_or_default(),
                    (b'\'' | b'"', None) => open = Some(*byte),
                    (byte, Some(quote)) if *byte == quote => open = None,
                    _ => {}
                }
                out.push(*byte);
                behind
            }
        };
    }
    out
}

/// Whether each parenthesis of a text is closed in it, whatever is quoted, but for one alone between quotes.
pub(super) fn are_even(text: &[u8]) -> bool {
    let open = without_alone(text).iter().try_fold(0_i32, |open, byte| match byte {
        b'(' => Some(open + 1),
        b')' => (open > 0).then_some(open - 1),
        _ => Some(open),
    });
    open == Some(0)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn parentheses_count_but_for_one_alone_in_quotes() {
        for (text, are) in [
            ("a(b)c", true),
            ("a(b", false),
            (")a(", false),
            ("a'('b", true),
            ("a\"(\"b", true),
            ("\"a\"(\"b\"", false),
            ("a\\'('b", false),
            ("$(a \"b)\")", false),
            ("$(a \"$(b \"$0\")\")", true),
            ("\"$(a \")\" \"b\")\"", true),
        ] {
            assert_eq!(super::are_even(text.as_bytes()), are, "{text}");
        }
    }

    #[test]
    fn what_references_bring() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X}; X=${R}1", ["", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b c; R=$#; X=${#}", ["3", "3"]),
            (&[Bash, Dash, Ksh, Mksh], "set -- a b c d e f g h i j k; R=$10; X=${10}", ["a0", "j"]),
            (&[Zsh], "set -- a b c d e f g h i j k; R=$10; X=${10}", ["j", "j"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=ab; R=${X}c; X=$Xc", ["abc", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=5; R=\"$X.${X}_$X\"", ["5.5_5", "5"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=abc; R=${#X}; X=${#R}", ["3", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=a; R=\\$X; X='$X'", ["$X", "$X"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=`echo \\`echo a\\``; X=\"`echo \"b c\"`\"", ["a", "b c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(echo \"$(echo \")\")\"); X=$(case a in a) echo in;; esac)", [")", "in"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$((1 + (2 * 3))); X=$(( (1) ))", ["7", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- q; R=$1b; X=${1}b", ["qb", "qb"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; R=$X$; X=\"$ \"", ["1$", "$ "]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=${X-$(echo a)}; X=${R#${R%?}}", ["a", "a"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=abcabc; R=${X%b*}; X=${X##*b}", ["abca", "c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=a.b; R=${X%\".\"*}; X=${X#*\\.}", ["a", "b"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=abc; R=${X:1:1}; X=${X: -1}", ["b", "c"]),
            (&[Bash, Ksh, Mksh, Zsh], "X=aXbX; R=${X/X/-}; X=${X//X/-}", ["a-bX", "a-b-"]),
            (&[Bash, Ksh, Mksh, Zsh], "R=${#}; X=$-; X=${X:+set}", ["0", "set"]),
            (&[Dash], "R=${#}; X=$-; X=${X:+set}", ["0", ""]),
        ]);
    }
}
