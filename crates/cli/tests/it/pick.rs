//! `compare --pick`, on a terminal that the test reads.

use std::io::{Read, Write};
use std::num::NonZero;
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use portable_pty::{Child, CommandBuilder, PtySize, native_pty_system};
use wevrun_testkit::project::TestProject;

use super::{APIARIES, HIVES, by_hand, project};

/// The program on a terminal.
struct Terminal {
    screen: Arc<Mutex<vt100::Parser>>,
    keys: Box<dyn Write + Send>,
    child: Box<dyn Child + Send + Sync>,
}

impl Terminal {
    fn open(project: &TestProject, (rows, cols): (u16, u16), arguments: &[&str]) -> Terminal {
        let size = PtySize { rows, cols, pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).expect("a terminal");
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_wevrun"));
        command.args(arguments);
        command.cwd(project.path());
        command.env("TERM", "xterm-256color");
        let child = pair.slave.spawn_command(command).expect("the program runs");
        let mut output = pair.master.try_clone_reader().expect("its output");
        let keys = pair.master.take_writer().expect("its input");
        let of = |number: u16| NonZero::new(number).expect("a terminal has rows and columns");
        let screen = Arc::new(Mutex::new(vt100::Parser::new(of(rows), of(cols), 0)));
        let written = Arc::clone(&screen);
        thread::spawn(move || {
            // The terminal lives as long as it is read.
            let _master = pair.master;
            let mut bytes = [0; 4096];
            while let Ok(length @ 1..) = output.read(&mut bytes) {
                written.lock().expect("no panic").process(&bytes[..length]);
            }
        });
        Terminal { screen, keys, child }
    }

    fn text(&self) -> String {
        self.screen.lock().expect("no panic").screen().contents()
    }

    fn press(&mut self, keys: &str) {
        self.keys.write_all(keys.as_bytes()).expect("the terminal is open");
    }

    /// Waits until a text is on the screen.
    fn wait_for(&self, text: &str) -> String {
        let started = Instant::now();
        loop {
            let shown = self.text();
            if shown.contains(text) {
                return shown;
            }
            assert!(started.elapsed() < Duration::from_secs(20), "no `{text}` in\n{shown}");
            thread::sleep(Duration::from_millis(10));
        }
    }

    fn end(mut self) -> (u32, String) {
        let status = self.child.wait().expect("it ends");
        thread::sleep(Duration::from_millis(50));
        (status.exit_code(), self.text())
    }
}

const DOWN: &str = "\x1b[B";

/// A database that differs in a column, a view and an index, of which the view needs a new table.
fn with_differences() -> TestProject {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO apiaries VALUES (1, 'a'); INSERT INTO hives VALUES (1, 1, 'h', 'blue')");
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "weight_g INTEGER"));
    project.write(
        "schema/v.sql",
        "CREATE TABLE scales (id INTEGER PRIMARY KEY);\nCREATE VIEW weighed AS SELECT id FROM scales;\n",
    );
    project
}

#[test]
fn differences_are_ticked_previewed_saved_and_written() {
    let project = with_differences();
    let mut terminal = Terminal::open(&project, (24, 80), &["compare", "test", "--pick"]);
    let shown = terminal.wait_for("0 of 4 ticked");
    assert!(shown.contains("[ ] To create (2)") && shown.contains("[ ] + table scales"), "{shown}");
    assert!(shown.contains("column paint_colour") && shown.contains("column weight_g"), "{shown}");
    assert!(shown.lines().all(|line| line.chars().count() <= 80) && shown.lines().count() <= 24, "{shown}");

    // A filter, and what a view needs.
    terminal.press("/weighed\r");
    terminal.wait_for("By change: weighed");
    terminal.press(" ");
    terminal.wait_for("1 of 4 ticked, 1 included; 2 steps");
    terminal.press("\x1b");
    let shown = terminal.wait_for("[+] + table scales");
    assert!(shown.contains("[x] + view weighed") && shown.contains("[~] To create (2)"), "{shown}");
    terminal.press("\t");
    terminal.wait_for("Script for this alone");
    terminal.press("\t");
    terminal.wait_for("CREATE VIEW weighed AS SELECT id FROM");
    terminal.press("\t");
    terminal.wait_for("table scales is included because view");

    // One column of a table, and its risk.
    terminal.press("/hives\r");
    terminal.wait_for("By change: hives");
    terminal.press(DOWN);
    terminal.press(" ");
    let shown = terminal.wait_for("3 steps; 1 risk: loses-column");
    assert!(shown.contains("[~] ≠ table hives") && shown.contains("[ ]     column weight_g"), "{shown}");
    terminal.press(" ");
    terminal.wait_for("1 of 4 ticked, 1 included");

    terminal.press("?");
    terminal.wait_for("tick or untick everything that is listed");
    terminal.press("x");
    terminal.press("sreports\r");
    terminal.wait_for("saved as [selections.reports] in wevrun.toml");
    terminal.press("sreports\r");
    terminal.wait_for("not saved: wevrun.toml has a selection `reports`");
    terminal.press("w\r");
    let (status, shown) = terminal.end();
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("wrote release.sql: 2 steps"), "{shown}");
    assert!(project.read("wevrun.toml").ends_with("[selections.reports]\nonly = [\"view:weighed\"]\n"));
    project.expect(0, &["deploy", "release.sql", "test"]);
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("1 differs from want: change 1"), "{}", run.stdout);
    project.expect(0, &["compare", "test", "--selection", "reports"]);
}

#[test]
fn leaving_is_asked_about_and_writes_nothing() {
    let project = with_differences();
    let before = project.read("wevrun.toml");
    let mut terminal = Terminal::open(&project, (40, 160), &["compare", "test", "--pick"]);
    terminal.wait_for("0 of 4 ticked");
    terminal.press("s");
    terminal.wait_for("nothing is ticked");
    terminal.press("g");
    terminal.wait_for("By kind");
    terminal.press("a");
    terminal.wait_for("4 of 4 ticked, 0 included");
    // Definitions stand beside each other where there is room.
    terminal.press("/hives\r");
    terminal.wait_for("≠     weight_g INTEGER");
    terminal.press("q");
    terminal.wait_for("Quit and forget what is ticked?");
    terminal.press("n");
    terminal.wait_for("Space ticks");
    terminal.press("qy");
    let (status, shown) = terminal.end();
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("No script was written."), "{shown}");
    assert_eq!(project.read("wevrun.toml"), before);
}

#[test]
fn a_terminal_is_needed() {
    let project = with_differences();
    let run = project.expect(2, &["compare", "test", "--pick"]);
    assert!(run.stderr.contains("--pick needs a terminal"), "{}", run.stderr);
    project.expect(2, &["compare", "test", "--pick", "--format", "json"]);
}
