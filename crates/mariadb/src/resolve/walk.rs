//! The walk over a tree: finds what its names refer to.

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use sqlparser::ast::{
    Assignment, AssignmentTarget, Expr, FromTable, Function, FunctionArg, FunctionArgExpr, FunctionArguments,
    GroupByExpr, Ident, ObjectName, OnInsert, OrderBy, Query, Select, SelectItem, SelectItemQualifiedWildcardKind,
    SetExpr, Spanned, Statement, TableObject, Visit, Visitor,
};
use wevrun_core::model::{QualifiedName, Reference, Usage};
use wevrun_core::parse::Places;

use super::found::{Found, Output, SelectList, SourceColumn, Star};
use super::from::{named_column, star};
use super::scope::{Common, Frame, Level, Place, Relation};
use crate::canonical::query::Known;
use crate::names;

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
    pub(super) known: &'w Known,
    pub(super) places: &'w Places<'w>,
    /// The table of the trigger, whose row NEW and OLD are.
    row: Option<&'w QualifiedName>,
    /// Parameters and local variables.
    pub variables: Vec<Variable>,
    frames: Vec<Frame>,
    levels: Vec<Level>,
    place: Place,
    /// Expressions of the present tree that name an object instead of a column. Addresses are compared, never followed.
    objects: BTreeSet<*const Expr>,
    /// HAVING of the queries in the tree.
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

    /// Walks over one tree.
    pub fn tree<T: Visit>(&mut self, tree: &T) {
        stacker::maybe_grow(128 * 1024, 4 * 1024 * 1024, || {
            let _ = tree.visit(self);
        });
        // The next tree may have the same addresses.
        self.objects.clear();
        self.having.clear();
        self.nameless.clear();
        self.aliased.clear();
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
        // The target of an assignment is a column, even if a variable has the name.
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
    pub(super) fn common(&self, name: &str) -> Option<&Common> {
        let lower = name.to_lowercase();
        let in_sight = self.frames.iter().rev().flat_map(|frame| frame.commons.iter().take(frame.in_sight).rev());
        in_sight.into_iter().find(|common| common.name == lower)
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
