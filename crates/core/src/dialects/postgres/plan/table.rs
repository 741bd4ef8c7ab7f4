//! Changes of a table, in place: one ALTER TABLE for what can share it.

use super::super::names::quoted;
use super::super::sameness::Constraint;
use super::super::write;
use crate::model::{Check, Clauses, Column, Expression, ForeignKey, Key, Kind, Model, Name, Object, Table};
use crate::plan::{Clearance, Planning, Probe, Risk, RiskKind};
use crate::script::Step;

/// One table that differs.
pub struct TableChange<'p> {
    pub planning: &'p Planning<'p>,
    /// As it is, under want's names.
    pub have: &'p Table,
    /// As it shall be.
    pub want: &'p Table,
    /// Want's object.
    pub object: &'p Object,
}

impl TableChange<'_> {
    fn original_table(&self) -> Name {
        self.planning.comparison.renames.key_in_have(&self.object.key()).name
    }

    fn original_column(&self, column: &Name) -> Name {
        let renamed = self.planning.comparison.renames.columns_of(&self.object.name);
        renamed.into_iter().find(|(_, new)| new == column).map_or_else(|| column.clone(), |(old, _)| old)
    }

    fn answer(&self, probe: &Probe) -> Option<bool> {
        self.planning.evidence.answer(probe)
    }

    /// What must be known of the rows.
    pub fn probes(&self) -> Vec<Probe> {
        let table = self.original_table();
        let mut probes = vec![Probe::HasRows(table.clone())];
        for column in self.have.columns.iter().filter(|column| column.generated.is_none()) {
            let original = self.original_column(&column.name);
            match self.want.column(&column.name) {
                Some(wanted) if wanted == column => {}
                Some(_) => probes.extend([
                    Probe::HasValues(table.clone(), original.clone()),
                    Probe::HasNulls(table.clone(), original),
                ]),
                None => probes.push(Probe::HasValues(table.clone(), original)),
            }
        }
        probes
    }

    /// The steps, in the order in which the server can take them.
    pub fn steps(&self) -> Vec<Step> {
        let mut steps = Vec::new();
        self.constraints_that_go(&mut steps);
        self.columns(&mut steps);
        self.inheritance(&mut steps);
        self.settings(&mut steps);
        self.constraints_that_come(&mut steps);
        self.comments(&mut steps);
        steps
    }

    fn table(&self) -> &Name {
        &self.object.name
    }

    fn step(&self, title: impl Into<String>, actions: Vec<String>) -> Step {
        let what = if self.want.clauses.has("server") { "FOREIGN TABLE" } else { "TABLE" };
        let statement = format!("ALTER {what} {}\n    {}", self.table(), actions.join(",\n    "));
        Step::new(title, vec![if actions.len() == 1 { statement.replacen("\n    ", " ", 1) } else { statement }])
    }

    fn has_no_rows(&self) -> bool {
        self.answer(&Probe::HasRows(self.original_table())) == Some(false)
    }

    fn may_refuse(&self, step: &mut Step, object: String, explanation: &str) {
        if !self.has_no_rows() {
            step.risks.push(Risk::new(RiskKind::MayRefuseRows, object, explanation));
        }
    }

    fn constraints_that_go(&self, steps: &mut Vec<Step>) {
        let mut actions = Vec::new();
        let mut names = Vec::new();
        let mut drop = |name: &Name| {
            actions.push(format!("DROP CONSTRAINT {}", quoted(name.canonical())));
            names.push(name.canonical().to_owned());
        };
        let (have, want) = (self.have, self.want);
        have.primary_key.iter().filter(|key| !same_key(want.primary_key.as_ref(), key)).for_each(|key| drop(&key.name));
        have.unique_keys.iter().filter(|key| !has_key(want, key)).for_each(|key| drop(&key.name));
        let checks = have.checks.iter().filter(|check| !has_check(&want.checks, check) || self.is_respelled(check));
        let exclusions = have.exclusions.iter().filter(|check| !has_check(&want.exclusions, check));
        checks.chain(exclusions).filter_map(|check| check.name.as_ref()).for_each(&mut drop);
        if !actions.is_empty() {
            let title = format!("drop constraint {} of {}", names.join(", "), self.table());
            steps.push(self.step(title, actions));
        }
    }

    /// Whether the server would spell the check with casts from the old type of a column: then it comes anew.
    fn is_respelled(&self, check: &Check) -> bool {
        self.have.columns.iter().any(|column| {
            self.want.column(&column.name).is_some_and(|want| want.data_type != column.data_type)
                && super::dependents::names_column(&check.condition, &column.name)
        })
    }

    fn constraints_that_come(&self, steps: &mut Vec<Step>) {
        let (have, want) = (self.have, self.want);
        let table = self.table();
        let mut add = |name: &Name, words: String, object: String, explanation: &str, harmless: bool| {
            let mut step = self.step(format!("add constraint {name} to {table}"), vec![format!("ADD {words}")]);
            if !harmless {
                self.may_refuse(&mut step, object, explanation);
            }
            steps.push(step);
        };
        let equal = "rows that are equal in these columns stop the script";
        for key in want.primary_key.iter().filter(|key| !same_key(have.primary_key.as_ref(), key)) {
            add(&key.name, write::key_constraint("PRIMARY KEY", key), format!("primary key {table}"), equal, false);
        }
        for key in want.unique_keys.iter().filter(|key| !has_key(have, key)) {
            add(
                &key.name,
                write::key_constraint("UNIQUE", key),
                format!("unique key {table}.{}", key.name),
                equal,
                false,
            );
        }
        let breaks = "rows that break the condition stop the script";
        for check in want.checks.iter().filter(|check| !has_check(&have.checks, check) || self.is_respelled(check)) {
            let Some(name) = &check.name else { continue };
            let harmless = check.clauses.has("not valid") || check.clauses.has("not enforced");
            add(name, write::check_constraint(check), format!("check {table}.{name}"), breaks, harmless);
        }
        for check in want.exclusions.iter().filter(|check| !has_check(&have.exclusions, check)) {
            let Some(name) = &check.name else { continue };
            add(
                name,
                write::exclusion_constraint(check),
                format!("exclusion {table}.{name}"),
                "rows that exclude one another stop the script",
                false,
            );
        }
    }

    fn columns(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        // A column that is computed from one that goes or changes its type goes first, and comes again.
        let touched = super::dependents::touched_columns(self.have, self.want);
        let computed: Vec<&Column> = self
            .have
            .columns
            .iter()
            .filter(|column| touched.contains(&column.name))
            .filter(|column| {
                column.generated.as_ref().is_some_and(|g| {
                    touched
                        .iter()
                        .any(|name| *name != column.name && super::dependents::names_column(&g.expression, name))
                })
            })
            .collect();
        for column in &computed {
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
            if column.clauses.has("inherited") {
                continue; // goes with the parent's
            }
            let own = quoted(column.name.canonical());
            let mut step =
                self.step(format!("drop column {table}.{}", column.name), vec![format!("DROP COLUMN {own}")]);
            if column.generated.is_none() {
                let probe = Probe::HasValues(self.original_table(), self.original_column(&column.name));
                if self.answer(&probe) == Some(false) {
                    step.statements
                        .insert(0, super::must_not_hold(&Probe::HasValues(table.clone(), column.name.clone())));
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
                    risk.ways_out
                        .push(format!("if it was renamed, write on the new column: -- wevrun: formerly {own}"));
                    step.risks.push(risk);
                }
            }
            steps.push(step);
        }
        let mut later = Vec::new();
        for column in self.want.columns.iter() {
            match self.have.column(&column.name) {
                None if column.clauses.has("inherited") => {}
                None => steps.push(self.add_column(column)),
                Some(_) if is_computed(&column.name) => later.push(column),
                Some(have) if have != column => self.change_column(have, column, steps),
                Some(_) => {}
            }
        }
        steps.extend(later.into_iter().map(|column| self.add_column(column)));
    }

    fn add_column(&self, column: &Column) -> Step {
        let table = self.table();
        let mut step = self
            .step(format!("add column {table}.{}", column.name), vec![format!("ADD COLUMN {}", write::column(column))]);
        let mut bare = column.clone();
        bare.clauses.remove("comment");
        bare.clauses.remove("compression");
        step.statements.extend(write::column_extras(table, &bare, None));
        let filled = column.default.is_some() || column.generated.is_some() || column.clauses.has("identity");
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
            risk.ways_out.push("let it be NULL in this release, fill it, and add NOT NULL in the next one".to_owned());
            step.risks.push(risk);
        }
        // https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-NOTES
        let rewrites = column.generated.as_ref().is_some_and(|generated| generated.stored)
            || column.clauses.has("identity")
            || column.default.as_ref().is_some_and(is_volatile);
        if rewrites && !self.has_no_rows() {
            step.risks.push(self.rewrites());
        }
        if self.planning.way_back {
            step.notes.push(format!(
                "can't bring back: the values that column {table}.{} held before the release",
                column.name
            ));
        }
        step
    }

    fn rewrites(&self) -> Risk {
        super::rewrites(self.table())
    }

    /// The names of the tables that this one has columns from.
    fn parents(&self) -> impl Iterator<Item = Name> {
        let clauses =
            ["inherits", "partition of", "of"].into_iter().filter_map(|clause| self.want.clauses.value(clause));
        clauses.flat_map(super::super::split_list).map(|name| Name::new(name.as_str(), name.as_str()))
    }

    /// Whether the column is one of a parent that had it before, or of the type that the table is of.
    fn is_of_a_parent(&self, column: &Column) -> bool {
        let has = |model: &Model, parent: &Name| {
            let table = model.table(parent).or_else(|| model.find(Kind::ForeignTable, parent)?.as_table());
            table.is_some_and(|table| table.column(&column.name).is_some())
        };
        let (before, after) = (&self.have.clauses, &self.want.clauses);
        let same =
            ["inherits", "partition of", "of"].into_iter().all(|clause| before.value(clause) == after.value(clause));
        same && self.parents().any(|parent| {
            has(&self.planning.renamed, &parent) && has(self.planning.want, &parent)
                || self.want.clauses.has("of") && column.clauses.has("inherited")
        })
    }

    /// Whether a parent that has the column comes to say that it is not NULL, and so says it of this table as well.
    fn has_not_null_from_a_parent(&self, column: &Column) -> bool {
        self.parents().any(|parent| {
            let says = |model: &Model| {
                model
                    .table(&parent)
                    .and_then(|parent| parent.column(&column.name))
                    .is_some_and(|column| column.not_null.is_some() && !column.clauses.has("not null no inherit"))
            };
            says(self.planning.want) && !says(&self.planning.renamed)
        })
    }

    /// What PostgreSQL 18 and later know of a NOT NULL beside that it is there.
    fn change_not_null(&self, have: &Column, want: &Column, actions: &mut Vec<String>) {
        let own = quoted(want.name.canonical());
        let change = |attribute: &str| (have.clauses.has(attribute), want.clauses.has(attribute));
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
            let kept = |column: &Column| column.generated.as_ref().map(|generated| generated.stored);
            if let Some(generated) =
                want.generated.as_ref().filter(|_| kept(have) == kept(want) && self.planning.version.major >= 17)
            {
                // https://www.postgresql.org/docs/17/sql-altertable.html
                actions.push(format!("ALTER COLUMN {own} SET EXPRESSION AS ({})", generated.expression.written()));
                risks.extend((generated.stored && !self.has_no_rows()).then(|| self.rewrites()));
            } else if want.generated.is_some() {
                // Before version 17 the server can't give a column another expression: it comes anew.
                let mut step = self.step(
                    format!("make generated column {table}.{} anew", want.name),
                    vec![format!("DROP COLUMN {own}"), format!("ADD COLUMN {}", write::column(want))],
                );
                step.risks.extend((!self.has_no_rows()).then(|| self.rewrites()));
                let mut bare = want.clone();
                bare.clauses.remove("compression");
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
        let identity_changes = have.clauses.has("identity") != want.clauses.has("identity");
        let default_changes = have.default != want.default;
        let made_room = identity_changes && want.clauses.has("identity");
        if have.default.is_some() && (want.default.is_none() || type_changes) && !made_room {
            actions.push(format!("ALTER COLUMN {own} DROP DEFAULT"));
        }
        if type_changes {
            let data_type = want.data_type.as_ref().map_or("text", |data_type| data_type.canonical.as_str());
            let collation = want.collation.as_ref().map_or_else(String::new, |name| format!(" COLLATE {name}"));
            let before = have.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
            let conversion = conversion(before, data_type);
            let using = match conversion {
                Conversion::Explicit => format!(" USING {own}::{data_type}"),
                Conversion::ByText => format!(" USING {own}::text::{data_type}"),
                _ => String::new(),
            };
            actions.push(format!("ALTER COLUMN {own} SET DATA TYPE {data_type}{collation}{using}"));
            let original = self.original_column(&want.name);
            let empty =
                self.answer(&Probe::HasValues(self.original_table(), original)) == Some(false) || self.has_no_rows();
            if !empty {
                match conversion {
                    Conversion::Free => {}
                    Conversion::Rewrite => risks.push(self.rewrites()),
                    Conversion::Lossy | Conversion::Explicit | Conversion::ByText => {
                        let object = format!("column {table}.{}", want.name);
                        let by_text = if conversion == Conversion::ByText {
                            "; no cast leads there, so each goes through its text"
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
            actions.push(format!("ALTER COLUMN {own} SET DEFAULT {}", default.written()));
        }
        match (have.not_null, want.not_null) {
            (None, Some(_)) if self.has_not_null_from_a_parent(want) => {}
            (None, Some(_)) if want.clauses.has("not null not valid") => {
                actions.push(format!("ADD {}", write::not_null_constraint(table, want)));
            }
            (None, Some(_)) => {
                // Before version 18 it has no name.
                let named = self.planning.version.major >= 18
                    && (want.not_null_name.is_some() || want.clauses.has("not null no inherit"));
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
        } else if want.clauses.has("identity") {
            actions.extend(identity_changes_of(have, want, &own));
        }
        if !actions.is_empty() {
            let mut step = self.step(format!("change column {table}.{}", want.name), actions);
            step.risks = risks;
            if made_room {
                let literal = super::super::tokens::literal;
                let sequence = format!(
                    "pg_get_serial_sequence({}, {})",
                    literal(table.canonical()),
                    literal(want.name.canonical())
                );
                step.statements.push(super::go_on_counting(&sequence, table, want.name.canonical()));
            }
            steps.push(step);
        }
        let extras: Vec<String> = write::column_extras(table, want, Some(have))
            .into_iter()
            .filter(|text| !text.starts_with("COMMENT"))
            .collect();
        if !extras.is_empty() {
            steps.push(Step::new(format!("change settings of column {table}.{}", want.name), extras));
        }
    }

    fn inheritance(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        let (have, want) = (&self.have.clauses, &self.want.clauses);
        let differs =
            have.value("partition of") != want.value("partition of") || have.get("bound") != want.get("bound");
        if differs {
            if let Some(parent) = have.value("partition of") {
                let statement = format!("ALTER TABLE {parent} DETACH PARTITION {table}");
                steps.push(Step::new(format!("detach partition {table} from {parent}"), vec![statement]));
            }
            if let (Some(parent), Some(bound)) = (want.value("partition of"), want.get("bound")) {
                let statement = format!("ALTER TABLE {parent} ATTACH PARTITION {table} {}", bound.written());
                let mut step = Step::new(format!("attach partition {table} to {parent}"), vec![statement]);
                self.may_refuse(
                    &mut step,
                    format!("table {table}"),
                    "rows that do not belong into the partition stop the script",
                );
                steps.push(step);
            }
        }
        let list = |clauses: &Clauses| super::super::split_list(clauses.value("inherits").unwrap_or_default());
        let (before, after) = (list(have), list(want));
        let mut actions: Vec<String> = before
            .iter()
            .filter(|parent| !after.contains(parent))
            .map(|parent| format!("NO INHERIT {parent}"))
            .collect();
        actions
            .extend(after.iter().filter(|parent| !before.contains(parent)).map(|parent| format!("INHERIT {parent}")));
        for action in actions {
            steps.push(self.step(format!("change the parents of {table}"), vec![action]));
        }
    }

    fn settings(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        let (have, want) = (&self.have.clauses, &self.want.clauses);
        let mut statements = write::table_settings(table, have, want);
        let (mut set, mut reset, mut actions) = (Vec::new(), Vec::new(), Vec::new());
        let mut rewrites = false;
        for clause in have.differing(want) {
            let value = want.value(clause);
            match clause {
                "unlogged" => {
                    actions.push(if value.is_some() { "SET UNLOGGED" } else { "SET LOGGED" }.to_owned());
                    rewrites = true;
                }
                "tablespace" => {
                    statements
                        .push(format!("ALTER TABLE {table} SET TABLESPACE {}", quoted(value.unwrap_or("pg_default"))));
                    rewrites = true;
                }
                "using" => {
                    actions.push(format!("SET ACCESS METHOD {}", quoted(value.unwrap_or("heap"))));
                    rewrites = true;
                }
                "of" => actions.push(value.map_or_else(|| "NOT OF".to_owned(), |of| format!("OF {of}"))),
                _ => {
                    if let Some(name) = clause.strip_prefix("with.") {
                        match value {
                            Some(value) => set.push(format!("{name} = {}", write::parameter_value(value))),
                            None => reset.push(name.to_owned()),
                        }
                    }
                    if let Some(name) = clause.strip_prefix("options.") {
                        let name = quoted(name);
                        let words = match (have.has(clause), value) {
                            (true, Some(value)) => format!("SET {name} {}", super::super::tokens::literal(value)),
                            (false, Some(value)) => format!("ADD {name} {}", super::super::tokens::literal(value)),
                            (_, None) => format!("DROP {name}"),
                        };
                        statements.push(format!("ALTER FOREIGN TABLE {table} OPTIONS ({words})"));
                    }
                }
            }
        }
        if !set.is_empty() {
            actions.push(format!("SET ({})", set.join(", ")));
        }
        if !reset.is_empty() {
            actions.push(format!("RESET ({})", reset.join(", ")));
        }
        if !actions.is_empty() {
            statements.extend(self.step("", actions).statements);
        }
        if !statements.is_empty() {
            let mut step = Step::new(format!("change settings of table {table}"), statements);
            if rewrites && !self.has_no_rows() {
                step.risks.push(self.rewrites());
            }
            steps.push(step);
        }
    }

    fn comments(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        let mut statements = Vec::new();
        let (have, want) = (self.have, self.want);
        if have.clauses.value("comment") != want.clauses.value("comment") {
            let subject = write::subject(self.object.definition.kind(), table);
            statements.push(write::comment_on(&subject, want.clauses.value("comment")));
        }
        for column in want.columns.iter() {
            let before = have.column(&column.name).and_then(|have| have.clauses.value("comment"));
            let wanted = column.clauses.value("comment");
            if before != wanted {
                statements
                    .push(write::comment_on(&format!("COLUMN {table}.{}", quoted(column.name.canonical())), wanted));
            }
        }
        let before = constraint_comments(have);
        for (name, clause, wanted) in constraint_comments(want) {
            let same = before.iter().find(|(other, of, _)| *other == name && *of == clause);
            let was = same.and_then(|(_, _, comment)| *comment);
            let anew = self.comes_anew(&name);
            if (anew && wanted.is_some()) || (!anew && was != wanted) {
                statements.push(match clause {
                    "comment" => write::constraint_comment(table, &name, wanted),
                    _ => write::comment_on(&format!("INDEX {}", write::index_of(table, &name)), wanted),
                });
            }
        }
        // Comments on new foreign keys come with them.
        for key in want.foreign_keys.iter().filter(|key| has_foreign_key(have, key)) {
            let was = have.foreign_keys.iter().find(|other| other.name == key.name);
            let wanted = key.clauses.value("comment");
            if was.and_then(|was| was.clauses.value("comment")) != wanted {
                statements.push(write::constraint_comment(table, &key.name, wanted));
            }
        }
        if !statements.is_empty() {
            steps.push(Step::new(format!("change comments of {table}"), statements));
        }
    }

    /// Whether the constraint is dropped and added, or new: then it has no comment yet.
    fn comes_anew(&self, name: &Name) -> bool {
        let (have, want) = (self.have, self.want);
        let mut keys = want.primary_key.iter().chain(want.unique_keys.iter());
        if let Some(key) = keys.find(|key| key.name == *name) {
            return !(same_key(have.primary_key.as_ref(), key) || has_key(have, key));
        }
        let lists = [(&want.checks, &have.checks), (&want.exclusions, &have.exclusions)];
        for (wanted, had) in lists {
            if let Some(check) = wanted.iter().find(|check| check.name.as_ref() == Some(name)) {
                return !has_check(had, check) || self.is_respelled(check);
            }
        }
        false
    }
}

/// The comments of constraints and of their indexes: the constraint, the clause, the text.
fn constraint_comments(table: &Table) -> Vec<(Name, &'static str, Option<&str>)> {
    let keys = table.primary_key.iter().chain(table.unique_keys.iter());
    let keys = keys.map(|key| (key.name.clone(), &key.clauses));
    let checks = table.checks.iter().chain(table.exclusions.iter());
    let checks = checks.filter_map(|check| Some((check.name.clone()?, &check.clauses)));
    keys.chain(checks)
        .flat_map(|(name, clauses)| {
            ["comment", "index comment"].map(|clause| (name.clone(), clause, clauses.value(clause)))
        })
        .collect()
}

fn same_key(other: Option<&Key>, key: &Key) -> bool {
    other.is_some_and(|other| other.uncommented() == key.uncommented())
}

/// Whether the table has this unique key, whatever is said in comments on it.
pub fn has_key(table: &Table, key: &Key) -> bool {
    table.unique_keys.iter().any(|other| other.uncommented() == key.uncommented())
}

/// Whether the table has this foreign key, whatever the comment on it.
pub fn has_foreign_key(table: &Table, key: &ForeignKey) -> bool {
    table.foreign_keys.iter().any(|other| other.uncommented() == key.uncommented())
}

fn has_check(checks: &[Check], check: &Check) -> bool {
    checks.iter().any(|other| other.uncommented() == check.uncommented())
}

fn identity_changes_of(have: &Column, want: &Column, own: &str) -> Vec<String> {
    let mut words = Vec::new();
    for clause in have.clauses.differing(&want.clauses) {
        let value = want.clauses.value(clause);
        match (clause, value) {
            ("identity", Some(value)) => words.push(format!("SET GENERATED {}", value.to_uppercase())),
            ("identity.increment", value) => words.push(format!("SET INCREMENT BY {}", value.unwrap_or("1"))),
            ("identity.start", value) => words.push(format!("SET START WITH {}", value.unwrap_or("1"))),
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

/// What a change of type does to the values that are there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Conversion {
    /// Nothing is written anew.
    Free,
    /// All values fit, and are written anew.
    Rewrite,
    /// The server converts by itself, and values may not fit.
    Lossy,
    /// Only an explicit cast converts.
    Explicit,
    /// There is no cast: values go through their text.
    ByText,
}

fn conversion(from: &str, to: &str) -> Conversion {
    let base = |name: &str| name.split('(').next().unwrap_or(name).trim().to_owned();
    let length = |name: &str| -> Option<u32> { name.split_once('(')?.1.split([',', ')']).next()?.parse().ok() };
    let (a, b) = (base(from), base(to));
    let text = |name: &str| matches!(name, "text" | "character varying");
    let numbers = ["smallint", "integer", "bigint", "numeric", "real", "double precision"];
    let rank = |name: &str| numbers.iter().position(|other| *other == name);
    if text(&a) && text(&b) {
        return match (length(from), length(to)) {
            (_, None) => Conversion::Free,
            (Some(before), Some(after)) if after >= before => Conversion::Free,
            _ => Conversion::Lossy,
        };
    }
    if a == b {
        let scale = |name: &str| {
            name.split_once(',').and_then(|(_, rest)| rest.trim_end_matches(')').trim().parse::<i32>().ok())
        };
        return match (length(from), length(to)) {
            (_, None) => Conversion::Free,
            (Some(before), Some(after)) if after >= before && scale(from) == scale(to) => Conversion::Free,
            _ => Conversion::Lossy,
        };
    }
    match (rank(&a), rank(&b)) {
        (Some(a), Some(b)) if a < b && b <= 3 && length(to).is_none() => return Conversion::Rewrite,
        (Some(_), Some(_)) => return Conversion::Lossy,
        _ => {}
    }
    // Everything has a text; the server assigns it without being asked.
    if text(&b) && length(to).is_none() {
        return if from.ends_with("[]") || from.contains('.') { Conversion::Explicit } else { Conversion::Rewrite };
    }
    if a.starts_with("timestamp") && b.starts_with("timestamp") || a == "date" && b.starts_with("timestamp") {
        return Conversion::Lossy;
    }
    // https://www.postgresql.org/docs/current/catalog-pg-cast.html
    let explicit = [
        ("integer", "boolean"),
        ("boolean", "integer"),
        ("json", "jsonb"),
        ("jsonb", "json"),
        ("jsonb", "numeric"),
        ("jsonb", "boolean"),
    ];
    let moments = |name: &str| name == "date" || name.starts_with("timestamp") || name.starts_with("time");
    let cast = explicit.contains(&(a.as_str(), b.as_str()))
        || text(&a)
        || a == "character"
        || moments(&a) && moments(&b) && a != "date";
    if cast { Conversion::Explicit } else { Conversion::ByText }
}

/// Constraints that are the same but for their names: the name that there is, and the one that is wanted.
pub fn constraint_renames(have: &Table, want: &Table) -> Vec<(Name, Name)> {
    let names = |table: &Table| -> Vec<Name> {
        let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| key.name.clone());
        let checks = table.checks.iter().chain(table.exclusions.iter()).filter_map(|check| check.name.clone());
        keys.chain(checks).chain(table.foreign_keys.iter().map(|key| key.name.clone())).collect()
    };
    let (there, wanted) = (names(have), names(want));
    let mut renames: Vec<(Name, Name)> = Vec::new();
    let mut pair = |from: &Name, to: &Name, same: bool| {
        let free = !there.contains(to) && !wanted.contains(from);
        let taken = renames.iter().any(|(other, new)| other == from || new == to);
        if same && free && !taken {
            renames.push((from.clone(), to.clone()));
        }
    };
    for (old, new) in have.primary_key.iter().zip(&want.primary_key) {
        pair(&old.name, &new.name, old.says_what(new));
    }
    for old in have.unique_keys.iter() {
        want.unique_keys.iter().for_each(|new| pair(&old.name, &new.name, old.says_what(new)));
    }
    for (ours, theirs) in [(&have.checks, &want.checks), (&have.exclusions, &want.exclusions)] {
        for (old, new) in ours.iter().flat_map(|old| theirs.iter().map(move |new| (old, new))) {
            if let (Some(from), Some(to)) = (&old.name, &new.name) {
                pair(from, to, old.says_what(new));
            }
        }
    }
    for (old, new) in have.foreign_keys.iter().flat_map(|old| want.foreign_keys.iter().map(move |new| (old, new))) {
        pair(&old.name, &new.name, old.says_what(new));
    }
    renames
}
