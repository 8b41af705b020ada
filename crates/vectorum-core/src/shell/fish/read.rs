//! `read`, from a pipe or a file.

use super::set::is_locked;
use super::words::READ_LIMIT;
use super::*;

const WITH_WORD: &[Letter] = &[
    (b'd', b"delimiter"),
    (b'P', b"prompt-str"),
    (b'p', b"prompt"),
    (b'c', b"command"),
    (b'R', b"right-prompt"),
    (b'n', b"nchars"),
];

const PLAIN: &[Letter] = &[
    (b'a', b"list"),
    (b'a', b"array"),
    (b's', b"silent"),
    (b'S', b"shell"),
    (b't', b"tokenize"),
    (b'z', b"null"),
    (b'L', b"line"),
];

impl Fish<'_> {
    pub(super) fn read_command(&mut self, known: Option<&[Bytes]>) {
        let Some(options) = known.and_then(|k| Options::of(k, WITH_WORD, &[SCOPES, PLAIN], false)) else {
            return self.fog("an option of «read» that is not followed");
        };
        if self.get(READ_LIMIT).is_some() {
            return self.fog("a limit for what is read");
        }
        let has = |letter| options.has(letter);
        let (scope, exported) = options.scope();
        let is_odd = b"tzLn".iter().any(|l| has(*l)) || self.get(b"IFS").is_some();
        let delimiter = options.value(b'd').cloned();
        let input = self.live.as_ref().map(|s| s.input.text.clone());
        let is_at_end = matches!(&input, Some(Val::Known(text)) if text.is_empty());
        let line = match input {
            Some(Val::Known(text)) if !is_odd => {
                let end = memchr::memchr(b'\n', &text);
                let line = text.slice(..end.unwrap_or(text.len()));
                let rest = text.slice(end.map_or(text.len(), |e| e + 1)..);
                if let Some(state) = &mut self.live {
                    state.input.text = Val::Known(rest);
                }
                self.set_status(u8::from(text.is_empty()));
                Ok(line)
            }
            _ => {
                if let Some(state) = &mut self.live {
                    state.input = Input::default();
                }
                self.doubt_status("what is read is not known");
                Err(self.doubt("what is read is not known"))
            }
        };
        let is_list = has(b'a');
        let names = &options.rest[..];
        // A list is read into one name, and nothing is read otherwise.
        if is_list && names.len() != 1 {
            return self.set_status(2);
        }
        if names.is_empty() {
            return self.print(Val::unknown(self.doubt("what is read is not known")));
        }
        let items: Vec<Result<Vec<Val>, Arc<Doubt>>> = match line {
            // They are lists without items then (measured: 3.6).
            Ok(_) if is_at_end => names.iter().map(|_| Ok(Vec::new())).collect(),
            Err(doubt) => names.iter().map(|_| Err(doubt.clone())).collect(),
            Ok(line) if is_list => {
                let pieces: Vec<&[u8]> = match &delimiter {
                    Some(by) if by.len() == 1 => line.split(|b| by.contains(b)).collect(),
                    Some(_) => Vec::new(),
                    None => line.split(|b| b" \t".contains(b)).filter(|p| !p.is_empty()).collect(),
                };
                let is_sure = delimiter.as_ref().is_none_or(|d| d.len() == 1) && !line.is_empty();
                let doubt = self.doubt("how a line is split");
                vec![if is_sure { Ok(pieces.into_iter().map(Val::of).collect()) } else { Err(doubt) }]
            }
            Ok(line) => self.split(&line, delimiter.as_deref(), names.len()),
        };
        let of_list = if is_list { names.get(..1).unwrap_or_default() } else { names };
        if of_list.len() != names.len() {
            return self.doubt_status("a list and more is read");
        }
        for (name, items) in of_list.iter().zip(items) {
            if is_locked(name) {
                self.doubt_status("a name that fish does not let be set");
                continue;
            }
            // What nothing becomes in these hangs on whether there was a line.
            let is_nothing = |items: &Vec<Val>| items.iter().any(|item| item.is_empty() == Some(true));
            let items = match items {
                Ok(items) if matches!(&name[..], b"PATH" | b"CDPATH") && is_nothing(&items) => {
                    Err(self.doubt("an empty line for a path"))
                }
                items => items,
            };
            // What is set for all sessions is seen here all the same.
            if has(b'U') {
                self.put_var(name, None, Err(self.doubt("a variable for all sessions is read")), exported, None);
            }
            self.put_var(name, scope, items, exported, None);
        }
    }

    /// A line for so many names: the last one takes the rest.
    fn split(&self, line: &Bytes, delimiter: Option<&[u8]>, names: usize) -> Vec<Result<Vec<Val>, Arc<Doubt>>> {
        if names == 1 {
            return vec![Ok(vec![Val::Known(line.clone())])];
        }
        let by: &[u8] = delimiter.unwrap_or(b" ");
        let is_odd = by.len() != 1
            || delimiter.is_none() && (line.starts_with(b" ") || line.ends_with(b" ") || line.contains(&b'\t'))
            || line.windows(2).any(|w| w == [by, by].concat());
        if is_odd {
            let doubt = self.doubt("how a line is split");
            return (0..names).map(|_| Err(doubt.clone())).collect();
        }
        let mut pieces = line.splitn(names, |b| by.contains(b));
        // What there is no piece for is empty, and with signs of one's own not even that (measured: 3.6).
        let none = || if delimiter.is_some() { Vec::new() } else { vec![Val::of(b"")] };
        (0..names).map(|_| Ok(pieces.next().map_or_else(none, |piece| vec![Val::of(piece)]))).collect()
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn a_line_is_read_into_variables() {
        hold_fish(&[
            ("echo a b | read OUT; set -gx OUT $OUT", "a b"),
            ("echo a b c | read -l x y; set -gx OUT $y", "b c"),
            ("echo a b | read -gx OUT", "a b"),
            ("printf 'a\\nb\\n' | read -gx OUT", "a"),
            ("echo a b c | read -a l; set -gx OUT $l[3] (count $l)", "c 3"),
            ("echo a:b | read -d : x y; set -gx OUT $y $x", "b a"),
            ("true | read x; set -gx OUT $status", "1"),
            ("echo | read x; set -gx OUT $status (count $x)", "0 1"),
            ("printf a | read -gx OUT; set -gx OUT $OUT $status", "a 0"),
            ("printf '  a b  ' | read -gx OUT", "  a b  "),
            ("echo a | read -gx OUT B; set -gx OUT \"$OUT<$B>\"", "a<>"),
        ]);
    }
}
