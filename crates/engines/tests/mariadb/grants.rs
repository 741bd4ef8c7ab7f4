//! Users, roles, and what was granted to them: compared where that is asked for.

use wevrun_core::compare::{Change, add_access, compare};
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{Script, make_script};
use wevrun_engines::{Access, open};
use wevrun_testkit::mariadb::Server;

use crate::{VERSION, connect, made, maria, model, read, release};

const OBJECTS: &str = "CREATE TABLE hives (id int PRIMARY KEY, label varchar(20), Weight int);
    CREATE VIEW heavy AS SELECT id FROM hives WHERE weight > 10;
    CREATE SEQUENCE lots;
    CREATE PROCEDURE weigh(IN a int) SELECT a;
    CREATE FUNCTION half(a int) RETURNS int DETERMINISTIC RETURN a / 2;
    ";

/// What each test grants to its own users.
fn users(of: &str) -> [String; 3] {
    let names = ["ida", "bo", "keepers"].map(|name| format!("{of}_{name}"));
    let [ida, bo, keepers] = &names;
    let server = Server::usual();
    let create = format!("CREATE USER {ida}@localhost; CREATE USER {bo}; CREATE ROLE {keepers};");
    server.client("mysql", &create).expect("new users");
    names
}

fn differences(have: &Model, want: &Model) -> Vec<String> {
    let mut comparison = compare(maria(), have, want);
    add_access(maria(), &mut comparison, have, want);
    let one = |difference: &wevrun_core::compare::Difference<'_>| match &difference.change {
        Change::Change { properties, .. } => {
            let all = properties.iter().map(|own| format!("{}: {:?} -> {:?}", own.name(), own.have, own.want));
            format!("{}: {}", difference.key, all.collect::<Vec<_>>().join("; "))
        }
        _ => difference.key.to_string(),
    };
    comparison.differences.iter().map(one).collect()
}

/// The script that makes one of the other, with what is granted.
fn script(have: &Model, want: &Model) -> Script {
    let mut comparison = compare(maria(), have, want);
    add_access(maria(), &mut comparison, have, want);
    let plan_options = PlanOptions { access: true, ..PlanOptions::default() };
    make_script(maria(), "honey", (have, want), &comparison, plan_options, VERSION, &Evidence::default())
}

#[test]
fn what_was_granted_reads_as_it_was_written() {
    let [ida, bo, keepers] = users("read");
    let source = format!(
        "{OBJECTS}
        GRANT SELECT, INSERT (id, Weight), UPDATE ON hives TO {ida}@localhost, '{bo}'@'%';
        GRANT ALL PRIVILEGES ON heavy TO {keepers} WITH GRANT OPTION;
        GRANT SELECT ON lots TO '{keepers}';
        GRANT EXECUTE ON PROCEDURE weigh TO {keepers};
        GRANT ALL ON FUNCTION half TO `{bo}`;
        CREATE USER IF NOT EXISTS 'it''s ida@corp'@'10.%';
        GRANT SELECT ON hives TO 'it''s ida@corp'@'10.%';
        REVOKE UPDATE ON TABLE hives FROM {bo}@'%';
        GRANT {keepers} TO {bo};
        GRANT SHOW VIEW ON *.* TO {bo};"
    );
    let database = made(&source);
    let (have, want) = (read(&database), model(&source));
    assert!(differences(&have, &want).is_empty(), "{:#?}", differences(&have, &want));
    let other = model(&source.replace("GRANT SELECT ON lots", "GRANT SELECT, UPDATE ON lots"));
    let found = differences(&have, &other);
    assert_eq!(
        found,
        [format!("sequence lots: privileges of {keepers}: Some(\"select\") -> Some(\"select, update\")")]
    );
}

#[test]
fn a_script_grants_and_revokes() {
    let [ida, bo, keepers] = users("change");
    let database = made(&format!(
        "{OBJECTS}
        GRANT SELECT (id), UPDATE ON hives TO {bo};
        GRANT ALL ON heavy TO {keepers} WITH GRANT OPTION;
        GRANT EXECUTE ON PROCEDURE weigh TO {ida}@localhost;"
    ));
    let source = format!(
        "{}
        CREATE TABLE queens (id int PRIMARY KEY);
        GRANT SELECT (id, label) ON hives TO {bo} WITH GRANT OPTION;
        GRANT SELECT, DELETE HISTORY ON heavy TO {keepers};
        GRANT EXECUTE, ALTER ROUTINE ON FUNCTION half TO {ida}@localhost;
        GRANT INSERT ON queens TO {keepers};",
        OBJECTS.replace("label varchar(20)", "label varchar(40)")
    );
    let want = model(&source);
    let forward = script(&read(&database), &want);
    let text = crate::write(&forward);
    connect(&database, Access::Write)
        .deploy(&forward, &release(), &mut |_| {})
        .unwrap_or_else(|error| panic!("{error}\n{text}"));
    let found = differences(&read(&database), &want);
    assert!(found.is_empty(), "{found:#?}\n{text}");
    // The client runs it too; what is revoked already stops nothing.
    let by_client = made(OBJECTS);
    by_client
        .client(&format!("GRANT ALL ON heavy TO {keepers} WITH GRANT OPTION; GRANT DROP ON hives TO {bo}"))
        .expect("granted");
    let text = crate::write(&script(&read(&by_client), &want));
    by_client.client(&format!("REVOKE ALL ON heavy FROM {keepers}")).expect("revoked by somebody else");
    by_client.client(&text).unwrap_or_else(|words| panic!("{words}\n{text}"));
    let found = differences(&read(&by_client), &want);
    assert!(found.is_empty(), "{found:#?}\n{text}");
}

#[test]
fn what_may_not_be_read_is_not_the_same() {
    let [_, bo, _] = users("unread");
    let database = made(OBJECTS);
    let grant = format!(
        "GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON {}.* TO {bo}; GRANT SELECT ON mysql.proc TO {bo}",
        database.name
    );
    Server::usual().client("mysql", &grant).expect("granted");
    let url = Server::usual().url_of(&bo, &database.name);
    let have =
        open(&url.parse().expect("a URL"), Access::Read).expect("it may connect").read().expect("it may read").model;
    let found = differences(&have, &model(OBJECTS));
    assert_eq!(found.len(), 5, "{found:#?}");
    assert!(found.iter().all(|line| line.contains("privileges of all users: Some(\"not known")), "{found:#?}");
    let want = model(OBJECTS);
    assert!(compare(maria(), &have, &want).differences.is_empty());
    // A script that is to change them stops before it has changed anything.
    let want = model(&OBJECTS.replace("label varchar(20)", "label varchar(40)"));
    let words = database.client(&crate::write(&script(&have, &want))).expect_err("privileges are not known");
    assert!(words.contains("may not read privileges"), "{words}");
    assert!(compare(maria(), &read(&database), &model(OBJECTS)).differences.is_empty());
}
