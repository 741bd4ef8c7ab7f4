//! Storage parameters: SET for those that come or change, RESET for those that go.

use crate::{clause, write};
use wevrun_core::model::Clauses;

/// `SET (…)` and `RESET (…)`, as far as there is something to say.
///
/// The server keeps parameters in the order in which they were said: what is set again comes last. So all are set from the first
/// that is not where it was.
pub fn change(have: &Clauses, want: &Clauses) -> Vec<String> {
    let place = |name: &str| have.listed(clause::WITH).position(|(other, _)| other == name);
    let differs = |name: &str| have.get(clause::WITH.of(name)) != want.get(clause::WITH.of(name));
    let wanted: Vec<&str> = want.listed(clause::WITH).map(|(name, _)| name).collect();
    if !wanted.iter().copied().chain(have.listed(clause::WITH).map(|(name, _)| name)).any(differs) {
        return Vec::new();
    }
    let mut last = None;
    let stays = |name: &&&str| {
        let before = std::mem::replace(&mut last, place(name));
        !differs(name) && last > before
    };
    let stay = wanted.iter().take_while(stays).count();
    let set = wanted[stay..]
        .iter()
        .map(|name| format!("{name} = {}", write::parameter_value(want.written(clause::WITH.of(name)))));
    let reset =
        have.listed(clause::WITH).map(|(name, _)| name.to_owned()).filter(|name| !wanted.contains(&name.as_str()));
    let lists = [("SET", set.collect::<Vec<_>>()), ("RESET", reset.collect())];
    lists
        .into_iter()
        .filter(|(_, list)| !list.is_empty())
        .map(|(word, list)| format!("{word} ({})", list.join(", ")))
        .collect()
}
