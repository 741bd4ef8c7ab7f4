//! Changes of column types: those that the server can't make, and several as one statement.

use super::table::TableChange;
use crate::clause;
use wevrun_core::model::{Column, Name};
use wevrun_core::plan::{Clearance, Risk, RiskKind, Step};

impl TableChange<'_> {
    /// Why the server can't change the type of a column at all.
    pub(super) fn unchangeable(&self, column: &Name) -> Option<Risk> {
        let table = self.table();
        let object = format!("column {table}.{column}");
        let is_of = |other: &Column| {
            let data_type = other.data_type.as_ref().map_or("", |data_type| data_type.canonical.trim_end_matches("[]"));
            data_type == table.canonical()
        };
        let key = self.have.clauses.get(clause::PARTITION_BY);
        let (explanation, way_out) = if key.is_some_and(|key| key.may_use_column(column)) {
            (
                "the server changes no type of a column that the table is partitioned by".to_owned(),
                "create a table that is partitioned by the new type under another name, fill it, and rename both",
            )
        } else {
            let mut tables = self.planning.renamed.tables();
            let (other, _) = tables.find(|(_, other)| other.columns.iter().any(is_of))?;
            (
                format!(
                    "the server changes no type in the rows of {table} as long as a column of {other} holds such rows"
                ),
                "give that column a separate composite type in the release before",
            )
        };
        let mut risk = Risk::new(RiskKind::ChangesValues, object, explanation);
        risk.clearance = Clearance::Impossible;
        risk.ways_out.push(way_out.to_owned());
        Some(risk)
    }
}

/// Changes of the types of several columns of one table as one statement: each would write the whole table again.
pub(super) fn one_rewrite(table: &Name, steps: &mut Vec<Step>) {
    let head = format!("ALTER TABLE {table}");
    let actions = |step: &Step| match &step.statements[..] {
        [only] if step.title.starts_with("change column ") && only.contains(" SET DATA TYPE ") => {
            only.strip_prefix(&head).map(|rest| rest.trim_start().to_owned())
        }
        _ => None,
    };
    let mut merged: Option<(usize, Vec<String>)> = None;
    let mut kept: Vec<Step> = Vec::new();
    for step in std::mem::take(steps) {
        match (actions(&step), &mut merged) {
            (Some(own), Some((at, all))) => {
                all.push(own);
                let before = &mut kept[*at];
                before.title = format!("{}, {}", before.title, step.title.trim_start_matches("change column "));
                before.notes.extend(step.notes);
                let new = step.risks.into_iter().filter(|risk| !before.risks.contains(risk)).collect::<Vec<_>>();
                before.risks.extend(new);
            }
            (own, none) => {
                if let Some(own) = own {
                    *none = Some((kept.len(), vec![own]));
                }
                kept.push(step);
            }
        }
    }
    if let Some((at, all)) = merged.filter(|(_, all)| all.len() > 1) {
        kept[at].title = kept[at].title.replacen("change column ", "change columns ", 1);
        kept[at].statements = vec![format!("{head}\n    {}", all.join(",\n    "))];
    }
    *steps = kept;
}
