//! What a person reads, and what a machine reads. Consumers of what the core gives; they decide nothing.

pub mod comparison;
pub mod diagnostics;
mod format;
pub mod json;
pub mod style;

pub use format::Format;

use crate::failure::Failure;

/// Prints a failure on standard error.
pub fn failure(failure: &Failure) {
    diagnostics::print(&failure.diagnostics, &failure.sources);
    if !failure.message.is_empty() {
        anstream::eprintln!("{}error{}: {}", style::ERROR, style::ERROR.render_reset(), failure.message);
    }
    for help in &failure.help {
        anstream::eprintln!("  {}help{}: {help}", style::HELP, style::HELP.render_reset());
    }
}

/// `1 step`, `2 steps`.
pub fn count(number: usize, thing: &str) -> String {
    let plural = match thing {
        "index" => "indexes".to_owned(),
        "statistics" | "default privileges" => thing.to_owned(),
        "operator class" => "operator classes".to_owned(),
        thing if thing.ends_with('y') => format!("{}ies", &thing[..thing.len() - 1]),
        thing => format!("{thing}s"),
    };
    format!("{number} {}", if number == 1 { thing } else { &plural })
}
