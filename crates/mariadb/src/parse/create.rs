//! CREATE.

use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, NameParts, Object, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, Token, TokenKind};

use super::{comments, index, name_parts, own_name, programs, sequence, table, view, word};
use crate::{charset, clause, names};

/// The words between CREATE and the kind of object.
#[derive(Debug, Default)]
pub struct Head {
    pub or_replace: bool,
    pub temporary: bool,
    pub algorithm: Option<String>,
    pub definer: Option<String>,
    pub security: Option<String>,
    pub aggregate: bool,
    /// UNIQUE, FULLTEXT or SPATIAL.
    pub key: Option<super::keys::KeyKind>,
}

/// The rest of CREATE.
pub fn create(
    mut reader: Reader<'_>,
    comments: &[Token],
    session: &mut Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let head = head(&mut reader)?;
    let place = reader.position;
    let kind = reader.take_any().map(|token| token.text(reader.text).to_ascii_uppercase()).unwrap_or_default();
    let kind = match kind.as_str() {
        "TABLE" => Kind::Table,
        "VIEW" => Kind::View,
        "INDEX" => Kind::Index,
        "SEQUENCE" => Kind::Sequence,
        "TRIGGER" => Kind::Trigger,
        "PROCEDURE" => Kind::Procedure,
        "FUNCTION" if head.aggregate => Kind::Aggregate,
        "FUNCTION" => Kind::Function,
        "EVENT" => Kind::Event,
        "PACKAGE" if reader.take(&["BODY"]) => Kind::PackageBody,
        "PACKAGE" => Kind::Package,
        "DATABASE" | "SCHEMA" => return database(reader, session),
        "USER" | "ROLE" | "SERVER" => {
            let message = format!("CREATE {kind} is about the server, so it is no part of the schema");
            let note = Diagnostic::new(Code::WV007, message).at(whole, "left out of the snapshot");
            return Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false }]);
        }
        found => {
            let known = ["TABLE", "VIEW", "INDEX", "SEQUENCE", "TRIGGER", "PROCEDURE", "FUNCTION", "EVENT", "PACKAGE"];
            let shown = &found[..found.floor_char_boundary(40)];
            return Err(Box::new(
                Diagnostic::new(Code::WV004, format!("MariaDB has no CREATE {shown}"))
                    .at(reader.location(0..place + 1), "not a kind of object")
                    .suggest(shown, known)
                    .help(format!("MariaDB creates {}", known.join(", "))),
            ));
        }
    };
    let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
    if kind == Kind::Index {
        return index::create(reader, &head, if_not_exists, session);
    }
    let parts = own_name(&mut reader, session, "a name")?;
    let name = names::of(kind, parts);
    if head.temporary {
        let message = format!("{} {name} is temporary, so it is no part of the schema", kind.title());
        let note = Diagnostic::new(Code::WV008, message).at(whole, "left out of the snapshot");
        return Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: Some(name), runs_code: false }]);
    }
    let mut object = Object::new(name.clone(), Definition::Table(Default::default()));
    let (mut spans, mut indexes) = (None, Vec::new());
    match kind {
        Kind::Table => {
            let (spec, columns) = table::table(&mut reader)?;
            let (mut table, keys) = table::build(&name, &spec, session);
            for key in table.foreign_keys.iter_mut() {
                key.parent = super::without_own_database(&key.parent, session);
            }
            super::settings_of_table(&mut table, session);
            if let (Some(engine), Some(first)) = (table.clauses.get(clause::ENGINE), table.foreign_keys.first())
                && !crate::finish::is_innodb(&table)
            {
                diagnostics.push(without_foreign_keys(&name, engine, &first.parent, whole));
            }
            object.definition = Definition::Table(table);
            (spans, indexes) = (Some(columns), keys);
        }
        Kind::View => object.definition = Definition::View(view::view(&mut reader, &head, session)?),
        Kind::Sequence => object.definition = Definition::Plain(sequence::sequence(&mut reader)?),
        _ => object.definition = programs::program(&mut reader, kind, &head, session)?,
    }
    reader.finish()?;
    if let Some(definer) = &head.definer {
        object.access.set(clause::DEFINER, definer.clone());
    }
    object.text = reader.text[whole.range()].to_owned();
    object.location = Some(whole);
    object.formerly = comments::formerly(&reader, comments, spans.as_ref(), &object, diagnostics);
    let create = |object: Object, or_replace: bool| StatementKind::Create {
        object: Box::new(object),
        if_not_exists,
        or_replace,
    };
    let mut kinds = Vec::new();
    // The server drops the table first, with its keys and triggers.
    let replaces_table = head.or_replace && kind == Kind::Table;
    if replaces_table {
        kinds.push(StatementKind::Drop { kind, name: name.clone(), if_exists: true, cascade: false });
    }
    kinds.push(create(object, head.or_replace && !replaces_table));
    kinds.extend(indexes.into_iter().map(|mut index| {
        index.location = Some(whole);
        create(index, false)
    }));
    Ok(kinds)
}

/// `[OR REPLACE] [TEMPORARY] [ALGORITHM = …] [DEFINER = …] [SQL SECURITY …] [AGGREGATE] [UNIQUE | FULLTEXT | SPATIAL]`.
pub fn head(reader: &mut Reader<'_>) -> Parsed<Head> {
    let mut head = Head::default();
    loop {
        if reader.take(&["OR", "REPLACE"]) {
            head.or_replace = true;
        } else if reader.take(&["TEMPORARY"]) {
            head.temporary = true;
        } else if reader.take(&["ALGORITHM"]) {
            reader.take_symbol("=");
            head.algorithm = Some(word(reader, "an algorithm")?.to_ascii_lowercase());
        } else if reader.take(&["DEFINER"]) {
            reader.take_symbol("=");
            head.definer = Some(user(reader)?);
        } else if reader.take(&["SQL", "SECURITY"]) {
            head.security = Some(word(reader, "`DEFINER` or `INVOKER`")?.to_ascii_lowercase());
        } else if reader.take(&["AGGREGATE"]) {
            head.aggregate = true;
        } else if reader.take(&["UNIQUE"]) {
            head.key = Some(super::keys::KeyKind::Unique);
        } else if reader.take(&["FULLTEXT"]) {
            head.key = Some(super::keys::KeyKind::Fulltext);
        } else if reader.take(&["SPATIAL"]) {
            head.key = Some(super::keys::KeyKind::Spatial);
        } else if reader.take(&["UNDO"]) {
            // Taken, without effect.
        } else {
            return Ok(head);
        }
    }
}

/// A user or role: `name@host`, CURRENT_USER, CURRENT_ROLE.
pub fn user(reader: &mut Reader<'_>) -> Parsed<String> {
    let (name, host) = user_and_host(reader)?;
    Ok(host.map_or_else(|| name.clone(), |host| format!("{name}@{host}")))
}

/// The same, in parts.
pub fn user_and_host(reader: &mut Reader<'_>) -> Parsed<(String, Option<String>)> {
    if reader.take(&["CURRENT_USER"]) || reader.take(&["CURRENT_ROLE"]) {
        if reader.take_symbol("(") {
            reader.expect_symbol(")")?;
        }
        return Ok(("current_user".to_owned(), None));
    }
    let is_word = reader.peek().is_some_and(|token| token.kind == TokenKind::Word);
    let name = word(reader, "a user")?;
    // Without quotes, `name@host` is one word, and so is `@host`.
    if let Some((name, host)) = name.split_once('@').filter(|_| is_word) {
        let host = if host.is_empty() { word(reader, "a host")? } else { host.to_owned() };
        return Ok((name.to_owned(), Some(host)));
    }
    match reader.peek() {
        Some(token) if token.kind == TokenKind::Word && token.text(reader.text).starts_with('@') => {
            let host = token.text(reader.text)[1..].to_owned();
            reader.position += 1;
            Ok((name, Some(if host.is_empty() { word(reader, "a host")? } else { host })))
        }
        Some(token) if token.is_symbol(reader.text, "@") => {
            reader.position += 1;
            Ok((name, Some(word(reader, "a host")?)))
        }
        _ => Ok((name, None)),
    }
}

/// CREATE DATABASE sets the character set of the tables after it.
fn database(mut reader: Reader<'_>, session: &mut Session) -> Parsed<Vec<StatementKind>> {
    reader.take(&["IF", "NOT", "EXISTS"]);
    name_parts(&mut reader, "a database")?;
    database_options(&mut reader, session)?;
    Ok(vec![StatementKind::Session])
}

/// `[DEFAULT] CHARACTER SET …` and `COLLATE …` of a database.
pub fn database_options(reader: &mut Reader<'_>, session: &mut Session) -> Parsed<()> {
    let mut options = super::options::TableOptions::default();
    while super::options::option(reader, &mut options)? {}
    if options.has_collation() {
        let collation = options.collation(charset::USUAL_COLLATION);
        super::set_database_collation(session, &collation);
    }
    Ok(())
}

/// The name that a CREATE statement tries to give, even if the rest can't be read.
pub fn created_name(tokens: &[Token], text: &str) -> Option<QualifiedName> {
    let mut reader = Reader { text, tokens, position: 0, source: 0 };
    reader.take(&["CREATE"]).then_some(())?;
    head(&mut reader).ok()?;
    reader.take_any()?;
    reader.take(&["IF", "NOT", "EXISTS"]);
    let parts = name_parts(&mut reader, "a name").ok()?;
    Some(names::of(Kind::Table, NameParts { schema: None, ..parts }))
}

/// The clauses of the head that a program has.
pub fn program_clauses(head: &Head, clauses: &mut Clauses) {
    if head.security.as_deref() == Some("invoker") {
        clauses.set(clause::SQL_SECURITY, "invoker".to_owned());
    }
}

fn without_foreign_keys(
    name: &QualifiedName,
    engine: &Expression,
    parent: &QualifiedName,
    whole: wevrun_core::source::Location,
) -> Diagnostic {
    let message = format!("table {name} has ENGINE={}, for which the server ignores foreign keys", engine.canonical);
    Diagnostic::new(Code::WV014, message)
        .at(whole, format!("the reference to {parent} is not kept"))
        .help("remove the foreign keys, or use ENGINE=InnoDB")
}
