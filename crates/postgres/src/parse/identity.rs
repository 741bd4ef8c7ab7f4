//! What ALTER COLUMN says of an identity column: SET and RESTART
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-GENERATED-IDENTITY>).

use super::alter_table::OnColumn;
use super::sequences;
use super::table::set_identity_options;
use crate::clause;
use wevrun_core::model::{Clauses, Column};
use wevrun_core::parse::{Parsed, Reader};

/// Whether a change of an identity column begins here.
pub fn sees_change(reader: &Reader<'_>) -> bool {
    const OPTIONS: [&str; 9] =
        ["GENERATED", "INCREMENT", "MINVALUE", "MAXVALUE", "START", "RESTART", "CACHE", "CYCLE", "NO"];
    reader.sees("RESTART") || reader.sees("SET") && OPTIONS.iter().any(|option| reader.sees_at(1, option))
}

/// `SET GENERATED ALWAYS SET INCREMENT BY 2 RESTART`, in any order.
pub fn change(reader: &mut Reader<'_>) -> Parsed<OnColumn> {
    let start = reader.position;
    // Read it once now, so that what is wrong is said here.
    options(reader, &mut Clauses::default())?;
    let (text, tokens) = (reader.text.to_owned(), reader.tokens[start..reader.position].to_vec());
    let source = reader.source;
    Ok(Box::new(move |column| {
        let mut clauses = take(column);
        let mut again = Reader { text: &text, tokens: &tokens, position: 0, source };
        if options(&mut again, &mut clauses).is_ok() {
            if let Some(generated) = clauses.remove(clause::GENERATED) {
                column.clauses.set(clause::IDENTITY, generated);
            }
            set_identity_options(column, clauses);
        }
    }))
}

fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    while sees_change(reader) {
        reader.take(&["SET"]);
        if reader.take(&["GENERATED"]) {
            let by_default = reader.take(&["BY", "DEFAULT"]);
            if !by_default {
                reader.expect("ALWAYS")?;
            }
            clauses.say(clause::GENERATED, if by_default { "by default" } else { "always" });
        } else {
            sequences::option(reader, clauses)?;
        }
    }
    Ok(())
}

/// Takes out all that makes the column an identity column: how it is generated, and the options of its sequence.
pub fn take(column: &mut Column) -> Clauses {
    let said = column.clauses.iter().map(|(name, _)| name.to_owned()).filter(|name| name.starts_with("identity"));
    let mut taken = Clauses::default();
    for name in said.collect::<Vec<_>>() {
        let option = name.strip_prefix("identity.").unwrap_or("generated");
        if let Some(value) = column.clauses.remove_named(&name) {
            taken.set_named(option, value);
        }
    }
    taken
}
