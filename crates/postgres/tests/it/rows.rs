//! Rows of the catalogue say the same as the statements that would create the tables.

use wevrun_core::build::{Build, Reading};
use wevrun_core::model::{Action, Kind, Model};
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;
use wevrun_postgres::rows::{
    ColumnRow, CommentRow, ConstraintKind, ConstraintRow, IdentityRow, Rows, TableRow, TypeRow,
};

use crate::model;

fn table<'r>(oid: u32, name: &'r str, statements: &str) -> TableRow<'r> {
    let statements = Source::new(format!("postgres:honey, table {name}"), statements);
    TableRow { oid, schema: "public", name, unlogged: false, owner: "Bee Keeper", statements }
}

fn column<'r>(table: u32, number: &'r str, name: &'r str, data_type: &'r str) -> ColumnRow<'r> {
    ColumnRow {
        table,
        number,
        name,
        data_type: (data_type, "-1"),
        is_own: true,
        collation: None,
        options: None,
        identity: None,
        expression: None,
        generated: None,
        not_null: None,
        no_inherit: false,
    }
}

fn constraint<'r>(table: u32, name: &'r str, kind: ConstraintKind<'r>) -> ConstraintRow<'r> {
    let (deferrable, deferred, no_inherit) = (false, false, false);
    ConstraintRow { table, name, kind, deferrable, deferred, no_inherit, validated: true, enforced: true }
}

fn types() -> Vec<TypeRow<'static>> {
    let named = [("23", "integer"), ("25", "text"), ("1700", "numeric"), ("9", "public.\"Kind of hive\"")];
    named.into_iter().map(|(oid, text)| TypeRow { key: (oid, "-1"), text }).collect()
}

fn read(rows: &Rows<'_>) -> Build {
    let mut reading = Reading::new(&Postgres);
    reading.add_parsed(rows.parse(reading.next_index()));
    reading.finish()
}

fn tables_of(model: &Model) -> Model {
    model.of_kind(Kind::Table).cloned().collect()
}

#[test]
fn rows_give_the_model_of_the_statements() {
    let rows = Rows {
        types: types(),
        tables: vec![
            table(1, "hives", ""),
            table(2, "Odd table", "CREATE TABLE public.\"Odd table\" () WITH (fillfactor = 70);"),
        ],
        columns: vec![
            ColumnRow { not_null: Some(""), identity: Some(true), ..column(1, "1", "id", "23") },
            // The second column was dropped.
            ColumnRow { expression: Some("'new'::text"), collation: Some("\"C\""), ..column(1, "3", "label", "25") },
            ColumnRow { not_null: Some("has weight"), no_inherit: true, ..column(1, "4", "weight", "1700") },
            ColumnRow {
                expression: Some("(weight * (2)::numeric)"),
                generated: Some(true),
                ..column(1, "5", "twice", "1700")
            },
            ColumnRow { not_null: Some(""), ..column(2, "1", "select", "23") },
            column(2, "2", "hive", "23"),
            column(2, "3", "kind", "9"),
        ],
        identities: vec![IdentityRow {
            table: 1,
            column: "1",
            name: ("public", "hive_numbers"),
            numbers: ["5", "1", "1", "2147483647", "1"],
            cycle: true,
            unlogged: Some(false),
        }],
        constraints: vec![
            constraint(1, "hives_pkey", ConstraintKind::PrimaryKey("1")),
            ConstraintRow {
                deferrable: true,
                deferred: true,
                ..constraint(1, "labels", ConstraintKind::Unique("3 4"))
            },
            ConstraintRow {
                validated: false,
                ..constraint(1, "light", ConstraintKind::Check("(weight < (90)::numeric)"))
            },
            constraint(1, "spelled", ConstraintKind::Spelled("UNIQUE (weight) INCLUDE (label)")),
            constraint(2, "Odd key", ConstraintKind::PrimaryKey("1")),
            constraint(
                2,
                "of hive",
                ConstraintKind::ForeignKey {
                    columns: "2",
                    parent: 1,
                    parent_name: ("public", "hives"),
                    parent_columns: "1",
                    on_update: Action::Cascade,
                    on_delete: Action::SetNull,
                    match_full: true,
                },
            ),
        ],
        comments: vec![
            CommentRow { table: 1, column: "0", text: "it's a table" },
            CommentRow { table: 1, column: "4", text: "kg" },
        ],
    };
    let statements = model(
        "CREATE TYPE \"Kind of hive\" AS ENUM ('Dadant');
         CREATE TABLE hives (
             id integer GENERATED ALWAYS AS IDENTITY (SEQUENCE NAME public.hive_numbers START 5 CYCLE),
             label text COLLATE \"C\" DEFAULT 'new', weight numeric CONSTRAINT \"has weight\" NOT NULL NO INHERIT,
             twice numeric GENERATED ALWAYS AS (weight * 2) STORED, PRIMARY KEY (id),
             CONSTRAINT labels UNIQUE (label, weight) DEFERRABLE INITIALLY DEFERRED,
             CONSTRAINT spelled UNIQUE (weight) INCLUDE (label)
         );
         ALTER TABLE hives ADD CONSTRAINT light CHECK (weight < 90) NOT VALID;
         COMMENT ON TABLE hives IS 'it''s a table'; COMMENT ON COLUMN hives.weight IS 'kg';
         CREATE TABLE \"Odd table\" (\"select\" integer CONSTRAINT \"Odd key\" PRIMARY KEY, hive integer, kind \"Kind of hive\",
             CONSTRAINT \"of hive\" FOREIGN KEY (hive) REFERENCES hives MATCH FULL ON UPDATE CASCADE ON DELETE SET NULL)
             WITH (fillfactor = 70);",
    );
    let read = read(&rows);
    assert!(read.diagnostics.is_empty(), "{:#?}", read.diagnostics);
    assert_eq!(read.model.len(), 2);
    for (name, table) in statements.tables() {
        assert_eq!(read.model.table(name), Some(table), "{name}");
        let owner = read.model.find(Kind::Table, name).and_then(|object| object.access.value_named("owner"));
        assert_eq!(owner, Some("\"Bee Keeper\""));
    }
    assert_eq!(read.model.fingerprint(), tables_of(&statements).fingerprint());
}

#[test]
fn a_type_that_nobody_can_read_is_named_with_its_table() {
    let types = vec![TypeRow { key: ("23", "-1"), text: "integer with" }];
    let (tables, columns) = (vec![table(1, "hives", "")], vec![column(1, "1", "id", "23")]);
    let read = read(&Rows { types, tables, columns, ..Rows::default() });
    let [found] = &read.diagnostics[..] else { panic!("{:#?}", read.diagnostics) };
    assert!(found.message.starts_with("postgres:honey, table hives: "), "{}", found.message);
}
