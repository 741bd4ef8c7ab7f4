//! `"open"` is a string where no column has that name, and the column where one has
//! (<https://sqlite.org/quirks.html#dblquote>). A new column must not change what a text means that stays as it is.

use std::collections::BTreeSet;

use super::super::names::{name, unquoted_text};
use super::super::resolve::{self, Schema};
use wevrun_core::compare::Change;
use wevrun_core::model::{Definition, Expression, Kind, Object, ObjectKey, Span, Table};
use wevrun_core::plan::{Clearance, Planning, Risk, RiskKind};

/// Objects of have in which a string in double quotes equals the name of a new column. Want has another text for the same string, and must be
/// written.
pub fn endangered(planning: &Planning<'_>) -> BTreeSet<ObjectKey> {
    let new: BTreeSet<&str> = planning
        .want
        .tables()
        .filter_map(|(name, want)| Some((planning.renamed.table(name)?, want)))
        .flat_map(|(have, want)| want.columns.iter().filter(|column| have.column(&column.name).is_none()))
        .map(|column| column.name.canonical())
        .collect();
    let objects = planning.have.objects().filter(|object| !new.is_empty() && object.text.contains('"'));
    let schema = Schema::new(planning.have);
    let has_string = |object: &&Object| {
        let text = object.text.as_str();
        let is_new = |span: &Span| new.contains(name(&unquoted_text(span.of(text))).canonical());
        resolve::find(&schema, text).is_none_or(|found| found.strings.iter().any(is_new))
    };
    objects.filter(has_string).map(|object| planning.comparison.renames.key_in_want(&object.key())).collect()
}

/// The texts whose meaning a new column changes: nothing permits these.
pub fn risks(planning: &Planning<'_>) -> Vec<Risk> {
    let mut risks = Vec::new();
    for difference in &planning.comparison.differences {
        let Change::Change { want, .. } = &difference.change else { continue };
        let Some(have) = planning.renamed.get(&difference.key) else { continue };
        match (&have.definition, &want.definition) {
            (Definition::Table(have), Definition::Table(table)) => risks.extend(of_table(&want.key(), have, table)),
            _ if changes_meaning(have, want) => risks.push(risk(&want.key(), "its text")),
            _ => {}
        }
    }
    risks
}

fn changes_meaning(have: &Object, want: &Object) -> bool {
    let same_text = have.text.split_whitespace().eq(want.text.split_whitespace());
    same_text
        && want.text.contains('"')
        && have.definition != want.definition
        && want.definition.kind() != Kind::VirtualTable
}

fn of_table(key: &ObjectKey, have: &Table, want: &Table) -> Vec<Risk> {
    let other = |one: &Expression, two: &Expression| {
        one.written().split_whitespace().eq(two.written().split_whitespace())
            && one.canonical != two.canonical
            && two.written().contains('"')
    };
    let checks =
        want.checks.iter().filter(|check| have.checks.iter().any(|old| other(&old.condition, &check.condition)));
    let mut risks: Vec<Risk> =
        checks.map(|check| risk(key, &format!("CHECK ({})", check.condition.written()))).collect();
    for column in want.columns.iter() {
        let before = have.column(&column.name).and_then(|column| column.generated.as_ref());
        if let (Some(before), Some(after)) = (before, &column.generated)
            && other(&before.expression, &after.expression)
        {
            risks.push(risk(key, &format!("column {}", column.name)));
        }
    }
    risks
}

fn risk(key: &ObjectKey, what: &str) -> Risk {
    let explanation =
        format!("{what} has a name in double quotes that is a string today, and would be a new column of that name");
    let mut risk = Risk::new(RiskKind::ChangesValues, key.to_string(), explanation);
    risk.clearance = Clearance::Impossible;
    risk.ways_out = vec![
        "for the string, write it in single quotes".to_owned(),
        "for the column, write its name without quotes".to_owned(),
    ];
    risk
}
