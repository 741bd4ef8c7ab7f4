//! One way through all expressions and names of a definition, to read them and to change them.

use super::{Clauses, Definition, Expression, QualifiedName, Value};

/// Writes the walk once for both kinds of reference.
macro_rules! walk {
    ($definition:ident, $clauses:ident, $values:ident, $iter:ident, $($mut:tt)?) => {
        fn $clauses<'d>(clauses: &'d $($mut)? Clauses, found: &mut Vec<&'d $($mut)? Expression>) {
            for value in clauses.$values() {
                match value {
                    Value::Expression(expression) => found.push(expression),
                    Value::List(list) => found.extend(list.$iter()),
                    _ => {}
                }
            }
        }

        fn $definition<'d>(definition: &'d $($mut)? Definition, found: &mut Vec<&'d $($mut)? Expression>) {
            match definition {
                Definition::Table(table) => {
                    for column in table.columns.$iter() {
                        found.extend(column.data_type.$iter().chain(column.default.$iter()));
                        found.extend(column.generated.$iter().map(|generated| &$($mut)? generated.expression));
                        $clauses(&$($mut)? column.clauses, found);
                    }
                    let keys = table.primary_key.$iter().chain(table.unique_keys.$iter());
                    keys.for_each(|key| $clauses(&$($mut)? key.clauses, found));
                    for check in table.checks.$iter().chain(table.exclusions.$iter()) {
                        found.push(&$($mut)? check.condition);
                        $clauses(&$($mut)? check.clauses, found);
                    }
                    table.foreign_keys.$iter().for_each(|key| $clauses(&$($mut)? key.clauses, found));
                    $clauses(&$($mut)? table.clauses, found);
                }
                Definition::Index(index) => {
                    for part in index.parts.$iter() {
                        found.push(&$($mut)? part.expression);
                        $clauses(&$($mut)? part.clauses, found);
                    }
                    found.extend(index.predicate.$iter());
                    $clauses(&$($mut)? index.clauses, found);
                }
                Definition::View(view) => {
                    found.push(&$($mut)? view.query);
                    $clauses(&$($mut)? view.clauses, found);
                }
                Definition::Trigger(trigger) => {
                    found.extend(trigger.condition.$iter());
                    found.push(&$($mut)? trigger.body);
                }
                Definition::Plain(plain) => $clauses(&$($mut)? plain.clauses, found),
                Definition::VirtualTable(_) => {}
            }
        }
    };
}

/// Writes the walk over names once for both kinds of reference.
macro_rules! walk_names {
    ($names:ident, $objects:ident, $iter:ident, $($mut:tt)?) => {
        fn $names<'d>(definition: &'d $($mut)? Definition, found: &mut Vec<&'d $($mut)? QualifiedName>) {
            match definition {
                Definition::Table(table) => {
                    for column in table.columns.$iter() {
                        found.extend(column.collation.$iter());
                        found.extend(column.clauses.$objects());
                    }
                    for key in table.primary_key.$iter().chain(table.unique_keys.$iter()) {
                        found.extend(key.parts.$iter().flat_map(|part| part.collation.$iter()));
                        found.extend(key.clauses.$objects());
                    }
                    for key in table.foreign_keys.$iter() {
                        found.push(&$($mut)? key.parent);
                        found.extend(key.clauses.$objects());
                    }
                    let checks = table.checks.$iter().chain(table.exclusions.$iter());
                    found.extend(checks.flat_map(|check| check.clauses.$objects()));
                    found.extend(table.clauses.$objects());
                }
                Definition::Index(index) => {
                    found.push(&$($mut)? index.table);
                    for part in index.parts.$iter() {
                        found.extend(part.collation.$iter());
                        found.extend(part.clauses.$objects());
                    }
                    found.extend(index.clauses.$objects());
                }
                Definition::View(view) => found.extend(view.clauses.$objects()),
                Definition::Trigger(trigger) => found.push(&$($mut)? trigger.table),
                Definition::Plain(plain) => {
                    found.extend(plain.owner.$iter());
                    found.extend(plain.clauses.$objects());
                }
                Definition::VirtualTable(_) => {}
            }
        }
    };
}

walk_names!(names_of, objects, iter,);
walk_names!(names_of_mut, objects_mut, iter_mut, mut);

walk!(of_definition, of_clauses, values, iter,);
walk!(of_definition_mut, of_clauses_mut, values_mut, iter_mut, mut);

impl Definition {
    /// The names of all other objects that the definition has as names: owners, parents, collations, those in clauses.
    pub fn object_names(&self) -> Vec<&QualifiedName> {
        let mut found = Vec::new();
        names_of(self, &mut found);
        found
    }

    /// The same, to change them.
    pub fn object_names_mut(&mut self) -> Vec<&mut QualifiedName> {
        let mut found = Vec::new();
        names_of_mut(self, &mut found);
        found
    }

    /// Every expression, types and those in clauses included, in a fixed order.
    pub fn expressions(&self) -> Vec<&Expression> {
        let mut found = Vec::new();
        of_definition(self, &mut found);
        found
    }

    /// The same, to change them.
    pub fn expressions_mut(&mut self) -> Vec<&mut Expression> {
        let mut found = Vec::new();
        of_definition_mut(self, &mut found);
        found
    }
}
