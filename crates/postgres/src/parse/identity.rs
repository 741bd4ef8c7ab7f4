//! What ALTER COLUMN says of an identity column: SET and RESTART
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-GENERATED-IDENTITY>).

use super::sequences;
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::parse::{Parsed, Reader};

/// Whether a change of an identity column begins here.
pub fn sees_change(reader: &Reader<'_>) -> bool {
    const OPTIONS: [&str; 9] =
        ["GENERATED", "INCREMENT", "MINVALUE", "MAXVALUE", "START", "RESTART", "CACHE", "CYCLE", "NO"];
    reader.sees("RESTART") || reader.sees("SET") && OPTIONS.iter().any(|option| reader.sees_at(1, option))
}

/// `SET GENERATED ALWAYS SET INCREMENT BY 2 RESTART`, in any order.
pub fn change(reader: &mut Reader<'_>) -> Parsed<ClauseChanges> {
    let mut changes = ClauseChanges::default();
    while sees_change(reader) {
        reader.take(&["SET"]);
        if reader.take(&["GENERATED"]) {
            let by_default = reader.take(&["BY", "DEFAULT"]);
            if !by_default {
                reader.expect("ALWAYS")?;
            }
            changes.set_text(clause::GENERATED, if by_default { "by default" } else { "always" });
        } else {
            sequences::option(reader, &mut changes)?;
        }
    }
    Ok(changes)
}
