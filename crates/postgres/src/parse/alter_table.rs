//! ALTER TABLE, and what ALTER VIEW and others share with it.

use super::access::{self, Subject};
use super::alter::{enabled, unknown};
use super::constraints::{sees_table_constraint, table_constraint};
use super::{definitions, expression, foreign, identifier, identity, names, own_name, path, run, table};
use crate::change::{Change, ColumnChange, NewConstraints, ObjectChange, TableChange};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Column, Expression, Flag, Kind, Name, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind};

/// The actions of ALTER TABLE (and of ALTER VIEW, which has some of them).
pub fn actions(
    reader: &mut Reader<'_>,
    session: &Session,
    kinds: &[Kind],
    name: &QualifiedName,
    if_exists: bool,
    only: bool,
) -> Parsed<Vec<StatementKind>> {
    let subject = || Subject { kinds: kinds.to_vec(), name: name.clone() };
    if reader.take(&["RENAME", "CONSTRAINT"]) {
        let from = names::simple(&identifier(reader, "a constraint's name")?);
        reader.expect("TO")?;
        let to = names::simple(&identifier(reader, "the new name")?);
        return Ok(vec![subject().alter(if_exists, Change::RenameConstraint { from, to })]);
    }
    if reader.take(&["RENAME"]) {
        reader.take(&["COLUMN"]);
        let from = names::simple(&identifier(reader, "a column's name")?);
        reader.expect("TO")?;
        let to = names::simple(&identifier(reader, "the new name")?);
        return Ok(vec![subject().alter(if_exists, Change::RenameColumn { from, to })]);
    }
    if reader.take(&["ATTACH", "PARTITION"]) {
        let partition = Subject::table(own_name(reader, session, "a partition's name")?);
        let change = ObjectChange::AttachPartition(name.clone(), table::bound(reader)?);
        return Ok(vec![partition.alter(if_exists, Change::Object(change))]);
    }
    if reader.take(&["DETACH", "PARTITION"]) {
        let partition = Subject::table(own_name(reader, session, "a partition's name")?);
        return Ok(vec![partition.alter(if_exists, Change::Detach)]);
    }
    let mut actions = Actions::default();
    loop {
        action(reader, session, name, &mut actions)?;
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.finish()?;
    let Actions { mut before, changes, after } = actions;
    before.push(subject().alter(if_exists, Change::Table { changes, only }));
    before.extend(after);
    Ok(before)
}

/// The actions of one statement that have been read.
#[derive(Default)]
struct Actions {
    /// Changes that are first, as the table's own need them.
    before: Vec<StatementKind>,
    /// Those of the table.
    changes: Vec<TableChange>,
    /// Changes of other objects.
    after: Vec<StatementKind>,
}

impl Actions {
    /// Sets or removes clauses of the table, or of the view.
    fn clauses(&mut self, make: impl FnOnce(&mut ClauseChanges)) {
        let mut changes = ClauseChanges::default();
        make(&mut changes);
        self.changes.push(TableChange::Clauses(changes));
    }
}

/// One action of ALTER TABLE (<https://www.postgresql.org/docs/current/sql-altertable.html>).
fn action(reader: &mut Reader<'_>, session: &Session, name: &QualifiedName, actions: &mut Actions) -> Parsed<()> {
    if reader.take(&["ADD"]) {
        let mut constraints = NewConstraints::default();
        if sees_table_constraint(reader) {
            table_constraint(reader, &mut constraints)?;
            actions.changes.push(TableChange::AddConstraints(constraints));
            return Ok(());
        }
        reader.take(&["COLUMN"]);
        let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
        let column = Box::new(table::column(reader, &mut constraints, false)?);
        actions.changes.push(TableChange::AddColumn { column, constraints, if_not_exists });
    } else if reader.take(&["DROP", "CONSTRAINT"]) {
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let constraint = names::simple(&identifier(reader, "a constraint's name")?);
        let cascade = reader.take(&["CASCADE"]);
        reader.take(&["RESTRICT"]);
        if cascade {
            actions.before.push(beforehand(name, Change::DropDependentsOfConstraint(constraint.clone())));
        }
        actions.before.push(beforehand(name, Change::DropInPartitions(constraint.clone())));
        actions.changes.push(TableChange::DropConstraint { name: constraint, if_exists });
    } else if reader.take(&["DROP"]) {
        reader.take(&["COLUMN"]);
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let column = names::simple(&identifier(reader, "a column's name")?);
        let cascade = reader.take(&["CASCADE"]);
        reader.take(&["RESTRICT"]);
        actions.before.push(beforehand(name, Change::DropDependentsOfColumn { column: column.clone(), cascade }));
        actions.changes.push(TableChange::DropColumn { name: column, if_exists });
    } else if reader.take(&["ALTER", "CONSTRAINT"]) {
        let name = names::simple(&identifier(reader, "a constraint's name")?);
        let inherit = reader.take(&["INHERIT"]);
        let mut attributes = Clauses::default();
        super::constraints::attributes(reader, &mut attributes)?;
        actions.changes.push(TableChange::AlterConstraint { name, inherit, attributes });
    } else if reader.take(&["ALTER"]) {
        reader.take(&["COLUMN"]);
        let name = names::simple(&identifier(reader, "a column's name")?);
        let change = column_change(reader)?;
        actions.changes.push(TableChange::Column { name, change });
    } else if reader.take(&["VALIDATE", "CONSTRAINT"]) {
        let constraint = names::simple(&identifier(reader, "a constraint's name")?);
        actions.changes.push(TableChange::ValidateConstraint(constraint));
    } else if reader.sees("ENABLE") || reader.sees("DISABLE") || reader.sees("FORCE") || reader.sees("NO") {
        switch(reader, name, actions)?;
    } else if reader.take(&["CLUSTER", "ON"]) {
        let index = identifier(reader, "an index")?;
        actions.clauses(|clauses| clauses.set_text(clause::CLUSTER_ON, index));
    } else if reader.take(&["SET", "WITHOUT", "CLUSTER"]) {
        actions.clauses(|clauses| clauses.remove(clause::CLUSTER_ON));
    } else if reader.take(&["SET", "WITHOUT", "OIDS"]) {
    } else if reader.take(&["SET", "LOGGED"]) {
        actions.clauses(|clauses| clauses.remove(clause::UNLOGGED));
    } else if reader.take(&["SET", "UNLOGGED"]) {
        actions.clauses(|clauses| clauses.set(clause::UNLOGGED, Flag));
    } else if reader.take(&["SET", "TABLESPACE"]) {
        let tablespace = identifier(reader, "a tablespace")?;
        actions.clauses(|clauses| clauses.set_text(clause::TABLESPACE, tablespace));
    } else if reader.take(&["SET", "ACCESS", "METHOD"]) {
        let method = identifier(reader, "an access method")?;
        actions.clauses(|clauses| clauses.set_text(clause::USING, method));
    } else if reader.take(&["SET"]) {
        let mut parameters = Clauses::default();
        super::storage_parameters(reader, &mut parameters)?;
        actions.changes.push(TableChange::Clauses(ClauseChanges::from(&parameters)));
    } else if reader.take(&["RESET"]) {
        let parameters = definitions(reader)?;
        actions.clauses(|clauses| parameters.iter().for_each(|(key, _)| clauses.remove(clause::WITH.of(key))));
    } else if reader.take(&["REPLICA", "IDENTITY"]) {
        let identity = if reader.take(&["USING", "INDEX"]) {
            Some(format!("using index {}", names::quoted(&identifier(reader, "an index")?)))
        } else if reader.take(&["FULL"]) {
            Some("full".to_owned())
        } else if reader.take(&["NOTHING"]) {
            Some("nothing".to_owned())
        } else {
            reader.expect("DEFAULT")?;
            None
        };
        actions.clauses(|clauses| clauses.change(clause::REPLICA_IDENTITY, identity.map(Expression::plain)));
    } else if reader.take(&["INHERIT"]) {
        let parent = own_name(reader, session, "a parent's name")?;
        actions.changes.push(TableChange::AddParent(parent));
    } else if reader.take(&["NOT", "OF"]) {
        let subject = Subject { kinds: vec![Kind::Table], name: name.clone() };
        actions.after.push(subject.alter(false, Change::LeaveType));
    } else if reader.take(&["OF"]) {
        let of = super::reference(reader, "a type")?;
        actions.clauses(|clauses| clauses.set(clause::OF, of));
    } else if reader.take(&["OPTIONS"]) {
        actions.changes.push(TableChange::Clauses(foreign::option_changes(reader)?));
    } else if reader.take(&["OWNER", "TO"]) {
        let kinds = vec![Kind::Table, Kind::ForeignTable, Kind::View, Kind::MaterializedView, Kind::Sequence];
        actions.after.push(access::owner(reader, Subject { kinds, name: name.clone() })?);
    } else {
        return Err(unknown(reader));
    }
    Ok(())
}

/// A change that must come before a table's other changes.
fn beforehand(table: &QualifiedName, change: Change) -> StatementKind {
    Subject::table(table.clone()).alter(true, change)
}

/// ENABLE, DISABLE, FORCE, NO FORCE, NO INHERIT.
fn switch(reader: &mut Reader<'_>, name: &QualifiedName, actions: &mut Actions) -> Parsed<()> {
    if reader.take(&["NO", "INHERIT"]) {
        let parent = super::reference(reader, "a parent's name")?;
        actions.after.push(Subject::table(name.clone()).alter(false, Change::LeaveParent(parent)));
        return Ok(());
    }
    for (words, key, is_on) in [
        (&["ENABLE"][..], clause::ROW_SECURITY, true),
        (&["DISABLE"], clause::ROW_SECURITY, false),
        (&["FORCE"], clause::FORCE_ROW_SECURITY, true),
        (&["NO", "FORCE"], clause::FORCE_ROW_SECURITY, false),
    ] {
        if reader.take(&[words, &["ROW", "LEVEL", "SECURITY"]].concat()) {
            actions.clauses(|clauses| clauses.change(key, is_on.then_some(Flag)));
            return Ok(());
        }
    }
    let state = enabled(reader)?;
    let kind = if reader.take(&["RULE"]) {
        Kind::Rule
    } else {
        reader.expect("TRIGGER")?;
        Kind::Trigger
    };
    let which = identifier(reader, "a name")?;
    actions.after.push(if matches!(which.as_str(), "all" | "user") && kind == Kind::Trigger {
        StatementKind::Session
    } else {
        let subject = Subject { kinds: vec![kind], name: names::on_table(&which, name) };
        subject.alter(false, Change::Object(ObjectChange::Enable { name: which, state }))
    });
    Ok(())
}

/// The text after `ALTER COLUMN name`.
fn column_change(reader: &mut Reader<'_>) -> Parsed<ColumnChange> {
    let mut clauses = ClauseChanges::default();
    if reader.take(&["SET", "DEFAULT"]) {
        let range = run(reader, "an expression", |_| false)?;
        return Ok(ColumnChange::SetDefault(expression(reader, range)));
    } else if reader.take(&["DROP", "DEFAULT"]) {
        return Ok(ColumnChange::DropDefault);
    } else if reader.take(&["SET", "NOT", "NULL"]) {
        return Ok(ColumnChange::SetNotNull);
    } else if reader.take(&["DROP", "NOT", "NULL"]) {
        return Ok(ColumnChange::DropNotNull);
    } else if reader.take(&["SET", "DATA", "TYPE"]) || reader.take(&["TYPE"]) {
        let data_type = super::data_type(reader)?;
        let collation = if reader.take(&["COLLATE"]) { table::collation(&path(reader, "a collation")?) } else { None };
        if reader.take(&["USING"]) {
            run(reader, "an expression", |_| false)?;
        }
        return Ok(ColumnChange::SetType { data_type, collation });
    } else if reader.take(&["SET", "EXPRESSION", "AS"]) {
        let inner = reader.parenthesised()?;
        return Ok(ColumnChange::SetExpression(expression(reader, inner)));
    } else if reader.take(&["DROP", "EXPRESSION"]) {
        reader.take(&["IF", "EXISTS"]);
        return Ok(ColumnChange::DropExpression);
    } else if reader.take(&["ADD", "GENERATED"]) {
        let mut identity = Column::named(Name::none());
        table::generated(reader, &mut identity)?;
        return Ok(ColumnChange::AddIdentity(ClauseChanges::from(&identity.clauses)));
    } else if reader.take(&["DROP", "IDENTITY"]) {
        reader.take(&["IF", "EXISTS"]);
        return Ok(ColumnChange::DropIdentity);
    } else if identity::sees_change(reader) {
        return Ok(ColumnChange::AlterIdentity(identity::change(reader)?));
    } else if reader.take(&["SET", "STATISTICS"]) {
        let range = run(reader, "a number", |_| false)?;
        let value = super::normalised(reader, range).replace("- ", "-");
        let is_usual = value == "-1" || value == "default";
        clauses.change(clause::STATISTICS, (!is_usual).then(|| Expression::plain(value)));
    } else if reader.take(&["SET", "STORAGE"]) {
        // DEFAULT is the type's own (since version 16).
        let storage = identifier(reader, "a storage mode")?;
        clauses.change(clause::STORAGE, (storage != "default").then(|| Expression::plain(storage)));
    } else if reader.take(&["SET", "COMPRESSION"]) {
        let method = identifier(reader, "a compression method")?;
        clauses.change(clause::COMPRESSION, (method != "default").then(|| Expression::plain(method)));
    } else if reader.take(&["RESET"]) {
        definitions(reader)?.iter().for_each(|(key, _)| clauses.remove(clause::WITH.of(key)));
    } else if reader.take(&["SET"]) && reader.sees_symbol("(") {
        for (key, value) in definitions(reader)? {
            clauses.set(clause::WITH.of(&key), value.unwrap_or_else(|| Expression::plain("true")));
        }
    } else if reader.take(&["OPTIONS"]) {
        clauses = foreign::option_changes(reader)?;
    } else {
        return Err(unknown(reader));
    }
    Ok(ColumnChange::Clauses(clauses))
}
