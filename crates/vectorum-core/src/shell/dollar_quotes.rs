//! What stands in `$'…'` (POSIX.1-2024, Shell Command Language, 2.2.4), with what each shell adds (measured: bash 5.2,
//! zsh 5.9, ksh 93u+m, mksh R59), and letters that are written there as numbers, of which the locale decides.

use bytes::Bytes;

use super::content::Content;
use super::expand::Expanded;
use super::field::{Fields, last};
use super::machine::Machine;
use super::reference::BAD_SHAPE;
use super::syntax::{Coded, Dialect, Part, Text};
use super::value::Val;
use crate::host_view;

/// The last letter of the first plane; mksh has none beyond it.
const PLANE_LAST: u32 = 0xffff;
const REPLACEMENT: u32 = 0xfffd;

const NOT_FOLLOWED: Part = Part::Unfollowed("what stands between `$'` and `'`");

/// What a text between `$'` and `'` comes to.
pub(super) fn part_of(text: &[u8], dialect: Dialect) -> Part {
    let mut spelled = Spelled { rest: text, dialect, utf8: Vec::new(), plain: Vec::new(), is_coded: false, is_refused: false };
    match spelled.read() {
        None if spelled.is_refused => Part::Unfollowed(BAD_SHAPE),
        None => NOT_FOLLOWED,
        Some(()) if spelled.is_coded => {
            let plain = (dialect == Dialect::Bash).then(|| until_nul(spelled.plain).into());
            Part::Coded(Box::new(Coded { utf8: until_nul(spelled.utf8).into(), plain }))
        }
        Some(()) => Part::Quoted(Text::Own(until_nul(spelled.utf8))),
    }
}

/// A NUL ends the text.
fn until_nul(mut text: Vec<u8>) -> Vec<u8> {
    text.truncate(memchr::memchr(0, &text).unwrap_or(text.len()));
    text
}

struct Spelled<'a> {
    rest: &'a [u8],
    dialect: Dialect,
    utf8: Vec<u8>,
    /// What it is for a shell whose locale is not UTF-8.
    plain: Vec<u8>,
    is_coded: bool,
    is_refused: bool,
}

impl Spelled<'_> {
    fn put(&mut self, bytes: &[u8]) {
        self.utf8.extend_from_slice(bytes);
        self.plain.extend_from_slice(bytes);
    }

    fn next(&mut self) -> Option<u8> {
        let (first, rest) = self.rest.split_first()?;
        self.rest = rest;
        Some(*first)
    }

    /// A number of so many digits at most; `None` if there is none.
    fn number(&mut self, base: u32, most: usize) -> Option<u32> {
        let digit = |b: &u8| char::from(*b).to_digit(base);
        let digits = self.rest.iter().take(most).map_while(digit);
        let (length, value) = digits.fold((0, 0u32), |(n, value), digit| (n + 1, value.wrapping_mul(base).wrapping_add(digit)));
        self.rest = self.rest.get(length..).unwrap_or_default();
        (length > 0).then_some(value)
    }

    fn read(&mut self) -> Option<()> {
        while let Some(byte) = self.next() {
            if byte == b'\\' { self.sign()? } else { self.put(&[byte]) }
        }
        Some(())
    }

    /// What stands behind a backslash: `None` where that is not followed.
    fn sign(&mut self) -> Option<()> {
        let sign = self.next()?;
        let byte = match sign {
            b'n' => b'\n',
            b't' => b'\t',
            b'r' => b'\r',
            b'a' => 7,
            b'b' => 8,
            b'e' | b'E' => 27,
            b'f' => 12,
            b'v' => 11,
            b'\\' | b'\'' | b'"' | b'?' => sign,
            b'x' => return self.hexadecimal(),
            b'0'..=b'7' => {
                let more = self.number_behind(sign);
                return self.byte(more as u8);
            }
            b'u' | b'U' => return self.letter(sign),
            b'c' if self.dialect != Dialect::Zsh => return self.control(),
            // Other ways to write such signs, which hang on what stands behind them.
            b'C' | b'M' if matches!(self.dialect, Dialect::Zsh | Dialect::Ksh) => return None,
            other if self.dialect == Dialect::Bash => {
                self.put(&[b'\\', other]);
                return Some(());
            }
            other => other,
        };
        self.put(&[byte]);
        Some(())
    }

    /// An octal number of three digits at most, of which the first is taken already.
    fn number_behind(&mut self, first: u8) -> u32 {
        let mut value = u32::from(first - b'0');
        for _ in 0..2 {
            let Some(digit) = self.number(8, 1) else { break };
            value = value * 8 + digit;
        }
        value
    }

    /// zsh keeps a NUL, and hands nothing on behind it.
    fn byte(&mut self, byte: u8) -> Option<()> {
        if byte == 0 && self.dialect == Dialect::Zsh {
            return None;
        }
        self.put(&[byte]);
        Some(())
    }

    fn hexadecimal(&mut self) -> Option<()> {
        let digits = self.rest.iter().take_while(|b| b.is_ascii_hexdigit()).count();
        let is_braced = self.rest.first() == Some(&b'{');
        match self.dialect {
            // One of them knows braces there, and others take as many digits as there are.
            Dialect::Bash | Dialect::Ksh if is_braced => return None,
            Dialect::Ksh | Dialect::Mksh if digits > 2 => return None,
            _ => {}
        }
        match (self.number(16, 2), self.dialect) {
            (Some(value), _) => self.byte(value as u8),
            (None, Dialect::Bash) => {
                self.put(b"\\x");
                Some(())
            }
            (None, Dialect::Mksh) => {
                self.put(b"x");
                Some(())
            }
            (None, _) => None,
        }
    }

    fn control(&mut self) -> Option<()> {
        match self.next()? {
            b'\\' | b'\'' | b'?' => None,
            byte if !byte.is_ascii() => None,
            // There it turns a bit round, whatever comes of it (measured: 93u+m).
            byte if self.dialect == Dialect::Ksh => self.byte(byte.to_ascii_uppercase() ^ 0x40),
            byte => self.byte(byte.to_ascii_uppercase() & 0x1f),
        }
    }

    fn letter(&mut self, sign: u8) -> Option<()> {
        let Some(code) = self.number(16, if sign == b'u' { 4 } else { 8 }) else {
            return match self.dialect {
                Dialect::Bash => {
                    self.put(&[b'\\', sign]);
                    Some(())
                }
                Dialect::Mksh => {
                    self.put(&[sign]);
                    Some(())
                }
                _ => None,
            };
        };
        let code = if self.dialect == Dialect::Mksh && code > PLANE_LAST { REPLACEMENT } else { code };
        match (u8::try_from(code), char::from_u32(code)) {
            (Ok(byte), _) if byte.is_ascii() => return self.byte(byte),
            (_, Some(letter)) => self.utf8.extend_from_slice(letter.encode_utf8(&mut [0; 4]).as_bytes()),
            // Half of a pair is no letter.
            (_, None) => {
                self.is_refused = self.dialect == Dialect::Zsh && code <= PLANE_LAST;
                return None;
            }
        }
        if code > 0xffff {
            self.plain.extend_from_slice(format!("\\U{code:08X}").as_bytes());
        } else {
            self.plain.extend_from_slice(format!("\\u{code:04X}").as_bytes());
        }
        // The two others write UTF-8 whatever the locale.
        self.is_coded |= matches!(self.dialect, Dialect::Bash | Dialect::Zsh);
        Some(())
    }
}

impl Machine<'_> {
    /// Puts letters that are written as numbers. bash writes them as its locale has it where it reads the line; zsh where it
    /// comes to them, and where the locale has no such letters it is an error.
    pub(super) fn put_coded(&mut self, coded: &Coded, fields: &mut Fields) -> Expanded<()> {
        let is_utf8 = match self.dialect {
            Dialect::Bash => self.charsets.get(&self.epoch).copied().flatten(),
            _ => self.is_utf8(),
        };
        let text = match (is_utf8, &coded.plain) {
            (Some(true), _) => &coded.utf8,
            (Some(false), Some(plain)) => plain,
            (is_utf8, _) => {
                let doubt = self.doubt("letters that are written as the locale has them");
                match (self.dialect, is_utf8) {
                    (Dialect::Bash, _) => {}
                    (_, Some(_)) => self.fail_hard(),
                    (_, None) => self.fail_or_go_on(&doubt),
                }
                last(fields).doubt(&doubt);
                return Ok(());
            }
        };
        last(fields).push(text, true);
        Ok(())
    }

    /// Notes what the locale is where a line is read that may have such letters.
    pub(super) fn note_charset(&mut self) {
        if self.source.may_have_letters && self.dialect == Dialect::Bash {
            let is_utf8 = self.is_utf8();
            self.charsets.insert(self.epoch, is_utf8);
        }
    }

    /// Whether letters are written in UTF-8 (setlocale(3)).
    fn is_utf8(&mut self) -> Option<bool> {
        for name in [&b"LC_ALL"[..], b"LC_CTYPE", b"LANG"] {
            match self.content_of(name) {
                // What zsh makes of its locale then hangs on what was exported (measured).
                Content::Unset
                    if self.dialect == Dialect::Zsh && self.live.as_ref().is_some_and(|state| state.vars.is_gone(name)) =>
                {
                    return None;
                }
                Content::Unset => {}
                Content::Set(Val::Known(locale)) if locale.is_empty() => {}
                Content::Set(Val::Known(locale)) => return self.is_utf8_in(&locale),
                _ => return None,
            }
        }
        Some(false)
    }

    fn is_utf8_in(&self, locale: &[u8]) -> Option<bool> {
        let folded = locale.to_ascii_lowercase();
        match &folded[..] {
            b"c" | b"posix" if folded.to_ascii_uppercase() == locale => Some(false),
            b"c.utf-8" | b"c.utf8" => Some(true),
            name if name.ends_with(b"utf-8") || name.ends_with(b"utf8") => match self.dialect {
                // What it is called is enough for bash.
                Dialect::Bash => Some(true),
                _ => self.has_locale(locale).then_some(true),
            },
            _ => None,
        }
    }

    /// Whether the system has a locale by that name, by a folder of its own or in its archive (locale(7)).
    fn has_locale(&self, locale: &[u8]) -> bool {
        let Some(dot) = memchr::memchr(b'.', locale) else { return false };
        let kept = [locale.get(..dot).unwrap_or_default(), b".utf8"].concat();
        let folder = [b"/usr/lib/locale/", &kept[..]].concat();
        let is_in = |archive: &Bytes| memchr::memmem::find(archive, &[b"\0", &kept[..], b"\0"].concat()).is_some();
        self.ground.files.kind(&folder) == host_view::Kind::Folder
            || matches!(self.content(b"/usr/lib/locale/locale-archive"), host_view::Content::Bytes(archive) if is_in(&archive))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::syntax::Dialect::{Bash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    const ALL: [Dialect; 4] = [Bash, Ksh, Mksh, Zsh];

    /// What a text comes to: where letters are UTF-8, and where they are not, which is an error in zsh.
    fn told(text: &str, dialect: Dialect) -> String {
        let shown = |text: &[u8]| text.escape_ascii().to_string();
        match part_of(text.as_bytes(), dialect) {
            Part::Quoted(text) => shown(&text),
            Part::Coded(coded) => {
                format!("{} or {}", shown(&coded.utf8), coded.plain.as_deref().map_or("error".to_owned(), shown))
            }
            Part::Unfollowed(BAD_SHAPE) => "error".to_owned(),
            _ => "?".to_owned(),
        }
    }

    #[test]
    fn backslashes_stand_for_what_each_shell_makes_of_them() {
        for (dialects, text, expected) in [
            (&ALL[..], r#"a\tb\\c\'d\"e\?"#, r#"a\tb\\c\'d\"e?"#),
            (&ALL, r"\e[1m\E", r"\x1b[1m\x1b"),
            (&ALL, r"\a\b\f\v\r", r"\x07\x08\x0c\x0b\r"),
            (&ALL, r"\1018\x41g", "A8Ag"),
            (&ALL, r"\u41\U00000042", "AB"),
            (&[Bash], r"a\.b\$c", r"a\\.b\\$c"),
            (&[Ksh, Mksh, Zsh], r"a\.b\$c", "a.b$c"),
            (&[Bash], "a\\\nb", r"a\\\nb"),
            (&[Ksh, Mksh, Zsh], "a\\\nb", r"a\nb"),
            (&[Bash, Ksh, Mksh], r"\cA\cz", r"\x01\x1a"),
            (&[Zsh], r"\cA", "cA"),
            (&[Bash, Ksh, Mksh], r"a\0b", "a"),
            (&[Zsh], r"a\0b", "?"),
            (&[Ksh, Mksh, Zsh], r"\8", "8"),
            (&[Bash], r"\xg\uz", r"\\xg\\uz"),
            (&[Mksh], r"\xg\uz", "xguz"),
            (&[Ksh, Zsh], r"\xg", "?"),
            (&[Ksh, Mksh], r"\x414", "?"),
            (&[Bash, Zsh], r"\x414", "A4"),
            (&[Bash, Ksh], r"\x{41}", "?"),
            (&[Zsh, Ksh], r"\C-a", "?"),
            (&[Bash, Mksh], r"\c?", "?"),
            (&[Bash], r"\ue9\U1f600", r"\xc3\xa9\xf0\x9f\x98\x80 or \\u00E9\\U0001F600"),
            (&[Zsh], r"\ue9", r"\xc3\xa9 or error"),
            (&[Ksh, Mksh], r"\ue9", r"\xc3\xa9"),
            (&[Mksh], r"\U1f600", r"\xef\xbf\xbd"),
            (&[Ksh], r"\U1f600", r"\xf0\x9f\x98\x80"),
            (&[Zsh], r"\ud800", "error"),
            (&[Bash], r"\ud800", "?"),
        ] {
            for dialect in dialects {
                assert_eq!(told(text, *dialect), expected, "{dialect:?}: {text}");
            }
        }
    }

    #[test]
    fn the_locale_decides_of_letters() {
        hold(&[
            (&[Bash], "LANG=C\nX=$'\\ue9'; R=1", ["1", "\\u00E9"]),
            (&[Bash, Zsh], "LANG=C.UTF-8\nX=$'\\ue9'; R=1", ["1", "\u{e9}"]),
            (&[Bash], "LANG=xx_YY.UTF-8\nX=$'\\ue9'; R=1", ["1", "\u{e9}"]),
            (&[Bash], "LANG=xx_YY\nX=$'\\ue9'; R=1", ["1", "<unknown>"]),
            (&[Bash, Zsh], "LANG=C LC_CTYPE=C.utf8\nX=$'\\ue9'; R=1", ["1", "\u{e9}"]),
            (&[Bash], "LC_ALL=C LC_CTYPE=C.utf8\nX=$'\\ue9'; R=1", ["1", "\\u00E9"]),
            // It counts what it is where the line is read, in zsh where it is run.
            (&[Bash], "LANG=C; X=$'\\ue9'; R=1", ["1", "\\u00E9"]),
            (&[Bash], "LANG=C\nf() { X=$'\\ue9'; }\nLANG=C.UTF-8\nf; R=1", ["1", "\\u00E9"]),
            (&[Zsh], "LANG=C\nf() { X=$'\\ue9'; }\nLANG=C.UTF-8\nf; R=1", ["1", "\u{e9}"]),
            (&[Zsh], "LANG=C.UTF-8; X=$'\\ue9'; R=1", ["1", "\u{e9}"]),
            (&[Zsh], "LANG=C\nR=0; X=1; X=$'\\ue9'; R=1", ["0", "1"]),
            (&[Ksh, Mksh], "LANG=C\nX=$'\\ue9'; R=1", ["1", "\u{e9}"]),
        ]);
    }
}
