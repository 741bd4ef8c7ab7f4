//! The references that a walk finds: to columns, relations, routines, types and labels, each with its place in the text.

use sqlparser::ast::{
    AccessExpr, ArrayElemTypeDef, Assignment, AssignmentTarget, BinaryOperator, DataType, Expr, Function, FunctionArg,
    FunctionArgExpr, FunctionArguments, Ident, Insert, JoinOperator, ObjectName, OnConflictAction, OnInsert, Select,
    SelectItem, SelectItemQualifiedWildcardKind, Statement, TableFactor, TableObject, Value,
};
use sqlparser::tokenizer::Span as RawSpan;
use wevrun_core::model::{Reference, References, Span, Usage};
use wevrun_core::parse::Places;

use super::super::names;
use super::infer;
use super::joins;
use super::known::Known;
use super::outputs::output_name;
use super::readable::Readable;
use super::scope::Relation;
use super::tree::*;
use super::walk::Walk;

/// One reference, with its place in the tree. The place is empty where nothing is written.
#[derive(Debug, Clone)]
pub struct Seen {
    /// The object's canonical name.
    pub object: String,
    /// The column or label of it.
    pub column: Option<String>,
    /// How it is used.
    pub usage: Usage,
    /// Where the tree has the name.
    pub span: RawSpan,
}

/// What must stay as it is in a text, whatever new names it gets; `P` is a place in the tree or in the text.
#[derive(Debug, Clone)]
pub struct Surroundings<P> {
    /// The lists of SELECTs, in the order in which they are walked over.
    pub lists: Vec<SelectList<P>>,
    /// The columns in queries that are written without a relation, each with what the text calls its relation.
    pub columns: Vec<(P, String)>,
    /// The whole rows that are written as the relation's name alone.
    pub rows: Vec<(P, String)>,
    /// The names of relations before a dot, where FROM gives them.
    pub qualifiers: Vec<(P, String)>,
    /// The tables and views in FROM.
    pub tables: Vec<FromTable<P>>,
}

/// A table or view in FROM.
#[derive(Debug, Clone)]
pub struct FromTable<P> {
    /// The object.
    pub object: String,
    /// Where its name ends.
    pub name: P,
    /// The name that FROM gives to it, and where.
    pub alias: Option<(P, String)>,
    /// Its columns, if FROM gives them no names.
    pub columns: Vec<String>,
}

impl<P> Default for Surroundings<P> {
    fn default() -> Surroundings<P> {
        Surroundings {
            lists: Vec::new(),
            columns: Vec::new(),
            rows: Vec::new(),
            qualifiers: Vec::new(),
            tables: Vec::new(),
        }
    }
}

impl<P> Surroundings<P> {
    /// The same with other places; what has none is left out.
    pub fn placed<Q>(self, place: impl Fn(P) -> Option<Q>) -> Surroundings<Q> {
        let list = |list: SelectList<P>| SelectList { word: list.word.and_then(&place), items: list.items };
        let named = |named: Vec<(P, String)>| {
            named.into_iter().filter_map(|(span, name)| Some((place(span)?, name))).collect::<Vec<_>>()
        };
        let table = |table: FromTable<P>| {
            let alias = match table.alias {
                Some((span, name)) => Some((place(span)?, name)),
                None => None,
            };
            Some(FromTable { object: table.object, name: place(table.name)?, alias, columns: table.columns })
        };
        Surroundings {
            lists: self.lists.into_iter().map(list).collect(),
            columns: named(self.columns),
            rows: named(self.rows),
            qualifiers: named(self.qualifiers),
            tables: self.tables.into_iter().filter_map(table).collect(),
        }
    }

    /// Adds those of another part of the text.
    pub fn extend(&mut self, other: Surroundings<P>) {
        self.lists.extend(other.lists);
        self.columns.extend(other.columns);
        self.rows.extend(other.rows);
        self.qualifiers.extend(other.qualifiers);
        self.tables.extend(other.tables);
    }
}

/// The list of a SELECT.
#[derive(Debug, Clone)]
pub struct SelectList<P> {
    /// Where the word SELECT is; none if it is not written so.
    pub word: Option<P>,
    /// Its items.
    pub items: Vec<ListItem>,
}

/// An item of the list of a SELECT.
#[derive(Debug, Clone)]
pub enum ListItem {
    /// It has this alias.
    Alias(String),
    /// It has none, and the server calls its column so.
    Unnamed(String),
    /// All columns of a relation, or of all; nothing if they are not known.
    All(Vec<ListedColumn>),
}

/// A column in the list of `*`.
#[derive(Debug, Clone)]
pub struct ListedColumn {
    /// The name of its relation in the text.
    pub qualifier: Option<String>,
    /// The table or view that it is of.
    pub table: Option<String>,
    /// Its name.
    pub name: String,
}

/// The place of a name of one or more parts.
fn place_of<'i>(parts: impl Iterator<Item = &'i Ident>) -> RawSpan {
    let mut spans = parts.map(|part| part.span);
    let Some(first) = spans.next() else { return RawSpan::empty() };
    // An identifier that was made here has no place.
    spans.fold(
        first,
        |whole, part| if is_place(whole) && is_place(part) { whole.union(&part) } else { RawSpan::empty() },
    )
}

fn is_place(span: RawSpan) -> bool {
    span.start.line > 0
}

fn place_of_name(name: &ObjectName) -> RawSpan {
    place_of(name.0.iter().filter_map(|part| part.as_ident()))
}

/// The references of a text, with their places in it as it is written.
pub fn placed(seen: Vec<Seen>, places: &Places<'_>, readable: &Readable<'_>, known: &Known) -> References {
    let reference = |seen: Seen| Reference {
        object: known.names.get(&seen.object).cloned().unwrap_or_else(|| names::read(&seen.object)),
        column: seen.column.map(|column| names::simple(&column)),
        usage: seen.usage,
        span: placed_span(seen.span, places, readable),
    };
    seen.into_iter().map(reference).collect()
}

/// A place of the tree in the text as it is written.
pub fn placed_span(span: RawSpan, places: &Places<'_>, readable: &Readable<'_>) -> Option<Span> {
    if is_place(span) { readable.place(places.span(span)) } else { None }
}

impl Walk<'_> {
    fn see(&mut self, object: Option<String>, column: Option<String>, usage: Usage, span: RawSpan) {
        self.seen.extend(object.map(|object| Seen { object, column, usage, span }));
    }

    /// Records a column that an expression names, with the qualifier before it.
    pub(super) fn sees_column(&mut self, qualifiers: &[Ident], column: &Ident) {
        if is_place(column.span) && self.attributes.contains(&column.span) {
            return;
        }
        let name = ident_value(column);
        let qualifier = qualifiers.last().map(ident_value);
        let of = match &qualifier {
            Some(qualifier) => self.scopes.called(qualifier),
            None => self.scopes.relation_of(&name),
        };
        let Some(relation) = of else {
            return match qualifier {
                None => self.sees_name(&name, column.span),
                Some(_) => self.misses_columns = true,
            };
        };
        if let Some(behind) = &relation.behind {
            let at = relation.columns.iter().flatten().position(|(own, _)| *own == name);
            let own = at.and_then(|at| Some((at, behind.columns.get(at)?.0.clone())));
            if let Some((at, own)) = own {
                let span = if at < behind.renamed { RawSpan::empty() } else { column.span };
                return self.see(Some(behind.table.clone()), Some(own), Usage::Reads, span);
            }
        }
        if let (Some(around), [own]) = (&mut self.around, qualifiers)
            && relation.has_alias
        {
            around.qualifiers.push((own.span, relation.written.clone()));
        }
        let (table, has_alias) = (relation.table.clone(), relation.has_alias);
        if qualifiers.is_empty()
            && !self.scopes.is_bare()
            && let Some(around) = &mut self.around
        {
            around.columns.push((column.span, relation.written.clone()));
        }
        if !qualifiers.is_empty() && !has_alias {
            self.see(table.clone(), None, Usage::Qualifies, place_of(qualifiers.iter()));
        }
        self.see(table, Some(name), Usage::Reads, column.span);
    }

    /// A name that no single table has as a column.
    fn sees_name(&mut self, name: &str, span: RawSpan) {
        if self.scopes.called(name).is_some() {
            self.around.iter_mut().for_each(|around| around.rows.push((span, name.to_owned())));
            return self.sees_row(name, span);
        }
        // The columns that a join merges have been recorded with the join.
        let is_known = is_special(name) || self.scopes.has_merged(name) || self.is_an_output(name);
        self.misses_columns |= !is_known;
    }

    /// Records that whole rows are read of what has this name here.
    pub(super) fn sees_row(&mut self, name: &str, span: RawSpan) {
        let Some(relation) = self.scopes.called(name) else {
            self.misses_columns = true;
            return;
        };
        let span = if relation.has_alias { RawSpan::empty() } else { span };
        self.see(relation.table.clone(), None, Usage::WholeRow, span);
    }

    /// Records that all columns are read of something in FROM.
    pub(super) fn reads_all(&mut self, relation: &Relation) {
        for (column, _) in relation.columns.iter().flatten() {
            self.see(relation.table.clone(), Some(column.clone()), Usage::Reads, RawSpan::empty());
        }
    }

    /// Records that whole rows are read of a table, by its canonical name.
    pub(super) fn reads_row_of(&mut self, table: Option<String>) {
        self.see(table, None, Usage::WholeRow, RawSpan::empty());
    }

    /// Records the columns by which tables are joined without naming them in an expression.
    pub(super) fn sees_merged(&mut self, operator: &JoinOperator, joined: &[Relation]) {
        if joins::is_natural(operator)
            && let [before @ .., last] = joined
        {
            for column in last.columns.iter().flatten().map(|(column, _)| column) {
                let has_it = |other: &&Relation| other.columns.iter().flatten().any(|(name, _)| name == column);
                let others: Vec<&Relation> = before.iter().filter(has_it).collect();
                for relation in others.iter().copied().chain((!others.is_empty()).then_some(last)) {
                    self.see(relation.table.clone(), Some(column.clone()), Usage::Joins, RawSpan::empty());
                }
            }
        }
        for name in joins::using(operator) {
            let (column, span) = (name_parts(name).pop().unwrap_or_default(), place_of_name(name));
            for relation in joined.iter().filter(|relation| !relation.lacks(&column)) {
                self.see(relation.table.clone(), Some(column.clone()), Usage::Reads, span);
            }
        }
    }

    /// Records a table or view of FROM with what FROM calls it.
    pub(super) fn sees_table(&mut self, factor: &TableFactor) {
        let TableFactor::Table { name, alias, args: None, .. } = factor else { return };
        let (Some(object), true) = (self.relation(&name_parts(name)), self.around.is_some()) else { return };
        let has_columns = alias.as_ref().is_some_and(|alias| !alias.columns.is_empty());
        let columns = self.known.columns.get(&object).filter(|_| !has_columns);
        let columns = columns.iter().flat_map(|columns| columns.iter()).map(|(name, _)| name.clone()).collect();
        let alias = alias.as_ref().map(|alias| (alias.name.span, ident_value(&alias.name)));
        let table = FromTable { object, name: place_of_name(name), alias, columns };
        self.around.iter_mut().for_each(|around| around.tables.push(table.clone()));
    }

    /// Records a name of FROM, or of a statement's target.
    pub(super) fn sees_relation(&mut self, name: &ObjectName) {
        let found = self.relation(&name_parts(name));
        self.see(found, None, Usage::Reads, place_of_name(name));
    }

    /// Records a call of a routine of the model. Of several of one name, those that take as many arguments may be meant.
    pub(super) fn sees_call(&mut self, name: &ObjectName, resolved: &str, arguments: usize) {
        let fitting = self.known.fitting_routines(resolved, arguments);
        let meant: Vec<String> = fitting.map(|routine| routine.canonical().to_owned()).collect();
        let usage = if meant.len() == 1 { Usage::Calls } else { Usage::Possible };
        let span = place_of_name(name);
        meant.into_iter().for_each(|routine| self.see(Some(routine), None, usage, span));
    }

    /// Records the text search configuration that a function takes first.
    pub(super) fn sees_configuration(&mut self, function: &Function) {
        let own = name_parts(&function.name).pop().unwrap_or_default();
        if let FunctionArguments::List(list) = &function.args
            && (own.ends_with("to_tsvector") || own.ends_with("to_tsquery") || own == "ts_headline")
            && let [FunctionArg::Unnamed(FunctionArgExpr::Expr(Expr::Value(first))), _, ..] = &list.args[..]
            && let Value::SingleQuotedString(text) = &first.value
        {
            self.sees_literal("regconfig", text, first.span);
        }
    }

    /// Records a type of the model.
    pub(super) fn sees_type(&mut self, data_type: &DataType) {
        match data_type {
            DataType::Custom(name, _) => {
                let bare = type_text(&DataType::Custom(name.clone(), Vec::new()));
                let found = self.known.qualified_types(&bare, self.own_schema);
                if self.known.types.contains(&found) {
                    self.see(Some(found), None, Usage::Type, place_of_name(name));
                }
            }
            DataType::Array(ArrayElemTypeDef::SquareBracket(element, _) | ArrayElemTypeDef::AngleBracket(element)) => {
                self.sees_type(element);
            }
            _ => {}
        }
    }

    /// Records a literal that has a type from what is beside it, if it is a label of an enumeration.
    pub(super) fn sees_literal(&mut self, data_type: &str, text: &str, span: RawSpan) {
        if matches!(data_type, "regconfig" | "regdictionary") {
            let found = Some(self.known.other(text, self.own_schema)).filter(|found| self.known.others.contains(found));
            return self.see(found, None, Usage::Calls, span);
        }
        let found = self.known.qualified_types(infer::base(data_type).trim_end_matches("[]"), self.own_schema);
        if self.known.structured.get(&found) == Some(&true) {
            self.see(Some(found), Some(format!("'{text}'")), Usage::Label, span);
        }
    }

    /// Records a literal that the server reads as the name of a relation.
    pub(super) fn sees_relation_text(&mut self, text: &str, span: RawSpan) {
        let found = self.known.relation_in_query(&names::parts(text), self.own_schema);
        self.see(found, None, Usage::Reads, span);
    }

    /// Records a literal that is cast to a type of object identifiers (<https://www.postgresql.org/docs/current/datatype-oid.html>).
    fn sees_object_text(&mut self, target: &str, text: &str, span: RawSpan) {
        match target {
            "regclass" => self.sees_relation_text(text, span),
            "regtype" => {
                let found = self.known.qualified_types(text, self.own_schema);
                let found = Some(found).filter(|found| self.known.types.contains(found));
                self.see(found, None, Usage::Type, span);
            }
            "regproc" | "regprocedure" => {
                let resolved = self.known.function(text.split('(').next().unwrap_or(text), self.own_schema);
                let all = self.known.fitting_routines(&resolved, 0).map(|name| name.canonical().to_owned());
                for name in all.collect::<Vec<_>>() {
                    self.see(Some(name), None, Usage::Possible, RawSpan::empty());
                }
            }
            _ => {}
        }
    }

    /// Records what casts and typed literals name.
    pub(super) fn sees_cast(&mut self, expr: &Expr) {
        let (value, data_type) = match expr {
            Expr::Cast { expr, data_type, .. } => match &**expr {
                Expr::Value(value) => (Some(value), data_type),
                _ => (None, data_type),
            },
            Expr::TypedString(typed) => (Some(&typed.value), &typed.data_type),
            _ => return,
        };
        self.sees_type(data_type);
        if let Some(value) = value
            && let Value::SingleQuotedString(text) = &value.value
        {
            let target = type_text(data_type);
            self.sees_object_text(&target, text, value.span);
            self.sees_literal(&target, text, value.span);
        }
    }

    /// Records the attribute that is taken from a value of a composite type.
    pub(super) fn sees_attribute(&mut self, expr: &Expr) {
        let Expr::CompoundFieldAccess { root, access_chain } = expr else { return };
        let Some(AccessExpr::Dot(Expr::Identifier(attribute))) = access_chain.first() else { return };
        self.attributes.push(attribute.span);
        let root = without_parentheses(root);
        let Some(data_type) = infer::type_of(self, root) else { return };
        let (found, name) = (self.known.qualified_types(&data_type, self.own_schema), ident_value(attribute));
        if self.known.has_attribute(&found, &name) {
            self.see(Some(found), Some(name), Usage::Reads, attribute.span);
        }
    }

    /// Records operators of the model, of any operand types, and collations.
    pub(super) fn sees_operator(&mut self, expr: &Expr) {
        let operator = match expr {
            Expr::Collate { collation, .. } => {
                let parts: Vec<String> = name_parts(collation).iter().map(|part| names::quoted(part)).collect();
                let found = self.known.collation(&names::read(&parts.join(".")), self.own_schema);
                return self.see(Some(found.canonical().to_owned()), None, Usage::Calls, place_of_name(collation));
            }
            _ if self.known.operators.is_empty() => return,
            Expr::BinaryOp { op, .. } | Expr::AnyOp { compare_op: op, .. } | Expr::AllOp { compare_op: op, .. } => {
                match op {
                    BinaryOperator::PGCustomBinaryOperator(parts) => parts.last().cloned().unwrap_or_default(),
                    op => op.to_string(),
                }
            }
            Expr::UnaryOp { op, .. } => op.to_string(),
            _ => return,
        };
        let same = self.known.operators.get(&operator).into_iter().flatten();
        for name in same.map(|name| name.canonical().to_owned()).collect::<Vec<_>>() {
            self.see(Some(name), None, Usage::Possible, RawSpan::empty());
        }
    }

    /// Records the columns that a statement writes.
    pub(super) fn sees_targets(&mut self, statement: &Statement) {
        match statement {
            Statement::Insert(Insert { table: TableObject::TableName(name), columns, on, .. }) => {
                let table = self.relation(&name_parts(name));
                columns.iter().for_each(|column| self.sees_target(table.clone(), column));
                if let Some(OnInsert::OnConflict(conflict)) = on {
                    if let Some(sqlparser::ast::ConflictTarget::Columns(columns)) = &conflict.conflict_target {
                        for column in columns {
                            self.see(table.clone(), Some(ident_value(column)), Usage::Reads, column.span);
                        }
                    }
                    if let OnConflictAction::DoUpdate(update) = &conflict.action {
                        self.sees_assigned(table, &update.assignments);
                    }
                }
            }
            Statement::Update(update) => {
                let TableFactor::Table { name, .. } = &update.table.relation else { return };
                let table = self.relation(&name_parts(name));
                self.sees_assigned(table, &update.assignments);
            }
            Statement::Call(function) => {
                let given = match &function.args {
                    FunctionArguments::List(list) => list.args.len(),
                    _ => 0,
                };
                self.sees_call(&function.name, &self.resolved(&function.name), given);
            }
            _ => {}
        }
    }

    fn sees_assigned(&mut self, table: Option<String>, assignments: &[Assignment]) {
        for assignment in assignments {
            match &assignment.target {
                AssignmentTarget::ColumnName(name) => self.sees_target(table.clone(), name),
                AssignmentTarget::Tuple(names) => {
                    names.iter().for_each(|name| self.sees_target(table.clone(), name));
                }
            }
        }
    }

    /// A column that is assigned; a field of it may follow.
    fn sees_target(&mut self, table: Option<String>, name: &ObjectName) {
        if let Some(column) = name.0.first().and_then(|part| part.as_ident()) {
            self.see(table, Some(ident_value(column)), Usage::Writes, column.span);
        }
    }

    /// Records the list of a SELECT before anything in it is changed.
    pub(super) fn sees_select(&mut self, select: &Select) {
        for item in &select.projection {
            if let SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) = item {
                let own = name_parts(name).pop().unwrap_or_default();
                if let (Some(around), [_]) = (&mut self.around, &name.0[..])
                    && self.scopes.called(&own).is_some_and(|relation| relation.has_alias)
                {
                    around.qualifiers.push((place_of_name(name), own.clone()));
                }
                self.sees_row(&own, place_of_name(name));
            }
        }
        if self.around.is_none() {
            return;
        }
        let items = select.projection.iter().map(|item| match item {
            SelectItem::UnnamedExpr(expr) => ListItem::Unnamed(output_name(expr)),
            SelectItem::ExprWithAlias { alias, .. } => ListItem::Alias(ident_value(alias)),
            item => ListItem::All(self.listed_columns(item)),
        });
        let list = SelectList { word: Some(select.select_token.0.span), items: items.collect() };
        self.around.iter_mut().for_each(|around| around.lists.push(list.clone()));
    }

    /// The columns of `*`, under the names that the text has for their relations.
    fn listed_columns(&self, item: &SelectItem) -> Vec<ListedColumn> {
        let relation = |qualifier: &str| self.scopes.innermost().iter().find(|own| own.is_called(qualifier));
        let column = |(qualifier, name): (Option<String>, String)| {
            let relation = qualifier.as_deref().and_then(relation);
            ListedColumn {
                qualifier: relation.map(|relation| relation.written.clone()).or(qualifier.clone()),
                table: relation.and_then(|relation| relation.table.clone()),
                name,
            }
        };
        self.expanded(item).unwrap_or_default().into_iter().map(column).collect()
    }
}
