//! Printing: masked and inert on a terminal, the real bytes elsewhere.

use std::io::{self, IsTerminal, Write};

use vectorum_core::{Block, Fingerprinter, Gloss, HostView, Tone, gloss, inert, judge};

use super::Failure;

/// Writes to standard output and flushes.
pub(crate) fn print(bytes: &[u8]) -> Result<(), Failure> {
    let mut out = io::stdout().lock();
    out.write_all(bytes).and_then(|()| out.flush()).map_err(|e| Failure::io("standard output", &e))
}

/// Says something beside the answer, on standard error.
pub(crate) fn note(text: &str) {
    // If standard error is closed, nobody wants to know.
    let _ = writeln!(io::stderr(), "vectorum: {text}");
}

/// Draws a key for fingerprints from the system.
pub(crate) fn fingerprinter() -> Result<Fingerprinter, Failure> {
    let mut key = [0; 32];
    getrandom::fill(&mut key).map_err(|e| Failure::new(format!("the system gives no random bytes: {e}")))?;
    Ok(Fingerprinter::new(key))
}

/// How values are shown to a person.
pub(crate) struct Sight {
    pub(crate) prints: Fingerprinter,
    pub(crate) reveal: bool,
    colour: bool,
}

impl Sight {
    /// For standard output; `None` where that is no terminal and gets the real bytes.
    pub(crate) fn of_terminal(reveal: bool) -> Result<Option<Sight>, Failure> {
        if !io::stdout().is_terminal() {
            return Ok(None);
        }
        Sight::plain(reveal, wants_colour()).map(Some)
    }

    /// For any output, as on a terminal.
    pub(crate) fn plain(reveal: bool, colour: bool) -> Result<Sight, Failure> {
        Ok(Sight { prints: fingerprinter()?, reveal, colour })
    }

    fn paint(&self, tone: Tone, text: &str) -> String {
        let code = match tone {
            Tone::Spelt => "35",
            Tone::Note => "2",
            Tone::Label => "36",
            Tone::Trouble => "33",
            Tone::Mask => "1;35",
            Tone::Plain | Tone::Sample { .. } => "",
        };
        if self.colour && !code.is_empty() { format!("\x1b[{code}m{text}\x1b[0m") } else { text.to_owned() }
    }

    /// Returns a value in one line: inert, and masked where it looks secret.
    pub(crate) fn value(&self, name: &[u8], value: &[u8]) -> String {
        let parts = vectorum_core::masked_line(name, value, &self.prints, self.reveal);
        parts.iter().map(|part| self.paint(part.tone, &part.text)).collect()
    }

    /// Returns a line of a file: inert, and masked where it looks secret.
    pub(crate) fn source(&self, line: &[u8]) -> String {
        let parts = vectorum_core::masked_source(line, &self.prints, self.reveal);
        parts.iter().map(|part| self.paint(part.tone, &part.text)).collect()
    }

    /// Returns a whole entry in one line.
    pub(crate) fn entry(&self, raw: &[u8]) -> String {
        let parts = vectorum_core::masked_entry(raw, &self.prints, self.reveal, raw.len());
        parts.iter().map(|part| self.paint(part.tone, &part.text)).collect()
    }

    /// Returns the arguments of a command in one line.
    pub(crate) fn arguments(&self, arguments: &[&[u8]]) -> String {
        let parts = vectorum_core::masked_arguments(arguments, &self.prints, self.reveal);
        parts.iter().map(|part| self.paint(part.tone, &part.text)).collect()
    }

    /// Returns what a value means, indented.
    pub(crate) fn gloss(&self, name: &[u8], value: &[u8], host: &dyn HostView) -> String {
        let Gloss { kind, lines } = gloss(name, value, host, &self.prints, self.reveal);
        let mut text = format!("  {}\n", self.paint(Tone::Note, kind));
        for line in lines {
            let line: String = line.iter().map(|part| self.paint(part.tone, &part.text)).collect();
            text.push_str(&format!("    {line}\n"));
        }
        text
    }

    /// Returns a name.
    pub(crate) fn name(&self, name: &[u8]) -> String {
        if self.colour { format!("\x1b[1m{}\x1b[0m", inert(name)) } else { inert(name).into_owned() }
    }
}

/// Whether a terminal gets colours (the convention of NO_COLOR, and dumb terminals).
pub(crate) fn wants_colour() -> bool {
    let set = |name: &str| std::env::var_os(name).filter(|v| !v.is_empty());
    set("NO_COLOR").is_none() && set("TERM").is_none_or(|t| t != "dumb")
}

/// Says so if a block that goes out unmasked holds what looks secret.
pub(crate) fn note_secrets(blocks: &[&Block], takes: impl Fn(&[u8]) -> bool) {
    let mut names: Vec<String> = blocks
        .iter()
        .flat_map(|b| b.vars())
        .filter(|(n, v)| takes(n.as_bytes()) && judge(n.as_bytes(), v.as_bytes()).is_secret())
        .map(|(n, _)| n.to_string())
        .collect();
    names.sort();
    names.dedup();
    if !names.is_empty() {
        note(&format!("note: this output carries the real value of what looks secret: {}", names.join(", ")));
    }
}

/// Delivers bytes to a file or to standard output. What carries a secret is readable by its owner
/// alone, or said to carry one.
pub(crate) fn deliver(to: Option<&std::path::Path>, bytes: &[u8], carried: &Block) -> Result<u8, Failure> {
    use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
    let Some(path) = to else {
        note_secrets(&[carried], |_| true);
        return print(bytes).map(|()| 0);
    };
    let has_secret = carried.vars().any(|(n, v)| judge(n.as_bytes(), v.as_bytes()).is_secret());
    let shown = inert(std::os::unix::ffi::OsStrExt::as_bytes(path.as_os_str())).into_owned();
    let failed = |e: io::Error| Failure::io(&shown, &e);
    let mode = if has_secret { 0o600 } else { 0o666 };
    let mut file = std::fs::File::options().write(true).create(true).truncate(true).mode(mode).open(path).map_err(failed)?;
    if has_secret && file.metadata().is_ok_and(|m| m.is_file()) {
        file.set_permissions(PermissionsExt::from_mode(0o600)).map_err(failed)?;
    }
    file.write_all(bytes).map_err(failed)?;
    Ok(0)
}
