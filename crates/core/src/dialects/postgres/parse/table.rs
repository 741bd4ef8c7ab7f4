//! CREATE TABLE.

use super::super::canonical;
use super::super::sameness::Constraint;
use super::super::split_list;
use super::constraints::{
    self, Found, check, constraint_name, key_of, references, sees_table_constraint, table_constraint,
};
use super::{
    after_keyword, data_type, expression, foreign_options, identifier, normalised, object, own_name, path, reference,
    reference_of, run, storage_parameters,
};
use super::{names, objects};
use crate::model::{
    Beside, Check, Clauses, Column, Definition, Expression, Generated, Key, Name, Object, OnConflict, Table, Unordered,
    is,
};
use crate::parse::{Parsed, Reader, Session, TokenKind};

/// Where the columns of a CREATE TABLE stand, for the comments on them.
#[derive(Default)]
pub struct ColumnSpans {
    /// Byte of the opening parenthesis.
    pub open: u32,
    /// Byte of the closing one.
    pub close: u32,
    /// Each column, and the byte at which it begins.
    pub columns: Vec<(Name, u32)>,
}

/// What follows `CREATE [FOREIGN] TABLE [IF NOT EXISTS]`: the table, and the sequences of its serial columns.
pub fn table(reader: &mut Reader<'_>, session: &Session, foreign: bool) -> Parsed<(Vec<Object>, ColumnSpans)> {
    let name = own_name(reader, session, "the table's name")?;
    let mut table = Table::default();
    let mut found = Found::default();
    let mut spans = ColumnSpans::default();
    if reader.take(&["PARTITION", "OF"]) {
        table.clauses.say("partition of", own_name(reader, session, "the parent's name")?.canonical());
        if reader.sees_symbol("(") {
            elements(reader, &mut table, &mut found, &mut spans, true)?;
        }
        table.clauses.set("bound", bound(reader)?);
    } else if reader.take(&["OF"]) {
        table.clauses.say("of", reference(reader, "a composite type")?.canonical());
        if reader.sees_symbol("(") {
            elements(reader, &mut table, &mut found, &mut spans, true)?;
        }
    } else if reader.sees_symbol("(") {
        elements(reader, &mut table, &mut found, &mut spans, false)?;
    } else {
        return Err(reader.expected("`(`"));
    }
    if reader.take(&["INHERITS"]) {
        reader.expect_symbol("(")?;
        let mut parents = vec![own_name(reader, session, "a parent's name")?.canonical().to_owned()];
        while reader.take_symbol(",") {
            parents.push(own_name(reader, session, "a parent's name")?.canonical().to_owned());
        }
        reader.expect_symbol(")")?;
        table.clauses.say("inherits", parents.join(", "));
    }
    if foreign {
        reader.expect("SERVER")?;
        table.clauses.say(is::SERVER, names::quoted(&identifier(reader, "a server's name")?));
        if reader.take(&["OPTIONS"]) {
            foreign_options(reader, &mut table.clauses)?;
        }
    }
    options(reader, &mut table.clauses)?;
    take_constraints(&mut table, found);
    // A new table has no rows that could break a rule.
    table.columns.iter_mut().for_each(|column| drop(column.clauses.remove("not null not valid")));
    merge_keys(&mut table);
    settle(&name, &mut table);
    let sequences = serial_columns(reader, &name, &mut table);
    let mut objects = vec![object(reader, name, Definition::Table(table))];
    objects.extend(sequences);
    Ok((objects, spans))
}

/// What follows the elements, in any order.
fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    loop {
        if reader.take(&["PARTITION", "BY"]) {
            let start = reader.position;
            reader.take_any();
            reader.parenthesised()?;
            clauses.set("partition by", partition_key(reader, start));
        } else if let Some(method) = after_keyword(reader, &["USING"], "a table access method")? {
            if method != "heap" {
                clauses.say("using", method);
            }
        } else if reader.take(&["WITHOUT", "OIDS"]) || reader.take(&["ON", "COMMIT", "PRESERVE", "ROWS"]) {
        } else if reader.take(&["WITH"]) {
            if reader.take(&["OIDS"]) {
                continue;
            }
            storage_parameters(reader, clauses)?;
        } else if let Some(space) = after_keyword(reader, &["TABLESPACE"], "a tablespace")? {
            if space != "pg_default" {
                clauses.say("tablespace", space);
            }
        } else {
            return Ok(());
        }
    }
}

/// `RANGE (a, lower(b))`: the strategy in upper case, as the server writes it.
fn partition_key(reader: &Reader<'_>, start: usize) -> Expression {
    let range = start..reader.position;
    let text = normalised(reader, range.clone());
    let (strategy, key) = text.split_once(' ').unwrap_or((&text, ""));
    Expression::new(format!("{} {key}", strategy.to_uppercase()), reader.written(range))
}

/// `FOR VALUES …` or DEFAULT.
pub fn bound(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let start = reader.position;
    if reader.take(&["DEFAULT"]) {
        return Ok(Expression::plain("DEFAULT"));
    }
    reader.expect("FOR")?;
    reader.expect("VALUES")?;
    let (from, words): (usize, &str) = (reader.position, "FOR VALUES");
    let _ = if reader.take(&["IN"]) || reader.take(&["WITH"]) {
        reader.parenthesised()?
    } else {
        reader.expect("FROM")?;
        reader.parenthesised()?;
        reader.expect("TO")?;
        reader.parenthesised()?
    };
    let text = normalised(reader, from..reader.position);
    let upper = text
        .replace("from (", "FROM (")
        .replace(") to (", ") TO (")
        .replace("minvalue", "MINVALUE")
        .replace("maxvalue", "MAXVALUE");
    let upper = with_plain_moments(&upper);
    let upper = upper.strip_prefix("in ").map(|rest| format!("IN {rest}")).unwrap_or(upper);
    let upper = upper.strip_prefix("with ").map(|rest| format!("WITH {rest}")).unwrap_or(upper);
    Ok(Expression::new(format!("{words} {upper}"), reader.written(start..reader.position)))
}

/// Moments stand at UTC, midnight says nothing, and a number is a number with quotes and without.
fn with_plain_moments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for (index, piece) in text.split('\'').enumerate() {
        if index % 2 == 0 {
            out.push_str(piece);
            continue;
        }
        let moment = canonical::constant("timestamp with time zone", piece);
        let moment = moment.as_deref().unwrap_or(piece);
        let day = moment.strip_suffix("+00").unwrap_or(moment);
        let day = day.strip_suffix(" 00:00:00").unwrap_or(day);
        let number = piece.parse::<u64>().is_ok_and(|number| number.to_string() == piece);
        out.push_str(&if number { piece.to_owned() } else { format!("'{day}'") });
    }
    out
}

/// `( column …, constraint …, LIKE … )`.
fn elements(
    reader: &mut Reader<'_>,
    table: &mut Table,
    found: &mut Found,
    spans: &mut ColumnSpans,
    typed: bool,
) -> Parsed<()> {
    spans.open = reader.peek().map_or(0, |token| token.start);
    reader.expect_symbol("(")?;
    let mut copied = 0;
    while !reader.sees_symbol(")") {
        let start = reader.peek().map_or(0, |token| token.start);
        if sees_table_constraint(reader) {
            table_constraint(reader, found)?;
        } else if reader.sees("LIKE") && !typed {
            reader.take(&["LIKE"]);
            let from = reference(reader, "a table's name")?;
            let what = like_options(reader);
            // The position, so that the columns come where they were written.
            table.clauses.say(&format!("like {copied}"), format!("{from}|{what}|{}", table.columns.len()));
            copied += 1;
        } else {
            let column = column(reader, found, typed)?;
            spans.columns.push((column.name.clone(), start));
            table.columns.push(column);
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    spans.close = reader.peek().map_or(u32::MAX, |token| token.start);
    reader.expect_symbol(")")
}

/// INCLUDING and EXCLUDING, as the words that are included.
fn like_options(reader: &mut Reader<'_>) -> String {
    const ALL: [&str; 9] = [
        "comments",
        "compression",
        "constraints",
        "defaults",
        "generated",
        "identity",
        "indexes",
        "statistics",
        "storage",
    ];
    let mut included: Vec<&str> = Vec::new();
    loop {
        let including = reader.take(&["INCLUDING"]);
        if !including && !reader.take(&["EXCLUDING"]) {
            return included.join(" ");
        }
        let word = reader.take_any().map_or("", |token| token.text(reader.text)).to_ascii_lowercase();
        let words: Vec<&str> = ALL.into_iter().filter(|option| word == "all" || word == *option).collect();
        included.retain(|option| !words.contains(option));
        if including {
            included.extend(words);
        }
    }
}

/// Whether a column's constraint begins here, so that an expression before it ends.
fn sees_column_constraint(reader: &Reader<'_>) -> bool {
    const WORDS: [&str; 13] = [
        "CONSTRAINT",
        "NULL",
        "CHECK",
        "UNIQUE",
        "PRIMARY",
        "REFERENCES",
        "DEFAULT",
        "GENERATED",
        "COLLATE",
        "DEFERRABLE",
        "INITIALLY",
        "STORAGE",
        "COMPRESSION",
    ];
    WORDS.iter().any(|word| reader.sees(word))
        || (reader.sees("NOT")
            && ["NULL", "DEFERRABLE", "VALID", "ENFORCED"].iter().any(|word| reader.sees_at(1, word)))
}

/// One column with its constraints; those that the model keeps with the table go to `found`.
pub fn column(reader: &mut Reader<'_>, found: &mut Found, typed: bool) -> Parsed<Column> {
    let mut column = Column::named(names::simple(&identifier(reader, "a column's name")?));
    if typed && (reader.take(&["WITH", "OPTIONS"]) || sees_column_constraint(reader)) {
    } else {
        column.data_type = Some(data_type(reader)?);
    }
    loop {
        if reader.take(&["OPTIONS"]) {
            foreign_options(reader, &mut column.clauses)?;
            continue;
        }
        if !sees_column_constraint(reader) {
            return Ok(column);
        }
        let name = constraint_name(reader)?;
        let own = vec![column.name.clone()];
        if reader.take(&["NOT", "NULL"]) {
            constraints::not_null(reader, column.name.clone(), name)?.apply(&mut column);
        } else if reader.take(&["NULL"]) {
        } else if reader.take(&["CHECK"]) {
            found.constraints.checks.push(check(reader, name)?);
        } else if reader.take(&["DEFAULT"]) {
            let range = run(reader, "an expression", sees_column_constraint)?;
            column.default = Some(expression(reader, range));
        } else if reader.take(&["GENERATED"]) {
            generated(reader, &mut column)?;
        } else if reader.take(&["UNIQUE"]) {
            let distinct = constraints::nulls_not_distinct(reader);
            let mut key = key_of(name, own);
            constraints::key_parameters(reader, &mut key.clauses)?;
            if distinct {
                key.clauses.say("nulls not distinct", "");
            }
            found.constraints.unique_keys.push(key);
        } else if reader.take(&["PRIMARY", "KEY"]) {
            let mut key = key_of(name, own);
            constraints::key_parameters(reader, &mut key.clauses)?;
            found.constraints.primary_keys.push(key);
        } else if reader.sees("REFERENCES") {
            found.constraints.foreign_keys.push(references(reader, name, own)?);
        } else if reader.take(&["COLLATE"]) {
            column.collation = collation(&path(reader, "a collation's name")?);
        } else if let Some(storage) = after_keyword(reader, &["STORAGE"], "a storage mode")? {
            column.clauses.say("storage", storage);
        } else if let Some(method) = after_keyword(reader, &["COMPRESSION"], "a compression method")? {
            if method != "default" {
                column.clauses.say("compression", method);
            }
        } else {
            return Err(reader.expected("a column constraint"));
        }
    }
}

/// A collation's name; the database's own is no collation of the column's.
pub fn collation(path: &[String]) -> Option<Name> {
    match path {
        [only] if only == "default" => None,
        [schema, only] if schema == "pg_catalog" && only == "default" => None,
        [schema, only] if schema == "pg_catalog" => Some(names::global(only)),
        path => Some(reference_of(path)),
    }
}

/// What follows GENERATED.
pub fn generated(reader: &mut Reader<'_>, column: &mut Column) -> Parsed<()> {
    let by_default = reader.take(&["BY", "DEFAULT"]);
    if !by_default {
        reader.expect("ALWAYS")?;
    }
    reader.expect("AS")?;
    if reader.take(&["IDENTITY"]) {
        column.clauses.say("identity", if by_default { "by default" } else { "always" });
        column.not_null = Some(OnConflict::Abort);
        if reader.sees_symbol("(") {
            let inner = reader.parenthesised()?;
            let mut options = Reader { tokens: &reader.tokens[inner], position: 0, ..reader.clone() };
            let mut clauses = Clauses::default();
            objects::sequence_options(&mut options, &mut clauses)?;
            options.finish()?;
            set_identity_options(column, clauses);
        }
    } else {
        let inner = reader.parenthesised()?;
        let expression = expression(reader, inner);
        // Version 18 computes them when they are read, if nothing else is said.
        let stored = reader.take(&["STORED"]);
        reader.take(&["VIRTUAL"]);
        column.generated = Some(Generated { expression, stored });
    }
    Ok(())
}

/// The options of an identity column's sequence, each a clause of the column: `identity.start`.
pub fn set_identity_options(column: &mut Column, mut options: Clauses) {
    let bigint = Expression::plain("bigint");
    let data_type = column.data_type.as_ref().unwrap_or(&bigint).canonical.clone();
    objects::settle_sequence(&mut options, &data_type);
    options.remove("as");
    for (name, value) in options.iter() {
        column.clauses.set(&format!("identity.{name}"), value.clone());
    }
}

/// Puts what was found into the table's lists.
pub fn take_constraints(table: &mut Table, found: Found) {
    let Found { constraints, exclusions, not_null } = found;
    table.primary_key = constraints.primary_keys.into_iter().next().or(table.primary_key.take());
    table.unique_keys.extend(constraints.unique_keys);
    table.checks.extend(constraints.checks);
    table.foreign_keys.extend(constraints.foreign_keys);
    table.exclusions.extend(exclusions);
    for column in table.columns.iter_mut() {
        not_null.iter().for_each(|constraint| constraint.apply(column));
    }
}

/// Keys of one statement that say the same are one key, which takes the first name that is given
/// (`transformIndexConstraints()` of parse_utilcmd.c).
fn merge_keys(table: &mut Table) {
    let mut kept: Vec<Key> = table.primary_key.take().into_iter().collect();
    let has_primary = !kept.is_empty();
    for key in std::mem::take(&mut table.unique_keys).iter() {
        match kept.iter_mut().find(|prior| prior.says_what(key)) {
            Some(prior) if !prior.name.is_given() => prior.name = key.name.clone(),
            Some(_) if !key.name.is_given() => {}
            _ => kept.push(key.clone()),
        }
    }
    let mut kept = kept.into_iter();
    table.primary_key = if has_primary { kept.next() } else { None };
    table.unique_keys.extend(kept);
}

/// Gives constraints without a name the one that the server makes up, and says of key columns that they are NOT NULL.
///
/// The name of a CHECK depends on the columns that it names, which a child may have from a parent that is not known yet:
/// [`settle_checks`] follows then.
pub fn settle(name: &Name, table: &mut Table) {
    settle_keys(name, table);
    let incomplete = ["inherits", "partition of", "of", "like 0"].iter().any(|clause| table.clauses.has(clause));
    if !incomplete {
        settle_checks(name, table);
    }
}

/// The names in use among the constraints of a table.
fn taken_names(table: &Table) -> Vec<String> {
    let given = |name: &Name| name.is_given().then(|| name.canonical().to_owned());
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name);
    let names = keys.chain(table.foreign_keys.iter().map(|key| &key.name));
    let named = table.checks.iter().chain(table.exclusions.iter()).filter_map(|check| check.name.as_ref());
    names.chain(named).filter_map(given).collect()
}

/// Gives CHECKs without a name the one that the server makes up.
pub fn settle_checks(name: &Name, table: &mut Table) {
    let own = names::identifier(name);
    let mut taken = taken_names(table);
    for check in table.checks.iter_mut().filter(|check| check.name.is_none()) {
        let used = mentioned(&table.columns, &check.condition);
        let columns = if let [only] = &used[..] { only.canonical() } else { "" };
        let made_up = names::first_free(&own, columns, "check", |name| taken.iter().any(|other| other == name));
        check.name = Some(names::simple(&made_up));
        taken.push(made_up);
    }
}

fn settle_keys(name: &Name, table: &mut Table) {
    let own = names::identifier(name);
    let key_columns: Vec<Name> =
        table.primary_key.iter().flat_map(|key| key.parts.iter().map(|part| part.column.clone())).collect();
    for column in table.columns.iter_mut() {
        if key_columns.contains(&column.name) {
            column.not_null = Some(OnConflict::Abort);
        }
        let usual = names::made_up(&own, column.name.canonical(), "not_null");
        column.not_null_name = Beside(column.not_null_name.0.take().filter(|name| name.canonical() != usual));
    }
    let mut taken = taken_names(table);
    let mut free = |columns: &str, label: &str| {
        let name = names::first_free(&own, columns, label, |name| taken.iter().any(|other| other == name));
        taken.push(name.clone());
        names::simple(&name)
    };
    if let Some(key) = table.primary_key.as_mut().filter(|key| !key.name.is_given()) {
        key.name = match key.clauses.remove("using index") {
            Some(index) => names::simple(&index.canonical),
            None => free("", "pkey"),
        };
    }
    for key in table.unique_keys.iter_mut().filter(|key| !key.name.is_given()) {
        let columns = key.parts.iter().map(|part| part.column.canonical().to_owned());
        let included = included(&key.clauses);
        let columns: Vec<String> = columns.chain(included).collect();
        key.name = free(&names::addition(columns.iter().map(String::as_str)), "key");
    }
    for check in table.exclusions.iter_mut().filter(|check| check.name.is_none()) {
        let columns = exclusion_columns(check);
        check.name = Some(free(&names::addition(columns.iter().map(String::as_str)), "excl"));
    }
    for key in table.foreign_keys.iter_mut().filter(|key| !key.name.is_given()) {
        key.name = free(&names::addition(key.columns.iter().map(Name::canonical)), "fkey");
    }
}

fn included(clauses: &Clauses) -> Vec<String> {
    clauses.value("include").map_or_else(Vec::new, |list| list.split(", ").map(names::unquoted).collect())
}

fn exclusion_columns(check: &Check) -> Vec<String> {
    let text = &check.condition.canonical;
    let inner = text.split_once('(').map_or("", |(_, rest)| rest.strip_suffix(')').unwrap_or(rest));
    split_list(inner)
        .iter()
        .map(|element| {
            if element.starts_with('(') {
                return "expr".to_owned();
            }
            let word = element.split([' ', '(']).next().unwrap_or_default();
            names::unquoted(word.rsplit('.').next().unwrap_or(word))
        })
        .chain(included(&check.clauses))
        .collect()
}

/// The columns that an expression names, each once.
pub fn mentioned<'c>(columns: &'c Unordered<Column>, expression: &Expression) -> Vec<&'c Name> {
    let (tokens, _) = crate::parse::token::tokenize(super::super::tokens::rules(), expression.written(), 0);
    let text = expression.written();
    let identifiers: Vec<String> = tokens
        .iter()
        .enumerate()
        .filter(|(index, token)| {
            let next = tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, "(") || next.is_symbol(text, "."));
            let cast = *index > 0 && tokens[index - 1].is_symbol(text, "::");
            matches!(token.kind, TokenKind::Word | TokenKind::Quoted) && !next && !cast
        })
        .map(|(_, token)| super::identifier_of(*token, text))
        .collect();
    columns
        .iter()
        .map(|column| &column.name)
        .filter(|name| identifiers.iter().any(|id| id == name.canonical()))
        .collect()
}

/// `serial` is a column with a sequence of its own (<https://www.postgresql.org/docs/current/datatype-numeric.html#DATATYPE-SERIAL>).
pub fn serial_columns(reader: &Reader<'_>, table_name: &Name, table: &mut Table) -> Vec<Object> {
    let mut sequences: Vec<Object> = Vec::new();
    let (schema, own) = names::split(table_name);
    for column in table.columns.iter_mut() {
        let data_type = match column.data_type.as_ref().map(|data_type| data_type.canonical.as_str()) {
            Some("serial" | "serial4") => "integer",
            Some("bigserial" | "serial8") => "bigint",
            Some("smallserial" | "serial2") => "smallint",
            _ => continue,
        };
        let made_up = names::made_up(&own, column.name.canonical(), "seq");
        let name = names::qualified(schema.as_deref().unwrap_or("public"), &made_up);
        column.data_type = Some(Expression::plain(data_type));
        column.not_null = Some(OnConflict::Abort);
        column.default =
            Some(Expression::plain(format!("nextval('{}'::regclass)", name.canonical().replace('\'', "''"))));
        let mut clauses = Clauses::from([("owned by", column.name.canonical())]);
        if data_type != "bigint" {
            clauses.say("as", data_type);
        }
        let mut sequence = super::plain(reader, crate::model::Kind::Sequence, name, Some(table_name.clone()), clauses);
        sequence.text.clear();
        sequences.push(sequence);
    }
    sequences
}
