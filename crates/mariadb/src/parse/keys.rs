//! Keys and foreign keys, and the names that the server makes up for them.

use std::collections::BTreeSet;

use wevrun_core::model::{
    Action, Clauses, Definition, Expression, Flag, ForeignKey, Index, IndexPart, Key, KeyPart, Name, Object,
    QualifiedName,
};
use wevrun_core::parse::{Parsed, Reader};

use super::{a_name, name_list, number, qualified_name, text_literal, word};
use crate::{clause, names, write};

/// The kind of a key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KeyKind {
    Primary,
    Unique,
    Plain,
    Fulltext,
    Spatial,
}

/// A key as it was written.
#[derive(Debug, Clone)]
pub struct KeySpec {
    pub kind: KeyKind,
    /// Its name, if it has one.
    pub name: Option<Name>,
    pub parts: Vec<Part>,
    pub clauses: Clauses,
}

/// A column of a key.
#[derive(Debug, Clone)]
pub struct Part {
    pub column: Name,
    /// Only the first characters or bytes.
    pub length: Option<String>,
    pub descending: bool,
}

impl KeySpec {
    /// A key of one whole column.
    pub fn of_column(kind: KeyKind, column: &Name) -> KeySpec {
        let part = Part { column: column.clone(), length: None, descending: false };
        KeySpec { kind, name: None, parts: vec![part], clauses: Clauses::default() }
    }

    /// The primary key.
    pub fn primary(&self) -> Key {
        let mut clauses = self.clauses.clone();
        for part in &self.parts {
            if let Some(length) = &part.length {
                clauses.set(clause::LENGTH_OF.of(part.column.canonical()), length.clone());
            }
        }
        let part = |part: &Part| KeyPart { column: part.column.clone(), collation: None, descending: part.descending };
        Key {
            name: Name::none(),
            parts: self.parts.iter().map(part).collect(),
            on_conflict: Default::default(),
            autoincrement: false,
            clauses,
        }
    }

    /// Any other key as an object of its own.
    pub fn index(&self, table: &QualifiedName, name: &str) -> Object {
        let part = |part: &Part| {
            let mut clauses = Clauses::default();
            if let Some(length) = &part.length {
                clauses.set(clause::LENGTH, length.clone());
            }
            IndexPart {
                expression: column_expression(&part.column),
                collation: None,
                descending: part.descending,
                clauses,
            }
        };
        let mut clauses = self.clauses.clone();
        match self.kind {
            KeyKind::Fulltext => clauses.set(clause::KIND, "fulltext".to_owned()),
            KeyKind::Spatial => clauses.set(clause::KIND, "spatial".to_owned()),
            _ => {}
        }
        let index = Index {
            table: table.clone(),
            unique: self.kind == KeyKind::Unique,
            parts: self.parts.iter().map(part).collect(),
            predicate: None,
            clauses,
        };
        let mut object = Object::new(names::key(table, name), Definition::Index(index));
        object.text = write::create_statement(&object);
        object
    }
}

/// A column as the expression of a part of a key. In double quotes if it could be read as something else, as the model wants it.
pub fn column_expression(column: &Name) -> Expression {
    let is_word = |text: &str| text.chars().all(|ch| ch.is_alphanumeric() || ch == '_');
    let canonical = column.canonical();
    let canonical =
        if is_word(canonical) { canonical.to_owned() } else { format!("\"{}\"", canonical.replace('"', "\"\"")) };
    Expression::new(canonical, &names::quoted(column.written()))
}

/// The column that a part of a key names.
pub fn column_of(part: &IndexPart) -> Name {
    names::simple(&super::unquoted_name(part.expression.written()))
}

/// Which kind of key a table element begins, if it does. The keywords are taken.
pub fn kind(reader: &mut Reader<'_>) -> Option<KeyKind> {
    let kind = if reader.take(&["PRIMARY", "KEY"]) {
        KeyKind::Primary
    } else if reader.take(&["UNIQUE"]) {
        let _ = reader.take(&["KEY"]) || reader.take(&["INDEX"]);
        KeyKind::Unique
    } else if reader.take(&["FULLTEXT"]) {
        let _ = reader.take(&["KEY"]) || reader.take(&["INDEX"]);
        KeyKind::Fulltext
    } else if reader.take(&["SPATIAL"]) {
        let _ = reader.take(&["KEY"]) || reader.take(&["INDEX"]);
        KeyKind::Spatial
    } else if reader.take(&["KEY"]) || reader.take(&["INDEX"]) {
        KeyKind::Plain
    } else {
        return None;
    };
    Some(kind)
}

/// The rest of a key: `[IF NOT EXISTS] [name] [USING …] (…) options`. `constraint` is the name before the keyword.
pub fn key(reader: &mut Reader<'_>, kind: KeyKind, constraint: Option<Name>) -> Parsed<KeySpec> {
    reader.take(&["IF", "NOT", "EXISTS"]);
    let mut name = None;
    if !reader.sees_symbol("(") && !reader.sees("USING") && !reader.sees("TYPE") {
        name = Some(a_name(reader, "the key's name")?);
    }
    key_after_name(reader, kind, name.or(constraint))
}

/// The text after the name of a key.
pub fn key_after_name(reader: &mut Reader<'_>, kind: KeyKind, name: Option<Name>) -> Parsed<KeySpec> {
    let mut clauses = Clauses::default();
    while option(reader, &mut clauses)? {}
    reader.expect_symbol("(")?;
    let mut parts = Vec::new();
    loop {
        let column = a_name(reader, "a column's name")?;
        if reader.take(&["WITHOUT", "OVERLAPS"]) {
            clauses.set(clause::WITHOUT_OVERLAPS, column);
        } else {
            let mut length = None;
            if reader.take_symbol("(") {
                length = Some(number(reader)?);
                reader.expect_symbol(")")?;
            }
            let descending = reader.take(&["DESC"]);
            if !descending {
                reader.take(&["ASC"]);
            }
            parts.push(Part { column, length, descending });
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    while option(reader, &mut clauses)? {}
    let name = name.filter(|_| kind != KeyKind::Primary);
    Ok(KeySpec { kind, name, parts, clauses })
}

/// One option of a key, if one is next.
fn option(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<bool> {
    if reader.take(&["USING"]) || reader.take(&["TYPE"]) {
        clauses.set(clause::USING, word(reader, "an index type")?.to_ascii_lowercase());
    } else if reader.take(&["KEY_BLOCK_SIZE"]) {
        reader.take_symbol("=");
        let size = number(reader)?;
        if size != "0" {
            clauses.set(clause::KEY_BLOCK_SIZE, size);
        }
    } else if reader.take(&["COMMENT"]) {
        let comment = text_literal(reader)?;
        if !comment.is_empty() {
            clauses.set(clause::COMMENT, comment);
        }
    } else if reader.take(&["WITH", "PARSER"]) {
        clauses.set(clause::PARSER, word(reader, "a parser")?);
    } else if reader.take(&["NOT", "IGNORED"]) {
        clauses.remove(clause::IGNORED);
    } else if reader.take(&["IGNORED"]) {
        clauses.set(clause::IGNORED, Flag);
    } else if reader.take(&["CLUSTERING"]) {
        reader.take_symbol("=");
        word(reader, "`YES` or `NO`")?;
    } else {
        return Ok(false);
    }
    Ok(true)
}

/// `FOREIGN KEY [IF NOT EXISTS] [name] (…) REFERENCES …`, after the two keywords. The name in the model is that of the constraint.
pub fn foreign_key(reader: &mut Reader<'_>, constraint: Option<Name>) -> Parsed<ForeignKey> {
    reader.take(&["IF", "NOT", "EXISTS"]);
    let mut index = None;
    if !reader.sees_symbol("(") {
        index = Some(a_name(reader, "the key's name")?);
    }
    let columns = name_list(reader, "a column's name")?;
    reader.expect("REFERENCES")?;
    references(reader, columns, constraint.or(index).unwrap_or_else(Name::none))
}

/// The text after REFERENCES.
pub fn references(reader: &mut Reader<'_>, columns: Vec<Name>, name: Name) -> Parsed<ForeignKey> {
    let parent = qualified_name(reader, "the referenced table's name")?;
    let parent_columns = if reader.sees_symbol("(") { name_list(reader, "a column's name")? } else { Vec::new() };
    let mut key = ForeignKey {
        name,
        columns,
        with_column: Default::default(),
        parent,
        parent_columns,
        on_delete: Action::NoAction,
        on_update: Action::NoAction,
        deferred: false,
        clauses: Clauses::default(),
    };
    loop {
        if reader.take(&["ON", "DELETE"]) {
            key.on_delete = action(reader)?;
        } else if reader.take(&["ON", "UPDATE"]) {
            key.on_update = action(reader)?;
        } else if reader.take(&["MATCH"]) {
            word(reader, "`FULL`, `PARTIAL` or `SIMPLE`")?; // taken, without effect
        } else {
            return Ok(key);
        }
    }
}

/// RESTRICT and NO ACTION mean the same (<https://mariadb.com/kb/en/foreign-keys/#constraints>).
fn action(reader: &mut Reader<'_>) -> Parsed<Action> {
    if reader.take(&["RESTRICT"]) || reader.take(&["NO", "ACTION"]) {
        Ok(Action::NoAction)
    } else if reader.take(&["CASCADE"]) {
        Ok(Action::Cascade)
    } else if reader.take(&["SET", "NULL"]) {
        Ok(Action::SetNull)
    } else if reader.take(&["SET", "DEFAULT"]) {
        Ok(Action::SetDefault)
    } else {
        Err(reader.expected("`RESTRICT`, `CASCADE`, `SET NULL`, `NO ACTION` or `SET DEFAULT`"))
    }
}

/// A name for a key that begins with this column: the column's, or with the first free number.
pub fn made_up_name(column: &Name, taken: &BTreeSet<String>) -> String {
    let base = column.written();
    let free = |name: &str| !taken.contains(&name.to_lowercase());
    if free(base) && !base.eq_ignore_ascii_case("PRIMARY") {
        return base.to_owned();
    }
    let name = (2..).map(|number| format!("{base}_{number}")).find(|name| free(name));
    name.expect("numbers do not end")
}

/// The name of a foreign key that has none, beside these of its table.
pub fn foreign_key_name<'k>(table: &str, keys: impl Iterator<Item = &'k ForeignKey>) -> String {
    let prefix = format!("{}_ibfk_", table.to_lowercase());
    let number = |key: &ForeignKey| key.name.canonical().strip_prefix(&prefix)?.parse::<u64>().ok();
    let highest = keys.filter_map(number).max().unwrap_or(0);
    format!("{table}_ibfk_{}", highest + 1)
}

/// Whether a key's first columns are these, whole and in this order: then it serves a foreign key.
pub fn begins_with(parts: &[(Name, bool)], columns: &[Name]) -> bool {
    parts.len() >= columns.len() && columns.iter().zip(parts).all(|(column, (part, whole))| column == part && *whole)
}

/// The parts of an index: each column, and whether it is the whole of it.
pub fn index_columns(index: &Index) -> Vec<(Name, bool)> {
    index.parts.iter().map(|part| (column_of(part), !part.clauses.has(clause::LENGTH))).collect()
}

/// The parts of a primary key, in the same way.
pub fn primary_columns(key: &Key) -> Vec<(Name, bool)> {
    let whole = |part: &KeyPart| !key.clauses.has(clause::LENGTH_OF.of(part.column.canonical()));
    key.parts.iter().map(|part| (part.column.clone(), whole(part))).collect()
}

/// Whether an index can serve a foreign key.
pub fn can_serve(index: &Index) -> bool {
    !index.clauses.has(clause::KIND)
        && index.clauses.get(clause::USING).is_none_or(|using| using != "hash" || !index.unique)
}
