//! Partitioned tables, without a server: what the parts of their indexes are called, and how partitions change.

use wevrun_core::EngineVersion;
use wevrun_core::adopt;
use wevrun_core::model::{Kind, Model, QualifiedName, Table};
use wevrun_core::snapshot::Snapshot;
use wevrun_postgres::{POSTGRES, Postgres};

use crate::plan::{model, statements, statements_for};

const LOTS: &str = "CREATE TABLE Lots (id integer PRIMARY KEY, weight integer) PARTITION BY RANGE (id);
    CREATE INDEX By_Weight ON Lots (weight);
    CREATE TABLE lots_24 PARTITION OF lots FOR VALUES FROM (0) TO (24);";

/// Of each part that is called otherwise than usual the partition, the whole and the name.
fn names(model: &Model) -> Vec<String> {
    let of_table = |(table, definition): (&QualifiedName, &Table)| {
        let parts = definition.part_names.iter().map(|(whole, part)| format!("{table} {whole} {part}"));
        parts.collect::<Vec<_>>()
    };
    model.tables().flat_map(of_table).collect()
}

/// The rows of the step that gives parts their names.
fn named_by(have: &str, want: &str) -> Vec<String> {
    let statements = statements_for(18, have, want);
    let Some(statement) = statements.iter().find(|statement| statement.contains("pg_partition_root")) else {
        return Vec::new();
    };
    let (_, rows) = statement.split_once("(VALUES ").expect("it names them");
    let (rows, _) = rows.split_once(" ), parts").expect("it ends");
    rows.split("), (").map(|row| row.replace(['(', ')'], "").replace("::regclass", "")).collect()
}

#[test]
fn usual_names_are_not_said() {
    assert_eq!(names(&model(LOTS)), [""; 0]);
    assert_eq!(named_by("", LOTS), [""; 0]);
}

#[test]
fn what_was_there_before_and_what_is_renamed_is_said() {
    let attached = "CREATE TABLE lots_25 (id integer CONSTRAINT own PRIMARY KEY, weight integer);
        CREATE INDEX heavy ON lots_25 (weight); ALTER TABLE lots ATTACH PARTITION lots_25 FOR VALUES FROM (24) TO (25);";
    let of_25 = ["public.lots_25 public.by_weight heavy", "public.lots_25 public.lots_pkey own"];
    assert_eq!(names(&model(&format!("{LOTS} {attached}"))), of_25);
    let renamed =
        "ALTER INDEX lots_24_weight_idx RENAME TO heavy; ALTER TABLE lots_24 RENAME CONSTRAINT lots_24_pkey TO own;";
    let of_24 = ["public.lots_24 public.by_weight heavy", "public.lots_24 public.lots_pkey own"];
    assert_eq!(names(&model(&format!("{LOTS} {renamed}"))), of_24);
    let whole = "ALTER INDEX by_weight RENAME TO by_size;";
    assert_eq!(names(&model(&format!("{LOTS} {renamed} {whole}")))[0], "public.lots_24 public.by_size heavy");
}

#[test]
fn a_table_that_is_renamed_leaves_its_parts_their_names() {
    let renamed = "ALTER TABLE lots_24 RENAME TO lots_old; CREATE INDEX later ON lots (weight, id);";
    assert_eq!(
        names(&model(&format!("{LOTS} {renamed}"))),
        ["public.lots_old public.by_weight lots_24_weight_idx", "public.lots_old public.lots_pkey lots_24_pkey"]
    );
}

/// The server numbers equal names as the indexes come; a script makes them by their names.
#[test]
fn numbers_are_those_of_the_source() {
    let later = "CREATE INDEX a ON lots (weight) WHERE weight > 0;";
    assert_eq!(
        names(&model(&format!("{LOTS} {later}"))),
        ["public.lots_24 public.a lots_24_weight_idx1", "public.lots_24 public.by_weight lots_24_weight_idx"]
    );
    let in_order = "CREATE INDEX c ON lots (weight) WHERE weight > 0;";
    assert_eq!(names(&model(&format!("{LOTS} {in_order}"))), [""; 0]);
}

/// Names are no difference, but those of parts that a script makes are given.
#[test]
fn parts_that_come_get_their_names() {
    let renamed = format!("{LOTS} ALTER INDEX lots_24_weight_idx RENAME TO heavy;");
    assert!(model(&renamed) == model(LOTS));
    assert_eq!(model(&renamed).fingerprint(), model(LOTS).fingerprint());
    assert_eq!(statements_for(18, LOTS, &renamed), [""; 0]);
    let row = ["'public.lots_24', 'public.by_weight', 'heavy'"];
    assert_eq!(named_by("", &renamed), row);
    let without = LOTS.replace("CREATE INDEX By_Weight ON Lots (weight);", "");
    assert_eq!(named_by(&without, &renamed), row);
    assert_eq!(named_by(&LOTS.replace("weight integer", "weight bigint"), &renamed), row);
    assert_eq!(named_by(&format!("{LOTS} COMMENT ON TABLE lots IS 'x';"), &renamed), [""; 0]);
}

#[test]
fn a_name_can_hold_anything() {
    let hostile =
        "CREATE TABLE lots_25 (id integer CONSTRAINT \"it's $wevrun$ \"\"x\"\";\" PRIMARY KEY, weight integer);
        ALTER TABLE lots ATTACH PARTITION lots_25 FOR VALUES FROM (24) TO (25);";
    let statements = statements_for(18, "", &format!("{LOTS} {hostile}"));
    let named = statements.iter().find(|statement| statement.contains("pg_partition_root")).expect("it is named");
    assert!(named.contains("'it''s $wevrun$ \"x\";'"), "{named}");
    let (tag, _) = named["DO ".len()..].split_once("DECLARE").expect("a body");
    assert_eq!(named.matches(tag).count(), 2, "{named}");
}

#[test]
fn snapshots_and_adopted_sources_keep_them() {
    let renamed = model(&format!(
        "{LOTS} CREATE INDEX heavy ON lots_24 (weight); ALTER INDEX by_weight ATTACH PARTITION heavy;
        ALTER TABLE ONLY lots_24 ADD CONSTRAINT own PRIMARY KEY (id);"
    ));
    let said = ["public.lots_24 public.by_weight heavy", "public.lots_24 public.lots_pkey own"];
    assert_eq!(names(&renamed), said);
    let files = adopt::files(&Postgres, &renamed, false);
    let text: String = files.iter().map(|file| file.text.as_str()).collect();
    assert_eq!(names(&model(&text)), said, "{text}");
    assert!(model(&text).of_kind(Kind::Index).count() == 1, "{text}");
    let snapshot = Snapshot {
        scope: Default::default(),
        project: "honey".to_owned(),
        engine: &POSTGRES,
        engine_version: EngineVersion { major: 18, minor: 0 },
        git: None,
        sources: Vec::new(),
        model: renamed,
        unread: Vec::new(),
    };
    let read = Snapshot::read(&snapshot.write(&Postgres, &[]), &[&POSTGRES]).expect("a snapshot");
    assert_eq!(names(&read.model), said);
}

#[test]
fn a_partition_that_rows_may_refer_to_is_detached_first() {
    let source = |more: &str| {
        format!(
            "CREATE TABLE years (year integer PRIMARY KEY) PARTITION BY LIST (year);
             CREATE TABLE years_26 PARTITION OF years FOR VALUES IN (26);{more}
             CREATE TABLE yields (year integer REFERENCES years);"
        )
    };
    assert_eq!(
        statements(&source("CREATE TABLE years_27 PARTITION OF years FOR VALUES IN (27);"), &source("")),
        ["ALTER TABLE public.years DETACH PARTITION public.years_27", "DROP TABLE public.years_27"]
    );
}

#[test]
fn a_partition_is_detached_before_all_else() {
    let lots = "CREATE TABLE lots (year integer, label text, PRIMARY KEY (year)) PARTITION BY LIST (year); CREATE INDEX ON lots (label);";
    let have = format!("{lots} CREATE TABLE one PARTITION OF lots FOR VALUES IN (2024);");
    let want = format!("{lots} CREATE TABLE one (year integer, label text NOT NULL, more text, PRIMARY KEY (year));");
    let statements = statements(&have, &want);
    assert_eq!(
        statements,
        [
            "ALTER TABLE public.lots DETACH PARTITION public.one",
            "DROP INDEX public.one_label_idx",
            "ALTER TABLE public.one ALTER COLUMN label SET NOT NULL",
            "ALTER TABLE public.one ADD COLUMN more text",
        ]
    );
}

#[test]
fn partitions_take_a_new_type_with_their_parent() {
    let source = |labels: &str| {
        format!(
            "CREATE TYPE mood AS ENUM ({labels});
             CREATE TABLE hives (id integer, mood mood DEFAULT 'calm') PARTITION BY RANGE (id);
             CREATE TABLE hives_old PARTITION OF hives FOR VALUES FROM (0) TO (10);"
        )
    };
    let found = statements(&source("'calm', 'busy'"), &source("'calm'"));
    let given: Vec<&String> = found.iter().filter(|statement| statement.contains("SET DATA TYPE")).collect();
    assert_eq!(given.len(), 1, "{found:#?}");
    assert!(given[0].starts_with("ALTER TABLE public.hives ALTER COLUMN mood"), "{found:#?}");
}
