//! Expressions and queries, as far as the model needs to understand them.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::{Beside, Name, spelling};

/// An expression, a query, a type name or a trigger's body: a run of tokens.
///
/// Two are equal when their canonical forms are, whatever their layout, comments, quoting and letter case.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Expression {
    /// The dialect's canonical spelling.
    pub canonical: String,
    written: Beside<Option<String>>,
}

/// What a canonical spelling begins with that is only the nearest that could be found: a character that no expression begins with.
const UNSURE: &str = "\u{1}";

/// Whether a canonical spelling is one.
pub fn is_sure(canonical: &str) -> bool {
    !canonical.starts_with(UNSURE)
}

impl Expression {
    /// From both spellings.
    pub fn new(canonical: String, written: &str) -> Expression {
        let written = (canonical != written).then(|| written.to_owned());
        Expression { canonical, written: Beside(written) }
    }

    /// One that is written in its canonical form.
    pub fn plain(canonical: impl Into<String>) -> Expression {
        Expression { canonical: canonical.into(), written: Beside(None) }
    }

    /// One whose canonical form could not be found: that it differs from another proves nothing.
    pub fn unsure(canonical: &str, written: &str) -> Expression {
        Expression::new(format!("{UNSURE}{canonical}"), written)
    }

    /// Whether the canonical form is one.
    pub fn is_sure(&self) -> bool {
        is_sure(&self.canonical)
    }

    /// As the person wrote it.
    pub fn written(&self) -> &str {
        self.written.as_deref().unwrap_or(&self.canonical)
    }

    /// Whether the name stands in it.
    pub fn mentions(&self, name: &Name) -> bool {
        let name = name.canonical();
        self.canonical.contains(name)
            && (self.canonical.split(' ').any(|token| token == name)
                || self.canonical.contains(&format!("\"{}\"", name.replace('"', "\"\""))))
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
        spelling::serialize(&self.canonical, self.written(), serializer)
    }
}

impl<'de> Deserialize<'de> for Expression {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let (canonical, written) = spelling::deserialize(deserializer)?;
        Ok(Expression { canonical, written: Beside(written) })
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
