//! Queries of views as the server rewrites them: every column with its table, `*` written out, names given to what has none, joins
//! nested (`LEX_STRING *Item::print`, `st_select_lex::print`). Both spellings are printed alike; what can't be is not sure.

mod joins;
mod scope;
mod select_list;

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};

use sqlparser::ast::{
    Expr, GroupByExpr, Ident, LimitClause, NamedWindowExpr, ObjectName, OrderByKind, Query, Select, SelectItem,
    SelectItemQualifiedWildcardKind, SetExpr, SetOperator, SetQuantifier, WindowSpec,
};
use sqlparser::parser::Parser;
use wevrun_core::model::{Column, Definition, Expression, Kind, Model, Name, ObjectKey, QualifiedName, Unresolved};
use wevrun_core::parse::{Places, Token};

use self::scope::{Level, Place, Relation, Scope, all_columns, columns_of};
pub use self::select_list::items_of as items;
use super::expression::plain_tokens;
use super::tree::{Names, Printed, Printer};
use crate::names;
use crate::names::always_quoted;
use crate::syntax::{DEPTH, Syntax};

/// The columns of all tables and views, in lower case and in order, and the names of routines.
#[derive(Default)]
pub struct Known {
    tables: BTreeMap<String, Vec<String>>,
    /// The columns that `*` leaves out, by table.
    invisible: BTreeMap<String, Vec<String>>,
    sequences: BTreeSet<String>,
    /// The queries of views, with the names of their columns if they are listed.
    views: BTreeMap<String, (String, Vec<Name>)>,
    /// The columns of views found so far; none while one is resolved.
    outputs: RefCell<BTreeMap<String, Option<Vec<String>>>>,
    functions: BTreeMap<String, QualifiedName>,
    procedures: BTreeMap<String, QualifiedName>,
    /// Names that the view at hand uses, and that nothing has.
    unresolved: RefCell<BTreeSet<Unresolved>>,
}

/// A resolved view.
pub struct Found {
    /// Its query.
    pub query: Expression,
    /// Names that certainly mean nothing.
    pub unresolved: Vec<Unresolved>,
}

/// A query in its canonical form.
struct Done {
    text: String,
    sure: bool,
    outputs: Vec<String>,
}

impl Known {
    /// Of a model.
    pub fn of(model: &Model) -> Known {
        let mut known = Known::default();
        for object in model.objects() {
            let name = object.name.canonical().to_owned();
            match &object.definition {
                Definition::Table(table) => {
                    let is_invisible = |column: &&Column| column.clauses.has(crate::clause::INVISIBLE);
                    let (invisible, visible): (Vec<&Column>, Vec<&Column>) =
                        table.columns.iter().partition(is_invisible);
                    let names = |columns: Vec<&Column>| -> Vec<String> {
                        columns.into_iter().map(|column| column.name.canonical().to_owned()).collect()
                    };
                    if !invisible.is_empty() {
                        known.invisible.insert(name.clone(), names(invisible));
                    }
                    known.tables.insert(name, names(visible));
                }
                Definition::View(view) => {
                    let (columns, query) = crate::parse::view::columns_of(view.query.written());
                    known.views.insert(name, (query.to_owned(), columns));
                }
                Definition::Plain(plain) => match plain.kind {
                    Kind::Function | Kind::Aggregate => drop(known.functions.insert(name, object.name.clone())),
                    Kind::Procedure => drop(known.procedures.insert(name, object.name.clone())),
                    Kind::Sequence => drop(known.sequences.insert(name)),
                    _ => {}
                },
                _ => {}
            }
        }
        known
    }

    /// The canonical form of a view's query.
    pub fn view(&self, written: &str) -> Found {
        let (columns, query) = crate::parse::view::columns_of(written);
        self.unresolved.borrow_mut().clear();
        let done = self.query(query, &columns);
        let unresolved: Vec<Unresolved> = self.unresolved.take().into_iter().collect();
        let query = match done {
            Some(done) if done.sure => Expression::new(done.text, written),
            Some(done) => Expression::unsure(done.text, written),
            None => Expression::unsure(plain_tokens(written), written),
        };
        Found { query, unresolved }
    }

    fn query(&self, text: &str, columns: &[Name]) -> Option<Done> {
        stacker::maybe_grow(256 * 1024, 8 * 1024 * 1024, || {
            let query = parse(text)?;
            let whole = Whole { known: self, text, places: Places::of(text), tokens: select_list::code(text) };
            let named: Vec<String> = columns.iter().map(|column| column.canonical().to_owned()).collect();
            whole.query(&query, &Scope::default(), (!named.is_empty()).then_some(&named))
        })
    }

    /// A function of this name.
    pub fn function(&self, name: &str) -> Option<QualifiedName> {
        self.functions.get(&name.to_lowercase()).cloned()
    }

    /// A procedure of this name.
    pub fn procedure(&self, name: &str) -> Option<QualifiedName> {
        self.procedures.get(&name.to_lowercase()).cloned()
    }

    /// Whether there is a table, view or sequence of this name.
    pub fn has_relation(&self, name: &str) -> bool {
        self.tables.contains_key(name) || self.views.contains_key(name) || self.sequences.contains(name)
    }

    /// Whether there is a relation or routine of this name.
    pub fn has_object(&self, name: &QualifiedName) -> bool {
        let own = name.canonical();
        self.has_relation(own) || self.functions.contains_key(own) || self.procedures.contains_key(own)
    }

    /// The columns of a table or view with those that `*` leaves out; none as for [`Known::columns`].
    pub fn all_columns(&self, name: &str) -> Option<Vec<String>> {
        let mut columns = self.columns(name)?;
        columns.extend(self.invisible(name).iter().cloned());
        Some(columns)
    }

    /// The columns of a table that `*` leaves out.
    pub fn invisible(&self, table: &str) -> &[String] {
        self.invisible.get(table).map_or(&[], Vec::as_slice)
    }

    /// The columns of a table or view; none if there is no such thing, or they can't be found out.
    fn columns(&self, name: &str) -> Option<Vec<String>> {
        if let Some(columns) = self.tables.get(name) {
            return Some(columns.clone());
        }
        let (query, columns) = self.views.get(name)?;
        if let Some(found) = self.outputs.borrow().get(name) {
            return found.clone();
        }
        // A view that reads itself has no columns.
        self.outputs.borrow_mut().insert(name.to_owned(), None);
        let outputs = self.query(query, columns).map(|done| done.outputs);
        self.outputs.borrow_mut().insert(name.to_owned(), outputs.clone());
        outputs
    }
}

/// The tree of a query; none if `sqlparser` can't read it.
pub fn parse(text: &str) -> Option<Query> {
    stacker::maybe_grow(256 * 1024, 8 * 1024 * 1024, || {
        let mut parser = Parser::new(&Syntax).with_recursion_limit(DEPTH).try_with_sql(text).ok()?;
        let query = parser.parse_query().ok()?;
        parser.expect_token(&sqlparser::tokenizer::Token::EOF).ok()?;
        Some(*query)
    })
}

/// The body of a query; with it the names of its outputs, and what its names can mean.
type Body = (Done, Vec<(String, Printed)>, Scope);

/// The text of one view.
struct Whole<'k> {
    known: &'k Known,
    text: &'k str,
    places: Places<'k>,
    tokens: Vec<Token>,
}

/// Resolves the names of one query.
struct Resolver<'r, 'k> {
    whole: &'r Whole<'k>,
    scope: &'r Scope,
    /// The outputs that have names of their own: each with what it prints as.
    aliases: &'r [(String, Printed)],
    place: Place,
}

impl Names for Resolver<'_, '_> {
    fn column(&self, parts: &[Ident]) -> Option<Printed> {
        let lower: Vec<String> = parts.iter().map(|part| part.value.to_lowercase()).collect();
        let name = lower.last()?;
        let qualifier = match parts {
            [_] => None,
            [table, _] => Some(&table.value),
            _ => return None,
        };
        let alias = || self.aliases.iter().find(|(alias, _)| alias == name).map(|(_, printed)| printed.clone());
        if qualifier.is_none() {
            match self.place {
                Place::Having => {
                    if let Some(alias) = self.aliases.iter().find(|(alias, _)| alias == name) {
                        return Some(Printed::column(always_quoted(&alias.0)));
                    }
                }
                Place::Order => {
                    if let Some(alias) = alias() {
                        return Some(alias);
                    }
                }
                Place::Anywhere | Place::Group => {}
            }
        }
        for level in self.scope.levels.iter().rev() {
            if qualifier.is_none()
                && let Some(printed) = level.merged.get(name)
            {
                return Some(Printed::column(printed.clone()));
            }
            let has = |relation: &&Relation| {
                qualifier.is_none_or(|qualifier| *qualifier == relation.alias) && relation.has(name)
            };
            let mut found = level.relations.iter().filter(has);
            match (found.next(), found.next()) {
                (Some(relation), None) => {
                    let text = format!("{}.{}", always_quoted(&relation.alias), always_quoted(name));
                    return Some(Printed::column(text));
                }
                (Some(_), Some(_)) => return None,
                _ => {}
            }
        }
        let found = if self.place == Place::Group && qualifier.is_none() { alias() } else { None };
        if found.is_none() {
            let qualifier = qualifier.map(|qualifier| qualifier.to_owned());
            let name = parts.last().map_or_else(String::new, |part| part.value.clone());
            self.whole.known.unresolved.borrow_mut().insert(Unresolved::Column(qualifier, name));
        }
        found
    }

    fn subquery(&self, query: &Query) -> Option<Printed> {
        let done = self.whole.query(query, self.scope, None)?;
        let printed = Printed::atom(without_names(&done.text));
        Some(if done.sure { printed } else { printed.unsure() })
    }

    fn window(&self, name: &Ident) -> Option<&WindowSpec> {
        let windows = self.scope.levels.iter().rev().flat_map(|level| &level.windows);
        let lower = name.value.to_lowercase();
        windows.into_iter().find(|(own, _)| *own == lower).map(|(_, window)| window)
    }

    fn database_of(&self, name: &ObjectName) -> String {
        let parts: Vec<&Ident> = name.0.iter().filter_map(|part| part.as_ident()).collect();
        match parts[..] {
            [database, _] => format!("{}.", always_quoted(&database.value)),
            _ => String::new(),
        }
    }
}

/// The separator of an output and its name in a text that is not printed yet: outputs of subqueries need no names.
const NAMED: char = '\u{2}';

/// The text of a query whose outputs have no names.
fn without_names(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(NAMED) {
        out.push_str(&rest[..at]);
        let after = &rest[at + 1..];
        rest = after.find(NAMED).map_or("", |end| &after[end + 1..]);
    }
    out + rest
}

/// The text with all names.
fn with_names(text: &str) -> String {
    text.replace(NAMED, "")
}

impl Whole<'_> {
    /// A query with everything around it. `named` are the names that its outputs are given.
    fn query(&self, query: &Query, outer: &Scope, named: Option<&[String]>) -> Option<Done> {
        let mut scope = outer.clone();
        let mut text = String::new();
        let mut sure = true;
        if let Some(with) = &query.with {
            let mut parts = Vec::new();
            for table in &with.cte_tables {
                let name = table.alias.name.value.to_lowercase();
                let columns: Vec<String> =
                    table.alias.columns.iter().map(|column| column.name.value.to_lowercase()).collect();
                let named = (!columns.is_empty()).then_some(&columns[..]);
                if with.recursive {
                    // Its first part defines its columns.
                    let first = first_part(&table.query);
                    let outputs = self.query(&first, &scope, named)?.outputs;
                    scope.common.insert(name.clone(), outputs);
                }
                let done = self.query(&table.query, &scope, named)?;
                sure &= done.sure;
                scope.common.insert(name.clone(), done.outputs);
                parts.push(format!("{} as ({})", always_quoted(&name), done.text));
            }
            let word = if with.recursive { "with recursive " } else { "with " };
            text.push_str(&format!("{word}{} ", parts.join(", ")));
        }
        let order = query.order_by.as_ref();
        let (body, aliases, inner) = self.body(&query.body, &scope, named)?;
        text.push_str(&body.text);
        sure &= body.sure;
        if let Some(order) = order {
            let OrderByKind::Expressions(items) = &order.kind else { return None };
            let resolver = Resolver { whole: self, scope: &inner, aliases: &aliases, place: Place::Order };
            text.push_str(&format!(" order by {}", Printer { names: &resolver }.order(items)?));
        }
        match &query.limit_clause {
            None => {}
            Some(LimitClause::LimitOffset { limit, offset, limit_by }) if limit_by.is_empty() => {
                let offset = offset.as_ref().map(|offset| format!("{},", offset.value)).unwrap_or_default();
                text.push_str(&format!(" limit {offset}{}", limit.as_ref()?));
            }
            Some(LimitClause::OffsetCommaLimit { offset, limit }) => text.push_str(&format!(" limit {offset},{limit}")),
            Some(_) => return None,
        }
        if query.fetch.is_some() || query.for_clause.is_some() {
            return None;
        }
        for lock in &query.locks {
            text.push_str(&format!(" {}", lock.to_string().to_ascii_lowercase()));
        }
        Some(Done { text, sure, outputs: body.outputs })
    }

    fn body(&self, body: &SetExpr, scope: &Scope, named: Option<&[String]>) -> Option<Body> {
        match body {
            SetExpr::Select(select) => self.select(select, scope, named),
            SetExpr::Query(query) => {
                let done = self.query(query, scope, named)?;
                let text = format!("({})", done.text);
                Some((Done { text, ..done }, Vec::new(), scope.clone()))
            }
            SetExpr::SetOperation { op, set_quantifier, left, right } => {
                let (left, ..) = self.body(left, scope, named)?;
                let (right, ..) = self.body(right, scope, None)?;
                let word = match op {
                    SetOperator::Union => "union",
                    SetOperator::Except | SetOperator::Minus => "except",
                    SetOperator::Intersect => "intersect",
                };
                let all = if matches!(set_quantifier, SetQuantifier::All) { " all" } else { "" };
                let text = format!("{} {word}{all} {}", left.text, right.text);
                let outputs = left.outputs;
                // After it, an order names outputs.
                let name = |name: &String| (name.clone(), Printed::column(always_quoted(name)));
                let aliases = outputs.iter().map(name).collect();
                Some((Done { text, sure: left.sure && right.sure, outputs }, aliases, scope.clone()))
            }
            SetExpr::Values(values) => Some((
                Done { text: values.to_string().to_ascii_lowercase(), sure: false, outputs: Vec::new() },
                Vec::new(),
                scope.clone(),
            )),
            _ => None,
        }
    }

    fn select(&self, select: &Select, outer: &Scope, named: Option<&[String]>) -> Option<Body> {
        let mut scope = outer.clone();
        scope.levels.push(Level::default());
        let mut sure = true;
        let from = self.from(&select.from, &mut scope, &mut sure)?;
        for window in &select.named_window {
            let NamedWindowExpr::WindowSpec(spec) = &window.1 else { return None };
            scope.levels.last_mut()?.windows.push((window.0.value.to_lowercase(), spec.clone()));
        }
        let resolver = Resolver { whole: self, scope: &scope, aliases: &[], place: Place::Anywhere };
        let printer = Printer { names: &resolver };
        let texts = self.items(select);
        let mut outputs: Vec<(String, Printed)> = Vec::new();
        let mut aliases: Vec<(String, Printed)> = Vec::new();
        for (index, item) in select.projection.iter().enumerate() {
            match item {
                SelectItem::ExprWithAlias { expr, alias } => {
                    let printed = printer.print(expr)?;
                    aliases.push((alias.value.to_lowercase(), printed.clone()));
                    outputs.push((alias.value.to_lowercase(), printed));
                }
                SelectItem::UnnamedExpr(expr) => {
                    let printed = printer.print(expr)?;
                    let name = match expr {
                        Expr::Identifier(ident) => ident.value.to_lowercase(),
                        Expr::CompoundIdentifier(parts) => parts.last()?.value.to_lowercase(),
                        Expr::Value(value) => match &value.value {
                            sqlparser::ast::Value::SingleQuotedString(text) => text.to_lowercase(),
                            _ => texts.get(index)?.to_lowercase(),
                        },
                        _ => texts.get(index)?.to_lowercase(),
                    };
                    // A name that is too long is made up.
                    let name =
                        if name.chars().count() > names::LONGEST { format!("name_exp_{}", index + 1) } else { name };
                    outputs.push((name, printed));
                }
                SelectItem::Wildcard(_) => outputs.extend(all_columns(scope.levels.last()?)),
                SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) => {
                    let alias = &name.0.last()?.as_ident()?.value;
                    let relation = scope.levels.last()?.relations.iter().find(|relation| relation.alias == *alias)?;
                    outputs.extend(columns_of(relation));
                }
                _ => return None,
            }
        }
        if let Some(named) = named {
            if named.len() != outputs.len() {
                return None;
            }
            for (output, name) in outputs.iter_mut().zip(named) {
                output.0.clone_from(name);
            }
        }
        let mut text = "select ".to_owned();
        if select.distinct.as_ref().is_some_and(|distinct| !matches!(distinct, sqlparser::ast::Distinct::All)) {
            text.push_str("distinct ");
        }
        if let Some(modifiers) = &select.select_modifiers {
            let words = modifiers.to_string().to_ascii_lowercase();
            let words = words.trim();
            if !words.is_empty() {
                text.push_str(&format!("{words} "));
            }
        }
        let printed: Vec<String> = outputs
            .iter()
            .map(|(name, printed)| format!("{}{NAMED} as {}{NAMED}", printed.text(), always_quoted(name)))
            .collect();
        text.push_str(&printed.join(","));
        sure &= outputs.iter().all(|(_, printed)| printed.is_sure());
        if !from.is_empty() {
            text.push_str(&format!(" from {from}"));
        }
        if let Some(condition) = &select.selection {
            let condition = printer.condition(condition)?;
            sure &= condition.is_sure();
            text.push_str(&format!(" where {}", condition.text()));
        }
        let GroupByExpr::Expressions(by, modifiers) = &select.group_by else { return None };
        if !by.is_empty() {
            let resolver = Resolver { place: Place::Group, aliases: &aliases, ..resolver };
            let printer = Printer { names: &resolver };
            let by = by.iter().map(|expr| printer.print(expr)).collect::<Option<Vec<_>>>()?;
            let by: Vec<&str> = by.iter().map(Printed::text).collect();
            text.push_str(&format!(" group by {}", by.join(",")));
            for modifier in modifiers {
                text.push_str(&format!(" {}", modifier.to_string().to_ascii_lowercase()));
            }
        }
        if let Some(having) = &select.having {
            let mut named = aliases.clone();
            named.extend(outputs.iter().filter(|(name, _)| aliases.iter().all(|(own, _)| own != name)).cloned());
            let resolver = Resolver { whole: self, scope: &scope, aliases: &named, place: Place::Having };
            let having = Printer { names: &resolver }.condition(having)?;
            sure &= having.is_sure();
            text.push_str(&format!(" having {}", having.text()));
        }
        let names = outputs.iter().map(|(name, _)| name.clone()).collect();
        Some((Done { text, sure, outputs: names }, aliases, scope))
    }

    /// The texts of the outputs of a SELECT: the server makes names of them.
    fn items(&self, select: &Select) -> Vec<&str> {
        let start = self.places.span(select.select_token.0.span).start;
        select_list::items(self.text, &self.tokens, start).into_iter().map(|span| span.of(self.text)).collect()
    }
}

/// The first part of a recursive query.
fn first_part(query: &Query) -> Query {
    let mut first = query.clone();
    while let SetExpr::SetOperation { left, .. } = &*first.body {
        first.body = left.clone();
    }
    first.order_by = None;
    first.limit_clause = None;
    first
}

/// Gives every view of a model its canonical query.
pub fn finish(model: &mut Model, known: &Known) {
    let views: Vec<(ObjectKey, Found)> = model
        .of_kind(Kind::View)
        .filter_map(|object| {
            let Definition::View(view) = &object.definition else { return None };
            let mut found = known.view(view.query.written());
            found.query.canonical = with_names(&found.query.canonical);
            Some((object.key(), found))
        })
        .collect();
    for (key, found) in views {
        if let Some(object) = model.get_mut(&key)
            && let Definition::View(view) = &mut object.definition
        {
            view.query = found.query;
            object.unresolved = found.unresolved;
        }
    }
}
