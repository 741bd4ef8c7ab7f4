//! Random SQLite schemas, as plain values.

use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};

/// A random number generator that gives the same for the same seed.
pub fn rng(seed: u64) -> SmallRng {
    SmallRng::seed_from_u64(seed)
}

/// A whole schema.
#[derive(Debug, Clone, Default)]
pub struct Schema {
    /// Tables.
    pub tables: Vec<Table>,
    /// Indexes.
    pub indexes: Vec<Index>,
    /// Views.
    pub views: Vec<View>,
    /// Triggers.
    pub triggers: Vec<Trigger>,
    /// Full-text tables: name and columns.
    pub full_text: Vec<(String, Vec<String>)>,
}

impl Schema {
    /// The schema with only those objects whose place in `kept` is true, counted over all lists; objects beyond its end are kept. What
    /// can't be without another object is left out as well. So a failing property test finds a small schema that fails.
    pub fn kept(mut self, kept: &[bool]) -> Schema {
        if kept.iter().all(|is_kept| *is_kept) {
            return self;
        }
        let mut flags = kept.iter().copied().chain(std::iter::repeat(true));
        let mut is_kept = || flags.next().unwrap_or(true);
        self.triggers.retain(|_| is_kept());
        self.views.retain(|_| is_kept());
        self.indexes.retain(|_| is_kept());
        self.full_text.retain(|_| is_kept());
        self.tables.retain(|_| is_kept());
        crate::mutate::repair(&mut self);
        self
    }
}

/// A table.
#[derive(Debug, Clone)]
pub struct Table {
    /// Its name.
    pub name: String,
    /// Its former name, for a comment.
    pub formerly: Option<String>,
    /// Its columns.
    pub columns: Vec<Column>,
    /// How rows are found.
    pub key: Key,
    /// STRICT.
    pub strict: bool,
    /// CHECK constraints of the table: name and condition, in which `{0}` is replaced by the column.
    pub checks: Vec<(Option<String>, String, String)>,
    /// UNIQUE constraints beside the key. Each holds the first key column, so that rows can't break it.
    pub uniques: Vec<Vec<String>>,
}

/// How a table's rows are found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Key {
    /// No primary key.
    None,
    /// INTEGER PRIMARY KEY on the first column.
    RowId,
    /// The same with AUTOINCREMENT.
    AutoIncrement,
    /// A primary key over the first columns, so many of them.
    Columns(usize),
    /// The same, WITHOUT ROWID.
    WithoutRowId(usize),
}

/// A column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// Its former name, for a comment.
    pub formerly: Option<String>,
    /// Its type; empty for none.
    pub data_type: String,
    /// NOT NULL.
    pub not_null: bool,
    /// DEFAULT, as it is in SQL.
    pub default: Option<String>,
    /// COLLATE.
    pub collation: Option<String>,
    /// The column that it is computed from, and whether it is stored.
    pub generated: Option<(String, bool)>,
    /// The table that it refers to, with the rest of the clause.
    pub references: Option<(String, String)>,
}

/// An index.
#[derive(Debug, Clone)]
pub struct Index {
    /// Its name.
    pub name: String,
    /// Its table.
    pub table: String,
    /// UNIQUE.
    pub unique: bool,
    /// Its columns, each with what follows it.
    pub columns: Vec<(String, String)>,
    /// The column of `lower(…)`, an expression at the end.
    pub expression: Option<String>,
    /// The column of `… IS NOT NULL`, the predicate.
    pub predicate: Option<String>,
}

/// A view over one table.
#[derive(Debug, Clone)]
pub struct View {
    /// Its name.
    pub name: String,
    /// The table or view that it reads.
    pub from: String,
    /// The columns that it gives.
    pub columns: Vec<String>,
}

/// A trigger that writes a row of one table into the same table's column, or does nothing much.
#[derive(Debug, Clone)]
pub struct Trigger {
    /// Its name.
    pub name: String,
    /// The table or view.
    pub table: String,
    /// Whether it is a view.
    pub on_view: bool,
    /// BEFORE or AFTER, on a table.
    pub timing: &'static str,
    /// INSERT, UPDATE or DELETE.
    pub event: &'static str,
    /// The table that its body reads.
    pub reads: String,
}

/// Names that are easy, and names that are not.
const NAMES: &[&str] = &[
    "hives",
    "queens",
    "apiaries",
    "inspections",
    "forage_sites",
    "treatments",
    "harvest_lots",
    "members",
    "payouts",
    "Order",
    "two words",
    "Königin",
    "quote\"d",
    "select",
    "x'y",
    "Group",
    "semi;colon",
    "[bracket",
    "a.b",
    "tab\tname",
];

const COLUMNS: &[&str] = &[
    "label",
    "weight_g",
    "kind",
    "noted_on",
    "amount",
    "check",
    "Größe",
    "my column",
    "value",
    "index",
    "left",
    "key",
    "text",
    "colour",
    "d\"q",
    "note",
];

const TYPES: &[&str] =
    &["INTEGER", "TEXT", "REAL", "NUMERIC", "BLOB", "", "VARCHAR(40)", "DECIMAL(10, 2)", "double precision"];
const STRICT_TYPES: &[&str] = &["INTEGER", "TEXT", "REAL", "BLOB", "ANY"];

/// A random schema.
pub fn random(rng: &mut SmallRng) -> Schema {
    let mut schema = Schema::default();
    for number in 0..rng.random_range(1..6) {
        let table = random_table(rng, &schema, number);
        schema.tables.push(table);
    }
    for number in 0..rng.random_range(0..5) {
        let index = random_index(rng, &schema, number);
        schema.indexes.push(index);
    }
    for number in 0..rng.random_range(0..4) {
        let view = random_view(rng, &schema, number);
        schema.views.push(view);
    }
    for number in 0..rng.random_range(0..4) {
        let trigger = random_trigger(rng, &schema, number);
        schema.triggers.push(trigger);
    }
    if rng.random_bool(0.2) {
        schema.full_text.push(("notes_search".to_owned(), vec!["title".to_owned(), "body".to_owned()]));
    }
    schema
}

/// A random table that may refer to those that are there.
pub fn random_table(rng: &mut SmallRng, schema: &Schema, number: usize) -> Table {
    let name = format!("{}{number}", NAMES.choose(rng).expect("there are names"));
    let strict = rng.random_bool(0.2);
    let key = match rng.random_range(0..6) {
        0 => Key::None,
        1 | 2 => Key::RowId,
        3 => Key::AutoIncrement,
        4 => Key::Columns(rng.random_range(1..3)),
        _ => Key::WithoutRowId(rng.random_range(1..3)),
    };
    let mut columns: Vec<Column> = Vec::new();
    for place in 0..rng.random_range(2..7) {
        let column = random_column(rng, strict, place, &columns, schema);
        columns.push(column);
    }
    columns[0].generated = None;
    columns[0].references = None;
    columns[1].generated = None;
    if matches!(key, Key::RowId | Key::AutoIncrement) {
        columns[0].data_type = "INTEGER".to_owned();
        columns[0].default = None;
        columns[0].not_null = false;
        columns[0].collation = None;
    }
    let checks = if rng.random_bool(0.4) { vec![random_check(rng, &columns)] } else { Vec::new() };
    let uniques = if rng.random_bool(0.2) && key != Key::None && columns[1].references.is_none() {
        vec![vec![columns[1].name.clone(), columns[0].name.clone()]]
    } else {
        Vec::new()
    };
    Table { name, formerly: None, columns, key, strict, checks, uniques }
}

/// A condition that holds for every row: its name, the condition, its column.
pub fn random_check(rng: &mut SmallRng, columns: &[Column]) -> (Option<String>, String, String) {
    let column = columns.choose(rng).expect("a table has columns").name.clone();
    let name = rng.random_bool(0.5).then(|| format!("ck_{}", rng.random_range(0..100)));
    let condition = [
        "length({0}) >= 0 OR {0} IS NULL",
        "{0} IS NULL OR {0} NOT IN ('Zz, (', 'it''s')",
        "coalesce({0}, 1) <> 'never--seen'",
    ];
    (name, (*condition.choose(rng).expect("there are some")).to_owned(), column)
}

/// A random column for the place in its table.
pub fn random_column(rng: &mut SmallRng, strict: bool, place: usize, before: &[Column], schema: &Schema) -> Column {
    let types = if strict { STRICT_TYPES } else { TYPES };
    let data_type = (*types.choose(rng).expect("there are types")).to_owned();
    let mut column = Column {
        name: format!("{}{place}", COLUMNS.choose(rng).expect("there are names")),
        formerly: None,
        data_type,
        not_null: false,
        default: None,
        collation: None,
        generated: None,
        references: None,
    };
    if rng.random_bool(0.4) {
        let text = !strict || column.data_type == "TEXT";
        column.default = match (column.data_type.as_str(), rng.random_range(0..4)) {
            ("INTEGER", _) => Some("-7".to_owned()),
            ("REAL", _) => Some("1.5".to_owned()),
            ("BLOB", _) => Some("x'00FF'".to_owned()),
            (_, 0) if text => Some("CURRENT_TIMESTAMP".to_owned()),
            (_, 1) if text => Some("('a' || 'b')".to_owned()),
            _ if text => Some("'it''s; -- not a comment'".to_owned()),
            _ => None,
        };
    }
    column.not_null = column.default.is_some() && rng.random_bool(0.6);
    if rng.random_bool(0.15) {
        column.collation = Some((*["NOCASE", "RTRIM", "BINARY"].choose(rng).expect("there are some")).to_owned());
    }
    if place > 1 && rng.random_bool(0.15) {
        let from = before.iter().filter(|column| column.generated.is_none()).collect::<Vec<_>>();
        column.generated = Some((from.choose(rng).expect("the first is ordinary").name.clone(), rng.random_bool(0.5)));
        (column.default, column.not_null, column.references) = (None, false, None);
        if strict {
            column.data_type = "ANY".to_owned();
        }
    } else if place > 0 && rng.random_bool(0.25) {
        let parents: Vec<&Table> =
            schema.tables.iter().filter(|t| matches!(t.key, Key::RowId | Key::AutoIncrement)).collect();
        if let Some(parent) = parents.choose(rng) {
            let rest = [
                "",
                "ON DELETE CASCADE",
                "ON UPDATE SET NULL ON DELETE RESTRICT",
                "DEFERRABLE INITIALLY DEFERRED",
                "MATCH FULL",
            ];
            column.references = Some((parent.name.clone(), (*rest.choose(rng).expect("there are some")).to_owned()));
            (column.data_type, column.default, column.not_null) = ("INTEGER".to_owned(), None, false);
        }
    }
    column
}

/// A random index on a table that is there.
pub fn random_index(rng: &mut SmallRng, schema: &Schema, number: usize) -> Index {
    let table = schema.tables.choose(rng).expect("there is a table");
    let plain: Vec<&Column> = table.columns.iter().collect();
    let count = rng.random_range(1..=plain.len().min(3));
    let columns = plain.choose_multiple(rng, count).map(|column| {
        let rest = ["", "DESC", "COLLATE NOCASE", "COLLATE BINARY ASC"].choose(rng).expect("there are some");
        (column.name.clone(), (*rest).to_owned())
    });
    let ordinary = |rng: &mut SmallRng| table.columns.choose(rng).map(|column| column.name.clone());
    let columns: Vec<_> = columns.collect();
    Index {
        name: format!("{} by {number}", table.name),
        table: table.name.clone(),
        unique: false,
        columns,
        expression: if rng.random_bool(0.2) { ordinary(rng) } else { None },
        predicate: if rng.random_bool(0.25) { ordinary(rng) } else { None },
    }
}

/// A random view on a table or view that is there.
pub fn random_view(rng: &mut SmallRng, schema: &Schema, number: usize) -> View {
    if let Some(view) = schema.views.choose(rng).filter(|_| rng.random_bool(0.3)) {
        return View {
            name: format!("view {number}"),
            from: view.name.clone(),
            columns: vec![view.columns[0].clone()],
        };
    }
    let table = schema.tables.choose(rng).expect("there is a table");
    let columns = table.columns.iter().filter(|_| rng.random_bool(0.6)).map(|column| column.name.clone());
    let mut columns: Vec<String> = columns.collect();
    if columns.is_empty() {
        columns.push(table.columns[0].name.clone());
    }
    View { name: format!("view {number}"), from: table.name.clone(), columns }
}

/// A random trigger on a table or view that is there.
pub fn random_trigger(rng: &mut SmallRng, schema: &Schema, number: usize) -> Trigger {
    let reads = schema.tables.choose(rng).expect("there is a table").name.clone();
    let event = ["INSERT", "UPDATE", "DELETE"].choose(rng).expect("there are some");
    let timing = ["BEFORE", "AFTER"].choose(rng).expect("there are some");
    let view = schema.views.choose(rng).filter(|_| rng.random_bool(0.3));
    let table = view
        .map_or_else(|| schema.tables.choose(rng).expect("there is a table").name.clone(), |view| view.name.clone());
    Trigger { name: format!("trigger {number}"), table, on_view: view.is_some(), timing, event, reads }
}
