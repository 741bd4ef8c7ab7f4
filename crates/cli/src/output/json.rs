//! The documented shapes of `--format json` (docs/json.md).

use serde::Serialize;
use serde_json::Value;
use wevrun_core::Dialect;
use wevrun_core::compare::{Change, Comparison, Property};
use wevrun_core::model::Object;
use wevrun_core::plan::{Clearance, Plan, Risk};

use super::diagnostics::{self, JsonDiagnostic};
use crate::choice::JsonChoice;
use crate::failure::Failure;

/// Prints a document on standard output.
pub fn print(document: &impl Serialize) {
    let text = serde_json::to_string_pretty(document).expect("no map with keys that are not strings");
    anstream::println!("{text}");
}

/// The result of a command that failed.
#[derive(Debug, Serialize)]
struct JsonFailure {
    ok: bool,
    diagnostics: Vec<JsonDiagnostic>,
}

/// Prints a failure as a document.
pub fn print_failure(failure: &Failure) {
    let mut found = diagnostics::json(&failure.diagnostics, &failure.sources);
    if !failure.message.is_empty() {
        found.push(JsonDiagnostic::error(&failure.message, &failure.help));
    }
    print(&JsonFailure { ok: false, diagnostics: found });
}

/// A side in a document.
#[derive(Debug, Serialize)]
pub struct JsonSide {
    /// Its name on the command line.
    pub side: String,
    /// The fingerprint of its structure.
    pub fingerprint: String,
}

/// How many objects there are of each change.
#[derive(Debug, Serialize)]
pub struct JsonCounts {
    create: usize,
    remove: usize,
    change: usize,
    unproven: usize,
    same: usize,
}

/// The result of `compare` and `drift`.
#[derive(Debug, Serialize)]
pub struct JsonComparison {
    ok: bool,
    identical: bool,
    have: JsonSide,
    want: JsonSide,
    counts: JsonCounts,
    changes: Vec<JsonChange>,
    /// Objects of which only the engine can decide whether they differ.
    unproven: Vec<JsonObject>,
    /// Tables that only have another order of columns.
    column_order: Vec<JsonOrder>,
    /// The chosen differences, and the ignored aspects.
    #[serde(skip_serializing_if = "Option::is_none")]
    choice: Option<JsonChoice>,
    /// Warnings and notes on the sources.
    diagnostics: Vec<JsonDiagnostic>,
}

#[derive(Debug, Serialize)]
struct JsonChange {
    kind: String,
    name: String,
    change: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    formerly: Option<String>,
    properties: Vec<JsonProperty>,
    #[serde(skip_serializing_if = "Option::is_none")]
    have: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    want: Option<String>,
}

#[derive(Debug, Serialize)]
struct JsonObject {
    kind: String,
    name: String,
}

#[derive(Debug, Serialize)]
struct JsonProperty {
    #[serde(skip_serializing_if = "String::is_empty")]
    part: String,
    aspect: &'static str,
    #[serde(skip_serializing_if = "String::is_empty")]
    detail: String,
    have: Option<String>,
    want: Option<String>,
}

#[derive(Debug, Serialize)]
struct JsonOrder {
    table: String,
    have: Vec<String>,
    want: Vec<String>,
}

impl JsonComparison {
    /// From a comparison; `identical` is whether the command calls it so.
    pub fn new(
        dialect: &dyn Dialect,
        comparison: &Comparison<'_>,
        (have, want): (JsonSide, JsonSide),
        identical: bool,
        details: bool,
        choice: Option<JsonChoice>,
        diagnostics: Vec<JsonDiagnostic>,
    ) -> JsonComparison {
        let (create, remove, change) = comparison.counts();
        let text = |object: &Object| dialect.text(object).into_owned();
        let changes = comparison.differences.iter().map(|difference| {
            let (word, have, want, formerly, properties): (_, Option<&Object>, Option<&Object>, _, &[Property]) =
                match &difference.change {
                    Change::Create(object) => ("create", None, Some(object), None, &[]),
                    Change::Remove(object) => ("remove", Some(object), None, None, &[]),
                    Change::Change { have, want, formerly, properties } => {
                        ("change", Some(have), Some(want), formerly.as_ref().map(ToString::to_string), properties)
                    }
                };
            JsonChange {
                kind: difference.key.kind.word(),
                name: difference.key.name.to_string(),
                change: word,
                formerly,
                properties: properties.iter().map(JsonProperty::new).collect(),
                have: have.filter(|_| details).map(text),
                want: want.filter(|_| details).map(text),
            }
        });
        let names = |names: &[wevrun_core::model::Name]| names.iter().map(ToString::to_string).collect();
        JsonComparison {
            ok: true,
            identical,
            have,
            want,
            counts: JsonCounts { create, remove, change, unproven: comparison.unproven.len(), same: comparison.same },
            changes: changes.collect(),
            unproven: comparison
                .unproven
                .iter()
                .map(|key| JsonObject { kind: key.kind.word(), name: key.name.to_string() })
                .collect(),
            column_order: comparison
                .reordered
                .iter()
                .map(|order| JsonOrder {
                    table: order.table.to_string(),
                    have: names(&order.have),
                    want: names(&order.want),
                })
                .collect(),
            choice,
            diagnostics,
        }
    }
}

impl JsonComparison {
    /// The same in the words of drift: a live side has moved away from what was released, and nothing is wished for.
    pub fn as_drift(&self) -> Value {
        fn reword(value: &Value) -> Value {
            let word = |word: &str| match word {
                "have" => "released".to_owned(),
                "want" => "live".to_owned(),
                "create" => "added".to_owned(),
                "remove" => "removed".to_owned(),
                other => other.to_owned(),
            };
            match value {
                Value::Object(fields) => fields
                    .iter()
                    .map(|(key, value)| {
                        let value = match value {
                            Value::String(change) if key == "change" => {
                                Value::String(if change == "change" { "changed".to_owned() } else { word(change) })
                            }
                            other => reword(other),
                        };
                        // Among the counts, `change` is a number.
                        let key = if key == "change" && value.is_number() { "changed".to_owned() } else { word(key) };
                        (key, value)
                    })
                    .collect(),
                Value::Array(items) => items.iter().map(reword).collect(),
                other => other.clone(),
            }
        }
        reword(&serde_json::to_value(self).expect("no map with keys that are not strings"))
    }
}

impl JsonProperty {
    fn new(property: &Property) -> JsonProperty {
        JsonProperty {
            part: property.part.to_string(),
            aspect: property.aspect.name(),
            detail: property.detail.to_string(),
            have: property.have.clone(),
            want: property.want.clone(),
        }
    }
}

/// A step in a document.
#[derive(Debug, Serialize)]
pub struct JsonStep {
    number: usize,
    part: usize,
    title: String,
    risks: Vec<JsonRisk>,
    notes: Vec<String>,
    statements: Vec<String>,
}

/// A risk in a document.
#[derive(Debug, Serialize)]
pub struct JsonRisk {
    risk: &'static str,
    object: String,
    explanation: String,
    clearance: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    reason: Option<String>,
    ways_out: Vec<String>,
}

impl JsonStep {
    /// All steps of a script.
    pub fn all(plan: &Plan) -> Vec<JsonStep> {
        let parts = plan.parts.iter().enumerate();
        let steps = parts.flat_map(|(part, steps)| steps.steps.iter().map(move |step| (part + 1, step)));
        steps
            .enumerate()
            .map(|(index, (part, step))| JsonStep {
                number: index + 1,
                part,
                title: step.title.clone(),
                risks: step.risks.iter().map(JsonRisk::new).collect(),
                notes: step.notes.clone(),
                statements: step.statements.clone(),
            })
            .collect()
    }
}

impl JsonRisk {
    /// From a risk.
    pub fn new(risk: &Risk) -> JsonRisk {
        let (clearance, reason) = match &risk.clearance {
            Clearance::NotNeeded => ("not-needed", None),
            Clearance::Missing => ("missing", None),
            Clearance::Impossible => ("impossible", None),
            Clearance::Waived { reason, .. } => ("waived", Some(reason.clone())),
        };
        JsonRisk {
            risk: risk.kind.name(),
            object: risk.object.clone(),
            explanation: risk.explanation.clone(),
            clearance,
            reason,
            ways_out: risk.ways_out.clone(),
        }
    }
}
