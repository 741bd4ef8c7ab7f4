//! Provenance of the objects that a script removes or changes: released, made by hand, or unknown.

use std::collections::BTreeSet;

use super::{Ownership, Planner, Planning, Risk, RiskKind};
use crate::compare::{Change, Difference, Property, compare};
use crate::model::{Model, Object, ObjectKey, QualifiedName};

/// Facts about the origin of a live database's objects.
#[derive(Debug, Clone, Default)]
pub enum Provenance {
    /// It was not asked for: a side is neither a live database nor a project's.
    #[default]
    Unknown,
    /// The database has no ledger.
    NoLedger,
    /// The database is still as last released by its ledger.
    AsReleased,
    /// It is not, and the ledger has what was released.
    Released(Box<Model>),
}

impl Provenance {
    /// The same without the structure, as in a script.
    pub fn ownership(&self) -> Ownership {
        match self {
            Provenance::Unknown => Ownership::Unknown,
            Provenance::NoLedger => Ownership::NoLedger,
            Provenance::AsReleased | Provenance::Released(_) => Ownership::Ledger,
        }
    }
}

/// The risks of removing unknown objects, and of undoing changes by hand.
pub fn risks(dialect: &dyn Planner, planning: &Planning<'_>) -> Vec<Risk> {
    let differences = &planning.comparison.differences;
    let removed: BTreeSet<&QualifiedName> =
        differences.iter().filter_map(removed_object).map(|object| &object.name).collect();
    // What is on a removed table or view is removed with it, and needs no risk of its own.
    let alone = |object: &&Object| object.definition.owner().is_none_or(|owner| !removed.contains(owner));
    match &planning.evidence.provenance {
        Provenance::Unknown | Provenance::AsReleased => Vec::new(),
        Provenance::NoLedger => {
            let objects = differences.iter().filter_map(removed_object).filter(alone);
            objects.map(|object| unknown(&object.key())).collect()
        }
        Provenance::Released(released) => {
            let drift = compare(dialect, planning.have, released);
            let drifted = |key: &ObjectKey| drift.differences.iter().find(|difference| difference.key == *key);
            differences.iter().filter_map(|difference| undone(difference, &drifted, alone)).collect()
        }
    }
}

fn removed_object<'d>(difference: &'d Difference<'_>) -> Option<&'d Object> {
    if let Change::Remove(object) = &difference.change { Some(object) } else { None }
}

fn unknown(key: &ObjectKey) -> Risk {
    let explanation = "the source does not have it, and no ledger has who created it; it may belong to another project";
    let mut risk = Risk::new(RiskKind::RemovesUnknown, key.to_string(), explanation);
    risk.ways_out = vec![
        "if it is not yours, list it under `ignores` in wevrun.toml, or list your objects under `manages`".to_owned(),
        "if it is yours and stays, bring it into the source with `wevrun adopt`".to_owned(),
    ];
    risk
}

/// The risk that a difference undoes what was done by hand since the last release.
fn undone<'d>(
    difference: &Difference<'_>,
    drifted: &dyn Fn(&ObjectKey) -> Option<&'d Difference<'d>>,
    alone: impl Fn(&&Object) -> bool,
) -> Option<Risk> {
    let (key, explanation) = match &difference.change {
        Change::Create(_) => return None,
        Change::Remove(object) => {
            let drift = drifted(&object.key()).filter(|_| alone(object))?;
            let explanation = match drift.change {
                Change::Remove(_) => "it was created by hand since the last release, and is removed",
                _ => "it was changed by hand since the last release, and is removed",
            };
            (object.key(), explanation.to_owned())
        }
        Change::Change { have, properties, .. } => {
            let drift = drifted(&have.key())?;
            let undone: Vec<String> = match &drift.change {
                Change::Change { properties: by_hand, .. } => {
                    let both = properties.iter().filter(|one| by_hand.iter().any(|other| other.is_same_property(one)));
                    both.map(Property::name).collect()
                }
                _ => properties.iter().map(Property::name).collect(),
            };
            if undone.is_empty() {
                return None;
            }
            let explanation =
                format!("changed by hand since the last release, and changed again: {}", undone.join(", "));
            (have.key(), explanation)
        }
    };
    let mut risk = Risk::new(RiskKind::UndoesDrift, key.to_string(), explanation);
    risk.ways_out = vec!["look at it with `wevrun drift`; if it is to stay, bring it into the source".to_owned()];
    Some(risk)
}

/// The risks that objects which are not managed are removed, or dropped and created again, with those that are: nothing permits
/// these.
pub fn unmanaged_risks(dialect: &dyn Planner, planning: &Planning<'_>, recreated: &[ObjectKey]) -> Vec<Risk> {
    let scope = &planning.plan_options.scope;
    let removed: BTreeSet<&QualifiedName> =
        planning.comparison.differences.iter().filter_map(removed_object).map(|object| &object.name).collect();
    let left_out = scope.left_out(dialect, planning.have);
    let others = left_out.iter().filter_map(|key| planning.have.get(key));
    let again = left_out.iter().filter(|key| recreated.contains(&planning.comparison.renames.key_in_want(key))).map(|key| {
        let explanation = "this project does not manage it, and it would have to be dropped and recreated because it depends on a changed object";
        let mut risk = Risk::new(RiskKind::RemovesUnmanaged, key.to_string(), explanation);
        risk.clearance = super::Clearance::Impossible;
        risk.ways_out = vec![format!("ask the owner of {key} to drop it before the release and to create it again afterwards")];
        risk
    });
    let again: Vec<Risk> = again.collect();
    let needs = |object: &&Object| {
        let owner = object.definition.owner().into_iter();
        owner.chain(&object.uses).find(|name| removed.contains(name)).cloned()
    };
    others
        .filter_map(|object| Some((object, needs(&object)?)))
        .map(|(object, needed)| {
            let explanation = format!("it is not managed by this project, and needs {needed}, which is removed");
            let mut risk = Risk::new(RiskKind::RemovesUnmanaged, object.key().to_string(), explanation);
            risk.clearance = super::Clearance::Impossible;
            risk.ways_out = vec![format!("keep {needed}, or ask the owner of {} to remove it first", object.key())];
            risk
        })
        .chain(again)
        .collect()
}
