//! Schemas as DDL, in as many spellings as the engine takes.

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::{IndexedRandom, SliceRandom};

use crate::schema::{Column, Key, Schema, Table, rng};

/// How to spell: two styles give texts that differ, and mean the same.
pub struct Style {
    rng: SmallRng,
    plain: bool,
}

impl Style {
    /// Everything in double quotes, in order.
    pub fn plain() -> Style {
        Style { rng: rng(0), plain: true }
    }

    /// A style of its own for every seed.
    pub fn wild(seed: u64) -> Style {
        Style { rng: rng(seed), plain: false }
    }

    fn name(&mut self, name: &str) -> String {
        let bare = !name.is_empty()
            && name.chars().all(|ch| ch.is_ascii_alphanumeric() || ch == '_' || !ch.is_ascii())
            && name.chars().any(|ch| ch.is_ascii_digit())
            && !name.starts_with(|ch: char| ch.is_ascii_digit());
        let double = format!("\"{}\"", name.replace('"', "\"\""));
        if self.plain {
            return double;
        }
        match self.rng.random_range(0..4) {
            0 if bare => self.cased(name),
            1 if !name.contains(']') => format!("[{name}]"),
            2 => format!("`{}`", name.replace('`', "``")),
            _ => double,
        }
    }

    /// Names without quotes may be in any letter case.
    fn cased(&mut self, name: &str) -> String {
        if self.rng.random_bool(0.3) { name.to_ascii_uppercase() } else { name.to_owned() }
    }

    fn word(&mut self, word: &str) -> String {
        if !self.plain && self.rng.random_bool(0.3) { word.to_lowercase() } else { word.to_owned() }
    }

    fn gap(&mut self) -> &'static str {
        if self.plain {
            return " ";
        }
        ["  ", "\n\t", " /* a ; comment */ ", " -- it's a comment\n", " "]
            .choose(&mut self.rng)
            .expect("there are some")
    }
}

/// All statements, without semicolons, tables first.
pub fn statements(schema: &Schema, style: &mut Style) -> Vec<String> {
    let mut out: Vec<String> = schema.tables.iter().map(|table| create_table(table, style)).collect();
    for (name, columns) in &schema.full_text {
        let columns: Vec<String> = columns.clone();
        out.push(format!("CREATE VIRTUAL TABLE {} USING fts5({})", style.name(name), columns.join(", ")));
    }
    for index in &schema.indexes {
        let mut parts: Vec<String> = index
            .columns
            .iter()
            .map(|(column, rest)| format!("{} {rest}", style.name(column)).trim_end().to_owned())
            .collect();
        parts.extend(index.expression.as_ref().map(|column| format!("lower({})", style.name(column))));
        let unique = if index.unique { "UNIQUE " } else { "" };
        let (name, table) = (style.name(&index.name), style.name(&index.table));
        let predicate = index.predicate.as_ref();
        let predicate =
            predicate.map_or_else(String::new, |column| format!(" WHERE {} IS NOT NULL", style.name(column)));
        out.push(format!("CREATE {unique}INDEX{}{name} ON {table} ({}){predicate}", style.gap(), parts.join(", ")));
    }
    for view in &schema.views {
        let columns: Vec<String> = view.columns.iter().map(|column| style.name(column)).collect();
        let (name, from) = (style.name(&view.name), style.name(&view.from));
        out.push(format!(
            "{} {name} AS{}SELECT {} FROM {from}",
            style.word("CREATE VIEW"),
            style.gap(),
            columns.join(", ")
        ));
    }
    for trigger in &schema.triggers {
        let (name, table, reads) = (style.name(&trigger.name), style.name(&trigger.table), style.name(&trigger.reads));
        let timing = if trigger.on_view { "INSTEAD OF" } else { trigger.timing };
        let gap = style.gap();
        out.push(format!(
            "CREATE TRIGGER {name} {timing} {} ON {table}{gap}BEGIN SELECT CASE WHEN count(*) < 0 THEN RAISE(ABORT, 'no; never') END \
             FROM {reads}; SELECT 1; END",
            trigger.event
        ));
    }
    out
}

/// Statements in another order, as files may hold them.
pub fn shuffled(schema: &Schema, seed: u64) -> Vec<String> {
    let mut style = Style::wild(seed);
    let mut out = statements(schema, &mut style);
    out.shuffle(&mut style.rng);
    out
}

fn create_table(table: &Table, style: &mut Style) -> String {
    let mut lines = Vec::new();
    let inline = |place: usize| matches!(table.key, Key::RowId | Key::AutoIncrement) && place == 0;
    for (place, column) in table.columns.iter().enumerate() {
        let key = match (&table.key, inline(place)) {
            (Key::AutoIncrement, true) => " PRIMARY KEY AUTOINCREMENT",
            (_, true) => " PRIMARY KEY",
            _ => "",
        };
        let before = column
            .formerly
            .as_ref()
            .map_or_else(String::new, |old| format!("\n  -- wevrun: formerly {}\n  ", quoted(old)));
        lines.push(format!("{before}{}", column_definition(column, key, style)));
    }
    if let Key::Columns(count) | Key::WithoutRowId(count) = table.key {
        let columns: Vec<String> = table.columns[..count].iter().map(|column| style.name(&column.name)).collect();
        lines.push(format!("PRIMARY KEY ({})", columns.join(", ")));
    }
    for columns in &table.uniques {
        let columns: Vec<String> = columns.iter().map(|column| style.name(column)).collect();
        lines.push(format!("UNIQUE ({})", columns.join(", ")));
    }
    for (name, condition, column) in &table.checks {
        let name = name.as_ref().map_or_else(String::new, |name| format!("CONSTRAINT {} ", style.name(name)));
        lines.push(format!("{name}CHECK ({})", condition.replace("{0}", &style.name(column))));
    }
    let mut options = Vec::new();
    options.extend(table.strict.then_some("STRICT"));
    options.extend(matches!(table.key, Key::WithoutRowId(_)).then_some("WITHOUT ROWID"));
    let formerly =
        table.formerly.as_ref().map_or_else(String::new, |old| format!("-- wevrun: formerly {}\n", quoted(old)));
    let (create, name, gap) = (style.word("CREATE TABLE"), style.name(&table.name), style.gap());
    format!("{formerly}{create}{gap}{name} (\n  {}\n) {}", lines.join(",\n  "), options.join(", "))
        .trim_end()
        .to_owned()
}

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

fn column_definition(column: &Column, key: &str, style: &mut Style) -> String {
    let mut parts = vec![style.name(&column.name)];
    parts.push(style.word(&column.data_type));
    parts.push(key.to_owned());
    if let Some((from, stored)) = &column.generated {
        parts.push(format!(
            "GENERATED ALWAYS AS (coalesce({}, 'none')) {}",
            style.name(from),
            if *stored { "STORED" } else { "VIRTUAL" }
        ));
    }
    if column.not_null {
        parts.push(style.word("NOT NULL"));
    }
    parts.extend(column.default.as_ref().map(|default| format!("DEFAULT {default}")));
    parts.extend(column.collation.as_ref().map(|collation| format!("COLLATE {collation}")));
    if let Some((parent, rest)) = &column.references {
        parts.push(format!("REFERENCES {} {rest}", style.name(parent)));
    }
    parts.retain(|part| !part.trim().is_empty());
    let mut out = String::new();
    for part in parts {
        if !out.is_empty() {
            // SQLite 3.40 takes a comment before GENERATED for a part of the type.
            out.push_str(if part.starts_with("GENERATED") { " " } else { style.gap() });
        }
        out.push_str(part.trim());
    }
    out
}
