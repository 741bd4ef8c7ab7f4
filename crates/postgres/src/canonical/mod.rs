//! What needs the whole schema to be known: copies and inheritance, names without a schema, what expressions mean.

mod bounds;
mod casts;
mod constants;
mod copies;
mod ctes;
mod defaults;
mod exclusion;
mod expression;
mod follow;
mod from;
mod geometry;
mod index_parts;
mod infer;
mod inheritance;
mod interval;
mod joins;
mod known;
mod literal;
mod neighbours;
mod network;
mod nodes;
pub mod not_null_names;
mod operator_classes;
mod operators;
mod outputs;
pub mod part_names;
mod partition_key;
mod readable;
mod references;
mod scope;
mod search_terms;
mod select_list;
mod sets;
mod standalone;
mod stored;
mod text_search;
mod texts;
mod tree;
mod type_names;
mod uses;
mod walk;

use crate::clause;
pub use copies::{copies, take as take_copies};
pub use exclusion::expressions as exclusion_expressions;
pub use expression::{parse_expression, parse_unchanged};
pub use follow::{Renamed, What, follow};
pub use index_parts::{attached_to, index_of_key, key_of_index};
pub use inheritance::{ancestors, partitions};
pub use outputs::index_column;
use rayon::prelude::*;
pub use standalone::{above, standalone, without_parent, without_type};
pub use text_search::replace_dictionary;
pub use tree::ident_value as identifier_of_tree;
pub use type_names::{is_generated, multirange};

use super::names;
use super::rename::{all_clauses, types_mut};
use defaults::{remove_definition_defaults, remove_routine_defaults, remove_type_defaults};
use known::Known;
use texts::{Form, Text};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Model, Name, Object, OnConflict, QualifiedName};

/// Makes a folded model canonical.
pub fn finish(model: &mut Model) {
    text_search::copy(model);
    let known = Known::of(model);
    let mut objects = model.take_objects();
    objects.par_iter_mut().for_each(|object| resolve(object, &known));
    model.extend(objects);
    inheritance::expand(model);
    operators::place_members(model);
    referenced_columns(model);
    let known = known_of(model);
    let mut objects = model.take_objects();
    objects.par_iter_mut().for_each(|object| {
        operator_classes::settle(object, &known, &own_schema(object));
        let scope = expression::Scope::of(object, &known);
        spell(object, &scope);
        object.uses = known.uses(object, &scope);
        scope.record(object);
        if may_hold_secrets(object.definition.kind()) {
            object.text.clear();
        }
    });
    model.extend(objects);
}

/// Resolves the names in the texts of a canonical model, whose structure stays the same.
pub fn resolve_names(model: &mut Model) {
    let known = known_of(model);
    let mut objects = model.take_objects();
    objects.par_iter_mut().for_each(|object| {
        let scope = expression::Scope::of(object, &known);
        for Text { expression, form, wanted } in texts::of(object, &scope) {
            if expression.references.is_none() {
                let spelling = scope.spelling_of(&form, expression.written(), wanted.as_deref(), &[]);
                let resolved = spelling.filter(|spelling| spelling.is_resolved);
                expression.references.0 = resolved.map(|spelling| spelling.references);
            }
        }
    });
    model.extend(objects);
}

pub use neighbours::around;
pub use operators::method_of;
pub use type_names::is_plainly_built_in;

/// A canonical copy of a model that is still being folded.
pub fn finished(model: &Model) -> Model {
    let mut whole = model.clone();
    finish(&mut whole);
    whole
}

/// Whether the person's own text may hold a password: then it is kept nowhere.
fn may_hold_secrets(kind: Kind) -> bool {
    matches!(
        kind,
        Kind::ForeignDataWrapper | Kind::Server | Kind::UserMapping | Kind::ForeignTable | Kind::Subscription
    )
}

/// Everything by name, with the columns of views.
fn known_of(model: &Model) -> Known {
    let mut known = Known::of(model);
    view_columns(model, &mut known);
    known
}

/// Learns the columns of views: those of views on tables first, then of views on these, and so on.
fn view_columns(model: &Model, known: &mut Known) {
    let mut waiting: Vec<&Object> = model.of_kind(Kind::View).chain(model.of_kind(Kind::MaterializedView)).collect();
    loop {
        let found: Vec<(String, scope::Columns)> = waiting
            .par_iter()
            .filter_map(|object| {
                let Definition::View(view) = &object.definition else { return None };
                let mut columns = expression::Scope::of(object, known).outputs(view.query.written())?;
                columns.iter_mut().zip(&view.columns).for_each(|(column, name)| column.0 = name.canonical().to_owned());
                Some((object.name.canonical().to_owned(), columns))
            })
            .collect();
        // What a view on a view has may be known only when that one is.
        let is_new = |(name, columns): &(String, scope::Columns)| {
            known.columns.get(name).is_none_or(|before| before.iter().ne(columns.iter()))
        };
        let found: Vec<_> = found.into_iter().filter(is_new).collect();
        if found.is_empty() {
            return;
        }
        known.columns.extend(found);
        waiting.retain(|object| {
            let columns = known.columns.get(object.name.canonical());
            columns.is_none_or(|columns| columns.iter().any(|(_, data_type)| data_type.is_none()))
        });
    }
}

/// The schema in which names of an object's definition are looked for first.
pub fn own_schema(object: &Object) -> String {
    object.names_in.as_ref().map_or_else(|| home_schema(object), ToString::to_string)
}

/// The schemas in which names are looked for by default.
pub const USUAL_PATH: &str = "public";

/// The schemas in which the names of an object's definition that have none are looked for.
pub fn path_for(object: &Object) -> String {
    match own_schema(object) {
        schema if schema == USUAL_PATH => schema,
        schema => format!("{}, {USUAL_PATH}", names::quoted(&schema)),
    }
}

/// The schema in which an object is, or what it stands on.
pub fn home_schema(object: &Object) -> String {
    let of_name = names::schema(&object.name);
    of_name.or_else(|| object.definition.owner().and_then(names::schema)).unwrap_or_else(|| "public".to_owned())
}

/// Gives every name that has no schema the one in which it is found, and settles what depends on that.
fn resolve(object: &mut Object, known: &Known) {
    let (own, home) = (own_schema(object), home_schema(object));
    let kind = object.definition.kind();
    let types = types_mut(&mut object.definition);
    for data_type in types.into_iter().filter(|given| !type_names::is_plainly_built_in(&given.canonical)) {
        let canonical = known.qualified_types(&data_type.canonical, &own);
        *data_type = Expression::new(canonical, data_type.written());
    }
    if matches!(
        kind,
        Kind::Function | Kind::Procedure | Kind::Aggregate | Kind::Operator | Kind::Cast | Kind::Transform
    ) {
        object.name = known.qualified_signature(object.definition.kind(), &object.name, &own);
    }
    operators::resolve(object, known, &own);
    match &mut object.definition {
        Definition::Table(table) => {
            for key in table.foreign_keys.iter_mut() {
                key.parent = known.relation(&key.parent, &own);
            }
            if let Some(listed) = table.clauses.get(clause::INHERITS) {
                let parents: Vec<QualifiedName> = listed.iter().map(|parent| known.parent(parent)).collect();
                table.clauses.set(clause::INHERITS, parents);
            }
            if let Some(parent) = table.clauses.get(clause::PARTITION_OF) {
                let parent = known.parent(parent);
                table.clauses.set(clause::PARTITION_OF, parent);
            }
            let table_name = names::identifier(&object.name);
            let unlogged = table.clauses.has(clause::UNLOGGED);
            for column in table.columns.iter_mut() {
                if let Some(collation) = &mut column.collation {
                    *collation = known.collation(collation, &own);
                }
                // The sequence of an identity column has a name of its own only if it is not the usual one.
                if let Some(given) = column.clauses.get(clause::IDENTITY_NAME).cloned() {
                    if given.identifier() == names::made_up(&table_name, column.name.canonical(), "seq") {
                        column.clauses.remove(clause::IDENTITY_NAME);
                    } else if names::is_unresolved(&given) {
                        column.clauses.set(clause::IDENTITY_NAME, names::qualified(&own, given.identifier()));
                    }
                }
                if column.clauses.has(clause::IDENTITY) {
                    let options = identity_options(&column.clauses);
                    for (name, _) in options.iter() {
                        column.clauses.remove_named(&clause::IDENTITY_OPTION.of(name).name());
                    }
                    super::change::set_identity_options(column, options);
                    column.clauses.remove(if unlogged { clause::IDENTITY_UNLOGGED } else { clause::IDENTITY_LOGGED });
                    column.not_null = Some(OnConflict::Abort);
                }
                if let (Some(data_type), Some(storage)) = (&column.data_type, column.clauses.value(clause::STORAGE))
                    && known.usual_storage(&data_type.canonical) == Some(storage)
                {
                    column.clauses.remove(clause::STORAGE);
                }
            }
            // Made when the table is created; a partition has its own only by the parent's.
            table.clauses.remove(clause::ONLY);
        }
        Definition::Index(index) => {
            for collation in index.parts.iter_mut().filter_map(|part| part.collation.as_mut()) {
                *collation = known.collation(collation, &own);
            }
        }
        Definition::Plain(plain) => {
            match plain.kind {
                Kind::Extension => {
                    // Those of procedural languages are always there: their control files say so.
                    if matches!(plain.clauses.value(clause::SCHEMA), Some("public" | "pg_catalog")) {
                        plain.clauses.remove(clause::SCHEMA);
                    }
                    // It comes with the extension.
                    plain.clauses.remove(clause::COMMENT);
                }
                Kind::Type => {
                    remove_type_defaults(&object.name, &mut plain.clauses);
                    if let Some(class) = plain.clauses.value(clause::RANGE_SUBTYPE_OPCLASS) {
                        let class = known.operator_class(class, "btree", &own);
                        plain.clauses.set_text(clause::RANGE_SUBTYPE_OPCLASS, class);
                    }
                    if let Some(collation) = plain.clauses.value(clause::RANGE_COLLATION) {
                        let bare = collation.strip_prefix("pg_catalog.").unwrap_or(collation);
                        let found = known.other(bare, &own);
                        plain.clauses.set_text(clause::RANGE_COLLATION, found);
                    }
                }
                Kind::Function | Kind::Procedure => remove_routine_defaults(&mut plain.clauses),
                Kind::Aggregate | Kind::Operator => remove_definition_defaults(plain.kind, &mut plain.clauses),
                Kind::Collation if plain.clauses.value(clause::WITH_PROVIDER) == Some("libc") => {
                    plain.clauses.remove(clause::WITH_PROVIDER);
                }
                _ => {}
            }
            if !matches!(plain.kind, Kind::Function | Kind::Procedure)
                && let Some(definition) = plain.clauses.get(clause::DEFINITION)
            {
                let canonical = definition.canonical.replace("public.", "").replace("pg_catalog.", "");
                let written = definition.written().to_owned();
                plain.clauses.set(clause::DEFINITION, Expression::new(canonical, &written));
            }
            if let Some(parent) =
                plain.clauses.value(clause::FROM).map(str::to_owned).filter(|_| plain.kind == Kind::Trigger)
            {
                let name = known.relation(&names::read(&parent), &own);
                plain.clauses.set_text(clause::FROM, name.canonical());
            }
        }
        _ => {}
    }
    for clauses in all_clauses(&mut object.definition) {
        for clause in clause::FUNCTION_REFERENCES {
            let Some(name) = clauses.value(clause).map(str::to_owned) else { continue };
            let resolved = known.function(&name, &own);
            if resolved != name {
                clauses.set_text(clause, resolved);
            }
        }
        if let Some(of) = clauses.get(clause::OF) {
            let of = names::read(&known.qualified_types(of.canonical(), &own));
            clauses.set(clause::OF, of);
        }
        for (_, value) in clauses.expressions_mut().filter(|(name, _)| clause::MAPPING.has(name)) {
            let found: Vec<String> =
                super::split_list(&value.canonical).iter().map(|name| known.dictionary(name, &own)).collect();
            *value = Expression::new(found.join(", "), value.written());
        }
        for (name, value) in clauses.expressions_mut() {
            if FUNCTIONS_OF_DEFINITIONS.contains(&name) && matches!(kind, Kind::Aggregate | Kind::Operator) {
                *value = Expression::plain(known.function(&value.canonical, &own));
            }
            // What is of the engine needs no schema; what is of the object's own is found there.
            if clause::WITH.has(name)
                && !matches!(kind, Kind::Aggregate | Kind::Operator)
                && !matches!(kind, Kind::Table | Kind::View | Kind::Index)
            {
                let plain = without_schema(&value.canonical, &home);
                if plain != value.canonical {
                    *value = Expression::plain(plain);
                }
            }
            // The server folds the values of switches.
            if let Some(switch) = clause::WITH.member(name)
                && matches!(
                    value.canonical.to_ascii_lowercase().as_str(),
                    "on" | "yes" | "true" | "off" | "no" | "false"
                )
                && !matches!(switch, "buffering" | "vacuum_index_cleanup" | "provider" | "security_barrier_name")
            {
                let on = matches!(value.canonical.to_ascii_lowercase().as_str(), "on" | "yes" | "true");
                *value = Expression::new(if on { "true" } else { "false" }.to_owned(), value.written());
            }
        }
    }
}

/// What functions are of an aggregate or operator.
const FUNCTIONS_OF_DEFINITIONS: [&str; 11] = [
    "with.function",
    "with.restrict",
    "with.join",
    "with.sfunc",
    "with.finalfunc",
    "with.combinefunc",
    "with.serialfunc",
    "with.deserialfunc",
    "with.msfunc",
    "with.minvfunc",
    "with.mfinalfunc",
];

/// `pg_catalog.simple` and `OPERATOR(public.###)` as `simple` and `###`.
fn without_schema(text: &str, own: &str) -> String {
    let inner = text
        .get(..9)
        .filter(|head| head.eq_ignore_ascii_case("operator "))
        .and_then(|_| text[9..].trim().strip_prefix('(')?.strip_suffix(')'))
        .unwrap_or(text);
    let own = format!("{}.", names::quoted(own));
    let short = inner.strip_prefix("pg_catalog.").or(inner.strip_prefix(own.as_str())).unwrap_or(inner);
    short.to_owned()
}

fn identity_options(clauses: &Clauses) -> Clauses {
    let mut options = Clauses::default();
    for (name, value) in clauses.iter() {
        if let Some(name) = clause::IDENTITY_OPTION.member(name) {
            options.set_named(name, value.clone());
        }
    }
    options
}

/// A foreign key that names no columns of its parent means the primary key.
fn referenced_columns(model: &mut Model) {
    let keys: std::collections::HashMap<QualifiedName, Vec<Name>> = model
        .tables()
        .filter_map(|(name, table)| {
            let key = table.primary_key.as_ref()?;
            Some((name.clone(), key.parts.iter().map(|part| part.column.clone()).collect()))
        })
        .collect();
    for object in model.objects_mut() {
        let Definition::Table(table) = &mut object.definition else { continue };
        for key in table.foreign_keys.iter_mut().filter(|key| key.parent_columns.is_empty()) {
            if let Some(columns) = keys.get(&key.parent).filter(|columns| columns.len() == key.columns.len()) {
                key.parent_columns.clone_from(columns);
            }
        }
    }
}

/// Brings all texts of an object to their canonical form.
fn spell(object: &mut Object, scope: &expression::Scope<'_>) {
    let columns = match &object.definition {
        Definition::View(view) => view.columns.clone(),
        _ => Vec::new(),
    };
    // The server puts a list of names into the query, and so do we.
    let named = match &object.definition {
        Definition::View(view) if !columns.is_empty() => scope.named(view.query.written(), &columns),
        _ => None,
    };
    for Text { expression, form, wanted } in texts::of(object, scope) {
        let spelling_of = |text: &str| scope.spelling_of(&form, text, wanted.as_deref(), &columns);
        // The parser has brought the words around the elements of these to one spelling.
        let is_list = matches!(form, Form::PartitionKey | Form::Bound(_));
        let source = if is_list { &expression.canonical } else { expression.written() };
        let Some(mut spelling) = spelling_of(source) else { continue };
        if *source != *expression.written() {
            match spelling_of(expression.written()) {
                Some(written) => {
                    (spelling.references, spelling.is_resolved) = (written.references, written.is_resolved)
                }
                None => spelling.is_resolved = false,
            }
        }
        *expression = spelling.of(expression.written());
    }
    match &mut object.definition {
        // The server keeps DEFAULT NULL only if NULL has to be made to fit the column (`AddRelationNewConstraints()`
        // of heap.c).
        Definition::Table(table) => {
            for column in table.columns.iter_mut() {
                let fitted = column.data_type.as_ref().is_some_and(|data_type| scope.fits_values(&data_type.canonical));
                column.default.take_if(|default| default.canonical == "NULL" && !fitted);
            }
        }
        Definition::View(view) => {
            if let Some(named) = named {
                view.columns.clear();
                view.query = scope.query(&named, &[]).of(&named);
            }
        }
        _ => {}
    }
}

/// The columns of views, with their types as far as they can be known.
pub type Outputs = std::collections::HashMap<QualifiedName, scope::Columns>;

/// The columns of all views of a model.
pub fn view_outputs(model: &Model) -> Outputs {
    let known = known_of(model);
    let views = model.of_kind(Kind::View).chain(model.of_kind(Kind::MaterializedView));
    views.filter_map(|view| Some((view.name.clone(), known.columns.get(view.name.canonical())?.clone()))).collect()
}
