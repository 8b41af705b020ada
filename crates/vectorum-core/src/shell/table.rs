//! Tables by words: `declare -A` of bash, `typeset -A` of zsh.

use std::collections::BTreeMap;
use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::expand::{Expanded, Mode, Values};
use super::machine::Machine;
use super::parameter::Held;
use super::reference::OWN_SHAPE;
use super::syntax::{Dialect, Part, Parts, Text, Word};
use super::value::{Maybe, Val};

/// Why it is not known in which order a shell goes through a table.
const ORDER: &str = "the order of a table";

/// What each key stands for.
pub(super) type Table = BTreeMap<Bytes, Val>;

impl Machine<'_> {
    /// A table, if a name holds one that is known.
    pub(super) fn table(&self, name: &[u8]) -> Option<Arc<Table>> {
        match self.content_of(name) {
            Content::Table(table) => Some(table),
            _ => None,
        }
    }

    /// Returns what a table holds under a key.
    pub(super) fn table_item(&mut self, table: &Table, key: &[Part]) -> Expanded<Held> {
        let key = self.table_key(key)?;
        Ok(table.get(&key).map_or(Held::Unset, |value| Held::One(value.clone())))
    }

    /// The word that a key is.
    pub(super) fn table_key(&mut self, key: &[Part]) -> Expanded<Bytes> {
        match self.one(key, Mode::One) {
            // bash has no key that is empty.
            Val::Known(key) if key.is_empty() && self.dialect == Dialect::Bash => {
                let doubt = self.doubt("an empty key of a table");
                self.fail_or_go_on(&doubt);
                Err(doubt)
            }
            Val::Known(key) => Ok(key),
            Val::Unknown(unknown) => {
                if self.dialect == Dialect::Bash && !unknown.is_filled {
                    self.fail_or_go_on(&unknown.doubt);
                }
                Err(unknown.doubt)
            }
        }
    }

    /// A table where no key is asked for: in bash the word `0` is, in zsh all that it holds.
    pub(super) fn whole_table(&mut self, table: &Table, is_counted: bool) -> Held {
        match self.dialect {
            Dialect::Bash => table.get(&b"0"[..]).map_or(Held::Unset, |value| Held::One(value.clone())),
            _ => self.all_of_table(table, is_counted),
        }
    }

    /// All that a table holds, in an order of the shell's own.
    pub(super) fn all_of_table(&mut self, table: &Table, is_counted: bool) -> Held {
        if table.len() > 1 && !is_counted {
            return Held::Unknown(self.doubt(ORDER));
        }
        Held::Many(table.values().cloned().collect())
    }

    /// The keys of a table.
    pub(super) fn table_keys(&mut self, table: &Table, is_one: bool) -> Expanded<Values> {
        if table.len() > 1 || is_one {
            let doubt = self.doubt(ORDER);
            return if is_one { Ok(Values::One(Val::unknown(doubt))) } else { Err(doubt) };
        }
        Ok(Values::Many(table.keys().cloned().map(Val::Known).collect()))
    }

    /// Keys and values of a table as a flag of zsh's asks for them.
    pub(super) fn table_words(&mut self, name: &[u8], asked: (bool, bool), in_any_order: bool) -> Expanded<Held> {
        let Some(table) = self.table(name) else { return Err(self.doubt(OWN_SHAPE)) };
        let words: Vec<Val> = match asked {
            (true, true) => table.iter().flat_map(|(key, value)| [Val::Known(key.clone()), value.clone()]).collect(),
            (true, false) => table.keys().cloned().map(Val::Known).collect(),
            _ => table.values().cloned().collect(),
        };
        if table.len() > 1 && (!in_any_order || asked == (true, true)) {
            return Err(self.doubt(ORDER));
        }
        Ok(Held::Many(words))
    }

    /// The words of `NAME=( … )` as a table: in zsh keys and values by turns, in both `[KEY]=VALUE`.
    pub(super) fn table_of(&mut self, words: &[Word], mut table: Table) -> Option<Table> {
        // A tilde counts behind a colon, too, there.
        let has_tilde = |p: &Part| matches!(p, Part::Text(t) if memchr::memmem::find(t, b":~").is_some());
        if words.iter().any(|word| word.parts.iter().any(has_tilde)) {
            return None;
        }
        let mut plain: Vec<Val> = Vec::new();
        for word in words {
            match self.keyed_word(word)? {
                Some((key, value)) => drop(table.insert(key, value)),
                // bash takes such since version 5.1 only.
                None if self.dialect == Dialect::Zsh => plain.extend(self.fields(std::slice::from_ref(word)).ok()?),
                None => return None,
            }
        }
        // One without a value is an error.
        let mut pairs = plain.chunks_exact(2);
        for pair in &mut pairs {
            let [Val::Known(key), value] = pair else { return None };
            table.insert(key.clone(), value.clone());
        }
        if !pairs.remainder().is_empty() {
            self.fail_hard();
            return None;
        }
        Some(table)
    }

    /// `[KEY]=VALUE`; `Some(None)` for another word, `None` for one that is not followed.
    fn keyed_word(&mut self, word: &Word) -> Option<Option<(Bytes, Val)>> {
        let Some(Part::Text(first)) = word.parts.first() else { return Some(None) };
        let Some(first) = first.strip_prefix(b"[") else { return Some(None) };
        let text_of = |at: usize| match word.parts.get(at) {
            _ if at == 0 => Some(first),
            Some(Part::Text(text)) => Some(&text[..]),
            _ => None,
        };
        // The key goes up to the first bracket that is not quoted and has a value behind it.
        let find = |at: usize| Some((at, memchr::memmem::find(text_of(at)?, b"]=")?));
        let (end, close) = (0..word.parts.len()).find_map(find)?;
        let mut key = Parts::new();
        for (at, part) in word.parts.iter().enumerate().take(end + 1) {
            let Some(text) = text_of(at) else {
                key.push(part.clone());
                continue;
            };
            let text = if at == end { text.get(..close)? } else { text };
            if text.iter().any(|b| b"[]*?\\~=".contains(b)) {
                return None;
            }
            if !text.is_empty() {
                key.push(Part::Text(Text::of(text)));
            }
        }
        let Val::Known(key) = self.one(&key, Mode::One) else { return None };
        let value = text_of(end)?.get(close + 2..)?;
        // Which tildes count there is each shell's own affair; an empty key is an error in bash.
        if value.contains(&b'~') || key.is_empty() {
            return None;
        }
        let mut parts = Parts::new();
        if !value.is_empty() {
            parts.push(Part::Text(Text::of(value)));
        }
        parts.extend(word.parts.iter().skip(end + 1).cloned());
        Some(Some((key, self.one(&parts, Mode::Assigned))))
    }

    /// `-v NAME[KEY]`: whether a table has a key.
    pub(super) fn has_key(&self, text: &[u8]) -> Maybe {
        let found = memchr::memchr(b'[', text).and_then(|at| {
            let key = text.get(at + 1..)?.strip_suffix(b"]")?;
            let table = self.table(text.get(..at)?)?;
            let is_plain = !key.is_empty() && !key.iter().any(|b| b"@*[]$`'\"\\".contains(b));
            is_plain.then(|| table.contains_key(key))
        });
        found.ok_or_else(|| self.doubt("a subscript"))
    }

    /// `unset NAME[KEY]`: the table without the key.
    pub(super) fn without_key(&self, text: &[u8]) -> Option<Content> {
        let at = memchr::memchr(b'[', text)?;
        let key = text.get(at + 1..)?.strip_suffix(b"]")?;
        let mut table = Table::clone(&*self.table(text.get(..at)?)?);
        if key.is_empty() || key.iter().any(|b| b"@*[]$`'\"\\".contains(b)) {
            return None;
        }
        table.remove(key);
        Some(Content::Table(Arc::new(table)))
    }

    /// Sets what a table holds under a key; returns the table as it is then.
    pub(super) fn with_item(&mut self, table: &Arc<Table>, key: &[Part], value: Val) -> Option<Content> {
        let key = self.table_key(key).ok()?;
        self.steps.count(table.len());
        let mut table = Table::clone(table);
        table.insert(key, value);
        Some(Content::Table(Arc::new(table)))
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn tables_are_read_and_set_by_words() {
        hold(&[
            (&[Bash, Zsh], "typeset -A m; k=q; m[$k]=1; R=${m[q]}; X=${#m[@]}", ["1", "1"]),
            (&[Bash], "declare -A m; m[\"a b\"]=1; m['c d']=2; R=${m[a b]}${m[\"c d\"]}; X=${#m[@]}", ["12", "2"]),
            (&[Bash], "declare -A m=([a]=1 [\"b c\"]=2); R=${m[b c]}; X=${m[d]-none}", ["2", "none"]),
            (&[Zsh], "typeset -A m=(a 1 b 2); R=$m[b]; X=${+m[c]}", ["2", "0"]),
            (&[Bash, Zsh], "typeset -A m; m[a]=1; m[a]+=2; R=${m[a]}", ["12", "none"]),
            (&[Bash, Zsh], "typeset -A m; m[a]=1; unset 'm[a]'; R=${#m[@]}; X=${m[a]-gone}", ["0", "gone"]),
            (&[Bash], "declare -A m; m[0]=z; R=$m; m=(); X=${#m[@]}", ["z", "0"]),
            (&[Bash], "declare -A m; printf -v 'm[k]' v; read 'm[l]' <<< w; R=${m[k]}${m[l]}", ["vw", "none"]),
            (&[Bash, Zsh], "typeset -A m; m[a]=1; tide-now && m[a]=2; R=${m[a]}; X=1", ["<unknown>", "1"]),
        ]);
    }
}
