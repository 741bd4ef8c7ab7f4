//! The ways in which two objects can differ.

/// One way in which two objects, or parts of them, can differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Aspect {
    /// Whether a part is there at all.
    Existence,
    /// Its name.
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
pub enum DefaultTreatment {
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
    pub const ALL: [(Aspect, &'static str, DefaultTreatment, &'static str); 30] = [
        (Aspect::Existence, "existence", DefaultTreatment::Always, "columns, constraints and clauses that only one side has"),
        (Aspect::Name, "name", DefaultTreatment::Always, "names of objects and columns that are renamed"),
        (Aspect::DataType, "type", DefaultTreatment::Always, "data types of columns"),
        (Aspect::NotNull, "not-null", DefaultTreatment::Compared, "NOT NULL constraints of columns"),
        (Aspect::Default, "default", DefaultTreatment::Compared, "default values of columns"),
        (Aspect::Generated, "generated", DefaultTreatment::Always, "expressions of generated columns"),
        (Aspect::Collation, "collation", DefaultTreatment::Compared, "collations of columns"),
        (Aspect::Identity, "identity", DefaultTreatment::Compared, "identity columns and the options of their sequences"),
        (Aspect::Definition, "definition", DefaultTreatment::Always, "keys, checks, options and all else that defines an object"),
        (Aspect::Query, "query", DefaultTreatment::Always, "queries of views"),
        (Aspect::Body, "body", DefaultTreatment::Compared, "bodies of routines and triggers"),
        (Aspect::Comment, "comment", DefaultTreatment::Compared, "comments on objects and their parts"),
        (Aspect::Owner, "owner", DefaultTreatment::Ignored, "owners of objects"),
        (Aspect::Privileges, "privileges", DefaultTreatment::Ignored, "privileges of roles on objects"),
        (Aspect::SecurityLabel, "security-label", DefaultTreatment::Ignored, "security labels"),
        (Aspect::Storage, "storage", DefaultTreatment::Compared, "storage parameters, and how values are stored and compressed"),
        (Aspect::Tablespace, "tablespace", DefaultTreatment::Compared, "tablespaces of tables and indexes"),
        (Aspect::Statistics, "statistics", DefaultTreatment::Compared, "statistics targets"),
        (Aspect::Enabled, "enabled", DefaultTreatment::Compared, "whether triggers and rules are enabled"),
        (Aspect::Clustering, "clustering", DefaultTreatment::Compared, "the index by which a table is clustered"),
        (Aspect::ReplicaIdentity, "replica-identity", DefaultTreatment::Compared, "how replicas identify rows"),
        (Aspect::RowSecurity, "row-security", DefaultTreatment::Compared, "whether row security is enabled and forced"),
        (Aspect::Persistence, "persistence", DefaultTreatment::Compared, "whether a table is logged"),
        (Aspect::Validity, "validity", DefaultTreatment::Compared, "whether constraints are validated"),
        (Aspect::ColumnOrder, "column-order", DefaultTreatment::Ignored, "the order of the columns of tables"),
        (Aspect::IndexName, "index-name", DefaultTreatment::Compared, "names of indexes that are alike in everything else"),
        (Aspect::ConstraintName, "constraint-name", DefaultTreatment::Compared, "names of constraints that are alike in everything else"),
        (Aspect::IdentityStart, "identity-start", DefaultTreatment::Compared, "the number with which sequences and identity columns start"),
        (Aspect::BodyLayout, "body-layout", DefaultTreatment::Compared, "white space and comments in bodies of SQL and PL/pgSQL routines"),
        (Aspect::BodyCase, "body-case", DefaultTreatment::Compared, "letter case of keywords and unquoted names in bodies of SQL and PL/pgSQL routines"),
    ];

    /// The name in options and messages: `replica-identity`.
    pub fn name(self) -> &'static str {
        Aspect::ALL.iter().find(|(aspect, ..)| *aspect == self).map_or("", |(_, name, ..)| name)
    }

    /// Whether differences in it count.
    pub fn default_treatment(self) -> DefaultTreatment {
        Aspect::ALL
            .iter()
            .find(|(aspect, ..)| *aspect == self)
            .map_or(DefaultTreatment::Always, |(_, _, standing, _)| *standing)
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
