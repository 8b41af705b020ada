//! `test` of fish, and `[`.

use super::*;

impl Fish<'_> {
    pub(super) fn test(&mut self, words: &[Val]) {
        let plain: Vec<&Val> = words.iter().collect();
        if plain.is_empty() {
            return self.set_status(2);
        }
        let answer = self.test_words(&plain);
        match answer {
            Ok(is_so) => self.set_status(u8::from(!is_so)),
            Err(_) => self.doubt_status("a condition on what is not known"),
        }
    }

    pub(super) fn test_words(&mut self, words: &[&Val]) -> Result<bool, ()> {
        let text = |v: Option<&&Val>| v.and_then(|v| v.known().cloned());
        match words {
            [] => Ok(false),
            [one] => one.is_empty().map(|e| !e).ok_or(()),
            [not, rest @ ..] if text(Some(not)).is_some_and(|t| t == b"!"[..]) => self.test_words(rest).map(|is| !is),
            [operator, one] => {
                let operator = text(Some(operator)).ok_or(())?;
                match &operator[..] {
                    b"-n" => return one.is_empty().map(|e| !e).ok_or(()),
                    b"-z" => return one.is_empty().ok_or(()),
                    _ => {}
                }
                let path = text(Some(one)).ok_or(())?;
                // What is no operator is an error.
                if !matches!(&operator[..], [b'-', letter] if b"bcdefgGkLhoOprsStuwx".contains(letter)) {
                    return Err(());
                }
                if path.is_empty() {
                    // What is no number is an error.
                    return if operator == b"-t"[..] { Err(()) } else { Ok(false) };
                }
                let path = self.full(&path);
                if path.starts_with(b"/proc/") || path.starts_with(b"/sys/") || path.starts_with(b"/dev/") {
                    return Err(());
                }
                let kind = self.ground.files.kind(&path);
                match (&operator[..], kind) {
                    (_, Kind::Unknown) => Err(()),
                    (b"-L" | b"-h", _) => self.ground.files.is_link(&path).ok_or(()),
                    (b"-e", kind) => Ok(kind != Kind::Missing),
                    (b"-f", kind) => Ok(matches!(kind, Kind::File | Kind::Program)),
                    (b"-d", kind) => Ok(kind == Kind::Folder),
                    (b"-r" | b"-w" | b"-x", Kind::Missing) => Ok(false),
                    (b"-r", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Read).ok_or(())
                    }
                    (b"-x", _) => self
                        .ground
                        .files
                        .may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Execute)
                        .ok_or(()),
                    (b"-w", _) => {
                        self.ground.files.may(&path, self.account.uid, self.account.gid, crate::host_view::Want::Write).ok_or(())
                    }
                    _ => Err(()),
                }
            }
            [.., _, _] if words.len() > 3 => {
                let at = |wanted: &[u8]| words.iter().position(|w| text(Some(w)).is_some_and(|t| t == wanted));
                let (either, split) = match (at(b"-o"), at(b"-a")) {
                    _ if at(b"(").is_some() => return Err(()),
                    (Some(at), _) => (true, at),
                    (None, Some(at)) => (false, at),
                    _ => return Err(()),
                };
                let left = words.get(..split).filter(|w| !w.is_empty()).ok_or(())?;
                let right = words.get(split + 1..).filter(|w| !w.is_empty()).ok_or(())?;
                match (self.test_words(left), self.test_words(right)) {
                    (Ok(left), Ok(right)) => Ok(if either { left || right } else { left && right }),
                    (Ok(one), _) | (_, Ok(one)) if one == either => Ok(one),
                    _ => Err(()),
                }
            }
            [left, operator, right] => {
                let operator = text(Some(operator)).ok_or(())?;
                let (left, right) = (text(Some(left)).ok_or(())?, text(Some(right)).ok_or(())?);
                let number = |t: &Bytes| std::str::from_utf8(t).ok().and_then(|t| t.trim().parse::<i64>().ok()).ok_or(());
                match &operator[..] {
                    b"=" | b"==" => Ok(left == right),
                    b"!=" => Ok(left != right),
                    b"-eq" => Ok(number(&left)? == number(&right)?),
                    b"-ne" => Ok(number(&left)? != number(&right)?),
                    b"-gt" => Ok(number(&left)? > number(&right)?),
                    b"-ge" => Ok(number(&left)? >= number(&right)?),
                    b"-lt" => Ok(number(&left)? < number(&right)?),
                    b"-le" => Ok(number(&left)? <= number(&right)?),
                    _ => Err(()),
                }
            }
            _ => Err(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::out_of_fish;

    #[test]
    fn conditions_are_what_fish_says() {
        for (text, out) in [
            ("test a = a; and set -gx OUT 1", "1"),
            ("test a = b; or set -gx OUT 2", "2"),
            ("test 3 -gt 2 -a 1 -lt 2; and set -gx OUT 1", "1"),
            ("test -n \"$none\"; or set -gx OUT 2", "2"),
            ("test -n $none; and set -gx OUT 1; or set -gx OUT 2", "1"),
            ("test -z \"$none\"; and set -gx OUT 1", "1"),
            ("not test 1 -eq 1; or set -gx OUT 2", "2"),
            ("[ a != b ]; and set -gx OUT 1", "1"),
            ("test; set -gx OUT $status", "2"),
        ] {
            assert_eq!(out_of_fish(text), out, "{text}");
        }
    }
}
