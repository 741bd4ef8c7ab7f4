//! What scripts ask of an engine: how its own client runs them.

use super::Frame;
use crate::plan::{Mode, Planner};

/// How an engine's own client runs a script.
pub trait Client: Planner {
    /// How a person runs a script with it: `… < THIS_FILE`.
    fn client_command(&self) -> &'static str;

    /// Commands of the client before everything else in a script: it stops at the first error.
    fn client_settings(&self) -> &'static [&'static str];

    /// The command of the client that runs another file, by its path from the folder of the one that has the command.
    fn include_command(&self, path: &str) -> String;

    /// The statements around the steps of a part.
    fn frame(&self, mode: Mode) -> Frame;
}
