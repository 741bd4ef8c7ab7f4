//! Renames, with what refers to the renamed thing, as the server does them: it keeps references by identity.

use super::canonical::{self, Renamed, What, not_null_names};
use super::parse::identifier_of;
use super::{names, rename_schema};
use super::{tokens, write};
use crate::change::forget_index;
use crate::clause;
use smol_str::{SmolStr, format_smolstr};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::parse::{TokenKind, token};

/// Renames an object or moves it into another schema, with what moves along: what is in a schema, indexes, the sequences of columns
/// (<https://www.postgresql.org/docs/current/sql-altertable.html>).
pub fn object(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    if key.kind == Kind::Schema {
        return rename_schema::schema(model, &key.name, to);
    }
    let (old, new) = (names::schema(&key.name), names::schema(to));
    not_null_names::say_at_rename(model, &key.name, |_| true);
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
    let by_words =
        key.kind.is_relation().then(|| canonical::follow(model, &Renamed { table: &key.name, what: What::Itself(to) }));
    let Some(mut renamed) = model.remove(key) else { return };
    renamed.name = to.clone();
    renamed.text.clear();
    let from = key.name.clone();
    model.insert(renamed);
    let is_column_owner = key.kind.is_relation();
    let mut moved = Vec::new();
    for object in model.objects_mut() {
        let mut touched = false;
        match &mut object.definition {
            Definition::Table(table) => {
                for foreign_key in table.foreign_keys.iter_mut().filter(|foreign_key| same(&foreign_key.parent, &from))
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
                    let standing = names::standing_on(object.name.identifier(), to);
                    moved.push((ObjectKey::new(plain.kind, object.name.clone()), standing));
                }
            }
            _ => {}
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
                let is_meant = |item: &str| item == bare(&from) || of_trigger && same(&names::read(item), &from);
                let replaced: Vec<String> = super::split_list(&value)
                    .into_iter()
                    .map(|item| if is_meant(&item) { bare(to) } else { item })
                    .collect();
                if replaced.join(", ") != value {
                    clauses.say(clause, replaced.join(", "));
                    touched = true;
                }
            }
        }
        for data_type in types_mut(&mut object.definition) {
            touched |= replace_in(data_type, &from, to, false);
        }
        if object.uses.contains(&from)
            || is_column_owner
            || matches!(key.kind, Kind::Function | Kind::Sequence | Kind::Type)
        {
            let own = object.definition.kind();
            let is_read = by_words.as_ref().is_some_and(|unreadable| {
                canonical::holds_queries(&object.definition)
                    && !unreadable.contains(&ObjectKey::new(own, object.name.clone()))
            });
            for expression in expressions_mut(&mut object.definition) {
                touched |= replace_in(expression, &from, to, is_read);
            }
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

/// The name of a routine or operator once a type of its arguments has another name; none if it takes no such values.
pub fn signature(key: &ObjectKey, from: &QualifiedName, to: &QualifiedName) -> Option<QualifiedName> {
    let own = key.name.signature()?;
    let renamed = |data_type: &SmolStr| match data_type.strip_suffix("[]") {
        Some(element) if element == from.canonical() => format_smolstr!("{to}[]"),
        None if data_type == from.canonical() => to.canonical().into(),
        _ => data_type.clone(),
    };
    let types: Vec<SmolStr> = own.iter().map(renamed).collect();
    (types != own).then(|| names::with_signature(key.kind, &key.name, types))
}

/// Renames a label of an enumeration: the server keeps it by its number, and calls it by the new name wherever it stands.
fn label_of_type(model: &mut Model, name: &QualifiedName, from: &Name, to: &Name) {
    let (from, to) = (from.canonical(), to.canonical());
    for object in model.objects_mut() {
        if object.name == *name
            && let Definition::Plain(plain) = &mut object.definition
            && plain.kind == Kind::Type
        {
            let labels = super::enum_labels(&plain.clauses).into_iter();
            let labels: Vec<String> = labels.map(|label| if label == from { to.to_owned() } else { label }).collect();
            plain.clauses.say(clause::ENUM, labels.join(", "));
            object.text.clear();
        }
    }
    label(model, name, from, to);
}

/// Whether a name, which may not have been looked up yet, is this one.
pub fn same(name: &QualifiedName, from: &QualifiedName) -> bool {
    name == from || names::is_unresolved(name) && names::identifier(name) == names::identifier(from)
}

/// Replaces a dotted name in both spellings of an expression; only where it stands in a text, if `in_texts`.
fn replace_in(expression: &mut Expression, from: &QualifiedName, to: &QualifiedName, in_texts: bool) -> bool {
    let written = with_name(expression.written(), from, to, in_texts);
    let canonical = with_name(&expression.canonical, from, to, in_texts);
    let changed = written != expression.written() || canonical != expression.canonical;
    if changed {
        *expression = expression.respelled(canonical, &written);
    }
    changed
}

/// The text with one object's name in place of another's, qualified or not.
fn with_name(text: &str, from: &QualifiedName, to: &QualifiedName, in_texts: bool) -> String {
    let own = names::identifier(from);
    if !text.contains(&own) {
        return text.to_owned();
    }
    let schema = names::schema(from).unwrap_or_default();
    let moved = names::schema(to).is_some_and(|new| new != schema);
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let mut out = String::with_capacity(text.len());
    let mut done = 0;
    for (index, token) in tokens.iter().enumerate() {
        let dot = |at: usize| tokens.get(at).is_some_and(|token| token.is_symbol(text, "."));
        match token.kind {
            TokenKind::Word | TokenKind::Quoted if !in_texts && identifier_of(*token, text) == own => {
                let qualified = index >= 2 && dot(index - 1) && identifier_of(tokens[index - 2], text) == schema;
                let alone = index == 0 || !dot(index - 1);
                if !qualified && !alone {
                    continue;
                }
                let start = if qualified { tokens[index - 2].start } else { token.start } as usize;
                if start < done {
                    continue;
                }
                out.push_str(&text[done..start]);
                // What has moved is not found without its schema, where it is named and not only meant.
                let before = index.checked_sub(1).map_or("", |at| tokens[at].text(text)).to_ascii_uppercase();
                let named = matches!(before.as_str(), "FROM" | "JOIN" | "ONLY" | "INTO" | "UPDATE" | "::")
                    || tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, "("));
                if qualified || moved && named && !dot(index + 1) {
                    out.push_str(names::without_signature(to).canonical())
                } else {
                    out.push_str(&names::quoted(&names::identifier(to)))
                }
                done = token.end as usize;
            }
            // nextval('hives_id_seq'): the name stands in a text.
            TokenKind::Text => {
                let value = tokens::string_value(token.text(text)).unwrap_or_default();
                let parts = names::parts(&value);
                if parts.last() == Some(&own)
                    && (parts.len() == 1 || parts[parts.len() - 2] == schema)
                    && value.len() < 130
                {
                    let replaced = if parts.len() == 1 && !moved {
                        names::quoted(&names::identifier(to))
                    } else {
                        to.canonical().to_owned()
                    };
                    let cast =
                        |at: usize, word: &str| tokens.get(index + at).is_some_and(|token| token.is_word(text, word));
                    let is_name = index > 0 && tokens[index - 1].is_symbol(text, "(")
                        || tokens.get(index + 1).is_some_and(|token| token.is_symbol(text, "::"))
                            && cast(2, "REGCLASS");
                    if names::parts(&value).len() <= 2 && is_name {
                        out.push_str(&text[done..token.start as usize]);
                        out.push_str(&tokens::literal(&replaced));
                        done = token.end as usize;
                    }
                }
            }
            _ => {}
        }
    }
    out.push_str(&text[done..]);
    out
}

/// Renames a column, and what refers to it.
pub fn column(model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
    if model.find(Kind::Type, table).is_some() {
        return label_of_type(model, table, from, to);
    }
    let by_words = canonical::follow(model, &Renamed { table, what: What::Column(from, to) });
    not_null_names::say_at_rename(model, table, |column| column.name == *from);
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
                    if let Some(value) = table.clauses.get(clause::PARTITION_BY) {
                        let mut value = value.clone();
                        replace_word(&mut value, from, to);
                        table.clauses.set(clause::PARTITION_BY, value);
                    }
                }
                Definition::View(view) => {
                    view.columns.iter_mut().filter(|column| **column == *from).for_each(|column| *column = to.clone());
                }
                _ => {}
            }
        }
        if let Definition::Table(other) = &mut object.definition {
            for key in other.foreign_keys.iter_mut().filter(|key| key.parent == *table) {
                key.parent_columns.iter_mut().filter(|column| **column == *from).for_each(|column| {
                    *column = to.clone();
                    touched = true;
                });
            }
        }
        if stands_on {
            if let Definition::Plain(plain) = &mut object.definition {
                for clause in [clause::OWNED_BY, clause::EVENTS, clause::ON] {
                    if let Some(value) = plain.clauses.get(clause) {
                        let mut value = value.clone();
                        touched |= replace_word(&mut value, from, to);
                        plain.clauses.set(clause, value);
                    }
                }
            }
            if let Definition::Index(index) = &mut object.definition {
                rename_in_list(&mut index.clauses, "include", from, to);
            }
        }
        let by_words =
            by_words.contains(&object.key()) || (own || stands_on) && !canonical::holds_queries(&object.definition);
        if by_words {
            for expression in expressions_mut(&mut object.definition) {
                touched |= replace_word(expression, from, to);
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
        clauses.say_named(clause, list.join(", "));
    }
}

fn replace_word(expression: &mut Expression, from: &Name, to: &Name) -> bool {
    let replaced = |text: &str| {
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let mut out = String::with_capacity(text.len());
        let mut done = 0;
        for (index, token) in tokens.iter().enumerate() {
            let call = tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, "("));
            if matches!(token.kind, TokenKind::Word | TokenKind::Quoted)
                && identifier_of(*token, text) == from.canonical()
                && !call
            {
                out.push_str(&text[done..token.start as usize]);
                out.push_str(&names::quoted(to.canonical()));
                done = token.end as usize;
            }
        }
        out.push_str(&text[done..]);
        out
    };
    let (canonical, written) = (replaced(&expression.canonical), replaced(expression.written()));
    let changed = canonical != expression.canonical || written != expression.written();
    *expression = expression.respelled(canonical, &written);
    changed
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
    canonical::part_names::say_all(model, &partition);
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

/// Renames a label of an enum where the server gives it the type, and where it is cast to it.
pub fn label(model: &mut Model, data_type: &QualifiedName, from: &str, to: &str) {
    canonical::rename_label(model, data_type, (from, to));
    let own = names::identifier(data_type);
    for object in model.objects_mut() {
        let mut touched = false;
        for expression in expressions_mut(&mut object.definition) {
            touched |= replace_label(expression, from, to, |cast_to| *cast_to == own);
        }
        if touched {
            object.text.clear();
        }
    }
}

/// Replaces a constant in both spellings of an expression, if the type that it is cast to is the one.
fn replace_label(expression: &mut Expression, from: &str, to: &str, is_type: impl Fn(&String) -> bool) -> bool {
    let with_label = |text: &str| {
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let (mut out, mut done) = (String::with_capacity(text.len()), 0);
        for (index, token) in tokens.iter().enumerate().filter(|(_, token)| token.text(text) == from) {
            let symbol = |at: usize, symbol: &str| tokens.get(at).is_some_and(|token| token.is_symbol(text, symbol));
            let name_at = if symbol(index + 3, ".") { index + 4 } else { index + 2 };
            let named = tokens.get(name_at).filter(|_| symbol(index + 1, "::"));
            if is_type(&named.map_or_else(String::new, |name| identifier_of(*name, text))) {
                out.push_str(&text[done..token.start as usize]);
                out.push_str(to);
                done = token.end as usize;
            }
        }
        out + &text[done..]
    };
    let (written, canonical) = (with_label(expression.written()), with_label(&expression.canonical));
    let changed = written != expression.written() || canonical != expression.canonical;
    if changed {
        *expression = expression.respelled(canonical, &written);
    }
    changed
}

/// Says the names of the sequences of identity columns, which stay when the table or a column gets another.
pub fn say_identity_sequences(model: &mut Model, key: &ObjectKey) {
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
