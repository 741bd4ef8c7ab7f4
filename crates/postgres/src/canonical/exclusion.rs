//! Exclusion constraints: `USING gist (room WITH =, tsrange(since, until) WITH &&)`, kept as one text.

use super::super::{split_list, split_places};
use super::expression::{Scope, Spelling};
use super::operator_classes::is_usual;

/// The canonical form, element by element; none if it does not read as one.
pub fn canonical(condition: &str, scope: &Scope<'_>) -> Option<Spelling> {
    let (method, elements) = condition.strip_prefix("USING ")?.strip_suffix(')')?.split_once(" (")?;
    let offset = "USING ".len() + method.len() + " (".len();
    let spelled = split_places(elements).into_iter().map(|place| {
        let (element, operator) = elements[place.clone()].rsplit_once(" with ")?;
        let (expression, rest) = element.split_at(end_of_expression(element));
        let spelling = scope.expression(expression, None).later((offset + place.start) as u32);
        let class = rest.trim();
        let says = if class.is_empty() || is_usual(method, None, class) { "" } else { rest };
        Some(Spelling { text: format!("{}{says} with {operator}", spelling.text), ..spelling })
    });
    let whole = Spelling::joined(spelled.collect::<Option<Vec<_>>>()?, ", ");
    Some(Spelling { text: format!("USING {method} ({})", whole.text), ..whole })
}

/// What the elements are about, without operator classes and operators.
pub fn expressions(condition: &str) -> Vec<String> {
    let inner = condition.split_once('(').map_or("", |(_, rest)| rest.strip_suffix(')').unwrap_or(rest));
    let expression = |element: &String| element[..end_of_expression(element)].to_owned();
    split_list(inner).iter().map(expression).collect()
}

/// Where a column, a call or what stands in parentheses ends.
pub fn end_of_expression(element: &str) -> usize {
    let (mut depth, mut quote) = (0, None);
    for (at, ch) in element.char_indices() {
        match (quote, ch) {
            (Some(open), _) if ch == open => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(ch),
            (None, '(') => depth += 1,
            (None, ')') => depth -= 1,
            // A call has a space before its arguments.
            (None, ' ') if depth == 0 && !element[at..].starts_with(" (") => return at,
            _ => {}
        }
    }
    element.len()
}
