//! Who owns an object, who may do what with it, and how it is labelled.
//!
//! The clauses of [`Object::access`] are `owner`, `grant PRIVILEGE to ROLE` (empty, or `with grant option`), `revoke all from
//! public` and `label PROVIDER`, as GRANT, REVOKE, OWNER TO and SECURITY LABEL say them
//! (<https://www.postgresql.org/docs/current/ddl-priv.html>).

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use super::names;
use super::tokens::literal;
use super::write;
use wevrun_core::compare::{Aspect, Fact, Property};
use wevrun_core::model::{Clauses, Kind, Object};

/// What ALL means for an object of the kind. MAINTAIN, which tables have since 17, is a part of all or said by itself.
pub fn all(kind: Kind) -> &'static [&'static str] {
    match kind {
        Kind::Sequence => &["select", "update", "usage"],
        Kind::Function | Kind::Procedure | Kind::Aggregate => &["execute"],
        Kind::Schema => &["create", "usage"],
        Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView => {
            &["delete", "insert", "references", "select", "trigger", "truncate", "update"]
        }
        _ => &["usage"],
    }
}

/// The default privileges of PUBLIC on an object of the kind.
pub fn usual_for_everybody(kind: Kind) -> Option<&'static str> {
    match kind {
        Kind::Function | Kind::Procedure | Kind::Aggregate => Some("execute"),
        Kind::Type | Kind::Domain | Kind::Language => Some("usage"),
        _ => None,
    }
}

/// Says that everybody may do no more than what is granted. Said first: the clauses of grants add to it.
pub const EVERYBODY_STARTS_WITH_NOTHING: &str = "revoke all from public";

/// The kind of object on which something is granted: of default privileges, the kind of the objects to come. Their clauses are
/// `on`, `schema` if they hold in one only, and `role` if it is said who creates these objects.
pub fn kind_granted_on(object: &Object) -> Kind {
    match write::clauses(object).value(clause::ON).filter(|_| object.definition.kind() == Kind::DefaultPrivileges) {
        None => object.definition.kind(),
        Some("TABLES") => Kind::Table,
        Some("SEQUENCES") => Kind::Sequence,
        Some("FUNCTIONS") => Kind::Function,
        Some("TYPES") => Kind::Type,
        Some("SCHEMAS") => Kind::Schema,
        Some(_) => Kind::DefaultPrivileges,
    }
}

/// Whether an object that is created gets what these default privileges say, if the right role creates it.
fn is_covered_by(default: &Object, object: &Object) -> bool {
    let kind = match object.definition.kind() {
        Kind::View | Kind::MaterializedView | Kind::ForeignTable => Kind::Table,
        Kind::Procedure | Kind::Aggregate => Kind::Function,
        Kind::Domain => Kind::Type,
        kind => kind,
    };
    let schema = write::clauses(default).value(clause::SCHEMA);
    kind_granted_on(default) == kind
        && schema.is_none_or(|schema| names::schema(&object.name).as_deref() == Some(schema))
}

/// Whether default privileges that name no role, so are those of the deploying role, may be these, which do.
pub fn may_be_those_of(nameless: &Object, other: &Object) -> bool {
    let [nameless, other] = [nameless, other].map(write::clauses);
    nameless.has(clause::ON)
        && !nameless.has(clause::ROLE)
        && other.has(clause::ROLE)
        && [clause::ON, clause::SCHEMA].into_iter().all(|clause| nameless.value(clause) == other.value(clause))
}

/// What roles may do with an object when it has just been created, by these default privileges.
pub fn at_birth<'o>(defaults: impl Iterator<Item = &'o Object>, object: &Object) -> Clauses {
    let apply = defaults.filter(|default| is_covered_by(default, object));
    apply.flat_map(|default| default.access.iter()).map(|(clause, value)| (clause, value.clone())).collect()
}

/// The aspect of a clause.
pub fn aspect_of(clause: &str) -> Aspect {
    if clause::OWNER.is(clause) {
        Aspect::Owner
    } else if clause::LABEL.has(clause) {
        Aspect::SecurityLabel
    } else {
        Aspect::Privileges
    }
}

const WITH_OPTION: &str = " with grant option";

/// The owner, the privileges of each role, and the labels of an object.
pub fn facts(object: &Object) -> BTreeMap<Fact, String> {
    let kind = kind_granted_on(object);
    let owner = object.access.value(clause::OWNER).or_else(|| write::clauses(object).value(clause::ROLE));
    let mut facts = BTreeMap::new();
    let mut granted: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (clause, value) in object.access.expressions() {
        if clause == "owner" {
            facts.insert((Aspect::Owner, String::new()), value.canonical.clone());
        } else if let Some(label) = clause::LABEL.member(clause) {
            facts.insert((Aspect::SecurityLabel, label.to_owned()), value.canonical.clone());
        } else if let Some((privilege, role)) = clause.strip_prefix("grant ").and_then(|rest| rest.rsplit_once(" to "))
        {
            let option = if value.canonical.is_empty() { "" } else { WITH_OPTION };
            let privileges = granted.entry(role.to_owned()).or_default();
            privileges.extend(single(kind, privilege).into_iter().map(|privilege| format!("{privilege}{option}")));
        }
    }
    let from_nothing = object.access.has_named(EVERYBODY_STARTS_WITH_NOTHING);
    let in_schema = write::clauses(object).has(clause::SCHEMA);
    if let Some(usual) = usual_for_everybody(kind).filter(|_| !in_schema) {
        let everybody = granted.remove("public").unwrap_or_default();
        if !everybody.contains(usual) && from_nothing {
            facts.insert((Aspect::Privileges, "public".to_owned()), "nothing".to_owned());
        }
    } else if from_nothing {
        // The default privileges of PUBLIC in a schema that every database has depend on the version.
        let everybody: Vec<String> = granted.remove("public").unwrap_or_default().into_iter().collect();
        let list = if everybody.is_empty() { "nothing".to_owned() } else { everybody.join(", ") };
        facts.insert((Aspect::Privileges, String::new()), list);
    }
    // What the owner may do is the owner's by right.
    for (role, mut privileges) in granted.into_iter().filter(|(role, _)| owner != Some(role)) {
        for option in ["", WITH_OPTION] {
            let every: Vec<String> = all(kind).iter().map(|privilege| format!("{privilege}{option}")).collect();
            if every.len() > 1 && every.iter().all(|privilege| privileges.contains(privilege)) {
                privileges.retain(|privilege| !every.contains(privilege));
                privileges.remove(&format!("maintain{option}"));
                privileges.insert(format!("all{option}"));
            }
        }
        let list: Vec<String> = privileges.into_iter().collect();
        facts.insert((Aspect::Privileges, role), list.join(", "));
    }
    facts
}

/// `all` as what it means, `select (a, b)` column by column.
fn single(kind: Kind, privilege: &str) -> Vec<String> {
    let (word, columns) = privilege
        .split_once(" (")
        .map_or((privilege, None), |(word, rest)| (word, Some(super::split_list(rest.trim_end_matches(')')))));
    let words: Vec<&str> = match (word, &columns) {
        ("all", None) => all(kind).to_vec(),
        ("all", Some(_)) => vec!["insert", "references", "select", "update"],
        (word, _) => vec![word],
    };
    let of = |column: &Option<String>| column.as_ref().map_or_else(String::new, |column| format!(" ({column})"));
    let columns: Vec<Option<String>> =
        columns.map_or_else(|| vec![None], |columns| columns.into_iter().map(Some).collect());
    words.into_iter().flat_map(|word| columns.iter().map(move |column| format!("{word}{}", of(column)))).collect()
}

/// The words that stand before GRANT or REVOKE, and those by which they call the object.
fn granted(object: &Object) -> (String, String) {
    let clauses = write::clauses(object);
    let what = match object.definition.kind() {
        Kind::DefaultPrivileges => {
            let role = clauses.value(clause::ROLE).map(|role| format!("FOR ROLE {role} ")).unwrap_or_default();
            let schema = clauses.value(clause::SCHEMA).map(|schema| format!("IN SCHEMA {} ", names::quoted(schema)));
            let before = format!("ALTER DEFAULT PRIVILEGES {role}{}", schema.unwrap_or_default());
            return (before, clauses.value(clause::ON).unwrap_or_default().to_owned());
        }
        Kind::View | Kind::MaterializedView | Kind::ForeignTable | Kind::Table => format!("TABLE {}", object.name),
        Kind::Function | Kind::Procedure | Kind::Aggregate => format!("ROUTINE {}", object.name),
        Kind::Type | Kind::Domain => format!("TYPE {}", object.name),
        kind => write::subject(kind, &object.name),
    };
    (String::new(), what)
}

/// The role whose privileges a property is about.
fn role_of(property: &Property) -> Option<&str> {
    let role = (property.aspect == Aspect::Privileges).then_some(&*property.detail)?;
    Some(if role.is_empty() { "public" } else { role })
}

/// The statements that make these facts of an object what want says. A role whose grants differ loses all of them first.
pub fn changes(want: &Object, differing: &[Property]) -> Vec<String> {
    let kind = kind_granted_on(want);
    let (before, what) = granted(want);
    let mut changes = Vec::new();
    for property in differing {
        if let Some(role) = role_of(property) {
            if property.have.is_some() || role == "public" {
                changes.push(format!("{before}REVOKE ALL ON {what} FROM {role}"));
            }
            let usual = usual_for_everybody(kind).filter(|_| role == "public" && property.want.is_none());
            changes.extend(usual.map(|usual| format!("{before}GRANT {} ON {what} TO public", usual.to_uppercase())));
        } else if property.aspect == Aspect::SecurityLabel && property.want.is_none() {
            changes.push(label_statement(want, &property.detail, "NULL"));
        }
    }
    let is_wanted = |clause: &str| {
        differing.iter().any(|property| match property.aspect {
            Aspect::Privileges => clause
                .rsplit_once(" to ")
                .is_some_and(|(head, to)| head.starts_with("grant ") && Some(to) == role_of(property)),
            Aspect::SecurityLabel => clause::LABEL.member(clause) == Some(&*property.detail),
            _ => clause::OWNER.is(clause),
        })
    };
    let mut only = want.clone();
    let others: Vec<String> =
        only.access.iter().map(|(clause, _)| clause.to_owned()).filter(|clause| !is_wanted(clause)).collect();
    others.iter().for_each(|clause| drop(only.access.remove_named(clause)));
    changes.extend(statements(&only));
    changes
}

/// The statements that give an object its owner, grants and labels.
pub fn statements(object: &Object) -> Vec<String> {
    let kind = object.definition.kind();
    let (before, what) = granted(object);
    let mut statements = Vec::new();
    if let Some(owner) = object.access.value(clause::OWNER) {
        statements.push(format!("ALTER {} OWNER TO {owner}", write::subject(kind, &object.name)));
    }
    if object.access.has_named(EVERYBODY_STARTS_WITH_NOTHING) {
        statements.push(format!("{before}REVOKE ALL ON {what} FROM public"));
    }
    for (clause, value) in object.access.expressions() {
        if let Some((privilege, role)) = clause.strip_prefix("grant ").and_then(|rest| rest.rsplit_once(" to ")) {
            let option = if value.canonical.is_empty() { "" } else { " WITH GRANT OPTION" };
            let (word, columns) = privilege
                .split_once('(')
                .map_or((privilege, String::new()), |(word, columns)| (word, format!("({columns}")));
            statements.push(format!("{before}GRANT {}{columns} ON {what} TO {role}{option}", word.to_uppercase()));
        } else if let Some(label) = clause::LABEL.member(clause) {
            statements.push(label_statement(object, label, &literal(&value.canonical)));
        }
    }
    statements
}

/// SECURITY LABEL. `label` is `PROVIDER`, or `PROVIDER on COLUMN`.
fn label_statement(object: &Object, label: &str, value: &str) -> String {
    let (provider, column) = label.split_once(" on ").map_or((label, None), |(p, column)| (p, Some(column)));
    let whole = || write::subject(object.definition.kind(), &object.name);
    let on = column.map_or_else(whole, |column| format!("COLUMN {}.{column}", object.name));
    let provider = if provider.is_empty() { String::new() } else { format!(" FOR {}", names::quoted(provider)) };
    format!("SECURITY LABEL{provider} ON {on} IS {value}")
}

#[cfg(test)]
mod tests {
    use crate::Postgres;
    use wevrun_core::build::Reading;
    use wevrun_core::compare::{Change, add_access, compare};
    use wevrun_core::model::Model;
    use wevrun_core::source::Source;

    fn model(text: &str) -> Model {
        {
            let mut reading = Reading::new(&Postgres);
            reading.add(&[Source::new("a.sql", text)]);
            reading.finish().model
        }
    }

    /// The facts that differ, as `name: have -> want`.
    fn differing(have: &str, want: &str) -> Vec<String> {
        const TABLES: &str =
            "CREATE TABLE hives (id integer, note text); CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS '';
            CREATE TYPE mood AS ENUM ('calm'); CREATE SEQUENCE s;";
        let (have, want) = (model(&format!("{TABLES}{have}")), model(&format!("{TABLES}{want}")));
        let dialect = &Postgres;
        let mut comparison = compare(dialect, &have, &want);
        assert!(comparison.is_identical(), "access is no part of the structure");
        add_access(dialect, &mut comparison, &have, &want);
        let mut found = Vec::new();
        for difference in &comparison.differences {
            let Change::Change { properties, .. } = &difference.change else { panic!("nothing comes or goes") };
            for property in properties {
                let [have, want] = [&property.have, &property.want].map(|side| side.as_deref().unwrap_or("-"));
                found.push(format!("{}: {}: {have} -> {want}", difference.key, property.name()));
            }
        }
        found
    }

    #[test]
    fn all_is_what_it_means() {
        let listed = "GRANT SELECT, INSERT, UPDATE, DELETE, TRUNCATE, REFERENCES, TRIGGER, MAINTAIN ON hives TO ida;";
        assert_eq!(differing("GRANT ALL ON hives TO ida;", listed), [""; 0]);
        assert_eq!(differing("GRANT ALL PRIVILEGES ON TABLE hives TO ida;", listed), [""; 0]);
        assert_eq!(
            differing("GRANT ALL ON hives TO ida; REVOKE DELETE ON hives FROM ida;", "GRANT SELECT ON hives TO ida;")
                .len(),
            1
        );
        assert_eq!(differing("GRANT ALL ON hives TO ida; REVOKE ALL ON hives FROM ida;", ""), [""; 0]);
        assert_eq!(
            differing("GRANT USAGE, SELECT, UPDATE ON SEQUENCE s TO ida;", "GRANT ALL ON SEQUENCE s TO ida;"),
            [""; 0]
        );
    }

    #[test]
    fn columns_and_options_count() {
        assert_eq!(
            differing("GRANT SELECT (id, note) ON hives TO ida;", "GRANT SELECT (note), SELECT (id) ON hives TO ida;"),
            [""; 0]
        );
        assert_eq!(
            differing("GRANT SELECT (id) ON hives TO ida;", "GRANT SELECT ON hives TO ida WITH GRANT OPTION;"),
            ["table public.hives: privileges of ida: select (id) -> select with grant option"]
        );
    }

    #[test]
    fn what_everybody_may_do_anyway_needs_no_grant() {
        assert_eq!(
            differing("", "GRANT EXECUTE ON FUNCTION f() TO public; GRANT USAGE ON TYPE mood TO public;"),
            [""; 0]
        );
        let told = ["function public.f(): privileges of public: - -> nothing"];
        assert_eq!(differing("", "REVOKE ALL ON FUNCTION f() FROM public;"), told);
        assert_eq!(differing("", "REVOKE EXECUTE ON FUNCTION f() FROM public;"), told);
        assert_eq!(
            differing("", "REVOKE ALL ON FUNCTION f() FROM public; GRANT EXECUTE ON FUNCTION f() TO public;"),
            [""; 0]
        );
    }

    #[test]
    fn owners_count_if_want_names_them() {
        assert_eq!(differing("ALTER TABLE hives OWNER TO ida;", ""), [""; 0]);
        assert_eq!(
            differing("ALTER TABLE hives OWNER TO ida;", "ALTER TABLE hives OWNER TO ros;"),
            ["table public.hives: owner: ida -> ros"]
        );
        // What the owner may do is the owner's by right.
        assert_eq!(differing("ALTER TABLE hives OWNER TO ida; GRANT ALL ON hives TO ida;", ""), [""; 0]);
    }

    #[test]
    fn labels_count() {
        assert_eq!(
            differing("", "SECURITY LABEL FOR shelf ON COLUMN hives.note IS 'secret';"),
            ["table public.hives: security label shelf on note: - -> secret"]
        );
    }
}
