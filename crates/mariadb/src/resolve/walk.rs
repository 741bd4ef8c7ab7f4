//! The walk over a tree: finds what its names refer to.

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use sqlparser::ast::{
    Assignment, AssignmentTarget, Expr, FromTable, Function, FunctionArg, FunctionArgExpr, FunctionArguments,
    GroupByExpr, Ident, JoinConstraint, JoinOperator, ObjectName, OnInsert, OrderBy, Query, Select, SelectItem,
    SelectItemQualifiedWildcardKind, SetExpr, Spanned, Statement, TableFactor, TableObject, TableWithJoins, Visitor,
};
use wevrun_core::model::{QualifiedName, Reference, Span, Usage};
use wevrun_core::parse::Places;

use super::scope::{Common, Frame, Level, Place, Relation};
use crate::canonical::query::Known;
use crate::names;

/// An output without an explicit name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Output {
    /// It has an explicit name: `kg AS weight`.
    Named,
    /// A column gives it its name, at this place.
    Column(Span),
    /// Its text is its name.
    Expression,
    /// `*` or `hives.*`, which has the names of columns.
    Star(Star),
}

/// A `*`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Star {
    /// Its place, with the name before it.
    pub span: Span,
    /// The columns in order; none if they are not known, or if a join makes two of them one.
    pub columns: Option<Vec<SourceColumn>>,
}

/// A column of a relation in FROM.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceColumn {
    /// The relation's alias; none if the relation has its own name.
    pub alias: Option<String>,
    /// The table or view; none for subqueries and table expressions.
    pub object: Option<QualifiedName>,
    /// The column in lower case.
    pub column: String,
}

/// The list of a SELECT whose outputs are used by their names.
#[derive(Debug)]
pub struct SelectList {
    /// The byte at which the word SELECT begins.
    pub start: u32,
    /// Its outputs, in order.
    pub outputs: Vec<Output>,
}

/// The references of a text, and where new names need more than a replacement.
#[derive(Debug, Default)]
pub struct Found {
    /// In no order, some more than once.
    pub references: Vec<Reference>,
    /// Lists of SELECT.
    pub lists: Vec<SelectList>,
    /// Columns that are read without a qualifier, and the byte at which each begins.
    pub bare: Vec<(u32, SourceColumn)>,
}

impl Found {
    /// The same of a longer text, in which this one begins at a byte.
    pub fn later(mut self, offset: u32) -> Found {
        for reference in &mut self.references {
            reference.span = reference.span.map(|span| span.later(offset));
        }
        self.bare.iter_mut().for_each(|(start, _)| *start += offset);
        for list in &mut self.lists {
            list.start += offset;
            for output in &mut list.outputs {
                match output {
                    Output::Column(span) => *span = span.later(offset),
                    Output::Star(star) => star.span = star.span.later(offset),
                    Output::Named | Output::Expression => {}
                }
            }
        }
        self
    }
}

/// A parameter or local variable.
#[derive(Debug)]
pub struct Variable {
    /// The name in lower case.
    pub name: String,
    /// Whether it has fields, which are named like columns.
    pub is_row: bool,
}

/// A walk over the trees of one text.
pub struct Walk<'w> {
    known: &'w Known,
    places: &'w Places<'w>,
    /// The table of the trigger, whose row NEW and OLD are.
    row: Option<&'w QualifiedName>,
    /// Parameters and local variables.
    pub variables: Vec<Variable>,
    frames: Vec<Frame>,
    levels: Vec<Level>,
    place: Place,
    /// Expressions that name an object instead of a column, and HAVING; compared, never followed.
    objects: BTreeSet<*const Expr>,
    having: BTreeSet<*const Expr>,
    /// Queries whose outputs are not used by their names.
    nameless: BTreeSet<*const Query>,
    /// Names that are aliases of the statement's relations.
    aliased: BTreeSet<*const ObjectName>,
    /// The result.
    pub found: Found,
}

impl<'w> Walk<'w> {
    /// A walk over trees of a text.
    pub fn new(known: &'w Known, places: &'w Places<'w>, row: Option<&'w QualifiedName>) -> Walk<'w> {
        Walk {
            known,
            places,
            row,
            variables: Vec::new(),
            frames: Vec::new(),
            levels: Vec::new(),
            place: Place::Anywhere,
            objects: BTreeSet::new(),
            having: BTreeSet::new(),
            nameless: BTreeSet::new(),
            aliased: BTreeSet::new(),
            found: Found::default(),
        }
    }

    /// Adds the columns of a table to what names can mean.
    pub fn see(&mut self, table: &QualifiedName, columns: Vec<String>) {
        let relation = Relation {
            alias: table.identifier().to_owned(),
            has_own_name: true,
            object: Some(table.clone()),
            columns: Some(columns),
            invisible: 0,
        };
        self.levels.push(Level { relations: vec![relation], ..Level::default() });
    }

    /// Names of the outputs of this query are not used.
    pub fn ignore_names(&mut self, query: &Query) {
        self.nameless.insert(query);
    }

    /// Records the use of an object.
    pub fn object(&mut self, object: QualifiedName, usage: Usage, name: &Ident) {
        let span = Some(self.places.span(name.span));
        self.found.references.push(Reference { object, column: None, usage, span });
    }

    /// Records the use of a column.
    pub fn read(&mut self, object: &QualifiedName, column: &Ident, usage: Usage) {
        self.found.references.push(Reference {
            object: object.clone(),
            column: Some(names::simple(&column.value)),
            usage,
            span: Some(self.places.span(column.span)),
        });
    }

    /// Resolves a column of the row that fires the trigger; false if the name is none.
    pub fn row_column(&mut self, qualifier: &Ident, column: &Ident, usage: Usage) -> bool {
        let is_row = ["new", "old"].iter().any(|row| qualifier.value.eq_ignore_ascii_case(row));
        let Some(table) = self.row.filter(|_| is_row).cloned() else { return false };
        self.read(&table, column, usage);
        true
    }

    /// Resolves the name of a column.
    pub fn column(&mut self, parts: &[&Ident], usage: Usage) {
        match parts {
            [column] => self.plain(column, usage),
            [qualifier, column] => self.qualified(qualifier, column, usage),
            _ => {}
        }
    }

    fn qualified(&mut self, qualifier: &Ident, column: &Ident, usage: Usage) {
        let lower = qualifier.value.to_lowercase();
        let is_field = usage != Usage::Writes && self.variables.iter().rev().any(|own| own.is_row && own.name == lower);
        if is_field || self.row_column(qualifier, column, usage) {
            return;
        }
        let is_called = |level: &&Level| level.relations.iter().any(|relation| relation.alias == qualifier.value);
        let Some(level) = self.levels.iter().rev().find(is_called) else { return };
        let called = level.relations.iter().filter(|relation| relation.alias == qualifier.value);
        // An alias may be the name of another table in the same FROM: then the columns decide.
        let column_of = column.value.to_lowercase();
        let (having, others): (Vec<&Relation>, Vec<&Relation>) = called.partition(|relation| relation.has(&column_of));
        let usage = if having.len() > 1 { Usage::Possible } else { usage };
        let Some(relation) = having.first().or(others.first()) else { return };
        let (object, has_own_name) = (relation.object.clone(), relation.has_own_name);
        let Some(object) = object else { return };
        if has_own_name {
            self.object(object.clone(), Usage::Qualifies, qualifier);
        }
        self.read(&object, column, usage);
    }

    fn plain(&mut self, column: &Ident, usage: Usage) {
        let lower = column.value.to_lowercase();
        // What is assigned to is a column, even if a variable has the name.
        if usage != Usage::Writes && self.variables.iter().any(|own| own.name == lower) {
            return;
        }
        let is_output = |level: &Level| level.outputs.contains(&lower);
        let mut found: Vec<QualifiedName> = Vec::new();
        let (mut is_possible, mut bare) = (false, None);
        for level in self.levels.iter().rev() {
            let is_output_first = match self.place {
                Place::OutputFirst => true,
                Place::GroupFirst => !level.grouped.contains(&lower),
                Place::ColumnFirst | Place::Anywhere => false,
            };
            if level.is_set || (is_output_first && is_output(level)) {
                return;
            }
            let having: Vec<&Relation> = level.relations.iter().filter(|relation| relation.has(&lower)).collect();
            found.extend(having.iter().filter_map(|relation| relation.object.clone()));
            match having[..] {
                [only] if usage == Usage::Reads => {
                    bare = Some(SourceColumn {
                        alias: (!only.has_own_name).then(|| only.alias.clone()),
                        object: only.object.clone(),
                        column: lower.clone(),
                    });
                }
                // The server takes neither of two.
                [_, _, ..] if !level.merged.contains(&lower) => is_possible = true,
                _ => {}
            }
            if !having.is_empty() || (self.place != Place::Anywhere && is_output(level)) {
                break;
            }
            is_possible |= level.relations.iter().any(|relation| relation.columns.is_none());
        }
        let usage = if is_possible { Usage::Possible } else { usage };
        self.found.bare.extend(bare.map(|own| (self.places.span(column.span).start, own)));
        for object in found {
            self.read(&object, column, usage);
        }
    }

    /// The common table expression in sight that has the name.
    fn common(&self, name: &str) -> Option<&Common> {
        let lower = name.to_lowercase();
        let in_sight = self.frames.iter().rev().flat_map(|frame| frame.commons.iter().take(frame.in_sight).rev());
        in_sight.into_iter().find(|common| common.name == lower)
    }

    fn relations(&self, from: &[TableWithJoins], level: &mut Level, joins: &mut Vec<Reference>) {
        for table in from {
            self.joined(table, level, joins);
        }
    }

    fn joined(&self, table: &TableWithJoins, level: &mut Level, joins: &mut Vec<Reference>) {
        let start = level.relations.len();
        self.factor(&table.relation, level, joins);
        for join in &table.joins {
            let right = level.relations.len();
            self.factor(&join.relation, level, joins);
            let (JoinOperator::Join(constraint)
            | JoinOperator::Inner(constraint)
            | JoinOperator::Left(constraint)
            | JoinOperator::LeftOuter(constraint)
            | JoinOperator::Right(constraint)
            | JoinOperator::RightOuter(constraint)
            | JoinOperator::CrossJoin(constraint)
            | JoinOperator::StraightJoin(constraint)) = &join.join_operator
            else {
                continue;
            };
            let joined = &level.relations[start..];
            let mut merged = Vec::new();
            match constraint {
                JoinConstraint::Using(columns) => {
                    for column in columns.iter().filter_map(|name| name.0.last()?.as_ident()) {
                        merged.push((column.value.to_lowercase(), Some(self.places.span(column.span))));
                    }
                }
                JoinConstraint::Natural => {
                    let (left, right) = joined.split_at(right - start);
                    let of_left = left.iter().flat_map(|relation| relation.columns.iter().flatten());
                    let common = of_left.filter(|column| right.iter().any(|relation| relation.has(column)));
                    merged.extend(common.map(|column| (column.clone(), None)));
                }
                JoinConstraint::On(_) | JoinConstraint::None => {}
            }
            for (column, span) in merged {
                let objects =
                    joined.iter().filter(|relation| relation.has(&column)).filter_map(|own| own.object.clone());
                joins.extend(objects.map(|object| Reference {
                    object,
                    column: Some(names::simple(&column)),
                    usage: Usage::Joins,
                    span,
                }));
                level.merged.insert(column);
            }
        }
    }

    fn factor(&self, factor: &TableFactor, level: &mut Level, joins: &mut Vec<Reference>) {
        let relation = match factor {
            TableFactor::Table { name, alias, .. } => {
                let alias = alias.as_ref().map(|alias| alias.name.value.clone());
                let Some(own) = name.0.last().and_then(|part| part.as_ident()) else { return };
                let is_here = name.0.len() == 1;
                let common = self.common(&own.value).filter(|_| is_here);
                let columns = match common {
                    Some(common) => common.columns.clone(),
                    None if is_here => self.known.all_columns(&own.value),
                    None => None,
                };
                let object = (is_here && common.is_none()).then(|| names::table(None, &own.value));
                let has_own_name = alias.is_none();
                let invisible = if object.is_some() { self.known.invisible(&own.value).len() } else { 0 };
                Relation { alias: alias.unwrap_or_else(|| own.value.clone()), has_own_name, object, columns, invisible }
            }
            TableFactor::NestedJoin { table_with_joins, .. } => return self.joined(table_with_joins, level, joins),
            TableFactor::Derived { subquery, alias: Some(alias), .. } => {
                let named: Vec<String> = alias.columns.iter().map(|column| column.name.value.to_lowercase()).collect();
                let columns = if named.is_empty() { self.outputs(subquery) } else { Some(named) };
                Relation { alias: alias.name.value.clone(), has_own_name: false, object: None, columns, invisible: 0 }
            }
            TableFactor::JsonTable { alias: Some(alias), .. } => Relation {
                alias: alias.name.value.clone(),
                has_own_name: false,
                object: None,
                columns: None,
                invisible: 0,
            },
            _ => Relation { alias: String::new(), has_own_name: false, object: None, columns: None, invisible: 0 },
        };
        level.relations.push(relation);
    }

    /// The names of a query's outputs in lower case; none if they are not known.
    fn outputs(&self, query: &Query) -> Option<Vec<String>> {
        let mut body = &*query.body;
        let select = loop {
            match body {
                SetExpr::Select(select) => break select,
                SetExpr::SetOperation { left, .. } => body = left,
                SetExpr::Query(query) => body = &query.body,
                _ => return None,
            }
        };
        let mut level = Level::default();
        // The names of an inner WITH are not in sight here: what they give is not known.
        self.relations(&select.from, &mut level, &mut Vec::new());
        let is_defined_within = query.with.is_some();
        let mut outputs = Vec::new();
        for item in &select.projection {
            match item {
                SelectItem::ExprWithAlias { alias, .. } => outputs.push(alias.value.to_lowercase()),
                SelectItem::UnnamedExpr(expr) => match named_column(expr) {
                    Some(column) => outputs.push(column.value.to_lowercase()),
                    None => outputs.push(String::new()),
                },
                _ if is_defined_within => return None,
                SelectItem::Wildcard(_) => {
                    outputs.extend(star(&level.relations)?.into_iter().map(|own| own.column));
                }
                SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) => {
                    let alias = &name.0.last()?.as_ident()?.value;
                    let relation = level.relations.iter().find(|relation| relation.alias == *alias)?;
                    outputs.extend(star(std::slice::from_ref(relation))?.into_iter().map(|own| own.column));
                }
                _ => return None,
            }
        }
        Some(outputs)
    }

    fn assignments(&mut self, assignments: &[Assignment]) {
        for assignment in assignments {
            let targets = match &assignment.target {
                AssignmentTarget::ColumnName(name) => std::slice::from_ref(name),
                AssignmentTarget::Tuple(names) => names,
            };
            for target in targets {
                self.column(&idents(target), Usage::Writes);
            }
        }
    }

    fn statement_level(&mut self, statement: &Statement) -> Option<Level> {
        let (mut level, mut joins) = (Level::default(), Vec::new());
        match statement {
            Statement::Insert(insert) => {
                let TableObject::TableName(name) = &insert.table else { return None };
                let own = name.0.last()?.as_ident()?;
                let is_here = name.0.len() == 1;
                level.relations.push(Relation {
                    alias: own.value.clone(),
                    has_own_name: true,
                    object: is_here.then(|| names::table(None, &own.value)),
                    columns: self.known.all_columns(&own.value).filter(|_| is_here),
                    invisible: 0,
                });
                // ON DUPLICATE KEY UPDATE sees what is selected, too.
                if let Some(SetExpr::Select(select)) = insert.source.as_ref().map(|source| &*source.body) {
                    self.relations(&select.from, &mut level, &mut joins);
                }
                insert.source.iter().for_each(|source| self.ignore_names(source));
            }
            Statement::Update(update) => self.joined(&update.table, &mut level, &mut joins),
            Statement::Delete(delete) => {
                let (FromTable::WithFromKeyword(from) | FromTable::WithoutKeyword(from)) = &delete.from;
                self.relations(from, &mut level, &mut joins);
                self.relations(delete.using.as_deref().unwrap_or_default(), &mut level, &mut joins);
                let is_alias = |name: &&ObjectName| {
                    let named = |own: &Relation| name.to_string() == own.alias && !own.has_own_name;
                    level.relations.iter().any(named)
                };
                self.aliased.extend(delete.tables.iter().filter(is_alias).map(|name| name as *const ObjectName));
            }
            _ => return None,
        }
        self.found.references.extend(joins);
        Some(level)
    }

    fn call(&mut self, function: &Function) {
        let Some(name) = function.name.0.last().and_then(|part| part.as_ident()) else { return };
        if function.name.0.len() != 1 {
            return;
        }
        let is_of_sequence = ["nextval", "lastval", "setval"].iter().any(|own| name.value.eq_ignore_ascii_case(own));
        if let (true, FunctionArguments::List(list)) = (is_of_sequence, &function.args) {
            if let Some(FunctionArg::Unnamed(FunctionArgExpr::Expr(first))) = list.args.first() {
                self.objects.insert(first);
                let parts = match first {
                    Expr::Identifier(own) => vec![own],
                    Expr::CompoundIdentifier(parts) => parts.iter().collect(),
                    _ => Vec::new(),
                };
                if let [own] = parts[..] {
                    self.object(names::table(None, &own.value), Usage::Reads, own);
                }
            }
        } else if let Some(routine) = self.known.function(&name.value) {
            self.object(routine, Usage::Calls, name);
        }
    }
}

/// The name of the column that an expression is.
fn named_column(expr: &Expr) -> Option<&Ident> {
    match expr {
        Expr::Identifier(column) => Some(column),
        Expr::CompoundIdentifier(parts) => parts.last(),
        _ => None,
    }
}

/// The columns of `*`; none if they are not all known.
fn star(relations: &[Relation]) -> Option<Vec<SourceColumn>> {
    let mut all = Vec::new();
    for relation in relations {
        let columns = relation.columns.iter().flatten().take(relation.columns.as_ref()?.len() - relation.invisible);
        all.extend(columns.map(|column| SourceColumn {
            alias: (!relation.has_own_name).then(|| relation.alias.clone()),
            object: relation.object.clone(),
            column: column.clone(),
        }));
    }
    Some(all)
}

/// The identifiers of a name.
pub fn idents(name: &ObjectName) -> Vec<&Ident> {
    name.0.iter().filter_map(|part| part.as_ident()).collect()
}

impl Visitor for Walk<'_> {
    type Break = ();

    fn pre_visit_statement(&mut self, statement: &Statement) -> ControlFlow<()> {
        let level = self.statement_level(statement).unwrap_or_default();
        self.levels.push(level);
        match statement {
            Statement::Insert(insert) => {
                for column in &insert.columns {
                    self.column(&idents(column), Usage::Writes);
                }
                self.assignments(&insert.assignments);
                if let Some(OnInsert::DuplicateKeyUpdate(assignments)) = &insert.on {
                    self.assignments(assignments);
                }
            }
            Statement::Update(update) => self.assignments(&update.assignments),
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &Statement) -> ControlFlow<()> {
        self.levels.pop();
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &Query) -> ControlFlow<()> {
        let address: *const Query = query;
        for frame in &mut self.frames {
            if let Some(at) = frame.commons.iter().position(|common| common.query == address) {
                frame.in_sight = if frame.is_recursive { at + 1 } else { at };
            }
        }
        let with = query.with.as_ref();
        self.frames.push(Frame {
            commons: Vec::new(),
            is_recursive: with.is_some_and(|with| with.recursive),
            in_sight: 0,
            last: None,
            is_set: !matches!(&*query.body, SetExpr::Select(_)),
            is_used_by_names: !self.nameless.contains(&address),
            around: std::mem::take(&mut self.place),
        });
        for table in with.iter().flat_map(|with| &with.cte_tables) {
            let named: Vec<String> =
                table.alias.columns.iter().map(|column| column.name.value.to_lowercase()).collect();
            let columns = if named.is_empty() { self.outputs(&table.query) } else { Some(named) };
            let name = table.alias.name.value.to_lowercase();
            if let Some(frame) = self.frames.last_mut() {
                frame.commons.push(Common { name, columns, query: &*table.query });
                frame.in_sight = frame.commons.len();
            }
        }
        if self.nameless.contains(&address)
            && let SetExpr::Query(inner) = &*query.body
        {
            self.nameless.insert(&**inner);
        }
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, query: &Query) -> ControlFlow<()> {
        if let Some(frame) = self.frames.pop() {
            self.place = frame.around;
        }
        let address: *const Query = query;
        for frame in &mut self.frames {
            if frame.commons.iter().any(|common| common.query == address) {
                frame.in_sight = frame.commons.len();
            }
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &Select) -> ControlFlow<()> {
        let (mut level, mut joins) = (Level::default(), Vec::new());
        self.relations(&select.from, &mut level, &mut joins);
        self.found.references.append(&mut joins);
        let mut outputs = Vec::new();
        for item in &select.projection {
            outputs.push(match item {
                SelectItem::UnnamedExpr(expr) => match named_column(expr) {
                    Some(column) => Output::Column(self.places.span(column.span)),
                    None => Output::Expression,
                },
                SelectItem::Wildcard(options) => {
                    let span = self.places.span(options.wildcard_token.0.span);
                    let columns = if level.merged.is_empty() { star(&level.relations) } else { None };
                    Output::Star(Star { span, columns })
                }
                SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), options) => {
                    let span = self.places.span(name.span().union(&options.wildcard_token.0.span));
                    let own = idents(name);
                    let named = |relation: &&Relation| own.last().is_some_and(|last| relation.alias == last.value);
                    let columns = level.relations.iter().find(named).and_then(|own| star(std::slice::from_ref(own)));
                    Output::Star(Star { span, columns })
                }
                _ => Output::Named,
            });
            match item {
                SelectItem::ExprWithAlias { alias, .. } => drop(level.outputs.insert(alias.value.to_lowercase())),
                SelectItem::Wildcard(_) => {
                    let objects = level.relations.iter().filter_map(|relation| relation.object.clone());
                    self.found.references.extend(objects.map(|object| Reference {
                        object,
                        column: None,
                        usage: Usage::WholeRow,
                        span: None,
                    }));
                }
                SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) => {
                    if let [own] = idents(name)[..]
                        && let Some(relation) = level.relations.iter().find(|relation| relation.alias == own.value)
                        && let Some(object) = relation.object.clone()
                    {
                        let span = relation.has_own_name.then(|| self.places.span(own.span));
                        let usage = Usage::WholeRow;
                        self.found.references.push(Reference { object, column: None, usage, span });
                    }
                }
                _ => {}
            }
        }
        if let GroupByExpr::Expressions(by, _) = &select.group_by {
            level.grouped.extend(by.iter().filter_map(named_column).map(|column| column.value.to_lowercase()));
        }
        self.levels.push(level);
        if self.frames.last().is_some_and(|frame| frame.is_used_by_names) {
            let start = self.places.span(select.select_token.0.span).start;
            self.found.lists.push(SelectList { start, outputs });
        }
        self.having.extend(select.having.as_ref().map(|having| having as *const Expr));
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, _: &Select) -> ControlFlow<()> {
        let level = self.levels.pop();
        if let Some(frame) = self.frames.last_mut() {
            frame.last = if frame.is_set { Some(Level { is_set: true, ..Level::default() }) } else { level };
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_order_by(&mut self, _: &OrderBy) -> ControlFlow<()> {
        let last = self.frames.last_mut().and_then(|frame| frame.last.take());
        self.levels.push(last.unwrap_or_default());
        self.place = Place::OutputFirst;
        ControlFlow::Continue(())
    }

    fn post_visit_order_by(&mut self, _: &OrderBy) -> ControlFlow<()> {
        self.levels.pop();
        self.place = Place::Anywhere;
        ControlFlow::Continue(())
    }

    fn pre_visit_group_by(&mut self, _: &GroupByExpr) -> ControlFlow<()> {
        self.place = Place::ColumnFirst;
        ControlFlow::Continue(())
    }

    fn post_visit_group_by(&mut self, _: &GroupByExpr) -> ControlFlow<()> {
        self.place = Place::Anywhere;
        ControlFlow::Continue(())
    }

    fn pre_visit_relation(&mut self, name: &ObjectName) -> ControlFlow<()> {
        if self.aliased.contains(&(name as *const ObjectName)) {
            return ControlFlow::Continue(());
        }
        match idents(name)[..] {
            [own] if self.common(&own.value).is_none() => {
                self.object(names::table(None, &own.value), Usage::Reads, own);
            }
            [schema, own] => self.object(names::table(Some(&schema.value), &own.value), Usage::Reads, own),
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_expr(&mut self, expr: &Expr) -> ControlFlow<()> {
        let address: *const Expr = expr;
        if self.having.contains(&address) {
            self.place = Place::GroupFirst;
        }
        match expr {
            _ if self.objects.contains(&address) => {}
            Expr::Identifier(column) => self.column(&[column], Usage::Reads),
            Expr::CompoundIdentifier(parts) => self.column(&parts.iter().collect::<Vec<_>>(), Usage::Reads),
            Expr::MatchAgainst { columns, .. } => {
                for column in columns {
                    self.column(&idents(column), Usage::Reads);
                }
            }
            Expr::Function(function) => self.call(function),
            Expr::Subquery(query) | Expr::Exists { subquery: query, .. } | Expr::InSubquery { subquery: query, .. } => {
                self.ignore_names(query);
            }
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn post_visit_expr(&mut self, expr: &Expr) -> ControlFlow<()> {
        if self.having.contains(&(expr as *const Expr)) {
            self.place = Place::Anywhere;
        }
        ControlFlow::Continue(())
    }
}
