//! SET: settings of the session that change what statements mean.

use wevrun_core::parse::{Reader, Session, TokenKind};

use crate::names;

/// The setting that says how text is read, and what programs are created with.
pub const SQL_MODE: &str = "sql_mode";

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
