//! What `echo` and `printf` write.

use bytes::Bytes;

use super::content::Content;
use super::escapes::{Of, escape, unescaped};
use super::machine::Machine;
use super::misused::NOT_TAKEN;
use super::syntax::*;
use super::value::Val;

/// What `print` of zsh, ksh and mksh writes, where that is certain: as it stands with `-r`, on lines of their own with `-l`,
/// which zsh alone has.
pub(super) fn printed(words: &[Bytes], dialect: Dialect) -> Option<Bytes> {
    let (mut is_raw, mut is_listed, mut is_line) = (false, false, true);
    let mut words = words.iter();
    let mut rest = words.clone();
    while let Some(word) = words.next().filter(|word| word.len() > 1 && word.starts_with(b"-")) {
        rest = words.clone();
        if word == "--" {
            break;
        }
        for letter in word.iter().skip(1) {
            match letter {
                b'r' => is_raw = true,
                b'l' if dialect == Dialect::Zsh => is_listed = true,
                b'n' => is_line = false,
                _ => return None,
            }
        }
    }
    let words: Vec<&[u8]> = rest.map(|word| &word[..]).collect();
    // A lone dash ends the options in some; a backslash means more than itself.
    if words.first() == Some(&&b"-"[..]) || !is_raw && words.iter().any(|word| word.contains(&b'\\')) {
        return None;
    }
    let mut text = words.join(if is_listed { &b"\n"[..] } else { b" " });
    text.extend(is_line.then_some(b'\n'));
    Some(text.into())
}

impl Machine<'_> {
    /// `print` of zsh, ksh and mksh, which with `-v` sets a name in zsh.
    pub(super) fn print_words(&mut self, arguments: &[Val], known: Option<&[Bytes]>) {
        let options = arguments.iter().take_while(|a| a.known().is_some_and(|a| a.starts_with(b"-"))).count();
        let sets = arguments.iter().take(options).any(|a| a.known().is_some_and(|a| a.contains(&b'v')));
        // There it prints what names hold.
        if sets && self.dialect == Dialect::Ksh {
            self.print(Val::unknown(self.doubt("what a command prints")));
            return self.doubt_status(self.doubt("whether there is such a name"));
        }
        if sets && self.dialect == Dialect::Mksh {
            return self.doubt_status(self.doubt(NOT_TAKEN));
        }
        if sets && self.dialect == Dialect::Zsh {
            let Some(Val::Known(name)) = arguments.get(options).cloned() else {
                return self.fog("a variable is set whose name is not known");
            };
            // Without its end of a line.
            let rest: Option<Vec<Bytes>> = arguments.iter().skip(options + 1).map(|a| a.known().cloned()).collect();
            let is_plain = matches!(arguments.first(), Some(Val::Known(option)) if option == "-v" && options == 1);
            if !is_plain {
                self.fail_or_go_on(&self.doubt(NOT_TAKEN));
            }
            let text = rest.filter(|_| is_plain).and_then(|rest| printed(&rest, self.dialect));
            let text = text.and_then(|text| Some(Val::of(text.strip_suffix(b"\n")?)));
            let text = text.unwrap_or_else(|| Val::unknown(self.doubt("what a command prints")));
            return self.held_or_not(&name, |m| {
                if m.is_readonly(&name) {
                    return m.fail_hard();
                }
                m.assign(&name, Content::Set(text.clone()), None);
                m.set_status(0);
            });
        }
        let text = known.and_then(|words| printed(words, self.dialect)).map(Val::Known);
        let is_taken = |a: &Val| {
            a.known()
                .is_some_and(|a| a.iter().skip(1).all(|b| b"-rnlRs".contains(b) && (*b != b'l' || self.dialect != Dialect::Ksh)))
        };
        let are_taken = arguments.iter().take(options).all(is_taken);
        self.print(text.unwrap_or_else(|| Val::unknown(self.doubt("what a command prints"))));
        match (are_taken, self.dialect) {
            (true, _) => self.set_status(0),
            (false, Dialect::Ksh) => self.doubt_status(self.doubt(NOT_TAKEN)),
            (false, _) => self.misused_badly(),
        }
    }

    pub(super) fn echo(&mut self, arguments: &[Val]) {
        self.set_status(0);
        let mut words: Vec<Bytes> = Vec::new();
        for argument in arguments {
            match argument {
                Val::Known(text) => words.push(text.clone()),
                Val::Unknown(first) => {
                    let one = arguments.len() == 1;
                    let sets = first.doubt.sets.filter(|_| one);
                    // It may be an option, or say that nothing is printed from there on.
                    let is_odd = |text: &Bytes| text.starts_with(b"-") || text.contains(&b'\\');
                    let may_be_odd =
                        |v: &&Val| !v.is_number() && (v.candidates().is_empty() || v.candidates().iter().any(is_odd));
                    let rest =
                        arguments.iter().skip_while(may_be_odd).take_while(|v| self.dialect == Dialect::Bash || !may_be_odd(v));
                    // What takes it up takes ends of lines away.
                    let fills = |text: &Bytes| text.iter().any(|b| *b != b'\n');
                    let is_filled = rest.into_iter().any(|v| match v.candidates() {
                        [] => v.is_number() && v.is_empty() == Some(false),
                        texts => texts.iter().all(fills),
                    });
                    let is_number = first.is_number && one;
                    let text = first.another(is_filled).number(is_number).setting(sets);
                    return self.print(Val::Unknown(text));
                }
            }
        }
        let mut line = true;
        while words.first().is_some_and(|w| w == "-n") {
            line = false;
            words.remove(0);
        }
        // There a lone dash ends the options.
        if self.dialect == Dialect::Zsh && words.first().is_some_and(|w| w == "-") {
            words.remove(0);
        }
        // An option of zsh's takes them away, as it is where that is another shell.
        let bsd = self.live.as_ref().and_then(|state| state.option("bsdecho"));
        let is_unclear = self.dialect == Dialect::Zsh && (self.as_sh || bsd.is_none()) || self.speaks_posix();
        let mut takes_escapes = !matches!(self.dialect, Dialect::Bash | Dialect::Ksh) && bsd != Some(true);
        if self.dialect == Dialect::Bash && words.first().is_some_and(|w| w == "-e" || w == "-ne" || w == "-en") {
            takes_escapes = true;
            line &= words.remove(0) == "-e";
        }
        let is_odd =
            words.first().is_some_and(|w| w.len() > 1 && w.starts_with(b"-") && w.iter().skip(1).all(|b| b"neE".contains(b)));
        let is_odd = is_odd || is_unclear && words.iter().any(|word| word.contains(&b'\\'));
        let text = Some(words.join(&b' ')).filter(|_| !is_odd);
        let text = text.and_then(|text| if takes_escapes { unescaped(&text, Of::Words, Some(self.dialect)) } else { Some(text) });
        let Some(mut text) = text else { return self.print(Val::unknown(self.doubt("what a command prints"))) };
        if line {
            text.push(b'\n');
        }
        self.print(Val::of(text));
    }

    pub(super) fn printf(&mut self, arguments: &[Val]) {
        if arguments.is_empty() {
            return self.set_status(if self.dialect == Dialect::Zsh { 1 } else { 2 });
        }
        self.set_status(0);
        let known: Option<Vec<Bytes>> = arguments.iter().map(|a| a.known().cloned()).collect();
        // Where it would write how much it wrote, it is an error there.
        let counts = |word: &Val| word.known().is_some_and(|word| memchr::memmem::find(word, b"%n").is_some());
        if self.dialect == Dialect::Zsh && arguments.iter().take(3).any(counts) {
            self.fail_or_go_on(&self.doubt("a format that is not followed"));
        }
        if let Some([flag, name, ..]) = arguments.get(..2).and_then(|a| <&[Val; 2]>::try_from(a).ok())
            && flag.known().is_some_and(|f| f == "-v")
            && self.dialect.is_rich()
        {
            // It may be an item of a list.
            let is_name = |n: &&Bytes| n.split(|b| *b == b'[').next().is_some_and(crate::reader::is_portable);
            let Some(name) = name.known().filter(is_name).cloned() else {
                return self.fog("a variable is set whose name is not known");
            };
            let value = known.as_deref().and_then(|k| formatted(k.get(2..).unwrap_or_default(), Some(self.dialect)));
            let value = value.map_or_else(|| Val::unknown(self.doubt("a format that is not followed")), Val::of);
            if self.dialect == Dialect::Ksh {
                // Some of its releases take the option.
                let whole = String::from_utf8_lossy(&name).into_owned();
                match whole.split_once('[') {
                    Some((list, _)) => self.may_set("a format that is not followed", &[], &[list]),
                    None => self.may_set("a format that is not followed", &[&whole], &[]),
                }
                return self.doubt_status(self.doubt("whether there is such an option"));
            }
            // What is no number is written as one all the same, and told by the status.
            let is_odd = value.known().is_none();
            // It may be an error there, of which nothing comes.
            let content = if is_odd && self.dialect == Dialect::Zsh { Content::Perhaps(value) } else { Content::Set(value) };
            self.set_by_command(&name, content);
            if is_odd {
                self.doubt_status(self.doubt("a format that is not followed"));
            }
            return;
        }
        if arguments.first().is_some_and(|a| a.known().is_some_and(|a| a == "-v")) && self.dialect == Dialect::Dash {
            return self.set_status(2);
        }
        let text = known.as_deref().and_then(|words| formatted(words, Some(self.dialect)));
        let text = match text {
            Some(text) => Val::of(text),
            None => {
                // What is no number makes it fail.
                let doubt = self.doubt("what a command prints");
                if known.is_some() {
                    self.doubt_status(doubt.clone());
                }
                Val::unknown(doubt)
            }
        };
        self.print(text);
    }
}

/// How one argument of `printf` is written: `%-8.3s`, `%03d`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Shape {
    is_left: bool,
    is_zeroed: bool,
    width: usize,
    most: Option<usize>,
    kind: u8,
}

impl Shape {
    /// Takes one from behind its `%`; `None` for one that is not followed.
    fn of(text: &[u8]) -> Option<(Shape, usize)> {
        let mut shape = Shape::default();
        let mut at = 0;
        while let Some(flag @ (b'-' | b'0')) = text.get(at) {
            if *flag == b'-' {
                shape.is_left = true;
            } else {
                shape.is_zeroed = true;
            }
            at += 1;
        }
        let number = |at: &mut usize| {
            let mut value = 0usize;
            while let Some(digit) = text.get(*at).filter(|b| b.is_ascii_digit()) {
                value = value * 10 + usize::from(digit - b'0');
                *at += 1;
                if value > 1000 {
                    return None;
                }
            }
            Some(value)
        };
        shape.width = number(&mut at)?;
        if text.get(at) == Some(&b'.') {
            at += 1;
            shape.most = Some(number(&mut at)?);
        }
        shape.kind = *text.get(at).filter(|b| b"sbcqdixXou".contains(b))?;
        Some((shape, at + 1))
    }

    /// Writes an argument, or what stands for one that is missing.
    fn filled(&self, word: Option<&[u8]>, dialect: Option<Dialect>) -> Option<Vec<u8>> {
        let is_number = !b"sbcq".contains(&self.kind);
        let mut text = match (is_number, word) {
            (true, None) => b"0".to_vec(),
            (true, Some(word)) => {
                // Other ways to write one are not followed: some are octal, some are errors.
                let digits = word.strip_prefix(b"-").unwrap_or(word);
                let is_plain =
                    !digits.is_empty() && digits.iter().all(u8::is_ascii_digit) && (digits == b"0" || digits[0] != b'0');
                let value: i64 = std::str::from_utf8(word).ok().filter(|_| is_plain)?.parse().ok()?;
                match self.kind {
                    b'x' => format!("{value:x}"),
                    b'X' => format!("{value:X}"),
                    b'o' => format!("{value:o}"),
                    b'u' if value < 0 => return None,
                    _ => value.to_string(),
                }
                .into_bytes()
            }
            (false, word) => {
                let word = word.unwrap_or_default();
                match self.kind {
                    b'b' if dialect.is_none() && (self.width > 0 || self.most.is_some()) => return None,
                    b'b' => unescaped(word, Of::Words, dialect)?,
                    b'c' => word.get(..1).filter(|_| word.is_ascii())?.to_vec(),
                    // What needs no quotes stays as it is.
                    b'q' if matches!(dialect, None | Some(Dialect::Dash)) => return None,
                    b'q' => Some(word).filter(|w| !w.is_empty() && w.iter().all(|b| is_plain(*b)))?.to_vec(),
                    _ => word.to_vec(),
                }
            }
        };
        if is_number && self.most.is_some()
            || !is_number && self.is_zeroed
            || !text.is_ascii() && (self.width > 0 || self.most.is_some())
        {
            return None;
        }
        text.truncate(self.most.unwrap_or(text.len()));
        let missing = self.width.saturating_sub(text.len());
        if self.is_left {
            text.resize(text.len() + missing, b' ');
        } else if self.is_zeroed {
            let sign = usize::from(text.starts_with(b"-"));
            text.splice(sign..sign, std::iter::repeat_n(b'0', missing));
        } else {
            text.splice(0..0, std::iter::repeat_n(b' ', missing));
        }
        Some(text)
    }
}

/// Whether a byte is one that no shell quotes.
fn is_plain(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"_./-".contains(&byte)
}

/// `printf` with texts and numbers, as wide as they are to be, and escapes, in a shell of that dialect or in fish.
pub(super) fn formatted(arguments: &[Bytes], dialect: Option<Dialect>) -> Option<Vec<u8>> {
    let (arguments, may_be_option) = match arguments {
        // For fish that is a format.
        [dashes, rest @ ..] if dashes == "--" && dialect.is_some() => (rest, false),
        all => (all, true),
    };
    let (format, mut rest) = arguments.split_first()?;
    if may_be_option && format.starts_with(b"-") {
        return None;
    }
    let mut out = Vec::new();
    loop {
        let before = rest.len();
        let mut at = 0;
        while let Some(byte) = format.get(at) {
            at += 1;
            match (byte, format.get(at)) {
                (b'%', Some(b'%')) => {
                    out.push(b'%');
                    at += 1;
                }
                (b'%', Some(_)) => {
                    let (shape, length) = Shape::of(format.get(at..)?)?;
                    let first = rest.first().map(|word| &word[..]);
                    // Without a number that is an error there (measured: 93u+m).
                    if dialect == Some(Dialect::Ksh) && shape.kind == b'i' && first.is_none() {
                        return None;
                    }
                    out.extend(shape.filled(first, dialect)?);
                    rest = rest.get(1..).unwrap_or_default();
                    at += length;
                }
                (b'%', _) => return None,
                (b'\\', _) => {
                    let (byte, length) = escape(format.get(at..)?, Of::Format, dialect)?;
                    out.push(byte);
                    at += length;
                }
                (byte, _) => out.push(*byte),
            }
        }
        if rest.is_empty() || rest.len() == before {
            return Some(out);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_is_printed_is_taken_up() {
        hold(&[
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf '%s-%s;' a b c); X=$(printf '%03d' 7)", ["a-b;c-;", "007"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf 'a%%b\\n'); X=$(printf '%5s|%-3s|' a b)", ["a%b", "    a|b  |"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf '%x' 255); X=$(printf '%.2s' abc)", ["ff", "ab"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(echo a b; echo c); X=$(echo)", ["a b\nc", ""]),
            (&[Bash, Ksh, Mksh, Zsh], "R=$(echo -n a; echo b)", ["ab", "none"]),
            (&[Bash], "R=$(echo 'a\\tb'); X=$(echo -e 'a\\tb')", ["a\\tb", "a\tb"]),
            (&[Dash], "R=$(echo 'a\\tb'); X=$(echo 'a\\cb')", ["a\tb", "<unknown>"]),
            (&[Bash, Zsh], "printf -v R -- '%s,' a; printf -v X '\\033[%sm' 1", ["a,", "\u{1b}[1m"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf '%b' 'a\\0101'); X=$(printf '%c%o' abc 8)", ["aA", "a10"]),
            (&[Bash, Ksh, Zsh], "R=$(printf '%q' a/b); X=$(printf '%q' 'a b')", ["a/b", "<unknown>"]),
            (&[Ksh], "R=$(print -r -- 'a\\b'); X=$(print -n a; print b)", ["a\\b", "ab"]),
            (&[Mksh, Zsh], "R=$(print -r -- 'a\\b'); X=$(print -n a; print b)", ["a\\b", "ab"]),
            (&[Zsh], "R=$(print -l a b); X=$(print -rn -- -a)", ["a\nb", "-a"]),
            (&[Bash, Zsh], "printf -v R '%s,' a b; printf -v X %d 5", ["a,b,", "5"]),
            (&[Bash], "X=(a b); printf -v 'X[1]' c; R=${X[*]}", ["a c", "a"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf '%d' 010)", ["<unknown>", "none"]),
        ]);
    }
}
