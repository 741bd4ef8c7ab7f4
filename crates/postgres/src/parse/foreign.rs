//! CREATE and ALTER of foreign-data wrappers, servers and user mappings
//! (<https://www.postgresql.org/docs/current/ddl-foreign-data.html>). Options that are secrets are not kept.

use super::access::{Subject, set_clauses};
use super::{identifier, names, plain, reference, text_or_null};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Object};
use wevrun_core::parse::{Parsed, Reader, StatementKind, TokenKind};
use wevrun_core::source::Location;

/// The text after CREATE FOREIGN DATA WRAPPER or CREATE SERVER.
pub fn object(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "a name")?);
    let mut clauses = Clauses::default();
    changes(reader, kind)?.apply(&mut clauses);
    Ok(plain(reader, kind, name, None, clauses))
}

/// The text after CREATE USER MAPPING.
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

/// The text after ALTER of a wrapper, a server or a user mapping, and its name.
pub fn alter(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let changes = without_left_out(changes(reader, subject.kinds[0])?);
    Ok(vec![set_clauses(subject, if_exists, changes)])
}

/// The clauses that such an object can have, to the end of the statement.
fn changes(reader: &mut Reader<'_>, kind: Kind) -> Parsed<ClauseChanges> {
    let mut changes = ClauseChanges::default();
    let is_server = kind == Kind::Server;
    while !reader.at_end() {
        if reader.take(&["OPTIONS"]) {
            read_options(reader, &mut changes)?;
        } else if is_server && reader.take(&["FOREIGN", "DATA", "WRAPPER"]) {
            changes.set_text(clause::WRAPPER, names::quoted(&identifier(reader, "a wrapper's name")?));
        } else if is_server && reader.take(&["TYPE"]) {
            changes.change(clause::TYPE, text_or_null(reader)?.map(Expression::plain));
        } else if is_server && reader.take(&["VERSION"]) {
            changes.change(clause::VERSION, text_or_null(reader)?.map(Expression::plain));
        } else if kind != Kind::ForeignDataWrapper {
            return Err(reader.expected("`OPTIONS`"));
        } else {
            let is_removed = reader.take(&["NO"]);
            let key = if reader.take(&["HANDLER"]) {
                clause::HANDLER
            } else {
                reader.expect("VALIDATOR")?;
                clause::VALIDATOR
            };
            let function = if is_removed { None } else { Some(reference(reader, "a function's name")?) };
            changes.change(key, function.map(|function| Expression::plain(function.canonical())));
        }
    }
    Ok(changes)
}

/// `(name 'value', …)` of something new.
pub fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    let mut changes = ClauseChanges::default();
    read_options(reader, &mut changes)?;
    changes.apply(clauses);
    Ok(())
}

/// Changes of the options of something that is there.
pub fn option_changes(reader: &mut Reader<'_>) -> Parsed<ClauseChanges> {
    let mut changes = ClauseChanges::default();
    read_options(reader, &mut changes)?;
    Ok(without_left_out(changes))
}

/// The changes without what only says that an option is left out.
fn without_left_out(changes: ClauseChanges) -> ClauseChanges {
    changes.filter(|clause| !clause::LEFT_OUT.has(clause))
}

/// `(ADD name 'value', SET name 'value', DROP name)`, ADD being what is meant by default.
fn read_options(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    reader.expect_symbol("(")?;
    while !reader.sees_symbol(")") {
        // An option may be called as one of these words.
        let named = reader.peek_at(1).is_some_and(|token| token.kind == TokenKind::Text);
        let is_removed = !named && reader.take(&["DROP"]);
        let _ = !named && !is_removed && (reader.take(&["ADD"]) || reader.take(&["SET"]));
        let key = identifier(reader, "an option's name")?;
        let value = match reader.peek() {
            _ if is_removed => None,
            Some(token) if token.kind == TokenKind::Text => {
                reader.position += 1;
                Some(super::identifier_of(token, reader.text))
            }
            _ => return Err(reader.expected("a text")),
        };
        if SHOWN.contains(&key.to_lowercase().as_str()) {
            changes.change(clause::OPTIONS.of(&key), value.map(Expression::plain));
        } else if !is_removed {
            changes.set_text(clause::LEFT_OUT.of(&key), "");
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")
}

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
