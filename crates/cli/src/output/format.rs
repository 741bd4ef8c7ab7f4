//! `--format`.

use clap::ValueEnum;
use clap::builder::{PossibleValuesParser, TypedValueParser};

/// The format of a command's result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    Text,
    /// For machines: one document on standard output
    Json,
    /// A table with a row for each difference
    Csv,
    /// For a pull request: a summary, and the details folded
    Markdown,
    /// Test results in the JUnit XML form, as many CI systems show them
    Junit,
    /// Static analysis results in the SARIF 2.1.0 form
    Sarif,
}

/// The formats of commands that have no other.
pub const SIMPLE: &[Format] = &[Format::Text, Format::Json];

/// The formats of findings in sources.
pub const FINDINGS: &[Format] = &[Format::Text, Format::Json, Format::Junit, Format::Sarif];

/// The formats of comparisons.
pub const COMPARISON: &[Format] =
    &[Format::Text, Format::Json, Format::Csv, Format::Markdown, Format::Junit, Format::Sarif];

/// Reads one of these formats.
pub fn one_of(formats: &'static [Format]) -> impl TypedValueParser<Value = Format> {
    let values = formats.iter().filter_map(ValueEnum::to_possible_value);
    PossibleValuesParser::new(values).map(|text| Format::from_str(&text, false).expect("it is one of the values"))
}
