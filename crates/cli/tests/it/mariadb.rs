//! The commands on a MariaDB server.

use wevrun_testkit::mariadb::Server;

use super::project;

const SETTINGS: &str = "[project]\nname = \"honey\"\nengine = \"mariadb\"\nengine-version = \"10.6\"\n";

const HIVES: (&str, &str) = (
    "schema/hives.sql",
    "CREATE TABLE hives (id int PRIMARY KEY, label varchar(20), weight int CHECK (weight > 0));\n\
     CREATE VIEW heavy AS SELECT h.id FROM hives h WHERE h.weight > 30;\n",
);

/// Somebody kills the deployment between two steps; the same script goes on.
#[test]
fn a_release_that_stops_halfway_goes_on() {
    let database = Server::usual().database();
    let project = project(&[("wevrun.toml", SETTINGS), HIVES]);
    let url = database.url();
    project.expect(0, &["deploy", &url]);
    database.client("INSERT INTO hives VALUES (1, 'L1', 40), (2, 'L2', 20)").expect("rows");
    std::fs::write(
        project.file("schema/hives.sql"),
        "CREATE TABLE hives (id int PRIMARY KEY, label varchar(30), weight int CHECK (weight > 0), tag int);\n\
         CREATE VIEW heavy AS SELECT h.id, h.tag FROM hives h WHERE h.weight > 35;\n\
         CREATE TABLE queens (id int PRIMARY KEY, hive int, FOREIGN KEY (hive) REFERENCES hives (id));\n",
    )
    .expect("written");
    let waiver = |risk: &str, object: &str| {
        format!(
            "[[waiver]]\nrisk = \"{risk}\"\nobject = \"{object}\"\nreason = \"it is tried\"\nuntil = \"2099-12-31\"\n"
        )
    };
    let waivers = waiver("loses-table", "table queens") + &waiver("loses-column", "column hives.tag");
    std::fs::write(project.file("waivers.toml"), waivers).expect("written");
    project.expect(0, &["script", &url, "--out", "release.sql", "--undo", "undo.sql"]);
    let script = std::fs::read_to_string(project.file("release.sql")).expect("it was written");
    assert!(script.contains("The engine commits every step by itself"), "{script}");
    // The engine's own client runs the first step, and is killed.
    let second = script.find("-- | step 2 ").expect("there are more steps");
    database.client(&script[..second]).expect("the first step");
    let run = project.expect(0, &["deploy", "release.sql", &url]);
    assert!(run.stdout.contains("1 of 4 steps are done already"), "{}", run.stdout);
    assert!(run.stderr.contains("commits each step by itself"), "{}", run.stderr);
    project.expect(0, &["compare", &url]);
    // Once more: it was released, and is not run again.
    project.expect(5, &["deploy", "release.sql", &url]);
    project.expect(0, &["deploy", "undo.sql", &url]);
    let rows = database.client("SELECT count(*) FROM hives").expect("a number");
    assert_eq!(rows.trim(), "2");
}

#[test]
fn what_a_user_may_not_see_is_said() {
    let database = Server::usual().database();
    database.client(&format!("{} CREATE PROCEDURE tell() SELECT 1;", HIVES.1)).expect("objects");
    let name = &database.name;
    let user = format!("ida_{}", std::process::id());
    let grant = format!(
        "CREATE USER {user}@localhost IDENTIFIED BY 'x'; GRANT SELECT, SHOW VIEW ON {name}.* TO {user}@localhost;"
    );
    database.client(&grant).expect("a user");
    let url = database.url().replace("root@", &format!("{user}:x@"));
    let project = project(&[("wevrun.toml", SETTINGS), HIVES]);
    let run = project.expect(1, &["compare", &url]);
    assert!(run.stderr.contains("may not see all triggers, events, routines"), "{}", run.stderr);
    let more = format!(
        "GRANT TRIGGER, EVENT ON {name}.* TO {user}@localhost; GRANT SELECT ON mysql.proc TO {user}@localhost;"
    );
    database.client(&more).expect("grants");
    let run = project.expect(3, &["compare", &url]);
    assert!(run.stdout.contains("tell"), "{}", run.stdout);
    let wrong = project.expect(1, &["compare", &url.replace(":x@", ":y@")]);
    assert!(wrong.stderr.contains("refused the login") && !wrong.stderr.contains(":y@"), "{}", wrong.stderr);
    database.client(&format!("DROP USER {user}@localhost")).expect("it goes");
}

/// Tables that say no character set have the one of the project's settings.
#[test]
fn settings_say_in_which_character_set_text_is() {
    let database = Server::usual().database_with("latin1", "latin1_swedish_ci");
    database.client(HIVES.1).expect("objects");
    let project = project(&[("wevrun.toml", SETTINGS), HIVES]);
    project.expect(3, &["compare", &database.url()]);
    std::fs::write(project.file("wevrun.toml"), format!("{SETTINGS}\n[mariadb]\ncharacter-set = \"latin1\"\n"))
        .expect("written");
    project.expect(0, &["compare", &database.url()]);
    for (setting, words) in [
        ("collation = \"klingon_ci\"", "no collation `klingon_ci`"),
        ("charset = \"latin1\"", "`charset` is no setting of MariaDB"),
    ] {
        std::fs::write(project.file("wevrun.toml"), format!("{SETTINGS}\n[mariadb]\n{setting}\n")).expect("written");
        let run = project.expect(1, &["build"]);
        assert!(run.stderr.contains(words), "{}", run.stderr);
    }
}

#[test]
fn mistakes_are_shown_at_their_place() {
    let project = project(&[("wevrun.toml", SETTINGS)]);
    for (source, words) in [
        ("CREATE TABLE a (id it);", "has the type `it`, which MariaDB does not have"),
        ("CREATE TABLE a (id int auto_increment);", "is not the first of a key"),
        ("CREATE TABLE a (id int); CREATE VIEW v AS SELECT nope FROM a;", "names column `nope`"),
        ("CREATE TRIGGER g BEFORE INSERT ON nosuch FOR EACH ROW SET @a = 1;", "uses table `nosuch`"),
        ("CREATE PROCEDURE p() BEGIN SELECT 1;", "is not closed"),
        ("CREATE TABLE a (order int);", "must be quoted in backticks"),
    ] {
        std::fs::create_dir_all(project.file("schema")).expect("a folder");
        std::fs::write(project.file("schema/a.sql"), source).expect("written");
        let run = project.expect(1, &["build"]);
        assert!(run.stderr.contains(words), "{source}: {}", run.stderr);
    }
}
