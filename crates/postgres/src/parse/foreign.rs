//! CREATE and ALTER of foreign-data wrappers, servers and user mappings
//! (<https://www.postgresql.org/docs/current/ddl-foreign-data.html>). Options that are secrets are not kept.

use super::access::{Subject, amend};
use super::{identifier, names, plain, reference, text_or_null};
use crate::clause;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Kind, Object};
use wevrun_core::parse::{Parsed, Reader, StatementKind, TokenKind};
use wevrun_core::source::Location;

/// What follows CREATE FOREIGN DATA WRAPPER or CREATE SERVER.
pub fn object(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "a name")?);
    let mut clauses = Clauses::default();
    for (clause, value) in changes(reader, kind)? {
        if let Some(value) = value {
            clauses.say_named(&clause, value);
        }
    }
    Ok(plain(reader, kind, name, None, clauses))
}

/// What follows CREATE USER MAPPING.
pub fn user_mapping(reader: &mut Reader<'_>) -> Parsed<Object> {
    reader.expect("FOR")?;
    let user = identifier(reader, "a role")?;
    reader.expect("SERVER")?;
    let server = names::global(&identifier(reader, "a server's name")?);
    let mut clauses = Clauses::default();
    if reader.take(&["OPTIONS"]) {
        options(reader, &mut clauses)?;
    }
    let name = names::user_mapping(&user, &server);
    Ok(plain(reader, Kind::UserMapping, name, Some(server), clauses))
}

/// What follows ALTER of a wrapper, a server or a user mapping, and its name.
pub fn alter(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let changes = changes(reader, subject.kinds[0])?;
    Ok(vec![amend(subject, if_exists, move |object| {
        if let Definition::Plain(plain) = &mut object.definition {
            change(&mut plain.clauses, &changes);
        }
        Ok(())
    })])
}

/// Clauses, each with what it becomes; none if it goes.
type Changes = Vec<(String, Option<String>)>;

/// The clauses that such an object can have, to the end of the statement.
fn changes(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Changes> {
    let mut changes = Changes::new();
    let is_server = kind == Kind::Server;
    while !reader.at_end() {
        if reader.take(&["OPTIONS"]) {
            changes.extend(option_changes(reader)?);
        } else if is_server && reader.take(&["FOREIGN", "DATA", "WRAPPER"]) {
            changes.push(("wrapper".to_owned(), Some(names::quoted(&identifier(reader, "a wrapper's name")?))));
        } else if is_server && reader.take(&["TYPE"]) {
            changes.push(("type".to_owned(), text_or_null(reader)?));
        } else if is_server && reader.take(&["VERSION"]) {
            changes.push(("version".to_owned(), text_or_null(reader)?));
        } else if kind != Kind::ForeignDataWrapper {
            return Err(reader.expected("`OPTIONS`"));
        } else {
            let goes = reader.take(&["NO"]);
            let clause =
                if reader.take(&["HANDLER"]) { "handler" } else { reader.expect("VALIDATOR").map(|_| "validator")? };
            let function =
                if goes { None } else { Some(reference(reader, "a function's name")?.canonical().to_owned()) };
            changes.push((clause.to_owned(), function));
        }
    }
    Ok(changes)
}

/// `(name 'value', …)` of something new.
pub fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    for (clause, value) in option_changes(reader)? {
        clauses.say_named(&clause, value.unwrap_or_default());
    }
    Ok(())
}

/// `(ADD name 'value', SET name 'value', DROP name)`, ADD being what is meant if nothing is said.
pub fn option_changes(reader: &mut Reader<'_>) -> Parsed<Changes> {
    let mut changes = Changes::new();
    reader.expect_symbol("(")?;
    while !reader.sees_symbol(")") {
        // An option may be called as one of these words.
        let named = reader.peek_at(1).is_some_and(|token| token.kind == TokenKind::Text);
        let goes = !named && reader.take(&["DROP"]);
        let _ = !named && !goes && (reader.take(&["ADD"]) || reader.take(&["SET"]));
        let key = identifier(reader, "an option's name")?;
        let value = match reader.peek() {
            _ if goes => None,
            Some(token) if token.kind == TokenKind::Text => {
                reader.position += 1;
                Some(super::identifier_of(token, reader.text))
            }
            _ => return Err(reader.expected("a text")),
        };
        if SHOWN.contains(&key.to_lowercase().as_str()) {
            changes.push((format!("options.{key}"), value));
        } else if !goes {
            changes.push((clause::LEFT_OUT.of(&key).name().into(), Some(String::new())));
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(changes)
}

/// What a clause begins with that only says that an option is left out.

/// The options that may stand in snapshots and scripts: those of the wrappers that come with the server
/// (<https://www.postgresql.org/docs/current/postgres-fdw.html>, <https://www.postgresql.org/docs/current/file-fdw.html>,
/// <https://www.postgresql.org/docs/current/libpq-connect.html#LIBPQ-PARAMKEYWORDS>), and names that say where something is. Any
/// other may hold a secret.
#[rustfmt::skip]
const SHOWN: &[&str] = &[
    "address", "analyze_sampling", "application_name", "async_capable", "batch_size", "bucket", "catalog", "channel_binding", "charset",
    "client_encoding", "collection", "column", "column_name", "connect_timeout", "database", "db", "dbname", "dbserver",
    "default", "delimiter", "directory", "encoding", "endpoint", "engine", "escape", "extensions", "fdw_startup_cost", "fdw_tuple_cost",
    "fetch_size", "filename", "force_not_null", "force_null", "force_quote", "format", "gssencmode", "gsslib", "header", "host",
    "hostaddr", "hostname", "import_collate", "import_default", "import_generated", "import_not_null", "keep_connections",
    "keepalives", "keepalives_count", "keepalives_idle", "keepalives_interval", "krbsrvname", "layer", "load_balance_hosts",
    "log_verbosity", "max_scan_size", "namespace", "null", "on_error", "parallel_abort", "parallel_commit", "password_required", "path",
    "port", "prefetch", "quote", "readonly", "region", "reject_limit", "require_auth", "requirepeer", "restrict_functions", "schema",
    "schema_name", "server", "servername", "service", "sslcert", "sslcompression", "sslcrl", "sslcrldir", "sslmode",
    "sslnegotiation", "sslrootcert", "sslsni", "ssl_max_protocol_version", "ssl_min_protocol_version", "table", "table_name",
    "tablename", "target_session_attrs", "tcp_user_timeout", "truncatable", "updatable", "use_remote_estimate",
    "use_scram_passthrough", "user", "username",
];

/// Takes the words about options that are left out from an object, and says so.
pub fn left_out(object: &mut Object, place: Location, diagnostics: &mut Vec<Diagnostic>) {
    let key = object.key();
    let clauses: Vec<&mut Clauses> = match &mut object.definition {
        Definition::Table(table) => {
            let columns = table.columns.iter_mut().map(|column| &mut column.clauses);
            columns.chain([&mut table.clauses]).collect()
        }
        Definition::Plain(plain) => vec![&mut plain.clauses],
        _ => return,
    };
    for clauses in clauses {
        let found: Vec<String> = clauses.members(clause::LEFT_OUT).map(|(option, _)| option.to_owned()).collect();
        for option in found {
            clauses.remove(clause::LEFT_OUT.of(&option));
            let message = format!("option `{option}` of {key} is left out: its value may be a secret");
            diagnostics.push(
                Diagnostic::new(Code::WV012, message)
                    .at(place, "has the option")
                    .help("it is neither compared nor changed; set it in the database by hand"),
            );
        }
    }
}

/// Makes the changes.
pub fn change(clauses: &mut Clauses, changes: &[(String, Option<String>)]) {
    for (clause, value) in changes.iter().filter(|(clause, _)| !clause::LEFT_OUT.has(clause)) {
        match value {
            Some(value) => clauses.say_named(clause, value.as_str()),
            None => drop(clauses.remove_named(clause)),
        }
    }
}
