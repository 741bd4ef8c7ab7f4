//! MariaDB's statement grammar (<https://mariadb.com/kb/en/sql-statements/>).

pub mod alter;
pub mod column;
mod comments;
mod create;
mod drops;
mod grants;
mod index;
pub mod keys;
pub mod options;
pub mod partitions;
mod programs;
mod sequence;
mod settings;
pub mod table;
pub mod view;

pub use create::created_name;
pub use settings::session;

use smol_str::SmolStr;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Name, NameParts, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, Token, TokenKind};

use crate::{charset, names};

/// The meaning of a statement.
pub fn statement(
    mut reader: Reader<'_>,
    comments: &[Token],
    session: &mut Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let first = reader.take_any().filter(|token| token.kind == TokenKind::Word);
    let Some(first) = first else { return Err(unplaced(&reader)) };
    let aside = |code: Code, message: String, runs_code: bool| {
        let note = Diagnostic::new(code, message).at(whole, "left out of the snapshot");
        Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code }])
    };
    match first.text(reader.text).to_ascii_uppercase().as_str() {
        "CREATE" => create::create(reader, comments, session, diagnostics),
        "ALTER" => alter::alter(reader, session),
        "DROP" => drops::drop(reader, session),
        "RENAME" => drops::rename(reader, session),
        "SET" => {
            settings::set(&mut reader, session);
            Ok(vec![StatementKind::Session])
        }
        "USE" => {
            let database = a_name(&mut reader, "a database")?;
            session.path = vec![database.written().into()];
            Ok(vec![StatementKind::Session])
        }
        word @ ("INSERT" | "REPLACE" | "UPDATE" | "DELETE" | "SELECT" | "WITH" | "VALUES" | "LOAD" | "TRUNCATE"
        | "HANDLER") => aside(Code::WV007, format!("{word} is about rows, so it is no part of the schema"), false),
        word @ ("GRANT" | "REVOKE") => grants::grant(reader, session, word == "GRANT"),
        // Dumps set the next values of sequences so.
        "DO" if reader.sees("SETVAL") || reader.sees("GET_LOCK") || reader.sees("RELEASE_LOCK") => {
            Ok(vec![StatementKind::Session])
        }
        word @ ("CALL" | "DO" | "PREPARE" | "EXECUTE" | "BEGIN") => {
            let runs = word != "BEGIN" || reader.sees("NOT");
            if !runs {
                return Ok(vec![StatementKind::Session]);
            }
            aside(Code::WV007, format!("{word} runs code, so it is no part of the schema"), true)
        }
        "START" | "COMMIT" | "ROLLBACK" | "SAVEPOINT" | "RELEASE" | "LOCK" | "UNLOCK" | "FLUSH" | "ANALYZE"
        | "CHECK" | "OPTIMIZE" | "REPAIR" | "CHECKSUM" | "SHOW" | "DESCRIBE" | "DESC" | "EXPLAIN" | "HELP" | "KILL"
        | "RESET" | "PURGE" | "CHANGE" | "STOP" | "DEALLOCATE" | "XA" | "CACHE" | "INSTALL" | "UNINSTALL"
        | "BACKUP" | "DELIMITER" => Ok(vec![StatementKind::Session]),
        _ => Err(unplaced(&reader)),
    }
}

/// The first words of statements, for "did you mean".
const FIRST_WORDS: &[&str] =
    &["CREATE", "ALTER", "DROP", "RENAME", "INSERT", "UPDATE", "DELETE", "SELECT", "SET", "USE", "GRANT", "CALL"];

fn unplaced(reader: &Reader<'_>) -> Box<Diagnostic> {
    let text = reader.tokens[0].text(reader.text);
    let shown = &text[..text.floor_char_boundary(40)];
    Box::new(
        Diagnostic::new(Code::WV004, format!("no statement of MariaDB begins with `{shown}`"))
            .at(reader.location(0..1), "not a statement")
            .suggest(shown, FIRST_WORDS.iter().copied()),
    )
}

/// A name, which must come next.
pub fn a_name(reader: &mut Reader<'_>, what: &str) -> Parsed<Name> {
    identifier(reader, what).map(|identifier| names::simple(&identifier))
}

/// An identifier without quotes, which must come next.
fn identifier(reader: &mut Reader<'_>, what: &str) -> Parsed<String> {
    match reader.peek() {
        Some(token) if matches!(token.kind, TokenKind::Word | TokenKind::Quoted) => {
            let word = token.text(reader.text);
            if token.kind == TokenKind::Word && names::is_reserved(&word.to_ascii_lowercase()) {
                let mut diagnostic = reader.expected(what);
                diagnostic.help.push(format!("`{word}` is a reserved word; as a name it must be quoted in backticks"));
                return Err(diagnostic);
            }
            reader.position += 1;
            Ok(names::unquoted(token, reader.text))
        }
        // A name may begin with a digit.
        Some(token) if token.kind == TokenKind::Number => {
            reader.position += 1;
            Ok(token.text(reader.text).to_owned())
        }
        _ => Err(reader.expected(what)),
    }
}

/// A name without its quotes, from its text.
pub fn unquoted_name(written: &str) -> String {
    match written.strip_prefix('`').and_then(|rest| rest.strip_suffix('`')) {
        Some(inner) => inner.replace("``", "`"),
        None => written.to_owned(),
    }
}

/// `[database.]name` of a table or view, which must come next.
pub fn qualified_name(reader: &mut Reader<'_>, what: &str) -> Parsed<QualifiedName> {
    let parts = name_parts(reader, what)?;
    Ok(names::table(parts.schema.as_deref(), &parts.identifier))
}

/// The parts of `[database.]name`, which must come next.
pub fn name_parts(reader: &mut Reader<'_>, what: &str) -> Parsed<NameParts> {
    let first = identifier(reader, what)?;
    // `.5` would be a number: a name that begins with a digit after the point is taken as it is.
    if reader.take_symbol(".") {
        let second = identifier(reader, what)?;
        return Ok(NameParts { schema: Some(first.into()), identifier: second.into(), ..NameParts::default() });
    }
    Ok(NameParts { identifier: first.into(), ..NameParts::default() })
}

/// The same for the name of an object of the schema: the session's database is left out.
pub fn own_name(reader: &mut Reader<'_>, session: &Session, what: &str) -> Parsed<NameParts> {
    let start = reader.position;
    let mut parts = name_parts(reader, what)?;
    if let Some(said) = parts.schema.take() {
        let own = session.path.first();
        let is_of_server = ["mysql", "information_schema", "performance_schema", "sys"].contains(&said.as_str());
        if own.map_or(is_of_server, |own| *own != said) {
            return Err(Box::new(
                Diagnostic::new(Code::WV004, format!("`{said}` is another database"))
                    .at(reader.location(start..start + 1), "not part of this schema")
                    .help("a project is the schema of one database; leave the qualifier out, or move the object"),
            ));
        }
    }
    Ok(parts)
}

/// A name with the session's database is one without a database.
pub fn without_own_database(name: &QualifiedName, session: &Session) -> QualifiedName {
    match name.schema() {
        Some(schema) if session.path.first().is_some_and(|own| own == schema) => names::table(None, name.identifier()),
        _ => name.clone(),
    }
}

/// `(a, b, …)`, which must come next.
pub fn name_list(reader: &mut Reader<'_>, what: &str) -> Parsed<Vec<Name>> {
    reader.expect_symbol("(")?;
    let mut names = vec![a_name(reader, what)?];
    while reader.take_symbol(",") {
        names.push(a_name(reader, what)?);
    }
    reader.expect_symbol(")")?;
    Ok(names)
}

/// A word, or a text in its place.
pub fn word(reader: &mut Reader<'_>, what: &str) -> Parsed<String> {
    match reader.peek() {
        Some(token) if matches!(token.kind, TokenKind::Word | TokenKind::Text | TokenKind::Quoted) => {
            reader.position += 1;
            Ok(names::unquoted(token, reader.text))
        }
        _ => Err(reader.expected(what)),
    }
}

/// A number, perhaps with a sign.
pub fn number(reader: &mut Reader<'_>) -> Parsed<String> {
    let sign = if reader.take_symbol("-") { "-" } else { "" };
    reader.take_symbol("+");
    match reader.take_any() {
        Some(token) if token.kind == TokenKind::Number => Ok(format!("{sign}{}", token.text(reader.text))),
        _ => {
            reader.position = reader.position.saturating_sub(1);
            Err(reader.expected("a number"))
        }
    }
}

/// The value of a string literal.
pub fn text_literal(reader: &mut Reader<'_>) -> Parsed<String> {
    let mut text = String::new();
    let start = reader.position;
    while let Some(token) = reader.peek().filter(|token| token.kind == TokenKind::Text) {
        text.push_str(&names::unescaped(token.text(reader.text)));
        reader.position += 1;
    }
    if reader.position == start { Err(reader.expected("a text in quotes")) } else { Ok(text) }
}

/// The session's setting of the database's collation.
const DATABASE_COLLATION: &str = "database collation";

/// The collation of tables without one.
pub fn database_collation(session: &Session) -> String {
    session
        .defaults
        .get(DATABASE_COLLATION)
        .map_or_else(|| charset::USUAL_COLLATION.to_owned(), |value| value.to_string())
}

/// Sets it.
pub fn set_database_collation(session: &mut Session, collation: &str) {
    session.defaults.insert(DATABASE_COLLATION.into(), SmolStr::from(collation));
}

/// The part of a table that depends on the session: the database in the names of sequences.
pub fn settings_of_table(table: &mut wevrun_core::model::Table, session: &Session) {
    let Some(database) = session.path.first() else { return };
    let own = format!("({}.", names::always_quoted(database));
    for default in table.columns.iter_mut().filter_map(|column| column.default.as_mut()) {
        if default.canonical.contains(&own) {
            let canonical = default.canonical.replace(&own, "(");
            let written = default.written().replace(&own, "(");
            *default = wevrun_core::model::Expression::new(canonical, &written);
        }
    }
}
