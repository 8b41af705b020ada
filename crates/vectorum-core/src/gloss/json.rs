//! JSON laid out (RFC 8259), token for token: numbers, order and doubles stay as they are.

use super::{Line, Subject, Tone, part};

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let value = subject.value;
    let looks_so = matches!(value.trim_ascii_start().first(), Some(b'{' | b'['));
    // Deep nesting is refused by the checker: laying out costs no recursion.
    if !looks_so || serde_json::from_slice::<serde_json::Value>(value).is_err() {
        return None;
    }
    let mut lines: Vec<Line> = vec![Line::new()];
    let mut depth = 0usize;
    let mut at = 0;
    while let Some(byte) = value.get(at) {
        let mut end = at + 1;
        match byte {
            b'"' => {
                while value.get(end).is_some_and(|b| *b != b'"') {
                    end += if value.get(end) == Some(&b'\\') { 2 } else { 1 };
                }
                end += 1;
            }
            b'{' | b'[' | b'}' | b']' | b',' | b':' => {}
            b if b.is_ascii_whitespace() => {
                at += 1;
                continue;
            }
            _ => {
                while value.get(end).is_some_and(|b| !b.is_ascii_whitespace() && !b",]}:".contains(b)) {
                    end += 1;
                }
            }
        }
        let next = value.get(end..).unwrap_or_default().trim_ascii_start().first();
        let is_empty = |open: u8, close: u8| *byte == open && next == Some(&close);
        if matches!(byte, b'}' | b']') && lines.last().is_some_and(|l| !ends_with_opening(l)) {
            depth = depth.saturating_sub(1);
            lines.push(indented(depth));
        }
        if let Some(line) = lines.last_mut() {
            line.extend(subject.masked(at..end));
            if *byte == b':' {
                line.push(part(Tone::Plain, " "));
            }
        }
        if matches!(byte, b'{' | b'[') && !is_empty(b'{', b'}') && !is_empty(b'[', b']') {
            depth += 1;
            lines.push(indented(depth));
        } else if *byte == b',' {
            lines.push(indented(depth));
        }
        at = end;
    }
    Some(lines)
}

fn ends_with_opening(line: &Line) -> bool {
    line.last().is_some_and(|p| p.text == "{" || p.text == "[")
}

fn indented(depth: usize) -> Line {
    vec![part(Tone::Plain, "  ".repeat(depth.min(20)))]
}
