//! Whether two definitions differ in nothing that can be told apart.

use serde_json::Value;

use crate::model::{Definition, is_sure};

/// Whether the definitions differ only in expressions of which one has no canonical form. They may mean the same or not.
pub fn is_unproven(have: &Definition, want: &Definition) -> bool {
    if have.is_sure() && want.is_sure() {
        return false;
    }
    // A view's own list of columns is a part of the query, which can't be told.
    if let (Definition::View(have), Definition::View(want)) = (have, want) {
        return have.clauses == want.clauses;
    }
    let value = |definition: &Definition| serde_json::to_value(definition).unwrap_or_default();
    fits(&value(have), &value(want))
}

fn fits(a: &Value, b: &Value) -> bool {
    if let (Some(a), Some(b)) = (spelling(a), spelling(b)) {
        return a == b || !is_sure(a) || !is_sure(b);
    }
    match (a, b) {
        (Value::Object(a), Value::Object(b)) => {
            a.len() == b.len() && a.iter().all(|(key, value)| b.get(key).is_some_and(|other| fits(value, other)))
        }
        (Value::Array(a), Value::Array(b)) => {
            // Columns and constraints by their names; everything else in order.
            let counterpart = |index: usize, item: &Value| {
                let name = item.get("name");
                let same = |other: &&Value| name.is_some() && other.get("name") == name;
                b.iter().find(same).or(b.get(index)).cloned()
            };
            a.len() == b.len()
                && a.iter().enumerate().all(|(i, item)| counterpart(i, item).is_some_and(|other| fits(item, &other)))
        }
        _ => a == b,
    }
}

/// The canonical spelling of an expression or a name.
fn spelling(value: &Value) -> Option<&str> {
    value.as_str().or_else(|| value.get("canonical").and_then(Value::as_str))
}
