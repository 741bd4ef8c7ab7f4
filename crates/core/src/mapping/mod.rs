//! Want under have's names, where a rule maps them.
//!
//! The result replaces want in all later stages, so that scripts, the proof and the ledger have have's names.

mod mapper;
mod near;
mod pass;
mod rule;
mod scope;

use std::collections::{BTreeMap, BTreeSet};

pub use mapper::{Doubt, Mapper, Renamed};
pub use rule::{MapKind, MapRule};

use crate::engine::EngineVersion;
use crate::model::{Clauses, Definition, Kind, Model, Name, NameParts, Object, ObjectKey, Plain, QualifiedName, Scope};
use crate::reread::{Rereading, take_over};
use pass::{Pass, PassResult};

/// Want under have's names.
#[derive(Debug)]
pub struct Mapped {
    /// Want.
    pub want: Model,
    /// The part of a database that want's project is responsible for.
    pub scope: Scope,
    /// Names that may be meant in texts that could not be resolved, and that were left.
    pub doubts: Vec<Doubt>,
}

/// Schemas of want, each with its names in have.
type Schemas = BTreeMap<String, BTreeSet<String>>;

/// Gives want have's names. `scope` is in want's names. Fails with what is wrong with a rule.
pub fn map(
    dialect: &'static dyn Mapper,
    version: EngineVersion,
    (have, want): (&Model, &Model),
    scope: &Scope,
    rules: &[MapRule],
) -> Result<Mapped, String> {
    let schemas = schemas(dialect, (have, want), rules)?;
    let objects = objects(dialect, want, rules)?;
    let columns = columns(dialect, want, &objects, rules)?;
    let pass = Pass { dialect, want, objects: &objects, columns: &columns };
    let single: BTreeMap<&str, &str> = schemas
        .iter()
        .filter_map(|(own, there)| Some((own.as_str(), there.first().filter(|_| there.len() == 1)?.as_str())))
        .collect();
    let PassResult { model: mut mapped, mut renamed, mut doubts } = pass.run(&single)?;
    for (own, there) in schemas.iter().filter(|(_, there)| there.len() > 1) {
        let is_in = |object: &Object| is_in_schema(object, own);
        if let Some(user) = want.objects().find(|object| !is_in(object) && uses_schema(object, own)) {
            return Err(format!(
                "{} is outside the schema {own} and uses it; {own} is mapped to several schemas, so it is not known which one is meant",
                user.key()
            ));
        }
        mapped = mapped.objects().filter(|object| !is_in(object)).cloned().collect();
        for schema in there {
            let mut names = single.clone();
            names.insert(own, schema);
            let copy = pass.run(&names)?;
            mapped.extend(copy.model.objects().filter(|object| is_in_schema(object, schema)).cloned());
            renamed.extend(copy.renamed);
            doubts.extend(copy.doubts);
        }
    }
    let built_in = |name: &str| dialect.is_built_in(&schema_name(dialect, name));
    for (own, schema) in schemas.iter().flat_map(|(own, there)| there.iter().map(move |schema| (own, schema))) {
        let key = ObjectKey::new(Kind::Schema, schema_name(dialect, schema));
        if built_in(schema) {
            mapped.remove(&key);
        } else if built_in(own) {
            let fresh = || {
                Object::new(
                    key.name.clone(),
                    Definition::Plain(Plain { kind: Kind::Schema, owner: None, clauses: Clauses::default() }),
                )
            };
            mapped.insert(have.get(&key).cloned().unwrap_or_else(fresh));
        }
    }
    let changed = |object: &&Object| want.get(&object.key()).map(|old| &old.definition) != Some(&object.definition);
    let changed: BTreeSet<ObjectKey> = mapped.objects().filter(changed).map(Object::key).collect();
    if !changed.is_empty() {
        let reading = Rereading { dialect, version, access: false };
        let read = reading.read(&mapped).0.model;
        take_over(&mut mapped, &changed, &read);
    }
    doubts.sort();
    doubts.dedup();
    let scope = scope::mapped(dialect, scope, &schemas, &renamed);
    Ok(Mapped { want: mapped, scope, doubts })
}

/// The name of a schema, by its identifier.
fn schema_name(dialect: &dyn Mapper, identifier: &str) -> QualifiedName {
    dialect.name_of(Kind::Schema, NameParts { identifier: identifier.into(), ..NameParts::default() })
}

fn is_in_schema(object: &Object, schema: &str) -> bool {
    let name = &object.name;
    if object.definition.kind() == Kind::Schema {
        return name.identifier() == schema;
    }
    name.schema().or_else(|| name.owner()?.schema()) == Some(schema)
}

fn uses_schema(object: &Object, schema: &str) -> bool {
    let parents = object.as_table().into_iter().flat_map(|table| table.foreign_keys.iter()).map(|key| &key.parent);
    let mut used = object.uses.iter().chain(parents).chain(object.definition.owner());
    used.any(|name| name.schema() == Some(schema))
}

/// The names of have's schemas, and of those that its objects are in.
fn schema_names(model: &Model) -> BTreeSet<&str> {
    let own = model.of_kind(Kind::Schema).map(|schema| schema.name.identifier());
    own.chain(model.objects().filter_map(|object| object.name.schema())).collect()
}

fn schemas(dialect: &dyn Mapper, (have, want): (&Model, &Model), rules: &[MapRule]) -> Result<Schemas, String> {
    let in_want = schema_names(want);
    let mut schemas = Schemas::new();
    for rule in rules.iter().filter(|rule| rule.what == MapKind::Schema) {
        if !dialect.engine().capabilities.has_schemas {
            let engine = dialect.engine();
            return Err(format!("`{rule}`: {engine} has no schemas; map tables like table:eu_hives=hives"));
        }
        let in_have: Vec<&str> = match rule.have.contains('*') {
            true => schema_names(have).into_iter().collect(),
            false => vec![&rule.have],
        };
        let mut matches = 0;
        for schema in in_have {
            let Some(own) = rule.schema_in_want(dialect, schema) else { continue };
            let is_built_in = dialect.is_built_in(&schema_name(dialect, &own));
            if !in_want.contains(own.as_str()) && !is_built_in {
                let known: Vec<&str> = in_want.iter().copied().collect();
                let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
                return Err(format!("`{rule}`: want has no schema `{own}`; it has {known}"));
            }
            schemas.entry(own).or_default().insert(schema.to_owned());
            matches += 1;
        }
        if matches == 0 {
            return Err(format!("`{rule}`: have has no schema like `{}`", rule.have));
        }
    }
    // Two schemas can't be one.
    let mut taken: BTreeMap<&str, &str> = BTreeMap::new();
    for (own, schema) in schemas.iter().flat_map(|(own, there)| there.iter().map(move |schema| (own, schema))) {
        let stays = |other: &str| in_want.contains(other) && !schemas.contains_key(other);
        if let Some(other) = taken.insert(schema, own) {
            return Err(format!("the schema {schema} of have can't be both {other} and {own} of want"));
        }
        if own != schema && stays(schema) {
            return Err(format!("the schema {own} can't be called {schema}: want has a schema of this name too"));
        }
    }
    Ok(schemas)
}

/// The objects whose own names are others, each with its name once its schema is mapped; with want's schema if the rule has none.
fn objects(
    dialect: &dyn Mapper,
    want: &Model,
    rules: &[MapRule],
) -> Result<BTreeMap<ObjectKey, QualifiedName>, String> {
    let mut objects = BTreeMap::new();
    let mut used = vec![false; rules.len()];
    for object in want.objects() {
        let key = object.key();
        for (index, rule) in rules.iter().enumerate() {
            let Some(there) = rule.of_object(dialect, &key) else { continue };
            used[index] = true;
            let mut parts = key.name.parts().clone();
            match there.split_once('.').filter(|_| dialect.engine().capabilities.has_schemas) {
                Some((schema, own)) => (parts.schema, parts.identifier) = (Some(schema.into()), own.into()),
                None => parts.identifier = there.as_str().into(),
            }
            objects.entry(key.clone()).or_insert_with(|| dialect.name_of(key.kind, parts));
        }
    }
    let is_of_objects = |rule: &MapRule| matches!(rule.what, MapKind::Objects(_));
    if let Some((rule, _)) = rules.iter().zip(used).find(|(rule, used)| is_of_objects(rule) && !used) {
        return Err(format!("`{rule}`: want has no object like `{}`", rule.want));
    }
    objects.retain(|key, to| key.name.canonical() != to.canonical());
    Ok(objects)
}

fn columns(
    dialect: &dyn Mapper,
    want: &Model,
    objects: &BTreeMap<ObjectKey, QualifiedName>,
    rules: &[MapRule],
) -> Result<BTreeMap<QualifiedName, Vec<(Name, Name)>>, String> {
    let mut columns: BTreeMap<QualifiedName, Vec<(Name, Name)>> = BTreeMap::new();
    for rule in rules.iter().filter(|rule| rule.what == MapKind::Column) {
        let parts = |text: &str| text.rsplit_once('.').map(|(table, column)| (table.to_owned(), column.to_owned()));
        let (Some((there, to)), Some((own, from))) = (parts(&rule.have), parts(&rule.want)) else { continue };
        let (from, to) = (dialect.exact_name(&from), dialect.exact_name(&to));
        let is_called = |name: &QualifiedName, text: &str| match text.split_once('.') {
            Some((schema, own)) => {
                name.schema() == Some(schema) && dialect.exact_name(name.identifier()) == dialect.exact_name(own)
            }
            None => dialect.exact_name(name.identifier()) == dialect.exact_name(text),
        };
        let mut found = want.tables().filter(|(name, table)| is_called(name, &own) && table.column(&from).is_some());
        let Some((name, table)) = found.next() else {
            return Err(format!("`{rule}`: want has no column `{}`", rule.want));
        };
        if let Some((other, _)) = found.next() {
            return Err(format!("`{rule}`: {name} and {other} both have this column; write the schema too"));
        }
        let mapped = objects.get(&ObjectKey::new(Kind::Table, name.clone())).unwrap_or(name);
        if !is_called(mapped, there.rsplit('.').next().unwrap_or(&there)) {
            return Err(format!("`{rule}`: the table is `{}` in have, not `{there}`", mapped.identifier()));
        }
        if table.column(&to).is_some() {
            return Err(format!("`{rule}`: {name} of want has a column `{to}` too"));
        }
        columns.entry(name.clone()).or_default().push((from, to));
    }
    Ok(columns)
}
