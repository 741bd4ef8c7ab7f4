//! Outputs as text, JSON and HTML. They render the values of the core and decide nothing.

pub mod comparison;
pub mod csv;
pub mod diagnostics;
pub mod diff;
pub mod findings;
pub mod format;
pub mod json;
pub mod markdown;
pub mod print;
pub mod report;
pub mod style;

pub use self::format::Format;

use wevrun_core::compare::Comparison;

use crate::failure::{Ended, Failure};

/// Prints a comparison in a form that is neither text nor JSON; false if the form is another one.
pub fn print_comparison(format: Format, comparison: &Comparison<'_>, view: &comparison::View<'_>) -> Ended<bool> {
    match format {
        Format::Text | Format::Json => return Ok(false),
        Format::Csv => csv::print(comparison, view)?,
        Format::Markdown => anstream::print!("{}", markdown::page(comparison, view)),
        Format::Junit | Format::Sarif => {
            let suite = format!("{} → {}", view.have.0, view.want.0);
            findings::print(format, &suite, &findings::of_comparison(comparison, view));
        }
    }
    Ok(true)
}

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
