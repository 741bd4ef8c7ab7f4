//! Expressions and queries in one spelling, whether a person wrote them or the server wrote them back.
//!
//! The server keeps a parsed tree and respells it when asked (`ruleutils.c`): operators for keywords, casts where types are
//! coerced, columns with their tables, parentheses everywhere. Both spellings are parsed here and brought to one tree, with the
//! schema known; what remains different is different.

use crate::clause;
use std::borrow::Cow;
use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Mutex;

use sqlparser::ast::{Expr, Query, SetExpr, VisitMut};
use sqlparser::parser::Parser;

use super::super::parse::identifier_of;
use super::super::{names, tokens};
use super::known::Known;
use super::readable::{Readable, is_only, readable};
use super::references::{self, Surroundings};
use super::scope::{Columns, Relation, Scopes};
use super::walk::Walk;
use wevrun_core::model::{
    Clauses, ColumnRead, Definition, Expression, Kind, Name, Object, QualifiedName, Reference, References, Span,
    Unresolved, Usage,
};
use wevrun_core::parse::{Places, Token, TokenKind, token};

/// Nesting that is read; the server's own spelling nests deeply.
const DEPTH: usize = 300;

/// The canonical form of a text.
#[derive(Clone)]
pub struct Spelling {
    /// The text.
    pub text: String,
    /// Whether it is the one spelling of what it means.
    pub sure: bool,
    /// The references of the text that was spelled.
    pub references: References,
    /// Whether the grammar takes the text.
    pub has_tree: bool,
    /// Whether it is known what all its names refer to.
    pub is_resolved: bool,
    /// The surroundings of the references, if the scope keeps them.
    pub around: Surroundings<Span>,
}

impl Spelling {
    /// As an expression that was written so.
    pub fn of(self, written: &str) -> Expression {
        let spelled = if self.sure { Expression::new } else { Expression::unsure };
        let mut expression = spelled(self.text, written);
        expression.references.0 = self.is_resolved.then_some(self.references);
        expression
    }
}

impl Spelling {
    /// That of a text that refers to nothing.
    pub fn certain(text: String) -> Spelling {
        Spelling {
            text,
            sure: true,
            references: References::default(),
            is_resolved: true,
            has_tree: true,
            around: Surroundings::default(),
        }
    }

    /// The spelling of a text that is a part of a longer one, and begins there at this byte.
    pub fn later(self, offset: u32) -> Spelling {
        let around = self.around.placed(|span| Some(span.later(offset)));
        Spelling { references: self.references.later(offset), around, ..self }
    }

    /// One of several, with this between them.
    pub fn joined(parts: impl IntoIterator<Item = Spelling>, between: &str) -> Spelling {
        let (mut texts, mut references, mut whole) = (Vec::new(), Vec::new(), Spelling::certain(String::new()));
        for part in parts {
            texts.push(part.text);
            whole.sure &= part.sure;
            whole.is_resolved &= part.is_resolved;
            whole.has_tree &= part.has_tree;
            references.extend(part.references.iter().cloned());
            whole.around.extend(part.around);
        }
        Spelling { text: texts.join(between), references: references.into_iter().collect(), ..whole }
    }
}

/// What the expressions of one object can name.
pub struct Scope<'k> {
    known: &'k Known,
    /// Where names without a schema are looked for.
    own_schema: String,
    /// Where the object is.
    home_schema: String,
    around: Around,
    /// Whether the columns are recorded that the object reads: those of a table's own expressions are plain in them.
    records_reads: bool,
    /// Whether what is around references is kept.
    keeps_surroundings: bool,
    found: Mutex<Found>,
}

/// What was found while the names of an object were resolved.
#[derive(Default)]
struct Found {
    /// The names that certainly nothing has.
    unresolved: BTreeSet<Unresolved>,
    /// The columns that are read.
    reads: BTreeSet<ColumnRead>,
    /// Whether some text could not be read, or a column could not be resolved.
    is_incomplete: bool,
}

/// Whether an object's expressions may be queries, or hold some.
fn holds_queries(definition: &Definition) -> bool {
    match definition {
        Definition::View(_) => true,
        Definition::Plain(plain) => {
            matches!(plain.kind, Kind::Function | Kind::Procedure | Kind::Rule | Kind::Policy)
        }
        _ => false,
    }
}

/// What stands around an expression of an object.
enum Around {
    Nothing,
    Table(Relation),
    Routine(Relation),
    /// The rows of a rule: the one that is meant if none is named is first.
    Rows([Relation; 2]),
}

impl<'k> Scope<'k> {
    /// The scope of an object's expressions.
    pub fn of(object: &Object, known: &'k Known) -> Scope<'k> {
        let owner = match &object.definition {
            Definition::Table(_) => Some(&object.name),
            Definition::Index(index) => Some(&index.table),
            definition => definition.owner(),
        };
        let columns = |name: &Name| known.columns.get(name.canonical()).cloned();
        let around = match (&object.definition, owner) {
            (Definition::Plain(plain), _) if matches!(plain.kind, Kind::Function | Kind::Procedure) => {
                Around::Routine(Relation::new(names::identifier(&object.name), Some(arguments(&plain.clauses))))
            }
            (Definition::Plain(plain), _) if plain.kind == Kind::Domain => {
                let data_type = plain.clauses.value(clause::AS).map(str::to_owned);
                Around::Table(Relation::new(
                    "value".to_owned(),
                    Some([("value".to_owned(), data_type)].into_iter().collect()),
                ))
            }
            (Definition::Plain(plain), Some(owner)) if matches!(plain.kind, Kind::Rule | Kind::Trigger) => {
                let row = |name: &str| {
                    let row = Relation::new(name.to_owned(), columns(owner)).of(owner.canonical().to_owned());
                    Relation { has_alias: true, ..row }
                };
                let (meant, other) =
                    if plain.clauses.value(clause::ON) == Some("insert") { ("new", "old") } else { ("old", "new") };
                Around::Rows([row(meant), row(other)])
            }
            (_, Some(owner)) => {
                Around::Table(Relation::new(names::identifier(owner), columns(owner)).of(owner.canonical().to_owned()))
            }
            (_, None) => Around::Nothing,
        };
        Scope {
            known,
            own_schema: super::own_schema(object),
            home_schema: super::home_schema(object),
            around,
            records_reads: holds_queries(&object.definition) || object.definition.kind() == Kind::Trigger,
            keeps_surroundings: false,
            found: Mutex::default(),
        }
    }

    /// The same scope, which keeps what is around references.
    pub fn with_surroundings(self) -> Scope<'k> {
        Scope { keeps_surroundings: true, ..self }
    }

    /// The scope of clauses about this table.
    pub fn of_table(&self, table: &QualifiedName) -> Scope<'k> {
        let columns = self.known.columns.get(table.canonical()).cloned();
        let rows = Relation::new(names::identifier(table), columns).of(table.canonical().to_owned());
        let around = Around::Table(rows);
        let (own_schema, home_schema) = (self.own_schema.clone(), self.home_schema.clone());
        Scope {
            around,
            own_schema,
            home_schema,
            known: self.known,
            records_reads: false,
            keeps_surroundings: false,
            found: Mutex::default(),
        }
    }

    /// What the rows of a partitioned table are partitioned by, as far as it is known.
    pub fn partition_key(&self, table: &Name) -> Option<&str> {
        self.known.partition_keys.get(table.canonical()).map(String::as_str)
    }

    /// The type of an expression, if that can be told.
    pub fn type_of(&self, text: &str) -> Option<String> {
        with_room(text, || {
            let mut expression = parse(text, |parser| parser.parse_expr())?;
            let mut walk = self.walk(self.scopes());
            let _ = expression.visit(&mut walk);
            super::infer::type_of(&walk, &expression)
        })
    }

    /// What a publication says of a table: `(columns) WHERE (condition)`, either or neither.
    pub fn published(&self, table: &QualifiedName, text: &str) -> Spelling {
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let condition_at = tokens.iter().position(|token| token.is_word(text, "WHERE"));
        let listed = &tokens[..condition_at.unwrap_or(tokens.len())];
        let is_column = |token: &&Token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted);
        let column = |token: &Token| Reference {
            object: table.clone(),
            column: Some(names::simple(&identifier_of(*token, text))),
            usage: Usage::Reads,
            span: Some(Span { start: token.start, end: token.end }),
        };
        let columns = Spelling {
            references: listed.iter().filter(is_column).map(column).collect(),
            ..Spelling::certain(plain_tokens(listed.last().map_or("", |last| &text[..last.end as usize])).text)
        };
        let Some(at) = condition_at.map(|at| tokens[at].end) else { return columns };
        let condition = self.of_table(table).expression(&text[at as usize..], Some("boolean")).later(at);
        let condition = Spelling { text: format!("where ({})", condition.text), ..condition };
        Spelling::joined([columns, condition], " ")
    }

    /// Tells the object what its expressions name, as far as they were spelled in this scope.
    pub fn record(self, object: &mut Object) {
        let mut found = self.found.into_inner().expect("nothing panics while it is held");
        object.unresolved = std::mem::take(&mut found.unresolved).into_iter().collect();
        if let Definition::Plain(trigger) = &object.definition
            && let (Some(columns), Some(table)) = (trigger.clauses.get(clause::UPDATE_OF), &trigger.owner)
        {
            let read = |column: &Name| ColumnRead { of: table.clone(), column: Some(column.clone()) };
            found.reads.extend(columns.iter().map(read));
        }
        object.reads = (self.records_reads && !found.is_incomplete).then(|| found.reads.into_iter().collect());
    }

    /// The spelling that a walk over a text has made.
    fn spelling(&self, text: String, walk: Walk<'_>, readable: &Readable<'_>) -> Spelling {
        let Walk { seen, around, .. } = walk;
        let places = Places::of(&readable.text);
        let references = references::placed(seen, &places, readable, self.known);
        let around = around.unwrap_or_default();
        let around = around.placed(|span| references::placed_span(span, &places, readable));
        if !walk.unresolved.is_empty() || self.records_reads {
            let mut found = self.found.lock().expect("nothing panics while it is held");
            found.unresolved.extend(walk.unresolved);
            found.is_incomplete |= walk.misses_columns;
            found.reads.extend(references.column_reads().iter().cloned());
        }
        Spelling { text, sure: walk.sure, references, has_tree: true, is_resolved: !walk.misses_columns, around }
    }

    /// A text that can't be parsed: what it names is not known.
    fn unread(&self, text: &str) -> Spelling {
        self.found.lock().expect("nothing panics while it is held").is_incomplete = true;
        plain_tokens(text)
    }

    pub(super) fn walk(&self, scopes: Scopes) -> Walk<'_> {
        let mut walk = Walk::new(self.known, (&self.own_schema, &self.home_schema), scopes);
        walk.around = self.keeps_surroundings.then(Surroundings::default);
        walk
    }

    pub(super) fn scopes(&self) -> Scopes {
        match &self.around {
            Around::Nothing => Scopes::empty(),
            Around::Table(relation) => Scopes::of_table(relation.clone()),
            Around::Routine(arguments) => Scopes::of_routine(arguments.clone()),
            Around::Rows(rows) => Scopes::of_rule(rows.clone()),
        }
    }

    /// The canonical form of an expression. `wanted` is the type that its value is stored as, if it is.
    pub fn expression(&self, text: &str, wanted: Option<&str>) -> Spelling {
        let spelled = with_room(text, || {
            let (mut expression, readable) = read(text, |parser| parser.parse_expr())?;
            let mut walk = self.walk(self.scopes());
            let _ = expression.visit(&mut walk);
            walk.as_stored(&mut expression, wanted);
            Some(self.spelling(finished(&mut expression), walk, &readable))
        });
        spelled.unwrap_or_else(|| self.unread(text))
    }

    /// The canonical form of a column's default. It names no column, so that it is the same wherever it stands in a schema.
    pub fn column_default(&self, text: &str, data_type: Option<&str>) -> Spelling {
        let key = [&self.own_schema, &self.home_schema, data_type.unwrap_or_default(), text].join("\0");
        let spelled = || self.known.defaults.lock().expect("nothing panics while it is held");
        if let Some(known) = spelled().get(&key) {
            return known.clone();
        }
        let spelling = self.expression(text, data_type);
        spelled().insert(key, spelling.clone());
        spelling
    }

    /// Whether values of a column of this type go through a domain's rules or a length's.
    pub fn fits_values(&self, data_type: &str) -> bool {
        data_type.contains('(') && !data_type.starts_with("interval") || self.known.is_domain(data_type)
    }

    /// The canonical form of a view's query, its columns under the names that the view gives them.
    pub fn query(&self, text: &str, columns: &[Name]) -> Spelling {
        let spelled = with_room(text, || {
            let (mut query, readable) = read(text, |parser| parser.parse_query())?;
            let mut walk = self.walk(Scopes::empty());
            // A rename needs the list as it is written.
            if !self.keeps_surroundings {
                walk.name_outputs(&mut query, columns);
            }
            let _ = VisitMut::visit(&mut *query, &mut walk);
            let _ = VisitMut::visit(&mut *query, &mut super::sets::Parentheses);
            Some(self.spelling(format!("{query}{}", without_children(text)), walk, &readable))
        });
        spelled.unwrap_or_else(|| self.unread(text))
    }

    /// The query with its columns under the names that the view gives them; none if that can't be said in the query.
    pub fn named(&self, text: &str, columns: &[Name]) -> Option<String> {
        with_room(text, || {
            let mut query = parse(text, |parser| parser.parse_query())?;
            let named = self.walk(Scopes::empty()).name_outputs(&mut query, columns);
            named.then(|| query.to_string())
        })
    }

    /// The canonical form of a routine argument's default. A constant is of the argument's type, whatever it says.
    pub fn default(&self, text: &str, wanted: Option<&str>) -> Spelling {
        let spelled = with_room(text, || {
            let (mut expression, readable) = read(text, |parser| parser.parse_expr())?;
            let mut walk = self.walk(Scopes::empty());
            let _ = expression.visit(&mut walk);
            while let Expr::Cast { expr: inner, .. } = &expression
                && super::tree::is_constant(inner)
            {
                expression = (**inner).clone();
            }
            walk.as_stored(&mut expression, wanted);
            Some(self.spelling(finished(&mut expression), walk, &readable))
        });
        spelled.unwrap_or_else(|| self.unread(text))
    }

    /// The type of a table's or view's column, if it is known.
    pub fn column_type(&self, relation: &Name, column: &str) -> Option<&'k str> {
        self.known.column_type(relation.canonical(), column)
    }

    /// The canonical form of the statements of a routine or a rule: `RETURN …`, `BEGIN ATOMIC …; END`, or one after the other.
    pub fn statements(&self, text: &str) -> Spelling {
        let trimmed = text.trim().trim_end_matches(';').trim();
        let start = text.len() - text.trim_start().len();
        let word = |word: &str| trimmed.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word));
        if word("return") {
            let returned = self.expression(&trimmed[6..], None).later(start as u32 + 6);
            return Spelling { text: format!("RETURN {}", returned.text), ..returned };
        }
        let parts = parts_of_body(trimmed).into_iter().filter(|part| !trimmed[part.clone()].trim().is_empty());
        let parts = parts.map(|part| self.statement(&trimmed[part.clone()]).later((start + part.start) as u32));
        Spelling::joined(parts, "; ")
    }

    fn statement(&self, text: &str) -> Spelling {
        if text.trim().eq_ignore_ascii_case("nothing") {
            return Spelling::certain("NOTHING".to_owned());
        }
        let spelled = with_room(text, || {
            let (mut statement, readable) = read(text, |parser| parser.parse_statement())?;
            // The arguments of a routine, or the old and the new row of a rule, are around it.
            let mut walk = self.walk(self.scopes());
            let _ = VisitMut::visit(&mut statement, &mut walk);
            let _ = VisitMut::visit(&mut statement, &mut super::sets::Parentheses);
            Some(self.spelling(statement.to_string(), walk, &readable))
        });
        spelled.unwrap_or_else(|| self.unread(text))
    }

    /// The names and types of a query's columns, as far as they can be known.
    pub fn outputs(&self, text: &str) -> Option<Columns> {
        with_room(text, || {
            let query = parse(text, |parser| parser.parse_query())?;
            self.walk(Scopes::empty()).outputs(&query)
        })
    }
}

/// Where the statements of a body stand: between the semicolons of `BEGIN ATOMIC …; END`, or of what is without these words.
pub(super) fn parts_of_body(text: &str) -> Vec<Range<usize>> {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let inside = match &tokens[..] {
        [first, second, .., last] if first.is_word(text, "BEGIN") && second.is_word(text, "ATOMIC") => {
            second.end as usize..last.start as usize
        }
        _ => 0..text.len(),
    };
    let mut parts = Vec::new();
    let mut start = inside.start;
    let ends = tokens.iter().filter(|token| token.is_symbol(text, ";") && inside.contains(&(token.start as usize)));
    for token in ends {
        parts.push(start..token.start as usize);
        start = token.end as usize;
    }
    parts.push(start..inside.end);
    parts
}

/// The types of the arguments that a caller of the routine gives, in order.
pub fn argument_types(clauses: &Clauses) -> Vec<String> {
    let given = |argument: &String| !argument.starts_with("OUT ");
    let listed =
        super::super::split_list(clauses.value(clause::ARGUMENTS).unwrap_or_default()).into_iter().filter(given);
    listed
        .map(|argument| {
            let argument =
                ["INOUT ", "VARIADIC "].iter().find_map(|mode| argument.strip_prefix(mode)).unwrap_or(&argument);
            // Without a name it is the type alone, which may be of several words.
            let (name, rest) = argument.split_once(' ').unwrap_or(("", argument));
            let alone = matches!(name, "" | "double" | "character" | "bit" | "timestamp" | "time" | "interval");
            if alone { argument.to_owned() } else { rest.to_owned() }
        })
        .collect()
}

/// The named arguments of a routine, with their types.
fn arguments(clauses: &Clauses) -> Columns {
    super::super::split_list(clauses.value(clause::ARGUMENTS).unwrap_or_default())
        .into_iter()
        .filter_map(|argument| {
            let argument = ["INOUT ", "OUT ", "VARIADIC "]
                .iter()
                .find_map(|mode| argument.strip_prefix(mode))
                .unwrap_or(&argument);
            let (name, data_type) = argument.split_once(' ')?;
            Some((names::unquoted(name), Some(data_type.to_owned())))
        })
        .collect()
}

/// Does what goes as deep as the text has operators, on a stack that is long enough; nothing for a text that no stack is long
/// enough for. `a OR b OR c …` is a tree as deep as it is long, and real views have 1,700 of them.
pub(super) fn with_room<T>(text: &str, work: impl FnOnce() -> Option<T>) -> Option<T> {
    /// Bytes of stack that a level takes, measured: 2 KiB, with and without optimization.
    const LEVEL: usize = 4096;
    /// More levels than this are no schema.
    const MOST: usize = 200_000;
    let is_operator =
        |byte: u8| !byte.is_ascii_alphanumeric() && !matches!(byte, b' ' | b'\n' | b'.' | b',' | b'_' | b'"');
    let symbols = text.bytes().filter(|byte| is_operator(*byte)).count();
    let words = text.split_ascii_whitespace().count();
    let levels = symbols + words;
    let room = levels * LEVEL;
    if levels > MOST {
        return None;
    }
    stacker::maybe_grow(room, room, work)
}

/// Reads the whole text; none if it can't be read to its end.
pub(super) fn parse<T>(
    text: &str,
    read: impl Fn(&mut Parser<'_>) -> Result<T, sqlparser::parser::ParserError>,
) -> Option<T> {
    self::read(text, read).map(|(read, _)| read)
}

/// The tree of an expression; none if it can't be read to its end.
pub fn parse_expression(text: &str) -> Option<Expr> {
    with_room(text, || parse(text, |parser| parser.parse_expr()))
}

/// The same, with the text that was parsed.
pub(super) fn read<T>(
    text: &str,
    read: impl Fn(&mut Parser<'_>) -> Result<T, sqlparser::parser::ParserError>,
) -> Option<(T, Readable<'_>)> {
    let readable = readable(text);
    let mut parser = Parser::new(&tokens::RULES).with_recursion_limit(DEPTH).try_with_sql(&readable.text).ok()?;
    let read = read(&mut parser).ok()?;
    while parser.consume_token(&sqlparser::tokenizer::Token::SemiColon) {}
    (parser.peek_token().token == sqlparser::tokenizer::Token::EOF).then_some((read, readable))
}

/// The same, but none if the text has to be respelled to be parsed: its tree has the places of another text.
pub fn parse_unchanged<T>(
    text: &str,
    read: impl Fn(&mut Parser<'_>) -> Result<T, sqlparser::parser::ParserError>,
) -> Option<T> {
    self::read(text, read).filter(|(_, readable)| matches!(readable.text, Cow::Borrowed(_))).map(|(read, _)| read)
}

/// What a tree does not say: how many tables are read without their children.
fn without_children(text: &str) -> String {
    if !text.as_bytes().windows(4).any(|word| word.eq_ignore_ascii_case(b"only")) {
        return String::new();
    }
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    match (0..tokens.len()).filter(|index| is_only(text, &tokens, *index)).count() {
        0 => String::new(),
        count => format!(" ONLY {count}"),
    }
}

/// Printed with parentheses around every operation, except the outermost.
fn finished(expression: &mut Expr) -> String {
    let _ = expression.visit(&mut super::sets::Parentheses);
    match expression {
        Expr::Nested(inner) => inner.to_string(),
        other => other.to_string(),
    }
}

/// Where the text can't be read as a tree: its tokens, one blank apart, words in lower case.
fn plain_tokens(text: &str) -> Spelling {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let words: Vec<String> = tokens
        .iter()
        .filter(|token| token.kind != TokenKind::Comment)
        .map(|token| match token.kind {
            TokenKind::Word => names::folded(token.text(text)),
            TokenKind::Quoted => names::quoted(&names::unquoted(token.text(text))),
            _ => token.text(text).to_owned(),
        })
        .collect();
    Spelling { sure: false, is_resolved: false, has_tree: false, ..Spelling::certain(words.join(" ")) }
}

/// The first SELECT of a query, whose columns are the query's.
pub fn first_select(query: &Query) -> Option<&sqlparser::ast::Select> {
    let mut body = &*query.body;
    loop {
        match body {
            SetExpr::Select(select) => return Some(select),
            SetExpr::SetOperation { left, .. } => body = left,
            SetExpr::Query(query) => body = &query.body,
            _ => return None,
        }
    }
}
