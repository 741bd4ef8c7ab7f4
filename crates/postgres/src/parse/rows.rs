//! Tables as the rows of the system's catalogue describe them (<https://www.postgresql.org/docs/current/catalogs.html>).
//!
//! They are made by the constructors that the grammar calls. Only types and expressions, which the server stores as such, are
//! read as text, each once. Everything unusual is in statements beside the rows.

use std::collections::HashMap;

use rayon::prelude::*;
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::{
    Action, Check, Clauses, Column, Definition, Expression, Flag, Generated, Key, Name, Object, OnConflict, Table,
};
use wevrun_core::parse::{Parsed, ParsedSource, Reader, Statement, StatementKind, parse_source, token};
use wevrun_core::source::{Location, Source};

use super::{constraints, data_type, expression, foreign, names, path, table};
use crate::change::{NewConstraints, NotNull, ObjectChange, set_identity_options};
use crate::{Postgres, clause, tokens};

/// The number of an object in the catalogue.
pub type Oid = u32;

/// A table.
#[derive(Debug)]
pub struct TableRow<'r> {
    /// Its number.
    pub oid: Oid,
    /// The schema.
    pub schema: &'r str,
    /// The name.
    pub name: &'r str,
    /// UNLOGGED.
    pub unlogged: bool,
    /// The owner.
    pub owner: &'r str,
    /// The statements that say what the rows do not. If the first is a CREATE TABLE, it has no columns.
    pub statements: Source,
}

/// A column of a table, in the order of their numbers.
#[derive(Debug)]
pub struct ColumnRow<'r> {
    /// The table.
    pub table: Oid,
    /// The column's number in the table.
    pub number: &'r str,
    /// The name.
    pub name: &'r str,
    /// The type's number and the modifier.
    pub data_type: (&'r str, &'r str),
    /// Whether the table defines the column itself; otherwise it is only inherited.
    pub is_own: bool,
    /// COLLATE, as in SQL, where it is not the type's own.
    pub collation: Option<&'r str>,
    /// OPTIONS of a foreign table's column, as in SQL.
    pub options: Option<&'r str>,
    /// Whether it is an identity column: GENERATED ALWAYS, not BY DEFAULT.
    pub identity: Option<bool>,
    /// The default, or the expression of a generated column.
    pub expression: Option<&'r str>,
    /// Whether it is generated: whether the value is stored.
    pub generated: Option<bool>,
    /// NOT NULL, and the constraint's name, which is empty if it is the usual one.
    pub not_null: Option<&'r str>,
    /// NO INHERIT of the NOT NULL.
    pub no_inherit: bool,
}

/// An identity column's sequence.
#[derive(Debug)]
pub struct IdentityRow<'r> {
    /// The table.
    pub table: Oid,
    /// The column's number in the table.
    pub column: &'r str,
    /// The sequence's schema and name.
    pub name: (&'r str, &'r str),
    /// START, INCREMENT, MINVALUE, MAXVALUE, CACHE.
    pub numbers: [&'r str; 5],
    /// CYCLE.
    pub cycle: bool,
    /// UNLOGGED or LOGGED, which a sequence can be by itself since version 15.
    pub unlogged: Option<bool>,
}

/// A constraint, except NOT NULL.
#[derive(Debug)]
pub struct ConstraintRow<'r> {
    /// The table.
    pub table: Oid,
    /// The name.
    pub name: &'r str,
    /// The kind, with all that only this kind has.
    pub kind: ConstraintKind<'r>,
    /// DEFERRABLE.
    pub deferrable: bool,
    /// INITIALLY DEFERRED.
    pub deferred: bool,
    /// NO INHERIT.
    pub no_inherit: bool,
    /// Not NOT VALID.
    pub validated: bool,
    /// Not NOT ENFORCED.
    pub enforced: bool,
}

/// Kinds of constraint. Columns are numbers with blanks between them.
#[derive(Debug)]
pub enum ConstraintKind<'r> {
    /// PRIMARY KEY.
    PrimaryKey(&'r str),
    /// UNIQUE.
    Unique(&'r str),
    /// CHECK.
    Check(&'r str),
    /// FOREIGN KEY.
    ForeignKey {
        /// The referencing columns.
        columns: &'r str,
        /// The referenced table.
        parent: Oid,
        /// Its schema and name.
        parent_name: (&'r str, &'r str),
        /// The referenced columns.
        parent_columns: &'r str,
        /// ON UPDATE.
        on_update: Action,
        /// ON DELETE.
        on_delete: Action,
        /// MATCH FULL.
        match_full: bool,
    },
    /// An unusual one, as the server spells it, with all its attributes.
    Spelled(&'r str),
}

/// A comment on a table, or on one of its columns.
#[derive(Debug)]
pub struct CommentRow<'r> {
    /// The table.
    pub table: Oid,
    /// The column's number in the table; 0 is the table itself.
    pub column: &'r str,
    /// The text.
    pub text: &'r str,
}

/// A type with its modifier.
#[derive(Debug)]
pub struct TypeRow<'r> {
    /// The type's number and the modifier.
    pub key: (&'r str, &'r str),
    /// As it stands in SQL.
    pub text: &'r str,
}

/// All rows about tables.
#[derive(Debug, Default)]
pub struct Rows<'r> {
    /// The types of all columns.
    pub types: Vec<TypeRow<'r>>,
    /// The tables.
    pub tables: Vec<TableRow<'r>>,
    /// Their columns, and those of tables that they reference.
    pub columns: Vec<ColumnRow<'r>>,
    /// The identity columns.
    pub identities: Vec<IdentityRow<'r>>,
    /// The constraints, in the order in which a table lists them.
    pub constraints: Vec<ConstraintRow<'r>>,
    /// The comments.
    pub comments: Vec<CommentRow<'r>>,
}

impl Rows<'_> {
    /// The tables as statements, in order; the first source has the index `first`.
    ///
    /// # Errors
    ///
    /// What the server spells and nobody can read, as a finding in its table's source.
    pub fn parse(&self, first: u32) -> Vec<ParsedSource> {
        let index = Index::of(self);
        let numbered = self.tables.par_iter().enumerate();
        numbered.map(|(at, row)| index.parse(row, first + at as u32)).collect()
    }
}

/// The rows by what they are about.
struct Index<'r> {
    types: HashMap<(&'r str, &'r str), Parsed<Expression>>,
    expressions: HashMap<&'r str, Parsed<Expression>>,
    columns: HashMap<Oid, Vec<&'r ColumnRow<'r>>>,
    identities: HashMap<(Oid, &'r str), &'r IdentityRow<'r>>,
    constraints: HashMap<Oid, Vec<&'r ConstraintRow<'r>>>,
    comments: HashMap<Oid, Vec<&'r CommentRow<'r>>>,
}

impl<'r> Index<'r> {
    fn of(rows: &'r Rows<'r>) -> Index<'r> {
        let types = rows.types.iter().map(|row| (row.key, read(row.text, data_type))).collect();
        let of_constraints = rows.constraints.iter().filter_map(|row| match row.kind {
            ConstraintKind::Check(condition) => Some(condition),
            _ => None,
        });
        let mut expressions = HashMap::new();
        for text in rows.columns.iter().filter_map(|row| row.expression).chain(of_constraints) {
            expressions.entry(text).or_insert_with(|| read(text, whole_expression));
        }
        Index {
            types,
            expressions,
            columns: by_table(&rows.columns, |row| row.table),
            identities: rows.identities.iter().map(|row| ((row.table, row.column), row)).collect(),
            constraints: by_table(&rows.constraints, |row| row.table),
            comments: by_table(&rows.comments, |row| row.table),
        }
    }

    fn parse(&self, row: &TableRow<'_>, index: u32) -> ParsedSource {
        let mut parsed = parse_source(&Postgres, &row.statements, index);
        let created = match parsed.statements.first_mut() {
            Some(Statement { kind: StatementKind::Create { object, .. }, .. }) => object,
            _ => {
                let location = Location { source: index, start: 0, end: 0 };
                let object = Object::new(names::qualified(row.schema, row.name), Definition::Table(Table::default()));
                let object = Box::new(Object { location: Some(location), ..object });
                let kind = StatementKind::Create { object, if_not_exists: false, or_replace: false };
                parsed.statements.insert(0, Statement { location, kind });
                match &mut parsed.statements[0].kind {
                    StatementKind::Create { object, .. } => object,
                    _ => unreachable!("it was made so"),
                }
            }
        };
        if let Err(found) = self.complete(row, created) {
            // Its place is one in a text of its own, which no source has.
            let message = format!("{}: {}", row.statements.name, found.message);
            parsed.diagnostics.push(Diagnostic { primary: None, message, ..*found });
        }
        parsed
    }

    /// Says of a created table what the rows say.
    fn complete(&self, row: &TableRow<'_>, object: &mut Object) -> Parsed<()> {
        object.text.clear();
        // Where the statements that the server spells look for names.
        object.names_in = (row.schema != "public").then(|| "public".into());
        object.access.set_text(clause::OWNER, names::quoted(row.owner));
        let Definition::Table(table) = &mut object.definition else { return Ok(()) };
        if row.unlogged {
            table.clauses.set(clause::UNLOGGED, Flag);
        }
        for column in self.columns.get(&row.oid).into_iter().flatten().filter(|column| column.is_own) {
            table.columns.push(self.column(column)?);
        }
        let mut constraints = NewConstraints::default();
        for constraint in self.constraints.get(&row.oid).into_iter().flatten() {
            self.constraint(constraint, &mut constraints)?;
        }
        constraints.apply(table);
        for comment in self.comments.get(&row.oid).into_iter().flatten() {
            if comment.column == "0" {
                object.definition.clauses_mut().into_iter().for_each(|own| own.set_text(clause::COMMENT, comment.text));
            } else {
                for column in self.named(row.oid, comment.column) {
                    ObjectChange::CommentOnColumn(column, Some(comment.text.to_owned())).apply(object);
                }
            }
        }
        Ok(())
    }

    fn column(&self, row: &ColumnRow<'_>) -> Parsed<Column> {
        let mut column = Column::named(names::simple(row.name));
        column.data_type = Some(known(&self.types, row.data_type)?);
        if let Some(collation) = row.collation {
            column.collation = read(collation, |reader| Ok(table::collation(&path(reader, "a collation's name")?)))?;
        }
        if let Some(options) = row.options {
            read(options, |reader| foreign::options(reader, &mut column.clauses))?;
        }
        if let Some(text) = row.expression {
            let expression = known(&self.expressions, text)?;
            match row.generated {
                Some(stored) => column.generated = Some(Generated { expression, stored }),
                None => column.default = Some(expression),
            }
        }
        if let Some(name) = row.not_null {
            let mut attributes = Clauses::default();
            if row.no_inherit {
                attributes.set(clause::NO_INHERIT, Flag);
            }
            let name = (!name.is_empty()).then(|| names::simple(name));
            NotNull { column: column.name.clone(), name, attributes }.apply(&mut column);
        }
        let sequence = self.identities.get(&(row.table, row.number));
        if let Some((always, sequence)) = row.identity.zip(sequence) {
            set_identity(&mut column, always, sequence);
        }
        Ok(column)
    }

    /// The columns of these numbers.
    fn named(&self, table: Oid, numbers: &str) -> Vec<Name> {
        let columns = self.columns.get(&table).map_or(&[][..], Vec::as_slice);
        let found = numbers.split(' ').filter_map(|number| columns.iter().find(|column| column.number == number));
        found.map(|column| names::simple(column.name)).collect()
    }

    fn constraint(&self, row: &ConstraintRow<'_>, found: &mut NewConstraints) -> Parsed<()> {
        let name = names::simple(row.name);
        let clauses = attributes(row);
        let constraints = &mut found.constraints;
        match row.kind {
            ConstraintKind::PrimaryKey(columns) => {
                let key = constraints::key_of(Some(name), self.named(row.table, columns));
                constraints.primary_keys.push(Key { clauses, ..key });
            }
            ConstraintKind::Unique(columns) => {
                let key = constraints::key_of(Some(name), self.named(row.table, columns));
                constraints.unique_keys.push(Key { clauses, ..key });
            }
            ConstraintKind::Check(condition) => {
                let condition = known(&self.expressions, condition)?;
                constraints.checks.push(Check {
                    condition,
                    name: Some(name),
                    with_column: Default::default(),
                    clauses,
                });
            }
            ConstraintKind::ForeignKey {
                columns,
                parent,
                parent_name,
                parent_columns,
                on_update,
                on_delete,
                match_full,
            } => {
                let columns = self.named(row.table, columns);
                let reference = names::qualified(parent_name.0, parent_name.1);
                let mut key = constraints::foreign_key_of(Some(name), columns, reference);
                key.parent_columns = self.named(parent, parent_columns);
                (key.on_update, key.on_delete) = (on_update, on_delete);
                key.clauses = clauses;
                if match_full {
                    key.clauses.set_text(clause::MATCH, "full");
                }
                constraints.foreign_keys.push(key);
            }
            ConstraintKind::Spelled(text) => {
                let text = format!("CONSTRAINT {} {text}", names::quoted(row.name));
                read(&text, |reader| constraints::table_constraint(reader, found))?;
            }
        }
        Ok(())
    }
}

fn by_table<R>(rows: &[R], table: impl Fn(&R) -> Oid) -> HashMap<Oid, Vec<&R>> {
    let mut found: HashMap<Oid, Vec<&R>> = HashMap::new();
    rows.iter().for_each(|row| found.entry(table(row)).or_default().push(row));
    found
}

fn known<K: std::hash::Hash + Eq>(read: &HashMap<K, Parsed<Expression>>, key: K) -> Parsed<Expression> {
    read[&key].clone()
}

/// Reads a text with a function of the grammar, to its end.
fn read<T>(text: &str, with: impl FnOnce(&mut Reader<'_>) -> Parsed<T>) -> Parsed<T> {
    let (tokens, error) = token::tokenize(tokens::rules(), text, 0);
    if let Some(error) = error {
        return Err(Box::new(error));
    }
    let mut reader = Reader { text, tokens: &tokens, position: 0, source: 0 };
    let read = with(&mut reader)?;
    reader.finish()?;
    Ok(read)
}

fn whole_expression(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let range = 0..reader.tokens.len();
    reader.position = range.end;
    Ok(expression(reader, range))
}

fn attributes(row: &ConstraintRow<'_>) -> Clauses {
    let mut clauses = Clauses::default();
    if row.deferrable {
        clauses.set_text(clause::DEFERRABLE, if row.deferred { "initially deferred" } else { "" });
    }
    if row.no_inherit && matches!(row.kind, ConstraintKind::Check(_)) {
        clauses.set(clause::NO_INHERIT, Flag);
    }
    if !row.enforced {
        clauses.set(clause::NOT_ENFORCED, Flag);
    } else if !row.validated {
        clauses.set(clause::NOT_VALID, Flag);
    }
    clauses
}

fn set_identity(column: &mut Column, always: bool, row: &IdentityRow<'_>) {
    column.clauses.set_text(clause::IDENTITY, if always { "always" } else { "by default" });
    column.not_null = Some(OnConflict::Abort);
    let mut options = Clauses::default();
    options.set(clause::NAME, names::qualified(row.name.0, row.name.1));
    let keys = [clause::START, clause::INCREMENT, clause::MINVALUE, clause::MAXVALUE, clause::CACHE];
    keys.into_iter().zip(row.numbers).for_each(|(key, number)| options.set_text(key, number));
    if row.cycle {
        options.set(clause::CYCLE, Flag);
    }
    // The canonical form takes out what the table says as well.
    if let Some(unlogged) = row.unlogged {
        options.set(if unlogged { clause::UNLOGGED } else { clause::LOGGED }, Flag);
    }
    set_identity_options(column, options);
}
