//! Every keyword of the engine's manual, as a name without quotes: taken here exactly where the engine takes it.

use rusqlite::Connection;
use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::render::Writer;
use wevrun_core::source::Source;
use wevrun_sqlite::Sqlite;

/// <https://sqlite.org/lang_keywords.html>
const KEYWORDS: &str = "ABORT ACTION ADD AFTER ALL ALTER ALWAYS ANALYZE AND AS ASC ATTACH AUTOINCREMENT BEFORE BEGIN BETWEEN BY \
    CASCADE CASE CAST CHECK COLLATE COLUMN COMMIT CONFLICT CONSTRAINT CREATE CROSS CURRENT CURRENT_DATE CURRENT_TIME \
    CURRENT_TIMESTAMP DATABASE DEFAULT DEFERRABLE DEFERRED DELETE DESC DETACH DISTINCT DO DROP EACH ELSE END ESCAPE EXCEPT \
    EXCLUDE EXCLUSIVE EXISTS EXPLAIN FAIL FILTER FIRST FOLLOWING FOR FOREIGN FROM FULL GENERATED GLOB GROUP GROUPS HAVING IF \
    IGNORE IMMEDIATE IN INDEX INDEXED INITIALLY INNER INSERT INSTEAD INTERSECT INTO IS ISNULL JOIN KEY LAST LEFT LIKE LIMIT \
    MATCH MATERIALIZED NATURAL NO NOT NOTHING NOTNULL NULL NULLS OF OFFSET ON OR ORDER OTHERS OUTER OVER PARTITION PLAN PRAGMA \
    PRECEDING PRIMARY QUERY RAISE RANGE RECURSIVE REFERENCES REGEXP REINDEX RELEASE RENAME REPLACE RESTRICT RETURNING RIGHT \
    ROLLBACK ROW ROWS SAVEPOINT SELECT SET TABLE TEMP TEMPORARY THEN TIES TO TRANSACTION TRIGGER UNBOUNDED UNION UNIQUE UPDATE \
    USING VACUUM VALUES VIEW VIRTUAL WHEN WHERE WINDOW WITH WITHOUT TRUE FALSE STORED STRICT ROWID";

#[test]
fn keywords_are_names_exactly_where_the_engine_takes_them() {
    let mut wrong = Vec::new();
    for keyword in KEYWORDS.split_whitespace() {
        for text in
            [format!("CREATE TABLE t (x TEXT, {keyword} INTEGER NOT NULL)"), format!("CREATE TABLE {keyword} (x TEXT)")]
        {
            let engine = Connection::open_in_memory().expect("memory").execute_batch(&text).is_ok();
            let source = Source::new("keyword.sql", &format!("{text};"));
            let build = build(&Sqlite, EngineVersion { major: 3, minor: 40 }, std::slice::from_ref(&source));
            // `CREATE TABLE IF (` is for the engine a broken IF NOT EXISTS; its second opinion says so.
            if engine == build.has_errors() && (engine || keyword != "IF") {
                wrong.push(format!("{text}: the engine {}", if engine { "takes it" } else { "does not" }));
            }
            if engine {
                let object = build.model.objects().next().expect("it was built");
                let written = Sqlite.create_statement(object);
                assert!(Connection::open_in_memory().expect("memory").execute_batch(&written).is_ok(), "{written}");
            }
        }
    }
    assert_eq!(wrong, Vec::<String>::new());
}
