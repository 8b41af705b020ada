//! What the lines of a shell's files decide of what it hands on: found out once for all that start it alike.

use bytes::Bytes;
use imbl::OrdMap;
use imbl::ordmap::DiffItem;

use super::log::Log;
use super::startup::Last;
use crate::route::Variable;

/// What is handed on with a value that a line set, whatever the shell was handed.
#[derive(Clone, Debug, Default)]
pub(crate) struct Decided {
    vars: OrdMap<Bytes, Variable>,
    /// What else was changed: what becomes of it hangs on what the shell was handed, or it is not handed on.
    others: Vec<Bytes>,
    /// Those whose last line does not tell the value that they have at the end.
    untold: Vec<Bytes>,
}

impl Decided {
    /// Puts it together from the names that were changed, each with what is handed on if a line decided that.
    pub(super) fn of<'a>(changed: impl Iterator<Item = (&'a Bytes, Option<Last>)>, log: &Log) -> Decided {
        let (mut vars, mut others) = (OrdMap::new(), Vec::new());
        for (name, last) in changed {
            match last {
                Some(last) => drop(vars.insert(name.clone(), Variable::from(last))),
                None => others.push(name.clone()),
            }
        }
        let is_told = |name, var: &Variable| log.of(name).next_back().is_some_and(|line| line.held.as_ref() == Some(&var.held));
        let untold = vars.iter().filter(|(name, var)| !is_told(name, var)).map(|(name, _)| name.clone()).collect();
        Decided { vars, others, untold }
    }

    /// Whether a line decided what a name is.
    pub(crate) fn contains(&self, name: &[u8]) -> bool {
        self.vars.contains_key(name)
    }

    /// Returns all of it, in the order of the names.
    pub(crate) fn iter(&self) -> impl Iterator<Item = (&Bytes, &Variable)> {
        self.vars.iter()
    }

    /// Returns the names that were changed beside those that lines decided, in no order.
    pub(super) fn others(&self) -> &[Bytes] {
        &self.others
    }

    /// Returns what no line tells, though some decided it.
    pub(crate) fn untold(&self) -> impl Iterator<Item = (&Bytes, &Variable)> {
        self.untold.iter().filter_map(|name| self.vars.get_key_value(name))
    }

    /// Returns a block with all of this over it.
    pub(crate) fn over(&self, block: &OrdMap<Bytes, Variable>) -> OrdMap<Bytes, Variable> {
        let (mut put, mut left): (Vec<_>, Vec<_>) = (Vec::new(), Vec::new());
        for item in block.diff(&self.vars) {
            match item {
                DiffItem::Add(name, var) | DiffItem::Update { new: (name, var), .. } => put.push((name, var)),
                DiffItem::Remove(name, var) => left.push((name, var)),
            }
        }
        // The fewer are put into the more.
        let (mut all, rest) = if put.len() <= left.len() { (block.clone(), put) } else { (self.vars.clone(), left) };
        all.extend(rest.into_iter().map(|(name, var)| (name.clone(), var.clone())));
        all
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::route::{Held, Site};
    use crate::shell::machine::Assigned;
    use crate::shell::value::Val;

    fn last(value: &[u8], line: usize) -> Last {
        let site = Some(Site { path: Bytes::from_static(b"/etc/profile"), line });
        Last { value: Val::of(value), may_be_absent: false, site }
    }

    fn blocks() -> impl Strategy<Value = Vec<(u8, u8)>> {
        prop::collection::vec((0..40u8, 0..3u8), 0..40)
    }

    proptest! {
        /// Whichever of the two is larger, what was decided hides what it is laid over.
        #[test]
        fn what_is_decided_lies_over_what_was_there(block in blocks(), decided in blocks()) {
            let vars = |all: &[(u8, u8)]| -> OrdMap<Bytes, Variable> {
                all.iter().map(|(name, value)| (Bytes::from(vec![*name]), Variable::from(last(&[*value], 1)))).collect()
            };
            let expected = [block.clone(), decided.clone()].concat();
            let lines: Vec<_> = decided.iter().map(|(name, value)| (Bytes::from(vec![*name]), last(&[*value], 1))).collect();
            let lines = lines.iter().map(|(name, last)| (name, Some(last.clone())));
            prop_assert_eq!(Decided::of(lines, &Log::default()).over(&vars(&block)), vars(&expected));
        }
    }

    #[test]
    fn a_value_that_its_last_line_does_not_tell_is_told_beside_it() {
        let name = |name: &'static str| Bytes::from_static(name.as_bytes());
        let line = |(of, value): (&'static str, &'static str)| Assigned {
            name: name(of),
            held: Some(Held::Known(name(value))),
            site: Site { path: name("/etc/profile"), line: 1 },
            around: Default::default(),
        };
        let log: Log = [("GATE", "7"), ("TIDE", "low"), ("TIDE", "high")].map(line).into_iter().collect();
        let all = [("GATE", "7"), ("PIER", "4"), ("TIDE", "low")].map(|(of, value)| (name(of), last(value.as_bytes(), 1)));
        let lanes = name("LANES");
        let all = all.iter().map(|(name, last)| (name, Some(last.clone()))).chain([(&lanes, None)]);
        let decided = Decided::of(all, &log);
        assert_eq!(decided.others(), ["LANES"]);
        assert_eq!(decided.untold().map(|(name, _)| name).collect::<Vec<_>>(), ["PIER", "TIDE"]);
        assert_eq!(["GATE", "PIER", "LANES"].map(|name| decided.contains(name.as_bytes())), [true, true, false]);
    }
}
