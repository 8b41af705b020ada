//! What commands print that the shell takes up itself.

use std::sync::Arc;

use bytes::Bytes;

use super::branch;
use super::machine::Machine;
use super::state::Status;
use super::syntax::*;
use super::value::Val;

/// Why what is written is not known: a pipe may get the number of what is closed.
pub(super) const MAY_LACK: &str = "what is written where the first files are closed";

/// Whether commands are a redirection alone, other than one to read, which is an error there (measured: mksh R59).
fn only_opens(list: &List) -> bool {
    let reads = |redirect: &Redirect| matches!(redirect.operator.first(), Some(b'<'));
    matches!(bare_redirects(list), Some([one]) if !reads(one))
}

/// The redirections of commands that are nothing else.
pub(super) fn bare_redirects(list: &List) -> Option<&[Redirect]> {
    let [item] = &list.items[..] else { return None };
    let [command] = &item.first.commands[..] else { return None };
    let is_bare = matches!(&command.kind, Kind::Simple(assignments, words) if assignments.is_empty() && words.is_empty());
    (item.rest.is_empty() && is_bare).then_some(&command.redirects[..])
}

/// What is left of an output: no line ends at its end, and no zero bytes (POSIX, 2.6.3).
fn taken_up(text: &Bytes) -> Bytes {
    let end = text.iter().rposition(|b| !matches!(b, 0 | b'\n')).map_or(0, |last| last + 1);
    let text = text.slice(..end);
    if text.contains(&0) { text.iter().copied().filter(|b| *b != 0).collect() } else { text }
}

impl Machine<'_> {
    /// The output of commands, without line ends at its end.
    pub(super) fn output(&mut self, commands: &Arc<Result<List, Trouble>>) -> Val {
        if self.dialect == Dialect::Mksh && commands.as_ref().as_ref().is_ok_and(only_opens) {
            self.fail_hard();
            return Val::unknown(self.doubt("a command that only opens a file"));
        }
        match self.printed(commands) {
            Val::Known(text) => {
                // What is dropped there is told (measured: 5.2).
                if text.contains(&0) && self.dialect == Dialect::Bash {
                    self.complain();
                }
                Val::Known(taken_up(&text))
            }
            // So is each of those that it could be.
            Val::Unknown(text) => text.each(|text| Some(taken_up(text))).unwrap_or(Val::Unknown(text)),
        }
    }

    /// What commands print that run beside the shell, for something that reads it: they leave no status.
    pub(super) fn printed_beside(&mut self, commands: &Arc<Result<List, Trouble>>) -> Val {
        let before = self.live.as_ref().map(|state| (state.status.clone(), state.input.clone()));
        let (outputs, output_status) = (self.outputs, self.output_status.clone());
        let text = self.printed(commands);
        (self.outputs, self.output_status) = (outputs, output_status);
        if let (Some(state), Some(before)) = (&mut self.live, before) {
            (state.status, state.input) = before;
        }
        text
    }

    /// What commands print, whole.
    fn printed(&mut self, commands: &Arc<Result<List, Trouble>>) -> Val {
        let list = match &**commands {
            Ok(list) => list,
            Err(_) => {
                let doubt = self.doubt("commands whose output is used cannot be read");
                // In others than bash that ends more, and in some it is found where the line is read.
                if matches!(self.dialect, Dialect::Dash | Dialect::Ksh | Dialect::Mksh) {
                    self.exit_or_go_on(&doubt);
                }
                if self.dialect != Dialect::Bash {
                    self.fail_or_go_on(&doubt);
                }
                self.outputs += 1;
                self.output_status = Status::Unknown(doubt.clone());
                return Val::unknown(doubt);
            }
        };
        let Some(mut outer) = branch::fork(&mut self.live) else { return Val::of(b"") };
        let at = self.at;
        self.outputs += 1;
        if let Some(state) = &mut self.live {
            state.output.take_up();
            // There what is run for a word may fail, unless an option says otherwise.
            if self.dialect == Dialect::Bash && state.option("errexit") != Some(false) {
                match state.option("inherit_errexit") {
                    Some(true) => {}
                    Some(false) => drop(state.options.insert("errexit", Some(false))),
                    None => drop(state.options.insert("errexit", None)),
                }
            }
            if list.items.is_empty() {
                state.status = Status::Known(0);
            }
        }
        // These read it only when it is run, with the aliases that are there then (measured: bash 5.2, 93u+m, 5.9).
        let epoch = self.epoch;
        if matches!(self.dialect, Dialect::Bash | Dialect::Ksh | Dialect::Zsh) {
            self.clock += 1;
            self.epoch = self.clock;
        }
        self.subshell(|m| match m.file_alone(list) {
            Some(text) => m.print(text),
            None => m.run_list(list),
        });
        (self.at, self.epoch) = (at, epoch);
        let Some(end) = self.live.take() else {
            self.live = Some(outer);
            self.say_perhaps();
            return Val::unknown(self.doubt("what a command prints"));
        };
        self.output_status = end.status.clone();
        outer.input = end.input;
        outer.kept_options = end.kept_options;
        outer.output.take_over(end.output.spilled, &self.doubt("what a command prints"));
        // These tell it only when the whole command is done.
        if !matches!(self.dialect, Dialect::Dash | Dialect::Mksh) {
            outer.status = end.status;
        }
        let may_lack = outer.output.streams.lacks;
        self.live = Some(outer);
        if may_lack {
            self.say_perhaps();
            return Val::unknown(self.doubt(MAY_LACK));
        }
        match end.output.text {
            Some(Val::Known(_)) if self.trap_may_print() => Val::unknown(self.doubt("what a command prints")),
            Some(Val::Known(text)) => Val::Known(text),
            Some(Val::Unknown(text)) => Val::Unknown(text.at(|| self.here())),
            None => Val::unknown(self.doubt("what a command prints")),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::syntax::Dialect::{Bash, Dash, Ksh, Mksh, Zsh};
    use crate::shell::trial::hold;

    #[test]
    fn output_is_taken_up_as_in_each_shell() {
        hold(&[
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(echo a b); X=$?", ["a b", "0"]),
            (&[Bash, Dash, Ksh, Zsh], "R=\"$(printf 'a\\n\\n')\"; X=`echo \"b  c\"`", ["a", "b  c"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(exit 3); X=$?", ["", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(echo a; exit 3; echo b); X=$?", ["a", "3"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=1; T=$(R=2; echo $R); X=$T", ["1", "2"]),
            (&[Bash, Dash, Ksh, Zsh], "R=$(printf a; printf b); X=$(:)", ["ab", ""]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(echo \"$(echo \"a  b\")\"); X=\"$(echo 'c)')\"", ["a  b", "c)"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(cd /usr; pwd); X=$(pwd); [ \"$X\" = \"$PWD\" ] && X=same", ["/usr", "same"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(f() { echo in; }; f); f 2>/dev/null; X=$?", ["in", "127"]),
            (&[Bash, Ksh], "R=`echo \\`echo a\\``; X=`echo '\\\\\\\\'`", ["a", "\\\\"]),
            (&[Dash, Mksh, Zsh], "R=`echo \\`echo a\\``; X=`echo '\\\\\\\\'`", ["a", "\\"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "set -- $(echo a b; echo c); R=$#; X=$3", ["3", "c"]),
            // What is run for its output is read when it is run, or with its line.
            (&[Ksh, Zsh], "alias tide='echo high'; R=$(tide); X=$?", ["high", "0"]),
            (&[Dash, Mksh], "alias tide='echo high'; R=$(tide 2>/dev/null); X=$?", ["", "127"]),
            // Another name of a command's own adds to it.
            (&[Dash, Ksh, Mksh, Zsh], "alias echo='echo low'\nR=$(echo tide); X=$?", ["low tide", "0"]),
            (&[Bash], "shopt -s expand_aliases; alias echo='echo low'\nR=$(echo tide); X=$?", ["low tide", "0"]),
            (&[Bash], "alias echo='echo low'\nR=$(echo tide); X=$?", ["tide", "0"]),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "T=$(tide-now >/dev/null && echo a || echo); case $T in a) R=1 ;; esac; X=${T:-none}",
                ["1?", "<unknown>"],
            ),
            (
                &[Bash, Dash, Ksh, Mksh, Zsh],
                "T=$(tide-now >/dev/null && exit 3; echo 0); [ \"$T\" = 0 ] && R=1; X=${T:+filled}",
                ["1?", "<unknown>"],
            ),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(tide-now >/dev/null && echo); X=${R:-none}", ["", "none"]),
            // What it could be comes apart where it stands without quotes.
            (&[Bash, Dash, Ksh, Mksh, Zsh], "T=a; tide-now && T=' b'; T=$(echo $T); [ \"$T\" = b ] && R=1", ["1?", "none"]),
            (&[Bash, Dash, Ksh, Mksh, Zsh], "R=$(true && echo a || echo b); X=$(false || echo c)", ["a", "c"]),
        ]);
    }
}
