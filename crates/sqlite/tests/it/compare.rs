//! Differences, property by property, and what is the same under another name.

use wevrun_core::compare::{Change, Comparison, Property, compare, lookalikes};

use super::{model, sqlite};

/// Each difference in one line.
fn words(comparison: &Comparison<'_>) -> Vec<String> {
    comparison
        .differences
        .iter()
        .map(|difference| match &difference.change {
            Change::Create(_) => format!("+ {}", difference.key),
            Change::Remove(_) => format!("- {}", difference.key),
            Change::Change { properties, .. } => {
                let properties: Vec<String> = properties
                    .iter()
                    .map(|p| {
                        format!(
                            "{}: {} > {}",
                            p.name(),
                            p.have.as_deref().unwrap_or("-"),
                            p.want.as_deref().unwrap_or("-")
                        )
                    })
                    .collect();
                format!("{} ({})", difference.key, properties.join("; "))
            }
        })
        .collect()
}

fn differences(have: &str, want: &str) -> Vec<String> {
    words(&compare(sqlite(), &model(have), &model(want)))
}

#[test]
fn every_property_has_words() {
    assert_eq!(
        differences(
            "CREATE TABLE a (x INTEGER, y, gone TEXT)",
            "CREATE TABLE a (x integer NOT NULL, y REAL COLLATE NOCASE, come DEFAULT 1)"
        ),
        ["table a (column x not null: - > NOT NULL; column y type: - > REAL; column y collation: - > NOCASE; \
          column gone: TEXT > -; column come: - > DEFAULT 1)"]
    );
    assert_eq!(
        differences(
            "CREATE TABLE a (x INTEGER PRIMARY KEY, y ANY, UNIQUE (y))",
            "CREATE TABLE a (x INTEGER, y ANY, PRIMARY KEY (x, y)) STRICT, WITHOUT ROWID"
        ),
        ["table a (column x not null: - > NOT NULL; column y not null: - > NOT NULL; primary key: (x) > (x, y); \
          unique key: (y) > -; STRICT: no > yes; WITHOUT ROWID: no > yes)"]
    );
    let table = "CREATE TABLE a (x, y);";
    assert_eq!(
        differences(
            &format!("{table} CREATE INDEX i ON a (x)"),
            &format!("{table} CREATE UNIQUE INDEX i ON a (x, y DESC) WHERE x > 1")
        ),
        ["index i (unique: no > yes; columns: x > x, y DESC; WHERE: - > x > 1)"]
    );
    assert_eq!(
        differences(
            &format!("{table} CREATE TRIGGER t BEFORE INSERT ON a BEGIN SELECT 1; END"),
            &format!("{table} CREATE TRIGGER t AFTER UPDATE OF x ON a WHEN new.x > 1 BEGIN SELECT 2; END")
        ),
        [
            "trigger t (fires: BEFORE > AFTER; event: INSERT > UPDATE OF x; WHEN: - > new.x > 1; body: SELECT 1; > SELECT 2;)"
        ]
    );
}

#[test]
fn only_here_and_only_there() {
    let (a, b) = ("CREATE TABLE a (x); CREATE VIEW v AS SELECT 1", "CREATE TABLE b (x); CREATE INDEX v ON b (x)");
    assert_eq!(differences(a, b), ["- table a", "+ table b", "+ index v", "- view v"]);
    assert_eq!(differences(b, a), ["+ table a", "- table b", "- index v", "+ view v"]);
    assert!(differences(a, a).is_empty());
}

#[test]
fn a_former_name_pairs_what_is_the_same() {
    let have = "CREATE TABLE lots (id INTEGER PRIMARY KEY, weight INTEGER); CREATE INDEX by_weight ON lots (weight); \
                CREATE VIEW v AS SELECT weight FROM lots";
    let want = "-- wevrun: formerly lots\nCREATE TABLE harvest_lots (\n  id INTEGER PRIMARY KEY,\n  grams INTEGER -- wevrun: formerly weight\n); \
                CREATE INDEX by_weight ON harvest_lots (grams); CREATE VIEW v AS SELECT grams FROM harvest_lots";
    assert_eq!(
        differences(have, want),
        ["table harvest_lots (name: lots > harvest_lots; column grams name: weight > grams)"]
    );
    // Once released it says nothing any more.
    assert!(differences(want, want).is_empty());
    assert!(differences("", want).iter().all(|line| line.starts_with('+')));
}

#[test]
fn former_names_are_read_wherever_a_person_puts_them() {
    let column = |text: &str| {
        let model = model(text);
        let object = model.objects().next().expect("a table");
        object.formerly.columns.iter().map(|(new, old)| format!("{old} > {new}")).collect::<Vec<_>>().join(", ")
    };
    assert_eq!(column("CREATE TABLE a (\n  x TEXT, -- wevrun: formerly old\n  y TEXT\n);"), "old > x");
    assert_eq!(column("CREATE TABLE a (\n  x TEXT,\n  -- wevrun: formerly \"Old one\"\n  y TEXT\n);"), "Old one > y");
    assert_eq!(column("CREATE TABLE a (\n  x TEXT,\n  y TEXT /* wevrun: formerly old */\n);"), "old > y");
    let table = |text: &str| model(text).objects().next().and_then(|o| o.formerly.table.clone()).map(|n| n.to_string());
    assert_eq!(table("-- wevrun: formerly b\nCREATE TABLE a (\n  x TEXT\n);"), Some("b".to_owned()));
    assert_eq!(table("CREATE TABLE a ( -- wevrun: formerly b\n  x TEXT\n);"), Some("b".to_owned()));
    assert_eq!(table("CREATE TABLE z (y);\n-- wevrun: formerly b\nCREATE TABLE a (x);").as_deref(), Some("b"));
    assert_eq!(table("CREATE TABLE a (x); -- wevrun: formerly b\n"), Some("b".to_owned()));
}

#[test]
fn lookalikes_draw_a_hint() {
    let hints = |have: &str, want: &str| {
        let (have, want) = (model(have), model(want));
        lookalikes(sqlite(), &compare(sqlite(), &have, &want))
            .iter()
            .map(|hint| hint.help.join(" "))
            .collect::<Vec<_>>()
    };
    assert_eq!(
        hints("CREATE TABLE a (x INTEGER, y TEXT)", "CREATE TABLE a (x2 INTEGER, y TEXT)"),
        ["if so, write this comment on its line: -- wevrun: formerly x"]
    );
    assert_eq!(
        hints("CREATE TABLE a (x INTEGER, y TEXT)", "CREATE TABLE \"b c\" (x INTEGER, y TEXT)"),
        ["if so, write this line before it: -- wevrun: formerly a"]
    );
    assert!(
        hints("CREATE TABLE a (x INTEGER, y TEXT)", "CREATE TABLE a (y TEXT, z INTEGER)").is_empty(),
        "another place"
    );
    assert!(hints("CREATE TABLE a (x INTEGER)", "CREATE TABLE a (x2 TEXT)").is_empty(), "another type");
}

#[test]
fn the_order_of_columns_is_told_apart() {
    let (a, b) = (model("CREATE TABLE a (x, y, z)"), model("CREATE TABLE a (z, x, y)"));
    let comparison = compare(sqlite(), &a, &b);
    assert!(comparison.is_identical());
    assert_eq!(comparison.reordered.len(), 1);
    let added = model("CREATE TABLE a (x, new, y, z)");
    assert!(compare(sqlite(), &a, &added).reordered.is_empty(), "a new column in between moves nothing");
}

#[test]
fn a_rename_makes_no_other_difference() {
    let have = "CREATE TABLE hives (\"id\" INTEGER PRIMARY KEY, \"my weight\" REAL, \"weight\" REAL, CHECK (\"weight\" > 0 OR \"weight\" = \"none\"));
        CREATE INDEX by_weight ON hives (\"weight\") WHERE \"weight\" > 0;
        CREATE VIEW heavy AS SELECT \"id\", \"my weight\", \"weight\" FROM \"hives\" WHERE \"weight\" > \"much\";
        CREATE TRIGGER t AFTER DELETE ON hives BEGIN SELECT \"weight\" FROM \"hives\"; END;";
    let rename = |text: &str| {
        text.replace("\"weight\"", "\"grams\"").replace("\"hives\"", "\"boxes\"").replace(" hives ", " boxes ")
    };
    let want = rename(have)
        .replace("CREATE TABLE", "-- wevrun: formerly hives\nCREATE TABLE")
        .replace(", \"grams\" REAL", ",\n\"grams\" REAL -- wevrun: formerly weight\n");
    let (have, want) = (model(have), model(&want));
    let comparison = compare(sqlite(), &have, &want);
    let differing: Vec<String> = comparison.differences.iter().map(|one| one.key.to_string()).collect();
    assert_eq!(differing, ["table boxes"]);
    let Change::Change { properties, .. } = &comparison.differences[0].change else { panic!("it is changed") };
    let names: Vec<String> = properties.iter().map(Property::name).collect();
    assert_eq!(names, ["name", "column grams name"]);
}
