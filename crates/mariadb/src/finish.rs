//! Makes canonical what needs the whole schema: keys that the server cuts, hashes or drops, and what names refer to.

use std::collections::BTreeMap;

use wevrun_core::model::{Definition, Kind, Model, Object, ObjectKey, QualifiedName, Table};

use crate::canonical::query::{self, Known};
use crate::parse::keys::{begins_with, column_of, index_columns};
use crate::{clause, resolve};

/// Makes canonical what needs the whole schema to be known.
pub fn finish(model: &mut Model) {
    drop_ignored_foreign_keys(model);
    fit_keys(model);
    drop_needless_keys(model);
    let known = Known::of(model);
    query::finish(model, &known);
    resolve::all(model, &known);
}

/// Whether InnoDB stores a table: only it keeps foreign keys (<https://mariadb.com/kb/en/foreign-keys/>).
pub fn is_innodb(table: &Table) -> bool {
    table.clauses.value(clause::ENGINE).is_none_or(|engine| engine == "innodb")
}

fn drop_ignored_foreign_keys(model: &mut Model) {
    let keeps =
        |object: &&Object| object.as_table().is_none_or(|table| table.foreign_keys.is_empty() || is_innodb(table));
    let ignored: Vec<ObjectKey> =
        model.of_kind(Kind::Table).filter(|object| !keeps(object)).map(|object| object.key()).collect();
    for key in ignored {
        if let Some(Definition::Table(table)) = model.get_mut(&key).map(|object| &mut object.definition) {
            table.foreign_keys.clear();
        }
    }
}

/// The longest key of InnoDB, in bytes (<https://mariadb.com/kb/en/innodb-limitations/>), and that of other engines.
const LONGEST_KEY: (u64, u64) = (3072, 1000);

/// As much of a point as there is in a key.
const POINT_LENGTH: &str = "25";

/// A value that is too long for a key is cut, or only its hash is kept. A length that covers the column is not kept.
fn fit_keys(model: &mut Model) {
    let mut fitted = Vec::new();
    for object in model.of_kind(Kind::Index) {
        let Definition::Index(index) = &object.definition else { continue };
        let Some(table) = model.table(&index.table) else { continue };
        let longest = if is_innodb(table) { LONGEST_KEY.0 } else { LONGEST_KEY.1 };
        let mut new = index.clone();
        let (mut hashed, mut total, count) = (false, 0, index.parts.len());
        let is_special = index.clauses.has(clause::KIND);
        for part in &mut new.parts {
            let Some(column) = table.column(&column_of(part)) else { continue };
            let spelling = column.data_type.as_ref().map_or("", |own| own.canonical.as_str());
            let size = Size::of(spelling);
            let width = column
                .collation
                .as_ref()
                .map_or(1, |own| crate::charset::most_bytes(crate::charset::of_collation(own.canonical())));
            let said = part.clauses.get(clause::LENGTH).and_then(|length| length.parse::<u64>().ok());
            total += match (&size, said) {
                (_, Some(said)) => said * width,
                (Size::Fixed(length), None) => length * width,
                _ => 0,
            };
            match (size, said) {
                (Size::Fixed(length), Some(said)) if length == said => drop(part.clauses.remove(clause::LENGTH)),
                (Size::Point, _) if !is_special => part.clauses.set(clause::LENGTH, POINT_LENGTH.to_owned()),
                (Size::Fixed(_) | Size::Long, Some(said)) if said * width > longest => {
                    if index.unique {
                        hashed = true;
                    } else {
                        part.clauses.set(clause::LENGTH, (longest / width).to_string());
                    }
                }
                (_, Some(_)) | (Size::Other | Size::Point, None) => {}
                (Size::Fixed(length), None) if length * width <= longest => {}
                (_, None) if index.unique => hashed = true,
                (Size::Tiny, None) if !is_special => part.clauses.set(clause::LENGTH, 255.to_string()),
                (Size::Fixed(_) | Size::Long, None) if !is_special && count == 1 => {
                    part.clauses.set(clause::LENGTH, (longest / width).to_string());
                }
                _ => {}
            }
        }
        if hashed || (index.unique && total > longest) {
            new.clauses.set(clause::USING, "hash".to_owned());
        }
        // Of other keys than these, InnoDB has no hash: it forgets the word when it copies the table.
        else if index.unique
            && is_innodb(table)
            && new.clauses.get(clause::USING).is_some_and(|using| using == "hash")
        {
            new.clauses.remove(clause::USING);
        }
        if new != *index {
            fitted.push((object.key(), new));
        }
    }
    for (key, index) in fitted {
        if let Some(object) = model.get_mut(&key) {
            object.definition = Definition::Index(index);
        }
    }
}

/// How long the values of a column can be.
enum Size {
    /// So many characters or bytes.
    Fixed(u64),
    /// At most 255 bytes, of which a key always has a length.
    Tiny,
    /// Longer than any key.
    Long,
    /// A point.
    Point,
    /// It fits always.
    Other,
}

impl Size {
    fn of(spelling: &str) -> Size {
        let (name, rest) = spelling.split_once('(').unwrap_or((spelling, ""));
        match name {
            "char" | "varchar" | "binary" | "varbinary" => {
                rest.trim_end_matches(')').parse().map_or(Size::Other, Size::Fixed)
            }
            "tinytext" | "tinyblob" => Size::Tiny,
            "point" => Size::Point,
            name if name.ends_with("text") || name.ends_with("blob") => Size::Long,
            _ => Size::Other,
        }
    }
}

/// A key that was only made for a foreign key is dropped as soon as another key serves it.
fn drop_needless_keys(model: &mut Model) {
    let mut by_table: BTreeMap<QualifiedName, Vec<ObjectKey>> = BTreeMap::new();
    for object in model.of_kind(Kind::Index) {
        if let Some(owner) = object.definition.owner() {
            by_table.entry(owner.clone()).or_default().push(object.key());
        }
    }
    let mut needless = Vec::new();
    for keys in by_table.values() {
        let indexes: Vec<_> = keys.iter().filter_map(|key| model.get(key)).collect();
        for object in indexes.iter().filter(|object| object.text.is_empty()) {
            let Definition::Index(index) = &object.definition else { continue };
            let columns: Vec<_> = index_columns(index).into_iter().map(|(column, _)| column).collect();
            let serves = |other: &&&wevrun_core::model::Object| match &other.definition {
                Definition::Index(other_index) => {
                    other.name != object.name
                        && !other.text.is_empty()
                        && crate::parse::keys::can_serve(other_index)
                        && begins_with(&index_columns(other_index), &columns)
                }
                _ => false,
            };
            if indexes.iter().any(|other| serves(&other)) {
                needless.push(object.key());
            }
        }
    }
    for key in needless {
        model.remove(&key);
    }
}
