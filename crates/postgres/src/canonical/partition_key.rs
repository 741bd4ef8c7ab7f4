//! What rows are partitioned by: `RANGE (taken, lower(lot) COLLATE "C")`, kept as one text.

use super::super::split_list;
use super::exclusion::end_of_expression;
use super::expression::{Scope, Spelling};

/// The canonical form, element by element.
pub fn canonical(key: &str, scope: &Scope<'_>) -> Option<Spelling> {
    let (strategy, elements) = key.strip_suffix(')')?.split_once('(')?;
    let mut sure = true;
    let elements: Vec<String> = split_list(elements)
        .iter()
        .map(|element| {
            let (expression, rest) = element.split_at(end_of_expression(element));
            let spelling = scope.expression(expression, None);
            sure &= spelling.sure;
            format!("{}{rest}", spelling.text)
        })
        .collect();
    Some(Spelling { text: format!("{strategy}({})", elements.join(", ")), sure })
}
