//! `wevrun deploy`, killed at random moments: the database opens, is whole, and a second run succeeds.

use std::process::Stdio;
use std::time::{Duration, Instant};

use super::{APIARIES, by_hand, number, project};

#[test]
fn a_killed_deploy_leaves_the_state_before_or_after() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 30000) INSERT INTO apiaries SELECT i, 'Apiary ' || i FROM n",
    );
    let release = |number: usize| {
        let check = APIARIES.1.replace("UNIQUE", &format!("UNIQUE CHECK (name <> 'never {number}')"));
        project.write(APIARIES.0, format!("{check}CREATE INDEX extra_{number} ON apiaries (name, id);\n"));
    };
    // How long a whole run takes, to aim within it.
    release(0);
    let started = Instant::now();
    project.expect(0, &["deploy", "test"]);
    let whole = started.elapsed();
    let (mut before, mut after, mut waiting) = (0, 0, 0);
    let rounds = 30;
    for round in 1..=rounds {
        release(round);
        let mut child =
            project.command(&["deploy", "test"]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("it runs");
        std::thread::sleep(
            whole.mul_f64(1.2 * round as f64 / rounds as f64) + Duration::from_micros(137 * round as u64 % 900),
        );
        child.kill().ok();
        child.wait().expect("it ends");
        // Reading alone can't undo what was interrupted; then it says so, and what to do.
        let reading = project.run(&["compare", "test"]);
        let waits =
            reading.status == 1 && reading.stderr.contains("was interrupted") && reading.stderr.contains("rolls");
        waiting += u32::from(waits);
        assert!(waits || matches!(reading.status, 0 | 3), "{}", reading.stderr);
        assert_eq!(
            number(&project, "test.db", "SELECT count(*) FROM pragma_integrity_check WHERE integrity_check = 'ok'"),
            1
        );
        assert_eq!(number(&project, "test.db", "SELECT count(*) FROM apiaries"), 30000);
        match project.run(&["compare", "test"]).status {
            0 => after += 1,
            3 => before += 1,
            other => panic!("neither before nor after: {other}"),
        }
        project.expect(0, &["deploy", "test"]);
        project.expect(0, &["compare", "test"]);
    }
    println!("killed {rounds} times: {before} were as before, {after} were done; {waiting} had a journal to roll back");
    assert!(before > 0, "no kill came before the end");
}
