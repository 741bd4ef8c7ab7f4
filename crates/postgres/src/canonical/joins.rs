//! What FROM has in sight: USING and NATURAL make one column of two.

use sqlparser::ast::{JoinConstraint, JoinOperator, ObjectName, ObjectNamePart, TableFactor, TableWithJoins};

use super::infer;
use super::tree::{ident, name_parts};

/// A column that a name without a qualifier can mean.
#[derive(Debug, Clone)]
pub struct Sighted {
    /// Its name.
    pub name: String,
    /// What the text calls the table that it is of; none if it is of two, and neither is the whole of it.
    pub table: Option<String>,
    /// Its type, as far as it is known.
    pub data_type: Option<String>,
}

/// The columns in order; none if not all of them are known.
pub type Sight = Option<Vec<Sighted>>;

/// What a join has in sight: merged columns first, then the others of the left side, then those of the right
/// (<https://www.postgresql.org/docs/current/queries-table-expressions.html#QUERIES-FROM>).
pub fn join(operator: &JoinOperator, left: Sight, right: Sight) -> Sight {
    let (left, right) = (left?, right?);
    let merged = merged_names(operator, &left, &right);
    let mut columns = Vec::new();
    for name in &merged {
        let own = left.iter().find(|column| column.name == *name)?;
        let other = right.iter().find(|column| column.name == *name)?;
        columns.push(merge(operator, own, other));
    }
    let rest = |side: Vec<Sighted>| side.into_iter().filter(|column| !merged.contains(&column.name));
    columns.extend(rest(left));
    columns.extend(rest(right));
    Some(columns)
}

/// USING for NATURAL, as the server spells it; false if there is nothing to spell.
pub fn name_natural(operator: &mut JoinOperator, left: &[Sighted], right: &[Sighted]) -> bool {
    let names = merged_names(operator, left, right);
    let Some(constraint) = constraint_mut(operator).filter(|_| !names.is_empty()) else { return false };
    let name = |name: &String| ObjectName(vec![ObjectNamePart::Identifier(ident(name))]);
    *constraint = JoinConstraint::Using(names.iter().map(name).collect());
    true
}

/// Whether two columns have the same name.
pub fn has_twice(columns: &[Sighted]) -> bool {
    let mut names: Vec<&str> = columns.iter().map(|column| column.name.as_str()).collect();
    names.sort_unstable();
    names.windows(2).any(|pair| pair[0] == pair[1])
}

/// Whether a join is over the columns that both sides happen to have.
pub fn is_natural(operator: &JoinOperator) -> bool {
    matches!(constraint(operator), Some(JoinConstraint::Natural))
}

/// The columns that a join names by USING, or none if it names none.
pub fn using(operator: &JoinOperator) -> &[ObjectName] {
    match constraint(operator) {
        Some(JoinConstraint::Using(names)) => names,
        _ => &[],
    }
}

/// The same of any join in a FROM.
pub fn has_natural(table: &TableWithJoins) -> bool {
    let within = |factor: &TableFactor| match factor {
        TableFactor::NestedJoin { table_with_joins, .. } => has_natural(table_with_joins),
        _ => false,
    };
    within(&table.relation) || table.joins.iter().any(|join| is_natural(&join.join_operator) || within(&join.relation))
}

fn merged_names(operator: &JoinOperator, left: &[Sighted], right: &[Sighted]) -> Vec<String> {
    match constraint(operator) {
        Some(JoinConstraint::Using(names)) => names.iter().filter_map(|name| name_parts(name).pop()).collect(),
        Some(JoinConstraint::Natural) => {
            let common = left.iter().filter(|column| right.iter().any(|other| other.name == column.name));
            common.map(|column| column.name.clone()).collect()
        }
        _ => Vec::new(),
    }
}

/// One column of two. It is that of a side if it needs no cast there, and can't be NULL where the other side's is not
/// (`buildMergedJoinVar()` of parse_clause.c).
fn merge(operator: &JoinOperator, left: &Sighted, right: &Sighted) -> Sighted {
    use JoinOperator::*;
    let common = common_type(left.data_type.as_deref(), right.data_type.as_deref());
    let plain = |side: &Sighted| common.is_none() || side.data_type == common;
    let table = match operator {
        FullOuter(_) => None,
        Left(_) | LeftOuter(_) => left.table.clone().filter(|_| plain(left)),
        Right(_) | RightOuter(_) => right.table.clone().filter(|_| plain(right)),
        _ if plain(left) => left.table.clone(),
        _ => right.table.clone().filter(|_| plain(right)),
    };
    Sighted { name: left.name.clone(), table, data_type: common.or(left.data_type.clone()) }
}

/// The type that two columns have in common, with its modifier if both have the same (`select_common_type()` of parse_coerce.c).
fn common_type(left: Option<&str>, right: Option<&str>) -> Option<String> {
    let (left, right) = (left?, right?);
    if left == right {
        return Some(left.to_owned());
    }
    let (own, other) = (infer::base(left), infer::base(right));
    let both = |is: fn(&str) -> bool| is(&own) && is(&other);
    let right_is_wider = (both(infer::is_number) || both(infer::is_moment)) && infer::rank(&other) > infer::rank(&own);
    Some(if right_is_wider { other } else { own })
}

fn constraint(operator: &JoinOperator) -> Option<&JoinConstraint> {
    use JoinOperator::*;
    match operator {
        Join(on) | Inner(on) | Left(on) | LeftOuter(on) | Right(on) | RightOuter(on) | FullOuter(on) => Some(on),
        _ => None,
    }
}

fn constraint_mut(operator: &mut JoinOperator) -> Option<&mut JoinConstraint> {
    use JoinOperator::*;
    match operator {
        Join(on) | Inner(on) | Left(on) | LeftOuter(on) | Right(on) | RightOuter(on) | FullOuter(on) => Some(on),
        _ => None,
    }
}
