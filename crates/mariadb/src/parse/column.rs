//! Column definitions (<https://mariadb.com/kb/en/create-table/#column-definitions>).

use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Check, Clauses, Column, Expression, Flag, ForeignKey, Generated, Name, OnConflict};
use wevrun_core::parse::{Parsed, Reader, TokenKind};

use super::keys::references;
use super::{a_name, number, text_literal, word};
use crate::canonical::types::{DataType, Resolved, family};
use crate::canonical::{defaults, expression};
use crate::{clause, names};

/// A column as it was written: what it is depends on its table.
#[derive(Debug, Clone)]
pub struct ColumnSpec {
    /// Name, constraints and clauses. The type, the collation and the default are not resolved yet.
    column: Column,
    data_type: DataType,
    written_type: String,
    default: Option<Expression>,
    /// NULL is written.
    nullable: bool,
    /// PRIMARY KEY.
    pub primary: bool,
    /// UNIQUE.
    pub unique: bool,
    /// REFERENCES.
    pub references: Option<ForeignKey>,
}

impl ColumnSpec {
    /// The column's name.
    pub fn name(&self) -> &Name {
        &self.column.name
    }

    /// The column in a table of this collation.
    pub fn resolve(&self, table_collation: &str) -> Column {
        let mut column = self.column.clone();
        let Resolved { spelling, collation } = self.data_type.resolve(table_collation);
        let kind = family(&spelling);
        column.default = self.default.as_ref().map(|default| defaults::canonical(default, kind, &spelling));
        if column.default.as_ref().is_some_and(|default| default.canonical == "null") {
            column.default = None;
        }
        column.collation =
            collation.map(|collation| wevrun_core::model::QualifiedName::plain(names::simple(&collation)));
        if self.data_type.is_json() && !column.clauses.has(clause::CHECK) {
            let name = names::always_quoted(column.name.written());
            column.clauses.set(clause::CHECK, expression::of_text(&format!("json_valid({name})")));
        }
        if self.data_type.name == "serial" {
            column.not_null = Some(OnConflict::default());
            column.clauses.set(clause::AUTO_INCREMENT, Flag);
        }
        let is_key = self.primary && !self.nullable;
        if is_key || column.clauses.has(clause::AUTO_INCREMENT) {
            column.not_null = Some(OnConflict::default());
        }
        column.data_type = Some(Expression::new(spelling, &self.written_type));
        column
    }

    /// Whether the engine gives the column a unique key.
    pub fn is_unique(&self) -> bool {
        self.unique || self.data_type.name == "serial"
    }
}

/// A column definition with its constraints.
pub fn column(reader: &mut Reader<'_>) -> Parsed<ColumnSpec> {
    let mut name = a_name(reader, "a column's name")?;
    // The table may be named before it.
    while reader.take_symbol(".") {
        name = a_name(reader, "a column's name")?;
    }
    definition(reader, name)
}

/// The text after the name of a column.
pub fn definition(reader: &mut Reader<'_>, name: Name) -> Parsed<ColumnSpec> {
    let start = reader.position;
    let data_type = data_type(reader)?;
    let written_type = reader.written(start..reader.position).to_owned();
    let mut spec = ColumnSpec {
        column: Column::named(name),
        data_type,
        written_type,
        default: None,
        nullable: false,
        primary: false,
        unique: false,
        references: None,
    };
    while constraint(reader, &mut spec)? {}
    Ok(spec)
}

/// A data type, with its character set and collation.
pub fn data_type(reader: &mut Reader<'_>) -> Parsed<DataType> {
    // The types of the other schemas mean something else.
    if reader.take(&["MARIADB_SCHEMA"]) {
        reader.expect_symbol(".")?;
    }
    let first = reader.peek().filter(|token| token.kind == TokenKind::Word);
    let Some(first) = first else { return Err(reader.expected("a data type")) };
    let mut name = first.text(reader.text).to_ascii_lowercase();
    reader.position += 1;
    let more: &[&str] = match name.as_str() {
        "double" => &["PRECISION"],
        "long" => &["VARCHAR", "VARBINARY"],
        "national" => &["CHAR", "CHARACTER", "VARCHAR", "VARCHARACTER", "VARYING"],
        "nchar" => &["VARCHAR", "VARCHARACTER", "VARYING"],
        "char" | "character" => &["VARYING"],
        _ => &[],
    };
    for word in more {
        if reader.take(&[word]) {
            name.push(' ');
            name.push_str(&word.to_ascii_lowercase());
        }
    }
    let mut data_type = DataType { name, ..DataType::default() };
    if reader.sees_symbol("(") {
        let range = reader.parenthesised()?;
        let tokens = &reader.tokens[range];
        let arguments = tokens.iter().filter(|token| token.kind != TokenKind::Symbol);
        data_type.arguments = arguments.map(|token| token.text(reader.text).to_owned()).collect();
    }
    loop {
        if reader.take(&["UNSIGNED"]) {
            data_type.unsigned = true;
        } else if reader.take(&["ZEROFILL"]) {
            data_type.zerofill = true;
        } else if reader.take(&["SIGNED"]) {
            // The default.
        } else if reader.take(&["CHARACTER", "SET"]) || reader.take(&["CHARSET"]) {
            data_type.character_set = Some(word(reader, "a character set")?);
        } else if reader.take(&["ASCII"]) {
            data_type.character_set = Some("latin1".to_owned());
        } else if reader.take(&["UNICODE"]) {
            data_type.character_set = Some("ucs2".to_owned());
        } else if reader.take(&["BYTE"]) {
            data_type.character_set = Some("binary".to_owned());
        } else if reader.take(&["BINARY"]) {
            data_type.binary = true;
        } else if reader.take(&["COLLATE"]) {
            data_type.collation = Some(word(reader, "a collation")?);
        } else {
            return Ok(data_type);
        }
    }
}

/// One constraint or attribute of a column, if one is next.
fn constraint(reader: &mut Reader<'_>, spec: &mut ColumnSpec) -> Parsed<bool> {
    let column = &mut spec.column;
    if reader.take(&["NOT", "NULL"]) {
        column.not_null = Some(OnConflict::default());
    } else if reader.take(&["NULL"]) {
        spec.nullable = true;
        column.not_null = None;
    } else if reader.take(&["DEFAULT"]) {
        spec.default = Some(defaults::read(reader)?);
    } else if reader.take(&["SERIAL", "DEFAULT", "VALUE"]) {
        column.not_null = Some(OnConflict::default());
        column.clauses.set(clause::AUTO_INCREMENT, Flag);
        spec.unique = true;
    } else if reader.take(&["AUTO_INCREMENT"]) {
        column.clauses.set(clause::AUTO_INCREMENT, Flag);
        column.not_null = Some(OnConflict::default());
    } else if reader.take(&["ON", "UPDATE"]) {
        let read = defaults::read(reader)?;
        column.clauses.set(clause::ON_UPDATE, defaults::moment(&read));
    } else if reader.take(&["PRIMARY", "KEY"]) || reader.take(&["PRIMARY"]) {
        spec.primary = true;
    } else if reader.take(&["UNIQUE", "KEY"]) || reader.take(&["UNIQUE"]) {
        spec.unique = true;
    } else if reader.take(&["KEY"]) {
        spec.primary = true;
    } else if reader.take(&["COMMENT"]) {
        column.clauses.remove(clause::COMMENT);
        let comment = text_literal(reader)?;
        if !comment.is_empty() {
            column.clauses.set(clause::COMMENT, comment);
        }
    } else if reader.take(&["INVISIBLE"]) {
        column.clauses.set(clause::INVISIBLE, Flag);
    } else if reader.take(&["COMPRESSED"]) {
        let method = if reader.take_symbol("=") { word(reader, "a method")? } else { String::new() };
        column.clauses.set(clause::COMPRESSED, method.to_ascii_lowercase());
    } else if reader.take(&["WITHOUT", "SYSTEM", "VERSIONING"]) {
        column.clauses.set(clause::SYSTEM_VERSIONING, "without".to_owned());
    } else if reader.take(&["WITH", "SYSTEM", "VERSIONING"]) {
        column.clauses.set(clause::SYSTEM_VERSIONING, "with".to_owned());
    } else if reader.take(&["REF_SYSTEM_ID"]) {
        reader.expect_symbol("=")?;
        column.clauses.set(clause::REF_SYSTEM_ID, number(reader)?);
    } else if reader.take(&["COLLATE"]) {
        spec.data_type.collation = Some(word(reader, "a collation")?);
    } else if reader.take(&["GENERATED", "ALWAYS", "AS", "ROW"]) || reader.take(&["AS", "ROW"]) {
        let end = reader.take(&["END"]);
        if !end {
            reader.expect("START")?;
        }
        column.clauses.set(clause::ROW_MOMENT, if end { "end" } else { "start" }.to_owned());
        column.not_null = Some(OnConflict::default());
    } else if reader.take(&["GENERATED", "ALWAYS", "AS"]) || reader.take(&["AS"]) {
        let range = reader.parenthesised()?;
        let stored = reader.take(&["STORED"]) || reader.take(&["PERSISTENT"]);
        if !stored {
            reader.take(&["VIRTUAL"]);
        }
        column.generated = Some(Generated { expression: expression::of(reader, range), stored });
    } else if reader.take(&["CHECK"]) {
        let condition = check_condition(reader)?;
        column.clauses.set(clause::CHECK, condition);
    } else if reader.sees("CONSTRAINT") {
        // A name before CHECK or REFERENCES; the server takes it for REFERENCES only.
        let start = reader.position;
        reader.position += 1;
        let name = if reader.sees("CHECK") { None } else { Some(a_name(reader, "the constraint's name")?) };
        if reader.take(&["CHECK"]) {
            if name.is_some() {
                return Err(Box::new(
                    Diagnostic::new(Code::WV005, "a CHECK of a column has no name")
                        .at(reader.location(start..start + 2), "the server refuses this")
                        .help("leave the name out, or write the CHECK after the columns"),
                ));
            }
            let condition = check_condition(reader)?;
            column.clauses.set(clause::CHECK, condition);
        } else if reader.take(&["REFERENCES"]) {
            let name = name.unwrap_or_else(Name::none);
            spec.references = Some(references(reader, vec![column.name.clone()], name)?);
        } else {
            return Err(reader.expected("`CHECK` or `REFERENCES`"));
        }
    } else if reader.take(&["REFERENCES"]) {
        spec.references = Some(references(reader, vec![column.name.clone()], Name::none())?);
    } else {
        return Ok(false);
    }
    Ok(true)
}

fn check_condition(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let range = reader.parenthesised()?;
    if range.is_empty() {
        return Err(reader.expected("a condition"));
    }
    Ok(expression::of(reader, range))
}

/// `[CONSTRAINT [name]] CHECK (…)` of a table, after the name.
pub fn check(reader: &mut Reader<'_>, name: Option<Name>) -> Parsed<Check> {
    Ok(Check {
        condition: check_condition(reader)?,
        name,
        with_column: Default::default(),
        clauses: Clauses::default(),
    })
}
