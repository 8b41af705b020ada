//! Colours by meaning. No other file names a colour.

use clap::ValueEnum;
use ratatui::style::{Color, Modifier, Style};
use vectorum_core::shell::ink::Ink;
use vectorum_core::{Hue, Tint, Tone};

/// Which colours are used.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum ThemeChoice {
    /// As the terminal's background asks for
    #[default]
    Auto,
    /// For a dark background
    Dark,
    /// For a light background
    Light,
    /// No colours, as with NO_COLOR
    None,
}

/// What a piece of the screen means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    Text,
    Quiet,
    Title,
    Border,
    Label,
    Key,
    Trouble,
    Mask,
    Spelt,
    Born,
    Changed,
    Dropped,
    Match,
    /// The row under the cursor of the pane that has the keys.
    Cursor,
    /// The row under the cursor of another pane.
    Remembered,
    /// The tab that is open.
    OpenTab,
}

/// A set of colours.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Theme {
    Dark,
    Light,
    None,
}

/// Hues that stay apart for most eyes, in the order in which values get them.
const DARK_TINTS: [u8; 12] = [75, 215, 114, 211, 228, 80, 141, 203, 151, 180, 111, 217];
const LIGHT_TINTS: [u8; 12] = [25, 130, 28, 162, 94, 30, 91, 124, 64, 95, 61, 166];

impl Theme {
    /// Returns the look of a role.
    pub(crate) fn style(self, role: Role) -> Style {
        let plain = Style::new();
        let look = |dark: u8, light: u8| match self {
            Theme::Dark => plain.fg(Color::Indexed(dark)),
            Theme::Light => plain.fg(Color::Indexed(light)),
            Theme::None => plain,
        };
        match role {
            Role::Text => plain,
            Role::Quiet | Role::Border => match self {
                Theme::None => plain.add_modifier(Modifier::DIM),
                _ => look(if role == Role::Border { 240 } else { 246 }, if role == Role::Border { 250 } else { 242 }),
            },
            Role::Title => plain.add_modifier(Modifier::BOLD),
            Role::Label => look(110, 24),
            Role::Key | Role::Changed => look(222, 94).add_modifier(Modifier::BOLD),
            Role::Trouble => look(214, 130).add_modifier(Modifier::BOLD),
            Role::Mask => look(176, 90),
            Role::Spelt => look(176, 90).add_modifier(Modifier::UNDERLINED),
            Role::Born => look(114, 28).add_modifier(Modifier::BOLD),
            Role::Dropped => look(209, 160).add_modifier(Modifier::BOLD),
            Role::Match => plain.add_modifier(Modifier::BOLD | Modifier::UNDERLINED),
            Role::Cursor => match self {
                Theme::Dark => plain.bg(Color::Indexed(238)).add_modifier(Modifier::BOLD),
                Theme::Light => plain.bg(Color::Indexed(253)).add_modifier(Modifier::BOLD),
                Theme::None => plain.add_modifier(Modifier::REVERSED),
            },
            Role::Remembered => match self {
                Theme::Dark => plain.bg(Color::Indexed(236)),
                Theme::Light => plain.bg(Color::Indexed(255)),
                Theme::None => plain.add_modifier(Modifier::BOLD),
            },
            Role::OpenTab => plain.add_modifier(Modifier::BOLD | Modifier::REVERSED),
        }
    }

    /// Returns the look of a tint.
    pub(crate) fn tint(self, tint: Tint) -> Style {
        let of = |palette: &[u8; 12], index: u32| {
            palette.get(index as usize % palette.len()).map_or(Style::new(), |c| Style::new().fg(Color::Indexed(*c)))
        };
        match (tint, self) {
            (Tint::Value(index), Theme::Dark) => of(&DARK_TINTS, index),
            (Tint::Value(index), Theme::Light) => of(&LIGHT_TINTS, index),
            (Tint::Value(_), Theme::None) => Style::new(),
            (Tint::Absent | Tint::Unknown | Tint::PerRun, _) => self.style(Role::Quiet),
        }
    }

    /// Returns the look of a stretch of a startup file.
    pub(crate) fn ink(self, ink: Ink) -> Style {
        let look = |dark: u8, light: u8| match self {
            Theme::Dark => Style::new().fg(Color::Indexed(dark)),
            Theme::Light => Style::new().fg(Color::Indexed(light)),
            Theme::None => Style::new(),
        };
        match ink {
            Ink::Plain => Style::new(),
            Ink::Comment => self.style(Role::Quiet),
            Ink::Keyword => look(140, 55),
            Ink::Quoted => look(150, 64),
            Ink::Expansion => look(80, 30),
            Ink::Assigned => Style::new().add_modifier(Modifier::BOLD),
            Ink::Sign => look(247, 241),
        }
    }

    /// Returns the look of a part of a gloss.
    pub(crate) fn tone(self, tone: Tone) -> Style {
        match tone {
            Tone::Plain => self.style(Role::Text),
            Tone::Spelt => self.style(Role::Spelt),
            Tone::Note => self.style(Role::Quiet),
            Tone::Label => self.style(Role::Label),
            Tone::Trouble => self.style(Role::Trouble),
            Tone::Mask => self.style(Role::Mask),
            Tone::Sample { fg, bg, bold, underlined } => {
                let mut style = Style::new();
                if self != Theme::None {
                    style.fg = fg.map(colour);
                    style.bg = bg.map(colour);
                }
                if bold {
                    style = style.add_modifier(Modifier::BOLD);
                }
                if underlined { style.add_modifier(Modifier::UNDERLINED) } else { style }
            }
        }
    }
}

fn colour(hue: Hue) -> Color {
    match hue {
        Hue::Index(index) => Color::Indexed(index),
        Hue::Rgb(r, g, b) => Color::Rgb(r, g, b),
    }
}

impl ThemeChoice {
    /// Settles the theme as far as that needs no question to the terminal.
    pub(crate) fn settled(self) -> Option<Theme> {
        if self == ThemeChoice::None || (self == ThemeChoice::Auto && !crate::cli::wants_colour()) {
            return Some(Theme::None);
        }
        match self {
            ThemeChoice::Dark => Some(Theme::Dark),
            ThemeChoice::Light => Some(Theme::Light),
            // `COLORFGBG` is set by several terminals: the last number is the background's.
            _ => {
                let background = std::env::var("COLORFGBG").ok()?;
                let number: u8 = background.rsplit(';').next()?.parse().ok()?;
                Some(if number == 7 || number > 8 { Theme::Light } else { Theme::Dark })
            }
        }
    }
}
