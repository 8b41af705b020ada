//! Arguments that several commands share, and what they mean.

use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};

use clap::Parser;
use vectorum_core::{Changes, ListEdit, ListPlace, Name, Pattern, Selection, Value};

use super::Failure;
use super::failure::quoted;

/// Changes of a block, as typed.
#[derive(Clone, Debug, Default, clap::Args)]
pub(crate) struct ChangeArgs {
    /// Set a variable
    #[arg(value_name = "NAME=VALUE")]
    pub(crate) set: Vec<OsString>,

    /// Remove a variable
    #[arg(long, short, value_name = "NAME")]
    pub(crate) unset: Vec<OsString>,

    /// Put an item at the front of a list such as PATH; an item that it holds is moved
    #[arg(long, value_name = "NAME=ITEM")]
    pub(crate) first: Vec<OsString>,

    /// Put an item at the end of a list
    #[arg(long, value_name = "NAME=ITEM")]
    pub(crate) last: Vec<OsString>,

    /// Start from an empty block
    #[arg(long, short)]
    pub(crate) empty: bool,

    /// Keep only the names that match, of what there was
    #[arg(long, short, value_name = "NAME|GLOB|/REGEX/")]
    pub(crate) keep: Vec<OsString>,
}

impl ChangeArgs {
    /// Returns what is to be changed. Order: --empty and --keep, --unset, NAME=VALUE, then the
    /// items of lists, each in the order written.
    pub(crate) fn changes(&self) -> Result<Changes, Failure> {
        let list = |place| {
            move |text: &OsString| {
                let (name, item) = pair(text)?;
                Ok::<_, Failure>(ListEdit { name, item, place })
            }
        };
        let first = self.first.iter().map(list(ListPlace::First));
        let last = self.last.iter().map(list(ListPlace::Last));
        Ok(Changes {
            empty: self.empty,
            keep: selection(&self.keep)?,
            unset: self.unset.iter().map(|n| name(n.as_bytes())).collect::<Result<_, _>>()?,
            set: self.set.iter().map(pair).collect::<Result<_, _>>()?,
            lists: first.chain(last).collect::<Result<_, _>>()?,
        })
    }
}

pub(crate) fn name(bytes: &[u8]) -> Result<Name, Failure> {
    Name::new(bytes.to_vec())
        .ok_or_else(|| Failure::usage(format!("{} is no name: a name is not empty and holds no «=»", quoted(bytes))))
}

/// Takes `NAME=VALUE` apart.
fn pair(text: &OsString) -> Result<(Name, Value), Failure> {
    let bytes = text.as_bytes();
    let Some(at) = bytes.iter().position(|b| *b == b'=') else {
        return Err(Failure::usage(format!("{} is not NAME=VALUE", quoted(bytes)))
            .way_out("the command goes behind «--»: vectorum run A=1 -- make"));
    };
    let (name_bytes, rest) = bytes.split_at(at);
    let value = Value::new(rest.iter().skip(1).copied().collect::<Vec<u8>>());
    // An argument of a command holds no NUL: the kernel ends it there.
    Ok((name(name_bytes)?, value.ok_or_else(|| Failure::usage("a value holds a NUL byte"))?))
}

/// Reads names and patterns.
pub(crate) fn selection(patterns: &[OsString]) -> Result<Selection, Failure> {
    let parsed: Result<Vec<Pattern>, _> = patterns.iter().map(|p| Pattern::parse(p.as_bytes())).collect();
    Ok(Selection::new(parsed?))
}

/// A line of changes and a command, in the words of `vectorum run`.
#[derive(Debug, Parser)]
#[command(no_binary_name = true, disable_help_flag = true)]
struct RunLine {
    #[command(flatten)]
    changes: ChangeArgs,
    #[arg(last = true)]
    command: Vec<OsString>,
}

/// Reads a line typed into the interface in the words of `vectorum run`: the changes and the
/// command. The line is cut into words as a shell does, without any expansion.
pub(crate) fn parse_changes(line: &str) -> Result<(Changes, Vec<Vec<u8>>), String> {
    let words = shlex::split(line).ok_or("a quote is not closed")?;
    let parsed = RunLine::try_parse_from(words).map_err(|e| first_line(&e.to_string()))?;
    let changes = parsed.changes.changes().map_err(|f| first_line(&f.to_string()))?;
    Ok((changes, parsed.command.into_iter().map(OsString::into_vec).collect()))
}

fn first_line(text: &str) -> String {
    text.lines().next().unwrap_or_default().trim_start_matches("error: ").to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use vectorum_core::Block;

    #[test]
    fn a_line_means_what_the_command_means() {
        let before = Block::from_vars([("PATH", "/bin"), ("A", "1"), ("B", "2")]);
        let apply = |line: &str| {
            let (changes, command) = parse_changes(line)?;
            let entries: Vec<_> = changes.apply(&before).entries().map(|e| vectorum_core::inert(e.raw()).into_owned()).collect();
            let command: Vec<_> = command.iter().map(|c| String::from_utf8_lossy(c).into_owned()).collect();
            Ok::<_, String>(format!("{} | {}", entries.join(" "), command.join(" ")))
        };
        for (line, result) in [
            ("A=2 -u B --first PATH=/opt -- make -j 2", Ok("PATH=/opt:/bin A=2 | make -j 2")),
            ("--empty 'A=x y' -- sh", Ok("A=x y | sh")),
            ("--keep 'P*' --last PATH=/z", Ok("PATH=/bin:/z | ")),
            ("", Ok("PATH=/bin A=1 B=2 | ")),
            ("make", Err("«make» is not NAME=VALUE")),
            ("-u A=1", Err("«A=1» is no name: a name is not empty and holds no «=»")),
            ("A='", Err("a quote is not closed")),
        ] {
            assert_eq!(apply(line), result.map(str::to_owned).map_err(str::to_owned), "{line}");
        }
        assert!(apply("--nonsense").is_err_and(|e| e.contains("--nonsense")));
    }
}
