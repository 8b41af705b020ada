//! Puts what parameters of zsh's own shape come to into the word around them.

use std::sync::Arc;

use smallvec::smallvec;

use super::super::expand::{Expanded, Mode, Values};
use super::super::field::{Field, Fields, last, put};
use super::super::machine::Machine;
use super::super::reference::OWN_SHAPE;
use super::super::syntax::Part;
use super::super::value::Doubt;

impl Machine<'_> {
    /// Puts what a parameter of zsh's own shape comes to where it stood without quotes.
    pub(in super::super) fn put_shaped(
        &mut self,
        values: Values,
        is_pattern: bool,
        mode: Mode,
        fields: &mut Fields,
    ) -> Expanded<()> {
        let values = match values {
            Values::One(value) => vec![value],
            Values::Many(values) => values,
        };
        let separator = if mode == Mode::Fields { None } else { self.first_separator()? };
        for (index, value) in values.iter().enumerate() {
            if index > 0 {
                match separator {
                    _ if mode == Mode::Fields => fields.push(Field::default()),
                    Some(byte) => last(fields).push(&[byte], false),
                    None => {}
                }
            }
            last(fields).bring(value, !is_pattern);
        }
        Ok(())
    }

    /// What is looked for by a pattern that a parameter holds, or by a tilde, may not be there, and the pattern may be wrong.
    pub(in super::super) fn refuse_held_pattern(&mut self) -> Arc<Doubt> {
        let doubt = self.doubt("a pattern that a parameter holds");
        self.fail_or_go_on(&doubt);
        doubt
    }

    /// Puts each item with what stands before it and behind it.
    pub(in super::super) fn spread_around(&mut self, values: Values, behind: &[Part], fields: &mut Fields) -> Expanded<()> {
        let items = match values {
            Values::One(value) => vec![value],
            Values::Many(items) => items,
        };
        let mut after: Fields = smallvec![Field::default()];
        self.expand_behind(behind, &mut after)?;
        let before = fields.pop().unwrap_or_default();
        self.steps.count(items.len() * after.len());
        for item in &items {
            let (Some(first), rest) = (after.first(), after.get(1..).unwrap_or_default()) else { continue };
            // Several words behind go with each in a way of their own.
            if !rest.is_empty() {
                return Err(self.doubt(OWN_SHAPE));
            }
            let mut field = before.clone();
            field.bring(item, true);
            field.append(first);
            fields.push(field);
        }
        Ok(())
    }

    /// The same between quotes that end a word, where only plain text stands beside it: `"PLAIN${^LIST[@]}PLAIN"`; `None` for
    /// what is none of that kind.
    pub(in super::super) fn spread_between(&mut self, inner: &[Part], fields: &mut Fields) -> Option<Expanded<()>> {
        let plain = |parts: &[Part]| -> Option<Vec<u8>> {
            let texts = parts.iter().map(|part| match part {
                Part::Text(text) | Part::Quoted(text) => Some(&text[..]),
                _ => None,
            });
            texts.collect::<Option<Vec<_>>>().map(|texts| texts.concat())
        };
        let at = inner.iter().position(|part| matches!(part, Part::Shaped(shaped) if shaped.is_spread()))?;
        let (before, rest) = inner.split_at_checked(at)?;
        let (Part::Shaped(shaped), behind) = rest.split_first()? else { return None };
        let (before, behind) = (plain(before)?, plain(behind)?);
        let items = match self.shaped(shaped, true, Mode::Fields) {
            Ok(came) => match came.values {
                Values::One(value) => vec![value],
                // A word around nothing is none at all.
                Values::Many(items) if items.is_empty() => return Some(Err(self.doubt(OWN_SHAPE))),
                Values::Many(items) => items,
            },
            Err(doubt) => return Some(Err(doubt)),
        };
        let first = fields.pop().unwrap_or_default();
        self.steps.count(items.len());
        for item in &items {
            let mut field = first.clone();
            field.push(&before, true);
            put(&mut field, item, true);
            field.push(&behind, true);
            fields.push(field);
        }
        Some(Ok(()))
    }

    /// Expands what stands behind an item of a word: at its front nothing counts as such.
    fn expand_behind(&mut self, parts: &[Part], fields: &mut Fields) -> Expanded<()> {
        if parts.iter().any(|p| matches!(p, Part::Text(text) if text.first() == Some(&b'~')) || matches!(p, Part::Output(_))) {
            return Err(self.doubt(OWN_SHAPE));
        }
        self.expand_into(parts, Mode::Fields, fields)
    }
}
