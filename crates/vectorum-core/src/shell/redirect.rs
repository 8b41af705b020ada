//! Redirections: whether files can be opened, and what a command reads and writes there.

mod numbers;

use bytes::Bytes;

use numbers::{Copied, are_at_odds};

use super::content::Content;
use super::frame::Boundary;
use super::machine::Machine;
use super::parameter::{UNSET_IS_ERROR, is_plain_cut};
use super::parse::is_name_start;
use super::passing::{PASSES, is_made_up};
use super::program::sets;
use super::reference::BAD_SHAPE;
use super::setting::has_sum;
use super::streams::{Goes, Opening, Streams, number_of, stands_for_number};
use super::syntax::{Change, Command, Dialect, Part, Redirect, Word};
use super::value::{Maybe, Val};
use crate::host_view::{self, Kind, Want};

/// What a redirection names.
#[derive(Debug)]
pub(super) enum Named {
    One(Bytes),
    /// No file, or more than one where one is to be named.
    NoneOrMany,
    Unknown,
}

impl Named {
    /// The one file, if it is known which.
    pub(super) fn one(self) -> Option<Bytes> {
        match self {
            Named::One(path) => Some(path),
            Named::NoneOrMany | Named::Unknown => None,
        }
    }
}

/// Whether a part is text that names no files.
fn is_plain(part: &Part) -> bool {
    matches!(part, Part::Text(text) if !text.iter().any(|byte| b"*?[({".contains(byte)))
}

/// Why a word is not followed, or a text that is read like one.
fn unfollowed(parts: &[Part]) -> Option<&'static str> {
    parts.iter().find_map(|part| match part {
        Part::Unfollowed(why) => Some(*why),
        Part::Parameter(parameter) => match &parameter.change {
            Change::Unfollowed(why) => Some(*why),
            _ => None,
        },
        Part::Double(parts) => unfollowed(parts),
        Part::Document(text) => text.get().and_then(|text| text.as_ref().ok()).and_then(|parts| unfollowed(parts)),
        _ => None,
    })
}

const MAY_FAIL: &str = "an expansion that may fail";

/// Whether something in a word may be refused where it is expanded.
pub(super) fn may_refuse(parts: &[Part]) -> bool {
    let refuses = |part: &Part| match part {
        Part::Unfollowed(_) => true,
        Part::Parameter(parameter) => match &parameter.change {
            change @ Change::Slice(..) => !is_plain_cut(change),
            change => matches!(change, Change::Unfollowed(_) | Change::Instead(b'?', ..)),
        },
        _ => false,
    };
    parts.iter().any(|part| part.has(&refuses))
}

/// Whether a sum in a text may be wrong where it is worked out.
fn may_divide(parts: &[Part]) -> bool {
    let is_odd = |part: &Part| !matches!(part, Part::Text(text) | Part::Quoted(text) if !text.iter().any(|b| b"/%".contains(b)));
    parts.iter().any(|part| match part {
        Part::Sum(parts) => parts.iter().any(is_odd),
        Part::Double(parts) => may_divide(parts),
        Part::Document(text) => text.get().and_then(|text| text.as_ref().ok()).is_some_and(|parts| may_divide(parts)),
        _ => false,
    })
}

impl Machine<'_> {
    /// Whether a redirection may be refused by its word, which ends no more than what it is for: in ksh and mksh, what is
    /// read as a text in dash and zsh, and a sum in zsh (measured: 93u+m, R59, 0.5.12, 5.9).
    fn may_be_refused(&self, redirect: &Redirect) -> bool {
        let parts = &redirect.word.parts[..];
        let is_text = redirect.operator.starts_with(b"<<");
        match self.dialect {
            Dialect::Bash => false,
            Dialect::Dash => is_text && (may_refuse(parts) || may_divide(parts)),
            Dialect::Ksh => self.may_be_an_error(parts),
            Dialect::Mksh => may_refuse(parts) || is_text && has_sum(parts),
            Dialect::Zsh => is_text && self.may_be_an_error(parts) || has_sum(parts),
        }
    }

    /// Whether a word has a parameter that may not be set where that is an error.
    pub(super) fn may_lack_name(&self, parts: &[Part]) -> bool {
        self.refuses_unset()
            && parts.iter().any(|part| match part {
                Part::Parameter(parameter) => {
                    let is_other = matches!(parameter.change, Change::Instead(..));
                    let is_name = parameter.name.first().is_some_and(|byte| is_name_start(*byte));
                    let is_there = is_name && matches!(self.content_of(&parameter.name), Content::Set(_));
                    let lacks = |word: &Word| self.may_lack_name(&word.parts);
                    let within = match &parameter.change {
                        Change::Trim(_, _, word) | Change::Instead(_, _, word) => lacks(word),
                        Change::Replace(both, _) => lacks(&both.0) || lacks(&both.1),
                        _ => false,
                    };
                    !(is_other || is_there) || within
                }
                Part::Double(parts) => self.may_lack_name(parts),
                Part::Document(text) => match text.get() {
                    Some(Ok(parts)) => self.may_lack_name(parts),
                    _ => false,
                },
                Part::Sum(_) => true,
                _ => false,
            })
    }

    /// Whether nothing but redirections stands there, by which zsh copies what it reads (zshmisc(1), «Redirections with no
    /// command»).
    fn copies_input(&self, command: &Command) -> bool {
        let is_empty = matches!(&command.kind, super::syntax::Kind::Simple(assignments, words) if assignments.is_empty() && words.is_empty());
        is_empty && self.is_own_zsh()
    }

    /// Whether what it copies with may be something else by a variable.
    fn copies_otherwise(&self) -> bool {
        let is_set = |name: &[u8]| self.live.as_ref().and_then(|s| s.vars.get(name)).is_some_and(|var| var.site.is_some());
        is_set(b"NULLCMD") || is_set(b"READNULLCMD")
    }

    /// The file that a redirection names. bash expands it as words are expanded, of which there is to be one; in zsh a pattern
    /// may name several, which are all written or read (bash(1), «REDIRECTION»; zshmisc(1), «Multios»).
    pub(super) fn file_named(&mut self, word: &Word) -> Named {
        let has_signs = |part: &Part| matches!(part, Part::Text(text) if text.iter().any(|byte| b"*?[({<^#~".contains(byte)));
        match self.dialect {
            Dialect::Bash if self.may_be_set("posix") && word.calm().is_none() => {
                let is_plain = word.parts.iter().all(|part| matches!(part, Part::Quoted(_) | Part::Double(_)) || is_plain(part));
                if is_plain { self.one_file(word) } else { Named::Unknown }
            }
            Dialect::Bash => match self.fields(std::slice::from_ref(word)) {
                Ok(fields) => match &fields[..] {
                    [Val::Known(path)] => Named::One(path.clone()),
                    [Val::Unknown(_)] => Named::Unknown,
                    _ => Named::NoneOrMany,
                },
                Err(_) => Named::Unknown,
            },
            Dialect::Zsh if word.parts.iter().any(has_signs) => {
                let fields = self.fields(std::slice::from_ref(word));
                let paths: Option<Vec<_>> =
                    fields.ok().and_then(|fields| fields.iter().map(|path| path.known().cloned()).collect());
                match paths.as_deref() {
                    Some([path]) => Named::One(path.clone()),
                    paths => {
                        for path in paths.unwrap_or(&[Bytes::new()]) {
                            self.touched.touch(&self.full(path).filter(|_| !path.is_empty()).unwrap_or_default());
                        }
                        Named::Unknown
                    }
                }
            }
            _ => self.one_file(word),
        }
    }

    fn one_file(&mut self, word: &Word) -> Named {
        match self.one_word(word).ok().and_then(|path| path.known().cloned()) {
            Some(path) => Named::One(path),
            None => Named::Unknown,
        }
    }

    /// Opens redirections: whether that succeeds, and where what is written goes then.
    pub(super) fn redirected(&mut self, command: &Command) -> (Maybe, Streams) {
        let is_piped = std::mem::take(&mut self.is_piped);
        let mut opening = self.opening(is_piped);
        let opened = self.opened(command, &mut opening);
        (opened, opening.streams)
    }

    fn opened(&mut self, command: &Command, opening: &mut Opening) -> Maybe {
        let redirects = &command.redirects[..];
        let mut answer = Ok(true);
        // What copies cannot do so where that is closed, or open for writing alone.
        let is_odd = |redirect: &Redirect| {
            redirect.word.literal() == Some(b"-")
                || redirect.from == b"0" && redirect.operator.starts_with(b">")
                || redirect.operator == b"<&" && redirect.word.literal() != Some(b"0")
        };
        if self.copies_input(command) && redirects.iter().any(is_odd) {
            answer = Err(self.doubt("what is copied from a file that is closed"));
        }
        if self.dialect == Dialect::Zsh && are_at_odds(redirects) {
            let doubt = self.doubt("a file that is read and written by one number");
            self.fail_or_go_on(&doubt);
            answer = Err(doubt);
        }
        for redirect in redirects {
            self.number_opened(redirect);
            let number = number_of(redirect);
            // It ends the shell, or what it is for alone, by the shell and by what that is.
            if self.may_lack_name(&redirect.word.parts) {
                self.fail_perhaps(UNSET_IS_ERROR);
                answer = Err(self.doubt(UNSET_IS_ERROR));
                continue;
            }
            // There it is an error of what it is for alone.
            if self.may_be_refused(redirect) {
                // In zsh only where that is a program's.
                if self.dialect == Dialect::Zsh {
                    self.fail_or_go_on(&self.doubt(MAY_FAIL));
                }
                self.doubt_what_is_set(&redirect.word.parts, &self.doubt(MAY_FAIL));
                answer = Err(self.doubt(MAY_FAIL));
                continue;
            }
            let file = match &redirect.operator[..] {
                b">&" | b"<&" => match self.copied(redirect, &opening.streams) {
                    Copied::Closed => {
                        opening.streams.close(number);
                        // There a name has to hold the number of one that is open.
                        if self.dialect == Dialect::Zsh && !redirect.from.iter().all(u8::is_ascii_digit) {
                            answer = Err(self.doubt("whether a file is open by that number"));
                        }
                        continue;
                    }
                    Copied::Open(from, is_moved) => {
                        let goes = opening.streams.goes(from);
                        // A number that is copied to itself counts as one that is opened twice.
                        if number == Some(from) && self.dialect == Dialect::Dash {
                            opening.send(number, goes);
                        }
                        match redirect.operator == b"<&" {
                            true => opening.streams.open(number, goes),
                            false => opening.send(number, goes),
                        }
                        if is_moved {
                            opening.streams.close(Some(from));
                        }
                        continue;
                    }
                    Copied::Unsure => {
                        opening.send(number, opening.streams.any());
                        answer = Err(self.doubt("whether a file is open by that number"));
                        continue;
                    }
                    Copied::Refused => return Ok(false),
                    Copied::File(path) => Some(path),
                },
                _ => None,
            };
            if redirect.operator.starts_with(b"<") {
                opening.streams.open(number, Goes::Away);
                // Nothing can be written to it.
                if number != Some(0) {
                    opening.streams.close(number);
                }
            }
            match &redirect.operator[..] {
                b"<<" | b"<<-" | b"<<<" => {
                    // What cannot be put together is not read, and the command not run.
                    let is_odd = |p: &Part| matches!(p, Part::Document(text) if !matches!(text.get(), Some(Ok(_))));
                    if redirect.word.parts.iter().any(is_odd) {
                        self.fail_perhaps("the text of a here-document");
                        answer = Err(self.doubt("the text of a here-document"));
                    }
                    // There it is an error of what it is for alone.
                    match unfollowed(&redirect.word.parts).filter(|_| self.dialect == Dialect::Mksh) {
                        Some(BAD_SHAPE) => return Ok(false),
                        Some(_) => answer = Err(self.doubt("an expansion that may fail")),
                        None => {}
                    }
                    continue;
                }
                // What is read of commands beside the shell can be opened.
                b"<" if matches!(&redirect.word.parts[..], [Part::Channel(_)]) => continue,
                operator => {
                    // What is not known may be what stands for a number.
                    let any = opening.streams.any();
                    // There it is a program that is looked up.
                    let looks_up =
                        matches!(redirect.word.parts.first(), Some(Part::Text(text)) if text.len() > 1 && text.starts_with(b"="));
                    if self.is_own_zsh() && looks_up {
                        let doubt = self.doubt("a program that is looked up for a file");
                        self.fail_or_go_on(&doubt);
                        opening.send(number, any);
                        answer = Err(doubt);
                        continue;
                    }
                    let is_copied = file.is_some();
                    let path = match file.map_or_else(|| self.file_named(&redirect.word), Named::One) {
                        Named::One(path) => path,
                        Named::NoneOrMany => return Ok(false),
                        Named::Unknown => {
                            opening.send(number, any);
                            answer = Err(self.doubt("a file is opened whose name is not known"));
                            continue;
                        }
                    };
                    if !operator.starts_with(b"<") {
                        let goes = opening.streams.file(&path, self.dialect == Dialect::Ksh);
                        opening.send(number, goes);
                        // `&>FILE`, and `>&FILE` where that is the same.
                        if operator.starts_with(b"&") || is_copied && number == Some(1) {
                            opening.send(Some(2), goes);
                        }
                    }
                    if opening.streams.may_lack(&path) {
                        answer = Err(self.doubt("whether a file is open by that number"));
                        continue;
                    }
                    if path == b"/dev/null"[..] {
                        continue;
                    }
                    // Only a process that has a terminal has that one (tty(4)).
                    if path == b"/dev/tty"[..] {
                        if !self.is_interactive {
                            answer = Err(self.doubt("whether there is a terminal"));
                        }
                        continue;
                    }
                    // It is opened anew, which somebody else's is not, nor a socket (proc(5), `/proc/PID/fd/`); ksh copies it.
                    if stands_for_number(&path) {
                        if self.dialect != Dialect::Ksh && !opening.streams.is_own(&path) {
                            answer = Err(self.doubt("whether what is open can be opened anew"));
                        }
                        continue;
                    }
                    // None is called so (POSIX, 4.16).
                    if path.is_empty() {
                        return Ok(false);
                    }
                    let Some(full) = self.full(&path) else {
                        answer = Err(self.doubt("a file is opened whose name is not known"));
                        continue;
                    };
                    if operator == b"<" {
                        match self.content(&full) {
                            host_view::Content::Bytes(_) => {}
                            // It can be opened, and nothing read of it.
                            _ if self.ground.files.kind(&full) == Kind::Folder => {}
                            host_view::Content::Missing => return Ok(false),
                            host_view::Content::Denied => {
                                let why = if is_made_up(&full) { PASSES } else { "a file is opened that may not be read" };
                                answer = Err(self.doubt(why));
                            }
                        }
                    } else {
                        let can = self.can_write(&full, matches!(operator, b">" | b">&"));
                        self.touched.touch(&full);
                        match can {
                            Some(true) => {}
                            Some(false) => return Ok(false),
                            None => answer = Err(self.doubt("whether a file can be written is not known")),
                        }
                        let is_whole = redirects.len() == 1 && matches!(operator, b">" | b">|");
                        if is_whole
                            && (redirect.from.is_empty() || redirect.from == b"1")
                            && let Some(names) = self.told_by(command)
                        {
                            self.touched.tell(&full, names);
                        }
                    }
                }
            }
        }
        answer
    }

    /// The names that what a command writes sets where it is run, if it can set no others.
    fn told_by(&self, command: &Command) -> Option<&'static [&'static str]> {
        let super::syntax::Kind::Simple(_, words) = &command.kind else { return None };
        let name = words.first().and_then(Word::literal).filter(|name| self.is_program(name))?;
        sets(name.rsplit(|b| *b == b'/').next().unwrap_or(name))
    }

    /// Whether a file can be written to, or made where there is none, as far as owners and modes tell.
    fn can_write(&self, full: &[u8], replaces: bool) -> Option<bool> {
        let account = self.account;
        let may = |path: &[u8], want| self.ground.files.may(path, account.uid, account.gid, want);
        if [&b"/proc/"[..], b"/sys/", b"/dev/"].iter().any(|place| full.starts_with(place)) {
            return None;
        }
        match self.ground.files.kind(full) {
            Kind::Folder => Some(false),
            Kind::File | Kind::Program if !replaces || self.live.as_ref()?.option("noclobber") == Some(false) => {
                may(full, Want::Write)
            }
            Kind::Missing => {
                let slash = memchr::memrchr(b'/', full)?;
                let folder = full.get(..slash.max(1))?;
                match self.ground.files.kind(folder) {
                    // One that is missing may be there when it is run: places for what is written are made last.
                    Kind::Folder => Some(may(folder, Want::Write)? && may(folder, Want::Execute)?).filter(|may| *may),
                    _ => None,
                }
            }
            _ => None,
        }
    }

    /// What is not as it was, or not known, behind a command that opened files in the way of its shell.
    fn after_opened(&mut self, command: &Command, streams: Streams, outer: Option<Streams>) {
        self.lose_output(command, outer);
        // There the number is put in such a name once more behind a command (measured: 93u+m).
        if self.dialect == Dialect::Ksh {
            let names = command.redirects.iter().map(|redirect| &redirect.from[..]);
            names.filter(|name| !name.iter().all(u8::is_ascii_digit)).for_each(|name| self.doubt_from_here(name));
        }
        if streams.lacks && self.dialect == Dialect::Dash {
            self.say_perhaps();
        }
        // Its status may be that of what copies it (measured: zsh 5.9).
        if streams.is_split {
            self.doubt_status(self.doubt("how a command ends of which the output is copied"));
        }
    }

    pub(super) fn run_kind(&mut self, command: &Command, streams: Streams) {
        if command.redirects.is_empty() {
            self.run_bare(command);
            self.keeps_open = false;
            return;
        }
        let outer = self.live.as_mut().map(|state| std::mem::replace(&mut state.output.streams, streams));
        self.show_run();
        // What stands behind the others counts, but in zsh, where all of them are read.
        let is_read = |r: &&Redirect| match &r.from[..] {
            b"" => r.operator.starts_with(b"<"),
            number => number == b"0",
        };
        let reads = command.redirects.iter().rev().find(is_read);
        let many = self.dialect == Dialect::Zsh && command.redirects.iter().filter(is_read).count() > 1;
        let outer_input = self.live.as_ref().map(|s| s.input.clone());
        if let Some(redirect) = reads {
            let text = match &redirect.operator[..] {
                // What is read by another number is not followed.
                _ if many => None,
                b"<&" | b"<>" | b">&" => None,
                operator if !operator.starts_with(b"<") => None,
                _ if self.may_lack_name(&redirect.word.parts) => None,
                _ if self.may_be_refused(redirect) => None,
                b"<<<" if has_odd_tilde(&redirect.word, self.dialect) => None,
                // Where nothing is left of what is cut nothing at all is read there (measured: R59).
                b"<<<" if self.dialect == Dialect::Mksh && redirect.word.parts.iter().any(is_cut) => None,
                b"<<<" => {
                    self.one_word(&redirect.word).ok().and_then(|v| v.known().map(|b| Bytes::from([&b[..], b"\n"].concat())))
                }
                b"<" => match &redirect.word.parts[..] {
                    [Part::Channel(commands)] => self.printed_beside(commands).known().filter(|text| !text.contains(&0)).cloned(),
                    _ => {
                        let full = self.file_named(&redirect.word).one().and_then(|path| self.full(&path));
                        full.filter(|f| !self.touched.is_touched(f)).and_then(|f| match self.content(&f) {
                            host_view::Content::Bytes(text) => Some(text),
                            _ if f == b"/dev/null"[..] => Some(Bytes::new()),
                            _ => None,
                        })
                    }
                },
                _ => match self.one_word(&redirect.word) {
                    Ok(text) => text.known().cloned(),
                    Err(_) => None,
                },
            };
            if self.copies_input(command) {
                let text = text.clone().filter(|_| !self.copies_otherwise());
                self.print(text.map_or_else(|| Val::unknown(self.doubt("what is read is not known")), Val::Known));
            }
            if let Some(state) = &mut self.live {
                state.input = text.map(|t| (t, 0));
            }
        }
        // There an error within gives up no more than this.
        let is_whole = match &command.kind {
            super::syntax::Kind::Simple(_, words) => {
                words.first().and_then(Word::literal).is_some_and(|name| self.is_function(name))
            }
            _ => true,
        };
        let is_whole = is_whole && self.dialect == Dialect::Ksh;
        if is_whole {
            self.enter(Boundary::Redirected);
        }
        self.run_bare(command);
        if is_whole {
            self.end();
        }
        self.after_opened(command, streams, outer);
        if std::mem::take(&mut self.keeps_open) {
            return;
        }
        if let (Some(state), Some(outer)) = (&mut self.live, outer) {
            state.output.streams.put_back(&outer, &command.redirects);
            if reads.is_some() {
                state.input = outer_input.flatten();
            }
        }
    }
}

/// Whether something is cut out of a parameter without quotes.
fn is_cut(part: &Part) -> bool {
    let Part::Parameter(parameter) = part else { return false };
    match &parameter.change {
        Change::Trim(..) | Change::Replace(..) | Change::Slice(..) => true,
        Change::Instead(.., word) => word.parts.iter().any(is_cut),
        _ => false,
    }
}

/// Whether a text that is read has a tilde that counts elsewhere: bash takes one behind a colon, mksh none at all (measured:
/// 5.2, R59).
fn has_odd_tilde(word: &Word, dialect: Dialect) -> bool {
    let has = |part: &Part| matches!(part, Part::Text(text) if text.contains(&b'~'));
    let begins = word.parts.first().is_some_and(|part| matches!(part, Part::Text(text) if text.starts_with(b"~")));
    match dialect {
        Dialect::Bash => word.parts.iter().any(has) && !begins,
        Dialect::Mksh => begins,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::super::trial::after_on;
    use super::*;
    use crate::host_view::MemoryTree;

    #[test]
    fn what_can_be_written_hangs_on_owners_and_modes() {
        let mut tree = MemoryTree::default();
        for path in ["/srv/mine", "/srv/shared", "/srv/theirs"] {
            tree.file(path, "", false);
        }
        tree.own("/srv/mine", 0o600, 1000, 1000);
        tree.own("/srv/shared", 0o666, 0, 0);
        tree.own("/srv/theirs", 0o644, 0, 0);
        tree.folder("/home/odile/lanes");
        tree.own("/home/odile/lanes", 0o755, 1000, 1000);
        tree.folder("/srv/closed");
        tree.own("/srv/closed", 0o755, 0, 0);
        // `X` tells the status.
        for (text, told) in [
            ("echo a > /srv/mine; X=$?", "0"),
            ("echo a >> /srv/shared; X=$?", "0"),
            ("echo a > /srv/theirs; X=$?", "1"),
            ("echo a > ~/lanes/new; X=$?", "0"),
            ("echo a > ~/lanes; X=$?", "1"),
            ("echo a < /none; X=$?", "1"),
            ("echo a > /dev/null; X=$?", "0"),
            // There is more than a tree of files knows.
            ("echo a > /srv/closed/new; X=$?", "<a number>"),
            ("echo a > /none/new; X=$?", "<a number>"),
            ("echo a > /proc/new; X=$?", "<a number>"),
            ("tide-now > ~/lanes/a; echo a > ~/lanes/a; X=$?", "<a number>"),
            ("set -C; echo a > /srv/mine; X=$?", "<a number>"),
            ("set -C; echo a >> /srv/mine; X=$?", "0"),
        ] {
            let found = after_on(tree.clone(), Dialect::Bash, text, |machine| machine.told_value("X"));
            assert_eq!(found, told, "{text}");
        }
    }

    #[test]
    fn a_name_before_a_redirection_is_set() {
        for (text, told) in [
            ("exec {fd}>/dev/null; X=${fd:+set}", "set"),
            ("exec {fd}<<< a; X=${fd:+set}", "set"),
            ("fd=1; exec {fd}>&-; X=$fd", "1"),
            ("fd=; exec {fd}>/none/new; X=${fd:+set}", "<unknown>"),
            ("exec 3>/dev/null; X=${fd-none}", "none"),
        ] {
            let found = after_on(MemoryTree::default(), Dialect::Bash, text, |machine| machine.told_value("X"));
            assert_eq!(found, told, "{text}");
        }
    }
}
