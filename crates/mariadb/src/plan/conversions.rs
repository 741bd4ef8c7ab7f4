//! The effects of a change of type on values, in a strict `sql_mode`. Each rule was measured on 10.11.

use wevrun_core::model::Column;

use crate::canonical::types::{Family, family};
use crate::charset;

/// A possible effect on a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fate {
    /// Every value stays what it is.
    Kept,
    /// A value that does not fit stops the statement, and nothing has changed.
    Refused(&'static str),
    /// A value may silently become another one.
    Changed(&'static str),
}

/// The effect on the values of a column.
pub fn fate(have: &Column, want: &Column) -> Fate {
    let spelling =
        |column: &Column| column.data_type.as_ref().map_or(String::new(), |data_type| data_type.canonical.clone());
    let collation =
        |column: &Column| column.collation.as_ref().map_or(String::new(), |collation| collation.canonical().to_owned());
    let (from, to) = (spelling(have), spelling(want));
    let (old, new) = (collation(have), collation(want));
    if from == to && old == new {
        return Fate::Kept;
    }
    let of_type = fate_of_type(&from, &to);
    if of_type != Fate::Kept || old == new {
        return of_type;
    }
    let (old, new) = (charset::of_collation(&old), charset::of_collation(&new));
    let takes_all = |name: &str| matches!(name, "utf8mb4" | "utf16" | "utf32" | "utf16le");
    match (old, new) {
        _ if old == new || takes_all(new) || old == "ascii" || old.is_empty() || new.is_empty() => Fate::Kept,
        _ => Fate::Refused("a text with characters that the new character set does not have stops the script"),
    }
}

fn sizes(spelling: &str) -> (u64, u64) {
    let inner = spelling.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map_or("", |(inner, _)| inner);
    let mut numbers = inner.split(',').map(|number| number.trim().parse().unwrap_or(0));
    (numbers.next().unwrap_or(0), numbers.next().unwrap_or(0))
}

fn bits(spelling: &str) -> Option<u32> {
    Some(match spelling.split('(').next()? {
        "tinyint" => 8,
        "smallint" => 16,
        "mediumint" => 24,
        "int" => 32,
        "bigint" => 64,
        _ => return None,
    })
}

/// How many characters or bytes a text type holds.
fn capacity(spelling: &str) -> u64 {
    match spelling.split('(').next().unwrap_or_default() {
        "tinytext" | "tinyblob" => 255,
        "text" | "blob" => 65_535,
        "mediumtext" | "mediumblob" => 16_777_215,
        "longtext" | "longblob" => u64::from(u32::MAX),
        _ => sizes(spelling).0,
    }
}

fn fate_of_type(from: &str, to: &str) -> Fate {
    const RANGE: Fate = Fate::Refused("a value that is out of range stops the script");
    const LENGTH: Fate = Fate::Refused("a value that is too long stops the script");
    let unsigned = |spelling: &str| spelling.contains(" unsigned");
    match (family(from), family(to)) {
        _ if from == to => Fate::Kept,
        (Family::Integer, Family::Integer) => {
            let (Some(old), Some(new)) = (bits(from), bits(to)) else { return RANGE };
            let fits = match (unsigned(from), unsigned(to)) {
                (true, false) => new > old,
                (false, true) => false,
                _ => new >= old,
            };
            if fits { Fate::Kept } else { RANGE }
        }
        (Family::Integer, Family::Decimal(scale)) => {
            let digits = match bits(from) {
                Some(8) => 3,
                Some(16) => 5,
                Some(24) => 8,
                Some(32) => 10,
                _ => 20,
            };
            if sizes(to).0.saturating_sub(u64::from(scale)) >= digits && !unsigned(to) { Fate::Kept } else { RANGE }
        }
        (Family::Integer, Family::Float) if to.starts_with("double") && bits(from).is_some_and(|bits| bits <= 32) => {
            Fate::Kept
        }
        (Family::Integer | Family::Decimal(_) | Family::Float, Family::Float) => {
            Fate::Changed("numbers that the new type can't hold exactly become others")
        }
        (Family::Decimal(old), Family::Decimal(new)) => {
            if new < old {
                return Fate::Changed("digits after the point are rounded off");
            }
            let whole = |spelling: &str, scale: u32| sizes(spelling).0.saturating_sub(u64::from(scale));
            if whole(to, new) >= whole(from, old) && unsigned(from) == unsigned(to) { Fate::Kept } else { RANGE }
        }
        (Family::Decimal(_) | Family::Float, Family::Integer | Family::Decimal(_)) => {
            Fate::Changed("digits after the point are rounded off")
        }
        (Family::Text, Family::Text) => {
            if to.starts_with("char(") && !from.starts_with("char(") {
                Fate::Changed("blanks at the end of values are cut off")
            } else if capacity(to) >= capacity(from) {
                Fate::Kept
            } else {
                LENGTH
            }
        }
        (Family::Binary, Family::Binary) if !to.starts_with("binary(") => {
            if capacity(to) >= capacity(from) {
                Fate::Kept
            } else {
                LENGTH
            }
        }
        (Family::Moment(old), Family::Moment(new)) if from.split('(').next() == to.split('(').next() => {
            if new >= old {
                Fate::Kept
            } else {
                Fate::Changed("fractions of seconds are cut off")
            }
        }
        (Family::Time(old), Family::Time(new)) => {
            if new >= old {
                Fate::Kept
            } else {
                Fate::Changed("fractions of seconds are cut off")
            }
        }
        (Family::Date, Family::Moment(_)) if to.starts_with("datetime") => Fate::Kept,
        (Family::Moment(_), Family::Date) => Fate::Changed("the time of day is cut off"),
        (Family::Enumeration, Family::Enumeration) | (Family::Set, Family::Set) => {
            let list = |spelling: &str| -> Vec<String> {
                let inner = spelling.split_once('(').map_or("", |(_, rest)| rest.trim_end_matches(')'));
                inner.split("','").map(|value| value.trim_matches('\'').to_owned()).collect()
            };
            let (had, wanted) = (list(from), list(to));
            let places: Vec<Option<usize>> =
                had.iter().map(|value| wanted.iter().position(|other| other == value)).collect();
            let is_number = |value: &String| !value.is_empty() && value.bytes().all(|byte| byte.is_ascii_digit());
            let in_order = places.iter().flatten().is_sorted();
            if had.iter().any(|value| !wanted.contains(value) && is_number(value)) {
                Fate::Changed("a value that is a number and no longer in the list becomes the member with that number")
            } else if family(from) == Family::Set && !in_order {
                Fate::Changed("values with several members list them in the new order")
            } else if places.iter().all(Option::is_some) {
                Fate::Kept
            } else {
                Fate::Refused("a value that is no longer in the list stops the script")
            }
        }
        (Family::Enumeration | Family::Set, Family::Text) if !to.starts_with("char(") => LENGTH,
        (Family::Integer, Family::Text) if !to.starts_with("char(") && !from.contains("zerofill") => LENGTH,
        _ => Fate::Changed("values are converted to another type"),
    }
}
