//! The names that canonical texts mention, where a dialect does not record what expressions read.

use serde_json::Value;

use super::Definition;

/// All canonical texts of a definition.
pub fn texts_of(definition: &Definition) -> Vec<String> {
    let mut texts = Vec::new();
    collect(serde_json::to_value(definition).unwrap_or_default(), &mut texts);
    texts
}

fn collect(value: Value, texts: &mut Vec<String>) {
    match value {
        Value::String(text) => texts.push(text),
        Value::Array(items) => items.into_iter().for_each(|item| collect(item, texts)),
        Value::Object(fields) => fields.into_iter().for_each(|(_, field)| collect(field, texts)),
        _ => {}
    }
}

/// Whether a text has the name as a whole word, in a string too: it is better to include too much than too little.
pub fn has_name(text: &str, name: &str) -> bool {
    let is_word = |ch: Option<char>| ch.is_some_and(|ch| ch.is_alphanumeric() || ch == '_' || ch == '$');
    // Quotes in a name are doubled.
    let name = name.replace('"', "\"\"");
    text.match_indices(&name)
        .any(|(at, _)| !is_word(text[..at].chars().next_back()) && !is_word(text[at + name.len()..].chars().next()))
}
