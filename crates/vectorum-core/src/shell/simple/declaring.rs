//! Declarations: how their words are taken, by what stands before them.

use crate::shell::declared::Declared;
use crate::shell::machine::Machine;
use crate::shell::parameter::UNSET_IS_ERROR;
use crate::shell::syntax::*;

impl Machine<'_> {
    /// Carries out a declaration whose own words stand behind so many of `command`. Returns whether it is one that is not
    /// like other commands.
    pub(super) fn run_declaration(&mut self, assignments: &[Assignment], own: &[Word], prefix: usize) -> bool {
        // There a word behind `command` is one like others: it is split.
        let is_split = |w: &Word| {
            w.parts
                .iter()
                .any(|p| !matches!(p, Part::Text(t) if !t.contains(&b'~')) && !matches!(p, Part::Quoted(_) | Part::Double(_)))
        };
        if prefix > 0 && self.dialect == Dialect::Bash && own.iter().any(is_split) {
            self.fog("a declaration behind «command»");
            return true;
        }
        // What it declares in mksh then is not what it declares otherwise.
        let own_name = own.first().and_then(Word::literal);
        let is_strict = matches!(own_name, Some(b"export" | b"readonly"));
        if prefix > 0 && self.dialect == Dialect::Mksh && !is_strict {
            self.fog("a declaration behind «command»");
            return true;
        }
        // What is to be a list behind a variable is no word like others.
        let is_list = |w: &Word| w.assignment.as_ref().is_some_and(|a| matches!(a.value, Assigned::Array(_)));
        if !assignments.is_empty() && self.dialect == Dialect::Bash && own.iter().any(is_list) {
            self.fog("a list that is declared behind a variable");
            return true;
        }
        // There they are declared as ever, and what stands before them stays.
        if !assignments.is_empty() && self.dialect == Dialect::Dash && prefix == 0 {
            let name = own.first().and_then(Word::literal).unwrap_or_default().to_vec();
            let given = self.declared(own.get(1..).unwrap_or_default());
            for assignment in assignments {
                if !self.apply(assignment, None) {
                    self.fail_refused();
                    return true;
                }
            }
            match given {
                Ok(given) => self.declare(&name, given),
                Err(_) => {
                    self.mark_any(own);
                    self.fog("names are exported that are not known");
                }
            }
            self.check_failure();
            return true;
        }
        // There what stands before it counts within its words, and may stay.
        let is_other_name = self.dialect == Dialect::Mksh && matches!(own_name, Some(b"integer" | b"nameref" | b"global"));
        if !assignments.is_empty() && (is_other_name || matches!(self.dialect, Dialect::Zsh | Dialect::Ksh)) {
            self.fail_perhaps("a variable before a declaration");
            return true;
        }
        // These give up less than other declarations where a word is an error.
        let is_mild = matches!(own_name, Some(b"integer" | b"float" | b"nameref")) && self.dialect == Dialect::Ksh;
        let may_fail = |m: &Self| {
            let mut given = own.iter().filter_map(|word| word.assignment.as_ref()).flat_map(|a| a.value.words());
            given.any(|word| m.may_be_an_error(&word.parts))
        };
        if is_mild && may_fail(self) {
            let given = own.iter().filter_map(|word| word.assignment.clone());
            self.doubt_declared(given.map(|assignment| Declared::Assignment(assignment, None)).collect::<Vec<_>>().into_iter());
            self.fail_perhaps("an error in a declaration");
            return true;
        }
        if !assignments.is_empty() {
            return false;
        }
        let name = own.first().and_then(Word::literal).unwrap_or_default().to_vec();
        match self.declared(own.get(1..).unwrap_or_default()) {
            // An expression that is wrong ends only the command there.
            Ok(given) if prefix > 0 && self.dialect == Dialect::Ksh && given.iter().any(Declared::is_unknown) => {
                let doubt = self.doubt("whether a value can be worked out");
                let status = doubt.clone();
                self.fork(&doubt, |m| m.declare(&name, given), |m| m.doubt_status(status));
            }
            Ok(given) => {
                let is_behind = usize::from(prefix > 0);
                (self.tame, self.behind_command) = (self.tame + is_behind, self.behind_command + is_behind);
                // What it sets is worked out by the declaration itself, other words are before it.
                self.as_special(true, |m| m.declare(&name, given));
                (self.tame, self.behind_command) = (self.tame - is_behind, self.behind_command - is_behind);
            }
            Err(_) => {
                // What is in its words may not be set, or not taken.
                if self.refuses_unset() || self.dialect == Dialect::Mksh {
                    self.fail_perhaps(UNSET_IS_ERROR);
                }
                self.mark_any(own);
                self.fog("names are exported that are not known");
            }
        }
        self.check_failure();
        true
    }
}
