//! SQLite's statement grammar (<https://sqlite.org/lang.html>).

mod alter;
mod comments;
mod objects;
mod table;

pub use objects::virtual_columns;
pub use table::settle;

use super::canonical;
use super::names::{self, unquoted};
use super::tokens::Rules;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Definition, Formerly, Kind, Name, Object, OnConflict, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, StatementKind, Token, TokenKind, token};

/// The meaning of a statement.
pub fn statement(
    mut reader: Reader<'_>,
    comments: &[Token],
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<StatementKind> {
    let whole = reader.location(0..reader.tokens.len());
    let Some(first) = reader.take_any().filter(|token| token.kind == TokenKind::Word) else {
        return Err(unplaced(&reader));
    };
    match first.text(reader.text).to_ascii_uppercase().as_str() {
        "CREATE" => create(reader, comments, diagnostics),
        "ALTER" => alter::alter(reader),
        "DROP" => alter::drop(reader),
        "INSERT" | "REPLACE" if catalogue_row(&reader).is_some() => {
            let (literal, range) = catalogue_row(&reader).expect("just seen");
            from_catalogue_row(&literal, reader.location(range), diagnostics)
        }
        "INSERT" | "REPLACE" if reader.take(&["INTO"]) && names_internal_table(&reader) => Ok(StatementKind::Session),
        word @ ("INSERT" | "REPLACE" | "UPDATE" | "DELETE" | "SELECT" | "WITH" | "VALUES") => {
            let message = format!("{word} is about rows, so it is no part of the schema");
            let note = Diagnostic::new(Code::WV007, message).at(whole, "left out of the snapshot");
            Ok(StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false })
        }
        "PRAGMA" | "BEGIN" | "COMMIT" | "END" | "ROLLBACK" | "SAVEPOINT" | "RELEASE" | "ANALYZE" | "VACUUM"
        | "REINDEX" | "ATTACH" | "DETACH" | "EXPLAIN" => Ok(StatementKind::Session),
        _ => Err(unplaced(&reader)),
    }
}

/// The statement kinds, for "did you mean".
const FIRST_WORDS: &[&str] =
    &["CREATE", "ALTER", "DROP", "INSERT", "UPDATE", "DELETE", "SELECT", "PRAGMA", "BEGIN", "COMMIT"];

fn unplaced(reader: &Reader<'_>) -> Box<Diagnostic> {
    let text = reader.tokens[0].text(reader.text);
    let shown = &text[..text.floor_char_boundary(40)];
    Box::new(
        Diagnostic::new(Code::WV004, format!("no statement of SQLite begins with `{shown}`"))
            .at(reader.location(0..1), "not a statement")
            .suggest(shown, FIRST_WORDS.iter().copied()),
    )
}

fn create(mut reader: Reader<'_>, comments: &[Token], diagnostics: &mut Vec<Diagnostic>) -> Parsed<StatementKind> {
    let whole = reader.location(0..reader.tokens.len());
    let temporary = reader.take(&["TEMP"]) || reader.take(&["TEMPORARY"]);
    let head = reader.position;
    let unique = reader.take(&["UNIQUE"]);
    let virtual_table = reader.take(&["VIRTUAL"]);
    let kind = match reader.take_any().map(|token| token.text(reader.text).to_ascii_uppercase()).as_deref() {
        Some("TABLE") if virtual_table => Kind::VirtualTable,
        Some("TABLE") if !unique => Kind::Table,
        Some("INDEX") if !virtual_table => Kind::Index,
        Some("VIEW") if !unique && !virtual_table => Kind::View,
        Some("TRIGGER") if !unique && !virtual_table => Kind::Trigger,
        found => {
            let found = found.map(|word| word[..word.floor_char_boundary(40)].to_owned());
            reader.position = head;
            let what = found.as_ref().map_or("CREATE of nothing".to_owned(), |word| format!("CREATE {word}"));
            return Err(Box::new(
                Diagnostic::new(Code::WV004, format!("SQLite has no {what}"))
                    .at(reader.location(0..head + 1), "not a kind of object")
                    .suggest(
                        found.as_deref().unwrap_or_default(),
                        ["TABLE", "INDEX", "VIEW", "TRIGGER", "VIRTUAL", "UNIQUE"],
                    )
                    .help("SQLite creates TABLE, VIRTUAL TABLE, INDEX, VIEW and TRIGGER"),
            ));
        }
    };
    let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
    let (schema, object_name) = qualified_name(&mut reader)?;
    if temporary || schema.as_ref().is_some_and(|schema| schema.canonical() == "temp") {
        let message = format!("{} {object_name} is temporary, so it is no part of the schema", kind.title());
        let note = Diagnostic::new(Code::WV008, message).at(whole, "left out of the snapshot");
        return Ok(StatementKind::Aside { note: Box::new(note), temporary: Some(object_name), runs_code: false });
    }
    let mut formerly = Formerly::default();
    let definition = match kind {
        Kind::Table => {
            let (table, spans) = table::table(&mut reader)?;
            comments::formerly(&reader, comments, Some(&spans), &mut formerly, diagnostics);
            Definition::Table(table)
        }
        Kind::VirtualTable => {
            let (table, spans) = objects::virtual_table(&mut reader)?;
            comments::formerly(&reader, comments, spans.as_ref(), &mut formerly, diagnostics);
            Definition::VirtualTable(table)
        }
        Kind::Index => Definition::Index(objects::index(&mut reader, unique)?),
        Kind::View => Definition::View(objects::view(&mut reader)?),
        Kind::Trigger => Definition::Trigger(objects::trigger(&mut reader)?),
        _ => unreachable!("no other kind was matched"),
    };
    if !matches!(kind, Kind::Table | Kind::VirtualTable) {
        comments::none_expected(&reader, comments, kind, diagnostics);
    }
    reader.finish()?;
    let mut object = Object::new(object_name, definition);
    object.text = reader.text[whole.range()].to_owned();
    object.formerly = formerly;
    object.location = Some(whole);
    // Expressions know their places in the object's own text.
    for expression in canonical::expressions_mut(&mut object.definition) {
        expression.place.0 = expression.place.and_then(|place| place.checked_sub(whole.start));
    }
    Ok(StatementKind::Create { object: Box::new(object), if_not_exists, or_replace: false })
}

/// The name that a CREATE statement tries to give, even if the rest can't be read.
pub fn created_name(tokens: &[Token], text: &str) -> Option<QualifiedName> {
    let mut reader = Reader { text, tokens, position: 0, source: 0 };
    reader.take(&["CREATE"]).then_some(())?;
    while ["TEMP", "TEMPORARY", "UNIQUE", "VIRTUAL"].iter().any(|word| reader.take(&[word])) {}
    reader.take_any()?;
    reader.take(&["IF", "NOT", "EXISTS"]);
    qualified_name(&mut reader).ok().map(|(_, name)| name)
}

/// A name, which must come next.
fn a_name(reader: &mut Reader<'_>, what: &str) -> Parsed<Name> {
    match reader.peek() {
        Some(token) if reader.sees_name() => {
            if token.kind == TokenKind::Word && !names::can_be_name(&token.text(reader.text).to_ascii_lowercase()) {
                let mut diagnostic = reader.expected(what);
                let word = token.text(reader.text);
                diagnostic.help.push(format!("`{word}` is a reserved word; as a name it must be quoted: \"{word}\""));
                return Err(diagnostic);
            }
            reader.position += 1;
            Ok(names::name(&unquoted(token, reader.text)))
        }
        _ => Err(reader.expected(what)),
    }
}

/// `[schema.]name`, which must come next.
fn qualified_name(reader: &mut Reader<'_>) -> Parsed<(Option<Name>, QualifiedName)> {
    let start = reader.position;
    let first = a_name(reader, "a name")?;
    if !reader.take_symbol(".") {
        return Ok((None, QualifiedName::plain(first)));
    }
    let second = a_name(reader, "a name")?;
    if !matches!(first.canonical(), "main" | "temp") {
        return Err(Box::new(
            Diagnostic::new(Code::WV004, format!("`{first}` is the name of an attached database"))
                .at(reader.location(start..start + 1), "not part of this schema")
                .help("a project is the schema of one database; leave the qualifier out, or move the object"),
        ));
    }
    Ok((Some(first), QualifiedName::plain(second)))
}

/// `(a, b, …)`, which must come next.
fn name_list(reader: &mut Reader<'_>, what: &str) -> Parsed<Vec<Name>> {
    reader.expect_symbol("(")?;
    let mut names = vec![a_name(reader, what)?];
    while reader.take_symbol(",") {
        names.push(a_name(reader, what)?);
    }
    reader.expect_symbol(")")?;
    Ok(names)
}

/// `[ON CONFLICT …]`.
fn on_conflict(reader: &mut Reader<'_>) -> Parsed<OnConflict> {
    if !reader.take(&["ON", "CONFLICT"]) {
        return Ok(OnConflict::Abort);
    }
    for conflict in [OnConflict::Abort, OnConflict::Rollback, OnConflict::Fail, OnConflict::Ignore, OnConflict::Replace]
    {
        if reader.take(&[conflict.keyword()]) {
            return Ok(conflict);
        }
    }
    Err(reader.expected("`ROLLBACK`, `ABORT`, `FAIL`, `IGNORE` or `REPLACE`"))
}

fn names_internal_table(reader: &Reader<'_>) -> bool {
    reader.peek().is_some_and(|token| {
        let name = unquoted(token, reader.text).to_ascii_lowercase();
        matches!(name.as_str(), "sqlite_sequence" | "sqlite_stat1" | "sqlite_stat4")
    })
}

/// The `sqlite3` client dumps a virtual table as `INSERT INTO sqlite_schema(type,name,tbl_name,rootpage,sql)
/// VALUES('table',…,'CREATE VIRTUAL TABLE …')`. Gives the statement in the last literal and the literal's token.
fn catalogue_row(reader: &Reader<'_>) -> Option<(String, std::ops::Range<usize>)> {
    let text = reader.text;
    let table = reader.tokens.get(2).filter(|_| reader.sees("INTO"))?;
    let table = unquoted(*table, text).to_ascii_lowercase();
    let last = reader.tokens.len().checked_sub(2)?;
    let literal = reader.tokens[last];
    let is_row = matches!(table.as_str(), "sqlite_schema" | "sqlite_master") && literal.kind == TokenKind::Text;
    is_row.then(|| (unquoted(literal, text), last..last + 1))
}

fn from_catalogue_row(
    sql: &str,
    location: wevrun_core::source::Location,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<StatementKind> {
    let relocated = |mut diagnostic: Diagnostic| {
        diagnostic.primary.iter_mut().chain(&mut diagnostic.secondary).for_each(|label| label.location = location);
        diagnostic
    };
    let (tokens, error) = token::tokenize(&Rules, sql, location.source);
    if let Some(error) = error {
        return Err(Box::new(relocated(error)));
    }
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    if tokens.is_empty() {
        return Ok(StatementKind::Session);
    }
    let reader = Reader { text: sql, tokens: &tokens, position: 0, source: location.source };
    let mut inner = Vec::new();
    let mut kind = statement(reader, &[], &mut inner).map_err(|diagnostic| Box::new(relocated(*diagnostic)))?;
    diagnostics.extend(inner.into_iter().map(relocated));
    if let StatementKind::Create { object, .. } = &mut kind {
        object.location = Some(location);
    }
    Ok(kind)
}
