//! What queries say once a column or table that they read is called otherwise. The server keeps both by number: the query reads the
//! same, and what it calls its own columns stays.

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use sqlparser::ast::{
    Assignment, AssignmentTarget, DataType, Expr, Ident, Insert, ObjectName, ObjectNamePart, OnInsert, Query, Select,
    SelectItem, SelectItemQualifiedWildcardKind, Statement, TableFactor, TableObject, VisitMut, VisitorMut,
};

use super::super::rename::any_expression;
use super::super::{mentions, names};
use super::expression::{Scope, parse_as_it_stands, parts_of_body, with_room};
use super::known_of;
use super::neighbours::{says, with_named};
use super::outputs::output_name;
use super::scope::Relation;
use super::tree::{first_select_mut, ident, ident_value, listed, name_parts, wildcard_alias};
use super::walk::Walk;
use wevrun_core::model::{Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName};

/// What is called otherwise.
#[derive(Clone, Copy)]
pub struct Renamed<'n> {
    /// The table or view, by the name that it has.
    pub table: &'n QualifiedName,
    /// What of it.
    pub what: What<'n>,
}

/// What of a table or view is called otherwise.
#[derive(Clone, Copy)]
pub enum What<'n> {
    /// A column: what it was called, and what it is called.
    Column(&'n Name, &'n Name),
    /// The table or view itself: its new name.
    Itself(&'n QualifiedName),
}

/// Whether an object's expressions may be queries, or hold some.
pub fn holds_queries(definition: &Definition) -> bool {
    match definition {
        Definition::View(_) => true,
        Definition::Plain(plain) => {
            matches!(plain.kind, Kind::Function | Kind::Procedure | Kind::Rule | Kind::Policy)
        }
        _ => false,
    }
}

/// Lets what reads a column or a table read it under its new name, in queries and in what holds some. Gives the objects that name
/// the table, and of which a query can't be read.
pub fn follow(model: &mut Model, renamed: &Renamed<'_>) -> BTreeSet<ObjectKey> {
    let named = |text: &Expression| match renamed.what {
        What::Column(from, _) => mentions::names(text, from) || text.written().contains('*'),
        What::Itself(_) => text.written().contains(&names::identifier(renamed.table)),
    };
    let table = names::identifier(renamed.table);
    let names_table = |object: &Object| {
        object.definition.owner() == Some(renamed.table) || any_expression(object, |text| says(text.written(), &table))
    };
    // What reads the table through a view reads the view's columns, which keep their names.
    let is_near = |object: &Object| object.name == *renamed.table || names_table(object);
    let touched =
        |object: &&Object| holds_queries(&object.definition) && is_near(object) && any_expression(object, named);
    let touched: Vec<ObjectKey> = model.objects().filter(touched).map(Object::key).collect();
    let mut unreadable = BTreeSet::new();
    if touched.is_empty() {
        return unreadable;
    }
    let near = with_named(model, touched.iter().cloned().collect());
    let known = known_of(&near);
    for key in touched {
        let Some(object) = model.get(&key) else { continue };
        let scope = Scope::of(object, &known);
        let mut changed = object.clone();
        if !scope.follow_in(&mut changed, renamed) {
            if names_table(object) {
                unreadable.insert(key);
            }
        } else if changed.definition != object.definition {
            changed.text.clear();
            model.insert(changed);
        }
    }
    unreadable
}

/// Changes both spellings of an expression; false if one can't be read. `followed` gets a text, and whether it is canonical.
fn both(expression: &mut Expression, followed: impl Fn(&str, bool) -> Option<String>) -> bool {
    let (sure, written) = (expression.is_sure(), expression.written().to_owned());
    // A source that is still being read has one spelling.
    let is_raw = expression.canonical == written;
    let Some(after) = followed(&written, false) else { return false };
    if after == written {
        return true;
    }
    let canonical = match (sure, is_raw) {
        (false, _) => None,
        (true, true) => Some(after.clone()),
        (true, false) => followed(&expression.canonical, true),
    };
    *expression = match canonical {
        Some(canonical) => Expression::new(canonical, &after),
        None => Expression::unsure(after.clone(), &after),
    };
    true
}

impl Scope<'_> {
    /// Changes the queries of an object; false if one can't be read.
    fn follow_in(&self, object: &mut Object, renamed: &Renamed<'_>) -> bool {
        match &mut object.definition {
            Definition::View(view) => {
                let own = object.name == *renamed.table && view.columns.is_empty();
                both(&mut view.query, |text, in_canonical| {
                    let text = self.followed_query(text, self.following(renamed, in_canonical))?;
                    match renamed.what {
                        What::Column(from, to) if own => self.with_output(&text, from, to),
                        _ => Some(text),
                    }
                })
            }
            Definition::Plain(plain) => plain.clauses.expressions_mut().all(|(clause, value)| match clause {
                "body" | "do" => {
                    both(value, |text, in_canonical| self.followed_body(text, || self.following(renamed, in_canonical)))
                }
                "using" | "with check" | "where" => both(value, |text, in_canonical| {
                    self.followed_expression(text, self.following(renamed, in_canonical))
                }),
                _ => true,
            }),
            _ => true,
        }
    }

    fn followed_query(&self, text: &str, mut follow: Follow<'_>) -> Option<String> {
        with_room(text, || {
            let mut query = parse_as_it_stands(text, |parser| parser.parse_query())?;
            let before = query.clone();
            let _ = VisitMut::visit(&mut *query, &mut follow);
            // What stays is not laid out again.
            Some(if query == before { text.to_owned() } else { query.to_string() })
        })
    }

    fn followed_expression(&self, text: &str, mut follow: Follow<'_>) -> Option<String> {
        with_room(text, || {
            let mut expression = parse_as_it_stands(text, |parser| parser.parse_expr())?;
            let before = expression.clone();
            let _ = VisitMut::visit(&mut expression, &mut follow);
            Some(if expression == before { text.to_owned() } else { expression.to_string() })
        })
    }

    /// The body of a routine or a rule.
    fn followed_body<'f>(&self, text: &str, follow: impl Fn() -> Follow<'f>) -> Option<String> {
        let returned = text.trim_start().get(..6).is_some_and(|head| head.eq_ignore_ascii_case("return"));
        if returned {
            let start = text.len() - text.trim_start().len() + 6;
            return Some(format!("{} {}", &text[..start], self.followed_expression(&text[start..], follow())?));
        }
        let (mut out, mut done) = (String::new(), 0);
        for part in parts_of_body(text) {
            let followed = self.followed_statement(&text[part.clone()], follow())?;
            out.push_str(&text[done..part.start]);
            let blank = text[part.clone()].len() - text[part.clone()].trim_start().len();
            out.push_str(&text[part.start..part.start + blank]);
            out.push_str(&followed);
            done = part.end;
        }
        Some(out + &text[done..])
    }

    fn followed_statement(&self, text: &str, mut follow: Follow<'_>) -> Option<String> {
        if text.trim().is_empty() || text.trim().eq_ignore_ascii_case("nothing") {
            return Some(text.trim().to_owned());
        }
        with_room(text, || {
            let mut statement = parse_as_it_stands(text, |parser| parser.parse_statement())?;
            let _ = VisitMut::visit(&mut statement, &mut follow);
            Some(statement.to_string())
        })
    }

    fn following<'f>(&'f self, renamed: &'f Renamed<'f>, in_canonical: bool) -> Follow<'f> {
        Follow { walk: self.walk(self.scopes()), renamed, in_canonical, outputs: Vec::new(), inserts: false }
    }

    /// A view's query with another name for one of its own columns; none if it can't be said in it.
    fn with_output(&self, text: &str, from: &Name, to: &Name) -> Option<String> {
        with_room(text, || {
            let mut query = parse_as_it_stands(text, |parser| parser.parse_query())?;
            let select = first_select_mut(&mut query)?;
            let item = select.projection.iter_mut().find(|item| match item {
                SelectItem::UnnamedExpr(expr) => output_name(expr) == from.canonical(),
                SelectItem::ExprWithAlias { alias, .. } => ident_value(alias) == from.canonical(),
                _ => false,
            })?;
            let (SelectItem::UnnamedExpr(expr) | SelectItem::ExprWithAlias { expr, .. }) = item else { return None };
            *item = SelectItem::ExprWithAlias { expr: expr.clone(), alias: ident(to.canonical()) };
            Some(query.to_string())
        })
    }
}

struct Follow<'f> {
    /// Knows what is in sight.
    walk: Walk<'f>,
    renamed: &'f Renamed<'f>,
    /// Whether the text is canonical: then all columns of queries have a name where it counts.
    in_canonical: bool,
    /// What the columns of the queries around are called.
    outputs: Vec<Vec<Option<String>>>,
    /// Whether the statement inserts into the table: then EXCLUDED is a row of it.
    inserts: bool,
}

impl Follow<'_> {
    fn is_from(&self, column: &str) -> bool {
        matches!(self.renamed.what, What::Column(from, _) if from.canonical() == column)
    }

    /// The column under its new name, if it is the one.
    fn column(&self, column: &str) -> Option<Ident> {
        match self.renamed.what {
            What::Column(_, to) if self.is_from(column) => Some(ident(to.canonical())),
            _ => None,
        }
    }

    /// The table's own identifier, if it is called otherwise and this qualifier, which is no alias, means it.
    fn qualifier(&self, qualifier: &str) -> Option<Ident> {
        let What::Itself(to) = self.renamed.what else { return None };
        let meant = self.walk.scopes.called(qualifier).filter(|relation| relation.is(self.renamed.table))?;
        // The rows of a rule are rows of the table too, and have their own names.
        let is_own = !meant.has_alias && meant.written == names::identifier(self.renamed.table);
        is_own.then(|| ident(&names::identifier(to)))
    }

    /// A name of the table under its new name.
    fn moved(&self, name: &ObjectName, to: &QualifiedName) -> ObjectName {
        let stays = names::schema(self.renamed.table) == names::schema(to);
        let mut parts = names::parts(to.canonical());
        let unqualified = name.0.len() == 1 && stays || self.in_canonical && parts[0] == "public";
        if unqualified && parts.len() > 1 {
            parts.remove(0);
        }
        ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect())
    }

    /// Whether a column means the one that has a new name.
    fn is_meant(&self, qualifier: Option<&str>, column: &str) -> bool {
        if self.inserts && qualifier == Some("excluded") {
            return self.is_from(column);
        }
        let relation = match qualifier {
            Some(qualifier) => self.walk.scopes.called(qualifier),
            None => self.walk.scopes.relation_of(column),
        };
        self.is_from(column) && relation.is_some_and(|relation| relation.is(self.renamed.table))
    }

    /// The columns that `*` stands for, if one of them has a new name.
    fn expanded(&self, item: &SelectItem) -> Option<Vec<SelectItem>> {
        let alias = match item {
            SelectItem::Wildcard(_) => None,
            SelectItem::QualifiedWildcard(kind, _) => Some(wildcard_alias(kind)?),
            _ => return None,
        };
        let own = self.walk.scopes.innermost().iter();
        let mut meant = own.filter(|own| alias.as_ref().is_none_or(|alias| own.is_called(alias)));
        let has_it = |own: &Relation| own.columns.iter().flatten().any(|(name, _)| self.is_from(name));
        let touched = meant.clone().any(|own| own.is(self.renamed.table) && has_it(own));
        if !touched {
            return None;
        }
        match alias {
            Some(_) => {
                let own = meant.next()?;
                Some(own.columns.as_ref()?.iter().map(|(column, _)| listed(Some(&own.written), column)).collect())
            }
            None => {
                let columns = self.walk.scopes.columns()?;
                Some(columns.iter().map(|(_, column)| listed(column.table.as_deref(), &column.name)).collect())
            }
        }
    }

    fn rename(&self, name: &mut ObjectName) {
        let new = name_parts(name).last().and_then(|column| self.column(column));
        if let (Some(new), Some(last)) = (new, name.0.last_mut()) {
            *last = ObjectNamePart::Identifier(new);
        }
    }

    fn assign(&self, assignments: &mut [Assignment]) {
        for assignment in assignments {
            match &mut assignment.target {
                AssignmentTarget::ColumnName(name) => self.rename(name),
                AssignmentTarget::Tuple(names) => names.iter_mut().for_each(|name| self.rename(name)),
            }
        }
    }

    fn is_table(&self, name: &ObjectName) -> bool {
        self.walk.relation(&name_parts(name)).as_deref() == Some(self.renamed.table.canonical())
    }
}

impl VisitorMut for Follow<'_> {
    type Break = ();

    fn pre_visit_statement(&mut self, statement: &mut Statement) -> ControlFlow<()> {
        self.walk.enter_statement(statement);
        self.inserts = false;
        match statement {
            Statement::Insert(Insert { table: TableObject::TableName(name), columns, on, .. })
                if self.is_table(name) =>
            {
                self.inserts = true;
                columns.iter_mut().for_each(|column| self.rename(column));
                if let Some(OnInsert::OnConflict(conflict)) = on
                    && let sqlparser::ast::OnConflictAction::DoUpdate(update) = &mut conflict.action
                {
                    self.assign(&mut update.assignments);
                }
            }
            Statement::Update(update) => {
                let TableFactor::Table { name, .. } = &update.table.relation else {
                    return ControlFlow::Continue(());
                };
                if self.is_table(name) {
                    self.assign(&mut update.assignments);
                }
            }
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_relation(&mut self, name: &mut ObjectName) -> ControlFlow<()> {
        if let What::Itself(to) = self.renamed.what
            && self.is_table(name)
        {
            *name = self.moved(name, to);
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &mut Statement) -> ControlFlow<()> {
        self.walk.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.walk.enter_query(query);
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.walk.leave_query(query);
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &mut Select) -> ControlFlow<()> {
        self.walk.enter_select(select);
        for item in &mut select.projection {
            if let SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) = item
                && let Some(new) = name_parts(name).pop().and_then(|qualifier| self.qualifier(&qualifier))
            {
                *name = ObjectName(vec![ObjectNamePart::Identifier(new)]);
            }
        }
        let items = std::mem::take(&mut select.projection);
        select.projection =
            items.into_iter().flat_map(|item| self.expanded(&item).unwrap_or_else(|| vec![item])).collect();
        let named = |item: &SelectItem| match item {
            SelectItem::UnnamedExpr(expr) => Some(output_name(expr)),
            _ => None,
        };
        self.outputs.push(select.projection.iter().map(named).collect());
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, select: &mut Select) -> ControlFlow<()> {
        let outputs = self.outputs.pop().unwrap_or_default();
        for (item, before) in select.projection.iter_mut().zip(outputs) {
            if let (SelectItem::UnnamedExpr(expr), Some(before)) = (&*item, before)
                && !self.in_canonical
                && output_name(expr) != before
            {
                *item = SelectItem::ExprWithAlias { expr: expr.clone(), alias: ident(&before) };
            }
        }
        self.walk.scopes.leave();
        ControlFlow::Continue(())
    }

    fn post_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        match expr {
            Expr::Identifier(name) => {
                let value = ident_value(name);
                let row = || self.qualifier(&value).filter(|_| self.walk.scopes.relation_of(&value).is_none());
                let new = if self.is_meant(None, &value) { self.column(&value) } else { row() };
                new.into_iter().for_each(|new| *name = new);
            }
            Expr::CompoundIdentifier(parts) => {
                let [.., qualifier, column] = &mut parts[..] else { return ControlFlow::Continue(()) };
                let value = ident_value(qualifier);
                if self.is_meant(Some(&value), &ident_value(column)) {
                    self.column(&ident_value(column)).into_iter().for_each(|new| *column = new);
                }
                self.qualifier(&value).into_iter().for_each(|new| *qualifier = new);
            }
            Expr::Cast { data_type: DataType::Custom(name, _), .. } => {
                if let What::Itself(to) = self.renamed.what
                    && self.is_table(name)
                {
                    *name = self.moved(name, to);
                }
            }
            _ => {}
        }
        ControlFlow::Continue(())
    }
}
