//! Conditions between `[[` and `]]`.

use super::{Parsed, Parser};
use crate::shell::syntax::*;

impl Parser<'_> {
    pub(in crate::shell) fn test_or(&mut self) -> Parsed<Test> {
        self.tests(b"||", |p| p.tests(b"&&", Self::test_one, Test::And), Test::Or)
    }

    /// Tests with a sign between them.
    fn tests(&mut self, sign: &[u8], one: fn(&mut Self) -> Parsed<Test>, join: fn(Box<Test>, Box<Test>) -> Test) -> Parsed<Test> {
        let mut test = one(self)?;
        loop {
            self.lines()?;
            if !self.take(sign) {
                return Ok(test);
            }
            test = join(Box::new(test), Box::new(one(self)?));
        }
    }

    /// Takes ends of lines within a condition, of which only zsh has any; elsewhere they stand between conditions.
    fn lines_within(&mut self) -> Parsed<()> {
        self.blanks();
        if self.peek() == Some(b'\n') && self.dialect != Dialect::Zsh {
            return self.trouble("a line ends within a condition");
        }
        self.lines()
    }

    pub(in crate::shell) fn test_one(&mut self) -> Parsed<Test> {
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
            if p.dialect != Dialect::Zsh && p.is_word(b"]]") {
                return p.trouble("a condition is missing");
            }
            let first = p.word()?;
            p.lines_within()?;
            let asked = first.literal().filter(|l| l.len() == 2 && l.first() == Some(&b'-')).map(<[u8]>::to_vec);
            // Which there are is asked in zsh only when it comes to that.
            let asked =
                asked.filter(|l| l.last().is_some_and(|letter| p.dialect == Dialect::Zsh || asks_of_one(*letter, p.dialect)));
            if let Some(operator) = asked {
                if p.is_word(b"]]") || p.starts(b"&&") || p.starts(b"||") || p.peek() == Some(b')') {
                    return p.trouble("nothing is asked for");
                }
                if p.dialect == Dialect::Zsh && p.is_word(b"!") {
                    return p.trouble_unfollowed("a condition that is none");
                }
                return Ok(Test::Unary(operator, p.word()?));
            }
            // Its operators may be quoted there.
            if p.dialect == Dialect::Ksh && p.peek().is_some_and(|byte| b"'\"\\".contains(&byte)) {
                return p.trouble_unfollowed("a condition in quotes");
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
                if is_it && !(operator == b"=~" && p.dialect == Dialect::Mksh) {
                    p.at += operator.len();
                    let behind = p.text.get(p.at..).unwrap_or_default().trim_ascii_start();
                    if p.dialect == Dialect::Ksh && operator == b"=~" && behind.starts_with(b"#") {
                        return p.trouble_unfollowed("a sign that begins a regular expression");
                    }
                    p.lines_within()?;
                    // What is turned round there is no word.
                    if p.dialect == Dialect::Zsh && (p.is_word(b"!") || p.peek() == Some(b'(') && matches!(operator, b"<" | b">"))
                    {
                        return p.trouble_unfollowed("a condition that is none");
                    }
                    // What is held against a number is no pattern.
                    let word = match operator {
                        b"=~" => p.regex_word()?,
                        [b'-' | b'<' | b'>', ..] if p.dialect == Dialect::Bash => p.word()?,
                        _ => p.pattern_word()?,
                    };
                    return Ok(Test::Binary(first, operator.to_vec(), word));
                }
            }
            if p.dialect == Dialect::Zsh && first.literal().is_some_and(|word| word.len() <= 2 && word.starts_with(b"-")) {
                return p.trouble_unfollowed("a condition that is none");
            }
            Ok(Test::Word(first))
        })
    }
}

/// Whether a letter behind a dash is a condition of one word (measured: bash 5.2, dash 0.5.12, 93u+m, R59, zsh 5.9).
pub(in crate::shell) fn asks_of_one(letter: u8, dialect: Dialect) -> bool {
    let letters: &[u8] = match dialect {
        Dialect::Bash => b"abcdefghknoprstuvwxzGLNORS",
        Dialect::Ksh => b"abcdefghknoprstuvwxzCGHLNORS",
        Dialect::Mksh => b"abcdefghknoprstuvwxzGHLOS",
        Dialect::Zsh => b"abcdefghknoprstuvwxzGLNORS",
        Dialect::Dash => b"bcdefghknoprstuvwxzGLORS",
    };
    letters.contains(&letter)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn lines_end_within_conditions_where_each_shell_has_it() {
        hold(&[
            (&[Bash, Ksh, Mksh, Zsh], "[[\na = a ]] && R=1; X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a = a\n]] && R=1; X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ a &&\nb ]] && R=1; X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ !\na ]] || R=1; X=2", ["1", "2"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ (\na ) ]] && R=1; X=2", ["1", "2"]),
            (&[Zsh], "[[ a\n= a ]] && R=1; [[ a =\na ]] && X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh], "[[ -- ]] && R=1; [[ -xx && a ]] && X=1", ["1", "1"]),
            (&[Bash, Ksh, Mksh, Zsh], "[[ = ]] && R=1; [[ a < '' ]] || X=1", ["1", "1"]),
        ]);
    }
}
