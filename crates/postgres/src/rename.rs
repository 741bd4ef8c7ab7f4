//! Renames, with what refers to the renamed thing, as the server does them: it keeps references by identity.

use super::canonical::{self, Renamed, What, not_null_names};
use super::{names, rename_schema};
use super::{types, write};
use crate::change::forget_index;
use crate::clause;
use smol_str::{SmolStr, format_smolstr};
use wevrun_core::model::{
    ClauseFamily, Clauses, Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table,
};

/// Renames an object or moves it into another schema, with what moves along: what is in a schema, indexes, the sequences of columns
/// (<https://www.postgresql.org/docs/current/sql-altertable.html>).
pub fn object(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    if key.kind == Kind::Schema {
        return rename_schema::schema(model, &key.name, to);
    }
    let (old, new) = (names::schema(&key.name), names::schema(to));
    not_null_names::keep_at_rename(model, &key.name, |_| true);
    rename(model, key, to);
    let Some(schema) = new.filter(|new| key.kind.is_relation() && old.as_ref() != Some(new)) else { return };
    let along = |object: &&Object| {
        object.definition.owner() == Some(to)
            && match &object.definition {
                Definition::Index(_) => true,
                Definition::Plain(plain) => plain.kind == Kind::Sequence,
                _ => false,
            }
    };
    for key in model.objects().filter(along).map(Object::key).collect::<Vec<_>>() {
        rename(model, &key, &names::qualified(&schema, &names::identifier(&key.name)));
    }
    let Some(mut moved) = model.remove(&ObjectKey::new(key.kind, to.clone())) else { return };
    if let Definition::Table(table) = &mut moved.definition {
        for column in table.columns.iter_mut() {
            if let Some(sequence) = column.clauses.get(clause::IDENTITY_NAME) {
                let sequence = names::qualified(&schema, sequence.identifier());
                column.clauses.set(clause::IDENTITY_NAME, sequence);
            }
        }
    }
    model.insert(moved);
}

fn rename(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    canonical::follow(model, &Renamed { object: &key.name, what: What::Itself(to) });
    let Some(mut renamed) = model.remove(key) else { return };
    renamed.name = to.clone();
    renamed.text.clear();
    let from = key.name.clone();
    model.insert(renamed);
    let mut moved = Vec::new();
    for object in model.objects_mut() {
        let mut touched = false;
        match &mut object.definition {
            Definition::Table(table) => {
                for foreign_key in
                    table.foreign_keys.iter_mut().filter(|foreign_key| names::is_same(&foreign_key.parent, &from))
                {
                    foreign_key.parent = to.clone();
                    touched = true;
                }
                if let Some(part) = table.part_names.0.remove(&from) {
                    table.part_names.0.insert(to.clone(), part);
                }
            }
            Definition::Index(index) if index.table == from => {
                index.table = to.clone();
                touched = true;
            }
            Definition::Plain(plain) if plain.owner.as_ref() == Some(&from) => {
                plain.owner = Some(to.clone());
                touched = true;
                if object.name.owner().is_some() {
                    let standing = names::on_table(object.name.identifier(), to);
                    moved.push((ObjectKey::new(plain.kind, object.name.clone()), standing));
                }
            }
            _ => {}
        }
        if object.definition.kind() == Kind::Publication {
            for clauses in all_clauses(&mut object.definition) {
                touched |= rename_key(clauses, clause::PUBLISHED_TABLE, from.canonical(), to.canonical());
            }
        }
        for clauses in all_clauses(&mut object.definition) {
            for name in clauses.objects_mut().filter(|name| **name == from) {
                *name = to.clone();
                touched = true;
            }
            for clause in clause::OBJECT_REFERENCES {
                let Some(value) = clauses.value(clause).map(str::to_owned) else { continue };
                // A trigger names its function without arguments, as it has none; it may not have been looked up yet.
                let of_trigger = clause.is("function") && names::signature(&from) == "()";
                let bare = |name: &Name| {
                    let name = name.canonical();
                    if of_trigger { name.trim_end_matches("()").to_owned() } else { name.to_owned() }
                };
                let is_meant =
                    |item: &str| item == bare(&from) || of_trigger && names::is_same(&names::read(item), &from);
                let replaced: Vec<String> = super::split_list(&value)
                    .into_iter()
                    .map(|item| if is_meant(&item) { bare(to) } else { item })
                    .collect();
                if replaced.join(", ") != value {
                    clauses.set_text(clause, replaced.join(", "));
                    touched = true;
                }
            }
        }
        for data_type in types_mut(&mut object.definition) {
            touched |= types::rename_in(data_type, &from, to);
        }
        for used in object.uses.iter_mut().filter(|used| **used == from) {
            *used = to.clone();
        }
        if let Some(reads) = &mut object.reads {
            reads.rename(|read| {
                if read.of == from {
                    read.of = to.clone();
                }
            });
        }
        if touched {
            object.text.clear();
        }
    }
    for (old, new) in moved {
        if let Some(mut object) = model.remove(&old) {
            object.name = new;
            model.insert(object);
        }
    }
    // The types of its arguments are a part of a routine's name.
    if matches!(key.kind, Kind::Type | Kind::Domain) || key.kind.is_relation() {
        let routines = model.objects().filter_map(|object| Some((object.key(), signature(&object.key(), &from, to)?)));
        for (routine, renamed) in routines.collect::<Vec<_>>() {
            rename(model, &routine, &renamed);
        }
    }
}

/// Gives a clause of a family another name; false if there is none.
fn rename_key<V>(clauses: &mut Clauses, family: ClauseFamily<V>, from: &str, to: &str) -> bool {
    let value = clauses.remove_named(&family.of(from).name());
    let is_there = value.is_some();
    value.into_iter().for_each(|value| clauses.set_named(&family.of(to).name(), value));
    is_there
}

/// The name of a routine or operator once a type of its arguments has another name; none if it takes no such values.
pub fn signature(key: &ObjectKey, from: &QualifiedName, to: &QualifiedName) -> Option<QualifiedName> {
    let own = key.name.signature()?;
    let renamed = |data_type: &SmolStr| match data_type.strip_suffix("[]") {
        Some(element) if names::is_same(&names::read(element), from) => format_smolstr!("{to}[]"),
        None if names::is_same(&names::read(data_type), from) => to.canonical().into(),
        _ => data_type.clone(),
    };
    let types: Vec<SmolStr> = own.iter().map(renamed).collect();
    (types != own).then(|| names::with_signature(key.kind, &key.name, types))
}

/// Renames a label of an enumeration: the server keeps it by its number, and calls it by the new name wherever it stands.
fn label_of_type(model: &mut Model, name: &QualifiedName, from: &Name, to: &Name) {
    label(model, name, from, to);
    let (from, to) = (from.canonical(), to.canonical());
    for object in model.objects_mut() {
        if object.name == *name
            && let Definition::Plain(plain) = &mut object.definition
            && plain.kind == Kind::Type
        {
            let labels = super::enum_labels(&plain.clauses).into_iter();
            let labels: Vec<String> = labels.map(|label| if label == from { to.to_owned() } else { label }).collect();
            plain.clauses.set_text(clause::ENUM, labels.join(", "));
            object.text.clear();
        }
    }
}

/// Renames a column, and what refers to it.
pub fn column(model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
    if model.find(Kind::Type, table).is_some() {
        return label_of_type(model, table, from, to);
    }
    canonical::follow(model, &Renamed { object: table, what: What::Part(from, to) });
    not_null_names::keep_at_rename(model, table, |column| column.name == *from);
    for object in model.objects_mut() {
        let own = object.name == *table;
        let stands_on = object.definition.owner() == Some(table);
        let mut touched = false;
        if let Some(reads) = &mut object.reads {
            reads.rename(|read| {
                if read.of == *table && read.column.as_ref() == Some(from) {
                    read.column = Some(to.clone());
                }
            });
        }
        if own {
            touched = true;
            match &mut object.definition {
                Definition::Table(table) => {
                    table
                        .columns
                        .iter_mut()
                        .filter(|column| column.name == *from)
                        .for_each(|column| column.name = to.clone());
                    let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut());
                    for key in keys {
                        key.parts
                            .iter_mut()
                            .filter(|part| part.column == *from)
                            .for_each(|part| part.column = to.clone());
                        rename_in_list(&mut key.clauses, "include", from, to);
                    }
                    for key in table.foreign_keys.iter_mut() {
                        key.columns
                            .iter_mut()
                            .filter(|column| **column == *from)
                            .for_each(|column| *column = to.clone());
                    }
                }
                Definition::View(view) => {
                    let [own, new] = [from, to].map(|name| names::quoted(name.canonical()));
                    for family in [clause::DEFAULT_OF, clause::COMMENT_ON] {
                        rename_key(&mut view.clauses, family, &own, &new);
                    }
                    view.columns.iter_mut().filter(|column| **column == *from).for_each(|column| *column = to.clone());
                }
                _ => {}
            }
        }
        if let Definition::Table(other) = &mut object.definition {
            for key in other.foreign_keys.iter_mut().filter(|key| names::is_same(&key.parent, table)) {
                key.parent_columns.iter_mut().filter(|column| **column == *from).for_each(|column| {
                    *column = to.clone();
                    touched = true;
                });
            }
        }
        if stands_on {
            if let Definition::Plain(plain) = &mut object.definition {
                if let Some(columns) = plain.clauses.get(clause::UPDATE_OF).filter(|columns| columns.contains(from)) {
                    let columns = columns.iter().map(|column| if column == from { to } else { column }).cloned();
                    let columns = columns.collect::<Vec<_>>();
                    plain.clauses.set(clause::UPDATE_OF, columns);
                    touched = true;
                }
                if plain.clauses.value(clause::OWNED_BY) == Some(from.canonical()) {
                    plain.clauses.set_text(clause::OWNED_BY, to.canonical());
                    touched = true;
                }
            }
            if let Definition::Index(index) = &mut object.definition {
                rename_in_list(&mut index.clauses, "include", from, to);
            }
        }
        if touched {
            object.text.clear();
        }
    }
}

fn rename_in_list(clauses: &mut Clauses, clause: &str, from: &Name, to: &Name) {
    if let Some(list) = clauses.value_named(clause) {
        let list: Vec<String> = super::split_list(list)
            .into_iter()
            .map(|item| if names::unquoted(&item) == from.canonical() { names::quoted(to.canonical()) } else { item })
            .collect();
        clauses.set_text_named(clause, list.join(", "));
    }
}

/// Renames a constraint of a table.
pub fn constraint(table: &mut Table, from: &Name, to: &Name) -> bool {
    let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut()).map(|key| &mut key.name);
    let names = keys.chain(table.foreign_keys.iter_mut().map(|key| &mut key.name));
    let checks = table.checks.iter_mut().chain(table.exclusions.iter_mut()).filter_map(|check| check.name.as_mut());
    names.chain(checks).filter(|name| **name == *from).map(|name| *name = to.clone()).count() > 0
}

/// Renames a constraint of a table, NOT NULL too, or its part of one above it.
pub fn constraint_or_part(model: &mut Model, key: &ObjectKey, from: &Name, to: &Name) {
    let Some(Definition::Table(table)) = model.get_mut(key).map(|object| &mut object.definition) else { return };
    let called = not_null_names::called(&key.name, table, from);
    let is_not_null = called.map(|column| column.not_null_name.0 = Some(to.clone())).count() > 0;
    if is_not_null || constraint(table, from, to) {
        return;
    }
    let Some((partition, whole)) = canonical::part_names::find(model, &write::index_of(&key.name, from)) else {
        return;
    };
    // Another part may have a number because this one had the name.
    canonical::part_names::store_all(model, &partition);
    if let Some(Definition::Table(table)) = model.get_mut(&partition).map(|object| &mut object.definition) {
        table.part_names.0.insert(whole, to.clone());
    }
}

/// Takes a constraint away; false if there is none of this name.
pub fn drop_constraint(table: &mut Table, name: &Name) -> bool {
    let count = |table: &Table| {
        table.primary_key.iter().count()
            + table.unique_keys.len()
            + table.foreign_keys.len()
            + table.checks.len()
            + table.exclusions.len()
    };
    let before = count(table);
    table.primary_key.take_if(|key| key.name == *name);
    table.unique_keys.retain(|key| key.name != *name);
    forget_index(&mut table.clauses, name.canonical());
    table.foreign_keys.retain(|key| key.name != *name);
    table.checks.retain(|check| check.name.as_ref() != Some(name));
    table.exclusions.retain(|check| check.name.as_ref() != Some(name));
    count(table) < before
}

/// Renames an attribute of a composite type in all texts.
pub fn attribute(model: &mut Model, data_type: &QualifiedName, from: &str, to: &str) {
    let [from, to] = [from, to].map(|name| names::simple(&names::unquoted(name)));
    canonical::follow(model, &Renamed { object: data_type, what: What::Part(&from, &to) });
}

/// Renames a label of an enumeration in all texts.
pub fn label(model: &mut Model, data_type: &QualifiedName, from: &Name, to: &Name) {
    canonical::follow(model, &Renamed { object: data_type, what: What::Part(from, to) });
}

/// Says the names of the sequences of identity columns, which stay when the table or a column gets another.
pub fn keep_identity_names(model: &mut Model, key: &ObjectKey) {
    let Some(mut object) = model.remove(key) else { return };
    let (schema, own) = names::split(&object.name);
    let schema = schema.unwrap_or_else(|| "public".to_owned());
    let columns = if let Definition::Table(table) = &mut object.definition { &mut table.columns[..] } else { &mut [] };
    for column in columns {
        if column.clauses.has(clause::IDENTITY) && !column.clauses.has(clause::IDENTITY_NAME) {
            let sequence = names::made_up(&own, column.name.canonical(), "seq");
            column.clauses.set(clause::IDENTITY_NAME, names::qualified(&schema, &sequence));
        }
    }
    model.insert(object);
}

/// The sets of clauses that can name other objects.
pub fn all_clauses(definition: &mut Definition) -> Vec<&mut Clauses> {
    match definition {
        Definition::Table(table) => vec![&mut table.clauses],
        Definition::Index(index) => vec![&mut index.clauses],
        Definition::View(view) => vec![&mut view.clauses],
        Definition::Plain(plain) => vec![&mut plain.clauses],
        Definition::VirtualTable(_) | Definition::Trigger(_) => Vec::new(),
    }
}

/// The data types that a definition names, each alone.
pub fn types_mut(definition: &mut Definition) -> Vec<&mut Expression> {
    match definition {
        Definition::Table(table) => table.columns.iter_mut().filter_map(|column| column.data_type.as_mut()).collect(),
        Definition::Plain(plain) => {
            let kind = plain.kind;
            let is_type = move |name: &str| match kind {
                Kind::Domain | Kind::Sequence => name == "as",
                Kind::Function | Kind::Procedure => matches!(name, "returns" | "arguments"),
                Kind::Aggregate => matches!(name, "arguments" | "with.stype" | "with.mstype"),
                Kind::Type => matches!(name, "attributes" | "range.subtype"),
                Kind::Operator => matches!(name, "with.leftarg" | "with.rightarg"),
                Kind::OperatorClass => name == "for type",
                _ => false,
            };
            plain.clauses.expressions_mut().filter(|(name, _)| is_type(name)).map(|(_, value)| value).collect()
        }
        _ => Vec::new(),
    }
}

/// Whether any expression or query of an object is one of these.
pub fn any_expression(object: &Object, is_one: impl Fn(&Expression) -> bool) -> bool {
    expressions_mut(&mut object.definition.clone()).iter().any(|expression| is_one(expression))
}

/// Whether a clause of an object of this kind is an expression, a query or a body; others are names, types and lists of these.
pub fn is_expression_clause(kind: Kind, name: &str) -> bool {
    match kind {
        Kind::View | Kind::MaterializedView => clause::DEFAULT_OF.has(name),
        Kind::Domain => name == "default" || clause::CHECK.has(name),
        Kind::Function | Kind::Procedure => name == "body" || clause::DEFAULT_OF.has(name),
        Kind::Trigger => name == "when",
        Kind::Rule => matches!(name, "where" | "do"),
        Kind::Policy => matches!(name, "using" | "with check"),
        _ => false,
    }
}

/// The expressions and queries of a definition.
pub fn expressions_mut(definition: &mut Definition) -> Vec<&mut Expression> {
    match definition {
        Definition::Table(table) => (table.columns.iter_mut())
            .flat_map(|column| column.default.iter_mut().chain(column.generated.iter_mut().map(|g| &mut g.expression)))
            .chain(table.checks.iter_mut().map(|check| &mut check.condition))
            .chain(table.exclusions.iter_mut().flat_map(|check| {
                let clauses =
                    check.clauses.expressions_mut().filter(|(name, _)| clause::WHERE.is(name)).map(|(_, value)| value);
                clauses.chain([&mut check.condition])
            }))
            .collect(),
        Definition::Index(index) => {
            index.parts.iter_mut().map(|part| &mut part.expression).chain(&mut index.predicate).collect()
        }
        Definition::View(view) => {
            let defaults = view.clauses.expressions_mut().filter(|(name, _)| is_expression_clause(Kind::View, name));
            defaults.map(|(_, value)| value).chain([&mut view.query]).collect()
        }
        Definition::Plain(plain) => {
            let kind = plain.kind;
            let own = plain.clauses.expressions_mut().filter(|(name, _)| is_expression_clause(kind, name));
            own.map(|(_, value)| value).collect()
        }
        Definition::VirtualTable(_) | Definition::Trigger(_) => Vec::new(),
    }
}
