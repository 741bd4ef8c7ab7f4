//! References of texts to objects and columns, recorded where names are resolved.

use std::sync::Arc;

use super::{ColumnRead, ColumnReads, Name, QualifiedName};

/// The bytes of a text from `start` to before `end`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Span {
    /// The first byte.
    pub start: u32,
    /// The byte after the last one.
    pub end: u32,
}

impl Span {
    /// Whether another span is within this one.
    pub fn contains(self, other: Span) -> bool {
        self.start <= other.start && other.end <= self.end
    }

    /// The same span of a text that begins later by this number of bytes.
    pub fn earlier(self, offset: u32) -> Span {
        Span { start: self.start - offset, end: self.end - offset }
    }

    /// The same span of a text that begins earlier by this number of bytes.
    pub fn later(self, offset: u32) -> Span {
        Span { start: self.start + offset, end: self.end + offset }
    }

    /// The text there.
    pub fn of(self, text: &str) -> &str {
        &text[self.start as usize..self.end as usize]
    }
}

/// How an object is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Usage {
    /// The name that the statement defines.
    Defines,
    /// Its rows or values are read.
    Reads,
    /// Its rows or values are written.
    Writes,
    /// All its columns are used in their order: `*`, INSERT without a list of columns.
    WholeRow,
    /// The columns that two relations have in common join them: NATURAL.
    Joins,
    /// Its name is before the dot of another name.
    Qualifies,
    /// A foreign key refers to it.
    References,
    /// An index or trigger is on it.
    Owner,
    /// The column is a part of a key or an index.
    Key,
    /// Changes of the column fire a trigger.
    Fires,
    /// A query names the index to be used.
    Hints,
    /// A routine is called.
    Calls,
    /// A value or column is of the type.
    Type,
    /// A literal is a label of the enumeration.
    Label,
    /// Nothing proves that the name means this object.
    Possible,
}

/// One use of an object or of a column in a text.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Reference {
    /// The object.
    pub object: QualifiedName,
    /// The column of it; none if the object itself is meant.
    pub column: Option<Name>,
    /// How it is used.
    pub usage: Usage,
    /// Where the text has the name; none if it is implied.
    pub span: Option<Span>,
}

/// All references of a text, in the order of their places.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct References(Arc<[Reference]>);

impl References {
    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Reference> {
        self.0.iter()
    }

    /// Whether the column of the object is used by its name.
    pub fn has_column(&self, object: &QualifiedName, column: &Name) -> bool {
        self.iter().any(|reference| reference.column.as_ref() == Some(column) && reference.object == *object)
    }

    /// Whether a column of this name is used, of whichever object.
    pub fn has_column_named(&self, column: &Name) -> bool {
        self.iter().any(|reference| reference.column.as_ref() == Some(column))
    }

    /// Whether the object is used.
    pub fn has_object(&self, object: &QualifiedName) -> bool {
        self.iter().any(|reference| reference.object == *object)
    }

    /// Whether an object of this identifier is used, with whichever schema and arguments.
    pub fn has_identifier(&self, identifier: &str) -> bool {
        self.iter().any(|reference| reference.object.identifier() == identifier)
    }

    /// The references within a part of the text, as references of that part.
    pub fn within(&self, part: Span) -> References {
        let is_within = |reference: &&Reference| reference.span.is_some_and(|span| part.contains(span));
        let of_part = |reference: &Reference| Reference {
            span: reference.span.map(|span| span.earlier(part.start)),
            ..reference.clone()
        };
        self.iter().filter(is_within).map(of_part).collect()
    }

    /// The same references of a longer text, in which this one begins at a byte.
    pub fn later(&self, offset: u32) -> References {
        let moved = |reference: &Reference| Reference {
            span: reference.span.map(|span| span.later(offset)),
            ..reference.clone()
        };
        self.iter().map(moved).collect()
    }

    /// The columns and whole rows that are read.
    pub fn column_reads(&self) -> ColumnReads {
        let read = |reference: &Reference| match reference.usage {
            Usage::WholeRow => Some(ColumnRead { of: reference.object.clone(), column: None }),
            Usage::Joins => Some(ColumnRead { of: reference.object.clone(), column: reference.column.clone() }),
            Usage::Defines | Usage::Qualifies | Usage::Hints | Usage::Label => None,
            _ => {
                reference.column.clone().map(|column| ColumnRead { of: reference.object.clone(), column: Some(column) })
            }
        };
        self.iter().filter_map(read).collect()
    }
}

impl FromIterator<Reference> for References {
    fn from_iter<I: IntoIterator<Item = Reference>>(references: I) -> References {
        let mut all: Vec<Reference> = references.into_iter().collect();
        all.sort_by(|a, b| (a.span, &a.object, &a.column, a.usage).cmp(&(b.span, &b.object, &b.column, b.usage)));
        all.dedup();
        References(all.into())
    }
}

/// A text with other names in some places. The edits are in the order of their places, and none overlaps another.
pub fn edited(text: &str, edits: &[(Span, String)]) -> String {
    let (mut out, mut from) = (String::with_capacity(text.len()), 0);
    for (span, name) in edits {
        out.push_str(&text[from..span.start as usize]);
        out.push_str(name);
        from = span.end as usize;
    }
    out + &text[from..]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn reference(object: &str, column: Option<&str>, usage: Usage, start: u32) -> Reference {
        let name = |text: &str| Name::new(text, text);
        let length = column.unwrap_or(object).len() as u32;
        Reference {
            object: QualifiedName::plain(name(object)),
            column: column.map(name),
            usage,
            span: Some(Span { start, end: start + length }),
        }
    }

    #[test]
    fn references_within_a_part_have_its_places() {
        let all: References = [
            reference("hives", None, Usage::Defines, 13),
            reference("hives", Some("weight"), Usage::Reads, 40),
            reference("queens", Some("weight"), Usage::Reads, 50),
        ]
        .into_iter()
        .collect();
        let part = all.within(Span { start: 38, end: 48 });
        let spans: Vec<_> = part.iter().map(|reference| reference.span).collect();
        assert_eq!(spans, [Some(Span { start: 2, end: 8 })]);
        let name = |text: &str| Name::new(text, text);
        assert!(part.has_column(&QualifiedName::plain(name("hives")), &name("weight")));
        assert!(!part.has_column(&QualifiedName::plain(name("queens")), &name("weight")));
    }

    #[test]
    fn star_reads_whole_rows_and_qualifiers_read_nothing() {
        let references: References = [
            reference("hives", None, Usage::WholeRow, 7),
            reference("hives", None, Usage::Qualifies, 20),
            reference("queens", None, Usage::Reads, 30),
            reference("queens", Some("id"), Usage::Reads, 45),
        ]
        .into_iter()
        .collect();
        let reads: Vec<String> = references
            .column_reads()
            .iter()
            .map(|read| format!("{}.{}", read.of, read.column.as_ref().map_or("*", Name::written)))
            .collect();
        assert_eq!(reads, ["hives.*", "queens.id"]);
    }

    #[test]
    fn edits_keep_the_text_around_them() {
        let edits =
            [(Span { start: 7, end: 9 }, "mass".to_owned()), (Span { start: 22, end: 26 }, "\"x y\"".to_owned())];
        assert_eq!(edited("SELECT kg /* kg */ AS bees FROM t", &edits), "SELECT mass /* kg */ AS \"x y\" FROM t");
    }
}
