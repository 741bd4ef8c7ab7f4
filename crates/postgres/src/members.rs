//! The members of operator classes and families. Each is a clause: `operator 1 (integer, integer)` is `=`, `function 1 (text,
//! text)` is `bttextcmp(text, text)`.

use wevrun_core::model::{Clauses, Expression};

/// A member by its clause.
pub struct Member<'c> {
    /// `operator` or `function`.
    pub what: &'c str,
    /// The strategy or support number.
    pub number: u32,
    /// `integer, integer`; nothing if the class tells.
    pub types: &'c str,
}

impl<'c> Member<'c> {
    /// None if the clause says something else.
    pub fn of(clause: &'c str) -> Option<Member<'c>> {
        let (what, rest) = clause.split_once(' ')?;
        let (number, types) = rest.split_once(' ').unwrap_or((rest, ""));
        let types = types.strip_prefix('(').and_then(|types| types.strip_suffix(')')).unwrap_or("");
        let number = number.parse().ok().filter(|_| matches!(what, "operator" | "function"))?;
        Some(Member { what, number, types })
    }

    /// As DROP of ALTER OPERATOR FAMILY names it.
    pub fn dropped(&self) -> String {
        format!("{} {} ({})", self.what.to_uppercase(), self.number, self.types)
    }

    /// Where the member stands in a list.
    fn place(&self) -> (bool, u32, &'c str) {
        (self.what == "function", self.number, self.types)
    }
}

/// `OPERATOR 1 = (integer, integer), FUNCTION 1 …` of all members, as CREATE OPERATOR CLASS and ALTER OPERATOR FAMILY list
/// them.
pub fn listed(clauses: &Clauses) -> Vec<String> {
    let mut members: Vec<(Member<'_>, &Expression)> =
        clauses.expressions().filter_map(|(clause, value)| Some((Member::of(clause)?, value))).collect();
    members.sort_by_key(|(member, _)| member.place());
    let item = |(member, value): (Member<'_>, &Expression)| {
        let Member { number, types, .. } = member;
        let value = &value.canonical;
        if member.what == "function" {
            return format!("FUNCTION {number} ({types}) {value}");
        }
        let (symbol, order) = value.split_once(" FOR ORDER BY ").unwrap_or((value, ""));
        let order = if order.is_empty() { String::new() } else { format!(" FOR ORDER BY {order}") };
        format!("OPERATOR {number} {symbol} ({types}){order}")
    };
    members.into_iter().map(item).collect()
}
