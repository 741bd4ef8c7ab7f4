//! The README's tour, as it is written.

use std::env;
use std::path::Path;
use std::process::Command;

use super::project;

/// The commands of a section, each with the exit status that its comment names.
fn commands(page: &str, heading: &str) -> Vec<(String, i32)> {
    let section = page.split(heading).nth(1).expect("the section").split("\n## ").next().expect("its text");
    let blocks = section.split("```sh\n").skip(1).filter_map(|rest| rest.split("```").next());
    let status = |line: &str| {
        let said = line.split("# exit status ").nth(1).and_then(|rest| rest.chars().next()?.to_digit(10));
        said.map_or(0, |digit| digit as i32)
    };
    blocks.flat_map(str::lines).map(|line| (line.to_owned(), status(line))).collect()
}

#[test]
fn every_step_of_the_tour_ends_as_it_says() {
    let readme = include_str!("../../../../README.md");
    let commands = commands(readme, "## The first afternoon");
    let wanted: Vec<i32> = commands.iter().map(|(_, status)| *status).collect();
    assert!(wanted.len() > 20 && [1, 3, 4].iter().all(|status| wanted.contains(status)), "{wanted:?}");
    let project = project(&[]);
    let program = Path::new(env!("CARGO_BIN_EXE_wevrun")).parent().expect("a folder");
    let path = format!("{}:{}", program.display(), env::var("PATH").unwrap_or_default());
    let lines: String = commands.iter().map(|(line, _)| format!("{line}\necho \"ended $?\"\n")).collect();
    let mut shell = Command::new("sh");
    shell.args(["-c", &lines]).current_dir(project.path()).env("PATH", path).env_remove("NO_COLOR");
    let run = project.run_command(shell);
    let ended: Vec<i32> = run.stdout.lines().filter_map(|line| line.strip_prefix("ended ")?.parse().ok()).collect();
    assert_eq!(ended, wanted, "{commands:#?}\n{}\n{}", run.stdout, run.stderr);
    for shown in ["did you mean `hives`?", "undoes-drift on index by_hand"] {
        assert!(run.stderr.contains(shown), "{}", run.stderr);
    }
    for shown in [
        "view          heavy_hives",
        "index         by_hand",
        "production  the present source",
        "adopted sqlite:old.db",
    ] {
        assert!(run.stdout.contains(shown), "{}", run.stdout);
    }
}
