//! Names in the bodies of routines, which the server keeps as text: what they mean, and what they are once it is called otherwise.
//!
//! A name with a schema is certain. A name without one is an object's where the grammar has such a name, and where the routine's
//! own schema, or `public`, has that object. What can't be told is left, and said.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use wevrun_core::mapping::{Doubt, Renamed};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Model, Object, ObjectKey, QualifiedName};
use wevrun_core::parse::{Token, TokenKind, token};

use crate::parse::identifier_of;
use crate::{clause, names, tokens, write};

/// The languages whose names are SQL's.
const LANGUAGES: [&str; 2] = ["sql", "plpgsql"];

/// Words before the name of a relation.
const BEFORE_RELATION: [&str; 12] =
    ["FROM", "JOIN", "INTO", "UPDATE", "ONLY", "TABLE", "REFERENCES", "USING", "TRUNCATE", "LOCK", "COPY", "ANALYZE"];

/// Words that end the list of relations after FROM.
const ENDS_FROM: [&str; 16] = [
    "WHERE",
    "GROUP",
    "ORDER",
    "HAVING",
    "LIMIT",
    "UNION",
    "EXCEPT",
    "INTERSECT",
    "SET",
    "SELECT",
    "RETURNING",
    "LOOP",
    "VALUES",
    "WINDOW",
    "OFFSET",
    "FETCH",
];

/// Changes the bodies; returns what may be a name and was left.
pub fn follow(before: &Model, model: &mut Model, renamed: &Renamed<'_>) -> Vec<Doubt> {
    let by_identifier = Known::of(before, renamed);
    let mut doubts = Vec::new();
    for kind in [Kind::Function, Kind::Procedure] {
        for old in before.of_kind(kind) {
            let (own, key) =
                (old.key(), ObjectKey::new(kind, renamed.objects.get(&old.key()).unwrap_or(&old.name).clone()));
            let clauses = write::clauses(old);
            let Some(body) = clauses.get(clause::AS).filter(|_| !clauses.has(clause::SYMBOL)) else { continue };
            let mut body = Body::new(&by_identifier, old, clauses, &body.canonical);
            let text = if body.is_readable { body.followed() } else { body.all_doubtful() };
            doubts.extend(std::mem::take(&mut body.doubts).into_iter().map(|word| Doubt { object: own.clone(), word }));
            if let Some(text) = text
                && let Some(object) = model.get_mut(&key)
                && let Definition::Plain(plain) = &mut object.definition
            {
                plain.clauses.set(clause::AS, Expression::plain(text));
                object.text.clear();
            }
        }
    }
    doubts
}

/// What has a name, by its identifier.
struct Known<'k> {
    renamed: &'k Renamed<'k>,
    before: &'k Model,
    objects: HashMap<&'k str, Vec<(&'k ObjectKey, &'k QualifiedName)>>,
    /// Every object's name, to know what `schema.name` is.
    all: BTreeSet<(&'k str, &'k str)>,
    /// Words that may be a mapped name.
    words: BTreeSet<&'k str>,
    /// Renamed columns, with the table.
    columns: BTreeMap<&'k str, Vec<(&'k QualifiedName, &'k str)>>,
    /// The tables on which a function is a trigger's.
    fires_on: HashMap<String, Vec<&'k QualifiedName>>,
}

impl<'k> Known<'k> {
    fn of(before: &'k Model, renamed: &'k Renamed<'k>) -> Known<'k> {
        let mut objects: HashMap<&str, Vec<_>> = HashMap::new();
        let mut words: BTreeSet<&str> = renamed.schemas.keys().map(String::as_str).collect();
        for (key, to) in renamed.objects.iter().filter(|(key, _)| key.name.schema().is_some()) {
            objects.entry(key.name.identifier()).or_default().push((key, to));
            if key.name.identifier() != to.identifier() {
                words.insert(key.name.identifier());
            }
        }
        let mut columns: BTreeMap<&str, Vec<_>> = BTreeMap::new();
        for (table, pairs) in renamed.columns {
            for (from, to) in pairs {
                columns.entry(from.canonical()).or_default().push((table, to.canonical()));
                words.insert(from.canonical());
            }
        }
        let all =
            before.objects().filter_map(|object| Some((object.name.schema()?, object.name.identifier()))).collect();
        let mut fires_on: HashMap<String, Vec<_>> = HashMap::new();
        for trigger in before.of_kind(Kind::Trigger) {
            let (Some(owner), Some(function)) =
                (trigger.definition.owner(), write::clauses(trigger).value(clause::FUNCTION))
            else {
                continue;
            };
            fires_on.entry(names::read(function).identifier().to_owned()).or_default().push(owner);
        }
        Known { renamed, before, objects, all, words, columns, fires_on }
    }

    /// The name of a relation, type or sequence once it is called otherwise; of a routine, if `called`.
    fn new_name(&self, schema: &str, own: &str, called: bool) -> Option<&'k QualifiedName> {
        let is_routine = |kind: Kind| matches!(kind, Kind::Function | Kind::Procedure | Kind::Aggregate);
        let found = || self.objects.get(own).into_iter().flatten().filter(|(key, _)| key.name.schema() == Some(schema));
        // `lots (id)` may be a table with a list of columns.
        let (_, name) = found().find(|(key, _)| is_routine(key.kind) == called).or_else(|| found().next())?;
        Some(name)
    }
}

struct Body<'b> {
    known: &'b Known<'b>,
    text: &'b str,
    tokens: Vec<Token>,
    is_readable: bool,
    /// The schemas in which names without one are looked for.
    path: Vec<String>,
    /// Names of arguments, and of what DECLARE says.
    variables: BTreeSet<String>,
    /// The relations that the body names, and what they are called there.
    relations: Vec<(String, QualifiedName)>,
    is_trigger_of: Vec<&'b QualifiedName>,
    doubts: BTreeSet<String>,
}

impl<'b> Body<'b> {
    fn new(known: &'b Known<'b>, routine: &'b Object, clauses: &Clauses, text: &'b str) -> Body<'b> {
        let (found, error) = token::tokenize(tokens::rules(), text, 0);
        let tokens: Vec<Token> = found.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
        let is_readable =
            error.is_none() && clauses.value(clause::LANGUAGE).is_some_and(|language| LANGUAGES.contains(&language));
        let path = match clauses.value(clause::SET_SEARCH_PATH) {
            Some(path) => path.split(", ").map(str::to_owned).collect(),
            None => routine.name.schema().into_iter().chain(["public"]).map(str::to_owned).collect(),
        };
        let arguments = clauses.value(clause::ARGUMENTS).unwrap_or_default();
        let variables =
            crate::split_list(arguments).iter().filter_map(|argument| names::parts(argument).pop()).collect();
        let is_trigger_of = known.fires_on.get(routine.name.identifier()).cloned().unwrap_or_default();
        let mut body = Body {
            known,
            text,
            tokens,
            is_readable,
            path,
            variables,
            relations: Vec::new(),
            is_trigger_of,
            doubts: BTreeSet::new(),
        };
        body.find_variables();
        body.find_relations();
        body
    }

    fn word(&self, at: usize) -> Option<String> {
        let token = self.tokens.get(at)?;
        matches!(token.kind, TokenKind::Word | TokenKind::Quoted).then(|| identifier_of(*token, self.text))
    }

    fn symbol(&self, at: usize, symbol: &str) -> bool {
        self.tokens.get(at).is_some_and(|token| token.is_symbol(self.text, symbol))
    }

    fn is(&self, at: Option<usize>, words: &[&str]) -> bool {
        at.and_then(|at| self.tokens.get(at))
            .is_some_and(|token| words.iter().any(|word| token.is_word(self.text, word)))
    }

    /// What stands at the beginning of a declaration.
    fn find_variables(&mut self) {
        let mut declares = false;
        for at in 0..self.tokens.len() {
            if self.is(Some(at), &["DECLARE"]) {
                declares = true;
            } else if self.is(Some(at), &["BEGIN"]) {
                declares = false;
            }
            let begins = self.is(at.checked_sub(1), &["DECLARE"]) || at > 0 && self.symbol(at - 1, ";");
            if declares && begins {
                self.variables.extend(self.word(at));
            }
        }
    }

    /// The tokens where a relation is named, and what it is called after that.
    fn find_relations(&mut self) {
        let places = self.relation_places();
        for at in places {
            let (schema, own, end) = match (self.word(at), self.symbol(at + 1, "."), self.word(at + 2)) {
                (Some(schema), true, Some(own)) => (Some(schema), own, at + 3),
                (Some(own), ..) => (None, own, at + 1),
                _ => continue,
            };
            let schemas = schema.map_or_else(|| self.path.clone(), |schema| vec![schema]);
            let mut found = schemas.iter().map(|schema| names::qualified(schema, &own));
            let Some(name) = found.find(|name| self.known.before.relation(name).is_some()) else { continue };
            let after = if self.is(Some(end), &["AS"]) { end + 1 } else { end };
            let alias = self.word(after).filter(|_| !self.is_keyword(after));
            self.relations.push((alias.unwrap_or(own), name));
        }
    }

    fn is_keyword(&self, at: usize) -> bool {
        const FOLLOW: [&str; 14] = [
            "ON", "JOIN", "INNER", "LEFT", "RIGHT", "FULL", "CROSS", "NATURAL", "DO", "DEFAULT", "IN", "CASCADE",
            "FOR", "AS",
        ];
        self.is(Some(at), &ENDS_FROM) || self.is(Some(at), &BEFORE_RELATION) || self.is(Some(at), &FOLLOW)
    }

    /// The indexes of tokens at which the grammar has the name of a relation.
    fn relation_places(&self) -> Vec<usize> {
        let mut places = Vec::new();
        // For each open parenthesis, whether it is in a list after FROM.
        let mut in_from = vec![false];
        for at in 0..self.tokens.len() {
            if self.symbol(at, "(") {
                in_from.push(false);
            } else if self.symbol(at, ")") && in_from.len() > 1 {
                in_from.pop();
            } else if self.symbol(at, ";") || self.is(Some(at), &ENDS_FROM) {
                *in_from.last_mut().expect("never empty") = false;
            }
            let is_from = self.is(Some(at), &["FROM", "USING"]);
            let follows = self.is(at.checked_sub(1), &BEFORE_RELATION);
            let listed = at > 0 && self.symbol(at - 1, ",") && *in_from.last().expect("never empty");
            if (follows || listed) && self.word(at).is_some() && !self.is(Some(at), &BEFORE_RELATION) {
                places.push(at);
            }
            if is_from {
                *in_from.last_mut().expect("never empty") = true;
            }
        }
        places
    }

    /// Words of a text that nobody can read.
    fn all_doubtful(&mut self) -> Option<String> {
        let words: Vec<&str> = self.known.words.iter().copied().filter(|word| self.text.contains(word)).collect();
        self.doubts.extend(words.into_iter().filter(|word| has_word(self.text, word)).map(str::to_owned));
        None
    }

    /// The text under the other names; none if nothing changes.
    fn followed(&mut self) -> Option<String> {
        if !self.known.words.iter().any(|word| self.text.contains(word)) && self.known.renamed.objects.is_empty() {
            return None;
        }
        let places: BTreeSet<usize> = self.relation_places().into_iter().collect();
        let mut edits: Vec<(usize, usize, String)> = Vec::new();
        let mut at = 0;
        while at < self.tokens.len() {
            let before_it = at > 0 && self.symbol(at - 1, ".");
            let taken = match self.tokens[at].kind {
                TokenKind::Word | TokenKind::Quoted if !before_it => self.name_at(at, places.contains(&at)),
                TokenKind::Text => self.text_at(at).map(|text| (at + 1, text)),
                _ => None,
            };
            if let Some((end, text)) = taken {
                edits.push((self.tokens[at].start as usize, self.tokens[end - 1].end as usize, text));
                at = end;
            } else {
                if let Some(text) = self.column_at(at, places.contains(&at)) {
                    edits.push((self.tokens[at].start as usize, self.tokens[at].end as usize, text));
                }
                at += 1;
            }
        }
        if edits.is_empty() {
            return None;
        }
        let (mut out, mut done) = (String::with_capacity(self.text.len()), 0);
        for (start, end, text) in edits {
            out.push_str(&self.text[done..start]);
            out.push_str(&text);
            done = end;
        }
        out.push_str(&self.text[done..]);
        Some(out)
    }

    /// What a name that begins at a token is now, and where it ends.
    fn name_at(&mut self, at: usize, is_relation: bool) -> Option<(usize, String)> {
        let own = self.word(at)?;
        let known = self.known;
        if self.symbol(at + 1, ".")
            && let Some(second) = self.word(at + 2)
            && known.all.contains(&(own.as_str(), second.as_str()))
            && (is_relation || !self.relations.iter().any(|(alias, _)| *alias == own))
        {
            let new = known.new_name(&own, &second, self.symbol(at + 3, "("));
            return new.map(|new| (at + 3, names::without_signature(new).canonical().to_owned()));
        }
        // The list of a search path.
        if known.renamed.schemas.contains_key(&own) && self.is_in_search_path(at) {
            return Some((at + 1, names::quoted(&known.renamed.schemas[&own])));
        }
        let schema = |called: bool| {
            let there = self.path.iter().find(|schema| known.all.contains(&(schema.as_str(), own.as_str())))?;
            known.new_name(there, &own, called).filter(|new| new.identifier() != own)
        };
        let called = self.symbol(at + 1, "(") && !is_relation;
        let new = schema(called)?;
        let next_is_name = self.symbol(at + 1, ".");
        let is_type = self.symbol(at + 1, "%")
            || next_is_name && self.symbol(at + 3, "%")
            || at > 0 && self.symbol(at - 1, "::")
            || self.is(at.checked_sub(1), &["AS", "RETURNS", "SETOF"])
            || at > 0 && self.word(at - 1).is_some_and(|variable| self.variables.contains(&variable));
        let is_qualifier = next_is_name && self.relations.iter().any(|(alias, _)| *alias == own);
        if is_relation || called || is_type || is_qualifier {
            return Some((at + 1, names::quoted(new.identifier())));
        }
        if !self.variables.contains(&own) {
            self.doubts.insert(own);
        }
        None
    }

    fn is_in_search_path(&self, at: usize) -> bool {
        let mut back = at;
        while back > 0 {
            back -= 1;
            if self.is(Some(back), &["SEARCH_PATH"]) {
                return true;
            }
            let passes = self.symbol(back, ",")
                || self.symbol(back, "=")
                || self.is(Some(back), &["TO"])
                || self.word(back).is_some();
            if !passes || self.symbol(back, ";") {
                return false;
            }
        }
        false
    }

    /// A text that is a name, as `nextval('sales.numbers')` has it; a doubt, if it holds one.
    fn text_at(&mut self, at: usize) -> Option<String> {
        let token = self.tokens[at].text(self.text);
        let value = tokens::string_value(token)?;
        let parts = names::parts(&value);
        let is_name = match &parts[..] {
            [schema, own] => names::dotted(schema, own) == value,
            [own] => names::quoted(own) == value,
            _ => false,
        };
        let known = self.known;
        let found = match &parts[..] {
            [schema, own] if is_name => known.new_name(schema, own, false),
            [own] if is_name && self.is_name_argument(at) => {
                let there = self.path.iter().find(|schema| known.all.contains(&(schema.as_str(), own.as_str())));
                there.and_then(|schema| known.new_name(schema, own, false))
            }
            _ => None,
        };
        if let Some(new) = found {
            let name = names::without_signature(new);
            let text = if parts.len() == 1 { names::quoted(name.identifier()) } else { name.canonical().to_owned() };
            return Some(quoted_as(token, &text)?).filter(|_| text != value);
        }
        if let Some(text) = self.qualified_in(&value).and_then(|text| quoted_as(token, &text)) {
            return Some(text);
        }
        self.doubts.extend(known.words.iter().filter(|word| has_word(&value, word)).map(|word| (*word).to_owned()));
        None
    }

    /// A text in which `schema.name` stands, the whole name of an object: a statement that is put together, most likely.
    fn qualified_in(&mut self, value: &str) -> Option<String> {
        let (tokens, error) = token::tokenize(tokens::rules(), value, 0);
        let name = |at: usize| {
            let token = tokens.get(at)?;
            matches!(token.kind, TokenKind::Word | TokenKind::Quoted).then(|| identifier_of(*token, value))
        };
        let symbol = |at: usize, symbol: &str| tokens.get(at).is_some_and(|token| token.is_symbol(value, symbol));
        let (mut out, mut done) = (String::new(), 0);
        for at in 0..tokens.len() {
            let (Some(schema), true, Some(own)) = (name(at), symbol(at + 1, "."), name(at + 2)) else { continue };
            let new =
                self.known.new_name(&schema, &own, symbol(at + 3, "(")).filter(|_| at == 0 || !symbol(at - 1, "."));
            // A per cent sign would mean something to format().
            let Some(new) = new.filter(|new| !new.canonical().contains('%')) else { continue };
            out.push_str(&value[done..tokens[at].start as usize]);
            out.push_str(names::without_signature(new).canonical());
            done = tokens[at + 2].end as usize;
        }
        if done == 0 || error.is_some() {
            return None;
        }
        out.push_str(&value[done..]);
        let left = self.known.words.iter().filter(|word| has_word(&out, word) && has_word(value, word));
        self.doubts.extend(left.map(|word| (*word).to_owned()));
        Some(out)
    }

    fn is_name_argument(&self, at: usize) -> bool {
        const TAKE_NAMES: [&str; 6] =
            ["NEXTVAL", "CURRVAL", "SETVAL", "TO_REGCLASS", "PG_GET_SERIAL_SEQUENCE", "PG_RELATION_SIZE"];
        let of_call = at >= 2 && self.symbol(at - 1, "(") && self.is(Some(at - 2), &TAKE_NAMES);
        of_call || self.symbol(at + 1, "::") && self.is(Some(at + 2), &["REGCLASS"])
    }

    /// What a column at a token is called now.
    fn column_at(&mut self, at: usize, is_relation: bool) -> Option<String> {
        let own = self.word(at)?;
        let known = self.known;
        let renamed = known.columns.get(own.as_str()).filter(|_| !is_relation)?;
        let is_called = self.symbol(at + 1, "(") || self.symbol(at + 1, ".");
        let of =
            |table: &QualifiedName| renamed.iter().find(|(other, _)| *other == table).map(|(_, to)| names::quoted(to));
        if at > 1 && self.symbol(at - 1, ".") {
            let qualifier = self.word(at - 2)?;
            let of_alias =
                self.relations.iter().filter(|(alias, _)| *alias == qualifier).find_map(|(_, table)| of(table));
            if of_alias.is_some() {
                return of_alias;
            }
            if matches!(qualifier.as_str(), "new" | "old") {
                let all: BTreeSet<Option<String>> = self.is_trigger_of.iter().map(|table| of(table)).collect();
                if let [Some(_)] = all.iter().collect::<Vec<_>>()[..] {
                    return all.into_iter().next().flatten();
                }
                if all.len() > 1 {
                    self.doubts.insert(own);
                }
            } else if !self.relations.iter().any(|(alias, _)| *alias == qualifier) {
                self.doubts.insert(own);
            }
            return None;
        }
        if is_called {
            return None;
        }
        let has_column = |table: &QualifiedName| {
            known
                .before
                .table(table)
                .is_some_and(|table| table.columns.iter().any(|column| column.name.canonical() == own))
        };
        let tables: BTreeSet<&QualifiedName> =
            self.relations.iter().map(|(_, table)| table).filter(|table| has_column(table)).collect();
        let only = match &tables.iter().collect::<Vec<_>>()[..] {
            [] => return None,
            [only] if !self.variables.contains(&own) => of(only),
            _ => None,
        };
        if only.is_none() && tables.iter().any(|table| of(table).is_some()) {
            self.doubts.insert(own);
        }
        only
    }
}

fn has_word(text: &str, word: &str) -> bool {
    let is_part = |ch: Option<char>| ch.is_some_and(|ch| ch.is_alphanumeric() || ch == '_' || ch == '$');
    text.match_indices(word)
        .any(|(at, _)| !is_part(text[..at].chars().next_back()) && !is_part(text[at + word.len()..].chars().next()))
}

/// A text in the quotes of another one, so that nothing but the names differs; none if it has escapes.
fn quoted_as(token: &str, text: &str) -> Option<String> {
    if let Some(tag) = token.starts_with('$').then(|| tokens::dollar_tag(token)).flatten() {
        return Some(format!("{tag}{text}{tag}")).filter(|_| !text.contains(tag));
    }
    token.starts_with('\'').then(|| format!("'{}'", text.replace('\'', "''")))
}
