//! Colours. `anstream` takes them out where they do not belong.

use std::path::Path;

use anstyle::{AnsiColor, Color, Style};

const fn colored(color: AnsiColor) -> Style {
    Style::new().fg_color(Some(Color::Ansi(color)))
}

/// An error.
pub const ERROR: Style = colored(AnsiColor::Red).bold();
/// A warning.
pub const WARNING: Style = colored(AnsiColor::Yellow).bold();
/// Help texts.
pub const HELP: Style = colored(AnsiColor::Cyan).bold();
/// Something added.
pub const ADDED: Style = colored(AnsiColor::Green);
/// Something changed.
pub const CHANGED: Style = colored(AnsiColor::Blue);
/// Something removed.
pub const REMOVED: Style = colored(AnsiColor::Magenta);
/// Emphasised text.
pub const STRONG: Style = Style::new().bold();
/// Less important text.
pub const FAINT: Style = Style::new().dimmed();
/// It worked.
pub const GOOD: Style = colored(AnsiColor::Green).bold();

/// Text in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{}", style.render_reset())
}

/// A path that a terminal opens when it is chosen, where the terminal can
/// (<https://gist.github.com/egmontkob/eb114294efbcd5adb1944c9f3cb5feda>). `anstream` takes the link out where colours do not belong.
pub fn link(path: &Path) -> String {
    let shown = path.display();
    let whole = std::path::absolute(path).ok().filter(|_| supports_hyperlinks::on(supports_hyperlinks::Stream::Stdout));
    let Some(whole) = whole else { return shown.to_string() };
    // What a URL does not take as it is.
    let url: String = whole
        .to_string_lossy()
        .bytes()
        .map(|byte| match byte {
            b'/' | b'-' | b'_' | b'.' | b'~' => char::from(byte).to_string(),
            byte if byte.is_ascii_alphanumeric() => char::from(byte).to_string(),
            byte => format!("%{byte:02X}"),
        })
        .collect();
    format!("\u{1b}]8;;file://{url}\u{1b}\\{shown}\u{1b}]8;;\u{1b}\\")
}
