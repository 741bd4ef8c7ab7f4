//! The objects that an object needs.

use crate::clause;
use std::collections::HashSet;

use super::super::names;
use super::super::parse::identifier_of;
use super::super::rename::types_mut;
use super::super::{tokens, types};
use super::expression::Scope;
use super::known::Known;
use super::operators;
use super::texts::{self, Form};
use wevrun_core::model::{Definition, Kind, Object, QualifiedName};
use wevrun_core::parse::{Token, TokenKind, token};

impl Known {
    /// The objects of the model that an object needs to be there, ordered.
    pub fn uses(&self, object: &mut Object, scope: &Scope<'_>) -> Vec<QualifiedName> {
        let own = super::own_schema(object);
        let mut found: HashSet<String> = HashSet::new();
        for data_type in types_mut(&mut object.definition) {
            found.extend(types::named(&data_type.canonical).map(str::to_owned));
        }
        for text in texts::of(object, scope) {
            // Their operators, collations and operator classes are in no tree.
            if matches!(text.form, Form::Exclusion | Form::PartitionKey) {
                self.find_in(text.expression.written(), &own, &mut found);
            }
            match text.expression.references.as_ref() {
                Some(all) => found.extend(all.iter().map(|reference| reference.object.canonical().to_owned())),
                // Every word may be a name.
                None => self.find_in(text.expression.written(), &own, &mut found),
            }
        }
        match &object.definition {
            Definition::Table(table) => {
                found.extend(crate::parents_of(table).iter().map(|parent| parent.canonical().to_owned()));
                if !self.default_classes.is_empty() {
                    let keys = table.primary_key.iter().chain(table.unique_keys.iter());
                    let columns = keys.flat_map(|key| &key.parts).map(|part| part.column.canonical());
                    let name = object.name.canonical();
                    found.extend(columns.filter_map(|column| self.class_of(name, column, "btree")));
                }
                found.extend(table.clauses.get(clause::SERVER).map(|server| server.canonical().to_owned()));
                found.extend(table.clauses.value(clause::USING).map(str::to_owned));
                found.extend(
                    table
                        .columns
                        .iter()
                        .filter_map(|column| column.collation.as_ref())
                        .map(|c| c.canonical().to_owned()),
                );
            }
            Definition::Index(index) => {
                found.insert(index.table.canonical().to_owned());
                found.extend(index.clauses.value(clause::USING).map(str::to_owned));
                found.extend(index.clauses.get(clause::ATTACHED_TO).map(|whole| whole.canonical().to_owned()));
                for part in &index.parts {
                    found.extend(part.collation.as_ref().map(|collation| collation.canonical().to_owned()));
                    let method = index.clauses.value(clause::USING).unwrap_or("btree");
                    found.extend(match part.clauses.value(clause::OPERATOR_CLASS) {
                        Some(class) => Some(format!("{class} USING {method}")),
                        None => {
                            let column = names::unquoted(&part.expression.canonical);
                            self.class_of(index.table.canonical(), &column, method)
                        }
                    });
                }
            }
            Definition::Plain(plain) => {
                for (clause, value) in plain.clauses.expressions() {
                    if matches!(
                        clause,
                        "function"
                            | "support"
                            | "from"
                            | "family"
                            | "as"
                            | "symbol"
                            | "definition"
                            | "handler"
                            | "validator"
                            | "wrapper"
                    ) && !(clause == "as" && matches!(plain.kind, Kind::Function | Kind::Procedure))
                        // The server makes shells of operators that are named before they are there.
                        || clause::WITH.has(clause) && !matches!(clause, "with.commutator" | "with.negator")
                        || clause::RANGE.has(clause)
                        || clause::BASE.has(clause)
                        || clause::MAPPING.has(clause)
                        || matches!(clause, "with function" | "from sql" | "to sql")
                    {
                        self.find_names(&value.canonical, &own, &mut found);
                    }
                    found.extend(clause::PUBLISHED_TABLE.member(clause).map(str::to_owned));
                    found.extend(clause::PUBLISHED_SCHEMA.member(clause).map(str::to_owned));
                }
                if matches!(plain.kind, Kind::OperatorClass | Kind::OperatorFamily) {
                    operators::named(&plain.clauses, &mut found);
                    found.insert(operators::method_of(&object.name).to_owned());
                    if let Some(family) = plain.clauses.value(clause::FAMILY) {
                        found.insert(format!("{family} USING {}", operators::method_of(&object.name)));
                    }
                }
                found.extend(plain.clauses.value(clause::WRAPPER).map(str::to_owned));
                found.extend(plain.clauses.get(clause::SERVER).map(|server| server.canonical().to_owned()));
                // The class of a range's type orders it.
                if let Some(subtype) = plain.clauses.value(clause::RANGE_SUBTYPE) {
                    found.extend(match plain.clauses.value(clause::RANGE_SUBTYPE_OPCLASS) {
                        Some(class) => Some(format!("{class} USING btree")),
                        None => self.default_classes.get(&format!("{subtype} USING btree")).cloned(),
                    });
                }
                // A routine depends on the transforms of its types for its language (`ProcedureCreate()` of pg_proc.c).
                if let Some(language) = plain.clauses.value(clause::LANGUAGE) {
                    found.insert(language.to_owned());
                    let returned =
                        plain.clauses.value(clause::RETURNS).map(|name| name.trim_start_matches("SETOF ").to_owned());
                    let arguments = object.name.signature().unwrap_or_default().iter().map(ToString::to_string);
                    let types = arguments.chain(returned);
                    found.extend(types.map(|name| format!("FOR {name} LANGUAGE {language}")));
                }
                if plain.kind != Kind::Sequence {
                    found.extend(plain.owner.as_ref().map(|owner| owner.canonical().to_owned()));
                }
                match plain.kind {
                    Kind::Cast | Kind::Aggregate | Kind::Transform => {
                        self.find_names(object.name.canonical(), &own, &mut found);
                    }
                    Kind::Operator => self.find_names(&names::signature(&object.name), &own, &mut found),
                    _ => {}
                }
            }
            _ => {}
        }
        // The schema in which it is.
        if let Some(schema) = names::schema(&object.name) {
            found.insert(names::quoted(&schema));
        }
        // A multirange is there as soon as its range is.
        let mut found: HashSet<String> =
            found.into_iter().map(|name| self.multiranges.get(&name).cloned().unwrap_or(name)).collect();
        found.remove(object.name.canonical());
        let mut found: Vec<QualifiedName> = found
            .into_iter()
            .filter(|name| self.holds(name))
            .map(|name| self.names.get(&name).cloned().unwrap_or_else(|| names::read(&name)))
            .collect();
        found.sort();
        found
    }

    fn holds(&self, name: &str) -> bool {
        self.relations.contains(name)
            || self.types.contains(name)
            || self.others.contains(name)
            || self
                .routines
                .get(name.split('(').next().unwrap_or(name))
                .is_some_and(|all| all.iter().any(|n| n.canonical() == name))
    }

    /// Whether a look at its tokens is worth while: most texts have but words of the engine's own.
    fn may_name_something(&self, text: &str) -> bool {
        let plain = |byte: u8| byte.is_ascii() && !byte.is_ascii_uppercase() && !matches!(byte, b'"' | b'\'' | b'$');
        let is_word = |ch: char| ch.is_ascii_alphanumeric() || ch == '_';
        !self.operators.is_empty()
            || !text.bytes().all(plain)
            || text.split(|ch| !is_word(ch)).any(|word| self.identifiers.contains(word))
    }

    /// Everything that names in a list are of.
    fn find_names(&self, text: &str, own: &str, found: &mut HashSet<String>) {
        self.find(text, own, true, found);
    }

    /// Everything that the words of a text may name, and the literals that may be names of relations.
    fn find_in(&self, text: &str, own: &str, found: &mut HashSet<String>) {
        self.find(text, own, false, found);
    }

    fn find(&self, text: &str, own: &str, are_whole: bool, found: &mut HashSet<String>) {
        if !self.may_name_something(text) {
            return;
        }
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let mut index = 0;
        while index < tokens.len() {
            let start = index;
            let mut parts = vec![];
            while let Some(token) = tokens.get(index).filter(|t| matches!(t.kind, TokenKind::Word | TokenKind::Quoted))
            {
                parts.push(identifier_of(*token, text));
                index += 1;
                if tokens.get(index).is_some_and(|token| token.is_symbol(text, ".")) {
                    index += 1;
                } else {
                    break;
                }
            }
            if index == start {
                if !self.operators.is_empty() && tokens[index].kind == TokenKind::Symbol {
                    let end = (index..tokens.len())
                        .take_while(|at| {
                            tokens[*at].kind == TokenKind::Symbol
                                && !matches!(tokens[*at].text(text), "(" | ")" | "," | "." | "[" | "]")
                                && (*at == index || tokens[*at].start == tokens[*at - 1].end)
                        })
                        .last();
                    if let Some(end) = end {
                        let symbol = &text[tokens[index].start as usize..tokens[end].end as usize];
                        let same = self.operators.get(symbol).into_iter().flatten();
                        found.extend(same.map(|name| name.canonical().to_owned()));
                        index = end;
                    }
                }
                if let Some(value) = text_name(&tokens[index], text) {
                    parts = names::parts(&value);
                    if let Some(name) = self.relation_in_query(&parts, own) {
                        found.insert(name);
                    }
                }
                index += 1;
                continue;
            }
            let call = tokens.get(index).is_some_and(|token| token.is_symbol(text, "("));
            // schema.table.column and table.column name the table too.
            let shortest = if are_whole { parts.len().min(2) } else { 1 };
            for length in (shortest..=parts.len().min(2)).rev() {
                let parts = &parts[..length];
                if parts.last().is_none_or(|identifier| !self.identifiers.contains(identifier)) {
                    continue;
                }
                let candidates: Vec<String> = match parts {
                    [identifier] => {
                        [own, "public"].into_iter().map(|schema| names::dotted(schema, identifier)).collect()
                    }
                    [schema, identifier] => vec![names::dotted(schema, identifier)],
                    _ => Vec::new(),
                };
                for name in candidates {
                    let name = name.as_str();
                    if self.relations.contains(name) || self.types.contains(name) {
                        found.insert(name.to_owned());
                        // A function may have a type's name.
                        if call && let Some(routines) = self.routines.get(name) {
                            found.extend(routines.iter().map(|name| name.canonical().to_owned()));
                        }
                        break;
                    }
                    if let Some(routines) = self.routines.get(name) {
                        if call || length == 2 || routines.len() == 1 {
                            found.extend(routines.iter().map(|name| name.canonical().to_owned()));
                        }
                        break;
                    }
                    if self.others.contains(name) {
                        found.insert(name.to_owned());
                        break;
                    }
                }
            }
        }
    }
}

/// The text of a constant that may be the name of something: `nextval('hives_id_seq')`.
fn text_name(token: &Token, text: &str) -> Option<String> {
    let value = (token.kind == TokenKind::Text).then(|| tokens::string_value(token.text(text)))??;
    (value.len() < 130 && !value.contains(' ')).then_some(value)
}
