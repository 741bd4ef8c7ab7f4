//! Names of a target that stand for other names of the source.

use super::{APIARIES, HIVES, by_hand, project};

const RULES: [&str; 4] = ["--map", "*:eu_*=*", "--map", "column:eu_hives.tag=hives.label"];

/// A project, and a database that calls everything otherwise.
fn with_prefix() -> wevrun_testkit::project::TestProject {
    let project = project(&[APIARIES, HIVES]);
    let source = format!("{}{}", APIARIES.1, HIVES.1);
    let copy = source.replace("apiaries", "eu_apiaries").replace("hives", "eu_hives").replace("label", "tag");
    by_hand(&project, "eu.db", &copy);
    project
}

#[test]
fn a_database_with_a_prefix_is_the_same() {
    let project = with_prefix();
    let sides = ["compare", "--have", "sqlite:eu.db"];
    let run = project.expect(0, &[&sides[..], &RULES[..]].concat());
    assert!(run.stdout.contains("want  source (2 names mapped)"), "{}", run.stdout);
    project.expect(3, &sides);
}

#[test]
fn a_script_has_the_names_of_the_target() {
    let project = with_prefix();
    project.write(
        "schema/scales.sql",
        "CREATE TABLE scales (id INTEGER PRIMARY KEY, hive INTEGER REFERENCES hives (id));\n",
    );
    let run = project.expect(0, &[&["script", "--have", "sqlite:eu.db"][..], &RULES[..]].concat());
    assert!(
        run.stdout.contains("CREATE TABLE eu_scales (") && run.stdout.contains("REFERENCES eu_hives (id)"),
        "{}",
        run.stdout
    );
    project.expect(0, &[&["deploy", "sqlite:eu.db"][..], &RULES[..]].concat());
    // The ledger has them too.
    project.expect(0, &["drift", "sqlite:eu.db"]);
    project.expect(0, &[&["compare", "--have", "sqlite:eu.db"][..], &RULES[..]].concat());
}

#[test]
fn a_project_maps_names_of_its_targets() {
    let project = with_prefix();
    let settings = project.read("wevrun.toml");
    let maps = "\n[targets.eu]\nurl = \"sqlite:eu.db\"\n\n[[map]]\nkind = \"*\"\nhave = \"eu_*\"\nwant = \"*\"\ntargets = [\"eu\"]\n\
                \n[[map]]\nkind = \"column\"\nhave = \"eu_hives.tag\"\nwant = \"hives.label\"\ntargets = [\"eu\"]\n";
    project.write("wevrun.toml", format!("{settings}{maps}"));
    project.expect(0, &["compare", "eu"]);
    // Other sides have the source's own names.
    project.expect(0, &["deploy", "--create", "test"]);
    project.expect(0, &["compare", "test"]);
    project.write("wevrun.toml", format!("{settings}{}", maps.replace("\"eu\"]", "\"us\"]")));
    let run = project.expect(1, &["compare", "eu"]);
    assert!(run.stderr.contains("there is no target `us` in wevrun.toml"), "{}", run.stderr);
}

#[test]
fn a_rule_that_fits_nothing_is_wrong_usage() {
    let project = with_prefix();
    for (rule, problem) in [
        ("eu=main", "`eu=main`: sqlite has no schemas; map tables like table:eu_hives=hives"),
        ("table:eu_*=x_*", "`table:eu_*=x_*`: want has no object like `x_*`"),
        (
            "table:hives",
            "`table:hives` has no `=`; write it like sales_eu=sales, table:eu_*=* or column:hives.grams=hives.weight",
        ),
        ("tabel:a=b", "there is no kind of object `tabel`"),
    ] {
        let run = project.expect(2, &["compare", "--have", "sqlite:eu.db", "--map", rule]);
        assert!(run.stderr.contains(problem), "{}", run.stderr);
    }
    // A script has its names already.
    project.expect(0, &["script", "--have", "empty", "--out", "all.sql"]);
    project.expect(2, &["deploy", "all.sql", "sqlite:eu.db", "--map", "table:eu_*=*"]);
}
