//! What rows are partitioned by: `RANGE (taken, lower(lot) COLLATE "C")`, kept as one text.

use super::super::split_places;
use super::exclusion::end_of_expression;
use super::expression::{Scope, Spelling};

/// The canonical form, element by element.
pub fn canonical(key: &str, scope: &Scope<'_>) -> Option<Spelling> {
    let (strategy, elements) = key.strip_suffix(')')?.split_once('(')?;
    let offset = strategy.len() + 1;
    let spelled = split_places(elements).into_iter().map(|place| {
        let (expression, rest) = elements[place.clone()].split_at(end_of_expression(&elements[place.clone()]));
        let spelling = scope.expression(expression, None).later((offset + place.start) as u32);
        Spelling { text: format!("{}{rest}", spelling.text), ..spelling }
    });
    let whole = Spelling::joined(spelled, ", ");
    Some(Spelling { text: format!("{strategy}({})", whole.text), ..whole })
}
