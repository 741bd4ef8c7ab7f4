//! What else changes its name with a table or column, as the server's own ALTER and RENAME change it.

use wevrun_core::model::{Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Value};
use wevrun_core::parse::{TokenKind, token};

use crate::parse::keys::{column_expression, column_of};
use crate::{clause, names, tokens, write};

/// Renames an object. Foreign keys follow a table, and so do its keys and triggers; views and bodies do not.
pub fn object(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    let Some(mut object) = model.remove(key) else { return };
    let from = std::mem::replace(&mut object.name, to.clone());
    if let Definition::Table(table) = &mut object.definition {
        // Names of the server's own form follow the table, whoever gave them.
        let prefix = format!("{}_ibfk_", from.identifier().to_lowercase());
        for foreign_key in table.foreign_keys.iter_mut() {
            if let Some(number) = foreign_key.name.canonical().strip_prefix(&prefix) {
                foreign_key.name = names::simple(&format!("{}_ibfk_{number}", to.identifier()));
            }
        }
    }
    retext(&mut object);
    model.insert(object);
    if key.kind != Kind::Table {
        return;
    }
    let on_it = |object: &&Object| object.definition.owner() == Some(&from);
    let owned: Vec<ObjectKey> = model.objects().filter(on_it).map(Object::key).collect();
    for key in owned {
        let Some(mut object) = model.remove(&key) else { continue };
        match &mut object.definition {
            Definition::Index(index) => {
                index.table = to.clone();
                object.name = names::key(to, key.name.identifier());
            }
            Definition::Plain(plain) => plain.owner = Some(to.clone()),
            _ => {}
        }
        // A key that nobody wrote stays one.
        if !object.text.is_empty() {
            retext(&mut object);
        }
        model.insert(object);
    }
    for object in model.objects_mut() {
        let Definition::Table(table) = &mut object.definition else { continue };
        let mut changed = false;
        for foreign_key in table.foreign_keys.iter_mut().filter(|key| key.parent == from) {
            foreign_key.parent = to.clone();
            changed = true;
        }
        if changed {
            retext(object);
        }
    }
}

fn retext(object: &mut Object) {
    object.text = write::create_statement(object);
}

/// Renames a column: keys, foreign keys on both sides and the expressions of the table follow.
pub fn column(model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
    let renamed = |name: &mut Name| {
        if name == from {
            *name = to.clone();
        }
    };
    for object in model.objects_mut() {
        match &mut object.definition {
            Definition::Table(own) => {
                let is_it = object.name == *table;
                let mut changed = is_it;
                for key in own.foreign_keys.iter_mut() {
                    if is_it {
                        key.columns.iter_mut().for_each(renamed);
                    }
                    if key.parent == *table {
                        key.parent_columns.iter_mut().for_each(renamed);
                        changed = true;
                    }
                }
                if is_it {
                    for column in own.columns.iter_mut() {
                        renamed(&mut column.name);
                        let generated = column.generated.as_mut().map(|generated| &mut generated.expression);
                        for expression in column.default.iter_mut().chain(generated) {
                            in_expression(expression, from, to);
                        }
                        if let Some(mut check) = column.clauses.remove(clause::CHECK) {
                            in_expression(&mut check, from, to);
                            column.clauses.set(clause::CHECK, check);
                        }
                    }
                    for check in own.checks.iter_mut() {
                        in_expression(&mut check.condition, from, to);
                    }
                    if let Some(key) = &mut own.primary_key {
                        for part in &mut key.parts {
                            renamed(&mut part.column);
                        }
                        if let Some(length) = key.clauses.remove(clause::LENGTH_OF.of(from.canonical())) {
                            key.clauses.set(clause::LENGTH_OF.of(to.canonical()), length);
                        }
                    }
                    if let Some(mut partition_by) = own.clauses.remove(clause::PARTITION_BY) {
                        in_tokens(&mut partition_by, from, to);
                        own.clauses.set(clause::PARTITION_BY, partition_by);
                    }
                    let periods: Vec<String> = own
                        .clauses
                        .iter()
                        .map(|(name, _)| name.to_owned())
                        .filter(|name| clause::PERIOD.has(name))
                        .collect();
                    for period in periods {
                        if let Some(Value::Identifiers(mut columns)) = own.clauses.get_named(&period).cloned() {
                            columns.iter_mut().for_each(renamed);
                            own.clauses.set_named(&period, Value::Identifiers(columns));
                        }
                    }
                }
                if changed {
                    object.text = write::create_statement(object);
                }
            }
            Definition::Index(index) if index.table == *table => {
                let mut changed = false;
                for part in &mut index.parts {
                    if column_of(part) == *from {
                        part.expression = column_expression(to);
                        changed = true;
                    }
                }
                if changed && !object.text.is_empty() {
                    object.text = write::create_statement(object);
                }
            }
            _ => {}
        }
    }
}

/// Canonical expressions have all columns in backticks and in lower case.
fn in_expression(expression: &mut Expression, from: &Name, to: &Name) {
    let (old, new) = (names::always_quoted(from.canonical()), names::always_quoted(to.canonical()));
    if !expression.canonical.contains(&old) {
        if !expression.is_sure() {
            in_tokens(expression, from, to);
        }
        return;
    }
    let canonical = outside_strings(&expression.canonical, &old, &new);
    let written = words_replaced(expression.written(), from, to);
    *expression = expression.respelled(canonical, &written);
}

fn in_tokens(expression: &mut Expression, from: &Name, to: &Name) {
    let canonical: Vec<&str> = expression
        .canonical
        .split(' ')
        .map(|word| if word == from.canonical() { to.canonical() } else { word })
        .collect();
    let written = words_replaced(expression.written(), from, to);
    *expression = expression.respelled(canonical.join(" "), &written);
}

/// Replaces a quoted name, but not in string literals.
fn outside_strings(text: &str, old: &str, new: &str) -> String {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    replaced(text, tokens.iter().filter(|token| token.text(text) == old), new)
}

fn words_replaced(text: &str, from: &Name, to: &Name) -> String {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let is_it = |token: &&token::Token| {
        matches!(token.kind, TokenKind::Word | TokenKind::Quoted)
            && names::simple(&names::unquoted(**token, text)) == *from
    };
    replaced(text, tokens.iter().filter(is_it), &names::quoted(to.written()))
}

fn replaced<'t>(text: &str, tokens: impl Iterator<Item = &'t token::Token>, new: &str) -> String {
    let (mut out, mut done) = (String::with_capacity(text.len()), 0);
    for token in tokens {
        out.push_str(&text[done..token.start as usize]);
        out.push_str(new);
        done = token.end as usize;
    }
    out.push_str(&text[done..]);
    out
}
