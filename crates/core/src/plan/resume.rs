//! The remaining steps of a part whose steps are committed one by one, derived from the states that they leave.

use std::collections::{BTreeMap, BTreeSet};

use super::{Outcome, Part, Step};
use crate::model::{Fingerprint, Model};

/// The rest of a part.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Left {
    /// The steps that are done, where these are the first ones; none if the state is between two steps of another script.
    pub done: Option<usize>,
    /// For each step whether it is to be run.
    pub needed: Vec<bool>,
}

/// The states of one object, before the first step that makes it and after each that does.
#[derive(Default)]
struct States {
    /// Whether it is as before the first; known in scripts that have that state.
    starts: Option<bool>,
    /// The steps, and whether it is as after them.
    after: Vec<(usize, bool)>,
    /// Whether it is there.
    is_there: bool,
}

impl States {
    /// Whether it is as after the first so many of its steps.
    fn holds_after(&self, count: usize) -> bool {
        if count == 0 { self.starts != Some(false) } else { self.after[count - 1].1 }
    }

    /// How many of its steps are before one.
    fn before(&self, step: usize) -> usize {
        self.after.partition_point(|(of, _)| *of < step)
    }

    /// Takes the first of the states that it can be in, of those after the steps that are written down as done.
    fn settle(&mut self, written: usize) {
        let done = self.before(written);
        let first = (done..=self.after.len()).find(|count| self.holds_after(*count));
        self.starts = Some(first == Some(0));
        for (index, (_, held)) in self.after.iter_mut().enumerate() {
            *held = first == Some(index + 1);
        }
    }

    /// How many of its steps can be done.
    fn possible(&self, steps: &[Step], object: &str) -> BTreeSet<usize> {
        let mut possible: BTreeSet<usize> = (1..=self.after.len()).filter(|count| self.holds_after(*count)).collect();
        if self.starts == Some(true) || (self.starts.is_none() && possible.is_empty()) {
            possible.insert(0);
        }
        // An object that is dropped with its table may be absent before.
        for (index, (step, held)) in self.after.iter().enumerate() {
            let makes = &steps[*step].makes;
            let is_drop = makes.iter().all(|outcome| outcome.fingerprint.is_none()) && makes[0].object != object;
            if is_drop && *held && !self.is_there {
                possible.insert(index);
            }
        }
        possible
    }
}

impl Part {
    /// The remaining steps. Mostly the state is the one after the first steps; steps that leave nothing to be seen after the last
    /// of them count as not done: they can be done again. Else another script was left in this state, such as the release that this
    /// script undoes: then the state of each object tells which of its steps are done. The error lists the objects whose state is
    /// none of these. Of `unproven` objects counts whether they are there, and how many steps are written down as done; a step that
    /// can't be decided by that counts as not done.
    pub fn left(&self, found: &Model, unproven: &[String], written: usize) -> Result<Left, Vec<String>> {
        // Where it is not known how an object is before, what is there may be what a failed step has left.
        let known: BTreeSet<&str> =
            self.steps.iter().flat_map(|step| &step.meets).map(|outcome| outcome.object.as_str()).collect();
        let unsure: BTreeSet<&str> =
            unproven.iter().map(String::as_str).filter(|object| known.contains(object)).collect();
        let mut states = self.states(found, &unsure);
        for (_, states) in states.iter_mut().filter(|(object, _)| unsure.contains(*object)) {
            states.settle(written);
        }
        let steps = self.steps.len();
        if let Some(done) = self.done(&states) {
            // A step that was done out of order.
            let alone = |step: usize| {
                let makes = &self.steps[step].makes;
                let is_alone = |outcome: &Outcome| matches!(states[outcome.object.as_str()].after[..], [(_, true)]);
                !makes.is_empty() && makes.iter().all(is_alone)
            };
            let needed = (0..steps).map(|step| step >= done && !alone(step)).collect();
            return Ok(Left { done: Some(done), needed });
        }
        self.left_of_each(&states)
    }

    /// How many of the first steps are done; none if the state is not the one after the first steps.
    fn done(&self, states: &BTreeMap<&str, States>) -> Option<usize> {
        // Each object with how many of its steps are looked at, and how many objects are not as after these.
        let mut counts: BTreeMap<&str, usize> =
            states.iter().map(|(object, states)| (*object, states.after.len())).collect();
        let mut wrong = states.values().filter(|states| !states.holds_after(states.after.len())).count();
        for (index, step) in self.steps.iter().enumerate().rev() {
            if wrong == 0 && !step.makes.is_empty() {
                return Some(index + 1);
            }
            for outcome in &step.makes {
                let states = &states[outcome.object.as_str()];
                let count = counts.get_mut(outcome.object.as_str()).expect("every object was counted");
                wrong -= usize::from(!states.holds_after(*count));
                *count -= 1;
                wrong += usize::from(!states.holds_after(*count));
            }
        }
        (wrong == 0).then_some(0)
    }

    /// For each object how many of its steps are done, so that each step is done for all of its objects or for none. Where a later
    /// state is the same again, it is the earlier one: that leaves nothing out.
    fn left_of_each(&self, states: &BTreeMap<&str, States>) -> Result<Left, Vec<String>> {
        let mut possible: BTreeMap<&str, BTreeSet<usize>> =
            states.iter().map(|(object, states)| (*object, states.possible(&self.steps, object))).collect();
        let strange: Vec<String> =
            possible.iter().filter(|(_, counts)| counts.is_empty()).map(|(object, _)| (*object).to_owned()).collect();
        if !strange.is_empty() {
            return Err(strange);
        }
        self.agree(states, &mut possible)?;
        for object in states.keys() {
            let counts = possible.get_mut(object).expect("every object is there");
            if counts.len() > 1 {
                counts.split_off(&(counts.first().expect("it has some") + 1));
                self.agree(states, &mut possible)?;
            }
        }
        let mut needed = vec![false; self.steps.len()];
        for (index, step) in self.steps.iter().enumerate().rev() {
            needed[index] = match step.makes.first() {
                Some(outcome) => {
                    let object = outcome.object.as_str();
                    possible[object].first().is_some_and(|done| states[object].before(index) >= *done)
                }
                // What can't be seen is done for the step after it.
                None => needed.get(index + 1) == Some(&true),
            };
        }
        Ok(Left { done: None, needed })
    }

    /// Leaves out what contradicts another object of a step.
    fn agree(
        &self,
        states: &BTreeMap<&str, States>,
        possible: &mut BTreeMap<&str, BTreeSet<usize>>,
    ) -> Result<(), Vec<String>> {
        let mut changed = true;
        while changed {
            changed = false;
            for (index, step) in self.steps.iter().enumerate().filter(|(_, step)| step.makes.len() > 1) {
                let objects = || step.makes.iter().map(|outcome| outcome.object.as_str());
                let before = |object: &str| states[object].before(index);
                let can_be_done = objects().all(|object| possible[object].iter().any(|done| *done > before(object)));
                let can_be_left = objects().all(|object| possible[object].iter().any(|done| *done <= before(object)));
                if !can_be_done && !can_be_left {
                    return Err(objects().map(str::to_owned).collect());
                }
                for object in objects() {
                    let counts = possible.get_mut(object).expect("every object is there");
                    let all = counts.len();
                    counts.retain(|done| if *done > before(object) { can_be_done } else { can_be_left });
                    changed |= counts.len() < all;
                }
            }
        }
        Ok(())
    }

    fn states(&self, found: &Model, unsure: &BTreeSet<&str>) -> BTreeMap<&str, States> {
        let names: BTreeSet<&str> =
            self.steps.iter().flat_map(|step| &step.makes).map(|outcome| outcome.object.as_str()).collect();
        let made = found.objects().map(|object| (object.key().to_string(), object));
        let made = made.filter(|(name, _)| names.contains(name.as_str()));
        let by_name: BTreeMap<String, Fingerprint> =
            made.map(|(name, object)| (name, Model::from_iter([object.clone()]).fingerprint())).collect();
        let holds = |outcome: &Outcome| {
            let found = by_name.get(&outcome.object);
            if unsure.contains(outcome.object.as_str()) {
                return found.is_some() == outcome.fingerprint.is_some();
            }
            found == outcome.fingerprint.as_ref()
        };
        let mut states: BTreeMap<&str, States> = BTreeMap::new();
        for (index, step) in self.steps.iter().enumerate() {
            for outcome in &step.meets {
                let starts = &mut states.entry(&outcome.object).or_default().starts;
                *starts = Some(holds(outcome) || *starts == Some(true));
            }
            for outcome in &step.makes {
                let states = states.entry(&outcome.object).or_default();
                states.is_there = by_name.contains_key(&outcome.object);
                states.after.push((index, holds(outcome)));
            }
        }
        states
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Column, Definition, Name, Object, QualifiedName, Table, Unordered};

    /// A table with so many columns; none if there is no such table.
    fn table(name: &str, columns: Option<usize>) -> Option<Object> {
        let columns = (0..columns?).map(|at| Column::named(Name::new(format!("c{at}"), format!("c{at}"))));
        let table = Table { columns: Unordered(columns.collect()), ..Table::default() };
        Some(Object::new(QualifiedName::plain(Name::new(name, name)), Definition::Table(table)))
    }

    fn state(name: &str, columns: Option<usize>) -> Outcome {
        let fingerprint = table(name, columns).map(|table| Model::from_iter([table]).fingerprint());
        Outcome { object: format!("table {name}"), fingerprint }
    }

    /// A step from and to states of tables, each with its number of columns.
    fn step(meets: &[(&str, Option<usize>)], makes: &[(&str, Option<usize>)]) -> Step {
        let states = |of: &[(&str, Option<usize>)]| of.iter().map(|(name, columns)| state(name, *columns)).collect();
        Step { meets: states(meets), makes: states(makes), ..Step::new("a step", Vec::new()) }
    }

    fn left(steps: &[Step], found: &[(&str, usize)]) -> Result<Left, Vec<String>> {
        let found: Model = found.iter().filter_map(|(name, columns)| table(name, Some(*columns))).collect();
        Part { steps: steps.to_vec(), ..Part::default() }.left(&found, &[], 0)
    }

    fn first(done: usize, steps: usize) -> Result<Left, Vec<String>> {
        Ok(Left { done: Some(done), needed: (0..steps).map(|step| step >= done).collect() })
    }

    #[test]
    fn the_first_steps_are_done() {
        // The last step brings back what the first one took away.
        let steps = [
            step(&[("hives", Some(3))], &[("hives", Some(2))]),
            step(&[("queens", Some(1))], &[("queens", Some(4))]),
            step(&[], &[]),
            step(&[], &[("hives", Some(3))]),
            step(&[("visits", None)], &[("visits", Some(1))]),
        ];
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 1)]), first(0, 5));
        assert_eq!(left(&steps, &[("hives", 2), ("queens", 1)]), first(1, 5));
        assert_eq!(left(&steps, &[("hives", 2), ("queens", 4)]), first(2, 5));
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 4)]), first(4, 5));
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 4), ("visits", 1)]), first(5, 5));
    }

    #[test]
    fn each_object_tells_what_is_left_of_an_undo_script() {
        let steps = [
            step(&[("hives", Some(3))], &[("hives", Some(2))]),
            step(&[("queens", Some(4))], &[("queens", Some(1))]),
            step(&[], &[("hives", Some(5))]),
        ];
        let needed = |needed: [bool; 3]| Ok(Left { done: None, needed: needed.to_vec() });
        assert_eq!(left(&steps, &[("hives", 5), ("queens", 4)]), needed([false, true, false]));
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 1)]), needed([true, false, true]));
        assert_eq!(left(&steps, &[("hives", 7), ("queens", 4)]), Err(vec!["table hives".to_owned()]));
    }

    #[test]
    fn a_step_is_done_for_all_of_its_objects() {
        // The first step leaves hives as they are: the state of queens shows whether it is done.
        let both = step(&[("hives", Some(3)), ("queens", Some(1))], &[("hives", Some(3)), ("queens", Some(2))]);
        let steps = [both, step(&[("visits", Some(1))], &[("visits", Some(2))])];
        let needed = |needed: [bool; 2]| Ok(Left { done: None, needed: needed.to_vec() });
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 1), ("visits", 2)]), needed([true, false]));
        // It can't be done for queens and not for visits.
        let both = step(&[("visits", Some(1)), ("queens", Some(1))], &[("visits", Some(2)), ("queens", Some(2))]);
        let strange = left(&[both], &[("queens", 2), ("visits", 1)]);
        assert_eq!(strange, Err(vec!["table visits".to_owned(), "table queens".to_owned()]));
    }

    #[test]
    fn of_what_is_not_proven_counts_whether_it_is_there() {
        let steps = [
            step(&[("hives", None)], &[("hives", Some(2))]),
            step(&[("queens", Some(1))], &[("queens", Some(2))]),
            step(&[], &[("hives", Some(3))]),
        ];
        let part = Part { steps: steps.to_vec(), ..Part::default() };
        let unproven = ["table hives".to_owned()];
        let left = |found: &[(&str, usize)], written: usize| {
            let found: Model = found.iter().filter_map(|(name, columns)| table(name, Some(*columns))).collect();
            part.left(&found, &unproven, written)
        };
        assert_eq!(left(&[("queens", 1)], 0), first(0, 3));
        assert_eq!(left(&[("hives", 9), ("queens", 1)], 0), first(1, 3));
        // A step that only changes it is done again, unless it is written down as done.
        assert_eq!(left(&[("hives", 9), ("queens", 2)], 0), first(2, 3));
        assert_eq!(left(&[("hives", 9), ("queens", 2)], 3), first(3, 3));
    }

    #[test]
    fn what_depends_on_a_dropped_table_may_be_gone() {
        let drop = step(&[("hives", Some(3)), ("swarms", Some(1))], &[("hives", None), ("swarms", None)]);
        let steps = [drop, step(&[("queens", Some(1))], &[("queens", Some(2))])];
        let needed = Ok(Left { done: None, needed: vec![true, true] });
        assert_eq!(left(&steps, &[("hives", 3), ("queens", 1)]), needed);
        assert_eq!(left(&steps, &[("queens", 1)]), first(1, 2));
    }
}
