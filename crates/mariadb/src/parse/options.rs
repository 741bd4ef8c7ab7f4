//! Options of tables (<https://mariadb.com/kb/en/create-table/#table-options>).

use wevrun_core::model::{Clauses, Expression};
use wevrun_core::parse::{Parsed, Reader, TokenKind};

use super::text_literal;
use crate::{charset, clause, names};

/// The options of a table after its columns.
#[derive(Debug, Clone, Default)]
pub struct TableOptions {
    pub engine: Option<String>,
    pub character_set: Option<String>,
    pub collation: Option<String>,
    pub comment: Option<String>,
    /// The others, by their name in lower case; without a value those that are set back to the default.
    pub others: Vec<(String, Option<Expression>)>,
    /// WITH SYSTEM VERSIONING.
    pub versioned: bool,
}

/// Options that are no part of the structure.
const IGNORED: [&str; 2] = ["auto_increment", "union"];

/// The server keeps no higher number for MAX_ROWS and MIN_ROWS.
const MOST_ROWS: u64 = 4_294_967_295;

/// Values that an option has anyway.
const DEFAULTS: [(&str, &[&str]); 15] = [
    ("insert_method", &["no"]),
    ("row_format", &["default"]),
    ("max_rows", &["0"]),
    ("min_rows", &["0"]),
    ("avg_row_length", &["0"]),
    ("checksum", &["0"]),
    ("table_checksum", &["0"]),
    ("delay_key_write", &["0"]),
    ("key_block_size", &["0"]),
    ("pack_keys", &["default"]),
    ("stats_persistent", &["default"]),
    ("stats_auto_recalc", &["default"]),
    ("stats_sample_pages", &["default", "0"]),
    ("transactional", &["default"]),
    // Aria always has it.
    ("page_checksum", &["default", "1"]),
];

/// All options that come next.
pub fn table(reader: &mut Reader<'_>, options: &mut TableOptions) -> Parsed<()> {
    loop {
        reader.take_symbol(",");
        if !option(reader, options)? {
            return Ok(());
        }
    }
}

/// One option, if one is next.
pub fn option(reader: &mut Reader<'_>, options: &mut TableOptions) -> Parsed<bool> {
    let ends = ["PARTITION", "AS", "SELECT", "IGNORE", "REPLACE"];
    let Some(first) = reader.peek().filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted)) else {
        return Ok(false);
    };
    if ends.iter().any(|word| reader.sees(word)) {
        return Ok(false);
    }
    if reader.take(&["WITH", "SYSTEM", "VERSIONING"]) {
        options.versioned = true;
        return Ok(true);
    }
    if reader.sees("WITH") {
        return Ok(false);
    }
    reader.take(&["DEFAULT"]);
    if reader.take(&["CHARACTER", "SET"]) || reader.take(&["CHARSET"]) {
        reader.take_symbol("=");
        let said = charset::character_set(&value(reader)?.to_ascii_lowercase());
        // An earlier collation of this character set stays.
        options.collation = options.collation.take().filter(|collation| charset::of_collation(collation) == said);
        options.character_set = Some(said);
        return Ok(true);
    }
    if reader.take(&["COLLATE"]) {
        reader.take_symbol("=");
        options.collation = Some(value(reader)?.to_ascii_lowercase());
        return Ok(true);
    }
    if reader.take(&["ENGINE"]) || reader.take(&["STORAGE", "ENGINE"]) {
        reader.take_symbol("=");
        options.engine = Some(value(reader)?);
        return Ok(true);
    }
    if reader.take(&["COMMENT"]) {
        reader.take_symbol("=");
        options.comment = Some(text_literal(reader)?);
        return Ok(true);
    }
    let folder = (reader.sees("DATA") || reader.sees("INDEX")) && reader.sees_at(1, "DIRECTORY");
    let name = if folder {
        reader.position += 2;
        format!("{} directory", first.text(reader.text).to_ascii_lowercase())
    } else {
        reader.position += 1;
        names::unquoted(first, reader.text).to_lowercase()
    };
    reader.take_symbol("=");
    if reader.sees_symbol("(") {
        reader.parenthesised()?;
        return Ok(true);
    }
    let Some(token) = reader.take_any() else { return Err(reader.expected("the option's value")) };
    let written = token.text(reader.text);
    let canonical = match token.kind {
        TokenKind::Text if is_engine_option(&name) => names::unescaped(written).to_ascii_lowercase(),
        TokenKind::Text => names::literal(&names::unescaped(written)),
        TokenKind::Quoted => names::unquoted(token, reader.text).to_lowercase(),
        _ => written.to_ascii_lowercase(),
    };
    if IGNORED.contains(&name.as_str()) {
        return Ok(true);
    }
    let canonical = match canonical.parse::<u64>() {
        Ok(rows) if matches!(name.as_str(), "max_rows" | "min_rows") => rows.min(MOST_ROWS).to_string(),
        _ => canonical,
    };
    let is_default = DEFAULTS.iter().any(|(own, values)| *own == name && values.contains(&canonical.as_str()));
    let is_empty = matches!(canonical.as_str(), "''") || (is_engine_option(&name) && canonical == "default");
    let said = (!is_default && !is_empty).then(|| Expression::new(canonical, written));
    options.others.push((name, said));
    Ok(true)
}

/// Whether it is an option of the storage engine, which the server keeps as it was written.
fn is_engine_option(name: &str) -> bool {
    matches!(name, "page_compressed" | "page_compression_level" | "encrypted" | "encryption_key_id")
}

fn value(reader: &mut Reader<'_>) -> Parsed<String> {
    match reader.take_any() {
        Some(token) if token.kind != TokenKind::Symbol => Ok(names::unquoted(token, reader.text)),
        _ => Err(reader.expected("the option's value")),
    }
}

impl TableOptions {
    /// The collation of the table's text, where that of the database is this one.
    pub fn collation(&self, database: &str) -> String {
        let character_set = self.character_set.as_ref().filter(|said| *said != "default");
        let context = match character_set {
            Some(said) => charset::character_set(said),
            None => charset::of_collation(database).to_owned(),
        };
        match (&self.collation, character_set) {
            (Some(said), _) if said != "default" => charset::collation(said, &context),
            (_, Some(_)) => charset::default_collation(&context),
            _ => database.to_owned(),
        }
    }

    /// Whether they set the collation of text.
    pub fn has_collation(&self) -> bool {
        self.collation.is_some() || self.character_set.is_some()
    }

    /// Sets the clauses of the options, except the collation.
    pub fn apply(&self, clauses: &mut Clauses) {
        if let Some(engine) = &self.engine {
            let canonical = match engine.to_ascii_lowercase().as_str() {
                "heap" => "memory".to_owned(),
                "merge" => "mrg_myisam".to_owned(),
                other => other.to_owned(),
            };
            clauses.set(clause::ENGINE, Expression::new(canonical, engine));
        } else if !clauses.has(clause::ENGINE) {
            clauses.set(clause::ENGINE, Expression::new("innodb".to_owned(), "InnoDB"));
        }
        match &self.comment {
            Some(comment) if comment.is_empty() => drop(clauses.remove(clause::COMMENT)),
            Some(comment) => clauses.set(clause::COMMENT, comment.clone()),
            None => {}
        }
        for (name, value) in &self.others {
            match value {
                Some(value) => clauses.set(clause::OPTION.of(name), value.clone()),
                None => drop(clauses.remove(clause::OPTION.of(name))),
            }
        }
        if self.versioned {
            clauses.set(clause::SYSTEM_VERSIONING, "with".to_owned());
        }
    }
}
