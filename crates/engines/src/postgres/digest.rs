//! A digest of the whole catalogue: as long as it is the same, so is all that reading the database gives. It takes the server a small
//! part of the time, because nothing is spelled.

use super::connection::{PostgresDatabase, meaning, single};
use super::read::SPELLING;
use crate::error::LiveError;

/// The system's tables that hold structure: all of this database that may be read, but for what is about rows, and what else reading
/// looks at (<https://www.postgresql.org/docs/current/catalogs.html>).
const CATALOGUES: &str = "SELECT string_agg(relname, ',' ORDER BY relname) FROM pg_class \
    WHERE relnamespace = 'pg_catalog'::regnamespace AND relkind = 'r' AND NOT relisshared AND has_table_privilege(oid, 'SELECT') \
      AND relname NOT IN ('pg_statistic', 'pg_statistic_ext_data', 'pg_largeobject', 'pg_largeobject_metadata')";

/// What is shared by all databases, or a view for those who may not read the table.
const BESIDE: [&str; 3] = [
    "(SELECT umid, srvid, umuser, umoptions FROM pg_user_mappings)",
    "(SELECT oid, spcname, spcowner, spcoptions FROM pg_tablespace)",
    "(SELECT oid, subdbid, subname, subowner, subenabled, subslotname, subpublications FROM pg_subscription)",
];

impl PostgresDatabase {
    /// The digest, in the transaction that there is.
    pub(super) fn digest(&mut self) -> Result<String, LiveError> {
        let listed = self.client.simple_query(&format!("{SPELLING} {CATALOGUES}")).map_err(|error| meaning(&error))?;
        let listed = single(&listed).and_then(|row| row.get(0)).unwrap_or_default().to_owned();
        let own = listed.split(',').map(of_catalogue);
        let parts: Vec<String> = own.chain(BESIDE.map(|beside| counted(beside, "t", "true"))).collect();
        let question = format!(
            "SELECT string_agg(part, ' ') FROM ({}) AS parts; SET LOCAL search_path = public",
            parts.join(" UNION ALL ")
        );
        let answer = self.client.simple_query(&question).map_err(|error| meaning(&error))?;
        Ok(single(&answer).and_then(|row| row.get(0)).unwrap_or_default().to_owned())
    }
}

/// What the server brings itself has numbers below 16384, and is not read; the schema `public` is one of few exceptions
/// (<https://www.postgresql.org/docs/current/system-catalog-initial-data.html>).
fn of_catalogue(catalogue: &str) -> String {
    const OWN: &str = "oid >= 16384";
    // The server changes the columns that are taken out by itself.
    match catalogue {
        "pg_class" => counted(
            catalogue,
            "(to_jsonb(t) - '{relpages,reltuples,relallvisible,relallfrozen,relfrozenxid,relminmxid}'::text[])",
            OWN,
        ),
        "pg_index" => counted(catalogue, "(to_jsonb(t) - 'indcheckxmin')", "indexrelid >= 16384"),
        "pg_attribute" => counted(catalogue, "t", "attrelid >= 16384"),
        "pg_rewrite" => counted(catalogue, "t", "ev_class >= 16384"),
        "pg_depend" => counted(catalogue, "t", "objid >= 16384"),
        "pg_description" => counted(catalogue, "t", "objoid >= 16384 OR objoid = 2200"),
        "pg_proc" | "pg_type" | "pg_operator" | "pg_amop" | "pg_amproc" | "pg_collation" | "pg_conversion"
        | "pg_cast" => counted(catalogue, "t", OWN),
        catalogue => counted(catalogue, "t", "true"),
    }
}

/// The number of rows for which a condition holds, and two sums of 64 bits over them.
fn counted(rows: &str, row: &str, condition: &str) -> String {
    format!(
        "SELECT concat_ws(' ', count(*), sum(hashtextextended({row}::text, 0)), sum(hashtextextended({row}::text, 1))) AS part \
         FROM {rows} AS t WHERE {condition}"
    )
}
