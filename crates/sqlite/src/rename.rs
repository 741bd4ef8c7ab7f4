//! Renames a table or a column in everything that refers to it, as SQLite's ALTER TABLE does
//! (<https://sqlite.org/lang_altertable.html>).

use std::collections::{BTreeMap, BTreeSet};

use super::canonical::{all_canonical, canonical, expressions_mut, finish_renamed};
use super::names::{always_quoted, name, object_name, quoted, unquoted};
use super::references::relation_tokens;
use super::tokens::Rules;
use super::write::create_statement;
use wevrun_core::model::{Definition, Expression, Model, Name, Object, ObjectKey, QualifiedName};
use wevrun_core::parse::{Reader, StatementKind, Token, TokenKind, token};

/// ALTER TABLE … RENAME TO.
pub fn table(model: &mut Model, from: &QualifiedName, to: &QualifiedName) {
    let touched = |object: &&Object| {
        let by_definition = match &object.definition {
            Definition::Table(table) => {
                object.name == *from || table.foreign_keys.iter().any(|key| key.parent == *from)
            }
            Definition::VirtualTable(_) => object.name == *from,
            Definition::Index(index) => index.table == *from,
            Definition::Trigger(trigger) => trigger.table == *from,
            Definition::View(_) | Definition::Plain(_) => false,
        };
        by_definition || object.uses.contains(from)
    };
    let keys: Vec<ObjectKey> = model.objects().filter(touched).map(Object::key).collect();
    let mut before = BTreeMap::new();
    for key in keys {
        let Some(object) = model.remove(&key) else { continue };
        let text = rewrite(&object.text, to, |text, tokens| {
            let relations: BTreeSet<usize> = relation_tokens(text, tokens).into_iter().collect();
            let chosen = move |index: &usize| {
                let index = *index;
                let is = |at: Option<usize>, word: &str| at.is_some_and(|at| tokens[at].is_word(text, word));
                let before = index.checked_sub(1);
                object_name(&unquoted(tokens[index], text)) == *from
                    && (relations.contains(&index)
                        || ["REFERENCES", "TABLE", "EXISTS", "ON"].iter().any(|word| is(before, word))
                        || tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, ".")))
            };
            (0..tokens.len()).filter(chosen).collect()
        });
        let renamed = reread(&object, text);
        before.insert(renamed.key(), all_canonical(&object));
        model.insert(renamed);
    }
    // What was read again does not know yet which words in double quotes are names.
    finish_renamed(model, &before);
}

/// Gives a view, index or trigger another name in its own statement. The engine has no ALTER for it.
pub fn itself(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    let Some(object) = model.remove(key) else { return };
    let text = rewrite(&object.text, to, |text, tokens| {
        let is_kind = |token: &Token| ["VIEW", "INDEX", "TRIGGER"].iter().any(|word| token.is_word(text, word));
        let kind = tokens.iter().position(is_kind).unwrap_or(0);
        let is_own = |index: &usize| {
            object_name(&unquoted(tokens[*index], text)) == key.name
                && !tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, "."))
        };
        (kind + 1..tokens.len()).find(is_own).into_iter().collect()
    });
    let renamed = reread(&object, text);
    let before = BTreeMap::from([(renamed.key(), all_canonical(&object))]);
    model.insert(renamed);
    finish_renamed(model, &before);
}

/// ALTER TABLE … RENAME COLUMN.
pub fn column(model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
    let others_with_column: BTreeSet<QualifiedName> = model
        .tables()
        .filter(|(name, other)| *name != table && other.column(from).is_some())
        .map(|(name, _)| name.clone())
        .collect();
    let keys: Vec<ObjectKey> = model.objects().map(Object::key).collect();
    let mut before = BTreeMap::new();
    for key in keys {
        let object = model.get(&key).expect("listed a moment ago");
        let mut object = match &object.definition {
            Definition::Table(other)
                if key.name == *table || other.foreign_keys.iter().any(|key| key.parent == *table) =>
            {
                object.clone()
            }
            Definition::Index(index) if index.table == *table => object.clone(),
            Definition::View(_) | Definition::Trigger(_)
                if object.uses.contains(table) || object.definition.owner() == Some(table) =>
            {
                let ambiguous = object.uses.iter().any(|used| others_with_column.contains(used));
                let renamed = in_body(object, table, from, to, ambiguous);
                before.insert(key, all_canonical(object));
                model.insert(renamed);
                continue;
            }
            _ => continue,
        };
        before.insert(key.clone(), all_canonical(&object));
        rename_in_definition(&mut object.definition, key.name == *table, table, from, to);
        object.text = create_statement(&object);
        model.insert(object);
    }
    finish_renamed(model, &before);
}

fn rename_in_definition(definition: &mut Definition, own: bool, table: &QualifiedName, from: &Name, to: &Name) {
    let swap = |name: &mut Name| {
        if name == from {
            *name = to.clone();
        }
    };
    if let Definition::Table(definition) = definition {
        if own {
            definition.columns.iter_mut().for_each(|column| swap(&mut column.name));
            let keys = definition.primary_key.iter_mut().chain(definition.unique_keys.iter_mut());
            keys.for_each(|key| key.parts.iter_mut().for_each(|part| swap(&mut part.column)));
        }
        for key in definition.foreign_keys.iter_mut() {
            if own {
                key.columns.iter_mut().for_each(swap);
            }
            if key.parent == *table {
                key.parent_columns.iter_mut().for_each(swap);
            }
        }
        if !own {
            return;
        }
    }
    for expression in expressions_mut(definition) {
        let written = rewrite(expression.written(), to, |text, tokens| {
            (0..tokens.len()).filter(|index| is_column(text, tokens, *index, from)).collect()
        });
        *expression = reread_expression(&written);
    }
}

/// In a view or trigger: names that stand for a column of this table.
fn in_body(object: &Object, table: &QualifiedName, from: &Name, to: &Name, ambiguous: bool) -> Object {
    let fires_on_table = object.definition.owner() == Some(table);
    let text = rewrite(&object.text, to, |text, tokens| {
        let mut qualifiers = BTreeSet::from([table.printed().clone()]);
        for index in relation_tokens(text, tokens) {
            if object_name(&unquoted(tokens[index], text)) == *table {
                let after_as = tokens.get(index + 1).is_some_and(|token| token.is_word(text, "AS"));
                let alias = tokens.get(index + 1 + usize::from(after_as));
                qualifiers.extend(alias.filter(|t| t.kind != TokenKind::Symbol).map(|t| name(&unquoted(*t, text))));
            }
        }
        if fires_on_table {
            qualifiers.extend([name("new"), name("old")]);
        }
        let chosen = |index: &usize| {
            let index = *index;
            let qualifier =
                (index > 1 && tokens[index - 1].is_symbol(text, ".")).then(|| name(&unquoted(tokens[index - 2], text)));
            is_column(text, tokens, index, from)
                && qualifier.map_or(!ambiguous, |qualifier| qualifiers.contains(&qualifier))
        };
        (0..tokens.len()).filter(chosen).collect()
    });
    reread(object, text)
}

/// Whether the token can name this column: it is spelled so, and is neither a function nor a table.
fn is_column(text: &str, tokens: &[Token], index: usize, column: &Name) -> bool {
    let next = |symbol: &str| tokens.get(index + 1).is_some_and(|next| next.is_symbol(text, symbol));
    let after_as = index > 0 && tokens[index - 1].is_word(text, "AS");
    name(&unquoted(tokens[index], text)) == *column && !next("(") && !next(".") && !after_as
}

/// The text with the chosen names (indexes of tokens) replaced.
fn rewrite(text: &str, to: &Name, choose: impl Fn(&str, &[Token]) -> BTreeSet<usize>) -> String {
    let (tokens, _) = token::tokenize(&Rules, text, 0);
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let chosen = choose(text, &tokens);
    let (mut out, mut from) = (String::with_capacity(text.len()), 0);
    for (index, token) in tokens.iter().enumerate() {
        if matches!(token.kind, TokenKind::Word | TokenKind::Quoted) && chosen.contains(&index) {
            out.push_str(&text[from..token.start as usize]);
            // As the engine does: what was in quotes stays in quotes.
            let plain = token.kind == TokenKind::Word;
            out.push_str(&if plain { quoted(to.written()) } else { always_quoted(to.written()) });
            from = token.end as usize;
        }
    }
    out + &text[from..]
}

/// The object that a rewritten text defines.
fn reread(object: &Object, text: String) -> Object {
    let (tokens, _) = token::tokenize(&Rules, &text, 0);
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let reader = Reader { text: &text, tokens: &tokens, position: 0, source: 0 };
    match super::parse::statement(reader, &[], &mut Vec::new()) {
        Ok(StatementKind::Create { object: read, .. }) => {
            Object { formerly: object.formerly.clone(), location: object.location, ..*read }
        }
        // A name was put where a name stood, so this is the same statement. Should it not be, nothing is lost.
        _ => object.clone(),
    }
}

fn reread_expression(written: &str) -> Expression {
    let (tokens, _) = token::tokenize(&Rules, written, 0);
    Expression::new(
        canonical(written, &tokens.into_iter().filter(|t| t.kind != TokenKind::Comment).collect::<Vec<_>>()),
        written,
    )
}
