//! Prompts: what their escapes stand for (bash(1), PROMPTING; zshmisc(1), EXPANSION OF PROMPT
//! SEQUENCES).

use super::{Line, Subject, Tone, part, plain};

const NAMES: &[&[u8]] = &[b"PS0", b"PS1", b"PS2", b"PS4", b"PROMPT", b"RPROMPT", b"RPS1"];

const BASH: &[(u8, &str)] = &[
    (b'u', "account"),
    (b'h', "host, short"),
    (b'H', "host"),
    (b'w', "folder"),
    (b'W', "folder's last part"),
    (b'$', "# for root, else $"),
    (b'!', "number in the history"),
    (b'#', "number of the command"),
    (b'j', "jobs"),
    (b't', "time, 24 h"),
    (b'T', "time, 12 h"),
    (b'@', "time, am or pm"),
    (b'A', "time, hours and minutes"),
    (b'd', "date"),
    (b's', "shell"),
    (b'v', "shell's version"),
    (b'n', "new line"),
    (b'[', "begin of what takes no room"),
    (b']', "end of what takes no room"),
    (b'a', "bell"),
    (b'e', "escape"),
];

const ZSH: &[(u8, &str)] = &[
    (b'n', "account"),
    (b'm', "host, short"),
    (b'M', "host"),
    (b'~', "folder, home as ~"),
    (b'/', "folder"),
    (b'd', "folder"),
    (b'c', "folder's last part"),
    (b'#', "# for root, else %"),
    (b'?', "exit status"),
    (b'j', "jobs"),
    (b'T', "time"),
    (b'*', "time with seconds"),
    (b'B', "bold on"),
    (b'b', "bold off"),
    (b'F', "colour on"),
    (b'f', "colour off"),
];

pub(super) fn explain(subject: &Subject<'_>) -> Option<Vec<Line>> {
    if !NAMES.contains(&subject.name) || subject.value.is_empty() {
        return None;
    }
    let (sign, table) = if subject.value.contains(&b'\\') { (b'\\', BASH) } else { (b'%', ZSH) };
    let mut lines = vec![plain(subject.value)];
    let mut seen = Vec::new();
    let mut bytes = subject.value.iter();
    while let Some(byte) = bytes.next() {
        if *byte != sign {
            continue;
        }
        let Some(letter) = bytes.next() else { break };
        if let Some((_, meaning)) = table.iter().find(|(l, _)| l == letter).filter(|_| !seen.contains(letter)) {
            seen.push(*letter);
            let escape = format!("{}{}  ", char::from(sign), char::from(*letter));
            lines.push(vec![part(Tone::Label, escape), part(Tone::Note, *meaning)]);
        }
    }
    Some(lines)
}
