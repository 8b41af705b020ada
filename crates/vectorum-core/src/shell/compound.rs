//! Commands made of others: conditions, loops and cases.

use bytes::Bytes;

use super::braced::has_open_bracket;
use super::parse::{Parsed, Parser, is_name, is_name_start, push_only};
use super::syntax::*;

/// The sums of a loop that counts, which semicolons separate but those within substitutions; `None` where it is not clear what
/// those are within.
fn sums_of(text: &[u8]) -> Option<Vec<&[u8]>> {
    // What is open, by the sign that closes it, and whether a command stands there.
    let mut open: Vec<(u8, bool)> = Vec::new();
    let (mut pieces, mut begin, mut before) = (Vec::new(), 0, b' ');
    for (at, byte) in text.iter().copied().enumerate() {
        match byte {
            _ if open.last().is_some_and(|(end, _)| *end == byte) => drop(open.pop()),
            b'(' => open.push((b')', before == b'$')),
            b'{' => open.push((b'}', false)),
            b'`' => open.push((byte, true)),
            b'"' | b'\'' => open.push((byte, false)),
            b')' | b'}' => return None,
            b';' => match open.last() {
                None => {
                    pieces.push(text.get(begin..at)?);
                    begin = at + 1;
                }
                Some((_, is_command)) if *is_command => {}
                Some(_) => return None,
            },
            _ => {}
        }
        before = byte;
    }
    pieces.push(text.get(begin..)?);
    Some(pieces)
}

impl Parser<'_> {
    /// Takes a compound command; a simple one is left for the caller.
    pub(super) fn kind(&mut self) -> Parsed<Kind> {
        if self.dialect.is_rich() && self.starts(b"((") {
            let from = self.at;
            if let Some(inner) = self.balanced_sum() {
                return Ok(Kind::Arithmetic(self.within(inner).double(None)?));
            }
            self.at = from;
            if self.dialect == Dialect::Ksh {
                return self.trouble_unfollowed("a sum that is none");
            }
        }
        if self.dialect == Dialect::Zsh && self.starts(b"()") {
            return self.anonymous();
        }
        if self.take(b"(") {
            let list = self.some_commands()?;
            if list.items.is_empty() && self.dialect != Dialect::Ksh {
                return self.trouble_unfollowed("nothing between parentheses");
            }
            self.blanks();
            return if self.take(b")") { Ok(Kind::Subshell(list)) } else { self.trouble("a parenthesis is not closed") };
        }
        // In zsh it begins a block whatever stands behind it.
        if self.is_word(b"{") || self.dialect == Dialect::Zsh && self.peek() == Some(b'{') {
            let list = self.block()?;
            self.blanks();
            if self.dialect == Dialect::Zsh && self.take_word(b"always") {
                self.blanks();
                if !self.is_word(b"{") {
                    return self.trouble("a block is missing");
                }
                return Ok(Kind::Always(list, self.block()?));
            }
            return Ok(Kind::Group(list));
        }
        if self.take_word(b"if") {
            return self.if_command();
        }
        if self.take_word(b"while") {
            let condition = self.asked_commands()?;
            return Ok(Kind::While(false, condition, self.loop_body()?));
        }
        if self.take_word(b"until") {
            let condition = self.asked_commands()?;
            return Ok(Kind::While(true, condition, self.loop_body()?));
        }
        if self.take_word(b"for") {
            return self.for_command(false);
        }
        if self.dialect == Dialect::Zsh && self.take_word(b"foreach") {
            return self.for_command(true);
        }
        if self.take_word(b"case") {
            return self.case_command();
        }
        if self.dialect.is_rich() {
            if self.take_word(b"[[") {
                let test = self.test_or()?;
                self.lines()?;
                // An expression may have parentheses of its own there.
                if self.dialect == Dialect::Ksh && self.peek() == Some(b')') {
                    return self.trouble_unfollowed("a parenthesis in a test");
                }
                return if self.take_word(b"]]") { Ok(Kind::Test(Box::new(test))) } else { self.trouble("a test is not closed") };
            }
            if self.take_word(b"function") {
                return self.function_by_word();
            }
            if self.dialect == Dialect::Zsh && self.take_word(b"repeat") {
                self.blanks();
                let count = self.word()?;
                self.blanks();
                self.take(b";");
                return Ok(Kind::Repeat(Box::new(count), self.loop_body()?));
            }
            if self.take_word(b"select") {
                return self.menu();
            }
            if self.is_word(b"coproc") {
                return self.trouble_unfollowed("a process beside the shell");
            }
        }
        Ok(Kind::Simple(Vec::new(), Vec::new()))
    }

    /// Takes a menu: it goes round as often as somebody chooses, who is not asked.
    fn menu(&mut self) -> Parsed<Kind> {
        let rest = self.text.get(self.at..).unwrap_or_default().trim_ascii_start();
        let behind = rest.iter().position(|byte| !is_name(*byte)).and_then(|at| rest.get(at..)).unwrap_or_default();
        if self.dialect == Dialect::Bash && behind.trim_ascii_start().starts_with(b"{") {
            return self.trouble("«do» is missing");
        }

        let Kind::For(mut names, words, body) = self.for_command(false)? else {
            return self.trouble_unfollowed("a menu that waits for a choice");
        };
        names.truncate(1);
        names.push(Bytes::from_static(b"REPLY"));
        let mut parts = Parts::new();
        parts.push(Part::Unfollowed("a menu that waits for a choice"));
        let mut words = words.unwrap_or_default();
        words.push(Word::new(parts, self.at, self.at));
        Ok(Kind::For(names, Some(words), body))
    }

    /// Takes a semicolon at which a list may begin in ksh, where no command stands before it.
    fn take_nothing(&mut self) {
        if self.dialect == Dialect::Ksh {
            self.blanks();
            self.at += usize::from(self.peek() == Some(b';') && !self.starts(b";;"));
        }
    }

    /// The commands that a loop hangs on, which ksh does not begin with nothing (measured: 93u+m).
    fn asked_commands(&mut self) -> Parsed<List> {
        self.blanks();
        if self.dialect == Dialect::Ksh && self.peek() == Some(b';') {
            return self.trouble_unfollowed("nothing between two signs");
        }
        self.some_commands()
    }

    /// Takes commands where some shells want at least one.
    fn some_commands(&mut self) -> Parsed<List> {
        let from = self.at;
        self.take_nothing();
        let list = self.whole()?;
        let is_something = !list.items.is_empty() || self.text.get(from..self.at).is_some_and(|text| text.contains(&b';'));
        if is_something || matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) {
            return Ok(list);
        }
        self.trouble("a command is missing")
    }

    /// Takes `{ …; }` from its brace.
    fn block(&mut self) -> Parsed<List> {
        self.at += 1;
        self.braces += 1;
        let list = self.some_commands();
        self.braces -= 1;
        let list = list?;
        self.expect_word(b"}", "a brace is not closed")?;
        Ok(list)
    }

    /// Takes what follows a condition or a loop's head at once in zsh: a block, or commands up to the end of the line
    /// or a sign (zshmisc(1), «Alternate Forms For Complex Commands»). Whether it is a block.
    fn short_body(&mut self) -> Parsed<(List, bool)> {
        if self.is_word(b"{") || self.dialect == Dialect::Zsh && self.peek() == Some(b'{') {
            return Ok((self.block()?, true));
        }
        Ok((List { items: vec![self.item()?] }, false))
    }

    fn is_short(&self) -> bool {
        self.dialect == Dialect::Zsh && !self.at_end()
    }

    pub(super) fn if_command(&mut self) -> Parsed<Kind> {
        let mut arms = Vec::new();
        loop {
            let condition = self.whole()?;
            if condition.items.is_empty() && self.dialect == Dialect::Mksh && self.is_word(b"then") {
                return self.trouble_unfollowed("a condition is missing");
            }
            if condition.items.is_empty() {
                return self.trouble("a condition is missing");
            }
            if self.is_short() {
                let (body, is_block) = self.short_body()?;
                push_only(&mut arms, (condition, body));
                self.blanks();
                if is_block && self.take_word(b"elif") {
                    continue;
                }
                let mut otherwise = None;
                if is_block && self.take_word(b"else") {
                    self.lines()?;
                    if !self.is_word(b"{") {
                        return self.trouble_unfollowed("an «else» in a form of zsh's own");
                    }
                    otherwise = Some(self.block()?);
                }
                return Ok(Kind::If(arms, otherwise));
            }
            self.expect_word(b"then", "«then» is missing")?;
            let body = self.arm()?;
            push_only(&mut arms, (condition, body));
            self.lines()?;
            if self.take_word(b"elif") {
                continue;
            }
            let otherwise = if self.take_word(b"else") { Some(self.arm()?) } else { None };
            self.expect_word(b"fi", "«fi» is missing")?;
            return Ok(Kind::If(arms, otherwise));
        }
    }

    /// Takes what a condition decides upon.
    fn arm(&mut self) -> Parsed<List> {
        let body = self.some_commands()?;
        if body.items.is_empty() && self.dialect == Dialect::Mksh { self.trouble("a command is missing") } else { Ok(body) }
    }

    pub(super) fn loop_body(&mut self) -> Parsed<List> {
        self.lines()?;
        if self.dialect.is_rich() && self.is_word(b"{") {
            return self.block();
        }
        if self.is_short() {
            return Ok(self.short_body()?.0);
        }
        self.expect_word(b"do", "«do» is missing")?;
        let body = self.some_commands()?;
        self.expect_word(b"done", "«done» is missing")?;
        Ok(body)
    }

    /// A loop over words; `has_end` says whether it is the one of zsh's that `end` may close.
    pub(super) fn for_command(&mut self, has_end: bool) -> Parsed<Kind> {
        self.blanks();
        if self.dialect.is_rich() && self.dialect != Dialect::Mksh && self.starts(b"((") {
            let Some(inner) = self.balanced_sum() else { return self.trouble("a parenthesis is not closed") };
            let mut begin = inner.start;
            let text = self.text.get(inner).unwrap_or_default();
            let Some(pieces) = sums_of(text) else {
                return self.trouble_unfollowed("a loop that counts, with signs that end a command within its sums");
            };
            let mut pieces = pieces.into_iter().map(|piece| {
                let stretch = begin..begin + piece.len();
                begin = stretch.end + 1;
                self.within(stretch).double(None)
            });
            let mut piece = || pieces.next().unwrap_or(Ok(Vec::new()));
            let parts = [piece()?, piece()?, piece()?];
            self.blanks();
            self.take(b";");
            return Ok(Kind::Count(Box::new(parts), self.loop_body()?));
        }
        let mut names = Vec::new();
        loop {
            let from = self.at;
            while self.peek().is_some_and(is_name) {
                self.at += 1;
            }
            let mut name = self.cut(from, self.at);
            // What is no name is refused there when the loop runs (measured: bash 5.2).
            let has_begun = |byte: u8| !b" \t\n;&|<>()".contains(&byte);
            if self.dialect == Dialect::Bash && self.peek().is_some_and(has_begun) {
                self.at = from;
                let word = self.word()?;
                name = Bytes::copy_from_slice(word.literal().unwrap_or(b"$"));
            }
            let is_refused_later = self.dialect == Dialect::Bash && !name.is_empty();
            // In zsh it may be a positional parameter.
            let is_number = self.dialect == Dialect::Zsh && !name.is_empty() && name.iter().all(u8::is_ascii_digit);
            if !is_number && !is_refused_later && !name.first().is_some_and(|b| is_name_start(*b)) {
                // It is refused there when the loop runs (measured: 93u+m).
                if self.dialect == Dialect::Ksh && name.first().is_some_and(u8::is_ascii_digit) {
                    return self.trouble_unfollowed("a loop over what is no name");
                }
                return self.trouble("a name is missing");
            }
            // Some shells take it up to here, and refuse it when it runs.
            if self.peek() == Some(b'[') {
                return self.trouble_unfollowed("a loop over an item of a list");
            }
            if self.dialect == Dialect::Zsh && self.peek() == Some(b'#') {
                return self.trouble("a name is missing");
            }
            names.push(name);
            self.blanks();
            if self.dialect != Dialect::Zsh {
                break;
            }
            // A word of the language may be a name, or begin that line.
            let begins = |name: &Bytes| matches!(&name[..], b"while" | b"until" | b"for" | b"if" | b"case");
            if !self.is_word(b"in") && names.last().is_some_and(begins) {
                return self.trouble_unfollowed("a loop whose names go on");
            }
            // There a loop of one line may begin behind its names, if it does not go on with them.
            let has_ended = self.peek().is_none_or(|byte| b"(;\n{".contains(&byte)) || self.is_word(b"in") || self.is_word(b"do");
            if has_ended {
                break;
            }
            if self.is_reserved() || !self.peek().is_some_and(is_name) {
                return self.trouble_unfollowed("a loop whose names go on");
            }
        }
        self.lines()?;
        let mut words = None;
        if self.take_word(b"in") {
            let mut taken = Vec::new();
            loop {
                self.blanks();
                match self.peek() {
                    None | Some(b'\n' | b';') => break,
                    Some(b'(') if self.dialect == Dialect::Ksh => {
                        return self.trouble_unfollowed("a parenthesis among what a loop runs over");
                    }
                    Some(b'(') => return self.parenthesis(),
                    Some(b'&' | b'|' | b'<' | b'>' | b')') => return self.trouble("this cannot stand here"),
                    _ => taken.push(self.word()?),
                }
            }
            words = Some(taken);
        } else if self.dialect == Dialect::Zsh && self.starts(b"()") {
            return self.trouble_unfollowed("a function for what a loop does");
        } else if self.dialect == Dialect::Zsh && self.peek() == Some(b'(') {
            self.at += 1;
            words = Some(self.array()?);
        }
        self.blanks();
        self.take(b";");
        self.lines()?;
        let body = if has_end && !self.is_word(b"do") && !self.is_word(b"{") {
            let body = self.whole()?;
            self.expect_word(b"end", "«end» is missing")?;
            body
        } else {
            self.loop_body()?
        };
        Ok(Kind::For(names, words, body))
    }

    pub(super) fn case_command(&mut self) -> Parsed<Kind> {
        self.blanks();
        if self.dialect == Dialect::Ksh && self.is_word(b"!") {
            return self.trouble("this cannot stand here");
        }
        let word = self.word()?;
        if self.dialect == Dialect::Zsh {
            self.blanks();
            self.take(b";");
        }
        self.lines()?;
        if self.dialect == Dialect::Ksh && word.literal() == Some(b"{") {
            return self.trouble_unfollowed("a brace that is looked for");
        }
        // An old form, with braces.
        let has_braces = self.dialect.is_rich() && self.dialect != Dialect::Bash && self.take_word(b"{");
        if !has_braces {
            self.expect_word(b"in", "«in» is missing")?;
            if self.dialect == Dialect::Zsh {
                self.take(b";");
            }
        }
        let mut arms = Vec::new();
        loop {
            self.lines()?;
            if self.take_word(if has_braces { b"}" } else { b"esac" }) {
                return Ok(Kind::Case(Box::new(word), arms));
            }
            if self.at >= self.text.len() {
                return self.trouble("«esac» is missing");
            }
            if !self.begins_group() {
                self.take(b"(");
            }
            let mut patterns = Vec::new();
            loop {
                self.blanks();
                // An operator is one there (measured: dash 0.5.12).
                let is_operator = |byte: &u8| b"&<>|);(".contains(byte);
                let rest = self.text.get(self.at..).unwrap_or_default();
                let length = rest.iter().take_while(|byte| is_operator(byte)).count();
                let behind = rest.get(length..).unwrap_or_default().trim_ascii_start();
                let is_whole = rest.get(..length).is_some_and(|text| text.ends_with(b")"))
                    || behind.starts_with(b")")
                    || behind.starts_with(b"|");
                if self.dialect == Dialect::Dash && length > 0 && is_whole && patterns.is_empty() {
                    return self.trouble_unfollowed("an operator for a pattern");
                }
                let pattern = self.pattern_word()?;
                let in_group = pattern.parts.iter().skip_while(|p| !matches!(p, Part::Text(t) if t.contains(&b'(')));
                if in_group.clone().next().is_some() {
                    self.takes_groups()?;
                }
                // There these end a word within it, too (measured: 93u+m; 5.9).
                let ends = |text: &[u8]| match self.dialect {
                    Dialect::Ksh => {
                        let lacks = |close, open| text.contains(&close) && !text.contains(&open);
                        has_open_bracket(text)
                            || text.windows(2).any(|pair| pair == b"[[")
                            || lacks(b'}', b'{')
                            || lacks(b']', b'[')
                    }
                    Dialect::Zsh => text.iter().any(|sign| b"<>".contains(sign)),
                    _ => false,
                };
                let is_bare = pattern.parts.iter().all(|p| matches!(p, Part::Text(_)));
                if is_bare && in_group.clone().any(|p| matches!(p, Part::Text(t) if ends(t))) {
                    return self.trouble_unfollowed("a group of a pattern with a sign that may end its word");
                }
                push_only(&mut patterns, pattern);
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
            let goes_on = match self.dialect {
                Dialect::Bash => self.take(b";;&"),
                Dialect::Mksh => self.take(b";;&") || self.take(b";|"),
                Dialect::Zsh => self.take(b";|"),
                Dialect::Dash | Dialect::Ksh => false,
            };
            let end = if goes_on {
                ArmEnd::On
            } else if self.take(b";;") {
                ArmEnd::Done
            } else if self.dialect.is_rich() && self.take(b";&") {
                ArmEnd::Through
            } else {
                arms.push(Arm { patterns, body, end: ArmEnd::Done });
                self.expect_word(if has_braces { b"}" } else { b"esac" }, "«esac» is missing")?;
                return Ok(Kind::Case(Box::new(word), arms));
            };
            arms.push(Arm { patterns, body, end });
        }
    }

    /// Whether the parenthesis that an arm begins with is one of its pattern, in zsh: something stands right behind where
    /// it ends.
    fn begins_group(&self) -> bool {
        let rest = self.text.get(self.at..).unwrap_or_default();
        if self.dialect != Dialect::Zsh || rest.first() != Some(&b'(') {
            return false;
        }
        let (mut open, mut bytes) = (0_usize, rest.iter().enumerate());
        while let Some((at, byte)) = bytes.next() {
            match byte {
                b'\\' => drop(bytes.next()),
                b'(' => open += 1,
                b')' if open <= 1 => return rest.get(at + 1).is_some_and(|b| !b" \t\n;".contains(b)),
                b')' => open -= 1,
                b'\n' | b'\'' | b'"' => return false,
                _ => {}
            }
        }
        false
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn sums_of_a_loop_end_where_no_command_goes_on() {
        for (text, sums) in [
            ("i=0; i<3; i++", Some(vec!["i=0", " i<3", " i++"])),
            ("i=$(true; echo 5); ;", Some(vec!["i=$(true; echo 5)", " ", ""])),
            ("i=`a;b`;;", Some(vec!["i=`a;b`", "", ""])),
            ("i=${N-3};j;k", Some(vec!["i=${N-3}", "j", "k"])),
            ("i=(1;2);;", None),
            ("i=\";\";;", None),
            ("i=$(case 3 in 3) echo;; esac);;", None),
        ] {
            let found = super::sums_of(text.as_bytes());
            let sums = sums.map(|sums| sums.into_iter().map(str::as_bytes).collect::<Vec<_>>());
            assert_eq!(found, sums, "{text}");
        }
    }

    #[test]
    fn what_is_made_of_commands() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=1; }; f; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() ( R=1; ); f; X=2", ["none", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() if true; then R=1; fi; f", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f () { R=$1; X=$#; }; f a b", ["a", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "function f { R=1; }; f; X=2", ["1", "2"]),
            (&[Bash, Mksh, Zsh], "function f() { R=1; }; f; X=2", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f()\n{\nR=1\n}\nf", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=1; } >/dev/null; f", ["1", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a = a ]] && R=1; [[ a != a ]] || X=1", ["1", "1"]),
            (&[Dash], "[[ a = a ]] && R=1; [[ a != a ]] || X=1", ["none", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a && ( b || '' ) ]] && R=1; [[ ! a ]] || X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ ab == a* && ab != a ]] && R=1; [[ 2 -lt 10 ]] && X=1", ["1", "1"]),
            (&[Dash], "[[ ab == a* && ab != a ]] && R=1; [[ 2 -lt 10 ]] && X=1", ["none", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ -n a && -z '' ]] && R=1; [[ -d / ]] && X=1", ["1", "1"]),
            (&[Dash], "[[ -n a && -z '' ]] && R=1; [[ -d / ]] && X=1", ["none", "none"]),
            (&[Bash, Ksh, Mksh, Zsh], "((1 + 1)) && R=1; ((0)) || X=1", ["1", "1"]),
            (&[Dash], "((1 + 1)) && R=1; ((0)) || X=1", ["none", "1"]),
            (&[Bash, Ksh, Zsh], "for ((i = 0; i < 3; i++)); do R=$R$i; done; X=$i", ["012", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "{ R=1; } && (X=2)", ["1", "none"]),
            (&[Bash, Ksh, Mksh], "a=(x y); R=${a[1]}; X=${#a[@]}", ["y", "2"]),
            (&[Zsh], "a=(x y); R=${a[1]}; X=${#a[@]}", ["x", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=0; { R=1; false; } || X=$?", ["1", "1"]),
            (&[Bash, Ksh, Mksh], "time R=1; X=2", ["1", "2"]),
            (&[Dash], "time R=1; X=2", ["none", "2"]),
        ]);
    }

    #[test]
    fn conditions_loops_and_functions_run_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if true; then R=1; else R=2; fi; if false; then X=1; else X=2; fi", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if false; then R=1; elif true; then R=2; fi; X=$?", ["2", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if false; then R=1; fi; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i in a b; do R=$R$i; done; X=$i", ["ab", "b"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i in; do R=1; done; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i do R=$i; done", ["none", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- p q; for i; do R=$R$i; done", ["pq", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "i=0; while [ $i -lt 3 ]; do i=$((i + 1)); R=$R$i; done; X=$i", ["123", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "until true; do R=1; done; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "i=0; until [ $i = 2 ]; do i=$((i + 1)); done; R=$i", ["2", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case abc in a*) R=1 ;; *) R=2 ;; esac; case x in y) X=1 ;; esac", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in (a|b) R=1 ;; esac; case b in a | b) X=1 ;; esac", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case '*' in \\*) R=1 ;; esac; case a in [!b]) X=1 ;; esac", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "case a in a) ;; esac; R=$?; case a in b) false ;; esac; X=$?", ["0", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "{ R=1; X=2; }", ["1", "2"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "{ R=1; } >/dev/null; X=$R", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "( R=1; exit 3 ); X=$?", ["none", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=1; }; f; X=$?", ["1", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() ( R=1 ); f; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { return 4; }; f; R=$?", ["4", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { R=$1; X=$#; }; f a b", ["a", "2"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "f() { if [ $1 = 0 ]; then return; fi; R=$R$1; f $(($1 - 1)); }; f 3",
                ["321", "none"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "while true; do break; R=1; done; X=$?", ["none", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "for i in 1 2 3; do [ $i = 2 ] && continue; R=$R$i; done", ["13", "none"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "for i in 1 2; do for j in a b; do [ $j = b ] && break 2; R=$R$i$j; done; done",
                ["1a", "none"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "if ! false; then R=1; fi; ! true; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true && R=1 || R=2; false && X=1 || X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a = a && b != c ]] && R=1; [[ ! a = b || x = y ]] && X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "((3 > 2)) && R=1; ((0)) || X=1", ["1", "1"]),
            (&[Bash, Ksh, Zsh], "for ((i = 0; i < 3; i++)); do R=$R$i; done; X=$i", ["012", "3"]),
            (&[Bash, Ksh, Mksh, Zsh], "case a in a) R=1 ;& b) X=2 ;; esac", ["1", "2"]),
            (&[Bash], "case a in a) R=1 ;;& a) X=2 ;; esac", ["1", "2"]),
            (&[Zsh], "repeat 3 R=x$R; X=$?", ["xxx", "0"]),
            (&[Zsh], "{ R=1 } always { X=2 }", ["1", "2"]),
            (&[Zsh], "for i j in a b c d; do R=$R$i; X=$X$j; done", ["ac", "bd"]),
            (&[Zsh], "if [[ a = a ]] { R=1 }; for i (a b) X=$X$i", ["1", "ab"]),
            (&[Bash, Mksh, Zsh], "function f { R=1; }; f; X=$?", ["1", "0"]),
            (&[Ksh], "function f { typeset V=1; R=$V; }; f; X=$V", ["1", ""]),
            (&[Bash, Zsh], "V=1; f() { local V=2; R=$V; }; f; X=$V", ["2", "1"]),
        ]);
    }
}
