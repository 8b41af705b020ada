//! From inert parts to styled lines that fit.

use ratatui::style::Style;
use ratatui::text::{Line, Span};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
use vectorum_core::Part;

use super::theme::Theme;

/// Turns parts into spans.
pub(crate) fn spans(parts: &[Part], theme: Theme) -> Vec<Span<'static>> {
    parts.iter().map(|p| Span::styled(p.text.clone(), theme.tone(p.tone))).collect()
}

/// Returns the columns that spans take.
pub(crate) fn width(spans: &[Span<'_>]) -> usize {
    spans.iter().map(|s| s.content.width()).sum()
}

/// Cuts spans to a number of columns; what does not fit ends in `…`.
pub(crate) fn fit(spans: Vec<Span<'static>>, columns: usize) -> Vec<Span<'static>> {
    if width(&spans) <= columns {
        return spans;
    }
    let mut left = columns.saturating_sub(1);
    let mut last = Style::new();
    let mut out = Vec::with_capacity(spans.len());
    for span in spans {
        let (text, style) = (span.content, span.style);
        let cut = cut(&text, left);
        left -= cut.width();
        let whole = cut.len() == text.len();
        out.push(Span::styled(cut.to_owned(), style));
        last = style;
        if !whole {
            break;
        }
    }
    if columns > 0 {
        out.push(Span::styled("…", last));
    }
    out
}

/// Returns the longest beginning that takes at most so many columns.
fn cut(text: &str, columns: usize) -> &str {
    let mut used = 0;
    for (at, c) in text.char_indices() {
        used += c.width().unwrap_or(0);
        if used > columns {
            return text.split_at(at).0;
        }
    }
    text
}

/// Breaks a line into lines of at most so many columns, at blanks where it can; all but the
/// first are indented.
pub(crate) fn wrap(spans: Vec<Span<'static>>, columns: usize, indent: usize) -> Vec<Line<'static>> {
    let columns = columns.max(indent + 4);
    if width(&spans) <= columns {
        return vec![Line::from(spans)];
    }
    let mut lines: Vec<Vec<Span<'static>>> = vec![Vec::new()];
    let mut used = 0;
    for span in spans {
        let mut rest: &str = &span.content;
        while !rest.is_empty() {
            let mut piece = cut(rest, columns - used);
            if piece.len() < rest.len() {
                // Between words rather than inside one, where that leaves no large gap.
                match piece.rfind(' ') {
                    Some(blank) if blank * 3 > piece.len() || used > indent => piece = piece.split_at(blank + 1).0,
                    None if used > indent && piece.len() < 12 => piece = "",
                    _ => {}
                }
            }
            if piece.is_empty() {
                lines.push(vec![Span::raw(" ".repeat(indent))]);
                used = indent;
                continue;
            }
            used += piece.width();
            if let Some(line) = lines.last_mut() {
                line.push(Span::styled(piece.to_owned(), span.style));
            }
            rest = rest.split_at(piece.len()).1;
        }
    }
    lines.into_iter().map(Line::from).collect()
}

/// Breaks lines to a number of columns, each one column in from the edge.
pub(crate) fn set_in(lines: Vec<Vec<Span<'static>>>, columns: usize) -> Vec<Line<'static>> {
    let wrapped = lines.into_iter().flat_map(|line| wrap(line, columns.saturating_sub(1), 3));
    wrapped
        .map(|mut line| {
            line.spans.insert(0, Span::raw(" "));
            line
        })
        .collect()
}

/// Returns spans with blanks behind them up to a number of columns.
pub(crate) fn pad(mut spans: Vec<Span<'static>>, columns: usize) -> Vec<Span<'static>> {
    let missing = columns.saturating_sub(width(&spans));
    if missing > 0 {
        spans.push(Span::raw(" ".repeat(missing)));
    }
    spans
}

/// Lays a look over all spans of a row.
pub(crate) fn overlaid(spans: Vec<Span<'static>>, style: Style) -> Vec<Span<'static>> {
    spans
        .into_iter()
        .map(|s| {
            let merged = s.style.patch(style);
            s.style(merged)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_fits_fits_and_what_wraps_keeps_its_text(texts in proptest::collection::vec("[a-z渡 ]{0,12}", 0..5), columns in 0..30usize) {
            let line: Vec<Span<'static>> = texts.iter().map(|t| Span::raw(t.clone())).collect();
            prop_assert!(width(&fit(line.clone(), columns)) <= columns);
            prop_assert!(width(&pad(line.clone(), columns)) >= columns);
            let wrapped = wrap(line, columns, 2);
            let kept: String = wrapped.iter().enumerate().map(|(at, l)| {
                let text: String = l.spans.iter().map(|s| s.content.as_ref()).collect();
                assert!(text.width() <= columns.max(6));
                if at > 0 { text.chars().skip(2).collect() } else { text }
            }).collect();
            prop_assert_eq!(kept, texts.concat());
        }
    }
}
