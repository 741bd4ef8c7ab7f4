//! A digest of the whole catalogue: as long as it is the same, so is all that reading the database gives.
//!
//! A row of a system table that changes becomes another version of the row, in another place (`ctid`) or by another transaction
//! (`xmin`, <https://www.postgresql.org/docs/current/ddl-system-columns.html>). So the values need not be looked at.

use super::connection::{PostgresDatabase, meaning, single};
use crate::error::LiveError;

/// The first version with `hashtidextended()`.
const FIRST_VERSION: u32 = 14;

/// The system's tables that hold structure, all that may be read, but for those about rows
/// (<https://www.postgresql.org/docs/current/catalogs.html>).
const CATALOGUES: &str = "SELECT string_agg(oid::regclass::text, ',' ORDER BY oid) FROM pg_class \
    WHERE relnamespace = 'pg_catalog'::regnamespace AND relkind = 'r' AND has_table_privilege(oid, 'SELECT') \
      AND (NOT relisshared OR relname = 'pg_tablespace') \
      AND relname NOT IN ('pg_statistic', 'pg_statistic_ext_data', 'pg_largeobject', 'pg_largeobject_metadata')";

/// What few may read whole: the columns that everybody may read.
const BESIDE: [&str; 2] = [
    "(SELECT umid, srvid, umuser, umoptions FROM pg_user_mappings) AS t",
    "(SELECT oid, subdbid, subname, subowner, subenabled, subslotname, subpublications FROM pg_subscription) AS t",
];

/// The number of the present transaction as rows have it, which is the end of the whole number
/// (<https://www.postgresql.org/docs/current/functions-info.html#FUNCTIONS-INFO-SNAPSHOT>).
const TRANSACTION: &str = "SELECT pg_current_xact_id()::text::numeric % 4294967296";

/// What one look at the catalogue gives.
struct Digests {
    /// The digest.
    all: String,
    /// The digest of what other transactions have made.
    by_others: String,
}

impl PostgresDatabase {
    /// The digest, in the transaction that there is; none if the server is too old for it.
    pub(super) fn digest(&mut self) -> Result<Option<String>, LiveError> {
        Ok(self.digests(None)?.map(|digests| digests.all))
    }

    /// After the present transaction has made its first changes, which are no part of the structure: if others have changed
    /// nothing, the structure that is known is that of the present catalogue.
    pub(super) fn renew_digest(&mut self) -> Result<(), LiveError> {
        let Some((known, model)) = self.known.take() else { return Ok(()) };
        let number = self.client.simple_query(TRANSACTION).map_err(|error| meaning(&error))?;
        let number = single(&number).and_then(|row| row.get(0)).unwrap_or_default();
        // Both are from one statement, so that no other session can change anything in between.
        let digests = self.digests(Some(&format!("xmin <> '{number}'")))?;
        self.known = digests.filter(|digests| digests.by_others == known).map(|digests| (digests.all, model));
        Ok(())
    }

    /// The digest of all rows, and that of those that fulfil a condition.
    fn digests(&mut self, condition: Option<&str>) -> Result<Option<Digests>, LiveError> {
        if self.version < FIRST_VERSION {
            return Ok(None);
        }
        let listed = match self.catalogues.take() {
            Some(listed) => listed,
            None => {
                let listed = self.client.simple_query(CATALOGUES).map_err(|error| meaning(&error))?;
                single(&listed).and_then(|row| row.get(0)).unwrap_or_default().to_owned()
            }
        };
        let hash = "hashtidextended(ctid, xmin::text::bigint)";
        let own = listed.split(',').map(|catalogue| counted(catalogue, hash, condition));
        let beside = BESIDE.map(|rows| counted(rows, "hashtextextended(t::text, 0)", None));
        let parts: Vec<String> = own.chain(beside).collect();
        self.catalogues = Some(listed);
        let question = format!(
            "SELECT string_agg(whole, ' ' ORDER BY name COLLATE \"C\"), string_agg(part, ' ' ORDER BY name COLLATE \"C\") \
             FROM ({}) AS parts",
            parts.join(" UNION ALL ")
        );
        let answer = self.client.simple_query(&question).map_err(|error| meaning(&error))?;
        let Some(row) = single(&answer) else { return Ok(None) };
        Ok(row.get(0).zip(row.get(1)).map(|(all, part)| Digests { all: all.to_owned(), by_others: part.to_owned() }))
    }
}

/// The number of rows and the sum of a hash over them, with what they are the rows of: of all, and of those that fulfil a condition.
fn counted(rows: &str, hash: &str, condition: Option<&str>) -> String {
    let filter = condition.map_or_else(String::new, |condition| format!(" FILTER (WHERE {condition})"));
    let digest = |filter: &str| format!("concat_ws(' ', $${rows}$$, count(*){filter}, sum({hash}){filter})");
    let (whole, part) = (digest(""), digest(&filter));
    format!("SELECT $${rows}$$ AS name, {whole} AS whole, {part} AS part FROM {rows}")
}
