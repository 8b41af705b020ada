//! Words: lists, braces, patterns of file names, and outputs.

use super::*;

/// Stands for a star in a word: no value has a NUL.
const STAR: u8 = 0;

impl Fish<'_> {
    pub(super) fn fields(&mut self, words: &[Word]) -> Result<Vec<Val>, Arc<Doubt>> {
        let mut out = Vec::new();
        for word in words {
            match &word.parts[..] {
                [Part::Text(text) | Part::Quoted(text)] => out.push(Val::Known(text.clone())),
                _ => out.extend(self.expand(word)?),
            }
            if out.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
        }
        self.steps.count(out.len());
        Ok(out)
    }

    pub(super) fn expand(&mut self, word: &Word) -> Result<Vec<Val>, Arc<Doubt>> {
        // Each part may be a list: all of them are combined with each other.
        let mut out: Option<Vec<Val>> = None;
        let (mut has_braces, mut has_list) = (false, false);
        for part in &word.parts {
            let values: Vec<Val> = match part {
                Part::Text(text) | Part::Quoted(text) => vec![Val::Known(text.clone())],
                Part::Star => vec![Val::of([STAR])],
                Part::Unfollowed(why) => return Err(self.doubt(why)),
                Part::Name(name, quoted, chosen) => {
                    let items = match (self.items(name), chosen) {
                        (Ok(items), Some(chosen)) => self.chosen(&items, chosen),
                        (items, _) => items,
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
                Part::Through(named, quoted, chosen) => {
                    let names = self.expand(&Word { parts: vec![(**named).clone()] })?;
                    let mut items = Vec::new();
                    for name in names {
                        let name = name.known().cloned().ok_or_else(|| self.doubt("a variable whose name is not known"))?;
                        items.extend(self.items(&name)?);
                    }
                    let items = match chosen {
                        Some(chosen) => self.chosen(&items, chosen)?,
                        None => items,
                    };
                    // What separates the items of one that holds a path is told by its own name.
                    match (*quoted, items.len()) {
                        (false, _) => items,
                        (true, 0 | 1) => vec![joined(&items, b" ")],
                        (true, _) => return Err(self.doubt("a variable that another one names")),
                    }
                }
                Part::Output(jobs, quoted, chosen) => match (self.output(jobs), chosen) {
                    (Val::Known(text), None) if *quoted => vec![Val::of(text.strip_suffix(b"\n").unwrap_or(&text))],
                    (Val::Known(text), chosen) => {
                        let lines = match text.is_empty() {
                            true => Vec::new(),
                            false => text.strip_suffix(b"\n").unwrap_or(&text).split(|b| *b == b'\n').map(Val::of).collect(),
                        };
                        match chosen {
                            Some(_) if *quoted => return Err(self.doubt("some lines of what commands print")),
                            Some(chosen) => self.chosen(&lines, chosen)?,
                            None => lines,
                        }
                    }
                    (Val::Unknown(doubt), None) if *quoted => vec![Val::Unknown(doubt)],
                    (Val::Unknown(doubt), _) => return Err(doubt),
                },
                Part::Braces(words) => {
                    let mut all = Vec::new();
                    for word in words {
                        match self.expand(word)? {
                            one if one.len() == 1 || word.parts.iter().any(Part::is_braces) => all.extend(one),
                            _ => return Err(self.doubt("a list in braces")),
                        }
                    }
                    has_braces = true;
                    all
                }
            };
            has_list |= values.len() > 1 && !part.is_braces();
            if has_braces && has_list {
                return Err(self.doubt("a list beside braces"));
            }
            let next = match &out {
                None => values,
                Some(out) => values.iter().flat_map(|right| out.iter().map(|left| both(left, right))).collect(),
            };
            if next.len() > 5000 {
                return Err(self.doubt("a command has too many words"));
            }
            out = Some(next);
        }
        let out = out.unwrap_or_else(|| vec![Val::of(b"")]);
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
    fn files_of(&self, pattern: &[u8]) -> Result<Vec<Bytes>, Arc<Doubt>> {
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

    /// The items that are chosen of a list: `2`, `-1`, `2..-1`.
    fn chosen(&mut self, items: &[Val], chosen: &[Word]) -> Result<Vec<Val>, Arc<Doubt>> {
        let mut out = Vec::new();
        for word in self.fields(chosen)? {
            let text = word.known().ok_or_else(|| self.doubt("a part of a list"))?;
            let (from, to) = indices(text, items.len()).ok_or_else(|| self.doubt("a part of a list"))?;
            let last = i64::try_from(items.len()).unwrap_or(i64::MAX);
            let is_range = text.windows(2).any(|w| w == b"..");
            // What reaches beyond the list is cut, forwards and backwards.
            let (from, to) = match is_range {
                true if from > last && to > last => continue,
                true => (from.min(last), to.min(last)),
                false => (from, to),
            };
            let steps: Box<dyn Iterator<Item = i64>> = if from <= to { Box::new(from..=to) } else { Box::new((to..=from).rev()) };
            let taken = steps.filter_map(|at| items.get(usize::try_from(at - 1).ok()?).cloned());
            out.extend(taken);
        }
        Ok(out)
    }

    pub(super) fn output(&mut self, jobs: &[Job]) -> Val {
        let at = self.at;
        // What is set in a substitution stays, in fish, but for what is local; what leaves it leaves what is around it.
        let text = self.captured(|m| {
            m.push(Kept::Block);
            m.run(jobs);
            m.pop();
        });
        self.at = at;
        text
    }
}

/// What `3`, `-1` or `2..-1` stand for in a list so long: the first and the last index, from one on.
pub(super) fn indices(text: &[u8], length: usize) -> Option<(i64, i64)> {
    let length = i64::try_from(length).ok()?;
    let number = |text: &str| match text.trim().parse::<i64>().ok()? {
        0 => None,
        at if at < 0 => Some(length + at + 1),
        at => Some(at),
    };
    let text = std::str::from_utf8(text).ok()?;
    match text.split_once("..") {
        Some((from, to)) => {
            let from = if from.trim().is_empty() { 1 } else { number(from)? };
            let to = if to.trim().is_empty() { length } else { number(to)? };
            // A negative end before the first item is taken in ways of its own.
            (from > 0 && to > 0).then_some((from, to))
        }
        None => number(text).map(|at| (at, at)),
    }
}
