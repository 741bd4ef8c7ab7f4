//! `LIKE` in sources of PostgreSQL.

use wevrun_core::model::Model;

use crate::fold::built;
use crate::{model, object};

#[test]
fn a_copy_of_a_table_that_is_not_there_is_an_error() {
    let build = built(&["CREATE TABLE hives (LIKE elsewhere INCLUDING ALL);"]);
    let [found] = &build.diagnostics[..] else { panic!("{:?}", build.diagnostics) };
    assert!(found.message.contains("uses table `elsewhere`, which is not defined"), "{}", found.message);
}

#[test]
fn a_copy_of_a_view_is_an_error_that_says_so() {
    let view = "CREATE TABLE hives (id integer); CREATE VIEW big AS SELECT id FROM hives;";
    let build = built(&[&format!("{view} CREATE TABLE copies (LIKE big);")]);
    let [found] = &build.diagnostics[..] else { panic!("{:?}", build.diagnostics) };
    assert!(found.message.contains("is LIKE view public.big"), "{}", found.message);
}

/// In one file what comes later is not copied; of another file, where nobody can tell, it is.
#[test]
fn a_copy_has_what_its_pattern_had_by_then() {
    let pattern = "CREATE TABLE hives (id integer PRIMARY KEY, frames integer);";
    let copy = "CREATE TABLE sold (LIKE hives INCLUDING ALL);";
    let later = "ALTER TABLE hives ADD lost date; CREATE INDEX by_frames ON hives (frames);";
    let kept = model(&format!("{pattern} {copy} {later}"));
    let early = model(&format!("{pattern} {later} {copy}"));
    let columns = |model: &Model| object(model, "table public.sold").as_table().map(|table| table.columns.len());
    assert_eq!([&kept, &early].map(columns), [Some(2), Some(3)]);
    let index =
        |model: &Model| model.objects().any(|object| object.key().to_string() == "index public.sold_frames_idx");
    assert_eq!([&kept, &early].map(index), [false, true]);
    let files = built(&[copy, pattern, later]);
    assert!(files.diagnostics.is_empty(), "{:?}", files.diagnostics);
    assert!(files.model == early);
}

/// What changes a copy finds what it has copied, wherever that stands.
#[test]
fn a_copied_column_can_be_altered() {
    let files = built(&[
        "CREATE TABLE sold (LIKE hives INCLUDING INDEXES); ALTER TABLE sold DROP COLUMN frames, ALTER id SET DEFAULT 7;",
        "CREATE TABLE hives (id integer, frames integer UNIQUE);",
    ]);
    assert!(files.diagnostics.is_empty(), "{:?}", files.diagnostics);
    let model = files.model;
    let expected = self::model("CREATE TABLE sold (id integer DEFAULT 7);");
    assert_eq!(object(&model, "table public.sold").definition, object(&expected, "table public.sold").definition);
}
