//! DROP and RENAME TABLE.

use wevrun_core::change::Change;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::Kind;
use wevrun_core::parse::{Alter, Parsed, Reader, Session, StatementKind};

use super::{a_name, own_name};
use crate::names;

/// The rest of DROP.
pub fn drop(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let temporary = reader.take(&["TEMPORARY"]);
    let kinds = [
        ("TABLE", Kind::Table),
        ("VIEW", Kind::View),
        ("INDEX", Kind::Index),
        ("SEQUENCE", Kind::Sequence),
        ("TRIGGER", Kind::Trigger),
        ("PROCEDURE", Kind::Procedure),
        ("FUNCTION", Kind::Function),
        ("EVENT", Kind::Event),
        ("PACKAGE", Kind::Package),
    ];
    let Some((_, mut kind)) = kinds.into_iter().find(|(word, _)| reader.take(&[word])) else {
        if ["DATABASE", "SCHEMA", "USER", "ROLE", "SERVER", "PREPARE"].iter().any(|word| reader.sees(word)) {
            let note = Diagnostic::new(Code::WV007, "this is about the server, so it is no part of the schema")
                .at(whole, "left out of the snapshot");
            return Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false }]);
        }
        let words: Vec<String> = kinds.iter().map(|(word, _)| format!("`{word}`")).collect();
        return Err(reader.expected(&words.join(", ")));
    };
    if kind == Kind::Package && reader.take(&["BODY"]) {
        kind = Kind::PackageBody;
    }
    let if_exists = reader.take(&["IF", "EXISTS"]);
    if kind == Kind::Index {
        let index = a_name(&mut reader, "the index's name")?;
        reader.expect("ON")?;
        let table = names::of(Kind::Table, own_name(&mut reader, session, "a table")?);
        if index.canonical() == "primary" {
            return Ok(vec![super::alter::drop_primary(table, if_exists, session)]);
        }
        let name = names::key(&table, index.written());
        return Ok(vec![StatementKind::Drop { kind, name, if_exists, cascade: false }]);
    }
    let mut drops = Vec::new();
    loop {
        let name = names::of(kind, own_name(&mut reader, session, "a name")?);
        drops.push(StatementKind::Drop { kind, name, if_exists: if_exists || temporary, cascade: false });
        if !reader.take_symbol(",") {
            break;
        }
    }
    super::alter::wait(&mut reader)?;
    let _ = reader.take(&["RESTRICT"]) || reader.take(&["CASCADE"]);
    reader.finish()?;
    Ok(if temporary { vec![StatementKind::Session] } else { drops })
}

/// The rest of RENAME.
pub fn rename(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    if reader.take(&["USER"]) {
        return Ok(vec![StatementKind::Session]);
    }
    if !reader.take(&["TABLES"]) {
        reader.expect("TABLE")?;
    }
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let mut renames = Vec::new();
    loop {
        let name = names::of(Kind::Table, own_name(&mut reader, session, "a table")?);
        super::alter::wait(&mut reader)?;
        reader.expect("TO")?;
        let to = names::of(Kind::Table, own_name(&mut reader, session, "the new name")?);
        renames.push(StatementKind::Alter(Box::new(Alter {
            kinds: vec![Kind::Table, Kind::View, Kind::Sequence],
            name,
            new_name: Some(to.clone()),
            if_exists,
            change: Change::Rename(to),
        })));
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.finish()?;
    Ok(renames)
}
