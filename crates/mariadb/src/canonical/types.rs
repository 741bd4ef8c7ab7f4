//! Data types as the server spells them (`SHOW CREATE TABLE`).

use crate::charset;
use crate::names::{literal, unescaped};

/// A data type as it was written.
#[derive(Debug, Clone, Default)]
pub struct DataType {
    /// Its words in lower case: `int`, `double precision`, `national varchar`.
    pub name: String,
    /// The text in parentheses: numbers, or the literals of an enumeration.
    pub arguments: Vec<String>,
    /// UNSIGNED.
    pub unsigned: bool,
    /// ZEROFILL.
    pub zerofill: bool,
    /// CHARACTER SET.
    pub character_set: Option<String>,
    /// COLLATE.
    pub collation: Option<String>,
    /// BINARY: the collation of the character set that compares codes.
    pub binary: bool,
}

/// The same, as the server has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Resolved {
    /// The server's spelling.
    pub spelling: String,
    /// The collation, if it is text.
    pub collation: Option<String>,
}

/// Which kind of value a type has, as far as constants depend on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Family {
    Integer,
    /// With this many digits after the point.
    Decimal(u32),
    Float,
    Bit,
    Text,
    Binary,
    Year,
    Date,
    /// With this many digits of a second.
    Time(u32),
    Moment(u32),
    Enumeration,
    Set,
    Other,
}

impl DataType {
    /// Whether no character set was written.
    pub fn has_no_character_set(&self) -> bool {
        let is_national =
            self.name.starts_with("national") || self.name.starts_with("nchar") || self.name == "nvarchar";
        self.character_set.is_none() && self.collation.is_none() && !self.binary && !is_national
    }

    /// The type in a table of this collation.
    pub fn resolve(&self, table_collation: &str) -> Resolved {
        let collation = self.collation_in(table_collation);
        let is_bytes = collation == "binary";
        let character_set = charset::of_collation(&collation).to_owned();
        let arguments =
            || if self.arguments.is_empty() { String::new() } else { format!("({})", self.arguments.join(",")) };
        let first = |usual: &str| self.arguments.first().cloned().unwrap_or_else(|| usual.to_owned());
        let integer = |name: &str, signed: u32, unsigned: u32| {
            let is_unsigned = self.unsigned || self.zerofill;
            let width = first(&(if is_unsigned { unsigned } else { signed }).to_string());
            format!("{name}({width}){}", self.sign())
        };
        let text = |spelling: String| Resolved { spelling, collation: Some(collation.clone()) };
        let plain = |spelling: String| Resolved { spelling, collation: None };
        match self.name.as_str() {
            "int" | "integer" | "int4" => plain(integer("int", 11, 10)),
            "tinyint" | "int1" => plain(integer("tinyint", 4, 3)),
            "smallint" | "int2" => plain(integer("smallint", 6, 5)),
            "mediumint" | "middleint" | "int3" => plain(integer("mediumint", 9, 8)),
            "bigint" | "int8" => plain(integer("bigint", 20, 20)),
            "serial" => plain("bigint(20) unsigned".to_owned()),
            "bool" | "boolean" => plain("tinyint(1)".to_owned()),
            "decimal" | "dec" | "fixed" | "numeric" | "number" => {
                let (whole, scale) = (first("10"), self.arguments.get(1).map_or("0", String::as_str));
                let whole = if whole == "0" { "10".to_owned() } else { whole };
                plain(format!("decimal({whole},{scale}){}", self.sign()))
            }
            "float" | "float4" => {
                let name = match &self.arguments[..] {
                    [bits] if bits.parse::<u32>().is_ok_and(|bits| bits > 24) => "double".to_owned(),
                    [_] => "float".to_owned(),
                    _ => format!("float{}", arguments()),
                };
                plain(format!("{name}{}", self.sign()))
            }
            "double" | "double precision" | "real" | "float8" => plain(format!("double{}{}", arguments(), self.sign())),
            "bit" => plain(format!("bit({})", first("1"))),
            "year" => plain(if first("4") == "2" { "year(2)" } else { "year(4)" }.to_owned()),
            "char" | "character" | "nchar" | "national char" | "national character" => {
                if is_bytes {
                    plain(format!("binary({})", first("1")))
                } else {
                    text(format!("char({})", first("1")))
                }
            }
            "varchar"
            | "varchar2"
            | "char varying"
            | "character varying"
            | "varcharacter"
            | "nvarchar"
            | "national varchar"
            | "national char varying"
            | "national character varying"
            | "nchar varying"
            | "nchar varchar"
            | "national varcharacter"
            | "nchar varcharacter" => {
                if is_bytes {
                    plain(format!("varbinary{}", arguments()))
                } else {
                    text(format!("varchar{}", arguments()))
                }
            }
            "binary" => plain(format!("binary({})", first("1"))),
            "varbinary" | "raw" => plain(format!("varbinary{}", arguments())),
            "tinytext" | "text" | "mediumtext" | "longtext" | "long" | "long varchar" | "clob" => {
                let kind = match self.name.as_str() {
                    "tinytext" => "tiny",
                    "text" => self.size(charset::most_bytes(&character_set)),
                    "longtext" | "clob" => "long",
                    _ => "medium",
                };
                if is_bytes { plain(format!("{kind}blob")) } else { text(format!("{kind}text")) }
            }
            "blob" => plain(format!("{}blob", self.size(1))),
            "long varbinary" => plain("mediumblob".to_owned()),
            "json" => Resolved { spelling: "longtext".to_owned(), collation: Some("utf8mb4_bin".to_owned()) },
            "enum" | "set" => {
                let values = self.arguments.iter().map(|value| {
                    let text = hexadecimal(value).unwrap_or_else(|| unescaped(value));
                    literal(text.trim_end_matches(' '))
                });
                text(format!("{}({})", self.name, values.collect::<Vec<_>>().join(",")))
            }
            "time" | "datetime" | "timestamp" => match &self.arguments[..] {
                [digits] if digits != "0" => plain(format!("{}({digits})", self.name)),
                _ => plain(self.name.clone()),
            },
            "geomcollection" => plain("geometrycollection".to_owned()),
            other => plain(format!("{other}{}", arguments())),
        }
    }

    fn sign(&self) -> &'static str {
        match (self.unsigned, self.zerofill) {
            (_, true) => " unsigned zerofill",
            (true, false) => " unsigned",
            (false, false) => "",
        }
    }

    /// `text(300)` takes the smallest type that has room for it, in bytes.
    fn size(&self, bytes: u64) -> &'static str {
        let Some(length) = self.arguments.first().and_then(|length| length.parse::<u64>().ok()) else { return "" };
        match length.saturating_mul(bytes) {
            0..=255 => "tiny",
            256..=65_535 => "",
            65_536..=16_777_215 => "medium",
            _ => "long",
        }
    }

    /// The collation of the type, if it is text.
    fn collation_in(&self, table_collation: &str) -> String {
        let is_national = self.name.starts_with('n') && self.name != "numeric" && self.name != "number";
        let character_set = match &self.character_set {
            Some(said) => Some(charset::character_set(said)),
            None if is_national => Some("utf8mb3".to_owned()),
            None => None,
        };
        let context = character_set.clone().unwrap_or_else(|| charset::of_collation(table_collation).to_owned());
        match &self.collation {
            Some(said) if said.eq_ignore_ascii_case("default") => charset::default_collation(&context),
            Some(said) => charset::collation(said, &context),
            None if self.binary => charset::binary_collation(&context),
            None => match character_set {
                Some(said) => charset::default_collation(&said),
                None => table_collation.to_owned(),
            },
        }
    }

    /// Whether the column is a JSON document: then it has a CHECK unless another one is written.
    pub fn is_json(&self) -> bool {
        self.name == "json"
    }
}

/// The family of a type in the server's spelling.
pub fn family(spelling: &str) -> Family {
    let name = spelling.split(['(', ' ']).next().unwrap_or_default();
    let argument = |index: usize| -> Option<u32> {
        let inner = spelling.split_once('(')?.1.split_once(')')?.0;
        inner.split(',').nth(index)?.trim().parse().ok()
    };
    match name {
        "int" | "tinyint" | "smallint" | "mediumint" | "bigint" => Family::Integer,
        "decimal" => Family::Decimal(argument(1).unwrap_or(0)),
        "float" | "double" => Family::Float,
        "bit" => Family::Bit,
        "year" => Family::Year,
        "date" => Family::Date,
        "time" => Family::Time(argument(0).unwrap_or(0)),
        "datetime" | "timestamp" => Family::Moment(argument(0).unwrap_or(0)),
        "enum" => Family::Enumeration,
        "set" => Family::Set,
        "char" | "varchar" => Family::Text,
        name if name.ends_with("text") => Family::Text,
        name if name.ends_with("blob") || name.ends_with("binary") => Family::Binary,
        _ => Family::Other,
    }
}

/// The text of a value like `0x61`, if it is one.
fn hexadecimal(value: &str) -> Option<String> {
    let digits = value.strip_prefix("0x").or_else(|| value.strip_prefix("x'")?.strip_suffix('\''))?;
    String::from_utf8(super::defaults::bytes(digits)?).ok()
}
