//! A comparison as a table: a row for each difference, or for each property in which an object differs.

use wevrun_core::compare::{Aspect, Change, Comparison, Property};

use super::comparison::{View, column_list};
use crate::failure::{Ended, Failure};

/// Prints the table on standard output, as RFC 4180 has it.
pub fn print(comparison: &Comparison<'_>, view: &View<'_>) -> Ended<()> {
    let mut table = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    let failed = |error: csv::Error| Failure::new(format!("the table can't be written: {error}"));
    let [have, want] = view.wording.columns;
    table.write_record(["change", "kind", "name", "part", "aspect", "detail", have, want]).map_err(failed)?;
    for difference in &comparison.differences {
        let word = view.wording.words.of(&difference.change);
        let (kind, name) = (difference.key.kind.word(), difference.key.name.to_string());
        let text = |object| view.dialect.text(object).into_owned();
        match &difference.change {
            Change::Create(object) => table.write_record([word, &kind, &name, "", "", "", "", &text(object)]),
            Change::Remove(object) => table.write_record([word, &kind, &name, "", "", "", &text(object), ""]),
            Change::Change { properties, .. } => properties.iter().try_for_each(|property: &Property| {
                let value = |value: &Option<String>| value.clone().unwrap_or_default();
                table.write_record([
                    word,
                    &kind,
                    &name,
                    &property.part.to_string(),
                    property.aspect.name(),
                    &property.detail,
                    &value(&property.have),
                    &value(&property.want),
                ])
            }),
        }
        .map_err(failed)?;
    }
    for order in view.reordered(comparison) {
        let (table_name, word) = (order.table.to_string(), view.wording.words.changed());
        let (have, want) = (column_list(&order.have), column_list(&order.want));
        let aspect = Aspect::ColumnOrder.name();
        table.write_record([word, "table", &table_name, "", aspect, "", &have, &want]).map_err(failed)?;
    }
    for key in &comparison.unproven {
        let (kind, name) = (key.kind.word(), key.name.to_string());
        table.write_record(["unproven", &kind, &name, "", "", "", "", ""]).map_err(failed)?;
    }
    let bytes = table.into_inner().map_err(|error| Failure::new(format!("the table can't be written: {error}")))?;
    anstream::print!("{}", String::from_utf8_lossy(&bytes));
    Ok(())
}
