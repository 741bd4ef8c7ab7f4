//! `wevrun demo`.

use super::project;

#[test]
fn the_demo_goes_the_whole_way() {
    let project = project(&[]);
    let run = project.expect(0, &["demo", "demo"]);
    for line in [
        "$ wevrun build",
        "$ wevrun drift production",
        "Drift: 1 added, 1 changed, 0 removed",
        "held back: 1 step",
        "read back and proven",
        "The same: 18 objects.",
        "(exit status 5)",
    ] {
        assert!(run.stdout.contains(line), "{line} is missing in\n{}", run.stdout);
    }
    let hives = super::number(&project, "demo/production.db", "SELECT count(*) FROM hives WHERE weight_kg > 29");
    assert_eq!(hives, 4, "no row is lost");
    project.expect(1, &["demo", "demo"]);
    project.expect(0, &["-C", "demo", "compare", "production"]);
}
