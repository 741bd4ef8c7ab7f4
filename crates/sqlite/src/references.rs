//! Which tables and views a query or a trigger's body reads and writes.
//!
//! A scan over the tokens, not a parse: it finds what stands where the grammar has a table name (after FROM, JOIN, a comma
//! of a FROM clause, INTO, UPDATE, and IN without parentheses), at whatever depth, and leaves out common table
//! expressions. So it knows every query that the engine takes, whatever else is in it.

use std::collections::BTreeSet;

use super::names::{name, object_name, unquoted};
use wevrun_core::model::{Name, QualifiedName};
use wevrun_core::parse::{Token, TokenKind};

/// One parenthesis level of a query.
#[derive(Default, Clone, Copy)]
struct Level {
    in_from: bool,
    table_next: bool,
}

/// Words that end a FROM clause.
const AFTER_FROM: &[&str] = &[
    "where",
    "group",
    "having",
    "window",
    "order",
    "limit",
    "union",
    "except",
    "intersect",
    "set",
    "values",
    "select",
    "returning",
];

/// The names of the tables and views, ordered, without those that the text defines itself in WITH.
pub fn relations(text: &str, tokens: &[Token]) -> Vec<QualifiedName> {
    let found = relation_tokens(text, tokens).into_iter().map(|index| object_name(&unquoted(tokens[index], text)));
    found.collect::<BTreeSet<_>>().into_iter().collect()
}

/// The indexes of the tokens that name them.
pub fn relation_tokens(text: &str, tokens: &[Token]) -> Vec<usize> {
    let word = |index: usize| {
        tokens
            .get(index)
            .filter(|token| token.kind == TokenKind::Word)
            .map(|token| token.text(text).to_ascii_lowercase())
    };
    let mut found = Vec::new();
    let mut defined = BTreeSet::new();
    let mut levels = vec![Level::default()];
    let mut index = 0;
    while index < tokens.len() {
        let token = tokens[index];
        let depth = levels.len();
        let level = levels.last_mut().expect("the outermost level is never closed");
        if token.kind == TokenKind::Symbol {
            match token.text(text) {
                "(" => {
                    // `FROM (a JOIN b)`: what stands in the parentheses is still a FROM clause.
                    let nested = Level { in_from: level.table_next, table_next: level.table_next };
                    level.table_next = false;
                    levels.push(nested);
                }
                ")" if depth > 1 => drop(levels.pop()),
                "," => level.table_next = level.in_from,
                ";" => levels = vec![Level::default()],
                _ => level.table_next = false,
            }
            index += 1;
            continue;
        }
        let keyword = word(index);
        match keyword.as_deref() {
            // IS [NOT] DISTINCT FROM is an operator.
            Some("from") if index > 0 && word(index - 1).as_deref() == Some("distinct") => {}
            Some("from") => *level = Level { in_from: true, table_next: true },
            Some("join") => *level = Level { in_from: true, table_next: true },
            Some("into") => level.table_next = true,
            Some("update") => {
                let skip = if word(index + 1).as_deref() == Some("or") { 2 } else { 0 };
                // DO UPDATE SET and FOR UPDATE name no table.
                if word(index + 1).as_deref() != Some("set") && tokens.get(index + 1).is_some() {
                    level.table_next = true;
                    index += skip;
                }
            }
            Some("in") if tokens.get(index + 1).is_some_and(|next| !next.is_symbol(text, "(")) => {
                level.table_next = true;
            }
            Some("with") => index = common_tables(text, tokens, index, &mut defined),
            Some(after) if AFTER_FROM.contains(&after) => *level = Level::default(),
            _ if level.table_next => {
                level.table_next = false;
                let mut last = index;
                if tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, ".")) && index + 2 < tokens.len() {
                    last = index + 2;
                }
                // A name before a parenthesis is a table-valued function.
                let function = tokens.get(last + 1).is_some_and(|next| next.is_symbol(text, "("))
                    && word(last.wrapping_sub(1)).as_deref() != Some("into");
                if !function {
                    found.push(last);
                }
                index = last;
            }
            _ => {}
        }
        index += 1;
    }
    found.retain(|index| !defined.contains(&name(&unquoted(tokens[*index], text))));
    found
}

/// From WITH, notes the names of the common table expressions that follow it directly; the others (after a comma) are
/// found as the scan meets `name [(columns)] AS [[NOT] MATERIALIZED] (`. Gives the index of the last token taken.
fn common_tables(text: &str, tokens: &[Token], with: usize, defined: &mut BTreeSet<Name>) -> usize {
    let mut index = with + 1;
    if tokens.get(index).is_some_and(|token| token.is_word(text, "RECURSIVE")) {
        index += 1;
    }
    let last = index - 1;
    // Walk over `name (…) AS (…)` groups at this depth to learn every name; the scan then reads their queries.
    while let Some(token) = tokens.get(index).filter(|token| token.kind != TokenKind::Symbol) {
        defined.insert(name(&unquoted(*token, text)));
        index += 1;
        let mut depth = 0;
        let mut seen_as = false;
        while let Some(token) = tokens.get(index) {
            match token.text(text) {
                "(" => depth += 1,
                ")" => {
                    depth -= 1;
                    if depth == 0 && seen_as {
                        break;
                    }
                }
                other if depth == 0 && other.eq_ignore_ascii_case("as") => seen_as = true,
                _ => {}
            }
            index += 1;
        }
        if !tokens.get(index + 1).is_some_and(|token| token.is_symbol(text, ",")) {
            break;
        }
        index += 2;
    }
    last
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tokens::Rules;
    use wevrun_core::parse::token::tokenize;

    fn names(text: &str) -> Vec<String> {
        let (tokens, _) = tokenize(&Rules, text, 0);
        relations(text, &tokens).iter().map(ToString::to_string).collect()
    }

    #[test]
    fn finds_tables_wherever_the_grammar_has_them() {
        assert_eq!(
            names("SELECT a, b FROM hives h, \"queens\" q JOIN [apiaries] USING (id) WHERE x IN (SELECT y FROM m)"),
            ["apiaries", "hives", "m", "queens"]
        );
        assert_eq!(
            names("SELECT * FROM (a CROSS JOIN b), main.c WHERE z IN d AND p IS NOT DISTINCT FROM q"),
            ["a", "b", "c", "d"]
        );
        assert_eq!(names("SELECT extract, (SELECT max(w) FROM lots) FROM json_each('[1]') ORDER BY f, g"), ["lots"]);
    }

    #[test]
    fn leaves_out_common_table_expressions() {
        let query = "WITH RECURSIVE up(id) AS (SELECT id FROM t UNION ALL SELECT p FROM up, t2), b AS NOT MATERIALIZED \
                     (SELECT 1) SELECT * FROM up JOIN b";
        assert_eq!(names(query), ["t", "t2"]);
    }

    #[test]
    fn reads_trigger_bodies() {
        let body = "INSERT OR IGNORE INTO log(a, b) SELECT 1, 2 FROM x; UPDATE OR FAIL hives SET a = 1 FROM y WHERE 1; \
                    DELETE FROM old_lots WHERE id = old.id; INSERT INTO z VALUES (1) ON CONFLICT DO UPDATE SET a = 2;";
        assert_eq!(names(body), ["hives", "log", "old_lots", "x", "y", "z"]);
    }
}
