//! Expressions and queries, as far as the model needs to understand them.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::{Beside, Name, QualifiedName, References, spelling};

/// An expression, a query, a type name or a trigger's body.
///
/// Two are equal when their canonical forms are, whatever their layout, comments, quoting and letter case.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Expression {
    /// The dialect's canonical spelling.
    pub canonical: String,
    /// Whether the canonical spelling is only the nearest that could be found.
    is_approximate: bool,
    written: Beside<Option<String>>,
    /// The byte of the object's text at which the written form begins, if the text has it.
    pub place: Beside<Option<u32>>,
    /// References of the written form; none if its names are not resolved.
    pub references: Beside<Option<References>>,
}

impl Expression {
    /// From both spellings.
    pub fn new(canonical: String, written: &str) -> Expression {
        let written = (canonical != written).then(|| written.to_owned());
        Expression { written: Beside(written), ..Expression::plain(canonical) }
    }

    /// One that is written in its canonical form.
    pub fn plain(canonical: impl Into<String>) -> Expression {
        Expression {
            canonical: canonical.into(),
            is_approximate: false,
            written: Beside(None),
            place: Beside(None),
            references: Beside(None),
        }
    }

    /// One whose canonical form could not be found: that it differs from another proves nothing.
    pub fn unsure(canonical: String, written: &str) -> Expression {
        Expression { is_approximate: true, ..Expression::new(canonical, written) }
    }

    /// The same expression in other spellings, as exact as before.
    pub fn respelled(&self, canonical: String, written: &str) -> Expression {
        Expression { is_approximate: self.is_approximate, ..Expression::new(canonical, written) }
    }

    /// Whether the canonical form is exact.
    pub fn is_sure(&self) -> bool {
        !self.is_approximate
    }

    /// As the person wrote it.
    pub fn written(&self) -> &str {
        self.written.as_deref().unwrap_or(&self.canonical)
    }

    /// Whether the expression uses a column of this name; none if its names are not resolved.
    pub fn uses_column(&self, column: &Name) -> Option<bool> {
        self.references.as_ref().map(|references| references.has_column_named(column))
    }

    /// Whether the expression may use a column of this name: where its names are not resolved, whether a word of it is the name.
    pub fn may_use_column(&self, column: &Name) -> bool {
        self.uses_column(column).unwrap_or_else(|| has_name(&self.canonical, column.canonical()))
    }

    /// Whether the expression may use an object: where its names are not resolved, whether a word of it is the name.
    pub fn may_use_object(&self, name: &QualifiedName) -> bool {
        let references = self.references.as_ref();
        references.map_or_else(|| has_name(&self.canonical, name.identifier()), |found| found.has_object(name))
    }

    /// The same for objects that overload the name, whose choice depends on which of them are there.
    pub fn may_use_overload(&self, name: &QualifiedName) -> bool {
        let references = self.references.as_ref();
        references.map_or_else(|| self.may_use_object(name), |found| found.has_identifier(name.identifier()))
    }

    /// As the person wrote it, on one line.
    pub fn on_one_line(&self) -> String {
        self.written().split_whitespace().collect::<Vec<_>>().join(" ")
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.written())
    }
}

impl Serialize for Expression {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        spelling::serialize(&self.canonical, self.written(), self.is_approximate, serializer)
    }
}

impl<'de> Deserialize<'de> for Expression {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let spelled = spelling::deserialize(deserializer)?;
        Ok(Expression {
            canonical: spelled.canonical,
            is_approximate: spelled.is_approximate,
            written: Beside(spelled.written),
            place: Beside(None),
            references: Beside(None),
        })
    }
}

impl JsonSchema for Expression {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Expression".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        spelling::schema("An expression, query, type name or body as a run of tokens")
    }
}

/// Whether a text has the name as a whole word, in a string too: it is better to include too much than too little.
fn has_name(text: &str, name: &str) -> bool {
    let is_word = |ch: Option<char>| ch.is_some_and(|ch| ch.is_alphanumeric() || ch == '_' || ch == '$');
    // Quotes in a name are doubled.
    let name = name.replace('"', "\"\"");
    text.match_indices(&name)
        .any(|(at, _)| !is_word(text[..at].chars().next_back()) && !is_word(text[at + name.len()..].chars().next()))
}
