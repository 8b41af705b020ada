//! `shift`: what is left out of the positional parameters, or of lists in zsh.

use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::machine::Machine;
use super::reflected::ARGUMENTS;
use super::state::Status;
use super::syntax::Dialect;
use crate::reader::is_portable;

impl Machine<'_> {
    /// `shift` of zsh's with names of lists, or from the end: `shift [-p] [N] [NAME …]`.
    fn shift_lists(&mut self, words: &[Bytes]) {
        let (at_end, words) = match words {
            [first, rest @ ..] if first == "-p" => (true, rest),
            words => (false, words),
        };
        let (count, names) = match words {
            [first, rest @ ..] if first.iter().all(u8::is_ascii_digit) => {
                (std::str::from_utf8(first).ok().and_then(|n| n.parse::<usize>().ok()), rest)
            }
            words => (Some(1), words),
        };
        let own = [Bytes::from_static(ARGUMENTS)];
        let names = if names.is_empty() { &own[..] } else { names };
        let held = names.iter().map(|name| match self.content_of(name) {
            Content::Array(items) if is_portable(name) && count? <= items.len() => Some((name, items, count?)),
            _ => None,
        });
        if let Some(all) = held.collect::<Option<Vec<_>>>() {
            for (name, items, count) in all {
                let (from, to) = if at_end { (0, items.len() - count) } else { (count, items.len()) };
                let rest = items.get(from..to).unwrap_or_default().to_vec();
                self.assign_to(name, Content::Array(Arc::new(rest)), None);
            }
            return self.set_status(0);
        }
        let texts: Vec<&str> =
            names.iter().filter(|word| is_portable(word)).filter_map(|word| std::str::from_utf8(word).ok()).collect();
        // Another word is a sum, which may set names, and be wrong.
        if names.iter().any(|word| !is_portable(word) || !matches!(self.content_of(word), Content::Array(_))) {
            self.fail_or_go_on(&self.doubt("a shift by an unknown number"));
            if names.iter().any(|word| word.contains(&b'=')) {
                self.fog("a shift by an unknown number");
            }
        }
        self.may_set("a list that is shifted", &[], &texts);
        let doubt = self.doubt("a shift of lists");
        if let Some(state) = &mut self.live {
            state.positional = Err(doubt.clone());
        }
        self.doubt_status(doubt);
    }

    pub(super) fn shift(&mut self, known: Option<&[Bytes]>) {
        // There lists can be shifted as well.
        if self.dialect == Dialect::Zsh
            && let Some(words) = known
            && words.iter().any(|word| word.first().is_some_and(|b| b.is_ascii_alphabetic() || b"-_".contains(b)))
        {
            return self.shift_lists(words);
        }
        let count = match known {
            Some([]) => Some(1),
            Some([n, rest @ ..]) if rest.is_empty() || !matches!(self.dialect, Dialect::Bash | Dialect::Zsh) => {
                match std::str::from_utf8(n).ok().and_then(|n| n.parse::<usize>().ok()) {
                    Some(count) => Some(count),
                    // A sum.
                    None if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh) => {
                        self.fail_perhaps("a shift by an unknown number");
                        None
                    }
                    None => return self.misused_badly(),
                }
            }
            Some(_) => return self.misused_badly(),
            None => None,
        };
        let doubt = self.doubt("a shift by an unknown number");
        let Some(state) = &mut self.live else { return };
        match (count, &state.positional) {
            (Some(count), Ok(values)) if count <= values.len() => {
                state.positional = Ok(Arc::new(values.iter().skip(count).cloned().collect()));
                state.status = Status::Known(0);
                self.read_options_anew();
            }
            (Some(_), Ok(_)) if matches!(self.dialect, Dialect::Bash | Dialect::Zsh) => state.status = Status::Known(1),
            (Some(_), Ok(_)) => self.fail_special(),
            (count, _) => {
                state.positional = Err(doubt.clone());
                state.status = Status::Unknown(doubt.clone());
                // There may be fewer of them than that, which is an error.
                if count != Some(0) && !matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
                    self.fork(&doubt, Self::fail_special, |_| {});
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_is_shifted_is_left_out() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b c; shift; R=$*; shift 2; X=$#", ["b c", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- a b; shift 0; R=$1; X=$?", ["a", "0"]),
            (&[Bash, Zsh], "set -- a; shift 5; R=$?; X=$#", ["1", "1"]),
            (&[Dash, Ksh], "R=1; set -- a; shift 5; X=2", ["none", "none"]),
            // Only the file is given up there.
            (&[Mksh], "R=1; set -- a; shift 5; X=2", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "f() { shift; R=$1; }; set -- z; f a b; X=$1", ["b", "z"]),
            (&[Zsh], "L=(a b c); shift L; R=$L; shift -p L; X=$L", ["b c", "b"]),
            (&[Zsh], "L=(a b c); shift 2 L; R=$#L; X=$?", ["1", "0"]),
            (&[Zsh], "set -- a b c; shift -p; R=$*; X=$#", ["a b", "2"]),
        ]);
    }
}
