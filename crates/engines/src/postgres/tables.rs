//! Tables as rows of the catalogue.

use std::collections::BTreeSet;

use postgres::SimpleQueryRow;
use wevrun_core::model::{Action, Identifiers};
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;
use wevrun_postgres::rows::{
    ColumnRow, CommentRow, ConstraintKind, ConstraintRow, IdentityRow, Oid, Rows, TableRow, TypeRow,
};

use super::connection::PostgresDatabase;
use crate::error::LiveError;

/// The queries, in the order in which [`TableAnswers::rows`] takes their answers.
const QUERIES: [&str; 5] = [
    include_str!("catalogue/tables.sql"),
    include_str!("catalogue/columns.sql"),
    include_str!("catalogue/identities.sql"),
    include_str!("catalogue/constraints.sql"),
    include_str!("catalogue/comments_on_tables.sql"),
];

/// Which of them is about columns.
const COLUMNS: usize = 1;

/// The answers to the queries, and the types of the columns.
pub struct TableAnswers {
    database: String,
    answers: Vec<Vec<SimpleQueryRow>>,
}

impl PostgresDatabase {
    /// Asks for all tables.
    pub(super) fn tables(&mut self) -> Result<TableAnswers, LiveError> {
        let mut answers = self.ask(&QUERIES)?;
        let pairs = answers.get(COLUMNS).into_iter().flatten().map(|row| (text(row, 3), text(row, 4)));
        let pairs: BTreeSet<(&str, &str)> = pairs.collect();
        let pairs: Vec<String> =
            pairs.iter().map(|(data_type, modifier)| format!("({data_type}::oid, {modifier})")).collect();
        // The server spells each type once, and not once a column.
        let types = match &pairs[..] {
            [] => vec![Vec::new()],
            pairs => self.ask(&[&format!(
                "SELECT t.*, format_type(t.id, t.modifier) FROM (VALUES {}) t(id, modifier);",
                pairs.join(", ")
            )])?,
        };
        answers.extend(types);
        Ok(TableAnswers { answers, database: self.settings.database.clone() })
    }
}

impl TableAnswers {
    /// The answers as typed rows.
    ///
    /// # Errors
    ///
    /// [`LiveError::Dropped`] if another session has dropped a table or a type while the server spelled expressions and types.
    pub fn rows(&self) -> Result<Rows<'_>, LiveError> {
        let [tables, columns, identities, constraints, comments, types] = &self.answers[..] else {
            return Err(LiveError::Engine("the server has not answered every query".to_owned()));
        };
        Ok(Rows {
            types: types.iter().map(type_row).collect::<Result<_, _>>()?,
            tables: tables.iter().map(|row| self.table_row(row)).collect(),
            columns: columns.iter().map(column_row).collect::<Result<_, _>>()?,
            identities: identities.iter().map(identity_row).collect(),
            constraints: constraints.iter().map(constraint_row).collect::<Result<_, _>>()?,
            comments: comments.iter().map(comment_row).collect(),
        })
    }

    fn table_row<'r>(&self, row: &'r SimpleQueryRow) -> TableRow<'r> {
        let (schema, name, kind) = (text(row, 1), text(row, 2), text(row, 3));
        let (header, changes) = (text(row, 6), text(row, 7));
        let quoted = format!("{}.{}", Postgres.quoted(schema), Postgres.quoted(name));
        let (words, foreign) = if kind == "f" { ("foreign table", "FOREIGN ") } else { ("table", "") };
        let statements = match header {
            "" => changes.to_owned(),
            header => format!("CREATE {foreign}TABLE {quoted} (){header};{changes}"),
        };
        TableRow {
            oid: oid(row, 0),
            schema,
            name,
            unlogged: is_true(row, 4),
            owner: text(row, 5),
            statements: Source::new(format!("postgres:{}, {words} {quoted}", self.database), &statements),
        }
    }
}

fn type_row(row: &SimpleQueryRow) -> Result<TypeRow<'_>, LiveError> {
    // What `format_type()` gives for a type that is no longer there.
    let spelled = row.get(2).filter(|text| *text != "???");
    Ok(TypeRow { key: (text(row, 0), text(row, 1)), text: spelled.ok_or_else(|| dropped("the type of a column"))? })
}

fn column_row(row: &SimpleQueryRow) -> Result<ColumnRow<'_>, LiveError> {
    let expression = if is_true(row, 9) {
        Some(spelled(row, 11, &format!("the default of the column {}", text(row, 2)))?)
    } else {
        None
    };
    Ok(ColumnRow {
        table: oid(row, 0),
        number: text(row, 1),
        name: text(row, 2),
        data_type: (text(row, 3), text(row, 4)),
        is_own: is_true(row, 5),
        collation: row.get(6),
        options: row.get(7),
        identity: Some(text(row, 8)).filter(|identity| !identity.is_empty()).map(|identity| identity == "a"),
        expression,
        generated: Some(text(row, 10)).filter(|generated| !generated.is_empty()).map(|generated| generated == "s"),
        not_null: row.get(12),
        no_inherit: is_true(row, 13),
    })
}

fn identity_row(row: &SimpleQueryRow) -> IdentityRow<'_> {
    IdentityRow {
        table: oid(row, 0),
        column: text(row, 1),
        name: (text(row, 2), text(row, 3)),
        numbers: [4, 5, 6, 7, 8].map(|field| text(row, field)),
        cycle: is_true(row, 9),
        unlogged: row.get(10).map(|unlogged| unlogged == "t"),
    }
}

fn constraint_row(row: &SimpleQueryRow) -> Result<ConstraintRow<'_>, LiveError> {
    let constraint = || format!("the constraint {}", text(row, 1));
    let kind = match (text(row, 2), row.get(16)) {
        ("c", _) => ConstraintKind::Check(spelled(row, 16, &constraint())?),
        (_, Some(definition)) => ConstraintKind::Spelled(definition),
        ("p", None) => ConstraintKind::PrimaryKey(text(row, 3)),
        ("u", None) => ConstraintKind::Unique(text(row, 3)),
        ("f", None) => ConstraintKind::ForeignKey {
            columns: text(row, 3),
            parent: oid(row, 6),
            parent_name: (text(row, 4), text(row, 5)),
            parent_columns: text(row, 7),
            on_update: action(text(row, 8)),
            on_delete: action(text(row, 9)),
            match_full: text(row, 10) == "f",
        },
        _ => ConstraintKind::Spelled(spelled(row, 16, &constraint())?),
    };
    Ok(ConstraintRow {
        table: oid(row, 0),
        name: text(row, 1),
        kind,
        deferrable: is_true(row, 11),
        deferred: is_true(row, 12),
        no_inherit: is_true(row, 13),
        validated: is_true(row, 14),
        enforced: is_true(row, 15),
    })
}

fn comment_row(row: &SimpleQueryRow) -> CommentRow<'_> {
    CommentRow { table: oid(row, 0), column: text(row, 1), text: text(row, 2) }
}

fn text(row: &SimpleQueryRow, field: usize) -> &str {
    row.get(field).unwrap_or_default()
}

fn is_true(row: &SimpleQueryRow, field: usize) -> bool {
    row.get(field) == Some("t")
}

fn oid(row: &SimpleQueryRow, field: usize) -> Oid {
    text(row, field).parse().unwrap_or_default()
}

/// A text spelled by a function of the server, which returns NULL for a table that is no longer there.
fn spelled<'r>(row: &'r SimpleQueryRow, field: usize, part: &str) -> Result<&'r str, LiveError> {
    row.get(field).ok_or_else(|| dropped(part))
}

fn dropped(part: &str) -> LiveError {
    LiveError::Dropped(format!("{part} can't be read any more"))
}

/// An action of a foreign key by its letter in `pg_constraint`.
fn action(letter: &str) -> Action {
    match letter {
        "r" => Action::Restrict,
        "c" => Action::Cascade,
        "n" => Action::SetNull,
        "d" => Action::SetDefault,
        _ => Action::NoAction,
    }
}
