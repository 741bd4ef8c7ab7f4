//! A comparison as one page for people without the tool: `templates/report.html`, with everything that it shows in it.
//!
//! The page gets one JSON document, and its script sets all of it as text.

use std::collections::BTreeMap;
use std::path::Path;

use chrono::{SecondsFormat, Utc};
use minijinja::{Environment, Value, context};
use serde::Serialize;
use wevrun_core::compare::{Change, Comparison, Difference};
use wevrun_core::model::ObjectKey;
use wevrun_core::plan::{Risk, Step};
use wevrun_core::script::Script;
use wevrun_core::select::ChangeKind;

use super::comparison::{View, column_list};
use super::diff::{self, Line, Row};
use super::print::note;
use super::style::{self, paint};
use crate::failure::{Ended, Failure};
use crate::files;

/// The contents of a report.
pub struct Report<'r> {
    /// `Differences of production`.
    pub title: String,
    /// The differences.
    pub comparison: &'r Comparison<'r>,
    /// How it is worded.
    pub view: &'r View<'r>,
    /// The script that resolves it; none where nothing is to be done, as in a report of drift.
    pub script: Option<&'r Script>,
    /// The options, and the whole fingerprints: shown at the end, each with a name.
    pub settings: Vec<(&'static str, String)>,
}

/// The data of the page's script.
#[derive(Serialize)]
struct Data {
    /// Names and numbers, in order.
    counts: Vec<(String, usize)>,
    /// The heads of groups, by change.
    heads: BTreeMap<&'static str, String>,
    /// The words of changes.
    words: BTreeMap<&'static str, &'static str>,
    /// The line if there are no objects.
    verdict: &'static str,
    /// The names of the two sides.
    sides: [String; 2],
    objects: Vec<DataObject>,
    /// By number, from 0; none where there is no script.
    steps: Option<Vec<DataStep>>,
    risks: Vec<DataRisk>,
}

#[derive(Serialize)]
struct DataObject {
    kind: &'static str,
    name: String,
    schema: Option<String>,
    change: &'static str,
    formerly: Option<String>,
    /// Why it was included in a choice.
    included: Vec<String>,
    properties: Vec<DataProperty>,
    /// Lines of both definitions: one that is the same alone, else have's and want's, or nothing.
    lines: Vec<Vec<Option<Line>>>,
    /// The places of its steps.
    steps: Vec<usize>,
}

#[derive(Serialize)]
struct DataProperty {
    name: String,
    have: Option<String>,
    want: Option<String>,
}

#[derive(Serialize)]
struct DataStep {
    number: usize,
    title: String,
    sql: String,
    risks: Vec<DataRisk>,
    notes: Vec<String>,
}

#[derive(Serialize)]
struct DataRisk {
    risk: String,
    object: String,
    explanation: String,
    /// The place of the object that the step is about.
    index: Option<usize>,
}

impl Report<'_> {
    /// Writes the page.
    pub fn write(&self, path: &Path) -> Ended<()> {
        files::write_result(path, self.page()?.as_bytes())?;
        note!("{} the report to {}", paint(style::GOOD, "wrote"), style::link(path));
        Ok(())
    }

    fn page(&self) -> Ended<String> {
        let mut environment = Environment::new();
        let broken = |error: minijinja::Error| Failure::new(format!("the report can't be made: {error}"));
        environment.add_template("report.html", include_str!("../../templates/report.html")).map_err(broken)?;
        let data = serde_json::to_string(&self.data()).expect("no map with keys that are not strings");
        // Nothing in it ends the element that it is in.
        let data = data.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029");
        let facts = self.facts().into_iter().map(|(name, value)| context! { name, value }).collect::<Vec<Value>>();
        let page = environment.get_template("report.html").map_err(broken)?;
        let (have, want) = (&self.view.have, &self.view.want);
        page.render(context! {
            title => self.title.as_str(),
            have_word => self.view.wording.columns[0],
            want_word => self.view.wording.columns[1],
            have => have.0.as_str(),
            have_short => have.1.as_str(),
            want => want.0.as_str(),
            want_short => want.1.as_str(),
            facts => Value::from(facts),
            style => Value::from_safe_string(include_str!("../../templates/report.css").to_owned()),
            script => Value::from_safe_string(include_str!("../../templates/report.js").to_owned()),
            data => Value::from_safe_string(data),
        })
        .map_err(broken)
    }

    /// The facts at the end, each with a name.
    fn facts(&self) -> Vec<(&'static str, String)> {
        let list = |keys: &[ObjectKey]| keys.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
        let mut facts = self.settings.clone();
        facts.extend(self.view.chosen.notes().into_iter().map(|note| ("Choice", note)));
        if !self.comparison.unproven.is_empty() {
            facts.push(("Unproven without the engine", list(&self.comparison.unproven)));
        }
        for order in &self.comparison.reordered {
            let counts = if self.view.column_order { "" } else { " (not compared)" };
            let (have, want) = (column_list(&order.have), column_list(&order.want));
            facts.push(("Column order", format!("{}{counts}: {have} → {want}", order.table)));
        }
        facts.push(("Made", Utc::now().to_rfc3339_opts(SecondsFormat::Secs, true)));
        facts.push(("By", format!("Wevrun {}, commit {}", env!("CARGO_PKG_VERSION"), env!("WEVRUN_COMMIT"))));
        facts
    }

    fn data(&self) -> Data {
        let (create, remove, change) = self.comparison.counts();
        let [created, changed, removed] = self.view.wording.heads;
        let mut counts = vec![
            (created.to_lowercase(), create),
            (changed.to_lowercase(), change),
            (removed.to_lowercase(), remove),
            ("the same".to_owned(), self.comparison.same),
        ];
        if !self.comparison.unproven.is_empty() {
            counts.push(("unproven".to_owned(), self.comparison.unproven.len()));
        }
        let steps: Vec<&Step> = self.script.into_iter().flat_map(|script| script.plan.steps()).collect();
        if self.script.is_some() {
            counts.push((if steps.len() == 1 { "step" } else { "steps" }.to_owned(), steps.len()));
        }
        let mut objects: Vec<DataObject> =
            self.comparison.differences.iter().map(|difference| self.object(difference)).collect();
        let about = Abouts::of(&self.comparison.differences);
        let mut risks: Vec<DataRisk> = Vec::new();
        for risk in self.script.into_iter().flat_map(|script| &script.plan.risks) {
            risks.push(DataRisk::new(risk, None));
        }
        let mut data_steps = Vec::new();
        for (place, step) in steps.iter().enumerate() {
            let index = about.step(step);
            if let Some(index) = index {
                objects[index].steps.push(place);
            }
            risks.extend(step.risks.iter().filter(|risk| risk.holds_back()).map(|risk| DataRisk::new(risk, index)));
            data_steps.push(DataStep {
                number: place + 1,
                title: step.title.clone(),
                sql: step.statements.iter().map(|statement| format!("{statement};\n")).collect(),
                risks: step.risks.iter().map(|risk| DataRisk::new(risk, index)).collect(),
                notes: step.notes.clone(),
            });
        }
        let heads = [("create", created), ("change", changed), ("remove", removed)];
        Data {
            counts,
            heads: heads.into_iter().map(|(change, head)| (change, head.to_owned())).collect(),
            words: self.view.wording.words.by_change(),
            verdict: self.view.verdict(self.comparison),
            sides: self.view.wording.columns.map(str::to_owned),
            objects,
            steps: self.script.map(|_| data_steps),
            risks,
        }
    }

    fn object(&self, difference: &Difference<'_>) -> DataObject {
        let (have, want) = self.view.definitions(difference);
        let change = match ChangeKind::from(&difference.change) {
            ChangeKind::Create => "create",
            ChangeKind::Change => "change",
            ChangeKind::Remove => "remove",
        };
        let (formerly, properties) = match &difference.change {
            Change::Change { formerly, properties, .. } => {
                (formerly.as_ref().map(ToString::to_string), &properties[..])
            }
            _ => (None, &[][..]),
        };
        let included = self.view.chosen.included.iter();
        DataObject {
            kind: difference.key.kind.title(),
            name: difference.key.name.to_string(),
            schema: difference.key.name.schema().map(str::to_owned),
            change,
            formerly,
            included: included
                .filter(|included| included.element.object == difference.key)
                .map(|included| format!("{} is included because {}", included.element, included.words()))
                .collect(),
            properties: properties
                .iter()
                .map(|one| DataProperty { name: one.name(), have: one.have.clone(), want: one.want.clone() })
                .collect(),
            lines: diff::rows(&have, &want, diff::WHOLE).into_iter().flat_map(pairs).collect(),
            steps: Vec::new(),
        }
    }
}

/// Lines side by side.
fn pairs(row: Row) -> Vec<Vec<Option<Line>>> {
    match row {
        Row::Same(line) => vec![vec![Some(line)]],
        Row::Changed(old, new) => {
            diff::beside(&old, &new).into_iter().map(|(old, new)| vec![old.cloned(), new.cloned()]).collect()
        }
        Row::Gap => Vec::new(),
    }
}

impl DataRisk {
    fn new(risk: &Risk, index: Option<usize>) -> DataRisk {
        DataRisk {
            risk: risk.kind.name().to_owned(),
            object: risk.object.clone(),
            explanation: risk.explanation.clone(),
            index,
        }
    }
}

/// Which object a step is about: its own, or the one of the longest name that its title has.
struct Abouts<'a> {
    by_key: BTreeMap<&'a ObjectKey, usize>,
    by_name: BTreeMap<String, usize>,
}

impl<'a> Abouts<'a> {
    fn of(differences: &'a [Difference<'_>]) -> Abouts<'a> {
        let keys = || differences.iter().enumerate().map(|(index, difference)| (&difference.key, index));
        Abouts { by_key: keys().collect(), by_name: keys().map(|(key, index)| (key.name.to_string(), index)).collect() }
    }

    fn step(&self, step: &Step) -> Option<usize> {
        if let Some(index) = step.object.as_ref().and_then(|key| self.by_key.get(key)) {
            return Some(*index);
        }
        // A name begins after a space and ends before one, or before a dot, colon or comma.
        let title = &step.title;
        let starts = title.match_indices(' ').map(|(at, _)| at + 1);
        let found = starts.flat_map(|start| {
            let rest = &title[start..];
            let ends = rest.match_indices([' ', '.', ':', ',']).map(|(at, _)| at).chain([rest.len()]);
            ends.filter_map(|end| self.by_name.get(&rest[..end]).map(|index| (end, *index)))
        });
        found.max_by_key(|(length, _)| *length).map(|(_, index)| index)
    }
}
