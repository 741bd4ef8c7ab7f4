//! The page of a comparison, in a real browser.

use std::process::Command;

use super::{APIARIES, HIVES, by_hand, project};
use wevrun_testkit::project::TestProject;

/// Does what a person would, and leaves what it saw in the page.
const VISIT: &str = r#"<script>
(async () => {
  const by = (id) => document.getElementById(id);
  const rows = () => [...document.querySelectorAll('#tree .row')].map((row) => row.textContent);
  const heading = () => by('detail').querySelector('h2').textContent;
  const type = (text) => { by('search').value = text; by('search').dispatchEvent(new Event('input')); };
  const press = (key) => by('tree').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
  const seen = { title: document.title, scripts: document.scripts.length, rows: rows(), shown: by('shown').textContent };
  seen.images = document.images.length;
  seen.counts = by('counts').textContent;
  seen.risks = by('risks').hidden ? '' : by('risk-list').textContent;
  type('hives');
  seen.found = rows();
  type('');
  const box = document.querySelector('#changes input[value=remove]');
  box.click();
  seen.withoutRemoved = rows();
  box.click();
  by('group').value = 'kind';
  by('group').dispatchEvent(new Event('change'));
  seen.byKind = rows();
  by('tree').focus();
  press('Home');
  press('ArrowLeft');
  seen.folded = rows();
  press('ArrowRight');
  press('ArrowDown');
  seen.first = heading();
  press('ArrowDown');
  seen.second = heading();
  const table = [...document.querySelectorAll('#tree .row')].find((row) => row.textContent.includes('table hives'));
  table.click();
  seen.table = heading();
  seen.properties = by('detail').querySelector('table').textContent;
  seen.added = [...document.querySelectorAll('#detail td.new')].map((cell) => cell.textContent);
  seen.words = [...document.querySelectorAll('#detail mark')].map((mark) => mark.textContent);
  Object.defineProperty(navigator, 'clipboard', { value: { writeText: async (text) => { seen.copied = text; } } });
  document.querySelector('.copy').click();
  await new Promise((done) => setTimeout(done, 50));
  seen.button = document.querySelector('.copy').textContent;
  dispatchEvent(new Event('beforeprint'));
  seen.printed = by('printed').querySelectorAll('section').length;
  const pre = document.createElement('pre');
  pre.id = 'seen';
  pre.textContent = JSON.stringify(seen);
  document.body.append(pre);
})();
</script>"#;

/// The page after the visit, as the browser has it.
fn visited(project: &TestProject, report: &str) -> serde_json::Value {
    project.write("visit.html", project.read(report) + VISIT);
    let names = ["chromium", "chromium-browser", "google-chrome"];
    let flags = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--disable-dev-shm-usage",
        "--virtual-time-budget=5000",
        "--dump-dom",
    ];
    let output = names.iter().find_map(|name| {
        let mut command = Command::new(name);
        command.args(flags).arg(format!("--user-data-dir={}", project.file("browser").display()));
        command.arg(format!("file://{}", project.file("visit.html").display())).output().ok()
    });
    let output = output.expect("a browser is missing; install it: apt-get install chromium");
    let page = String::from_utf8_lossy(&output.stdout).into_owned();
    let seen = page.split("<pre id=\"seen\">").nth(1).and_then(|rest| rest.split("</pre>").next());
    let seen = seen.unwrap_or_else(|| panic!("{}\n{page}", String::from_utf8_lossy(&output.stderr)));
    let text = seen.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    serde_json::from_str(&text).expect("what was seen")
}

fn texts(value: &serde_json::Value) -> Vec<&str> {
    value.as_array().expect("a list").iter().map(|text| text.as_str().expect("a text")).collect()
}

/// A name that would end the element that it is in, and run.
const HOSTILE: &str = "</script><img src=x onerror=document.title=1>";

#[test]
fn a_browser_filters_unfolds_copies_and_shows_every_text_as_text() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO apiaries VALUES (1, 'a'); INSERT INTO hives VALUES (1, 1, 'h', 'blue')");
    by_hand(&project, "test.db", "CREATE VIEW by_hand AS SELECT 1 AS one");
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "weight_g INTEGER"));
    project.write("schema/h.sql", format!("CREATE TABLE \"{HOSTILE}\" (a TEXT DEFAULT '<b>&amp;');"));
    project.expect(3, &["compare", "test", "--report", "page.html"]);
    let page = project.read("page.html");
    assert!(!page.contains("src=\"http") && !page.contains("href=\"http") && !page.contains(HOSTILE));

    let seen = visited(&project, "page.html");
    assert_eq!(seen["title"], "From test to source");
    assert_eq!((seen["images"].as_u64(), seen["scripts"].as_u64()), (Some(0), Some(3)));
    assert_eq!(seen["shown"], "3 of 3 objects");
    assert_eq!(seen["counts"], "1 to create1 to change1 to remove2 the same4 steps");
    let hostile = format!("+table {HOSTILE}");
    let all = ["▾ To create (1)", &hostile, "▾ To change (1)", "≠table hives", "▾ To remove (1)", "−view by_hand"];
    assert_eq!(texts(&seen["rows"]), all);
    assert_eq!(texts(&seen["found"]), ["▾ To change (1)", "≠table hives"]);
    assert_eq!(texts(&seen["withoutRemoved"]), all[..4]);
    let remove = "−view by_hand – remove";
    assert_eq!(texts(&seen["byKind"])[3..], ["▾ view (1)", remove]);
    assert_eq!(texts(&seen["folded"]), ["▸ table (2)", "▾ view (1)", remove]);
    assert_eq!(seen["first"], format!("+ create table {HOSTILE}"));
    assert_eq!(seen["second"], "≠ change table hives");
    assert_eq!(seen["table"], "≠ change table hives");
    assert!(
        seen["properties"].as_str().is_some_and(|text| text.contains("column weight_g") && text.contains("INTEGER"))
    );
    assert_eq!(texts(&seen["added"]), ["    weight_g INTEGER"]);
    assert!(texts(&seen["words"]).contains(&"weight_g"), "{}", seen["words"]);
    assert!(seen["risks"].as_str().is_some_and(|text| text.contains("loses-column on column hives.paint_colour")));
    let copied = seen["copied"].as_str().expect("a script");
    assert!(
        copied.contains("ADD COLUMN weight_g INTEGER;") && copied.contains("DROP COLUMN paint_colour;"),
        "{copied}"
    );
    assert_eq!((seen["button"].as_str(), seen["printed"].as_u64()), (Some("Copied"), Some(3)));
}

#[test]
fn drift_and_nothing_have_a_page_too() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.expect(0, &["compare", "test", "--report", "same.html"]);
    let page = project.read("same.html");
    assert!(page.contains("\"objects\":[]") && page.contains("\"verdict\":\"Identical\""), "{page}");
    project.write("schema/more.sql", "CREATE TABLE more (id INTEGER PRIMARY KEY);");
    // What is not chosen may differ.
    project.expect(0, &["compare", "test", "--only", "table:hives", "--report", "chosen.html"]);
    assert!(project.read("chosen.html").contains("\"verdict\":\"No chosen difference\""));
    std::fs::remove_file(project.file("schema/more.sql")).expect("it was there");
    by_hand(&project, "test.db", "DROP INDEX hives_by_apiary");
    project.expect(3, &["drift", "test", "--report", "drift.html", "--only", "index:*"]);
    let page = project.read("drift.html");
    assert!(page.contains("<title>Drift of test</title>") && page.contains("\"steps\":null"), "{page}");
    assert!(page.contains("<dd>--only index:*</dd>"), "{page}");
    // A result never replaces what is read.
    let run = project.expect(2, &["compare", "test", "--report", "test.db"]);
    assert!(run.stderr.contains("test.db is read, so nothing can be written to it"), "{}", run.stderr);
}
