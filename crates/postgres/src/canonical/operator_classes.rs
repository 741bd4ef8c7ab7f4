//! The operator classes of indexes: the server does not say the one that it would take anyway.

use crate::clause;
use std::collections::HashMap;
use std::sync::LazyLock;

use super::super::{names, types};
use super::known::Known;
use wevrun_core::model::{Definition, Expression, Object};

/// By index method and type.
static USUAL: LazyLock<HashMap<(&str, &str), &str>> = LazyLock::new(|| {
    let mut method = "";
    let mut usual = HashMap::new();
    for line in include_str!("operator_classes.txt").lines().filter(|line| !line.starts_with('#')) {
        match line.trim().split_once(": ") {
            Some((data_type, class)) => drop(usual.insert((method, data_type), class)),
            None => method = line,
        }
    }
    usual
});

/// Looks up the classes that an index names, and leaves out those that mean nothing.
pub fn settle(object: &mut Object, known: &Known, own: &str) {
    let Definition::Index(index) = &mut object.definition else { return };
    let method = index.clauses.value(clause::USING).unwrap_or("btree").to_owned();
    for part in index.parts.iter_mut() {
        let Some(given) = part.clauses.get(clause::OPERATOR_CLASS).cloned() else { continue };
        let name = known.operator_class(&given.canonical, &method, own);
        let column = names::unquoted(&part.expression.canonical);
        let data_type = known.column_type(index.table.canonical(), &column);
        // With parameters the server says it always (`get_opclass_name()` of ruleutils.c).
        let says_nothing = !part.clauses.has(clause::OPERATOR_CLASS_PARAMETERS)
            && if known.holds_class(&name, &method) {
                known.class_of(index.table.canonical(), &column, &method) == Some(format!("{name} USING {method}"))
            } else {
                is_usual(&method, data_type.map(|data_type| known.effective_type(data_type)), &name)
            };
        if says_nothing {
            part.clauses.remove(clause::OPERATOR_CLASS);
            continue;
        }
        // What is not the model's own is the engine's or an extension's, wherever that was put.
        let canonical = match known.holds_class(&name, &method) {
            true => name,
            false => names::parts(&name).pop().map_or(name, |own| names::quoted(&own)),
        };
        part.clauses.set(clause::OPERATOR_CLASS, Expression::new(canonical, given.written()));
    }
}

/// Whether the server takes the class for values of the type if none is named. Where the type is not known, or has no class of
/// its own, the class tells of which one it is.
pub fn is_usual(method: &str, data_type: Option<String>, class: &str) -> bool {
    let class = class.rsplit_once('.').map_or(class, |(_, class)| class);
    let of = |data_type: &str| USUAL.get(&(method, data_type)).copied();
    let found = data_type.and_then(|data_type| {
        let bare = types::without_modifiers(&data_type);
        let bare = bare.trim_end_matches(" without time zone");
        of(bare).or_else(|| match bare {
            "character varying" => of("text"),
            "cidr" => of("inet"),
            _ if bare.ends_with("[]") => of("anyarray"),
            _ => None,
        })
    });
    match found {
        Some(usual) => usual == class,
        None => USUAL.iter().any(|((of_method, _), usual)| *of_method == method && *usual == class),
    }
}
