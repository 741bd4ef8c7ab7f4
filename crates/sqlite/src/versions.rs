//! The features of each version of SQLite 3 (<https://sqlite.org/changes.html>): functions, syntax and options. One row each.

use super::canonical::expressions;
use super::tokens::Rules;
use wevrun_core::model::Definition;
use wevrun_core::parse::TokenKind;
use wevrun_core::parse::token::tokenize;

/// Functions, with the minor version that brought them.
#[rustfmt::skip]
const FUNCTIONS: &[(u32, &[&str])] = &[
    (32, &["iif"]),
    (34, &["substring"]),
    (35, &["acos", "acosh", "asin", "asinh", "atan", "atan2", "atanh", "ceil", "ceiling", "cos", "cosh", "degrees", "exp", "floor",
        "ln", "log", "log10", "log2", "mod", "pi", "pow", "power", "radians", "sign", "sin", "sinh", "sqrt", "tan", "tanh", "trunc"]),
    (38, &["format", "unixepoch"]),
    (41, &["unhex"]),
    (42, &["json_error_position"]),
    (43, &["octet_length", "timediff"]),
    (44, &["concat", "concat_ws", "string_agg"]),
    (45, &["jsonb", "jsonb_array", "jsonb_extract", "jsonb_insert", "jsonb_object", "jsonb_patch", "jsonb_remove", "jsonb_replace",
        "jsonb_set", "jsonb_group_array", "jsonb_group_object"]),
    (46, &["json_pretty"]),
    (48, &["if"]),
    (50, &["unistr", "unistr_quote"]),
    (51, &["jsonb_each", "jsonb_tree"]),
];

/// Runs of words and symbols.
#[rustfmt::skip]
const SYNTAX: &[(u32, &[&str], &str)] = &[
    (28, &["exclude", "current"], "EXCLUDE in window frames"),
    (28, &["exclude", "group"], "EXCLUDE in window frames"),
    (28, &["exclude", "ties"], "EXCLUDE in window frames"),
    (28, &["groups", "between"], "GROUPS in window frames"),
    (30, &["nulls", "first"], "NULLS FIRST"),
    (30, &["nulls", "last"], "NULLS LAST"),
    (35, &["as", "materialized", "("], "MATERIALIZED"),
    (35, &["not", "materialized", "("], "NOT MATERIALIZED"),
    (38, &["->"], "the operator ->"),
    (38, &["->>"], "the operator ->>"),
    (39, &["right", "join"], "RIGHT JOIN"),
    (39, &["right", "outer", "join"], "RIGHT JOIN"),
    (39, &["full", "join"], "FULL JOIN"),
    (39, &["full", "outer", "join"], "FULL JOIN"),
    (39, &["distinct", "from"], "IS DISTINCT FROM"),
];

/// Options of virtual tables, and tokenizers.
const VIRTUAL_TABLE: &[(u32, &str)] =
    &[(34, "trigram"), (43, "contentless_delete"), (45, "tokendata"), (47, "contentless_unindexed"), (47, "locale")];

/// The needs of a definition: each minor version, with its feature.
pub fn needs(definition: &Definition) -> Vec<(u32, String)> {
    let mut needs = Vec::new();
    match definition {
        Definition::Table(table) => {
            needs.extend(table.strict.then(|| (37, "STRICT tables".to_owned())));
            let generated = table.columns.iter().any(|column| column.generated.is_some());
            needs.extend(generated.then(|| (31, "generated columns".to_owned())));
        }
        Definition::VirtualTable(table) => {
            let arguments = table.arguments.join(" ").to_ascii_lowercase();
            let words: Vec<&str> = arguments.split(|ch: char| !(ch.is_alphanumeric() || ch == '_')).collect();
            let found = VIRTUAL_TABLE.iter().filter(|(_, option)| words.contains(option));
            needs.extend(found.map(|(minor, option)| (*minor, format!("the option {option}"))));
        }
        _ => {}
    }
    for expression in expressions(definition) {
        let text = expression.canonical.as_str();
        let (tokens, _) = tokenize(&Rules, text, 0);
        let tokens: Vec<(TokenKind, &str)> = tokens.iter().map(|token| (token.kind, token.text(text))).collect();
        Words { tokens: &tokens }.needs(&mut needs);
    }
    needs.sort();
    needs.dedup();
    needs
}

/// The tokens of an expression or body.
struct Words<'t> {
    tokens: &'t [(TokenKind, &'t str)],
}

impl Words<'_> {
    /// Whether a token that is no text and no name in quotes reads so.
    fn is(&self, at: usize, word: &str) -> bool {
        let plain = |kind| matches!(kind, TokenKind::Word | TokenKind::Symbol | TokenKind::Number);
        self.tokens.get(at).is_some_and(|(kind, text)| plain(*kind) && *text == word)
    }

    fn needs(&self, needs: &mut Vec<(u32, String)>) {
        for (at, (kind, word)) in self.tokens.iter().enumerate() {
            let runs =
                SYNTAX.iter().filter(|(_, run, _)| run.iter().enumerate().all(|(i, word)| self.is(at + i, word)));
            needs.extend(runs.map(|(minor, _, what)| (*minor, (*what).to_owned())));
            if *kind == TokenKind::Number && word.contains('_') {
                needs.push((46, "digits with underscores".to_owned()));
            }
            if *kind == TokenKind::Word && self.is(at + 1, "(") {
                self.call(at, word, needs);
            }
            if self.is(at, "update") {
                let statement = self.outer(at, |at| self.is(at, ";"));
                needs.extend(
                    statement.into_iter().any(|at| self.is(at, "from")).then(|| (33, "UPDATE … FROM".to_owned())),
                );
            }
        }
    }

    /// A word before a parenthesis: mostly a function.
    fn call(&self, at: usize, word: &str, needs: &mut Vec<(u32, String)>) {
        let before = |word: &str| at > 0 && self.is(at - 1, word);
        // There it is the name of a table, a common table expression or a type.
        if ["into", "with", "recursive", "as", ".", "join", "from", "update", "references"]
            .iter()
            .any(|word| before(word))
        {
            return;
        }
        let inside = self.outer(at + 2, |at| self.is(at, ")"));
        let count = inside.iter().filter(|at| self.is(**at, ",")).count() + usize::from(!inside.is_empty());
        for (minor, _) in FUNCTIONS.iter().filter(|(_, names)| names.contains(&word)) {
            needs.push((*minor, format!("the function {word}()")));
        }
        if word == "iif" && count != 3 {
            needs.push((48, format!("iif() with {count} arguments")));
        }
        if word == "raise" {
            let comma = inside.iter().position(|at| self.is(*at, ","));
            let message = comma.map_or(&[][..], |comma| &inside[comma + 1..]);
            let literal = matches!(message, [only] if self.tokens[*only].0 == TokenKind::Text || self.tokens[*only].0 == TokenKind::Quoted);
            needs.extend((!message.is_empty() && !literal).then(|| (47, "an expression in RAISE()".to_owned())));
        }
        let is_query = ["select", "with", "values"].iter().any(|word| self.is(at + 2, word));
        let is_clause = [
            "over", "in", "exists", "and", "or", "not", "when", "then", "else", "filter", "window", "using", "on",
            "where", "by",
        ];
        let ordered = inside.windows(2).any(|pair| self.is(pair[0], "order") && self.is(pair[1], "by"));
        if ordered && !is_query && !is_clause.contains(&word) {
            needs.push((44, format!("ORDER BY in {word}()")));
        }
        let after = inside.last().map_or(at + 2, |last| last + 1) + 1;
        if self.is(after, "filter") && self.is(after + 1, "(") {
            let end = self.outer(after + 2, |at| self.is(at, ")")).last().map_or(after + 2, |last| last + 1);
            needs.extend((!self.is(end + 1, "over")).then(|| (30, format!("FILTER after {word}()"))));
        }
    }

    /// The tokens from here on that are in no more parentheses, up to one that ends them.
    fn outer(&self, from: usize, ends: impl Fn(usize) -> bool) -> Vec<usize> {
        let (mut depth, mut found) = (0usize, Vec::new());
        for at in from..self.tokens.len() {
            if depth == 0 && ends(at) {
                break;
            }
            if self.is(at, ")") {
                if depth == 0 {
                    break;
                }
                depth -= 1;
            }
            if depth == 0 {
                found.push(at);
            }
            if self.is(at, "(") {
                depth += 1;
            }
        }
        found
    }
}
