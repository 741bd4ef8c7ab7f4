//! A type that can't be changed in place is made anew under the columns that use it: the old one steps aside, the columns take the
//! new one through their text, and the old one goes.

use std::collections::BTreeSet;

use super::super::canonical;
use super::super::names::{self, quoted};
use super::super::types::is_of;
use super::super::{parents_of, write};
use super::order::is_base_type;
use crate::model::{Column, Definition, Kind, Name, ObjectKey, Table};
use crate::plan::{Clearance, Planning, Risk, RiskKind};
use crate::script::Step;

/// Whether a type that changes is used by columns that stay, so that it can't just be dropped.
pub fn is_swapped(planning: &Planning<'_>, key: &ObjectKey) -> bool {
    let own: BTreeSet<Name> = [key.name.clone()].into();
    can_step_aside(key.kind)
        && planning.want.get(key).is_some()
        && planning.renamed.tables().any(|(_, table)| table.columns.iter().any(|column| is_of(column, &own)))
}

/// Whether columns can be of such a thing, which is renamed before another one comes in its place.
pub fn can_step_aside(kind: Kind) -> bool {
    matches!(kind, Kind::Type | Kind::Domain | Kind::Collation)
}

fn aside(name: &Name) -> String {
    format!("wevrun_old_{}", names::identifier(name))
}

/// The old types step aside.
pub fn before(planning: &Planning<'_>, swapped: &BTreeSet<Name>) -> Vec<Step> {
    let mut steps = Vec::new();
    for name in swapped {
        let kind = kind(planning, name);
        let statement = format!("ALTER {} {name} RENAME TO {}", write::keywords(kind), quoted(&aside(name)));
        let mut statements = vec![statement];
        // Since 17 that is a constraint with a name, which the new domain wants.
        if planning.renamed.find(Kind::Domain, name).is_some_and(|object| write::clauses(object).has("not null")) {
            statements.insert(0, format!("ALTER DOMAIN {name} DROP NOT NULL"));
        }
        // The multirange of a range keeps its name.
        if let Some(Definition::Plain(plain)) = planning.renamed.find(kind, name).map(|object| &object.definition)
            && plain.clauses.has("range.subtype")
            && planning.version.major >= 14
        {
            let multirange = canonical::multirange(name, &plain.clauses);
            let multirange = Name::new(multirange.as_str(), multirange.as_str());
            // So do the functions that make both (`makeRangeConstructors()` of typecmds.c).
            let subtype = plain.clauses.value("range.subtype").unwrap_or_default();
            let (one, many) = (quoted(&aside(name)), quoted(&aside(&multirange)));
            for arguments in [format!("{subtype}, {subtype}"), format!("{subtype}, {subtype}, text")] {
                statements.insert(0, format!("ALTER FUNCTION {name}({arguments}) RENAME TO {one}"));
            }
            for arguments in ["", &name.to_string(), &format!("{name}[]")] {
                statements.insert(0, format!("ALTER FUNCTION {multirange}({arguments}) RENAME TO {many}"));
            }
            statements.push(format!("ALTER TYPE {multirange} RENAME TO {many}"));
        }
        let mut step = Step::new(format!("let the old {} {name} step aside", kind.title()), statements);
        if planning.renamed.find(kind, name).is_some_and(is_base_type) {
            step.risks.push(cannot_step_aside(name));
        }
        steps.push(step);
    }
    steps
}

/// The functions of a base type are bound to it, and would be in the way of those of the new one.
fn cannot_step_aside(name: &Name) -> Risk {
    let explanation = "the server changes no type that is stored as its own functions say, and columns are of it";
    let mut risk = Risk::new(RiskKind::ChangesValues, format!("type {name}"), explanation);
    risk.clearance = Clearance::Impossible;
    risk.ways_out
        .push("make the new type under another name, and give the columns that type in this release".to_owned());
    risk.ways_out.push("drop the old one in the next release".to_owned());
    risk
}

/// The columns take the new types, those of tables that stay.
pub fn after(planning: &Planning<'_>, swapped: &BTreeSet<Name>, stays: impl Fn(&Name) -> bool) -> Vec<Step> {
    let mut steps = Vec::new();
    for (name, have, want) in tables(planning, swapped).into_iter().filter(|(name, ..)| stays(name)) {
        let mut actions = Vec::new();
        let mut risks = Vec::new();
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
            actions.push(match &wanted.collation {
                Some(collation) => format!("ALTER COLUMN {own} SET DATA TYPE {data_type} COLLATE {collation}"),
                None => format!("ALTER COLUMN {own} SET DATA TYPE {data_type} USING {own}::text::{data_type}"),
            });
            if wanted.collation.is_some() {
                continue;
            }
            let explanation = format!("values that the new {data_type} does not know stop the script");
            risks.push(Risk::new(RiskKind::MayRefuseRows, format!("column {name}.{}", column.name), explanation));
        }
        if actions.is_empty() {
            continue;
        }
        let statement = format!("ALTER TABLE {name}\n    {}", actions.join(",\n    "));
        let mut step = Step::new(format!("give columns of {name} the new type"), vec![statement]);
        step.risks = risks;
        step.risks.push(super::rewrites(name));
        steps.push(step);
    }
    steps
}

/// The old types go, when no column uses them any more.
pub fn at_last(planning: &Planning<'_>, swapped: &BTreeSet<Name>) -> Vec<Step> {
    let mut steps = Vec::new();
    for name in swapped {
        let kind = kind(planning, name);
        let schema = names::schema(name).unwrap_or_else(|| "public".to_owned());
        let old = names::qualified(&schema, &aside(name));
        steps.push(Step::new(
            format!("drop the old {} {name}", kind.title()),
            vec![format!("DROP {} {old}", write::keywords(kind))],
        ));
    }
    steps
}

fn kind(planning: &Planning<'_>, name: &Name) -> Kind {
    let mut kinds = [Kind::Domain, Kind::Collation].into_iter();
    kinds.find(|kind| planning.renamed.find(*kind, name).is_some()).unwrap_or(Kind::Type)
}

/// The tables of both sides that have columns of these types.
fn tables<'p>(planning: &'p Planning<'_>, swapped: &BTreeSet<Name>) -> Vec<(&'p Name, &'p Table, &'p Table)> {
    planning
        .renamed
        .tables()
        .filter(|(_, table)| table.columns.iter().any(|column| is_of(column, swapped)))
        .filter_map(|(name, table)| Some((name, table, planning.want.table(name)?)))
        .collect()
}
