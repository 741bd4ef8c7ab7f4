//! Which aspects count as differences.

use std::collections::BTreeSet;

use crate::compare::{Aspect, DefaultTreatment};
use crate::diagnostics::nearest;

/// The aspects in which differences do not count.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Aspects {
    ignored: BTreeSet<Aspect>,
}

impl Default for Aspects {
    fn default() -> Self {
        let is_ignored =
            |(.., standing, _): &&(Aspect, &str, DefaultTreatment, &str)| *standing == DefaultTreatment::Ignored;
        Aspects { ignored: Aspect::ALL.iter().filter(is_ignored).map(|(aspect, ..)| *aspect).collect() }
    }
}

/// The name of all aspects of access together.
const ACCESS: (&str, [Aspect; 3]) = ("access", [Aspect::Owner, Aspect::Privileges, Aspect::SecurityLabel]);

/// The aspects that a name means: one, or a group.
pub fn aspects_of(name: &str) -> Result<Vec<Aspect>, String> {
    if name == ACCESS.0 {
        return Ok(ACCESS.1.to_vec());
    }
    let names = || Aspect::ALL.iter().map(|(_, name, ..)| *name).chain([ACCESS.0]);
    match Aspect::ALL.iter().find(|(_, own, ..)| *own == name) {
        Some((_, name, DefaultTreatment::Always, words)) => {
            Err(format!("the aspect `{name}` ({words}) is always compared"))
        }
        Some((aspect, ..)) => Ok(vec![*aspect]),
        None => Err(match nearest(name, names()) {
            Some(near) => format!("there is no aspect `{name}`; did you mean `{near}`?"),
            None => format!("there is no aspect `{name}`; `wevrun explain aspects` lists them"),
        }),
    }
}

impl Aspects {
    /// Nothing is ignored but what is always ignored unless it is asked for.
    pub fn ignore(&mut self, aspects: impl IntoIterator<Item = Aspect>) {
        self.ignored.extend(aspects);
    }

    /// Differences in these aspects count.
    pub fn mind(&mut self, aspects: impl IntoIterator<Item = Aspect>) {
        for aspect in aspects {
            self.ignored.remove(&aspect);
        }
    }

    /// Whether differences in an aspect count.
    pub fn minds(&self, aspect: Aspect) -> bool {
        !self.ignored.contains(&aspect)
    }

    /// Whether owners, privileges or labels count.
    pub fn minds_access(&self) -> bool {
        ACCESS.1.iter().any(|aspect| self.minds(*aspect))
    }

    /// Whether differences count as by default.
    pub fn is_default(&self) -> bool {
        *self == Aspects::default()
    }

    /// The aspects that are ignored.
    pub fn ignored(&self) -> impl Iterator<Item = Aspect> {
        self.ignored.iter().copied()
    }
}
