//! Which commit the program is built from, for `--version`.

use std::process::Command;

fn main() {
    // Whatever the program is built from may have changed since the commit.
    println!("cargo::rerun-if-changed=../../crates");
    println!("cargo::rerun-if-changed=../../.git/HEAD");
    println!("cargo::rerun-if-changed=../../.git/index");
    let git =
        Command::new("git").args(["describe", "--always", "--dirty=, changed", "--abbrev=12", "--exclude=*"]).output();
    let commit = git.ok().filter(|output| output.status.success());
    let commit = commit.and_then(|output| String::from_utf8(output.stdout).ok()).map(|text| text.trim().to_owned());
    let commit = commit.filter(|text| !text.is_empty()).unwrap_or_else(|| "unknown".to_owned());
    println!("cargo::rustc-env=WEVRUN_COMMIT={commit}");
}
