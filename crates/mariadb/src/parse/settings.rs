//! SET: settings of the session that change what statements mean.

use std::collections::BTreeMap;

use wevrun_core::parse::{Reader, Session, TokenKind};

use super::options::TableOptions;
use crate::{charset, names};

/// The setting of how text is read and programs are created.
pub const SQL_MODE: &str = "sql_mode";

/// The section `[mariadb]` of a project: the defaults with which its sources are read.
pub fn session(settings: &BTreeMap<String, String>) -> Result<Session, (String, String)> {
    let mut session = Session::default();
    let mut options = TableOptions::default();
    for (name, value) in settings {
        match name.as_str() {
            "character-set" => options.character_set = Some(value.to_ascii_lowercase()),
            "collation" => options.collation = Some(value.to_ascii_lowercase()),
            "sql-mode" => {
                session.defaults.insert(SQL_MODE.into(), value.to_ascii_uppercase().into());
            }
            other => {
                let known = "character-set, collation, sql-mode";
                return Err((other.to_owned(), format!("`{other}` is no setting of MariaDB; there are {known}")));
            }
        }
    }
    let known = |said: &str| charset::is_known(&charset::character_set(said));
    if let Some(said) = options.character_set.as_ref().filter(|said| !known(said)) {
        return Err(("character-set".to_owned(), format!("MariaDB has no character set `{said}`")));
    }
    let collation = options.collation(charset::USUAL_COLLATION);
    if !known(charset::of_collation(&collation)) {
        return Err(("collation".to_owned(), format!("MariaDB has no collation `{collation}`")));
    }
    super::set_database_collation(&mut session, &collation);
    Ok(session)
}

/// Follows `SET [SESSION] sql_mode = …`; everything else changes nothing that counts.
pub fn set(reader: &mut Reader<'_>, session: &mut Session) {
    while !reader.at_end() {
        let _ = reader.take(&["SESSION"]) || reader.take(&["LOCAL"]);
        let Some(token) = reader.take_any() else { return };
        let word = token.text(reader.text).to_ascii_lowercase();
        let name =
            ["@@session.", "@@local.", "@@"].iter().find_map(|prefix| word.strip_prefix(prefix)).unwrap_or(&word);
        let is_mode = name == SQL_MODE;
        let _ = reader.take_symbol("=") || reader.take_symbol(":=");
        if let Some(value) = reader.peek().filter(|value| is_mode && value.kind == TokenKind::Text) {
            let value = names::unquoted(value, reader.text).to_ascii_uppercase();
            session.defaults.insert(SQL_MODE.into(), value.into());
        } else if is_mode {
            // A variable that keeps what was set before.
            session.defaults.remove(SQL_MODE);
        }
        while !reader.at_end() && !reader.take_symbol(",") {
            if reader.sees_symbol("(") {
                if reader.parenthesised().is_err() {
                    return;
                }
            } else {
                reader.position += 1;
            }
        }
    }
}
