//! Operators, their classes and families, casts and transforms: who is meant, and to which class each member belongs.

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use super::super::members::Member;
use super::super::names;
use super::known::Known;
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Model, Object, QualifiedName};

/// Looks up what the object's clauses name, and tells the types that members of a class leave out.
pub fn resolve(object: &mut Object, known: &Known, own: &str) {
    let Definition::Plain(plain) = &mut object.definition else { return };
    let clauses = &mut plain.clauses;
    match plain.kind {
        Kind::Operator | Kind::Aggregate => {
            for clause in [clause::WITH_COMMUTATOR, clause::WITH_NEGATOR, clause::WITH.of("sortop")] {
                let Some(given) = clauses.value(clause) else { continue };
                let symbol = match given.to_ascii_lowercase().strip_prefix("operator") {
                    Some(_) => given[8..].trim().trim_start_matches('(').trim_end_matches(')').trim(),
                    None => given,
                };
                let found = match symbol.rsplit_once('.') {
                    Some(("pg_catalog", symbol)) => symbol.to_owned(),
                    Some(_) => format!("OPERATOR({symbol})"),
                    None => match known.operator_by_symbol(symbol, own) {
                        found if found != symbol => format!("OPERATOR({found})"),
                        // The server makes the other one's shell beside the operator.
                        _ if plain.kind == Kind::Operator => format!("OPERATOR({}.{symbol})", names::quoted(own)),
                        built_in => built_in,
                    },
                };
                clauses.set_text(clause, found);
            }
        }
        Kind::Cast | Kind::Transform => {
            for clause in [clause::WITH_FUNCTION, clause::FROM_SQL, clause::TO_SQL] {
                if let Some(function) = clauses.value(clause).map(|function| known.routine(function, own)) {
                    clauses.set_text(clause, function);
                }
            }
        }
        Kind::OperatorClass | Kind::OperatorFamily => {
            let method = method_of(&object.name).to_owned();
            let method = method.as_str();
            let data_type = clauses.value(clause::FOR_TYPE).unwrap_or_default().to_owned();
            // One without a schema may be the engine's.
            if let Some(family) = clauses.value(clause::FAMILY).map(|family| known.operator_class(family, method, own))
            {
                clauses.set_text(clause::FAMILY, family);
            }
            if let Some(storage) = clauses.value(clause::STORAGE).map(|storage| known.qualified_types(storage, own)) {
                clauses.set_text(clause::STORAGE, storage);
            }
            // The server drops it where it is the type itself (`DefineOpClass()` of opclasscmds.c).
            if clauses.value(clause::STORAGE) == Some(data_type.as_str()) {
                clauses.remove(clause::STORAGE);
            }
            let given = std::mem::take(clauses);
            for (clause, value) in given.expressions() {
                let (is_dropped, bare) = match clause::DROPPED.member(clause) {
                    Some(bare) => (true, bare),
                    None => (false, clause),
                };
                let Some(member) = Member::of(bare) else {
                    clauses.set_named(clause, value.clone());
                    continue;
                };
                let (types, value) = member.resolve(&value.canonical, method, &data_type, known, own);
                let name = format!("{} {} ({types})", member.what, member.number);
                match is_dropped {
                    true => clauses.set_text(clause::DROPPED.of(&name), value),
                    false => clauses.set_text_named(&name, value),
                }
            }
        }
        _ => {}
    }
}

impl Member<'_> {
    /// The types and the value, with every name looked up.
    fn resolve(&self, value: &str, method: &str, class_type: &str, known: &Known, own: &str) -> (String, String) {
        let given = super::super::split_list(self.types);
        let given: Vec<String> = given.iter().map(|data_type| known.qualified_types(data_type, own)).collect();
        if self.what == "function" {
            let function = known.routine(value, own);
            let types = if given.is_empty() { self.usual_types(method, class_type, &function) } else { given };
            return (types.join(", "), function);
        }
        let types = if given.is_empty() { vec![class_type.to_owned(), class_type.to_owned()] } else { given };
        let (symbol, order) = value.split_once(" FOR ORDER BY ").unwrap_or((value, ""));
        let mut operator = known.operator(symbol, &types.join(", "), own);
        if !order.is_empty() {
            operator += &format!(" FOR ORDER BY {}", known.operator_class(order, "btree", own));
        }
        (types.join(", "), operator)
    }

    /// What the server takes a support function to be for (`assignProcTypes()` of opclasscmds.c).
    fn usual_types(&self, method: &str, class_type: &str, function: &str) -> Vec<String> {
        let arguments = function.split_once('(').and_then(|(_, rest)| rest.strip_suffix(')')).unwrap_or_default();
        let arguments = super::super::split_list(arguments);
        let pair = |left: usize, right: usize| Some(vec![arguments.get(left)?.clone(), arguments.get(right)?.clone()]);
        let told = match (method, self.number) {
            ("btree", 1) => pair(0, 1),
            ("btree", 3) => pair(0, 2),
            ("hash", 1 | 2) => pair(0, 0),
            _ => None,
        };
        told.unwrap_or_else(|| vec![class_type.to_owned(), class_type.to_owned()])
    }
}

/// The index methods that decide which members are tied to a class and which to the family, whichever statement names them, from version 14 on
/// (`amadjustmembers`, <https://www.postgresql.org/docs/current/index-api.html>).
const ADJUST_MEMBERS: [&str; 5] = [" USING btree", " USING hash", " USING gist", " USING gin", " USING spgist"];

/// Puts each member where it belongs, whichever statement names it: here those on the type of a class are the class's, and the others the
/// family's.
pub fn place_members(model: &mut Model) {
    let mut classes: BTreeMap<(QualifiedName, String), QualifiedName> = BTreeMap::new();
    for class in model.of_kind(Kind::OperatorClass) {
        let Definition::Plain(plain) = &class.definition else { continue };
        let data_type = plain.clauses.value(clause::FOR_TYPE).unwrap_or_default();
        classes.entry((family(class), format!("({data_type}, {data_type})"))).or_insert(class.name.clone());
    }
    let families: BTreeSet<QualifiedName> =
        model.of_kind(Kind::OperatorFamily).map(|family| family.name.clone()).collect();
    let mut wrong: Vec<(Kind, QualifiedName, String, Expression)> = Vec::new();
    let mut dropped: Vec<(QualifiedName, String)> = Vec::new();
    for object in model.objects_mut() {
        let kind = object.definition.kind();
        let family = match kind {
            Kind::OperatorClass => family(object),
            Kind::OperatorFamily => object.name.clone(),
            _ => continue,
        };
        // The members of a family that is no object of the model, as the engine's are not, stay with the class.
        let adjusts =
            families.contains(&family) && ADJUST_MEMBERS.iter().any(|method| object.name.canonical().ends_with(method));
        let Definition::Plain(plain) = &mut object.definition else { continue };
        let mut moved = Vec::new();
        for (clause, value) in plain.clauses.expressions() {
            if let Some(member) = clause::DROPPED.member(clause) {
                dropped.push((family.clone(), member.to_owned()));
                continue;
            }
            if Member::of(clause).is_none() || !adjusts {
                continue;
            }
            let types = clause.find('(').map_or("", |at| &clause[at..]);
            let place = match classes.get(&(family.clone(), types.to_owned())) {
                Some(class) => (Kind::OperatorClass, class),
                None => (Kind::OperatorFamily, &family),
            };
            if place != (kind, &object.name) {
                moved.push((place.0, place.1.clone(), clause.to_owned(), value.clone()));
            }
        }
        moved.iter().for_each(|(_, _, clause, _)| drop(plain.clauses.remove_named(clause)));
        if !moved.is_empty() {
            object.text.clear();
        }
        wrong.extend(moved);
    }
    for object in model.objects_mut() {
        let family = match object.definition.kind() {
            Kind::OperatorClass => family(object),
            Kind::OperatorFamily => object.name.clone(),
            _ => continue,
        };
        let Definition::Plain(plain) = &mut object.definition else { continue };
        for (_, member) in dropped.iter().filter(|(of, _)| *of == family) {
            plain.clauses.remove_named(member);
            plain.clauses.remove(clause::DROPPED.of(member));
        }
    }
    for (kind, name, clause, value) in wrong {
        let found = model.objects_mut().find(|object| object.definition.kind() == kind && object.name == name);
        let Some(object) = found else { continue };
        let Definition::Plain(plain) = &mut object.definition else { continue };
        plain.clauses.set_named(&clause, value);
        object.text.clear();
    }
}

/// The name of the family of a class.
fn family(class: &Object) -> QualifiedName {
    let family = match &class.definition {
        Definition::Plain(plain) => plain.clauses.value(clause::FAMILY).unwrap_or_default(),
        _ => "",
    };
    names::with_signature(Kind::OperatorFamily, &names::read(family), vec![method_of(&class.name).into()])
}

/// The index method of an operator class or family.
pub fn method_of(name: &QualifiedName) -> &str {
    name.signature().and_then(|signature| signature.first()).map_or("", |method| method.as_str())
}

/// The operators and functions that the members of a class or family are.
pub fn named(clauses: &Clauses, found: &mut std::collections::HashSet<String>) {
    for (clause, value) in clauses.expressions() {
        let Some(member) = Member::of(clause) else { continue };
        if member.what == "function" {
            found.insert(value.canonical.clone());
        } else {
            let (symbol, order) = value.canonical.split_once(" FOR ORDER BY ").unwrap_or((&value.canonical, ""));
            found.insert(format!("{symbol}({})", member.types));
            found.insert(format!("{order} USING btree"));
        }
    }
}

/// What a base type says by LIKE (<https://www.postgresql.org/docs/current/sql-createtype.html>).
pub fn like(clauses: &mut Clauses) {
    let Some(model) = clauses.remove(clause::BASE_LIKE) else { return };
    let model = super::super::parse::canonical_type(&model.canonical);
    let (length, alignment, storage) = match model.as_str() {
        "smallint" => ("2", "int2", "plain"),
        "integer" | "oid" | "real" | "date" | "regclass" | "xid" => ("4", "int4", "plain"),
        "bigint" | "double precision" | "money" | "xid8" | "pg_lsn" => ("8", "double", "plain"),
        "boolean" | "\"char\"" => ("1", "char", "plain"),
        "name" => ("64", "char", "plain"),
        "uuid" => ("16", "char", "plain"),
        "interval" | "point" => ("16", "double", "plain"),
        "numeric" | "inet" | "cidr" => ("variable", "int4", "main"),
        moment if moment.starts_with("timestamp") => ("8", "double", "plain"),
        _ => ("variable", "int4", "extended"),
    };
    let by_value = matches!(length, "1" | "2" | "4" | "8");
    for (option, value) in [("internallength", length), ("alignment", alignment), ("storage", storage)] {
        if !clauses.has(clause::BASE.of(option)) {
            clauses.set_text(clause::BASE.of(option), value);
        }
    }
    if by_value && !clauses.has(clause::BASE_PASSEDBYVALUE) {
        clauses.set_text(clause::BASE_PASSEDBYVALUE, "true");
    }
}
