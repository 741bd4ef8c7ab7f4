//! Where statements end, and what stands between them.

use wevrun_core::model::Kind;

use super::{codes, model, names};

#[test]
fn semicolons_in_texts_names_comments_and_bodies_end_nothing() {
    let model = model(
        "CREATE TABLE \"a;b\" (x TEXT DEFAULT 'c;d' /* e;f */, -- g;h\n y TEXT);\n\
         CREATE TRIGGER t AFTER INSERT ON \"a;b\" BEGIN SELECT CASE WHEN 1 THEN 'x;' END; SELECT 'END;'; END;\n\
         CREATE VIEW v AS SELECT 1;",
    );
    assert_eq!(names(&model, Kind::Table), ["a;b"]);
    assert_eq!(names(&model, Kind::Trigger), ["t"]);
    assert_eq!(names(&model, Kind::View), ["v"]);
}

#[test]
fn the_last_semicolon_may_be_missing() {
    assert_eq!(names(&model("CREATE TABLE a (x);CREATE TABLE b (y)"), Kind::Table), ["a", "b"]);
    assert_eq!(names(&model(";;CREATE TABLE a (x);;"), Kind::Table), ["a"]);
    assert!(model("").is_empty());
    assert!(model("-- nothing but a comment").is_empty());
}

#[test]
fn an_error_ends_its_statement_only() {
    assert_eq!(codes("CREATE TABLE a (x;\nCREATE TABLE b (y);\nCRATE TABLE c (z);"), ["WV003", "WV004"]);
    // What could not be read is not reported as missing too.
    assert_eq!(
        codes("CREATE TABLE a (x CHECK);\nCREATE VIEW v AS SELECT * FROM a;\nCREATE INDEX i ON a (x);"),
        ["WV005"]
    );
}

#[test]
fn a_trigger_that_is_never_closed_does_not_swallow_the_rest() {
    assert_eq!(
        codes(
            "CREATE TABLE a (x);\nCREATE TRIGGER t AFTER INSERT ON a BEGIN SELECT 1;\nCREATE TABLE b (y);\nCREATE INDEX i ON b (z);"
        ),
        ["WV005", "WV111"]
    );
}

#[test]
fn rows_settings_and_the_clients_commands_are_stepped_over() {
    let text = ".headers on\n.print it's fine\nPRAGMA foreign_keys = OFF;\nBEGIN;\nCREATE TABLE a (x);\nINSERT INTO a VALUES (1);\n\
                .read other.sql\nDELETE FROM a;\nCREATE TEMP TABLE scratch (y);\nCOMMIT;\nANALYZE;\n";
    assert_eq!(codes(text), ["WV007", "WV008"]);
    assert_eq!(names(&model(text), Kind::Table), ["a"]);
}

#[test]
fn line_ends_and_a_byte_order_mark_do_not_matter() {
    let unix = "CREATE TABLE a (\n  x TEXT, -- why\n  y INTEGER\n);\n";
    assert_eq!(model(unix), model(&unix.replace('\n', "\r\n")));
    assert_eq!(model(unix), model(&format!("\u{feff}{unix}")));
}

#[test]
fn an_attached_database_is_another_schema() {
    assert_eq!(codes("CREATE TABLE other.a (x);"), ["WV004"]);
    assert_eq!(codes("CREATE TABLE main.a (x);"), Vec::<&str>::new());
    assert_eq!(codes("CREATE TABLE a AS SELECT 1 AS x;"), ["WV006"]);
}
