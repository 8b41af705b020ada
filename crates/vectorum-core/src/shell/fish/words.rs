//! Words: lists, patterns of file names, outputs, and `string`.

use super::*;

/// Stands for a star in a word: no value has a NUL.
const STAR: u8 = 0;

impl Fish<'_> {
    pub(super) fn fields(&mut self, words: &[Word]) -> Result<Vec<Val>, Rc<Doubt>> {
        let mut out = Vec::new();
        for word in words {
            out.extend(self.expand(word)?);
            if out.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
        }
        Ok(out)
    }

    pub(super) fn expand(&mut self, word: &Word) -> Result<Vec<Val>, Rc<Doubt>> {
        // Each part may be a list: all of them are combined with each other.
        let mut out: Vec<Val> = vec![Val::of(b"")];
        for part in &word.parts {
            let values: Vec<Val> = match part {
                Part::Text(text) | Part::Quoted(text) => vec![Val::of(text)],
                Part::Star => vec![Val::of([STAR])],
                Part::Unfollowed(why) => return Err(self.doubt(why)),
                Part::Name(name, quoted, index) => {
                    let items = if &name[..] == b"argv" { self.items(b"argv") } else { self.items(name) };
                    let items = match (items, index) {
                        (Ok(items), None) => Ok(items),
                        (Ok(items), Some(index)) => {
                            let at = if *index < 0 { items.len() as i64 + index } else { index - 1 };
                            Ok(usize::try_from(at).ok().and_then(|at| items.get(at).cloned()).into_iter().collect())
                        }
                        (Err(doubt), _) => Err(doubt),
                    };
                    match (items, quoted) {
                        (Ok(items), false) => items,
                        (Ok(items), true) => {
                            let is_path = self.get(name).is_some_and(|v| v.is_path);
                            vec![joined(&items, if is_path { b":" } else { b" " })]
                        }
                        (Err(doubt), true) => vec![Val::Unknown(doubt)],
                        (Err(doubt), false) => return Err(doubt),
                    }
                }
                Part::Output(jobs, quoted) => match self.output(jobs) {
                    Val::Known(text) if *quoted => vec![Val::of(text.strip_suffix(b"\n").unwrap_or(&text))],
                    Val::Known(text) if text.is_empty() => Vec::new(),
                    Val::Known(text) => text.strip_suffix(b"\n").unwrap_or(&text).split(|b| *b == b'\n').map(Val::of).collect(),
                    Val::Unknown(doubt) if *quoted => vec![Val::Unknown(doubt)],
                    Val::Unknown(doubt) => return Err(doubt),
                },
            };
            let mut next = Vec::new();
            for right in &values {
                for left in &out {
                    next.push(both(left, right));
                }
            }
            if next.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
            out = next;
        }
        if !word.parts.iter().any(|p| matches!(p, Part::Star)) {
            return Ok(out);
        }
        let mut found = Vec::new();
        for value in out {
            let Val::Known(pattern) = value else { return Err(self.doubt("a pattern that is not known")) };
            found.extend(self.files_of(&pattern)?);
        }
        if found.is_empty() && !self.may_be_empty {
            return Err(self.doubt("fish runs no command whose pattern names no file"));
        }
        Ok(found.into_iter().map(Val::Known).collect())
    }

    /// The files that a pattern names, in their order, where that is certain.
    fn files_of(&self, pattern: &[u8]) -> Result<Vec<Bytes>, Rc<Doubt>> {
        let odd = || self.doubt("a pattern of file names");
        let (folder, last) = match memchr::memrchr(b'/', pattern) {
            Some(at) => (pattern.get(..=at).unwrap_or_default(), pattern.get(at + 1..).unwrap_or_default()),
            None => (&b""[..], pattern),
        };
        if folder.contains(&STAR) || last.starts_with(b".") || last.iter().any(|b| b"[\\?".contains(b)) {
            return Err(odd());
        }
        let text: Vec<u8> = last.iter().map(|b| if *b == STAR { b'*' } else { *b }).collect();
        let quoted: Vec<bool> = last.iter().map(|b| *b != STAR).collect();
        let taken = Pattern::new(&text, &quoted, Groups::None).map_err(|_| odd())?;
        let place = self.full(if folder.is_empty() { b"." } else { folder });
        let place = place.strip_suffix(b"/").filter(|p| !p.is_empty()).map_or(place.clone(), |p| place.slice_ref(p));
        let names = match self.ground.files.list(&place) {
            Some(names) => names,
            None if self.ground.files.kind(&place) == Kind::Missing => Vec::new(),
            None => return Err(self.doubt("a folder may not be read")),
        };
        let mut there = Vec::new();
        for name in names.into_iter().filter(|n| !n.starts_with(b".")) {
            if taken.matches(&name).map_err(|_| odd())? {
                there.push(name);
            }
        }
        there.sort();
        // fish sorts numbers as such, and signs in a way of its own.
        let is_certain = |pair: &[Bytes]| {
            let [a, b] = pair else { return true };
            let differ = a.iter().zip(b.iter()).find(|(x, y)| x != y);
            let digits = |text: &Bytes| text.iter().take_while(|c| c.is_ascii_digit()).count();
            let alike = digits(a) == digits(b) && !a.iter().chain(b.iter()).any(u8::is_ascii_uppercase);
            alike
                && differ.is_some_and(|(x, y)| {
                    x.is_ascii_lowercase() && y.is_ascii_lowercase() || x.is_ascii_digit() && y.is_ascii_digit()
                })
        };
        if !there.windows(2).all(is_certain) {
            return Err(self.doubt("the order in which fish takes files"));
        }
        Ok(there.into_iter().map(|name| [folder, &name[..]].concat().into()).collect())
    }

    pub(super) fn output(&mut self, jobs: &[Job]) -> Val {
        let Some(outer) = self.live.clone() else { return Val::of(b"") };
        let at = self.at;
        if let Some(state) = &mut self.live {
            state.output = Some(Val::of(b""));
        }
        // Changes in a substitution stay, in fish.
        self.run(jobs);
        self.at = at;
        let Some(state) = &mut self.live else {
            self.live = Some(outer);
            self.fog("commands whose output is used end the shell");
            return Val::Unknown(self.doubt("what a command prints"));
        };
        let output = std::mem::replace(&mut state.output, outer.output);
        match output {
            Some(text) => text,
            None => Val::Unknown(self.doubt("what a command prints")),
        }
    }
}

/// `string`, as far as it is followed: the lines that it prints, and its status.
pub(super) fn string(words: &[Bytes]) -> Option<(Vec<Bytes>, u8)> {
    let (command, rest) = words.split_first()?;
    let (mut options, mut at) = (Vec::new(), 0);
    let mut most = usize::MAX;
    while let Some(word) = rest.get(at).filter(|w| w.len() > 1 && w.starts_with(b"-")) {
        at += 1;
        match &word[..] {
            b"--" => break,
            b"-m" | b"--max" => {
                most = std::str::from_utf8(rest.get(at)?).ok()?.parse().ok()?;
                at += 1;
            }
            b"-q" | b"--quiet" => options.push(b'q'),
            b"-a" | b"--all" => options.push(b'a'),
            b"-n" | b"--no-empty" => options.push(b'n'),
            b"-v" | b"--invert" => options.push(b'v'),
            _ => return None,
        }
    }
    let has = |option: u8| options.contains(&option);
    let needed = match &command[..] {
        b"split" | b"join" | b"match" => 2,
        b"replace" => 3,
        _ => 1,
    };
    // Options may come behind the first texts, too.
    let mut given = rest.get(at..)?.to_vec();
    if let Some(dashes) = given.iter().position(|w| w.starts_with(b"-")) {
        if given.get(dashes).is_none_or(|w| w != "--") {
            return None;
        }
        given.remove(dashes);
    }
    // Without texts it reads them.
    let mut texts = Some(&given).filter(|texts| texts.len() >= needed)?.iter();
    let is_plain = |text: &[u8]| text.is_ascii() && !text.contains(&b'\n');
    let mut out: Vec<Bytes> = Vec::new();
    let mut is_changed = false;
    match &command[..] {
        b"split" => {
            let separator = texts.next().filter(|s| !s.is_empty())?;
            for text in texts {
                let mut left: &[u8] = text;
                let mut count = 0;
                while let Some(found) = memchr::memmem::find(left, separator).filter(|_| count < most) {
                    out.push(Bytes::copy_from_slice(left.get(..found)?));
                    left = left.get(found + separator.len()..)?;
                    count += 1;
                    is_changed = true;
                }
                out.push(Bytes::copy_from_slice(left));
            }
            if has(b'n') {
                out.retain(|t| !t.is_empty());
            }
        }
        b"join" => {
            let separator = texts.next()?;
            let all: Vec<&[u8]> = texts.map(|t| &t[..]).collect();
            is_changed = all.len() > 1;
            if all.is_empty() {
                return None;
            }
            out.push(all.join(&separator[..]).into());
        }
        b"lower" | b"upper" => {
            for text in texts {
                let new = if command == "lower" { text.to_ascii_lowercase() } else { text.to_ascii_uppercase() };
                is_changed |= new != text[..];
                out.push(is_plain(text).then(|| new.into())?);
            }
        }
        b"length" => {
            for text in texts {
                is_changed |= !text.is_empty();
                out.push(is_plain(text).then(|| text.len().to_string().into())?);
            }
        }
        b"replace" if !has(b'v') => {
            let (from, to) = (texts.next().filter(|f| !f.is_empty())?, texts.next()?);
            for text in texts {
                let mut made = Vec::new();
                let mut left: &[u8] = text;
                let mut any = false;
                while let Some(found) = memchr::memmem::find(left, from).filter(|_| !any || has(b'a')) {
                    made.extend_from_slice(left.get(..found)?);
                    made.extend_from_slice(to);
                    left = left.get(found + from.len()..)?;
                    any = true;
                }
                made.extend_from_slice(left);
                is_changed |= any;
                out.push(made.into());
            }
        }
        b"match" => {
            let pattern = texts.next()?;
            // A bracket is a text there, and braces and backslashes are of fish's own kind.
            if pattern.iter().any(|b| b"[\\".contains(b)) || has(b'a') {
                return None;
            }
            let taken = Pattern::new(pattern, &[], Groups::None).ok()?;
            for text in texts {
                if taken.matches(text).ok()? != has(b'v') {
                    is_changed = true;
                    out.push(text.clone());
                }
            }
        }
        _ => return None,
    }
    if has(b'q') {
        out.clear();
    }
    (out.iter().all(|t| !t.contains(&b'\n'))).then_some((out, u8::from(!is_changed)))
}
