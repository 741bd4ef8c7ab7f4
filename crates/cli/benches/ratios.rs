//! What Wevrun costs, as ratios in one run: `cargo bench -p wevrun-cli`. docs/performance.md says what came out.

use std::hint::black_box;
use std::path::PathBuf;
use std::process::Command;

use criterion::{BatchSize, Criterion};
use sqlparser::dialect::SQLiteDialect;
use sqlparser::tokenizer::Tokenizer;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{make_script, write};
use wevrun_core::snapshot::Snapshot;
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_engines::registry;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const VERSION: EngineVersion = EngineVersion { major: 3, minor: 40 };

/// `tables` tables with an index and a view each. Every `changed`-th table has one column more.
fn sources(tables: usize, changed: usize) -> Vec<Source> {
    let parent = |at: usize| match at {
        0 => String::new(),
        at => format!("    parent_id INTEGER REFERENCES lots_{} (id) ON DELETE CASCADE,\n", at / 2),
    };
    let extra = |at: usize| {
        if changed > 0 && at.is_multiple_of(changed) { ",\n    moisture REAL CHECK (moisture < 20)" } else { "" }
    };
    (0..tables)
        .map(|at| {
            let text = format!(
                "CREATE TABLE lots_{at} (\n    id INTEGER PRIMARY KEY,\n{}    label TEXT NOT NULL DEFAULT 'unnamed' COLLATE NOCASE,\n    \
                 grams INTEGER NOT NULL CHECK (grams >= 0),\n    harvested_on TEXT,\n    note TEXT{}\n);\n\
                 CREATE INDEX lots_{at}_by_label ON lots_{at} (label, harvested_on DESC) WHERE label <> '';\n\
                 CREATE VIEW heavy_lots_{at} AS SELECT l.id, l.label, l.grams / 1000.0 AS kilograms FROM lots_{at} l \
                 WHERE l.grams > 1000;\n",
                parent(at),
                extra(at)
            );
            Source::new(format!("schema/lots_{at}.sql"), &text)
        })
        .collect()
}

fn sqlite() -> &'static dyn Dialect {
    registry::find_dialect("sqlite").expect("it is compiled in")
}

fn snapshot(sources: &[Source]) -> Snapshot {
    let built = build(sqlite(), VERSION, sources);
    assert!(!built.has_errors());
    Snapshot {
        scope: Default::default(),
        project: "bench".into(),
        engine: sqlite().engine(),
        engine_version: VERSION,
        git: None,
        sources: Vec::new(),
        model: built.model,
        unread: Vec::new(),
    }
}

fn measure(criterion: &mut Criterion) {
    let (small, large) = (sources(1_000, 0), sources(10_000, 0));
    criterion.bench_function("tokenize_10000", |bencher| {
        bencher.iter(|| {
            for source in &large {
                black_box(Tokenizer::new(&SQLiteDialect {}, &source.text).tokenize_with_location().expect("it is SQL"));
            }
        });
    });
    for (name, sources) in [("build_1000", &small), ("build_10000", &large)] {
        criterion
            .bench_function(name, |bencher| bencher.iter(|| black_box(snapshot(sources).write(sqlite(), sources))));
    }
    for (name, sources) in [("second_opinion_1000", &small), ("second_opinion_10000", &large)] {
        let model = snapshot(sources).model;
        criterion.bench_function(name, |bencher| {
            bencher.iter(|| assert!(registry::live(sqlite().engine()).second_opinion(&model).is_empty()));
        });
    }
    let dialect = sqlite();
    let (have, want) = (snapshot(&large).model, snapshot(&sources(10_000, 10)).model);
    criterion
        .bench_function("compare_10000", |bencher| bencher.iter(|| black_box(compare(dialect, &have, &want).same)));
    let comparison = compare(dialect, &have, &want);
    assert_eq!(comparison.differences.len(), 1_000);
    criterion.bench_function("script_1000_changes", |bencher| {
        bencher.iter(|| {
            black_box(write(
                dialect,
                &make_script(
                    dialect,
                    "bench",
                    (&have, &want),
                    &comparison,
                    PlanOptions::default(),
                    VERSION,
                    &Evidence::default(),
                ),
            ))
        });
    });
    let written = snapshot(&large).write(sqlite(), &large);
    criterion.bench_function("read_snapshot_10000", |bencher| {
        bencher.iter_batched(
            || (),
            |()| black_box(Snapshot::read(&written, &registry::engines()).expect("it was written")),
            BatchSize::LargeInput,
        );
    });
    criterion.bench_function("start_version", |bencher| {
        bencher.iter(|| Command::new(env!("CARGO_BIN_EXE_wevrun")).arg("--version").output().expect("it starts"));
    });
}

/// The mean time of a benchmark in milliseconds, from what the harness has written.
fn mean(name: &str) -> Option<f64> {
    let target = std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| PathBuf::from("../../target"), PathBuf::from);
    let text = std::fs::read_to_string(target.join("criterion").join(name).join("new/estimates.json")).ok()?;
    let document: serde_json::Value = serde_json::from_str(&text).ok()?;
    Some(document["mean"]["point_estimate"].as_f64()? / 1e6)
}

fn main() {
    let mut criterion = Criterion::default().sample_size(10).configure_from_args();
    measure(&mut criterion);
    criterion.final_summary();
    let ratio = |what: &str, of: &str, to: &str| {
        if let (Some(of_time), Some(to_time)) = (mean(of), mean(to)) {
            println!("{what:<62} {:>8.2}   ({of_time:.1} ms / {to_time:.1} ms)", of_time / to_time);
        }
    };
    println!("\nRatios of this run");
    ratio("build of 10,000 tables / merely tokenizing them", "build_10000", "tokenize_10000");
    ratio("build: ten times the objects", "build_10000", "build_1000");
    ratio("second opinion / build", "second_opinion_10000", "build_10000");
    ratio("second opinion: ten times the objects", "second_opinion_10000", "second_opinion_1000");
    ratio("reading a snapshot / build", "read_snapshot_10000", "build_10000");
    ratio("compare, 1,000 of 30,000 differ / build", "compare_10000", "build_10000");
    ratio("script for 1,000 changes / build", "script_1000_changes", "build_10000");
    ratio("start (--version) / build", "start_version", "build_10000");
}
