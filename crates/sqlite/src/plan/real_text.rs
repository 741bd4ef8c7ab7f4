//! Text that is made of REAL values. Versions of SQLite write it with another number of digits (3.40 has 0.3 where 3.54 has
//! 0.30000000000000004), so what one version has put into an index or a generated column is wrong for another.

use std::collections::BTreeSet;

use super::super::affinity::Affinity;
use super::super::tokens::Rules;
use wevrun_core::compare::Change;
use wevrun_core::model::{Column, Definition, Expression, Kind, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::parse::token::tokenize;
use wevrun_core::parse::{Token, TokenKind};
use wevrun_core::plan::{Planning, Probe};

/// Functions that make no text of a number (<https://sqlite.org/lang_corefunc.html>, <https://sqlite.org/lang_mathfunc.html>).
#[rustfmt::skip]
const NUMERIC: &[&str] = &[
    "abs", "acos", "acosh", "asin", "asinh", "atan", "atan2", "atanh", "avg", "ceil", "ceiling", "coalesce", "cos", "cosh", "count",
    "degrees", "exp", "floor", "ifnull", "iif", "likelihood", "likely", "ln", "log", "log10", "log2", "max", "min", "mod", "nullif",
    "pi", "pow", "power", "radians", "random", "round", "sign", "sin", "sinh", "sqrt", "sum", "tan", "tanh", "total", "trunc", "typeof",
    "unixepoch", "julianday", "unlikely", "in", "and", "or", "not", "when", "then", "else", "case", "between", "is", "as", "values",
];

/// Operators that read their operands as text.
const OPERATORS: [&str; 3] = ["||", "->", "->>"];

/// The same in words.
const WORDS: [&str; 8] = ["like", "glob", "regexp", "match", "text", "char", "varchar", "clob"];

/// Questions about columns that may hold REAL values and of which text is made.
pub fn probes(planning: &Planning<'_>) -> Vec<Probe> {
    let mut probes = Vec::new();
    visit(planning, &mut |_, table, column| {
        probes.extend(probe(planning, table, column));
        false
    });
    probes
}

/// Why only the version that the database is used with can run the script; nothing if any can.
pub fn reasons(
    planning: &Planning<'_>,
    rebuilt: &BTreeSet<QualifiedName>,
    recreated: &BTreeSet<ObjectKey>,
) -> Vec<String> {
    let mut reasons = Vec::new();
    let is_made = |key: &ObjectKey, table: &QualifiedName| {
        let differs = || planning.comparison.differences.binary_search_by(|other| other.key.cmp(key)).is_ok();
        rebuilt.contains(table) || key.kind == Kind::Index && (differs() || recreated.contains(key))
    };
    visit(planning, &mut |made, table, column| {
        let may_hold = match probe(planning, table, column) {
            Some(probe) => planning.evidence.answer(&probe),
            None => Some(false),
        };
        let reason = is_made(&made.key, table) && may_hold != Some(false);
        if reason {
            reasons.push(format!(
                "{} makes text of the REAL values in column {table}.{}, and versions of SQLite write these with other digits",
                made.what, column.name
            ));
        }
        reason
    });
    reasons
}

/// Whether have's column holds a REAL value; none if it is new, or can't.
fn probe(planning: &Planning<'_>, table: &QualifiedName, column: &Column) -> Option<Probe> {
    let renames = &planning.comparison.renames;
    let present = planning.renamed.table(table)?.column(&column.name)?;
    present.generated.is_none().then_some(())?;
    let original = renames.key_in_have(&ObjectKey::new(Kind::Table, table.clone())).name;
    let renamed = renames.columns_of(table).into_iter().find(|(_, new)| *new == column.name);
    Some(Probe::HasReals(original, renamed.map_or_else(|| column.name.clone(), |(old, _)| old)))
}

/// Something that would hold text made of numbers.
struct Made {
    key: ObjectKey,
    what: String,
}

/// Calls `found` for each object that makes text of a column that can hold REAL values, until it returns true for the object.
fn visit(planning: &Planning<'_>, found: &mut dyn FnMut(&Made, &QualifiedName, &Column) -> bool) {
    let changed = planning.comparison.differences.iter().filter_map(|difference| match &difference.change {
        Change::Create(object) | Change::Change { want: object, .. } => match &object.definition {
            Definition::Table(_) => Some(&object.name),
            Definition::Index(index) => Some(&index.table),
            _ => None,
        },
        Change::Remove(_) => None,
    });
    let tables: BTreeSet<&QualifiedName> = changed.collect();
    let owned = planning.want.by_owner();
    for name in tables {
        // A table that is new holds nothing yet.
        let (Some(table), Some(have)) = (planning.want.table(name), planning.renamed.table(name)) else { continue };
        let key = ObjectKey::new(Kind::Table, name.clone());
        let mut of_expression = |made: Made, expression: &Expression| {
            let columns = columns_made_text(table, expression, &mut BTreeSet::new());
            columns.into_iter().any(|column| found(&made, name, column));
        };
        for column in table.columns.iter() {
            if let Some(generated) = column.generated.as_ref().filter(|generated| generated.stored) {
                let what = format!("generated column {name}.{}", column.name);
                of_expression(Made { key: key.clone(), what }, &generated.expression);
            }
        }
        for check in table.checks.iter() {
            let what = format!("CHECK ({}) of table {name}", check.condition.on_one_line());
            of_expression(Made { key: key.clone(), what }, &check.condition);
        }
        for index in owned.get(name).into_iter().flatten() {
            let Some(definition) = index.as_index() else { continue };
            for expression in definition.parts.iter().map(|part| &part.expression).chain(&definition.predicate) {
                of_expression(Made { key: index.key(), what: index.key().to_string() }, expression);
            }
        }
        for column in table.columns.iter() {
            let was = have.column(&column.name).filter(|was| can_hold_real(was, have.strict));
            if Affinity::of(column, table.strict) == Affinity::Text
                && column.generated.is_none()
                && let Some(was) = was
            {
                let what = format!("the conversion of column {name}.{} to TEXT", column.name);
                found(&Made { key: key.clone(), what }, name, was);
            }
        }
    }
}

fn can_hold_real(column: &Column, strict: bool) -> bool {
    Affinity::of(column, strict) != Affinity::Text && column.generated.is_none()
}

/// The columns that can hold REAL values and of which an expression, or a generated column that it uses, makes text.
fn columns_made_text<'t>(table: &'t Table, expression: &Expression, seen: &mut BTreeSet<Name>) -> Vec<&'t Column> {
    let text = &expression.canonical;
    let (tokens, _) = tokenize(&Rules, text, 0);
    let is_operator = |token: &Token| {
        let written = token.text(text);
        OPERATORS.contains(&written) || token.kind == TokenKind::Word && WORDS.contains(&written)
    };
    let everywhere = tokens.iter().any(is_operator);
    // Of the parentheses around, how many are those of a function that makes text of what it is given.
    let (mut open, mut within) = (Vec::new(), 0usize);
    let mut columns = Vec::new();
    for (at, token) in tokens.iter().enumerate() {
        if token.is_symbol(text, "(") {
            let before = at.checked_sub(1).map(|before| tokens[before]);
            let word = before.filter(|before| before.kind == TokenKind::Word);
            let makes_text = word.is_some_and(|word| is_text_function(word.text(text)));
            within += usize::from(makes_text);
            open.push(makes_text);
        } else if token.is_symbol(text, ")") {
            within -= usize::from(open.pop().unwrap_or(false));
        }
        if !matches!(token.kind, TokenKind::Word | TokenKind::Quoted) {
            continue;
        }
        let makes_text = everywhere || within > 0;
        let name = super::super::names::name(&super::super::names::unquoted(*token, text));
        let Some(column) = table.column(&name).filter(|_| !seen.contains(&name)) else { continue };
        match &column.generated {
            Some(generated) => {
                seen.insert(name);
                if makes_text {
                    columns.extend(mentioned(table, &generated.expression));
                }
                columns.extend(columns_made_text(table, &generated.expression, seen));
            }
            None if makes_text && can_hold_real(column, table.strict) => {
                seen.insert(name);
                columns.push(column);
            }
            None => {}
        }
    }
    columns
}

fn is_text_function(word: &str) -> bool {
    word != "cast" && !NUMERIC.contains(&word)
}

/// The columns of an expression that can hold REAL values.
fn mentioned<'t>(table: &'t Table, expression: &Expression) -> Vec<&'t Column> {
    let columns = table.columns.iter().filter(|column| can_hold_real(column, table.strict));
    columns.filter(|column| expression.may_use_column(&column.name)).collect()
}
