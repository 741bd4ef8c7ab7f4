//! The forms in which comparisons and findings are written for other programs.

use serde_json::Value;
use wevrun_testkit::project::TestProject;

use super::{APIARIES, HIVES, by_hand, project};

/// Names and comments that would be markup if they were not escaped.
const HOSTILE: &str = "CREATE TABLE \"</summary><b>`|\"\"x\" (id INTEGER PRIMARY KEY, \"a,b\" TEXT DEFAULT '```\n</details>'); \
    CREATE TABLE \"=cmd()\" (\"x\ny\" TEXT DEFAULT 'it''s <&> \"quoted\"')";

fn with_differences() -> TestProject {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", HOSTILE);
    project.write(APIARIES.0, APIARIES.1.replace("UNIQUE", "UNIQUE,\n    village TEXT"));
    project
}

#[test]
fn a_table_has_a_row_for_each_difference() {
    let project = with_differences();
    let run = project.expect(3, &["compare", "test", "--format", "csv"]);
    let mut rows = csv::Reader::from_reader(run.stdout.as_bytes());
    let header: Vec<String> = rows.headers().expect("a header").iter().map(str::to_owned).collect();
    assert_eq!(header, ["change", "kind", "name", "part", "aspect", "detail", "have", "want"]);
    let rows: Vec<csv::StringRecord> = rows.records().map(|row| row.expect("a row of the same length")).collect();
    let names: Vec<String> = rows.iter().map(|row| format!("{} {}", &row[0], &row[2])).collect();
    assert_eq!(names, ["remove </summary><b>`|\"x", "remove =cmd()", "change apiaries"]);
    assert_eq!((&rows[2][3], &rows[2][4], &rows[2][7]), ("column village", "existence", "TEXT"));
    let run = project.expect(3, &["drift", "test", "--format", "csv"]);
    assert!(
        run.stdout.starts_with("change,kind,name,part,aspect,detail,released,live\r\nadded,table,"),
        "{}",
        run.stdout
    );
}

#[test]
fn a_pull_request_gets_a_page_that_no_name_breaks() {
    let project = with_differences();
    let page = project.expect(3, &["compare", "test", "--format", "markdown"]).stdout;
    assert!(page.starts_with("### `test` → `source`\n") && page.contains("| To remove | 2 |"), "{page}");
    assert!(page.contains("<summary>remove table &lt;/summary&gt;&lt;b&gt;`|\"x</summary>"), "{page}");
    // The fence is longer than the backticks in it.
    assert!(page.contains("\n````diff\n"), "{page}");
    assert_eq!(page.matches("<details>").count(), 3, "{page}");
    let many: String =
        (0..2000).map(|at| format!("CREATE TABLE t{at} (a TEXT DEFAULT '{}');\n", "ä".repeat(50))).collect();
    project.write("schema/many.sql", many);
    let page = project.expect(3, &["compare", "test", "--format", "markdown"]).stdout;
    assert!(page.chars().count() <= 60_000 && page.contains(" differences not shown here"), "{}", page.len());
}

#[test]
fn findings_and_drift_are_test_results() {
    let project = with_differences();
    let run = project.expect(3, &["drift", "test", "--format", "junit"]);
    assert!(run.stdout.contains("<testsuites tests=\"2\" failures=\"2\">"), "{}", run.stdout);
    assert!(run.stdout.contains("added table &lt;/summary&gt;&lt;b&gt;`|&quot;x"), "{}", run.stdout);
    let run = project.expect(0, &["build", "--format", "junit"]);
    assert!(run.stdout.contains("<testcase classname=\"build\" name=\"no findings\"/>"), "{}", run.stdout);
    project.write(HIVES.0, "CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary_id REFERENCES apiarys (id));\n");
    let run = project.expect(1, &["build", "--format", "junit"]);
    assert!(run.stdout.contains("type=\"WV110\"") && run.stdout.contains(&format!("{}:1:", HIVES.0)), "{}", run.stdout);
}

#[test]
fn findings_and_drift_are_analysis_results() {
    let project = with_differences();
    let results = |status: i32, arguments: &[&str]| -> Vec<Value> {
        let run = project.expect(status, arguments);
        let document: Value = serde_json::from_str(&run.stdout).expect("one document");
        assert_eq!(document["version"], "2.1.0");
        document["runs"][0]["results"].as_array().expect("a list").clone()
    };
    let drift = results(3, &["drift", "test", "--format", "sarif"]);
    assert_eq!(drift.len(), 2);
    assert_eq!(drift[1]["locations"][0]["logicalLocations"][0]["fullyQualifiedName"], "table =cmd()");
    assert_eq!(results(0, &["build", "--format", "sarif"]).len(), 0);
    project.write(HIVES.0, "CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary_id REFERENCES apiarys (id));\n");
    let found = results(1, &["build", "--format", "sarif"]);
    assert_eq!((&found[0]["ruleId"], &found[0]["level"]), (&Value::from("WV110"), &Value::from("error")));
    let place = &found[0]["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], HIVES.0);
    assert_eq!(place["region"]["startLine"], 1);
}

#[test]
fn differences_are_grouped_as_asked() {
    let project = with_differences();
    let run = project.expect(3, &["compare", "test", "--group", "kind"]);
    assert!(
        run.stdout.contains("\ntables (3)\n") && run.stdout.contains("  change  table         apiaries"),
        "{}",
        run.stdout
    );
    let run = project.expect(3, &["drift", "test", "--group", "schema"]);
    assert!(run.stdout.contains("\nno schema (2)\n  added   table"), "{}", run.stdout);
    let run = project.expect(2, &["script", "test", "--format", "csv"]);
    assert!(run.stderr.contains("[possible values: text, json]"), "{}", run.stderr);
}

#[test]
fn queries_are_compared_line_by_line() {
    let project = project(&[APIARIES, ("schema/v.sql", "CREATE VIEW names AS SELECT name FROM apiaries;\n")]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write("schema/v.sql", "CREATE VIEW names AS SELECT id, name FROM apiaries;\n");
    let run = project.expect(3, &["compare", "test"]);
    assert!(
        run.stdout.contains("query changed:\n") && run.stdout.contains("have │ SELECT name FROM apiaries"),
        "{}",
        run.stdout
    );
}
