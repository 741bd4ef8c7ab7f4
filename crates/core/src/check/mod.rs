//! Checks that hold for every engine: each reference resolves, names are not taken twice, nothing depends on itself.

mod foreign_keys;
mod rules;
mod second_opinion;
mod sound;
mod views;

pub use rules::Rules;
pub use second_opinion::{Refusal, independent, refusals};
pub use sound::sound_part;

use std::collections::{BTreeMap, BTreeSet};

use crate::diagnostics::{Code, Diagnostic};
use crate::engine::EngineVersion;
use crate::fold::{Folded, head};
use crate::model::{Definition, IndexPart, Kind, Model, Name, Object, QualifiedName, Table};
use crate::parse::{Grammar, TokenKind, token};
use crate::source::{Location, Source};

/// The findings so far, and their places.
pub struct Checks<'m> {
    dialect: &'m dyn Rules,
    model: &'m Model,
    unreadable: &'m BTreeSet<QualifiedName>,
    named_by_code: &'m BTreeSet<String>,
    sources: &'m [Source],
    by_owner: BTreeMap<&'m QualifiedName, Vec<&'m Object>>,
    found: Vec<Diagnostic>,
}

/// Checks a folded model.
pub fn check(dialect: &dyn Rules, version: EngineVersion, sources: &[Source], folded: &Folded) -> Vec<Diagnostic> {
    let mut checks = Checks {
        dialect,
        model: &folded.model,
        unreadable: &folded.unreadable,
        named_by_code: &folded.named_by_code,
        sources,
        by_owner: folded.model.by_owner(),
        found: Vec::new(),
    };
    for object in folded.model.objects() {
        checks.references(object);
        if let Definition::Table(table) = &object.definition {
            checks.keys(object, table);
            foreign_keys::check(&mut checks, object, table);
        }
        checks.former_names(object);
    }
    views::check(&mut checks);
    dialect.check(&folded.model, version, &mut checks);
    checks.found
}

impl<'m> Checks<'m> {
    /// Adds a finding.
    pub fn add(&mut self, diagnostic: Diagnostic) {
        self.found.push(diagnostic);
    }

    /// The model that is checked.
    pub fn model(&self) -> &'m Model {
        self.model
    }

    /// Whether the name exists, though its definition could not be read.
    pub fn is_unreadable(&self, name: &QualifiedName) -> bool {
        self.unreadable.contains(name)
    }

    /// Whether a statement of the source that runs code has this word: that code may create it.
    pub fn is_named_by_code(&self, word: &str) -> bool {
        self.named_by_code.contains(&word.to_lowercase())
    }

    /// Where an identifier (without quotes) is used in an object's text: after `after` (a keyword), if it is given.
    pub fn locate(&self, object: &Object, identifier: &str, after: Option<&str>) -> Option<Location> {
        self.locate_use(object, Use::Last(identifier, after))
    }

    fn locate_use(&self, object: &Object, what: Use<'_>) -> Option<Location> {
        let used: Vec<Location> =
            self.found.iter().filter_map(|found| found.primary.as_ref()).map(|label| label.location).collect();
        let text = object.location.and_then(|location| {
            let source = self.sources.get(location.source as usize)?;
            source.text.get(location.start as usize..location.end as usize)
        });
        let text = text.unwrap_or(&object.text);
        // Each finding of one name points at a use of its own, as long as there are some.
        locate_in(self.dialect, object, (text, &used), what)
    }

    /// The place of an object's own name.
    pub fn definition_of(&self, object: &Object) -> Option<Location> {
        self.locate_use(object, Use::Definition)
    }

    /// Reports that a table or view does not exist.
    pub fn unknown_relation(&mut self, object: &Object, name: &QualifiedName, after: Option<&str>, what: &str) {
        if self.is_unreadable(name) {
            return;
        }
        let known: Vec<_> = self.model.objects().filter(|other| other.definition.kind().is_relation()).collect();
        let near = crate::diagnostics::nearest(name.written(), known.iter().map(|other| other.name.written()));
        let near = known.iter().find(|other| Some(other.name.written()) == near);
        let mut diagnostic =
            Diagnostic::new(Code::WV110, format!("{} uses {what} `{name}`, which is not defined", object.key()))
                .at(self.locate(object, name.identifier(), after), "not defined");
        match near {
            Some(near) => {
                diagnostic = diagnostic
                    .and_at(self.definition_of(near), "a similar name is defined here")
                    .help(format!("did you mean `{}`?", near.name));
            }
            None => diagnostic = diagnostic.help("create it in a source file, or correct the name"),
        }
        self.add(diagnostic);
    }

    /// Reports that a table has no such column.
    pub fn unknown_column(&mut self, object: &Object, owner: &Object, table: &Table, column: &Name, what: &str) {
        let diagnostic = Diagnostic::new(
            Code::WV111,
            format!("{what} names column `{column}`, which table {} does not have", owner.name),
        )
        .at(self.locate(object, column.written(), None), "no such column");
        let diagnostic = if object.key() == owner.key() {
            diagnostic
        } else {
            diagnostic.and_at(self.definition_of(owner), "the table is defined here")
        };
        let columns: Vec<&str> = table.columns.iter().map(|column| column.name.written()).collect();
        let help = match crate::diagnostics::nearest(column.written(), columns.iter().copied()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("its columns are: {}", columns[..columns.len().min(20)].join(", ")),
        };
        self.add(diagnostic.help(help));
    }

    /// Every table, view and column that an object names exists.
    fn references(&mut self, object: &Object) {
        match &object.definition {
            Definition::Index(index) => {
                let Some(owner) = self.owner(object, &index.table, "table") else { return };
                if let Some(table) = owner.as_table() {
                    let columns: Vec<Name> = index.parts.iter().filter_map(plain).collect();
                    for column in columns
                        .into_iter()
                        .filter(|column| table.column(column).is_none() && !self.dialect.is_row_id(column))
                    {
                        self.unknown_column(object, owner, table, &column, &format!("index {}", object.name));
                    }
                } else if owner.definition.kind() != Kind::MaterializedView {
                    let kind = owner.definition.kind().title();
                    self.add(
                        Diagnostic::new(Code::WV133, format!("index {} is on a {kind}", object.name))
                            .at(self.locate(object, index.table.identifier(), Some("ON")), "not a table")
                            .and_at(self.definition_of(owner), format!("a {kind}, defined here")),
                    );
                }
            }
            Definition::Trigger(trigger) => {
                let Some(owner) = self.owner(object, &trigger.table, "table or view") else { return };
                if let Some(table) = owner.as_table() {
                    for column in trigger.columns.iter().filter(|column| table.column(column).is_none()) {
                        self.unknown_column(object, owner, table, column, &format!("trigger {}", object.name));
                    }
                }
            }
            Definition::Table(_) | Definition::VirtualTable(_) | Definition::View(_) | Definition::Plain(_) => {}
        }
        for name in &object.uses {
            let known = self.model.named(name).next().is_some()
                || self.dialect.is_internal(name)
                || self.dialect.is_built_in(name);
            if !known {
                self.unknown_relation(object, name, None, "table or view");
            }
        }
    }

    /// The table or view of an index or trigger, or a finding.
    fn owner(&mut self, object: &Object, name: &QualifiedName, what: &str) -> Option<&'m Object> {
        let owner = self.model.relation(name);
        if owner.is_none() {
            self.unknown_relation(object, name, Some("ON"), what);
        }
        owner
    }

    /// The columns of a table's own keys exist.
    fn keys(&mut self, object: &Object, table: &Table) {
        let keys = table.primary_key.iter().map(|key| (key, "the primary key"));
        for (key, what) in keys.chain(table.unique_keys.iter().map(|key| (key, "a UNIQUE constraint"))) {
            for part in key.parts.iter().filter(|part| table.column(&part.column).is_none()) {
                self.unknown_column(object, object, table, &part.column, what);
            }
        }
    }

    /// Former names can be followed.
    fn former_names(&mut self, object: &Object) {
        let formerly = &object.formerly;
        for (index, (new, old)) in formerly.columns.iter().enumerate() {
            if formerly.columns[..index].iter().any(|(_, other)| other == old) {
                self.add(
                    Diagnostic::new(
                        Code::WV301,
                        format!(
                            "column {}.{new} was formerly `{old}`, but another column claims that name too",
                            object.name
                        ),
                    )
                    .at(self.locate(object, new.written(), None), "claims the name")
                    .help("take the comment out once the rename has been released everywhere"),
                );
            }
        }
    }
}

/// The column that an index part names, if it is no expression.
fn plain(part: &IndexPart) -> Option<Name> {
    let name = part.column();
    let word = !name.is_empty()
        && name.chars().all(|ch| ch.is_alphanumeric() || ch == '_')
        && !name.starts_with(|ch: char| ch.is_ascii_digit())
        && !["true", "false", "null"].iter().any(|constant| name.eq_ignore_ascii_case(constant));
    word.then(|| Name::new(name.as_ref(), part.expression.written().trim_matches(['"', '`', '[', ']'])))
}

/// Where an identifier (without quotes) is used in an object's text. The statement's first word where the text is not the one of
/// the source any more.
pub fn locate(dialect: &dyn Grammar, object: &Object, identifier: &str) -> Option<Location> {
    locate_in(dialect, object, (&object.text, &[]), Use::Last(identifier, None))
}

/// The place of an object's own name in its text.
pub fn locate_definition(dialect: &dyn Grammar, object: &Object) -> Option<Location> {
    locate_in(dialect, object, (&object.text, &[]), Use::Definition)
}

/// Which use of an identifier is meant.
#[derive(Clone, Copy)]
enum Use<'n> {
    /// The object's own name.
    Definition,
    /// The last use, after a keyword if one is given: a name that is wrong where it is used may be right where it is defined, further
    /// up.
    Last(&'n str, Option<&'n str>),
}

/// The same in this text, and not at a place that is used already if there is another one.
fn locate_in(
    dialect: &dyn Grammar,
    object: &Object,
    (text, used): (&str, &[Location]),
    wanted: Use<'_>,
) -> Option<Location> {
    let (identifier, after) = match wanted {
        Use::Definition => (object.name.identifier(), None),
        Use::Last(identifier, after) => (identifier, after),
    };
    let location = object.location?;
    if (location.end - location.start) as usize != text.len() {
        return Some(head(location));
    }
    let (tokens, _) = token::tokenize(dialect.token_rules(), text, location.source);
    let tokens: Vec<_> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let place = |index: usize| {
        let token = tokens[index];
        Location { source: location.source, start: token.start, end: token.end }.shifted(location.start)
    };
    let is_name = |index: &usize| {
        let token = tokens[*index];
        let word = matches!(token.kind, TokenKind::Word | TokenKind::Quoted | TokenKind::Text);
        let follows = after.is_none_or(|keyword| *index > 0 && tokens[*index - 1].is_word(text, keyword));
        word && follows && dialect.is_called(token.text(text), identifier)
    };
    let found = if let Use::Definition = wanted {
        (0..tokens.len()).find(is_name)
    } else {
        let is_free = |index: &usize| is_name(index) && !used.contains(&place(*index));
        (0..tokens.len()).rfind(is_free).or_else(|| (0..tokens.len()).rfind(is_name))
    };
    Some(found.map_or_else(|| head(location), place))
}
