//! Subscripts (zshparam(1), "Array Subscripts"): items are counted from 1, and from the end where they are negative.

use std::sync::Arc;

use super::super::content::Content;
use super::super::expand::Expanded;
use super::super::items::NO_SUCH_INDEX;
use super::super::machine::Machine;
use super::super::parameter::{Held, UNSET_IS_ERROR};
use super::super::parse::is_name;
use super::super::pattern::Pattern;
use super::super::value::Val;
use super::*;

impl Machine<'_> {
    /// Takes what a subscript says of a list, or of the letters of a text.
    pub(in super::super) fn subscripted(&mut self, held: Held, subscript: &Subscript) -> Expanded<Held> {
        let unknown = match &held {
            Held::Unknown(doubt) => Some(doubt.clone()),
            Held::One(Val::Unknown(text)) => Some(text.doubt.clone()),
            Held::Perhaps(_) => Some(self.doubt("a subscript")),
            _ => None,
        };
        // Whatever text that is, the place may be wrong; of a table it is a key.
        if let Some(doubt) = unknown {
            let places: &[&Vec<Part>] = match subscript {
                // The key of a table is none.
                Subscript::At(key) if !key.iter().all(is_plain_key) => &[key],
                Subscript::Range(from, to) => &[from, to],
                Subscript::At(_) | Subscript::All(_) | Subscript::Search(..) => &[],
            };
            // What is searched for may be no pattern.
            if let Subscript::Search(_, word) = subscript {
                self.doubt_what_is_set(&word.parts, &doubt);
                self.fail_or_go_on(&doubt);
            }
            self.fork(&doubt, |m| places.iter().for_each(|place| drop(m.place_of(place))), |_| {});
            return Err(doubt);
        }
        match subscript {
            Subscript::All(_) => Ok(held),
            Subscript::At(key) => {
                let at = self.place_of(key)?;
                // There is no such letter, and yet none is not set (measured: 5.9).
                if at == 0 && matches!(held, Held::One(_)) && self.refuses_unset() {
                    self.fail_perhaps(UNSET_IS_ERROR);
                }
                Ok(match held {
                    Held::Many(items) => {
                        place(at, items.len()).and_then(|at| items.get(at)).cloned().map_or(Held::Unset, Held::One)
                    }
                    Held::One(Val::Known(text)) if text.is_ascii() => {
                        let letter = place(at, text.len()).and_then(|at| text.get(at..=at));
                        Held::One(Val::of(letter.unwrap_or_default()))
                    }
                    Held::Unset => Held::Unset,
                    _ => return Err(self.doubt("a subscript")),
                })
            }
            Subscript::Range(from, to) => {
                let (from, to) = (self.place_of(from)?, self.place_of(to)?);
                Ok(match held {
                    Held::Many(items) => {
                        let (from, to) = range(from, to, items.len());
                        Held::Many(items.get(from..to).unwrap_or_default().to_vec())
                    }
                    Held::One(Val::Known(text)) if text.is_ascii() => {
                        let (from, to) = range(from, to, text.len());
                        Held::One(Val::Known(text.slice(from..to)))
                    }
                    Held::Unset => Held::Unset,
                    _ => return Err(self.doubt("a subscript")),
                })
            }
            Subscript::Search(search, word) => {
                let found = self.searched(held, *search, word);
                // What is no pattern is an error.
                if let Err(doubt) = &found {
                    self.fail_or_go_on(doubt);
                }
                found
            }
        }
    }

    /// What a list or a text of zsh's becomes where a part of it is exchanged: `NAME[N]=…`, `NAME[N,M]=…`. An end before its
    /// beginning puts in what is new there. `None` where that is not followed.
    pub(in super::super) fn exchanged(&mut self, name: &[u8], key: &[Part], new: &[Val], is_list: bool) -> Option<Content> {
        if !self.is_own_zsh() || self.expands_otherwise() {
            return None;
        }
        let Val::Known(key) = self.one_text(key) else { return None };
        let number = |text: &[u8]| std::str::from_utf8(text.trim_ascii()).ok()?.parse::<i64>().ok();
        let (from, to) = match memchr::memchr(b',', &key) {
            Some(at) => (number(key.get(..at)?)?, number(key.get(at + 1..)?)?),
            None => (number(&key)?, number(&key)?),
        };
        // What is before the first item begins with that.
        let from = if from == 0 && to != 0 { 1 } else { from };
        let part = |length: usize| {
            let length = i64::try_from(length).ok()?;
            let from = if from < 0 { from + length + 1 } else { from };
            let to = if to < 0 { to + length + 1 } else { to }.min(length);
            // Far behind the end a list is filled with empty items.
            (1..=length + 1000).contains(&from).then_some((from - 1, to.max(from - 1)))
        };
        match self.content_of(name) {
            Content::Unset if is_list => Some(Content::Array(Arc::new(new.to_vec()))).filter(|_| from == 1),
            Content::Array(items) => {
                self.steps.count(items.len());
                let (from, to) = part(items.len())?;
                let (from, to) = (usize::try_from(from).ok()?, usize::try_from(to).ok()?);
                let mut all = items.to_vec();
                if all.len() < from {
                    all.resize(from, Val::of(b""));
                }
                let end = to.min(all.len());
                all.splice(from..end, new.iter().cloned());
                Some(Content::Array(Arc::new(all)))
            }
            Content::Set(Val::Known(text)) if !is_list && text.is_ascii() => {
                let [Val::Known(new)] = new else { return None };
                let (from, to) = part(text.len())?;
                let place = |at: i64| usize::try_from(at).unwrap_or(0).min(text.len());
                let (from, to) = (place(from), place(to));
                Some(Content::Set(Val::of([text.get(..from)?, new, text.get(to..)?].concat())))
            }
            _ => None,
        }
    }

    /// Works out a place; one that is wrong is an error.
    fn place_of(&mut self, key: &[Part]) -> Expanded<i64> {
        // What is not set is none there, or an error.
        let is_number =
            |part: &Part| matches!(part, Part::Text(t) | Part::Quoted(t) if t.iter().all(|b| b.is_ascii_digit() || *b == b'-'));
        if self.refuses_unset() && !key.iter().all(is_number) {
            let doubt = self.doubt(UNSET_IS_ERROR);
            self.fail_or_go_on(&doubt);
            return Err(doubt);
        }
        // What is empty is none.
        if self.one_text(key).known().is_some_and(|text| text.trim_ascii().is_empty()) {
            let doubt = self.doubt("an index that is empty");
            // Not always where it is a parameter that is.
            match key.iter().any(|part| matches!(part, Part::Parameter(_) | Part::Shaped(_))) {
                true => self.fail_or_go_on(&doubt),
                false => self.fail_hard(),
            }
            return Err(doubt);
        }
        let place = self.sum_in_word(key);
        if place.as_ref().is_ok_and(|place| *place > i64::from(i32::MAX)) {
            return Err(self.doubt(NO_SUCH_INDEX));
        }
        if let Err(doubt) = &place {
            self.fail_or_go_on(&doubt.clone());
        }
        place
    }

    /// Looks for an item of a list.
    fn searched(&mut self, held: Held, search: Search, word: &Word) -> Expanded<Held> {
        let items = match held {
            Held::Many(items) => items,
            Held::Unset => return Ok(Held::Unset),
            _ => return Err(self.doubt("a subscript")),
        };
        self.steps.count(items.len());
        let doubt = self.doubt("a pattern of another kind");
        let looked = if search.is_exact {
            let Val::Known(text) = self.one_word(word)? else { return Err(doubt) };
            Looked::For(text)
        } else {
            // What a parameter brings may be a pattern there.
            let brings = |part: &Part| !matches!(part, Part::Text(_) | Part::Quoted(_));
            if word.parts.iter().any(brings) {
                let is_sign = |b: &u8| b"*?[]()|#^~<>\\".contains(b);
                match self.one_word(word)? {
                    Val::Known(text) if !text.iter().any(is_sign) => Looked::For(text),
                    _ => return Err(doubt),
                }
            } else {
                let pattern = self.pattern_of(word);
                Looked::By(pattern.ok_or_else(|| doubt.clone())?)
            }
        };
        let mut order: Vec<usize> = (0..items.len()).collect();
        if search.is_last {
            order.reverse();
        }
        let mut found = None;
        for at in order {
            if looked.fits(&items[at]).ok_or_else(|| doubt.clone())? {
                found = Some(at);
                break;
            }
        }
        Ok(match (found, search.tells_place) {
            (Some(at), true) => Held::One(Val::of((at + 1).to_string())),
            (Some(at), false) => Held::One(items[at].clone()),
            (None, true) if search.is_last => Held::One(Val::of("0")),
            (None, true) => Held::One(Val::of((items.len() + 1).to_string())),
            (None, false) => Held::Unset,
        })
    }
}

/// What is looked for in a list.
enum Looked {
    For(Bytes),
    By(Pattern),
}

impl Looked {
    /// Whether an item is it, if that is known.
    fn fits(&self, item: &Val) -> Option<bool> {
        let item = item.known()?;
        match self {
            Looked::For(text) => Some(text == item),
            Looked::By(pattern) => pattern.matches(item).ok(),
        }
    }
}

/// Whether a part of a key is one of a table, or a name or a number, which is never wrong.
fn is_plain_key(part: &Part) -> bool {
    matches!(part, Part::Text(text) | Part::Quoted(text) if text.iter().all(|byte| is_name(*byte)))
}

/// Where an item stands, counted from 0.
fn place(at: i64, length: usize) -> Option<usize> {
    let length = i64::try_from(length).ok()?;
    usize::try_from(if at < 0 { at + length } else { at - 1 }).ok()
}

/// Where a range begins and ends, counted from 0, without its end; both within the length.
fn range(from: i64, to: i64, length: usize) -> (usize, usize) {
    let all = i64::try_from(length).unwrap_or(i64::MAX);
    let from = if from < 0 { from + all } else { from - 1 }.clamp(0, all);
    let to = if to < 0 { to + all + 1 } else { to }.clamp(0, all);
    (usize::try_from(from).unwrap_or(length), usize::try_from(to.max(from)).unwrap_or(length))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_are_counted_from_one_and_from_the_end() {
        for (from, to, taken) in [
            (2, 4, "bcd"),
            (-2, -1, "ef"),
            (3, 2, ""),
            (0, 2, "ab"),
            (5, 99, "ef"),
            (-99, 2, "ab"),
            (7, 9, ""),
            (1, 0, ""),
            (1, -1, "abcdef"),
        ] {
            let text = "abcdef";
            let (begin, end) = range(from, to, text.len());
            assert_eq!(text.get(begin..end), Some(taken), "{from},{to}");
        }
        let places = [(1, Some(0)), (6, Some(5)), (-1, Some(5)), (-6, Some(0)), (0, None), (-7, None)];
        places.iter().for_each(|(at, wanted)| assert_eq!(place(*at, 6), *wanted, "{at}"));
    }
}
