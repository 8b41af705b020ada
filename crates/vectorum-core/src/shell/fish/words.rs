//! Words: lists, braces, patterns of file names, and outputs.

use super::*;

/// Why what a pattern names is not known.
pub(super) const FILE_PATTERN: &str = "a pattern of file names";

/// Why a command is not run whose words have a pattern that names no file.
pub(super) const NO_FILE: &str = "fish runs no command whose pattern names no file";

/// Why a command is not run whose words have an index that is none.
pub(super) const NO_INDEX: &str = "fish runs no command with an index of zero";

/// Why a command is not run whose words take up the output of another that was not.
pub(super) const NOT_RUN: &str = "a command whose output is taken up is not run";

/// Why it may not be run.
pub(super) const MAY_NOT_RUN: &str = "whether a command is run whose output is taken up is not known";

/// Whether a command with such a word is certainly not run.
fn is_refusal(doubt: &Doubt) -> bool {
    matches!(doubt.why, NO_FILE | NO_INDEX | NOT_RUN)
}

/// When the parts of a word are expanded.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Stage {
    Output,
    Variable,
    Braces,
}

impl Stage {
    fn of(part: &Part) -> Stage {
        match part {
            Part::Output(..) => Stage::Output,
            Part::Braces(_) => Stage::Braces,
            _ => Stage::Variable,
        }
    }
}

/// Stands for a star in a word: no value has a NUL.
const STAR: u8 = 0;

/// So many bytes are taken up of what a command prints, at most.
pub(super) const READ_LIMIT: &[u8] = b"fish_read_limit";

impl Fish<'_> {
    pub(super) fn fields(&mut self, words: &[Word]) -> Result<Vec<Val>, Arc<Doubt>> {
        let (fields, doubt) = self.fields_in_part(words, false);
        doubt.map_or(Ok(fields), Err)
    }

    /// The words up to the first that is not known, and why that is not, or why the command is not run, if the first of them
    /// is a command's name.
    pub(super) fn fields_in_part(&mut self, words: &[Word], is_command: bool) -> (Vec<Val>, Option<Arc<Doubt>>) {
        let mut out = Vec::new();
        let mut unknown: Option<Arc<Doubt>> = None;
        for (index, word) in words.iter().enumerate() {
            let is_name = is_command && index == 0;
            let found = match &word.parts[..] {
                [Part::Text(text) | Part::Quoted(text)] => Ok(vec![Val::Known(text.clone())]),
                // Where that one is taken up is not known.
                _ if unknown.as_ref().is_some_and(|doubt| doubt.why == MAY_NOT_RUN) && word.has_output() => {
                    let mut found = Ok(Vec::new());
                    let doubt = self.doubt(MAY_NOT_RUN);
                    self.fork(&doubt, |m| found = m.expand(word), |_| {});
                    found.map_err(|_| doubt)
                }
                _ => self.expand(word),
            };
            match found {
                Ok(found) if unknown.is_none() => out.extend(found),
                Ok(_) => {}
                // It is not run, whatever its words are.
                Err(doubt) if is_refusal(&doubt) => {
                    // A command of whose name nothing may be left is refused for that.
                    return match unknown {
                        Some(unknown) if unknown.why == MAY_NOT_RUN => (out, Some(unknown)),
                        Some(_) if is_command && out.is_empty() => (out, Some(self.doubt(MAY_NOT_RUN))),
                        _ => (out, Some(doubt)),
                    };
                }
                Err(doubt) if doubt.why == MAY_NOT_RUN => unknown = Some(doubt),
                // Where nothing is left of a command's name, nothing is run for its other words.
                Err(_) if is_name && words.iter().skip(1).any(Word::has_output) => {
                    unknown = Some(self.doubt(MAY_NOT_RUN));
                }
                Err(doubt) => drop(unknown.get_or_insert(doubt)),
            }
            if out.len() > 5000 {
                return (out, Some(self.doubt("a command has too many words")));
            }
        }
        self.steps.count(out.len());
        (out, unknown)
    }

    pub(super) fn expand(&mut self, word: &Word) -> Result<Vec<Val>, Arc<Doubt>> {
        if !word.parts.iter().any(Part::has_star) {
            return self.put_together(word);
        }
        let values = match self.put_together(word) {
            Err(doubt) if doubt.why != NOT_RUN && doubt.why != NO_INDEX => return Err(self.doubt(MAY_NOT_RUN)),
            values => values?,
        };
        if values.is_empty() {
            return Ok(values);
        }
        let mut found = Vec::new();
        for value in values {
            match value {
                // Those that are patterns may name no file, as long as something is left.
                Val::Known(text) if text.contains(&STAR) => match self.files_of(&text) {
                    Ok(files) => found.extend(files.into_iter().map(Val::Known)),
                    Err(doubt) if self.may_be_empty => return Err(doubt),
                    Err(_) => return Err(self.doubt(MAY_NOT_RUN)),
                },
                Val::Known(text) => found.push(Val::Known(text)),
                Val::Unknown(_) => return Err(self.doubt(MAY_NOT_RUN)),
            }
        }
        if found.is_empty() && !self.may_be_empty {
            return Err(self.doubt(NO_FILE));
        }
        Ok(found)
    }

    /// What a word comes to before its patterns are taken for the files that they name.
    fn put_together(&mut self, word: &Word) -> Result<Vec<Val>, Arc<Doubt>> {
        Ok(self.lists(word, false)?.map_or_else(Vec::new, |(values, _)| values))
    }

    /// The same, and whether it has a list, braces aside; `None` where a list has no items, and nothing is left of the word.
    fn lists(&mut self, word: &Word, in_braces: bool) -> Result<Option<(Vec<Val>, bool)>, Arc<Doubt>> {
        // Each part may be a list: all of them are combined with each other.
        let mut lists: Vec<(Stage, Vec<Val>)> = Vec::new();
        let (mut odd_index, mut unknown, mut may_not_run) = (None, Vec::new(), None);
        let mut has_list = false;
        for (at, part) in word.parts.iter().enumerate() {
            let stage = Stage::of(part);
            let is_later_output = part.has_output() && word.parts.iter().take(at).any(Part::has_output);
            // Without quotes, a blank is none between indices in braces.
            let has_blank = in_braces && !part.is_quoted() && part.chosen().is_some_and(|chosen| chosen.len() > 1);
            let values = match if has_blank { Err(self.doubt(NO_INDEX)) } else { self.values_of(part) } {
                // It is the first output of a word that must be run; of others that are not, nothing comes.
                // Between one in quotes and another it may be the first all the same.
                Err(doubt)
                    if is_later_output
                        && stage == Stage::Output
                        && doubt.why == NOT_RUN
                        && !(word.parts.iter().take(at).any(|part| part.has_output() && part.is_quoted())
                            && word.parts.iter().skip(at + 1).any(Part::has_output)) =>
                {
                    self.ran();
                    Vec::new()
                }
                Err(doubt) if is_later_output && doubt.why == NOT_RUN => return Err(self.doubt(MAY_NOT_RUN)),
                Err(doubt) if stage == Stage::Variable && doubt.why == NO_INDEX => {
                    odd_index = Some((at, doubt));
                    Vec::new()
                }
                // What is run for the rest is run before.
                Err(doubt) if stage == Stage::Variable && doubt.why == MAY_NOT_RUN => {
                    may_not_run = Some(doubt);
                    Vec::new()
                }
                // What stands behind it is expanded all the same.
                Err(doubt) if !is_refusal(&doubt) && doubt.why != MAY_NOT_RUN => {
                    unknown.push((at, stage, doubt));
                    Vec::new()
                }
                // It is not known what else of the word comes to nothing before.
                Err(doubt) if stage == Stage::Braces && doubt.why == NO_INDEX && word.parts.iter().any(Part::is_expanded) => {
                    return Err(self.doubt(MAY_NOT_RUN));
                }
                values => values?,
            };
            has_list |= stage != Stage::Braces && values.len() != 1;
            lists.push((stage, values));
        }
        if let Some(doubt) = may_not_run {
            return Err(doubt);
        }
        if let Some((odd, doubt)) = odd_index {
            // Outputs come before variables, and those from the right: where one is empty, nothing is left to be looked into.
            let is_before = |at: usize, stage: Stage| stage == Stage::Output || at > odd;
            let is_nothing = |(at, (stage, values)): (usize, &(Stage, Vec<Val>))| {
                values.is_empty() && is_before(at, *stage) && !unknown.iter().any(|(place, ..)| *place == at)
            };
            return match () {
                () if unknown.iter().any(|(at, stage, _)| is_before(*at, *stage)) => Err(self.doubt(MAY_NOT_RUN)),
                () if lists.iter().enumerate().any(is_nothing) => Ok(None),
                _ => Err(doubt),
            };
        }
        if let Some((.., doubt)) = unknown.into_iter().next() {
            return Err(doubt);
        }
        if lists.iter().any(|(_, values)| values.is_empty()) {
            return Ok(None);
        }
        Ok(Some((self.combined(&lists)?, has_list)))
    }

    /// What stands in braces, one after the other; `None` where something there has no items.
    fn alternatives(&mut self, words: &[Word]) -> Result<Option<Vec<Val>>, Arc<Doubt>> {
        let (mut all, mut unknown) = (Some(Vec::new()), None);
        for word in words {
            match self.lists(word, true) {
                // Lists are expanded before braces, all of which there are so often.
                Ok(Some((_, true))) => drop(unknown.get_or_insert(self.doubt("a list in braces"))),
                Ok(Some((values, false))) => {
                    if let Some(all) = &mut all {
                        all.extend(values);
                    }
                }
                Ok(None) => all = None,
                Err(doubt) if is_refusal(&doubt) || doubt.why == MAY_NOT_RUN => return Err(doubt),
                // What stands behind it is expanded all the same.
                Err(doubt) => drop(unknown.get_or_insert(doubt)),
            }
        }
        unknown.map_or(Ok(all), Err)
    }

    /// What a part of a word comes to.
    fn values_of(&mut self, part: &Part) -> Result<Vec<Val>, Arc<Doubt>> {
        Ok(match part {
            Part::Text(text) | Part::Quoted(text) => vec![Val::Known(text.clone())],
            Part::Star => vec![Val::of([STAR])],
            Part::Unfollowed(why) => return Err(self.doubt(why)),
            Part::Name(name, quoted, chosen) => {
                let items = match (self.items(name), chosen) {
                    (Ok(items), Some(chosen)) => self.chosen(&items, chosen),
                    (items, chosen) => {
                        // What is run for their places is run all the same.
                        for word in chosen.iter().flat_map(|words| words.iter()).filter(|word| Word::has_output(word)) {
                            drop(self.expand(word));
                        }
                        items
                    }
                };
                match (items, quoted) {
                    // Of no list is there an item with that index.
                    (Err(_), _) if chosen.as_ref().is_some_and(|chosen| chosen.iter().any(is_none)) => {
                        return Err(self.doubt(NO_INDEX));
                    }
                    (Ok(items), false) => items,
                    (Ok(items), true) => {
                        let is_path = self.get(name).is_some_and(|v| v.is_path);
                        vec![joined(&items, if is_path { b":" } else { b" " })]
                    }
                    (Err(doubt), true) if doubt.why != NO_INDEX => vec![Val::unknown(doubt)],
                    (Err(doubt), _) => return Err(doubt),
                }
            }
            Part::Through(named, quoted, chosen) => {
                // What is not known may be no name, which is refused.
                let names = match self.expand(&Word { parts: vec![(**named).clone()] }) {
                    Err(doubt) if !is_refusal(&doubt) => return Err(self.doubt(MAY_NOT_RUN)),
                    names => names?,
                };
                let mut items = Vec::new();
                for name in names {
                    let name = name.known().cloned().ok_or_else(|| self.doubt(MAY_NOT_RUN))?;
                    // What is no name is one in part, or refused (measured: 3.6).
                    if !name.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'_') {
                        return Err(self.doubt(MAY_NOT_RUN));
                    }
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
                (Val::Known(text), None) if *quoted => {
                    let ends = text.iter().rev().take_while(|byte| **byte == b'\n').count();
                    vec![Val::of(text.get(..text.len() - ends).unwrap_or_default())]
                }
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
                (Val::Unknown(text), None) if *quoted && !matches!(text.doubt.why, NOT_RUN | MAY_NOT_RUN) => {
                    vec![Val::Unknown(text)]
                }
                (Val::Unknown(unknown), _) => return Err(unknown.doubt),
            },
            Part::Braces(words) => self.alternatives(words)?.unwrap_or_default(),
        })
    }

    /// Every word that takes one of each list: outputs are expanded first, from the left, then variables, from the right,
    /// then braces, so that what comes later changes faster (measured: 3.6).
    fn combined(&mut self, lists: &[(Stage, Vec<Val>)]) -> Result<Vec<Val>, Arc<Doubt>> {
        let count = lists.iter().try_fold(1_usize, |count, (_, values)| count.checked_mul(values.len()));
        let count = count.filter(|count| *count <= 5000).ok_or_else(|| self.doubt("a command has too many words"))?;
        // From the fastest to the slowest.
        let mut order: Vec<usize> = (0..lists.len()).collect();
        order.sort_by_key(|at| {
            let stage = lists[*at].0;
            (std::cmp::Reverse(stage), if stage == Stage::Output { lists.len() - at } else { *at })
        });
        let mut out = Vec::with_capacity(count);
        let mut taken = vec![0; lists.len()];
        for _ in 0..count {
            let words = lists.iter().zip(&taken).filter_map(|((_, values), at)| values.get(*at));
            out.push(
                words.fold(None, |word: Option<Val>, next| Some(word.map_or_else(|| next.clone(), |word| both(&word, next)))),
            );
            for at in &order {
                taken[*at] += 1;
                if taken[*at] < lists[*at].1.len() {
                    break;
                }
                taken[*at] = 0;
            }
        }
        Ok(out.into_iter().map(|word| word.unwrap_or_else(|| Val::of(b""))).collect())
    }

    /// The files that a pattern names, in their order, where that is certain.
    fn files_of(&self, pattern: &[u8]) -> Result<Vec<Bytes>, Arc<Doubt>> {
        let odd = || self.doubt(FILE_PATTERN);
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
            let places = places(text, items.len()).ok_or_else(|| self.doubt("a part of a list"))?;
            if places.contains(&0) {
                return Err(self.doubt(NO_INDEX));
            }
            out.extend(places.into_iter().filter_map(|at| items.get(usize::try_from(at - 1).ok()?).cloned()));
        }
        Ok(out)
    }

    /// What commands print may be longer than is taken up, and then the command whose word it is does not run (fish(1),
    /// «Special variables»).
    pub(super) fn doubt_long_output(&mut self) {
        let is_none = |var: &Var| match var.items.as_deref() {
            Ok([Val::Known(limit)]) => limit.is_empty() || limit == "0",
            items => matches!(items, Ok([])),
        };
        if self.get(READ_LIMIT).is_some_and(|var| !is_none(&var)) {
            self.fog("a limit for what commands print");
        }
    }

    pub(super) fn output(&mut self, jobs: &[Job]) -> Val {
        let at = self.at;
        // What is set in a substitution stays, in fish, but for what is local; what leaves it leaves what is around it.
        self.ran();
        let text = self.within(|m| {
            m.captured(|m| {
                // What was opened by other numbers around it is not open within (measured: 3.6).
                m.live.iter_mut().for_each(|state| (3..10).for_each(|number| state.output.streams.close(Some(number))));
                m.push(Kept::Block);
                m.run(jobs);
                m.pop();
            })
        });
        self.at = at;
        self.doubt_long_output();
        match self.live.as_ref().map(|state| state.refused) {
            Some(Refused::Yes) => Val::unknown(self.doubt(NOT_RUN)),
            Some(Refused::Perhaps) => Val::unknown(self.doubt(MAY_NOT_RUN)),
            _ => text,
        }
    }
}

/// Whether an index is written as zero, or as no number at all.
fn is_none(word: &Word) -> bool {
    let is_number = |text: &[u8]| text.iter().all(|b| b.is_ascii_digit() || b"+-. ".contains(b));
    matches!(&word.parts[..], [Part::Text(text)] if !is_number(text) || matches!(written(text), Some((0, _) | (_, Some(0)))))
}

/// The numbers of `3`, `-1` or `2..-1` as they are written: one, or both ends of a range.
fn written(text: &[u8]) -> Option<(i64, Option<i64>)> {
    let number = |text: &str, usual| if text.trim().is_empty() { usual } else { text.trim().parse::<i64>().ok() };
    let text = std::str::from_utf8(text).ok()?;
    Some(match text.split_once("..") {
        Some((from, to)) => (number(from, Some(1))?, Some(number(to, Some(-1))?)),
        None => (number(text, None)?, None),
    })
}

/// The place of an index, which may be counted from the end.
fn place(at: i64, length: i64) -> i64 {
    if at < 0 { length.saturating_add(at).saturating_add(1) } else { at }
}

/// The indices that `3`, `-1` or `2..-1` stand for in a list so long, one after the other; 0 where one is written.
fn places(text: &[u8], length: usize) -> Option<Vec<i64>> {
    let last = i64::try_from(length).ok()?;
    let (from, to) = written(text)?;
    if from == 0 || to == Some(0) {
        return Some(vec![0]);
    }
    let first = place(from, last);
    let Some(to) = to else { return Some(if first > 0 { vec![first] } else { Vec::new() }) };
    let end = place(to, last);
    if first > last && end > last {
        return Some(Vec::new());
    }
    // Where only one is counted from the end, that says which way it goes; else what reaches beyond the list is cut.
    let (is_forward, first, end) = match (from < 0, to < 0) {
        (false, true) => (true, first, end),
        (true, false) => (false, first, end),
        _ => (first <= end, first.min(last), end.min(last)),
    };
    let (low, high) = if is_forward { (first, end) } else { (end, first) };
    let taken = low.max(1)..=high.min(last);
    Some(if is_forward { taken.collect() } else { taken.rev().collect() })
}

/// What `3`, `-1` or `2..-1` stand for in a list so long: the first and the last index, from one on.
pub(super) fn indices(text: &[u8], length: usize) -> Option<(i64, i64)> {
    let length = i64::try_from(length).ok()?;
    let (from, to) = written(text)?;
    if from == 0 || to == Some(0) {
        return None;
    }
    let first = place(from, length);
    match to.map(|to| place(to, length)) {
        // A negative end before the first item is taken in ways of its own.
        Some(end) => (first > 0 && end > 0).then_some((first, end)),
        None => Some((first, first)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn indices_are_counted_from_both_ends() {
        // As fish 3.6 takes them of a list of one item and of one of three.
        let table: &[(&str, &[i64], &[i64])] = &[
            ("1", &[1], &[1]),
            ("-1", &[1], &[3]),
            ("-2", &[], &[2]),
            ("7", &[7], &[7]),
            ("0", &[0], &[0]),
            ("0..1", &[0], &[0]),
            ("2..-1", &[], &[2, 3]),
            ("-1..2", &[], &[3, 2]),
            ("-1..1", &[1], &[3, 2, 1]),
            ("3..1", &[1], &[3, 2, 1]),
            ("9..2", &[], &[3, 2]),
            ("2..9", &[], &[2, 3]),
            ("5..-5", &[], &[]),
            ("-9..2", &[], &[]),
            ("..", &[1], &[1, 2, 3]),
            ("2..", &[], &[2, 3]),
        ];
        for (text, of_one, of_three) in table {
            assert_eq!(places(text.as_bytes(), 1).as_deref(), Some(*of_one), "{text} of one");
            assert_eq!(places(text.as_bytes(), 3).as_deref(), Some(*of_three), "{text} of three");
        }
        assert!(["", "x", "1..x", "99999999999999999999"].iter().all(|text| places(text.as_bytes(), 3).is_none()));
        // What is set must begin within the list.
        let ends = [("2", Some((2, 2))), ("-1", Some((3, 3))), ("2..-1", Some((2, 3))), ("-9..2", None), ("0", None)];
        ends.iter().for_each(|(text, wanted)| assert_eq!(indices(text.as_bytes(), 3), *wanted, "{text}"));
    }
}
