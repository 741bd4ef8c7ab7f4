//! Changes of the columns of a table.

use crate::clause;

use super::super::names::quoted;
use super::super::{parents_of, write};
use super::conversions::{self, Conversion};
use super::table::TableChange;
use wevrun_core::model::{Column, Expression, Kind, Model, Name, QualifiedName, is_like};
use wevrun_core::plan::{Clearance, Probe, Risk, RiskKind, Step};

impl TableChange<'_> {
    pub(super) fn columns(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        // A column that is computed from one that goes or changes its type goes first, and comes again.
        let names = super::dependents::computed_columns(self.have, self.want);
        let computed = self.have.columns.iter().filter(|column| names.contains(&column.name));
        // One that shall be computed no more keeps its values.
        let stays = |column: &&Column| self.want.column(&column.name).is_some_and(|wanted| wanted.generated.is_none());
        let (kept, computed): (Vec<&Column>, Vec<&Column>) = computed.partition(stays);
        for column in &kept {
            let action = format!("ALTER COLUMN {} DROP EXPRESSION", quoted(column.name.canonical()));
            steps.push(
                self.step(format!("turn generated column {table}.{} into a plain column", column.name), vec![action]),
            );
        }
        // The parent's steps drop and add those of a parent.
        for column in computed.iter().filter(|column| !self.is_of_a_parent(column)) {
            let own = quoted(column.name.canonical());
            steps.push(
                self.step(format!("drop computed column {table}.{}", column.name), vec![format!("DROP COLUMN {own}")]),
            );
        }
        let is_computed = |name: &Name| computed.iter().any(|column| column.name == *name);
        for column in self
            .have
            .columns
            .iter()
            .filter(|column| self.want.column(&column.name).is_none() && !is_computed(&column.name))
        {
            if column.clauses.has(clause::INHERITED) {
                continue; // the parent's step drops it
            }
            steps.push(self.drop_column(column));
        }
        let mut later = Vec::new();
        for column in self.want.columns.iter() {
            match self.have.column(&column.name) {
                None if column.clauses.has(clause::INHERITED) => {}
                None => steps.push(self.add_column(column)),
                Some(_) if is_computed(&column.name) => later.push(column),
                Some(have) if kept.contains(&have) => {
                    self.change_column(&Column { generated: None, ..have.clone() }, column, steps);
                }
                Some(have) if have != column => self.change_column(have, column, steps),
                Some(_) => {}
            }
        }
        let own = later.into_iter().filter(|column| !self.is_of_a_parent(column));
        steps.extend(own.map(|column| self.add_column(column)));
        super::type_changes::one_rewrite(self.table(), steps);
    }

    pub(super) fn drop_column(&self, column: &Column) -> Step {
        let (table, own) = (self.table(), quoted(column.name.canonical()));
        let mut step = self.step(format!("drop column {table}.{}", column.name), vec![format!("DROP COLUMN {own}")]);
        if column.generated.is_some() {
            return step;
        }
        let probe = Probe::HasValues(self.original_table(), self.original_column(&column.name));
        if self.answer(&probe) == Some(false) {
            let guard = super::must_not_hold(&Probe::HasValues(table.clone(), column.name.clone()));
            step.statements.splice(0..0, guard);
            step.notes.push(format!(
                "column {table}.{} holds no values, so nothing is lost; the script stops if it does by then",
                column.name
            ));
        } else {
            let certain = match self.answer(&probe) {
                Some(true) => "it holds values, and they are destroyed",
                _ => "any values in it are destroyed",
            };
            let mut risk = Risk::new(RiskKind::LosesColumn, format!("column {table}.{}", column.name), certain);
            risk.ways_out.push(format!("if it was renamed, write on the new column: -- wevrun: formerly {own}"));
            step.risks.push(risk);
        }
        step
    }

    pub(super) fn add_column(&self, column: &Column) -> Step {
        let table = self.table();
        let mut step = self
            .step(format!("add column {table}.{}", column.name), vec![format!("ADD COLUMN {}", write::column(column))]);
        let mut bare = column.clone();
        bare.clauses.remove(clause::COMMENT);
        bare.clauses.remove(clause::COMPRESSION);
        step.statements.extend(write::column_extras(table, &bare, None));
        let filled = column.default.is_some() || column.generated.is_some() || column.clauses.has(clause::IDENTITY);
        if column.not_null.is_some() && !filled && !self.has_no_rows() {
            let object = format!("column {table}.{}", column.name);
            let sure = self.answer(&Probe::HasRows(self.original_table())) == Some(true);
            let explanation = if sure {
                "it must not be NULL and has no default, but the table holds rows"
            } else {
                "it must not be NULL and has no default: if the table holds rows, the script stops"
            };
            let mut risk = Risk::new(RiskKind::NeedsValues, object, explanation);
            if sure {
                risk.clearance = Clearance::Impossible;
            }
            risk.ways_out.push("give it a DEFAULT".to_owned());
            risk.ways_out
                .push("allow NULL in this release, fill the column, and add NOT NULL in the next release".to_owned());
            step.risks.push(risk);
        }
        // https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-NOTES
        let rewrites = column.generated.as_ref().is_some_and(|generated| generated.stored)
            || column.clauses.has(clause::IDENTITY)
            || column.default.as_ref().is_some_and(is_volatile);
        if rewrites && !self.has_no_rows() {
            step.risks.push(self.rewrites());
        }
        if self.planning.is_undo {
            step.notes.push(format!(
                "can't bring back: the values that column {table}.{} held before the release",
                column.name
            ));
        }
        step
    }

    /// The time zone in which a waiver says that the moments of a column are.
    fn zone(&self, column: &Name) -> Option<&str> {
        let object = format!("column {}.{column}", self.table());
        let mut zones = self.planning.plan_options.zones.iter();
        zones.find(|(pattern, _)| pattern == &object || is_like(pattern, &object, true)).map(|(_, zone)| zone.as_str())
    }

    pub(super) fn rewrites(&self) -> Risk {
        super::rewrites(self.table())
    }

    /// The names of the tables that this one has columns from.
    fn parents(&self) -> impl Iterator<Item = QualifiedName> {
        parents_of(self.want).into_iter()
    }

    /// Whether the column is one of a parent that had it before, or of the type that the table is of.
    fn is_of_a_parent(&self, column: &Column) -> bool {
        let has = |model: &Model, parent: &QualifiedName| has_column(model, parent, &column.name);
        let (before, after) = (&self.have.clauses, &self.want.clauses);
        let same = before.get(clause::INHERITS) == after.get(clause::INHERITS)
            && [clause::PARTITION_OF, clause::OF].into_iter().all(|key| before.get(key) == after.get(key));
        same && self.parents().any(|parent| {
            has(&self.planning.renamed, &parent) && has(self.planning.want, &parent)
                || self.want.clauses.has(clause::OF) && column.clauses.has(clause::INHERITED)
        })
    }

    /// How the default of a column changes among tables that inherit it.
    fn reach_of_default(&self, column: &Name) -> Reach {
        let (have, want) = (&*self.planning.renamed, self.planning.want);
        let mut root = self.table().clone();
        // As many rounds as there are tables, if they go round in a circle.
        for _ in 0..want.len() {
            let above = want.table(&root).into_iter().flat_map(parents_of);
            match above.into_iter().find(|parent| {
                [have, want].iter().all(|model| model.table(parent).is_some_and(|table| table.column(column).is_some()))
            }) {
                Some(parent) => root = parent,
                None => break,
            }
        }
        let default = |model: &Model, table: &QualifiedName| model.table(table)?.column(column)?.default.clone();
        let alike = |model: &Model, below: &[QualifiedName]| {
            below.iter().all(|table| default(model, table) == default(model, &root))
        };
        let (there, wanted) = (descendants(have, &root), descendants(want, &root));
        if there.is_empty() && wanted.is_empty() {
            Reach::Usual
        } else if !alike(have, &there) || !alike(want, &wanted) {
            Reach::Alone
        } else if root == *self.table() {
            Reach::Usual
        } else {
            Reach::WithParent
        }
    }

    /// Whether a parent that has the column comes to say that it is not NULL, and so says it of this table as well.
    fn has_not_null_from_a_parent(&self, column: &Column) -> bool {
        self.parents().any(|parent| {
            let has = |model: &Model| {
                model
                    .table(&parent)
                    .and_then(|parent| parent.column(&column.name))
                    .is_some_and(|column| column.not_null.is_some() && !column.clauses.has(clause::NOT_NULL_NO_INHERIT))
            };
            has(self.planning.want) && !has(&self.planning.renamed)
        })
    }

    /// What PostgreSQL 18 and later know of a NOT NULL beside that it is there.
    fn change_not_null(&self, have: &Column, want: &Column, actions: &mut Vec<String>) {
        let own = quoted(want.name.canonical());
        let change = |attribute: &str| (have.clauses.has_named(attribute), want.clauses.has_named(attribute));
        match change("not null no inherit") {
            (false, true) => {
                let name = quoted(write::not_null_name(self.table(), have).canonical());
                actions.push(format!("ALTER CONSTRAINT {name} NO INHERIT"));
            }
            (true, false) => {
                let name = quoted(write::not_null_name(self.table(), have).canonical());
                actions.push(format!("ALTER CONSTRAINT {name} INHERIT"));
            }
            _ => {}
        }
        match change("not null not valid") {
            (false, true) => {
                actions.push(format!("ALTER COLUMN {own} DROP NOT NULL"));
                actions.push(format!("ADD {}", write::not_null_constraint(self.table(), want)));
            }
            (true, false) => {
                let name = quoted(write::not_null_name(self.table(), have).canonical());
                actions.push(format!("VALIDATE CONSTRAINT {name}"));
            }
            _ => {}
        }
    }

    fn change_column(&self, have: &Column, want: &Column, steps: &mut Vec<Step>) {
        let table = self.table();
        let own = quoted(want.name.canonical());
        let mut actions = Vec::new();
        let mut risks = Vec::new();
        // What a parent's column becomes, the child's becomes with it.
        let type_changes =
            (have.data_type != want.data_type || have.collation != want.collation) && !self.is_of_a_parent(want);
        // A default or an identity of the old kind goes first.
        if have.generated.is_some() && have.generated != want.generated {
            let in_place = super::dependents::sets_expression(self.have, have, want, self.planning.version.major);
            if let Some(generated) = want.generated.as_ref().filter(|_| in_place) {
                actions.push(format!("ALTER COLUMN {own} SET EXPRESSION AS ({})", generated.expression.written()));
                risks.extend((generated.stored && !self.has_no_rows()).then(|| self.rewrites()));
            } else if want.generated.is_some() && self.is_of_a_parent(want) {
                return; // the parent's step changes it
            } else if want.generated.is_some() {
                // Before version 17 the server can't give a column another expression: the column is created again.
                let mut step = self.step(
                    format!("recreate generated column {table}.{}", want.name),
                    vec![format!("DROP COLUMN {own}"), format!("ADD COLUMN {}", write::column(want))],
                );
                step.risks.extend((!self.has_no_rows()).then(|| self.rewrites()));
                let mut bare = want.clone();
                bare.clauses.remove(clause::COMPRESSION);
                step.statements.extend(write::column_extras(table, &bare, None));
                steps.push(step);
                return;
            }
            if want.generated.is_none() {
                actions.push(format!("ALTER COLUMN {own} DROP EXPRESSION"));
            }
        } else if have.generated.is_none() && want.generated.is_some() {
            let mut step = self.step(
                format!("make column {table}.{} a generated one", want.name),
                vec![format!("DROP COLUMN {own}"), format!("ADD COLUMN {}", write::column(want))],
            );
            step.risks.push(Risk::new(
                RiskKind::LosesColumn,
                format!("column {table}.{}", want.name),
                "its values are replaced by computed ones",
            ));
            steps.push(step);
            return;
        }
        let identity_changes = have.clauses.has(clause::IDENTITY) != want.clauses.has(clause::IDENTITY);
        let default_changes = have.default != want.default;
        let made_room = identity_changes && want.clauses.has(clause::IDENTITY);
        let reach = if default_changes { self.reach_of_default(&want.name) } else { Reach::Usual };
        let (mut before, mut after, mut guards) = (Vec::new(), Vec::new(), Vec::new());
        if have.default.is_some() && (want.default.is_none() || type_changes) && !made_room {
            let action = format!("ALTER COLUMN {own} DROP DEFAULT");
            match reach {
                Reach::Usual => actions.push(action),
                Reach::Alone => before.push(format!("ALTER TABLE ONLY {table} {action}")),
                Reach::WithParent => {}
            }
        }
        if type_changes {
            let data_type = want.data_type.as_ref().map_or("text", |data_type| data_type.canonical.as_str());
            let collation = want.collation.as_ref().map_or_else(String::new, |name| format!(" COLLATE {name}"));
            let before = have.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
            let conversion = conversions::conversion(before, data_type);
            let zone = self.zone(&want.name);
            let using = match (conversion, zone) {
                (Conversion::Explicit, _) => format!(" USING {own}::{data_type}"),
                (Conversion::ByText, _) => format!(" USING {own}::text::{data_type}"),
                (Conversion::Zoned, Some(zone)) => {
                    let zone = super::super::tokens::literal(zone);
                    let local = if before == "date" { format!("{own}::timestamp") } else { own.clone() };
                    format!(" USING ({local} AT TIME ZONE {zone})::{data_type}")
                }
                _ => String::new(),
            };
            actions.push(format!("ALTER COLUMN {own} SET DATA TYPE {data_type}{collation}{using}"));
            let original = self.original_column(&want.name);
            risks.extend(self.unchangeable(&want.name));
            let empty =
                self.answer(&Probe::HasValues(self.original_table(), original)) == Some(false) || self.has_no_rows();
            if empty && !matches!(conversion, Conversion::Free | Conversion::Rewrite) {
                guards.extend(super::must_not_hold(&Probe::HasValues(table.clone(), want.name.clone())));
            }
            if !empty {
                match conversion {
                    Conversion::Free => {}
                    Conversion::Rewrite => risks.push(self.rewrites()),
                    Conversion::Zoned => {
                        risks.push(zoned(&format!("column {table}.{}", want.name), zone));
                        risks.push(self.rewrites());
                    }
                    Conversion::Lossy | Conversion::Explicit | Conversion::ByText => {
                        let object = format!("column {table}.{}", want.name);
                        let by_text = if conversion == Conversion::ByText {
                            "; there is no cast, so each value is converted through its text"
                        } else {
                            ""
                        };
                        let explanation = format!(
                            "values are stored as {data_type} instead of {before}{by_text}; those that do not fit stop the script or are changed"
                        );
                        risks.push(Risk::new(RiskKind::ChangesValues, object, explanation));
                        risks.push(self.rewrites());
                    }
                }
            }
        }
        if let Some(default) =
            want.default.as_ref().filter(|_| default_changes || (type_changes && have.default.is_some()))
        {
            let action = format!("ALTER COLUMN {own} SET DEFAULT {}", default.written());
            match reach {
                Reach::Usual => actions.push(action),
                Reach::Alone => after.push(format!("ALTER TABLE ONLY {table} {action}")),
                Reach::WithParent => {}
            }
        }
        match (have.not_null, want.not_null) {
            (None, Some(_)) if self.has_not_null_from_a_parent(want) => {}
            (None, Some(_)) if want.clauses.has(clause::NOT_NULL_NOT_VALID) => {
                actions.push(format!("ADD {}", write::not_null_constraint(table, want)));
            }
            (None, Some(_)) => {
                // Before version 18 it has no name.
                let named = self.planning.version.major >= 18
                    && (want.not_null_name.is_some() || want.clauses.has(clause::NOT_NULL_NO_INHERIT));
                actions.push(if named {
                    format!("ADD {}", write::not_null_constraint(table, want))
                } else {
                    format!("ALTER COLUMN {own} SET NOT NULL")
                });
                let original = self.original_column(&want.name);
                let nulls = self.answer(&Probe::HasNulls(self.original_table(), original));
                if nulls != Some(false) && !self.has_no_rows() {
                    let object = format!("column {table}.{}", want.name);
                    let mut risk = if nulls == Some(true) {
                        Risk::new(RiskKind::NeedsValues, object, "it must not be NULL, but some rows hold NULL")
                    } else {
                        Risk::new(RiskKind::MayRefuseRows, object, "rows that hold NULL stop the script")
                    };
                    if nulls == Some(true) {
                        risk.clearance = Clearance::Impossible;
                        risk.ways_out
                            .push(format!("fill the column first: UPDATE {table} SET {own} = … WHERE {own} IS NULL"));
                    }
                    risks.push(risk);
                }
            }
            (Some(_), None) => actions.push(format!("ALTER COLUMN {own} DROP NOT NULL")),
            (Some(_), Some(_)) => self.change_not_null(have, want, &mut actions),
            (None, None) => {}
        }
        if identity_changes && let Some(identity) = write::identity(want) {
            actions.push(format!("ALTER COLUMN {own} ADD {identity}"));
        } else if want.clauses.has(clause::IDENTITY) {
            actions.extend(identity_changes_of(have, want, &own));
            risks
                .extend(turns(have, want).then(|| super::sequences::repeats(&format!("column {table}.{}", want.name))));
            let otherwise = |clause| have.clauses.has(clause) != want.clauses.has(clause);
            if otherwise(clause::IDENTITY_LOGGED) || otherwise(clause::IDENTITY_UNLOGGED) {
                let unlogged = want.clauses.has(clause::IDENTITY_UNLOGGED)
                    || self.want.clauses.has(clause::UNLOGGED) && !want.clauses.has(clause::IDENTITY_LOGGED);
                let sequence = write::identity_sequence(table, want);
                after.push(format!("ALTER SEQUENCE {sequence} SET {}", if unlogged { "UNLOGGED" } else { "LOGGED" }));
            }
        }
        if !actions.is_empty() || !before.is_empty() || !after.is_empty() {
            let title = format!("change column {table}.{}", want.name);
            let mut step = if actions.is_empty() { Step::new(title, Vec::new()) } else { self.step(title, actions) };
            step.statements.splice(0..0, before);
            if !guards.is_empty() {
                step.statements.splice(0..0, guards);
                step.notes.push(format!(
                    "column {table}.{} holds no values, so none changes; the script stops if it does by then",
                    want.name
                ));
            }
            step.statements.extend(after);
            step.risks = risks;
            if made_room {
                let literal = super::super::tokens::literal;
                let sequence = format!(
                    "pg_get_serial_sequence({}, {})",
                    literal(table.canonical()),
                    literal(want.name.canonical())
                );
                step.statements.push(super::sequences::continue_counting(&sequence, table, want.name.canonical()));
            }
            steps.push(step);
        }
        let extras: Vec<String> = write::column_extras(table, want, Some(have))
            .into_iter()
            .filter(|text| !text.starts_with("COMMENT"))
            .map(|text| match text.strip_suffix("STORAGE DEFAULT") {
                // https://www.postgresql.org/docs/16/sql-altertable.html
                Some(rest) if self.planning.version.major < 16 => format!("{rest}STORAGE {}", usual_storage(want)),
                _ => text,
            })
            .collect();
        if !extras.is_empty() {
            steps.push(Step::new(format!("change settings of column {table}.{}", want.name), extras));
        }
    }
}

/// The risk of a type with or without a time zone that becomes one of the other sort.
fn zoned(object: &str, zone: Option<&str>) -> Risk {
    let explanation = match zone {
        Some(zone) => format!("its moments are converted as those of the time zone {zone}"),
        None => "only one of the types has a time zone: the time zone of the values must be named".to_owned(),
    };
    let mut risk = Risk::new(RiskKind::ChangesValues, object, explanation);
    if zone.is_none() {
        risk.clearance = Clearance::Impossible;
        risk.ways_out.push("name the time zone in its waiver: convert-as = \"Europe/Berlin\"".to_owned());
    }
    risk
}

/// Which tables a change of a default reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Reach {
    /// The table, with all that inherit from it.
    Usual,
    /// The table alone: others have another default.
    Alone,
    /// The parent's change reaches it.
    WithParent,
}

/// Whether a table, foreign or not, has the column.
pub(super) fn has_column(model: &Model, table: &QualifiedName, column: &Name) -> bool {
    let table = model.table(table).or_else(|| model.find(Kind::ForeignTable, table)?.as_table());
    table.is_some_and(|table| table.column(column).is_some())
}

/// The tables that have columns from this one, directly or through others.
fn descendants(model: &Model, root: &QualifiedName) -> Vec<QualifiedName> {
    let mut found: Vec<QualifiedName> = vec![root.clone()];
    loop {
        let below = model.tables().filter(|(name, table)| {
            !found.contains(name) && parents_of(table).iter().any(|parent| found.contains(parent))
        });
        let below: Vec<QualifiedName> = below.map(|(name, _)| name.clone()).collect();
        if below.is_empty() {
            return found.split_off(1);
        }
        found.extend(below);
    }
}

/// Whether an identity counts the other way from now on.
fn turns(have: &Column, want: &Column) -> bool {
    let down = |column: &Column| super::sequences::counts_down(column.clauses.value(clause::IDENTITY_INCREMENT));
    down(have) != down(want)
}

fn identity_changes_of(have: &Column, want: &Column, own: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut differing = have.clauses.differing(&want.clauses);
    if turns(have, want) {
        // The usual limits and start are others then, and the server refuses a number outside the limits.
        let whole = ["identity.minvalue", "identity.maxvalue", "identity.start"];
        differing.retain(|clause| !whole.contains(clause));
        differing.extend(whole);
        words.push("RESTART".to_owned());
    }
    for clause in differing {
        let value = want.clauses.value_named(clause);
        match (clause, value) {
            ("identity", Some(value)) => words.push(format!("SET GENERATED {}", value.to_uppercase())),
            ("identity.increment", value) => words.push(format!("SET INCREMENT BY {}", value.unwrap_or("1"))),
            ("identity.start", value) => {
                let usual = if super::sequences::counts_down(want.clauses.value(clause::IDENTITY_INCREMENT)) {
                    want.clauses.value(clause::IDENTITY_MAXVALUE).unwrap_or("-1")
                } else {
                    want.clauses.value(clause::IDENTITY_MINVALUE).unwrap_or("1")
                };
                words.push(format!("SET START WITH {}", value.unwrap_or(usual)));
            }
            ("identity.minvalue", Some(value)) => words.push(format!("SET MINVALUE {value}")),
            ("identity.minvalue", None) => words.push("SET NO MINVALUE".to_owned()),
            ("identity.maxvalue", Some(value)) => words.push(format!("SET MAXVALUE {value}")),
            ("identity.maxvalue", None) => words.push("SET NO MAXVALUE".to_owned()),
            ("identity.cache", value) => words.push(format!("SET CACHE {}", value.unwrap_or("1"))),
            ("identity.cycle", value) => {
                words.push(if value.is_some() { "SET CYCLE" } else { "SET NO CYCLE" }.to_owned())
            }
            _ => {}
        }
    }
    if words.is_empty() { Vec::new() } else { vec![format!("ALTER COLUMN {own} {}", words.join(" "))] }
}

fn is_volatile(default: &Expression) -> bool {
    let text = &default.canonical;
    text.contains("nextval") || text.contains("random") || text.contains("clock_timestamp") || text.contains("uuid")
}

/// How a type of the engine's that is not of a fixed length is stored by default (`typstorage` of `pg_type`).
fn usual_storage(column: &Column) -> &'static str {
    let data_type = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
    let base = data_type.split('(').next().unwrap_or(data_type);
    if matches!(base, "numeric" | "inet" | "cidr") { "MAIN" } else { "EXTENDED" }
}
