//! Names in bodies, and made-up names, once they are mapped.

use wevrun_core::mapping::{Doubt, MapRule, map};
use wevrun_core::model::Scope;

use super::*;

fn mapped(want: &str, rules: &[&str]) -> (Model, Vec<Doubt>) {
    let rules: Vec<MapRule> = rules.iter().map(|text| text.parse().expect("a rule")).collect();
    let mapped = map(&Postgres, VERSION, (&Model::empty(), &model(want)), &Scope::default(), &rules);
    let mapped = mapped.unwrap_or_else(|problem| panic!("{problem}"));
    (mapped.want, mapped.doubts)
}

fn refused(want: &str, rules: &[&str]) -> String {
    let rules: Vec<MapRule> = rules.iter().map(|text| text.parse().expect("a rule")).collect();
    let mapped = map(&Postgres, VERSION, (&Model::empty(), &model(want)), &Scope::default(), &rules);
    mapped.map(|mapped| mapped.want).expect_err("it can't be mapped")
}

const TABLES: &str = "CREATE SCHEMA sales; CREATE SEQUENCE sales.numbers;
    CREATE TABLE sales.lots (id int, kg numeric, member int); CREATE TABLE sales.members (id int, name text);
    CREATE FUNCTION sales.price(kg numeric) RETURNS numeric LANGUAGE sql AS 'SELECT kg * 5';";

/// A body under other names, and the words that are doubtful.
fn body(text: &str, rules: &[&str]) -> (String, Vec<String>) {
    let function =
        format!("CREATE FUNCTION sales.f(lot int) RETURNS numeric LANGUAGE plpgsql AS $body$BEGIN {text} END$body$;");
    let (model, doubts) = mapped(&format!("{TABLES}\n{function}"), rules);
    let found = model.objects().find(|object| object.name.identifier() == "f").expect("the function");
    let wevrun_core::model::Definition::Plain(plain) = &found.definition else { panic!("a routine") };
    let text = plain.clauses.value_named("as").expect("a body");
    let text = text.trim_start_matches("BEGIN ").trim_end_matches(" END").to_owned();
    (text, doubts.into_iter().map(|doubt| doubt.word).collect())
}

#[test]
fn bodies_follow_a_schema() {
    for (before, after) in [
        ("PERFORM 1 FROM sales.lots;", "PERFORM 1 FROM eu.lots;"),
        ("PERFORM 1 FROM lots;", "PERFORM 1 FROM lots;"),
        (
            "PERFORM 1 FROM \"sales\" . lots AS sales WHERE sales.id = 1;",
            "PERFORM 1 FROM eu.lots AS sales WHERE sales.id = 1;",
        ),
        ("PERFORM nextval('sales.numbers');", "PERFORM nextval('eu.numbers');"),
        (
            "EXECUTE format('INSERT INTO sales.lots (id) VALUES (%s)', 1);",
            "EXECUTE format('INSERT INTO eu.lots (id) VALUES (%s)', 1);",
        ),
        ("EXECUTE 'SELECT 1 FROM sales.lots';", "EXECUTE 'SELECT 1 FROM eu.lots';"),
        ("EXECUTE '\n  FROM sales.lots';", "EXECUTE '\n  FROM eu.lots';"),
        ("EXECUTE $q$ FROM sales.lots WHERE 'it''s' $q$;", "EXECUTE $q$ FROM eu.lots WHERE 'it''s' $q$;"),
        ("EXECUTE 'FROM sales.lots WHERE ''a\\b''';", "EXECUTE 'FROM eu.lots WHERE ''a\\b''';"),
        ("PERFORM sales.price(sales.lots.kg) FROM sales.lots;", "PERFORM eu.price(eu.lots.kg) FROM eu.lots;"),
        ("SET search_path TO sales, public; PERFORM 1;", "SET search_path TO eu, public; PERFORM 1;"),
        ("-- sales.lots\nPERFORM 1;", "-- sales.lots\nPERFORM 1;"),
    ] {
        assert_eq!(body(before, &["eu=sales"]), (after.to_owned(), vec![]), "{before}");
    }
    // With escapes, what is written is not what is meant.
    let (text, doubts) = body("EXECUTE E'FROM sales.lots\\n';", &["eu=sales"]);
    assert_eq!((text.as_str(), doubts), ("EXECUTE E'FROM sales.lots\\n';", vec!["sales".to_owned()]));
    let (text, doubts) = body("EXECUTE 'SELECT 1 FROM sales.' || name;", &["eu=sales"]);
    assert_eq!((text.as_str(), doubts), ("EXECUTE 'SELECT 1 FROM sales.' || name;", vec!["sales".to_owned()]));
}

#[test]
fn names_without_a_schema_are_found_in_the_mapped_one() {
    let text = "CREATE TABLE hives (id int); CREATE VIEW v AS SELECT id FROM hives;
        CREATE FUNCTION f(h hives) RETURNS int LANGUAGE sql AS 'SELECT 1';";
    let (mapped, _) = mapped(text, &["tenant=public"]);
    let empty = Model::empty();
    let comparison = compare(postgres(), &empty, &mapped);
    let sides = (&empty, &mapped);
    let script =
        make_script(postgres(), "honey", sides, &comparison, PlanOptions::default(), VERSION, &Evidence::default());
    let text = script::write(postgres(), &script);
    let view = text.split("create view tenant.v").nth(1).expect("its step");
    let path = text.find("SET LOCAL search_path = tenant, public").expect("a path");
    assert!(path < text.len() - view.len(), "{text}");
    assert_eq!(text.matches("SET LOCAL search_path").count(), 2, "{text}");
}

#[test]
fn bodies_follow_tables_and_columns() {
    let rules = &["table:eu_lots=lots", "column:eu_lots.grams=lots.kg", "function:eu_price=price"];
    for (before, after) in [
        ("PERFORM 1 FROM lots;", "PERFORM 1 FROM eu_lots;"),
        ("PERFORM 1 FROM sales.lots;", "PERFORM 1 FROM sales.eu_lots;"),
        ("PERFORM 1 FROM members, lots l WHERE l.kg > 1;", "PERFORM 1 FROM members, eu_lots l WHERE l.grams > 1;"),
        ("INSERT INTO lots (id, kg) VALUES (1, 2);", "INSERT INTO eu_lots (id, grams) VALUES (1, 2);"),
        ("UPDATE lots SET kg = lots.kg + 1;", "UPDATE eu_lots SET grams = eu_lots.grams + 1;"),
        ("DECLARE l lots%ROWTYPE; BEGIN END;", "DECLARE l eu_lots%ROWTYPE; BEGIN END;"),
        ("PERFORM price(1);", "PERFORM eu_price(1);"),
        ("PERFORM 1 FROM members WHERE id = 1;", "PERFORM 1 FROM members WHERE id = 1;"),
    ] {
        assert_eq!(body(before, rules), (after.to_owned(), vec![]), "{before}");
    }
    for (text, word) in
        [("lots := 1;", "lots"), ("EXECUTE 'SELECT kg FROM x';", "kg"), ("x.kg := 1;", "kg"), ("RAISE 'lots';", "lots")]
    {
        let (left, doubts) = body(text, rules);
        assert_eq!((left.as_str(), doubts.iter().any(|doubt| doubt == word)), (text, true), "{doubts:?}");
    }
}

#[test]
fn a_trigger_function_follows_the_columns_of_its_table() {
    let text = "CREATE TABLE a (n int); CREATE TABLE b (n int);
        CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN NEW.n := OLD.n + 1; RETURN NEW; END';
        CREATE TRIGGER t BEFORE UPDATE ON a FOR EACH ROW EXECUTE FUNCTION f();";
    let (model, doubts) = mapped(text, &["column:a.m=a.n"]);
    assert!(object(&model, "function public.f()").text.contains("NEW.m := OLD.m + 1"), "{doubts:?}");
    let both = format!("{text} CREATE TRIGGER t BEFORE UPDATE ON b FOR EACH ROW EXECUTE FUNCTION f();");
    let (model, doubts) = mapped(&both, &["column:a.m=a.n"]);
    assert!(object(&model, "function public.f()").text.contains("NEW.n := OLD.n + 1"));
    assert_eq!(doubts.len(), 1);
}

#[test]
fn made_up_names_follow_and_given_ones_do_not() {
    let text =
        "CREATE TABLE hives (id serial PRIMARY KEY, code text UNIQUE, up int REFERENCES hives, n int CHECK (n > 0),
        CONSTRAINT given CHECK (n < 9)); CREATE INDEX ON hives (n); CREATE INDEX mine ON hives (up);";
    let (mapped, _) = mapped(text, &["table:eu_hives=hives", "column:eu_hives.number=hives.n"]);
    let copy = text.replace("hives", "eu_hives").replace("n int", "number int").replace("(n", "(number");
    assert!(mapped == model(&copy), "{:#?}", compare(postgres(), &model(&copy), &mapped).differences);
}

#[test]
fn a_name_like_a_clause_is_none() {
    let text =
        "CREATE TABLE t (\"schema public\" int, \"public.t\" int DEFAULT 5); COMMENT ON TABLE t IS 'schema public';";
    let (mapped, _) = mapped(text, &["tenant=public"]);
    let copy = text.replace("TABLE t", "TABLE tenant.t");
    let copy = model(&format!("CREATE SCHEMA tenant; {copy}"));
    assert!(mapped == copy, "{:#?}", compare(postgres(), &copy, &mapped).differences);
}

#[test]
fn names_can_change_places() {
    let text = "CREATE SCHEMA a; CREATE SCHEMA b; CREATE TABLE a.t (x int); CREATE TABLE b.t (y int);
        CREATE TABLE p (z int); CREATE TABLE q (w int);";
    let (mapped, _) = mapped(text, &["a=b", "b=a", "table:p=q", "table:q=p"]);
    let swapped = "CREATE SCHEMA a; CREATE SCHEMA b; CREATE TABLE b.t (x int); CREATE TABLE a.t (y int);
        CREATE TABLE q (z int); CREATE TABLE p (w int);";
    assert!(mapped == model(swapped), "{:#?}", compare(postgres(), &model(swapped), &mapped).differences);
}

#[test]
fn what_cannot_be_mapped_is_refused() {
    for (rules, problem) in [
        (&["eu=sale"][..], "`eu=sale`: want has no schema `sale`; it has sales"),
        (&["eu_*=sales"], "`eu_*=sales`: have has no schema like `eu_*`"),
        (&["table:eu_hive=hive"], "`table:eu_hive=hive`: want has no object like `hive`"),
        (&["table:members=lots"], "table sales.lots can't be called sales.members: want has a table of this name too"),
        (&["column:lots.x=lots.y"], "`column:lots.x=lots.y`: want has no column `lots.y`"),
        (&["column:lots.id=lots.kg"], "`column:lots.id=lots.kg`: sales.lots of want has a column `id` too"),
        (&["column:eu_lots.x=lots.kg"], "`column:eu_lots.x=lots.kg`: the table is `lots` in have, not `eu_lots`"),
    ] {
        assert_eq!(refused(TABLES, rules), problem);
    }
    let other = format!("{TABLES} CREATE SCHEMA eu; CREATE TABLE eu.t (x int);");
    assert_eq!(
        refused(&other, &["eu=sales"]),
        "the schema sales can't be called eu: want has a schema of this name too"
    );
}
