//! ALTER (<https://mariadb.com/kb/en/alter-table/>).

use std::sync::Arc;

use wevrun_core::change::Change;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Kind, Name, QualifiedName};
use wevrun_core::parse::{Alter, Parsed, Reader, Session, StatementKind, TokenKind};

use super::column::{check, column, definition};
use super::keys::{self, foreign_key};
use super::options::{self, TableOptions};
use super::{a_name, create, number, own_name, partitions, programs, sequence, word};
use crate::canonical::defaults;
use crate::change::{AlterPlain, AlterTable, Position, TableAction};
use crate::partitions::{self as single, PartitionChange};
use crate::{clause, names};

/// The rest of ALTER.
pub fn alter(mut reader: Reader<'_>, session: &mut Session) -> Parsed<Vec<StatementKind>> {
    let head = create::head(&mut reader)?;
    reader.take(&["ONLINE"]);
    reader.take(&["IGNORE"]);
    let whole = reader.location(0..reader.tokens.len());
    let kind = reader.take_any().map(|token| token.text(reader.text).to_ascii_uppercase()).unwrap_or_default();
    match kind.as_str() {
        "TABLE" => table(reader, session),
        "VIEW" => {
            // It replaces the whole view.
            let name = names::of(Kind::View, own_name(&mut reader, session, "a view")?);
            let view = super::view::view(&mut reader, &head, session)?;
            let mut object = wevrun_core::model::Object::new(name, wevrun_core::model::Definition::View(view));
            object.text =
                format!("CREATE OR REPLACE {}", &reader.text[reader.location(1..reader.tokens.len()).range()]);
            object.location = Some(whole);
            Ok(vec![StatementKind::Create { object: Box::new(object), if_not_exists: false, or_replace: true }])
        }
        "SEQUENCE" => {
            let if_exists = reader.take(&["IF", "EXISTS"]);
            let name = names::of(Kind::Sequence, own_name(&mut reader, session, "a sequence")?);
            let mut clauses = Default::default();
            sequence::options(&mut reader, &mut clauses)?;
            reader.finish()?;
            Ok(vec![changed(
                Kind::Sequence,
                name,
                if_exists,
                Change::Engine(Arc::new(AlterPlain { clauses, removed: Vec::new() })),
            )])
        }
        "PROCEDURE" | "FUNCTION" => {
            let kind = if kind == "FUNCTION" { Kind::Function } else { Kind::Procedure };
            let name = names::of(kind, own_name(&mut reader, session, "a routine")?);
            let mut clauses = Default::default();
            while programs::characteristic(&mut reader, &mut clauses)? {}
            reader.finish()?;
            Ok(vec![changed(kind, name, false, Change::Engine(Arc::new(AlterPlain { clauses, removed: Vec::new() })))])
        }
        "EVENT" => event(reader, session),
        "DATABASE" | "SCHEMA" => {
            if reader.peek().is_some_and(|token| matches!(token.kind, TokenKind::Quoted))
                || !["CHARACTER", "CHARSET", "COLLATE", "DEFAULT", "COMMENT"].iter().any(|word| reader.sees(word))
            {
                super::name_parts(&mut reader, "a database")?;
            }
            create::database_options(&mut reader, session)?;
            Ok(vec![StatementKind::Session])
        }
        "USER" | "ROLE" | "SERVER" => {
            let message = format!("ALTER {kind} is about the server, so it is no part of the schema");
            let note = Diagnostic::new(Code::WV007, message).at(whole, "left out of the snapshot");
            Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false }])
        }
        _ => {
            reader.position -= 1;
            Err(reader.expected("`TABLE`, `VIEW`, `SEQUENCE`, `PROCEDURE`, `FUNCTION`, `EVENT` or `DATABASE`"))
        }
    }
}

fn changed(kind: Kind, name: QualifiedName, if_exists: bool, change: Change) -> StatementKind {
    StatementKind::Alter(Box::new(Alter { kinds: vec![kind], name, new_name: None, if_exists, change }))
}

fn event(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    let name = names::of(Kind::Event, own_name(&mut reader, session, "an event")?);
    let mut clauses = wevrun_core::model::Clauses::default();
    let mut removed = Vec::new();
    loop {
        if reader.take(&["ENABLE"]) {
            removed.push("status");
        } else if reader.take(&["DISABLE"]) {
            clauses.set(clause::STATUS, "disable".to_owned());
        } else if reader.take(&["ON", "COMPLETION", "NOT", "PRESERVE"]) {
            removed.push("on completion");
        } else if reader.take(&["ON", "COMPLETION", "PRESERVE"]) {
            clauses.set(clause::ON_COMPLETION, "preserve".to_owned());
        } else if reader.take(&["COMMENT"]) {
            clauses.set(clause::COMMENT, super::text_literal(&mut reader)?);
        } else if reader.at_end() {
            break;
        } else {
            return Err(
                reader.expected("`ENABLE`, `DISABLE`, `ON COMPLETION` or `COMMENT`; replace the event for the rest")
            );
        }
    }
    Ok(vec![changed(Kind::Event, name, false, Change::Engine(Arc::new(AlterPlain { clauses, removed })))])
}

/// `WAIT n` and `NOWAIT`.
pub fn wait(reader: &mut Reader<'_>) -> Parsed<()> {
    if reader.take(&["WAIT"]) {
        number(reader)?;
    }
    reader.take(&["NOWAIT"]);
    Ok(())
}

fn table(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let mut name = names::of(Kind::Table, own_name(&mut reader, session, "a table")?);
    wait(&mut reader)?;
    let mut actions = Vec::new();
    let mut renamed = None;
    loop {
        if reader.take(&["RENAME"]) && !reader.sees("COLUMN") && !reader.sees("INDEX") && !reader.sees("KEY") {
            let _ = reader.take(&["TO"]) || reader.take(&["AS"]) || reader.take_symbol("=");
            renamed = Some(names::of(Kind::Table, own_name(&mut reader, session, "the new name")?));
        } else {
            action(&mut reader, session, &mut actions)?;
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    if reader.sees("PARTITION") {
        actions.push(TableAction::PartitionBy(partitions::clause(&mut reader)?));
    }
    reader.finish()?;
    let mut kinds = Vec::new();
    // Keys with names are objects of their own: nothing else of the table changes with them.
    let is_new_key = |action: &TableAction| matches!(action, TableAction::AddKey { key, .. } if key.name.is_some());
    if actions.iter().all(is_new_key) {
        for action in std::mem::take(&mut actions) {
            let TableAction::AddKey { key, if_not_exists, or_replace } = action else { continue };
            let mut object = key.index(&name, key.name.as_ref().map_or("", |name| name.written()));
            object.location = Some(whole);
            kinds.push(StatementKind::Create { object: Box::new(object), if_not_exists, or_replace });
        }
    }
    if !actions.is_empty() {
        let change = AlterTable { actions, database_collation: super::database_collation(session) };
        kinds.push(changed(Kind::Table, name.clone(), if_exists, Change::Engine(Arc::new(change))));
    }
    if let Some(to) = renamed {
        kinds.push(StatementKind::Alter(Box::new(Alter {
            kinds: vec![Kind::Table, Kind::View],
            name: std::mem::replace(&mut name, to.clone()),
            new_name: Some(to.clone()),
            if_exists,
            change: Change::Rename(to),
        })));
    }
    Ok(kinds)
}

/// DROP INDEX `PRIMARY`.
pub fn drop_primary(table: QualifiedName, if_exists: bool, session: &Session) -> StatementKind {
    let actions = vec![TableAction::DropPrimary];
    let change = AlterTable { actions, database_collation: super::database_collation(session) };
    changed(Kind::Table, table, if_exists, Change::Engine(Arc::new(change)))
}

fn position(reader: &mut Reader<'_>) -> Parsed<Option<Position>> {
    if reader.take(&["FIRST"]) {
        return Ok(Some(Position::First));
    }
    if reader.take(&["AFTER"]) {
        return Ok(Some(Position::After(a_name(reader, "a column's name")?)));
    }
    Ok(None)
}

/// One clause of ALTER TABLE.
fn action(reader: &mut Reader<'_>, session: &Session, actions: &mut Vec<TableAction>) -> Parsed<()> {
    // RENAME was taken by the caller.
    if reader.position > 0 && reader.tokens[reader.position - 1].is_word(reader.text, "RENAME") {
        let is_column = reader.take(&["COLUMN"]);
        let _ = is_column || reader.take(&["INDEX"]) || reader.take(&["KEY"]);
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let from = a_name(reader, "the present name")?;
        reader.expect("TO")?;
        let to = a_name(reader, "the new name")?;
        actions.push(if is_column {
            TableAction::RenameColumn { from, to }
        } else {
            TableAction::RenameKey { from, to, if_exists }
        });
        return Ok(());
    }
    if reader.take(&["ADD"]) {
        return add(reader, session, actions);
    }
    if reader.take(&["MODIFY"]) {
        reader.take(&["COLUMN"]);
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let spec = column(reader)?;
        let position = position(reader)?;
        actions.push(TableAction::Modify { from: spec.name().clone(), spec: Box::new(spec), position, if_exists });
    } else if reader.take(&["CHANGE"]) {
        reader.take(&["COLUMN"]);
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let from = a_name(reader, "the column's name")?;
        let to = a_name(reader, "the new name")?;
        let spec = definition(reader, to)?;
        let position = position(reader)?;
        actions.push(TableAction::Modify { from, spec: Box::new(spec), position, if_exists });
    } else if reader.take(&["ALTER"]) {
        if reader.take(&["INDEX"]) || reader.take(&["KEY"]) {
            let key = a_name(reader, "the index's name")?;
            let not = reader.take(&["NOT"]);
            reader.expect("IGNORED")?;
            actions.push(TableAction::Ignored { key, ignored: !not });
            return Ok(());
        }
        reader.take(&["COLUMN"]);
        reader.take(&["IF", "EXISTS"]);
        let column = a_name(reader, "the column's name")?;
        if reader.take(&["DROP", "DEFAULT"]) {
            actions.push(TableAction::Default { column, default: None });
        } else {
            reader.expect("SET")?;
            reader.expect("DEFAULT")?;
            let default = defaults::read(reader)?;
            actions.push(TableAction::Default { column, default: Some(default) });
        }
    } else if reader.take(&["DROP"]) {
        drop(reader, actions)?;
    } else if reader.take(&["CONVERT", "TO"]) {
        let _ = reader.take(&["CHARACTER", "SET"]) || reader.take(&["CHARSET"]);
        let character_set = word(reader, "a character set")?.to_ascii_lowercase();
        let collation = if reader.take(&["COLLATE"]) {
            reader.take_symbol("=");
            Some(word(reader, "a collation")?.to_ascii_lowercase())
        } else {
            None
        };
        let options = TableOptions { character_set: Some(character_set), collation, ..TableOptions::default() };
        actions.push(TableAction::Convert(options));
    } else if reader.take(&["ORDER", "BY"]) {
        // The order of rows is none of the schema.
        super::a_name(reader, "a column's name")?;
        let _ = reader.take(&["ASC"]) || reader.take(&["DESC"]);
    } else if reader.take(&["REMOVE", "PARTITIONING"]) {
        actions.push(TableAction::RemovePartitioning);
    } else if reader.take(&["FORCE"]) || reader.take(&["ENABLE", "KEYS"]) || reader.take(&["DISABLE", "KEYS"]) {
        // About rows only.
    } else if reader.take(&["ALGORITHM"]) || reader.take(&["LOCK"]) {
        reader.take_symbol("=");
        word(reader, "a word")?;
    } else if reader.take(&["REORGANIZE", "PARTITION"]) {
        let names = if reader.at_end() || reader.sees_symbol(",") { Vec::new() } else { partition_names(reader)? };
        let into = if reader.take(&["INTO"]) { single::definitions(reader)? } else { Vec::new() };
        actions.push(TableAction::Partitions(PartitionChange::Reorganize { names, into }));
    } else if reader.take(&["COALESCE", "PARTITION"]) {
        actions.push(TableAction::Partitions(PartitionChange::Coalesce(count(reader)?)));
    } else if ABOUT_ROWS.iter().any(|word| reader.sees(word)) {
        // Nothing else can be in the statement.
        reader.position = reader.tokens.len();
    } else if reader.take(&["CONVERT"]) {
        return Err(Box::new(
            Diagnostic::new(Code::WV004, "the table that a partition becomes can't be read from a source")
                .at(reader.location(reader.position - 1..reader.position), "not read")
                .help("write the partitions that the table has after it into its CREATE TABLE, and the other table by itself"),
        ));
    } else {
        let mut options = TableOptions::default();
        // A comma begins the next clause.
        while options::option(reader, &mut options)? {}
        let is_said = options.engine.is_some()
            || options.has_collation()
            || options.comment.is_some()
            || options.versioned
            || !options.others.is_empty();
        if is_said {
            actions.push(TableAction::Options(options));
        } else if !reader.at_end() && !reader.sees_symbol(",") && !reader.sees("PARTITION") {
            return Err(reader.expected("a clause of ALTER TABLE"));
        }
    }
    Ok(())
}

/// Changes of partitions, and of the files that hold rows, that leave the structure as it is.
const ABOUT_ROWS: [&str; 9] =
    ["EXCHANGE", "ANALYZE", "CHECK", "OPTIMIZE", "REBUILD", "REPAIR", "TRUNCATE", "DISCARD", "IMPORT"];

fn partition_names(reader: &mut Reader<'_>) -> Parsed<Vec<String>> {
    let mut found = vec![a_name(reader, "a partition's name")?.written().to_owned()];
    while reader.take_symbol(",") {
        found.push(a_name(reader, "a partition's name")?.written().to_owned());
    }
    Ok(found)
}

fn count(reader: &mut Reader<'_>) -> Parsed<u64> {
    let number = number(reader)?;
    number.parse().map_err(|_| reader.expected("a number of partitions"))
}

fn add(reader: &mut Reader<'_>, session: &Session, actions: &mut Vec<TableAction>) -> Parsed<()> {
    let start = reader.position;
    let mut name: Option<Name> = None;
    let is_constraint = reader.take(&["CONSTRAINT"]);
    let begins = |reader: &Reader<'_>| ["PRIMARY", "UNIQUE", "FOREIGN", "CHECK"].iter().any(|word| reader.sees(word));
    if is_constraint && !begins(reader) {
        reader.take(&["IF", "NOT", "EXISTS"]);
        name = Some(a_name(reader, "the constraint's name")?);
    }
    if reader.take(&["CHECK"]) {
        actions.push(TableAction::AddCheck(check(reader, name)?));
        return Ok(());
    }
    if reader.take(&["FOREIGN", "KEY"]) {
        let mut key = foreign_key(reader, name)?;
        key.parent = super::without_own_database(&key.parent, session);
        actions.push(TableAction::AddForeignKey(key));
        return Ok(());
    }
    if reader.take(&["SYSTEM", "VERSIONING"]) {
        actions.push(TableAction::Versioning(true));
        return Ok(());
    }
    if reader.take(&["PARTITION"]) {
        let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
        let change = if reader.take(&["PARTITIONS"]) {
            PartitionChange::AddNumber(count(reader)?)
        } else {
            PartitionChange::Add { definitions: single::definitions(reader)?, if_not_exists }
        };
        actions.push(TableAction::Partitions(change));
        return Ok(());
    }
    if reader.take(&["PERIOD"]) {
        let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
        reader.expect("FOR")?;
        let period = a_name(reader, "the period's name")?;
        let columns = super::name_list(reader, "a column's name")?;
        actions.push(TableAction::AddPeriod { period, columns, if_not_exists });
        return Ok(());
    }
    let is_quoted = reader.peek().is_some_and(|token| token.kind == TokenKind::Quoted);
    if !is_quoted && let Some(kind) = keys::kind(reader) {
        let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
        let key = keys::key(reader, kind, name)?;
        actions.push(TableAction::AddKey { key, if_not_exists, or_replace: false });
        return Ok(());
    }
    if is_constraint {
        reader.position = start + 1;
        return Err(reader.expected("a constraint"));
    }
    reader.take(&["COLUMN"]);
    let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
    let open = reader.sees_symbol("(");
    reader.position += usize::from(open);
    loop {
        let spec = column(reader)?;
        let position = position(reader)?;
        actions.push(TableAction::AddColumn { spec: Box::new(spec), position, if_not_exists });
        if !open || !reader.take_symbol(",") {
            break;
        }
    }
    if open {
        reader.expect_symbol(")")?;
    }
    Ok(())
}

fn drop(reader: &mut Reader<'_>, actions: &mut Vec<TableAction>) -> Parsed<()> {
    if reader.take(&["PRIMARY", "KEY"]) {
        actions.push(TableAction::DropPrimary);
        return Ok(());
    }
    if reader.take(&["SYSTEM", "VERSIONING"]) {
        actions.push(TableAction::Versioning(false));
        return Ok(());
    }
    if reader.take(&["PARTITION"]) {
        let if_exists = reader.take(&["IF", "EXISTS"]);
        let names = partition_names(reader)?;
        actions.push(TableAction::Partitions(PartitionChange::Drop { names, if_exists }));
        return Ok(());
    }
    if reader.take(&["PERIOD"]) {
        reader.take(&["IF", "EXISTS"]);
        reader.expect("FOR")?;
        actions.push(TableAction::DropPeriod(a_name(reader, "the period's name")?));
        return Ok(());
    }
    let what: fn(Name, bool) -> TableAction = if reader.take(&["FOREIGN", "KEY"]) {
        |name, if_exists| TableAction::DropForeignKey { name, if_exists }
    } else if reader.take(&["CONSTRAINT"]) {
        |name, if_exists| TableAction::DropConstraint { name, if_exists }
    } else if reader.take(&["INDEX"]) || reader.take(&["KEY"]) {
        |name, if_exists| TableAction::DropKey { name, if_exists }
    } else {
        reader.take(&["COLUMN"]);
        |name, if_exists| TableAction::DropColumn { name, if_exists }
    };
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let name = a_name(reader, "a name")?;
    let _ = reader.take(&["RESTRICT"]) || reader.take(&["CASCADE"]);
    actions.push(what(name, if_exists));
    Ok(())
}
