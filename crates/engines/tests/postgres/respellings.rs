//! What the server makes of what a person writes: one row a pattern, and both must be the same.

use wevrun_testkit::postgres::{AGES, Database};

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
        let spelled = database.psql(SPELLED).expect("the server's functions");
        assert!(spelled.lines().count() >= 150);
        if std::env::var_os("WEVRUN_WRITE_DOCS").is_some() {
            keep(&database, &spelled);
        }
    }
}

/// Views, defaults, checks and indexes over columns of every type, with constants as people write them; and the views of a shop.
#[test]
fn constants_and_views_as_people_write_them_are_the_servers() {
    for source in [include_str!("respellings/constants.sql"), include_str!("respellings/shop.sql")] {
        assert!(source.lines().count() >= 200);
        for age in AGES {
            let database = made(age, source);
            let (have, want) = (read(&database), model(source));
            assert!(have == want, "{age:?}: {}", difference(&have, &want));
            let unsure = want.unsure();
            assert!(unsure.len() * 50 < want.len(), "{age:?}: {unsure:?}");
        }
    }
}

/// Adds what this minor version spells otherwise than all before it to the spellings that the core's tests read.
fn keep(database: &Database, spelled: &str) {
    let version = database.psql("SELECT current_setting('server_version_num')::integer / 10000").expect("a number");
    let path = format!("{}/tests/postgres/respellings/spelled-{}.txt", env!("CARGO_MANIFEST_DIR"), version.trim());
    let seen = std::fs::read_to_string(&path).unwrap_or_default();
    let mut lines: Vec<&str> = seen.lines().chain(spelled.lines()).collect();
    // By the number in the name; the sort is stable.
    lines.sort_by_key(|line| line.get(1..4).unwrap_or_default().to_owned());
    let mut kept: Vec<&str> = Vec::new();
    lines.into_iter().for_each(|line| {
        if !kept.contains(&line) {
            kept.push(line)
        }
    });
    std::fs::write(&path, kept.join("\n") + "\n").expect("the folder is there");
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
