//! Who may do what: with objects, with objects to come, and with the schema that every database has.

use wevrun_core::adopt;
use wevrun_core::compare::{add_access, compare};
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{Script, make_script, make_undo};

use crate::write;
use wevrun_engines::Access;
use wevrun_testkit::postgres::{AGES, Age, Server};

use crate::{connect, made, model, postgres, read, release, script, version};

/// What differs, owners and grants included.
fn differing(have: &Model, want: &Model) -> Vec<String> {
    let mut comparison = compare(postgres(), have, want);
    add_access(postgres(), &mut comparison, have, want);
    comparison.differences.iter().map(|difference| format!("{difference:#?}")).collect()
}

fn with_access(age: Age, have: &Model, want: &Model) -> Script {
    let comparison = compare(postgres(), have, want);
    let plan_options = PlanOptions { access: true, ..PlanOptions::default() };
    make_script(postgres(), "honey", (have, want), &comparison, plan_options, version(age), &Evidence::default())
}

/// A view that must be made again belongs to whom it belonged, and whoever could read it still can.
#[test]
fn what_is_made_again_keeps_owner_and_grants() {
    for age in AGES {
        let source = "CREATE TABLE hives (id integer PRIMARY KEY, label varchar(20));
            CREATE VIEW labels AS SELECT id, label FROM hives;
            CREATE FUNCTION label_of(hives) RETURNS text LANGUAGE sql AS 'SELECT $1.label';";
        let number = age as u8;
        let database = made(age, source);
        let roles = format!(
            "CREATE ROLE reader_{number}; CREATE ROLE owner_{number}; GRANT SELECT ON labels TO reader_{number} WITH GRANT OPTION;
             GRANT SELECT (id) ON labels TO public; ALTER VIEW labels OWNER TO owner_{number};
             REVOKE ALL ON FUNCTION label_of(hives) FROM public;"
        );
        database.psql(&roles).expect("roles");
        let access = "SELECT relname, pg_get_userbyid(relowner), relacl, (SELECT attacl FROM pg_attribute WHERE attrelid = c.oid AND attname = 'id')
            FROM pg_class c WHERE relname = 'labels' UNION ALL SELECT proname, NULL, proacl, NULL FROM pg_proc WHERE proname = 'label_of'";
        let before = database.psql(access).expect("rows");
        let want = model(&source.replace("varchar(20)", "text"));
        let script = script(&read(&database), &want);
        let text = crate::write(&script);
        assert!(text.contains("DROP VIEW"), "the server demands it: {text}");
        connect(&database, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|e| panic!("{e:?}\n{text}"));
        assert_eq!(database.psql(access).expect("rows"), before, "{text}");
        database
            .psql(&format!("DROP OWNED BY reader_{number}, owner_{number}; DROP ROLE reader_{number}, owner_{number}"))
            .expect("gone");
    }
}

/// Owners and grants become what the source says, where that is asked for, and stay what they are where it is not.
#[test]
fn owners_and_grants_are_changed_when_asked() {
    for age in AGES {
        let number = age as u8;
        let base = "CREATE TABLE hives (id integer, label text); CREATE VIEW labels AS SELECT label FROM hives;
            CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 1'; CREATE SEQUENCE numbers;";
        let before = format!(
            "{base} GRANT SELECT, INSERT ON hives TO reader{number}; GRANT UPDATE (label) ON hives TO keeper{number};
             REVOKE ALL ON FUNCTION f() FROM public; GRANT ALL ON labels TO keeper{number} WITH GRANT OPTION;"
        );
        let after = format!(
            "{base} ALTER TABLE hives OWNER TO keeper{number}; GRANT SELECT ON hives TO reader{number};
             GRANT USAGE ON SEQUENCE numbers TO public; CREATE TABLE lots (id integer); GRANT DELETE ON lots TO reader{number};
             GRANT SELECT ON labels TO keeper{number};"
        );
        let database = Server::of(age).database();
        let roles = format!("CREATE ROLE keeper{number}; CREATE ROLE reader{number};");
        let _ = database.psql(&roles);
        database.psql(&before).expect("made");
        for wanted in [&after, &before] {
            let (have, want) = (read(&database), model(wanted));
            assert!(differing(&have, &want).len() > 3, "{age:?}");
            let script = with_access(age, &have, &want);
            connect(&database, Access::Write)
                .deploy(&script, &release(), &mut |_| {})
                .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", crate::write(&script)));
            let left = differing(&read(&database), &want);
            assert!(left.is_empty(), "{age:?}: {left:?}\n{}", crate::write(&script));
        }
    }
}

/// Statements about many objects at once, about objects to come and about the schema `public`: what psql makes of them is what the
/// source says, and a script leads there and back.
#[test]
fn grants_of_many_and_of_objects_to_come() {
    for age in AGES {
        let number = age as u8;
        let (reader, keeper) = (format!("reads{number}"), format!("keeps{number}"));
        let first = format!(
            "CREATE SCHEMA apiary;
             ALTER DEFAULT PRIVILEGES IN SCHEMA apiary GRANT SELECT ON TABLES TO {reader};
             ALTER DEFAULT PRIVILEGES REVOKE EXECUTE ON FUNCTIONS FROM PUBLIC;
             ALTER DEFAULT PRIVILEGES FOR ROLE {keeper} GRANT ALL ON TYPES TO {reader} WITH GRANT OPTION;
             ALTER DEFAULT PRIVILEGES FOR ROLE {keeper} IN SCHEMA apiary, public GRANT USAGE ON SEQUENCES TO PUBLIC;
             ALTER DEFAULT PRIVILEGES IN SCHEMA apiary GRANT EXECUTE ON ROUTINES TO {reader};
             CREATE TABLE apiary.hives (id integer);
             CREATE FUNCTION apiary.weigh() RETURNS integer LANGUAGE sql AS 'SELECT 1';
             CREATE FUNCTION public.count_all() RETURNS integer LANGUAGE sql AS 'SELECT 1';
             CREATE TABLE public.queens (id integer GENERATED ALWAYS AS IDENTITY, name text);
             CREATE VIEW public.one AS SELECT 1 AS one;
             GRANT USAGE ON SCHEMA public TO {reader};
             REVOKE CREATE ON SCHEMA public FROM PUBLIC;
             GRANT SELECT, INSERT, UPDATE ON ALL TABLES IN SCHEMA public TO {reader} WITH GRANT OPTION;
             REVOKE INSERT ON public.one FROM {reader};
             REVOKE GRANT OPTION FOR SELECT ON public.queens FROM {reader};
             CREATE TABLE public.later (id integer);
             GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA public TO {reader};"
        );
        let second = format!(
            "CREATE SCHEMA apiary;
             ALTER DEFAULT PRIVILEGES IN SCHEMA apiary GRANT SELECT, UPDATE ON TABLES TO {reader};
             ALTER DEFAULT PRIVILEGES GRANT USAGE ON SCHEMAS TO {reader};
             CREATE TABLE apiary.hives (id integer);
             CREATE TABLE apiary.closed (id integer);
             REVOKE ALL ON apiary.closed FROM {reader};
             CREATE TABLE public.queens (id integer GENERATED ALWAYS AS IDENTITY, name text);
             CREATE FUNCTION apiary.weigh_more() RETURNS integer LANGUAGE sql AS 'SELECT 1';
             REVOKE ALL ON SCHEMA public FROM PUBLIC;"
        );
        let _ = Server::of(age).psql("postgres", &format!("CREATE ROLE {reader}; CREATE ROLE {keeper};"));
        let database = made(age, &first);
        let held = || {
            let rows = "SELECT defaclrole::regrole, defaclnamespace::regnamespace, defaclobjtype, a.* FROM pg_default_acl, aclexplode(defaclacl) a
                UNION ALL SELECT nspowner::regrole, nspname::regnamespace, 'n', a.* FROM pg_namespace, aclexplode(nspacl) a WHERE nspname IN ('public', 'apiary')
                UNION ALL SELECT relowner::regrole, relnamespace::regnamespace, relkind, a.* FROM pg_class, aclexplode(relacl) a WHERE relname IN ('hives', 'queens', 'one', 'later')
                UNION ALL SELECT proowner::regrole, pronamespace::regnamespace, prokind, a.* FROM pg_proc, aclexplode(proacl) a WHERE proname IN ('weigh', 'count_all')
                ORDER BY 1, 2, 3, 4, 5, 6, 7";
            database.psql(rows).expect("rows")
        };
        let at_first = held();
        // The grants that psql made, those of the dump and those of the adopted source are what the source says.
        let found = differing(&read(&database), &model(&first));
        assert!(found.is_empty(), "{age:?}: {found:?}");
        let files = adopt::files(postgres(), &read(&database), true);
        let adopted: String = files.iter().map(|file| file.text.as_str()).collect();
        let found = differing(&read(&database), &model(&adopted));
        assert!(found.is_empty(), "{age:?}: {found:?}\n{adopted}");
        for wanted in [&second, &adopted] {
            let script = with_access(age, &read(&database), &model(wanted));
            database.psql(&write(&script)).unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&script)));
            let left = differing(&read(&database), &model(wanted));
            assert!(left.is_empty(), "{age:?}: {left:?}\n{}", write(&script));
        }
        assert_eq!(held(), at_first, "{age:?}");
    }
}

/// What a script has removed comes back to whom it belonged, and with what was granted on it, whether that was asked for or not.
#[test]
fn the_way_back_gives_what_is_made_again_its_grants() {
    for age in AGES {
        let number = age as u8;
        let kept = "CREATE TABLE hives (id integer);";
        let database = made(age, kept);
        let _ = database.psql(&format!("CREATE ROLE teller{number}; CREATE ROLE lender{number};"));
        let more = format!(
            "CREATE TABLE lots (id integer, lot text); CREATE VIEW labels AS SELECT lot FROM lots;
             CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 1'; REVOKE ALL ON FUNCTION f() FROM public;
             GRANT SELECT ON lots, labels TO teller{number}; GRANT UPDATE (lot) ON lots TO teller{number};
             ALTER TABLE lots OWNER TO lender{number}; GRANT INSERT ON hives TO teller{number};"
        );
        database.psql(&more).expect("made");
        let access = "SELECT relname, pg_get_userbyid(relowner), relacl, (SELECT string_agg(attacl::text, ' ') FROM pg_attribute WHERE attrelid = c.oid)
            FROM pg_class c WHERE relname IN ('lots', 'labels', 'hives') UNION ALL SELECT proname, NULL, proacl, NULL FROM pg_proc WHERE proname = 'f' ORDER BY 1";
        let (before, have, want) = (database.psql(access).expect("rows"), read(&database), model(kept));
        let comparison = compare(postgres(), &have, &want);
        let back =
            make_undo(postgres(), "honey", (&have, &want), &comparison.renames, &PlanOptions::default(), version(age));
        for script in [script(&have, &want), back] {
            let text = write(&script);
            connect(&database, Access::Write)
                .deploy(&script, &release(), &mut |_| {})
                .unwrap_or_else(|error| panic!("{age:?}: {error}\n{text}"));
        }
        assert_eq!(database.psql(access).expect("rows"), before, "{age:?}");
        let _ = database
            .psql(&format!("DROP OWNED BY teller{number}, lender{number}; DROP ROLE teller{number}, lender{number}"));
    }
}

/// Grants on columns, of a table as of a view, with the option to grant them on.
#[test]
fn grants_on_columns_are_read_and_given_with_their_option() {
    for age in AGES {
        let role = format!("column_reader_{}", age as u8);
        let source = format!(
            "CREATE TABLE hives (id integer, label text); CREATE VIEW labels AS SELECT id, label FROM hives;
             GRANT SELECT (id), UPDATE (label) ON hives TO {role} WITH GRANT OPTION; GRANT SELECT (label) ON hives TO public;
             GRANT SELECT (id) ON labels TO {role} WITH GRANT OPTION; GRANT INSERT (id) ON labels TO public;"
        );
        let database = made(age, &format!("CREATE ROLE {role}; {source}"));
        let have = read(&database);
        assert_eq!(differing(&have, &model(&source)), [""; 0]);
        let bare = "CREATE TABLE hives (id integer, label text); CREATE VIEW labels AS SELECT id, label FROM hives;";
        let other = made(age, bare);
        let script = with_access(age, &read(&other), &model(&source));
        connect(&other, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&script)));
        let granted = "SELECT attrelid::regclass, attname, ARRAY(SELECT item::text FROM unnest(attacl) item ORDER BY 1)
            FROM pg_attribute WHERE attacl IS NOT NULL AND attrelid >= 16384 ORDER BY 1, 2";
        let rows = |database: &wevrun_testkit::postgres::Database| database.psql(granted).expect("rows");
        assert_eq!(rows(&other), rows(&database), "{}", write(&script));
        assert_eq!(rows(&database).trim().lines().count(), 3);
        for database in [&database, &other] {
            database.psql(&format!("DROP OWNED BY {role}")).expect("let go");
        }
        database.psql(&format!("DROP ROLE {role}")).expect("gone");
    }
}
