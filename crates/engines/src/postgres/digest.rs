//! A digest of the whole catalogue: as long as it is the same, so is all that reading the database gives.
//!
//! A row of a system table that changes becomes another version of the row, in another place (`ctid`) or by another transaction
//! (`xmin`, <https://www.postgresql.org/docs/current/ddl-system-columns.html>). So the values need not be looked at.

use super::connection::{PostgresDatabase, meaning, single};
use crate::error::LiveError;

/// The first version with `hashtidextended()`.
const FIRST_VERSION: u32 = 14;

/// The system's tables that hold structure, all that may be read, except those about rows
/// (<https://www.postgresql.org/docs/current/catalogs.html>).
const CATALOGUES: &str = "SELECT string_agg(oid::regclass::text, ',' ORDER BY oid) FROM pg_class \
    WHERE relnamespace = 'pg_catalog'::regnamespace AND relkind = 'r' AND has_table_privilege(oid, 'SELECT') \
      AND (NOT relisshared OR relname = 'pg_tablespace') \
      AND relname NOT IN ('pg_statistic', 'pg_statistic_ext_data', 'pg_largeobject', 'pg_largeobject_metadata')";

/// Tables that few roles may read whole: the columns that all roles may read.
const BESIDE: [&str; 2] = [
    "(SELECT umid, srvid, umuser, umoptions FROM pg_user_mappings) AS t",
    "(SELECT oid, subdbid, subname, subowner, subenabled, subslotname, subpublications FROM pg_subscription) AS t",
];

impl PostgresDatabase {
    /// The digest, in the transaction that there is; none if the server is too old for it.
    pub(super) fn digest(&mut self) -> Result<Option<String>, LiveError> {
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
        let own = listed.split(',').map(|catalogue| counted(catalogue, "hashtidextended(ctid, xmin::text::bigint)"));
        let beside = BESIDE.map(|rows| counted(rows, "hashtextextended(t::text, 0)"));
        let parts: Vec<String> = own.chain(beside).collect();
        self.catalogues = Some(listed);
        let question =
            format!("SELECT string_agg(part, ' ' ORDER BY part) FROM ({}) AS parts", parts.join(" UNION ALL "));
        let answer = self.client.simple_query(&question).map_err(|error| meaning(&error))?;
        Ok(single(&answer).and_then(|row| row.get(0)).map(str::to_owned))
    }
}

/// The number of rows and the sum of a hash over them, with what they are the rows of.
fn counted(rows: &str, hash: &str) -> String {
    format!("SELECT concat_ws(' ', $${rows}$$, count(*), sum({hash})) AS part FROM {rows}")
}
