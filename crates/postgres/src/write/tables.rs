//! Tables, their columns and constraints as statements.

use super::super::names::{self, quoted};
use super::super::sameness::Constraint;
use super::*;
use crate::clause;
use wevrun_core::model::{Check, Clauses, Column, Expression, Flag, ForeignKey, Key, Name, QualifiedName, Table, is};

/// The comment on a foreign key.
pub fn foreign_key_comment(table: &Name, key: &ForeignKey) -> Option<String> {
    let comment = key.clauses.value(clause::COMMENT)?;
    Some(constraint_comment(table, &key.name, Some(comment)))
}

/// COMMENT ON CONSTRAINT; none takes the comment away.
pub fn constraint_comment(table: &Name, constraint: &Name, text: Option<&str>) -> String {
    comment_on(&format!("CONSTRAINT {} ON {table}", quoted(constraint.canonical())), text)
}

pub fn create_table(name: &QualifiedName, table: &Table, foreign_keys: bool) -> String {
    let clauses = &table.clauses;
    let unlogged = if clauses.has(clause::UNLOGGED) { "UNLOGGED " } else { "" };
    let what = if clauses.has(is::SERVER) { "FOREIGN TABLE" } else { "TABLE" };
    let mut out = format!("CREATE {unlogged}{what} {name}");
    let mut elements: Vec<String> = Vec::new();
    let typed = clauses.has(clause::PARTITION_OF) || clauses.has(clause::OF);
    elements.extend(table.columns.iter().filter_map(|column| element(name, column, typed)));
    elements.extend(table.primary_key.iter().map(|key| key_constraint("PRIMARY KEY", key)));
    elements
        .extend(table.unique_keys.iter().filter(|key| !repeats(table, key)).map(|key| key_constraint("UNIQUE", key)));
    elements.extend(table.checks.iter().filter(|check| !is_added_later(&check.clauses)).map(check_constraint));
    elements.extend(table.exclusions.iter().map(exclusion_constraint));
    if foreign_keys {
        let now = table.foreign_keys.iter().filter(|key| !is_added_later(&key.clauses));
        elements.extend(now.map(foreign_key_constraint));
    }
    if let Some(parent) = clauses.get(clause::PARTITION_OF) {
        out += &format!(" PARTITION OF {parent}");
    } else if let Some(of) = clauses.get(clause::OF) {
        out += &format!(" OF {of}");
    }
    if !elements.is_empty() {
        out += &format!(" (\n    {}\n)", elements.join(",\n    "));
    } else if !typed {
        out += " (\n)";
    }
    if let Some(bound) = clauses.get(clause::BOUND) {
        out += &format!(" {}", bound.written());
    }
    if let Some(parents) = clauses.get(clause::INHERITS) {
        let parents: Vec<&str> = parents.iter().map(|parent| parent.canonical()).collect();
        out += &format!(" INHERITS ({})", parents.join(", "));
    }
    if let Some(key) = clauses.get(clause::PARTITION_BY) {
        out += &format!(" PARTITION BY {}", key.written());
    }
    if let Some(server) = clauses.get(is::SERVER) {
        out += &format!(" SERVER {server}{}", foreign::options(clauses));
    }
    if let Some(method) = clauses.value(clause::USING) {
        out += &format!(" USING {}", quoted(method));
    }
    out += &storage_parameters(clauses);
    out += &tablespace(clauses);
    out
}

/// Whether the key says what one before it says: in one statement the server would make one of them.
fn repeats(table: &Table, key: &Key) -> bool {
    let before = table.unique_keys.iter().take_while(|other| other.name != key.name);
    table.primary_key.iter().chain(before).any(|other| other.is_same_as(key))
}

/// NOT VALID constraints are added to a table that is there already.
pub fn is_added_later(clauses: &Clauses) -> bool {
    clauses.has(clause::NOT_VALID)
}

/// A column as an element of CREATE TABLE; none if the parent has all of it.
fn element(table: &QualifiedName, column: &Column, typed: bool) -> Option<String> {
    // A child of another table gets its own default afterwards; a partition can say it here.
    let words = match column.clauses.value(clause::INHERITED) {
        Some(how) if !typed && how.contains("NOT NULL") && column.not_null_name.is_some() => {
            return Some(not_null_constraint(table, column));
        }
        Some(_) if !typed => return None,
        Some("") if column.not_null_name.is_some() => not_null(column),
        Some("") => return None,
        _ => column_constraints(column),
    };
    match &column.data_type {
        Some(_) if !typed => Some(self::column(column)),
        _ if words.is_empty() => None,
        _ => Some(format!("{} {}", quoted(column.name.canonical()), words.trim_start())),
    }
}

/// A column with everything that can be said where it is created.
pub fn column(column: &Column) -> String {
    let data_type = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
    let mut out = format!("{} {data_type}", quoted(column.name.canonical()));
    if let Some(method) = column.clauses.value(clause::COMPRESSION) {
        out += &format!(" COMPRESSION {method}");
    }
    if let Some(collation) = &column.collation {
        out += &format!(" COLLATE {collation}");
    }
    out + &column_constraints(column)
}

fn column_constraints(column: &Column) -> String {
    let mut out = foreign::options(&column.clauses);
    if let Some(default) = &column.default {
        out += &format!(" DEFAULT {}", default_text(default));
    } else if column.clauses.has(clause::NO_DEFAULT) {
        out += " DEFAULT NULL"; // not the parent's
    }
    if let Some(generated) = column.generated.as_ref().filter(|_| !column.clauses.has(clause::GENERATED_BY_THE_PARENT))
    {
        let kept = if generated.stored { "STORED" } else { "VIRTUAL" };
        out += &format!(" GENERATED ALWAYS AS ({}) {kept}", generated.expression.written());
    }
    if let Some(identity) = identity(column) {
        out += &format!(" {identity}");
    }
    out + &not_null(column)
}

fn not_null(column: &Column) -> String {
    if column.not_null.is_none() || *column.not_null_inherited || column.clauses.has(clause::NOT_NULL_NOT_VALID) {
        return String::new();
    }
    let name = column.not_null_name.as_ref().map(|name| format!(" CONSTRAINT {}", quoted(name.canonical())));
    let no_inherit = if column.clauses.has(clause::NOT_NULL_NO_INHERIT) { " NO INHERIT" } else { "" };
    format!("{} NOT NULL{no_inherit}", name.unwrap_or_default())
}

/// GENERATED … AS IDENTITY with its options.
pub fn identity(column: &Column) -> Option<String> {
    let identity = column.clauses.value(clause::IDENTITY)?;
    let mut options = Clauses::default();
    for (name, value) in column.clauses.iter() {
        if let Some(name) = clause::IDENTITY_OPTION.member(name) {
            options.set_named(name, value.clone());
        }
    }
    let mut words = sequence_options(&options);
    if let Some(name) = options.get(clause::NAME) {
        words = format!(" SEQUENCE NAME {name}{words}");
    }
    // Like its table by default.
    for (clause, word) in [(clause::LOGGED, "LOGGED"), (clause::UNLOGGED, "UNLOGGED")] {
        if options.has(clause) {
            words += &format!(" {word}");
        }
    }
    let words = if words.is_empty() { words } else { format!(" ({})", words.trim_start()) };
    Some(format!("GENERATED {} AS IDENTITY{words}", identity.to_uppercase()))
}

/// The name of the sequence of an identity column.
pub fn identity_sequence(table: &QualifiedName, column: &Column) -> QualifiedName {
    if let Some(given) = column.clauses.get(clause::IDENTITY_NAME) {
        return given.clone();
    }
    let usual = names::made_up(&names::identifier(table), column.name.canonical(), "seq");
    names::qualified(&names::schema(table).unwrap_or_else(|| "public".to_owned()), &usual)
}

fn constraint(name: &Name) -> String {
    if name.is_given() { format!("CONSTRAINT {} ", quoted(name.canonical())) } else { String::new() }
}

/// PRIMARY KEY or UNIQUE as a constraint of a table.
pub fn key_constraint(what: &str, key: &Key) -> String {
    let mut columns: Vec<String> = key.parts.iter().map(|part| quoted(part.column.canonical())).collect();
    if key.clauses.has(clause::WITHOUT_OVERLAPS)
        && let Some(last) = columns.last_mut()
    {
        last.push_str(" WITHOUT OVERLAPS");
    }
    let nulls = if key.clauses.has(clause::NULLS_NOT_DISTINCT) { " NULLS NOT DISTINCT" } else { "" };
    let include = key.clauses.value(clause::INCLUDE).map_or_else(String::new, |list| format!(" INCLUDE ({list})"));
    format!(
        "{}{what}{nulls} ({}){include}{}{}",
        constraint(&key.name),
        columns.join(", "),
        index_settings(&key.clauses),
        attributes(&key.clauses)
    )
}

/// CHECK as a constraint of a table.
pub fn check_constraint(check: &Check) -> String {
    let name = check.name.as_ref().map_or_else(String::new, constraint);
    format!("{name}CHECK ({}){}", check.condition.written(), attributes(&check.clauses))
}

/// EXCLUDE as a constraint of a table.
pub fn exclusion_constraint(check: &Check) -> String {
    let name = check.name.as_ref().map_or_else(String::new, constraint);
    let include = check.clauses.value(clause::INCLUDE).map_or_else(String::new, |list| format!(" INCLUDE ({list})"));
    let condition =
        check.clauses.get(clause::WHERE).map_or_else(String::new, |value| format!(" WHERE ({})", value.written()));
    format!(
        "{name}EXCLUDE {}{include}{}{condition}{}",
        check.condition.written(),
        index_settings(&check.clauses),
        attributes(&check.clauses)
    )
}

/// The settings of a constraint's index.
fn index_settings(clauses: &Clauses) -> String {
    let space = clauses.value(clause::TABLESPACE).map(|space| format!(" USING INDEX TABLESPACE {}", quoted(space)));
    storage_parameters(clauses) + &space.unwrap_or_default()
}

/// FOREIGN KEY as a constraint of a table.
pub fn foreign_key_constraint(key: &ForeignKey) -> String {
    let period = key.clauses.has(clause::PERIOD);
    let list = |columns: &[Name]| {
        let mut columns: Vec<String> = columns.iter().map(|column| quoted(column.canonical())).collect();
        if period && let Some(last) = columns.last_mut() {
            *last = format!("PERIOD {last}");
        }
        columns.join(", ")
    };
    let mut out = format!("{}FOREIGN KEY ({}) REFERENCES {}", constraint(&key.name), list(&key.columns), key.parent);
    if !key.parent_columns.is_empty() {
        out += &format!(" ({})", list(&key.parent_columns));
    }
    if key.clauses.has(clause::MATCH) {
        out += " MATCH FULL";
    }
    if !key.on_update.is_default() {
        out += &format!(" ON UPDATE {}", key.on_update.keywords());
    }
    if !key.on_delete.is_default() {
        out += &format!(" ON DELETE {}", key.on_delete.keywords());
        if let Some(columns) = key.clauses.value(clause::ON_DELETE_COLUMNS) {
            out += &format!(" ({columns})");
        }
    }
    out + &attributes(&key.clauses)
}

/// What stands at the end of a constraint: NO INHERIT, DEFERRABLE, NOT VALID.
pub fn attributes(clauses: &Clauses) -> String {
    let mut out = String::new();
    if clauses.has(clause::NO_INHERIT) {
        out += " NO INHERIT";
    }
    if let Some(deferred) = clauses.value(clause::DEFERRABLE) {
        out += if deferred.is_empty() { " DEFERRABLE" } else { " DEFERRABLE INITIALLY DEFERRED" };
    }
    if clauses.has(clause::NOT_ENFORCED) {
        out += " NOT ENFORCED";
    } else if clauses.has(clause::NOT_VALID) {
        out += " NOT VALID";
    }
    out
}

pub fn table_extras(out: &mut Vec<String>, name: &QualifiedName, table: &Table) {
    let what = if table.clauses.has(is::SERVER) { "FOREIGN TABLE" } else { "TABLE" };
    for check in table.checks.iter().filter(|check| is_added_later(&check.clauses)) {
        out.push(format!("ALTER {what} {name} ADD {}", check_constraint(check)));
    }
    for key in table.unique_keys.iter().filter(|key| repeats(table, key)) {
        out.push(format!("ALTER {what} {name} ADD {}", key_constraint("UNIQUE", key)));
    }
    let child = table.clauses.has(clause::INHERITS);
    for column in table.columns.iter() {
        let how = column.clauses.value(clause::INHERITED).unwrap_or_default();
        let own = quoted(column.name.canonical());
        if child && how.contains("default") {
            let default = column.default.as_ref().map_or("NULL", Expression::written);
            out.push(format!("ALTER TABLE ONLY {name} ALTER COLUMN {own} SET DEFAULT {default}"));
        }
        if child && how.contains("NOT NULL") && column.not_null_name.is_none() {
            out.push(format!("ALTER TABLE ONLY {name} ALTER COLUMN {own} SET NOT NULL"));
        }
        if how.contains("compression") {
            let method = column.clauses.value(clause::COMPRESSION).unwrap_or("default");
            out.push(format!("ALTER TABLE ONLY {name} ALTER COLUMN {own} SET COMPRESSION {method}"));
        }
        out.extend(column_extras(name, column, None));
    }
    out.extend(table_settings(name, &Clauses::default(), &table.clauses));
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| (Some(&key.name), &key.clauses));
    let checks = table.checks.iter().chain(table.exclusions.iter()).map(|check| (check.name.as_ref(), &check.clauses));
    for (constraint, clauses) in keys.chain(checks) {
        out.extend(constraint.into_iter().flat_map(|constraint| constraint_comments(name, constraint, clauses)));
    }
}

/// The comments on a constraint and on its index, if it has any.
pub fn constraint_comments(table: &QualifiedName, constraint: &Name, clauses: &Clauses) -> Vec<String> {
    let on_it = clauses.value(clause::COMMENT).map(|comment| constraint_comment(table, constraint, Some(comment)));
    let index = format!("INDEX {}", index_of(table, constraint));
    let on_index = clauses.value(clause::INDEX_COMMENT).map(|comment| comment_on(&index, Some(comment)));
    on_it.into_iter().chain(on_index).collect()
}

/// The index of a table's constraint: it is in the table's schema.
pub fn index_of(table: &QualifiedName, constraint: &Name) -> QualifiedName {
    names::qualified(&names::schema(table).unwrap_or_default(), constraint.canonical())
}

/// The parts of indexes above it that a partition has and that are called otherwise than the server would call them, as a dump says
/// them.
pub fn named_parts(name: &QualifiedName, table: &Table) -> Vec<String> {
    let own = &table.of_parent.0;
    let mut out = Vec::new();
    for (whole, part) in table.part_names.iter() {
        let primary = own.primary_key.iter().map(|key| ("PRIMARY KEY", key));
        let keys = primary.chain(own.unique_keys.iter().map(|key| ("UNIQUE", key)));
        let mut constraints = keys.filter(|(_, key)| key.name == *part).map(|(what, key)| key_constraint(what, key));
        let mut exclusions = own.exclusions.iter().filter(|check| check.name.as_ref() == Some(part));
        let full = index_of(name, part);
        let mut whole = whole.clone();
        if let Some(constraint) = constraints.next().or_else(|| exclusions.next().map(exclusion_constraint)) {
            out.push(format!("ALTER TABLE ONLY {name} ADD {constraint}"));
        } else if let Some(index) = own.indexes.iter().find(|index| index.name == full).and_then(Object::as_index) {
            let mut index = index.clone();
            if let Some(attached) = index.clauses.get(clause::ATTACHED_TO) {
                whole = attached.clone();
            }
            if table.clauses.has(clause::PARTITION_BY) {
                index.clauses.set(clause::ONLY, Flag);
            }
            out.push(create_index(&full, &index, false));
        } else {
            continue;
        }
        out.push(format!("ALTER INDEX {whole} ATTACH PARTITION {full}"));
    }
    out
}

/// What only ALTER can say of a column, where it differs from `have`.
pub fn column_extras(table: &QualifiedName, column: &Column, have: Option<&Column>) -> Vec<String> {
    let mut out = Vec::new();
    let nothing = Clauses::default();
    let before = have.map_or(&nothing, |have| &have.clauses);
    let own = quoted(column.name.canonical());
    for clause in before.differing(&column.clauses) {
        let value = column.clauses.value_named(clause);
        match clause {
            "statistics" => {
                out.push(format!("ALTER TABLE {table} ALTER COLUMN {own} SET STATISTICS {}", value.unwrap_or("-1")))
            }
            "storage" => {
                let mode = value.unwrap_or("default").to_uppercase();
                out.push(format!("ALTER TABLE {table} ALTER COLUMN {own} SET STORAGE {mode}"));
            }
            "compression" if have.is_some() => {
                out.push(format!(
                    "ALTER TABLE {table} ALTER COLUMN {own} SET COMPRESSION {}",
                    value.unwrap_or("default")
                ));
            }
            "comment" => out.push(comment_on(&format!("COLUMN {table}.{own}"), value)),
            "not null not valid" if have.is_none() => {
                out.push(format!("ALTER TABLE {table} ADD {}", not_null_constraint(table, column)));
            }
            _ if clause::OPTIONS.has(clause) => {
                // With CREATE they are said in the column's own words.
                let mut one = vec![clause];
                let what = format!("FOREIGN TABLE {table} ALTER COLUMN {own}");
                out.extend(have.and_then(|_| foreign::option_changes(&what, before, &column.clauses, &mut one)));
            }
            _ => {
                let Some(option) = clause::WITH.member(clause) else { continue };
                out.push(match value {
                    Some(_) => {
                        let value = parameter_value(column.clauses.written_named(clause));
                        format!("ALTER TABLE {table} ALTER COLUMN {own} SET ({option} = {value})")
                    }
                    None => format!("ALTER TABLE {table} ALTER COLUMN {own} RESET ({option})"),
                });
            }
        }
    }
    out
}

/// NOT NULL as a table's constraint, as PostgreSQL 18 and later take it.
pub fn not_null_constraint(table: &QualifiedName, column: &Column) -> String {
    let inherit = if column.clauses.has(clause::NOT_NULL_NO_INHERIT) { " NO INHERIT" } else { "" };
    let valid = if column.clauses.has(clause::NOT_NULL_NOT_VALID) { " NOT VALID" } else { "" };
    let (name, own) = (quoted(not_null_name(table, column).canonical()), quoted(column.name.canonical()));
    format!("CONSTRAINT {name} NOT NULL {own}{inherit}{valid}")
}

/// What a column's NOT NULL is called, if nobody said otherwise.
pub fn not_null_name(table: &QualifiedName, column: &Column) -> Name {
    let made_up = || names::made_up(&names::identifier(table), column.name.canonical(), "not_null");
    column.not_null_name.0.clone().unwrap_or_else(|| names::simple(&made_up()))
}

/// The settings of a table that ALTER can make and unmake, where they differ.
pub fn table_settings(name: &Name, have: &Clauses, want: &Clauses) -> Vec<String> {
    let mut out = Vec::new();
    for clause in have.differing(want) {
        let value = want.value_named(clause);
        match clause {
            "row security" => {
                out.push(format!(
                    "ALTER TABLE {name} {} ROW LEVEL SECURITY",
                    if value.is_some() { "ENABLE" } else { "DISABLE" }
                ));
            }
            "force row security" => {
                let force = if value.is_some() { "FORCE" } else { "NO FORCE" };
                out.push(format!("ALTER TABLE {name} {force} ROW LEVEL SECURITY"));
            }
            _ => {}
        }
    }
    out
}

/// Foreign keys that are NOT VALID: CREATE TABLE can't say so.
pub fn late_foreign_keys(name: &Name, table: &Table) -> Vec<String> {
    let late = table.foreign_keys.iter().filter(|key| is_added_later(&key.clauses));
    late.flat_map(|key| {
        let added = format!("ALTER TABLE {name} ADD {}", foreign_key_constraint(key));
        [Some(added), foreign_key_comment(name, key)].into_iter().flatten()
    })
    .collect()
}

/// The settings that name an index, or a trigger that came from a parent, so that they come after these.
pub fn late_settings(name: &Name, have: &Clauses, want: &Clauses) -> Vec<String> {
    let mut out = Vec::new();
    for clause in have.differing(want) {
        let value = want.value_named(clause);
        match (clause, value) {
            ("replica identity", value) => {
                let identity = match value {
                    Some(value) if value.starts_with("using index ") => {
                        format!("USING INDEX {}", &value["using index ".len()..])
                    }
                    value => value.unwrap_or("default").to_uppercase(),
                };
                out.push(format!("ALTER TABLE {name} REPLICA IDENTITY {identity}"));
            }
            ("cluster on", Some(index)) => out.push(format!("ALTER TABLE {name} CLUSTER ON {}", quoted(index))),
            ("cluster on", None) => out.push(format!("ALTER TABLE {name} SET WITHOUT CLUSTER")),
            (clause, state) => {
                if let Some(trigger) = clause::TRIGGER.member(clause) {
                    out.push(format!("ALTER TABLE {name} {} TRIGGER {trigger}", enabled(state)));
                }
            }
        }
    }
    out
}
