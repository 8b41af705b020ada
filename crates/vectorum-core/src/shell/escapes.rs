//! What a backslash stands for in what `echo` and `printf` write (POSIX, «echo», «printf», and each shell's own additions,
//! measured).

use super::syntax::Dialect;

/// Whose text it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Of {
    /// The format of `printf`, where `\101` is an `A`.
    Format,
    /// What `echo` takes, and `%b` of `printf`, where `\0101` is one.
    Words,
}

/// Takes the sign behind a backslash at the front of a text: what it stands for, and how long it is without the
/// backslash, in a shell of that dialect or in fish. `None` where that is not followed: what shells differ in, and what ends the text.
pub(super) fn escape(rest: &[u8], of: Of, dialect: Option<Dialect>) -> Option<(u8, usize)> {
    let first = *rest.first()?;
    let is_plain = dialect == Some(Dialect::Dash) || dialect == Some(Dialect::Ksh) && of == Of::Words;
    let byte = match first {
        b'a' => 0x07,
        b'b' => 0x08,
        b'f' => 0x0c,
        b'n' => b'\n',
        b'r' => b'\r',
        b't' => b'\t',
        b'v' => 0x0b,
        b'\\' => b'\\',
        b'e' if !is_plain => 0x1b,
        b'x' if !is_plain => {
            // How many more some of them take is not told.
            let digits = rest.get(1..)?.iter().take_while(|b| b.is_ascii_hexdigit()).count();
            return number(rest.get(1..3)?, 16).filter(|_| digits == 2).map(|byte| (byte, 3));
        }
        b'0'..=b'7' => {
            let from = usize::from(of == Of::Words);
            if of == Of::Words && first != b'0' {
                return None;
            }
            let digits = rest.get(from..)?.iter().take(3).take_while(|b| (b'0'..=b'7').contains(b)).count();
            return number(rest.get(from..from + digits)?, 8).map(|byte| (byte, from + digits));
        }
        _ => return None,
    };
    Some((byte, 1))
}

/// A number that is a byte, and not none at all: shells cut their texts off there, or leave it out.
fn number(digits: &[u8], base: u32) -> Option<u8> {
    u8::from_str_radix(std::str::from_utf8(digits).ok()?, base).ok().filter(|byte| *byte > 0)
}

/// A text with what its backslashes stand for.
pub(super) fn unescaped(text: &[u8], of: Of, dialect: Option<Dialect>) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    while let Some(byte) = text.get(at) {
        at += 1;
        if *byte == b'\\' {
            let (byte, length) = escape(text.get(at..)?, of, dialect)?;
            out.push(byte);
            at += length;
        } else {
            out.push(*byte);
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};

    #[test]
    fn backslashes_stand_for_what_each_shell_makes_of_them() {
        for (text, of, dialect, expected) in [
            (&br"a\tb\\c"[..], Of::Words, Dash, Some(&b"a\tb\\c"[..])),
            (br"\033[1m", Of::Format, Dash, Some(b"\x1b[1m")),
            (br"\0339", Of::Format, Bash, Some(b"\x1b9")),
            (br"\033", Of::Words, Mksh, Some(b"\x1b")),
            (br"\1", Of::Words, Bash, None),
            (br"\e[m", Of::Format, Ksh, Some(b"\x1b[m")),
            (br"\e[m", Of::Words, Ksh, None),
            (br"\e[m", Of::Format, Dash, None),
            (br"\x1b[m", Of::Words, Zsh, Some(b"\x1b[m")),
            (br"\x1bc", Of::Words, Zsh, None),
            (br"\x", Of::Words, Zsh, None),
            (br"\0", Of::Words, Bash, None),
            (br"a\cb", Of::Words, Bash, None),
            (br"a\", Of::Words, Bash, None),
            (br"\777", Of::Format, Bash, None),
        ] {
            let expected = expected.map(<[u8]>::to_vec);
            assert_eq!(unescaped(text, of, Some(dialect)), expected, "{} {dialect:?}", text.escape_ascii());
        }
        assert_eq!(unescaped(br"\e[m\x41\101", Of::Format, None).as_deref(), Some(&b"\x1b[mAA"[..]), "fish");
    }
}
