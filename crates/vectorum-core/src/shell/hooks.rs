//! What zsh calls by itself: functions by their names, and those of lists that go with them (zshmisc(1), «Hook
//! Functions»); and functions that it loads when they are called first.

use std::sync::Arc;

use bytes::Bytes;

use super::content::Content;
use super::frame::{Boundary, Frame};
use super::machine::Machine;
use super::one_of::HELD_BEFORE;
use super::state::Status;
use super::syntax::Dialect;
use super::value::Val;

pub(super) const BEFORE_PROMPT: &str = "what runs before each prompt is not known";
/// Lists of functions that are called by themselves.
const HOOKS: &[&str] = &["precmd_functions", "preexec_functions", "chpwd_functions"];

/// Whether a list is one of functions that zsh calls by itself.
pub(super) fn is_hook_list(name: &[u8]) -> bool {
    HOOKS.iter().any(|list| list.as_bytes() == name)
}

const ON_FOLDER: &str = "what runs when the folder changes is not known";

/// How many arguments a hook is handed. Before a command is run it is told the command's text, which nobody knows.
const TOLD: usize = 3;

/// A function that comes with zsh, and what it sets in the shell.
struct Coming {
    name: &'static str,
    texts: &'static [&'static str],
    lists: &'static [&'static str],
    /// Functions that are there once it was run, and what the names of others begin with. The former stand among the options
    /// of a shell, as parts of it that some branches have.
    brings: (&'static [&'static str], &'static [&'static str]),
}

/// Those that set something: for lines and prompts, and nothing for programs (zshcontrib(1), zshcompsys(1)).
const SETTING: &[Coming] = &[
    Coming {
        name: "colors",
        texts: &["reset_color", "bold_color"],
        lists: &["color", "colour", "fg", "bg", "fg_bold", "bg_bold", "fg_no_bold", "bg_no_bold"],
        brings: (&[], &[]),
    },
    Coming {
        name: "compinit",
        texts: &["_comp_dumpfile", "_comp_setup", "_lastcomp"],
        lists: &[
            "_comps",
            "_services",
            "_patcomps",
            "_postpatcomps",
            "_compautos",
            "compprefuncs",
            "comppostfuncs",
            "_comp_options",
        ],
        brings: (&["compdef()"], &["_", "compaudit", "compdump", "compinstall"]),
    },
    Coming {
        name: "prompt",
        texts: &[
            "PS1",
            "PS2",
            "PS3",
            "PS4",
            "RPS1",
            "RPS2",
            "PROMPT",
            "RPROMPT",
            "PSCMD",
            "PSCOL",
            "base_prompt",
            "base_prompt_no_color",
            "pcolour",
            "post_prompt",
            "post_prompt_no_color",
            "prompt_adam1_color1",
            "prompt_adam1_color2",
            "prompt_adam1_color3",
            "prompt_adam2_color1",
            "prompt_adam2_color2",
            "prompt_adam2_color3",
            "prompt_adam2_color4",
            "prompt_char",
            "prompt_gfx_bbox_to_mbox",
            "prompt_gfx_hyphen",
            "prompt_gfx_tbox",
            "prompt_l_paren",
            "prompt_line_1a",
            "prompt_line_1b",
            "prompt_line_2",
            "prompt_r_paren",
            "prompt_user_host",
            "tcolour",
        ],
        // What its themes have called before each prompt sets those texts again.
        lists: &["fg", "prompt_opts", "zle_highlight"],
        brings: (&[], &["prompt_"]),
    },
    Coming {
        name: "promptinit",
        texts: &[],
        lists: &["prompt_themes", "prompt_theme", "prompt_newline"],
        brings: (&["add-zsh-hook()", "prompt()"], &["add-zle-hook-widget", "prompt_", "set_prompt"]),
    },
    Coming {
        name: "vcs_info",
        texts: &["vcs_info_msg_0_", "vcs_info_msg_1_", "vcs_info_msg_2_"],
        lists: &["VCS_INFO_backends"],
        brings: (&[], &["vcs_info_", "VCS_INFO_"]),
    },
    Coming { name: "bashcompinit", texts: &[], lists: &[], brings: (&["compgen()", "complete()"], &["_"]) },
];

/// Those that set nothing.
const SETTING_NOTHING: &[&str] = &[
    "add-zle-hook-widget",
    "compaudit",
    "is-at-least",
    "run-help",
    "select-word-style",
    "zargs",
    "zcalc",
    "zed",
    "zmv",
    "zrecompile",
    "zsh-mime-setup",
];

/// Themes that come with it.
const THEMES: &[&str] = &[
    "adam1", "adam2", "bart", "bigfade", "clint", "default", "elite", "elite2", "fade", "fire", "off", "oliver", "pws", "redhat",
    "restore", "suse", "walters", "zefram", "-l", "-p", "-c", "-h",
];

/// Whether an entry of what is brought is a function of this name.
fn is_called(brought: &str, name: &[u8]) -> bool {
    brought.strip_suffix("()").is_some_and(|brought| brought.as_bytes() == name)
}

/// One that sets nothing.
const PLAIN: Coming = Coming { name: "", texts: &[], lists: &[], brings: (&[], &[]) };

/// What a function that comes with it sets and brings.
fn coming_with_it(name: &[u8]) -> Option<&'static Coming> {
    let sets = SETTING.iter().find(|coming| coming.name.as_bytes() == name);
    sets.or_else(|| SETTING_NOTHING.iter().any(|other| other.as_bytes() == name).then_some(&PLAIN))
}

impl Machine<'_> {
    /// What zsh runs before its prompt, and before a command that is typed there.
    pub(super) fn before_prompt(&mut self) {
        if self.is_function(b"periodic") && !matches!(self.content_of(b"PERIOD"), Content::Unset) {
            return self.fog(BEFORE_PROMPT);
        }
        for hook in ["precmd", "zshaddhistory", "preexec"] {
            let told = if hook == "precmd" { 0 } else { TOLD };
            self.call_hook(hook, told, BEFORE_PROMPT);
        }
    }

    /// What zsh runs before each line of a script, too (measured: 5.9).
    pub(super) fn before_line(&mut self) {
        let is_text = |frame: &&Frame| matches!(frame.kind, Boundary::Text | Boundary::Startup);
        if self.dialect == Dialect::Zsh && self.until.is_some() && self.frames.iter().filter(is_text).count() == 1 {
            self.call_hook("preexec", TOLD, "what runs before a line of a script");
        }
    }

    /// What it runs after `cd`.
    pub(super) fn after_folder(&mut self) {
        if self.dialect != Dialect::Zsh {
            return;
        }
        match self.live.as_ref().map(|state| state.status.clone()) {
            Some(Status::Known(0)) => self.call_hook("chpwd", 0, ON_FOLDER),
            Some(Status::Unknown(doubt)) if self.has_hook("chpwd") => {
                self.fork(&doubt, |m| m.call_hook("chpwd", 0, ON_FOLDER), |_| {});
            }
            _ => {}
        }
    }

    fn has_hook(&self, hook: &str) -> bool {
        self.is_function(hook.as_bytes()) || !matches!(self.content_of(format!("{hook}_functions").as_bytes()), Content::Unset)
    }

    fn call_hook(&mut self, hook: &str, told: usize, why: &'static str) {
        if !self.has_hook(hook) {
            return;
        }
        let status = self.live.as_ref().map(|state| state.status.clone());
        if self.is_function(hook.as_bytes()) {
            self.call_told(hook.as_bytes(), told, why);
        }
        match self.content_of(format!("{hook}_functions").as_bytes()) {
            Content::Unset => {}
            Content::Array(names) => {
                for name in names.iter() {
                    match name {
                        // Those that are none are passed over.
                        Val::Known(name) if self.is_function(name) => self.call_told(name, told, why),
                        Val::Known(_) => {}
                        Val::Unknown(text) if text.doubt.why == HELD_BEFORE => self.call_hooked(hook, told, why),
                        Val::Unknown(_) => self.fog(why),
                    }
                }
            }
            Content::Perhaps(_) => self.call_hooked(hook, told, why),
            _ => self.fog(why),
        }
        if let (Some(state), Some(status)) = (&mut self.live, status) {
            state.status = status;
        }
    }

    /// Calls each function that was ever put into a list of hooks, or does not.
    fn call_hooked(&mut self, hook: &str, told: usize, why: &'static str) {
        let list = format!("{hook}_functions");
        // Anything may have been put into one of which nothing is known any more.
        let is_sure = !self.restless.has(list.as_bytes());
        let names = self.one_of.hooked(list.as_bytes()).filter(|_| is_sure).cloned();
        let Some(names) = names else { return self.fog(why) };
        let doubt = self.doubt("whether the function is one that is called by itself");
        for name in names.iter().filter(|name| self.is_function(name)).collect::<Vec<_>>() {
            self.fork(&doubt, |m| m.call_told(name, told, why), |_| {});
        }
    }

    fn call_told(&mut self, name: &[u8], told: usize, why: &'static str) {
        let told = vec![Val::unknown(self.doubt("the command that is typed")); told];
        let function = self.live.as_ref().and_then(|state| state.functions.get(name).cloned());
        match function.map(|function| function.or_else(|| self.loaded(name))) {
            Some(Some(function)) => self.call_by_name(name, &function, &told),
            _ => {
                let is_called = self.with_one_of(name, &|m, function| m.call_by_name(name, function, &told), &|_| {});
                if !(is_called || self.is_of_zsh(name) && self.run_coming_with_it(name, Some(&[]))) {
                    self.fog(why);
                }
            }
        }
    }

    /// Whether a function comes with zsh that is not followed, or is brought by one of those.
    pub(super) fn is_of_zsh(&self, name: &[u8]) -> bool {
        let is_brought = || SETTING.iter().flat_map(|coming| coming.brings.0).any(|brought| is_called(brought, name));
        let is_one = || name == b"add-zsh-hook" || coming_with_it(name).is_some() || is_brought();
        self.dialect == Dialect::Zsh && self.later.contains_key(name) && is_one()
    }

    /// Whether a function of which no body is known is one that was certainly brought.
    pub(super) fn was_brought(&self, name: &[u8]) -> bool {
        let brought = SETTING.iter().flat_map(|coming| coming.brings.0).find(|brought| is_called(brought, name));
        let is_on = |brought: &&'static str| self.live.as_ref()?.option(brought);
        brought.and_then(is_on) == Some(true)
    }

    /// Runs a function that comes with zsh; whether it is one.
    pub(super) fn run_coming_with_it(&mut self, name: &[u8], known: Option<&[Bytes]>) -> bool {
        // They are no commands before they are asked for.
        if !self.later.contains_key(name) && self.live.as_ref().is_some_and(|state| state.open.is_none()) {
            return false;
        }
        if name == b"add-zsh-hook" {
            self.add_hook(known);
            return true;
        }
        if name == b"is-at-least"
            && let Some(is_it) = known.and_then(|words| self.version_is_at_least(words))
        {
            self.set_status(u8::from(!is_it));
            return true;
        }
        let Some(Coming { texts, lists, brings: (functions, begins), .. }) = coming_with_it(name) else { return false };
        let is_theme = |word: &Bytes| THEMES.iter().any(|theme| theme.as_bytes() == word);
        if name == b"prompt" && !known.and_then(|words| words.first()).is_some_and(is_theme) {
            self.fog("a theme of the prompt is a function that is not known");
            return true;
        }
        for brought in *functions {
            self.put_option(brought, true);
            self.load_later(Bytes::from_static(brought.trim_end_matches("()").as_bytes()));
        }
        self.unclear_functions.extend(begins.iter().map(|begin| Bytes::from_static(begin.as_bytes())));
        self.print(Val::unknown(self.doubt("what a command prints")));
        self.may_set("a function of the shell's", texts, lists);
        self.doubt_status(self.doubt("how a function of the shell's ends"));
        true
    }

    /// `add-zsh-hook HOOK FUNCTION`.
    fn add_hook(&mut self, known: Option<&[Bytes]>) {
        let words: Option<Vec<&Bytes>> =
            known.map(|words| words.iter().filter(|w| !matches!(&w[..], b"-U" | b"-Uz" | b"-z")).collect());
        match words.as_deref() {
            Some([hook, function]) if !hook.starts_with(b"-") && !function.starts_with(b"-") => {
                let list = [&hook[..], b"_functions"].concat();
                let mut names = match self.content_of(&list) {
                    Content::Unset => Vec::new(),
                    Content::Array(names) => names.to_vec(),
                    _ => vec![Val::unknown(self.doubt(HELD_BEFORE))],
                };
                self.steps.count(names.len());
                if !names.contains(&Val::Known((*function).clone())) {
                    names.push(Val::Known((*function).clone()));
                }
                self.load_later((*function).clone());
                self.assign(&list, Content::Array(Arc::new(names)), None);
            }
            _ => {
                if words.is_none() {
                    let unknown = Content::Perhaps(Val::unknown(self.doubt(BEFORE_PROMPT)));
                    HOOKS.iter().for_each(|list| self.note_hooked(list.as_bytes(), &unknown));
                }
                self.may_set("what is called by the shell itself", &[], HOOKS);
            }
        }
        // It may not be there.
        self.doubt_status(self.doubt("how a function of the shell's ends"));
    }
}
