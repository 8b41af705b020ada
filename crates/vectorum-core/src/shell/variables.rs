//! The variables of a shell: what a name holds, what setting it does, and the names that have a meaning
//! of their own.

use std::sync::Arc;

use bytes::Bytes;

use super::arithmetic::Failure;
use super::content::{Content, Var};
use super::held::MAY_BE_HELD;
use super::hooks::is_hook_list;
use super::initial::SET_BY_SHELL;
use super::machine::{Assigned, LONGEST, Machine};
use super::nameref::Meant;
use super::options::names::is_one_of;
use super::parameter::UNSET_IS_ERROR;
use super::parse::{is_name, is_name_start};
use super::special::{FREELY_SET, NUMBERS, is_kept};
use super::syntax::*;
use super::ties::Tie;
use super::value::{Doubt, Val};
use super::vars::{For, Stored};

/// Where zsh and ksh look for functions that they load.
pub(super) const FUNCTION_PATH: &[u8] = b"FPATH";

/// Whether a variable holds what the shell says of itself, which is not known before it is looked for.
fn is_told_by_shell(content: &Content) -> bool {
    let is_own = |value: &Val| matches!(value, Val::Unknown(unknown) if unknown.doubt.why == SET_BY_SHELL);
    match content {
        Content::Set(value) => is_own(value),
        Content::Array(values) => values.first().is_some_and(is_own),
        _ => false,
    }
}

/// Names of zsh's for one text.
const PROMPTS: [&[&str]; 4] = [&["PS1", "PROMPT", "prompt"], &["PS2", "PROMPT2"], &["PS3", "PROMPT3"], &["PS4", "PROMPT4"]];

/// Names that zsh itself means something by, which stay exported where they are unset, for when they are set again (measured: 5.9).
const KEPT_BY_ZSH: &str = "CDPATH FIGNORE FPATH HOME LANG LC_ALL LC_COLLATE LC_CTYPE LC_MESSAGES LC_NUMERIC LC_TIME MAILPATH \
    MANPATH NULLCMD PATH PROMPT PROMPT2 PROMPT3 PROMPT4 PS1 PS2 PS3 PS4 PSVAR READNULLCMD RPROMPT RPS1 RPROMPT2 RPS2 SPROMPT TERM \
    TERMINFO TERMINFO_DIRS WORDCHARS prompt";

impl Machine<'_> {
    /// Returns what a name holds.
    pub(super) fn content_of(&self, name: &[u8]) -> Content {
        let Some(state) = &self.live else { return Content::Unset };
        if self.is_arguments(name) {
            return self.arguments();
        }
        if state.has_references {
            match self.meant(name) {
                Meant::Itself => {}
                Meant::Other(other) => return self.content_of(&other),
                Meant::Unclear => return Content::Perhaps(Val::unknown(self.doubt("a name that stands for another"))),
            }
        }
        if let Some(tie) = self.tie_of(name) {
            if !tie.is_sure {
                return Content::Perhaps(Val::unknown(self.doubt("whether a list is tied to a text")));
            }
            let var = state.vars.get(&tie.text);
            // One that is handed in has one, too.
            let has_item = var.as_ref().is_some_and(|var| var.has_empty_item || var.site.is_none() && var.exported == Some(true));
            return match var.map(|v| v.content.clone()) {
                Some(Content::Set(Val::Known(text))) if text.is_empty() && !has_item => Content::Array(Arc::new(Vec::new())),
                Some(Content::Set(Val::Known(text))) => {
                    Content::Array(Arc::new(text.split(|b| *b == tie.separator).map(Val::of).collect()))
                }
                Some(Content::Unset) => Content::Unset,
                None => Content::Array(Arc::new(Vec::new())),
                Some(other) => match other.value() {
                    Some(Val::Unknown(doubt)) => Content::Perhaps(Val::Unknown(doubt)),
                    _ => Content::Unset,
                },
            };
        }
        // Who runs it stays so until one of these is set, and then nothing is known.
        let is_constant = self.dialect == Dialect::Zsh && matches!(name, b"UID" | b"EUID" | b"GID" | b"EGID" | b"USERNAME");
        let is_moving = |var: &Var| self.is_special(name) && self.dialect != Dialect::Dash && !var.readonly && !is_constant;
        match state.vars.get(name) {
            Some(var) if is_moving(&var) => match &var.content {
                content if is_kept(self.dialect, name, content) => content.clone(),
                Content::Unset => Content::Unset,
                Content::Perhaps(_) if var.site.is_none() && self.dialect == Dialect::Ksh => {
                    Content::Perhaps(Val::unknown(self.doubt("the shell sets this variable by itself")))
                }
                _ if self.dialect == Dialect::Zsh && NUMBERS.contains(&name) => {
                    Content::Set(self.doubt("the shell changes this variable by itself").number())
                }
                _ => Content::Set(Val::unknown(self.doubt("the shell changes this variable by itself"))),
            },
            Some(var) if var.site.is_none() && is_told_by_shell(&var.content) => {
                self.told_of_version(name).unwrap_or_else(|| var.content.clone())
            }
            Some(var) => var.content.clone(),
            // This one is there only where it was handed in, or set.
            None if self.is_special(name) && !matches!(name, b"POSIXLY_CORRECT" | b"OPTARG") => {
                Content::Perhaps(Val::unknown(self.doubt("the shell sets this variable by itself")))
            }
            None => match &state.open {
                Some(doubt) => Content::Perhaps(Val::unknown(doubt.clone())),
                None => Content::Unset,
            },
        }
    }

    /// Sets a name as an assignment does. `exported` says otherwise than `set -a` does. Returns whether
    /// it could be set.
    pub(super) fn assign(&mut self, name: &[u8], content: Content, exported: Option<bool>) -> bool {
        let name = self.live.as_ref().map_or_else(Bytes::new, |state| state.vars.name(name));
        self.assign_to(&name, content, exported)
    }

    /// Some names may be set: these to texts, those to lists.
    pub(super) fn may_set(&mut self, why: &'static str, texts: &[&str], lists: &[&str]) {
        if texts.is_empty() && lists.is_empty() {
            return;
        }
        let doubt = self.doubt(why);
        let set = |m: &mut Self| {
            for (name, is_list) in texts.iter().map(|name| (name, false)).chain(lists.iter().map(|name| (name, true))) {
                // What is to be a number may be none.
                if m.live.as_ref().and_then(|state| state.vars.get(name.as_bytes())).is_some_and(|var| var.is_number) {
                    m.fail_or_go_on(&doubt);
                }
                m.assign(name.as_bytes(), Content::Perhaps(Val::unknown(doubt.clone())), None);
                if is_list {
                    m.note_may_be_list(name.as_bytes());
                }
            }
        };
        self.fork(&doubt, set, |_| {});
    }

    /// A name may hold a list, which is handed on to nobody.
    pub(super) fn note_may_be_list(&mut self, name: &[u8]) {
        if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(name)) {
            (var.may_be_list, var.exported) = (true, var.exported.filter(|exported| !exported));
        }
    }

    /// The same for a name that can be shared.
    pub(super) fn assign_to(&mut self, name: &Bytes, content: Content, exported: Option<bool>) -> bool {
        let site = self.here();
        if is_hook_list(name) && self.dialect == Dialect::Zsh {
            self.note_hooked(name, &content);
        }
        if self.is_arguments(name) {
            self.put_arguments(content);
            return true;
        }
        match self.meant(name) {
            Meant::Itself => {}
            Meant::Other(other) => return self.assign_to(&other, content, exported),
            Meant::Unclear => {
                self.give_up_reference(name);
                return true;
            }
        }
        // In ksh it stands for what the shell says of itself.
        if self.dialect == Dialect::Ksh && *name == b"KSH_VERSION"[..] {
            let doubt = self.doubt("what the shell says of itself is set");
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(name);
            self.doubt_export(name);
            return true;
        }
        // What is no sum is an error for those that hold numbers.
        let may_be_none = |value: &Val| value.known().map_or(!value.is_number(), |text| !is_decimal(text));
        if self.counts_with(name)
            && let Content::Set(value) = &content
            && may_be_none(value)
        {
            let doubt = self.doubt("a name of the shell's own that takes numbers");
            if self.refuses_unset() {
                self.exit_or_go_on(&doubt);
            }
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(name);
            return true;
        }
        if let Some(Tie { text: tied, separator, is_sure, .. }) = self.tie_of(name) {
            if !is_sure {
                self.doubt_from_here(&tied);
                return true;
            }
            // As another shell it sets the first of them.
            let content = match content {
                Content::Set(value) if self.as_sh => match self.content_of(name) {
                    Content::Array(items) => Content::Array(Arc::new([&[value], items.get(1..).unwrap_or_default()].concat())),
                    _ => Content::Perhaps(Val::unknown(self.doubt("an item of the list is not known"))),
                },
                content => content,
            };
            let has_items = matches!(&content, Content::Array(values) if !values.is_empty());
            let searched: Vec<Bytes> = match &content {
                Content::Array(values) => values.iter().map_while(|v| v.known().cloned()).collect(),
                _ => Vec::new(),
            };
            let joined = match content {
                Content::Array(values) => {
                    let known: Option<Vec<Bytes>> = values.iter().map(|v| v.known().cloned()).collect();
                    match known {
                        Some(values) => Content::Set(Val::of(values.join(&separator))),
                        None => Content::Set(Val::unknown(self.doubt("an item of the list is not known"))),
                    }
                }
                other => other,
            };
            let done = self.assign(&tied, joined, exported);
            if let Some(var) = self.live.as_mut().and_then(|s| s.vars.get_mut(&tied)) {
                var.has_empty_item &= has_items;
            }
            if let Some(state) = self.live.as_mut().filter(|_| tied == FUNCTION_PATH) {
                state.searched = Arc::new(searched);
            }
            return done;
        }
        if self.dialect == Dialect::Zsh
            && name == FUNCTION_PATH
            && let Some(state) = &mut self.live
        {
            state.search_along(&content);
        }
        let content = self.as_taken(name, content);
        let is_kept = is_kept(self.dialect, name, &content);
        let is_special = self.is_special(name) && name != "_" && !is_kept;
        // The shell is another one from here on; before a command it is for that alone.
        if self.dialect == Dialect::Bash && *name == b"POSIXLY_CORRECT"[..] && self.quiet == 0 {
            self.put_option("posix", true);
        }
        // A list of what it counts with may be of no numbers there, and one name of its own is handed on by none.
        if self.dialect == Dialect::Mksh && matches!(content, Content::Array(_)) && self.counts_with(name) {
            self.fail_or_go_on(&self.doubt("a list of what the shell counts with"));
        }
        if self.dialect == Dialect::Mksh && name == "PIPESTATUS" {
            let doubt = self.doubt("a name that is held fast");
            self.exit_or_go_on(&doubt);
            self.fail_or_go_on(&doubt);
        }
        // What is a text by its nature takes no list.
        if matches!(content, Content::Array(_)) && self.takes_no_list(name) {
            if self.is_perhaps_tied(name) {
                self.doubt_from_here(name);
                self.fail_or_go_on(&self.doubt("a text that is tied to a list"));
            } else {
                self.fail_hard();
            }
            return true;
        }
        let is_free = || {
            FREELY_SET.contains(&&name[..])
                || NUMBERS.contains(&&name[..])
                    && matches!(&content, Content::Set(value) if value.is_number() && value.is_empty() == Some(false))
        };
        let keeps_its_own = || matches!(self.dialect, Dialect::Zsh | Dialect::Dash) && !is_free();
        if is_special && keeps_its_own() && !self.source.path.is_empty() {
            // Some of these end the file.
            self.fail_perhaps("the shell gives this variable a meaning of its own");
            return true;
        }
        let what = if exported == Some(true) { For::Export } else { For::Replacing };
        let before = self.live.as_ref().and_then(|s| s.vars.look_for(name, what));
        let is_new = before.is_none();
        // What it was is gone unless it is a list.
        let emptied = before.map_or_else(Var::unset, |var| var.without_value());
        if emptied.readonly {
            return false;
        }
        if emptied.may_be_readonly || self.has_marked_any {
            let doubt = self.doubt(MAY_BE_HELD);
            self.fail_or_go_on(&doubt);
            if let Some(state) = &mut self.live {
                let var = state.vars.get_or_insert_with(name, Var::unset);
                (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt)), None);
            }
            self.forget_options(name);
            return true;
        }
        // These are one and the same there (zshparam(1), «Parameters Used By The Shell»).
        if self.is_own_zsh()
            && let Some(names) = PROMPTS.iter().find(|names| names.iter().any(|other| name == other.as_bytes()))
        {
            let doubt = self.doubt("a prompt that is set by another name");
            for other in names.iter().filter(|other| name != other.as_bytes()) {
                if let Some(var) = self.live.as_mut().and_then(|state| state.vars.get_mut(other.as_bytes())) {
                    (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt.clone())), None);
                }
            }
        }
        if name == "OPTIND" {
            self.hide_index();
            self.read_options_from(&content);
        }
        // What is to be a number with a point there, and may be none.
        if emptied.is_odd && self.dialect == Dialect::Ksh && !matches!(&content, Content::Set(value) if value.is_number()) {
            self.fail_or_go_on(&self.doubt("what becomes a number may be none"));
        }
        let content = if emptied.is_number && !emptied.is_odd { self.worked_out_number(content) } else { content };
        let may_set_first = self.dialect == Dialect::Zsh && self.expands_otherwise();
        let Some(state) = &mut self.live else { return true };
        let all = state.option("allexport");
        let open = state.open.is_some();
        let var = state.vars.put(name, emptied);
        if is_special {
            // What becomes of it is the shell's own affair.
            let doubt = Doubt::new("the shell gives this variable a meaning of its own", Some(site.clone()));
            var.content = Content::Perhaps(Val::unknown(doubt));
            var.exported = None;
            var.site = Some(site);
            return true;
        }
        let mut may_fail = false;
        var.is_number |= is_kept && self.dialect == Dialect::Zsh && name != "OPTARG";
        // zsh hands no list on, and forgets that the name was exported.
        let exported = if self.dialect == Dialect::Zsh && matches!(content, Content::Array(_) | Content::Table(_)) {
            Some(false)
        } else {
            exported
        };
        let content = match content {
            // It may be written otherwise.
            Content::Set(Val::Unknown(unknown)) if var.is_number && unknown.is_number => Content::Set(unknown.doubt.number()),
            Content::Set(value) if var.is_number && !value.known().is_some_and(|v| is_decimal(v)) => {
                may_fail = true;
                var.is_odd |= matches!(self.dialect, Dialect::Mksh | Dialect::Zsh);
                let value = Val::unknown(Doubt::new("a variable that holds a number", Some(site.clone())));
                // Where it is an error bash goes on behind the line.
                if self.dialect == Dialect::Bash { Content::Perhaps(value) } else { Content::Set(value) }
            }
            // A table with keys, or one whose items an attribute changes.
            Content::Array(ref items)
                if var.is_odd
                    || var.is_number
                        && self.dialect == Dialect::Bash
                        && !items.iter().all(|item| item.known().is_some_and(|item| is_decimal(item))) =>
            {
                var.may_be_list = true;
                may_fail |= var.is_number;
                Content::Perhaps(Val::unknown(Doubt::new(
                    "the variable has an attribute that changes values",
                    Some(site.clone()),
                )))
            }
            other if var.is_unique => unique(other),
            Content::Set(Val::Known(text)) if text.len() > LONGEST => {
                Content::Set(Val::unknown(Doubt::new("a value becomes too long", Some(site.clone()))))
            }
            Content::Set(Val::Unknown(unknown)) if var.is_odd => Content::Set(Val::unknown(unknown.doubt)),
            Content::Set(Val::Known(_)) if var.is_odd => {
                Content::Set(Val::unknown(Doubt::new("the variable has an attribute that changes values", Some(site.clone()))))
            }
            other => other,
        };
        let keeps_lists = matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh);
        // A list stays one: a text becomes its first item.
        let sets_first = self.as_sh || matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh);
        let content = match (&var.content, content, self.dialect) {
            (Content::Array(old), Content::Set(value), _) if sets_first && !may_set_first => {
                let mut items = old.to_vec();
                match items.first_mut() {
                    Some(first) => *first = value,
                    None => items.push(value),
                }
                Content::Array(Arc::new(items))
            }
            // bash puts it under the key 0, for zsh it is an error.
            (Content::Table(_), Content::Set(_), _) => {
                (may_fail, var.may_be_list) = (true, true);
                Content::Perhaps(Val::unknown(Doubt::new("a table that is set as a text", Some(site.clone()))))
            }
            (_, Content::Set(_), _) if may_set_first && var.can_be_list() => {
                var.may_be_list = true;
                Content::Perhaps(Val::unknown(Doubt::new("a list that is perhaps set in its first item", Some(site.clone()))))
            }
            (_, Content::Set(value), _) if var.may_be_list && keeps_lists => Content::Perhaps(value),
            (_, content, _) => content,
        };
        if is_new && open {
            // It may have been exported by what is not followed.
            var.exported = None;
        }
        var.has_empty_item = matches!(&content, Content::Set(Val::Known(text)) if text.is_empty());
        var.content = content;
        var.site = Some(site.clone());
        var.is_pending = false;
        match exported {
            Some(is) => var.exported = Some(is),
            None => match all {
                Some(true) => var.exported = Some(true),
                Some(false) => {}
                None => var.exported = if var.exported == Some(true) { Some(true) } else { None },
            },
        }
        if self.quiet == 0 {
            let held = var.content.value().map(|v| crate::route::Held::of(&v));
            self.log.push(Assigned { name: name.clone(), held, site, around: self.around.clone() });
        }
        self.unsettle(name);
        if may_fail {
            // What is no expression is an error.
            let doubt = self.doubt("a variable that holds a number");
            self.fail_far_or_go_on(&doubt);
        }
        true
    }

    /// What a text that is an expression comes to, where it is set to a name that holds a number.
    fn worked_out_number(&mut self, content: Content) -> Content {
        let Content::Set(Val::Known(text)) = &content else {
            // It may be a name that is not set.
            if self.refuses_unset() && !matches!(&content, Content::Set(value) if value.is_number()) {
                self.exit_or_go_on(&self.doubt(UNSET_IS_ERROR));
            }
            return content;
        };
        if is_decimal(text) {
            return content;
        }
        // Some keep the base in mind that a number was written in, and write it so themselves.
        let is_plain = |word: &[u8]| match word.first() {
            Some(first) if is_name_start(*first) => match self.content_of(word) {
                Content::Unset => true,
                Content::Set(value) => value.known().is_some_and(|value| is_decimal(value)),
                _ => false,
            },
            _ => word.iter().all(u8::is_ascii_digit),
        };
        let is_sign = |b: &u8| !is_name(*b) && !b"#.[".contains(b);
        let keeps_base = matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) && !text.split(is_sign).all(is_plain);
        let summed = self.sum_text(text.to_vec());
        match (summed.failure, summed.value) {
            (Failure::No, Ok(number)) if !keeps_base => Content::Set(Val::of(number.to_string())),
            _ => content,
        }
    }

    /// From here on a name holds a number, whatever it is set to.
    pub(super) fn doubt_number(&mut self, name: &[u8]) {
        if let Some(state) = &mut self.live {
            state.vars.get_or_insert_with(name, Var::unset).is_number = true;
        }
    }

    /// From here on a name may hold a number.
    pub(super) fn perhaps_number(&mut self, name: &[u8]) {
        if let Some(state) = &mut self.live {
            let var = state.vars.get_or_insert_with(name, Var::unset);
            (var.is_number, var.is_odd) = (true, true);
        }
    }

    /// Unsets a name. Returns whether it could be.
    pub(super) fn unset(&mut self, name: &[u8]) -> bool {
        let site = self.here();
        if self.is_arguments(name) {
            self.put_arguments(Content::Unset);
            return true;
        }
        match self.meant(name) {
            Meant::Itself => {}
            // There it is the name itself that goes, or what it stands for.
            Meant::Other(other) if self.dialect == Dialect::Bash => return self.unset(&other),
            _ => {
                self.give_up_reference(name);
                return true;
            }
        }
        // What zsh counts by itself stays.
        let is_counted = self.is_readonly(name) || matches!(name, b"status" | b"zsh_eval_context");
        if self.dialect == Dialect::Zsh && is_counted && !self.is_tied_text(name) {
            return false;
        }
        if let Some(tied) = self.tied(name) {
            self.untie(name);
            return self.unset(&tied);
        }
        self.untie(name);
        self.forget_options(name);
        let Some(state) = &mut self.live else { return true };
        let name = Bytes::copy_from_slice(name);
        // With `set -a` dash marks even what it unsets.
        let all = state.option("allexport");
        let exported = if self.dialect == Dialect::Dash { all } else { Some(false) };
        // What a function or a command hides comes to light there; in bash not what the function itself hides.
        let reveals = match self.dialect {
            Dialect::Mksh => state.hides(&name, true),
            Dialect::Bash => state.hides(&name, false),
            _ => false,
        };
        if reveals && state.vars.look_for(&name, For::Export).is_none_or(|var| !var.readonly) {
            state.reveal(&name);
            self.unsettle(&name);
            return true;
        }
        let keeps = match self.dialect {
            Dialect::Dash => matches!(
                &name[..],
                b"PATH" | b"IFS" | b"MAIL" | b"MAILPATH" | b"PS1" | b"PS2" | b"PS4" | b"OPTIND" | b"TERM" | b"HISTSIZE" | b"ATTY"
            ),
            Dialect::Zsh => is_one_of(KEPT_BY_ZSH, &name),
            _ => false,
        };
        match state.vars.get_mut(&name) {
            Some(var) if var.readonly => return false,
            // These keep their export, for when they are set again.
            Some(var) if keeps => *var = Var { site: None, exported: None, ..Var::unset() },
            Some(var) => *var = Var { site: None, exported, ..Var::unset() },
            None if all != Some(false) && self.dialect == Dialect::Dash => {
                state.vars.insert(name.clone(), Var { exported, ..Var::unset() });
            }
            None if state.open.is_some() => {
                state.vars.insert(name.clone(), Var::unset());
            }
            None => return true,
        }
        self.unsettle(&name);
        if self.quiet == 0 {
            self.log.push(Assigned { name, held: None, site, around: self.around.clone() });
        }
        true
    }
}

/// Whether a text is a number that is written in no other way.
pub(super) fn is_decimal(text: &[u8]) -> bool {
    let digits = text.strip_prefix(b"-").unwrap_or(text);
    !digits.is_empty() && digits.len() < 18 && digits.iter().all(u8::is_ascii_digit) && (digits[0] != b'0' || text == b"0")
}

/// Keeps the first of items that are alike; of a text those between colons, as for PATH.
fn unique(content: Content) -> Content {
    fn first<T: PartialEq>(items: impl Iterator<Item = T>) -> Vec<T> {
        let mut out = Vec::new();
        for item in items {
            if !out.contains(&item) {
                out.push(item);
            }
        }
        out
    }
    match content {
        Content::Set(Val::Known(text)) if text.contains(&b':') => {
            Content::Set(Val::of(first(text.split(|b| *b == b':')).join(&b':')))
        }
        Content::Array(values) if values.iter().all(|v| v.known().is_some()) => {
            Content::Array(Arc::new(first(values.iter().cloned())))
        }
        Content::Array(_) => Content::Set(Val::unknown(Doubt::new("a list of items of which not all are known", None))),
        other => other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn items_are_kept_once() {
        let list = |items: &[&str]| Content::Array(Arc::new(items.iter().map(Val::of).collect()));
        let text = |value: &str| Content::Set(Val::of(value));
        for (content, once) in [
            (text("/bin:/sbin:/bin"), text("/bin:/sbin")),
            (text("/bin::/bin:"), text("/bin:")),
            (text("low"), text("low")),
            (list(&["a", "b", "a", ""]), list(&["a", "b", ""])),
            (Content::Unset, Content::Unset),
        ] {
            assert_eq!(unique(content.clone()), once, "{content:?}");
        }
        let doubt = Val::unknown(Doubt::new("so", None));
        let unclear = unique(Content::Array(Arc::new(vec![Val::of("a"), doubt])));
        assert!(matches!(unclear, Content::Set(Val::Unknown(_))), "{unclear:?}");
    }
}
