//! Scripts as text, and back.

use proptest::prelude::*;
use wevrun_core::compare::compare;
use wevrun_core::plan::{self, Evidence, Wishes};
use wevrun_core::script::{Script, ScriptError, read, write};

use super::{VERSION, model, sqlite};

fn script(have: &str, want: &str) -> Script {
    let (have, want) = (model(have), model(want));
    let comparison = compare(sqlite(), &have, &want);
    plan::script(sqlite(), "honey", (&have, &want), &comparison, Wishes::default(), VERSION, &Evidence::default())
}

/// Every statement of a script, as it is run.
fn statements(script: &Script) -> Vec<String> {
    let steps = script.plan.steps().flat_map(|step| step.statements.clone());
    let part = &script.plan.parts[0];
    let all = part.opening.iter().cloned().chain(steps).chain(part.closing.iter().cloned());
    all.filter(|statement| !statement.starts_with('.')).collect()
}

const HOSTILE: &str = "CREATE TABLE \"a\n-- step 1 of 9: x [no risk]\n\" (x TEXT DEFAULT '-- end of steps', -- step 2 of 9: y\n\
                       \"; COMMIT; --\" TEXT /* -- end of steps */);\n\
                       CREATE TRIGGER t AFTER INSERT ON \"a\n-- step 1 of 9: x [no risk]\n\" BEGIN SELECT ';'; -- end of steps\nEND;";

#[test]
fn what_is_written_is_read_back() {
    let mut written = script(
        "CREATE TABLE gone (x); CREATE TABLE kept (a, b)",
        &format!("CREATE TABLE kept (a CHECK (a > 0)); {HOSTILE}"),
    );
    written.clear(&[], "2026-11-23");
    let back = read(&write(&written)).expect("it was written a moment ago");
    assert_eq!(statements(&back), statements(&written));
    assert_eq!((&back.have, &back.want, &back.project), (&written.have, &written.want, &written.project));
    let titles = |script: &Script| script.plan.steps().map(|step| step.title.replace('\n', " ")).collect::<Vec<_>>();
    assert_eq!(titles(&back), titles(&written));
    for (one, other) in back.plan.steps().zip(written.plan.steps()) {
        assert_eq!(
            one.risks.iter().map(|r| r.kind).collect::<Vec<_>>(),
            other.risks.iter().map(|r| r.kind).collect::<Vec<_>>()
        );
        assert_eq!(one.risks.iter().any(|r| r.holds_back()), other.risks.iter().any(|r| r.holds_back()));
    }
}

#[test]
fn nothing_to_do_is_a_script_too() {
    let text = write(&script("CREATE TABLE a (x)", "CREATE TABLE a (x)"));
    assert!(text.contains("-- steps: 0") && text.contains("there is nothing to do"), "{text}");
    assert!(read(&text).expect("a script").is_empty());
}

#[test]
fn what_is_no_script_is_refused_with_the_reason() {
    let text = write(&script("", "CREATE TABLE a (x); CREATE TABLE b (y)"));
    let refused = |text: &str| read(text).err().map(|error| error.to_string()).unwrap_or_default();
    assert!(matches!(read("CREATE TABLE a (x);"), Err(ScriptError::Foreign)));
    assert!(refused(&text.replace("-- want: ", "-- wished: ")).contains("-- want: …"));
    assert!(refused(&text.replace("-- have: ", "-- have: zz")).contains("64 hexadecimal digits"));
    assert!(refused(&text.replace("-- steps: 2", "-- steps: two")).contains("not a number"));
    assert!(refused(&text.replace("-- step 2 of 2: ", "-- ")).contains("2 steps, but 1 are there"));
    assert!(refused(&text.replace("engine: sqlite", "engine: other")).contains("no engine `other`"));
    assert!(refused(&format!("{text}SELECT 'open;")).contains("can't be read"));
}

proptest! {
    /// However a script is cut off, it is refused or whole: never read as a shorter one.
    #[test]
    fn a_script_that_was_cut_off_is_never_taken_for_a_shorter_one(share in 0.0f64..1.0) {
        let text = write(&script("", "CREATE TABLE a (x); CREATE TABLE b (y); CREATE VIEW v AS SELECT 1"));
        let end = text.floor_char_boundary((text.len() as f64 * share) as usize);
        if let Ok(script) = read(&text[..end]) {
            prop_assert_eq!(script.plan.steps().count(), 3);
        }
    }
}
