//! Pictures for paper and for other people: SVG, and PDF made from it.
//!
//! What is drawn comes in as plain data, already masked and spelt out ([`Tree`], [`Matrix`]); nothing here
//! knows a host, a recording or a terminal. Text stays text in both formats. Colour never stands
//! alone: each tint has its letter, each kind of line its dashes.

mod matrix;
mod palette;
mod pdf;
mod sheet;
mod tree;

pub use matrix::{Matrix, MatrixRow};
pub use pdf::{PdfError, pdf};
pub use tree::{Legend, Life, Line, Mark, Of, Tree};
