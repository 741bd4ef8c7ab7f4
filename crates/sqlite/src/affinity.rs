//! How a declared type decides what becomes of a value (<https://sqlite.org/datatype3.html#determination_of_column_affinity>).

use std::fmt;

use wevrun_core::model::Column;

/// A column's affinity.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Affinity {
    /// INTEGER.
    Integer,
    /// TEXT.
    Text,
    /// BLOB: values stay what they are.
    Blob,
    /// REAL.
    Real,
    /// NUMERIC.
    Numeric,
}

impl Affinity {
    /// The affinity of a column. In a STRICT table ANY leaves values as they are.
    pub fn of(column: &Column, strict: bool) -> Affinity {
        let Some(data_type) = &column.data_type else { return Affinity::Blob };
        let name = data_type.canonical.as_str();
        if strict && name == "any" {
            Affinity::Blob
        } else if name.contains("int") {
            Affinity::Integer
        } else if ["char", "clob", "text"].iter().any(|part| name.contains(part)) {
            Affinity::Text
        } else if name.contains("blob") {
            Affinity::Blob
        } else if ["real", "floa", "doub"].iter().any(|part| name.contains(part)) {
            Affinity::Real
        } else {
            Affinity::Numeric
        }
    }

    /// Whether storing values of the other affinity can't change any.
    pub fn keeps_values_of(self, other: Affinity) -> bool {
        use Affinity::{Blob, Integer, Numeric};
        self == other || self == Blob || matches!((other, self), (Integer, Numeric) | (Numeric, Integer))
    }
}

impl fmt::Display for Affinity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Affinity::Integer => "INTEGER",
            Affinity::Text => "TEXT",
            Affinity::Blob => "BLOB",
            Affinity::Real => "REAL",
            Affinity::Numeric => "NUMERIC",
        })
    }
}
