//! The bounds of partitions, `FOR VALUES IN (…)` and `FROM (…) TO (…)`: each value is kept as one of its key's type
//! (<https://www.postgresql.org/docs/current/sql-createtable.html#SQL-CREATETABLE-PARTITION>).

use super::super::split_list;
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
    let mut sure = true;
    let mut values = |list: &str, types: &[Option<String>]| {
        let values = split_list(list).into_iter().enumerate();
        let spelled = values.map(|(index, value)| {
            // All that a list has are values of its one key.
            let wanted = types.get(index).or(types.first()).and_then(|wanted| wanted.as_deref());
            let spelling = self::value(&value, wanted, scope);
            sure &= spelling.sure;
            spelling.text
        });
        spelled.collect::<Vec<_>>().join(", ")
    };
    let text = match bound.strip_prefix("FOR VALUES ")? {
        list if list.starts_with("IN (") => {
            format!("IN ({})", values(list.strip_prefix("IN (")?.strip_suffix(')')?, types.get(..1)?))
        }
        range => {
            let (from, to) = range.strip_prefix("FROM (")?.strip_suffix(')')?.split_once(") TO (")?;
            format!("FROM ({}) TO ({})", values(from, &types), values(to, &types))
        }
    };
    Some(Spelling { text: format!("FOR VALUES {text}"), sure })
}

fn value(text: &str, wanted: Option<&str>, scope: &Scope<'_>) -> Spelling {
    if ["minvalue", "maxvalue", "null"].iter().any(|word| text.eq_ignore_ascii_case(word)) {
        return Spelling { text: text.to_uppercase(), sure: true };
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
