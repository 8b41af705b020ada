//! The numbers by which files are open: which are, and what is copied from one to another.

use bytes::Bytes;

use super::super::content::Content;
use super::super::machine::Machine;
use super::super::streams::{Streams, digit};
use super::Named;
use crate::shell::syntax::{Dialect, Redirect};

/// Whether what is open by one number is to be read and written, by different redirections.
pub(super) fn are_at_odds(redirects: &[Redirect]) -> bool {
    let number = |redirect: &Redirect| match (&redirect.from[..], redirect.operator.first()) {
        (b"", Some(b'<')) => b"0".to_vec(),
        (b"", _) => b"1".to_vec(),
        (number, _) => number.to_vec(),
    };
    let writes = |redirect: &Redirect| !redirect.operator.starts_with(b"<") || redirect.operator == b"<>";
    let reads = |redirect: &Redirect| redirect.operator.starts_with(b"<");
    redirects.iter().enumerate().any(|(at, one)| {
        let others = redirects.iter().skip(at + 1);
        others
            .filter(|other| number(other) == number(one))
            .any(|other| reads(one) != reads(other) || writes(one) != writes(other))
    })
}

/// What became of a file that is to be open by another number.
#[derive(Debug)]
pub(super) enum Copied {
    /// The one that it is copied from, and whether that is closed then.
    Open(usize, bool),
    Closed,
    /// It may not be open.
    Unsure,
    Refused,
    /// It is no number, and a file of that name is opened.
    File(Bytes),
}

impl Machine<'_> {
    /// `{NAME}>FILE` sets a name to the number by which the file is opened.
    pub(super) fn number_opened(&mut self, redirect: &Redirect) {
        let is_duplicate = matches!(&redirect.operator[..], b">&" | b"<&");
        if redirect.from.iter().all(u8::is_ascii_digit) || is_duplicate && redirect.word.literal() == Some(b"-") {
            return;
        }
        let number = self.doubt("the number by which a file is opened").number();
        let is_sure = is_duplicate || redirect.operator.starts_with(b"<<") || redirect.word.literal() == Some(b"/dev/null");
        self.assign(&redirect.from, if is_sure { Content::Set(number) } else { Content::Perhaps(number) }, None);
    }

    /// `>&WORD` and its kin, once carried out. What is no number is a file in bash and zsh, but not behind another number in
    /// bash, and an error elsewhere, which ends dash, and zsh where it is to be read (measured: bash 5.2, dash 0.5.12, 93u+m,
    /// R59, zsh 5.9).
    pub(super) fn copied(&mut self, redirect: &Redirect, streams: &Streams) -> Copied {
        let reads = redirect.operator == b"<&";
        let word = match self.file_named(&redirect.word) {
            Named::One(word) => word,
            Named::NoneOrMany => return Copied::Refused,
            Named::Unknown => {
                let doubt = self.doubt("whether a word is the number of a file");
                if self.dialect == Dialect::Dash || self.dialect == Dialect::Zsh && reads {
                    self.fail_or_go_on(&doubt);
                }
                return Copied::Unsure;
            }
        };
        if word == "-" {
            return Copied::Closed;
        }
        let moved = word.strip_suffix(b"-").filter(|_| matches!(self.dialect, Dialect::Bash | Dialect::Ksh));
        let number = moved.unwrap_or(&word);
        if !number.is_empty() && number.iter().all(u8::is_ascii_digit) && (number.len() == 1 || self.dialect != Dialect::Dash) {
            return match digit(number).filter(|number| streams.is_open(*number)) {
                Some(number) => Copied::Open(number, moved.is_some()),
                None => Copied::Unsure,
            };
        }
        let is_output = matches!(&redirect.from[..], b"" | b"1");
        match self.dialect {
            // What runs beside the shell.
            Dialect::Ksh | Dialect::Mksh | Dialect::Zsh if word == "p" => Copied::Unsure,
            Dialect::Dash => {
                self.fail_hard();
                Copied::Refused
            }
            // Of a program it ends only that.
            Dialect::Zsh if reads => {
                self.fail_or_go_on(&self.doubt("whether a word is the number of a file"));
                Copied::Unsure
            }
            Dialect::Zsh => Copied::File(word),
            Dialect::Bash if !reads && is_output => Copied::File(word),
            Dialect::Bash | Dialect::Ksh | Dialect::Mksh => Copied::Refused,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn what_is_copied_is_a_number_or_what_each_shell_has_for_it() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "X=1; true >&$X; R=$?", ["0", "1"]),
            (&[Bash, Ksh, Mksh], "true 2>&x; R=$?; true <&x; X=$?", ["1", "1"]),
            (&[Dash], "R=0; (true 2>&x); R=$?; (true >&x); X=$?", ["2", "2"]),
            (&[Ksh, Mksh], "true >&x; R=$?; true >&''; X=$?", ["1", "1"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "true 3>&-; R=$?; true 2>&1 >&2; X=$?", ["0", "0"]),
            (&[Bash], "set -- 10>/dev/null; R=$#", ["0", "none"]),
            (&[Dash, Ksh, Mksh, Zsh], "set -- 10>/dev/null; R=$#", ["1", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "read R <<E 3<<F\na\nE\nb\nF\nX=$?", ["a", "0"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; : >&2; X=$?", ["1", "0"]),
        ]);
    }
}
