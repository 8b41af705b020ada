//! Programs that fish runs: where they lie, what they answer, and what is asked of them.

use super::super::lookup::{UNREAD, is_program};
use super::super::outputs::PRINTED;
use super::super::program::{self, Place};
use super::super::successor::{counted_out, manner};
use super::commands::is_keyword;
use super::functions::OWN;
use super::*;

impl Fish<'_> {
    /// `exec`: the shell becomes a program; where that is not there, it goes on (measured: fish 3.6).
    pub(super) fn exec(&mut self, arguments: &[Val]) {
        let is_odd = |word: &Bytes| word.starts_with(b"-") || word.contains(&b'/') || word == ".." || word == ".";
        if let Some(word) = arguments.first().and_then(Val::known).filter(|word| is_odd(word))
            && !matches!(self.program(word), Ok(Some(_)))
        {
            return self.doubt_status("how «exec» ends without a command");
        }
        let found = match arguments.first().and_then(Val::known).cloned() {
            Some(name) => self.program(&name),
            None => return self.set_status(2),
        };
        match found {
            Ok(Some(path)) if self.is_succeeded(&path, arguments.get(1..).unwrap_or_default(), true) => {}
            Ok(Some(_)) => self.leave(Leaves::Shell),
            Ok(None) => self.refuse(127),
            Err(doubt) => self.fork(&doubt, |m| m.leave(Leaves::Shell), |m| m.refuse(127)),
        }
    }

    /// The program is reached up to which all is followed.
    pub(super) fn stop(&mut self) {
        let why = self.doubt(PARTED);
        self.stopped.add(self.live.take(), &why);
    }

    /// Goes on at another shell, if a program is one that somebody types at now. Returns whether it is.
    fn is_succeeded(&mut self, program: &Bytes, arguments: &[Val], is_replaced: bool) -> bool {
        if !self.manner.is_interactive() || self.quiet + self.captures > 0 || self.until.is_some() {
            return false;
        }
        let Some(manner) = manner(program, arguments, is_replaced) else { return false };
        let one = |m: &Self, name: &[u8]| m.items(name).ok().and_then(|items| items.first().cloned());
        let folder = one(self, b"PWD").and_then(|folder| folder.known().cloned());
        if is_replaced {
            let level = counted_out(one(self, b"SHLVL").as_ref());
            self.put(b"SHLVL", Some(Kept::Global), vec![level], Some(true), None);
        }
        self.succession.add(program, manner, false, folder);
        self.stop();
        true
    }

    /// A program.
    pub(super) fn outside(&mut self, name: &[u8], arguments: &[Val]) {
        match self.program(name) {
            Ok(Some(path)) if self.until.as_ref() == Some(&path) && self.quiet == 0 => {
                self.stop();
            }
            Ok(Some(path)) if self.is_succeeded(&path, arguments, false) => {}
            Ok(Some(path)) => {
                let base = path.rsplit(|b| *b == b'/').next().unwrap_or_default().to_vec();
                match self.answer_of(&base, arguments) {
                    Some((text, status)) => {
                        self.print(text);
                        self.set_status(status);
                    }
                    None => {
                        let text = Unknown::of(self.doubt(PRINTED)).setting(program::sets(&base));
                        self.print(Val::Unknown(text));
                        self.write_perhaps_beside();
                        self.doubt_status("how a program ends");
                    }
                }
            }
            Ok(None) if self.is_shipped(name) || name.starts_with(OWN) => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.write_perhaps_beside();
                self.doubt_status("how a function of fish ends");
            }
            Ok(None) if self.may_be_elsewhere() => self.fog("where functions lie is not known"),
            Ok(None) if name.ends_with(b"/") => self.doubt_status("whether there is such a command"),
            Ok(None) => {
                // What is there and cannot be run has another status than what is not there.
                let path = name.contains(&b'/').then(|| self.full(name));
                match path.map_or(Kind::Missing, |path| self.ground.files.kind(&path)) {
                    Kind::Missing => self.refuse(127),
                    Kind::Unknown => self.refuse_with_any_status(),
                    _ => self.refuse(126),
                }
            }
            // Whether it is there is not known; what it receives is told as if it were.
            Err(_) if self.quiet == 0 && self.until.as_ref().is_some_and(|until| **until == *name) => {
                self.stop();
            }
            Err(_) => {
                self.print(Val::unknown(self.doubt(PRINTED)));
                self.write_perhaps_beside();
                self.doubt_status("how a program ends");
                if let Some(state) = &mut self.live {
                    state.refused = Refused::Perhaps;
                }
            }
        }
    }

    pub(super) fn program(&mut self, name: &[u8]) -> Result<Option<Bytes>, Arc<Doubt>> {
        let is_it = |m: &Self, path: &[u8]| is_program(m.ground.files, m.account, path).ok_or_else(|| m.doubt(UNREAD));
        if name.contains(&b'/') {
            let path = self.full(name);
            return Ok(is_it(self, &path)?.then_some(path));
        }
        let folders = self.items(b"PATH")?;
        // Each folder is some items' work.
        self.steps.count(4 * folders.len());
        for folder in folders {
            let Val::Known(folder) = folder else { return Err(self.doubt("where programs are looked up is not known")) };
            let path: Bytes = [&self.full(&folder)[..], b"/", name].concat().into();
            if is_it(self, &path)? {
                return Ok(Some(path));
            }
        }
        Ok(None)
    }

    /// What a program prints and how it ends, where that follows from the host.
    pub(super) fn answer_of(&mut self, base: &[u8], arguments: &[Val]) -> Option<(Val, u8)> {
        let known: Vec<&[u8]> = arguments.iter().map(|a| a.known().map(|k| &k[..])).collect::<Option<_>>()?;
        self.touched.changed_by(base, &known, |p| Some(self.full(p)));
        let folder = self.items(b"PWD").ok()?.first()?.known().cloned();
        let input = self.live.as_ref().and_then(|s| s.input.text.known().cloned());
        let place = Place { ground: self.ground, account: self.account, folder, input, has_terminal: false };
        let answer = place.answer(base, &known)?;
        Some((answer.output, answer.status?))
    }

    pub(super) fn asked(&mut self, name: &[u8], arguments: &[Val], known: Option<&[Bytes]>) {
        let Some(words) = known else {
            self.print(Val::unknown(self.doubt("what a command prints")));
            // What it runs may set something.
            return match arguments.split_first() {
                Some((Val::Known(wanted), rest)) if name == b"builtin" && wanted == "set" => self.named(&wanted.clone(), rest),
                _ if name == b"builtin" => self.fog("a command of fish whose words are not known"),
                _ => self.doubt_status("whether there is such a command"),
            };
        };
        let options = words.iter().take_while(|w| w.starts_with(b"-")).count();
        let Some(wanted) = words.get(options).cloned() else { return self.doubt_status("whether there is such a command") };
        let asks = words
            .iter()
            .take(options)
            .any(|w| matches!(&w[..], b"-q" | b"--query" | b"-v" | b"-s" | b"--search" | b"-sq" | b"-qs"));
        let is_wrong = |word: &Bytes| {
            let long =
                [&b"--all"[..], b"--short", b"--no-functions", b"--type", b"--path", b"--force-path", b"--query", b"--help"];
            match &word[..] {
                [b'-', b'-', ..] => !long.contains(&&word[..]),
                [_, letters @ ..] => !letters.iter().all(|letter| b"asftpPqh".contains(letter)),
                [] => false,
            }
        };
        if name == b"builtin"
            && words.iter().take(options).any(|word| !matches!(&word[..], b"-q" | b"--query" | b"-n" | b"--names"))
        {
            return self.doubt_status("an option that is not followed");
        }
        if name == b"type" && words.iter().take(options).any(is_wrong) {
            return self.doubt_status("an option that is not followed");
        }
        if name != b"type" && !asks {
            // Run as it stands, functions passed over.
            let rest = arguments.get(options + 1..).unwrap_or_default();
            if options > 0 {
                return self.doubt_status("an option that is not followed");
            }
            if name == b"command" {
                return self.outside(&wanted, rest);
            }
            if matches!(&wanted[..], b"command" | b"builtin") {
                return self.doubt_status("whether there is such a command");
            }
            // What words such as `not` do there is not followed.
            if !self.has_command(&wanted) || is_keyword(&wanted) {
                return self.doubt_status("whether there is such a command");
            }
            let hidden = self.function(&wanted);
            self.name(wanted.clone(), Named::Erased);
            self.named(&wanted, rest);
            // What is not there then ends in another way.
            if wanted == b"exec"[..] {
                self.doubt_status("how «exec» ends behind «builtin»");
            }
            if let Some(state) = &mut self.live {
                match hidden {
                    Some(function) => state.functions.insert(wanted, function),
                    None => state.functions.remove(&wanted),
                }
            }
            return;
        }
        let is_quiet = words
            .iter()
            .take(options)
            .any(|w| w == "--query" || w.starts_with(b"-") && !w.starts_with(b"--") && w.contains(&b'q'));
        if !is_quiet && name != b"command" {
            self.print(Val::unknown(self.doubt("what a command prints")));
        }
        // Of those that it has it is certain.
        if name == b"builtin" && self.function(&wanted).is_none() && self.is_own(&wanted) && words.len() == options + 1 {
            return self.set_status(0);
        }
        if name == b"builtin" {
            return self.doubt_status("whether there is such a command");
        }
        let passes_over = |word: &Bytes| match &word[..] {
            [b'-', b'-', ..] => !matches!(&word[..], b"--query" | b"--all" | b"--short" | b"--type"),
            letters => letters.iter().any(|letter| b"fPh".contains(letter)),
        };
        if name == b"type" && words.iter().take(options).any(passes_over) {
            return self.doubt_status("whether there is such a command");
        }
        if name == b"type" {
            for name in words.iter().skip(options) {
                self.take_in(name);
            }
            match self.has_function(&wanted) {
                _ if self.has_command(&wanted) => return self.set_status(0),
                Some(true) => return self.set_status(0),
                Some(false) => {}
                None if matches!(self.program(&wanted), Ok(Some(_))) => return self.set_status(0),
                None => return self.doubt_status("whether there is such a function"),
            }
        }
        if words.len() > options + 1 {
            self.print(Val::unknown(self.doubt("what a command prints")));
            return self.doubt_status("whether there are such commands");
        }
        match self.program(&wanted) {
            Ok(Some(path)) => {
                if !is_quiet && name == b"command" {
                    self.print(both(&Val::Known(path), &Val::of(b"\n")));
                }
                self.set_status(0);
            }
            Ok(None) => self.set_status(if name == b"command" { 127 } else { 1 }),
            Err(_) => {
                if !is_quiet {
                    self.print(Val::unknown(self.doubt("what a command prints")));
                }
                self.doubt_status("where programs are looked up is not known");
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn what_is_no_command_is_told_by_its_status() {
        hold_fish(&[
            ("nosuch; set -gx OUT $status", "127"),
            ("command nosuch; set -gx OUT $status", "127"),
            ("/none/x; set -gx OUT $status", "127"),
            ("command -q nosuch; set -gx OUT $status; command -q set; set -a OUT $status", "127 127"),
            ("type -q set; set -gx OUT $status; type -q nosuch; set -a OUT $status", "0 1"),
            ("builtin -q set; set -gx OUT $status; builtin -q nosuch; set -a OUT $status", "<unknown>"),
            ("nosuch; or set -gx OUT 1", "1"),
            ("nosuch; and set -gx OUT 1; set -gx OUT \"$OUT$status\"", "127"),
            ("nosuch || set -gx OUT never; set -gx OUT \"$OUT$status\"", "127"),
            ("set -gx OUT a; set OUT (nosuch); set -gx OUT $OUT $status", "a 127"),
            ("true | nosuch; set -gx OUT $status", "127"),
            ("set V 1 | nosuch; set -gx OUT \"[$V]\"", "[]"),
            ("exec nosuch; set -gx OUT $status", "127"),
            ("exec; set -gx OUT $status", "2"),
            ("set -gx OUT (command -v nosuch; echo $status)", "127"),
            ("set -gx OUT (builtin echo a)", "a"),
            ("builtin set -gx OUT 1", "1"),
            ("builtin true; set -gx OUT $status", "0"),
            ("set V true; $V; set -gx OUT $status", "0"),
            ("$nosuch; set -gx OUT $status", "123"),
            ("\"\"; set -gx OUT $status", "123"),
        ]);
    }
}
