//! Filling a template: `${NAME}` replaced by values, `$$` by a dollar.

use crate::block::{Block, Name};
use crate::reader::place;
use crate::select::Selection;

/// Why a template cannot be filled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfilled {
    /// The line, from 1.
    pub line: usize,
    /// The column, from 1.
    pub column: usize,
    /// What is wrong there.
    pub what: String,
}

/// Returns the template with each `${NAME}` replaced by its value. Names that `only` does not take
/// stay as they are written; everything else but `$$` is text.
///
/// # Errors
/// All references to names that are not set, and those that are never closed.
pub fn fill(template: &[u8], block: &Block, only: &Selection) -> Result<Vec<u8>, Vec<Unfilled>> {
    let mut out = Vec::with_capacity(template.len());
    let mut errors = Vec::new();
    let mut wrong = |at: usize, what: String| {
        let (line, column) = place(template, at);
        errors.push(Unfilled { line, column, what });
    };
    let mut from = 0;
    while let Some(found) = memchr::memchr(b'$', template.get(from..).unwrap_or_default()) {
        let at = from + found;
        out.extend_from_slice(template.get(from..at).unwrap_or_default());
        let rest = template.get(at..).unwrap_or_default();
        from = at + 1;
        if rest.starts_with(b"$$") {
            out.push(b'$');
            from = at + 2;
        } else if let Some(inner) = rest.strip_prefix(b"${") {
            let Some(end) = memchr::memchr(b'}', inner) else {
                wrong(at, "${ is never closed; write $$ for a dollar".to_owned());
                break;
            };
            let Some(name) = inner.get(..end).and_then(|n| Name::new(n.to_vec())) else {
                wrong(at, "a reference without a name; write $$ for a dollar".to_owned());
                from = at + 3 + end;
                continue;
            };
            from = at + 3 + end;
            if !only.takes(name.as_bytes()) {
                out.extend_from_slice(rest.get(..end + 3).unwrap_or_default());
            } else if let Some(value) = block.get(name.as_bytes()) {
                out.extend_from_slice(value);
            } else {
                wrong(at, format!("{name} is not set"));
            }
        } else {
            out.push(b'$');
        }
    }
    if errors.is_empty() {
        out.extend_from_slice(template.get(from..).unwrap_or_default());
        Ok(out)
    } else {
        Err(errors)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::select::Pattern;

    #[test]
    fn templates_are_filled() {
        let block = Block::from_vars([("PIER", "4"), ("EMPTY", ""), ("MONEY", "$$ ${PIER}")]);
        let all = Selection::default();
        let only = Selection::new(vec![Pattern::parse(b"P*").unwrap()]);
        for (template, selection, expected) in [
            ("pier ${PIER}.", &all, Ok("pier 4.")),
            ("[${EMPTY}] $PIER $ $$ $${PIER}", &all, Ok("[] $PIER $ $ ${PIER}")),
            ("${MONEY}", &all, Ok("$$ ${PIER}")),
            ("${PIER} ${OTHER} ${MONEY}", &only, Ok("4 ${OTHER} ${MONEY}")),
            ("a\n  ${NOT} ${PIER} ${GONE}", &all, Err(vec![(2, 3, "NOT is not set"), (2, 18, "GONE is not set")])),
            ("é${", &all, Err(vec![(1, 2, "${ is never closed; write $$ for a dollar")])),
            ("${}", &all, Err(vec![(1, 1, "a reference without a name; write $$ for a dollar")])),
        ] {
            let got = fill(template.as_bytes(), &block, selection);
            let got = got
                .map(|b| String::from_utf8(b).unwrap())
                .map_err(|e| e.into_iter().map(|e| (e.line, e.column, e.what)).collect::<Vec<_>>());
            let expected = expected.map(str::to_owned).map_err(|e| e.into_iter().map(|(l, c, w)| (l, c, w.to_owned())).collect());
            assert_eq!(got, expected, "{template}");
        }
    }
}
