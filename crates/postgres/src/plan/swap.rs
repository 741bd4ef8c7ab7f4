//! A type that can't be changed in place is recreated under the columns that use it: the old one is renamed temporarily, the columns take the
//! new one through their text, and the old one goes.

use crate::clause;
use std::collections::BTreeSet;

use super::super::canonical;
use super::super::names::{self, quoted};
use super::super::types::is_of;
use super::super::{attributes, parents_of, write};
use super::conversions::{Conversion, conversion};
use super::order::{self, is_base_type};
use wevrun_core::model::{Clauses, Column, Definition, Kind, Model, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::{Clearance, Planning, Probe, Risk, RiskKind, Step};

/// Whether a type that changes is used by columns that stay, so that it can't just be dropped.
pub fn is_swapped(planning: &Planning<'_>, key: &ObjectKey) -> bool {
    if !can_be_renamed_temporarily(key.kind) || planning.want.get(key).is_none() {
        return false;
    }
    let mut own: BTreeSet<QualifiedName> = [key.name.clone()].into();
    // What is made of the type, and what is made of that.
    loop {
        let made_of = |object: &&Object| {
            can_be_renamed_temporarily(object.definition.kind())
                && !own.contains(&object.name)
                && object.uses.iter().any(|used| own.contains(used))
        };
        let kinds = [Kind::Type, Kind::Domain].into_iter();
        let more: Vec<QualifiedName> = kinds
            .flat_map(|kind| planning.renamed.of_kind(kind))
            .filter(made_of)
            .map(|object| object.name.clone())
            .collect();
        if more.is_empty() {
            break;
        }
        own.extend(more);
    }
    planning.renamed.tables().any(|(_, table)| table.columns.iter().any(|column| is_of(column, &own)))
}

/// The checks of domains that are renamed temporarily go first where they call what goes, too: the server would keep it for them.
pub fn without_checks(
    planning: &Planning<'_>,
    swapped: &BTreeSet<QualifiedName>,
    gone: &BTreeSet<&QualifiedName>,
) -> Vec<Step> {
    let mut steps = Vec::new();
    for object in swapped.iter().filter_map(|name| planning.renamed.find(Kind::Domain, name)) {
        if !object.uses.iter().any(|used| gone.contains(used)) {
            continue;
        }
        let checks = write::clauses(object).iter().filter_map(|(clause, _)| clause::CHECK.member(clause));
        let statements: Vec<String> =
            checks.map(|check| format!("ALTER DOMAIN {} DROP CONSTRAINT {}", object.name, quoted(check))).collect();
        if !statements.is_empty() {
            steps.push(Step::new(format!("drop the checks of the old domain {}", object.name), statements));
        }
    }
    steps
}

/// Whether columns can be of such a thing, which is renamed before another one comes in its place.
pub fn can_be_renamed_temporarily(kind: Kind) -> bool {
    matches!(kind, Kind::Type | Kind::Domain | Kind::Collation)
}

fn temporary_name(name: &QualifiedName) -> String {
    format!("wevrun_old_{}", names::identifier(name))
}

/// The old types are renamed temporarily.
pub fn before(planning: &Planning<'_>, swapped: &BTreeSet<QualifiedName>) -> Vec<Step> {
    let mut steps = Vec::new();
    for name in swapped {
        let kind = kind(planning, name);
        let statement = format!("ALTER {} {name} RENAME TO {}", write::keywords(kind), quoted(&temporary_name(name)));
        let mut statements = vec![statement];
        // Since 17 that is a constraint with a name, which the new domain wants.
        if planning.renamed.find(Kind::Domain, name).is_some_and(|object| write::clauses(object).has(clause::NOT_NULL))
        {
            statements.insert(0, format!("ALTER DOMAIN {name} DROP NOT NULL"));
        }
        // The multirange of a range keeps its name.
        if let Some(Definition::Plain(plain)) = planning.renamed.find(kind, name).map(|object| &object.definition)
            && plain.clauses.has(clause::RANGE_SUBTYPE)
            && planning.version.major >= 14
        {
            let multirange = canonical::multirange(name, &plain.clauses);
            let multirange = names::read(&multirange);
            // So do the functions that make both (`makeRangeConstructors()` of typecmds.c).
            let subtype = plain.clauses.value(clause::RANGE_SUBTYPE).unwrap_or_default();
            let (one, many) = (quoted(&temporary_name(name)), quoted(&temporary_name(&multirange)));
            for arguments in [format!("{subtype}, {subtype}"), format!("{subtype}, {subtype}, text")] {
                statements.insert(0, format!("ALTER FUNCTION {name}({arguments}) RENAME TO {one}"));
            }
            for arguments in ["", &name.to_string(), &format!("{name}[]")] {
                statements.insert(0, format!("ALTER FUNCTION {multirange}({arguments}) RENAME TO {many}"));
            }
            statements.push(format!("ALTER TYPE {multirange} RENAME TO {many}"));
        }
        let mut step = Step::new(format!("rename old {} {name} temporarily", kind.title()), statements);
        if planning.renamed.find(kind, name).is_some_and(is_base_type) {
            step.risks.push(cannot_step_aside(name));
        }
        steps.push(step);
    }
    steps
}

/// The functions of a base type are bound to it, and would be in the way of those of the new one.
fn cannot_step_aside(name: &QualifiedName) -> Risk {
    let explanation = "the server can't change a base type while columns have it";
    let mut risk = Risk::new(RiskKind::ChangesValues, format!("type {name}"), explanation);
    risk.clearance = Clearance::Impossible;
    risk.ways_out
        .push("make the new type under another name, and give the columns that type in this release".to_owned());
    risk.ways_out.push("drop the old one in the next release".to_owned());
    risk
}

/// The columns take the new types, those of tables that stay.
pub fn after(
    planning: &Planning<'_>,
    swapped: &BTreeSet<QualifiedName>,
    stays: impl Fn(&QualifiedName) -> bool,
) -> Vec<Step> {
    let mut steps = Vec::new();
    for (name, have, want) in tables(planning, swapped).into_iter().filter(|(name, ..)| stays(name)) {
        let (mut actions, mut risks, mut guards, mut notes) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let of_a_parent = |column: &Column| {
            parents_of(want).iter().any(|parent| {
                let table = planning.renamed.table(parent);
                table.and_then(|table| table.column(&column.name)).is_some_and(|above| is_of(above, swapped))
            })
        };
        for column in have.columns.iter().filter(|column| is_of(column, swapped) && !of_a_parent(column)) {
            let Some(wanted) = want.column(&column.name).filter(|wanted| wanted.data_type == column.data_type) else {
                continue;
            };
            let own = quoted(column.name.canonical());
            let data_type = wanted.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
            if let Some(collation) = &wanted.collation {
                actions.push(format!("ALTER COLUMN {own} SET DATA TYPE {data_type} COLLATE {collation}"));
                continue;
            }
            let converted = Converted::new(planning, name, column, data_type);
            if planning.evidence.answer(&has_values(planning, name, column)) == Some(false) {
                let probe = Probe::HasValues(name.clone(), column.name.clone());
                actions.push(format!("ALTER COLUMN {own} SET DATA TYPE {data_type} USING {}", converted.using));
                guards.extend(super::must_not_hold(&probe));
                notes.push(format!(
                    "column {name}.{} holds no values; the script stops if it does by then",
                    column.name
                ));
                continue;
            }
            actions.push(format!("ALTER COLUMN {own} SET DATA TYPE {data_type} USING {}", converted.using));
            guards.extend(converted.guard);
            risks.push(converted.risk);
        }
        if actions.is_empty() {
            continue;
        }
        let statement = format!("ALTER TABLE {name}\n    {}", actions.join(",\n    "));
        let mut step = Step::new(format!("change columns of {name} to the new type"), vec![statement]);
        if !guards.is_empty() {
            guards.insert(0, format!("LOCK TABLE {name} IN ACCESS EXCLUSIVE MODE"));
            step.statements.splice(0..0, guards);
        }
        step.notes = notes;
        step.risks = risks;
        step.risks.push(super::rewrites(name));
        steps.push(step);
    }
    steps
}

/// The question whether a column holds values, by have's names.
fn has_values(planning: &Planning<'_>, table: &QualifiedName, column: &Column) -> Probe {
    let renames = &planning.comparison.renames;
    let renamed = renames.columns_of(table).into_iter().find(|(_, new)| *new == column.name);
    let original = renames.key_in_have(&ObjectKey::new(Kind::Table, table.clone())).name;
    Probe::HasValues(original, renamed.map_or_else(|| column.name.clone(), |(old, _)| old))
}

/// Questions about the columns of types that change, which may have to be created again under them.
pub fn probes(planning: &Planning<'_>, types: &BTreeSet<QualifiedName>) -> Vec<Probe> {
    let tables = planning.renamed.tables();
    let columns = tables.flat_map(|(name, table)| table.columns.iter().map(move |column| (name, column)));
    columns
        .filter(|(_, column)| is_of(column, types))
        .map(|(name, column)| has_values(planning, name, column))
        .collect()
}

/// How the values of a column become those of the new type under the same name.
struct Converted {
    /// The expression.
    using: String,
    /// A statement that stops where a value would change.
    guard: Option<String>,
    risk: Risk,
}

impl Converted {
    fn new(planning: &Planning<'_>, table: &QualifiedName, column: &Column, data_type: &str) -> Converted {
        let own = quoted(column.name.canonical());
        let object = format!("column {table}.{}", column.name);
        let element = names::read(data_type.trim_end_matches("[]"));
        let is_array = data_type.ends_with("[]");
        let clauses = |model: &Model| {
            let kinds = [Kind::Domain, Kind::Type].into_iter();
            kinds
                .filter_map(|kind| Some(write::clauses(model.find(kind, &element)?).clone()))
                .next()
                .unwrap_or_default()
        };
        let (before, after) = (clauses(&planning.renamed), clauses(planning.want));
        let by_text = format!("{own}::text::{data_type}");
        let refuses = |explanation: &str| Risk::new(RiskKind::MayRefuseRows, object.clone(), explanation);
        let changes = |explanation: &str| Risk::new(RiskKind::ChangesValues, object.clone(), explanation);
        if before.has(clause::ATTRIBUTES) && after.has(clause::ATTRIBUTES) {
            if is_array {
                let mut risk =
                    changes("its elements are composite values, and their attributes can't be converted one by one");
                risk.clearance = Clearance::Impossible;
                risk.ways_out
                    .push("create the type under another name, and fill a new column with the values".to_owned());
                return Converted { using: by_text, guard: None, risk };
            }
            return Converted::by_attribute(&own, &before, &after, data_type, changes);
        }
        if before.has(clause::ENUM) && after.has(clause::ENUM) {
            let explanation = format!("values that the new {data_type} does not have stop the script");
            return Converted { using: by_text, guard: None, risk: refuses(&explanation) };
        }
        // A domain is compared as what it is of; the rest by its text.
        let (old_base, new_base) = (before.value(clause::AS), after.value(clause::AS));
        let equal = match old_base.filter(|base| !is_array && has_equality(base)) {
            Some(base) => format!("{own}::{base} IS NOT DISTINCT FROM ({by_text})::text::{base}"),
            None => format!("{own}::text IS NOT DISTINCT FROM ({by_text})::text"),
        };
        let condition = format!("EXISTS (SELECT 1 FROM {table} WHERE NOT ({equal}))");
        let guard = super::stop_if(&condition, &format!("values of {object} would change with the new {data_type}"));
        let keeps = old_base
            .zip(new_base)
            .is_some_and(|(old, new)| matches!(conversion(old, new), Conversion::Free | Conversion::Rewrite));
        let risk = if keeps {
            refuses(&format!("values that the new {data_type} does not take stop the script"))
        } else {
            changes(&format!(
                "its values are converted to the new {data_type} by way of text; the script stops if one would change"
            ))
        };
        Converted { using: by_text, guard: Some(guard), risk }
    }

    /// Attribute by attribute, by name: the text of a row has no names.
    fn by_attribute(
        own: &str,
        before: &Clauses,
        after: &Clauses,
        data_type: &str,
        changes: impl Fn(&str) -> Risk,
    ) -> Converted {
        let (before, after) = (attributes(before), attributes(after));
        let type_of = |rest: &str| rest.split(" COLLATE ").next().unwrap_or(rest).trim().to_owned();
        let mut other = Vec::new();
        let values = after.iter().map(|(name, rest)| {
            let Some((_, old)) = before.iter().find(|(known, _)| known == name) else { return "NULL".to_owned() };
            let (old, new) = (type_of(old), type_of(rest));
            match conversion(&old, &new) {
                Conversion::Free => format!("({own}).{name}"),
                Conversion::Rewrite => format!("({own}).{name}::{new}"),
                Conversion::ByText => {
                    other.push(format!("{name} becomes {new}"));
                    format!("({own}).{name}::text::{new}")
                }
                _ => {
                    other.push(format!("{name} becomes {new}"));
                    format!("({own}).{name}::{new}")
                }
            }
        });
        let values = values.collect::<Vec<_>>().join(", ");
        let gone = before.iter().filter(|(name, _)| !after.iter().any(|(known, _)| known == name));
        other.extend(gone.map(|(name, _)| format!("{name} is lost")));
        // IS NULL is also true of a row of NULLs.
        let using = format!("CASE WHEN {own} IS DISTINCT FROM NULL THEN ROW({values})::{data_type} END");
        let risk = if other.is_empty() {
            let mut risk = changes("each attribute keeps its value");
            risk.kind = RiskKind::MayRefuseRows;
            risk.clearance = Clearance::NotNeeded;
            risk
        } else {
            changes(&format!("attributes of its values change: {}", other.join(", ")))
        };
        Converted { using, guard: None, risk }
    }
}

/// Whether values of a type of the server's own can be compared.
fn has_equality(base: &str) -> bool {
    let element = base.trim_end_matches("[]");
    !base.contains('.')
        && !matches!(element, "json" | "xml" | "point" | "polygon" | "box" | "line" | "lseg" | "path" | "circle")
}

/// The old types go, when no column uses them any more.
pub fn at_last(planning: &Planning<'_>, swapped: &BTreeSet<QualifiedName>) -> Vec<Step> {
    let mut steps = Vec::new();
    let keys: Vec<ObjectKey> = swapped.iter().map(|name| ObjectKey::new(kind(planning, name), name.clone())).collect();
    for ObjectKey { kind, name } in order::users_first(&planning.renamed, &keys) {
        let schema = names::schema(&name).unwrap_or_else(|| "public".to_owned());
        let old = names::qualified(&schema, &temporary_name(&name));
        steps.push(Step::new(
            format!("drop the old {} {name}", kind.title()),
            vec![format!("DROP {} {old}", write::keywords(kind))],
        ));
    }
    steps
}

fn kind(planning: &Planning<'_>, name: &QualifiedName) -> Kind {
    let mut kinds = [Kind::Domain, Kind::Collation].into_iter();
    kinds.find(|kind| planning.renamed.find(*kind, name).is_some()).unwrap_or(Kind::Type)
}

/// The tables of both sides that have columns of these types.
fn tables<'p>(
    planning: &'p Planning<'_>,
    swapped: &BTreeSet<QualifiedName>,
) -> Vec<(&'p QualifiedName, &'p Table, &'p Table)> {
    planning
        .renamed
        .tables()
        .filter(|(_, table)| table.columns.iter().any(|column| is_of(column, swapped)))
        .filter_map(|(name, table)| Some((name, table, planning.want.table(name)?)))
        .collect()
}
