//! Items of lists and tables: where they are, and how they are set.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::{Failure, Number, may_assign};
use super::content::{Content, Var};
use super::machine::Machine;
use super::parameter::Held;
use super::setting::sets_something;
use super::state::Status;
use super::syntax::*;
use super::value::Val;
use super::variables::is_decimal;

/// Why it is not known what an item is.
pub(super) const NO_SUCH_INDEX: &str = "an index that no list has";

/// So many items a list of ksh's has at most (ksh(1), «Arrays»).
const MOST_ITEMS: i64 = 1 << 22;

impl Machine<'_> {
    /// `NAME[KEY]=WORD`.
    pub(super) fn set_item(&mut self, assignment: &Assignment, key: &[Part], word: &Word) -> bool {
        let doubt = self.doubt("an item of a list");
        // What is held fast may be set to nothing all the same.
        if self.dialect == Dialect::Ksh && self.is_readonly(&assignment.name) {
            self.doubt_from_here(&assignment.name);
        }
        // Its place is worked out first there.
        if self.dialect == Dialect::Ksh && sets_something(key) {
            self.doubt_items(std::slice::from_ref(word), &doubt);
            self.doubt_place(key, &doubt);
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(&assignment.name);
            return true;
        }
        let passed_over = self.passed_over;
        let value = self.assigned_word(word);
        if self.passed_over != passed_over {
            self.doubt_from_here(&assignment.name);
            return true;
        }
        // Its place is worked out once.
        let once = self.worked_out_once(key);
        let key = once.as_deref().unwrap_or(key);
        if assignment.adds && key.iter().any(|p| matches!(p, Part::Text(t) | Part::Quoted(t) if may_assign(t))) {
            drop(self.sum(key));
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(&assignment.name);
            return true;
        }
        let value = if assignment.adds { self.with_more(&assignment.name, key, value) } else { value };
        self.put_item(&assignment.name, key, value)
    }

    /// A place with those of its parts worked out that set something, if there are any.
    fn worked_out_once(&mut self, key: &[Part]) -> Option<Vec<Part>> {
        let sets = |part: &Part| !matches!(part, Part::Text(_) | Part::Quoted(_)) && sets_something(std::slice::from_ref(part));
        // Those of ksh are doubted as they are.
        if self.dialect == Dialect::Ksh || !key.iter().any(sets) {
            return None;
        }
        let mut work_out = |part: &Part| match self.one_text(std::slice::from_ref(part)) {
            Val::Known(text) => Part::Text(Text::of(&text)),
            Val::Unknown(text) => Part::Unfollowed(text.doubt.why),
        };
        Some(key.iter().map(|part| if sets(part) { work_out(part) } else { part.clone() }).collect())
    }

    /// `NAME[KEY]=(WORDS)`: zsh exchanges a part of a list, ksh makes a list of an item, and the others take none (measured:
    /// bash 5.2, R59, 93u+m, 5.9).
    pub(super) fn set_item_to_list(
        &mut self,
        assignment: &Assignment,
        key: &[Part],
        words: &[Word],
        exported: Option<bool>,
    ) -> bool {
        const WHY: &str = "a part of a list";
        match self.dialect {
            // The words are not looked at.
            Dialect::Bash => {
                self.fail_hard();
                return true;
            }
            Dialect::Mksh | Dialect::Dash => {
                self.fail_perhaps("an item that is set to a list");
                return true;
            }
            Dialect::Ksh | Dialect::Zsh => {}
        }
        // There the words come first, and may set what the place hangs on.
        if self.dialect == Dialect::Zsh && !key.iter().all(is_number) && words.iter().any(|word| sets_something(&word.parts)) {
            let doubt = self.doubt(WHY);
            self.doubt_items(words, &doubt);
            self.doubt_place(key, &doubt);
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(&assignment.name);
            return true;
        }
        let once = self.worked_out_once(key);
        let key = once.as_deref().unwrap_or(key);
        if self.is_before_first(key) {
            self.doubt_items(words, &self.doubt(NO_SUCH_INDEX));
            self.doubt_from_here(&assignment.name);
            self.fail_hard();
            return true;
        }
        // There its place is worked out first, and may be wrong.
        let is_number = |part: &Part| matches!(part, Part::Text(text) if text.iter().all(u8::is_ascii_digit));
        let is_readonly = self.is_readonly(&assignment.name);
        let may_fail = is_readonly || words.iter().any(|word| self.may_be_an_error(&word.parts));
        if self.dialect == Dialect::Ksh && (may_fail || !key.iter().all(is_number)) {
            let doubt = self.doubt(WHY);
            self.fail_or_go_on(&doubt);
            if may_fail || sets_something(key) {
                self.doubt_items(words, &doubt);
                self.doubt_place(key, &doubt);
                self.doubt_from_here(&assignment.name);
                return true;
            }
        }
        let new = self.fields(words);
        if !assignment.adds
            && let Ok(new) = &new
            && let Some(content) = self.exchanged(&assignment.name, key, new, true)
        {
            return self.assign_to(&assignment.name, content, exported);
        }
        if key.is_empty() || key.iter().any(|part| !matches!(part, Part::Sum(_))) {
            drop(self.sum(key));
            self.fail_or_go_on(&self.doubt(WHY));
        }
        let Some(state) = &mut self.live else { return true };
        state.vars.get_or_insert_with(&assignment.name, Var::unset).may_be_list = true;
        let done = self.assign_to(&assignment.name, Content::Perhaps(Val::unknown(self.doubt(WHY))), exported);
        self.note_may_be_list(&assignment.name);
        done
    }

    /// An item of a list or a table with more behind it: `NAME[KEY]+=…`.
    fn with_more(&mut self, name: &[u8], key: &[Part], more: Val) -> Val {
        let key = Some(key.to_vec());
        let held = self.parameter_content(&Parameter {
            name: Bytes::copy_from_slice(name),
            key,
            change: Change::None,
            is_indirect: false,
        });
        let is_number = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_number);
        match (held, more) {
            (Ok(Held::Unset), more) if !is_number && self.dialect == Dialect::Bash => more,
            (Ok(Held::One(Val::Known(old))), Val::Known(more)) if !is_number => Val::of([&old[..], &more].concat()),
            _ => Val::unknown(self.doubt("an item of a list")),
        }
    }

    /// Whether a subscript says a place before the first item, which is none in zsh: one of numbers and names alone, which
    /// changes nothing where it is worked out.
    fn is_before_first(&mut self, key: &[Part]) -> bool {
        let is_plain = |text: &[u8]| {
            text.iter().all(|b| b.is_ascii_alphanumeric() || b"_-".contains(b)) && memchr::memmem::find(text, b"--").is_none()
        };
        if !self.is_own_zsh() || self.expands_otherwise() {
            return false;
        }
        match key {
            // A part from there is one from the first item on.
            [Part::Text(text) | Part::Quoted(text)] if text.starts_with(b"0,") => text[..] == b"0,0"[..],
            [Part::Text(text) | Part::Quoted(text)] => is_plain(text) && self.sum_in_word(key) == Ok(0),
            _ => false,
        }
    }

    /// The number of an item of a list. What is quoted is none in some shells.
    ///
    /// # Errors
    /// If it is not known.
    pub(super) fn index_of(&mut self, key: &[Part]) -> Number {
        // Nothing is no number in these.
        if key.is_empty() && matches!(self.dialect, Dialect::Bash | Dialect::Zsh) {
            self.fail_hard();
            return Err(self.doubt("an index that is empty"));
        }
        if key.is_empty() {
            return Err(self.doubt("an index that is empty"));
        }
        if key.iter().any(|part| matches!(part, Part::Double(_))) {
            let doubt = self.doubt("an index in quotes");
            match self.dialect {
                Dialect::Bash => self.fork(&doubt, Self::fail_to_top, Self::fail_hard),
                Dialect::Mksh => self.fail_or_go_on(&doubt),
                Dialect::Dash | Dialect::Ksh | Dialect::Zsh => return self.sum_in_word(key),
            }
            return Err(doubt);
        }
        // Nor is what is empty one there.
        if self.dialect == Dialect::Zsh && self.one_text(key).known().is_some_and(|text| text.trim_ascii().is_empty()) {
            self.fail_hard();
            return Err(self.doubt("an index that is empty"));
        }
        let summed = self.sum(key);
        let index = match (&summed.failure, self.dialect) {
            (Failure::Yes, Dialect::Bash) => {
                self.fail_to_top();
                summed.value
            }
            (Failure::Perhaps(doubt), Dialect::Bash) => {
                self.fork(doubt, Self::fail_to_top, |_| {});
                summed.value
            }
            _ => self.settle_in_word(summed),
        };
        match (&index, self.dialect) {
            (Err(doubt), Dialect::Ksh) => self.exit_or_go_on(&doubt.clone()),
            // Signs that are none of a sum's, such as quotes.
            (Err(doubt), Dialect::Zsh) => self.fail_or_go_on(&doubt.clone()),
            _ => {}
        }
        // There it is out of any list's range (measured: 93u+m).
        if self.dialect == Dialect::Ksh && index.as_ref().is_ok_and(|index| *index >= MOST_ITEMS) {
            self.exit_or_go_on(&self.doubt(NO_SUCH_INDEX));
        }
        index
    }

    /// The place of an item that a text names, as in `read 'NAME[PLACE]'`: in bash one that is no sum gives up as one in an
    /// assignment does.
    pub(super) fn doubt_place_named(&mut self, item: &[u8]) {
        let Some(at) = memchr::memchr(b'[', item).filter(|_| self.dialect == Dialect::Bash) else { return };
        let place = item.get(at + 1..).unwrap_or_default();
        let place = place.strip_suffix(b"]").unwrap_or(place);
        let is_number = |text: &[u8]| text.iter().all(u8::is_ascii_digit);
        let is_number = is_number(place.strip_prefix(b"-").unwrap_or(place)) || matches!(place, b"@" | b"*");
        let is_plain = is_number || crate::reader::is_portable(place) && self.holds_plain_number(place);
        if !is_plain && self.table(item.get(..at).unwrap_or_default()).is_none() {
            self.fail_far_or_go_on(&self.doubt("an item of a list"));
        }
    }

    /// Sets one item of a list.
    pub(super) fn put_item(&mut self, name: &[u8], key: &[Part], value: Val) -> bool {
        if let Some(table) = self.table(name) {
            let doubt = self.doubt("a table by words");
            let content = self.with_item(&table, key, value).unwrap_or(Content::Perhaps(Val::unknown(doubt)));
            return self.assign(name, content, None);
        }
        let may_be_table = |var: &Var| var.is_odd || matches!(var.content, Content::Perhaps(_));
        // A key is worked out as a place where it is no table.
        let is_unclear = |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| may_be_table(&var));
        if self.is_own_zsh() && !key.iter().all(is_number) && is_unclear(self) {
            let doubt = self.doubt("whether it is a table or a list is not known");
            self.doubt_place(key, &doubt);
            self.fail_or_go_on(&doubt);
            return self.assign(name, Content::Perhaps(Val::unknown(doubt)), None);
        }
        if self.is_before_first(key) {
            if !is_unclear(self) {
                // It is set to nothing before that.
                if matches!(self.content_of(name), Content::Unset) {
                    self.doubt_from_here(name);
                }
                self.fail_hard();
                return true;
            }
            self.fail_or_go_on(&self.doubt("whether it is a table or a list is not known"));
        }
        if let Some(content) = self.exchanged(name, key, std::slice::from_ref(&value), false) {
            return self.assign(name, content, None);
        }
        // Of a part whose places are not numbers nothing is told.
        let is_part = self.is_own_zsh() && self.one_text(key).known().is_none_or(|text| text.contains(&b','));
        if is_part && key.iter().any(|part| !matches!(part, Part::Sum(_))) {
            let doubt = self.doubt("a part of a list");
            // Its ends are sums, which may set names.
            drop(self.sum(key));
            self.fail_or_go_on(&doubt);
            return self.assign(name, Content::Perhaps(Val::unknown(doubt)), None);
        }
        // The key of a table is no number, and none is empty in bash.
        let is_odd = self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|v| v.is_odd);
        if is_odd && self.dialect == Dialect::Bash {
            let _ = self.table_key(key);
        }
        // There it is set to nothing first, and a place may be wrong.
        if self.is_own_zsh() && !key.iter().all(is_number) && matches!(self.content_of(name), Content::Unset) {
            self.doubt_from_here(name);
        }
        if is_odd && self.dialect != Dialect::Bash {
            let doubt = self.doubt("an item of a list");
            self.doubt_place(key, &doubt);
            if self.dialect == Dialect::Mksh && !key.iter().all(is_number) {
                self.fail_or_go_on(&doubt);
            }
        }
        let index = if is_odd { None } else { Some(self.index_of(key)) };
        // It may be before the first of all.
        if let (Some(Err(doubt)), Dialect::Bash) = (&index, self.dialect) {
            self.fail_far_or_go_on(doubt);
        }
        let index = index.and_then(Result::ok);
        // There is none before the first.
        let is_odd_place = self.expands_otherwise() && !key.iter().all(is_number);
        if self.is_own_zsh() && (index == Some(0) || is_odd_place) {
            self.fail_or_go_on(&self.doubt(NO_SUCH_INDEX));
        }
        let length = match self.content_of(name) {
            Content::Array(items) => items.len() as i64,
            // There a text has none before its end.
            Content::Set(_) => i64::from(self.dialect != Dialect::Ksh),
            Content::Unset => 0,
            _ => i64::MAX,
        };
        // Before the first of all there is none (measured: bash 5.2, 93u+m).
        let may_be_none = |index: i64| index < 0 && (index + length < 0 || length == i64::MAX && self.dialect == Dialect::Ksh);
        if index.is_some_and(may_be_none) {
            match self.dialect {
                Dialect::Bash if length > 0 => {
                    self.fail_hard();
                    return true;
                }
                Dialect::Bash => self.fail_or_go_on(&self.doubt(NO_SUCH_INDEX)),
                // Or the last one of a pipeline.
                Dialect::Ksh => {
                    let doubt = self.doubt(NO_SUCH_INDEX);
                    self.exit_or_go_on(&doubt);
                    self.fail_or_go_on(&doubt);
                    self.outputs += 1;
                    self.output_status = Status::Unknown(doubt);
                }
                _ => {}
            }
        }
        // There they are counted from 1.
        let first = i64::from(self.is_own_zsh());
        let index = index.and_then(|n| usize::try_from(n - first).ok()).filter(|_| !self.expands_otherwise());
        // There what is no number is an error of a name that holds one.
        let holds_number = |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| var.is_number);
        let is_plain = self.dialect == Dialect::Mksh && value.known().is_some_and(|text| is_decimal(text));
        if matches!(self.dialect, Dialect::Ksh | Dialect::Mksh) && !is_plain && holds_number(self) {
            self.fail_or_go_on(&self.doubt("a variable that holds a number"));
        }
        let old = match self.content_of(name) {
            Content::Array(values) => Some(values.to_vec()),
            Content::Unset if self.dialect != Dialect::Zsh => Some(Vec::new()),
            // A text is the first item of a list.
            Content::Set(text) if self.dialect != Dialect::Zsh => Some(vec![text]),
            _ => None,
        };
        let content = match (index, old) {
            (Some(index), Some(mut values)) if index <= values.len() => {
                self.steps.count(values.len());
                if index == values.len() {
                    values.push(value);
                } else if let Some(item) = values.get_mut(index) {
                    *item = value;
                }
                Content::Array(Arc::new(values))
            }
            _ => Content::Perhaps(Val::unknown(self.doubt("an item of a list"))),
        };
        self.assign_list(name, content, None)
    }
}

/// Whether a part of a place is a number as it stands.
fn is_number(part: &Part) -> bool {
    matches!(part, Part::Text(text) | Part::Quoted(text) if text.iter().all(u8::is_ascii_digit))
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn items_of_lists_are_set() {
        hold(&[
            (&[Bash, Ksh, Mksh], "X=(a b); X[1]=c; X[2]=d; R=${X[*]}", ["a c d", "a"]),
            (&[Zsh], "X=(a b); X[1]=c; X[3]=d; R=\"$X\"", ["c b d", "c b d"]),
            // A place that is no sum gives up the outermost file, whatever that takes in.
            (&[Bash], "X=1; eval 'l[1/0]=2; X=in'; X=on\nR=$?", ["none", "1"]),
            (&[Bash], "X=1; eval 'X=$((1/0)); X=in'; X=on\nR=$?", ["0", "on"]),
            (&[Bash], "X=1; l[1]=(${R:=a}); X=on\nR=$?$R", ["1", "1"]),
            (&[Bash, Ksh, Mksh], "X=(a b); i=0; X[i]=c; X[i+1]+=d; R=${X[*]}", ["c bd", "c"]),
            (&[Bash, Ksh], "X=(a b); X[\"1\"]=c; R=${X[*]}", ["a c", "a"]),
            (&[Bash, Ksh, Mksh], "X=(a); X+=(b c); R=${#X[@]}", ["3", "a"]),
            (&[Zsh], "X=(a); X+=(b c); R=${#X[@]}", ["3", "a b c"]),
            (&[Bash, Ksh, Mksh], "X=a; X[1]=b; R=${X[*]}", ["a b", "a"]),
            (&[Zsh], "X=(1 2 3); X[2,3]=(z); R=\"$X\"", ["1 z", "1 z"]),
            (&[Zsh], "X=(1 2 3); X[1,0]=(z); R=\"$X\"", ["z 1 2 3", "z 1 2 3"]),
            (&[Bash], "X=([2]=c [0]=a); R=${#X[@]}", ["<unknown>", "<unknown>"]),
        ]);
    }

    #[test]
    fn places_that_set_something_are_worked_out_once() {
        hold(&[
            (&[Bash, Mksh], "R=0; L=(a b); L[$((R+=1))]=c; X=${L[1]}", ["1", "c"]),
            (&[Zsh], "R=0; L=(a b); L[$((R+=1))]=c; X=$L[1]", ["1", "c"]),
            (&[Bash, Mksh], "R=0; L=(a b); L[$((R+=1))]+=c; X=1", ["1", "1"]),
        ]);
    }
}
