//! Every action with its keys and words, declared once: the dispatcher, the footer, the help and
//! the palette all read this table.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// Something that a person can do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Action {
    Up,
    Down,
    PageUp,
    PageDown,
    Top,
    Bottom,
    NextPane,
    PreviousPane,
    Enter,
    Back,
    Left,
    Right,
    ShowFlow,
    ShowProcesses,
    ShowCompare,
    ShowRecording,
    ShowFiles,
    NextFile,
    PreviousFile,
    TakeFix,
    FilterNames,
    FilterProcesses,
    Fold,
    FoldAll,
    NextChange,
    PreviousChange,
    OnlyChanges,
    KernelThreads,
    Layout,
    Edit,
    Probe,
    FindValue,
    FindFile,
    NextView,
    PreviousView,
    MarkForCompare,
    CompareWithParent,
    CompareWithNow,
    SwapSides,
    Reveal,
    CopyValue,
    CopyName,
    Run,
    Trace,
    EndTrace,
    Export,
    Findings,
    ToggleNames,
    Rescan,
    Help,
    Palette,
    Redraw,
    Suspend,
    Quit,
}

/// Where an action means something.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Place {
    Everywhere,
    Flow,
    Processes,
    Compare,
    Files,
}

/// One row of the table.
pub(crate) struct Binding {
    pub(crate) action: Action,
    pub(crate) keys: &'static [Key],
    /// A word or two, for the footer.
    pub(crate) short: &'static str,
    /// A sentence, for the help and the palette.
    pub(crate) words: &'static str,
    pub(crate) place: Place,
    /// The rank in the footer; 0 keeps it out.
    pub(crate) footer: u8,
}

/// A key as it is pressed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Key {
    Char(char),
    Ctrl(char),
    Code(KeyCode),
}

impl Key {
    /// Returns the key's name.
    pub(crate) fn name(self) -> String {
        match self {
            Key::Char(' ') => "Space".to_owned(),
            Key::Char(c) => c.to_string(),
            Key::Ctrl(c) => format!("Ctrl-{}", c.to_ascii_uppercase()),
            Key::Code(code) => match code {
                KeyCode::Up => "↑".to_owned(),
                KeyCode::Down => "↓".to_owned(),
                KeyCode::Left => "←".to_owned(),
                KeyCode::Right => "→".to_owned(),
                KeyCode::PageUp => "PgUp".to_owned(),
                KeyCode::PageDown => "PgDn".to_owned(),
                KeyCode::BackTab => "Shift-Tab".to_owned(),
                KeyCode::F(n) => format!("F{n}"),
                other => format!("{other:?}"),
            },
        }
    }

    fn matches(self, event: &KeyEvent) -> bool {
        let control = event.modifiers.contains(KeyModifiers::CONTROL);
        let alt = event.modifiers.contains(KeyModifiers::ALT);
        match (self, event.code) {
            (_, _) if alt => false,
            (Key::Char(c), KeyCode::Char(pressed)) => !control && c == pressed,
            (Key::Ctrl(c), KeyCode::Char(pressed)) => control && c == pressed.to_ascii_lowercase(),
            (Key::Code(code), pressed) => !control && code == pressed,
            _ => false,
        }
    }
}

const fn code(code: KeyCode) -> Key {
    Key::Code(code)
}

macro_rules! bindings {
    ($($action:ident $place:ident $footer:literal [$($key:expr),*] $short:literal $words:literal;)*) => {
        &[$(Binding { action: Action::$action, keys: &[$($key),*], short: $short, words: $words, place: Place::$place, footer: $footer }),*]
    };
}

/// The table.
pub(crate) const BINDINGS: &[Binding] = bindings! {
    Up Everywhere 1 [code(KeyCode::Up), Key::Char('k')] "move" "Move up";
    Down Everywhere 1 [code(KeyCode::Down), Key::Char('j')] "move" "Move down";
    PageUp Everywhere 0 [code(KeyCode::PageUp), Key::Ctrl('b')] "page up" "Move up by a page";
    PageDown Everywhere 0 [code(KeyCode::PageDown), Key::Ctrl('f')] "page down" "Move down by a page";
    Top Everywhere 0 [code(KeyCode::Home), Key::Char('g')] "first" "Go to the first line";
    Bottom Everywhere 0 [code(KeyCode::End), Key::Char('G')] "last" "Go to the last line";
    NextPane Everywhere 2 [code(KeyCode::Tab)] "pane" "Go to the next pane: names, tree or table, details";
    PreviousPane Everywhere 0 [code(KeyCode::BackTab)] "pane before" "Go to the pane before";
    FilterNames Everywhere 3 [Key::Char('/')] "find name" "Filter the names as you type; letters may be left out";
    Findings Everywhere 4 [Key::Char('t')] "troubles" "List what looks wrong on this host, and go there";
    Edit Flow 5 [Key::Char('e')] "edit" "Open the deciding line in your editor, and look again afterwards";
    Probe Flow 6 [Key::Char('p')] "probe" "Run the route under the cursor for real, after asking, and compare what arrives with what is forecast";
    Layout Flow 6 [Key::Char('a')] "reach" "Show all names by routes, those that differ most first; again shows the tree";
    FindValue Flow 7 [Key::Char('=')] "who has" "Find the names and routes that have a value, or a part of it";
    FindFile Flow 8 [Key::Char('@')] "line's reach" "Find what a file or a line of it decides, on which routes";
    NextChange Everywhere 5 [Key::Char('n')] "next change" "Go to the next process or route that got the chosen name otherwise than the one above it";
    PreviousChange Everywhere 0 [Key::Char('N')] "change before" "Go to the change before";
    OnlyChanges Everywhere 7 [Key::Char('o')] "only changes" "Show only what differs: processes that got the chosen name otherwise than their parent; in Compare, names that differ";
    NextView Processes 6 [Key::Char('v')] "view" "Show the next view of the details: value, changes, block, now";
    PreviousView Processes 0 [Key::Char('V')] "view before" "Show the view of the details before";
    Run Everywhere 8 [Key::Char('x')] "run" "Run a command under this block, changed as you like";
    Trace Everywhere 9 [Key::Char('X')] "trace" "Run a command away from the terminal, and show what every program below it receives";
    EndTrace Everywhere 0 [Key::Char('E')] "end trace" "Ask the traced command to end; once more ends it by force";
    Export Everywhere 10 [Key::Char('w')] "export" "Write this block in another form: see exactly what will leave, then put it into a file or the clipboard";
    CompareWithParent Processes 9 [Key::Char('C')] "with parent" "Compare what the process received with what its parent did";
    MarkForCompare Everywhere 10 [Key::Char('c')] "compare" "Mark the process or route as one side of a comparison; the second one opens it";
    CompareWithNow Processes 0 [Key::Char('L')] "with now" "Compare what the process received with what it has now";
    SwapSides Compare 5 [Key::Char('s')] "swap sides" "Swap the two sides of the comparison";
    Reveal Everywhere 11 [Key::Char('m')] "reveal" "Show what looks secret, or mask it again";
    CopyValue Everywhere 12 [Key::Char('y')] "copy value" "Copy the chosen name's value to the clipboard, through the terminal";
    CopyName Everywhere 0 [Key::Char('Y')] "copy name" "Copy the chosen name";
    FilterProcesses Processes 13 [Key::Char('p')] "find process" "Filter the processes by program, arguments, account or number";
    Fold Everywhere 0 [Key::Char(' ')] "fold" "Fold or unfold what is below, or what agrees";
    FoldAll Everywhere 0 [Key::Char('z')] "fold all" "Fold everything below the first level, or unfold all; in Flow, what agrees";
    Left Everywhere 0 [code(KeyCode::Left), Key::Char('h')] "left" "Fold the branch, go to the parent, or go to the pane on the left";
    Right Everywhere 0 [code(KeyCode::Right), Key::Char('l')] "right" "Unfold the branch, or go to the pane on the right";
    Enter Everywhere 0 [code(KeyCode::Enter)] "open" "Go on to what is chosen: from the names to the tree, from the tree to the details";
    Back Everywhere 0 [code(KeyCode::Esc)] "back" "Close what is open, end a filter";
    KernelThreads Processes 0 [Key::Char('K')] "kernel threads" "Show or hide the kernel's threads, which have no block";
    ToggleNames Everywhere 0 [Key::Char('b')] "names" "Fold the names column away, or show it again";
    ShowFlow Everywhere 0 [Key::Char('1')] "flow" "Show the routes of this host: who gets the chosen name, and why";
    ShowProcesses Everywhere 0 [Key::Char('2')] "processes" "Show the processes of this host";
    ShowCompare Everywhere 0 [Key::Char('3')] "compare" "Show the comparison of two blocks";
    ShowRecording Everywhere 0 [Key::Char('4')] "recording" "Show the recording that is open, or the trace that was started from here";
    ShowFiles Everywhere 0 [Key::Char('5')] "files" "Show an env file under its readers";
    NextFile Files 6 [Key::Char(']')] "next file" "Show the next file";
    PreviousFile Files 0 [Key::Char('[')] "file before" "Show the file before";
    TakeFix Files 5 [Key::Char('f')] "fix" "Spell the chosen name so that all readers agree, where that can be done";
    Rescan Everywhere 0 [Key::Char('r')] "read again" "Read the processes and the files again at once";
    Redraw Everywhere 0 [Key::Ctrl('l')] "redraw" "Draw the screen anew";
    Suspend Everywhere 0 [Key::Ctrl('z')] "suspend" "Leave to the shell for a while; fg comes back";
    Help Everywhere 14 [Key::Char('?'), code(KeyCode::F(1))] "help" "Explain keys, letters and marks";
    Palette Everywhere 15 [Key::Char(':')] "all actions" "Find and run any action by its words";
    Quit Everywhere 16 [Key::Char('q'), Key::Ctrl('c')] "quit" "End the program";
};

impl Action {
    /// Returns the action of a key in a place.
    pub(crate) fn of_key(event: &KeyEvent, place: Place) -> Option<Action> {
        let here = |b: &&Binding| b.place == Place::Everywhere || b.place == place;
        BINDINGS.iter().filter(here).find(|b| b.keys.iter().any(|k| k.matches(event))).map(|b| b.action)
    }

    /// Returns the action's row.
    pub(crate) fn binding(self) -> Option<&'static Binding> {
        BINDINGS.iter().find(|b| b.action == self)
    }
}

impl Binding {
    /// Returns the keys in one word.
    pub(crate) fn key_names(&self) -> String {
        self.keys.iter().map(|k| k.name()).collect::<Vec<_>>().join(" ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_in_one_place() {
        for (at, one) in BINDINGS.iter().enumerate() {
            assert!(!one.keys.is_empty() && one.words.len() > one.short.len() && !one.short.is_empty(), "{}", one.words);
            for other in BINDINGS.iter().skip(at + 1) {
                assert_ne!(one.action, other.action);
                let apart = one.place != other.place && one.place != Place::Everywhere && other.place != Place::Everywhere;
                assert!(apart || !one.keys.iter().any(|k| other.keys.contains(k)), "{} and {}", one.words, other.words);
            }
        }
    }

    #[test]
    fn keys_find_their_actions() {
        let press = |code, modifiers| KeyEvent::new(code, modifiers);
        for (event, action) in [
            (press(KeyCode::Char('q'), KeyModifiers::NONE), Some(Action::Quit)),
            (press(KeyCode::Char('c'), KeyModifiers::CONTROL), Some(Action::Quit)),
            (press(KeyCode::Char('G'), KeyModifiers::SHIFT), Some(Action::Bottom)),
            (press(KeyCode::Char('q'), KeyModifiers::ALT), None),
            (press(KeyCode::Char('s'), KeyModifiers::NONE), None),
        ] {
            assert_eq!(Action::of_key(&event, Place::Processes), action, "{event:?}");
        }
        assert_eq!(Action::of_key(&press(KeyCode::Char('s'), KeyModifiers::NONE), Place::Compare), Some(Action::SwapSides));
    }
}
