//! CREATE INDEX, VIEW, TRIGGER and VIRTUAL TABLE.

use std::ops::Range;

use super::super::canonical::expression;
use super::super::names;
use super::{a_name, name_list};
use crate::tokens::Rules;
use wevrun_core::model::{
    Beside, Clauses, Event, Index, IndexPart, Name, QualifiedName, Timing, Trigger, View, VirtualTable,
};
use wevrun_core::parse::{ColumnSpans, Parsed, Reader, TokenKind, token};

/// The rest of CREATE INDEX, after the name (<https://sqlite.org/lang_createindex.html>).
pub fn index(reader: &mut Reader<'_>, unique: bool) -> Parsed<Index> {
    reader.expect("ON")?;
    let table = QualifiedName::plain(a_name(reader, "the table's name")?);
    let list = reader.parenthesised()?;
    let mut parts = Vec::new();
    for item in split(reader, list.clone(), ",") {
        if item.is_empty() {
            reader.position = item.start;
            return Err(reader.expected("a column or an expression"));
        }
        parts.push(index_part(reader, item));
    }
    let mut predicate = None;
    if reader.take(&["WHERE"]) {
        let rest = reader.position..reader.tokens.len();
        if rest.is_empty() {
            return Err(reader.expected("a condition"));
        }
        predicate = Some(expression(reader, rest.clone()));
        reader.position = rest.end;
    }
    Ok(Index { table, unique, parts, predicate, clauses: Clauses::default() })
}

fn index_part(reader: &Reader<'_>, item: Range<usize>) -> IndexPart {
    let is = |at: usize, word: &str| item.contains(&at) && reader.tokens[at].is_word(reader.text, word);
    let mut end = item.end;
    let descending = end > item.start + 1 && is(end - 1, "DESC");
    if descending || (end > item.start + 1 && is(end - 1, "ASC")) {
        end -= 1;
    }
    let mut collation = None;
    if end > item.start + 2 && is(end - 2, "COLLATE") {
        collation = Some(super::names::object_name(&super::unquoted(reader.tokens[end - 1], reader.text)));
        end -= 2;
    }
    let collation = collation.filter(|name| name.canonical() != "binary");
    let mut part = IndexPart {
        expression: expression(reader, item.start..end),
        collation,
        descending,
        clauses: Clauses::default(),
    };
    // A string in the place of a column is a column: CREATE INDEX i ON t ('a').
    if let [token] = &reader.tokens[item.start..end]
        && token.kind == TokenKind::Text
    {
        let name = super::unquoted(*token, reader.text);
        part.expression = wevrun_core::model::Expression::new(name.to_ascii_lowercase(), &super::names::quoted(&name));
    }
    part
}

/// The token ranges between the separators at the top level of a range.
fn split(reader: &Reader<'_>, range: Range<usize>, separator: &str) -> Vec<Range<usize>> {
    let mut items = Vec::new();
    let (mut depth, mut start) = (0, range.start);
    for at in range.clone() {
        let token = reader.tokens[at];
        if token.is_symbol(reader.text, "(") {
            depth += 1;
        } else if token.is_symbol(reader.text, ")") {
            depth -= 1;
        } else if depth == 0 && token.is_symbol(reader.text, separator) {
            items.push(start..at);
            start = at + 1;
        }
    }
    items.push(start..range.end);
    items
}

/// The rest of CREATE VIEW, after the name (<https://sqlite.org/lang_createview.html>).
pub fn view(reader: &mut Reader<'_>) -> Parsed<View> {
    let columns = if reader.sees_symbol("(") { name_list(reader, "a column's name")? } else { Vec::new() };
    reader.expect("AS")?;
    if !["SELECT", "VALUES", "WITH"].iter().any(|word| reader.sees(word)) {
        return Err(reader.expected("a query"));
    }
    let range = reader.position..reader.tokens.len();
    balanced(reader, range.clone())?;
    reader.position = range.end;
    Ok(View { columns, query: expression(reader, range), clauses: Clauses::default(), unpopulated: Beside(false) })
}

/// The rest of CREATE TRIGGER, after the name (<https://sqlite.org/lang_createtrigger.html>).
pub fn trigger(reader: &mut Reader<'_>) -> Parsed<Trigger> {
    let timing = if reader.take(&["AFTER"]) {
        Timing::After
    } else if reader.take(&["INSTEAD"]) {
        reader.expect("OF")?;
        Timing::InsteadOf
    } else {
        reader.take(&["BEFORE"]);
        Timing::Before
    };
    let event = if reader.take(&["INSERT"]) {
        Event::Insert
    } else if reader.take(&["DELETE"]) {
        Event::Delete
    } else if reader.take(&["UPDATE"]) {
        Event::Update
    } else {
        return Err(reader.expected("`INSERT`, `UPDATE` or `DELETE`"));
    };
    let mut columns = Vec::new();
    if event == Event::Update && reader.take(&["OF"]) {
        columns.push(a_name(reader, "a column's name")?);
        while reader.take_symbol(",") {
            columns.push(a_name(reader, "a column's name")?);
        }
    }
    reader.expect("ON")?;
    let mut table = a_name(reader, "the name of a table or view")?;
    if reader.take_symbol(".") {
        table = a_name(reader, "the name of a table or view")?;
    }
    reader.take(&["FOR", "EACH", "ROW"]);
    let condition_start = reader.position + 1;
    let has_condition = reader.take(&["WHEN"]);
    let mut depth = 0;
    while let Some(token) = reader.peek() {
        depth += i32::from(token.is_symbol(reader.text, "(")) - i32::from(token.is_symbol(reader.text, ")"));
        if !has_condition || (depth == 0 && reader.sees("BEGIN")) {
            break;
        }
        reader.position += 1;
    }
    let condition_end = reader.position;
    reader.expect("BEGIN")?;
    let start = reader.position;
    let end = reader.tokens.len().saturating_sub(1);
    let closed = end > start
        && reader.tokens[end].is_word(reader.text, "END")
        && reader.tokens[end - 1].is_symbol(reader.text, ";");
    if !closed {
        reader.position = reader.tokens.len();
        let mut diagnostic = reader.expected("`END` after the last `;` of the trigger's body");
        diagnostic.help.push("a trigger is closed by `END;`, and each statement in it ends with `;`".to_owned());
        return Err(diagnostic);
    }
    for statement in split(reader, start..end - 1, ";") {
        balanced(reader, statement)?;
    }
    reader.position = end + 1;
    let condition = has_condition.then(|| expression(reader, condition_start..condition_end));
    let table = QualifiedName::plain(table);
    Ok(Trigger { table, timing, event, columns, condition, body: expression(reader, start..end) })
}

/// The rest of CREATE VIRTUAL TABLE, after the name (<https://sqlite.org/lang_createvtab.html>).
pub fn virtual_table(reader: &mut Reader<'_>) -> Parsed<(VirtualTable, Option<ColumnSpans>)> {
    reader.expect("USING")?;
    let module = a_name(reader, "a module's name")?;
    let mut arguments = Vec::new();
    let mut spans = None;
    if reader.sees_symbol("(") {
        let list = reader.parenthesised()?;
        let (open, close) = (reader.tokens[list.start - 1].start, reader.tokens[list.end].start);
        let mut columns = Vec::new();
        for item in split(reader, list, ",") {
            let first = reader.tokens.get(item.start).filter(|_| !item.is_empty());
            let is_column = first.is_some_and(|first| matches!(first.kind, TokenKind::Word | TokenKind::Quoted));
            if let Some(first) = first.filter(|_| is_column) {
                columns.push((names::name(&names::unquoted(*first, reader.text)), first.start));
            }
            arguments.push(argument(reader, item));
        }
        spans = Some(ColumnSpans { open, close, columns });
        // `USING m()` has one argument, the empty one, and means `USING m`.
        arguments.retain(|argument| !argument.is_empty());
    }
    Ok((VirtualTable { module, arguments }, spans))
}

/// The columns that the arguments of a virtual table name; an option has `=`.
pub fn virtual_columns(table: &VirtualTable) -> Vec<Name> {
    let column = |argument: &String| {
        let (tokens, _) = token::tokenize(&Rules, argument, 0);
        let mut tokens =
            tokens.iter().filter(|token| token.kind != TokenKind::Comment && !token.is_symbol(argument, "+"));
        let first = tokens.next().filter(|first| matches!(first.kind, TokenKind::Word | TokenKind::Quoted))?;
        let is_option = tokens.next().is_some_and(|next| next.is_symbol(argument, "="));
        (!is_option).then(|| names::name(&names::unquoted(*first, argument)))
    };
    table.arguments.iter().filter_map(column).collect()
}

/// A module's argument, with one blank for any white space, and none around `=`. Elsewhere a blank may mean something to the
/// module: `+label` is an auxiliary column of an R-Tree, `+ label` is not.
fn argument(reader: &Reader<'_>, item: Range<usize>) -> String {
    let mut out = String::new();
    let mut end = None;
    for token in &reader.tokens[item] {
        let text = token.text(reader.text);
        if end.is_some_and(|end| end != token.start) && text != "=" && !out.ends_with('=') {
            out.push(' ');
        }
        out.push_str(text);
        end = Some(token.end);
    }
    out
}

/// Every parenthesis of the range has its partner in it.
fn balanced(reader: &Reader<'_>, range: Range<usize>) -> Parsed<()> {
    let mut open = Vec::new();
    for at in range {
        if reader.tokens[at].is_symbol(reader.text, "(") {
            open.push(at);
        } else if reader.tokens[at].is_symbol(reader.text, ")") && open.pop().is_none() {
            let reader = Reader { position: at, ..reader.clone() };
            let mut diagnostic = reader.expected("something else");
            diagnostic.code = wevrun_core::diagnostics::Code::WV003;
            diagnostic.message = "this parenthesis was never opened".to_owned();
            return Err(diagnostic);
        }
    }
    match open.last() {
        Some(at) => Reader { position: *at, ..reader.clone() }.parenthesised().map(drop),
        None => Ok(()),
    }
}
