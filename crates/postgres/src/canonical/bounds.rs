//! The bounds of partitions, `FOR VALUES IN (…)` and `FROM (…) TO (…)`: each value is kept as one of its key's type
//! (<https://www.postgresql.org/docs/current/sql-createtable.html#SQL-CREATETABLE-PARTITION>).

use super::super::{split_list, split_places};
use super::exclusion::end_of_expression;
use super::expression::{Scope, Spelling};
use super::{infer, literal};
use wevrun_core::model::QualifiedName;

/// The canonical form of the bound of a partition of `parent`; none if it has no values, or the parent is not known.
pub fn canonical(bound: &str, parent: &QualifiedName, scope: &Scope<'_>) -> Option<Spelling> {
    let key = scope.partition_key(parent)?;
    let of_parent = scope.of_table(parent);
    let (_, elements) = key.strip_suffix(')')?.split_once('(')?;
    let types: Vec<Option<String>> =
        split_list(elements).iter().map(|element| of_parent.type_of(&element[..end_of_expression(element)])).collect();
    let values = |list: &str, types: &[Option<String>], offset: usize| {
        let values = split_places(list).into_iter().enumerate();
        let spelled = values.map(|(index, place)| {
            // All that a list has are values of its one key.
            let wanted = types.get(index).or(types.first()).and_then(|wanted| wanted.as_deref());
            value(&list[place.clone()], wanted, scope).later((offset + place.start) as u32)
        });
        Spelling::joined(spelled, ", ")
    };
    const START: &str = "FOR VALUES ";
    match bound.strip_prefix(START)? {
        list if list.starts_with("IN (") => {
            let own = list.strip_prefix("IN (")?.strip_suffix(')')?;
            let listed = values(own, types.get(..1)?, START.len() + "IN (".len());
            Some(Spelling { text: format!("FOR VALUES IN ({})", listed.text), ..listed })
        }
        range => {
            let (from, to) = range.strip_prefix("FROM (")?.strip_suffix(')')?.split_once(") TO (")?;
            let offset = START.len() + "FROM (".len();
            let bounds = [values(from, &types, offset), values(to, &types, offset + from.len() + ") TO (".len())];
            let whole = Spelling::joined(bounds, ") TO (");
            Some(Spelling { text: format!("FOR VALUES FROM ({})", whole.text), ..whole })
        }
    }
}

fn value(text: &str, wanted: Option<&str>, scope: &Scope<'_>) -> Spelling {
    if ["minvalue", "maxvalue", "null"].iter().any(|word| text.eq_ignore_ascii_case(word)) {
        return Spelling::certain(text.to_uppercase());
    }
    let mut spelling = scope.expression(text, wanted);
    let wanted = wanted.unwrap_or_default();
    if infer::is_number(wanted) {
        match literal::plain_number(&spelling.text) {
            Some(number) => spelling.text = number,
            // What the server has worked out.
            None => spelling.sure = false,
        }
    } else if infer::is_text(wanted) || infer::is_moment(wanted) {
        let quoted = spelling.text.strip_prefix('\'').and_then(|text| text.strip_suffix('\'')).map(str::to_owned);
        match quoted {
            Some(text) if infer::base(wanted) == "character" => spelling.text = format!("'{}'", text.trim_end()),
            Some(_) => {}
            None => spelling.sure = false,
        }
    }
    spelling
}
