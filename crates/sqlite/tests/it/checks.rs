//! What is refused, and where the finding points.

use super::{built, codes};

const NONE: [&str; 0] = [];

/// The text under the primary label of the first finding.
fn pointed_at(text: &str) -> String {
    let build = built(&[text]);
    let label = build.diagnostics[0].primary.as_ref().expect("a place");
    text[label.location.range()].to_owned()
}

#[test]
fn foreign_keys_point_at_something_unique() {
    let parent = "CREATE TABLE p (id INTEGER PRIMARY KEY, a TEXT, b TEXT, c TEXT COLLATE NOCASE, UNIQUE (a, b)); \
                  CREATE UNIQUE INDEX p_c ON p (c); CREATE UNIQUE INDEX p_part ON p (b) WHERE b <> ''; ";
    let with = |key: &str| codes(&format!("{parent}CREATE TABLE q (x, y, {key});"));
    assert_eq!(with("FOREIGN KEY (x) REFERENCES p"), NONE);
    assert_eq!(with("FOREIGN KEY (x, y) REFERENCES p (b, a)"), NONE);
    assert_eq!(with("FOREIGN KEY (x) REFERENCES P (C)"), NONE);
    assert_eq!(with("FOREIGN KEY (x) REFERENCES p (a)"), ["WV112"]);
    assert_eq!(with("FOREIGN KEY (x) REFERENCES p (b)"), ["WV112"], "a partial index is not enough");
    assert_eq!(with("FOREIGN KEY (x, y) REFERENCES p"), ["WV113"]);
    assert_eq!(with("FOREIGN KEY (z) REFERENCES p"), ["WV111"]);
    assert_eq!(with("FOREIGN KEY (x) REFERENCES p (d)"), ["WV111"]);
    assert_eq!(with("FOREIGN KEY (x) REFERENCES r"), ["WV110"]);
    assert_eq!(codes("CREATE VIEW v AS SELECT 1 AS id; CREATE TABLE q (x REFERENCES v (id));"), ["WV133"]);
    assert_eq!(codes("CREATE TABLE p (a); CREATE TABLE q (x REFERENCES p);"), ["WV112"]);
}

#[test]
fn findings_point_at_the_name_that_is_wrong() {
    assert_eq!(pointed_at("CREATE TABLE q (x INTEGER REFERENCES nowhere (id));"), "nowhere");
    assert_eq!(pointed_at("CREATE TABLE a (x);\nCREATE INDEX i ON a (x, no_such);"), "no_such");
    assert_eq!(pointed_at("CREATE TABLE a (x);\nCREATE VIEW v AS SELECT 'gone' FROM [gone];"), "[gone]");
    assert_eq!(pointed_at("CREATE TABLE größe (x);\nCREATE TABLE b (ä TEXT, ö TXT) STRICT;"), "ö");
    assert_eq!(pointed_at("CREATE TABLE a (x, y, X);"), "X");
}

#[test]
fn the_engines_rules_are_known() {
    assert_eq!(codes("CREATE TABLE a (x) WITHOUT ROWID;"), ["WV131"]);
    assert_eq!(codes("CREATE TABLE a (x TEXT PRIMARY KEY AUTOINCREMENT);"), ["WV131"]);
    assert_eq!(codes("CREATE TABLE a (x INTEGER PRIMARY KEY, PRIMARY KEY (x));"), ["WV131"]);
    assert_eq!(codes("CREATE TABLE a (x AS (1));"), ["WV131"]);
    assert_eq!(codes("CREATE TABLE a (x VARCHAR(3)) STRICT;"), ["WV131"]);
    assert_eq!(codes("CREATE TABLE a (x);CREATE TRIGGER t INSTEAD OF INSERT ON a BEGIN SELECT 1; END;"), ["WV132"]);
    assert_eq!(codes("CREATE VIEW a AS SELECT 1;CREATE TRIGGER t AFTER INSERT ON a BEGIN SELECT 1; END;"), ["WV132"]);
    assert_eq!(codes("CREATE VIEW a AS SELECT 1 AS x;CREATE INDEX i ON a (x);"), ["WV133"]);
    assert_eq!(codes("CREATE TABLE a (x);CREATE INDEX i ON a (rowid, x);"), NONE);
}

#[test]
fn circles_of_views_are_found_whole() {
    let found = built(&[
        "CREATE VIEW a AS SELECT * FROM b; CREATE VIEW b AS SELECT * FROM c; CREATE VIEW c AS SELECT * FROM a; \
                         CREATE VIEW d AS SELECT * FROM a; CREATE VIEW e AS SELECT * FROM e;",
    ]);
    let messages: Vec<&str> = found.diagnostics.iter().map(|found| found.message.as_str()).collect();
    assert_eq!(messages, ["these views read from one another: a, b, c", "these views read from one another: e"]);
    // Tables may refer to one another in a circle.
    assert_eq!(
        codes(
            "CREATE TABLE a (id INTEGER PRIMARY KEY, b REFERENCES b); CREATE TABLE b (id INTEGER PRIMARY KEY, a REFERENCES a);"
        ),
        NONE
    );
}

#[test]
fn the_nearest_name_is_suggested() {
    let help = |text: &str| built(&[text]).diagnostics[0].help.join("; ");
    assert_eq!(
        help("CREATE TABLE harvest_lots (id); CREATE VIEW v AS SELECT * FROM harvest_lot;"),
        "did you mean `harvest_lots`?"
    );
    assert_eq!(help("CREATE TABLE lots (grams); CREATE INDEX i ON lots (garms);"), "did you mean `grams`?");
    assert_eq!(
        help("CREATE TABLE lots (grams, label); CREATE INDEX i ON lots (zzz);"),
        "its columns are: grams, label"
    );
}
