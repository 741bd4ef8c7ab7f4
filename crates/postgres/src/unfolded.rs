//! What the server writes back in a form that it would read as another tree, in the form that it read at first.
//!
//! `IN` over `varchar` comes back as `(x)::text = ANY ((ARRAY['a'::character varying])::text[])`, and read again the cast moves
//! into the array; BETWEEN in an AND comes back as an AND in an AND, and read again the two are one. Unfolded, a database made
//! from an adopted source has the very dump of the first.

use super::rename::expressions_mut;
use super::split_list;
use wevrun_core::model::Object;

/// Unfolds what an object's definition holds. A source that a person or a dump gives stays as it is: the server shall read it as it
/// stands.
pub fn unfold(object: &mut Object) {
    for expression in expressions_mut(&mut object.definition) {
        let written = expression.written();
        let text = unfolded(written);
        if text != written {
            *expression = expression.respelled(expression.canonical.clone(), &text);
        }
    }
}

/// The text with both forms unfolded.
fn unfolded(text: &str) -> String {
    let mut text = text.to_owned();
    if text.contains("])::text[])") {
        for (operator, word) in [(" = ANY ((ARRAY[", " IN ("), (" <> ALL ((ARRAY[", " NOT IN (")] {
            let mut from = 0;
            while let Some(at) = text[from..].find(operator).map(|at| from + at) {
                match in_list(&text, at, operator, word) {
                    Some(unfolded) => text = unfolded,
                    None => from = at + operator.len(),
                }
            }
        }
    }
    if text.contains(" >= ") && text.contains(") AND (") {
        let mut at = 0;
        while let Some(open) = text[at..].find("((").map(|found| at + found) {
            if let Some(unfolded) = between(&text, open) {
                text = unfolded;
            }
            at = open + 1;
        }
    }
    text
}

fn in_list(text: &str, at: usize, operator: &str, word: &str) -> Option<String> {
    let items_start = at + operator.len();
    let items_end = items_start + text[items_start..].find("])::text[])")?;
    let items: Vec<String> = split_list(&text[items_start..items_end])
        .iter()
        .map(|item| item.strip_suffix("::character varying").map(str::to_owned))
        .collect::<Option<_>>()?;
    let before = text[..at].strip_suffix("::text")?;
    let open = opening(before)?;
    let operand = &before[open + 1..before.len() - 1];
    let after = &text[items_end + "])::text[])".len()..];
    Some(format!("{}{operand}{word}{}){after}", &before[..open], items.join(", ")))
}

/// `((x >= a) AND (x <= b))` at this place as `(x BETWEEN a AND b)`.
fn between(text: &str, open: usize) -> Option<String> {
    let close = closing(text, open)?;
    let inner = &text[open + 1..close];
    let first_end = closing(inner, 0)?;
    let second = inner[first_end + 1..].strip_prefix(" AND ")?;
    if closing(second, 0)? + 1 != second.len() {
        return None;
    }
    let (value, low) = comparison(&inner[1..first_end], " >= ")?;
    let (other, high) = comparison(&second[1..second.len() - 1], " <= ")?;
    (value == other).then(|| format!("{}({value} BETWEEN {low} AND {high}){}", &text[..open], &text[close + 1..]))
}

/// The two sides of the only operation of a text, which must be this one.
fn comparison<'t>(text: &'t str, operator: &str) -> Option<(&'t str, &'t str)> {
    let (left, right) = text.split_once(operator)?;
    let whole = |side: &str| {
        let plain = !side.contains([' ', '(', ')', '\'']);
        let grouped =
            side.starts_with('(') && closing(side, 0).is_some_and(|end| !side[end..].contains([' ', '(', '\'']));
        let constant = side.starts_with('\'')
            && !side[1..].trim_end_matches(|ch: char| ch != '\'').trim_end_matches('\'').contains('\'');
        plain || grouped || constant
    };
    (whole(left) && whole(right)).then_some((left, right))
}

/// The parenthesis that closes the one at `open`.
fn closing(text: &str, open: usize) -> Option<usize> {
    let (mut depth, mut quote) = (0, None);
    for (index, ch) in text[open..].char_indices() {
        match (quote, ch) {
            (Some(mark), _) if ch == mark => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(ch),
            (None, '(') => depth += 1,
            (None, ')') => {
                depth -= 1;
                if depth == 0 {
                    return Some(open + index);
                }
            }
            _ if depth == 0 => return None,
            _ => {}
        }
    }
    None
}

/// The parenthesis that the last character of a text closes.
fn opening(text: &str) -> Option<usize> {
    text.char_indices()
        .filter(|(_, ch)| *ch == '(')
        .map(|(index, _)| index)
        .find(|index| closing(text, *index) == Some(text.len() - 1))
}

#[cfg(test)]
mod tests {
    use super::unfolded;

    #[test]
    fn lists_and_ranges_are_unfolded() {
        for (server, person) in [
            (
                "((status)::text = ANY ((ARRAY['a'::character varying, 'b,c'::character varying])::text[])) AND x",
                "(status IN ('a', 'b,c')) AND x",
            ),
            ("(h.kind)::text <> ALL ((ARRAY['a'::character varying])::text[])", "h.kind NOT IN ('a')"),
            (
                "(((h.weight)::integer >= 1) AND ((h.weight)::integer <= 20)) AND y",
                "((h.weight)::integer BETWEEN 1 AND 20) AND y",
            ),
            (
                "((a >= '2020-01-01'::date) AND (a <= '2020-02-01'::date))",
                "(a BETWEEN '2020-01-01'::date AND '2020-02-01'::date)",
            ),
        ] {
            assert_eq!(unfolded(server), person);
        }
        for same in
            ["((a >= 1) AND (b <= 2))", "((a >= 1) OR (a <= 2))", "x = ANY (ARRAY['a'::text])", "'((a >= 1) AND' >= ("]
        {
            assert_eq!(unfolded(same), same);
        }
    }
}
