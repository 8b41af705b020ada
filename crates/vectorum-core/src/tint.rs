//! Letters for the distinct values of the chosen name.

use std::collections::HashMap;
use std::fmt;

use crate::block::Value;

/// What stands for a value wherever it appears.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Tint {
    /// The n-th distinct value, from 0.
    Value(u32),
    /// The name is not set.
    Absent,
    /// It is set, to something made anew at each start.
    PerRun,
    /// It cannot be told.
    Unknown,
}

/// How a variable stands, seen from the block that came before.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Mark {
    /// As before, or it cannot be told.
    Same,
    /// It was not set before.
    Born,
    /// It had another value.
    Changed,
    /// It was set before.
    Dropped,
}

impl Mark {
    /// Compares the tint before with the one here.
    pub fn between(before: Tint, here: Tint) -> Mark {
        let is_set = |tint: Tint| matches!(tint, Tint::Value(_) | Tint::PerRun);
        match (before, here) {
            (Tint::Absent, here) if is_set(here) => Mark::Born,
            (before, Tint::Absent) if is_set(before) => Mark::Dropped,
            (before, here) if is_set(before) && is_set(here) && before != here => Mark::Changed,
            _ => Mark::Same,
        }
    }
}

impl fmt::Display for Tint {
    /// Writes the letter: A to Z, then AA, AB …; `–` for absent, `~` for per run, `▒` for unknown.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Tint::Absent => f.pad("–"),
            Tint::PerRun => f.pad("~"),
            Tint::Unknown => f.pad("▒"),
            Tint::Value(index) => {
                let mut letters = Vec::new();
                let mut rest = u64::from(index) + 1;
                while rest > 0 {
                    rest -= 1;
                    letters.push(char::from(b'A' + (rest % 26) as u8));
                    rest /= 26;
                }
                f.pad(&letters.into_iter().rev().collect::<String>())
            }
        }
    }
}

/// The tints of one name's values. A value keeps its letter as long as this lives.
#[derive(Clone, Debug, Default)]
pub struct Tints {
    known: HashMap<Value, u32>,
    values: Vec<Value>,
}

impl Tints {
    /// Returns the tint of a value, a new one for a value not met before.
    pub fn of(&mut self, value: &Value) -> Tint {
        if let Some(index) = self.known.get(value) {
            return Tint::Value(*index);
        }
        let index = u32::try_from(self.values.len()).unwrap_or(u32::MAX);
        // A copy: a slice would keep the whole block of its first bearer in memory.
        if let Some(own) = Value::new(value.as_bytes().to_vec()) {
            self.known.insert(own.clone(), index);
            self.values.push(own);
        }
        Tint::Value(index)
    }

    /// Returns the tint that a value has already.
    pub fn known(&self, value: &[u8]) -> Option<Tint> {
        let value = Value::new(value.to_vec())?;
        self.known.get(&value).map(|index| Tint::Value(*index))
    }

    /// Returns the values met so far, in the order of their letters.
    pub fn values(&self) -> &[Value] {
        &self.values
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_go_on_and_stay() {
        for (index, letters) in [(0, "A"), (25, "Z"), (26, "AA"), (27, "AB"), (701, "ZZ"), (702, "AAA")] {
            assert_eq!(Tint::Value(index).to_string(), letters);
        }
        let mut tints = Tints::default();
        let value = |text: &'static str| Value::new(text).unwrap();
        let letters: Vec<_> = ["x", "y", "x", "", "y"].map(|v| tints.of(&value(v)).to_string()).into();
        assert_eq!(letters, ["A", "B", "A", "C", "B"]);
        assert_eq!(tints.known(b"y"), Some(Tint::Value(1)));
        assert_eq!(tints.known(b"z"), None);
        assert_eq!(tints.values().len(), 3);
    }
}
