//! Colours. `anstream` takes them out where they do not belong.

use anstyle::{AnsiColor, Color, Style};

const fn colored(color: AnsiColor) -> Style {
    Style::new().fg_color(Some(Color::Ansi(color)))
}

/// An error.
pub const ERROR: Style = colored(AnsiColor::Red).bold();
/// A warning.
pub const WARNING: Style = colored(AnsiColor::Yellow).bold();
/// What to do.
pub const HELP: Style = colored(AnsiColor::Cyan).bold();
/// Something added.
pub const ADDED: Style = colored(AnsiColor::Green);
/// Something changed.
pub const CHANGED: Style = colored(AnsiColor::Blue);
/// Something removed.
pub const REMOVED: Style = colored(AnsiColor::Magenta);
/// What matters.
pub const STRONG: Style = Style::new().bold();
/// What matters less.
pub const FAINT: Style = Style::new().dimmed();
/// It worked.
pub const GOOD: Style = colored(AnsiColor::Green).bold();

/// Text in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{}", style.render_reset())
}
