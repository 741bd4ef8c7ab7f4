//! Code in a source: what is read of it, and what it names.

use wevrun_core::build::{Build, build};
use wevrun_core::compare::compare;
use wevrun_core::source::Source;
use wevrun_core::unread;
use wevrun_postgres::Postgres;

use crate::{VERSION, model, postgres, same};

fn built(text: &str) -> Build {
    build(&Postgres, VERSION, &[Source::new("a.sql", text)])
}

#[test]
fn blocks_that_create_what_is_missing_are_read() {
    let hives =
        "CREATE TABLE hives (id integer PRIMARY KEY, site integer); CREATE TABLE sites (id integer PRIMARY KEY);";
    let key = "ALTER TABLE hives ADD CONSTRAINT hives_site FOREIGN KEY (site) REFERENCES sites (id)";
    for block in [
        format!(
            "DO $$ BEGIN IF NOT EXISTS (SELECT 1 FROM pg_constraint WHERE conname = 'hives_site') THEN {key}; END IF; END $$;"
        ),
        format!(
            "DO $$ BEGIN IF NOT (EXISTS (SELECT FROM pg_constraint WHERE conname = 'hives_site' AND contype = 'f')) THEN {key}; END IF; END $$;"
        ),
        format!("DO $do$ BEGIN {key}; EXCEPTION WHEN duplicate_object THEN NULL; END $do$ LANGUAGE plpgsql;"),
        format!(
            "DO LANGUAGE plpgsql $$\nBEGIN\n  BEGIN\n    {key}; -- once\n  EXCEPTION\n    WHEN duplicate_table OR duplicate_object THEN RAISE NOTICE 'there: %', 1;\n  END;\nEND;\n$$;"
        ),
    ] {
        same(&format!("{hives} {block}"), &format!("{hives} {key};"));
        // And again, with the same key said before and after it.
        same(&format!("{hives} {key}; {block} {block}"), &format!("{hives} {key};"));
    }
    let mood = "CREATE TYPE mood AS ENUM ('calm', 'busy');";
    let block = format!("DO $$ BEGIN {mood} EXCEPTION WHEN duplicate_object THEN null; END $$;");
    same(&format!("{block} {block}"), mood);
    same(
        &format!("DO $$ BEGIN IF to_regtype('mood') IS NULL THEN {mood} END IF; END $$; COMMENT ON TYPE mood IS 'x';"),
        &format!("{mood} COMMENT ON TYPE mood IS 'x';"),
    );
    let column =
        "DO $$ BEGIN ALTER TABLE hives ADD COLUMN label text; EXCEPTION WHEN duplicate_column THEN NULL; END $$;";
    same(&format!("{hives} {column} {column}"), &format!("{hives} ALTER TABLE hives ADD COLUMN label text;"));
}

#[test]
fn an_error_in_a_block_has_its_place() {
    let text = "CREATE TABLE hives (id integer);\nDO $$ BEGIN\n  CREATE TABLE sites (id integer,);\nEXCEPTION WHEN duplicate_table THEN NULL; END $$;";
    let found = built(text).diagnostics;
    let error = found.iter().find(|found| found.is_error()).expect("a comma too many");
    let location = error.primary.as_ref().expect("a place").location;
    assert_eq!(text[..location.start as usize].lines().count(), 3, "{error:#?}");
}

#[test]
fn other_blocks_are_not_read() {
    for block in [
        "DO $$ BEGIN EXECUTE 'CREATE TABLE sites (id integer)'; END $$;",
        "DO $$ DECLARE x text; BEGIN CREATE TABLE sites (id integer); END $$;",
        "DO $$ BEGIN IF NOT EXISTS (SELECT FROM tenants) THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF current_setting('app.x', true) IS NULL THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_class WHERE relname = 'sites') AND current_user = 'a' THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF NOT (EXISTS (SELECT FROM pg_class WHERE relname = 'sites') AND current_user = 'a') THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF to_regclass('sites') IS NULL AND to_regclass('x') IS NULL THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF NOT (to_regclass('sites') IS NULL) AND EXISTS (SELECT FROM pg_class) THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF NOT to_regclass('sites') IS NULL THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF EXISTS (SELECT 1) THEN CREATE TABLE sites (id integer); END IF; END $$;",
        "DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_class) THEN CREATE TABLE sites (id integer); ELSE NULL; END IF; END $$;",
        "DO $$ BEGIN FOR x IN 1..3 LOOP CREATE TABLE sites (id integer); END LOOP; END $$;",
        "DO $$ BEGIN CREATE TABLE sites (id integer); EXCEPTION WHEN others THEN NULL; END $$;",
        "DO $$ CREATE TABLE sites (id integer); $$ LANGUAGE plpython3u;",
    ] {
        let built = built(block);
        assert!(built.model.is_empty(), "{block}");
        assert_eq!(built.diagnostics[0].code.to_string(), "WV010", "{block}");
        assert!(built.unread[0].words.contains("sites"), "{block}");
    }
}

#[test]
fn what_code_names_is_left_alone() {
    let source =
        "CREATE TABLE hives (id integer PRIMARY KEY, site integer); CREATE TABLE sites (id integer PRIMARY KEY);
        CREATE FUNCTION wire() RETURNS void LANGUAGE plpgsql AS $$ BEGIN
            EXECUTE format('CREATE INDEX %I ON hives (site)', 'Hives by site'); END $$;
        DO $$ BEGIN EXECUTE 'ALTER TABLE hives ADD CONSTRAINT hives_site FOREIGN KEY (site) REFERENCES sites'; END $$;
        SELECT wire();";
    let live = format!(
        "{} CREATE INDEX \"Hives by site\" ON hives (site); CREATE INDEX forgotten ON hives (site);
         ALTER TABLE hives ADD CONSTRAINT hives_site FOREIGN KEY (site) REFERENCES sites,
             ADD CONSTRAINT by_hand CHECK (site > 0);",
        &source[..source.find("DO $$").expect("a block")]
    );
    let (have, mut want) = (model(&live), built(source));
    let kept = unread::keep(&want.unread, &have, &mut want.model);
    let mut names: Vec<&str> = kept.iter().map(|kept| kept.what.as_str()).collect();
    names.sort_unstable();
    assert_eq!(names, ["foreign key hives_site of table public.hives", "index public.\"Hives by site\""]);
    assert!(kept.iter().all(|kept| kept.diagnostic().primary.is_some()));
    // The rest differs as ever.
    let comparison = compare(postgres(), &have, &want.model);
    let differing: Vec<String> = comparison.differences.iter().map(|difference| difference.key.to_string()).collect();
    assert_eq!(differing, ["table public.hives", "index public.forgotten"]);
    // Nothing is kept for a source without code.
    let mut plain = built("CREATE TABLE hives (id integer PRIMARY KEY, site integer);");
    assert!(unread::keep(&plain.unread, &have, &mut plain.model).is_empty());
}
