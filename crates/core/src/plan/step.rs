//! One ordered action, and what it leaves behind.

use super::Risk;
use crate::model::{Fingerprint, ObjectKey};

/// One ordered action.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// Its title: `drop column hives.paint_colour`.
    pub title: String,
    /// The object that the step creates or completes, if it is a single one. It is not written to the script file.
    pub object: Option<ObjectKey>,
    /// Its risks for data.
    pub risks: Vec<Risk>,
    /// Facts and losses; shown with the step.
    pub notes: Vec<String>,
    /// How the objects are that no step before it makes, where the planner knows; one that is there more than once may be any of these.
    pub meets: Vec<Outcome>,
    /// The states that it leaves, where it is not part of a transaction. The step can be done again, and is not needed where all of it
    /// is so already.
    pub makes: Vec<Outcome>,
    /// The statements, without semicolons.
    pub statements: Vec<String>,
}

/// The state of one object after a step, or before it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outcome {
    /// The object's kind and name: `index public.hives_label`.
    pub object: String,
    /// The hash of the object alone; none if there is no such object then.
    pub fingerprint: Option<Fingerprint>,
}

impl Step {
    /// A step without risks.
    pub fn new(title: impl Into<String>, statements: Vec<String>) -> Step {
        Step {
            title: title.into(),
            object: None,
            risks: Vec::new(),
            notes: Vec::new(),
            meets: Vec::new(),
            makes: Vec::new(),
            statements,
        }
    }

    /// The same, for one object.
    #[must_use]
    pub fn of(mut self, object: ObjectKey) -> Step {
        self.object = Some(object);
        self
    }
}
