//! ALTER TABLE as data, applied to a model as the server applies it: every clause sees the table as the clauses before it have left it.

use std::collections::BTreeSet;

use wevrun_core::change::{EngineChange, Outcome};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{
    Check, Definition, Expression, Flag, ForeignKey, Index, Model, Name, Object, ObjectKey, QualifiedName, Table,
};

use crate::canonical::defaults;
use crate::canonical::types::family;
use crate::parse::column::ColumnSpec;
use crate::parse::keys::{KeyKind, KeySpec, column_of};
use crate::parse::options::TableOptions;
use crate::parse::table::{add_foreign_key, add_key, name_checks};
use crate::partitions::{PartitionChange, Partitioning};
use crate::{charset, clause, names, own_columns, rename, write};

/// Where a column is put.
#[derive(Debug, Clone)]
pub enum Position {
    First,
    After(Name),
}

/// One clause.
#[derive(Debug, Clone)]
pub enum TableAction {
    AddColumn {
        spec: Box<ColumnSpec>,
        position: Option<Position>,
        if_not_exists: bool,
    },
    DropColumn {
        name: Name,
        if_exists: bool,
    },
    Modify {
        from: Name,
        spec: Box<ColumnSpec>,
        position: Option<Position>,
        if_exists: bool,
    },
    RenameColumn {
        from: Name,
        to: Name,
    },
    Default {
        column: Name,
        default: Option<Expression>,
    },
    AddKey {
        key: KeySpec,
        if_not_exists: bool,
        or_replace: bool,
    },
    DropPrimary,
    DropKey {
        name: Name,
        if_exists: bool,
    },
    RenameKey {
        from: Name,
        to: Name,
        if_exists: bool,
    },
    Ignored {
        key: Name,
        ignored: bool,
    },
    AddCheck(Check),
    AddForeignKey(ForeignKey),
    DropForeignKey {
        name: Name,
        if_exists: bool,
    },
    /// A CHECK, a foreign key or a unique key.
    DropConstraint {
        name: Name,
        if_exists: bool,
    },
    Options(TableOptions),
    /// CONVERT TO CHARACTER SET.
    Convert(TableOptions),
    PartitionBy(Expression),
    RemovePartitioning,
    Partitions(PartitionChange),
    Versioning(bool),
    AddPeriod {
        period: Name,
        columns: Vec<Name>,
        if_not_exists: bool,
    },
    DropPeriod(Name),
}

impl TableAction {
    /// Drops precede additions of the same name, in whichever order they are written.
    fn rank(&self) -> u8 {
        match self {
            TableAction::DropPrimary
            | TableAction::DropKey { .. }
            | TableAction::DropForeignKey { .. }
            | TableAction::DropConstraint { .. } => 0,
            TableAction::DropColumn { .. } => 1,
            _ => 2,
        }
    }
}

impl TableAction {
    fn dropped_column(&self) -> Option<&Name> {
        if let TableAction::DropColumn { name, .. } = self { Some(name) } else { None }
    }
}

/// ALTER TABLE.
#[derive(Debug, Clone)]
pub struct AlterTable {
    /// Its clauses, in order.
    pub actions: Vec<TableAction>,
    /// The collation of the database, for tables without one.
    pub database_collation: String,
}

impl EngineChange for AlterTable {
    fn apply(&self, model: &mut Model, key: &ObjectKey) -> Outcome {
        let before: Vec<Object> = keys_of(model, &key.name);
        let Some(table) = model.table(&key.name) else { return Ok(()) };
        let mut state = State {
            name: key.name.clone(),
            table: table.clone(),
            indexes: before.clone(),
            formerly: Vec::new(),
            columns: table.columns.iter().map(|column| column.name.clone()).collect(),
            dropped: self.actions.iter().filter_map(TableAction::dropped_column).cloned().collect(),
        };
        let mut renamed = Vec::new();
        let mut in_order: Vec<&TableAction> = self.actions.iter().collect();
        in_order.sort_by_key(|action| action.rank());
        state.rename_keys(&self.actions)?;
        state.drop_checks();
        for action in in_order {
            if let TableAction::RenameColumn { from, to } = action {
                state.existing(from)?;
                renamed.push((from.clone(), to.clone()));
                continue;
            }
            state.apply(action, &self.database_collation)?;
            if let TableAction::Modify { from, spec, .. } = action
                && from != spec.name()
            {
                renamed.push((from.clone(), spec.name().clone()));
            }
        }
        state.has_all_columns()?;
        for index in &before {
            model.remove(&index.key());
        }
        model.extend(state.indexes);
        let formerly = state.formerly;
        if let Some(object) = model.get_mut(key) {
            object.definition = Definition::Table(state.table);
            object.formerly.columns.extend(formerly);
        }
        rename_columns(model, key, &renamed);
        if let Some(object) = model.get_mut(key) {
            object.text = write::create_statement(object);
        }
        Ok(())
    }
}

/// The keys of a table.
pub fn keys_of(model: &Model, table: &QualifiedName) -> Vec<Object> {
    let on_it = |object: &&Object| object.definition.owner() == Some(table);
    model.of_kind(wevrun_core::model::Kind::Index).filter(on_it).cloned().collect()
}

/// Renames that one statement makes at once: each sees the names before it.
fn rename_columns(model: &mut Model, key: &ObjectKey, renamed: &[(Name, Name)]) {
    let temporary_name = |number: usize| names::simple(&format!("wevrun renamed {number}"));
    for (number, (from, _)) in renamed.iter().enumerate() {
        rename::column(model, &key.name, from, &temporary_name(number));
    }
    for (number, (from, to)) in renamed.iter().enumerate() {
        rename::column(model, &key.name, &temporary_name(number), to);
        if let Some(object) = model.get_mut(key) {
            match object.formerly.columns.iter_mut().find(|(name, _)| name == from) {
                Some((name, _)) => *name = to.clone(),
                None => object.formerly.columns.push((to.clone(), from.clone())),
            }
        }
    }
}

fn in_use(table: &QualifiedName, column: &Name, user: &str) -> Outcome {
    let message = format!("column `{column}` of table {table} can't be dropped: {user} uses it");
    Err(Box::new(Diagnostic::new(Code::WV116, message).help("drop what uses the column in the same ALTER TABLE")))
}

struct State {
    name: QualifiedName,
    table: Table,
    indexes: Vec<Object>,
    formerly: Vec<(Name, Name)>,
    /// The columns before the statement.
    columns: Vec<Name>,
    /// Those that the statement drops.
    dropped: BTreeSet<Name>,
}

impl State {
    /// CHECKs of the table are dropped with a column if they need no other one (<https://mariadb.com/kb/en/alter-table/#drop-column>). A
    /// generated column needs those that it is computed from.
    fn drop_checks(&mut self) {
        let is_kept = |check: &Check| {
            let Some(needed) = self.needed_columns(&check.condition) else { return true };
            needed.is_empty() || !needed.is_subset(&self.dropped)
        };
        let kept: Vec<bool> = self.table.checks.iter().map(is_kept).collect();
        let mut kept = kept.into_iter();
        self.table.checks.retain(|_| kept.next().unwrap_or(true));
    }

    /// The columns that an expression names, and those that generated ones among them name; nothing if one can't be read.
    fn needed_columns(&self, expression: &Expression) -> Option<BTreeSet<Name>> {
        let named = |text: &str| own_columns::references(&self.name, &self.columns, text);
        let mut needed = BTreeSet::new();
        let mut open = vec![named(expression.written())?];
        while let Some(found) = open.pop() {
            for column in found.iter().filter_map(|reference| reference.column.clone()) {
                let generated = self.table.column(&column).and_then(|own| own.generated.as_ref());
                if needed.insert(column.clone())
                    && let Some(generated) = generated
                {
                    open.push(named(generated.expression.written())?);
                }
            }
        }
        Some(needed)
    }

    /// Every column that the table's expressions name is there (error 1054 of the server).
    fn has_all_columns(&self) -> Outcome {
        let gone: Vec<&Name> = self.columns.iter().filter(|column| self.table.column(column).is_none()).collect();
        if self.table.columns.is_empty() {
            let message = format!("table {} would have no column", self.name);
            return Err(Box::new(Diagnostic::new(Code::WV131, message).help("drop the table, or keep a column")));
        }
        let keys = own_columns::partition_keys(&self.table).map(|text| ("PARTITION BY", text));
        let expressions = own_columns::expressions(&self.table).into_iter();
        for (what, text) in expressions.map(|(what, own)| (what, own.written())).chain(keys) {
            let Some(found) = own_columns::references(&self.name, &self.columns, text) else { continue };
            if let Some(column) = gone.iter().find(|column| found.has_column(&self.name, column)) {
                return in_use(&self.name, column, &format!("{what} ({text})"));
            }
        }
        Ok(())
    }

    fn existing(&self, column: &Name) -> Result<usize, Box<Diagnostic>> {
        self.table.columns.iter().position(|own| own.name == *column).ok_or_else(|| {
            let columns = self.table.columns.iter().map(|column| column.name.written());
            Box::new(
                Diagnostic::new(Code::WV111, format!("table {} has no column `{column}`", self.name))
                    .suggest(column.written(), columns),
            )
        })
    }

    fn missing(&self, what: &str, name: &Name) -> Outcome {
        Err(Box::new(Diagnostic::new(Code::WV111, format!("table {} has no {what} `{name}`", self.name))))
    }

    /// Renames keys at once: each name is one before them.
    fn rename_keys(&mut self, actions: &[TableAction]) -> Outcome {
        let mut found = Vec::new();
        for action in actions {
            let TableAction::RenameKey { from, to, if_exists } = action else { continue };
            match self.indexes.iter().position(|index| names::simple(index.name.identifier()) == *from) {
                Some(at) => found.push((at, to)),
                None if *if_exists => {}
                None => return self.missing("key", from),
            }
        }
        for (at, to) in found {
            let index = &mut self.indexes[at];
            index.name = names::key(&self.name, to.written());
            index.text = write::create_statement(index);
        }
        Ok(())
    }

    fn collation(&self) -> String {
        self.table.clauses.get(clause::COLLATE).cloned().unwrap_or_else(|| charset::USUAL_COLLATION.to_owned())
    }

    fn place(&mut self, column: wevrun_core::model::Column, position: &Option<Position>) -> Outcome {
        let at = match position {
            None => self.table.columns.len(),
            Some(Position::First) => 0,
            Some(Position::After(name)) => self.existing(name)? + 1,
        };
        self.table.columns.insert(at, column);
        Ok(())
    }

    /// The clauses of a column that are kept with the table.
    fn keys_of_column(&mut self, spec: &ColumnSpec) {
        let none = BTreeSet::new();
        if spec.primary {
            let key = KeySpec::of_column(KeyKind::Primary, spec.name());
            add_key(&self.name, &mut self.table, &mut self.indexes, &key, &none);
        }
        if spec.is_unique() {
            let key = KeySpec::of_column(KeyKind::Unique, spec.name());
            add_key(&self.name, &mut self.table, &mut self.indexes, &key, &none);
        }
        if let Some(key) = &spec.references {
            add_foreign_key(&self.name, &mut self.table, &mut self.indexes, key);
        }
    }

    fn apply(&mut self, action: &TableAction, database_collation: &str) -> Outcome {
        match action {
            TableAction::AddColumn { spec, position, if_not_exists } => {
                if self.table.column(spec.name()).is_some() {
                    if *if_not_exists {
                        return Ok(());
                    }
                    let message = format!("table {} has a column `{}` already", self.name, spec.name());
                    return Err(Box::new(Diagnostic::new(Code::WV102, message)));
                }
                let column = spec.resolve(&self.collation());
                self.place(column, position)?;
                self.keys_of_column(spec);
            }
            TableAction::DropColumn { name, if_exists } => {
                if *if_exists && self.table.column(name).is_none() {
                    return Ok(());
                }
                self.drop_column(name)?;
            }
            TableAction::Modify { from, spec, position, if_exists } => {
                if *if_exists && self.table.column(from).is_none() {
                    return Ok(());
                }
                let at = self.existing(from)?;
                let mut column = spec.resolve(&self.collation());
                // The new name is given last: see `rename_columns`.
                column.name = from.clone();
                let in_key = self.table.in_primary_key(from);
                if in_key {
                    column.not_null = Some(Default::default());
                }
                match position {
                    None => self.table.columns[at] = column,
                    Some(_) => {
                        self.table.columns.remove(at);
                        self.place(column, position)?;
                    }
                }
                self.keys_of_column(spec);
            }
            TableAction::RenameColumn { .. } => {}
            TableAction::Default { column, default } => {
                let at = self.existing(column)?;
                let column = &mut self.table.columns[at];
                let spelling =
                    column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str()).to_owned();
                let stored = default.as_ref().map(|default| defaults::canonical(default, family(&spelling), &spelling));
                column.default = stored.filter(|default| default.canonical != "null");
            }
            TableAction::AddKey { key, if_not_exists, .. } => {
                let is_there =
                    |name: &Name| self.indexes.iter().any(|index| names::simple(index.name.identifier()) == *name);
                match &key.name {
                    Some(name) if is_there(name) && *if_not_exists => {}
                    Some(name) if is_there(name) => {
                        let message = format!("table {} has a key `{name}` already", self.name);
                        return Err(Box::new(Diagnostic::new(Code::WV101, message)));
                    }
                    _ => add_key(&self.name, &mut self.table, &mut self.indexes, key, &BTreeSet::new()),
                }
            }
            TableAction::DropPrimary => self.table.primary_key = None,
            TableAction::DropKey { name, if_exists } => {
                let before = self.indexes.len();
                self.indexes.retain(|index| names::simple(index.name.identifier()) != *name);
                if self.indexes.len() == before && !if_exists {
                    return self.missing("key", name);
                }
            }
            TableAction::RenameKey { .. } => {}
            TableAction::Ignored { key, ignored } => {
                let found = self.indexes.iter_mut().find(|index| names::simple(index.name.identifier()) == *key);
                let Some(index) = found else { return self.missing("key", key) };
                if let Some(clauses) = index.definition.clauses_mut() {
                    if *ignored {
                        clauses.set(clause::IGNORED, Flag);
                    } else {
                        clauses.remove(clause::IGNORED);
                    }
                }
                index.text = write::create_statement(index);
            }
            TableAction::AddCheck(check) => {
                self.table.checks.push(check.clone());
                name_checks(&mut self.table);
            }
            TableAction::AddForeignKey(key) => {
                add_foreign_key(&self.name, &mut self.table, &mut self.indexes, key);
            }
            TableAction::DropForeignKey { name, if_exists } => {
                let before = self.table.foreign_keys.len();
                self.table.foreign_keys.retain(|key| key.name != *name);
                if self.table.foreign_keys.len() == before && !if_exists {
                    return self.missing("foreign key", name);
                }
            }
            TableAction::DropConstraint { name, if_exists } => {
                let count =
                    |table: &Table, indexes: &[Object]| table.checks.len() + table.foreign_keys.len() + indexes.len();
                let before = count(&self.table, &self.indexes);
                self.table.checks.retain(|check| check.name.as_ref() != Some(name));
                self.table.foreign_keys.retain(|key| key.name != *name);
                if count(&self.table, &self.indexes) == before {
                    self.indexes.retain(|index| names::simple(index.name.identifier()) != *name);
                }
                if count(&self.table, &self.indexes) == before && !if_exists {
                    return self.missing("constraint", name);
                }
            }
            TableAction::Options(options) => {
                options.apply(&mut self.table.clauses);
                if options.has_collation() {
                    let collation = options.collation(database_collation);
                    self.table.clauses.set(clause::COLLATE, collation);
                }
            }
            TableAction::Convert(options) => self.convert(&options.collation(database_collation)),
            TableAction::PartitionBy(partition_by) => {
                self.table.clauses.set(clause::PARTITION_BY, partition_by.clone())
            }
            TableAction::Partitions(change) => {
                let own = self.table.clauses.get(clause::PARTITION_BY);
                let new = own.ok_or_else(|| "has no partitions".to_owned());
                let new = new.and_then(|own| Partitioning::read(own).changed(change)).map_err(|message| {
                    Box::new(Diagnostic::new(Code::WV111, format!("table {} {message}", self.name)))
                })?;
                self.table.clauses.set(clause::PARTITION_BY, new);
            }
            TableAction::RemovePartitioning => drop(self.table.clauses.remove(clause::PARTITION_BY)),
            TableAction::Versioning(true) => self.table.clauses.set(clause::SYSTEM_VERSIONING, "with".to_owned()),
            TableAction::Versioning(false) => drop(self.table.clauses.remove(clause::SYSTEM_VERSIONING)),
            TableAction::AddPeriod { period, if_not_exists: true, .. }
                if self.table.clauses.has(clause::PERIOD.of(period.canonical())) => {}
            TableAction::AddPeriod { period, columns, .. } => {
                let within = self.table.columns.iter_mut().filter(|column| columns.contains(&column.name));
                within.for_each(|column| column.not_null = Some(Default::default()));
                self.table.clauses.set(clause::PERIOD.of(period.canonical()), columns.clone());
            }
            TableAction::DropPeriod(period) => drop(self.table.clauses.remove(clause::PERIOD.of(period.canonical()))),
        }
        Ok(())
    }

    /// Keys lose the column; those of which all columns are dropped are dropped, too. A primary or unique key that keeps another column
    /// prevents it (error 1072 of the server).
    fn drop_column(&mut self, name: &Name) -> Outcome {
        let at = self.existing(name)?;
        self.table.columns.remove(at);
        if let Some(key) = &mut self.table.primary_key {
            if key.has_column(name) && !key.parts.iter().all(|part| self.dropped.contains(&part.column)) {
                return in_use(&self.name, name, "the primary key");
            }
            key.parts.retain(|part| part.column != *name);
        }
        self.table.primary_key.take_if(|key| key.parts.is_empty());
        for index in &self.indexes {
            if let Definition::Index(definition) = &index.definition
                && definition.unique
                && definition.parts.iter().any(|part| column_of(part) == *name)
                && !definition.parts.iter().all(|part| self.dropped.contains(&column_of(part)))
            {
                return in_use(&self.name, name, &format!("the unique key `{}`", index.name.identifier()));
            }
        }
        for index in &mut self.indexes {
            if let Definition::Index(definition) = &mut index.definition {
                let before = definition.parts.len();
                definition.parts.retain(|part| column_of(part) != *name);
                if definition.parts.len() != before && !index.text.is_empty() {
                    index.text = write::create_statement(index);
                }
            }
        }
        let is_empty =
            |object: &Object| matches!(&object.definition, Definition::Index(Index { parts, .. }) if parts.is_empty());
        self.indexes.retain(|index| !is_empty(index));
        Ok(())
    }

    /// CONVERT TO CHARACTER SET: all text columns, of which some grow (`mysql_prepare_alter_table`).
    fn convert(&mut self, collation: &str) {
        let wide = charset::most_bytes(charset::of_collation(collation));
        for column in self.table.columns.iter_mut() {
            let Some(own) = column.collation.clone() else { continue };
            let Some(data_type) = &column.data_type else { continue };
            let narrow = charset::most_bytes(charset::of_collation(own.canonical()));
            if wide > narrow {
                let grown = match data_type.canonical.as_str() {
                    "tinytext" => Some("text"),
                    "text" => Some("mediumtext"),
                    "mediumtext" => Some("longtext"),
                    _ => None,
                };
                if let Some(grown) = grown {
                    column.data_type = Some(Expression::plain(grown));
                }
            }
            column.collation = Some(QualifiedName::plain(names::simple(collation)));
        }
        self.table.clauses.set(clause::COLLATE, collation.to_owned());
    }
}
