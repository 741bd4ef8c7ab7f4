//! Event triggers that exist before and after the script: they can fire for its steps
//! (<https://www.postgresql.org/docs/current/event-trigger-definition.html>).

use crate::clause;
use std::collections::BTreeSet;

use super::super::names::{self, identifier};
use super::super::{tokens, write};
use super::Planner;
use wevrun_core::compare::Change;
use wevrun_core::model::{Definition, Kind, Object, ObjectKey};
use wevrun_core::plan::Step;

impl Planner<'_> {
    /// Disables the event triggers whose function, or an object that the function names, changes in the script: the function could
    /// fail between two steps. Returns their names in want. A note at the first step names the others.
    pub(super) fn disable_event_triggers(&mut self) -> Vec<ObjectKey> {
        let planning = self.planning;
        let stay = planning.want.of_kind(Kind::EventTrigger).filter(|want| {
            let have = self.have().get(&want.key());
            have.is_some_and(|have| have.definition == want.definition) && enabled(want) != Some("disabled")
        });
        let stay: Vec<ObjectKey> = stay.map(Object::key).collect();
        if stay.is_empty() {
            return stay;
        }
        let changing = self.changing();
        let (disabled, firing): (Vec<_>, Vec<_>) = stay.into_iter().partition(|key| {
            let function = self.have().get(key).and_then(|trigger| write::clauses(trigger).value(clause::FUNCTION));
            function.is_some_and(|function| self.names_any(function, &changing))
        });
        for key in &disabled {
            let name = self.original(key);
            let mut step = Step::new(
                format!("disable event trigger {name} temporarily"),
                vec![format!("ALTER EVENT TRIGGER {name} DISABLE")],
            );
            step.notes.push("its function, or what the function names, changes in this script".to_owned());
            self.push(step);
        }
        self.firing = firing.iter().map(|key| self.original(key)).collect();
        disabled
    }

    /// Sets them as they were.
    pub(super) fn enable_event_triggers(&mut self, disabled: &[ObjectKey]) {
        for object in disabled.iter().filter_map(|key| self.planning.want.get(key)) {
            let name = &object.name;
            let statement = format!("ALTER EVENT TRIGGER {name} {}", write::enabled(enabled(object)));
            self.push(Step::new(format!("enable event trigger {name} again"), vec![statement]));
        }
        let firing = std::mem::take(&mut self.firing);
        if let Some(first) = self.steps.first_mut() {
            first.notes.extend(
                firing.iter().map(|name| format!("event trigger {name} may fire for the statements of this script")),
            );
        }
    }

    /// The names, without schemas and in lower case, of all that changes.
    fn changing(&self) -> BTreeSet<String> {
        let mut names = BTreeSet::new();
        for difference in &self.planning.comparison.differences {
            let (object, renamed) = match &difference.change {
                Change::Create(_) => continue, // what exists can't rely on it
                Change::Remove(object) => (*object, None),
                Change::Change { have, want, .. } => (&**want, Some(&**have)),
            };
            for object in [Some(object), renamed].into_iter().flatten() {
                let owner = object.definition.owner();
                names.extend(
                    [Some(&object.name), owner].into_iter().flatten().map(|name| identifier(name).to_lowercase()),
                );
            }
        }
        names
    }

    /// Whether a routine of this name is one of these, or names one in its body.
    fn names_any(&self, routine: &str, changing: &BTreeSet<String>) -> bool {
        let called = identifier(&names::read(routine));
        let found = self.have().of_kind(Kind::Function).filter(|object| identifier(&object.name) == called);
        changing.contains(&called.to_lowercase())
            || found.into_iter().any(|object| {
                let words = wevrun_core::parse::words(tokens::rules(), &write::create(object, false));
                !words.is_disjoint(changing)
            })
    }
}

fn enabled(trigger: &Object) -> Option<&str> {
    match &trigger.definition {
        Definition::Plain(plain) => plain.clauses.value(clause::ENABLED),
        _ => None,
    }
}
