//! The scopes of names in a statement, level by level (<https://sqlite.org/lang_select.html>, `lookupName` in `resolve.c`).

use wevrun_core::model::{Identifiers, Name, QualifiedName};

use super::schema::Columns;
use crate::Sqlite;

/// A table, view, subquery or function in FROM, or a row of a trigger.
#[derive(Debug, Clone)]
pub struct Source {
    /// The name before the dot of its columns.
    pub qualifier: Option<Name>,
    /// The table or view of the schema, if it is one.
    pub relation: Option<QualifiedName>,
    /// Its columns.
    pub columns: Columns,
    /// Columns that USING or NATURAL has merged with those of sources before it.
    pub merged: Vec<Name>,
    /// Whether the qualifier is the relation's own name, not an alias.
    pub has_own_name: bool,
    /// Whether its columns must be qualified: NEW, OLD, EXCLUDED.
    pub only_qualified: bool,
}

/// The names of one query.
#[derive(Debug, Clone, Default)]
pub struct Level {
    /// The sources of FROM, in order.
    pub sources: Vec<Source>,
    /// The aliases of result columns, where they can be named.
    pub aliases: Vec<Name>,
}

/// A column's name that was looked up.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    pub meaning: Meaning,
    /// The relation whose own name is before the dot.
    pub qualified: Option<QualifiedName>,
}

/// The meaning of a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Meaning {
    /// A column of a table or view.
    Column(QualifiedName),
    /// Something that the statement itself defines, or a row number.
    Local,
    /// A column of one of these relations, whose columns are not known, or nothing.
    Possible(Vec<QualifiedName>),
    /// Nothing.
    Nothing,
}

impl Source {
    fn is_called(&self, qualifier: &Name) -> bool {
        self.qualifier.as_ref() == Some(qualifier)
    }

    /// A name that is one of its columns.
    fn found(&self, is_qualified: bool) -> Found {
        let meaning = self.relation.clone().map_or(Meaning::Local, Meaning::Column);
        Found { meaning, qualified: self.qualified(is_qualified) }
    }

    fn qualified(&self, is_qualified: bool) -> Option<QualifiedName> {
        self.relation.clone().filter(|_| is_qualified && self.has_own_name)
    }

    /// Whether it has a column of this name, if that is known.
    pub fn has(&self, column: &Name) -> Option<bool> {
        match &self.columns {
            Columns::Known(columns) => Some(columns.contains(column)),
            Columns::Unknown => None,
        }
    }
}

impl Level {
    /// Looks a column's name up at this level.
    fn column(&self, qualifier: Option<&Name>, column: &Name) -> Found {
        let fits = |source: &&Source| match qualifier {
            Some(qualifier) => source.is_called(qualifier),
            None => !source.only_qualified && !source.merged.contains(column),
        };
        let sources: Vec<&Source> = self.sources.iter().filter(fits).collect();
        if let Some(source) = sources.iter().find(|source| source.has(column) == Some(true)) {
            return source.found(qualifier.is_some());
        }
        if Sqlite.is_row_id(column)
            && let [source, ..] = sources[..]
        {
            return Found { meaning: Meaning::Local, qualified: source.qualified(qualifier.is_some()) };
        }
        if qualifier.is_none() && self.aliases.contains(column) {
            return Found { meaning: Meaning::Local, qualified: None };
        }
        let unknown: Vec<&&Source> = sources.iter().filter(|source| source.has(column).is_none()).collect();
        let meaning = match unknown.is_empty() {
            true => Meaning::Nothing,
            false => Meaning::Possible(unknown.iter().filter_map(|source| source.relation.clone()).collect()),
        };
        let qualified = unknown.first().and_then(|source| source.qualified(qualifier.is_some()));
        Found { meaning, qualified }
    }
}

/// Looks a column's name up, from the innermost level outwards.
pub fn column(levels: &[Level], qualifier: Option<&Name>, column: &Name) -> Found {
    let mut possible: Option<Vec<QualifiedName>> = None;
    let mut qualified = None;
    for level in levels.iter().rev() {
        let found = level.column(qualifier, column);
        qualified = qualified.or(found.qualified);
        match found.meaning {
            Meaning::Nothing => {}
            Meaning::Possible(relations) => possible.get_or_insert_default().extend(relations),
            // An inner source may have the column, too.
            Meaning::Column(relation) if possible.is_some() => possible.get_or_insert_default().push(relation),
            meaning => return Found { meaning, qualified },
        }
    }
    Found { meaning: possible.map_or(Meaning::Nothing, Meaning::Possible), qualified }
}
