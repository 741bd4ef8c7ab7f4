//! The script of a comparison, and its undo script.

use std::collections::BTreeMap;

use super::{Client, Respelled, Script};
use crate::compare::{Comparison, Renames, compare_with};
use crate::engine::EngineVersion;
use crate::model::Model;
use crate::plan::{Clearance, Evidence, Outcome, Plan, PlanOptions, Planning, RiskKind, provenance, touched};

/// The script from have to want. Risks are not cleared yet: see [`Script::clear`].
pub fn make_script(
    dialect: &dyn Client,
    project: &str,
    (have, want): (&Model, &Model),
    comparison: &Comparison<'_>,
    plan_options: PlanOptions,
    version: EngineVersion,
    evidence: &Evidence,
) -> Script {
    let planning = Planning { plan_options, ..Planning::new(dialect, (have, want), comparison, version, evidence) };
    planned(dialect, project, &planning)
}

/// The way back: from want to have, with the renames the other way round.
///
/// Its steps name what they can't bring back; the data at that time is not known. Of the release's
/// `plan_options` it takes the scope, and whether owners, grants and labels of what stays are set back; what is made again has them in
/// any case.
pub fn make_undo(
    dialect: &dyn Client,
    project: &str,
    (have, want): (&Model, &Model),
    renames: &Renames,
    plan_options: &PlanOptions,
    version: EngineVersion,
) -> Script {
    let comparison = compare_with(dialect, want, have, renames.inverted());
    let evidence = Evidence::default();
    let plan_options = PlanOptions {
        access: plan_options.access,
        scope: plan_options.scope.clone(),
        zones: plan_options.zones.clone(),
        left: plan_options.left.clone(),
        ..PlanOptions::default()
    };
    let planning = Planning {
        is_undo: true,
        plan_options: plan_options.clone(),
        ..Planning::new(dialect, (want, have), &comparison, version, &evidence)
    };
    let mut script = planned(dialect, project, &planning);
    if script.plan.steps().any(|step| !step.meets.is_empty()) {
        let forward = compare_with(dialect, have, want, renames.clone());
        let planning = Planning { plan_options, ..Planning::new(dialect, (have, want), &forward, version, &evidence) };
        let forward = dialect.plan(&planning);
        also_drop_what_is_not_complete(&mut script.plan, &forward);
    }
    // Whether there will be rows is not known yet: it is tried, and stops if there are.
    for risk in script.plan.risks_mut().filter(|risk| risk.kind == RiskKind::NeedsValues) {
        risk.kind = RiskKind::MayRefuseRows;
        risk.clearance = Clearance::NotNeeded;
        risk.explanation = format!("can't be undone while there are rows: {}", risk.explanation);
    }
    script
}

/// Allows an undo script to drop objects that the release had not completed when it failed.
fn also_drop_what_is_not_complete(undo: &mut Plan, forward: &Plan) {
    let mut states: BTreeMap<&str, Vec<&Outcome>> = BTreeMap::new();
    for outcome in forward.steps().flat_map(|step| &step.makes).filter(|outcome| outcome.fingerprint.is_some()) {
        states.entry(&outcome.object).or_default().push(outcome);
    }
    for step in undo.steps_mut().filter(|step| step.makes.iter().all(|outcome| outcome.fingerprint.is_none())) {
        let Some(object) = step.meets.first().map(|outcome| outcome.object.clone()) else { continue };
        for state in states.get(object.as_str()).into_iter().flatten() {
            if !step.meets.contains(state) {
                step.meets.push((*state).clone());
            }
        }
    }
}

fn planned(dialect: &dyn Client, project: &str, planning: &Planning<'_>) -> Script {
    let scope = &planning.plan_options.scope;
    let unproven = planning.unproven();
    let want = scope.part_of(dialect, planning.want);
    let whole = want.fingerprint();
    let proven = if unproven.is_empty() { whole.clone() } else { want.without(&unproven).fingerprint() };
    let have = scope.part_of(dialect, planning.have);
    let mut plan = dialect.plan(planning);
    let respelled = Respelled::new(dialect, &have.without(&unproven), &want.without(&unproven), &plan.recreated);
    if !plan.parts.is_empty() {
        let names = touched(planning.have, planning.comparison);
        let by_name = |model: &Model| dialect.structure_guard(&names, false, &dialect.structure_facts(model, &names));
        plan.client_guard = vec![by_name(planning.have)];
        if plan.is_one_transaction() {
            plan.client_check = vec![by_name(planning.want)];
        }
    }
    plan.risks.extend(provenance::unmanaged_risks(dialect, planning, &plan.recreated));
    plan.risks.extend(provenance::risks(dialect, planning));
    Script {
        proven,
        unproven,
        engine: dialect.engine(),
        engine_version: planning.version,
        project: project.to_owned(),
        have: have.fingerprint(),
        respelled,
        want: whole,
        undo: planning.is_undo,
        scope: scope.clone(),
        left: planning.plan_options.left.clone(),
        ownership: planning.evidence.provenance.ownership(),
        plan,
    }
}
