//! Findings and differences as other programs take them: JUnit XML and SARIF.

use std::io::Write;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};
use serde_json::json;
use wevrun_core::compare::{Change, Comparison};
use wevrun_core::diagnostics::{Diagnostic, Severity};
use wevrun_core::source::Source;

use super::Format;
use super::comparison::View;
use crate::failure::Failure;

/// One finding, whatever it is about.
pub struct Finding {
    /// The rule: a code, or in which way an object differs.
    rule: String,
    /// The name of what it is about: a file, an object.
    about: String,
    severity: Severity,
    message: String,
    /// The file, the line and the column, from 1.
    place: Option<(String, usize, usize)>,
}

/// Findings in sources.
pub fn of_diagnostics(found: &[Diagnostic], sources: &[Source]) -> Vec<Finding> {
    let finding = |diagnostic: &Diagnostic| {
        let place = diagnostic.primary.as_ref().and_then(|label| {
            let source = sources.get(label.location.source as usize)?;
            let position = source.position(label.location.start as usize);
            Some((source.name.to_string(), position.line, position.column))
        });
        let help: String = diagnostic.help.iter().map(|help| format!("\nhelp: {help}")).collect();
        Finding {
            rule: diagnostic.code.name().to_owned(),
            about: place.as_ref().map_or_else(|| "source".to_owned(), |(file, ..)| file.clone()),
            severity: diagnostic.severity,
            message: format!("{}{help}", diagnostic.message),
            place,
        }
    };
    found.iter().map(finding).collect()
}

/// A failure, with its findings.
pub fn of_failure(failure: &Failure) -> Vec<Finding> {
    let mut findings = of_diagnostics(&failure.diagnostics, &failure.sources);
    if !failure.message.is_empty() {
        findings.push(Finding {
            rule: "failure".to_owned(),
            about: "wevrun".to_owned(),
            severity: Severity::Error,
            message: failure.message.clone(),
            place: None,
        });
    }
    findings
}

/// The differences of a comparison; unproven objects are warnings.
pub fn of_comparison(comparison: &Comparison<'_>, view: &View<'_>) -> Vec<Finding> {
    let differences = comparison.differences.iter().map(|difference| {
        let word = view.wording.words.of(&difference.change);
        let properties = match &difference.change {
            Change::Change { properties, .. } => properties.iter().map(|property| property.name()).collect(),
            _ => Vec::new(),
        };
        let list = if properties.is_empty() { String::new() } else { format!(": {}", properties.join(", ")) };
        Finding {
            rule: word.to_owned(),
            about: difference.key.to_string(),
            severity: Severity::Error,
            message: format!("{word} {}{list}", difference.key),
            place: None,
        }
    });
    let unproven = comparison.unproven.iter().map(|key| Finding {
        rule: "unproven".to_owned(),
        about: key.to_string(),
        severity: Severity::Warning,
        message: format!("{key} can't be compared without the engine"),
        place: None,
    });
    let reordered = view.reordered(comparison).iter().map(|order| Finding {
        rule: view.wording.words.changed().to_owned(),
        about: format!("table {}", order.table),
        severity: Severity::Error,
        message: format!("{} table {}: column order", view.wording.words.changed(), order.table),
        place: None,
    });
    differences.chain(reordered).chain(unproven).collect()
}

/// Prints findings on standard output; `suite` names the input.
pub fn print(format: Format, suite: &str, findings: &[Finding]) {
    match format {
        Format::Junit => anstream::println!("{}", junit(suite, findings)),
        Format::Sarif => anstream::println!("{}", sarif(findings)),
        Format::Text | Format::Json | Format::Csv | Format::Markdown => {}
    }
}

/// A test case for each finding, failed if it is an error; one that passed if there is none.
fn junit(suite: &str, findings: &[Finding]) -> String {
    let failures = findings.iter().filter(|finding| finding.severity == Severity::Error).count();
    let tests = findings.len().max(1);
    let mut xml = Writer::new_with_indent(Vec::new(), b' ', 2);
    let written = (|| -> std::io::Result<()> {
        xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
        let counts = [("tests", tests.to_string()), ("failures", failures.to_string())];
        let counts: Vec<(&str, &str)> = counts.iter().map(|(key, value)| (*key, value.as_str())).collect();
        xml.create_element("testsuites").with_attributes(counts.clone()).write_inner_content(|xml| {
            let name = [("name", suite)];
            xml.create_element("testsuite").with_attributes(name.into_iter().chain(counts)).write_inner_content(
                |xml| {
                    if findings.is_empty() {
                        xml.create_element("testcase")
                            .with_attributes([("classname", suite), ("name", "no findings")])
                            .write_empty()?;
                    }
                    findings.iter().try_for_each(|finding| test_case(xml, finding))
                },
            )?;
            Ok(())
        })?;
        Ok(())
    })();
    written.expect("a Vec takes every byte");
    String::from_utf8_lossy(&xml.into_inner()).into_owned()
}

fn test_case<W: Write>(xml: &mut Writer<W>, finding: &Finding) -> std::io::Result<()> {
    let message = printable(&finding.message);
    let about = printable(&finding.about);
    let name = message.lines().next().unwrap_or_default();
    let case = xml.create_element("testcase").with_attributes([("classname", about.as_str()), ("name", name)]);
    let place =
        finding.place.as_ref().map_or_else(String::new, |(file, line, column)| format!("{file}:{line}:{column}\n"));
    let text = format!("{}{message}", printable(&place));
    case.write_inner_content(|xml| {
        let element = if finding.severity == Severity::Error { "failure" } else { "system-out" };
        let mut element = xml.create_element(element);
        if finding.severity == Severity::Error {
            element = element.with_attributes([("message", name), ("type", finding.rule.as_str())]);
        }
        element.write_text_content(BytesText::new(&text))?;
        Ok(())
    })?;
    Ok(())
}

/// A text without what XML 1.0 can't hold.
fn printable(text: &str) -> String {
    let is_allowed =
        |ch: &char| matches!(ch, '\t' | '\n' | '\r') || (*ch >= ' ' && !matches!(ch, '\u{fffe}' | '\u{ffff}'));
    text.chars().filter(is_allowed).collect()
}

/// <https://docs.oasis-open.org/sarif/sarif/v2.1.0/>
fn sarif(findings: &[Finding]) -> String {
    let mut rules: Vec<&str> = findings.iter().map(|finding| finding.rule.as_str()).collect();
    rules.sort_unstable();
    rules.dedup();
    let results = findings.iter().map(|finding| {
        let level = match finding.severity {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        };
        let location = match &finding.place {
            Some((file, line, column)) => json!({ "physicalLocation": {
                "artifactLocation": { "uri": file },
                "region": { "startLine": line, "startColumn": column },
            } }),
            None => json!({ "logicalLocations": [{ "fullyQualifiedName": finding.about }] }),
        };
        json!({
            "ruleId": finding.rule,
            "level": level,
            "message": { "text": finding.message },
            "locations": [location],
        })
    });
    let document = json!({
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "wevrun",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules.iter().map(|rule| json!({ "id": rule })).collect::<Vec<_>>(),
            } },
            "columnKind": "unicodeCodePoints",
            "results": results.collect::<Vec<_>>(),
        }],
    });
    serde_json::to_string_pretty(&document).expect("no map with keys that are not strings")
}
