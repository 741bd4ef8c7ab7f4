//! Names: those that a person quotes, and those that the server makes up.

use proptest::prelude::*;
use wevrun_core::EngineVersion;
use wevrun_core::adopt;
use wevrun_core::build::Reading;
use wevrun_core::model::{Kind, Model};
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use crate::same;

use crate::plan::model;
use crate::postgres;

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

fn names(model: &Model, kind: Kind) -> Vec<String> {
    model.of_kind(kind).map(|object| object.name.canonical().to_owned()).collect()
}

#[test]
fn a_columns_name_may_begin_with_a_quote() {
    for name in ["\"a", "a\"", "\"a\"", "\""] {
        let column = quoted(name);
        let model = model(&format!("CREATE TABLE hives ({column} integer); CREATE INDEX by_it ON hives ({column});"));
        assert_eq!(names(&model, Kind::Index), ["public.by_it"]);
    }
}

/// Tried on versions 15 and 18.
#[test]
fn an_index_without_a_name_is_called_after_what_it_is_of() {
    for (key, name) in [
        ("id", "hives_id_idx"),
        ("(id)", "hives_id_idx"),
        ("(hives.id)", "hives_id_idx"),
        ("(id::text)", "hives_id_idx"),
        ("(CAST(id AS text))", "hives_id_idx"),
        ("('a' || label)", "hives_expr_idx"),
        ("(label COLLATE \"C\")", "hives_label_idx"),
        ("(CASE WHEN id > 1 THEN 1 ELSE id END)", "hives_id_idx"),
        ("(CASE WHEN id > 1 THEN 1 END)", "hives_case_idx"),
        ("nullif(label, ''), greatest(id, 1), (least(id, 2))", "hives_nullif_greatest_least_idx"),
        ("(ARRAY[id])", "hives_array_idx"),
        ("(data -> 'a'), (data ->> 'b')", "hives_expr_expr1_idx"),
        ("(data['a'])", "hives_data_idx"),
        ("upper(label::text)", "hives_upper_idx"),
        ("pg_catalog.lower(label)", "hives_lower_idx"),
        ("(id IS NULL)", "hives_expr_idx"),
        ("(extract(year FROM made))", "hives_extract_idx"),
        ("(substring(label from 1 for 2))", "hives_substring_idx"),
        ("(trim(label)), (trim(leading 'x' from label))", "hives_btrim_ltrim_idx"),
        ("(-id), (abs(id)), (id % 10), (NOT (id = 1))", "hives_expr_abs_expr1_expr2_idx"),
        ("(lower(label)) text_pattern_ops, id DESC", "hives_lower_id_idx"),
    ] {
        let table = "CREATE TABLE hives (id bigint, label text, made date, data jsonb);";
        let model = model(&format!("{table} CREATE INDEX ON hives ({key});"));
        assert_eq!(names(&model, Kind::Index), [format!("public.{name}")], "{key}");
    }
}

#[test]
fn an_exclusion_without_a_name_is_called_after_its_elements() {
    let model = model(
        "CREATE TABLE stays (id integer, since date, until date, span daterange,
             EXCLUDE USING gist (span WITH &&), EXCLUDE USING gist ((daterange(since, until)) WITH &&, id WITH =));",
    );
    let table = model.tables().next().expect("it is there").1;
    let names: Vec<&str> = table.exclusions.iter().filter_map(|check| Some(check.name.as_ref()?.canonical())).collect();
    assert_eq!(names, ["stays_span_excl", "stays_daterange_id_excl"]);
}

/// Only what the server has spelled is unfolded; what a person or a dump writes is for the server to read.
#[test]
fn a_source_stays_as_it_is_written_and_a_database_is_unfolded() {
    let text = "CREATE TABLE hives (mood varchar(9), CONSTRAINT moods CHECK \
                ((mood)::text = ANY ((ARRAY['calm'::character varying, 'busy'::character varying])::text[])))";
    let source = [Source::new("a.sql", text)];
    let mut reading = Reading::new(&Postgres);
    reading.add(&source);
    let (read, written) = (reading.finish().model, model(text));
    let condition = |model: &Model| {
        let table = model.tables().next().expect("it is there").1.clone();
        table.checks.iter().next().expect("so is its check").condition.written().to_owned()
    };
    assert_eq!(condition(&read), "mood IN ('calm', 'busy')");
    assert!(condition(&written).contains("::text = ANY ((ARRAY["), "{}", condition(&written));
    assert!(read == written && read.fingerprint() == written.fingerprint());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever stands in quotes comes out of a source, a statement and an adopted file as it was.
    #[test]
    fn any_name_is_written_as_it_is_read(
        schema in "x\\PC{0,12}", table in "\\PC{1,20}", column in "\\PC{1,20}", index in "y\\PC{0,20}", value in "\\PC{0,12}",
    ) {
        let (schema, table, column, index) = (quoted(&schema), quoted(&table), quoted(&column), quoted(&index));
        let value = value.replace('\'', "''");
        let first = model(&format!(
            "CREATE SCHEMA {schema}; CREATE TABLE {schema}.{table} ({column} text DEFAULT '{value}' CHECK ({column} <> '{value}'));
             CREATE INDEX {index} ON {schema}.{table} ({column}); CREATE VIEW {schema}.\"v\" AS SELECT {column} FROM {schema}.{table};
             COMMENT ON COLUMN {schema}.{table}.{column} IS '{value}';"
        ));
        let statements: String =
            first.objects().map(|object| format!("{};\n", postgres().create_statement(object))).collect();
        prop_assert!(model(&statements) == first, "{}", statements);
        let files: String = adopt::files(postgres(), &first, false).into_iter().map(|file| file.text).collect();
        prop_assert!(model(&files) == first, "{}", files);
    }

    /// As long as the server lets them be, and no two alike.
    #[test]
    fn made_up_names_fit_and_differ(table in "[a-z]{1,63}", columns in prop::collection::vec("[a-z]{1,40}", 1..5), times in 1..4usize) {
        let columns: Vec<String> = columns.iter().enumerate().map(|(at, name)| format!("{name}_{at}")).collect();
        let listed: Vec<String> = columns.iter().map(|column| format!("{column} integer")).collect();
        let keys = columns.join(", ");
        let index = format!("CREATE INDEX ON x_{table} ({keys});");
        let model = model(&format!(
            "CREATE TABLE x_{table} ({}, UNIQUE ({keys}), CHECK ({} > 0)); {}",
            listed.join(", "), columns[0], index.repeat(times)
        ));
        let names = names(&model, Kind::Index);
        prop_assert_eq!(names.len(), times);
        prop_assert!(names.iter().all(|name| name.len() <= "public.".len() + 63), "{:?}", names);
    }
}

/// A version that the project does not have to be for: names are the same in all.
#[test]
fn names_do_not_depend_on_the_version() {
    let text =
        "CREATE TABLE hives (id integer PRIMARY KEY, label text UNIQUE); CREATE INDEX ON hives ((lower(label)));";
    let of = |major| {
        let version = EngineVersion { major, minor: 0 };
        wevrun_core::build::build(&Postgres, version, &[Source::new("a.sql", text)]).model
    };
    assert!([13, 14, 15, 16, 17].into_iter().all(|major| of(major) == of(18)));
}

#[test]
fn a_literal_that_equals_a_label_stays() {
    let source = |label: &str| {
        format!(
            "CREATE TYPE mood AS ENUM ('{label}', 'b');
             CREATE TABLE t (m mood CHECK (m <> '{label}'), x text DEFAULT 'a' CHECK (x <> 'a'), CHECK (m IN ('{label}', 'b') OR x IN ('a', 'b')));
             CREATE VIEW v AS SELECT CASE m WHEN '{label}' THEN 'a' ELSE x END AS a FROM t WHERE m = '{label}' OR x = 'a';
             CREATE INDEX i ON t (x) WHERE m = '{label}' AND x = 'a';
             CREATE DOMAIN d AS mood CHECK (VALUE <> '{label}'); CREATE DOMAIN e AS text CHECK (VALUE <> 'a');
             CREATE POLICY p ON t USING (m <> '{label}' AND x <> 'a');"
        )
    };
    same(&format!("{} ALTER TYPE mood RENAME VALUE 'a' TO 'calm';", source("a")), &source("calm"));
}

#[test]
fn a_literal_or_alias_that_equals_a_schema_stays() {
    let source = |schema: &str| {
        format!(
            "CREATE SCHEMA {schema}; CREATE SEQUENCE {schema}.n; CREATE TYPE {schema}.k AS ENUM ('a');
             CREATE TABLE {schema}.t (id integer DEFAULT nextval('{schema}.n'), note text DEFAULT 'trade.n' CHECK (note <> 'trade.t'), k {schema}.k);
             CREATE VIEW v AS SELECT trade.id, 'trade.t' AS place FROM {schema}.t AS trade WHERE trade.note <> 'trade.t';
             CREATE VIEW w AS SELECT {schema}.t.note FROM {schema}.t WHERE k = 'a'::{schema}.k;"
        )
    };
    same(&format!("{} ALTER SCHEMA trade RENAME TO sales;", source("trade")), &source("sales"));
}
