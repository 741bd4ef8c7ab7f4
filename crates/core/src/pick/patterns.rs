//! Ticks as patterns.

use std::collections::BTreeSet;

use super::Sides;
use crate::model::{Kind, Pattern};
use crate::select::{Choice, Chooser, DifferencePattern, Element, ElementPart, Selection, select};

/// A selection that chooses exactly these elements by itself; none if no patterns do: a rename that only its object has, for example.
pub fn selection(sides: &Sides<'_>, ticked: &BTreeSet<Element>) -> Option<Selection> {
    let mut selection = Selection { only: ticked.iter().map(pattern).collect(), ..Selection::default() };
    selection.only.dedup();
    let chosen_by = |selection: &Selection| {
        let choice = Choice { selections: Vec::new(), narrowed: selection.clone() };
        let models = (sides.have, sides.want);
        let selected =
            select(sides.dialect, sides.version, models, Chooser::Patterns(&choice), sides.plan_options.access).ok()?;
        Some(selected.chosen)
    };
    let models = (sides.have, sides.want);
    let wanted =
        select(sides.dialect, sides.version, models, Chooser::Elements(ticked), sides.plan_options.access).ok()?.chosen;
    let chosen = chosen_by(&selection)?;
    // What a pattern of a table chooses too: its columns, and what is on it.
    selection.except = chosen.difference(&wanted).map(pattern).collect();
    if selection.except.is_empty() && chosen == wanted {
        return Some(selection);
    }
    chosen_by(&selection).filter(|chosen| *chosen == wanted).map(|_| selection)
}

/// The pattern of an element: of a table without its parts there is none, so it is the table's.
fn pattern(element: &Element) -> DifferencePattern {
    let name = &element.object.name;
    let own = name.identifier();
    let whole = name.schema().map_or_else(|| own.to_owned(), |schema| format!("{schema}.{own}"));
    let object = |kind: Kind| Pattern::exact(kind, &whole);
    match &element.part {
        ElementPart::Object => DifferencePattern::Object(object(element.object.kind)),
        ElementPart::Column(column) => DifferencePattern::Column(object(Kind::Table), column.written().to_owned()),
        ElementPart::Constraint(_, label) => DifferencePattern::Constraint(object(Kind::Table), label.to_string()),
    }
}
