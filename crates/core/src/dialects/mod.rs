//! What differs between engines: one folder each, with the same file names in each.

pub mod postgres;
pub mod sqlite;

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use sqlparser::dialect::Dialect as TokenRules;

use crate::check::Checks;
use crate::diagnostics::Diagnostic;
use crate::engine::{Engine, EngineVersion};
use crate::fold::{Held, Taken};
use crate::model::{Kind, Model, Name, Object, ObjectKey};
use crate::parse::{Parsed, Reader, Session, StatementKind, Token};
use crate::plan::{Plan, Planning, Probe};
use crate::script::{Frame, Mode};

/// An engine's own way of doing what every stage does.
pub trait Dialect: Sync {
    /// The engine.
    fn engine(&self) -> Engine;

    /// How the engine's text is cut into tokens.
    fn token_rules(&self) -> &'static dyn TokenRules;

    /// The text with the commands of the engine's own client blanked out. Offsets stay as they are.
    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str>;

    /// The other files that a text tells the engine's client to read, each with the byte where it says so.
    fn included_files(&self, _: &str) -> Vec<(usize, String)> {
        Vec::new()
    }

    /// How many tokens the first statement has, without its semicolon.
    fn statement_length(&self, text: &str, tokens: &[Token]) -> usize;

    /// What one statement says: often one thing. `session` holds what settings before it have said. `comments` are those
    /// that stand before and in it. Findings that do not end the
    /// statement are added to `diagnostics`.
    fn parse_statement(
        &self,
        reader: Reader<'_>,
        comments: &[Token],
        session: &mut Session,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Parsed<Vec<StatementKind>>;

    /// The name that a CREATE statement tries to give, even if the rest of it can't be read.
    fn created_name(&self, text: &str, statement: &[Token]) -> Option<Name>;

    /// The canonical name of an identifier (without quotes).
    fn name(&self, written: &str) -> Name;

    /// Whether a word of a text is the identifier of this name.
    fn is_called(&self, word: &str, name: &Name) -> bool {
        self.name(word.trim_matches(['"', '`', '[', ']', '\''])) == *name
    }

    /// The identifier as it must stand in SQL: in quotes, if it needs them.
    fn quoted(&self, name: &str) -> String;

    /// The schema that an object is in, where the engine has schemas, and its own name: for the path of its file.
    fn schema_and_name(&self, name: &Name) -> (Option<String>, String) {
        (None, name.written().to_owned())
    }

    /// Whether names that differ only in the case of ASCII letters are the same.
    fn ignores_case(&self) -> bool;

    /// The statements of a source file that make an object, laid out for a reader.
    fn source_text(&self, object: &Object) -> String;

    /// Who owns an object, who may do what with it, and its labels: each fact under what it is about.
    fn access_facts(&self, _: &Object) -> BTreeMap<String, String> {
        BTreeMap::new()
    }

    /// The statements that make these facts.
    fn access_statements(&self, _: &Object) -> Vec<String> {
        Vec::new()
    }

    /// Whether default privileges that name no role may be these, which do.
    fn may_be_those_of(&self, _nameless: &Object, _other: &Object) -> bool {
        false
    }

    /// Takes an object out with all that depends on it, as DROP … CASCADE does; gives what went with it.
    fn drop_with_dependents(&self, model: &mut Model, key: &ObjectKey) -> Vec<ObjectKey> {
        model.remove(key);
        Vec::new()
    }

    /// The partitions of a table, and theirs: they go with it.
    fn partitions(&self, _: &Model, _table: &Name) -> Vec<ObjectKey> {
        Vec::new()
    }

    /// A name by which statements may call an object as well: a routine's without its arguments.
    fn short_name(&self, _: &Name) -> Option<Name> {
        None
    }

    /// Whether the object says that it copies from others, and has not done so yet.
    fn copies(&self, _: &Object) -> bool {
        false
    }

    /// Lets an object copy what it says that it copies, if it is there, in this source if one is given. The objects that come with
    /// it are given back.
    fn take_copies(&self, _: &mut Model, _: &ObjectKey, _within: Option<u32>) -> Vec<Object> {
        Vec::new()
    }

    /// Makes explicit what the engine takes for granted once it knows a whole object, and gives it the names that the engine makes
    /// up, of which none is taken. The objects that come with it are given back.
    fn settle(&self, object: &mut Object, taken: &Taken) -> Vec<Object>;

    /// Whether there is something to name in an object.
    fn is_incomplete(&self, _: &Object) -> bool {
        false
    }

    /// The names at which the engine looks before it makes one up, as far as they are there because of an object.
    fn held_names(&self, _: &Object) -> Held {
        Held::default()
    }

    /// Makes canonical what needs the whole schema to be known.
    fn finish(&self, model: &mut Model);

    /// Takes the expressions away that the engine may give back in a spelling of its own. False if there are none.
    fn take_respelled(&self, _: &mut crate::model::Definition) -> bool {
        false
    }

    /// Whether the name belongs to the engine or to Wevrun itself, so that no side ever shows it.
    fn is_internal(&self, name: &Name) -> bool;

    /// Whether the name is a table that every database of the engine has.
    fn is_built_in(&self, name: &Name) -> bool;

    /// Whether the name stands for the row's own number, which no table lists among its columns.
    fn is_row_id(&self, name: &Name) -> bool;

    /// Whether the second definition of a name completes the first, which only announced it.
    fn completes(&self, _first: &Object, _second: &Object) -> bool {
        false
    }

    /// Why a table can't be made anew to have its columns in another order; none if it can.
    fn order_obstacle(&self, _: &Model, _: &Object) -> Option<&'static str> {
        Some("the engine's dialect does not do that yet")
    }

    /// Whether the engine can build an index while others write to its table.
    fn builds_indexes_concurrently(&self) -> bool {
        false
    }

    /// Whether two objects of these kinds may not have the same name.
    fn share_names(&self, a: Kind, b: Kind) -> bool;

    /// Whether the engine can give objects of a kind another name.
    fn can_rename(&self, _: Kind) -> bool {
        true
    }

    /// Renames an object and what refers to it, as the engine's own ALTER does.
    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &Name);

    /// What an object of have is called once another one is renamed, if that changes its own name: what is in a schema, a routine that
    /// takes values of a type.
    fn moved_along(&self, _: &ObjectKey, _renamed: Kind, _from: &Name, _to: &Name) -> Option<ObjectKey> {
        None
    }

    /// The labels of an enumeration, as literals; none of anything else.
    fn labels(&self, _: &Object) -> Vec<Name> {
        Vec::new()
    }

    /// Renames a column and what refers to it, as the engine's own ALTER TABLE does.
    fn rename_column(&self, model: &mut Model, table: &Name, from: &Name, to: &Name);

    /// Checks the engine's own rules and its version's limits.
    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>);

    /// Writes what the engine has spelled so that it would read something else from it in the form that it was read from.
    fn unfold(&self, _: &mut Object) {}

    /// The CREATE statement of an object, from its structure, without a semicolon.
    fn create_statement(&self, object: &Object) -> String;

    /// The CREATE statement of an object as it was written, or from its structure if that is known no more.
    fn text<'o>(&self, object: &'o Object) -> Cow<'o, str> {
        if object.text.is_empty() { Cow::Owned(self.create_statement(object)) } else { Cow::Borrowed(&object.text) }
    }

    /// How a person runs a script with the engine's own client: `… < THIS_FILE`.
    fn client_command(&self) -> &'static str;

    /// Commands of the engine's own client that stand before everything else in a script: it stops at the first error.
    fn client_settings(&self) -> &'static [&'static str];

    /// What stands around the steps of a part.
    fn frame(&self, mode: Mode) -> Frame;

    /// A query for facts about objects of these names and all that is on them, one text a row. `exact`: about their whole
    /// definitions, as far as the engine's SQL can say them, else about names.
    fn structure_query(&self, names: &BTreeSet<Name>, exact: bool) -> String;

    /// What that query gives, not exact, for a database with the structure of a model.
    fn structure_facts(&self, model: &Model, names: &BTreeSet<Name>) -> Vec<String>;

    /// A statement that stops a script where there is anything but these facts, as that query gives them.
    fn structure_guard(&self, names: &BTreeSet<Name>, exact: bool, facts: &[String]) -> String;

    /// A query that gives a row exactly if the answer to the probe is yes.
    fn probe_query(&self, probe: &Probe) -> String;

    /// What must be known of the data to plan well.
    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe>;

    /// The object that a statement means by a kind and a name.
    fn resolve(&self, model: &Model, kind: Kind, name: &Name) -> Option<ObjectKey> {
        let key = ObjectKey::new(kind, name.clone());
        model.get(&key).map(Object::key)
    }

    /// The ordered steps of a migration, and the statements that make one transaction of them.
    fn plan(&self, planning: &Planning<'_>) -> Plan;
}

/// The dialect of an engine.
pub fn dialect(engine: Engine) -> &'static dyn Dialect {
    match engine {
        Engine::Sqlite => &sqlite::Sqlite,
        Engine::Postgres => &postgres::Postgres,
    }
}
