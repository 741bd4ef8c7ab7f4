//! What must hold of mapped names: want under have's names is what the same source with these names builds to.

use wevrun_core::compare::{Change, compare};
use wevrun_core::mapping::{MapRule, Mapper, map};
use wevrun_core::model::{Model, Scope};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_postgres::Postgres;
use wevrun_sqlite::Sqlite;
use wevrun_testkit::postgres_schema;
use wevrun_testkit::render::{Style, statements};
use wevrun_testkit::schema::{Schema, random, rng};

use super::{VERSION, built};

fn rules(texts: &[&str]) -> Vec<MapRule> {
    texts.iter().map(|text| text.parse().unwrap_or_else(|problem| panic!("{problem}"))).collect()
}

fn mapped(
    dialect: &'static dyn Mapper,
    version: EngineVersion,
    (have, want): (&Model, &Model),
    texts: &[&str],
) -> Model {
    let mapped = map(dialect, version, (have, want), &Scope::default(), &rules(texts));
    mapped.unwrap_or_else(|problem| panic!("{problem}")).want
}

fn assert_identical(dialect: &dyn Dialect, have: &Model, mapped: &Model, text: &str) {
    let comparison = compare(dialect, have, mapped);
    let described = comparison.differences.iter().map(|difference| match &difference.change {
        Change::Change { properties, .. } => format!("{} {properties:#?}", difference.key),
        Change::Create(_) => format!("{} created", difference.key),
        Change::Remove(_) => format!("{} removed", difference.key),
    });
    assert!(have == mapped, "{}\n{text}", described.collect::<Vec<_>>().join("\n"));
    assert_eq!(have.fingerprint(), mapped.fingerprint());
}

/// Every name with something before it.
fn prefixed(mut schema: Schema) -> Schema {
    let prefix = |name: &mut String| name.insert_str(0, "eu ");
    for table in &mut schema.tables {
        prefix(&mut table.name);
        table.columns.iter_mut().filter_map(|column| column.references.as_mut()).for_each(|(table, _)| prefix(table));
    }
    schema.indexes.iter_mut().for_each(|index| (prefix(&mut index.name), prefix(&mut index.table)).0);
    schema.views.iter_mut().for_each(|view| (prefix(&mut view.name), prefix(&mut view.from)).0);
    for trigger in &mut schema.triggers {
        [&mut trigger.name, &mut trigger.table, &mut trigger.reads].into_iter().for_each(prefix);
    }
    schema.full_text.iter_mut().for_each(|(name, _)| prefix(name));
    schema
}

#[test]
fn a_copy_with_a_prefix_is_the_same() {
    for seed in 0..150 {
        let schema = random(&mut rng(seed));
        let want = built(&statements(&schema, &mut Style::plain()));
        let copy = statements(&prefixed(schema), &mut Style::wild(seed));
        let have = built(&copy);
        let mapped = mapped(&Sqlite, VERSION, (&have, &want), &["*:eu *=*"]);
        assert_identical(&Sqlite, &have, &mapped, &format!("seed {seed}\n{}", copy.join(";\n")));
    }
}

const VERSION_18: EngineVersion = EngineVersion { major: 18, minor: 0 };

fn postgres(text: &str) -> Model {
    wevrun_core::build::build(&Postgres, VERSION_18, &[Source::new("a.sql", text)]).model
}

/// Statements in a schema of another name.
fn moved(text: &str, schema: &str) -> String {
    let words = ["public.", "SCHEMA public", "search_path = public", "search_path TO 'public'"];
    words.iter().fold(text.to_owned(), |text, word| text.replace(word, &word.replace("public", schema)))
}

/// Gives whether two copies at once could be compared too.
fn assert_moved_is_same(text: &str, what: &str) -> bool {
    // The copy would have the path of the session that makes it.
    let text = &text.replace("SET search_path FROM CURRENT", "");
    let want = postgres(text);
    let copy = format!("CREATE SCHEMA tenant;\n{}", moved(text, "tenant"));
    let have = postgres(&copy);
    assert_identical(&Postgres, &have, &mapped(&Postgres, VERSION_18, (&have, &want), &["tenant=public"]), what);
    // And back: a schema under the name of one that every database has.
    assert_identical(&Postgres, &want, &mapped(&Postgres, VERSION_18, (&want, &have), &["public=tenant"]), what);
    // Many against one.
    let apart = copy.clone() + &format!("CREATE SCHEMA tenant_2;\n{}", moved(text, "tenant_2"));
    let both = postgres(&apart);
    match map(&Postgres, VERSION_18, (&both, &want), &Scope::default(), &rules(&["tenant*=public"])) {
        Ok(mapped) => {
            assert_identical(&Postgres, &both, &mapped.want, what);
            true
        }
        // Publications, casts and the like are in no schema.
        Err(problem) => {
            assert!(problem.contains("is outside the schema public and uses it"), "{problem}");
            false
        }
    }
}

#[test]
fn a_copy_in_another_schema_is_the_same() {
    let mut twice = 0;
    for seed in 0..60 {
        let text = postgres_schema::statements(seed, 0, 0, 18);
        twice += usize::from(assert_moved_is_same(&text, &format!("seed {seed}\n{text}")));
    }
    assert!(twice > 10, "{twice}");
}

#[test]
fn a_copy_of_each_feature_in_another_schema_is_the_same() {
    let mut twice = 0;
    for seed in 0..3 {
        for (title, text) in postgres_schema::features(seed, 0, 0, 18) {
            twice += usize::from(assert_moved_is_same(&text, &format!("{title}, seed {seed}\n{text}")));
        }
    }
    assert!(twice > 50, "{twice}");
}

#[test]
fn a_copy_with_other_tables_is_the_same() {
    for seed in 0..60 {
        let text = postgres_schema::statements(seed, 0, 0, 18);
        let want = postgres(&text);
        let copy = text.replace("\"hives\"", "\"eu_hives\"").replace("\"queens\"", "eu_queens");
        let have = postgres(&copy);
        let texts: Vec<String> = want
            .tables()
            .map(|(name, _)| name.identifier())
            .filter(|name| matches!(*name, "hives" | "queens"))
            .map(|name| format!("table:eu_{name}={name}"))
            .collect();
        let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
        let mapped = mapped(&Postgres, VERSION_18, (&have, &want), &texts);
        assert_identical(&Postgres, &have, &mapped, &format!("seed {seed}\n{copy}"));
    }
}
