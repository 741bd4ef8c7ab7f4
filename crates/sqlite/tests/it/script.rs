//! Scripts as text, and back.

use proptest::prelude::*;
use wevrun_core::compare::compare;
use wevrun_core::engine::find_engine;
use wevrun_core::plan::{Evidence, PlanOptions, Risk};
use wevrun_core::script::{self, Client, Read, Script, ScriptError, make_script};
use wevrun_sqlite::SQLITE;

use super::{VERSION, model, sqlite};

fn script(have: &str, want: &str) -> Script {
    let (have, want) = (model(have), model(want));
    let comparison = compare(sqlite(), &have, &want);
    make_script(sqlite(), "honey", (&have, &want), &comparison, PlanOptions::default(), VERSION, &Evidence::default())
}

fn write(script: &Script) -> String {
    script::write(sqlite(), script)
}

fn read(text: &str) -> Result<Read, ScriptError> {
    script::read(text, &|name| find_engine(&[&SQLITE], name).map(|_| sqlite() as &dyn Client))
}

/// Every statement of a script that `deploy` runs, but for the frame.
fn statements(script: &Script) -> Vec<&String> {
    let parts = script.plan.parts.iter();
    let of_part = parts.flat_map(|part| {
        part.prepare.iter().chain(part.steps.iter().flat_map(|step| &step.statements)).chain(&part.checks)
    });
    of_part.collect()
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
    written.project = "a\n-- | part 1 transaction\n\"b\" | c".to_owned();
    written.clear(&[], "2026-11-23");
    let text = write(&written);
    let Read { script: back, edited } = read(&text).expect("it was written a moment ago");
    assert!(!edited);
    assert_eq!(statements(&back), statements(&written));
    assert_eq!((&back.have, &back.want, &back.project), (&written.have, &written.want, &written.project));
    let said = |script: &Script| script.plan.steps().map(|s| (s.title.clone(), s.notes.clone())).collect::<Vec<_>>();
    assert_eq!(said(&back), said(&written));
    let risks = |script: &Script| -> Vec<_> {
        let of = |risk: &Risk| (risk.kind, risk.object.clone(), risk.explanation.clone(), risk.clearance.clone());
        script.plan.risks().map(of).collect()
    };
    assert_eq!(risks(&back), risks(&written));
    assert_eq!(write(&back), text);
}

#[test]
fn nothing_to_do_is_a_script_too() {
    let text = write(&script("CREATE TABLE a (x)", "CREATE TABLE a (x)"));
    assert!(text.contains("-- | steps 0") && text.contains("there is nothing to do"), "{text}");
    assert!(read(&text).expect("a script").script.is_empty());
}

#[test]
fn what_is_no_script_is_refused_with_the_reason() {
    let text = write(&script("CREATE TABLE c (x)", "CREATE TABLE a (x); CREATE TABLE b (y)"));
    let refused = |from: &str, to: &str| {
        assert!(text.contains(from), "{from}\n{text}");
        read(&text.replacen(from, to, 1)).err().map(|error| error.to_string()).unwrap_or_default()
    };
    assert!(matches!(read("CREATE TABLE a (x);"), Err(ScriptError::Foreign)));
    for (from, to, why) in [
        ("-- | want ", "-- | wished ", "no line `wished`"),
        ("-- | have ", "-- | have zz", "64 hexadecimal digits"),
        ("-- | steps 3", "-- | steps two", "no number"),
        ("-- | steps 3", "-- | steps 2", "declares 2 steps in 1 parts, but the script has 3 steps"),
        ("-- | step 2 ", "-- ", "wrong place"),
        ("engine sqlite", "engine other", "no engine `other`"),
        ("loses-table", "loses-tabel", "no risk `loses-tabel`"),
        ("waiver missing", "waiver not-needed", "can't have this waiver"),
        ("waiver missing", "waiver until 2026-13-01 \"x\"", "no date"),
        ("BEGIN IMMEDIATE;\n", "", "`BEGIN IMMEDIATE` must be here"),
        ("\nCOMMIT;", "\nEND;", "`COMMIT` must be here"),
        ("\nCOMMIT;", "", "`COMMIT` must be here"),
        ("CREATE TABLE a (x);", "CREATE TABLE a (x); COMMIT;", "COMMIT has no place in a step"),
        ("CREATE TABLE a (x);", "rollback;", "ROLLBACK has no place"),
        (".bail on\n", "", "exactly: .bail on"),
        (".bail on\n", ".bail on\n.shell ls\n", "exactly: .bail on"),
        ("-- | format 2", "-- | format 3", "format 3"),
        ("-- | format 2\n", "", "no line `-- | format"),
        ("-- | kind release", "-- | kind undo", "do not agree"),
        ("-- | part 1 transaction", "-- | part 1 each-statement", "must be here"),
        ("-- | project \"honey\"", "-- | project  \"honey\"", "it should be"),
        ("-- | end ", "-- end ", "cut off"),
        ("CREATE TABLE b (y);\n", "CREATE TABLE b (y);\n-- | note \"late\"\n", "wrong place"),
    ] {
        let said = refused(from, to);
        assert!(said.contains(why), "{from:?} as {to:?}: {said}");
    }
    let more = |added: &str| read(&format!("{text}{added}")).err().map(|error| error.to_string()).unwrap_or_default();
    assert!(more("SELECT 1;").contains("nothing may follow"));
    assert!(more("-- see you").contains("nothing may follow"));
    assert!(more("SELECT 'open;").contains("nterminated"), "{}", more("SELECT 'open;"));
}

#[test]
fn an_edited_script_is_known_for_one() {
    let text = write(&script("", "CREATE TABLE a (x)"));
    let edited = read(&text.replace("a (x)", "a (x, y)")).expect("it can be read");
    assert!(edited.edited);
    assert_eq!(statements(&edited.script), ["CREATE TABLE a (x, y)"]);
}

fn changed(text: &str, way: u8, place: f64, byte: u8) -> String {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let at = ((lines.len() - 1) as f64 * place) as usize;
    let mut lines = lines;
    match way {
        0 => drop(lines.remove(at)),
        1 => lines.insert(at, lines[at]),
        2 => lines.swap(at, (at + 1).min(text.lines().count() - 1)),
        3 => lines.truncate(at),
        _ => {
            let at = text.floor_char_boundary((text.len() as f64 * place) as usize);
            let mut bytes = text.as_bytes().to_vec();
            bytes[at.min(text.len() - 1)] = byte;
            return String::from_utf8(bytes).unwrap_or_default();
        }
    }
    lines.concat()
}

proptest! {
    /// However a script is changed, it is refused, or known for edited.
    #[test]
    fn a_changed_script_is_refused_or_known_for_edited(way in 0u8..5, place in 0.0f64..1.0, byte in 0x20u8..0x7f) {
        let have = "CREATE TABLE gone (x); CREATE TABLE kept (a, b); CREATE INDEX i ON kept (b)";
        let text = write(&script(have, &format!("CREATE TABLE kept (a CHECK (a > 0), b); CREATE VIEW v AS SELECT 1; {HOSTILE}")));
        let changed = changed(&text, way, place, byte);
        if changed != text && let Ok(read) = read(&changed) {
            prop_assert!(read.edited, "{}", changed);
        }
    }
}
