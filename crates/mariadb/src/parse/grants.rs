//! GRANT and REVOKE (<https://mariadb.com/kb/en/grant/>).

use std::sync::Arc;

use wevrun_core::change::Change;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::Kind;
use wevrun_core::parse::{Alter, Parsed, Reader, Session, StatementKind};

use super::{create, name_list, own_name};
use crate::change::ChangeGrants;
use crate::{grants, names};

/// The rest of GRANT or REVOKE. What is not about an object of the schema is left out, with a note.
pub fn grant(mut reader: Reader<'_>, session: &Session, grants: bool) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let Some(on) = (0..reader.tokens.len()).find(|at| reader.tokens[*at].is_word(reader.text, "ON")) else {
        return aside(whole, "roles and users are no part of the schema");
    };
    let mut privileges = Vec::new();
    while reader.position < on {
        privilege(&mut reader, &mut privileges)?;
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect("ON")?;
    let (kinds, kind) = if reader.take(&["PROCEDURE"]) {
        (vec![Kind::Procedure], Kind::Procedure)
    } else if reader.take(&["FUNCTION"]) {
        (vec![Kind::Function, Kind::Aggregate], Kind::Function)
    } else if reader.take(&["PACKAGE", "BODY"]) {
        (vec![Kind::PackageBody], Kind::PackageBody)
    } else if reader.take(&["PACKAGE"]) {
        (vec![Kind::Package], Kind::Package)
    } else {
        reader.take(&["TABLE"]);
        (vec![Kind::Table, Kind::View, Kind::Sequence], Kind::Table)
    };
    let is_of_many = |ahead: usize| {
        reader.tokens.get(reader.position + ahead).is_some_and(|token| token.is_symbol(reader.text, "*"))
    };
    if is_of_many(0) || is_of_many(2) {
        return aside(whole, "what is granted on a whole database is no part of the schema");
    }
    let Ok(parts) = own_name(&mut reader, session, "an object") else {
        return aside(whole, "what is granted in another database is no part of the schema");
    };
    reader.expect(if grants { "TO" } else { "FROM" })?;
    let mut users = Vec::new();
    loop {
        let (name, host) = create::user_and_host(&mut reader)?;
        users.push(grants::user(&name, &host.unwrap_or_default()));
        // How the user logs in.
        while !reader.at_end() && !reader.sees_symbol(",") && !reader.sees("WITH") {
            reader.position += 1;
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    if reader.take(&["WITH"]) && (0..8).any(|ahead| reader.sees_at(ahead, "OPTION")) {
        privileges.push(grants::OPTION.to_owned());
    }
    let change = ChangeGrants(grants::Change { grants, privileges, users });
    Ok(vec![StatementKind::Alter(Box::new(Alter {
        kinds,
        name: names::of(kind, parts),
        new_name: None,
        if_exists: false,
        change: Change::Engine(Arc::new(change)),
    }))])
}

fn aside(whole: wevrun_core::source::Location, why: &str) -> Parsed<Vec<StatementKind>> {
    let note = Diagnostic::new(Code::WV007, why).at(whole, "left out of the snapshot");
    Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false }])
}

/// `SELECT (a, b)`, `ALL PRIVILEGES`, `GRANT OPTION`.
fn privilege(reader: &mut Reader<'_>, privileges: &mut Vec<String>) -> Parsed<()> {
    let start = reader.position;
    let mut words = Vec::new();
    while !reader.at_end() && !reader.sees("ON") && !reader.sees_symbol(",") && !reader.sees_symbol("(") {
        words.extend(reader.take_any().map(|token| token.text(reader.text).to_lowercase()));
    }
    let word = words.join(" ");
    let word = word.trim_end_matches(" privileges");
    let word = if word == "delete versioning rows" { "delete history" } else { word };
    if !matches!(word, "all" | "usage" | grants::OPTION) && !grants::is_privilege(word) {
        let message = format!("`{word}` is no privilege on an object");
        return Err(Box::new(
            Diagnostic::new(Code::WV004, message).at(reader.location(start..reader.position), "not known"),
        ));
    }
    if reader.sees_symbol("(") {
        let columns = name_list(reader, "a column")?;
        privileges.extend(columns.iter().map(|column| format!("{word} ({})", column.canonical())));
    } else if word != "usage" {
        privileges.push(word.to_owned());
    }
    Ok(())
}
