//! Changes of tables: all clauses of a table in one ALTER TABLE, which succeeds or fails as a whole.

use std::collections::BTreeSet;

use wevrun_core::compare::Change;
use wevrun_core::model::{Column, Definition, Index, Kind, Name, Object, ObjectKey, QualifiedName, Table, Value};
use wevrun_core::plan::{Clearance, Planning, Probe, Risk, RiskKind, Step};

use super::Planner;
use super::algorithm::{self, Algorithm, Clause, Traits, of_column};
use super::conversions::{Fate, fate};
use super::foreign_keys::{Moved, have_name};
use super::partitions;
use crate::clause;
use crate::names::{in_sql, literal, quoted};
use crate::parse::keys::index_columns;
use crate::write::tables;

/// Questions about a table that changes.
pub fn probes(planning: &Planning<'_>, have: &Object, before: &Table, after: &Table, probes: &mut Vec<Probe>) {
    let renames = &planning.comparison.renames;
    let table = &have.name;
    let Some((want_name, _)) = planning.want.tables().find(|(_, own)| std::ptr::eq(*own, after)) else { return };
    probes.push(Probe::HasRows(table.clone()));
    for column in before.columns.iter() {
        let now = renames
            .columns_of(want_name)
            .iter()
            .find(|(from, _)| *from == column.name)
            .map_or(&column.name, |(_, to)| to)
            .clone();
        match after.column(&now) {
            None => probes.push(Probe::HasValues(table.clone(), column.name.clone())),
            Some(want) if want.not_null.is_some() && column.not_null.is_none() => {
                probes.push(Probe::HasNulls(table.clone(), column.name.clone()));
            }
            Some(_) => {}
        }
    }
}

/// Changes every table that differs, or whose keys do.
pub fn change_all(planner: &mut Planner<'_>, moved: &Moved) {
    let mut tables: BTreeSet<QualifiedName> = BTreeSet::new();
    for difference in planner.differences.values() {
        let object = match &difference.change {
            Change::Create(object) | Change::Remove(object) => *object,
            Change::Change { want, .. } => *want,
        };
        let name = match &object.definition {
            Definition::Table(_) => &object.name,
            Definition::Index(index) => &index.table,
            _ => continue,
        };
        if planner.planning.renamed.table(name).is_some() && planner.planning.want.table(name).is_some() {
            tables.insert(name.clone());
        }
    }
    for name in tables {
        change(planner, &name, moved);
    }
}

fn change(planner: &mut Planner<'_>, name: &QualifiedName, moved: &Moved) {
    let key = ObjectKey::new(Kind::Table, name.clone());
    let (Some(have), Some(want)) = (planner.planning.renamed.get(&key), planner.planning.want.get(&key)) else {
        return;
    };
    let (Some(before), Some(after)) = (have.as_table(), want.as_table()) else { return };
    let (old_keys, new_keys) = (planner.keys_of(have, false), planner.keys_of(want, true));
    let mut builder = Builder {
        planner,
        name,
        before,
        after,
        clauses: Vec::new(),
        step: Step::new("", Vec::new()),
        what: Vec::new(),
    };
    builder.keys_that_go(&old_keys, &new_keys);
    builder.columns();
    builder.keys_that_are_new(&old_keys, &new_keys);
    builder.checks();
    builder.options();
    let Builder { clauses, mut step, what, .. } = builder;
    let traits = Traits::of(before, &old_keys);
    // The foreign keys that are added later are not there yet.
    let mut object = want.clone();
    if let Definition::Table(table) = &mut object.definition {
        table.foreign_keys.retain(|own| !moved.is_added_later(name, &own.name));
    }
    let partition = clause::PARTITION_BY;
    let repartitions = before.clauses.get(partition) != after.clauses.get(partition);
    let mut gone: Vec<(ObjectKey, Option<Object>)> = Vec::new();
    for old in &old_keys {
        if !new_keys.iter().any(|new| new.name == old.name) {
            gone.push((old.key(), None));
        }
    }
    let present = |keys: &[&Object]| -> Vec<(ObjectKey, Option<Object>)> {
        keys.iter()
            .filter(|new| old_keys.iter().all(|old| old.name != new.name || old.definition != new.definition))
            .map(|own| (own.key(), Some((*own).clone())))
            .collect()
    };
    if !clauses.is_empty() {
        let (chosen, locks) = algorithm::of_all(&clauses, traits);
        let mut sql: Vec<String> = clauses.iter().map(|clause| clause.sql.clone()).collect();
        if traits.is_innodb() {
            sql.push(algorithm::words(chosen, locks));
        }
        let mut lines = String::new();
        for (index, line) in sql.iter().enumerate() {
            lines.push_str(if index == 0 { "\n    " } else { ",\n    " });
            lines.push_str(line);
        }
        step.title = format!("change table {name}: {}", what.join(", "));
        step.object = Some(key.clone());
        step.statements.push(format!("ALTER TABLE {}{lines}", in_sql(name)));
        let probe = Probe::HasRows(have_name(planner, name));
        let is_empty = planner.planning.evidence.answer(&probe) == Some(false);
        if !is_empty && (locks || !traits.is_innodb()) {
            let explanation = if chosen == Algorithm::Copy || !traits.is_innodb() {
                "the table is copied, and no other session can write to it meanwhile"
            } else {
                "no other session can write to the table while the index is built"
            };
            step.risks.push(Risk::new(RiskKind::RewritesTable, key.to_string(), explanation));
        } else if chosen == Algorithm::Inplace {
            step.notes.push("the rows are written again while others can read and write".to_owned());
        }
        let mut first = object.clone();
        if let Definition::Table(table) = &mut first.definition
            && repartitions
        {
            match before.clauses.get(partition) {
                Some(old) => table.clauses.set(partition, old.clone()),
                None => drop(table.clauses.remove(partition)),
            }
        }
        let mut states = vec![(key.clone(), Some(first))];
        states.append(&mut gone);
        states.extend(present(&new_keys));
        planner.step(step, states);
    }
    if repartitions {
        let step = partitions::step(name, before.clauses.get(partition), after.clauses.get(partition));
        planner.step(step, vec![(key, Some(object))]);
    }
}

struct Builder<'b, 'p> {
    planner: &'b Planner<'p>,
    name: &'b QualifiedName,
    before: &'b Table,
    after: &'b Table,
    clauses: Vec<Clause>,
    step: Step,
    /// The title of the step.
    what: Vec<String>,
}

impl Builder<'_, '_> {
    fn add(&mut self, sql: impl Into<String>, algorithm: Algorithm, what: impl Into<String>) {
        self.clauses.push(Clause::new(sql, algorithm));
        self.what.push(what.into());
    }

    /// Virtual columns come and go with nothing else, unless the table is copied.
    fn alone_if_virtual(&mut self, column: &Column) {
        let is_virtual = column.generated.as_ref().is_some_and(|generated| !generated.stored);
        if let Some(clause) = self.clauses.last_mut().filter(|_| is_virtual) {
            clause.alone = true;
        }
    }

    fn risk(&mut self, kind: RiskKind, object: String, explanation: &str) {
        self.step.risks.push(Risk::new(kind, object, explanation));
    }

    fn answer(&self, probe: impl Fn(QualifiedName) -> Probe) -> Option<bool> {
        self.planner.planning.evidence.answer(&probe(have_name(self.planner, self.name)))
    }

    fn is_empty(&self) -> bool {
        self.answer(Probe::HasRows) == Some(false)
    }

    fn collation(&self) -> String {
        self.after.clauses.get(clause::COLLATE).cloned().unwrap_or_default()
    }

    /// Whether a key has a column that is dropped and added again.
    fn is_over_new_column(&self, key: &Object) -> bool {
        let Definition::Index(index) = &key.definition else { return false };
        index_columns(index).iter().any(|(name, _)| {
            let both = self.before.column(name).zip(self.after.column(name));
            both.is_some_and(|(have, want)| is_dropped_and_added(have, want))
        })
    }

    fn keys_that_go(&mut self, old: &[&Object], new: &[&Object]) {
        if self.before.primary_key != self.after.primary_key && self.before.primary_key.is_some() {
            let algorithm = if self.after.primary_key.is_some() { Algorithm::Inplace } else { Algorithm::Copy };
            self.add("DROP PRIMARY KEY", algorithm, "drop the primary key");
        }
        for key in old {
            let stays = new.iter().any(|other| other.name == key.name && other.definition == key.definition)
                && !self.is_over_new_column(key);
            let only_ignored = new.iter().any(|other| other.name == key.name && differ_in_ignored(key, other));
            if !stays && !only_ignored {
                let name = key.name.identifier();
                self.add(format!("DROP INDEX {}", quoted(name)), Algorithm::NoCopy, format!("drop index {name}"));
            }
        }
    }

    fn keys_that_are_new(&mut self, old: &[&Object], new: &[&Object]) {
        if self.before.primary_key != self.after.primary_key
            && let Some(key) = &self.after.primary_key
        {
            self.add(format!("ADD {}", tables::primary(key)), Algorithm::Inplace, "add a primary key");
            if !self.is_empty() {
                let explanation = "rows that are equal in these columns stop the script";
                self.risk(RiskKind::MayRefuseRows, format!("primary key of {}", self.name), explanation);
            }
        }
        for key in new {
            let Definition::Index(index) = &key.definition else { continue };
            let name = key.name.identifier().to_owned();
            let same = |other: &&Object| other.name == key.name && other.definition == key.definition;
            if old.iter().any(same) && !self.is_over_new_column(key) {
                continue;
            }
            if old.iter().any(|other| other.name == key.name && differ_in_ignored(other, key)) {
                let word = if index.clauses.has(clause::IGNORED) { "IGNORED" } else { "NOT IGNORED" };
                self.add(
                    format!("ALTER INDEX {} {word}", quoted(&name)),
                    Algorithm::Instant,
                    format!("change index {name}"),
                );
                continue;
            }
            let special = index.clauses.has(clause::KIND);
            let algorithm = if special {
                Algorithm::Inplace
            } else if is_hash(index) {
                Algorithm::Copy
            } else {
                Algorithm::NoCopy
            };
            let mut added = Clause::new(format!("ADD {}", tables::key(key, index)), algorithm);
            added.locks = special;
            self.clauses.push(added);
            self.what.push(format!("add index {name}"));
            if index.unique && !self.is_empty() {
                let explanation = "rows that are equal in these columns stop the script";
                self.risk(RiskKind::MayRefuseRows, key.key().to_string(), explanation);
            }
        }
    }

    fn columns(&mut self) {
        let collation = self.collation();
        for column in self.before.columns.iter() {
            if self.after.column(&column.name).is_some_and(|want| !is_dropped_and_added(column, want)) {
                continue;
            }
            let in_key = self.before.in_primary_key(&column.name)
                || self.before.foreign_keys.iter().any(|key| key.columns.contains(&column.name));
            let algorithm = if in_key { Algorithm::NoCopy } else { Algorithm::Instant };
            self.add(
                format!("DROP COLUMN {}", quoted(column.name.written())),
                algorithm,
                format!("drop column {}", column.name),
            );
            self.alone_if_virtual(column);
            if column.generated.is_none() && !self.is_empty() {
                self.loses(column);
            }
        }
        let after = self.after;
        for (at, column) in after.columns.iter().enumerate() {
            match self.before.column(&column.name) {
                Some(have) if have != column && !is_dropped_and_added(have, column) => {
                    self.changed(have, column, &collation)
                }
                Some(have) if have == column => {}
                _ => {
                    // At the end no place is written.
                    let is_last = after.columns[at..].iter().all(|other| self.before.column(&other.name).is_none());
                    let place = match at.checked_sub(1).map(|before| &after.columns[before].name) {
                        _ if is_last && at > 0 => String::new(),
                        Some(other) => format!(" AFTER {}", quoted(other.written())),
                        None => " FIRST".to_owned(),
                    };
                    self.added(column, &collation, &place);
                }
            }
        }
    }

    fn loses(&mut self, column: &Column) {
        let old = self.old_name(&column.name);
        let explanation = match self.answer(|table| Probe::HasValues(table, old.clone())) {
            Some(false) => {
                self.step.notes.push(format!("column {} holds no values", column.name));
                return;
            }
            Some(true) => "it holds values, and they are destroyed",
            None => "any values in it are destroyed",
        };
        self.risk(RiskKind::LosesColumn, format!("column {}.{}", self.name, column.name), explanation);
    }

    fn old_name(&self, column: &Name) -> Name {
        let renames = self.planner.planning.comparison.renames.columns_of(self.name);
        renames.into_iter().find(|(_, to)| to == column).map_or_else(|| column.clone(), |(from, _)| from)
    }

    fn added(&mut self, column: &Column, collation: &str, place: &str) {
        let sql = format!("ADD COLUMN {}{place}", tables::column(column, collation));
        let is_constant =
            column.default.as_ref().is_none_or(|default| !tables::default_value(default).starts_with('('));
        let checked =
            column.clauses.get(clause::CHECK).is_some_and(|check| !check.canonical.starts_with("json_valid("));
        let algorithm = match &column.generated {
            Some(generated) if generated.stored => Algorithm::Copy,
            Some(_) => Algorithm::Instant,
            // Otherwise the rows that exist are not checked.
            None if checked => Algorithm::Copy,
            None if is_constant && !column.clauses.has(clause::AUTO_INCREMENT) => Algorithm::Instant,
            None => Algorithm::Copy,
        };
        self.add(sql, algorithm, format!("add column {}", column.name));
        self.alone_if_virtual(column);
        let object = format!("column {}.{}", self.name, column.name);
        if self.planner.planning.is_undo && column.generated.is_none() {
            self.step.notes.push(format!("can't bring back: the values of column {}", column.name));
        }
        if self.is_empty() {
            return;
        }
        let fills = column.not_null.is_some()
            && column.default.is_none()
            && column.generated.is_none()
            && !column.clauses.has(clause::AUTO_INCREMENT)
            && !column.clauses.has(clause::ROW_MOMENT);
        if fills {
            let spelling = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
            let explanation = format!(
                "it must not be NULL and has no default: the server fills the rows that exist with {}",
                zero(spelling)
            );
            let mut risk = Risk::new(RiskKind::NeedsValues, object.clone(), explanation);
            risk.ways_out = vec![
                format!("give it a DEFAULT, which all rows then get: {} NOT NULL DEFAULT …", column.name),
                "release it without NOT NULL, fill it, and add NOT NULL in the next release".to_owned(),
                "make it nullable, if a row may be without it".to_owned(),
            ];
            self.step.risks.push(risk);
        }
        if checked {
            self.risk(RiskKind::MayRefuseRows, object, "rows that do not fit its CHECK stop the script");
        }
    }

    fn changed(&mut self, have: &Column, want: &Column, collation: &str) {
        let only_default = {
            let mut same = have.clone();
            same.default.clone_from(&want.default);
            same == *want
        };
        if only_default {
            let sql = match &want.default {
                Some(default) => format!(
                    "ALTER COLUMN {} SET DEFAULT {}",
                    quoted(want.name.written()),
                    tables::default_value(default)
                ),
                None => format!("ALTER COLUMN {} DROP DEFAULT", quoted(want.name.written())),
            };
            self.add(sql, Algorithm::Instant, format!("change the default of {}", want.name));
            return;
        }
        let sql = format!("MODIFY COLUMN {}", tables::column(want, collation));
        let mut algorithm = of_column(have, want);
        let in_key =
            self.planner.want_keys.get(self.name).into_iter().flatten().any(|object| match &object.definition {
                Definition::Index(index) => index_columns(index).iter().any(|(column, _)| *column == want.name),
                _ => false,
            });
        if in_key && have.data_type != want.data_type {
            algorithm = algorithm.max(Algorithm::NoCopy);
        }
        self.add(sql, algorithm, format!("change column {}", want.name));
        let object = format!("column {}.{}", self.name, want.name);
        if self.is_empty() {
            return;
        }
        match fate(have, want) {
            _ if have.generated.is_some() && want.generated.is_some() => {}
            Fate::Kept => {}
            Fate::Refused(explanation) => self.risk(RiskKind::MayRefuseRows, object.clone(), explanation),
            Fate::Changed(explanation) => self.risk(RiskKind::ChangesValues, object.clone(), explanation),
        }
        if have.generated.is_none() && want.generated.is_some() {
            self.risk(RiskKind::LosesColumn, object.clone(), "its values are replaced by what the expression gives");
        }
        if want.not_null.is_some() && have.not_null.is_none() {
            let old = self.old_name(&want.name);
            match self.answer(|table| Probe::HasNulls(table, old.clone())) {
                Some(false) => {}
                Some(true) => {
                    let mut risk = Risk::new(
                        RiskKind::NeedsValues,
                        object.clone(),
                        "it must not be NULL, but some rows hold NULL",
                    );
                    let (table, column) = (in_sql(&have_name(self.planner, self.name)), quoted(old.written()));
                    risk.ways_out = vec![
                        format!(
                            "fill it first, on the target: UPDATE {table} SET {column} = … WHERE {column} IS NULL;"
                        ),
                        "leave it nullable".to_owned(),
                    ];
                    risk.clearance = Clearance::Impossible;
                    self.step.risks.push(risk);
                }
                None => self.risk(RiskKind::MayRefuseRows, object.clone(), "rows that hold NULL stop the script"),
            }
        }
        let (old, new) = (have.clauses.get(clause::CHECK), want.clauses.get(clause::CHECK));
        if new.is_some() && old != new {
            self.risk(RiskKind::MayRefuseRows, object.clone(), "rows that do not fit its CHECK stop the script");
        }
        if want.clauses.has(clause::AUTO_INCREMENT) && !have.clauses.has(clause::AUTO_INCREMENT) {
            self.risk(RiskKind::ChangesValues, object, "rows that hold 0 or NULL get new numbers");
        }
    }

    fn checks(&mut self) {
        let (before, after) = (self.before, self.after);
        for check in before.checks.iter().filter(|check| !after.checks.contains(check)) {
            let name = check.name.as_ref().map_or("", |name| name.written());
            self.clauses.insert(0, Clause::new(format!("DROP CONSTRAINT {}", quoted(name)), Algorithm::Instant));
            self.what.push(format!("drop check {name}"));
        }
        for check in after.checks.iter().filter(|check| !before.checks.contains(check)) {
            let name = check.name.as_ref().map_or("", |name| name.written()).to_owned();
            self.add(format!("ADD {}", tables::check(check)), Algorithm::Copy, format!("add check {name}"));
            if !self.is_empty() {
                let object = format!("check {name} of {}", self.name);
                self.risk(RiskKind::MayRefuseRows, object, "rows that do not fit it stop the script");
            }
        }
    }

    fn options(&mut self) {
        let (before, after) = (&self.before.clauses, &self.after.clauses);
        if before.get(clause::ENGINE) != after.get(clause::ENGINE)
            && let Some(engine) = after.get(clause::ENGINE)
        {
            let sql = format!("ENGINE={}", engine.written());
            self.clauses.push(Clause::new(sql, Algorithm::Copy));
            self.what.push(format!("change the engine to {}", engine.written()));
        }
        if before.get(clause::COLLATE) != after.get(clause::COLLATE)
            && let Some(collation) = after.get(clause::COLLATE)
        {
            self.clauses.push(Clause::new(tables::collation_option(collation), Algorithm::Instant));
            self.what.push("change the default collation".to_owned());
        }
        if before.get(clause::COMMENT) != after.get(clause::COMMENT) {
            let comment = after.get(clause::COMMENT).map_or("", String::as_str);
            self.clauses.push(Clause::new(format!("COMMENT={}", literal(comment)), Algorithm::Instant));
            self.what.push("change the comment".to_owned());
        }
        let names: BTreeSet<&str> = before.iter().chain(after.iter()).map(|(name, _)| name).collect();
        for name in names {
            let Some(option) = clause::OPTION.member(name) else { continue };
            let (old, new) = (before.get_named(name), after.get_named(name));
            if old == new {
                continue;
            }
            let value = match new {
                Some(Value::Expression(value)) => value.written().to_owned(),
                _ => default_of_option(option).to_owned(),
            };
            let algorithm = if option.starts_with("stats_") { Algorithm::Instant } else { Algorithm::Copy };
            let algorithm = if matches!(option, "row_format" | "key_block_size" | "page_compressed") {
                Algorithm::Inplace
            } else {
                algorithm
            };
            self.clauses.push(Clause::new(format!("{}={value}", tables::option_name(option)), algorithm));
            self.what.push(format!("change {option}"));
        }
        match (before.has(clause::SYSTEM_VERSIONING), after.has(clause::SYSTEM_VERSIONING)) {
            (false, true) => {
                self.clauses.push(Clause::new("ADD SYSTEM VERSIONING", Algorithm::Copy));
                self.what.push("add system versioning".to_owned());
            }
            (true, false) => {
                self.clauses.push(Clause::new("DROP SYSTEM VERSIONING", Algorithm::Copy));
                self.what.push("drop system versioning".to_owned());
                let explanation = "the former versions of all rows are destroyed";
                self.risk(RiskKind::LosesColumn, format!("history of table {}", self.name), explanation);
            }
            _ => {}
        }
    }
}

/// Whether a generated column can only be dropped and added: the server changes neither where its value is kept, nor a virtual one.
fn is_dropped_and_added(have: &Column, want: &Column) -> bool {
    match (&have.generated, &want.generated) {
        (Some(old), Some(new)) => old.stored != new.stored || (!old.stored && have != want),
        (Some(old), None) => !old.stored,
        (None, Some(new)) => !new.stored,
        (None, None) => false,
    }
}

/// Whether two keys differ only in that the optimizer ignores one.
fn differ_in_ignored(a: &Object, b: &Object) -> bool {
    let without = |object: &Object| {
        let mut definition = object.definition.clone();
        if let Some(clauses) = definition.clauses_mut() {
            clauses.remove(clause::IGNORED);
        }
        definition
    };
    a.definition != b.definition && without(a) == without(b)
}

fn is_hash(index: &Index) -> bool {
    index.unique && index.clauses.get(clause::USING).is_some_and(|using| using == "hash")
}

/// The default value of an option.
fn default_of_option(option: &str) -> &'static str {
    match option {
        "max_rows" | "min_rows" | "avg_row_length" | "checksum" | "delay_key_write" | "key_block_size" => "0",
        _ => "DEFAULT",
    }
}

/// The value that the server puts into existing rows.
fn zero(spelling: &str) -> &'static str {
    use crate::canonical::types::{Family, family};
    match family(spelling) {
        Family::Integer | Family::Decimal(_) | Family::Float | Family::Bit | Family::Year => "0",
        Family::Date | Family::Time(_) | Family::Moment(_) => "zeros",
        Family::Enumeration => "the first value of its list",
        _ => "''",
    }
}
