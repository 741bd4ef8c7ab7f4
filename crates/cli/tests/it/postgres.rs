//! What only PostgreSQL has, as a person meets it.

use std::fs;

use wevrun_testkit::certificates::Guarded;
use wevrun_testkit::postgres::{AGES, Age, Server};
use wevrun_testkit::project::TestProject;

use super::project;

/// A join with a name of its own can't be told from what the server makes of it, but for asking one.
/// A project for PostgreSQL whose source is `s.sql`.
fn in_postgres() -> TestProject {
    let project = project(&[]);
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project
}

#[test]
fn what_cannot_be_told_is_unproven() {
    for age in AGES {
        let schema = "CREATE TABLE hives (id integer PRIMARY KEY, label text);\n\
            CREATE TABLE weighings (id integer PRIMARY KEY, label text, grams integer);\n\
            CREATE VIEW heavy AS SELECT hw.id FROM (hives JOIN weighings USING (id)) AS hw WHERE hw.grams > 20000;\n";
        let (project, database, other) = (project(&[]), Server::of(age).database(), Server::of(age).database());
        let (url, scratch) = (database.url(), other.url());
        database.psql(schema).expect("made");
        project.write("honey.sql", schema);
        let sides = ["compare", "--want", "honey.sql", "--have", &url];
        let told = project.expect(0, &sides);
        assert!(told.stdout.contains("Unproven (1)\n  view          public.heavy"), "{}", told.stdout);
        assert!(told.stdout.ends_with("No difference found: 2 objects match want, 1 unproven.\n"), "{}", told.stdout);
        project.expect(3, &[&sides[..], &["--fail-on", "unproven"]].concat());
        let json = project.expect(0, &[&sides[..], &["--format", "json"]].concat()).stdout;
        let document: serde_json::Value = serde_json::from_str(&json).expect("JSON");
        assert_eq!(document["identical"], false);
        assert_eq!(document["counts"]["unproven"], 1);
        assert_eq!(document["unproven"][0]["name"], "public.heavy");
        // With a server's help it is certain, either way.
        let asked = |wanted: i32| project.expect(wanted, &[&sides[..], &["--scratch", &scratch]].concat()).stdout;
        assert!(asked(0).ends_with("Identical: 3 objects match want.\n"));
        project.write("honey.sql", schema.replace("20000", "30000"));
        project.expect(0, &sides);
        assert!(asked(3).contains("To change (1)\n  view          public.heavy"));
        let left = database.psql("SELECT count(*) FROM pg_database WHERE datname ~ '^wevrun_scratch'").expect("rows");
        assert_eq!(left.trim(), "0", "the scratch database is gone");
    }
}

/// A snapshot that a server spelled leaves nothing open, and a deployment without one says what is.
#[test]
fn a_snapshot_can_be_spelled_by_a_server() {
    let server = Server::of(Age::Packaged);
    let (project, database, other) = (project(&[]), server.database(), server.database());
    let (url, scratch) = (database.url(), other.url());
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write(
        "s.sql",
        "CREATE TABLE hives (id integer, label text);\nCREATE TABLE sites (id integer, label text);\n\
         CREATE VIEW both_of_them AS SELECT hs.id FROM (hives JOIN sites USING (id)) AS hs;\n",
    );
    let plain = project.expect(0, &["build"]);
    assert!(plain.stdout.contains("unproven: 1 of 3 objects (33.3 %) can't be compared exactly"), "{}", plain.stdout);
    let deployed = project.expect(0, &["deploy", &url]);
    assert!(
        deployed
            .stdout
            .contains("read back by a new connection and verified but for:\n  unproven view public.both_of_them"),
        "{}",
        deployed.stdout
    );
    let spelled = project.expect(0, &["build", "--scratch", &scratch]);
    assert!(spelled.stdout.contains("spelled by the scratch server: 1 of 3 objects (33.3 %)"), "{}", spelled.stdout);
    let same = project.expect(0, &["compare", &url, "--want", "honey.wsnap"]);
    assert!(same.stdout.ends_with("Identical: 3 objects match want.\n"), "{}", same.stdout);
    let again = project.expect(0, &["deploy", &url, "--want", "honey.wsnap"]);
    assert!(again.stdout.contains("is up to date"), "{}", again.stdout);
    // What the server refuses is said as the server says it.
    project.write("s.sql", "CREATE TABLE hives (id integer DEFAULT 'x'::integer);\n");
    let refused = project.expect(1, &["build", "--scratch", &scratch]);
    assert!(
        refused.stderr.contains("PostgreSQL refuses table public.hives: invalid input syntax for type integer"),
        "{}",
        refused.stderr
    );
}

/// All that a scratch server refuses, each at its place, and not what only follows from it.
#[test]
fn a_scratch_server_shows_all_errors_at_their_places() {
    for age in AGES {
        let (project, database) = (project(&[]), Server::of(age).database());
        project.write(
            "wevrun.toml",
            "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n\
             scratch = \"${WEVRUN_TEST_SCRATCH}\"\n",
        );
        project.write(
            "s.sql",
            "CREATE TABLE hives (\n  id integer PRIMARY KEY,\n  born date DEFAULT '2024-13-01'\n);\n\
             CREATE TABLE combs (hive integer REFERENCES hives);\n\
             CREATE TABLE sites (id integer, spot point, name text);\n\
             CREATE INDEX site_spots ON sites (spot);\n\
             CREATE VIEW near AS\n  SELECT name\n  FROM sites WHERE id @@@ 3;\n\
             CREATE VIEW nearer AS SELECT name FROM near;\n",
        );
        let build = || {
            let mut command = project.command(&["build"]);
            command.env("WEVRUN_TEST_SCRATCH", database.url());
            project.run_command(command)
        };
        let told = build();
        assert_eq!(told.status, 1, "{}", told.stdout);
        for (message, place) in [
            ("table public.hives: date/time field value out of range: \"2024-13-01\"", "s.sql:"),
            ("index public.site_spots: data type point has no default operator class", "s.sql:7"),
            ("view public.near: operator does not exist: integer @@@ integer", "s.sql:10:23"),
        ] {
            let found = told.stderr.split("error").find(|error| error.contains(message));
            assert!(found.is_some_and(|found| found.contains(place)), "{message}: {}", told.stderr);
        }
        assert_eq!(told.stderr.matches("PostgreSQL refuses").count(), 3, "{}", told.stderr);
        // Bodies, when everything is there that they may name.
        project.write(
            "s.sql",
            "CREATE FUNCTION later() RETURNS bigint LANGUAGE sql AS 'SELECT count(*) FROM hives';\n\
             CREATE FUNCTION wrong() RETURNS bigint LANGUAGE sql AS $$\n  SELECT count(*) FROM hivez\n$$;\n\
             CREATE FUNCTION worse() RETURNS int LANGUAGE plpgsql AS $$\nBEGIN\n  RETURN 1 +;\nEND $$;\n\
             CREATE TABLE hives (id integer);\n",
        );
        let told = build();
        assert!(told.stderr.contains("function public.wrong(): relation \"hivez\" does not exist"), "{}", told.stderr);
        assert!(told.stderr.contains("s.sql:3:"), "{}", told.stderr);
        assert!(told.stderr.contains("function public.worse(): syntax error at end of input"), "{}", told.stderr);
        assert_eq!(told.stderr.matches("PostgreSQL refuses").count(), 2, "{}", told.stderr);
        let settings = project.read("wevrun.toml").replace("scratch =", "tolerate = [\"WV200\"]\nscratch =");
        project.write("wevrun.toml", settings);
        let told = build();
        assert_eq!((told.status, told.stderr.matches("warning[WV200]").count()), (0, 2), "{}", told.stderr);
        let unset = project.expect(1, &["build"]);
        assert!(unset.stderr.contains("WEVRUN_TEST_SCRATCH is not set"), "{}", unset.stderr);
    }
}

/// Owners and grants count when that is asked for, and not before.
#[test]
fn owners_and_grants_count_when_asked() {
    for age in AGES {
        let (project, database) = (project(&[]), Server::of(age).database());
        let (url, role) = (database.url(), format!("cli_reader_{}", age as u8));
        let source = format!(
            "CREATE TABLE hives (id integer, note text);\nGRANT ALL ON hives TO {role};\nGRANT SELECT (id) ON hives TO public;\n\
             CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 1';\nREVOKE EXECUTE ON FUNCTION f() FROM public;\n"
        );
        database.psql(&format!("CREATE ROLE {role};\n{source}")).expect("made");
        project.write("honey.sql", &source);
        let sides = ["compare", "--engine", "postgres", "--want", "honey.sql", "--have", &url];
        let asked = |status: i32| project.expect(status, &[&sides[..], &["--mind", "access"]].concat()).stdout;
        assert!(asked(0).contains("Identical: 2 objects match want."));
        database
            .psql(&format!("REVOKE DELETE ON hives FROM {role}; GRANT EXECUTE ON FUNCTION f() TO public"))
            .expect("done");
        project.expect(0, &sides);
        let told = asked(3);
        assert!(told.contains(&format!("privileges of {role}: insert, ")) && told.contains("→ all"), "{told}");
        assert!(told.contains("privileges of public added: nothing"), "{told}");
        project.expect(0, &["adopt", &url, "--into", "adopted", "--mind", "access"]);
        let hives = fs::read_to_string(project.file("adopted/schema/public/tables/hives.sql")).expect("written");
        assert!(hives.contains(&format!("GRANT INSERT ON TABLE public.hives TO {role};\n")), "{hives}");
        assert!(hives.contains("GRANT SELECT (id) ON TABLE public.hives TO public;\n"), "{hives}");
        project.expect(0, &["-C", "adopted", "compare", &url, "--mind", "access"]);
        database.psql(&format!("DROP OWNED BY {role}; DROP ROLE {role}")).expect("gone");
    }
}

/// `\i` and `\ir` are followed from the file that names them; what is not there is named with its line.
#[test]
fn included_files_are_read() {
    let project = project(&[]);
    project.write("all.sql", "\\set x 1\n\\i parts/hives.sql\nALTER TABLE hives ADD note text;\n");
    project.write("parts/hives.sql", "CREATE TABLE hives (id integer);\n\\ir jars.sql\n\\ir hives.sql\n");
    project.write("parts/jars.sql", "CREATE TABLE jars (id integer);\n");
    let compare = ["compare", "--engine", "postgres", "--have", "empty", "--want", "all.sql", "--details"];
    let run = project.expect(3, &compare);
    assert!(run.stdout.contains("create 2") && run.stdout.contains("note text"), "{}", run.stdout);
    project.write("parts/jars.sql", "-- nothing\n\\i gone.sql\n");
    let run = project.expect(1, &compare);
    assert!(run.stderr.contains("parts/jars.sql:2: the included file `gone.sql` does not exist"), "{}", run.stderr);
}

/// A script for a newer server is not run on an older one.
#[test]
fn an_older_server_is_not_deployed_to() {
    let (project, database) = (project(&[]), Server::of(Age::Packaged).database());
    let url = database.url();
    let settings = |version: &str| {
        format!(
            "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"{version}\"\nsource = [\"s.sql\"]\n"
        )
    };
    project.write("wevrun.toml", settings("99"));
    project.write("s.sql", "CREATE TABLE hives (id integer);\n");
    let refused = project.expect(1, &["deploy", &url]);
    assert!(refused.stderr.contains("the script is for 99.0 or later; nothing was changed"), "{}", refused.stderr);
    assert!(refused.stderr.contains("set engine-version"), "{}", refused.stderr);
    project.write("wevrun.toml", settings("13"));
    project.expect(0, &["deploy", &url]);
}

/// Columns are put in order only when that is asked for, and where it can't be done a warning says why.
#[test]
fn columns_are_put_in_order_when_asked() {
    let (project, database) = (project(&[]), Server::of(Age::Packaged).database());
    let url = database.url();
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write(
        "s.sql",
        "CREATE TABLE hives (label text, id integer PRIMARY KEY);\n\
         CREATE TABLE lots (made date, id integer) PARTITION BY RANGE (made);\n",
    );
    let made = "CREATE TABLE hives (id integer PRIMARY KEY, label text); INSERT INTO hives VALUES (1, 'a'), (2, NULL);
        CREATE TABLE lots (id integer, made date) PARTITION BY RANGE (made);";
    database.psql(made).expect("made");
    let nothing = project.expect(0, &["script", &url]);
    assert!(nothing.stdout.contains("there is nothing to do"), "{}", nothing.stdout);
    let run = project.expect(0, &["deploy", &url, "--mind", "column-order"]);
    let why = "warning: the columns of public.lots keep their order: it is partitioned or a partition";
    assert!(run.stderr.contains(why), "{}", run.stderr);
    assert!(run.stdout.contains("move the rows of table public.hives"), "{}", run.stdout);
    assert_eq!(database.psql("SELECT * FROM hives ORDER BY id").expect("rows").trim(), "a|1\n|2");
    let again = project.expect(0, &["deploy", &url, "--mind", "column-order"]);
    assert!(again.stdout.contains("is up to date"), "{}", again.stdout);
}

/// A password in the source goes nowhere: not into the snapshot, a script or a report.
#[test]
fn a_password_in_the_source_is_kept_nowhere() {
    let project = project(&[]);
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write(
        "s.sql",
        "CREATE FOREIGN DATA WRAPPER w;\nCREATE SERVER hills FOREIGN DATA WRAPPER w OPTIONS (host 'hills.example', password 'n3ctar');\n\
         CREATE USER MAPPING FOR public SERVER hills OPTIONS (\"user\" 'ida', password 'n3ctar');\n\
         CREATE SUBSCRIPTION from_the_hills CONNECTION 'host=hills.example password=n3ctar' PUBLICATION visits \
         WITH (connect = false);\n",
    );
    project.expect(0, &["build", "--out", "honey.wsnap"]);
    let snapshot = std::fs::read_to_string(project.path().join("honey.wsnap")).expect("a text");
    assert!(snapshot.contains("hills.example") && !snapshot.contains("n3ctar"), "{snapshot}");
    for command in [
        &["script", "--have", "empty"][..],
        &["compare", "--have", "empty", "--details"],
        &["compare", "--have", "empty", "--format", "json"],
    ] {
        let run = project.run(command);
        assert!(run.stdout.contains("hills") && !run.stdout.contains("n3ctar"), "{}", run.stdout);
    }
}

/// An index build that fails leaves the rest done; the same script goes on when the reason is gone.
#[test]
fn index_builds_beside_other_writers_can_go_on() {
    let (project, database) = (project(&[]), Server::of(Age::Packaged).database());
    let url = database.url();
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write("s.sql", "CREATE TABLE lots (id integer, label text);\nCREATE UNIQUE INDEX lots_id ON lots (id);\n");
    database.psql("CREATE TABLE lots (id integer); INSERT INTO lots VALUES (1), (1)").expect("made");
    let made = project.expect(0, &["script", &url, "--index-builds", "concurrent", "--out", "s.sql.out"]);
    assert!(made.stderr.contains("2 steps in 2 parts, so not one transaction"), "{}", made.stderr);
    let failed = project.expect(1, &["deploy", "s.sql.out", &url]);
    let words = "The first of 2 parts is done, and stays; an index that was not finished is left invalid";
    assert!(
        failed.stderr.contains("could not create unique index") && failed.stderr.contains(words),
        "{}",
        failed.stderr
    );
    let there = project.expect(3, &["compare", &url]);
    assert!(there.stdout.contains("invalid removed: its build failed"), "{}", there.stdout);
    database.psql("DELETE FROM lots WHERE ctid = '(0,1)'").expect("one of two");
    let done = project.expect(0, &["deploy", "s.sql.out", &url]);
    assert!(done.stdout.contains("continuing with part 2 of 2"), "{}", done.stdout);
    project.expect(0, &["compare", &url]);
    let usage = project.expect(2, &["deploy", "s.sql.out", &url, "--index-builds", "concurrent"]);
    assert!(usage.stderr.contains("the options were chosen when the script was made"), "{}", usage.stderr);
    let sqlite = project.expect(
        2,
        &["script", "--engine", "sqlite", "--have", "empty", "--want", "empty", "--index-builds", "concurrent"],
    );
    assert!(sqlite.stderr.contains("builds no index while others write"), "{}", sqlite.stderr);
}

/// What a DO block names is neither dropped nor changed, and every command says so.
#[test]
fn what_code_in_the_source_names_is_left_alone() {
    let server = Server::of(AGES[0]);
    let (project, database) = (in_postgres(), server.database());
    let tables =
        "CREATE TABLE hives (id integer PRIMARY KEY, site integer);\nCREATE TABLE sites (id integer PRIMARY KEY);\n";
    let block = "DO $$ BEGIN EXECUTE 'ALTER TABLE hives ADD CONSTRAINT hives_site FOREIGN KEY (site) REFERENCES sites'; END $$;\n";
    project.write("s.sql", format!("{tables}{block}"));
    database.psql(&format!("{tables}{block}CREATE INDEX by_hand ON hives (site)")).expect("made");
    let url = database.url();
    let compared = project.expect(3, &["compare", &url]);
    assert!(compared.stdout.contains("index         public.by_hand"), "{}", compared.stdout);
    assert!(
        compared.stderr.contains("WV011") && compared.stderr.contains("foreign key hives_site"),
        "{}",
        compared.stderr
    );
    database.psql("DROP INDEX by_hand").expect("dropped");
    let json = project.expect(0, &["compare", &url, "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(&json.stdout).expect("one document");
    assert!(json["identical"] == false && json["unproven"].to_string().contains("hives"), "{json}");
    assert!(json["diagnostics"].to_string().contains("WV011"), "{json}");
    // From the source, and from a snapshot of it.
    project.expect(0, &["build", "--out", "s.wsnap"]);
    for want in [&[][..], &["--want", "s.wsnap"]] {
        let script = project.expect(0, &[&["script", &url][..], want].concat());
        assert!(script.stdout.contains("there is nothing to do"), "{}", script.stdout);
    }
    let deployed = project.expect(0, &["deploy", &url]);
    assert!(deployed.stderr.contains("WV011"), "{}", deployed.stderr);
    let keys = database.psql("SELECT count(*) FROM pg_constraint WHERE conname = 'hives_site'").expect("a number");
    assert_eq!(keys.trim(), "1");
}

/// Only options that are known to hold no secret are shown.
#[test]
fn options_that_may_be_secrets_are_shown_nowhere() {
    let project = in_postgres();
    project.write(
        "s.sql",
        "CREATE FOREIGN DATA WRAPPER w;\n\
         CREATE SERVER s FOREIGN DATA WRAPPER w OPTIONS (host 'db', api_token 'SECRET1', access_key 'SECRET2', key 'SECRET7', datasource 'SECRET8');\n\
         CREATE USER MAPPING FOR CURRENT_USER SERVER s OPTIONS (user 'bee', pwd 'SECRET3');\n\
         CREATE FOREIGN TABLE f (id integer OPTIONS (column_name 'x', salt 'SECRET4')) SERVER s OPTIONS (token 'SECRET5');\n\
         ALTER SERVER s OPTIONS (ADD sas 'SECRET6', SET host 'db2');\n",
    );
    let built = project.expect(0, &["build", "--out", "s.wsnap"]);
    assert_eq!(built.stderr.matches("may be a secret").count(), 7, "{}", built.stderr);
    let script = project.expect(0, &["script", "--have", "empty"]);
    for text in [&project.read("s.wsnap"), &script.stdout] {
        assert!(!text.contains("SECRET") && text.contains("db2") && text.contains("bee"), "{text}");
    }
}

/// Without a file of certificates, those of the operating system count. Its place is said by a variable that OpenSSL reads too.
#[test]
fn the_certificates_of_the_operating_system_count() {
    let guarded = Guarded::start(Age::Packaged);
    let url = format!("postgres://postgres@localhost:{}/postgres?sslmode=verify-full", guarded.server.port);
    let project = project(&[]);
    for (certificates, status) in [("root.crt", 0), ("other.crt", 1)] {
        let mut command = project.command(&["compare", "--have", &url, "--want", &url]);
        command.env("SSL_CERT_FILE", guarded.file(certificates)).env_remove("SSL_CERT_DIR").env("HOME", project.path());
        let run = project.run_command(command);
        assert_eq!(run.status, status, "{certificates}: {}", run.stderr);
        assert!(status == 0 || run.stderr.contains("certificate"), "{}", run.stderr);
    }
}

#[test]
fn an_archive_is_a_side() {
    let (project, database) = (in_postgres(), Server::of(Age::Packaged).database());
    let schema =
        "CREATE TABLE hives (id integer PRIMARY KEY, label text);\nCREATE VIEW labels AS SELECT label FROM hives;\n";
    project.write("s.sql", schema);
    database.psql(&format!("{schema} INSERT INTO hives VALUES (1, 'CREATE TABLE nonsense (')")).expect("made");
    for format in ["custom", "directory", "tar"] {
        let file = format!("hives.{format}");
        database.archive(format, &project.file(&file));
        project.expect(0, &["compare", "--have", &file]);
        project.expect(0, &["snapshot", &file, "--out", "baseline.wsnap"]);
    }
    let whole = fs::read(project.file("hives.custom")).expect("it was written");
    for length in [6, 40, whole.len() / 2] {
        project.write("cut.dump", &whole[..length]);
        let run = project.run(&["compare", "--have", "cut.dump"]);
        // The definitions are before the rows: half of the file may have them all.
        assert!(run.status == 0 || run.status == 1 && run.stderr.contains("cut.dump can't be read"), "{}", run.stderr);
    }
}

/// A source without schemas is released to a schema of a tenant, and everything in it works there.
#[test]
fn a_source_goes_to_a_schema_of_another_name() {
    let source = "CREATE TABLE hives (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, label text);\n\
        CREATE TABLE logs (id serial PRIMARY KEY, hive int REFERENCES hives);\n\
        CREATE VIEW labels AS SELECT h.label FROM hives h JOIN logs l ON l.hive = h.id;\n\
        CREATE FUNCTION log_it() RETURNS trigger LANGUAGE plpgsql SET search_path TO public AS $$\n\
        BEGIN INSERT INTO public.logs (hive) VALUES (NEW.id); RETURN NEW; END $$;\n\
        CREATE TRIGGER logged AFTER INSERT ON hives FOR EACH ROW EXECUTE FUNCTION log_it();\n";
    for age in AGES {
        let (project, database) = (in_postgres(), Server::of(age).database());
        project.write("s.sql", source);
        let (url, map) =
            (database.url(), ["--map", "ten*=public", "--map", "tenant=public", "--map", "tenant_2=public"]);
        project.expect(0, &[&["deploy", &url][..], &map[2..4]].concat());
        project.expect(0, &["drift", &url]);
        project.expect(0, &[&["deploy", &url][..], &map[2..]].concat());
        project.expect(0, &[&["compare", &url][..], &map[..2]].concat());
        for schema in ["tenant", "tenant_2"] {
            database.psql(&format!("INSERT INTO {schema}.hives (label) VALUES ('{schema}')")).expect("a row");
            let label = database.psql(&format!("SELECT label FROM {schema}.labels")).expect("the view");
            assert_eq!(label.trim(), schema);
        }
    }
}
