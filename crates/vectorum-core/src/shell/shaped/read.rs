//! Reads parameters of zsh's own shape.

use bytes::Bytes;

use super::super::parse::{Parser, is_name, is_name_start};
use super::super::reference::closing;
use super::super::syntax::{Change, Dialect, Part, Parts, Word};
use super::*;

/// Longer subscripts and texts within flags are not read.
const LONGEST: usize = 4096;

impl Parser<'_> {
    /// Takes `{…}` from its brace; `None`, and nothing taken, where it is of a shape that is not followed.
    pub(in super::super) fn shaped(&mut self, start: usize, in_double: bool) -> Option<Part> {
        let before = self.at;
        self.at = start;
        let shaped = self.shaped_within(in_double);
        if shaped.is_none() {
            self.at = before;
        }
        shaped.map(|shaped| Part::Shaped(Box::new(shaped)))
    }

    /// Takes marks, a name, subscripts and modifiers without braces, from the sign behind the dollar on.
    pub(in super::super) fn shaped_bare(&mut self) -> Option<Part> {
        let before = self.at;
        let mut shaped = Shaped::default();
        let done = self.bare_within(&mut shaped);
        if done.is_none() {
            self.at = before;
        }
        done.map(|()| Part::Shaped(Box::new(shaped)))
    }

    fn bare_within(&mut self, shaped: &mut Shaped) -> Option<()> {
        self.marks(shaped)?;
        shaped.of = Of::Name(self.plain_name()?);
        self.subscripts(shaped)?;
        if self.peek() == Some(b':') && self.peek_at(1).is_some_and(|b| b"aAhtrelusgqQP&cx".contains(&b)) {
            shaped.steps = self.path_steps()?;
        }
        Some(())
    }

    fn shaped_within(&mut self, in_double: bool) -> Option<Shaped> {
        let mut shaped = Shaped::default();
        if !self.take(b"{") {
            return None;
        }
        if self.take(b"(") {
            shaped.flags = self.flags()?;
        }
        self.marks(&mut shaped)?;
        match self.peek()? {
            b'$' if self.peek_at(1).is_some_and(|b| b"{(".contains(&b)) => {
                let inner = self.deeper(|p| p.dollar(in_double)).ok()??;
                shaped.of = Of::Inner(Box::new(inner));
            }
            b'"' => {
                let inner = self.deeper(|p| p.quoted(b'"')).ok()?;
                // Only a parameter or an output may be quoted there; any other text is an error.
                let is_one = |parts: &[Part]| matches!(parts, [part] if !matches!(part, Part::Text(_) | Part::Quoted(_)));
                if !matches!(&inner, Part::Double(parts) if is_one(parts)) {
                    return None;
                }
                shaped.of = Of::Inner(Box::new(inner));
            }
            b':' => {}
            _ => shaped.of = Of::Name(self.plain_name()?),
        }
        self.subscripts(&mut shaped)?;
        if self.take(b"}") {
            return Some(shaped);
        }
        shaped.steps = self.steps(in_double)?;
        self.take(b"}").then_some(shaped)
    }

    /// Takes a name, a number, or `@` or `*`.
    fn plain_name(&mut self) -> Option<Bytes> {
        let from = self.at;
        match self.peek()? {
            b'@' | b'*' => self.at += 1,
            byte if byte.is_ascii_digit() => {
                while self.peek().is_some_and(|b| b.is_ascii_digit()) {
                    self.at += 1;
                }
            }
            byte if is_name_start(byte) => {
                while self.peek().is_some_and(is_name) {
                    self.at += 1;
                }
                // Letters beyond ASCII may belong to it.
                if self.peek().is_some_and(|b| b >= 0x80) {
                    return None;
                }
            }
            _ => return None,
        }
        Some(self.cut(from, self.at))
    }

    fn marks(&mut self, shaped: &mut Shaped) -> Option<()> {
        loop {
            let mark = match self.peek()? {
                b'^' => &mut shaped.is_spread,
                b'=' => &mut shaped.is_split,
                b'~' => &mut shaped.is_pattern,
                // Of a text between quotes there is no length.
                b'#' if self.peek_at(1) == Some(b'"') => return None,
                b'#' if self.peek_at(1).is_some_and(|b| is_name_start(b) || b"$:@*".contains(&b)) => &mut shaped.is_counted,
                _ => return Some(()),
            };
            // Twice it turns something off.
            if std::mem::replace(mark, true) {
                return None;
            }
            self.at += 1;
        }
    }

    /// Takes flags up to the parenthesis that closes them.
    fn flags(&mut self) -> Option<Vec<Flag>> {
        let mut out = Vec::new();
        let mut has_escapes = false;
        loop {
            let letter = self.peek()?;
            self.at += 1;
            out.push(match letter {
                b')' => return Some(out),
                b'p' => {
                    has_escapes = true;
                    continue;
                }
                b'@' => Flag::Separate,
                b'U' | b'L' => Flag::Case(letter == b'U'),
                b'C' => Flag::Title,
                b'f' => Flag::Split(b"\n".to_vec()),
                b'F' => Flag::Join(b"\n".to_vec()),
                b'0' => Flag::Split(b"\0".to_vec()),
                b'j' | b's' => {
                    let text = self.between()?;
                    let text = if has_escapes { plain_escapes(&text)? } else { text };
                    if letter == b'j' {
                        Flag::Join(text)
                    } else if text.is_empty() {
                        return None;
                    } else {
                        Flag::Split(text)
                    }
                }
                b'l' | b'r' => {
                    let length = std::str::from_utf8(&self.between()?).ok()?.parse().ok().filter(|n| *n < LONGEST)?;
                    let delimiter = self.text.get(self.at - 1).copied();
                    let with = if self.peek() == delimiter { self.between()? } else { b" ".to_vec() };
                    if with.is_empty() || !with.is_ascii() || self.peek() == delimiter {
                        return None;
                    }
                    Flag::Filled(letter == b'l', length, with)
                }
                b'M' => Flag::Matched,
                b'S' => Flag::Anywhere,
                b'q' if self.take(b"-") => Flag::QuotedIfNeeded,
                b'q' => {
                    let mut count = 1;
                    while self.take(b"q") {
                        count += 1;
                    }
                    if count > 3 || self.peek() == Some(b'+') {
                        return None;
                    }
                    Flag::Quoted(count)
                }
                b'Q' => Flag::Unquoted,
                b'P' => Flag::Named,
                b'O' if self.take(b"a") => Flag::Backwards,
                b'o' | b'O' if !self.peek().is_some_and(|b| b"ain".contains(&b)) => Flag::Sorted(letter == b'o'),
                b'u' => Flag::Unique,
                b'k' => Flag::Keys,
                b'v' => Flag::Values,
                b'%' if self.peek() != Some(b'%') => Flag::Prompt,
                b'e' => Flag::Evaluated,
                _ => return None,
            });
        }
    }

    /// Takes a text between two of the same sign, or two brackets of a kind.
    fn between(&mut self) -> Option<Vec<u8>> {
        let close = match self.peek()? {
            b'(' => b')',
            b'[' => b']',
            b'{' => b'}',
            b'<' => b'>',
            sign if sign.is_ascii_punctuation() => sign,
            _ => return None,
        };
        self.at += 1;
        let rest = self.text.get(self.at..)?;
        let length = rest.iter().take(LONGEST).position(|b| *b == close)?;
        let text = rest.get(..length)?.to_vec();
        self.at += length + 1;
        // What is expanded in it, or quoted, is another text.
        (!text.iter().any(|b| b"$`'\"{}".contains(b))).then_some(text)
    }

    fn subscripts(&mut self, shaped: &mut Shaped) -> Option<()> {
        while self.peek() == Some(b'[') {
            let rest = self.text.get(self.at..)?;
            let close = closing(rest).filter(|close| *close < LONGEST)?;
            let text = rest.get(1..close)?;
            let subscript = self.subscript(text)?;
            self.at += close + 1;
            shaped.subscripts.push(subscript);
        }
        Some(())
    }

    fn subscript(&self, text: &[u8]) -> Option<Subscript> {
        if text == b"@" || text == b"*" {
            return Some(Subscript::All(text == b"@"));
        }
        // Quotes are part of some of them, and none of others.
        let is_blank = |text: &[u8]| text.trim_ascii().is_empty();
        if text.split(|b| *b == b',').any(is_blank) || text.iter().any(|b| b"'\"\\`\n".contains(b)) {
            return None;
        }
        if let Some(rest) = text.strip_prefix(b"(") {
            let count = rest.iter().take_while(|b| b"rRiIe".contains(b)).count();
            let (flags, pattern) = (rest.get(..count)?, rest.get(count..)?.strip_prefix(b")")?);
            let kinds: Vec<&u8> = flags.iter().filter(|b| **b != b'e').collect();
            let [kind] = kinds[..] else { return None };
            let search =
                Search { is_last: b"RI".contains(kind), tells_place: b"iI".contains(kind), is_exact: flags.contains(&b'e') };
            // A comma would make a range of it.
            if pattern.is_empty() || pattern.contains(&b',') {
                return None;
            }
            return Some(Subscript::Search(search, self.inner_text(pattern)?));
        }
        let is_nested = text.iter().any(|b| b"({[".contains(b));
        match memchr::memchr(b',', text) {
            Some(at) if !is_nested && text.iter().filter(|b| **b == b',').count() == 1 => {
                Some(Subscript::Range(self.sum_text(text.get(..at)?)?, self.sum_text(text.get(at + 1..)?)?))
            }
            Some(_) => None,
            None => Some(Subscript::At(self.sum_text(text)?)),
        }
    }

    /// The parts of a text that is worked out.
    fn sum_text(&self, text: &[u8]) -> Option<Vec<Part>> {
        if text.is_empty() {
            return None;
        }
        let text = Bytes::copy_from_slice(text);
        let mut inner = Parser::new(&text, Dialect::Zsh);
        inner.depth = self.depth + 1;
        inner.double(None).ok()
    }

    /// A text as the word that stands in braces.
    fn inner_text(&self, text: &[u8]) -> Option<Word> {
        let text = Bytes::from([text, b"}"].concat());
        let mut inner = Parser::new(&text, Dialect::Zsh);
        inner.depth = self.depth + 1;
        let word = inner.inner_word(false, b"}").ok()?;
        (inner.at + 1 == text.len()).then_some(word)
    }

    /// Takes what is done to a parameter, up to the brace that closes it.
    fn steps(&mut self, in_double: bool) -> Option<Vec<Step>> {
        let word = |p: &mut Self, in_double| p.inner_word(in_double, b"}").ok();
        let is_instead = |b: u8| b"-=?+".contains(&b);
        if self.take(b"::=") {
            return Some(vec![Step::Change(Change::Instead(b':', false, word(self, in_double)?))]);
        }
        // A second sign is none of the pattern's there.
        if self.take(b":#") {
            if self.peek() == Some(b'#') {
                return None;
            }
            return Some(vec![Step::Filter(word(self, false)?)]);
        }
        let colon = self.peek() == Some(b':') && self.peek_at(1).is_some_and(is_instead);
        self.at += usize::from(colon);
        let change = match self.peek()? {
            sign if is_instead(sign) => {
                self.at += 1;
                Change::Instead(sign, colon, word(self, in_double)?)
            }
            sign @ (b'#' | b'%') => {
                self.at += 1;
                let longest = self.take(&[sign]);
                Change::Trim(sign == b'%', longest, word(self, false)?)
            }
            b'/' => {
                self.at += 1;
                let how = self.peek().filter(|b| b"/#%".contains(b));
                self.at += usize::from(how.is_some());
                let pattern = self.inner_word(false, b"/}").ok()?;
                let is_quoted = self.is_between_quotes;
                let with = if self.take(b"/") { word(self, is_quoted)?.in_quotes(is_quoted) } else { Word::default() };
                Change::Replace(Box::new((pattern, with)), how.unwrap_or(b' '))
            }
            b':' if self.peek_at(1).is_some_and(|b| b.is_ascii_digit() || b" -$".contains(&b)) => {
                self.at += 1;
                let parts = |p: &mut Self, ends: &[u8]| p.inner_word(true, ends).ok().map(|word| Parts::into_vec(word.parts));
                let offset = parts(self, b":}")?;
                if self.lacks_length() {
                    return None;
                }
                let length = if self.take(b":") { Some(parts(self, b"}")?) } else { None };
                Change::Slice(offset, length)
            }
            _ => return self.path_steps(),
        };
        Some(vec![Step::Change(change)])
    }

    /// Takes modifiers (zshexpn(1), "Modifiers").
    fn path_steps(&mut self) -> Option<Vec<Step>> {
        let mut out = Vec::new();
        while self.peek() == Some(b':') {
            let letter = self.peek_at(1)?;
            self.at += 2;
            let is_all = letter == b'g' && self.take(b"s");
            out.push(match letter {
                b'h' | b't' | b'r' | b'e' | b'l' | b'u' => Step::Change(Change::Parts(vec![letter])),
                b'a' | b'A' => Step::Whole(letter == b'A'),
                b'q' => Step::Change(Change::Quote),
                b's' => self.swap(false)?,
                b'g' if is_all => self.swap(true)?,
                _ => return None,
            });
            if self.peek().is_some_and(|b| b.is_ascii_alphanumeric()) && letter != b's' && !is_all {
                return None;
            }
        }
        (!out.is_empty()).then_some(out)
    }

    fn swap(&mut self, is_all: bool) -> Option<Step> {
        let sign = self.peek().filter(u8::is_ascii_punctuation)?;
        self.at += 1;
        let from = self.swapped(sign)?;
        if from.is_empty() || !self.take(&[sign]) {
            return None;
        }
        let to = self.swapped(sign)?;
        // The last sign may be left out before a brace.
        (self.take(&[sign]) || self.peek() == Some(b'}')).then_some(Step::Swap(from, to, is_all))
    }

    /// Takes a text up to a sign; `None` if it has signs of patterns or references.
    fn swapped(&mut self, sign: u8) -> Option<Bytes> {
        let rest = self.text.get(self.at..)?;
        let length = rest.iter().take(LONGEST).take_while(|b| **b != sign && !b"}\n".contains(b)).count();
        let text = self.cut(self.at, self.at + length);
        self.at += length;
        (!text.iter().any(|b| b"$`'\"\\&*?[(=~".contains(b))).then_some(text)
    }
}

/// A text with what `print` makes of backslashes in it, as far as it is of the usual ones.
fn plain_escapes(text: &[u8]) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    let mut bytes = text.iter();
    while let Some(byte) = bytes.next() {
        out.push(match byte {
            b'\\' => match bytes.next()? {
                b'n' => b'\n',
                b't' => b'\t',
                b'0' => 0,
                b'\\' => b'\\',
                _ => return None,
            },
            // A name in it is one that holds the text.
            b'$' => return None,
            byte => *byte,
        });
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::Zsh;
    use crate::shell::trial::hold;

    #[test]
    fn what_zsh_writes_in_its_own_shape_is_read() {
        hold(&[
            (&[Zsh], "N=abc; R=${(U)N}; X=${(L)${(U)N}}", ["ABC", "abc"]),
            (&[Zsh], "N='a b'; R=${(q)N}; X=${(qq)N}", ["a\\ b", "'a b'"]),
            (&[Zsh], "N=a:b; R=${(s.:.)N}; X=${(s:/:)N}", ["a:b", "a:b"]),
            (&[Zsh], "N=a:b; R=${(s(:))N}; X=${(s[:])N}", ["a:b", "a:b"]),
            (&[Zsh], "N=a:b; R=${(s<:>)N}; X=\"${(s.:.)N}\"", ["a:b", "a:b"]),
            (&[Zsh], "N=a:b; R=${(@s.:.)N}; X=\"${(@s.:.)N}\"", ["a:b", "a:b"]),
            (&[Zsh], "L=(a b); R=${(j.,.)L}; X=\"${(j.,.)L}\"", ["a,b", "a,b"]),
            (&[Zsh], "L=(a b); R=${(j::)L}; X=${(j. .)L}", ["ab", "a b"]),
            (&[Zsh], "L=(a b); R=${(F)L}; X=${(j.-.)L[1]}", ["a\nb", "a"]),
            (&[Zsh], "N=$'a\\nb'; R=${(f)N}; X=${#${(f)N}}", ["a\nb", "2"]),
            (&[Zsh], "N=$'a\\n\\nb'; R=${#${(f)N}}; X=${#${(@f)N}}", ["2", "2"]),
            (&[Zsh], "N=5; R=${(l.3.)N}; X=${(l.3..0.)N}", ["  5", "005"]),
            (&[Zsh], "N=5; R=${(r.3..-.)N}; X=${(l.3..0..x.)N}", ["5--", "<unknown>"]),
            (&[Zsh], "L=(b a c); R=${(o)L}; X=${(O)L}", ["b a c", "b a c"]),
            (&[Zsh], "L=(b a c); R=${(oa)L}; X=${(Oa)L}", ["<unknown>", "b a c"]),
            (&[Zsh], "L=(b10 b9); R=${(on)L}; X=${(On)L}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "L=(B a C); R=${(oi)L}; X=${(o)L}", ["<unknown>", "B a C"]),
            (&[Zsh], "L=(a b a); R=${(u)L}; X=$#L", ["a b a", "3"]),
            (&[Zsh], "N=M; M=v; R=${(P)N}; X=${(P)${:-M}}", ["v", "v"]),
            (&[Zsh], "typeset -A T=(k v); R=${(k)T}; X=${(v)T}", ["k", "v"]),
            (&[Zsh], "typeset -A T=(k v); R=${(kv)T}; X=${(t)T}", ["k v", "<unknown>"]),
            (&[Zsh], "N=a; R=${(t)N}; X=${(t)L}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "typeset -x N=a; R=${(t)N}; X=${(t)PATH}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "N='$M'; M=v; R=${(e)N}; X=${(e)${:-a$M}}", ["v", "av"]),
            (&[Zsh], "N='a\\tb'; R=${(g::)N}; X=1", ["<unknown>", "1"]),
            (&[Zsh], "N='a b c'; R=${(w)#N}; X=${#N}", ["<unknown>", "5"]),
            (&[Zsh], "N='a b c'; R=${(z)N}; X=${#${(z)N}}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "N=abcb; R=${(M)N#ab}; X=${(M)N%b}", ["ab", "b"]),
            (&[Zsh], "N=abcb; R=${N#(#m)a}; X=1", ["<unknown>", "1"]),
            (&[Zsh], "N=abcb; R=${(S)N#b}; X=${(S)N/b*/-}", ["acb", "<unknown>"]),
            (&[Zsh], "L=(ab cb); R=${L#?}; X=${(M)L:#a*}", ["b b", "ab"]),
            (&[Zsh], "L=(ab cb); R=${L:#a*}; X=${#${L:#a*}}", ["cb", "1"]),
            (&[Zsh], "L=(a b c d); R=$L[2,3]; X=${L[-2,-1]}", ["b c", "c d"]),
            (&[Zsh], "L=(a b c d); R=${L[(r)c]}; X=${L[(i)c]}", ["c", "3"]),
            (&[Zsh], "L=(a b c d); R=${L[(R)*]}; X=${L[(I)x]}", ["d", "0"]),
            (&[Zsh], "N=abcd; R=$N[2,3]; X=${N[(i)c]}", ["bc", "<unknown>"]),
            (&[Zsh], "N=abcd; R=${N[-1]}; X=${N[(r)c]}", ["d", "<unknown>"]),
            (&[Zsh], "N='one two'; R=${N[(w)2]}; X=${N[(w)1]}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "L=(a b); R=x$^L; X=$^L", ["xa b", "a b"]),
            (&[Zsh], "L=(a b); R=${^L}y; X=x${^L}y", ["a by", "xa by"]),
            (&[Zsh], "N='a b'; set -- $=N; R=$#; X=${=N}", ["2", "a b"]),
            (&[Zsh], "N='a*'; R=${~N}; X=$N", ["a*", "a*"]),
            (&[Zsh], "N=v; R=${+N}; X=${+U}", ["1", "0"]),
            (&[Zsh], "N=abc; R=$#N; X=${#N}", ["3", "3"]),
            (&[Zsh], "L=(a bb); R=$#L; X=${#L[2]}", ["2", "2"]),
            (&[Zsh], "N=/a/b.c; R=${N:t:r}; X=${N:h:h}", ["b", "/"]),
            (&[Zsh], "N=/a/b.c; R=${N:s/a/x/}; X=${N:gs/b/y/}", ["/x/b.c", "/a/y.c"]),
            (&[Zsh], "N=/a/b.c; R=${N:u}; X=${${N:t}:l}", ["/A/B.C", "b.c"]),
            (&[Zsh], "N=abc; R=${N:1}; X=${N:0:2}", ["bc", "ab"]),
            (&[Zsh], "N=abc; R=${N: -1}; X=${N:1:-1}", ["c", "b"]),
            (&[Zsh], "L=(a b c); R=${L:1}; X=${L:0:1}", ["b c", "a"]),
            (&[Zsh], "R=${:-lit}; X=${${:-a.b}%.b}", ["lit", "a"]),
            (&[Zsh], "R=${${N:-d}:u}; X=${${(s.:.)${:-a:b}}[2]}", ["D", "b"]),
            (&[Zsh], "L=(a '' b); R=${#L}; X=${#${(@)L}}", ["3", "2"]),
            (&[Zsh], "L=(a b); M=(c); R=${L:^M}; X=${L:^^M}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "L=(a b); M=(b); R=${L:|M}; X=${L:*M}", ["<unknown>", "<unknown>"]),
            (&[Zsh], "L=(a b c); L[2]=(); R=$L; X=$#L", ["a c", "2"]),
            (&[Zsh], "L=(a b c); L[2]=(x y); R=$L; X=$#L", ["a x y c", "4"]),
            (&[Zsh], "L=(a b); L+=(c); R=$L[-1]; X=$#L", ["c", "3"]),
            (&[Zsh], "N=ab; N[1]=x; R=$N; X=1", ["xb", "1"]),
            (&[Zsh], "N=ab; N+=c; R=$N; X=${N[3]}", ["abc", "c"]),
            (&[Zsh], "R=${N::=v}; X=$N", ["v", "v"]),
            (&[Zsh], "R=${N:=v}; X=${N:+w}", ["v", "w"]),
            (&[Zsh], "R=${(A)L::=a b}; X=$#L", ["<unknown>", "<a number>"]),
        ]);
    }
}
