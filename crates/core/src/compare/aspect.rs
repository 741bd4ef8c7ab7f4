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
    /// The order of the columns of a table.
    ColumnOrder,
    /// Names of indexes that are alike in everything else.
    IndexName,
    /// Names of constraints that are alike in everything else.
    ConstraintName,
    /// Where a sequence or identity column starts.
    IdentityStart,
    /// White space and comments in the bodies of routines.
    BodyLayout,
    /// Letter case of keywords and names without quotes in the bodies of routines.
    BodyCase,
}

/// Whether differences in an aspect count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Standing {
    /// Always.
    Always,
    /// Unless it is ignored.
    Compared,
    /// Only if it is asked for.
    Ignored,
}

impl Aspect {
    /// Every aspect: its name, whether differences count, what it is about.
    #[rustfmt::skip]
    pub const ALL: [(Aspect, &'static str, Standing, &'static str); 30] = [
        (Aspect::Existence, "existence", Standing::Always, "columns, constraints and clauses that only one side has"),
        (Aspect::Name, "name", Standing::Always, "names of objects and columns that are renamed"),
        (Aspect::DataType, "type", Standing::Always, "data types of columns"),
        (Aspect::NotNull, "not-null", Standing::Compared, "NOT NULL constraints of columns"),
        (Aspect::Default, "default", Standing::Compared, "default values of columns"),
        (Aspect::Generated, "generated", Standing::Always, "expressions of generated columns"),
        (Aspect::Collation, "collation", Standing::Compared, "collations of columns"),
        (Aspect::Identity, "identity", Standing::Compared, "identity columns and the options of their sequences"),
        (Aspect::Definition, "definition", Standing::Always, "keys, checks, options and all else that defines an object"),
        (Aspect::Query, "query", Standing::Always, "queries of views"),
        (Aspect::Body, "body", Standing::Compared, "bodies of routines and triggers"),
        (Aspect::Comment, "comment", Standing::Compared, "comments on objects and their parts"),
        (Aspect::Owner, "owner", Standing::Ignored, "owners of objects"),
        (Aspect::Privileges, "privileges", Standing::Ignored, "privileges of roles on objects"),
        (Aspect::SecurityLabel, "security-label", Standing::Ignored, "security labels"),
        (Aspect::Storage, "storage", Standing::Compared, "storage parameters, and how values are stored and compressed"),
        (Aspect::Tablespace, "tablespace", Standing::Compared, "tablespaces of tables and indexes"),
        (Aspect::Statistics, "statistics", Standing::Compared, "statistics targets"),
        (Aspect::Enabled, "enabled", Standing::Compared, "whether triggers and rules are enabled"),
        (Aspect::Clustering, "clustering", Standing::Compared, "the index by which a table is clustered"),
        (Aspect::ReplicaIdentity, "replica-identity", Standing::Compared, "how replicas identify rows"),
        (Aspect::RowSecurity, "row-security", Standing::Compared, "whether row security is enabled and forced"),
        (Aspect::Persistence, "persistence", Standing::Compared, "whether a table is logged"),
        (Aspect::Validity, "validity", Standing::Compared, "whether constraints are validated"),
        (Aspect::ColumnOrder, "column-order", Standing::Ignored, "the order of the columns of tables"),
        (Aspect::IndexName, "index-name", Standing::Compared, "names of indexes that are alike in everything else"),
        (Aspect::ConstraintName, "constraint-name", Standing::Compared, "names of constraints that are alike in everything else"),
        (Aspect::IdentityStart, "identity-start", Standing::Compared, "the number with which sequences and identity columns start"),
        (Aspect::BodyLayout, "body-layout", Standing::Compared, "white space and comments in bodies of SQL and PL/pgSQL routines"),
        (Aspect::BodyCase, "body-case", Standing::Compared, "letter case of keywords and unquoted names in bodies of SQL and PL/pgSQL routines"),
    ];

    /// What a person reads and writes: `replica-identity`.
    pub fn name(self) -> &'static str {
        Aspect::ALL.iter().find(|(aspect, ..)| *aspect == self).map_or("", |(_, name, ..)| name)
    }

    /// Whether differences in it count.
    pub fn standing(self) -> Standing {
        Aspect::ALL
            .iter()
            .find(|(aspect, ..)| *aspect == self)
            .map_or(Standing::Always, |(_, _, standing, _)| *standing)
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
        assert!(Aspect::ALL.iter().all(|(.., words)| !words.is_empty()));
    }
}
