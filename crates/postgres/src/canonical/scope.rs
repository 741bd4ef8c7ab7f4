//! What the names in a query can mean, level by level, and what the server calls the tables of each level.

use std::ops::{Deref, DerefMut};
use std::sync::Arc;

use super::super::names;
use super::joins::{Sight, Sighted};

/// Columns by name, with their types as far as they are known. A copy is cheap: every expression of a table has one.
#[derive(Debug, Clone, Default)]
pub struct Columns(Arc<Vec<(String, Option<String>)>>);

impl Deref for Columns {
    type Target = Vec<(String, Option<String>)>;

    fn deref(&self) -> &Self::Target {
        &self.0
    }
}

impl DerefMut for Columns {
    fn deref_mut(&mut self) -> &mut Self::Target {
        Arc::make_mut(&mut self.0)
    }
}

impl FromIterator<(String, Option<String>)> for Columns {
    fn from_iter<I: IntoIterator<Item = (String, Option<String>)>>(columns: I) -> Columns {
        Columns(Arc::new(columns.into_iter().collect()))
    }
}

impl<'c> IntoIterator for &'c Columns {
    type Item = &'c (String, Option<String>);
    type IntoIter = std::slice::Iter<'c, (String, Option<String>)>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

/// What every table has beside its columns (<https://www.postgresql.org/docs/current/ddl-system-columns.html>).
const SYSTEM_COLUMNS: [&str; 6] = ["tableoid", "xmin", "cmin", "xmax", "cmax", "ctid"];

/// Something whose columns an expression can name.
#[derive(Debug, Clone, Default)]
pub struct Relation {
    /// What the text calls it.
    pub written: String,
    /// What the server calls it: the same, with a number if a query around this one has that name too.
    pub alias: String,
    /// Its columns; none if they are not known.
    pub columns: Option<Columns>,
    /// The table or view that it is, with its own columns; none for anything else.
    pub table: Option<String>,
    /// The table or view to whose columns FROM gives other names.
    pub behind: Option<Behind>,
    /// Whether FROM gives it a name of its own.
    pub has_alias: bool,
    /// Whether it is a function that gives single values, no rows.
    pub scalar: bool,
    /// Whether its name is taken, but nothing can name it: the target of an INSERT.
    pub is_hidden: bool,
}

/// A table or view to whose first columns FROM gives other names.
#[derive(Debug, Clone)]
pub struct Behind {
    /// Its name.
    pub table: String,
    /// Its columns under their own names.
    pub columns: Columns,
    /// How many have another name.
    pub renamed: usize,
}

/// What a function of the model's gives where it stands in FROM.
#[derive(Debug, Clone)]
pub struct FunctionRows {
    /// Its columns.
    pub columns: Columns,
    /// Whether each row is a single value.
    pub scalar: bool,
}

impl Relation {
    /// A relation under the name that the text has for it.
    pub fn new(name: String, columns: Option<Columns>) -> Relation {
        let alias = name.clone();
        Relation { alias, written: name, columns, ..Relation::default() }
    }

    /// The rows of a table or view.
    pub fn of(self, table: String) -> Relation {
        Relation { table: Some(table), ..self }
    }

    /// Whether this qualifier means it.
    pub fn is_called(&self, name: &str) -> bool {
        self.written == name || self.alias == name
    }

    /// Whether it certainly has no such column.
    pub fn lacks(&self, column: &str) -> bool {
        let Some(columns) = &self.columns else { return false };
        !SYSTEM_COLUMNS.contains(&column) && !self.scalar && !columns.iter().any(|(name, _)| name == column)
    }

    /// Its columns, as FROM has them in sight.
    pub fn sight(&self) -> Sight {
        let sighted = |(name, data_type): &(String, Option<String>)| Sighted {
            name: name.clone(),
            table: Some(self.written.clone()),
            data_type: data_type.clone(),
        };
        Some(self.columns.as_ref()?.iter().map(sighted).collect())
    }
}

/// What a FROM brings.
#[derive(Debug, Clone, Default)]
pub struct Tables {
    /// Its tables.
    pub relations: Vec<Relation>,
    /// Their columns, after all joins.
    pub sight: Sight,
}

impl Tables {
    /// Tables that are not joined.
    pub fn of(relations: Vec<Relation>) -> Tables {
        let sight: Option<Vec<_>> = relations.iter().map(Relation::sight).collect();
        Tables { sight: sight.map(|columns| columns.concat()), relations }
    }
}

#[derive(Debug, Clone, Default)]
struct Level {
    relations: Vec<Relation>,
    /// Their columns after all joins; none if not all are known.
    sight: Sight,
    /// Whether the SELECT that is next is of this level.
    open: bool,
    /// Whether these are the arguments of a routine, which have no name in a query.
    arguments: bool,
}

impl Level {
    /// A column of two tables, of neither of which it is the whole.
    fn merged(&self, name: &str) -> Option<&Sighted> {
        self.sight.iter().flatten().find(|column| column.name == name && column.table.is_none())
    }

    fn alias_of(&self, column: &Sighted) -> Option<&str> {
        let written = column.table.as_ref()?;
        self.relations.iter().find(|relation| relation.written == *written).map(|relation| relation.alias.as_str())
    }
}

/// The levels of queries around a place in the text: the innermost is the last.
#[derive(Debug, Clone, Default)]
pub struct Scopes {
    levels: Vec<Level>,
    /// Whether the outermost level is a table's own expression, whose columns stand alone.
    bare: bool,
}

impl Scopes {
    /// Nothing around.
    pub fn empty() -> Scopes {
        Scopes::default()
    }

    /// The expression of a table, or of something that stands on one.
    pub fn of_table(relation: Relation) -> Scopes {
        Scopes { levels: vec![Level { relations: vec![relation], ..Level::default() }], bare: true }
    }

    /// The statements of a rule, with the new and the old row; the one that is meant if none is named is first.
    pub fn of_rule(rows: [Relation; 2]) -> Scopes {
        Scopes { levels: vec![Level { relations: rows.into(), ..Level::default() }], bare: false }
    }

    /// The body of a routine.
    pub fn of_routine(arguments: Relation) -> Scopes {
        let level = Level { relations: vec![arguments], arguments: true, ..Level::default() };
        Scopes { levels: vec![level], bare: true }
    }

    /// A level begins.
    pub fn enter(&mut self, from: Tables) {
        let relations = self.named(from.relations);
        self.levels.push(Level { relations, sight: from.sight, ..Level::default() });
    }

    /// A query begins whose level is that of its only SELECT.
    pub fn enter_query(&mut self, from: Tables) {
        self.enter(from);
        self.levels.last_mut().expect("just pushed").open = true;
    }

    /// A SELECT begins.
    pub fn enter_select(&mut self, from: Tables) {
        match self.levels.last_mut().filter(|level| level.open) {
            Some(level) => {
                level.open = false;
                let (relations, sight) = (level.relations.clone(), level.sight.clone());
                self.levels.push(Level { relations, sight, ..Level::default() });
            }
            None => self.enter(from),
        }
    }

    /// The innermost level ends.
    pub fn leave(&mut self) {
        self.levels.pop();
    }

    /// The columns of the innermost level, each with what the server writes before it; none if not all are known.
    pub fn columns(&self) -> Option<Vec<(Option<String>, Sighted)>> {
        let level = self.levels.last()?;
        let columns = level.sight.as_ref()?.iter();
        Some(columns.map(|column| (level.alias_of(column).map(str::to_owned), column.clone())).collect())
    }

    /// The relations of the innermost level.
    pub fn innermost(&self) -> &[Relation] {
        self.levels.last().map_or(&[], |level| &level.relations)
    }

    /// Names that no query around has, as `set_rtable_names()` of ruleutils.c makes them.
    fn named(&self, mut relations: Vec<Relation>) -> Vec<Relation> {
        let around = self.levels.iter().filter(|level| !level.arguments).flat_map(|level| &level.relations);
        let mut taken: Vec<String> = around.map(|relation| relation.alias.clone()).collect();
        for relation in &mut relations {
            let mut number = 0;
            while taken.contains(&relation.alias) {
                number += 1;
                let suffix = format!("_{number}");
                let kept = relation.written.floor_char_boundary(names::LONGEST - suffix.len());
                relation.alias = format!("{}{suffix}", &relation.written[..kept]);
            }
            taken.push(relation.alias.clone());
        }
        relations
    }

    fn relations(&self) -> impl Iterator<Item = &Relation> {
        self.levels.iter().rev().flat_map(|level| &level.relations).filter(|relation| !relation.is_hidden)
    }

    /// The relation that a qualifier means.
    pub fn called(&self, qualifier: &str) -> Option<&Relation> {
        self.relations().find(|relation| relation.is_called(qualifier))
    }

    /// The type that a column is declared to have, by its qualifier and name.
    pub fn declared_type(&self, qualifier: Option<&str>, name: &str) -> Option<&str> {
        let merged = self.levels.iter().rev().find_map(|level| level.merged(name)).filter(|_| qualifier.is_none());
        if let Some(merged) = merged {
            return merged.data_type.as_deref();
        }
        let relations = self.relations().filter(|relation| qualifier.is_none_or(|alias| relation.is_called(alias)));
        let mut columns = relations.flat_map(|relation| relation.columns.iter().flatten());
        columns.find(|(column, _)| column == name)?.1.as_deref()
    }

    /// Whether the text stands in no query: columns need no qualifier.
    pub fn is_bare(&self) -> bool {
        self.bare && self.levels.len() == 1
    }

    /// The alias of the relation that a column without one belongs to; none if it needs none.
    pub fn qualifier_of(&self, column: &str) -> Option<&str> {
        for level in self.levels.iter().rev() {
            if let Some(sighted) = level.sight.iter().flatten().find(|sighted| sighted.name == column) {
                return level.alias_of(sighted);
            }
            let holds = |relation: &&Relation| relation.columns.iter().flatten().any(|(name, _)| name == column);
            if let Some(found) = level.relations.iter().find(holds) {
                return (!self.is_bare()).then_some(found.alias.as_str());
            }
            if SYSTEM_COLUMNS.contains(&column)
                && let Some(only) = level.relations.iter().find(|relation| relation.table.is_some())
            {
                return (!self.is_bare()).then_some(only.alias.as_str());
            }
            // The only relation whose columns are not known.
            let mut unknown = level.relations.iter().filter(|relation| relation.columns.is_none());
            if let (Some(found), None) = (unknown.next(), unknown.next()) {
                return Some(&found.alias);
            }
        }
        None
    }

    /// The relation that a column without a qualifier is of.
    pub fn relation_of(&self, column: &str) -> Option<&Relation> {
        let holds = |relation: &&Relation| relation.columns.iter().flatten().any(|(name, _)| name == column);
        self.levels.iter().rev().find_map(|level| {
            match level.sight.iter().flatten().find(|sighted| sighted.name == column) {
                Some(sighted) => level.relations.iter().find(|own| sighted.table.as_ref() == Some(&own.written)),
                None => level.relations.iter().find(holds),
            }
        })
    }

    /// Whether a join around merges columns of this name.
    pub fn has_merged(&self, name: &str) -> bool {
        self.levels.iter().any(|level| level.merged(name).is_some())
    }

    /// Whether a name without a qualifier can be told: as a column, as a whole row, or because there is nothing else around.
    pub fn knows(&self, name: &str) -> bool {
        self.is_bare()
            || self.relations().next().is_none()
            || self.qualifier_of(name).is_some()
            || self.has_merged(name)
            || self.called(name).is_some()
    }

    /// Whether nothing around certainly has a column of this name, or is called so itself.
    pub fn lacks(&self, name: &str) -> bool {
        let mut all = self.relations().peekable();
        all.peek().is_some()
            && all.all(|relation| relation.lacks(name) && !relation.is_called(name))
            && !self.levels.iter().any(|level| level.arguments || level.merged(name).is_some())
    }

    /// What the server writes before a column that is written with this qualifier; none if it writes nothing.
    pub fn qualifier<'s>(&'s self, written: &'s str) -> Option<&'s str> {
        let alias = self.called(written).map_or(written, |relation| &relation.alias);
        let own = self.is_bare() && self.levels[0].relations.iter().any(|relation| relation.alias == alias);
        (!own).then_some(alias)
    }

    /// Whether the innermost level has a column of this name.
    pub fn has_column(&self, name: &str) -> bool {
        self.innermost().iter().any(|relation| relation.columns.iter().flatten().any(|(column, _)| column == name))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn relation(name: &str, columns: &[&str]) -> Relation {
        Relation::new(name.to_owned(), Some(columns.iter().map(|column| ((*column).to_owned(), None)).collect()))
    }

    #[test]
    fn a_name_that_is_taken_around_gets_a_number() {
        let mut scopes = Scopes::empty();
        scopes.enter(Tables::of(vec![relation("hives", &["id"]), relation("h", &["site"])]));
        scopes.enter(Tables::of(vec![relation("hives", &["id"]), relation("h_1", &["x"]), relation("h", &["site"])]));
        let names: Vec<&str> = scopes.innermost().iter().map(|relation| relation.alias.as_str()).collect();
        assert_eq!(names, ["hives_1", "h_1", "h_2"]);
        assert_eq!(scopes.qualifier("hives"), Some("hives_1"));
        assert_eq!(scopes.qualifier_of("site"), Some("h_2"));
        scopes.leave();
        assert_eq!(scopes.qualifier("hives"), Some("hives"));
    }

    #[test]
    fn a_number_fits_into_the_longest_name() {
        let long = "h".repeat(63);
        let mut scopes = Scopes::empty();
        scopes.enter(Tables::of(vec![relation(&long, &["id"])]));
        scopes.enter(Tables::of(vec![relation(&long, &["id"])]));
        assert_eq!(scopes.innermost()[0].alias, format!("{}_1", "h".repeat(61)));
    }

    #[test]
    fn a_query_and_its_only_select_are_one_level() {
        let mut scopes = Scopes::empty();
        scopes.enter_query(Tables::of(vec![relation("hives", &["id"])]));
        scopes.enter_select(Tables::of(vec![relation("hives", &["id"])]));
        assert_eq!(scopes.innermost()[0].alias, "hives");
        // A query in its list is not.
        scopes.enter_query(Tables::of(vec![relation("hives", &["id"])]));
        scopes.enter_select(Tables::of(vec![relation("hives", &["id"])]));
        assert_eq!(scopes.innermost()[0].alias, "hives_1");
    }

    #[test]
    fn a_tables_own_columns_stand_alone() {
        let mut scopes = Scopes::of_table(relation("hives", &["id", "site"]));
        assert_eq!(scopes.qualifier("hives"), None);
        assert_eq!(scopes.qualifier_of("id"), None);
        assert!(scopes.knows("id") && scopes.knows("anything"));
        // In a query within, they say whose they are; and its table has another name.
        scopes.enter(Tables::of(vec![relation("hives", &["id"])]));
        assert_eq!(scopes.qualifier_of("site"), Some("hives"));
        assert_eq!(scopes.qualifier_of("id"), Some("hives_1"));
        assert!(!scopes.knows("anything"));
    }
}
