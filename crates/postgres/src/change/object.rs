//! Changes of one object's definition.

use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Definition, Expression, Name, Object, Plain, QualifiedName, Table};

use super::{SequenceChange, set_clause};
use crate::{canonical, clause, names};

/// A change of an object's definition.
#[derive(Debug, Clone)]
pub enum ObjectChange {
    /// Clauses of whatever the object is.
    Clauses(ClauseChanges),
    /// Clauses of an index, which may be that of a table's constraint.
    IndexClauses {
        /// The index.
        index: QualifiedName,
        /// Its clauses.
        changes: ClauseChanges,
    },
    /// Clauses of an index; one of a constraint stays as it is.
    OwnIndexClauses(ClauseChanges),
    /// COMMENT ON COLUMN; no text removes the comment.
    CommentOnColumn(Name, Option<String>),
    /// COMMENT ON CONSTRAINT; no text removes the comment.
    CommentOnConstraint(Name, Option<String>),
    /// ATTACH PARTITION: what the partition is of, and its bound.
    AttachPartition(QualifiedName, Expression),
    /// ENABLE and DISABLE of a trigger or a rule.
    Enable {
        /// The trigger or rule.
        name: String,
        /// `disabled`, `replica`, `always`; none is the default.
        state: Option<&'static str>,
    },
    /// ALTER SEQUENCE.
    Sequence(SequenceChange),
    /// ADD VALUE of an enum, unless it is there.
    AddLabel {
        /// The label, as a text constant.
        label: String,
        /// Before another one, or after it; else in the end.
        neighbour: Option<(Place, String)>,
    },
    /// Actions of ALTER TYPE on a composite type.
    Attributes(Vec<AttributeChange>),
    /// RENAME CONSTRAINT of a domain.
    RenameDomainConstraint {
        /// The present name.
        from: String,
        /// The new name.
        to: String,
    },
    /// ADD of members of an operator family.
    AddMembers(Clauses),
    /// DROP of members of an operator family.
    DropMembers(Clauses),
    /// ALTER MAPPING … REPLACE of a text search configuration.
    ReplaceDictionary {
        /// The token types; if empty, all.
        tokens: Vec<String>,
        /// The present dictionary.
        from: String,
        /// The new one.
        to: String,
    },
    /// ADD, SET and DROP of what a publication has.
    Publication(MemberChange, Clauses),
}

/// On which side of another one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// BEFORE.
    Before,
    /// AFTER.
    After,
}

/// A change of an attribute of a composite type; names and types as in SQL.
#[derive(Debug, Clone)]
pub enum AttributeChange {
    /// ADD ATTRIBUTE: the name and the type.
    Add(String, String),
    /// DROP ATTRIBUTE.
    Drop(String),
    /// ALTER ATTRIBUTE: the name and the new type.
    SetType(String, String),
    /// RENAME ATTRIBUTE: the present name and the new one.
    Rename(String, String),
}

/// How the members of a publication change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MemberChange {
    /// ADD.
    Add,
    /// SET of the members: there are no others.
    Set,
    /// SET of options.
    SetOptions,
    /// DROP.
    Drop,
}

impl ObjectChange {
    /// Makes the change.
    pub fn apply(&self, object: &mut Object) {
        match self {
            ObjectChange::Clauses(changes) => {
                object.definition.clauses_mut().into_iter().for_each(|clauses| changes.apply(clauses));
            }
            ObjectChange::IndexClauses { index, changes } => change_index(object, index, changes),
            ObjectChange::OwnIndexClauses(changes) => {
                if let Definition::Index(index) = &mut object.definition {
                    changes.apply(&mut index.clauses);
                }
            }
            ObjectChange::CommentOnColumn(column, text) => comment_on_column(object, column, text.as_deref()),
            ObjectChange::CommentOnConstraint(name, text) => comment_on_constraint(object, name, text.as_deref()),
            ObjectChange::AttachPartition(parent, bound) => {
                if let Definition::Table(table) = &mut object.definition {
                    canonical::not_null_names::store_all(&object.name, table);
                    table.clauses.set(clause::PARTITION_OF, parent.clone());
                    table.clauses.set(clause::BOUND, bound.clone());
                }
            }
            ObjectChange::Enable { name, state } => match &mut object.definition {
                // The trigger is the parent's; its state is the partition's own.
                Definition::Table(partition) => {
                    partition.clauses.set_text(clause::TRIGGER.of(&names::quoted(name)), state.unwrap_or("enabled"));
                }
                _ => set_clause(object, "enabled", *state),
            },
            _ => {
                if let Definition::Plain(plain) = &mut object.definition {
                    self.apply_to_plain(plain);
                }
            }
        }
    }

    fn apply_to_plain(&self, plain: &mut Plain) {
        let clauses = &mut plain.clauses;
        match self {
            ObjectChange::Sequence(change) => change.apply(plain),
            ObjectChange::AddLabel { label, neighbour } => {
                let mut labels = crate::enum_labels(clauses);
                if labels.contains(label) {
                    return;
                }
                let place = neighbour.as_ref().and_then(|(place, other)| {
                    let found = labels.iter().position(|label| label == other)?;
                    Some(found + usize::from(*place == Place::After))
                });
                labels.insert(place.unwrap_or(labels.len()), label.clone());
                clauses.set_text(clause::ENUM, labels.join(", "));
            }
            ObjectChange::Attributes(changes) => {
                let mut attributes = crate::attributes(clauses);
                changes.iter().for_each(|change| change.apply(&mut attributes));
                let words: Vec<String> = attributes.iter().map(|(name, rest)| format!("{name} {rest}")).collect();
                clauses.set_text(clause::ATTRIBUTES, words.join(", "));
            }
            ObjectChange::RenameDomainConstraint { from, to } => {
                for family in [clause::CHECK, clause::NOT_VALID_CHECK, clause::COMMENT_ON] {
                    if let Some(value) = clauses.remove(family.of(from)) {
                        clauses.set(family.of(to), value);
                    }
                }
            }
            ObjectChange::AddMembers(members) => {
                for (member, value) in members.iter() {
                    clauses.remove(clause::DROPPED.of(member));
                    clauses.set_named(member, value.clone());
                }
            }
            ObjectChange::DropMembers(members) => {
                for (member, _) in members.iter() {
                    if clauses.remove_named(member).is_none() {
                        clauses.set_text(clause::DROPPED.of(member), "");
                    }
                }
            }
            ObjectChange::ReplaceDictionary { tokens, from, to } => {
                // What a copy will have is not there yet.
                if clauses.has(clause::WITH_COPY) && tokens.is_empty() {
                    let before =
                        clauses.value(clause::REPLACED).map_or_else(String::new, |before| format!("{before}, "));
                    clauses.set_text(clause::REPLACED, format!("{before}{from}, {to}"));
                }
                let is_meant = |token: &str| tokens.is_empty() || tokens.iter().any(|named| named == token);
                for (name, listed) in clauses.expressions_mut() {
                    if clause::MAPPING.member(name).is_some_and(is_meant) {
                        canonical::replace_dictionary(listed, from, to);
                    }
                }
            }
            ObjectChange::Publication(change, members) => {
                let is_member = |name: &str| clause::PUBLISHED_TABLE.has(name) || clause::PUBLISHED_SCHEMA.has(name);
                clauses.retain(|name, _| match change {
                    MemberChange::Drop => !members.has_named(name),
                    MemberChange::Set => !is_member(name),
                    MemberChange::Add | MemberChange::SetOptions => true,
                });
                if *change != MemberChange::Drop {
                    clauses.extend(members);
                }
                take_usual_of_publication(clauses);
            }
            _ => {}
        }
    }
}

impl AttributeChange {
    fn apply(&self, attributes: &mut Vec<(String, String)>) {
        let find = |attributes: &mut Vec<(String, String)>, name: &String| {
            attributes.iter().position(|(other, _)| other == name)
        };
        match self {
            AttributeChange::Add(name, data_type) => attributes.push((name.clone(), data_type.clone())),
            AttributeChange::Drop(name) => attributes.retain(|(other, _)| other != name),
            AttributeChange::SetType(name, data_type) => {
                if let Some(place) = find(attributes, name) {
                    attributes[place].1.clone_from(data_type);
                }
            }
            AttributeChange::Rename(from, to) => {
                if let Some(place) = find(attributes, from) {
                    attributes[place].0.clone_from(to);
                }
            }
        }
    }
}

/// Removes the options of a publication that are the default.
pub fn take_usual_of_publication(clauses: &mut Clauses) {
    let defaults = [("publish", "insert, update, delete, truncate"), ("publish_via_partition_root", "false")];
    for (option, value) in defaults {
        if clauses.value(clause::WITH.of(option)) == Some(value) {
            clauses.remove(clause::WITH.of(option));
        }
    }
}

/// Gives a label of an enum another name.
pub(super) fn rename_label(object: &mut Object, from: &str, to: &str) {
    if let Definition::Plain(plain) = &mut object.definition {
        let mut labels = crate::enum_labels(&plain.clauses);
        labels.iter_mut().filter(|label| *label == from).for_each(|label| to.clone_into(label));
        plain.clauses.set_text(clause::ENUM, labels.join(", "));
    }
}

fn change_index(object: &mut Object, index: &QualifiedName, changes: &ClauseChanges) {
    match &mut object.definition {
        Definition::Table(table) if object.name != *index => {
            let Some(clauses) = constraint_clauses(table, &names::simple(index.identifier())) else { return };
            let mut changes = changes.clone();
            // The constraint has a comment of its own.
            if let Some(comment) = changes.take(clause::COMMENT) {
                changes.change(clause::INDEX_COMMENT, comment);
            }
            changes.apply(clauses);
        }
        definition => definition.clauses_mut().into_iter().for_each(|clauses| changes.apply(clauses)),
    }
}

fn comment_on_column(object: &mut Object, column: &Name, text: Option<&str>) {
    let clauses = match &mut object.definition {
        Definition::Table(table) => {
            let found = table.columns.iter_mut().find(|other| other.name == *column);
            found.map(|column| &mut column.clauses)
        }
        _ => None,
    };
    match (clauses, text) {
        (Some(clauses), Some(text)) => clauses.set_text(clause::COMMENT, text),
        (Some(clauses), None) => drop(clauses.remove(clause::COMMENT)),
        // The columns of a partition or of a copy may be its parent's, which are not known yet.
        (None, _) => set_clause(object, &clause::COMMENT_ON.of(&names::quoted(column.canonical())).name(), text),
    }
}

fn comment_on_constraint(object: &mut Object, name: &Name, text: Option<&str>) {
    let own = names::quoted(name.canonical());
    let Definition::Table(table) = &mut object.definition else {
        return set_clause(object, &clause::COMMENT_ON.of(&own).name(), text);
    };
    match (constraint_clauses(table, name), text) {
        (Some(clauses), Some(text)) => clauses.set_text(clause::COMMENT, text),
        (Some(clauses), None) => drop(clauses.remove(clause::COMMENT)),
        (None, _) => set_clause(object, &clause::COMMENT_ON_CONSTRAINT.of(&own).name(), text),
    }
}

/// The clauses of the constraint of this name.
fn constraint_clauses<'t>(table: &'t mut Table, name: &Name) -> Option<&'t mut Clauses> {
    let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut());
    let mut clauses = keys.filter(|key| key.name == *name).map(|key| &mut key.clauses).next();
    clauses = clauses.or(table.foreign_keys.iter_mut().find(|key| key.name == *name).map(|key| &mut key.clauses));
    let checks = table.checks.iter_mut().chain(table.exclusions.iter_mut());
    clauses.or(checks.filter(|check| check.name.as_ref() == Some(name)).map(|check| &mut check.clauses).next())
}
