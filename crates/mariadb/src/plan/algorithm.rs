//! How the server makes a change of a table, which is written out, so that it refuses instead of copying the table silently
//! (<https://mariadb.com/kb/en/innodb-online-ddl-overview/>; each rule was measured on 10.11).

use wevrun_core::model::{Column, Definition, Object, Table};

use crate::canonical::types::{Family, family};
use crate::{charset, clause};

/// The algorithm of a clause, the cheapest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Algorithm {
    /// Only the definition changes.
    Instant,
    /// Indexes are built; the rows stay where they are.
    NoCopy,
    /// The rows are written again while others write.
    Inplace,
    /// The rows are copied, and no other session can write meanwhile.
    Copy,
}

/// A clause of ALTER TABLE, with what it takes.
#[derive(Debug, Clone)]
pub struct Clause {
    pub sql: String,
    pub algorithm: Algorithm,
    /// Others can't write meanwhile, though the rows are not copied.
    pub locks: bool,
    /// It is cheap only by itself.
    pub alone: bool,
}

impl Clause {
    pub fn new(sql: impl Into<String>, algorithm: Algorithm) -> Clause {
        Clause { sql: sql.into(), algorithm, locks: false, alone: false }
    }
}

/// Properties of a table that make changes more expensive.
#[derive(Debug, Clone, Copy)]
pub struct Traits {
    is_innodb: bool,
    has_foreign_keys: bool,
    has_virtual: bool,
    has_generated: bool,
    has_hash: bool,
    has_fulltext: bool,
    is_compressed: bool,
}

impl Traits {
    /// Of a table with its keys.
    pub fn of(table: &Table, keys: &[&Object]) -> Traits {
        let engine = table.clauses.value(clause::ENGINE);
        let any = |is_it: fn(&wevrun_core::model::Index) -> bool| {
            keys.iter().any(|object| matches!(&object.definition, Definition::Index(index) if is_it(index)))
        };
        let row_format = table.clauses.value(clause::OPTION.of("row_format"));
        Traits {
            is_innodb: engine.is_none_or(|engine| engine == "innodb"),
            has_foreign_keys: !table.foreign_keys.is_empty(),
            has_generated: table.columns.iter().any(|column| column.generated.is_some()),
            has_virtual: table.columns.iter().any(|column| column.generated.as_ref().is_some_and(|own| !own.stored)),
            has_hash: any(|index| {
                index.unique && index.clauses.get(clause::USING).is_some_and(|using| using == "hash")
            }),
            has_fulltext: any(|index| index.clauses.get(clause::KIND).is_some_and(|kind| kind == "fulltext")),
            is_compressed: row_format == Some("compressed") || table.clauses.has(clause::OPTION.of("key_block_size")),
        }
    }

    /// Whether the server takes the words ALGORITHM and LOCK as they are meant here.
    pub fn is_innodb(self) -> bool {
        self.is_innodb
    }
}

/// The algorithm for all clauses together, and whether others can write meanwhile.
pub fn of_all(clauses: &[Clause], traits: Traits) -> (Algorithm, bool) {
    let mut algorithm = clauses.iter().map(|clause| clause.algorithm).max().unwrap_or(Algorithm::Instant);
    let adds_column = clauses.iter().any(|clause| clause.sql.starts_with("ADD COLUMN"));
    if clauses.len() > 1 && clauses.iter().any(|clause| clause.alone) {
        algorithm = Algorithm::Copy;
    }
    let changes_columns = adds_column || clauses.iter().any(|clause| clause.sql.starts_with("DROP COLUMN"));
    let builds = clauses.iter().any(|clause| clause.sql.starts_with("ADD ") && clause.algorithm == Algorithm::NoCopy);
    if algorithm == Algorithm::NoCopy && (adds_column || (changes_columns && builds)) {
        algorithm = Algorithm::Inplace;
    }
    if adds_column && (traits.is_compressed || traits.has_fulltext) {
        algorithm = algorithm.max(Algorithm::Inplace);
    }
    // A key that the server made for a foreign key can go with any change.
    if traits.has_foreign_keys {
        algorithm = algorithm.max(Algorithm::NoCopy);
    }
    // Columns that are generated from a column may have to be computed again.
    let modifies =
        clauses.iter().any(|clause| clause.sql.starts_with("MODIFY") && clause.algorithm > Algorithm::Instant);
    if traits.has_generated && modifies {
        algorithm = Algorithm::Copy;
    }
    if traits.has_hash && (algorithm > Algorithm::Instant || adds_column) {
        algorithm = Algorithm::Copy;
    }
    if traits.has_virtual {
        let moves = clauses.iter().any(|clause| {
            let ends = clause.sql.ends_with(" FIRST") || clause.sql.contains(" AFTER ");
            ends && (clause.sql.starts_with("ADD COLUMN") || clause.sql.starts_with("MODIFY"))
        });
        let drops = clauses.iter().any(|clause| clause.sql.starts_with("DROP COLUMN"));
        if algorithm == Algorithm::Inplace || moves || (drops && (algorithm > Algorithm::Instant || clauses.len() > 1))
        {
            algorithm = Algorithm::Copy;
        }
    }
    (algorithm, algorithm == Algorithm::Copy || clauses.iter().any(|clause| clause.locks))
}

/// The words at the end of ALTER TABLE.
pub fn words(algorithm: Algorithm, locks: bool) -> String {
    let name = match algorithm {
        Algorithm::Instant => "INSTANT",
        Algorithm::NoCopy => "NOCOPY",
        Algorithm::Inplace => "INPLACE",
        Algorithm::Copy => "COPY",
    };
    format!("ALGORITHM={name}, LOCK={}", if locks { "SHARED" } else { "NONE" })
}

/// The algorithm of a changed column that keeps its name.
pub fn of_column(have: &Column, want: &Column) -> Algorithm {
    let plain = |column: &Column| {
        let mut column = column.clone();
        column.default = None;
        for key in ["on update", "comment", "invisible"] {
            drop(column.clauses.remove_named(key));
        }
        column
    };
    let (have, want) = (plain(have), plain(want));
    // A column with a CHECK is always taken for another one.
    if want.clauses.has(clause::CHECK) || have.clauses.has(clause::CHECK) {
        return Algorithm::Copy;
    }
    if have == want {
        return Algorithm::Instant;
    }
    if have.clauses != want.clauses || have.generated != want.generated {
        return Algorithm::Copy;
    }
    let type_of =
        |column: &Column| column.data_type.as_ref().map_or(String::new(), |data_type| data_type.canonical.clone());
    let types = of_type((&type_of(&have), collation(&have)), (&type_of(&want), collation(&want)));
    if have.not_null == want.not_null { types } else { types.max(Algorithm::Inplace) }
}

fn collation(column: &Column) -> &str {
    column.collation.as_ref().map_or("", |collation| collation.canonical())
}

fn of_type((have, have_collation): (&str, &str), (want, want_collation): (&str, &str)) -> Algorithm {
    let charset_of = charset::of_collation;
    let (from, to) = (charset_of(have_collation), charset_of(want_collation));
    let grows_in_place = from == to || (from == "utf8mb3" && to == "utf8mb4");
    if !grows_in_place {
        return Algorithm::Copy;
    }
    // A key of the column is built again.
    let compared = if have_collation == want_collation { Algorithm::Instant } else { Algorithm::NoCopy };
    match (family(have), family(want)) {
        (Family::Enumeration | Family::Set, _) if have_collation != want_collation => Algorithm::Copy,
        _ if have == want && from == to => compared,
        (Family::Text, Family::Text) if have.starts_with("varchar(") && want.starts_with("varchar(") => {
            let length = |spelling: &str| spelling[8..].trim_end_matches(')').parse::<u64>().unwrap_or(0);
            let (old, new) = (length(have) * charset::most_bytes(from), length(want) * charset::most_bytes(to));
            let crosses = (128..=255).contains(&old) && new > 255;
            if length(want) >= length(have) && !crosses { compared } else { Algorithm::Copy }
        }
        (Family::Text, Family::Text) if have == want && have.ends_with("text") => compared,
        (Family::Enumeration, Family::Enumeration) | (Family::Set, Family::Set) => {
            let appends = want.strip_suffix(')').is_some_and(|want| want.starts_with(have.trim_end_matches(')')));
            if appends && from == to && size_of_list(have) == size_of_list(want) { compared } else { Algorithm::Copy }
        }
        _ => Algorithm::Copy,
    }
}

/// How many bytes a value of an enumeration or set takes.
fn size_of_list(spelling: &str) -> usize {
    let values = spelling.matches("','").count() + 1;
    if spelling.starts_with("enum") { 1 + usize::from(values > 255) } else { values.div_ceil(8) }
}
