//! What a declaration makes of a word of which only the text is known: a name, or a name and what it is set to.

use std::sync::Arc;

use bytes::Bytes;

use super::super::attributes::Attributes;
use super::super::content::{Content, Var};
use super::super::machine::Machine;
use super::super::syntax::*;
use super::super::value::{Doubt, Val};

impl Machine<'_> {
    /// Declares what such a word says.
    pub(super) fn declare_text(&mut self, text: &Bytes, attributes: Attributes) {
        let (name, value) = match memchr::memchr(b'=', text) {
            Some(at) => (&text.slice(..at), Some(text.slice(at + 1..))),
            None => (text, None),
        };
        // What is added to what it holds.
        let more = name.strip_suffix(b"+").filter(|name| crate::reader::is_portable(name));
        if let (Some(bare), Some(value), Dialect::Bash | Dialect::Ksh | Dialect::Mksh) = (more, &value, self.dialect) {
            let word = Word::new(std::iter::once(Part::Quoted(Text::of(value))).collect(), self.at, self.at);
            let name = Bytes::copy_from_slice(bare);
            let added = Assignment { name, key: None, adds: true, value: Assigned::Word(word), at: self.at };
            return self.declare_assignment(&added, Some(Content::Set(Val::Known(value.clone()))), attributes);
        }
        if !crate::reader::is_portable(name) {
            // An error of the command: dash and zsh end more than that by it.
            // What has a name of one sign is passed over there, but for some.
            let is_sign = matches!(&name[..], b"@" | b"!" | b"0" | b"-" | b"#" | b"?" | b"$" | b"*" | b"+");
            return match self.dialect {
                Dialect::Bash => self.set_status(1),
                Dialect::Zsh if is_sign => {
                    let doubt = self.doubt("a name of one sign is declared");
                    self.fork(&doubt, Self::fail_special, |_| {});
                    self.doubt_from_here(name);
                    self.doubt_status(doubt);
                }
                // Letters of others, which these may take by their locale.
                Dialect::Zsh | Dialect::Ksh if !name.is_ascii() => self.fog("a name that is none is declared"),
                Dialect::Ksh => self.misused(),
                _ => self.fail_special(),
            };
        }
        if value.is_some() && self.is_held_against(name, attributes) {
            if self.dialect == Dialect::Bash && attributes.exported.is_some() {
                self.doubt_export(name);
            }
            return self.refuse(attributes);
        }
        if value.is_some() && !self.takes_text(name, attributes) {
            return;
        }
        if value.is_none() && attributes.is_local && self.dialect == Dialect::Bash && self.is_held_against(name, attributes) {
            return self.refuse(attributes);
        }
        if (attributes.is_list || attributes.is_table)
            && (value.is_some() || self.is_tied_text(name))
            && self.dialect == Dialect::Zsh
        {
            if value.is_some() {
                return self.fail_hard();
            }
            let doubt = self.doubt("a text that is tied to a list");
            self.fail_or_go_on(&doubt);
            self.doubt_from_here(name);
            return self.doubt_status(doubt);
        }
        let changes = attributes.exported == Some(false) || attributes.is_odd || attributes.is_number;
        // There it becomes a number all the same (measured: 5.9).
        if value.is_none() && attributes.is_number && self.dialect == Dialect::Zsh && self.is_readonly(name) {
            self.doubt_from_here(name);
        }
        if value.is_none() && changes && self.dialect == Dialect::Ksh && self.is_readonly(name) {
            return self.fail_perhaps("a name that is held fast is declared as something else");
        }
        if value.is_none() && changes && self.dialect == Dialect::Mksh && self.is_readonly(name) && !attributes.is_local {
            return self.doubt_status(self.doubt("a name that is held fast is declared as something else"));
        }
        self.make_local(name, attributes);
        self.mark_odd(name, attributes);
        // There it is handed on as nothing, though it holds no number yet.
        if value.is_none() && attributes.is_float && self.dialect == Dialect::Ksh {
            self.doubt_from_here(name);
        }
        // zsh may set it to what it is.
        if self.dialect == Dialect::Zsh {
            self.forget_options(name);
        }
        match value {
            Some(value) => {
                if !self.assign_to(name, Content::Set(Val::Known(value)), attributes.exported) {
                    return self.refuse(attributes);
                }
            }
            None => {
                // There it tells what there is, where it makes nothing of it.
                if self.dialect == Dialect::Zsh && !attributes.is_local && !matches!(self.content_of(name), Content::Unset) {
                    self.print(Val::unknown(self.doubt("what a declaration prints")));
                }
                // What was declared before is handed on then, or not.
                let is_there = |m: &Self| m.live.as_ref().is_some_and(|state| state.vars.get(name).is_some());
                let may_export = attributes.exported.is_none() && self.may_be_set("allexport");
                if self.dialect == Dialect::Zsh && may_export && is_there(self) {
                    self.doubt_export(name);
                }
                let (tied, is_text) = (self.tied(name), self.is_tied_text(name));
                let is_tied = tied.is_some() || is_text;
                let is_list = attributes.is_list && tied.is_none();
                let name = tied.unwrap_or_else(|| Bytes::copy_from_slice(name));
                let site = self.here();
                let open = self.live.as_ref().and_then(|s| s.open.clone());
                let dialect = self.dialect;
                let is_unset =
                    |m: &Self| m.live.as_ref().and_then(|s| s.vars.get(&name)).is_some_and(|v| v.content == Content::Unset);
                let was_declared = self.as_sh && !attributes.is_local && is_unset(self);
                if let Some(state) = &mut self.live {
                    let var = state.vars.get_or_insert_with(&name, || match open {
                        Some(doubt) => Var { content: Content::Perhaps(Val::unknown(doubt)), ..Var::unset() },
                        None => Var::unset(),
                    });
                    // What was a text there is an empty list then.
                    match &var.content {
                        Content::Array(_) => {}
                        _ if !is_list => {}
                        Content::Unset | Content::Set(_) => {
                            (var.content, var.exported) = (Content::Array(Arc::default()), Some(false));
                            var.site = Some(site.clone());
                        }
                        _ => var.may_be_list = true,
                    }
                    // zsh hands no list on.
                    let is_list = dialect == Dialect::Zsh && matches!(var.content, Content::Array(_));
                    if attributes.exported.is_some() && !is_list {
                        // Some hand no list on.
                        var.exported = attributes.exported.filter(|exported| !(*exported && var.may_be_list));
                    }
                    // What is only declared once more still waits for a value there.
                    // With a mark it is handed on as it is.
                    if var.is_pending && (attributes.is_odd || attributes.is_number) {
                        (var.exported, var.is_pending) = (None, false);
                    }
                    let is_marked = attributes.exported.is_some() || attributes.readonly || attributes.is_unique;
                    var.is_pending &= dialect == Dialect::Zsh && !is_marked;
                    // zsh gives a name that is declared an empty value, but as sh would only where it was declared before.
                    if was_declared {
                        let doubt = Doubt::new("a name that is declared once more", Some(site.clone()));
                        (var.content, var.exported) = (Content::Perhaps(Val::unknown(doubt)), None);
                        var.site = Some(site);
                    } else if dialect == Dialect::Zsh && !self.as_sh && matches!(var.content, Content::Unset) {
                        // With a width it is as many blanks.
                        let is_filled = attributes.is_odd && !attributes.is_table;
                        let filled = || Val::unknown(Doubt::new("the variable has an attribute that changes values", None));
                        let plain = || Val::of(if attributes.is_number { "0" } else { "" });
                        var.content = Content::Set(if is_filled { filled() } else { plain() });
                        var.site = Some(site);
                        // One that is to be exported is so once it is set, unless it is tied to a list.
                        var.is_pending = !is_tied && (attributes.exported.is_some() || attributes.is_local);
                        var.has_empty_item = is_text;
                    }
                }
                self.mark(&name, attributes);
                return;
            }
        }
        self.mark(name, attributes);
    }
}
