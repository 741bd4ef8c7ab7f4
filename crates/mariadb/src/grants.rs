//! Privileges of users and roles on an object.
//!
//! The clauses of [`Object::access`] are `grant PRIVILEGE to USER`, one for each column of a privilege on columns. A user without a host is
//! one of any host, or a role (<https://mariadb.com/kb/en/grant/>).

use std::collections::{BTreeMap, BTreeSet};

use wevrun_core::compare::{Aspect, Fact, Property};
use wevrun_core::model::{Clauses, Kind, Object, ObjectKey};

use crate::clause;
use crate::names::{in_sql, literal, quoted};

/// WITH GRANT OPTION, which is for all privileges of a user on an object.
pub const OPTION: &str = "grant option";

/// Stops a script that was made without knowing what is granted.
pub const STOP: &str = "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = \
    'wevrun: the user that made this script may not read privileges, so it can not change them'";

/// The mark of an object whose privileges the user that read it may not see.
pub const UNREAD: &str =
    "not known: reading them needs SELECT on mysql.tables_priv, mysql.columns_priv and mysql.procs_priv";

/// The user of that mark.
pub const ALL_USERS: &str = "all users";

/// The privileges that GRANT knows for an object.
pub fn is_privilege(word: &str) -> bool {
    [Kind::Table, Kind::Procedure].into_iter().any(|kind| all(kind).contains(&word)) || word == "show create routine"
}

/// The privileges of ALL for an object of the kind.
fn all(kind: Kind) -> &'static [&'static str] {
    match kind {
        Kind::Table | Kind::View | Kind::Sequence => &[
            "alter",
            "create",
            "create view",
            "delete",
            "delete history",
            "drop",
            "index",
            "insert",
            "references",
            "select",
            "show view",
            "trigger",
            "update",
        ],
        _ => &["alter routine", "execute"],
    }
}

/// The clause of a privilege, `select (a)`, of a user.
pub fn granted(access: &mut Clauses, privilege: &str, user: &str) {
    // The server's own tables call it so.
    let privilege = privilege.replace("delete versioning rows", "delete history");
    access.set_text(clause::GRANT.of(&format!("{privilege} to {user}")), "");
}

/// Marks that the privileges on an object could not be read.
pub fn privileges_are_unread(access: &mut Clauses) {
    access.set_text(clause::GRANTS_UNREAD, "");
}

/// A user as the clauses name it.
pub fn user(name: &str, host: &str) -> String {
    match host {
        "" | "%" if !name.contains('@') => name.to_owned(),
        "" => format!("{name}@%"),
        _ => format!("{name}@{host}"),
    }
}

/// A GRANT or a REVOKE, without the object.
#[derive(Debug, Clone)]
pub struct Change {
    /// GRANT; else REVOKE.
    pub grants: bool,
    /// `select`, `update (a)`, `all`, [`OPTION`].
    pub privileges: Vec<String>,
    /// The user.
    pub users: Vec<String>,
}

impl Change {
    /// Changes the privileges on an object.
    pub fn apply(&self, kind: Kind, access: &mut Clauses) {
        for user in &self.users {
            for privilege in self.privileges.iter().flat_map(|privilege| match privilege.as_str() {
                "all" => all(kind).to_vec(),
                one => vec![one],
            }) {
                if self.grants {
                    granted(access, privilege, user);
                } else {
                    access.remove(clause::GRANT.of(&format!("{privilege} to {user}")));
                }
            }
        }
    }
}

/// The privileges of each user: the columns of each, none for one on the whole object.
fn by_user(access: &Clauses) -> BTreeMap<String, BTreeMap<String, BTreeSet<String>>> {
    let mut users: BTreeMap<String, BTreeMap<String, BTreeSet<String>>> = BTreeMap::new();
    for (name, _) in access.iter() {
        let Some((privilege, user)) = clause::GRANT.member(name).and_then(|rest| rest.split_once(" to ")) else {
            continue;
        };
        let (word, column) = privilege
            .split_once(" (")
            .map_or((privilege, None), |(word, column)| (word, Some(column.trim_end_matches(')').to_owned())));
        users.entry(user.to_owned()).or_default().entry(word.to_owned()).or_default().extend(column);
    }
    users
}

fn listed(
    kind: Kind,
    privileges: &BTreeMap<String, BTreeSet<String>>,
    word: fn(&str) -> String,
    column: fn(&str) -> String,
) -> String {
    let is_whole = |word: &str| privileges.get(word).is_some_and(BTreeSet::is_empty);
    let has_all = all(kind).iter().all(|word| is_whole(word));
    let others = privileges.iter().filter(|(word, _)| !has_all || !all(kind).contains(&word.as_str()));
    let one = |(privilege, columns): (&String, &BTreeSet<String>)| {
        let columns: Vec<String> = columns.iter().map(|own| column(own)).collect();
        let of = if columns.is_empty() { String::new() } else { format!(" ({})", columns.join(", ")) };
        word(privilege) + &of
    };
    let all: Vec<String> = has_all.then(|| word("all")).into_iter().chain(others.map(one)).collect();
    all.join(", ")
}

/// The privileges on an object: a fact for each user.
pub fn facts(object: &Object) -> BTreeMap<Fact, String> {
    let kind = object.definition.kind();
    let of_users = by_user(&object.access).into_iter().map(|(user, privileges)| {
        let list = listed(kind, &privileges, str::to_owned, str::to_owned);
        ((Aspect::Privileges, user), list)
    });
    let unread = object.access.has(clause::GRANTS_UNREAD);
    of_users.chain(unread.then(|| ((Aspect::Privileges, ALL_USERS.to_owned()), UNREAD.to_owned()))).collect()
}

fn user_in_sql(user: &str) -> String {
    match user.rsplit_once('@') {
        Some((name, host)) => format!("{}@{}", literal(name), literal(host)),
        None => quoted(user),
    }
}

fn on(key: &ObjectKey) -> String {
    match key.kind {
        Kind::Table | Kind::View | Kind::Sequence => in_sql(&key.name),
        Kind::Aggregate => format!("FUNCTION {}", in_sql(&key.name)),
        kind => format!("{} {}", kind.title().to_uppercase(), in_sql(&key.name)),
    }
}

/// The statements that grant the privileges on an object.
pub fn statements(object: &Object) -> Vec<String> {
    let users = by_user(&object.access);
    users.iter().map(|(user, privileges)| grant(&object.key(), user, privileges)).collect()
}

fn grant(key: &ObjectKey, user: &str, privileges: &BTreeMap<String, BTreeSet<String>>) -> String {
    let mut privileges = privileges.clone();
    let option = if privileges.remove(OPTION).is_some() { " WITH GRANT OPTION" } else { "" };
    let list = if privileges.is_empty() {
        "USAGE".to_owned()
    } else {
        listed(key.kind, &privileges, str::to_uppercase, quoted)
    };
    format!("GRANT {list} ON {} TO {}{option}", on(key), user_in_sql(user))
}

/// The statements that make these facts of an object want's. A user whose privileges differ and who has some that are not
/// wanted loses all of them first, if they are there.
pub fn changes(want: &Object, differing: &[Property]) -> Vec<String> {
    let key = want.key();
    let users = by_user(&want.access);
    let mut statements = Vec::new();
    let of_users = differing.iter().filter(|own| own.aspect == Aspect::Privileges && &*own.detail != ALL_USERS);
    for property in of_users {
        let user = &*property.detail;
        if property.have.is_some() {
            let from = format!("ON {} FROM {}", on(&key), user_in_sql(user));
            // 1141, 1147 and 1403: there is no such grant, or no more.
            statements.push(format!(
                "BEGIN NOT ATOMIC DECLARE CONTINUE HANDLER FOR 1141, 1147, 1403 BEGIN END; \
                 REVOKE ALL {from}; REVOKE GRANT OPTION {from}; END"
            ));
        }
        statements.extend(users.get(user).map(|privileges| grant(&key, user, privileges)));
    }
    statements
}
