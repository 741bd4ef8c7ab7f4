//! PostgreSQL's statement grammar (<https://www.postgresql.org/docs/current/sql-commands.html>).

mod access;
mod alter;
mod alter_table;
mod comments;
mod constraints;
mod create;
mod do_block;
mod foreign;
mod grants;
mod identity;
mod objects;
mod operators;
mod policy;
mod replication;
mod routine;
pub mod rows;
mod sequences;
mod table;
mod text_search;

use crate::clause;
use std::ops::Range;

use super::names;
use super::types;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Name, Object, Plain, QualifiedName, is};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, Token, TokenKind};

pub use objects::canonical_type;

/// The meaning of a statement.
pub fn statement(
    mut reader: Reader<'_>,
    comments: &[Token],
    session: &mut Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let Some(first) = reader.take_any().filter(|token| token.kind == TokenKind::Word) else {
        return Err(unplaced(&reader));
    };
    let note = |code: Code, message: String, runs_code: bool| {
        let diagnostic = Diagnostic::new(code, message).at(whole, "left out of the snapshot");
        Ok(vec![StatementKind::Aside { note: Box::new(diagnostic), temporary: None, runs_code }])
    };
    let word = first.text(reader.text).to_ascii_uppercase();
    match word.as_str() {
        "CREATE" => {
            let mut made = create::create(reader, comments, session, diagnostics)?;
            made.iter_mut().for_each(|kind| {
                if let StatementKind::Create { object, .. } = kind {
                    apply_defaults(&mut object.definition, session);
                    grants::apply_granted(object, session);
                }
            });
            Ok(made)
        }
        "ALTER" => alter::alter(reader, session),
        "DROP" => alter::drop_objects(reader, session),
        "COMMENT" => access::comment(reader, session),
        "GRANT" | "REVOKE" => grants::privileges(reader, session, word == "GRANT"),
        "SECURITY" if reader.take(&["LABEL"]) => access::label(reader, session),
        "SET" => {
            settings(&mut reader, session);
            Ok(vec![StatementKind::Session])
        }
        "SELECT" | "VALUES" | "WITH" if sets_search_path(&reader, session) => Ok(vec![StatementKind::Session]),
        "INSERT" | "UPDATE" | "DELETE" | "SELECT" | "WITH" | "VALUES" | "COPY" | "MERGE" | "TRUNCATE" | "REFRESH"
        | "TABLE" | "CALL" => {
            let runs_code = matches!(&*word, "SELECT" | "WITH" | "VALUES" | "CALL");
            note(Code::WV007, format!("{word} is about rows, so it is no part of the schema"), runs_code)
        }
        "DO" => match do_block::statements(&reader) {
            Some(statements) => of_block(&reader, &statements, comments, session, diagnostics),
            None => note(Code::WV010, "what this DO block does can't be known without running it".to_owned(), true),
        },
        "RESET" | "BEGIN" | "START" | "COMMIT" | "END" | "ROLLBACK" | "ABORT" | "SAVEPOINT" | "RELEASE" | "ANALYZE"
        | "ANALYSE" | "VACUUM" | "REINDEX" | "CLUSTER" | "CHECKPOINT" | "LOCK" | "DISCARD" | "SHOW" | "EXPLAIN"
        | "LOAD" | "LISTEN" | "NOTIFY" | "UNLISTEN" | "PREPARE" | "EXECUTE" | "DEALLOCATE" | "DECLARE" | "FETCH"
        | "CLOSE" | "MOVE" | "IMPORT" | "REASSIGN" => Ok(vec![StatementKind::Session]),
        _ => Err(unplaced(&reader)),
    }
}

/// What the statements of a DO block say. Each is about what need not be made if it is there already.
fn of_block(
    reader: &Reader<'_>,
    statements: &[Vec<Token>],
    comments: &[Token],
    session: &mut Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let mut kinds = Vec::new();
    for tokens in statements {
        let inner = Reader { tokens, position: 0, ..reader.clone() };
        kinds.extend(statement(inner, comments, session, diagnostics)?);
    }
    Ok(kinds.into_iter().map(|kind| StatementKind::IfMissing(Box::new(kind))).collect())
}

/// The statement kinds, for "did you mean".
const FIRST_WORDS: &[&str] = &[
    "CREATE", "ALTER", "DROP", "COMMENT", "GRANT", "REVOKE", "INSERT", "UPDATE", "DELETE", "SELECT", "SET", "BEGIN",
    "COMMIT", "COPY", "DO",
];

fn unplaced(reader: &Reader<'_>) -> Box<Diagnostic> {
    let text = reader.tokens[0].text(reader.text);
    let shown = &text[..text.floor_char_boundary(40)];
    Box::new(
        Diagnostic::new(Code::WV004, format!("no statement of PostgreSQL begins with `{shown}`"))
            .at(reader.location(0..1), "not a statement")
            .suggest(shown, FIRST_WORDS.iter().copied()),
    )
}

/// `SET search_path = a, b`: where names without a schema are looked for from here on; and what new objects have unless they
/// say it.
fn settings(reader: &mut Reader<'_>, session: &mut Session) {
    let _ = reader.take(&["SESSION"]) || reader.take(&["LOCAL"]);
    for (setting, clause, usual) in
        [("DEFAULT_TABLESPACE", "tablespace", "pg_default"), ("DEFAULT_TABLE_ACCESS_METHOD", "using", "heap")]
    {
        if reader.take(&[setting]) && (reader.take_symbol("=") || reader.take(&["TO"])) {
            let value = reader.take_any().map(|token| identifier_of(token, reader.text)).unwrap_or_default();
            if matches!(value.as_str(), "" | "default") || value == usual {
                session.defaults.remove(clause);
            } else {
                session.defaults.insert(clause.into(), value.into());
            }
            return;
        }
    }
    if !reader.take(&["SEARCH_PATH"]) || !(reader.take_symbol("=") || reader.take(&["TO"])) {
        return;
    }
    let words: Vec<String> = reader.tokens[reader.position..]
        .iter()
        .filter(|token| !token.is_symbol(reader.text, ","))
        .map(|token| identifier_of(*token, reader.text))
        .collect();
    set_path(session, words);
}

/// Says what the session's settings say of an object that does not say it itself.
fn apply_defaults(definition: &mut Definition, session: &Session) {
    let say = |clauses: &mut Clauses, clause: &str| {
        if let Some(value) = session.defaults.get(clause).filter(|_| !clauses.has_named(clause)) {
            clauses.set_text_named(clause, value.as_str());
        }
    };
    match definition {
        Definition::Table(table) if !table.clauses.has(is::SERVER) => {
            if !table.clauses.has(clause::PARTITION_BY) {
                say(&mut table.clauses, "using");
            }
            say(&mut table.clauses, "tablespace");
            let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut()).map(|key| &mut key.clauses);
            keys.chain(table.exclusions.iter_mut().map(|check| &mut check.clauses))
                .for_each(|clauses| say(clauses, "tablespace"));
        }
        Definition::View(view) if view.clauses.has(is::MATERIALIZED) => {
            say(&mut view.clauses, "using");
            say(&mut view.clauses, "tablespace");
        }
        Definition::Index(index) => say(&mut index.clauses, "tablespace"),
        _ => {}
    }
}

fn set_path(session: &mut Session, schemas: Vec<String>) {
    let listed =
        schemas.into_iter().filter(|schema| !matches!(schema.as_str(), "pg_catalog" | "$user" | "default" | ""));
    session.path = listed.map(Into::into).collect();
}

/// `SELECT pg_catalog.set_config('search_path', '…', false)`, as dumps have it.
fn sets_search_path(reader: &Reader<'_>, session: &mut Session) -> bool {
    let texts: Vec<Token> = reader.tokens.iter().filter(|token| token.kind == TokenKind::Text).copied().collect();
    let calls = reader.tokens.iter().any(|token| token.is_word(reader.text, "set_config"));
    let [name, value, ..] = &texts[..] else { return calls };
    if calls && name.text(reader.text) == "'search_path'" {
        let value = value.text(reader.text).trim_matches('\'').to_owned();
        set_path(session, value.split(',').map(|part| part.trim().trim_matches('"').to_owned()).collect());
    }
    calls
}

/// The identifier that a token means: a word in lower case, what stands in double quotes, or the text of a constant.
pub fn identifier_of(token: Token, text: &str) -> String {
    match token.kind {
        TokenKind::Quoted => names::unquoted(token.text(text)),
        TokenKind::Text => super::tokens::string_value(token.text(text)).unwrap_or_default(),
        _ => names::folded(token.text(text)),
    }
}

/// An identifier, which must come next.
pub fn identifier(reader: &mut Reader<'_>, what: &str) -> Parsed<String> {
    match reader.peek() {
        Some(token) if matches!(token.kind, TokenKind::Word | TokenKind::Quoted) => {
            reader.position += 1;
            Ok(identifier_of(token, reader.text))
        }
        _ => Err(reader.expected(what)),
    }
}

/// `a.b.c`, which must come next.
fn path(reader: &mut Reader<'_>, what: &str) -> Parsed<Vec<String>> {
    let mut path = vec![identifier(reader, what)?];
    while reader.take_symbol(".") {
        path.push(identifier(reader, what)?);
    }
    Ok(path)
}

/// The name of something that is created or changed here: without a schema, it is in the first one of the search path.
fn own_name(reader: &mut Reader<'_>, session: &Session, what: &str) -> Parsed<QualifiedName> {
    let path = path(reader, what)?;
    Ok(in_schema(path, session))
}

fn in_schema(mut path: Vec<String>, session: &Session) -> QualifiedName {
    let name = path.pop().expect("a path has a part");
    let schema = path.pop().unwrap_or_else(|| first_schema(session).to_owned());
    names::qualified(&schema, &name)
}

fn first_schema(session: &Session) -> &str {
    session.path.first().map_or("public", |schema| schema.as_str())
}

/// The name of something that exists elsewhere: without a schema, it is looked up once everything is known.
fn reference(reader: &mut Reader<'_>, what: &str) -> Parsed<QualifiedName> {
    let path = path(reader, what)?;
    Ok(reference_of(&path))
}

fn reference_of(path: &[String]) -> QualifiedName {
    match path {
        [.., schema, name] => names::qualified(schema, name),
        [name] => names::global(name),
        [] => QualifiedName::plain(Name::none()),
    }
}

/// `(a, b, …)` of columns, which must come next.
fn column_list(reader: &mut Reader<'_>) -> Parsed<Vec<Name>> {
    reader.expect_symbol("(")?;
    let mut names = vec![names::simple(&identifier(reader, "a column's name")?)];
    while reader.take_symbol(",") {
        names.push(names::simple(&identifier(reader, "a column's name")?));
    }
    reader.expect_symbol(")")?;
    Ok(names)
}

/// An expression as it is written; it becomes canonical when the whole schema is known.
fn expression(reader: &Reader<'_>, range: Range<usize>) -> Expression {
    let mut inner = without_parentheses(reader, range.clone());
    if inner != range && !is_plain_expression(reader, inner.clone()) {
        inner = inner.start - 1..inner.end + 1;
    }
    Expression::plain(reader.written(inner))
}

/// Whether it is an expression without parentheses around it, as a query and a row of values are not.
fn is_plain_expression(reader: &Reader<'_>, range: Range<usize>) -> bool {
    let is_query =
        ["SELECT", "WITH", "VALUES", "TABLE"].iter().any(|word| reader.tokens[range.start].is_word(reader.text, word));
    let mut depth = 0;
    let is_row = reader.tokens[range].iter().any(|token| {
        let is = |symbol: &str| token.is_symbol(reader.text, symbol);
        depth += i32::from(is("(") || is("[")) - i32::from(is(")") || is("]"));
        depth == 0 && is(",")
    });
    !is_query && !is_row
}

/// The range without parentheses around all of it.
fn without_parentheses(reader: &Reader<'_>, mut range: Range<usize>) -> Range<usize> {
    while range.len() > 2 && reader.tokens[range.start].is_symbol(reader.text, "(") {
        let mut depth = 0;
        let closing = range.clone().find(|index| {
            let token = reader.tokens[*index];
            depth += i32::from(token.is_symbol(reader.text, "(")) - i32::from(token.is_symbol(reader.text, ")"));
            depth == 0
        });
        if closing != Some(range.end - 1) {
            break;
        }
        range = range.start + 1..range.end - 1;
    }
    range
}

/// The tokens up to one at which `ends` says so, outside parentheses, brackets and CASE; at least one.
fn run(reader: &mut Reader<'_>, what: &str, ends: impl Fn(&Reader<'_>) -> bool) -> Parsed<Range<usize>> {
    let start = reader.position;
    let mut depth = 0i32;
    while let Some(token) = reader.peek() {
        let text = token.text(reader.text);
        let closes = matches!(text, ")" | "]") || (depth > 0 && token.is_word(reader.text, "END"));
        if depth == 0 && (closes || text == "," || (reader.position > start && ends(reader))) {
            break;
        }
        depth += i32::from(matches!(text, "(" | "[") || token.is_word(reader.text, "CASE")) - i32::from(closes);
        reader.position += 1;
    }
    if reader.position == start { Err(reader.expected(what)) } else { Ok(start..reader.position) }
}

/// The rest of the statement, which must not be empty.
fn rest(reader: &mut Reader<'_>, what: &str) -> Parsed<Range<usize>> {
    if reader.at_end() {
        return Err(reader.expected(what));
    }
    let range = reader.position..reader.tokens.len();
    reader.position = range.end;
    Ok(range)
}

/// Tokens with one blank between any two, keywords and names without quotes in lower case: what is kept whole.
fn normalised(reader: &Reader<'_>, range: Range<usize>) -> String {
    let tokens = &reader.tokens[range];
    let words: Vec<String> = tokens
        .iter()
        .map(|token| {
            let text = token.text(reader.text);
            match token.kind {
                TokenKind::Word => names::folded(text),
                TokenKind::Quoted => names::quoted(&names::unquoted(text)),
                TokenKind::Text => {
                    super::tokens::string_value(text).map_or_else(|| text.to_owned(), |v| super::tokens::literal(&v))
                }
                _ => text.to_owned(),
            }
        })
        .collect();
    let mut out = String::new();
    for (index, word) in words.iter().enumerate() {
        let tight = matches!(word.as_str(), ")" | "," | "." | "]" | "[")
            || index > 0 && matches!(words[index - 1].as_str(), "(" | "." | "[" | "::")
            || word == "::"
            || index > 0
                && matches!(words[index - 1].as_str(), "-" | "+")
                && word.starts_with(|first: char| first.is_ascii_digit() || first == '.')
                && (index == 1 || matches!(words[index - 2].as_str(), "=" | "(" | "," | "to"));
        // What the tokenizer took for two operators is one, if nothing stands between.
        let operator = |index: usize| {
            let text = tokens[index].text(reader.text);
            tokens[index].kind == TokenKind::Symbol && text.chars().all(|ch| "+-*/<>=~!@#%^&|`?".contains(ch))
        };
        let one = index > 0 && operator(index) && operator(index - 1) && tokens[index - 1].end == tokens[index].start;
        if index > 0 && !tight && !one {
            out.push(' ');
        }
        out.push_str(word);
    }
    out
}

fn whole(reader: &Reader<'_>, range: Range<usize>) -> Expression {
    Expression::new(normalised(reader, range.clone()), reader.written(range))
}

/// `(key = value, key)`, which must come next. Keys are in lower case; a key without a value has none.
fn definitions(reader: &mut Reader<'_>) -> Parsed<Vec<(String, Option<Expression>)>> {
    reader.expect_symbol("(")?;
    let mut found = Vec::new();
    while !reader.sees_symbol(")") {
        let mut key = path(reader, "an option's name")?.join(".");
        // Types are given here and there by a word of their own: LIKE = integer.
        key.make_ascii_lowercase();
        let value = if reader.take_symbol("=") {
            let range = run(reader, "a value", |_| false)?;
            let text = value_text(reader, range);
            const TYPES: [&str; 8] =
                ["subtype", "stype", "stype1", "mstype", "basetype", "leftarg", "rightarg", "element"];
            let is_type = TYPES.contains(&key.as_str()) && !text.eq_ignore_ascii_case("none");
            Some(Expression::plain(if is_type { canonical_type(&text) } else { text }))
        } else {
            None
        };
        found.push((key, value));
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(found)
}

/// A value of an option: constants as their text, everything else as it is.
fn value_text(reader: &Reader<'_>, range: Range<usize>) -> String {
    match &reader.tokens[range.clone()] {
        [token] if token.kind == TokenKind::Text => identifier_of(*token, reader.text),
        // An operator's name, which no grammar cuts right.
        tokens if tokens.iter().all(|token| token.kind == TokenKind::Symbol) => reader.written(range).to_owned(),
        _ => normalised(reader, range),
    }
}

/// Storage parameters, each a clause of its own: `with.fillfactor`.
fn storage_parameters(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    for (key, value) in definitions(reader)? {
        // Dumps of old versions say so of every table; since version 12 there is nothing else.
        if key == "oids"
            && value.as_ref().is_some_and(|value| matches!(value.canonical.as_str(), "false" | "off" | "0"))
        {
            continue;
        }
        clauses.set(clause::WITH.of(&key), value.unwrap_or_else(|| Expression::plain("true")));
    }
    Ok(())
}

/// `USING method`, `TABLESPACE name` and the like: the identifier after a keyword, if it is there.
fn after_keyword(reader: &mut Reader<'_>, keyword: &[&str], what: &str) -> Parsed<Option<String>> {
    if reader.take(keyword) { identifier(reader, what).map(Some) } else { Ok(None) }
}

/// A text constant, which must come next; NULL gives none.
fn text_or_null(reader: &mut Reader<'_>) -> Parsed<Option<String>> {
    match reader.peek() {
        Some(token) if token.kind == TokenKind::Text => {
            reader.position += 1;
            let mut text = identifier_of(token, reader.text);
            // Constants on several lines are one: https://www.postgresql.org/docs/current/sql-syntax-lexical.html
            while let Some(next) = reader.peek().filter(|next| next.kind == TokenKind::Text) {
                reader.position += 1;
                text.push_str(&identifier_of(next, reader.text));
            }
            Ok(Some(text))
        }
        Some(token) if token.is_word(reader.text, "NULL") => {
            reader.position += 1;
            Ok(None)
        }
        _ => Err(reader.expected("a text")),
    }
}

/// A type's name as an expression that remembers how it was written.
fn data_type(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let start = reader.position;
    let canonical = types::type_name(reader)?;
    Ok(Expression::new(canonical, reader.written(start..reader.position)))
}

/// An object of this statement.
fn object(reader: &Reader<'_>, name: QualifiedName, definition: Definition) -> Object {
    let location = reader.location(0..reader.tokens.len());
    let text = reader.text[location.range()].to_owned();
    Object { text, location: Some(location), ..Object::new(name, definition) }
}

fn plain(
    reader: &Reader<'_>,
    kind: Kind,
    name: QualifiedName,
    owner: Option<QualifiedName>,
    clauses: Clauses,
) -> Object {
    object(reader, name, Definition::Plain(Plain { kind, owner, clauses }))
}

/// The schema that every database has, of which only who may do what is kept.
fn public_schema() -> Object {
    let definition = Definition::Plain(Plain { kind: Kind::Schema, owner: None, clauses: Clauses::default() });
    Object::new(names::global("public"), definition)
}

/// The name that a CREATE statement tries to give, even if the rest can't be read.
pub fn created_name(tokens: &[Token], text: &str) -> Option<QualifiedName> {
    let mut reader = Reader { text, tokens, position: 0, source: 0 };
    reader.take(&["CREATE"]).then_some(())?;
    reader.take(&["OR", "REPLACE"]);
    const BEFORE: [&str; 9] =
        ["UNLOGGED", "TEMP", "TEMPORARY", "UNIQUE", "MATERIALIZED", "FOREIGN", "RECURSIVE", "GLOBAL", "LOCAL"];
    while BEFORE.iter().any(|word| reader.take(&[word])) {}
    reader.take_any()?;
    reader.take(&["CONCURRENTLY"]);
    reader.take(&["IF", "NOT", "EXISTS"]);
    own_name(&mut reader, &Session::default(), "a name").ok()
}
