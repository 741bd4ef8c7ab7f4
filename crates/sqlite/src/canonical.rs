//! The canonical spelling of expressions, queries and bodies.
//!
//! SQLite keeps what it was given, word by word, but for what its ALTER TABLE rewrites: that puts quotes around names.
//! So the canonical form is the run of tokens with one blank between them, names and keywords in lower case and names
//! without quotes. No tree is needed for that.
//!
//! One thing needs the whole schema: SQLite reads `"Box"` as a string where no column has that name
//! (<https://sqlite.org/quirks.html#dblquote>). Then its letter case matters, so it is folded only if something is called so.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::names::{is_reserved, literal, unquoted};
use wevrun_core::model::{Definition, Expression, Model, Object, ObjectKey, QualifiedName};
use wevrun_core::parse::{Reader, Token, TokenKind};

/// The expression that a range of the statement's tokens holds.
pub fn expression(reader: &Reader<'_>, range: std::ops::Range<usize>) -> Expression {
    let written = reader.written(range.clone());
    Expression::new(canonical(reader.text, &reader.tokens[range]), written)
}

/// The canonical spelling of a run of tokens.
pub fn canonical(text: &str, tokens: &[Token]) -> String {
    let mut out = String::new();
    for token in tokens {
        if !out.is_empty() {
            out.push(' ');
        }
        let written = token.text(text);
        match token.kind {
            TokenKind::Word | TokenKind::Number | TokenKind::Blob => {
                out.extend(written.chars().map(|ch| ch.to_ascii_lowercase()));
            }
            // Double quotes stay until the schema is known.
            TokenKind::Quoted if !written.starts_with('"') => push_name(&mut out, &unquoted(*token, text)),
            TokenKind::Quoted | TokenKind::Text | TokenKind::Symbol => out.push_str(written),
            TokenKind::Comment => {}
        }
    }
    out
}

fn push_name(out: &mut String, name: &str) {
    let lower = name.to_ascii_lowercase();
    if is_reserved(&lower)
        || lower.is_empty()
        || lower.chars().any(|ch| ch.is_ascii() && !ch.is_ascii_alphanumeric() && ch != '_')
    {
        out.push('"');
        out.push_str(&lower.replace('"', "\"\""));
        out.push('"');
    } else {
        out.push_str(&lower);
    }
}

/// The canonical spelling of a type name: `decimal(10,2)`.
pub fn type_name(text: &str, tokens: &[Token]) -> String {
    let mut out = String::new();
    for token in tokens {
        let part = if token.kind == TokenKind::Symbol { token.text(text).to_owned() } else { unquoted(*token, text) };
        if token.kind != TokenKind::Symbol && out.ends_with(|last: char| !matches!(last, '(' | ',' | '+' | '-')) {
            out.push(' ');
        }
        out.push_str(&part.to_ascii_lowercase());
    }
    out
}

/// Decides what double-quoted words are, now that every name of the schema is known.
pub fn finish(model: &mut Model) {
    if !model.objects().any(|object| expressions(&object.definition).iter().any(|e| e.canonical.contains('"'))) {
        return;
    }
    let names = Names::of(model);
    for object in model.objects_mut() {
        let scope = scope(object);
        for expression in expressions_mut(&mut object.definition) {
            if expression.canonical.contains('"') {
                // What nothing is called is a string, and ALTER TABLE rewrites it as one.
                let is = |text: &str| {
                    if names.hold(&scope, &text.to_ascii_lowercase()) { Quoted::Name } else { Quoted::Text }
                };
                let canonical = resolve_quotes(&expression.canonical, &is);
                *expression = Expression::new(canonical, expression.written());
            }
        }
    }
}

/// What a word in double quotes is.
enum Quoted {
    Name,
    Text,
    /// Not all names are known yet.
    Open,
}

/// The same for objects that were read again because something is renamed, each with its canonical forms before. If it was not decided
/// before which words are names, since more statements follow, it is not decided now either.
pub fn finish_renamed(model: &mut Model, before: &BTreeMap<ObjectKey, String>) {
    let has_quotes = |key: &ObjectKey| {
        let object = model.get(key);
        object.is_some_and(|object| expressions(&object.definition).iter().any(|e| e.canonical.contains('"')))
    };
    let keys: Vec<&ObjectKey> = before.keys().filter(|key| has_quotes(key)).collect();
    if keys.is_empty() {
        return;
    }
    let names = Names::of(model);
    for key in keys {
        let Some(object) = model.get_mut(key) else { continue };
        let (scope, before) = (scope(object), &before[key]);
        // Decided: only names that need quotes have them.
        if resolve_quotes(before, &|_| Quoted::Name) != *before {
            continue;
        }
        for expression in expressions_mut(&mut object.definition) {
            let is = |name: &str, text: &str| match names.hold(&scope, name) {
                true => Quoted::Name,
                false if before.contains(&literal(text)) => Quoted::Text,
                false => Quoted::Open,
            };
            let canonical = resolve_quotes(&expression.canonical, &|text| is(&text.to_ascii_lowercase(), text));
            *expression = Expression::new(canonical, expression.written());
        }
    }
}

/// The canonical forms of all expressions of an object.
pub fn all_canonical(object: &Object) -> String {
    expressions(&object.definition).iter().map(|expression| expression.canonical.as_str()).collect::<Vec<_>>().join(" ")
}

/// The tables and views whose columns an object's expressions can name.
fn scope(object: &Object) -> Vec<QualifiedName> {
    match &object.definition {
        Definition::Table(_) | Definition::VirtualTable(_) => vec![object.name.clone()],
        Definition::Index(index) => vec![index.table.clone()],
        Definition::View(_) | Definition::Plain(_) => object.uses.clone(),
        Definition::Trigger(trigger) => object.uses.iter().chain([&trigger.table]).cloned().collect(),
    }
}

/// Everything that has a name.
struct Names {
    columns: HashMap<QualifiedName, HashSet<String>>,
    relations: HashSet<String>,
    all: HashSet<String>,
}

impl Names {
    fn of(model: &Model) -> Names {
        let mut names = Names { columns: HashMap::new(), relations: HashSet::new(), all: HashSet::new() };
        for object in model.objects() {
            let own: Vec<String> = match &object.definition {
                Definition::Table(table) => {
                    table.columns.iter().map(|column| column.name.canonical().to_owned()).collect()
                }
                Definition::View(view) => view.columns.iter().map(|name| name.canonical().to_owned()).collect(),
                Definition::VirtualTable(table) => {
                    let first = table.arguments.iter().filter_map(|argument| argument.split_whitespace().next());
                    first.map(str::to_ascii_lowercase).collect()
                }
                Definition::Index(_) | Definition::Trigger(_) | Definition::Plain(_) => continue,
            };
            names.relations.insert(object.name.canonical().to_owned());
            names.all.extend(own.iter().cloned());
            if object.as_table().is_some() {
                names.columns.insert(object.name.clone(), own.into_iter().collect());
            }
        }
        names
    }

    /// Whether something that can be named here is called so. Where a view or an unknown table is in scope, whose columns are
    /// not known, any name of the schema will do.
    fn hold(&self, scope: &[QualifiedName], name: &str) -> bool {
        const ROW: [&str; 7] = ["rowid", "oid", "_rowid_", "new", "old", "excluded", "main"];
        let columns: Option<Vec<_>> = scope.iter().map(|table| self.columns.get(table)).collect();
        let is_column = match columns {
            Some(columns) => columns.iter().any(|columns| columns.contains(name)),
            None => self.all.contains(name),
        };
        is_column || ROW.contains(&name) || self.relations.contains(name)
    }
}

/// Folds each `"name"` outside string literals that is one; others are strings, or stay as they are.
fn resolve_quotes(canonical: &str, is: &dyn Fn(&str) -> Quoted) -> String {
    let mut out = String::with_capacity(canonical.len());
    let mut rest = canonical;
    while let Some(quote) = rest.find(['"', '\'']) {
        out.push_str(&rest[..quote]);
        let mark = rest.as_bytes()[quote] as char;
        let doubled = format!("{mark}{mark}");
        let mut end = quote + 1;
        loop {
            match rest[end..].find(mark) {
                Some(found) if rest[end + found..].starts_with(&doubled) => end += found + 2,
                Some(found) => {
                    end += found + 1;
                    break;
                }
                None => {
                    end = rest.len();
                    break;
                }
            }
        }
        let quoted = &rest[quote..end];
        let inner = quoted.strip_prefix('"').and_then(|q| q.strip_suffix('"')).map(|q| q.replace("\"\"", "\""));
        match inner.as_deref().map(|text| (text, is(text))) {
            Some((name, Quoted::Name)) => push_name(&mut out, name),
            Some((text, Quoted::Text)) => out.push_str(&literal(text)),
            Some((_, Quoted::Open)) | None => out.push_str(quoted),
        }
        rest = &rest[end..];
    }
    out + rest
}

/// The expressions of a definition in which names can stand.
pub fn expressions(definition: &Definition) -> Vec<&Expression> {
    match definition {
        Definition::Table(table) => (table.columns.iter())
            .flat_map(|column| column.default.iter().chain(column.generated.iter().map(|g| &g.expression)))
            .chain(table.checks.iter().map(|check| &check.condition))
            .collect(),
        Definition::Index(index) => index.parts.iter().map(|part| &part.expression).chain(&index.predicate).collect(),
        Definition::View(view) => vec![&view.query],
        Definition::Trigger(trigger) => trigger.condition.iter().chain([&trigger.body]).collect(),
        Definition::VirtualTable(_) | Definition::Plain(_) => Vec::new(),
    }
}

/// The same, to change them.
pub fn expressions_mut(definition: &mut Definition) -> Vec<&mut Expression> {
    match definition {
        Definition::Table(table) => (table.columns.iter_mut())
            .flat_map(|column| column.default.iter_mut().chain(column.generated.iter_mut().map(|g| &mut g.expression)))
            .chain(table.checks.iter_mut().map(|check| &mut check.condition))
            .collect(),
        Definition::Index(index) => {
            index.parts.iter_mut().map(|part| &mut part.expression).chain(&mut index.predicate).collect()
        }
        Definition::View(view) => vec![&mut view.query],
        Definition::Trigger(trigger) => trigger.condition.iter_mut().chain([&mut trigger.body]).collect(),
        Definition::VirtualTable(_) | Definition::Plain(_) => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tokens::Rules;
    use wevrun_core::parse::token::tokenize;

    fn canonical_of(text: &str) -> String {
        let (tokens, error) = tokenize(&Rules, text, 0);
        assert!(error.is_none());
        canonical(text, &tokens.into_iter().filter(|t| t.kind != TokenKind::Comment).collect::<Vec<_>>())
    }

    #[test]
    fn layout_case_and_quotes_do_not_matter() {
        assert_eq!(canonical_of("Weight_G>0 AND [Label] <> 'Ab' -- why"), "weight_g > 0 and label <> 'Ab'");
        assert_eq!(canonical_of("`order` IS NOT NULL"), "\"order\" is not null");
    }

    #[test]
    fn double_quotes_are_folded_only_for_names() {
        assert_eq!(
            resolve_quotes("\"Kind\" in ( \"Box\" , 'a\"b' )", &|name| match name {
                "Kind" => Quoted::Name,
                _ => Quoted::Text,
            }),
            "kind in ( 'Box' , 'a\"b' )"
        );
    }
}
