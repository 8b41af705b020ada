//! Options by their names and letters: which there are in each shell, and which change what is followed.

use crate::shell::syntax::Dialect;

/// What an option does to what is followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shell) enum Effect {
    /// It is followed, by this name; `false` where it means the opposite.
    Followed(&'static str, bool),
    /// It changes nothing that is followed.
    Nothing,
    /// What it changes is not followed: turned on, or either way.
    Odd,
    /// It cannot be changed while the shell runs, or only where it has a terminal.
    Fixed,
}

use Effect::{Fixed, Followed, Nothing, Odd};

/// Options that the shells have in common that take long names for them (POSIX, `set`).
const COMMON: &[(&str, Effect)] = &[
    ("allexport", Followed("allexport", true)),
    ("errexit", Followed("errexit", true)),
    ("ignoreeof", Nothing),
    ("monitor", Nothing),
    ("noclobber", Followed("noclobber", true)),
    ("noglob", Followed("noglob", true)),
    ("noexec", Followed("noexec", true)),
    ("nolog", Nothing),
    ("notify", Nothing),
    ("nounset", Followed("nounset", true)),
    ("privileged", Nothing),
    ("verbose", Followed("verbose", true)),
    ("vi", Nothing),
    ("emacs", Nothing),
    ("xtrace", Followed("xtrace", true)),
];

const OF_BASH: &[(&str, Effect)] = &[
    ("braceexpand", Followed(NO_BRACES, false)),
    ("errtrace", Nothing),
    ("functrace", Nothing),
    ("hashall", Nothing),
    ("histexpand", Nothing),
    ("history", Nothing),
    ("interactive-comments", Nothing),
    ("keyword", Odd),
    ("onecmd", Odd),
    ("physical", Followed("cdotherwise", true)),
    ("pipefail", Followed("pipefail", true)),
    ("posix", Followed("posix", true)),
];

const OF_DASH: &[(&str, Effect)] = &[("interactive", Odd), ("stdin", Odd), ("debug", Nothing)];

const OF_KSH: &[(&str, Effect)] = &[
    ("backslashctrl", Nothing),
    ("bgnice", Nothing),
    ("braceexpand", Followed(NO_BRACES, false)),
    ("clobber", Followed("noclobber", false)),
    ("exec", Followed("noexec", false)),
    ("functrace", Nothing),
    ("glob", Followed("noglob", false)),
    ("globcasedetect", Odd),
    ("globstar", Followed("globstar", true)),
    ("gmacs", Nothing),
    ("histexpand", Nothing),
    ("histreedit", Nothing),
    ("histverify", Nothing),
    ("interactive", Fixed),
    ("keyword", Odd),
    ("letoctal", Odd),
    ("log", Nothing),
    ("markdirs", Odd),
    ("multiline", Nothing),
    ("pipefail", Followed("pipefail", true)),
    ("posix", Followed("posix", true)),
    ("restricted", Odd),
    ("showme", Odd),
    ("trackall", Nothing),
    ("unset", Followed("nounset", false)),
    ("viraw", Nothing),
];

const OF_MKSH: &[(&str, Effect)] = &[
    ("asis", Odd),
    ("bgnice", Nothing),
    ("braceexpand", Followed(NO_BRACES, false)),
    ("gmacs", Nothing),
    ("inherit-xtrace", Nothing),
    ("interactive", Fixed),
    ("keyword", Odd),
    ("markdirs", Odd),
    ("nohup", Nothing),
    ("physical", Followed("cdotherwise", true)),
    ("pipefail", Followed("pipefail", true)),
    ("posix", Followed("posix", true)),
    ("restricted", Odd),
    ("sh", Odd),
    ("stdin", Fixed),
    ("trackall", Nothing),
    ("utf8-mode", Odd),
    ("vi-esccomplete", Nothing),
    ("vi-tabcomplete", Nothing),
    ("viraw", Nothing),
];

/// Braces are not expanded; in bash and its kin this is on by default.
pub(in crate::shell) const NO_BRACES: &str = "nobraceexpand";

/// What letters stand for in `set` and when a shell is started: the name, and whether it means the opposite.
const LETTERS: &[(u8, &str)] = &[
    (b'a', "allexport"),
    (b'b', "notify"),
    (b'C', "noclobber"),
    (b'e', "errexit"),
    (b'f', "noglob"),
    (b'm', "monitor"),
    (b'n', "noexec"),
    (b'p', "privileged"),
    (b'u', "nounset"),
    (b'v', "verbose"),
    (b'x', "xtrace"),
];

const LETTERS_OF_BASH: &[(u8, &str)] = &[
    (b'B', "braceexpand"),
    (b'E', "errtrace"),
    (b'h', "hashall"),
    (b'H', "histexpand"),
    (b'k', "keyword"),
    (b'P', "physical"),
    (b'T', "functrace"),
    (b't', "onecmd"),
];

const LETTERS_OF_DASH: &[(u8, &str)] =
    &[(b'E', "emacs"), (b'I', "ignoreeof"), (b'V', "vi"), (b'i', "interactive"), (b's', "stdin")];

const LETTERS_OF_KSH: &[(u8, &str)] = &[
    (b'B', "braceexpand"),
    (b'G', "globstar"),
    (b'H', "histexpand"),
    (b'h', "trackall"),
    (b'k', "keyword"),
    (b'r', "restricted"),
];

const LETTERS_OF_MKSH: &[(u8, &str)] =
    &[(b'h', "trackall"), (b'k', "keyword"), (b'U', "utf8-mode"), (b'X', "markdirs"), (b'i', "interactive")];

/// zsh's letters (zshoptions(1), «Default set»).
const LETTERS_OF_ZSH: &[(u8, &str)] = &[
    (b'm', "monitor"),
    (b'0', "correct"),
    (b'1', "printexitvalue"),
    (b'2', "nobadpattern"),
    (b'3', "nonomatch"),
    (b'4', "globdots"),
    (b'5', "notify"),
    (b'6', "bgnice"),
    (b'7', "ignoreeof"),
    (b'8', "markdirs"),
    (b'9', "autolist"),
    (b'B', "nobeep"),
    (b'C', "noclobber"),
    (b'D', "pushdtohome"),
    (b'E', "pushdsilent"),
    (b'F', "noglob"),
    (b'G', "nullglob"),
    (b'H', "rmstarsilent"),
    (b'I', "ignorebraces"),
    (b'J', "autocd"),
    (b'K', "nobanghist"),
    (b'L', "sunkeyboardhack"),
    (b'M', "singlelinezle"),
    (b'N', "autopushd"),
    (b'O', "correctall"),
    (b'P', "rcexpandparam"),
    (b'Q', "pathdirs"),
    (b'R', "longlistjobs"),
    (b'S', "recexact"),
    (b'T', "cdablevars"),
    (b'U', "mailwarning"),
    (b'V', "nopromptcr"),
    (b'W', "autoresume"),
    (b'X', "listtypes"),
    (b'Y', "menucomplete"),
    (b'a', "allexport"),
    (b'd', "noglobalrcs"),
    (b'e', "errexit"),
    (b'f', "norcs"),
    (b'g', "histignorespace"),
    (b'h', "histignoredups"),
    (b'k', "interactivecomments"),
    (b'n', "noexec"),
    (b'p', "privileged"),
    (b'u', "nounset"),
    (b'v', "verbose"),
    (b'w', "chaselinks"),
    (b'x', "xtrace"),
    (b'y', "shwordsplit"),
];

/// The options of zsh, without those of which all begin with `hist` (zshoptions(1)).
const OF_ZSH: &str = "appendhistory extendedhistory incappendhistory incappendhistorytime sharehistory \
    aliases aliasfuncdef allexport alwayslastprompt alwaystoend appendcreate autocd autocontinue autolist \
    automenu autonamedirs autoparamkeys autoparamslash autopushd autoremoveslash autoresume badpattern \
    banghist bareglobqual bashautolist bashrematch beep bgnice braceccl braceexpand bsdecho caseglob \
    casematch casepaths cbases cdablevars cdsilent chasedots chaselinks checkjobs checkrunningjobs clobber \
    clobberempty combiningchars completealiases completeinword continueonerror correct correctall \
    cprecedences cshjunkiehistory cshjunkieloops cshjunkiequotes cshnullcmd cshnullglob debugbeforecmd \
    dotglob dvorak emacs equals errexit errreturn evallineno exec extendedglob flowcontrol forcefloat \
    functionargzero glob globalexport globalrcs globassign globcomplete globdots globstarshort globsubst \
    hashall hashcmds hashdirs hashexecutablesonly hashlistall hup ignorebraces ignoreclosebraces ignoreeof \
    interactivecomments ksharrays kshautoload kshglob kshoptionprint kshtypeset kshzerosubscript \
    listambiguous listbeep listpacked listrowsfirst listtypes localloops localoptions localpatterns \
    localtraps log longlistjobs magicequalsubst mailwarn mailwarning markdirs menucomplete monitor multibyte \
    multifuncdef multios nomatch notify nullglob numericglobsort octalzeroes onecmd overstrike pathdirs \
    pathscript physical pipefail posixaliases posixargzero posixbuiltins posixcd posixidentifiers posixjobs \
    posixstrings posixtraps printeightbit printexitvalue privileged promptbang promptcr promptpercent \
    promptsp promptsubst promptvars pushdignoredups pushdminus pushdsilent pushdtohome rcexpandparam rcquotes \
    rcs recexact rematchpcre restricted rmstarsilent rmstarwait shfileexpansion shglob shnullcmd \
    shoptionletters shortloops shortrepeat shwordsplit singlecommand singlelinezle sourcetrace \
    sunkeyboardhack trackall transientrprompt trapsasync typesetsilent typesettounset unset verbose vi \
    warncreateglobal warnnestedvar xtrace";

/// Those of zsh that are followed, by which name; `false` where it means the opposite.
const FOLLOWED_IN_ZSH: &[(&str, &str, bool)] = &[
    ("aliases", "noaliases", false),
    ("allexport", "allexport", true),
    ("autopushd", "autopushd", true),
    ("bareglobqual", "nobareglobqual", false),
    ("braceccl", "braceccl", true),
    ("bsdecho", "bsdecho", true),
    ("caseglob", "nocaseglob", false),
    ("clobber", "noclobber", false),
    ("dotglob", "dotglob", true),
    ("errexit", "errexit", true),
    ("functionargzero", "nofunctionargzero", false),
    ("glob", "noglob", false),
    ("globalrcs", "noglobalrcs", false),
    ("globdots", "dotglob", true),
    ("localoptions", "localoptions", true),
    ("magicequalsubst", "magicequalsubst", true),
    ("nomatch", "nonomatch", false),
    ("nullglob", "nullglob", true),
    ("numericglobsort", "numericglobsort", true),
    ("pipefail", "pipefail", true),
    ("posixargzero", "nofunctionargzero", true),
    ("rcquotes", "rcquotes", true),
    ("rcs", "norcs", false),
    ("shwordsplit", "shwordsplit", true),
    ("unset", "nounset", false),
    ("verbose", "verbose", true),
    ("xtrace", "xtrace", true),
];

/// An option of zsh's by its name without `_` and great letters: the name without `no`, and whether it stood there.
pub(in crate::shell) fn named_in_zsh(word: &[u8]) -> (Vec<u8>, bool) {
    let plain: Vec<u8> = word.iter().filter(|b| **b != b'_').map(u8::to_ascii_lowercase).collect();
    match plain.strip_prefix(b"no") {
        Some(rest) if !matches!(&plain[..], b"notify" | b"nomatch") => (rest.to_vec(), true),
        _ => (plain, false),
    }
}

/// How an option of zsh's is followed, if it is.
pub(in crate::shell) fn followed_in_zsh(name: &[u8]) -> Option<(&'static str, bool)> {
    FOLLOWED_IN_ZSH.iter().find(|(other, ..)| other.as_bytes() == name).map(|(_, own, same)| (*own, *same))
}

/// Those that zsh refuses to change, or changes only where it has a terminal.
const FIXED_IN_ZSH: &str = "interactive login monitor shinstdin singlecommand onecmd stdin zle";

/// Those of zsh that change what is followed where they are turned on.
const ODD_IN_ZSH: &str = "bashrematch continueonerror cshjunkieloops cshjunkiequotes cshnullcmd cshnullglob forcefloat globassign \
    globstarshort ignorebraces ignoreclosebraces kshautoload kshzerosubscript localloops markdirs octalzeroes \
    posixaliases posixbuiltins posixidentifiers posixstrings rematchpcre restricted shfileexpansion shglob \
    shnullcmd shoptionletters typesettounset";

/// Those of which it counts where they are turned off.
const ODD_OFF_IN_ZSH: &str = "badpattern braceexpand casematch equals exec globalexport multibyte multifuncdef shortloops";

/// Whether an option of zsh's makes it work in a way that is not followed.
pub(in crate::shell) fn is_odd_in_zsh(name: &[u8], on: bool) -> bool {
    is_one_of(if on { ODD_IN_ZSH } else { ODD_OFF_IN_ZSH }, name)
}

/// Whether zsh has an option, by its name without `_`, `no` and great letters.
pub(in crate::shell) fn is_option_of_zsh(name: &[u8]) -> bool {
    // Those of its history all begin alike.
    name.starts_with(b"hist") || is_one_of(OF_ZSH, name) || is_one_of(FIXED_IN_ZSH, name)
}

/// Whether zsh may refuse to change it.
pub(in crate::shell) fn is_fixed_in_zsh(name: &[u8]) -> bool {
    is_one_of(FIXED_IN_ZSH, name)
}

/// Whether a name stands in a list of them.
pub(in crate::shell) fn is_one_of(names: &str, name: &[u8]) -> bool {
    names.split(' ').any(|other| other.as_bytes() == name)
}

/// What an option of `set -o` does, where there is one; zsh has a way of its own.
pub(in crate::shell) fn long_option(name: &[u8], dialect: Dialect) -> Option<Effect> {
    let own = match dialect {
        Dialect::Bash => OF_BASH,
        Dialect::Dash => OF_DASH,
        Dialect::Ksh => OF_KSH,
        Dialect::Mksh => OF_MKSH,
        Dialect::Zsh => return None,
    };
    COMMON.iter().chain(own).find(|(option, _)| option.as_bytes() == name).map(|(_, effect)| *effect)
}

/// Whether a long name of ksh's begins so.
pub(in crate::shell) fn is_beginning(name: &[u8]) -> bool {
    COMMON.iter().chain(OF_KSH).any(|(option, _)| option.as_bytes().starts_with(name))
}

/// What a letter of `set` stands for.
pub(in crate::shell) fn option_of_letter(letter: u8, dialect: Dialect) -> Option<&'static str> {
    letters(dialect).find(|(other, _)| *other == letter).map(|(_, name)| name)
}

/// The letters of `set`, and what each stands for.
pub(in crate::shell) fn letters(dialect: Dialect) -> impl Iterator<Item = (u8, &'static str)> {
    let (common, own) = match dialect {
        Dialect::Bash => (LETTERS, LETTERS_OF_BASH),
        Dialect::Dash => (LETTERS, LETTERS_OF_DASH),
        Dialect::Ksh => (LETTERS, LETTERS_OF_KSH),
        Dialect::Mksh => (LETTERS, LETTERS_OF_MKSH),
        Dialect::Zsh => (&[][..], LETTERS_OF_ZSH),
    };
    common.iter().chain(own).copied()
}

/// How an option with a letter is followed, if it is.
pub(in crate::shell) fn followed(name: &'static str, dialect: Dialect) -> Option<(&'static str, bool)> {
    if dialect == Dialect::Zsh {
        let (plain, is_turned) = named_in_zsh(name.as_bytes());
        return followed_in_zsh(&plain).map(|(own, same)| (own, same != is_turned));
    }
    match long_option(name.as_bytes(), dialect) {
        Some(Effect::Followed(own, same)) => Some((own, same)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SHELLS: [Dialect; 4] = [Dialect::Bash, Dialect::Dash, Dialect::Ksh, Dialect::Mksh];

    #[test]
    fn each_shell_has_options_of_its_own() {
        // What an option does in bash, dash, ksh and mksh; `-` where there is none.
        for (name, does) in [
            ("allexport", ["allexport"; 4]),
            ("noclobber", ["noclobber"; 4]),
            ("vi", ["nothing"; 4]),
            ("pipefail", ["pipefail", "-", "pipefail", "pipefail"]),
            ("braceexpand", ["not nobraceexpand", "-", "not nobraceexpand", "not nobraceexpand"]),
            ("physical", ["cdotherwise", "-", "-", "cdotherwise"]),
            ("markdirs", ["-", "-", "odd", "odd"]),
            ("keyword", ["odd", "-", "odd", "odd"]),
            ("interactive", ["-", "odd", "fixed", "fixed"]),
            ("unset", ["-", "-", "not nounset", "-"]),
            ("functrace", ["nothing", "-", "nothing", "-"]),
            ("debug", ["-", "nothing", "-", "-"]),
            ("no_such_option", ["-"; 4]),
        ] {
            let told = SHELLS.map(|dialect| match long_option(name.as_bytes(), dialect) {
                Some(Followed(own, true)) => own.to_owned(),
                Some(Followed(own, false)) => format!("not {own}"),
                Some(Nothing) => "nothing".to_owned(),
                Some(Odd) => "odd".to_owned(),
                Some(Fixed) => "fixed".to_owned(),
                None => "-".to_owned(),
            });
            assert_eq!(told, does.map(str::to_owned), "{name}");
        }
        assert_eq!(long_option(b"allexport", Dialect::Zsh), None);
    }

    #[test]
    fn letters_stand_for_options_that_there_are() {
        for dialect in SHELLS {
            for letter in b'A'..=b'z' {
                if let Some(name) = option_of_letter(letter, dialect) {
                    assert!(long_option(name.as_bytes(), dialect).is_some(), "{dialect:?} -{} is {name}", char::from(letter));
                }
            }
        }
        for letter in b'0'..=b'z' {
            if let Some(name) = option_of_letter(letter, Dialect::Zsh) {
                let plain = name.strip_prefix("no").filter(|_| !matches!(name, "nomatch" | "notify")).unwrap_or(name);
                assert!(is_option_of_zsh(plain.as_bytes()), "-{} is {name}", char::from(letter));
            }
        }
        for (letter, names) in [
            (b'a', ["allexport"; 5].map(Some)),
            (b'f', [Some("noglob"), Some("noglob"), Some("noglob"), Some("noglob"), Some("norcs")]),
            (b'h', [Some("hashall"), None, Some("trackall"), Some("trackall"), Some("histignoredups")]),
            (b'B', [Some("braceexpand"), None, Some("braceexpand"), None, Some("nobeep")]),
            (b'q', [None; 5]),
        ] {
            let [bash, dash, ksh, mksh] = SHELLS.map(|dialect| option_of_letter(letter, dialect));
            assert_eq!([bash, dash, ksh, mksh, option_of_letter(letter, Dialect::Zsh)], names, "-{}", char::from(letter));
        }
    }

    #[test]
    fn the_lists_of_zshs_options_agree() {
        for name in [ODD_IN_ZSH, ODD_OFF_IN_ZSH, FIXED_IN_ZSH].iter().flat_map(|names| names.split(' ')) {
            assert!(is_option_of_zsh(name.as_bytes()), "{name}");
        }
        for (name, on, is_odd) in [
            ("markdirs", true, true),
            ("markdirs", false, false),
            ("multibyte", true, false),
            ("multibyte", false, true),
            ("autocd", true, false),
        ] {
            assert_eq!(is_odd_in_zsh(name.as_bytes(), on), is_odd, "{name} {on}");
        }
        assert!(is_option_of_zsh(b"histignorespace") && !is_option_of_zsh(b"nosuch"));
        assert!(is_fixed_in_zsh(b"interactive") && !is_fixed_in_zsh(b"autocd"));
    }
}
