//! What a shell is handed: the block as it is known, looked at where it is asked for.

use bytes::Bytes;
use imbl::OrdMap;
use imbl::ordmap::DiffItem;

use super::value::{Doubt, Val};
use crate::block::Block;
use crate::route::{Held, Variable};

/// Why a value is not known that is made anew at each start.
const PER_RUN: &str = "made anew at each start";

/// How names begin by which bash hands functions on.
const FUNCTIONS: &[u8] = b"BASH_FUNC_";

/// The name of the variable in which bash hands a function on.
pub(super) fn handed_on(function: &[u8]) -> Bytes {
    Bytes::from([FUNCTIONS, function, b"%%"].concat())
}

/// The names that are handed in: each value, and whether the name may be absent.
#[derive(Clone, Debug, Default)]
pub(crate) struct Handed(OrdMap<Bytes, Variable>);

impl From<OrdMap<Bytes, Variable>> for Handed {
    fn from(block: OrdMap<Bytes, Variable>) -> Handed {
        Handed(block)
    }
}

impl From<&Block> for Handed {
    fn from(block: &Block) -> Handed {
        let variable = |(name, value): (crate::Name, crate::Value)| {
            let held = Held::Known(Bytes::copy_from_slice(value.as_bytes()));
            let variable = Variable { held, site: None, hop: None, could_be: Vec::new(), may_be_absent: false };
            (Bytes::copy_from_slice(name.as_bytes()), variable)
        };
        Handed(block.vars().map(variable).collect())
    }
}

impl Handed {
    pub(super) fn get(&self, name: &[u8]) -> Option<(Val, bool)> {
        self.0.get(name).map(told)
    }

    pub(super) fn contains(&self, name: &[u8]) -> bool {
        self.0.contains_key(name)
    }

    /// Returns the names that are not handed in alike here and there, in order, each with what it is here and there.
    pub(super) fn differing<'a>(
        &'a self,
        other: &'a Handed,
    ) -> impl Iterator<Item = (&'a Bytes, Option<&'a Variable>, Option<&'a Variable>)> {
        self.0.diff(&other.0).map(|item| match item {
            DiffItem::Add(name, there) => (name, None, Some(there)),
            DiffItem::Remove(name, here) => (name, Some(here), None),
            DiffItem::Update { old: (name, here), new: (_, there) } => (name, Some(here), Some(there)),
        })
    }

    /// Whether a name begins so.
    pub(super) fn has_one_like(&self, beginning: &'static [u8]) -> bool {
        self.0.range(Bytes::from_static(beginning)..).next().is_some_and(|(name, _)| name.starts_with(beginning))
    }

    /// Returns the names, in order.
    pub(super) fn names(&self) -> impl Iterator<Item = &Bytes> {
        self.0.keys()
    }

    /// Returns the names of bash's functions.
    pub(super) fn functions(&self) -> impl Iterator<Item = Bytes> {
        let names =
            self.0.range(Bytes::from_static(FUNCTIONS)..).map(|(name, _)| name).take_while(|name| name.starts_with(FUNCTIONS));
        names.filter_map(|name| Some(name.slice_ref(name.strip_prefix(FUNCTIONS)?.strip_suffix(b"%%")?)))
    }
}

fn told(variable: &Variable) -> (Val, bool) {
    let value = match &variable.held {
        Held::Known(value) => Val::Known(value.clone()),
        Held::PerRun => Val::filled(PER_RUN),
        Held::Unknown(why) => Val::unknown(Doubt::new(why, variable.site.clone())).or_one_of(variable.could_be.clone()),
    };
    (value, variable.may_be_absent)
}

impl Held {
    /// What is told of a value of a shell's.
    pub(crate) fn of(value: &Val) -> Held {
        match value {
            // What stands behind a NUL is not handed on (execve(2)).
            Val::Known(value) => Held::Known(memchr::memchr(0, value).map_or_else(|| value.clone(), |end| value.slice(..end))),
            Val::Unknown(text) if text.doubt.why == PER_RUN => Held::PerRun,
            Val::Unknown(text) => Held::Unknown(text.doubt.why),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn handed(all: &[(&'static str, Held, bool)]) -> Handed {
        let variable = |(name, held, may_be_absent): &(&'static str, Held, bool)| {
            let could_be = if matches!(held, Held::Unknown(_)) { vec![Bytes::from_static(b"low")] } else { Vec::new() };
            let variable = Variable { held: held.clone(), site: None, hop: None, could_be, may_be_absent: *may_be_absent };
            (Bytes::from_static(name.as_bytes()), variable)
        };
        Handed(all.iter().map(variable).collect())
    }

    #[test]
    fn functions_are_found_among_names() {
        let known = || Held::Known(Bytes::from_static(b"() { :; }"));
        let names = ["BASH_FUNC", "BASH_FUNC_%%", "BASH_FUNC_gate%%", "BASH_FUNC_lane", "BASH_FUNC_tide%%", "BASH_FUND_x%%", "B"];
        let handed = handed(&names.map(|name| (name, known(), false)));
        assert_eq!(handed.functions().collect::<Vec<_>>(), ["", "gate", "tide"]);
        assert_eq!(handed.names().count(), names.len());
    }

    #[test]
    fn what_two_shells_are_handed_is_told_apart() {
        let known = |value: &'static str| Held::Known(Bytes::from_static(value.as_bytes()));
        let one = handed(&[("GATE", known("7"), false), ("LC_TIME", known("C"), false), ("TIDE", known("low"), false)]);
        let two = handed(&[("GATE", known("7"), false), ("PIER", known("4"), false), ("TIDE", known("low"), true)]);
        let told: Vec<_> = one.differing(&two).map(|(name, a, b)| (name.clone(), a.is_some(), b.is_some())).collect();
        let expected = [("LC_TIME", true, false), ("PIER", false, true), ("TIDE", true, true)];
        assert_eq!(told, expected.map(|(name, a, b)| (Bytes::from_static(name.as_bytes()), a, b)));
        assert_eq!(one.differing(&one).count(), 0);
        assert_eq!((one.has_one_like(b"LC_"), two.has_one_like(b"LC_"), one.has_one_like(b"U")), (true, false, false));
    }

    #[test]
    fn a_shell_is_told_what_is_known_of_a_value() {
        let handed = handed(&[
            ("GATE", Held::Known(Bytes::from_static(b"7")), false),
            ("SOCKET", Held::PerRun, false),
            ("TIDE", Held::Unknown("nobody knows"), true),
        ]);
        assert_eq!(handed.get(b"GATE"), Some((Val::of("7"), false)));
        let doubt = |name: &[u8]| match handed.get(name) {
            Some((Val::Unknown(text), absent)) => Some((text.doubt.why, text.could_be().len(), text.is_filled, absent)),
            _ => None,
        };
        assert_eq!(doubt(b"SOCKET"), Some((PER_RUN, 0, true, false)));
        assert_eq!(doubt(b"TIDE"), Some(("nobody knows", 1, true, true)));
        assert_eq!((handed.get(b"PIER"), handed.contains(b"TIDE")), (None, true));
        // What comes out of the shell as it went in is told as it was.
        for name in ["GATE", "SOCKET", "TIDE"] {
            let held = handed.get(name.as_bytes()).map(|(value, _)| Held::of(&value));
            assert_eq!(held, handed.0.get(name.as_bytes()).map(|variable| variable.held.clone()), "{name}");
        }
    }
}
