//! The rights of a user that complete reading needs: without them, the server shows a database without what is hidden
//! (<https://mariadb.com/kb/en/grant/>).

/// A right, and why it is needed.
struct Needed {
    privilege: &'static str,
    to_see: &'static str,
    grant: &'static str,
}

const NEEDED: [Needed; 4] = [
    Needed { privilege: "SELECT", to_see: "tables", grant: "GRANT SELECT ON DATABASE.*" },
    Needed { privilege: "SHOW VIEW", to_see: "views", grant: "GRANT SHOW VIEW ON DATABASE.*" },
    Needed { privilege: "TRIGGER", to_see: "triggers", grant: "GRANT TRIGGER ON DATABASE.*" },
    Needed { privilege: "EVENT", to_see: "events", grant: "GRANT EVENT ON DATABASE.*" },
];

/// The rights that the grants of a user, as SHOW GRANTS lists them, lack for a database; none if it sees everything.
pub fn unseen(grants: &[String], database: &str) -> Option<String> {
    let given: Vec<(Vec<String>, String)> = grants.iter().filter_map(|grant| read(grant)).collect();
    let has = |privilege: &str, fits: &dyn Fn(&str) -> bool| {
        given.iter().any(|(privileges, scope)| {
            fits(scope) && privileges.iter().any(|own| own == privilege || own == "ALL PRIVILEGES")
        })
    };
    let on_database = |scope: &str| {
        scope == "*.*" || scope.strip_suffix(".*").is_some_and(|pattern| is_like(&unquoted(pattern), database))
    };
    let on_programs = |scope: &str| matches!(scope, "*.*" | "`mysql`.*" | "`mysql`.`proc`");
    let missing: Vec<&Needed> = NEEDED.iter().filter(|needed| !has(needed.privilege, &on_database)).collect();
    let mut see: Vec<&str> = missing.iter().map(|needed| needed.to_see).collect();
    let mut ways: Vec<String> =
        missing.iter().map(|needed| needed.grant.replace("DATABASE", &wevrun_mariadb::quoted(database))).collect();
    // Since 11.3 there is a right of its own.
    if !has("SELECT", &on_programs) && !has("SHOW CREATE ROUTINE", &on_database) {
        see.push("routines");
        ways.push("GRANT SELECT ON mysql.proc".to_owned());
    }
    (!see.is_empty()).then(|| {
        format!(
            "this user may not see all {} of the database, and the server does not list what is hidden; needed: {}",
            see.join(", "),
            ways.join("; ")
        )
    })
}

/// Whether a user may read what others were granted.
pub fn sees_privileges(grants: &[String]) -> bool {
    let given: Vec<(Vec<String>, String)> = grants.iter().filter_map(|grant| read(grant)).collect();
    let may_read = |table: &str| {
        let fits = |scope: &str| matches!(scope, "*.*" | "`mysql`.*") || scope == format!("`mysql`.`{table}`");
        let selects = |own: &String| own == "SELECT" || own == "ALL PRIVILEGES";
        given.iter().any(|(privileges, scope)| fits(scope) && privileges.iter().any(selects))
    };
    ["tables_priv", "columns_priv", "procs_priv"].into_iter().all(may_read)
}

/// The privileges of a line, and on what: `GRANT SELECT, SHOW VIEW ON `honey`.* TO …`.
fn read(grant: &str) -> Option<(Vec<String>, String)> {
    let rest = grant.strip_prefix("GRANT ")?;
    let (privileges, rest) = rest.split_once(" ON ")?;
    let scope = rest.split(" TO ").next()?.trim().to_owned();
    // What is granted on columns is no right to see the rest.
    let privileges = privileges.split(", ").map(str::trim).filter(|one| !one.contains('(')).map(str::to_owned);
    Some((privileges.collect(), scope))
}

fn unquoted(text: &str) -> String {
    text.trim_matches('`').replace("``", "`")
}

/// Whether a database's name fits a pattern of GRANT: `%`, `_`, and a backslash before either.
fn is_like(pattern: &str, name: &str) -> bool {
    fn fits(pattern: &[char], name: &[char]) -> bool {
        match pattern {
            [] => name.is_empty(),
            ['\\', escaped, rest @ ..] => name.first() == Some(escaped) && fits(rest, &name[1..]),
            ['%', rest @ ..] => (0..=name.len()).any(|at| fits(rest, &name[at..])),
            ['_', rest @ ..] => !name.is_empty() && fits(rest, &name[1..]),
            [own, rest @ ..] => name.first() == Some(own) && fits(rest, &name[1..]),
        }
    }
    fits(&pattern.chars().collect::<Vec<_>>(), &name.chars().collect::<Vec<_>>())
}

#[cfg(test)]
mod tests {
    use super::unseen;

    #[test]
    fn what_is_hidden_is_named() {
        let grants = |lines: &[&str]| lines.iter().map(|line| (*line).to_owned()).collect::<Vec<_>>();
        let all = grants(&["GRANT ALL PRIVILEGES ON *.* TO `root`@`localhost` WITH GRANT OPTION"]);
        assert_eq!(unseen(&all, "honey"), None);
        let own = grants(&[
            "GRANT USAGE ON *.* TO `ida`@`%`",
            "GRANT SELECT, SHOW VIEW, EVENT, TRIGGER ON `hon%`.* TO `ida`@`%`",
            "GRANT SELECT ON `mysql`.`proc` TO `ida`@`%`",
        ]);
        assert_eq!(unseen(&own, "honey"), None);
        assert!(unseen(&own, "bees").is_some_and(|words| words.contains("tables, views, triggers, events of")));
        let some = grants(&["GRANT SELECT, SHOW VIEW ON `honey\\_1`.* TO `ida`@`%`"]);
        let words = unseen(&some, "honey_1").unwrap_or_default();
        assert!(words.contains("triggers, events, routines"), "{words}");
        assert!(unseen(&some, "honeyx1").is_some_and(|words| words.contains("tables")));
    }
}
