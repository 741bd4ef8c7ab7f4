//! A schema under another name, and with it the names of everything that is in it.

use wevrun_core::model::{Clauses, Definition, Kind, Model, Name, NameParts, Object, QualifiedName, Value, edited};

use smol_str::SmolStr;

use super::qualified::{self, Reading};
use super::{names, rename};

/// Renames a schema. The server keeps references by identity, but for the names in the bodies of routines.
pub fn schema(model: &mut Model, from: &QualifiedName, to: &QualifiedName) {
    let rename = Rename { from: from.identifier().to_owned(), to };
    let objects = model.take_objects();
    model.extend(objects.into_iter().map(|object| rename.object(object, from)));
}

/// A name once the schema is renamed.
pub fn name(name: &QualifiedName, from: &QualifiedName, to: &QualifiedName) -> QualifiedName {
    Rename { from: from.identifier().to_owned(), to }.name(name)
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
        let before = object.definition.clone();
        self.definition(&mut object.definition, from);
        if object.definition != before {
            object.text.clear();
        }
        object
    }

    fn definition(&self, definition: &mut Definition, from: &QualifiedName) {
        for name in definition.object_names_mut() {
            *name = if *name == *from { self.to.clone() } else { self.name(name) };
        }
        if let Definition::Table(table) = definition {
            let names = std::mem::take(&mut table.part_names.0);
            table.part_names.0 = names.into_iter().map(|(whole, part)| (self.name(&whole), part)).collect();
            for column in table.columns.iter_mut() {
                column.data_type.iter_mut().for_each(|own| self.expression(own));
                column.default.iter_mut().for_each(|own| self.expression(own));
                column.generated.iter_mut().for_each(|own| self.expression(&mut own.expression));
                self.clauses(&mut column.clauses, false);
            }
            let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut());
            keys.for_each(|key| self.clauses(&mut key.clauses, false));
            for check in table.checks.iter_mut().chain(table.exclusions.iter_mut()) {
                self.expression(&mut check.condition);
                self.clauses(&mut check.clauses, false);
            }
            table.foreign_keys.iter_mut().for_each(|key| self.clauses(&mut key.clauses, false));
        }
        match definition {
            Definition::Index(index) => {
                for part in index.parts.iter_mut() {
                    self.expression(&mut part.expression);
                    self.clauses(&mut part.clauses, false);
                }
                index.predicate.iter_mut().for_each(|own| self.expression(own));
            }
            Definition::View(view) => self.expression(&mut view.query),
            _ => {}
        }
        let is_routine = matches!(definition.kind(), Kind::Function | Kind::Procedure);
        for clauses in rename::all_clauses(definition) {
            self.clauses(clauses, is_routine);
        }
    }

    /// The values of clauses, and their names: the tables of a publication are names of clauses. Comments and the bodies of routines are
    /// texts that the server does not look into.
    fn clauses(&self, clauses: &mut Clauses, is_routine: bool) {
        let is_text = |name: &str| name == "comment" || name.starts_with("comment on ") || is_routine && name == "as";
        let renamed = |(name, value): (&str, &Value)| {
            if is_text(name) {
                return (name.to_owned(), value.clone());
            }
            let mut value = value.clone();
            match &mut value {
                Value::Expression(own) => self.expression(own),
                Value::List(list) => list.iter_mut().for_each(|own| self.expression(own)),
                Value::Text(text) => *text = self.text(text),
                Value::Flag | Value::Identifier(_) | Value::Identifiers(_) => {}
                Value::Object(_) | Value::Objects(_) => {}
            }
            (self.key(name), value)
        };
        let changed: Vec<(String, Value)> = clauses.in_order().map(renamed).collect();
        *clauses = changed.into_iter().collect();
    }

    fn expression(&self, expression: &mut wevrun_core::model::Expression) {
        let (canonical, written) = (self.text(&expression.canonical), self.text(expression.written()));
        if canonical != expression.canonical || written != expression.written() {
            *expression = expression.respelled(canonical, &written);
        }
    }

    /// A name of a clause: `table schema.name`, or `schema name` of a publication of all that is in a schema.
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

    /// The schema before the names in a text, also in a literal that is a name: `nextval('schema.numbers')`.
    fn text(&self, text: &str) -> String {
        if !text.contains(&self.from) {
            return text.to_owned();
        }
        let places = qualified::places(text, &self.from);
        let edit = |(span, reading)| match reading {
            Reading::Schema => (span, self.to.canonical().to_owned()),
            Reading::Literal(own) => (span, super::tokens::literal(&format!("{}.{}", self.to, names::quoted(&own)))),
        };
        edited(text, &places.into_iter().map(edit).collect::<Vec<_>>())
    }
}
