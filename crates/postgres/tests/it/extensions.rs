//! What people write who use extensions, without a server.

use crate::{different, same};

const TABLE: &str = "CREATE TABLE hives (id integer, label varchar(20), notes text, data jsonb, tags text[], email public.citext, during tsrange);";

fn with(statement: &str) -> String {
    format!("{TABLE} {statement};")
}

#[test]
fn a_class_that_the_server_takes_anyway_says_nothing() {
    for (named, bare) in [
        ("(notes text_ops)", "(notes)"),
        ("(label text_ops)", "(label)"),
        ("(id int4_ops DESC)", "(id DESC)"),
        ("USING gin (data jsonb_ops)", "USING gin (data)"),
        ("USING gin (tags array_ops)", "USING gin (tags)"),
        ("USING gist (id public.gist_int4_ops)", "USING gist (id)"),
        ("(lower(notes) text_ops)", "(lower(notes))"),
    ] {
        same(&with(&format!("CREATE INDEX i ON hives {named}")), &with(&format!("CREATE INDEX i ON hives {bare}")));
    }
    for (named, bare) in [
        ("(notes text_pattern_ops)", "(notes)"),
        ("(label varchar_ops)", "(label)"),
        ("USING gin (data jsonb_path_ops)", "USING gin (data)"),
        ("USING gist (notes gist_trgm_ops)", "USING gist (notes)"),
        ("(email text_ops)", "(email)"),
    ] {
        different(
            &with(&format!("CREATE INDEX i ON hives {named}")),
            &with(&format!("CREATE INDEX i ON hives {bare}")),
        );
    }
}

#[test]
fn a_class_of_an_extension_is_the_same_wherever_the_extension_is() {
    let index = |class: &str| with(&format!("CREATE INDEX i ON hives USING gin (notes {class})"));
    same(&index("gin_trgm_ops"), &index("public.gin_trgm_ops"));
    same(&index("gin_trgm_ops"), &index("extensions.gin_trgm_ops"));
    different(&index("gin_trgm_ops"), &index("gin_bigm_ops"));
}

#[test]
fn exclusion_constraints_are_compared_element_by_element() {
    let constraint =
        |elements: &str| with(&format!("ALTER TABLE hives ADD CONSTRAINT one EXCLUDE USING gist ({elements})"));
    same(
        &constraint("id gist_int4_ops WITH =, tsrange(now()::timestamp, NULL, '[)') WITH &&"),
        &constraint("id WITH =, tsrange((now())::timestamp without time zone, NULL, '[)'::text) WITH &&"),
    );
    same(&constraint("(lower(notes)) WITH ="), &constraint("lower(notes) WITH ="));
    different(&constraint("id WITH =, during WITH &&"), &constraint("id WITH =, during WITH -|-"));
    different(&constraint("notes gist_trgm_ops WITH ="), &constraint("notes WITH ="));
}

#[test]
fn what_the_server_adds_to_text_without_case_is_no_difference() {
    let check = |condition: &str| with(&format!("ALTER TABLE hives ADD CONSTRAINT one CHECK ({condition})"));
    for (written, stored) in [
        ("email <> 'nobody'", "email OPERATOR(public.<>) 'nobody'::public.citext"),
        ("email ~* '^[^@]+@'", "email OPERATOR(public.~*) '^[^@]+@'::public.citext"),
        ("email NOT ILIKE 'b%'", "email OPERATOR(public.!~~*) 'b%'::public.citext"),
        ("email IN ('a', 'b')", "email OPERATOR(public.=) ANY (ARRAY['a'::public.citext, 'b'::public.citext])"),
        ("length(email) > 2", "length((email)::text) > 2"),
    ] {
        same(&check(written), &check(stored));
    }
    // These are there for both types.
    different(&check("replace(email, 'a', 'b') <> ''"), &check("replace(email::text, 'a', 'b') <> ''"));
}

#[test]
fn fields_give_columns_of_views_their_names() {
    same(
        &with("CREATE VIEW v AS SELECT tags[1] FROM hives"),
        &with("CREATE VIEW v AS SELECT tags[1] AS tags FROM hives"),
    );
    same(
        &with("CREATE VIEW v AS SELECT (each(data)).key FROM hives"),
        &with("CREATE VIEW v AS SELECT (public.each(hives.data)).key AS key FROM hives"),
    );
}

#[test]
fn bounds_mean_the_same_in_every_time_zone() {
    let bounds = |from: &str| {
        format!(
            "CREATE TABLE seen (at timestamptz) PARTITION BY RANGE (at);
             CREATE TABLE seen_2026 PARTITION OF seen FOR VALUES FROM ('{from}') TO (MAXVALUE);"
        )
    };
    same(&bounds("2026-03-01 00:00:00+01"), &bounds("2026-02-28 23:00:00+00"));
    different(&bounds("2026-03-01 00:00:00+01"), &bounds("2026-03-01 00:00:00+00"));
}

#[test]
fn a_domains_constraint_can_be_renamed() {
    same(
        "CREATE DOMAIN grams AS integer CONSTRAINT old CHECK (VALUE > 0); ALTER DOMAIN grams RENAME CONSTRAINT old TO positive;",
        "CREATE DOMAIN grams AS integer CONSTRAINT positive CHECK (VALUE > 0);",
    );
}
