//! Row security policies (<https://www.postgresql.org/docs/current/sql-createpolicy.html>).

use super::{expression, identifier, names, own_name, plain};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Flag, Kind, Object};
use wevrun_core::parse::{Parsed, Reader, Session};

/// The text after CREATE POLICY.
pub fn create(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = identifier(reader, "the policy's name")?;
    reader.expect("ON")?;
    let table = own_name(reader, session, "the table's name")?;
    let mut clauses = Clauses::default();
    if reader.take(&["AS", "RESTRICTIVE"]) {
        clauses.set(clause::RESTRICTIVE, Flag);
    } else {
        reader.take(&["AS", "PERMISSIVE"]);
    }
    let mut changes = ClauseChanges::default();
    self::clauses(reader, &mut changes)?;
    changes.apply(&mut clauses);
    Ok(plain(reader, Kind::Policy, names::on_table(&name, &table), Some(table), clauses))
}

/// FOR, TO, USING and WITH CHECK.
pub fn clauses(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    loop {
        if reader.take(&["FOR"]) {
            let command = identifier(reader, "a command")?;
            if command != "all" {
                changes.set_text(clause::FOR, command);
            }
        } else if reader.take(&["TO"]) {
            let mut roles = vec![names::quoted(&identifier(reader, "a role")?)];
            while reader.take_symbol(",") {
                roles.push(names::quoted(&identifier(reader, "a role")?));
            }
            roles.sort();
            if roles == ["public"] {
                changes.remove(clause::TO);
            } else {
                changes.set_text(clause::TO, roles.join(", "));
            }
        } else if reader.take(&["USING"]) {
            let inner = reader.parenthesised()?;
            changes.set(clause::USING, expression(reader, inner));
        } else if reader.take(&["WITH", "CHECK"]) {
            let inner = reader.parenthesised()?;
            changes.set(clause::WITH_CHECK, expression(reader, inner));
        } else {
            return Ok(());
        }
    }
}
