//! Colours for white paper. The hues are those of the palette by Okabe and Ito ("Color Universal
//! Design", 2002), which stay apart for people who see colours otherwise, darkened where thin
//! lines of them would fade.

use vectorum_core::Tint;

pub(crate) const INK: &str = "#1b1f24";
pub(crate) const QUIET: &str = "#68707a";
pub(crate) const RULE: &str = "#b8bec6";
pub(crate) const TROUBLE: &str = "#b03a00";

const TINTS: [&str; 7] = ["#0072b2", "#c75a00", "#008a65", "#b0568c", "#9a7400", "#2f86b8", "#5a5f66"];

/// Returns a tint's colour. Past the seventh they come again: the letters tell them apart.
pub(crate) fn colour(tint: Tint) -> &'static str {
    match tint {
        Tint::Value(index) => TINTS[index as usize % TINTS.len()],
        Tint::Absent | Tint::Unknown | Tint::PerRun => QUIET,
    }
}
