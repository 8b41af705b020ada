//! URLs in their parts (RFC 3986, 3).

use super::{Line, Subject, Tone, part};

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let text = subject.text()?;
    if text.chars().any(|c| c.is_whitespace() || c.is_control()) {
        return None;
    }
    let (scheme, _) = text.split_once("://")?;
    let scheme_ok = scheme.starts_with(|c: char| c.is_ascii_alphabetic())
        && scheme.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.'));
    if !scheme_ok {
        return None;
    }
    let mut lines = Vec::new();
    let mut push = |label: &str, from: usize, to: usize| {
        if from < to {
            let mut line = vec![part(Tone::Label, format!("{label:<9}"))];
            line.extend(subject.masked(from..to));
            lines.push(line);
        }
    };
    let find =
        |from: usize, signs: &[char]| text.get(from..).and_then(|rest| rest.find(signs)).map_or(text.len(), |at| from + at);
    push("scheme", 0, scheme.len());
    let start = scheme.len() + 3;
    let mut authority_end = find(start, &['/', '?', '#']);
    // An «@» beyond belongs to a password with a slash in it: see the hiding of passwords.
    let beyond = match &subject.verdict {
        crate::Verdict::Secret { hide, .. } => hide.iter().rev().find(|r| r.start >= start && r.start <= authority_end),
        crate::Verdict::Open => None,
    };
    if let Some(last) = beyond {
        authority_end = authority_end.max(find(last.end, &['/', '?', '#']));
    }
    let authority = text.get(start..authority_end).unwrap_or_default();
    let host_start = match authority.rfind('@') {
        Some(at) => {
            let user_end = authority.find(':').filter(|c| *c < at).unwrap_or(at);
            push("user", start, start + user_end);
            push("password", start + user_end + 1, start + at);
            start + at + 1
        }
        None => start,
    };
    let host = text.get(host_start..authority_end).unwrap_or_default();
    let port =
        host.rfind(':').filter(|at| host.get(at + 1..).is_some_and(|p| !p.is_empty() && p.bytes().all(|b| b.is_ascii_digit())));
    push("host", host_start, port.map_or(authority_end, |at| host_start + at));
    if let Some(at) = port {
        push("port", host_start + at + 1, authority_end);
    }
    let path_end = find(authority_end, &['?', '#']);
    push("path", authority_end, path_end);
    let query_end = find(path_end, &['#']);
    if text.get(path_end..).is_some_and(|rest| rest.starts_with('?')) {
        let mut at = path_end + 1;
        for pair in text.get(at..query_end).unwrap_or_default().split('&') {
            push("query", at, at + pair.len());
            at += pair.len() + 1;
        }
    }
    push("fragment", query_end + 1, text.len());
    (lines.len() > 1).then_some(lines)
}
