//! PostgreSQL.

mod access;
mod canonical;
mod cascade;
mod check;
mod functions;
mod members;
mod mentions;
mod names;
mod parse;
mod plan;
mod plpgsql;
mod references;
mod rename;
mod rename_schema;
mod sameness;
mod settle;
mod tokens;
mod types;
mod unfolded;
mod using_index;
mod write;

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use sqlparser::dialect::Dialect as TokenRules;

use super::Dialect;
use crate::check::Checks;
use crate::diagnostics::Diagnostic;
use crate::engine::{Engine, EngineVersion};
use crate::fold::{Held, Taken};
use crate::model::{Clauses, Definition, Kind, Model, Name, Object, ObjectKey, Table};
use crate::parse::{Parsed, Reader, Session, StatementKind, Token};
use crate::plan::{Plan, Planning, Probe};
use crate::script::{Frame, Mode};

/// The PostgreSQL dialect.
pub struct Postgres;

/// The schema in a target in which Wevrun keeps its own record.
pub const LEDGER_SCHEMA: &str = "wevrun";

impl Dialect for Postgres {
    fn engine(&self) -> Engine {
        Engine::Postgres
    }

    fn token_rules(&self) -> &'static dyn TokenRules {
        tokens::rules()
    }

    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str> {
        tokens::without_client_commands(text)
    }

    fn included_files(&self, text: &str) -> Vec<(usize, String)> {
        tokens::included_files(text)
    }

    fn statement_length(&self, text: &str, tokens: &[Token]) -> usize {
        tokens::statement_length(text, tokens)
    }

    fn parse_statement(
        &self,
        reader: Reader<'_>,
        comments: &[Token],
        session: &mut Session,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Parsed<Vec<StatementKind>> {
        parse::statement(reader, comments, session, diagnostics)
    }

    fn created_name(&self, text: &str, statement: &[Token]) -> Option<Name> {
        parse::created_name(statement, text)
    }

    fn name(&self, written: &str) -> Name {
        names::simple(&names::folded(written))
    }

    fn is_called(&self, word: &str, name: &Name) -> bool {
        let identifier = if word.starts_with('"') { names::unquoted(word) } else { names::folded(word) };
        identifier == names::identifier(name)
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn schema_and_name(&self, name: &Name) -> (Option<String>, String) {
        let (schema, own) = names::split(name);
        // What is of a table or takes arguments is still named by its own identifier.
        (schema, own)
    }

    fn source_text(&self, object: &Object) -> String {
        let mut statements = write::statements(object);
        statements.extend(write::owned_by(object));
        if let Some(table) = object.as_table() {
            statements.extend(write::late_foreign_keys(&object.name, table));
            statements.extend(write::named_parts(&object.name, table));
            statements.extend(write::late_settings(&object.name, &Clauses::default(), &table.clauses));
        }
        if let crate::model::Definition::View(view) = &object.definition {
            statements.extend(write::clustered(&object.name, view));
        }
        statements.join(";\n")
    }

    fn access_facts(&self, object: &Object) -> BTreeMap<String, String> {
        access::facts(object)
    }

    fn access_statements(&self, object: &Object) -> Vec<String> {
        access::statements(object)
    }

    fn may_be_those_of(&self, nameless: &Object, other: &Object) -> bool {
        access::may_be_those_of(nameless, other)
    }

    fn drop_with_dependents(&self, model: &mut Model, key: &ObjectKey) -> Vec<ObjectKey> {
        cascade::drop_with_dependents(model, key)
    }

    fn partitions(&self, model: &Model, table: &Name) -> Vec<ObjectKey> {
        canonical::partitions(model, table).into_iter().map(|(partition, _)| partition.key()).collect()
    }

    fn short_name(&self, name: &Name) -> Option<Name> {
        let arguments = names::signature(name);
        let short = name.canonical().strip_suffix(arguments).filter(|_| !arguments.is_empty())?;
        Some(Name::new(short, short))
    }

    fn copies(&self, object: &Object) -> bool {
        canonical::copies(object)
    }

    fn take_copies(&self, model: &mut Model, key: &ObjectKey, within: Option<u32>) -> Vec<Object> {
        canonical::take_copies(model, key, within)
    }

    fn settle(&self, object: &mut Object, taken: &Taken) -> Vec<Object> {
        settle::settle(object, taken)
    }

    fn is_incomplete(&self, object: &Object) -> bool {
        settle::is_incomplete(object)
    }

    fn held_names(&self, object: &Object) -> Held {
        settle::held(object)
    }

    fn take_respelled(&self, definition: &mut crate::model::Definition) -> bool {
        let expressions = rename::expressions_mut(definition).into_iter();
        // A plain name or number is given back as it is.
        let respelled = expressions.filter(|expression| expression.canonical.contains(['(', '\'', ' ', '\u{1}']));
        let taken: Vec<()> = respelled.map(|expression| *expression = crate::model::Expression::plain("")).collect();
        !taken.is_empty()
    }

    fn finish(&self, model: &mut Model) {
        canonical::finish(model);
    }

    fn is_internal(&self, name: &Name) -> bool {
        name.canonical() == LEDGER_SCHEMA
            || names::schema(name).as_deref() == Some(LEDGER_SCHEMA)
            || names::halves(name).is_some_and(|(_, owner)| owner.starts_with("wevrun."))
    }

    fn is_built_in(&self, name: &Name) -> bool {
        let schema = names::schema(name);
        let schema = schema.as_deref().unwrap_or_default();
        matches!(schema, "pg_catalog" | "information_schema" | "pg_toast")
            || matches!(name.canonical(), "public" | "pg_catalog" | "information_schema")
    }

    fn is_row_id(&self, name: &Name) -> bool {
        // Columns of the system: https://www.postgresql.org/docs/current/ddl-system-columns.html
        matches!(name.canonical(), "tableoid" | "xmin" | "xmax" | "cmin" | "cmax" | "ctid" | "oid")
    }

    fn order_obstacle(&self, model: &Model, table: &Object) -> Option<&'static str> {
        plan::order_obstacle(model, table)
    }

    fn completes(&self, first: &Object, _: &Object) -> bool {
        // CREATE TYPE name; makes the shell of a base type.
        matches!(&first.definition, Definition::Plain(plain) if plain.kind == Kind::Type && plain.clauses.has("shell"))
    }

    fn share_names(&self, a: Kind, b: Kind) -> bool {
        let group = |kind: Kind| match kind {
            Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView | Kind::Index | Kind::Sequence => {
                Kind::Table
            }
            Kind::Function | Kind::Procedure | Kind::Aggregate => Kind::Function,
            Kind::Type | Kind::Domain => Kind::Type,
            other => other,
        };
        group(a) == group(b)
    }

    fn can_rename(&self, kind: Kind) -> bool {
        // https://www.postgresql.org/docs/current/sql-commands.html has no ALTER … RENAME for these.
        !matches!(
            kind,
            Kind::AccessMethod
                | Kind::Cast
                | Kind::Transform
                | Kind::UserMapping
                | Kind::Extension
                | Kind::Operator
                | Kind::DefaultPrivileges
        )
    }

    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &Name) {
        rename::object(model, key, to);
    }

    fn moved_along(&self, key: &ObjectKey, renamed: Kind, from: &Name, to: &Name) -> Option<ObjectKey> {
        let name = match renamed {
            Kind::Schema => rename_schema::name(&key.name, from, to),
            _ => rename::signature(&key.name, from, to)?,
        };
        (name != key.name).then(|| ObjectKey::new(key.kind, name))
    }

    fn labels(&self, object: &Object) -> Vec<Name> {
        let labels = enum_labels(write::clauses(object)).into_iter().filter(|label| !label.is_empty());
        labels.map(|label| Name::new(label.as_str(), label.as_str())).collect()
    }

    fn rename_column(&self, model: &mut Model, table: &Name, from: &Name, to: &Name) {
        rename::column(model, table, from, to);
    }

    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
        check::check(model, version, checks);
    }

    fn unfold(&self, object: &mut Object) {
        unfolded::unfold(object);
    }

    fn create_statement(&self, object: &Object) -> String {
        match object.definition.kind() {
            Kind::DefaultPrivileges => access::statements(object).join(";\n"),
            _ => write::statements(object).join(";\n"),
        }
    }

    fn ignores_case(&self) -> bool {
        false
    }

    fn client_settings(&self) -> &'static [&'static str] {
        &["\\set ON_ERROR_STOP on"]
    }

    fn structure_query(&self, names: &BTreeSet<Name>, exact: bool) -> String {
        plan::structure::query(names, exact)
    }

    fn structure_facts(&self, model: &Model, names: &BTreeSet<Name>) -> Vec<String> {
        plan::structure::facts(model, names)
    }

    fn structure_guard(&self, names: &BTreeSet<Name>, exact: bool, facts: &[String]) -> String {
        plan::structure::guard(names, exact, facts)
    }

    fn frame(&self, mode: Mode) -> Frame {
        plan::frame(mode)
    }

    fn client_command(&self) -> &'static str {
        "psql -X -v ON_ERROR_STOP=1 -f THIS_FILE DATABASE"
    }

    fn probe_query(&self, probe: &Probe) -> String {
        plan::probe_query(probe)
    }

    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe> {
        plan::probes(planning)
    }

    fn builds_indexes_concurrently(&self) -> bool {
        true
    }

    fn plan(&self, planning: &Planning<'_>) -> Plan {
        plan::plan(planning)
    }

    fn resolve(&self, model: &Model, kind: Kind, name: &Name) -> Option<ObjectKey> {
        let key = ObjectKey::new(kind, name.clone());
        if model.get(&key).is_some() {
            return Some(key);
        }
        // An index may be that of a constraint, which is a part of its table.
        if kind == Kind::Index {
            let (schema, own) = names::split(name);
            let own = names::simple(&own);
            let found = model.tables().find(|(table, definition)| {
                names::schema(table) == schema
                    && (definition.primary_key.iter().chain(definition.unique_keys.iter()).any(|key| key.name == own)
                        || definition.exclusions.iter().any(|check| check.name.as_ref() == Some(&own)))
            });
            let constraint = found.map(|(table, _)| ObjectKey::new(Kind::Table, table.clone()));
            // Or a part of one that is above its table.
            return constraint.or_else(|| Some(canonical::part_names::find(model, name)?.0));
        }
        // A trigger of a partition is that of its parent, which is the parent's; its state is the partition's.
        if kind == Kind::Trigger {
            let (_, owner) = names::halves(name)?;
            let key = ObjectKey::new(Kind::Table, Name::new(owner, owner));
            return model
                .get(&key)
                .filter(|object| object.as_table().is_some_and(|t| t.clauses.has("partition of")))
                .map(Object::key);
        }
        // A routine that is the only one of its name needs no arguments to be named.
        if !matches!(kind, Kind::Function | Kind::Procedure | Kind::Aggregate) || !names::signature(name).is_empty() {
            return None;
        }
        let prefix = format!("{name}(");
        let mut found = model.of_kind(kind).filter(|object| object.name.canonical().starts_with(&prefix));
        found.next().filter(|_| found.next().is_none()).map(Object::key)
    }
}

/// The labels of an enum, each as a text constant, in order.
pub(crate) fn enum_labels(clauses: &Clauses) -> Vec<String> {
    split_list(clauses.value("enum").unwrap_or_default())
}

/// The attributes of a composite type: the name as it stands in SQL, and the rest.
pub(crate) fn attributes(clauses: &Clauses) -> Vec<(String, String)> {
    split_list(clauses.value("attributes").unwrap_or_default())
        .into_iter()
        .map(|attribute| {
            let end = if let Some(inner) = attribute.strip_prefix('"') {
                let mut at = 0;
                while let Some(quote) = inner[at..].find('"') {
                    at += quote + 1;
                    if !inner[at..].starts_with('"') {
                        break;
                    }
                    at += 1;
                }
                at + 1
            } else {
                attribute.find(' ').unwrap_or(attribute.len())
            };
            (attribute[..end].to_owned(), attribute[end..].trim_start().to_owned())
        })
        .collect()
}

/// The names of the tables, or of the type, that a table has columns from.
fn parents_of(table: &Table) -> Vec<Name> {
    let clauses = ["inherits", "partition of", "of"].into_iter().filter_map(|clause| table.clauses.value(clause));
    clauses.flat_map(listed_names).collect()
}

/// The names in a list of canonical names.
fn listed_names(text: &str) -> Vec<Name> {
    split_list(text).iter().map(|name| Name::new(name.as_str(), name.as_str())).collect()
}

/// The items between commas outside parentheses and quotes.
pub(crate) fn split_list(text: &str) -> Vec<String> {
    let mut items = Vec::new();
    let (mut depth, mut quote, mut start) = (0i32, None, 0);
    for (index, ch) in text.char_indices() {
        match (quote, ch) {
            (Some(mark), _) if ch == mark => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(ch),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth -= 1,
            (None, ',') if depth == 0 => {
                items.push(text[start..index].trim().to_owned());
                start = index + 1;
            }
            _ => {}
        }
    }
    let last = text[start..].trim();
    if !last.is_empty() {
        items.push(last.to_owned());
    }
    items
}
