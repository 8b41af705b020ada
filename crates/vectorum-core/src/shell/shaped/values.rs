//! What parameters of zsh's own shape come to (zshexpn(1), "Rules", whose order this keeps).

use bytes::Bytes;

use super::super::content::Content;
use super::super::expand::{Expanded, Mode, Values};
use super::super::machine::Machine;
use super::super::parameter::Held;
use super::super::parameter::UNSET_IS_ERROR;
use super::super::pattern::Pattern;
use super::super::reference::OWN_SHAPE;
use super::super::syntax::{Change, Dialect, Parameter, Part};
use super::super::value::Val;
use super::*;

/// What a parameter comes to.
pub(in super::super) struct Came {
    pub(in super::super) values: Values,
    /// Whether its items stay words between quotes.
    pub(in super::super) is_separate: bool,
}

impl Machine<'_> {
    /// Returns what a parameter of zsh's own shape comes to: where one text is asked for, items are joined, and nothing is
    /// split.
    ///
    /// # Errors
    /// Where it is not known how many words that are.
    pub(in super::super) fn shaped(&mut self, shaped: &Shaped, quoted: bool, mode: Mode) -> Expanded<Came> {
        let came = self.shaped_into(shaped, quoted, mode);
        // Then it is not known either whether all of it was set.
        if came.is_err() && self.refuses_unset() {
            self.fail_perhaps(UNSET_IS_ERROR);
        }
        // Nor whether it was an error, and something set.
        if let Err(doubt) = &came {
            let doubt = doubt.clone();
            self.doubt_what_is_set(&[Part::Shaped(Box::new(shaped.clone()))], &doubt);
            // What it holds may be no folder there is, and no pattern.
            if shaped.may_be_pattern() && !quoted {
                self.fail_or_go_on(&doubt);
            }
        }
        came
    }

    fn shaped_into(&mut self, shaped: &Shaped, quoted: bool, mode: Mode) -> Expanded<Came> {
        let may_split = !quoted && mode == Mode::Fields && !matches!(self.splits_words(), Ok(false));
        if self.expands_otherwise() || self.as_sh || may_split {
            let doubt = self.doubt("an option makes the shell expand parameters in another way");
            // A place may be wrong however it is counted.
            let is_plain = |subscript: &Subscript| match subscript {
                Subscript::At(key) => {
                    key.iter().all(|part| matches!(part, Part::Text(text) if text.iter().all(u8::is_ascii_digit)))
                }
                Subscript::All(_) => true,
                Subscript::Range(..) | Subscript::Search(..) => false,
            };
            if !shaped.subscripts.iter().all(is_plain) {
                self.fail_or_go_on(&doubt);
            }
            return Err(doubt);
        }
        let is_separate = shaped.has(&Flag::Separate)
            || matches!(shaped.subscripts.last(), Some(Subscript::All(true)))
            || matches!(&shaped.of, Of::Name(name) if name == "@") && shaped.subscripts.is_empty();
        let (mut held, taken) = self.held_by(shaped, quoted)?;
        for subscript in shaped.subscripts.iter().skip(taken) {
            held = self.subscripted(held, subscript)?;
        }
        // What is counted, cut or put instead of what no subscript finds is the shell's own affair.
        let is_lost = match &held {
            _ if matches!(shaped.of, Of::Inner(_)) && shaped.is_counted && !shaped.subscripts.is_empty() => true,
            Held::Unset if !shaped.subscripts.is_empty() => match shaped.steps.first() {
                _ if shaped.is_counted => true,
                Some(Step::Change(Change::Instead(_, colon, _))) => {
                    !colon && matches!(&shaped.of, Of::Name(name) if matches!(&name[..], b"@" | b"*"))
                }
                first => first.is_some(),
            },
            Held::Many(items) => items.is_empty() && matches!(shaped.steps.first(), Some(Step::Change(Change::Instead(..)))),
            _ => {
                matches!(shaped.subscripts.last(), Some(Subscript::Search(..)))
                    && matches!(shaped.steps.first(), Some(Step::Change(Change::Slice(..))))
            }
        };
        // A letter that there is not is not set to some of those, and empty to others.
        let is_letter = shaped.subscripts.len() > taken && !matches!(shaped.subscripts.last(), Some(Subscript::All(_)));
        let is_instead = matches!(shaped.steps.first(), Some(Step::Change(Change::Instead(_, false, _))));
        // What is done to all of these is done to each before they are one.
        let is_all = matches!(&shaped.of, Of::Name(name) if matches!(&name[..], b"@" | b"*"))
            && !shaped.steps.is_empty()
            && matches!(shaped.subscripts.last(), Some(Subscript::All(_)));
        // Of nothing at all quotes may be made.
        let is_quoted = matches!(&held, Held::Many(items) if items.is_empty())
            && shaped.find(|flag| matches!(flag, Flag::Quoted(_) | Flag::QuotedIfNeeded).then_some(())).is_some();
        if is_lost || is_all || is_quoted || is_letter && is_instead && matches!(held, Held::One(_)) {
            return Err(self.doubt(OWN_SHAPE));
        }
        let mut named = None;
        if shaped.has(&Flag::Named) {
            if let Held::One(Val::Known(name)) = &held {
                named = Some(name.clone());
            }
            self.refuse_unset(&held)?;
            held = self.named_by(&held, shaped)?;
        }
        let held = self.instead_of(held, shaped, named, quoted)?;
        let mut values = self.set_or_empty(held, &shaped.of, quoted && !(is_separate && mode == Mode::Fields))?;
        if let Some(step @ Step::Change(Change::Slice(..))) = shaped.steps.first() {
            // It takes items before they become one text.
            let is_list = matches!(values, Values::Many(_));
            if matches!(shaped.of, Of::Inner(_)) && is_list || !shaped.subscripts.is_empty() {
                return Err(self.doubt(OWN_SHAPE));
            }
            values = self.step(values, step, shaped)?;
        }
        let separator = shaped.find(|flag| if let Flag::Join(text) = flag { Some(text) } else { None });
        if quoted && !is_separate && !shaped.is_counted {
            values = self.joined(values, separator)?;
        }
        let is_done = |step: &&Step| matches!(step, Step::Change(Change::Slice(..) | Change::Instead(..)));
        for step in shaped.steps.iter().filter(|step| !is_done(step)) {
            values = self.step(values, step, shaped)?;
        }
        if shaped.is_counted {
            // A range behind the end counts as one item, and one that holds none as none (measured: zsh 5.9).
            let is_range = matches!(shaped.subscripts.last(), Some(Subscript::Range(..)));
            let number = match &values {
                Values::Many(items) if items.is_empty() && is_range => self.doubt("a range that holds nothing").number(),
                values => self.counted(values),
            };
            values = Values::One(number);
        }
        let splits = shaped.find(|flag| if let Flag::Split(text) = flag { Some(&text[..]) } else { None });
        let is_one = mode != Mode::Fields;
        let splits_at_blanks = shaped.is_split && splits.is_none();
        let is_parted = (splits.is_some() || splits_at_blanks) && !is_one;
        let in_quotes = quoted.then_some(is_separate);
        values = match values {
            // Then each item is split by itself.
            Values::Many(items) if is_parted && separator.is_none() && shaped.has(&Flag::Separate) => {
                let mut words = Vec::new();
                for item in items {
                    match self.parted(&Values::One(item), splits, in_quotes)? {
                        Values::One(word) if word.is_empty() == Some(true) && !quoted => {}
                        Values::One(word) => words.push(word),
                        Values::Many(more) => words.extend(more),
                    }
                }
                Values::Many(words)
            }
            values if is_parted => {
                let text = self.joined(values, separator)?;
                self.parted(&text, splits, in_quotes)?
            }
            values if separator.is_some() || splits.is_some() || shaped.is_split || is_one => self.joined(values, separator)?,
            values => values,
        };
        let values = self.by_flags(values, shaped)?;
        Ok(Came { values, is_separate })
    }

    /// What it is of, and how many subscripts are taken in by that.
    fn held_by(&mut self, shaped: &Shaped, quoted: bool) -> Expanded<(Held, usize)> {
        match &shaped.of {
            // Only what stands instead of nothing is told surely where it is an error.
            Of::Nothing if self.refuses_unset() && !matches!(shaped.steps.first(), Some(Step::Change(Change::Instead(..)))) => {
                let doubt = self.doubt(UNSET_IS_ERROR);
                self.fail_or_go_on(&doubt);
                Err(doubt)
            }
            Of::Nothing => Ok((Held::Unset, 0)),
            Of::Name(name) if shaped.has(&Flag::Keys) || shaped.has(&Flag::Values) => {
                let in_any_order = shaped.is_counted || shaped.flags.iter().any(|flag| matches!(flag, Flag::Sorted(_)));
                // Of keys no part is taken.
                if !shaped.subscripts.is_empty() {
                    let doubt = self.doubt(OWN_SHAPE);
                    self.fail_or_go_on(&doubt);
                    return Err(doubt);
                }
                let asked = (shaped.has(&Flag::Keys), shaped.has(&Flag::Values));
                Ok((self.table_words(name, asked, in_any_order)?, 0))
            }
            Of::Name(name) => {
                // What a table says by a key.
                if let Some(Subscript::At(key)) = shaped.subscripts.first()
                    && let Some(found) = self.by_key(name, key)
                {
                    return Ok((found?, 1));
                }
                // Of a table no part is taken by places.
                if matches!(shaped.subscripts.first(), Some(Subscript::Search(..) | Subscript::Range(..)))
                    && self.table(name).is_some()
                {
                    return Err(self.doubt(OWN_SHAPE));
                }
                let change = if shaped.is_counted { Change::Length } else { Change::None };
                let parameter = Parameter { name: name.clone(), key: None, change, is_indirect: false };
                if name == "0" {
                    return Ok((self.own_name(), 0));
                }
                Ok((self.parameter_content(&parameter)?, 0))
            }
            Of::Inner(part) => Ok((held_of(self.inner_values(part, quoted)?), 0)),
        }
    }

    /// What one within another comes to.
    fn inner_values(&mut self, part: &Part, quoted: bool) -> Expanded<Values> {
        match part {
            Part::Double(parts) => {
                let [part] = &parts[..] else { return Err(self.doubt(OWN_SHAPE)) };
                self.inner_values(part, true)
            }
            Part::Shaped(inner) => Ok(without_empty(self.shaped(inner, quoted, Mode::Fields)?.values, quoted)),
            Part::Parameter(parameter) => {
                let values = self.parameter(parameter, quoted, Mode::One)?;
                let is_all = parameter.name == "@" || parameter.key.is_some();
                if quoted && !is_all { self.joined(values, None) } else { Ok(without_empty(values, quoted)) }
            }
            Part::Output(commands) => {
                let value = self.output(commands);
                if quoted {
                    return Ok(Values::One(value));
                }
                self.parted(&Values::One(value), None, None)
            }
            Part::Sum(parts) => Ok(Values::One(self.sum_value(parts))),
            Part::Unfollowed(why) => {
                let doubt = self.doubt(why);
                self.refuse_odd(why, &doubt);
                Err(doubt)
            }
            _ => Err(self.doubt(OWN_SHAPE)),
        }
    }

    /// What a parameter is called that holds the name of another: its value.
    fn named_by(&mut self, held: &Held, shaped: &Shaped) -> Expanded<Held> {
        let is_plain = |name: &Bytes| crate::reader::is_portable(name);
        match held {
            Held::One(Val::Known(name)) if is_plain(name) && (matches!(shaped.of, Of::Name(_)) || shaped.steps.is_empty()) => {
                self.parameter_content(&Parameter { name: name.clone(), key: None, change: Change::None, is_indirect: false })
            }
            _ => Err(self.doubt("a name that a value names")),
        }
    }

    /// Makes what stands instead, where something is to.
    fn instead_of(&mut self, held: Held, shaped: &Shaped, named: Option<Bytes>, quoted: bool) -> Expanded<Held> {
        let Some(Step::Change(Change::Instead(sign, colon, word))) = shaped.steps.first() else { return Ok(held) };
        let sets = matches!(sign, b'=' | b':');
        let (name, key) = match (&shaped.of, &shaped.subscripts[..]) {
            (Of::Name(name), []) => (named.unwrap_or_else(|| name.clone()), None),
            (Of::Name(name), [Subscript::At(key)]) if named.is_none() && !(sets && (shaped.is_spread() || shaped.is_split)) => {
                (name.clone(), Some(key.clone()))
            }
            _ if sets => return Err(self.doubt(OWN_SHAPE)),
            _ => (Bytes::from_static(b"_"), None),
        };
        // Of an inner one that comes to nothing, it is not told whether it was set.
        if !*colon && matches!(shaped.of, Of::Inner(_)) {
            return Err(self.doubt(OWN_SHAPE));
        }
        let brings_words = |part: &Part| match part {
            Part::Output(_) | Part::Shaped(_) => true,
            Part::Parameter(p) => {
                matches!(self.content_of(&p.name), Content::Array(_)) || b"@*".contains(p.name.first().unwrap_or(&b' '))
            }
            _ => false,
        };
        if !quoted && word.parts.iter().any(brings_words) {
            // Words that come of it are one only where they are asked to be.
            if word.parts.len() > 1 || sets {
                return Err(self.doubt(OWN_SHAPE));
            }
        }
        let parameter = Parameter { name, key, change: Change::None, is_indirect: false };
        let values = self.instead(&parameter, held, (*sign, *colon), word, (quoted, Mode::Fields, false))?;
        values.map(held_of).ok_or_else(|| self.doubt(OWN_SHAPE))
    }

    /// With `set -u` what is not set is an error.
    fn refuse_unset(&mut self, held: &Held) -> Expanded<()> {
        let may_be_unset = matches!(held, Held::Unset | Held::Perhaps(_));
        if may_be_unset && self.refuses_unset() {
            self.fail_perhaps(UNSET_IS_ERROR);
            return Err(self.doubt(UNSET_IS_ERROR));
        }
        Ok(())
    }

    /// What is not set is empty, where that is no error.
    fn set_or_empty(&mut self, held: Held, of: &Of, is_one: bool) -> Expanded<Values> {
        if *of != Of::Nothing {
            self.refuse_unset(&held)?;
        }
        match held {
            Held::Unset => Ok(Values::One(Val::of(b""))),
            Held::One(value) => Ok(Values::One(value)),
            Held::Perhaps(value) => {
                let doubt = self.doubt("whether the name is set is not known");
                Ok(Values::One(Val::of(b"").join(&value, &doubt)))
            }
            Held::Many(values) => Ok(Values::Many(values)),
            Held::Unknown(doubt) if is_one => Ok(Values::One(Val::unknown(doubt))),
            Held::Unknown(doubt) => Err(doubt),
        }
    }

    /// Items as one text, with what the flag says between them or the first of IFS.
    pub(in super::super) fn joined(&mut self, values: Values, separator: Option<&Vec<u8>>) -> Expanded<Values> {
        let items = match values {
            Values::Many(items) => items,
            one => return Ok(one),
        };
        let between = match separator {
            Some(text) => text.clone(),
            None => self.first_separator()?.into_iter().collect(),
        };
        let known: Option<Vec<Bytes>> = items.iter().map(|v| v.known().cloned()).collect();
        Ok(Values::One(match known {
            Some(items) => Val::of(items.join(&between[..])),
            None => Val::unknown(self.doubt("an item of the list is not known")),
        }))
    }

    /// How many items there are, or how long the text is.
    fn counted(&mut self, values: &Values) -> Val {
        match values {
            Values::Many(items) => Val::of(items.len().to_string()),
            Values::One(value) => self.changed(value.clone(), &Change::Length),
        }
    }

    /// A text as parts between separators, or between blanks; in quotes, `Some` says whether each part stays a word.
    fn parted(&mut self, values: &Values, separator: Option<&[u8]>, in_quotes: Option<bool>) -> Expanded<Values> {
        let text = match values {
            Values::One(Val::Known(text)) => text.clone(),
            Values::One(Val::Unknown(unknown)) => return Err(unknown.doubt.clone()),
            Values::Many(_) => return Err(self.doubt("a list that is split")),
        };
        let Some(separator) = separator else {
            let is_usual = self.separators()?.is_none_or(|bytes| b" \t\n".iter().all(|b| bytes.contains(b)) && bytes.len() <= 4);
            let has_ends = text.is_empty() || text.trim_ascii().len() != text.len();
            if !is_usual || text.contains(&0) || in_quotes.is_some() && has_ends {
                return Err(self.doubt("words between separators of one's own"));
            }
            let words = text.split(|b| b" \t\n".contains(b)).filter(|word| !word.is_empty());
            return Ok(words_of(words.map(Val::of).collect()));
        };
        let mut out = Vec::new();
        let mut rest: &[u8] = &text;
        while let Some(at) = memchr::memmem::find(rest, separator) {
            out.push(rest.get(..at).unwrap_or_default());
            rest = rest.get(at + separator.len()..).unwrap_or_default();
        }
        out.push(rest);
        self.steps.count(out.len());
        // Unless each is to stay a word, what is empty is none; in quotes it is one at the ends.
        match in_quotes {
            Some(true) => {}
            Some(false) => {
                let last = out.len() - 1;
                let mut at = 0;
                out.retain(|t| {
                    at += 1;
                    !t.is_empty() || at == 1 || at - 1 == last
                });
            }
            None => out.retain(|t| !t.is_empty()),
        }
        Ok(words_of(out.into_iter().map(Val::of).collect()))
    }

    /// Does one thing to each word.
    fn step(&mut self, values: Values, step: &Step, shaped: &Shaped) -> Expanded<Values> {
        if let Step::Filter(word) = step {
            return self.filtered(values, word, shaped.has(&Flag::Matched));
        }
        let is_cut = matches!(step, Step::Change(Change::Trim(..) | Change::Replace(..)));
        let is_odd = is_cut && (shaped.has(&Flag::Matched) || shaped.has(&Flag::Anywhere));
        let mut each = |value: Val| match step {
            Step::Change(change) if is_odd => self.cut_by(&value, change, shaped),
            Step::Change(change) => self.changed(value, change),
            Step::Swap(from, to, is_all) => match value {
                Val::Known(text) => Val::Known(swapped(&text, from, to, *is_all)),
                Val::Unknown(text) => Val::unknown(text.doubt),
            },
            Step::Whole(follows) => self.whole_path(&value, *follows),
            Step::Filter(_) => value,
        };
        Ok(match (values, step) {
            (Values::Many(items), Step::Change(change @ Change::Slice(..))) => {
                let is_positional = matches!(&shaped.of, Of::Name(name) if matches!(&name[..], b"@" | b"*"));
                Values::Many(self.slice(items, change, is_positional)?)
            }
            // Of no item something may be made.
            (Values::Many(items), Step::Change(Change::Parts(_))) if items.is_empty() => return Err(self.doubt(OWN_SHAPE)),
            (Values::Many(items), _) => Values::Many(items.into_iter().map(each).collect()),
            (Values::One(value), _) => Values::One(each(value)),
        })
    }

    /// The words that do not match a pattern, or those that do.
    fn filtered(&mut self, values: Values, word: &Word, keeps_matches: bool) -> Expanded<Values> {
        let doubt = self.doubt("a pattern of another kind");
        let pattern = self.pattern_of(word).ok_or_else(|| doubt.clone())?;
        let keeps = |value: &Val| match value {
            Val::Known(text) => pattern.matches(text).map(|is_match| is_match == keeps_matches).map_err(|_| doubt.clone()),
            Val::Unknown(text) => Err(text.doubt.clone()),
        };
        match values {
            Values::One(value) => match keeps(&value) {
                Ok(true) => Ok(Values::One(value)),
                Ok(false) => Ok(Values::One(Val::of(b""))),
                Err(doubt) => Ok(Values::One(Val::unknown(doubt))),
            },
            Values::Many(items) => {
                let mut out = Vec::new();
                for item in items {
                    if keeps(&item)? {
                        out.push(item);
                    }
                }
                Ok(Values::Many(out))
            }
        }
    }

    /// `(M)` and `(S)` of what is cut off.
    fn cut_by(&mut self, value: &Val, change: &Change, shaped: &Shaped) -> Val {
        let odd = Val::unknown(self.doubt("a pattern of another kind"));
        let (Change::Trim(at_end, longest, word), Val::Known(text)) = (change, value) else { return odd };
        let Some(pattern) = self.pattern_of(word) else { return odd };
        let found = if shaped.has(&Flag::Anywhere) {
            if !text.is_ascii() || text.len() > 2000 {
                return odd;
            }
            let mut begins: Vec<usize> = (0..text.len()).collect();
            if *at_end {
                begins.reverse();
            }
            let part =
                |from: &usize| pattern.part(text.get(*from..)?, false, *longest).ok()?.map(|length| (*from, from + length));
            begins.iter().find_map(part)
        } else {
            match pattern.part(text, *at_end, *longest) {
                Ok(Some(length)) if *at_end => Some((text.len() - length, text.len())),
                Ok(found) => found.map(|length| (0, length)),
                Err(_) => return odd,
            }
        };
        Val::of(match (found, shaped.has(&Flag::Matched)) {
            (Some((from, to)), true) => text.get(from..to).unwrap_or_default().to_vec(),
            (Some((from, to)), false) => [text.get(..from).unwrap_or_default(), text.get(to..).unwrap_or_default()].concat(),
            (None, true) => Vec::new(),
            (None, false) => text.to_vec(),
        })
    }

    /// `:a`, `:A`: a path from the root on, in the second case past all links.
    fn whole_path(&mut self, value: &Val, follows: bool) -> Val {
        let text = match value {
            Val::Known(text) => text,
            Val::Unknown(text) => return Val::unknown(text.doubt.clone()),
        };
        let full = if text.is_empty() { None } else { self.full(text) };
        let found = match full {
            Some(path) if follows => self.ground.files.real_path(&path),
            // Without links only where nothing is to be taken out.
            Some(path) => {
                let is_odd = |part: &[u8]| part.is_empty() || part == b"." || part == b"..";
                (!path.split(|b| *b == b'/').skip(1).any(is_odd)).then_some(path)
            }
            None => None,
        };
        found.map_or_else(|| Val::unknown(self.doubt("a modifier of zsh's")), Val::Known)
    }

    /// The function or the file that runs, as zsh calls it (its option `function_argzero`).
    fn own_name(&mut self) -> Held {
        match self.live.as_ref().and_then(|state| state.zero.clone()) {
            Some(zero) => Held::One(Val::Known(zero)),
            None => Held::One(Val::filled("the shell's own name")),
        }
    }

    /// What signs of prompts stand for.
    pub(super) fn prompt(&mut self, text: &Bytes) -> Val {
        let unknown = Val::unknown(self.doubt("a prompt's sign"));
        let mut out = Vec::new();
        let mut rest: &[u8] = text;
        while let Some(at) = memchr::memchr(b'%', rest) {
            out.extend_from_slice(rest.get(..at).unwrap_or_default());
            let held = match rest.get(at + 1) {
                Some(b'%') => Held::One(Val::of(b"%")),
                Some(b'n') => {
                    let name =
                        Parameter { name: Bytes::from_static(b"USERNAME"), key: None, change: Change::None, is_indirect: false };
                    self.parameter_content(&name).unwrap_or(Held::Unset)
                }
                // The file that the text stands in, and what runs it.
                Some(b'x') => self.own_file(),
                // In a function it is that one's name.
                Some(b'N') if !self.is_in_function() && self.source.fixed.is_none() => self.own_file(),
                _ => Held::Unset,
            };
            let Held::One(Val::Known(value)) = held else { return unknown };
            out.extend_from_slice(&value);
            rest = rest.get(at + 2..).unwrap_or_default();
        }
        out.extend_from_slice(rest);
        // `!` has a meaning there by an option.
        if out.contains(&b'!') { unknown } else { Val::Known(out.into()) }
    }

    /// What a table of the shell's says by a key; `None` if a name is none.
    fn by_key(&mut self, name: &[u8], key: &[Part]) -> Option<Expanded<Held>> {
        if let Some(table) = self.table(name) {
            return Some(self.table_item(&table, key));
        }
        self.item_of_shell(name, key)
    }

    /// Takes a pattern apart.
    pub(super) fn pattern_of(&mut self, word: &Word) -> Option<Pattern> {
        debug_assert!(self.dialect == Dialect::Zsh);
        let (bytes, quoted) = self.pattern_text(word, false).ok()?;
        let groups = self.groups(&bytes, false).ok()?;
        self.pattern(&bytes, &quoted, groups).ok()
    }
}

/// What a text is split into: of one part it is a text again, no list.
fn words_of(mut words: Vec<Val>) -> Values {
    match words.len() {
        0 => Values::One(Val::of(b"")),
        1 => Values::One(words.remove(0)),
        _ => Values::Many(words),
    }
}

/// What is left of items that stand without quotes.
fn without_empty(values: Values, quoted: bool) -> Values {
    match values {
        Values::Many(items) if !quoted => Values::Many(items.into_iter().filter(|v| v.is_empty() != Some(true)).collect()),
        values => values,
    }
}

fn held_of(values: Values) -> Held {
    match values {
        Values::One(value) => Held::One(value),
        Values::Many(values) => Held::Many(values),
    }
}

/// A text with another in the place of a third.
fn swapped(text: &Bytes, from: &[u8], to: &[u8], is_all: bool) -> Bytes {
    let mut out = Vec::new();
    let mut rest: &[u8] = text;
    while let Some(at) = memchr::memmem::find(rest, from) {
        out.extend_from_slice(rest.get(..at).unwrap_or_default());
        out.extend_from_slice(to);
        rest = rest.get(at + from.len()..).unwrap_or_default();
        if !is_all {
            break;
        }
    }
    out.extend_from_slice(rest);
    out.into()
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::Zsh;
    use crate::shell::trial::hold;

    #[test]
    fn what_zsh_makes_of_values_by_its_own_signs() {
        hold(&[
            (&[Zsh], "V='a b c'; R=${(U)V}; X=${(L)R}", ["A B C", "a b c"]),
            (&[Zsh], "V='one two'; R=${(C)V}; X=${#${(z)V}}", ["One Two", "<unknown>"]),
            (&[Zsh], "L=(b a c); R=${(j:,:)L}; X=\"${(o)L}\"", ["b,a,c", "b a c"]),
            (&[Zsh], "L=(b a c); R=\"${(O)L}\"; X=\"${(Oa)L}\"", ["b a c", "b a c"]),
            (&[Zsh], "V=a:b:c; L=(${(s.:.)V}); R=$#L; X=$L[2]", ["3", "b"]),
            (&[Zsh], "V=$'a\\nb'; L=(${(f)V}); R=$#L; X=$L[2]", ["2", "b"]),
            (&[Zsh], "L=(a b a); R=\"${(u)L}\"; X=${#${(u)L}}", ["a b a", "2"]),
            (&[Zsh], "N=V; V=deep; R=${(P)N}; X=${${(P)N}#d}", ["deep", "eep"]),
            (&[Zsh], "R=${${:-abc}#a}; X=${${:-a b}% b}", ["bc", "a"]),
            (&[Zsh], "V=/a/b.c; R=${V:t}; X=${V:h}", ["b.c", "/a"]),
            (&[Zsh], "V=/a/b.c; R=${V:r}; X=${V:e}", ["/a/b", "c"]),
            (&[Zsh], "V=abc; R=${V[1]}; X=${V[-1]}", ["a", "c"]),
            (&[Zsh], "V=abcdef; R=${V[2,3]}; X=${V[2,-2]}", ["bc", "bcde"]),
            (&[Zsh], "L=(a b c); R=$L[2,3]; X=\"${L[@]:1:1}\"", ["b c", "b"]),
            (&[Zsh], "L=(a b c); R=$L[(i)b]; X=$L[(r)c*]", ["2", "c"]),
            (&[Zsh], "L=(a b c); R=$L[(i)z]; X=${#L}", ["4", "3"]),
            (&[Zsh], "L=(ab ac b); R=\"${L:#a*}\"; X=\"${(M)L:#a*}\"", ["", "ab ac b"]),
            (&[Zsh], "V=abcabc; R=${V/b/x}; X=${V//b/x}", ["axcabc", "axcaxc"]),
            (&[Zsh], "V=abc; R=${(l:5:)V}; X=${(r:5:)V}.", ["  abc", "abc  ."]),
            (&[Zsh], "V=abc; R=${(l:5::0:)V}; X=${(l:2:)V}", ["00abc", "bc"]),
            (&[Zsh], "R=${(q):-a b}; X=${(qq):-a b}", ["a\\ b", "'a b'"]),
            (&[Zsh], "V=\"a\\ b\"; R=${(Q)V}; X=${(Q):-'x'}", ["<unknown>", "x"]),
            (&[Zsh], "V=x; R=${+V}; X=${+W}", ["1", "0"]),
            (&[Zsh], "V=; R=${V:-d}; X=${V-d}", ["d", ""]),
            (&[Zsh], "L=(a '' b); R=$#L; X=${#${(@)L:#}}", ["3", "2"]),
            (&[Zsh], "L=(a b); R=\"x${^L}y\"; set -- x${^L}y; X=$#", ["xa by", "2"]),
            (&[Zsh], "typeset -A T; T=(k v); R=$T[k]; X=${(k)T}", ["v", "k"]),
            (&[Zsh], "typeset -A T; T=(k v); R=${(v)T}; X=${#T}", ["v", "1"]),
            (&[Zsh], "V=a:b; R=${V%%:*}; X=${V##*:}", ["a", "b"]),
            (&[Zsh], "V='a  b'; set -- ${=V}; R=$#; X=$2", ["2", "b"]),
            (&[Zsh], "V='*'; R=${V}; X=${#${~V}}", ["*", "1"]),
            (&[Zsh], "L=(1 10 2); R=\"${(n)L}\"; X=\"${(On)L}\"", ["<unknown>", "<unknown>"]),
            (&[Zsh], "V=abc; R=${V:u}; X=${(U)V[1]}${V[2,-1]}", ["ABC", "Abc"]),
            (&[Zsh], "V=a,b; R=${V/,/ }; X=${(j.+.)${(s.,.)V}}", ["a b", "a+b"]),
        ]);
    }
}
