//! Optional features of a schema: `features.sql`, and how it is read.

use super::Dice;

const FEATURES: &str = include_str!("features.sql");

/// Each feature that a server of this version can have, title and all.
fn known(version: u32) -> impl Iterator<Item = (&'static str, &'static str)> {
    let since = |title: &str| title.strip_prefix("-- since ").and_then(|rest| rest.split_once(':')?.0.parse().ok());
    let features = FEATURES.split("\n\n").skip(1).map(|text| text.split_once('\n').expect("a feature has a title"));
    features.filter(move |(title, _)| since(title).is_none_or(|since: u32| version >= since))
}

/// The statements of the features that this schema has, on a server of this version.
pub fn some(dice: &Dice, version: u32) -> Vec<String> {
    let there = known(version).filter(|(title, _)| dice.yes(title, 2));
    there.flat_map(|(title, lines)| statements(dice, title, lines)).collect()
}

/// The titles of the features that a server of this version can have, each with its statements.
pub fn each(dice: &Dice, version: u32) -> Vec<(&'static str, String)> {
    known(version).map(|(title, lines)| (title, statements(dice, title, lines).concat())).collect()
}

fn statements(dice: &Dice, title: &str, lines: &str) -> Vec<String> {
    let mut statements = Vec::new();
    for (number, line) in lines.lines().enumerate() {
        let name = format!("{title}, {number}");
        let optional = line.strip_prefix("? ");
        if optional.is_none() || dice.yes(&name, 6) {
            statements.push(filled(dice, &name, optional.unwrap_or(line)) + "\n");
        }
    }
    statements
}

/// The statement with one of each `‹one¦another›`.
fn filled(dice: &Dice, name: &str, statement: &str) -> String {
    let mut out = String::new();
    let mut rest = statement;
    while let Some((before, behind)) = rest.split_once('‹') {
        let (choices, behind) = behind.split_once('›').expect("a choice ends");
        let choices: Vec<&str> = choices.split('¦').collect();
        out.push_str(before);
        out.push_str(dice.one(&format!("{name}, {}", rest.len()), &choices));
        rest = behind;
    }
    out + rest
}
