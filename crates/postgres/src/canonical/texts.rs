//! The texts of a definition that are expressions, queries or lists of these, each with its grammar.

use super::super::{names, split_places};
use super::expression::{Scope, Spelling};
use super::{bounds, exclusion, expression, partition_key};
use crate::clause;
use crate::rename::is_expression_clause;
use wevrun_core::model::{Definition, Expression, Kind, Object, QualifiedName};

/// How a text is read.
pub enum Form {
    /// An expression.
    Expression,
    /// The default of a column.
    Default,
    /// The default of an argument.
    ArgumentDefault,
    /// The query of a view.
    Query,
    /// The statements of a rule, or an SQL-standard body.
    Statements,
    /// PARTITION BY.
    PartitionKey,
    /// The bound of a partition of a table.
    Bound(QualifiedName),
    /// EXCLUDE.
    Exclusion,
    /// The columns and rows of a table that a publication has.
    Published(QualifiedName),
    /// The columns and expressions of statistics.
    Statistics,
}

/// A text of a definition.
pub struct Text<'t> {
    /// The text.
    pub expression: &'t mut Expression,
    /// How it is read.
    pub form: Form,
    /// The type of its value, if it is known.
    pub wanted: Option<String>,
}

/// All texts of an object.
pub fn of<'t>(object: &'t mut Object, scope: &Scope<'_>) -> Vec<Text<'t>> {
    let mut found = Vec::new();
    let mut add = |expression: &'t mut Expression, form: Form, wanted: Option<String>| {
        found.push(Text { expression, form, wanted });
    };
    let condition = || Some("boolean".to_owned());
    let kind = object.definition.kind();
    match &mut object.definition {
        Definition::Table(table) => {
            for column in table.columns.iter_mut() {
                let data_type = column.data_type.as_ref().map(|data_type| data_type.canonical.clone());
                column.default.iter_mut().for_each(|default| add(default, Form::Default, data_type.clone()));
                let generated = column.generated.iter_mut();
                generated.for_each(|own| add(&mut own.expression, Form::Expression, data_type.clone()));
            }
            table.checks.iter_mut().for_each(|check| add(&mut check.condition, Form::Expression, condition()));
            for check in table.exclusions.iter_mut() {
                add(&mut check.condition, Form::Exclusion, None);
                let conditions = check.clauses.expressions_mut().filter(|(name, _)| clause::WHERE.is(name));
                conditions.for_each(|(_, value)| add(value, Form::Expression, condition()));
            }
            let parent = table.clauses.get(clause::PARTITION_OF).cloned();
            for (name, value) in table.clauses.expressions_mut() {
                match &parent {
                    _ if clause::PARTITION_BY.is(name) => add(value, Form::PartitionKey, None),
                    Some(parent) if clause::BOUND.is(name) => add(value, Form::Bound(parent.clone()), None),
                    _ => {}
                }
            }
        }
        Definition::Index(index) => {
            index.parts.iter_mut().for_each(|part| add(&mut part.expression, Form::Expression, None));
            index.predicate.iter_mut().for_each(|predicate| add(predicate, Form::Expression, None));
        }
        Definition::View(view) => {
            add(&mut view.query, Form::Query, None);
            for (name, value) in view.clauses.expressions_mut() {
                if let Some(column) = clause::DEFAULT_OF.member(name) {
                    add(value, Form::Expression, scope.column_type(&object.name, column).map(str::to_owned));
                }
            }
        }
        Definition::Plain(plain) => {
            let types = match kind {
                Kind::Function | Kind::Procedure => expression::argument_types(&plain.clauses),
                _ => Vec::new(),
            };
            for (name, value) in plain.clauses.expressions_mut() {
                match kind {
                    Kind::Publication => {
                        if let Some(table) = clause::PUBLISHED_TABLE.member(name) {
                            add(value, Form::Published(names::read(table)), None);
                        }
                    }
                    Kind::Statistics if clause::ON.is(name) => add(value, Form::Statistics, None),
                    Kind::Function | Kind::Procedure => {
                        let number = clause::DEFAULT_OF.member(name).and_then(|number| number.parse::<usize>().ok());
                        if let Some(number) = number {
                            add(value, Form::ArgumentDefault, types.get(number - 1).cloned());
                        } else if clause::BODY.is(name) {
                            add(value, Form::Statements, None);
                        }
                    }
                    Kind::Rule if is_expression_clause(kind, name) => {
                        let form = if name == "do" { Form::Statements } else { Form::Expression };
                        add(value, form, None);
                    }
                    _ if is_expression_clause(kind, name) => add(value, Form::Expression, None),
                    _ => {}
                }
            }
        }
        Definition::VirtualTable(_) | Definition::Trigger(_) => {}
    }
    found
}

impl Scope<'_> {
    /// The spelling of a text; none if it stays as it is. `columns` are the names that a view gives to its columns.
    pub fn spelling_of(
        &self,
        form: &Form,
        text: &str,
        wanted: Option<&str>,
        columns: &[wevrun_core::model::Name],
    ) -> Option<Spelling> {
        match form {
            Form::Expression => Some(self.expression(text, wanted)),
            Form::Default => Some(self.column_default(text, wanted)),
            Form::ArgumentDefault => Some(self.default(text, wanted)),
            Form::Query => Some(self.query(text, columns)),
            Form::Statements => Some(self.statements(text)),
            Form::PartitionKey => partition_key::canonical(text, self),
            Form::Bound(parent) => bounds::canonical(text, parent, self),
            Form::Exclusion => exclusion::canonical(text, self),
            Form::Published(table) => Some(self.published(table, text)),
            Form::Statistics => Some(self.statistics(text)),
        }
    }

    /// Columns first, whose order means nothing.
    fn statistics(&self, text: &str) -> Spelling {
        let places = split_places(text).into_iter();
        let items = places.map(|place| self.expression(&text[place.clone()], None).later(place.start as u32));
        let (mut columns, others): (Vec<Spelling>, Vec<Spelling>) =
            items.partition(|item| !item.text.contains(['(', ' ']));
        columns.sort_by(|a, b| a.text.cmp(&b.text));
        Spelling::joined(columns.into_iter().chain(others), ", ")
    }
}
