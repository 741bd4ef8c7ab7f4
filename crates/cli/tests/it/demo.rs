//! `wevrun demo`.

use wevrun_testkit::mariadb;
use wevrun_testkit::postgres::{AGES, Server};

use super::project;

#[test]
fn the_demo_goes_the_whole_way() {
    let project = project(&[]);
    let run = project.expect(0, &["demo", "demo"]);
    for line in [
        "$ wevrun build",
        "$ wevrun drift production",
        "2 differ from the release: added 1, changed 1; 14 match.",
        "blocked: 1 risk",
        "read back by a new connection and verified",
        "Identical: 18 objects match want.",
        "(exit status 5)",
    ] {
        assert!(run.stdout.contains(line), "{line} is missing in\n{}", run.stdout);
    }
    let hives = super::number(&project, "demo/production.db", "SELECT count(*) FROM hives WHERE weight_kg > 29");
    assert_eq!(hives, 4, "no row is lost");
    project.expect(1, &["demo", "demo"]);
    project.expect(0, &["-C", "demo", "compare", "production"]);
}

#[test]
fn the_demo_goes_the_whole_way_on_postgres() {
    for age in AGES {
        let database = Server::of(age).database();
        let (project, url) = (project(&[]), database.url());
        let run = project.expect(0, &["demo", "demo", "--engine", "postgres", "--url", &url]);
        for line in [
            "export HONEY_PRODUCTION_URL=postgres://",
            "2 differ from the release: added 1, changed 1; 9 match.",
            "blocked: 1 risk",
            "read back by a new connection and verified",
            "Identical: 15 objects match want.",
            "(exit status 5)",
        ] {
            assert!(run.stdout.contains(line), "{line} is missing in\n{}", run.stdout);
        }
        let hives = database.psql("SELECT count(*) FROM hives WHERE weight_kg > 29").expect("a number");
        assert_eq!(hives.trim(), "4", "no row is lost");
        let again = project.run(&["demo", "again", "--engine", "postgres", "--url", &url]);
        assert!(again.status == 1 && again.stderr.contains("is not empty"), "{}", again.stderr);
        // Adopted, its source is the same structure, and a dump is a side like any other.
        let adopted = project.expect(0, &["adopt", &url, "--into", "adopted"]);
        assert!(adopted.stdout.contains("builds to the same structure"), "{}", adopted.stdout);
        assert!(project.file("adopted/schema/public/tables/hives.sql").is_file());
        project.expect(0, &["-C", "adopted", "compare", &url]);
        std::fs::write(project.file("dump.sql"), database.dump()).expect("written");
        project.expect(0, &["compare", "--have", &url, "--want", "dump.sql"]);
        project.expect(2, &["demo", "none", "--engine", "postgres"]);
        std::fs::remove_dir_all(project.file("adopted")).expect("it is there");
    }
}

#[test]
fn the_demo_goes_the_whole_way_on_mariadb() {
    let database = mariadb::Server::usual().database();
    let (project, url) = (project(&[]), database.url());
    let run = project.expect(0, &["demo", "demo", "--engine", "mariadb", "--url", &url]);
    for line in [
        "export HONEY_PRODUCTION_URL=mariadb://",
        "2 differ from the release: added 1, changed 1; 9 match.",
        "blocked: 1 risk",
        "read back by a new connection and verified",
        "Identical: 13 objects match want.",
        "(exit status 5)",
    ] {
        assert!(run.stdout.contains(line), "{line} is missing in\n{}", run.stdout);
    }
    let hives = database.client("SELECT count(*) FROM hives WHERE weight_kg > 29").expect("a number");
    assert_eq!(hives.trim(), "4", "no row is lost");
    let again = project.run(&["demo", "again", "--engine", "mariadb", "--url", &url]);
    assert!(again.status == 1 && again.stderr.contains("is not empty"), "{}", again.stderr);
    // Adopted, its source is the same structure, and a dump is a side like any other.
    let adopted = project.expect(0, &["adopt", &url, "--into", "adopted"]);
    assert!(adopted.stdout.contains("builds to the same structure"), "{}", adopted.stdout);
    assert!(project.file("adopted/schema/tables/hives.sql").is_file());
    project.expect(0, &["-C", "adopted", "compare", &url]);
    std::fs::write(project.file("dump.sql"), database.dump()).expect("written");
    project.expect(0, &["compare", "--have", &url, "--want", "dump.sql"]);
    project.expect(2, &["demo", "none", "--engine", "mariadb"]);
    std::fs::remove_dir_all(project.file("adopted")).expect("it is there");
}
