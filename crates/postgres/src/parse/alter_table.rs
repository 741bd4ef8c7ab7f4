//! ALTER TABLE, and what ALTER VIEW and others share with it.

use crate::clause;
use std::sync::Arc;

use super::super::{canonical, cascade, mentions, using_index};
use super::access::{self, Subject, amend, missing, say};
use super::alter::{Change, Outcome, enabled, unknown};
use super::constraints::{Found, sees_table_constraint, table_constraint};
use super::{children, definitions, expression, identifier, identity, names, own_name, path, run, table};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Column, Definition, Expression, Flag, Kind, Model, Name, Object, ObjectKey, OnConflict, QualifiedName, Table};
use wevrun_core::parse::{Amendment, Parsed, Reader, Session, StatementKind};

/// The clause of a column that says which default the children have from it, if it is another one. It is gone when they have it.

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
        return Ok(vec![StatementKind::Amend(Amendment {
            becomes: None,
            kinds: kinds.to_vec(),
            name: name.clone(),
            if_exists,
            apply: Arc::new(move |model, key| {
                super::super::rename::constraint_or_part(model, key, &from, &to);
                Ok(())
            }),
        })]);
    }
    if reader.take(&["RENAME"]) {
        reader.take(&["COLUMN"]);
        let from = names::simple(&identifier(reader, "a column's name")?);
        reader.expect("TO")?;
        let to = names::simple(&identifier(reader, "the new name")?);
        return Ok(vec![rename_column(subject(), if_exists, from, to)]);
    }
    if reader.take(&["ATTACH", "PARTITION"]) {
        let partition = own_name(reader, session, "a partition's name")?;
        let bound = table::bound(reader)?;
        let parent = name.clone();
        let subject = Subject { kinds: vec![Kind::Table, Kind::ForeignTable], name: partition };
        return Ok(vec![amend(subject, if_exists, move |object| {
            let Definition::Table(table) = &mut object.definition else { return Ok(()) };
            canonical::not_null_names::say_all(&object.name, table);
            table.clauses.set(clause::PARTITION_OF, parent.clone());
            table.clauses.set(clause::BOUND, bound.clone());
            Ok(())
        })]);
    }
    if reader.take(&["DETACH", "PARTITION"]) {
        let partition = own_name(reader, session, "a partition's name")?;
        return Ok(vec![StatementKind::Amend(Amendment {
            becomes: None,
            kinds: vec![Kind::Table, Kind::ForeignTable],
            name: partition,
            if_exists,
            apply: Arc::new(|model, key| {
                model.extend(canonical::standalone(&canonical::finished(model), key).unwrap_or_default());
                Ok(())
            }),
        })]);
    }
    let mut changes: Vec<Change> = Vec::new();
    let (mut first, mut others) = (Vec::new(), Vec::new());
    let mut of_columns = false;
    loop {
        of_columns |= reader.sees("ALTER") || reader.sees("DROP");
        action(reader, session, name, &mut changes, (&mut first, &mut others))?;
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.finish()?;
    let mut kinds_found = first;
    kinds_found.push(StatementKind::Amend(Amendment {
        becomes: None,
        kinds: subject().kinds,
        name: subject().name,
        if_exists,
        apply: Arc::new(move |model, key| {
            let Some(object) = model.get_mut(key) else { return Ok(()) };
            object.text.clear();
            let before = object.as_table().filter(|_| of_columns).map(|table| table.columns.clone());
            let outcome = changes.iter().try_for_each(|change| change(object));
            // What a column was called may be the name of a new one.
            if let Definition::Table(table) = &object.definition {
                object.formerly.columns.retain(|(_, former)| table.column(former).is_none());
            }
            match before {
                Some(before) if only => children::keep(model, key, &before),
                Some(before) => children::pass_on(model, key, &before),
                None => {}
            }
            outcome.and_then(|()| using_index::take_over(model, key))
        }),
    }));
    kinds_found.extend(others);
    Ok(kinds_found)
}

fn rename_column(subject: Subject, if_exists: bool, from: Name, to: Name) -> StatementKind {
    StatementKind::Amend(Amendment {
        becomes: None,
        kinds: subject.kinds,
        name: subject.name,
        if_exists,
        apply: Arc::new(move |model, key| {
            super::super::rename::say_identity_sequences(model, key);
            super::super::rename::column(model, &key.name, &from, &to);
            let Some(object) = model.get_mut(key) else { return Ok(()) };
            match object.formerly.columns.iter_mut().find(|(name, _)| *name == from) {
                Some((name, _)) => *name = to.clone(),
                None => object.formerly.columns.push((to.clone(), from.clone())),
            }
            Ok(())
        }),
    })
}

fn on_table(change: impl Fn(&mut Table) -> Outcome + Send + Sync + 'static) -> Change {
    Box::new(move |object| match &mut object.definition {
        Definition::Table(table) => change(table),
        _ => Ok(()),
    })
}

/// The clauses of what keeps rows: a table or a materialised view.
fn rows_clauses(object: &mut Object) -> Option<&mut Clauses> {
    match &mut object.definition {
        Definition::Table(table) => Some(&mut table.clauses),
        Definition::View(view) => Some(&mut view.clauses),
        _ => None,
    }
}

/// One action of ALTER TABLE (<https://www.postgresql.org/docs/current/sql-altertable.html>).
fn action(
    reader: &mut Reader<'_>,
    session: &Session,
    name: &QualifiedName,
    changes: &mut Vec<Change>,
    (first, others): (&mut Vec<StatementKind>, &mut Vec<StatementKind>),
) -> Parsed<()> {
    if reader.take(&["ADD"]) {
        if sees_table_constraint(reader) {
            let mut found = Found::default();
            table_constraint(reader, &mut found)?;
            changes.push(on_table(move |table| {
                table::take_constraints(table, found.clone());
                Ok(())
            }));
            return Ok(());
        }
        reader.take(&["COLUMN"]);
        let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
        let mut found = Found::default();
        let column = table::column(reader, &mut found, false)?;
        let whole = QualifiedName::clone(name);
        changes.push(on_table(move |table| {
            if table.column(&column.name).is_some() {
                let twice = format!("table {whole} has a column `{}` already", column.name);
                return if if_not_exists { Ok(()) } else { Err(Box::new(Diagnostic::new(Code::WV102, twice))) };
            }
            table.columns.push(column.clone());
            table::take_constraints(table, found.clone());
            Ok(())
        }));
    } else if reader.take(&["DROP", "CONSTRAINT"]) {
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let constraint = names::simple(&identifier(reader, "a constraint's name")?);
        let cascade = reader.take(&["CASCADE"]);
        reader.take(&["RESTRICT"]);
        if cascade {
            let going = constraint.clone();
            first.push(beforehand(name, move |model, key| cascade::drop_dependents_of_key(model, &key.name, &going)));
        }
        let going = constraint.clone();
        first.push(beforehand(name, move |model, key| children::drop_in_partitions(model, key, &going)));
        changes.push(Box::new(move |object| {
            let Definition::Table(table) = &mut object.definition else { return Ok(()) };
            let called = canonical::not_null_names::called(&object.name, table, &constraint);
            let is_not_null = called.map(canonical::not_null_names::take_from).count() > 0;
            if is_not_null || super::super::rename::drop_constraint(table, &constraint) || if_exists {
                return Ok(());
            }
            Err(missing("constraint", object, &constraint))
        }));
    } else if reader.take(&["DROP"]) {
        reader.take(&["COLUMN"]);
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let column = names::simple(&identifier(reader, "a column's name")?);
        let cascade = reader.take(&["CASCADE"]);
        reader.take(&["RESTRICT"]);
        let going = column.clone();
        first.push(beforehand(name, move |model, key| cascade::drop_dependents_of_column(model, key, &going, cascade)));
        changes.push(Box::new(move |object| {
            let Definition::Table(table) = &mut object.definition else { return Ok(()) };
            if table.column(&column).is_none() {
                return if if_exists { Ok(()) } else { Err(missing("column", object, &column)) };
            }
            drop_column(table, &column);
            Ok(())
        }));
    } else if reader.take(&["ALTER", "CONSTRAINT"]) {
        let constraint = names::simple(&identifier(reader, "a constraint's name")?);
        let mut clauses = Clauses::default();
        let inherit = reader.take(&["INHERIT"]);
        super::constraints::attributes(reader, &mut clauses)?;
        let whole = QualifiedName::clone(name);
        changes.push(on_table(move |table| {
            for column in canonical::not_null_names::called(&whole, table, &constraint) {
                if inherit {
                    column.clauses.remove(clause::NOT_NULL_NO_INHERIT);
                } else if clauses.has(clause::NO_INHERIT) {
                    column.clauses.set(clause::NOT_NULL_NO_INHERIT, Flag);
                }
            }
            for key in table.foreign_keys.iter_mut().filter(|key| key.name == constraint) {
                key.clauses.remove(clause::DEFERRABLE);
                clauses.iter().for_each(|(name, value)| key.clauses.set_named(name, value.clone()));
            }
            Ok(())
        }));
    } else if reader.take(&["ALTER"]) {
        reader.take(&["COLUMN"]);
        let column = names::simple(&identifier(reader, "a column's name")?);
        changes.push(column_action(reader, column)?);
    } else if reader.take(&["VALIDATE", "CONSTRAINT"]) {
        let constraint = names::simple(&identifier(reader, "a constraint's name")?);
        let whole = QualifiedName::clone(name);
        changes.push(on_table(move |table| {
            table.checks.iter_mut().filter(|check| check.name.as_ref() == Some(&constraint)).for_each(|check| {
                check.clauses.remove(clause::NOT_VALID);
            });
            table.foreign_keys.iter_mut().filter(|key| key.name == constraint).for_each(|key| {
                key.clauses.remove(clause::NOT_VALID);
            });
            for column in canonical::not_null_names::called(&whole, table, &constraint) {
                column.clauses.remove(clause::NOT_NULL_NOT_VALID);
            }
            Ok(())
        }));
    } else if reader.sees("ENABLE") || reader.sees("DISABLE") || reader.sees("FORCE") || reader.sees("NO") {
        switch(reader, name, changes, others)?;
    } else if reader.take(&["CLUSTER", "ON"]) {
        let index = identifier(reader, "an index")?;
        changes.push(Box::new(move |object| {
            if let Some(clauses) = rows_clauses(object) {
                clauses.say(clause::CLUSTER_ON, index.as_str());
            }
            Ok(())
        }));
    } else if reader.take(&["SET", "WITHOUT", "CLUSTER"]) {
        changes.push(Box::new(|object| {
            drop(rows_clauses(object).and_then(|clauses| clauses.remove(clause::CLUSTER_ON)));
            Ok(())
        }));
    } else if reader.take(&["SET", "WITHOUT", "OIDS"]) {
    } else if reader.take(&["SET", "LOGGED"]) {
        changes.push(on_table(|table| {
            table.clauses.remove(clause::UNLOGGED);
            Ok(())
        }));
    } else if reader.take(&["SET", "UNLOGGED"]) {
        changes.push(said("unlogged", String::new()));
    } else if reader.take(&["SET", "TABLESPACE"]) {
        changes.push(said("tablespace", identifier(reader, "a tablespace")?));
    } else if reader.take(&["SET", "ACCESS", "METHOD"]) {
        changes.push(said("using", identifier(reader, "an access method")?));
    } else if reader.take(&["SET"]) {
        let mut clauses = Clauses::default();
        super::storage_parameters(reader, &mut clauses)?;
        changes.push(Box::new(move |object| {
            clauses.expressions().for_each(|(name, value)| say(object, name, Some(&value.canonical)));
            Ok(())
        }));
    } else if reader.take(&["RESET"]) {
        let keys: Vec<String> = definitions(reader)?.into_iter().map(|(key, _)| format!("with.{key}")).collect();
        changes.push(Box::new(move |object| {
            keys.iter().for_each(|key| say(object, key, None));
            Ok(())
        }));
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
        changes.push(Box::new(move |object| {
            say(object, "replica identity", identity.as_deref());
            Ok(())
        }));
    } else if reader.take(&["INHERIT"]) {
        let parent = own_name(reader, session, "a parent's name")?;
        changes.push(on_table(move |table| {
            let mut parents = table.clauses.remove(clause::INHERITS).unwrap_or_default();
            parents.push(parent.clone());
            table.clauses.set(clause::INHERITS, parents);
            Ok(())
        }));
    } else if reader.take(&["NOT", "OF"]) {
        others.push(StatementKind::Amend(Amendment {
            becomes: None,
            kinds: vec![Kind::Table],
            name: name.clone(),
            if_exists: false,
            apply: Arc::new(|model, key| {
                model.extend(canonical::without_type(&canonical::finished(model), key));
                Ok(())
            }),
        }));
    } else if reader.take(&["OF"]) {
        let of = super::reference(reader, "a type")?;
        changes.push(on_table(move |table| {
            table.clauses.set(clause::OF, of.clone());
            Ok(())
        }));
    } else if reader.take(&["OPTIONS"]) {
        let options = super::foreign::option_changes(reader)?;
        changes.push(on_table(move |table| {
            super::foreign::change(&mut table.clauses, &options);
            Ok(())
        }));
    } else if reader.take(&["OWNER", "TO"]) {
        let kinds = vec![Kind::Table, Kind::ForeignTable, Kind::View, Kind::MaterializedView, Kind::Sequence];
        others.push(access::owner(reader, Subject { kinds, name: name.clone() })?);
    } else {
        return Err(unknown(reader));
    }
    Ok(())
}

fn said(clause: &'static str, value: String) -> Change {
    Box::new(move |object| {
        say(object, clause, Some(&value));
        Ok(())
    })
}

/// What a table's other changes need to have happened before.
fn beforehand(table: &QualifiedName, change: impl Fn(&mut Model, &ObjectKey) + Send + Sync + 'static) -> StatementKind {
    StatementKind::Amend(Amendment {
        becomes: None,
        kinds: vec![Kind::Table, Kind::ForeignTable],
        name: table.clone(),
        if_exists: true,
        apply: Arc::new(move |model, key| {
            change(model, key);
            Ok(())
        }),
    })
}

/// Takes a column out, with the constraints and clauses that can't be without it, as the server does.
pub fn drop_column(table: &mut Table, column: &Name) {
    table.checks.retain(|check| !mentions::names(&check.condition, column));
    table.exclusions.retain(|exclusion| !mentions::names(&exclusion.condition, column));
    table.columns.retain(|other| other.name != *column);
    table.unique_keys.retain(|key| !key.has_column(column));
    table.foreign_keys.retain(|key| !key.columns.contains(column));
    if table.primary_key.as_ref().is_some_and(|key| key.has_column(column)) {
        table.primary_key = None;
    }
}

/// ENABLE, DISABLE, FORCE, NO FORCE, NO INHERIT.
fn switch(
    reader: &mut Reader<'_>,
    name: &QualifiedName,
    changes: &mut Vec<Change>,
    others: &mut Vec<StatementKind>,
) -> Parsed<()> {
    if reader.take(&["NO", "INHERIT"]) {
        let parent = super::reference(reader, "a parent's name")?;
        others.push(StatementKind::Amend(Amendment {
            becomes: None,
            kinds: vec![Kind::Table, Kind::ForeignTable],
            name: name.clone(),
            if_exists: false,
            apply: Arc::new(move |model, key| {
                model.extend(canonical::without_parent(&canonical::finished(model), key, &parent));
                Ok(())
            }),
        }));
        return Ok(());
    }
    let row_security = ["ROW", "LEVEL", "SECURITY"];
    for (words, clause, on) in [
        (&["ENABLE"][..], "row security", true),
        (&["DISABLE"], "row security", false),
        (&["FORCE"], "force row security", true),
        (&["NO", "FORCE"], "force row security", false),
    ] {
        let all: Vec<&str> = words.iter().copied().chain(row_security).collect();
        if reader.take(&all) {
            changes.push(Box::new(move |object| {
                say(object, clause, on.then_some(""));
                Ok(())
            }));
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
    let table = name.clone();
    others.push(if matches!(which.as_str(), "all" | "user") && kind == Kind::Trigger {
        StatementKind::Session
    } else {
        amend(Subject { kinds: vec![kind], name: names::standing_on(&which, &table) }, false, move |object| {
            match &mut object.definition {
                // The trigger is the parent's; its state is the partition's own.
                Definition::Table(partition) => {
                    let clause = format!("trigger {}", names::quoted(&which));
                    partition.clauses.say_named(&clause, state.unwrap_or("enabled"));
                }
                _ => say(object, "enabled", state),
            }
            Ok(())
        })
    });
    Ok(())
}

/// A change of one column.
pub type OnColumn = Box<dyn Fn(&mut Column) + Send + Sync>;

/// What follows `ALTER COLUMN name`.
fn column_action(reader: &mut Reader<'_>, name: Name) -> Parsed<Change> {
    let change: OnColumn = if reader.take(&["SET", "DEFAULT"]) {
        let range = run(reader, "an expression", |_| false)?;
        let default = expression(reader, range);
        Box::new(move |column| column.default = Some(default.clone()))
    } else if reader.take(&["DROP", "DEFAULT"]) {
        // Of a column that is its parent's, that it has none of the parent's.
        Box::new(|column| column.default = column.data_type.is_none().then(|| Expression::plain("NULL")))
    } else if reader.take(&["SET", "NOT", "NULL"]) {
        Box::new(|column| {
            column.not_null = Some(OnConflict::Abort);
            column.clauses.remove(clause::NOT_NULL_NOT_VALID);
        })
    } else if reader.take(&["DROP", "NOT", "NULL"]) {
        Box::new(canonical::not_null_names::take_from)
    } else if reader.take(&["SET", "DATA", "TYPE"]) || reader.take(&["TYPE"]) {
        let data_type = super::data_type(reader)?;
        let collation = if reader.take(&["COLLATE"]) { table::collation(&path(reader, "a collation")?) } else { None };
        if reader.take(&["USING"]) {
            run(reader, "an expression", |_| false)?;
        }
        Box::new(move |column| {
            column.data_type = Some(data_type.clone());
            column.collation.clone_from(&collation);
        })
    } else if reader.take(&["SET", "STATISTICS"]) {
        let range = run(reader, "a number", |_| false)?;
        let value = super::normalised(reader, range).replace("- ", "-");
        Box::new(move |column| {
            if value == "-1" || value == "default" {
                column.clauses.remove(clause::STATISTICS);
            } else {
                column.clauses.say(clause::STATISTICS, value.as_str());
            }
        })
    } else if reader.take(&["SET", "EXPRESSION", "AS"]) {
        let inner = reader.parenthesised()?;
        let wanted = expression(reader, inner);
        Box::new(move |column| {
            if let Some(generated) = &mut column.generated {
                generated.expression = wanted.clone();
            }
        })
    } else if reader.take(&["SET", "STORAGE"]) {
        let storage = identifier(reader, "a storage mode")?;
        Box::new(move |column| column.clauses.say(clause::STORAGE, storage.as_str()))
    } else if reader.take(&["SET", "COMPRESSION"]) {
        let method = identifier(reader, "a compression method")?;
        Box::new(move |column| column.clauses.say(clause::COMPRESSION, method.as_str()))
    } else if reader.take(&["ADD", "GENERATED"]) {
        let mut scratch = wevrun_core::model::Column::named(name.clone());
        table::generated(reader, &mut scratch)?;
        Box::new(move |column| {
            scratch.clauses.iter().for_each(|(name, value)| column.clauses.set_named(name, value.clone()));
            column.not_null = Some(OnConflict::Abort);
        })
    } else if reader.take(&["DROP", "IDENTITY"]) {
        reader.take(&["IF", "EXISTS"]);
        Box::new(|column| drop(identity::take(column)))
    } else if identity::sees_change(reader) {
        identity::change(reader)?
    } else if reader.take(&["DROP", "EXPRESSION"]) {
        reader.take(&["IF", "EXISTS"]);
        Box::new(|column| column.generated = None)
    } else if reader.take(&["RESET"]) {
        let options = definitions(reader)?;
        Box::new(move |column| {
            options.iter().for_each(|(key, _)| drop(column.clauses.remove_named(&format!("with.{key}"))));
        })
    } else if reader.take(&["SET"]) && reader.sees_symbol("(") {
        let options = definitions(reader)?;
        Box::new(move |column| {
            for (key, value) in &options {
                column
                    .clauses
                    .set_named(&format!("with.{key}"), value.clone().unwrap_or_else(|| Expression::plain("true")));
            }
        })
    } else if reader.take(&["OPTIONS"]) {
        let options = super::foreign::option_changes(reader)?;
        Box::new(move |column| super::foreign::change(&mut column.clauses, &options))
    } else {
        return Err(unknown(reader));
    };
    Ok(Box::new(move |object| {
        match &mut object.definition {
            Definition::Table(table) => match table.columns.iter_mut().find(|column| column.name == name) {
                Some(column) => change(column),
                // It may be one of the parent's: then this is an override.
                None if table.clauses.has(clause::PARTITION_OF)
                    || table.clauses.has(clause::INHERITS)
                    || table.clauses.has(clause::OF) =>
                {
                    let mut column = wevrun_core::model::Column::named(name.clone());
                    change(&mut column);
                    table.columns.push(column);
                }
                None => return Err(missing("column", object, &name)),
            },
            Definition::View(view) => {
                // Views have defaults of their own for their columns.
                let mut column = wevrun_core::model::Column::named(name.clone());
                change(&mut column);
                let clause = format!("default {}", names::quoted(name.canonical()));
                match column.default {
                    Some(default) => view.clauses.set_named(&clause, default),
                    None => drop(view.clauses.remove_named(&clause)),
                }
                for (key, value) in column.clauses.iter() {
                    view.clauses.set_named(&format!("{key} {}", names::quoted(name.canonical())), value.clone());
                }
            }
            _ => {}
        }
        Ok(())
    }))
}
