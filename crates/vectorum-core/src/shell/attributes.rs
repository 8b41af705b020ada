//! The options of `export`, `typeset` and their kin: how a declaration changes its names.

use std::vec::IntoIter;

use bytes::Bytes;

use super::declared::Declared;
use super::machine::Machine;
use super::options::OTHERWISE;
use super::syntax::Dialect;

/// How a declaration changes its names.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Attributes {
    pub(super) exported: Option<bool>,
    /// Whether `export` says so.
    pub(super) is_for_environment: bool,
    pub(super) readonly: bool,
    pub(super) is_local: bool,
    /// Whether it is for no function alone.
    pub(super) is_global: bool,
    /// Whether it goes past all that hides a name, as bash's do with `-g`.
    pub(super) is_outermost: bool,
    /// Whether values become something else by it that is not followed.
    pub(super) is_odd: bool,
    pub(super) is_number: bool,
    /// Whether a number with a point is made of it.
    pub(super) is_float: bool,
    pub(super) is_unique: bool,
    /// Whether zsh makes a list of it.
    pub(super) is_list: bool,
    pub(super) is_table: bool,
    /// Whether a list and a text are tied to each other.
    pub(super) is_tied: bool,
    /// Whether a name is to stand for another.
    pub(super) is_reference: bool,
    pub(super) is_function: bool,
    pub(super) prints: bool,
    /// Whether it gives up less by an error, as those do in ksh and mksh that are no special commands.
    pub(super) is_mild: bool,
}

/// What the letters of an option ask for.
enum Letter {
    Taken,
    /// It is none that this command takes.
    Misused,
    /// What it asks for is not followed.
    Unfollowed(&'static str),
}

impl Attributes {
    /// What a command declares by its own name.
    fn of(command: &[u8], dialect: Dialect) -> Attributes {
        Attributes {
            exported: (command == b"export").then_some(true),
            is_for_environment: command == b"export",
            readonly: command == b"readonly",
            is_number: command == b"integer",
            is_odd: command == b"float",
            is_float: command == b"float",
            is_reference: command == b"nameref",
            is_mild: dialect == Dialect::Mksh && !matches!(command, b"export" | b"readonly")
                || dialect == Dialect::Ksh && matches!(command, b"integer" | b"float"),
            is_global: command == b"export" || command == b"readonly" && dialect != Dialect::Zsh,
            ..Attributes::default()
        }
    }

    /// Whether a variable stays what it is by them, but for where it is one.
    pub(super) fn changes_nothing(self) -> bool {
        let Attributes { is_local, is_global, is_outermost, is_mild, .. } = self;
        self == Attributes { is_local, is_global, is_outermost, is_mild, ..Attributes::default() }
    }

    /// Takes a letter of an option, which begins with a minus sign if it is `on`.
    fn take(&mut self, letter: u8, on: bool, command: &[u8], dialect: Dialect) -> Letter {
        // Letters are of another case by it, though the command does not take it (measured: bash 5.2).
        if letter == b'c' && dialect == Dialect::Bash && command == b"readonly" {
            return Letter::Unfollowed("an option that a command does not take");
        }
        let is_taken = match (dialect, command) {
            (Dialect::Dash, b"local") => false,
            (Dialect::Dash | Dialect::Ksh | Dialect::Mksh, b"export" | b"readonly") => letter == b'p',
            (Dialect::Mksh, _) => b"LRUZafgilnprtux0123456789".contains(&letter),
            (Dialect::Ksh, _) => b"AEFHLRSXZabfghilmnprstux0123456789".contains(&letter),
            // Measured: 5.9; a colon and a percent sign do nothing.
            (Dialect::Zsh, _) if letter.is_ascii_digit() || b":%".contains(&letter) => true,
            (Dialect::Zsh, b"export") => b"EFHLRTUZahilprtu".contains(&letter),
            (Dialect::Zsh, b"local") => b"AEFHLRTUZahilprtux".contains(&letter),
            (Dialect::Zsh, b"readonly") => b"AEFHLRTUZafghilptux".contains(&letter),
            (Dialect::Zsh, b"integer") => b"HLRZghilprtux".contains(&letter),
            (Dialect::Zsh, b"float") => b"EFHLRZghlprtux".contains(&letter),
            (Dialect::Zsh, _) => b"AEFHLRTUZafghiklmprtuxz".contains(&letter),
            (Dialect::Bash, b"export") => b"aAfnp".contains(&letter),
            (Dialect::Bash, b"readonly") => b"aAfp".contains(&letter),
            (Dialect::Bash, _) => b"aAcfFgGiIlnprtux".contains(&letter),
            (Dialect::Dash, _) => true,
        };
        if !is_taken {
            return Letter::Misused;
        }
        match (letter, on) {
            // These are other names of a declaration, whose letters are taken behind those that they bring (measured: 93u+m).
            (b'x', false) | (b'f' | b'A' | b'E' | b'F' | b'L' | b'R' | b'X' | b'Z' | b'b' | b'i', _)
                if dialect == Dialect::Ksh && matches!(command, b"integer" | b"float") =>
            {
                return Letter::Unfollowed("an option behind those that the name brings");
            }
            _ if dialect == Dialect::Ksh && command == b"nameref" => return Letter::Unfollowed("a name that stands for another"),
            (b'x', on) => self.exported = Some(on),
            (b'a', false) if dialect == Dialect::Ksh => return Letter::Unfollowed("a list that is to be none"),
            (b'n', true) if command == b"export" && dialect == Dialect::Bash => self.exported = Some(false),
            (b'n', _) if command == b"export" => return Letter::Unfollowed("an option of «export» that is not followed"),
            (b'n', true) if matches!(dialect, Dialect::Bash | Dialect::Ksh | Dialect::Mksh) => self.is_reference = true,
            (b':' | b'%', _) if dialect == Dialect::Zsh => {}
            (b'n', _) if dialect != Dialect::Zsh => return Letter::Unfollowed("a name that stands for another"),
            (b'C' | b'T', _) if dialect == Dialect::Ksh => return Letter::Unfollowed("a name with parts"),
            (b'm', _) if dialect == Dialect::Ksh => return Letter::Unfollowed("a variable that is moved"),
            (b'm', _) if dialect == Dialect::Zsh => return Letter::Unfollowed("names that are declared by patterns"),
            (b'r', true) => self.readonly = true,
            (b'r', false) if dialect == Dialect::Zsh => return Letter::Unfollowed("a name that is to be held fast no more"),
            // It may be that of what holds it fast elsewhere (measured: 93u+m).
            (b'g', _) if dialect == Dialect::Ksh => return Letter::Unfollowed("a name that is declared for all"),
            (b'h' | b'S', _) if dialect == Dialect::Ksh => return Letter::Unfollowed("what is told of a variable"),
            (b'g' | b'G', true) => (self.is_global, self.is_outermost) = (true, dialect == Dialect::Bash),
            (b'a', on) => self.is_list = on && matches!(dialect, Dialect::Bash | Dialect::Zsh),
            (b'i', true) if dialect != Dialect::Dash => self.is_number = true,
            (b'U', true) if dialect == Dialect::Zsh => self.is_unique = true,
            (b'E' | b'F', _) if matches!(dialect, Dialect::Ksh | Dialect::Zsh) => (self.is_odd, self.is_float) = (true, true),
            // There it is a number with a point.
            (b'F', _) if dialect != Dialect::Bash => self.is_odd = true,
            (b'f' | b'F', false) if dialect == Dialect::Bash => {}
            (b'I', true) if dialect == Dialect::Bash => return Letter::Unfollowed("a local variable that is as it was"),
            (b'f' | b'F', _) => self.is_function = true,
            (b'T', true) if dialect == Dialect::Zsh => self.is_tied = true,
            (b'p', _) => self.prints = true,
            (b'A', true) if dialect != Dialect::Mksh => (self.is_odd, self.is_table) = (true, true),
            _ => self.is_odd = true,
        }
        Letter::Taken
    }
}

/// Returns the letters of an option, and whether it begins with a minus sign.
fn option(declared: &Declared) -> Option<(Bytes, bool)> {
    match declared {
        Declared::Text(text) if text.len() > 1 && matches!(text.first(), Some(b'-' | b'+')) => {
            Some((text.slice(1..), text.first() == Some(&b'-')))
        }
        _ => None,
    }
}

impl Machine<'_> {
    /// Takes the options of a declaration from its words; `None` if that is all that is followed of it.
    pub(super) fn attributes(&mut self, command: &[u8], given: &mut IntoIter<Declared>) -> Option<Attributes> {
        let mut attributes = Attributes::of(command, self.dialect);
        let ends =
            |d: &Declared| matches!(d, Declared::Text(t) if t == "-") && matches!(self.dialect, Dialect::Mksh | Dialect::Zsh);
        let mut seen = Vec::new();
        while let Some((letters, on)) = given.as_slice().first().and_then(option) {
            // There it is none, but a name that none can have.
            if !on && !matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) && matches!(command, b"export" | b"readonly") {
                break;
            }
            given.next();
            // There it is a name that is none (measured: dash 0.5.12).
            if letters == "-" && self.dialect == Dialect::Dash && command == b"local" {
                self.fail_special();
                return None;
            }
            // Behind the other sign it is a letter that there is not (measured: 5.2, R59).
            if letters == "-" && (on || !matches!(self.dialect, Dialect::Bash | Dialect::Mksh)) {
                break;
            }
            // Functions have no other marks that are followed (measured: 93u+m).
            if self.dialect == Dialect::Ksh && letters.len() > 1 && letters.contains(&b'f') {
                self.doubt_declared(given);
                self.misused();
                self.fog("a function with marks");
                return None;
            }
            let mut before = 0;
            for letter in &letters {
                // A width stands behind what it is of.
                let has_widths = matches!(self.dialect, Dialect::Zsh | Dialect::Ksh | Dialect::Mksh);
                if has_widths && letter.is_ascii_digit() && !b"EFLRXZi0123456789".contains(&before) {
                    let sets = self.dialect == Dialect::Ksh;
                    self.doubt_declared(given.filter(|declared| sets || declared.is_still_to_expand()));
                    self.misused();
                    return None;
                }
                before = *letter;
                // There a sign among letters is passed over, or not.
                if *letter == b'+' && self.dialect == Dialect::Ksh {
                    self.doubt_declared(given);
                    self.fog("a sign among the letters of an option");
                    return None;
                }
                // There a table stays one.
                if *letter == b'A' && !on && self.dialect == Dialect::Ksh {
                    let doubt = self.doubt("a table that is to be none");
                    self.fail_or_go_on(&doubt);
                    self.doubt_declared(given);
                    return None;
                }
                // There only what is unset is tied no more.
                if *letter == b'T' && !on && self.dialect == Dialect::Zsh {
                    // Without names it asks for what there is.
                    match given.as_slice().iter().all(|declared| option(declared).is_some()) || command != b"typeset" {
                        true => self.fog("a text that is tied no more"),
                        false => self.fail_hard(),
                    }
                    return None;
                }
                // There a list is handed on to nobody, and a name alone is none.
                if b"aA".contains(letter) && self.dialect == Dialect::Bash && matches!(command, b"export" | b"readonly") {
                    if given.as_slice().iter().any(Declared::has_value) {
                        self.doubt_declared(given);
                        self.fog("a list that is exported");
                        return None;
                    }
                    continue;
                }
                match attributes.take(*letter, on, command, self.dialect) {
                    Letter::Taken => {}
                    Letter::Misused => {
                        // What stands there as an assignment may be set all the same (measured: bash 5.2, 93u+m).
                        let sets = matches!(self.dialect, Dialect::Bash | Dialect::Ksh);
                        self.doubt_declared(given.filter(|d| sets && d.has_value() || d.is_still_to_expand()));
                        self.misused();
                        return None;
                    }
                    Letter::Unfollowed(why) => {
                        self.doubt_declared(given);
                        if self.dialect == Dialect::Ksh && *letter == b'g' {
                            self.fail_or_go_on(&self.doubt(why));
                        }
                        self.fog(why);
                        return None;
                    }
                }
            }
            // There a number has no width (measured: 93u+m).
            seen.extend_from_slice(&letters);
            let has = |kind: &[u8]| seen.iter().any(|letter| kind.contains(letter));
            if self.dialect == Dialect::Ksh && has(b"iFEX") && has(b"LRZ") {
                self.misused();
                return None;
            }
            // A base or a width may stand in a word of its own.
            let is_digits = |d: &Declared| matches!(d, Declared::Text(t) if !t.is_empty() && t.iter().all(u8::is_ascii_digit));
            if on
                && matches!(self.dialect, Dialect::Ksh | Dialect::Mksh | Dialect::Zsh)
                && letters.last().is_some_and(|letter| b"iEFLRZ".contains(letter))
                && given.as_slice().first().is_some_and(is_digits)
            {
                given.next();
                attributes.is_odd = true;
            }
        }
        if given.as_slice().first().is_some_and(ends) {
            given.next();
        }
        // By itself it asks for what there is, or does so of names that it sets all the same.
        let is_sign = matches!(given.as_slice().first(), Some(Declared::Text(text)) if text == "+");
        if is_sign && matches!(self.dialect, Dialect::Mksh | Dialect::Zsh) {
            given.next();
            if !given.as_slice().is_empty() {
                let doubt = self.doubt("what is told of names that are declared");
                self.doubt_declared(given);
                self.fail_or_go_on(&doubt);
                self.fog("what is told of names that are declared");
                return None;
            }
            attributes.prints = true;
        }
        // There a base may stand alone behind this name (measured: R59).
        let is_digits = |d: &Declared| matches!(d, Declared::Text(t) if !t.is_empty() && t.iter().all(u8::is_ascii_digit));
        let is_bare = command == b"integer" && seen.is_empty();
        if self.dialect == Dialect::Mksh && is_bare && given.as_slice().first().is_some_and(is_digits) {
            given.next();
            attributes.is_odd = true;
        }
        // In zsh what is exported is global, too.
        attributes.is_global |= self.dialect == Dialect::Zsh && attributes.exported.is_some() && command != b"local";
        // As sh would it holds names fast everywhere, too.
        attributes.is_global |= self.as_sh && command == b"readonly";
        // Where it is another shell that is an option.
        let is_other = self.dialect == Dialect::Zsh && (self.as_sh || self.may_be_set(OTHERWISE)) && self.is_in_function();
        if is_other && attributes.exported.is_some() && command != b"export" {
            self.fog("what is exported where the shell is another one");
            return None;
        }
        Some(attributes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shell::trial;

    /// What becomes of the options of a command: the attributes, and how many words are left; nothing if it is given up.
    fn taken(dialect: Dialect, line: &str) -> Option<(Attributes, usize)> {
        let mut words = line.split(' ').map(|word| Declared::Text(Bytes::copy_from_slice(word.as_bytes())));
        let Some(Declared::Text(command)) = words.next() else { return None };
        let mut given = words.collect::<Vec<_>>().into_iter();
        let attributes = trial::after(dialect, "", |m| m.attributes(&command, &mut given))?;
        Some((attributes, given.len()))
    }

    #[test]
    fn options_are_taken_as_each_shell_takes_them() {
        use Dialect::*;
        let all = Attributes::default();
        for (dialect, line, expected) in [
            (Bash, "export A", Some((Attributes { exported: Some(true), is_for_environment: true, is_global: true, ..all }, 1))),
            (
                Bash,
                "export -n A",
                Some((Attributes { exported: Some(false), is_for_environment: true, is_global: true, ..all }, 1)),
            ),
            (Zsh, "export -n A", None),
            (Dash, "export -x A", None),
            (
                Bash,
                "declare -gx +x A",
                Some((Attributes { exported: Some(false), is_global: true, is_outermost: true, ..all }, 1)),
            ),
            (Zsh, "typeset -gx A", Some((Attributes { exported: Some(true), is_global: true, ..all }, 1))),
            (Zsh, "local -x A", Some((Attributes { exported: Some(true), ..all }, 1))),
            (Zsh, "readonly A", Some((Attributes { readonly: true, ..all }, 1))),
            (Ksh, "readonly A", Some((Attributes { readonly: true, is_global: true, ..all }, 1))),
            (Bash, "declare -n A B", Some((Attributes { is_reference: true, ..all }, 2))),
            (Bash, "declare +n A B", None),
            (Bash, "declare -- -x", Some((all, 1))),
            (Bash, "declare - A", Some((all, 2))),
            (Bash, "declare -A A", Some((Attributes { is_odd: true, is_table: true, ..all }, 1))),
            (Ksh, "typeset -i 16 A", Some((Attributes { is_number: true, is_odd: true, ..all }, 1))),
            (Bash, "declare -i 16 A", Some((Attributes { is_number: true, ..all }, 2))),
            (Zsh, "typeset -T A a", Some((Attributes { is_tied: true, ..all }, 2))),
            (Mksh, "typeset -r A", Some((Attributes { readonly: true, is_mild: true, ..all }, 1))),
            (Mksh, "typeset -F A", None),
            (Bash, "declare -F a", Some((Attributes { is_function: true, ..all }, 1))),
            (Ksh, "typeset -F A", Some((Attributes { is_odd: true, is_float: true, ..all }, 1))),
            (Ksh, "integer A", Some((Attributes { is_number: true, is_mild: true, ..all }, 1))),
        ] {
            assert_eq!(taken(dialect, line), expected, "{dialect:?}: {line}");
        }
    }
}
