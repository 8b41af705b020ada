//! Locale names: `language_TERRITORY.codeset@modifier` (POSIX XBD 8.2, locale(7)).

use super::{Line, Subject, Tone, part};

/// What each category decides, in the order of locale(7).
const CATEGORIES: &[(&str, &str)] = &[
    ("LANG", "the default for every category that no other variable sets"),
    ("LC_ALL", "beats LANG and every other LC_ variable"),
    ("LC_CTYPE", "characters: which bytes form one, what is a letter"),
    ("LC_COLLATE", "the order of text"),
    ("LC_MESSAGES", "the language of messages"),
    ("LC_MONETARY", "amounts of money"),
    ("LC_NUMERIC", "decimal point and grouping of numbers"),
    ("LC_TIME", "dates and times"),
    ("LC_ADDRESS", "postal addresses"),
    ("LC_IDENTIFICATION", "the locale's own description"),
    ("LC_MEASUREMENT", "units of measure"),
    ("LC_NAME", "forms of address"),
    ("LC_PAPER", "paper size"),
    ("LC_TELEPHONE", "telephone numbers"),
];

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    let (_, decides) = CATEGORIES.iter().find(|(name, _)| name.as_bytes() == subject.name)?;
    let text = subject.text().filter(|t| !t.is_empty() && !t.contains(char::is_control))?;
    let row = |label: &str, value: &str, note: &str| -> Line {
        vec![part(Tone::Label, format!("{label:<10}")), part(Tone::Plain, crate::inert(value.as_bytes())), part(Tone::Note, note)]
    };
    let mut lines = vec![row("locale", text, "")];
    if matches!(text, "C" | "POSIX") {
        lines.push(vec![part(Tone::Note, "the same on every host: ASCII, byte order, English messages")]);
    } else {
        let (rest, modifier) = text.split_once('@').map_or((text, None), |(r, m)| (r, Some(m)));
        let (rest, codeset) = rest.split_once('.').map_or((rest, None), |(r, c)| (r, Some(c)));
        let (language, territory) = rest.split_once('_').map_or((rest, None), |(l, t)| (l, Some(t)));
        lines.push(row("language", language, if language == "C" { "  as C, in another codeset" } else { "" }));
        lines.extend(territory.map(|t| row("territory", t, "")));
        match codeset {
            Some(codeset) => lines.push(row("codeset", codeset, "")),
            None => lines.push(vec![part(Tone::Trouble, "! no codeset: an old 8-bit one is taken, not UTF-8")]),
        }
        lines.extend(modifier.map(|m| row("modifier", m, "")));
    }
    lines.push(vec![part(Tone::Label, format!("{:<10}", "decides")), part(Tone::Note, *decides)]);
    Some(lines)
}
