//! What is not the project's: other people's objects, and what somebody made by hand.

use wevrun_testkit::client;
use wevrun_testkit::postgres::{AGES, Server};
use wevrun_testkit::project::TestProject;

use super::{APIARIES, HIVES, by_hand, number, project};

const REPORTS: &str = "CREATE TABLE audit_log (at TEXT); CREATE VIEW report AS SELECT name FROM apiaries;\
                       CREATE INDEX audit_by_time ON audit_log (at)";

fn waive(project: &TestProject, risk: &str, object: &str) {
    let waiver =
        format!("[[waiver]]\nrisk = \"{risk}\"\nobject = \"{object}\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n");
    project.write("waivers.toml", waiver);
}

fn there(project: &TestProject, name: &str) -> bool {
    number(project, "test.db", &format!("SELECT count(*) FROM sqlite_schema WHERE name = '{name}'")) == 1
}

#[test]
fn without_a_ledger_nothing_unknown_is_removed() {
    let project = project(&[APIARIES]);
    by_hand(&project, "test.db", &format!("{}; {REPORTS}", APIARIES.1));
    let held = project.expect(4, &["script", "test"]);
    for object in ["removes-unknown on table audit_log", "removes-unknown on view report"] {
        assert!(held.stderr.contains(object), "{}", held.stderr);
    }
    assert!(!held.stderr.contains("index audit_by_time"), "it is removed with its table: {}", held.stderr);
    assert!(held.stderr.contains("`ignores` in wevrun.toml"), "{}", held.stderr);
    project.expect(4, &["deploy", "test"]);
    assert!(there(&project, "report"));
    waive(&project, "removes-unknown", "*");
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    assert!(project.read("next.sql").contains("-- | ownership no-ledger"));
    project.expect(0, &["deploy", "next.sql", "test"]);
    assert!(!there(&project, "report"));
}

#[test]
fn what_was_made_by_hand_since_the_release_is_not_undone_without_a_waiver() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", REPORTS);
    by_hand(&project, "test.db", "DROP INDEX hives_by_apiary; CREATE INDEX hives_by_apiary ON hives (label)");
    let held = project.expect(4, &["deploy", "test"]);
    for object in
        ["undoes-drift on table audit_log", "undoes-drift on view report", "undoes-drift on index hives_by_apiary"]
    {
        assert!(held.stderr.contains(object), "{}", held.stderr);
    }
    // What was released and is in the source no more is removed without a question.
    waive(&project, "undoes-drift", "view rep?rt");
    let held = project.expect(4, &["deploy", "test"]);
    assert!(!held.stderr.contains("view report") && held.stderr.contains("table audit_log"), "{}", held.stderr);
    waive(&project, "undoes-drift", "*");
    project.expect(0, &["deploy", "test"]);
    project.write(HIVES.0, HIVES.1.split_once("CREATE INDEX").expect("an index").0);
    std::fs::remove_file(project.file("waivers.toml")).expect("it is there");
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn what_is_not_managed_is_not_compared_or_changed() {
    let project = project(&[APIARIES, HIVES]);
    let settings = project.read("wevrun.toml");
    let with =
        |lines: &str| project.write("wevrun.toml", settings.replacen("source =", &format!("{lines}\nsource ="), 1));
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", REPORTS);
    with("ignores = [\"table:AUDIT_*\", \"view:*\"]");
    let same = project.expect(0, &["compare", "test"]);
    assert!(same.stdout.contains("Not compared: 3 objects that the project does not manage."), "{}", same.stdout);
    project.expect(0, &["drift", "test"]);
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "paint_colour TEXT CHECK (paint_colour <> '')"));
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    // Others may do with theirs what they like, meanwhile too.
    by_hand(&project, "test.db", "DROP VIEW report; CREATE VIEW report AS SELECT 1; CREATE VIEW another AS SELECT 2");
    project.expect(0, &["deploy", "next.sql", "test"]);
    assert!(there(&project, "report") && there(&project, "another") && there(&project, "audit_by_time"));
    project.expect(0, &["compare", "test"]);
    // A snapshot knows what is managed, without the project.
    project.expect(0, &["build"]);
    std::fs::rename(project.file("wevrun.toml"), project.file("away.toml")).expect("it is there");
    project.expect(0, &["compare", "sqlite:test.db", "--want", "honey.wsnap"]);
    project.expect(0, &["deploy", "sqlite:test.db", "--want", "honey.wsnap"]);
    std::fs::rename(project.file("away.toml"), project.file("wevrun.toml")).expect("it is there");
    with("manages = [\"table:apiaries\"]");
    project.expect(0, &["deploy", "test"]);
    assert!(there(&project, "hives") && there(&project, "hives_by_apiary"));
    with("manages = [\"tabel:apiaries\"]");
    let wrong = project.expect(1, &["build"]);
    assert!(wrong.stderr.contains("no kind of object `tabel`"), "{}", wrong.stderr);
}

#[test]
fn what_is_removed_takes_nothing_along_that_is_not_managed() {
    let project = project(&[APIARIES, HIVES]);
    project
        .write("wevrun.toml", project.read("wevrun.toml").replacen("source =", "ignores = [\"view:*\"]\nsource =", 1));
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "CREATE VIEW report AS SELECT label FROM hives");
    std::fs::remove_file(project.file(HIVES.0)).expect("it is there");
    let held = project.expect(4, &["deploy", "test"]);
    assert!(held.stderr.contains("removes-unmanaged on view report"), "{}", held.stderr);
    assert!(held.stderr.contains("needs hives, which is removed"), "{}", held.stderr);
    waive(&project, "removes-unmanaged", "*");
    let refused = project.expect(1, &["deploy", "test"]);
    assert!(refused.stderr.contains("`removes-unmanaged` is no risk that a waiver can permit"), "{}", refused.stderr);
    assert!(there(&project, "hives"));
}

/// A view of another team is not dropped and created again for a change of ours.
#[test]
fn what_is_not_managed_is_not_created_again() {
    let server = Server::of(AGES[0]);
    let (project, database) = (project(&[]), server.database());
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\nmanages = [\"schema:public\"]\n",
    );
    project.write("s.sql", "CREATE TABLE hives (id integer PRIMARY KEY, label varchar(20), note text);\n");
    project.expect(0, &["deploy", &database.url()]);
    database.psql("CREATE SCHEMA other; CREATE VIEW other.report AS SELECT id, label FROM hives").expect("made");
    project.write("s.sql", "CREATE TABLE hives (id integer PRIMARY KEY, label varchar(50), note text);\n");
    let held = project.expect(4, &["deploy", &database.url()]);
    assert!(held.stderr.contains("removes-unmanaged on view other.report"), "{}", held.stderr);
    // What does not touch it is released.
    project
        .write("s.sql", "CREATE TABLE hives (id integer PRIMARY KEY, label varchar(20), note text, weight integer);\n");
    project.expect(0, &["deploy", &database.url()]);
    let same = project.expect(0, &["compare", &database.url()]);
    assert!(same.stdout.contains("Not compared: 2 objects"), "{}", same.stdout);
}

#[test]
fn between_two_bare_sides_nobody_knows_whose_it_is() {
    let project = project(&[]);
    project.write("have.sql", APIARIES.1);
    project.write("want.sql", "CREATE TABLE other (x);\n");
    let run = project.expect(4, &["script", "--have", "have.sql", "--want", "want.sql"]);
    assert!(!run.stderr.contains("removes-unknown"), "{}", run.stderr);
    waive(&project, "loses-table", "*");
    let run = project.expect(0, &["script", "--have", "have.sql", "--want", "want.sql"]);
    assert!(run.stdout.contains("-- | ownership unknown"), "{}", run.stdout);
}

/// What a client would lose without a word: a column, an index, a trigger that came by hand after the script was written.
#[test]
fn the_client_stops_where_the_structure_is_another() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "paint_colour TEXT CHECK (paint_colour <> '')"));
    project.expect(0, &["script", "test", "--out", "exact.sql"]);
    project.expect(0, &["build", "--out", "next.wsnap"]);
    project.write(HIVES.0, HIVES.1);
    project.expect(0, &["build", "--out", "now.wsnap"]);
    project.expect(0, &["script", "--have", "now.wsnap", "--want", "next.wsnap", "--out", "by_name.sql"]);
    let by_name = [
        "ALTER TABLE hives ADD COLUMN note TEXT",
        "CREATE INDEX by_label ON hives (label)",
        "CREATE TRIGGER t AFTER INSERT ON hives BEGIN SELECT 1; END",
        "DROP INDEX hives_by_apiary",
    ];
    let exact = ["DROP INDEX hives_by_apiary; CREATE INDEX hives_by_apiary ON hives (label)"];
    for (script, changes) in [("by_name.sql", &by_name[..]), ("exact.sql", &by_name[..]), ("exact.sql", &exact[..])] {
        for change in changes {
            std::fs::copy(project.file("test.db"), project.file("production.db")).expect("a copy");
            by_hand(&project, "production.db", change);
            let before = std::fs::read(project.file("production.db")).expect("a file");
            let run = client::sqlite3(&project.file("production.db"), &project.read(script));
            let said = String::from_utf8_lossy(&run.stderr).into_owned();
            assert!(!run.status.success() && said.contains("structure_is_another"), "{script}, {change}: {said}");
            assert_eq!(std::fs::read(project.file("production.db")).expect("a file"), before, "{script}, {change}");
        }
    }
    for script in ["by_name.sql", "exact.sql"] {
        std::fs::copy(project.file("test.db"), project.file("production.db")).expect("a copy");
        let run = client::sqlite3(&project.file("production.db"), &project.read(script));
        assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
        let same = project.expect(0, &["compare", "production", "--want", "next.wsnap"]);
        assert!(same.stdout.contains("Identical"), "{}", same.stdout);
    }
}

#[test]
fn the_client_stops_on_postgres_too() {
    const HIVES: &str = "CREATE TABLE hives (id integer PRIMARY KEY, label text);\n";
    for age in AGES {
        let project = project(&[]);
        project.write(
            "wevrun.toml",
            "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
        );
        let changes = [
            "ALTER TABLE hives ADD note text",
            "CREATE INDEX by_label ON hives (label)",
            "CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN new; END';\
             CREATE TRIGGER t BEFORE INSERT ON hives FOR EACH ROW EXECUTE FUNCTION f()",
            "CREATE POLICY mine ON hives USING (true)",
            "ALTER TABLE hives ALTER label SET NOT NULL",
            "ALTER TABLE hives ADD CHECK (label <> '')",
        ];
        for (at, change) in changes.into_iter().enumerate() {
            let database = Server::of(age).database();
            project.write("s.sql", HIVES);
            project.expect(0, &["deploy", &database.url()]);
            project.expect(0, &["build", "--out", "now.wsnap"]);
            project.write("s.sql", HIVES.replace("label text", "label varchar(80)"));
            project.expect(0, &["build", "--out", "next.wsnap"]);
            project.write(
                "waivers.toml",
                "[[waiver]]\nrisk = \"changes-values\"\nobject = \"*\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n",
            );
            project.expect(0, &["script", &database.url(), "--out", "exact.sql"]);
            project.expect(0, &["script", "--have", "now.wsnap", "--want", "next.wsnap", "--out", "by_name.sql"]);
            database.psql(change).expect("it can be done");
            let before = database.structure();
            let scripts = if at < 4 { &["exact.sql", "by_name.sql"][..] } else { &["exact.sql"][..] };
            for script in scripts {
                let said = database.psql(&project.read(script)).expect_err("it stops");
                assert!(said.contains("wevrun: the structure is not the one"), "{age:?}, {script}, {change}: {said}");
                assert_eq!(database.structure(), before, "{script}, {change}");
            }
        }
        for script in ["exact.sql", "by_name.sql"] {
            let database = Server::of(age).database();
            database.psql(HIVES).expect("a table");
            database.psql(&project.read(script)).unwrap_or_else(|words| panic!("{age:?}, {script}: {words}"));
            project.expect(0, &["compare", &database.url()]);
        }
    }
}

#[test]
fn a_role_that_may_not_read_the_ledger_is_told_what_it_needs() {
    let server = Server::of(AGES[0]);
    let (project, database) = (project(&[]), server.database());
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write("s.sql", "CREATE TABLE hives (id integer PRIMARY KEY);\n");
    project.expect(0, &["deploy", &database.url()]);
    let role = format!("reader_of_{}", database.name);
    database.psql(&format!("CREATE ROLE {role} LOGIN")).expect("a role");
    let url = database.url().replace("postgres@", &format!("{role}@"));
    let run = project.expect(1, &["drift", &url]);
    assert!(
        run.stderr.contains("GRANT USAGE ON SCHEMA wevrun") && run.stderr.contains("GRANT SELECT ON wevrun.ledger"),
        "{}",
        run.stderr
    );
    project.expect(0, &["drift", &url, "--against", "."]);
    project.write("s.sql", "CREATE TABLE other (id integer PRIMARY KEY);\n");
    let run = project.expect(4, &["script", &url]);
    assert!(
        run.stderr.contains("as without a ledger") && run.stderr.contains("removes-unknown on table public.hives"),
        "{}",
        run.stderr
    );
    database
        .psql(&format!("GRANT USAGE ON SCHEMA wevrun TO {role}; GRANT SELECT ON wevrun.ledger TO {role}"))
        .expect("granted");
    project.expect(0, &["drift", &url]);
    database.psql(&format!("DROP OWNED BY {role}; DROP ROLE {role}")).expect("dropped");
}

#[test]
fn a_role_releases_with_the_rights_that_the_help_names() {
    let server = Server::of(AGES[0]);
    let (project, database) = (project(&[]), server.database());
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"postgres\"\nengine-version = \"13\"\nsource = [\"s.sql\"]\n",
    );
    project.write("s.sql", "CREATE SCHEMA s;\nCREATE TABLE s.hives (id integer PRIMARY KEY);\n");
    let role = format!("releaser_of_{}", database.name);
    database.psql(&format!("CREATE ROLE {role} LOGIN; CREATE SCHEMA s AUTHORIZATION {role}")).expect("a role");
    let url = database.url().replace("postgres@", &format!("{role}@"));
    let before = database.structure();
    let run = project.expect(1, &["deploy", &url]);
    assert!(
        run.stderr.contains("Nothing was changed") && run.stderr.contains("GRANT CREATE ON DATABASE"),
        "{}",
        run.stderr
    );
    assert_eq!(database.structure(), before);
    // Another role made the ledger.
    project.expect(0, &["deploy", &database.url()]);
    project.write(
        "s.sql",
        "CREATE SCHEMA s;\nCREATE TABLE s.hives (id integer PRIMARY KEY);\nCREATE TABLE s.frames (id integer);\n",
    );
    database
        .psql(&format!("GRANT USAGE ON SCHEMA wevrun TO {role}; GRANT SELECT, INSERT ON wevrun.ledger TO {role}"))
        .expect("granted");
    let run = project.expect(1, &["deploy", &url]);
    assert!(run.stderr.contains("SELECT, INSERT and UPDATE on wevrun.ledger"), "{}", run.stderr);
    database.psql(&format!("GRANT UPDATE ON wevrun.ledger TO {role}")).expect("granted");
    project.expect(0, &["deploy", &url]);
    project.expect(0, &["drift", &url]);
    database.psql(&format!("DROP OWNED BY {role} CASCADE; DROP ROLE {role}")).expect("dropped");
}

#[test]
fn a_glob_that_matches_nothing_empties_no_database() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write("wevrun.toml", project.read("wevrun.toml").replace("schema/**/*.sql", "scheme/**/*.sql"));
    for arguments in [
        &["build"][..],
        &["compare", "test"],
        &["script", "test"],
        &["deploy", "test"],
        &["deploy", "--format", "json", "test"],
    ] {
        let run = project.expect(1, arguments);
        assert!(run.stderr.contains("the glob `scheme/**/*.sql` matches no file"), "{}", run.stderr);
    }
    assert!(there(&project, "apiaries"));
}

/// What a deployment is blocked by is on every view of the difference.
#[test]
fn all_views_of_a_difference_name_the_same_risks() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO apiaries VALUES (1, 'a'); INSERT INTO hives VALUES (1, 1, 'h', 'blue')");
    by_hand(&project, "test.db", "CREATE INDEX by_hand ON hives (label)");
    project.write(HIVES.0, HIVES.1.replace(",\n    paint_colour TEXT", ""));
    let risks = ["undoes-drift on index by_hand", "loses-column on column hives.paint_colour"];
    let held = project.expect(4, &["script", "test"]);
    project.expect(3, &["compare", "test", "--report", "page.html"]);
    let page = project.read("page.html");
    let details = ["index:by_hand", "table:hives"].map(|about| {
        let run = project.expect(3, &["compare", "test", "--details", about]);
        run.stdout
    });
    for risk in risks {
        let (kind, object) = risk.split_once(" on ").expect("two parts");
        assert!(held.stderr.contains(risk), "{}", held.stderr);
        assert!(page.contains(&format!("\"risk\":\"{kind}\",\"object\":\"{object}\"")), "{risk} is not on the page");
        assert!(details.iter().any(|text| text.contains(risk)), "{risk}: {}", details.join("\n"));
    }
    // A waiver counts in all of them.
    waive(&project, "undoes-drift", "index by_hand");
    let details = project.expect(3, &["compare", "test", "--details", "index:by_hand"]);
    assert!(!details.stdout.contains("undoes-drift"), "{}", details.stdout);
}
