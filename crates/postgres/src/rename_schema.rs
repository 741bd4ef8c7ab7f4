//! A schema under another name, and with it the names of everything that is in it.

use wevrun_core::model::{
    Clauses, Definition, Expression, Kind, Model, Name, NameParts, Object, QualifiedName, Value, edited,
};

use smol_str::SmolStr;

use super::qualified::{self, Form, Reading};
use super::{names, rename};

/// Renames a schema. The server keeps references by identity, except the names in the bodies of routines.
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
        self.definition(&mut object.definition);
        if object.definition != before {
            object.text.clear();
        }
        object
    }

    fn definition(&self, definition: &mut Definition) {
        for name in definition.object_names_mut() {
            *name = self.name(name);
        }
        if let Definition::Table(table) = definition {
            let names = std::mem::take(&mut table.part_names.0);
            table.part_names.0 = names.into_iter().map(|(whole, part)| (self.name(&whole), part)).collect();
            for column in table.columns.iter_mut() {
                column.data_type.iter_mut().for_each(|own| self.spelled(own, Form::Names));
                self.clauses(&mut column.clauses, Kind::Table);
            }
            let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut());
            keys.for_each(|key| self.clauses(&mut key.clauses, Kind::Table));
            for check in table.checks.iter_mut() {
                self.clauses(&mut check.clauses, Kind::Table);
            }
            for exclusion in table.exclusions.iter_mut() {
                exclusion.clauses.expressions_mut().for_each(|(_, own)| self.spelled(own, Form::Expression));
            }
            table.foreign_keys.iter_mut().for_each(|key| self.clauses(&mut key.clauses, Kind::Table));
        }
        if let Definition::Index(index) = definition {
            index.parts.iter_mut().for_each(|part| self.clauses(&mut part.clauses, Kind::Index));
        }
        // Clauses first: those that are expressions are left to the next line.
        let kind = definition.kind();
        rename::all_clauses(definition).into_iter().for_each(|clauses| self.clauses(clauses, kind));
        for expression in rename::expressions_mut(definition) {
            self.spelled(expression, Form::Expression);
        }
    }

    /// The values of clauses, and their names: the tables of a publication are names of clauses. Comments, options, settings and the bodies
    /// of routines are texts that the server does not look into.
    fn clauses(&self, clauses: &mut Clauses, kind: Kind) {
        let is_routine = matches!(kind, Kind::Function | Kind::Procedure);
        let is_text = |name: &str| {
            let is_kept = ["comment on ", "options.", "set."].iter().any(|family| name.starts_with(family));
            is_kept || name == "comment" || is_routine && name == "as"
        };
        let renamed = |(name, value): (&str, &Value)| {
            if is_text(name) || rename::is_expression_clause(kind, name) {
                return (name.to_owned(), value.clone());
            }
            let mut value = value.clone();
            match &mut value {
                Value::Expression(own) => self.spelled(own, Form::Names),
                Value::List(list) => list.iter_mut().for_each(|own| self.spelled(own, Form::Names)),
                Value::Text(text) => *text = self.text(text, Form::Names),
                Value::Flag | Value::Identifier(_) | Value::Identifiers(_) => {}
                Value::Object(_) | Value::Objects(_) => {}
            }
            (self.key(name), value)
        };
        let changed: Vec<(String, Value)> = clauses.in_order().map(renamed).collect();
        *clauses = changed.into_iter().collect();
    }

    fn spelled(&self, expression: &mut Expression, form: Form) {
        let canonical = self.text(&expression.canonical, form);
        let written = self.text(expression.written(), form);
        if canonical != expression.canonical || written != expression.written() {
            *expression = expression.respelled(canonical, &written);
        }
    }

    /// A name of a clause: `table schema.name`, or `schema name` of a publication of all that is in a schema.
    fn key(&self, key: &str) -> String {
        let own = key.strip_prefix("schema ").is_some_and(|own| own == names::quoted(&self.from));
        if own { format!("schema {}", self.to) } else { self.text(key, Form::Names) }
    }

    fn name(&self, name: &QualifiedName) -> QualifiedName {
        let parts = name.parts();
        let is_in = |schema: &SmolStr| *schema == self.from;
        let renamed = NameParts {
            schema: parts.schema.clone().map(|own| if is_in(&own) { self.to.identifier().into() } else { own }),
            signature: parts
                .signature
                .as_ref()
                .map(|types| types.iter().map(|item| self.text(item, Form::Names).into()).collect()),
            owner: parts.owner.as_ref().map(|owner| self.name(owner)),
            ..parts.clone()
        };
        let text = self.text(name.canonical(), Form::Names);
        QualifiedName::new(renamed, Name::new(text.as_str(), text.as_str()))
    }

    /// The schema before the names in a text, also in a literal that is a name: `nextval('schema.numbers')`.
    fn text(&self, text: &str, form: Form) -> String {
        if !text.contains(&self.from) {
            return text.to_owned();
        }
        let places = qualified::places(text, &self.from, form);
        let edit = |(span, reading)| match reading {
            Reading::Schema => (span, self.to.canonical().to_owned()),
            Reading::Literal(own) => (span, super::tokens::literal(&format!("{}.{}", self.to, names::quoted(&own)))),
        };
        edited(text, &places.into_iter().map(edit).collect::<Vec<_>>())
    }
}
