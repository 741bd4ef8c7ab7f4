//! Rules that map names of want to names of have.

use std::fmt;
use std::str::FromStr;

use crate::model::{Identifiers, Kind, ObjectKey, is_like};

/// `sales_eu=sales`, `table:eu_*=*`, `column:hives.grams=hives.weight`: what have calls so is what want calls so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MapRule {
    /// Of what these are names.
    pub what: MapKind,
    /// The name in have.
    pub have: String,
    /// The name in want.
    pub want: String,
}

/// The kind of a mapped name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MapKind {
    /// A schema, with all that is in it.
    Schema,
    /// Objects of a kind; of any kind, if none is given.
    Objects(Option<Kind>),
    /// A column of a table.
    Column,
}

impl FromStr for MapRule {
    type Err = String;

    fn from_str(text: &str) -> Result<MapRule, String> {
        let example = "write it like sales_eu=sales, table:eu_*=* or column:hives.grams=hives.weight";
        let (have, want) = text.split_once('=').ok_or_else(|| format!("`{text}` has no `=`; {example}"))?;
        let (what, have) = match have.split_once(':') {
            None => (MapKind::Schema, have),
            Some((word, have)) => (word.parse()?, have),
        };
        MapRule::new(what, have, want)
    }
}

impl FromStr for MapKind {
    type Err = String;

    fn from_str(word: &str) -> Result<MapKind, String> {
        match word {
            "schema" => Ok(MapKind::Schema),
            "column" => Ok(MapKind::Column),
            "*" => Ok(MapKind::Objects(None)),
            word => {
                let kind = Kind::ALL.into_iter().find(|kind| kind.word() == word);
                let kind = kind.ok_or_else(|| format!("there is no kind of object `{word}`"))?;
                Ok(MapKind::Objects(Some(kind)))
            }
        }
    }
}

impl MapRule {
    /// A rule. The error is the mistake in it.
    pub fn new(what: MapKind, have: &str, want: &str) -> Result<MapRule, String> {
        let rule = MapRule { what, have: have.trim().to_owned(), want: want.trim().to_owned() };
        let stars = |text: &str| text.matches('*').count();
        let (in_have, in_want) = (stars(&rule.have), stars(&rule.want));
        if rule.have.is_empty() || rule.want.is_empty() {
            return Err(format!("`{rule}` lacks a name: write the name in have, `=`, and the name in want"));
        }
        match what {
            MapKind::Column if in_have + in_want > 0 => Err(format!("`{rule}`: a column is mapped without `*`")),
            MapKind::Column if !rule.have.contains('.') || !rule.want.contains('.') => {
                Err(format!("`{rule}` names no table; write it like column:hives.grams=hives.weight"))
            }
            MapKind::Schema if in_have <= 1 && in_want <= in_have => Ok(rule),
            MapKind::Objects(_) if in_have <= 1 && in_want == in_have => Ok(rule),
            MapKind::Column => Ok(rule),
            _ => Err(format!("`{rule}`: each name may have one `*`, which matches the same characters in both")),
        }
    }

    /// Whether several names of have can be meant by it.
    pub fn is_for_many(&self) -> bool {
        self.have.contains('*') && !self.want.contains('*')
    }

    /// Have's name of an object of want; none if the rule is not about it. With a schema if the rule has one.
    pub fn of_object(&self, names: &dyn Identifiers, key: &ObjectKey) -> Option<String> {
        let MapKind::Objects(kind) = self.what else { return None };
        let fits = match kind {
            Some(kind) => kind == key.kind,
            // What is no object of a schema is mapped by itself only.
            None => key.name.owner().is_none() && !matches!(key.kind, Kind::Schema | Kind::Extension),
        };
        if !fits {
            return None;
        }
        let own = key.name.identifier();
        let whole = match key.name.schema() {
            Some(schema) if self.want.contains('.') => format!("{schema}.{own}"),
            _ => own.to_owned(),
        };
        self.applied(names, &self.want, &whole, &self.have)
    }

    /// Want's name for a schema of have; none if the rule is not about it.
    pub fn schema_in_want(&self, names: &dyn Identifiers, schema: &str) -> Option<String> {
        (self.what == MapKind::Schema).then_some(())?;
        self.applied(names, &self.have, schema, &self.want)
    }

    /// The characters that the `*` of one pattern matches, put into the other pattern.
    fn applied(&self, names: &dyn Identifiers, pattern: &str, name: &str, other: &str) -> Option<String> {
        let caseless = names.engine().capabilities.has_caseless_names;
        // Only `*` is special here.
        let same = |a: &str, b: &str| if caseless { a.eq_ignore_ascii_case(b) } else { a == b };
        let Some((before, after)) = pattern.split_once('*') else {
            return same(pattern, name).then(|| other.to_owned());
        };
        let long_enough = name.len() >= before.len() + after.len() && is_like(pattern, name, caseless);
        let middle = long_enough.then(|| name.get(before.len()..name.len() - after.len())).flatten()?;
        Some(other.replacen('*', middle, 1))
    }
}

impl fmt::Display for MapRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.what {
            MapKind::Schema => {}
            MapKind::Column => f.write_str("column:")?,
            MapKind::Objects(None) => f.write_str("*:")?,
            MapKind::Objects(Some(kind)) => write!(f, "{}:", kind.word())?,
        }
        write!(f, "{}={}", self.have, self.want)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_are_printed_as_they_are_written() {
        for text in ["sales_eu=sales", "sales_*=sales", "eu_*=*", "table:eu_*=*", "*:eu_*=*", "column:a.b=c.d"] {
            let rule: MapRule = text.parse().unwrap_or_else(|problem| panic!("{problem}"));
            assert_eq!(rule.to_string(), text);
        }
        for text in ["sales", "=sales", "sales=", "sales=sale_*", "table:a*=b", "table:a=b*", "tabel:a=b", "column:a=b"]
        {
            assert!(text.parse::<MapRule>().is_err(), "{text}");
        }
    }
}
