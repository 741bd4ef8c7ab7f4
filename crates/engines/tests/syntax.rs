//! The parser of the SQLite dialect takes and refuses what the engine takes and refuses.

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rusqlite::Connection;
use syntaqlite::{ParseOutcome, Parser};
use wevrun_core::parse::token::tokenize;
use wevrun_core::parse::{Grammar, TokenKind};
use wevrun_sqlite::Sqlite;
use wevrun_testkit::collisions;
use wevrun_testkit::schema::rng;

/// Whether the engine's grammar takes a statement; nothing if the engine stops for another reason before it has read all of it.
fn engine_takes(connection: &Connection, text: &str) -> Option<bool> {
    match connection.prepare(text) {
        Ok(_) => Some(true),
        Err(error) => {
            let words = error.to_string();
            let is_refused = ["syntax error", "incomplete input", "unrecognized token"]
                .iter()
                .any(|refusal| words.contains(refusal));
            is_refused.then_some(false)
        }
    }
}

fn parser_takes(parser: &Parser, text: &str) -> bool {
    let mut session = parser.parse(text);
    let is_taken = matches!(session.next(), ParseOutcome::Ok(_));
    is_taken && matches!(session.next(), ParseOutcome::Done)
}

/// Words and symbols that are put where they may not belong.
const PARTS: [&str; 34] = [
    "SELECT", "FROM", "WHERE", "AS", "ON", "USING", "NATURAL", "JOIN", "LEFT", "GROUP", "BY", "ORDER", "LIMIT",
    "UNION", "VALUES", "IN", "NOT", "NULL", "IS", "OVER", "key", "new", "CASE", "END", "(", ")", ",", ".", "*", "'kg'",
    "\"kg\"", "1", "||", "COLLATE",
];

/// The statement with one token left out, doubled, replaced, or with another one before it.
fn damaged(rng: &mut SmallRng, text: &str) -> String {
    let (tokens, _) = tokenize(Sqlite.token_rules(), text, 0);
    let tokens: Vec<&str> =
        tokens.iter().filter(|token| token.kind != TokenKind::Comment).map(|token| token.text(text)).collect();
    let mut words: Vec<&str> = tokens;
    let at = rng.random_range(0..words.len());
    let part = *PARTS.choose(rng).expect("parts");
    match rng.random_range(0..4) {
        0 => drop(words.remove(at)),
        1 => words.insert(at, words[at]),
        2 => words[at] = part,
        _ => words.insert(at, part),
    }
    words.join(" ")
}

#[test]
fn statements_are_taken_and_refused_alike() {
    let parser = Parser::new();
    let (mut taken, mut refused) = (0, 0);
    for seed in 0..2000 {
        let mut rng = rng(seed);
        let connection = Connection::open_in_memory().expect("a database in memory");
        let tables = collisions::tables(&mut rng);
        let known: Vec<_> = tables.iter().map(|(known, _)| known.clone()).collect();
        let dependents: Vec<String> = (0..4).map(|_| collisions::dependent(&mut rng, &known)).collect();
        for text in tables.iter().map(|(_, text)| text).chain(&dependents) {
            for text in [text.clone(), damaged(&mut rng, text), damaged(&mut rng, text)] {
                let Some(expected) = engine_takes(&connection, &text) else { continue };
                assert_eq!(parser_takes(&parser, &text), expected, "seed {seed}: {text}");
                *if expected { &mut taken } else { &mut refused } += 1;
            }
            if tables.iter().any(|(_, own)| own == text) {
                let _ = connection.execute_batch(text);
            }
        }
    }
    assert!(taken > 5000 && refused > 3000, "{taken} were taken and {refused} refused");
}
