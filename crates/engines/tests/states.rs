//! A script, run on the model that it is for, leads to the model that it promises: without any engine.

use wevrun_core::build::build;
use wevrun_core::compare::{Change, compare, compare_with};
use wevrun_core::fold::Run;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, Plan, PlanOptions};
use wevrun_core::script::{make_script, make_undo};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_postgres::Postgres;
use wevrun_sqlite::Sqlite;
use wevrun_testkit::mutate;
use wevrun_testkit::postgres_schema;
use wevrun_testkit::render::{Style, statements};
use wevrun_testkit::schema::{random, rng};

const POSTGRES_18: EngineVersion = EngineVersion { major: 18, minor: 0 };
const SQLITE_3_40: EngineVersion = EngineVersion { major: 3, minor: 40 };

fn built(dialect: &'static dyn Dialect, version: EngineVersion, text: &str) -> Model {
    let build = build(dialect, version, &[Source::new("schema.sql", text)]);
    let errors: Vec<_> = build.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    build.model
}

fn text(plan: &Plan) -> String {
    let statements = plan.parts.iter().flat_map(|part| {
        let steps = part.steps.iter().flat_map(|step| &step.statements);
        part.prepare.iter().chain(steps)
    });
    statements.map(|statement| format!("{statement};\n")).collect()
}

/// What is wrong with the state that a plan leads to.
fn wrong(dialect: &dyn Dialect, (have, want): (&Model, &Model), plan: &Plan) -> Option<String> {
    let text = text(plan);
    let mut run = Run::new(dialect, have);
    let diagnostics = run.statements(&text);
    let errors: Vec<&str> =
        diagnostics.iter().filter(|found| found.is_error()).map(|found| found.message.as_str()).collect();
    let after = run.state();
    let differences = compare_with(dialect, &after, want, Default::default()).differences;
    let is_right = errors.is_empty() && differences.is_empty();
    let differences: Vec<String> = differences
        .iter()
        .map(|difference| match &difference.change {
            Change::Change { properties, .. } => format!("{}: {properties:?}", difference.key),
            change => format!("{}: {change:?}", difference.key).chars().take(500).collect(),
        })
        .collect();
    (!is_right).then(|| format!("{}\n{}\n{text}", errors.join("\n"), differences.join("\n")))
}

fn pair(dialect: &'static dyn Dialect, version: EngineVersion, a: &str, b: &str) -> Option<String> {
    let [a, b] = [a, b].map(|text| built(dialect, version, text));
    let comparison = compare(dialect, &a, &b);
    let plan_options = PlanOptions::default();
    let evidence = Evidence::default();
    let script = make_script(dialect, "honey", (&a, &b), &comparison, plan_options.clone(), version, &evidence);
    // Where there is room for few locks, it is cut wherever it can be.
    let cut = evidence.clone().with_lock_room(8);
    let cut = make_script(dialect, "honey", (&a, &b), &comparison, plan_options.clone(), version, &cut);
    let undo = make_undo(dialect, "honey", (&a, &b), &comparison.renames, &plan_options, version);
    let plans = [(&a, &b, &script.plan), (&a, &b, &cut.plan), (&b, &a, &undo.plan)];
    plans.into_iter().find_map(|(have, want, plan)| wrong(dialect, (have, want), plan))
}

fn judge(cases: u64, of_case: impl Fn(u64) -> Vec<Option<String>>) {
    let number = |variable: &str| std::env::var(variable).ok().and_then(|text| text.parse().ok());
    let cases: Vec<u64> = match number("WEVRUN_CASE") {
        Some(case) => vec![case],
        None => (1..=number("WEVRUN_CASES").unwrap_or(cases)).collect(),
    };
    let found = cases.iter().flat_map(|case| {
        let wrong = of_case(*case).into_iter().flatten();
        wrong.map(move |words| format!("WEVRUN_CASE={case}: {words}"))
    });
    let found: Vec<String> = found.collect();
    assert!(found.is_empty(), "{} wrong:\n{}", found.len(), found[..found.len().min(20)].join("\n\n"));
}

#[test]
fn scripts_for_postgres_lead_to_what_they_promise() {
    judge(100, |case| {
        let side = |side| postgres_schema::statements(case, side, 4, 18);
        vec![pair(&Postgres, POSTGRES_18, &side(0), &side(case % 3 + 1))]
    });
}

#[test]
fn scripts_for_each_feature_of_postgres_do() {
    judge(8, |case| {
        let side = |side| postgres_schema::features(case, side, 2, 18).into_iter();
        side(0).zip(side(1)).map(|((_, a), (_, b))| pair(&Postgres, POSTGRES_18, &a, &b)).collect()
    });
}

#[test]
fn scripts_for_sqlite_do() {
    judge(200, |case| {
        let mut rng = rng(case);
        let a = random(&mut rng);
        let b = mutate::mutated(&mut rng, &a, false);
        let text = |schema| {
            statements(schema, &mut Style::wild(case)).iter().map(|one| format!("{one};\n")).collect::<String>()
        };
        vec![pair(&Sqlite, SQLITE_3_40, &text(&a), &text(&b))]
    });
}
