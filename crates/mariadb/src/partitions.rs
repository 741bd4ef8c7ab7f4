//! A table's partitioning taken apart, and what a change of single partitions makes of it
//! (<https://mariadb.com/kb/en/alter-table/#partitioning>).

use wevrun_core::model::Expression;
use wevrun_core::parse::token::tokenize;
use wevrun_core::parse::{Reader, Token, TokenKind};

use crate::parse::partitions;
use crate::{names, tokens};

/// PARTITION BY with its partitions.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Partitioning {
    /// The text before the list, as it is written.
    by: String,
    /// The same in canonical spelling, to compare it.
    pub by_canonical: String,
    /// The partitions; none if only their number is given.
    pub definitions: Vec<Partition>,
}

/// A partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Partition {
    /// Its name in lower case.
    pub name: String,
    /// Its definition, as it is written.
    pub written: String,
    /// The same in canonical spelling.
    pub canonical: String,
}

/// A change of single partitions by ALTER TABLE.
#[derive(Debug, Clone)]
pub enum PartitionChange {
    /// ADD PARTITION with definitions.
    Add { definitions: Vec<String>, if_not_exists: bool },
    /// ADD PARTITION PARTITIONS n.
    AddNumber(u64),
    /// DROP PARTITION.
    Drop { names: Vec<String>, if_exists: bool },
    /// REORGANIZE PARTITION … INTO.
    Reorganize { names: Vec<String>, into: Vec<String> },
    /// COALESCE PARTITION n.
    Coalesce(u64),
}

impl Partitioning {
    /// Takes a clause apart.
    pub fn read(clause: &Expression) -> Partitioning {
        let text = clause.written();
        let (all, _) = tokenize(tokens::rules(), text, 0);
        let all: Vec<Token> = all.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
        let Some(start) = partitions::start_of_list(text, &all) else {
            return Partitioning {
                by: text.to_owned(),
                by_canonical: clause.canonical.clone(),
                definitions: Vec::new(),
            };
        };
        let end = all.last().map_or(0, |token| token.end as usize);
        let inside = &text[all[start].end as usize..end.saturating_sub(1)];
        let by = text[..all[start].start as usize].trim_end().to_owned();
        let definitions = items(inside).into_iter().map(|written| Partition::new(&written)).collect();
        // The number of listed partitions is not compared.
        let by_canonical = partitions::of_text(&format!("{by} (partition p)")).canonical;
        Partitioning { by, by_canonical, definitions }
    }

    /// The clause.
    pub fn clause(&self) -> Expression {
        if self.definitions.is_empty() {
            return partitions::of_text(&self.by);
        }
        let list: Vec<&str> = self.definitions.iter().map(|own| own.written.as_str()).collect();
        partitions::of_text(&format!("{}\n({})", self.by, list.join(",\n ")))
    }

    /// The clause after a change. The error is the mistake in it.
    pub fn changed(mut self, change: &PartitionChange) -> Result<Expression, String> {
        match change {
            PartitionChange::Add { definitions, if_not_exists } => {
                for new in definitions.iter().map(|written| Partition::new(written)) {
                    match self.position(&new.name) {
                        Ok(_) if *if_not_exists => {}
                        Ok(_) => return Err(format!("has a partition `{}` already", new.name)),
                        Err(_) => self.definitions.insert(self.end(), new),
                    }
                }
            }
            PartitionChange::AddNumber(number) => self.set_number(|own| Some(own + number))?,
            PartitionChange::Coalesce(number) => {
                self.set_number(|own| own.checked_sub(*number).filter(|left| *left > 0))?;
            }
            PartitionChange::Drop { names, if_exists } => {
                for name in names {
                    match self.position(name) {
                        Ok(at) => drop(self.definitions.remove(at)),
                        Err(_) if *if_exists => {}
                        Err(message) => return Err(message),
                    }
                }
            }
            // Without names, there are as many as the engine has anyway.
            PartitionChange::Reorganize { names, .. } if names.is_empty() => self.set_number(|_| Some(1))?,
            PartitionChange::Reorganize { names, into } => {
                let mut at = usize::MAX;
                for name in names {
                    let found = self.position(name)?;
                    self.definitions.remove(found);
                    at = at.min(found);
                }
                self.definitions.splice(at..at, into.iter().map(|written| Partition::new(written)));
            }
        }
        Ok(self.clause())
    }

    /// Where new partitions are added: those with history before the current one.
    fn end(&self) -> usize {
        let is_current = |own: &Partition| own.canonical.ends_with(" current");
        self.definitions.len() - usize::from(self.definitions.last().is_some_and(is_current))
    }

    fn position(&self, name: &str) -> Result<usize, String> {
        let lower = name.to_lowercase();
        let found = self.definitions.iter().position(|own| own.name == lower);
        found.ok_or_else(|| format!("has no partition `{name}`"))
    }

    /// Changes the number of partitions where only the number is given.
    fn set_number(&mut self, change: impl Fn(u64) -> Option<u64>) -> Result<(), String> {
        if !self.definitions.is_empty() {
            return Err("has partitions with names: they can't be counted".to_owned());
        }
        let (all, _) = tokenize(tokens::rules(), &self.by, 0);
        let place = all.iter().position(|token| token.is_word(&self.by, "PARTITIONS")).map(|at| all[at + 1]);
        let own = place.map_or(1, |token| token.text(&self.by).parse().unwrap_or(1));
        let new = change(own).ok_or("has no more partitions than that")?;
        match place {
            Some(token) => self.by.replace_range(token.start as usize..token.end as usize, &new.to_string()),
            None => self.by.push_str(&format!(" PARTITIONS {new}")),
        }
        Ok(())
    }
}

impl Partition {
    fn new(written: &str) -> Partition {
        let written = written.trim().to_owned();
        let (all, _) = tokenize(tokens::rules(), &written, 0);
        let name = all.iter().filter(|token| token.kind != TokenKind::Comment);
        let name = name
            .skip_while(|token| token.is_word(&written, "PARTITION"))
            .map(|token| names::unquoted(*token, &written));
        let name = name.map(|name| name.to_lowercase()).next().unwrap_or_default();
        let canonical = partitions::of_text(&format!("PARTITION BY x ({written})")).canonical;
        let canonical = canonical.trim_start_matches("partition by x ( ").trim_end_matches(" )").to_owned();
        Partition { name, written, canonical }
    }
}

/// The texts between the commas that are in no parentheses.
fn items(text: &str) -> Vec<String> {
    let (all, _) = tokenize(tokens::rules(), text, 0);
    let (mut depth, mut start, mut found) = (0, 0, Vec::new());
    for token in all {
        depth += i32::from(token.is_symbol(text, "(")) - i32::from(token.is_symbol(text, ")"));
        if depth == 0 && token.is_symbol(text, ",") {
            found.push(text[start..token.start as usize].trim().to_owned());
            start = token.end as usize;
        }
    }
    found.push(text[start..].trim().to_owned());
    found
}

/// The definitions of partitions in the parentheses that are next.
pub fn definitions(reader: &mut Reader<'_>) -> wevrun_core::parse::Parsed<Vec<String>> {
    let range = reader.parenthesised()?;
    let written = reader.written(range);
    let inside = written.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')).unwrap_or(written);
    Ok(items(inside))
}

/// How the server gets from one partitioning to another without all rows being copied.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Shortcut {
    /// The clause of ALTER TABLE; no rows are moved.
    Add(String),
    /// The clause of ALTER TABLE; the rows of these partitions are copied.
    Reorganize { clause: String, names: Vec<String> },
}

/// The way, if there is one.
pub fn shortcut(have: &Expression, want: &Expression) -> Option<Shortcut> {
    let (have, want) = (Partitioning::read(have), Partitioning::read(want));
    let by_names = ["partition by range", "partition by list", "partition by system_time"];
    if have.by_canonical != want.by_canonical
        || have.definitions.is_empty()
        || want.definitions.is_empty()
        || !by_names.iter().any(|kind| have.by_canonical.starts_with(kind))
    {
        return None;
    }
    let same = |(a, b): (&Partition, &Partition)| a.canonical == b.canonical;
    let (old, new) = (&have.definitions[..], &want.definitions[..]);
    let first = old.iter().zip(new).take_while(|pair| same(*pair)).count();
    let (old, new) = (&old[first..], &new[first..]);
    let mut last = old.iter().rev().zip(new.iter().rev()).take_while(|pair| same(*pair)).count();
    let written = |list: &[Partition]| list.iter().map(|own| own.written.as_str()).collect::<Vec<_>>().join(",\n     ");
    let is_history = have.by_canonical.starts_with("partition by system_time");
    if old.len() == last && (last == 0 || is_history) {
        let added = &new[..new.len() - last];
        let is_open = first > 0 && have.definitions[first - 1].canonical.contains("less than maxvalue");
        return (!is_open && !added.is_empty())
            .then(|| Shortcut::Add(format!("ADD PARTITION\n    ({})", written(added))));
    }
    if is_history {
        return None;
    }
    // Nothing can be made of no partition: the next one takes part.
    if old.len() == last || new.len() == last {
        last = last.checked_sub(1)?;
    }
    let (gone, made) = (&old[..old.len() - last], &new[..new.len() - last]);
    // The end of a range can only be moved further, and only that of the last partition.
    let is_range = have.by_canonical.starts_with("partition by range");
    let bound =
        |list: &[Partition]| list.last().and_then(|own| Some(own.canonical.split_once("less than ")?.1.to_owned()));
    if is_range && bound(gone) != bound(made) {
        return None;
    }
    let names: Vec<String> = gone.iter().map(|own| names::quoted(&own.name)).collect();
    let clause = format!("REORGANIZE PARTITION {} INTO\n    ({})", names.join(", "), written(made));
    Some(Shortcut::Reorganize { clause, names: gone.iter().map(|own| own.name.clone()).collect() })
}

#[cfg(test)]
mod tests {
    use super::*;

    const RANGE: &str = "PARTITION BY RANGE (a)";

    fn way(have: &str, want: &str) -> Option<String> {
        let clause = |list: &str| partitions::of_text(&format!("{RANGE} ({list})"));
        match shortcut(&clause(have), &clause(want))? {
            Shortcut::Add(clause) | Shortcut::Reorganize { clause, .. } => {
                Some(clause.split_whitespace().collect::<Vec<_>>().join(" "))
            }
        }
    }

    #[test]
    fn only_what_changes_is_touched() {
        let [a, b, c, m] = [
            "PARTITION a VALUES LESS THAN (1)",
            "PARTITION b VALUES LESS THAN (2)",
            "partition `c` values less than (3) comment 'x'",
            "PARTITION m VALUES LESS THAN MAXVALUE",
        ];
        let list = |parts: &[&str]| parts.join(", ");
        assert_eq!(way(&list(&[a, b]), &list(&[a, b, c])), Some(format!("ADD PARTITION ({c})")));
        assert_eq!(way(&list(&[a, m]), &list(&[a, b, m])), Some(format!("REORGANIZE PARTITION m INTO ({b}, {m})")));
        assert_eq!(way(&list(&[a, b, m]), &list(&[b, m])), Some(format!("REORGANIZE PARTITION a, b INTO ({b})")));
        assert_eq!(way(&list(&[a, b]), &list(&[a])), None);
        assert_eq!(way(&list(&[a, m]), &list(&[a, b])), None);
    }

    #[test]
    fn changes_of_single_partitions_are_followed() {
        let clause = partitions::of_text(&format!(
            "{RANGE} (PARTITION a VALUES LESS THAN (1), partition B values less than (2))"
        ));
        let changed =
            |change: PartitionChange| Partitioning::read(&clause).changed(&change).map(|clause| clause.canonical);
        let is = |text: &str| Ok(partitions::of_text(&format!("{RANGE} ({text})")).canonical);
        let drop = |name: &str, if_exists| PartitionChange::Drop { names: vec![name.to_owned()], if_exists };
        assert_eq!(changed(drop("b", false)), is("PARTITION a VALUES LESS THAN (1)"));
        assert!(changed(drop("c", false)).is_err());
        assert_eq!(changed(drop("c", true)), Ok(clause.canonical.clone()));
        let into = ["partition c values less than (1+1)".to_owned()].to_vec();
        let names = ["A".to_owned(), "b".to_owned()].to_vec();
        assert_eq!(changed(PartitionChange::Reorganize { names, into }), is("PARTITION c VALUES LESS THAN (2)"));
        let hash = partitions::of_text("PARTITION BY HASH (a) PARTITIONS 3");
        let fewer = Partitioning::read(&hash).changed(&PartitionChange::Coalesce(1)).map(|clause| clause.canonical);
        assert_eq!(fewer, Ok(partitions::of_text("PARTITION BY HASH (a) PARTITIONS 2").canonical));
        assert!(Partitioning::read(&hash).changed(&PartitionChange::Coalesce(3)).is_err());
    }
}
