//! Colour tables: `key=attributes` items, the attributes numbers of ECMA-48's select graphic
//! rendition separated by `;`.

use super::{Hue, Line, Subject, Tone, part};

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let named_so = subject.name.ends_with(b"_COLORS") || subject.name.ends_with(b"_COLOURS");
    let text = subject.text().filter(|_| named_so)?;
    let mut groups: Vec<(&str, Vec<&str>)> = Vec::new();
    for item in text.split(':').filter(|i| !i.is_empty()) {
        let (key, attributes) = item.split_once('=').unwrap_or((item, ""));
        // Items that look alike share a line: such tables are long.
        match groups.iter_mut().find(|(a, _)| *a == attributes) {
            Some((_, keys)) => keys.push(key),
            None => groups.push((attributes, vec![key])),
        }
    }
    if groups.is_empty() {
        return None;
    }
    let lines = groups.into_iter().map(|(attributes, keys)| {
        let label = vec![part(Tone::Label, format!("{:<12} ", crate::inert(attributes.as_bytes())))];
        let tone = sample(attributes);
        let keys = keys.into_iter().flat_map(|key| [part(tone, crate::inert(key.as_bytes())), part(Tone::Plain, " ")]);
        label.into_iter().chain(keys).collect()
    });
    Some(lines.collect())
}

/// Reads attributes into the look that they ask for; what is unknown changes nothing.
fn sample(attributes: &str) -> Tone {
    let (mut fg, mut bg, mut bold, mut underlined) = (None, None, false, false);
    let mut numbers = attributes.split([';', ',']).map(|n| n.parse::<u8>().ok());
    while let Some(number) = numbers.next() {
        match number {
            Some(1) => bold = true,
            Some(4) => underlined = true,
            Some(n @ 30..=37) => fg = Some(Hue::Index(n - 30)),
            Some(n @ 40..=47) => bg = Some(Hue::Index(n - 40)),
            Some(n @ 90..=97) => fg = Some(Hue::Index(n - 90 + 8)),
            Some(n @ 100..=107) => bg = Some(Hue::Index(n - 100 + 8)),
            Some(which @ (38 | 48)) => {
                let hue = match numbers.next().flatten() {
                    Some(5) => numbers.next().flatten().map(Hue::Index),
                    Some(2) => {
                        let mut next = || numbers.next().flatten();
                        next().zip(next()).zip(next()).map(|((r, g), b)| Hue::Rgb(r, g, b))
                    }
                    _ => None,
                };
                if which == 38 { fg = hue.or(fg) } else { bg = hue.or(bg) }
            }
            _ => {}
        }
    }
    Tone::Sample { fg, bg, bold, underlined }
}
