//! What a model holds, by name, so that references can be looked up.

use crate::clause;
use std::collections::{HashMap, HashSet};
use std::sync::Mutex;

use rayon::prelude::*;

use super::super::names;
use super::super::{split_list, types};
use super::expression::Spelling;
use super::scope::{Columns, FunctionRows};
use super::type_names::multirange;
use wevrun_core::model::{Clauses, Definition, Kind, Model, QualifiedName, Table};

/// Names by what they can stand for.
pub struct Known {
    /// The names of all objects without their schemas: a word that is none of them names nothing.
    pub(super) identifiers: HashSet<String>,
    pub(super) relations: HashSet<String>,
    pub(super) types: HashSet<String>,
    pub(super) routines: HashMap<String, Vec<QualifiedName>>,
    /// Those that take any number of arguments.
    variadic: HashSet<QualifiedName>,
    /// What routines return, by their names with their signatures.
    returned: HashMap<String, String>,
    /// What the rows of routines are that stand in FROM, by their names with their signatures.
    rows: HashMap<String, Rows>,
    /// The attributes of composite types.
    composites: HashMap<String, Columns>,
    pub(super) others: HashSet<String>,
    /// The names of all objects, by how they are printed.
    pub(super) names: HashMap<String, QualifiedName>,
    /// The names of operators by their symbols.
    pub(super) operators: HashMap<String, Vec<QualifiedName>>,
    /// The default operator classes: `public.weight USING btree`.
    pub(super) default_classes: HashMap<String, String>,
    /// The types of the columns of every table, and of the views whose columns are known.
    pub columns: HashMap<String, Columns>,
    /// Defaults of columns that have been spelled: the same few stand on many columns.
    pub(super) defaults: Mutex<HashMap<String, Spelling>>,
    /// What the rows of partitioned tables are partitioned by.
    pub(super) partition_keys: HashMap<String, String>,
    /// What domains are made of.
    domains: HashMap<String, String>,
    /// The range types of multiranges, which are made with them.
    pub(super) multiranges: HashMap<String, String>,
    /// Enum types (true), and composite and range types (false).
    pub(super) structured: HashMap<String, bool>,
}

/// The rows that a routine gives.
enum Rows {
    /// Its own columns: RETURNS TABLE, or OUT arguments.
    Listed(Columns),
    /// Values of a type.
    Of(String),
}

/// What the rows are that a routine gives; none if nobody knows before it is called.
fn rows(clauses: &Clauses) -> Option<Rows> {
    let column = |text: &str| text.split_once(' ').map(|(name, of)| (names::unquoted(name), Some(of.to_owned())));
    let returns = clauses.value(clause::RETURNS)?;
    if let Some(list) = returns.strip_prefix("TABLE(").and_then(|rest| rest.strip_suffix(')')) {
        let columns: Option<Vec<_>> =
            split_list(list).iter().map(|item| column(item.strip_prefix("TABLE ").unwrap_or(item))).collect();
        return Some(Rows::Listed(columns?.into_iter().collect()));
    }
    let listed: Vec<(String, Option<String>)> = split_list(clauses.value(clause::ARGUMENTS).unwrap_or_default())
        .iter()
        .filter_map(|item| column(item.strip_prefix("OUT ").or(item.strip_prefix("INOUT "))?))
        .collect();
    if !listed.is_empty() {
        return Some(Rows::Listed(listed.into_iter().collect()));
    }
    let of = returns.strip_prefix("SETOF ").unwrap_or(returns);
    (!of.starts_with("any") && !matches!(of, "record" | "trigger" | "void")).then(|| Rows::Of(of.to_owned()))
}

/// The columns of all tables.
fn columns(model: &Model) -> HashMap<String, Columns> {
    let tables: Vec<(&QualifiedName, &Table)> = model
        .objects()
        .filter_map(|object| match &object.definition {
            Definition::Table(table) => Some((&object.name, table)),
            _ => None,
        })
        .collect();
    let columns = tables.par_iter().map(|(name, table)| {
        let columns = table.columns.iter().map(|column| {
            let data_type = column.data_type.as_ref().map(|data_type| data_type.canonical.clone());
            (column.name.canonical().to_owned(), data_type)
        });
        (name.canonical().to_owned(), columns.collect())
    });
    columns.collect()
}

impl Known {
    /// Everything in a model.
    pub fn of(model: &Model) -> Known {
        let (columns, known) = rayon::join(|| columns(model), || Known::without_columns(model));
        Known { columns, ..known }
    }

    fn without_columns(model: &Model) -> Known {
        let mut known = Known {
            identifiers: HashSet::new(),
            relations: HashSet::new(),
            types: HashSet::new(),
            routines: HashMap::new(),
            variadic: HashSet::new(),
            returned: HashMap::new(),
            rows: HashMap::new(),
            composites: HashMap::new(),
            others: HashSet::new(),
            names: HashMap::new(),
            operators: HashMap::new(),
            default_classes: HashMap::new(),
            columns: HashMap::new(),
            defaults: Mutex::default(),
            partition_keys: HashMap::new(),
            domains: HashMap::new(),
            multiranges: HashMap::new(),
            structured: HashMap::new(),
        };
        for object in model.objects() {
            let name = object.name.canonical().to_owned();
            known.identifiers.insert(names::identifier(&object.name));
            known.names.insert(name.clone(), object.name.clone());
            match object.definition.kind() {
                Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView => {
                    // Every relation's rows have a type of its name.
                    known.types.insert(name.clone());
                    known.relations.insert(name.clone());
                    if let Some(key) = object.as_table().and_then(|table| table.clauses.value(clause::PARTITION_BY)) {
                        known.partition_keys.insert(name.clone(), key.to_owned());
                    }
                }
                Kind::Sequence | Kind::Index => {
                    known.relations.insert(name.clone());
                }
                Kind::Type | Kind::Domain => {
                    known.types.insert(name.clone());
                    // A range brings its multirange.
                    if let Definition::Plain(plain) = &object.definition
                        && plain.kind == Kind::Domain
                    {
                        known
                            .domains
                            .insert(name.clone(), plain.clauses.value(clause::AS).unwrap_or_default().to_owned());
                    }
                    if let Definition::Plain(plain) = &object.definition
                        && plain.kind == Kind::Type
                    {
                        let enumerated = plain.clauses.has(clause::ENUM);
                        if plain.clauses.has(clause::ATTRIBUTES) {
                            let attributes = super::super::attributes(&plain.clauses);
                            let columns =
                                attributes.into_iter().map(|(name, of)| (names::unquoted(&name), Some(of))).collect();
                            known.composites.insert(name.clone(), columns);
                        }
                        if enumerated
                            || plain.clauses.has(clause::ATTRIBUTES)
                            || plain.clauses.has(clause::RANGE_SUBTYPE)
                        {
                            known.structured.insert(name.clone(), enumerated);
                        }
                    }
                    if let Definition::Plain(plain) = &object.definition
                        && plain.clauses.has(clause::RANGE_SUBTYPE)
                    {
                        let multirange = multirange(&object.name, &plain.clauses);
                        known.identifiers.extend(names::parts(&multirange).pop());
                        known.multiranges.insert(multirange.clone(), name.clone());
                        known.types.insert(multirange);
                    }
                }
                Kind::Function | Kind::Procedure | Kind::Aggregate => {
                    let base = names::without_signature(&object.name).canonical().to_owned();
                    known.routines.entry(base).or_default().push(object.name.clone());
                    let arguments = super::super::write::clauses(object).value(clause::ARGUMENTS).unwrap_or_default();
                    if split_list(arguments).last().is_some_and(|last| last.starts_with("VARIADIC ")) {
                        known.variadic.insert(object.name.clone());
                    }
                    let of_routine = rows(super::super::write::clauses(object));
                    known.rows.extend(of_routine.map(|rows| (name.clone(), rows)));
                    if let Definition::Plain(plain) = &object.definition
                        && let Some(returns) = plain.clauses.value(clause::RETURNS)
                        && !returns.starts_with("SETOF ")
                    {
                        known.returned.insert(name.clone(), returns.to_owned());
                    }
                }
                kind => {
                    if let (Kind::OperatorClass, Definition::Plain(plain)) = (kind, &object.definition)
                        && plain.clauses.has(clause::DEFAULT)
                        && let Some([method]) = object.name.signature()
                    {
                        let data_type = plain.clauses.value(clause::FOR_TYPE).unwrap_or_default();
                        known.default_classes.insert(format!("{data_type} USING {method}"), name.clone());
                    }
                    if let Kind::Operator = object.definition.kind() {
                        known
                            .operators
                            .entry(object.name.identifier().to_owned())
                            .or_default()
                            .push(object.name.clone());
                    }
                    known.others.insert(name.clone());
                }
            }
        }
        known
    }

    /// The schemas in which a name without one is looked for.
    pub(super) fn in_path(&self, set: &HashSet<String>, own: &str, identifier: &str) -> Option<String> {
        if !self.identifiers.contains(identifier) {
            return None;
        }
        [own, "public"]
            .into_iter()
            .map(|schema| names::qualified(schema, identifier))
            .map(|name| name.canonical().to_owned())
            .find(|name| set.contains(name))
    }

    /// Whether the type is a domain of the model.
    pub fn is_domain(&self, data_type: &str) -> bool {
        self.domains.contains_key(data_type)
    }

    /// The type that decides which operators apply: what a domain is made of, and names without the usual schema.
    pub fn effective_type(&self, data_type: &str) -> String {
        let mut data_type = data_type;
        for _ in 0..10 {
            match self.domains.get(data_type) {
                Some(base) => data_type = base,
                None => break,
            }
        }
        data_type.strip_prefix("public.").unwrap_or(data_type).to_owned()
    }

    /// The name with its schema of an object that is no relation, type or routine; the engine's own stay without.
    pub fn other(&self, name: &str, own: &str) -> String {
        let parsed = names::read(name);
        if !names::is_unresolved(&parsed) {
            return name.to_owned();
        }
        self.in_path(&self.others, own, &names::identifier(&parsed)).unwrap_or_else(|| name.to_owned())
    }

    /// A collation's name with its schema; the engine's own stay without.
    pub fn collation(&self, name: &QualifiedName, own: &str) -> QualifiedName {
        let found = self.other(name.canonical(), own);
        if found == name.canonical() { name.clone() } else { names::read(&found) }
    }

    /// A dictionary's name with its schema; that of an extension's, which is no object of the model, without the usual one.
    pub fn dictionary(&self, name: &str, own: &str) -> String {
        let found = self.other(name, own);
        match found.strip_prefix("public.") {
            Some(short) if !self.others.contains(&found) => short.to_owned(),
            _ => found,
        }
    }

    /// A relation's name with its schema.
    pub fn relation(&self, name: &QualifiedName, own: &str) -> QualifiedName {
        if !names::is_unresolved(name) {
            return name.clone();
        }
        let identifier = names::identifier(name);
        match self.in_path(&self.relations, own, &identifier) {
            Some(found) => names::read(&found),
            None => names::qualified(own, &identifier),
        }
    }

    /// The table that a child or partition means, which was taken for one of the first schema in sight: one of `public`, or the only
    /// one that is called so, if there is none.
    pub fn parent(&self, name: &QualifiedName) -> QualifiedName {
        if self.relations.contains(name.canonical()) {
            return name.clone();
        }
        let identifier = names::identifier(name);
        let public = names::qualified("public", &identifier);
        if self.relations.contains(public.canonical()) {
            return public;
        }
        let all = self.relations.iter().map(|other| names::read(other));
        let mut called = all.filter(|other| names::identifier(other) == identifier);
        let only = called.next().filter(|_| called.next().is_none());
        only.unwrap_or_else(|| name.clone())
    }

    /// A relation by what a query says, if it is one of the model's.
    pub fn relation_in_query(&self, parts: &[String], own: &str) -> Option<String> {
        match parts {
            [identifier] => self.in_path(&self.relations, own, identifier),
            [.., schema, identifier] => {
                let name = names::qualified(schema, identifier);
                self.relations.contains(name.canonical()).then(|| name.canonical().to_owned())
            }
            [] => None,
        }
    }

    /// A routine's name with its schema; the engine's own stay without.
    pub fn function(&self, name: &str, own: &str) -> String {
        let parts = names::parts(name);
        match &parts[..] {
            [schema, identifier] if schema == "pg_catalog" => names::quoted(identifier),
            [identifier] => [own, "public"]
                .into_iter()
                .map(|schema| names::qualified(schema, identifier))
                .find(|name| self.routines.contains_key(name.canonical()))
                .map_or_else(|| names::quoted(identifier), |name| name.canonical().to_owned()),
            _ => name.to_owned(),
        }
    }

    /// The routines of the model of this name that so many arguments fit.
    pub(super) fn fitting_routines(&self, function: &str, arguments: usize) -> impl Iterator<Item = &QualifiedName> {
        let takes = move |name: &&QualifiedName| {
            arguments == 0
                || self.variadic.contains(*name)
                || name.signature().is_some_and(|types| types.len() >= arguments)
        };
        self.routines.get(function).into_iter().flatten().filter(takes)
    }

    /// The only one of them.
    fn only_routine(&self, function: &str, arguments: usize) -> Option<&QualifiedName> {
        let mut fitting = self.fitting_routines(function, arguments);
        fitting.next().filter(|_| fitting.next().is_none())
    }

    /// The types of the arguments of the model's only routine of this name that so many of them fit.
    pub fn parameters(&self, function: &str, arguments: usize) -> Vec<String> {
        let Some(name) = self.only_routine(function, arguments) else { return Vec::new() };
        let types = name.signature().unwrap_or_default();
        let mut parameters: Vec<String> = types.iter().map(|data_type| types::without_modifiers(data_type)).collect();
        // The last one as often as it is given.
        if self.variadic.contains(name)
            && let Some(list) = parameters.pop()
        {
            let item = list.trim_end_matches("[]").to_owned();
            parameters.resize(arguments.max(parameters.len()), item);
        }
        parameters
    }

    /// What the model's only routine of this name returns that so many arguments fit; nothing for what returns a set.
    pub fn returns(&self, function: &str, arguments: usize) -> Option<&str> {
        let name = self.only_routine(function, arguments)?;
        self.returned.get(name.canonical()).map(String::as_str)
    }

    /// The attributes of a composite type of the model, by its canonical name.
    pub(super) fn has_attribute(&self, data_type: &str, attribute: &str) -> bool {
        self.composites.get(data_type).is_some_and(|columns| columns.iter().any(|(name, _)| name == attribute))
    }

    /// What the model's only routine of this name gives in FROM, where it is called `called`.
    pub fn rows(&self, function: &str, arguments: usize, called: &str) -> Option<FunctionRows> {
        let name = self.only_routine(function, arguments)?;
        match self.rows.get(name.canonical())? {
            Rows::Listed(columns) => Some(FunctionRows { columns: columns.clone(), scalar: false }),
            Rows::Of(data_type) => {
                let composite = self.columns.get(data_type).or_else(|| self.composites.get(data_type));
                Some(match composite {
                    Some(columns) => FunctionRows { columns: columns.clone(), scalar: false },
                    None => {
                        let columns = Columns::from_iter([(called.to_owned(), Some(data_type.clone()))]);
                        FunctionRows { columns, scalar: true }
                    }
                })
            }
        }
    }

    /// A routine by its name and the types of its arguments, `name(types)`; a name alone where the model has one such routine.
    pub fn routine(&self, reference: &str, own: &str) -> String {
        let (base, types) = reference.split_once('(').unwrap_or((reference, ""));
        let base = self.function(base, own);
        if !reference.contains('(') {
            return match self.routines.get(&base).map(Vec::as_slice) {
                Some([only]) => self.qualified_signature(Kind::Function, only, own).canonical().to_owned(),
                _ => base,
            };
        }
        let types: Vec<String> = split_list(types.trim_end_matches(')'))
            .iter()
            .map(|data_type| self.qualified_types(&types::without_modifiers(data_type), own))
            .collect();
        format!("{base}({})", types.join(", "))
    }

    /// An operator on these types, with its schema; the engine's own stay without.
    pub fn operator(&self, symbol: &str, types: &str, own: &str) -> String {
        match symbol.rsplit_once('.') {
            Some(("pg_catalog", symbol)) => symbol.to_owned(),
            Some(_) => symbol.to_owned(),
            None => {
                let same = self.operators.get(symbol).map_or(&[][..], Vec::as_slice);
                let same: Vec<QualifiedName> =
                    same.iter().map(|name| self.qualified_signature(Kind::Operator, name, own)).collect();
                [own, "public"]
                    .into_iter()
                    .map(|schema| format!("{}.{symbol}", names::quoted(schema)))
                    .find(|name| same.iter().any(|other| other.canonical() == format!("{name}({types})")))
                    .unwrap_or_else(|| symbol.to_owned())
            }
        }
    }

    /// The symbol of an operator on types that are not told, with its schema; the engine's own stay without.
    pub fn operator_by_symbol(&self, symbol: &str, own: &str) -> String {
        let same = self.operators.get(symbol).map_or(&[][..], Vec::as_slice);
        [own, "public"]
            .into_iter()
            .map(|schema| format!("{}.{symbol}", names::quoted(schema)))
            .find(|name| same.iter().any(|other| other.canonical().starts_with(&format!("{name}("))))
            .unwrap_or_else(|| symbol.to_owned())
    }

    /// An operator class or family with its schema; the engine's own stay without.
    pub fn operator_class(&self, name: &str, method: &str, own: &str) -> String {
        let identifier = match &names::parts(name)[..] {
            [schema, identifier] if schema == "pg_catalog" => return names::quoted(identifier),
            [identifier] => identifier.clone(),
            _ => return name.to_owned(),
        };
        [own, "public"]
            .into_iter()
            .map(|schema| names::qualified(schema, &identifier).canonical().to_owned())
            .find(|name| self.others.contains(&format!("{name} USING {method}")))
            .unwrap_or_else(|| names::quoted(&identifier))
    }

    /// Whether the operator class is the model's own.
    pub fn holds_class(&self, name: &str, method: &str) -> bool {
        self.others.contains(&format!("{name} USING {method}"))
    }

    /// The class of the model by which an index orders a column if it names none.
    pub fn class_of(&self, table: &str, column: &str, method: &str) -> Option<String> {
        if self.default_classes.is_empty() {
            return None;
        }
        let data_type = self.column_type(table, column)?;
        self.default_classes.get(&format!("{data_type} USING {method}")).cloned()
    }

    /// The type of a table's column.
    pub fn column_type(&self, table: &str, column: &str) -> Option<&str> {
        let (_, data_type) = self.columns.get(table)?.iter().find(|(name, _)| name == column)?;
        data_type.as_deref()
    }
}
