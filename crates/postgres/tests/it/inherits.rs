//! Tables that inherit: what they have from their parents, how they come to it and how they lose it, without a server.

use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::model::Kind;
use wevrun_core::plan;
use wevrun_core::script::{make_script, make_undo};
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use crate::plan::{model, statements_for};
use crate::{object, postgres};

const STAMPS: &str = "CREATE TABLE stamps (made timestamptz NOT NULL DEFAULT now(), note text);";

fn between(have: &str, want: &str) -> Vec<String> {
    statements_for(18, &format!("{STAMPS} {have}"), &format!("{STAMPS} {want}"))
}

/// The codes and messages of what is wrong with a source.
fn errors(text: &str) -> Vec<String> {
    let newest = EngineVersion { major: 18, minor: 0 };
    let found = build(&Postgres, newest, &[Source::new("a.sql", text)]).diagnostics;
    let errors = found.iter().filter(|found| found.is_error());
    errors.map(|found| format!("{} {}", found.code.name(), found.message)).collect()
}

/// Added to the table itself, the columns would be its own as well.
#[test]
fn the_columns_of_a_new_parent_come_by_one_that_is_there_for_a_moment() {
    let statements = between("CREATE TABLE hives (id integer);", "CREATE TABLE hives (id integer) INHERITS (stamps);");
    assert_eq!(
        statements,
        [
            "CREATE TABLE public.hives_to_inherit ()",
            "ALTER TABLE public.hives INHERIT public.hives_to_inherit",
            "ALTER TABLE public.hives_to_inherit ADD COLUMN made timestamp with time zone DEFAULT now() NOT NULL, ADD COLUMN note text",
            "ALTER TABLE public.hives INHERIT public.stamps",
            "ALTER TABLE public.hives NO INHERIT public.hives_to_inherit",
            "DROP TABLE public.hives_to_inherit",
        ]
    );
}

#[test]
fn a_parent_whose_columns_are_there_is_just_named() {
    let own = "CREATE TABLE hives (id integer, made timestamptz NOT NULL DEFAULT now(), note text)";
    let statements = between(&format!("{own};"), &format!("{own} INHERITS (stamps);"));
    assert_eq!(statements, ["ALTER TABLE public.hives INHERIT public.stamps"]);
}

/// The checks of the parent's parents are among them, one that is not inherited is not. A check may be about a column that the
/// table has.
#[test]
fn the_checks_of_a_new_parent_and_of_its_parents_come_with_it() {
    let parents = "CREATE TABLE marks (label text, CONSTRAINT labelled CHECK (label <> ''), CONSTRAINT own CHECK (label <> 'x') NO INHERIT);
        CREATE TABLE seals (wax text, CONSTRAINT waxed CHECK (wax <> '')) INHERITS (marks);";
    let statements = between(
        &format!("{parents} CREATE TABLE hives (label text);"),
        &format!("{parents} CREATE TABLE hives (label text) INHERITS (seals);"),
    );
    assert_eq!(statements[0], "CREATE TABLE public.hives_to_inherit (label text)");
    assert_eq!(
        statements[2],
        "ALTER TABLE public.hives_to_inherit ADD COLUMN wax text, ADD CONSTRAINT waxed CHECK (wax <> ''), \
         ADD CONSTRAINT labelled CHECK (label <> '')"
    );
    assert_eq!(statements.len(), 6, "{statements:?}");
}

/// What another parent or the table itself has stays.
#[test]
fn the_columns_of_a_parent_go_with_it_unless_somebody_else_has_them() {
    let others = "CREATE TABLE notes (note text);";
    let statements = between(
        &format!("{others} CREATE TABLE hives (id integer) INHERITS (stamps, notes);"),
        &format!("{others} CREATE TABLE hives (id integer) INHERITS (notes);"),
    );
    let kept: Vec<&String> = statements.iter().filter(|statement| statement.starts_with("ALTER TABLE")).collect();
    assert_eq!(
        kept,
        ["ALTER TABLE public.hives NO INHERIT public.stamps", "ALTER TABLE public.hives DROP COLUMN made"]
    );
    let own = "CREATE TABLE hives (id integer, made timestamptz NOT NULL DEFAULT now(), note text)";
    let statements = between(&format!("{own} INHERITS (stamps);"), &format!("{own};"));
    assert_eq!(statements, ["ALTER TABLE public.hives NO INHERIT public.stamps"]);
}

/// A column that brings no values into a table with rows is a risk, whoever brings it.
#[test]
fn a_parents_column_that_must_not_be_null_needs_values() {
    let parent = "CREATE TABLE owners (name text NOT NULL);";
    let have = model(&format!("{parent} CREATE TABLE hives (id integer);"));
    let want = model(&format!("{parent} CREATE TABLE hives (id integer) INHERITS (owners);"));
    let comparison = compare(postgres(), &have, &want);
    let version = EngineVersion { major: 18, minor: 0 };
    let evidence = plan::Evidence::default();
    let plan_options = plan::PlanOptions::default();
    let script = make_script(postgres(), "honey", (&have, &want), &comparison, plan_options, version, &evidence);
    let risks: Vec<_> = script.plan.steps().flat_map(|step| &step.risks).collect();
    assert!(risks.iter().any(|risk| risk.kind == plan::RiskKind::NeedsValues && risk.object.contains("hives.name")));
}

/// Whether a child says NOT NULL itself is kept for writing, and no difference: only version 18 tells it.
#[test]
fn not_null_of_a_listed_column_may_be_the_parents_alone() {
    let with = |not_null: &str| {
        model(&format!("{STAMPS} CREATE TABLE hives (made timestamptz{not_null} DEFAULT now()) INHERITS (stamps);"))
    };
    let (inherited, own) = (with(""), with(" NOT NULL"));
    assert!(inherited == own && inherited.fingerprint() == own.fingerprint());
    let written = |model| postgres().create_statement(object(model, "table public.hives"));
    assert!(!written(&inherited).contains("NOT NULL") && written(&own).contains("NOT NULL"));
}

#[test]
fn not_null_of_a_column_that_only_the_parent_lists_is_said_after_the_table() {
    let child = "CREATE TABLE hives (id integer) INHERITS (stamps);";
    let own = format!("{child} ALTER TABLE ONLY hives ALTER COLUMN note SET NOT NULL;");
    let statements = between("", &own);
    assert_eq!(
        statements.last().map(String::as_str),
        Some("ALTER TABLE ONLY public.hives ALTER COLUMN note SET NOT NULL")
    );
    assert!(model(&format!("{STAMPS} {own}")) != model(&format!("{STAMPS} {child}")));
    let listed = "CREATE TABLE hives (id integer, CONSTRAINT noted NOT NULL note) INHERITS (stamps);";
    assert!(model(&format!("{STAMPS} {own}")) == model(&format!("{STAMPS} {listed}")));
}

#[test]
fn what_is_said_of_a_column_that_nobody_has_is_an_error() {
    for stray in [
        "CREATE TABLE hives (id integer, CONSTRAINT noted NOT NULL nte) INHERITS (stamps);",
        "CREATE TABLE hives (id integer) INHERITS (stamps); ALTER TABLE ONLY hives ALTER COLUMN nte SET NOT NULL;",
        "CREATE TABLE days (note text) PARTITION BY LIST (note);
         CREATE TABLE hives PARTITION OF days (nte NOT NULL) FOR VALUES IN ('a');",
    ] {
        let found = errors(&format!("{STAMPS} {stray}"));
        assert_eq!(found.len(), 1, "{found:?}");
        assert!(found[0].starts_with("WV111") && found[0].contains("`nte`"), "{found:?}");
    }
    // What a parent that is not there would have had is nobody's guess.
    let found = errors("CREATE TABLE hives (CONSTRAINT noted NOT NULL note) INHERITS (stamps);");
    assert!(found.len() == 1 && found[0].starts_with("WV110"), "{found:?}");
}

/// What a script has removed comes back with what was granted on it; nothing is granted on what stayed.
#[test]
fn the_way_back_grants_what_had_been_granted() {
    let have = model(
        "CREATE TABLE hives (id integer); CREATE TABLE lots (id integer, lot text); ALTER TABLE lots OWNER TO keeper;
         GRANT SELECT ON lots TO teller; GRANT UPDATE (lot) ON lots TO teller; GRANT SELECT ON hives TO teller;",
    );
    let want = model("CREATE TABLE hives (id integer);");
    let comparison = compare(postgres(), &have, &want);
    let version = EngineVersion { major: 18, minor: 0 };
    let back =
        make_undo(postgres(), "honey", (&have, &want), &comparison.renames, &plan::PlanOptions::default(), version);
    let statements = back.plan.steps().flat_map(|step| &step.statements).map(String::as_str);
    let granted: Vec<&str> = statements.filter(|s| s.contains("GRANT") || s.contains("OWNER")).collect();
    assert_eq!(
        granted,
        [
            "ALTER TABLE public.lots OWNER TO keeper",
            "GRANT SELECT ON TABLE public.lots TO teller",
            "GRANT UPDATE (lot) ON TABLE public.lots TO teller",
        ]
    );
    assert_eq!(want.of_kind(Kind::Table).count(), 1);
}

/// A parent without a schema is looked for where names are, as the server does.
#[test]
fn a_parent_is_found_in_another_schema() {
    let found = model(
        "CREATE SCHEMA a; CREATE SCHEMA b; CREATE TABLE b.marks (note text); CREATE TABLE b.days (day date) PARTITION BY LIST (day);
         CREATE TABLE public.seals (wax text); SET search_path = a, b, public;
         CREATE TABLE red (shade text) INHERITS (marks, seals); CREATE TABLE first PARTITION OF days DEFAULT;",
    );
    let columns = |key: &str| object(&found, key).as_table().expect("a table").columns.len();
    assert_eq!((columns("table a.red"), columns("table a.first")), (3, 1));
    let lost = errors("CREATE TABLE red (shade text) INHERITS (marcs); CREATE TABLE marks (note text);");
    assert!(lost.len() == 1 && lost[0].contains("uses parent `public.marcs`, which is not defined"), "{lost:?}");
}

const LOTS: &str = "CREATE TABLE lots (id integer, year integer) PARTITION BY LIST (year);
    CREATE TABLE lots_1 PARTITION OF lots FOR VALUES IN (1); CREATE TABLE lots_2 PARTITION OF lots FOR VALUES IN (2);";

/// An index is ONLY the partitioned table's while a partition has no part of it; then its parts stand for themselves.
#[test]
fn an_index_only_of_the_partitioned_table_lacks_parts() {
    let with = |rest: &str| model(&format!("{LOTS} {rest}"));
    let whole = with("CREATE INDEX by_id ON lots (id);");
    let only = "CREATE INDEX by_id ON ONLY lots (id);";
    let parts = [
        "CREATE INDEX one ON lots_1 (id); ALTER INDEX by_id ATTACH PARTITION one;",
        "CREATE INDEX two ON lots_2 (id); ALTER INDEX by_id ATTACH PARTITION two;",
    ];
    assert!(with(&format!("{only} {} {}", parts[0], parts[1])) == whole);
    assert_ne!(with(only).fingerprint(), whole.fingerprint());
    let half = with(&format!("{only} {}", parts[0]));
    assert_eq!(half.of_kind(Kind::Index).count(), 2);
    // One that says the same is attached to a whole one without a word, to one of the parent alone it is not.
    assert_eq!(
        with("CREATE INDEX by_id ON lots (id); CREATE INDEX one ON lots_1 (id);").of_kind(Kind::Index).count(),
        1
    );
    assert_eq!(with(&format!("{only} CREATE INDEX one ON lots_1 (id);")).of_kind(Kind::Index).count(), 2);
    // The key of a partition is a part of a unique index.
    let keyed = "CREATE TABLE kinds (id integer NOT NULL) PARTITION BY LIST (id);
        CREATE TABLE kinds_1 PARTITION OF kinds (PRIMARY KEY (id)) FOR VALUES IN (1);";
    let unique = |only: &str| model(&format!("{keyed} CREATE UNIQUE INDEX by_id ON {only} kinds (id);"));
    assert!(unique("ONLY") == unique(""));
    // Not one that says more, nor of an index that is not unique.
    let more = keyed
        .replace("(id integer NOT NULL)", "(id integer NOT NULL, name text)")
        .replace("(id)) FOR", "(id) INCLUDE (name)) FOR");
    let of_more = |only: &str| model(&format!("{more} CREATE UNIQUE INDEX by_id ON {only} kinds (id);"));
    assert!(of_more("ONLY") != of_more(""));
    let plain = |only: &str| model(&format!("{keyed} CREATE INDEX by_id ON {only} kinds (id);"));
    assert!(plain("ONLY") != plain(""));
}

/// A part can't go alone, and goes with its whole.
#[test]
fn an_index_is_made_again_when_a_part_of_it_goes() {
    let only = format!("{LOTS} CREATE INDEX by_id ON ONLY lots (id);");
    let half = format!("{only} CREATE INDEX one ON lots_1 (id); ALTER INDEX by_id ATTACH PARTITION one;");
    assert_eq!(
        statements_for(18, &half, &only),
        ["DROP INDEX public.by_id", "CREATE INDEX by_id ON ONLY public.lots (id)"]
    );
    assert_eq!(
        statements_for(18, &only, &half),
        ["CREATE INDEX one ON public.lots_1 (id)", "ALTER INDEX public.by_id ATTACH PARTITION public.one"]
    );
    let retyped = half.replace("id integer", "id bigint");
    let statements = statements_for(18, &half, &retyped);
    assert_eq!(statements.first().map(String::as_str), Some("DROP INDEX public.by_id"));
    assert_eq!(statements.last().map(String::as_str), Some("ALTER INDEX public.by_id ATTACH PARTITION public.one"));
}

/// What a NOT NULL was called before its table was attached it is called afterwards; a name that another one has is said.
#[test]
fn names_of_not_null_are_kept_where_the_server_would_make_up_others() {
    let created = |text: &str, table: &str| {
        let script = statements_for(18, "", text);
        script
            .into_iter()
            .find(|statement| statement.starts_with(&format!("CREATE TABLE public.{table} ")))
            .expect(table)
    };
    let lots = "CREATE TABLE lots (id integer NOT NULL) PARTITION BY LIST (id);";
    let attached = format!(
        "{lots} CREATE TABLE old (id integer NOT NULL); ALTER TABLE lots ATTACH PARTITION old FOR VALUES IN (1);"
    );
    assert_eq!(
        created(&attached, "old"),
        "CREATE TABLE public.old PARTITION OF public.lots ( id CONSTRAINT old_id_not_null NOT NULL ) FOR VALUES IN (1)"
    );
    let born = format!("{lots} CREATE TABLE new PARTITION OF lots FOR VALUES IN (1);");
    assert_eq!(created(&born, "new"), "CREATE TABLE public.new PARTITION OF public.lots FOR VALUES IN (1)");
    let taken = "CREATE TABLE a (id integer CONSTRAINT b_id_not_null NOT NULL); CREATE TABLE b (id integer NOT NULL);";
    assert_eq!(created(taken, "b"), "CREATE TABLE public.b ( id integer CONSTRAINT b_id_not_null NOT NULL )");
    let meeting = "CREATE TABLE audit_entry (id integer NOT NULL); CREATE TABLE audit (entry_id integer NOT NULL);";
    assert_eq!(
        ["audit", "audit_entry"].map(|table| created(meeting, table)),
        [
            "CREATE TABLE public.audit ( entry_id integer CONSTRAINT audit_entry_id_not_null1 NOT NULL )",
            "CREATE TABLE public.audit_entry ( id integer CONSTRAINT audit_entry_id_not_null NOT NULL )"
        ]
    );
    let child = format!("{STAMPS} CREATE TABLE hives (CONSTRAINT noted NOT NULL note) INHERITS (stamps);");
    assert_eq!(
        created(&child, "hives"),
        "CREATE TABLE public.hives ( CONSTRAINT noted NOT NULL note ) INHERITS (public.stamps)"
    );
}
