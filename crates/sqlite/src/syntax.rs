//! The syntax tree of a statement. The parser is made from SQLite's own grammar (decision 21); names are read here with their places.

use std::cell::RefCell;

use syntaqlite::any::AnyParsedStatement;
use syntaqlite::nodes::{Name as NameNode, Stmt};
use syntaqlite::typed::GrammarNodeType;
use syntaqlite::{ParseOutcome, Parser};
use wevrun_core::model::{Name, Span};

use crate::names::{name, unquoted_text};

thread_local! {
    /// Parsers that are not in use: they keep their memory for the next statement.
    static PARSERS: RefCell<Vec<Parser>> = const { RefCell::new(Vec::new()) };
}

/// Reads the tree of a text that is one statement; nothing of a text that the grammar does not take.
pub fn read<T>(text: &str, reader: impl FnOnce(&Tree<'_>, Stmt<'_>) -> T) -> Option<T> {
    stacker::maybe_grow(512 * 1024, 8 * 1024 * 1024, || {
        let parser = PARSERS.with_borrow_mut(Vec::pop).unwrap_or_default();
        let mut session = parser.parse(text);
        let found = match session.next() {
            ParseOutcome::Ok(statement) => {
                let statement = statement.erase();
                let root = Stmt::from_result(&statement, statement.root_id())?;
                Some(reader(&Tree { statement: &statement }, root))
            }
            ParseOutcome::Err(_) | ParseOutcome::Done => None,
        };
        let is_all = matches!(session.next(), ParseOutcome::Done);
        drop(session);
        PARSERS.with_borrow_mut(|parsers| parsers.push(parser));
        found.filter(|_| is_all)
    })
}

/// An identifier in a text.
#[derive(Debug, Clone)]
pub struct Identifier {
    /// The name without quotes.
    pub name: Name,
    /// Where it is, with its quotes.
    pub span: Option<Span>,
    /// The character before it, if it is quoted.
    pub quote: Option<u8>,
}

/// The character that closes what a quotation mark opens.
fn closing(opening: u8) -> Option<u8> {
    match opening {
        b'[' => Some(b']'),
        b'"' | b'`' | b'\'' => Some(opening),
        _ => None,
    }
}

/// A parsed statement.
pub struct Tree<'s> {
    statement: &'s AnyParsedStatement<'s>,
}

impl Tree<'_> {
    /// The identifier that the parser has given as a part of the text; nothing if it is absent.
    pub fn identifier(&self, part: &str) -> Option<Identifier> {
        if part.is_empty() {
            return None;
        }
        let text = self.statement.full_text().as_str();
        let start = (part.as_ptr() as usize).checked_sub(text.as_ptr() as usize);
        let Some(start) = start.filter(|start| start + part.len() <= text.len()) else {
            return Some(Identifier { name: name(part), span: None, quote: None });
        };
        let (mut start, mut end, bytes) = (start, start + part.len(), text.as_bytes());
        // The parser leaves the quotes out in most places.
        let before = start.checked_sub(1).and_then(|before| closing(bytes[before]));
        if before.is_some() && bytes.get(end).copied() == before {
            (start, end) = (start - 1, end + 1);
        }
        let quote = Some(bytes[start]).filter(|first| closing(*first).is_some());
        let span = Some(Span { start: start as u32, end: end as u32 });
        let written = &text[start..end];
        Some(Identifier { name: name(&unquoted_text(written)), span, quote })
    }

    /// The identifier of a node.
    pub fn name(&self, node: Option<NameNode<'_>>) -> Option<Identifier> {
        match node? {
            NameNode::IdentName(node) => self.identifier(node.source()),
            NameNode::Error(_) => None,
        }
    }

    /// The qualifier of `qualifier.*`; nothing of a plain `*`.
    pub fn star_qualifier(&self, column: &syntaqlite::nodes::ResultColumn<'_>) -> Option<Identifier> {
        let (_, fields) = self.statement.extract_fields(column.node_id().into_inner())?;
        let nodes = (0..fields.len()).filter_map(|index| fields.node_id_at(index as u8));
        let names = nodes.filter_map(|id| NameNode::from_result(self.statement, id));
        names.filter_map(|node| self.name(Some(node))).next()
    }
}
