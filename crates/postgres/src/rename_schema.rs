//! A schema under another name, and with it the names of everything that is in it.

use serde_json::Value;

use super::names;
use super::parse::identifier_of;
use super::tokens;
use smol_str::SmolStr;
use wevrun_core::model::{Kind, Model, Name, NameParts, Object, QualifiedName};
use wevrun_core::parse::{Token, TokenKind, token};

/// Renames a schema. The server keeps references by identity, but for what stands in the bodies of routines.
pub fn schema(model: &mut Model, from: &QualifiedName, to: &QualifiedName) {
    let rename = Rename { from: from.identifier().to_owned(), to };
    let objects = model.take_objects();
    model.extend(objects.into_iter().map(|object| rename.object(object, from)));
}

/// A name once the schema is renamed.
pub fn name(name: &QualifiedName, from: &QualifiedName, to: &QualifiedName) -> QualifiedName {
    Rename { from: from.identifier().to_owned(), to }.name(name)
}

/// The fields that hold identifiers of columns, constraints and the like.
const IDENTIFIERS: [&str; 5] = ["identifier", "name", "column", "columns", "parent_columns"];

fn has_objects(value: &Value) -> bool {
    value.as_array().is_some_and(|items| items.iter().any(Value::is_object))
}

struct Rename<'r> {
    /// The schema's identifier.
    from: String,
    to: &'r QualifiedName,
}

impl Rename<'_> {
    fn object(&self, mut object: Object, from: &QualifiedName) -> Object {
        if object.definition.kind() == Kind::Schema && object.name == *from {
            object.name = self.to.clone();
            object.text.clear();
            return object;
        }
        object.name = self.name(&object.name);
        if object.names_in.as_deref() == Some(self.from.as_str()) {
            object.names_in = Some(self.to.identifier().into());
        }
        object.uses.iter_mut().for_each(|used| *used = if *used == *from { self.to.clone() } else { self.name(used) });
        if let Some(reads) = &mut object.reads {
            reads.rename(|read| read.of = self.name(&read.of));
        }
        let before = serde_json::to_value(&object.definition).unwrap_or_default();
        let mut after = before.clone();
        let is_routine = matches!(object.definition.kind(), Kind::Function | Kind::Procedure);
        self.value(&mut after, is_routine);
        if after != before
            && let Ok(definition) = serde_json::from_value(after)
        {
            object.definition = definition;
            object.text.clear();
        }
        object
    }

    /// Every text in a definition but those that the server does not look into.
    fn value(&self, value: &mut Value, is_routine: bool) {
        match value {
            Value::String(text) => *text = self.text(text),
            Value::Array(items) => items.iter_mut().for_each(|item| self.value(item, is_routine)),
            Value::Object(fields) => {
                let is_name = fields.contains_key("printed") && fields.contains_key("identifier");
                if is_name && fields.get("schema").and_then(Value::as_str) == Some(self.from.as_str()) {
                    fields.insert("schema".to_owned(), self.to.identifier().into());
                }
                // The tables of a publication are keys.
                let is_changed = |key: &&String| !key.starts_with("comment on ") && self.key(key) != **key;
                for key in fields.keys().filter(is_changed).cloned().collect::<Vec<_>>() {
                    let field = fields.remove(&key).unwrap_or_default();
                    fields.insert(self.key(&key), field);
                }
                for (key, field) in fields.iter_mut() {
                    let is_body = is_routine && key == "as";
                    // An identifier alone is in no schema, even if it has a dot.
                    let is_name = IDENTIFIERS.contains(&key.as_str()) && !field.is_object() && !has_objects(field);
                    if !is_body && !is_name && key != "comment" && !key.starts_with("comment on ") {
                        self.value(field, is_routine);
                    }
                }
            }
            _ => {}
        }
    }

    /// A key of a clause: `table schema.name`, or `schema name` of a publication of all that is in a schema.
    fn key(&self, key: &str) -> String {
        let own = key.strip_prefix("schema ").is_some_and(|own| own == names::quoted(&self.from));
        if own { format!("schema {}", self.to) } else { self.text(key) }
    }

    fn name(&self, name: &QualifiedName) -> QualifiedName {
        let parts = name.parts();
        let is_in = |schema: &SmolStr| *schema == self.from;
        let renamed = NameParts {
            schema: parts.schema.clone().map(|own| if is_in(&own) { self.to.identifier().into() } else { own }),
            signature: parts.signature.as_ref().map(|types| types.iter().map(|item| self.text(item).into()).collect()),
            owner: parts.owner.as_ref().map(|owner| self.name(owner)),
            ..parts.clone()
        };
        let text = self.text(name.canonical());
        QualifiedName::new(renamed, Name::new(text.as_str(), text.as_str()))
    }

    /// `schema.` before a name, also in a text that is a name: `nextval('schema.numbers')`.
    fn text(&self, text: &str) -> String {
        if !text.contains(&self.from) {
            return text.to_owned();
        }
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let dot = |at: usize| tokens.get(at).is_some_and(|token: &Token| token.is_symbol(text, "."));
        let mut out = String::with_capacity(text.len());
        let mut done = 0;
        for (index, token) in tokens.iter().enumerate() {
            let replaced = match token.kind {
                TokenKind::Word | TokenKind::Quoted if identifier_of(*token, text) == self.from => {
                    (dot(index + 1) && (index == 0 || !dot(index - 1))).then(|| self.to.canonical().to_owned())
                }
                TokenKind::Text => tokens::string_value(token.text(text)).and_then(|value| {
                    let parts = names::parts(&value);
                    let is_name =
                        parts.len() == 2 && parts[0] == self.from && names::dotted(&parts[0], &parts[1]) == value;
                    is_name.then(|| tokens::literal(&format!("{}.{}", self.to, names::quoted(&parts[1]))))
                }),
                _ => None,
            };
            if let Some(replaced) = replaced {
                out.push_str(&text[done..token.start as usize]);
                out.push_str(&replaced);
                done = token.end as usize;
            }
        }
        out.push_str(&text[done..]);
        out
    }
}
