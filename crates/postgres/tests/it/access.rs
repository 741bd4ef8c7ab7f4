//! Grants in sources of PostgreSQL: what they come to.

use wevrun_core::compare::{Change, add_access, compare};

use crate::fold::built;
use crate::{model, postgres};

/// What differs in owners and grants, as `object: fact: have -> want`.
fn granted_otherwise(have: &str, want: &str) -> Vec<String> {
    let (have, want) = (model(have), model(want));
    let mut comparison = compare(postgres(), &have, &want);
    assert!(comparison.is_identical(), "grants are no part of the structure");
    add_access(postgres(), &mut comparison, &have, &want);
    let told = comparison.differences.iter().map(|difference| match &difference.change {
        Change::Create(_) => format!("{}: added", difference.key),
        Change::Remove(_) => format!("{}: removed", difference.key),
        Change::Change { properties, .. } => {
            let told = properties.iter().map(|property| {
                let [have, want] = [&property.have, &property.want].map(|side| side.as_deref().unwrap_or("-"));
                format!("{}: {have} -> {want}", property.name())
            });
            format!("{}: {}", difference.key, told.collect::<Vec<_>>().join("; "))
        }
    });
    told.collect()
}

#[test]
fn default_privileges_count_with_the_grants() {
    let with = |words: &str| format!("CREATE SCHEMA s; {words};");
    let to = |words: &str| with(&format!("ALTER DEFAULT PRIVILEGES {words}"));
    let none = Vec::<String>::new();
    let (ida, ros) = (to("IN SCHEMA s GRANT SELECT ON TABLES TO ida"), to("IN SCHEMA s GRANT SELECT ON TABLES TO ros"));
    assert_eq!(granted_otherwise(&with(""), &ida), ["default privileges ON TABLES IN SCHEMA s: added"]);
    assert_eq!(granted_otherwise(&ida, &with("")), ["default privileges ON TABLES IN SCHEMA s: removed"]);
    let one_for_the_other = "privileges of ida: select -> -; privileges of ros: - -> select";
    let told = format!("default privileges ON TABLES IN SCHEMA s: {one_for_the_other}");
    assert_eq!(granted_otherwise(&ida, &ros), [told]);
    // What names no role is of whoever deploys: of the role that the other side knows.
    let by_keeper = to("FOR ROLE keeper IN SCHEMA s GRANT SELECT ON TABLES TO ida");
    assert_eq!(granted_otherwise(&by_keeper, &ida), none);
    assert_eq!(granted_otherwise(&ida, &by_keeper), none);
    let by_two =
        format!("{by_keeper} ALTER DEFAULT PRIVILEGES FOR ROLE aide IN SCHEMA s GRANT INSERT ON TABLES TO ida;");
    let left = ["default privileges ON TABLES IN SCHEMA s FOR ROLE aide: removed"];
    assert_eq!(granted_otherwise(&by_two, &ida), left);
    // Nothing is left of what is granted and revoked.
    let both = "GRANT ALL ON TYPES TO ida; ALTER DEFAULT PRIVILEGES REVOKE ALL ON TYPES FROM ida";
    assert_eq!(granted_otherwise(&to(both), &with("")), none);
    let told = granted_otherwise(&with(""), &to("REVOKE EXECUTE ON FUNCTIONS FROM PUBLIC"));
    assert_eq!(told, ["default privileges ON FUNCTIONS: added"]);
    assert_eq!(granted_otherwise(&with(""), &to("IN SCHEMA s REVOKE EXECUTE ON FUNCTIONS FROM PUBLIC")), none);
    // They give to what the same file creates below them.
    let below = "ALTER DEFAULT PRIVILEGES IN SCHEMA s GRANT SELECT ON TABLES TO ida; CREATE TABLE s.t (a integer)";
    let above = "CREATE TABLE s.t (a integer); ALTER DEFAULT PRIVILEGES IN SCHEMA s GRANT SELECT ON TABLES TO ida";
    assert_eq!(granted_otherwise(&with(above), &with(below)), ["table s.t: privileges of ida: - -> select"]);
}

#[test]
fn grants_on_many_and_on_the_schema_public_count() {
    let tables = "CREATE SCHEMA s; CREATE TABLE s.a (x integer); CREATE VIEW s.v AS SELECT 1 AS one; CREATE TABLE t (x integer);";
    let none = Vec::<String>::new();
    let one_by_one = format!("{tables} GRANT SELECT ON s.a, s.v TO ida;");
    assert_eq!(
        granted_otherwise(&format!("{tables} GRANT SELECT ON ALL TABLES IN SCHEMA s TO ida;"), &one_by_one),
        none
    );
    let but_one = "GRANT ALL ON ALL TABLES IN SCHEMA s TO ida; REVOKE UPDATE ON s.v FROM ida;";
    let listed = "GRANT ALL ON s.a TO ida; GRANT SELECT, INSERT, DELETE, TRUNCATE, REFERENCES, TRIGGER ON s.v TO ida;";
    assert_eq!(granted_otherwise(&format!("{tables} {but_one}"), &format!("{tables} {listed}")), none);
    let option = "GRANT SELECT ON t TO ida WITH GRANT OPTION; REVOKE GRANT OPTION FOR SELECT ON t FROM ida;";
    assert_eq!(granted_otherwise(&format!("{tables} {option}"), &format!("{tables} GRANT SELECT ON t TO ida;")), none);
    // A file of its own for grants is about all other files.
    let folder = built(&["GRANT SELECT ON ALL TABLES IN SCHEMA s TO ida;", tables]).model;
    let mut comparison = compare(postgres(), &folder, &folder);
    let want = model(&one_by_one);
    add_access(postgres(), &mut comparison, &folder, &want);
    assert!(comparison.is_identical());
    // The default rights of PUBLIC in the schema public depend on the version: they are compared only if want names them.
    let usage = format!("{tables} REVOKE CREATE ON SCHEMA public FROM PUBLIC;");
    assert_eq!(granted_otherwise(&usage, tables), none);
    assert_eq!(granted_otherwise(tables, &usage), none);
    let owned = format!("{tables} ALTER TABLE t OWNER TO ida; ALTER SCHEMA public OWNER TO ida;");
    assert_eq!(granted_otherwise(&owned, tables), none);
    assert_eq!(granted_otherwise(tables, &owned), none);
    let nothing = format!("{tables} REVOKE ALL ON SCHEMA public FROM PUBLIC; GRANT USAGE ON SCHEMA public TO ida;");
    let told = "schema public: privileges of public: usage -> nothing; privileges of ida: - -> usage";
    assert_eq!(granted_otherwise(&usage, &nothing), [told]);
}
