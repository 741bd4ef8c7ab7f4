//! The ways in which two objects can differ.

/// One way in which two objects, or parts of them, can differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Aspect {
    /// Whether a part is there at all.
    Existence,
    /// What it is called.
    Name,
    /// The data type.
    DataType,
    /// NOT NULL.
    NotNull,
    /// The default value.
    Default,
    /// The expression of a generated column.
    Generated,
    /// The collation.
    Collation,
    /// Identity columns, and the options of their sequences.
    Identity,
    /// Whatever else defines the object.
    Definition,
    /// The query of a view.
    Query,
    /// The body of a routine or trigger.
    Body,
    /// Comments.
    Comment,
    /// Owners.
    Owner,
    /// Privileges of roles.
    Privileges,
    /// Security labels.
    SecurityLabel,
    /// Storage parameters, and how values are stored and compressed.
    Storage,
    /// The tablespace.
    Tablespace,
    /// Statistics targets.
    Statistics,
    /// Whether triggers and rules are enabled.
    Enabled,
    /// By which index rows are clustered.
    Clustering,
    /// How replicas identify rows.
    ReplicaIdentity,
    /// Whether row security is enabled, and forced.
    RowSecurity,
    /// Whether a table is logged.
    Persistence,
    /// Whether constraints are validated.
    Validity,
}

impl Aspect {
    /// Every aspect, with its name and what it is about.
    pub const ALL: [(Aspect, &'static str, &'static str); 24] = [
        (Aspect::Existence, "existence", "columns, constraints and clauses that only one side has"),
        (Aspect::Name, "name", "names of objects and columns that are renamed"),
        (Aspect::DataType, "type", "data types of columns"),
        (Aspect::NotNull, "not-null", "NOT NULL constraints of columns"),
        (Aspect::Default, "default", "default values of columns"),
        (Aspect::Generated, "generated", "expressions of generated columns"),
        (Aspect::Collation, "collation", "collations of columns"),
        (Aspect::Identity, "identity", "identity columns and the options of their sequences"),
        (Aspect::Definition, "definition", "keys, checks, options and all else that defines an object"),
        (Aspect::Query, "query", "queries of views"),
        (Aspect::Body, "body", "bodies of routines and triggers"),
        (Aspect::Comment, "comment", "comments on objects and their parts"),
        (Aspect::Owner, "owner", "owners of objects"),
        (Aspect::Privileges, "privileges", "privileges of roles on objects"),
        (Aspect::SecurityLabel, "security-label", "security labels"),
        (Aspect::Storage, "storage", "storage parameters, and how values are stored and compressed"),
        (Aspect::Tablespace, "tablespace", "tablespaces of tables and indexes"),
        (Aspect::Statistics, "statistics", "statistics targets"),
        (Aspect::Enabled, "enabled", "whether triggers and rules are enabled"),
        (Aspect::Clustering, "clustering", "the index by which a table is clustered"),
        (Aspect::ReplicaIdentity, "replica-identity", "how replicas identify rows"),
        (Aspect::RowSecurity, "row-security", "whether row security is enabled and forced"),
        (Aspect::Persistence, "persistence", "whether a table is logged"),
        (Aspect::Validity, "validity", "whether constraints are validated"),
    ];

    /// What a person reads and writes: `replica-identity`.
    pub fn name(self) -> &'static str {
        Aspect::ALL.iter().find(|(aspect, ..)| *aspect == self).map_or("", |(_, name, _)| name)
    }
}

#[cfg(test)]
mod tests {
    use super::Aspect;
    use std::collections::BTreeSet;

    #[test]
    fn every_aspect_has_a_name_of_its_own() {
        let names: BTreeSet<&str> = Aspect::ALL.iter().map(|(aspect, ..)| aspect.name()).collect();
        assert_eq!(names.len(), Aspect::ALL.len());
        assert!(Aspect::ALL.iter().all(|(_, _, words)| !words.is_empty()));
    }
}
