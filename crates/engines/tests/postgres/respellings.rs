//! What the server makes of what a person writes: one row a pattern, and both must be the same.

use wevrun_testkit::postgres::AGES;

use crate::{difference, made, model, read};

#[test]
fn the_servers_spelling_is_the_persons() {
    let patterns = include_str!("respellings/patterns.sql");
    assert!(patterns.lines().count() >= 150);
    let source = format!("{}{patterns}", include_str!("respellings/schema.sql"));
    for age in AGES {
        let database = made(age, &source);
        let (have, want) = (read(&database), model(&source));
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        assert_eq!(have.fingerprint(), want.fingerprint());
        let version = database.psql("SELECT current_setting('server_version_num')::integer / 10000").expect("a number");
        let version = version.trim();
        let path = format!("{}/tests/postgres/respellings/spelled-{version}.txt", env!("CARGO_MANIFEST_DIR"));
        let spelled = database.psql(SPELLED).expect("the server's functions");
        if std::env::var_os("WEVRUN_WRITE_DOCS").is_some() {
            std::fs::write(&path, &spelled).expect("the folder is there");
        }
        // The table has a column for each version that it was made with.
        if let Ok(table) = std::fs::read_to_string(&path) {
            assert!(table == spelled, "version {version} spells otherwise; WEVRUN_WRITE_DOCS=1 writes the table anew");
        }
    }
}

/// Each pattern as the server spells it, a statement a line, by its own functions.
const SPELLED: &str = r"
    SELECT name || E'\t' || replace(statement, E'\n', '⏎') FROM (
        SELECT conname AS name, format('ALTER TABLE %s ADD CONSTRAINT %s %s', conrelid::regclass, conname, pg_get_constraintdef(oid)) AS statement
        FROM pg_constraint WHERE conname ~ '^c[0-9]{3}$'
        UNION ALL
        SELECT c.relname, format('CREATE TABLE %s (x %s DEFAULT %s)', c.relname, format_type(a.atttypid, a.atttypmod), pg_get_expr(d.adbin, d.adrelid))
        FROM pg_attrdef d JOIN pg_class c ON c.oid = d.adrelid JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = d.adnum
        WHERE c.relname ~ '^d[0-9]{3}$'
        UNION ALL
        SELECT relname, pg_get_indexdef(oid) FROM pg_class WHERE relkind = 'i' AND relname ~ '^i[0-9]{3}$'
        UNION ALL
        SELECT relname, 'CREATE VIEW ' || relname || ' AS ' || rtrim(pg_get_viewdef(oid), ';')
        FROM pg_class WHERE relkind = 'v' AND relname ~ '^v[0-9]{3}$'
        UNION ALL
        SELECT rulename, rtrim(pg_get_ruledef(oid), ';') FROM pg_rewrite WHERE rulename ~ '^r[0-9]{3}$'
        UNION ALL
        SELECT proname, pg_get_functiondef(oid) FROM pg_proc WHERE proname ~ '^f[0-9]{3}$') all_of_them
    ORDER BY substr(name, 2);
";
