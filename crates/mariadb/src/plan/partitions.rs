//! Changes of how a table is partitioned.

use wevrun_core::model::{Expression, Kind, ObjectKey, QualifiedName};
use wevrun_core::plan::{Risk, RiskKind, Step};

use crate::names::in_sql;
use crate::partitions::{Shortcut, shortcut};

/// The step that changes how a table is partitioned: only the partitions that change, if the server can do that.
pub fn step(name: &QualifiedName, have: Option<&Expression>, want: Option<&Expression>) -> Step {
    let key = ObjectKey::new(Kind::Table, name.clone());
    let shortcut = have.zip(want).and_then(|(have, want)| shortcut(have, want));
    let copied = match &shortcut {
        Some(Shortcut::Add(_)) => None,
        Some(Shortcut::Reorganize { names, .. }) => {
            Some(format!("the rows of the partitions {} are copied", names.join(", ")))
        }
        None => Some("the table is copied".to_owned()),
    };
    let (title, clause) = match (shortcut, want) {
        (Some(Shortcut::Add(clause)), _) => (format!("add partitions to table {name}"), clause),
        (Some(Shortcut::Reorganize { clause, .. }), _) => (format!("change the partitions of table {name}"), clause),
        (None, Some(want)) => (format!("change the partitions of table {name}"), want.written().to_owned()),
        (None, None) => (format!("remove the partitions of table {name}"), "REMOVE PARTITIONING".to_owned()),
    };
    let mut step = Step::new(title, vec![format!("ALTER TABLE {}\n    {clause}", in_sql(name))]).of(key.clone());
    if let Some(copied) = copied {
        let explanation = format!("{copied}, and no other session can write to the table meanwhile");
        step.risks.push(Risk::new(RiskKind::RewritesTable, key.to_string(), explanation));
    }
    step
}
